//! Settings that state decides where the text is silent: the media that a table tells, what is ready, a budget; old,
//! unread and contradicting state.

use std::sync::Arc;

use rstest::rstest;
use yellowlegs_core::check::{Judge, Selection};
use yellowlegs_core::model::{DoubtWidth, SavedCopy};
use yellowlegs_core::policy::{AsOf, Policy};
use yellowlegs_core::resolve::{Outcome, Resolved, State, explain_state, resolve_with};
use yellowlegs_core::source::Source;

use super::{dialect, fact, from_record, problems, record};

const LANGUAGE: &str = "
[dialect]
name = 'told'
[ports]
names = ['p<n>']
[text]
negation = 'no'
negated = 'off-or-default'
[defaults]
port = { media = 'copper', speed = 1000, enabled = true }
power = { budget = '370W' }
[[rule]]
[rule.lines]
'berth <p:ports>' = { opens = 'berth', ports = '<p>' }
'ready <w:word>' = 'platform.ready'
'pool <v:vlan>' = { opens = 'pool', vlan = '<v>', adds = { 'switch.vlans' = '<v>' } }
[[rule]]
in = 'berth'
[rule.lines]
'media <m:(copper|fibre)>' = 'port.media'
'runs <s:speed>' = 'port.speed'
[[rule]]
in = 'pool'
pattern = 'asks'
sets = { 'vlan.querier' = true }
[[table]]
fact = 'port-status'
ports = '<port>'
sets = { 'port.media' = '<_media>' }
columns = ['Port = <port:port>', 'Line = <link:(up=true|down=false)>', 'Plug = (<_media:(SX=fibre|T=copper)>|-)']
[[line]]
[line.lines]
'clock <time:time>' = { fact = 'clock' }
'ready now: <w:word>' = { adds = { 'platform.ready' = '<w>' } }
'waits for a restart: <w:word>' = { adds = { 'platform.pending' = '<w>' } }
'larder <b:watts>' = { sets = { 'power.budget' = '<b>' } }
'plug of <p:ports>' = { opens = 'plug', ports = '<p>' }
'pool <v:vlan> is asked here' = { vlan = '<v>', sets = { 'vlan.querier' = true } }
'glass <n:int> onto <to:port>' = { mirror = '<n>', sets = { 'mirror.target' = '<to>', 'mirror.enabled' = true } }
[[line]]
in = 'plug'
pattern = ['kind <k:(copper|fibre)>', 'is <k:(copper|fibre)>']
sets = { 'port.media' = '<k>' }
";

const TABLE: &str = "clock 2031-03-04T06:00:00Z
Port  Line  Plug
p1    up    SX
p2    down  T
p3    up    -
";

fn told(text: &str, state: &str) -> Resolved {
    let texts = vec![Arc::new(Source::of("t/state.out", state))];
    let state = State { texts, as_of: "2031-03-04T06:30:00Z".parse().unwrap(), oldest: Some(3600), ..State::default() };
    resolve_with("t", &dialect(LANGUAGE), Arc::new(Source::of("t/config.txt", text)), &state)
}

const TEXT: &str = "berth p1-p4\npool 110\n";

#[rstest]
#[case::before_the_default(TEXT, TABLE, "p1 port.media", "fibre state")]
#[case::the_same_as_the_default(TEXT, TABLE, "p2 port.media", "copper state")]
#[case::a_cell_that_tells_nothing(TEXT, TABLE, "p3 port.media", "copper default")]
#[case::no_row(TEXT, TABLE, "p4 port.media", "copper default")]
#[case::after_what_is_written("berth p1\n  media copper\n", TABLE, "p1 port.media", "copper port 2")]
#[case::of_the_switch(TEXT, "larder 740", "power.budget", "740 W state")]
#[case::the_later_line(TEXT, "larder 740\nlarder 120", "power.budget", "120 W state")]
#[case::a_list_grows(TEXT, "ready now: loft\nready now: hall", "platform.ready", "loft,hall state")]
#[case::a_list_that_is_written("ready loft\n", "ready now: hall", "platform.ready", "loft global 1")]
#[case::waiting(TEXT, "waits for a restart: loft", "platform.pending", "loft state")]
#[case::in_a_stanza(TEXT, "plug of p1-p2\n  kind fibre\nplug of p3\n  is fibre\n", "p2 port.media", "fibre state")]
#[case::the_next_stanza(
    TEXT,
    "plug of p1-p2\n  kind fibre\nplug of p3\n  is copper\n",
    "p3 port.media",
    "copper state"
)]
#[case::of_a_vlan(TEXT, "pool 110 is asked here", "vlan 110 vlan.querier", "true state")]
#[case::of_a_mirror(TEXT, "glass 2 onto p4", "mirror 2 mirror.target", "p4 state")]
#[case::too_old(TEXT, "clock 2031-03-04T05:00:00Z\nlarder 740", "power.budget", "unknown state")]
#[case::too_old_beside_what_is_written(
    "berth p1\n  media copper\n",
    "clock 2031-03-04T05:00:00Z\nplug of p1\n  is fibre\n",
    "p1 port.media",
    "copper port 2"
)]
#[case::young_enough(TEXT, "clock 2031-03-04T05:31:00Z\nlarder 740", "power.budget", "740 W state")]
fn in_force(#[case] text: &str, #[case] state: &str, #[case] asked: &str, #[case] expected: &str) {
    let resolved = told(text, state);
    assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
    let expected =
        expected.replace("loft,hall", &yellowlegs_core::model::Kind::Words.parse("loft,hall").unwrap().to_string());
    assert_eq!(fact(&resolved, asked), expected);
}

#[rstest]
#[case::media("berth p1-p4\n  media copper\n", TABLE, &["port.media", "p1: copper, and fibre"])]
#[case::the_same_is_none("berth p1\n  media fibre\n", TABLE, &[])]
#[case::a_list_that_holds_it("ready loft\n", "ready now: loft", &[])]
#[case::a_list_that_does_not("ready loft\n", "ready now: hall", &["platform.ready", "the switch: loft, and hall"])]
#[case::old_state_contradicts_nothing(
    "berth p1\n  media copper\n", "clock 2031-03-04T05:00:00Z\nplug of p1\n  is fibre\n", &[])]
#[case::as_many_as_are_named("berth p1-p4\n  media copper\n", "plug of p1-p4\n  is fibre\n", &["p4: copper, and fibre)"])]
#[case::many("berth p1-p9\n  media copper\n", "plug of p1-p9\n  is fibre\n", &["p4: copper, and fibre; 5 more"])]
fn contradictions_are_told(#[case] text: &str, #[case] state: &str, #[case] expected: &[&str]) {
    let resolved = told(text, state);
    let remarks: Vec<&str> = resolved.switch.remarks().iter().map(|remark| remark.text.as_str()).collect();
    let of_settings: Vec<&&str> = remarks.iter().filter(|text| text.contains("the text counts")).collect();
    assert_eq!(of_settings.len(), usize::from(!expected.is_empty()), "{remarks:?}");
    for words in expected {
        assert!(of_settings[0].contains(words), "{words}: {of_settings:?}");
    }
}

/// A line of state that nobody reads leaves in doubt what its like would have decided, and no more.
#[rstest]
#[case::a_row("Port  Line  Plug\np1    up    XX\n", "p1 port.media", "unknown unknown")]
#[case::a_row_beside("Port  Line  Plug\np1    up    XX\np2    up    SX\n", "p1 port.media", "unknown unknown")]
#[case::another_setting("Port  Line  Plug\np1    up    XX\n", "p1 port.speed", "1000 default")]
#[case::a_line("larder much\n", "power.budget", "unknown unknown")]
#[case::a_line_beside_one_that_is_read("larder 740\nlarder much\n", "power.budget", "unknown unknown")]
#[case::in_a_stanza("plug of p1\n  kind glass\n", "p1 port.media", "unknown unknown")]
#[case::of_nobody("weather fine\n", "power.budget", "370 W default")]
fn unread_state_keeps_open(#[case] state: &str, #[case] asked: &str, #[case] expected: &str) {
    let resolved = told("berth p1-p4\n", state);
    assert_eq!(resolved.switch.unread().len(), 1);
    let shown =
        resolved.doubtful(DoubtWidth::Block).map_or_else(|| fact(&resolved, asked), |d| fact(&d.resolved, asked));
    assert_eq!(shown, expected);
}

/// A row that tells several facts: each where the cells are there that it needs.
const ROWS: &str = "
[dialect]
name = 'rows'
[ports]
names = ['p<n>']
[[rule]]
pattern = 'berth <p:ports>'
declares = '<p>'
[[table]]
fact = 'port-status'
columns = ['Port = <port:port>', 'Line = <link:(up=true|down=false)>', 'VLAN = (<vlan:vlan>|-)', 'Who = (<_who:station>|-)', 'Draws = (<_drawn:watts>|-)']
also = [
    { fact = 'station', fields = { address = '<_who>', kind = 'learned' } },
    { fact = 'power', fields = { drawn = '<_drawn>' } },
]
";

#[rstest]
#[case::all("p1    up    110   02:00:5e:10:00:01  3.5", &["port-status", "station", "power"])]
#[case::nobody("p1    down  -     -                  3.5", &["port-status", "power"])]
#[case::nothing("p1    down  -     -                  -", &["port-status"])]
#[case::a_vlan_that_is_not_said("p1    up    -     02:00:5e:10:00:01  -", &["port-status", "station"])]
fn a_row_of_several_facts(#[case] row: &str, #[case] expected: &[&str]) {
    let text = format!("Port  Line  VLAN  Who                Draws\n{row}\n");
    let told = dialect(ROWS).read_state(&Source::of("s", text), 2, "2031-03-04T06:00:00Z".parse().unwrap());
    assert!(told.unread.is_empty(), "{:?}", told.unread);
    let kinds: Vec<_> = told.facts.iter().map(|fact| fact.kind.info().name).collect();
    assert_eq!(kinds, expected);
    assert!(told.facts.iter().all(|fact| fact.port().is_some_and(|port| **port == *"p1")), "{:?}", told.facts);
    let tables: Vec<_> = told.tables.iter().map(|(kind, _)| kind.info().name).collect();
    assert_eq!(tables, ["port-status", "station", "power"], "each was asked for");
}

/// A row that nobody understands leaves every fact of it in doubt.
#[test]
fn a_row_of_several_facts_that_is_not_understood() {
    use yellowlegs_core::model::facts;
    let state = "Port  Line  VLAN  Who                Draws\np1    up    110   somebody           3.5\n";
    let texts = vec![Arc::new(Source::of("t/state.out", state))];
    let state = State { texts, as_of: "2031-03-04T06:30:00Z".parse().unwrap(), ..State::default() };
    let resolved = resolve_with("t", &dialect(ROWS), Arc::new(Source::of("t/config.txt", "berth p1-p2\n")), &state);
    let doubtful = resolved.doubtful(DoubtWidth::Block).expect("nothing is in doubt");
    for kind in [facts::port_status::FACT, facts::station::FACT, facts::power::FACT] {
        assert!(doubtful.resolved.switch.is_doubted(kind, None), "{}", kind.info().name);
    }
}

/// What is written stands, whatever state says that nobody reads.
#[test]
fn what_is_written_is_in_no_doubt() {
    let resolved = told("berth p1\n  media copper\n", "plug of p1\n  kind glass\n");
    let doubtful = resolved.doubtful(DoubtWidth::Block);
    let shown = doubtful.map_or_else(|| fact(&resolved, "p1 port.media"), |d| fact(&d.resolved, "p1 port.media"));
    assert_eq!(shown, "copper port 2");
}

#[test]
fn it_is_explained() {
    let source = Arc::new(Source::of("s", "plug of p1\n  kind fibre\nready now: loft\n"));
    let lines = explain_state(&dialect(LANGUAGE), &source, "2031-03-04T06:30:00Z".parse().unwrap());
    let said: Vec<String> = lines
        .iter()
        .flat_map(|line| &line.outcome)
        .flat_map(|outcome| match outcome {
            Outcome::Told { said, .. } => said.as_slice(),
            _ => &[],
        })
        .map(|said| format!("{} {} {}", said.how, said.setting.name(), said.value.as_ref().unwrap()))
        .collect();
    assert_eq!(said, ["sets port.media fibre", "adds platform.ready loft"]);
}

const HEAD: &str = "[dialect]\nname = 'x'\n[ports]\nnames = ['p<n>']\n[[rule]]\npattern = 'z'\n";

#[rstest]
#[case::no_port(
    "[[line]]\npattern = 'a'\nsets = { 'port.media' = 'fibre' }",
    "`port.media` belongs to a port, and nothing here says which"
)]
#[case::taken_back(
    "[[line]]\npattern = 'a <p:ports>'\nports = '<p>'\nresets = 'port.media'",
    "`resets` belongs to the text"
)]
#[case::a_reach(
    "[[line]]\npattern = 'a'\nreach = 'all-ports'\nsets = { 'port.media' = 'fibre' }",
    "`reach` belongs to the text"
)]
#[case::a_hole(
    "[[line]]\npattern = 'a <p:ports> <m:word>'\nports = '<p>'\nsets = { 'port.media' = '<m>' }",
    "`port.media` is"
)]
#[case::of_a_row(
    "[[table]]\nfact = 'station'\ncolumns = ['P = <port:port>', 'M = <m:word>']\nports = '<port>'\nsets = { 'port.media' = '<m>' }",
    "`port.media` is"
)]
#[case::no_such_hole(
    "[[table]]\nfact = 'station'\ncolumns = ['P = <port:port>']\nports = '<q>'\nsets = { 'port.media' = 'fibre' }",
    "no hole is named `q`"
)]
#[case::two_parts(
    "[[line]]\npattern = 'a <p:port> <s:station> <v:vlan>'\nports = '<p>'\nadds = { 'port-security.pinned-stations' = '<s>@<v>' }",
    "of two parts is not told by state"
)]
#[case::no_fact_beside(
    "[[table]]\nfact = 'station'\ncolumns = ['P = <port:port>']\nalso = [{ fields = { port = '<port>' } }]",
    "`fact`"
)]
#[case::no_field_beside(
    "[[table]]\nfact = 'station'\ncolumns = ['P = <port:port>']\nalso = [{ fact = 'power', fields = { drow = 3 } }]",
    "`drow` is no field of `power` | did you mean `drawn`?"
)]
#[case::nothing_at_all("[[line]]\npattern = 'a'", "this line tells no fact")]
fn mistakes(#[case] more: &str, #[case] expected: &str) {
    let told = problems(&format!("{HEAD}{more}\n"));
    assert!(told.iter().any(|line| line.contains(expected)), "{told:#?}");
}

/// Facts that decide settings by themselves, and a table that tells no fact at all.
const FACTS: &str = "
[dialect]
name = 'facts'
[ports]
names = ['p<n>']
[defaults]
port = { speed = 1000, media = 'copper' }
power = { budget = '370W' }
[[rule]]
[rule.lines]
'berth <p:ports>' = { opens = 'berth', ports = '<p>' }
'larder <b:watts>' = 'power.budget'
[[rule]]
in = 'berth'
pattern = 'runs <s:speed>'
sets = { 'port.speed' = '<s>' }
[[table]]
fact = 'port-status'
columns = ['Port = <port:port>', 'Line = <link:(up=true|down=false)>', 'Pace = (<speed:speed>|-)']
[[table]]
fact = 'power-supply'
columns = ['Larder = <_which:word>', 'Holds = <budget:watts>']
[[table]]
ports = '<p>'
sets = { 'port.media' = '<m>' }
columns = ['Plug = (<p:port>|-)', 'Kind = <m:(copper|fibre)>']
[[table]]
fact = 'station'
columns = ['Who = <address:station>', 'Pool = <vlan:vlan>', 'At = <port:port>']
[[table]]
fact = 'claim'
columns = ['Says = <ip:ip>', 'Of = <address:station>', 'In = (<vlan:vlan>|-)']
[[line]]
pattern = 'clock <time:time>'
fact = 'clock'
";

fn by_facts(text: &str, state: &str) -> Resolved {
    let texts = vec![Arc::new(Source::of("t/state.out", state))];
    let state = State { texts, as_of: "2031-03-04T06:30:00Z".parse().unwrap(), oldest: Some(3600), ..State::default() };
    resolve_with("t", &dialect(FACTS), Arc::new(Source::of("t/config.txt", text)), &state)
}

#[rstest]
#[case::a_speed("Port  Line  Pace\np1    up    100M\n", "p1 port.speed", "100 state")]
#[case::none_told("Port  Line  Pace\np1    up    -\n", "p1 port.speed", "1000 default")]
#[case::of_a_port_that_is_down("Port  Line  Pace\np1    down  10M\n", "p1 port.speed", "1000 default")]
#[case::beside_what_is_written("Port  Line  Pace\np2    up    10M\n", "p2 port.speed", "100 port 3")]
#[case::too_old("clock 2031-03-04T05:00:00Z\nPort  Line  Pace\np1    up    100M\n", "p1 port.speed", "unknown state")]
#[case::a_row_that_is_not_understood(
    "Port  Line  Pace\np1    up    fast\np2    up    100M\n",
    "p1 port.speed",
    "unknown unknown"
)]
#[case::one_supply("Larder  Holds\nnear    120W\n", "power.budget", "120 W state")]
#[case::two_supplies("Larder  Holds\nnear    120W\nfar     370W\n", "power.budget", "490 W state")]
#[case::without_a_fact("Plug  Kind\np1    fibre\n", "p1 port.media", "fibre state")]
#[case::a_row_of_nobody("Plug  Kind\n-     fibre\np2    copper\n", "p1 port.media", "unknown unknown")]
#[case::a_blank_cell("Plug  Kind\np1    glass\n", "p1 port.media", "unknown unknown")]
fn facts_decide(#[case] state: &str, #[case] asked: &str, #[case] expected: &str) {
    let resolved = by_facts("berth p1-p2\nberth p2\n  runs 100M\n", state);
    let shown =
        resolved.doubtful(DoubtWidth::Block).map_or_else(|| fact(&resolved, asked), |d| fact(&d.resolved, asked));
    assert_eq!(shown, expected, "{:?}", resolved.switch.unread());
}

#[test]
fn two_texts_of_supplies_are_not_added() {
    let state = |text: &str| Arc::new(Source::of(format!("t/{}.out", text.len()), text));
    let texts = vec![state("Larder  Holds\nnear    120W\nfar     120W\n"), state("Larder  Holds\nnear    740W\n")];
    let state = State { texts, as_of: "2031-03-04T06:30:00Z".parse().unwrap(), ..State::default() };
    let resolved = resolve_with("t", &dialect(FACTS), Arc::new(Source::of("t/config.txt", "berth p1\n")), &state);
    assert_eq!(fact(&resolved, "power.budget"), "740 W state");
}

#[test]
fn a_speed_that_is_written_and_another_that_is_seen_is_told() {
    let resolved = by_facts("berth p1\n  runs 1G\n", "Port  Line  Pace\np1    up    10M\n");
    let told: Vec<&str> = resolved.switch.remarks().iter().map(|remark| remark.text.as_str()).collect();
    assert!(
        told.iter().any(|text| text.contains("port.speed is one thing") && text.contains("p1: 1000, and 10")),
        "{told:?}"
    );
}

/// A table of ARP names no ports: the address table has them.
#[rstest]
#[case::where_it_is_heard("Who                Pool  At\n02:00:5e:10:00:01  110   p2\n", "110", Some("p2"))]
#[case::without_a_vlan("Who                Pool  At\n02:00:5e:10:00:01  110   p2\n", "-", Some("p2"))]
#[case::in_another_vlan("Who                Pool  At\n02:00:5e:10:00:01  120   p2\n", "110", None)]
#[case::by_its_vlan(
    "Who                Pool  At\n02:00:5e:10:00:01  120   p1\n02:00:5e:10:00:01  110   p2\n",
    "110",
    Some("p2")
)]
#[case::in_two_places(
    "Who                Pool  At\n02:00:5e:10:00:01  120   p1\n02:00:5e:10:00:01  110   p2\n",
    "-",
    None
)]
#[case::nowhere("", "110", None)]
fn claims_are_placed(#[case] stations: &str, #[case] vlan: &str, #[case] expected: Option<&str>) {
    use yellowlegs_core::model::facts;
    let state = format!("Says         Of                 In\n169.254.7.7  02:00:5e:10:00:01  {vlan}\n{stations}");
    let resolved = by_facts("berth p1-p2\n", &state);
    let claims: Vec<_> = resolved.switch.facts_of(facts::claim::FACT).collect();
    assert_eq!(claims.len(), 1, "{:?}", resolved.switch.unread());
    assert_eq!(claims[0].port().map(|port| &**port), expected);
}

#[rstest]
#[case::fields_of_nothing(
    "[[table]]\ncolumns = ['P = <p:port>', 'M = <m:(copper|fibre)>']\nports = '<p>'\nsets = { 'port.media' = '<m>' }\nfields = { port = '<p>' }",
    "these are fields of no fact: the table has no `fact` | add `fact"
)]
#[case::nothing("[[table]]\ncolumns = ['P = <p:port>']", "`fact`")]
#[case::an_unknown_fact(
    "[[table]]\nfact = 'statoin'\ncolumns = ['P = <p:port>']\nports = '<p>'\nsets = { 'port.media' = 'fibre' }",
    "`statoin`"
)]
fn mistakes_of_tables(#[case] more: &str, #[case] expected: &str) {
    let told = problems(&format!("{HEAD}{more}\n"));
    assert!(told.iter().any(|line| line.contains(expected)), "{told:#?}");
}

/// What the check of the saved copy comes to.
fn unsaved(resolved: &Resolved) -> &'static str {
    use yellowlegs_core::check::Told;
    let (policy, as_of, selection) =
        (Policy::default(), AsOf::parse("2031-03-04T06:30:00Z").unwrap(), Selection::default());
    let told = Judge::new(&policy, &as_of, &selection, false).told(resolved, resolved.lists());
    match told.iter().find(|(_, check, _)| check.id == "config/unsaved") {
        Some((.., Told::Met)) => "met",
        Some((.., Told::Violated(_))) => "violated",
        _ => "neither",
    }
}

/// What state tells is nobody's doing: a saved copy, which has no state, is no other one for it.
#[rstest]
#[case::nothing_written("", "met")]
#[case::written_and_not_saved("pool 110\n  asks\n", "violated")]
fn a_saved_copy_without_what_state_tells(#[case] more: &str, #[case] expected: &str) {
    let state = format!("{TABLE}larder 740\npool 110 is asked here\nglass 2 onto p4\nplug of p4\n  is fibre\n");
    let saved = told(TEXT, "").switch;
    let resolved = told(&format!("{TEXT}{more}"), &state).with_saved(SavedCopy::Read(Arc::new(saved)));
    assert_eq!(fact(&resolved, "p4 port.media"), "fibre state");
    assert_eq!(unsaved(&resolved), expected);
}

/// A record keeps what is behind state: judged again, it says the same of the saved copy.
#[test]
fn a_record_keeps_what_is_behind_state() {
    let state = format!("{TABLE}larder 740\npool 110 is asked here\nglass 2 onto p4\n");
    let resolved = told(TEXT, &state).with_saved(SavedCopy::Read(Arc::new(told(TEXT, "").switch)));
    let written = record(&resolved);
    let again = Resolved::from_record(from_record(&written, "t"));
    assert_eq!(fact(&again, "p1 port.media"), "fibre state");
    assert_eq!(record(&again), written);
    assert_eq!(unsaved(&again), "met");
}

/// A change is tried by reading the text, which has no state: what state tells is no change besides.
#[test]
fn a_change_beside_what_state_tells() {
    use yellowlegs_core::model::{SettingId, Value};
    use yellowlegs_core::resolve::{About, Wanted};
    let resolved = told(TEXT, &format!("{TABLE}larder 740\npool 110 is asked here\nglass 2 onto p4\n"));
    let speed = SettingId::by_name("port.speed").unwrap();
    let wanted = Wanted { about: About::Port("p2".into()), setting: speed, value: Value::Count(100) };
    let edit = resolved.edit(&wanted).unwrap();
    assert_eq!(edit.lines.len(), 2, "{:?}", edit.lines);
    assert!(edit.also.is_empty(), "{:?}", edit.also);
}
