//! Entries of the policy that are over, or match nothing.

use crate::check::{Check, EntriesView, Run, Violation};
use crate::policy::{Cite, End, Level, Role};

pub(super) const WAIVER_EXPIRED: Check = Check {
    id: "config/waiver-expired",
    title: "a waiver past its last day still covers something",
    level: Level::Risk,
    policy: &["waiver.last-day", "as-of"],
    reference: "docs/policy.md, Waivers",
    why: "An exception was agreed for a time, and the time is over. What it excused still stands.",
    remedy: "Mend what it covers, or agree on a new last day with {owner}.",
    run: Run::Entries(waiver_expired),
    ..Check::ROW
};

fn waiver_expired(entries: &EntriesView<'_>) -> Vec<Violation> {
    let mut violations = Vec::new();
    for (position, waiver) in entries.policy.waivers.iter().enumerate() {
        let (count, first) = entries.covered(position);
        if count == 0 || entries.as_of.date() <= waiver.last_day {
            continue;
        }
        let says = "the waiver for {check} ended on {last-day} and still covers {count} finding(s)";
        let violation = Violation::saying(says)
            .fact("check", waiver.check.as_str())
            .fact("last-day", waiver.last_day.to_string())
            .fact("as-of", entries.as_of.as_str())
            .fact("count", count)
            .fact("owner", waiver.owner.as_str())
            .related(first.cloned().into_iter().collect());
        violations.push(violation.demand(&waiver.cite));
    }
    violations
}

pub(super) const POLICY_UNUSED: Check = Check {
    id: "config/policy-unused",
    title: "an entry of the policy matches nothing",
    level: Level::Advice,
    policy: &["role", "waiver", "mirror", "link", "dhcp-server", "sisters"],
    reference: "docs/policy.md",
    why: "A dead entry is a typing error that switches a check off, or an exception nobody needs any more that \
          waits for the next fault to excuse.",
    remedy: "Correct the entry, or take it out.",
    run: Run::Entries(policy_unused),
    ..Check::ROW
};

fn policy_unused(entries: &EntriesView<'_>) -> Vec<Violation> {
    let mut violations = Vec::new();
    let mut unused =
        |says, name: &str, cite: &Cite| violations.push(Violation::saying(says).fact("name", name).demand(cite));
    let off = |role: &Role| entries.policy.level(POLICY_UNUSED.id, Some(&role.name), POLICY_UNUSED.level).is_none();
    for (number, role) in entries.policy.roles.iter().enumerate().filter(|(_, role)| !off(role)) {
        let dead_lists = role.ports.iter().enumerate().filter(|(i, _)| !entries.list_is_used(number, *i));
        dead_lists.for_each(|(_, p)| unused("this entry of role {name} names no port", &role.name, &p.cite));
        let dead_patterns = role.describes.iter().enumerate().filter(|(i, _)| !entries.pattern_is_used(number, *i));
        if entries.policy.derive.description {
            dead_patterns
                .for_each(|(_, (_, cite))| unused("this pattern of role {name} fits no description", &role.name, cite));
        }
        let has_entries = !role.ports.is_empty() || !role.describes.is_empty();
        if !has_entries && !entries.role_is_used(number) {
            unused("no port has the role {name}", &role.name, role.cite("name"));
        }
    }
    for (position, waiver) in entries.policy.waivers.iter().enumerate() {
        if entries.covered(position).0 == 0 {
            unused("this waiver for {name} covers nothing", &waiver.check, &waiver.cite);
        }
    }
    for (position, mirror) in entries.policy.mirrors.iter().enumerate() {
        if !entries.mirror_is_used(position) {
            let name = format!("{} onto {}", mirror.switch, mirror.target.as_str());
            violations.push(
                Violation::saying("no mirror session is what this entry of the register agrees to: {name}")
                    .fact("name", name)
                    .demand(&mirror.cite),
            );
        }
    }
    let mut dead = |says, name: String, cite: &Cite| {
        violations.push(Violation::saying(says).fact("name", name).demand(cite));
    };
    let shown = |end: &End| format!("{} {}", end.switch, end.port.as_ref().map_or("", |port| port.as_str()));
    for (position, link) in entries.policy.links.iter().enumerate() {
        let ends = [(true, Some(&link.a)), (false, link.b.as_ref())];
        for (is_a, end) in ends.into_iter().filter_map(|(is_a, end)| Some((is_a, end?))) {
            if !entries.end_is_there(position, is_a) {
                dead("this link ends at {name}, which is no port of the fleet", shown(end), &link.cite);
            }
        }
    }
    for (position, server) in entries.policy.dhcp_servers.iter().enumerate() {
        if !entries.server_is_there(position) {
            dead(
                "no port of the fleet is {name}, where this DHCP server is said to be",
                shown(&server.at),
                &server.cite,
            );
        }
    }
    for (position, group) in entries.policy.sisters.iter().enumerate() {
        if !entries.has_sisters(position) {
            dead("no switch of the fleet is in this group of sisters", String::new(), &group.cite);
        }
    }
    violations
}
