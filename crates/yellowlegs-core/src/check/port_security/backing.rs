//! An address can be copied: what stands behind it.

use crate::check::{Check, Judgement, PortView, Run, Unknown, Verdict, Violation};
use crate::model::settings;
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
    judges: &[],
    absorbs: &[],
    run: Run::Port(name_only),
};

fn name_only(port: &PortView<'_>) -> Judgement {
    if port.role().is_ok_and(|role| role.faces.is_bridge()) || !port.security_in_force()? {
        return Ok(Verdict::NotApplicable);
    }
    let backings = [port.known(settings::AUTHENTICATION), source_guard(port), inspection(port)];
    if backings.iter().any(|b| *b == Ok(true)) {
        return Ok(Verdict::Met);
    }
    let mut needs: Vec<&'static str> = backings.into_iter().filter_map(Result::err).flat_map(|u| u.needs).collect();
    if !needs.is_empty() {
        needs.sort_unstable();
        needs.dedup();
        return Err(Unknown { needs });
    }
    let says = "neither source guard nor ARP inspection with bindings nor port authentication backs the address";
    Violation::of(settings::SOURCE_GUARD.id, says)
        .beside(settings::INSPECTION_VLANS.id)
        .beside(settings::AUTHENTICATION.id)
        .into()
}

/// Source guard with bindings under it.
fn source_guard(port: &PortView<'_>) -> Result<bool, Unknown> {
    Ok(port.known(settings::SOURCE_GUARD)? && bindings(port)?)
}

/// ARP inspection in the untagged VLAN, on a port it does not trust, with bindings under it.
fn inspection(port: &PortView<'_>) -> Result<bool, Unknown> {
    let Some(vlan) = port.untagged()?.vlan else { return Ok(false) };
    let inspected = port.known(settings::INSPECTION_VLANS)?.contains(vlan);
    Ok(inspected && !port.known(settings::INSPECTION_TRUSTED)? && bindings(port)?)
}

/// Whether DHCP snooping gathers bindings in the untagged VLAN.
fn bindings(port: &PortView<'_>) -> Result<bool, Unknown> {
    match port.untagged()?.vlan {
        Some(vlan) => port.snooping_in_force(vlan),
        None => Ok(false),
    }
}
