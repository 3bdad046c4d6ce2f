//! Stations that should not be there.

use super::{at_edge, at_host, belong, own, ready, seat, uninspected, unsecured, verdict};
use crate::drill::Drill;
use crate::drill::asked::Known;
use crate::drill::frame::{Frame, Payload};
use crate::drill::machine::{Because, Machine};
use crate::drill::rehearse::{Outcome, Rehearsal, Stage, station};
use crate::model::{StationAddress, settings};
use crate::policy::Feature;

pub(super) const SECOND_STATION: Drill = Drill {
    name: "second-station",
    stimulus: "one station more than the role allows talks",
    holds: "it is stopped, and those that belong there are not",
    answers: &[
        "port-security/off",
        "port-security/not-armed",
        "port-security/limit-high",
        "port-security/limit-low",
        "port-security/mode-conflict",
        "voice/room-missing",
    ],
    run: second_station,
};

/// Whom they talk to.
fn gateway() -> StationAddress {
    station(800)
}

/// The stations that belong on the port: those written or pinned, then made-up ones.
fn rightful(stage: &Stage<'_>, machine: &Machine<'_>) -> Known<Option<Vec<StationAddress>>> {
    stage.stations(machine)?.map(|count| own::all(stage, machine, count)).transpose()
}

fn second_station(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_edge(stage, machine)? else { return Ok(None) };
    let Some(rightful) = rightful(stage, &machine)? else { return Ok(None) };
    let needed = stage.needed(&machine)?;
    for (number, one) in rightful.iter().enumerate() {
        machine.authenticate(*one);
        let arrival = machine.says(stage.port, &Frame::to_station(*one, gateway(), Payload::Plain))?;
        if !arrival.is_in() && number >= needed {
            break;
        }
        if !arrival.is_in() {
            let told = Rehearsal::new(&machine, Outcome::Outage, "a station that belongs here is stopped");
            return Ok(Some(told.because(arrival.stopped_by()).back(&machine, stage.port)));
        }
    }
    let stranger = station(900);
    let arrival = machine.says(stage.port, &Frame::to_station(stranger, gateway(), Payload::Plain))?;
    let mut told = verdict(&machine, stage, &[(arrival, "one station too many")]);
    if machine.held_by(stage.port).is_some() && !rightful.is_empty() {
        told.collateral = Some(format!("whoever is right here is cut off with it: {} here", belong(rightful.len())));
    }
    if told.outcome == Outcome::LetThrough {
        let because = unsecured(&machine, stage.port)?;
        told = told.because(Some(because)).unless([because.setting]);
    }
    Ok(Some(told))
}

pub(super) const SWAPPED_STATION: Drill = Drill {
    name: "swapped-station",
    stimulus: "another station comes after the first was pinned",
    holds: "it is stopped, where stations are pinned",
    answers: &[
        "port-security/off",
        "port-security/not-armed",
        "port-security/limit-high",
        "port-security/not-kept",
        "port-security/mode-conflict",
    ],
    run: swapped_station,
};

fn swapped_station(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let wanted = stage.role()?.expect.wants(Feature::Pinning);
    if !stage.is_edge()? || !(wanted || machine.is_secured(stage.port)? && machine.pins(stage.port)?) {
        return Ok(None);
    }
    let Some(mut machine) = ready(stage, machine)? else { return Ok(None) };
    let Some(rightful) = rightful(stage, &machine)?.filter(|all| !all.is_empty()) else { return Ok(None) };
    for one in &rightful {
        machine.authenticate(*one);
        machine.says(stage.port, &Frame::to_station(*one, gateway(), Payload::Plain))?;
    }
    machine.link_down(stage.port)?;
    machine.pass(5000)?;
    let Some(mut machine) = ready(stage, machine)? else { return Ok(None) };
    let arrival = machine.says(stage.port, &Frame::to_station(station(900), gateway(), Payload::Plain))?;
    let told = verdict(&machine, stage, &[(arrival, "the other station")]);
    if told.outcome != Outcome::LetThrough {
        return Ok(Some(told));
    }
    let mut because = unsecured(&machine, stage.port)?;
    if because.setting == settings::LIMIT.id && machine.pins(stage.port) == Ok(false) {
        because.setting = settings::PINNING.id;
    }
    Ok(Some(told.because(Some(because)).unless([because.setting])))
}

pub(super) const COPIED_ADDRESS: Drill = Drill {
    name: "copied-address",
    stimulus: "a stranger with the address of the rightful station and another IP address",
    holds: "it is stopped: by source guard or ARP inspection with a binding, or by port authentication",
    answers: &[
        "port-security/name-only",
        "port-security/limit-low",
        "voice/room-missing",
        "source-guard/off",
        "source-guard/no-bindings",
        "arp-inspection/off",
        "arp-inspection/no-bindings",
        "arp-inspection/trusted-edge",
        "dhcp-snooping/trusted-edge",
        "dhcp-snooping/prerequisite",
    ],
    run: copied_address,
};

fn copied_address(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_host(stage, machine)? else { return Ok(None) };
    let copied = own::host(stage, &machine)?;
    let own::Addresses { host: address, other: foreign, .. } = own::addresses(stage, machine.vlan_of_host(stage.port)?);
    machine.lease(stage.port, copied, address)?;
    machine.link_down(stage.port)?;
    machine.pass(5000)?;
    machine.tell(stage.port, format_args!("a stranger takes the place and the address of {copied}"), None);
    let Some(mut machine) = ready(stage, machine)? else { return Ok(None) };
    let arp = machine.says(stage.port, &Frame::to_all(copied, Payload::Arp(foreign)))?;
    let packet = machine.says(stage.port, &Frame::to_station(copied, gateway(), Payload::Packet(foreign)))?;
    // Without ARP nobody finds it, without packets it says nothing: one of them is enough.
    let told = match (arp.stopped_by(), packet.stopped_by()) {
        (None, None) => {
            let (_, idle) = uninspected(&machine, &arp)?;
            // Port security alone goes by the address.
            let named = (machine.is_secured(stage.port) == Ok(true)).then_some(settings::AUTHENTICATION.id);
            let trusted = (machine.trusts_arp(stage.port) == Ok(true)).then_some(settings::INSPECTION_TRUSTED.id);
            let because = Because::of("source guard", settings::SOURCE_GUARD.id);
            Rehearsal::new(&machine, Outcome::LetThrough, "a copied address is believed")
                .because(Some(because))
                .unless([because.setting, idle].into_iter().chain(trusted).chain(named))
        }
        (arp, packet) => {
            let because = packet.or(arp);
            let by = because.map_or("", |b| b.feature);
            Rehearsal::new(&machine, Outcome::Held, format!("stopped: {by}")).because(because)
        }
    };
    Ok(Some(told))
}

pub(super) const ADDRESS_FLOOD: Drill = Drill {
    name: "address-flood",
    stimulus: "10,000 made-up addresses",
    holds: "the address table grows by no more than the limit",
    answers: &["port-security/off", "port-security/not-armed", "port-security/mode-conflict"],
    run: address_flood,
};

/// Plays as much of a flood as it takes to know the rest: what stopped it last, and how many that were not played would be
/// let in and learned, too.
fn flood(stage: &Stage<'_>, machine: &mut Machine<'_>) -> Known<(Option<Because>, u32)> {
    let made_up = |number: u32| station(1000 + u64::from(number));
    let is_played_out = stage.frame_by_frame || machine.tells_apart(made_up(0)..=made_up(stage.flood.max(1) - 1));
    let mut stopped = None;
    for number in 0..stage.flood {
        let before = machine.admitted_on(stage.port);
        let arrival = machine.says(stage.port, &Frame::to_station(made_up(number), station(1), Payload::Plain))?;
        stopped = arrival.stopped_by().or(stopped);
        if machine.held_by(stage.port).is_some() {
            break;
        }
        // A place that was taken may have been the last; where none was, nothing tells the next from this one.
        if !is_played_out && machine.admitted_on(stage.port) == before {
            return Ok((stopped, if arrival.is_in() { stage.flood - number - 1 } else { 0 }));
        }
    }
    Ok((stopped, 0))
}

fn address_flood(stage: &Stage<'_>, mut machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    if !stage.is_edge()? {
        return Ok(None);
    }
    // Nobody else listens: what is asked is how the table grows.
    seat(stage, &mut machine)?;
    machine.link_up(stage.port)?;
    let Some(opens) = machine.opens_at(stage.port) else { return Ok(None) };
    machine.pass(opens.saturating_sub(machine.now()) + 1000)?;
    machine.tells = false;
    let (stopped, unplayed) = flood(stage, &mut machine)?;
    machine.tells = true;
    let grown = machine.learned_on(stage.port) + unplayed as usize;
    machine.tell(stage.port, format_args!("{} addresses later {grown} of them are in the table", stage.flood), stopped);
    let because = unsecured(&machine, stage.port)?;
    let secured = machine.is_secured(stage.port)? && grown <= machine.limit(stage.port)? as usize;
    let authenticated = grown == 0;
    let told = if secured || authenticated {
        Rehearsal::new(&machine, Outcome::Held, format!("the table grows by {grown}"))
    } else {
        Rehearsal::new(&machine, Outcome::LetThrough, format!("the table grows by {grown}"))
    };
    let told = told.unless([because.setting]);
    Ok(Some(told.because(stopped.or(Some(because))).back(&machine, stage.port)))
}
