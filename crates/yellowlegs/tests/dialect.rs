//! `yellowlegs dialect`: settings, test, explain and sketch, by the built program.

use crate::support::{Fleet, list};
use rstest::rstest;

const SHINGLE: &str = "dialects/shingle.toml";

#[rstest]
#[case("shingle")]
#[case("fathom")]
fn the_examples_of_the_shipped_dialects_come_out(#[case] name: &str) {
    let ran = Fleet::demo().run(&["dialect", "test", &format!("dialects/{name}.toml")]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""), "{}", ran.out);
    assert!(ran.out.contains("2 examples") && ran.out.contains("all as expected"), "{}", ran.out);
    // Nothing that a check needs is left open by them, but what the transceiver tells.
    let open: Vec<&str> = ran.out.lines().filter(|l| l.contains("[defaults]") || l.contains("gives it")).collect();
    assert!(open.iter().all(|line| line.contains("port.media")), "{}", ran.out);
}

#[rstest]
#[case::value("\"1.1 port-security.limit\" = 3", "\"1.1 port-security.limit\" = 4", &["1.1 port-security.limit", "expected 4", "got      3 (range)", "by line 10 of the example: crowd ceiling 3 then report", "dialects/shingle.toml:"])]
#[case::port("\"1.4 port.tagged-vlans\"", "\"1.9 port.tagged-vlans\"", &["no port 1.9; there are 1.1, 1.2, 1.3, 1.4"])]
#[case::setting("\"1.4 port.tagged-vlans\"", "\"1.4 port.taged-vlans\"", &["nothing that can be read"])]
#[case::unread("lane 110\ndhcp", "lane 110\nlantern 5\ndhcp", &["lines not understood", "expected 0", "got      1", "lantern 5"])]
#[case::fact("vlan = 110, port = \"1.1\", kind", "vlan = 111, port = \"1.1\", kind", &["station", "expected address=02:00:5e:10:00:01 vlan=111", "nearest is address=02:00:5e:10:00:01 vlan=110"])]
fn an_example_that_fails_shows_expected_got_and_the_line(#[case] from: &str, #[case] to: &str, #[case] told: &[&str]) {
    let fleet = Fleet::demo();
    fleet.edit(SHINGLE, from, to);
    let ran = fleet.run(&["dialect", "test", SHINGLE]);
    assert_eq!(ran.code, 1, "{}{}", ran.out, ran.err);
    for words in told {
        assert!(ran.out.contains(words), "`{words}` is not in {}", ran.out);
    }
}

#[test]
fn facts_that_checks_will_miss_are_listed_and_the_audit_says_so_once() {
    let fleet = Fleet::demo();
    fleet.edit(SHINGLE, "{ enabled = false, limit = 1, action", "{ enabled = false, action").edit(
        SHINGLE,
        "stations-counted = \"per-station-and-vlan\"\n",
        "",
    );
    let ran = fleet.run(&["dialect", "test", SHINGLE]);
    assert!(ran.out.contains("port-security.limit no [defaults] value where the text is silent"), "{}", ran.out);
    let text = fleet
        .read(SHINGLE)
        .replace("\"roaming lane\" = \"port.dynamic-vlan\"\n", "\"roaming lane\" = {}\n")
        .replace("dynamic-vlan = false, ", "");
    fleet.write(SHINGLE, text);
    let audit = fleet.run(&["audit", "--switch", "nq-*"]);
    let remark = "neither a rule nor a default gives port.dynamic-vlan; undetermined by that: port/dynamic-uplink";
    let words: Vec<&str> = audit.out.split_whitespace().collect();
    assert_eq!(words.join(" ").matches(remark).count(), 1, "{}{}", audit.out, audit.err);
}

const YOUNG: &str = "[dialect]\nname = 'young'\n[ports]\nnames = ['p<n>']\n[recognise]\nlines = ['berth <x:ports>']\n\
                     [[rule]]\npattern = 'berth <p:ports>'\ndeclares = '<p>'\n";

/// A dialect that gives next to nothing: what it lacks is told by feature, and once.
#[test]
fn a_young_dialect_is_told_by_feature_what_to_begin_with() {
    let fleet = Fleet::empty();
    fleet
        .write("yellowlegs.toml", "")
        .write("dialects/young.toml", YOUNG)
        .write("sw1/config.txt", "berth p1\nberth p2\n");
    let test = fleet.run(&["dialect", "test", "dialects/young.toml"]);
    let lines: Vec<&str> = test.out.lines().collect();
    assert_eq!(lines[0], "Without these facts checks stay undetermined:");
    assert!(
        lines[1].starts_with("  port            opens 21 checks, has a part in 23: enabled, mode, access-vlan"),
        "{}",
        test.out
    );
    assert!(test.out.contains("first: port: a rule for its lines") && lines.len() < 60, "{}", test.out);
    // Each feature opens as many as follow, most first.
    let opens: Vec<usize> = lines
        .iter()
        .take_while(|line| !line.contains("first:"))
        .filter_map(|line| line.split_once(" opens ")?.1.split(' ').next()?.parse().ok())
        .collect();
    assert!(opens.len() > 10 && opens.is_sorted_by(|a, b| a >= b), "{opens:?}");
    let each = fleet.run(&["dialect", "test", "dialects/young.toml", "-v"]).out;
    assert!(each.contains("port.mode neither a rule nor a default gives it") && each.contains("guard/storm-missing"));
    let audit = fleet.run(&["audit"]);
    let words = audit.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert_eq!(words.matches("neither a rule nor a default gives").count(), 1, "{}", audit.out);
    for told in [
        "facts that checks need, of port, dhcp-snooping, guard, port-security, mirror, multicast and 18 more",
        "`yellowlegs dialect test dialects/young.toml` says where to begin",
        "role 48 checks on 2 ports: `yellowlegs policy new` drafts roles from the switches",
        "port-security 4 checks on 2 ports: enabled, pinned-stations",
    ] {
        assert!(words.contains(told), "`{told}` is not in {}", audit.out);
    }
    assert!(audit.out.lines().count() < 60, "{}", audit.out);
    // Machines hear of every fact.
    let report = fleet.report(&[]);
    let needs: std::collections::BTreeSet<&str> =
        list(&report, "undetermined").iter().flat_map(|row| list(row, "needs")).filter_map(|n| n.as_str()).collect();
    assert!(needs.contains("port.mode") && needs.len() > 15, "{needs:?}");
}

#[test]
fn each_line_is_explained() {
    let fleet = Fleet::demo();
    let config = "shingle 4 unit q\nharbour key hunter2\nsocket 1.3\n  crowd ceiling 8\n  crowd celing 8\n  without crowd watch\ntower 9\n  home lane 110\n";
    fleet.write("q/config.txt", config);
    let ran = fleet.run(&["dialect", "explain", SHINGLE, "q/config.txt"]);
    let told = |words: &str| assert!(ran.out.contains(words), "`{words}` is not in {}", ran.out);
    told("sets port-security.limit = 8");
    told("opens socket");
    told("negated form of line");
    told("sets port-security.enabled = false");
    told("harbour key *******");
    told("it stands in a block that no rule opens");
    told("a later word does not fit");
    told("5 lines understood, 3 not, 0 blank, comment or free text");
    assert!(!ran.out.contains("hunter2") && !ran.out.contains("celing"));
    let raw = fleet.run(&["dialect", "explain", SHINGLE, "q/config.txt", "--unread", "--raw"]);
    assert!(raw.out.contains("it stopped at `celing`") && !raw.out.contains("crowd ceiling 8"), "{}", raw.out);
    let rules = fleet.run(&["dialect", "explain", SHINGLE]);
    assert!(rules.out.contains("crowd ceiling <most:int>") && rules.out.contains("port-security.limit"));
}

#[test]
fn state_is_explained_as_facts() {
    let fleet = Fleet::demo();
    let ran = fleet.run(&[
        "dialect",
        "explain",
        "dialects/fathom.toml",
        "saltpan/sp-hall-1/events.log",
        "--state",
        "--as-of",
        "2031-03-04T06:30:00Z",
    ]);
    assert!(
        ran.out.contains("event time=2031-03-04T05:02:11Z kind=server-dropped port=a:8 ip=192.0.2.200"),
        "{}",
        ran.out
    );
    assert!(ran.out.contains("<time:time> lessor <ip:ip> refused at <port:port>"), "{}", ran.out);
    assert!(ran.out.contains("12 lines understood, 0 not"), "{}", ran.out);
}

#[rstest]
#[case::a_cell(
    "Berth  Water  Station            How\na:3    110    soon               heard\n",
    "`Station` does not take its cell"
)]
#[case::no_key(
    "Berth  Water  Station            How\na:3           02:00:5e:10:00:01  heard\n",
    "`Water` has no cell, and it makes the row"
)]
#[case::a_word("Mar 4 05:18:04 closed a:3 for tea\n", "a later word does not fit")]
#[case::no_rule("whelk: 4\n", "no rule of the context `top` begins like it")]
fn a_line_of_state_that_is_not_taken_is_told_why(#[case] text: &str, #[case] why: &str) {
    let fleet = Fleet::demo();
    fleet.write("state.txt", text);
    let args = ["dialect", "explain", "dialects/fathom.toml", "state.txt", "--state", "--unread"];
    let ran = fleet.run(&[&args[..], &["--as-of", "2031-03-04T06:30:00Z"]].concat());
    assert!(ran.out.contains(why), "{}", ran.out);
    assert!(ran.out.contains(" 1 not,"), "{}", ran.out);
    assert!(!ran.out.contains("tea") && !ran.out.contains("whelk"), "words of unread lines stay masked: {}", ran.out);
}

#[test]
fn a_folder_is_read_with_its_state_and_its_saved_copy() {
    let fleet = Fleet::demo();
    let ran = fleet.run(&["read", "saltpan/sp-hall-1", "-q"]);
    let record: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
    let facts = record["facts"].as_array().unwrap();
    assert_eq!((facts.len(), record["files"].as_array().unwrap().len()), (35, 4));
    assert!(record["saved"]["copy"]["ports"].is_array());
    assert_eq!(record["mirrors"][0]["settings"]["mirror.target"]["value"], "a:24");
    let one = fleet.run(&["read", "saltpan/sp-hall-1/events.log", "-q"]);
    let record: serde_json::Value = serde_json::from_str(&one.out).unwrap();
    assert_eq!(record["facts"].as_array().map(Vec::len), Some(12));
}

#[test]
fn a_sketch_goes_to_standard_output_and_reads_what_it_was_shown() {
    let fleet = Fleet::demo();
    let texts = ["northquay/nq-desks-1/config.txt", "northquay/nq-desks-2/config.txt"];
    let ran = fleet.run(&[&["dialect", "sketch", "--name", "quay"], &texts[..]].concat());
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    fleet.write("quay.toml", &ran.out);
    assert_eq!(fleet.run(&["dialect", "test", "quay.toml", "-q"]).code, 0);
    for text in texts {
        // Every line is of a form that is known; what it says is left open.
        let explained = fleet.run(&["dialect", "explain", "quay.toml", text, "--unread"]);
        let lines: Vec<&str> = explained.out.lines().filter(|line| line.contains('✗')).collect();
        assert!(
            !lines.is_empty() && lines.iter().all(|line| line.contains("nobody has said yet")),
            "{}",
            explained.out
        );
        assert!(explained.out.contains("wait for what their lines say"), "{}", explained.out);
    }
    fleet.write("empty.txt", "\n# nothing\n");
    let nothing = fleet.run(&["dialect", "sketch", "empty.txt"]);
    assert_eq!((nothing.code, nothing.out.as_str()), (2, ""));
}

#[test]
fn the_settings_are_listed_with_what_needs_them() {
    let fleet = Fleet::empty();
    let ran = fleet.run(&["dialect", "settings", "port-security.limit"]);
    assert!(
        ran.out.contains("How many stations the port admits") && ran.out.contains("port-security/limit-low"),
        "{}",
        ran.out
    );
    let json: serde_json::Value =
        serde_json::from_str(&fleet.run(&["dialect", "settings", "--format", "json"]).out).unwrap();
    let rows = json.as_array().unwrap();
    for (kind, name) in [
        ("port", "port.mode"),
        ("vlan", "vlan.querier"),
        ("trait", "mode-from"),
        ("fact", "station.vlan"),
        ("type", "station-range"),
    ] {
        assert!(rows.iter().any(|r| r["kind"] == kind && r["name"] == name), "{kind} {name}");
    }
    let wrong = fleet.run(&["dialect", "settings", "port-securty.limit"]);
    assert!(wrong.code == 2 && wrong.err.contains("did you mean `port-security.limit`?"), "{}", wrong.err);
}
