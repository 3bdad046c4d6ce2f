//! `yellowlegs mend`, by the built program: plan, text, way back, the fleet as it would be, decisions, and what is refused.

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;

use crate::support::{self, Fleet, list, text};
use rstest::rstest;
use serde_json::Value;

fn languages() -> Fleet {
    let fleet = Fleet::empty();
    support::copy(&Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/languages"), fleet.path());
    fleet
}

fn plan(fleet: &Fleet, words: &[&str]) -> Value {
    let ran = fleet.run(&[&["mend", "--format", "json"], words].concat());
    serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e}: {}{}", ran.out, ran.err))
}

/// What is found, by fingerprint.
fn found(fleet: &Fleet, words: &[&str]) -> BTreeSet<String> {
    let report = fleet.report(words);
    let all = list(&report, "findings").iter().chain(list(&report, "fleet_findings"));
    all.filter(|finding| finding["waiver"].is_null()).map(|finding| text(finding, "fingerprint").to_owned()).collect()
}

fn fingerprints(rows: &Value, name: &str) -> BTreeSet<String> {
    list(rows, name).iter().map(|row| text(row, "fingerprint").to_owned()).collect()
}

/// A fleet in four structures: everything that was planted is mended, and the fleet as it would be says so to anybody.
#[test]
fn the_fleet_afterwards_is_audited_like_any_other() {
    let (fleet, elsewhere) = (languages(), Fleet::empty());
    let place = elsewhere.path().join("after");
    let ran = fleet.run(&["mend", "--after", &place.display().to_string()]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    assert!(ran.out.contains("29 of 29 findings gone after the last step, 0 left, 0 new."), "{}", ran.out);
    let after = ran_in(&place, &["audit", "--fail-on", "advice", "--allow-undetermined"]);
    assert_eq!(after.code, 0, "{}", after.out);
}

fn ran_in(folder: &Path, words: &[&str]) -> support::Ran {
    support::ran(support::yellowlegs().current_dir(folder).args(words).output().unwrap())
}

/// The demo: what is gone, left and new is what an audit of the fleet afterwards says; what is left is work for people or open.
#[test]
fn the_demo_afterwards_has_only_what_people_do_or_decide() {
    let fleet = Fleet::demo();
    let before = found(&fleet, &[]);
    let after = Fleet::empty();
    let plan = plan(&fleet, &["--after", &after.path().display().to_string()]);
    let now = found(&after, &[]);
    let proof = &plan["proof"];
    let gone: BTreeSet<String> = before.difference(&now).cloned().collect();
    assert_eq!(fingerprints(proof, "gone"), gone);
    assert_eq!(fingerprints(proof, "remaining"), before.intersection(&now).cloned().collect());
    assert_eq!(fingerprints(proof, "new"), now.difference(&before).cloned().collect());
    assert!(list(&proof["drills"], "broken").is_empty());
    let dealt: BTreeSet<String> = ["by_hand", "open_points"]
        .iter()
        .flat_map(|part| list(&plan, part))
        .flat_map(|row| fingerprints(row, "because"))
        .collect();
    assert!(now.is_subset(&dealt), "{:?}", now.difference(&dealt));
    // The plan is short of nothing that it writes: each step has lines, a reason, and lines back.
    for step in list(&plan, "steps") {
        assert!(!list(step, "text").is_empty() && !list(step, "because").is_empty(), "{step}");
        assert!(!list(step, "undo").is_empty(), "{step}");
    }
}

/// What saves a switch is in a file of its own, in its last phase: it is no line of a configuration.
#[test]
fn what_saves_a_switch_is_in_its_last_phase() {
    let fleet = Fleet::demo();
    let ran = fleet.run(&["mend", "--into", "change", "--phase", "3", "--switch", "nq-bridge-1"]);
    assert_eq!(ran.code, 1, "{}{}", ran.out, ran.err);
    assert_eq!(fleet.read("change/phase-3/nq-bridge-1.save.txt"), "stow everything\n");
    assert!(fleet.path().join("change/phase-1/nq-bridge-1.txt").exists());
    assert!(!fleet.path().join("change/phase-1/nq-bridge-1.save.txt").exists());
}

/// Only findings of a level, or worse, are to go.
#[rstest]
#[case("breach", &["breach"])]
#[case("risk", &["breach", "risk"])]
#[case("advice", &["breach", "risk", "advice"])]
fn findings_are_picked_by_their_level(#[case] least: &str, #[case] levels: &[&str]) {
    let fleet = Fleet::demo();
    let report = fleet.report(&[]);
    let of_level = |finding: &&Value| finding["waiver"].is_null() && levels.contains(&text(finding, "level"));
    let all = list(&report, "findings").iter().chain(list(&report, "fleet_findings")).filter(of_level);
    let wanted: BTreeSet<String> = all.map(|finding| text(finding, "fingerprint").to_owned()).collect();
    let made = plan(&fleet, &["--level", least]);
    let proof = &made["proof"];
    assert_eq!(&fingerprints(proof, "gone") | &fingerprints(proof, "remaining"), wanted);
}

/// The demo's plan, as it was reviewed: `YELLOWLEGS_RENEW=1` writes it again.
#[test]
fn the_demo_s_plan_is_as_it_was_reviewed() {
    let ran = Fleet::demo().run(&["mend", "--color", "never"]);
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/demo-plan.txt");
    if std::env::var_os("YELLOWLEGS_RENEW").is_some() {
        fs::write(&path, &ran.out).unwrap();
    }
    let reviewed = fs::read_to_string(&path).unwrap_or_default();
    assert_eq!(ran.out, reviewed, "if this is meant, run the test once with YELLOWLEGS_RENEW=1 and read what differs");
}

/// What is written for a switch, put at the end of its text, is what the plan says; with the way back it is as before.
#[test]
fn the_files_of_a_change_and_of_its_way_back_do_what_they_say() {
    let fleet = languages();
    let before = found(&fleet, &[]);
    let ran = fleet.run(&["mend", "--into", "change", "-q"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    let add = |switch: &str, file: &str| {
        let lines = fleet.read(&format!("change/phase-1/{switch}{file}"));
        let config = format!("{switch}/config.txt");
        fleet.write(&config, format!("{}\n{lines}", fleet.read(&config)));
    };
    let switches = ["dune-1", "kelp-1", "reef-1", "tarn-1"];
    switches.iter().for_each(|switch| add(switch, ".txt"));
    fs::rename(fleet.path().join("change"), fleet.path().parent().unwrap().join("kept-change")).ok();
    assert_eq!(found(&fleet, &[]), BTreeSet::new());
    fs::rename(fleet.path().parent().unwrap().join("kept-change"), fleet.path().join("change")).ok();
    switches.iter().for_each(|switch| add(switch, ".back.txt"));
    assert_eq!(found(&fleet, &[]), before);
    let plan = fleet.read("change/plan.md");
    assert!(plan.contains("# Change plan") && plan.contains("29 of 29 findings gone"), "{plan}");
    assert!(fleet.read("change/plan.json").contains("\"open_points\""));
}

/// Questions are written with what can be answered; an answer makes the step; what is none of the choices is an error with its place.
#[test]
fn decisions_are_asked_written_and_taken() {
    let fleet = Fleet::demo();
    let words = ["mend", "--switch", "nq-desks-1", "--only", "mirror", "--answer", "decisions.toml"];
    let first = fleet.run(&words);
    assert!(first.out.contains("does it go, or will somebody enter it?"), "{}", first.out);
    let asked = fleet.read("decisions.toml");
    assert!(asked.contains("choices = [\"it goes\", \"it is entered\"]\nanswer = \"\"\n"), "{asked}");
    fleet.write("decisions.toml", asked.replace("answer = \"\"", "answer = \"it goes\""));
    let second = fleet.run(&words);
    assert!(!second.out.contains("To be decided"), "{}", second.out);
    assert!(second.out.contains("looking-glass 2\n                without awake"), "{}", second.out);
    // The answer stays in the file, beside the question.
    assert!(fleet.read("decisions.toml").contains("answer = \"it goes\""));
    fleet.write("decisions.toml", asked.replace("answer = \"\"", "answer = \"perhaps\""));
    let wrong = fleet.run(&words);
    assert_eq!(wrong.code, 2);
    assert!(wrong.err.contains("decisions.toml:7:10: `perhaps` is none of the choices"), "{}", wrong.err);
    assert!(wrong.err.contains("answer \"it goes\", \"it is entered\", or nothing"), "{}", wrong.err);
}

/// Any value of the setting's kind, once for all ports of a role.
#[test]
fn a_value_that_nobody_set_is_asked_once_for_a_role() {
    let fleet = Fleet::demo();
    let words = ["mend", "--only", "dhcp-snooping/rate-missing", "--role", "desk", "--answer", "d.toml"];
    let asked = fleet.run(&words);
    assert_eq!(asked.out.matches("what is dhcp-snooping.rate-limit to be?").count(), 1, "{}", asked.out);
    let text = fleet.read("d.toml").replace("answer = \"\"", "answer = \"15 pps\"");
    fleet.write("d.toml", text);
    let answered = fleet.run(&words);
    assert!(answered.out.contains("dhcp-snooping.rate-limit: none → 15 pps"), "{}", answered.out);
    fleet.write("d.toml", fleet.read("d.toml").replace("15 pps", "many"));
    let refused = fleet.run(&words);
    assert!(refused.out.contains("`many` is no answer to it"), "{}", refused.out);
}

#[rstest]
#[case::no_switch(&["--switch", "nowhere"], "no switch has such a name")]
#[case::no_port(&["--port", "9.9"], "no port has such a name")]
#[case::no_check(&["--only", "port/nothing"], "is no check or family")]
#[case::no_phase(&["--phase", "1"], "invalid value '1'")]
#[case::inside(&["--after", "after"], "it lies inside the fleet, whose switches would be there twice")]
#[case::not_empty(&["--into", "northquay"], "the folder is not empty")]
#[case::not_toml(&["--answer", "stations.csv"], "stations.csv:1:")]
fn what_cannot_be_done_is_told_and_nothing_is_written(#[case] words: &[&str], #[case] told: &str) {
    let fleet = Fleet::demo();
    let before: BTreeSet<_> = fs::read_dir(fleet.path()).unwrap().map(|entry| entry.unwrap().file_name()).collect();
    let ran = fleet.run(&[&["mend"], words].concat());
    assert_eq!(ran.code, 2, "{}", ran.out);
    assert!(ran.err.contains(told), "{}", ran.err);
    let after: BTreeSet<_> = fs::read_dir(fleet.path()).unwrap().map(|entry| entry.unwrap().file_name()).collect();
    assert_eq!(before, after);
}

/// What touches somebody can wait; what it needs and what needs it keep their order.
#[test]
fn steps_that_touch_somebody_can_be_put_off() {
    let plan = plan(&Fleet::demo(), &["--phase", "3"]);
    let mut last = 0;
    for step in list(&plan, "steps") {
        let phase = step["phase"].as_u64().unwrap();
        assert!(phase >= last, "phases come in order");
        last = phase;
        assert!(list(step, "impact").is_empty() || phase >= 3, "{step}");
        for needs in list(step, "needs") {
            assert!(list(needs, "steps").iter().all(|n| n.as_u64() < step["n"].as_u64()), "{step}");
        }
    }
    assert_eq!(last, 3);
}

/// A setting is written once where one line can say it of all ports, and port by port where that is asked.
#[test]
fn once_or_each_port() {
    let fleet = Fleet::demo();
    let words = ["--switch", "nq-desks-2", "--only", "port-security/aging-missing"];
    let lines = |plan: &Value| list(plan, "steps").iter().map(|step| list(step, "text").len()).sum::<usize>();
    let (once, each) = (plan(&fleet, &words), plan(&fleet, &[&words[..], &["--each-port"]].concat()));
    assert_eq!((lines(&once), lines(&each)), (2, 4));
    assert_eq!(once["proof"]["gone"], each["proof"]["gone"]);
}

/// Ports that features took down: the cause, then down and up.
#[test]
fn ports_are_brought_back() {
    let plan = plan(&Fleet::demo(), &["--held-down", "--switch", "nq-desks-1"]);
    let [port] = list(&plan, "held_down") else { panic!("{plan}") };
    assert_eq!((text(port, "port"), text(port, "cause"), text(port, "back")), ("1.7", "port-security", "by hand"));
    let lines: Vec<&str> = list(port, "text").iter().filter_map(Value::as_str).collect();
    assert_eq!(lines, ["socket 1.7", "  asleep", "socket 1.7", "  without asleep"]);
    assert!(list(&plan, "steps").iter().all(|step| step["ports"] == serde_json::json!(["1.7"])));
}

/// The page of a port has the plan for it.
#[test]
fn the_page_of_a_port_has_its_steps() {
    let fleet = Fleet::demo();
    let ran = fleet.run(&["port", "nq-desks-1", "1.4", "--mend"]);
    assert!(ran.out.contains("port 1.4  port-security.limit: 8 → 3"), "{}", ran.out);
    let ran = fleet.run(&["port", "nq-desks-1", "1.4", "--mend", "--format", "json"]);
    let page: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(list(&page["mend"], "steps").len(), 1);
    let plain = fleet.run(&["port", "nq-desks-1", "1.4", "--format", "json"]);
    assert!(!plain.out.contains("\"mend\""));
}

/// The page links each finding with its step, and back; it asks nobody for anything.
#[test]
fn the_page_links_findings_and_steps() {
    let page = Fleet::demo().run(&["mend", "--format", "html"]).out;
    let plan = plan(&Fleet::demo(), &[]);
    for step in list(&plan, "steps") {
        let n = step["n"].as_u64().unwrap();
        assert!(
            page.contains(&format!("<article id=\"s{n}\">")) && page.contains(&format!("href=\"#s{n}\"")),
            "step {n}"
        );
    }
    for wrong in ["http://", "https://", "<script", "src="] {
        assert!(!page.contains(wrong), "{wrong}");
    }
}
