//! Every value of the site: what is written is what is in force and says where; what is none of its kind is refused there.

use std::collections::BTreeSet;
use std::sync::Arc;

use rstest::rstest;
use yellowlegs_core::check::ids;
use yellowlegs_core::policy::{Cite, Policy};
use yellowlegs_core::source::Source;

/// A key, a value that is not the default, how it is shown, and a value that it cannot have.
const VALUES: [(&str, &str, &str, &str); 40] = [
    ("root", "'core'", "core", "5"),
    ("doubt", "'near'", "near", "'far'"),
    ("phone-prefixes", "['02:00:5e']", "02:00:5e", "5"),
    ("rapid-protocol", "'any'", "any", "'perhaps'"),
    ("start-within", "'1m'", "1 min", "'soon'"),
    ("snooping-vlans", "'110,120'", "110,120", "'5000'"),
    ("dhcp-rate-limit", "'15 pps'", "15 pps", "'15 apples'"),
    ("address-check", "'unwanted'", "unwanted", "true"),
    ("relay-info", "'insert'", "insert", "'inserted'"),
    ("binding-store", "'any'", "any", "1"),
    ("storm-broadcast", "'1%'", "1 %", "'lots'"),
    ("storm-multicast", "'500 kbps'", "500 kbps", "'-1%'"),
    ("detected-edges", "'set'", "set", "'detected'"),
    ("voice-priority", "6", "6", "8"),
    ("voice-dscp", "40", "40", "64"),
    ("signalling-priority", "3", "3", "8"),
    ("signalling-dscp", "24", "24", "64"),
    ("marking", "'dscp'", "dscp", "'dscpp'"),
    ("range-stations", "256", "256", "-1"),
    ("multicast-snooping", "'any'", "any", "'off'"),
    ("query-version", "3", "3", "4"),
    ("query-interval", "'60s'", "1 min", "'often'"),
    ("last-member-interval", "1", "1 s", "'now'"),
    ("last-member-count", "2", "2", "'two'"),
    ("response-interval", "'5s'", "5 s", "'late'"),
    ("robustness", "3", "3", "'firm'"),
    ("host-tags", "'own-vlan'", "own-vlan", "'own'"),
    ("queue-map", "['46:7', '26:5']", "46:7, 26:5", "['64:7']"),
    ("queue-strict", "['7']", "7", "true"),
    ("unidirectional-action", "'strict'", "strict", "'hard'"),
    ("flap-threshold", "9", "9", "'nine'"),
    ("flap-window", "20", "20 s", "'x'"),
    ("flap-hold", "'2m'", "2 min", "'ever'"),
    ("attended", "true", "true", "'yes'"),
    ("unattended", "['nq-quay-*']", "nq-quay-*", "['[']"),
    ("recovery-security", "'10m'", "10 min", "[]"),
    ("recovery-wanted", "['storm', 'flap']", "storm, flap", "['strom']"),
    ("state-age", "'2d'", "48 h", "'old'"),
    ("log-window", "'7d'", "168 h", "'long'"),
    ("fixed-stations", "['02:00:5e:fe']", "02:00:5e:fe", "1"),
];

fn load(key: &str, value: &str) -> Result<Policy, Vec<String>> {
    let text = format!("[site]\nname = 'x'\n{key} = {value}\n");
    let told = |problems: Vec<yellowlegs_core::source::Problem>| {
        problems.iter().map(|p| format!("{}:{} {} | {:?}", p.place.line, p.place.column, p.what, p.hint)).collect()
    };
    Policy::load(&Arc::new(Source::of("p.toml", text)), &ids()).map_err(told)
}

#[test]
fn what_is_written_is_in_force() {
    let mut seen = BTreeSet::from(["unread-share"]);
    let mut odd = Vec::new();
    for (key, value, shown, _) in VALUES {
        let policy = load(key, value).unwrap_or_else(|told| panic!("{key} = {value}: {told:?}"));
        let rows = policy.site.shown();
        let (_, found, cite) = rows.iter().find(|(row, ..)| row.key == key).unwrap_or_else(|| panic!("{key}"));
        if found != shown {
            odd.push(format!("{key} is {found}, not {shown}"));
        }
        assert!(matches!(cite, Cite::Line { place, .. } if place.line == 3), "{key} by {cite:?}");
        let built_in = Policy::load(&Arc::new(Source::of("p.toml", "")), &ids()).unwrap();
        let default = built_in.site.shown().into_iter().find(|(row, ..)| row.key == key).unwrap();
        assert_ne!(default.1, shown, "{key}: the default proves nothing");
        seen.insert(key);
    }
    assert_eq!(odd, [""; 0]);
    let policy = load("unread-share", "7").unwrap();
    let all: BTreeSet<&str> = policy.site.shown().iter().map(|(row, ..)| row.key).collect();
    assert_eq!(seen, all, "every value of the site is in the table");
}

#[test]
fn what_is_none_of_its_kind_is_refused() {
    let taken: Vec<String> = VALUES
        .iter()
        .filter(|(key, _, _, wrong)| load(key, wrong).err().is_none_or(|told| !told[0].starts_with("3:")))
        .map(|(key, _, _, wrong)| format!("{key} = {wrong}"))
        .collect();
    assert_eq!(taken, [""; 0], "taken, or told elsewhere");
}

/// A key that there is none of is told with the nearest.
#[rstest]
#[case("flap-treshold", "flap-threshold")]
#[case("voice-priorty", "voice-priority")]
#[case("phone-prefix", "phone-prefixes")]
fn a_misspelt_key(#[case] key: &str, #[case] near: &str) {
    let told = load(key, "1").unwrap_err();
    assert!(told[0].contains(&format!("unknown key `{key}`")) && told[0].contains(near), "{told:?}");
}
