//! A sketch loads as it is, knows every line it was shown, and most of what it was not made for, by type.

use std::sync::Arc;

use crate::support;
use rstest::rstest;
use yellowlegs_core::dialect::{Dialect, sketch};
use yellowlegs_core::model::{DoubtWidth, settings};
use yellowlegs_core::resolve::resolve;
use yellowlegs_core::source::Source;

const DESKS_1: &str = include_str!("../../../demo/northquay/nq-desks-1/config.txt");
const DESKS_2: &str = include_str!("../../../demo/northquay/nq-desks-2/config.txt");
const GATES: &str = include_str!("../../../demo/northquay/nq-gates-1/config.txt");

const HALL: &str = include_str!("../../../demo/saltpan/sp-hall-1/config.txt");

const PATHS: &str = "put name quay-1
put berth a:1 vlan 110
put berth a:2 to 8, 12 vlan 110
put berth a:3 max 4 else close
put vlan 110 name \"desks\"
put vlan 120 asks from 192.0.2.1
put trusted 02:00:5e:10:00:01 for 5m
undo berth a:3 max
undo vlan 120 asks from
";

const BRACES: &str = "unit one;
vlan 110 { name \"desks\"; }
vlan 120 { name \"crew\"; }
quay q1-q4 { vlan 110; watch { max 3; } }
quay q5 { vlan 120; off; }
";

const SECTIONS: &str = "[unit]
name = quay-1
password = hunter2
[berths]
1.1 access 110
1.2-1.4 access 120
1.5 trunk 110,120-130
";

fn made(texts: &[&str]) -> (String, Dialect) {
    let written = sketch("new", texts).unwrap();
    let dialect = Dialect::load(&Arc::new(Source::of("new.toml", written.as_str())));
    (written.clone(), dialect.unwrap_or_else(|problems| panic!("{problems:#?}\n{written}")))
}

fn unread(dialect: &Dialect, text: &str) -> usize {
    dialect.read(&Source::of("t", text), 1).not_taken().count()
}

#[rstest]
#[case::indented(&[DESKS_1, DESKS_2, GATES])]
#[case::one(&[GATES])]
#[case::paths(&[PATHS])]
#[case::braces(&[BRACES])]
#[case::sections(&[SECTIONS])]
#[case::odd(&["a 'b\n\"c\n<d> [e] {f\n'' (g|h) ...\n  \\\n"])]
fn every_line_it_was_shown_is_known(#[case] texts: &[&str]) {
    let (written, dialect) = made(texts);
    for text in texts {
        assert_eq!(unread(&dialect, text), 0, "{written}");
        assert!(dialect.recognises(&Source::of("t", *text)) || written.contains("lines = []"));
    }
}

#[rstest]
#[case::indented(&[DESKS_1], &["structure = \"indent\"", "comment = \"#\"", "negation = \"without\"", "names = [\"<n>.<n>\"]", "range = [\"..\"]",
    "pattern = \"socket <socket:ports>\"\nnegation = \"default\"\nopens = \"socket\"\nports = \"<socket>\"", "pattern = \"home lane <lane:vlan>\"", "pattern = \"dhcp watch lanes <lanes:vlans>\"", "pattern = \"crowd ceiling <ceiling:int>"])]
#[case::paths(&[PATHS], &["structure = \"paths\"", "verb = \"put\"", "negation = \"undo\"", "names = [\"<a>:<n>\"]", "range = [\"to\"]", "carry = true",
    "berth <berth:ports> vlan <vlan:vlan>", "asks from <from:ip>", "<trusted:station> for <for:duration>"])]
#[case::own_words(&[HALL], &["water <water:vlan> plain <plain:ports>", "leases watched in <in:vlans>", "berth <berth:ports> voice water <water:vlan>", "berth <berth:ports> closed\"", "chart-key <chart-key:secret>"])]
#[case::braces(&[BRACES], &["structure = \"braces\"", "end = \";\"", "names = [\"q<n>\"]", "pattern = \"max <max:int>\"", "in = \"quay-watch\""])]
#[case::sections(&[SECTIONS], &["structure = \"sections\"", "title = ", "<ports:ports> trunk <trunk:vlans>", "<access:vlan>", "password = <password:secret>"])]
fn what_it_guesses(#[case] texts: &[&str], #[case] expected: &[&str]) {
    let (written, _) = made(texts);
    for words in expected {
        assert!(written.contains(words), "`{words}` is not in\n{written}");
    }
}

/// Most lines of a text it was not made for are known, and nearly none by a rule that swallows the rest.
#[rstest]
// A third of its words stand in no other text: what nobody showed cannot be known.
#[case(&[DESKS_1, GATES], DESKS_2, 18)]
#[case(&[DESKS_1, DESKS_2], GATES, 20)]
#[case(&[DESKS_2, GATES], DESKS_1, 32)]
fn texts_it_was_not_made_for(#[case] shown: &[&str], #[case] other: &str, #[case] most: usize) {
    let (written, dialect) = made(shown);
    let reading = dialect.read(&Source::of("t", other), 1);
    assert!(reading.not_taken().count() <= most, "{:?}", reading.unread);
    let rests = reading
        .statements
        .iter()
        .filter(|s| dialect.rules()[s.rule as usize].pattern.holes.iter().any(|h| h.name.starts_with("rest")));
    assert!(rests.count() * 20 <= reading.statements.len(), "{written}");
}

#[test]
fn a_secret_it_was_shown_is_not_in_it() {
    assert!(!made(&[SECTIONS]).0.contains("hunter2"));
}

/// What a sketch leaves to be filled in is known by its form and understood by nobody: each line in turn is settled by `sets`, or
/// by saying that it is about nothing, and only then counts as read.
#[test]
fn what_is_left_open_is_not_understood() {
    let text = "tern release 7 name quay-1\nberth 1/1-1/2\n  max 3\nberth 1/3\n  quiet\n";
    let written = sketch("tern", &[text]).unwrap();
    let count = |written: &str| {
        let dialect = support::dialect(written);
        let switch = resolve("quay-1", &dialect, Arc::new(Source::of("config.txt", text))).switch;
        (switch.unread().len(), switch.unread_statements(), switch.statements())
    };
    // The block says itself what it is about.
    assert_eq!(count(&written), (3, 3, 5), "{written}");
    let rule = |pattern: &str| format!("pattern = \"{pattern}\"\nabout = \"open\"\n");
    assert!(written.contains(&rule("max <max:int>")), "{written}");
    let filled = written.replace(
        &rule("max <max:int>"),
        "pattern = \"max <max:int>\"\nsets = { \"port-security.limit\" = \"<max>\" }\n",
    );
    assert_eq!(count(&filled), (2, 2, 5));
    let settled = filled.replace(&rule("quiet"), "pattern = \"quiet\"\nabout = \"nothing\"\n");
    assert_eq!(count(&settled), (1, 1, 5));
}

/// Each line of an open rule leaves in doubt what an unread line in its place would.
#[test]
fn an_open_line_casts_doubt_where_it_stands() {
    let rules = "[dialect]\nname = 'x'\n[ports]\nnames = ['<n>']\n[defaults]\n\"port.enabled\" = true\n\"port-security.enabled\" = false\n\
        [[rule]]\npattern = 'berths <all:ports>'\ndeclares = '<all>'\n\
        [[rule]]\npattern = 'berth <which:ports>'\nports = '<which>'\nopens = 'berth'\n\
        [[rule]]\nin = 'berth'\npattern = 'guarded'\n";
    let text = "berths 1-3\nberth 1\n  guarded\nberth 2\n  no guarded\n";
    let doubtful = |more: &str| {
        let text_of = format!("{}{rules}{more}\n", "[text]\nstructure = 'indent'\nnegation = 'no'\n");
        let dialect = support::dialect(&text_of);
        let resolved = resolve("q", &dialect, Arc::new(Source::of("config.txt", text)));
        let shadow = resolved.doubtful(DoubtWidth::Block);
        let enabled = |port: usize| {
            let switch = shadow.as_ref().map_or(&resolved.switch, |shadow| &shadow.resolved.switch);
            switch.setting(Some(port), settings::PORT_SECURITY).value
        };
        [enabled(0), enabled(1), enabled(2)]
    };
    assert_eq!(doubtful("about = 'open'"), [None, None, Some(false)]);
    assert_eq!(
        doubtful("sets = { 'port-security.enabled' = true }\nnegation = 'off'"),
        [Some(true), Some(false), Some(false)]
    );
    assert_eq!(doubtful("about = 'nothing'"), [Some(false), Some(false), Some(false)]);
}

#[test]
fn an_open_rule_says_nothing_yet() {
    let text = "[dialect]\nname = 'x'\n[ports]\nnames = ['<n>']\n[[rule]]\npattern = 'a <n:int>'\nabout = 'open'\nsets = { 'switch.name' = '<n>' }\n";
    let told = Dialect::load(&Arc::new(Source::of("x.toml", text))).unwrap_err();
    assert!(told.iter().any(|p| p.place.line == 8 && p.what.contains("open")), "{told:?}");
}

/// A statement of braces that goes on over lines, behind a text in quotes that no literal can name.
#[test]
fn a_statement_over_lines_behind_odd_words() {
    let text = "unit one;\n\"it's\nodd\" at the gate\nlane 1\n;\n";
    let written = sketch("new", &[text]).unwrap();
    let language = Arc::new(Dialect::load(&Arc::new(Source::of("new.toml", written.as_str()))).unwrap());
    let reading = language.read(&Source::of("t", text), 1);
    assert_eq!(reading.not_taken().count(), 0, "{written}");
}

/// Of two kinds of blocks of one name, the kind that is opened last is the profile that ports follow, also where it was seen before.
#[test]
fn of_two_blocks_of_one_name_the_last_counts() {
    let ports = "port 1/1\n  follows desk\nport 1/2\n  follows desk\nport 1/3\n  follows desk\n";
    let one = format!("system a\ntemplate desk\n  limit 3\nclass desk\n  rank 5\n{ports}");
    let other = format!("system b\ntemplate desk\n  limit 4\n{ports}");
    let written = sketch("new", &[&one, &other]).unwrap();
    assert!(written.contains("pattern = \"template <profile:word>\""), "{written}");
    assert!(written.contains("pattern = \"class desk\""), "{written}");
}
