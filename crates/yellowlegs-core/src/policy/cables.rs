//! The cables between the switches of a fleet: by the policy's list, then by what neighbours announce of themselves.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::{End, Outside, Policy};
use crate::model::{Fact, Switch, facts};
use crate::resolve::Resolved;

/// A port: switch and port by position, each as its teller counts them.
pub type At = (usize, usize);

/// A neighbour's name and port, as it announces them.
pub type Neighbour = (Arc<str>, Arc<str>);

/// What a switch tells of its cables.
pub struct Told<'a> {
    /// Its name in reports.
    pub switch: &'a str,
    /// The name configured on it.
    pub configured: Option<&'a str>,
    /// Its ports, each with the neighbour that is heard there.
    pub ports: Vec<(&'a str, Option<&'a Neighbour>)>,
    /// Ends of the policy's links: link, whether it is end a, position among `ports`.
    pub ends: &'a [(usize, bool, usize)],
}

/// The cables of a fleet.
#[derive(Debug, Default)]
pub struct Cables {
    /// Both ends of each, the first in path order first.
    pub all: Vec<(At, At)>,
    peers: BTreeMap<At, At>,
}

impl Cables {
    /// From the policy's list, then from what neighbours announce of themselves.
    pub fn of(switches: &[Told<'_>]) -> Self {
        let mut cables = Self::default();
        let mut ends: BTreeMap<usize, [Option<At>; 2]> = BTreeMap::new();
        for (number, told) in switches.iter().enumerate() {
            for (link, is_a, port) in told.ends {
                ends.entry(*link).or_default()[usize::from(*is_a)] = Some((number, *port));
            }
        }
        for [a, b] in ends.into_values() {
            if let (Some(a), Some(b)) = (a, b) {
                cables.add(a, b);
            }
        }
        let names = |(number, told): (usize, &Told<'_>)| {
            let configured = told.configured.map(|name| (name.to_owned(), number));
            configured.into_iter().chain([(told.switch.to_owned(), number)]).collect::<Vec<_>>()
        };
        let by_name: BTreeMap<String, usize> = switches.iter().enumerate().flat_map(names).collect();
        for (number, told) in switches.iter().enumerate() {
            for (port, (_, neighbour)) in told.ports.iter().enumerate() {
                let Some((name, their_port)) = neighbour else { continue };
                let Some(other) = by_name.get(&**name).copied().filter(|other| *other != number) else { continue };
                let theirs = switches[other].ports.iter().position(|(name, _)| *name == &**their_port);
                if let Some(theirs) = theirs {
                    cables.add((number, port), (other, theirs));
                }
            }
        }
        cables.all.sort_unstable();
        cables
    }

    fn add(&mut self, a: At, b: At) {
        if self.peers.contains_key(&a) || self.peers.contains_key(&b) {
            return;
        }
        self.peers.insert(a, b);
        self.peers.insert(b, a);
        self.all.push(if a < b { (a, b) } else { (b, a) });
    }

    /// The other end of a port's cable.
    pub fn peer(&self, at: At) -> Option<At> {
        self.peers.get(&at).copied()
    }

    /// The cables of a switch, each from its own end.
    pub fn of_switch(&self, switch: usize) -> impl Iterator<Item = (At, At)> + '_ {
        self.peers.range((switch, 0)..(switch + 1, 0)).map(|(a, b)| (*a, *b))
    }
}

impl Policy {
    /// The ports of a switch that one end names.
    fn named(end: &End, resolved: &Resolved) -> Vec<usize> {
        let switch = &resolved.switch;
        let text = end.port.as_ref().filter(|_| end.switch == **switch.name());
        text.and_then(|text| text.positions(switch, resolved.lists())).unwrap_or_default()
    }

    /// Ends of links that are on a switch: link, whether it is end a, port.
    pub fn ends_on(&self, resolved: &Resolved) -> Vec<(usize, bool, usize)> {
        let of_link = |(number, link): (usize, &super::Link)| {
            let ends = [(true, Some(&link.a)), (false, link.b.as_ref())];
            let ends = ends.into_iter().filter_map(|(is_a, end)| Some((is_a, end?)));
            let on = |(is_a, end)| Self::named(end, resolved).into_iter().map(move |port| (number, is_a, port));
            ends.flat_map(on).collect::<Vec<_>>()
        };
        self.links.iter().enumerate().flat_map(of_link).collect()
    }

    /// What is outside the fleet at an end of a link.
    pub fn outside(&self, link: usize) -> Option<&Arc<Outside>> {
        self.links.get(link)?.outside.as_ref()
    }

    /// What is outside the fleet at a port, with the link that says so.
    pub(crate) fn outside_at(&self, resolved: &Resolved, port: usize) -> Option<(&Outside, &super::Cite)> {
        let mut of_switch =
            self.outside.get(&**resolved.switch.name())?.iter().filter_map(|link| self.links.get(*link));
        let link = of_switch.find(|link| Self::named(&link.a, resolved).contains(&port))?;
        Some((link.outside.as_deref()?, &link.cite))
    }

    /// Authorised servers on a switch: entry, port; the switch itself when none.
    pub fn servers_on(&self, resolved: &Resolved) -> Vec<(usize, Option<usize>)> {
        let here = self.dhcp_servers.iter().enumerate().filter(|(_, s)| s.at.switch == **resolved.switch.name());
        here.map(|(entry, server)| (entry, Self::named(&server.at, resolved).first().copied())).collect()
    }
}

/// The neighbours that a switch hears, by port.
pub fn neighbours(switch: &Switch) -> BTreeMap<usize, Neighbour> {
    let told = |fact: &Fact| {
        let port = switch.port_index(fact.port()?)?;
        Some((port, (fact.get(facts::neighbour::NAME)?, fact.get(facts::neighbour::THEIR_PORT)?)))
    };
    switch.facts_of(facts::neighbour::FACT).filter_map(told).collect()
}
