//! The ways from clients to the authorised servers: trusted all along, and nowhere else.

use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;

use crate::check::fleet::{At, Digest, Joined, port};
use crate::check::{Aim, Check, FleetJudgement, FleetView, FleetViolation, Repair, Run, Violation};
use crate::model::{RelayInfo, VlanId, VlanSet, settings};
use crate::policy::{DhcpServer, Level};

const NEEDS: &[&str] = &["dhcp-snooping.vlans", "dhcp-snooping.trusted", "links", "policy: dhcp-server"];
const USES: &[&str] = &["neighbour", "port.tagged-vlans", "port.native-vlan"];

pub(super) const UPLINK_UNTRUSTED: Check = Check {
    id: "dhcp-snooping/uplink-untrusted",
    title: "a port on the way to an authorised server is not trusted",
    level: Level::Breach,
    needs: NEEDS,
    uses: USES,
    policy: &["dhcp-server", "link"],
    reference: "RFC 2131",
    why: "The real server's answers are dropped here. Whoever's lease runs out is off the network, one after the other.",
    remedy: "Trust this port: the server of VLAN {vlans} is behind it.",
    repair: Repair::Set(&[(settings::SNOOPING_TRUSTED.id, Aim::On)]),
    run: Run::Fleet(uplink_untrusted),
    ..Check::ROW
};

pub(super) const NO_PATH: Check = Check {
    id: "dhcp-snooping/no-path",
    title: "no trusted way leads from a covered VLAN to any authorised server",
    level: Level::Breach,
    needs: NEEDS,
    uses: USES,
    policy: &["dhcp-server", "link"],
    reference: "RFC 2131",
    why: "Clients of the VLAN ask, and no answer that is allowed can reach them.",
    remedy: "Trust the ports from here to the server, or carry VLAN {vlan} all the way.",
    run: Run::Fleet(no_path),
    ..Check::ROW
};

pub(super) const TRUST_NEEDLESS: Check = Check {
    id: "dhcp-snooping/trust-needless",
    title: "a port towards a bridge is trusted and on no way to a server",
    level: Level::Risk,
    needs: NEEDS,
    uses: USES,
    policy: &["dhcp-server", "link"],
    reference: "RFC 2131",
    why: "Whatever answers behind it is believed, and no authorised server is there.",
    remedy: "Take the trust off the port.",
    repair: Repair::Set(&[(settings::SNOOPING_TRUSTED.id, Aim::Off)]),
    run: Run::Fleet(trust_needless),
    ..Check::ROW
};

pub(super) const RELAY_INFO_REFUSED: Check = Check {
    id: "dhcp-snooping/relay-info-refused",
    title: "relay information is inserted towards a port that refuses it",
    level: Level::Breach,
    needs: &["dhcp-snooping.relay-info", "dhcp-snooping.relay-info-accepted", "dhcp-snooping.trusted", "links"],
    uses: &["dhcp-snooping.vlans"],
    policy: &["dhcp-server", "link"],
    reference: "RFC 3046, 2.1",
    why: "Client messages with relay information and no relay's address are dropped on an untrusted port: everybody \
          on the switch below is cut off.",
    remedy: "Accept relay information here, or have {other} leave it out.",
    repair: Repair::Set(&[(settings::RELAY_ACCEPTED.id, Aim::On)]),
    run: Run::Fleet(relay_info_refused),
    ..Check::ROW
};

/// A server: the switch it is on, and the port; none: the switch itself.
type Place = (usize, Option<usize>);

/// The authorised servers of VLANs, each VLAN looked at once.
struct Servers<'f, 'a> {
    fleet: &'f FleetView<'a>,
    of_vlan: BTreeMap<VlanId, Rc<OfVlan>>,
}

/// What a VLAN joins, and the servers that it has.
struct OfVlan {
    joined: Rc<Joined>,
    /// Whether there are any, wherever they are.
    any: bool,
    /// By what is joined: those in it.
    within: BTreeMap<u32, Vec<Place>>,
}

impl<'f, 'a> Servers<'f, 'a> {
    fn of(fleet: &'f FleetView<'a>) -> Self {
        Self { fleet, of_vlan: BTreeMap::new() }
    }

    fn vlan(&mut self, vlan: VlanId) -> Rc<OfVlan> {
        let fleet = self.fleet;
        let look = || {
            let joined = fleet.links().joined(fleet.switches, vlan);
            let serves = |server: &DhcpServer| server.vlans.is_empty() || server.vlans.contains(vlan);
            let mut within: BTreeMap<u32, Vec<Place>> = BTreeMap::new();
            for number in fleet.with_servers() {
                let here = fleet.switches[number].servers.iter();
                let here = here.filter(|(entry, _)| serves(&fleet.policy.dhcp_servers[*entry]));
                within.entry(joined.group(number)).or_default().extend(here.map(|(_, port)| (number, *port)));
            }
            within.retain(|_, servers| !servers.is_empty());
            Rc::new(OfVlan { any: !within.is_empty(), within, joined })
        };
        Rc::clone(self.of_vlan.entry(vlan).or_insert_with(look))
    }
}

impl OfVlan {
    /// Those that something leads to from a switch.
    fn from(&self, switch: usize) -> &[Place] {
        self.within.get(&self.joined.group(switch)).map_or(&[], Vec::as_slice)
    }
}

/// The VLANs of a switch that matter: covered by snooping, and with clients or a way on.
fn covered(digest: &Digest) -> Option<VlanSet> {
    let snooped = digest.serves.snooped.as_ref()?;
    let mut there = digest.serves.edge_vlans.to_set();
    for port in &digest.ports {
        if let Some(tagged) = port.tagged.as_ref().filter(|set| !set.is_all()) {
            there = there.union(tagged);
        }
        port.native().iter().for_each(|vlan| there.insert(*vlan));
    }
    Some(there.common(snooped))
}

/// The ports of a switch through which a server of a VLAN is nearest; empty: no way is known.
fn exits(fleet: &FleetView<'_>, switch: usize, vlan: VlanId, joined: &Joined, server: Place) -> Vec<At> {
    if server.0 == switch {
        return server.1.map(|port| (switch, port)).into_iter().collect();
    }
    let Some(distance) = joined.distance(switch, server.0) else { return Vec::new() };
    let nearer = |next: usize| joined.distance(next, server.0) == Some(distance - 1);
    let carrying = fleet.links().carrying(fleet.switches, switch, vlan);
    carrying.filter(|(_, (next, _))| nearer(*next)).map(|(exit, _)| exit).collect()
}

/// Each covered VLAN of each switch, with the servers there are for it.
fn each_covered(
    fleet: &FleetView<'_>,
    judgement: &mut FleetJudgement,
    mut look: impl FnMut(usize, VlanId, &OfVlan, &mut FleetJudgement),
) {
    let mut servers = Servers::of(fleet);
    for (number, digest) in fleet.switches.iter().enumerate() {
        let Some(covered) = covered(digest) else {
            judgement.unknown.push(("dhcp-snooping.vlans", fleet.related_switch(number)));
            continue;
        };
        if !covered.is_empty() && fleet.policy.dhcp_servers.is_empty() {
            judgement.unknown.push(("policy: dhcp-server", fleet.related_switch(number)));
            continue;
        }
        for vlan in covered.iter() {
            look(number, vlan, &servers.vlan(vlan), judgement);
        }
    }
}

fn uplink_untrusted(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    let mut cut: BTreeMap<At, VlanSet> = BTreeMap::new();
    each_covered(fleet, &mut judgement, |switch, vlan, servers, judgement| {
        for server in servers.from(switch) {
            let exits = exits(fleet, switch, vlan, &servers.joined, *server);
            let trust: Vec<Option<bool>> = exits.iter().map(|at| port(fleet.switches, *at).trusted).collect();
            if trust.contains(&Some(true)) {
                continue;
            }
            match (exits.first(), trust.contains(&None)) {
                (Some(first), false) => cut.entry(*first).or_default().insert(vlan),
                (Some(first), true) => judgement.unknown.push(("dhcp-snooping.trusted", fleet.related(*first))),
                (None, _) => {}
            }
        }
    });
    for (at, vlans) in cut {
        let says = "the port is on the way to the server of VLAN {vlans}, and not trusted: its answers are dropped";
        let violation = Violation::of(settings::SNOOPING_TRUSTED.id, says).fact("vlans", vlans.to_string());
        let server =
            fleet.policy.dhcp_servers.iter().find(|s| s.vlans.is_empty() || !s.vlans.common(&vlans).is_empty());
        let violation = violation.beside(settings::SNOOPING_VLANS.id).vlan(vlans.single());
        let violation = server.map_or_else(|| violation.clone(), |server| violation.clone().demand(&server.cite));
        judgement.violations.push(FleetViolation::at(fleet.related(at), violation));
    }
    judgement
}

/// Follows the way to a server: the port where trust ends, or that no way is known.
enum Way {
    Trusted,
    Breaks(At),
    Unknown(&'static str, At),
    None,
}

fn way(fleet: &FleetView<'_>, from: usize, vlan: VlanId, joined: &Joined, server: Place) -> Way {
    let mut switch = from;
    let mut seen: BTreeSet<usize> = BTreeSet::new();
    while seen.insert(switch) {
        let snoops = fleet.switches[switch].serves.snooped.as_ref().map(|set| set.contains(vlan));
        let exits = exits(fleet, switch, vlan, joined, server);
        let Some(first) = exits.first().copied() else {
            return if switch == server.0 { Way::Trusted } else { Way::None };
        };
        let trusted = exits.iter().copied().find(|at| port(fleet.switches, *at).trusted == Some(true));
        let next = match (snoops, trusted) {
            (Some(false), _) => first,
            (_, Some(at)) => at,
            (Some(true), None) if exits.iter().any(|at| port(fleet.switches, *at).trusted.is_none()) => {
                return Way::Unknown("dhcp-snooping.trusted", first);
            }
            (Some(true), None) => return Way::Breaks(first),
            (None, None) => return Way::Unknown("dhcp-snooping.vlans", first),
        };
        if switch == server.0 {
            return Way::Trusted;
        }
        let Some(peer) = fleet.links().peer(next) else { return Way::None };
        switch = peer.0;
    }
    Way::None
}

fn no_path(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    let mut found: Vec<FleetViolation> = Vec::new();
    each_covered(fleet, &mut judgement, |switch, vlan, servers, judgement| {
        if !fleet.switches[switch].serves.edge_vlans.contains(vlan) {
            return;
        }
        // To those that nothing leads to there is none.
        let there = servers.from(switch).iter();
        let ways: Vec<Way> = there.map(|server| way(fleet, switch, vlan, &servers.joined, *server)).collect();
        if ways.iter().any(|way| matches!(way, Way::Trusted)) {
            return;
        }
        if let Some(Way::Unknown(needs, at)) = ways.iter().find(|way| matches!(way, Way::Unknown(..))) {
            judgement.unknown.push((needs, fleet.related(*at)));
            return;
        }
        let breaks = ways.iter().find_map(|way| if let Way::Breaks(at) = way { Some(*at) } else { None });
        // A cable that nobody lists may be the way.
        let open = fleet.links().open_end(fleet.switches, switch, vlan);
        if let Some(open) = open.filter(|_| breaks.is_none() && servers.any) {
            judgement.unknown.push(("links", fleet.related(open)));
            return;
        }
        let violation = Violation::of(
            settings::SNOOPING_VLANS.id,
            match (breaks, !servers.any) {
                (Some(_), _) => "from VLAN {vlan} no trusted way leads to an authorised server: trust ends at {where}",
                (None, true) => "VLAN {vlan} is covered, and the policy names no server for it",
                (None, false) => "from VLAN {vlan} no way leads to an authorised server: nothing carries it there",
            },
        );
        let place = breaks.map(|at| fleet.related(at));
        let told = place.as_ref().map(|r| format!("{} {}", r.switch, r.port.as_deref().unwrap_or_default()));
        let violation = violation
            .fact("vlan", u32::from(vlan.get()))
            .fact("where", told.unwrap_or_default())
            .vlan(Some(vlan))
            .related(place.clone().into_iter().collect());
        let mut violation = FleetViolation::at(fleet.related_switch(switch), violation);
        violation.beside = place.into_iter().map(|place| (place, settings::SNOOPING_TRUSTED.id)).collect();
        found.push(violation);
    });
    judgement.violations = found;
    judgement
}

fn trust_needless(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    if fleet.policy.dhcp_servers.is_empty() {
        return judgement;
    }
    // Where a VLAN goes on, nobody knows where to.
    let mut ends: BTreeMap<VlanId, Vec<u32>> = BTreeMap::new();
    let mut servers = Servers::of(fleet);
    for (number, digest) in fleet.switches.iter().enumerate() {
        let Some(covered) = covered(digest).filter(|set| !set.is_empty()) else { continue };
        for (index, there) in digest.ports.iter().enumerate() {
            let at = (number, index);
            if there.trusted != Some(true) || !there.faces.is_some_and(crate::policy::Faces::is_bridge) {
                continue;
            }
            let Some((peer, _)) = fleet.links().peer(at) else {
                judgement.unknown.push(("links", fleet.related(at)));
                continue;
            };
            let own = digest.servers.iter().any(|(_, port)| *port == Some(index));
            let mut carried = covered.iter().filter(|vlan| there.carries(*vlan)).map(|vlan| (vlan, servers.vlan(vlan)));
            let leads = carried.any(|(_, of)| {
                let behind = of.joined.behind(peer, number);
                of.from(peer).iter().any(|(server, _)| of.joined.is_behind(&behind, *server))
            });
            if leads || own {
                continue;
            }
            // Behind a cable that nobody lists a server may be.
            let open = covered.iter().filter(|vlan| there.carries(*vlan)).any(|vlan| {
                let joined = fleet.links().joined(fleet.switches, vlan);
                let counts = ends.entry(vlan).or_insert_with(|| {
                    joined.counts(|switch| fleet.links().open_end(fleet.switches, switch, vlan).is_some())
                });
                joined.behind(peer, number).count(counts) > 0
            });
            if open {
                judgement.unknown.push(("links", fleet.related(at)));
                continue;
            }
            let says = "the port is trusted, and no authorised server is behind it";
            let violation = Violation::of(settings::SNOOPING_TRUSTED.id, says);
            judgement.violations.push(FleetViolation::at(fleet.related(at), violation));
        }
    }
    judgement
}

fn relay_info_refused(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    let mut servers = Servers::of(fleet);
    for (number, digest) in fleet.switches.iter().enumerate() {
        let Some(covered) = covered(digest).filter(|set| !set.is_empty()) else { continue };
        match digest.serves.relay_info {
            Some(RelayInfo::Insert | RelayInfo::Replace) => {}
            Some(_) => continue,
            None => {
                judgement.unknown.push(("dhcp-snooping.relay-info", fleet.related_switch(number)));
                continue;
            }
        }
        let ways = covered.iter().flat_map(|vlan| {
            let of = servers.vlan(vlan);
            let exits = |server: &Place| exits(fleet, number, vlan, &of.joined, *server);
            let all: Vec<At> = of.from(number).iter().flat_map(exits).collect();
            all.into_iter().map(move |exit| (exit, vlan))
        });
        let mut refused: BTreeMap<At, (At, VlanSet)> = BTreeMap::new();
        for (exit, vlan) in ways {
            let Some(peer) = fleet.links().peer(exit) else { continue };
            let there = port(fleet.switches, peer);
            let snoops = fleet.switches[peer.0].serves.snooped.as_ref().is_some_and(|set| set.contains(vlan));
            match (snoops, there.trusted, there.relay_accepted) {
                (true, Some(false), Some(false)) => {
                    refused.entry(peer).or_insert((exit, VlanSet::default())).1.insert(vlan);
                }
                (true, None, Some(false)) => judgement.unknown.push(("dhcp-snooping.trusted", fleet.related(peer))),
                (true, Some(false), None) => {
                    judgement.unknown.push(("dhcp-snooping.relay-info-accepted", fleet.related(peer)));
                }
                _ => {}
            }
        }
        for (peer, (exit, vlans)) in refused {
            let from = fleet.related(exit);
            let says =
                "{other} inserts relay information in VLAN {vlans}, and this untrusted port drops what carries it";
            let violation = Violation::of(settings::RELAY_ACCEPTED.id, says)
                .beside(settings::SNOOPING_TRUSTED.id)
                .fact("other", &*from.switch)
                .fact("vlans", vlans.to_string())
                .related(vec![from.clone()]);
            let mut found = FleetViolation::at(fleet.related(peer), violation);
            found.beside = vec![(from, settings::RELAY_INFO.id)];
            judgement.violations.push(found);
        }
    }
    judgement
}
