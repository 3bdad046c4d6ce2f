//! Each row of what has to be there first is needed: the other way round some plan breaks what worked, and is refused with the step.

use rstest::rstest;
use yellowlegs_core::mend::{Answers, DEPENDENCIES, Dependency};

use super::damaged::holds;
use super::{Asked, Fleet, as_of, planned, policy, right};

/// The right fleet with other lines: switch, from, to.
pub(super) fn other(edits: &[(&str, &str, &str)]) -> Fleet {
    let text = |name: &str| {
        let mut text = right::text(name);
        for (_, from, to) in edits.iter().filter(|(switch, ..)| *switch == name) {
            assert!(text.contains(from), "{name} has no {from:?}");
            text = text.replace(from, to);
        }
        text
    };
    let switches = right::fleet_of(text).into_values().collect();
    Fleet { policy: policy(right::POLICY), as_of: as_of(), switches }
}

/// A row the other way round.
fn reversed(row: &Dependency) -> &'static Dependency {
    Box::leak(Box::new(Dependency { first: row.then, then: row.first, ..*row }))
}

const SNOOPING: &str = "dhcp watch\ndhcp watch lanes 110,140,210,300\n";

/// No VLAN 110 on the edge, and its host in another one.
const MOVED: [(&str, &str, &str); 2] = [
    ("edge", "  called \"desks\"\n", ""),
    ("edge", "socket 1.2\n  carries single\n  home lane 110", "socket 1.2\n  carries single\n  home lane 140"),
];

#[rstest]
#[case("vlan-before-use", &[MOVED[1], MOVED[0], ("edge", "lane 110\nlane 140\nlane 210", "lane 140\nlane 210"), ("edge", "sockets 1.1..1.7\nlane 110\n", "sockets 1.1..1.7\n")], &[])]
#[case("room-before-security", &[("edge", "  crowd watch\n  crowd ceiling 3 then shut-out", "  without crowd watch\n  crowd ceiling 1 then shut-out")], &[])]
#[case("trust-before-snooping", &[("edge", SNOOPING, ""), ("edge", "  dhcp believed\n", "")], &[])]
#[case("bindings-before-guard", &[("edge", SNOOPING, ""), ("edge", "arp watch lanes 110\n", "")], &[])]
#[case("trust-before-inspection", &[("edge", "arp watch lanes 110\n", ""), ("edge", "  arp believed\n", "")], &[])]
#[case("edges-before-tree", &[("edge", "tree kind young\n", "tree kind young\nwithout tree grows\n"), ("edge", "every single socket\n  wakes quickly\n", "every single socket\n  wakes slowly\n")], &[])]
#[case("querier-before-snooping", &[("core", "lane 140\n  asks\n  asks from 192.0.2.2\n", "lane 140\n"), ("edge", "choir watch lanes 110,140\n", "choir watch lanes 110\n")], &[("VLAN 140", "core"), ("vlan.querier-address", "192.0.2.2")])]
#[case("way-before-move", &[MOVED[1], ("edge", "  bundle lanes 110,140,210,300\n", "  bundle lanes 140,210,300\n")], &[("the link", "core 1.2")])]
fn a_row_the_other_way_round_breaks_something(
    #[case] row: &str,
    #[case] edits: &[(&str, &str, &str)],
    #[case] decisions: &[(&str, &str)],
) {
    let fleet = other(edits);
    let site = fleet.site();
    let asked = |answers, rows| Asked { answers, rows, hold_back: false, ..Asked::default() };
    let all = || DEPENDENCIES.iter().collect::<Vec<_>>();
    // Whoever has to decide has decided; one decision may lead to the next.
    let mut answers = Answers::default();
    for _ in 0..2 {
        for open in planned(&site, &asked(answers.clone(), all())).unwrap().open {
            for (about, answer) in decisions.iter().filter(|(about, _)| open.asks.contains(about)) {
                assert!(
                    open.takes.is_some() || open.choices.iter().any(|choice| choice == answer),
                    "{about}: {open:?}"
                );
                answers = answers.with(open.id.clone(), *answer);
            }
        }
    }
    let plan = planned(&site, &asked(answers.clone(), all())).unwrap();
    holds(&site, &plan).unwrap();
    assert!(
        plan.steps.iter().any(|step| step.needs.iter().any(|(needed, _)| needed.name == row)),
        "{row} has no part in it"
    );
    // One of the others says of definitions what the first says of a switch's own: the two against each other are a cycle.
    let others = DEPENDENCIES.iter().filter(|one| row != "vlan-before-use" || one.name != "way-before-move");
    let rows = others.map(|one| if one.name == row { reversed(one) } else { one }).collect();
    let plan = planned(&site, &asked(answers, rows)).unwrap();
    let told: Vec<String> = plan.steps.iter().map(|step| step.change.shown()).collect();
    let broke = plan.proof.broke.unwrap_or_else(|| panic!("nothing breaks: {told:#?}"));
    assert!(broke.step >= 1 && broke.step < plan.steps.len(), "{broke:?} {told:#?}");
}

/// Every row has a case above.
#[test]
fn every_row_is_tried() {
    let tried = include_str!("rows.rs");
    for row in DEPENDENCIES {
        assert!(tried.contains(&format!("#[case(\"{}\", ", row.name)), "{} has no case", row.name);
    }
}
