//! The pass over the fleet: what only shows when every switch was judged.

use std::collections::{BTreeMap, BTreeSet};

use super::say::fill;
use super::{Run, Selection, all};
use crate::finding::{Evidence, Fact, Finding, Related, fingerprint, quote_cite};
use crate::policy::{AsOf, Assignment, Cite, Policy};

/// Which entries of the policy had a hand in judging: gathered over the fleet.
#[derive(Debug, Clone, Default)]
pub struct Usage {
    roles: BTreeSet<usize>,
    lists: BTreeSet<(usize, usize)>,
    describes: BTreeSet<(usize, usize)>,
    /// By waiver: how many findings it covers, and the first of them.
    waivers: BTreeMap<usize, (u32, Option<Related>)>,
}

impl Usage {
    pub(super) fn of(roles: &Assignment) -> Self {
        Self {
            roles: roles.roles.clone(),
            lists: roles.lists.clone(),
            describes: roles.describes.clone(),
            waivers: BTreeMap::new(),
        }
    }

    pub(super) fn covers(&mut self, waiver: usize, finding: &Finding) {
        let entry = self.waivers.entry(waiver).or_default();
        entry.0 += 1;
        if entry.1.is_none() {
            entry.1 = finding.switch.clone().map(|switch| Related { switch, port: finding.port.clone() });
        }
    }

    /// Takes in another switch's.
    pub fn merge(&mut self, other: Self) {
        self.roles.extend(other.roles);
        self.lists.extend(other.lists);
        self.describes.extend(other.describes);
        for (waiver, (count, first)) in other.waivers {
            let entry = self.waivers.entry(waiver).or_default();
            entry.0 += count;
            entry.1 = entry.1.take().or(first);
        }
    }
}

/// What a fleet check sees.
pub struct FleetView<'a> {
    /// The policy.
    pub policy: &'a Policy,
    /// The time it is judged at.
    pub as_of: &'a AsOf,
    /// What was used.
    pub usage: &'a Usage,
}

impl FleetView<'_> {
    /// Whether some port has a role.
    pub fn role_is_used(&self, role: usize) -> bool {
        self.usage.roles.contains(&role)
    }

    /// Whether an entry of a role's `ports` names some port.
    pub fn list_is_used(&self, role: usize, entry: usize) -> bool {
        self.usage.lists.contains(&(role, entry))
    }

    /// Whether a pattern of a role's `describes` fits some description.
    pub fn pattern_is_used(&self, role: usize, entry: usize) -> bool {
        self.usage.describes.contains(&(role, entry))
    }

    /// How many findings a waiver covers, and the first of them.
    pub fn covered(&self, waiver: usize) -> (u32, Option<&Related>) {
        self.usage.waivers.get(&waiver).map_or((0, None), |(count, first)| (*count, first.as_ref()))
    }
}

/// A violation of the fleet: the facts.
pub struct FleetViolation {
    /// The sentence, with holes in braces.
    pub says: &'static str,
    /// What fills them.
    pub facts: Vec<(&'static str, Fact)>,
    /// The policy line it is about.
    pub cite: Cite,
    /// Ports it is about.
    pub related: Vec<Related>,
}

/// What the pass over the fleet comes to.
pub struct FleetOutcome {
    /// Its findings, by check.
    pub findings: Vec<Finding>,
}

impl FleetOutcome {
    /// Runs the fleet's checks. A selection of switches or ports leaves them out, for they are about neither.
    pub fn judge(view: &FleetView<'_>, selection: &Selection) -> Self {
        let mut findings = Vec::new();
        if selection.switch.is_some() || selection.names_ports() {
            return Self { findings };
        }
        for check in all().filter(|c| selection.takes_check(c.id)) {
            let Run::Fleet(run) = check.run else { continue };
            let Some(level) = view.policy.level(check.id, None, check.level) else { continue };
            for violation in run(view) {
                let facts: BTreeMap<&'static str, String> =
                    violation.facts.iter().map(|(name, fact)| (*name, fact.to_string())).collect();
                let evidence: Evidence = quote_cite(&violation.cite);
                let message = fill(violation.says, &facts);
                findings.push(Finding {
                    check: check.id,
                    level,
                    switch: None,
                    port: None,
                    vlan: None,
                    role: None,
                    role_from: None,
                    fingerprint: fingerprint([check.id, evidence.text.trim()]),
                    message,
                    settings: Vec::new(),
                    evidence: vec![evidence],
                    overridden: Vec::new(),
                    remedy: fill(check.remedy, &facts),
                    inputs: violation.facts.into_iter().collect(),
                    related: violation.related,
                    waiver: None,
                });
            }
        }
        findings.sort_by_key(|f| f.check);
        Self { findings }
    }
}
