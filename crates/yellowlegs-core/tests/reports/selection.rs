//! Which findings are reported: each part of a selection by itself and together.

use globset::Glob;
use rstest::rstest;
use yellowlegs_core::check::Selection;

fn select(switch: &str, among: &[&str], port: &str, role: &str, only: &[&str]) -> Selection {
    let glob = |text: &str| (!text.is_empty()).then(|| Glob::new(text).unwrap().compile_matcher());
    Selection {
        switch: glob(switch),
        among: (!among.is_empty()).then(|| among.iter().map(ToString::to_string).collect()),
        port: glob(port),
        role: (!role.is_empty()).then(|| role.to_owned()),
        only: only.iter().map(ToString::to_string).collect(),
    }
}

#[rstest]
#[case::all("", &[], "quay-1", true)]
#[case::named("quay-*", &[], "quay-1", true)]
#[case::not_named("quay-*", &[], "hall-1", false)]
#[case::among("", &["quay-1"], "quay-1", true)]
#[case::not_among("", &["quay-2"], "quay-1", false)]
#[case::named_but_not_among("quay-*", &["quay-2"], "quay-1", false)]
#[case::among_but_not_named("hall-*", &["quay-1"], "quay-1", false)]
fn switches(#[case] switch: &str, #[case] among: &[&str], #[case] name: &str, #[case] expected: bool) {
    assert_eq!(select(switch, among, "", "", &[]).takes_switch(name), expected);
}

#[rstest]
#[case::all("", "", Some("desk"), true)]
#[case::named("1.*", "", None, true)]
#[case::not_named("2.*", "", Some("desk"), false)]
#[case::role("", "desk", Some("desk"), true)]
#[case::other_role("", "desk", Some("gate"), false)]
#[case::no_role("", "desk", None, false)]
#[case::both("1.*", "desk", Some("desk"), true)]
#[case::name_only("1.*", "gate", Some("desk"), false)]
#[case::role_only("2.*", "desk", Some("desk"), false)]
fn ports(#[case] port: &str, #[case] role: &str, #[case] has: Option<&str>, #[case] expected: bool) {
    let selection = select("", &[], port, role, &[]);
    assert_eq!(selection.takes_port("1.7", has), expected);
    assert_eq!(selection.names_ports(), !(port.is_empty() && role.is_empty()));
}

#[rstest]
#[case::all(&[], true)]
#[case::by_name(&["voice/vlan-missing"], true)]
#[case::by_family(&["voice"], true)]
#[case::one_of_two(&["storm", "voice"], true)]
#[case::other_family(&["storm"], false)]
#[case::beginning_of_a_family(&["voi"], false)]
#[case::other_of_the_family(&["voice/vlan-wrong"], false)]
fn checks(#[case] only: &[&str], #[case] expected: bool) {
    assert_eq!(select("", &[], "", "", only).takes_check("voice/vlan-missing"), expected);
}

/// What stands on no switch: a waiver that covers nothing, a querier that is missing.
#[rstest]
#[case::all("", &[], "", "", &[], true, true)]
#[case::a_switch_that_it_is_about("quay-*", &[], "", "", &["hall-1", "quay-1"], false, true)]
#[case::other_switches("quay-*", &[], "", "", &["hall-1"], false, false)]
#[case::about_none("quay-*", &[], "", "", &[], false, false)]
#[case::among("", &["quay-1"], "", "", &["quay-1"], false, true)]
#[case::ports_are_asked_for("", &[], "1.1", "", &["quay-1"], false, false)]
#[case::a_role_is_asked_for("", &[], "", "desk", &["quay-1"], false, false)]
fn nowhere(
    #[case] switch: &str,
    #[case] among: &[&str],
    #[case] port: &str,
    #[case] role: &str,
    #[case] about: &[&str],
    #[case] fleet: bool,
    #[case] expected: bool,
) {
    let selection = select(switch, among, port, role, &[]);
    assert_eq!(selection.takes_fleet(), fleet);
    assert_eq!(selection.takes_nowhere(about.iter().copied()), expected);
}
