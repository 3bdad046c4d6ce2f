//! In which settings two readings of a switch differ.

use std::sync::Arc;

use super::About;
use crate::model::{Scope, SettingId, VlanId};
use crate::resolve::Resolved;

/// The settings that two readings of one switch differ in, or two switches of the same ports.
pub fn differences(before: &Resolved, after: &Resolved) -> Vec<(About, SettingId)> {
    let mut found = Vec::new();
    let mut compare = |about: About, scope: Scope| {
        for id in SettingId::of(scope) {
            if before.slot_by_hand(&about, id).value != after.slot_by_hand(&about, id).value {
                found.push((about.clone(), id));
            }
        }
    };
    compare(About::Switch, Scope::Switch);
    let names = |r: &Resolved| r.switch.ports().iter().map(|p| Arc::from(p.as_str())).collect::<Vec<Arc<str>>>();
    let mut ports = names(before);
    ports.extend(names(after).into_iter().filter(|p| before.switch.port_index(p).is_none()));
    ports.into_iter().for_each(|port| compare(About::Port(port), Scope::Port));
    let vlans = |r: &Resolved| r.switch.vlan_slots.keys().map(|(v, _)| *v).collect::<Vec<_>>();
    let mut all: Vec<VlanId> = vlans(before).into_iter().chain(vlans(after)).collect();
    all.sort_unstable();
    all.dedup();
    all.into_iter().for_each(|vlan| compare(About::Vlan(vlan), Scope::Vlan));
    let mut mirrors: Vec<Arc<str>> =
        before.switch.mirrors().keys().chain(after.switch.mirrors().keys()).cloned().collect();
    mirrors.sort();
    mirrors.dedup();
    mirrors.into_iter().for_each(|name| compare(About::Mirror(name), Scope::Mirror));
    found
}
