//! A flood of which only so many frames are played as it takes to know the rest ends as one of which each is: the same words, the
//! same story, on fleets that nobody arranged, also where single stations of the flood are known.

use std::collections::BTreeMap;

use proptest::strategy::{Strategy, ValueTree};
use proptest::test_runner::{Config, RngSeed, TestRunner};
use serde_json::json;
use yellowlegs_core::drill::{Outcome, Rehearser};
use yellowlegs_core::policy::Policy;
use yellowlegs_core::resolve::Resolved;

use super::generated::{Records, after, bare_records, fleet, steps, strict};
use super::own_policy::written;
use super::played::put;
use super::recorded;
use super::support::policy;
use super::table::change;
use super::{around, changes};

const CASES: usize = 60;
const FLOOD: u32 = 40;

/// Drills in which as much is played as it takes to know the rest.
const FLOODS: &[&str] = &["address-flood", "starvation"];

/// A place, a setting and its value.
type Listed<'l> = (&'l str, &'l str, serde_json::Value);

/// How floods end on the ports of a fleet; each is played in both ways.
fn endings(policy: &Policy, fleet: &BTreeMap<&str, Resolved>, told: &mut BTreeMap<(Outcome, String), usize>) {
    let around = around(policy, fleet);
    for (name, resolved) in fleet {
        let rehearser = |each: bool| {
            let rehearser = Rehearser::new(resolved, policy, &around).flooding(FLOOD);
            if each { rehearser.frame_by_frame() } else { rehearser }
        };
        let (quick, each) = (rehearser(false), rehearser(true));
        for port in 0..resolved.switch.ports().len() {
            let story = |rehearser: &Rehearser<'_>| {
                let played = rehearser.play(port, |drill| FLOODS.contains(&drill.name));
                let mut page = String::new();
                played.iter().for_each(|one| put(&mut page, resolved, &format!("{name} {port}"), one, true));
                let endings = played.iter().map(|one| (one.told.outcome, one.told.says.clone()));
                (page, endings.collect::<Vec<_>>())
            };
            let (quick, endings) = story(&quick);
            assert_eq!(quick, story(&each).0);
            endings.into_iter().for_each(|ending| *told.entry(ending).or_default() += 1);
        }
    }
}

#[test]
fn a_flood_ends_as_if_each_frame_were_played() {
    let fleet = fleet();
    let (base, strategy) = (bare_records(&fleet), recorded::changes(steps(&fleet), 1..14));
    let config = Config { rng_seed: RngSeed::Fixed(23), failure_persistence: None, ..Config::default() };
    let mut runner = TestRunner::new(config);
    let mut told = BTreeMap::new();
    for _ in 0..CASES {
        let (wishes, steps) = strategy.new_tree(&mut runner).unwrap().current();
        if let Some(after) = after(&fleet, &base, &steps) {
            endings(&policy(&written(&wishes)), &after, &mut told);
        }
    }
    let grown = |outcome: Outcome| told.keys().filter(move |(way, _)| *way == outcome).count();
    assert!(grown(Outcome::Held) > 1 && grown(Outcome::LetThrough) > 0, "{told:?}");
}

/// Stations of the flood that somebody listed or put into a VLAN: the first of it, and one in the middle.
#[test]
fn stations_that_are_known_are_told_from_others() {
    let stations = json!(["02:00:d1:00:03:e8", "02:00:d1:00:03:f8"]);
    let ranges = json!(["02:00:d1:00:03:f0-02:00:d1:00:03:f7@210"]);
    let changed: [(&str, &[Listed<'_>]); 4] = [
        ("here", &[("edge 1.2", "port-security.pinned-stations", stations.clone())]),
        ("written here", &[("edge 1.2", "port-security.written-stations", stations.clone())]),
        ("elsewhere", &[("edge 1.1", "port-security.pinned-stations", stations)]),
        ("by address", &[("edge", "switch.address-ranges", ranges), ("edge 1.2", "port.dynamic-vlan", json!(true))]),
    ];
    let (fleet, policy) = (fleet(), strict());
    for (title, listed) in changed {
        for limit in [1, 3, 20] {
            let mut records: Records = bare_records(&fleet);
            change(&mut records, "edge 1.2", "port-security.limit", &json!(limit));
            change(&mut records, "edge 1.2", "port-security.action", &json!("drop"));
            listed.iter().for_each(|(place, name, value)| change(&mut records, place, name, value));
            let after: BTreeMap<&str, Resolved> =
                records.iter().map(|(name, record)| (*name, changes::read(record, name).unwrap())).collect();
            let mut told = BTreeMap::new();
            endings(&policy, &after, &mut told);
            assert!(told.keys().any(|(_, says)| says.contains("grows by")), "{title}: {told:?}");
        }
    }
}

/// Limits of a second about as many as clients ask in one, stations that are forgotten meanwhile or just not, ports that go down.
#[test]
fn what_changes_in_the_course_of_a_starvation_is_played() {
    let (fleet, policy) = (fleet(), strict());
    let rates = [1, 2, 3, 5, 7, 8, 9, 10, 11, 12, 13, 14, 40]
        .map(|rate| ("dhcp-snooping.rate-limit", json!(format!("{rate} pps"))));
    let storms = [1, 4, 6, 8, 9, 10, 11, 12, 13].map(|rate| ("storm.broadcast", json!(format!("{rate} pps"))));
    let slow = [5, 6, 7, 8, 9, 10].map(|rate| ("storm.broadcast", json!(format!("{rate} kbps"))));
    let aging = [0, 1, 5, 10, 19, 20, 21, 60].map(|seconds| ("port-security.aging", json!(seconds)));
    let mut told = BTreeMap::new();
    for (name, value) in rates.into_iter().chain(storms).chain(slow).chain(aging) {
        for (action, limit, checks) in
            [("drop", 3, true), ("drop-and-report", 3, false), ("disable-port", 3, false), ("drop", 300, false)]
        {
            let mut records: Records = bare_records(&fleet);
            // Where addresses are put into VLANs every client is played.
            change(&mut records, "edge", "switch.address-ranges", &json!([]));
            change(&mut records, "edge", "dhcp-snooping.address-check", &json!(checks));
            change(&mut records, "edge 1.2", "port-security.limit", &json!(limit));
            change(&mut records, "edge 1.2", "port-security.pinning", &json!(false));
            change(&mut records, "edge 1.2", "port-security.aging", &json!(3600));
            change(&mut records, "edge 1.2", "storm.broadcast", &json!("900 pps"));
            change(&mut records, "edge 1.2", "port-security.action", &json!(action));
            change(&mut records, "edge 1.2", name, &value);
            let after: BTreeMap<&str, Resolved> =
                records.iter().map(|(name, record)| (*name, changes::read(record, name).unwrap())).collect();
            endings(&policy, &after, &mut told);
        }
    }
    let leases: Vec<_> = told.keys().filter(|(_, says)| says.contains("leases")).collect();
    assert!(leases.len() > 8, "{leases:#?}");
}
