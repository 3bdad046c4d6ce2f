//! What a check sees of a switch.

use std::sync::Arc;

use jiff::civil::Date;
use jiff::{SignedDuration, Timestamp};

use super::questions::{Notes, Question};
use super::{PortView, Unknown};
use crate::model::{
    Key, Mark, Requirement, Seconds, Setting, SettingId, SettingType, Slot, Switch, TraitId, Traits, Value, VlanId,
    VlanSet, platform, settings,
};
use crate::policy::{AsOf, Assigned, Assignment, Policy, Purpose, SiteVlan};
use crate::resolve::Resolved;

/// One switch, the roles of its ports, and the policy.
#[derive(Clone, Copy)]
pub struct SwitchView<'a> {
    resolved: &'a Resolved,
    policy: &'a Policy,
    roles: &'a Assignment,
    today: Date,
    now: Timestamp,
    /// State that was taken before is too old to be believed.
    believed_from: Timestamp,
    /// Where it is noted what the checks of a port ask of the switch.
    notes: Option<&'a Notes>,
}

impl<'a> SwitchView<'a> {
    /// The view of a switch with the roles of its ports.
    pub fn new(resolved: &'a Resolved, policy: &'a Policy, roles: &'a Assignment, as_of: &AsOf) -> Self {
        let (now, Seconds(most)) = (as_of.moment(), policy.site.state_age.value);
        let believed_from = now.saturating_sub(SignedDuration::from_secs(most.into())).unwrap_or(Timestamp::MIN);
        Self { resolved, policy, roles, today: as_of.date(), now, believed_from, notes: None }
    }

    /// The same with notes of what is asked of it.
    pub(super) fn noting(self, notes: &'a Notes) -> Self {
        Self { notes: Some(notes), ..self }
    }

    /// The same without notes.
    pub(super) fn without_notes(self) -> Self {
        Self { notes: None, ..self }
    }

    /// Notes a question whose answer other switches may share.
    pub(super) fn note(&self, question: Question) {
        self.note_with(|| question);
    }

    /// The same, made only where notes are taken.
    #[inline]
    pub(super) fn note_with(&self, question: impl FnOnce() -> Question) {
        if let Some(notes) = self.notes {
            notes.note(question());
        }
    }

    /// Its notes: that something was asked which is no question of theirs.
    pub(super) fn note_beyond(&self) {
        if let Some(notes) = self.notes {
            notes.note_beyond();
        }
    }

    /// The switch, for what is noted already.
    pub(super) fn unnoted(&self) -> &'a Switch {
        &self.resolved.switch
    }

    /// The day it is judged at.
    pub fn today(&self) -> Date {
        self.today
    }

    /// The moment it is judged at.
    pub fn now(&self) -> Timestamp {
        self.now
    }

    /// State that was taken before is too old to be believed.
    pub(super) fn believed_from(&self) -> Timestamp {
        self.believed_from
    }

    /// One of its ports.
    pub fn port(self, port: usize) -> PortView<'a> {
        self.note_beyond();
        PortView::new(self, port)
    }

    /// The switch.
    pub fn switch(&self) -> &'a Switch {
        self.note_beyond();
        &self.resolved.switch
    }

    /// The traits of its platform.
    pub fn traits(&self) -> &'a Traits {
        self.unnoted().traits()
    }

    /// What features of its platform require first.
    pub fn requires(&self) -> &'a [Requirement] {
        self.unnoted().requires()
    }

    /// Whether state of it is kept at all.
    pub fn has_state(&self) -> bool {
        self.unnoted().has_state()
    }

    /// What the site says of a VLAN here.
    pub fn site_vlan(&self, vlan: VlanId) -> Option<&'a SiteVlan> {
        self.note(Question::Site(vlan));
        self.policy.vlan(self.unnoted().name(), vlan)
    }

    /// The policy.
    pub fn policy(&self) -> &'a Policy {
        self.policy
    }

    pub(super) fn resolved(&self) -> &'a Resolved {
        self.note_beyond();
        self.resolved
    }

    /// The roles of its ports.
    pub(super) fn roles(&self) -> &'a Assignment {
        self.note_beyond();
        self.roles
    }

    /// The role of a port, with what told it.
    pub fn assigned(&self, port: usize) -> Option<Assigned> {
        self.note_beyond();
        self.roles.ports.get(port).copied().flatten()
    }

    /// The role that a port's view begins with.
    pub(super) fn role_of(&self, port: usize) -> Option<Assigned> {
        self.roles.ports.get(port).copied().flatten()
    }

    /// Its ports.
    pub fn ports(self) -> impl Iterator<Item = PortView<'a>> {
        // `switch` notes that more than one port was asked.
        (0..self.switch().ports().len()).map(move |port| PortView::new(self, port))
    }

    /// The first of the ports that have one role and the same in force as this one.
    pub(super) fn first_alike(&self, port: usize) -> usize {
        self.note_beyond();
        self.roles.alike.get(port).copied().unwrap_or(port)
    }

    /// Its ports, of those that are alike the first: for what hangs on role and settings alone.
    pub fn unlike_ports(self) -> impl Iterator<Item = PortView<'a>> {
        let first = move |port: &usize| self.first_alike(*port) == *port;
        (0..self.switch().ports().len()).filter(first).map(move |port| PortView::new(self, port))
    }

    /// Ports that stand for all in one setting: where nothing is written of it for any, one does.
    pub(super) fn ports_unlike_in(self, id: SettingId) -> impl Iterator<Item = PortView<'a>> {
        let most = if self.roles().rows.may_say(id) { usize::MAX } else { 1 };
        self.unlike_ports().take(most)
    }

    /// What the site says of its VLANs of a purpose here.
    pub fn site_vlans_for(self, purpose: Purpose) -> impl Iterator<Item = &'a SiteVlan> {
        self.note(Question::SiteFor(purpose));
        self.policy.vlans_for(self.unnoted().name(), purpose)
    }

    /// Whether the policy knows of a DHCP server here.
    pub fn has_server(&self) -> bool {
        self.note(Question::HasServer);
        self.policy.dhcp_servers.iter().any(|server| server.at.switch == **self.unnoted().name())
    }

    /// Whether the policy knows of a link from here out of the fleet.
    pub(super) fn leads_outside(&self) -> bool {
        self.note(Question::LeadsOutside);
        self.policy.leads_outside(self.unnoted().name())
    }

    /// Whether the site says that nobody is here.
    pub fn is_unattended(&self) -> bool {
        self.note(Question::IsUnattended);
        self.policy.site.unattended.value.has(self.unnoted().name())
    }

    /// A setting of the switch.
    pub fn setting<T: SettingType>(&self, key: Key<T>) -> Setting<T> {
        self.note(Question::Switch(key.id));
        self.unnoted().setting(None, key)
    }

    /// The same without its type.
    pub fn slot(&self, id: SettingId) -> &'a Slot {
        self.note(Question::Switch(id));
        self.unnoted().slot(None, id)
    }

    /// A setting's value; unknown leaves through `?`.
    pub fn known<T: SettingType>(&self, key: Key<T>) -> Result<T, Unknown> {
        self.slot(key.id).value.as_ref().and_then(T::read).ok_or_else(|| Unknown::fact(key.id.name()))
    }

    /// A setting of a VLAN.
    pub fn of_vlan<T: SettingType>(&self, vlan: VlanId, key: Key<T>) -> Result<T, Unknown> {
        self.note(Question::Vlan(vlan, key.id));
        let value = self.unnoted().vlan_slot(vlan, key.id).value.as_ref().and_then(T::read);
        value.ok_or_else(|| Unknown::fact(key.id.name()))
    }

    /// A word of one of the platform's traits.
    pub fn platform(&self, id: TraitId, word: &str) -> Result<bool, Unknown> {
        self.traits().holds(id, word).ok_or_else(|| Unknown::fact(id.info().name))
    }

    /// Whether DHCP snooping is in force in a VLAN: every switch it needs is thrown.
    pub fn snooping_in_force(&self, vlan: VlanId) -> Result<bool, Unknown> {
        self.covers(platform::SNOOPING_SWITCHES, settings::SNOOPING, settings::SNOOPING_VLANS, vlan)
    }

    /// Whether a feature with a global switch and one for each VLAN acts in one: all that it needs are thrown.
    pub fn covers(
        &self,
        switches: TraitId,
        global: Key<bool>,
        vlans: Key<Arc<VlanSet>>,
        vlan: VlanId,
    ) -> Result<bool, Unknown> {
        if self.platform(switches, "global")? && !self.known(global)? {
            return Ok(false);
        }
        if self.platform(switches, "vlan")? { self.lists(vlans, vlan) } else { Ok(true) }
    }

    /// Whether a list of the switch has a VLAN on it.
    pub fn lists(&self, vlans: Key<Arc<VlanSet>>, vlan: VlanId) -> Result<bool, Unknown> {
        self.note(Question::Lists(vlans.id, vlan));
        let Some(Value::Vlans(set)) = &self.unnoted().slot(None, vlans.id).value else {
            return Err(Unknown::fact(vlans.id.name()));
        };
        Ok(set.contains(vlan))
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
        self.resolved.line_that_added(None, setting, vlan)
    }
}
