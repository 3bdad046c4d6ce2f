//! What a platform's own objects tell, by the dialect's rows.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::objects::{Object, station};
use super::teller::{Open, Teller};
use crate::dialect::{Given, IndexPart, ObjectColumn, ObjectRules, ObjectTable, SaidOf};
use crate::model::{Fact, Kind, Mark, Scope, SettingId, StationAddress, Value, VlanId, VlanSet};

/// What the index of a row names.
#[derive(Default)]
struct Named {
    port: Option<Arc<str>>,
    vlan: Option<VlanId>,
    station: Option<StationAddress>,
}

/// Tells what the dialect's tables say.
pub(super) fn tell(teller: &mut Teller<'_>, rules: &ObjectRules) {
    for table in &rules.tables {
        let mut rows: BTreeMap<&[u32], Vec<(&ObjectColumn, &Object)>> = BTreeMap::new();
        for column in &table.columns {
            let prefix = [table.entry.arcs(), &[column.column]].concat();
            for (index, object) in teller.objects.below(&prefix) {
                rows.entry(index).or_default().push((column, object));
            }
        }
        let mut lists: BTreeMap<SettingId, (VlanSet, VlanSet, Mark)> = BTreeMap::new();
        for (index, cells) in rows {
            row(teller, table, index, &cells, &mut lists);
        }
        for (setting, (set, among, mark)) in lists {
            teller.say_among(SaidOf::Switch, setting, set, among, mark);
        }
    }
}

fn row(
    teller: &mut Teller<'_>,
    table: &ObjectTable,
    index: &[u32],
    cells: &[(&ObjectColumn, &Object)],
    lists: &mut BTreeMap<SettingId, (VlanSet, VlanSet, Mark)>,
) {
    let Some((_, first)) = cells.first() else { return };
    let Some(named) = named(teller, table, index) else {
        // An index that is not as the dialect says leaves all open that the row could tell.
        for (column, object) in cells {
            let setting = setting(column);
            teller.miss(object, Open { kind: table.fact.filter(|_| setting.is_none()), setting, port: None });
        }
        return;
    };
    // A row of something that is no port, as an aggregate is none, says nothing of ports.
    let asks_port = table.index.iter().any(|part| matches!(part, IndexPart::Port | IndexPart::BridgePort));
    if asks_port && named.port.is_none() {
        return;
    }
    let mut fact = table.fact.map(|kind| Fact::new(kind, first.mark));
    if let Some(fact) = &mut fact {
        place(fact, "port", named.port.clone().map(|port| Value::Port(Some(port))));
        place(fact, "vlan", named.vlan.map(|vlan| Value::Vlan(Some(vlan))));
        place(fact, "address", named.station.map(Value::Station));
    }
    for (column, object) in cells {
        let setting = setting(column);
        let kind = table.fact.filter(|_| setting.is_none());
        let open = Open { kind, setting, port: named.port.as_ref() };
        let Some(value) = teller.value(object, &column.form, open) else { continue };
        match column.gives {
            Given::Field(position) => {
                if let Some(field) = fact.as_mut().and_then(|fact| fact.fields.get_mut(position)) {
                    *field = Some(value);
                }
            }
            Given::Setting(id) => {
                let of = match id.info().scope {
                    Scope::Port => named.port.clone().map(SaidOf::Port),
                    Scope::Vlan => named.vlan.map(|vlan| SaidOf::Vlans(vec![vlan])),
                    Scope::Switch => Some(SaidOf::Switch),
                    Scope::Mirror => None,
                };
                if let Some(of) = of {
                    teller.say(of, id, value, object.mark);
                }
            }
            Given::VlansOf(id) => {
                let Some(vlan) = named.vlan else { continue };
                let (set, among, _) =
                    lists.entry(id).or_insert_with(|| (VlanSet::default(), VlanSet::default(), object.mark));
                among.insert(vlan);
                if value == Value::Flag(true) {
                    set.insert(vlan);
                }
            }
        }
    }
    teller.told.facts.extend(fact);
}

fn setting(column: &ObjectColumn) -> Option<SettingId> {
    match column.gives {
        Given::Setting(id) | Given::VlansOf(id) => Some(id),
        Given::Field(_) => None,
    }
}

/// Fills a field by its name, where the fact has one of that kind.
fn place(fact: &mut Fact, name: &str, value: Option<Value>) {
    let Some(position) = fact.kind.field(name) else { return };
    let is_station = fact.kind.info().fields.get(position).is_some_and(|field| field.kind == Kind::Station);
    let fits = !matches!(value, Some(Value::Station(_))) || is_station;
    if let Some(field) = fact.fields.get_mut(position).filter(|_| fits && value.is_some()) {
        *field = value;
    }
}

/// What an index names; `None` where it is not made as the dialect says.
fn named(teller: &Teller<'_>, table: &ObjectTable, index: &[u32]) -> Option<Named> {
    if table.index.is_empty() {
        return (index == [0]).then(Named::default);
    }
    let mut named = Named::default();
    let mut rest = index;
    for part in &table.index {
        let width = if *part == IndexPart::Station { 6 } else { 1 };
        let (own, behind) = rest.split_at_checked(width)?;
        rest = behind;
        let [first, ..] = own else { return None };
        match part {
            IndexPart::Port => named.port = teller.ports.of_interface(*first).cloned(),
            IndexPart::BridgePort => named.port = teller.ports.of_bridge(*first).cloned(),
            IndexPart::Vlan => named.vlan = Some(VlanId::new((*first).into()).ok()?),
            IndexPart::Station => named.station = Some(station(own.iter().copied())?),
            IndexPart::Any => {}
        }
    }
    rest.is_empty().then_some(named)
}
