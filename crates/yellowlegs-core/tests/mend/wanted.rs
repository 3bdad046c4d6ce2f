//! What mends a finding: the settings that come to be, whose value is asked for first, and what one can answer.

use rstest::rstest;
use yellowlegs_core::mend::Answers;

use super::{Asked, Fleet, as_of, planned, policy, right};

/// Other lines for some of the policy or of a switch's text: where, from, to.
type Edits<'a> = &'a [(&'a str, &'a str, &'a str)];

/// The right fleet with other lines.
fn with(edits: Edits<'_>) -> Fleet {
    let edited = |of: &str, text: String| {
        edits.iter().filter(|(place, ..)| *place == of).fold(text, |text, (_, from, to)| {
            assert!(text.contains(from), "{of} has no {from:?}");
            text.replacen(from, to, 1)
        })
    };
    let switches = right::fleet_of(|name| edited(name, right::text(name))).into_values().collect();
    Fleet { policy: policy(&edited("policy", right::POLICY.to_owned())), as_of: as_of(), switches }
}

/// The changes of a plan that begin so, in words.
fn changes(fleet: &Fleet, answers: Answers, begins: &str) -> Vec<String> {
    let site = fleet.site();
    let plan = planned(&site, &Asked { answers, hold_back: false, ..Asked::default() }).unwrap();
    let all = plan.steps.iter().map(|step| step.change.shown());
    all.filter(|shown| shown.starts_with(begins)).collect()
}

#[rstest]
#[case::the_cause_s_own_timer(
    &[("edge", "return of gale after 300\n", "")],
    "edge: recovery.",
    "edge: recovery.storm of the switch to 5 min"
)]
#[case::the_timer_of_one_cause_and_of_no_other(
    &[("policy", "recovery-wanted = [\"storm\"]", "recovery-wanted = [\"storm\", \"bpdu-guard\"]")],
    "edge: recovery.",
    "edge: recovery.bpdu-guard of the switch to 5 min"
)]
#[case::the_timer_of_a_cause_that_no_other_check_asks_for(
    &[("policy", "recovery-wanted = [\"storm\"]", "recovery-wanted = [\"storm\", \"unidirectional\"]")],
    "edge: recovery.",
    "edge: recovery.unidirectional of the switch to 5 min"
)]
#[case::no_edge_where_a_bridge_is(
    &[("edge", "  made of glass\n", "  made of glass\n  wakes quickly\n")],
    "edge: fast-start.mode",
    "edge: fast-start.mode of port 1.7 to off"
)]
#[case::detection_as_the_role_wants_it(
    &[
        ("policy", "ports = [\"core 1.2\"]\n", "ports = [\"core 1.2\"]\n[role.expect]\n\"unidirectional.mode\" = \"strict\"\n"),
        ("core", "  two-way watch close\n", ""),
    ],
    "core: unidirectional.mode",
    "core: unidirectional.mode of port 1.2 to strict"
)]
#[case::detection_that_closes_where_no_role_says_how(
    &[("core", "  two-way watch close\n", "")],
    "core: unidirectional.mode",
    "core: unidirectional.mode of port 1.2 to disable-port"
)]
#[case::a_spare_port_is_no_trunk(
    &[("edge", "socket 1.5\n  carries single\n", "socket 1.5\n")],
    "edge: port.mode",
    "edge: port.mode of port 1.5 to access"
)]
#[case::a_way_up_is_a_trunk(
    &[("edge", "socket 1.7\n  carries bundle\n", "socket 1.7\n")],
    "edge: port.mode",
    "edge: port.mode of port 1.7 to trunk"
)]
fn a_finding_is_mended_by(#[case] edits: Edits<'_>, #[case] begins: &str, #[case] step: &str) {
    let fleet = with(edits);
    assert_eq!(changes(&fleet, Answers::default(), begins), [step]);
}

/// Where several VLANs would do, somebody says which, and that one it becomes.
#[rstest]
#[case::a_native_vlan(
    &[
        ("policy", "999 = { purpose = \"native\" }", "999 = { purpose = \"native\" }\n997 = { purpose = \"native\" }"),
        ("edge", "  bare lane 999\n", "  bare lane 110\n"),
        ("core", "  bare lane 999\n", "  bare lane 110\n"),
    ],
    "edge 1.7: which of them is port.native-vlan to be?",
    &["997", "999"],
    "edge: port.native-vlan of port 1.7 to "
)]
#[case::a_mode_where_the_role_takes_either(
    &[("edge", "socket 1.6\n  carries single\n", "socket 1.6\n")],
    "edge 1.6: which fixed mode is it to have?",
    &["access", "trunk"],
    "edge: port.mode of port 1.6 to "
)]
#[case::where_spare_ports_are_parked(
    &[
        ("policy", "998 = { purpose = \"parking\" }", "998 = { purpose = \"parking\" }\n996 = { purpose = \"parking\" }"),
        ("edge", "socket 1.5\n  carries single\n  home lane 998\n", "socket 1.5\n  carries single\n  home lane 110\n"),
    ],
    "edge 1.5: which of them is port.access-vlan to be?",
    &["996", "998"],
    "edge: port.access-vlan of port 1.5 to "
)]
fn one_of_several_is_asked_for(
    #[case] edits: Edits<'_>,
    #[case] asks: &str,
    #[case] choices: &[&str],
    #[case] step: &str,
) {
    let fleet = with(edits);
    let site = fleet.site();
    let open = planned(&site, &Asked::default()).unwrap().open;
    let point = open.iter().find(|point| point.asks == asks).unwrap_or_else(|| panic!("{open:#?}"));
    assert_eq!(point.choices, choices);
    for choice in choices {
        let answers = Answers::default().with(point.id.clone(), *choice);
        assert_eq!(changes(&fleet, answers, step), [format!("{step}{choice}")]);
    }
}
