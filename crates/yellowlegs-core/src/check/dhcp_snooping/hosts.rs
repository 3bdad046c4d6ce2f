//! Stations on snooped VLANs: who talks without a binding, and who got no address.

use std::cell::LazyCell;
use std::collections::{BTreeMap, BTreeSet};
use std::net::IpAddr;

use super::bindings::{is_link_local, of_port};
use crate::check::seen::{Heard, QUOTED, distinct, some};
use crate::check::{Check, Judgement, PortView, Run, Unknown, Verdict, Violation};
use crate::model::{EventSeen, Fact, Learned, StationAddress, VlanId, facts, settings};
use crate::policy::Level;
use crate::sorted;

pub(super) const UNBOUND: Check = Check {
    id: "dhcp-snooping/host-unbound",
    title: "a station on a covered VLAN talks without a binding",
    level: Level::Risk,
    needs: &["station", "binding", "dhcp-snooping.trusted", "role"],
    uses: &["dhcp-snooping.enabled", "dhcp-snooping.vlans", "snooping-switches"],
    policy: &["site.fixed-stations", "site.state-age"],
    reference: "RFC 7513, 5; RFC 2131",
    why: "It uses an address that nobody gave it: written by hand, kept from another network, or taken from somebody. \
          Source guard and ARP inspection will cut it off.",
    remedy: "Let {stations} ask for an address; list those whose address is written by hand in site.fixed-stations.",
    run: Run::Port(unbound),
    ..Check::ROW
};

/// The stations of an untrusted edge port that are heard in VLANs where snooping acts; `None`: not applicable.
fn covered<'a>(port: &PortView<'a>) -> Result<Option<Vec<Heard<'a>>>, Unknown> {
    let Some(heard) = port.stations()? else { return Ok(None) };
    if !port.role()?.faces.is_edge()
        || port.known(settings::SNOOPING_TRUSTED)?
        || port.on().is_held_back("dhcp-snooping")?
    {
        return Ok(None);
    }
    let mut covered = Vec::new();
    for heard in heard {
        let vlan = match heard.vlan {
            Some(vlan) => Some(vlan),
            None => port.untagged()?.vlan,
        };
        if let Some(vlan) = vlan
            && port.snooping_in_force(vlan)?
        {
            covered.push(Heard { vlan: Some(vlan), ..heard });
        }
    }
    Ok(Some(covered))
}

fn unbound(port: &PortView<'_>) -> Judgement {
    let Some(covered) = covered(port)? else { return Ok(Verdict::NotApplicable) };
    let Some(bindings) = of_port(port)? else { return Ok(Verdict::NotApplicable) };
    // An entry past its end, or one with a link-local address, is told as that.
    let bound: BTreeSet<(StationAddress, Option<VlanId>)> = bindings.iter().map(|b| (b.station, b.vlan)).collect();
    let by_itself = LazyCell::new(|| self_given(port));
    let fixed_starts = &port.policy().site.fixed_stations.value;
    let fixed = |station: StationAddress| fixed_starts.iter().any(|start| station.begins_with(start));
    let bare = |heard: &&Heard<'_>| {
        let known = bound.contains(&(heard.address, heard.vlan)) || bound.contains(&(heard.address, None));
        let kept = heard.row.get(facts::station::KIND) == Some(Learned::Written);
        !known && !kept && !by_itself.contains_key(&heard.address) && !fixed(heard.address)
    };
    let bare: Vec<Heard<'_>> = covered.iter().filter(bare).copied().collect();
    let Some(first) = bare.first() else { return Ok(Verdict::Met) };
    let stations = distinct(&bare);
    let says = "{count} station(s) talk in VLAN {vlan} without a binding: {stations}";
    let violation = Violation::of(settings::SNOOPING_VLANS.id, says)
        .fact("count", stations.len() as u32)
        .fact("vlan", first.vlan.map_or(0, |vlan| u32::from(vlan.get())))
        .fact("stations", some(&stations))
        .vlan(first.vlan);
    bare.iter().take(QUOTED).fold(violation, |violation, heard| violation.and_line(Some(heard.row.mark))).into()
}

pub(super) const SELF_ASSIGNED: Check = Check {
    id: "dhcp-snooping/self-assigned",
    title: "stations gave themselves an address on a covered VLAN",
    level: Level::Risk,
    needs: &["binding or claim or station ip or event arp-dropped"],
    uses: &["dhcp-snooping.trusted"],
    policy: &["site.log-window"],
    reference: "RFC 3927, 2.1",
    why: "They asked for an address and got none: the server's answers are dropped on an untrusted port on the way, or \
          there are no leases left.",
    remedy: "Follow the trust from the port to the server; look for free leases.",
    run: Run::Port(self_assigned),
    ..Check::ROW
};

/// The stations of a port that use a link-local IPv4 address, each with the line that shows it.
fn self_given<'a>(port: &PortView<'a>) -> BTreeMap<StationAddress, (IpAddr, &'a Fact)> {
    let mut given = BTreeMap::new();
    let bindings = of_port(port).ok().flatten().unwrap_or_default();
    for binding in bindings {
        if let Some(ip) = binding.ip.filter(|ip| ip.is_ipv4() && is_link_local(*ip)) {
            given.entry(binding.station).or_insert((ip, binding.row));
        }
    }
    let dropped = port.events(EventSeen::ArpDropped);
    let dropped = dropped.map(|event| (event.get(facts::event::ADDRESS), event.get(facts::event::IP), event));
    let claims = port.seen(facts::claim::FACT).ok().flatten().unwrap_or_default().into_iter();
    let claims = claims.map(|claim| (claim.get(facts::claim::ADDRESS), claim.get(facts::claim::IP), claim));
    let heard = port.seen(facts::station::FACT).ok().flatten().unwrap_or_default().into_iter();
    let heard = heard.map(|row| (row.get(facts::station::ADDRESS), row.get(facts::station::IP), row));
    for (station, ip, fact) in dropped.chain(claims).chain(heard) {
        if let (Some(station), Some(ip)) = (station, ip.flatten().filter(|ip| ip.is_ipv4() && is_link_local(*ip))) {
            given.entry(station).or_insert((ip, fact));
        }
    }
    given
}

fn self_assigned(port: &PortView<'_>) -> Judgement {
    if !port.has_state() || !port.role()?.faces.is_edge() {
        return Ok(Verdict::NotApplicable);
    }
    let given = self_given(port);
    if given.is_empty() {
        let reads = |kind| port.reads(kind);
        let telling = [facts::binding::FACT, facts::claim::FACT, facts::event::FACT];
        let with_address = port.facts(facts::station::FACT).any(|row| row.get(facts::station::IP).is_some());
        let told =
            telling.into_iter().any(|kind| reads(kind).is_ok()) || with_address && reads(facts::station::FACT).is_ok();
        return if told { Ok(Verdict::Met) } else { Err(Unknown::fact(SELF_ASSIGNED.needs[0])) };
    }
    let shown: Vec<String> = given.iter().map(|(station, (ip, _))| format!("{station} ({ip})")).collect();
    let says = "{count} station(s) gave themselves an address: they asked and got none: {stations}";
    let violation = Violation::saying(says).fact("count", given.len() as u32).fact("stations", some(&shown));
    given.values().take(QUOTED).fold(violation, |violation, (_, fact)| violation.and_line(Some(fact.mark))).into()
}

pub(super) const ROGUE_SEEN: Check = Check {
    id: "dhcp-snooping/rogue-seen",
    title: "server messages were dropped on an untrusted port",
    level: Level::Breach,
    needs: &["event server-dropped or counters", "dhcp-snooping.trusted"],
    policy: &["site.log-window"],
    reference: "RFC 2131, 4.3; RFC 7610",
    why: "Somebody's machine hands out addresses. Snooping holds it off here; where a VLAN is not covered it does not.",
    remedy: "Go to the port and take the server{who} off.",
    run: Run::Port(rogue_seen),
    ..Check::ROW
};

fn rogue_seen(port: &PortView<'_>) -> Judgement {
    if !port.has_state() || port.known(settings::SNOOPING_TRUSTED)? {
        return Ok(Verdict::NotApplicable);
    }
    let dropped: Vec<&Fact> = port.events(EventSeen::ServerDropped).collect();
    let counters = port.seen(facts::counters::FACT);
    let counted = counters.iter().flatten().flatten().find_map(|fact| {
        let count = fact.get(facts::counters::SERVER_DROPS).filter(|count| *count > 0)?;
        Some((count, *fact))
    });
    let cause = |says: &'static str| Violation::of(settings::SNOOPING_TRUSTED.id, says);
    if let [first, .., last] | [first @ last] = &dropped[..] {
        let mut servers: Vec<String> =
            dropped.iter().filter_map(|event| Some(event.get(facts::event::IP)??.to_string())).collect();
        sorted::plain(&mut servers);
        servers.dedup();
        let who = if servers.is_empty() { String::new() } else { format!(" {}", some(&servers)) };
        let time = |event: &Fact| event.get(facts::event::TIME).map_or_else(|| "?".to_owned(), |t| t.to_string());
        let says = if dropped.len() > 1 {
            "{count} server message(s) from{who} were dropped here, from {first} to {last}"
        } else {
            "a server message from{who} was dropped here, at {first}"
        };
        let who = if who.is_empty() { " somebody".to_owned() } else { who };
        return cause(says)
            .fact("count", dropped.len() as u32)
            .fact("who", who)
            .fact("first", time(first))
            .fact("last", time(last))
            .and_line(Some(first.mark))
            .and_line(Some(last.mark).filter(|mark| *mark != first.mark))
            .into();
    }
    if let Some((count, fact)) = counted {
        let says = "{count} server message(s) were dropped here";
        return cause(says).fact("count", count).fact("who", String::new()).and_line(Some(fact.mark)).into();
    }
    match (counters, port.reads(facts::event::FACT)) {
        (Err(_), Err(_)) => Err(Unknown::fact("event server-dropped or counters")),
        _ => Ok(Verdict::Met),
    }
}
