//! What a check sees of a switch.

use std::sync::Arc;

use jiff::Timestamp;
use jiff::civil::Date;

use super::{PortView, Unknown};
use crate::model::{
    Key, Mark, Setting, SettingId, SettingType, Slot, Switch, TraitId, Value, VlanId, VlanSet, platform, settings,
};
use crate::policy::{AsOf, Assigned, Assignment, Policy};
use crate::resolve::Resolved;

/// One switch, the roles of its ports, and the policy.
#[derive(Clone, Copy)]
pub struct SwitchView<'a> {
    resolved: &'a Resolved,
    policy: &'a Policy,
    roles: &'a Assignment,
    today: Date,
    now: Timestamp,
}

impl<'a> SwitchView<'a> {
    /// The view of a switch with the roles of its ports.
    pub fn new(resolved: &'a Resolved, policy: &'a Policy, roles: &'a Assignment, as_of: &AsOf) -> Self {
        Self { resolved, policy, roles, today: as_of.date(), now: as_of.moment() }
    }

    /// The day it is judged at.
    pub fn today(&self) -> Date {
        self.today
    }

    /// The moment it is judged at.
    pub fn now(&self) -> Timestamp {
        self.now
    }

    /// One of its ports.
    pub fn port(self, port: usize) -> PortView<'a> {
        PortView::new(self, port)
    }

    /// The switch.
    pub fn switch(&self) -> &'a Switch {
        &self.resolved.switch
    }

    /// The policy.
    pub fn policy(&self) -> &'a Policy {
        self.policy
    }

    pub(super) fn resolved(&self) -> &'a Resolved {
        self.resolved
    }

    /// The role of a port, with what told it.
    pub fn assigned(&self, port: usize) -> Option<Assigned> {
        self.roles.ports.get(port).copied().flatten()
    }

    /// Its ports.
    pub fn ports(self) -> impl Iterator<Item = PortView<'a>> {
        (0..self.switch().ports().len()).map(move |port| PortView::new(self, port))
    }

    /// The first of the ports that have one role and the same in force as this one.
    pub(super) fn first_alike(&self, port: usize) -> usize {
        self.roles.alike.get(port).copied().unwrap_or(port)
    }

    /// Its ports, of those that are alike the first: for what hangs on role and settings alone.
    pub fn unlike_ports(self) -> impl Iterator<Item = PortView<'a>> {
        let first = move |port: &usize| self.first_alike(*port) == *port;
        (0..self.switch().ports().len()).filter(first).map(move |port| PortView::new(self, port))
    }

    /// A setting of the switch.
    pub fn setting<T: SettingType>(&self, key: Key<T>) -> Setting<T> {
        self.switch().setting(None, key)
    }

    /// The same without its type.
    pub fn slot(&self, id: SettingId) -> &'a Slot {
        self.switch().slot(None, id)
    }

    /// A setting's value; unknown leaves through `?`.
    pub fn known<T: SettingType>(&self, key: Key<T>) -> Result<T, Unknown> {
        self.slot(key.id).value.as_ref().and_then(T::read).ok_or_else(|| Unknown::fact(key.id.name()))
    }

    /// A setting of a VLAN.
    pub fn of_vlan<T: SettingType>(&self, vlan: VlanId, key: Key<T>) -> Result<T, Unknown> {
        let value = self.switch().vlan_slot(vlan, key.id).value.as_ref().and_then(T::read);
        value.ok_or_else(|| Unknown::fact(key.id.name()))
    }

    /// A word of one of the platform's traits.
    pub fn platform(&self, id: TraitId, word: &str) -> Result<bool, Unknown> {
        self.switch().traits().holds(id, word).ok_or_else(|| Unknown::fact(id.info().name))
    }

    /// Whether DHCP snooping is in force in a VLAN: every switch it needs is thrown.
    pub fn snooping_in_force(&self, vlan: VlanId) -> Result<bool, Unknown> {
        let covered = self.covered(platform::SNOOPING_SWITCHES, settings::SNOOPING, settings::SNOOPING_VLANS)?;
        Ok(covered.contains(vlan))
    }

    /// The VLANs a feature with a global switch and one for each VLAN acts in: all that it needs are thrown.
    pub fn covered(
        &self,
        switches: TraitId,
        global: Key<bool>,
        vlans: Key<Arc<VlanSet>>,
    ) -> Result<Arc<VlanSet>, Unknown> {
        if self.platform(switches, "global")? && !self.known(global)? {
            return Ok(Arc::default());
        }
        if self.platform(switches, "vlan")? { self.known(vlans) } else { Ok(Arc::new(VlanSet::all())) }
    }

    /// The line that put a VLAN into a list of the switch.
    pub fn line_that_added(&self, setting: SettingId, vlan: VlanId) -> Option<Mark> {
        let holds = |value: &Value| matches!(value, Value::Vlans(set) if set.contains(vlan));
        self.resolved.line_that_brought(None, setting, holds)
    }
}
