//! Frames as the stories tell them.

use std::net::{Ipv4Addr, Ipv6Addr};

use crate::support::bare::station;
use rstest::rstest;
use yellowlegs_core::drill::frame::{Dhcp, Frame, Payload, Root, StormKind};
use yellowlegs_core::model::VlanId;

const IP: Ipv4Addr = Ipv4Addr::new(192, 0, 2, 10);
const GROUP: Ipv4Addr = Ipv4Addr::new(233, 252, 0, 1);
const GROUP_V6: Ipv6Addr = Ipv6Addr::new(0xff35, 0, 0, 0, 0, 0, 0x8000, 1);

fn dhcp(kind: Dhcp) -> Frame {
    Frame::to_all(station(1), Payload::Dhcp(kind, station(2), IP))
}

#[rstest]
#[case(Frame::to_all(station(1), Payload::Plain), "a frame of 02:00:5e:00:00:01")]
#[case(Frame::to_all(station(1), Payload::Plain).tagged(VlanId::new(110).unwrap()), "a frame of 02:00:5e:00:00:01, tagged 110")]
#[case(Frame::to_station(station(1), station(2), Payload::Packet(IP)), "a packet of 02:00:5e:00:00:01 from 192.0.2.10")]
#[case(Frame::to_all(station(1), Payload::Arp(IP)), "ARP: 02:00:5e:00:00:01 says it is 192.0.2.10")]
#[case(Frame::stream(station(1), IP, GROUP), "a packet of the stream from 192.0.2.10 to 233.252.0.1")]
#[case(Frame::stream(station(1), IP, GROUP_V6), "a packet of the stream from 192.0.2.10 to ff35::8000:1")]
#[case(dhcp(Dhcp::Discover), "DHCP DISCOVER of 02:00:5e:00:00:02 from 02:00:5e:00:00:01")]
#[case(dhcp(Dhcp::Offer), "DHCP OFFER of 192.0.2.10 to 02:00:5e:00:00:02 from 02:00:5e:00:00:01")]
#[case(dhcp(Dhcp::Request), "DHCP REQUEST of 02:00:5e:00:00:02 for 192.0.2.10")]
#[case(dhcp(Dhcp::Ack), "DHCP ACK of 192.0.2.10 to 02:00:5e:00:00:02 from 02:00:5e:00:00:01")]
#[case(dhcp(Dhcp::Nak), "DHCP NAK to 02:00:5e:00:00:02 from 02:00:5e:00:00:01")]
#[case(dhcp(Dhcp::Release), "DHCP RELEASE of 02:00:5e:00:00:02 for 192.0.2.10")]
#[case(dhcp(Dhcp::Decline), "DHCP DECLINE of 02:00:5e:00:00:02 for 192.0.2.10")]
#[case(Frame::bpdu(station(1), Root::NoBetter), "a BPDU of 02:00:5e:00:00:01")]
#[case(Frame::bpdu(station(1), Root::Better), "a BPDU of 02:00:5e:00:00:01 that names a better root")]
#[case(Frame::bpdu(station(1), Root::Sender(4096)), "a BPDU of 02:00:5e:00:00:01, root with priority 4096")]
#[case(Frame::lldp(station(1)), "an announcement of 02:00:5e:00:00:01")]
#[case(Frame::to_all(station(1), Payload::RouterAdvertisement), "a router advertisement of 02:00:5e:00:00:01")]
#[case(Frame::to_all(station(1), Payload::ServerAnswer), "a DHCPv6 answer of 02:00:5e:00:00:01")]
#[case(Frame::to_all(station(1), Payload::Probe(1)), "a probe of loop detection")]
#[case(Frame::query(station(1), None), "IGMP query of 02:00:5e:00:00:01")]
#[case(Frame::query(station(1), Some(GROUP)), "IGMP query of 02:00:5e:00:00:01 about 233.252.0.1")]
#[case(Frame::query_v6(station(1), None), "MLD query of 02:00:5e:00:00:01")]
#[case(Frame::query_v6(station(1), Some(GROUP_V6)), "MLD query of 02:00:5e:00:00:01 about ff35::8000:1")]
#[case(Frame::report(station(1), GROUP), "IGMP report of 02:00:5e:00:00:01 for 233.252.0.1")]
#[case(Frame::report(station(1), GROUP_V6), "MLD report of 02:00:5e:00:00:01 for ff35::8000:1")]
#[case(Frame::leave(station(1), GROUP), "IGMP leave of 02:00:5e:00:00:01 from 233.252.0.1")]
#[case(Frame::leave(station(1), GROUP_V6), "MLD done of 02:00:5e:00:00:01 with ff35::8000:1")]
fn a_frame_is_told(#[case] frame: Frame, #[case] words: &str) {
    assert_eq!(frame.to_string(), words);
}

/// What storm limits count: frames to everybody, and to groups; what bridges say to each other is none of it.
#[rstest]
#[case(Frame::to_all(station(1), Payload::Plain), Some(StormKind::Broadcast))]
#[case(Frame::stream(station(1), IP, GROUP), Some(StormKind::Multicast))]
#[case(Frame::stream(station(1), IP, GROUP_V6), Some(StormKind::Multicast))]
#[case(Frame::to_station(station(1), station(2), Payload::Plain), None)]
#[case(Frame::bpdu(station(1), Root::Better), None)]
#[case(Frame::lldp(station(1)), None)]
fn storm_limits_count(#[case] frame: Frame, #[case] kind: Option<StormKind>) {
    assert_eq!(frame.storm_kind(), kind);
}
