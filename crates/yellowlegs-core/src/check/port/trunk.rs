//! Trunks: what they carry, and their native VLAN.

use std::sync::Arc;

use crate::check::{Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, Unknown, Verdict, Violation};
use crate::model::{Mode, Value, VlanSet, settings};
use crate::policy::{Cite, Faces, Level, Purpose, Role};

pub(super) const OPEN: Check = Check {
    id: "port/trunk-open",
    title: "a trunk carries VLANs its role does not need",
    level: Level::Breach,
    needs: &["port.mode", "port.tagged-vlans", "role"],
    uses: &["port.native-vlan"],
    policy: &["role.vlans", "role.voice", "vlans"],
    reference: "IEEE 802.1Q, 8.8.10",
    why: "Every VLAN on a trunk can be spoken in by whatever hangs on it. On many systems a trunk without a list \
          carries them all, and every broadcast of every VLAN too.",
    remedy: "List on the trunk only what it needs: {needed}.",
    judges: &[settings::TAGGED_VLANS.id],
    repair: Repair::Work(list_needed),
    run: Run::Port(open),
    ..Check::ROW
};

/// The VLANs a role needs on a trunk, and who says so; `None`: nobody does.
fn needed<'a>(port: &PortView<'a>, role: &'a Role) -> Option<(VlanSet, &'a Cite)> {
    if !role.may_use().is_empty() {
        return Some((role.may_use(), role.cite(if role.vlans.is_empty() { "voice" } else { "vlans" })));
    }
    if role.faces == Faces::Nothing {
        return Some((VlanSet::default(), role.cite("faces")));
    }
    let site: VlanSet = port.policy().vlans.iter().map(|v| v.id).collect();
    (role.faces.is_bridge() && !site.is_empty()).then(|| (site, role.cite("faces")))
}

fn open(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    let Some(carried) = port.tagged()? else { return Ok(Verdict::NotApplicable) };
    let setting = settings::TAGGED_VLANS.id;
    let Some((needed, cite)) = needed(port, role) else {
        if carried.is_all() {
            let says = "the trunk carries every VLAN, and the policy does not say which ones role {role} needs";
            return Violation::of(setting, says).fact("needed", "the VLANs of its role").into();
        }
        return Err(Unknown::fact("policy: the VLANs of the role"));
    };
    let mut extra = carried.minus(&needed);
    if !carried.is_all() {
        // Its native VLAN is another check's matter.
        port.setting(settings::NATIVE_VLAN).value.flatten().iter().for_each(|native| extra.remove(*native));
    }
    let Some(first) = extra.iter().next() else { return Ok(Verdict::Met) };
    let says = if carried.is_all() {
        "the trunk carries every VLAN; role {role} needs {needed}"
    } else {
        "the trunk carries VLAN {extra} beyond what role {role} needs: {needed}"
    };
    Violation::of(setting, says)
        .fact("extra", extra.to_string())
        .fact("needed", needed.to_string())
        .vlan(extra.single())
        .line(port.line_that_added(setting, first))
        .demand(cite)
        .into()
}

pub(super) const NATIVE_WRONG: Check = Check {
    id: "port/native-wrong",
    title: "the native VLAN is not the policy's",
    level: Level::Risk,
    needs: &["port.mode", "port.native-vlan", "role"],
    policy: &["role.expect.port.native-vlan", "role.vlans", "vlans.purpose = native"],
    reference: "IEEE 802.1Q, 6.9 (PVID)",
    why: "Untagged frames on a trunk fall into its native VLAN. If the two ends differ, or it is not the one set \
          aside for it, traffic leaks from one VLAN into another.",
    remedy: "Set the native VLAN to {wanted}.",
    judges: &[settings::NATIVE_VLAN.id],
    repair: Repair::Set(&[(settings::NATIVE_VLAN.id, Aim::Fact("wanted"))]),
    run: Run::Port(native_wrong),
    ..Check::ROW
};

/// The native VLANs that are right, and who says so.
fn native_wanted<'a>(port: &PortView<'a>, role: &'a Role) -> Option<(VlanSet, &'a Cite)> {
    if let Some(wished) = &role.expect.native {
        return Some(([wished.value].into_iter().collect(), &wished.cite));
    }
    if role.faces.is_untagged_host() {
        return (!role.vlans.is_empty()).then(|| (role.vlans.clone(), role.cite("vlans")));
    }
    let first = port.on().site_vlans_for(Purpose::Native).next()?;
    let mut wanted: VlanSet = port.on().site_vlans_for(Purpose::Native).map(|v| v.id).collect();
    if role.faces == Faces::AccessPoint {
        wanted = wanted.union(&role.vlans);
    }
    Some((wanted, &first.cite))
}

fn native_wrong(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if role.faces == Faces::Nothing || port.mode()? != Mode::Trunk {
        return Ok(Verdict::NotApplicable);
    }
    let Some((wanted, cite)) = native_wanted(port, role) else { return Ok(Verdict::NotApplicable) };
    let Some(native) = port.known(settings::NATIVE_VLAN)? else { return Ok(Verdict::Met) };
    if wanted.contains(native) {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::NATIVE_VLAN.id, "the native VLAN is {vlan}; the policy wants {wanted} for role {role}")
        .fact("vlan", u32::from(native.get()))
        .fact("wanted", wanted.to_string())
        .vlan(Some(native))
        .demand(cite)
        .into()
}

pub(super) const NATIVE_IN_USE: Check = Check {
    id: "port/native-in-use",
    title: "a trunk's native VLAN is also a user VLAN",
    level: Level::Risk,
    needs: &["port.mode", "port.native-vlan"],
    policy: &["vlans.purpose"],
    reference: "IEEE 802.1Q, 6.9 and 9.3",
    why: "A host in the native VLAN can send a frame with two tags: the first switch takes the outer one off, the \
          next obeys the inner one, and the frame hops into a VLAN its sender may not reach.",
    remedy: "Give the trunk a native VLAN with nobody in it.",
    repair: Repair::Work(move_native),
    run: Run::Port(native_in_use),
    ..Check::ROW
};

fn native_in_use(port: &PortView<'_>) -> Judgement {
    if port.mode()? != Mode::Trunk {
        return Ok(Verdict::NotApplicable);
    }
    let Some(native) = port.known(settings::NATIVE_VLAN)? else { return Ok(Verdict::Met) };
    let site = port.site_vlan(native);
    let purpose =
        site.and_then(|v| v.purpose).ok_or_else(|| Unknown::fact("policy: the purpose of the native VLAN"))?;
    let Some(site) = site.filter(|_| purpose.is_user()) else { return Ok(Verdict::Met) };
    Violation::of(settings::NATIVE_VLAN.id, "the native VLAN {vlan} is also a user VLAN: {name}, purpose {purpose}")
        .fact("vlan", u32::from(native.get()))
        .fact("name", site.name.clone().unwrap_or_else(|| "unnamed".into()))
        .fact("purpose", purpose.word())
        .vlan(Some(native))
        .demand(&site.cite)
        .into()
}

/// A VLAN that is nobody's.
fn move_native(case: &Case<'_>) -> Mending {
    let Some(on) = case.on else { return Mending::Person };
    if is_no_trunk(case) {
        return Mending::Person;
    }
    let nobodys = on.policy().vlans_for(on.switch().name(), Purpose::Native).map(|vlan| vlan.id);
    case.one_vlan(settings::NATIVE_VLAN.id, &nobodys.collect())
}

/// The VLANs that its role needs, and no other.
fn list_needed(case: &Case<'_>) -> Mending {
    let Some(needed) = case.vlans("needed").filter(|_| !is_no_trunk(case)) else { return Mending::Person };
    Mending::of(case.set(settings::TAGGED_VLANS.id, Value::Vlans(Arc::new(needed))))
}

/// Where no trunk belongs its mode is what is wrong.
fn is_no_trunk(case: &Case<'_>) -> bool {
    case.role().is_some_and(|role| role.faces.is_untagged_host())
}
