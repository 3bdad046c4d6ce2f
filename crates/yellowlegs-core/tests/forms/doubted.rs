//! What lines that nobody understands leave open in a language where membership makes trunks and VLANs have blocks of their own.

use rstest::rstest;
use yellowlegs_core::model::{DoubtWidth, VlanId, settings};
use yellowlegs_core::resolve::Resolved;

use super::{dialect, read};

const LANGUAGE: &str = "
[dialect]
name = 'bank'
[ports]
names = ['p<n>']
[traits]
mode-from = 'membership'
trunk-without-list = 'none'
[defaults]
port = [{ access-vlan = 1, voice-vlan = 'none' }]
[[rule]]
pattern = 'berth <p:port>'
opens = 'berth'
ports = '<p>'
[[rule]]
in = 'berth'
[rule.lines]
'sits in <v:vlan>' = 'port.access-vlan'
'carries <v:vlans>' = { adds = { 'port.tagged-vlans' = '<v>' } }
'speaks in <v:vlan>' = 'port.voice-vlan'
'holds <t:seconds>' = 'flap.hold'
[[rule]]
pattern = 'water <id:vlan>'
opens = 'water'
vlan = '<id>'
adds = { 'switch.vlans' = '<id>' }
[[rule]]
pattern = 'waters <ids:vlans>'
opens = 'water'
vlan = '<ids>'
adds = { 'switch.vlans' = '<ids>' }
[[rule]]
in = 'water'
[rule.lines]
'asks every <t:seconds>' = 'vlan.query-interval'
'asks' = { sets = { 'vlan.querier' = true } }
[[rule]]
pattern = 'every water asks every <t:seconds>'
reach = 'all-vlans'
sets = { 'vlan.query-interval' = '<t>' }
";

fn doubtful(resolved: &Resolved) -> Resolved {
    assert_eq!(resolved.switch.unread().len(), 1);
    resolved.doubtful(DoubtWidth::Near).unwrap().resolved
}

/// A port's mode follows from its VLANs: where those are doubtful it is.
#[rstest]
#[case::tagged("carries sum", None)]
#[case::untagged("sits in sum", None)]
#[case::voice("speaks in sum", None)]
#[case::something_else("holds sum", Some("trunk"))]
fn a_mode_from_membership(#[case] line: &str, #[case] expected: Option<&str>) {
    let text = format!("berth p1\n  carries 110,120\n  {line}\nberth p2\n  carries 110\n  speaks in 210\n");
    let resolved = read(&dialect(LANGUAGE), &text);
    let mode = |resolved: &Resolved, port: usize| {
        resolved.switch.slot(Some(port), settings::MODE.id).value.as_ref().map(ToString::to_string)
    };
    assert_eq!(mode(&resolved, 0).as_deref(), Some("trunk"));
    let doubtful = doubtful(&resolved);
    assert_eq!(mode(&doubtful, 0).as_deref(), expected);
    assert_eq!(mode(&doubtful, 1), mode(&resolved, 1));
}

/// A line in a VLAN's block leaves that VLAN's settings open, one that speaks of all those of all, but for what later lines say.
#[rstest]
#[case::in_its_block("water 110\n  asks every 30\n  asks evry 9\nwater 120\n  asks every 60\n", [None, Some("1 min"), None])]
#[case::of_all("every water asks every 20\nevery water asks every now\nwater 110\nwater 120\n", [None, None, None])]
#[case::of_all_before_its_own("every water asks every now\nwater 110\nwater 120\n  asks every 60\n", [None, Some("1 min"), None])]
#[case::in_the_block_of_several(
    "every water asks every 20\nwater 130\nwaters 110,120\n  asks every 60\n  asks evry 9\n",
    [None, None, Some("20 s")]
)]
fn settings_of_vlans(#[case] text: &str, #[case] expected: [Option<&str>; 3]) {
    let doubtful = doubtful(&read(&dialect(LANGUAGE), &format!("{text}berth p1\n")));
    let interval = |vlan: u16| {
        let slot = doubtful.switch.vlan_slot(VlanId::new(vlan.into()).unwrap(), settings::QUERY_INTERVAL.id);
        slot.value.as_ref().map(ToString::to_string)
    };
    assert_eq!([110, 120, 130].map(interval).each_ref().map(Option::as_deref), expected);
}
