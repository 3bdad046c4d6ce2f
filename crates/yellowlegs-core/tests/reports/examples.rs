//! Examples that a dialect brings with it: each that fails says where, what was expected and what came, with the line.

use rstest::rstest;
use yellowlegs_core::resolve::{Failed, run_examples};

use super::support::dialect;

const RULES: &str = "\
[dialect]
name = 'x'
[text]
structure = 'indent'
[ports]
names = ['<n>']
[defaults]
\"port.enabled\" = true
[[rule]]
pattern = 'berth <which:ports>'
ports = '<which>'
opens = 'berth'
[[rule]]
in = 'berth'
pattern = 'pace <pace:int>'
sets = { 'port.speed' = '<pace>' }
[[rule]]
pattern = 'lane <id:vlan> called <name:text>'
vlan = '<id>'
adds = { 'switch.vlans' = '<id>' }
sets = { 'vlan.name' = '<name>' }
[[line]]
pattern = 'berth <port:port> is <link:(up=true|down=false)>'
fact = 'port-status'
[[example]]
text = '''
berth 1-2
  pace 100
chime
lane 110 called desks
'''
state = '''
berth 1 is up
'''
";

/// What is expected (TOML below the example), then what is told of it.
#[rstest]
#[case::right("unread = 1\n[example.expect]\n\"1 port.speed\" = 100\n\"2 port.enabled\" = true\n\"vlan 110 vlan.name\" = 'desks'\n", &[])]
#[case::another_value("[example.expect]\n\"1 port.speed\" = 10\n", &["1 port.speed: 10, not 100 (range) at 2 `  pace 100`"])]
#[case::a_default("[example.expect]\n\"1 port.enabled\" = false\n", &["1 port.enabled: false, not true (default) at 8 `\"port.enabled\" = true`"])]
#[case::unknown("[example.expect]\n\"1 port.mtu\" = 1500\n", &["1 port.mtu: 1500, not unknown (unknown)"])]
#[case::unknown_is_wanted("[example.expect]\n\"1 port.mtu\" = 'unknown'\n", &[])]
#[case::no_such_port("[example.expect]\n\"7 port.speed\" = 10\n", &["7 port.speed: 10, not no port 7; there are 1, 2"])]
#[case::no_such_setting("[example.expect]\n\"1 port.pace\" = 10\n", &["1 port.pace: 10, not nothing that can be read: write for example \"1.1 port.mode\""])]
#[case::unread("unread = 0\n", &["lines not understood: 0, not 1 at 3 `chime`"])]
#[case::a_fact("[[example.facts]]\nfact = 'port-status'\nport = '1'\nlink = true\n", &[])]
#[case::another_fact("[[example.facts]]\nfact = 'port-status'\nport = '1'\nlink = false\n", &["port-status: port=1 link=false, not nearest is port=1 link=true at 1 `berth 1 is up`"])]
#[case::no_fact("[[example.facts]]\nfact = 'station'\naddress = '02:00:5e:00:00:01'\n", &["station: address=02:00:5e:00:00:01, not no such fact"])]
fn an_example(#[case] expect: &str, #[case] expected: &[&str]) {
    let dialect = dialect(&format!("{RULES}{expect}"));
    let shown = |failed: &Failed| {
        let line = failed.line.as_ref().map(|(line, text)| format!(" at {line} `{text}`")).unwrap_or_default();
        format!("{}: {}, not {}{line}", failed.about, failed.expected, failed.got)
    };
    let failed = run_examples(&dialect);
    assert_eq!(failed.iter().map(shown).collect::<Vec<_>>(), expected);
    // Told where it is expected.
    assert!(failed.iter().all(|failed| failed.place.line >= 26), "{failed:?}");
}
