//! The phone's VLAN, and the room port security leaves it.

use crate::check::view::Stations;
use crate::check::{Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, Unknown, Verdict, Violation};
use crate::model::{Mode, Value, VlanId, VlanSet, platform, settings};
use crate::policy::{Level, Purpose, Role};

const NEEDS: &[&str] = &["port.mode", "port.voice-vlan", "role"];

/// The role, where a phone hangs on the port.
pub(super) fn phone_role<'a>(port: &PortView<'a>) -> Result<Option<&'a Role>, Unknown> {
    Ok(Some(port.role()?).filter(|role| role.faces.has_phone()))
}

/// The VLAN the port's phone speaks in: the voice VLAN, or on a trunk the role's own.
pub(super) fn spoken_in(port: &PortView<'_>, role: &Role) -> Result<Option<VlanId>, Unknown> {
    match port.tagged()? {
        Some(tagged) => Ok(role.voice.filter(|vlan| tagged.contains(*vlan))),
        None => Ok(port.voice()?.vlan),
    }
}

pub(super) const MISSING: Check = Check {
    id: "voice/vlan-missing",
    title: "a phone's port has no voice VLAN",
    level: Level::Breach,
    needs: NEEDS,
    uses: &["port.access-vlan"],
    policy: &["role.faces", "role.voice"],
    reference: "IEEE 802.1Q, 6.9; ANSI/TIA-1057, 10.2.3",
    why: "The phone sits in the data VLAN, rings happily, and every computer there can listen to it.",
    remedy: "Give the port the voice VLAN{voice}.",
    repair: Repair::Work(give_voice),
    run: Run::Port(missing),
    ..Check::ROW
};

fn missing(port: &PortView<'_>) -> Judgement {
    let Some(role) = phone_role(port)? else { return Ok(Verdict::NotApplicable) };
    // A trunk has a check of its own.
    if port.mode()? == Mode::Trunk {
        return Ok(Verdict::NotApplicable);
    }
    if port.voice()?.vlan.is_some() {
        return Ok(Verdict::Met);
    }
    // A phone alone may be put into the voice VLAN untagged.
    let alone = role.faces == crate::policy::Faces::Phone && role.voice.is_some();
    if alone && port.untagged()?.vlan == role.voice {
        return Ok(Verdict::Met);
    }
    let voice = role.voice.map(|vlan| format!(" {}", vlan.get())).unwrap_or_default();
    Violation::of(settings::VOICE_VLAN.id, "no voice VLAN is in force; role {role} faces {faces}")
        .fact("voice", voice)
        .demand(role.cite(if role.voice.is_some() { "voice" } else { "faces" }))
        .into()
}

pub(super) const SHARED: Check = Check {
    id: "voice/vlan-shared",
    title: "voice VLAN and data VLAN are one",
    level: Level::Breach,
    needs: &["port.mode", "port.voice-vlan", "port.access-vlan", "role"],
    policy: &["role.faces"],
    reference: "ANSI/TIA-1057, 10.2.3",
    why: "Calls and computers share a VLAN: whoever sits at a desk can record its neighbours' calls.",
    remedy: "Give the port a voice VLAN of its own.",
    repair: Repair::Work(give_voice),
    run: Run::Port(shared),
    ..Check::ROW
};

fn shared(port: &PortView<'_>) -> Judgement {
    let Some(role) = phone_role(port)? else { return Ok(Verdict::NotApplicable) };
    if port.mode()? == Mode::Trunk {
        return Ok(Verdict::NotApplicable);
    }
    let Some(voice) = port.voice()?.vlan else { return Ok(Verdict::NotApplicable) };
    let untagged = port.untagged()?;
    if untagged.vlan != Some(voice) {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::VOICE_VLAN.id, "VLAN {vlan} is both the voice VLAN and the untagged one")
        .beside(untagged.setting)
        .fact("vlan", u32::from(voice.get()))
        .vlan(Some(voice))
        .demand(role.cite("faces"))
        .into()
}

pub(super) const ON_TRUNK: Check = Check {
    id: "voice/on-trunk",
    title: "a phone hangs on a trunk that carries more than data and voice",
    level: Level::Breach,
    needs: &["port.mode", "port.tagged-vlans", "port.native-vlan", "role"],
    policy: &["role.vlans", "role.voice"],
    reference: "IEEE 802.1Q, 8.8.10",
    why: "A trunk towards a phone does what a voice VLAN does, and hands every other VLAN it carries to whoever \
          unplugs the phone.",
    remedy: "Make it an access port with a voice VLAN, or let the trunk carry only {allowed}, with data native.",
    absorbs: &["port/mode-wrong", "port/trunk-open", "port/native-wrong", "voice/vlan-missing"],
    repair: Repair::Work(off_trunk),
    run: Run::Port(on_trunk),
    ..Check::ROW
};

fn on_trunk(port: &PortView<'_>) -> Judgement {
    let Some(role) = phone_role(port)? else { return Ok(Verdict::NotApplicable) };
    let Some(tagged) = port.tagged()? else { return Ok(Verdict::NotApplicable) };
    let native = port.untagged()?.vlan;
    let allowed: VlanSet = role.may_use();
    let extra = tagged.minus(&allowed);
    let native_is_data = native.is_some_and(|vlan| role.vlans.contains(vlan));
    if extra.is_empty() && native_is_data {
        return Ok(Verdict::Met);
    }
    let says = if tagged.is_all() {
        "a phone's port is a trunk that carries every VLAN; role {role} has {allowed}"
    } else if extra.is_empty() {
        "a phone's port is a trunk, and its native VLAN {native} is not the data VLAN"
    } else {
        "a phone's port is a trunk that carries VLAN {extra} too; role {role} has {allowed}"
    };
    Violation::of(settings::MODE.id, says)
        .beside(settings::TAGGED_VLANS.id)
        .beside(settings::NATIVE_VLAN.id)
        .fact("extra", extra.to_string())
        .fact("allowed", allowed.to_string())
        .fact("native", native.map_or_else(|| "none".into(), |v| v.get().to_string()))
        .demand(role.cite("vlans"))
        .into()
}

pub(super) const ROOM_MISSING: Check = Check {
    id: "voice/room-missing",
    title: "port security leaves no room for the phone",
    level: Level::Risk,
    needs: &["port-security.enabled", "port-security.limit", "port.mode", "stations-counted", "role"],
    policy: &["role.stations-needed", "role.faces"],
    reference: "docs/policy.md, Stations",
    why: "Phone and computer are two stations, and three where the platform counts a phone once in each VLAN. The one \
          too many is dropped, or takes the port down each morning.",
    remedy: "Set the limit to at least {needed}.",
    absorbs: &["port-security/limit-low"],
    repair: Repair::Set(&[(settings::LIMIT.id, Aim::Fact("needed"))]),
    run: Run::Port(room_missing),
    ..Check::ROW
};

fn room_missing(port: &PortView<'_>) -> Judgement {
    let Some(role) = phone_role(port)? else { return Ok(Verdict::NotApplicable) };
    if !port.security_in_force()? {
        return Ok(Verdict::NotApplicable);
    }
    let limit = port.known(settings::LIMIT)?;
    let needed = |per_vlan| Stations::of(role, per_vlan).map_or(0, |stations| stations.needed);
    let needed = if needed(false) == needed(true) {
        needed(false)
    } else {
        needed(port.platform(platform::STATIONS_COUNTED, "per-station-and-vlan")?)
    };
    if limit >= needed {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::LIMIT.id, "the port admits {limit} station(s), phone and all; role {role} needs {needed}")
        .fact("limit", limit)
        .fact("needed", needed)
        .demand(role.cite(if role.stations_needed.is_some() { "stations-needed" } else { "faces" }))
        .into()
}

/// The role's voice VLAN, else one of the site's. Where the port has it already, its data leaves it.
fn give_voice(case: &Case<'_>) -> Mending {
    let (Some(port), Some(on)) = (case.port(), case.on) else { return Mending::Person };
    let role = port.role().ok();
    let now = port.setting(settings::VOICE_VLAN).value.flatten();
    if let (Some(role), Ok(untagged)) = (role, port.untagged())
        && now.is_some()
        && now == role.voice
        && untagged.vlan == now
    {
        return case.one_vlan(untagged.setting, &role.vlans);
    }
    let of_role = role.and_then(|role| role.voice);
    let site = on.policy().vlans_for(on.switch().name(), Purpose::Voice).map(|vlan| vlan.id);
    let of: VlanSet = of_role.map_or_else(|| site.collect(), |voice| [voice].into_iter().collect());
    case.one_vlan(settings::VOICE_VLAN.id, &of)
}

/// An access port with the role's data VLAN and its voice VLAN.
fn off_trunk(case: &Case<'_>) -> Mending {
    let Some(role) = case.role() else { return Mending::Person };
    let Some(mode) = case.word(settings::MODE.id, Mode::Access) else { return Mending::Person };
    let vlan = |setting, vlan| case.set(setting, Value::Vlan(Some(vlan)));
    let voice = role.voice.and_then(|voice| vlan(settings::VOICE_VLAN.id, voice));
    let choice = |data: VlanId| {
        let data_vlan = vlan(settings::ACCESS_VLAN.id, data);
        (data.to_string(), [mode.clone()].into_iter().chain(data_vlan).chain(voice.clone()).collect())
    };
    let asks = format!("{}: which VLAN are its computers to be in?", case.place());
    Mending::one_of(asks, role.vlans.iter().map(choice).collect())
}
