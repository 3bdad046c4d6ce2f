//! Prose and evidence, made in one place from the facts of a violation.

use std::fmt::Write as _;
use std::sync::Arc;

use super::{Check, SwitchView, Violation};
use crate::finding::{
    Evidence, EvidenceKind, Fact, Finding, SettingShown, WaiverShown, fingerprint, quote_cite, quote_slot,
};
use crate::model::{Mark, Scope, SettingId, Slot};
use crate::policy::HouseRule;
use crate::policy::{Level, Waiver};
use crate::resolve::Resolved;

/// A sentence with its holes filled; a hole nobody fills stays, and a test finds it. `put` writes what fills a hole, if it knows.
pub(super) fn fill(template: &str, put: impl Fn(&mut String, &str) -> bool) -> String {
    let mut text = String::with_capacity(template.len() + 40);
    let mut rest = template;
    while let Some((before, after)) = cut(rest, b'{') {
        let Some((name, tail)) = cut(after, b'}') else { break };
        text.push_str(before);
        if !put(&mut text, name) {
            _ = write!(text, "{{{name}}}");
        }
        rest = tail;
    }
    text.push_str(rest);
    text
}

/// What stands before a sign of ASCII, and behind it.
fn cut(text: &str, sign: u8) -> Option<(&str, &str)> {
    let at = memchr::memchr(sign, text.as_bytes())?;
    text.get(..at).zip(text.get(at + 1..))
}

/// Writes a fact of a violation; the last of its name counts.
pub(super) fn put_fact(violation: &Violation, text: &mut String, name: &str) -> bool {
    let fact = violation.facts.iter().rev().find(|(known, _)| *known == name);
    match fact {
        Some((_, Fact::Text(fact))) => text.push_str(fact),
        Some((_, fact @ Fact::Count(_))) => _ = write!(text, "{fact}"),
        None => return false,
    }
    true
}

/// What tells a finding: a check, or a rule of the house.
#[derive(Clone, Copy)]
pub(super) struct Teller<'a> {
    id: &'static str,
    remedy: &'a str,
}

impl From<&Check> for Teller<'static> {
    fn from(check: &Check) -> Self {
        Self { id: check.id, remedy: check.remedy }
    }
}

impl<'a> From<&'a HouseRule> for Teller<'a> {
    fn from(rule: &'a HouseRule) -> Self {
        Self { id: rule.id, remedy: &rule.remedy }
    }
}

/// What a finding is about: a switch, or a port of it with its role.
#[derive(Clone, Copy)]
pub(super) struct Subject<'a> {
    pub(super) on: SwitchView<'a>,
    pub(super) port: Option<usize>,
}

impl Subject<'_> {
    fn slot(&self, violation: &Violation, id: SettingId) -> Slot {
        let switch = self.on.switch();
        let slot = match id.info().scope {
            Scope::Port | Scope::Switch => Some(switch.slot(self.port, id)),
            Scope::Vlan => violation.vlan.map(|vlan| switch.vlan_slot(vlan, id)),
            Scope::Mirror => violation.mirror.as_ref().and_then(|name| switch.mirrors().get(name)?.get(&id)),
        };
        slot.cloned().unwrap_or(Slot::UNKNOWN)
    }
}

/// The finding that a violation becomes.
pub(super) fn finding(told_by: Teller<'_>, level: Level, subject: Subject<'_>, violation: Violation) -> Finding {
    let subject = Subject { port: violation.port.or(subject.port), ..subject };
    let switch = subject.on.switch();
    let name = subject.port.and_then(|port| switch.ports().get(port)).map(ToString::to_string);
    let assigned = subject.port.and_then(|port| subject.on.assigned(port));
    let role = assigned.and_then(|a| subject.on.policy().roles.get(a.role));
    let put = |text: &mut String, hole: &str| {
        let own = match hole {
            "port" => name.as_deref().unwrap_or_default(),
            "switch" => switch.name(),
            "role" => role.map_or("unknown", |r| &r.name),
            "faces" => role.map_or("", |r| r.faces.word()),
            _ => return put_fact(&violation, text, hole),
        };
        text.push_str(own);
        true
    };
    let (message, remedy) = (fill(&violation.says, put), fill(told_by.remedy, put));
    let cause = violation.settings.first().map_or("", |id| id.name());
    let vlan = violation.vlan.map(|v| v.get().to_string()).unwrap_or_default();
    let session = violation.mirror.as_deref().unwrap_or_default();
    let port = name.as_deref().unwrap_or_default();
    let parts = [told_by.id, switch.name(), port, cause, &vlan];
    let session = (!session.is_empty()).then_some(session);
    let fingerprint = fingerprint(parts.into_iter().chain(session).chain(violation.apart.as_deref()));
    let judged = violation.settings.iter().chain(violation.lacking.as_ref().map(|(id, _)| id));
    let settings = judged
        .map(|id| {
            let slot = subject.slot(&violation, *id);
            SettingShown { name: id.name(), value: slot.value, origin: slot.origin }
        })
        .collect();
    let (evidence, overridden) = evidence(subject, &violation);
    Finding {
        check: told_by.id,
        level,
        switch: Some(switch.name().clone()),
        port: name,
        vlan: violation.vlan.map(Into::into),
        role: role.map(|r| r.name.clone()),
        role_from: assigned.map(|a| a.from),
        message,
        fingerprint,
        settings,
        evidence,
        overridden,
        inputs: violation.facts.into(),
        related: violation.related,
        remedy,
        waiver: None,
        since: None,
        grew: None,
        drill: None,
    }
}

/// The lines that decide a setting of a port, or of the switch.
pub(super) fn quoted(resolved: &Resolved, port: Option<usize>, id: SettingId) -> Vec<Evidence> {
    let slot = resolved.switch.slot(port, id);
    let shown = Slot { mark: slot.mark.map(|mark| resolved.deciding_words(mark, id)), ..slot.clone() };
    quote_slot(&resolved.switch, port, id, &shown)
}

/// A line that speaks of a setting, by the words that decide it.
pub(super) fn quoted_line(resolved: &Resolved, mark: Mark, id: SettingId) -> Option<Evidence> {
    Evidence::line(EvidenceKind::Line, &resolved.switch, resolved.deciding_words(mark, id))
}

/// So many lines that lost are kept for a setting: the last before the one that won.
const MOST_LOST: usize = 32;

/// The lines for each setting judged, then the policy's; and the lines that lost.
fn evidence(subject: Subject<'_>, violation: &Violation) -> (Vec<Evidence>, Vec<Evidence>) {
    let (switch, resolved, port) = (subject.on.switch(), subject.on.resolved(), subject.port);
    let mut evidence: Vec<Evidence> = Vec::new();
    let mut overridden: Vec<Evidence> = Vec::new();
    for (i, id) in violation.settings.iter().enumerate() {
        let slot = subject.slot(violation, *id);
        let own = violation.line.filter(|_| i == 0 && slot.origin.is_written());
        let narrow = |mark: Mark| resolved.deciding_words(mark, *id);
        let quoted = own.and_then(|mark| Evidence::line(EvidenceKind::Line, switch, narrow(mark)));
        let shown = Slot { mark: slot.mark.map(narrow), ..slot.clone() };
        let lines = quoted.map_or_else(|| quote_slot(switch, port, *id, &shown), |line| vec![line]);
        for line in lines {
            if !evidence.contains(&line) {
                evidence.push(line);
            }
        }
        if slot.contested && matches!(id.info().scope, Scope::Port | Scope::Switch) {
            let marks = resolved.marks(port, *id).into_iter().rev();
            let lost = marks.filter(|mark| Some(*mark) != slot.mark && Some(*mark) != own).take(MOST_LOST);
            let first = overridden.len();
            overridden.extend(lost.filter_map(|mark| Evidence::line(EvidenceKind::Line, switch, narrow(mark))));
            overridden[first..].reverse();
        }
    }
    for mark in &violation.beside_lines {
        evidence.extend(Evidence::line(EvidenceKind::of_line(switch, *mark), switch, *mark));
    }
    if let Some(words) = &violation.words {
        let file = switch.config_path().map(Arc::from);
        evidence.push(Evidence { file, ..Evidence::words(EvidenceKind::Silent, words.clone()) });
    }
    if let Some((_, what)) = &violation.lacking {
        let file = switch.config_path().map(Arc::from);
        evidence.push(Evidence { file, ..Evidence::words(EvidenceKind::Silent, what.clone()) });
    }
    if evidence.is_empty() {
        let place = violation.line.or_else(|| switch.port_place(port?));
        let line = place.and_then(|mark| Evidence::line(EvidenceKind::Line, switch, mark));
        evidence.extend(line);
    }
    overridden.retain(|line| !evidence.contains(line));
    overridden.dedup();
    evidence.extend(violation.demand.as_ref().map(quote_cite));
    (evidence, overridden)
}

pub(super) fn waiver_shown(waiver: &Waiver) -> WaiverShown {
    WaiverShown {
        reason: waiver.reason.clone(),
        owner: waiver.owner.clone(),
        last_day: waiver.last_day.to_string(),
        evidence: quote_cite(&waiver.cite),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("limit {limit} on {port}", "limit 3 on 1.1")]
    #[case("{nobody} knows", "{nobody} knows")]
    #[case("no end {limit", "no end {limit")]
    fn holes(#[case] template: &str, #[case] expected: &str) {
        let violation = Violation::saying("").fact("limit", "0").fact("limit", "3").fact("port", "1.1");
        assert_eq!(fill(template, |text, name| put_fact(&violation, text, name)), expected);
    }
}
