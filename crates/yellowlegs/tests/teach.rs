//! `yellowlegs dialect teach`, by the built program: by options, in a terminal by keys, and broken off at any moment.

#![cfg(unix)]

use crate::support::terminal::{typed_on_a_terminal, typed_when};
use crate::support::{Fleet, Ran};
use rstest::rstest;

const TEXT: &str = "\
hostname plover-2
vlan 110 desks
port 1
 access vlan 110
 pause 600
 gate half
port 2
 access vlan 110
 edge on
login secret Zq8vK2mWx1
";

const TEACH: [&str; 4] = ["dialect", "teach", "plover.toml", "config.txt"];

fn fleet() -> Fleet {
    let fleet = Fleet::empty();
    fleet.write("config.txt", TEXT);
    fleet
}

fn teach(fleet: &Fleet, more: &[&str]) -> Ran {
    fleet.run(&[&TEACH, more].concat())
}

/// Without a terminal and without an option that says something, what would be asked is listed; the sketch is there already.
#[test]
fn what_would_be_asked() {
    let fleet = fleet();
    let ran = teach(&fleet, &[]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    for words in [
        "2  access vlan 110  in `port 1`  likely port.access-vlan (0.9)",
        "1  gate half  in `port 1`\n",
        "where the text is silent, by feature and the checks that wait:",
        "plover.toml: 3 of 10 lines understood (30 %); 2 port(s);",
    ] {
        assert!(ran.out.contains(words), "`{words}` is not in {}", ran.out);
    }
    assert!(fleet.read("plover.toml").starts_with("# A sketch,"));
    assert!(!(ran.out + &fleet.read("plover.toml")).contains("Zq8v"));
}

#[rstest]
#[case::a_value(&["--line", "config.txt:5", "--sets", "port-security.aging=600"], "sets = { \"port-security.aging\" = \"<pause>\" }", "✓ pause <pause:seconds>: port-security.aging = <pause>")]
#[case::two(&["--line", "config.txt:9", "--sets", "fast-start.mode=edge", "--sets", "guard.bpdu=true"], "sets = { \"fast-start.mode\" = \"edge\", \"guard.bpdu\" = true }", "✓ edge on: fast-start.mode = edge, guard.bpdu = true")]
#[case::nothing(&["--line", "config.txt:6", "--nothing"], "pattern = \"gate half\"\nabout = \"nothing\"", "✓ gate half: nothing that is judged")]
#[case::names(&["--line", "config.txt:6", "--names", "uses"], "uses = \"<name>\"", "uses = <name>")]
#[case::silence(&["--silent", "guard=off", "--silent", "port.mode=access"], "[defaults]\nguard = \"off\"\nport = { mode = \"access\" }\n", "✓ where the text is silent: guard = off")]
#[case::likely(&["--likely", "0.8"], "sets = { \"port.access-vlan\" = \"<vlan>\" }", "✓ access vlan <vlan:vlan>: port.access-vlan = <vlan>")]
fn options_say_it(#[case] options: &[&str], #[case] written: &str, #[case] told: &str) {
    let fleet = fleet();
    let ran = teach(&fleet, options);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""), "{}", ran.out);
    assert!(ran.out.contains(told) && ran.out.contains("answers of the audit decided"), "{}", ran.out);
    assert!(fleet.read("plover.toml").contains(written), "{}", fleet.read("plover.toml"));
    assert_eq!(fleet.run(&["dialect", "test", "plover.toml"]).code, 0);
}

/// Of proposals only those are taken that are sure enough.
#[test]
fn as_sure_as_asked() {
    let fleet = fleet();
    teach(&fleet, &["--likely", "1"]);
    assert!(!fleet.read("plover.toml").contains("\nsets"), "{}", fleet.read("plover.toml"));
}

#[rstest]
#[case::no_place(&["--line", "config.txt", "--nothing"], "--line config.txt: this is no place", "config.txt:83")]
#[case::line_none(&["--line", "config.txt:0", "--nothing"], "this is no place", "config.txt:83")]
#[case::past_the_end(&["--line", "config.txt:99", "--nothing"], "is no statement", "dialect explain plover.toml")]
#[case::understood(&["--line", "config.txt:3", "--nothing"], "understood already", "dialect explain plover.toml")]
#[case::no_meaning(&["--line", "config.txt:5"], "nothing says what it means", "--sets SETTING=VALUE")]
#[case::no_sign(&["--line", "config.txt:5", "--sets", "port.mtu"], "--sets port.mtu: there is no `=`", "port-security.limit=3")]
#[case::no_setting(&["--line", "config.txt:5", "--sets", "port.mtuu=600"], "no setting is called so", "did you mean `port.mtu`?")]
#[case::no_value(&["--line", "config.txt:5", "--sets", "port.mtu=x"], "port.mtu cannot be `x`", "a number")]
#[case::another_value(&["--line", "config.txt:5", "--sets", "port.mtu=9000"], "the line gives port.mtu 600, not 9000", "port.mtu=<pause>")]
#[case::no_name(&["--line", "config.txt:6", "--names", "vlan"], "`gate half` has no word that can name that", "")]
#[case::no_share(&["--likely", "0.2"], "no share to go by", "0.6 to 1")]
#[case::silent_wrong(&["--silent", "port.mode=open"], "plover.toml:", "")]
#[case::silent_unknown(&["--silent", "mode=access"], "no setting or trait is `mode`", "dialect settings")]
#[case::silent_port(&["--silent", "port=off"], "nothing of port can be off", "one by one")]
#[case::silent_traits(&["--silent", "traits=off"], "nothing of traits can be off", "")]
fn what_cannot_be_is_told_and_nothing_changes(#[case] options: &[&str], #[case] what: &str, #[case] hint: &str) {
    let fleet = fleet();
    teach(&fleet, &[]);
    let before = fleet.read("plover.toml");
    let ran = teach(&fleet, options);
    assert_eq!(ran.code, 2, "{}", ran.out);
    assert!(ran.err.contains(what) && ran.err.contains(hint), "{}", ran.err);
    assert_eq!(fleet.read("plover.toml"), before);
}

/// The folder of a dialect that begins is made.
#[test]
fn in_a_folder_of_its_own() {
    let fleet = fleet();
    let ran = fleet.run(&["dialect", "teach", "dialects/new/plover.toml", "config.txt"]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    assert!(fleet.read("dialects/new/plover.toml").contains("name = \"plover\""));
}

/// Where a line says several things its column tells which.
#[test]
fn several_on_a_line() {
    let fleet = Fleet::empty();
    fleet.write("config.txt", "port ge1 { pause 600; gate half; }\nport ge2 { edge; }\n");
    let ran = teach(&fleet, &["--line", "config.txt:1", "--nothing"]);
    assert_eq!(ran.code, 2);
    assert!(ran.err.contains("several statements stand there"), "{}", ran.err);
    assert!(ran.err.contains("say which: config.txt:1:12, config.txt:1:23"), "{}", ran.err);
    let ran = teach(&fleet, &["--line", "config.txt:1:23", "--sets", "guard.root=true"]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    assert!(ran.out.contains("✓ gate half: guard.root = true"), "{}", ran.out);
}

/// Tables that switches tell are proposed with the sketch, and taken with what else is sure.
#[test]
fn tables_of_state() {
    let fleet = fleet();
    fleet.write("tables.out", "VLAN  Station            Port\n110   02:00:5e:10:00:01  1\n");
    let ran = teach(&fleet, &["--state", "tables.out"]);
    assert!(ran.out.contains("a table of state  likely station (1.0)"), "{}", ran.out);
    assert!(fleet.read("plover.toml").contains("\n# [[table]]\n"));
    let ran = teach(&fleet, &["--likely", "1"]);
    assert!(ran.out.contains("✓ the table of station is read"), "{}", ran.out);
    let ran = fleet.run(&["dialect", "explain", "plover.toml", "tables.out", "--state"]);
    assert!(ran.out.contains("tells station address=02:00:5e:10:00:01 vlan=110 port=1"), "{}", ran.out);
}

/// In a terminal a table comes after the lines: taken, or dropped with all its lines.
#[rstest]
#[case::taken("\n", true)]
#[case::dropped("n", false)]
fn a_table_by_keys(#[case] key: &str, #[case] is_read: bool) {
    let fleet = Fleet::empty();
    fleet.write("config.txt", "port 1\n edge on\nport 2\n edge on\n");
    fleet.write("tables.out", "VLAN  Station            Port\n110   02:00:5e:10:00:01  1\n");
    let told = typed_on_a_terminal(&fleet, &format!("{} --state tables.out", TEACH.join(" ")), &format!("\n{key}q"));
    assert!(told.contains("── a table of state: likely station (1.0)"), "{told}");
    let written = fleet.read("plover.toml");
    assert_eq!(written.contains("\n[[table]]\nfact = \"station\""), is_read, "{written}");
    assert!(!written.contains("# [[table]]"), "{written}");
}

#[test]
fn without_a_text_there_is_nothing_to_begin_with() {
    let fleet = Fleet::empty();
    let ran = fleet.run(&["dialect", "teach", "plover.toml"]);
    assert_eq!(ran.code, 2);
    assert!(
        ran.err.contains("plover.toml is not there") && ran.err.contains("configurations behind it"),
        "{}",
        ran.err
    );
}

/// In a terminal: a key for each answer, a search by words, back, later, and silence by feature.
#[test]
fn by_keys() {
    let fleet = fleet();
    // Takes what is likely of `access vlan`; `gate half` and `edge on` in the order in which they are asked.
    let keys = "\nq";
    let told = typed_on_a_terminal(&fleet, &TEACH.join(" "), keys);
    assert!(told.contains("── 2 lines like this") && told.contains("1 port.access-vlan = 110"), "{told}");
    assert!(told.contains("✓ access vlan <vlan:vlan>: port.access-vlan = <vlan>"), "{told}");
    let first = fleet.read("plover.toml");
    assert!(first.contains("sets = { \"port.access-vlan\" = \"<vlan>\" }"));
    // It goes on where it was; back takes the last answer back.
    let told = typed_on_a_terminal(&fleet, &TEACH.join(" "), "nbq");
    assert!(!told.contains("2 lines like this") && told.contains("nothing that is judged\r\n"), "{told}");
    assert_eq!(fleet.read("plover.toml"), first);
    // Everything is about nothing; then silence is asked for: what no platform lacks cannot be off as a whole.
    let told = typed_on_a_terminal(&fleet, &TEACH.join(" "), "nnnnnnolloq");
    assert!(told.contains("── where the text says nothing: port;"), "{told}");
    assert!(told.contains("✓ where the text is silent: dhcp-snooping = off"), "{told}");
    assert!(
        fleet.read("plover.toml").contains("[defaults]\ndhcp-snooping = \"off\"\n"),
        "{}",
        fleet.read("plover.toml")
    );
    assert_eq!(fleet.run(&["dialect", "test", "plover.toml"]).code, 0);
}

/// What somebody else writes into the file meanwhile is not lost.
#[test]
fn changed_meanwhile() {
    let fleet = fleet();
    teach(&fleet, &[]);
    let path = fleet.path().join("plover.toml");
    let answered = || {
        let is_there = std::fs::read_to_string(&path).is_ok_and(|text| text.contains("\nsets"));
        if is_there {
            fleet.edit("plover.toml", "[defaults]", "# By hand.\n[defaults]");
        }
        is_there
    };
    let told = typed_when(&fleet, &TEACH.join(" "), "\n", answered, "n");
    assert!(told.contains("was changed by somebody else meanwhile"), "{told}");
    assert!(
        fleet.read("plover.toml").contains("# By hand.\n[defaults]")
            && !fleet.read("plover.toml").contains("nothing\"\n\n")
    );
}

#[test]
fn a_setting_is_searched_by_words() {
    let fleet = fleet();
    teach(&fleet, &["--likely", "0.6"]);
    let told = typed_on_a_terminal(&fleet, &TEACH.join(" "), "sroot guard\n1\u{31}q");
    assert!(told.contains("1 guard.root") && told.contains("✓ gate half: guard.root = true"), "{told}");
    assert!(fleet.read("plover.toml").contains("pattern = \"gate half\"\nsets = { \"guard.root\" = true }"));
}

/// Broken off after the first answer: the file is whole, has the answer, and it goes on from there.
#[test]
fn broken_off() {
    let fleet = fleet();
    let answered =
        || std::fs::read_to_string(fleet.path().join("plover.toml")).is_ok_and(|text| text.contains("\nsets"));
    typed_when(&fleet, &TEACH.join(" "), "\n", answered, "\u{3}");
    assert!(fleet.read("plover.toml").contains("sets = { \"port.access-vlan\" = \"<vlan>\" }"));
    assert_eq!(fleet.run(&["dialect", "test", "plover.toml"]).code, 0);
    let left = std::fs::read_dir(fleet.path()).unwrap().count();
    assert_eq!(left, 2, "nothing half-written is left");
    assert!(!teach(&fleet, &[]).out.contains("2  access vlan"));
}
