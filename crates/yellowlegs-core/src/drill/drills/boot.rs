//! What a port does to those who belong there: the wait at the start, plugs that flap.

use crate::drill::Drill;
use crate::drill::asked::Known;
use crate::drill::machine::{Because, Machine};
use crate::drill::rehearse::{Outcome, Rehearsal, Stage};
use crate::model::{Cause, Seconds, SettingId, settings};

/// Seconds after which a client asks (again): RFC 2131, 4.1, each wait twice the one before.
const RETRIES: [u64; 5] = [0, 4, 12, 28, 60];

pub(super) const DESK_BOOT: Drill = Drill {
    name: "desk-boot",
    stimulus: "a computer is plugged in",
    holds: "it talks within the time that the policy allows",
    answers: &["fast-start/missing", "fast-start/slow", "fast-start/no-effect"],
    run: desk_boot,
};

fn desk_boot(stage: &Stage<'_>, mut machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    if !stage.is_edge()? || stage.stations(&machine)? == Some(0) {
        return Ok(None);
    }
    machine.part(stage.port)?;
    machine.link_up(stage.port)?;
    let Some(opens) = machine.opens_at(stage.port) else { return Ok(None) };
    for retry in RETRIES {
        machine.pass((retry * 1000).saturating_sub(machine.now()))?;
        if machine.forwards(stage.port) {
            machine.tell(stage.port, format_args!("the client asks at {retry} s and is heard"), None);
            break;
        }
        machine.tell(stage.port, format_args!("the client asks at {retry} s and is not heard"), None);
    }
    let asked = machine.now() / 1000;
    let Seconds(most) = stage.policy.site.start_within.value;
    let setting = settings::FAST_START.id;
    let decides = machine.treeless_by(stage.port)?.unwrap_or(setting);
    let because = Some(Because::of("spanning tree", decides));
    let outcome = if opens <= u64::from(most) * 1000 { Outcome::Held } else { Outcome::Outage };
    let says =
        format!("forwards after {} s; the client's DISCOVER at {asked} s is the first that is heard", opens / 1000);
    Ok(Some(Rehearsal::new(&machine, outcome, says).because(because).unless([setting]).after(opens)))
}

pub(super) const FLAPPING_PLUG: Drill = Drill {
    name: "flapping-plug",
    stimulus: "the link is lost and comes back ten times in ten seconds",
    holds: "the port is held for the time set, and comes back",
    answers: &["flap/off", "flap/lax"],
    run: flapping_plug,
};

fn flapping_plug(stage: &Stage<'_>, mut machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    machine.link_up(stage.port)?;
    if machine.opens_at(stage.port).is_none() {
        return Ok(None);
    }
    for _ in 0..10 {
        machine.pass(500)?;
        machine.link_down(stage.port)?;
        machine.pass(500)?;
        machine.link_up(stage.port)?;
        if machine.held_by(stage.port) == Some(Cause::Flap) {
            break;
        }
    }
    // Protection that is on and does not act counts for too short, or to too many.
    let lax: &[SettingId] = if machine.watches_flaps(stage.port)? {
        &[settings::FLAP_THRESHOLD.id, settings::FLAP_WINDOW.id]
    } else {
        &[settings::FLAP.id]
    };
    let because = lax.first().map(|setting| Because::of("flap protection", *setting));
    let told = match machine.held_by(stage.port) {
        Some(Cause::Flap) => {
            let at = machine.now();
            Rehearsal::new(&machine, Outcome::Held, format!("held down after {} s", at / 1000)).after(at)
        }
        _ => Rehearsal::new(&machine, Outcome::LetThrough, "ten losses of link, and nothing holds it down")
            .unless(lax.iter().copied()),
    };
    Ok(Some(told.because(because).back(&machine, stage.port)))
}
