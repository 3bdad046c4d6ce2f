//! The settings of a switch's ports: what somebody wrote for each, and once for all what holds where nobody did.

use std::hash::{Hash, Hasher};
use std::ops::Range;

use rustc_hash::FxHashMap;

use super::{Mark, Origin, Scope, SettingId, SettingSet, Slot, Value, settings::PORT_COUNT};

/// So many of what was said of a setting are looked through before they are looked up.
const LATELY: usize = 8;
/// So many things the ports of most switches say.
const MOST_SAY: usize = 128;

/// What a slot says, whatever line says it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Saying<'a>(pub(crate) &'a Slot);

impl Saying<'_> {
    /// What it is in two words, where it is one of the small ones: equal words say the same. The first tells choices apart.
    pub(crate) fn words(&self) -> Option<(usize, u64)> {
        let choices = match &self.0.value {
            Some(Value::Choice { set, .. }) => std::ptr::from_ref(*set).addr(),
            _ => 0,
        };
        Some((choices, word(self.0)?))
    }
}

impl PartialEq for Saying<'_> {
    fn eq(&self, other: &Self) -> bool {
        let (a, b) = (self.0, other.0);
        a.origin == b.origin && a.contested == b.contested && a.mark.is_some() == b.mark.is_some() && a.value == b.value
    }
}

impl Eq for Saying<'_> {}

impl Hash for Saying<'_> {
    fn hash<H: Hasher>(&self, state: &mut H) {
        let kind = self.0.value.as_ref().map(std::mem::discriminant);
        (self.0.origin as u8, kind).hash(state);
        match &self.0.value {
            // The small ones in one step: most slots say one of them.
            Some(Value::Flag(on)) => on.hash(state),
            Some(Value::Choice { index, .. }) => index.hash(state),
            Some(Value::Count(number) | Value::Seconds(number) | Value::Milliwatts(number)) => number.hash(state),
            value => value.hash(state),
        }
    }
}

/// What a slot says in one word, where it is one of the small ones. Equal words of one setting say the same; of several, too, but for a choice.
fn word(slot: &Slot) -> Option<u64> {
    let (kind, small) = match &slot.value {
        None => (0_u64, 0),
        Some(Value::Flag(on)) => (1, u32::from(*on)),
        Some(Value::Choice { index, .. }) => (2, u32::from(*index)),
        Some(Value::Count(number)) => (3, *number),
        Some(Value::Seconds(number)) => (4, *number),
        Some(Value::Milliwatts(number)) => (5, *number),
        Some(Value::Vlan(vlan)) => (6, vlan.map_or(0, |vlan| u32::from(vlan.get()))),
        Some(_) => return None,
    };
    let flags = u64::from(slot.contested) | u64::from(slot.mark.is_some()) << 1;
    Some(u64::from(small) << 32 | (slot.origin as u64) << 8 | kind << 4 | flags << 1 | 1)
}

/// What is written for each port, as numbers: ports with equal rows have the same in force, from the same kind of place.
#[derive(Debug, Clone, Default)]
pub(crate) struct Rows {
    /// By number, the position of the first slot that says it.
    first: Vec<u32>,
    /// Setting and number of what is written, of one port behind the other.
    cells: Vec<(u16, u32)>,
    /// By port, where its cells end.
    ends: Vec<u32>,
    /// The settings of which something is written for some port.
    written: SettingSet,
}

impl Rows {
    /// Where nobody looked, anything may be written for any port.
    pub(crate) fn not_looked_at() -> Self {
        Self { written: SettingId::of(Scope::Port).collect(), ..Self::default() }
    }

    /// Whether something of a setting may be written for some port: of one that rows leave out always.
    pub(crate) fn may_say(&self, id: SettingId) -> bool {
        self.written.contains(id)
    }

    /// What is written for a port: by setting, the number of what its slot says.
    pub(crate) fn of(&self, port: usize) -> &[(u16, u32)] {
        let begins = |port: usize| port.checked_sub(1).map_or(0, |before| self.ends[before] as usize);
        let cells = |_: &u32| self.cells.get::<Range<usize>>(begins(port)..begins(port + 1)).unwrap_or_default();
        self.ends.get(port).map(cells).unwrap_or_default()
    }
}

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
    /// The positions of slots that several ports share beside those.
    shared: Vec<u32>,
}

impl PortSlots {
    /// So many ports about which nothing is written. What holds then is said by [`PortSlots::fill`].
    pub(crate) fn silent(ports: usize) -> Self {
        let room = PORT_COUNT + ports * (PORT_COUNT / 3);
        let mut slots =
            Self { slots: Vec::with_capacity(room), at: Vec::with_capacity(ports * PORT_COUNT), shared: Vec::new() };
        (0..ports).for_each(|_| slots.add_port());
        slots
    }

    /// One port more, about which nothing is written.
    pub(crate) fn add_port(&mut self) {
        self.slots.resize(self.slots.len().max(PORT_COUNT), Slot::UNKNOWN);
        self.at.extend(0..PORT_COUNT as u32);
    }

    /// Puts lists together that lines made.
    #[inline]
    pub(crate) fn settle(&mut self) {
        self.slots.iter_mut().filter_map(|slot| slot.value.as_mut()).for_each(Value::settle);
    }

    /// Says what holds where nothing is written.
    #[inline]
    pub(crate) fn fill(&mut self, silent: impl Iterator<Item = Slot>) {
        self.slots.iter_mut().take(PORT_COUNT).zip(silent).for_each(|(slot, silent)| *slot = silent);
    }

    /// What is in force.
    #[inline]
    pub(crate) fn get(&self, port: usize, id: SettingId) -> Option<&Slot> {
        self.slots.get(*self.at.get(port * PORT_COUNT + id.slot())? as usize)
    }

    /// The same with its position: ports that share a slot have it at one.
    pub(crate) fn at(&self, port: usize, id: SettingId) -> Option<(usize, &Slot)> {
        let at = *self.at.get(port * PORT_COUNT + id.slot())? as usize;
        Some((at, self.slots.get(at)?))
    }

    /// How many slots there are.
    pub(crate) fn len(&self) -> usize {
        self.slots.len()
    }

    /// What is written for the port.
    #[inline]
    pub(crate) fn written(&self, port: usize, id: SettingId) -> Option<&Slot> {
        let at = *self.at.get(port * PORT_COUNT + id.slot())? as usize;
        self.slots.get(at).filter(|_| at >= PORT_COUNT)
    }

    /// Writes a port's slot.
    #[inline]
    pub(crate) fn set(&mut self, port: usize, id: SettingId, slot: Slot) {
        let Some(at) = self.at.get_mut(port * PORT_COUNT + id.slot()) else { return };
        if *at as usize >= PORT_COUNT && !self.shared.contains(at) {
            self.slots[*at as usize] = slot;
        } else {
            *at = self.slots.len() as u32;
            self.slots.push(slot);
        }
    }

    /// Writes a port's slot, in place of what was written before: it is contested where something was.
    #[inline]
    pub(crate) fn write(&mut self, port: usize, id: SettingId, (value, origin): (Value, Origin), mark: Mark) {
        let Some(at) = self.at.get_mut(port * PORT_COUNT + id.slot()) else { return };
        let before = self.slots.get_mut(*at as usize).filter(|_| *at as usize >= PORT_COUNT);
        let contested = before.as_ref().is_some_and(|before| before.says_something());
        let slot = Slot { value: Some(value), origin, mark: Some(mark), contested };
        match before.filter(|_| !self.shared.contains(at)) {
            Some(before) => *before = slot,
            None => {
                *at = self.slots.len() as u32;
                self.slots.push(slot);
            }
        }
    }

    /// Says of a port's own slot that other lines speak of the setting, too.
    #[inline]
    pub(crate) fn contest(&mut self, port: usize, id: SettingId) {
        let Some(slot) = self.written(port, id).filter(|slot| !slot.contested) else { return };
        let slot = Slot { contested: true, ..slot.clone() };
        self.set(port, id, slot);
    }

    /// Keeps a slot that several ports will share, all for one setting.
    pub(crate) fn add_shared(&mut self, slot: Slot) -> u32 {
        let at = self.slots.len() as u32;
        self.slots.push(slot);
        self.shared.push(at);
        at
    }

    /// Gives a port a slot that is shared.
    #[inline]
    pub(crate) fn share(&mut self, port: usize, id: SettingId, shared: u32) {
        if let Some(at) = self.at.get_mut(port * PORT_COUNT + id.slot()) {
            *at = shared;
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

    /// The rows of all ports; the setting `but` is left out.
    pub(crate) fn rows(&self, but: SettingId) -> Rows {
        let ports = self.at.len() / PORT_COUNT;
        let mut rows = Rows {
            first: Vec::with_capacity(MOST_SAY),
            cells: Vec::with_capacity(self.slots.len()),
            ends: Vec::with_capacity(ports),
            written: SettingSet::default(),
        };
        let mut written = [false; PORT_COUNT];
        written[but.slot()] = true;
        let mut words: FxHashMap<(Option<u16>, u64), u32> =
            FxHashMap::with_capacity_and_hasher(MOST_SAY, rustc_hash::FxBuildHasher);
        let mut numbers: FxHashMap<Saying<'_>, u32> = FxHashMap::default();
        // Most say what a port shortly before said: that is seen without a hash.
        let mut lately = [([(0_u64, 0_u32); LATELY], 0_usize); PORT_COUNT];
        // A slot that several share is looked at once for ports that follow each other.
        let mut last = [(0_u32, 0_u32); PORT_COUNT];
        for row in self.at.chunks(PORT_COUNT) {
            for (cell, at) in row.iter().enumerate().filter(|(_, at)| **at as usize >= PORT_COUNT) {
                if cell == but.slot() {
                    continue;
                }
                if last[cell].0 == *at {
                    rows.cells.push((cell as u16, last[cell].1));
                    continue;
                }
                written[cell] = true;
                let slot = &self.slots[*at as usize];
                let next = rows.first.len() as u32;
                let number = match word(slot) {
                    Some(word) => match lately[cell].0.iter().find(|(seen, _)| *seen == word) {
                        Some((_, number)) => *number,
                        None => {
                            let of = matches!(slot.value, Some(Value::Choice { .. })).then_some(cell as u16);
                            let known = words.get(&(of, word)).copied();
                            let number = known.unwrap_or_else(|| *words.entry((of, word)).or_insert(next));
                            let (of_cell, next) = &mut lately[cell];
                            of_cell[*next % LATELY] = (word, number);
                            *next += 1;
                            number
                        }
                    },
                    None => *numbers.entry(Saying(slot)).or_insert(next),
                };
                if number == next {
                    rows.first.push(*at);
                }
                rows.cells.push((cell as u16, number));
                last[cell] = (*at, number);
            }
            rows.ends.push(rows.cells.len() as u32);
        }
        rows.written = SettingId::of(Scope::Port).zip(written).filter(|(_, is)| *is).map(|(id, _)| id).collect();
        rows
    }

    /// What the numbers of rows stand for, in their order.
    pub(crate) fn said<'a>(&'a self, rows: &'a Rows) -> impl Iterator<Item = &'a Slot> {
        rows.first.iter().map(|at| &self.slots[*at as usize])
    }

    /// What holds where nothing is written, in the order of the settings.
    pub(crate) fn silent_ones(&self) -> &[Slot] {
        self.slots.get(..PORT_COUNT).unwrap_or_default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Choice, FastStart, Mark, Mode, VlanId, VlanSet};
    use proptest::prelude::*;
    use std::sync::Arc;

    fn slots() -> impl Strategy<Value = Option<Slot>> {
        let vlan = || prop_oneof![Just(None), (1_i64..4).prop_map(|vlan| VlanId::new(vlan).ok())];
        let value = prop_oneof![
            Just(None),
            any::<bool>().prop_map(|on| Some(Value::Flag(on))),
            (0_u8..2).prop_map(|index| Some(Value::Choice { set: Mode::SET, index })),
            (0_u32..3).prop_map(|number| Some(Value::Count(number))),
            (0_u32..3).prop_map(|number| Some(Value::Seconds(number))),
            (0_u32..3).prop_map(|number| Some(Value::Milliwatts(number))),
            vlan().prop_map(|vlan| Some(Value::Vlan(vlan))),
            vlan().prop_map(|vlan| Some(Value::Vlans(Arc::new(vlan.into_iter().collect::<VlanSet>())))),
            "[ab]{0,2}".prop_map(|text| Some(Value::Text(text.into()))),
        ];
        let origin = prop_oneof![Just(Origin::Port), Just(Origin::Global), Just(Origin::Unknown)];
        let mark = any::<bool>().prop_map(|there| there.then_some(Mark { file: 1, line: 1, offset: 0, width: 1 }));
        let slot = (value, origin, mark, any::<bool>());
        let slot = slot.prop_map(|(value, origin, mark, contested)| Slot { value, origin, mark, contested });
        prop_oneof![3 => Just(None), 7 => slot.prop_map(Some)]
    }

    proptest! {
        /// Slots have equal words where they say the same, and only there; unlike choices are told apart by their words, too.
        #[test]
        fn words_are_equal_where_the_same_is_said(slots in prop::collection::vec(slots(), 2..40), others in any::<u64>()) {
            let mut slots: Vec<Slot> = slots.into_iter().flatten().collect();
            for (at, slot) in slots.iter_mut().enumerate() {
                if let (Some(Value::Choice { set, .. }), 1) = (&mut slot.value, others >> (at % 64) & 1) {
                    *set = FastStart::SET;
                }
            }
            for (a, b) in slots.iter().flat_map(|a| slots.iter().map(move |b| (a, b))) {
                let (of_a, of_b) = (Saying(a).words(), Saying(b).words());
                if let (Some(of_a), Some(of_b)) = (of_a, of_b) {
                    prop_assert_eq!(of_a == of_b, Saying(a) == Saying(b), "{:?} {:?}", a, b);
                } else {
                    prop_assert!(of_a.is_none() && of_b.is_none() || Saying(a) != Saying(b), "{:?} {:?}", a, b);
                }
            }
        }

        /// What is written over a slot in place is what is set there, contested where something was written before; what several share stays.
        #[test]
        fn writing_in_place_is_setting(said in prop::collection::vec((0_usize..3, slots(), 0_u8..3), 1..20)) {
            let id = SettingId::all().next().expect("there is a setting");
            let (mut set, mut written) = (PortSlots::silent(3), PortSlots::silent(3));
            let shared = Slot { value: Some(Value::Flag(true)), origin: Origin::Global, ..Slot::UNKNOWN };
            let of_both = [&mut set, &mut written].map(|slots| slots.add_shared(shared.clone()));
            let mark = Mark { file: 1, line: 1, offset: 0, width: 1 };
            for (port, slot, how) in said {
                let value = slot.and_then(|slot| slot.value);
                match (value, how) {
                    (_, 0) => {
                        set.share(port, id, of_both[0]);
                        written.share(port, id, of_both[1]);
                    }
                    (Some(value), _) => {
                        let before = set.written(port, id);
                        let contested = before.is_some_and(|before| before.contested || !before.is_unset());
                        let slot = Slot { value: Some(value.clone()), origin: Origin::Port, mark: Some(mark), contested };
                        set.set(port, id, slot);
                        written.write(port, id, (value, Origin::Port), mark);
                    }
                    (None, _) => {
                        // A line took it back: nothing is said, and something was.
                        let taken_back = Slot { contested: true, ..Slot::UNKNOWN };
                        set.set(port, id, taken_back.clone());
                        written.set(port, id, taken_back);
                    }
                }
                for port in 0..3 {
                    prop_assert_eq!(set.get(port, id), written.get(port, id));
                }
            }
        }

        /// Six settings of up to 30 ports: their rows are equal where what their slots say is, and the numbers stand for what is said.
        #[test]
        fn rows_are_equal_where_the_same_is_said(mut ports in prop::collection::vec(prop::collection::vec(slots(), 6), 1..30)) {
            // Two settings of unlike words: a setting has its own, and these are no other's.
            for slot in ports.iter_mut().flat_map(|row| row.iter_mut().step_by(2)).flatten() {
                if let Some(Value::Choice { set, .. }) = &mut slot.value {
                    *set = FastStart::SET;
                }
            }
            let ids: Vec<SettingId> = SettingId::all().take(7).collect();
            let but = ids[6];
            let mut all = PortSlots::silent(ports.len());
            for (port, row) in ports.iter().enumerate() {
                all.set(port, but, Slot { value: Some(Value::Count(port as u32)), ..Slot::UNKNOWN });
                for (id, slot) in ids.iter().zip(row) {
                    slot.iter().for_each(|slot| all.set(port, *id, slot.clone()));
                }
            }
            let rows = all.rows(but);
            prop_assert!(rows.may_say(but));
            for (at, id) in ids.iter().take(6).enumerate() {
                prop_assert_eq!(rows.may_say(*id), ports.iter().any(|row| row[at].is_some()), "{}", id.name());
            }
            let said: Vec<&Slot> = all.said(&rows).collect();
            for (port, row) in ports.iter().enumerate() {
                let written = ids.iter().zip(row).filter_map(|(id, slot)| Some((id.slot() as u16, slot.as_ref()?)));
                let of_port = rows.of(port).iter().map(|(id, number)| (*id, said[*number as usize]));
                let same = |((a, x), (b, y)): ((u16, &Slot), (u16, &Slot))| a == b && Saying(x) == Saying(y);
                prop_assert_eq!(written.clone().count(), of_port.len());
                prop_assert!(written.zip(of_port).all(same), "{:?}", row);
                for (other, there) in ports.iter().enumerate() {
                    let equal = row.iter().map(|slot| slot.as_ref().map(Saying)).eq(there.iter().map(|slot| slot.as_ref().map(Saying)));
                    prop_assert_eq!(rows.of(port) == rows.of(other), equal);
                }
            }
        }
    }
}
