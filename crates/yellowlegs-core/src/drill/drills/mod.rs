//! The drills: a file for each small group, and the table of all.

mod address;
mod boot;
mod bridges;
mod loops;
mod mirrors;
mod own;
mod phones;
mod server;
mod stations;
mod streams;
mod told;
mod vlans;

pub(super) use told::{RECOVERY, TRIPS, ways_back};

use super::Drill;
use super::asked::Known;
use super::machine::{Arrival, Because, Machine};
use super::rehearse::{Outcome, Rehearsal, Stage};
use crate::model::{SettingId, settings};
use crate::policy::Faces;

pub(super) static ALL: &[Drill] = &[
    stations::SECOND_STATION,
    stations::SWAPPED_STATION,
    stations::COPIED_ADDRESS,
    stations::ADDRESS_FLOOD,
    address::ROGUE_SERVER,
    server::REAL_SERVER,
    server::BINDINGS_CLEARED,
    address::FORGED_ARP,
    address::FORGED_SOURCE,
    address::STARVATION,
    address::ROGUE_ROUTER,
    bridges::BROUGHT_BRIDGE,
    bridges::ROOT_TAKEOVER,
    loops::PATCHED_LOOP,
    loops::PHONE_LOOP,
    vlans::TAG_HOP,
    vlans::NEGOTIATE,
    boot::DESK_BOOT,
    phones::PHONE_BOOT,
    streams::STREAM_JOIN,
    streams::STREAM_LEAVE,
    streams::TWO_RECEIVERS,
    streams::QUERIER_LOSS,
    mirrors::MIRROR_TAP,
    loops::ONE_WAY_FIBRE,
    boot::FLAPPING_PLUG,
    told::RESTART,
    told::RECOVERY,
];

/// A machine with the link of the port up and its wait over, the other ports at work; none: nothing comes up here.
fn ready<'a>(stage: &Stage<'_>, mut machine: Machine<'a>) -> Known<Option<Machine<'a>>> {
    machine.settle_others(stage.port);
    seat(stage, &mut machine)?;
    machine.link_up(stage.port)?;
    let Some(opens) = machine.opens_at(stage.port) else { return Ok(None) };
    machine.pass(opens.saturating_sub(machine.now()) + 1000)?;
    Ok(Some(machine))
}

/// A host that tags does so with a VLAN of its role, unless the untagged one is. Who is near an access point speaks in a VLAN that it
/// serves: its untagged one is its own.
fn seat(stage: &Stage<'_>, machine: &mut Machine<'_>) -> Known<()> {
    let Ok(role) = stage.role() else { return Ok(()) };
    let tags = match role.faces {
        Faces::TaggedHost => machine.untagged(stage.port)?.is_none_or(|native| !role.vlans.contains(native)),
        Faces::AccessPoint => true,
        _ => false,
    };
    if tags {
        let tagged = machine.tagged(stage.port)?;
        machine.speaks_in = role.vlans.iter().find(|vlan| tagged.contains(*vlan));
    }
    Ok(())
}

/// The same where people plug things in; none elsewhere.
fn at_edge<'a>(stage: &Stage<'_>, machine: Machine<'a>) -> Known<Option<Machine<'a>>> {
    if stage.is_edge()? { ready(stage, machine) } else { Ok(None) }
}

/// The same where a host belongs that asks for its address.
fn at_host<'a>(stage: &Stage<'_>, machine: Machine<'a>) -> Known<Option<Machine<'a>>> {
    if stage.is_edge()? && stage.stations(&machine)? != Some(0) && !stage.serves() {
        ready(stage, machine)
    } else {
        Ok(None)
    }
}

/// `3 stations belong`, in words.
fn belong(count: usize) -> String {
    if count == 1 { "1 station belongs".to_owned() } else { format!("{count} stations belong") }
}

/// What let through a frame that DHCP snooping would have stopped: what keeps it from acting in its VLAN, else the port's trust.
fn unsnooped(machine: &Machine<'_>, arrival: &Arrival) -> Known<Because> {
    let by = arrival.vlan().map(|vlan| machine.unsnooped_by(vlan)).transpose()?.flatten();
    Ok(Because::of("DHCP snooping", by.unwrap_or(settings::SNOOPING_TRUSTED.id)))
}

/// What let through a station that port security would have stopped: what keeps it from acting on the port, else its limit.
fn unsecured(machine: &Machine<'_>, port: usize) -> Known<Because> {
    Ok(Because::of("port security", machine.unsecured_by(port)?.unwrap_or(settings::LIMIT.id)))
}

/// What let through an ARP message that inspection would have stopped: what keeps it from acting in its VLAN, else the port's trust. And
/// what would have had to be asked for: what the platform wants first is wanted with inspection.
fn uninspected(machine: &Machine<'_>, arrival: &Arrival) -> Known<(SettingId, SettingId)> {
    let by = arrival.vlan().map(|vlan| machine.uninspected_by(vlan)).transpose()?.flatten();
    let by = by.unwrap_or(settings::INSPECTION_TRUSTED.id);
    Ok((by, if by == settings::READY.id { settings::INSPECTION.id } else { by }))
}

/// What let a bridge in: what keeps BPDUs from being heard, else the guard.
fn unguarded(machine: &Machine<'_>, port: usize) -> Known<Because> {
    Ok(match machine.unheard_by(port)? {
        Some(by) if by == settings::BPDU_FILTER.id => Because::of("BPDU filter", by),
        Some(by) => Because::of("spanning tree", by),
        None => Because::of("BPDU guard", settings::BPDU_GUARD.id),
    })
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
