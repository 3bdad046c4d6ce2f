//! A frame arrives: the order in which the features see it, learning, and where it goes.

use std::rc::Rc;

use super::groups::Reach;
use super::tags::Member;
use super::{Because, Counted, Machine, Millis};
use crate::drill::asked::Known;
use crate::drill::frame::{Frame, Payload, StormKind, To};
use crate::model::{Cause, RelayInfo, StationAddress, StormAction, VlanId, settings};

/// How long an address that is silent is kept (IEEE 802.1Q, 8.8.3).
const ADDRESS_AGES: Millis = 300_000;

/// The tags of a frame that leaves by many ports.
pub(super) type Tags = Rc<[u16]>;

/// A frame that leaves.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Delivery {
    /// The port it leaves by.
    pub port: usize,
    /// Its tags there.
    pub tags: Tags,
    /// Whether relay information is in it (option 82, RFC 3046).
    pub relayed: bool,
}

/// What became of a frame.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Arrival {
    /// It was let in, into a VLAN, and left by these ports.
    Forwarded(VlanId, Vec<Delivery>),
    /// A bridge's own frame was heard; whether it was let in.
    Heard(bool),
    /// A feature stopped it.
    Stopped(Because),
    /// The port is down or does not forward.
    Closed,
}

impl Arrival {
    /// Whether it got in.
    pub fn is_in(&self) -> bool {
        matches!(self, Self::Forwarded(..) | Self::Heard(true))
    }

    /// The VLAN that it got into.
    pub fn vlan(&self) -> Option<VlanId> {
        match self {
            Self::Forwarded(vlan, _) => Some(*vlan),
            _ => None,
        }
    }

    /// What stopped it.
    pub fn stopped_by(&self) -> Option<Because> {
        match self {
            Self::Stopped(because) => Some(*because),
            _ => None,
        }
    }
}

impl Machine<'_> {
    /// A frame arrives on a port.
    pub fn receive(&mut self, port: usize, frame: &Frame) -> Known<Arrival> {
        let arrival = self.arrive(port, frame)?;
        if self.is_told() {
            let (words, because) = match &arrival {
                Arrival::Forwarded(vlan, to) => {
                    let ports: Vec<usize> = to.iter().map(|delivery| delivery.port).collect();
                    let to = match self.names(&ports) {
                        none if none.is_empty() => "and goes no further".to_owned(),
                        names => format!("to {names}"),
                    };
                    (format!("{frame}: let in, VLAN {vlan}, {to}"), None)
                }
                Arrival::Heard(_) => return Ok(arrival),
                Arrival::Stopped(because) => (format!("{frame}: stopped"), Some(*because)),
                Arrival::Closed => (format!("{frame}: the port does not forward"), None),
            };
            self.tell(port, words, because);
        }
        Ok(arrival)
    }

    /// A host on a port speaks: with the tag of its VLAN, where it has to tag.
    pub fn says(&mut self, port: usize, frame: &Frame) -> Known<Arrival> {
        match self.speaks_in {
            Some(vlan) => self.receive(port, &frame.clone().tagged(vlan)),
            None => self.receive(port, frame),
        }
    }

    /// The name of a port.
    pub fn name(&self, port: usize) -> &str {
        self.asked.switch().ports().get(port).map_or("", |name| name.as_str())
    }

    /// The names of ports, those in a row as `1.3 to 1.8`.
    pub fn names(&self, ports: &[usize]) -> String {
        let rows = ports.chunk_by(|one, next| one + 1 == *next);
        let named = rows.flat_map(|row| match row {
            [first, _, .., last] => vec![format!("{} to {}", self.name(*first), self.name(*last))],
            few => few.iter().map(|port| self.name(*port).to_owned()).collect(),
        });
        named.collect::<Vec<String>>().join(", ")
    }

    fn arrive(&mut self, port: usize, frame: &Frame) -> Known<Arrival> {
        let up = self.ports.get(port).is_some_and(|p| p.link && p.held.is_none());
        if !up {
            return Ok(Arrival::Closed);
        }
        if frame.payload == Payload::Lldp {
            self.copy_arrived(port, frame);
            // Heard whether the port forwards or not, and passed on to nobody (IEEE 802.1Q, 8.6.3).
            self.tell(port, format_args!("{frame} is heard"), None);
            return Ok(Arrival::Heard(true));
        }
        if let Payload::Bpdu(root) = frame.payload {
            self.copy_arrived(port, frame);
            if !self.tree_runs(port)? {
                // Nobody here listens, the guard neither: the BPDU is no concern of this switch.
                self.tell(port, "no spanning tree runs here: nobody listens to the BPDU", None);
                return Ok(Arrival::Heard(true));
            }
            return self.hear_bpdu(port, frame.from, root).map(Arrival::Heard);
        }
        if !self.forwards(port) {
            return Ok(Arrival::Closed);
        }
        if !self.manner.copies_inside {
            self.copy_arrived(port, frame);
        }
        if let Some(because) = self.storm(port, frame)? {
            return Ok(Arrival::Stopped(because));
        }
        let mut inside = frame.clone();
        let vlan = match self.take(port, &mut inside)? {
            Ok(vlan) => vlan,
            Err(because) => return Ok(Arrival::Stopped(because)),
        };
        if frame.tags.first().is_none_or(|tag| *tag == 0) && self.untagged(port)? != Some(vlan) {
            self.heard.entry(port).or_default().joined.insert(vlan);
        }
        let in_vlan: Vec<u16> = if self.manner.copies_inside && self.is_mirrored() {
            std::iter::once(vlan.get()).chain(inside.tags.iter().copied()).collect()
        } else {
            Vec::new()
        };
        if self.manner.copies_inside {
            self.copy(port, true, Some(vlan), &in_vlan);
        }
        if let Payload::Probe(from) = frame.payload
            && frame.from == self.address()
        {
            return Ok(Arrival::Stopped(self.probe_came_back(from, port)));
        }
        if let Err(because) = self.admit(port, vlan, frame.from)? {
            return Ok(Arrival::Stopped(because));
        }
        if !self.authenticated.contains(&frame.from) && self.asked.port(port, settings::AUTHENTICATION)? {
            let because = Because::of("port authentication", settings::AUTHENTICATION.id);
            return Ok(Arrival::Stopped(because));
        }
        if let Err(because) = self.snoop(port, vlan, frame)? {
            return Ok(Arrival::Stopped(because));
        }
        if let Err(because) = self.inspect(port, vlan, frame)? {
            return Ok(Arrival::Stopped(because));
        }
        self.table.insert((frame.from, vlan), (port, self.now));
        self.hear_group(port, vlan, &inside)?;
        let deliveries = self.forward(port, vlan, &inside)?;
        let copied = if self.is_mirrored() { &deliveries[..] } else { &[] };
        for delivery in copied {
            let tags = if self.manner.copies_inside { &in_vlan[..] } else { &delivery.tags };
            self.copy(delivery.port, false, None, tags);
        }
        Ok(Arrival::Forwarded(vlan, deliveries))
    }

    /// Copies a frame as it arrives, before anything looks at it.
    pub fn copy_arrived(&mut self, port: usize, frame: &Frame) {
        if !self.is_mirrored() {
            return;
        }
        let vlan = match frame.tags.first() {
            None | Some(0) => self.untagged(port).ok().flatten(),
            Some(tag) => VlanId::new(i64::from(*tag)).ok(),
        };
        let tag = vlan.filter(|_| self.manner.copies_inside).map(VlanId::get);
        let tags: Vec<u16> = if tag.is_some() { tag.into_iter().collect() } else { frame.tags.clone() };
        self.copy(port, true, vlan, &tags);
    }

    /// A storm limit, and what follows.
    fn storm(&mut self, port: usize, frame: &Frame) -> Known<Option<Because>> {
        let (kind, limit) = match frame.storm_kind() {
            None => return Ok(None),
            Some(StormKind::Broadcast) => (Counted::Broadcast, settings::STORM_BROADCAST),
            Some(StormKind::Multicast) => (Counted::Multicast, settings::STORM_MULTICAST),
        };
        if !self.is_over(port, kind, limit)? {
            return Ok(None);
        }
        let because = Because::of("storm limit", limit.id);
        if self.asked.port(port, settings::STORM_ACTION)? == StormAction::DisablePort {
            self.hold(port, Cause::Storm, Because { setting: settings::STORM_ACTION.id, ..because });
        }
        Ok(Some(because))
    }

    /// Whether broadcast without end takes a port down: a limit, and an action that does more than drop.
    pub fn storm_holds(&self, port: usize) -> Known<bool> {
        let limit = self.asked.port(port, settings::STORM_BROADCAST)?;
        Ok(limit.is_some() && self.asked.port(port, settings::STORM_ACTION)? == StormAction::DisablePort)
    }

    /// It does so.
    pub fn hold_for_storm(&mut self, port: usize) -> Because {
        let because = Because::of("storm limit", settings::STORM_ACTION.id);
        self.hold(port, Cause::Storm, because);
        because
    }

    /// To the port where its station was learned, or to the members of its group; else to every other port of the VLAN.
    fn forward(&self, from: usize, vlan: VlanId, frame: &Frame) -> Known<Vec<Delivery>> {
        let only = match frame.to {
            To::Station(station) => self.learned(station, vlan).map(|port| vec![port]),
            To::Group(_) => match self.reach(vlan, frame)? {
                Reach::All => None,
                Reach::Only(ports) => Some(ports),
            },
            To::All | To::Bridges => None,
        };
        let client = matches!(frame.payload, Payload::Dhcp(kind, ..) if !kind.is_of_server());
        let snooped = client && self.snoops(vlan)?;
        let relayed = frame.relayed && client;
        let relayed = match snooped.then(|| self.asked.switch_wide(settings::RELAY_INFO)).transpose() {
            Ok(Some(RelayInfo::Insert | RelayInfo::Replace)) => true,
            Ok(Some(RelayInfo::Remove)) => false,
            _ => relayed,
        };
        let untagged: Tags = frame.tags.as_slice().into();
        let tagged: Tags = std::iter::once(vlan.get()).chain(frame.tags.iter().copied()).collect();
        let mut deliveries = Vec::new();
        let mut deliver = |port: usize, tags: &Tags| {
            let goes = port != from && self.forwards(port) && only.as_ref().is_none_or(|only| only.contains(&port));
            // Clients are heard by servers only.
            if goes && (!snooped || self.asked.port(port, settings::SNOOPING_TRUSTED)?) {
                deliveries.push(Delivery { port, tags: Rc::clone(tags), relayed });
            }
            Ok(())
        };
        if self.heard.values().any(|heard| heard.joined.contains(&vlan)) {
            for port in 0..self.ports.len() {
                match self.leave(port, vlan) {
                    Ok(Member::Untagged) => deliver(port, &untagged)?,
                    Ok(Member::Tagged) => deliver(port, &tagged)?,
                    Ok(Member::No) | Err(_) => {}
                }
            }
        } else {
            for (port, is_untagged) in &self.members_of(vlan).carry {
                deliver(*port, if *is_untagged { &untagged } else { &tagged })?;
            }
        }
        Ok(deliveries)
    }

    /// A frame that is in a VLAN already goes to whom it is for, as if it had come in by a port.
    pub fn pour(&mut self, from: usize, vlan: VlanId, frame: &Frame) -> Known<Arrival> {
        let mut inside = frame.clone();
        inside.tags.clear();
        Ok(Arrival::Forwarded(vlan, self.forward(from, vlan, &inside)?))
    }

    /// A frame of a VLAN leaves by a port.
    pub fn emit(&mut self, port: usize, vlan: VlanId) {
        match self.leave(port, vlan) {
            Ok(Member::Untagged) => self.copy(port, false, None, &[]),
            Ok(Member::Tagged) => self.copy(port, false, None, &[vlan.get()]),
            Ok(Member::No) | Err(_) => {}
        }
    }

    /// Where a station was learned, and was heard of late (IEEE 802.1Q, 8.8.3: 300 s).
    pub fn learned(&self, station: StationAddress, vlan: VlanId) -> Option<usize> {
        let (port, heard) = self.table.get(&(station, vlan))?;
        (self.now.saturating_sub(*heard) < ADDRESS_AGES).then_some(*port)
    }
}
