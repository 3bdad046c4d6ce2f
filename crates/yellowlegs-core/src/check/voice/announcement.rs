//! What the phone is told over LLDP-MED.

use super::vlan::{phone_role, spoken_in};
use crate::check::{Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, Verdict, Violation};
use crate::model::{Announcement, Choice, Value, platform, settings};
use crate::policy::Level;

pub(super) const DISCOVERY_OFF: Check = Check {
    id: "voice/discovery-off",
    title: "the phone is never told its VLAN",
    level: Level::Breach,
    needs: &["lldp.enabled", "lldp.transmit", "lldp.med", "role"],
    uses: &["voice-told-by"],
    policy: &["role.faces"],
    reference: "IEEE 802.1AB, 9; ANSI/TIA-1057, 10.2.3",
    why: "A phone that hears no announcement stays in the data VLAN and still works, so nobody notices.",
    remedy: "Let the port send LLDP with the voice policy.",
    repair: Repair::Cause(Aim::On),
    run: Run::Port(discovery_off),
    ..Check::ROW
};

fn discovery_off(port: &PortView<'_>) -> Judgement {
    let Some(role) = phone_role(port)? else { return Ok(Verdict::NotApplicable) };
    for key in [settings::LLDP, settings::LLDP_TRANSMIT, settings::LLDP_MED] {
        if port.known(key)? {
            continue;
        }
        if port.platform(platform::VOICE_TOLD_BY, "own-protocol")? {
            return Ok(Verdict::Met);
        }
        let says = "{what} is off: the phone is never told its VLAN";
        return Violation::of(key.id, says).fact("what", key.id.name()).demand(role.cite("faces")).into();
    }
    Ok(Verdict::Met)
}

pub(super) const POLICY_MISSING: Check = Check {
    id: "voice/policy-missing",
    title: "no network policy for voice is announced on the port",
    level: Level::Breach,
    needs: &["voice.announcement", "role"],
    uses: &["voice-told-by"],
    policy: &["role.faces"],
    reference: "ANSI/TIA-1057, 10.2.3",
    why: "LLDP goes out and says nothing about voice: the phone is told who the switch is and not where it belongs.",
    remedy: "Announce the port's voice VLAN, tagged, with priority and DSCP.",
    repair: Repair::Work(announce),
    run: Run::Port(policy_missing),
    ..Check::ROW
};

fn policy_missing(port: &PortView<'_>) -> Judgement {
    let Some(role) = phone_role(port)? else { return Ok(Verdict::NotApplicable) };
    if port.known(settings::VOICE_ANNOUNCED)? != Announcement::Nothing {
        return Ok(Verdict::Met);
    }
    if port.on().traits().holds(platform::VOICE_TOLD_BY, "own-protocol") == Some(true) {
        return Ok(Verdict::Met);
    }
    let says = "no network policy for voice is announced; role {role} faces {faces}";
    Violation::of(settings::VOICE_ANNOUNCED.id, says).demand(role.cite("faces")).into()
}

pub(super) const POLICY_MISMATCH: Check = Check {
    id: "voice/policy-mismatch",
    title: "the announced voice policy is not the port's",
    level: Level::Breach,
    needs: &["voice.announcement", "voice.announced-vlan", "port.mode", "port.voice-vlan", "role"],
    uses: &["port.tagged-vlans"],
    policy: &["role.voice"],
    reference: "ANSI/TIA-1057, 10.2.3",
    why: "The phone does what it is told: it tags for a VLAN the port does not take, or does not tag and lands among \
          the computers.",
    remedy: "Announce VLAN {voice}, tagged.",
    repair: Repair::Work(announce),
    run: Run::Port(policy_mismatch),
    ..Check::ROW
};

fn policy_mismatch(port: &PortView<'_>) -> Judgement {
    let Some(role) = phone_role(port)? else { return Ok(Verdict::NotApplicable) };
    let Some(voice) = spoken_in(port, role)? else { return Ok(Verdict::NotApplicable) };
    let announced = port.known(settings::VOICE_ANNOUNCED)?;
    if announced == Announcement::Nothing {
        return Ok(Verdict::NotApplicable);
    }
    let violation = |id, says| {
        Violation::of(id, says)
            .beside(settings::VOICE_VLAN.id)
            .fact("announced", announced.word())
            .fact("voice", u32::from(voice.get()))
            .vlan(Some(voice))
    };
    if announced != Announcement::Tagged {
        let says = "the phone is told {announced}, and the port takes its voice in VLAN {voice}, tagged";
        return violation(settings::VOICE_ANNOUNCED.id, says).into();
    }
    let vlan = port.known(settings::VOICE_ANNOUNCED_VLAN)?;
    if vlan == Some(voice) {
        return Ok(Verdict::Met);
    }
    let says = "the phone is told VLAN {told}, and the port takes its voice in VLAN {voice}";
    let told = vlan.map_or_else(|| "none".to_owned(), |v| v.get().to_string());
    violation(settings::VOICE_ANNOUNCED_VLAN.id, says).fact("told", told).into()
}

/// The role's voice VLAN, tagged, and taken by the port; of a role that names none, the port's own.
fn announce(case: &Case<'_>) -> Mending {
    let Some((port, role)) = case.port().zip(case.role()) else { return Mending::Person };
    let spoken = spoken_in(&port, role).ok().flatten();
    let Some(voice) = role.voice.or(spoken) else { return Mending::Person };
    let taken = match port.tagged() {
        _ if spoken == Some(voice) => None,
        Ok(Some(_)) => case.with(settings::TAGGED_VLANS.id, [voice].into_iter().collect()),
        _ => case.set(settings::VOICE_VLAN.id, Value::Vlan(Some(voice))),
    };
    let vlan = case.set(settings::VOICE_ANNOUNCED_VLAN.id, Value::Vlan(Some(voice)));
    let tagged = case.word(settings::VOICE_ANNOUNCED.id, Announcement::Tagged);
    Mending::of(taken.into_iter().chain(vlan).chain(tagged))
}
