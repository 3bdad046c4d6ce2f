//! In which settings two readings of a switch differ.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::About;
use crate::model::{Scope, SettingId, Switch, Value, VlanId, settings};
use crate::resolve::Resolved;
use crate::sorted;

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
    // Most changes are of ports alone.
    let (one, other) = (&before.switch, &after.switch);
    let by_hand = one.behind_state.is_empty() && other.behind_state.is_empty();
    if by_hand
        && one.vlan_slots == other.vlan_slots
        && one.vlan_defaults == other.vlan_defaults
        && one.mirrors == other.mirrors
    {
        return found;
    }
    let mut all: BTreeSet<VlanId> =
        sorted::tree_set(one.vlan_slots.keys().chain(other.vlan_slots.keys()).map(|(vlan, _)| *vlan));
    if one.vlan_defaults != other.vlan_defaults {
        // What is said of every VLAN is said of those of which nothing else is.
        let there = |switch: &Switch| switch.slot(None, settings::VLANS.id).value.clone();
        let there = [one, other].into_iter().filter_map(there);
        all.extend(
            there
                .filter_map(|vlans| if let Value::Vlans(vlans) = vlans { Some(vlans) } else { None })
                .flat_map(|vlans| vlans.iter().collect::<Vec<_>>()),
        );
    }
    all.into_iter().for_each(|vlan| compare(About::Vlan(vlan), Scope::Vlan));
    let mut mirrors: Vec<Arc<str>> =
        before.switch.mirrors().keys().chain(after.switch.mirrors().keys()).cloned().collect();
    sorted::plain(&mut mirrors);
    mirrors.dedup();
    mirrors.into_iter().for_each(|name| compare(About::Mirror(name), Scope::Mirror));
    found
}

/// The same of ports: those of the one, then those that only the other has.
fn ports(before: &Resolved, after: &Resolved, found: &mut Vec<(About, SettingId)>) {
    let (one, other) = (&before.switch, &after.switch);
    if one.ports() == other.ports() {
        // Two readings of one text, all but a few lines: most slots are the same.
        let unlike = one.port_slots.unlike(&other.port_slots).into_iter();
        let unlike = unlike.filter(|(port, id)| {
            one.slot_by_hand(Some(*port), *id).value != other.slot_by_hand(Some(*port), *id).value
        });
        found.extend(unlike.filter_map(|(port, id)| Some((About::Port(one.ports().get(port)?.as_str().into()), id))));
        return;
    }
    let mut compare = |name: &str, here: Option<usize>, there: Option<usize>| {
        let value = |switch: &'_ Switch, port: Option<usize>, id: SettingId| {
            port.and_then(|port| switch.slot_by_hand(Some(port), id).value.clone())
        };
        let unlike = SettingId::of(Scope::Port).filter(|id| value(one, here, *id) != value(other, there, *id));
        found.extend(unlike.map(|id| (About::Port(name.into()), id)));
    };
    for (here, name) in one.ports().iter().enumerate() {
        compare(name.as_str(), Some(here), other.port_index(name.as_str()));
    }
    for (there, name) in other.ports().iter().enumerate() {
        if one.port_index(name.as_str()).is_none() {
            compare(name.as_str(), None, Some(there));
        }
    }
}
