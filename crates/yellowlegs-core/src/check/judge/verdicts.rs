//! What each check, and each rule of the house, comes to on a switch and on a port.

use std::sync::Arc;

use super::{Judge, Told};
use crate::check::absorb::absorb;
use crate::check::questions::{CameTo, Known, Notes, Settled, Side};
use crate::check::verdict::{Unknown, Verdict, Violation};
use crate::check::{Check, PortView, SwitchCheck, SwitchView};
use crate::model::{SettingId, Value};
use crate::policy::{HouseRule, Name};

/// What a role derived from a fact lacks to judge that fact.
const DERIVED: &str = "a role that is not derived from VLAN and mode";

impl Judge<'_> {
    /// What every check of switches comes to, in the order in which they are told. Waivers play no part.
    pub fn switch_verdicts(&self, on: SwitchView<'_>) -> Vec<(&'static Check, Told)> {
        let verdict = |check: &'static Check, run: SwitchCheck| {
            if self.policy.level(check.id, None, check.level).is_none() {
                return Told::NotApplicable;
            }
            match run(&on) {
                Ok(Verdict::Met) => Told::Met,
                Ok(Verdict::NotApplicable) => Told::NotApplicable,
                Ok(Verdict::Violated(violations)) => Told::Violated(violations),
                Err(unknown) => Told::Undetermined(unknown.shared()),
            }
        };
        let mut told: Vec<_> = self.of_switch.iter().map(|(check, run)| (*check, verdict(check, *run))).collect();
        absorb(&mut told);
        told
    }

    /// What every check of ports comes to on one port, in the order in which they are told. Waivers play no part.
    pub fn verdicts(&self, view: &PortView<'_>) -> Vec<(&'static Check, Told)> {
        let mut told: Vec<_> = (0..self.checks.len()).filter_map(|position| self.verdict(view, position)).collect();
        absorb(&mut told);
        told
    }

    fn verdict(&self, view: &PortView<'_>, position: usize) -> Option<(&'static Check, Told)> {
        let (check, run) = *self.checks.get(position)?;
        let of_role = self.is_on.get(view.assigned.map_or(0, |assigned| assigned.role + 1))?;
        if !*of_role.get(position)? {
            return Some((check, Told::NotApplicable));
        }
        let told = match run(view).map(|verdict| as_the_role_asks(view, verdict)) {
            Ok(Verdict::NotApplicable) => Told::NotApplicable,
            Ok(verdict) => without_derived(check, view, verdict),
            Err(Unknown { needs }) if needs.iter().all(|name| may_be_anything(view, name)) => Told::NotApplicable,
            Err(unknown) => Told::Undetermined(unknown.shared()),
        };
        Some((check, told))
    }

    /// The same for the first of the ports that are alike, and what of it holds for the others. A check that was answered before as it would
    /// be now is not run.
    pub(super) fn first_alike(
        &self,
        port: usize,
        side: &mut Side<'_>,
        known: &mut Known,
        notes: &Notes,
    ) -> (Vec<(&'static Check, Told)>, Settled) {
        let (view, mut told, mut settled) = (side.on.port(port), Vec::new(), Settled::default());
        // What is kept is not noted again.
        let unnoted = side.on.without_notes().port(port);
        // Behind the checks come the rules of the house.
        let begin = known.begin(side, port, self.checks.len() + self.policy.rules.len());
        for group in begin.groups() {
            if let Some(together) = known.find_together(side, &begin, group) {
                for (position, came_to) in together {
                    self.asked_before(&unnoted, *position, came_to, &mut settled, &mut told);
                }
                continue;
            }
            for position in group.iter().copied() {
                if let Some(came_to) = known.find(side, &begin, position).cloned() {
                    self.asked_before(&unnoted, position, &came_to, &mut settled, &mut told);
                    continue;
                }
                notes.begin();
                let here = self.asked(&view, position, &mut settled, &mut told);
                if let Some(here) = here {
                    let here = if notes.went_beyond() { CameTo::Open } else { here };
                    known.keep(side, &begin, position, notes, here);
                }
            }
            known.keep_together(side, &begin, group);
        }
        absorb(&mut told);
        (told, settled)
    }

    /// What a check that was answered before as it is now comes to: it is run only where it came to something that every port has to be asked.
    fn asked_before(
        &self,
        view: &PortView<'_>,
        position: usize,
        came_to: &CameTo,
        settled: &mut Settled,
        told: &mut Vec<(&'static Check, Told)>,
    ) {
        match came_to {
            CameTo::Nothing => {}
            CameTo::Lacks(needs) => {
                settled.undetermined.push((position, Arc::clone(needs)));
                let lacks = |(check, _): &(&'static Check, _)| (*check, Told::Undetermined(Arc::clone(needs)));
                told.extend(self.checks.get(position).map(lacks));
            }
            CameTo::Open if position >= self.checks.len() => settled.rules.push(position - self.checks.len()),
            CameTo::Open => {
                self.asked(view, position, settled, told);
            }
        }
    }

    /// Whether a rule of the house has to be asked on every port that is alike: it holds, is undecided, or asks what is a port's own.
    fn asked_rule(&self, view: &PortView<'_>, position: usize, settled: &mut Settled) -> Option<CameTo> {
        let rule = self.policy.rules.get(position)?;
        let role = view.role().ok().map(|role| role.name.as_str());
        view.was_asked_who();
        let is_settled =
            self.policy.level(rule.id, role, rule.level).is_none() || matches!(house(view, rule), Ok(None));
        if is_settled && !view.was_asked_who() {
            return Some(CameTo::Nothing);
        }
        settled.rules.push(position);
        Some(CameTo::Open)
    }

    /// Runs a check: what it tells, and what of it holds for all that are alike. Of a rule of the house only whether it is to be asked.
    fn asked(
        &self,
        view: &PortView<'_>,
        position: usize,
        settled: &mut Settled,
        told: &mut Vec<(&'static Check, Told)>,
    ) -> Option<CameTo> {
        if let Some(rule) = position.checked_sub(self.checks.len()) {
            return self.asked_rule(view, rule, settled);
        }
        view.was_asked_who();
        let (check, verdict) = self.verdict(view, position)?;
        let here = match &verdict {
            Told::Violated(_) => CameTo::Open,
            _ if view.was_asked_who() => CameTo::Open,
            Told::Undetermined(needs) => CameTo::Lacks(Arc::clone(needs)),
            Told::Met | Told::NotApplicable => CameTo::Nothing,
        };
        match &here {
            CameTo::Nothing => {}
            CameTo::Lacks(needs) => settled.undetermined.push((position, Arc::clone(needs))),
            CameTo::Open => settled.open.push(position),
        }
        if !matches!(verdict, Told::Met | Told::NotApplicable) {
            told.push((check, verdict));
        }
        Some(here)
    }

    /// The same on a port of which another that is alike was judged.
    pub(super) fn again(&self, view: &PortView<'_>, settled: &Settled) -> Vec<(&'static Check, Told)> {
        let undetermined = settled.undetermined.iter().filter_map(|(position, needs)| {
            Some((*position, (self.checks.get(*position)?.0, Told::Undetermined(Arc::clone(needs)))))
        });
        let asked = settled.open.iter().filter_map(|position| Some((*position, self.verdict(view, *position)?)));
        let mut told: Vec<_> = undetermined.chain(asked).collect();
        told.sort_by_key(|(position, _)| *position);
        let mut told: Vec<_> = told.into_iter().map(|(_, told)| told).collect();
        absorb(&mut told);
        told
    }
}

/// What a rule of the house comes to on a port.
pub(super) fn house(view: &PortView<'_>, rule: &HouseRule) -> Result<Option<Violation>, Unknown> {
    let text = |text: &str| Some(Value::Text(text.into()));
    let value = |name: Name| match name {
        Name::Setting(id) => view.slot(id).value.clone(),
        Name::Port => text(view.switch().ports().get(view.port())?.as_str()),
        Name::Role => text(&view.role().ok()?.name),
        Name::Faces => text(view.role().ok()?.faces.word()),
    };
    let holds = rule.when.holds(value).map_err(|names| {
        let needs = names.into_iter().map(|name| match name {
            Name::Setting(id) => id.name(),
            Name::Port | Name::Role | Name::Faces => "role",
        });
        Unknown { needs: needs.collect() }
    })?;
    if !holds {
        return Ok(None);
    }
    let mut violation = Violation::saying(rule.message.clone()).demand(&rule.cite);
    for name in rule.when.names() {
        if let Name::Setting(id) = name {
            let shown = view.slot(id).value.as_ref().map_or_else(|| "unknown".to_owned(), ToString::to_string);
            violation = violation.beside(id).fact(id.name(), shown);
        }
    }
    Ok(Some(violation))
}

/// Whether the role of a port asks for the very value that a violation is caused by, or lets the setting be what it is.
pub(in crate::check) fn is_excused(on: SwitchView<'_>, port: usize, violation: &Violation) -> bool {
    let role = on.assigned(port).and_then(|assigned| on.policy().roles.get(assigned.role));
    let cause = violation.settings.first().filter(|id| id.info().scope == crate::model::Scope::Port);
    role.zip(cause).is_some_and(|(role, id)| {
        role.expect.is_any(*id) || role.expect.asks_for(*id, on.switch().slot(Some(port), *id).value.as_ref())
    })
}

/// A verdict without what the role of the port asks for.
fn as_the_role_asks(view: &PortView<'_>, verdict: Verdict) -> Verdict {
    let Verdict::Violated(mut violations) = verdict else { return verdict };
    let port = view.port();
    violations.retain(|violation| !is_excused(view.on(), violation.port.unwrap_or(port), violation));
    if violations.is_empty() { Verdict::NotApplicable } else { Verdict::Violated(violations) }
}

/// Whether a fact that is missing is a setting that the port's role lets be what it is.
fn may_be_anything(view: &PortView<'_>, name: &str) -> bool {
    let id = SettingId::by_name(name);
    id.is_some_and(|id| view.role().is_ok_and(|role| role.expect.is_any(id)))
}

/// A role derived from a fact cannot judge that fact: what hangs on it is undetermined, what does not stays.
fn without_derived(check: &Check, view: &PortView<'_>, verdict: Verdict) -> Told {
    let derived = view.assigned.map_or(&[][..], |assigned| assigned.derived_from());
    let judged = |id: &SettingId| check.judges.contains(id) && derived.contains(id);
    match verdict {
        Verdict::NotApplicable => Told::NotApplicable,
        Verdict::Met if check.judges.iter().any(judged) => Told::Undetermined([DERIVED].into()),
        Verdict::Met => Told::Met,
        Verdict::Violated(mut violations) => {
            violations.retain(|v| !v.settings.first().is_some_and(judged));
            if violations.is_empty() { Told::Undetermined([DERIVED].into()) } else { Told::Violated(violations) }
        }
    }
}
