//! The settings of a switch's ports: what somebody wrote for each, and once for all what holds where nobody did.

use super::{Origin, SettingId, Slot, settings::PORT_COUNT};

/// Whether two slots have the same value, by somebody's hand.
fn is_same(a: &Slot, b: &Slot) -> bool {
    a.value == b.value && a.origin != Origin::State && b.origin != Origin::State
}

/// For each port and setting the slot in force. Ports that are silent share one.
#[derive(Debug, Clone, Default)]
pub(crate) struct PortSlots {
    /// First what holds where nothing is written, a slot for each setting; then what is written.
    slots: Vec<Slot>,
    /// By port and setting, the position of its slot.
    at: Vec<u32>,
}

impl PortSlots {
    /// So many ports about which nothing is written. What holds then is said by [`PortSlots::fill`].
    pub(crate) fn silent(ports: usize) -> Self {
        let room = PORT_COUNT + ports * (PORT_COUNT / 3);
        let mut slots = Self { slots: Vec::with_capacity(room), at: Vec::with_capacity(ports * PORT_COUNT) };
        (0..ports).for_each(|_| slots.add_port());
        slots
    }

    /// One port more, about which nothing is written.
    pub(crate) fn add_port(&mut self) {
        self.slots.resize(self.slots.len().max(PORT_COUNT), Slot::UNKNOWN);
        self.at.extend(0..PORT_COUNT as u32);
    }

    /// Says what holds where nothing is written.
    pub(crate) fn fill(&mut self, silent: impl Iterator<Item = Slot>) {
        self.slots.iter_mut().take(PORT_COUNT).zip(silent).for_each(|(slot, silent)| *slot = silent);
    }

    /// What is in force.
    pub(crate) fn get(&self, port: usize, id: SettingId) -> Option<&Slot> {
        self.slots.get(*self.at.get(port * PORT_COUNT + id.slot())? as usize)
    }

    /// What is written for the port.
    pub(crate) fn written(&self, port: usize, id: SettingId) -> Option<&Slot> {
        let at = *self.at.get(port * PORT_COUNT + id.slot())? as usize;
        self.slots.get(at).filter(|_| at >= PORT_COUNT)
    }

    /// Writes a port's slot.
    pub(crate) fn set(&mut self, port: usize, id: SettingId, slot: Slot) {
        let Some(at) = self.at.get_mut(port * PORT_COUNT + id.slot()) else { return };
        if *at as usize >= PORT_COUNT {
            self.slots[*at as usize] = slot;
        } else {
            *at = self.slots.len() as u32;
            self.slots.push(slot);
        }
    }

    /// Every slot with its setting, each once.
    pub(crate) fn each_mut(&mut self, mut change: impl FnMut(&mut Slot, SettingId)) {
        let mut done = vec![false; self.slots.len()];
        for (id, at) in std::iter::repeat_with(|| SettingId::all().take(PORT_COUNT)).flatten().zip(&self.at) {
            let at = *at as usize;
            if !std::mem::replace(&mut done[at], true) {
                change(&mut self.slots[at], id);
            }
        }
    }

    /// Where another has another slot, or one that state told: port and setting.
    pub(crate) fn unlike(&self, other: &Self) -> Vec<(usize, SettingId)> {
        let mut unlike = Vec::new();
        // Most ports are silent about most settings: what holds then is compared once.
        let silent = self.slots.iter().zip(&other.slots).take(PORT_COUNT);
        let silent: Vec<bool> = silent.map(|(a, b)| is_same(a, b)).collect();
        for (place, (a, b)) in self.at.iter().zip(&other.at).enumerate() {
            let (a, b) = (*a as usize, *b as usize);
            let same = match (a < PORT_COUNT, b < PORT_COUNT) {
                (true, true) => silent.get(a).copied(),
                _ => self.slots.get(a).zip(other.slots.get(b)).map(|(a, b)| is_same(a, b)),
            };
            if same != Some(true) {
                unlike.extend(SettingId::all().nth(place % PORT_COUNT).map(|id| (place / PORT_COUNT, id)));
            }
        }
        unlike
    }

    /// Whether two ports have the same in force, from the same kind of place; the settings of `but` left out.
    pub(crate) fn alike(&self, one: usize, other: usize, but: SettingId) -> bool {
        let row = |port: usize| self.at.get(port * PORT_COUNT..(port + 1) * PORT_COUNT).unwrap_or_default();
        let same = |a: &Slot, b: &Slot| {
            a.origin == b.origin
                && a.contested == b.contested
                && a.mark.is_some() == b.mark.is_some()
                && a.value == b.value
        };
        row(one)
            .iter()
            .zip(row(other))
            .enumerate()
            .all(|(i, (a, b))| a == b || i == but.slot() || same(&self.slots[*a as usize], &self.slots[*b as usize]))
    }
}
