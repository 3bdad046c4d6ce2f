//! Multicast: who is a member of what, who asks, and where a stream goes (IGMP: RFC 2236; MLD: RFC 2710; RFC 4541, 2.1 and 3).

use std::collections::BTreeMap;
use std::net::{IpAddr, Ipv6Addr};

use super::{Because, Machine, Millis};
use crate::drill::asked::Known;
use crate::drill::frame::{Frame, Payload, To};
use crate::model::{Key, Seconds, VlanId, settings};

/// A registered group.
#[derive(Debug, Clone, Default)]
pub(super) struct Group {
    /// Its members, each until when.
    members: BTreeMap<usize, Millis>,
    /// The how manieth report renewed it last.
    renewed: u64,
}

/// Groups of the link itself are always flooded (RFC 4541, 2.1.2); of IPv6 only all nodes, for the others are reported (RFC 4541, 3).
fn is_local(group: IpAddr) -> bool {
    match group {
        IpAddr::V4(group) => matches!(group.octets(), [224, 0, 0, _]),
        IpAddr::V6(group) => group == Ipv6Addr::new(0xff02, 0, 0, 0, 0, 0, 0, 1),
    }
}

/// Where a frame to a group goes.
pub(super) enum Reach {
    /// To every port of the VLAN.
    All,
    /// To these ports, as far as they are in the VLAN.
    Only(Vec<usize>),
}

impl Machine<'_> {
    /// Whether snooping acts in a VLAN on groups like this one: IGMP's on those of IPv4, MLD's on those of IPv6.
    pub fn watches(&self, vlan: VlanId, group: IpAddr) -> Known<bool> {
        if group.is_ipv4() { self.watches_groups(vlan) } else { self.asked.vlan(vlan, settings::MLD_SNOOPING) }
    }

    /// Whether IGMP snooping acts in a VLAN.
    pub fn watches_groups(&self, vlan: VlanId) -> Known<bool> {
        let (global, vlans) = (settings::MULTICAST, settings::MULTICAST_VLANS);
        self.acts(crate::model::platform::MULTICAST_SWITCHES, global, vlans, vlan)
    }

    /// How long a membership lasts that nobody renews (RFC 2236, 8.4): 2 × 125 s + 10 s by default.
    pub fn membership(&self, vlan: VlanId) -> Known<Millis> {
        let (robustness, interval, response) = self.query_times(vlan)?;
        Ok(robustness * interval + response)
    }

    /// How long a querier that fell silent is waited for (RFC 2236, 8.5): 2 × 125 s + 10 s ÷ 2 by default.
    pub fn querier_lasts(&self, vlan: VlanId) -> Known<Millis> {
        let (robustness, interval, response) = self.query_times(vlan)?;
        Ok(robustness * interval + response / 2)
    }

    fn query_times(&self, vlan: VlanId) -> Known<(Millis, Millis, Millis)> {
        let seconds = |key: Key<Seconds>| self.asked.vlan(vlan, key).map(Seconds::millis);
        let robustness = Millis::from(self.asked.vlan(vlan, settings::ROBUSTNESS)?);
        Ok((robustness, seconds(settings::QUERY_INTERVAL)?, seconds(settings::RESPONSE_INTERVAL)?))
    }

    /// How long a stream runs on after a leave, without fast leave (RFC 2236, 8.8 and 8.9): 1 s × 2 by default.
    pub fn leave_takes(&self, vlan: VlanId) -> Known<Millis> {
        let interval = self.asked.vlan(vlan, settings::LAST_MEMBER_INTERVAL)?;
        Ok(interval.millis() * Millis::from(self.asked.vlan(vlan, settings::LAST_MEMBER_COUNT)?))
    }

    /// Whether the switch itself asks for memberships in a VLAN: its querier is on, and has an address to ask from.
    pub fn asks_for_members(&self, vlan: VlanId) -> Known<bool> {
        if !self.asked.vlan(vlan, settings::QUERIER)? {
            return Ok(false);
        }
        match self.asked.switch_wide(settings::QUERIER_ADDRESS) {
            Ok(Some(_)) => Ok(true),
            general => Ok(self.asked.vlan(vlan, settings::VLAN_QUERIER_ADDRESS)?.is_some() || general?.is_some()),
        }
    }

    /// Whether a port is cut at the first leave.
    pub fn leaves_fast(&self, port: usize) -> Known<bool> {
        self.asked.port(port, settings::FAST_LEAVE)
    }

    /// Whether groups that nobody registered for are kept from ports that did not ask.
    pub fn filters_unregistered(&self) -> Known<bool> {
        self.asked.switch_wide(settings::FILTERING)
    }

    /// The members of a group now.
    pub fn members(&self, vlan: VlanId, group: impl Into<IpAddr>) -> Vec<usize> {
        let group = group.into();
        let ports = self.groups.get(&(vlan, group)).into_iter().flat_map(|group| &group.members);
        ports.filter(|(_, until)| **until > self.now).map(|(port, _)| *port).collect()
    }

    /// Queries, reports and leaves change who is a member, and where routers are.
    pub(super) fn hear_group(&mut self, port: usize, vlan: VlanId, frame: &Frame) -> Known<()> {
        // Nobody looks beneath a second tag.
        let payload = if frame.tags.is_empty() { frame.payload } else { Payload::Plain };
        let To::Group(to) = frame.to else { return Ok(()) };
        if !matches!(payload, Payload::Query(_) | Payload::Report(_) | Payload::Leave(_)) || !self.watches(vlan, to)? {
            return Ok(());
        }
        match payload {
            Payload::Report(group) if !is_local(group) => {
                let until = self.now + self.membership(vlan)?;
                let renewed = 1 + self.groups.values().map(|group| group.renewed).max().unwrap_or_default();
                let group = self.groups.entry((vlan, group)).or_default();
                group.renewed = renewed;
                group.members.insert(port, until);
                self.drop_left_groups();
                self.tell(port, "is a member of the group", None);
            }
            Payload::Leave(group) if self.leaves_fast(port)? => {
                self.groups.get_mut(&(vlan, group)).into_iter().for_each(|left| _ = left.members.remove(&port));
                self.drop_left_groups();
                let because = Because::of("multicast snooping", settings::FAST_LEAVE.id);
                self.tell(port, format_args!("is cut from {group} at once"), Some(because));
            }
            Payload::Leave(group) => {
                let until = self.now + self.leave_takes(vlan)?;
                let group = self.groups.get_mut(&(vlan, group));
                if let Some(lasts) = group.and_then(|group| group.members.get_mut(&port)) {
                    *lasts = until.min(*lasts);
                    let because = Because::of("multicast snooping", settings::LAST_MEMBER_INTERVAL.id).in_vlan(vlan);
                    self.tell(port, "is asked who is still in the group", Some(because));
                }
            }
            Payload::Query(None) if self.asked.vlan(vlan, settings::ROUTER_LEARNING)? => {
                let until = self.now + self.querier_lasts(vlan)?;
                self.routers.insert((vlan, port, to.is_ipv6() && !self.manner.one_router_list), until);
            }
            _ => {}
        }
        Ok(())
    }

    /// Groups without a member are registered no more.
    fn drop_left_groups(&mut self) {
        let now = self.now;
        let is_left = |group: &Group| group.members.values().all(|until| *until <= now);
        let older = self.groups.values().filter(|group| !is_left(group)).map(|group| group.renewed).min();
        let stay = self.manner.left_groups_stay;
        self.groups.retain(|_, group| !is_left(group) || stay && older.is_some_and(|older| older < group.renewed));
    }

    /// Whether a port is sent every group of a VLAN: a router port, written or learned.
    fn leads_to_router(&self, port: usize, vlan: VlanId, group: IpAddr) -> Known<bool> {
        let learned = self
            .routers
            .get(&(vlan, port, group.is_ipv6() && !self.manner.one_router_list))
            .is_some_and(|until| *until > self.now);
        Ok(learned || self.asked.port(port, settings::ROUTER_PORT)?)
    }

    /// Where a frame to a group goes: members and router ports; who is not registered for floods, or is filtered.
    pub(super) fn reach(&self, vlan: VlanId, frame: &Frame) -> Known<Reach> {
        let To::Group(group) = frame.to else { return Ok(Reach::All) };
        if !frame.tags.is_empty() {
            return Ok(Reach::All);
        }
        let about = match frame.payload {
            // Reports and leaves go to routers only, that members do not silence each other (RFC 4541, 2.1.1).
            Payload::Report(_) | Payload::Leave(_) => None,
            _ if is_local(group) => return Ok(Reach::All),
            _ => Some(group),
        };
        if !self.watches(vlan, group)? {
            return Ok(Reach::All);
        }
        if matches!(frame.payload, Payload::Query(_)) {
            return Ok(Reach::All);
        }
        let members = about.map(|group| self.members(vlan, group)).unwrap_or_default();
        let stays = self.manner.left_groups_stay && about.is_some_and(|group| self.groups.contains_key(&(vlan, group)));
        if about.is_some() && members.is_empty() && !stays && !self.filters_unregistered()? {
            return Ok(Reach::All);
        }
        let unregistered = about.is_some() && members.is_empty();
        let mut only = members;
        for port in 0..self.port_count() {
            if only.contains(&port) || !self.forwards(port) {
                continue;
            }
            // What another port does decides nothing about the one that is rehearsed.
            let routed = self.leads_to_router(port, vlan, group).unwrap_or(false);
            if routed || unregistered && self.asked.port(port, settings::FORWARD_ALL).unwrap_or(false) {
                only.push(port);
            }
        }
        Ok(Reach::Only(only))
    }
}
