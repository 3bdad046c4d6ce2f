//! The policy's entries: the register of mirrors, and which switches it speaks of by name.

use rstest::rstest;
use yellowlegs_core::model::Choice;

use super::refused;
use super::support::policy;

fn registered(sources: &str) -> String {
    format!(
        "[[mirror]]\nswitch = 'quay-1'\nsources = {sources}\ntarget = '1.9'\nreason = 'a fault'\nowner = 'harbour office'\nlast-day = '2031-12-31'\n"
    )
}

/// Sources as they are written, then as they are understood: ports with their direction; VLANs.
#[rstest]
#[case("['1.2 both']", &["1.2 both"], "none")]
#[case("['1.2']", &["1.2 both"], "none")]
#[case("['1.2..1.4 received', '1.7 sent']", &["1.2..1.4 received", "1.7 sent"], "none")]
#[case("['1.*  sent']", &["1.* sent"], "none")]
#[case("['abc']", &["abc both"], "none")]
#[case("['* both']", &["* both"], "none")]
#[case("['vlan 110']", &[], "110")]
#[case("['VLANs 110,120', 'vlan 130', '1.2']", &["1.2 both"], "110,120,130")]
#[case("['vlan 110 received']", &[], "110")]
fn sources_of_mirrors(#[case] sources: &str, #[case] ports: &[&str], #[case] vlans: &str) {
    let policy = policy(&registered(sources));
    let entry = &policy.mirrors[0];
    let shown: Vec<String> =
        entry.sources.iter().map(|(ports, way)| format!("{} {}", ports.as_str(), way.word())).collect();
    assert_eq!(shown, ports);
    assert_eq!(if entry.vlans.is_empty() { "none".to_owned() } else { entry.vlans.to_string() }, vlans);
}

/// What is no port and no VLAN is refused where it stands.
#[rstest]
#[case("['everything']")]
#[case("['1.2 sideways']")]
#[case("['1.2 bothh']")]
#[case("['vlan']")]
#[case("['vlan some']")]
#[case("['vlan 4095']")]
#[case("['vlan none']")]
#[case("['']")]
#[case("['received']")]
fn sources_that_are_none(#[case] sources: &str) {
    let told = refused(&registered(sources));
    assert_eq!(told.iter().map(|(line, _)| *line).collect::<Vec<_>>(), [3], "{told:?}");
}

/// An entry, then a switch that it names and one that it does not.
#[rstest]
#[case::sisters("[[sisters]]\nswitches = ['quay-*']\n", "quay-1", "hall-1")]
#[case::a_links_end(
    "[[link]]\na = { switch = 'quay-1', port = '1.1' }\nb = { switch = 'core', port = '1' }\n",
    "quay-1",
    "quay-2"
)]
#[case::a_links_other_end(
    "[[link]]\na = { switch = 'quay-1', port = '1.1' }\nb = { switch = 'core', port = '1' }\n",
    "core",
    "hall-1"
)]
#[case::a_server("[[dhcp-server]]\nswitch = 'core'\nport = '1'\n", "core", "quay-1")]
#[case::a_list_of_ports("[[role]]\nname = 'desk'\nfaces = 'host'\nports = ['quay-* 1.1']\n", "quay-1", "hall-1")]
// A list for every switch names none.
#[case::a_list_for_all("[[role]]\nname = 'desk'\nfaces = 'host'\nports = ['* 1.1', 'core 1']\n", "core", "quay-1")]
fn switches_that_a_policy_names(#[case] text: &str, #[case] named: &str, #[case] other: &str) {
    let policy = policy(text);
    assert!(policy.names_switch(named) && !policy.names_switch(other));
}
