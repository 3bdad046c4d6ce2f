//! `yellowlegs drill` on the demo: what gets through is what was planted; matrix, timeline, JSON, CSV; exit codes.

use std::collections::{BTreeMap, BTreeSet};

use crate::support::{Fleet, list, text};
use rstest::rstest;
use serde_json::Value;

fn drills(fleet: &Fleet, words: &[&str]) -> Value {
    let ran = fleet.run(&[&["drill", "--format", "json"], words].concat());
    serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e}: {}{}", ran.out, ran.err))
}

#[rstest]
#[case("nq-desks-1", "1.7", "negotiate", "let-through", "port.mode")]
#[case("nq-desks-1", "1.1", "negotiate", "held", "port.mode")]
#[case("nq-desks-1", "1.7", "desk-boot", "outage", "fast-start.mode")]
#[case("nq-desks-1", "1.7", "brought-bridge", "let-through", "guard.bpdu")]
#[case("nq-desks-1", "1.1", "brought-bridge", "held", "guard.bpdu")]
#[case("dp-desks-1", "1.1", "rogue-server", "let-through", "dhcp-snooping.enabled")]
#[case("nq-desks-1", "1.1", "rogue-server", "held", "dhcp-snooping.trusted")]
#[case("nq-desks-1", "1.3", "address-flood", "let-through", "port-security.enabled")]
#[case("nq-desks-1", "1.1", "address-flood", "held", "port-security.limit")]
#[case("nq-desks-1", "1.7", "rogue-router", "let-through", "ipv6-guard.advertisements-blocked")]
#[case("nq-gates-1", "1.13", "flapping-plug", "let-through", "flap.enabled")]
#[case("nq-desks-1", "1.16", "second-station", "undetermined", "")]
#[case("nq-desks-1", "1.1", "real-server", "held", "dhcp-snooping.trusted")]
#[case("sp-gates-1", "a:1", "real-server", "outage", "dhcp-snooping.trusted")]
#[case("nq-desks-1", "1.2", "phone-boot", "outage", "lldp.transmit")]
#[case("nq-desks-1", "1.24", "mirror-tap", "let-through", "mirror.sources")]
#[case("nq-core-1", "1.1", "one-way-fibre", "let-through", "unidirectional.interval")]
#[case("nq-desks-1", "1.1", "recovery", "told", "port-security.limit")]
fn planted_faults_show(
    #[case] switch: &str,
    #[case] port: &str,
    #[case] drill: &str,
    #[case] outcome: &str,
    #[case] setting: &str,
) {
    let told = drills(&Fleet::demo(), &[drill, "--switch", switch, "--port", port]);
    let all = list(&told, "drills");
    assert_eq!((all.len(), text(&all[0], "outcome")), (1, outcome), "{told}");
    assert_eq!(all[0]["deciding"]["setting"].as_str().unwrap_or_default(), setting);
    if outcome != "undetermined" {
        assert!(!list(&all[0]["deciding"], "evidence").is_empty());
    }
}

/// A drill that hangs on an unknown setting says what either value would do.
#[test]
fn what_nobody_knows_is_tried_both_ways() {
    let fleet = Fleet::demo();
    fleet.edit("dialects/shingle.toml", "{ bpdu = false, ", "{ ");
    let told = drills(&fleet, &["brought-bridge", "--switch", "nq-desks-1", "--port", "1.7"]);
    let one = &list(&told, "drills")[0];
    assert_eq!((text(one, "outcome"), text(one, "hangs_on")), ("undetermined", "guard.bpdu"), "{one}");
    let either: Vec<(&str, &str)> =
        list(one, "either").iter().map(|e| (text(e, "value"), text(e, "outcome"))).collect();
    assert_eq!(either, [("true", "held"), ("false", "let-through")]);
}

/// Ports that are alike are played once; each by itself comes to the same.
#[test]
fn every_member_of_a_class_agrees() {
    let fleet = Fleet::demo();
    let whole = drills(&fleet, &["--switch", "nq-desks-2"]);
    let mut seen = 0;
    for port in ["1.1", "1.12", "1.36", "1.44"] {
        let alone = drills(&fleet, &["--switch", "nq-desks-2", "--port", port]);
        assert_eq!(alone["classes"], 1);
        let of_port: Vec<&Value> = list(&whole, "drills").iter().filter(|d| text(d, "port") == port).collect();
        for (one, other) in of_port.iter().zip(list(&alone, "drills")) {
            assert_eq!(
                (&one["drill"], &one["outcome"], &one["seconds"]),
                (&other["drill"], &other["outcome"], &other["seconds"])
            );
            seen += 1;
        }
    }
    assert!(seen > 40 && whole["classes"].as_u64() < Some(30), "{seen} {}", whole["classes"]);
}

/// What a restart takes hangs on what was saved for the port, too: one that is alike in what runs is not in that.
#[test]
fn ports_that_are_saved_otherwise_are_played_by_themselves() {
    let fleet = Fleet::demo();
    let saved = fleet.read("northquay/nq-desks-2/saved.txt");
    fleet.write("northquay/nq-desks-2/saved.txt", format!("{saved}socket 1.9\n  gale broadcast 2%\n"));
    let told = drills(&fleet, &["restart", "--switch", "nq-desks-2"]);
    let unsaved = list(&told, "drills").iter().filter(|one| text(one, "says").contains("unsaved: storm.broadcast"));
    assert_eq!(unsaved.map(|one| text(one, "port")).collect::<Vec<_>>(), ["1.9"], "{told}");
}

/// In streams the first member of a VLAN has a part: the one behind it, alike in all that is asked, is not told what that one is.
#[test]
fn ports_are_told_apart_by_their_place_where_it_matters() {
    let fleet = Fleet::demo();
    std::fs::remove_file(fleet.path().join("northquay/nq-desks-2/tables.out")).unwrap();
    let told = drills(&fleet, &["stream-join", "--switch", "nq-desks-2"]);
    let says =
        |port: &str| list(&told, "drills").iter().find(|one| text(one, "port") == port).map(|one| text(one, "says"));
    assert_eq!(says("1.37"), Some("a stream that nobody joined comes here all the same"));
    assert_eq!(says("1.38"), Some("a stream that nobody joined goes to 1.37 as well, where nobody asked for it"));
}

#[rstest]
#[case::through(&["drill", "negotiate", "--switch", "nq-desks-1"], 1)]
#[case::held(&["drill", "negotiate", "--switch", "nq-desks-1", "--port", "1.1"], 0)]
#[case::open(&["drill", "negotiate", "--switch", "nq-desks-1", "--port", "1.16"], 3)]
#[case::nothing_to_play(&["drill", "negotiate", "--switch", "nq-core-1", "--port", "1.1"], 0)]
#[case::unknown(&["drill", "negotate"], 2)]
#[case::list(&["drill", "list"], 0)]
fn exit_codes(#[case] words: &[&str], #[case] code: i32) {
    let ran = Fleet::demo().run(words);
    assert_eq!(ran.code, code, "{}{}", ran.out, ran.err);
    if code == 2 {
        assert!(ran.err.contains("`negotate` is no drill") && ran.err.contains("negotiate"), "{}", ran.err);
    }
}

#[rstest]
#[case("text")]
#[case("json")]
#[case("csv")]
#[case("html")]
fn the_same_bytes_for_any_jobs(#[case] format: &str) {
    let fleet = Fleet::demo();
    let told = |jobs: &str| fleet.run(&["drill", "--format", format, "--jobs", jobs]).out;
    assert_eq!(told("1"), told("5"));
}

#[test]
fn matrix_and_timeline_say_what_the_json_says() {
    let fleet = Fleet::demo();
    let report = drills(&fleet, &[]);
    let through: BTreeSet<&str> = list(&report, "drills")
        .iter()
        .filter(|d| text(d, "outcome") == "let-through")
        .map(|d| text(d, "drill"))
        .collect();
    let matrix = fleet.run(&["drill"]).out;
    let said = matrix.split("What gets through").nth(1).and_then(|t| t.split("\n\n").next()).unwrap();
    for drill in &through {
        let count = list(&report, "drills")
            .iter()
            .filter(|d| text(d, "outcome") == "let-through" && text(d, "drill") == *drill)
            .count();
        assert!(said.contains(&format!(" {drill}  on {count} port")), "{drill} {count}: {said}");
    }
    assert!(matrix.lines().all(|line| line.chars().count() <= 100));
    // The worst switches, worst first; the page has all of them in that order.
    let mut worst: BTreeMap<&str, [usize; 2]> = BTreeMap::new();
    for (number, outcome) in ["let-through", "outage"].into_iter().enumerate() {
        for told in list(&report, "drills").iter().filter(|told| text(told, "outcome") == outcome) {
            worst.entry(text(told, "switch")).or_default()[number] += 1;
        }
    }
    let mut worst: Vec<(&str, [usize; 2])> = worst.into_iter().collect();
    worst.sort_by_key(|(_, holes)| std::cmp::Reverse(*holes));
    let lines = worst
        .iter()
        .take(5)
        .map(|(s, [through, broken])| format!("   {s}: {through} drills let through, {broken} broken"));
    let lines: Vec<String> = lines.collect();
    assert!(matrix.contains(&format!("Worst first\n{}\n\n", lines.join("\n"))), "{lines:?}: {matrix}");
    let page = fleet.run(&["drill", "--format", "html"]).out;
    let sections: Vec<&str> =
        page.split("<section class=\"switch\"><h2>").skip(1).filter_map(|s| s.split('<').next()).collect();
    assert_eq!(sections[..worst.len()], worst.iter().map(|(switch, _)| *switch).collect::<Vec<_>>());
    let story = fleet.run(&["drill", "brought-bridge", "--switch", "nq-desks-1", "--port", "1.1", "--timeline"]).out;
    let mirror = fleet.run(&["drill", "mirror-tap", "--switch", "nq-desks-1", "--port", "1.24", "--timeline"]).out;
    assert!(
        mirror.contains("mirror 2 copies") && mirror.contains("shows 1.23,1.24 both"),
        "of two mirrors its own: {mirror}"
    );
    for words in
        ["0.000 s  link up", "is held down", "guard.bpdu is true", "northquay/nq-desks-1/config.txt:", "comes back"]
    {
        assert!(story.contains(words), "`{words}` is not in {story}");
    }
    let rows = fleet.run(&["drill", "--format", "csv"]).out;
    assert_eq!(rows.lines().count(), list(&report, "drills").len() + 1);
}

/// `audit --with-drills`: what a finding lets happen stands beside it, on as many ports as it does.
#[test]
fn findings_say_what_they_let_happen() {
    let fleet = Fleet::demo();
    let report = fleet.report(&["--with-drills"]);
    let drill = |switch: &str, port: Option<&str>, check: &str| {
        let here = |f: &&Value| text(f, "switch") == switch && f["port"].as_str() == port && text(f, "check") == check;
        list(&report, "findings").iter().find(here).map(|f| f["drill"].clone()).unwrap()
    };
    let off = drill("dp-desks-1", None, "dhcp-snooping/off");
    assert_eq!(
        (text(&off, "drill"), text(&off, "outcome"), off["ports"].as_u64()),
        ("rogue-server", "let-through", Some(8))
    );
    let all = drills(&fleet, &["rogue-server", "--switch", "dp-desks-1"]);
    assert_eq!(list(&all, "drills").iter().filter(|d| text(d, "outcome") == "let-through").count(), 8);
    assert_eq!(text(&drill("nq-desks-1", Some("1.7"), "fast-start/missing"), "drill"), "brought-bridge");
    assert!(drill("dp-desks-1", Some("1.4"), "voice/power-off").is_null(), "no drill answers for it");
    assert!(!fleet.run(&["audit", "--format", "json"]).out.contains("\"drill\":"), "only when asked for");
    for (format, words) in [
        ("text", "rogue-server let-through: the answer of a rogue server gets in (on 8 ports"),
        ("html", "class=\"m drill\""),
    ] {
        assert!(fleet.run(&["audit", "--with-drills", "--format", format]).out.contains(words), "{format}");
    }
}

/// Beside the finding of a port stands what a drill comes to on that port, not on another one.
#[test]
fn what_is_said_beside_a_finding_is_of_its_own_port() {
    let fleet = Fleet::demo();
    let report = fleet.report(&["--with-drills"]);
    let all = drills(&fleet, &[]);
    let mut seen = 0;
    for finding in list(&report, "findings").iter().filter(|f| f["port"].is_string() && f["drill"].is_object()) {
        let (told, at) = (&finding["drill"], (text(finding, "switch"), text(finding, "port")));
        let here = |d: &&Value| (text(d, "switch"), text(d, "port")) == at && text(d, "drill") == text(told, "drill");
        let played = list(&all, "drills").iter().find(here).unwrap_or_else(|| panic!("{at:?} {told}"));
        assert_eq!(
            (text(told, "outcome"), text(told, "says")),
            (text(played, "outcome"), text(played, "says")),
            "{at:?}"
        );
        assert_eq!(told["ports"].as_u64(), Some(1), "{at:?}");
        seen += 1;
    }
    assert!(seen > 40, "{seen}");
}

/// A drill of one's own: what is written comes, or does not.
const OWN: &str = r#"
[drill]
name = "a second machine"
switch = "nq-desks-1"
[stations]
desk = "02:00:5e:00:00:11"
stranger = "strange 02:00:5e:00:00:99"
[[step]]
port = "1.1"
link = "up"
port-is = "forwarding"
[[step]]
at = "3s"
port = "1.1"
from = "desk"
send = "dhcp-discover"
expect = "let-in"
heard-on = ["1.27"]
not-heard-on = ["1.2"]
[[step]]
at = "10s"
port = "1.1"
from = "stranger"
send = "dhcp-offer"
expect = "stopped"
by = "DHCP snooping"
[[step]]
at = "20s"
port = "1.1"
from = "stranger"
send = "bpdu"
port-is = "held"
cause = "bpdu-guard"
"#;

#[rstest]
#[case::met("", "", 0, "met      at 20 s: held by bpdu-guard")]
#[case::not_met("port-is = \"held\"", "port-is = \"forwarding\"", 1, "not met  at 20 s: forwarding; came: held")]
#[case::word("link = \"up\"", "link = \"upp\"", 2, "own.toml:10:8: `link` cannot be `upp`")]
#[case::frame("\"bpdu\"", "\"bdpu\"", 2, "hint: did you mean `bpdu`?")]
#[case::key("by = ", "bye = ", 2, "own.toml:26:1: unknown key `bye`")]
#[case::time("\"10s\"", "\"soon\"", 2, "`soon` is no time")]
#[case::order("\"10s\"", "\"1s\"", 2, "this step is at 1 s, before the one above it")]
#[case::station("from = \"desk\"", "from = \"dsk\"", 2, "`dsk` is no station")]
#[case::no_port("port = \"1.1\"\nlink", "port = \"9.9\"\nlink", 2, "switch nq-desks-1 has no port `9.9`")]
#[case::no_switch("\"nq-desks-1\"", "\"nq-desk-1\"", 2, "hint: did you mean `nq-desks-1`?")]
#[case::nothing_sent(
    "port-is = \"forwarding\"",
    "expect = \"let-in\"",
    2,
    "`expect` is expected of a frame, and this step sends none"
)]
#[case::idle("link = \"up\"\nport-is = \"forwarding\"", "", 2, "this step does nothing and expects nothing")]
#[case::twice("link = \"up\"", "link = \"up\"\nrestart = true", 2, "this step does more than one thing: link, restart")]
#[case::no_steps(OWN, "[drill]\nname = \"none\"\n", 2, "there is no [[step]]")]
fn own_drills(#[case] from: &str, #[case] to: &str, #[case] code: i32, #[case] words: &str) {
    let fleet = Fleet::demo();
    fleet.write("own.toml", OWN.replacen(from, to, 1));
    let ran = fleet.run(&["drill", "--file", fleet.path().join("own.toml").to_str().unwrap()]);
    assert_eq!(ran.code, code, "{}{}", ran.out, ran.err);
    assert!(ran.out.contains(words) || ran.err.contains(words), "{}{}", ran.out, ran.err);
}

/// What nobody knows leaves an expectation open, and all that come after it.
#[test]
fn own_drills_hang_on_what_nobody_knows() {
    let fleet = Fleet::demo();
    fleet.edit("dialects/shingle.toml", "    { enabled = true, mode", "    { mode");
    fleet.write("own.toml", OWN);
    let ran = fleet.run(&["drill", "--format", "json", "--file", fleet.path().join("own.toml").to_str().unwrap()]);
    let told: Value = serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e}: {}{}", ran.out, ran.err));
    let open = list(&told, "expectations").iter().filter(|one| text(one, "verdict") == "open").count();
    assert_eq!((ran.code, open), (3, 8), "{told}");
    assert!(ran.out.contains("it hangs on port.enabled, which nobody knows"), "{told}");
}

/// The examples of the guide come true on the demo.
#[test]
fn own_drills_of_the_guide() {
    let guide = include_str!("../../../docs/drills.md");
    let examples: Vec<&str> = guide.split("```toml\n").skip(1).filter_map(|rest| rest.split("```").next()).collect();
    assert!(examples.len() > 1, "{}", examples.len());
    let fleet = Fleet::demo();
    for example in examples {
        fleet.write("own.toml", example);
        let ran = fleet.run(&["drill", "--file", fleet.path().join("own.toml").to_str().unwrap()]);
        assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
    }
}

/// What hangs on who is heard there is told of that port alone, and not of those that are configured like it.
#[test]
fn two_receivers_are_where_two_are_heard() {
    let fleet = Fleet::demo();
    let ran = fleet.run(&["drill", "two-receivers", "--switch", "sp-hall-1", "--format", "json"]);
    let report: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
    let played: Vec<&str> = list(&report, "drills").iter().map(|one| text(one, "port")).collect();
    let record: serde_json::Value = serde_json::from_str(&fleet.run(&["read", "saltpan/sp-hall-1", "-q"]).out).unwrap();
    let mut heard: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::default();
    for fact in list(&record, "facts").iter().filter(|fact| text(fact, "fact") == "station") {
        heard.entry(text(&fact["fields"], "port")).or_default().insert(text(&fact["fields"], "address"));
    }
    assert!(!played.is_empty());
    assert!(
        played.iter().all(|port| heard.get(port).is_some_and(|stations| stations.len() > 1)),
        "{played:?} {heard:?}"
    );
}
