//! The bridge (RFC 4188, BRIDGE-MIB; RFC 4363, Q-BRIDGE-MIB): its ports, and the stations it has heard.

use std::collections::BTreeMap;

use super::super::objects::{Object, station};
use super::super::teller::{Open, Teller};
use crate::model::{Choice, Fact, Learned, Value, VlanId, facts};

pub(in super::super) const INTERFACE: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 1, 4, 1, 2];
pub(in super::super) const FRAMES: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 5, 1, 2];
pub(in super::super) const FILTERING: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 5, 1, 3];
/// dot1dTpFdbPort, by address.
pub(in super::super) const HEARD: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 4, 3, 1, 2];
pub(super) const HEARD_HOW: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 4, 3, 1, 3];
/// dot1qTpFdbPort, by filtering database and address.
pub(in super::super) const HEARD_IN: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 7, 1, 2, 2, 1, 2];
pub(in super::super) const HEARD_IN_HOW: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 7, 1, 2, 2, 1, 3];
/// dot1qVlanFdbId, by time and VLAN.
pub(in super::super) const DATABASE: &[u32] = &[1, 3, 6, 1, 2, 1, 17, 7, 1, 4, 2, 1, 3];

/// How an entry came: learned, or by management. What is the bridge's own, invalid or of another way is no station on a port.
pub(in super::super) const HOW: [(i64, Option<Learned>); 5] =
    [(1, None), (2, None), (3, Some(Learned::Learned)), (4, None), (5, Some(Learned::Written))];

pub(super) fn tell(teller: &mut Teller<'_>) {
    let vlans = databases(teller);
    let mut any = false;
    for (index, object) in teller.objects.below(HEARD_IN) {
        any = true;
        let Some((database, address)) = index.split_first() else { continue };
        let vlan = vlans.get(database).copied().flatten();
        heard(teller, object, address, vlan, teller.objects.at(HEARD_IN_HOW, index));
    }
    // The older table is the same without VLANs.
    for (index, object) in teller.objects.below(HEARD).filter(|_| !any) {
        heard(teller, object, index, None, teller.objects.at(HEARD_HOW, index));
    }
}

/// The VLAN of each filtering database; none where several VLANs share one.
fn databases(teller: &Teller<'_>) -> BTreeMap<u32, Option<VlanId>> {
    let mut of: BTreeMap<u32, Option<VlanId>> = BTreeMap::new();
    for (index, object) in teller.objects.below(DATABASE) {
        let database = object.number(teller.text).and_then(|number| u32::try_from(number).ok());
        let vlan = index.last().and_then(|vlan| VlanId::new((*vlan).into()).ok());
        if let (Some(database), Some(vlan)) = (database, vlan) {
            of.entry(database).and_modify(|known| *known = known.filter(|known| *known == vlan)).or_insert(Some(vlan));
        }
    }
    of
}

fn heard(teller: &mut Teller<'_>, object: &Object, address: &[u32], vlan: Option<VlanId>, how: Option<&Object>) {
    use facts::station as told;
    let open = Open { kind: Some(told::FACT), ..Open::default() };
    let number = object.number(teller.text).and_then(|number| u32::try_from(number).ok());
    let (Some(address), Some(number)) = (station(address.iter().copied()), number) else {
        return teller.miss(object, open);
    };
    let learned = match how {
        None => None,
        Some(how) => match how.number(teller.text).and_then(|how| HOW.iter().find(|(known, _)| *known == how)) {
            Some((_, Some(learned))) => Some(*learned),
            Some((_, None)) => return,
            None => return teller.miss(how, open),
        },
    };
    // 0: heard on no port that is known.
    if number == 0 {
        return;
    }
    let port = teller.ports.of_bridge(number).cloned();
    // What is heard on an aggregate is on no port of its own.
    let Some(port) = port else { return };
    let fact = Fact::new(told::FACT, object.mark)
        .with(told::ADDRESS, Some(Value::Station(address)))
        .with(told::VLAN, vlan.map(|vlan| Value::Vlan(Some(vlan))))
        .with(told::PORT, Some(Value::Port(Some(port))))
        .with(told::KIND, learned.map(|learned| Value::Choice { set: Learned::SET, index: learned.index() }));
    teller.told.facts.push(fact);
}
