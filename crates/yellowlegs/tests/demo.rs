//! The demo fleet: the faults that were planted are found, all of them and no others; the tour runs.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;

use crate::support::{Fleet, demo_folder, list, ran, text, yellowlegs};
use rstest::rstest;
use serde_json::Value;

/// Switch, port, check, VLAN and whether it is waived.
type Fault = (String, String, String, String, bool);

/// The faults that were planted, from the list they were planted by.
fn planted() -> Vec<Fault> {
    let rows = include_str!("data/demo-expected.csv").lines().filter(|l| !l.starts_with('#') && !l.is_empty());
    let mut faults: Vec<Fault> = rows
        .map(|row| {
            let cells: Vec<&str> = row.split(',').collect();
            let [switch, port, check, vlan, waived] = cells[..] else { panic!("{row}") };
            (switch.into(), port.into(), check.into(), vlan.into(), waived == "waived")
        })
        .collect();
    faults.sort();
    faults
}

fn found(report: &Value) -> Vec<Fault> {
    let both = list(report, "findings").iter().chain(list(report, "fleet_findings"));
    let fault = |f: &Value| {
        let vlan = f["vlan"].as_u64().map(|v| v.to_string()).unwrap_or_default();
        let word = |name| text(f, name).to_owned();
        (word("switch"), word("port"), word("check"), vlan, !f["waiver"].is_null())
    };
    let mut faults: Vec<Fault> = both.map(fault).collect();
    faults.sort();
    faults
}

#[test]
fn exactly_the_planted_faults_are_found() {
    assert_eq!(found(&Fleet::demo().report(&[])), planted());
}

#[test]
fn every_check_is_violated_somewhere_in_the_demo() {
    let catalogue: Value = serde_json::from_str(&Fleet::empty().run(&["checks", "--format", "json"]).out).unwrap();
    let broken: BTreeSet<String> = planted().into_iter().map(|(_, _, check, ..)| check).collect();
    for check in catalogue.as_array().unwrap() {
        assert!(broken.contains(text(check, "id")), "{} is violated nowhere", check["id"]);
    }
}

#[test]
fn every_quoted_line_is_that_line_of_that_file() {
    let fleet = Fleet::demo();
    let report = fleet.report(&[]);
    let mut seen = 0;
    for finding in list(&report, "findings").iter().chain(list(&report, "fleet_findings")) {
        assert!(!list(finding, "evidence").is_empty(), "{finding} has no evidence");
        let waiver = finding["waiver"]["evidence"].as_object().map(|_| &finding["waiver"]["evidence"]);
        for evidence in list(finding, "evidence").iter().chain(list(finding, "overridden")).chain(waiver) {
            let (Some(file), Some(line)) = (evidence["file"].as_str(), evidence["line"].as_u64()) else { continue };
            let whole = fleet.read(file);
            assert_eq!(whole.lines().nth(line as usize - 1), evidence["text"].as_str(), "{file}:{line}");
            let (column, width) = (evidence["column"].as_u64().unwrap(), evidence["width"].as_u64().unwrap());
            assert!(column >= 1 && width >= 1 && column - 1 + width <= text(evidence, "text").chars().count() as u64);
            seen += 1;
        }
    }
    assert!(seen > 80, "only {seen} lines were quoted");
}

#[rstest]
#[case("json")]
#[case("jsonl")]
#[case("text")]
fn the_report_is_the_same_from_run_to_run_and_for_any_jobs(#[case] format: &str) {
    let fleet = Fleet::demo();
    let first = fleet.run(&["audit", "--format", format]).out;
    for jobs in ["1", "2", "7"] {
        assert_eq!(fleet.run(&["audit", "--format", format, "--jobs", jobs]).out, first);
    }
}

#[test]
fn the_report_has_the_shape_of_its_schema_and_counts_what_it_lists() {
    let report = Fleet::demo().report(&[]);
    assert_eq!((report["report"].as_u64(), text(&report, "as_of")), (Some(1), "2031-03-04T06:30:00Z"));
    let keys = [
        "tool",
        "report",
        "as_of",
        "doubt",
        "doubts",
        "findings",
        "fleet_findings",
        "undetermined",
        "unread",
        "remarks",
        "unreadable",
        "switches",
        "summary",
    ];
    assert_eq!(report.as_object().unwrap().keys().map(String::as_str).collect::<BTreeSet<_>>(), keys.into());
    let (summary, switches) = (&report["summary"], list(&report, "switches"));
    let sum = |name: &str| switches.iter().filter_map(|s| s[name].as_u64()).sum::<u64>();
    assert_eq!(summary["switches"].as_u64(), Some(switches.len() as u64));
    for name in ["ports", "violating_ports", "unread_lines"] {
        assert_eq!(summary[name].as_u64(), Some(sum(name)), "{name}");
    }
    let counted: u64 = ["violating_ports", "waived_ports", "undetermined_ports", "clean_ports"]
        .iter()
        .filter_map(|n| summary[*n].as_u64())
        .sum();
    assert_eq!(Some(counted), summary["ports"].as_u64(), "each port counts once");
    let mut levels: BTreeMap<&str, u64> = BTreeMap::new();
    for finding in
        list(&report, "findings").iter().chain(list(&report, "fleet_findings")).filter(|f| f["waiver"].is_null())
    {
        *levels.entry(text(finding, "level")).or_default() += 1;
    }
    for (level, count) in levels {
        assert_eq!(summary["findings"][level].as_u64(), Some(count), "{level}");
    }
    let shapes: u64 = list(&report, "unread").iter().filter_map(|u| u["count"].as_u64()).sum();
    assert_eq!(summary["unread_lines"].as_u64(), Some(shapes));
}

#[test]
fn the_lines_of_jsonl_are_the_elements_of_json() {
    let fleet = Fleet::demo();
    let report = fleet.report(&[]);
    let lines: Vec<Value> =
        fleet.run(&["audit", "--format", "jsonl"]).out.lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    let kinds: Vec<&str> = lines.iter().map(|l| text(l, "kind")).collect();
    let mut sorted = kinds.clone();
    let order =
        ["finding", "fleet_finding", "undetermined", "unread", "doubt", "remark", "unreadable", "switch", "summary"];
    sorted.sort_by_key(|k| order.iter().position(|o| o == k));
    assert_eq!(kinds, sorted);
    for (kind, name) in
        [("finding", "findings"), ("fleet_finding", "fleet_findings"), ("unread", "unread"), ("switch", "switches")]
    {
        assert_eq!(kinds.iter().filter(|k| **k == kind).count(), list(&report, name).len(), "{kind}");
    }
}

#[test]
fn findings_come_in_the_order_of_switch_port_and_check() {
    let report = Fleet::demo().report(&[]);
    let place = |f: &Value| {
        let port: Vec<u32> = text(f, "port")
            .split(['.', ':'])
            .filter(|n| !n.is_empty())
            .map(|n| n.parse().unwrap_or(u32::from(n.as_bytes()[0])))
            .collect();
        (text(f, "switch").to_owned(), port, text(f, "check").to_owned())
    };
    let order: Vec<_> = list(&report, "findings").iter().map(place).collect();
    assert!(order.is_sorted(), "{order:?}");
}

#[test]
fn the_tour_unpacks_the_fleet_and_runs_on_it() {
    let here = Fleet::empty();
    let first = here.run(&["demo"]);
    assert_eq!((first.code, first.err.as_str()), (0, ""), "{}", first.err);
    assert_eq!(
        here.read("marram-ferries/yellowlegs.toml"),
        fs::read_to_string(demo_folder().join("yellowlegs.toml")).unwrap()
    );
    // Every command it shows can be run again by hand, with the same answer: of it the tour shows a screen, and says how much more there is.
    let stops: Vec<&str> = first.out.split("\n── ").skip(1).collect();
    assert_eq!(stops.len(), 10);
    let whole = here.run(&["demo", "tour", "--whole"]).out;
    assert!(first.out.lines().count() < 300 && whole.lines().count() > 500 && !whole.contains("(+ "));
    for stop in stops {
        let (_, rest) = stop.split_once("$ yellowlegs ").unwrap();
        let (command, shown) = rest.split_once("\n\n").unwrap();
        let again = here.run(&command.split(' ').collect::<Vec<_>>());
        assert!([0, 1].contains(&again.code), "{command}: {}", again.err);
        let answer = again.out.trim_end().trim_start_matches('\n');
        let all: Vec<&str> = answer.lines().collect();
        let lines: Vec<&str> = shown.trim_end().lines().collect();
        let most = all.len().min(18);
        if answer.is_empty() {
            assert_eq!(lines[0], format!("(nothing printed; exit code {})", again.code));
            continue;
        }
        assert_eq!(lines[..most], all[..most], "{command} says something else by hand");
        let more = format!("(+ {} lines)", all.len() - most);
        assert_eq!(shown.contains(&more), all.len() > most, "{command}: {more}");
        assert!(whole.contains(&answer.replace("marram-ferries", "tour")), "{command} is not told whole");
    }
    // The next one takes a fresh folder, and none is ever written over.
    assert_eq!(here.run(&["demo"]).code, 0);
    assert!(here.path().join("marram-ferries-2").is_dir());
    let taken = here.run(&["demo", "marram-ferries"]);
    assert_eq!(taken.code, 2);
    assert!(taken.err.contains("is there already") && taken.err.contains("hint:"), "{}", taken.err);
}

#[test]
fn colours_come_only_where_they_are_wanted() {
    let audit = |words: &[&str], no_color: bool| {
        let mut command = yellowlegs();
        if no_color {
            command.env("NO_COLOR", "1");
        }
        ran(command.arg("audit").arg(demo_folder()).args(words).output().unwrap()).out.contains('\u{1b}')
    };
    assert!(!audit(&[], false), "a pipe gets no colours");
    assert!(audit(&["--color", "always"], false));
    assert!(!audit(&["--color", "never"], false));
    assert!(!audit(&["--color", "auto"], true));
}
