//! Claims without a port: a table of ARP names stations, and the address table says where they are.

use std::collections::HashMap;

use crate::model::{Fact, StationAddress, Value, VlanId, facts};

/// Gives each claim without a port the one at which the address table has its station.
pub(super) fn place(facts: &mut [Fact]) {
    let at = facts::claim::FACT.field("port");
    let is_placed = |fact: &Fact| fact.kind != facts::claim::FACT || fact.port().is_some();
    let (Some(at), false) = (at, facts.iter().all(is_placed)) else { return };
    let mut heard: HashMap<StationAddress, Vec<(Option<VlanId>, Value)>> = HashMap::new();
    for row in facts.iter().filter(|fact| fact.kind == facts::station::FACT) {
        let (Some(address), Some(port)) = (row.get(facts::station::ADDRESS), row.port()) else { continue };
        let vlan = row.get(facts::station::VLAN).flatten();
        heard.entry(address).or_default().push((vlan, Value::Port(Some(port.clone()))));
    }
    for claim in facts.iter_mut().filter(|fact| !is_placed(fact)) {
        let vlan = claim.get(facts::claim::VLAN).flatten();
        let rows = claim.get(facts::claim::ADDRESS).and_then(|address| heard.get(&address));
        let fits = |row: &&(Option<VlanId>, Value)| row.0.zip(vlan).is_none_or(|(heard, claimed)| heard == claimed);
        let mut rows = rows.into_iter().flatten().filter(fits);
        // Heard in two places it is nobody's.
        if let (Some((_, port)), None) = (rows.next(), rows.next()) {
            claim.fields.get_mut(at).into_iter().for_each(|field| *field = Some(port.clone()));
        }
    }
}
