//! Whether flap protection is on, when it acts, and for how long.

use crate::check::{Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, Tally, Verdict, Violation};
use crate::model::{Seconds, Value, settings};
use crate::policy::{Feature, Level};

pub(super) const OFF: Check = Check {
    id: "flap/off",
    title: "flap protection is off",
    level: Level::Risk,
    needs: &["flap.enabled", "role"],
    policy: &["role.expect.flap"],
    reference: "docs/policy.md, Expectations",
    why: "A loose plug takes the link up and down all day, and each time the whole site works out its ways anew.",
    remedy: "Switch flap protection on for the port.",
    repair: Repair::Set(&[(settings::FLAP.id, Aim::On)]),
    run: Run::Port(off),
    ..Check::ROW
};

fn off(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::Flap) {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::FLAP)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::FLAP.id, "flap protection is off; role {role} wants it")
        .demand(&role.expect.wish(Feature::Flap).cite)
        .into()
}

pub(super) const LAX: Check = Check {
    id: "flap/lax",
    title: "flap protection acts later than the policy wants",
    level: Level::Advice,
    needs: &["flap.enabled", "flap.threshold", "flap.window"],
    uses: &["role"],
    policy: &["site.flap-threshold", "site.flap-window", "role.expect.flap.threshold", "role.expect.flap.window"],
    reference: "docs/policy.md, The site's values",
    why: "A threshold that is never reached, or a window that closes too soon, protects nobody.",
    remedy: "Let {threshold} flaps within {window} s take the port down.",
    repair: Repair::Work(as_wanted),
    run: Run::Port(lax),
    ..Check::ROW
};

fn lax(port: &PortView<'_>) -> Judgement {
    if !port.known(settings::FLAP)? {
        return Ok(Verdict::NotApplicable);
    }
    let site = &port.policy().site;
    let role = port.role().ok();
    let threshold =
        role.and_then(|r| r.expect.value(settings::FLAP_THRESHOLD)).unwrap_or_else(|| site.flap_threshold.clone());
    let window = role.and_then(|r| r.expect.value(settings::FLAP_WINDOW)).unwrap_or_else(|| site.flap_window.clone());
    let (most, Seconds(shortest)) = (threshold.value, window.value);
    let told = |violation: Violation| violation.fact("threshold", most).fact("window", shortest);
    let mut tally = Tally::default();
    tally.add(port.known(settings::FLAP_THRESHOLD).map(|flaps| {
        let says = "{flaps} flaps are borne before the port is held; the policy wants {threshold} at most";
        let violation =
            || told(Violation::of(settings::FLAP_THRESHOLD.id, says).fact("flaps", flaps).demand(&threshold.cite));
        (flaps > most).then(violation)
    }));
    tally.add(port.known(settings::FLAP_WINDOW).map(|Seconds(seconds)| {
        let says = "flaps are counted within {seconds} s; the policy wants {window} s at least";
        let violation =
            || told(Violation::of(settings::FLAP_WINDOW.id, says).fact("seconds", seconds).demand(&window.cite));
        (seconds < shortest).then(violation)
    }));
    tally.judgement()
}

pub(super) const HOLD: Check = Check {
    id: "flap/hold",
    title: "a flapping port is held too short, or without an end",
    level: Level::Advice,
    needs: &["flap.enabled", "flap.hold"],
    uses: &["role"],
    policy: &["site.flap-hold", "site.attended", "site.unattended", "role.expect.flap.hold"],
    reference: "docs/policy.md, The site's values",
    why: "Held too short it flaps on. Held until somebody comes, it stays down where nobody does.",
    remedy: "Hold the port for {hold} s or more{end}.",
    repair: Repair::Set(&[(settings::FLAP_HOLD.id, Aim::Fact("hold"))]),
    run: Run::Port(hold),
    ..Check::ROW
};

fn hold(port: &PortView<'_>) -> Judgement {
    if !port.known(settings::FLAP)? {
        return Ok(Verdict::NotApplicable);
    }
    let site = &port.policy().site;
    let of_role = port.role().ok().and_then(|r| r.expect.value(settings::FLAP_HOLD));
    let wished = of_role.as_ref().unwrap_or(&site.flap_hold);
    let Seconds(held) = port.known(settings::FLAP_HOLD)?;
    let Seconds(shortest) = wished.value;
    if held == 0 {
        let nobody = port.on().is_unattended();
        if site.attended.value && !nobody || shortest == 0 {
            return Ok(Verdict::Met);
        }
        return Violation::of(
            settings::FLAP_HOLD.id,
            "a flapping port is held until somebody comes, and nobody is there",
        )
        .fact("hold", shortest)
        .fact("end", ", with an end")
        .demand(if nobody { &site.unattended.cite } else { &site.attended.cite })
        .into();
    }
    if held >= shortest {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::FLAP_HOLD.id, "a flapping port is held for {held} s; the policy wants {hold} s at least")
        .fact("held", held)
        .fact("hold", shortest)
        .fact("end", "")
        .demand(&wished.cite)
        .into()
}

/// Threshold or window, whichever is lax.
fn as_wanted(case: &Case<'_>) -> Mending {
    let number = |fact: &str| case.text(fact)?.parse().ok();
    Mending::of(case.cause().and_then(|cause| {
        let value = if cause == settings::FLAP_THRESHOLD.id {
            Value::Count(number("threshold")?)
        } else {
            Value::Seconds(number("window")?)
        };
        case.set(cause, value)
    }))
}
