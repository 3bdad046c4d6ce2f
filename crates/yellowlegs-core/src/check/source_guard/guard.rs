//! Where source guard is wanted, what it lives off, and where it must not stand.

use std::collections::BTreeMap;

use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, SwitchView, Tally, Unknown, Verdict, Violation};
use crate::model::{VlanId, settings};
use crate::policy::{Feature, Level, Wish};

pub(super) const OFF: Check = Check {
    id: "source-guard/off",
    title: "source guard is wanted and off",
    level: Level::Risk,
    needs: &["source-guard.enabled", "role"],
    policy: &["role.expect.source-guard"],
    reference: "RFC 7039",
    why: "A station may send under any address: its neighbour's, the server's, the gateway's.",
    remedy: "Switch source guard on for the port, once DHCP snooping has gathered its bindings.",
    repair: Repair::Set(&[(settings::SOURCE_GUARD.id, Aim::On)]),
    run: Run::Port(off),
    ..Check::ROW
};

fn off(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::SourceGuard) || port.on().is_held_back("source-guard")? {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::SOURCE_GUARD)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::SOURCE_GUARD.id, "source guard is off; role {role} wants it")
        .demand(&role.expect.wish(Feature::SourceGuard).cite)
        .into()
}

pub(super) const NO_BINDINGS: Check = Check {
    id: "source-guard/no-bindings",
    title: "source guard has no bindings to live off",
    level: Level::Breach,
    needs: &["source-guard.enabled", "dhcp-snooping.enabled", "dhcp-snooping.vlans", "snooping-switches", "port.mode"],
    uses: &["port.access-vlan", "port.native-vlan", "role"],
    reference: "RFC 7039; RFC 2131",
    why: "Source guard lets through what the binding table knows. With no snooping in the VLAN the table is empty: \
          everybody on the port is cut off, or nobody is guarded.",
    remedy: "Let DHCP snooping cover VLAN {vlan}, or take source guard off its ports.",
    repair: Repair::Work(crate::check::arp_inspection::cover),
    run: Run::Switch(no_bindings),
    ..Check::ROW
};

/// Ports towards bridges have a check of their own.
fn no_bindings(on: &SwitchView<'_>) -> Judgement {
    if on.is_held_back("source-guard")? || on.is_held_back("dhcp-snooping")? {
        return Ok(Verdict::NotApplicable);
    }
    let mut tally = Tally::default();
    let mut bare: BTreeMap<VlanId, Vec<usize>> = BTreeMap::new();
    for port in on.ports().filter(|port| !port.role().is_ok_and(|role| role.faces.is_bridge())) {
        match unbound(&port) {
            Ok(Some(vlan)) => bare.entry(vlan).or_default().push(port.port()),
            Ok(None) => {}
            Err(unknown) => tally.add(Err(unknown)),
        }
    }
    for (vlan, ports) in bare {
        let violation = Violation::of(
            settings::SNOOPING_VLANS.id,
            "{count} port(s) in VLAN {vlan} have source guard, and DHCP snooping does not act there",
        )
        .beside(settings::SNOOPING.id)
        .fact("vlan", u32::from(vlan.get()))
        .fact("count", ports.len() as u32)
        .vlan(Some(vlan))
        .related(ports.into_iter().map(|port| on.related(port)).collect());
        tally.add(Ok(Some(violation)));
    }
    tally.judgement()
}

fn unbound(port: &PortView<'_>) -> Result<Option<VlanId>, Unknown> {
    if !port.known(settings::SOURCE_GUARD)? {
        return Ok(None);
    }
    let Some(vlan) = port.untagged()?.vlan else { return Ok(None) };
    Ok((!port.snooping_in_force(vlan)?).then_some(vlan))
}

pub(super) const ON_UPLINK: Check = Check {
    id: "source-guard/on-uplink",
    title: "source guard stands towards another switch",
    level: Level::Breach,
    needs: &["source-guard.enabled", "role"],
    policy: &["role.faces", "role.expect.source-guard"],
    reference: "RFC 7039",
    why: "Behind the port are everybody else's addresses, and this switch has no bindings for them: they are all \
          cut off.",
    remedy: "Take source guard off the port.",
    repair: Repair::Set(&[(settings::SOURCE_GUARD.id, Aim::Off)]),
    run: Run::Port(on_uplink),
    ..Check::ROW
};

fn on_uplink(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.faces.is_bridge() || role.expect.wish(Feature::SourceGuard).value != Wish::Unwanted {
        return Ok(Verdict::NotApplicable);
    }
    if !port.known(settings::SOURCE_GUARD)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::SOURCE_GUARD.id, "source guard is on; role {role} faces {faces}")
        .demand(role.cite("faces"))
        .into()
}
