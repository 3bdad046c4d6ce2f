//! Ports towards other switches that ARP inspection does not trust.

use crate::check::{Aim, Check, FleetJudgement, FleetView, FleetViolation, Repair, Run, Violation};
use crate::model::{VlanSet, settings};
use crate::policy::{Faces, Level};

pub(super) const UNTRUSTED: Check = Check {
    id: "arp-inspection/uplink-untrusted",
    title: "ARP inspection does not trust the way up",
    level: Level::Breach,
    needs: &["arp-inspection.trusted", "arp-inspection.vlans", "role"],
    uses: &["port.tagged-vlans", "port.native-vlan"],
    policy: &["role.faces"],
    reference: "RFC 826",
    why: "Behind the port are stations this switch has no bindings for, the gateway among them. Their ARP messages \
          are dropped, and everybody below is cut off.",
    remedy: "Let ARP inspection trust the port.",
    repair: Repair::Set(&[(settings::INSPECTION_TRUSTED.id, Aim::On)]),
    run: Run::Fleet(untrusted),
    ..Check::ROW
};

fn untrusted(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    for (number, digest) in fleet.switches.iter().enumerate() {
        let Some(inspected) = &digest.serves.inspected else {
            judgement.unknown.push(("arp-inspection.vlans", fleet.related_switch(number)));
            continue;
        };
        for (index, port) in digest.ports.iter().enumerate().filter(|(_, p)| p.faces == Some(Faces::BridgeUp)) {
            let at = (number, index);
            let carried: VlanSet = inspected
                .common(&digest.serves.edge_vlans.to_set())
                .iter()
                .filter(|vlan| port.carries(*vlan))
                .collect();
            if carried.is_empty() || port.inspection_trusted == Some(true) {
                continue;
            }
            if port.inspection_trusted.is_none() {
                judgement.unknown.push(("arp-inspection.trusted", fleet.related(at)));
                continue;
            }
            let says =
                "ARP inspection acts in VLAN {vlans} and does not trust this port, which leads to everybody else";
            let violation = Violation::of(settings::INSPECTION_TRUSTED.id, says)
                .beside(settings::INSPECTION_VLANS.id)
                .fact("vlans", carried.to_string());
            judgement.violations.push(FleetViolation::at(fleet.related(at), violation));
        }
    }
    judgement
}
