//! The port's mode, its role, and whether its VLAN is assigned as frames come.

use crate::check::{Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, Verdict, Violation};
use crate::model::{Mode, settings};
use crate::policy::{Faces, Level};

pub(super) const NEGOTIATED: Check = Check {
    id: "port/mode-negotiated",
    title: "the neighbour can change the port's mode",
    level: Level::Breach,
    needs: &["port.mode"],
    reference: "IEEE 802.1Q, 6.9",
    why: "Whoever plugs in can ask the port to become a trunk and then reaches every VLAN the trunk carries. \
          Many systems also refuse or ignore port security on such a port, so the other safeguards fall with it.",
    remedy: "Give the port a fixed mode: access for hosts and phones, trunk towards other switches.",
    repair: Repair::Work(fix_mode),
    run: Run::Port(negotiated),
    ..Check::ROW
};

fn negotiated(port: &PortView<'_>) -> Judgement {
    if port.mode()? == Mode::Negotiated {
        return Violation::of(settings::MODE.id, "the neighbour can turn this port into a trunk").into();
    }
    Ok(Verdict::Met)
}

pub(super) const WRONG: Check = Check {
    id: "port/mode-wrong",
    title: "the mode does not fit what the port faces",
    level: Level::Breach,
    needs: &["port.mode", "role"],
    policy: &["role.faces"],
    reference: "IEEE 802.1Q, 6.9",
    why: "A trunk towards a desk hands every VLAN it carries to whoever plugs in. An access port towards a switch \
          carries one VLAN where several are meant, and the others are cut off.",
    remedy: "Set the mode to {wanted}, or give the port the role it really has.",
    judges: &[settings::MODE.id],
    repair: Repair::Set(&[(settings::MODE.id, Aim::Fact("wanted"))]),
    run: Run::Port(wrong),
    ..Check::ROW
};

fn wrong(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    let wanted = match role.faces {
        faces if faces.is_untagged_host() => Mode::Access,
        faces if faces.is_bridge() => Mode::Trunk,
        _ => return Ok(Verdict::NotApplicable),
    };
    let mode = port.mode()?;
    if mode == Mode::Negotiated {
        return Ok(Verdict::NotApplicable);
    }
    if mode == wanted {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::MODE.id, "the mode is {mode}; role {role} faces {faces} and wants {wanted}")
        .fact("mode", mode.to_string())
        .fact("wanted", wanted.to_string())
        .demand(role.cite("faces"))
        .into()
}

pub(super) const ROLE_UNKNOWN: Check = Check {
    id: "port/role-unknown",
    title: "nobody says what the port is for",
    level: Level::Advice,
    uses: &["port.description", "port.mode", "port.access-vlan", "port.tagged-vlans"],
    policy: &["role.ports", "role.describes", "role.vlans", "roles.derive"],
    reference: "docs/policy.md, Roles",
    why: "What a port is for decides what is right on it. Without a role most checks cannot be decided, and a port \
          nobody answers for is where things are left behind.",
    remedy: "Name the port in a role's `ports`, or give it a description that a role's `describes` fits.",
    run: Run::Port(role_unknown),
    ..Check::ROW
};

fn role_unknown(port: &PortView<'_>) -> Judgement {
    if port.assigned.is_some() {
        return Ok(Verdict::Met);
    }
    let described = port.setting(settings::DESCRIPTION).value.filter(|d| !d.is_empty());
    let told = described.map_or_else(|| "no description".to_owned(), |d| format!("the description \"{d}\""));
    let says = "no role fits: not by list, not by {told}, not by VLAN and mode";
    Violation::of(settings::DESCRIPTION.id, says).fact("told", told).into()
}

pub(super) const DYNAMIC_UPLINK: Check = Check {
    id: "port/dynamic-uplink",
    title: "VLANs are assigned dynamically on a port towards a switch",
    level: Level::Breach,
    needs: &["port.dynamic-vlan", "role"],
    policy: &["role.faces"],
    reference: "IEEE 802.1Q, 6.9",
    why: "The first frame that matches a rule moves the whole port into that VLAN. On an uplink that frame comes \
          from any user behind it, and everybody else behind it is moved along or cut off.",
    remedy: "Switch dynamic VLAN assignment off on this port and leave uplinks out of its rules.",
    repair: Repair::Set(&[(settings::DYNAMIC_VLAN.id, Aim::Off)]),
    run: Run::Port(dynamic_uplink),
    ..Check::ROW
};

fn dynamic_uplink(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.faces.is_bridge() {
        return Ok(Verdict::NotApplicable);
    }
    if !port.known(settings::DYNAMIC_VLAN)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::DYNAMIC_VLAN.id, "VLANs are assigned by the first frame; role {role} faces {faces}")
        .demand(role.cite("faces"))
        .into()
}

/// The mode that the role wants; where it may be either, or nobody knows the role, somebody says which.
pub(in crate::check) fn fix_mode(case: &Case<'_>) -> Mending {
    let faces = case.role().map(|role| role.faces);
    let words: &[&str] = match faces {
        Some(faces) if faces.is_bridge() || matches!(faces, Faces::TaggedHost | Faces::AccessPoint) => &["trunk"],
        Some(faces) if faces.is_untagged_host() || faces == Faces::Nothing => &["access"],
        _ => &["access", "trunk"],
    };
    let choice = |word: &&str| Some(((*word).to_owned(), vec![case.word(settings::MODE.id, word)?]));
    let asks = format!("{}: which fixed mode is it to have?", case.place());
    Mending::one_of(asks, words.iter().filter_map(choice).collect())
}
