//! Queriers that cannot ask.

use super::snooping::snooped;
use crate::check::{Case, Check, Judgement, Mending, Repair, Run, SwitchView, Tally, Unknown, Violation};
use crate::model::{VlanId, VlanSet, settings};
use crate::policy::Level;

pub(super) const NO_ADDRESS: Check = Check {
    id: "multicast/querier-no-address",
    title: "a querier has no address to ask from",
    level: Level::Risk,
    needs: &["vlan.querier", "vlan.querier-address", "multicast.querier-address", "switch.vlans"],
    uses: &["multicast.snooping-vlans"],
    reference: "RFC 4541, 2.1.1; RFC 2236, 2",
    why: "Without an address its queries are sent from 0.0.0.0, which many receivers ignore, or not at all.",
    remedy: "Give the querier of VLAN {vlan} an address.",
    repair: Repair::Work(give_address),
    run: Run::Switch(no_address),
    ..Check::ROW
};

fn no_address(on: &SwitchView<'_>) -> Judgement {
    let mut tally = Tally::default();
    let defined = on.known(settings::VLANS)?;
    let more = snooped(on).map(|set| if set.is_all() { VlanSet::default() } else { (*set).clone() });
    for vlan in defined.union(&more.unwrap_or_default()).iter() {
        tally.add(asks_from_nowhere(on, vlan).map(|bare| {
            let says = "the querier of VLAN {vlan} is on and has no address to ask from";
            let violation = || {
                Violation::of(settings::VLAN_QUERIER_ADDRESS.id, says)
                    .beside(settings::QUERIER.id)
                    .beside(settings::QUERIER_ADDRESS.id)
                    .fact("vlan", u32::from(vlan.get()))
            };
            bare.then(|| violation().vlan(Some(vlan)))
        }));
    }
    tally.judgement()
}

fn asks_from_nowhere(on: &SwitchView<'_>, vlan: VlanId) -> Result<bool, Unknown> {
    if !on.of_vlan(vlan, settings::QUERIER)? || on.of_vlan(vlan, settings::VLAN_QUERIER_ADDRESS)?.is_some() {
        return Ok(false);
    }
    Ok(on.known(settings::QUERIER_ADDRESS)?.is_none())
}

/// An address of the switch's own: somebody says which.
fn give_address(case: &Case<'_>) -> Mending {
    case.any_value(settings::VLAN_QUERIER_ADDRESS.id)
}
