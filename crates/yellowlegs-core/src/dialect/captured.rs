//! What a hole took of a line, and how the values of a repeated hole come together.

use std::net::IpAddr;
use std::sync::Arc;

use super::ports::PortItem;
use super::time::Moment;
use crate::model::{Rate, StationAddress, StationRange, VlanId, VlanSet};
use crate::source::Word;

/// The value a hole took.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Captured {
    /// The optional part it is in was not there.
    Absent,
    /// A number.
    Int(u32),
    /// Numbers.
    Ints(Arc<[u32]>),
    /// Seconds.
    Seconds(u32),
    /// A VLAN.
    Vlan(VlanId),
    /// VLANs.
    Vlans(Arc<VlanSet>),
    /// Ports.
    Ports(Arc<[PortItem]>),
    /// A station.
    Station(StationAddress),
    /// Stations.
    Stations(Arc<[StationAddress]>),
    /// Stations from one to another.
    Range(StationRange),
    /// An IP address.
    Address(IpAddr),
    /// A rate.
    Rate(Rate),
    /// Power.
    Milliwatts(u32),
    /// A moment, its year and zone perhaps open.
    Time(Moment),
    /// Text, as byte offsets.
    Text(Word),
    /// Which of the hole's words.
    Choice(usize),
}

impl Captured {
    /// Whether the type has a list to put two values in.
    pub(super) fn joins(&self, next: &Self) -> bool {
        use Captured as C;
        matches!(
            (self, next),
            (C::Ports(_), C::Ports(_))
                | (C::Vlan(_) | C::Vlans(_), C::Vlan(_) | C::Vlans(_))
                | (C::Text(_), C::Text(_))
                | (C::Int(_) | C::Ints(_), C::Int(_) | C::Ints(_))
                | (C::Stations(_), C::Stations(_))
        )
    }

    /// The values of a repeated hole together, each looked at once.
    pub(super) fn join(mut values: Vec<Self>) -> Self {
        match values.as_slice() {
            [Self::Text(first), .., Self::Text(last)] => Self::Text(Word { start: first.start, end: last.end }),
            [Self::Ports(_), _, ..] => {
                let items = values.iter().flat_map(|v| if let Self::Ports(items) = v { &items[..] } else { &[] });
                Self::Ports(items.copied().collect())
            }
            [Self::Stations(_), _, ..] => {
                let all = values.iter().flat_map(|v| if let Self::Stations(all) = v { &all[..] } else { &[] });
                Self::Stations(all.copied().collect())
            }
            [Self::Vlan(_) | Self::Vlans(_), _, ..] => {
                let mut set = VlanSet::default();
                for value in &values {
                    match value {
                        Self::Vlan(vlan) => set.insert(*vlan),
                        Self::Vlans(more) => set = set.union(more),
                        _ => {}
                    }
                }
                Self::Vlans(Arc::new(set))
            }
            [Self::Int(_) | Self::Ints(_), _, ..] => {
                let numbers = values.iter().flat_map(|v| match v {
                    Self::Int(number) => std::slice::from_ref(number),
                    Self::Ints(numbers) => numbers,
                    _ => &[],
                });
                Self::Ints(numbers.copied().collect())
            }
            _ => values.pop().unwrap_or(Self::Absent),
        }
    }
}
