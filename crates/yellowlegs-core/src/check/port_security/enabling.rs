//! Whether port security is in force where it is wanted, and nowhere else.

use crate::check::view::Stations;
use crate::check::{Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, Unknown, Verdict, Violation};
use crate::model::{SettingId, Value, platform, settings};
use crate::policy::{Feature, Level, Wish};

pub(super) const OFF: Check = Check {
    id: "port-security/off",
    title: "port security is wanted and not enabled",
    level: Level::Breach,
    needs: &["port-security.enabled", "role"],
    policy: &["role.expect.port-security"],
    reference: "docs/policy.md, Expectations",
    why: "Without a limit a user can put an unmanaged switch on the socket and bring as many machines as they like, \
          or flood the address table until the switch sends everybody's frames everywhere.",
    remedy: "Enable port security on the port, with a limit for role {role}.",
    repair: Repair::Work(secure),
    run: Run::Port(off),
    ..Check::ROW
};

fn off(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if role.expect.wish(Feature::PortSecurity).value != Wish::Wanted {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::PORT_SECURITY)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::PORT_SECURITY.id, "port security is off; role {role} wants it")
        .demand(&role.expect.wish(Feature::PortSecurity).cite)
        .into()
}

pub(super) const NOT_ARMED: Check = Check {
    id: "port-security/not-armed",
    title: "port security has parameters and is not enabled",
    level: Level::Breach,
    needs: &["port-security.enabled"],
    uses: &[
        "port-security.limit",
        "port-security.action",
        "port-security.pinning",
        "port-security.aging",
        "port-security.pinned-stations",
        "port-security.written-stations",
        "role",
    ],
    policy: &["role.expect.port-security"],
    reference: "docs/checks.md, port-security",
    why: "Limit and action stand in the configuration and look like protection. The feature itself is off, so they \
          do nothing, and nobody looks twice at a port that looks configured.",
    remedy: "Add the line that enables port security on the port, or take its parameters out.",
    absorbs: &["port-security/off"],
    repair: Repair::Work(secure),
    run: Run::Port(not_armed),
    ..Check::ROW
};

/// The parameters that mean nothing without the feature.
const PARAMETERS: [SettingId; 6] = [
    settings::LIMIT.id,
    settings::ACTION.id,
    settings::PINNING.id,
    settings::AGING.id,
    settings::PINNED_STATIONS.id,
    settings::WRITTEN_STATIONS.id,
];

fn not_armed(port: &PortView<'_>) -> Judgement {
    if port.role().is_ok_and(|role| role.expect.wish(Feature::PortSecurity).value == Wish::Unwanted) {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::PORT_SECURITY)? {
        return Ok(Verdict::Met);
    }
    let says_something = |id: &SettingId| match &port.slot(*id).value {
        Some(Value::Flag(on)) => *on,
        Some(Value::Stations(stations)) => !stations.is_empty(),
        Some(_) => true,
        None => false,
    };
    let written: Vec<SettingId> = PARAMETERS.into_iter().filter(|id| port.is_own(*id) && says_something(id)).collect();
    if written.is_empty() {
        let mut doubtful = PARAMETERS.into_iter().filter(|id| port.slot(*id).is_doubtful());
        return doubtful.next().map_or(Ok(Verdict::Met), |id| Err(Unknown::fact(id.name())));
    }
    let names: Vec<&str> = written.iter().map(|id| id.name()).collect();
    let cause =
        Violation::of(settings::PORT_SECURITY.id, "{written} set for the port, but port security itself is off");
    let violation = written.into_iter().fold(cause, Violation::beside).fact("written", names.join(", "));
    match port.role() {
        Ok(role) if role.expect.wants(Feature::PortSecurity) => {
            violation.demand(&role.expect.wish(Feature::PortSecurity).cite).into()
        }
        _ => violation.into(),
    }
}

pub(super) const MODE_CONFLICT: Check = Check {
    id: "port-security/mode-conflict",
    title: "port security is enabled and void in the port's mode",
    level: Level::Breach,
    needs: &["port-security.enabled", "port.mode", "port-security-void-in"],
    reference: "docs/dialects.md, Traits",
    why: "On many systems a port that may become a trunk refuses or ignores port security. The line stands in the \
          configuration and stops nobody.",
    remedy: "Give the port a fixed mode in which port security works, then check that it is in force.",
    absorbs: &["port-security/not-armed", "port-security/off"],
    repair: Repair::Work(crate::check::port::fix_mode),
    run: Run::Port(mode_conflict),
    ..Check::ROW
};

fn mode_conflict(port: &PortView<'_>) -> Judgement {
    if !port.known(settings::PORT_SECURITY)? {
        return Ok(Verdict::NotApplicable);
    }
    if !port.security_is_void()? {
        return Ok(Verdict::Met);
    }
    Violation::of(
        settings::PORT_SECURITY.id,
        "port security is enabled, and void on this platform while the mode is {mode}",
    )
    .beside(settings::MODE.id)
    .fact("mode", port.mode()?.to_string())
    .into()
}

pub(super) const ON_UPLINK: Check = Check {
    id: "port-security/on-uplink",
    title: "port security is enabled towards another switch",
    level: Level::Breach,
    needs: &["port-security.enabled", "role"],
    policy: &["role.faces", "role.expect.port-security"],
    reference: "docs/checks.md, port-security",
    why: "Behind an uplink are everybody else's stations. The first one too many is dropped, or takes the whole \
          link down with everybody behind it.",
    remedy: "Take port security off the port.",
    repair: Repair::Set(&[(settings::PORT_SECURITY.id, Aim::Off)]),
    run: Run::Port(on_uplink),
    ..Check::ROW
};

fn on_uplink(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.faces.is_bridge() || role.expect.wish(Feature::PortSecurity).value != Wish::Unwanted {
        return Ok(Verdict::NotApplicable);
    }
    if !port.known(settings::PORT_SECURITY)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::PORT_SECURITY.id, "port security is enabled; role {role} faces {faces}")
        .demand(&role.expect.wish(Feature::PortSecurity).cite)
        .into()
}

/// Port security, with a limit and an action that are right for the role, where those in force are not.
fn secure(case: &Case<'_>) -> Mending {
    let Some(port) = case.port() else { return Mending::Person };
    let (mut limit, mut action) = (None, None);
    if let Ok(role) = port.role() {
        let per_vlan = port.platform(platform::STATIONS_COUNTED, "per-station-and-vlan").unwrap_or(false);
        limit = Stations::of(role, per_vlan).and_then(|stations| {
            let most = stations.most.unwrap_or(stations.needed);
            let right = |limit: u32| limit >= stations.needed && stations.most.is_none_or(|most| limit <= most);
            let is_right = port.known(settings::LIMIT).is_ok_and(right);
            (!is_right).then(|| case.set(settings::LIMIT.id, Value::Count(most)))?
        });
        let wanted = role.expect.action.value;
        let weak = port.known(settings::ACTION).map_or(true, |action| action < wanted);
        action = weak.then(|| case.word(settings::ACTION.id, wanted)).flatten();
    }
    let on = case.flag(settings::PORT_SECURITY.id, true);
    Mending::of(limit.into_iter().chain(action).chain(on))
}
