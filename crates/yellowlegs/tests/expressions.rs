//! Rules of the house on the demo: each expression names the ports whose settings, as `read` prints them, it speaks of.

use std::collections::BTreeSet;

use crate::support::{Fleet, list, text};
use rstest::rstest;
use serde_json::Value;

/// The value of a setting of a port as the switch record has it; nothing where nobody knows it.
fn value<'a>(port: &'a Value, setting: &str) -> &'a Value {
    &port["settings"][setting]["value"]
}

fn count(port: &Value, setting: &str) -> Option<u64> {
    value(port, setting).as_u64()
}

fn says(port: &Value, setting: &str, word: &str) -> bool {
    value(port, setting) == word
}

fn is(port: &Value, setting: &str) -> bool {
    value(port, setting) == true
}

/// What the same rule is in Rust, on a port of a switch record.
type Same = fn(&Value) -> bool;

#[rstest]
#[case::number("port_security.limit > 2", |p: &Value| count(p, "port-security.limit").is_some_and(|n| n > 2))]
#[case::numbers("port_security.limit >= 1 && port_security.limit <= 2", |p: &Value| count(p, "port-security.limit").is_some_and(|n| (1..=2).contains(&n)))]
#[case::flag("source_guard.enabled", |p: &Value| is(p, "source-guard.enabled"))]
#[case::not("!port.enabled", |p: &Value| value(p, "port.enabled") == false)]
#[case::word("port.mode == 'trunk'", |p: &Value| says(p, "port.mode", "trunk"))]
#[case::other_word("port.mode != 'access'", |p: &Value| value(p, "port.mode").is_string() && !says(p, "port.mode", "access"))]
#[case::one_of("fast_start.mode in ['edge', 'edge-on-trunk']", |p: &Value| says(p, "fast-start.mode", "edge") || says(p, "fast-start.mode", "edge-on-trunk"))]
#[case::vlan("port.access_vlan == 110", |p: &Value| count(p, "port.access-vlan") == Some(110))]
#[case::or("guard.root || guard.loop", |p: &Value| is(p, "guard.root") || is(p, "guard.loop"))]
#[case::both("port.mode == 'trunk' && !guard.root", |p: &Value| says(p, "port.mode", "trunk") && value(p, "guard.root") == false)]
#[case::of_a_list("size(port_security.pinned_stations) > 0", |p: &Value| value(p, "port-security.pinned-stations").as_array().is_some_and(|all| !all.is_empty()))]
#[case::text("port.description.startsWith('ticket')", |p: &Value| value(p, "port.description").as_str().is_some_and(|words| words.starts_with("ticket")))]
#[case::contains("port.description.contains('nq')", |p: &Value| value(p, "port.description").as_str().is_some_and(|words| words.contains("nq")))]
#[case::choice("port.enabled ? guard.loop_detection : false", |p: &Value| is(p, "port.enabled") && is(p, "guard.loop-detection"))]
#[case::sum("port_security.limit + 1 == 4", |p: &Value| count(p, "port-security.limit") == Some(3))]
fn a_rule_names_the_ports_it_speaks_of(#[case] when: &str, #[case] same: Same) {
    let fleet = Fleet::demo();
    let rule = format!(
        "\n[[rule]]\nid = \"house/told\"\nlevel = \"risk\"\nwhen = \"{when}\"\nmessage = \"told\"\nremedy = \"none\"\n"
    );
    let policy = fleet.read("yellowlegs.toml") + &rule;
    fleet.write("yellowlegs.toml", policy);
    let report = fleet.report(&["--only", "house/told", "--switch", "nq-desks-1"]);
    let told: BTreeSet<String> = list(&report, "findings").iter().map(|one| text(one, "port").to_owned()).collect();
    let record = fleet.run(&["read", "northquay/nq-desks-1"]);
    let record: Value =
        serde_json::from_str(&record.out).unwrap_or_else(|e| panic!("{e}: {}{}", record.out, record.err));
    let wanted: BTreeSet<String> =
        list(&record, "ports").iter().filter(|port| same(port)).map(|port| text(port, "port").to_owned()).collect();
    assert!(!wanted.is_empty(), "no port of the demo is like that");
    assert_eq!(told, wanted, "{when}");
}
