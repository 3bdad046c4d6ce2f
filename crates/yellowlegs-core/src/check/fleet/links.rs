//! The layer-2 picture: which ports are each other's neighbours, and which switches a VLAN joins.

use std::collections::{BTreeMap, BTreeSet, VecDeque};

use super::digest::{Digest, PortDigest};
use crate::model::VlanId;

/// A port: switch and port by position.
pub(in crate::check) type At = (usize, usize);

/// The cables between switches of the fleet.
#[derive(Debug, Default)]
pub(in crate::check) struct Links {
    /// Both ends of each, the first in path order first.
    pub(in crate::check) all: Vec<(At, At)>,
    peers: BTreeMap<At, At>,
}

impl Links {
    /// From the policy's list, then from what neighbours announce of themselves.
    pub(in crate::check) fn of(switches: &[Digest]) -> Self {
        let mut links = Self::default();
        let mut ends: BTreeMap<usize, [Option<At>; 2]> = BTreeMap::new();
        for (number, digest) in switches.iter().enumerate() {
            for (link, is_a, port) in &digest.ends {
                ends.entry(*link).or_default()[usize::from(!is_a)] = Some((number, *port));
            }
        }
        for [a, b] in ends.into_values() {
            if let (Some(a), Some(b)) = (a, b) {
                links.add(a, b);
            }
        }
        let by_name: BTreeMap<&str, usize> = switches
            .iter()
            .enumerate()
            .flat_map(|(number, digest)| {
                let configured = digest.configured.as_deref().map(|name| (name, number));
                configured.into_iter().chain([(&*digest.switch, number)])
            })
            .collect();
        for (number, digest) in switches.iter().enumerate() {
            for (port, told) in digest.ports.iter().enumerate() {
                let Some((name, their_port)) = &told.neighbour else { continue };
                let Some(other) = by_name.get(&**name).copied().filter(|other| *other != number) else { continue };
                let theirs = switches[other].ports.iter().position(|p| p.name == *their_port);
                if let Some(theirs) = theirs {
                    links.add((number, port), (other, theirs));
                }
            }
        }
        links.all.sort_unstable();
        links
    }

    fn add(&mut self, a: At, b: At) {
        if self.peers.contains_key(&a) || self.peers.contains_key(&b) {
            return;
        }
        self.peers.insert(a, b);
        self.peers.insert(b, a);
        self.all.push(if a < b { (a, b) } else { (b, a) });
    }

    /// The other end of a port's link.
    pub(in crate::check) fn peer(&self, at: At) -> Option<At> {
        self.peers.get(&at).copied()
    }

    /// The links of a switch that carry a VLAN at both ends.
    pub(in crate::check) fn carrying<'a>(
        &'a self,
        switches: &'a [Digest],
        switch: usize,
        vlan: VlanId,
    ) -> impl Iterator<Item = (At, At)> + 'a {
        let of_switch = self.peers.range((switch, 0)..(switch + 1, 0)).map(|(a, b)| (*a, *b));
        of_switch.filter(move |(a, b)| port(switches, *a).carries(vlan) && port(switches, *b).carries(vlan))
    }

    /// By switch: how many links it is away from some switches in a VLAN, without going through one of them.
    pub(in crate::check) fn distances(
        &self,
        switches: &[Digest],
        from: &BTreeSet<usize>,
        vlan: VlanId,
        without: Option<usize>,
    ) -> BTreeMap<usize, usize> {
        let mut distances: BTreeMap<usize, usize> = from.iter().map(|s| (*s, 0)).collect();
        let mut next: VecDeque<usize> = from.iter().copied().collect();
        while let Some(switch) = next.pop_front() {
            let so_far = distances.get(&switch).copied().unwrap_or_default();
            for (_, (other, _)) in self.carrying(switches, switch, vlan) {
                if Some(other) != without && !distances.contains_key(&other) {
                    distances.insert(other, so_far + 1);
                    next.push_back(other);
                }
            }
        }
        distances
    }

    /// The switches that a VLAN joins with one.
    pub(in crate::check) fn domain(&self, switches: &[Digest], switch: usize, vlan: VlanId) -> BTreeSet<usize> {
        self.distances(switches, &[switch].into(), vlan, None).into_keys().collect()
    }

    /// Whether a port of a switch carries a VLAN on, and nobody knows where to.
    pub(in crate::check) fn is_open(&self, switches: &[Digest], switch: usize, vlan: VlanId) -> bool {
        let ports = switches[switch].ports.iter().enumerate();
        ports.into_iter().any(|(number, port)| {
            let leads = port.faces.is_some_and(|f| f.is_bridge() || f == crate::policy::Faces::Router);
            leads && port.carries(vlan) && self.peer((switch, number)).is_none()
        })
    }
}

/// A port of the picture.
pub(in crate::check) fn port(switches: &[Digest], at: At) -> &PortDigest {
    &switches[at.0].ports[at.1]
}
