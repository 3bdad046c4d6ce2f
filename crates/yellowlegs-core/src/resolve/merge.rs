//! The layers put together: a port's own lines, what they imply, its profiles, global defaults that reach it, the
//! platform's defaults.

use std::collections::BTreeMap;
use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::apply::{ProfileName, Written, from_profiles, later};
use super::port_table::PortTable;
use crate::dialect::{Dialect, Reach};
use crate::model::{
    Choice, Dangling, FastStart, LinkType, Mode, Origin, PortSlots, Protocol, Scope, SettingId, SettingSet, Slot,
    Switch, Value, VlanSet, platform, settings,
};

pub(super) fn merge(dialect: &Dialect, mut written: Written, ports: &PortTable, switch: &mut Switch) {
    let defaults = dialect.silent();
    let over = |slot: Slot, id: SettingId| {
        if slot.is_unset() {
            let contested = slot.contested;
            return Slot { contested, ..defaults[id.index()].clone() };
        }
        slot
    };
    missing_profiles(&written, switch);
    // What is written for a port becomes what is in force there, in its place.
    let mut slots = std::mem::take(&mut written.ports);
    slots.fill(SettingId::of(Scope::Port).map(|id| defaults[id.index()].clone()));
    if dialect.precedence().narrow_globals {
        // The last that reaches a port counts: of equals the later, else the narrower.
        written.globals.iter_mut().for_each(|globals| globals.sort_by_key(|global| global.reach.narrowness()));
    }
    let layers = Layers::new(dialect, &written, ports, defaults);
    let mut shared = Shared { slots: vec![Vec::new(); settings::PORT_COUNT], classes: Vec::new() };
    (0..switch.ports.len()).for_each(|port| layers.port(port, &mut slots, &mut shared));
    switch.port_slots = slots;
    switch.switch_slots = SettingId::of(Scope::Switch).zip(written.switch).map(|(id, slot)| over(slot, id)).collect();
    for id in SettingId::of(Scope::Vlan) {
        let slot = over(written.vlan_globals.get(&id).cloned().unwrap_or(Slot::UNKNOWN), id);
        if !slot.is_unset() {
            switch.vlan_defaults.insert(id, slot);
        }
    }
    switch.vlan_slots = written.vlans.into_iter().filter(|(_, slot)| !slot.is_unset()).collect();
    let mut mirrors: BTreeMap<Arc<str>, BTreeMap<SettingId, Slot>> = BTreeMap::new();
    for ((name, id), slot) in written.mirrors {
        mirrors.entry(name).or_default().insert(id, slot);
    }
    // A session of which every line was taken back is none.
    mirrors.retain(|_, slots| slots.values().any(|slot| !slot.is_unset()));
    for slots in mirrors.values_mut() {
        for id in SettingId::of(Scope::Mirror) {
            let slot = slots.remove(&id).unwrap_or(Slot::UNKNOWN);
            slots.insert(id, over(slot, id));
        }
    }
    switch.mirrors = mirrors;
}

/// Puts a setting together that several statements make: it is on where each part is, and off where one is off.
pub(super) fn together(setting: SettingId, parts: &[Switch], switch: &mut Switch) {
    let whole = |slots: Vec<&Slot>| {
        let is = |slot: &&&Slot, on: bool| slot.value == Some(Value::Flag(on));
        let off = slots.iter().find(|slot| is(slot, false));
        let open = slots.iter().find(|slot| slot.value.is_none());
        let decides = off.or(open).copied().or_else(|| slots.iter().copied().max_by_key(|slot| slot.mark));
        Slot { contested: false, ..decides.cloned().unwrap_or(Slot::UNKNOWN) }
    };
    match setting.info().scope {
        Scope::Port => {
            for port in 0..switch.ports.len() {
                let slot = whole(parts.iter().filter_map(|part| part.port_slots.get(port, setting)).collect());
                switch.port_slots.set(port, setting, slot);
            }
        }
        Scope::Switch => {
            let slot = whole(parts.iter().filter_map(|part| part.switch_slots.get(setting.slot())).collect());
            if let Some(there) = switch.switch_slots.get_mut(setting.slot()) {
                *there = slot;
            }
        }
        Scope::Vlan => {
            let of_all = whole(parts.iter().map(|p| p.vlan_defaults.get(&setting).unwrap_or(&Slot::UNKNOWN)).collect());
            let vlans: Vec<_> =
                parts.iter().flat_map(|p| p.vlan_slots.keys()).filter(|(_, id)| *id == setting).collect();
            for key in vlans {
                let slot = whole(parts.iter().map(|part| part.vlan_slot(key.0, setting)).collect());
                switch.vlan_slots.insert(*key, slot);
            }
            switch.vlan_defaults.insert(setting, of_all);
        }
        Scope::Mirror => {
            // One of which a part alone is written is there, too.
            for (name, slots) in parts.iter().flat_map(|part| &part.mirrors) {
                switch.mirrors.entry(Arc::clone(name)).or_insert_with(|| slots.clone());
            }
            for (name, slots) in &mut switch.mirrors {
                let of = |part: &'_ Switch| part.mirrors.get(name).and_then(|slots| slots.get(&setting)).cloned();
                let of_parts: Vec<Slot> = parts.iter().map(|part| of(part).unwrap_or(Slot::UNKNOWN)).collect();
                slots.insert(setting, whole(of_parts.iter().collect()));
            }
        }
    }
}

/// Notes which profiles are used and nowhere described, and by which ports.
fn missing_profiles(written: &Written, switch: &mut Switch) {
    let mut missing: BTreeMap<&ProfileName, Vec<usize>> = BTreeMap::new();
    for (port, used) in &written.uses {
        let mut names: Vec<&ProfileName> = used.iter().collect();
        let mut at = 0;
        while let Some(name) = names.get(at).copied() {
            at += 1;
            match written.profiles.get(name) {
                None => missing.entry(name).or_default().push(*port),
                Some(profile) => {
                    let more: Vec<&ProfileName> = profile.on.iter().filter(|on| !names.contains(on)).collect();
                    names.extend(more);
                }
            }
        }
    }
    // One that only profiles build on which nobody uses.
    for name in written.profiles.values().flat_map(|p| &p.on).filter(|name| !written.profiles.contains_key(*name)) {
        missing.entry(name).or_default();
    }
    for (name, ports) in missing {
        let mark = written.used_in.get(name).copied();
        switch.dangling.push(Dangling { what: "profile", name: Arc::clone(&name.1), mark, ports });
    }
}

/// What is found for a port and setting.
enum Found<'a> {
    /// A slot of the port's own.
    Own(Slot),
    /// A global default by its position, and whether it is contested there: the ports that it reaches share a slot.
    Global(usize, &'a Slot, bool),
}

impl Found<'_> {
    fn slot(&self) -> &Slot {
        match self {
            Self::Own(slot) => slot,
            Self::Global(_, slot, _) => slot,
        }
    }
}

/// What global defaults come to on a port, for one setting.
#[derive(Debug, Clone, Copy, Default)]
struct OfGlobals {
    /// The position of the one that counts.
    decides: Option<usize>,
    /// Whether others reach the port, too.
    has_more: bool,
    /// Whether one reaches it hangs on something that nobody knows.
    is_unsure: bool,
}

/// What decides how far global defaults reach: mode, fast start and link type in force, as far as they are known.
type Class = [Option<u8>; 3];

/// What holds of a setting on the ports of a class.
struct OfClass {
    id: SettingId,
    of_globals: OfGlobals,
    /// Whether nothing but a port's own lines and global defaults say it.
    is_plain: bool,
    /// The slot of the ports that say nothing themselves, where a global default does.
    silent: Option<u32>,
}

/// The slots of one setting's global defaults, by position and whether it is contested. Few of each.
type OfPositions = Vec<(usize, bool, u32)>;

/// What ports share.
struct Shared {
    /// By setting.
    slots: Vec<OfPositions>,
    /// By class of ports what holds of each setting that is not settled first. Few classes.
    classes: Vec<(Class, Vec<OfClass>)>,
}

/// The strongest of the layers that say something, and whether there are others.
#[derive(Default)]
struct Strongest<'s> {
    first: Option<&'s Slot>,
    has_more: bool,
}

impl<'s> Strongest<'s> {
    /// One that is weaker than those before.
    fn add(&mut self, slot: &'s Slot) {
        if slot.is_unset() {
            return;
        }
        self.has_more |= self.first.is_some();
        self.first = self.first.or(Some(slot));
    }
}

struct Layers<'a> {
    dialect: &'a Dialect,
    written: &'a Written,
    ports: &'a PortTable,
    defaults: &'a [Slot],
    by_membership: bool,
    /// The settings that are settled before others.
    first: &'static [SettingId],
    /// The settings that more than a port's own lines can speak of.
    open: SettingSet,
    /// The same with those that profiles speak of.
    of_profiles: SettingSet,
    /// By port, the settings whose lines were taken back there, or that others imply.
    alone: FxHashMap<usize, SettingSet>,
    /// The settings that the platform has for some kinds of ports.
    of_kinds: SettingSet,
}

/// Modes, fast start and link type decide how far a global default reaches; where membership makes the mode, it comes before that.
const CLASS: [SettingId; 3] = [settings::MODE.id, settings::FAST_START.id, settings::LINK_TYPE.id];
const FIRST: &[SettingId] = &CLASS;
const FIRST_BY_MEMBERSHIP: &[SettingId] = &[
    settings::TAGGED_VLANS.id,
    settings::VOICE_VLAN.id,
    settings::ACCESS_VLAN.id,
    settings::MODE.id,
    settings::FAST_START.id,
    settings::LINK_TYPE.id,
];

impl<'a> Layers<'a> {
    fn new(dialect: &'a Dialect, written: &'a Written, ports: &'a PortTable, defaults: &'a [Slot]) -> Self {
        let by_membership = dialect.traits().holds(platform::MODE_FROM, "membership") == Some(true);
        let first = if by_membership { FIRST_BY_MEMBERSHIP } else { FIRST };
        let mut alone: FxHashMap<usize, SettingSet> = FxHashMap::default();
        for (port, id) in written.implied.keys().chain(&written.taken_back) {
            alone.entry(*port).or_default().insert(*id);
        }
        let has_globals = |id: &SettingId| !written.globals[id.slot()].is_empty();
        let of_kinds: SettingSet = dialect.settings_by_kind().filter(|id| id.info().scope == Scope::Port).collect();
        let membership = by_membership.then_some(settings::MODE.id);
        let open: SettingSet =
            SettingId::of(Scope::Port).filter(has_globals).chain(of_kinds.iter()).chain(membership).collect();
        let in_profiles = written.profiles.values().flat_map(|p| p.slots.keys().chain(p.implied.keys())).copied();
        let of_profiles = open.union(in_profiles.filter(|id| id.info().scope == Scope::Port).collect());
        Self { dialect, written, ports, defaults, by_membership, first, open, of_profiles, alone, of_kinds }
    }

    /// Puts the settings in force on a port where its own lines' are, in the order in which they are settled.
    fn port(&self, port: usize, slots: &mut PortSlots, shared: &mut Shared) {
        let has_profiles = self.written.uses.get(&port).is_some_and(|used| !used.is_empty());
        let of_all = if has_profiles { self.of_profiles } else { self.open };
        let alone = self.alone.get(&port).copied().unwrap_or_default();
        let settled = of_all.union(alone);
        // Mode, fast start and link type come first: how far a global default reaches hangs on them.
        for id in self.first.iter().copied().filter(|id| settled.contains(*id)) {
            let of_globals = self.of_globals(port, id, slots);
            let mut found = self.setting(port, id, has_profiles, slots, of_globals);
            let is_mode = self.by_membership && id == settings::MODE.id;
            if is_mode && found.as_ref().is_none_or(|found| !found.slot().origin.is_written()) {
                found = Some(Found::Own(self.mode_by_membership(port, slots)));
            }
            put(port, id, found, slots, &mut shared.slots);
        }
        if !has_profiles && alone.is_empty() {
            let class = self.class(port, slots, shared);
            for of_class in &shared.classes[class].1 {
                let (id, own) = (of_class.id, slots.written(port, of_class.id));
                match (own, of_class.silent) {
                    (None, None) if of_class.is_plain => {}
                    (None, Some(silent)) if of_class.is_plain => slots.share(port, id, silent),
                    (Some(own), silent) if of_class.is_plain && !own.is_unset() => {
                        if silent.is_some() {
                            slots.contest(port, id);
                        }
                    }
                    _ => {
                        let found = self.setting(port, id, false, slots, of_class.of_globals);
                        put(port, id, found, slots, &mut shared.slots);
                    }
                }
            }
            return;
        }
        for id in settled.without(self.first.iter().copied().collect()).iter() {
            let of_globals = self.of_globals(port, id, slots);
            let found = self.setting(port, id, has_profiles, slots, of_globals);
            put(port, id, found, slots, &mut shared.slots);
        }
    }

    /// The position of a port's class, once its mode, fast start and link type are settled.
    fn class(&self, port: usize, slots: &mut PortSlots, shared: &mut Shared) -> usize {
        let class = CLASS.map(|id| match slots.get(port, id)?.value {
            Some(Value::Choice { index, .. }) => Some(index),
            _ => None,
        });
        if let Some(known) = shared.classes.iter().position(|(other, _)| *other == class) {
            return known;
        }
        let others = self.open.without(self.first.iter().copied().collect());
        let of_class = others.iter().map(|id| {
            let of_globals = self.of_globals(port, id, slots);
            let is_plain = !of_globals.is_unsure && !self.of_kinds.contains(id);
            let silent = of_globals.decides.filter(|_| is_plain).map(|position| {
                let slot = &self.written.globals[id.slot()][position].slot;
                shared_slot((position, of_globals.has_more || slot.contested), id, slot, slots, &mut shared.slots)
            });
            OfClass { id, of_globals, is_plain, silent }
        });
        let of_class = of_class.collect();
        shared.classes.push((class, of_class));
        shared.classes.len() - 1
    }

    /// What is in force; `None` where what is there already is: what is written for the port, or what holds where nothing is.
    fn setting(
        &self,
        port: usize,
        id: SettingId,
        has_profiles: bool,
        so_far: &PortSlots,
        of_globals: OfGlobals,
    ) -> Option<Found<'a>> {
        let own = so_far.written(port, id);
        let mut layers = Strongest::default();
        own.into_iter().for_each(|slot| layers.add(slot));
        if !self.written.implied.is_empty() {
            self.written.implied.get(&(port, id)).into_iter().for_each(|slot| layers.add(slot));
        }
        let profile = if has_profiles { from_profiles(self.dialect, self.written, port, id) } else { (None, None) };
        profile.0.iter().chain(&profile.1).for_each(|slot| layers.add(slot));
        let global = of_globals.decides.map(|at| (at, &self.written.globals[id.slot()][at].slot));
        let has_more = layers.has_more || of_globals.has_more || layers.first.is_some() && global.is_some();
        let contested = own.is_some_and(|own| own.contested) || has_more;
        let of_kind = || self.ports.port(port).and_then(|port| self.dialect.default_of_kind(port, id));
        let silent = || match of_kind() {
            None if own.is_none() => None,
            of_kind => Some(Slot { contested, ..of_kind.unwrap_or(&self.defaults[id.index()]).clone() }),
        };
        match (layers.first, global) {
            (Some(slot), _) => Some(Found::Own(Slot { contested: contested || slot.contested, ..slot.clone() })),
            // Whether a default reaches the port hangs on something that nobody knows.
            (None, _) if of_globals.is_unsure => {
                let contested = contested || global.is_some_and(|(_, slot)| slot.contested);
                Some(Found::Own(Slot { contested, ..Slot::UNKNOWN }))
            }
            (None, Some((position, slot))) => Some(Found::Global(position, slot, contested || slot.contested)),
            (None, None) => silent().map(Found::Own),
        }
    }

    /// What global defaults come to on a port: the last that reaches it counts. Hangs on the port's class alone.
    fn of_globals(&self, port: usize, id: SettingId, so_far: &PortSlots) -> OfGlobals {
        let mut found = OfGlobals::default();
        for (position, of_all) in self.written.globals[id.slot()].iter().enumerate().rev() {
            if of_all.slot.is_unset() {
                continue;
            }
            match self.reached(of_all.reach, port, so_far) {
                Some(true) if found.decides.is_some() => found.has_more = true,
                Some(true) => found.decides = Some(position),
                Some(false) => {}
                None => found.is_unsure = true,
            }
        }
        found
    }

    /// Whether a default reaches a port; `None` when what decides it is unknown.
    fn reached(&self, reach: Reach, port: usize, so_far: &PortSlots) -> Option<bool> {
        let mode = || so_far.get(port, settings::MODE.id)?.value.as_ref().and_then(choice::<Mode>);
        match reach {
            Reach::AllPorts => Some(true),
            Reach::AllVlans => Some(false),
            Reach::AccessPorts => Some(mode()? == Mode::Access),
            Reach::UntrunkedPorts => Some(mode()? != Mode::Trunk),
            Reach::TrunkPorts => Some(mode()? == Mode::Trunk),
            Reach::EdgePorts => {
                match so_far.get(port, settings::FAST_START.id)?.value.as_ref().and_then(choice::<FastStart>)? {
                    FastStart::Off => self.is_detected(port, so_far),
                    FastStart::EdgeOnTrunk => Some(true),
                    // What is negotiated is no trunk until somebody makes it one.
                    FastStart::Edge if mode()? != Mode::Trunk => Some(true),
                    FastStart::Edge => self.dialect.traits().holds(platform::PLAIN_ON_TRUNK, "works"),
                    FastStart::Auto => Some(true),
                }
            }
        }
    }

    /// Whether the platform makes a port an edge by itself, where no bridge is heard: under the rapid protocol, between two
    /// (IEEE 802.1Q, 13.27: auto edge).
    fn is_detected(&self, port: usize, so_far: &PortSlots) -> Option<bool> {
        if self.dialect.traits().holds(platform::EDGE_DETECTED, "yes") != Some(true) {
            return Some(false);
        }
        let id = settings::TREE_PROTOCOL.id;
        let written = self.written.switch.get(id.slot()).filter(|slot| !slot.is_unset());
        let protocol = written.or(self.defaults.get(id.index()))?.value.as_ref().and_then(choice::<Protocol>)?;
        if matches!(protocol, Protocol::Classic | Protocol::ClassicPerVlan) {
            return Some(false);
        }
        let link = so_far.get(port, settings::LINK_TYPE.id)?.value.as_ref().and_then(choice::<LinkType>)?;
        Some(link != LinkType::Shared)
    }

    /// A port that is a tagged member of a VLAN beside its voice VLAN is a trunk; else it is none.
    fn mode_by_membership(&self, port: usize, so_far: &PortSlots) -> Slot {
        let slot = |id: SettingId| so_far.get(port, id).unwrap_or(&Slot::UNKNOWN);
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

/// Puts what was found for a port in its place.
fn put(port: usize, id: SettingId, found: Option<Found<'_>>, slots: &mut PortSlots, shared: &mut [OfPositions]) {
    match found {
        None => {}
        Some(Found::Own(slot)) => slots.set(port, id, slot),
        Some(Found::Global(position, slot, contested)) => {
            let at = shared_slot((position, contested), id, slot, slots, shared);
            slots.share(port, id, at);
        }
    }
}

/// The slot of a global default, told by its position and whether it is contested, that the ports share.
fn shared_slot(
    (position, contested): (usize, bool),
    id: SettingId,
    slot: &Slot,
    slots: &mut PortSlots,
    shared: &mut [OfPositions],
) -> u32 {
    let there = &mut shared[id.slot()];
    let known = there.iter().find(|(p, c, _)| (*p, *c) == (position, contested)).map(|(.., at)| *at);
    known.unwrap_or_else(|| {
        let at = slots.add_shared(Slot { contested, ..slot.clone() });
        there.push((position, contested, at));
        at
    })
}

fn choice<C: Choice>(value: &Value) -> Option<C> {
    match value {
        Value::Choice { index, .. } => C::from_index(*index),
        _ => None,
    }
}
