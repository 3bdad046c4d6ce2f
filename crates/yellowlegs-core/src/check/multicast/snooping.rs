//! Whether multicast snooping is on, wholly, and where receivers are.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::check::arming::{Arming, MULTICAST, cover, half, throw};
use crate::check::{Aim, Case, Check, Judgement, Mending, Repair, Run, SwitchView, Tally, Unknown, Verdict, Violation};
use crate::model::{SettingId, VlanId, VlanSet, settings};
use crate::policy::{Level, Purpose, Wish};

const NEEDS: &[&str] = &["multicast.snooping", "multicast.snooping-vlans", "multicast.filtering", "multicast-switches"];

pub(super) const OFF: Check = Check {
    id: "multicast/snooping-off",
    title: "multicast snooping is off",
    level: Level::Breach,
    needs: NEEDS,
    policy: &["site.multicast-snooping"],
    reference: "RFC 4541, 2.1",
    why: "Every stream goes to every port of its VLAN. A few cameras fill the links of everybody who looks at none.",
    remedy: "Switch multicast snooping on, with one querier in each VLAN.",
    repair: Repair::Work(switch_on),
    run: Run::Switch(off),
    ..Check::ROW
};

/// How far snooping is on; its filter for unregistered groups is one of its switches.
fn arming(on: &SwitchView<'_>) -> Result<Arming, Unknown> {
    let filter = settings::FILTERING.id;
    on.known(settings::FILTERING)?;
    Ok(match on.arming(MULTICAST)? {
        Arming::Half { missing, mut given } if on.is_written(filter) => {
            given.push(filter);
            Arming::Half { missing, given }
        }
        Arming::Off if on.is_written(filter) => Arming::Half { missing: missing(on)?, given: vec![filter] },
        arming => arming,
    })
}

fn missing(on: &SwitchView<'_>) -> Result<SettingId, Unknown> {
    Ok(if on.platform(MULTICAST.needed, "global")? { MULTICAST.global.id } else { MULTICAST.vlans.id })
}

fn off(on: &SwitchView<'_>) -> Judgement {
    let wished = &on.policy().site.multicast;
    if wished.value != Wish::Wanted {
        return Ok(Verdict::NotApplicable);
    }
    match arming(on)? {
        Arming::Off => Violation::of(missing(on)?, "multicast snooping is off").demand(&wished.cite).into(),
        Arming::Armed | Arming::Half { .. } => Ok(Verdict::Met),
    }
}

pub(super) const NOT_ARMED: Check = Check {
    id: "multicast/not-armed",
    title: "multicast snooping is half switched on",
    level: Level::Breach,
    needs: NEEDS,
    uses: &["multicast.fast-leave", "multicast.router-port", "multicast.forward-all", "multicast.querier-address"],
    reference: "docs/dialects.md, Traits",
    why: "The feature has several switches that must all be thrown. Half of them looks configured and does nothing.",
    remedy: "Set {missing} too.",
    absorbs: &["multicast/snooping-off"],
    repair: Repair::Work(switch_on),
    run: Run::Switch(not_armed),
    ..Check::ROW
};

fn not_armed(on: &SwitchView<'_>) -> Judgement {
    match arming(on)? {
        Arming::Half { missing, given } => {
            half("{given} is set, {missing} is not: multicast snooping does nothing", missing, given).into()
        }
        Arming::Armed | Arming::Off => Ok(Verdict::Met),
    }
}

pub(super) const FLOODING: Check = Check {
    id: "multicast/flooding",
    title: "unregistered groups are flooded",
    level: Level::Risk,
    needs: NEEDS,
    policy: &["site.multicast-snooping"],
    reference: "RFC 4541, 2.1.2",
    why: "A stream nobody asked for goes to everybody, and so does every stream the moment its memberships expire.",
    remedy: "Filter unregistered groups.",
    repair: Repair::Set(&[(settings::FILTERING.id, Aim::On)]),
    run: Run::Switch(flooding),
    ..Check::ROW
};

fn flooding(on: &SwitchView<'_>) -> Judgement {
    let wished = &on.policy().site.multicast;
    if wished.value != Wish::Wanted || !on.is_armed(MULTICAST)? {
        return Ok(Verdict::NotApplicable);
    }
    if on.known(settings::FILTERING)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::FILTERING.id, "snooping is on, and groups nobody has registered for are flooded")
        .demand(&wished.cite)
        .into()
}

/// The VLANs snooping acts in.
pub(in crate::check) fn snooped(on: &SwitchView<'_>) -> Result<Arc<VlanSet>, Unknown> {
    on.covered(MULTICAST.needed, MULTICAST.global, MULTICAST.vlans)
}

pub(super) const VLAN_UNCOVERED: Check = Check {
    id: "multicast/vlan-uncovered",
    title: "a VLAN of receivers is not snooped",
    level: Level::Breach,
    needs: NEEDS,
    uses: &["port.mode", "port.access-vlan", "port.native-vlan", "role"],
    policy: &["role.receiver", "vlans.purpose = real-time"],
    reference: "RFC 4541, 2.1",
    why: "In that VLAN every stream goes to every port.",
    remedy: "Let multicast snooping cover VLAN {vlan}, with one querier in it.",
    repair: Repair::Work(cover_one),
    run: Run::Switch(vlan_uncovered),
    ..Check::ROW
};

fn vlan_uncovered(on: &SwitchView<'_>) -> Judgement {
    if on.policy().site.multicast.value != Wish::Wanted || !on.is_armed(MULTICAST)? {
        return Ok(Verdict::NotApplicable);
    }
    let snooped = snooped(on)?;
    let mut tally = Tally::default();
    let mut open: BTreeMap<VlanId, usize> = BTreeMap::new();
    for port in on.unlike_ports() {
        let role = port.role();
        if role.as_ref().is_ok_and(|role| !role.faces.is_edge()) {
            continue;
        }
        let untagged = match port.untagged() {
            Ok(untagged) => untagged.vlan,
            Err(unknown) => {
                tally.add(Err(unknown));
                continue;
            }
        };
        let Some(vlan) = untagged.filter(|vlan| !snooped.contains(*vlan)) else { continue };
        let site = on.site_vlan(vlan);
        let real_time = site.is_some_and(|v| v.purpose == Some(Purpose::RealTime));
        match role {
            Ok(role) if role.receiver || real_time => _ = open.entry(vlan).or_insert(port.port()),
            Err(unknown) if real_time => tally.add(Err(unknown)),
            Ok(_) | Err(_) => {}
        }
    }
    for (vlan, port) in open {
        let says = "receivers are in VLAN {vlan}, and multicast snooping does not cover it";
        let violation = Violation::of(settings::MULTICAST_VLANS.id, says).fact("vlan", u32::from(vlan.get()));
        tally.add(Ok(Some(violation.vlan(Some(vlan)).related(vec![on.related(port)]))));
    }
    tally.judgement()
}

pub(super) const ROUTER_LEARNING_OFF: Check = Check {
    id: "multicast/router-learning-off",
    title: "router ports are not learned",
    level: Level::Risk,
    needs: &["vlan.router-learning", "multicast.snooping", "multicast.snooping-vlans", "multicast-switches"],
    uses: &["switch.vlans"],
    policy: &["site.multicast-snooping"],
    reference: "RFC 4541, 2.1.1",
    why: "Streams from this switch never reach the router or the querier behind which their receivers are.",
    remedy: "Let router ports be learned in VLAN {vlan}.",
    repair: Repair::Set(&[(settings::ROUTER_LEARNING.id, Aim::On)]),
    run: Run::Switch(router_learning_off),
    ..Check::ROW
};

fn router_learning_off(on: &SwitchView<'_>) -> Judgement {
    if !on.is_armed(MULTICAST)? {
        return Ok(Verdict::NotApplicable);
    }
    let mut tally = Tally::default();
    for vlan in snooped(on)?.common(&*on.known(settings::VLANS)?).iter() {
        tally.add(on.of_vlan(vlan, settings::ROUTER_LEARNING).map(|learned| {
            let says = "router ports are not learned in VLAN {vlan}";
            let violation = || Violation::of(settings::ROUTER_LEARNING.id, says).fact("vlan", u32::from(vlan.get()));
            (!learned).then(|| violation().vlan(Some(vlan)))
        }));
    }
    tally.judgement()
}

/// For every VLAN of real-time traffic that there is.
fn switch_on(case: &Case<'_>) -> Mending {
    let Some(on) = case.on else { return Mending::Person };
    let real_time = on.policy().vlans_for(on.switch().name(), Purpose::RealTime).map(|vlan| vlan.id);
    let there = on.known(settings::VLANS).ok();
    let known = |vlan: &VlanId| there.as_ref().is_none_or(|there| there.contains(*vlan));
    throw(case, MULTICAST, &real_time.filter(known).collect())
}

/// The VLAN that is not covered.
fn cover_one(case: &Case<'_>) -> Mending {
    cover(case, settings::MULTICAST_VLANS.id)
}
