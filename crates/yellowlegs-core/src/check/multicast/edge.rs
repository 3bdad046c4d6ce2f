//! Edge ports: how fast they are cut, and what is sent there unasked.

use super::timing;
use crate::check::figure::Figure;
use crate::check::seen::{QUOTED, distinct, some};
use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, Tally, Unknown, Verdict, Violation};
use crate::model::settings;
use crate::policy::{Feature, Level, Role};

pub(super) const FAST_LEAVE_MISSING: Check = Check {
    id: "multicast/fast-leave-missing",
    title: "a port with one receiver is not cut at its leave",
    level: Level::Advice,
    needs: &["multicast.fast-leave", "role"],
    uses: &["vlan.last-member-interval", "vlan.last-member-count", "port.mode", "port.access-vlan"],
    policy: &["role.expect.multicast.fast-leave"],
    reference: "RFC 2236, 8.8 and 8.9",
    why: "Without it each channel that is switched away from runs on for last-member interval × count, and a viewer \
          who zaps fills the link.",
    remedy: "Switch fast leave on for the port.",
    repair: Repair::Set(&[(settings::FAST_LEAVE.id, Aim::On)]),
    run: Run::Port(fast_leave_missing),
    ..Check::ROW
};

fn fast_leave_missing(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::FastLeave) {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::FAST_LEAVE)? {
        return Ok(Verdict::Met);
    }
    let vlan = port.untagged().ok().and_then(|untagged| untagged.vlan);
    let runs_on = vlan.and_then(|vlan| timing::leave(port.on(), vlan).ok());
    let violation = match runs_on {
        Some(Figure { seconds, how, .. }) => {
            let says =
                "fast leave is off; role {role} wants it: each stream runs on for {seconds} s after its leave ({how})";
            Violation::of(settings::FAST_LEAVE.id, says).fact("seconds", seconds).fact("how", how)
        }
        None => Violation::of(settings::FAST_LEAVE.id, "fast leave is off; role {role} wants it"),
    };
    violation.demand(&role.expect.wish(Feature::FastLeave).cite).into()
}

pub(super) const FAST_LEAVE_SHARED: Check = Check {
    id: "multicast/fast-leave-shared",
    title: "fast leave is on where two or more stations are",
    level: Level::Risk,
    needs: &["multicast.fast-leave", "station", "role"],
    uses: &["group"],
    policy: &["role.faces"],
    reference: "RFC 4541, 2.1.1",
    why: "The first receiver that leaves takes the stream from the others behind the port, until they are asked again.",
    remedy: "Take fast leave off the port, or the second station.",
    repair: Repair::Set(&[(settings::FAST_LEAVE.id, Aim::Off)]),
    run: Run::Port(fast_leave_shared),
    ..Check::ROW
};

/// Stations are judged on edge ports only.
fn fast_leave_shared(port: &PortView<'_>) -> Judgement {
    let Some(heard) = port.stations()? else { return Ok(Verdict::NotApplicable) };
    if !port.role()?.faces.is_edge() || !port.known(settings::FAST_LEAVE)? {
        return Ok(Verdict::NotApplicable);
    }
    let stations = distinct(&heard);
    if stations.len() < 2 {
        return Ok(Verdict::Met);
    }
    let says = "fast leave is on, and {count} stations are behind the port: {stations}";
    let violation = Violation::of(settings::FAST_LEAVE.id, says)
        .fact("count", stations.len() as u32)
        .fact("stations", some(&stations));
    heard.iter().take(QUOTED).fold(violation, |violation, heard| violation.and_line(Some(heard.row.mark))).into()
}

pub(super) const ROUTER_PORT_EDGE: Check = Check {
    id: "multicast/router-port-edge",
    title: "an edge port gets every stream",
    level: Level::Risk,
    needs: &["multicast.router-port", "multicast.forward-all", "role"],
    policy: &["role.faces"],
    reference: "RFC 4541, 2.1.2",
    why: "A static router port, or one that is sent everything, floods whoever hangs there with every stream of its \
          VLANs.",
    remedy: "Take {what} off the port.",
    repair: Repair::Cause(Aim::Off),
    run: Run::Port(router_port_edge),
    ..Check::ROW
};

fn router_port_edge(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.faces.is_edge() {
        return Ok(Verdict::NotApplicable);
    }
    let mut tally = Tally::default();
    for key in [settings::ROUTER_PORT, settings::FORWARD_ALL] {
        tally.add(sent_all(port, role, key));
    }
    tally.judgement()
}

fn sent_all(port: &PortView<'_>, role: &Role, key: crate::model::Key<bool>) -> Result<Option<Violation>, Unknown> {
    let says = "{what} is set; role {role} faces {faces}: every stream goes there";
    let violation = || Violation::of(key.id, says).fact("what", key.id.name()).demand(role.cite("faces"));
    Ok(port.known(key)?.then(violation))
}
