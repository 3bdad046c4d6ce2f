//! Fleets damaged in a few settings, written through their languages: whatever is picked is gone after the plan, or told as work for
//! people; nothing else has come; no step breaks what worked; the way back restores the model. `YELLOWLEGS_CASES=5000` tries more.

#![allow(clippy::disallowed_methods, reason = "a test may be asked for more")]

use std::collections::BTreeSet;
use std::sync::{Arc, LazyLock};

use proptest::prelude::*;
use proptest::test_runner::{RngSeed, TestCaseError};
use yellowlegs_core::finding::Finding;
use yellowlegs_core::mend::{Plan, STILL, Site};
use yellowlegs_core::model::{Direction, Kind, Scope, SettingId, Value, VlanId};
use yellowlegs_core::resolve::{About, Resolved, Wanted, differences};

use super::{Asked, Fleet, planned, shown};

/// One setting of one place gets another value, all chosen by numbers.
type Damage = (u16, u16, u16, u16);

fn values(kind: Kind, port: &str) -> Vec<Value> {
    let parse = |texts: &[&str]| texts.iter().filter_map(|t| kind.parse(t).ok()).collect::<Vec<_>>();
    match kind {
        Kind::Flag => parse(&["true", "false"]),
        Kind::Count => parse(&["1", "2", "5", "40"]),
        Kind::Seconds => parse(&["1", "20", "600"]),
        Kind::Rate => parse(&["none", "1%", "20pps", "200pps"]),
        Kind::Choice(set) => set.words.iter().filter_map(|w| kind.parse(w).ok()).collect(),
        Kind::Choices(set) => vec![kind.parse(set.words[2]).unwrap()],
        Kind::Vlan => parse(&["none", "1", "110", "120", "140", "210", "777", "999"]),
        Kind::Vlans => parse(&["110", "110,120", "110,120,140,210,300", "all"]),
        Kind::Taps => vec![Value::Taps([(Arc::from(port), Direction::Both)].into())],
        Kind::Stations => parse(&["02:00:5e:10:00:07"]),
        _ => Vec::new(),
    }
}

fn damage(resolved: &Resolved, (what, place, setting, value): Damage) -> Option<(Resolved, String)> {
    let switch = &resolved.switch;
    let port = switch.ports().get(usize::from(place) % switch.ports().len())?.to_string();
    let vlans: Vec<VlanId> = switch.vlans_written().collect();
    let (about, scope) = match what % 8 {
        0 => (About::Switch, Scope::Switch),
        1 if !vlans.is_empty() => (About::Vlan(vlans[usize::from(place) % vlans.len()]), Scope::Vlan),
        _ => (About::Port(port.as_str().into()), Scope::Port),
    };
    let ids: Vec<SettingId> = SettingId::of(scope).collect();
    let setting = ids[usize::from(setting) % ids.len()];
    let values = values(setting.info().kind, &port);
    let value = values.get(usize::from(value) % values.len().max(1))?.clone();
    let wanted = Wanted { about: about.clone(), setting, value: value.clone() };
    let text = resolved.edit(&wanted).ok()?.text;
    let told = format!("{}: {} of {about} = {value}", switch.name(), setting.name());
    Some((resolved.with_text(text)?, told))
}

/// The fleet after the damage, and what was done to it.
fn damaged(fleet: &Fleet, damages: &[Damage]) -> (Vec<Resolved>, Vec<String>) {
    let mut switches = fleet.switches.clone();
    let mut told = Vec::new();
    for one in damages {
        let at = usize::from(one.0 / 8) % switches.len();
        if let Some((after, words)) = damage(&switches[at], *one) {
            switches[at] = after;
            told.push(words);
        }
    }
    (switches, told)
}

/// What must hold of every plan.
pub(super) fn holds(site: &Site<'_>, plan: &Plan<'_>) -> Result<(), String> {
    let told: Vec<String> =
        plan.steps.iter().enumerate().map(|(n, s)| format!("{} {}", n + 1, s.change.shown())).collect();
    let told = told.join("\n");
    if let Some(broke) = &plan.proof.broke {
        return Err(format!("{broke:?}\n{told}"));
    }
    let dealt: BTreeSet<&str> = plan
        .open
        .iter()
        .flat_map(|open| &open.findings)
        .chain(plan.by_hand.iter().filter(|hand| hand.why != STILL).flat_map(|hand| &hand.because))
        .filter_map(|number| Some(plan.findings.get(*number)?.fingerprint.as_str()))
        .collect();
    let is_left = |finding: &&Finding| !dealt.contains(finding.fingerprint.as_str());
    let remaining = plan.proof.remaining.iter().filter_map(|number| plan.findings.get(*number));
    if let Some(finding) = remaining.clone().find(is_left) {
        return Err(format!("left, and nobody says why: {}\n{told}", shown(finding)));
    }
    if let Some(finding) = plan.proof.new.iter().find(is_left) {
        return Err(format!("new, and nobody says why: {}\n{told}", shown(finding)));
    }
    // The way back, switch by switch.
    for before in site.switches() {
        let name = before.switch.name();
        let Some(after) = plan.after.get(name) else { continue };
        let own = || plan.steps.iter().filter(|step| step.change.switch == *name);
        if own().any(|step| step.undo.is_empty()) {
            continue;
        }
        let lines: Vec<String> = own().rev().flat_map(|step| step.undo.clone()).collect();
        let back = after.with_lines(&lines).ok_or("no text")?;
        if let Some((about, setting)) = differences(before, &back).first() {
            return Err(format!("{name}: not back: {} of {about}\n{lines:#?}\n{told}", setting.name()));
        }
    }
    Ok(())
}

fn try_damage(fleet: &Fleet, damages: &[Damage], mask: u64) -> Result<(), TestCaseError> {
    let (switches, words) = damaged(fleet, damages);
    let fleet = Fleet { policy: fleet.policy.clone(), as_of: fleet.as_of.clone(), switches };
    let site = fleet.site();
    let picks = |finding: &Finding| {
        let first = finding.fingerprint.bytes().fold(0u64, |sum, b| sum.wrapping_mul(31).wrapping_add(u64::from(b)));
        mask & 1 << (first % 64) != 0
    };
    let asked = Asked { picks: &picks, ..Asked::default() };
    let told = |why: String| TestCaseError::fail(format!("{words:#?}\n{why}"));
    let plan = planned(&site, &asked).map_err(|problem| told(problem.to_string()))?;
    holds(&site, &plan).map_err(told)
}

/// As many cases as are asked for; each is a plan.
fn cases() -> u32 {
    std::env::var("YELLOWLEGS_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(500)
}

/// The same cases each time; `YELLOWLEGS_SEED` has others.
fn config() -> ProptestConfig {
    let seed = std::env::var("YELLOWLEGS_SEED").ok().and_then(|n| n.parse().ok()).unwrap_or(1);
    ProptestConfig {
        cases: cases(),
        failure_persistence: None,
        max_shrink_iters: 300,
        rng_seed: RngSeed::Fixed(seed),
        ..ProptestConfig::default()
    }
}

static RIGHT: LazyLock<Fleet> = LazyLock::new(Fleet::right);
static LANGUAGES: LazyLock<Fleet> = LazyLock::new(Fleet::languages);

fn damages() -> impl Strategy<Value = Vec<Damage>> {
    prop::collection::vec(any::<Damage>(), 1..6)
}

/// All findings, or some of them.
fn masks() -> impl Strategy<Value = u64> {
    prop_oneof![Just(u64::MAX), any::<u64>()]
}

proptest! {
    #![proptest_config(config())]

    #[test]
    fn a_right_fleet_that_was_damaged_is_mended(damages in damages(), mask in masks()) {
        try_damage(&RIGHT, &damages, mask)?;
    }

    #[test]
    fn fleets_of_four_structures_are_mended(damages in damages(), mask in masks()) {
        try_damage(&LANGUAGES, &damages, mask)?;
    }
}

/// In a fleet that is right there is nothing to do.
#[test]
fn nothing_is_changed_that_is_right() {
    let site = RIGHT.site();
    let plan = planned(&site, &Asked::default()).unwrap();
    assert!(plan.steps.is_empty() && plan.chosen.is_empty() && plan.by_hand.is_empty() && plan.open.is_empty());
}
