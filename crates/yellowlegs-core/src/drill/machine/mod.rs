//! A switch as a machine: frames, links and time go in, frames and changes come out. It stands on the settings in force and the
//! platform's traits alone and knows no check. Same inputs, same outputs: time is an argument, there is no chance in it.

mod addresses;
mod arrival;
mod groups;
mod held;
mod loops;
mod mirrors;
mod net;
mod of_all;
mod phones;
mod restart;
mod tags;
mod tree;
mod wires;

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::net::{IpAddr, Ipv4Addr};
use std::rc::Rc;
use std::sync::Arc;

use crate::drill::asked::{Asked, Known};
use crate::drill::noted::Noted;
use crate::model::{Cause, SettingId, StationAddress, TraitId, VlanId, settings};

pub(super) use addresses::frames_in_a_second;
pub use arrival::{Arrival, Delivery};
use groups::Group;
pub use mirrors::{Copied, Session};
pub use net::{At, Net, Trip};
pub use of_all::OfAll;
pub use phones::Place;
pub use restart::Lost;
pub(super) use restart::unsaved_on;

/// Milliseconds since the machine was switched on.
pub type Millis = u64;

/// What decided something: a feature, and the setting it went by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Because {
    /// The feature, in words.
    pub feature: &'static str,
    /// The setting.
    pub setting: SettingId,
    /// The VLAN, where the setting is one of a VLAN.
    pub vlan: Option<VlanId>,
}

impl Because {
    /// A feature, and the setting it went by.
    pub fn of(feature: &'static str, setting: SettingId) -> Self {
        Self { feature, setting, vlan: None }
    }

    /// The same, of a VLAN.
    #[must_use]
    pub fn in_vlan(self, vlan: VlanId) -> Self {
        Self { vlan: Some(vlan), ..self }
    }
}

/// Ways of a switch that no setting and no standard decides. The default is what the standards leave as the plain way.
#[derive(Debug, Clone, Copy, Default)]
pub struct Manner {
    /// Mirrors copy a frame once it is in its VLAN, with that VLAN's tag, and once for each session; else as it is on the wire,
    /// before anything looks at it.
    pub copies_inside: bool,
    /// A group that its last member left stays registered while one that reported before it has members; else it is unregistered
    /// at once.
    pub left_groups_stay: bool,
    /// A router port that was learned from IGMP is one for IPv6, too, and the other way round.
    pub one_router_list: bool,
}

/// A line of the story.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Told {
    /// The switch; none: the one that is rehearsed.
    pub switch: Option<Arc<str>>,
    /// When.
    pub at: Millis,
    /// The port it happened on.
    pub port: usize,
    /// What.
    pub words: String,
    /// Why.
    pub because: Option<Because>,
}

/// What the machine keeps of every port.
#[derive(Debug, Clone, Copy, Default)]
struct Port {
    link: bool,
    /// Since when the port forwards, or from when it will; none: the spanning tree keeps it closed.
    opens: Option<Millis>,
    /// What holds it down, and since when.
    held: Option<(Cause, Millis)>,
}

/// What it keeps of a port on which something was heard: few ports of many.
#[derive(Debug, Clone, Default)]
struct Heard {
    /// Stations that port security admits, each with the VLAN it counts in, and when it was heard.
    admitted: BTreeMap<(StationAddress, Option<VlanId>), Millis>,
    /// VLANs that stations here were put into by their addresses.
    joined: BTreeSet<VlanId>,
    /// Changes of link, for flap protection: when, and whether the link was lost.
    flaps: Vec<(Millis, bool)>,
    /// Frames of each kind in the running second: when it began, how many.
    counted: [Option<(Millis, u32)>; 4],
}

/// Kinds of frames that limits count.
#[derive(Debug, Clone, Copy)]
enum Counted {
    Broadcast,
    Multicast,
    Dhcp,
    Arp,
}

/// A binding of DHCP snooping.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Binding {
    /// The client's port.
    pub port: usize,
    /// Its address.
    pub address: Ipv4Addr,
    /// When its lease ends; none: not while anybody looks.
    pub ends: Option<Millis>,
}

/// One switch.
#[derive(Debug, Clone)]
pub struct Machine<'a> {
    pub(super) asked: Asked<'a>,
    now: Millis,
    ports: Vec<Port>,
    /// The ports that are held down.
    down: BTreeSet<usize>,
    heard: BTreeMap<usize, Heard>,
    /// What was asked of all ports.
    of_all: Rc<OfAll>,
    table: BTreeMap<(StationAddress, VlanId), (usize, Millis)>,
    bindings: BTreeMap<(StationAddress, VlanId), Binding>,
    /// Bindings as they were last written, and when they will be.
    stored: BTreeMap<(StationAddress, VlanId), Binding>,
    store_due: Option<Millis>,
    /// How long servers give an address for; none: longer than anybody looks.
    leases: Option<Millis>,
    authenticated: BTreeSet<StationAddress>,
    groups: BTreeMap<(VlanId, IpAddr), Group>,
    /// Router ports that were learned, by IGMP or, last, by MLD; each until when.
    routers: BTreeMap<(VlanId, usize, bool), Millis>,
    copies: Vec<Copied>,
    /// The root of the tree, by priority and address; none: nobody better than this switch is known.
    root: Option<(u32, StationAddress)>,
    manner: Manner,
    /// The VLAN that hosts on the rehearsed port tag with.
    pub(super) speaks_in: Option<VlanId>,
    story: Vec<Told>,
    /// Its own address, where that is not the switch's: that of another switch like it.
    address: Option<StationAddress>,
    /// Whether the story is kept.
    pub(super) tells: bool,
}

impl<'a> Machine<'a> {
    /// A switch that has just been switched on, no link up.
    pub fn new(asked: Asked<'a>) -> Self {
        Self::sharing(asked, Rc::default())
    }

    /// One that asks of all ports what others of its switch asked: of the same settings, with nothing assumed.
    pub(super) fn sharing(asked: Asked<'a>, of_all: Rc<OfAll>) -> Self {
        let ports = vec![Port::default(); asked.switch().ports().len()];
        asked.note_all(Noted::of(*mirrors::SETTINGS));
        Self {
            address: None,
            asked,
            now: 0,
            ports,
            down: BTreeSet::new(),
            heard: BTreeMap::new(),
            of_all,
            table: BTreeMap::new(),
            bindings: BTreeMap::new(),
            stored: BTreeMap::new(),
            store_due: None,
            leases: None,
            root: None,
            groups: BTreeMap::new(),
            routers: BTreeMap::new(),
            copies: Vec::new(),
            manner: Manner::default(),
            speaks_in: None,
            authenticated: BTreeSet::new(),
            story: Vec::new(),
            tells: true,
        }
    }

    /// The clock.
    pub fn now(&self) -> Millis {
        self.now
    }

    /// A switch with ways of its own.
    #[must_use]
    pub fn with_manner(self, manner: Manner) -> Self {
        Self { manner, ..self }
    }

    /// Servers give addresses for so long.
    #[must_use]
    pub fn with_leases(self, leases: Option<Millis>) -> Self {
        Self { leases, ..self }
    }

    /// Sets the clock of a switch on which nothing has happened.
    pub fn started_at(&mut self, now: Millis) {
        self.now = now;
    }

    /// What has happened.
    pub fn story(&self) -> &[Told] {
        &self.story
    }

    /// What has happened, to be told elsewhere.
    pub(super) fn take_story(&mut self) -> Vec<Told> {
        std::mem::take(&mut self.story)
    }

    /// How many ports there are.
    pub fn port_count(&self) -> usize {
        self.ports.len()
    }

    /// How many addresses were learned on a port.
    pub fn learned_on(&self, port: usize) -> usize {
        self.table.values().filter(|(on, _)| *on == port).count()
    }

    /// The bindings of a port.
    pub fn bindings_of(&self, port: usize) -> usize {
        self.bindings.values().filter(|b| b.port == port && self.lasts(b)).count()
    }

    /// How many stations port security admits on a port now.
    pub fn admitted_on(&self, port: usize) -> usize {
        self.heard.get(&port).map_or(0, |heard| heard.admitted.len())
    }

    /// What holds a port down.
    pub fn held_by(&self, port: usize) -> Option<Cause> {
        self.ports.get(port).and_then(|p| p.held).map(|(cause, _)| cause)
    }

    /// Whether anybody will read the story: nobody does where it is noted what is asked.
    fn is_told(&self) -> bool {
        self.tells && !self.asked.is_noted()
    }

    /// Puts a line into the story.
    pub fn tell(&mut self, port: usize, words: impl fmt::Display, because: Option<Because>) {
        if self.is_told() {
            self.story.push(Told { switch: None, at: self.now, port, words: words.to_string(), because });
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
        self.write_bindings();
        Ok(())
    }

    /// Plugs something in. Nothing comes up on a port that is shut.
    pub fn link_up(&mut self, port: usize) -> Known<()> {
        if !self.asked.port(port, settings::ENABLED)? {
            self.tell(port, "stays down", Some(Because::of("shut", settings::ENABLED.id)));
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

    /// Takes a port for one that has forwarded for long: those that no drill is about, unless they are shut.
    pub fn settle(&mut self, port: usize) {
        if self.of_all.shut(&self.asked).get(port) == Some(&true) {
            return;
        }
        if let Some(state) = self.ports.get_mut(port) {
            (state.link, state.opens) = (true, Some(0));
        }
    }

    /// Takes all ports but one for such.
    pub fn settle_others(&mut self, but: usize) {
        let shut = self.of_all.shut(&self.asked);
        let others = self.ports.iter_mut().zip(shut.iter()).enumerate().filter(|(port, _)| *port != but);
        others.filter(|(_, (_, shut))| !**shut).for_each(|(_, (state, _))| (state.link, state.opens) = (true, Some(0)));
    }

    /// A station shows who it is (IEEE 802.1X).
    pub fn authenticate(&mut self, station: StationAddress) {
        self.authenticated.insert(station);
    }

    /// Pulls it out.
    pub fn link_down(&mut self, port: usize) -> Known<()> {
        let before = self.ports.get(port).is_some_and(|p| p.link);
        // Who was learned is forgotten with the link; who is pinned stays.
        let forgets = self.admitted_on(port) > 0 && !self.asked.port(port, settings::PINNING)?;
        if forgets {
            self.forget_admitted(port);
        }
        if let Some(state) = self.ports.get_mut(port) {
            state.link = false;
            state.opens = None;
        }
        // Whoever showed who they are have to do so again (IEEE 802.1X).
        let gone = self.table.iter().filter(|(_, (on, _))| *on == port).map(|((station, _), _)| *station);
        gone.collect::<Vec<_>>().iter().for_each(|station| _ = self.authenticated.remove(station));
        self.table.retain(|_, (on, _)| *on != port);
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

    /// Whether something is plugged in.
    pub fn has_link(&self, port: usize) -> bool {
        self.ports.get(port).is_some_and(|p| p.link)
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
    pub fn vlans(&self) -> Known<Arc<crate::model::VlanSet>> {
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

    /// Whether flap protection is on.
    pub fn watches_flaps(&self, port: usize) -> Known<bool> {
        self.asked.port(port, settings::FLAP)
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

    /// What the link runs over.
    pub fn media(&self, port: usize) -> Known<crate::model::Media> {
        self.asked.port(port, settings::MEDIA)
    }

    /// Unidirectional link detection.
    pub fn detection(&self, port: usize) -> Known<crate::model::Unidirectional> {
        self.asked.port(port, settings::UNIDIRECTIONAL)
    }

    /// Seconds between its messages.
    pub fn detection_interval(&self, port: usize) -> Known<crate::model::Seconds> {
        self.asked.port(port, settings::UNIDIRECTIONAL_INTERVAL)
    }

    /// Whether a port stays closed when its BPDUs fade.
    pub fn loop_guard(&self, port: usize) -> Known<bool> {
        self.asked.port(port, settings::LOOP_GUARD)
    }

    /// Whether a word of one of the platform's traits holds.
    pub fn platform(&self, id: TraitId, word: &str) -> Known<bool> {
        self.asked.platform(id, word)
    }

    /// The name of the switch.
    pub fn switch_name(&self) -> Arc<str> {
        Arc::clone(self.asked.switch().name())
    }

    /// Whether DHCP snooping trusts a port.
    pub fn trusts(&self, port: usize) -> Known<bool> {
        self.asked.port(port, settings::SNOOPING_TRUSTED)
    }

    /// Whether ARP inspection trusts a port.
    pub fn trusts_arp(&self, port: usize) -> Known<bool> {
        self.asked.port(port, settings::INSPECTION_TRUSTED)
    }

    /// Forgets whom port security admitted: the next attempt starts afresh.
    pub fn forget_admitted(&mut self, port: usize) {
        if let Some(heard) = self.heard.get_mut(&port) {
            heard.admitted.clear();
        }
    }

    /// A station talks, asks the authorised server, and gets a lease: where DHCP snooping acts it is bound.
    pub fn lease(&mut self, port: usize, station: StationAddress, address: Ipv4Addr) -> Known<()> {
        use crate::drill::frame::{Dhcp, Frame, Payload};
        self.authenticate(station);
        let request = Frame::to_all(station, Payload::Dhcp(Dhcp::Request, station, address));
        let arrival = self.says(port, &request)?;
        self.pass(1000)?;
        let Arrival::Forwarded(vlan, _) = arrival else { return Ok(()) };
        self.bind_learned(station, vlan, address)
    }

    /// What an answer that came past no trusted port leaves: a binding on the client's port, where DHCP snooping acts there.
    pub fn bind_learned(&mut self, station: StationAddress, vlan: VlanId, address: Ipv4Addr) -> Known<()> {
        if let Some(port) = self.learned(station, vlan)
            && self.snoops(vlan)?
            && !self.trusts(port)?
        {
            self.keep_binding(station, vlan, self.binding_of(port, address));
        }
        Ok(())
    }
}
