//! Where ARP inspection is wanted, and what it lives off.

use crate::check::arming::{INSPECTION, SNOOPING, throw, used_by_edges};
use crate::check::{
    Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, SwitchView, Tally, Verdict, Violation,
};
use crate::model::{VlanSet, settings};
use crate::policy::{Feature, Level};

const NEEDS: &[&str] = &["arp-inspection.enabled", "arp-inspection.vlans", "inspection-switches"];

pub(super) const OFF: Check = Check {
    id: "arp-inspection/off",
    title: "ARP inspection is wanted and does not cover a VLAN",
    level: Level::Risk,
    needs: NEEDS,
    uses: &["port.mode", "port.access-vlan", "port.native-vlan", "port.voice-vlan", "port.tagged-vlans", "role"],
    policy: &["role.expect.arp-inspection"],
    reference: "RFC 826; RFC 5227",
    why: "Anybody in the VLAN can claim the gateway's address and have everybody's traffic sent to them.",
    remedy: "Switch ARP inspection on for VLAN {vlans}, once DHCP snooping has gathered the bindings.",
    repair: Repair::Work(switch_on),
    run: Run::Switch(off),
    ..Check::ROW
};

fn off(on: &SwitchView<'_>) -> Judgement {
    let covered = on.covered(INSPECTION.needed, INSPECTION.global, INSPECTION.vlans)?;
    let mut tally = Tally::default();
    let used = on.edge_vlans(Feature::ArpInspection, &covered, &mut tally);
    let vlans: VlanSet = used.keys().copied().collect();
    let Some(port) = used.values().next() else {
        tally.judgement()?;
        let wanted =
            on.unlike_ports().any(|port| port.role().is_ok_and(|role| role.expect.wants(Feature::ArpInspection)));
        return Ok(if wanted { Verdict::Met } else { Verdict::NotApplicable });
    };
    if on.is_held_back("arp-inspection")? {
        return Ok(Verdict::NotApplicable);
    }
    let global = on.platform(INSPECTION.needed, "global")? && !on.known(INSPECTION.global)?;
    let cause = if global { INSPECTION.global.id } else { INSPECTION.vlans.id };
    let role = on.assigned(*port).and_then(|a| on.policy().roles.get(a.role));
    let violation = Violation::of(cause, "ARP inspection does not act in VLAN {vlans}, where edge ports want it")
        .fact("vlans", vlans.to_string())
        .vlan(vlans.single())
        .related(used.values().map(|port| on.related(*port)).collect());
    match role {
        Some(role) => violation.demand(&role.expect.wish(Feature::ArpInspection).cite).into(),
        None => violation.into(),
    }
}

pub(super) const NO_BINDINGS: Check = Check {
    id: "arp-inspection/no-bindings",
    title: "ARP inspection has no bindings to live off",
    level: Level::Breach,
    needs: &[
        "arp-inspection.enabled",
        "arp-inspection.vlans",
        "inspection-switches",
        "dhcp-snooping.enabled",
        "dhcp-snooping.vlans",
        "snooping-switches",
    ],
    uses: &["switch.vlans"],
    reference: "RFC 826; RFC 2131",
    why: "Without bindings every ARP message looks forged: everybody in the VLAN is cut off, or, where the platform \
          lets unknown ones pass, nobody is protected.",
    remedy: "Let DHCP snooping cover VLAN {vlans}, or take ARP inspection off it.",
    repair: Repair::Work(cover),
    run: Run::Switch(no_bindings),
    ..Check::ROW
};

fn no_bindings(on: &SwitchView<'_>) -> Judgement {
    let inspected = on.covered(INSPECTION.needed, INSPECTION.global, INSPECTION.vlans)?;
    if inspected.is_empty() || on.is_held_back("arp-inspection")? || on.is_held_back("dhcp-snooping")? {
        return Ok(Verdict::NotApplicable);
    }
    let inspected = if inspected.is_all() { on.known(settings::VLANS)? } else { inspected };
    let mut tally = Tally::default();
    for vlan in inspected.iter() {
        tally.add(on.snooping_in_force(vlan).map(|bound| {
            let violation = || {
                Violation::of(INSPECTION.vlans.id, "ARP inspection acts in VLAN {vlans}, where DHCP snooping does not")
                    .beside(settings::SNOOPING_VLANS.id)
                    .beside(settings::SNOOPING.id)
                    .fact("vlans", u32::from(vlan.get()))
                    .line(on.line_that_added(INSPECTION.vlans.id, vlan))
                    .vlan(Some(vlan))
            };
            (!bound).then(violation)
        }));
    }
    tally.judgement()
}

pub(super) const TRUSTED_EDGE: Check = Check {
    id: "arp-inspection/trusted-edge",
    title: "ARP inspection trusts an edge port",
    level: Level::Breach,
    needs: &["arp-inspection.trusted", "role"],
    policy: &["role.faces"],
    reference: "RFC 826",
    why: "What comes from a trusted port is not looked at: whoever plugs in there may claim any address.",
    remedy: "Take the trust of ARP inspection off the port.",
    repair: Repair::Set(&[(settings::INSPECTION_TRUSTED.id, Aim::Off)]),
    run: Run::Port(trusted_edge),
    ..Check::ROW
};

fn trusted_edge(port: &PortView<'_>) -> Judgement {
    if !port.known(settings::INSPECTION_TRUSTED)? {
        return Ok(Verdict::Met);
    }
    let role = port.role()?;
    if !role.faces.is_edge() {
        return Ok(Verdict::NotApplicable);
    }
    Violation::of(settings::INSPECTION_TRUSTED.id, "ARP inspection trusts the port; role {role} faces {faces}")
        .demand(role.cite("faces"))
        .into()
}

/// For every VLAN that edge ports use whose role wants it.
fn switch_on(case: &Case<'_>) -> Mending {
    throw(case, INSPECTION, &used_by_edges(case, Feature::ArpInspection))
}

/// DHCP snooping for the VLAN whose bindings are missing.
pub(in crate::check) fn cover(case: &Case<'_>) -> Mending {
    let vlan: VlanSet = case.vlan().into_iter().collect();
    if case.with_users(&vlan).is_empty() { Mending::Person } else { throw(case, SNOOPING, &vlan) }
}
