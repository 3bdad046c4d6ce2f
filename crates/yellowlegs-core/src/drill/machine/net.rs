//! Switches joined by wires: what leaves one arrives at the next, until it reaches a host, is stopped, or has circled for long.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::sync::Arc;

use super::arrival::Tags;
use super::wires::{Due, Talk};
use super::{Arrival, Because, Machine, Told};
use crate::drill::asked::Known;
use crate::drill::frame::Frame;
use crate::model::StationAddress;
use crate::sorted;

/// A port of a net: switch and port by position.
pub type At = (usize, usize);

/// So many arrivals of one frame, and it circles.
const MOST: usize = 1000;
/// So many lines a story has at most.
const LINES: usize = 10_000;
/// So many of them are told.
const TOLD: usize = 24;

/// Switches and the wires between them.
pub struct Net<'a> {
    pub(super) switches: Vec<Machine<'a>>,
    pub(super) wires: BTreeMap<At, At>,
    /// Strands that are broken: nothing arrives at these ports.
    pub(super) deaf: BTreeSet<At>,
    /// Ports that the tree keeps closed.
    closed: BTreeSet<At>,
    /// What goes over wires that were patched, and when next.
    pub(super) talks: Vec<Talk>,
    /// What detection of one-way links will do, and when.
    pub(super) due: Vec<Due>,
    story: Vec<Told>,
}

/// What became of a frame in a net.
#[derive(Debug, Clone, Default)]
pub struct Trip {
    /// Each arrival at a switch, in order.
    pub arrivals: Vec<(At, Arrival)>,
    /// Ports without a wire that it left by, each with its tags.
    pub heard: Vec<(At, Tags)>,
    /// It went on for ever.
    pub circles: bool,
}

impl<'a> Net<'a> {
    /// Of switches, with their wires.
    pub fn new(switches: Vec<Machine<'a>>, wires: impl IntoIterator<Item = (At, At)>) -> Self {
        let both = wires.into_iter().flat_map(|(a, b)| [(a, b), (b, a)]).collect();
        let (deaf, closed) = (BTreeSet::new(), BTreeSet::new());
        Self { switches, wires: both, deaf, closed, talks: Vec::new(), due: Vec::new(), story: Vec::new() }
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

    /// Lets the spanning tree settle, at first and whenever wires have changed. A port that it opens again forwards after a wait.
    pub fn settle_tree(&mut self) -> Known<()> {
        let closed = self.closed_by_tree()?;
        for at in closed.difference(&self.closed.clone()) {
            self.switches.get_mut(at.0).into_iter().for_each(|machine| machine.close(at.1));
        }
        for at in self.closed.difference(&closed) {
            let Some(machine) = self.switches.get_mut(at.0) else { continue };
            machine.opens_for_lost(at.1)?;
        }
        self.closed = closed;
        self.gather();
        Ok(())
    }

    /// The ports that the tree keeps closed: the switch with the lowest priority is the root, of equals the one with the lowest
    /// address, in each part of the net; each other one keeps its shortest way there, and of the other cables the end that is farther away is closed (IEEE
    /// 802.1Q, 13.9: root, designated and alternate ports). Cables with an end where no tree runs, or no BPDU is heard, stay open.
    fn closed_by_tree(&mut self) -> Known<BTreeSet<At>> {
        let mut closed = BTreeSet::new();
        let is_up = |at: &At| {
            self.machine(at.0).is_some_and(|machine| machine.has_link(at.1) && machine.held_by(at.1).is_none())
        };
        let all = self.wires.iter().filter(|(a, b)| a < b && is_up(a) && is_up(b));
        let cables: Vec<(At, At)> = all.map(|(a, b)| (*a, *b)).collect();
        let ranks = self.switches.iter().map(|machine| Ok((machine.tree_priority()?, machine.address())));
        let ranks: Known<Vec<_>> = ranks.collect();
        if let Ok(ranks) = &ranks {
            let root = ranks.iter().min().copied();
            self.switches.iter_mut().for_each(|machine| machine.root = root);
        }
        if !has_ring(&cables) {
            return Ok(closed);
        }
        let ranks = ranks?;
        let mut watched = Vec::new();
        for (a, b) in cables {
            if self.watches(a)? && self.watches(b)? {
                watched.push((a, b));
            }
        }
        let distances = distances(&watched, &ranks);
        // A switch's root port: towards the nearest neighbour, of equals the one that ranks first, by its first port.
        let claim = |at: At| (distances.get(&at.0).copied().unwrap_or(usize::MAX), ranks.get(at.0).copied(), at.1);
        let mut ways: BTreeMap<usize, (At, At)> = BTreeMap::new();
        for (here, there) in watched.iter().flat_map(|(a, b)| [(*a, *b), (*b, *a)]) {
            if distances.get(&here.0) == Some(&0) {
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
            if !is_root_port && designated != other {
                closed.insert(other);
            }
        }
        Ok(closed)
    }

    /// Whether a tree runs on a port and hears its neighbour.
    fn watches(&self, at: At) -> Known<bool> {
        let Some(machine) = self.switches.get(at.0) else { return Ok(false) };
        Ok(machine.tree_runs(at.1)? && !machine.is_deaf(at.1)?)
    }

    /// What has happened on all switches, in order; the first is the one that is rehearsed.
    pub fn story(&mut self) -> Vec<Told> {
        self.gather();
        self.story.clone()
    }

    /// How many lines the story has.
    pub(super) fn told(&mut self) -> usize {
        self.gather();
        self.story.len()
    }

    /// The story after so many lines is not worth telling.
    pub(super) fn forget_story_after(&mut self, lines: usize) {
        self.gather();
        self.story.truncate(lines);
    }

    /// A switch has just come up: nothing is closed there yet.
    pub(super) fn forget_closed(&mut self, number: usize) {
        self.closed.retain(|at| at.0 != number);
    }

    pub(super) fn gather(&mut self) {
        let before = self.story.len();
        for (number, machine) in self.switches.iter_mut().enumerate() {
            let name = (number > 0).then(|| Arc::clone(machine.asked.switch().name()));
            let told = machine.take_story();
            self.story.extend(told.into_iter().map(|line| Told { switch: name.clone(), ..line }));
        }
        // While time passed on one switch it did on all.
        self.story.get_mut(before..).into_iter().for_each(|new| sorted::by_key(new, |line| line.at));
        // What goes on for days is told as long as anybody may read it.
        self.story.truncate(LINES);
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
            if trip.arrivals.len() == TOLD {
                self.tell_all(false);
            }
            let Some(machine) = self.switches.get_mut(at.0).filter(|_| !self.deaf.contains(&at)) else { continue };
            let arrival = machine.receive(at.1, &frame)?;
            if let Arrival::Forwarded(_, deliveries) = &arrival {
                for delivery in deliveries {
                    let out = (at.0, delivery.port);
                    match self.wires.get(&out) {
                        Some(next) => {
                            let (tags, relayed) = (delivery.tags.to_vec(), delivery.relayed);
                            waiting.push_back((*next, Frame { tags, relayed, ..frame.clone() }));
                        }
                        None => trip.heard.push((out, Tags::clone(&delivery.tags))),
                    }
                }
            }
            trip.arrivals.push((at, arrival));
            self.gather();
        }
        self.tell_all(true);
        if let (true, Some(machine)) = (trip.circles, self.switches.get_mut(at.0)) {
            machine.tell(at.1, format_args!("{frame}: it circles, and nothing ends it"), None);
            self.gather();
        }
        Ok(trip)
    }

    fn tell_all(&mut self, tells: bool) {
        self.switches.iter_mut().for_each(|machine| machine.tells = tells);
    }
}

/// How many cables each switch is from the root: the one that ranks first of those that are joined.
fn distances(cables: &[(At, At)], ranks: &[(u32, StationAddress)]) -> BTreeMap<usize, usize> {
    let mut by_rank: Vec<(_, usize)> = ranks.iter().zip(0..).collect();
    sorted::plain(&mut by_rank);
    let mut distances: BTreeMap<usize, usize> = BTreeMap::new();
    for (_, root) in by_rank {
        if distances.contains_key(&root) {
            continue;
        }
        distances.insert(root, 0);
        let mut next = VecDeque::from([root]);
        while let Some(number) = next.pop_front() {
            let far = distances.get(&number).map_or(0, |distance| distance + 1);
            for (here, there) in cables.iter().flat_map(|(a, b)| [(a, b), (b, a)]) {
                if here.0 == number && !distances.contains_key(&there.0) {
                    distances.insert(there.0, far);
                    next.push_back(there.0);
                }
            }
        }
    }
    distances
}

/// Whether a cable joins what others join already.
fn has_ring(cables: &[(At, At)]) -> bool {
    let mut joined: BTreeMap<usize, usize> = BTreeMap::new();
    cables.iter().any(|((a, _), (b, _))| {
        let of = |joined: &BTreeMap<usize, usize>, number: usize| joined.get(&number).copied().unwrap_or(number);
        let (one, other) = (of(&joined, *a), of(&joined, *b));
        joined.extend([(*a, one), (*b, other)]);
        joined.values_mut().filter(|part| **part == other).for_each(|part| *part = one);
        one == other
    })
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
