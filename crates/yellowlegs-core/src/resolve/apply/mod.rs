//! Statements applied one after the other: what is written for each port, VLAN, mirror session, profile and switch.

mod operands;
mod positions;
mod watch;
mod written;

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::explain::Said;
use super::port_table::PortTable;
use crate::dialect::{
    Captured, Change, Dialect, Effect, HoleRef, Operand, PortItem, ProfileRef, Reach, Reading, Statement, Subject,
};
use crate::model::{Origin, PortSlots, Scope, SettingId, Slot, Value, VlanId, VlanSet, platform, settings};
use crate::source::Source;
use positions::Positions;
pub(super) use watch::{ByRule, Watch};
use written::Global;
pub(super) use written::{ProfileName, Written, from_profiles, later};

pub(super) struct Applier<'a> {
    dialect: &'a Dialect,
    text: &'a str,
    reading: &'a Reading,
    table: &'a PortTable,
    watch: Option<Watch>,
    /// The statements of each rule, where they are at hand.
    by_rule: Option<&'a ByRule>,
    written: Written,
    /// Of settings that several statements make together, the one part that is followed.
    part: Option<(SettingId, Arc<str>)>,
    /// What the statement asked for last is about: the lines of one block ask for the same.
    about: Option<About>,
    /// Whether a statement so far put something into a list, or took something out: lists are put together at the end then.
    makes_lists: bool,
    /// The block that is about one port, whose lines are gone through.
    block: Option<OfOnePort>,
    /// The ports of lists that were looked up.
    lists: FxHashMap<&'a [PortItem], Arc<[usize]>>,
}

/// A block of which the lines are about one port, where they say nothing else.
#[derive(Clone, Copy)]
struct OfOnePort {
    /// Position of the statement that opens it.
    opener: usize,
    port: usize,
    origin: Origin,
}

/// The ports that a statement names.
#[derive(Clone)]
struct About {
    /// Position of the statement, and which of its holes names them.
    at: (usize, Option<usize>),
    ports: Positions,
    /// Where a setting comes from that is written for them.
    origin: Origin,
}

impl<'a> Applier<'a> {
    pub(super) fn new(
        dialect: &'a Dialect,
        source: &'a Source,
        reading: &'a Reading,
        table: &'a PortTable,
        watch: Option<Watch>,
    ) -> Self {
        Self {
            dialect,
            text: source.text(),
            reading,
            table,
            watch,
            by_rule: None,
            written: Written::default(),
            part: None,
            about: None,
            makes_lists: false,
            block: None,
            lists: FxHashMap::default(),
        }
    }

    /// The same with the statements of each rule at hand.
    pub(super) fn with_rules(self, by_rule: &'a ByRule) -> Self {
        Self { by_rule: Some(by_rule), ..self }
    }

    /// Follows one part of a setting that several statements make together.
    pub(super) fn of_part(mut self, setting: SettingId, part: Arc<str>) -> Self {
        self.part = Some((setting, part));
        self
    }

    /// Whether an effect counts: one that is a part of a setting only where that part, or all that was written, is asked for.
    fn counts(&self, effect: &Effect) -> bool {
        let Some(part) = &effect.part else { return self.watch.is_none_or(|watch| watch.setting == effect.setting) };
        match &self.part {
            Some((setting, followed)) => *setting == effect.setting && followed == part,
            None => self.watch.is_some_and(|watch| watch.setting == effect.setting),
        }
    }

    /// Goes on from what the statements before one came to.
    pub(super) fn run_on(self, written: Written, from: usize) -> Written {
        Self { written, ..self }.run_from(from)
    }

    pub(super) fn run(mut self) -> Written {
        self.written = self.room();
        self.run_from(0)
    }

    /// Room for what the statements write. Where one setting is watched, nothing else is written.
    fn room(&self) -> Written {
        let scope = self.watch.map(|watch| watch.setting.info().scope);
        let room = |of: Scope, count: usize| if scope.is_none_or(|scope| scope == of) { count } else { 0 };
        let ports = if self.watch.is_some_and(|watch| watch.port.is_some()) { 1 } else { self.table.len() };
        Written {
            ports: PortSlots::silent(room(Scope::Port, ports)),
            globals: vec![Vec::new(); room(Scope::Port, settings::PORT_COUNT)],
            switch: vec![Slot::UNKNOWN; room(Scope::Switch, settings::SWITCH_COUNT)],
            ..Written::default()
        }
    }

    fn run_from(mut self, from: usize) -> Written {
        if self.watch.is_some() {
            self.follow();
            return self.written;
        }
        for (position, statement) in self.reading.statements.iter().enumerate().skip(from) {
            if statement.leads || self.sets_in_block(statement) {
                continue;
            }
            let Some(rule) = self.dialect.rules().get(statement.rule as usize) else { continue };
            for effect in rule.effects_of(statement.negated) {
                if !self.counts(effect) {
                    continue;
                }
                if !rule.pattern.is_wide() || !self.is_left_out(statement, effect) {
                    self.makes_lists |= matches!(effect.change, Change::Add(_) | Change::Remove(_));
                    self.effect(position, statement, effect);
                }
            }
            if let (Some(Subject::Profile(profile)), false) = (&rule.subject, statement.negated)
                && let Some(name) = self.profile_name(statement, profile)
            {
                self.written.profiles.entry(name).or_default();
            }
            if let Some(profile) = &rule.uses {
                self.uses(position, statement, profile);
            }
            if let Some(hole) = &rule.used_by {
                self.used_by(position, statement, hole);
            }
        }
        if self.makes_lists {
            // What is kept for long knows nothing of the lines that made it.
            self.written.ports.settle();
            self.written.switch.iter_mut().filter_map(|slot| slot.value.as_mut()).for_each(Value::settle);
        }
        self.written
    }

    /// What one statement says, before anything else is known.
    pub(super) fn said(&self, statement: &'a Statement) -> Vec<Said> {
        let Some(rule) = self.dialect.rules().get(statement.rule as usize).filter(|_| !statement.leads) else {
            return Vec::new();
        };
        let mut said = Vec::new();
        for effect in rule.effects_of(statement.negated) {
            let kind = effect.setting.info().kind;
            let values = effect.change.operands().iter().filter_map(|o| self.operand(o, statement, kind));
            let (how, value) = match &effect.change {
                Change::Set(_) if effect.part.is_some() => ("is a part of", values.into_iter().next()),
                Change::Set(_) if effect.implied => ("implies", values.into_iter().next()),
                Change::Set(_) => ("sets", values.into_iter().next()),
                Change::Add(_) => ("adds", values.reduce(|a, b| a.plus(&b).unwrap_or(a))),
                Change::Remove(_) => ("removes", values.reduce(|a, b| a.plus(&b).unwrap_or(a))),
                Change::Reset | Change::ResetToPlatform => ("takes back", None),
            };
            if value.is_some() || matches!(effect.change, Change::Reset | Change::ResetToPlatform | Change::Remove(_)) {
                said.push(Said { setting: effect.setting, how, value });
            }
        }
        said
    }

    #[inline]
    fn captured(&self, statement: &'a Statement, hole: &HoleRef) -> &'a Captured {
        self.reading.captured(self.dialect, statement, hole)
    }

    /// The text of what a hole took, for names.
    fn name(&self, statement: &'a Statement, hole: &HoleRef) -> Option<Arc<str>> {
        match self.captured(statement, hole) {
            Captured::Text(word) => Some(word.of(self.text).into()),
            Captured::Int(number) => Some(number.to_string().into()),
            _ => None,
        }
    }

    fn profile_name(&self, statement: &'a Statement, profile: &ProfileRef) -> Option<ProfileName> {
        Some((Arc::clone(&profile.kind), self.name(statement, &profile.name)?))
    }

    fn effect(&mut self, position: usize, statement: &'a Statement, effect: &Effect) {
        let own = effect.about.as_ref().map(|subject| (position, subject));
        let subject = own.or_else(|| self.reading.subject(self.dialect, position));
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
            (Scope::Port, Some((at, Subject::Ports(hole)))) => self.own(statement, effect, at, hole),
            (Scope::Port, Some((at, Subject::Profile(profile)))) => self.profile(statement, effect, at, profile),
            (Scope::Vlan, Some((at, Subject::Vlan(hole)))) => self.vlan(statement, effect, at, hole),
            (Scope::Vlan, Some((_, Subject::Reach(Reach::AllVlans)))) => {
                let before = self.written.vlan_globals.get(&effect.setting).cloned().unwrap_or(Slot::UNKNOWN);
                if let Some(now) = self.changed(&before, statement, effect, Origin::Global) {
                    self.written.vlan_globals.insert(effect.setting, now);
                }
            }
            (Scope::Mirror, Some((at, Subject::Mirror(hole)))) => self.mirror(statement, effect, at, hole),
            (Scope::Port | Scope::Vlan | Scope::Mirror, _) => {}
        }
    }

    /// Whether a statement leaves out all that would give a setting its value, as a row does with most of its parts.
    #[inline]
    fn is_left_out(&self, statement: &'a Statement, effect: &Effect) -> bool {
        let (Change::Set(operands) | Change::Add(operands)) = &effect.change else { return false };
        let is_absent = |hole| matches!(self.captured(statement, hole), Captured::Absent);
        operands.iter().all(|operand| operand.hole().is_some_and(is_absent))
    }

    /// Does what most lines do: set something of the one port that their block is about. False where it is not as plain as that.
    #[inline]
    fn sets_in_block(&mut self, statement: &'a Statement) -> bool {
        let dialect = self.dialect;
        let plain = dialect.plain(statement.rule, statement.negated);
        if plain.is_empty() {
            return false;
        }
        let Some(block) = self.block_of(statement) else { return false };
        for plain in plain {
            if let Some(value) = self.operand(&plain.to, statement, plain.kind) {
                self.written.ports.write(block.port, plain.setting, (value, block.origin), statement.mark);
            }
        }
        true
    }

    /// The block of one port that a statement stands in, where it is the last one, or opened as that was.
    #[inline]
    fn block_of(&mut self, statement: &Statement) -> Option<OfOnePort> {
        let block = self.block.as_mut()?;
        if !statement.is_in(block.opener) {
            block.opener = self.reading.opener_like(self.dialect, statement, block.opener)?;
        }
        Some(*block)
    }

    fn note(&mut self, port: Option<usize>, now: Option<&Slot>) {
        if let (Some(watch), Some(now)) = (self.watch, now)
            && (port.is_none() || watch.port == port || watch.each)
        {
            self.written.history.push((port, now.clone()));
        }
    }

    /// The ports a statement names. What is given out is to be given back as `about`.
    fn ports(&mut self, at: usize, hole: &HoleRef) -> About {
        let own = hole.own();
        if let Some(about) = self.about.take_if(|about| about.at == (at, own)) {
            return about;
        }
        let captured = self.reading.statements.get(at).map(|s| self.captured(s, hole));
        let ports = match captured {
            Some(Captured::Ports(items)) => self.positions(items),
            _ => Positions::one(None),
        };
        let is_one = match captured {
            // Where one port is watched, the others of the list are not looked up.
            Some(Captured::Ports(items)) if self.watch.is_some() => matches!(&items[..], [PortItem::One(_)]),
            _ => ports.len() == 1,
        };
        // A line inside a VLAN that names ports speaks of the VLAN's members.
        let opener = self.reading.statements.get(at).and_then(|s| self.reading.openers(s).next());
        let in_vlan = opener.and_then(|o| self.dialect.rules().get(o.rule as usize)?.subject.as_ref());
        let origin = match in_vlan {
            Some(Subject::Vlan(_)) => Origin::Vlan,
            _ if is_one => Origin::Port,
            _ => Origin::Range,
        };
        About { at: (at, own), ports, origin }
    }

    /// The positions of a list's ports: each list is looked up once. Where one port is watched, no other counts.
    fn positions(&mut self, items: &'a Arc<[PortItem]>) -> Positions {
        let table = self.table;
        if let Some(port) = self.watch.and_then(|watch| watch.port) {
            return Positions::one(table.takes(items, port).then_some(port));
        }
        // Most name one port, and are quicker found than a list is known again.
        if let [PortItem::One(port)] = &items[..] {
            return Positions::one(table.position(port));
        }
        let several = self.lists.entry(items).or_insert_with(|| table.positions(items).into());
        Positions::Several(Arc::clone(several))
    }

    /// Where what is written for a port is kept: that of the one that is watched in the first place.
    fn place_of(&self, port: usize) -> usize {
        if self.watch.is_some_and(|watch| watch.port.is_some()) { 0 } else { port }
    }

    fn own(&mut self, statement: &'a Statement, effect: &Effect, at: usize, hole: &HoleRef) {
        let about = self.ports(at, hole);
        if let (true, [port]) = (statement.is_in(at) && self.watch.is_none(), &about.ports[..]) {
            self.block = Some(OfOnePort { opener: at, port: *port, origin: about.origin });
        }
        let id = effect.setting;
        for port in about.ports.iter().copied() {
            if effect.implied {
                let key = (port, id);
                let before = self.written.implied.get(&key).unwrap_or(&Slot::UNKNOWN);
                let now = self.changed(before, statement, effect, Origin::Implied);
                self.note(Some(port), now.as_ref());
                now.map(|now| self.written.implied.insert(key, now));
                continue;
            }
            let place = self.place_of(port);
            let before = self.written.ports.written(place, id).unwrap_or(&Slot::UNKNOWN);
            let Some(mut now) = self.changed(before, statement, effect, about.origin) else { continue };
            if now.is_unset() && self.goes_to_platform(effect) {
                now = self.platform(port, id, statement, about.origin);
            }
            self.note(Some(port), Some(&now));
            if now.is_unset() {
                self.written.taken_back.push((port, id));
            }
            self.written.ports.set(place, id, now);
        }
        self.about = Some(about);
    }

    /// Whether what is taken back leaves what the platform has, whatever profiles and global defaults say.
    fn goes_to_platform(&self, effect: &Effect) -> bool {
        effect.change == Change::ResetToPlatform || self.dialect.precedence().resets_to_platform
    }

    /// What the platform has for a setting on a port; where nobody says what, the line makes it unknown.
    fn platform(&self, port: usize, id: SettingId, statement: &Statement, origin: Origin) -> Slot {
        let of_kind = self.table.port(port).and_then(|port| self.dialect.default_of_kind(port, id));
        match of_kind.or_else(|| self.dialect.default_slot(id)) {
            Some(slot) => Slot { contested: true, ..slot.clone() },
            None => Slot { value: None, origin, mark: Some(statement.mark), contested: true },
        }
    }

    fn profile(&mut self, statement: &'a Statement, effect: &Effect, at: usize, profile: &ProfileRef) {
        let Some(name) = self.reading.statements.get(at).and_then(|s| self.profile_name(s, profile)) else { return };
        let origin = if effect.implied { Origin::Implied } else { Origin::Profile };
        let known = self.written.profiles.get(&name);
        let slots = known.map(|p| if effect.implied { &p.implied } else { &p.slots });
        let before = slots.and_then(|s| s.get(&effect.setting)).cloned().unwrap_or(Slot::UNKNOWN);
        let Some(now) = self.changed(&before, statement, effect, origin) else { return };
        self.note(None, Some(&now));
        let profile = self.written.profiles.entry(name).or_default();
        let slots = if effect.implied { &mut profile.implied } else { &mut profile.slots };
        slots.insert(effect.setting, now);
    }

    fn uses(&mut self, position: usize, statement: &'a Statement, profile: &ProfileRef) {
        let name = self.profile_name(statement, profile);
        if let Some(name) = name.as_ref().filter(|_| !statement.negated) {
            self.written.used_in.entry(name.clone()).or_insert(statement.mark);
        }
        let apply = |list: &mut Vec<ProfileName>| {
            list.retain(|there| name.as_ref().is_some_and(|name| there != name));
            list.extend(name.clone().filter(|_| !statement.negated));
        };
        match self.reading.subject(self.dialect, position) {
            Some((at, Subject::Ports(hole))) => {
                let about = self.ports(at, hole);
                for port in about.ports.iter() {
                    apply(self.written.uses.entry(*port).or_default());
                }
                self.about = Some(about);
            }
            Some((at, Subject::Profile(own))) => {
                let own = self.reading.statements.get(at).and_then(|s| self.profile_name(s, own));
                if let Some(own) = own {
                    apply(&mut self.written.profiles.entry(own).or_default().on);
                }
            }
            _ => {}
        }
    }

    fn used_by(&mut self, position: usize, statement: &'a Statement, hole: &HoleRef) {
        let Some((at, Subject::Profile(profile))) = self.reading.subject(self.dialect, position) else { return };
        let Some(name) = self.reading.statements.get(at).and_then(|s| self.profile_name(s, profile)) else { return };
        let Captured::Ports(items) = self.captured(statement, hole) else { return };
        for port in self.positions(items).iter().copied() {
            let list = self.written.uses.entry(port).or_default();
            list.retain(|there| *there != name);
            if !statement.negated {
                list.push(name.clone());
            }
        }
    }

    fn global(&mut self, statement: &'a Statement, effect: &Effect, reach: Reach) {
        let index = effect.setting.slot();
        let same = self.written.globals[index].iter().rposition(|g| g.reach == reach);
        let before = same.map_or(Slot::UNKNOWN, |i| self.written.globals[index][i].slot.clone());
        let Some(slot) = self.changed(&before, statement, effect, Origin::Global) else { return };
        self.note(None, Some(&slot));
        let globals = &mut self.written.globals[index];
        same.map(|i| globals.remove(i));
        globals.push(Global { reach, slot });
    }

    fn vlan(&mut self, statement: &'a Statement, effect: &Effect, at: usize, hole: &HoleRef) {
        let Some(opener) = self.reading.statements.get(at) else { return };
        let vlans: Vec<VlanId> = match self.captured(opener, hole) {
            Captured::Vlan(vlan) => vec![*vlan],
            Captured::Vlans(set) => set.iter().collect(),
            _ => return,
        };
        for vlan in vlans {
            let key = (vlan, effect.setting);
            let before = self.written.vlans.get(&key).cloned().unwrap_or(Slot::UNKNOWN);
            if let Some(now) = self.changed(&before, statement, effect, Origin::Vlan) {
                self.written.vlans.insert(key, now);
            }
        }
    }

    fn mirror(&mut self, statement: &'a Statement, effect: &Effect, at: usize, hole: &HoleRef) {
        let Some(name) = self.reading.statements.get(at).and_then(|s| self.name(s, hole)) else { return };
        let key = (name, effect.setting);
        let before = self.written.mirrors.get(&key).cloned().unwrap_or(Slot::UNKNOWN);
        if let Some(now) = self.changed(&before, statement, effect, Origin::Global) {
            self.written.mirrors.insert(key, now);
        }
    }

    /// What a slot becomes; `None` when the statement says nothing about it after all.
    fn changed<'e>(&self, before: &Slot, statement: &'a Statement, effect: &'e Effect, origin: Origin) -> Option<Slot> {
        let kind = effect.setting.info().kind;
        let values = |operands: &'e [Operand]| operands.iter().filter_map(|o| self.operand(o, statement, kind));
        let value = match &effect.change {
            Change::Set(operands) => Some(values(operands).next()?),
            Change::Add(operands) => {
                let added: Vec<Value> = values(operands).collect();
                (!added.is_empty()).then_some(())?;
                let base = before.value.clone().or_else(|| self.base(effect.setting, false));
                added.iter().try_fold(base?, |list, value| list.plus(value))
            }
            Change::Remove(operands) => {
                let removed: Vec<Value> = values(operands).collect();
                if removed.is_empty() {
                    return Some(Slot { contested: true, ..Slot::UNKNOWN });
                }
                let base = before.value.clone().or_else(|| self.base(effect.setting, true));
                base.and_then(|base| removed.iter().try_fold(base, |list, value| list.minus(value)))
            }
            Change::Reset | Change::ResetToPlatform => return Some(Slot { contested: true, ..Slot::UNKNOWN }),
        };
        Some(Slot { value, origin, mark: Some(statement.mark), contested: before.says_something() })
    }

    /// What a list holds while nothing is written: a trunk's VLANs are what it carries without a list, unless the platform
    /// begins one with the first VLAN that is added.
    fn base(&self, setting: SettingId, removing: bool) -> Option<Value> {
        let traits = self.dialect.traits();
        let by_membership = traits.holds(platform::MODE_FROM, "membership") == Some(true);
        let begins = !removing && traits.holds(platform::TRUNK_ADD, "starts-a-list") == Some(true);
        if setting == settings::TAGGED_VLANS.id && !by_membership && !begins {
            return if traits.holds(platform::TRUNK_WITHOUT_LIST, "all")? {
                Some(Value::Vlans(Arc::new(VlanSet::all())))
            } else {
                setting.info().kind.off()
            };
        }
        let default = self.dialect.default_slot(setting).and_then(|slot| slot.value.clone());
        default.or_else(|| setting.info().kind.off())
    }
}
