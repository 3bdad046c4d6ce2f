//! Several things in one statement: more than one port list, a VLAN and ports at once, lists of pairs, items one after
//! the other on a line; in texts of each structure.

use rstest::rstest;

use super::{dialect, edited, fact, problems, read, written_again};

/// A row of one VLAN with two lists, each of which may be missing.
const ROWS: &str = "
[dialect]
name = 'reef'
[ports]
names = ['<a>:<n>']
[lists]
range = ['..']
item = [',']
[text]
structure = 'sections'
title = ['= <t:word>']
negation = 'not'
[defaults]
'port.voice-vlan' = 'none'
[traits]
mode-from = 'membership'
[[rule]]
pattern = '= pools'
opens = 'pools'
[[rule]]
in = 'pools'
pattern = '<v:vlan> [<name:text>] [bare <bare:ports>] [marked <marked:ports>]'
vlan = '<v>'
sets = { 'vlan.name' = '<name>' }
adds = { 'switch.vlans' = '<v>' }
negation = 'default'
also = [
    { ports = '<bare>', sets = { 'port.access-vlan' = '<v>', 'port.native-vlan' = '<v>' } },
    { ports = '<marked>', adds = { 'port.tagged-vlans' = '<v>' } },
]
";

const ROWS_TEXT: &str = "= pools
110 desks bare a:1..3 marked b:1
120 marked b:1, a:4
130 bare a:4
140
";

/// Items behind a sign, each with a word of its own; and pairs.
const ITEMS: &str = "
[dialect]
name = 'bank'
[ports]
names = ['<a>:<n>']
[lists]
range = ['..']
item = [',']
[text]
structure = 'indent'
split = ';='
split-ends = ':,'
negation = 'not'
[defaults]
'port.access-vlan' = 1
'port.voice-vlan' = 'none'
[traits]
mode-from = 'membership'
[[rule]]
pattern = 'pool <v:vlan> :'
vlan = '<v>'
adds = { 'switch.vlans' = '<v>' }
goes-on = 'member'
[[rule]]
in = 'member'
pattern = '<p:ports> bare [(;|,)]'
ports = '<p>'
sets = { 'port.access-vlan' = '<v>', 'port.native-vlan' = '<v>' }
negation = 'default'
[[rule]]
in = 'member'
pattern = '<p:ports> marked [(;|,)]'
ports = '<p>'
adds = { 'port.tagged-vlans' = '<v>' }
negation = 'default'
[[rule]]
pattern = 'speak'
goes-on = 'speak'
[[rule]]
in = 'speak'
pattern = '<p:port> = <v:vlan> [,]'
ports = '<p>'
sets = { 'port.voice-vlan' = '<v>' }
";

const ITEMS_TEXT: &str = "pool 110: a:3..5 bare; b:1..2,b:7 marked
pool 120: b:1 marked
pool 130:
speak a:3=210, a:4 = 211
not pool 110: a:4 bare; b:7 marked
";

#[rstest]
#[case(ROWS, ROWS_TEXT, "a:2 port.access-vlan", "110 range 2")]
#[case::one_of_the_list(ROWS, ROWS_TEXT, "a:4 port.access-vlan", "130 port 4")]
#[case::both_in_one_row(ROWS, ROWS_TEXT, "b:1 port.tagged-vlans", "110,120 range 3")]
#[case(ROWS, ROWS_TEXT, "b:1 port.mode", "trunk implied")]
#[case(ROWS, ROWS_TEXT, "vlan 110 vlan.name", "desks vlan 2")]
#[case(ROWS, ROWS_TEXT, "switch.vlans", "110,120,130,140 vlan 5")]
#[case::negated_it_takes_back_all(
    ROWS,
    "= pools\n110 bare a:1..2 marked b:1\nnot 110 bare a:2 marked b:1\n",
    "a:2 port.access-vlan",
    "unknown unknown"
)]
#[case(
    ROWS,
    "= pools\n110 bare a:1..2 marked b:1\nnot 110 bare a:2 marked b:1\n",
    "b:1 port.tagged-vlans",
    "none port 3"
)]
#[case(ITEMS, ITEMS_TEXT, "a:3 port.access-vlan", "110 vlan 1")]
#[case::taken_back(ITEMS, ITEMS_TEXT, "a:4 port.access-vlan", "1 default")]
#[case(ITEMS, ITEMS_TEXT, "b:1 port.tagged-vlans", "110,120 vlan 2")]
#[case::without_items(ITEMS, ITEMS_TEXT, "switch.vlans", "110,120,130 vlan 3")]
#[case(ITEMS, ITEMS_TEXT, "a:4 port.voice-vlan", "211 port 4")]
fn in_force(#[case] language: &str, #[case] text: &str, #[case] asked: &str, #[case] expected: &str) {
    let resolved = read(&dialect(language), text);
    assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
    assert_eq!(fact(&resolved, asked), expected);
}

#[rstest]
#[case(ROWS, ROWS_TEXT)]
#[case(ITEMS, ITEMS_TEXT)]
fn what_is_read_is_written(#[case] language: &str, #[case] text: &str) {
    let written = written_again(&dialect(language), text);
    // A line for each line.
    assert_eq!(written.lines().count(), text.lines().count(), "{written}");
}

#[rstest]
#[case(ROWS, ROWS_TEXT, "a:4 port.tagged-vlans", "110,120", &["= pools", "110 marked a:4"])]
#[case::what_else_the_row_says_stays(ROWS, ROWS_TEXT, "vlan 110 vlan.name", "crew", &["= pools", "110 crew"])]
#[case(ITEMS, ITEMS_TEXT, "a:5 port.tagged-vlans", "120", &["pool 120 : a:5 marked"])]
#[case::negated(ITEMS, ITEMS_TEXT, "b:1 port.tagged-vlans", "120", &["not pool 110 : b:1 marked"])]
#[case(ITEMS, ITEMS_TEXT, "a:5 port.voice-vlan", "212", &["speak a:5 = 212"])]
fn a_change_is_one_line(
    #[case] language: &str,
    #[case] text: &str,
    #[case] setting: &str,
    #[case] value: &str,
    #[case] expected: &[&str],
) {
    let resolved = read(&dialect(language), text);
    assert_eq!(
        edited(&resolved, setting, value).as_deref(),
        Ok(&expected.iter().map(|s| (*s).into()).collect::<Vec<String>>()[..])
    );
}

/// An item that nobody knows leaves its line unread, and in doubt what the line is about.
#[rstest]
#[case::the_last("pool 110: a:3 bare; b:1 marked; b:2 barred\n", "b:2")]
#[case::the_first("pool 110: b:2 barred; a:3 bare\n", "b:2")]
fn an_item_that_nobody_knows(#[case] text: &str, #[case] port: &str) {
    let language = dialect(ITEMS);
    let resolved = read(&language, &format!("speak a:3=210, b:2=210\n{text}"));
    assert_eq!(resolved.switch.unread().len(), 1, "{:?}", resolved.switch.unread());
    let doubtful = resolved.doubtful(yellowlegs_core::model::DoubtWidth::Block).expect("nothing is in doubt");
    assert_eq!(fact(&doubtful.resolved, &format!("{port} port.access-vlan")), "unknown unknown");
}

/// A line of very many items is read without a word of stack for each.
#[test]
fn a_line_of_forty_thousand_items() {
    let items: Vec<String> = (0..40_000).map(|i| format!("a:{} bare;", i % 200)).collect();
    let items = items.join(" ");
    let resolved = read(&dialect(ITEMS), &format!("pool 110: {items}\n"));
    assert!(resolved.switch.unread().is_empty());
    assert_eq!(resolved.switch.ports().len(), 200);
}

const HEAD: &str = "[dialect]\nname = 'x'\n[ports]\nnames = ['<n>']\n[[rule]]\npattern = 'a <p:ports> <v:vlan>'\n";

#[rstest]
#[case::of_nothing("also = [ { sets = { 'port.enabled' = true } } ]", "7:10 `also` says what else the line is about")]
#[case::unknown_key("also = [ { port = '<p>' } ]", "unknown key `port` in [[also]] | did you mean `ports`?")]
#[case::idle_key("also = [ { ports = '<p>', uses = 'x' } ]", "unknown key `uses` in [[also]]")]
#[case::no_such_hole("also = [ { ports = '<q>' } ]", "7:20 no hole is named `q`")]
#[case::of_another_scope(
    "also = [ { ports = '<p>', sets = { 'vlan.querier' = true } } ]",
    "`vlan.querier` belongs to a vlan"
)]
#[case::two_ways_on("opens = 'b'\ngoes-on = 'c'", "8:1 `goes-on` says that the line goes on with statements")]
#[case::open("about = 'open'\nalso = [ { ports = '<p>' } ]", "8:1 `also` says something")]
fn mistakes(#[case] rule: &str, #[case] expected: &str) {
    let told = problems(&format!("{HEAD}{rule}\n"));
    assert!(told.iter().any(|line| line.contains(expected)), "{told:#?}");
}
