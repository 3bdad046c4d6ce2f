//! A switch as a machine: frames, links and time go in, frames and changes come out. It stands on the settings in force and the
//! platform's traits alone and knows no check. Same inputs, same outputs: time is an argument, there is no chance in it.

mod addresses;
mod arrival;
mod held;
mod tags;
mod tree;

use std::collections::{BTreeMap, BTreeSet};
use std::net::Ipv4Addr;

use crate::drill::asked::{Asked, Known};
use crate::model::{Cause, SettingId, StationAddress, VlanId, settings};

pub use arrival::{Arrival, Delivery};

/// Milliseconds since the machine was switched on.
pub type Millis = u64;

/// What decided something: a feature, and the setting it went by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Because {
    /// The feature, in words.
    pub feature: &'static str,
    /// The setting.
    pub setting: SettingId,
}

/// A line of the story.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Told {
    /// When.
    pub at: Millis,
    /// The port it happened on.
    pub port: usize,
    /// What.
    pub words: String,
    /// Why.
    pub because: Option<Because>,
}

/// What the machine keeps of a port.
#[derive(Debug, Clone, Default)]
struct Port {
    link: bool,
    /// Since when the port forwards, or from when it will; none: the spanning tree keeps it closed.
    opens: Option<Millis>,
    /// What holds it down, and since when.
    held: Option<(Cause, Millis)>,
    /// Stations that port security admits, each with the VLAN it counts in.
    admitted: BTreeSet<(StationAddress, Option<VlanId>)>,
    violations: u32,
    /// Losses and changes of link, for flap protection.
    flaps: Vec<Millis>,
    /// Frames of a kind in the running second: when it began, how many.
    counted: BTreeMap<&'static str, (Millis, u32)>,
}

/// A binding of DHCP snooping.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Binding {
    /// The client's port.
    pub port: usize,
    /// Its address.
    pub address: Ipv4Addr,
}

/// One switch.
#[derive(Debug, Clone)]
pub struct Machine<'a> {
    pub(super) asked: Asked<'a>,
    now: Millis,
    ports: Vec<Port>,
    table: BTreeMap<(StationAddress, VlanId), usize>,
    bindings: BTreeMap<(StationAddress, VlanId), Binding>,
    authenticated: BTreeSet<StationAddress>,
    story: Vec<Told>,
    /// Whether the story is kept.
    pub(super) tells: bool,
}

impl<'a> Machine<'a> {
    /// A switch that has just been switched on, no link up.
    pub fn new(asked: Asked<'a>) -> Self {
        let ports = vec![Port::default(); asked.switch().ports().len()];
        Self {
            asked,
            now: 0,
            ports,
            table: BTreeMap::new(),
            bindings: BTreeMap::new(),
            authenticated: BTreeSet::new(),
            story: Vec::new(),
            tells: true,
        }
    }

    /// The clock.
    pub fn now(&self) -> Millis {
        self.now
    }

    /// What has happened.
    pub fn story(&self) -> &[Told] {
        &self.story
    }

    /// How many ports there are.
    pub fn port_count(&self) -> usize {
        self.ports.len()
    }

    /// How many addresses were learned on a port.
    pub fn learned_on(&self, port: usize) -> usize {
        self.table.values().filter(|on| **on == port).count()
    }

    /// The bindings of a port.
    pub fn bindings_of(&self, port: usize) -> usize {
        self.bindings.values().filter(|b| b.port == port).count()
    }

    /// What holds a port down.
    pub fn held_by(&self, port: usize) -> Option<Cause> {
        self.ports.get(port).and_then(|p| p.held).map(|(cause, _)| cause)
    }

    /// Puts a line into the story.
    pub fn tell(&mut self, port: usize, words: impl Into<String>, because: Option<Because>) {
        if self.tells {
            self.story.push(Told { at: self.now, port, words: words.into(), because });
        }
    }

    /// Lets time pass: ports open, held ones come back.
    pub fn pass(&mut self, millis: Millis) -> Known<()> {
        let until = self.now.saturating_add(millis);
        while let Some((at, port)) = self.next_return(until) {
            self.now = at;
            self.come_back(port)?;
        }
        self.now = until;
        Ok(())
    }

    /// Plugs something in. Nothing comes up on a port that is shut.
    pub fn link_up(&mut self, port: usize) -> Known<()> {
        if !self.asked.port(port, settings::ENABLED)? {
            self.tell(port, "stays down", Some(Because { feature: "shut", setting: settings::ENABLED.id }));
            return Ok(());
        }
        let before = self.ports.get(port).is_some_and(|p| p.link);
        if let Some(state) = self.ports.get_mut(port) {
            state.link = true;
        }
        self.tell(port, "link up", None);
        if !before {
            self.changed(port, false)?;
        }
        if self.held_by(port).is_none() {
            self.open(port)?;
        }
        Ok(())
    }

    /// Takes a port for one that has forwarded for long: those that no drill is about.
    pub fn settle(&mut self, port: usize) {
        if let Some(state) = self.ports.get_mut(port) {
            (state.link, state.opens) = (true, Some(0));
        }
    }

    /// A station shows who it is (IEEE 802.1X).
    pub fn authenticate(&mut self, station: StationAddress) {
        self.authenticated.insert(station);
    }

    /// Pulls it out.
    pub fn link_down(&mut self, port: usize) -> Known<()> {
        let before = self.ports.get(port).is_some_and(|p| p.link);
        // Who was learned is forgotten with the link; who is pinned stays.
        let forgets = self.ports.get(port).is_some_and(|p| !p.admitted.is_empty())
            && !self.asked.port(port, settings::PINNING)?;
        if let Some(state) = self.ports.get_mut(port) {
            if forgets {
                state.admitted.clear();
            }
            state.link = false;
            state.opens = None;
        }
        self.table.retain(|_, on| *on != port);
        self.tell(port, "link down", None);
        if before {
            self.changed(port, true)?;
        }
        Ok(())
    }

    /// Whether frames go through a port now.
    pub fn forwards(&self, port: usize) -> bool {
        self.ports.get(port).is_some_and(|p| p.link && p.held.is_none() && p.opens.is_some_and(|at| at <= self.now))
    }

    /// When a port opens, where it will.
    pub fn opens_at(&self, port: usize) -> Option<Millis> {
        self.ports.get(port).filter(|p| p.held.is_none()).and_then(|p| p.opens)
    }
}

/// What drills ask of the settings.
impl Machine<'_> {
    /// The mode of a port.
    pub fn mode(&self, port: usize) -> Known<crate::model::Mode> {
        self.asked.port(port, settings::MODE)
    }

    /// The VLANs of the switch.
    pub fn vlans(&self) -> Known<std::sync::Arc<crate::model::VlanSet>> {
        self.asked.switch_wide(settings::VLANS)
    }

    /// How many stations port security admits.
    pub fn limit(&self, port: usize) -> Known<u32> {
        self.asked.port(port, settings::LIMIT)
    }

    /// Whether a port pins whom it admits.
    pub fn pins(&self, port: usize) -> Known<bool> {
        self.asked.port(port, settings::PINNING)
    }

    /// Whether a port sends probes of loop detection.
    pub fn probes(&self, port: usize) -> Known<bool> {
        self.asked.port(port, settings::LOOP_DETECTION)
    }

    /// Seconds between them.
    pub fn probe_interval(&self) -> Known<crate::model::Seconds> {
        self.asked.switch_wide(settings::DETECTION_INTERVAL)
    }

    /// The hello time of the tree.
    pub fn hello(&self) -> Known<crate::model::Seconds> {
        self.asked.switch_wide(settings::HELLO)
    }

    /// A probe of its own comes back to a port.
    pub fn probe_returns(&mut self, port: usize) {
        let because = Because { feature: "loop detection", setting: settings::LOOP_DETECTION.id };
        self.hold(port, Cause::LoopDetection, because);
    }

    /// Forgets whom port security admitted: the next attempt starts afresh.
    pub fn forget_admitted(&mut self, port: usize) {
        if let Some(state) = self.ports.get_mut(port) {
            state.admitted.clear();
        }
    }

    /// A station talks, asks the authorised server, and gets a lease: where DHCP snooping acts it is bound.
    pub fn lease(&mut self, port: usize, station: StationAddress, address: Ipv4Addr) -> Known<()> {
        use crate::drill::frame::{Dhcp, Frame, Payload};
        self.authenticate(station);
        let request = Frame::to_all(station, Payload::Dhcp(Dhcp::Request, station, address));
        let arrival = self.receive(port, &request)?;
        self.pass(1000)?;
        let Arrival::Forwarded(vlan, _) = arrival else { return Ok(()) };
        if self.snoops(vlan)? && !self.asked.port(port, settings::SNOOPING_TRUSTED)? {
            self.bindings.insert((station, vlan), Binding { port, address });
            self.tell(port, format!("the server gives {address}: a binding"), None);
        }
        Ok(())
    }
}
