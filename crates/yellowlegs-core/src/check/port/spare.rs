//! Spare ports: put away, or left open.

use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, Unknown, Verdict, Violation};
use crate::model::{VlanSet, settings};
use crate::policy::{Cite, Faces, Level, Purpose};

pub(super) const ENABLED: Check = Check {
    id: "port/spare-enabled",
    title: "a spare port is up",
    level: Level::Risk,
    needs: &["port.enabled", "role"],
    policy: &["role.faces"],
    reference: "docs/policy.md, Roles",
    why: "A port for nothing that is administratively up is a way in that nobody watches: a socket in an empty \
          room, a patch cable left behind.",
    remedy: "Shut the port, or give it the role it really has.",
    repair: Repair::Set(&[(settings::ENABLED.id, Aim::Off)]),
    run: Run::Port(enabled),
    ..Check::ROW
};

fn enabled(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if role.faces != Faces::Nothing {
        return Ok(Verdict::NotApplicable);
    }
    if !port.known(settings::ENABLED)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::ENABLED.id, "the port is administratively up; role {role} faces nothing")
        .demand(role.cite("faces"))
        .into()
}

pub(super) const VLAN: Check = Check {
    id: "port/spare-vlan",
    title: "a spare port is outside the parking VLAN",
    level: Level::Risk,
    needs: &["port.mode", "port.access-vlan", "port.native-vlan", "role"],
    policy: &["role.vlans", "vlans.purpose = parking"],
    reference: "docs/policy.md, VLANs",
    why: "The day somebody brings a spare port up, its VLAN decides where they land. In the parking VLAN they land \
          nowhere.",
    remedy: "Put the port into VLAN {parking}.",
    judges: &[settings::ACCESS_VLAN.id, settings::NATIVE_VLAN.id],
    absorbs: &["port/vlan-default", "port/vlan-foreign"],
    repair: Repair::Cause(Aim::Fact("parking")),
    run: Run::Port(vlan),
    ..Check::ROW
};

fn vlan(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if role.faces != Faces::Nothing {
        return Ok(Verdict::NotApplicable);
    }
    let site = || port.on().site_vlans_for(Purpose::Parking);
    let (parking, cite): (VlanSet, Option<&Cite>) = if role.vlans.is_empty() {
        (site().map(|v| v.id).collect(), site().next().map(|v| &v.cite))
    } else {
        (role.vlans.clone(), Some(role.cite("vlans")))
    };
    let untagged = port.untagged()?;
    // A port in no VLAN leads nowhere.
    let Some(vlan) = untagged.vlan else { return Ok(Verdict::Met) };
    let Some(cite) = cite else { return Err(Unknown::fact("policy: a VLAN of purpose parking")) };
    if parking.contains(vlan) {
        return Ok(Verdict::Met);
    }
    Violation::of(untagged.setting, "the spare port is in VLAN {vlan}, not in the parking VLAN {parking}")
        .fact("vlan", u32::from(vlan.get()))
        .fact("parking", parking.to_string())
        .vlan(Some(vlan))
        .demand(cite)
        .into()
}
