//! Right by its own policy: features wanted, unwanted and left open, values of the site and levels of checks varied together with the
//! fleet. What gets through or breaks has a finding; an audit without findings goes with a matrix without either. What is agreed on has
//! none that answers for it on the port. `YELLOWLEGS_CASES=100000` plays more of them.

#![allow(
    clippy::disallowed_methods,
    clippy::disallowed_macros,
    reason = "a test may be asked for more, and tells its counts"
)]

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::sync::Mutex;

use proptest::prelude::*;
use rstest::rstest;
use serde_json::{Value, json};
use yellowlegs_core::drill::{self, Outcome, Rehearsal};
use yellowlegs_core::policy::Policy;

use super::generated::{Step, after, bare_records, fleet, odds, steps, strict_text};
use super::support::policy;
use super::table::change;
use super::{Plays, around, played, try_each};

/// What a policy says otherwise than the strict one.
#[derive(Debug, Clone)]
pub(super) enum Wish {
    /// Of a role: a feature or a setting.
    Role(&'static str, &'static str, &'static str),
    /// Of the site.
    Site(&'static str, &'static str),
    /// Of a check: it is off, for a role or for all.
    Off(Option<&'static str>, &'static str),
}

impl Wish {
    /// Whether it switches off a check that answers for the drill that a line names, or leaves a setting open.
    fn silences(&self, odd: &str) -> bool {
        let check = match self {
            Self::Off(_, check) => check,
            Self::Role(_, name, _) => return LEFT_OPEN.contains(name) && odd.contains(" is outage;"),
            Self::Site(..) => return false,
        };
        let named = |drill: &&drill::Drill| odd.contains(&format!(": {} is ", drill.name));
        drill::all().iter().filter(named).any(|drill| drill.is_answered_by(check))
    }
}

const WISHES: [&str; 3] = ["wanted", "unwanted", "any"];

const FEATURES: [&str; 16] = [
    "port-security",
    "port-security.pinning",
    "dhcp-snooping",
    "arp-inspection",
    "source-guard",
    "ipv6-guard",
    "fast-start",
    "guard.bpdu",
    "guard.root",
    "guard.loop",
    "guard.loop-detection",
    "storm",
    "power.enabled",
    "multicast.fast-leave",
    "unidirectional",
    "flap",
];

/// Settings that a role may leave to whoever is there.
const LEFT_OPEN: [&str; 9] = [
    "port-security.limit",
    "dhcp-snooping.trusted",
    "arp-inspection.trusted",
    "spanning-tree.port-enabled",
    "guard.bpdu-filter",
    "ipv6-guard.servers-blocked",
    "flap.threshold",
    "port.ingress-filtering",
    "multicast.router-port",
];

const SITE: [(&str, &[&str]); 8] = [
    ("start-within", &["\"1s\"", "\"5s\"", "\"60s\""]),
    ("detected-edges", &["\"set\"", "\"enough\""]),
    ("address-check", &["\"any\"", "\"unwanted\""]),
    ("multicast-snooping", &["\"any\"", "\"unwanted\""]),
    ("flap-threshold", &["2", "40"]),
    ("flap-window", &["1", "60"]),
    ("unidirectional-action", &["\"report-only\"", "\"strict\""]),
    ("marking", &["\"none\"", "\"dscp\""]),
];

const ROLES: [&str; 9] = ["desk", "host", "screen", "virtual", "spare", "capture", "up", "down", "server"];

pub(super) fn wish() -> impl Strategy<Value = Wish> {
    use proptest::sample::select;
    let feature = (select(&ROLES[..]), select(&FEATURES[..]), select(&WISHES[..]));
    let feature = feature.prop_map(|(role, feature, wish)| Wish::Role(role, feature, wish));
    let open = (select(&ROLES[..]), select(&LEFT_OPEN[..])).prop_map(|(role, name)| Wish::Role(role, name, "any"));
    let site = select(&SITE[..]).prop_flat_map(|(key, values)| (Just(key), select(values)));
    let site = site.prop_map(|(key, value)| Wish::Site(key, value));
    let answers: Vec<&'static str> = drill::all().iter().flat_map(|drill| drill.answers.iter().copied()).collect();
    let off =
        (proptest::option::of(select(&ROLES[..])), select(answers)).prop_map(|(role, check)| Wish::Off(role, check));
    prop_oneof![4 => feature, 2 => open, 3 => site, 1 => off]
}

/// The port of each role; features of the whole switch hang on all of its roles.
const PLACES: [(&str, &str); 9] = [
    ("desk", "edge 1.1"),
    ("host", "edge 1.2"),
    ("virtual", "edge 1.3"),
    ("screen", "edge 1.4"),
    ("spare", "edge 1.5"),
    ("capture", "edge 1.6"),
    ("up", "edge 1.7"),
    ("server", "core 1.1"),
    ("down", "core 1.2"),
];

/// Steps that take a feature away from where a role has its port, each with role and feature.
fn pairs(weak: &[Step]) -> Vec<(&'static str, &'static str, Step)> {
    let mut pairs = Vec::new();
    for step in weak {
        let Step::Setting(change) = step else { continue };
        let is_of = |feature: &&&str| {
            change.setting.strip_prefix(**feature).is_some_and(|rest| rest.is_empty() || rest.starts_with('.'))
        };
        let Some(feature) = FEATURES.iter().filter(is_of).max_by_key(|feature| feature.len()) else { continue };
        let at = |(_, place): &&(&str, &str)| change.place == *place || place.split(' ').next() == Some(&*change.place);
        pairs.extend(PLACES.iter().filter(at).map(|(role, _)| (*role, *feature, step.clone())));
    }
    pairs
}

/// The strict policy's text with other wishes in it: of two of one thing the later.
pub(super) fn written(wishes: &[Wish]) -> String {
    let mut text = String::new();
    let site: BTreeMap<&str, &str> = wishes
        .iter()
        .filter_map(|w| if let Wish::Site(key, value) = w { Some((*key, *value)) } else { None })
        .collect();
    let (mut role, mut expects, mut in_site) = (None, false, false);
    let said = |role: &str| -> BTreeMap<&str, &str> {
        let of = |w: &Wish| match w {
            Wish::Role(of, name, wish) if *of == role => Some((*name, *wish)),
            _ => None,
        };
        wishes.iter().filter_map(of).collect()
    };
    let strict = strict_text();
    let close = |text: &mut String, role: &mut Option<String>, expects: &mut bool| {
        let Some(name) = role.take() else { return };
        let said = said(&name);
        if !*expects && !said.is_empty() {
            text.push_str("[role.expect]\n");
        }
        said.iter().for_each(|(name, wish)| writeln!(text, "\"{name}\" = \"{wish}\"").unwrap());
        *expects = false;
    };
    for line in strict.lines() {
        let key = line.split('=').next().unwrap_or("").trim().trim_matches('"');
        if line.starts_with('[') && line != "[role.expect]" {
            close(&mut text, &mut role, &mut expects);
            in_site = line == "[site]";
        }
        expects |= line == "[role.expect]";
        let again = in_site && site.contains_key(key)
            || expects && role.as_deref().is_some_and(|role| said(role).contains_key(key));
        if let (false, Some(name)) = (expects, line.strip_prefix("name = \"")) {
            role = role.or_else(|| Some(name.trim_end_matches('"').to_owned()));
        }
        if !again {
            text.push_str(line);
            text.push('\n');
        }
        if line == "[site]" {
            site.iter().for_each(|(key, value)| writeln!(text, "{key} = {value}").unwrap());
        }
    }
    close(&mut text, &mut role, &mut expects);
    let off: BTreeSet<(Option<&str>, &str)> = wishes
        .iter()
        .filter_map(|w| if let Wish::Off(role, check) = w { Some((*role, *check)) } else { None })
        .collect();
    text.push_str("[levels]\n");
    for check in off.iter().filter(|(role, _)| role.is_none()).map(|(_, check)| check) {
        writeln!(text, "\"{check}\" = \"off\"").unwrap();
    }
    for (role, check) in off.iter().filter_map(|(role, check)| Some((*role.as_ref()?, check))) {
        writeln!(text, "\"{role}:{check}\" = \"off\"").unwrap();
    }
    text
}

#[test]
fn right_by_its_own_policy() {
    let cases: u32 = std::env::var("YELLOWLEGS_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(1500);
    let fleet = &fleet();
    let records = &bare_records(fleet);
    let [settings, traits, roles] = steps(fleet);
    // A host at the end of a cable of the policy is the policy's own contradiction.
    let roles: Vec<Step> =
        roles.into_iter().filter(|s| !matches!(s, Step::Role("edge", 6, _) | Step::Role("core", 1, _))).collect();
    let weak: Vec<Step> = settings.iter().filter(|step| step.weakens()).cloned().collect();
    let pairs = proptest::sample::select(pairs(&weak));
    // What is weak is often not asked for: then the fleet is right.
    let pair = (pairs, prop_oneof![5 => Just("any"), 3 => Just("unwanted"), 2 => Just("wanted")], 0..10_u8);
    let pair = pair.prop_map(|((role, feature, step), wish, weak)| {
        (Some(Wish::Role(role, feature, wish)), (weak < 9).then_some(step))
    });
    let [settings, traits, roles, weak] = [settings, traits, roles, weak].map(proptest::sample::select);
    let step = prop_oneof![3 => weak, 3 => settings, 1 => traits, 1 => roles];
    let pair = prop_oneof![8 => pair, 2 => wish().prop_map(|wish| (Some(wish), None)), 2 => step.prop_map(|step| (None, Some(step)))];
    let all = &proptest::collection::vec(pair, 1..9).prop_map(|pairs| -> (Vec<Wish>, Vec<Step>) {
        let (wishes, steps): (Vec<_>, Vec<_>) = pairs.into_iter().unzip();
        (wishes.into_iter().flatten().collect(), steps.into_iter().flatten().collect())
    });
    let ways: &Mutex<BTreeMap<(&'static str, Outcome), usize>> = &Mutex::default();
    let clean: &Mutex<usize> = &Mutex::default();
    let wrong = try_each(cases, all, |(wishes, steps)| {
        let policy: Policy = policy(&written(&wishes));
        let Some(after) = after(fleet, records, &steps) else { return Ok(()) };
        let (mut odds, came) = odds(&policy, &after, &steps, Plays::Itself);
        // Who switches a check off is not told of what it would have said; what breaks breaks all the same.
        odds.retain(|odd| !wishes.iter().any(|wish| wish.silences(odd)));
        *clean.lock().unwrap() += usize::from(came.iter().all(|(_, outcome)| *outcome > Outcome::Outage));
        let mut ways = ways.lock().unwrap();
        came.into_iter().for_each(|way| *ways.entry(way).or_default() += 1);
        drop(ways);
        let shown: Vec<String> = odds.iter().map(|line| line.chars().take(400).collect()).collect();
        prop_assert!(
            odds.is_empty(),
            "{:#?} under {:?} after {:#?}",
            shown,
            wishes,
            steps.iter().map(Step::told).collect::<Vec<_>>()
        );
        Ok(())
    });
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    let (ways, clean) = (ways.lock().unwrap(), *clean.lock().unwrap());
    let agreed: BTreeMap<&str, usize> = ways
        .iter()
        .filter(|((_, outcome), _)| *outcome == Outcome::Agreed)
        .map(|((drill, _), n)| (*drill, *n))
        .collect();
    println!("{clean} of {cases} without a hole; agreed: {agreed:?}");
    assert!(agreed.len() >= 12 && clean > cases as usize / 3, "{clean} of {cases} without a hole; agreed: {agreed:?}");
}

/// The strict policy asks for everything: nothing is agreed on under it.
#[test]
fn the_strict_policy_agrees_to_nothing() {
    let (policy, fleet) = (policy(&strict_text()), fleet());
    let records = bare_records(&fleet);
    for step in steps(&fleet)[0].iter().filter(|step| step.weakens()) {
        let Some(after) = after(&fleet, &records, std::slice::from_ref(step)) else { continue };
        let around = around(&policy, &after);
        for (name, resolved) in &after {
            for ((port, drill), outcome) in super::rehearsed(&policy, resolved, &around, Plays::Itself) {
                assert_ne!(outcome, Outcome::Agreed, "{name} {port}: {drill} after {}", step.told());
            }
        }
    }
}

/// What a role or the site asks for no more is agreed on; what it asks for still gets through.
#[rstest]
#[case("host", "port-security", "any", "second-station", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false))], Outcome::Agreed)]
#[case("host", "port-security", "wanted", "second-station", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false))], Outcome::LetThrough)]
// Who has it on and too wide is told of it, whether it is wanted or not.
#[case("host", "port-security", "any", "second-station", "edge 1.2", &[("edge 1.2", "port-security.limit", json!(3))], Outcome::LetThrough)]
#[case("host", "port-security.limit", "any", "second-station", "edge 1.2", &[("edge 1.2", "port-security.limit", json!(3))], Outcome::Agreed)]
#[case("desk", "dhcp-snooping", "any", "rogue-server", "edge 1.1", &[("edge", "dhcp-snooping.enabled", json!(false))], Outcome::Agreed)]
#[case("host", "dhcp-snooping", "any", "rogue-server", "edge 1.1", &[("edge", "dhcp-snooping.enabled", json!(false))], Outcome::LetThrough)]
#[case("desk", "dhcp-snooping", "any", "rogue-server", "edge 1.1", &[("edge 1.1", "dhcp-snooping.trusted", json!(true))], Outcome::LetThrough)]
#[case("desk", "arp-inspection", "any", "forged-arp", "edge 1.1", &[("edge", "arp-inspection.vlans", json!("140"))], Outcome::Agreed)]
#[case("desk", "source-guard", "any", "forged-source", "edge 1.1", &[("edge 1.1", "source-guard.enabled", json!(false))], Outcome::Agreed)]
// One of two that would have stopped it is wanted.
#[case("host", "source-guard", "any", "copied-address", "edge 1.2", &[("edge 1.2", "source-guard.enabled", json!(false)), ("edge", "arp-inspection.vlans", json!("140"))], Outcome::LetThrough)]
#[case("desk", "ipv6-guard", "unwanted", "rogue-router", "edge 1.1", &[("edge 1.1", "ipv6-guard.servers-blocked", json!(false))], Outcome::Agreed)]
#[case("desk", "guard.bpdu", "any", "brought-bridge", "edge 1.1", &[("edge 1.1", "guard.bpdu", json!(false))], Outcome::Agreed)]
#[case("desk", "guard.bpdu", "any", "brought-bridge", "edge 1.1", &[("edge 1.1", "spanning-tree.port-enabled", json!(false))], Outcome::LetThrough)]
#[case("desk", "spanning-tree.port-enabled", "any", "brought-bridge", "edge 1.1", &[("edge 1.1", "spanning-tree.port-enabled", json!(false))], Outcome::Agreed)]
// The guard is asked for on edge ports: one that is none was to be one.
#[case("desk", "fast-start", "any", "brought-bridge", "edge 1.1", &[("edge 1.1", "fast-start.mode", json!("off")), ("edge 1.1", "guard.bpdu", json!(false))], Outcome::Agreed)]
#[case("desk", "guard.bpdu", "any", "brought-bridge", "edge 1.1", &[("edge 1.1", "fast-start.mode", json!("off")), ("edge 1.1", "guard.bpdu", json!(false))], Outcome::LetThrough)]
#[case("down", "guard.root", "any", "root-takeover", "core 1.2", &[("core 1.2", "guard.root", json!(false))], Outcome::Agreed)]
#[case("desk", "guard.loop-detection", "any", "phone-loop", "edge 1.1", &[("edge 1.1", "guard.loop-detection", json!(false))], Outcome::Agreed)]
#[case("desk", "fast-start", "any", "desk-boot", "edge 1.1", &[("edge 1.1", "fast-start.mode", json!("off"))], Outcome::Agreed)]
#[case("up", "flap", "any", "flapping-plug", "edge 1.7", &[("edge 1.7", "flap.enabled", json!(false))], Outcome::Agreed)]
#[case("up", "flap", "any", "flapping-plug", "edge 1.7", &[("edge 1.7", "flap.threshold", json!(40))], Outcome::LetThrough)]
#[case("up", "flap.threshold", "any", "flapping-plug", "edge 1.7", &[("edge 1.7", "flap.threshold", json!(40))], Outcome::Agreed)]
// The very value that a role asks for is right; one that it asks otherwise is not.
#[case("desk", "ipv6-guard.servers-blocked", "unwanted", "rogue-router", "edge 1.1", &[("edge 1.1", "ipv6-guard.servers-blocked", json!(false))], Outcome::Agreed)]
#[case("desk", "ipv6-guard.servers-blocked", "wanted", "rogue-router", "edge 1.1", &[("edge 1.1", "ipv6-guard.servers-blocked", json!(false))], Outcome::LetThrough)]
#[case("desk", "ipv6-guard.advertisements-blocked", "unwanted", "rogue-router", "edge 1.1", &[("edge 1.1", "ipv6-guard.servers-blocked", json!(false))], Outcome::LetThrough)]
// A spare port that is up was to be shut.
#[case("spare", "storm", "any", "address-flood", "edge 1.5", &[("edge 1.5", "port.enabled", json!(true))], Outcome::LetThrough)]
#[case("spare", "port.enabled", "any", "address-flood", "edge 1.5", &[("edge 1.5", "port.enabled", json!(true))], Outcome::Agreed)]
// Both ends of a fibre have a say.
#[case("up", "unidirectional", "any", "one-way-fibre", "edge 1.7", &[("edge 1.7", "unidirectional.mode", json!("off")), ("core 1.2", "unidirectional.mode", json!("off")), ("edge 1.7", "guard.loop", json!(false))], Outcome::LetThrough)]
fn what_is_asked_for_no_more_is_agreed_on(
    #[case] role: &'static str,
    #[case] name: &'static str,
    #[case] wish: &'static str,
    #[case] drill: &str,
    #[case] place: &str,
    #[case] changes: Changes<'_>,
    #[case] expected: Outcome,
) {
    let told = after_changes(&written(&[Wish::Role(role, name, wish)]), drill, place, changes);
    assert_eq!(told.outcome, expected, "{}", told.says);
    assert_eq!(told.says.ends_with("the policy asks for nothing that would stop it"), expected == Outcome::Agreed);
}

/// Neither end of a fibre wants detection, nor its deaf one loop guard.
#[test]
fn a_fibre_that_nobody_wants_watched() {
    let off = |place| (place, "unidirectional.mode", json!("off"));
    let changes = [off("edge 1.7"), off("core 1.2"), ("edge 1.7", "guard.loop", json!(false))];
    let wishes = [("up", "unidirectional"), ("down", "unidirectional"), ("up", "guard.loop"), ("down", "guard.loop")];
    let wishes = wishes.map(|(role, feature)| Wish::Role(role, feature, "any"));
    let told = after_changes(&written(&wishes), "one-way-fibre", "edge 1.7", &changes);
    assert_eq!(told.outcome, Outcome::Agreed, "{}", told.says);
    // Weaker than the site wants it is told, wanted or not.
    let weak = |place| (place, "unidirectional.mode", json!("report-only"));
    let changes = [weak("edge 1.7"), weak("core 1.2"), ("edge 1.7", "guard.loop", json!(false))];
    let told = after_changes(&written(&wishes), "one-way-fibre", "edge 1.7", &changes);
    assert_eq!(told.outcome, Outcome::LetThrough, "{}", told.says);
    let wishes = [wishes.as_slice(), &[Wish::Site("unidirectional-action", "\"report-only\"")]].concat();
    let told = after_changes(&written(&wishes), "one-way-fibre", "edge 1.7", &changes);
    assert_eq!(told.outcome, Outcome::Agreed, "{}", told.says);
}

/// What the site says of values, and which checks are on.
#[rstest]
#[case(Wish::Site("address-check", "\"any\""), "starvation", "edge 1.2", &[("edge", "dhcp-snooping.address-check", json!(false))], Outcome::Agreed)]
#[case(Wish::Site("address-check", "\"any\""), "starvation", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false))], Outcome::LetThrough)]
#[case(Wish::Site("start-within", "\"60s\""), "desk-boot", "edge 1.2", &[("edge 1.2", "fast-start.mode", json!("off"))], Outcome::Held)]
#[case(Wish::Site("flap-threshold", "40"), "flapping-plug", "edge 1.1", &[("edge 1.1", "flap.threshold", json!(30))], Outcome::Agreed)]
#[case(Wish::Site("flap-threshold", "20"), "flapping-plug", "edge 1.1", &[("edge 1.1", "flap.threshold", json!(30))], Outcome::LetThrough)]
#[case(Wish::Site("multicast-snooping", "\"any\""), "stream-join", "edge 1.4", &[("edge", "multicast.snooping", json!(false))], Outcome::Agreed)]
#[case(Wish::Site("multicast-snooping", "\"wanted\""), "stream-join", "edge 1.4", &[("edge", "multicast.snooping", json!(false))], Outcome::LetThrough)]
#[case(Wish::Off(None, "flap/off"), "flapping-plug", "edge 1.1", &[("edge 1.1", "flap.enabled", json!(false))], Outcome::LetThrough)]
#[case(Wish::Off(None, "source-guard/off"), "forged-source", "edge 1.1", &[("edge 1.1", "source-guard.enabled", json!(false))], Outcome::LetThrough)]
#[case(Wish::Off(Some("desk"), "guard/bpdu-missing"), "brought-bridge", "edge 1.1", &[("edge 1.1", "guard.bpdu", json!(false))], Outcome::LetThrough)]
fn what_the_site_says(
    #[case] wish: Wish,
    #[case] drill: &str,
    #[case] place: &str,
    #[case] changes: Changes<'_>,
    #[case] expected: Outcome,
) {
    let told = after_changes(&written(&[wish]), drill, place, changes);
    assert_eq!(told.outcome, expected, "{}", told.says);
}

/// An agreement on a mirror holds until its last day, for a part of what was agreed, and for no more.
#[rstest]
#[case("last-day = \"2031-12-31\"", "last-day = \"2031-03-04\"", Outcome::Held)]
#[case("last-day = \"2031-12-31\"", "last-day = \"2031-03-03\"", Outcome::LetThrough)]
#[case("sources = [\"1.2 received\"]", "sources = [\"1.2 received\", \"1.4 both\"]", Outcome::Held)]
#[case("sources = [\"1.2 received\"]", "sources = [\"1.4 received\"]", Outcome::LetThrough)]
#[case("sources = [\"1.2 received\"]", "sources = [\"1.2 sent\"]", Outcome::LetThrough)]
#[case("sources = [\"1.2 received\"]", "sources = [\"1.2 both\"]", Outcome::Outage)]
#[case("target = \"1.6\"", "target = \"1.5\"", Outcome::LetThrough)]
fn an_agreement_on_a_mirror(#[case] line: &str, #[case] instead: &str, #[case] expected: Outcome) {
    let text = strict_text();
    assert!(text.contains(line));
    let told = after_changes(&text.replacen(line, instead, 1), "mirror-tap", "edge 1.6", &[]);
    assert_eq!(told.outcome, expected, "{}", told.says);
}

/// The setting that decided is the one that would have to be another.
#[rstest]
#[case("second-station", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false))], "port-security.enabled")]
#[case("second-station", "edge 1.2", &[("edge 1.2", "port-security.limit", json!(3))], "port-security.limit")]
#[case("swapped-station", "edge 1.2", &[("edge 1.2", "port-security.pinning", json!(false))], "port-security.pinning")]
#[case("address-flood", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false))], "port-security.enabled")]
#[case("rogue-server", "edge 1.1", &[("edge", "dhcp-snooping.enabled", json!(false))], "dhcp-snooping.enabled")]
#[case("rogue-server", "edge 1.1", &[("edge", "dhcp-snooping.vlans", json!("140"))], "dhcp-snooping.vlans")]
#[case("rogue-server", "edge 1.1", &[("edge", "platform.ready", json!([]))], "platform.ready")]
#[case("rogue-server", "edge 1.1", &[("edge 1.1", "dhcp-snooping.trusted", json!(true))], "dhcp-snooping.trusted")]
#[case("forged-arp", "edge 1.1", &[("edge", "arp-inspection.vlans", json!("140"))], "arp-inspection.vlans")]
#[case("forged-arp", "edge 1.1", &[("edge 1.1", "arp-inspection.trusted", json!(true))], "arp-inspection.trusted")]
#[case("starvation", "edge 1.2", &[("edge", "dhcp-snooping.address-check", json!(false))], "dhcp-snooping.address-check")]
#[case("starvation", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false))], "port-security.enabled")]
#[case("starvation", "edge 1.2", &[("edge", "dhcp-snooping.enabled", json!(false))], "dhcp-snooping.enabled")]
#[case("brought-bridge", "edge 1.1", &[("edge", "spanning-tree.off-vlans", json!("110"))], "spanning-tree.off-vlans")]
#[case("brought-bridge", "edge 1.1", &[("edge 1.1", "guard.bpdu-filter", json!(true))], "guard.bpdu-filter")]
#[case("root-takeover", "core 1.2", &[("core 1.2", "guard.root", json!(false))], "guard.root")]
#[case("root-takeover", "core 1.2", &[], "guard.root")]
#[case("patched-loop", "edge 1.2", &[("edge 1.2", "spanning-tree.port-enabled", json!(false)), ("edge 1.2", "guard.loop-detection", json!(false))], "spanning-tree.port-enabled")]
#[case("phone-loop", "edge 1.1", &[("edge 1.1", "guard.loop-detection", json!(false))], "guard.loop-detection")]
#[case("desk-boot", "edge 1.2", &[("edge 1.2", "spanning-tree.port-enabled", json!(false))], "spanning-tree.port-enabled")]
#[case("desk-boot", "edge 1.2", &[], "fast-start.mode")]
#[case("flapping-plug", "edge 1.1", &[("edge 1.1", "flap.threshold", json!(40))], "flap.threshold")]
#[case("flapping-plug", "edge 1.1", &[("edge 1.1", "flap.enabled", json!(false))], "flap.enabled")]
#[case("one-way-fibre", "core 1.2", &[("core 1.2", "unidirectional.interval", json!(15))], "guard.loop")]
#[case("one-way-fibre", "core 1.2", &[], "unidirectional.mode")]
#[case("tag-hop", "edge 1.2", &[], "port.acceptable-frames")]
#[case("tag-hop", "edge 1.7", &[("edge 1.7", "port.description", json!("virtual")), ("edge 1.7", "port.tagged-vlans", json!("110"))], "port.ingress-filtering")]
fn the_setting_that_decided(
    #[case] drill: &str,
    #[case] place: &str,
    #[case] changes: Changes<'_>,
    #[case] setting: &str,
) {
    let told = after_changes(&strict_text(), drill, place, changes);
    assert_eq!(told.because.map(|because| because.setting.name()), Some(setting), "{}", told.says);
}

/// Addresses are of the VLAN's subnet, and unlike.
#[rstest]
#[case("", "192.0.2.10", "192.0.2.11", "192.0.2.1")]
#[case("\"198.51.100.0/24\"", "198.51.100.10", "192.0.2.11", "198.51.100.1")]
#[case("\"2001:db8::/64\", \"198.51.100.64/29\"", "198.51.100.66", "192.0.2.11", "198.51.100.65")]
#[case("\"198.51.100.0/31\"", "192.0.2.10", "192.0.2.11", "192.0.2.1")]
fn who_asks_the_server_has_an_address_of_the_vlan(
    #[case] subnet: &str,
    #[case] host: &str,
    #[case] phone: &str,
    #[case] gateway: &str,
) {
    let text = strict_text();
    let named = "110 = { name = \"desks\", ";
    assert!(text.contains(named));
    let with = if subnet.is_empty() { named.to_owned() } else { format!("{named}subnet = [{subnet}], ") };
    let told = after_changes(&text.replacen(named, &with, 1), "real-server", "edge 1.1", &[]);
    let story: Vec<&str> = told.story.iter().map(|line| &*line.words).collect();
    for address in [host, phone, gateway] {
        assert!(story.iter().any(|words| words.contains(address)), "{address}: {story:#?}");
    }
}

/// Where a cable is not known its port is named.
#[test]
fn the_port_whose_cable_nobody_knows() {
    let text = strict_text();
    let (before, link) = text.split_once("[[link]]").unwrap();
    let (_, after) = link.split_once("[[mirror]]").unwrap();
    let told = after_changes(&format!("{before}[[mirror]]{after}"), "real-server", "edge 1.1", &[]);
    assert_eq!(told.outcome, Outcome::Undetermined);
    assert!(told.says.contains("hangs on links, which nobody knows: those of edge 1.7"), "{}", told.says);
}

/// What is changed: place, setting, value.
type Changes<'a> = &'a [(&'a str, &'a str, Value)];

fn after_changes(text: &str, drill: &str, place: &str, changes: Changes<'_>) -> Rehearsal {
    let (policy, fleet) = (policy(text), fleet());
    let mut records = bare_records(&fleet);
    for (place, setting, value) in changes {
        change(&mut records, place, setting, value);
    }
    let after: BTreeMap<&str, _> =
        records.iter().map(|(name, record)| (*name, super::changes::read(record, name).unwrap())).collect();
    let (switch, port) = place.split_once(' ').unwrap();
    played(&policy, &after[switch], &around(&policy, &after), port, drill).unwrap()
}
