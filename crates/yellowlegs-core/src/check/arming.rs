//! Features with several switches that must all be thrown: a global one, one for each VLAN, sometimes more.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::{Case, Mending, SwitchView, Tally, Unknown, Violation};
use crate::finding::Related;
use crate::model::{Key, Mode, PortName, Scope, SettingId, TraitId, Value, VlanId, VlanSet, settings};
use crate::policy::{Feature, Purpose};

/// The switches of one feature.
#[derive(Clone, Copy)]
pub(super) struct Switches {
    /// Which of them the platform needs.
    pub(super) needed: TraitId,
    /// The one for the whole switch.
    pub(super) global: Key<bool>,
    /// The VLANs it is thrown for.
    pub(super) vlans: Key<Arc<VlanSet>>,
    /// What means nothing without the feature.
    pub(super) parameters: &'static [SettingId],
}

/// How far a feature is switched on.
pub(super) enum Arming {
    /// Everything it needs is thrown.
    Armed,
    /// Something is, and this is not.
    Half { missing: SettingId, given: Vec<SettingId> },
    /// Nothing is.
    Off,
}

impl SwitchView<'_> {
    /// How far a feature is switched on.
    pub(super) fn arming(&self, of: Switches) -> Result<Arming, Unknown> {
        let needs_global = self.platform(of.needed, "global")?;
        let needs_vlans = self.platform(of.needed, "vlan")?;
        let global = self.slot(of.global.id).value == Some(Value::Flag(true));
        if needs_global {
            self.known(of.global)?;
        }
        let vlans = needs_vlans && !self.known(of.vlans)?.is_empty();
        let missing = if needs_global && !global {
            of.global.id
        } else if needs_vlans && !vlans {
            of.vlans.id
        } else {
            return Ok(Arming::Armed);
        };
        let mut given: Vec<SettingId> = Vec::new();
        // What the platform throws by itself nobody has set.
        let thrown = [of.global.id, of.vlans.id].into_iter().chain(of.parameters.iter().copied());
        given.extend(thrown.clone().filter(|id| self.is_written(*id)));
        // What nobody understands may have given one.
        if let Some(id) = thrown.into_iter().find(|id| given.is_empty() && self.may_be_written(*id)) {
            return Err(Unknown::fact(id.name()));
        }
        Ok(if given.is_empty() { Arming::Off } else { Arming::Half { missing, given } })
    }

    /// Whether a feature acts at all.
    pub(super) fn is_armed(&self, of: Switches) -> Result<bool, Unknown> {
        Ok(matches!(self.arming(of)?, Arming::Armed))
    }

    /// Whether some line gives a parameter a value that means something.
    pub(super) fn is_written(&self, id: SettingId) -> bool {
        let says = |value: &Option<Value>| match value {
            None | Some(Value::Flag(false) | Value::Rate(None)) => false,
            Some(Value::Vlans(vlans)) => !vlans.is_empty(),
            Some(_) => true,
        };
        let switch = self.switch();
        match id.info().scope {
            Scope::Port => self.ports_unlike_in(id).any(|port| {
                let slot = port.slot(id);
                slot.origin.is_written() && says(&slot.value)
            }),
            _ => {
                let slot = switch.slot(None, id);
                slot.origin.is_written() && says(&slot.value)
            }
        }
    }

    /// Whether a line that nobody understands may give a parameter a value.
    fn may_be_written(&self, id: SettingId) -> bool {
        match id.info().scope {
            Scope::Port => self.ports_unlike_in(id).any(|port| port.slot(id).is_doubtful()),
            _ => self.slot(id).is_doubtful(),
        }
    }

    /// The VLANs that edge ports use whose role wants a feature, each with the first such port. What is not known
    /// of ports goes into the tally, where it matters: `covered` holds the VLANs that need no further look.
    pub(super) fn edge_vlans(&self, feature: Feature, covered: &VlanSet, tally: &mut Tally) -> BTreeMap<VlanId, usize> {
        let mut used: BTreeMap<VlanId, usize> = BTreeMap::new();
        // Most ports are in a VLAN that another is in: whether it is looked at is asked once.
        let (mut asked, mut wanted) = (VlanSet::default(), VlanSet::default());
        for port in self.unlike_ports() {
            let role = match port.role() {
                Ok(role) if role.faces.is_edge() && role.expect.wants(feature) => Some(role),
                Ok(_) => continue,
                Err(_) => None,
            };
            let (few, many) = match port.parts_used_by_edge() {
                Ok(vlans) => vlans,
                // Whatever it is for, it may be in any VLAN.
                Err(unknown) => {
                    tally.add(Err(unknown));
                    continue;
                }
            };
            let vlans = few.into_iter().flatten().chain(many.iter().flat_map(VlanSet::iter));
            for vlan in vlans {
                if !asked.contains(vlan) {
                    asked.insert(vlan);
                    if !covered.contains(vlan) && self.has_users(vlan) {
                        wanted.insert(vlan);
                    }
                }
                if !wanted.contains(vlan) {
                    continue;
                }
                match role {
                    Some(_) => _ = used.entry(vlan).or_insert(port.port()),
                    None => tally.add(Err(Unknown::fact("role"))),
                }
            }
        }
        used
    }

    /// Whether a VLAN is none of those with nobody in them.
    fn has_users(&self, vlan: VlanId) -> bool {
        let purpose = self.site_vlan(vlan).and_then(|v| v.purpose);
        !matches!(purpose, Some(Purpose::Parking | Purpose::Native))
    }

    /// A port, as others name it.
    pub(super) fn related(&self, port: usize) -> Related {
        let switch = self.switch();
        Related { switch: Arc::clone(switch.name()), port: switch.ports().get(port).map(PortName::shared) }
    }
}

impl super::PortView<'_> {
    /// The VLANs an edge port uses: untagged, voice, and of its tagged ones those its role may use.
    pub(super) fn used_by_edge(&self) -> Result<VlanSet, Unknown> {
        let mut used = VlanSet::default();
        self.add_used_by_edge(&mut used)?;
        Ok(used)
    }

    /// Adds them to others.
    #[inline]
    pub(super) fn add_used_by_edge(&self, all: &mut VlanSet) -> Result<(), Unknown> {
        let (few, many) = self.parts_used_by_edge()?;
        few.into_iter().flatten().for_each(|vlan| all.insert(vlan));
        many.into_iter().for_each(|many| *all = all.union(&many));
        Ok(())
    }

    /// The same as those that most ports have, the untagged and the voice VLAN, and of a trunk the others.
    fn parts_used_by_edge(&self) -> Result<([Option<VlanId>; 2], Option<VlanSet>), Unknown> {
        if self.mode()? != Mode::Trunk {
            return Ok(([self.known(settings::ACCESS_VLAN)?, self.known(settings::VOICE_VLAN)?], None));
        }
        let meant = self.role().map(crate::policy::Role::may_use).unwrap_or_default();
        let untagged = self.known(settings::NATIVE_VLAN)?;
        Ok(([untagged, None], Some(self.known(settings::TAGGED_VLANS)?.common(&meant))))
    }
}

/// The sentence's words for what is given.
pub(super) fn named(ids: &[SettingId]) -> String {
    ids.iter().map(|id| id.name()).collect::<Vec<_>>().join(", ")
}

/// A violation of a feature that is half switched on.
pub(super) fn half(says: &'static str, missing: SettingId, given: Vec<SettingId>) -> Violation {
    let violation = Violation::of(missing, says).fact("given", named(&given)).fact("missing", missing.name());
    let of_switch = |id: &SettingId| id.info().scope == Scope::Switch;
    given.into_iter().filter(of_switch).fold(violation, Violation::beside)
}

/// DHCP snooping's switches.
pub(super) const SNOOPING: Switches = Switches {
    needed: crate::model::platform::SNOOPING_SWITCHES,
    global: settings::SNOOPING,
    vlans: settings::SNOOPING_VLANS,
    parameters: &[
        settings::SNOOPING_TRUSTED.id,
        settings::SNOOPING_RATE.id,
        settings::RELAY_ACCEPTED.id,
        settings::ADDRESS_CHECK.id,
        settings::RELAY_INFO.id,
        settings::SNOOPING_STORE.id,
        settings::STORE_DELAY.id,
    ],
};

/// ARP inspection's switches.
pub(super) const INSPECTION: Switches = Switches {
    needed: crate::model::platform::INSPECTION_SWITCHES,
    global: settings::INSPECTION,
    vlans: settings::INSPECTION_VLANS,
    parameters: &[],
};

/// Multicast snooping's switches; its filter is looked at apart.
pub(super) const MULTICAST: Switches = Switches {
    needed: crate::model::platform::MULTICAST_SWITCHES,
    global: settings::MULTICAST,
    vlans: settings::MULTICAST_VLANS,
    parameters: &[
        settings::FAST_LEAVE.id,
        settings::ROUTER_PORT.id,
        settings::FORWARD_ALL.id,
        settings::QUERIER_ADDRESS.id,
    ],
};

/// Everything thrown that a feature needs, for these VLANs.
pub(super) fn throw(case: &Case<'_>, of: Switches, vlans: &VlanSet) -> Mending {
    let Some(on) = case.on else { return Mending::Person };
    let (wanted, vlans) = (!vlans.is_empty(), case.with_users(vlans));
    // Of a VLAN that nobody knows somebody says first what it is.
    if wanted && vlans.is_empty() {
        return Mending::Person;
    }
    let needs = |word: &str| on.platform(of.needed, word).unwrap_or(true);
    let for_vlans = (needs("vlan") && !vlans.is_empty()).then(|| case.with(of.vlans.id, vlans.clone())).flatten();
    let global = needs("global").then(|| case.flag(of.global.id, true)).flatten();
    // Where all that is thrown already, it is about one that nobody knows.
    let switch = on.switch();
    let is_on = global.is_none() || switch.setting(None, of.global).value == Some(true);
    let has_all = |covered: Arc<VlanSet>| vlans.minus(&covered).is_empty();
    if wanted && is_on && (for_vlans.is_none() || switch.setting(None, of.vlans).value.is_some_and(has_all)) {
        return Mending::Person;
    }
    Mending::of(for_vlans.into_iter().chain(global))
}

/// A feature for the VLANs that a finding is about.
pub(super) fn cover(case: &Case<'_>, vlans: SettingId) -> Mending {
    let vlan: VlanSet = case.vlan().into_iter().collect();
    let known = case.with_users(&vlan);
    Mending::of((!known.is_empty()).then(|| case.with(vlans, known)).flatten())
}

/// The VLANs that edge ports use whose role wants a feature.
pub(super) fn used_by_edges(case: &Case<'_>, feature: Feature) -> VlanSet {
    let used = |on: SwitchView<'_>| on.edge_vlans(feature, &VlanSet::default(), &mut Tally::default());
    case.on.map(|on| used(on).into_keys().collect()).unwrap_or_default()
}
