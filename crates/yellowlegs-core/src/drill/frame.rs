//! Frames: what the machine takes in and gives out.

use std::fmt;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

use crate::model::{StationAddress, VlanId};

/// Where a frame goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum To {
    /// Everybody.
    All,
    /// One station.
    Station(StationAddress),
    /// The members of a multicast group (RFC 1112, 6.4; RFC 2464, 7).
    Group(IpAddr),
    /// Bridges, one hop (IEEE 802.1Q, 8.6.3: reserved addresses).
    Bridges,
}

/// The kind of a DHCP message (RFC 2132, 9.6).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Dhcp {
    /// A client asks for servers.
    Discover,
    /// A server offers.
    Offer,
    /// A client takes an offer.
    Request,
    /// A server gives the lease.
    Ack,
    /// A server refuses it.
    Nak,
    /// A client gives it back.
    Release,
    /// A client found that somebody else has the address.
    Decline,
}

impl Dhcp {
    /// Whether servers send it.
    pub fn is_of_server(self) -> bool {
        matches!(self, Self::Offer | Self::Ack | Self::Nak)
    }
}

/// The root that a BPDU names (IEEE 802.1Q, 13.10).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Root {
    /// One that is better than any known.
    Better,
    /// One that is no better.
    NoBetter,
    /// Its sender, with this priority: better or not, by priority and then by address.
    Sender(u32),
}

/// What a frame carries.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Payload {
    /// Anything.
    Plain,
    /// A packet (RFC 791) from an address.
    Packet(Ipv4Addr),
    /// An ARP message (RFC 826) that says the sender has an address.
    Arp(Ipv4Addr),
    /// A DHCP message about a client (`chaddr`, RFC 2131, 2), with the address it is about.
    Dhcp(Dhcp, StationAddress, Ipv4Addr),
    /// A BPDU (IEEE 802.1Q, 14).
    Bpdu(Root),
    /// An announcement (IEEE 802.1AB).
    Lldp,
    /// A router advertisement (RFC 4861, 4.2).
    RouterAdvertisement,
    /// An answer of a server of DHCP for IPv6 (RFC 8415, 7.3).
    ServerAnswer,
    /// A probe of loop detection from a port of the switch that has the frame's source address.
    Probe(usize),
    /// A query of IGMP (RFC 2236, 2) or MLD (RFC 2710, 3); of one group, or of all.
    Query(Option<IpAddr>),
    /// A report: its sender is a member of the group.
    Report(IpAddr),
    /// A leave (MLD: done): its sender is no member any more.
    Leave(IpAddr),
}

/// A frame. Tags from the outside in; 0 is no VLAN (IEEE 802.1Q, 9.6: priority-tagged).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Frame {
    /// Who sends it.
    pub from: StationAddress,
    /// To whom.
    pub to: To,
    /// Its tags.
    pub tags: Vec<u16>,
    /// Whether a relay's information is in it (option 82, RFC 3046).
    pub relayed: bool,
    /// What it carries.
    pub payload: Payload,
}

impl Frame {
    /// An untagged frame to everybody.
    pub fn to_all(from: StationAddress, payload: Payload) -> Self {
        Self { from, to: To::All, tags: Vec::new(), relayed: false, payload }
    }

    /// An untagged frame to a station.
    pub fn to_station(from: StationAddress, to: StationAddress, payload: Payload) -> Self {
        Self { from, to: To::Station(to), tags: Vec::new(), relayed: false, payload }
    }

    /// A packet of a stream to the members of a group.
    pub fn stream(from: StationAddress, source: Ipv4Addr, group: impl Into<IpAddr>) -> Self {
        Self { to: To::Group(group.into()), ..Self::to_all(from, Payload::Packet(source)) }
    }

    /// A member's report.
    pub fn report(from: StationAddress, group: impl Into<IpAddr>) -> Self {
        let group = group.into();
        Self { to: To::Group(group), ..Self::to_all(from, Payload::Report(group)) }
    }

    /// A member's leave, to all routers (RFC 2236, 9; RFC 2710, 3.7).
    pub fn leave(from: StationAddress, group: impl Into<IpAddr>) -> Self {
        let group = group.into();
        let routers = if group.is_ipv4() { ALL_ROUTERS.into() } else { ALL_ROUTERS_V6.into() };
        Self { to: To::Group(routers), ..Self::to_all(from, Payload::Leave(group)) }
    }

    /// An IGMP querier's question to all members, or to those of a group.
    pub fn query(from: StationAddress, group: Option<Ipv4Addr>) -> Self {
        let to = To::Group(group.unwrap_or(ALL_SYSTEMS).into());
        Self { to, ..Self::to_all(from, Payload::Query(group.map(IpAddr::V4))) }
    }

    /// An MLD querier's question to all members, or to those of a group (RFC 2710, 3.6).
    pub fn query_v6(from: StationAddress, group: Option<Ipv6Addr>) -> Self {
        let to = To::Group(group.unwrap_or(ALL_NODES_V6).into());
        Self { to, ..Self::to_all(from, Payload::Query(group.map(IpAddr::V6))) }
    }

    /// A BPDU.
    pub fn bpdu(from: StationAddress, root: Root) -> Self {
        Self { to: To::Bridges, ..Self::to_all(from, Payload::Bpdu(root)) }
    }

    /// An announcement.
    pub fn lldp(from: StationAddress) -> Self {
        Self { to: To::Bridges, ..Self::to_all(from, Payload::Lldp) }
    }

    /// The same with a tag outside the others.
    #[must_use]
    pub fn tagged(mut self, vlan: VlanId) -> Self {
        self.tags.insert(0, vlan.get());
        self
    }

    fn group_protocol(&self) -> &'static str {
        if matches!(self.to, To::Group(IpAddr::V6(_))) { "MLD" } else { "IGMP" }
    }

    /// The kind that storm limits count it as; none: it goes to one station.
    pub fn storm_kind(&self) -> Option<StormKind> {
        match self.to {
            To::All => Some(StormKind::Broadcast),
            To::Group(_) => Some(StormKind::Multicast),
            To::Station(_) | To::Bridges => None,
        }
    }
}

/// What a storm limit counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StormKind {
    /// Frames to everybody.
    Broadcast,
    /// Frames to groups.
    Multicast,
}

/// All systems and all routers of a subnet (RFC 2236, 9).
const ALL_SYSTEMS: Ipv4Addr = Ipv4Addr::new(224, 0, 0, 1);
const ALL_ROUTERS: Ipv4Addr = Ipv4Addr::new(224, 0, 0, 2);
/// The same for IPv6 (RFC 4291, 2.7.1).
const ALL_NODES_V6: Ipv6Addr = Ipv6Addr::new(0xff02, 0, 0, 0, 0, 0, 0, 1);
const ALL_ROUTERS_V6: Ipv6Addr = Ipv6Addr::new(0xff02, 0, 0, 0, 0, 0, 0, 2);

impl fmt::Display for Frame {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.payload {
            Payload::Plain => write!(f, "a frame of {}", self.from),
            Payload::Packet(ip) => match self.to {
                To::Group(group) => write!(f, "a packet of the stream from {ip} to {group}"),
                _ => write!(f, "a packet of {} from {ip}", self.from),
            },
            Payload::Arp(ip) => write!(f, "ARP: {} says it is {ip}", self.from),
            Payload::Dhcp(kind, client, ip) => match kind {
                Dhcp::Discover if client == self.from => write!(f, "DHCP DISCOVER of {client}"),
                Dhcp::Discover => write!(f, "DHCP DISCOVER of {client} from {}", self.from),
                Dhcp::Offer => write!(f, "DHCP OFFER of {ip} to {client} from {}", self.from),
                Dhcp::Request => write!(f, "DHCP REQUEST of {client} for {ip}"),
                Dhcp::Ack => write!(f, "DHCP ACK of {ip} to {client} from {}", self.from),
                Dhcp::Nak => write!(f, "DHCP NAK to {client} from {}", self.from),
                Dhcp::Release => write!(f, "DHCP RELEASE of {client} for {ip}"),
                Dhcp::Decline => write!(f, "DHCP DECLINE of {client} for {ip}"),
            },
            Payload::Bpdu(Root::Better) => write!(f, "a BPDU of {} that names a better root", self.from),
            Payload::Bpdu(Root::NoBetter) => write!(f, "a BPDU of {}", self.from),
            Payload::Bpdu(Root::Sender(priority)) => {
                write!(f, "a BPDU of {}, root with priority {priority}", self.from)
            }
            Payload::Lldp => write!(f, "an announcement of {}", self.from),
            Payload::RouterAdvertisement => write!(f, "a router advertisement of {}", self.from),
            Payload::ServerAnswer => write!(f, "a DHCPv6 answer of {}", self.from),
            Payload::Probe(_) => f.write_str("a probe of loop detection"),
            Payload::Query(None) => write!(f, "{} query of {}", self.group_protocol(), self.from),
            Payload::Query(Some(group)) => write!(f, "{} query of {} about {group}", self.group_protocol(), self.from),
            Payload::Report(group) => write!(f, "{} report of {} for {group}", self.group_protocol(), self.from),
            Payload::Leave(group) if group.is_ipv6() => write!(f, "MLD done of {} with {group}", self.from),
            Payload::Leave(group) => write!(f, "IGMP leave of {} from {group}", self.from),
        }?;
        for tag in &self.tags {
            write!(f, ", tagged {tag}")?;
        }
        Ok(())
    }
}
