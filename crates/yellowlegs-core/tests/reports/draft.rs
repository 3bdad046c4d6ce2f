//! A policy drafted from a fleet: every guess it makes, and that it loads as it is.

use std::sync::Arc;

use rstest::rstest;
use yellowlegs_core::policy::{Draft, RoleFrom, assign};
use yellowlegs_core::resolve::{Resolved, State, resolve_with};
use yellowlegs_core::source::Source;

use super::support::{as_of, policy, shingle_without};

fn read(folder: &str, lines: &[&str], state: &str) -> Resolved {
    let state =
        State { texts: vec![Arc::new(Source::of("tables.out", state))], as_of: as_of().moment(), ..State::default() };
    let config = Source::of(format!("{folder}/config.txt"), format!("{}\n", lines.join("\n")));
    let resolved = resolve_with(folder, &shingle_without(&[]), Arc::new(config), &state);
    assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
    resolved
}

fn drafted(fleet: &[&Resolved]) -> String {
    let mut draft = Draft::default();
    fleet.iter().for_each(|resolved| draft.add(&resolved.switch));
    draft.write()
}

/// A switch with one port of each kind.
const QUAY: [&str; 42] = [
    "shingle 4 unit quay-1",
    "sockets 1.1..1.9",
    "lane 110",
    "  called \"Ticket desks\"",
    "lane 140",
    "lane 210",
    "  called Phone\\box",
    "lane 998",
    "lane 999",
    "socket 1.1",
    "  carries single",
    "  home lane 110",
    "  speech lane 210",
    "socket 1.2",
    "  carries single",
    "  home lane 110",
    "  speech lane 210",
    "socket 1.3",
    "  carries single",
    "  home lane 140",
    "socket 1.4",
    "  carries single",
    "  home lane 998",
    "  asleep",
    "socket 1.5",
    "  carries bundle",
    "  bare lane 999",
    "  bundle lanes 110,140",
    "  dhcp believed",
    "socket 1.6",
    "  carries bundle",
    "  bare lane 999",
    "  bundle lanes 110",
    "socket 1.7",
    "  carries bundle",
    "  bare lane 999",
    "  bundle lanes 140",
    "  wakes quickly-even-bundled",
    "socket 1.8",
    "  carries single",
    "  home lane 140",
    "  dhcp believed",
];

#[test]
fn every_kind_of_port_gets_its_role() {
    let quay = read("north/quay", &[&QUAY[..], &["socket 1.9", "  home lane none"]].concat(), "");
    assert_eq!(
        drafted(&[&quay]),
        r#"# A draft, made from 1 switches with 9 ports. It loads as it is; look at every guess, and
# `yellowlegs policy test` tells what matches nothing. docs/policy.md explains every key.

[site]
name = ""

[vlans]
1 = { purpose = "data" } # the untagged VLAN of 0 access ports, on 0 trunks
110 = { name = "Ticket desks", purpose = "data" } # the untagged VLAN of 2 access ports, on 2 trunks
140 = { purpose = "data" } # the untagged VLAN of 2 access ports, on 2 trunks
210 = { name = "Phone\\box", purpose = "voice" } # the voice VLAN of 2 ports
998 = { purpose = "parking" } # only shut ports are in it, 1 of them
999 = { purpose = "native" } # the native VLAN of 3 trunks, and nobody's access VLAN

# 2 ports: access ports with a voice VLAN
[[role]]
name = "ticket-desks"
faces = "phone-and-host"
vlans = [110]
voice = 210
ports = [
    "north/quay 1.1,1.2",
]

# 2 ports: access ports of one VLAN
[[role]]
name = "vlan-140"
faces = "host"
vlans = [140]
ports = [
    "north/quay 1.3,1.8",
]

# 1 ports: trunks that are edge ports
[[role]]
name = "tagged-host"
faces = "tagged-host"
ports = [
    "north/quay 1.7",
]

# 1 ports: trunks that DHCP snooping trusts
[[role]]
name = "uplink"
faces = "bridge-up"
ports = [
    "north/quay 1.5",
]

# 1 ports: trunks that nothing trusts
[[role]]
name = "downlink"
faces = "bridge-down"
ports = [
    "north/quay 1.6",
]

# 1 ports: ports that somebody shut
[[role]]
name = "spare"
faces = "nothing"
ports = [
    "north/quay 1.4",
]

# trusted, and no trunk: is an authorised server there?
[[dhcp-server]]
switch = "north/quay"
port = "1.8"
"#
    );
}

#[test]
fn a_draft_loads_and_gives_the_ports_the_roles_it_wrote() {
    let quay = read("quay", &QUAY, "");
    let policy = policy(&drafted(&[&quay]));
    let roles = assign(&policy, &quay.switch, None);
    let role = |port: &str| {
        let assigned = roles.ports[quay.switch.port_index(port).unwrap()].unwrap();
        assert_eq!(assigned.from, RoleFrom::List);
        policy.roles[assigned.role].name.clone()
    };
    assert_eq!(role("1.2"), "ticket-desks");
    assert_eq!(role("1.4"), "spare");
    assert_eq!(role("1.7"), "tagged-host");
}

/// Two ports with one data VLAN, with and without a voice VLAN, would have roles of one name.
#[test]
fn roles_of_one_vlan_are_numbered() {
    let ports = [
        "socket 1.1",
        "  carries single",
        "  home lane 110",
        "socket 1.2",
        "  carries single",
        "  home lane 110",
        "  speech lane 210",
    ];
    let lines = [&["shingle 4 unit q", "sockets 1.1..1.2", "lane 110", "lane 210"][..], &ports].concat();
    let text = drafted(&[&read("q", &lines, "")]);
    let names: Vec<&str> =
        text.lines().skip_while(|line| *line != "[[role]]").filter(|line| line.starts_with("name")).collect();
    assert_eq!(names, ["name = \"vlan-110\"", "name = \"vlan-110-2\""]);
}

/// The name that one switch gives a VLAN serves where another gives none, and the first is kept.
#[rstest]
#[case::only_the_second(&["lane 110"], &["lane 110", "  called desks"], "name = \"desks\", ")]
#[case::only_the_first(&["lane 110", "  called desks"], &["lane 110"], "name = \"desks\", ")]
#[case::both(&["lane 110", "  called desks"], &["lane 110", "  called staff"], "name = \"desks\", ")]
#[case::empty(&["lane 110", "  called \"\""], &["lane 110"], "")]
fn names_of_vlans(#[case] first: &[&str], #[case] second: &[&str], #[case] expected: &str) {
    let read = |name: &'static str, lines: &[&str]| {
        read(name, &[&["shingle 4 unit q", "sockets 1.1..1.2"], lines].concat(), "")
    };
    let text = drafted(&[&read("a", first), &read("b", second)]);
    assert!(text.contains(&format!("\n110 = {{ {expected}purpose")), "{text}");
    assert!(text.starts_with("# A draft, made from 2 switches with 4 ports."), "{text}");
}

/// What the neighbours announce on port 1.2 of the first of two switches; then the cable that is drafted.
#[rstest]
#[case::by_configured_name("name: second\n  on: 1.1", &["a = { switch = \"a\", port = \"1.2\" }", "b = { switch = \"b\", port = \"1.1\" }"])]
#[case::by_folder("name: b\n  on: 1.1", &["a = { switch = \"a\", port = \"1.2\" }", "b = { switch = \"b\", port = \"1.1\" }"])]
#[case::a_stranger("name: far-1\n  on: 1.1", &[])]
#[case::itself("name: a\n  on: 1.1", &[])]
#[case::no_port("name: second", &[])]
#[case::no_name("on: 1.1", &[])]
fn cables_are_drafted_from_announcements(#[case] told: &str, #[case] expected: &[&str]) {
    let first = read("a", &["shingle 4 unit first", "sockets 1.1..1.2"], &format!("socket 1.2 hears\n  {told}\n"));
    let second = read("b", &["shingle 4 unit second", "sockets 1.1..1.2"], "");
    let text = drafted(&[&first, &second]);
    let links: Vec<&str> = text.lines().skip_while(|line| !line.starts_with("[[link]]")).skip(1).collect();
    assert_eq!(links, expected);
}

#[test]
fn a_cable_that_both_ends_announce_is_one() {
    let first = read("a", &["shingle 4 unit a", "sockets 1.1..1.2"], "socket 1.2 hears\n  name: b\n  on: 1.1\n");
    let second = read("b", &["shingle 4 unit b", "sockets 1.1..1.2"], "socket 1.1 hears\n  name: a\n  on: 1.2\n");
    for fleet in [[&first, &second], [&second, &first]] {
        assert_eq!(drafted(&fleet).matches("[[link]]").count(), 1);
    }
}

/// A port whose mode or VLAN nobody knows is counted and given no role.
#[test]
fn an_unknown_vlan_gives_no_role() {
    let dialect = shingle_without(&["port.access-vlan"]);
    let config = Source::of("q/config.txt", "shingle 4 unit q\nsockets 1.1..1.2\nsocket 1.1\n  carries single\n");
    let resolved = resolve_with("q", &dialect, Arc::new(config), &State::default());
    let text = drafted(&[&resolved]);
    assert!(text.contains("with 2 ports") && !text.contains("[[role]]"), "{text}");
}
