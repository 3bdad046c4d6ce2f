//! Checks and drills held against each other. Both stand on the settings in force; neither knows the other. `generated.rs` changes a
//! right fleet: each setting, trait and role alone, then several at once. `table.rs` says of each drill how it comes out. `own_policy.rs`
//! changes what is asked for together with the fleet; `played.rs` keeps every word; `stories.rs` lets happen what
//! comes, `tables.rs` lets switches tell what comes; `noted.rs` holds drills to what they ask; `floods.rs` plays floods in both ways, `limits.rs` holds limits against limits; `alike.rs` lets ports share what comes; `drawn.rs` keeps what is said of
//! fleets whose texts `written.rs` changes by a number, and of others.

mod alike;
mod asks;
mod drawn;
mod floods;
mod generated;
mod limits;
mod noted;
mod own_policy;
mod played;
mod recorded;
mod stories;
mod table;
mod tables;
mod written;

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::support;
use crate::support::chain;
use crate::support::changes;
use crate::support::right;
use crate::support::texts;
use proptest::prelude::Strategy;
use proptest::test_runner::{Config, FileFailurePersistence, RngSeed, TestCaseError, TestError, TestRunner};
use support::as_of;
use yellowlegs_core::check;
use yellowlegs_core::drill::{self, Around, Outcome, Rehearsal, Rehearsed, Rehearser, Sketch};
use yellowlegs_core::policy::{Policy, assign};
use yellowlegs_core::resolve::Resolved;

/// Tries so many cases on all processors, each from seeds of its own; what was wrong, shrunk.
fn try_each<S: Strategy + Sync>(
    cases: u32,
    strategy: &S,
    test: impl Fn(S::Value) -> Result<(), TestCaseError> + Sync,
) -> Vec<String> {
    let workers = std::thread::available_parallelism().map_or(1, usize::from) as u32;
    let run = |worker: u32| {
        let config = Config {
            cases: cases.div_ceil(workers),
            failure_persistence: None::<Box<FileFailurePersistence>>.map(|p| p as _),
            max_shrink_iters: 3000,
            rng_seed: RngSeed::Fixed(u64::from(worker) + 1),
            ..Config::default()
        };
        TestRunner::new(config).run(strategy, &test).map_err(|error| match error {
            TestError::Fail(why, _) => why.to_string(),
            aborted @ TestError::Abort(_) => aborted.to_string(),
        })
    };
    std::thread::scope(|scope| {
        let run = &run;
        let all: Vec<_> = (0..workers).map(|worker| scope.spawn(move || run(worker))).collect();
        all.into_iter().filter_map(|one| one.join().unwrap().err()).collect()
    })
}

/// What is around the switches of a fleet.
fn around(policy: &Policy, fleet: &BTreeMap<&str, Resolved>) -> Around {
    let sketches = fleet.values().map(|resolved| Sketch::of(resolved, policy, &as_of())).collect();
    let mut around = Around::new(sketches, &as_of());
    fleet.values().for_each(|resolved| around.keep(Arc::new(resolved.clone())));
    around
}

/// All that is told of a drill but its story.
fn ended(rehearsed: &Rehearsed) -> String {
    let Rehearsed { drill, told, hangs, .. } = rehearsed;
    let Rehearsal { outcome, says, millis, because, elsewhere, collateral, recovery, .. } = told;
    let hangs = hangs
        .as_ref()
        .map(|(hang, either)| (hang.on, either.iter().map(|e| (e.value.to_string(), e.word())).collect::<Vec<_>>()));
    format!(
        "{} {outcome:?} {says} {millis:?} {because:?} {elsewhere:?} {collateral:?} {recovery:?} {hangs:?}",
        drill.name
    )
}

/// How ports are played.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Plays {
    /// Each by itself.
    Itself,
    /// As a matrix of all drills is played, too: both have to come to the same.
    Shared,
}

/// How every drill ended on a switch's ports. Each port is played itself, and comes to what the first of its class came to.
fn rehearsed(
    policy: &Policy,
    resolved: &Resolved,
    around: &Around,
    plays: Plays,
) -> BTreeMap<(String, &'static str), Outcome> {
    let rehearser = Rehearser::new(resolved, policy, around).flooding(300);
    let (mut told, mut classes) = (BTreeMap::new(), BTreeMap::new());
    for (port, name) in resolved.switch.ports().iter().enumerate() {
        // Nobody reads the stories.
        let (played, _) = rehearser.play_noting(port, |_| true);
        if plays == Plays::Shared {
            let alike = rehearser.play_alike(port, |_| true);
            let alike: Vec<_> = alike.iter().map(|one| ended(one)).collect();
            let itself: Vec<_> = played.iter().map(ended).collect();
            assert_eq!(alike, itself, "{} {name} is not like a port that is like it", resolved.switch.name());
        }
        let outcomes: Vec<_> = played.iter().map(|one| (one.drill.name, one.told.outcome)).collect();
        let first = classes.entry(rehearser.class_of(port)).or_insert_with(|| outcomes.clone());
        assert_eq!(*first, outcomes, "{} {name} is not like the first of its class", resolved.switch.name());
        told.extend(outcomes.into_iter().map(|(drill, outcome)| ((name.to_string(), drill), outcome)));
    }
    told
}

/// One drill on one port.
fn played(policy: &Policy, resolved: &Resolved, around: &Around, port: &str, drill: &str) -> Option<Rehearsal> {
    let port = resolved.switch.port_index(port)?;
    let played = Rehearser::new(resolved, policy, around).play(port, |one| one.name == drill);
    played.into_iter().next().map(|rehearsed| rehearsed.told)
}

/// Every check that a drill names is there.
#[test]
fn the_table_of_answers_names_checks_that_there_are() {
    let known: BTreeSet<&str> = check::all().map(|check| check.id).collect();
    let mut names = BTreeSet::new();
    for drill in drill::all() {
        assert!(names.insert(drill.name), "{} is there twice", drill.name);
        let told = drill.holds.starts_with("told:");
        assert!(drill.answers.is_empty() == told, "what answers for {}?", drill.name);
        for id in drill.answers.iter().chain(drill::PLACED) {
            assert!(known.contains(id), "{} is answered for by {id}, which is no check", drill.name);
        }
    }
}

/// Cables by the position of their switches among those that are named; those to others are left out.
#[test]
fn the_cables_among_some_switches() {
    let (policy, fleet) = (generated::strict(), generated::fleet());
    let around = around(&policy, &fleet.into_iter().collect());
    let sorted = |names: &[&str]| {
        let mut ends = around.cables_among(names).into_iter().map(|(a, b)| [a, b]).collect::<Vec<_>>();
        ends.iter_mut().for_each(|ends| ends.sort_unstable());
        ends
    };
    assert_eq!(sorted(&["edge", "core"]), [[(0, 6), (1, 1)]]);
    assert_eq!(sorted(&["core", "edge"]), [[(0, 1), (1, 6)]]);
    assert!(sorted(&["edge"]).is_empty() && sorted(&["core", "nobody"]).is_empty());
}

/// What answers for a drill are its own checks and those that say that a port is not what it should be; no other.
#[test]
fn what_answers_for_a_drill() {
    for drill in drill::all() {
        let answers = |check: &&check::Check| drill.is_answered_by(check.id);
        let told: BTreeSet<&str> = check::all().filter(answers).map(|check| check.id).collect();
        assert_eq!(told, drill.answers.iter().chain(drill::PLACED).copied().collect(), "{}", drill.name);
    }
}

/// A reading in which other ports lead on makes what is around stale; one in which the same do does not.
#[test]
fn what_is_around_is_stale_where_other_ports_lead_on() {
    let (policy, fleet) = (generated::strict(), generated::fleet());
    let records = generated::bare_records(&fleet);
    let reading = |roles: &[(usize, &'static str)]| {
        let steps: Vec<_> = roles.iter().map(|(port, role)| generated::Step::Role("edge", *port, role)).collect();
        generated::after(&fleet, &records, &steps).unwrap()
    };
    let is_stale = |before: &[(usize, &'static str)], after: &[(usize, &'static str)]| {
        let mut around = around(&policy, &reading(before));
        assert!(!around.is_stale());
        let edge = Arc::new(reading(after).remove("edge").unwrap());
        let said = around.update(&edge, &policy, &as_of(), &assign(&policy, &edge.switch, edge.lists()));
        assert!(said || !around.is_stale(), "what is stale is other");
        around.is_stale()
    };
    assert!(!is_stale(&[], &[]) && !is_stale(&[], &[(0, "host")]));
    assert!(is_stale(&[], &[(4, "up")]), "one more");
    assert!(is_stale(&[(4, "up")], &[]), "one less");
    assert!(is_stale(&[(4, "up")], &[(3, "up")]), "another");
}

/// Beside a finding of a port stands the worst drill on that port alone; beside one of the switch, that on any.
#[test]
fn drills_stand_beside_the_findings_of_their_ports() {
    let (policy, fleet) = (generated::strict(), generated::fleet());
    let records = generated::bare_records(&fleet);
    let off = |port: usize| changes::Change {
        switch: "edge",
        place: String::new(),
        path: vec!["ports".into(), port.to_string()],
        setting: "port-security.enabled",
        value: Some(serde_json::json!(false)),
    };
    let steps = [0, 1, 3].map(|port| generated::Step::Setting(off(port)));
    let after = generated::after(&fleet, &records, &steps).unwrap();
    let (around, edge, as_of, selection) =
        (around(&policy, &after), &after["edge"], as_of(), check::Selection::default());
    let mut outcome = check::Judge::new(&policy, &as_of, &selection, false).switch(edge, edge.lists()).outcome;
    drill::attach(&mut outcome, edge, &policy, &around);
    let found: Vec<_> = outcome.findings.iter().filter(|found| found.check == "port-security/not-armed").collect();
    let told: Vec<_> = outcome.findings.iter().map(|f| (f.check, f.port.as_deref())).collect();
    assert_eq!(
        found.iter().filter_map(|found| found.port.as_deref()).collect::<Vec<_>>(),
        ["1.1", "1.2", "1.4"],
        "{told:?}"
    );
    for found in found {
        let shown = found.drill.as_ref().unwrap_or_else(|| panic!("{found:?}"));
        assert_eq!(shown.ports, 1, "{shown:?}");
    }
}
