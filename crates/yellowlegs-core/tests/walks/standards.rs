//! What the objects of the standards mean.

use std::fmt::Write as _;

use rstest::rstest;

use crate::walks::{alone, facts, ports, remarks, told};

/// Objects beside those that name ports, and the settings that they tell.
#[rstest]
#[case::description("1.3.6.1.2.1.31.1.1.1.18.1002 octets \"gate 2\"", &["1/2 port.description = gate 2"])]
#[case::of_a_vlan_s_interface("1.3.6.1.2.1.2.2.1.7.7 integer 1", &[])]
#[case::frames("1.3.6.1.2.1.17.7.1.4.5.1.2.3 integer 2", &["1/3 port.acceptable-frames = tagged"])]
#[case::untagged_frames("1.3.6.1.2.1.17.7.1.4.5.1.2.3 integer 3", &["1/3 port.acceptable-frames = untagged"])]
#[case::filtering("1.3.6.1.2.1.17.7.1.4.5.1.3.3 integer 2", &["1/3 port.ingress-filtering = false"])]
#[case::priority("1.3.6.1.2.1.17.2.2.0 integer 4096", &["spanning-tree.priority = 4096"])]
#[case::timers("1.3.6.1.2.1.17.2.12.0 integer 2000\n1.3.6.1.2.1.17.2.13.0 integer 200\n1.3.6.1.2.1.17.2.14.0 integer 1500",
    &["spanning-tree.forward-delay = 15 s", "spanning-tree.max-age = 20 s", "spanning-tree.hello = 2 s"])]
#[case::rapid("1.3.6.1.2.1.17.2.16.0 integer 2", &["spanning-tree.protocol = rapid"])]
#[case::shared("1.3.6.1.2.1.17.2.19.1.4.1 integer 1", &["1/1 spanning-tree.link-type = shared"])]
#[case::edge("1.3.6.1.2.1.17.2.19.1.2.1 integer 1\n1.3.6.1.2.1.17.2.19.1.3.1 integer 2", &["1/1 fast-start.mode = edge"])]
#[case::by_itself("1.3.6.1.2.1.17.2.19.1.2.1 integer 2\n1.3.6.1.2.1.17.2.19.1.3.1 integer 1", &["1/1 fast-start.mode = auto"])]
// Off, or automatic and not (yet) an edge: these objects do not say.
#[case::no_edge("1.3.6.1.2.1.17.2.19.1.2.1 integer 2\n1.3.6.1.2.1.17.2.19.1.3.1 integer 2", &[])]
#[case::sends("1.0.8802.1.1.2.1.1.6.1.2.1 integer 2\n1.0.8802.1.1.2.1.1.6.1.2.2 integer 3",
    &["1/1 lldp.transmit = false", "1/2 lldp.transmit = true"])]
#[case::interval("1.0.8802.1.1.2.1.1.1.0 integer 30", &["lldp.interval = 30 s"])]
#[case::copper("1.3.6.1.2.1.26.2.1.1.3.1001.1 oid 1.3.6.1.2.1.26.4.30", &["1/1 port.media = copper"])]
#[case::fibre("1.3.6.1.2.1.26.2.1.1.3.1001.1 oid 1.3.6.1.2.1.26.4.26", &["1/1 port.media = fibre"])]
#[case::twinaxial("1.3.6.1.2.1.26.2.1.1.3.1001.1 oid 1.3.6.1.2.1.26.4.41", &["1/1 port.media = copper"])]
// Whatever is plugged in.
#[case::no_medium("1.3.6.1.2.1.26.2.1.1.3.1001.1 oid 1.3.6.1.2.1.26.4.22", &[])]
#[case::two_attachments("1.3.6.1.2.1.26.2.1.1.3.1001.1 oid 1.3.6.1.2.1.26.4.30\n1.3.6.1.2.1.26.2.1.1.3.1001.2 oid 1.3.6.1.2.1.26.4.26", &[])]
fn settings(#[case] lines: &str, #[case] expected: &[&str]) {
    let switch = alone(&format!("{}{lines}\n", ports()));
    assert_eq!(told(&switch), expected);
    assert!(switch.unread().is_empty(), "{:?}", switch.unread());
}

/// VLANs 110 and 120; ports by their numbers in the bridge, without a tag and with one.
fn members(of: &[(u16, u8, u8)], more: &str) -> String {
    let mut text = ports();
    for (vlan, egress, untagged) in of {
        _ = write!(
            text,
            "1.3.6.1.2.1.17.7.1.4.3.1.2.{vlan} hex {egress:02x}\n1.3.6.1.2.1.17.7.1.4.3.1.4.{vlan} hex {untagged:02x}\n"
        );
    }
    text + more
}

const PVID: &str = "1.3.6.1.2.1.17.7.1.4.5.1.1";

#[rstest]
#[case::access(&[(110, 0x80, 0x80), (120, 0, 0)], "1/1", &["port.mode = access", "port.access-vlan = 110", "port.voice-vlan = none"])]
#[case::trunk(&[(110, 0x80, 0x80), (120, 0x80, 0), (130, 0x80, 0)], "1/1",
    &["port.mode = trunk", "port.native-vlan = 110", "port.tagged-vlans = 120,130"])]
#[case::without_a_native(&[(110, 0x80, 0), (120, 0x80, 0)], "1/1",
    &["port.mode = trunk", "port.native-vlan = none", "port.tagged-vlans = 110,120"])]
#[case::one_tagged_alone(&[(120, 0x10, 0)], "1/4", &["port.mode = trunk", "port.native-vlan = none", "port.tagged-vlans = 120"])]
// A trunk, or an access port with a phone.
#[case::one_beside_the_untagged(&[(110, 0x80, 0x80), (120, 0x80, 0)], "1/1", &[])]
#[case::of_no_vlan(&[(110, 0x80, 0x80)], "1/2", &[])]
fn membership(#[case] of: &[(u16, u8, u8)], #[case] port: &str, #[case] expected: &[&str]) {
    let switch = alone(&members(of, ""));
    let of_port = format!("{port} ");
    let told: Vec<String> = told(&switch).iter().filter_map(|t| Some(t.strip_prefix(&of_port)?.to_owned())).collect();
    assert_eq!(told, expected);
}

#[rstest]
#[case::of_the_announced("120", &["1/1 port.mode = access", "1/1 port.access-vlan = 110", "1/1 port.voice-vlan = 120"])]
#[case::of_another("130", &[])]
fn a_port_with_a_phone_announces_its_vlan(#[case] announced: &str, #[case] expected: &[&str]) {
    let policy = "1.0.8802.1.1.2.1.5.4795.1.2.1.1";
    let lines = format!(
        "1.0.8802.1.1.2.1.3.7.1.2.9 integer 5\n1.0.8802.1.1.2.1.3.7.1.3.9 octets \"1/1\"\n{policy}.2.9.1.64 integer {announced}\n\
         {policy}.3.9.1.64 integer 5\n{policy}.4.9.1.64 integer 46\n{policy}.5.9.1.64 integer 2\n{policy}.6.9.1.64 integer 1\n"
    );
    let switch = alone(&members(&[(110, 0x80, 0x80), (120, 0x80, 0)], &lines));
    let told = told(&switch);
    let of_vlans: Vec<&String> = told.iter().filter(|told| told.starts_with("1/1 port.")).collect();
    assert_eq!(of_vlans, expected.iter().collect::<Vec<_>>());
    if announced == "120" {
        let slot = switch.slot(Some(0), yellowlegs_core::model::SettingId::by_name("port.voice-vlan").unwrap());
        let line = switch.quote(slot.mark.unwrap()).unwrap().text;
        assert_eq!(line, "1.3.6.1.2.1.17.7.1.4.3.1.2.120 hex 80");
    }
    let voice: Vec<&String> = told.iter().filter(|told| told.starts_with("1/1 voice.")).collect();
    let vlan = format!("1/1 voice.announced-vlan = {announced}");
    assert_eq!(voice, ["1/1 voice.announcement = tagged", &vlan, "1/1 voice.priority = 5", "1/1 voice.dscp = 46"]);
}

/// What is taken in without a tag and does not leave so.
#[rstest]
#[case::half(&format!("{PVID}.1 gauge32 110\n"), false)]
#[case::whole(&format!("{PVID}.1 gauge32 120\n"), true)]
fn a_native_vlan_is_both(#[case] lines: &str, #[case] said: bool) {
    let switch = alone(&members(&[(110, 0x80, 0), (120, 0x80, 0x80), (130, 0x80, 0)], lines));
    assert_eq!(told(&switch).contains(&"1/1 port.native-vlan = 120".to_owned()), said);
    assert!(told(&switch).contains(&"1/1 port.mode = trunk".to_owned()));
}

/// The table of now has the time before the VLAN, and counts where the other is not there.
#[test]
fn membership_of_now() {
    let of_now = "1.3.6.1.2.1.17.7.1.4.2.1.4.0.110 hex c0\n1.3.6.1.2.1.17.7.1.4.2.1.5.0.110 hex c0\n";
    let switch = alone(&format!("{}{of_now}", ports()));
    assert!(told(&switch).contains(&"switch.vlans = 110".to_owned()));
    assert!(told(&switch).contains(&"1/2 port.access-vlan = 110".to_owned()));
    let with_both = alone(&members(&[(120, 0x40, 0x40)], of_now));
    assert!(told(&with_both).contains(&"1/2 port.access-vlan = 120".to_owned()));
    assert!(!told(&with_both).iter().any(|told| told.starts_with("1/1 port.access-vlan")));
}

#[test]
fn a_set_of_ports_that_is_none_leaves_membership_open() {
    let text = members(
        &[(110, 0xf0, 0xf0)],
        "1.3.6.1.2.1.17.7.1.4.3.1.2.120 integer 9\n1.3.6.1.2.1.17.7.1.4.3.1.4.120 hex 00\n",
    );
    let switch = alone(&text);
    assert!(!told(&switch).iter().any(|told| told.contains("port.mode")), "{:?}", told(&switch));
    assert_eq!(switch.unread().len(), 1);
}

#[rstest]
#[case::up(
    "1.3.6.1.2.1.2.2.1.8.1001 integer 1\n1.3.6.1.2.1.31.1.1.1.15.1001 gauge32 1000",
    "port=1/1 link=true speed=1000"
)]
#[case::older(
    "1.3.6.1.2.1.2.2.1.8.1001 integer 1\n1.3.6.1.2.1.2.2.1.5.1001 gauge32 100000000",
    "port=1/1 link=true speed=100"
)]
#[case::down(
    "1.3.6.1.2.1.2.2.1.8.1001 integer 2\n1.3.6.1.2.1.2.2.1.7.1001 integer 2",
    "port=1/1 link=false admin=false"
)]
#[case::lower("1.3.6.1.2.1.2.2.1.8.1001 integer 7", "port=1/1 link=false")]
#[case::testing("1.3.6.1.2.1.2.2.1.8.1001 integer 3", "port=1/1")]
#[case::since(
    "1.3.6.1.2.1.1.3.0 ticks 500000\n1.3.6.1.2.1.2.2.1.9.1001 ticks 200000\n1.3.6.1.2.1.2.2.1.8.1001 integer 2",
    "port=1/1 link=false for=50 min"
)]
#[case::never_changed(
    "1.3.6.1.2.1.1.3.0 ticks 500000\n1.3.6.1.2.1.2.2.1.9.1001 ticks 0\n1.3.6.1.2.1.2.2.1.8.1001 integer 2",
    "port=1/1 link=false"
)]
fn status(#[case] lines: &str, #[case] expected: &str) {
    assert_eq!(facts(&alone(&format!("{}{lines}\n", ports())), "port-status"), [expected]);
}

const STATION: &str = "2.0.94.16.0.1";

#[rstest]
#[case::learned(3, &["address=02:00:5e:10:00:01 vlan=110 port=1/2 kind=learned"])]
#[case::by_hand(5, &["address=02:00:5e:10:00:01 vlan=110 port=1/2 kind=written"])]
#[case::its_own(4, &[])]
#[case::invalid(2, &[])]
fn stations(#[case] how: u8, #[case] expected: &[&str]) {
    let text = format!(
        "{}1.3.6.1.2.1.17.7.1.4.2.1.3.0.110 gauge32 5\n1.3.6.1.2.1.17.7.1.2.2.1.2.5.{STATION} integer 2\n\
         1.3.6.1.2.1.17.7.1.2.2.1.3.5.{STATION} integer {how}\n",
        ports()
    );
    assert_eq!(facts(&alone(&text), "station"), expected);
}

/// One database for two VLANs: nobody knows which.
#[test]
fn a_shared_database_tells_no_vlan() {
    let text = format!(
        "{}1.3.6.1.2.1.17.7.1.4.2.1.3.0.110 gauge32 1\n1.3.6.1.2.1.17.7.1.4.2.1.3.0.120 gauge32 1\n\
         1.3.6.1.2.1.17.7.1.2.2.1.2.1.{STATION} integer 1\n",
        ports()
    );
    assert_eq!(facts(&alone(&text), "station"), ["address=02:00:5e:10:00:01 port=1/1"]);
}

#[test]
fn the_older_table_counts_where_there_is_no_other() {
    let old = format!("1.3.6.1.2.1.17.4.3.1.2.{STATION} integer 3\n1.3.6.1.2.1.17.4.3.1.3.{STATION} integer 3\n");
    assert_eq!(
        facts(&alone(&format!("{}{old}", ports())), "station"),
        ["address=02:00:5e:10:00:01 port=1/3 kind=learned"]
    );
    let new = format!("1.3.6.1.2.1.17.7.1.2.2.1.2.1.{STATION} integer 1\n");
    assert_eq!(facts(&alone(&format!("{}{old}{new}", ports())), "station").len(), 1);
}

/// A neighbour on the port that LLDP counts as 9.
fn neighbour(local: &str, more: &str) -> String {
    let remote = "1.0.8802.1.1.2.1.4.1.1";
    format!(
        "{}{local}{remote}.4.0.9.1 integer 4\n{remote}.5.0.9.1 hex 02 00 5e 20 00 01\n{remote}.6.0.9.1 integer 7\n\
         {remote}.7.0.9.1 octets \"lan\"\n{remote}.9.0.9.1 octets \"phone 1\"\n{remote}.12.0.9.1 hex 24 00\n{more}",
        ports()
    )
}

#[rstest]
#[case::by_name("1.0.8802.1.1.2.1.3.7.1.2.9 integer 5\n1.0.8802.1.1.2.1.3.7.1.3.9 octets \"1/3\"\n", Some("1/3"))]
#[case::by_description(
    "1.0.8802.1.1.2.1.3.7.1.2.9 integer 7\n1.0.8802.1.1.2.1.3.7.1.3.9 octets \"x\"\n1.0.8802.1.1.2.1.3.7.1.4.9 octets \"berth 4\"\n",
    Some("1/4")
)]
#[case::by_number("1.0.8802.1.1.2.1.3.7.1.2.9 integer 7\n1.0.8802.1.1.2.1.3.7.1.3.9 octets \"1002\"\n", Some("1/2"))]
#[case::by_address(
    "1.3.6.1.2.1.2.2.1.6.1002 hex 02 00 5e 00 00 02\n1.0.8802.1.1.2.1.3.7.1.2.9 integer 3\n1.0.8802.1.1.2.1.3.7.1.3.9 hex 02 00 5e 00 00 02\n",
    Some("1/2")
)]
#[case::by_the_bridge("1.3.6.1.2.1.17.1.4.1.2.9 integer 1001\n", Some("1/1"))]
#[case::by_nothing("1.0.8802.1.1.2.1.3.7.1.2.9 integer 7\n1.0.8802.1.1.2.1.3.7.1.3.9 octets \"x\"\n", None)]
fn neighbours(#[case] local: &str, #[case] port: Option<&str>) {
    let switch = alone(&neighbour(local, ""));
    let expected = port.map(|port| {
        format!("port={port} chassis=02:00:5e:20:00:01 name=phone 1 their-port=lan capabilities=bridge, telephone")
    });
    assert_eq!(facts(&switch, "neighbour"), expected.into_iter().collect::<Vec<_>>());
    let told = remarks(&switch).iter().any(|text| text.contains("which port LLDP counts as 9 is not told"));
    assert_eq!(told, port.is_none());
}

#[rstest]
#[case::tagged("1.64", [110, 5, 46, 2, 1], " voice=tagged voice-vlan=110 voice-priority=5 voice-dscp=46")]
#[case::bits_alone("64", [110, 5, 46, 2, 1], " voice=tagged voice-vlan=110 voice-priority=5 voice-dscp=46")]
#[case::two_octets("2.64.0", [110, 5, 46, 2, 1], " voice=tagged voice-vlan=110 voice-priority=5 voice-dscp=46")]
#[case::number("1", [110, 5, 46, 2, 1], " voice=tagged voice-vlan=110 voice-priority=5 voice-dscp=46")]
#[case::priority_tagged("1.64", [0, 6, 46, 2, 1], " voice=priority-tagged voice-vlan=none voice-priority=6 voice-dscp=46")]
#[case::untagged("1.64", [110, 0, 0, 2, 2], " voice=untagged voice-vlan=110 voice-priority=0 voice-dscp=0")]
#[case::unknown("1.64", [110, 5, 46, 1, 1], "")]
#[case::of_guests("1.16", [110, 5, 46, 2, 1], "")]
fn policies(#[case] index: &str, #[case] cells: [u32; 5], #[case] expected: &str) {
    let policy = "1.0.8802.1.1.2.1.5.4795.1.3.2.1";
    let each = cells.iter().enumerate().map(|(i, cell)| format!("{policy}.{}.0.9.1.{index} integer {cell}\n", i + 2));
    let more =
        "1.0.8802.1.1.2.1.5.4795.1.3.1.1.3.0.9.1 integer 3\n1.0.8802.1.1.2.1.5.4795.1.3.7.1.1.0.9.1 gauge32 63\n";
    let local = "1.0.8802.1.1.2.1.3.7.1.2.9 integer 5\n1.0.8802.1.1.2.1.3.7.1.3.9 octets \"1/3\"\n";
    let switch = alone(&neighbour(local, &(each.collect::<String>() + more)));
    let told = facts(&switch, "neighbour").remove(0);
    assert!(told.ends_with(&format!("class=3{expected} power-asked=6.3 W")), "{told}");
}

/// Two numbers that power rows may have: each counts what is there.
#[rstest]
#[case::of_interfaces(&["1.1001", "1.1003"], &["port=1/1 on=true class=3", "port=1/3 on=true class=3"])]
#[case::of_the_bridge(&["1.1", "1.3"], &["port=1/1 on=true class=3", "port=1/3 on=true class=3"])]
#[case::of_neither(&["1.1", "1.9"], &[])]
#[case::two_groups(&["1.1", "2.1"], &[])]
fn power(#[case] rows: &[&str], #[case] expected: &[&str]) {
    let table = "1.3.6.1.2.1.105.1.1.1";
    let each = rows.iter().map(|row| format!("{table}.6.{row} integer 3\n{table}.10.{row} integer 4\n"));
    let switch = alone(&(ports() + &each.collect::<String>()));
    assert_eq!(facts(&switch, "power"), expected);
    assert_eq!(
        remarks(&switch).iter().any(|text| text.contains("which ports these rows of power")),
        expected.is_empty()
    );
}

#[test]
fn the_power_there_is() {
    let rows = "1.3.6.1.2.1.105.1.3.1.1.2.1 gauge32 370\n1.3.6.1.2.1.105.1.3.1.1.4.1 gauge32 61\n1.3.6.1.2.1.105.1.3.1.1.2.2 gauge32 100\n";
    let switch = alone(&(ports() + rows));
    assert_eq!(facts(&switch, "power-supply"), ["budget=370 W drawn=61 W", "budget=100 W"]);
    assert_eq!(told(&switch), ["power.budget = 470 W"]);
}

#[test]
fn how_memberships_are_asked_for() {
    let rows = "1.3.6.1.2.1.85.1.1.1.2.7 gauge32 125\n1.3.6.1.2.1.85.1.1.1.4.7 gauge32 2\n1.3.6.1.2.1.85.1.1.1.14.7 gauge32 2\n\
        1.3.6.1.2.1.85.1.1.1.2.1001 gauge32 60\n";
    let switch = alone(&(ports() + rows));
    let vlan = yellowlegs_core::model::VlanId::new(110).unwrap();
    let of = |name: &str| {
        let id = yellowlegs_core::model::SettingId::by_name(name).unwrap();
        switch.vlan_slot(vlan, id).value.as_ref().map(ToString::to_string)
    };
    assert_eq!(of("vlan.query-interval").as_deref(), Some("125 s"));
    assert_eq!(of("vlan.query-version").as_deref(), Some("2"));
    assert_eq!(of("vlan.robustness").as_deref(), Some("2"));
    assert_eq!(of("vlan.response-interval"), None);
}

#[rstest]
#[case::leads("1.3.6.1.2.1.17.2.7.0 integer 3", 5, &["port=1/3 state=forwarding root=true"])]
#[case::another("1.3.6.1.2.1.17.2.7.0 integer 1", 2, &["port=1/3 state=blocking root=false"])]
#[case::the_root_itself("1.3.6.1.2.1.17.2.7.0 integer 0", 4, &["port=1/3 state=learning root=false"])]
#[case::nobody_says("1.3.6.1.2.1.17.2.2.0 integer 4096", 1, &["port=1/3 state=disabled"])]
#[case::no_state("1.3.6.1.2.1.17.2.7.0 integer 3", 7, &[])]
#[case::none("1.3.6.1.2.1.17.2.7.0 integer 3", 0, &[])]
fn what_the_tree_makes_of_ports(#[case] root: &str, #[case] state: u8, #[case] expected: &[&str]) {
    let switch = alone(&format!("{}{root}\n1.3.6.1.2.1.17.2.15.1.3.3 integer {state}\n", ports()));
    assert_eq!(facts(&switch, "tree-port"), expected);
    assert_eq!(switch.unread().len(), usize::from(expected.is_empty()));
}

/// The least number that there is, in the place of every number that is read.
#[test]
fn numbers_beyond_all_that_an_agent_has() {
    let least = i64::MIN;
    let text = format!(
        "{}1.3.6.1.2.1.1.3.0 ticks {least}\n1.3.6.1.2.1.2.2.1.8.1001 integer 1\n1.3.6.1.2.1.2.2.1.9.1001 ticks {}\n\
         1.3.6.1.2.1.17.2.7.0 integer {least}\n1.3.6.1.2.1.17.2.15.1.3.3 integer {least}\n1.3.6.1.2.1.105.1.1.1.6.1.3 integer 3\n\
         1.3.6.1.2.1.105.1.1.1.10.1.3 integer {least}\n1.3.6.1.2.1.17.2.2.0 integer {least}\n1.3.6.1.2.1.85.1.1.1.2.7 gauge32 {least}\n",
        ports(),
        i64::MAX
    );
    let switch = alone(&text);
    assert_eq!(facts(&switch, "port-status"), ["port=1/1 link=true"]);
    assert_eq!(facts(&switch, "power"), ["port=1/3 on=true"]);
    assert_eq!(switch.unread().len(), 3);
}
