//! Power over the cable (RFC 3621, POWER-ETHERNET-MIB).

use std::sync::Arc;

use super::super::ports::Ports;
use super::super::teller::{Open, Teller};
use crate::dialect::ObjectForm;
use crate::model::{Fact, Kind, Value, facts};
use crate::sorted;

pub(in super::super) const ADMIN: &[u32] = &[1, 3, 6, 1, 2, 1, 105, 1, 1, 1, 3];
pub(in super::super) const DETECTION: &[u32] = &[1, 3, 6, 1, 2, 1, 105, 1, 1, 1, 6];
pub(in super::super) const CLASS: &[u32] = &[1, 3, 6, 1, 2, 1, 105, 1, 1, 1, 10];
pub(in super::super) const BUDGET: &[u32] = &[1, 3, 6, 1, 2, 1, 105, 1, 3, 1, 1, 2];
pub(in super::super) const DRAWN: &[u32] = &[1, 3, 6, 1, 2, 1, 105, 1, 3, 1, 1, 4];

/// Which of its states supplies: deliveringPower, and none of disabled, searching, fault, test, otherFault.
const STATES: [(i64, bool); 6] = [(1, false), (2, false), (3, true), (4, false), (5, false), (6, false)];

/// What the numbers of rows count. The document leaves that open.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(in super::super) enum Numbers {
    /// Interfaces.
    Interfaces,
    /// Ports of the bridge.
    Bridge,
    /// Both could be meant and are not the same, neither can, or there are several groups: nobody knows.
    #[default]
    Unknown,
}

/// What the numbers of this switch's rows count.
pub(in super::super) fn numbers(teller: &Teller<'_>, ports: &Ports) -> Numbers {
    let indices = || teller.objects.below(ADMIN).chain(teller.objects.below(DETECTION)).map(|(index, _)| index);
    let groups: sorted::Set<Option<&u32>> = sorted::set(indices().map(<[u32]>::first));
    let all: sorted::Set<u32> = sorted::set(indices().filter_map(|index| index.get(1).copied()));
    let by_interface = all.iter().all(|number| ports.of_interface(*number).is_some());
    let by_bridge = all.iter().all(|number| ports.of_bridge(*number).is_some());
    let same = || all.iter().all(|number| ports.of_interface(*number) == ports.of_bridge(*number));
    match (by_interface, by_bridge) {
        _ if groups.len() != 1 => Numbers::Unknown,
        (true, true) if !same() => Numbers::Unknown,
        (true, _) => Numbers::Interfaces,
        (false, true) => Numbers::Bridge,
        (false, false) => Numbers::Unknown,
    }
}

/// The port of a row.
pub(super) fn port(teller: &Teller<'_>, number: u32) -> Option<Arc<str>> {
    match teller.ports.power() {
        Numbers::Interfaces => teller.ports.of_interface(number).cloned(),
        Numbers::Bridge => teller.ports.of_bridge(number).cloned(),
        Numbers::Unknown => None,
    }
}

pub(super) fn tell(teller: &mut Teller<'_>) {
    ports(teller);
    supplies(teller);
}

fn ports(teller: &mut Teller<'_>) {
    use facts::power as told;
    let mut nobodys = None;
    for (index, object) in teller.objects.below(DETECTION) {
        let [_, number] = index else { continue };
        let Some(port) = port(teller, *number) else {
            nobodys.get_or_insert(object.mark);
            continue;
        };
        let open = Open { kind: Some(told::FACT), port: Some(&port), ..Open::default() };
        let state = object.number(teller.text).and_then(|state| STATES.iter().find(|(known, _)| *known == state));
        let Some((_, on)) = state else {
            teller.miss(object, open);
            continue;
        };
        // Classes count from 1 here, class 0 being the first; they hold only while power is given.
        let class = teller.objects.at(CLASS, index).filter(|_| *on).and_then(|class| class.number(teller.text));
        let class = class.and_then(|class| u32::try_from(class.checked_sub(1)?).ok()).filter(|class| *class <= 8);
        let fact = Fact::new(told::FACT, object.mark)
            .with(told::PORT, Some(Value::Port(Some(port.clone()))))
            .with(told::ON, Some(Value::Flag(*on)))
            .with(told::CLASS, class.map(Value::Count));
        teller.told.facts.push(fact);
    }
    if let Some(mark) = nobodys {
        teller.remark(Some(mark), "which ports these rows of power are about is not told: their numbers are neither all those of interfaces nor all those of the bridge, or there are several groups");
    }
}

fn supplies(teller: &mut Teller<'_>) {
    use facts::power_supply as told;
    let watts = ObjectForm { times: 1000, ..ObjectForm::plain(Kind::Milliwatts) };
    for (index, object) in teller.objects.below(BUDGET) {
        let open = Open { kind: Some(told::FACT), ..Open::default() };
        let budget = teller.value(object, &watts, open);
        let drawn = teller.field(teller.objects.at(DRAWN, index), &watts, open);
        let fact = Fact::new(told::FACT, object.mark).with(told::BUDGET, budget).with(told::DRAWN, drawn);
        teller.told.facts.push(fact);
    }
}
