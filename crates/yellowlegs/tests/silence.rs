//! Nothing passes in silence: what a site brings that is cut, missing, doubled or misnamed is told, and the exit code says so.

#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may touch files")]

use crate::support::{Fleet, list, ran, text, yellowlegs};
use rstest::rstest;

const POLICY: &str = r#"
as-of = "2031-03-04T06:30:00Z"
[files]
running = ["config.txt"]
saved = ["saved.txt"]
state = ["tables.out"]
[vlans]
110 = { name = "desks", purpose = "data" }
[[role]]
name = "host"
faces = "host"
stations = 2
vlans = [110]
ports = ["* *"]
[levels]
"multicast/*" = "off"
"dhcp-snooping/*" = "off"
"guard/*" = "off"
"flap/*" = "off"
"fast-start/*" = "off"
"ipv6-guard/*" = "off"
"recovery/*" = "off"
"voice/*" = "off"
"port/ingress-open" = "off"
"port-security/not-kept" = "off"
"config/unsaved" = "off"
"config/nobody-told" = "off"
"port-security/name-only" = "off"
"port-security/pinned-unsaved" = "off"
"arp-inspection/off" = "off"
"arp-inspection/no-bindings" = "off"
"arp-inspection/uplink-untrusted" = "off"
"config/restart-pending" = "off"
"#;

const DIALECT: &str = r#"
[dialect]
name = "shoal"
[text]
structure = "indent"
comment = "!"
negation = "no"
[recognise]
lines = ["unit <name:word>"]
[ports]
names = ["<n>/<n>"]
[defaults]
"port.enabled" = true
"port.mode" = "access"
"port.access-vlan" = 110
"port.voice-vlan" = "none"
"port.dynamic-vlan" = false
"port-security.enabled" = false
"port-security.limit" = 1
"port-security.action" = "disable-port"
"port-security.pinning" = false
"arp-inspection.trusted" = false
"source-guard.enabled" = false
"mirror.enabled" = true
"unidirectional.mode" = "off"
"switch.vlans" = [1, 110]
"switch.default-vlan" = 1
[traits]
port-security-void-in = []
stations-counted = "per-station"
trunk-without-list = "none"
mode-from = "statement"
vlan-mirror = "yes"
[[rule]]
pattern = "unit <name:word>"
sets = { "switch.name" = "<name>" }
[[rule]]
pattern = "berth <b:ports>"
opens = "berth"
ports = "<b>"
[[rule]]
in = "berth"
pattern = "max <n:int>"
sets = { "port-security.enabled" = true, "port-security.limit" = "<n>" }
[[rule]]
in = "berth"
pattern = "trusts arp"
sets = { "arp-inspection.trusted" = true }
[[rule]]
pattern = "glass <g:word>"
opens = "glass"
mirror = "<g>"
[[rule]]
in = "glass"
pattern = "from <b:ports>"
adds = { "mirror.sources" = "<b>@both" }
[[rule]]
in = "glass"
pattern = "from pool <v:vlans>"
adds = { "mirror.source-vlans" = "<v>" }
[[rule]]
in = "glass"
pattern = "to <b:port>"
sets = { "mirror.target" = "<b>" }
"#;

const CONFIG: &str = "unit sw1\nberth 1/1\n  max 2\nberth 1/2\n  max 2\n";

/// Two switches that are right.
fn fleet() -> Fleet {
    let fleet = Fleet::empty();
    fleet.write("yellowlegs.toml", POLICY).write("dialects/shoal.toml", DIALECT);
    fleet.write("sw1/config.txt", CONFIG).write("sw2/config.txt", CONFIG.replace("sw1", "sw2"));
    fleet
}

#[test]
fn the_fleet_is_right() {
    let ran = fleet().run(&["audit"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
}

/// Names of switches that are folders below the current one, too.
#[rstest]
#[case::by_name(&["sw1", "sw2"])]
#[case::by_folder(&["./sw1", "./sw2/"])]
fn switches_are_compared_where_they_stand(#[case] names: &[&str]) {
    let fleet = fleet();
    fleet.edit("sw2/config.txt", "max 2", "max 9");
    let ran = fleet.run(&[&["compare"], names].concat());
    assert_eq!(ran.code, 1, "{}{}", ran.out, ran.err);
    assert!(ran.out.contains("port-security.limit"), "{}", ran.out);
}

/// Two snapshots of a fleet are folders, wherever they stand.
/// Where a side cannot be read, nobody says that nothing differs.
#[test]
fn what_cannot_be_read_is_not_alike() {
    let (before, after) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    for side in [&before, &after] {
        std::fs::create_dir(side.path().join("sw1")).unwrap();
        std::fs::write(side.path().join("sw1/config.txt"), "nobody speaks this\n").unwrap();
    }
    let ran = Fleet::empty().run(&["compare", before.path().to_str().unwrap(), after.path().to_str().unwrap()]);
    assert_eq!((ran.code, ran.out.trim()), (2, "Nothing differs in what could be read; not all of it could."));
}

#[test]
fn snapshots_are_still_compared_as_such() {
    let (before, after) = (fleet(), fleet());
    after.edit("sw2/config.txt", "max 2", "max 9");
    let ran = Fleet::empty().run(&["compare", before.path().to_str().unwrap(), after.path().to_str().unwrap()]);
    assert_eq!(ran.code, 1, "{}{}", ran.out, ran.err);
    assert!(ran.out.contains("sw2") && ran.out.contains("port-security.limit"), "{}", ran.out);
}

#[rstest]
#[case::audit_switch(&["audit", "--switch", "sw9"], "did you mean `sw1`?")]
#[case::audit_port(&["audit", "--port", "1/9"], "did you mean `1/1`?")]
#[case::drill_switch(&["drill", "--switch", "sw9"], "sw1")]
#[case::drill_port(&["drill", "--port", "9/9"], "1/1")]
#[case::flaps_switch(&["flaps", "--switch", "sw9"], "sw1")]
#[case::flaps_port(&["flaps", "--port", "9/9"], "1/1")]
fn an_option_that_chooses_nothing_is_an_error(#[case] words: &[&str], #[case] hint: &str) {
    let ran = fleet().run(words);
    assert_eq!(ran.code, 2, "{}{}", ran.out, ran.err);
    assert!(ran.err.contains("has such a name") && ran.err.contains(hint), "{}", ran.err);
}

#[test]
fn a_switch_without_its_configuration_is_unreadable() {
    let fleet = fleet();
    fleet.write("sw3/saved.txt", CONFIG).write("sw3/tables.out", "");
    let ran = fleet.run(&["audit"]);
    assert_eq!(ran.code, 2, "{}", ran.out);
    assert!(ran.err.contains("sw3") && ran.err.contains("running"), "{}", ran.err);
    assert_eq!(list(&fleet.report(&[]), "unreadable").len(), 1);
    assert_eq!(list(&fleet.report(&[]), "switches").len(), 2);
}

#[test]
fn a_record_with_a_port_twice_is_an_error_with_its_place() {
    let fleet = fleet();
    let port = r#"{"port": "1/1", "settings": {}}"#;
    fleet.write("switches/r1.json", format!("{{\"record\": 1, \"switch\": \"r1\", \"ports\": [{port},\n{port}]}}"));
    let ran = fleet.run(&["audit"]);
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains("port 1/1 is there twice at line 2"), "{}", ran.err);
}

#[cfg(unix)]
#[test]
fn links_and_folders_that_lead_nowhere_are_told_and_the_rest_is_reported() {
    use std::os::unix::fs::symlink;
    let fleet = fleet();
    symlink("nowhere", fleet.path().join("dangling")).unwrap();
    std::fs::create_dir(fleet.path().join("deep")).unwrap();
    symlink("..", fleet.path().join("deep/up")).unwrap();
    for words in [&["audit"][..], &["drill", "rogue-server"], &["policy", "test"], &["port", "sw1", "1/1"]] {
        let ran = fleet.run(words);
        assert_eq!(ran.code, 2, "{words:?} {}{}", ran.out, ran.err);
        assert!(ran.err.contains("dangling: a link that leads nowhere"), "{words:?} {}", ran.err);
        assert!(ran.err.contains("deep/up: a link leads back to"), "{words:?} {}", ran.err);
    }
    let report = fleet.report(&[]);
    assert_eq!((list(&report, "switches").len(), list(&report, "unreadable").len()), (2, 2));
}

/// A baseline that is a switch of the fleet besides is both.
#[test]
fn a_baseline_may_be_a_switch() {
    let fleet = fleet();
    fleet.write("yellowlegs.toml", format!("{POLICY}[[sisters]]\nswitches = [\"sw*\"]\nbaseline = \"sw1\"\n"));
    fleet.edit("sw2/config.txt", "  max 2\nberth", "  max 2\n  trusts arp\nberth");
    let report = fleet.report(&[]);
    let names: Vec<&str> = list(&report, "switches").iter().map(|row| text(row, "switch")).collect();
    assert_eq!(names, ["sw1", "sw2"]);
    assert!(list(&report, "fleet_findings").iter().any(|found| text(found, "check") == "config/drift"), "{report:#}");
    for words in [&["drill", "rogue-server"][..], &["flaps"], &["policy", "new", "."]] {
        let ran = fleet.run(words);
        assert!([0, 1, 3].contains(&ran.code), "{words:?} {} {}", ran.code, ran.err);
    }
}

#[test]
fn what_stands_on_no_switch_is_kept_or_said_to_be_left_out() {
    let fleet = fleet();
    let waiver = "[[waiver]]\ncheck = \"voice/*\"\nreason = \"r\"\nowner = \"o\"\nlast-day = \"2031-06-30\"\n";
    fleet.write("yellowlegs.toml", format!("{POLICY}{waiver}"));
    let unused = |report: &serde_json::Value| {
        list(report, "fleet_findings").iter().any(|found| text(found, "check") == "config/policy-unused")
    };
    // Both switches are the whole fleet.
    assert!(unused(&fleet.report(&["sw1", "sw2"])) && unused(&fleet.report(&["--switch", "sw*"])));
    let one = fleet.report(&["--switch", "sw1"]);
    assert!(!unused(&one));
    assert!(list(&one, "remarks").iter().any(|remark| text(remark, "text").contains("left out")), "{one:#}");
}

#[test]
fn a_report_is_whole_when_nobody_reads_the_other() {
    use std::process::Stdio;
    let fleet = fleet();
    fleet.edit("sw2/config.txt", "max 2", "max 9");
    let target = fleet.path().join("r.json");
    let mut child = std::process::Command::new(assert_cmd::cargo::cargo_bin("yellowlegs"))
        .current_dir(fleet.path())
        .args(["audit", "--write", target.to_str().unwrap()])
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    // Whoever reads goes away before there is anything to read.
    drop(child.stdout.take());
    assert_eq!(child.wait().unwrap().code(), Some(1));
    let report: serde_json::Value = serde_json::from_slice(&std::fs::read(target).unwrap()).unwrap();
    assert_eq!(list(&report, "switches").len(), 2);
}

#[test]
fn a_fault_that_grows_is_new() {
    let fleet = fleet();
    fleet.write("sw2/config.txt", format!("{}glass g\n  from 1/1\n  to 1/2\n", CONFIG.replace("sw1", "sw2")));
    assert_eq!(fleet.run(&["audit", "--write", "before.json", "--fail-on", "never"]).code, 0);
    let since = ["audit", "--since", "before.json", "--fail-on", "new", "--allow-undetermined"];
    assert_eq!(fleet.run(&since).code, 0);
    fleet.edit("sw2/config.txt", "  from 1/1\n", "  from 1/1\n  from pool 110\n");
    let ran = fleet.run(&since);
    assert_eq!(ran.code, 1, "{}", ran.out);
    assert!(ran.out.contains("worse than before: sources and now"), "{}", ran.out);
}

/// Sources are ports or VLANs; the words of the register are read or refused.
#[rstest]
#[case::ports("\"1/1 both\"", "from 1/1", 0)]
#[case::vlans("\"1/1 both\", \"vlan 110\"", "from 1/1\n  from pool 110", 0)]
#[case::another_vlan("\"1/1 both\", \"vlan 120\"", "from 1/1\n  from pool 110", 1)]
#[case::no_vlan("\"1/1 both\"", "from 1/1\n  from pool 110", 1)]
#[case::words("\"the port of the desk\"", "from 1/1", 2)]
#[case::no_direction("\"1/1 bth\"", "from 1/1", 2)]
#[case::no_vlan_at_all("\"vlan desks\"", "from 1/1", 2)]
fn sources_of_mirrors(#[case] sources: &str, #[case] copied: &str, #[case] expected: i32) {
    let fleet = fleet();
    let entry = format!(
        "[[mirror]]\nswitch = \"sw1\"\nsources = [{sources}]\ntarget = \"1/2\"\nreason = \"r\"\nowner = \"o\"\nlast-day = \"2031-06-30\"\n"
    );
    fleet.write(
        "yellowlegs.toml",
        format!("{POLICY}\"mirror/target-busy\" = \"off\"\n\"mirror/overdrawn\" = \"off\"\n{entry}"),
    );
    fleet.write("sw1/config.txt", format!("{CONFIG}glass g\n  {copied}\n  to 1/2\n"));
    let ran = fleet.run(&[
        "audit",
        "--only",
        "mirror",
        "--only",
        "config/policy-unused",
        "--fail-on",
        "advice",
        "--allow-undetermined",
    ]);
    assert_eq!(ran.code, expected, "{}{}", ran.out, ran.err);
}

/// Every key that a role expects is obeyed.
#[rstest]
#[case::as_elsewhere("", 1)]
#[case::anything("\"arp-inspection.trusted\" = \"any\"", 0)]
#[case::this_very_value("\"arp-inspection.trusted\" = true", 0)]
#[case::another("\"arp-inspection.trusted\" = false", 1)]
fn what_a_role_expects_of_a_setting_holds(#[case] expected: &str, #[case] code: i32) {
    let fleet = fleet();
    fleet.write("yellowlegs.toml", POLICY.replace("[levels]", &format!("[role.expect]\n{expected}\n[levels]")));
    for switch in ["sw1", "sw2"] {
        fleet.write(
            &format!("{switch}/config.txt"),
            CONFIG.replace("sw1", switch).replace("max 2", "max 2\n  trusts arp"),
        );
    }
    let ran = fleet.run(&["audit", "--only", "arp-inspection/trusted-edge", "--only", "port/unexpected"]);
    assert_eq!(ran.code, code, "{}{}", ran.out, ran.err);
}

/// Keys of a dialect that do nothing where they stand, and tables that no row would come to.
#[rstest]
#[case::end("comment = \"!\"\nend = \";\"", "`end` does nothing but with `structure = \"braces\"`")]
#[case::brace("comment = \"!\"\nopen-brace = \"(\"", "`open-brace` does nothing")]
#[case::title("comment = \"!\"\ntitle = \"<t:word>\"", "`title` does nothing but with `structure = \"sections\"`")]
fn keys_that_do_nothing_are_refused(#[case] keys: &str, #[case] told: &str) {
    let fleet = fleet();
    fleet.write("dialects/shoal.toml", DIALECT.replace("comment = \"!\"", keys));
    let ran = fleet.run(&["audit"]);
    assert_eq!(ran.code, 2, "{}", ran.out);
    assert!(ran.err.contains(told), "{}", ran.err);
}

#[rstest]
#[case::the_same(
    "{ title = \"Pool\", is = \"<vlan:vlan>\" }, { title = \"Station\", is = \"<address:station>\" }",
    true
)]
#[case::one_may_be_missing(
    "{ title = \"Pool\", is = \"<vlan:vlan>\" }, { title = \"How\", is = \"<_h:word>\", optional = true }, { title = \"Station\", is = \"<address:station>\" }",
    true
)]
#[case::another_order(
    "{ title = \"Station\", is = \"<address:station>\" }, { title = \"Pool\", is = \"<vlan:vlan>\" }",
    false
)]
#[case::one_more(
    "{ title = \"Pool\", is = \"<vlan:vlan>\" }, { title = \"Station\", is = \"<address:station>\" }, { title = \"How\", is = \"<_h:word>\" }",
    false
)]
fn two_tables_of_one_heading_are_refused(#[case] columns: &str, #[case] refused: bool) {
    let fleet = fleet();
    let table = |columns: &str| format!("[[table]]\nfact = \"station\"\ncolumns = [{columns}]\n");
    let first =
        table("{ title = \"Pool\", is = \"<vlan:vlan>\" }, { title = \"Station\", is = \"<address:station>\" }");
    fleet.write("dialects/shoal.toml", format!("{DIALECT}{first}{}", table(columns)));
    let ran = fleet.run(&["audit"]);
    assert_eq!(ran.err.contains("takes the same heading"), refused, "{}", ran.err);
    assert_eq!(ran.code, if refused { 2 } else { 0 }, "{}{}", ran.out, ran.err);
}

/// The share of lines that nobody reads is one of statements: neither blank lines, nor comments, nor state dilute it.
#[test]
fn nothing_dilutes_what_is_unread() {
    let fleet = fleet();
    let unread = "harbour master\nharbour light\n";
    fleet.write("sw1/config.txt", format!("{CONFIG}{unread}{}", "\n! nothing\n".repeat(200)));
    fleet.write("sw1/tables.out", "\n".repeat(300));
    let report = fleet.report(&["--only", "config/unread"]);
    let found = list(&report, "findings");
    assert_eq!(found.len(), 1, "{report:#}");
    assert!(text(&found[0], "message").contains("2 of 7 statements"), "{found:?}");
}

/// Old state at the level of a breach is no pass.
#[test]
fn state_that_is_too_old_leaves_its_checks_open() {
    let fleet = fleet();
    let state = "[time]\nforms = [\"%Y-%m-%d %H:%M:%S\"]\nzone = \"Z\"\n[[line]]\npattern = \"clock <time:time>\"\nfact = \"clock\"\n[[table]]\nfact = \"station\"\ncolumns = [{ title = \"Station\", is = \"<address:station>\" }, { title = \"Berth\", is = \"<port:port>\" }]\n";
    fleet.write("dialects/shoal.toml", format!("{DIALECT}{state}"));
    let table = "Station            Berth\n02:00:5e:10:00:01  1/1\n";
    let only = ["audit", "--only", "port-security/over-limit"];
    fleet.write("sw1/tables.out", format!("clock 2031-03-04 06:20:00\n{table}"));
    assert_eq!(fleet.run(&only).code, 0);
    fleet.write("sw1/tables.out", format!("clock 2031-02-04 06:20:00\n{table}"));
    let ran = fleet.run(&only);
    assert_eq!(ran.code, 3, "{}", ran.out);
    assert_eq!(fleet.run(&[&only[..], &["--allow-undetermined"]].concat()).code, 0);
}

#[test]
fn rules_for_lines_about_nothing_are_offered() {
    let fleet = fleet();
    fleet.write("sw1/config.txt", format!("{CONFIG}harbour master\nharbour light\nberth 1/1\n  max\n"));
    let ran = fleet.run(&["dialect", "explain", "dialects/shoal.toml", "sw1/config.txt", "--unread"]);
    assert!(ran.out.contains("pattern = \"harbour\"\nabout = \"nothing\""), "{}", ran.out);
    // What begins like a rule says something.
    assert!(!ran.out.contains("pattern = \"max\""), "{}", ran.out);
    let rule = "[[rule]]\npattern = \"harbour\"\nabout = \"nothing\"\n";
    fleet.write("dialects/shoal.toml", format!("{DIALECT}{rule}"));
    let report = fleet.report(&[]);
    assert_eq!(list(&report, "unread").len(), 1, "{report:#}");
}

/// However often and in what turn lines of two shapes come, each keeps a check of a port open once.
#[test]
fn lines_that_take_turns_are_counted_once() {
    let counts = |times: usize| -> Vec<(String, u64)> {
        let fleet = fleet();
        let inside = "  max lanterns\n  max lanterns bright\n".repeat(times);
        fleet.write("sw1/config.txt", CONFIG.replace("  max 2\n", &format!("  max 2\n{inside}")));
        let report = fleet.report(&[]);
        let rows =
            list(&report, "doubts").iter().map(|row| (text(row, "shape").to_owned(), row["checks"].as_u64().unwrap()));
        rows.collect()
    };
    let once = counts(1);
    assert_eq!(once.len(), 2, "{once:?}");
    assert_eq!(counts(5), once);
}

/// A rule is offered as a pattern is written: without the verb that any line has, and without the word that negates.
#[test]
fn a_rule_that_is_offered_reads_what_it_is_offered_for() {
    let fleet = Fleet::demo();
    let explain = ["dialect", "explain", "dialects/fathom.toml", "dunlin/dp-quay-1/config.txt", "--unread"];
    let ran = fleet.run(&explain);
    let offered = ran.out.split_once("the dialect can say so:\n\n").unwrap().1.rsplit_once("\n\n").unwrap().0;
    assert!(offered.contains("pattern = \"tide\"") && !offered.contains("\"lay\""), "{}", ran.out);
    let dialect = fleet.read("dialects/fathom.toml");
    fleet.write("dialects/fathom.toml", format!("{dialect}\n{offered}\n"));
    let after = fleet.run(&explain);
    assert!(after.out.contains(" 0 not,"), "{}", after.out);
}

/// What is not understood is said once for a shape, with what it keeps open and the command that would settle it.
#[test]
fn doubt_is_said_once_for_a_shape() {
    let fleet = fleet();
    fleet.write("yellowlegs.toml", format!("{POLICY}\"config/unread\" = \"off\"\n"));
    for switch in ["sw1", "sw2"] {
        fleet.write(
            &format!("{switch}/config.txt"),
            CONFIG.replace("sw1", switch).replace("max 2", "max 2\n  lanterns bright"),
        );
    }
    let ran = fleet.run(&["audit"]);
    assert_eq!(ran.code, 3, "{}", ran.out);
    assert_eq!(ran.out.matches("checks are open on 4 ports").count(), 1, "{}", ran.out);
    assert!(ran.out.contains("yellowlegs dialect explain dialects/shoal.toml sw1/config.txt --unread"), "{}", ran.out);
    let report = fleet.report(&[]);
    let doubts = list(&report, "doubts");
    assert_eq!(doubts.len(), 1, "{report:#}");
    assert_eq!((doubts[0]["ports"].as_u64(), text(&report, "doubt")), (Some(4), "block"));
    let open = fleet.run(&["port", "sw1", "1/1"]);
    assert!(open.out.contains("sw1/config.txt:4 is not understood"), "{}", open.out);
    let junit = fleet.run(&["audit", "--format", "junit"]);
    assert!(junit.out.contains("is not understood") && junit.out.contains("skipped"), "{}", junit.out);
}

/// Bounds of a rule of the house are told with its place, before anything runs.
#[rstest]
#[case::terms(&format!("1{} > 0", " + 1".repeat(1_000)), "words and signs")]
#[case::loops(
    "[1,2,3].all(a, port.tagged_vlans.all(b, port.tagged_vlans.all(c, a == b && b == c)))",
    "steps on a port"
)]
fn rules_of_the_house_are_bounded(#[case] when: &str, #[case] told: &str) {
    let fleet = fleet();
    let rule = format!("[[rule]]\nid = \"house/x\"\nmessage = \"m\"\nremedy = \"r\"\nwhen = \"{when}\"\n");
    fleet.write("yellowlegs.toml", format!("{POLICY}{rule}"));
    let ran = ran(yellowlegs()
        .current_dir(fleet.path())
        .arg("audit")
        .timeout(std::time::Duration::from_secs(60))
        .output()
        .unwrap());
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains("yellowlegs.toml:") && ran.err.contains(told), "{}", ran.err);
}
