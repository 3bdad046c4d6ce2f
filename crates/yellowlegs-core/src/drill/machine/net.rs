//! Switches joined by wires: what leaves one arrives at the next, until it reaches a host, is stopped, or has circled for long.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::sync::Arc;

use super::{Arrival, Because, Machine, Millis, Told};
use crate::drill::asked::Known;
use crate::drill::frame::Frame;

/// A port of a net: switch and port by position.
pub type At = (usize, usize);

/// So many arrivals of one frame, and it circles.
const MOST: usize = 1000;

/// Switches and the wires between them.
pub struct Net<'a> {
    switches: Vec<Machine<'a>>,
    wires: BTreeMap<At, At>,
    /// Strands that are broken: nothing arrives at these ports.
    deaf: BTreeSet<At>,
    story: Vec<Told>,
}

/// What became of a frame in a net.
#[derive(Debug, Clone, Default)]
pub struct Trip {
    /// Each arrival at a switch, in order.
    pub arrivals: Vec<(At, Arrival)>,
    /// Ports without a wire that it left by, each with its tags.
    pub heard: Vec<(At, Vec<u16>)>,
    /// It went on for ever.
    pub circles: bool,
}

impl<'a> Net<'a> {
    /// Of switches, with their wires.
    pub fn new(switches: Vec<Machine<'a>>, wires: impl IntoIterator<Item = (At, At)>) -> Self {
        let both = wires.into_iter().flat_map(|(a, b)| [(a, b), (b, a)]).collect();
        Self { switches, wires: both, deaf: BTreeSet::new(), story: Vec::new() }
    }

    /// One of its switches.
    pub fn switch(&mut self, number: usize) -> Option<&mut Machine<'a>> {
        self.switches.get_mut(number)
    }

    /// The same, to look at.
    pub fn machine(&self, number: usize) -> Option<&Machine<'a>> {
        self.switches.get(number)
    }

    /// The other end of a wire.
    pub fn other_end(&self, at: At) -> Option<At> {
        self.wires.get(&at).copied()
    }

    /// One strand of a fibre fails: a port hears nothing any more.
    pub fn deafen(&mut self, at: At) {
        self.deaf.insert(at);
    }

    /// Lets the spanning tree settle: the switch with the lowest priority is the root, of equals the one with the lowest address; each
    /// other one keeps its shortest way there, and of the other cables the end that is farther away is closed (IEEE 802.1Q, 13.9:
    /// root, designated and alternate ports). Cables with an end where no tree runs, or no BPDU is heard, stay open.
    pub fn settle_tree(&mut self) -> Known<()> {
        let cables: Vec<(At, At)> = self.wires.iter().filter(|(a, b)| a < b).map(|(a, b)| (*a, *b)).collect();
        if cables.len() < self.switches.len() {
            return Ok(());
        }
        let mut ranks = Vec::new();
        for machine in &self.switches {
            ranks.push((machine.tree_priority()?, machine.address()));
        }
        let Some(root) = (0..ranks.len()).min_by_key(|number| ranks.get(*number).copied()) else { return Ok(()) };
        let mut watched = Vec::new();
        for (a, b) in cables {
            if self.watches(a)? && self.watches(b)? {
                watched.push((a, b));
            }
        }
        let mut distances: BTreeMap<usize, usize> = [(root, 0)].into();
        let mut next = VecDeque::from([root]);
        while let Some(number) = next.pop_front() {
            let far = distances.get(&number).map_or(0, |distance| distance + 1);
            for (a, b) in &watched {
                for (here, there) in [(a, b), (b, a)] {
                    if here.0 == number && !distances.contains_key(&there.0) {
                        distances.insert(there.0, far);
                        next.push_back(there.0);
                    }
                }
            }
        }
        // A switch's root port: towards the nearest neighbour, of equals the one that ranks first, by its first port.
        let claim = |at: At| (distances.get(&at.0).copied().unwrap_or(usize::MAX), ranks.get(at.0).copied(), at.1);
        let mut ways: BTreeMap<usize, (At, At)> = BTreeMap::new();
        for (here, there) in watched.iter().flat_map(|(a, b)| [(*a, *b), (*b, *a)]) {
            if here.0 == root {
                continue;
            }
            let way = ways.entry(here.0).or_insert((here, there));
            if claim(there) < claim(way.1) {
                *way = (here, there);
            }
        }
        for (a, b) in watched {
            let (designated, other) = if claim(a) < claim(b) { (a, b) } else { (b, a) };
            let is_root_port = ways.get(&other.0).is_some_and(|(here, _)| *here == other);
            if !is_root_port
                && designated != other
                && let Some(machine) = self.switches.get_mut(other.0)
            {
                machine.close(other.1);
            }
        }
        Ok(())
    }

    /// Whether a tree runs on a port and hears its neighbour.
    fn watches(&self, at: At) -> Known<bool> {
        let Some(machine) = self.switches.get(at.0) else { return Ok(false) };
        Ok(machine.tree_runs(at.1)? && !machine.is_deaf(at.1)?)
    }

    /// Lets time pass everywhere.
    pub fn pass(&mut self, millis: Millis) -> Known<()> {
        self.switches.iter_mut().try_for_each(|machine| machine.pass(millis))?;
        self.gather();
        Ok(())
    }

    /// What has happened on all switches, in order; the first is the one that is rehearsed.
    pub fn story(&mut self) -> Vec<Told> {
        self.gather();
        self.story.clone()
    }

    fn gather(&mut self) {
        for (number, machine) in self.switches.iter_mut().enumerate() {
            let name = (number > 0).then(|| Arc::clone(machine.asked.switch().name()));
            let told = machine.take_story();
            self.story.extend(told.into_iter().map(|line| Told { switch: name.clone(), ..line }));
        }
    }

    /// A frame arrives at a port and goes no further than its switch.
    pub fn arrive(&mut self, at: At, frame: &Frame) -> Known<Trip> {
        let mut trip = Trip::default();
        if let Some(machine) = self.switches.get_mut(at.0) {
            trip.arrivals.push((at, machine.receive(at.1, frame)?));
        }
        self.gather();
        Ok(trip)
    }

    /// A host sends a frame into a port; it is followed to everybody who hears it.
    pub fn send(&mut self, at: At, frame: &Frame) -> Known<Trip> {
        let mut trip = Trip::default();
        let mut waiting = VecDeque::from([(at, frame.clone())]);
        while let Some((at, frame)) = waiting.pop_front() {
            if trip.arrivals.len() >= MOST {
                trip.circles = true;
                break;
            }
            let Some(machine) = self.switches.get_mut(at.0).filter(|_| !self.deaf.contains(&at)) else { continue };
            let arrival = machine.receive(at.1, &frame)?;
            if let Arrival::Forwarded(_, deliveries) = &arrival {
                for delivery in deliveries {
                    let out = (at.0, delivery.port);
                    match self.wires.get(&out) {
                        Some(next) => {
                            let (tags, relayed) = (delivery.tags.clone(), delivery.relayed);
                            waiting.push_back((*next, Frame { tags, relayed, ..frame.clone() }));
                        }
                        None => trip.heard.push((out, delivery.tags.clone())),
                    }
                }
            }
            trip.arrivals.push((at, arrival));
            self.gather();
        }
        Ok(trip)
    }
}

impl Trip {
    /// The first feature that stopped it, and where.
    pub fn stopped(&self) -> Option<(At, Because)> {
        self.arrivals.iter().find_map(|(at, arrival)| Some((*at, arrival.stopped_by()?)))
    }

    /// Whether a port that leads to a host gave it out.
    pub fn reaches(&self, at: At) -> bool {
        self.heard.iter().any(|(out, _)| *out == at)
    }
}
