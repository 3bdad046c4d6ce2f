//! Written here, here and here: what is in force, where it comes from, and which line decides.

use crate::support::{line, read, shingle_without};
use rstest::rstest;
use yellowlegs_core::model::{Setting, SettingId};

/// Value, origin and deciding line of a setting on port 1.1, as one text. Line 3 is the first of `lines`.
fn in_force(setting: &str, lines: &str, without: &[&str]) -> String {
    let dialect = shingle_without(without);
    let text = format!("shingle 4 unit t\nsockets 1.1..1.4\n{}\n", lines.replace(';', "\n"));
    let resolved = read(&dialect, &text);
    let slot = resolved.switch.slot(Some(0), SettingId::by_name(setting).unwrap());
    let value = slot.value.as_ref().map_or_else(|| "unknown".into(), ToString::to_string);
    let line = line(slot.mark.filter(|_| slot.origin.is_written())).map_or_else(String::new, |l| format!(" {l}"));
    format!("{value} {}{line}", slot.origin.word())
}

#[rstest]
// The platform's default, and silence where there is none.
#[case::default("port-security.limit", "socket 1.1", &[], "1 default")]
#[case::unknown("port-security.limit", "socket 1.1", &["port-security.limit"], "unknown unknown")]
// One port, a range, the later of two.
#[case::own("port-security.limit", "socket 1.1;  crowd ceiling 3", &[], "3 port 4")]
#[case::range("port-security.limit", "socket 1.1..1.3;  crowd ceiling 3", &[], "3 range 4")]
#[case::range_then_own("port-security.limit", "socket 1.1..1.3;  crowd ceiling 3;socket 1.1;  crowd ceiling 4", &[], "4 port 6")]
#[case::own_then_range("port-security.limit", "socket 1.1;  crowd ceiling 4;socket 1.1..1.3;  crowd ceiling 3", &[], "3 range 6")]
#[case::another_port("port-security.limit", "socket 1.2;  crowd ceiling 4", &[], "1 default")]
// Negation: back to the default, or off.
#[case::reset("port-security.limit", "socket 1.1;  crowd ceiling 4;  without crowd ceiling", &[], "1 default")]
#[case::reset_with_value("port-security.limit", "socket 1.1;  crowd ceiling 4;  without crowd ceiling 4", &[], "1 default")]
#[case::off("port-security.enabled", "socket 1.1;  crowd watch;  without crowd watch", &[], "false port 5")]
#[case::off_where_default_is_on("port.ingress-filtering", "socket 1.1;  without strict entry", &[], "false port 4")]
// Global defaults with their reach, and what wins over them.
#[case::global("port.acceptable-frames", "every socket;  admit tagged", &[], "tagged global 4")]
#[case::reaches_access("port.acceptable-frames", "every single socket;  admit tagged;socket 1.1;  carries single", &[], "tagged global 4")]
#[case::not_a_trunk("port.acceptable-frames", "every single socket;  admit tagged;socket 1.1;  carries bundle", &[], "all default")]
#[case::unknown_mode("port.acceptable-frames", "every single socket;  admit tagged", &["port.mode"], "unknown unknown")]
#[case::own_over_global("port.acceptable-frames", "socket 1.1;  admit all;every socket;  admit tagged", &[], "tagged global 6")]
#[case::own_wins("port.acceptable-frames", "socket 1.1;  admit every;every socket;  admit tagged", &[], "all port 4")]
#[case::global_mode("port.acceptable-frames", "every socket;  carries single;every single socket;  admit tagged", &[], "tagged global 6")]
#[case::later_global("port.acceptable-frames", "every socket;  admit tagged;  admit untagged", &[], "untagged global 5")]
// Lists: begun, added to, taken from.
#[case::every("port.tagged-vlans", "socket 1.1;  carries bundle", &[], "all default")]
#[case::without_list_unknown("port.tagged-vlans", "socket 1.1;  carries bundle", &["trunk-without-list"], "unknown unknown")]
#[case::list("port.tagged-vlans", "socket 1.1;  bundle lanes 110..112,120", &[], "110-112,120 port 4")]
#[case::list_again("port.tagged-vlans", "socket 1.1;  bundle lanes 110;  bundle lanes 120", &[], "120 port 5")]
#[case::more("port.tagged-vlans", "socket 1.1;  bundle lanes 110;  bundle lanes more 120", &[], "110,120 port 5")]
// One rule for both: what is added to, or taken from, is what the trunk carries by then.
#[case::more_than_all("port.tagged-vlans", "socket 1.1;  bundle lanes more 120", &[], "all port 4")]
#[case::less("port.tagged-vlans", "socket 1.1;  bundle lanes less 2..4094", &[], "1 port 4")]
#[case::every_word("port.tagged-vlans", "socket 1.1;  bundle lanes 110;  bundle lanes every", &[], "all port 5")]
#[case::gathered("dhcp-snooping.vlans", "dhcp watch lanes 110;dhcp watch lanes 120..121", &[], "110,120-121 global 4")]
#[case::one_taken_back("dhcp-snooping.vlans", "dhcp watch lanes 110..112;without dhcp watch lanes 111", &[], "110,112 global 4")]
#[case::all_taken_back("dhcp-snooping.vlans", "dhcp watch lanes 110..112;without dhcp watch lanes", &[], "none default")]
#[case::defined("switch.vlans", "lane 110;lane 120", &[], "1,110,120 vlan 4")]
#[case::undefined("switch.vlans", "lane 110;lane 120;without lane 110", &[], "1,120 vlan 5")]
#[case::stations("port-security.pinned-stations", "socket 1.1;  crowd kept 0200.5e10.0001;  crowd kept 02-00-5E-10-00-02 lane 110", &[], "02:00:5e:10:00:01, 02:00:5e:10:00:02@110 port 5")]
#[case::station_gone("port-security.pinned-stations", "socket 1.1;  crowd kept 02005e100001 lane 9;  without crowd kept 02:00:5e:10:00:01", &[], "none port 5")]
// Text, with and without quotes; no VLAN; words that stand for values.
#[case::quoted("port.description", "socket 1.1;  note \"two words\"", &[], "two words port 4")]
#[case::one_word("port.description", "socket 1.1;  note one", &[], "one port 4")]
#[case::no_vlan("port.access-vlan", "socket 1.1;  home lane none", &[], "none port 4")]
#[case::duration("port-security.aging", "socket 1.1;  crowd forget after 1h30m", &[], "90 min port 4")]
#[case::word("port.mode", "socket 1.1;  carries bargain", &[], "negotiated port 4")]
#[case::optional("port-security.action", "socket 1.1;  crowd ceiling 3 then shut-out", &[], "disable-port port 4")]
#[case::optional_absent("port-security.action", "socket 1.1;  crowd ceiling 3", &[], "drop default")]
// What is inside a block nobody knows is not taken for what it looks like.
#[case::unknown_block("port-security.enabled", "tower 9;  crowd watch", &[], "false default")]
#[case::inside_a_line("port-security.enabled", "socket 1.1;  asleep;    crowd watch", &[], "false default")]
fn what_is_in_force(#[case] setting: &str, #[case] lines: &str, #[case] without: &[&str], #[case] expected: &str) {
    assert_eq!(in_force(setting, lines, without), expected);
}

#[test]
fn ports_come_from_every_statement_in_natural_order() {
    let text = "shingle 4 unit t\nsockets 1.9..1.11\nsocket 2.1,1.2\n  asleep\nsocket 1.20..2.4\n  asleep\n";
    let switch = read(&shingle_without(&[]), text).switch;
    let names: Vec<&str> = switch.ports().iter().map(yellowlegs_core::model::PortName::as_str).collect();
    // Of a range across parts its ends are there at the least.
    assert_eq!(names, ["1.2", "1.9", "1.10", "1.11", "1.20", "2.1", "2.4"]);
    // It takes the ports that are between them.
    let enabled: Vec<Setting<bool>> =
        (0..7).map(|i| switch.setting(Some(i), yellowlegs_core::model::settings::ENABLED)).collect();
    assert_eq!(
        enabled.iter().map(|s| s.value).collect::<Vec<_>>(),
        [Some(false), Some(true), Some(true), Some(true), Some(false), Some(false), Some(false)]
    );
}

#[rstest]
#[case::unknown_word("lantern bright 3", "<word> <word> <number>")]
#[case::known_words_stay("crowd kept hunter2 lane 9", "crowd kept <word> lane <number>")]
#[case::quoted("socket \"1\" 02:00:5e:00:00:01 1.7", "socket <text> <station> <port>")]
fn unread_lines_are_kept_and_masked(#[case] unread: &str, #[case] shape: &str) {
    let resolved = read(&shingle_without(&[]), &format!("shingle 4 unit t\n{unread}\n"));
    let told: Vec<(u32, &str)> = resolved.switch.unread().iter().map(|u| (u.mark.line(), &*u.shape)).collect();
    assert_eq!(told, [(2, shape)]);
}

#[rstest]
#[case::value("crowd ceiling 3 then shut-out", "port-security.limit", "3")]
#[case::chosen_word("crowd ceiling 3 then shut-out", "port-security.action", "shut-out")]
#[case::list("bundle lanes 110, 120 .. 130", "port.tagged-vlans", "110, 120 .. 130")]
#[case::whole_statement("crowd watch", "port-security.enabled", "crowd watch")]
fn the_deciding_words_are_marked(#[case] statement: &str, #[case] setting: &str, #[case] expected: &str) {
    let resolved = read(&shingle_without(&[]), &format!("shingle 4 unit t\nsocket 1.1\n  {statement}\n"));
    let id = SettingId::by_name(setting).unwrap();
    let mark = resolved.deciding_words(resolved.switch.slot(Some(0), id).mark.unwrap(), id);
    let quote = resolved.switch.quote(mark).unwrap();
    let words: String = quote.text.chars().skip(quote.place.column as usize - 1).take(quote.width as usize).collect();
    assert_eq!((words.as_str(), quote.place.line), (expected, 3));
}

/// Each hole of a line has words of its own, on every line that says the same, wherever it begins.
#[test]
fn the_deciding_words_of_each_hole() {
    let line = "crowd ceiling 3 then shut-out";
    let text = format!("shingle 4 unit t\nsocket 1.1\n  {line}\nsocket 1.2\n      {line}\n");
    let resolved = read(&shingle_without(&[]), &text);
    let words = |port: usize, setting: &str| {
        let id = SettingId::by_name(setting).unwrap();
        let mark = resolved.deciding_words(resolved.switch.slot(Some(port), id).mark.unwrap(), id);
        let quote = resolved.switch.quote(mark).unwrap();
        (quote.place.line, quote.place.column, quote.width)
    };
    for (port, line, column) in [(0, 3, 17), (1, 5, 21), (0, 3, 17)] {
        assert_eq!(words(port, "port-security.limit"), (line, column, 1));
        assert_eq!(words(port, "port-security.action"), (line, column + 7, 8));
    }
}
