//! What is around a switch: the cables of the fleet, authorised servers, queriers, and the switches on the way.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::sync::Arc;

use jiff::civil::Date;

use super::asked::{Asked, Known};
use super::machine::{Machine, Millis};
use super::rehearse::Stage;
use crate::model::{Seconds, Unidirectional, VlanId, facts, settings};
use crate::policy::{
    self, AsOf, Assignment, At, Cables, Faces, Feature, Neighbour, Outside, Policy, Role, Told, assign_roles,
};
use crate::resolve::Resolved;
use crate::sorted;

/// What is kept of every switch.
pub struct Sketch {
    switch: Arc<str>,
    configured: Option<Arc<str>>,
    ports: Vec<Cabled>,
    ends: Vec<(usize, bool, usize)>,
    servers: Vec<(usize, Option<usize>)>,
    /// VLANs that it asks in; and whether that is all there is to know.
    asks: Known<BTreeSet<VlanId>>,
    reopens: Known<Millis>,
}

/// A port that may lead to another switch.
struct Cabled {
    position: usize,
    name: Arc<str>,
    neighbour: Option<Neighbour>,
    leads: bool,
    /// What is outside the fleet at the other end.
    outside: Option<Arc<Outside>>,
    detection: Known<Unidirectional>,
    interval: Known<Seconds>,
    loop_guard: Known<bool>,
    wants: Wants,
}

/// Which protection against a one-way link the role of a port wants.
#[derive(Debug, Clone, Copy, Default)]
pub struct Wants {
    /// Unidirectional link detection.
    pub detection: bool,
    /// Loop guard.
    pub loop_guard: bool,
}

impl Wants {
    /// What a role wants; nothing where nobody knows it.
    pub(super) fn of(role: Option<&Role>) -> Self {
        let wants = |feature| role.is_some_and(|role| role.expect.wants(feature));
        Self { detection: wants(Feature::Unidirectional), loop_guard: wants(Feature::LoopGuard) }
    }
}

/// The other end of a cable: what decides whether a one-way fault is seen there.
#[derive(Debug, Clone)]
pub struct Far {
    /// Its switch and port.
    pub name: String,
    /// Its unidirectional link detection.
    pub detection: Known<Unidirectional>,
    /// Seconds between its messages.
    pub interval: Known<Seconds>,
    /// Whether loop guard keeps it closed.
    pub loop_guard: Known<bool>,
    /// When its tree opens a port that lost its BPDUs.
    pub reopens: Known<Millis>,
    /// What its role wants.
    pub wants: Wants,
}

impl Sketch {
    /// Of a switch. What neighbours said longer ago than the policy allows is not believed.
    pub fn of(resolved: &Resolved, policy: &Policy, as_of: &AsOf) -> Self {
        Self::with_roles(resolved, policy, as_of, &assign_roles(policy, &resolved.switch, resolved.lists()))
    }

    fn with_roles(resolved: &Resolved, policy: &Policy, as_of: &AsOf, roles: &Assignment) -> Self {
        let switch = &resolved.switch;
        let asked = Asked::new(switch);
        let machine = Machine::new(asked.clone());
        let Seconds(most) = policy.site.state_age.value;
        let age = jiff::SignedDuration::from_secs(most.into());
        let old = switch.taken_at(facts::neighbour::FACT).is_some_and(|t| as_of.moment().duration_since(t) > age);
        let neighbours = if old { sorted::Map::default() } else { policy::neighbours(switch) };
        let (ends, servers) = (policy.ends_on(resolved), policy.servers_on(resolved));
        let role_of = |port: usize| roles.ports.get(port).copied().flatten().and_then(|a| policy.roles.get(a.role));
        let leads =
            |port: usize| role_of(port).is_some_and(|role| role.faces.is_bridge() || role.faces == Faces::Router);
        let wanted =
            |port: &usize| leads(*port) || neighbours.contains_key(port) || ends.iter().any(|(_, _, end)| end == port);
        let cabled = |position: usize| Cabled {
            position,
            name: switch.ports().get(position).map_or_else(|| "".into(), |name| name.as_str().into()),
            neighbour: neighbours.get(&position).cloned(),
            leads: leads(position),
            outside: ends
                .iter()
                .find(|(.., end)| *end == position)
                .and_then(|(link, ..)| policy.outside(*link).cloned()),
            detection: asked.port(position, settings::UNIDIRECTIONAL),
            interval: asked.port(position, settings::UNIDIRECTIONAL_INTERVAL),
            loop_guard: asked.port(position, settings::LOOP_GUARD),
            wants: Wants::of(role_of(position)),
        };
        let ports: Vec<Cabled> = (0..switch.ports().len()).filter(wanted).map(cabled).collect();
        let among = |position: usize| ports.iter().position(|port| port.position == position);
        let ends = ends.into_iter().filter_map(|(link, is_a, port)| Some((link, is_a, among(port)?))).collect();
        let asks = machine.vlans().and_then(|vlans| {
            let each = vlans.iter().map(|vlan| Ok((vlan, machine.asks_for_members(vlan)?)));
            let each: Vec<(VlanId, bool)> = each.collect::<Known<_>>()?;
            Ok(sorted::tree_set(each.into_iter().filter(|(_, asks)| *asks).map(|(vlan, _)| vlan)))
        });
        Self {
            switch: Arc::clone(switch.name()),
            configured: switch.setting(None, settings::NAME).value,
            ports,
            ends,
            servers,
            asks,
            reopens: machine.reopens(),
        }
    }

    /// Whether another reading is the same to other switches.
    fn seems(&self, other: &Self) -> bool {
        let leads = |sketch: &Self| sketch.ports.iter().map(|port| (port.position, port.leads)).collect::<Vec<_>>();
        self.asks == other.asks && leads(self) == leads(other)
    }

    fn told(&self) -> Told<'_> {
        let ports = self.ports.iter().map(|port| (&*port.name, port.neighbour.as_ref())).collect();
        Told { switch: &self.switch, configured: self.configured.as_deref(), ports, ends: &self.ends }
    }
}

/// The fleet around the switches that are rehearsed, and the day it is there.
pub struct Around {
    today: Date,
    sketches: Vec<Sketch>,
    cables: Cables,
    by_name: BTreeMap<Arc<str>, usize>,
    kept: BTreeMap<usize, Arc<Resolved>>,
    /// Of each switch, those that cables join it to, itself among them.
    joined: Vec<Arc<[usize]>>,
    /// Others are reached through it, or its servers.
    on_the_way: Vec<bool>,
    is_stale: bool,
}

/// A way to a server: switches from the client's on, with the ports it leaves and enters by.
pub(super) struct Way {
    /// Each switch after the first, with the port that the one before leaves by and the port that it is entered by.
    pub(super) steps: Vec<(Arc<Resolved>, usize, usize)>,
    /// The server's port on the last switch; none: that switch serves.
    pub(super) server: Option<usize>,
}

/// Of each switch, those that cables join it to.
fn joined(cables: &Cables, switches: usize) -> Vec<Arc<[usize]>> {
    let mut of: Vec<Arc<[usize]>> = vec![Arc::default(); switches];
    for start in 0..switches {
        if !of[start].is_empty() {
            continue;
        }
        let mut reached: BTreeSet<usize> = [start].into();
        let mut next = VecDeque::from([start]);
        while let Some(number) = next.pop_front() {
            for (_, (other, _)) in cables.of_switch(number) {
                if reached.insert(other) {
                    next.push_back(other);
                }
            }
        }
        let all: Arc<[usize]> = reached.into_iter().collect();
        all.iter().for_each(|number| of[*number] = Arc::clone(&all));
    }
    of
}

impl Around {
    /// Of all switches of a fleet.
    pub fn new(sketches: Vec<Sketch>, as_of: &AsOf) -> Self {
        let cables = Cables::of(&sketches.iter().map(Sketch::told).collect::<Vec<_>>());
        let by_name = sorted::tree_map(sketches.iter().enumerate().map(|(number, s)| (Arc::clone(&s.switch), number)));
        let on_the_way = |(number, sketch): (usize, &Sketch)| {
            !sketch.servers.is_empty() || cables.of_switch(number).nth(1).is_some()
        };
        let on_the_way = sketches.iter().enumerate().map(on_the_way).collect();
        let joined = joined(&cables, sketches.len());
        let (today, kept) = (as_of.date(), BTreeMap::new());
        Self { today, sketches, cables, by_name, kept, joined, on_the_way, is_stale: false }
    }

    /// The day it is: what was agreed on until an earlier one holds no more.
    pub(super) fn today(&self) -> Date {
        self.today
    }

    /// The switches that others are reached through: those with two cables or more, and those with servers. They are few, and
    /// [`Around::keep`] wants them.
    pub fn on_the_way(&self) -> impl Iterator<Item = &Arc<str>> {
        self.sketches.iter().zip(&self.on_the_way).filter(|(_, is)| **is).map(|(sketch, _)| &sketch.switch)
    }

    /// Takes in another reading of a switch, whose cables are where they were. Whether others see it otherwise by it.
    pub fn update(&mut self, resolved: &Arc<Resolved>, policy: &Policy, as_of: &AsOf, roles: &Assignment) -> bool {
        let Some(number) = self.number(resolved.switch.name()) else { return false };
        let mut is_other = false;
        if let Some(sketch) = self.sketches.get_mut(number) {
            let fresh = Sketch::with_roles(resolved, policy, as_of, roles);
            // A port that leads on by its role alone may have another role now; those with a cable stay.
            let is_there = |port: &Cabled| fresh.ports.iter().any(|other| other.position == port.position);
            if sketch.ports.len() == fresh.ports.len() && sketch.ports.iter().all(is_there) {
                is_other = !sketch.seems(&fresh);
                *sketch = fresh;
            } else {
                self.is_stale = true;
            }
        }
        if let Some(kept) = self.kept.get_mut(&number) {
            *kept = Arc::clone(resolved);
        }
        is_other || self.is_stale
    }

    /// Whether another reading has other ports that lead on: everything is to be looked at anew.
    pub fn is_stale(&self) -> bool {
        self.is_stale
    }

    /// Whether others are reached through a switch, or its servers.
    pub fn is_on_the_way(&self, switch: &str) -> bool {
        self.number(switch).is_some_and(|number| self.on_the_way[number])
    }

    /// Keeps a switch that others are reached through.
    pub fn keep(&mut self, resolved: Arc<Resolved>) {
        if let Some(number) = self.by_name.get(resolved.switch.name()) {
            self.kept.insert(*number, resolved);
        }
    }

    /// A switch that is kept, for the lines of what happened on it.
    pub fn kept(&self, switch: &str) -> Option<&Arc<Resolved>> {
        self.kept.get(self.by_name.get(switch)?)
    }

    /// The cables between some switches, each end by the position of its switch among these, and its port.
    pub fn cables_among(&self, switches: &[&str]) -> Vec<(At, At)> {
        let among: sorted::Map<&str, usize> =
            sorted::map(switches.iter().enumerate().map(|(number, name)| (*name, number)));
        let end = |at: At| {
            let name = &self.sketches.get(at.0)?.switch;
            Some((*among.get(&**name)?, self.cabled(at)?.position))
        };
        self.cables.all.iter().filter_map(|(a, b)| Some((end(*a)?, end(*b)?))).collect()
    }

    fn number(&self, switch: &str) -> Option<usize> {
        self.by_name.get(switch).copied()
    }

    fn cabled(&self, at: At) -> Option<&Cabled> {
        self.sketches.get(at.0)?.ports.get(at.1)
    }

    /// The ports of a switch that have a cable of the fleet, by position.
    pub fn cabled_ports(&self, switch: &str) -> Vec<usize> {
        let Some(number) = self.number(switch) else { return Vec::new() };
        let own = self.cables.of_switch(number).filter_map(|(own, _)| Some(self.cabled(own)?.position));
        own.collect()
    }

    /// The other end of a port's cable.
    pub fn far(&self, switch: &str, port: usize) -> Option<Far> {
        let number = self.number(switch)?;
        let index = self.sketches.get(number)?.ports.iter().position(|p| p.position == port)?;
        let peer = self.cables.peer((number, index))?;
        let (sketch, cabled) = (self.sketches.get(peer.0)?, self.cabled(peer)?);
        Some(Far {
            name: format!("{} {}", sketch.switch, cabled.name),
            detection: cabled.detection,
            interval: cabled.interval,
            loop_guard: cabled.loop_guard,
            reopens: sketch.reopens,
            wants: cabled.wants,
        })
    }

    /// The ports of a switch that lead on, nobody knows where to: towards a bridge or router without a known other end.
    fn open_ends(&self, number: usize) -> impl Iterator<Item = String> {
        let sketch = self.sketches.get(number);
        let ports = sketch.into_iter().flat_map(|sketch| sketch.ports.iter().enumerate().map(move |one| (sketch, one)));
        // Of what is outside somebody has to say in which VLANs it asks.
        let is_said = |port: &Cabled| port.outside.as_ref().is_some_and(|outside| outside.queriers.is_some());
        let open = ports.filter(move |(_, (index, port))| {
            port.leads && !is_said(port) && self.cables.peer((number, *index)).is_none()
        });
        open.map(|(sketch, (_, port))| format!("{} {}", sketch.switch, port.name))
    }

    /// Every such port of the switches that cables lead to from one.
    pub(super) fn open_beyond(&self, switch: &str) -> Vec<String> {
        self.joined_to(switch).iter().flat_map(|number| self.open_ends(*number)).collect()
    }

    /// Whether somebody in a VLAN's reach, other than a switch, asks for memberships there; and whether everything in reach is known.
    pub(super) fn asks_elsewhere(&self, switch: &str, vlan: VlanId) -> Known<Option<Arc<str>>> {
        let Some(start) = self.number(switch) else { return Ok(None) };
        for number in self.joined_to(switch).iter().copied() {
            let of_switch = self.sketches.get(number).into_iter().flat_map(|sketch| &sketch.ports);
            let outside = of_switch.filter_map(|port| port.outside.as_ref());
            if let Some(asks) = outside.into_iter().find(|outside| outside.asks(vlan) == Some(true)) {
                return Ok(Some(asks.name.as_str().into()));
            }
            let Some(sketch) = self.sketches.get(number).filter(|_| number != start) else { continue };
            if sketch.asks.as_ref().map_err(|hang| *hang)?.contains(&vlan) {
                return Ok(Some(Arc::clone(&sketch.switch)));
            }
        }
        Ok(None)
    }

    /// Whether any switch that cables lead to from one has an end that nobody knows.
    pub(super) fn is_open_beyond(&self, switch: &str) -> bool {
        let joined = self.joined_to(switch);
        joined.is_empty() || joined.iter().any(|number| self.open_ends(*number).next().is_some())
    }

    /// The switches that cables join to one, itself among them.
    fn joined_to(&self, switch: &str) -> &[usize] {
        self.number(switch).and_then(|number| self.joined.get(number)).map_or(&[], |joined| joined)
    }

    /// The shortest way from a switch to an authorised server of a VLAN: through cables that carry the VLAN where there is one, else
    /// through any.
    pub(super) fn way(&self, stage: &Stage<'_>, vlan: VlanId) -> Option<Way> {
        let Stage { policy, resolved: own, .. } = stage;
        let start = self.number(own.switch.name())?;
        let carries = |at: At| {
            let resolved = self.kept.get(&at.0).map(|kept| &**kept).or_else(|| (at.0 == start).then_some(*own));
            let position = self.cabled(at).map(|cabled| cabled.position);
            resolved
                .zip(position)
                .is_some_and(|(resolved, position)| stage.asked(&resolved.switch).is_member(position, vlan) == Ok(true))
        };
        self.way_through(policy, start, vlan, &carries).or_else(|| self.way_through(policy, start, vlan, &|_| true))
    }

    fn way_through(&self, policy: &Policy, start: usize, vlan: VlanId, may: &dyn Fn(At) -> bool) -> Option<Way> {
        let serves = |(entry, _): &&(usize, Option<usize>)| {
            policy.dhcp_servers.get(*entry).is_some_and(|s| s.vlans.is_empty() || s.vlans.contains(vlan))
        };
        let mut from: BTreeMap<usize, (At, At)> = BTreeMap::new();
        let mut seen: BTreeSet<usize> = [start].into();
        let mut next = VecDeque::from([start]);
        while let Some(number) = next.pop_front() {
            if let Some((_, port)) = self.sketches.get(number)?.servers.iter().find(serves) {
                let mut steps = Vec::new();
                let mut at = number;
                while at != start {
                    let (out, into) = from.get(&at).copied()?;
                    let positions = (self.cabled(out)?.position, self.cabled(into)?.position);
                    steps.push((Arc::clone(self.kept.get(&at)?), positions.0, positions.1));
                    at = out.0;
                }
                steps.reverse();
                return Some(Way { steps, server: *port });
            }
            for (out, into) in self.cables.of_switch(number) {
                // Behind one that nobody is reached through nothing is found.
                if self.on_the_way[into.0] && !seen.contains(&into.0) && may(out) && may(into) {
                    seen.insert(into.0);
                    from.insert(into.0, (out, into));
                    next.push_back(into.0);
                }
            }
        }
        None
    }
}
