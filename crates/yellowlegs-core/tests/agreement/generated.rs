//! Several changes at once, of settings, traits and roles, under the strict policy that is shipped: a drill that gets through or breaks
//! has a finding that answers for it. A counterexample is shrunk to the fewest changes. `YELLOWLEGS_CASES=1000000` plays more of them.

#![allow(
    clippy::disallowed_methods,
    clippy::disallowed_macros,
    reason = "a test may be asked for more, and tells its counts"
)]

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Mutex;

use proptest::prelude::*;
use serde_json::{Value as Json, json};
use yellowlegs_core::drill::{self, Outcome};
use yellowlegs_core::model::platform;
use yellowlegs_core::policy::Policy;
use yellowlegs_core::resolve::Resolved;

use super::changes::{Change, all, read};
use super::right::{POLICY, fleet_of, judged, text};
use super::support::{policy, record_json};
use super::{Plays, around, rehearsed, try_each};

const STRICT: &str = include_str!("../../../../docs/strict-policy.toml");

/// A role that the shipped policy leaves to the site. Servers, links and mirrors are those of the right fleet.
const SERVER: &str = r#"
[[role]]
name = "server"
faces = "host"
vlans = [300]
describes = ["^server"]
[role.expect]
"port-security.aging" = "unwanted"
"#;

/// What no check judges although it breaks something: setting, drill (any where it is empty, on that port). A tagged host without a VLAN
/// of its own; ports on the way to the server that are shut, take in nothing tagged, or ask switches who they are; a limit that is void
/// because it is forgotten in a moment; timers of multicast that are out of their range.
const UNJUDGED: &[(&str, &str)] = &[
    ("port.acceptable-frames", ""),
    ("port.acceptable-frames", "real-server"),
    ("port.enabled", "real-server"),
    ("authentication.enabled", "real-server"),
    ("port-security.aging", "starvation"),
    ("vlan.query-interval", "stream-join"),
    ("vlan.response-interval", "stream-join"),
    ("vlan.robustness", "stream-join"),
];

/// Drills that other switches or ports have a part in: a finding there answers, too.
const ACROSS: &[&str] = &["real-server", "one-way-fibre", "stream-join", "tag-hop"];

/// Every role, by what its ports are described as.
const ROLES: [&str; 9] = ["desk", "host", "screen", "virtual", "spare", "capture", "up", "down", "server"];

/// The strict policy, with what it leaves to the site.
pub(super) fn strict() -> Policy {
    policy(&strict_text())
}

/// Its text.
pub(super) fn strict_text() -> String {
    let (_, entries) = POLICY.split_once("[[dhcp-server]]").unwrap();
    format!("{STRICT}{SERVER}[[dhcp-server]]{entries}")
}

/// A fleet in which nothing is wrong under the strict policy.
pub(super) fn fleet() -> BTreeMap<&'static str, Resolved> {
    let notes = [
        ("edge", "1.1", "desk"),
        ("edge", "1.2", "host"),
        ("edge", "1.3", "virtual"),
        ("edge", "1.4", "screen"),
        ("edge", "1.5", "spare"),
        ("edge", "1.6", "capture"),
        ("edge", "1.7", "up"),
        ("core", "1.1", "server"),
        ("core", "1.2", "down"),
        ("core", "1.3..1.4", "spare"),
    ];
    let more = [
        ("host", "  echo watch\n"),
        ("virtual", "  crowd watch\n  crowd ceiling 8 then report\n  origin check\n  echo watch\n"),
        ("screen", "  origin check\n  echo watch\n"),
    ];
    fleet_of(|name| {
        let mut text = text(name).replace("arp watch lanes 110\n", "arp watch lanes 110,140,210,300\n");
        for (_, port, role) in notes.iter().filter(|(switch, ..)| *switch == name) {
            let lines = more.iter().find(|(of, _)| of == role).map_or("", |(_, lines)| lines);
            text = text.replace(&format!("\nsocket {port}\n"), &format!("\nsocket {port}\n  note {role}\n{lines}"));
        }
        text
    })
}

/// Every trait with every word alone, with none, and undeclared.
fn traits() -> Vec<(&'static str, Option<Vec<&'static str>>)> {
    let each = platform::ALL.iter().flat_map(|info| {
        let words = info.words.iter().map(|word| Some(vec![*word]));
        let none = if info.many { Some(Some(Vec::new())) } else { None };
        words.chain(none).chain([None]).map(|words| (info.name, words))
    });
    each.collect()
}

/// What is changed: settings, traits, descriptions (and with them roles).
#[derive(Debug, Clone)]
pub(super) enum Step {
    Setting(Change),
    Trait(&'static str, &'static str, Option<Vec<&'static str>>),
    Role(&'static str, usize, &'static str),
    /// Two stations are heard on a port.
    Two(&'static str, usize),
}

impl Step {
    pub(super) fn switch(&self) -> &'static str {
        match self {
            Self::Setting(change) => change.switch,
            Self::Trait(switch, ..) | Self::Role(switch, ..) | Self::Two(switch, _) => switch,
        }
    }

    /// Changes the record of its switch.
    pub(super) fn apply(&self, record: &mut Json) {
        match self {
            Self::Setting(change) => change.apply(record),
            Self::Trait(_, name, Some(words)) => record["traits"][name] = json!({"words": words}),
            Self::Trait(_, name, None) => _ = record["traits"].as_object_mut().unwrap().remove(*name),
            Self::Two(_, port) => {
                let name = record["ports"][port]["port"].clone();
                let heard = |last: u8| {
                    let address = format!("02:00:5e:00:00:{last:02x}");
                    let fields = json!({"address": address, "vlan": 140, "port": name, "kind": "learned"});
                    json!({"fact": "station", "fields": fields})
                };
                let facts: Vec<Json> = [1, 2].map(heard).into();
                match record["facts"].as_array_mut() {
                    Some(there) => there.extend(facts),
                    None => record["facts"] = json!(facts),
                }
            }
            Self::Role(_, port, role) => {
                let settings = &mut record["ports"][port]["settings"];
                settings["port.description"] = json!({"value": role, "origin": "port"});
            }
        }
    }

    /// Whether it takes protection away: a flag or a list emptied, a word that is the weakest.
    pub(super) fn weakens(&self) -> bool {
        let Self::Setting(change) = self else { return false };
        let weak = [json!(false), json!("none"), json!("off"), json!([]), json!("drop"), json!(0)];
        change.value.as_ref().is_some_and(|value| weak.contains(value))
    }

    /// Whether it leaves something that nobody knows.
    pub(super) fn is_unknown(&self) -> bool {
        matches!(self, Self::Setting(Change { value: None, .. }) | Self::Trait(_, _, None))
    }

    /// Whether nobody judges what it does to a drill.
    fn is_unjudged(&self, drill: &str, place: &str) -> bool {
        let Self::Setting(change) = self else { return false };
        let here = change.place == place && UNJUDGED.contains(&(change.setting, ""));
        here || UNJUDGED.contains(&(change.setting, drill))
    }

    pub(super) fn told(&self) -> String {
        match self {
            Self::Setting(change) => format!("{} {} = {}", change.place, change.setting, change.shown()),
            Self::Trait(switch, name, words) => format!("{switch} trait {name} = {words:?}"),
            Self::Two(switch, port) => format!("{switch} port number {port} hears two stations"),
            Self::Role(switch, port, role) => format!("{switch} port number {port} is for a {role}"),
        }
    }
}

/// Where drills and checks are at odds after some steps; and how each drill came out.
pub(super) fn odds(
    policy: &Policy,
    after: &BTreeMap<&str, Resolved>,
    steps: &[Step],
    plays: Plays,
) -> (Vec<String>, Vec<(&'static str, Outcome)>) {
    let (around, mut found) = (around(policy, after), None);
    let (mut odds, mut ways) = (Vec::new(), Vec::new());
    for (name, resolved) in after {
        for ((port, drill), outcome) in rehearsed(policy, resolved, &around, plays) {
            ways.push((drill, outcome));
            let place = format!("{name} {port}");
            let agreed = outcome == Outcome::Agreed;
            if outcome > Outcome::Outage && !agreed || steps.iter().any(|step| step.is_unjudged(drill, &place)) {
                continue;
            }
            let found: &BTreeSet<String> = found.get_or_insert_with(|| judged(policy, after));
            let rehearsed = drill::all().iter().find(|d| d.name == drill).unwrap();
            if agreed {
                // What is half switched on contradicts itself, whatever is asked for; an edge towards a bridge is no matter of roots.
                let other = |check: &str| {
                    check.ends_with("/not-armed") || drill == "root-takeover" && check.starts_with("fast-start/")
                };
                let asked = |check: &&&str| !other(check) && found.contains(&format!("{check} {place}"));
                let asked = rehearsed.answers.iter().find(asked);
                odds.extend(asked.map(|check| format!("{place}: {drill} is agreed on, and {check} is found")));
                continue;
            }
            let answered = |line: &String| {
                let open = line.starts_with('?');
                let (check, place) = line.trim_start_matches('?').split_once(' ').unwrap_or((line, ""));
                let here = place.is_empty() || place == *name || place == format!("{name} {port}");
                let here = here || ACROSS.contains(&drill);
                // Where either value of what nobody knows ends it badly, a drill says so, and its check is left open.
                let weighs = !open || steps.iter().any(Step::is_unknown);
                rehearsed.is_answered_by(check) && here && weighs
            };
            if !found.iter().any(answered) {
                odds.push(format!("{name} {port}: {drill} is {}; found {found:?}", outcome.word()));
            }
        }
    }
    (odds, ways)
}

#[test]
fn nothing_is_wrong_with_the_strict_fleet() {
    let (policy, fleet) = (strict(), fleet());
    assert_eq!(judged(&policy, &fleet.iter().map(|(name, r)| (*name, r.clone())).collect()), BTreeSet::new());
    let (odds, ways) = odds(&policy, &fleet.into_iter().collect(), &[], Plays::Shared);
    assert!(odds.is_empty(), "{odds:#?}");
    let broken: Vec<_> = ways.iter().filter(|(_, outcome)| *outcome < Outcome::Told).collect();
    assert!(broken.is_empty() && ways.len() > 100, "{broken:?} of {}", ways.len());
}

/// Every single step from a fleet: of settings to another value or to none, of traits, of roles.
pub(super) fn steps(fleet: &BTreeMap<&'static str, Resolved>) -> [Vec<Step>; 3] {
    let mut settings: Vec<Change> = all(fleet);
    let mut unknown: Vec<Change> = Vec::new();
    for change in &settings {
        let last = unknown.last().is_some_and(|last| (last.setting, &last.place) == (change.setting, &change.place));
        if !last {
            unknown.push(Change { value: None, ..change.clone() });
        }
    }
    settings.extend(unknown);
    let switches = || fleet.keys().copied();
    let traits = switches().flat_map(|switch| traits().into_iter().map(move |(name, w)| Step::Trait(switch, name, w)));
    let ports = fleet.iter().flat_map(|(name, r)| (0..r.switch.ports().len()).map(|port| (*name, port)));
    let roles = ports.flat_map(|(switch, port)| {
        ROLES.into_iter().map(move |role| Step::Role(switch, port, role)).chain([Step::Two(switch, port)])
    });
    [settings.into_iter().map(Step::Setting).collect(), traits.collect(), roles.collect()]
}

/// The records of a fleet, by switch.
pub(super) type Records = BTreeMap<&'static str, Json>;

pub(super) fn records(fleet: &BTreeMap<&'static str, Resolved>) -> Records {
    fleet.iter().map(|(name, resolved)| (*name, record_json(resolved))).collect()
}

/// The same without the lines that prove them: two thirds of each, where nobody asks for them and each is read thousands of times.
pub(super) fn bare_records(fleet: &BTreeMap<&'static str, Resolved>) -> Records {
    let mut records = records(fleet);
    records.values_mut().for_each(forget_lines);
    records
}

fn forget_lines(record: &mut Json) {
    match record {
        Json::Object(parts) => {
            parts.remove("evidence");
            parts.values_mut().for_each(forget_lines);
        }
        Json::Array(parts) => parts.iter_mut().for_each(forget_lines),
        _ => {}
    }
}

/// The fleet after some steps; none: there can be no such fleet.
pub(super) fn after(
    fleet: &BTreeMap<&'static str, Resolved>,
    records: &Records,
    steps: &[Step],
) -> Option<BTreeMap<&'static str, Resolved>> {
    let mut after = fleet.clone();
    for name in steps.iter().map(Step::switch).collect::<BTreeSet<_>>() {
        let mut record = records[name].clone();
        steps.iter().filter(|step| step.switch() == name).for_each(|step| step.apply(&mut record));
        after.insert(name, read(&record, name)?);
    }
    Some(after)
}

/// Each step alone.
#[test]
fn every_single_step_agrees() {
    let (policy, fleet) = (strict(), fleet());
    let (records, steps) = (bare_records(&fleet), steps(&fleet).concat());
    assert!(steps.len() > 3000, "{}", steps.len());
    let wrong = Mutex::new(Vec::new());
    let workers = std::thread::available_parallelism().map_or(1, usize::from);
    std::thread::scope(|scope| {
        for part in steps.chunks(steps.len().div_ceil(workers)) {
            let (policy, fleet, records, wrong) = (&policy, &fleet, &records, &wrong);
            scope.spawn(move || {
                for step in part {
                    let Some(after) = after(fleet, records, std::slice::from_ref(step)) else { continue };
                    let (odds, _) = odds(policy, &after, std::slice::from_ref(step), Plays::Itself);
                    let told = odds
                        .into_iter()
                        .map(|odd| format!("{}: {}", step.told(), odd.chars().take(250).collect::<String>()));
                    wrong.lock().unwrap().extend(told);
                }
            });
        }
    });
    let wrong = wrong.into_inner().unwrap();
    assert!(wrong.is_empty(), "{} of {} steps: {wrong:#?}", wrong.len(), steps.len());
}

#[test]
fn generated_fleets_agree() {
    let cases: u32 = std::env::var("YELLOWLEGS_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(1500);
    let (policy, fleet) = (strict(), fleet());
    let (policy, fleet, records) = (&policy, &fleet, &bare_records(&fleet));
    let all = steps(fleet);
    // Several at one port: anything, what is taken away, and of that what ends loops and what pins.
    let mut ports: BTreeMap<&str, [Vec<Step>; 4]> = BTreeMap::new();
    for step in &all[0] {
        let Step::Setting(change) = step else { continue };
        let [any, weak, loops, pins] = ports.entry(&change.place).or_default();
        any.push(step.clone());
        if step.weakens() && change.path.first().is_some_and(|step| step == "ports") {
            weak.push(step.clone());
            let families = [(loops, ["guard.", "spanning-tree."]), (pins, ["port-security.", "authentication."])];
            for (family, names) in families {
                family.extend(names.iter().any(|name| change.setting.starts_with(name)).then(|| step.clone()));
            }
        }
    }
    let ports: Vec<Vec<Step>> = ports.into_values().flatten().filter(|steps| !steps.is_empty()).collect();
    let at_a_port = proptest::sample::select(ports)
        .prop_flat_map(|steps| proptest::collection::vec(proptest::sample::select(steps), 1..7));
    // Two receivers, where port security has room for both; with fast leave and without. Room beside who is pinned.
    let set = |place: &str, setting: &str, value: Json| {
        let fits = |c: &Change| c.place == place && c.setting == setting && c.value.as_ref() == Some(&value);
        all[0].iter().find(|step| matches!(step, Step::Setting(c) if fits(c))).unwrap().clone()
    };
    let room = vec![Step::Two("edge", 3), set("edge 1.4", "port-security.limit", json!(10))];
    let slow = [room.clone(), vec![set("edge 1.4", "multicast.fast-leave", json!(false))]].concat();
    let beside = vec![set("edge 1.2", "port-security.limit", json!(10))];
    let two = proptest::sample::select(vec![room, slow, beside]);
    let at_a_port = prop_oneof![19 => at_a_port, 1 => two];
    let [settings, traits, roles] = all.map(proptest::sample::select);
    let anywhere = proptest::collection::vec(prop_oneof![6 => settings, 1 => traits, 2 => roles], 0..5);
    let steps = &(at_a_port, anywhere).prop_map(|(some, others)| [some, others].concat());
    let ways: &Mutex<BTreeMap<(&'static str, Outcome), usize>> = &Mutex::default();
    let wrong = try_each(cases, steps, |steps| {
        let Some(after) = after(fleet, records, &steps) else { return Ok(()) };
        let (odds, came) = odds(policy, &after, &steps, Plays::Shared);
        let mut ways = ways.lock().unwrap();
        came.into_iter().for_each(|way| *ways.entry(way).or_default() += 1);
        drop(ways);
        let shown: Vec<String> = odds.iter().map(|line| line.chars().take(300).collect()).collect();
        prop_assert!(odds.is_empty(), "{:#?} after {:#?}", shown, steps.iter().map(Step::told).collect::<Vec<_>>());
        Ok(())
    });
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    // Each drill came out each way often enough to mean something.
    let ways = ways.lock().unwrap();
    for drill in drill::all() {
        let of = |outcome| ways.get(&(drill.name, outcome)).copied().unwrap_or_default();
        let (held, broken) = (of(Outcome::Held), of(Outcome::LetThrough) + of(Outcome::Outage));
        println!(
            "{}: held {held}, not {broken}, told {}, open {}",
            drill.name,
            of(Outcome::Told),
            of(Outcome::Undetermined)
        );
        let enough = if drill.answers.is_empty() { of(Outcome::Told) > 100 } else { held > 20 && broken > 0 };
        assert!(enough, "{}: held {held}, not {broken}", drill.name);
    }
}
