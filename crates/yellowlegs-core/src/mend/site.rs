//! A fleet as it is, or as it would be: its switches, what an audit finds on them, and what is around them.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::check::{Digest, Digests, FleetOutcome, FleetView, Judge, Judged, Selection, Usage};
use crate::drill::{Around, Sketch};
use crate::finding::Finding;
use crate::policy::{AsOf, Policy};
use crate::resolve::Resolved;
use crate::sorted;

/// One switch, judged.
#[derive(Clone)]
pub struct Member {
    resolved: Arc<Resolved>,
    judged: Arc<Judged>,
}

impl Member {
    /// The switch.
    pub fn resolved(&self) -> &Resolved {
        &self.resolved
    }
}

/// A fleet, judged. A copy shares what does not change.
#[derive(Clone)]
pub struct Site<'p> {
    /// The policy.
    pub policy: &'p Policy,
    /// The time it is judged at.
    pub as_of: &'p AsOf,
    members: Vec<Member>,
    numbers: Arc<BTreeMap<Arc<str>, usize>>,
    baselines: Arc<Vec<(String, Digest)>>,
}

impl<'p> Site<'p> {
    /// An empty one.
    pub fn new(policy: &'p Policy, as_of: &'p AsOf) -> Self {
        Self { policy, as_of, members: Vec::new(), numbers: Arc::default(), baselines: Arc::default() }
    }

    /// A switch, judged as one of this fleet: several at a time, in any order.
    pub fn judged(&self, resolved: Resolved) -> Member {
        self.judge(Arc::new(resolved))
    }

    /// One switch more, in path order.
    pub fn push(&mut self, member: Member) {
        let numbers = Arc::make_mut(&mut self.numbers);
        numbers.insert(Arc::clone(member.resolved.switch.name()), self.members.len());
        self.members.push(member);
    }

    /// What sisters are compared with, each with its folder.
    pub fn with_baselines(&mut self, baselines: Vec<(String, Resolved)>) {
        let digest =
            |(folder, resolved): (String, Resolved)| (folder, self.judge(Arc::new(resolved)).judged.digest.clone());
        self.baselines = Arc::new(baselines.into_iter().map(digest).collect());
    }

    fn judge(&self, resolved: Arc<Resolved>) -> Member {
        let all = Selection::default();
        let judged = Judge::new(self.policy, self.as_of, &all, false).switch(&resolved, resolved.lists());
        Member { resolved, judged: Arc::new(judged) }
    }

    /// Puts a switch with lines more in its place, which were tried without its state; what was found on it stays until it is
    /// judged again.
    pub(super) fn put_after(&mut self, lines: &[String], tried: &Arc<Resolved>) {
        let Some(number) = self.number(tried.switch.name()) else { return };
        let resolved = &mut self.members[number].resolved;
        if resolved.is_alone() {
            *resolved = Arc::clone(tried);
        } else if let Some(after) = resolved.with_lines(lines) {
            *resolved = Arc::new(after);
        }
    }

    /// Puts another reading of a switch in its place, judged.
    pub fn replace(&mut self, resolved: Resolved) {
        let Some(number) = self.number(resolved.switch.name()) else { return };
        self.members[number] = self.judge(Arc::new(resolved));
    }

    /// The switches, in path order.
    pub fn switches(&self) -> impl Iterator<Item = &Arc<Resolved>> {
        self.members.iter().map(|member| &member.resolved)
    }

    /// A switch by name.
    pub fn get(&self, name: &str) -> Option<&Arc<Resolved>> {
        Some(&self.members.get(self.number(name)?)?.resolved)
    }

    /// A switch by position.
    pub fn at(&self, number: usize) -> Option<&Arc<Resolved>> {
        Some(&self.members.get(number)?.resolved)
    }

    /// The position of a switch.
    pub fn number(&self, name: &str) -> Option<usize> {
        self.numbers.get(name).copied()
    }

    /// Everything that is found, in path order; what looks across switches last.
    pub fn findings(&self) -> Vec<Finding> {
        let mut usage = Usage::default();
        let mut digests = Digests::default();
        let mut doubtful = Vec::new();
        let mut findings = Vec::new();
        for Member { judged, .. } in &self.members {
            findings.extend(judged.outcome.findings.iter().cloned());
            usage.merge(judged.usage.clone());
            digests.push(judged.digest.clone());
            doubtful.extend(judged.doubtful.clone());
        }
        let view = FleetView::new(self.policy, self.as_of, &digests, &self.baselines);
        let certain = digests.certain(doubtful);
        let certain = certain.as_ref().map(|digests| FleetView::new(self.policy, self.as_of, digests, &self.baselines));
        let again = |name: &str| self.get(name).map(|resolved| (**resolved).clone());
        let outcome = FleetOutcome::judge(&view, certain.as_ref(), &mut usage, &Selection::default(), &again);
        findings.extend(outcome.findings);
        findings
    }

    /// What is around each switch, one of them as in another reading.
    pub(super) fn around_with(&self, number: usize, resolved: &Arc<Resolved>) -> Around {
        let mut site = self.clone();
        if let Some(member) = site.members.get_mut(number) {
            member.resolved = Arc::clone(resolved);
        }
        site.around()
    }

    /// What is around each switch.
    pub fn around(&self) -> Around {
        let sketches = self.switches().map(|resolved| Sketch::of(resolved, self.policy, self.as_of)).collect();
        let mut around = Around::new(sketches, self.as_of);
        let wanted: sorted::Set<Arc<str>> = sorted::set(around.on_the_way().cloned());
        for resolved in self.switches().filter(|resolved| wanted.contains(resolved.switch.name())) {
            around.keep(Arc::clone(resolved));
        }
        around
    }
}
