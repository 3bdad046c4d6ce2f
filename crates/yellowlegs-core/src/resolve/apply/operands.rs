//! What a statement gives a setting: constants, what its holes took, and pairs of both.

use super::Applier;
use crate::dialect::{Captured, Operand, Statement, port_names};
use crate::model::{Choice, Direction, Kind, StationRange, Value, VlanId};

impl<'a> Applier<'a> {
    pub(super) fn operand(&self, operand: &Operand, statement: &'a Statement, kind: Kind) -> Option<Value> {
        match operand {
            Operand::Constant(value) => Some(value.clone()),
            Operand::Hole(hole) => self.captured(statement, hole).value(kind, self.text, self.dialect.lists(), None),
            Operand::Chosen(hole, values) => match self.captured(statement, hole) {
                Captured::Choice(which) => values.get(*which).cloned(),
                taken => taken.value(kind, self.text, self.dialect.lists(), None),
            },
            Operand::Pair(hole, second) => self.pair(self.captured(statement, hole), second, statement, kind),
        }
    }

    /// A value of two parts; a station without its VLAN is allowed in any.
    fn pair(&self, first: &Captured, second: &Operand, statement: &'a Statement, kind: Kind) -> Option<Value> {
        let second = |kind: Kind| self.operand(second, statement, kind);
        Some(match (kind, first) {
            (Kind::Stations, first) => Value::Stations(first.stations(vlan_of(second(Kind::Vlan).as_ref()))?),
            (Kind::Ranges, Captured::Range(range)) => {
                Value::Ranges([(*range, vlan_of(second(Kind::Vlan).as_ref())?)].into())
            }
            (Kind::Ranges, Captured::Station(one)) => {
                Value::Ranges([(StationRange::one(*one), vlan_of(second(Kind::Vlan).as_ref())?)].into())
            }
            (Kind::Taps, Captured::Ports(items)) => {
                let Some(Value::Choice { index, .. }) = second(Kind::Choice(Direction::SET)) else { return None };
                let direction = Direction::from_index(index)?;
                Value::Taps(port_names(self.dialect.lists(), items).map(|port| (port, direction)).collect())
            }
            (Kind::Pairs, first) => {
                let Some(Value::Count(second)) = second(Kind::Count) else { return None };
                let numbers: &[u32] = match first {
                    Captured::Int(number) => std::slice::from_ref(number),
                    Captured::Ints(numbers) => numbers,
                    _ => return None,
                };
                Value::Pairs(numbers.iter().map(|n| (*n, second)).collect())
            }
            _ => return None,
        })
    }
}

fn vlan_of(value: Option<&Value>) -> Option<VlanId> {
    match value {
        Some(Value::Vlan(vlan)) => *vlan,
        _ => None,
    }
}
