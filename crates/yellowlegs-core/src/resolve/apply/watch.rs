//! One setting followed through all statements: what came of each, or the lines alone.

use super::Applier;
use crate::dialect::{Captured, Change, Dialect, Effect, HoleRef, Operand, Reading, Statement, Subject};
use crate::model::{Mark, Origin, Scope, SettingId};

/// A setting whose every change is to be noted.
#[derive(Debug, Clone, Copy)]
pub(in crate::resolve) struct Watch {
    pub(in crate::resolve) port: Option<usize>,
    /// On all ports, each by itself.
    pub(in crate::resolve) each: bool,
    pub(in crate::resolve) setting: SettingId,
}

/// The statements of each rule, those apart that only lead to others: most rules speak of other things than what is watched.
#[derive(Debug)]
pub(in crate::resolve) struct ByRule {
    /// The positions of statements, of one rule behind those of another.
    positions: Vec<u32>,
    /// By rule, where its own end.
    ends: Vec<u32>,
}

impl ByRule {
    pub(in crate::resolve) fn of(dialect: &Dialect, reading: &Reading) -> Self {
        let mut ends = vec![0_u32; dialect.rules().len()];
        let counted = || reading.statements.iter().enumerate().filter(|(_, statement)| !statement.leads);
        for (_, statement) in counted() {
            if let Some(count) = ends.get_mut(statement.rule as usize) {
                *count += 1;
            }
        }
        // Where each begins, which is where it ends once all of its own are put in.
        let mut begin = 0;
        for count in &mut ends {
            (*count, begin) = (begin, begin + *count);
        }
        let mut positions = vec![0; begin as usize];
        for (position, statement) in counted() {
            let Some(end) = ends.get_mut(statement.rule as usize) else { continue };
            if let Some(place) = positions.get_mut(*end as usize) {
                *place = position as u32;
            }
            *end += 1;
        }
        Self { positions, ends }
    }

    fn of_rule(&self, rule: usize) -> &[u32] {
        let begins = rule.checked_sub(1).and_then(|before| self.ends.get(before)).map_or(0, |end| *end as usize);
        let ends = self.ends.get(rule).map_or(begins, |end| *end as usize);
        self.positions.get(begins..ends).unwrap_or_default()
    }
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

    /// What the statements do of which the rules speak of the watched setting, in their order.
    fn watched(&self) -> impl Iterator<Item = (usize, &'a Statement, &'a Effect)> + use<'a> {
        let (rules, reading, watch) = (self.dialect.rules(), self.reading, self.watch);
        let speaks =
            rules.iter().enumerate().filter(|(_, rule)| watch.is_some_and(|w| rule.speaks.contains(w.setting)));
        let own = self.by_rule.is_none().then(|| ByRule::of(self.dialect, reading));
        let mut of_them = Vec::new();
        if let Some(by_rule) = self.by_rule.or(own.as_ref()) {
            speaks.for_each(|(rule, _)| of_them.extend_from_slice(by_rule.of_rule(rule)));
        }
        of_them.sort_unstable();
        of_them.into_iter().flat_map(|position| {
            let statement = reading.statements.get(position as usize);
            let rule = statement.and_then(|statement| Some((statement, rules.get(statement.rule as usize)?)));
            let effects = rule.map(|(statement, rule)| {
                rule.effects_of(statement.negated).iter().map(move |effect| (position as usize, statement, effect))
            });
            effects.into_iter().flatten()
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::Source;
    use proptest::prelude::*;
    use std::sync::Arc;

    const LINES: [&str; 6] = [
        "lay berth a:1 calling tagged 210",
        "lift berth a:1 calling tagged 210",
        "lift berth a:2",
        "lay berth a:1 to 3 drift",
        "lay water 110 bare a:1 to 2",
        "drift",
    ];

    proptest! {
        /// Each rule has its own statements, in their order, and none that only leads to another.
        #[test]
        fn statements_are_those_of_their_rules(lines in prop::collection::vec(prop::sample::select(&LINES[..]), 0..12)) {
            let fathom = Source::of("fathom.toml", include_str!("../../../../../demo/dialects/fathom.toml"));
            let dialect = Dialect::load(&Arc::new(fathom)).unwrap();
            let text = format!("lay vessel t\nlay berths a:1 to 4\n{}\n", lines.join("\n"));
            let reading = dialect.read(&Source::of("t", text), 1);
            let by_rule = ByRule::of(&dialect, &reading);
            let mut found = 0;
            for rule in 0..dialect.rules().len() {
                let is_of = |(_, statement): &(usize, &Statement)| statement.rule as usize == rule && !statement.leads;
                let own = reading.statements.iter().enumerate().filter(is_of).map(|(position, _)| position as u32);
                let own: Vec<u32> = own.collect();
                prop_assert_eq!(by_rule.of_rule(rule), &own[..]);
                found += own.len();
            }
            prop_assert!(found >= 2, "nothing is read");
        }
    }
}
