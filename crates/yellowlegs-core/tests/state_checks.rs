//! The checks of state on what Fathom tells: framed tables, values behind an equals sign, a log with a zone of its own.

use std::sync::Arc;

use crate::support::{POLICY, as_of, dialect, policy, verdicts_of};
use globset::Glob;
use rstest::rstest;
use yellowlegs_core::check::{Judge, Selection};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::policy::{Inventory, InventoryFile, Policy};
use yellowlegs_core::resolve::{Resolved, State, resolve_with};
use yellowlegs_core::source::Source;

const FATHOM: &str = include_str!("../../../demo/dialects/fathom.toml");
const HEAD: &str = "vessel t;berths a:1 to 4;ready binding-loft;leases watched;leases watched in 110, 210;leases written;\
    leases compare;water 110;water 210;berth a:2 to 4 note \"spare\"";
const DESK: &str = "berth a:1 note \"desk\";water 110 plain a:1;water 210 marked a:1;berth a:1 voice water 210";
const UP: &str =
    "berth a:1 note \"up\";water 110 marked a:1;water 210 marked a:1;berth a:1 leases from-here;berth a:1 blind close";

const STATIONS: &str = "Berth | Water | Station | How";
const BINDINGS: &str = "Lease | Station | Water | Berth | Ends";
const STATUS: &str = "Berth | Open | Line | Held by | For | Left | Speed";
const COUNTERS: &str = "Berth | Refused | Lessors | In kbit/s | Out kbit/s";
const POWER: &str = "Berth | Class | Reserved W | Drawn W";

/// Rows between `|` become a framed table with aligned columns; other lines stand as they are.
fn framed(lines: &[&str]) -> String {
    let mut text = String::new();
    for line in lines {
        if line.contains(" | ") {
            let cells = line.split('|').map(|cell| format!(" {:20} ", cell.trim()));
            text = format!("{text}|{}|\n", cells.collect::<Vec<_>>().join("|"));
        } else {
            text = format!("{text}{line}\n");
        }
    }
    text
}

/// The policy of these checks, its list of stations with it or not.
fn policy_with(text: &str, is_listed: bool) -> Policy {
    let listed = "address,kind\n02:00:5e:10:00:01,computer\n02:00:5e:20:00:01,phone\n";
    let listed = Inventory::parse(&Source::of("stations.csv", listed), &InventoryFile::default()).unwrap();
    let mut policy = policy(text);
    policy.stations = is_listed.then_some(listed);
    policy
}

/// What a check comes to on berth a:1.
fn verdict(check: &str, config: &str, told: &[&str]) -> &'static str {
    verdict_by(&policy_with(POLICY, true), check, config, told)
}

fn verdict_by(policy: &Policy, check: &str, config: &str, told: &[&str]) -> &'static str {
    let (resolved, dialect) = resolved(config, told);
    let told = verdicts_of(&resolved, &dialect, policy, 0);
    told.iter().find(|(id, ..)| *id == check).map(|(_, verdict, _)| *verdict).unwrap()
}

fn resolved(config: &str, told: &[&str]) -> (Resolved, Arc<Dialect>) {
    let dialect = dialect(FATHOM.split("# ── examples").next().unwrap());
    let lines: Vec<&str> = HEAD.split(';').chain(config.split(';')).collect();
    let config = format!("lay {}\n", lines.join("\nlay "));
    let texts = vec![Arc::new(Source::of("t/tables.out", framed(told)))];
    let state = State { texts, as_of: as_of().moment(), ..State::default() };
    let resolved = resolve_with("t", &dialect, Arc::new(Source::of("t/config.txt", config)), &state);
    assert!(resolved.switch.unread().is_empty(), "{:?}\n{}", resolved.switch.unread(), framed(told));
    (resolved, dialect)
}

/// What a check of the switch finds stands on a port, and is told where that one is chosen.
#[rstest]
#[case::all("", &[], Some("a:1"))]
#[case::this_port("a:1", &[], Some("a:1"))]
#[case::another("a:2", &[], None)]
#[case::this_check("", &["dhcp-snooping/binding-double"], Some("a:1"))]
#[case::another_check("a:1", &["dhcp-snooping/binding-expired"], None)]
fn what_stands_on_a_port_is_told_of_what_is_chosen(
    #[case] port: &str,
    #[case] only: &[&str],
    #[case] expected: Option<&str>,
) {
    let row =
        |station: &str, berth: &str| format!("192.0.2.7 | 0200.5e10.{station} | 110 | {berth} | 04 Mar 2031 19:00:00");
    let (first, second) = (row("0001", "a:1"), row("0002", "a:2"));
    let (resolved, dialect) = resolved(DESK, &[BINDINGS, &first, &second]);
    let port = (!port.is_empty()).then(|| Glob::new(port).unwrap().compile_matcher());
    let only: Vec<String> = only.iter().map(ToString::to_string).collect();
    let selection = Selection { port, only, ..Selection::default() };
    let (policy, as_of) = (policy_with(POLICY, true), as_of());
    let judged = Judge::new(&policy, &as_of, &selection, false).switch(&resolved, Some(dialect.lists()));
    let found = judged.outcome.findings.iter().find(|found| found.check == "dhcp-snooping/binding-double");
    assert_eq!(found.and_then(|found| found.port.as_deref()), expected);
}

#[rstest]
#[case("port/role-mismatch", DESK, &["neighbour at a:1", "  able = B, T"], "met")]
#[case("port/role-mismatch", DESK, &["neighbour at a:1", "  able = B"], "violated")]
#[case("port-security/over-limit", DESK, &[STATIONS, "a:1 | 110 | 0200.5e10.0001 | heard", " | 110 | 0200.5e10.0002 | heard", " | 110 | 0200.5e10.0003 | heard", " | 110 | 0200.5e10.0004 | heard"], "violated")]
#[case("port-security/over-limit", DESK, &[STATIONS, "a:1 | 110 | 0200.5e10.0001 | heard", " | 210 | 0200.5e20.0001 | heard"], "met")]
#[case("port-security/stranger", DESK, &[STATIONS, "a:1 | 110 | 0200.5e66.0001 | heard"], "violated")]
#[case("port-security/stranger", DESK, &[STATIONS], "met")]
#[case("port-security/violations", DESK, &[COUNTERS, "a:1 | 3 | 0 | 1 | 1"], "violated")]
#[case("port-security/violations", DESK, &[STATUS, "a:1 | yes | off | counted | 2h 10m | hand | "], "violated")]
#[case("dhcp-snooping/store-failing", DESK, &["leases kept = chart at Mar 4 07:20:00 failures 2"], "violated")]
#[case("dhcp-snooping/store-failing", DESK, &["leases kept = chart at Mar 4 07:20:00"], "met")]
#[case("dhcp-snooping/binding-misplaced", DESK, &[BINDINGS, "192.0.2.7 | 0200.5e10.0001 | 300 | a:1 | 04 Mar 2031 19:00:00"], "violated")]
#[case("dhcp-snooping/binding-misplaced", UP, &[BINDINGS, "192.0.2.7 | 0200.5e10.0001 | 110 | a:1 | 04 Mar 2031 19:00:00"], "violated")]
#[case("dhcp-snooping/binding-double", DESK, &[BINDINGS, "192.0.2.7 | 0200.5e10.0001 | 110 | a:1 | 04 Mar 2031 19:00:00", "192.0.2.7 | 0200.5e10.0002 | 110 | a:2 | 04 Mar 2031 19:00:00"], "violated")]
// Half past six at the audit is half past seven where the vessel's clock is.
#[case("dhcp-snooping/binding-expired", DESK, &[BINDINGS, "192.0.2.7 | 0200.5e10.0001 | 110 | a:1 | 04 Mar 2031 07:29:59"], "violated")]
#[case("dhcp-snooping/binding-expired", DESK, &[BINDINGS, "192.0.2.7 | 0200.5e10.0001 | 110 | a:1 | 04 Mar 2031 07:30:01"], "met")]
#[case("dhcp-snooping/host-unbound", DESK, &[STATIONS, "a:1 | 110 | 0200.5e10.0001 | heard", "", BINDINGS], "violated")]
#[case("dhcp-snooping/host-unbound", DESK, &[STATIONS, "a:1 | 110 | 0200.5e10.0001 | known", "", BINDINGS], "met")]
#[case("dhcp-snooping/rogue-seen", DESK, &["Mar 4 06:02:11 lessor 192.0.2.200 refused at a:1"], "violated")]
#[case("dhcp-snooping/rogue-seen", DESK, &[COUNTERS, "a:1 | 0 | 5 | 1 | 1"], "violated")]
#[case("dhcp-snooping/self-assigned", DESK, &[BINDINGS, "169.254.7.7 | 0200.5e10.0001 | 110 | a:1 | 04 Mar 2031 19:00:00"], "violated")]
#[case("dhcp-snooping/foreign-subnet", DESK, &[BINDINGS, "198.51.100.7 | 0200.5e10.0001 | 110 | a:1 | 04 Mar 2031 19:00:00"], "violated")]
#[case("voice/phone-astray", DESK, &[STATIONS, "a:1 | 110 | 0200.5e20.0001 | heard"], "violated")]
#[case("voice/phone-astray", DESK, &[STATIONS, "a:1 | 210 | 0200.5e20.0001 | heard"], "met")]
// A neighbour whose chassis is a station that is heard is the phone, if it says that it is one or is of class 3.
#[case("voice/phone-astray", DESK, &[STATIONS, "a:1 | 110 | 0200.5e10.0001 | heard", "", "neighbour at a:1", "  chassis = 0200.5e10.0001", "  able = T"], "violated")]
#[case("voice/phone-astray", DESK, &[STATIONS, "a:1 | 110 | 0200.5e10.0001 | heard", "", "neighbour at a:1", "  chassis = 0200.5e10.0001", "  endpoint = 3"], "violated")]
#[case("voice/phone-astray", DESK, &[STATIONS, "a:1 | 110 | 0200.5e10.0001 | heard", "", "neighbour at a:1", "  chassis = 0200.5e10.0001", "  endpoint = 1"], "met")]
#[case("voice/phone-astray", DESK, &[STATIONS, "a:1 | 110 | 0200.5e10.0001 | heard", "", "neighbour at a:1", "  chassis = 0200.5e10.0001", "  able = S"], "met")]
#[case("voice/phone-astray", DESK, &[STATIONS, "a:1 | 110 | 0200.5e10.0001 | heard", "", "neighbour at a:1", "  chassis = 0200.5e10.0002", "  able = T"], "met")]
#[case("voice/neighbour-disagrees", "berth a:1 note \"desk\";water 110 plain a:1;calling 1 tells marked;calling 1 tells water 210;calling 1 tells dscp 46;calling 1 at a:1", &["neighbour at a:1", "  calling = marked water 210 dscp 0"], "violated")]
#[case("voice/neighbour-disagrees", "berth a:1 note \"desk\";water 110 plain a:1;calling 1 tells marked;calling 1 tells water 210;calling 1 tells dscp 46;calling 1 at a:1", &["neighbour at a:1", "  calling = marked water 210 dscp 46"], "met")]
#[case("voice/power-short", "berth a:1 note \"desk\";water 110 plain a:1;berth a:1 power;berth a:1 power most 5W", &["neighbour at a:1", "  power = 6.4 of 15.4"], "violated")]
#[case("voice/power-short", "berth a:1 note \"desk\";water 110 plain a:1;berth a:1 power", &["neighbour at a:1", "  power = 6.4 of 5.0"], "violated")]
#[case("voice/power-short", "berth a:1 note \"desk\";water 110 plain a:1;berth a:1 power", &[POWER, "a:1 | 3 | 15.4 | 6.0"], "met")]
#[case("multicast/fast-leave-shared", "berth a:1 note \"screen\";water 140 plain a:1;berth a:1 leaves fast", &[STATIONS, "a:1 | 140 | 0200.5e10.0001 | heard", " | 140 | 0200.5e10.0002 | heard"], "violated")]
#[case("unidirectional/seen", UP, &["blind a:1 = one-way"], "violated")]
#[case("unidirectional/seen", UP, &["blind a:1 = alone"], "met")]
// Each change counts here: five within ten seconds are three losses.
#[case("flap/would-trip", DESK, &["Mar 4 06:00:00 line off at a:1", "Mar 4 06:00:02 line on at a:1", "Mar 4 06:00:04 line off at a:1", "Mar 4 06:00:06 line on at a:1", "Mar 4 06:00:10 line off at a:1"], "violated")]
#[case("flap/would-trip", DESK, &["Mar 4 06:00:00 line off at a:1", "Mar 4 06:00:02 line on at a:1", "Mar 4 06:00:04 line off at a:1", "Mar 4 06:00:06 line on at a:1"], "met")]
#[case("recovery/held-down", DESK, &[STATUS, "a:1 | yes | off | bridge | 2h 10m | hand | "], "violated")]
#[case("recovery/held-down", DESK, &["flutter a:1 = waiting"], "violated")]
#[case("recovery/held-down", DESK, &[STATUS, "a:1 | yes | off | | | | "], "met")]
#[case("recovery/shut-in-use", DESK, &[STATUS, "a:1 | no | off | | | | ", "", "Mar 4 06:00:00 line off at a:1"], "violated")]
fn what_fathom_tells_is_judged(
    #[case] check: &str,
    #[case] config: &str,
    #[case] told: &[&str],
    #[case] expected: &str,
) {
    assert_eq!(verdict(check, config, told), expected);
}

/// Who is a phone is told by its address or by the list of stations; where neither says so, nobody knows of one that is heard.
#[rstest]
#[case::by_both(true, true, "a:1 | 110 | 0200.5e20.0001 | heard", "violated")]
#[case::by_its_address(true, false, "a:1 | 110 | 0200.5e20.0001 | heard", "violated")]
#[case::by_the_list(false, true, "a:1 | 110 | 0200.5e20.0001 | heard", "violated")]
#[case::a_computer_by_the_list(false, true, "a:1 | 110 | 0200.5e10.0001 | heard", "met")]
#[case::nobody_says(false, false, "a:1 | 110 | 0200.5e20.0001 | heard", "undetermined")]
#[case::nobody_is_heard(false, false, "", "met")]
fn who_is_a_phone(#[case] prefixes: bool, #[case] is_listed: bool, #[case] heard: &str, #[case] expected: &str) {
    let text = if prefixes { POLICY.to_owned() } else { POLICY.replace("phone-prefixes = [\"02:00:5e:20\"]\n", "") };
    let told: Vec<&str> = [STATIONS, heard].into_iter().filter(|line| !line.is_empty()).collect();
    let policy = policy_with(&text, is_listed);
    assert_eq!(verdict_by(&policy, "voice/phone-astray", DESK, &told), expected);
}
