//! The page about one port: its link and how it comes back, who is there, what was counted, what the log says.

use std::sync::Arc;

use rstest::rstest;
use yellowlegs_core::check::{PortPage, PortView, SwitchView};
use yellowlegs_core::policy::{Inventory, InventoryFile, assign};
use yellowlegs_core::resolve::{State, resolve_with};
use yellowlegs_core::source::Source;

use super::support::{POLICY, as_of, policy, shingle_without};

const STATIONS: &str = "Lane  Station         Socket  Kept      Silent for\n";
const STATUS: &str = "Socket  Line  Kept shut by  Since                Opens in  Pace\n";
const BINDINGS: &str = "Station         Address     Lane  Socket  Left\n";

/// The page of port 1.1.
fn page(block: &str, told: &str) -> PortPage {
    let block =
        block.split(';').filter(|line| !line.is_empty()).fold(String::new(), |all, line| all + "  " + line + "\n");
    let config = format!("shingle 4 unit t\nsockets 1.1..1.4\nlane 110\nlane 210\nsocket 1.1\n{block}");
    let texts = vec![Arc::new(Source::of("t/tables.out", told))];
    let state = State { texts, as_of: as_of().moment(), ..State::default() };
    let dialect = shingle_without(&[]);
    let resolved = resolve_with("t", &dialect, Arc::new(Source::of("t/config.txt", config)), &state);
    assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
    let mut policy = policy(POLICY);
    let listed =
        "address,kind,owner,room\n02:00:5e:10:00:01,computer,ticket office,hall 2\n02:00:5e:10:00:02,camera,,\n";
    policy.stations = Some(Inventory::parse(&Source::of("stations.csv", listed), &InventoryFile::default()).unwrap());
    let as_of = as_of();
    let roles = assign(&policy, &resolved.switch, Some(dialect.lists()));
    let on = SwitchView::new(&resolved, &policy, &roles, &as_of);
    PortPage::of(&PortView::new(on, 0))
}

fn status(line: &str, cause: &str, opens: &str) -> String {
    format!("{STATUS}1.1     {line:4}  {cause:12}  2031-03-04 06:00:00  {opens:8}  1000\n")
}

#[test]
fn what_a_port_is_for() {
    let page = page("note \"desk of the pilots\";carries single;home lane 110;speech lane 210", "");
    assert_eq!((&*page.switch, &*page.port, page.description.as_deref()), ("t", "1.1", Some("desk of the pilots")));
    assert_eq!((page.role.as_deref(), page.faces), (Some("desk"), Some("phone-and-host")));
    let bare = self::page("", "");
    assert_eq!((bare.description, bare.role, bare.role_from.is_none(), bare.faces), (None, None, true, None));
}

/// Its block, its state; then the link in a word, what holds it, its steps, and the lines that say so.
#[rstest]
#[case::up("", status("up", "-", "by hand"), "up", None, &[], &["t/tables.out:2"])]
#[case::down("", status("down", "-", "by hand"), "down", None,
    &["nothing is plugged in, or what is there is off: look at plug and cable"], &["t/tables.out:2"])]
#[case::nobody_tells("", "", "unknown", None, &[], &[])]
#[case::the_log_tells_last("", "2031-03-04 06:00:00 socket 1.1 line down\n2031-03-04 06:01:00 socket 1.1 line up\n", "unknown", None, &[], &["t/tables.out:2"])]
#[case::shut_by_its_configuration("asleep", "", "shut", Some("administrative"),
    &["ask who shut it and why", "open it, or give it the role of a spare port"], &["t/config.txt:6"])]
#[case::shut_by_its_state("", status("down", "keeper", "by hand"), "shut", Some("administrative"),
    &["ask who shut it and why", "open it, or give it the role of a spare port"], &["t/tables.out:2"])]
fn the_link_now(
    #[case] block: &str,
    #[case] told: impl AsRef<str>,
    #[case] state: &str,
    #[case] cause: Option<&str>,
    #[case] steps: &[&str],
    #[case] lines: &[&str],
) {
    let link = page(block, told.as_ref()).link;
    assert_eq!((link.state, link.cause), (state, cause));
    assert_eq!(link.steps, steps);
    let places = link.evidence.iter().map(|e| format!("{}:{}", e.file.as_deref().unwrap(), e.line.unwrap()));
    assert_eq!(places.collect::<Vec<_>>(), lines);
}

/// A port that a feature holds down: how it comes back.
#[rstest]
#[case::by_hand("by hand", "then by hand: take the port down and up again, nothing brings it back by itself")]
#[case::by_itself("4 min", "then it comes back in 240 s by its timer")]
#[case::no_time_left_where_nothing_brings_it_back(
    "0 s",
    "then by hand: take the port down and up again, nothing brings it back by itself"
)]
fn a_held_port_tells_how_it_comes_back(#[case] opens: &str, #[case] expected: &str) {
    let log = "2031-03-04 06:00:01 socket 1.1 turned away 0200.5e10.0005\n2031-03-04 06:00:00 socket 1.1 turned away 0200.5e10.0004\n2031-03-04 06:00:02 socket 1.1 turned away 0200.5e10.0005\n";
    let link = page("crowd watch;crowd response shut-out", &(status("down", "crowd", opens) + log)).link;
    assert_eq!((link.state, link.cause), ("held", Some("port-security")));
    assert!(link.steps[0].starts_with("first "), "{:?}", link.steps);
    assert_eq!(link.steps[1], "the log has turned away: 02:00:5e:10:00:04, 02:00:5e:10:00:05");
    assert!(link.steps.iter().any(|step| step == expected), "{:?}", link.steps);
    assert_eq!(link.steps.last().map(String::as_str), Some("look again: the same cause takes it down the same way"));
    assert_eq!(link.since.map(|since| since.to_string()).as_deref(), Some("2031-03-04T06:00:00Z"));
}

#[test]
fn only_port_security_turns_stations_away() {
    let log = "2031-03-04 06:00:01 socket 1.1 turned away 0200.5e10.0005\n";
    let link = page("", &(status("down", "gale", "by hand") + log)).link;
    assert_eq!((link.state, link.cause), ("held", Some("storm")));
    assert!(!link.steps.iter().any(|step| step.contains("turned away")), "{:?}", link.steps);
}

/// A row of the table of stations, with bindings; then what is shown: is, VLAN, bound address, lease, age, whose.
#[rstest]
#[case::listed(
    "110   0200.5e10.0001  1.1     heard     2 min",
    "computer",
    Some(110),
    Some("192.0.2.7"),
    Some(3600),
    Some(120),
    Some("hall 2, ticket office")
)]
#[case::kind_only("110   0200.5e10.0002  1.1     heard     2 min", "camera", Some(110), None, None, Some(120), None)]
#[case::phone("210   0200.5e20.0001  1.1     heard     2 min", "phone", Some(210), None, None, Some(120), None)]
#[case::nobody_knows(
    "110   0200.5e10.0003  1.1     heard     2 min",
    "unknown",
    Some(110),
    None,
    None,
    Some(120),
    None
)]
#[case::bound_in_another_vlan(
    "210   0200.5e10.0001  1.1     heard     2 min",
    "computer",
    Some(210),
    None,
    None,
    Some(120),
    Some("hall 2, ticket office")
)]
fn who_is_there(
    #[case] row: &str,
    #[case] is: &str,
    #[case] vlan: Option<u16>,
    #[case] ip: Option<&str>,
    #[case] lease: Option<u32>,
    #[case] age: Option<u32>,
    #[case] whose: Option<&str>,
) {
    let told = format!(
        "{STATIONS}{row}\n{BINDINGS}0200.5e10.0009  192.0.2.9   110   1.1     1 h\n0200.5e10.0001  192.0.2.7   110   1.1     1 h\n"
    );
    let page = page("", &told);
    assert_eq!(page.stations.len(), 1);
    let station = &page.stations[0];
    assert_eq!((&*station.is, station.vlan, station.ip.as_deref()), (is, vlan, ip));
    assert_eq!((station.lease, station.age, station.whose.as_deref()), (lease, age, whose));
}

#[test]
fn who_announces_itself() {
    let told = "socket 1.1 hears\n  chassis: box 7\n  name: tide-1\n  on: 3\n  can: bridge, phone\n  speech:\n    lane: 210\n    priority: 5\n    dscp: 46\n  power:\n    asks: 7W\nsocket 1.1 hears\n  chassis: box 8\nsocket 1.1 hears\n  on: 9\n";
    let page = page("", told);
    let heard: Vec<_> =
        page.neighbours.iter().map(|n| (&*n.name, n.port.as_deref(), n.can.join(" "), n.says.join("; "))).collect();
    assert_eq!(
        heard,
        [
            (
                "tide-1",
                Some("3"),
                "bridge telephone".to_owned(),
                "voice in VLAN 210; priority 5; DSCP 46; asks 7 W".to_owned()
            ),
            ("box 8", None, String::new(), String::new()),
            ("without a name", Some("9"), String::new(), String::new()),
        ]
    );
}

/// Two tables tell of one neighbour: it is one, with what either says.
#[test]
fn a_neighbour_that_two_tables_tell_of() {
    let told = "socket 1.1 hears\n  name: tide-1\n  on: 3\n  can: bridge\nsocket 1.1 hears\n  name: TIDE-1\n  can: bridge, phone\n  speech:\n    lane: 210\nsocket 1.1 hears\n  name: tide-1\n  on: 4\n";
    let page = page("", told);
    let heard: Vec<_> =
        page.neighbours.iter().map(|n| (&*n.name, n.port.as_deref(), n.can.join(" "), n.says.join("; "))).collect();
    let one = ("tide-1", Some("3"), "bridge telephone".to_owned(), "voice in VLAN 210".to_owned());
    assert_eq!(heard, [one, ("tide-1", Some("4"), String::new(), String::new())]);
}

#[test]
fn neighbours_without_a_name_stay_apart() {
    let page = page("", "socket 1.1 hears\n  can: bridge\nsocket 1.1 hears\n  can: phone\n");
    assert_eq!(page.neighbours.iter().map(|n| n.can.join(" ")).collect::<Vec<_>>(), ["bridge", "telephone"]);
}

/// A downlink hears its neighbour's BPDUs: it is no edge that is detected.
#[rstest]
#[case("down", "no edge port: forwards once the bridge at its other end agrees")]
#[case("desk", "edge port once detected: forwards after 3 s (the edge is detected after the migrate time of 3 s)")]
fn an_edge_that_is_detected(#[case] note: &str, #[case] expected: &str) {
    let page = page(&format!("note \"{note}\";carries single;wakes listening"), "");
    let tree = page.features.iter().find(|feature| feature.feature == "spanning tree").unwrap();
    assert_eq!(tree.told.as_deref(), Some(expected));
}

#[test]
fn what_it_has_counted_without_its_own_name() {
    let told = "Socket  Turned away  Inside  False leases\n1.1     7            2       0\n";
    let counted: Vec<(&str, String)> =
        page("", told).counters.into_iter().map(|(name, value)| (name, value.to_string())).collect();
    assert_eq!(counted, [("violations", "7".into()), ("stations", "2".into()), ("server-drops", "0".into())]);
}

#[test]
fn the_newest_twelve_lines_of_the_log_in_order() {
    let mut lines: Vec<String> = (0..15).map(|n| format!("2031-03-04 06:{n:02}:00 socket 1.1 line up")).collect();
    lines.reverse();
    let events = page("", &format!("{}\n", lines.join("\n"))).events;
    assert_eq!(events.len(), 12);
    assert!(events[0].text.contains("06:03:00") && events[11].text.contains("06:14:00"), "{events:?}");
}

#[test]
fn what_is_missing_is_named() {
    assert!(page("", "").missing.is_empty(), "where no state is kept none of it is missing");
    let told = format!("{}{STATIONS}", status("up", "-", "by hand"));
    assert_eq!(page("", &told).missing, ["binding", "neighbour", "event"]);
}

/// A setting of the port, its line, and what would hold without it.
#[rstest]
#[case::written("crowd ceiling 3", "port-security.limit", "3", Some(6), Some("1"))]
#[case::default("", "port-security.limit", "1", None, None)]
#[case::implied_by_nothing("carries single", "port.mode", "access", Some(6), Some("negotiated"))]
fn a_setting_with_what_would_hold_without_it(
    #[case] block: &str,
    #[case] name: &str,
    #[case] value: &str,
    #[case] line: Option<u32>,
    #[case] without: Option<&str>,
) {
    let page = page(block, "");
    let shown = page.settings.iter().find(|setting| setting.name == name).unwrap();
    assert_eq!(shown.value.as_ref().map(ToString::to_string).as_deref(), Some(value));
    assert_eq!(shown.line.as_ref().and_then(|line| line.line), line);
    let instead = shown.without.as_ref().map(|(value, _)| value.as_ref().map(ToString::to_string).unwrap_or_default());
    assert_eq!(instead.as_deref(), without);
}

#[test]
fn each_feature_says_what_it_does_or_what_it_lacks() {
    let page = page("crowd watch", "");
    assert!(page.features.iter().all(|feature| feature.told.is_some() == feature.needs.is_empty()));
    assert!(page.features.iter().any(|feature| feature.told.is_some()));
}
