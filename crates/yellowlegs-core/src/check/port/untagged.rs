//! The VLANs of a port: untagged and voice VLAN, and whether the VLANs it uses exist.

use std::sync::Arc;

use crate::check::view::Carried;
use crate::check::{Case, Check, Judgement, Mending, PortView, Repair, Run, Tally, To, Unknown, Verdict, Violation};
use crate::model::{Frames, Mode, Value, VlanId, VlanSet, settings};
use crate::policy::{Faces, Level, Role};

pub(super) const UNDEFINED: Check = Check {
    id: "port/vlan-undefined",
    title: "a VLAN of the port is not defined on the switch",
    level: Level::Breach,
    needs: &[
        "port.mode",
        "port.access-vlan",
        "port.native-vlan",
        "port.tagged-vlans",
        "port.voice-vlan",
        "switch.vlans",
    ],
    reference: "IEEE 802.1Q, 8.8",
    why: "Frames of a VLAN that the switch does not know go nowhere. The port looks configured and its users are \
          cut off, or fall into another VLAN on the next switch.",
    remedy: "Define VLAN {vlans} on the switch, or correct the port.",
    repair: Repair::Work(define),
    run: Run::Port(undefined),
    ..Check::ROW
};

fn undefined(port: &PortView<'_>) -> Judgement {
    let mode = port.mode()?;
    let mut tally = Tally::default();
    tally.add(exists(port, port.untagged(), "untagged"));
    if mode == Mode::Trunk {
        tally.add(listed(port));
    } else {
        tally.add(exists(port, port.voice(), "voice"));
    }
    tally.judgement()
}

fn exists(port: &PortView<'_>, carried: Result<Carried, Unknown>, kind: &str) -> Result<Option<Violation>, Unknown> {
    let Carried { setting, vlan: Some(vlan) } = carried? else { return Ok(None) };
    if port.known(settings::VLANS)?.contains(vlan) {
        return Ok(None);
    }
    Ok(Some(
        Violation::of(setting, "the {kind} VLAN {vlans} is not defined on the switch")
            .lacking(settings::VLANS.id, format!("no line defines VLAN {vlan}"))
            .fact("kind", kind)
            .fact("vlans", vlan.to_string())
            .vlan(Some(vlan)),
    ))
}

/// The VLANs a trunk lists; one that carries every VLAN lists none.
fn listed(port: &PortView<'_>) -> Result<Option<Violation>, Unknown> {
    let Some(tagged) = port.tagged()?.filter(|set| !set.is_all()) else { return Ok(None) };
    let missing = tagged.minus(&*port.known(settings::VLANS)?);
    let Some(first) = missing.iter().next() else { return Ok(None) };
    let setting = settings::TAGGED_VLANS.id;
    Ok(Some(
        Violation::of(setting, "the trunk lists VLAN {vlans}, not defined on the switch")
            .lacking(settings::VLANS.id, format!("no line defines VLAN {missing}"))
            .fact("vlans", missing.to_string())
            .vlan(missing.single())
            .line(port.line_that_added(setting, first)),
    ))
}

pub(super) const FOREIGN: Check = Check {
    id: "port/vlan-foreign",
    title: "the port is in a VLAN its role may not use",
    level: Level::Breach,
    needs: &["port.mode", "port.access-vlan", "port.voice-vlan", "role"],
    policy: &["role.vlans", "role.voice"],
    reference: "docs/policy.md, Roles",
    why: "Whoever sits on the port is among machines they have no business with, and past the filters that stand \
          between the VLANs.",
    remedy: "Put the port into VLAN {allowed}, or give it the role it really has.",
    judges: &[settings::ACCESS_VLAN.id],
    repair: Repair::Work(put_right),
    run: Run::Port(foreign),
    ..Check::ROW
};

fn foreign(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if role.faces == Faces::Nothing || role.may_use().is_empty() || port.mode()? == Mode::Trunk {
        return Ok(Verdict::NotApplicable);
    }
    let mut tally = Tally::default();
    tally.add(among(role, port.untagged(), &untagged_allowed(role), "untagged", "vlans"));
    tally.add(among(
        role,
        port.voice(),
        &role.may_use(),
        "voice",
        if role.voice.is_some() { "voice" } else { "vlans" },
    ));
    tally.judgement()
}

/// A phone alone may sit untagged in the voice VLAN; a computer may not.
fn untagged_allowed(role: &Role) -> VlanSet {
    if role.faces == Faces::Phone || role.vlans.is_empty() { role.may_use() } else { role.vlans.clone() }
}

fn among(
    role: &Role,
    carried: Result<Carried, Unknown>,
    allowed: &VlanSet,
    kind: &str,
    key: &'static str,
) -> Result<Option<Violation>, Unknown> {
    let Carried { setting, vlan } = carried?;
    let Some(vlan) = vlan.filter(|v| !allowed.contains(*v)) else { return Ok(None) };
    Ok(Some(
        Violation::of(setting, "the {kind} VLAN is {vlan}; role {role} may use {allowed}")
            .fact("kind", kind)
            .fact("vlan", u32::from(vlan.get()))
            .fact("allowed", allowed.to_string())
            .vlan(Some(vlan))
            .demand(role.cite(key)),
    ))
}

pub(super) const DEFAULT: Check = Check {
    id: "port/vlan-default",
    title: "user traffic runs in the platform's default VLAN",
    level: Level::Risk,
    needs: &["port.mode", "port.access-vlan", "port.voice-vlan", "switch.default-vlan"],
    uses: &["role"],
    policy: &["role.faces"],
    reference: "IEEE 802.1Q, 9.6 (default PVID)",
    why: "The default VLAN spans every port nobody configured, on every switch, and often carries the switches' own \
          protocols. Users in it meet all of that.",
    remedy: "Move the port into a VLAN made for it, and leave VLAN {vlan} empty.",
    absorbs: &["port/vlan-foreign"],
    repair: Repair::Work(move_away),
    run: Run::Port(default),
    ..Check::ROW
};

fn default(port: &PortView<'_>) -> Judgement {
    if port.mode()? == Mode::Trunk {
        return Ok(Verdict::NotApplicable);
    }
    if let Ok(role) = port.role()
        && !role.faces.is_edge()
        && role.faces != Faces::Router
    {
        return Ok(Verdict::NotApplicable);
    }
    let Some(default) = port.known(settings::DEFAULT_VLAN)? else { return Ok(Verdict::Met) };
    let mut tally = Tally::default();
    for (kind, carried) in [("untagged", port.untagged()), ("voice", port.voice())] {
        tally.add(carried.and_then(|carried| {
            if carried.vlan != Some(default) {
                return Ok(None);
            }
            // Whether there are users on it at all hangs on the role.
            port.role()?;
            let says = "the {kind} VLAN is {vlan}, the platform's default VLAN";
            let violation = Violation::of(carried.setting, says).beside(settings::DEFAULT_VLAN.id).vlan(Some(default));
            Ok(Some(violation.fact("kind", kind).fact("vlan", u32::from(default.get()))))
        }));
    }
    tally.judgement()
}

pub(super) const MISSING: Check = Check {
    id: "port/untagged-missing",
    title: "a host-facing port carries no VLAN of its hosts",
    level: Level::Breach,
    needs: &["port.mode", "port.access-vlan", "port.native-vlan", "role"],
    uses: &["port.acceptable-frames", "port.tagged-vlans"],
    policy: &["role.faces", "role.vlans"],
    reference: "IEEE 802.1Q, 6.9",
    why: "A host sends untagged frames. With no untagged VLAN on the port, or where only tagged frames are taken in, they \
          are dropped, and the socket is dead though the link is up. So it is where a host tags with VLANs that the port does \
          not carry.",
    remedy: "Give the port the VLANs of its hosts, an untagged one where they do not tag, and let it take their frames in.",
    repair: Repair::Work(give_vlans),
    run: Run::Port(missing),
    ..Check::ROW
};

/// Whoever tags there, or serves others, is in none of its VLANs. An untagged VLAN that is another's is told by other checks.
fn serves_nobody(port: &PortView<'_>, role: &Role) -> Judgement {
    let wanted = role.may_use();
    if wanted.is_empty() {
        return Ok(Verdict::NotApplicable);
    }
    let untagged = port.untagged()?;
    let (tagged, setting) = match port.tagged()? {
        Some(tagged) => (tagged, settings::TAGGED_VLANS.id),
        None => (Arc::<VlanSet>::default(), untagged.setting),
    };
    let carried = match port.mode()? {
        Mode::Trunk => !tagged.common(&wanted).is_empty() || untagged.vlan.is_some_and(|vlan| wanted.contains(vlan)),
        _ => untagged.vlan.is_some() || !tagged.is_empty(),
    };
    if carried {
        return Ok(Verdict::Met);
    }
    Violation::of(setting, "the port carries none of the VLANs that role {role} uses: {wanted}")
        .fact("wanted", wanted.to_string())
        .demand(role.cite(if role.vlans.is_empty() { "voice" } else { "vlans" }))
        .into()
}

fn missing(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if matches!(role.faces, Faces::TaggedHost | Faces::AccessPoint) {
        return serves_nobody(port, role);
    }
    if !role.faces.is_untagged_host() {
        return Ok(Verdict::NotApplicable);
    }
    let untagged = port.untagged()?;
    if untagged.vlan.is_some() {
        if port.setting(settings::ACCEPTABLE_FRAMES).value == Some(Frames::Tagged) {
            return Violation::of(
                settings::ACCEPTABLE_FRAMES.id,
                "only tagged frames are taken in; role {role} faces {faces}, which sends untagged ones",
            )
            .demand(role.cite("faces"))
            .into();
        }
        return Ok(Verdict::Met);
    }
    Violation::of(untagged.setting, "the port carries no untagged VLAN; role {role} faces {faces}")
        .demand(role.cite("faces"))
        .into()
}

/// The VLANs are defined, where the policy has them; of others somebody says whether they are a mistake of the port.
fn define(case: &Case<'_>) -> Mending {
    let (Some(vlans), Some(cause)) = (case.vlans("vlans"), case.cause()) else { return Mending::Person };
    let Some(defined) = case.with(settings::VLANS.id, vlans.clone()) else { return Mending::Person };
    if case.known_to_policy(&vlans) == vlans {
        return Mending::of([defined]);
    }
    let mut choices = vec![(format!("{vlans} is defined"), vec![defined])];
    if cause == settings::TAGGED_VLANS.id {
        let off = case.to(cause, To::Without(Value::Vlans(Arc::new(vlans.clone()))));
        choices.push((format!("{vlans} leaves the trunk"), off.into_iter().collect()));
    } else if let Some(role) = case.role() {
        let of =
            if cause == settings::VOICE_VLAN.id { role.voice.into_iter().collect() } else { untagged_allowed(role) };
        let moved =
            |vlan: VlanId| Some((format!("the port moves to {vlan}"), vec![case.set(cause, Value::Vlan(Some(vlan)))?]));
        choices.extend(of.iter().filter_map(moved));
    }
    Mending::one_of(format!("{}: the policy has no VLAN {vlans}: which is it?", case.place()), choices)
}

/// One of the VLANs that the role may use untagged, or its voice VLAN.
fn move_away(case: &Case<'_>) -> Mending {
    let (Some(role), Some(cause)) = (case.role(), case.cause()) else { return Mending::Person };
    let voice = cause == settings::VOICE_VLAN.id;
    let of = if voice { role.voice.into_iter().collect() } else { untagged_allowed(role) };
    case.one_vlan(cause, &of)
}

/// The VLANs of the role: all of them tagged where it tags, else one; and its frames are let in.
fn give_vlans(case: &Case<'_>) -> Mending {
    let (Some(role), Some(cause)) = (case.role(), case.cause()) else { return Mending::Person };
    if cause == settings::ACCEPTABLE_FRAMES.id {
        return Mending::of(case.word(cause, Frames::All));
    }
    if cause == settings::TAGGED_VLANS.id {
        return Mending::of(case.with(cause, role.may_use()));
    }
    case.one_vlan(cause, &untagged_allowed(role))
}

/// The role's voice VLAN for a voice VLAN; else one of those that the role may use.
fn put_right(case: &Case<'_>) -> Mending {
    let (Some(cause), Some(allowed)) = (case.cause(), case.vlans("allowed")) else { return Mending::Person };
    let voice = case.role().and_then(|role| role.voice).filter(|_| cause == settings::VOICE_VLAN.id);
    case.one_vlan(cause, &voice.map_or(allowed, |voice| [voice].into_iter().collect()))
}
