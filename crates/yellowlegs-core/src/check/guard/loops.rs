//! Loop guard and loop detection.

use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, Unknown, Verdict, Violation};
use crate::model::settings;
use crate::policy::{Faces, Feature, Level};

pub(super) const MISSING: Check = Check {
    id: "guard/loop-missing",
    title: "an uplink has no loop guard",
    level: Level::Risk,
    needs: &["guard.loop", "guard.root", "role"],
    uses: &["spanning-tree.enabled", "spanning-tree.port-enabled"],
    policy: &["role.expect.guard.loop"],
    reference: "docs/policy.md, Expectations",
    why: "When the BPDUs that keep a port blocked fade, by a fault that works one way only, the port opens and the \
          loop is closed.",
    remedy: "Switch loop guard on for the port.",
    repair: Repair::Set(&[(settings::LOOP_GUARD.id, Aim::On)]),
    run: Run::Port(missing),
    ..Check::ROW
};

/// On a way to the root root guard is the graver mistake, and says it.
fn blocked_by_root_guard(port: &PortView<'_>) -> Result<bool, Unknown> {
    Ok(port.role()?.faces == Faces::BridgeUp && port.known(settings::ROOT_GUARD)?)
}

fn missing(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::LoopGuard) || role.faces.is_edge() || !port.tree_runs()? {
        return Ok(Verdict::NotApplicable);
    }
    if blocked_by_root_guard(port)? {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::LOOP_GUARD)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::LOOP_GUARD.id, "loop guard is off; role {role} wants it")
        .demand(&role.expect.wish(Feature::LoopGuard).cite)
        .into()
}

pub(super) const MISPLACED: Check = Check {
    id: "guard/loop-misplaced",
    title: "loop guard stands where it does harm",
    level: Level::Risk,
    needs: &["guard.loop", "guard.root", "role"],
    uses: &["spanning-tree.enabled", "spanning-tree.port-enabled"],
    policy: &["role.faces"],
    reference: "IEEE 802.1Q, 13",
    why: "Loop guard waits for BPDUs that never come on an edge port. Root guard beside it blocks a port for the \
          opposite reason, and the two undo each other.",
    remedy: "Keep loop guard for ports towards bridges that have no root guard.",
    repair: Repair::Set(&[(settings::LOOP_GUARD.id, Aim::Off)]),
    run: Run::Port(misplaced),
    ..Check::ROW
};

fn misplaced(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !port.tree_runs()? {
        return Ok(Verdict::NotApplicable);
    }
    if !port.known(settings::LOOP_GUARD)? {
        return Ok(Verdict::Met);
    }
    if role.faces.is_edge() {
        let says = "loop guard is on; role {role} faces {faces}, where no BPDU is expected";
        return Violation::of(settings::LOOP_GUARD.id, says).demand(role.cite("faces")).into();
    }
    if blocked_by_root_guard(port)? {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::ROOT_GUARD)? {
        let says = "loop guard and root guard are both on";
        return Violation::of(settings::LOOP_GUARD.id, says).beside(settings::ROOT_GUARD.id).into();
    }
    Ok(Verdict::Met)
}

pub(super) const DETECT_MISSING: Check = Check {
    id: "guard/loop-detect-missing",
    title: "a phone's port has no loop detection",
    level: Level::Risk,
    needs: &["guard.loop-detection", "role"],
    policy: &["role.expect.guard.loop-detection"],
    reference: "docs/policy.md, Expectations",
    why: "A phone has two sockets. Patched into the wall with both, it joins two ports, often in two VLANs, and a \
          tree for each VLAN does not see that loop. Probe frames do.",
    remedy: "Switch loop detection on for the port.",
    repair: Repair::Set(&[(settings::LOOP_DETECTION.id, Aim::On)]),
    run: Run::Port(detect_missing),
    ..Check::ROW
};

fn detect_missing(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::LoopDetection) {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::LOOP_DETECTION)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::LOOP_DETECTION.id, "loop detection is off; role {role} faces {faces}")
        .demand(&role.expect.wish(Feature::LoopDetection).cite)
        .into()
}
