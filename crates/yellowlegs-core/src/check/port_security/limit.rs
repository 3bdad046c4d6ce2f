//! How many stations the port admits, against what its role needs and may have.

use crate::check::view::Stations;
use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, Verdict, Violation};
use crate::model::{platform, settings};
use crate::policy::{Faces, Level, Role};

const NEEDS: &[&str] = &["port-security.enabled", "port-security.limit", "port.mode", "role"];
const USES: &[&str] = &["stations-counted"];

pub(super) const HIGH: Check = Check {
    id: "port-security/limit-high",
    title: "the limit is above the role's stations",
    level: Level::Breach,
    needs: NEEDS,
    uses: USES,
    policy: &["role.stations", "role.faces"],
    reference: "docs/policy.md, Stations",
    why: "A limit far above what belongs on the port admits the unmanaged switch it was meant to keep out, and each \
          made-up address until it is reached.",
    remedy: "Set the limit to {most}.",
    repair: Repair::Set(&[(settings::LIMIT.id, Aim::Fact("most"))]),
    run: Run::Port(high),
    ..Check::ROW
};

/// The same test under either way of counting; what hangs on the way is undetermined where it is unknown.
fn counted(port: &PortView<'_>, role: &Role, judge: impl Fn(Stations) -> Judgement) -> Judgement {
    let Some(shared) = Stations::of(role, false) else { return Ok(Verdict::NotApplicable) };
    let apart = Stations::of(role, true).unwrap_or(shared);
    match port.platform(platform::STATIONS_COUNTED, "per-station-and-vlan") {
        Ok(true) => judge(apart),
        Ok(false) => judge(shared),
        Err(unknown) => {
            let (one, other) = (judge(shared)?, judge(apart)?);
            let violated = |v: &Verdict| matches!(v, Verdict::Violated(_));
            if violated(&one) == violated(&other) { Ok(one) } else { Err(unknown) }
        }
    }
}

fn high(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if role.faces.is_bridge() || role.faces == Faces::Nothing || !port.security_in_force()? {
        return Ok(Verdict::NotApplicable);
    }
    let limit = || port.known(settings::LIMIT);
    counted(port, role, |Stations { most, .. }| {
        let Some(most) = most else { return Ok(Verdict::NotApplicable) };
        let limit = limit()?;
        if limit <= most {
            return Ok(Verdict::Met);
        }
        Violation::of(settings::LIMIT.id, "the port admits {limit} stations; role {role} may have {most}")
            .fact("limit", limit)
            .fact("most", most)
            .demand(role.cite(if role.stations.is_some() { "stations" } else { "faces" }))
            .into()
    })
}

pub(super) const LOW: Check = Check {
    id: "port-security/limit-low",
    title: "the limit is below the stations the role needs",
    level: Level::Risk,
    needs: NEEDS,
    uses: USES,
    policy: &["role.stations-needed", "role.faces"],
    reference: "docs/policy.md, Stations",
    why: "Phone and computer share the port; where stations are counted per VLAN the phone counts twice. A limit \
          that has no room for them cuts off the rightful user, or takes the port down every morning.",
    remedy: "Set the limit to at least {needed}.",
    repair: Repair::Set(&[(settings::LIMIT.id, Aim::Fact("needed"))]),
    run: Run::Port(low),
    ..Check::ROW
};

fn low(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if role.faces.is_bridge() || role.faces == Faces::Nothing || !port.security_in_force()? {
        return Ok(Verdict::NotApplicable);
    }
    let limit = port.known(settings::LIMIT)?;
    counted(port, role, |Stations { needed, .. }| {
        if limit >= needed {
            return Ok(Verdict::Met);
        }
        Violation::of(settings::LIMIT.id, "the port admits {limit} stations; role {role} needs {needed}")
            .fact("limit", limit)
            .fact("needed", needed)
            .demand(role.cite(if role.stations_needed.is_some() { "stations-needed" } else { "faces" }))
            .into()
    })
}
