//! The totals of a fleet: every number is counted by hand beside the case.

use std::collections::BTreeMap;
use std::sync::Arc;

use rstest::rstest;
use yellowlegs_core::finding::Standing::{Advice, Breach, Clean, Risk, Undetermined, Waived};
use yellowlegs_core::finding::{
    DoubtLine, Fact, Finding, Levels, Positions, Related, SinceRow, Standing, SwitchOutcome, Totals, Undecided,
    UnreadRow, UnreadSample,
};
use yellowlegs_core::model::Remark;
use yellowlegs_core::policy::Level;

use super::{finding, outcome, waived};

fn totals(outcomes: impl IntoIterator<Item = SwitchOutcome>) -> Totals {
    let mut totals = Totals::default();
    outcomes.into_iter().for_each(|outcome| totals.add(outcome));
    totals
}

/// Two switches: a has a breach, a risk that is waived and one undecided; b an advice.
fn two() -> Totals {
    let on_a = vec![
        finding("port/mode-negotiated", Level::Breach, "a", "1.1"),
        waived(finding("storm/missing", Level::Risk, "a", "1.2")),
        finding("storm/missing", Level::Risk, "a", "1.1"),
    ];
    let on_b = vec![finding("port/described", Level::Advice, "b", "1.1")];
    totals([outcome("a", [Breach, Waived, Undetermined], on_a), outcome("b", [Advice, Clean, Clean], on_b)])
}

#[test]
fn ports_and_findings_are_counted_once_each() {
    let summary = two().summary(3);
    assert_eq!((summary.switches, summary.ports, summary.unreadable), (2, 6, 3));
    assert_eq!(summary.violating_ports, 1, "1.1 of a");
    assert_eq!(summary.waived_ports, 1, "1.2 of a");
    assert_eq!(summary.undetermined_ports, 1, "1.3 of a");
    assert_eq!(summary.clean_ports, 3, "an advice leaves a port clean");
    assert_eq!(summary.findings, BTreeMap::from([("breach", 1), ("risk", 1), ("advice", 1)]));
    assert_eq!(summary.waived, 1);
    assert_eq!(summary.unread_lines, 4, "two on each");
}

#[test]
fn an_empty_fleet_has_every_level_with_nothing() {
    let summary = totals([]).summary(0);
    assert_eq!(summary.findings, BTreeMap::from([("breach", 0), ("risk", 0), ("advice", 0)]));
    assert_eq!((summary.switches, summary.ports, summary.clean_ports), (0, 0, 0));
}

#[test]
fn a_switch_without_a_row_is_not_reported() {
    let mut hidden = outcome("a", [Breach; 3], vec![finding("port/described", Level::Breach, "a", "1.1")]);
    hidden.row = None;
    let summary = totals([hidden]).summary(0);
    assert_eq!((summary.switches, summary.ports, summary.violating_ports), (0, 0, 0));
}

#[rstest]
#[case(Level::Breach, 1)]
#[case(Level::Risk, 2)]
#[case(Level::Advice, 3)]
fn findings_at_a_level_take_in_the_graver_ones(#[case] level: Level, #[case] expected: usize) {
    assert_eq!(two().findings_at(level), expected);
}

#[test]
fn a_row_of_a_switch_counts_what_is_not_waived() {
    let totals = two();
    let rows: Vec<(&str, Levels)> = totals.switches().iter().map(|row| (&*row.switch, row.findings)).collect();
    assert_eq!(
        rows,
        [("a", Levels { breach: 1, risk: 1, advice: 0 }), ("b", Levels { breach: 0, risk: 0, advice: 1 })]
    );
    assert_eq!(totals.switches()[0].violating_ports, 1);
}

#[test]
fn checks_come_gravest_first_and_then_by_how_often() {
    let on = |switch: &'static str| {
        vec![
            finding("flap/missing", Level::Risk, switch, "1.1"),
            finding("storm/missing", Level::Risk, switch, "1.1"),
            finding("storm/missing", Level::Risk, switch, "1.2"),
        ]
    };
    let mut last = on("c");
    last.push(finding("port/described", Level::Breach, "c", "1.3"));
    let totals = totals([
        outcome("a", [Risk, Risk, Clean], on("a")),
        outcome("b", [Risk, Risk, Clean], on("b")),
        outcome("c", [Risk, Risk, Breach], last),
    ]);
    let rows: Vec<_> = totals.checks().iter().map(|row| (row.check, row.level, row.findings, row.switches)).collect();
    assert_eq!(
        rows,
        [
            ("port/described", Level::Breach, 1, 1),
            ("storm/missing", Level::Risk, 6, 3),
            ("flap/missing", Level::Risk, 3, 3)
        ]
    );
}

#[test]
fn a_check_told_at_two_levels_has_the_graver() {
    let told = [Level::Advice, Level::Breach, Level::Risk];
    let findings = told.map(|level| finding("storm/missing", level, "a", "1.1")).to_vec();
    assert_eq!(totals([outcome("a", [Breach, Clean, Clean], findings)]).checks()[0].level, Level::Breach);
}

#[test]
fn the_worst_switch_comes_first() {
    let with = |name: &str, levels: &[Level], standings: [Standing; 3]| {
        let findings = levels.iter().map(|level| finding("storm/missing", *level, name, "1.1")).collect();
        outcome(name, standings, findings)
    };
    let totals = totals([
        with("right", &[], [Clean; 3]),
        with("advised", &[Level::Advice], [Advice, Clean, Clean]),
        with("one-port", &[Level::Risk, Level::Risk], [Risk, Clean, Clean]),
        with("two-ports", &[Level::Risk, Level::Risk], [Risk, Risk, Clean]),
        with("more-risks", &[Level::Risk; 3], [Risk, Clean, Clean]),
        with("breached", &[Level::Breach], [Breach, Clean, Clean]),
    ]);
    let worst: Vec<&str> = totals.worst_switches().iter().map(|row| &*row.switch).collect();
    assert_eq!(worst, ["breached", "more-risks", "two-ports", "one-port", "advised"]);
}

fn undecided(port: Option<&str>, level: Option<Level>, lines: &[(&str, u32)]) -> Undecided {
    let doubt = |(shape, line): &(&str, u32)| {
        let (shape, line) = (Arc::from(*shape), *line);
        Arc::new(DoubtLine { shape, file: "a/config.txt".into(), line, settle: "explain it".into() })
    };
    Undecided {
        check: "storm/missing",
        level,
        port: port.map(Into::into),
        needs: ["storm.broadcast"].into(),
        doubts: lines.iter().map(doubt).collect(),
    }
}

#[rstest]
#[case::facts_only(&[], "storm.broadcast", "needs storm.broadcast")]
#[case::a_line(&[("gale …", 7)], "storm.broadcast (a/config.txt:7 is not understood)", "needs storm.broadcast; a/config.txt:7 is not understood")]
#[case::three(&[("gale …", 7), ("wind …", 9), ("rain …", 11)], "storm.broadcast (a/config.txt:7 is not understood)", "needs storm.broadcast; a/config.txt:7 and 2 more are not understood")]
fn what_is_missing_is_told(#[case] lines: &[(&str, u32)], #[case] of_group: &str, #[case] of_port: &str) {
    let mut on = outcome("a", [Undetermined, Clean, Clean], Vec::new());
    on.undetermined = vec![undecided(Some("1.1"), None, lines)];
    assert_eq!(on.undetermined[0].lacks(), of_port);
    assert_eq!(totals([on]).undetermined()[0].lacks(), of_group);
}

#[test]
fn undecided_checks_are_gathered_by_what_is_missing() {
    let mut on_a = outcome("a", [Undetermined; 3], Vec::new());
    on_a.undetermined = vec![
        undecided(Some("1.1"), Some(Level::Advice), &[]),
        undecided(Some("1.2"), None, &[]),
        undecided(None, None, &[]),
        undecided(Some("1.3"), None, &[("gale …", 7)]),
    ];
    let mut on_b = outcome("b", [Undetermined; 3], Vec::new());
    on_b.undetermined = ["1.1", "1.2", "1.3"].map(|port| undecided(Some(port), Some(Level::Risk), &[])).to_vec();
    let mut totals = totals([on_a, on_b]);
    let rows: Vec<_> = totals.undetermined().iter().map(|r| (r.switches, r.ports, r.doubts.len())).collect();
    assert_eq!(rows, [(2, 5, 0), (1, 1, 1)], "a line that is not understood is a reason of its own");
    assert_eq!(totals.undetermined()[0].sample.len(), 5, "of six places five are named");
    assert_eq!(totals.summary(0).undetermined, 7);
    assert!(totals.undetermined_at(Level::Risk) && totals.undetermined_at(Level::Advice));
    assert!(!totals.undetermined_at(Level::Breach));

    let place = |switch: &str, port: Option<&str>| Related { switch: switch.into(), port: port.map(Into::into) };
    totals.open("multicast/querier-missing", Level::Breach, "links", &place("a", None));
    totals.open("multicast/querier-missing", Level::Risk, "links", &place("a", Some("1.1")));
    totals.open("multicast/querier-missing", Level::Risk, "links", &place("b", Some("1.1")));
    assert!(totals.undetermined_at(Level::Breach), "one across switches counts as well");
    let rows = totals.undetermined();
    let row = rows.iter().find(|row| row.check == "multicast/querier-missing").unwrap();
    assert_eq!((row.switches, row.ports, row.sample.len(), row.needs.as_slice()), (2, 2, 3, &["links"][..]));
    assert_eq!(totals.summary(0).undetermined, 10);
}

/// What is missing counts, not which list says it, and each check is by itself.
#[test]
fn undecided_checks_that_lack_the_same_are_one_group() {
    let lacking = |check: &'static str, needs: &[&'static str]| Undecided {
        check,
        needs: needs.into(),
        ..undecided(Some("1.1"), None, &[])
    };
    let mut on = outcome("a", [Undetermined; 3], Vec::new());
    on.undetermined = vec![
        lacking("storm/missing", &["storm.broadcast"]),
        lacking("guard/bpdu", &["storm.broadcast"]),
        lacking("storm/missing", &["storm.multicast"]),
        lacking("storm/missing", &["storm.broadcast"]),
        lacking("storm/missing", &["storm.broadcast", "storm.multicast"]),
        Undecided {
            doubts: undecided(None, None, &[("gale …", 7)]).doubts,
            ..lacking("storm/missing", &["storm.multicast"])
        },
    ];
    // The same list of what is lacking, and other lists of the same.
    let shared = Arc::clone(&on.undetermined[2].needs);
    on.undetermined[5].needs = shared;
    let totals = totals([on]);
    let rows =
        totals.undetermined().into_iter().map(|row| (row.check, row.needs.join("+"), row.ports, row.doubts.len()));
    let mut rows: Vec<_> = rows.collect();
    rows.sort();
    let (broadcast, multicast) = ("storm.broadcast".to_owned(), "storm.multicast".to_owned());
    assert_eq!(
        rows,
        [
            ("guard/bpdu", broadcast.clone(), 1, 0),
            ("storm/missing", broadcast.clone(), 2, 0),
            ("storm/missing", format!("{broadcast}+{multicast}"), 1, 0),
            ("storm/missing", multicast.clone(), 1, 0),
            ("storm/missing", multicast, 1, 1),
        ]
    );
}

#[test]
fn a_shape_keeps_open_so_many_ports_switches_and_checks() {
    let mut on_a = outcome("a", [Undetermined; 3], Vec::new());
    on_a.undetermined = vec![
        undecided(Some("1.1"), None, &[("gale …", 7), ("wind …", 9)]),
        undecided(Some("1.1"), None, &[("gale …", 8)]),
        undecided(Some("1.2"), None, &[("gale …", 7)]),
        undecided(None, None, &[("gale …", 7)]),
    ];
    let mut on_b = outcome("b", [Undetermined; 3], Vec::new());
    // Told in whatever order, a port counts once.
    on_b.undetermined = ["1.1", "1.2", "1.1"].map(|port| undecided(Some(port), None, &[("gale …", 5)])).to_vec();
    let totals = totals([on_a, on_b]);
    let rows: Vec<_> = totals.doubts().iter().map(|r| (&*r.shape, r.line, r.ports, r.switches, r.checks)).collect();
    assert_eq!(rows, [("gale …", 7, 4, 1, 7), ("wind …", 9, 1, 0, 1)]);
    assert_eq!((&*totals.doubts()[0].file, &*totals.doubts()[0].settle), ("a/config.txt", "explain it"));
}

#[test]
fn no_more_than_five_lines_are_named_each_shape_once() {
    let lines: Vec<(String, u32)> = (0..7).map(|n| (format!("shape {}", n.min(5)), n)).collect();
    let lines: Vec<(&str, u32)> = lines.iter().map(|(shape, line)| (shape.as_str(), *line)).collect();
    let mut on = outcome("a", [Undetermined, Clean, Clean], Vec::new());
    on.undetermined = ["1.1", "1.2"].map(|port| undecided(Some(port), None, &lines)).to_vec();
    let totals = totals([on]);
    let shapes: Vec<&str> = totals.undetermined()[0].doubts.iter().map(|line| &*line.shape).collect();
    assert_eq!(shapes, ["shape 0", "shape 1", "shape 2", "shape 3", "shape 4"]);
}

#[test]
fn unread_lines_are_counted_by_shape_over_the_fleet() {
    let row = |on: &str, shape: &str, count| {
        let sample = UnreadSample { file: "a/config.txt".into(), line: 3, text: None };
        UnreadRow { shape: shape.into(), count, switches: 1, on: vec![on.into()], sample }
    };
    let with = |name, rows| SwitchOutcome { unread: rows, ..outcome(name, [Clean; 3], Vec::new()) };
    let totals = totals([
        with("a", vec![row("a", "chime …", 2), row("a", "bell …", 4)]),
        with("b", vec![row("b", "chime …", 3)]),
    ]);
    let names = |row: &UnreadRow| row.on.iter().map(ToString::to_string).collect::<Vec<_>>();
    let rows: Vec<_> = totals.unread().iter().map(|row| (&*row.shape, row.count, row.switches, names(row))).collect();
    let on = |names: &[&str]| names.iter().map(ToString::to_string).collect::<Vec<_>>();
    assert_eq!(rows, [("chime …", 5, 2, on(&["a", "b"])), ("bell …", 4, 1, on(&["a"]))]);
}

#[test]
fn what_was_noticed_is_told_once() {
    let noticed = |words: &str| Remark { about: "a".into(), file: None, line: None, text: words.into() };
    let with = |name| SwitchOutcome { remarks: vec![noticed("odd")], ..outcome(name, [Clean; 3], Vec::new()) };
    let mut totals = totals([with("a"), with("b")]);
    totals.remark(noticed("odd"));
    totals.remark(noticed("even"));
    assert_eq!(totals.remarks().count(), 2);
}

/// The port's standing before, a finding across the fleet; then violating, waived and clean ports, violating ports of the switch.
#[rstest]
#[case::graver(Clean, finding("port/peer", Level::Risk, "a", "1.1"), (1, 0, 2, 1))]
#[case::graver_than_a_risk(Risk, finding("port/peer", Level::Breach, "a", "1.1"), (1, 0, 2, 1))]
#[case::graver_than_waived(Waived, finding("port/peer", Level::Breach, "a", "1.1"), (1, 0, 2, 1))]
#[case::lighter(Risk, finding("port/peer", Level::Advice, "a", "1.1"), (1, 0, 2, 1))]
#[case::waived(Clean, waived(finding("port/peer", Level::Breach, "a", "1.1")), (0, 1, 2, 0))]
#[case::of_the_switch(Clean, finding("port/peer", Level::Breach, "a", ""), (0, 0, 3, 0))]
#[case::elsewhere(Clean, finding("port/peer", Level::Breach, "z", "1.1"), (0, 0, 3, 0))]
#[case::no_such_port(Clean, finding("port/peer", Level::Breach, "a", "9.9"), (0, 0, 3, 0))]
fn a_finding_across_the_fleet_counts_on_its_port(
    #[case] before: Standing,
    #[case] told: Finding,
    #[case] expected: (usize, usize, usize, usize),
) {
    let mut totals = totals([outcome("a", [before, Clean, Clean], Vec::new())]);
    let positions: Positions = (0..3).map(|n| ((Arc::from("a"), format!("1.{}", n + 1)), n)).collect();
    totals.count_fleet_findings(&[told], &positions);
    let summary = totals.summary(0);
    let counted = (summary.violating_ports, summary.waived_ports, summary.clean_ports);
    assert_eq!((counted.0, counted.1, counted.2, totals.switches()[0].violating_ports as usize), expected);
}

#[test]
fn findings_across_the_fleet_stand_in_the_rows_of_their_switches() {
    let mut totals = two();
    let told = [
        finding("port/peer", Level::Breach, "b", "1.2"),
        finding("multicast/querier-missing", Level::Breach, "", ""),
        waived(finding("port/peer", Level::Breach, "b", "1.3")),
    ];
    totals.count_fleet_findings(&told, &Positions::new());
    assert_eq!(totals.switches()[1].findings, Levels { breach: 1, risk: 0, advice: 1 });
    assert_eq!(totals.findings_at(Level::Breach), 3);
    assert_eq!(totals.summary(0).waived, 2);
    let nowhere = totals.checks().into_iter().find(|row| row.check == "multicast/querier-missing").unwrap();
    assert_eq!((nowhere.findings, nowhere.switches), (1, 0));
}

/// Of what is open across the fleet, the first five places are told, and every switch and port is counted.
#[test]
fn what_is_open_across_the_fleet_is_sampled() {
    let mut totals = two();
    for number in 0..7 {
        let place = Related { switch: format!("s{}", number / 2).into(), port: Some(format!("1.{number}").into()) };
        totals.open("port/peer", Level::Risk, "links", &place);
    }
    let rows = totals.undetermined();
    let row = rows.iter().find(|row| row.check == "port/peer").unwrap();
    let sample: Vec<_> = row.sample.iter().map(|one| one.port.as_deref().unwrap_or_default()).collect();
    assert_eq!((row.switches, row.ports, sample), (4, 7, vec!["1.0", "1.1", "1.2", "1.3", "1.4"]));
}

#[test]
fn an_earlier_report_is_kept() {
    let mut totals = two();
    assert!(totals.since().is_none());
    totals.compared(SinceRow { new: 2, ..SinceRow::default() });
    assert_eq!(totals.since().map(|row| row.new), Some(2));
}

#[rstest]
#[case(Breach, "breach", true)]
#[case(Risk, "risk", true)]
#[case(Waived, "waived", false)]
#[case(Undetermined, "undetermined", false)]
#[case(Advice, "advice", false)]
#[case(Clean, "clean", false)]
fn standings_have_their_words(#[case] standing: Standing, #[case] word: &str, #[case] violating: bool) {
    assert_eq!((standing.word(), standing.is_violating()), (word, violating));
}

#[rstest]
#[case(finding("port/peer", Level::Breach, "a", ""), true, Breach)]
#[case(finding("port/peer", Level::Risk, "a", ""), true, Risk)]
#[case(finding("port/peer", Level::Advice, "a", ""), false, Advice)]
#[case(waived(finding("port/peer", Level::Breach, "a", "")), false, Waived)]
fn what_a_finding_makes_of_its_port(#[case] told: Finding, #[case] violation: bool, #[case] standing: Standing) {
    assert_eq!((told.is_violation(), Standing::of(&told)), (violation, standing));
}

#[test]
fn a_switch_counts_its_ports() {
    let counts = outcome("a", [Breach, Waived, Advice], Vec::new()).counts();
    assert_eq!((counts.violating, counts.waived, counts.clean, counts.undetermined), (1, 1, 1, 0));
}

#[rstest]
#[case(Fact::from(7), "7")]
#[case(Fact::from("seven"), "seven")]
fn facts_are_shown(#[case] fact: Fact, #[case] shown: &str) {
    assert_eq!(fact.to_string(), shown);
}
