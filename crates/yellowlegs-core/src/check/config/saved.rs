//! What a restart would change, and what nobody would hear of.

use std::collections::{BTreeMap, BTreeSet};

use crate::check::{Check, Judgement, Run, SwitchView, Tally, Unknown, Verdict, Violation};
use crate::model::{Action, SavedCopy, Scope, SettingId, Slot, Switch, Unidirectional, settings};
use crate::policy::Level;

pub(super) const UNSAVED: Check = Check {
    id: "config/unsaved",
    title: "the running configuration is not the saved one",
    level: Level::Breach,
    needs: &["saved configuration"],
    uses: &[],
    policy: &["files.saved"],
    reference: "docs/policy.md, Files",
    why: "The next power cut brings back what was saved: guards that were added are gone, ports that were shut are up.",
    remedy: "Save the configuration, or find out who changed {settings}.",
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
    let differing = differing(on.switch(), saved);
    let Some((first, ports)) = differing.iter().next() else { return Ok(Verdict::Met) };
    let names: Vec<String> = differing
        .iter()
        .map(|(id, ports)| match ports.len() {
            0 => id.name().to_owned(),
            _ => format!("{} on {}", id.name(), ports.iter().cloned().collect::<Vec<_>>().join(", ")),
        })
        .collect();
    let about = ports.iter().next().and_then(|name| on.switch().port_index(name));
    let line = about.and_then(|port| on.switch().slot(Some(port), *first).mark);
    let mut violation = Violation::saying("{count} setting(s) differ from what is saved: {settings}")
        .fact("count", differing.len() as u32)
        .fact("settings", names.join("; "))
        .line(line);
    if first.info().scope == Scope::Switch {
        violation = violation.beside(*first);
    }
    violation.related(ports.iter().filter_map(|name| Some(on.related(on.switch().port_index(name)?))).collect()).into()
}

/// Settings whose values differ, each with the ports (or VLANs, or sessions) it differs on; none for the switch.
fn differing(running: &Switch, saved: &Switch) -> BTreeMap<SettingId, BTreeSet<String>> {
    let mut differing: BTreeMap<SettingId, BTreeSet<String>> = BTreeMap::new();
    for id in SettingId::of(Scope::Switch).filter(|id| !LEFT_OUT.contains(id)) {
        if running.slot(None, id).value != saved.slot(None, id).value {
            differing.entry(id).or_default();
        }
    }
    let unknown = Slot::UNKNOWN;
    for (port, name) in running.ports().iter().enumerate() {
        let other = saved.port_index(name.as_str());
        for id in SettingId::of(Scope::Port).filter(|id| !LEFT_OUT.contains(id)) {
            let there = other.map_or(&unknown, |other| saved.slot(Some(other), id));
            if running.slot(Some(port), id).value != there.value {
                differing.entry(id).or_default().insert(name.to_string());
            }
        }
    }
    differing
}

pub(super) const RESTART_PENDING: Check = Check {
    id: "config/restart-pending",
    title: "something written waits for a restart",
    level: Level::Risk,
    needs: &["platform.pending"],
    uses: &["platform.ready"],
    policy: &[],
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
    policy: &[],
    reference: "RFC 5424; RFC 3416",
    why: "Drop and report without a receiver is drop and say nothing.",
    remedy: "Name a receiver of logs and traps.",
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
    needs: &[],
    uses: &[],
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
    shapes.sort_unstable();
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
