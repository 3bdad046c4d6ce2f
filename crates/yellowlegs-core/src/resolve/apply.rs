//! Statements applied one after the other: what is written for each port, VLAN and switch.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::port_table::PortTable;
use crate::dialect::{Captured, Change, Dialect, Effect, HoleRef, Operand, Reach, Reading, Statement, Subject};
use crate::model::{Kind, Origin, Scope, SettingId, Slot, Station, Value, VlanId, VlanSet, platform, settings};
use crate::source::Source;

/// A setting whose every change is to be noted.
#[derive(Debug, Clone, Copy)]
pub(super) struct Watch {
    pub(super) port: Option<usize>,
    pub(super) setting: SettingId,
}

/// A global default, with how far it reaches. Later ones stand behind earlier ones.
#[derive(Debug, Clone)]
pub(super) struct Global {
    pub(super) reach: Reach,
    pub(super) slot: Slot,
}

/// What the text says, before platform defaults.
#[derive(Debug)]
pub(super) struct Written {
    /// Per port, the settings of its own lines.
    pub(super) ports: Vec<Slot>,
    /// Per setting of ports, the global defaults.
    pub(super) globals: Vec<Vec<Global>>,
    pub(super) switch: Vec<Slot>,
    pub(super) vlans: BTreeMap<(VlanId, SettingId), Slot>,
    /// What came of each statement about the watched setting.
    pub(super) history: Vec<Slot>,
}

pub(super) struct Applier<'a> {
    dialect: &'a Dialect,
    text: &'a str,
    reading: &'a Reading,
    table: &'a PortTable,
    watch: Option<Watch>,
    written: Written,
    /// The ports of the statement asked for last: the lines of one block ask for the same.
    about: Option<(usize, Arc<[usize]>)>,
}

/// Whether nothing is written.
pub(super) fn is_unset(slot: &Slot) -> bool {
    slot.value.is_none() && slot.origin == Origin::Unknown
}

impl<'a> Applier<'a> {
    pub(super) fn new(
        dialect: &'a Dialect,
        source: &'a Source,
        reading: &'a Reading,
        table: &'a PortTable,
        watch: Option<Watch>,
    ) -> Self {
        let written = Written {
            ports: vec![Slot::UNKNOWN; table.len() * settings::PORT_COUNT],
            globals: vec![Vec::new(); settings::PORT_COUNT],
            switch: vec![Slot::UNKNOWN; settings::SWITCH_COUNT],
            vlans: BTreeMap::new(),
            history: Vec::new(),
        };
        Self { dialect, text: source.text(), reading, table, watch, written, about: None }
    }

    pub(super) fn run(mut self) -> Written {
        for (position, statement) in self.reading.statements.iter().enumerate() {
            let Some(rule) = self.dialect.rules().get(statement.rule as usize) else { continue };
            let effects = if statement.negated { rule.undo.as_deref().unwrap_or_default() } else { &rule.effects };
            for effect in effects {
                if self.watch.is_none_or(|w| w.setting == effect.setting) {
                    self.effect(position, statement, effect);
                }
            }
        }
        self.written
    }

    fn effect(&mut self, position: usize, statement: &Statement, effect: &Effect) {
        let subject = self.reading.subject(self.dialect, position);
        match (effect.setting.info().scope, subject) {
            (Scope::Switch, subject) => {
                let about_vlan = matches!(subject, Some((_, Subject::Vlan(_))));
                let origin = if about_vlan { Origin::Vlan } else { Origin::Global };
                let index = effect.setting.slot();
                let now = self.changed(&self.written.switch[index], statement, effect, origin);
                self.note(None, now.as_ref());
                if let Some(now) = now {
                    self.written.switch[index] = now;
                }
            }
            (Scope::Port, Some((_, Subject::Reach(reach)))) => self.global(statement, effect, *reach),
            (Scope::Port, Some((at, Subject::Ports(hole)))) => {
                let ports = self.ports(at, hole);
                let origin = if ports.len() == 1 { Origin::Port } else { Origin::Range };
                for port in ports.iter().copied() {
                    let index = port * settings::PORT_COUNT + effect.setting.slot();
                    let now = self.changed(&self.written.ports[index], statement, effect, origin);
                    self.note(Some(port), now.as_ref());
                    if let Some(now) = now {
                        self.written.ports[index] = now;
                    }
                }
            }
            (Scope::Vlan, subject) => self.vlan(statement, effect, subject),
            (Scope::Port, _) => {}
        }
    }

    fn note(&mut self, port: Option<usize>, now: Option<&Slot>) {
        if let (Some(watch), Some(now)) = (self.watch, now)
            && (port.is_none() || watch.port == port)
        {
            self.written.history.push(now.clone());
        }
    }

    fn ports(&mut self, at: usize, hole: &HoleRef) -> Arc<[usize]> {
        if let Some((last, ports)) = &self.about
            && *last == at
        {
            return Arc::clone(ports);
        }
        let captured = self.reading.statements.get(at).map(|s| self.reading.captured(self.dialect, s, hole));
        let ports: Arc<[usize]> = match captured {
            Some(Captured::Ports(items)) => self.table.positions(items).into(),
            _ => Arc::default(),
        };
        self.about = Some((at, Arc::clone(&ports)));
        ports
    }

    fn global(&mut self, statement: &Statement, effect: &Effect, reach: Reach) {
        let index = effect.setting.slot();
        let same = self.written.globals[index].iter().rposition(|g| g.reach == reach);
        let before = same.map_or(Slot::UNKNOWN, |i| self.written.globals[index][i].slot.clone());
        let Some(slot) = self.changed(&before, statement, effect, Origin::Global) else { return };
        self.note(None, Some(&slot));
        let globals = &mut self.written.globals[index];
        same.map(|i| globals.remove(i));
        globals.push(Global { reach, slot });
    }

    fn vlan(&mut self, statement: &Statement, effect: &Effect, subject: Option<(usize, &Subject)>) {
        let Some((at, Subject::Vlan(hole))) = subject else { return };
        let Some(opener) = self.reading.statements.get(at) else { return };
        let Captured::Vlan(vlan) = self.reading.captured(self.dialect, opener, hole) else { return };
        let key = (*vlan, effect.setting);
        let before = self.written.vlans.get(&key).cloned().unwrap_or(Slot::UNKNOWN);
        if let Some(now) = self.changed(&before, statement, effect, Origin::Vlan) {
            self.written.vlans.insert(key, now);
        }
    }

    /// What a slot becomes; `None` when the statement says nothing about it after all.
    fn changed(&self, before: &Slot, statement: &Statement, effect: &Effect, origin: Origin) -> Option<Slot> {
        let kind = effect.setting.info().kind;
        let values = |operands: &[Operand]| -> Vec<Value> {
            operands.iter().filter_map(|o| self.operand(o, statement, kind)).collect()
        };
        let value = match &effect.change {
            Change::Set(operands) => Some(values(operands).into_iter().next()?),
            Change::Add(operands) => {
                let added = values(operands);
                (!added.is_empty()).then_some(())?;
                let base = before.value.clone().or_else(|| self.base(effect.setting, false));
                added.iter().try_fold(base?, |list, value| plus(&list, value))
            }
            Change::Remove(operands) => {
                let removed = values(operands);
                if removed.is_empty() {
                    return Some(Slot { contested: true, ..Slot::UNKNOWN });
                }
                let base = before.value.clone().or_else(|| self.base(effect.setting, true));
                base.and_then(|base| removed.iter().try_fold(base, |list, value| minus(&list, value)))
            }
            Change::Reset => return Some(Slot { contested: true, ..Slot::UNKNOWN }),
        };
        let contested = before.contested || !is_unset(before);
        Some(Slot { value, origin, mark: Some(statement.mark), contested })
    }

    /// What a list holds while nothing is written: adding to a trunk's VLANs begins a list, taking away keeps the others.
    fn base(&self, setting: SettingId, removing: bool) -> Option<Value> {
        if setting == settings::TAGGED_VLANS.id && removing {
            return if self.dialect.traits().holds(platform::TRUNK_WITHOUT_LIST, "all")? {
                Some(Value::Vlans(Arc::new(VlanSet::all())))
            } else {
                setting.info().kind.off()
            };
        }
        let default = self.dialect.default_slot(setting).and_then(|slot| slot.value.clone());
        default.or_else(|| setting.info().kind.off())
    }

    fn operand(&self, operand: &Operand, statement: &Statement, kind: Kind) -> Option<Value> {
        let captured = |hole: &HoleRef| self.reading.captured(self.dialect, statement, hole);
        match operand {
            Operand::Constant(value) => Some(value.clone()),
            Operand::Hole(hole) => self.value(kind, captured(hole)),
            Operand::Chosen(hole, values) => match captured(hole) {
                Captured::Choice(which) => values.get(*which).cloned(),
                _ => None,
            },
            Operand::Station(station, vlan) => one_station(captured(station).station(Some(captured(vlan)))),
        }
    }

    fn value(&self, kind: Kind, captured: &Captured) -> Option<Value> {
        Some(match (kind, captured) {
            (Kind::Count, Captured::Int(n)) => Value::Count(*n),
            (Kind::Seconds, Captured::Seconds(n) | Captured::Int(n)) => Value::Seconds(*n),
            (Kind::Vlan, Captured::Vlan(vlan)) => Value::Vlan(Some(*vlan)),
            (Kind::Vlans, Captured::Vlan(vlan)) => Value::Vlans(Arc::new([*vlan].into_iter().collect())),
            (Kind::Vlans, Captured::Vlans(set)) => Value::Vlans(Arc::clone(set)),
            (Kind::Text, Captured::Text(word)) => Value::Text(word.of(self.text).into()),
            (Kind::Stations, Captured::Station(_)) => return one_station(captured.station(None)),
            _ => return None,
        })
    }
}

fn one_station(station: Option<Station>) -> Option<Value> {
    Some(Value::Stations([station?].into()))
}

fn plus(list: &Value, more: &Value) -> Option<Value> {
    match (list, more) {
        (Value::Vlans(a), Value::Vlans(b)) => Some(Value::Vlans(Arc::new(a.union(b)))),
        (Value::Stations(a), Value::Stations(b)) => {
            let new = b.iter().filter(|s| !a.contains(s));
            Some(Value::Stations(a.iter().chain(new).copied().collect()))
        }
        _ => None,
    }
}

fn minus(list: &Value, less: &Value) -> Option<Value> {
    match (list, less) {
        (Value::Vlans(a), Value::Vlans(b)) => Some(Value::Vlans(Arc::new(a.minus(b)))),
        (Value::Stations(a), Value::Stations(b)) => {
            let goes = |s: &Station| b.iter().any(|x| x.address == s.address && (x.vlan.is_none() || x.vlan == s.vlan));
            Some(Value::Stations(a.iter().filter(|s| !goes(s)).copied().collect()))
        }
        _ => None,
    }
}
