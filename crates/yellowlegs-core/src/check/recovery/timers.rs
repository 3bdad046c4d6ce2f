//! Timers that bring ports back, by cause.

use crate::check::{
    Aim, Case, Check, Judgement, Mending, Repair, Run, SwitchView, Tally, To, Unknown, Verdict, Violation,
};
use crate::model::{Cause, Choice, Key, Seconds, SettingId, Value, settings};
use crate::policy::Level;

const NEEDS: &[&str] = &["recovery.causes", "recovery.interval"];
const USES: &[&str] = &[
    "recovery.port-security",
    "recovery.bpdu-guard",
    "recovery.loop-detection",
    "recovery.storm",
    "recovery.unidirectional",
    "recovery.dhcp-rate",
];

/// The setting of a cause's own timer.
fn own(cause: Cause) -> Option<Key<Seconds>> {
    match cause {
        Cause::PortSecurity => Some(settings::RECOVERY_SECURITY),
        Cause::EdgeBpdu => Some(settings::RECOVERY_BPDU),
        Cause::LoopDetection => Some(settings::RECOVERY_LOOP),
        Cause::Storm => Some(settings::RECOVERY_STORM),
        Cause::Unidirectional => Some(settings::RECOVERY_UNIDIRECTIONAL),
        Cause::DhcpRate => Some(settings::RECOVERY_DHCP_RATE),
        _ => None,
    }
}

/// The timer of a cause and the setting that gives it; 0: by hand.
pub(in crate::check) fn timer(on: &SwitchView<'_>, cause: Cause) -> Result<(u32, SettingId), Unknown> {
    if let Some(key) = own(cause) {
        match on.setting(key).value {
            Some(Seconds(seconds)) if seconds > 0 => return Ok((seconds, key.id)),
            Some(_) => {}
            // A platform without a timer of its own for the cause has only the common one.
            None if on.slot(key.id).origin.is_written() => return Err(Unknown::fact(key.id.name())),
            None => {}
        }
    }
    if !on.known(settings::RECOVERY_CAUSES)?.contains(cause) {
        return Ok((0, settings::RECOVERY_CAUSES.id));
    }
    let Seconds(seconds) = on.known(settings::RECOVERY_INTERVAL)?;
    Ok((seconds, settings::RECOVERY_INTERVAL.id))
}

pub(super) const REVOLVING: Check = Check {
    id: "recovery/revolving",
    title: "a port held down for a security cause comes back too soon",
    level: Level::Risk,
    needs: NEEDS,
    uses: USES,
    policy: &["site.recovery-security"],
    reference: "docs/policy.md, The site's values",
    why: "Whoever tries again every minute is let in again every minute: a revolving door, and the log fills.",
    remedy: "Let ports held for {cause} wait {most} s or more, or for somebody.",
    repair: Repair::Cause(Aim::Fact("most")),
    run: Run::Switch(revolving),
    ..Check::ROW
};

fn revolving(on: &SwitchView<'_>) -> Judgement {
    let wished = &on.policy().site.recovery;
    let Seconds(shortest) = wished.value;
    let mut tally = Tally::default();
    for cause in [Cause::PortSecurity, Cause::EdgeBpdu, Cause::DhcpRate] {
        tally.add(timer(on, cause).map(|(seconds, setting)| {
            let says = "a port held down by {cause} comes back after {seconds} s; the site wants {most} s at least";
            let violation = || {
                Violation::of(setting, says)
                    .fact("cause", cause.word())
                    .fact("seconds", seconds)
                    .fact("most", shortest)
                    .demand(&wished.cite)
            };
            (seconds > 0 && seconds < shortest).then(violation)
        }));
    }
    tally.judgement()
}

pub(super) const MANUAL_ONLY: Check = Check {
    id: "recovery/manual-only",
    title: "no timer brings ports back for a cause that wants one",
    level: Level::Advice,
    needs: NEEDS,
    uses: USES,
    policy: &["site.recovery-wanted"],
    reference: "docs/policy.md, The site's values",
    why: "Each such port is a walk to the closet.",
    remedy: "Set a timer for {cause}.",
    repair: Repair::Work(set_timer),
    run: Run::Switch(manual_only),
    ..Check::ROW
};

fn manual_only(on: &SwitchView<'_>) -> Judgement {
    let wished = &on.policy().site.recovery_wanted;
    if wished.value.is_empty() {
        return Ok(Verdict::NotApplicable);
    }
    let mut tally = Tally::default();
    for cause in &wished.value {
        tally.add(timer(on, *cause).map(|(seconds, setting)| {
            let says = "a port held down by {cause} waits for somebody; the site wants a timer";
            (seconds == 0).then(|| Violation::of(setting, says).fact("cause", cause.word()).demand(&wished.cite))
        }));
    }
    tally.judgement()
}

/// The cause among those that have the common timer; where there is none, its own.
fn set_timer(case: &Case<'_>) -> Mending {
    let (Some(on), Some(word)) = (case.on, case.text("cause")) else { return Mending::Person };
    let causes = settings::RECOVERY_CAUSES;
    let Seconds(shortest) = on.policy().site.recovery.value;
    let cause = on.policy().site.recovery_wanted.value.iter().find(|cause| cause.word() == word);
    let own = cause.and_then(|cause| own(*cause)).filter(|key| on.slot(key.id).value.is_some());
    let mut targets = Vec::new();
    match own {
        Some(own) => targets.extend(case.set(own.id, Value::Seconds(shortest))),
        None => {
            targets.extend(causes.id.info().kind.parse(&word).ok().and_then(|one| case.to(causes.id, To::With(one))));
            if on.known(settings::RECOVERY_INTERVAL).is_ok_and(|Seconds(now)| now == 0) {
                targets.extend(case.set(settings::RECOVERY_INTERVAL.id, Value::Seconds(shortest)));
            }
        }
    }
    Mending::of(targets)
}
