//! Which drills are left open by which fact: each taken away from the right fleet, and from fleets in which more is asked.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use serde_json::Value as Json;
use yellowlegs_core::drill::{Outcome, Rehearser};
use yellowlegs_core::model::{Scope, SettingId, platform};
use yellowlegs_core::policy::Policy;

use super::generated::{Records, bare_records, fleet, strict};
use super::support::compare;
use super::table::change;
use super::{around, changes};

/// In the right fleet many a thing is not asked, for something else has stopped what is played: here more of it comes through.
pub(super) const MORE: [&[(&str, &str)]; 6] = [
    &[],
    &[("guard.bpdu", "false"), ("fast-start.mode", "\"off\"")],
    &[("guard.bpdu", "false"), ("spanning-tree.port-enabled", "false"), ("guard.loop-detection", "false")],
    &[("port-security.enabled", "false"), ("source-guard.enabled", "false"), ("authentication.enabled", "false")],
    &[("unidirectional.mode", "\"report-only\""), ("multicast.fast-leave", "false"), ("guard.root", "false")],
    &[("dhcp-snooping.rate-limit", "\"none\""), ("arp-inspection.trusted", "true"), ("flap.enabled", "true")],
];

/// By what is unknown, the drills that hang on it.
fn left_open(policy: &Policy, records: &Records) -> BTreeMap<&'static str, BTreeSet<&'static str>> {
    let mut open = BTreeMap::<_, BTreeSet<_>>::new();
    let after: BTreeMap<&str, _> = records.iter().map(|(name, r)| (*name, changes::read(r, name).unwrap())).collect();
    let around = around(policy, &after);
    for resolved in after.values() {
        let rehearser = Rehearser::new(resolved, policy, &around).flooding(300);
        for port in 0..resolved.switch.ports().len() {
            for one in rehearser.play(port, |_| true) {
                if let (Outcome::Undetermined, Some((hang, _))) = (one.told.outcome, &one.hangs) {
                    open.entry(hang.on).or_default().insert(one.drill.name);
                }
            }
        }
    }
    open
}

#[test]
fn asks() {
    let policy = strict();
    let traits = platform::ALL.iter().map(|info| info.name);
    let settings = [Scope::Port, Scope::Switch, Scope::Vlan, Scope::Mirror].into_iter().flat_map(SettingId::of);
    let facts: Vec<&str> = settings.map(SettingId::name).chain(traits).collect();
    let mut all: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    for more in MORE {
        let mut base = bare_records(&fleet());
        for (switch, ports) in [("edge", 1..=7), ("core", 1..=2)] {
            for (port, (name, value)) in ports.flat_map(|port| more.iter().map(move |one| (port, one))) {
                let value = serde_json::from_str(value).unwrap();
                change(&mut base, &format!("{switch} 1.{port}"), name, &value);
            }
        }
        for fact in &facts {
            let mut records = base.clone();
            records.values_mut().for_each(|record| take_away(record, fact));
            let open = left_open(&policy, &records).remove(fact);
            open.into_iter().for_each(|drills| all.entry(fact).or_default().extend(drills));
        }
    }
    let mut made = String::new();
    for (fact, drills) in &all {
        writeln!(made, "{fact}: {}", drills.iter().copied().collect::<Vec<_>>().join(", ")).unwrap();
    }
    assert!(all.len() > 60, "{made}");
    compare("crates/yellowlegs-core/src/drill/asks.txt", &made);
}

/// Nobody knows a fact any more, anywhere on a switch.
fn take_away(record: &mut Json, fact: &str) {
    let forget = |place: &mut Json, list: &str| {
        place[list].as_object_mut().map(|known| known.remove(fact));
    };
    forget(record, "traits");
    forget(record, "settings");
    forget(record, "every_vlan");
    for list in ["ports", "vlans", "mirrors"] {
        record[list].as_array_mut().into_iter().flatten().for_each(|place| forget(place, "settings"));
    }
}
