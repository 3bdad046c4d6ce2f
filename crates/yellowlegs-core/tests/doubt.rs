//! What is not understood is never a pass: each text here is a switch that is right, with something in it that nobody reads, that
//! is torn, or that uses what is not there.

#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may read the files it is about")]

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::support::{POLICY, as_of, from_record, policy, record, shingle_without};
use globset::{Glob, GlobMatcher};
use rstest::rstest;
use yellowlegs_core::check::{Judge, Selection};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::finding::SwitchOutcome;
use yellowlegs_core::model::{SavedCopy, Torn};
use yellowlegs_core::policy::Policy;
use yellowlegs_core::resolve::{Resolved, State, resolve, resolve_with};
use yellowlegs_core::source::Source;

/// Two desks, a spare port, and everything a switch needs that is right.
const RIGHT: &str = "\
shingle 4 unit sw1
sockets 1.1..1.3
lane 110
  asks
lane 210
  asks
dhcp watch
dhcp watch lanes 110,210
every single socket
  wakes quickly
socket 1.1..1.2
  carries single
  home lane 110
  speech lane 210
  crowd watch
  crowd ceiling 3 then shut-out
socket 1.1
  note \"desk\"
socket 1.2
  note \"desk\"
socket 1.3
  note \"spare\"
  carries single
  home lane 998
  asleep
";

/// The same on paths, with a profile.
const PATHS: &str = "\
lay vessel sw1
lay berths a:1 to 2
lay water 110
lay water 110 plain a:1 to 2
lay berth a:1 to 2 follows desk
lay cut desk counted
lay cut desk counted most 1
";

fn fathom() -> Arc<Dialect> {
    let text = include_str!("../../../demo/dialects/fathom.toml");
    Arc::new(Dialect::load(&Arc::new(Source::of("fathom.toml", text))).unwrap())
}

fn judged(policy: &Policy, resolved: &Resolved) -> SwitchOutcome {
    let (as_of, selection) = (as_of(), Selection::default());
    Judge::new(policy, &as_of, &selection, false).switch(resolved, resolved.lists()).outcome
}

/// For each port (`-`: the switch), the checks that are open because lines are not understood.
fn doubted(outcome: &SwitchOutcome) -> BTreeMap<String, BTreeSet<&'static str>> {
    let mut open: BTreeMap<String, BTreeSet<&'static str>> = BTreeMap::new();
    for undecided in outcome.undetermined.iter().filter(|undecided| !undecided.doubts.is_empty()) {
        open.entry(undecided.port.as_deref().unwrap_or("-").to_owned()).or_default().insert(undecided.check);
    }
    open
}

fn shingle(text: &str) -> Resolved {
    resolve("sw1", &shingle_without(&[]), Arc::new(Source::of("sw1/config.txt", text)))
}

fn on_paths(text: &str) -> Resolved {
    resolve("sw1", &fathom(), Arc::new(Source::of("sw1/config.txt", text)))
}

fn with(width: &str) -> Policy {
    let doubt = format!("[site]\ndoubt = '{width}'\n");
    let text =
        if POLICY.contains("[site]\n") { POLICY.replacen("[site]\n", &doubt, 1) } else { format!("{POLICY}\n{doubt}") };
    policy(&text)
}

#[test]
fn what_is_understood_is_not_doubted() {
    let policy = policy(POLICY);
    for resolved in [shingle(RIGHT), on_paths(PATHS)] {
        assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
        assert_eq!(doubted(&judged(&policy, &resolved)), BTreeMap::new());
        assert!(resolved.doubtful(yellowlegs_core::model::DoubtWidth::Switch).is_none());
    }
}

/// The line goes behind the one that begins so; which ports, and whether the switch, have checks that are open then, and one of them.
#[rstest]
#[case::in_a_ports_block("socket 1.1\n", "  without crowd watch now\n", &["1.1"], "port-security/off")]
#[case::in_the_block_of_several("socket 1.1..1.2\n", "  lanterns bright\n", &["1.1", "1.2"], "guard/bpdu-filtered")]
#[case::in_a_vlans_block("lane 110\n", "  lanterns bright\n", &["-", "1.1", "1.2"], "guard/bpdu-filtered")]
#[case::in_a_default_for_ports("every single socket\n", "  lanterns bright\n", &["1.1", "1.2", "1.3"], "fast-start/missing")]
#[case::an_opener_and_what_is_in_it("dhcp watch\n", "sokket 1.1\n  crowd watch\n", &["1.1"], "guard/bpdu-filtered")]
// Ports whose own lines say it later are settled by those.
#[case::an_opener_of_nothing_known("dhcp watch\n", "harbour master\n  crowd watch\n", &["1.3"], "port-security/not-armed")]
#[case::begins_like_a_rule("dhcp watch\n", "dhcp watch lanes 110 soon\n", &["-", "1.1", "1.2"], "dhcp-snooping/vlan-uncovered")]
#[case::misspelt("dhcp watch\n", "dhpc watch lanes 110\n", &["-", "1.1", "1.2"], "dhcp-snooping/vlan-uncovered")]
#[case::cut("dhcp watch\n", "dhcp wat\n", &["-", "1.1", "1.2"], "dhcp-snooping/off")]
#[case::names_a_port("dhcp watch\n", "lanterns of 1.2 bright\n", &["1.2"], "guard/bpdu-filtered")]
#[case::names_ports("dhcp watch\n", "lanterns of 1.1..1.2 bright\n", &["1.1", "1.2"], "guard/bpdu-filtered")]
#[case::a_login_is_told_and_counted("dhcp watch\n", "harbour master hears of it\n", &[], "")]
#[case::a_clock_too("dhcp watch\n", "clock 12 hours\n", &[], "")]
fn a_line_that_nobody_reads_keeps_open_what_it_could_have_said(
    #[case] behind: &str,
    #[case] line: &str,
    #[case] expected: &[&str],
    #[case] check: &str,
) {
    let at = RIGHT.find(behind).unwrap() + behind.len();
    let resolved = shingle(&format!("{}{line}{}", &RIGHT[..at], &RIGHT[at..]));
    assert!(!resolved.switch.unread().is_empty());
    let open = doubted(&judged(&policy(POLICY), &resolved));
    let places: BTreeSet<&str> = open.keys().map(String::as_str).collect();
    let missing: Vec<_> = expected.iter().filter(|place| !places.contains(**place)).collect();
    assert!(missing.is_empty(), "{missing:?} of {open:?}");
    let ports: BTreeSet<&str> = places.iter().copied().filter(|place| *place != "-").collect();
    assert_eq!(ports, expected.iter().copied().filter(|place| *place != "-").collect(), "{open:?}");
    assert!(check.is_empty() || open.values().any(|checks| checks.contains(check)), "{open:?}");
}

#[rstest]
#[case::of_a_port("lay berth a:1 cuonted most 9\n", &["a:1"])]
#[case::of_a_profile("lay cut desk cuonted most 9\n", &["a:1", "a:2"])]
#[case::of_a_profile_that_nobody_uses("lay cut spare cuonted most 9\n", &[])]
#[case::of_a_vlan_and_a_port("lay water 110 plian a:2\n", &["a:1", "a:2"])]
#[case::of_nothing("lay lanterns bright\n", &[])]
fn on_a_path_the_words_before_say_where(#[case] line: &str, #[case] expected: &[&str]) {
    let resolved = on_paths(&format!("{PATHS}{line}"));
    assert_eq!(resolved.switch.unread().len(), 1);
    let open = doubted(&judged(&policy(POLICY), &resolved));
    let ports: Vec<&str> = open.keys().map(String::as_str).filter(|place| *place != "-").collect();
    assert_eq!(ports, expected, "{open:?}");
}

/// Violations are what they are, whether or not another line is understood.
#[test]
fn a_fault_stays_one() {
    let text = RIGHT
        .replace("crowd ceiling 3", "crowd ceiling 9")
        .replace("note \"desk\"\n", "note \"desk\"\n  lanterns bright\n");
    let outcome = judged(&policy(POLICY), &shingle(&text));
    let faulty = outcome.findings.iter().filter(|found| found.check == "port-security/limit-high").count();
    assert_eq!(faulty, 2);
    assert!(!doubted(&outcome)["1.1"].contains("port-security/limit-high"));
}

/// What a later line says for certain is certain; a line before it cannot have meant more.
#[test]
fn a_later_line_settles_what_an_earlier_one_left_open() {
    let early =
        RIGHT.replace("  carries single\n  home lane 110", "  lanterns bright\n  carries single\n  home lane 110");
    let late = RIGHT.replace("then shut-out\n", "then shut-out\n  lanterns bright\n");
    let of = |text: &str| doubted(&judged(&policy(POLICY), &shingle(text)))["1.1"].clone();
    assert!(!of(&early).contains("port-security/limit-high"), "{:?}", of(&early));
    assert!(of(&late).contains("port-security/limit-high"), "{:?}", of(&late));
}

#[rstest]
#[case::near("near", &[])]
#[case::block("block", &["1.1"])]
#[case::switch("switch", &["1.1", "1.2", "1.3"])]
fn the_policy_says_how_far_doubt_reaches(#[case] width: &str, #[case] expected: &[&str]) {
    let resolved = shingle(&RIGHT.replacen("note \"desk\"\n", "note \"desk\"\n  lanterns bright\n", 1));
    let open = doubted(&judged(&with(width), &resolved));
    let ports: Vec<&str> = open.keys().map(String::as_str).filter(|place| *place != "-").collect();
    assert_eq!(ports, expected, "{open:?}");
}

/// In a port's block that begins like a rule of it, near is enough.
#[test]
fn near_is_what_rules_that_begin_alike_would_have_set() {
    let resolved = shingle(&RIGHT.replacen("note \"desk\"\n", "note \"desk\"\n  crowd watch now\n", 1));
    let open = doubted(&judged(&with("near"), &resolved));
    assert!(open["1.1"].contains("port-security/off") && !open["1.1"].contains("fast-start/missing"), "{open:?}");
    assert!(!open.contains_key("1.2"), "{open:?}");
}

#[test]
fn lines_that_are_said_to_be_about_nothing_leave_nothing_open() {
    let rule = "[[rule]]\nin = ['top', 'socket']\npattern = 'lanterns'\nabout = 'nothing'\n";
    let text = format!("{}\n{rule}", include_str!("../../../demo/dialects/shingle.toml"));
    let dialect = Arc::new(Dialect::load(&Arc::new(Source::of("shingle.toml", text))).unwrap());
    let config = RIGHT.replacen("note \"desk\"\n", "note \"desk\"\n  lanterns bright\n  without lanterns\n", 1);
    let config = format!("{config}lanterns of 1.2\n  with anything inside\n    and below 1.1\n");
    let resolved = resolve("sw1", &dialect, Arc::new(Source::of("config.txt", config)));
    assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
    assert_eq!(doubted(&judged(&policy(POLICY), &resolved)), BTreeMap::new());
}

#[rstest]
#[case::second(&format!("{RIGHT}{}", RIGHT.replace("sw1", "sw2")), Torn::Second)]
#[case::at_once(&RIGHT.replacen("sockets", "shingle 4 unit sw2\nsockets", 1), Torn::Second)]
#[case::twice(&format!("{RIGHT}{RIGHT}"), Torn::Second)]
#[case::of_another(&RIGHT.replace("sw1", "sw99"), Torn::OtherSwitch)]
#[case::across(&RIGHT.replace("sockets 1.1..1.3", "sockets 1.1..3.3"), Torn::Range)]
#[case::cut_in_a_word(RIGHT.trim_end().strip_suffix("\n  asleep").unwrap(), Torn::Line)]
fn a_torn_text_is_told(#[case] text: &str, #[case] torn: Torn) {
    let resolved = shingle(text);
    assert!(resolved.switch.torn().iter().any(|(_, there)| *there == torn), "{:?}", resolved.switch.torn());
    let outcome = judged(&policy(POLICY), &resolved);
    assert!(outcome.findings.iter().any(|found| found.check == "config/torn"));
    // A range that goes over parts hides no setting of the ports that are named; others are perhaps there.
    let of_ports = doubted(&outcome).into_keys().any(|place| place != "-");
    assert_eq!(of_ports, torn != Torn::Range, "{:?}", doubted(&outcome));
    assert_eq!(doubted(&outcome).contains_key("-"), torn != Torn::Line);
}

#[rstest]
#[case::the_same("sw1")]
#[case::written_otherwise("SW-01")]
#[case::by_another_custom("harbour-office")]
fn a_name_of_ones_own_is_no_tear(#[case] folder: &str) {
    let resolved = resolve(folder, &shingle_without(&[]), Arc::new(Source::of("config.txt", RIGHT)));
    assert_eq!(resolved.switch.torn(), []);
}

const BRACES: &str = r#"
[dialect]
name = "groyne"
[text]
structure = "braces"
end = ";"
inline-comment = "//"
block-comment = ["/*", "*/"]
[recognise]
lines = ["unit <name:word>"]
last = ["finis"]
[ports]
names = ["<n>"]
[defaults]
"port-security.limit" = 1
[[rule]]
pattern = "unit <name:word>"
sets = { "switch.name" = "<name>" }
[[rule]]
pattern = "finis"
[[rule]]
pattern = "greeting <end:word>"
until = "<end>"
[[rule]]
pattern = "quay <q:ports>"
opens = "quay"
ports = "<q>"
[[rule]]
in = "quay"
pattern = "max <n:int>"
sets = { "port-security.limit" = "<n>" }
"#;

#[rstest]
#[case::whole("unit sw1;\nquay 1 { max 2; }\nfinis;\n", &[])]
#[case::block("unit sw1;\nquay 1 { max 2;\n", &[Torn::Block, Torn::End])]
#[case::statement("unit sw1;\nquay 1 { max 2; }\nqua", &[Torn::Statement, Torn::End])]
#[case::close("unit sw1;\nquay 1 { max 2; } }\nfinis;\n", &[Torn::Close])]
#[case::comment("unit sw1;\nquay 1 { max 2; }\n/* once\nfinis;\n", &[Torn::Comment])]
#[case::free_text("unit sw1;\ngreeting END;\nwelcome;\nquay 1 { max 2; }\nfinis;\n", &[Torn::FreeText])]
#[case::more_behind("unit sw1;\nquay 1 { max 2; }\nfinis;\nquay 2 { max 9; }\n", &[Torn::Second])]
#[case::cut("unit sw1;\nquay 1 { max 2; }\n", &[Torn::End])]
fn texts_that_are_not_whole(#[case] text: &str, #[case] expected: &[Torn]) {
    let dialect = Arc::new(Dialect::load(&Arc::new(Source::of("groyne.toml", BRACES))).unwrap());
    let resolved = resolve("sw1", &dialect, Arc::new(Source::of("config.txt", text)));
    let torn: BTreeSet<Torn> = resolved.switch.torn().iter().map(|(_, torn)| *torn).collect();
    assert_eq!(torn, expected.iter().copied().collect());
    // The port is there whatever follows it.
    assert!(resolved.switch.ports().iter().any(|port| port.as_str() == "1"));
}

/// What stands behind a comment is read, what stands in it is not.
#[rstest]
#[case("quay 1 { max 2; /* max 9; */ }")]
#[case("/* was */ quay 1 { max 2; }")]
#[case("/* a\n b */ quay 1 { max 2; }")]
#[case("quay 1 { // max 9;\n max 2; }")]
#[case("quay /* 2 */ 1 { max 2; }")]
fn comments_stand_anywhere(#[case] text: &str) {
    let dialect = Arc::new(Dialect::load(&Arc::new(Source::of("groyne.toml", BRACES))).unwrap());
    let source = Arc::new(Source::of("config.txt", format!("unit sw1;\n{text}\nfinis;\n")));
    let switch = resolve("sw1", &dialect, source).switch;
    let limit = switch.setting(Some(0), yellowlegs_core::model::settings::LIMIT).value;
    assert_eq!((limit, switch.ports().len(), switch.unread().len(), switch.torn().len()), (Some(2), 1, 0, 0));
}

const SECTIONS: &str = r#"
[dialect]
name = "spit"
[text]
structure = "sections"
[recognise]
lines = ["unit <name:word>"]
[ports]
names = ["<n>/<n>"]
[[rule]]
pattern = "unit <name:word>"
[[rule]]
pattern = "QUAY"
opens = "quay"
ports = "<q>"
"#;

/// Lines below a title that nobody knows are not taken for the section before it.
#[rstest]
#[case::signs("'[' quay <q:ports> ']'", "[ quay 1/1 ]\nmax 2\n[ raft 1/2 ]\nmax 9\n")]
#[case::a_word("quay <q:ports>", "quay 1/1\nmax 2\nqaay 1/2\nmax 9\n")]
#[case::indented("quay <q:ports>", "quay 1/1\n max 2\nraft 1/2\n max 9\n")]
fn a_title_that_nobody_knows_ends_the_section_before(#[case] opener: &str, #[case] text: &str) {
    let rule = "[[rule]]\nin = 'quay'\npattern = 'max <n:int>'\nsets = { 'port-security.limit' = '<n>' }\n";
    let dialect = format!("{SECTIONS}{rule}").replace("QUAY", opener);
    let dialect =
        if opener.contains('[') { dialect.replace("\"sections\"", "\"sections\"\nsplit = \"[]\"") } else { dialect };
    let dialect = Arc::new(Dialect::load(&Arc::new(Source::of("spit.toml", dialect))).unwrap());
    let switch = resolve("sw1", &dialect, Arc::new(Source::of("config.txt", format!("unit sw1\n{text}")))).switch;
    let limit = switch.setting(Some(0), yellowlegs_core::model::settings::LIMIT).value;
    assert_eq!((limit, switch.unread().len()), (Some(2), 2), "{:?}", switch.unread());
}

#[test]
fn a_profile_that_is_not_there_leaves_its_ports_open() {
    let resolved = on_paths(&PATHS.replace("lay cut desk", "lay cut dusk"));
    let outcome = judged(&policy(POLICY), &resolved);
    let [found] = &outcome.findings.iter().filter(|f| f.check == "config/dangling").collect::<Vec<_>>()[..] else {
        panic!("{:?}", outcome.findings)
    };
    assert!(found.message.contains("desk") && found.evidence.iter().any(|line| line.text.contains("follows desk")));
    assert!(doubted(&outcome).contains_key("a:1") && doubted(&outcome).contains_key("a:2"));
}

const STATIONS: &str = "\
harbour clock 2031-03-04 06:20:00
Lane  Station            Socket  Kept   Silent for
";

fn with_state(table: &str) -> SwitchOutcome {
    let state = State {
        texts: vec![Arc::new(Source::of("sw1/tables.out", table))],
        as_of: as_of().moment(),
        ..State::default()
    };
    let source = Arc::new(Source::of("sw1/config.txt", RIGHT));
    judged(&policy(POLICY), &resolve_with("sw1", &shingle_without(&[]), source, &state))
}

/// A row that is not read could have been the one that matters: of its port, or where no row is read of every port.
#[rstest]
#[case::read("110   02:00:5e:10:00:01  1.1     heard  12s\n", &[])]
#[case::one_of_two("110   02:00:5e:10:00:01  1.1     heard  12s\n110   02:00:5e:10:00:02  1.2     moved  12s\n", &["1.2"])]
#[case::none("110   02:00:5e:10:00:01  1.1     moved  12s\n", &["1.1", "1.2", "1.3"])]
#[case::cut("", &[])]
fn rows_that_nobody_reads(#[case] rows: &str, #[case] expected: &[&str]) {
    let open = doubted(&with_state(&format!("{STATIONS}{rows}")));
    let ports: Vec<&str> = open.keys().map(String::as_str).filter(|place| *place != "-").collect();
    assert_eq!(ports, expected, "{open:?}");
    assert!(open.values().all(|checks| expected.is_empty() || checks.contains("port-security/over-limit")), "{open:?}");
}

/// A heading without its line's end is a text that was cut there.
#[test]
fn a_table_that_is_cut_behind_its_heading_tells_of_no_port() {
    let open = doubted(&with_state(STATIONS.trim_end()));
    assert!(open.contains_key("1.1") && open.contains_key("1.2"), "{open:?}");
}

#[test]
fn a_text_of_state_counts_once() {
    let text = format!("{STATIONS}110   02:00:5e:10:00:01  1.1     heard  12s\n");
    let once = Arc::new(Source::of("sw1/a.out", text.as_str()));
    let again = Arc::new(Source::of("sw1/b.out", text.as_str()));
    let state = State { texts: vec![once, again], as_of: as_of().moment(), ..State::default() };
    let source = Arc::new(Source::of("sw1/config.txt", RIGHT));
    let switch = resolve_with("sw1", &shingle_without(&[]), source, &state).switch;
    assert_eq!(switch.facts_of(yellowlegs_core::model::facts::station::FACT).count(), 1);
    assert!(switch.remarks().iter().any(|remark| remark.text.contains("word for word")));
}

/// What is saved is what runs, in every part of it.
#[rstest]
#[case::the_same("", "", "")]
#[case::a_line_nobody_reads("note \"spare\"\n", "note \"spare\"\n  lanterns bright\n", "undetermined")]
#[case::a_vlan("lane 110\n  asks\n", "lane 110\n", "vlan.querier on VLAN 110")]
#[case::a_port("sockets 1.1..1.3", "sockets 1.1..1.4", "port 1.4 is only in the saved copy")]
#[case::a_name("unit sw1", "unit sw01", "switch.name")]
#[case::a_mirror("asleep\n", "asleep\nlooking-glass 1\n  shows 1.1 both\n  onto 1.3\n", "mirror session")]
fn a_saved_copy_that_is_not_the_same(#[case] from: &str, #[case] to: &str, #[case] expected: &str) {
    let resolved = shingle(RIGHT);
    let saved = shingle(&if from.is_empty() { RIGHT.to_owned() } else { RIGHT.replacen(from, to, 1) });
    let resolved = resolved.with_saved(SavedCopy::Read(Arc::new(saved.switch)));
    let outcome = judged(&policy(POLICY), &resolved);
    let found: Vec<&str> =
        outcome.findings.iter().filter(|f| f.check == "config/unsaved").map(|f| f.message.as_str()).collect();
    let open = outcome.undetermined.iter().any(|open| open.check == "config/unsaved");
    match expected {
        "" => assert!(found.is_empty() && !open, "{found:?}"),
        "undetermined" => assert!(found.is_empty() && open, "{found:?}"),
        words => assert!(found.iter().any(|message| message.contains(words)), "{found:?}"),
    }
}

/// A record tells what is doubtful: read again, the same is open.
#[test]
fn a_record_keeps_its_doubts() {
    let resolved = shingle(&RIGHT.replacen("note \"desk\"\n", "note \"desk\"\n  lanterns bright\n", 1));
    let again = Resolved::from_record(from_record(&record(&resolved), "sw1"));
    let policy = policy(POLICY);
    let open = |resolved: &Resolved| doubted(&judged(&policy, resolved)).into_keys().collect::<Vec<_>>();
    assert_eq!(open(&again), open(&resolved));
    assert_eq!(open(&again), ["-", "1.1"]);
}

/// Where a line that says which ports there are is not understood, the switch has perhaps more than the rest names: what looks at
/// all of them is not met, whether the text or a record of it is judged.
#[rstest]
#[case::understood("sockets 1.1..1.4\n", &[])]
#[case::bent("sockets 1.1...1.4\n", &["mirror/overdrawn", "voice/power-overdrawn"])]
// The ends of the misspelt list are ports, so the source is there and judged.
#[case::misspelt("sokcets 1.1..1.4\n", &["voice/power-overdrawn"])]
#[case::another_line("chimes 1.1..1.4\nsockets 1.1..1.4\n", &[])]
fn ports_that_nothing_else_names_may_be_there(#[case] line: &str, #[case] expected: &[&str]) {
    // Both sources are ports that no other line names.
    let mirror = "looking-glass 1\n  shows 1.4 both\n  onto 1.3\n  awake\n";
    let resolved = shingle(&format!("{}{mirror}", RIGHT.replace("sockets 1.1..1.3\n", line)));
    let policy = policy(POLICY);
    let again = Resolved::from_record(from_record(&record(&resolved), "sw1"));
    for resolved in [resolved, again] {
        let outcome = judged(&policy, &resolved);
        let open = doubted(&outcome).remove("-").unwrap_or_default();
        assert!(expected.iter().all(|check| open.contains(check)), "{open:?}");
        let lines: BTreeSet<u32> = outcome
            .undetermined
            .iter()
            .filter(|open| *open.needs == ["every port"])
            .flat_map(|open| open.doubts.iter().map(|line| line.line))
            .collect();
        assert_eq!(lines, if expected.is_empty() { BTreeSet::new() } else { BTreeSet::from([2]) });
    }
}

/// A line about ports that is misspelt still says that they are there; one about anything else does not.
#[rstest]
#[case::misspelt("sokcet 1.7\n  asleep\n", &["1.1", "1.7"])]
#[case::cut("sockets 1.6..1.7 and\n", &["1.1", "1.6", "1.7"])]
#[case::about_something_else("lanterns of 1.7 bright\n", &["1.1"])]
fn ports_of_lines_that_are_not_understood(#[case] line: &str, #[case] expected: &[&str]) {
    let resolved = shingle(&format!("shingle 4 unit sw1\nsocket 1.1\n  asleep\n{line}"));
    let ports: Vec<&str> = resolved.switch.ports().iter().map(yellowlegs_core::model::PortName::as_str).collect();
    assert_eq!(ports, expected);
}

/// The name that a configuration gives itself, and its folder: the same in other customs, another switch, or nobody can say.
#[rstest]
#[case::the_same("quay-1", "quay-1", "")]
#[case::other_signs("QUAY_01", "quay-1", "")]
#[case::more_in_the_name("north-quay-1-a", "quay-1", "")]
#[case::less_in_the_name("quay", "quay-1", "")]
#[case::another_number("quay-2", "quay-1", "torn")]
#[case::a_number_more("quay-12", "quay-1", "torn")]
#[case::letters_and_digits_apart("quay1b", "quay-1-b", "")]
#[case::digits_that_are_letters_here("q1", "q2", "remark")]
#[case::unlike("harbour-office", "quay-1", "remark")]
fn whose_configuration_it_is(#[case] name: &str, #[case] folder: &str, #[case] expected: &str) {
    let text = RIGHT.replace("unit sw1", &format!("unit {name}"));
    let switch = resolve(folder, &shingle_without(&[]), Arc::new(Source::of("config.txt", text))).switch;
    let torn = switch.torn().iter().any(|(_, torn)| *torn == Torn::OtherSwitch);
    let remarked = switch.remarks().iter().any(|remark| remark.text.contains("its folder is"));
    assert_eq!((torn, remarked), (expected == "torn", expected == "remark"));
}

/// A header that comes again within its own few lines is no second text.
#[rstest]
#[case::at_once("", false)]
#[case::just_within("lane 130\nlane 131\n", false)]
#[case::just_behind("lane 130\nlane 131\nlane 132\n", true)]
#[case::after_much(
    "lane 130\nlane 131\nlane 132\nlane 133\nlane 134\nlane 135\nlane 136\nlane 137\nlane 138\nlane 139\n",
    true
)]
fn a_header_that_comes_again(#[case] between: &str, #[case] expected: bool) {
    // Whatever stands before the first.
    let before = "lane 110\nlane 111\nlane 112\nlane 113\nlane 114\nlane 115\nlane 116\nlane 117\nlane 118\n";
    for before in ["", before] {
        let resolved = shingle(&format!("{before}shingle 4 unit sw1\n{between}shingle 4 unit sw1\n"));
        assert_eq!(resolved.switch.torn().iter().any(|(_, torn)| *torn == Torn::Second), expected, "{before}");
    }
}

/// A rule of the house is open where a line that nobody understands could decide it, and names the line; elsewhere it is decided.
#[test]
fn a_rule_of_the_house_is_open_where_a_line_could_decide_it() {
    let rule = "[[rule]]\nid = 'house/room'\nmessage = 'm'\nremedy = 'r'\nwhen = 'port_security.limit > 8'\n";
    let policy = policy(&format!("{POLICY}{rule}"));
    let open = |text: &str| {
        let open = judged(&policy, &shingle(text)).undetermined.into_iter().filter(|one| one.check == "house/room");
        open.map(|one| (one.port.unwrap_or_default(), one.needs, one.doubts.len())).collect::<Vec<_>>()
    };
    assert_eq!(open(RIGHT), Vec::new());
    let one = RIGHT.replace("  note \"desk\"\nsocket 1.2", "  note \"desk\"\n  crowd ceilng 9\nsocket 1.2");
    let open = open(&one);
    assert_eq!(open.iter().map(|(port, ..)| &**port).collect::<Vec<_>>(), ["1.1"], "{open:?}");
    assert!(open.iter().all(|(_, needs, doubts)| !needs.is_empty() && *doubts == 1), "{open:?}");
}

/// Of the lines that could have decided a check each shape is told once, and of those that could not none; on a port with few such lines
/// as on one with many.
#[rstest]
#[case::few(1)]
#[case::many(10)]
fn the_lines_that_keep_a_check_open_are_told_by_shape(#[case] others: usize) {
    let other = [
        "gale brodcast 1%",
        "speech lnae 5",
        "dhcp pcae 5",
        "flutter wihtin 5",
        "home lnae 5",
        "tree crwon kept",
        "two-way wtach close",
        "bundle lnaes 5",
        "made off glass",
        "announces spech",
    ];
    let other: String = other.iter().take(others).flat_map(|line| ["  ", line, "\n"]).collect();
    // On both ports, and on one again.
    let text = RIGHT.replace("  crowd watch\n", "  crowd watch\n  crowd ceilng 9\n");
    let text =
        text.replace("  note \"desk\"\nsocket 1.2", &format!("  note \"desk\"\n  crowd ceilng 8\n{other}socket 1.2"));
    let first = text.lines().position(|line| line.contains("ceilng")).unwrap() as u32 + 1;
    let outcome = judged(&with("near"), &shingle(&text));
    let told = |check: &str| {
        let open =
            outcome.undetermined.iter().filter(|open| open.check == check && open.port.as_deref() == Some("1.1"));
        open.flat_map(|open| open.doubts.iter().map(|line| (&*line.shape, line.line))).collect::<Vec<_>>()
    };
    assert_eq!(told("port-security/limit-high"), [("crowd <word> <number>", first)]);
    assert!(told("guard/storm-missing").is_empty(), "that it is missing is certain");
    let shapes: BTreeSet<_> =
        outcome.undetermined.iter().flat_map(|open| &*open.doubts).map(|line| &line.shape).collect();
    assert!(shapes.len() >= others.min(4), "{shapes:?}");
}

/// What is open is told of the ports and checks that are chosen, of rules of the house as of others.
#[rstest]
#[case::all(Selection::default(), &["house/room 1.1", "house/room 1.2", "port-security/limit-high 1.1", "port-security/limit-high 1.2"])]
#[case::a_port(Selection { port: Some(only("1.2")), ..Selection::default() }, &["house/room 1.2", "port-security/limit-high 1.2"])]
#[case::the_rule(Selection { only: vec!["house".into()], ..Selection::default() }, &["house/room 1.1", "house/room 1.2"])]
#[case::a_check(Selection { only: vec!["port-security".into()], ..Selection::default() }, &["port-security/limit-high 1.1", "port-security/limit-high 1.2"])]
#[case::both(Selection { port: Some(only("1.1")), only: vec!["house".into()], ..Selection::default() }, &["house/room 1.1"])]
#[case::a_port_without(Selection { port: Some(only("1.3")), only: vec!["house".into()], ..Selection::default() }, &[])]
fn what_is_open_is_told_of_what_is_chosen(#[case] selection: Selection, #[case] expected: &[&str]) {
    let rule = "[[rule]]\nid = 'house/room'\nmessage = 'm'\nremedy = 'r'\nwhen = 'port_security.limit > 8'\n";
    let (policy, as_of) = (policy(&format!("{POLICY}{rule}")), as_of());
    // Without the limit that is in force where no line says one.
    let text = RIGHT.replace("  crowd ceiling 3 then shut-out\n", "");
    let dialect = shingle_without(&["port-security.limit"]);
    let resolved = resolve("sw1", &dialect, Arc::new(Source::of("sw1/config.txt", text)));
    let outcome = Judge::new(&policy, &as_of, &selection, false).switch(&resolved, resolved.lists()).outcome;
    let told: BTreeSet<String> = outcome
        .undetermined
        .iter()
        .filter(|one| {
            ["house/room", "port-security/limit-high"].contains(&one.check) && one.port.as_deref() != Some("1.3")
        })
        .map(|one| format!("{} {}", one.check, one.port.as_deref().unwrap_or("-")))
        .collect();
    assert_eq!(told, expected.iter().map(|line| (*line).to_owned()).collect());
    let foreign = outcome.undetermined.iter().find(|one| {
        let port = one.port.as_deref().unwrap_or_default();
        !selection.takes_check(one.check) || selection.names_ports() && !selection.takes_port(port, None)
    });
    assert!(foreign.is_none(), "{foreign:?}");
}

fn only(name: &str) -> GlobMatcher {
    Glob::new(name).unwrap().compile_matcher()
}
