//! Both ends of a link.

use std::sync::Arc;

use crate::check::fleet::{PortDigest, port};
use crate::check::{
    Case, Check, FleetJudgement, FleetView, FleetViolation, Mending, Repair, Run, Target, To, Violation,
};
use crate::finding::Related;
use crate::model::{Mode, SettingId, settings};
use crate::policy::Level;
use crate::resolve::About;

pub(super) const MISMATCH: Check = Check {
    id: "port/peer-mismatch",
    title: "the ends of a link differ in mode, VLANs or MTU",
    level: Level::Risk,
    needs: &["port.mode", "port.native-vlan", "port.tagged-vlans", "port.mtu", "links"],
    uses: &["neighbour"],
    policy: &["link"],
    reference: "IEEE 802.1Q, 6.9 and 8.8.10",
    why: "A VLAN that one end carries and the other does not is cut off. Where the native VLANs differ, the traffic \
          of one leaks into the other. A smaller MTU swallows large frames without a word.",
    remedy: "Make both ends alike.",
    repair: Repair::Work(make_alike),
    run: Run::Fleet(mismatch),
    ..Check::ROW
};

fn mismatch(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    for (a, b) in &fleet.links().all {
        let (here, there) = (port(fleet.switches, *a), port(fleet.switches, *b));
        let (differing, unknown) = differing(here, there);
        if differing.is_empty() {
            judgement.unknown.extend(unknown.map(|needs| (needs, fleet.related(*a))));
            continue;
        }
        let told: Vec<String> = differing.iter().map(|(_, told)| told.clone()).collect();
        let other = fleet.related(*b);
        let name = format!("{} {}", other.switch, other.port.as_deref().unwrap_or_default());
        let first = differing.first().map_or(settings::MODE.id, |(id, _)| *id);
        let violation = Violation::of(first, "this end and {other} differ: {differing}");
        let violation = differing.iter().fold(violation, |violation, (id, _)| violation.beside(*id));
        let violation = violation.fact("other", name).fact("differing", told.join("; ")).related(vec![other.clone()]);
        let mut found = FleetViolation::at(fleet.related(*a), violation);
        found.beside = differing.into_iter().map(|(id, _)| (other.clone(), id)).collect();
        judgement.violations.push(found);
    }
    judgement
}

/// In which settings two ports differ, and a fact that is missing for the rest.
fn differing(a: &PortDigest, b: &PortDigest) -> (Vec<(SettingId, String)>, Option<&'static str>) {
    let mut differing = Vec::new();
    let mut unknown = None;
    let mut compare = |id: SettingId, a: Option<String>, b: Option<String>| match (a, b) {
        (Some(a), Some(b)) if a != b => differing.push((id, format!("{} is {a} here and {b} there", id.name()))),
        (Some(_), Some(_)) => {}
        _ => unknown = Some(id.name()),
    };
    let shown = |vlan: Option<crate::model::VlanId>| vlan.map_or_else(|| "none".to_owned(), |v| v.get().to_string());
    let mode = |port: &PortDigest| port.mode.map(|m| m.to_string());
    compare(settings::MODE.id, mode(a), mode(b));
    let untagged = if a.mode == Some(Mode::Access) { settings::ACCESS_VLAN.id } else { settings::NATIVE_VLAN.id };
    let vlan = |port: &PortDigest| port.untagged.as_ref().ok().map(|vlan| shown(*vlan));
    compare(untagged, vlan(a), vlan(b));
    if a.mode == Some(Mode::Trunk) && b.mode == Some(Mode::Trunk) {
        // A native VLAN that is on a list besides makes no difference.
        let tagged = |port: &PortDigest| {
            let mut set = (**port.tagged.as_ref()?).clone();
            port.native().iter().for_each(|native| set.remove(*native));
            Some(Arc::new(set).to_string())
        };
        compare(settings::TAGGED_VLANS.id, tagged(a), tagged(b));
    }
    compare(settings::MTU.id, a.mtu.map(|m| m.to_string()), b.mtu.map(|m| m.to_string()));
    (differing, unknown)
}

/// One end as the other: somebody says which of them is right.
fn make_alike(case: &Case<'_>) -> Mending {
    let Some(there) = case.finding.related.first() else { return Mending::Person };
    let (Some(name), Some(port)) = (&case.finding.switch, &case.finding.port) else { return Mending::Person };
    let here = Related { switch: Arc::clone(name), port: Some(port.as_str().into()) };
    let copied = |from: &Related, to: &Related| -> Vec<Target> {
        let Some(there) = (case.fleet)(&from.switch) else { return Vec::new() };
        let about = |place: &Related| place.port.as_deref().map(|port| About::Port(port.into()));
        let (Some(from), Some(about)) = (about(from), about(to)) else { return Vec::new() };
        let ids = case.finding.settings.iter().filter_map(|shown| SettingId::by_name(shown.name));
        let each = ids.filter_map(|setting| {
            let value = there.slot_by_hand(&from, setting).value?;
            Some(Target { switch: Arc::clone(&to.switch), about: about.clone(), setting, to: To::Value(value) })
        });
        each.collect()
    };
    let end = |right: &Related| format!("{} {}", right.switch, right.port.as_deref().unwrap_or_default());
    let choices = vec![(end(&here), copied(&here, there)), (end(there), copied(there, &here))];
    Mending::one_of(format!("the link of {}: which end is right?", case.place()), choices)
}
