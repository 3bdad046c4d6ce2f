//! What happens to one station too many, and how long stations are kept.

use crate::check::{Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, Verdict, Violation};
use crate::model::{Action, Seconds, Value, settings};
use crate::policy::{Feature, Level, Wish, Wished};

/// Whether the check makes sense: port security is in force, and the role is none where it does not belong.
fn applies(port: &PortView<'_>) -> Result<bool, crate::check::Unknown> {
    Ok(port.role()?.expect.wish(Feature::PortSecurity).value != Wish::Unwanted && port.security_in_force()?)
}

pub(super) const ACTION_WEAK: Check = Check {
    id: "port-security/action-weak",
    title: "the action is weaker than the policy's",
    level: Level::Risk,
    needs: &["port-security.enabled", "port-security.action", "port.mode", "role"],
    policy: &["role.expect.port-security.action"],
    reference: "docs/policy.md, Expectations",
    why: "Where one station too many is dropped silently, nobody ever learns that somebody tried, and nobody can \
          tell an intruder from a user who called the desk about a dead socket.",
    remedy: "Set the action to {wanted}.",
    repair: Repair::Set(&[(settings::ACTION.id, Aim::Fact("wanted"))]),
    run: Run::Port(action_weak),
    ..Check::ROW
};

fn action_weak(port: &PortView<'_>) -> Judgement {
    if !applies(port)? {
        return Ok(Verdict::NotApplicable);
    }
    let wished: &Wished<Action> = &port.role()?.expect.action;
    let action = port.known(settings::ACTION)?;
    if action >= wished.value {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::ACTION.id, "one station too many meets {action}; role {role} wants {wanted} or stronger")
        .fact("action", action.to_string())
        .fact("wanted", wished.value.to_string())
        .demand(&wished.cite)
        .into()
}

pub(super) const NOT_KEPT: Check = Check {
    id: "port-security/not-kept",
    title: "stations are learned and not pinned",
    level: Level::Risk,
    needs: &["port-security.enabled", "port-security.pinning", "port.mode", "role"],
    policy: &["role.expect.port-security.pinning"],
    reference: "docs/policy.md, Expectations",
    why: "A learned station is forgotten with the link or the power. Whoever plugs in next is learned in its place, \
          so the limit counts heads and never asks whose.",
    remedy: "Pin the stations of this port, and save them.",
    repair: Repair::Set(&[(settings::PINNING.id, Aim::On)]),
    run: Run::Port(not_kept),
    ..Check::ROW
};

fn not_kept(port: &PortView<'_>) -> Judgement {
    let wished = &port.role()?.expect.wish(Feature::Pinning);
    if wished.value != Wish::Wanted || !applies(port)? {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::PINNING)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::PINNING.id, "stations are learned and forgotten again; role {role} wants them pinned")
        .demand(&wished.cite)
        .into()
}

pub(super) const AGING_MISSING: Check = Check {
    id: "port-security/aging-missing",
    title: "learned stations are never forgotten, or too late",
    level: Level::Advice,
    needs: &["port-security.enabled", "port-security.aging", "port.mode", "role"],
    policy: &["role.expect.port-security.aging"],
    reference: "docs/policy.md, Expectations",
    why: "On a shared desk yesterday's computer still takes up the limit, and today's user is the one too many.",
    remedy: "Let learned stations age out{within}.",
    repair: Repair::Work(let_age),
    run: Run::Port(aging_missing),
    ..Check::ROW
};

fn aging_missing(port: &PortView<'_>) -> Judgement {
    let wished = &port.role()?.expect.aging;
    let (wish, most) = wished.value;
    if wish != Wish::Wanted || !applies(port)? {
        return Ok(Verdict::NotApplicable);
    }
    let Seconds(aging) = port.known(settings::AGING)?;
    if aging > 0 && most.is_none_or(|Seconds(most)| aging <= most) {
        return Ok(Verdict::Met);
    }
    let within = most.map_or_else(String::new, |most| format!(" within {most}"));
    let says = match aging {
        0 => "learned stations are never forgotten; role {role} wants them to age out{within}",
        _ => "learned stations are forgotten after {after}; role {role} wants it{within}",
    };
    Violation::of(settings::AGING.id, says)
        .fact("aging", aging)
        .fact("after", Seconds(aging).to_string())
        .fact("within", within)
        .demand(&wished.cite)
        .into()
}

/// The longest time that the role allows.
fn let_age(case: &Case<'_>) -> Mending {
    let within = case.role().and_then(|role| role.expect.aging.value.1);
    let setting = settings::AGING.id;
    within.map_or_else(|| case.any_value(setting), |Seconds(most)| Mending::of(case.set(setting, Value::Seconds(most))))
}
