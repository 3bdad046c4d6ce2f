//! What the pass over the fleet keeps of a switch: the few ports that lead to others, and what VLANs it serves.

use std::collections::{BTreeMap, BTreeSet};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::net::IpAddr;
use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use super::foreseen::{AllForeseen, Foreseen};
use crate::check::arming::{INSPECTION, MULTICAST, SNOOPING};
use crate::check::figure::Figure;
use crate::check::multicast::timing;
use crate::check::{PortView, SwitchView, Unknown};
use crate::model::{
    Fact, FewVlans, Media, Mode, Protocol, RelayInfo, Scope, Seconds, SettingId, Station, StationAddress,
    Unidirectional, VlanId, VlanSet, facts, platform, settings,
};
use crate::policy::{self, Faces, Feature, Neighbour, Outside, Told, Wish};
use crate::sorted;

/// One switch. Small, for a fleet has many: nothing grows any more.
#[derive(Debug, Clone)]
pub struct Digest {
    /// Its name in reports.
    pub(in crate::check) switch: Arc<str>,
    /// The name configured on it.
    pub(in crate::check) configured: Option<Arc<str>>,
    /// The ports that lead somewhere.
    pub(in crate::check) ports: Box<[Arc<PortDigest>]>,
    /// Ends of the policy's links: link, whether it is end a, position among `ports`.
    pub(in crate::check) ends: Box<[(usize, bool, usize)]>,
    /// Authorised servers here: entry of the policy, position among `ports` (the switch itself when none).
    pub(in crate::check) servers: Box<[(usize, Option<usize>)]>,
    /// What it serves, and by what settings.
    pub(in crate::check) serves: Arc<Serves>,
    /// Queriers that are heard, by VLAN: others than the switch itself.
    pub(in crate::check) heard_queriers: Box<[(VlanId, IpAddr)]>,
    /// The ports that pins and what is heard name by number; among others (`Digests`) theirs count, and it is empty.
    names: Box<[Arc<str>]>,
    /// Stations that are pinned or written.
    pub(in crate::check) pinned: Box<[Pin]>,
    /// Where stations that are pinned somewhere are heard now: by port.
    pub(in crate::check) heard: Box<[(StationAddress, u32)]>,
    /// What its settings are, for sisters: by role (none: the switch's own) and setting.
    pub(in crate::check) settings: BTreeMap<(Arc<str>, SettingId), Vec<Had>>,
    /// What was foreseen of it; among others (`Digests`) it is kept with theirs.
    pub(super) foreseen: Vec<Foreseen>,
}

/// What a switch is set to for its VLANs, the same on most switches of a fleet.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(in crate::check) struct Serves {
    /// VLANs in which DHCP snooping acts; `None`: unknown.
    pub(in crate::check) snooped: Option<Arc<VlanSet>>,
    /// VLANs in which ARP inspection acts.
    pub(in crate::check) inspected: Option<Arc<VlanSet>>,
    /// VLANs of edge ports.
    pub(in crate::check) edge_vlans: FewVlans,
    /// VLANs of edge ports, and those that its links name.
    pub(in crate::check) used_vlans: FewVlans,
    /// VLANs in which multicast is snooped.
    pub(in crate::check) multicast: Option<Arc<VlanSet>>,
    /// VLANs in which it asks for memberships.
    pub(in crate::check) queriers: BTreeMap<VlanId, QuerierDigest>,
    /// How many seconds a membership lasts that nobody renews, by VLAN that is snooped and used.
    pub(in crate::check) memberships: Arc<[(VlanId, u32)]>,
    /// Whether unregistered groups are filtered.
    pub(in crate::check) filters: Option<bool>,
    /// What is done with relay information.
    pub(in crate::check) relay_info: Option<RelayInfo>,
    /// Seconds from a loss of BPDUs until a blocked port forwards, with how that comes.
    pub(in crate::check) reopens: Option<Arc<(u32, String)>>,
}

/// A station that is pinned or written on a port. Small, for a fleet has many.
#[derive(Debug, Clone, Copy)]
pub(in crate::check) struct Pin {
    pub(in crate::check) station: StationAddress,
    /// 0: in none that is known.
    vlan: u16,
    /// The number of the port's name.
    pub(in crate::check) port: u32,
}

impl Pin {
    /// The VLAN it is allowed in.
    pub(in crate::check) fn vlan(self) -> Option<VlanId> {
        VlanId::new(self.vlan.into()).ok()
    }
}

/// A port that leads to another switch, or may.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(in crate::check) struct PortDigest {
    pub(in crate::check) name: Arc<str>,
    /// The position of its role in the policy.
    pub(in crate::check) role: Option<usize>,
    pub(in crate::check) faces: Option<Faces>,
    pub(in crate::check) mode: Option<Mode>,
    pub(in crate::check) untagged: Result<Option<VlanId>, Unknown>,
    pub(in crate::check) tagged: Option<Arc<VlanSet>>,
    pub(in crate::check) mtu: Option<u32>,
    pub(in crate::check) trusted: Option<bool>,
    pub(in crate::check) inspection_trusted: Option<bool>,
    pub(in crate::check) relay_accepted: Option<bool>,
    pub(in crate::check) media: Option<Media>,
    pub(in crate::check) detection: Option<Unidirectional>,
    pub(in crate::check) detection_interval: Option<u32>,
    pub(in crate::check) wants_detection: bool,
    /// The neighbour's name and port, as it announces them.
    pub(in crate::check) neighbour: Option<Neighbour>,
    /// What is outside the fleet at the other end of its cable.
    pub(in crate::check) outside: Option<Arc<Outside>>,
}

impl PortDigest {
    /// Its untagged VLAN, as far as it is known.
    pub(in crate::check) fn native(&self) -> Option<VlanId> {
        self.untagged.as_ref().ok().copied().flatten()
    }

    /// Whether it carries a VLAN, tagged or not.
    pub(in crate::check) fn carries(&self, vlan: VlanId) -> bool {
        self.native() == Some(vlan) || self.tagged.as_ref().is_some_and(|set| set.contains(vlan))
    }
}

/// What a querier asks by.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(in crate::check) struct QuerierDigest {
    pub(in crate::check) address: Option<IpAddr>,
    pub(in crate::check) version: Option<u32>,
    pub(in crate::check) interval: Option<u32>,
    pub(in crate::check) last_member_interval: Option<u32>,
    pub(in crate::check) last_member_count: Option<u32>,
    pub(in crate::check) response: Option<u32>,
    pub(in crate::check) robustness: Option<u32>,
    /// How long a membership lasts that nobody renews.
    pub(in crate::check) membership: Option<Figure>,
    /// How long a stream runs on after a leave.
    pub(in crate::check) leave: Option<Figure>,
}

/// The switches of a fleet. What they serve, VLAN sets, ports and names of ports that are equal are kept once: most switches of a fleet say the same.
#[derive(Debug, Default)]
pub struct Digests {
    switches: Vec<Digest>,
    sets: FxHashSet<Arc<VlanSet>>,
    ports: FxHashSet<Arc<PortDigest>>,
    serves: FxHashSet<Arc<Serves>>,
    names: Named,
    pub(super) foreseen: AllForeseen,
}

impl Digests {
    /// None yet, and room for so many.
    pub fn with_room(switches: usize) -> Self {
        Self { switches: Vec::with_capacity(switches), ..Self::default() }
    }

    /// One more. It is copied: what is kept of a switch was made among all that was not, and would hold its pages.
    pub fn push(&mut self, made: Digest) {
        let mut digest = made.clone();
        let is_its_name = digest.configured.as_ref() == Some(&digest.switch);
        let configured = digest.configured.filter(|_| !is_its_name).map(|name| Arc::from(&*name));
        digest.configured = configured.or_else(|| is_its_name.then(|| Arc::clone(&digest.switch)));
        digest.serves = self.serves(&made.serves);
        digest.ports = made.ports.iter().map(|port| self.port(port)).collect();
        let own: Vec<u32> = std::mem::take(&mut digest.names).iter().map(|name| self.names.number(name)).collect();
        let of_pins = digest.pinned.iter_mut().map(|pin| &mut pin.port);
        let of_heard = digest.heard.iter_mut().map(|(_, port)| port);
        // One that was among others before has their numbers already.
        of_pins.chain(of_heard).for_each(|port| *port = own.get(*port as usize).copied().unwrap_or(*port));
        digest.foreseen = Vec::new();
        self.foreseen.add(&digest.switch, &made.foreseen);
        drop(made);
        self.switches.push(digest);
    }

    /// A fleet of one switch.
    pub(super) fn alone(digest: Digest) -> Self {
        Self { switches: vec![digest], ..Self::default() }
    }

    /// The first switch.
    pub(super) fn into_first(mut self) -> Digest {
        self.switches.swap_remove(0)
    }

    /// The one copy of what a switch serves.
    fn serves(&mut self, made: &Serves) -> Arc<Serves> {
        if let Some(known) = self.serves.get(made) {
            return Arc::clone(known);
        }
        let mut serves = made.clone();
        serves.reopens.iter_mut().for_each(|one| *one = Arc::new((**one).clone()));
        serves.memberships = Arc::from(&*made.memberships);
        [&mut serves.snooped, &mut serves.inspected, &mut serves.multicast]
            .into_iter()
            .flatten()
            .for_each(|set| share(&mut self.sets, set));
        [&mut serves.edge_vlans, &mut serves.used_vlans].into_iter().for_each(FewVlans::copy);
        let serves = Arc::new(serves);
        self.serves.insert(Arc::clone(&serves));
        serves
    }

    /// The one copy of what is kept of a port.
    fn port(&mut self, made: &PortDigest) -> Arc<PortDigest> {
        if let Some(known) = self.ports.get(made) {
            return Arc::clone(known);
        }
        let mut port = PortDigest { name: self.names.shared(&made.name), ..made.clone() };
        port.tagged.iter_mut().for_each(|set| share(&mut self.sets, set));
        let port = Arc::new(port);
        self.ports.insert(Arc::clone(&port));
        port
    }

    /// The name of a port that pins or what is heard name by number.
    pub(in crate::check) fn port_name(&self, number: u32) -> &str {
        self.names.names.get(number as usize).map_or("", |name| name)
    }
}

/// Keeps one of the sets that are equal: a copy of the first.
fn share(kept: &mut FxHashSet<Arc<VlanSet>>, one: &mut Arc<VlanSet>) {
    let there = kept.get(&**one).map(Arc::clone);
    *one = there.unwrap_or_else(|| {
        let copied = Arc::new((**one).clone());
        kept.insert(Arc::clone(&copied));
        copied
    });
}

impl Digests {
    /// The same fleet with some switches replaced by what is known of them for certain; `None` where that is all of it.
    pub fn certain(&self, doubtful: Vec<Digest>) -> Option<Self> {
        let mut by_name: BTreeMap<Arc<str>, Digest> =
            sorted::tree_map(doubtful.into_iter().map(|digest| (Arc::clone(&digest.switch), digest)));
        if by_name.is_empty() {
            return None;
        }
        let certain = |digest: &Digest| by_name.remove(&digest.switch).unwrap_or_else(|| digest.clone());
        let mut all = Self { names: self.names.clone(), ..Self::with_room(self.switches.len()) };
        self.switches.iter().map(certain).for_each(|digest| all.push(digest));
        Some(all)
    }
}

impl std::ops::Deref for Digests {
    type Target = [Digest];

    fn deref(&self) -> &[Digest] {
        &self.switches
    }
}

impl FromIterator<Digest> for Digests {
    fn from_iter<I: IntoIterator<Item = Digest>>(digests: I) -> Self {
        let mut all = Self::default();
        digests.into_iter().for_each(|digest| all.push(digest));
        all
    }
}

impl Digest {
    /// What it tells of its cables.
    pub(in crate::check) fn told(&self) -> Told<'_> {
        let ports = self.ports.iter().map(|port| (&*port.name, port.neighbour.as_ref())).collect();
        Told { switch: &self.switch, configured: self.configured.as_deref(), ports, ends: &self.ends }
    }

    /// Of a switch. Stations are kept only when `stations` says that some are pinned twice is worth a look.
    pub(in crate::check) fn of(on: SwitchView<'_>) -> Self {
        let switch = on.switch();
        let neighbours = neighbours(on);
        let policy = on.policy();
        let mut named: BTreeSet<usize> = BTreeSet::new();
        let (links, servers) = (policy.ends_on(on.resolved()), policy.servers_on(on.resolved()));
        named.extend(links.iter().map(|(_, _, port)| *port));
        named.extend(servers.iter().filter_map(|(_, port)| *port));
        let mut ports: Vec<PortDigest> = Vec::new();
        let mut at: BTreeMap<usize, usize> = BTreeMap::new();
        let edge_ports = on.unlike_ports().filter(|port| port.role().is_ok_and(|role| role.faces.is_edge()));
        let mut edge_vlans = VlanSet::default();
        // What a port uses that nobody knows is no part of it.
        edge_ports.for_each(|port| _ = port.add_used_by_edge(&mut edge_vlans));
        for port in on.ports() {
            let faces = port.role().ok().map(|role| role.faces);
            let leads = faces.is_some_and(|faces| faces.is_bridge() || faces == Faces::Router);
            if leads || named.contains(&port.port()) || neighbours.contains_key(&port.port()) {
                at.insert(port.port(), ports.len());
                ports.push(port_digest(&port, neighbours.get(&port.port())));
            }
        }
        for (link, _, port) in &links {
            let outside = policy.outside(*link).cloned();
            if let (Some(outside), Some(port)) = (outside, at.get(port).and_then(|at| ports.get_mut(*at))) {
                port.outside = Some(outside);
            }
        }
        let multicast = on.covered(MULTICAST.needed, MULTICAST.global, MULTICAST.vlans).ok();
        // A trunk without a list says nothing of what is used.
        let listed = ports.iter().filter_map(|port| port.tagged.as_ref()).filter(|set| !set.is_all());
        let used_vlans = listed.fold(edge_vlans.clone(), |all, set| all.union(set));
        let receiving = multicast.as_ref().map(|set| set.common(&used_vlans)).unwrap_or_default();
        let mut named = Named::default();
        let lasts = |vlan: VlanId| Some((vlan, timing::membership(on, vlan).ok()?.seconds));
        let serves = Serves {
            snooped: snooped(on),
            inspected: on.covered(INSPECTION.needed, INSPECTION.global, INSPECTION.vlans).ok(),
            edge_vlans: (&edge_vlans).into(),
            used_vlans: (&used_vlans).into(),
            memberships: receiving.iter().filter_map(lasts).collect(),
            filters: on.setting(settings::FILTERING).value,
            multicast,
            queriers: queriers(on),
            relay_info: on.setting(settings::RELAY_INFO).value,
            reopens: reopens(on).map(Arc::new),
        };
        Self {
            switch: Arc::clone(switch.name()),
            configured: on.setting(settings::NAME).value,
            ports: ports.into_iter().map(Arc::new).collect(),
            ends: links.into_iter().filter_map(|(link, is_a, port)| Some((link, is_a, *at.get(&port)?))).collect(),
            servers: servers.into_iter().map(|(entry, port)| (entry, port.and_then(|p| at.get(&p).copied()))).collect(),
            serves: Arc::new(serves),
            heard_queriers: heard_queriers(on),
            pinned: pinned(on, &mut named),
            heard: heard(on, &mut named),
            names: named.names.into(),
            settings: had(on),
            foreseen: Vec::new(),
        }
    }
}

/// Where DHCP snooping acts: nowhere while something holds it back.
fn snooped(on: SwitchView<'_>) -> Option<Arc<VlanSet>> {
    if on.is_held_back("dhcp-snooping").ok()? {
        return Some(Arc::default());
    }
    on.covered(SNOOPING.needed, SNOOPING.global, SNOOPING.vlans).ok()
}

fn neighbours(on: SwitchView<'_>) -> sorted::Map<usize, Neighbour> {
    if on.is_too_old(facts::neighbour::FACT) { sorted::Map::default() } else { policy::neighbours(on.switch()) }
}

fn port_digest(port: &PortView<'_>, neighbour: Option<&Neighbour>) -> PortDigest {
    let role = port.role().ok();
    PortDigest {
        name: port.name().into(),
        role: port.assigned.map(|assigned| assigned.role),
        faces: role.map(|r| r.faces),
        mode: port.mode().ok(),
        untagged: port.untagged().map(|untagged| untagged.vlan),
        tagged: port.tagged().ok().flatten(),
        mtu: port.setting(settings::MTU).value,
        trusted: port.setting(settings::SNOOPING_TRUSTED).value,
        inspection_trusted: port.setting(settings::INSPECTION_TRUSTED).value,
        relay_accepted: port.setting(settings::RELAY_ACCEPTED).value,
        media: port.setting(settings::MEDIA).value,
        detection: port.setting(settings::UNIDIRECTIONAL).value,
        detection_interval: port.setting(settings::UNIDIRECTIONAL_INTERVAL).value.map(|Seconds(s)| s),
        wants_detection: role.is_some_and(|r| r.expect.wish(Feature::Unidirectional).value == Wish::Wanted),
        neighbour: neighbour.cloned(),
        outside: None,
    }
}

fn queriers(on: SwitchView<'_>) -> BTreeMap<VlanId, QuerierDigest> {
    let defined = on.setting(settings::VLANS).value.unwrap_or_default();
    let asks = |vlan: &VlanId| on.of_vlan(*vlan, settings::QUERIER) == Ok(true);
    let seconds = |vlan, key| on.of_vlan(vlan, key).ok().map(|Seconds(s)| s);
    let digest = |vlan| QuerierDigest {
        address: on
            .of_vlan(vlan, settings::VLAN_QUERIER_ADDRESS)
            .ok()
            .flatten()
            .or_else(|| on.setting(settings::QUERIER_ADDRESS).value.flatten()),
        version: on.of_vlan(vlan, settings::QUERY_VERSION).ok(),
        interval: seconds(vlan, settings::QUERY_INTERVAL),
        last_member_interval: seconds(vlan, settings::LAST_MEMBER_INTERVAL),
        last_member_count: on.of_vlan(vlan, settings::LAST_MEMBER_COUNT).ok(),
        response: seconds(vlan, settings::RESPONSE_INTERVAL),
        robustness: on.of_vlan(vlan, settings::ROBUSTNESS).ok(),
        membership: timing::membership(on, vlan).ok(),
        leave: timing::leave(on, vlan).ok(),
    };
    defined.iter().filter(asks).map(|vlan| (vlan, digest(vlan))).collect()
}

/// Who else asks for memberships, as the switch hears it.
fn heard_queriers(on: SwitchView<'_>) -> Box<[(VlanId, IpAddr)]> {
    if on.is_too_old(facts::querier::FACT) {
        return Box::default();
    }
    // One that is heard on no port is the switch itself.
    let others = on.switch().facts_of(facts::querier::FACT).filter(|fact| fact.port().is_some());
    let heard = |fact: &Fact| Some((fact.get(facts::querier::VLAN)??, fact.get(facts::querier::ADDRESS)??));
    others.filter_map(heard).collect()
}

/// Seconds from a loss of BPDUs until a blocked port forwards (IEEE 802.1D-1998, 8.5; IEEE 802.1Q, 13).
fn reopens(on: SwitchView<'_>) -> Option<(u32, String)> {
    let seconds = |key| on.setting(key).value.map(|Seconds(s)| s);
    let (delay, age, hello) =
        (seconds(settings::FORWARD_DELAY)?, seconds(settings::MAX_AGE)?, seconds(settings::HELLO)?);
    let protocol: Protocol = on.setting(settings::TREE_PROTOCOL).value?;
    if !crate::check::tree::is_rapid(protocol) {
        return Some((age + 2 * delay, format!("max age of {age} s + 2 × forward delay of {delay} s")));
    }
    if on.platform(platform::RAPID_WITHOUT_EDGE, "classic").ok()? {
        return Some((3 * hello + 2 * delay, format!("3 × hello of {hello} s + 2 × forward delay of {delay} s")));
    }
    Some((5 * hello, format!("3 × hello of {hello} s + 2 × hello")))
}

/// Names of ports that are told by number.
#[derive(Debug, Clone, Default)]
struct Named {
    names: Vec<Arc<str>>,
    numbers: FxHashMap<Arc<str>, u32>,
}

impl Named {
    fn number(&mut self, name: &str) -> u32 {
        if let Some(number) = self.numbers.get(name) {
            return *number;
        }
        let (number, copied) = (self.names.len() as u32, Arc::<str>::from(name));
        self.names.push(Arc::clone(&copied));
        self.numbers.insert(copied, number);
        number
    }

    /// The one copy of a name.
    fn shared(&mut self, name: &str) -> Arc<str> {
        let number = self.number(name);
        Arc::clone(&self.names[number as usize])
    }
}

fn pinned(on: SwitchView<'_>, named: &mut Named) -> Box<[Pin]> {
    let mut pinned = Vec::new();
    for port in on.ports() {
        let kept = [settings::PINNED_STATIONS, settings::WRITTEN_STATIONS];
        let kept = kept.into_iter().filter_map(|key| port.setting(key).value.filter(|stations| !stations.is_empty()));
        for stations in kept {
            let (number, untagged) = (named.number(port.name()), port.untagged().ok().and_then(|u| u.vlan));
            let vlan = |station: &Station| station.vlan.or(untagged).map_or(0, VlanId::get);
            pinned.extend(stations.iter().map(|s| Pin { station: s.address, vlan: vlan(s), port: number }));
        }
    }
    pinned.into()
}

/// Where the table hears stations that are pinned on this switch, or would be on another.
fn heard(on: SwitchView<'_>, named: &mut Named) -> Box<[(StationAddress, u32)]> {
    if on.is_too_old(facts::station::FACT) {
        return Box::default();
    }
    let is_edge = |port: Option<usize>| {
        let role = port.and_then(|port| on.policy().roles.get(on.assigned(port)?.role));
        !role.is_some_and(|role| role.faces.is_bridge())
    };
    let rows = on.switch().facts_placed(facts::station::FACT).filter(|(_, port)| is_edge(*port));
    let seen = rows.filter_map(|(row, _)| Some((row.get(facts::station::ADDRESS)?, row.port()?)));
    seen.map(|(station, port)| (station, named.number(port))).collect()
}

/// A value that a setting has, as its hash, and the first port that has it; in the order of the hashes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(in crate::check) struct Had {
    pub(in crate::check) value: u64,
    pub(in crate::check) port: Option<usize>,
}

/// What sisters are compared by: switch-wide settings under no role, settings of ports under their role's name.
fn had(on: SwitchView<'_>) -> BTreeMap<(Arc<str>, SettingId), Vec<Had>> {
    let name = on.switch().name();
    let mine = |s: &&crate::policy::Sisters| {
        let is_base = |path: &str| path.rsplit('/').next() == Some(&**name);
        s.switches.iter().any(|glob| glob.is_match(&**name)) || s.baseline.as_deref().is_some_and(is_base)
    };
    let groups: Vec<_> = on.policy().sisters.iter().filter(mine).collect();
    let mut had = BTreeMap::new();
    if groups.is_empty() {
        return had;
    }
    let taken_in = |id: &SettingId| groups.iter().any(|group| group.compares(*id));
    // What state tells is nobody's doing: a speed, a supply.
    let value = |port, id| hash(&on.switch().slot_by_hand(port, id).value);
    for id in SettingId::of(Scope::Switch).filter(taken_in) {
        had.insert(("".into(), id), vec![Had { value: value(None, id), port: None }]);
    }
    let mut by_role: BTreeMap<Arc<str>, Vec<usize>> = BTreeMap::new();
    for port in on.ports() {
        if let Ok(role) = port.role() {
            by_role.entry(role.name.as_str().into()).or_default().push(port.port());
        }
    }
    for (role, ports) in by_role {
        for id in SettingId::of(Scope::Port).filter(taken_in) {
            let of_port = |port: &usize| Had { value: value(Some(*port), id), port: Some(*port) };
            let mut values: Vec<Had> = ports.iter().map(of_port).collect();
            values.sort_unstable();
            values.dedup_by_key(|had| had.value);
            had.insert((Arc::clone(&role), id), values);
        }
    }
    had
}

fn hash<T: std::fmt::Debug>(value: &T) -> u64 {
    let mut hasher = DefaultHasher::new();
    format!("{value:?}").hash(&mut hasher);
    hasher.finish()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn vlan(number: u32) -> VlanId {
        VlanId::new(number.into()).unwrap()
    }

    fn digest(switch: &str, snooped: &[u32], last: u32) -> Digest {
        let serves = Serves {
            snooped: Some(Arc::new(snooped.iter().map(|number| vlan(*number)).collect())),
            inspected: None,
            edge_vlans: FewVlans::default(),
            used_vlans: (&[vlan(last)].into_iter().collect::<VlanSet>()).into(),
            multicast: None,
            queriers: BTreeMap::new(),
            memberships: Arc::from([(vlan(last), 260)]),
            filters: Some(true),
            relay_info: None,
            reopens: Some(Arc::new((50, "so".to_owned()))),
        };
        Digest {
            switch: switch.into(),
            configured: Some(switch.into()),
            ports: Box::default(),
            ends: Box::default(),
            servers: Box::default(),
            serves: Arc::new(serves),
            heard_queriers: Box::default(),
            names: Box::default(),
            pinned: Box::default(),
            heard: Box::default(),
            settings: BTreeMap::new(),
            foreseen: Vec::new(),
        }
    }

    /// What many switches serve is kept once, and in memory of its own; one that serves something else keeps what is its own.
    #[test]
    fn what_is_served_alike_is_kept_once() {
        let made = [
            digest("a", &[110, 120], 110),
            digest("b", &[110, 120], 110),
            digest("c", &[110, 120], 120),
            digest("d", &[], 110),
        ];
        let all: Digests = made.iter().cloned().collect();
        assert!(Arc::ptr_eq(&all[0].serves, &all[1].serves));
        for (kept, made) in all.iter().zip(&made) {
            assert_eq!(kept.serves, made.serves, "{}", kept.switch);
            assert!(!Arc::ptr_eq(&kept.serves, &made.serves), "{}", kept.switch);
        }
        let set = |at: usize| all[at].serves.snooped.as_ref().unwrap();
        assert!(Arc::ptr_eq(set(0), set(2)), "equal sets are one set");
        assert_ne!(set(0), set(3));
        assert_eq!((all.serves.len(), all.sets.len()), (3, 2));
        assert!(Arc::ptr_eq(&all[2].switch, all[2].configured.as_ref().unwrap()), "a name that is said twice is one");
    }
}
