//! Everything that was written about one setting, of all ports at once: where a switch is asked for the history of many of its ports, its
//! text is gone through once and not for each.

use std::sync::{Arc, Mutex, OnceLock};

use rustc_hash::FxHashMap;

use crate::model::{SettingId, Slot};
use crate::sorted;

/// So many ports are gone through one by one: most switches are asked for a few.
const FEW: u32 = 16;

/// What came of each statement about a setting, with its place in their order.
#[derive(Debug, Default)]
pub(super) struct Spoken {
    of_all: Vec<(u32, Slot)>,
    /// The same without their places.
    alone: OnceLock<Arc<[Slot]>>,
    by_port: FxHashMap<usize, Vec<(u32, Slot)>>,
}

impl Spoken {
    pub(super) fn of(history: Vec<(Option<usize>, Slot)>) -> Self {
        let mut spoken = Self::default();
        for (place, (port, slot)) in (0..).zip(history) {
            match port {
                None => spoken.of_all.push((place, slot)),
                Some(port) => spoken.by_port.entry(port).or_default().push((place, slot)),
            }
        }
        spoken
    }

    /// What was written about it on a port, or where no port is named.
    pub(super) fn on(&self, port: Option<usize>) -> Arc<[Slot]> {
        let own = port.and_then(|port| self.by_port.get(&port));
        let Some(own) = own else {
            return Arc::clone(self.alone.get_or_init(|| self.of_all.iter().map(|(_, slot)| slot.clone()).collect()));
        };
        let mut all: Vec<&(u32, Slot)> = self.of_all.iter().chain(own).collect();
        sorted::by_key(&mut all, |(place, _)| *place);
        all.into_iter().map(|(_, slot)| slot.clone()).collect()
    }
}

/// How often each setting was asked for, and what is known of it once that was often.
#[derive(Debug, Default)]
pub(super) struct Asked(Mutex<FxHashMap<SettingId, Times>>);

/// How often, and what is known.
type Times = (u32, Option<Arc<Spoken>>);

impl Asked {
    /// Whether a setting is asked for so often that all ports are gone through at once; asking counts.
    pub(super) fn is_often(&self, setting: SettingId) -> bool {
        let Ok(mut asked) = self.0.lock() else { return false };
        let (times, _) = asked.entry(setting).or_default();
        *times += 1;
        *times > FEW
    }

    /// What is known of a setting on all ports; `None` while it was asked for a few times.
    pub(super) fn often(&self, setting: SettingId, gather: impl FnOnce() -> Spoken) -> Option<Arc<Spoken>> {
        if !self.is_often(setting) {
            return None;
        }
        let mut asked = self.0.lock().ok()?;
        let (_, spoken) = asked.entry(setting).or_default();
        Some(Arc::clone(spoken.get_or_insert_with(|| Arc::new(gather()))))
    }
}
