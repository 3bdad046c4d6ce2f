//! An earlier report beside this one: what is new, what remains, what became of the rest.

use globset::Glob;
use rstest::rstest;
use serde_json::{Value as Json, json};
use yellowlegs_core::check::{Comparison, Earlier, Selection};
use yellowlegs_core::finding::Standing::{Clean, Risk};
use yellowlegs_core::finding::{Fact, Fate, Finding, Since, SinceRow, SwitchOutcome, Undecided};
use yellowlegs_core::policy::Level;

use super::{finding, outcome, waived};

/// A finding of the earlier report.
fn then(check: &str, switch: &str, port: &str) -> Json {
    let or_null = |word: &str| (!word.is_empty()).then(|| word.to_owned());
    json!({
        "check": check, "level": "risk", "switch": or_null(switch), "port": or_null(port), "vlan": null, "role": "desk",
        "message": "wrong", "fingerprint": format!("{check} {switch} {port}"), "waiver": null,
    })
}

fn earlier(findings: &[Json], fleet_findings: &[Json]) -> Earlier {
    let as_of = "2031-03-01T06:30:00Z";
    let report = json!({"report": 1, "as_of": as_of, "findings": findings, "fleet_findings": fleet_findings});
    serde_json::from_value(report).unwrap()
}

/// The row after one switch, whose findings come back marked.
fn compared(earlier: Earlier, mut now: SwitchOutcome) -> (SinceRow, Vec<Finding>) {
    let mut comparison = Comparison::new(earlier, &Selection::default());
    comparison.switch(&mut now);
    (comparison.fleet(&mut [], std::iter::empty()), now.findings)
}

fn fates(row: &SinceRow) -> Vec<(String, Fate)> {
    row.gone.iter().chain(&row.unsettled).map(|former| (former.fingerprint.clone(), former.now)).collect()
}

#[test]
fn new_and_remaining_are_told_apart() {
    let now = vec![
        finding("storm/missing", Level::Risk, "a", "1.1"),
        finding("storm/missing", Level::Risk, "a", "1.2"),
        finding("storm/missing", Level::Risk, "a", "1.3"),
    ];
    let before = earlier(&[then("storm/missing", "a", "1.1"), then("flap/missing", "a", "1.1")], &[]);
    let (row, now) = compared(before, outcome("a", [Risk; 3], now));
    let marked: Vec<_> = now.iter().map(|finding| finding.since).collect();
    assert_eq!(marked, [Some(Since::Remaining), Some(Since::New), Some(Since::New)]);
    assert_eq!((row.new, row.remaining, &*row.as_of), (2, 1, "2031-03-01T06:30:00Z"));
    assert_eq!(fates(&row), [("flap/missing a 1.1".to_owned(), Fate::Gone)]);
    assert!(row.unsettled.is_empty());
}

#[test]
fn two_with_one_fingerprint_are_two() {
    let twice =
        || vec![finding("storm/missing", Level::Risk, "a", "1.1"), finding("storm/missing", Level::Risk, "a", "1.1")];
    let once = [then("storm/missing", "a", "1.1")];
    let (row, _) = compared(earlier(&once, &[]), outcome("a", [Risk, Clean, Clean], twice()));
    assert_eq!((row.new, row.remaining), (1, 1));
    let both = [once[0].clone(), once[0].clone()];
    let (row, _) = compared(earlier(&both, &[]), outcome("a", [Risk, Clean, Clean], twice()[..1].to_vec()));
    assert_eq!((row.new, row.remaining, row.gone.len()), (0, 1, 1));
}

#[test]
fn a_waiver_takes_a_finding_out_on_either_side() {
    let now = vec![waived(finding("storm/missing", Level::Risk, "a", "1.1"))];
    let (row, marked) = compared(earlier(&[then("storm/missing", "a", "1.1")], &[]), outcome("a", [Clean; 3], now));
    assert_eq!((row.new, row.remaining, marked[0].since), (0, 0, None));
    assert_eq!(fates(&row), [("storm/missing a 1.1".to_owned(), Fate::Waived)]);
    assert_eq!(row.gone.len(), 1, "a waiver settles it");

    let mut was_waived = then("storm/missing", "a", "1.1");
    was_waived["waiver"] = json!({"reason": "a cable"});
    let now = vec![finding("storm/missing", Level::Risk, "a", "1.1")];
    let (row, _) = compared(earlier(&[was_waived], &[]), outcome("a", [Risk, Clean, Clean], now));
    assert_eq!((row.new, row.remaining, row.gone.len()), (1, 0, 0));
}

/// What keeps a finding from being called gone: the check and port of something undecided, whether state was read, which switch was.
#[rstest]
#[case::nothing("storm/missing", None, true, "a", Fate::Gone)]
#[case::open_there("storm/missing", Some(("storm/missing", Some("1.1"))), true, "a", Fate::Undetermined)]
#[case::open_on_another_port("storm/missing", Some(("storm/missing", Some("1.2"))), true, "a", Fate::Gone)]
#[case::open_on_the_switch("storm/missing", Some(("storm/missing", None)), true, "a", Fate::Gone)]
#[case::another_check_is_open("storm/missing", Some(("flap/missing", Some("1.1"))), true, "a", Fate::Gone)]
#[case::state_was_read("port-security/over-limit", None, true, "a", Fate::Gone)]
#[case::state_was_not_read("port-security/over-limit", None, false, "a", Fate::Undetermined)]
#[case::needs_no_state("storm/missing", None, false, "a", Fate::Gone)]
#[case::another_switch("storm/missing", None, true, "b", Fate::NotRead)]
fn what_became_of_a_finding(
    #[case] check: &str,
    #[case] open: Option<(&'static str, Option<&str>)>,
    #[case] has_state: bool,
    #[case] read: &str,
    #[case] expected: Fate,
) {
    let mut now = outcome(read, [Clean; 3], Vec::new());
    now.has_state = has_state;
    let undecided = |(check, port): (&'static str, Option<&str>)| Undecided {
        check,
        level: None,
        port: port.map(Into::into),
        needs: ["storm.broadcast"].into(),
        doubts: [].into(),
    };
    now.undetermined = open.map(undecided).into_iter().collect();
    let (row, _) = compared(earlier(&[then(check, "a", "1.1")], &[]), now);
    assert_eq!(fates(&row), [(format!("{check} a 1.1"), expected)]);
    let settled = matches!(expected, Fate::Gone | Fate::Waived);
    assert_eq!((row.gone.len(), row.unsettled.len()), (usize::from(settled), usize::from(!settled)));
}

#[test]
fn what_grew_is_new_and_says_what() {
    let mut before = then("config/unread", "a", "");
    before["inputs"] = json!({"unread": 6});
    let mut now = finding("config/unread", Level::Risk, "a", "");
    now.inputs = vec![("unread", Fact::from(26))].into();
    let (row, now) = compared(earlier(&[before], &[]), outcome("a", [Clean; 3], vec![now]));
    assert_eq!((row.new, row.remaining, row.gone.len()), (1, 0, 0));
    assert_eq!(now[0].grew.as_deref(), Some("unread 6 → 26"));
}

#[test]
fn findings_across_switches_are_held_as_well() {
    let before = [then("port/peer", "a", "1.1"), then("port/peer", "a", "1.2"), then("mirror/unregistered", "", "")];
    let mut comparison = Comparison::new(earlier(&[], &before), &Selection::default());
    comparison.switch(&mut outcome("a", [Clean; 3], Vec::new()));
    let mut now = [finding("port/peer", Level::Risk, "a", "1.1"), finding("port/peer", Level::Risk, "a", "1.3")];
    let row = comparison.fleet(&mut now, [("port/peer", "a", Some("1.2"))].into_iter());
    assert_eq!(now.map(|finding| finding.since), [Some(Since::Remaining), Some(Since::New)]);
    assert_eq!((row.new, row.remaining), (1, 1));
    assert_eq!(
        fates(&row),
        [("mirror/unregistered  ".to_owned(), Fate::Gone), ("port/peer a 1.2".to_owned(), Fate::Undetermined)]
    );
}

/// Of the earlier report only what is reported now plays a part.
#[rstest]
#[case::all(Selection::default(), 4)]
#[case::a_switch(Selection { switch: Some(Glob::new("b").unwrap().compile_matcher()), ..Selection::default() }, 2)]
#[case::a_port(Selection { port: Some(Glob::new("1.1").unwrap().compile_matcher()), ..Selection::default() }, 1)]
#[case::the_role(Selection { role: Some("desk".into()), ..Selection::default() }, 1)]
#[case::another_role(Selection { role: Some("gate".into()), ..Selection::default() }, 0)]
#[case::a_check(Selection { only: vec!["storm".into()], ..Selection::default() }, 1)]
fn the_selection_holds_for_the_earlier_report_too(#[case] selection: Selection, #[case] expected: usize) {
    let mut nowhere = then("multicast/querier-missing", "", "");
    nowhere["related"] = json!([{"switch": "b"}]);
    let of_switches =
        [then("storm/missing", "a", "1.1"), then("config/unread", "a", ""), then("config/unread", "b", "")];
    let comparison = Comparison::new(earlier(&of_switches, &[nowhere]), &selection);
    let row = comparison.fleet(&mut [], std::iter::empty());
    assert_eq!(row.gone.len() + row.unsettled.len(), expected);
}

#[rstest]
#[case(Fate::Gone, "gone")]
#[case(Fate::Waived, "waived now")]
#[case(Fate::Undetermined, "undetermined now")]
#[case(Fate::NotRead, "its switch was not read")]
fn fates_have_their_words(#[case] fate: Fate, #[case] words: &str) {
    assert_eq!(fate.words(), words);
}

#[rstest]
#[case(Since::New, "new")]
#[case(Since::Remaining, "remaining")]
fn marks_have_their_words(#[case] since: Since, #[case] word: &str) {
    assert_eq!(since.word(), word);
}
