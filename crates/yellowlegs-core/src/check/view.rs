//! What a check sees of a port.

use std::cell::Cell;
use std::sync::Arc;

use super::questions::Question;
use super::{SwitchView, Unknown};
use crate::model::{
    Fact, FactKind, Key, Mark, Mode, Rate, RateUnit, Scope, Setting, SettingId, SettingType, Slot, Station, Switch,
    Value, VlanId, VlanSet, facts, platform, settings,
};
use crate::policy::{Assigned, Faces, Policy, Role, SiteVlan};

/// One port, its role, and what is around it.
pub struct PortView<'a> {
    on: SwitchView<'a>,
    port: usize,
    /// Its role, with what told it.
    pub assigned: Option<Assigned>,
    /// Whether somebody asked which port it is, or what is its alone.
    asked: Cell<bool>,
}

/// A VLAN that a port carries, and the setting that says so.
pub struct Carried {
    /// The setting.
    pub setting: SettingId,
    /// The VLAN; `None`: no VLAN.
    pub vlan: Option<VlanId>,
}

impl<'a> PortView<'a> {
    /// The view of a port by its position.
    pub fn new(on: SwitchView<'a>, port: usize) -> Self {
        Self { on, port, assigned: on.role_of(port), asked: Cell::new(false) }
    }

    /// The port's position on the switch.
    pub fn port(&self) -> usize {
        self.ask_who();
        self.port
    }

    /// Notes that something of the port's own was asked.
    fn ask_who(&self) {
        self.asked.set(true);
        self.on.note_beyond();
    }

    /// Whether which port it is, or what ports of the same settings need not share, was asked since this was asked last. What
    /// a check comes to without it holds for every port that is alike.
    pub(super) fn was_asked_who(&self) -> bool {
        self.asked.replace(false)
    }

    /// The switch it is on.
    pub fn on(&self) -> SwitchView<'a> {
        self.on
    }

    /// The switch.
    pub fn switch(&self) -> &'a Switch {
        self.on.switch()
    }

    /// The port's name.
    pub fn name(&self) -> &'a str {
        self.switch().ports().get(self.port()).map_or("", |port| port.as_str())
    }

    /// What was read of the port, of one kind of fact, as far as it is young enough to be believed.
    pub fn facts(&self, kind: FactKind) -> impl Iterator<Item = &'a Fact> {
        let believed = self.has_state() && !self.on.is_too_old(kind);
        self.all_facts(kind).filter(move |_| believed)
    }

    /// All that was read of the port, of one kind of fact, however old.
    pub fn all_facts(&self, kind: FactKind) -> impl Iterator<Item = &'a Fact> {
        // Where no state is kept it is so on every port.
        let about = self.has_state().then(|| self.switch().facts_about(kind, self.port()));
        about.into_iter().flatten()
    }

    /// Whether state of its switch is kept at all.
    pub fn has_state(&self) -> bool {
        self.on.has_state()
    }

    /// Whether nothing is known of its state, not even that something is not to be believed.
    pub(super) fn tells_nothing(&self) -> bool {
        self.on.unnoted().tells_nothing()
    }

    /// What the site says of a VLAN here.
    pub fn site_vlan(&self, vlan: VlanId) -> Option<&'a SiteVlan> {
        self.on.site_vlan(vlan)
    }

    /// The policy.
    pub fn policy(&self) -> &'a Policy {
        self.on.policy()
    }

    /// A setting of the port or its switch.
    #[inline]
    pub fn setting<T: SettingType>(&self, key: Key<T>) -> Setting<T> {
        Setting::of(self.slot(key.id))
    }

    /// The same without its type.
    #[inline]
    pub fn slot(&self, id: SettingId) -> &'a Slot {
        if id == settings::DESCRIPTION.id {
            self.ask_who();
        }
        self.on.note_with(|| if id.info().scope == Scope::Switch { Question::Switch(id) } else { Question::Port(id) });
        self.on.unnoted().slot(Some(self.port), id)
    }

    /// A setting's value; unknown leaves through `?`.
    #[inline]
    pub fn known<T: SettingType>(&self, key: Key<T>) -> Result<T, Unknown> {
        let value = self.slot(key.id).value.as_ref().and_then(T::read);
        value.ok_or_else(|| Unknown::fact(key.id.name()))
    }

    /// The port's role; none leaves through `?`.
    #[inline]
    pub fn role(&self) -> Result<&'a Role, Unknown> {
        let role = self.assigned.and_then(|a| self.policy().roles.get(a.role));
        role.ok_or_else(|| Unknown::fact("role"))
    }

    /// The mode in force.
    #[inline]
    pub fn mode(&self) -> Result<Mode, Unknown> {
        self.known(settings::MODE)
    }

    /// The untagged VLAN in force. A port that may become a trunk is judged as what it is until then.
    #[inline]
    pub fn untagged(&self) -> Result<Carried, Unknown> {
        let key = match self.mode()? {
            Mode::Access | Mode::Negotiated => settings::ACCESS_VLAN,
            Mode::Trunk => settings::NATIVE_VLAN,
        };
        Ok(Carried { setting: key.id, vlan: self.known(key)? })
    }

    /// The voice VLAN in force: beside an untagged one only, not on a trunk.
    pub fn voice(&self) -> Result<Carried, Unknown> {
        let vlan = match self.mode()? {
            Mode::Access | Mode::Negotiated => self.known(settings::VOICE_VLAN)?,
            Mode::Trunk => None,
        };
        Ok(Carried { setting: settings::VOICE_VLAN.id, vlan })
    }

    /// The VLANs a trunk carries; `None` on other modes.
    pub fn tagged(&self) -> Result<Option<Arc<VlanSet>>, Unknown> {
        match self.mode()? {
            Mode::Trunk => self.known(settings::TAGGED_VLANS).map(Some),
            Mode::Access | Mode::Negotiated => Ok(None),
        }
    }

    /// Every VLAN it carries: untagged, voice and tagged.
    pub fn carries(&self) -> Result<VlanSet, Unknown> {
        let mut carried = self.tagged()?.map(|set| (*set).clone()).unwrap_or_default();
        [self.untagged()?.vlan, self.voice()?.vlan].into_iter().flatten().for_each(|vlan| carried.insert(vlan));
        Ok(carried)
    }

    /// Its speed in Mbit/s: as configured, or as its state tells.
    pub fn speed(&self) -> Result<u32, Unknown> {
        let believed = || self.seen(facts::port_status::FACT).ok().flatten();
        let told = || believed()?.first()?.get(facts::port_status::SPEED);
        self.known(settings::SPEED).or_else(|unknown| told().ok_or(unknown))
    }

    /// Whether a limit is above another; limits in packets and in bits cannot be compared.
    pub fn exceeds(&self, limit: Rate, most: Rate) -> Result<bool, Unknown> {
        if limit.unit == most.unit {
            return Ok(limit.amount > most.amount);
        }
        if let (Some(limit), Some(most)) = (limit.packets_a_minute(), most.packets_a_minute()) {
            return Ok(limit > most);
        }
        let kilobits = |rate: Rate| match rate.unit {
            RateUnit::Kilobits => Ok(u64::from(rate.amount)),
            RateUnit::Percent => Ok(u64::from(self.speed()?) * 10 * u64::from(rate.amount)),
            RateUnit::Packets | RateUnit::PacketsAMinute => Err(Unknown::fact("a limit in the unit of the policy's")),
        };
        Ok(kilobits(limit)? > kilobits(most)?)
    }

    /// A word of one of the platform's traits.
    pub fn platform(&self, id: crate::model::TraitId, word: &str) -> Result<bool, Unknown> {
        self.on.traits().holds(id, word).ok_or_else(|| Unknown::fact(id.info().name))
    }

    /// Whether the mode in force makes port security void.
    pub fn security_is_void(&self) -> Result<bool, Unknown> {
        let mode = self.mode()?;
        if mode == Mode::Access && self.on.traits().get(platform::PORT_SECURITY_VOID_IN).is_none() {
            return Ok(false);
        }
        self.platform(platform::PORT_SECURITY_VOID_IN, crate::model::Choice::word(mode))
    }

    /// Whether port security is in force: enabled, and not void.
    pub fn security_in_force(&self) -> Result<bool, Unknown> {
        Ok(self.known(settings::PORT_SECURITY)? && !self.security_is_void()?)
    }

    /// Whether DHCP snooping is in force in a VLAN: every switch it needs is thrown.
    pub fn snooping_in_force(&self, vlan: VlanId) -> Result<bool, Unknown> {
        self.on.snooping_in_force(vlan)
    }

    /// Whether a setting is written for this very port, not inherited from a global line.
    pub fn is_own(&self, id: SettingId) -> bool {
        use crate::model::Origin;
        matches!(self.slot(id).origin, Origin::Port | Origin::Range | Origin::Profile | Origin::Record)
    }

    /// The line that put a VLAN into a list.
    pub fn line_that_added(&self, setting: SettingId, vlan: VlanId) -> Option<Mark> {
        self.on.resolved().line_that_added(Some(self.port), setting, vlan)
    }

    /// The line that put a station into a list.
    pub fn line_that_put(&self, setting: SettingId, station: Station) -> Option<Mark> {
        let lines = self.on.resolved().lines_that_brought(Some(self.port), setting, Value::stations, &[station]);
        lines.into_iter().next().flatten()
    }
}

/// How many stations a role needs at least, and may have at most, where the policy gives no numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Stations {
    /// Fewest that must be admitted.
    pub needed: u32,
    /// Most that are right; `None`: nobody says.
    pub most: Option<u32>,
}

impl Stations {
    /// By what the role faces. `per_vlan`: a station that speaks in two VLANs counts twice.
    pub(crate) fn of(role: &Role, per_vlan: bool) -> Option<Self> {
        let (needed, most) = match role.faces {
            Faces::Host | Faces::Phone => (1, Some(1)),
            Faces::PhoneAndHost if per_vlan => (3, Some(3)),
            Faces::PhoneAndHost => (2, Some(2)),
            Faces::TaggedHost | Faces::AccessPoint | Faces::Router => (1, None),
            Faces::BridgeUp | Faces::BridgeDown | Faces::Capture | Faces::Nothing => return None,
        };
        let most = role.stations.or(most.map(|m| m.max(role.stations_needed.unwrap_or(0))));
        let needed = role.stations_needed.unwrap_or(needed);
        Some(Self { needed: most.map_or(needed, |m| needed.min(m)), most })
    }
}
