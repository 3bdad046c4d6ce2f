//! The entries of a policy by the switch that they name: a site of thousands of switches has an entry for most of them, and none is to
//! look at all.

use std::collections::HashMap;

use globset::GlobMatcher;

use super::{MirrorEntry, Policy, Role, Waiver};

/// Positions of entries, by the name of a switch that they give, or a pattern.
#[derive(Debug, Clone, Default)]
pub(super) struct Named {
    exact: HashMap<String, Vec<usize>>,
    patterns: Vec<(GlobMatcher, usize)>,
}

impl Named {
    fn add(&mut self, switch: &str, position: usize) {
        self.exact.entry(switch.to_owned()).or_default().push(position);
    }

    fn add_pattern(&mut self, matcher: &GlobMatcher, position: usize) {
        let text = matcher.glob().glob();
        if text.contains(['*', '?', '[', ']', '{', '}', '\\', '!']) {
            self.patterns.push((matcher.clone(), position));
        } else {
            self.add(text, position);
        }
    }

    /// Those of a switch, in the order of the policy, each once.
    pub(super) fn on(&self, switch: &str) -> Vec<usize> {
        let mut all: Vec<usize> = self.exact.get(switch).cloned().unwrap_or_default();
        all.extend(self.patterns.iter().filter(|(matcher, _)| matcher.is_match(switch)).map(|(_, position)| *position));
        all.sort_unstable();
        all.dedup();
        all
    }
}

/// The entries that are about switches.
#[derive(Debug, Clone, Default)]
pub(super) struct BySwitch {
    pub(super) links: Named,
    pub(super) servers: Named,
    pub(super) waivers: Named,
    pub(super) mirrors: Named,
    /// By role: entries of `ports`.
    pub(super) lists: Vec<Named>,
}

impl BySwitch {
    pub(super) fn of(policy: &Policy) -> Self {
        let mut all = Self::default();
        for (position, link) in policy.links.iter().enumerate() {
            for end in [Some(&link.a), link.b.as_ref()].into_iter().flatten() {
                all.links.add(&end.switch, position);
            }
        }
        policy.dhcp_servers.iter().enumerate().for_each(|(n, server)| all.servers.add(&server.at.switch, n));
        policy.waivers.iter().enumerate().for_each(|(n, waiver)| all.waivers.add_pattern(&waiver.switch, n));
        policy.mirrors.iter().enumerate().for_each(|(n, entry)| all.mirrors.add(&entry.switch, n));
        let lists = |role: &Role| {
            let mut named = Named::default();
            role.ports.iter().enumerate().for_each(|(n, pattern)| named.add_pattern(&pattern.switch, n));
            named
        };
        all.lists = policy.roles.iter().map(lists).collect();
        all
    }
}

impl Policy {
    /// The waivers that are for a switch, with their positions.
    pub fn waivers_on(&self, switch: &str) -> impl Iterator<Item = (usize, &Waiver)> {
        let here = self.by_switch.waivers.on(switch).into_iter();
        here.filter_map(|position| Some((position, self.waivers.get(position)?)))
    }

    /// The entries of the register of mirrors for a switch, with their positions.
    pub fn mirrors_on(&self, switch: &str) -> impl Iterator<Item = (usize, &MirrorEntry)> {
        let here = self.by_switch.mirrors.on(switch).into_iter();
        here.filter_map(|position| Some((position, self.mirrors.get(position)?)))
    }
}
