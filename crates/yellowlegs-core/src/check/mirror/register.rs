//! Sessions held against the policy's register.

use super::session::{Session, each, sessions};
use crate::check::{Case, Check, Judgement, Mending, Repair, Run, SwitchView, Tally, Usage};
use crate::model::{Direction, settings};
use crate::policy::{Level, MirrorEntry};
use crate::sorted;

const NEEDS: &[&str] = &["mirror.enabled", "mirror.sources", "mirror.target"];

pub(super) const LEFT_ON: Check = Check {
    id: "mirror/left-on",
    title: "a mirror is active that nobody agreed to, or no longer",
    level: Level::Breach,
    needs: NEEDS,
    uses: &["mirror.source-vlans"],
    policy: &["mirror", "as-of"],
    reference: "docs/policy.md, Mirrors",
    why: "It was made for a fault and forgotten. What people say and type goes on being copied to a port where \
          somebody may still be listening.",
    remedy: "Take the session out, or enter it in the register with an owner and a last day.",
    repair: Repair::Work(take_out),
    run: Run::Switch(left_on),
    ..Check::ROW
};

pub(super) const ONE_SIDED: Check = Check {
    id: "mirror/one-sided",
    title: "a mirror copies another direction than agreed",
    level: Level::Advice,
    needs: NEEDS,
    policy: &["mirror.sources", "as-of"],
    reference: "docs/policy.md, Mirrors",
    why: "Half of the conversation is missing and nobody notices until the day it is needed; or more is copied than \
          was agreed on.",
    remedy: "Copy what was agreed: {agreed}.",
    run: Run::Switch(one_sided),
    ..Check::ROW
};

pub(super) const SENSITIVE: Check = Check {
    id: "mirror/sensitive",
    title: "a mirror copies a sensitive VLAN and nobody agreed to it",
    level: Level::Breach,
    needs: NEEDS,
    uses: &["mirror.source-vlans", "port.mode", "port.access-vlan", "port.voice-vlan", "port.tagged-vlans"],
    policy: &["vlans.sensitive", "mirror"],
    reference: "docs/policy.md, Mirrors",
    why: "The policy calls the VLAN sensitive. Copies of it go to a port that nobody answers for.",
    remedy: "Take the session out.",
    absorbs: &["mirror/left-on"],
    repair: Repair::Work(take_out),
    run: Run::Switch(sensitive),
    ..Check::ROW
};

/// Notes which entries of the register fit a session, whatever their last day.
pub(in crate::check) fn note_entries(on: SwitchView<'_>, usage: &mut Usage) {
    for session in &sessions(&on).0 {
        if let Fit::Whole(entry) | Fit::OtherWay(entry) = fit(&on, session) {
            let mut here = on.policy().mirrors_on(on.switch().name());
            let position = here.find(|(_, known)| std::ptr::eq(*known, entry)).map(|(position, _)| position);
            position.into_iter().for_each(|position| usage.mirrors(position));
        }
    }
}

/// How a session stands to an entry of the register.
enum Fit<'p> {
    /// Target and sources, all or a part of those agreed, with their directions.
    Whole(&'p MirrorEntry),
    /// Target and sources, in another direction.
    OtherWay(&'p MirrorEntry),
    None,
}

fn fit<'p>(on: &SwitchView<'p>, session: &Session) -> Fit<'p> {
    let switch = on.switch();
    let lists = on.resolved().lists();
    let copied: sorted::Map<usize, Direction> =
        sorted::map(session.sources.iter().filter_map(|(name, way)| Some((switch.port_index(name)?, *way))));
    let mut other = Fit::None;
    for (_, entry) in on.policy().mirrors_on(switch.name()) {
        let at = |text: &crate::policy::PortsText| text.positions(switch, lists).unwrap_or_default();
        let agreed: sorted::Map<usize, Direction> =
            sorted::map(entry.sources.iter().flat_map(|(text, way)| at(text).into_iter().map(|port| (port, *way))));
        // A target that is not there can be agreed to, too: it is told by itself.
        let same_target = match session.port {
            Some(port) => at(&entry.target) == [port],
            None => session.target.as_deref() == Some(entry.target.as_str()),
        };
        let is_part =
            session.vlans.minus(&entry.vlans).is_empty() && copied.keys().all(|port| agreed.contains_key(port));
        let is_empty = copied.is_empty() && session.vlans.is_empty();
        if !same_target || !is_part || is_empty {
            continue;
        }
        if copied.iter().all(|(port, way)| agreed.get(port) == Some(way)) {
            return Fit::Whole(entry);
        }
        other = Fit::OtherWay(entry);
    }
    other
}

/// The entry that covers a session today.
fn covers<'p>(on: &SwitchView<'p>, session: &Session) -> Fit<'p> {
    let holds = |entry: &MirrorEntry| on.today() <= entry.last_day;
    match fit(on, session) {
        Fit::Whole(entry) if holds(entry) => Fit::Whole(entry),
        Fit::OtherWay(entry) if holds(entry) => Fit::OtherWay(entry),
        _ => Fit::None,
    }
}

fn left_on(on: &SwitchView<'_>) -> Judgement {
    each(on, |session| {
        if !matches!(covers(on, session), Fit::None) {
            return None;
        }
        if let Fit::Whole(entry) | Fit::OtherWay(entry) = fit(on, session) {
            let says = "mirror {session} copies {sources} to {target}; the agreement ended on {last-day}";
            let violation = session.violation(on, settings::MIRROR_ENABLED.id, says);
            let violation = violation.fact("last-day", entry.last_day.to_string()).fact("owner", entry.owner.as_str());
            return Some(violation.beside(settings::MIRROR_SOURCES.id).demand(&entry.cite));
        }
        let says = "mirror {session} copies {sources} to {target}; no entry of the register agrees to it";
        let violation = session.violation(on, settings::MIRROR_ENABLED.id, says);
        Some(violation.beside(settings::MIRROR_SOURCES.id).beside(settings::MIRROR_TARGET.id))
    })
}

fn one_sided(on: &SwitchView<'_>) -> Judgement {
    each(on, |session| {
        let Fit::OtherWay(entry) = covers(on, session) else { return None };
        let agreed: Vec<String> = entry.sources.iter().map(|(text, way)| format!("{} {way}", text.as_str())).collect();
        let says = "mirror {session} copies {sources}; agreed was {agreed}";
        let violation = session.violation(on, settings::MIRROR_SOURCES.id, says);
        Some(violation.fact("agreed", agreed.join(", ")).demand(&entry.cite))
    })
}

fn sensitive(on: &SwitchView<'_>) -> Judgement {
    let name = on.switch().name();
    let is_sensitive = |vlan| on.policy().vlan(name, vlan).filter(|v| v.sensitive);
    let mut tally = Tally::default();
    let (sessions, unknown) = sessions(on);
    unknown.into_iter().for_each(|unknown| tally.add(Err(unknown)));
    for session in sessions.iter().filter(|session| matches!(covers(on, session), Fit::None)) {
        let mut carried = (*session.vlans).clone();
        for port in session.sources.iter().filter_map(|(name, _)| on.switch().port_index(name)) {
            match on.port(port).carries() {
                Ok(vlans) => carried = carried.union(&vlans),
                Err(unknown) => tally.add(Err(unknown)),
            }
        }
        let Some(site) = carried.iter().find_map(is_sensitive) else { continue };
        let says = "mirror {session} copies {sources} to {target}, and with them sensitive VLAN {vlan}; nobody agreed";
        let violation = session.violation(on, settings::MIRROR_ENABLED.id, says).beside(settings::MIRROR_SOURCES.id);
        let violation = violation.fact("vlan", u32::from(site.id.get())).vlan(Some(site.id)).demand(&site.cite);
        tally.add(Ok(Some(violation)));
    }
    tally.judgement()
}

/// What nobody agreed to, or no longer, is switched off; of what was never entered somebody has to say so.
fn take_out(case: &Case<'_>) -> Mending {
    let Some(off) = case.flag(settings::MIRROR_ENABLED.id, false) else { return Mending::Person };
    if case.text("last-day").is_some() || case.finding.check == SENSITIVE.id {
        return Mending::of([off]);
    }
    let session = case.text("session").unwrap_or_default();
    let asks = format!("{}: mirror {session} is in no register: does it go, or will somebody enter it?", case.place());
    Mending::one_of(asks, vec![("it goes".into(), vec![off]), ("it is entered".into(), Vec::new())])
}
