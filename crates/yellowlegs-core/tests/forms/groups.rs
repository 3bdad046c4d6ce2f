//! Short forms: many lines in one table, what a line says in one text, columns as texts, defaults by feature. Each is
//! the long form written shorter: both read a text as the same.

use std::sync::Arc;

use rstest::rstest;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::resolve::differences;
use yellowlegs_core::source::Source;

use super::{dialect, fact, problems, read};

const HEAD: &str = "[dialect]\nname = 'x'\n[ports]\nnames = ['p<n>']\n[text]\nnegation = 'no'\n";

const LONG: &str = "
[defaults]
'port-security.enabled' = false
'port-security.limit' = 1
'port.voice-vlan' = 'none'
[[rule]]
pattern = 'berth <p:ports>'
opens = 'berth'
ports = '<p>'
[[rule]]
in = 'berth'
pattern = 'watch'
sets = { 'port-security.enabled' = true }
negation = 'off'
[[rule]]
in = 'berth'
pattern = 'most <n:int>'
sets = { 'port-security.limit' = '<n>' }
negation = 'default'
[[rule]]
in = 'berth'
pattern = 'home <v:vlan>'
sets = { 'port.access-vlan' = '<v>', 'port.native-vlan' = '<v>' }
negation = 'default'
[[rule]]
in = 'berth'
pattern = 'marked <v:vlans>'
adds = { 'port.tagged-vlans' = '<v>' }
negation = 'default'
[[rule]]
in = 'berth'
pattern = 'shut'
sets = { 'port.enabled' = false }
negation = 'default'
[[rule]]
in = 'berth'
pattern = 'closed'
sets = { 'port.enabled' = false }
negation = 'default'
[[rule]]
pattern = 'watch leases'
sets = { 'dhcp-snooping.enabled' = true }
negation = 'off'
[[rule]]
pattern = 'named <n:word>'
sets = { 'switch.name' = '<n>' }
";

const SHORT: &str = "negated = 'off-or-default'
[defaults]
port-security = { enabled = false, limit = 1 }
port = [{ voice-vlan = 'none' }]
[[rule]]
[rule.lines]
'berth <p:ports>' = { opens = 'berth', ports = '<p>' }
'watch leases' = 'dhcp-snooping.enabled'
'named <n:word>' = { sets = { 'switch.name' = '<n>' }, negation = 'never' }
[[rule]]
in = 'berth'
[rule.lines]
'watch' = 'port-security.enabled'
'most <n:int>' = 'port-security.limit'
'home <v:vlan>' = 'port.access-vlan, port.native-vlan'
'marked <v:vlans>' = 'port.tagged-vlans = <v>'
[[rule]]
in = 'berth'
pattern = ['shut', 'closed']
sets = { 'port.enabled' = false }
";

const TEXT: &str = "named x
watch leases
berth p1-p4
  home 110
  watch
  most 3
berth p2
  no watch
  no most
  marked 120,130-131
  no marked 130
  shut
berth p3
  closed
  no closed
  no home 110
no watch leases
";

#[test]
fn the_short_form_reads_as_the_long_one() {
    let load = |text: &str| Arc::new(Dialect::load(&Arc::new(Source::of("d.toml", format!("{HEAD}{text}")))).unwrap());
    let (long, short) = (load(LONG), load(SHORT));
    let (one, other) = (read(&long, TEXT), read(&short, TEXT));
    assert!(one.switch.unread().is_empty() && other.switch.unread().is_empty());
    assert_eq!(differences(&one, &other), Vec::new());
    // Named once, a switch is not named less.
    assert_eq!(read(&short, "named x\nno named x\n").switch.unread().len(), 1);
    for asked in ["p2 port-security.enabled", "p1 port-security.limit", "p3 port.enabled", "p2 port.tagged-vlans"] {
        assert_eq!(fact(&one, asked), fact(&other, asked), "{asked}");
    }
    assert!(short.rules().len() == long.rules().len());
}

/// A table and lines of state, long and short.
#[test]
fn state_in_short() {
    let text = "[[table]]\nfact = 'station'\ncolumns = ['Port = <port:port>', 'VLAN = <vlan:vlan>', { title = 'Who', is = '<address:station>', optional = true }]\n\
        [[line]]\n[line.lines]\n'<time:time> <port:port> opened' = { fact = 'event', fields = { kind = 'recovered' } }\n\
        'seen from <port:port>' = { fact = 'neighbour', opens = 'seen' }\n\
        [[line]]\nin = 'seen'\npattern = ['name <name:rest>', 'at <their-port:word>']\n[[rule]]\npattern = 'z'\n";
    let language = dialect(&format!("{HEAD}{text}"));
    let state = "Port  VLAN  Who\np1    110   02:00:5e:10:00:01\n2031-03-04T05:00:00Z p2 opened\nseen from p3\n  name one\n  at left\n";
    let told = language.read_state(&Source::of("s", state), 2, "2031-03-04T06:00:00Z".parse().unwrap());
    assert!(told.unread.is_empty(), "{:?}", told.unread);
    let kinds: Vec<_> = told.facts.iter().map(|fact| fact.kind.info().name).collect();
    assert_eq!(kinds, ["station", "event", "neighbour"]);
    assert_eq!(told.facts[2].fields.iter().flatten().count(), 3);
}

#[rstest]
#[case::pattern_beside(
    "[[rule]]\npattern = 'a'\n[rule.lines]\n'b' = 'lldp.enabled'",
    "`lines` has a pattern for each of its keys"
)]
#[case::which_hole(
    "[[rule]]\n[rule.lines]\n'a <n:int> <m:int>' = 'spanning-tree.priority'",
    "9:23 `spanning-tree.priority` takes no value: the pattern has several holes that could be it | write `spanning-tree.priority = <hole>`"
)]
#[case::no_hole("[[rule]]\n[rule.lines]\n'a' = 'spanning-tree.priority'", "the pattern has no hole that could be it")]
#[case::no_setting(
    "[[rule]]\n[rule.lines]\n'a' = 'lldp.enable'",
    "9:7 `lldp.enable` is no setting | did you mean `lldp.enabled`?"
)]
#[case::no_value("[[rule]]\n[rule.lines]\n'a' = 'spanning-tree.protocol = quick'", "quick")]
#[case::in_the_pattern("[[rule]]\n[rule.lines]\n'a [b' = 'lldp.enabled'", "9:4 `[` is not closed")]
#[case::a_key_of_the_group("[[rule]]\ninn = 'x'\n[rule.lines]\n'a' = 'lldp.enabled'", "8:1 unknown key `inn`")]
#[case::a_key_of_a_line("[[rule]]\n[rule.lines]\n'a' = { set = { 'lldp.enabled' = true } }", "9:9 unknown key `set`")]
#[case::no_lines_of_state("[[line]]\n[line.lines]\n'a' = 'event'", "`lines` of state are tables")]
#[case::no_column(
    "[[table]]\nfact = 'station'\ncolumns = ['Port <port:port>']",
    "9:12 a column is a text `Title = pattern`"
)]
#[case::bad_column("[[table]]\nfact = 'station'\ncolumns = ['Port = <port:prt>']", "9:20 `prt` is no type of hole")]
fn mistakes(#[case] more: &str, #[case] expected: &str) {
    let told = problems(&format!("{HEAD}{more}\n[[rule]]\npattern = 'z'\n"));
    assert!(told.iter().any(|line| line.contains(expected)), "{told:#?}");
}
