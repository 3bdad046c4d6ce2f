//! What differs between two switches, two readings of one, or the running configuration and the saved one.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use serde::Serialize;

use crate::finding::{Evidence, EvidenceKind, quote_slot};
use crate::model::{Choice, Fact, FactKind, PortName, SettingId, Slot, Switch, Value, VlanId, facts};
use crate::resolve::{About, Resolved, differences};
use crate::sorted;

/// A setting that differs, wherever it does so in the same way.
#[derive(Debug, Clone, Serialize)]
pub struct Unlike {
    /// Which.
    pub setting: &'static str,
    /// Its value on the one side; none: unknown, or not there.
    pub a: Option<Value>,
    /// And on the other.
    pub b: Option<Value>,
    /// The ports, in natural order; none for a setting of the switch, of VLANs or of mirror sessions.
    pub ports: Vec<String>,
    /// The VLANs.
    pub vlans: Vec<u16>,
    /// The mirror sessions.
    pub mirrors: Vec<String>,
    /// What decides on the one side, at the first of these places.
    pub evidence_a: Vec<Evidence>,
    /// And on the other.
    pub evidence_b: Vec<Evidence>,
}

/// Something that the network says otherwise.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct StateUnlike {
    /// What: link, stations, neighbours, bindings.
    pub what: &'static str,
    /// On one side.
    pub a: String,
    /// On the other.
    pub b: String,
    /// The ports where it is so.
    pub ports: Vec<String>,
}

/// The settings that differ, grouped: the same change on many ports is one entry. What nobody knows on the one side differs only from
/// what a line says on the other. `matters`: which settings are compared.
pub fn compare(a: &Resolved, b: &Resolved, matters: impl Fn(SettingId) -> bool) -> Vec<Unlike> {
    type Key = (SettingId, Option<Value>, Option<Value>);
    let mut groups: Vec<(Key, Vec<About>)> = Vec::new();
    let claimed = |one: &Slot, other: &Slot| one.value.is_some() || other.origin.is_written();
    for (about, id) in differences(a, b).into_iter().filter(|(_, id)| matters(*id)) {
        let (on_a, on_b) = (a.slot_by_hand(&about, id), b.slot_by_hand(&about, id));
        if !claimed(&on_a, &on_b) || !claimed(&on_b, &on_a) {
            continue;
        }
        let key = (id, on_a.value, on_b.value);
        match groups.iter_mut().find(|(other, _)| *other == key) {
            Some((_, places)) => places.push(about),
            None => groups.push((key, vec![about])),
        }
    }
    let unlike = |((id, value_a, value_b), places): (Key, Vec<About>)| {
        let ports = places.iter().filter_map(|place| match place {
            About::Port(name) => Some(PortName::new(Arc::clone(name))),
            _ => None,
        });
        let mut ports: Vec<PortName> = ports.collect();
        sorted::plain(&mut ports);
        let vlans = places.iter().filter_map(|place| match place {
            About::Vlan(vlan) => Some(vlan.get()),
            _ => None,
        });
        let mirrors = places.iter().filter_map(|place| match place {
            About::Mirror(name) => Some(name.to_string()),
            _ => None,
        });
        let first = places.first().cloned().unwrap_or(About::Switch);
        Unlike {
            setting: id.name(),
            a: value_a,
            b: value_b,
            ports: ports.iter().map(ToString::to_string).collect(),
            vlans: vlans.collect(),
            mirrors: mirrors.collect(),
            evidence_a: evidence(a, &first, id),
            evidence_b: evidence(b, &first, id),
        }
    };
    let mut unlike: Vec<Unlike> = groups.into_iter().map(unlike).collect();
    // What the switch itself says first, then what most ports have.
    sorted::by_key(&mut unlike, |entry| (!entry.ports.is_empty(), std::cmp::Reverse(entry.ports.len()), entry.setting));
    unlike
}

fn evidence(of: &Resolved, about: &About, id: SettingId) -> Vec<Evidence> {
    let switch = &of.switch;
    let slot = of.slot_by_hand(about, id);
    let shown = Slot { mark: slot.mark.map(|mark| of.deciding_words(mark, id)), ..slot };
    let port = match about {
        About::Port(name) => switch.port_index(name),
        _ => None,
    };
    match shown.mark.filter(|_| shown.origin.is_written()) {
        Some(mark) => Evidence::line(EvidenceKind::Line, switch, mark).into_iter().collect(),
        None => quote_slot(switch, port, id, &shown),
    }
}

/// What the network says otherwise, where both sides tell it.
pub fn compare_state(a: &Switch, b: &Switch) -> Vec<StateUnlike> {
    type Told = fn(&Switch, usize) -> BTreeSet<String>;
    let sorts: [(&str, FactKind, Told); 4] = [
        ("link", facts::port_status::FACT, link),
        ("stations", facts::station::FACT, stations),
        ("neighbours", facts::neighbour::FACT, neighbours),
        ("bindings", facts::binding::FACT, bindings),
    ];
    let mut groups: BTreeMap<(usize, String, String), Vec<String>> = BTreeMap::new();
    for (number, (_, kind, told)) in sorts.iter().enumerate() {
        if !a.tells(*kind) || !b.tells(*kind) {
            continue;
        }
        let names: sorted::Set<PortName> = sorted::set(a.ports().iter().chain(b.ports()).cloned());
        for name in names {
            let side = |switch: &Switch| switch.port_index(name.as_str()).map(|port| told(switch, port));
            let (on_a, on_b) = (side(a).unwrap_or_default(), side(b).unwrap_or_default());
            if on_a != on_b {
                let only = |one: &BTreeSet<String>, other: &BTreeSet<String>| {
                    let words: Vec<&str> = one.difference(other).map(String::as_str).collect();
                    if words.is_empty() { "none".to_owned() } else { words.join(", ") }
                };
                let key = (number, only(&on_a, &on_b), only(&on_b, &on_a));
                groups.entry(key).or_default().push(name.to_string());
            }
        }
    }
    let unlike = |((number, a, b), ports): ((usize, String, String), Vec<String>)| {
        let what = sorts.get(number).map_or("", |(what, ..)| what);
        StateUnlike { what, a, b, ports }
    };
    groups.into_iter().map(unlike).collect()
}

fn link(switch: &Switch, port: usize) -> BTreeSet<String> {
    let word = |fact: &Fact| {
        let cause = fact.get(facts::port_status::CAUSE).map(Choice::word);
        let shut = fact.get(facts::port_status::ADMIN) == Some(false);
        let up = fact.get(facts::port_status::LINK)?;
        Some(match (up, shut, cause) {
            (true, ..) => "up".to_owned(),
            (false, true, _) => "shut".to_owned(),
            (false, false, Some(cause)) => format!("down, {cause}"),
            (false, false, None) => "down".to_owned(),
        })
    };
    switch.facts_about(facts::port_status::FACT, port).filter_map(word).collect()
}

fn in_vlan(vlan: Option<VlanId>) -> String {
    vlan.map(|vlan| format!(" in VLAN {vlan}")).unwrap_or_default()
}

fn stations(switch: &Switch, port: usize) -> BTreeSet<String> {
    let word = |fact: &Fact| {
        let vlan = fact.get(facts::station::VLAN).flatten();
        Some(format!("{}{}", fact.get(facts::station::ADDRESS)?, in_vlan(vlan)))
    };
    switch.facts_about(facts::station::FACT, port).filter_map(word).collect()
}

fn neighbours(switch: &Switch, port: usize) -> BTreeSet<String> {
    let word = |fact: &Fact| {
        let name = fact.get(facts::neighbour::NAME).or_else(|| fact.get(facts::neighbour::CHASSIS))?;
        let there = fact.get(facts::neighbour::THEIR_PORT).map(|port| format!(" {port}")).unwrap_or_default();
        Some(format!("{name}{there}"))
    };
    switch.facts_about(facts::neighbour::FACT, port).filter_map(word).collect()
}

fn bindings(switch: &Switch, port: usize) -> BTreeSet<String> {
    let word = |fact: &Fact| {
        let vlan = fact.get(facts::binding::VLAN).flatten();
        let ip = fact.get(facts::binding::IP).flatten()?;
        Some(format!("{ip} to {}{}", fact.get(facts::binding::ADDRESS)?, in_vlan(vlan)))
    };
    switch.facts_about(facts::binding::FACT, port).filter_map(word).collect()
}
