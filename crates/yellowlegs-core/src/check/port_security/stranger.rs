//! Stations that nobody listed.

use crate::check::seen::{Heard, QUOTED, distinct, some};
use crate::check::{Check, Judgement, PortView, Run, Verdict, Violation};
use crate::policy::Level;
use crate::sorted;

pub(super) const STRANGER: Check = Check {
    id: "port-security/stranger",
    title: "a station is seen that the inventory does not list",
    level: Level::Breach,
    needs: &["station", "role"],
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
    let Some(heard) = port.stations()? else { return Ok(Verdict::NotApplicable) };
    if !port.role()?.faces.is_edge() {
        return Ok(Verdict::NotApplicable);
    }
    let mut strangers: Vec<Heard<'_>> =
        heard.into_iter().filter(|heard| inventory.get(heard.address).is_none()).collect();
    sorted::by_key(&mut strangers, |heard| heard.address);
    strangers.dedup_by_key(|heard| heard.address);
    if strangers.is_empty() {
        return Ok(Verdict::Met);
    }
    let violation = Violation::saying("{count} station(s) that the inventory does not list: {stations}")
        .fact("count", strangers.len() as u32)
        .fact("stations", some(&distinct(&strangers)));
    strangers.iter().take(QUOTED).fold(violation, |violation, heard| violation.and_line(Some(heard.row.mark))).into()
}
