//! What is lost: bindings that were cleared or not written yet, pins and settings that were not saved.

use std::net::Ipv4Addr;

use super::{Because, Binding, Machine};
use crate::drill::asked::Known;
use crate::model::SavedCopy;
use crate::model::{Scope, SettingId, StationAddress, Switch, VlanId, settings};

/// What a restart takes.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Lost {
    /// Settings of the port and the switch that are not as they were saved; none: nobody knows what was saved.
    pub unsaved: Option<Vec<SettingId>>,
    /// Stations of the port that were pinned and not saved.
    pub pins: usize,
    /// Bindings of the port that were not written.
    pub bindings: usize,
}

impl Machine<'_> {
    /// A binding that is made now.
    pub(super) fn binding_of(&self, port: usize, address: Ipv4Addr) -> Binding {
        Binding { port, address, ends: self.leases.map(|lasts| self.now + lasts) }
    }

    /// Whether the lease of a binding runs still.
    pub(super) fn lasts(&self, binding: &Binding) -> bool {
        binding.ends.is_none_or(|ends| ends > self.now)
    }

    /// The binding of a station.
    pub(super) fn binding(&self, station: StationAddress, vlan: VlanId) -> Option<Binding> {
        self.bindings.get(&(station, vlan)).copied().filter(|binding| self.lasts(binding))
    }

    /// The client gives its address back.
    pub(super) fn drop_binding(&mut self, station: StationAddress, vlan: VlanId) {
        if let Some(binding) = self.bindings.remove(&(station, vlan)) {
            self.tell(binding.port, format_args!("no binding any more: {station}"), None);
            self.write_soon();
        }
    }

    /// Keeps a binding, and remembers that it is to be written.
    pub(super) fn keep_binding(&mut self, station: StationAddress, vlan: VlanId, binding: Binding) {
        self.bindings.insert((station, vlan), binding);
        self.tell(binding.port, format_args!("a binding: {station} has {}", binding.address), None);
        self.write_soon();
    }

    /// The delay runs from the first change that is not written.
    fn write_soon(&mut self) {
        if self.store_due.is_none()
            && self.asked.switch_wide(settings::SNOOPING_STORE) == Ok(true)
            && let Ok(delay) = self.asked.switch_wide(settings::STORE_DELAY)
        {
            self.store_due = Some(self.now + delay.millis());
        }
    }

    /// Writes the bindings when that is due.
    pub(super) fn write_bindings(&mut self) {
        if self.store_due.is_some_and(|due| due <= self.now) {
            self.stored.clone_from(&self.bindings);
            self.store_due = None;
        }
    }

    /// Somebody empties the table of bindings.
    pub fn clear_bindings(&mut self, port: usize) {
        self.bindings.clear();
        self.tell(port, "the bindings are cleared", Some(Because::of("DHCP snooping", settings::SNOOPING_VLANS.id)));
    }

    /// The power is cut and comes back: what was not written is lost, links come up anew. What is told is of one port.
    pub fn restart(&mut self, port: usize) -> Known<Lost> {
        let unsaved = self.unsaved(port);
        let pinning = self.is_secured(port)? && self.pins(port)?;
        let learned = self.admitted_on(port);
        let before = self.bindings.values().filter(|b| b.port == port).count();
        self.asked.switch_wide(settings::SNOOPING_STORE)?;
        let stored = self.stored.values().filter(|b| b.port == port).count();
        let lost = Lost { unsaved, pins: if pinning { learned } else { 0 }, bindings: before.saturating_sub(stored) };
        self.bindings.clone_from(&self.stored);
        self.store_due = None;
        self.table.clear();
        self.groups.clear();
        self.routers.clear();
        self.tell(port, "the power is cut, and comes back", None);
        let links: Vec<bool> = self.ports.iter().map(|p| p.link).collect();
        self.ports.fill(super::Port::default());
        self.down.clear();
        self.heard.clear();
        for (other, _) in links.iter().enumerate().filter(|(other, link)| **link && *other != port) {
            self.settle(other);
        }
        self.link_up(port)?;
        Ok(lost)
    }

    /// The settings in which the saved configuration differs.
    fn unsaved(&self, port: usize) -> Option<Vec<SettingId>> {
        let switch = self.asked.switch();
        let SavedCopy::Read(saved) = switch.saved() else { return None };
        switch.ports().get(port)?;
        let differs = |id: &SettingId| switch.slot(None, *id).value != saved.slot(None, *id).value;
        Some(unsaved_on(switch, saved, port).chain(SettingId::of(Scope::Switch).filter(differs)).collect())
    }
}

/// The settings of a port in which the saved configuration differs; of a port that it does not have, all.
pub(in crate::drill) fn unsaved_on(switch: &Switch, saved: &Switch, port: usize) -> impl Iterator<Item = SettingId> {
    let there = switch.ports().get(port).and_then(|name| saved.port_index(name.as_str()));
    SettingId::of(Scope::Port)
        .filter(move |id| there.is_none() || switch.slot(Some(port), *id).value != saved.slot(there, *id).value)
}
