//! Which words of a text prove a setting: the stretch that gives its value, on whatever line of a statement it stands, and the line after
//! which a list held something.

use rstest::rstest;
use yellowlegs_core::model::{SettingId, VlanId, settings};
use yellowlegs_core::resolve::Resolved;

use super::{dialect, read};

const BRACES: &str = "
[dialect]
name = 'weir'
[ports]
names = ['p<n>']
[text]
structure = 'braces'
end = ';'
[[rule]]
pattern = 'berth <p:port>'
opens = 'berth'
ports = '<p>'
[[rule]]
in = 'berth'
pattern = 'holds [for] <t:seconds>'
sets = { 'flap.hold' = '<t>' }
[[rule]]
in = 'berth'
pattern = 'sleeps'
sets = { 'port.enabled' = false }
";

const PATHS: &str = "
[dialect]
name = 'ria'
[ports]
names = ['p<n>']
[text]
structure = 'paths'
[[rule]]
pattern = 'water <id:vlan>'
opens = 'water'
vlan = '<id>'
adds = { 'switch.vlans' = '<id>' }
[[rule]]
in = 'water'
pattern = 'side <s:word>'
opens = 'side'
[[rule]]
in = ['water', 'side']
pattern = 'plain <b:ports>'
ports = '<b>'
sets = { 'port.access-vlan' = '<id>' }
";

/// What proves a setting of the first port, or of another: line, column and words.
fn proof(resolved: &Resolved, port: &str, id: SettingId) -> (u32, u32, String) {
    let slot = resolved.switch.slot(resolved.switch.port_index(port), id);
    let mark = resolved.deciding_words(slot.mark.unwrap(), id);
    let quote = resolved.switch.quote(mark).unwrap();
    let begins = quote.place.column as usize - 1;
    let words = quote.text.chars().skip(begins).take(quote.width as usize).collect();
    (quote.place.line, quote.place.column, words)
}

#[rstest]
#[case::on_one_line("berth p1 { holds for 60; }\n", settings::FLAP_HOLD.id, (1, 22, "60"))]
#[case::on_the_next("berth p1 {\n  holds for\n    60;\n}\n", settings::FLAP_HOLD.id, (3, 5, "60"))]
#[case::on_the_one_after("berth p1 {\n  holds\n  for\n\n     60; sleeps;\n}\n", settings::FLAP_HOLD.id, (5, 6, "60"))]
#[case::no_value("berth p1 { holds 60; sleeps; }\n", settings::ENABLED.id, (1, 22, "sleeps"))]
fn the_words_of_a_statement(#[case] text: &str, #[case] id: SettingId, #[case] expected: (u32, u32, &str)) {
    let (line, column, words) = proof(&read(&dialect(BRACES), text), "p1", id);
    assert_eq!((line, column, words.as_str()), expected);
}

/// On a line that is a whole path the value stands before the last part, or before the one in front of it; other lines have theirs.
#[rstest]
#[case::the_part_before("water 110 plain p1\n", "p1", (1, 7, "110"))]
#[case::of_its_own_line("water 110 plain p1\nwater 120 plain p2\n", "p2", (2, 7, "120"))]
#[case::two_parts_before("water 110 side left plain p1\n", "p1", (1, 7, "110"))]
#[case::behind_others("water 110 plain p1\nwater 130 side right plain p3\nwater 120 side left plain p2\n", "p2", (3, 7, "120"))]
#[case::with_others_behind("water 120 side left plain p2\nwater 110 plain p1\n", "p2", (1, 7, "120"))]
fn the_words_of_a_path(#[case] text: &str, #[case] port: &str, #[case] expected: (u32, u32, &str)) {
    let (line, column, words) = proof(&read(&dialect(PATHS), text), port, settings::ACCESS_VLAN.id);
    assert_eq!((line, column, words.as_str()), expected);
}

const LISTS: &str = "
[dialect]
name = 'fleat'
[ports]
names = ['p<n>']
[traits]
trunk-without-list = 'none'
[[rule]]
pattern = 'berth <p:port>'
opens = 'berth'
ports = '<p>'
[[rule]]
in = 'berth'
pattern = 'takes <v:vlans>'
adds = { 'port.tagged-vlans' = '<v>' }
[[rule]]
in = 'berth'
pattern = 'leaves <v:vlans>'
removes = { 'port.tagged-vlans' = '<v>' }
";

/// The line after which a list held a VLAN: the last that brought it. Of one that it does not hold, the line that decides the list.
#[rstest]
#[case::the_first("takes 110;takes 120;takes 130", 110, 2)]
#[case::in_the_middle("takes 110;takes 120;takes 130", 120, 3)]
#[case::the_last("takes 110;takes 120;takes 130", 130, 4)]
#[case::alone("takes 110,120", 120, 2)]
#[case::said_again("takes 110;takes 110", 110, 2)]
#[case::left_and_taken_again("takes 110;leaves 110;takes 120;takes 110", 110, 5)]
#[case::never("takes 110;takes 120", 999, 3)]
fn the_line_that_brought_it(#[case] lines: &str, #[case] vlan: u16, #[case] line: u32) {
    let text = format!("berth p1\n  {}\n", lines.replace(';', "\n  "));
    let resolved = read(&dialect(LISTS), &text);
    let vlan = VlanId::new(vlan.into()).unwrap();
    let brought = resolved.line_that_added(Some(0), settings::TAGGED_VLANS.id, vlan).unwrap();
    assert_eq!(brought.line(), line);
}
