//! Frames: what the machine takes in and gives out.

use std::fmt;
use std::net::Ipv4Addr;

use crate::model::{StationAddress, VlanId};

/// Where a frame goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum To {
    /// Everybody.
    All,
    /// One station.
    Station(StationAddress),
    /// The members of a multicast group (RFC 1112, 6.4).
    Group(Ipv4Addr),
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
    /// A client gives it back.
    Release,
}

impl Dhcp {
    /// Whether servers send it.
    pub fn is_of_server(self) -> bool {
        matches!(self, Self::Offer | Self::Ack)
    }
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
    /// A BPDU (IEEE 802.1Q, 14); superior: it names a better root.
    Bpdu {
        /// A better root.
        superior: bool,
    },
    /// A router advertisement (RFC 4861, 4.2).
    RouterAdvertisement,
    /// An answer of a server of DHCP for IPv6 (RFC 8415, 7.3).
    ServerAnswer,
    /// A probe of loop detection from a port of the switch that has the frame's source address.
    Probe(usize),
    /// An IGMP query (RFC 2236, 2); of one group, or of all.
    Query(Option<Ipv4Addr>),
    /// An IGMP report: its sender is a member of the group.
    Report(Ipv4Addr),
    /// An IGMP leave: its sender is no member any more.
    Leave(Ipv4Addr),
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
    pub fn stream(from: StationAddress, source: Ipv4Addr, group: Ipv4Addr) -> Self {
        Self { from, to: To::Group(group), tags: Vec::new(), relayed: false, payload: Payload::Packet(source) }
    }

    /// A member's report.
    pub fn report(from: StationAddress, group: Ipv4Addr) -> Self {
        Self { from, to: To::Group(group), tags: Vec::new(), relayed: false, payload: Payload::Report(group) }
    }

    /// A member's leave, to all routers (RFC 2236, 9).
    pub fn leave(from: StationAddress, group: Ipv4Addr) -> Self {
        Self { from, to: To::Group(ALL_ROUTERS), tags: Vec::new(), relayed: false, payload: Payload::Leave(group) }
    }

    /// A querier's question to all members, or to those of a group.
    pub fn query(from: StationAddress, group: Option<Ipv4Addr>) -> Self {
        let to = To::Group(group.unwrap_or(ALL_SYSTEMS));
        Self { from, to, tags: Vec::new(), relayed: false, payload: Payload::Query(group) }
    }

    /// A BPDU.
    pub fn bpdu(from: StationAddress, superior: bool) -> Self {
        Self { from, to: To::Bridges, tags: Vec::new(), relayed: false, payload: Payload::Bpdu { superior } }
    }

    /// The same with a tag outside the others.
    #[must_use]
    pub fn tagged(mut self, vlan: VlanId) -> Self {
        self.tags.insert(0, vlan.get());
        self
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
                Dhcp::Release => write!(f, "DHCP RELEASE of {client} for {ip}"),
            },
            Payload::Bpdu { superior: true } => write!(f, "a BPDU of {} that names a better root", self.from),
            Payload::Bpdu { superior: false } => write!(f, "a BPDU of {}", self.from),
            Payload::RouterAdvertisement => write!(f, "a router advertisement of {}", self.from),
            Payload::ServerAnswer => write!(f, "a DHCPv6 answer of {}", self.from),
            Payload::Probe(_) => f.write_str("a probe of loop detection"),
            Payload::Query(None) => write!(f, "IGMP query of {}", self.from),
            Payload::Query(Some(group)) => write!(f, "IGMP query of {} about {group}", self.from),
            Payload::Report(group) => write!(f, "IGMP report of {} for {group}", self.from),
            Payload::Leave(group) => write!(f, "IGMP leave of {} from {group}", self.from),
        }?;
        for tag in &self.tags {
            write!(f, ", tagged {tag}")?;
        }
        Ok(())
    }
}
