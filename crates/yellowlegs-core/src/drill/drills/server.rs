//! The authorised server: whether a client gets its address from it and reaches its gateway, all switches on the way included.

use std::net::Ipv4Addr;

use super::own::Addresses;
use super::{at_host, own};
use crate::drill::Drill;
use crate::drill::around::Way;
use crate::drill::asked::{Hang, Known};
use crate::drill::frame::{Dhcp, Frame, Payload};
use crate::drill::machine::{At, Because, Machine, Net, Trip};
use crate::drill::rehearse::{LINKS, Outcome, Rehearsal, Stage, station};
use crate::model::{StationAddress, VlanId, settings};

pub(super) const REAL_SERVER: Drill = Drill {
    name: "real-server",
    stimulus: "a client asks the authorised server, all switches on the way included, then asks for its gateway by ARP",
    holds: "it gets its address and reaches the gateway",
    answers: &[
        "dhcp-snooping/uplink-untrusted",
        "dhcp-snooping/no-path",
        "dhcp-snooping/relay-info-refused",
        "dhcp-snooping/off",
        "dhcp-snooping/not-armed",
        "dhcp-snooping/vlan-uncovered",
        "dhcp-snooping/prerequisite",
        "arp-inspection/uplink-untrusted",
        "arp-inspection/no-bindings",
        "arp-inspection/off",
        "port-security/limit-low",
        "port-security/on-uplink",
        "port-security/pinned-twice",
        "voice/room-missing",
    ],
    run: real_server,
};

/// The switches on the way as a net; the client's switch is the first.
fn net<'a>(stage: &Stage<'_>, machine: Machine<'a>, way: &'a Way) -> Net<'a> {
    let now = machine.now();
    let mut switches = vec![machine];
    let mut wires: Vec<(At, At)> = Vec::new();
    for (number, (resolved, out, into)) in way.steps.iter().enumerate() {
        let mut machine = Machine::new(stage.asked(&resolved.switch));
        (0..machine.port_count()).for_each(|port| machine.settle(port));
        machine.started_at(now);
        switches.push(machine);
        wires.push(((number, *out), (number + 1, *into)));
    }
    Net::new(switches, wires)
}

/// Who asks: in which VLAN, with a tag or without.
#[derive(Clone, Copy)]
struct Client {
    who: &'static str,
    station: StationAddress,
    vlan: VlanId,
    tags: bool,
    address: Ipv4Addr,
    gateway: Ipv4Addr,
}

impl Client {
    fn frame(&self, frame: Frame) -> Frame {
        if self.tags { frame.tagged(self.vlan) } else { frame }
    }
}

fn real_server(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(machine) = at_host(stage, machine)? else { return Ok(None) };
    let own = machine.vlan_of_host(stage.port)?;
    let host = own::host(stage, &machine)?;
    let tags = machine.speaks_in.is_some();
    let host = own.map(|vlan| {
        let Addresses { host: address, gateway, .. } = own::addresses(stage, Some(vlan));
        Client { who: "the client", station: host, vlan, tags, address, gateway }
    });
    let role = stage.role()?;
    let voice = role.voice.filter(|voice| role.faces.has_phone() && own != Some(*voice));
    let carried = voice.map(|vlan| Ok(machine.tagged(stage.port)?.contains(vlan))).transpose()? == Some(true);
    let station = own::phone(stage, &machine)?;
    let phone = voice.filter(|_| carried).map(|vlan| {
        let Addresses { phone: address, gateway, .. } = own::addresses(stage, Some(vlan));
        Client { who: "the phone", station, vlan, tags: true, address, gateway }
    });
    if host.is_some_and(|host| !is_served(stage, host) && machine.snoops(host.vlan) != Ok(false)) {
        // Nobody says that there is a server: where snooping acts somebody should.
        return Err(Hang::fact("policy: dhcp-server"));
    }
    let mut told: Option<Rehearsal> = None;
    for client in host.into_iter().chain(phone).filter(|client| is_served(stage, *client)) {
        let mut machine = machine.clone();
        if told.is_some() {
            machine.take_story();
            machine.tell(stage.port, format_args!("{} asks, in its own VLAN", client.who), None);
        }
        let Some(next) = asks(stage, machine, client)? else { continue };
        if next.outcome != Outcome::Held {
            return Ok(Some(next));
        }
        told = Some(match told {
            None => next,
            Some(first) => {
                let says = format!("{}; {}", first.says, next.says);
                Rehearsal { says, story: first.story.into_iter().chain(next.story).collect(), ..next }
            }
        });
    }
    Ok(told)
}

fn is_served(stage: &Stage<'_>, client: Client) -> bool {
    stage.policy.dhcp_servers.iter().any(|server| server.vlans.is_empty() || server.vlans.contains(client.vlan))
}

fn asks(stage: &Stage<'_>, mut machine: Machine<'_>, client: Client) -> Known<Option<Rehearsal>> {
    let Client { vlan, .. } = client;
    let Some(way) = stage.around.way(stage, vlan) else {
        return Err(Hang::fact(LINKS));
    };
    if way.steps.first().is_some_and(|(_, out, _)| *out == stage.port) {
        return Ok(None);
    }
    machine.authenticate(client.station);
    let net = net(stage, machine, &way);
    for (number, (_, out, into)) in way.steps.iter().enumerate() {
        let ends = [
            net.machine(number).map(|m| m.is_member(*out, vlan)),
            net.machine(number + 1).map(|m| m.is_member(*into, vlan)),
        ];
        ends.into_iter().flatten().collect::<Known<Vec<bool>>>()?;
    }
    exchange(stage, net, &way, client).map(Some)
}

/// The exchange, message by message.
fn exchange(stage: &Stage<'_>, mut net: Net<'_>, way: &Way, asking: Client) -> Known<Rehearsal> {
    let Client { who, station: client, vlan, address, gateway, .. } = asking;
    let last = way.steps.len();
    let server = match (way.server, net.machine(last)) {
        (Some(port), Some(machine)) => own::fixed(machine, port)?.first().map(|one| one.address),
        _ => None,
    };
    let server = server.unwrap_or_else(|| station(800));
    // A server in another VLAN is reached by a relay on its switch (RFC 2131, 4.1).
    let member = |port: usize| net.machine(last).map_or(Ok(false), |machine| machine.is_member(port, vlan));
    let direct = way.server.map(member).transpose()? == Some(true);
    for (question, answer) in [(Dhcp::Discover, Dhcp::Offer), (Dhcp::Request, Dhcp::Ack)] {
        let asks = asking.frame(Frame::to_all(client, Payload::Dhcp(question, client, address)));
        let trip = net.send((0, stage.port), &asks)?;
        let came = match way.server.filter(|_| direct) {
            Some(port) => trip.reaches((last, port)),
            None => trip.arrivals.iter().any(|(at, arrival)| at.0 == last && arrival.is_in()),
        };
        if !came {
            let what = format!("{who}'s question never reaches the server");
            return Ok(broken(stage, &mut net, &trip, way, vlan, &what));
        }
        let answer = Frame::to_station(server, client, Payload::Dhcp(answer, client, address));
        if let Some(lost) = answered(stage, &mut net, way, asking, &answer, direct)? {
            let what = format!("the real server's answer never reaches {who}");
            return Ok(broken(stage, &mut net, &lost, way, vlan, &what));
        }
        net.pass(1000)?;
    }
    let trip = net.send((0, stage.port), &asking.frame(Frame::to_all(client, Payload::Arp(address))))?;
    if !trip.arrivals.iter().any(|(at, arrival)| at.0 == last && arrival.is_in()) {
        let what = format!("{who} has its address, and its question for the gateway is dropped");
        return Ok(broken(stage, &mut net, &trip, way, vlan, &what));
    }
    // The gateway's answer comes down every cable of the way.
    if let Some((_, out, _)) = way.steps.last() {
        let into: At = (last - 1, *out);
        let reply = tagged(&net, into, vlan, Frame::to_station(server, client, Payload::Arp(gateway)))?;
        let trip = net.send(into, &reply)?;
        if !trip.reaches((0, stage.port)) {
            let what = format!("{who} has its address, and the gateway's answer is dropped");
            return Ok(broken(stage, &mut net, &trip, way, vlan, &what));
        }
    }
    let switches = match last {
        0 => "on this switch".to_owned(),
        1 => "over one more switch".to_owned(),
        _ => format!("over {last} more switches"),
    };
    let says = format!("{who} gets its address {switches} and reaches its gateway");
    let because = Because::of("DHCP snooping", settings::SNOOPING_TRUSTED.id);
    Ok(Rehearsal::told(net.story(), Outcome::Held, says).because(Some(because)))
}

/// The server answers; what became of the answer, where it did not come.
fn answered(
    stage: &Stage<'_>,
    net: &mut Net<'_>,
    way: &Way,
    asking: Client,
    answer: &Frame,
    direct: bool,
) -> Known<Option<Trip>> {
    let (last, vlan, here) = (way.steps.len(), asking.vlan, (0, stage.port));
    if let Some(port) = way.server {
        net.switch(last).into_iter().for_each(|machine| machine.authenticate(answer.from));
        // A server whose port carries the VLAN tagged speaks with its tag. What goes to a relay goes no further than its switch.
        let trip = if direct {
            let answer = tagged(net, (last, port), vlan, answer.clone())?;
            net.send((last, port), &answer)?
        } else {
            net.arrive((last, port), answer)?
        };
        let passed = if direct { trip.reaches(here) } else { trip.arrivals.iter().any(|(_, a)| a.is_in()) };
        if !passed {
            return Ok(Some(trip));
        }
    }
    if let Some((_, out, _)) = way.steps.last().filter(|_| !direct) {
        let into: At = (last - 1, *out);
        let frame = tagged(net, into, vlan, answer.clone())?;
        let trip = net.send(into, &frame)?;
        if !trip.reaches(here) {
            return Ok(Some(trip));
        }
    }
    if !direct && matches!(answer.payload, Payload::Dhcp(Dhcp::Ack, ..)) {
        // The relay's switch knows the client's port, and what it was given.
        net.switch(last).map_or(Ok(()), |machine| machine.bind_learned(asking.station, vlan, asking.address))?;
    }
    if last == 0 && !direct {
        net.switch(0).into_iter().for_each(|own| own.tell(stage.port, "the answer comes from this switch", None));
    }
    Ok(None)
}

/// A frame as it comes over a cable in a VLAN.
fn tagged(net: &Net<'_>, into: At, vlan: VlanId, frame: Frame) -> Known<Frame> {
    let untagged = net.machine(into.0).map(|machine| machine.untagged(into.1)).transpose()?.flatten();
    Ok(if untagged == Some(vlan) { frame } else { frame.tagged(vlan) })
}

fn broken(stage: &Stage<'_>, net: &mut Net<'_>, trip: &Trip, way: &Way, vlan: VlanId, what: &str) -> Rehearsal {
    let ends = trip.stopped().or_else(|| {
        let (at, _) = trip.arrivals.last()?;
        let out = way.steps.get(at.0).map(|(_, out, _)| *out)?;
        // Clients are heard on trusted ports only; else nothing carries the VLAN on.
        let machine = net.machine(at.0)?;
        let snooped = machine.trusts(out) == Ok(false) && machine.is_member(out, vlan) == Ok(true);
        let setting = if snooped { settings::SNOOPING_TRUSTED.id } else { settings::TAGGED_VLANS.id };
        let feature = if snooped { "DHCP snooping" } else { "tag rules" };
        Some(((at.0, out), Because::of(feature, setting)))
    });
    let place = ends.as_ref().and_then(|(at, _)| Some((net.machine(at.0)?.switch_name(), at.1)));
    let told = place.as_ref().and_then(|(name, port)| {
        let machine = net.machine(ends.as_ref()?.0.0)?;
        Some(format!("{name} {}", machine.name(*port)))
    });
    let says = told.map_or_else(|| what.to_owned(), |told| format!("{what}: it ends at {told}"));
    let elsewhere = place.filter(|(name, port)| name != stage.switch().name() || *port != stage.port);
    let told = Rehearsal::told(net.story(), Outcome::Outage, says).because(ends.map(|(_, because)| because));
    Rehearsal { elsewhere, ..told }
}

pub(super) const BINDINGS_CLEARED: Drill = Drill {
    name: "bindings-cleared",
    stimulus: "somebody empties the table of bindings while guards are on",
    holds: "told: who is cut off, and until when",
    answers: &[],
    run: bindings_cleared,
};

fn bindings_cleared(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_host(stage, machine)? else { return Ok(None) };
    let own = machine.vlan_of_host(stage.port)?;
    let Some(vlan) = own else { return Ok(None) };
    if !machine.snoops(vlan)? {
        return Ok(None);
    }
    let host = own::host(stage, &machine)?;
    let address = own::addresses(stage, own).host;
    machine.lease(stage.port, host, address)?;
    machine.clear_bindings(stage.port);
    let arp = machine.says(stage.port, &Frame::to_all(host, Payload::Arp(address)))?;
    let packet = machine.says(stage.port, &Frame::to_station(host, station(800), Payload::Packet(address)))?;
    let by = packet.stopped_by().or(arp.stopped_by());
    let says = match by {
        Some(by) => format!(
            "{} cuts everybody off here until the client renews, at half its lease (RFC 2131, 4.4.5), or the plug is pulled",
            by.feature
        ),
        None => "nobody is cut off here: no guard asks for a binding".to_owned(),
    };
    Ok(Some(Rehearsal::new(&machine, Outcome::Told, says).because(by)))
}
