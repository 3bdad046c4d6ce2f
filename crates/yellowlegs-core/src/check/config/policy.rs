//! Entries of the policy that are over, or match nothing.

use crate::check::{Check, FleetView, FleetViolation, Run};
use crate::finding::Fact;
use crate::policy::{Cite, Level};

pub(super) const WAIVER_EXPIRED: Check = Check {
    id: "config/waiver-expired",
    title: "a waiver past its last day still covers something",
    level: Level::Risk,
    needs: &[],
    uses: &[],
    policy: &["waiver.last-day", "as-of"],
    reference: "docs/policy.md, Waivers",
    why: "An exception was agreed for a time, and the time is over. What it excused still stands.",
    remedy: "Mend what it covers, or agree on a new last day with {owner}.",
    judges: &[],
    absorbs: &[],
    run: Run::Fleet(waiver_expired),
};

fn waiver_expired(fleet: &FleetView<'_>) -> Vec<FleetViolation> {
    let mut violations = Vec::new();
    for (position, waiver) in fleet.policy.waivers.iter().enumerate() {
        let (count, first) = fleet.covered(position);
        if count == 0 || fleet.as_of.date() <= waiver.last_day {
            continue;
        }
        violations.push(FleetViolation {
            says: "the waiver for {check} ended on {last-day} and still covers {count} finding(s)",
            facts: vec![
                ("check", waiver.check.as_str().into()),
                ("last-day", waiver.last_day.to_string().into()),
                ("as-of", fleet.as_of.as_str().into()),
                ("count", count.into()),
                ("owner", waiver.owner.as_str().into()),
            ],
            cite: waiver.cite.clone(),
            related: first.cloned().into_iter().collect(),
        });
    }
    violations
}

pub(super) const POLICY_UNUSED: Check = Check {
    id: "config/policy-unused",
    title: "an entry of the policy matches nothing",
    level: Level::Advice,
    needs: &[],
    uses: &[],
    policy: &["role", "waiver"],
    reference: "docs/policy.md",
    why: "A dead entry is a typing error that switches a check off, or an exception nobody needs any more that \
          waits for the next fault to excuse.",
    remedy: "Correct the entry, or take it out.",
    judges: &[],
    absorbs: &[],
    run: Run::Fleet(policy_unused),
};

fn policy_unused(fleet: &FleetView<'_>) -> Vec<FleetViolation> {
    let mut violations = Vec::new();
    let mut unused = |says, name: &str, cite: &Cite| {
        let facts = vec![("name", Fact::from(name))];
        violations.push(FleetViolation { says, facts, cite: cite.clone(), related: Vec::new() });
    };
    for (number, role) in fleet.policy.roles.iter().enumerate() {
        let dead_lists = role.ports.iter().enumerate().filter(|(i, _)| !fleet.list_is_used(number, *i));
        dead_lists.for_each(|(_, p)| unused("this entry of role {name} names no port", &role.name, &p.cite));
        let dead_patterns = role.describes.iter().enumerate().filter(|(i, _)| !fleet.pattern_is_used(number, *i));
        if fleet.policy.derive.description {
            dead_patterns
                .for_each(|(_, (_, cite))| unused("this pattern of role {name} fits no description", &role.name, cite));
        }
        let has_entries = !role.ports.is_empty() || !role.describes.is_empty();
        if !has_entries && !fleet.role_is_used(number) {
            unused("no port has the role {name}", &role.name, role.cite("name"));
        }
    }
    for (position, waiver) in fleet.policy.waivers.iter().enumerate() {
        if fleet.covered(position).0 == 0 {
            unused("this waiver for {name} covers nothing", &waiver.check, &waiver.cite);
        }
    }
    violations
}
