//! Rows of many cells, each of which may be there or not, as one rule.

use proptest::prelude::*;
use rstest::rstest;

use super::{dialect, edited, fact, problems, read, written_again};

const CELLS: &str = "
[dialect]
name = 'row'
[ports]
names = ['s<n>']
[lists]
range = ['..']
item = ['+']
[text]
negation = 'not'
[[rule]]
pattern = 'seat <p:ports> [shut] [home <home:vlan>] [talk <talk:vlan>] [most <most:int>] [else (drop|tell <tell:(all=drop-and-report|close=disable-port)>)] [kept] [age <age:duration(never=0)>] [gale <gale:rate>] [swell <swell:rate>] [trust <trust:(none|priority|dscp|both)>] [mtu <mtu:int>] [runs <runs:speed>] [flutter <f:int> in <w:duration> [hold <h:duration(for good=0)>]] [fed <fed:watts>] [note <note:rest>]'
ports = '<p>'
sets = { 'port.access-vlan' = '<home>', 'port.voice-vlan' = '<talk>', 'port-security.limit' = '<most>', 'port-security.action' = '<tell>', 'port-security.aging' = '<age>', 'storm.broadcast' = '<gale>', 'storm.multicast' = '<swell>', 'port.trust' = '<trust>', 'port.mtu' = '<mtu>', 'port.speed' = '<runs>', 'flap.threshold' = '<f>', 'flap.window' = '<w>', 'flap.hold' = '<h>', 'power.limit' = '<fed>', 'port.description' = '<note>' }
negation = 'default'
[[rule]]
pattern = 'seat <p:ports> counts'
ports = '<p>'
sets = { 'port-security.enabled' = true }
negation = 'off'
[[rule]]
pattern = 'seat <p:ports> <w:word> bolted'
ports = '<p>'
sets = { 'port.enabled' = false }
";

#[rstest]
#[case::none_of_them("seat s1", "port.access-vlan", "unknown unknown")]
#[case::the_first("seat s1 shut home 110", "port.access-vlan", "110 port 1")]
#[case::one_in_the_middle("seat s1 age 5 min", "port-security.aging", "5 min port 1")]
#[case::words_of_a_hole("seat s1 age never mtu 9000", "port-security.aging", "0 s port 1")]
#[case::an_alternative("seat s1 else tell close kept", "port-security.action", "disable-port port 1")]
#[case::the_other_says_nothing("seat s1 else drop kept", "port-security.action", "unknown unknown")]
#[case::a_part_in_a_part("seat s1 flutter 4 in 10s hold for good", "flap.hold", "0 s port 1")]
#[case::without_it("seat s1 flutter 4 in 10s fed 15.4", "power.limit", "15.4 W port 1")]
#[case::a_choice("seat s1 runs 10G trust both", "port.trust", "unknown unknown")]
#[case::in_order("seat s1 trust both runs 10G", "port.trust", "both port 1")]
#[case::all(
    "seat s1..3+s7 shut home 110 talk 210 most 3 else drop kept age 1h gale 1% swell 5pps trust dscp mtu 1500 runs 1G \
             flutter 4 in 10s hold 2min fed 30 note the last of all",
    "port.description",
    "the last of all range 1"
)]
#[case::the_list_ends_before_a_cell("seat s1..3+s7 mtu 9000", "port.mtu", "9000 range 1")]
#[case::a_plain_rule_beside_it("seat s1 counts", "port-security.enabled", "true port 1")]
#[case::taken_back("seat s1 home 110 mtu 9000\nnot seat s1 mtu 9000", "port.mtu", "unknown unknown")]
#[case::the_others_stay("seat s1 home 110 mtu 9000\nnot seat s1 home 110", "port.access-vlan", "unknown unknown")]
fn in_force(#[case] text: &str, #[case] setting: &str, #[case] expected: &str) {
    let resolved = read(&dialect(CELLS), text);
    let out_of_order = text.contains("10G trust");
    assert_eq!(resolved.switch.unread().len(), usize::from(out_of_order), "{:?}", resolved.switch.unread());
    assert_eq!(fact(&resolved, &format!("s1 {setting}")), expected);
}

#[rstest]
#[case("s1 port.mtu", "9000", Some("seat s1 mtu 9000"))]
#[case("s1 port-security.action", "drop-and-report", Some("seat s1 else tell all"))]
#[case::what_stands_in_a_part_needs_the_others("s1 flap.hold", "0", None)]
fn a_cell_is_written_alone(#[case] setting: &str, #[case] value: &str, #[case] line: Option<&str>) {
    let resolved = read(&dialect(CELLS), "seat s1 most 3");
    assert_eq!(edited(&resolved, setting, value).ok(), line.map(|line| vec![line.to_owned()]));
}

#[test]
fn a_misspelt_cell_is_near_its_rule() {
    let text = "seat s1 home 110 most many\n";
    let language = dialect(CELLS);
    let resolved = read(&language, text);
    let unread = &resolved.switch.unread()[0];
    let (rule, word) = language.nearest_rule(text, unread.mark, 0).expect("no rule is near");
    assert!(rule.pattern.holes.iter().any(|hole| hole.name == "most"));
    assert_eq!(word.of(text), "many");
    // It could have said anything that the rule says; what it does not say stays.
    let doubtful = resolved.doubtful(yellowlegs_core::model::DoubtWidth::Block).expect("nothing is in doubt");
    assert_eq!(fact(&doubtful.resolved, "s1 port-security.limit"), "unknown unknown");
}

const HEAD: &str = "[dialect]\nname = 'x'\n[ports]\nnames = ['<n>']\n";
const WIDE: &str =
    "[a <a:int>] [b <b:int>] [c <c:int>] [d <d:int>] [e <e:int>] [f <f:int>] [g <g:int>] [h <h:int>] [i <i:int>]";

#[rstest]
#[case::two_rows("row {wide}", "row {wide}", "equal terms")]
#[case::a_rule_that_one_cell_makes("row {wide}", "row c <x:int>", "equal terms")]
#[case::beside_each_other("row {wide}", "line {wide}", "")]
#[case::told_apart_by_a_word("row {wide}", "row c <x:int> k", "")]
#[case::a_word_for_a_cell("row {wide} [<z:word>]", "row <x:text>", "equal terms")]
#[case::a_rest_behind("row {wide} [<z:rest>]", "row a <x:int> b 1 q", "equal terms")]
fn rows_that_meet(#[case] one: &str, #[case] other: &str, #[case] expected: &str) {
    let rule = |pattern: &str| format!("[[rule]]\npattern = '{}'\n", pattern.replace("{wide}", WIDE));
    let text = format!("{HEAD}{}{}", rule(one), rule(other));
    if expected.is_empty() {
        dialect(&text);
    } else {
        assert!(problems(&text).iter().any(|line| line.contains(expected)), "{:?}", problems(&text));
    }
}

#[test]
fn nothing_follows_a_rest_in_any_part() {
    let text = format!("{HEAD}[[rule]]\npattern = 'row {WIDE} ([x <r:rest>]|y) [z]'\n");
    assert!(problems(&text)[0].contains("nothing can follow `<r:rest>`"), "{:?}", problems(&text));
}

/// Twelve and thirty cells load at once, and a hostile line costs no more than a long one.
#[test]
fn cells_by_the_dozen() {
    let cells: Vec<String> = (0..30).map(|i| format!("[<w{i}:word>] [<n{i}:int>]")).collect();
    let cells = cells.join(" ");
    let language = dialect(&format!("{HEAD}[[rule]]\npattern = 'row {cells} end'\n"));
    let ones = "1 ".repeat(60);
    assert!(read(&language, &format!("row {ones}end")).switch.unread().is_empty());
    assert_eq!(read(&language, &format!("row {ones}1 end")).switch.unread().len(), 1);
}

proptest! {
    /// A row of any of the cells, in their order, sets what its cells say and nothing else, and is written the same.
    #[test]
    fn any_of_the_cells(there in prop::collection::vec(any::<bool>(), 9)) {
        const OF: [(&str, &str, &str); 9] = [
            ("home 110", "port.access-vlan", "110"), ("talk 210", "port.voice-vlan", "210"),
            ("most 3", "port-security.limit", "3"), ("age never", "port-security.aging", "0 s"),
            ("gale 5%", "storm.broadcast", "5 %"), ("trust dscp", "port.trust", "dscp"),
            ("mtu 9000", "port.mtu", "9000"), ("fed 7", "power.limit", "7 W"),
            ("note at the gate", "port.description", "at the gate"),
        ];
        let cells: Vec<&str> = OF.iter().zip(&there).filter(|(_, there)| **there).map(|(of, _)| of.0).collect();
        let text = format!("seat s1 {}\n", cells.join(" "));
        let language = dialect(CELLS);
        let resolved = read(&language, &text);
        prop_assert!(resolved.switch.unread().is_empty());
        for ((_, setting, value), there) in OF.into_iter().zip(there) {
            let silent = if setting == "port.description" { " default" } else { "unknown unknown" };
            let expected = if there { format!("{value} port 1") } else { silent.to_owned() };
            prop_assert_eq!(fact(&resolved, &format!("s1 {setting}")), expected);
        }
        written_again(&language, &text);
    }
}
