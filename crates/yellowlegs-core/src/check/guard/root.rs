//! Root guard: where it belongs, and where it must not stand.

use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, Verdict, Violation};
use crate::model::settings;
use crate::policy::{Faces, Feature, Level, Wish};

pub(super) const MISSING: Check = Check {
    id: "guard/root-missing",
    title: "a downlink has no root guard",
    level: Level::Risk,
    needs: &["guard.root", "role"],
    uses: &["spanning-tree.enabled", "spanning-tree.port-enabled"],
    policy: &["role.expect.guard.root", "role.faces"],
    reference: "IEEE 802.1Q, 13.27 (restricted role)",
    why: "A switch below that claims a better priority becomes the root, and everybody's traffic takes the way \
          through it.",
    remedy: "Switch root guard on for the port.",
    repair: Repair::Set(&[(settings::ROOT_GUARD.id, Aim::On)]),
    run: Run::Port(missing),
    ..Check::ROW
};

fn missing(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::RootGuard) || !port.tree_runs()? {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::ROOT_GUARD)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::ROOT_GUARD.id, "root guard is off; role {role} faces {faces}")
        .demand(&role.expect.wish(Feature::RootGuard).cite)
        .into()
}

pub(super) const ON_UPLINK: Check = Check {
    id: "guard/root-on-uplink",
    title: "root guard stands on the way to the root",
    level: Level::Breach,
    needs: &["guard.root", "role"],
    uses: &["spanning-tree.enabled", "spanning-tree.port-enabled"],
    policy: &["role.expect.guard.root", "role.faces"],
    reference: "IEEE 802.1Q, 13.27 (restricted role)",
    why: "The root's own BPDUs are superior ones. The guard blocks the uplink as soon as it hears them, and \
          everybody behind it is cut off.",
    remedy: "Take root guard off the port.",
    repair: Repair::Set(&[(settings::ROOT_GUARD.id, Aim::Off)]),
    run: Run::Port(on_uplink),
    ..Check::ROW
};

fn on_uplink(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    let unwanted = role.expect.wish(Feature::RootGuard).value == Wish::Unwanted;
    if role.faces != Faces::BridgeUp || !unwanted || !port.tree_runs()? {
        return Ok(Verdict::NotApplicable);
    }
    if !port.known(settings::ROOT_GUARD)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::ROOT_GUARD.id, "root guard is on; role {role} faces {faces}: it blocks the way to the root")
        .demand(role.cite("faces"))
        .into()
}
