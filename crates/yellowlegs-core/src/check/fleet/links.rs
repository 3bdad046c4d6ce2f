//! The layer-2 picture: which ports are each other's neighbours, and which switches a VLAN joins.

use std::collections::{BTreeMap, BTreeSet, VecDeque};

use super::digest::{Digest, PortDigest};
use crate::model::VlanId;
pub(in crate::check) use crate::policy::At;
use crate::policy::{Cables, Outside, Told};

/// The cables, and what they carry.
#[derive(Debug, Default)]
pub(in crate::check) struct Links {
    cables: Cables,
}

impl std::ops::Deref for Links {
    type Target = Cables;

    fn deref(&self) -> &Cables {
        &self.cables
    }
}

impl Links {
    /// From the policy's list, then from what neighbours announce of themselves.
    pub(in crate::check) fn of(switches: &[Digest]) -> Self {
        let told = |digest| Digest::told(digest);
        Self { cables: Cables::of(&switches.iter().map(told).collect::<Vec<Told<'_>>>()) }
    }

    /// The links of a switch that carry a VLAN at both ends.
    pub(in crate::check) fn carrying<'a>(
        &'a self,
        switches: &'a [Digest],
        switch: usize,
        vlan: VlanId,
    ) -> impl Iterator<Item = (At, At)> + 'a {
        self.of_switch(switch)
            .filter(move |(a, b)| port(switches, *a).carries(vlan) && port(switches, *b).carries(vlan))
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

    /// The first port of a switch that carries a VLAN on, and nobody knows where to.
    pub(in crate::check) fn open_end(&self, switches: &[Digest], switch: usize, vlan: VlanId) -> Option<At> {
        let mut ports = switches[switch].ports.iter().enumerate();
        let open = ports.find(|(number, port)| {
            let leads = port.faces.is_some_and(|f| f.is_bridge() || f == crate::policy::Faces::Router);
            leads && port.carries(vlan) && port.outside.is_none() && self.peer((switch, *number)).is_none()
        });
        open.map(|(number, _)| (switch, number))
    }

    /// What is outside the fleet at the ports of a switch that carry a VLAN there, each with its port.
    pub(in crate::check) fn outside<'a>(
        &'a self,
        switches: &'a [Digest],
        switch: usize,
        vlan: VlanId,
    ) -> impl Iterator<Item = (At, &'a Outside)> {
        let ports = switches[switch].ports.iter().enumerate().filter(move |(_, port)| port.carries(vlan));
        let with = ports.filter_map(move |(number, port)| Some(((switch, number), port.outside.as_deref()?)));
        with.filter(move |(at, outside)| outside.carries(vlan) && self.peer(*at).is_none())
    }
}

/// A port of the picture.
pub(in crate::check) fn port(switches: &[Digest], at: At) -> &PortDigest {
    &switches[at.0].ports[at.1]
}
