//! Which entries of the policy had a hand in judging: gathered over the fleet.

use std::collections::{BTreeMap, BTreeSet};

use super::Digest;
use crate::finding::{Finding, Related};
use crate::policy::{Assignment, Policy};

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
    /// Ends of links that are ports: link, whether it is end a.
    pub(super) ends: BTreeSet<(usize, bool)>,
    /// Servers that are on a port, or a switch, that is there.
    pub(super) servers: BTreeSet<usize>,
    /// Groups of sisters that have a member.
    pub(super) sisters: BTreeSet<usize>,
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
            let port = finding.port.as_deref().map(Into::into);
            entry.1 = finding.switch.clone().map(|switch| Related { switch, port });
        }
    }

    /// What of links, servers and sisters is on a switch.
    pub(in crate::check) fn place(&mut self, policy: &Policy, digest: &Digest) {
        self.ends.extend(digest.ends.iter().map(|(link, is_a, _)| (*link, *is_a)));
        let there = digest.servers.iter().filter(|(entry, port)| {
            port.is_some() || policy.dhcp_servers.get(*entry).is_some_and(|server| server.at.port.is_none())
        });
        self.servers.extend(there.map(|(entry, _)| *entry));
        let groups = policy.sisters.iter().enumerate();
        let mine = groups.filter(|(_, group)| group.switches.iter().any(|glob| glob.is_match(&*digest.switch)));
        self.sisters.extend(mine.map(|(position, _)| position));
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
        self.ends.extend(other.ends);
        self.servers.extend(other.servers);
        self.sisters.extend(other.sisters);
        for (waiver, (count, first)) in other.waivers {
            let entry = self.waivers.entry(waiver).or_default();
            entry.0 += count;
            entry.1 = entry.1.take().or(first);
        }
    }
}
