//! The cables between the switches of a fleet: by the policy's list, then by what neighbours announce of themselves.

use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use super::{End, Outside, Policy};
use crate::model::{Fact, Switch, facts};
use crate::resolve::Resolved;
use crate::sorted;

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
    /// Each from both ends, in their order.
    ends: Vec<(At, At)>,
    /// Where those of a switch begin.
    begins: Vec<usize>,
}

/// The cables so far.
#[derive(Default)]
struct Pairs {
    ends: Vec<(At, At)>,
    taken: FxHashSet<At>,
}

impl Cables {
    /// From the policy's list, then from what neighbours announce of themselves.
    pub fn of(switches: &[Told<'_>]) -> Self {
        let mut pairs = Pairs::default();
        let links = switches.iter().flat_map(|told| told.ends).map(|(link, ..)| link + 1).max().unwrap_or(0);
        let mut ends: Vec<[Option<At>; 2]> = vec![[None; 2]; links];
        for (number, told) in switches.iter().enumerate() {
            for (link, is_a, port) in told.ends {
                ends[*link][usize::from(*is_a)] = Some((number, *port));
            }
        }
        for [a, b] in ends {
            if let (Some(a), Some(b)) = (a, b) {
                pairs.add(a, b);
            }
        }
        let hears = switches.iter().any(|told| told.ports.iter().any(|(_, neighbour)| neighbour.is_some()));
        let names = |(number, told)| {
            let Told { switch, configured, .. }: &Told<'_> = told;
            configured.filter(|name| name != switch).into_iter().chain([*switch]).map(move |name| (name, number))
        };
        let by_name: FxHashMap<&str, usize> =
            if hears { switches.iter().enumerate().flat_map(names).collect() } else { FxHashMap::default() };
        for (number, told) in switches.iter().enumerate() {
            for (port, (_, neighbour)) in told.ports.iter().enumerate() {
                let Some((name, their_port)) = neighbour else { continue };
                let Some(other) = by_name.get(&**name).copied().filter(|other| *other != number) else { continue };
                let theirs = switches[other].ports.iter().position(|(name, _)| *name == &**their_port);
                if let Some(theirs) = theirs {
                    pairs.add((number, port), (other, theirs));
                }
            }
        }
        let mut ends = pairs.ends;
        sorted::plain(&mut ends);
        // A port that is both ends of its cable.
        ends.dedup();
        let begins = (0..=switches.len()).map(|number| ends.partition_point(|(at, _)| at.0 < number)).collect();
        Self { all: ends.iter().filter(|(a, b)| a <= b).copied().collect(), ends, begins }
    }

    fn on(&self, switch: usize) -> &[(At, At)] {
        let of = |number: usize| self.begins.get(number).copied().unwrap_or(self.ends.len());
        self.ends.get(of(switch)..of(switch + 1)).unwrap_or_default()
    }

    /// The other end of a port's cable.
    pub fn peer(&self, at: At) -> Option<At> {
        let ends = self.on(at.0);
        let found = ends.binary_search_by_key(&at, |(own, _)| *own).ok()?;
        ends.get(found).map(|(_, other)| *other)
    }

    /// The cables of a switch, each from its own end.
    pub fn of_switch(&self, switch: usize) -> impl Iterator<Item = (At, At)> + '_ {
        self.on(switch).iter().copied()
    }
}

impl Pairs {
    /// A port has one cable: the first that is told of counts.
    fn add(&mut self, a: At, b: At) {
        if !self.taken.contains(&a) && !self.taken.contains(&b) {
            self.taken.extend([a, b]);
            self.ends.extend([(a, b), (b, a)]);
        }
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
        let of_link = |number: usize| {
            let Some(link) = self.links.get(number) else { return Vec::new() };
            let ends = [(true, Some(&link.a)), (false, link.b.as_ref())];
            let ends = ends.into_iter().filter_map(|(is_a, end)| Some((is_a, end?)));
            let on = |(is_a, end)| Self::named(end, resolved).into_iter().map(move |port| (number, is_a, port));
            ends.flat_map(on).collect::<Vec<_>>()
        };
        self.by_switch.links.on(resolved.switch.name()).into_iter().flat_map(of_link).collect()
    }

    /// What is outside the fleet at an end of a link.
    pub fn outside(&self, link: usize) -> Option<&Arc<Outside>> {
        self.links.get(link)?.outside.as_ref()
    }

    /// Whether some link of a switch leads out of the fleet.
    pub(crate) fn leads_outside(&self, switch: &str) -> bool {
        let links = self.by_switch.links.on(switch);
        links.into_iter().filter_map(|link| self.links.get(link)).any(|link| link.outside.is_some())
    }

    /// What is outside the fleet at a port, with the link that says so.
    pub(crate) fn outside_at(&self, resolved: &Resolved, port: usize) -> Option<(&Outside, &super::Cite)> {
        let mut of_switch =
            self.by_switch.links.on(resolved.switch.name()).into_iter().filter_map(|link| self.links.get(link));
        let link = of_switch.find(|link| link.outside.is_some() && Self::named(&link.a, resolved).contains(&port))?;
        Some((link.outside.as_deref()?, &link.cite))
    }

    /// Authorised servers on a switch: entry, port; the switch itself when none.
    pub fn servers_on(&self, resolved: &Resolved) -> Vec<(usize, Option<usize>)> {
        let here = self.by_switch.servers.on(resolved.switch.name()).into_iter();
        let here = here.filter_map(|entry| Some((entry, self.dhcp_servers.get(entry)?)));
        here.map(|(entry, server)| (entry, Self::named(&server.at, resolved).first().copied())).collect()
    }
}

/// The neighbours that a switch hears, by port.
pub fn neighbours(switch: &Switch) -> sorted::Map<usize, Neighbour> {
    let told = |fact: &Fact| {
        let port = switch.port_index(fact.port()?)?;
        Some((port, (fact.get(facts::neighbour::NAME)?, fact.get(facts::neighbour::THEIR_PORT)?)))
    };
    sorted::map(switch.facts_of(facts::neighbour::FACT).filter_map(told))
}
