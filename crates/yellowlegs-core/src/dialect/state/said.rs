//! Settings that state decides: what is told of a switch where its configuration is silent.

use std::sync::Arc;

use super::super::Dialect;
use super::super::captured::Captured;
use super::super::ports::PortItem;
use super::super::rule::{Change, Effect, HoleRef, Operand, Subject};
use crate::model::{FactKind, Kind, Mark, SettingId, Value, VlanId, VlanSet, facts, settings};

/// What a setting belongs to that state decides.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SaidOf {
    /// The switch.
    Switch,
    /// Ports, as the dialect writes them.
    Ports(Arc<[PortItem]>),
    /// A port by its name.
    Port(Arc<str>),
    /// VLANs.
    Vlans(Vec<VlanId>),
    /// A mirror session.
    Mirror(Arc<str>),
}

/// Which values of a text contradict what is told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Against {
    /// Every other.
    Others,
    /// Of a set of VLANs: one that is another among these.
    Among(Arc<VlanSet>),
    /// Every other but this one, which comes to the same.
    OthersThan(Value),
    /// None: what comes to the same in other words is held against it as a whole.
    Nothing,
}

/// A setting that state decides.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StateSaid {
    /// Of what.
    pub of: SaidOf,
    /// Which.
    pub setting: SettingId,
    /// Its value.
    pub value: Value,
    /// The value is put into a list.
    pub adds: bool,
    /// What in a text contradicts it.
    pub against: Against,
    /// The line.
    pub mark: Mark,
}

impl StateSaid {
    /// A value that is what is told, and all of it.
    pub fn of(of: SaidOf, setting: SettingId, value: Value, mark: Mark) -> Self {
        Self { of, setting, value, adds: false, against: Against::Others, mark }
    }
}

/// What facts decide by themselves: the kind, its field, the setting.
pub(super) const BY_FACTS: [(FactKind, &str, SettingId); 2] = [
    (facts::port_status::FACT, "speed", settings::SPEED.id),
    (facts::power_supply::FACT, "budget", settings::POWER_BUDGET.id),
];

/// What a hole took, with the text it stands in.
pub(super) type Taken<'f, 't> = &'f dyn Fn(&HoleRef) -> Option<(Captured, &'t str)>;

/// What a line, or a row, decides of what it is about.
pub(super) fn said(
    dialect: &Dialect,
    effects: &[Effect],
    of: Option<SaidOf>,
    mark: Mark,
    taken: Taken<'_, '_>,
) -> Vec<StateSaid> {
    let Some(of) = of else { return Vec::new() };
    let value = |operand: &Operand, kind: Kind| match operand {
        Operand::Constant(value) => Some(value.clone()),
        Operand::Hole(hole) | Operand::Chosen(hole, _) => {
            let (captured, text) = taken(hole)?;
            match (operand, &captured) {
                (Operand::Chosen(_, values), Captured::Choice(which)) => values.get(*which).cloned(),
                _ => captured.value(kind, text, dialect.lists(), None),
            }
        }
        Operand::Pair(..) => None,
    };
    let each = effects.iter().filter_map(|effect| {
        let kind = effect.setting.info().kind;
        let value = effect.change.operands().iter().find_map(|operand| value(operand, kind))?;
        let adds = matches!(effect.change, Change::Add(_));
        Some(StateSaid { adds, ..StateSaid::of(of.clone(), effect.setting, value, mark) })
    });
    each.collect()
}

/// What a line is about; `None` where the hole that would name it took nothing.
pub(super) fn about(subject: &Subject, taken: Taken<'_, '_>) -> Option<SaidOf> {
    let (captured, text) = taken(subject.hole()?)?;
    Some(match (subject, captured) {
        (Subject::Ports(_), Captured::Ports(items)) => SaidOf::Ports(items),
        (Subject::Vlan(_), Captured::Vlan(vlan)) => SaidOf::Vlans(vec![vlan]),
        (Subject::Vlan(_), Captured::Vlans(set)) => SaidOf::Vlans(set.iter().collect()),
        (Subject::Mirror(_), Captured::Text(word)) => SaidOf::Mirror(word.of(text).into()),
        (Subject::Mirror(_), Captured::Int(number)) => SaidOf::Mirror(number.to_string().into()),
        _ => return None,
    })
}
