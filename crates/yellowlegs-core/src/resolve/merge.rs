//! The layers put together: a port's own lines, what they imply, its profiles, global defaults that reach it, the
//! platform's defaults.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::apply::{Global, Written, from_profiles, is_unset, later};
use crate::dialect::{Dialect, Reach};
use crate::model::{
    Choice, FastStart, Mode, Origin, Remark, Scope, SettingId, Slot, Switch, Value, VlanSet, platform, settings,
};

pub(super) fn merge(dialect: &Dialect, mut written: Written, switch: &mut Switch) {
    let default = |id: SettingId| match dialect.default_slot(id) {
        Some(slot) => slot.clone(),
        None if id == settings::TAGGED_VLANS.id => without_list(dialect),
        None => Slot::UNKNOWN,
    };
    let defaults: Vec<Slot> = SettingId::all().map(default).collect();
    let over = |slot: Slot, id: SettingId| {
        if is_unset(&slot) {
            let contested = slot.contested;
            return Slot { contested, ..defaults[id.index()].clone() };
        }
        slot
    };
    missing_profiles(&written, switch);
    // What is written for a port becomes what is in force there, in its place.
    let mut slots = std::mem::take(&mut written.ports);
    let layers = Layers::new(dialect, &written, &defaults);
    slots.chunks_exact_mut(settings::PORT_COUNT).enumerate().for_each(|(port, slots)| layers.port(port, slots));
    switch.port_slots = slots;
    switch.switch_slots = SettingId::of(Scope::Switch).zip(written.switch).map(|(id, slot)| over(slot, id)).collect();
    for id in SettingId::of(Scope::Vlan) {
        let slot = over(written.vlan_globals.get(&id).cloned().unwrap_or(Slot::UNKNOWN), id);
        if !is_unset(&slot) {
            switch.vlan_defaults.insert(id, slot);
        }
    }
    switch.vlan_slots = written.vlans.into_iter().filter(|(_, slot)| !is_unset(slot)).collect();
    let mut mirrors: BTreeMap<Arc<str>, BTreeMap<SettingId, Slot>> = BTreeMap::new();
    for ((name, id), slot) in written.mirrors {
        mirrors.entry(name).or_default().insert(id, slot);
    }
    // A session of which every line was taken back is none.
    mirrors.retain(|_, slots| slots.values().any(|slot| !is_unset(slot)));
    for slots in mirrors.values_mut() {
        for id in SettingId::of(Scope::Mirror) {
            let slot = slots.remove(&id).unwrap_or(Slot::UNKNOWN);
            slots.insert(id, over(slot, id));
        }
    }
    switch.mirrors = mirrors;
}

/// Says which profiles are used and nowhere described.
fn missing_profiles(written: &Written, switch: &mut Switch) {
    let mut missing: BTreeMap<&str, usize> = BTreeMap::new();
    let on = written.profiles.values().flat_map(|p| &p.on);
    for name in written.uses.values().flatten().chain(on).filter(|n| !written.profiles.contains_key(*n)) {
        *missing.entry(&name.1).or_default() += 1;
    }
    for (name, count) in missing {
        let text = format!("the profile {name} is used {count} time(s) and described nowhere");
        switch.remarks.push(Remark { about: switch.name.to_string(), file: None, line: None, text });
    }
}

struct Layers<'a> {
    dialect: &'a Dialect,
    written: &'a Written,
    defaults: &'a [Slot],
    by_membership: bool,
    /// The settings in the order in which they are settled.
    order: Vec<SettingId>,
    /// By setting: whether only a port's own lines can speak of it.
    plain: Vec<bool>,
}

impl<'a> Layers<'a> {
    fn new(dialect: &'a Dialect, written: &'a Written, defaults: &'a [Slot]) -> Self {
        let by_membership = dialect.traits().holds(platform::MODE_FROM, "membership") == Some(true);
        // Mode and fast start come first: how far a global default reaches hangs on them.
        let mut order = vec![settings::MODE.id, settings::FAST_START.id];
        if by_membership {
            order.splice(0..0, [settings::TAGGED_VLANS.id, settings::VOICE_VLAN.id, settings::ACCESS_VLAN.id]);
        }
        let rest: Vec<SettingId> = SettingId::of(Scope::Port).filter(|id| !order.contains(id)).collect();
        order.extend(rest);
        let implied: Vec<SettingId> = written.implied.keys().map(|(_, id)| *id).collect();
        let plain = |id: SettingId| written.globals[id.slot()].is_empty() && !implied.contains(&id);
        let plain = SettingId::of(Scope::Port).map(plain).collect();
        Self { dialect, written, defaults, by_membership, order, plain }
    }

    /// Puts the settings in force on a port where its own lines' are, in the order in which they are settled.
    fn port(&self, port: usize, slots: &mut [Slot]) {
        let has_profiles = self.written.uses.get(&port).is_some_and(|used| !used.is_empty());
        for id in &self.order {
            let own = &slots[id.slot()];
            let is_mode = self.by_membership && *id == settings::MODE.id;
            if self.plain[id.slot()] && !has_profiles && !is_mode {
                if is_unset(own) {
                    slots[id.slot()] = self.own_or_default(own, *id);
                }
                continue;
            }
            let mut slot = self.setting(port, *id, slots);
            if is_mode && !slot.origin.is_written() {
                slot = self.mode_by_membership(slots);
            }
            slots[id.slot()] = slot;
        }
    }

    fn own_or_default(&self, own: &Slot, id: SettingId) -> Slot {
        let contested = own.contested;
        if is_unset(own) { Slot { contested, ..self.defaults[id.index()].clone() } } else { own.clone() }
    }

    fn setting(&self, port: usize, id: SettingId, so_far: &[Slot]) -> Slot {
        let own = &so_far[id.slot()];
        let globals = &self.written.globals[id.slot()];
        let (implied, profile) = (self.written.implied.get(&(port, id)), from_profiles(self.written, port, id));
        if globals.is_empty() && implied.is_none() && profile == (None, None) {
            return self.own_or_default(own, id);
        }
        let reached = |global: &Global| self.reached(global.reach, so_far);
        let mut unsure = false;
        let mut layers: Vec<&Slot> = vec![own];
        layers.extend(implied);
        layers.extend(profile.0.as_ref());
        layers.extend(profile.1.as_ref());
        let before_globals = layers.iter().any(|slot| !is_unset(slot));
        for global in globals.iter().rev().filter(|g| !is_unset(&g.slot)) {
            match reached(global) {
                Some(true) => layers.push(&global.slot),
                Some(false) => {}
                None => unsure = true,
            }
        }
        let mut written = layers.iter().filter(|slot| !is_unset(slot));
        let first = written.next();
        let contested = own.contested || written.next().is_some() || first.is_some_and(|slot| slot.contested);
        // Whether a default reaches the port hangs on something that nobody knows.
        if unsure && !before_globals {
            return Slot { contested, ..Slot::UNKNOWN };
        }
        Slot { contested, ..(*first.unwrap_or(&&self.defaults[id.index()])).clone() }
    }

    /// Whether a default reaches a port; `None` when what decides it is unknown.
    fn reached(&self, reach: Reach, so_far: &[Slot]) -> Option<bool> {
        let mode = || so_far[settings::MODE.id.slot()].value.as_ref().and_then(choice::<Mode>);
        match reach {
            Reach::AllPorts => Some(true),
            Reach::AllVlans => Some(false),
            Reach::AccessPorts => Some(mode()? == Mode::Access),
            Reach::TrunkPorts => Some(mode()? == Mode::Trunk),
            Reach::EdgePorts => {
                match so_far[settings::FAST_START.id.slot()].value.as_ref().and_then(choice::<FastStart>)? {
                    FastStart::Off => Some(false),
                    FastStart::EdgeOnTrunk => Some(true),
                    FastStart::Edge if mode()? == Mode::Access => Some(true),
                    FastStart::Edge => self.dialect.traits().holds(platform::PLAIN_ON_TRUNK, "works"),
                    FastStart::Auto => None,
                }
            }
        }
    }

    /// A port that is a tagged member of a VLAN beside its voice VLAN is a trunk; else it is none.
    fn mode_by_membership(&self, so_far: &[Slot]) -> Slot {
        let slot = |id: SettingId| &so_far[id.slot()];
        let (tagged, voice, access) =
            (slot(settings::TAGGED_VLANS.id), slot(settings::VOICE_VLAN.id), slot(settings::ACCESS_VLAN.id));
        let Some(Value::Vlans(set)) = &tagged.value else { return Slot::UNKNOWN };
        let mut others = VlanSet::clone(set);
        match &voice.value {
            Some(Value::Vlan(voice)) => voice.iter().for_each(|v| others.remove(*v)),
            // One tagged VLAN may be the voice VLAN that nobody tells.
            _ if others.len() == 1 => return Slot::UNKNOWN,
            _ => {}
        }
        let mode = if others.is_empty() { Mode::Access } else { Mode::Trunk };
        let written = |slot: &Slot| slot.mark.filter(|_| slot.origin.is_written());
        let mark = if mode == Mode::Trunk { written(tagged) } else { later(written(access), written(voice)) };
        let value = Some(Value::Choice { set: Mode::SET, index: mode.index() });
        match mark {
            Some(mark) => Slot { value, origin: Origin::Implied, mark: Some(mark), contested: false },
            None => {
                let mark = self.dialect.traits().get(platform::MODE_FROM).and_then(|t| t.mark);
                Slot { value, origin: Origin::Default, mark, contested: false }
            }
        }
    }
}

fn choice<C: Choice>(value: &Value) -> Option<C> {
    match value {
        Value::Choice { index, .. } => C::from_index(*index),
        _ => None,
    }
}

/// What a trunk carries while nothing lists its VLANs.
fn without_list(dialect: &Dialect) -> Slot {
    let traits = dialect.traits();
    let by_membership = traits.holds(platform::MODE_FROM, "membership") == Some(true);
    let which = if by_membership { platform::MODE_FROM } else { platform::TRUNK_WITHOUT_LIST };
    let all = if by_membership { Some(false) } else { traits.holds(which, "all") };
    let Some(all) = all else { return Slot::UNKNOWN };
    let set = if all { VlanSet::all() } else { VlanSet::default() };
    let mark = traits.get(which).and_then(|slot| slot.mark);
    Slot { value: Some(Value::Vlans(Arc::new(set))), origin: Origin::Default, mark, contested: false }
}
