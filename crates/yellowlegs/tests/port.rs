//! `yellowlegs port`, `flaps` and `compare`, by the built program.

use crate::support::{Fleet, list, text};
use rstest::rstest;
use serde_json::Value;

fn page(fleet: &Fleet, switch: &str, port: &str) -> Value {
    let ran = fleet.run(&["port", switch, port, "--format", "json"]);
    serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e}: {}{}", ran.out, ran.err))
}

/// The story of a port that is held down, from the audit to the page to the log.
#[test]
fn a_port_that_is_held_down_says_why_and_what_to_do() {
    let fleet = Fleet::demo();
    let report = fleet.report(&["--only", "recovery/held-down", "--switch", "nq-desks-1"]);
    let [found] = list(&report, "findings") else { panic!("{report}") };
    assert_eq!((text(found, "port"), &found["inputs"]["cause"]), ("1.7", &Value::from("port-security")));
    let page = page(&fleet, "nq-desks-1", "1.7");
    let link = &page["link"];
    assert_eq!((text(link, "state"), text(link, "cause")), ("held", "port-security"));
    assert_eq!(text(link, "since"), "2031-03-04T05:50:12Z");
    let steps: Vec<&str> = list(link, "steps").iter().filter_map(Value::as_str).collect();
    for words in ["one too many", "02:00:5e:77:00:01", "ticket desk 7", "by hand"] {
        assert!(steps.iter().any(|step| step.contains(words)), "no step says `{words}`: {steps:?}");
    }
    let log: Vec<&str> = list(&page, "events").iter().map(|line| text(line, "text")).collect();
    assert!(log.iter().any(|line| line.contains("shut by crowd")), "{log:?}");
    let checks: Vec<&str> = list(&page, "findings").iter().map(|found| text(found, "check")).collect();
    assert!(checks.contains(&"recovery/held-down") && checks.contains(&"port/mode-negotiated"), "{checks:?}");
}

#[rstest]
#[case::written("port-security.limit", "3", "range", "1", "default")]
#[case::own_over_range("port.mode", "negotiated", "port", "access", "range")]
#[case::global("flap.hold", "60", "global", "30", "default")]
fn each_setting_says_what_it_would_be_without_its_line(
    #[case] name: &str,
    #[case] value: &str,
    #[case] origin: &str,
    #[case] without: &str,
    #[case] from: &str,
) {
    let page = page(&Fleet::demo(), "nq-desks-1", "1.7");
    let setting = list(&page, "settings").iter().find(|s| text(s, "name") == name).unwrap();
    let shown = |value: &Value| value.as_str().map_or_else(|| value.to_string(), str::to_owned);
    assert_eq!((shown(&setting["value"]).as_str(), text(setting, "origin")), (value, origin));
    assert_eq!((shown(&setting["without"][0]).as_str(), shown(&setting["without"][1]).as_str()), (without, from));
    assert!(!setting["line"].is_null());
}

#[test]
fn stations_are_told_by_role_vlan_and_binding() {
    let page = page(&Fleet::demo(), "nq-desks-1", "1.1");
    let told: Vec<_> = list(&page, "stations")
        .iter()
        .map(|s| (text(s, "address"), text(s, "is"), s["vlan"].as_u64(), text(s, "ip"), text(s, "whose")))
        .collect();
    assert_eq!(
        told,
        [
            ("02:00:5e:10:00:01", "computer", Some(110), "192.0.2.21", "desk 1, ticket hall"),
            ("02:00:5e:20:00:01", "phone", Some(210), "192.0.2.141", "desk 1, ticket hall"),
        ]
    );
    assert_eq!(text(&list(&page, "neighbours")[0], "name"), "phone, ticket desk 1");
}

#[test]
fn the_other_end_of_a_link_stands_beside_it() {
    let page = page(&Fleet::demo(), "nq-core-1", "1.4");
    let other = &page["other_end"];
    assert_eq!((text(other, "switch"), text(other, "port")), ("nq-gates-1", "1.28"));
    let vlans = list(other, "features").iter().find(|f| text(f, "feature") == "VLANs").unwrap();
    assert!(text(vlans, "told").starts_with("trunk: 999 untagged"), "{vlans}");
}

#[rstest]
#[case::shortened("bridge", "1.7", None, "")]
#[case::ambiguous("nq-desks", "1.7", Some("fits 2 names of a switch"), "nq-desks-1, nq-desks-2")]
#[case::near_miss("nq-core-2", "1.1", Some("there is no switch `nq-core-2`"), "did you mean `nq-core-1`?")]
#[case::no_port("nq-core-1", "9.9", Some("there is no port `9.9`"), "")]
#[case::an_end("sp-hall-1", "24", None, "")]
fn names_may_be_shortened(#[case] switch: &str, #[case] port: &str, #[case] error: Option<&str>, #[case] hint: &str) {
    let ran = Fleet::demo().run(&["port", switch, port]);
    match error {
        None => assert!(ran.code < 2, "{}", ran.err),
        Some(words) => assert!(ran.code == 2 && ran.err.contains(words) && ran.err.contains(hint), "{}", ran.err),
    }
}

#[rstest]
#[case(&["--fail-on", "breach"], 1)]
#[case(&["--fail-on", "never"], 0)]
fn a_port_ends_with_its_worst_finding(#[case] words: &[&str], #[case] code: i32) {
    assert_eq!(Fleet::demo().run(&[&["port", "nq-desks-1", "1.7"], words].concat()).code, code);
}

fn flaps(fleet: &Fleet, words: &[&str]) -> (i32, Value) {
    let ran = fleet.run(&[&["flaps", "--format", "json"], words].concat());
    (ran.code, serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e}: {}{}", ran.out, ran.err)))
}

#[test]
fn flaps_are_held_against_the_policy_and_a_grid() {
    let (code, page) = flaps(&Fleet::demo(), &["--threshold", "2,8", "--window", "1m"]);
    assert_eq!(code, 1);
    let tripped: Vec<_> = list(&page, "ports")
        .iter()
        .filter(|port| !list(port, "trips").is_empty())
        .map(|port| (text(port, "switch"), text(port, "port"), list(port, "trips").len()))
        .collect();
    assert_eq!(tripped, [("nq-gates-1", "1.12", 2)]);
    let grid: Vec<_> = list(&page, "grid")
        .iter()
        .map(|c| ["threshold", "window", "ports", "trips"].map(|name| c[name].as_u64().unwrap()))
        .collect();
    assert_eq!(grid, [[2, 10, 2, 4], [2, 60, 2, 4], [5, 10, 1, 2], [5, 60, 2, 3], [8, 10, 0, 0], [8, 60, 1, 1]]);
}

#[rstest]
#[case::elsewhere(&["--switch", "sp-core-1"], 0)]
#[case::never(&["--fail-on", "never"], 0)]
#[case::breach(&["--fail-on", "breach"], 0)]
#[case::no_time(&["--window", "soon"], 2)]
#[case::no_number(&["--threshold", "0"], 2)]
fn flaps_ends(#[case] words: &[&str], #[case] code: i32) {
    assert_eq!(Fleet::demo().run(&[&["flaps"], words].concat()).code, code);
}

fn compared(fleet: &Fleet, words: &[&str]) -> (i32, Value) {
    let ran = fleet.run(&[&["compare", "--format", "json"], words].concat());
    (ran.code, serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e}: {}{}", ran.out, ran.err)))
}

#[test]
fn the_same_change_on_many_ports_is_one_entry() {
    let (before, after) = (Fleet::demo(), Fleet::demo());
    after.edit("northquay/nq-desks-1/config.txt", "crowd ceiling 3 then shut-out", "crowd ceiling 3 then report");
    after.edit("northquay/nq-desks-1/tables.out", "1.2     up ", "1.2     down");
    let folders = [before.path().to_str().unwrap(), after.path().to_str().unwrap()];
    let (code, told) = compared(&before, &folders);
    assert_eq!(code, 1);
    let [action] = list(&told, "settings") else { panic!("{told}") };
    assert_eq!((text(action, "setting"), list(action, "ports").len()), ("port-security.action", 14));
    assert_eq!((text(action, "a"), text(action, "b")), ("disable-port", "drop-and-report"));
    assert_eq!(list(action, "evidence_b")[0]["line"], 67);
    let [link] = list(&told, "state") else { panic!("{told}") };
    assert_eq!((text(link, "what"), text(link, "a"), text(link, "b")), ("link", "up", "down"));
    let findings = &told["findings"];
    let appeared: std::collections::BTreeSet<&str> =
        list(findings, "appeared").iter().map(|f| text(f, "check")).collect();
    assert!(appeared.contains("port-security/action-weak") && appeared.contains("config/unsaved"), "{appeared:?}");
    assert!(list(findings, "gone").is_empty() && list(findings, "stayed").len() > 10);
    // And back again.
    let (_, back) = compared(&before, &[folders[1], folders[0]]);
    assert_eq!(list(&back["findings"], "gone").len(), list(findings, "appeared").len());
}

#[test]
fn a_switch_is_compared_with_its_saved_copy() {
    let (code, told) = compared(&Fleet::demo(), &["nq-gates-1", "--against", "saved"]);
    let settings: Vec<_> =
        list(&told, "settings").iter().map(|s| (text(s, "setting"), list(s, "ports").len())).collect();
    assert_eq!(code, 1);
    assert_eq!(settings, [("fast-start.mode", 1), ("guard.bpdu", 1), ("port.energy-saving", 1)]);
    // What needs state or a saved copy is no difference: the other side has none.
    let gone: Vec<&str> = list(&told["findings"], "gone").iter().map(|f| text(f, "check")).collect();
    assert_eq!(gone, ["config/torn", "fast-start/missing", "multicast/energy-saving"]);
}

/// What sisters may differ in, and what is each switch's own, is no difference between them; nor is a finding about it.
#[test]
fn sisters_are_compared_but_for_their_exceptions() {
    let told = |except: &str| {
        let fleet = Fleet::demo();
        fleet.edit(
            "yellowlegs.toml",
            "switches = [\"sp-gates-*\"]",
            &format!("switches = [\"sp-gates-*\"]\nexcept = [{except}]"),
        );
        let (_, told) = compared(&fleet, &["sp-gates-1", "--against", "sisters"]);
        let settings: Vec<String> = list(&told, "settings").iter().map(|s| text(s, "setting").to_owned()).collect();
        let gone: Vec<String> = list(&told["findings"], "gone").iter().map(|f| text(f, "check").to_owned()).collect();
        (settings, gone)
    };
    let (settings, gone) = told("");
    assert!(settings.iter().any(|s| s == "flap.hold") && settings.iter().any(|s| s == "port.mtu"), "{settings:?}");
    assert!(settings.iter().all(|s| s != "port.description" && s != "switch.name"), "{settings:?}");
    let (fewer, without) = told("\"flap\", \"port.mtu\"");
    let expected: Vec<&String> = settings.iter().filter(|s| !s.starts_with("flap.") && *s != "port.mtu").collect();
    assert_eq!(fewer.iter().collect::<Vec<_>>(), expected);
    assert!(without.iter().all(|check| gone.contains(check)));
}

/// State that only one side tells makes no finding appear or go.
#[test]
fn state_on_one_side_only_is_no_difference() {
    let (before, after) = (Fleet::demo(), Fleet::demo());
    for switch in ["northquay/nq-desks-1", "saltpan/sp-gates-1", "dunlin/dp-desks-1"] {
        for file in ["tables.out", "events.log"] {
            std::fs::remove_file(after.path().join(switch).join(file)).unwrap();
        }
    }
    let folders = [before.path().to_str().unwrap(), after.path().to_str().unwrap()];
    for [one, other] in [folders, [folders[1], folders[0]]] {
        let ran = before.run(&["compare", one, other]);
        assert_eq!((ran.code, ran.out.trim()), (0, "Nothing differs."), "{}", ran.out);
    }
}

#[rstest]
#[case::itself(&["nq-core-1", "nq-core-1"], 0, "Nothing differs.")]
#[case::sisters(&["sp-gates-1", "--against", "sisters"], 1, "sp-gates-1 → sp-gates-2")]
#[case::no_sisters(&["nq-core-1", "--against", "sisters"], 2, "")]
#[case::no_baseline(&["sp-gates-1", "--against", "baseline"], 2, "")]
#[case::no_switch(&["nq-core-1", "nq-core-9"], 2, "")]
#[case::nothing_to_compare_with(&["nq-core-1"], 2, "")]
fn compare_ends(#[case] words: &[&str], #[case] code: i32, #[case] out: &str) {
    let ran = Fleet::demo().run(&[&["compare"], words].concat());
    assert!(ran.code == code && ran.out.contains(out), "{} {}{}", ran.code, ran.out, ran.err);
}

#[test]
fn a_switch_that_only_one_snapshot_has_is_told() {
    let (before, after) = (Fleet::demo(), Fleet::demo());
    std::fs::remove_dir_all(after.path().join("saltpan/sp-hall-1")).unwrap();
    let ran = before.run(&["compare", before.path().to_str().unwrap(), after.path().to_str().unwrap()]);
    assert_eq!(ran.code, 1);
    assert!(ran.out.starts_with("sp-hall-1 is only in"), "{}", ran.out);
}

#[test]
fn the_load_of_a_mirror_is_given_as_it_is_measured() {
    let report = Fleet::demo().report(&["--only", "mirror/overdrawn", "--switch", "nq-core-1", "--port", "1.11"]);
    let [found] = list(&report, "findings") else { panic!("{report}") };
    assert_eq!((found["inputs"]["load"].as_u64(), found["inputs"]["measured"].as_u64()), (Some(2000), Some(800_000)));
    assert!(
        list(found, "evidence").iter().any(|line| line["kind"] == "table" && text(line, "text").contains("412000"))
    );
}

/// A querier that is heard, and is none of the fleet's, asks all the same; one in a table that is too old does not count.
#[rstest]
#[case::heard("", 0)]
#[case::long_ago("time = 01 Mar 2031 06:00:00\n", 1)]
fn a_querier_that_is_heard_counts(#[case] clock: &str, #[case] missing: usize) {
    let fleet = Fleet::demo();
    let told = "| Water | Asked by       | On  | Version |\n| 150   | 198.51.100.250 | a:1 | 3       |\n";
    fleet.write("saltpan/sp-core-1/tables.out", format!("{clock}{told}"));
    let report = fleet.report(&["--only", "multicast/querier-missing"]);
    assert_eq!(list(&report, "fleet_findings").len(), missing);
}
