//! Addresses that are given out, claimed or used by those who may not.

use std::net::Ipv4Addr;

use super::{at_edge, at_host, belong, own, ready, uninspected, unsecured, unsnooped, verdict};
use crate::drill::Drill;
use crate::drill::asked::Known;
use crate::drill::frame::{Dhcp, Frame, Payload};
use crate::drill::machine::{Because, Machine, Millis};
use crate::drill::rehearse::{Outcome, Rehearsal, Stage, station};
use crate::model::settings;

pub(super) const ROGUE_SERVER: Drill = Drill {
    name: "rogue-server",
    stimulus: "OFFER and ACK of a server nobody agreed to, from this port",
    holds: "no client hears it",
    answers: &[
        "dhcp-snooping/off",
        "dhcp-snooping/not-armed",
        "dhcp-snooping/vlan-uncovered",
        "dhcp-snooping/trusted-edge",
        "dhcp-snooping/prerequisite",
    ],
    run: rogue_server,
};

fn rogue_server(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    if stage.serves() {
        return Ok(None);
    }
    let Some(mut machine) = at_edge(stage, machine)? else { return Ok(None) };
    let (server, victim) = (own::host(stage, &machine)?, station(500));
    let offered = own::addresses(stage, machine.vlan_of_host(stage.port)?).other;
    machine.authenticate(server);
    let mut tries = Vec::new();
    for kind in [Dhcp::Offer, Dhcp::Ack] {
        let frame = Frame::to_all(server, Payload::Dhcp(kind, victim, offered));
        tries.push((machine.says(stage.port, &frame)?, "the answer of a rogue server"));
        machine.pass(1000)?;
    }
    let told = verdict(&machine, stage, &tries);
    if told.outcome != Outcome::LetThrough {
        return Ok(Some(told));
    }
    let Some((arrival, _)) = tries.iter().find(|(arrival, _)| arrival.is_in()) else { return Ok(Some(told)) };
    let because = unsnooped(&machine, arrival)?;
    let trusted = (machine.trusts(stage.port) == Ok(true)).then_some(settings::SNOOPING_TRUSTED.id);
    Ok(Some(told.because(Some(because)).unless(trusted.into_iter().chain([because.setting]))))
}

pub(super) const FORGED_ARP: Drill = Drill {
    name: "forged-arp",
    stimulus: "an ARP reply that claims the gateway's address",
    holds: "it is dropped",
    answers: &["arp-inspection/off", "arp-inspection/trusted-edge", "arp-inspection/no-bindings"],
    run: forged_arp,
};

fn forged_arp(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_host(stage, machine)? else { return Ok(None) };
    let host = own::host(stage, &machine)?;
    let own::Addresses { host: address, gateway: claimed, .. } =
        own::addresses(stage, machine.vlan_of_host(stage.port)?);
    machine.lease(stage.port, host, address)?;
    let arrival = machine.says(stage.port, &Frame::to_all(host, Payload::Arp(claimed)))?;
    let (by, asked) = uninspected(&machine, &arrival)?;
    let told = verdict(&machine, stage, &[(arrival, "a claim of the gateway's address")]);
    let because = Because::of("ARP inspection", by);
    let trusted = (machine.trusts_arp(stage.port) == Ok(true)).then_some(settings::INSPECTION_TRUSTED.id);
    let unless = trusted.into_iter().chain([asked]);
    Ok(Some(Rehearsal { because: told.because.or(Some(because)), ..told }.unless(unless)))
}

pub(super) const FORGED_SOURCE: Drill = Drill {
    name: "forged-source",
    stimulus: "a packet from an address that is not bound to the port",
    holds: "it is dropped",
    answers: &[
        "source-guard/off",
        "source-guard/no-bindings",
        "dhcp-snooping/trusted-edge",
        "dhcp-snooping/prerequisite",
        "port-security/limit-low",
        "voice/room-missing",
    ],
    run: forged_source,
};

fn forged_source(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_host(stage, machine)? else { return Ok(None) };
    let host = own::host(stage, &machine)?;
    let own::Addresses { host: address, gateway: claimed, .. } =
        own::addresses(stage, machine.vlan_of_host(stage.port)?);
    machine.lease(stage.port, host, address)?;
    let gateway = station(800);
    let own = machine.says(stage.port, &Frame::to_station(host, gateway, Payload::Packet(address)))?;
    let forged = machine.says(stage.port, &Frame::to_station(host, gateway, Payload::Packet(claimed)))?;
    if forged.stopped_by().is_some() && !own.is_in() {
        // Without bindings the guard stops everybody.
        let told = Rehearsal::new(&machine, Outcome::Outage, "the station's own packets are stopped, too");
        return Ok(Some(told.because(own.stopped_by())));
    }
    let told = verdict(&machine, stage, &[(forged, "a packet with a forged source")]);
    let because = Because::of("source guard", settings::SOURCE_GUARD.id);
    // On a port that is trusted nobody is bound.
    let trusted = (machine.trusts(stage.port) == Ok(true)).then_some(settings::SNOOPING_TRUSTED.id);
    let unless = trusted.into_iter().chain([because.setting]);
    Ok(Some(Rehearsal { because: told.because.or(Some(because)), ..told }.unless(unless)))
}

pub(super) const STARVATION: Drill = Drill {
    name: "starvation",
    stimulus: "ten DISCOVERs a second for made-up clients, from one source, then from changing ones",
    holds: "no more leases are gained than stations belong here",
    answers: &[
        "dhcp-snooping/off",
        "dhcp-snooping/not-armed",
        "dhcp-snooping/vlan-uncovered",
        "dhcp-snooping/trusted-edge",
        "dhcp-snooping/prerequisite",
        "dhcp-snooping/address-check-off",
        "port-security/off",
        "port-security/not-armed",
        "port-security/limit-high",
        "port-security/mode-conflict",
        "recovery/revolving",
    ],
    run: starvation,
};

fn starvation(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    const CLIENTS: u64 = 100;
    const PAUSE: Millis = 100;
    const A_SECOND: u64 = 1000 / PAUSE;
    let Some(most) = (stage.is_edge()? && !stage.serves()).then(|| stage.stations(&machine)).transpose()?.flatten()
    else {
        return Ok(None);
    };
    let Some(mut machine) = ready(stage, machine)? else { return Ok(None) };
    let mut gained = [0, 0];
    let host = own::host(stage, &machine)?;
    let mut stopped = None;
    let mut through = None;
    machine.tells = false;
    for (changing, gained) in [false, true].into_iter().zip(&mut gained) {
        let is_played_out = stage.frame_by_frame || machine.tells_apart(station(1000)..=station(999 + CLIENTS));
        // What was gained and who was admitted before this second and the one before.
        let mut seconds = [None, None];
        for client in 0..CLIENTS {
            if client % A_SECOND == 0 {
                let [_, last] = seconds;
                seconds = [last, Some((*gained, machine.admitted_on(stage.port)))];
                // A limit lets in of one second what it let in of the last.
                if let [Some((gained_before, admitted)), Some((_, still))] = seconds
                    && !is_played_out
                    && client > A_SECOND
                    && admitted == still
                    && machine.is_steady(stage.port, PAUSE, CLIENTS)
                {
                    let rest = CLIENTS - client;
                    *gained += (*gained - gained_before) * (rest / A_SECOND) as usize;
                    machine.pass_alike(stage.port, rest * PAUSE)?;
                    break;
                }
            }
            let before = machine.admitted_on(stage.port);
            let source = if changing { station(1000 + client) } else { host };
            machine.authenticate(source);
            let discover = Payload::Dhcp(Dhcp::Discover, station(1000 + client), Ipv4Addr::UNSPECIFIED);
            let arrival = machine.says(stage.port, &Frame::to_all(source, discover))?;
            *gained += usize::from(arrival.is_in());
            through = through.or(arrival.is_in().then(|| arrival.clone()));
            stopped = arrival.stopped_by().or(stopped);
            machine.pass(PAUSE)?;
            // A place that was taken may have been the last; where none was, nothing tells the next from this one.
            let rest = CLIENTS - client - 1;
            if !is_played_out
                && machine.admitted_on(stage.port) == before
                && machine.is_even(stage.port, PAUSE, CLIENTS)
            {
                *gained += if arrival.is_in() { rest as usize } else { 0 };
                machine.pass(rest * PAUSE)?;
                break;
            }
        }
    }
    machine.tells = true;
    let [one, many] = gained;
    machine.tell(stage.port, format_args!("{one} leases from one source, {many} from changing ones"), stopped);
    let worst = one.max(many);
    let outcome = if worst <= most.max(1) { Outcome::Held } else { Outcome::LetThrough };
    // One source is stopped by the comparison of addresses, changing ones by port security.
    let secured = unsecured(&machine, stage.port)?;
    let because = match &through {
        Some(arrival) if one > most.max(1) => match unsnooped(&machine, arrival)? {
            by if by.setting == settings::SNOOPING_TRUSTED.id && machine.trusts(stage.port) == Ok(false) => {
                Because::of("DHCP snooping", settings::ADDRESS_CHECK.id)
            }
            by => by,
        },
        _ => secured,
    };
    let trusted = (machine.trusts(stage.port) == Ok(true)).then_some(settings::SNOOPING_TRUSTED.id);
    let changing = (many > most.max(1)).then_some(secured.setting);
    let unless = [because.setting].into_iter().chain(trusted).chain(changing);
    let says = format!("{worst} leases are gained where {} at most", belong(most));
    let told = Rehearsal::new(&machine, outcome, says).because(Some(because)).unless(unless);
    Ok(Some(told.back(&machine, stage.port)))
}

pub(super) const ROGUE_ROUTER: Drill = Drill {
    name: "rogue-router",
    stimulus: "a router advertisement and an answer of a DHCPv6 server, from this port",
    holds: "no host hears them",
    answers: &["ipv6-guard/advertisement-open", "ipv6-guard/server-open"],
    run: rogue_router,
};

fn rogue_router(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_edge(stage, machine)? else { return Ok(None) };
    let router = own::host(stage, &machine)?;
    machine.authenticate(router);
    let mut tries = Vec::new();
    for (payload, what) in
        [(Payload::RouterAdvertisement, "a router advertisement"), (Payload::ServerAnswer, "a DHCPv6 answer")]
    {
        tries.push((machine.says(stage.port, &Frame::to_all(router, payload))?, what));
        machine.pass(1000)?;
    }
    let open = if tries.first().is_some_and(|(arrival, _)| arrival.is_in()) {
        settings::ADVERTISEMENTS_BLOCKED.id
    } else {
        settings::SERVERS_BLOCKED.id
    };
    let told = verdict(&machine, stage, &tries);
    let because = told.because.or(Some(Because::of("IPv6 guard", open)));
    Ok(Some(Rehearsal { because, ..told }.unless([open])))
}
