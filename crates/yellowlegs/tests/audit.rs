//! `yellowlegs audit` on fleets that are right, wrong, broken or hostile: exit codes, messages, files written.

use std::fs;

use crate::support::{self, Fleet, list, ran, text, yellowlegs};
use rstest::rstest;

const SWITCH: &str = "northquay/nq-desks-1/config.txt";

/// One switch, one port; `lines` are its block's, `note` tells its role.
fn one_port(note: &str, lines: &str) -> Fleet {
    let fleet = Fleet::demo();
    for gone in ["northquay", "saltpan", "dunlin"] {
        fs::remove_dir_all(fleet.path().join(gone)).unwrap();
    }
    let policy = "as-of = \"2031-03-04T06:30:00Z\"\n[files]\nrunning = [\"config.txt\"]\nsaved = []\n[vlans]\n110 = { purpose = \"data\" }\n\
                  [[role]]\nname = \"crew\"\nfaces = \"host\"\nvlans = [110]\ndescribes = [\"^crew\"]\n[[dhcp-server]]\nswitch = \"t\"\n";
    let config = format!("{HEAD}socket 1.1\n  note \"{note}\"\n{lines}");
    fleet.write("yellowlegs.toml", policy).write("t/config.txt", config);
    fleet
}

/// A switch with nothing wrong but what its one port says.
const HEAD: &str = "shingle 4 unit t
lane 110
  asks
  asks from 192.0.2.1
loft cleared for binding-loft
dhcp watch
dhcp watch lanes 110
dhcp watch compares
dhcp watch keeps
dhcp watch tag keep
tree kind young
quick sockets closed to trees
choir watch
choir watch lanes 110
choir strangers refused
tells 192.0.2.250
every socket
  flutter watch
  flutter 5 within 10
  flutter hold 60
  gale broadcast 1%
  gale multicast 1%
  router calls refused
  lease calls refused
every single socket
  wakes quickly
  dhcp pace 15
";

const RIGHT: &str =
    "  carries single\n  home lane 110\n  admit untagged\n  crowd watch\n  crowd response report\n  origin check\n";

#[rstest]
#[case::right("crew", RIGHT, &[], 0)]
#[case::breach("crew", "  carries bargain\n", &[], 1)]
#[case::breach_at_breach("crew", "  carries bargain\n", &["--fail-on", "breach"], 1)]
#[case::never("crew", "  carries bargain\n", &["--fail-on", "never"], 0)]
#[case::only_another_family("crew", "  carries bargain\n", &["--only", "config"], 0)]
#[case::another_port("crew", "  carries bargain\n", &["--port", "2.*"], 2)]
#[case::another_switch("crew", "  carries bargain\n", &["--switch", "x*"], 2)]
#[case::risk_is_no_breach("crew", "  carries single\n  home lane 110\n  admit untagged\n  crowd watch\n  origin check\n", &["--fail-on", "breach"], 0)]
#[case::no_role("nobody", "  carries bundle\n  bundle lanes 110\n  bare lane none\n", &[], 3)]
#[case::no_role_allowed("nobody", "  carries bundle\n  bundle lanes 110\n  bare lane none\n", &["--allow-undetermined"], 0)]
#[case::no_role_never("nobody", "  carries bundle\n  bundle lanes 110\n  bare lane none\n", &["--fail-on", "never"], 0)]
#[case::no_role_advice("nobody", "  carries bundle\n  bundle lanes 110\n  bare lane none\n", &["--fail-on", "advice"], 1)]
fn exit_codes(#[case] note: &str, #[case] lines: &str, #[case] words: &[&str], #[case] code: i32) {
    let fleet = one_port(note, lines);
    let ran = fleet.run(&[&["audit"], words].concat());
    assert_eq!(ran.code, code, "{}{}", ran.out, ran.err);
}

#[rstest]
#[case::misspelt_key("yellowlegs.toml", "[site]", "[sites]", &["yellowlegs.toml:5:2", "did you mean `site`?"])]
#[case::bad_pattern("dialects/shingle.toml", "crowd watch\"", "crowd [watch\"", &["dialects/shingle.toml:", "`[` is not closed", "hint:"])]
#[case::unknown_setting("dialects/shingle.toml", "port = [\n    { enabled", "port = [\n    { enable", &["did you mean `enabled`?"])]
fn a_broken_policy_or_dialect_stops_the_audit(
    #[case] file: &str,
    #[case] from: &str,
    #[case] to: &str,
    #[case] told: &[&str],
) {
    let fleet = Fleet::demo();
    fleet.edit(file, from, to);
    let report = fleet.path().join("report.json");
    let ran = fleet.run(&["audit", "--format", "json", "--write", "report.json"]);
    assert_eq!((ran.code, ran.out.as_str()), (2, ""), "nothing is half written: {}", ran.out);
    assert!(!report.exists());
    for words in told {
        assert!(ran.err.contains(words), "`{words}` is not in {}", ran.err);
    }
}

#[rstest]
#[case::wrong_path(&["audit", "nowhere"], &["nowhere", "hint:"])]
#[case::unknown_check(&["audit", "--only", "port/mode-wrng"], &["`port/mode-wrng` is no check or family", "did you mean `port/mode-wrong`?"])]
#[case::unknown_role(&["audit", "--role", "dsk"], &["`dsk` is no role", "desk"])]
#[case::bad_time(&["audit", "--as-of", "tomorrow"], &["`tomorrow` is no time", "2031-03-04T06:30:00Z"])]
#[case::bad_ending(&["audit", "--write", "report.doc"], &["report.doc", ".json"])]
#[case::no_folder(&["audit", "--write", "no/such/report.json"], &["no/such/report.json"])]
#[case::bad_option(&["audit", "--formt", "json"], &["--formt", "--format"])]
#[case::missing_policy(&["audit", "--policy", "other.toml"], &["other.toml"])]
#[case::missing_dialect(&["audit", "--dialect", "other.toml"], &["other.toml"])]
#[case::check_explained(&["checks", "port-security/limit"], &["is no check or family", "did you mean"])]
#[case::read_nothing(&["read", "nowhere.txt"], &["nowhere.txt"])]
fn a_wrong_request_is_told_with_a_hint(#[case] words: &[&str], #[case] told: &[&str]) {
    let ran = Fleet::demo().run(words);
    assert_eq!((ran.code, ran.out.as_str()), (2, ""), "{}", ran.err);
    for words in told {
        assert!(ran.err.contains(words), "`{words}` is not in {}", ran.err);
    }
}

#[test]
fn an_empty_folder_says_what_is_looked_for() {
    let fleet = Fleet::empty();
    let folder = fleet.path().display().to_string();
    for words in [&["audit", &folder][..], &["audit"]] {
        let ran = fleet.run(words);
        assert_eq!((ran.code, ran.out.as_str()), (2, ""));
        assert!(ran.err.contains("hint:"), "{}", ran.err);
    }
}

#[rstest]
#[case::binary(b"shingle\0\x01\x02".to_vec(), "zero byte")]
#[case::one_long_line(vec![b'x'; 3_000_000], "3000000 bytes long")]
#[case::no_dialect(b"tower 9\n".to_vec(), "no dialect recognises it (there are fathom, shingle)")]
fn a_switch_that_cannot_be_read_is_told_and_the_others_are_reported(#[case] bytes: Vec<u8>, #[case] why: &str) {
    let fleet = Fleet::demo();
    fleet.write(SWITCH, bytes);
    let ran = fleet.run(&["audit", "--format", "json"]);
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains(SWITCH) && ran.err.contains(why) && ran.err.contains("hint:"), "{}", ran.err);
    let report: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
    let unreadable = list(&report, "unreadable");
    assert_eq!((unreadable.len(), text(&unreadable[0], "file")), (1, SWITCH));
    assert!(text(&unreadable[0], "why").contains(why));
    assert_eq!(list(&report, "switches").len(), 10);
    assert!(!list(&report, "findings").is_empty());
}

#[test]
fn two_dialects_for_one_text_are_told_and_one_can_be_forced() {
    let fleet = Fleet::demo();
    fleet.write(
        "dialects/other.toml",
        fleet.read("dialects/shingle.toml").replace("name = \"shingle\"", "name = \"other\""),
    );
    let ran = fleet.run(&["audit"]);
    assert_eq!(ran.code, 2);
    assert!(
        ran.err.contains("several dialects recognise it: other, shingle") && ran.err.contains("--dialect"),
        "{}",
        ran.err
    );
    assert_eq!(fleet.run(&["audit", "--dialect", "dialects/other.toml"]).code, 1);
}

#[test]
fn control_characters_reach_no_terminal_and_no_report() {
    let fleet = Fleet::demo();
    fleet.edit(SWITCH, "ticket desk 3", "ticket desk \u{1b}]0;x\u{7}\u{9b}2J\u{202e}3").edit(
        SWITCH,
        "lane 110\n",
        "lane 110\nlan\u{1b}[2Jtern 3\n",
    );
    for format in ["text", "json", "jsonl"] {
        let ran = fleet.run(&["audit", "--format", format, "--raw"]);
        let bad = |c: char| c.is_control() && c != '\n' || c == '\u{202e}';
        assert!(!ran.out.contains(bad) && !ran.err.contains(bad), "{format}");
    }
    let read = fleet.run(&["read", SWITCH]);
    assert!(!read.out.contains('\u{1b}') && !read.err.contains('\u{1b}'));
}

#[test]
fn unread_lines_are_shown_as_shapes_unless_raw_is_asked_for() {
    let fleet = Fleet::demo();
    fleet.edit("northquay/nq-gates-1/config.txt", "whistle code \"three long\"", "whistle code \"hunter2\"");
    for words in [&["audit"][..], &["audit", "--format", "json"], &["read", "northquay/nq-gates-1/config.txt"]] {
        let ran = fleet.run(words);
        assert!(!ran.out.contains("hunter2") && !ran.err.contains("hunter2"), "{words:?}");
        let raw = fleet.run(&[words, &["--raw"]].concat());
        assert!(raw.out.contains("hunter2") || raw.err.contains("hunter2"), "{words:?} --raw");
    }
}

#[test]
fn reports_are_written_whole_in_place_of_what_was_there() {
    let fleet = Fleet::demo();
    fleet.write("old.json", "something else");
    let ran =
        fleet.run(&["audit", "--format", "text", "--write", "old.json", "--write", "new.txt", "--write", "new.jsonl"]);
    assert_eq!(fleet.read("new.txt"), ran.out);
    assert_eq!(fleet.read("old.json"), fleet.run(&["audit", "--format", "json"]).out);
    assert_eq!(fleet.read("new.jsonl"), fleet.run(&["audit", "--format", "jsonl"]).out);
    let left: Vec<_> = fs::read_dir(fleet.path()).unwrap().map(|e| e.unwrap().file_name()).collect();
    assert!(left.iter().all(|n| !n.to_string_lossy().starts_with('.')), "{left:?}");
}

#[test]
fn a_fleet_without_policy_is_judged_by_the_built_in_defaults_and_says_so() {
    let fleet = Fleet::demo();
    fs::remove_file(fleet.path().join("yellowlegs.toml")).unwrap();
    let report = fleet.report(&[".", "--as-of", "2031-03-04T06:30:00Z"]);
    assert!(list(&report, "remarks").iter().any(|r| text(r, "text").contains("built-in defaults")));
    let checks: Vec<&str> = list(&report, "findings").iter().map(|f| text(f, "check")).collect();
    assert!(checks.contains(&"port/mode-negotiated") && !checks.contains(&"port/mode-wrong"));
    assert!(list(&report, "undetermined").iter().any(|u| text(u, "check") == "port/mode-wrong"));
}

#[test]
fn filters_choose_what_is_reported_after_the_whole_fleet_was_judged() {
    let fleet = Fleet::demo();
    let whole = fleet.report(&[]);
    let some = fleet.report(&["--switch", "nq-desks-1", "--only", "port-security"]);
    let expected: Vec<_> = list(&whole, "findings")
        .iter()
        .filter(|f| text(f, "switch") == "nq-desks-1" && text(f, "check").starts_with("port-security/"))
        .collect();
    assert!(!expected.is_empty());
    assert_eq!(list(&some, "findings").iter().collect::<Vec<_>>(), expected);
    assert_eq!(some["summary"]["switches"], 1);
    let role = fleet.report(&["--role", "kiosk"]);
    assert!(list(&role, "findings").iter().all(|f| text(f, "role") == "kiosk") && role["summary"]["ports"] == 20);
    // One folder of the fleet, named as a path.
    let part = fleet.report(&["northquay/nq-gates-1"]);
    assert_eq!(
        (part["summary"]["switches"].as_u64(), text(&list(&part, "switches")[0], "switch")),
        (Some(1), "nq-gates-1")
    );
}

#[test]
fn a_record_is_judged_like_the_text_it_was_read_from() {
    let fleet = Fleet::demo();
    let before = fleet.report(&["--switch", "nq-gates-1"]);
    let record = fleet.run(&["read", "northquay/nq-gates-1", "-q"]);
    assert_eq!((record.code, record.err.as_str()), (0, ""));
    fs::remove_dir_all(fleet.path().join("northquay/nq-gates-1")).unwrap();
    fleet.write("switches/nq-gates-1.json", &record.out);
    let after = fleet.report(&["--switch", "nq-gates-1"]);
    let told = |report: &serde_json::Value| -> Vec<(String, String, serde_json::Value)> {
        let one =
            |f: &serde_json::Value| (text(f, "port").to_owned(), text(f, "check").to_owned(), f["evidence"].clone());
        list(report, "findings").iter().map(one).collect()
    };
    assert!(!told(&before).is_empty());
    assert_eq!(told(&before), told(&after));
    // Printed again, it is the same.
    assert_eq!(fleet.run(&["read", "switches/nq-gates-1.json", "-q"]).out, record.out);
}

#[rstest]
#[case::setting("\"port.mode\"", "\"port.mod\"", "did you mean `port.mode`?")]
#[case::value("\"value\": \"access\"", "\"value\": \"acess\"", "must be one of access, trunk, negotiated")]
#[case::version("\"record\": 1", "\"record\": 9", "record version 9 is not known")]
fn a_broken_record_is_told_with_its_line(#[case] from: &str, #[case] to: &str, #[case] told: &str) {
    let fleet = Fleet::demo();
    let record = fleet.run(&["read", "northquay/nq-gates-1/config.txt", "-q"]).out;
    fleet.write("switches/r.json", record.replacen(from, to, 1));
    let ran = fleet.run(&["audit"]);
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains("switches/r.json") && ran.err.contains(told) && ran.err.contains(" line "), "{}", ran.err);
}

#[test]
fn a_reader_that_goes_away_is_no_failure() {
    let mut child = std::process::Command::new(yellowlegs().get_program())
        .args(["audit", &support::demo_folder().display().to_string()])
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    drop(child.stdout.take());
    let ended = ran(child.wait_with_output().unwrap());
    assert!([0, 1].contains(&ended.code) && ended.err.is_empty(), "{} {}", ended.code, ended.err);
}

#[rstest]
#[case(&["--help"])]
#[case(&["audit", "--help"])]
#[case(&["checks", "--help"])]
#[case(&["port", "--help"])]
#[case(&["flaps", "--help"])]
#[case(&["gather", "--help"])]
#[case(&["stand-in", "--help"])]
#[case(&["compare", "--help"])]
#[case(&["read", "--help"])]
#[case(&["demo", "--help"])]
#[case(&["drill", "--help"])]
#[case(&["mend", "--help"])]
#[case(&["drill", "list"])]
#[case(&["completions", "--help"])]
#[case(&["man", "--help"])]
#[case(&["checks"])]
fn the_interface_is_pinned(#[case] words: &[&str]) {
    let ran = Fleet::empty().run(words);
    let name = words.join("-").replace("--help", "help").replace("--", "-");
    let file = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("tests/data/interface/{name}.txt"));
    if std::env::var_os("YELLOWLEGS_RENEW").is_some() {
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        fs::write(&file, &ran.out).unwrap();
    }
    let pinned = fs::read_to_string(&file).unwrap_or_default();
    assert_eq!(ran.out, pinned, "if this is meant, run the tests once with YELLOWLEGS_RENEW=1");
}
