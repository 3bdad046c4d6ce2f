//! `audit --since`: what is new, what remains, what became of the rest; and a pipeline that only new faults stop.

use std::fs;

use crate::support::{Fleet, list, text};
use rstest::rstest;
use serde_json::Value;

const DESKS: &str = "northquay/nq-desks-1/config.txt";

/// The demo with the report of a while ago.
fn earlier() -> Fleet {
    let fleet = Fleet::demo();
    fleet.run(&["audit", "-q", "--write", "before.json"]);
    fleet
}

/// What became of a finding, by check and port.
fn fate<'r>(report: &'r Value, check: &str, port: &str) -> &'r str {
    for list in ["gone", "unsettled"].map(|name| self::list(&report["since"], name)) {
        if let Some(former) = list.iter().find(|f| text(f, "check") == check && text(f, "port") == port) {
            return text(former, "now");
        }
    }
    let all = list(report, "findings").iter().chain(list(report, "fleet_findings"));
    let there =
        all.filter(|f| text(f, "check") == check && text(f, "port") == port && text(f, "switch") == "nq-desks-1");
    there.map(|f| text(f, "since")).next().unwrap_or("nowhere")
}

fn waiver(check: &str) -> String {
    format!(
        "\n[[waiver]]\ncheck = \"{check}\"\nswitch = \"nq-desks-1\"\nreason = \"r\"\nowner = \"o\"\nlast-day = \"2031-06-30\"\n"
    )
}

#[rstest]
#[case::nothing_changed("", "", "port-security/limit-high", "1.4", "remaining", 0)]
#[case::repaired("crowd ceiling 8", "crowd ceiling 3", "port-security/limit-high", "1.4", "gone", 0)]
#[case::broken("socket 1.1\n", "socket 1.1\n  crowd ceiling 9\n", "port-security/limit-high", "1.1", "new", 1)]
#[case::lines_moved("socket 1.1\n", "\n\n! moved\nsocket 1.1\n", "port-security/limit-high", "1.4", "remaining", 0)]
fn faults_come_and_go(
    #[case] from: &str,
    #[case] to: &str,
    #[case] check: &str,
    #[case] port: &str,
    #[case] expected: &str,
    #[case] code: i32,
) {
    let fleet = earlier();
    if !from.is_empty() {
        fleet.edit(DESKS, from, to);
        // Somebody saved it, too.
        fleet.edit(&DESKS.replace("config", "saved"), from, to);
    }
    // The fleet has checks that are open; they are no new faults.
    let words = ["audit", "--since", "before.json", "--fail-on", "new", "--allow-undetermined", "--format", "json"];
    let ran = fleet.run(&words);
    let report: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(fate(&report, check, port), expected, "{}", report["since"]);
    assert_eq!(ran.code, code, "{}", report["since"]);
    let since = &report["since"];
    let all = || list(&report, "findings").iter().chain(list(&report, "fleet_findings"));
    let standing = |word: &str| Some(all().filter(|f| text(f, "since") == word).count() as u64);
    assert_eq!((since["new"].as_u64(), since["remaining"].as_u64()), (standing("new"), standing("remaining")));
    let before: Value = serde_json::from_str(&fleet.read("before.json")).unwrap();
    let then =
        list(&before, "findings").iter().chain(list(&before, "fleet_findings")).filter(|f| f["waiver"].is_null());
    let still =
        since["remaining"].as_u64().unwrap() as usize + list(since, "gone").len() + list(since, "unsettled").len();
    assert_eq!(still, then.count(), "every finding of then is somewhere");
}

#[test]
fn what_nobody_can_say_any_more_is_no_repair() {
    let fleet = earlier();
    let since = || fleet.report(&["--since", "before.json"]);
    fleet.write("yellowlegs.toml", fleet.read("yellowlegs.toml") + &waiver("port-security/limit-high"));
    assert_eq!(fate(&since(), "port-security/limit-high", "1.4"), "waived");
    fs::remove_file(fleet.path().join("northquay/nq-desks-1/tables.out")).unwrap();
    assert_eq!(fate(&since(), "recovery/held-down", "1.7"), "undetermined");
    fs::remove_file(fleet.path().join("northquay/nq-desks-1/events.log")).unwrap();
    assert_eq!(fate(&since(), "port-security/violations", "1.7"), "undetermined", "no state at all is kept");
    fs::write(fleet.path().join(DESKS), b"shingle\0").unwrap();
    let report = since();
    assert_eq!(fate(&report, "port-security/violations", "1.7"), "not-read");
    assert!(list(&report["since"], "gone").iter().all(|f| text(f, "switch") != "nq-desks-1"));
}

/// A waiver that ends brings its finding back as a new one.
#[test]
fn a_waiver_that_ends_is_new() {
    let fleet = earlier();
    let policy = fleet.read("yellowlegs.toml");
    fleet.write("yellowlegs.toml", policy.clone() + &waiver("port-security/limit-high"));
    fleet.run(&["audit", "-q", "--write", "before.json"]);
    fleet.write("yellowlegs.toml", policy);
    let report = fleet.report(&["--since", "before.json"]);
    assert_eq!(fate(&report, "port-security/limit-high", "1.4"), "new");
}

/// Of the earlier report only what is reported now plays a part.
#[rstest]
#[case(&["--switch", "sp-*"])]
#[case(&["--port", "1.4"])]
#[case(&["--role", "kiosk"])]
#[case(&["--only", "port-security"])]
#[case(&["northquay/nq-gates-1"])]
fn filters_leave_nothing_gone(#[case] words: &[&str]) {
    let fleet = earlier();
    let report = fleet.report(&[&["--since", "before.json"], words].concat());
    let since = &report["since"];
    assert!(since["remaining"].as_u64() > Some(0));
    let others = ["gone", "unsettled"].map(|name| list(since, name).len());
    assert_eq!((since["new"].as_u64(), others), (Some(0), [0, 0]), "{since}");
}

#[test]
fn every_format_tells_what_is_new_and_what_is_gone() {
    let fleet = earlier();
    fleet.edit(DESKS, "crowd ceiling 8", "crowd ceiling 3").edit(
        DESKS,
        "socket 1.1\n",
        "socket 1.1\n  crowd ceiling 9\n",
    );
    let told = [
        ("text", &["NEW BREACH port-security/limit-high  1.1", " new, ", "gone nq-desks-1 1.4  BREACH"][..]),
        ("json", &["\"since\":\"new\"", "\"now\":\"gone\""]),
        ("jsonl", &["\"kind\":\"since\""]),
        ("csv", &[",new,"]),
        ("sarif", &["\"baselineState\": \"new\"", "\"baselineState\": \"absent\"", "\"baselineState\": \"unchanged\""]),
        ("markdown", &["| breach, new |", " new, ", "- gone: nq-desks-1 1.4"]),
        ("html", &["<span class=\"new\">new</span>", " new, ", "<b>gone</b> nq-desks-1 1.4"]),
    ];
    for (format, words) in told {
        let out = fleet.run(&["audit", "--since", "before.json", "--format", format]).out;
        for words in words {
            assert!(out.contains(words), "{format} does not say {words}");
        }
    }
}

#[rstest]
#[case::no_file(&["audit", "--since", "nowhere.json"], &["nowhere.json"])]
#[case::no_json(&["audit", "--since", "yellowlegs.toml"], &["this is no JSON report", "line 1 column", "hint:"])]
#[case::another_version(&["audit", "--since", "next.json"], &["report version 9 is not known", "hint:"])]
#[case::nothing_to_compare(&["audit", "--fail-on", "new"], &["--since"])]
#[case::no_report_here(&["port", "nq-desks-1", "1.7", "--fail-on", "new"], &["no earlier report", "audit --since"])]
fn a_wrong_request_is_told(#[case] words: &[&str], #[case] told: &[&str]) {
    let fleet = Fleet::demo();
    fleet.write("next.json", "{\"report\": 9, \"as_of\": \"x\", \"findings\": [], \"fleet_findings\": []}");
    let ran = fleet.run(words);
    assert_eq!((ran.code, ran.out.as_str()), (2, ""), "{}", ran.err);
    for words in told {
        assert!(ran.err.contains(words), "`{words}` is not in {}", ran.err);
    }
}
