//! Edge ports towards bridges.

use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, Unknown, Verdict, Violation};
use crate::model::{Capability, Fact, Origin, facts, settings};
use crate::policy::{Feature, Level, Role, Wish};

pub(super) const TOWARD_BRIDGE: Check = Check {
    id: "fast-start/toward-bridge",
    title: "an edge port leads to another bridge",
    level: Level::Breach,
    needs: &["fast-start.mode", "port.mode", "role or neighbour"],
    uses: &["plain-fast-start-on-trunk", "neighbour"],
    policy: &["role.faces", "role.expect.fast-start"],
    reference: "IEEE 802.1Q, 13.27 (admin edge)",
    why: "An edge port forwards before it has listened. Towards another bridge that closes a loop for as long as the \
          protocol takes to notice, and a loop of broadcast brings the whole site down.",
    remedy: "Take fast start off the port.",
    repair: Repair::Set(&[(settings::FAST_START.id, Aim::Off)]),
    run: Run::Port(toward_bridge),
    ..Check::ROW
};

/// Whether a neighbour is a bridge and nothing it says fits the role better.
fn is_bridge(fact: &Fact, role: Option<&Role>) -> bool {
    let Some(told) = fact.get(facts::neighbour::CAPABILITIES) else { return false };
    let of_role = role.filter(|role| !role.faces.is_bridge()).map(|role| role.faces.fitting()).unwrap_or_default();
    let fits = |capability: &Capability| told.contains(*capability);
    let outweighed = fact.get(facts::neighbour::CLASS).is_some() || of_role.iter().any(fits);
    told.contains(Capability::Bridge) && !outweighed
}

fn toward_bridge(port: &PortView<'_>) -> Judgement {
    let role = port.role().ok();
    let neighbour = port.facts(facts::neighbour::FACT).find(|fact| is_bridge(fact, role));
    if role.is_none() && port.switch().facts_of(facts::neighbour::FACT).next().is_none() {
        return Err(Unknown::fact("role or neighbour"));
    }
    let by_role = role.filter(|r| r.faces.is_bridge() && r.expect.wish(Feature::FastStart).value == Wish::Unwanted);
    if by_role.is_none() && neighbour.is_none() && role.is_none() {
        return Err(Unknown::fact("role or neighbour"));
    }
    if !port.tree_runs()? {
        return Ok(Verdict::NotApplicable);
    }
    if !port.is_edge()? || by_role.is_none() && neighbour.is_none() {
        return Ok(Verdict::Met);
    }
    if let Some(role) = by_role {
        return Violation::of(settings::FAST_START.id, "fast start is in force; role {role} faces {faces}")
            .demand(role.cite("faces"))
            .into();
    }
    let who = neighbour.and_then(|f| f.get(facts::neighbour::NAME)).unwrap_or_else(|| "without a name".into());
    let says = "fast start is in force, and the neighbour {who} is a bridge";
    Violation::of(settings::FAST_START.id, says).fact("who", &*who).and_line(neighbour.map(|f| f.mark)).into()
}

pub(super) const REACH: Check = Check {
    id: "fast-start/reach",
    title: "a global default makes an edge of a port towards a bridge",
    level: Level::Breach,
    needs: &["fast-start.mode", "port.mode", "role"],
    uses: &["plain-fast-start-on-trunk"],
    policy: &["role.faces", "role.expect.fast-start"],
    reference: "IEEE 802.1Q, 13.27 (admin edge)",
    why: "One line makes edges of all access ports, this one with them, and nothing on the port says so. Whoever \
          reads the port's own lines sees no fast start.",
    remedy: "Exempt the port from the default, and make it the trunk it is meant to be.",
    absorbs: &["fast-start/toward-bridge"],
    repair: Repair::Set(&[(settings::FAST_START.id, Aim::Off)]),
    run: Run::Port(reach),
    ..Check::ROW
};

fn reach(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.faces.is_bridge() || role.expect.wish(Feature::FastStart).value != Wish::Unwanted || !port.tree_runs()? {
        return Ok(Verdict::NotApplicable);
    }
    if !port.is_edge()? || port.slot(settings::FAST_START.id).origin != Origin::Global {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::FAST_START.id, "a global default makes an edge of this port; role {role} faces {faces}")
        .demand(role.cite("faces"))
        .into()
}
