//! What comes before what: global defaults by how narrow they are, the last profile alone, lines taken back to what the
//! platform has, settings made of two statements, defaults of kinds of ports.

use rstest::rstest;

use super::{dialect, edited, fact, problems, read, written_again};

/// A language with every layer; `{}` is its `[precedence]`.
const LAYERS: &str = "
[dialect]
name = 'layers'
[ports]
names = ['<a>:<n>', 'uplink<n>']
[[ports.kind]]
names = 'f:<n>'
defaults = { port = { media = 'fibre', speed = 10000 }, power = 'off' }
[[ports.kind]]
names = ['c:1-2, c:7', 'uplink<n>']
defaults = { 'port-security.limit' = 4 }
[[ports.kind]]
names = '<a>:<n>'
defaults = { 'port.media' = 'copper' }
[text]
structure = 'indent'
negation = 'no'
negated = 'off-or-default'
[defaults]
'port.enabled' = true
'port.mode' = 'access'
'port.mtu' = 1500
'port-security.limit' = 1
'power.enabled' = true
[precedence]
{}
[[rule]]
[rule.lines]
'berth <p:ports>' = { opens = 'berth', ports = '<p>' }
'cut <name:word>' = { opens = 'cut', profile = '<name>' }
'all' = { opens = 'all', reach = 'all-ports' }
'plain' = { opens = 'plain', reach = 'access-ports' }
'not bundled' = { opens = 'plain', reach = 'access-or-negotiated-ports' }
'flutter watch' = { parts = { 'flap.enabled' = 'run' }, reach = 'all-ports' }
'flutter act on <p:ports>' = { parts = { 'flap.enabled' = 'act' }, ports = '<p>' }
'leases run' = { parts = { 'dhcp-snooping.enabled' = 'run' } }
'leases act' = { parts = { 'dhcp-snooping.enabled' = 'act' } }
[[rule]]
in = ['berth', 'cut', 'all', 'plain']
[rule.lines]
'most <n:int>' = 'port-security.limit'
'octets <n:int>' = { sets = { 'port.mtu' = '<n>' }, negation = 'platform' }
'mode <m:(access|trunk|open=negotiated)>' = 'port.mode'
'flutter' = { parts = { 'flap.enabled' = 'act' } }
'flutter look' = { parts = { 'flap.enabled' = 'run' } }
[[rule]]
in = 'berth'
pattern = 'like <cut:word>'
uses = '<cut>'
";

const LATER: &str = "";
const NARROW: &str = "globals = 'narrower'";
const LAST: &str = "profiles = 'last'";
const PLATFORM: &str = "taken-back = 'platform'";

#[rstest]
#[case::the_later("plain\n  most 3\nall\n  most 5\n", LATER, "5 global 4")]
#[case::the_narrower("plain\n  most 3\nall\n  most 5\n", NARROW, "3 global 2")]
#[case::in_either_order("all\n  most 5\nplain\n  most 3\n", NARROW, "3 global 4")]
#[case::of_equals_the_later("plain\n  most 3\nplain\n  most 5\n", NARROW, "5 global 4")]
#[case::only_where_it_reaches("plain\n  most 3\nall\n  most 5\nberth a:1\n  mode trunk\n", NARROW, "5 global 4")]
#[case::access_or_negotiated("not bundled\n  most 3\nall\n  most 5\nberth a:1\n  mode open\n", NARROW, "3 global 2")]
#[case::access_alone_is_narrower("plain\n  most 2\nnot bundled\n  most 3\n", NARROW, "2 global 2")]
#[case::no_trunk("not bundled\n  most 3\nberth a:1\n  mode trunk\n", NARROW, "1 default")]
#[case::profiles_add("cut x\n  most 3\ncut y\n  octets 9000\nberth a:1\n  like x\n  like y\n", LATER, "3 profile 2")]
#[case::the_last_profile("cut x\n  most 3\ncut y\n  octets 9000\nberth a:1\n  like x\n  like y\n", LAST, "1 default")]
#[case::and_its_own("cut x\n  most 3\ncut y\n  most 7\nberth a:1\n  like y\n  like x\n", LAST, "3 profile 2")]
#[case::taken_back("all\n  most 5\nberth a:1\n  most 3\n  no most\n", LATER, "5 global 2")]
#[case::to_the_platform("all\n  most 5\nberth a:1\n  most 3\n  no most\n", PLATFORM, "1 default")]
#[case::over_profiles("cut x\n  most 5\nberth a:1\n  like x\n  no most 5\n", PLATFORM, "1 default")]
#[case::said_again("all\n  most 5\nberth a:1\n  no most\n  most 9\n", PLATFORM, "9 port 5")]
fn layers(#[case] text: &str, #[case] precedence: &str, #[case] expected: &str) {
    let text = format!("{text}berth a:1\n");
    let resolved = read(&dialect(&LAYERS.replace("{}", precedence)), &text);
    assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
    assert_eq!(fact(&resolved, "a:1 port-security.limit"), expected);
}

/// One rule may go back to the platform where the others do not.
#[rstest]
#[case("all\n  octets 9000\nberth a:1\n  no octets\n", "1500 default")]
#[case("all\n  octets 9000\n  no octets\nberth a:1\n", "1500 default")]
#[case("all\n  octets 9000\nberth a:1\n", "9000 global 2")]
fn a_rule_of_its_own(#[case] text: &str, #[case] expected: &str) {
    assert_eq!(fact(&read(&dialect(&LAYERS.replace("{}", LATER)), text), "a:1 port.mtu"), expected);
}

#[rstest]
#[case::both_here("berth a:1\n  flutter\n  flutter look\n", "true port 3")]
#[case::in_the_other_order("berth a:1\n  flutter look\n  flutter\n", "true port 3")]
#[case::one("berth a:1\n  flutter\n", "unknown unknown")]
#[case::one_for_all_one_here("flutter watch\nberth a:1\n  flutter\n", "true port 3")]
#[case::the_later_line_decides("berth a:1\n  flutter\nflutter watch\n", "true global 3")]
#[case::by_a_list("flutter watch\nflutter act on a:1\n", "true port 2")]
#[case::in_a_profile("cut x\n  flutter\nflutter watch\nberth a:1\n  like x\n", "true global 3")]
#[case::off("flutter watch\nberth a:1\n  flutter\n  no flutter\n", "false port 4")]
#[case::off_for_all("berth a:1\n  flutter\nno flutter watch\n", "false global 3")]
fn two_statements_make_one_setting(#[case] text: &str, #[case] expected: &str) {
    let language = dialect(&LAYERS.replace("{}", LATER));
    let resolved = read(&language, &format!("{text}berth a:1\n"));
    assert_eq!(fact(&resolved, "a:1 flap.enabled"), expected);
    assert!(!resolved.history(Some(0), yellowlegs_core::model::settings::FLAP.id).is_empty());
}

#[rstest]
#[case("leases act\nleases run\n", "true global 2")]
#[case("leases act\n", "unknown unknown")]
#[case("leases act\nleases run\nno leases act\n", "false global 3")]
fn two_statements_make_one_switch(#[case] text: &str, #[case] expected: &str) {
    let language = dialect(&LAYERS.replace("{}", LATER));
    assert_eq!(fact(&read(&language, &format!("{text}berth a:1\n")), "dhcp-snooping.enabled"), expected);
    written_again(&language, &format!("{text}berth a:1\n"));
}

#[test]
fn both_statements_are_written() {
    let resolved = read(&dialect(&LAYERS.replace("{}", LATER)), "berth a:1\n");
    assert_eq!(edited(&resolved, "dhcp-snooping.enabled", "true"), Ok(vec!["leases run".into(), "leases act".into()]));
}

#[rstest]
#[case::by_its_form("f:3", "port.media", "fibre default")]
#[case::another_form("a:3", "port.media", "copper default")]
#[case::the_first_kind_counts("f:3", "port.speed", "10000 default")]
#[case::a_feature_that_is_off("f:3", "power.enabled", "false default")]
#[case::of_the_platform("a:3", "power.enabled", "true default")]
#[case::in_a_list("c:2", "port-security.limit", "4 default")]
#[case::alone_in_a_list("c:7", "port-security.limit", "4 default")]
#[case::beside_it("c:3", "port-security.limit", "1 default")]
#[case::another_name("uplink1", "port-security.limit", "4 default")]
#[case::nothing_for_it("uplink1", "port.media", "unknown unknown")]
fn kinds_of_ports(#[case] port: &str, #[case] setting: &str, #[case] expected: &str) {
    let language = dialect(&LAYERS.replace("{}", LATER));
    let resolved = read(&language, &format!("berth {port}\n"));
    assert_eq!(fact(&resolved, &format!("{port} {setting}")), expected);
}

/// What is written comes before what a kind has; taken back, the kind's holds again.
#[rstest]
#[case("berth c:1\n  most 9\n", LATER, "9 port 2")]
#[case("all\n  most 8\nberth c:1\n", LATER, "8 global 2")]
#[case("berth c:1\n  most 9\n  no most\n", LATER, "4 default")]
#[case("all\n  most 8\nberth c:1\n  no most\n", PLATFORM, "4 default")]
fn over_a_kind(#[case] text: &str, #[case] precedence: &str, #[case] expected: &str) {
    let resolved = read(&dialect(&LAYERS.replace("{}", precedence)), text);
    assert_eq!(fact(&resolved, "c:1 port-security.limit"), expected);
}

/// How far a default for edge ports reaches is what checks and drills take for an edge.
#[rstest]
#[case::access("mode access\n  quick", "true global 2")]
#[case::negotiated("mode open\n  quick", "true global 2")]
#[case::trunk("mode trunk\n  quick", "unknown unknown")]
#[case::trunk_that_says_so("mode trunk\n  quick bundled", "true global 2")]
#[case::no_edge("mode access", "unknown unknown")]
fn edges_by_effect(#[case] port: &str, #[case] expected: &str) {
    let language = LAYERS.replace("{}", LATER)
        + "[traits]\nplain-fast-start-on-trunk = 'void'\nedge-detected = 'no'\n[[rule]]\n[rule.lines]\n\
           'edges' = { opens = 'edges', reach = 'edge-ports' }\n[[rule]]\nin = ['berth', 'edges']\n[rule.lines]\n\
           'quick' = 'fast-start.mode = edge'\n'quick bundled' = 'fast-start.mode = edge-on-trunk'\n\
           'stop bridges' = 'guard.bpdu'\n";
    let language = dialect(&language.replace("[defaults]\n", "[defaults]\nfast-start = { mode = 'off' }\n"));
    let resolved = read(&language, &format!("edges\n  stop bridges\nberth a:1\n  {port}\n"));
    assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
    assert_eq!(fact(&resolved, "a:1 guard.bpdu"), expected);
}

const HEAD: &str = "[dialect]\nname = 'x'\n[ports]\nnames = ['<n>']\n";

#[rstest]
#[case::order("[precedence]\nglobals = 'narrow'", "6:11 `globals` cannot be `narrow` | did you mean `narrower`?")]
#[case::key("[precedence]\nprofile = 'last'", "unknown key `profile` in [precedence] | did you mean `profiles`?")]
#[case::no_names("[[ports.kind]]\ndefaults = { power = 'off' }", "`names`")]
#[case::no_port("[[ports.kind]]\nnames = 'x'", "`x` is neither a form with `<n>` or `<a>` nor a list")]
#[case::of_the_switch(
    "[[ports.kind]]\nnames = '1'\ndefaults = { lldp = { enabled = true } }",
    "`lldp.enabled` is of a switch"
)]
#[case::no_switch(
    "[[rule]]\npattern = 'a <p:ports>'\nports = '<p>'\nparts = { 'port.mtu' = 'a' }",
    "`port.mtu` is no switch"
)]
#[case::feature("[defaults]\npower = 'on'", "6:9 `power` is a feature: its default is \"off\"")]
#[case::key_of_a_feature(
    "[defaults]\npower = { enable = true }",
    "`defaults` cannot be `enable` | did you mean `enabled`?"
)]
#[case::twice(
    "[defaults]\n'power.enabled' = true\npower = { enabled = true }",
    "7:11 `power.enabled` has a default already"
)]
#[case::negated("[text]\nnegated = 'off'", "6:1 `negated` says what the negated form does")]
fn mistakes(#[case] more: &str, #[case] expected: &str) {
    let told = problems(&format!("{HEAD}{more}\n[[rule]]\npattern = 'z'\n"));
    assert!(told.iter().any(|line| line.contains(expected)), "{told:#?}");
}
