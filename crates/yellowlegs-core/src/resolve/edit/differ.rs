//! In which settings two readings of a switch differ.

use std::sync::Arc;

use super::About;
use crate::model::{Scope, SettingId, Switch, VlanId};
use crate::resolve::Resolved;

/// The settings that two readings of one switch differ in, or two switches of the same ports.
pub fn differences(before: &Resolved, after: &Resolved) -> Vec<(About, SettingId)> {
    let mut found = Vec::new();
    for id in SettingId::of(Scope::Switch) {
        if before.switch.slot_by_hand(None, id).value != after.switch.slot_by_hand(None, id).value {
            found.push((About::Switch, id));
        }
    }
    ports(before, after, &mut found);
    let mut compare = |about: About, scope: Scope| {
        for id in SettingId::of(scope) {
            if before.slot_by_hand(&about, id).value != after.slot_by_hand(&about, id).value {
                found.push((about.clone(), id));
            }
        }
    };
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

/// The same of ports: those of the one, then those that only the other has. Most have the same position in both.
fn ports(before: &Resolved, after: &Resolved, found: &mut Vec<(About, SettingId)>) {
    let (one, other) = (&before.switch, &after.switch);
    let mut compare = |name: &str, here: Option<usize>, there: Option<usize>| {
        for id in SettingId::of(Scope::Port) {
            let value = |switch: &'_ Switch, port: Option<usize>| match port {
                Some(port) => switch.slot_by_hand(Some(port), id).value.clone(),
                None => None,
            };
            let same = match (here, there) {
                (Some(here), Some(there)) => {
                    one.slot_by_hand(Some(here), id).value == other.slot_by_hand(Some(there), id).value
                }
                _ => value(one, here) == value(other, there),
            };
            if !same {
                found.push((About::Port(name.into()), id));
            }
        }
    };
    for (here, name) in one.ports().iter().enumerate() {
        let same_place = other.ports().get(here) == Some(name);
        compare(name.as_str(), Some(here), if same_place { Some(here) } else { other.port_index(name.as_str()) });
    }
    for (there, name) in other.ports().iter().enumerate() {
        let is_new = one.ports().get(there) != Some(name) && one.port_index(name.as_str()).is_none();
        if is_new {
            compare(name.as_str(), None, Some(there));
        }
    }
}
