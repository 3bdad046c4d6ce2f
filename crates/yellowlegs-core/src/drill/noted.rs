//! What is noted of a play: the settings that it asked, and how far it went with limits. Until what came reaches a limit, nothing hangs on
//! how high it is: all ports that bear as much are alike in it.

use crate::model::{Key, Rate, Seconds, SettingId, SettingSet, Switch, settings};

use super::machine::frames_in_a_second;

/// Settings that are held against what has come so far.
pub(super) const LIMITS: [SettingId; 8] = [
    settings::STORM_BROADCAST.id,
    settings::STORM_MULTICAST.id,
    settings::SNOOPING_RATE.id,
    settings::INSPECTION_RATE.id,
    settings::LIMIT.id,
    settings::AGING.id,
    settings::FLAP_THRESHOLD.id,
    settings::FLAP_WINDOW.id,
];

/// The number of a limit among them.
pub(super) fn number(id: SettingId) -> Option<usize> {
    LIMITS.iter().position(|limit| *limit == id)
}

/// The settings of one switch that were asked.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(super) struct Noted {
    /// Those of which every value is another.
    asked: SettingSet,
    /// Of each limit, what it had to bear; 0: it was not asked.
    came: [u64; LIMITS.len()],
}

impl Noted {
    pub(super) fn new(asked: SettingSet, came: [u64; LIMITS.len()]) -> Self {
        Self { asked, came }
    }

    /// Settings of which every value is another.
    pub(super) fn of(asked: SettingSet) -> Self {
        Self { asked, ..Self::default() }
    }

    pub(super) fn asked(&self) -> SettingSet {
        self.asked
    }

    /// Of each limit, what it had to bear.
    pub(super) fn came(&self) -> [u64; LIMITS.len()] {
        self.came
    }

    /// Every setting that was asked, in whatever way.
    pub(super) fn all(&self) -> SettingSet {
        let limits = LIMITS.iter().zip(self.came).filter(|(_, came)| *came > 0);
        limits.fold(self.asked, |all, (limit, _)| all.union([*limit].into_iter().collect()))
    }

    #[must_use]
    pub(super) fn union(mut self, other: Self) -> Self {
        self.asked = self.asked.union(other.asked);
        self.came.iter_mut().zip(other.came).for_each(|(came, other)| *came = (*came).max(other));
        self
    }

    /// What tells ports apart: of what is written for one that was asked, and of the limits that may not bear what came.
    pub(super) fn tell_apart(&self, row: &[(u16, u32)], port: &Apart, key: &mut Vec<(u16, u32)>) {
        // Asked for each drill on each port: the room is there at once.
        key.reserve(row.len() + LIMITS.len());
        let both = self.asked.common(port.written).words();
        let mut before = 0;
        for (mut both, written) in both.into_iter().zip(port.written.words()) {
            while both != 0 {
                let bit = both & both.wrapping_neg();
                both ^= bit;
                // A cell stands behind those of the settings before it.
                let at = before + (written & (bit - 1)).count_ones();
                key.extend(row.get(at as usize));
            }
            before += written.count_ones();
        }
        for ((limit, came), borne) in LIMITS.iter().zip(self.came).zip(&port.borne.0) {
            if came == 0 || borne.is_some_and(|borne| borne >= came) || self.asked.contains(*limit) {
                continue;
            }
            // Where nothing is written, all ports have the same.
            let at = limit.slot() as u16;
            let written = row.binary_search_by_key(&at, |(setting, _)| *setting).map_or(u32::MAX, |cell| row[cell].1);
            key.push((at, written));
        }
    }
}

/// What may tell a port apart from others.
#[derive(Debug)]
pub(super) struct Apart {
    borne: Borne,
    /// The settings of which something is written for it.
    written: SettingSet,
}

impl Apart {
    /// `row`: what is written for the port.
    pub(super) fn of(switch: &Switch, port: usize, row: &[(u16, u32)]) -> Self {
        let mut words = SettingSet::default().words();
        for (at, _) in row {
            let (word, bit) = SettingSet::place_of_port_setting(*at);
            words[word] |= bit;
        }
        Self { borne: Borne::of(switch, port), written: SettingSet::of_words(words) }
    }
}

/// What each limit of a port bears: frames in a second, stations, milliseconds of silence, changes of link. None: that is no number, or
/// nobody knows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Borne([Option<u64>; LIMITS.len()]);

impl Borne {
    fn of(switch: &Switch, port: usize) -> Self {
        let rate = |key: Key<Option<Rate>>| {
            let speed = switch.setting(Some(port), settings::SPEED).value;
            let rate = switch.setting(Some(port), key).value?;
            Some(rate.map_or(u64::MAX, |rate| frames_in_a_second(rate, speed)))
        };
        let number = |key: Key<u32>| switch.setting(Some(port), key).value.map(u64::from);
        // Without aging nobody is ever forgotten: that is another thing than late.
        let aging = switch.setting(Some(port), settings::AGING).value.filter(|aging| *aging > Seconds(0));
        // How long changes count is asked only once there are enough of them; until then it is enough that somebody knows.
        let window = switch.setting(Some(port), settings::FLAP_WINDOW).value.map(|_| u64::MAX);
        Self([
            rate(settings::STORM_BROADCAST),
            rate(settings::STORM_MULTICAST),
            rate(settings::SNOOPING_RATE),
            rate(settings::INSPECTION_RATE),
            number(settings::LIMIT),
            aging.map(Seconds::millis),
            number(settings::FLAP_THRESHOLD),
            window,
        ])
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Scope;
    use proptest::prelude::*;

    proptest! {
        /// Of what is written for a port, the cells of the settings that were asked tell it apart, in their order, and no others.
        #[test]
        fn what_was_asked_tells_apart(written in any::<u128>(), asked in any::<u128>(), first in 0_u32..1000) {
            let settings: Vec<SettingId> = SettingId::of(Scope::Port).collect();
            let is_in = |of: u128, id: &SettingId| of >> (id.slot() % 128) & 1 == 1;
            let row: Vec<(u16, u32)> = settings
                .iter()
                .filter(|id| is_in(written, id))
                .zip(first..)
                .map(|(id, number)| (id.slot() as u16, number))
                .collect();
            let noted = Noted::of(settings.iter().filter(|id| is_in(asked, id)).copied().collect());
            let mut key = Vec::new();
            let apart = Apart::of(&Switch::empty("t".into()), 0, &row);
            noted.tell_apart(&row, &apart, &mut key);
            let wanted = |cell: &&(u16, u32)| settings.iter().any(|id| id.slot() as u16 == cell.0 && is_in(asked, id));
            prop_assert_eq!(key, row.iter().filter(wanted).copied().collect::<Vec<_>>());
        }
    }
}
