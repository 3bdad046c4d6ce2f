//! The machine alone: times by the standards' own numbers, and what each feature does to a frame.

mod support;

use std::net::Ipv4Addr;

use rstest::rstest;
use serde_json::{Value, json};
use yellowlegs_core::drill::frame::{Dhcp, Frame, Payload};
use yellowlegs_core::drill::machine::Arrival;
use yellowlegs_core::drill::{Asked, Machine};
use yellowlegs_core::model::{Cause, Record, StationAddress, Switch, VlanId};

/// A switch of three ports: 1 as told, 2 an access port of VLAN 110, 3 a trunk of 110 and 120 with the native VLAN 999.
fn switch(port: &Value, switch: &Value, traits: &Value) -> Switch {
    let mut first = json!({
        "port.enabled": true, "port.mode": "access", "port.access-vlan": 110, "port.voice-vlan": "none",
        "port.acceptable-frames": "all", "port.ingress-filtering": true, "port-security.enabled": false,
        "port-security.written-stations": [], "port-security.pinned-stations": [], "port-security.pinning": false,
        "authentication.enabled": false, "dhcp-snooping.trusted": false, "dhcp-snooping.rate-limit": "none",
        "arp-inspection.trusted": false, "source-guard.enabled": false, "ipv6-guard.advertisements-blocked": false,
        "ipv6-guard.servers-blocked": false, "storm.broadcast": "none", "storm.action": "drop",
        "spanning-tree.port-enabled": true, "fast-start.mode": "off", "spanning-tree.link-type": "auto",
        "guard.bpdu": false, "guard.bpdu-filter": false, "guard.root": false, "flap.enabled": false,
    });
    let mut whole = json!({
        "switch.vlans": "110,120,999", "dhcp-snooping.enabled": true, "dhcp-snooping.vlans": "none",
        "dhcp-snooping.address-check": true, "arp-inspection.enabled": true, "arp-inspection.vlans": "none",
        "spanning-tree.enabled": true, "spanning-tree.protocol": "rapid", "spanning-tree.forward-delay": 15,
        "spanning-tree.max-age": 20, "spanning-tree.hello": 2, "spanning-tree.host-speed-up": 0,
        "recovery.causes": [], "recovery.interval": 300, "recovery.bpdu-guard": 0, "recovery.port-security": 0, "recovery.storm": 0,
    });
    let mut words = json!({
        "snooping-switches": ["global", "vlan"], "inspection-switches": ["vlan"], "stations-counted": ["per-station"],
        "edge-detected": ["no"], "rapid-without-edge": ["standard"], "host-speed-up": ["voided-by-tags"],
        "plain-fast-start-on-trunk": ["void"], "flap-counts": ["loss-of-link"], "edge-bpdu-filter-ends": ["on-bpdu"],
        "port-security-void-in": [],
    });
    for (into, from) in [(&mut first, port), (&mut whole, switch), (&mut words, traits)] {
        for (name, value) in from.as_object().unwrap() {
            into[name] = value.clone();
        }
    }
    let second = first.clone();
    let mut third = first.clone();
    for (name, value) in
        [("port.mode", json!("trunk")), ("port.native-vlan", json!(999)), ("port.tagged-vlans", json!("110,120"))]
    {
        third[name] = value;
    }
    let slots = |settings: &Value| {
        let slot = |(name, value): (&String, &Value)| (name.clone(), json!({"value": value, "origin": "port"}));
        Value::Object(settings.as_object().unwrap().iter().map(slot).collect())
    };
    let traits: Value = Value::Object(
        words.as_object().unwrap().iter().map(|(name, words)| (name.clone(), json!({"words": words}))).collect(),
    );
    let ports: Vec<Value> = [first, second, third]
        .iter()
        .enumerate()
        .map(|(n, settings)| json!({"port": format!("{}", n + 1), "settings": slots(settings)}))
        .collect();
    let record = json!({"record": 1, "switch": "s", "traits": traits, "settings": slots(&whole), "ports": ports});
    let record: Record = serde_json::from_value(record).unwrap();
    record.into_switch("s")
}

fn station(last: u8) -> StationAddress {
    StationAddress::parse(&format!("02:00:5e:00:00:{last:02x}")).unwrap()
}

/// Seconds until a host's frames are forwarded (IEEE 802.1D-1998, 8.5.3: 2 × forward delay; IEEE 802.1Q, 13.26: migrate time of 3 s;
/// max age and hello where a host does not answer the proposal).
#[rstest]
#[case::edge(json!({"fast-start.mode": "edge"}), json!({}), json!({}), 0)]
#[case::no_tree_on_the_port(json!({"spanning-tree.port-enabled": false}), json!({}), json!({}), 0)]
#[case::no_tree(json!({}), json!({"spanning-tree.enabled": false}), json!({}), 0)]
#[case::classic(json!({}), json!({"spanning-tree.protocol": "classic"}), json!({}), 30)]
#[case::classic_quick(json!({}), json!({"spanning-tree.protocol": "classic", "spanning-tree.forward-delay": 4}), json!({}), 8)]
#[case::classic_slow(json!({}), json!({"spanning-tree.protocol": "classic", "spanning-tree.forward-delay": 30}), json!({}), 60)]
#[case::speed_up(json!({}), json!({"spanning-tree.protocol": "classic", "spanning-tree.host-speed-up": 5}), json!({}), 5)]
#[case::speed_up_void(json!({"port.voice-vlan": 120}), json!({"spanning-tree.protocol": "classic", "spanning-tree.host-speed-up": 5}), json!({}), 30)]
#[case::rapid(json!({}), json!({}), json!({}), 22)]
#[case::rapid_other_timers(json!({}), json!({"spanning-tree.max-age": 6, "spanning-tree.hello": 1}), json!({}), 7)]
#[case::rapid_detects(json!({}), json!({}), json!({"edge-detected": ["yes"]}), 3)]
#[case::rapid_shared(json!({"spanning-tree.link-type": "shared"}), json!({}), json!({"edge-detected": ["yes"]}), 22)]
#[case::rapid_with_the_classic_wait(json!({}), json!({}), json!({"rapid-without-edge": ["classic"]}), 30)]
#[case::auto(json!({"fast-start.mode": "auto"}), json!({}), json!({}), 3)]
#[case::multiple(json!({}), json!({"spanning-tree.protocol": "multiple"}), json!({}), 22)]
fn a_port_opens_after(#[case] port: Value, #[case] whole: Value, #[case] traits: Value, #[case] seconds: u64) {
    let switch = switch(&port, &whole, &traits);
    let mut machine = Machine::new(Asked::new(&switch));
    machine.link_up(0).unwrap();
    assert_eq!(machine.opens_at(0), Some(seconds * 1000));
    if seconds > 0 {
        machine.pass(seconds * 1000 - 1).unwrap();
        assert!(!machine.forwards(0), "not a millisecond earlier");
        machine.pass(1).unwrap();
    }
    assert!(machine.forwards(0));
}

/// What becomes of a frame on port 1, with ports 2 and 3 open: the ports it leaves by, each with its tags, or the feature that stops it.
#[rstest]
#[case::flooded(json!({}), json!({}), Payload::Plain, &[], "2: 3:110")]
#[case::own_tag(json!({}), json!({}), Payload::Plain, &[110], "2: 3:110")]
#[case::priority_tag(json!({}), json!({}), Payload::Plain, &[0], "2: 3:110")]
#[case::foreign_tag(json!({}), json!({}), Payload::Plain, &[120], "tag rules")]
#[case::foreign_tag_let_in(json!({"port.ingress-filtering": false}), json!({}), Payload::Plain, &[120], "3:120")]
#[case::voice_tag(json!({"port.voice-vlan": 120}), json!({}), Payload::Plain, &[120], "2:120 3:120")]
#[case::undefined(json!({}), json!({"switch.vlans": "120"}), Payload::Plain, &[], "tag rules")]
#[case::only_tagged(json!({"port.acceptable-frames": "tagged"}), json!({}), Payload::Plain, &[], "tag rules")]
#[case::only_untagged(json!({"port.acceptable-frames": "untagged"}), json!({}), Payload::Plain, &[110], "tag rules")]
#[case::twice(json!({}), json!({}), Payload::Plain, &[110, 120], "2:120 3:110,120")]
#[case::twice_to_native(json!({"port.access-vlan": 999}), json!({}), Payload::Plain, &[999, 120], "2:120 3:120")]
#[case::server(json!({}), json!({"dhcp-snooping.vlans": "110"}), Payload::Dhcp(Dhcp::Offer, station(9), Ipv4Addr::LOCALHOST), &[], "DHCP snooping")]
#[case::server_elsewhere(json!({}), json!({"dhcp-snooping.vlans": "120"}), Payload::Dhcp(Dhcp::Offer, station(9), Ipv4Addr::LOCALHOST), &[], "2: 3:110")]
#[case::server_global_off(json!({}), json!({"dhcp-snooping.enabled": false, "dhcp-snooping.vlans": "110"}), Payload::Dhcp(Dhcp::Offer, station(9), Ipv4Addr::LOCALHOST), &[], "2: 3:110")]
#[case::server_trusted(json!({"dhcp-snooping.trusted": true}), json!({"dhcp-snooping.vlans": "110"}), Payload::Dhcp(Dhcp::Offer, station(9), Ipv4Addr::LOCALHOST), &[], "2: 3:110")]
#[case::client_of_another(json!({}), json!({"dhcp-snooping.vlans": "110"}), Payload::Dhcp(Dhcp::Discover, station(9), Ipv4Addr::LOCALHOST), &[], "DHCP snooping")]
#[case::client_itself(json!({}), json!({"dhcp-snooping.vlans": "110"}), Payload::Dhcp(Dhcp::Discover, station(1), Ipv4Addr::LOCALHOST), &[], "2: 3:110")]
#[case::arp_unbound(json!({}), json!({"arp-inspection.vlans": "110"}), Payload::Arp(Ipv4Addr::LOCALHOST), &[], "ARP inspection")]
#[case::arp_trusted(json!({"arp-inspection.trusted": true}), json!({"arp-inspection.vlans": "110"}), Payload::Arp(Ipv4Addr::LOCALHOST), &[], "2: 3:110")]
#[case::source_unbound(json!({"source-guard.enabled": true}), json!({}), Payload::Packet(Ipv4Addr::LOCALHOST), &[], "source guard")]
#[case::router(json!({"ipv6-guard.advertisements-blocked": true}), json!({}), Payload::RouterAdvertisement, &[], "IPv6 guard")]
#[case::router_let_in(json!({}), json!({}), Payload::RouterAdvertisement, &[], "2: 3:110")]
#[case::unauthenticated(json!({"authentication.enabled": true}), json!({}), Payload::Plain, &[], "port authentication")]
#[case::full(json!({"port-security.enabled": true, "port-security.limit": 0, "port-security.action": "drop"}), json!({}), Payload::Plain, &[], "port security")]
#[case::void(json!({"port-security.enabled": true, "port-security.limit": 0, "port-security.action": "drop", "port.mode": "negotiated"}), json!({}), Payload::Plain, &[], "port security")]
fn a_frame_goes(
    #[case] port: Value,
    #[case] whole: Value,
    #[case] payload: Payload,
    #[case] tags: &[i64],
    #[case] expected: &str,
) {
    let mut told = port.clone();
    told["fast-start.mode"] = json!("edge");
    let switch = switch(&told, &whole, &json!({}));
    let mut machine = Machine::new(Asked::new(&switch));
    (1..3).for_each(|port| machine.settle(port));
    machine.link_up(0).unwrap();
    let mut frame = Frame::to_all(station(1), payload);
    for tag in tags.iter().rev() {
        frame = match VlanId::new(*tag) {
            Ok(vlan) => frame.tagged(vlan),
            Err(_) => Frame { tags: vec![0], ..frame },
        };
    }
    let came = match machine.receive(0, &frame).unwrap() {
        Arrival::Forwarded(_, to) => {
            let tags = |tags: &[u16]| tags.iter().map(ToString::to_string).collect::<Vec<_>>().join(",");
            to.iter().map(|d| format!("{}:{}", d.port + 1, tags(&d.tags))).collect::<Vec<_>>().join(" ")
        }
        Arrival::Stopped(because) => because.feature.to_owned(),
        other => format!("{other:?}"),
    };
    assert_eq!(came, expected, "{:#?}", machine.story());
}

/// How a held port comes back: the timer of its cause, else the common one where the cause is listed, else somebody.
#[rstest]
#[case::own_timer(json!({"recovery.bpdu-guard": 60}), Some(60))]
#[case::common_timer(json!({"recovery.causes": ["bpdu-guard"]}), Some(300))]
#[case::own_before_common(json!({"recovery.bpdu-guard": 60, "recovery.causes": ["bpdu-guard"]}), Some(60))]
#[case::by_hand(json!({}), None)]
fn a_held_port_comes_back(#[case] whole: Value, #[case] seconds: Option<u64>) {
    let switch = switch(&json!({"fast-start.mode": "edge", "guard.bpdu": true}), &whole, &json!({}));
    let mut machine = Machine::new(Asked::new(&switch));
    machine.link_up(0).unwrap();
    assert_eq!(machine.receive(0, &Frame::bpdu(station(7), false)).unwrap(), Arrival::Heard(false));
    assert_eq!(machine.held_by(0), Some(Cause::EdgeBpdu));
    assert_eq!(machine.receive(0, &Frame::to_all(station(1), Payload::Plain)).unwrap(), Arrival::Closed);
    if let Some(seconds) = seconds {
        machine.pass(seconds * 1000 - 1).unwrap();
        assert!(!machine.forwards(0));
        machine.pass(1).unwrap();
        assert!(machine.forwards(0));
        // The cause still there trips it again.
        machine.receive(0, &Frame::bpdu(station(7), false)).unwrap();
        assert!(!machine.forwards(0));
    } else {
        machine.pass(1_000_000_000).unwrap();
        assert!(!machine.forwards(0));
    }
}

/// Flap protection: the last loss counts, and the window is closed at both ends.
#[rstest]
#[case::just_inside(2500, true)]
#[case::just_outside(2501, false)]
fn the_window_of_flap_protection(#[case] between: u64, #[case] held: bool) {
    let flap = json!({"flap.enabled": true, "flap.threshold": 5, "flap.window": 10, "flap.hold": 60, "fast-start.mode": "edge"});
    let switch = switch(&flap, &json!({}), &json!({}));
    let mut machine = Machine::new(Asked::new(&switch));
    for _ in 0..5 {
        machine.link_up(0).unwrap();
        machine.link_down(0).unwrap();
        machine.pass(between).unwrap();
    }
    assert_eq!(machine.held_by(0).is_some(), held);
}
