//! Limits of a port held against what the policy allows, each in its own unit: packets by the second and by the minute, bits, shares of
//! the port's speed. What is as much as is allowed is allowed.

use std::collections::BTreeMap;

use rstest::rstest;
use serde_json::json;
use yellowlegs_core::resolve::Resolved;

use super::changes;
use super::generated::{bare_records, fleet, strict};
use super::right::judged;
use super::table::change;

/// The policy allows 20 packets a second of DHCP, and a share of 1 % of the speed (here 100 Mbit/s) for broadcast.
#[rstest]
#[case::as_much("dhcp-snooping.rate-limit", "20pps", None)]
#[case::more("dhcp-snooping.rate-limit", "21pps", Some("dhcp-snooping/rate-missing edge 1.2"))]
#[case::as_much_a_minute("dhcp-snooping.rate-limit", "1200/min", None)]
#[case::more_a_minute("dhcp-snooping.rate-limit", "1201/min", Some("dhcp-snooping/rate-missing edge 1.2"))]
#[case::no_unit_of_the_policy("dhcp-snooping.rate-limit", "64 kbps", Some("?dhcp-snooping/rate-missing edge 1.2"))]
#[case::a_share("storm.broadcast", "1%", None)]
#[case::a_larger_share("storm.broadcast", "2%", Some("guard/storm-missing edge 1.2"))]
#[case::as_many_bits("storm.broadcast", "1000 kbps", None)]
#[case::more_bits("storm.broadcast", "1001 kbps", Some("guard/storm-missing edge 1.2"))]
#[case::packets_for_a_share("storm.broadcast", "10pps", Some("?guard/storm-missing edge 1.2"))]
fn a_limit(#[case] setting: &str, #[case] limit: &str, #[case] expected: Option<&str>) {
    let mut records = bare_records(&fleet());
    change(&mut records, "edge 1.2", "port.speed", &json!(100));
    change(&mut records, "edge 1.2", setting, &json!(limit));
    let after: BTreeMap<&str, Resolved> =
        records.iter().map(|(name, record)| (*name, changes::read(record, name).unwrap())).collect();
    let found = judged(&strict(), &after);
    assert_eq!(found.iter().map(String::as_str).collect::<Vec<_>>(), expected.into_iter().collect::<Vec<_>>());
}
