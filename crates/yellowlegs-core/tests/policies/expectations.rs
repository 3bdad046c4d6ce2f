//! What a role expects: settings in each of the ways in which a policy writes values.

use rstest::rstest;
use yellowlegs_core::model::{Choice, SettingId};
use yellowlegs_core::policy::{Feature, Wish};

use super::refused;
use super::support::policy;

fn role(expect: &str) -> String {
    format!("[[role]]\nname = 'desk'\nfaces = 'host'\n[role.expect]\n{expect}\n")
}

/// A setting and the value that is expected of it, as it is written and as it is shown.
#[rstest]
#[case::a_number("port.mtu", "9000", "9000")]
#[case::a_word("port.trust", "'both'", "both")]
#[case::seconds("flap.window", "30", "30 s")]
#[case::a_duration("flap.window", "'2m'", "2 min")]
#[case::a_flag("port.dynamic-vlan", "true", "true")]
#[case::a_wish("lldp.transmit", "'wanted'", "true")]
#[case::not_wished("lldp.transmit", "'unwanted'", "false")]
#[case::vlans("port.tagged-vlans", "[110, 120]", "110,120")]
#[case::vlans_in_words("port.tagged-vlans", "'110-112'", "110-112")]
#[case::a_list_of_words("port.tagged-vlans", "['110', '120-121']", "110,120-121")]
#[case::a_rate("storm.broadcast", "'2%'", "2 %")]
#[case::none("storm.broadcast", "'none'", "none")]
fn values(#[case] name: &str, #[case] written: &str, #[case] shown: &str) {
    let policy = policy(&role(&format!("'{name}' = {written}")));
    let values: Vec<_> =
        policy.roles[0].expect.values().map(|(id, wished)| (id.name(), wished.value.to_string())).collect();
    assert_eq!(values, [(name, shown.to_owned())]);
    let id = SettingId::by_name(name).unwrap();
    let expect = &policy.roles[0].expect;
    assert!(!expect.is_any(id));
}

#[rstest]
#[case("'port.mtu' = 'any'")]
#[case("'port.mtu' = 9000\n'port.trust' = 'any'")]
fn any_is_whatever_it_is(#[case] text: &str) {
    let policy = policy(&role(text));
    let any = if text.contains("trust") { "port.trust" } else { "port.mtu" };
    assert!(policy.roles[0].expect.is_any(SettingId::by_name(any).unwrap()));
}

/// What has a place of its own: the weakest action, aging, the native VLAN.
#[test]
fn values_with_a_place_of_their_own() {
    let policy = policy(&role(
        "'port-security.action' = 'disable-port'\n'port.native-vlan' = 999\n'port-security.aging' = '8h'",
    ));
    let expect = &policy.roles[0].expect;
    assert_eq!(expect.action.value.word(), "disable-port");
    assert_eq!(expect.native.as_ref().map(|wished| wished.value.get()), Some(999));
    let (wish, most) = expect.aging.value;
    assert_eq!((wish.word(), most.map(|most| most.0)), ("wanted", Some(28_800)));
    assert_eq!(expect.values().count(), 0);
}

#[rstest]
#[case::a_word("'unwanted'", "unwanted", None)]
#[case::seconds("600", "wanted", Some(600))]
#[case::a_duration("'10m'", "wanted", Some(600))]
fn aging(#[case] written: &str, #[case] wish: &str, #[case] most: Option<u32>) {
    let policy = policy(&role(&format!("'port-security.aging' = {written}")));
    let (told, seconds) = policy.roles[0].expect.aging.value;
    assert_eq!((told.word(), seconds.map(|most| most.0)), (wish, most));
}

/// A name that nothing has, a value that it cannot have; what the error says besides.
#[rstest]
#[case("'port.mtuu' = 9000", "port.mtu")]
#[case("'port.mtu' = 'large'", "any")]
#[case("'port.mtu' = true", "any")]
#[case("'multicast.fast-leave' = 1", "any")]
#[case("'multicast.fast-leave' = 'perhaps'", "any")]
#[case("'port-security.aging' = 0", "")]
#[case("'port-security.aging' = true", "")]
#[case("'port-security.action' = 'shout'", "")]
#[case("'port.native-vlan' = 5000", "")]
fn what_nothing_can_be(#[case] text: &str, #[case] says: &str) {
    let told = refused(&role(text));
    assert_eq!(told.iter().map(|(line, _)| *line).collect::<Vec<_>>(), [5], "{told:?}");
    assert!(told[0].1.contains(says), "{told:?}");
}

/// Whoever wants stations pinned wants port security, for without it nobody is; what is said of it stands, whatever is said of pinning.
#[rstest]
#[case::nothing("", Wish::Any)]
#[case::pinning("\"port-security.pinning\" = \"wanted\"", Wish::Wanted)]
#[case::no_pinning("\"port-security.pinning\" = \"unwanted\"", Wish::Any)]
#[case::pinning_and_let_be("\"port-security.pinning\" = \"wanted\"\nport-security = \"any\"", Wish::Any)]
#[case::pinning_and_none("\"port-security.pinning\" = \"wanted\"\nport-security = \"unwanted\"", Wish::Unwanted)]
fn pinning_stands_on_port_security(#[case] expects: &str, #[case] wish: Wish) {
    let policy = policy(&format!("[[role]]\nname = \"x\"\nfaces = \"router\"\n[role.expect]\n{expects}\n"));
    assert_eq!(policy.roles[0].expect.wish(Feature::PortSecurity).value, wish);
}

/// A VLAN that a role expects of a setting is that setting's, the native VLAN's apart.
#[rstest]
#[case("port.voice-vlan", true)]
#[case("port.access-vlan", true)]
#[case("port.native-vlan", false)]
fn a_vlan_of_a_setting(#[case] setting: &str, #[case] is_value: bool) {
    let policy = policy(&format!("[[role]]\nname = \"x\"\nfaces = \"host\"\n[role.expect]\n\"{setting}\" = 210\n"));
    let values: Vec<String> =
        policy.roles[0].expect.values().map(|(id, wished)| format!("{} {}", id.name(), wished.value)).collect();
    assert_eq!(values, if is_value { vec![format!("{setting} 210")] } else { Vec::new() });
}
