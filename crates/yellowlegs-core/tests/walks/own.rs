//! What a dialect says of its platform's own objects.

use std::sync::Arc;

use rstest::rstest;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::resolve::resolve_walked;
use yellowlegs_core::source::Source;
use yellowlegs_core::walk;

use crate::support::dialect;
use crate::walks::{facts, ports, state, told};

const HEAD: &str = r#"
[dialect]
name = "cove"
[ports]
names = ["<n>/<n>"]
[[rule]]
pattern = "quay <p:port>"
ports = "<p>"
"#;

const OBJECTS: &str = r#"
[walk]
system = "1.3.6.1.4.1.32473.7"
[[walk.objects]]
entry = "1.3.6.1.4.1.32473.7.2.1"
index = "port"
fact = "counters"
gives = [
    { column = 2, sets = "port-security.enabled", words = { 1 = true, 0 = false } },
    { column = 3, sets = "port-security.limit" },
    { column = 4, sets = "port-security.action", words = { 1 = "drop", 2 = "disable-port" } },
    { column = 5, field = "violations" },
    { column = 6, sets = "storm.broadcast", unit = "pps" },
    { column = 7, sets = "power.limit", times = 100 },
    { column = 8, sets = "port-security.aging", per = 1000 },
]
[[walk.objects]]
entry = "1.3.6.1.4.1.32473.7.3"
gives = [{ column = 1, sets = "dhcp-snooping.enabled" }]
[[walk.objects]]
entry = "1.3.6.1.4.1.32473.7.4.1"
index = "vlan"
gives = [{ column = 1, adds = "dhcp-snooping.vlans" }, { column = 2, sets = "vlan.querier" }]
[[walk.objects]]
entry = "1.3.6.1.4.1.32473.7.5.1"
index = ["bridge-port", "vlan", "station"]
fact = "binding"
gives = [{ column = 1, field = "ip" }, { column = 2, field = "lease" }]
"#;

fn read(lines: &str) -> yellowlegs_core::model::Switch {
    let language = dialect(&format!("{HEAD}{OBJECTS}"));
    resolve_walked("sw1", Some(&language), &state(&format!("{}{lines}\n", ports()))).switch
}

#[rstest]
#[case::flag("2.1.2.1001 integer 1", &["1/1 port-security.enabled = true"])]
#[case::flag_off("2.1.2.1001 integer 0", &["1/1 port-security.enabled = false"])]
#[case::number("2.1.3.1002 gauge32 4", &["1/2 port-security.limit = 4"])]
#[case::word("2.1.4.1002 integer 2", &["1/2 port-security.action = disable-port"])]
#[case::rate("2.1.6.1002 gauge32 100", &["1/2 storm.broadcast = 100 pps"])]
#[case::times("2.1.7.1002 gauge32 154", &["1/2 power.limit = 15.4 W"])]
#[case::per("2.1.8.1002 gauge32 60000", &["1/2 port-security.aging = 1 min"])]
#[case::of_the_switch("3.1.0 integer 2", &["dhcp-snooping.enabled = false"])]
#[case::vlans("4.1.1.110 integer 1\n1.3.6.1.4.1.32473.7.4.1.1.120 integer 2", &["dhcp-snooping.vlans = 110"])]
#[case::no_vlan("4.1.1.110 integer 2\n1.3.6.1.4.1.32473.7.4.1.1.120 integer 2", &["dhcp-snooping.vlans = none"])]
// The interface of a VLAN is no port.
#[case::no_port("2.1.2.7 integer 1", &[])]
fn settings(#[case] line: &str, #[case] expected: &[&str]) {
    let switch = read(&format!("1.3.6.1.4.1.32473.7.{line}"));
    assert_eq!(told(&switch), expected);
    assert!(switch.unread().is_empty(), "{:?}", switch.unread());
}

#[rstest]
#[case::word("2.1.4.1002 integer 9")]
#[case::kind("2.1.3.1002 octets \"many\"")]
#[case::index("2.1.3.1002.5 integer 1")]
#[case::vlan("4.1.1.4095 integer 1")]
#[case::scalar("3.1.1 integer 1")]
fn what_is_not_as_the_dialect_says_is_told(#[case] line: &str) {
    let switch = read(&format!("1.3.6.1.4.1.32473.7.{line}"));
    assert_eq!(told(&switch), Vec::<String>::new());
    assert_eq!(switch.unread().len(), 1);
}

#[test]
fn facts_of_rows() {
    let switch = read("1.3.6.1.4.1.32473.7.2.1.5.1001 counter32 7");
    assert_eq!(facts(&switch, "counters"), ["port=1/1 violations=7"]);
    let row = "3.110.2.0.94.16.0.1";
    let switch = read(&format!(
        "1.3.6.1.4.1.32473.7.5.1.1.{row} address 192.0.2.7\n1.3.6.1.4.1.32473.7.5.1.2.{row} gauge32 3600"
    ));
    assert_eq!(facts(&switch, "binding"), ["address=02:00:5e:10:00:01 ip=192.0.2.7 vlan=110 port=1/3 lease=1 h"]);
}

#[rstest]
#[case("1.3.6.1.4.1.32473.7.1", true)]
#[case("1.3.6.1.4.1.32473.7", true)]
#[case("1.3.6.1.4.1.32473.77", false)]
#[case("1.3.6.1.4.1.32473", false)]
fn systems(#[case] identifier: &str, #[case] is: bool) {
    let source = Source::of("a.walk", format!("1.3.6.1.2.1.1.2.0 = OID: .{identifier}\n"));
    let system = walk::system_of(&source).unwrap();
    assert_eq!(walk::is_of(&dialect(&format!("{HEAD}{OBJECTS}")), &system), is);
}

/// Mistakes, each with what is said of it.
#[rstest]
#[case::identifier(
    "entry = \"a.b\"\ngives = [{ column = 1, sets = \"lldp.enabled\" }]",
    "`a.b` is no object identifier"
)]
#[case::nothing("entry = \"1.3.6.1\"\ngives = [{ column = 1 }]", "a column gives one thing: `sets`, `adds` or `field`")]
#[case::both(
    "entry = \"1.3.6.1\"\ngives = [{ column = 1, sets = \"lldp.enabled\", adds = \"switch.vlans\" }]",
    "a column gives one thing: `sets`, `adds` or `field`"
)]
#[case::scope(
    "entry = \"1.3.6.1\"\ngives = [{ column = 1, sets = \"port.mtu\" }]",
    "`port.mtu` is of a port, and the index names none"
)]
#[case::of_the_switch(
    "entry = \"1.3.6.1\"\nindex = \"port\"\ngives = [{ column = 1, sets = \"lldp.enabled\" }]",
    "`lldp.enabled` is of a switch, and the index names none"
)]
#[case::words(
    "entry = \"1.3.6.1\"\nindex = \"port\"\ngives = [{ column = 1, sets = \"port.mode\" }]",
    "`port.mode` is one of a few words, and nothing says which number stands for which"
)]
#[case::rate(
    "entry = \"1.3.6.1\"\nindex = \"port\"\ngives = [{ column = 1, sets = \"storm.broadcast\" }]",
    "no object gives a rate without a `unit`"
)]
#[case::list(
    "entry = \"1.3.6.1\"\nindex = \"port\"\ngives = [{ column = 1, sets = \"port-security.written-stations\" }]",
    "no object gives a list of station addresses"
)]
#[case::adds(
    "entry = \"1.3.6.1\"\nindex = \"port\"\ngives = [{ column = 1, adds = \"dhcp-snooping.vlans\" }]",
    "no object gives dhcp-snooping.vlans row by row"
)]
#[case::twice(
    "entry = \"1.3.6.1\"\ngives = [{ column = 1, sets = \"lldp.enabled\" }, { column = 1, sets = \"switch.name\" }]",
    "column 1 is there twice"
)]
#[case::times(
    "entry = \"1.3.6.1\"\ngives = [{ column = 1, sets = \"lldp.interval\", times = 0 }]",
    "`times` is 1 to 4294967295"
)]
#[case::column(
    "entry = \"1.3.6.1\"\ngives = [{ column = -1, sets = \"lldp.interval\" }]",
    "`column` is 1 to 4294967295"
)]
#[case::no_column("entry = \"1.3.6.1\"\ngives = [{ sets = \"lldp.interval\" }]", "`column` is 1 to 4294967295")]
#[case::field(
    "entry = \"1.3.6.1\"\nfact = \"counters\"\ngives = [{ column = 1, field = \"violence\" }]",
    "`violence` is no field of `counters`"
)]
#[case::no_fact(
    "entry = \"1.3.6.1\"\ngives = [{ column = 1, field = \"violations\" }]",
    "these are fields of no fact: the table has no `fact`"
)]
#[case::index(
    "entry = \"1.3.6.1\"\nindex = \"room\"\ngives = [{ column = 1, sets = \"lldp.enabled\" }]",
    "`index` cannot be `room`"
)]
#[case::value(
    "entry = \"1.3.6.1\"\ngives = [{ column = 1, sets = \"lldp.enabled\", words = { 1 = \"often\" } }]",
    "`lldp.enabled`: `often` does not fit: it must be true or false"
)]
#[case::key(
    "entry = \"1.3.6.1\"\ngives = [{ column = 1, sets = \"lldp.enabled\", word = 1 }]",
    "unknown key `word` in [[gives]]"
)]
fn mistakes(#[case] table: &str, #[case] said: &str) {
    let text = format!("{HEAD}[[walk.objects]]\n{table}\n");
    let problems = Dialect::load(&Arc::new(Source::of("cove.toml", text))).unwrap_err();
    let told: Vec<&str> = problems.iter().map(|problem| problem.what.as_str()).collect();
    assert!(told.contains(&said), "{told:?}");
    assert!(problems.iter().all(|problem| problem.place.line > 8), "{problems:?}");
}
