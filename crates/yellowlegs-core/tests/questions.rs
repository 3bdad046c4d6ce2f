//! What a judge knows of the ports of other switches changes nothing: it comes to what one comes to that begins anew. Tried on a
//! fleet that is right, with every setting of every place given every other value, on switches of which the policy knows other
//! things, and on texts that hands, doubts and state have been at.

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::support::changes;
use crate::support::right::{POLICY, fleet};
use crate::support::{as_of, policy, record_json, shingle_without};
use proptest::prelude::*;
use rstest::rstest;
use yellowlegs_core::check::{Judge, Selection};
use yellowlegs_core::model::Value;
use yellowlegs_core::policy::{Name, Policy, assign};
use yellowlegs_core::resolve::{Resolved, State, resolve_with};
use yellowlegs_core::source::Source;

/// What the policy knows of one switch and not of others: a VLAN of its own purpose, a server, nobody who is there, a way out.
const ODD: &str = r#"
[[dhcp-server]]
switch = "odd"
port = "1.1"
[[link]]
a = { switch = "odd", port = "1.2" }
b = { outside = "pier ring", faces = "router" }
"#;

/// The policy of the right fleet, its lists for more names.
fn policy_for_all() -> Policy {
    let mut text = String::new();
    for line in POLICY.lines() {
        match (line.starts_with("ports = ["), line) {
            (true, _) => {
                let list = line.trim_start_matches("ports = [").trim_end_matches(']');
                let twin = list.replace("edge", "odd").replace("core", "off");
                text.extend(["ports = [", list, ", ", &twin, "]\n"]);
            }
            (false, "[site]") => text.push_str("[site]\nattended = true\nunattended = [\"odd\"]\n"),
            (false, line) => text.extend([line, "\n"]),
        }
    }
    let own = "110 = { purpose = \"data\" }\n";
    let text = text.replace(own, &format!("{own}111 = {{ purpose = \"parking\", switches = [\"odd\"] }}\n"));
    policy(&format!("{text}{ODD}"))
}

/// What a switch comes to, all of it.
fn told(judge: &Judge<'_>, resolved: &Resolved) -> String {
    let judged = judge.switch(resolved, resolved.lists());
    format!("{:?} {:?}", judged.outcome, judged.usage)
}

#[track_caller]
fn assert_same(after: &str, alone: &str, what: &str) {
    let from = after.bytes().zip(alone.bytes()).take_while(|(after, alone)| after == alone).count();
    let rest = |text: &str| text.chars().skip(from.saturating_sub(40)).take(200).collect::<String>();
    assert!(after == alone, "{what}:\n{}\n{}", rest(after), rest(alone));
}

#[test]
fn whatever_is_set_elsewhere() {
    let policy = policy_for_all();
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(&policy, &as_of, &selection, false);
    let fleet = fleet();
    let mut judged = 0;
    // Each third: all of them pass, and take long.
    for change in changes::all(&fleet).into_iter().step_by(3) {
        let mut record = record_json(&fleet[change.switch]);
        change.apply(&mut record);
        let name = if change.switch == "edge" { "odd" } else { "off" };
        for name in [change.switch, name] {
            let Some(resolved) = changes::read(&record, name) else { continue };
            let alone = Judge::new(&policy, &as_of, &selection, false);
            let what = format!("{name}: {} = {} at {}", change.setting, change.shown(), change.place);
            assert_same(&told(&judge, &resolved), &told(&alone, &resolved), &what);
            judged += 1;
        }
    }
    assert!(judged > 1000, "only {judged} switches");
}

const TEXTS: [&str; 4] = [
    include_str!("../../../demo/northquay/nq-core-1/config.txt"),
    include_str!("../../../demo/northquay/nq-desks-1/config.txt"),
    include_str!("../../../demo/northquay/nq-desks-2/config.txt"),
    include_str!("../../../demo/northquay/nq-gates-1/config.txt"),
];
const TABLES: [&str; 2] = [
    include_str!("../../../demo/northquay/nq-desks-1/tables.out"),
    include_str!("../../../demo/northquay/nq-gates-1/tables.out"),
];

/// A text with lines left out, said twice, bent, and with other numbers.
fn worn(text: &str, hands: &[(usize, u8, u8)]) -> String {
    let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
    for (at, how, number) in hands {
        let at = at % lines.len();
        let line = lines[at].clone();
        match how % 5 {
            0 => _ = lines.remove(at),
            1 => lines.insert(at, line),
            2 => lines[at].push_str(" drift"),
            3 => lines.insert(at, format!("{}drift {number}", &line[..line.len() - line.trim_start().len()])),
            _ => {
                let digit = |c: char| if c.is_ascii_digit() { char::from(b'0' + number % 10) } else { c };
                lines[at] = line.chars().rev().enumerate().map(|(i, c)| if i < 2 { digit(c) } else { c }).collect();
                lines[at] = lines[at].chars().rev().collect();
            }
        }
    }
    lines.join("\n") + "\n"
}

/// Rows of which none is understood, their headings with them.
fn nothing_understood() -> String {
    TABLES[0].lines().flat_map(|line| [line, " drift\n"]).collect()
}

/// A switch of whose state nothing is understood, and then one that tells all, of equal ports.
#[test]
fn what_nobody_understands_is_no_silence() {
    let policy = policy(include_str!("../../../demo/yellowlegs.toml"));
    let dialect = shingle_without(&[]);
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(&policy, &as_of, &selection, false);
    let read = |tables: Option<String>| {
        let texts = tables.map(|text| Arc::new(Source::of("tables.out", text))).into_iter().collect();
        let state = State { texts, as_of: as_of.moment(), ..State::default() };
        resolve_with("nq-desks-1", &dialect, Arc::new(Source::of("config.txt", TEXTS[1])), &state)
    };
    let all = [Some(nothing_understood()), Some(TABLES[0].to_owned()), None];
    for (number, tables) in [0, 1, 2, 1, 0, 2].into_iter().map(|number| (number, all[number].clone())) {
        let resolved = read(tables);
        assert_eq!(resolved.switch.has_state(), number == 1);
        let alone = Judge::new(&policy, &as_of, &selection, false);
        assert_same(&told(&judge, &resolved), &told(&alone, &resolved), &format!("the {number}th"));
    }
}

/// More is said in a fleet than is kept of it: what was said first is forgotten, between two switches, and nothing is mistaken for it.
#[test]
fn more_than_is_kept() {
    let policy = policy(include_str!("../../../demo/yellowlegs.toml"));
    let dialect = shingle_without(&[]);
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(&policy, &as_of, &selection, false);
    let head = TEXTS[1].split_once("\nsocket ").unwrap().0.replace("1.1..1.28", "1.1..1.96");
    for number in 0..96 {
        // No two ports say the same, and each second switch begins with the other lane; a line is not understood.
        let socket = |port: usize| {
            let (own, lane) = (96 * number + port, [110, 120][(number + port) % 2]);
            format!(
                "socket 1.{port}\n  note \"ticket desk {own}\"\n  carries single\n  home lane {lane}\n  dhcp pace {own}\n  \
                 crowd watch\n  crowd ceiling {own} then shut-out\n"
            )
        };
        let text: String = std::iter::once(format!("{head}\n")).chain((1..=96).map(socket)).collect();
        let source = Arc::new(Source::of("config.txt", text + "  drift\n"));
        let resolved = resolve_with("nq-desks-1", &dialect, source, &State::default());
        assert_eq!((resolved.switch.ports().len(), resolved.switch.unread().len()), (96, 1));
        let after = told(&judge, &resolved);
        assert!(after.contains("role: Some"), "its ports have roles");
        // It is full with the 86th.
        if number > 80 {
            let alone = Judge::new(&policy, &as_of, &selection, false);
            assert_same(&after, &told(&alone, &resolved), &format!("the {number}th"));
        }
    }
}

/// Few things are said, together in as many ways as there are ports, and roles come up one after the other.
#[test]
fn what_is_said_together_in_many_ways() {
    const WAYS: [&str; 18] = [
        "crowd watch",
        "crowd ceiling 3",
        "crowd response report",
        "origin check",
        "knock first",
        "dhcp pace 15",
        "router calls refused",
        "lease calls refused",
        "tree stranger closes",
        "wakes quickly",
        "echo watch",
        "gale broadcast 1%",
        "gale multicast 1%",
        "without announces",
        "speech lane 210",
        "choir quick leave",
        "asleep",
        "admit untagged",
    ];
    const NOTES: [&str; 6] = ["ticket desk", "crew office", "display", "spare", "access point", "lobby phone"];
    let policy = policy(include_str!("../../../demo/yellowlegs.toml"));
    let dialect = shingle_without(&[]);
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(&policy, &as_of, &selection, false);
    let head = TEXTS[1].split_once("\nsocket ").unwrap().0.replace("1.1..1.28", "1.1..1.96");
    let mut seed = 7_u64;
    for number in 0..12 {
        let mut text = format!("{head}\n");
        for port in 1..=96 {
            seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            // Each second switch has another role that none before had.
            let note = NOTES[(seed >> 60) as usize % (1 + number / 2)];
            let head = format!("socket 1.{port}\n  note \"{note} {port}\"\n  carries single\n  home lane 110\n");
            text.push_str(&head);
            let is_said = |(at, _): &(usize, &&str)| seed >> (20 + at) & 1 == 1;
            WAYS.iter().enumerate().filter(is_said).for_each(|(_, line)| text.extend(["  ", line, "\n"]));
        }
        let source = Arc::new(Source::of("config.txt", text));
        let resolved = resolve_with("nq-desks-1", &dialect, source, &State::default());
        assert_eq!((resolved.switch.ports().len(), resolved.switch.unread().len()), (96, 0));
        let alone = Judge::new(&policy, &as_of, &selection, false);
        assert_same(&told(&judge, &resolved), &told(&alone, &resolved), &format!("the {number}th"));
    }
}

/// Switches of equal ports, whose state tells all but one of its tables, tells one with a row that nobody understands, or is too old: each as the
/// first that a judge knows, and behind it one that tells all, and one that is too old.
#[test]
fn what_state_tells_of_one_switch_it_need_not_tell_of_the_next() {
    let policy = policy(include_str!("../../../demo/yellowlegs.toml"));
    let dialect = shingle_without(&[]);
    let (as_of, selection) = (as_of(), Selection::default());
    let read = |tables: &String| {
        let texts = vec![Arc::new(Source::of("tables.out", tables.clone()))];
        let state = State { texts, as_of: as_of.moment(), ..State::default() };
        resolve_with("nq-desks-1", &dialect, Arc::new(Source::of("config.txt", TEXTS[1])), &state)
    };
    let parts: Vec<&str> = TABLES[0].split_inclusive("\n\n").collect();
    let changed = |at: usize, part: String| {
        let parts = parts.iter().enumerate();
        parts.map(|(here, whole)| if here == at { part.clone() } else { (*whole).to_owned() }).collect::<String>()
    };
    let too_old = |tables: &str| tables.replace("harbour clock 2031-03", "harbour clock 2030-03");
    let mut all = vec![TABLES[0].to_owned(), too_old(TABLES[0])];
    for (at, part) in parts.iter().enumerate().skip(1) {
        let drifted = changed(at, format!("{}\n  drift 7\n\n", part.trim_end()));
        all.extend([changed(at, String::new()), too_old(&drifted), drifted]);
    }
    let new = || Judge::new(&policy, &as_of, &selection, false);
    let all: Vec<Resolved> = all.iter().map(read).collect();
    let alone: Vec<String> = all.iter().map(|resolved| told(&new(), resolved)).collect();
    assert!(alone.iter().collect::<BTreeSet<_>>().len() > parts.len(), "of {} some are unlike", all.len());
    for first in 0..all.len() {
        let judge = new();
        for next in [first, 0, 1, first] {
            assert_same(&told(&judge, &all[next]), &alone[next], &format!("the {next}th behind the {first}th"));
        }
    }
}

#[rstest]
#[case::texts_alone(false)]
#[case::with_state(true)]
fn whatever_hands_were_at_it(#[case] with_state: bool) {
    let policies = [policy(include_str!("../../../demo/yellowlegs.toml")), policy_for_all()];
    let dialect = shingle_without(&[]);
    let (as_of, selection) = (as_of(), Selection::default());
    for policy in &policies {
        let judge = Judge::new(policy, &as_of, &selection, false);
        let name = prop::sample::select(vec!["nq-desks-1", "nq-desks-2", "odd", "edge"]);
        let hands = prop::collection::vec((any::<usize>(), any::<u8>(), any::<u8>()), 0..6);
        let config = ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(60) };
        proptest!(config, |(text in 0..TEXTS.len(), table in 0..=TABLES.len(), name in name, hands in hands)| {
            let source = Arc::new(Source::of("config.txt", worn(TEXTS[text], &hands)));
            // One in three tells nothing that is understood.
            let tables = TABLES.get(table).map_or_else(nothing_understood, |table| worn(table, &hands));
            let tables = Arc::new(Source::of("tables.out", tables));
            let texts = if with_state { vec![tables] } else { Vec::new() };
            let state = State { texts, as_of: as_of.moment(), ..State::default() };
            let resolved = resolve_with(name, &dialect, source, &state);
            let alone = Judge::new(policy, &as_of, &selection, false);
            assert_same(&told(&judge, &resolved), &told(&alone, &resolved), name);
        });
    }
}

/// Rules of the house that speak of a port's settings, of its switch, of its role, and of what is its own alone; two that lack something, and
/// one that is off for a role.
const RULES: &str = r#"
[[rule]]
id = "pier/few"
when = "port_security.limit > 2"
message = "many"
remedy = "Lower it."
[[rule]]
id = "pier/told"
when = "role.faces == 'host' && !port.description.startsWith('ticket')"
message = "{port.description}"
remedy = "Say it."
[[rule]]
id = "pier/third"
when = "port.name == '1.3' || port.name == '1.7' && port.enabled"
message = "the third"
remedy = "Take another."
[[rule]]
id = "pier/watched"
when = "dhcp_snooping.enabled && dhcp_snooping.rate_limit != '15pps' && !dhcp_snooping.trusted"
message = "slow"
remedy = "Hurry."
[[rule]]
id = "pier/spoken"
when = "role.name != 'desk' && port.voice_vlan == 210 ? port.description.contains('phone') : port.mtu > 1500"
message = "wide"
remedy = "Narrow it."
[[rule]]
id = "pier/fast"
when = "port.speed > 100 || port.description == 'spare'"
message = "fast"
remedy = "Slow it."
"#;

/// What each rule comes to on each port, worked out of what is in force there by itself.
fn plainly(policy: &Policy, resolved: &Resolved) -> BTreeSet<(String, &'static str, bool)> {
    let switch = &resolved.switch;
    let roles = assign(policy, switch, resolved.lists());
    let mut told = BTreeSet::new();
    for (port, port_name) in switch.ports().iter().enumerate() {
        let role = roles.ports[port].map(|assigned| &policy.roles[assigned.role]);
        let text = |text: &str| Value::Text(text.into());
        let value = |name: Name| match name {
            Name::Setting(id) => switch.slot(Some(port), id).value.clone(),
            Name::Port => Some(text(port_name.as_str())),
            Name::Role => role.map(|role| text(&role.name)),
            Name::Faces => role.map(|role| text(role.faces.word())),
        };
        for rule in &policy.rules {
            let level = policy.level(rule.id, role.map(|role| role.name.as_str()), rule.level);
            let holds = rule.when.holds(value);
            if level.is_some() && holds != Ok(false) {
                told.insert((port_name.to_string(), rule.id, holds.is_ok()));
            }
        }
    }
    told
}

#[test]
fn rules_of_the_house_are_asked_where_they_decide() {
    let text = include_str!("../../../demo/yellowlegs.toml");
    let levels = "[levels]\n";
    let text = text.replace(levels, &format!("{levels}\"desk:pier/fast\" = \"off\"\n"));
    let text_of_policy = format!("{text}{RULES}");
    let with_rules = policy(&text_of_policy);
    let dialect = shingle_without(&[]);
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(&with_rules, &as_of, &selection, false);
    let check = |text: String| {
        let resolved =
            resolve_with("nq-desks-1", &dialect, Arc::new(Source::of("config.txt", text)), &State::default());
        if resolved.doubtful(with_rules.site.doubt.value).is_some() {
            return BTreeSet::new();
        }
        let outcome = judge.switch(&resolved, resolved.lists()).outcome;
        let port = |port: Option<&str>| port.unwrap_or_default().to_owned();
        let is_rule = |id: &str| with_rules.rules.iter().any(|rule| rule.id == id);
        let found = outcome.findings.iter().filter(|f| is_rule(f.check));
        let found = found.map(|f| (port(f.port.as_deref()), f.check, true));
        let open = outcome.undetermined.iter().filter(|o| is_rule(o.check));
        let told: BTreeSet<_> = found.chain(open.map(|o| (port(o.port.as_deref()), o.check, false))).collect();
        // Read anew, it has nothing in store.
        assert_eq!(told, plainly(&policy(&text_of_policy), &resolved));
        told.into_iter().map(|(_, rule, holds)| (rule, holds)).collect()
    };
    let ever: BTreeSet<(&str, bool)> = TEXTS.iter().flat_map(|text| check((*text).to_owned())).collect();
    for told in ["few", "third", "watched", "fast"].map(|rule| (rule, true)).into_iter().chain([("told", false)]) {
        assert!(ever.contains(&(&*format!("pier/{}", told.0), told.1)), "{told:?} of {ever:?}");
    }
    let hands = prop::collection::vec((any::<usize>(), prop::sample::select(vec![0_u8, 1, 4]), any::<u8>()), 0..8);
    let config = ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(60) };
    proptest!(config, |(at in 0..TEXTS.len(), hands in hands)| {
        check(worn(TEXTS[at], &hands));
    });
}
