//! What statements have written, before platform defaults: of ports, profiles, VLANs, mirror sessions and the switch.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::dialect::{Dialect, Reach};
use crate::model::{Mark, PortSlots, SettingId, Slot, VlanId};

/// A global default, with how far it reaches. Later ones stand behind earlier ones.
#[derive(Debug, Clone)]
pub(in crate::resolve) struct Global {
    pub(in crate::resolve) reach: Reach,
    pub(in crate::resolve) slot: Slot,
}

/// A profile by kind and name.
pub(in crate::resolve) type ProfileName = (Arc<str>, Arc<str>);

/// What a profile's lines say.
#[derive(Debug, Clone, Default)]
pub(in crate::resolve) struct Profile {
    pub(in crate::resolve) slots: BTreeMap<SettingId, Slot>,
    pub(in crate::resolve) implied: BTreeMap<SettingId, Slot>,
    /// The profiles it builds on, in the order written.
    pub(in crate::resolve) on: Vec<ProfileName>,
}

/// What the text says, before platform defaults.
#[derive(Debug, Clone, Default)]
pub(in crate::resolve) struct Written {
    /// The settings of the ports' own lines.
    pub(in crate::resolve) ports: PortSlots,
    /// Settings of ports that were written and taken back at least once.
    pub(in crate::resolve) taken_back: Vec<(usize, SettingId)>,
    /// What a port's lines imply: port and setting.
    pub(in crate::resolve) implied: BTreeMap<(usize, SettingId), Slot>,
    /// Per port, the profiles it uses, in the order written.
    pub(in crate::resolve) uses: BTreeMap<usize, Vec<ProfileName>>,
    pub(in crate::resolve) profiles: BTreeMap<ProfileName, Profile>,
    /// The line that uses a profile first.
    pub(in crate::resolve) used_in: BTreeMap<ProfileName, Mark>,
    /// Per setting of ports, the global defaults.
    pub(in crate::resolve) globals: Vec<Vec<Global>>,
    pub(in crate::resolve) switch: Vec<Slot>,
    pub(in crate::resolve) vlans: BTreeMap<(VlanId, SettingId), Slot>,
    pub(in crate::resolve) vlan_globals: BTreeMap<SettingId, Slot>,
    pub(in crate::resolve) mirrors: BTreeMap<(Arc<str>, SettingId), Slot>,
    /// What came of each statement about the watched setting, with the port, where it is about one.
    pub(in crate::resolve) history: Vec<(Option<usize>, Slot)>,
}

/// The slot of a port after its profiles, and the lines the profiles took it from: for the layers put together.
pub(in crate::resolve) fn from_profiles(
    dialect: &Dialect,
    written: &Written,
    port: usize,
    setting: SettingId,
) -> (Option<Slot>, Option<Slot>) {
    let mut result = (None, None);
    let mut seen: Vec<&ProfileName> = Vec::new();
    if let Some(used) = written.uses.get(&port) {
        let counting = if dialect.precedence().last_profile { 1 } else { used.len() };
        for name in used.iter().rev().take(counting) {
            look_up(written, name, setting, &mut seen, &mut result);
        }
    }
    result
}

/// A profile's own lines come before those of what it builds on; the later of two before the earlier.
fn look_up<'w>(
    written: &'w Written,
    name: &'w ProfileName,
    setting: SettingId,
    seen: &mut Vec<&'w ProfileName>,
    result: &mut (Option<Slot>, Option<Slot>),
) {
    if seen.contains(&name) || seen.len() > 256 {
        return;
    }
    seen.push(name);
    let Some(profile) = written.profiles.get(name) else { return };
    let own = |slots: &BTreeMap<SettingId, Slot>| slots.get(&setting).filter(|slot| !slot.is_unset()).cloned();
    result.0 = result.0.take().or_else(|| own(&profile.slots));
    result.1 = result.1.take().or_else(|| own(&profile.implied));
    for on in profile.on.iter().rev() {
        look_up(written, on, setting, seen, result);
    }
}

/// Where a mark is wanted for a value that several lines make together.
pub(in crate::resolve) fn later(a: Option<Mark>, b: Option<Mark>) -> Option<Mark> {
    a.max(b)
}
