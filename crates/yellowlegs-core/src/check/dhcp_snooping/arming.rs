//! Whether DHCP snooping is on, wholly, and where it is needed.

use crate::check::arming::{Arming, SNOOPING, cover, half, throw, used_by_edges};
use crate::check::{Case, Check, Judgement, Mending, Repair, Run, SwitchView, Tally, Verdict, Violation};
use crate::model::{VlanSet, settings};
use crate::policy::{Feature, Level};

const NEEDS: &[&str] = &["dhcp-snooping.enabled", "dhcp-snooping.vlans", "snooping-switches"];
const USES: &[&str] =
    &["port.mode", "port.access-vlan", "port.native-vlan", "port.voice-vlan", "port.tagged-vlans", "role"];

pub(super) const PREREQUISITE: Check = Check {
    id: "dhcp-snooping/prerequisite",
    title: "what the platform needs first is not in force",
    level: Level::Breach,
    needs: &["platform.ready"],
    uses: &["platform.pending", "dhcp-snooping.enabled", "arp-inspection.enabled", "source-guard.enabled"],
    policy: &["role.expect.dhcp-snooping"],
    reference: "docs/dialects.md, Every key ([[requires]])",
    why: "The lines stand in the configuration, and the platform does nothing about them until something else is in \
          force. Everything that builds on it is held back with it.",
    remedy: "Bring {ready} into force first{restart}; then look whether {feature} acts.",
    run: Run::Switch(prerequisite),
    ..Check::ROW
};

fn prerequisite(on: &SwitchView<'_>) -> Judgement {
    let requires: Vec<_> = on.requires().iter().filter(|r| on.is_about(&r.feature)).collect();
    if requires.is_empty() {
        return Ok(Verdict::NotApplicable);
    }
    let mut tally = Tally::default();
    for requirement in requires {
        // What is written and waits for a restart has a check of its own.
        let lacking = on.lacks(requirement).and_then(|lacking| Ok(lacking && !on.waits_for_restart(requirement)?));
        tally.add(lacking.map(|lacking| {
            lacking.then(|| {
                let restart = if requirement.restart { "; it takes effect after a restart" } else { "" };
                Violation::of(settings::READY.id, "{feature} needs {ready} first, and that is not in force")
                    .fact("feature", &*requirement.feature)
                    .fact("ready", &*requirement.ready)
                    .fact("restart", restart)
                    .and_line(requirement.mark)
            })
        }));
    }
    tally.judgement()
}

pub(super) const OFF: Check = Check {
    id: "dhcp-snooping/off",
    title: "DHCP snooping is wanted and not on at all",
    level: Level::Breach,
    needs: NEEDS,
    uses: USES,
    policy: &["role.expect.dhcp-snooping", "site.snooping-vlans"],
    reference: "RFC 2131",
    why: "Anybody's home router can hand out addresses, and whoever takes one sends everything through it.",
    remedy: "Trust the ports on the way to the authorised servers first, then switch snooping on for VLAN {vlans}.",
    repair: Repair::Work(switch_on),
    run: Run::Switch(off),
    ..Check::ROW
};

/// Whether something the feature needs first holds it back: the prerequisite says so then.
fn is_held_back(on: &SwitchView<'_>) -> Result<bool, crate::check::Unknown> {
    on.is_held_back("dhcp-snooping")
}

fn off(on: &SwitchView<'_>) -> Judgement {
    if !matches!(on.arming(SNOOPING)?, Arming::Off) {
        return Ok(Verdict::Met);
    }
    if is_held_back(on)? {
        return Ok(Verdict::NotApplicable);
    }
    let mut tally = Tally::default();
    let used = on.edge_vlans(Feature::DhcpSnooping, &VlanSet::default(), &mut tally);
    let role = used.values().next().and_then(|port| on.policy().roles.get(on.assigned(*port)?.role));
    let site = &on.policy().site.snooping_vlans;
    let wanted = used.into_keys().collect::<VlanSet>().union(&site.value);
    if wanted.is_empty() {
        // Nobody who is known needs it; whoever is not known may.
        tally.judgement()?;
        return Ok(Verdict::NotApplicable);
    }
    let says = "DHCP snooping is off, and edge ports are in VLAN {vlans}: anybody may hand out addresses";
    let missing = if on.platform(SNOOPING.needed, "global")? { SNOOPING.global.id } else { SNOOPING.vlans.id };
    let demand = role.map_or(&site.cite, |role| &role.expect.wish(Feature::DhcpSnooping).cite);
    Violation::of(missing, says).fact("vlans", wanted.to_string()).demand(demand).into()
}

pub(super) const NOT_ARMED: Check = Check {
    id: "dhcp-snooping/not-armed",
    title: "DHCP snooping is half switched on",
    level: Level::Breach,
    needs: NEEDS,
    uses: &["dhcp-snooping.trusted", "dhcp-snooping.rate-limit", "dhcp-snooping.relay-info", "dhcp-snooping.store"],
    reference: "docs/dialects.md, Traits",
    why: "The feature has several switches that must all be thrown. Half of them looks configured and does nothing.",
    remedy: "Set {missing} too.",
    absorbs: &["dhcp-snooping/off"],
    repair: Repair::Work(switch_on),
    run: Run::Switch(not_armed),
    ..Check::ROW
};

fn not_armed(on: &SwitchView<'_>) -> Judgement {
    match on.arming(SNOOPING)? {
        Arming::Half { .. } if is_held_back(on)? => Ok(Verdict::NotApplicable),
        Arming::Half { missing, given } => {
            half("{given} is set, {missing} is not: DHCP snooping does nothing", missing, given).into()
        }
        Arming::Armed | Arming::Off => Ok(Verdict::Met),
    }
}

pub(super) const VLAN_UNCOVERED: Check = Check {
    id: "dhcp-snooping/vlan-uncovered",
    title: "a VLAN of edge ports is not covered by DHCP snooping",
    level: Level::Breach,
    needs: NEEDS,
    uses: USES,
    policy: &["role.expect.dhcp-snooping", "site.snooping-vlans"],
    reference: "RFC 2131",
    why: "In that VLAN anybody may hand out addresses, and there are no bindings for source guard and ARP inspection \
          to live off.",
    remedy: "Add VLAN {vlan} to the VLANs that snooping covers, once the way to its server is trusted.",
    repair: Repair::Work(cover_one),
    run: Run::Switch(vlan_uncovered),
    ..Check::ROW
};

fn vlan_uncovered(on: &SwitchView<'_>) -> Judgement {
    // What is held back is covered once it is in force, or is not.
    if !on.is_armed(SNOOPING)? {
        return Ok(Verdict::NotApplicable);
    }
    let covered = on.covered(SNOOPING.needed, SNOOPING.global, SNOOPING.vlans)?;
    let mut tally = Tally::default();
    let used = on.edge_vlans(Feature::DhcpSnooping, &covered, &mut tally);
    let says = "VLAN {vlan} is used by edge ports and DHCP snooping does not cover it";
    for (vlan, port) in &used {
        let violation = Violation::of(settings::SNOOPING_VLANS.id, says).related(vec![on.related(*port)]);
        tally.add(Ok(Some(violation.fact("vlan", u32::from(vlan.get())).vlan(Some(*vlan)))));
    }
    let site = &on.policy().site.snooping_vlans;
    if !site.value.is_empty() {
        let defined = on.known(settings::VLANS)?;
        for vlan in site.value.minus(&covered).iter().filter(|v| defined.contains(*v) && !used.contains_key(v)) {
            let violation = Violation::of(settings::SNOOPING_VLANS.id, "VLAN {vlan} is not covered by DHCP snooping");
            let violation = violation.fact("vlan", u32::from(vlan.get())).vlan(Some(vlan));
            tally.add(Ok(Some(violation.demand(&site.cite))));
        }
    }
    tally.judgement()
}

/// For every VLAN that edge ports use, and those that the site names.
fn switch_on(case: &Case<'_>) -> Mending {
    let used = used_by_edges(case, Feature::DhcpSnooping);
    throw(case, SNOOPING, &used.union(&case.policy.site.snooping_vlans.value))
}

/// The VLAN that is not covered.
fn cover_one(case: &Case<'_>) -> Mending {
    cover(case, settings::SNOOPING_VLANS.id)
}
