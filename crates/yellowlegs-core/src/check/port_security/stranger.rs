//! Stations that nobody listed.

use crate::check::{Check, Judgement, PortView, Run, Unknown, Verdict, Violation};
use crate::model::{Fact, StationAddress, facts};
use crate::policy::Level;

pub(super) const STRANGER: Check = Check {
    id: "port-security/stranger",
    title: "a station is seen that the inventory does not list",
    level: Level::Breach,
    needs: &["station", "role"],
    uses: &[],
    policy: &["inventory.stations"],
    reference: "docs/policy.md, Inventory",
    why: "Somebody brought a machine that is nobody's. It may be a visitor's; it may be what records the traffic.",
    remedy: "Find out what {stations} is: list it, or take it off the port.",
    run: Run::Port(stranger),
    ..Check::ROW
};

/// Only edge ports are looked at: behind the others are other switches' stations.
fn stranger(port: &PortView<'_>) -> Judgement {
    let Some(inventory) = &port.policy().stations else { return Ok(Verdict::NotApplicable) };
    let switch = port.switch();
    // Of this switch nobody keeps any state.
    if switch.facts().is_empty() {
        return Ok(Verdict::NotApplicable);
    }
    if port.facts(facts::station::FACT).next().is_none() {
        return Err(Unknown::fact("station"));
    }
    if !port.role()?.faces.is_edge() {
        return Ok(Verdict::NotApplicable);
    }
    let strange = |fact: &Fact| -> Option<StationAddress> {
        fact.get(facts::station::ADDRESS).filter(|station| inventory.get(*station).is_none())
    };
    let mut strangers: Vec<(StationAddress, &Fact)> =
        port.facts(facts::station::FACT).filter_map(|fact| Some((strange(fact)?, fact))).collect();
    strangers.sort_by_key(|(station, _)| *station);
    strangers.dedup_by_key(|(station, _)| *station);
    if strangers.is_empty() {
        return Ok(Verdict::Met);
    }
    let names: Vec<String> = strangers.iter().map(|(station, _)| station.to_string()).collect();
    let violation = Violation::saying("{count} station(s) that the inventory does not list: {stations}")
        .fact("count", strangers.len() as u32)
        .fact("stations", names.join(", "));
    strangers.iter().fold(violation, |violation, (_, fact)| violation.and_line(Some(fact.mark))).into()
}
