//! `gather` and `stand-in`: the demo's switches are played, gathered, and judged as their files are.

#![cfg(feature = "gather")]
#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may touch files")]

use std::collections::BTreeSet;
use std::io::{BufRead as _, BufReader};
use std::path::Path;
use std::process::{Child, Stdio};

use crate::support::{self, Fleet, Ran, ran, yellowlegs};
use rstest::rstest;

/// A fleet that is played, and the folder to gather it into.
struct Lab {
    fleet: Fleet,
    lab: String,
    word: String,
    child: Child,
}

impl Lab {
    fn of(fleet: Fleet, faults: &[&str]) -> Self {
        let faults: Vec<&str> = faults.iter().flat_map(|fault| ["--fault", fault]).collect();
        Self::with(fleet, &faults)
    }

    fn with(fleet: Fleet, words: &[&str]) -> Self {
        let lab = format!("{}-lab", fleet.path().display());
        let mut command = std::process::Command::new(assert_cmd::cargo::cargo_bin!("yellowlegs"));
        command.arg("stand-in").arg(fleet.path()).args(["--lab", &lab, "--color", "never"]);
        command.args(words);
        let mut child = command.stdout(Stdio::piped()).spawn().unwrap();
        let mut word = String::new();
        for line in BufReader::new(child.stdout.take().unwrap()).lines() {
            let line = line.unwrap();
            if let Some((_, rest)) = line.split_once("YELLOWLEGS_LAB_WORD=") {
                rest.split(' ').next().unwrap().clone_into(&mut word);
                break;
            }
        }
        assert_ne!(word, "");
        Self { fleet, lab, word, child }
    }

    fn path(&self, file: &str) -> String {
        format!("{}/{file}", self.lab)
    }

    fn gather(&self, words: &[&str]) -> Ran {
        let mut command = yellowlegs();
        command.env("YELLOWLEGS_LAB_WORD", &self.word).args(["gather", &self.lab]).args(words);
        ran(command.output().unwrap())
    }

    fn read(&self, file: &str) -> String {
        std::fs::read_to_string(self.path(file)).unwrap()
    }
}

impl Drop for Lab {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
        let _ = std::fs::remove_dir_all(&self.lab);
    }
}

fn audited(folder: &str) -> serde_json::Value {
    let ran = ran(yellowlegs().args(["audit", folder, "--format", "json"]).output().unwrap());
    serde_json::from_str(&ran.out).unwrap()
}

/// What a report finds, but for how it is proved: check, switch, port and VLAN. One file of the demo ends in the middle of a line; a switch ends
/// its lines.
fn found(report: &serde_json::Value) -> BTreeSet<String> {
    let all = support::list(report, "findings").iter().chain(support::list(report, "fleet_findings"));
    let place = |f: &serde_json::Value| format!("{} {} {} {}", f["check"], f["switch"], f["port"], f["vlan"]);
    all.filter(|finding| finding["check"] != "config/torn").map(place).collect()
}

/// The agents tell what is in force: beside the texts nothing is found that was not, and nothing contradicts.
#[test]
fn both_ways_are_judged_as_the_files_are() {
    let lab = Lab::of(Fleet::demo(), &[]);
    let gathered = lab.gather(&[]);
    assert_eq!(gathered.code, 0, "{}", gathered.err);
    assert!(gathered.out.contains("agent.walk 744 lines"), "{}", gathered.out);
    let (files, came) = (audited(&lab.fleet.path().display().to_string()), audited(&lab.lab));
    assert_eq!(found(&files), found(&came));
    assert_eq!(files["remarks"], came["remarks"]);
    assert_eq!(files["unread"], came["unread"]);
    // What a default would have been supposed is told now.
    assert!(came["summary"]["undetermined"].as_u64() <= files["summary"]["undetermined"].as_u64());
}

/// Nothing is known of a switch but its walk: a port whose files are right is right by it, and the rest is open. What is wrong may be seen from
/// another side: a voice VLAN that is the untagged one is none among the members.
#[test]
fn a_walk_alone_finds_nothing_where_all_is_well() {
    let lab = Lab::with(Fleet::demo(), &["--way", "snmp"]);
    let gathered = lab.gather(&[]);
    assert_eq!(gathered.code, 0, "{}", gathered.err);
    let (files, came) = (audited(&lab.fleet.path().display().to_string()), audited(&lab.lab));
    let both: BTreeSet<String> = found(&files);
    let place = |found: &String| found.split(' ').skip(1).take(2).collect::<Vec<_>>().join(" ");
    let wrong: BTreeSet<String> = both.iter().map(place).collect();
    let right: Vec<String> = found(&came).into_iter().filter(|found| !wrong.contains(&place(found))).collect();
    assert_eq!(right, Vec::<String>::new());
    assert!(found(&came).intersection(&both).count() > 25, "{}", found(&came).intersection(&both).count());
    let rows = support::list(&came, "switches");
    assert!(rows.iter().all(|row| row["walk"] == true && row["unread_lines"] == 0), "{rows:?}");
    let open = came["summary"]["undetermined"].as_u64();
    assert!(open > files["summary"]["undetermined"].as_u64(), "{open:?}");
    let told = support::list(&came, "remarks")
        .iter()
        .filter(|r| r["text"].as_str().unwrap().contains("known by their walks alone"));
    assert_eq!(told.count(), 1);
    let port = ran(yellowlegs().args(["port", "nq-desks-1", "1.1", "--fleet", &lab.lab]).output().unwrap());
    assert!(port.out.contains("dot1qPvid") || port.out.contains("agent.walk"), "{}", port.out);
}

/// A walk that somebody else made, in the form of numeric text: read by itself, in a switch's folder, and beside state but without a configuration.
#[test]
fn walks_of_others() {
    const WALK: &str = ".1.3.6.1.2.1.1.5.0 = STRING: \"attic\"\n.1.3.6.1.2.1.2.2.1.2.7 = STRING: berth 7\n\
        .1.3.6.1.2.1.2.2.1.3.7 = INTEGER: ethernetCsmacd(6)\n.1.3.6.1.2.1.2.2.1.7.7 = INTEGER: down(2)\n";
    let fleet = Fleet::demo();
    fleet.write("attic/others.walk", WALK);
    let read = fleet.run(&["read", "attic/others.walk"]);
    assert_eq!(read.code, 0, "{}", read.err);
    let record: serde_json::Value = serde_json::from_str(&read.out).unwrap();
    assert_eq!(record["ports"][0]["port"], "berth 7");
    let audit = fleet.run(&["audit", "attic", "--format", "json"]);
    let report: serde_json::Value = serde_json::from_str(&audit.out).unwrap();
    assert_eq!(
        (report["switches"][0]["switch"].as_str(), report["switches"][0]["ports"].as_u64()),
        (Some("attic"), Some(1))
    );
    // What the tree makes of a port stands on its page.
    let tree = ".1.3.6.1.2.1.17.1.4.1.2.3 = INTEGER: 7\n.1.3.6.1.2.1.17.2.7.0 = INTEGER: 3\n.1.3.6.1.2.1.17.2.15.1.3.3 = INTEGER: blocking(2)\n";
    fleet.write("attic/others.walk", format!("{WALK}{tree}"));
    let page = fleet.run(&["port", "attic", "berth 7"]);
    assert!(
        page.out.contains("  spanning tree: blocking, leads to the root\n    attic/others.walk:7  "),
        "{}",
        page.out
    );
    // Where other files are there, the configuration is missing.
    fleet.write("attic/tables.out", "");
    let missing = fleet.run(&["audit", "attic"]);
    assert!(missing.code == 2 && missing.err.contains("none matches `running`"), "{}", missing.err);
    // Names in the place of numbers.
    std::fs::remove_file(fleet.path().join("attic/tables.out")).unwrap();
    fleet.write("attic/others.walk", "SNMPv2-MIB::sysName.0 = STRING: attic\n");
    let named = fleet.run(&["audit", "attic"]);
    assert!(named.code == 2 && named.err.contains("names are not read, numbers are"), "{}", named.err);
}

/// What an audit would not find is not gathered.
#[test]
fn a_policy_that_passes_over_walks() {
    let fleet = Fleet::demo();
    fleet.edit("yellowlegs.toml", "[files]", "[files]\nwalk = [\"*.snmp\"]");
    let lab = format!("{}-lab", fleet.path().display());
    let ran = fleet.run(&["stand-in", ".", "--lab", &lab, "--gather", "--switch", "sp-*"]);
    std::fs::remove_dir_all(&lab).unwrap();
    assert!(ran.code == 2 && ran.err.contains("[files] walk (*.snmp) does not fit agent.walk"), "{}", ran.err);
}

#[test]
fn what_is_gathered_is_judged_as_the_files_are() {
    let lab = Lab::with(Fleet::demo(), &["--way", "ssh"]);
    let gathered = lab.gather(&[]);
    assert_eq!(gathered.code, 0, "{}", gathered.err);
    assert!(gathered.out.contains("11 of 11 switches gathered into "), "{}", gathered.out);
    let (files, came) = (audited(&lab.fleet.path().display().to_string()), audited(&lab.lab));
    // One file of the demo ends in the middle of a line; a switch ends its lines.
    let judged = |report: &serde_json::Value| -> BTreeSet<String> {
        let all = support::list(report, "findings").iter().filter(|finding| finding["check"] != "config/torn");
        all.map(ToString::to_string).collect()
    };
    let (files, came) = (judged(&files), judged(&came));
    assert!(files.len() > 200);
    assert_eq!(files.symmetric_difference(&came).collect::<Vec<_>>(), Vec::<&String>::new());
}

#[test]
fn a_switch_that_fails_keeps_what_it_had_and_the_others_come() {
    let lab = Lab::of(Fleet::demo(), &["nq-desks-1=stops", "sp-hall-1=lost-pages", "sp-core-1=wrong-password"]);
    let kept = lab.path("northquay/nq-desks-1");
    std::fs::create_dir_all(&kept).unwrap();
    std::fs::write(format!("{kept}/config.txt"), "# of last week\n").unwrap();
    let entries = lab.read("switches.toml");
    std::fs::write(lab.path("switches.toml"), entries.replace("[defaults]\n", "[defaults]\ntries = 1\n")).unwrap();
    let gathered = lab.gather(&[]);
    assert_eq!(gathered.code, 2);
    for line in [
        "nq-desks-1   failed at `tell all`: the connection ended in the middle",
        "sp-core-1    failed at log in: auditor is refused: its password",
        "8 of 11 switches gathered into",
    ] {
        assert!(gathered.out.contains(line), "{line}\n{}", gathered.out);
    }
    assert!(gathered.out.contains("sp-hall-1    failed at `chart laid`: asked twice, because it came in pages"));
    assert_eq!(lab.read("northquay/nq-desks-1/config.txt"), "# of last week\n");
    assert!(!Path::new(&lab.path("saltpan/sp-core-1")).exists());
}

#[test]
fn snapshots_are_what_compare_takes() {
    let lab = Lab::of(Fleet::demo(), &[]);
    let snapshots = tempfile::tempdir().unwrap();
    let at = |name: &str| snapshots.path().join(name).display().to_string();
    for name in ["before", "after"] {
        let gathered = lab.gather(&["--switch", "nq-desks-*", "--into", &at(name)]);
        assert_eq!(gathered.code, 0, "{}{}", gathered.out, gathered.err);
        assert!(gathered.out.contains("2 of 2 switches"), "{}", gathered.out);
    }
    assert!(!Path::new(&lab.path("northquay")).exists());
    let compared = || ran(yellowlegs().args(["compare", &at("before"), &at("after")]).output().unwrap());
    let same = compared();
    assert_eq!(same.code, 0, "{}", same.err);
    let file = format!("{}/northquay/nq-desks-1/config.txt", at("after"));
    let text = std::fs::read_to_string(&file).unwrap();
    std::fs::write(&file, text.replace("crowd watch", "without crowd watch")).unwrap();
    assert_eq!(compared().code, 1);
    let inside = lab.gather(&["--into", &lab.path("before")]);
    assert!(inside.code == 2 && inside.err.contains("it lies within the fleet"), "{}", inside.err);
    assert!(!Path::new(&lab.path("before")).exists());
}

#[test]
fn one_command_plays_and_gathers() {
    let fleet = Fleet::demo();
    let lab = format!("{}-lab", fleet.path().display());
    let ran =
        fleet.run(&["stand-in", ".", "--lab", &lab, "--gather", "--fault", "sp-core-1=notice", "--switch", "sp-*"]);
    let came = std::fs::read_to_string(format!("{lab}/saltpan/sp-hall-1/config.txt"));
    std::fs::remove_dir_all(&lab).unwrap();
    assert_eq!(ran.code, 2, "{}", ran.err);
    assert!(
        ran.out.contains("sp-core-1   failed at recognise: what came for config.txt is not in Fathom"),
        "{}",
        ran.out
    );
    assert!(ran.out.contains("3 of 4 switches gathered into "), "{}", ran.out);
    assert_eq!(came.unwrap(), fleet.read("saltpan/sp-hall-1/config.txt"));
    let faults = fleet.run(&["stand-in", "--faults"]);
    assert_eq!((faults.code, faults.out.lines().count()), (0, 12));
}

/// What a stand-in cannot give is told: a switch without a configuration, a file that no command asks for.
#[test]
fn what_is_not_played_is_told() {
    let fleet = Fleet::demo();
    let log = "    { send = \"chart log\", file = \"events.log\", optional = true },\n";
    fleet.edit("dialects/fathom.toml", log, "");
    std::fs::remove_file(fleet.path().join("saltpan/sp-gates-1/config.txt")).unwrap();
    let lab = format!("{}-lab", fleet.path().display());
    let ran = fleet.run(&["stand-in", ".", "--lab", &lab, "--gather", "--switch", "sp-*"]);
    std::fs::remove_dir_all(&lab).unwrap();
    assert_eq!(ran.code, 0, "{}", ran.err);
    assert!(ran.err.contains("sp-hall-1: no command of the [session] gives events.log"), "{}", ran.err);
    assert!(ran.err.contains("saltpan/sp-gates-1"), "{}", ran.err);
    assert!(ran.out.contains("3 of 3 switches"), "{}", ran.out);
}

/// The word of the account is in nothing that is told or written, whatever goes wrong.
#[test]
fn the_word_is_in_no_output_and_no_file() {
    let lab = Lab::of(Fleet::demo(), &["wrong-password"]);
    let refused = lab.gather(&["-v"]);
    drop(lab);
    let lab = Lab::of(Fleet::demo(), &["nq-core-1=hangs", "nq-desks-1=garbage", "sp-core-1=stops", "dp-quay-1=notice"]);
    let entries = lab.read("switches.toml");
    let hasty = entries.replace("[defaults]\n", "[defaults]\ntries = 1\nsilent-at-most = \"1s\"\n");
    std::fs::write(lab.path("switches.toml"), hasty).unwrap();
    let failed = lab.gather(&["-v"]);
    for ran in [&refused, &failed] {
        assert_eq!(ran.code, 2);
        assert!(!ran.out.contains(&lab.word) && !ran.err.contains(&lab.word));
    }
    for file in
        walkdir::WalkDir::new(&lab.lab).into_iter().map(Result::unwrap).filter(|file| file.file_type().is_file())
    {
        let bytes = std::fs::read(file.path()).unwrap();
        assert!(!String::from_utf8_lossy(&bytes).contains(&lab.word), "{}", file.path().display());
    }
}

#[rstest]
#[case("port = 0", "switches.toml:3:8: `port` is 1 to 65535, not 0")]
#[case("password = \"x\"", "a secret never stands in this file")]
#[case("credential = { agent = true, prompt = true }", "a credential is one of")]
#[case("credential = { password = \"x\" }", "a secret never stands in this file")]
#[case("older-algorithms = [\"rot13\"]", "`rot13` is no algorithm that can be asked for")]
#[case("silent-at-most = \"2 ages\"", "is a time from 1 second to 1 hour")]
#[case("portt = 22", "unknown key `portt`")]
#[case("ways = [\"telegraph\"]", "`telegraph` is no way to ask a switch")]
#[case("ways = []", "`pier` has no `ways`")]
#[case("ways = [\"snmp\"]", "`pier` has no `snmp.authentication`")]
#[case(
    "ways = [\"snmp\"]\nsnmp = { authentication = { key = \"x\" } }",
    "`authentication` is a word: an agent of a switch knows no keys"
)]
#[case("snmp = { community = \"x\" }", "a secret never stands in this file")]
#[case("snmp = { password = \"x\" }", "a secret never stands in this file")]
#[case(
    "snmp = { community = { prompt = true }, hash = \"sha1\" }",
    "`community` is of version 2c, `hash` of version 3"
)]
#[case("snmp = { hash = \"rot13\" }", "`hash` cannot be `rot13`")]
#[case("snmp = { cipher = \"rot13\" }", "`cipher` cannot be `rot13`")]
#[case("snmp = { port = 70000 }", "`port` is 1 to 65535, not 70000")]
#[case("folder = \"../elsewhere\"", "is no folder below the fleet's root")]
#[case("dialect = \"shingel\"", "pier speaks no dialect `shingel`")]
fn mistakes_in_the_entries(#[case] line: &str, #[case] told: &str) {
    let fleet = Fleet::demo();
    let head = "[[switch]]\nname = \"pier\"\n";
    let rest = [
        ("address", "\"192.0.2.1\""),
        ("user", "\"a\""),
        ("dialect", "\"shingle\""),
        ("credential", "{ agent = true }"),
    ];
    let mut text = format!("{head}{line}\n");
    for (key, value) in rest.iter().filter(|(key, _)| !line.starts_with(key)) {
        text.extend([key, " = ", value, "\n"]);
    }
    fleet.write("switches.toml", text);
    let ran = fleet.run(&["gather", "."]);
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains(told), "{}", ran.err);
    assert!(!ran.err.contains("\"x\""), "{}", ran.err);
}

#[test]
fn entries_from_a_list_are_read_as_they_stand() {
    let fleet = Fleet::demo();
    fleet.write(
        "list.csv",
        "name,address,port,folder\npier-1,192.0.2.1,,\n\"a \"\"b\"\"\",host.example.org,2222,quay/ab\n",
    );
    let ran = fleet.run(&["gather", "new", "list.csv", "--dialect", "shingle", "--user", "auditor"]);
    assert_eq!(ran.code, 0, "{}", ran.err);
    let expected = "\n[[switch]]\nname = \"pier-1\"\naddress = \"192.0.2.1\"\n\n[[switch]]\nname = \"a \\\"b\\\"\"\naddress = \"host.example.org\"\nport = 2222\nfolder = \"quay/ab\"\n";
    assert!(ran.out.ends_with(expected), "{}", ran.out);
    let bad = fleet.write("list.csv", "name,adress\nx,y\n").run(&["gather", "new", "list.csv"]);
    assert_eq!(bad.code, 2);
    assert!(bad.err.contains("list.csv") && bad.err.contains("adress"), "{}", bad.err);
    let open = fleet.write("list.csv", "name,address\nx,y\n").run(&["gather", "new", "list.csv", "--user", "a"]);
    assert!(open.err.contains("`x` has no `dialect`"), "{}", open.err);
}

#[test]
fn what_stands_in_needs_a_free_folder_and_a_fault_that_is() {
    let fleet = Fleet::demo();
    let path = fleet.path().display().to_string();
    let there = ran(yellowlegs().args(["stand-in", &path, "--lab", &path]).output().unwrap());
    assert!(there.code == 2 && there.err.contains("it is there already"), "{}", there.err);
    let lab = format!("{path}-none");
    for (fault, told) in [("stopps", "did you mean `stops`?"), ("nq-desk-1=stops", "did you mean `nq-desks-1`?")] {
        let ran = ran(yellowlegs().args(["stand-in", &path, "--lab", &lab, "--fault", fault]).output().unwrap());
        assert!(ran.code == 2 && ran.err.contains(told), "{}", ran.err);
        assert!(!Path::new(&lab).exists());
    }
}
