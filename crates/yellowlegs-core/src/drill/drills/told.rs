//! Consequences that are told and judge nobody: what a power cut takes, how a port comes back.

use std::borrow::Cow;

use super::{at_host, boot, bridges, loops, own, stations};
use crate::drill::Drill;
use crate::drill::asked::Known;
use crate::drill::machine::{Because, Lost, Machine};
use crate::drill::rehearse::{Outcome, Rehearsal, Stage};
use crate::model::settings;

pub(super) const RESTART: Drill = Drill {
    name: "restart",
    stimulus: "the power is cut half a minute after a host got its address",
    holds: "told: what is lost",
    answers: &[],
    run: restart,
};

fn restart(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_host(stage, machine)? else { return Ok(None) };
    let host = own::host(stage, &machine)?;
    let address = own::addresses(stage, machine.vlan_of_host(stage.port)?).host;
    machine.lease(stage.port, host, address)?;
    machine.pass(30_000)?;
    let Lost { unsaved, pins, bindings } = machine.restart(stage.port)?;
    let mut lost = Vec::new();
    match unsaved {
        Some(settings) if settings.is_empty() => {}
        Some(settings) => {
            let names: Vec<&str> = settings.iter().take(3).map(|id| id.name()).collect();
            let more = if settings.len() > 3 { ", …" } else { "" };
            lost.push(format!("{} unsaved: {}{more}", settings.len(), names.join(", ")));
        }
        None => lost.push("nobody knows which settings: no saved copy was read".to_owned()),
    }
    if pins > 0 {
        lost.push(format!("{pins} pinned and not saved: whoever comes first is pinned next"));
    }
    if bindings > 0 {
        lost.push("the binding of this half minute: guards cut its host off until it renews".to_owned());
    }
    let says = if lost.is_empty() { "nothing is lost".to_owned() } else { format!("lost: {}", lost.join("; ")) };
    let because = Because::of("binding store", settings::SNOOPING_STORE.id);
    Ok(Some(Rehearsal::new(&machine, Outcome::Told, says).because(Some(because))))
}

pub(in crate::drill) const RECOVERY: Drill = Drill {
    name: "recovery",
    stimulus: "whatever the other drills took the port down by",
    holds: "told: how the port comes back, when, and by whose hand",
    answers: &[],
    run: recovery,
};

/// What may take a port down.
pub(in crate::drill) const TRIPS: [Drill; 6] = [
    stations::SECOND_STATION,
    bridges::BROUGHT_BRIDGE,
    loops::PATCHED_LOOP,
    loops::PHONE_LOOP,
    loops::ONE_WAY_FIBRE,
    boot::FLAPPING_PLUG,
];

#[allow(clippy::needless_pass_by_value, reason = "the form of all drills")]
fn recovery(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let run = |drill: &Drill| Ok((drill.run)(stage, machine.clone())?.map(Cow::Owned));
    ways_back(TRIPS.iter().map(|drill| (drill.name, run(drill))))
}

/// How a port comes back after each drill that took it down, by how each ended.
pub(in crate::drill) fn ways_back<'r>(
    trips: impl Iterator<Item = (&'static str, Known<Option<Cow<'r, Rehearsal>>>)>,
) -> Known<Option<Rehearsal>> {
    let mut ways = Vec::new();
    let mut story = Vec::new();
    let mut because = None;
    let mut open = None;
    for (name, ended) in trips {
        let told = match ended {
            Ok(Some(told)) => told,
            Ok(None) => continue,
            Err(hang) => {
                ways.push(format!("after {name}: hangs on {}, which nobody knows", hang.on));
                open = open.or(Some(hang));
                continue;
            }
        };
        if let Some(recovery) = &told.recovery {
            ways.push(format!("after {name}: {recovery}"));
            story.extend_from_slice(&told.story);
            because = because.or(told.because);
        }
    }
    if let (None, Some(hang)) = (&because, open) {
        return Err(hang);
    }
    if ways.is_empty() {
        return Ok(None);
    }
    Ok(Some(Rehearsal::told(story, Outcome::Told, ways.join("; ")).because(because)))
}
