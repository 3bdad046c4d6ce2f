//! From what a hole took to a value of a kind.

use std::sync::Arc;

use jiff::Timestamp;

use super::captured::Captured;
use super::ports::{Lists, PortItem};
use crate::model::{Kind, Value, VlanSet};

/// The names of a list's ports. Ranges across parts name no ports by themselves.
pub fn port_names<'s>(lists: &'s Lists, items: &'s [PortItem]) -> impl Iterator<Item = Arc<str>> + 's {
    let each = items.iter().flat_map(|item| item.along_last_part().into_iter().flatten());
    each.map(|port| lists.name(port))
}

impl Captured {
    /// The value of a kind; `None` where it is none. `as_of` settles moments without a year.
    pub fn value(&self, kind: Kind, text: &str, lists: &Lists, as_of: Option<Timestamp>) -> Option<Value> {
        Some(match (kind, self) {
            (Kind::Count, Self::Int(n)) => Value::Count(*n),
            (Kind::Seconds, Self::Seconds(n) | Self::Int(n)) => Value::Seconds(*n),
            (Kind::Milliwatts, Self::Milliwatts(n)) => Value::Milliwatts(*n),
            (Kind::Rate, Self::Rate(rate)) => Value::Rate(Some(*rate)),
            (Kind::Vlan, Self::Vlan(vlan)) => Value::Vlan(Some(*vlan)),
            (Kind::Vlans, Self::Vlan(vlan)) => Value::Vlans(Arc::new(VlanSet::from_iter([*vlan]))),
            (Kind::Vlans, Self::Vlans(set)) => Value::Vlans(Arc::clone(set)),
            (Kind::Port, Self::Ports(items)) => Value::Port(Some(port_names(lists, items).next()?)),
            (Kind::Address, Self::Address(address)) => Value::Address(Some(*address)),
            (Kind::Text, Self::Text(word)) => Value::Text(word.of(text).into()),
            (Kind::Text, Self::Int(number)) => Value::Text(number.to_string().into()),
            (Kind::Text, Self::Address(address)) => Value::Text(address.to_string().into()),
            (Kind::Text, Self::Station(station)) => Value::Text(station.to_string().into()),
            (Kind::Text, Self::Ports(items)) => Value::Text(port_names(lists, items).next()?),
            (Kind::Words, Self::Text(word)) => Value::Words(word.of(text).split_whitespace().map(Arc::from).collect()),
            (Kind::Words, Self::Address(address)) => Value::Words([address.to_string().into()].into()),
            (Kind::Words, Self::Int(number)) => Value::Words([number.to_string().into()].into()),
            (Kind::Words, Self::Ints(numbers)) => {
                Value::Words(numbers.iter().map(|n| Arc::from(n.to_string())).collect())
            }
            (Kind::Station, Self::Station(address)) => Value::Station(*address),
            (Kind::Stations, Self::Station(_) | Self::Stations(_)) => Value::Stations(self.stations(None)?),
            (Kind::Time, Self::Time(moment)) => Value::Time(moment.settle(as_of?)?),
            _ => return None,
        })
    }
}
