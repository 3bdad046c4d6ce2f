//! A walk beside a configuration: what nobody wrote is told by it, what contradicts is said.

use std::sync::Arc;

use rstest::rstest;
use yellowlegs_core::resolve::{State, resolve_with};
use yellowlegs_core::source::Source;

use crate::support::{as_of, dialect};
use crate::walks::{ports, remarks, told};

const LANGUAGE: &str = r#"
[dialect]
name = "cove"
[ports]
names = ["<n>/<n>"]
[ports.also]
"berth <n>/<n>" = "<n>/<n>"
[defaults]
port = { mode = "access", access-vlan = 1, enabled = true }
[[rule]]
pattern = "quay <p:port>"
ports = "<p>"
opens = "quay"
[[rule]]
in = "quay"
[rule.lines]
"pool <v:vlan>" = { sets = { "port.access-vlan" = "<v>" } }
"voice <v:vlan>" = { sets = { "port.voice-vlan" = "<v>" } }
"many <v:vlans> plain <n:vlan>" = { sets = { "port.mode" = "trunk", "port.tagged-vlans" = "<v>", "port.native-vlan" = "<n>" } }
"shut" = { sets = { "port.enabled" = false } }
"quick" = { sets = { "fast-start.mode" = "edge-on-trunk" } }
"#;

/// Port 1 with one VLAN, port 2 with a phone, port 3 a trunk of more VLANs than there are.
const TEXT: &str =
    "quay 1/1\n pool 110\n shut\nquay 1/2\n pool 110\n voice 120\nquay 1/3\n many 110-200 plain 110\n quick\n";

fn walked(more: &str) -> yellowlegs_core::model::Switch {
    let walk = format!(
        "{}1.3.6.1.2.1.17.7.1.4.3.1.2.110 hex e0\n1.3.6.1.2.1.17.7.1.4.3.1.4.110 hex e0\n1.3.6.1.2.1.17.7.1.4.3.1.2.120 hex 60\n\
         1.3.6.1.2.1.17.7.1.4.3.1.4.120 hex 00\n{more}",
        ports()
    );
    let walks = vec![Arc::new(Source::of("sw1/agent.walk", walk))];
    let state = State { walks, as_of: as_of().moment(), ..State::default() };
    resolve_with("sw1", &dialect(LANGUAGE), Arc::new(Source::of("sw1/config.txt", TEXT)), &state).switch
}

/// An access port with a voice VLAN, and a trunk whose list names VLANs that are not there, are the same by membership.
#[test]
fn what_comes_to_the_same_is_no_contradiction() {
    let switch = walked("1.3.6.1.2.1.2.2.1.7.1001 integer 2\n1.3.6.1.2.1.17.2.19.1.2.3 integer 1\n");
    assert_eq!(remarks(&switch), Vec::<&str>::new());
    assert!(told(&switch).iter().any(|told| told.starts_with("switch.vlans")), "{:?}", told(&switch));
}

#[rstest]
#[case::shut(
    "1.3.6.1.2.1.2.2.1.7.1001 integer 1\n",
    "port.enabled is one thing in the text and another in the state; the text counts (1/1: false, and true)"
)]
#[case::another_vlan(
    "1.3.6.1.2.1.17.7.1.4.3.1.2.130 hex 80\n1.3.6.1.2.1.17.7.1.4.3.1.4.130 hex 80\n",
    "ports are in other VLANs by the text than by the walk; the text counts (1/1: 110 untagged and none tagged, and 110,130 untagged and none tagged; 1/3: 110 untagged and 120,130 tagged, and 110 untagged and 120 tagged)"
)]
#[case::one_more(
    "1.3.6.1.2.1.17.7.1.4.3.1.2.140 hex 40\n1.3.6.1.2.1.17.7.1.4.3.1.4.140 hex 00\n",
    "ports are in other VLANs by the text than by the walk; the text counts (1/2: 110 untagged and 120 tagged, and 110 untagged and 120,140 tagged; 1/3: 110 untagged and 120,140 tagged, and 110 untagged and 120 tagged)"
)]
fn contradictions(#[case] more: &str, #[case] remark: &str) {
    let switch = walked(more);
    assert_eq!(remarks(&switch), [remark]);
    assert!(!told(&switch).contains(&"1/1 port.enabled = true".to_owned()));
}

/// The text says nothing of port 4, and the default would have it up.
#[test]
fn what_nobody_wrote_is_told() {
    let switch = walked("1.3.6.1.2.1.2.2.1.7.1004 integer 2\n1.3.6.1.2.1.2.2.1.8.1004 integer 2\n");
    assert!(told(&switch).contains(&"1/4 port.enabled = false".to_owned()), "{:?}", told(&switch));
}

/// An agent names ports in its own way; the dialect knows other forms of its names.
#[test]
fn ports_are_named_as_the_dialect_does() {
    let walk = "1.3.6.1.2.1.31.1.1.1.1.1 octets \"berth 1/1\"\n1.3.6.1.2.1.2.2.1.3.1 integer 6\n1.3.6.1.2.1.2.2.1.7.1 integer 1\n\
        1.3.6.1.2.1.2.2.1.8.1 integer 1\n1.3.6.1.2.1.31.1.1.1.1.2 octets \"Unit 9\"\n1.3.6.1.2.1.2.2.1.3.2 integer 6\n1.3.6.1.2.1.2.2.1.8.2 integer 1\n";
    let walks = vec![Arc::new(Source::of("sw1/agent.walk", walk))];
    let state = State { walks, as_of: as_of().moment(), ..State::default() };
    let text = Arc::new(Source::of("sw1/config.txt", "quay 1/1\n shut\n"));
    let switch = resolve_with("sw1", &dialect(LANGUAGE), text, &state).switch;
    let remarks = remarks(&switch);
    assert!(remarks.iter().any(|text| text.contains("(1/1: false, and true)")), "{remarks:?}");
    assert!(
        remarks.contains(&"port-status tells of ports that the configuration does not have: Unit 9"),
        "{remarks:?}"
    );
}
