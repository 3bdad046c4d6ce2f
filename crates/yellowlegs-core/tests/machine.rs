//! The machine alone: times by the standards' own numbers, and what each feature does to a frame.

use std::net::Ipv4Addr;
use std::sync::Arc;

use crate::support::bare::{at_work, station, switch};
use rstest::rstest;
use serde_json::{Value, json};
use yellowlegs_core::drill::frame::{Dhcp, Frame, Payload, Root, To};
use yellowlegs_core::drill::machine::{Arrival, Manner, Net};
use yellowlegs_core::drill::{Asked, Machine};
use yellowlegs_core::model::{Cause, SavedCopy, VlanId};

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
#[case::client_heard_by_nobody(json!({}), json!({"dhcp-snooping.vlans": "110"}), Payload::Dhcp(Dhcp::Discover, station(1), Ipv4Addr::LOCALHOST), &[], "")]
#[case::client_unsnooped(json!({}), json!({}), Payload::Dhcp(Dhcp::Discover, station(1), Ipv4Addr::LOCALHOST), &[], "2: 3:110")]
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
    assert_eq!(machine.receive(0, &Frame::bpdu(station(7), Root::NoBetter)).unwrap(), Arrival::Heard(false));
    assert_eq!(machine.held_by(0), Some(Cause::EdgeBpdu));
    assert_eq!(machine.receive(0, &Frame::to_all(station(1), Payload::Plain)).unwrap(), Arrival::Closed);
    if let Some(seconds) = seconds {
        machine.pass(seconds * 1000 - 1).unwrap();
        assert!(!machine.forwards(0));
        machine.pass(1).unwrap();
        assert!(machine.forwards(0));
        // The cause still there trips it again.
        machine.receive(0, &Frame::bpdu(station(7), Root::NoBetter)).unwrap();
        assert!(!machine.forwards(0));
    } else {
        machine.pass(1_000_000_000).unwrap();
        assert!(!machine.forwards(0));
    }
}

/// Several held ports come back in the order of their timers, of the same time in the order of ports.
#[rstest]
#[case::the_second_first(30_000, 10_000, &[(1, 70_000), (0, 90_000)])]
#[case::the_first_first(10_000, 30_000, &[(0, 70_000), (1, 90_000)])]
#[case::together(20_000, 20_000, &[(0, 80_000), (1, 80_000)])]
fn held_ports_come_back_in_order(#[case] first: u64, #[case] second: u64, #[case] expected: &[(usize, u64)]) {
    let edge = json!({"fast-start.mode": "edge", "guard.bpdu": true});
    let switch = switch(&edge, &json!({"recovery.bpdu-guard": 60}), &json!({}));
    let mut machine = at_work(&switch);
    for at in [first.min(second), first.max(second)] {
        machine.pass(at - machine.now()).unwrap();
        for port in [(0, first), (1, second)].into_iter().filter(|one| one.1 == at).map(|one| one.0) {
            machine.receive(port, &Frame::bpdu(station(7), Root::NoBetter)).unwrap();
        }
    }
    machine.pass(200_000).unwrap();
    let back = machine.story().iter().filter(|line| line.words == "comes back").map(|line| (line.port, line.at));
    assert_eq!(back.collect::<Vec<_>>(), expected);
}

/// Bindings are counted on their port, as long as their leases last.
#[test]
fn bindings_are_of_a_port() {
    let switch = switch(&json!({"3:dhcp-snooping.trusted": true}), &json!({"dhcp-snooping.vlans": "110"}), &json!({}));
    let mut machine = Machine::new(Asked::new(&switch)).with_leases(Some(60_000));
    (0..3).for_each(|port| machine.settle(port));
    for (port, last) in [(0, 1), (0, 2), (1, 3)] {
        machine.lease(port, station(last), Ipv4Addr::new(192, 0, 2, last)).unwrap();
    }
    let count = |machine: &Machine<'_>| [0, 1, 2].map(|port| machine.bindings_of(port));
    assert_eq!(count(&machine), [2, 1, 0]);
    machine.pass(60_000).unwrap();
    assert_eq!(count(&machine), [0, 0, 0]);
}

/// A switch that forgets the groups left by all, and one that keeps those that reported after one that is there still. Nobody's stream
/// floods to the ports 1 and 3; one that is registered still goes to nobody.
#[rstest]
#[case::forgets(false, ["1 3", "1", "1 3"])]
#[case::keeps(true, ["1 3", "1", ""])]
fn groups_that_all_have_left(#[case] left_groups_stay: bool, #[case] expected: [&str; 3]) {
    let told = json!({"multicast.snooping": true, "multicast.filtering": false});
    let switch = switch(&json!({"multicast.fast-leave": true}), &told, &json!({}));
    let mut machine = at_work(&switch).with_manner(Manner { left_groups_stay, ..Manner::default() });
    // An early one that is left, one that stays, a late one that is left.
    let groups = [1, 2, 3].map(|last| Ipv4Addr::new(233, 252, 0, last));
    groups.iter().for_each(|group| _ = machine.receive(0, &Frame::report(station(1), *group)).unwrap());
    [0, 2].iter().for_each(|left| _ = machine.receive(0, &Frame::leave(station(1), groups[*left])).unwrap());
    let goes = groups.map(|group| leaves(&mut machine, 1, &Frame::stream(station(9), Ipv4Addr::LOCALHOST, group)));
    assert_eq!(goes.map(|ports| ports.iter().map(usize::to_string).collect::<Vec<_>>().join(" ")), expected);
}

/// A switch whose mirrors copy a frame once for each session, with the tag of its VLAN, and one that copies it as it came and as it goes.
#[rstest]
#[case::as_on_the_wire(false, &["2 received []", "2 sent []"])]
#[case::inside(true, &["2 received [110]"])]
fn mirrors_copy_in_their_manner(#[case] copies_inside: bool, #[case] expected: &[&str]) {
    let switch = switch(&json!({}), &json!({}), &json!({}));
    let mut machine = at_work(&switch).with_manner(Manner { copies_inside, ..Manner::default() });
    machine.receive(1, &Frame::to_all(station(2), Payload::Plain)).unwrap();
    machine.receive(0, &Frame { to: To::Station(station(2)), ..Frame::to_all(station(1), Payload::Plain) }).unwrap();
    let way = |received| if received { "received" } else { "sent" };
    let told = machine.take_copies().into_iter().map(|c| format!("{} {} {:?}", c.of + 1, way(c.received), c.tags));
    assert_eq!(told.collect::<Vec<_>>(), expected);
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

/// Seconds in each of which as many frames come as in the last leave the count of the running one where it is; idle ones end it.
#[rstest]
#[case::alike(true, 3)]
#[case::idle(false, 5)]
fn seconds_that_are_like_the_last(#[case] alike: bool, #[case] let_in: usize) {
    let switch = switch(&json!({"storm.broadcast": "5 pps"}), &json!({}), &json!({}));
    let mut machine = at_work(&switch);
    let frame = Frame::to_all(station(1), Payload::Plain);
    let come = |machine: &mut Machine<'_>, frames: usize| {
        (0..frames).filter(|_| machine.receive(0, &frame).unwrap().is_in()).count()
    };
    assert_eq!(come(&mut machine, 2), 2);
    if alike { machine.pass_alike(0, 3000) } else { machine.pass(3000) }.unwrap();
    assert_eq!(come(&mut machine, 8), let_in);
}

const GROUP: Ipv4Addr = Ipv4Addr::new(233, 252, 0, 1);

/// The ports a frame leaves by, from 1.
fn leaves(machine: &mut Machine<'_>, port: usize, frame: &Frame) -> Vec<usize> {
    match machine.receive(port, frame).unwrap() {
        Arrival::Forwarded(_, to) => to.iter().map(|d| d.port + 1).collect(),
        _ => Vec::new(),
    }
}

/// RFC 2236, 8.4: 2 × 125 s + 10 s; 8.5: 2 × 125 s + 5 s; 8.8 and 8.9: 2 × 1 s. To the millisecond.
#[test]
fn memberships_end_by_the_standard() {
    let switch = switch(&json!({}), &json!({"multicast.snooping": true}), &json!({}));
    let mut machine = at_work(&switch);
    let vlan = VlanId::new(110).unwrap();
    assert_eq!(machine.membership(vlan), Ok(260_000));
    assert_eq!(machine.querier_lasts(vlan), Ok(255_000));
    assert_eq!(machine.leave_takes(vlan), Ok(2000));
    let stream = Frame::stream(station(9), Ipv4Addr::LOCALHOST, GROUP);
    machine.receive(0, &Frame::report(station(1), GROUP)).unwrap();
    machine.pass(259_999).unwrap();
    assert_eq!(leaves(&mut machine, 1, &stream), [1]);
    machine.pass(1).unwrap();
    assert_eq!(leaves(&mut machine, 1, &stream), [0_usize; 0]);
    // The other member answers within the last-member time, and keeps the stream.
    machine.receive(0, &Frame::report(station(1), GROUP)).unwrap();
    machine.receive(0, &Frame::leave(station(1), GROUP)).unwrap();
    machine.pass(1999).unwrap();
    assert_eq!(leaves(&mut machine, 1, &stream), [1]);
    machine.receive(0, &Frame::report(station(2), GROUP)).unwrap();
    machine.pass(1).unwrap();
    assert_eq!(leaves(&mut machine, 1, &stream), [1]);
    // A router port is learned from a query, and lasts for 255 s.
    machine.receive(2, &Frame::query(station(8), None).tagged(vlan)).unwrap();
    machine.pass(254_999).unwrap();
    assert_eq!(leaves(&mut machine, 1, &stream), [1, 3]);
    machine.pass(1).unwrap();
    assert_eq!(leaves(&mut machine, 1, &stream), [1]);
}

/// Where a stream from port 2 goes after port 1 has joined (or nobody has).
#[rstest]
#[case::member(json!({}), json!({}), true, GROUP, &[1])]
#[case::unregistered(json!({}), json!({}), false, GROUP, &[])]
#[case::unregistered_floods(json!({}), json!({"multicast.filtering": false}), false, GROUP, &[1, 3])]
#[case::link_local_floods(json!({}), json!({}), false, Ipv4Addr::new(224, 0, 0, 251), &[1, 3])]
#[case::unsnooped(json!({}), json!({"multicast.snooping": false}), true, GROUP, &[1, 3])]
#[case::router_ports(json!({"multicast.router-port": true}), json!({}), false, GROUP, &[1, 3])]
#[case::forward_all(json!({"multicast.forward-all": true}), json!({}), false, GROUP, &[1, 3])]
#[case::forward_all_but_registered(json!({"multicast.forward-all": true}), json!({}), true, GROUP, &[1])]
fn a_stream_goes(
    #[case] port: Value,
    #[case] whole: Value,
    #[case] joined: bool,
    #[case] group: Ipv4Addr,
    #[case] expected: &[usize],
) {
    let mut told = json!({"multicast.snooping": true});
    whole.as_object().unwrap().iter().for_each(|(name, value)| told[name] = value.clone());
    let switch = switch(&port, &told, &json!({}));
    let mut machine = at_work(&switch);
    if joined {
        machine.receive(0, &Frame::report(station(1), group)).unwrap();
    }
    assert_eq!(leaves(&mut machine, 1, &Frame::stream(station(9), Ipv4Addr::LOCALHOST, group)), expected);
}

/// IEEE 802.1Q, 8.8.3: an address that is silent for 300 s is forgotten.
#[rstest]
#[case(299_999, &[1])]
#[case(300_000, &[1, 3])]
fn the_address_table_ages(#[case] after: u64, #[case] expected: &[usize]) {
    let switch = switch(&json!({}), &json!({}), &json!({}));
    let mut machine = at_work(&switch);
    machine.receive(0, &Frame::to_all(station(1), Payload::Plain)).unwrap();
    machine.pass(after).unwrap();
    assert_eq!(leaves(&mut machine, 1, &Frame::to_station(station(2), station(1), Payload::Plain)), expected);
}

/// Port security: who is let in after station 1 has spoken on port 1 and some time has passed.
#[rstest]
#[case::the_same(json!({}), 0, 1, 0, true)]
#[case::another(json!({}), 0, 2, 0, false)]
#[case::aged(json!({"port-security.aging": 60}), 60, 2, 0, true)]
#[case::not_aged(json!({"port-security.aging": 60}), 59, 2, 0, false)]
#[case::pinned_never_ages(json!({"port-security.aging": 60, "port-security.pinning": true}), 600, 2, 0, false)]
#[case::held_on_another_port(json!({"port-security.limit": 2}), 0, 1, 1, false)]
#[case::nowhere_else(json!({"port-security.limit": 2}), 0, 2, 1, true)]
fn port_security_admits(
    #[case] port: Value,
    #[case] seconds: u64,
    #[case] who: u8,
    #[case] on: usize,
    #[case] admitted: bool,
) {
    let mut told = json!({"port-security.enabled": true});
    port.as_object().unwrap().iter().for_each(|(name, value)| told[name] = value.clone());
    let switch = switch(&told, &json!({}), &json!({}));
    let mut machine = at_work(&switch);
    machine.receive(0, &Frame::to_all(station(1), Payload::Plain)).unwrap();
    machine.pass(seconds * 1000).unwrap();
    assert_eq!(machine.receive(on, &Frame::to_all(station(who), Payload::Plain)).unwrap().is_in(), admitted);
}

/// A station that is written on the trunk is let in nowhere else where it belongs: in the VLAN of its entry, or in all of the port's.
#[rstest]
#[case::in_another_vlan("02:00:5e:00:00:05@120", true)]
#[case::in_this_vlan("02:00:5e:00:00:05@110", false)]
#[case::in_any_vlan("02:00:5e:00:00:05", false)]
#[case::somebody_else("02:00:5e:00:00:06", true)]
fn a_station_that_belongs_on_another_port(#[case] written: &str, #[case] admitted: bool) {
    let told =
        json!({"port-security.enabled": true, "port-security.limit": 3, "3:port-security.written-stations": [written]});
    let switch = switch(&told, &json!({}), &json!({}));
    let mut machine = at_work(&switch);
    assert_eq!(machine.receive(0, &Frame::to_all(station(5), Payload::Plain)).unwrap().is_in(), admitted);
    // Where nothing counts stations nobody belongs anywhere.
    let told = json!({"3:port-security.enabled": false, "port-security.enabled": true, "port-security.limit": 3, "3:port-security.written-stations": [written]});
    let switch = self::switch(&told, &json!({}), &json!({}));
    assert!(at_work(&switch).receive(0, &Frame::to_all(station(5), Payload::Plain)).unwrap().is_in());
}

/// A port that one station too many took down comes back: who is pinned still has the place, who was learned has lost it.
#[rstest]
#[case::pinned(true, false)]
#[case::learned(false, true)]
fn a_place_after_the_port_came_back(#[case] pins: bool, #[case] admitted: bool) {
    let told = json!({"port-security.enabled": true, "port-security.action": "disable-port", "port-security.pinning": pins, "fast-start.mode": "edge"});
    let switch = switch(&told, &json!({"recovery.port-security": 60}), &json!({}));
    let mut machine = at_work(&switch);
    let speaks = |machine: &mut Machine<'_>, who: u8| {
        machine.receive(0, &Frame::to_all(station(who), Payload::Plain)).unwrap().is_in()
    };
    assert!(speaks(&mut machine, 1));
    assert!(!speaks(&mut machine, 2));
    assert!(machine.held_by(0).is_some());
    machine.pass(61_000).unwrap();
    assert!(machine.held_by(0).is_none());
    assert_eq!(speaks(&mut machine, 2), admitted);
}

/// A mirror of port 2, both ways, to port 3: what it receives, dropped or not, and what it sends.
#[rstest]
#[case::received(1, Payload::Plain, &[], 1)]
#[case::received_and_dropped(1, Payload::Plain, &[120], 1)]
#[case::received_bridge(1, Payload::Bpdu(Root::NoBetter), &[], 1)]
#[case::sent(0, Payload::Plain, &[], 1)]
#[case::neither(0, Payload::Plain, &[120], 0)]
fn a_mirror_copies(#[case] port: usize, #[case] payload: Payload, #[case] tags: &[u16], #[case] copies: usize) {
    let switch = switch(&json!({}), &json!({}), &json!({}));
    let mut machine = at_work(&switch);
    let frame = Frame { tags: tags.to_vec(), ..Frame::to_all(station(1), payload) };
    machine.receive(port, &frame).unwrap();
    let made = machine.take_copies();
    assert_eq!(made.len(), copies, "{made:?}");
    assert!(made.iter().all(|copy| copy.to == 2 && copy.of == 1));
}

/// IEEE 802.1D-1998, 8.5: max age and twice the forward delay; IEEE 802.1Q, 13: three hello times, then two more, or the classic wait.
#[rstest]
#[case::classic(json!({"spanning-tree.protocol": "classic"}), "standard", 50)]
#[case::rapid(json!({}), "standard", 10)]
#[case::rapid_with_the_classic_wait(json!({}), "classic", 36)]
fn a_blocked_port_opens_when_bpdus_fade(#[case] whole: Value, #[case] word: &str, #[case] seconds: u64) {
    let switch = switch(&json!({}), &whole, &json!({"rapid-without-edge": [word]}));
    assert_eq!(Machine::new(Asked::new(&switch)).reopens(), Ok(seconds * 1000));
}

/// Bindings: an ACK through a trusted port makes one; it is written 15 s later, and a restart before that loses it.
#[rstest]
#[case::too_early(14_999, 1)]
#[case::written(15_000, 0)]
fn a_binding_is_written(#[case] after: u64, #[case] lost: usize) {
    let switch = switch(&json!({}), &json!({"dhcp-snooping.vlans": "110"}), &json!({}));
    let mut machine = at_work(&switch);
    let vlan = VlanId::new(110).unwrap();
    machine
        .receive(0, &Frame::to_all(station(1), Payload::Dhcp(Dhcp::Request, station(1), Ipv4Addr::LOCALHOST)))
        .unwrap();
    machine.bind_learned(station(1), vlan, Ipv4Addr::LOCALHOST).unwrap();
    assert_eq!(machine.bindings_of(0), 1);
    // A release from another port is dropped; it is nobody's to give back.
    let release = Frame::to_all(station(1), Payload::Dhcp(Dhcp::Release, station(1), Ipv4Addr::LOCALHOST));
    assert_eq!(machine.receive(1, &release).unwrap().stopped_by().map(|b| b.feature), Some("DHCP snooping"));
    machine.pass(after).unwrap();
    assert_eq!(machine.restart(0).unwrap().bindings, lost);
}

/// Relay information (RFC 3046): what an untrusted port does with a client's message that carries it.
#[rstest]
#[case(false, false, true)]
#[case(true, false, false)]
#[case(true, true, true)]
fn relay_information(#[case] relayed: bool, #[case] accepted: bool, #[case] passes: bool) {
    let port = json!({"dhcp-snooping.relay-info-accepted": accepted});
    let switch = switch(&port, &json!({"dhcp-snooping.vlans": "110"}), &json!({}));
    let mut machine = at_work(&switch);
    let discover = Payload::Dhcp(Dhcp::Discover, station(1), Ipv4Addr::UNSPECIFIED);
    let frame = Frame { relayed, ..Frame::to_all(station(1), discover) };
    assert_eq!(machine.receive(0, &frame).unwrap().is_in(), passes);
}

/// Whether a message leaves with relay information, by what the switch does with it (RFC 3046, 2.1): it touches what clients say, and
/// only where snooping acts.
#[rstest]
#[case::kept("keep", Dhcp::Discover, true, "110", true)]
#[case::none_to_keep("keep", Dhcp::Discover, false, "110", false)]
#[case::put_in("insert", Dhcp::Discover, false, "110", true)]
#[case::replaced("replace", Dhcp::Request, true, "110", true)]
#[case::taken_out("remove", Dhcp::Discover, true, "110", false)]
#[case::taken_out_elsewhere("remove", Dhcp::Discover, true, "120", true)]
#[case::put_in_elsewhere("insert", Dhcp::Discover, false, "120", false)]
#[case::of_a_server("insert", Dhcp::Offer, false, "110", false)]
#[case::of_a_server_that_has_it("keep", Dhcp::Offer, true, "110", false)]
fn relay_information_leaves(
    #[case] done: &str,
    #[case] kind: Dhcp,
    #[case] comes: bool,
    #[case] snooped: &str,
    #[case] leaves: bool,
) {
    let port = json!({"dhcp-snooping.relay-info-accepted": true, "3:dhcp-snooping.trusted": true});
    let whole = json!({"dhcp-snooping.vlans": snooped, "dhcp-snooping.relay-info": done});
    let switch = switch(&port, &whole, &json!({}));
    let mut machine = at_work(&switch);
    let message = Payload::Dhcp(kind, station(1), Ipv4Addr::UNSPECIFIED);
    let frame = Frame { relayed: comes, ..Frame::to_all(station(1), message) };
    // A server's comes by the trusted port.
    let arrival = if kind.is_of_server() {
        machine.receive(2, &frame.tagged(VlanId::new(110).unwrap()))
    } else {
        machine.receive(0, &frame)
    };
    let Arrival::Forwarded(_, deliveries) = arrival.unwrap() else { panic!("it is let in") };
    assert!(!deliveries.is_empty());
    assert!(deliveries.iter().all(|delivery| delivery.relayed == leaves), "{deliveries:?}");
}

/// What a phone is told (ANSI/TIA-1057, 10.2.3): the tag.
#[rstest]
#[case::tagged(json!({"voice.announcement": "tagged", "voice.announced-vlan": 120, "voice.priority": 5, "voice.dscp": 46}), "lldp-med", Some(120))]
#[case::untagged(json!({"voice.announcement": "untagged", "voice.priority": 5, "voice.dscp": 46}), "lldp-med", None)]
#[case::priority_tagged(json!({"voice.announcement": "priority-tagged", "voice.priority": 5, "voice.dscp": 46}), "lldp-med", Some(0))]
#[case::nothing(json!({}), "lldp-med", None)]
#[case::silent(json!({"voice.announcement": "tagged", "voice.announced-vlan": 120, "lldp.transmit": false}), "lldp-med", None)]
#[case::another_way(json!({"port.voice-vlan": 120, "lldp.transmit": false}), "own-protocol", Some(120))]
fn a_phone_is_told(#[case] port: Value, #[case] by: &str, #[case] tag: Option<u16>) {
    let switch = switch(&port, &json!({}), &json!({"voice-told-by": [by]}));
    assert_eq!(Machine::new(Asked::new(&switch)).tells_phone(0, None).unwrap().tag, tag);
}

/// Its own probe comes back: of the two ports the one with the higher number goes down; probes of others are nothing special.
#[test]
fn an_own_probe_takes_the_lower_ranked_port_down() {
    let switch = switch(&json!({"guard.loop-detection": true}), &json!({}), &json!({}));
    let mut machine = at_work(&switch);
    let probes = machine.probes_of(0).unwrap();
    assert_eq!(probes.len(), 1, "an access port without a voice VLAN: untagged only");
    let foreign = Frame { from: station(5), ..probes[0].clone() };
    machine.receive(1, &foreign).unwrap();
    assert_eq!((machine.held_by(0), machine.held_by(1)), (None, None));
    machine.receive(1, &probes[0]).unwrap();
    assert_eq!((machine.held_by(0), machine.held_by(1)), (None, Some(Cause::LoopDetection)));
}

/// Two switches joined by two cables (IEEE 802.1Q, 13.9): the tree closes one end of one; without a tree a broadcast circles.
#[rstest]
#[case::with_a_tree(true, false)]
#[case::without(false, true)]
fn a_ring_is_closed_by_the_tree(#[case] tree: bool, #[case] circles: bool) {
    let whole = json!({"spanning-tree.enabled": tree, "spanning-tree.priority": 32768});
    let switch = switch(&json!({}), &whole, &json!({}));
    let (one, other) = (at_work(&switch), at_work(&switch).sister());
    let mut net = Net::new(vec![one, other], [((0, 0), (1, 0)), ((0, 1), (1, 1))]);
    net.settle_tree().unwrap();
    let closed =
        (0..2).flat_map(|n| (0..2).map(move |p| (n, p))).filter(|(n, p)| !net.machine(*n).unwrap().forwards(*p));
    assert_eq!(closed.count(), usize::from(tree));
    let trip = net.send((0, 2), &Frame::to_all(station(1), Payload::Plain).tagged(VlanId::new(110).unwrap())).unwrap();
    assert_eq!(trip.circles, circles);
    if tree {
        assert_eq!(trip.heard, [((1, 2), [110].into())], "once, at the other switch's host");
    }
}

/// How many broadcasts a limit lets in within a second, and that the next second begins anew. Shares and bits are of the shortest
/// frames: 64 octets with preamble and gap are 672 bits (IEEE 802.3, 3.2.8).
#[rstest]
#[case::packets("20 pps", 100, 20)]
#[case::bits("7 kbps", 100, 10)]
#[case::more_bits("672 kbps", 100, 1000)]
#[case::a_share_of_a_slow_port("1 %", 10, 148)]
#[case::a_share_of_a_quick_port("1 %", 100, 1488)]
#[case::more_of_it("2 %", 10, 297)]
fn a_limit_lets_in(#[case] limit: &str, #[case] speed: u32, #[case] most: usize) {
    let port = json!({"storm.broadcast": limit, "port.speed": speed});
    let switch = switch(&port, &json!({}), &json!({}));
    let mut machine = at_work(&switch);
    let broadcast = Frame::to_all(station(1), Payload::Plain);
    let let_in = |machine: &mut Machine<'_>| {
        (0..most + 5).take_while(|_| machine.receive(0, &broadcast).unwrap().is_in()).count()
    };
    assert_eq!(let_in(&mut machine), most);
    machine.pass(999).unwrap();
    assert!(!machine.receive(0, &broadcast).unwrap().is_in(), "the second is not over");
    machine.pass(1).unwrap();
    assert_eq!(let_in(&mut machine), most);
}

/// A share of a speed that nobody knows: few frames are below it at the slowest speed, of more nobody can say.
#[rstest]
#[case("1 %", 148)]
#[case("2 %", 297)]
fn a_share_of_an_unknown_speed(#[case] share: &str, #[case] certain: usize) {
    let switch = switch(&json!({"storm.broadcast": share}), &json!({}), &json!({}));
    let mut machine = at_work(&switch);
    let broadcast = Frame::to_all(station(1), Payload::Plain);
    for _ in 0..certain {
        assert!(machine.receive(0, &broadcast).unwrap().is_in());
    }
    assert!(machine.receive(0, &broadcast).is_err());
}

/// Seconds until a port comes back, by its cause: the cause's own timer, else the common one where the cause is listed, else nobody's.
#[rstest]
#[case(Cause::PortSecurity, json!({"recovery.port-security": 11}), Some(11))]
#[case(Cause::EdgeBpdu, json!({"recovery.bpdu-guard": 12}), Some(12))]
#[case(Cause::LoopDetection, json!({"recovery.loop-detection": 13}), Some(13))]
#[case(Cause::Storm, json!({"recovery.storm": 14}), Some(14))]
#[case(Cause::Unidirectional, json!({"recovery.unidirectional": 15}), Some(15))]
#[case(Cause::DhcpRate, json!({"recovery.dhcp-rate": 16}), Some(16))]
#[case(Cause::Storm, json!({"recovery.storm": 0, "recovery.causes": ["storm"]}), Some(300))]
#[case(Cause::Storm, json!({"recovery.storm": 0, "recovery.causes": ["bpdu-guard"]}), None)]
#[case(Cause::Storm, json!({"recovery.storm": 1, "recovery.causes": ["storm"]}), Some(1))]
#[case(Cause::RootGuard, json!({"recovery.causes": ["root-guard"], "recovery.interval": 60}), Some(60))]
#[case(Cause::RootGuard, json!({"recovery.storm": 14}), None)]
#[case(Cause::Flap, json!({"recovery.causes": ["flap"]}), Some(40))]
fn a_cause_has_its_timer(#[case] cause: Cause, #[case] whole: Value, #[case] seconds: Option<u32>) {
    let switch = switch(&json!({"flap.hold": 40}), &whole, &json!({}));
    assert_eq!(Machine::new(Asked::new(&switch)).back_after(0, cause), Ok(seconds));
}

/// Two ports that are held come back one after the other, each at its time.
#[test]
fn ports_come_back_in_their_turn() {
    let port = json!({"fast-start.mode": "edge", "guard.bpdu": true});
    let switch = switch(&port, &json!({"recovery.bpdu-guard": 60}), &json!({}));
    let mut machine = at_work(&switch);
    let bpdu = Frame::bpdu(station(7), Root::NoBetter);
    machine.receive(1, &bpdu).unwrap();
    machine.pass(5_000).unwrap();
    machine.receive(0, &bpdu).unwrap();
    machine.pass(54_999).unwrap();
    assert_eq!((machine.held_by(0), machine.held_by(1)), (Some(Cause::EdgeBpdu), Some(Cause::EdgeBpdu)));
    machine.pass(1).unwrap();
    assert_eq!((machine.held_by(0), machine.held_by(1)), (Some(Cause::EdgeBpdu), None));
    machine.pass(5_000).unwrap();
    assert_eq!((machine.held_by(0), machine.held_by(1)), (None, None));
    let back = machine.story().iter().filter(|line| line.words == "comes back").map(|line| line.port);
    assert_eq!(back.collect::<Vec<_>>(), [1, 0]);
}

/// What a power cut takes of settings: those in which the saved copy differs, on the port and on the switch.
#[rstest]
#[case::alike(json!({}), json!({}), &[])]
#[case::on_the_port(json!({"port-security.limit": 5}), json!({}), &["port-security.limit"])]
#[case::of_the_switch(json!({}), json!({"spanning-tree.hello": 1}), &["spanning-tree.hello"])]
#[case::both(json!({"port-security.limit": 5}), json!({"spanning-tree.hello": 1}), &["port-security.limit", "spanning-tree.hello"])]
fn what_was_not_saved_is_lost(#[case] port: Value, #[case] whole: Value, #[case] expected: &[&str]) {
    let saved = switch(&port, &whole, &json!({}));
    let running = switch(&json!({}), &json!({}), &json!({})).with_saved(SavedCopy::Read(Arc::new(saved)));
    let mut machine = at_work(&running);
    let lost = machine.restart(0).unwrap().unsaved.unwrap();
    assert_eq!(lost.iter().map(|id| id.name()).collect::<Vec<_>>(), expected);
    let nobody_knows = switch(&json!({}), &json!({}), &json!({}));
    assert!(at_work(&nobody_knows).restart(0).unwrap().unsaved.is_none());
}
