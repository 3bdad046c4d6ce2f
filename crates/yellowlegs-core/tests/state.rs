//! State: tables with aligned columns, stanzas and log lines become facts, every line is taken or kept as unread.

use std::sync::Arc;

use crate::support::{dialect, record};
use rstest::rstest;
use yellowlegs_core::resolve::{State, resolve_with};
use yellowlegs_core::source::Source;

const DIALECT: &str = r#"
[dialect]
name = "x"
[ports]
names = ["<n>.<n>"]
[ports.also]
"b<n>/<n>" = "<n>.<n>"
[lists]
item = [","]
[time]
forms = ["%b %d %H:%M:%S", "%Y-%m-%d %H:%M:%S"]
zone = "+01:00"
[state]
ignore = ["total <n:int> stations", "'(sec)'"]
borders = "|"
[[rule]]
pattern = "name <n:word>"
sets = { "switch.name" = "<n>" }

[[table]]
fact = "station"
columns = [
    { title = "Lane", is = "<vlan:vlan>", carry = true },
    { title = "Station", is = "<address:station>" },
    { title = "Berth", is = "<port:port>" },
    { title = "How", is = "<kind:(heard=learned|kept=pinned)>", optional = true },
    { title = "Last heard", is = "(<age:duration>|never)", optional = true },
]
[[table]]
fact = "group"
in = "groups"
columns = [{ title = "Group", is = "<group:ip>" }, { title = "Berths", is = "<port:ports>" }]
[[table]]
fact = "group"
columns = [{ title = "Circle", is = "<group:ip>" }, { title = "Members", is = "<port:port>..." }]
[[line]]
pattern = "groups of lane <vlan:vlan>"
opens = "groups"
[[table]]
fact = "neighbour"
wrap = "joined"
columns = [{ title = "Berth", is = "<port:port>" }, { title = "Who", is = "<name:word>" }, { title = "Can", is = "<_can:rest>", fields = { capabilities = { from = "<_can>", words = { B = "bridge", T = "telephone" }, else = "other" } } }]

[[table]]
fact = "counters"
columns = [{ title = "Berth", is = "(<port:port>|self)" }, { title = "Seen", is = "<violations:int>" }]

[[line]]
pattern = "berth <port:port> hears"
fact = "neighbour"
opens = "neighbour"
[[line]]
in = "neighbour"
pattern = "name: <name:rest>"
[[line]]
in = "neighbour"
pattern = "voice"
opens = "voice"
[[line]]
in = "voice"
pattern = "vlan: <voice-vlan:vlan>"
fields = { voice = "tagged" }
[[line]]
in = "voice"
pattern = "dscp: <voice-dscp:int>"
[[line]]
in = "neighbour"
pattern = "power"
opens = "power"
[[line]]
in = "power"
pattern = "asks: <power-asked:watts>"
[[line]]
in = "power"
pattern = "vlan: <_other:vlan>"

[[line]]
pattern = "<time:time> berth <port:port> <kind:(down=link-down|up=link-up)>"
fact = "event"
[[line]]
pattern = "<time:time> stranger <ip:ip> offers on <port:port>"
fact = "event"
fields = { kind = "server-dropped" }
[[line]]
pattern = "clock <time:time>"
fact = "clock"
[[line]]
pattern = "secret <_k:secret> on <port:port>"
fact = "counters"
"#;

/// Each fact as its kind and the fields it tells; then the numbers of unread lines.
fn told(text: &str) -> Vec<String> {
    let state = State {
        texts: vec![Arc::new(Source::of("t.out", text))],
        as_of: "2031-03-04T06:30:00Z".parse().unwrap(),
        ..State::default()
    };
    let config = Arc::new(Source::of("config.txt", "name t\n"));
    let switch = resolve_with("t", &dialect(DIALECT), config, &state).switch;
    let mut told: Vec<String> = switch
        .facts()
        .iter()
        .map(|fact| {
            let fields = fact.kind.info().fields.iter().zip(&fact.fields);
            let shown: Vec<String> = fields.filter_map(|(f, v)| Some(format!("{}={}", f.name, v.as_ref()?))).collect();
            format!("{} {}", fact.kind.info().name, shown.join(" "))
        })
        .collect();
    told.extend(switch.unread().iter().map(|u| format!("unread {}", u.mark.line())));
    told
}

#[rstest]
#[case::table(
    "Lane  Station         Berth  How\n----  --------------  -----  -----\n110   0200.5e10.0001  1.1    heard\n120   0200.5e10.0002  1.2    kept\n",
    &["station address=02:00:5e:10:00:01 vlan=110 port=1.1 kind=learned", "station address=02:00:5e:10:00:02 vlan=120 port=1.2 kind=pinned"]
)]
#[case::missing_and_carried(
    "Lane  Station         Berth  How\n110   0200.5e10.0001  1.1\n      0200.5e10.0002  1.2    kept\n",
    &["station address=02:00:5e:10:00:01 vlan=110 port=1.1", "station address=02:00:5e:10:00:02 vlan=110 port=1.2 kind=pinned"]
)]
#[case::right_aligned_with_units(
    "Lane  Station         Berth  Last heard\n      (sec)\n 110  0200.5e10.0001    1.1         5 min\n 110  0200.5e10.0002   1.12         never\ntotal 2 stations\n",
    &["station address=02:00:5e:10:00:01 vlan=110 port=1.1 age=5 min", "station address=02:00:5e:10:00:02 vlan=110 port=1.12"]
)]
#[case::heading_again_elsewhere(
    "Lane  Station         Berth\n110   0200.5e10.0001  1.1\nLane   Station            Berth\n110    0200.5e10.0002     1.2\n",
    &["station address=02:00:5e:10:00:01 vlan=110 port=1.1", "station address=02:00:5e:10:00:02 vlan=110 port=1.2"]
)]
#[case::borders(
    "| Lane | Station        | Berth |\n|------|----------------|-------|\n| 110  | 0200.5e10.0001 | b1/1  |\n",
    &["station address=02:00:5e:10:00:01 vlan=110 port=1.1"]
)]
#[case::a_row_that_does_not_fit(
    "Lane  Station         Berth\n110   hello           1.1\n110   0200.5e10.0002  1.2\n",
    &["station address=02:00:5e:10:00:02 vlan=110 port=1.2", "unread 2"]
)]
// Such a row is about nobody.
#[case::a_row_without_its_station(
    "Lane  Station         Berth  How\n110                   1.1    heard\n110   0200.5e10.0002  1.2    kept\n",
    &["station address=02:00:5e:10:00:02 vlan=110 port=1.2 kind=pinned", "unread 2"]
)]
// What the dialect has a word for is understood.
#[case::a_row_of_the_switch_itself(
    "Berth  Seen\n1.1    7\nself   9\n",
    &["counters port=1.1 violations=7", "counters violations=9"]
)]
#[case::a_station_of_the_switch_itself(
    "Lane  Station         Berth  How\n110   0200.5e10.0001         kept\n",
    &["station address=02:00:5e:10:00:01 vlan=110 kind=pinned"]
)]
#[case::below_a_line_and_wrapped(
    "groups of lane 150\nGroup      Berths\n233.252.0.7  1.1, 1.3,\n             1.5-1.6\n233.252.0.8  1.1\n",
    &["group vlan=150 group=233.252.0.7 port=1.1", "group vlan=150 group=233.252.0.7 port=1.3", "group vlan=150 group=233.252.0.7 port=1.5", "group vlan=150 group=233.252.0.7 port=1.6", "group vlan=150 group=233.252.0.8 port=1.1"]
)]
#[case::not_outside_it("Group      Berths\n233.252.0.7  1.1\n", &["unread 1", "unread 2"])]
// More than one word of a cell, though it is one hole; and one word too many.
#[case::repeated(
    "Circle       Members\n233.252.0.9  1.1 1.3 1.5\n233.252.0.8  1.4\n233.252.0.7  1.4 x\n",
    &["group group=233.252.0.9 port=1.1", "group group=233.252.0.9 port=1.3", "group group=233.252.0.9 port=1.5", "group group=233.252.0.8 port=1.4", "unread 4"]
)]
#[case::a_word_too_many("Berth  Seen\n1.1    7 8\n1.2    9\n", &["counters port=1.2 violations=9", "unread 2"])]
#[case::joined(
    "Berth  Who        Can\n1.1    quay-main- B, T\n       desk\n1.2    p          X\n",
    &["neighbour port=1.1 name=quay-main-desk capabilities=bridge, telephone", "neighbour port=1.2 name=p capabilities=other"]
)]
#[case::stanzas(
    "berth 1.1 hears\n  name: phone one\n  voice\n    vlan: 210\n    dscp: 46\n  power\n    asks: 6.5 W\n    vlan: 7\nberth 1.2 hears\n  name: other\n",
    &["neighbour port=1.1 name=phone one voice=tagged voice-vlan=210 voice-dscp=46 power-asked=6.5 W", "neighbour port=1.2 name=other"]
)]
#[case::stanzas_without_indentation(
    "berth 1.1 hears\nname: phone one\nvoice\nvlan: 210\npower\nasks: 3W\nvlan: 7\n",
    &["neighbour port=1.1 name=phone one voice=tagged voice-vlan=210 power-asked=3 W"]
)]
#[case::a_line_nobody_knows("berth 1.1 hears\n  colour: red\n", &["neighbour port=1.1", "unread 2"])]
#[case::logs(
    "Mar 4 07:00:00 berth 1.1 down\nMar 4 07:00:02 berth 1.1 up\nDec 31 23:59:59 stranger 192.0.2.9 offers on 1.7\n2031-03-04 05:00:00 berth 1.2 down\n2031-03-04T05:00:00Z berth 1.2 up\n",
    &[
        "event time=2031-03-04T06:00:00Z kind=link-down port=1.1",
        "event time=2031-03-04T06:00:02Z kind=link-up port=1.1",
        "event time=2030-12-31T22:59:59Z kind=server-dropped port=1.7 ip=192.0.2.9",
        "event time=2031-03-04T04:00:00Z kind=link-down port=1.2",
        "event time=2031-03-04T05:00:00Z kind=link-up port=1.2",
    ]
)]
#[case::the_kinds_come_together("clock 2031-03-04 07:00:00\nMar 4 07:00:00 berth 1.1 down\n", &["clock time=2031-03-04T06:00:00Z", "event time=2031-03-04T06:00:00Z kind=link-down port=1.1"])]
fn facts(#[case] text: &str, #[case] expected: &[&str]) {
    assert_eq!(told(text), expected);
}

#[test]
fn secrets_of_state_are_masked() {
    let state = State { texts: vec![Arc::new(Source::of("t.out", "secret hunter2 on 1.1\n"))], ..State::default() };
    let config = Arc::new(Source::of("config.txt", "name t\n"));
    let record = record(&resolve_with("t", &dialect(DIALECT), config, &state));
    assert!(record.contains("secret ******* on 1.1") && !record.contains("hunter2"), "{record}");
}

#[rstest]
#[case::fact("[[line]]\npattern = 'a'\nfact = 'stations'", "`stations` is no kind of fact", "did you mean `station`?")]
#[case::field(
    "[[line]]\npattern = 'a <adress:station>'\nfact = 'station'",
    "`adress` is no field of `station`",
    "did you mean `address`?"
)]
#[case::kind("[[line]]\npattern = 'a <vlan:word>'\nfact = 'station'", "`vlan` is a VLAN", "")]
#[case::nowhere("[[line]]\npattern = 'a <x:word>'", "this line tells no fact", "add `fact")]
#[case::columns("[[table]]\nfact = 'station'", "a table needs `columns`", "")]
#[case::word(
    "[[line]]\npattern = 'a <k:(x=lerned)>'\nfact = 'station'\nfields = { kind = '<k>' }",
    "`lerned` does not fit",
    ""
)]
#[case::clash(
    "[[line]]\npattern = 'a <vlan:vlan>'\nfact = 'station'\n[[line]]\npattern = 'a <_x:int>'\nfact = 'station'",
    "this rule and the one in line",
    ""
)]
fn mistakes(#[case] text: &str, #[case] what: &str, #[case] hint: &str) {
    let head = "[dialect]\nname = 'x'\n[[rule]]\npattern = 'a'\n";
    let problems = yellowlegs_core::dialect::Dialect::load(&Arc::new(Source::of("d.toml", format!("{head}{text}"))));
    let problems = problems.err().unwrap_or_default();
    let found = problems.iter().any(|p| p.what.contains(what) && p.hint.as_deref().unwrap_or("").contains(hint));
    assert!(found, "{problems:#?}");
}
