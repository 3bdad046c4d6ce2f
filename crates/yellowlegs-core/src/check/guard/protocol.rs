//! Whether the spanning tree runs, by which protocol, and how links are taken.

use std::sync::Arc;

use crate::check::tree::is_rapid;
use crate::check::{
    Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, SwitchView, Tally, To, Verdict, Violation,
};
use crate::model::{LinkType, Value, VlanId, VlanSet, settings};
use crate::policy::{Level, Wish};

pub(super) const TREE_OFF: Check = Check {
    id: "guard/spanning-tree-off",
    title: "the spanning tree is off",
    level: Level::Breach,
    needs: &["spanning-tree.enabled", "spanning-tree.port-enabled", "spanning-tree.off-vlans"],
    uses: &["port.mode", "port.access-vlan", "port.native-vlan", "port.voice-vlan", "port.tagged-vlans"],
    reference: "IEEE 802.1Q, 13",
    why: "One cable in the wrong socket closes a loop, and nothing opens it again: broadcast multiplies until every \
          link it reaches is full.",
    remedy: "Switch the spanning tree on: for the switch, for every port, for every VLAN in use.",
    repair: Repair::Work(run_tree),
    run: Run::Switch(tree_off),
    ..Check::ROW
};

fn tree_off(on: &SwitchView<'_>) -> Judgement {
    if !on.known(settings::TREE)? {
        return Violation::of(settings::TREE.id, "the spanning tree is off on the switch").into();
    }
    let mut tally = Tally::default();
    // Most switches say it of no port.
    let mut unlike = on.ports_unlike_in(settings::TREE_ON_PORT.id);
    let runs_on_all = unlike.all(|port| matches!(port.known(settings::TREE_ON_PORT), Ok(true)));
    for port in on.ports().filter(|_| !runs_on_all) {
        tally.add(port.known(settings::TREE_ON_PORT).map(|runs| {
            let says = "the spanning tree does not run on the port";
            (!runs).then(|| Violation::of(settings::TREE_ON_PORT.id, says).on(Some(port.port())))
        }));
    }
    match on.known(settings::TREE_OFF_VLANS) {
        Err(unknown) => tally.add(Err(unknown)),
        Ok(off) if off.is_empty() => {}
        Ok(off) => {
            for vlan in in_use(on, &off, &mut tally) {
                let says = "VLAN {vlan} is in use and has no spanning tree";
                let violation = Violation::of(settings::TREE_OFF_VLANS.id, says);
                tally.add(Ok(Some(violation.fact("vlan", u32::from(vlan.get())).vlan(Some(vlan)))));
            }
        }
    }
    tally.judgement()
}

/// Those of some VLANs that a port carries.
fn in_use(on: &SwitchView<'_>, of: &VlanSet, tally: &mut Tally) -> Vec<VlanId> {
    let mut used = VlanSet::default();
    for port in on.unlike_ports() {
        match port.carries() {
            Ok(carried) => used = used.union(&carried),
            Err(unknown) => tally.add(Err(unknown)),
        }
    }
    of.iter().filter(|vlan| used.contains(*vlan)).collect()
}

pub(super) const OLD: Check = Check {
    id: "guard/protocol-old",
    title: "the classic spanning tree runs where the policy wants the rapid one",
    level: Level::Risk,
    needs: &["spanning-tree.protocol", "spanning-tree.enabled"],
    policy: &["site.rapid-protocol"],
    reference: "IEEE 802.1Q, 13; IEEE 802.1D-1998, 8",
    why: "After a fault the classic protocol takes 30 to 50 seconds to find another way. The rapid one takes about \
          as long as it takes to read this sentence.",
    remedy: "Set the protocol to the rapid (or multiple) spanning tree, on all switches of the domain.",
    repair: Repair::Work(newer),
    run: Run::Switch(old),
    ..Check::ROW
};

fn old(on: &SwitchView<'_>) -> Judgement {
    let wished = &on.policy().site.rapid;
    if wished.value != Wish::Wanted || !on.known(settings::TREE)? {
        return Ok(Verdict::NotApplicable);
    }
    let protocol = on.known(settings::TREE_PROTOCOL)?;
    if is_rapid(protocol) {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::TREE_PROTOCOL.id, "the spanning tree runs by the {protocol} protocol")
        .fact("protocol", protocol.to_string())
        .demand(&wished.cite)
        .into()
}

pub(super) const LINK_SHARED: Check = Check {
    id: "guard/link-shared",
    title: "a link to another bridge is taken for a shared one",
    level: Level::Advice,
    needs: &["spanning-tree.link-type", "spanning-tree.protocol", "role"],
    uses: &["spanning-tree.enabled", "spanning-tree.port-enabled"],
    policy: &["role.faces"],
    reference: "IEEE 802.1Q, 13.27 (point-to-point)",
    why: "The rapid protocol hands over quickly on point-to-point links only. On a shared one it falls back to \
          waiting, as long as the classic one.",
    remedy: "Let the link be taken for point-to-point.",
    repair: Repair::Set(&[(settings::LINK_TYPE.id, Aim::Word("point-to-point"))]),
    run: Run::Port(link_shared),
    ..Check::ROW
};

fn link_shared(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.faces.is_bridge() || !port.tree_runs()? || !is_rapid(port.known(settings::TREE_PROTOCOL)?) {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::LINK_TYPE)? != LinkType::Shared {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::LINK_TYPE.id, "the link is taken for shared; role {role} faces {faces}")
        .demand(role.cite("faces"))
        .into()
}

/// The spanning tree where it is off: on the switch, on the port, in the VLAN.
fn run_tree(case: &Case<'_>) -> Mending {
    let off_in = settings::TREE_OFF_VLANS.id;
    Mending::of(case.cause().and_then(|cause| match cause {
        cause if cause == off_in => {
            let vlan: VlanSet = [case.vlan()?].into_iter().collect();
            case.to(cause, To::Without(Value::Vlans(Arc::new(vlan))))
        }
        cause => case.flag(cause, true),
    }))
}

/// The newer protocol that keeps one tree, or one for each VLAN, as it is.
fn newer(case: &Case<'_>) -> Mending {
    let old = case.text("protocol").unwrap_or_default();
    let new = if old.ends_with("per-vlan") { "rapid-per-vlan" } else { "rapid" };
    Mending::of(case.word(settings::TREE_PROTOCOL.id, new))
}
