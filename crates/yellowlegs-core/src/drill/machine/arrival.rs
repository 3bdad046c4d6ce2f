//! A frame arrives: the order in which the features see it, learning, and where it goes.

use super::{Because, Machine};
use crate::drill::asked::Known;
use crate::drill::frame::{Frame, Payload, To};
use crate::model::{Cause, StationAddress, StormAction, VlanId, settings};

/// A frame that leaves.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Delivery {
    /// The port it leaves by.
    pub port: usize,
    /// Its tags there.
    pub tags: Vec<u16>,
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
        if self.tells {
            let (words, because) = match &arrival {
                Arrival::Forwarded(vlan, to) => {
                    let ports: Vec<&str> = to.iter().map(|d| self.name(d.port)).collect();
                    let to = if ports.is_empty() { "nobody else is there".to_owned() } else { ports.join(", ") };
                    (format!("{frame}: let in, VLAN {vlan}, to {to}"), None)
                }
                Arrival::Heard(_) => return Ok(arrival),
                Arrival::Stopped(because) => (format!("{frame}: stopped"), Some(*because)),
                Arrival::Closed => (format!("{frame}: the port does not forward"), None),
            };
            self.tell(port, words, because);
        }
        Ok(arrival)
    }

    /// The name of a port.
    pub fn name(&self, port: usize) -> &str {
        self.asked.switch().ports().get(port).map_or("", |name| name.as_str())
    }

    fn arrive(&mut self, port: usize, frame: &Frame) -> Known<Arrival> {
        let up = self.ports.get(port).is_some_and(|p| p.link && p.held.is_none());
        if !up {
            return Ok(Arrival::Closed);
        }
        if let Payload::Bpdu { superior } = frame.payload {
            if !self.tree_runs(port)? && !self.asked.port(port, settings::BPDU_GUARD)? {
                // Nobody here listens: the BPDU is no concern of this switch.
                self.tell(port, "no spanning tree runs here: nobody listens to the BPDU", None);
                return Ok(Arrival::Heard(true));
            }
            return self.hear_bpdu(port, superior).map(Arrival::Heard);
        }
        if !self.forwards(port) {
            return Ok(Arrival::Closed);
        }
        if let Some(because) = self.storm(port, frame)? {
            return Ok(Arrival::Stopped(because));
        }
        let mut inside = frame.clone();
        let vlan = match self.take(port, &mut inside)? {
            Ok(vlan) => vlan,
            Err(because) => return Ok(Arrival::Stopped(because)),
        };
        if let Err(because) = self.admit(port, vlan, frame.from)? {
            return Ok(Arrival::Stopped(because));
        }
        if !self.authenticated.contains(&frame.from) && self.asked.port(port, settings::AUTHENTICATION)? {
            let because = Because { feature: "port authentication", setting: settings::AUTHENTICATION.id };
            return Ok(Arrival::Stopped(because));
        }
        if let Err(because) = self.snoop(port, vlan, frame)? {
            return Ok(Arrival::Stopped(because));
        }
        if let Err(because) = self.inspect(port, vlan, frame)? {
            return Ok(Arrival::Stopped(because));
        }
        self.table.insert((frame.from, vlan), port);
        let deliveries = self.forward(port, vlan, &inside);
        Ok(Arrival::Forwarded(vlan, deliveries))
    }

    /// A storm limit, and what follows.
    fn storm(&mut self, port: usize, frame: &Frame) -> Known<Option<Because>> {
        if !frame.is_for_many() {
            return Ok(None);
        }
        let Some(rate) = self.asked.port(port, settings::STORM_BROADCAST)? else { return Ok(None) };
        if !self.is_above(port, "broadcast", rate)? {
            return Ok(None);
        }
        let because = Because { feature: "storm limit", setting: settings::STORM_BROADCAST.id };
        if self.asked.port(port, settings::STORM_ACTION)? == StormAction::DisablePort {
            self.hold(port, Cause::Storm, Because { setting: settings::STORM_ACTION.id, ..because });
        }
        Ok(Some(because))
    }

    /// To the port where its station was learned; else to every other port of the VLAN that forwards.
    fn forward(&self, from: usize, vlan: VlanId, frame: &Frame) -> Vec<Delivery> {
        let known = match frame.to {
            To::Station(station) => self.table.get(&(station, vlan)).copied(),
            To::All | To::Bridges => None,
        };
        let mut deliveries = Vec::new();
        for port in 0..self.ports.len() {
            if port == from || !self.forwards(port) || known.is_some_and(|only| only != port) {
                continue;
            }
            // A port of which nobody knows what it carries hears nothing here: it is not the one that is rehearsed.
            if let Ok(Some(tags)) = self.leave(port, vlan, &frame.tags) {
                deliveries.push(Delivery { port, tags });
            }
        }
        deliveries
    }

    /// Where a station was learned.
    pub fn learned(&self, station: StationAddress, vlan: VlanId) -> Option<usize> {
        self.table.get(&(station, vlan)).copied()
    }
}
