//! What differs between two readings, in settings and in state.

use std::sync::Arc;

use rstest::rstest;
use yellowlegs_core::check::{StateUnlike, Unlike, compare, compare_state};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::finding::{Evidence, EvidenceKind};
use yellowlegs_core::resolve::{Resolved, State, resolve, resolve_with};
use yellowlegs_core::source::Source;

use super::support::{as_of, shingle_without};

fn read(lines: &str, state: &str) -> Resolved {
    let state =
        State { texts: vec![Arc::new(Source::of("tables.out", state))], as_of: as_of().moment(), ..State::default() };
    let config = format!("shingle 4 unit q\nsockets 1.1..1.12\n{}\n", lines.replace(';', "\n"));
    let resolved = resolve_with("q", &shingle_without(&[]), Arc::new(Source::of("config.txt", config)), &state);
    assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
    resolved
}

fn side(value: Option<&yellowlegs_core::model::Value>, evidence: &[Evidence]) -> String {
    let value = value.map_or_else(|| "unknown".to_owned(), ToString::to_string);
    let lines: Vec<String> = evidence
        .iter()
        .map(|e| match e.kind {
            EvidenceKind::Line => format!("line {}", e.line.unwrap()),
            EvidenceKind::Default => "default".to_owned(),
            EvidenceKind::Silent => "silent".to_owned(),
            other => format!("{other:?}"),
        })
        .collect();
    format!("{value} ({})", lines.join(" "))
}

fn told(unlike: &[Unlike]) -> Vec<String> {
    let entry = |u: &Unlike| {
        let places: Vec<String> = u
            .ports
            .iter()
            .cloned()
            .chain(u.vlans.iter().map(|vlan| format!("VLAN {vlan}")))
            .chain(u.mirrors.iter().map(|name| format!("mirror {name}")))
            .collect();
        let (a, b) = (side(u.a.as_ref(), &u.evidence_a), side(u.b.as_ref(), &u.evidence_b));
        format!("{} on {}: {a} / {b}", u.setting, places.join(","))
    };
    unlike.iter().map(entry).collect()
}

#[rstest]
#[case::alike("socket 1.1;  asleep", "socket 1.1;  asleep", &[])]
#[case::the_same_on_many_ports_is_one_entry(
    "", "socket 1.10,1.2;  asleep",
    &["port.enabled on 1.2,1.10: true (silent default) / false (line 4)"]
)]
#[case::of_the_switch("dhcp watch", "", &["dhcp-snooping.enabled on : true (line 3) / false (silent default)"])]
#[case::of_a_vlan(
    "lane 110;  called desks", "lane 110;  called gates",
    &["vlan.name on VLAN 110: desks (line 4) / gates (line 4)"]
)]
#[case::the_switch_first_and_then_what_most_ports_have(
    "", "socket 1.1;  note x;socket 1.2..1.3;  asleep;dhcp watch",
    &[
        "dhcp-snooping.enabled on : false (silent default) / true (line 7)",
        "port.enabled on 1.2,1.3: true (silent default) / false (line 6)",
        "port.description on 1.1:  (silent default) / x (line 4)",
    ]
)]
#[case::unlike_values_are_entries_of_their_own(
    "", "socket 1.1;  pace 10;socket 1.2;  pace 100",
    &["port.speed on 1.1: 1000 (silent default) / 10 (line 4)", "port.speed on 1.2: 1000 (silent default) / 100 (line 6)"]
)]
fn settings_that_differ(#[case] a: &str, #[case] b: &str, #[case] expected: &[&str]) {
    assert_eq!(told(&compare(&read(a, ""), &read(b, ""), |_| true)), expected);
}

/// What nobody knows on one side differs from what a line says, and from nothing else.
#[test]
fn a_setting_that_is_unknown_on_one_side() {
    let silent = shingle_without(&["port.mtu"]);
    let of = |dialect: &Arc<Dialect>, block: &str| {
        let text = format!("shingle 4 unit t\nsockets 1.1..1.2\nsocket 1.1\n{block}");
        resolve("t", dialect, Arc::new(Source::of("t/config.txt", text)))
    };
    let (known, unknown) = (of(&shingle_without(&[]), ""), of(&silent, ""));
    assert!(compare(&known, &unknown, |_| true).is_empty() && compare(&unknown, &known, |_| true).is_empty());
    let written = of(&shingle_without(&[]), "  frames up-to 9000\n");
    let unlike = compare(&unknown, &written, |_| true);
    let [one] = &unlike[..] else { panic!("{:?}", told(&unlike)) };
    assert_eq!(
        (one.setting, one.a.is_none(), one.b.is_some(), &one.ports[..]),
        ("port.mtu", true, true, &["1.1".to_owned()][..])
    );
    assert!(compare(&unknown, &written, |id| id.name() != "port.mtu").is_empty());
}

/// Where one side is silent, its evidence is the port's block in which nobody says anything.
#[test]
fn the_side_that_is_silent_shows_where() {
    let unlike = compare(&read("socket 1.1", ""), &read("socket 1.1;  asleep", ""), |_| true);
    let [one] = &unlike[..] else { panic!("{:?}", told(&unlike)) };
    let quoted: Vec<&str> = one.evidence_a.iter().map(|line| line.text.as_str()).collect();
    assert!(quoted.contains(&"socket 1.1"), "{quoted:?}");
}

#[test]
fn a_mirror_that_is_on_one_side_only() {
    let with = read("looking-glass 2;  shows 1.1 both;  onto 1.4;  awake", "");
    let unlike = compare(&read("", ""), &with, |_| true);
    assert!(unlike.iter().any(|u| u.setting == "mirror.target"), "{:?}", told(&unlike));
    assert!(unlike.iter().all(|u| u.mirrors == ["2"] && u.ports.is_empty()), "{:?}", told(&unlike));
}

const STATIONS: &str = "Lane  Station         Socket  Kept      Silent for\n";
const STATUS: &str = "Socket  Line  Kept shut by  Since                Opens in  Pace\n";
const BINDINGS: &str = "Station         Address     Lane  Socket  Left\n";

#[rstest]
#[case::a_station_moved(
    format!("{STATIONS}110   0200.5e10.0001  1.1     heard     1 min\n110   0200.5e10.0009  1.2     heard     1 min\n"),
    format!("{STATIONS}110   0200.5e10.0001  1.2     heard     1 min\n110   0200.5e10.0009  1.2     heard     1 min\n"),
    &["stations on 1.1: 02:00:5e:10:00:01 in VLAN 110 / none", "stations on 1.2: none / 02:00:5e:10:00:01 in VLAN 110"]
)]
#[case::another_vlan(
    format!("{STATIONS}110   0200.5e10.0001  1.1     heard     1 min\n"),
    format!("{STATIONS}120   0200.5e10.0001  1.1     heard     1 min\n"),
    &["stations on 1.1: 02:00:5e:10:00:01 in VLAN 110 / 02:00:5e:10:00:01 in VLAN 120"]
)]
#[case::one_side_tells_none_of_it("", format!("{STATIONS}110   0200.5e10.0001  1.1     heard     1 min\n"), &[])]
#[case::links_on_many_ports(
    format!("{STATUS}1.1     up    -             2031-03-04 06:00:00  by hand   1000\n1.2     up    -             2031-03-04 06:00:00  by hand   1000\n1.3     down  -             2031-03-04 06:00:00  by hand   1000\n"),
    format!("{STATUS}1.1     down  -             2031-03-04 06:00:00  by hand   1000\n1.2     down  -             2031-03-04 06:00:00  by hand   1000\n1.3     down  crowd         2031-03-04 06:00:00  by hand   1000\n"),
    &["link on 1.3: down / down, port-security", "link on 1.1,1.2: up / down"]
)]
#[case::bindings(
    format!("{BINDINGS}0200.5e10.0001  192.0.2.7   110   1.1     1 h\n"),
    format!("{BINDINGS}0200.5e10.0001  192.0.2.8   110   1.1     1 h\n"),
    &["bindings on 1.1: 192.0.2.7 to 02:00:5e:10:00:01 in VLAN 110 / 192.0.2.8 to 02:00:5e:10:00:01 in VLAN 110"]
)]
#[case::neighbours(
    "socket 1.1 hears\n  name: tide-1\n  on: 3\nsocket 1.2 hears\n  chassis: 02:00:5e:ff:00:01\n",
    "socket 1.1 hears\n  name: tide-1\n  on: 4\nsocket 1.2 hears\n  name: tide-2\n",
    &["neighbours on 1.2: 02:00:5e:ff:00:01 / tide-2", "neighbours on 1.1: tide-1 3 / tide-1 4"]
)]
fn state_that_differs(#[case] a: impl AsRef<str>, #[case] b: impl AsRef<str>, #[case] expected: &[&str]) {
    let (a, b) = (read("", a.as_ref()), read("", b.as_ref()));
    assert!(a.switch.unread().is_empty() && b.switch.unread().is_empty());
    let line = |StateUnlike { what, a, b, ports }: &StateUnlike| format!("{what} on {}: {a} / {b}", ports.join(","));
    assert_eq!(compare_state(&a.switch, &b.switch).iter().map(line).collect::<Vec<_>>(), expected);
}
