//! A phone with a computer behind it comes up.

use super::{own, ready};
use crate::drill::Drill;
use crate::drill::asked::Known;
use crate::drill::frame::{Frame, Payload, To};
use crate::drill::machine::{Arrival, Because, Machine};
use crate::drill::rehearse::{Outcome, Rehearsal, Stage, station};
use crate::model::{StationAddress, VlanId, settings};
use crate::policy::{Faces, Role};

pub(super) const PHONE_BOOT: Drill = Drill {
    name: "phone-boot",
    stimulus: "a phone is plugged in, with a computer behind it where the role has one",
    holds: "the phone speaks in the voice VLAN with the right marking, the computer in its own, nothing trips",
    answers: &[
        "voice/vlan-missing",
        "voice/vlan-shared",
        "voice/discovery-off",
        "voice/policy-missing",
        "voice/policy-mismatch",
        "voice/marking-wrong",
        "voice/marking-untrusted",
        "voice/room-missing",
        "port-security/limit-low",
    ],
    run: phone_boot,
};

fn phone_boot(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let role = stage.role()?;
    if !role.faces.has_phone() {
        return Ok(None);
    }
    let Some(mut machine) = ready(stage, machine)? else { return Ok(None) };
    let (phone, computer) = (own::phone(stage, &machine)?, own::host(stage, &machine)?);
    machine.authenticate(phone);
    machine.authenticate(computer);
    let took = machine.now();
    let outage = |machine: &Machine<'_>, says: String, because: Option<Because>| {
        let told = Rehearsal::new(machine, Outcome::Outage, says).because(because).back(machine, stage.port);
        Ok(Some(told))
    };
    // It speaks untagged until it is told better.
    let first = machine.receive(stage.port, &says(phone))?;
    let told = machine.tells_phone(stage.port, role.voice)?;
    let words = match told.tag {
        None => "the phone is told no tag".to_owned(),
        Some(tag) => format!("the phone is told to tag with {tag}"),
    };
    machine.tell(stage.port, words, Some(told.because));
    machine.pass(told.after)?;
    let voice = machine.voice_taken(stage.port, role.voice)?;
    let alone = role.faces == Faces::Phone && role.voice.is_some() && machine.untagged(stage.port)? == role.voice;
    let speaks = match told.tag {
        None if alone || is_assigned(&machine, &first, role.voice, stage.port)? => first,
        None | Some(0) => {
            let says = "the phone stays among the computers: it rings, and can be listened to".to_owned();
            return outage(&machine, says, Some(told.because));
        }
        Some(tag) => {
            let frame = says(phone);
            let tagged = VlanId::new(i64::from(tag)).map(|vlan| frame.tagged(vlan));
            let Ok(frame) = tagged else {
                return outage(&machine, format!("the tag {tag} is none"), Some(told.because));
            };
            machine.receive(stage.port, &frame)?
        }
    };
    match &speaks {
        Arrival::Forwarded(vlan, _) if alone || Some(*vlan) == voice && machine.untagged(stage.port)? != voice => {}
        assigned if is_assigned(&machine, assigned, role.voice, stage.port)? => {}
        Arrival::Forwarded(vlan, _) => {
            let because = Because::of("voice VLAN", settings::VOICE_VLAN.id);
            let with = if machine.untagged(stage.port)? == Some(*vlan) {
                "among the computers"
            } else {
                "which is not its own"
            };
            return outage(&machine, format!("the phone speaks in VLAN {vlan}, {with}"), Some(because));
        }
        other => {
            let because = other.stopped_by().unwrap_or(told.because);
            return outage(&machine, "the phone's frames are dropped".to_owned(), Some(because));
        }
    }
    if role.faces == Faces::PhoneAndHost {
        let arrival = machine.receive(stage.port, &says(computer))?;
        if !arrival.is_in() {
            return outage(&machine, "the computer behind the phone is cut off".to_owned(), arrival.stopped_by());
        }
    }
    if let Some((setting, says)) = wrong_marking(stage, &machine, role, told.marking)? {
        return outage(&machine, says, Some(Because::of("marking", setting)));
    }
    let because = Some(Because::of("voice VLAN", settings::VOICE_VLAN.id));
    let computer = if role.faces == Faces::PhoneAndHost { ", and the computer in its own" } else { "" };
    let dark =
        if machine.feeds(stage.port) == Ok(false) { "; it needs a supply of its own: the port has none" } else { "" };
    let after = if machine.part(stage.port).is_ok() { format!("after {} s ", took / 1000) } else { String::new() };
    let says = format!("{after}the phone speaks in its VLAN{computer}{dark}");
    Ok(Some(Rehearsal::new(&machine, Outcome::Held, says).because(because).after(took)))
}

/// Whether a phone was put into the voice VLAN by its address (dynamic assignment).
fn is_assigned(machine: &Machine<'_>, first: &Arrival, voice: Option<VlanId>, port: usize) -> Known<bool> {
    let Arrival::Forwarded(vlan, _) = first else { return Ok(false) };
    Ok(Some(*vlan) == voice && machine.untagged(port)? != voice)
}

fn says(from: StationAddress) -> Frame {
    Frame { to: To::Station(station(800)), ..Frame::to_all(from, Payload::Plain) }
}

/// What the phone is told to mark with, against the role and the site; and whether the mark is kept.
fn wrong_marking(
    stage: &Stage<'_>,
    machine: &Machine<'_>,
    role: &Role,
    marking: Option<(u32, u32)>,
) -> Known<Option<(crate::model::SettingId, String)>> {
    let site = &stage.policy.site;
    if let Some((priority, dscp)) = marking {
        for (what, key, told, site) in [
            ("priority", settings::VOICE_PRIORITY, priority, site.voice_priority.value),
            ("DSCP", settings::VOICE_DSCP, dscp, site.voice_dscp.value),
        ] {
            let wanted = role.expect.value(key).map_or(site, |wished| wished.value);
            if told != wanted {
                return Ok(Some((key.id, format!("the phone marks with {what} {told}, where {wanted} is right"))));
            }
        }
    }
    let trust = machine.trust(stage.port)?;
    let kept = match role.expect.value(settings::TRUST) {
        Some(wished) => trust == wished.value,
        None => site.marking.value.is_served_by(trust),
    };
    Ok((!kept).then(|| (settings::TRUST.id, format!("the phone's marks are wiped off: {trust} is trusted"))))
}
