//! Which entries of the policy had a hand in judging: gathered over the fleet.

use std::collections::{BTreeMap, BTreeSet};

use crate::finding::{Finding, Related};
use crate::policy::Assignment;

/// What was used, by position in the policy.
#[derive(Debug, Clone, Default)]
pub struct Usage {
    pub(super) roles: BTreeSet<usize>,
    pub(super) lists: BTreeSet<(usize, usize)>,
    pub(super) describes: BTreeSet<(usize, usize)>,
    /// By waiver: how many findings it covers, and the first of them.
    pub(super) waivers: BTreeMap<usize, (u32, Option<Related>)>,
    /// Entries of the register of mirrors that fit a session.
    pub(super) mirrors: BTreeSet<usize>,
}

impl Usage {
    pub(in crate::check) fn of(roles: &Assignment) -> Self {
        Self {
            roles: roles.roles.clone(),
            lists: roles.lists.clone(),
            describes: roles.describes.clone(),
            ..Self::default()
        }
    }

    pub(in crate::check) fn covers(&mut self, waiver: usize, finding: &Finding) {
        let entry = self.waivers.entry(waiver).or_default();
        entry.0 += 1;
        if entry.1.is_none() {
            entry.1 = finding.switch.clone().map(|switch| Related { switch, port: finding.port.clone() });
        }
    }

    pub(in crate::check) fn mirrors(&mut self, entry: usize) {
        self.mirrors.insert(entry);
    }

    /// Takes in another switch's.
    pub fn merge(&mut self, other: Self) {
        self.roles.extend(other.roles);
        self.lists.extend(other.lists);
        self.describes.extend(other.describes);
        self.mirrors.extend(other.mirrors);
        for (waiver, (count, first)) in other.waivers {
            let entry = self.waivers.entry(waiver).or_default();
            entry.0 += count;
            entry.1 = entry.1.take().or(first);
        }
    }
}
