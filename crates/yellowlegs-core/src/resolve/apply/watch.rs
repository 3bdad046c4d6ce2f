//! One setting followed through all statements: what came of each, or the lines alone.

use super::Applier;
use crate::dialect::{Captured, Change, Effect, HoleRef, Operand, Statement, Subject};
use crate::model::{Mark, Origin, Scope, SettingId};

/// A setting whose every change is to be noted.
#[derive(Debug, Clone, Copy)]
pub(in crate::resolve) struct Watch {
    pub(in crate::resolve) port: Option<usize>,
    /// On all ports, each by itself.
    pub(in crate::resolve) each: bool,
    pub(in crate::resolve) setting: SettingId,
}

impl<'a> Applier<'a> {
    /// Goes through the statements of the rules that speak of the watched setting: most do not.
    pub(super) fn follow(&mut self) {
        for (position, statement, effect) in self.watched() {
            if self.counts(effect) {
                self.effect(position, statement, effect);
            }
        }
    }

    /// What the statements do of which the rules speak of the watched setting.
    fn watched(&self) -> impl Iterator<Item = (usize, &'a Statement, &'a Effect)> + use<'a> {
        let (rules, reading, watch) = (self.dialect.rules(), self.reading, self.watch);
        let speak: Vec<bool> =
            rules.iter().map(|rule| watch.is_some_and(|w| rule.speaks.contains(w.setting))).collect();
        let speaks = |statement: &Statement| {
            !statement.leads && speak.get(statement.rule as usize).is_some_and(|speaks| *speaks)
        };
        // Most speak of other things: one look at each of all, and more at the few that do not.
        let mut of_them = Vec::new();
        for (position, statement) in reading.statements.iter().enumerate() {
            if speaks(statement) {
                of_them.push((position, statement));
            }
        }
        of_them.into_iter().flat_map(|(position, statement)| {
            let effects = rules.get(statement.rule as usize).map(|rule| rule.effects_of(statement.negated));
            effects.into_iter().flatten().map(move |effect| (position, statement, effect))
        })
    }

    /// Whether a statement's list of ports names the one that is watched: most name another.
    fn names_watched(&self, at: usize, hole: &HoleRef) -> bool {
        let Some(port) = self.watch.and_then(|watch| watch.port) else { return true };
        let captured = self.reading.statements.get(at).map(|statement| self.captured(statement, hole));
        matches!(captured, Some(Captured::Ports(items)) if self.table.takes(items, port))
    }

    /// The marks of what `follow` would note, without working it out; `None` where one hangs on what came before.
    pub(in crate::resolve) fn marks(mut self) -> Option<Vec<Mark>> {
        let mut marks = Vec::new();
        for (position, statement, effect) in self.watched() {
            if !self.counts(effect) {
                continue;
            }
            let own = effect.about.as_ref().map(|subject| (position, subject));
            let subject = own.or_else(|| self.reading.subject(self.dialect, position));
            let port = match (effect.setting.info().scope, subject) {
                (Scope::Switch, _) | (Scope::Port, Some((_, Subject::Reach(_)))) => None,
                (Scope::Port, Some((at, Subject::Ports(hole)))) => {
                    if !self.names_watched(at, hole) {
                        continue;
                    }
                    let about = self.ports(at, hole);
                    let port = about.ports.first().copied();
                    self.about = Some(about);
                    if port.is_none() {
                        continue;
                    }
                    port
                }
                (Scope::Port, Some((at, Subject::Profile(profile)))) => {
                    let opener = self.reading.statements.get(at);
                    if opener.and_then(|opener| self.profile_name(opener, profile)).is_none() {
                        continue;
                    }
                    None
                }
                (Scope::Port | Scope::Vlan | Scope::Mirror, _) => continue,
            };
            let kind = effect.setting.info().kind;
            let says = |operands: &[Operand]| operands.iter().any(|o| self.operand(o, statement, kind).is_some());
            let is_said = match &effect.change {
                Change::Set(operands) | Change::Remove(operands) => says(operands),
                Change::Add(operands) if says(operands) => self.base(effect.setting, false).map(|_| true)?,
                Change::Add(_) => false,
                Change::Reset | Change::ResetToPlatform => false,
            };
            let resets = !is_said && !matches!(effect.change, Change::Set(_) | Change::Add(_));
            let platform = port.filter(|_| resets && !effect.implied && self.goes_to_platform(effect));
            let platform = platform.and_then(|port| self.platform(port, effect.setting, statement, Origin::Port).mark);
            marks.extend(if is_said { Some(statement.mark) } else { platform });
        }
        Some(marks)
    }
}
