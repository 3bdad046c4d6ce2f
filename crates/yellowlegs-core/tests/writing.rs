//! Writing: what was read can be written and read again as the same statements, and every setting can be changed by
//! lines that change it and nothing else.

#![allow(clippy::disallowed_methods, reason = "a test may read the files it is about")]

use std::fmt::Write as _;
use std::sync::Arc;

use crate::support::texts::{COVE, COVE_TEXT, FATHOM, FATHOM_TEXT, SHINGLE_TEXT};
use crate::support::{SHINGLE, compare, dialect, read};
use proptest::prelude::*;
use rstest::rstest;
use yellowlegs_core::dialect::{Captured, Dialect, Reading};
use yellowlegs_core::model::{Direction, Kind, Scope, SettingId, Value, settings};
use yellowlegs_core::resolve::{About, EditProblem, Resolved, Wanted, differences};
use yellowlegs_core::source::Source;

fn dialects() -> [(&'static str, Arc<Dialect>, &'static str); 3] {
    [
        ("shingle", dialect(SHINGLE), SHINGLE_TEXT),
        ("fathom", dialect(FATHOM), FATHOM_TEXT),
        ("cove", dialect(COVE), COVE_TEXT),
    ]
}

/// Statements by what they mean: rule, form, what the holes took, and how deep they stand.
fn meaning(dialect: &Dialect, text: &str, reading: &Reading) -> Vec<(u32, bool, bool, Vec<String>, usize)> {
    let shown = |captured: &Captured| match captured {
        Captured::Text(word) => format!("{:?}", word.of(text)),
        other => format!("{other:?}"),
    };
    let told = reading.statements.iter().map(|s| {
        let captures = reading.captures(dialect, s).iter().map(shown).collect();
        (s.rule, s.negated, s.leads, captures, reading.openers(s).count())
    });
    told.collect()
}

fn round_trip(dialect: &Dialect, text: &str) -> Result<(), String> {
    let reading = dialect.read(&Source::of("t", text), 1);
    let written = dialect.text_of(text, &reading).ok_or("a statement has no text")?;
    let again = dialect.read(&Source::of("t", written.as_str()), 1);
    let (before, after) = (meaning(dialect, text, &reading), meaning(dialect, &written, &again));
    if before != after || !again.unread.is_empty() {
        return Err(format!("{text}\n── written ──\n{written}\n{before:#?}\n{after:#?}"));
    }
    Ok(())
}

#[test]
fn what_was_read_is_written_as_the_same_statements() {
    for (name, dialect, text) in dialects() {
        let reading = dialect.read(&Source::of("t", text), 1);
        assert!(reading.unread.is_empty(), "{name}: {:?}", reading.unread);
        round_trip(&dialect, text).unwrap_or_else(|e| panic!("{name}: {e}"));
    }
}

/// Values of a kind that are worth trying; the names of VLANs and ports are those of the texts.
fn values(kind: Kind, port: &str) -> Vec<Value> {
    let parse = |texts: &[&str]| texts.iter().map(|t| kind.parse(t).unwrap()).collect::<Vec<_>>();
    match kind {
        Kind::Flag => parse(&["true", "false"]),
        Kind::Count => parse(&["1", "7", "46"]),
        Kind::Seconds => parse(&["20", "600"]),
        Kind::Milliwatts => parse(&["7W", "15.4W"]),
        Kind::Rate => parse(&["50pps", "200pps"]),
        Kind::Choice(set) => set.words.iter().map(|w| kind.parse(w).unwrap()).collect(),
        Kind::Choices(set) => vec![kind.parse(set.words[2]).unwrap(), kind.parse(&set.words[2..4].join(",")).unwrap()],
        Kind::Vlan => parse(&["110", "210"]),
        Kind::Vlans => parse(&["110", "110,120,210"]),
        Kind::Port => parse(&[port]),
        Kind::Address => parse(&["192.0.2.9", "2001:db8::9"]),
        Kind::Text => parse(&["one", "two words"]),
        Kind::Words => parse(&["1", "1,2"]),
        Kind::Stations => parse(&["02:00:5e:10:00:07", "02:00:5e:10:00:07@110,02:00:5e:10:00:08"]),
        Kind::Ranges => parse(&["02:00:5e:10:00:00-02:00:5e:10:00:ff@210"]),
        Kind::Taps => vec![
            Value::Taps([(Arc::from(port), Direction::Both)].into()),
            Value::Taps([(Arc::from(port), Direction::Sent)].into()),
        ],
        Kind::Pairs => parse(&["46:5,8:1", "46:6"]),
        Kind::Station | Kind::Time => Vec::new(),
    }
}

fn about(scope: Scope, port: &str, mirror: &str) -> About {
    match scope {
        Scope::Port => About::Port(port.into()),
        Scope::Switch => About::Switch,
        Scope::Vlan => About::Vlan(settings_vlan()),
        Scope::Mirror => About::Mirror(mirror.into()),
    }
}

fn settings_vlan() -> yellowlegs_core::model::VlanId {
    yellowlegs_core::model::VlanId::new(110).unwrap()
}

/// What a setting may take along with it: VLANs that one line sets together, and what membership decides.
fn may_go_along(setting: SettingId, other: SettingId) -> bool {
    use settings::{ACCESS_VLAN, BPDU_GUARD, FAST_START, MODE, NATIVE_VLAN, TAGGED_VLANS, VOICE_VLAN};
    let untagged = [ACCESS_VLAN.id, NATIVE_VLAN.id];
    let decides = [TAGGED_VLANS.id, VOICE_VLAN.id, MODE.id, FAST_START.id];
    let follows = [MODE.id, BPDU_GUARD.id, settings::STORM_BROADCAST.id];
    untagged.contains(&setting) && untagged.contains(&other) || decides.contains(&setting) && follows.contains(&other)
}

/// Changes a setting to each of a few values, one after the other, and takes the last back.
fn try_setting(name: &str, start: &Resolved, setting: SettingId, port: &str, mirror: &str) -> Vec<String> {
    let mut problems = Vec::new();
    let about = about(setting.info().scope, port, mirror);
    let first = start.slot_of(&about, setting).value;
    let mut now = start.clone();
    let wanted = values(setting.info().kind, port).into_iter().chain(first);
    for value in wanted {
        if now.slot_of(&about, setting).value.as_ref() == Some(&value) {
            continue;
        }
        let change = Wanted { about: about.clone(), setting, value: value.clone() };
        match now.edit(&change) {
            Ok(edit) => {
                if let Some((_, other)) = edit.also.iter().find(|(_, other)| !may_go_along(setting, *other)) {
                    problems.push(format!(
                        "{name}: {} = {value} takes {} along: {:?}",
                        setting.name(),
                        other.name(),
                        edit.lines
                    ));
                }
                now = read(&now_dialect(name), &edit.text);
            }
            Err(problem) => problems.push(format!("{name}: {problem}")),
        }
    }
    problems
}

fn now_dialect(name: &str) -> Arc<Dialect> {
    dialects().into_iter().find(|(n, ..)| *n == name).map(|(_, d, _)| d).unwrap()
}

/// Values that a platform's words do not have, where the others can be written.
const NOT_THERE: &[(&str, &str, &str)] = &[
    // A shut port's cause is never one that a feature names; these come back by hand alone.
    ("", "recovery.causes", "no-link"),
    // A name of two words stands in no hole for one.
    ("", "switch.name", "two words"),
];

#[test]
fn every_setting_can_be_written_or_says_why_not() {
    let mut problems = Vec::new();
    for (name, dialect, text) in dialects().into_iter().take(2) {
        let start = read(&dialect, text);
        let (port, mirror) = if name == "shingle" { ("1.2", "2") } else { ("a:2", "1") };
        for setting in SettingId::all() {
            if let Some((_, reason)) = dialect.writing().never.iter().find(|(id, _)| *id == setting) {
                let about = about(setting.info().scope, port, mirror);
                let other = values(setting.info().kind, port)
                    .into_iter()
                    .find(|v| start.slot_of(&about, setting).value.as_ref() != Some(v));
                let refused = start.edit(&Wanted { about, setting, value: other.unwrap() });
                assert_eq!(
                    refused.err(),
                    Some(EditProblem::Never { setting: setting.name(), reason: reason.clone() }),
                    "{name}"
                );
                continue;
            }
            problems.extend(try_setting(name, &start, setting, port, mirror));
        }
    }
    problems.retain(|p| {
        !NOT_THERE.iter().any(|(_, setting, value)| !value.is_empty() && p.contains(setting) && p.contains(value))
    });
    assert!(problems.is_empty(), "{} problems\n{}", problems.len(), problems.join("\n"));
}

/// What was written about a setting of a port is the same whether that port alone is looked for or, as when many are asked for, all at once.
#[test]
fn history_is_the_same_for_one_and_for_many() {
    let mut contested = 0;
    for (name, dialect, text) in dialects() {
        // Everything is said twice.
        let text = &format!("{text}{text}");
        let (first, then) = (read(&dialect, text), read(&dialect, text));
        for setting in SettingId::of(Scope::Port) {
            // As often as it takes until all are gone through at once.
            (0..20).for_each(|_| _ = then.history(Some(0), setting));
            for port in 0..then.switch.ports().len() {
                let alone = read(&dialect, text).history(Some(port), setting);
                contested += usize::from(alone.len() > 1);
                assert_eq!(then.history(Some(port), setting), alone, "{name} {port} {}", setting.name());
                assert_eq!(first.history(Some(port), setting), alone, "{name} {port} {}", setting.name());
            }
        }
    }
    assert!(contested > 20, "{contested} settings of ports were written more than once");
}

const LANGUAGES: &str = "../yellowlegs/tests/data/languages";

/// In four structures, on a port, the switch, a VLAN and a mirror session: the lines that are written stay those, and what cannot be
/// written is refused as before.
#[test]
fn what_is_written_stays_written() {
    let read_file = |path: String| std::fs::read_to_string(format!("{LANGUAGES}/{path}")).unwrap();
    let mut page = String::new();
    for (name, ports) in
        [("kelp", ["s2", "s25"]), ("reef", ["a:3", "b:1"]), ("dune", ["1/3", "1/25"]), ("tarn", ["p3", "x1"])]
    {
        let dialect = dialect(&read_file(format!("dialects/{name}.toml")));
        let start = read(&dialect, &read_file(format!("{name}-1/config.txt")));
        for (setting, port) in SettingId::all().flat_map(|setting| ports.map(|port| (setting, port))) {
            let scope = setting.info().scope;
            if scope != Scope::Port && port == ports[1] {
                continue;
            }
            for value in values(setting.info().kind, port) {
                let (about, mut shown) = (about(scope, port, "1"), String::new());
                match start.edit(&Wanted { about: about.clone(), setting, value: value.clone() }) {
                    Ok(edit) => {
                        write!(shown, "{}", edit.lines.join(" | ")).unwrap();
                        edit.also
                            .iter()
                            .for_each(|(about, other)| write!(shown, " (and {about} {})", other.name()).unwrap());
                    }
                    // Most of these small languages do not say most settings.
                    Err(EditProblem::NoRule { .. }) => continue,
                    Err(other) => write!(shown, "{other}").unwrap(),
                }
                writeln!(page, "{name} {about} {} = {value}: {shown}", setting.name()).unwrap();
            }
        }
    }
    assert!(page.lines().count() > 150, "{page}");
    compare("crates/yellowlegs-core/tests/data/written.txt", &page);
}

fn lines(text: &'static str) -> impl Strategy<Value = String> {
    // A free text that is not ended would take all that follows.
    let all: Vec<String> = text.lines().filter(|l| !l.contains('%')).map(str::to_owned).collect();
    (proptest::sample::subsequence(all.clone(), 0..=all.len()), 0_usize..8).prop_map(|(mut some, by)| {
        // Later lines may override earlier ones in any order.
        let by = by % some.len().max(1);
        some.rotate_left(by);
        some.join("\n") + "\n"
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, ..ProptestConfig::default() })]

    #[test]
    fn any_lines_are_written_as_the_same_statements(shingle in lines(SHINGLE_TEXT), fathom in lines(FATHOM_TEXT), cove in lines(COVE_TEXT)) {
        for (text, (_, dialect, _)) in [shingle, fathom, cove].iter().zip(dialects()) {
            let outcome = round_trip(&dialect, text);
            // What nobody takes cannot be written.
            let unread = !dialect.read(&Source::of("t", text.as_str()), 1).unread.is_empty();
            prop_assert!(outcome.is_ok() || unread, "{}", outcome.unwrap_err());
        }
    }

    #[test]
    fn a_change_in_any_text_changes_that_and_no_more(text in lines(SHINGLE_TEXT), fathom in lines(FATHOM_TEXT), at in 0_usize..200, which in 0_usize..4) {
        for (name, text, port) in [("shingle", format!("{text}sockets 1.2\n"), "1.2"), ("fathom", format!("lay water 110\nlay water 120\nlay water 210\n{fathom}lay berths a:2\n"), "a:2")] {
            let dialect = now_dialect(name);
            let start = read(&dialect, &text);
            let of_port: Vec<SettingId> = SettingId::of(Scope::Port).filter(|id| !dialect.writing().never.iter().any(|(n, _)| n == id)).collect();
            let setting = of_port[at % of_port.len()];
            let all = values(setting.info().kind, port);
            let value = all[which % all.len()].clone();
            let about = About::Port(port.into());
            if start.slot_of(&about, setting).value.as_ref() == Some(&value) { continue; }
            let edit = start.edit(&Wanted { about: about.clone(), setting, value: value.clone() });
            let edit = edit.map_err(|e| TestCaseError::fail(format!("{e}\n{text}")))?;
            let after = read(&dialect, &edit.text);
            prop_assert_eq!(after.slot_of(&about, setting).value, Some(value));
            prop_assert!(edit.also.iter().all(|(a, s)| *a == about && may_go_along(setting, *s)), "{:?} {:?}", edit.lines, edit.also);
        }
    }
}

/// Where two readings are unlike is told for each place, whatever else of them is alike; of ports that only one of them has, what is
/// known of them.
#[rstest]
#[case::nothing("", "", &[])]
#[case::a_port("socket 1.1\n  home lane 110\n", "socket 1.1\n  home lane 120\n", &["port 1.1: port.access-vlan"])]
#[case::the_switch("dhcp watch\n", "", &["the switch: dhcp-snooping.enabled"])]
#[case::a_vlan("lane 110\n  called \"one\"\n", "lane 110\n  called \"two\"\n", &["VLAN 110: vlan.name"])]
#[case::a_mirror("looking-glass 1\n  onto 1.2\n", "looking-glass 1\n  onto 1.1\n", &["mirror session 1: mirror.target"])]
fn where_readings_are_unlike(#[case] one: &str, #[case] other: &str, #[case] expected: &[&str]) {
    let dialect = dialect(SHINGLE);
    let of = |text: &str| read(&dialect, &format!("shingle 4 unit t\nsockets 1.1..1.2\nlane 110\n{text}"));
    let told = |one: &Resolved, other: &Resolved| -> Vec<String> {
        differences(one, other).iter().map(|(about, id)| format!("{about}: {}", id.name())).collect()
    };
    assert_eq!(told(&of(one), &of(other)), expected);
    assert_eq!(told(&of(other), &of(one)), expected);
}

#[test]
fn a_port_that_only_one_reading_has_is_unlike_in_what_is_known_of_it() {
    let dialect = dialect(SHINGLE);
    let of = |ports: &str| read(&dialect, &format!("shingle 4 unit t\nsockets {ports}\nlane 110\n"));
    let (two, three) = (of("1.1..1.2"), of("1.1..1.3"));
    for (one, other) in [(&two, &three), (&three, &two)] {
        let told = differences(one, other);
        let known = SettingId::of(Scope::Port).filter(|id| three.switch.slot(Some(2), *id).value.is_some());
        assert_eq!(told.iter().map(|(_, id)| *id).collect::<Vec<_>>(), known.collect::<Vec<_>>());
        assert!(told.iter().all(|(about, _)| *about == About::Port("1.3".into())) && !told.is_empty(), "{told:?}");
    }
}

#[test]
fn every_vlan_alone_is_unlike() {
    let dialect = dialect(FATHOM);
    let of = |text: &str| read(&dialect, &format!("lay vessel t\nlay berths a:1 to 2\nlay water 120\n{text}"));
    let told = differences(&of(""), &of("lay every-water asks every 60s\n"));
    let shown: Vec<String> = told.iter().map(|(about, id)| format!("{about}: {}", id.name())).collect();
    assert_eq!(shown, ["VLAN 1: vlan.query-interval", "VLAN 120: vlan.query-interval"]);
}
