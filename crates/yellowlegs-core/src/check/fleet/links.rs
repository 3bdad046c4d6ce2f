//! The layer-2 picture: which ports are each other's neighbours, and which switches a VLAN joins.

use std::cell::RefCell;
use std::collections::{BTreeMap, HashMap};
use std::rc::Rc;

use super::digest::{Digest, PortDigest};
use super::joined::Joined;
use crate::model::VlanId;
pub(in crate::check) use crate::policy::At;
use crate::policy::{Cables, Outside, Told};

/// The cables, and what they carry.
#[derive(Debug, Default)]
pub(in crate::check) struct Links {
    cables: Cables,
    /// What each VLAN joins, as far as somebody asked.
    of_vlan: RefCell<BTreeMap<VlanId, Rc<Joined>>>,
    /// The same by the cables that carry it.
    walks: RefCell<HashMap<Vec<usize>, Rc<Joined>>>,
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
        Self { cables: Cables::of(&switches.iter().map(told).collect::<Vec<Told<'_>>>()), ..Self::default() }
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

    /// What a VLAN joins. VLANs that the same cables carry are walked once.
    pub(in crate::check) fn joined(&self, switches: &[Digest], vlan: VlanId) -> Rc<Joined> {
        if let Some(known) = self.of_vlan.borrow().get(&vlan) {
            return Rc::clone(known);
        }
        let carries = |(a, b): &(At, At)| port(switches, *a).carries(vlan) && port(switches, *b).carries(vlan);
        let carrying: Vec<usize> = (0..self.all.len()).filter(|cable| carries(&self.all[*cable])).collect();
        let mut walks = self.walks.borrow_mut();
        let joined = walks.entry(carrying).or_insert_with_key(|carrying| {
            let ends = carrying.iter().map(|cable| (self.all[*cable].0.0, self.all[*cable].1.0));
            Rc::new(Joined::of(switches.len(), ends))
        });
        self.of_vlan.borrow_mut().insert(vlan, Rc::clone(joined));
        Rc::clone(joined)
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
