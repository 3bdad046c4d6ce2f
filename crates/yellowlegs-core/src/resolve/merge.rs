//! The layers put together: a port's own lines, global defaults that reach it, the platform's defaults.

use std::sync::Arc;

use super::apply::{Written, is_unset};
use crate::dialect::{Dialect, Reach};
use crate::model::{Choice, Mode, Origin, SettingId, Slot, Switch, Value, VlanSet, platform, settings};

pub(super) fn merge(dialect: &Dialect, written: Written, switch: &mut Switch) {
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
    let switch_settings = SettingId::all().skip(settings::PORT_COUNT).take(settings::SWITCH_COUNT);
    switch.switch_slots = switch_settings.zip(written.switch).map(|(id, slot)| over(slot, id)).collect();
    switch.vlan_slots = written.vlans.into_iter().filter(|(_, slot)| !is_unset(slot)).collect();
    let mut slots = written.ports;
    for port in slots.chunks_mut(settings::PORT_COUNT) {
        // The mode comes first: how far a global default reaches hangs on it.
        let mode = settings::MODE.id;
        let others = SettingId::all().take(settings::PORT_COUNT).filter(|id| *id != mode);
        for id in std::iter::once(mode).chain(others) {
            let mode_now = port[mode.slot()].value.clone();
            let slot = &mut port[id.slot()];
            let reaching: Vec<&Slot> = written.globals[id.slot()]
                .iter()
                .filter_map(|global| reached(global.reach, mode_now.as_ref()).map(|yes| (yes, &global.slot)))
                .filter(|(yes, slot)| *yes && !is_unset(slot))
                .map(|(_, slot)| slot)
                .collect();
            let maybe = written.globals[id.slot()].iter().any(|g| reached(g.reach, mode_now.as_ref()).is_none());
            if !is_unset(slot) {
                slot.contested |= !reaching.is_empty();
                continue;
            }
            let contested = slot.contested || reaching.len() > 1;
            *slot = match reaching.last() {
                Some(global) => Slot { contested: contested || global.contested, ..(*global).clone() },
                // Whether a default reaches the port hangs on a mode that nobody knows.
                None if maybe => Slot { contested, ..Slot::UNKNOWN },
                None => Slot { contested, ..defaults[id.index()].clone() },
            };
        }
    }
    switch.port_slots = slots;
}

/// Whether a default reaches a port of this mode; `None` when the mode is unknown and it matters.
fn reached(reach: Reach, mode: Option<&Value>) -> Option<bool> {
    match (reach, mode) {
        (Reach::AllPorts, _) => Some(true),
        (Reach::AccessPorts, Some(Value::Choice { index, .. })) => Some(*index == Mode::Access.index()),
        (Reach::AccessPorts, _) => None,
    }
}

/// What a trunk carries while nothing lists its VLANs.
fn without_list(dialect: &Dialect) -> Slot {
    let traits = dialect.traits();
    let Some(all) = traits.holds(platform::TRUNK_WITHOUT_LIST, "all") else { return Slot::UNKNOWN };
    let set = if all { VlanSet::all() } else { VlanSet::default() };
    let mark = traits.get(platform::TRUNK_WITHOUT_LIST).and_then(|slot| slot.mark);
    Slot { value: Some(Value::Vlans(Arc::new(set))), origin: Origin::Default, mark, contested: false }
}
