//! Frames as the machine takes them, and the same in octets.

use std::fmt::Write as _;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

use rand::Rng;
use rand::rngs::SmallRng;
use yellowlegs_core::drill::frame::{Frame, Payload, Root, To};
use yellowlegs_core::model::{StationAddress, VlanId};

use crate::config::{Config, PORTS, STRANGE, VLANS};

/// The host on a port, of several that sit there.
pub(crate) fn host(port: usize, which: u8) -> StationAddress {
    StationAddress::parse(&format!("02:00:5e:00:{:02x}:{which:02x}", port + 1)).unwrap()
}

/// Who has asked for what in a configuration so far.
pub(crate) struct Hosts {
    /// The port that a querier sits on; it never joins anything.
    pub(crate) querier: usize,
    /// Where each of a few stations that move about is now.
    roaming: usize,
}

impl Hosts {
    /// Open vSwitch sends twice to a port that is a router port by its settings and by what it hears.
    pub(crate) fn new(config: &Config, rng: &mut SmallRng) -> Self {
        let querier = rng.random_range(0..PORTS);
        let querier = if config.router == Some(querier) { (querier + 1) % PORTS } else { querier };
        Self { querier, roaming: 0 }
    }

    /// The next frame, and the port that it is sent into.
    pub(crate) fn next(&mut self, config: &Config, rng: &mut SmallRng) -> (usize, Frame) {
        let mut port = rng.random_range(0..PORTS);
        let mut from = host(port, rng.random_range(1..3));
        if rng.random_bool(0.1) {
            self.roaming = rng.random_range(0..PORTS);
            (port, from) = (self.roaming, host(50, 1));
        }
        let last = rng.random_range(1..4);
        let group = Ipv4Addr::new(233, 252, 0, last);
        let v6 = rng.random_bool(0.4);
        // A group for documentation (RFC 6676, 3).
        let group_v6 = Ipv6Addr::new(0xff35, 0x30, 0x2001, 0xdb8, 0, 0, 0x8000, last.into());
        let joins = port != self.querier && config.router != Some(port);
        let source = Ipv4Addr::new(192, 0, 2, 10);
        let frame = match rng.random_range(0..10) {
            0..3 => Frame::to_all(from, Payload::Plain),
            3..6 => Frame::to_station(from, host(rng.random_range(0..PORTS), 1), Payload::Plain),
            6 if joins && v6 => Frame::report(from, group_v6),
            7 if joins && v6 => Frame::leave(from, group_v6),
            6 | 7 if port == self.querier && v6 => Frame::query_v6(from, None),
            9 if v6 => Frame::stream(from, source, group_v6),
            6 if joins => Frame::report(from, group),
            7 if joins => Frame::leave(from, group),
            6 | 7 if port == self.querier => Frame::query(from, None),
            8 if rng.random_bool(0.2) => Frame::bpdu(from, Root::NoBetter),
            8 if v6 => Frame::stream(from, source, Ipv6Addr::new(0xff02, 0, 0, 0, 0, 0, 0, 1)),
            8 => Frame::stream(from, source, Ipv4Addr::new(224, 0, 0, 251)),
            _ => Frame::stream(from, source, group),
        };
        (port, tagged(frame, rng))
    }
}

fn tagged(frame: Frame, rng: &mut SmallRng) -> Frame {
    // Bridges speak untagged.
    if frame.to == To::Bridges {
        return frame;
    }
    let vlan = |rng: &mut SmallRng| {
        let number = if rng.random_bool(0.1) { STRANGE } else { VLANS[rng.random_range(0..VLANS.len())] };
        VlanId::new(i64::from(number)).unwrap()
    };
    match rng.random_range(0..20) {
        0..9 => frame,
        9 => Frame { tags: vec![0], ..frame },
        10..18 => frame.tagged(vlan(rng)),
        _ => {
            let inner = frame.tagged(vlan(rng));
            inner.tagged(vlan(rng))
        }
    }
}

/// UDP, discard, eight octets.
const DISCARDED: [u8; 16] = [0x13, 0x88, 0, 9, 0, 16, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0];

/// The octets in hexadecimal digits, with a number in the last four.
pub(crate) fn octets(frame: &Frame, number: u32) -> String {
    let mac = |station: StationAddress| -> Vec<u8> {
        station.to_string().split(':').map(|part| u8::from_str_radix(part, 16).unwrap()).collect()
    };
    let mut all = match frame.to {
        To::All => vec![0xff; 6],
        To::Station(station) => mac(station),
        // RFC 1112, 6.4: the low 23 bits.
        To::Group(IpAddr::V4(group)) => {
            let [_, b, c, d] = group.octets();
            vec![0x01, 0x00, 0x5e, b & 0x7f, c, d]
        }
        // RFC 2464, 7: the low 32 bits.
        To::Group(IpAddr::V6(group)) => [&[0x33, 0x33], &group.octets()[12..]].concat(),
        To::Bridges => vec![0x01, 0x80, 0xc2, 0, 0, 0],
    };
    all.extend(mac(frame.from));
    for tag in &frame.tags {
        all.extend([0x81, 0x00]);
        all.extend(tag.to_be_bytes());
    }
    match frame.payload {
        Payload::Report(IpAddr::V4(group)) => all.extend(igmp(0x16, group, group)),
        Payload::Leave(IpAddr::V4(group)) => all.extend(igmp(0x17, group, Ipv4Addr::new(224, 0, 0, 2))),
        Payload::Report(IpAddr::V6(group)) => all.extend(mld(131, group, group)),
        Payload::Leave(IpAddr::V6(group)) => all.extend(mld(132, group, Ipv6Addr::new(0xff02, 0, 0, 0, 0, 0, 0, 2))),
        Payload::Query(_) => match frame.to {
            To::Group(IpAddr::V6(all_nodes)) => all.extend(mld(130, Ipv6Addr::UNSPECIFIED, all_nodes)),
            _ => all.extend(igmp(0x11, Ipv4Addr::UNSPECIFIED, Ipv4Addr::new(224, 0, 0, 1))),
        },
        Payload::Packet(source) => match frame.to {
            To::Group(IpAddr::V4(group)) => all.extend(ip(17, source, group, &DISCARDED)),
            To::Group(IpAddr::V6(group)) => all.extend(ipv6(17, group, &DISCARDED)),
            _ => unreachable!(),
        },
        Payload::Bpdu(_) => all.extend([0, 38, 0x42, 0x42, 0x03]),
        // An EtherType for experiments (IEEE 802).
        _ => all.extend([0x88, 0xb5]),
    }
    all.resize(all.len().max(64), 0);
    all.extend(number.to_be_bytes());
    let mut hex = String::new();
    all.iter().for_each(|octet| write!(hex, "{octet:02x}").unwrap());
    hex
}

fn sum(octets: &[u8]) -> [u8; 2] {
    let words = octets.chunks(2).map(|pair| u32::from(u16::from_be_bytes([pair[0], *pair.get(1).unwrap_or(&0)])));
    let mut sum: u32 = words.sum();
    while sum > 0xffff {
        sum = (sum & 0xffff) + (sum >> 16);
    }
    (!(sum as u16)).to_be_bytes()
}

fn ip(protocol: u8, from: Ipv4Addr, to: Ipv4Addr, inside: &[u8]) -> Vec<u8> {
    let length = (20 + inside.len()) as u16;
    let mut header = vec![0x45, 0, 0, 0, 0, 1, 0, 0, 1, protocol, 0, 0];
    header[2..4].copy_from_slice(&length.to_be_bytes());
    header.extend(from.octets());
    header.extend(to.octets());
    let checked = sum(&header);
    header[10..12].copy_from_slice(&checked);
    [&[0x08, 0x00], header.as_slice(), inside].concat()
}

fn igmp(kind: u8, group: Ipv4Addr, to: Ipv4Addr) -> Vec<u8> {
    let mut message = vec![kind, 100, 0, 0];
    message.extend(group.octets());
    let checked = sum(&message);
    message[2..4].copy_from_slice(&checked);
    ip(2, Ipv4Addr::new(192, 0, 2, 10), to, &message)
}

/// A link-local sender.
const SENDER: Ipv6Addr = Ipv6Addr::new(0xfe80, 0, 0, 0, 0, 0, 0, 0x10);

fn ipv6(next: u8, to: Ipv6Addr, inside: &[u8]) -> Vec<u8> {
    let length = (inside.len() as u16).to_be_bytes();
    let header = [&[0x60, 0, 0, 0], length.as_slice(), &[next, 1], &SENDER.octets(), &to.octets()].concat();
    [&[0x86, 0xdd], header.as_slice(), inside].concat()
}

/// A message of MLD, version 1 (RFC 2710, 3), with its sum over the pseudo header (RFC 8200, 8.1).
fn mld(kind: u8, group: Ipv6Addr, to: Ipv6Addr) -> Vec<u8> {
    let mut message = vec![kind, 0, 0, 0, 0, 100, 0, 0];
    message.extend(group.octets());
    let length = (message.len() as u32).to_be_bytes();
    let pseudo = [&SENDER.octets(), &to.octets(), length.as_slice(), &[0, 0, 0, 58], &message].concat();
    message[2..4].copy_from_slice(&sum(&pseudo));
    ipv6(58, to, &message)
}
