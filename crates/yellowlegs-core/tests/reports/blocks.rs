//! The same fault on many ports is told once; whatever tells two faults apart keeps them apart.

use rstest::rstest;
use yellowlegs_core::finding::{DrillShown, Finding, Since, blocks};
use yellowlegs_core::policy::Level;

use super::{finding, waived};

fn on(port: &str) -> Finding {
    finding("storm/missing", Level::Risk, "a", port)
}

#[test]
fn ports_with_the_same_fault_make_one_block() {
    let findings = [on("1.1"), on("1.2"), on("1.3")];
    let blocks = blocks(&findings);
    assert_eq!(blocks.len(), 1);
    assert_eq!(blocks[0].ports(), ["1.1", "1.2", "1.3"]);
    assert_eq!(blocks[0].all().count(), 3);
}

fn drill() -> DrillShown {
    DrillShown { drill: "address-flood".into(), outcome: "outage", ports: 1, says: "all of it".into() }
}

#[rstest]
#[case::check(Finding { check: "flap/missing", ..on("1.2") })]
#[case::level(Finding { level: Level::Breach, ..on("1.2") })]
#[case::since(Finding { since: Some(Since::New), ..on("1.2") })]
#[case::switch(Finding { switch: Some("b".into()), ..on("1.2") })]
#[case::role(Finding { role: Some("desk".into()), ..on("1.2") })]
#[case::message(Finding { message: "otherwise".into(), ..on("1.2") })]
#[case::remedy(Finding { remedy: "leave it".into(), ..on("1.2") })]
#[case::waiver(waived(on("1.2")))]
#[case::drill(Finding { drill: Some(drill().into()), ..on("1.2") })]
#[case::of_the_switch(Finding { port: None, ..on("1.2") })]
fn unlike_faults_stay_apart(#[case] other: Finding) {
    let findings = [on("1.1"), other.clone()];
    assert_eq!(blocks(&findings).len(), 2);
    // The other one with itself is one, so it was the difference that kept them apart.
    let twice = [other.clone(), Finding { port: other.port.as_ref().map(|_| "1.9".to_owned()), ..other }];
    assert_eq!(blocks(&twice).len(), usize::from(twice[0].port.is_none()) + 1);
}

#[test]
fn what_counts_comes_first_and_gravest_first() {
    let findings = [
        waived(finding("port/peer", Level::Breach, "a", "1.1")),
        finding("port/described", Level::Advice, "a", "1.1"),
        finding("flap/missing", Level::Breach, "a", "1.1"),
        finding("storm/missing", Level::Risk, "a", "1.1"),
        finding("port/mode-wrong", Level::Breach, "a", "1.1"),
    ];
    let order: Vec<&str> = blocks(&findings).iter().map(|block| block.first.check).collect();
    assert_eq!(order, ["flap/missing", "port/mode-wrong", "storm/missing", "port/described", "port/peer"]);
}
