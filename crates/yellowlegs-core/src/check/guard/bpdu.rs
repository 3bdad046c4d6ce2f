//! BPDU guard, and the filter that silences it.

use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, Verdict, Violation};
use crate::model::{Origin, platform, settings};
use crate::policy::{Feature, Level};

pub(super) const MISSING: Check = Check {
    id: "guard/bpdu-missing",
    title: "an edge port has no BPDU guard",
    level: Level::Breach,
    needs: &["fast-start.mode", "port.mode", "guard.bpdu", "guard.bpdu-filter", "role"],
    uses: &[
        "plain-fast-start-on-trunk",
        "spanning-tree.enabled",
        "spanning-tree.port-enabled",
        "spanning-tree.protocol",
        "spanning-tree.link-type",
        "edge-detected",
    ],
    policy: &["role.expect.guard.bpdu", "site.detected-edges"],
    reference: "IEEE 802.1Q, 13.27 (admin edge)",
    why: "A BPDU on an edge port means that somebody brought a bridge. Without the guard it joins the tree: it may \
          become the root, draw everybody's traffic through itself, or close a loop.",
    remedy: "Switch BPDU guard on for the port, or by the default that follows edge ports.",
    repair: Repair::Set(&[(settings::BPDU_GUARD.id, Aim::On)]),
    run: Run::Port(missing),
    ..Check::ROW
};

fn missing(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::EdgeGuard) || !port.tree_runs()? || !port.will_do_as_edge()? || is_filtered(port)? {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::BPDU_GUARD)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::BPDU_GUARD.id, "an edge port without BPDU guard: a bridge brought here is let in")
        .beside(settings::FAST_START.id)
        .demand(&role.expect.wish(Feature::EdgeGuard).cite)
        .into()
}

pub(super) const FILTERED: Check = Check {
    id: "guard/bpdu-filtered",
    title: "BPDU filter silences the port",
    level: Level::Breach,
    needs: &["guard.bpdu-filter"],
    uses: &["edge-bpdu-filter-ends", "guard.bpdu", "spanning-tree.enabled", "spanning-tree.port-enabled"],
    reference: "IEEE 802.1Q, 13",
    why: "A port that neither sends nor hears BPDUs takes no part in the tree. BPDU guard beside it never hears \
          what it waits for, and a loop through the port is seen by nobody.",
    remedy: "Take the filter off the port.",
    repair: Repair::Set(&[(settings::BPDU_FILTER.id, Aim::Off)]),
    run: Run::Port(filtered),
    ..Check::ROW
};

/// Whether BPDUs are not heard: the filter is on, and is not one of the kind that ends when one is heard.
pub(in crate::check) fn is_filtered(port: &PortView<'_>) -> Result<bool, crate::check::Unknown> {
    if !port.known(settings::BPDU_FILTER)? {
        return Ok(false);
    }
    let by_default = port.slot(settings::BPDU_FILTER.id).origin == Origin::Global;
    Ok(!(by_default && port.platform(platform::FILTER_ENDS, "on-bpdu")?))
}

fn filtered(port: &PortView<'_>) -> Judgement {
    if !port.tree_runs()? {
        return Ok(Verdict::NotApplicable);
    }
    if !is_filtered(port)? {
        return Ok(Verdict::Met);
    }
    let guarded = port.setting(settings::BPDU_GUARD).value == Some(true);
    let says = if guarded {
        "BPDU filter is on: the BPDU guard beside it hears nothing"
    } else {
        "BPDU filter is on: a bridge or a loop on this port is seen by nobody"
    };
    Violation::of(settings::BPDU_FILTER.id, says).into()
}
