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
    /// A probe of loop detection, from a port of this switch.
    Probe(usize),
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
    /// What it carries.
    pub payload: Payload,
}

impl Frame {
    /// An untagged frame to everybody.
    pub fn to_all(from: StationAddress, payload: Payload) -> Self {
        Self { from, to: To::All, tags: Vec::new(), payload }
    }

    /// An untagged frame to a station.
    pub fn to_station(from: StationAddress, to: StationAddress, payload: Payload) -> Self {
        Self { from, to: To::Station(to), tags: Vec::new(), payload }
    }

    /// A BPDU.
    pub fn bpdu(from: StationAddress, superior: bool) -> Self {
        Self { from, to: To::Bridges, tags: Vec::new(), payload: Payload::Bpdu { superior } }
    }

    /// The same with a tag outside the others.
    #[must_use]
    pub fn tagged(mut self, vlan: VlanId) -> Self {
        self.tags.insert(0, vlan.get());
        self
    }

    /// Whether it goes to more than one station.
    pub fn is_for_many(&self) -> bool {
        self.to == To::All
    }
}

impl fmt::Display for Frame {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.payload {
            Payload::Plain => write!(f, "a frame of {}", self.from),
            Payload::Packet(ip) => write!(f, "a packet of {} from {ip}", self.from),
            Payload::Arp(ip) => write!(f, "ARP: {} says it is {ip}", self.from),
            Payload::Dhcp(kind, client, ip) => match kind {
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
        }?;
        for tag in &self.tags {
            write!(f, ", tagged {tag}")?;
        }
        Ok(())
    }
}
