//! Ports of a switch that are alike in what a drill asks share how it ends: here many ports of a few roles are changed by a few settings
//! each, most of them limits that drills come near to, reach or never do, and each port comes to what it comes to when it is played itself.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use proptest::prelude::*;
use rstest::rstest;
use serde_json::{Value as Json, json};
use yellowlegs_core::drill::Rehearser;
use yellowlegs_core::resolve::Resolved;

use super::generated::{Records, bare_records, fleet, strict};
use super::table::change;
use super::{Plays, around, changes, rehearsed, try_each};

/// So many copies of each port.
const COPIES: usize = 6;

/// Settings with values that drills tell apart, and others that they do not.
fn values() -> Vec<(&'static str, Vec<Json>)> {
    let rates = || json!(["none", "1 pps", "3 pps", "9 pps", "10 pps", "12 pps", "13 pps", "300 pps", null]);
    let shares = || json!(["none", "1%", "2%", "100%", "2 pps", "7 kbps", "900 kbps", "240/min", null]);
    let flags = || json!([true, false, null]);
    let all = [
        ("dhcp-snooping.rate-limit", rates()),
        ("arp-inspection.rate-limit", rates()),
        ("storm.broadcast", shares()),
        ("storm.multicast", shares()),
        ("port.speed", json!([1, 10, 100, 1000, null])),
        ("port-security.limit", json!([1, 2, 3, 4, 9, 50, 400, null])),
        ("port-security.aging", json!([0, 1, 4, 5, 6, 19, 20, 21, 3600, null])),
        ("port-security.pinning", flags()),
        ("port-security.action", json!(["drop", "drop-and-report", "disable-port", null])),
        ("port-security.enabled", flags()),
        ("flap.enabled", flags()),
        ("flap.threshold", json!([1, 2, 3, 4, 5, 6, 7, 20, null])),
        ("flap.window", json!([1, 2, 5, 9, 10, 11, 600, null])),
        ("flap.hold", json!([1, 30, 600, null])),
        ("dhcp-snooping.trusted", flags()),
        ("port.access-vlan", json!([110, 140, 210])),
        ("storm.action", json!(["drop", "disable-port", null])),
        ("authentication.enabled", flags()),
    ];
    all.into_iter().map(|(name, values)| (name, values.as_array().unwrap().clone())).collect()
}

fn put(port: &mut Json, setting: &str, value: &Json) {
    let origin = if value.is_null() { "unknown" } else { "port" };
    port["settings"][setting] = json!({"value": value, "origin": origin});
}

/// The fleet with copies of the ports of its edge that hosts are on, each with its changes. `floods`: streams go to whoever is there.
fn copied(changes: &[Vec<(usize, usize)>], floods: bool) -> Option<BTreeMap<&'static str, Resolved>> {
    let (mut records, values): (Records, _) = (bare_records(&fleet()), values());
    if floods {
        change(&mut records, "edge", "multicast.filtering", &json!(false));
    }
    let ports = records.get_mut("edge").unwrap()["ports"].as_array_mut().unwrap();
    let mut changes = changes.iter();
    for of in 0..4 {
        for copy in 0..COPIES {
            let mut port = ports[of].clone();
            port["port"] = json!(format!("2.{}", of * COPIES + copy + 1));
            for (setting, value) in changes.next().into_iter().flatten() {
                let (name, values) = &values[setting % values.len()];
                put(&mut port, name, &values[value % values.len()]);
            }
            ports.push(port);
        }
    }
    records.iter().map(|(name, record)| Some((*name, changes::read(record, name)?))).collect()
}

#[test]
fn ports_that_are_alike_in_what_is_asked_share_how_it_ends() {
    let policy = strict();
    let change = (any::<usize>(), any::<usize>());
    let of_port = prop_oneof![2 => prop::collection::vec(change, 0..2), 3 => prop::collection::vec(change, 2..6)];
    let strategy = (prop::collection::vec(of_port, 4 * COPIES), any::<bool>());
    let wrong = try_each(24, &strategy, |(changes, floods)| {
        let Some(fleet) = copied(&changes, floods) else { return Ok(()) };
        let around = around(&policy, &fleet.clone().into_iter().collect());
        let same = std::panic::catch_unwind(|| rehearsed(&policy, &fleet["edge"], &around, Plays::Shared));
        prop_assert!(same.is_ok(), "{floods} {changes:?}");
        Ok(())
    });
    assert!(wrong.is_empty(), "{wrong:#?}");
}

/// Which of two ports that differ in one limit share an end, by the drill: those that bear all of it do.
#[rstest]
#[case::wide("dhcp-snooping.rate-limit", "13 pps", "300 pps", "starvation", true)]
#[case::narrow("dhcp-snooping.rate-limit", "9 pps", "300 pps", "starvation", false)]
#[case::both_narrow("dhcp-snooping.rate-limit", "9 pps", "8 pps", "starvation", false)]
#[case::few_frames("dhcp-snooping.rate-limit", "9 pps", "8 pps", "forged-arp", true)]
#[case::none("dhcp-snooping.rate-limit", "none", "8 pps", "forged-arp", true)]
#[case::unknown("dhcp-snooping.rate-limit", "null", "8 pps", "forged-arp", false)]
#[case::unlike_units("storm.broadcast", "3%", "900 pps", "starvation", true)]
#[case::stations("port-security.limit", "50", "400", "forged-arp", true)]
#[case::one_station("port-security.limit", "1", "2", "second-station", false)]
#[case::aging("port-security.aging", "21", "3600", "starvation", true)]
#[case::no_aging("port-security.aging", "0", "3600", "starvation", false)]
#[case::changes("flap.threshold", "20", "30", "swapped-station", true)]
#[case::few_changes("flap.threshold", "2", "20", "flapping-plug", false)]
#[case::while_that_is_not_reached("flap.window", "10", "600", "forged-arp", true)]
#[case::what_is_no_limit("port.access-vlan", "110", "140", "forged-arp", false)]
fn ends_are_shared(
    #[case] setting: &str,
    #[case] one: &str,
    #[case] other: &str,
    #[case] drill: &str,
    #[case] shared: bool,
) {
    let (mut records, policy): (Records, _) = (bare_records(&fleet()), strict());
    let ports = records.get_mut("edge").unwrap()["ports"].as_array_mut().unwrap();
    for (name, value) in [("2.1", one), ("2.2", other)] {
        let mut port = ports[1].clone();
        port["port"] = json!(name);
        // Both watch for changes of link.
        let common = [("flap.enabled", json!(true)), ("flap.threshold", json!(9)), ("flap.window", json!(10))];
        common.iter().for_each(|(name, value)| put(&mut port, name, value));
        put(&mut port, setting, &serde_json::from_str(value).unwrap_or_else(|_| json!(value)));
        ports.push(port);
    }
    let fleet: BTreeMap<&str, Resolved> =
        records.iter().map(|(name, record)| (*name, changes::read(record, name).unwrap())).collect();
    let around = around(&policy, &fleet);
    let edge = &fleet["edge"];
    let rehearser = Rehearser::new(edge, &policy, &around).flooding(300);
    let ends: BTreeSet<_> = ["2.1", "2.2"]
        .iter()
        .flat_map(|name| rehearser.play_alike(edge.switch.port_index(name).unwrap(), |one| one.name == drill))
        .map(|end| Arc::as_ptr(&end))
        .collect();
    assert_eq!(ends.len(), if shared { 1 } else { 2 });
}

/// A stream that floods is told of the first port that did not ask for it: which that is hangs on where a receiver stands. One that goes
/// to its receivers alone comes to all that are alike in one way.
#[rstest]
#[case::floods(false, false)]
#[case::filtered(true, true)]
fn streams_are_shared_where_no_bystander_hears_them(#[case] filtered: bool, #[case] shared: bool) {
    let (mut records, policy): (Records, _) = (bare_records(&fleet()), strict());
    change(&mut records, "edge", "multicast.filtering", &json!(filtered));
    let ports = records.get_mut("edge").unwrap()["ports"].as_array_mut().unwrap();
    for name in ["2.1", "2.2"] {
        let mut port = ports[3].clone();
        port["port"] = json!(name);
        ports.push(port);
    }
    let fleet: BTreeMap<&str, Resolved> =
        records.iter().map(|(name, record)| (*name, changes::read(record, name).unwrap())).collect();
    let around = around(&policy, &fleet);
    let edge = &fleet["edge"];
    let rehearser = Rehearser::new(edge, &policy, &around);
    let ends: Vec<_> = ["1.4", "2.1", "2.2"]
        .iter()
        .flat_map(|name| rehearser.play_alike(edge.switch.port_index(name).unwrap(), |one| one.name == "stream-join"))
        .collect();
    assert_eq!(ends.len(), 3, "a screen joins a stream");
    let unlike: BTreeSet<_> = ends.iter().map(Arc::as_ptr).collect();
    assert_eq!(unlike.len() == 1, shared);
}
