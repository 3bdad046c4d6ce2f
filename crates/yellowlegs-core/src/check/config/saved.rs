//! What a restart would change, and what nobody would hear of.

use std::collections::{BTreeMap, BTreeSet};

use crate::check::{Case, Check, Judgement, Mending, Repair, Run, SwitchView, Tally, Unknown, Verdict, Violation};
use crate::model::{Action, SavedCopy, Scope, SettingId, Switch, Unidirectional, VlanId, settings};
use crate::policy::Level;
use crate::sorted;

pub(super) const UNSAVED: Check = Check {
    id: "config/unsaved",
    title: "the running configuration is not the saved one",
    level: Level::Breach,
    needs: &["saved configuration"],
    policy: &["files.saved"],
    reference: "docs/policy.md, Files",
    why: "The next power cut brings back what was saved: guards that were added are gone, ports that were shut are up.",
    remedy: "Save the configuration, or find out who changed it, and why it was never saved.",
    repair: Repair::Save,
    run: Run::Switch(unsaved),
    ..Check::ROW
};

/// What no port depends on; pinned stations have a check of their own.
const LEFT_OUT: [SettingId; 5] = [
    settings::NAME.id,
    settings::DESCRIPTION.id,
    settings::VLAN_NAME.id,
    settings::PENDING.id,
    settings::PINNED_STATIONS.id,
];

fn unsaved(on: &SwitchView<'_>) -> Judgement {
    let saved = match on.switch().saved() {
        SavedCopy::NotKept => return Ok(Verdict::NotApplicable),
        SavedCopy::Missing => return Err(Unknown::fact("saved configuration")),
        SavedCopy::Read(saved) => saved,
    };
    let Differing { settings, mut others } = differing(on.switch(), saved);
    let open = not_understood(on.switch(), saved);
    if settings.is_empty() && others.is_empty() {
        return open.map_or(Ok(Verdict::Met), Err);
    }
    let shown = |(id, places): (&SettingId, &BTreeSet<String>)| match places.len() {
        0 => id.name().to_owned(),
        _ => format!("{} on {}", id.name(), places.iter().cloned().collect::<Vec<_>>().join(", ")),
    };
    let mut names: Vec<String> = settings.iter().map(shown).collect();
    names.append(&mut others);
    let count = names.len() as u32;
    let mut violation = Violation::saying("what runs differs from what is saved in {count} thing(s): {settings}")
        .fact("count", count)
        .fact("settings", names.join("; "));
    if let Some((first, places)) = settings.iter().next() {
        let place = places.iter().next();
        let port = place.and_then(|name| on.switch().port_index(name));
        let of_port = port.and_then(|port| on.switch().slot(Some(port), *first).mark);
        let vlan =
            place.and_then(|place| place.strip_prefix("VLAN ")?.parse().ok().and_then(|id| VlanId::new(id).ok()));
        violation = violation.line(of_port.or_else(|| on.switch().vlan_slot(vlan?, *first).mark));
        if first.info().scope == Scope::Switch {
            violation = violation.beside(*first);
        }
        let ports = places.iter().filter_map(|name| Some(on.related(on.switch().port_index(name)?)));
        violation = violation.related(ports.collect());
    }
    violation.into()
}

/// What is in force and not saved, or the other way round.
#[derive(Default)]
struct Differing {
    /// Settings whose values differ, each with the ports, VLANs or sessions it differs on; none for the switch.
    settings: BTreeMap<SettingId, BTreeSet<String>>,
    /// Ports and sessions that one of them has, in words.
    others: Vec<String>,
}

/// What state tells of the running one is no difference.
fn differing(running: &Switch, saved: &Switch) -> Differing {
    let mut found = Differing::default();
    for id in SettingId::of(Scope::Switch).filter(|id| !LEFT_OUT.contains(id)) {
        if running.slot_by_hand(None, id).value != saved.slot(None, id).value {
            found.settings.entry(id).or_default();
        }
    }
    let name = |switch: &Switch| switch.setting(None, settings::NAME).value;
    if name(running) != name(saved) {
        found.settings.entry(settings::NAME.id).or_default();
    }
    for (port, name) in running.ports().iter().enumerate() {
        let Some(other) = saved.port_index(name.as_str()) else {
            found.others.push(format!("port {name} is not in the saved copy"));
            continue;
        };
        for id in SettingId::of(Scope::Port).filter(|id| !LEFT_OUT.contains(id)) {
            if running.slot_by_hand(Some(port), id).value != saved.slot(Some(other), id).value {
                found.settings.entry(id).or_default().insert(name.to_string());
            }
        }
    }
    let more = saved.ports().iter().filter(|name| running.port_index(name.as_str()).is_none());
    found.others.extend(more.map(|name| format!("port {name} is only in the saved copy")));
    let vlans: sorted::Set<VlanId> = sorted::set(running.vlans_written().chain(saved.vlans_written()));
    for id in SettingId::of(Scope::Vlan).filter(|id| !LEFT_OUT.contains(id)) {
        let differs = |vlan: &VlanId| running.vlan_slot_by_hand(*vlan, id).value != saved.vlan_slot(*vlan, id).value;
        for vlan in vlans.iter().filter(|vlan| differs(vlan)) {
            found.settings.entry(id).or_default().insert(format!("VLAN {vlan}"));
        }
    }
    let (running, saved) = (running.mirrors_by_hand(), saved.mirrors_by_hand());
    for session in sorted::set(running.keys().chain(saved.keys()).copied()) {
        match (running.get(session), saved.get(session)) {
            (Some(one), Some(other)) => {
                for id in SettingId::of(Scope::Mirror) {
                    if one.get(&id).map(|slot| &slot.value) != other.get(&id).map(|slot| &slot.value) {
                        found.settings.entry(id).or_default().insert(format!("mirror session {session}"));
                    }
                }
            }
            (Some(_), None) => found.others.push(format!("mirror session {session} is not in the saved copy")),
            (None, Some(_)) => found.others.push(format!("mirror session {session} is only in the saved copy")),
            (None, None) => {}
        }
    }
    found
}

/// Lines that are not understood and stand in one of the two only could be what differs; a torn copy says nothing whole.
fn not_understood(running: &Switch, saved: &Switch) -> Option<Unknown> {
    fn lines(switch: &Switch) -> Vec<String> {
        let mut lines: Vec<String> = switch
            .unread_in_config()
            .filter_map(|unread| Some(switch.line(unread.mark, true)?.trim().to_owned()))
            .collect();
        sorted::plain(&mut lines);
        lines
    }
    let torn = !saved.torn().is_empty() || !running.torn().is_empty();
    (torn || lines(running) != lines(saved)).then(|| Unknown::fact("a saved copy that is understood"))
}

pub(super) const RESTART_PENDING: Check = Check {
    id: "config/restart-pending",
    title: "something written waits for a restart",
    level: Level::Risk,
    needs: &["platform.pending"],
    uses: &["platform.ready"],
    reference: "docs/dialects.md, Every key ([[requires]])",
    why: "The configuration says one thing and the switch does another, until the day it restarts, in working hours.",
    remedy: "Restart the switch at a time of your choosing, and look what has changed.",
    run: Run::Switch(restart_pending),
    ..Check::ROW
};

fn restart_pending(on: &SwitchView<'_>) -> Judgement {
    let pending = on.known(settings::PENDING)?;
    let ready = on.setting(settings::READY).value.unwrap_or_default();
    let waiting: Vec<&str> = pending.iter().filter(|name| !ready.contains(name)).map(|name| &**name).collect();
    if waiting.is_empty() {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::PENDING.id, "{waiting} is written and waits for a restart")
        .fact("waiting", waiting.join(", "))
        .into()
}

pub(super) const NOBODY_TOLD: Check = Check {
    id: "config/nobody-told",
    title: "an action reports and nobody receives it",
    level: Level::Advice,
    needs: &["switch.report-receivers", "port-security.action", "unidirectional.mode"],
    uses: &["port-security.enabled"],
    reference: "RFC 5424; RFC 3416",
    why: "Drop and report without a receiver is drop and say nothing.",
    remedy: "Name a receiver of logs and traps.",
    repair: Repair::Work(name_receiver),
    run: Run::Switch(nobody_told),
    ..Check::ROW
};

fn nobody_told(on: &SwitchView<'_>) -> Judgement {
    if !on.known(settings::RECEIVERS)?.is_empty() {
        return Ok(Verdict::Met);
    }
    let mut tally = Tally::default();
    let mut reporting: Option<(usize, SettingId)> = None;
    for port in on.unlike_ports() {
        let by_security = port
            .known(settings::PORT_SECURITY)
            .and_then(|enabled| Ok(enabled && port.known(settings::ACTION)? == Action::DropAndReport));
        let by_detection = port.known(settings::UNIDIRECTIONAL).map(|mode| mode == Unidirectional::ReportOnly);
        for (reports, setting) in [(by_security, settings::ACTION.id), (by_detection, settings::UNIDIRECTIONAL.id)] {
            match reports {
                Ok(true) => reporting = reporting.or(Some((port.port(), setting))),
                Ok(false) => {}
                Err(unknown) => tally.add(Err(unknown)),
            }
        }
    }
    let Some((port, setting)) = reporting else { return tally.judgement() };
    Violation::of(settings::RECEIVERS.id, "{setting} reports, and no receiver of logs or traps is configured")
        .fact("setting", setting.name())
        .related(vec![on.related(port)])
        .into()
}

pub(super) const UNREAD: Check = Check {
    id: "config/unread",
    title: "more statements are unknown to the dialect than the policy allows",
    level: Level::Risk,
    policy: &["site.unread-share"],
    reference: "docs/dialects.md",
    why: "What was not understood was not judged. A guard may be there and not be seen, or a hole.",
    remedy: "Teach the dialect these lines: `yellowlegs dialect explain` shows where each stopped.",
    run: Run::Switch(unread),
    ..Check::ROW
};

fn unread(on: &SwitchView<'_>) -> Judgement {
    let wished = &on.policy().site.unread_share;
    let (unread, lines) = (on.switch().unread_statements(), on.switch().statements());
    if lines == 0 {
        return Ok(Verdict::NotApplicable);
    }
    if u64::from(unread) * 100 <= u64::from(wished.value) * u64::from(lines) {
        return Ok(Verdict::Met);
    }
    let of_config = on.switch().unread_in_config();
    let mut shapes: Vec<&str> = of_config.map(|u| &*u.shape).collect();
    sorted::plain(&mut shapes);
    shapes.dedup();
    let more = shapes.len().saturating_sub(5);
    shapes.truncate(5);
    // Their words stay masked: unread lines are where unmarked secrets are.
    let first = on.switch().unread_in_config().next().map_or(0, |u| u.mark.line());
    let words = format!("line {first} is the first of them: {}", shapes.first().unwrap_or(&""));
    let more = if more > 0 { format!("; and {more} more") } else { String::new() };
    Violation::saying("{unread} of {lines} statements are unknown to the dialect, more than {share} %: {shapes}{more}")
        .fact("unread", unread)
        .fact("lines", lines)
        .fact("share", wished.value)
        .fact("shapes", shapes.join("; "))
        .fact("more", more)
        .words(words)
        .demand(&wished.cite)
        .into()
}

/// A receiver for logs and traps: somebody says which.
fn name_receiver(case: &Case<'_>) -> Mending {
    case.any_value(settings::RECEIVERS.id)
}
