//! What a switch has across the fleet whoever else is there: told while the switch is at hand, so that it need not be read once more.

use std::sync::{Arc, Mutex, PoisonError};

use rustc_hash::FxHashMap;

use super::tell::{Read, Told, told_on};
use super::{Digest, Digests, FleetView, FleetViolation};
use crate::check::{Check, Run, SwitchView, all};
use crate::policy::AsOf;

/// So many findings of a fleet are foreseen: about as much as they take at its end, when all are told.
const MOST: usize = 1 << 14;

/// What a check would find on a switch, and the finding that it comes to.
#[derive(Debug, Clone)]
pub(super) struct Foreseen {
    check: &'static str,
    violation: FleetViolation,
    told: Box<Told>,
}

/// Tells what checks find that are likely to find the same in the fleet: as if the switch were there alone.
pub(in crate::check) fn foresee(digest: Digest, on: SwitchView<'_>, as_of: &AsOf) -> Digest {
    let alone = Digests::alone(digest);
    let view = FleetView::new(on.policy(), as_of, &alone, &[]);
    let mut nobody = Read::new(&|_: &str| None);
    let mut foreseen = Vec::new();
    for check in all().filter(|check| check.stands_alone) {
        let (Run::Fleet(run), Some(level)) = (&check.run, on.policy().level(check.id, None, check.level)) else {
            continue;
        };
        for violation in run(&view).violations {
            let told = told_on(on, as_of, (check, level, violation.clone()), &mut nobody);
            foreseen.extend(told.map(|told| Foreseen { check: check.id, violation, told: Box::new(told) }));
        }
    }
    drop(view);
    let mut digest = alone.into_first();
    digest.foreseen = foreseen;
    digest
}

/// What was foreseen of the switches of a fleet, until somebody asks.
#[derive(Debug, Default)]
pub(super) struct AllForeseen {
    by_switch: Mutex<FxHashMap<Arc<str>, Vec<Foreseen>>>,
    count: usize,
}

impl AllForeseen {
    /// Takes in what was foreseen of a switch, where there is room: a copy, for what was made among what is not kept holds its pages.
    pub(super) fn add(&mut self, switch: &Arc<str>, foreseen: &[Foreseen]) {
        if !foreseen.is_empty() && self.count + foreseen.len() <= MOST {
            self.count += foreseen.len();
            let by_switch = self.by_switch.get_mut().unwrap_or_else(PoisonError::into_inner);
            by_switch.insert(Arc::clone(switch), foreseen.to_vec());
        }
    }

    /// What was foreseen of what a check found, once; nothing where it did not come true, or was not foreseen.
    pub(super) fn come_true(&self, check: &Check, found: &FleetViolation) -> Option<Box<Told>> {
        let mut by_switch = self.by_switch.lock().unwrap_or_else(PoisonError::into_inner);
        let foreseen = by_switch.get_mut(found.switch.as_ref()?)?;
        let is_it = |one: &Foreseen| one.check == check.id && one.violation == *found;
        let one = foreseen.iter().position(is_it)?;
        Some(foreseen.swap_remove(one).told)
    }
}
