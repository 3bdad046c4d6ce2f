//! The drills: a file for each small group, and the table of all.

mod address;
mod boot;
mod bridges;
mod stations;
mod vlans;

use super::Drill;
use super::asked::Known;
use super::machine::{Arrival, Machine};
use super::rehearse::{Outcome, Rehearsal, Stage};

pub(super) static ALL: &[Drill] = &[
    stations::SECOND_STATION,
    stations::SWAPPED_STATION,
    stations::COPIED_ADDRESS,
    stations::ADDRESS_FLOOD,
    address::ROGUE_SERVER,
    address::FORGED_ARP,
    address::FORGED_SOURCE,
    address::STARVATION,
    address::ROGUE_ROUTER,
    bridges::BROUGHT_BRIDGE,
    bridges::ROOT_TAKEOVER,
    bridges::PATCHED_LOOP,
    vlans::TAG_HOP,
    vlans::NEGOTIATE,
    boot::DESK_BOOT,
    boot::FLAPPING_PLUG,
];

/// A machine with the link of the port up and its wait over, the other ports at work; none: nothing comes up here.
fn ready<'a>(stage: &Stage<'_>, mut machine: Machine<'a>) -> Known<Option<Machine<'a>>> {
    stage.others().for_each(|other| machine.settle(other));
    machine.link_up(stage.port)?;
    let Some(opens) = machine.opens_at(stage.port) else { return Ok(None) };
    machine.pass(opens.saturating_sub(machine.now()) + 1000)?;
    Ok(Some(machine))
}

/// The same where people plug things in; none elsewhere.
fn at_edge<'a>(stage: &Stage<'_>, machine: Machine<'a>) -> Known<Option<Machine<'a>>> {
    if stage.is_edge()? { ready(stage, machine) } else { Ok(None) }
}

/// The same where a host belongs.
fn at_host<'a>(stage: &Stage<'_>, machine: Machine<'a>) -> Known<Option<Machine<'a>>> {
    if stage.is_edge()? && stage.stations()? != Some(0) { ready(stage, machine) } else { Ok(None) }
}

/// What an attempt came to: it holds when every frame of it was stopped.
fn verdict(machine: &Machine<'_>, stage: &Stage<'_>, tries: &[(Arrival, &str)]) -> Rehearsal {
    let through = tries.iter().find(|(arrival, _)| arrival.is_in());
    match through {
        Some((_, what)) => Rehearsal::new(machine, Outcome::LetThrough, format!("{what} gets in")),
        None => {
            let because = tries.iter().find_map(|(arrival, _)| arrival.stopped_by());
            let closed =
                if machine.held_by(stage.port).is_some() { "the port is held down" } else { "the port is closed" };
            let by = because.map_or(closed, |because| because.feature);
            Rehearsal::new(machine, Outcome::Held, format!("stopped: {by}")).because(because).back(machine, stage.port)
        }
    }
}
