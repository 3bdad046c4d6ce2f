//! Ways of giving values: types and units of the dialect's own, words beside a type, lists of stations.

use rstest::rstest;

use super::{dialect, edited, fact, problems, read, written_again};

const LANGUAGE: &str = "
[dialect]
name = 'tide'
[ports]
names = ['p<n>']
[text]
negation = 'not'
[types]
aye = '(aye=true|nay=false)'
wait = 'duration(until freed=0|for ever=0)'
far = 'rate(any=none)'
[units]
seconds = { watch = 14400, bell = 1800 }
packets-per-second = { 'kf/t' = 1000 }
packets-per-minute = { drip = 1 }
kilobits-per-second = { river = 8000 }
megabits-per-second = { knot = 100 }
milliwatts = { candle = 500 }
[[rule]]
pattern = 'berth <p:ports>'
opens = 'berth'
ports = '<p>'
[[rule]]
in = 'berth'
pattern = 'open <x:aye>'
sets = { 'port.enabled' = '<x>' }
[[rule]]
in = 'berth'
pattern = 'flutter holds <t:wait>'
sets = { 'flap.hold' = '<t>' }
[[rule]]
in = 'berth'
pattern = 'gale <r:far>'
sets = { 'storm.broadcast' = '<r>' }
[[rule]]
in = 'berth'
pattern = 'squall [<r:rate>]'
sets = { 'storm.multicast' = ['<r>', '100pps'] }
[[rule]]
in = 'berth'
pattern = 'runs <s:speed>'
sets = { 'port.speed' = '<s>' }
[[rule]]
in = 'berth'
pattern = 'draws <w:watts>'
sets = { 'power.limit' = '<w>' }
[[rule]]
in = 'berth'
pattern = 'knows <s:stations>'
adds = { 'port-security.written-stations' = '<s>' }
negation = 'default'
[[rule]]
in = 'berth'
pattern = 'keeps <s:stations> in <v:vlan>'
adds = { 'port-security.pinned-stations' = '<s>@<v>' }
negation = 'default'
";

fn said(line: &str) -> String {
    format!("berth p1\n  {line}\n")
}

#[rstest]
#[case::yes("open aye", "port.enabled", "true")]
#[case::no("open nay", "port.enabled", "false")]
#[case::its_own_unit("flutter holds 2 watch", "flap.hold", "8 h")]
#[case::in_one_word("flutter holds 2watch", "flap.hold", "8 h")]
#[case::several_units("flutter holds 1 watch 1 bell 30 s", "flap.hold", "16230 s")]
#[case::half_a_unit("flutter holds 0.5bell", "flap.hold", "15 min")]
#[case::words_for_ever("flutter holds until freed", "flap.hold", "0 s")]
#[case::other_words("flutter holds for ever", "flap.hold", "0 s")]
#[case::a_known_unit("flutter holds 5 min", "flap.hold", "5 min")]
#[case::per_second("gale 40/s", "storm.broadcast", "40 pps")]
#[case::per_minute("gale 30/min", "storm.broadcast", "30 packets/min")]
#[case::in_two_words("gale 30 /min", "storm.broadcast", "30 packets/min")]
#[case::its_own_rate("gale 2 kf/t", "storm.broadcast", "2000 pps")]
#[case::its_own_slow_rate("gale 7drip", "storm.broadcast", "7 packets/min")]
#[case::its_own_bits("gale 1.5river", "storm.broadcast", "12000 kbps")]
#[case::none_of_it("gale any", "storm.broadcast", "none")]
#[case::where_nothing_is_said("squall", "storm.multicast", "100 pps")]
#[case::where_something_is("squall 3%", "storm.multicast", "3 %")]
#[case::speed("runs 10knot", "port.speed", "1000")]
#[case::power("draws 31candle", "power.limit", "15.5 W")]
#[case::stations(
    "knows 02:00:5e:10:00:01, 0200.5e10.0002",
    "port-security.written-stations",
    "02:00:5e:10:00:01, 02:00:5e:10:00:02"
)]
#[case::stations_of_a_vlan(
    "keeps 02-00-5e-10-00-01,02-00-5e-10-00-02 in 110",
    "port-security.pinned-stations",
    "02:00:5e:10:00:01@110, 02:00:5e:10:00:02@110"
)]
fn values(#[case] line: &str, #[case] setting: &str, #[case] expected: &str) {
    let language = dialect(LANGUAGE);
    let resolved = read(&language, &said(line));
    assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
    assert_eq!(fact(&resolved, &format!("p1 {setting}")), format!("{expected} port 2"));
    written_again(&language, &said(line));
}

#[rstest]
#[case::no_such_unit("flutter holds 2 watches")]
#[case::half_of_the_words("flutter holds until")]
#[case::a_unit_of_another_measure("draws 2watch")]
#[case::a_range_of_stations("knows 02:00:5e:10:00:01,")]
#[case::another_word("open yes")]
fn no_values(#[case] line: &str) {
    assert_eq!(read(&dialect(LANGUAGE), &said(line)).switch.unread().len(), 1);
}

#[rstest]
#[case("p1 port.enabled", "false", "  open nay")]
#[case("p1 flap.hold", "0", "  flutter holds until freed")]
#[case("p1 flap.hold", "90", "  flutter holds 90s")]
#[case("p1 storm.broadcast", "30/min", "  gale 30/min")]
#[case("p1 storm.broadcast", "none", "  gale any")]
#[case("p1 port-security.written-stations", "02:00:5e:10:00:07", "  knows 02:00:5e:10:00:07")]
#[case("p1 port-security.pinned-stations", "02:00:5e:10:00:07@110", "  keeps 02:00:5e:10:00:07 in 110")]
fn a_value_is_written_in_its_words(#[case] setting: &str, #[case] value: &str, #[case] line: &str) {
    let resolved = read(&dialect(LANGUAGE), &said("open aye"));
    assert_eq!(edited(&resolved, setting, value), Ok(vec!["berth p1".to_owned(), line.to_owned()]));
}

const HEAD: &str = "[dialect]\nname = 'x'\n[ports]\nnames = ['<n>']\n[[rule]]\npattern = 'a <x:yes>'\n";

#[rstest]
#[case::a_known_type("[types]\nint = '(a=1)'", "8:1 a type of holes cannot be named `int` | take a word")]
#[case::no_text("[types]\nyes = 3", "8:7 a type of holes is a text")]
#[case::no_such_type("[types]\nyes = 'durration(x=0)'", "`durration` is no type of hole | did you mean `duration`?")]
#[case::misspelt("[types]\nyess = '(a=1)'", "6:14 `yes` is no type of hole | did you mean `yess`?")]
#[case::unknown_measure("[units]\nsecond = { watch = 1 }", "unknown key `second` in [units] | did you mean `seconds`?")]
#[case::a_digit_in_front("[units]\nseconds = { '4h' = 1 }", "8:13 `4h` is no unit")]
#[case::nothing_of_it("[units]\nseconds = { watch = 0 }", "`watch` is no unit")]
#[case::no_number("[units]\nseconds = { watch = '4h' }", "`watch` is no unit")]
#[case::a_value_that_is_none(
    "[types]\nyes = '(a=1|b=two)'\n[[rule]]\npattern = 'b <n:yes>'\nsets = { 'spanning-tree.priority' = '<n>' }",
    "`two`"
)]
fn mistakes(#[case] more: &str, #[case] expected: &str) {
    let told = problems(&format!("{HEAD}{more}\n"));
    assert!(told.iter().any(|line| line.contains(expected)), "{told:#?}");
}

/// A range of stations by how many they are: more than 2^32, too.
#[rstest]
#[case::few("02:00:5e:20:00:00 for 256", Some("02:00:5e:20:00:00-02:00:5e:20:00:ff"))]
#[case::one("02:00:5e:20:00:00 for 1", Some("02:00:5e:20:00:00-02:00:5e:20:00:00"))]
#[case::more_than_a_word_holds("02:00:00:00:00:00 for 1099511627776", Some("02:00:00:00:00:00-02:ff:ff:ff:ff:ff"))]
#[case::to_the_last("ff:ff:ff:ff:ff:00 for 256", Some("ff:ff:ff:ff:ff:00-ff:ff:ff:ff:ff:ff"))]
#[case::beyond_the_last("ff:ff:ff:ff:ff:00 for 257", None)]
#[case::none("02:00:5e:20:00:00 for 0", None)]
#[case::no_number("02:00:5e:20:00:00 for all", None)]
#[case::more_than_there_are("02:00:5e:20:00:00 for 18446744073709551615", None)]
fn counted_ranges(#[case] words: &str, #[case] expected: Option<&str>) {
    let language = "[dialect]\nname = 'x'\n[ports]\nnames = ['p<n>']\n[lists]\ncounted = ['for']\n[[rule]]\n\
                    pattern = 'phones <r:station-range> in <v:vlan>'\nadds = { 'switch.address-ranges' = '<r>@<v>' }\n";
    let resolved = read(&dialect(language), &format!("phones {words} in 210\n"));
    let shown = fact(&resolved, "switch.address-ranges");
    match expected {
        Some(range) => assert_eq!(shown, format!("{range}@210 global 1")),
        None => assert_eq!(resolved.switch.unread().len(), 1, "{shown}"),
    }
}

/// A pair of single things: a station and its VLAN, a mark and its queue; a name that is a number.
const ONE_BY_ONE: &str = "
[dialect]
name = 'eddy'
[recognise]
lines = ['vessel <n:int>']
[ports]
names = ['p<n>']
[[rule]]
pattern = 'vessel <n:int>'
sets = { 'switch.name' = '<n>' }
[[rule]]
pattern = 'berths <p:ports>'
declares = '<p>'
[[rule]]
pattern = 'whoever is <s:station> sits in <v:vlan>'
adds = { 'switch.address-ranges' = '<s>@<v>' }
[[rule]]
pattern = 'mark <d:int> waits in <q:int>'
adds = { 'queue.dscp-map' = '<d>@<q>' }
";

#[rstest]
#[case::a_station(
    "whoever is 02:00:5e:00:00:01 sits in 210\n",
    "switch.address-ranges",
    "02:00:5e:00:00:01-02:00:5e:00:00:01@210 global 3"
)]
#[case::a_mark("mark 46 waits in 7\nmark 24 waits in 5\n", "queue.dscp-map", "24:5, 46:7 global 4")]
#[case::a_name("", "switch.name", "7 global 1")]
fn single_things_make_pairs(#[case] lines: &str, #[case] setting: &str, #[case] value: &str) {
    let dialect = dialect(ONE_BY_ONE);
    let resolved = read(&dialect, &format!("vessel 7\nberths p1..p4\n{lines}"));
    assert_eq!(fact(&resolved, setting), value);
}

/// A second header behind four other statements begins another configuration, where a number is the name as where a word is.
#[rstest]
#[case::another_vessel("vessel 8", true)]
#[case::the_same_again("vessel 7", false)]
fn a_number_is_a_name(#[case] header: &str, #[case] is_second: bool) {
    let lines = "mark 46 waits in 7\nmark 24 waits in 5\n";
    let resolved = read(&dialect(ONE_BY_ONE), &format!("vessel 7\n{lines}{header}\n{lines}"));
    let second = resolved.switch.torn().iter().any(|(_, torn)| *torn == yellowlegs_core::model::Torn::Second);
    assert_eq!(second, is_second, "{:?}", resolved.switch.torn());
}
