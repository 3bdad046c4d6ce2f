//! An address can be copied: what stands behind it.

use crate::check::{Case, Check, Judgement, Mending, PortView, Repair, Run, Unknown, Verdict, Violation};
use crate::model::{VlanId, settings};
use crate::policy::Level;

pub(super) const NAME_ONLY: Check = Check {
    id: "port-security/name-only",
    title: "nothing backs the station's address",
    level: Level::Advice,
    needs: &[
        "port-security.enabled",
        "port.mode",
        "source-guard.enabled",
        "arp-inspection.vlans",
        "arp-inspection.trusted",
        "authentication.enabled",
        "dhcp-snooping.enabled",
        "dhcp-snooping.vlans",
        "snooping-switches",
    ],
    uses: &["role"],
    policy: &["role.faces"],
    reference: "IEEE 802.1X; RFC 2131",
    why: "A station address is a name-tag: anybody can wear it. Source guard and ARP inspection tie it to the \
          address the DHCP server gave, port authentication ties it to a person; without one of them port security \
          stops only the honest.",
    remedy: "Put source guard or ARP inspection, with DHCP snooping under it, or port authentication on the port.",
    repair: Repair::Work(back_up),
    run: Run::Port(name_only),
    ..Check::ROW
};

fn name_only(port: &PortView<'_>) -> Judgement {
    if port.role().is_ok_and(|role| role.faces.is_bridge()) || !port.security_in_force()? {
        return Ok(Verdict::NotApplicable);
    }
    // A port in no VLAN has nothing to guard.
    if port.untagged()?.vlan.is_none() && port.tagged()?.is_none_or(|set| set.is_empty()) {
        return Ok(Verdict::NotApplicable);
    }
    // The prerequisite says it for whatever it holds back.
    for feature in ["dhcp-snooping", "arp-inspection", "source-guard"] {
        if port.on().is_held_back(feature)? {
            return Ok(Verdict::NotApplicable);
        }
    }
    let backings = [port.known(settings::AUTHENTICATION), source_guard(port), inspection(port)];
    if backings.contains(&Ok(true)) {
        return Ok(Verdict::Met);
    }
    let mut needs: Vec<&'static str> = backings.into_iter().filter_map(Result::err).flat_map(|u| u.needs).collect();
    if !needs.is_empty() {
        needs.sort_unstable();
        needs.dedup();
        return Err(Unknown { needs: needs.into() });
    }
    let guard = settings::SOURCE_GUARD.id;
    let says = "neither source guard nor ARP inspection nor port authentication backs the address";
    let mut violation = Violation::of(guard, says);
    if port.known(settings::SOURCE_GUARD)? || inspected(port)? {
        let vlan = port.untagged()?.vlan.map_or_else(|| "no VLAN".into(), |v| format!("VLAN {v}"));
        let says = "DHCP snooping gathers no bindings in {vlan}, so source guard and ARP inspection back nothing, \
                    and no port authentication backs the address";
        violation = Violation::of(guard, says).fact("vlan", vlan).beside(settings::SNOOPING_VLANS.id);
    }
    violation.beside(settings::INSPECTION_VLANS.id).beside(settings::AUTHENTICATION.id).into()
}

/// Source guard with bindings under it.
fn source_guard(port: &PortView<'_>) -> Result<bool, Unknown> {
    Ok(port.known(settings::SOURCE_GUARD)? && bindings(port)?)
}

/// ARP inspection in what is guarded, on a port it does not trust, with bindings under it.
fn inspection(port: &PortView<'_>) -> Result<bool, Unknown> {
    Ok(inspected(port)? && bindings(port)?)
}

/// The VLAN that is guarded, the untagged one; where there is none, those that the role uses tagged.
fn guarded(port: &PortView<'_>) -> Result<Vec<VlanId>, Unknown> {
    match port.untagged()?.vlan {
        Some(vlan) => Ok(vec![vlan]),
        None => Ok(port.used_by_edge()?.iter().collect()),
    }
}

fn inspected(port: &PortView<'_>) -> Result<bool, Unknown> {
    let (guarded, covered) = (guarded(port)?, port.known(settings::INSPECTION_VLANS)?);
    let all = !guarded.is_empty() && guarded.iter().all(|vlan| covered.contains(*vlan));
    Ok(all && !port.known(settings::INSPECTION_TRUSTED)?)
}

/// Whether DHCP snooping gathers bindings in what is guarded.
fn bindings(port: &PortView<'_>) -> Result<bool, Unknown> {
    let guarded = guarded(port)?;
    for vlan in &guarded {
        if !port.snooping_in_force(*vlan)? {
            return Ok(false);
        }
    }
    Ok(!guarded.is_empty())
}

/// Source guard, where DHCP snooping gathers bindings in the port's VLAN; or the site bears it. Once for each role.
fn back_up(case: &Case<'_>) -> Mending {
    let Some(port) = case.port() else { return Mending::Person };
    let snooped = port.untagged().ok().and_then(|carried| carried.vlan);
    if !snooped.is_some_and(|vlan| port.snooping_in_force(vlan) == Ok(true)) {
        return Mending::Person;
    }
    let Some(guard) = case.flag(settings::SOURCE_GUARD.id, true) else { return Mending::Person };
    let whose = case.finding.role.as_ref().map_or_else(|| case.place(), |role| format!("ports of role {role}"));
    let asks = format!("{whose}: an address can be copied. Is source guard to stand behind port security?");
    let choices = vec![("source guard".into(), vec![guard]), ("as it is".into(), Vec::new())];
    Mending::one_of(asks, choices).decided_once(format!("{} {whose}", case.finding.check))
}
