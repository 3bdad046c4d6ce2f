//! `yellowlegs policy`: new, show and test, by the built program.

use std::fs;

use crate::support::{Fleet, text};
use rstest::rstest;
use serde_json::Value;

#[test]
fn a_draft_loads_and_names_what_is_there() {
    let fleet = Fleet::demo();
    fs::remove_file(fleet.path().join("yellowlegs.toml")).unwrap();
    let ran = fleet.run(&["policy", "new", "."]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    for words in [
        "210 = { name = \"phones\", purpose = \"voice\" }",
        "998 = { name = \"put away\", purpose = \"parking\" }",
        "name = \"gates\"\nfaces = \"host\"\nvlans = [140]",
        "faces = \"bridge-up\"",
        "[[dhcp-server]]\nswitch = \"nq-core-1\"\nport = \"1.10\"",
    ] {
        assert!(ran.out.contains(words), "`{words}` is not in\n{}", ran.out);
    }
    fleet.write("yellowlegs.toml", &ran.out);
    let test = fleet.run(&["policy", "test"]);
    assert!(test.out.contains("0 dead or expired entries, 0 overlaps, 4 of 210 ports"), "{}", test.out);
    assert_ne!(fleet.run(&["audit"]).code, 2);
}

#[test]
fn every_value_is_shown_with_where_it_comes_from() {
    let fleet = Fleet::demo();
    let ran = fleet.run(&["policy", "show", "--format", "json"]);
    let rows: Vec<Value> = serde_json::from_str(&ran.out).unwrap();
    let of = |role: &str, key: &str| {
        let row = rows.iter().find(|r| text(r, "of") == role && text(r, "key") == key).unwrap();
        (text(row, "value").to_owned(), row["from"].as_str().is_some())
    };
    assert_eq!(of("site", "start-within"), ("2 s".into(), true));
    assert_eq!(of("site", "unread-share"), ("5".into(), false));
    assert_eq!(of("role uplink", "guard.loop"), ("wanted".into(), true));
    assert_eq!(of("role uplink", "guard.root"), ("unwanted".into(), false));
    assert_eq!(of("role display", "port.mtu"), ("9000".into(), true));
    let shown = fleet.run(&["policy", "show"]);
    assert!(shown.out.contains("start-within") && shown.out.contains("yellowlegs.toml:"), "{}", shown.out);
}

#[rstest]
#[case::by_name("authentication = \"wanted\"", "authentication.enabled", Some("true"))]
#[case::by_switch("\"authentication.enabled\" = false", "authentication.enabled", Some("false"))]
#[case::any("authentication = \"any\"", "authentication.enabled", None)]
#[case::feature("power = \"unwanted\"", "power.enabled", Some("unwanted"))]
#[case::storm("storm = \"any\"", "storm", Some("any"))]
fn expectations_by_name(#[case] line: &str, #[case] key: &str, #[case] expected: Option<&str>) {
    let fleet = Fleet::empty();
    fleet.write("yellowlegs.toml", format!("[[role]]\nname = \"a\"\nfaces = \"phone\"\n[role.expect]\n{line}\n"));
    let ran = fleet.run(&["policy", "show", "--format", "json"]);
    let rows: Vec<Value> = serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e} {}", ran.err));
    let row = rows.iter().find(|r| text(r, "of") == "role a" && text(r, "key") == key);
    assert_eq!(row.map(|r| text(r, "value")), expected);
}

const HOUSE: &str = "[[rule]]\nid = \"house/few\"\nlevel = \"breach\"\nwhen = \"role.name == 'crew' && port_security.limit > 0\"\n\
    message = \"{port} admits {port-security.limit}\"\nremedy = \"None.\"\n";

#[test]
fn a_rule_of_the_house_is_a_check_like_any_other() {
    let fleet = Fleet::demo();
    let policy = fleet.read("yellowlegs.toml");
    let told = |more: &str, words: &[&str]| -> Vec<(String, String, String, bool)> {
        fleet.write("yellowlegs.toml", format!("{policy}\n{HOUSE}{more}"));
        let report = fleet.report(&[&["--only", "house", "--switch", "nq-bridge-1"], words].concat());
        let one = |f: &Value| {
            assert!(f["evidence"].as_array().unwrap().iter().any(|e| e["kind"] == "policy"));
            (
                text(f, "port").to_owned(),
                text(f, "message").to_owned(),
                text(f, "level").to_owned(),
                f["waiver"].is_object(),
            )
        };
        report["findings"].as_array().unwrap().iter().map(one).collect()
    };
    let all = told("", &[]);
    assert_eq!(all.len(), 5);
    assert_eq!(all[0], ("1.1".into(), "1.1 admits 1".into(), "breach".into(), false));
    let waiver = "[[waiver]]\ncheck = \"house/few\"\nswitch = \"nq-bridge-1\"\nport = \"1.1\"\nreason = \"x\"\nowner = \"x\"\nlast-day = \"2031-12-31\"\n";
    let waived = told(waiver, &[]);
    assert!(waived[0].3 && !waived[1].3);
    assert_eq!(told("", &["--port", "1.2"]).len(), 1);
}

#[rstest]
#[case::dead(
    "[[waiver]]\ncheck = \"flap/off\"\nport = \"9.*\"\nreason = \"x\"\nowner = \"x\"\nlast-day = \"2031-12-31\"\n",
    "this waiver for flap/off covers nothing"
)]
#[case::register(
    "[[mirror]]\nswitch = \"nq-core-1\"\nsources = [\"1.1 sent\"]\ntarget = \"1.7\"\nreason = \"x\"\nowner = \"x\"\nlast-day = \"2031-12-31\"\n",
    "no mirror session is what this entry"
)]
#[case::link(
    "[[link]]\na = { switch = \"nq-core-1\", port = \"9.9\" }\nb = { switch = \"nq-desks-1\", port = \"1.1\" }\n",
    "this link ends at nq-core-1 9.9, which is no port"
)]
#[case::server("[[dhcp-server]]\nswitch = \"nobody\"\n", "no port of the fleet is nobody")]
#[case::sisters("[[sisters]]\nswitches = [\"xx-*\"]\n", "no switch of the fleet is in this group")]
#[case::overlap(
    "[[role]]\nname = \"twice\"\nfaces = \"host\"\nports = [\"nq-desks-2 1.1\"]\n",
    "is listed for the roles `kiosk` and `twice`"
)]
fn what_is_wrong_with_a_policy_is_told(#[case] more: &str, #[case] told: &str) {
    let fleet = Fleet::demo();
    let policy = fleet.read("yellowlegs.toml");
    fleet.write("yellowlegs.toml", format!("{policy}\n{more}"));
    let ran = fleet.run(&["policy", "test"]);
    assert!(ran.code == 1 && ran.out.contains(told), "{}", ran.out);
}

#[rstest]
#[case::listed("address\n02:00:5e:03:00:07\n", &["nq-desks-1 1.1", "nq-desks-1 1.2", "sp-hall-1 a:1", "sp-hall-1 a:2"])]
#[case::demo("", &["sp-hall-1 a:7"])]
fn stations_that_nobody_listed(#[case] csv: &str, #[case] expected: &[&str]) {
    let fleet = Fleet::demo();
    if !csv.is_empty() {
        fleet.write("stations.csv", csv);
    }
    let report = fleet.report(&["--only", "port-security/stranger", "--switch", "{nq-desks,sp-hall}-1"]);
    let place = |f: &Value| {
        assert!(f["evidence"].as_array().unwrap().iter().any(|e| e["kind"] == "table"));
        format!("{} {}", text(f, "switch"), text(f, "port"))
    };
    assert_eq!(report["findings"].as_array().unwrap().iter().map(place).collect::<Vec<_>>(), expected);
}

/// An export with columns of its own: what they are called is said once, and the audit is the same.
#[test]
fn an_inventory_may_call_its_columns_as_it_likes() {
    let fleet = Fleet::demo();
    let shown = |fleet: &Fleet| {
        let report = fleet.report(&["--only", "port-security/stranger", "--only", "port/role-mismatch"]);
        let place = |f: &Value| format!("{} {} {}", text(f, "switch"), text(f, "port"), text(f, "check"));
        let remarks = report["remarks"].as_array().unwrap().iter().filter(|r| r["about"] == "inventory").count();
        (report["findings"].as_array().unwrap().iter().map(place).collect::<Vec<_>>(), remarks)
    };
    let before = shown(&fleet);
    assert!(!before.0.is_empty() && before.1 == 0, "{before:?}");
    let stations = fleet.read("stations.csv");
    let rows = stations.lines().skip(1).map(|row| format!("7,{row},red\n"));
    fleet.write("stations.csv", format!("Tag,STATION,What,role,owner,room,Paint\n{}", rows.collect::<String>()));
    assert_eq!(stations.lines().next(), Some("address,kind,role,owner,room"));
    fleet.edit(
        "yellowlegs.toml",
        "stations = \"stations.csv\"",
        "stations = \"stations.csv\"\ncolumns = { address = \"Station\", kind = \"what\" }",
    );
    assert_eq!(shown(&fleet), (before.0, 2));
}

#[test]
fn an_inventory_that_cannot_be_read_stops_the_audit() {
    let fleet = Fleet::demo();
    fleet.write("stations.csv", "address\nsoon\n");
    let ran = fleet.run(&["audit"]);
    assert!(ran.code == 2 && ran.err.contains("stations.csv:2:1") && ran.out.is_empty(), "{}", ran.err);
}
