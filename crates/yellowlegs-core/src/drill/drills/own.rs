//! The stations that belong on a port: those that are written or pinned there, then made-up ones.

use std::net::{IpAddr, Ipv4Addr};

use crate::drill::asked::Known;
use crate::drill::machine::Machine;
use crate::drill::rehearse::{Stage, station};
use crate::model::{Station, StationAddress, VlanId};
use crate::policy::Faces;

/// IP addresses that hosts of a VLAN have: of its first subnet in the policy, else of the documentation's (RFC 5737).
#[derive(Debug, Clone, Copy)]
pub(super) struct Addresses {
    pub(super) gateway: Ipv4Addr,
    pub(super) host: Ipv4Addr,
    pub(super) phone: Ipv4Addr,
    /// Of somebody else.
    pub(super) other: Ipv4Addr,
}

pub(super) fn addresses(stage: &Stage<'_>, vlan: Option<VlanId>) -> Addresses {
    let site = vlan.and_then(|vlan| stage.policy.vlan(stage.switch().name(), vlan));
    let of_v4 = |(net, length): &(IpAddr, u8)| match net {
        IpAddr::V4(net) if *length <= 29 => Some((u32::from(*net), *length)),
        _ => None,
    };
    let (net, length) = site
        .and_then(|site| site.subnets.iter().find_map(of_v4))
        .unwrap_or((u32::from(Ipv4Addr::new(192, 0, 2, 0)), 24));
    // The last that is no address of all hosts (RFC 919).
    let last = u32::MAX.checked_shr(length.into()).unwrap_or(0).saturating_sub(1);
    let net = net & !u32::MAX.checked_shr(length.into()).unwrap_or(0);
    let number = |wanted: u32, least: u32| Ipv4Addr::from(net | if wanted < last { wanted } else { least });
    Addresses { gateway: number(1, 1), host: number(10, 2), phone: number(11, 3), other: number(66, 4) }
}

/// Stations that port security lets in always; none where it does not act.
pub(super) fn fixed(machine: &Machine<'_>, port: usize) -> Known<Vec<Station>> {
    if machine.is_secured(port)? { machine.fixed(port) } else { Ok(Vec::new()) }
}

fn admitted_in(station: &Station, vlan: Option<VlanId>) -> bool {
    station.vlan.is_none() || station.vlan == vlan
}

/// So many hosts in the untagged VLAN. A fixed phone is none, where it can be told; of a phone and a host that cannot, the phone is
/// the first.
pub(super) fn hosts(stage: &Stage<'_>, machine: &Machine<'_>, count: usize) -> Known<Vec<StationAddress>> {
    let fixed = fixed(machine, stage.port)?;
    let own = machine.vlan_of_host(stage.port)?;
    // Where only a phone belongs, it is who speaks.
    let phone = phone_of(stage, &fixed).filter(|_| stage.role().is_ok_and(|role| role.faces != Faces::Phone));
    let host = |one: &&Station| admitted_in(one, own) && Some(one.address) != phone;
    let all = fixed.iter().filter(host).map(|one| one.address);
    Ok(all.chain((1..).map(station)).take(count).collect())
}

/// A host in the untagged VLAN.
pub(super) fn host(stage: &Stage<'_>, machine: &Machine<'_>) -> Known<StationAddress> {
    Ok(hosts(stage, machine, 1)?.first().copied().unwrap_or_else(|| station(1)))
}

/// The phone: a fixed one, else one of the site's.
pub(super) fn phone(stage: &Stage<'_>, machine: &Machine<'_>) -> Known<StationAddress> {
    let made_up = || {
        let prefix = stage.policy.site.phone_prefixes.value.first()?;
        let octets = prefix.split(':').filter(|octet| !octet.is_empty()).chain(["00"; 6]).take(6);
        StationAddress::parse(&octets.collect::<Vec<_>>().join(":")).ok()
    };
    Ok(phone_of(stage, &fixed(machine, stage.port)?).or_else(made_up).unwrap_or_else(|| station(2)))
}

fn phone_of(stage: &Stage<'_>, fixed: &[Station]) -> Option<StationAddress> {
    let role = stage.role().ok()?;
    let told = |one: &&Station| stage.policy.is_phone(one.address) || one.vlan.is_some() && one.vlan == role.voice;
    let most = match role.faces {
        Faces::Phone => 0,
        Faces::PhoneAndHost => 1,
        _ => return None,
    };
    fixed.iter().find(told).or_else(|| fixed.first().filter(|_| fixed.len() > most)).map(|one| one.address)
}

/// Whoever belongs here, so many.
pub(super) fn all(stage: &Stage<'_>, machine: &Machine<'_>, count: usize) -> Known<Vec<StationAddress>> {
    let fixed = fixed(machine, stage.port)?.into_iter().map(|one| one.address);
    Ok(fixed.chain((1..).map(station)).take(count).collect())
}
