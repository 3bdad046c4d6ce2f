//! Lists that lines add to and take from: what they come to, which line put an element in, and what is told of long ones.

use std::sync::Arc;

use crate::support::{as_of, dialect, from_record, line, policy, read, record};
use proptest::prelude::*;
use rstest::rstest;
use yellowlegs_core::check::{Judge, Selection};
use yellowlegs_core::finding::{Brief, Finding, Undecided};
use yellowlegs_core::model::{Direction, Kind, SavedCopy, SettingId, Value, settings};
use yellowlegs_core::resolve::{Resolved, explain};
use yellowlegs_core::source::Source;

/// A line of a list, and whether it takes away.
type Step = (bool, Value);

/// What a list comes to, by the rule for one element at a time.
fn by_hand(steps: &[Step]) -> Value {
    fn of<T: Clone + PartialEq>(list: &mut Vec<T>, less: bool, own: &[T], takes: impl Fn(&T, &T) -> bool) {
        let before = list.clone();
        if less {
            list.retain(|there| !own.iter().any(|gone| takes(gone, there)));
        } else {
            list.extend(own.iter().filter(|new| !before.contains(new)).cloned());
        }
    }
    let (mut words, mut stations, mut ranges, mut pairs, mut taps) = (vec![], vec![], vec![], vec![], vec![]);
    for (less, own) in steps {
        match own {
            Value::Words(own) => of(&mut words, *less, own, |gone, there| gone == there),
            Value::Ranges(own) => of(&mut ranges, *less, own, |gone, there| gone == there),
            Value::Stations(own) => of(&mut stations, *less, own, |gone, there| {
                gone.address == there.address && (gone.vlan.is_none() || gone.vlan == there.vlan)
            }),
            Value::Pairs(own) => {
                pairs.retain(|(number, _)| !own.iter().any(|(other, _)| number == other));
                pairs.extend(own.iter().copied().filter(|_| !less));
                pairs.sort_unstable();
            }
            Value::Taps(own) => own.iter().for_each(|(port, direction)| tap(&mut taps, *less, port, *direction)),
            _ => {}
        }
    }
    match &steps[0].1 {
        Value::Words(_) => Value::Words(words.into()),
        Value::Stations(_) => Value::Stations(stations.into()),
        Value::Ranges(_) => Value::Ranges(ranges.into()),
        Value::Pairs(_) => Value::Pairs(pairs.into()),
        _ => Value::Taps(taps.into()),
    }
}

fn tap(taps: &mut Vec<(Arc<str>, Direction)>, less: bool, port: &Arc<str>, direction: Direction) {
    let Some(place) = taps.iter().position(|(there, _)| there == port) else {
        taps.extend((!less).then(|| (Arc::clone(port), direction)));
        return;
    };
    let there = taps[place].1;
    taps[place].1 = match (less, there, direction) {
        (false, there, new) if there == new => there,
        (false, ..) => Direction::Both,
        (true, Direction::Both, Direction::Received) => Direction::Sent,
        (true, Direction::Both, Direction::Sent) => Direction::Received,
        (true, there, gone) if there == gone || gone == Direction::Both => {
            taps.remove(place);
            return;
        }
        (true, there, _) => there,
    };
}

/// Lines about one list, of few elements, so that they meet again.
fn steps() -> impl Strategy<Value = Vec<Step>> {
    let lists = [
        (Kind::Words, "w[0-9]{1,2}"),
        (Kind::Stations, "02:00:5e:00:00:0[0-9](@[12])?"),
        (Kind::Ranges, "02:00:5e:00:00:0[0-4]-02:00:5e:00:00:0[5-9]@[12]"),
        (Kind::Pairs, "[0-9]:[0-9]"),
        (Kind::Taps, "1\\.[0-9]{1,2} (both|sent|received)"),
    ];
    proptest::sample::select(lists.to_vec()).prop_flat_map(|(kind, element)| {
        let own = proptest::collection::vec(element, 1..3).prop_map(move |own| {
            let mut own = own;
            own.sort();
            own.dedup();
            kind.parse(&own.join(",")).unwrap()
        });
        proptest::collection::vec((proptest::bool::weighted(0.2), own), 1..60)
    })
}

proptest! {
    #[test]
    fn a_list_is_what_its_lines_make_of_it(steps in steps(), look in 0_usize..60) {
        let off = |value: &Value| match value {
            Value::Words(_) => Kind::Words.off(),
            Value::Stations(_) => Kind::Stations.off(),
            Value::Ranges(_) => Kind::Ranges.off(),
            Value::Pairs(_) => Kind::Pairs.off(),
            _ => Kind::Taps.off(),
        };
        let mut list = off(&steps[0].1).unwrap();
        for (at, (less, own)) in steps.iter().enumerate() {
            list = if *less { list.minus(own) } else { list.plus(own) }.unwrap();
            // Looked at on the way or not, it comes to the same.
            if at == look {
                prop_assert_eq!(&list, &by_hand(&steps[..=at]));
            }
        }
        prop_assert_eq!(list, by_hand(&steps));
    }

    #[test]
    fn the_line_that_put_a_station_in_is_that_since_which_it_is_there(
        lines in proptest::collection::vec((proptest::bool::weighted(0.25), 0_u8..6, proptest::option::of(1_u8..3)), 1..40)
    ) {
        let text: Vec<String> = lines.iter().map(|(less, station, lane)| {
            let lane = lane.map(|lane| format!(" lane {lane}")).unwrap_or_default();
            format!("  {}crowd kept 02:00:5e:00:00:0{station}{lane}", if *less { "without " } else { "" })
        }).collect();
        let of = |count: usize| read(&dialect(PINS), &format!("unit t\nport 1\n{}\n", text[..count].join("\n")));
        let pinned = |resolved: &Resolved| match resolved.switch.slot(Some(0), PINNED).value.clone() {
            Some(Value::Stations(list)) => list.to_vec(),
            _ => Vec::new(),
        };
        let all: Vec<Resolved> = (0..=lines.len()).map(of).collect();
        let whole = all.last().unwrap();
        let there = pinned(whole);
        let told = whole.lines_that_brought(Some(0), PINNED, Value::stations, &there);
        for (station, told) in there.iter().zip(told) {
            let since = (0..all.len()).rev().take_while(|count| pinned(&all[*count]).contains(station)).last();
            prop_assert_eq!(line(told), since.map(|count| count as u32 + 2), "{} in\n{}", station, text.join("\n"));
        }
    }
}

const PINNED: SettingId = settings::PINNED_STATIONS.id;

/// A dialect of its own, of lists only.
const PINS: &str = r#"
[dialect]
name = "pins"
title = "Pins"
[recognise]
lines = ["unit <name:word>"]
[text]
structure = "indent"
negation = "without"
negated = "off-or-default"
[ports]
names = ["<n>"]
[lists]
range = ["-"]
item = [","]
[defaults]
port-security = { pinned-stations = [] }
flap = { enabled = false }
switch = { address-ranges = [], report-receivers = [] }
[[rule]]
[rule.lines]
"unit <name:word>" = { sets = { "switch.name" = "<name>" }, negation = "never" }
"port <ports:ports>" = { opens = "port", ports = "<ports>" }
"tells <whom:word>" = "switch.report-receivers"
"stations <from:station-range> into lane <lane:vlan>" = "switch.address-ranges = <from>@<lane>"
[[rule]]
in = "port"
[rule.lines]
"note <words:text>" = "port.description"
"crowd kept <station:station> [lane <lane:vlan>]" = "port-security.pinned-stations = <station>@<lane>"
"#;

/// What is found on a text in the dialect of lists.
fn found(text: &str, of_policy: &str) -> Vec<Finding> {
    let (dialect, policy, as_of, all) = (dialect(PINS), policy(of_policy), as_of(), Selection::default());
    let resolved = read(&dialect, text);
    Judge::new(&policy, &as_of, &all, false).switch(&resolved, Some(dialect.lists())).outcome.findings
}

#[test]
fn a_long_way_back_is_let_go_one_by_one() {
    let text = |count: u32| -> String {
        let pins =
            (0..count).map(|n| format!("  crowd kept 02:00:{:02x}:{:02x}:{:02x}:00\n", n >> 16, n >> 8 & 255, n & 255));
        format!("unit t\nport 1\n{}", pins.collect::<String>())
    };
    let resolved = read(&dialect(PINS), &text(100_000));
    let Some(Value::Stations(list)) = resolved.switch.slot(Some(0), PINNED).value.clone() else { panic!("no list") };
    assert_eq!((list.len(), list[99_999].to_string().as_str()), (100_000, "02:00:01:86:9f:00"));
    // Nobody looked at it: all steps are let go at once.
    let mut unseen = Kind::Words.off().unwrap();
    for n in 0..100_000 {
        unseen = unseen.plus(&Kind::Words.parse(&format!("w{n}")).unwrap()).unwrap();
    }
    drop(unseen);
}

#[rstest]
#[case::all_are_told(8, 8, None)]
#[case::more_are_counted(11, 8, Some("3 more"))]
fn ranges_that_clash_with_many(#[case] others: usize, #[case] told: usize, #[case] more: Option<&str>) {
    let mut text = vec!["unit t".to_owned()];
    text.extend((0..others).map(|n| format!("stations 02:00:5e:00:0{n:x}:00/40 into lane 1{n:02}")));
    text.push("stations 02:00:5e:00:00:00/32 into lane 210\n".to_owned());
    let text = text.join("\n");
    let clashes: Vec<Finding> = found(&text, "").into_iter().filter(|f| f.check == "voice/range-overlap").collect();
    assert_eq!(clashes.len(), told);
    assert!(clashes.iter().all(|clash| clash.evidence[0].line == Some(others as u32 + 2)), "{clashes:#?}");
    // In the order of the text, each by its own range.
    for (n, clash) in clashes.iter().enumerate() {
        assert!(clash.message.contains(&format!("and 02:00:5e:00:0{n:x}:00")), "{}", clash.message);
    }
    let last = &clashes.last().unwrap().message;
    assert_eq!(last.contains("more"), more.is_some(), "{last}");
    assert!(more.is_none_or(|more| last.contains(more)), "{last}");
}

/// The later of two is told, with the line that brought it. Ranges of one VLAN may lie in each other.
#[rstest]
#[case::wide_first(&["00/32 into lane 1", "10/44 into lane 2", "18/45 into lane 2", "40/44 into lane 1", "00/48 into lane 3"], &[3, 4, 6])]
#[case::wide_last(&["00/48 into lane 3", "40/44 into lane 1", "18/45 into lane 2", "10/44 into lane 2", "00/32 into lane 1"], &[6, 6, 6])]
#[case::side_by_side(&["00/44 into lane 1", "10/44 into lane 2", "20/44 into lane 3"], &[])]
fn ranges_inside_each_other(#[case] lines: &[&str], #[case] told: &[u32]) {
    let text: Vec<String> = lines.iter().map(|line| format!("stations 02:00:5e:00:00:{line}")).collect();
    let clashes =
        found(&format!("unit t\n{}\n", text.join("\n")), "").into_iter().filter(|f| f.check == "voice/range-overlap");
    let mut at: Vec<u32> = clashes.filter_map(|clash| clash.evidence[0].line).collect();
    at.sort_unstable();
    assert_eq!(at, told);
}

/// A list of ports on one line, longer than what is quoted whole.
fn many_on_a_line() -> String {
    let ports: Vec<String> = (1..=400).map(|n| (2 * n).to_string()).collect();
    format!("unit t\nport {}\n  note \"a desk\"\n", ports.join(","))
}

#[test]
fn of_a_long_line_the_part_is_shown_that_matters() {
    let roles = "[[role]]\nname = \"desk\"\nfaces = \"phone-and-host\"\nvlans = [110]\ndescribes = [\"desk\"]\n";
    let findings = found(&many_on_a_line(), roles);
    let whole: Vec<char> = many_on_a_line().lines().nth(1).unwrap().chars().collect();
    let mut seen = 0;
    for line in findings.iter().flat_map(|finding| &finding.evidence).filter(|line| line.line == Some(2)) {
        let (column, left_out) = (line.column.unwrap() as usize, line.left_out.unwrap() as usize);
        assert!(line.text.chars().count() < 500, "{line:?}");
        // Every character of the part is that of the line, in its place; an ellipsis stands where something is left out.
        let shown: Vec<char> = line.text.chars().collect();
        let (first, last) = (left_out > 0, left_out + shown.len() < whole.len());
        assert_eq!((shown[0] == '…', shown.last() == Some(&'…')), (first, last), "{line:?}");
        let inner = usize::from(first)..shown.len() - usize::from(last);
        assert_eq!(shown[inner.clone()], whole[left_out + inner.start..left_out + inner.end], "{line:?}");
        assert_eq!(line.start(), column - 1 - left_out);
        seen += 1;
    }
    assert!(seen >= 400, "{seen}");
}

#[test]
fn a_record_has_the_parts_of_long_lines_too() {
    let resolved = read(&dialect(PINS), &many_on_a_line());
    let printed = record(&resolved);
    assert!(
        !printed.contains(&many_on_a_line().lines().nth(1).unwrap()[..1_000]),
        "{} bytes of a text of 1,600",
        printed.len()
    );
    let switch = from_record(&printed, "t");
    for port in 0..switch.ports().len() {
        let quote = |switch: &yellowlegs_core::model::Switch| switch.quote(switch.port_place(port).unwrap()).unwrap();
        assert_eq!(quote(&switch), quote(&resolved.switch), "{port}");
    }
}

#[rstest]
#[case(64, 64, "w63")]
#[case(65, 33, "and 33 more")]
#[case(1000, 33, "and 968 more")]
fn a_long_list_is_told_in_brief(#[case] count: usize, #[case] told: usize, #[case] last: &str) {
    let words: Vec<String> = (0..count).map(|n| format!("w{n}")).collect();
    let value = Kind::Words.parse(&words.join(",")).unwrap();
    let json = serde_json::to_value(Brief(&value)).unwrap();
    let list = json.as_array().unwrap();
    assert_eq!((list.len(), list.last().unwrap().as_str().unwrap()), (told, last));
    let shown = Brief(&value).to_string();
    assert_eq!((shown.split(", ").count(), shown.ends_with(last)), (told, true), "{shown}");
    // What is no list of its own elements is shown as it is.
    for other in [Value::Flag(true), Kind::Vlans.parse("1-4000").unwrap()] {
        assert_eq!(Brief(&other).to_string(), other.to_string());
    }
}

/// Where lines are held against each other or explained, they are whole: what is shown of them may be the same.
#[rstest]
#[case::alike("x", true)]
#[case::unlike_at_their_ends("y", false)]
fn long_lines_that_nobody_understands(#[case] end: &str, #[case] same: bool) {
    let text = |end: &str| format!("unit t\nport 1\nmumble {}{end}\n", "z".repeat(2_000));
    let saved = Arc::new(read(&dialect(PINS), &text("x")).switch);
    let resolved = read(&dialect(PINS), &text(end)).with_saved(SavedCopy::Read(saved));
    let (policy, as_of, all) = (policy(""), as_of(), Selection::default());
    let judged = Judge::new(&policy, &as_of, &all, false).switch(&resolved, resolved.lists());
    let lacks = |open: &Undecided| open.needs.contains(&"a saved copy that is understood");
    assert_eq!(!judged.outcome.undetermined.iter().any(lacks), same, "{:#?}", judged.outcome.undetermined);
    let source = Arc::new(Source::of("config.txt", text(end)));
    assert_eq!(explain(&dialect(PINS), &source)[2].raw.len(), "mumble ".len() + 2_001);
}
