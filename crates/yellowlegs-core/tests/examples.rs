//! For each check on configuration a violating and a right example in Shingle, written through the dialect: from a fleet that
//! is right one setting is given a wrong value, as the knock-out found it, and then its own again.
//!
//! They stand in `src/check/examples.toml`; `YELLOWLEGS_RENEW=1` writes it again.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::support::right;
use crate::support::right::{POLICY, fleet, judged};
use crate::support::{compare, policy, shingle_without};
use serde_json::{Value as Json, json};
use yellowlegs_core::check::{Check, all};
use yellowlegs_core::model::{SavedCopy, SettingId, Value, VlanId};
use yellowlegs_core::resolve::{About, Resolved, State, Wanted, resolve_with};
use yellowlegs_core::source::Source;

/// A place, a setting there, and a wrong value. `policy`: a value of the site. `without`: all lines that begin so.
type Step<'t> = (&'t str, &'t str, &'t str);

/// Checks that take other steps from a right fleet than one setting, or that show better by these.
const STEPS: &[(&str, &[Step<'_>])] = &[
    ("port-security/pinned-unsaved", &[("edge 1.2", "port-security.pinned-stations", "02:00:5e:10:00:01")]),
    (
        "port-security/pinned-twice",
        &[
            ("edge 1.1", "port-security.written-stations", "02:00:5e:10:00:01"),
            ("edge 1.2", "port-security.written-stations", "02:00:5e:10:00:01"),
        ],
    ),
    ("dhcp-snooping/off", &[("edge", "without", "dhcp ")]),
    ("multicast/snooping-off", &[("edge", "without", "choir ")]),
    ("unidirectional/off", &[("core 1.2", "unidirectional.mode", "off"), ("edge 1.7", "unidirectional.mode", "off")]),
    ("fast-start/reach", &[("core 1.2", "port.mode", "access")]),
    ("fast-start/slow", &[("policy", "start-within", "2"), ("edge 1.2", "fast-start.mode", "auto")]),
    (
        "voice/range-overlap",
        &[(
            "edge",
            "switch.address-ranges",
            "02:00:5e:20:00:00-02:00:5e:20:ff:ff@210, 02:00:5e:20:00:00-02:00:5e:20:0f:ff@110",
        )],
    ),
    ("voice/range-wide", &[("edge", "switch.address-ranges", "02:00:5e:00:00:00-02:00:5e:ff:ff:ff@210")]),
    ("config/unsaved", &[("edge 1.2", "storm.action", "disable-port")]),
    ("config/restart-pending", &[("edge", "platform.ready", ""), ("edge", "platform.pending", "binding-loft")]),
];

/// Checks that no line of a configuration shows, with what they are about.
const NONE: &[(&str, &str)] = &[
    ("port/role-unknown", "about the policy: no role of it fits the port"),
    ("config/drift", "about two whole configurations that should be alike"),
    ("config/waiver-expired", "about an entry of the policy"),
    ("config/policy-unused", "about an entry of the policy"),
    ("config/unread", "about lines that the dialect does not know"),
    ("config/torn", "about texts that are cut, or two in one file"),
    ("config/dangling", "about a profile that ports use and nothing describes"),
];

fn about(place: &str) -> (&str, About) {
    match place.split_once(' ') {
        None => (place, About::Switch),
        Some((switch, "mirror")) => (switch, About::Mirror("1".into())),
        Some((switch, rest)) => match rest.strip_prefix("vlan ") {
            Some(vlan) => (switch, About::Vlan(VlanId::new(vlan.parse().unwrap()).unwrap())),
            None => (switch, About::Port(rest.into())),
        },
    }
}

/// A switch with another text.
fn again(resolved: &Resolved, text: String) -> Resolved {
    let name = resolved.switch.name();
    let source = Arc::new(Source::of(format!("{name}.txt"), text));
    let after = resolve_with(Arc::clone(name), &shingle_without(&[]), source, &State::default());
    after.with_saved(resolved.switch.saved().clone())
}

/// The lines for a step and the switch after them; `None` where the dialect has no words for the value.
fn step(resolved: &Resolved, about: &About, setting: SettingId, value: &Value) -> Option<(Vec<String>, Resolved)> {
    let wanted = Wanted { about: about.clone(), setting, value: value.clone() };
    let edit = resolved.edit(&wanted).ok()?;
    Some((edit.lines, again(resolved, edit.text)))
}

/// The value of a row, which is JSON or a word.
fn value_of(id: SettingId, text: &str) -> Option<Value> {
    let kind = id.info().kind;
    match text.parse() {
        Ok(number) => kind.from_number(number).ok(),
        Err(_) => kind.parse(&text.replace(['[', ']', '"'], "")).ok(),
    }
}

/// The example of a check by these steps, if they break it and the way back mends it.
fn example(check: &Check, steps: &[Step<'_>]) -> Option<Json> {
    let saved = |resolved: Resolved| {
        let keeps = check.needs.contains(&"saved configuration");
        let copy = SavedCopy::Read(Arc::new(resolved.switch.clone()));
        if keeps { resolved.with_saved(copy) } else { resolved }
    };
    let whole: BTreeMap<&str, Resolved> = fleet().into_iter().map(|(name, resolved)| (name, saved(resolved))).collect();
    let (mut fleet, mut site) = (whole.clone(), POLICY.to_owned());
    let (mut violating, mut right, mut settings) = (Vec::new(), Vec::new(), Vec::new());
    for (place, name, value) in steps {
        let (switch, about) = about(place);
        match (*place, *name) {
            ("policy", _) => site = site.replacen("[site]", &format!("[site]\n{name} = {value}"), 1),
            (_, "without") => {
                let text = right::text(switch);
                let kept: Vec<&str> = text.lines().filter(|line| !line.trim().starts_with(value)).collect();
                fleet.insert(switch, again(&whole[switch], kept.join("\n")));
            }
            _ => {
                let id = SettingId::by_name(name)?;
                let (lines, after) = step(&fleet[switch], &about, id, &value_of(id, value)?)?;
                violating.extend(lines);
                settings.push(*name);
                fleet.insert(switch, after);
            }
        }
    }
    let policy = policy(&site);
    let is_told = |fleet: &BTreeMap<&str, Resolved>| {
        judged(&policy, fleet).iter().any(|line| line.split(' ').next() == Some(check.id))
    };
    if !is_told(&fleet) {
        return None;
    }
    for (place, name, value) in steps.iter().filter(|(place, ..)| *place != "policy") {
        let (switch, about) = about(place);
        if *name == "without" {
            let lines = right::text(switch);
            right.extend(lines.lines().filter(|line| line.starts_with(value)).map(str::to_owned));
            fleet.insert(switch, whole[switch].clone());
            continue;
        }
        let id = SettingId::by_name(name)?;
        let (lines, after) = step(&fleet[switch], &about, id, &whole[switch].slot_of(&about, id).value?)?;
        right.extend(lines);
        fleet.insert(switch, after);
    }
    (!is_told(&fleet)).then(|| json!({"check": check.id, "settings": settings, "violating": violating, "right": right}))
}

/// The changes of the knock-out that break a check: those first that break least besides, on the edge, by no zero.
fn breaking(check: &Check) -> Vec<Step<'static>> {
    let mut found: Vec<((usize, bool, bool), Step<'_>)> = Vec::new();
    for row in include_str!("data/knock-out.txt").lines().filter(|row| !row.starts_with('#')) {
        let [change, place, told] = row.splitn(3, " | ").collect::<Vec<_>>()[..] else { panic!("{row}") };
        let (setting, value) = change.split_once(" = ").unwrap();
        let told: Vec<&str> = told.split(", ").collect();
        if told.iter().any(|told| told.split(' ').next() == Some(check.id)) {
            found.push(((told.len(), place.starts_with("core"), value == "0"), (place, setting, value)));
        }
    }
    found.sort_by_key(|(rank, _)| *rank);
    found.into_iter().map(|(_, step)| step).take(40).collect()
}

#[test]
fn each_check_has_a_violating_and_a_right_example() {
    let mut examples = Vec::new();
    for check in all().filter(|check| !check.is_state()) {
        if let Some((_, about)) = NONE.iter().find(|(id, _)| *id == check.id) {
            examples.push(json!({"check": check.id, "none": about}));
            continue;
        }
        let found = match STEPS.iter().find(|(id, _)| *id == check.id) {
            Some((_, steps)) => example(check, steps),
            None => breaking(check).into_iter().find_map(|step| example(check, &[step])),
        };
        match found {
            Some(found) => examples.push(found),
            None => panic!("{} has no example", check.id),
        }
    }
    let page = toml::to_string_pretty(&json!({"example": examples})).unwrap();
    compare("crates/yellowlegs-core/src/check/examples.toml", &page);
}
