//! Checks and drills held against each other. Both stand on the settings in force; neither knows the other. Whatever setting of a right
//! fleet is changed, and to whatever value: a drill that held before and does not now is answered for by a finding.

#[path = "support/changes.rs"]
mod changes;
#[path = "support/right.rs"]
mod right;
mod support;

use std::collections::{BTreeMap, BTreeSet};

use changes::changes;
use right::{POLICY, fleet, judged};
use support::policy;
use yellowlegs_core::check;
use yellowlegs_core::drill::{self, Outcome, Stage};
use yellowlegs_core::policy::{Policy, assign};
use yellowlegs_core::resolve::Resolved;

/// What this policy does not ask for although the fleet has it: setting, value, place, drill.
const UNWANTED: &[(&str, &str, &str, &str)] = &[("source-guard.enabled", "false", "edge 1.1", "forged-source")];

/// How every drill ended on a switch's ports, or on one of them.
fn rehearsed(policy: &Policy, resolved: &Resolved, only: Option<&str>) -> BTreeMap<(String, &'static str), Outcome> {
    let switch = &resolved.switch;
    let roles = assign(policy, switch, resolved.lists());
    let mut told = BTreeMap::new();
    for (port, name) in switch.ports().iter().enumerate() {
        if only.is_some_and(|only| only != name.as_str()) {
            continue;
        }
        for rehearsed in drill::rehearse(Stage { switch, policy, roles: &roles, port }, |_| true) {
            told.insert((name.to_string(), rehearsed.drill.name), rehearsed.told.outcome);
        }
    }
    told
}

/// Every check that a drill names is there.
#[test]
fn the_table_of_answers_names_checks_that_there_are() {
    let known: BTreeSet<&str> = check::all().map(|check| check.id).collect();
    let mut names = BTreeSet::new();
    for drill in drill::all() {
        assert!(names.insert(drill.name), "{} is there twice", drill.name);
        assert!(!drill.answers.is_empty(), "nothing answers for {}", drill.name);
        for id in drill.answers.iter().chain(drill::PLACED) {
            assert!(known.contains(id), "{} is answered for by {id}, which is no check", drill.name);
        }
    }
}

#[test]
fn what_a_drill_finds_a_check_finds() {
    let (policy, fleet) = (policy(POLICY), fleet());
    let right: BTreeMap<&str, _> = fleet.iter().map(|(name, r)| (*name, rehearsed(&policy, r, None))).collect();
    let mut ways: BTreeMap<&'static str, BTreeMap<Outcome, usize>> = BTreeMap::new();
    let (mut disagree, mut count) = (BTreeSet::new(), 0);
    changes(&fleet, |setting, value, place, after| {
        let mut words = place.split(' ');
        let name = words.next().unwrap_or_default();
        let port = words.next().filter(|word| !["vlan", "mirror"].contains(word));
        let now = rehearsed(&policy, &after[name], port);
        let mut found: Option<BTreeSet<String>> = None;
        for ((port, drill), outcome) in &now {
            *ways.entry(drill).or_default().entry(*outcome).or_default() += 1;
            count += 1;
            let held = right[name].get(&(port.clone(), *drill)) == Some(&Outcome::Held);
            if !held || !matches!(outcome, Outcome::LetThrough | Outcome::Outage) {
                continue;
            }
            let found = found.get_or_insert_with(|| judged(&policy, after));
            let rehearsed = drill::all().iter().find(|d| d.name == *drill).unwrap();
            let answered = |line: &String| {
                let (check, place) = line.trim_start_matches('?').split_once(' ').unwrap_or((line, ""));
                let here = place.is_empty() || place == name || place == format!("{name} {port}");
                rehearsed.is_answered_by(check) && here
            };
            if !found.iter().any(answered) && !UNWANTED.contains(&(setting, value, place, drill)) {
                disagree.insert(format!(
                    "{setting} = {value} at {name} {port}: {drill} is {}; found: {found:?}",
                    outcome.word()
                ));
            }
        }
    });
    assert!(disagree.is_empty(), "{} of {count}: {disagree:#?}", disagree.len());
    assert!(count > 10_000, "only {count} rehearsals");
    // Each drill came out each way often enough to mean something.
    for drill in drill::all() {
        let of = |outcome| ways.get(drill.name).and_then(|w| w.get(&outcome)).copied().unwrap_or_default();
        let (held, broken) = (of(Outcome::Held), of(Outcome::LetThrough) + of(Outcome::Outage));
        assert!(held > 50 && broken >= 2, "{}: held {held}, not held {broken}", drill.name);
    }
}
