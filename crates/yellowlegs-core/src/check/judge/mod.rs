//! Runs every check on a switch and on each of its ports: levels, absorption, waivers, and what is reported.

mod verdicts;

use std::collections::BTreeMap;
use std::ptr;
use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::doubt::{Doubts, Shadow};
use super::fleet::{Digest, Usage, foresee};
use super::questions::{Known, Notes, Side, Stores};
use super::say::{Subject, finding, waiver_shown};
use super::verdict::Violation;
use super::{Check, PortCheck, PortView, Run, Selection, SwitchCheck, SwitchView, all};
use crate::dialect::Lists;
use crate::finding::{Finding, Levels, Needs, PortShown, Standing, SwitchOutcome, SwitchRow, Undecided, UnreadRow};
use crate::model::{PortName, Remark, Switch, is_too_old, settings};
use crate::policy::{AsOf, Level, Policy, assign};
use crate::resolve::Resolved;
use crate::sorted;
use verdicts::house;
pub(super) use verdicts::is_excused;

/// Judges switches by a policy at a time.
pub struct Judge<'p> {
    policy: &'p Policy,
    as_of: &'p AsOf,
    selection: &'p Selection,
    raw: bool,
    checks: Vec<(&'static Check, PortCheck)>,
    of_switch: Vec<(&'static Check, SwitchCheck)>,
    /// Where each of the checks of ports stands.
    places: FxHashMap<&'static str, usize>,
    /// Without a role, then by role: whether each of the checks of ports is on.
    is_on: Vec<Vec<bool>>,
    /// The names of the roles.
    roles: Vec<Arc<str>>,
    known: Stores,
}

/// A switch, judged: what is reported, and what the fleet's checks need of it.
pub struct Judged {
    /// What is reported.
    pub outcome: SwitchOutcome,
    /// Which entries of the policy had a hand in it.
    pub usage: Usage,
    /// What the fleet's checks need to know of it.
    pub digest: Digest,
    /// The same with everything doubtful unknown, where something is.
    pub doubtful: Option<Digest>,
}

/// What a port, or the switch, came to, and which checks are undecided only because lines are not understood.
struct Cast {
    told: Vec<(&'static Check, Told)>,
    doubted: Vec<&'static Check>,
    /// The rules of the house that are to be asked.
    rules: Vec<usize>,
    /// Those that are with everything doubtful unknown.
    rules_if_certain: Vec<usize>,
}

/// Where doubts are looked up: the switch with everything doubtful unknown, if something is.
#[derive(Clone, Copy)]
struct Around<'a> {
    lists: Option<&'a Lists>,
    shadow: Option<&'a Shadow>,
    chosen: bool,
}

/// What one check came to on one port.
#[derive(Debug, Clone)]
pub enum Told {
    /// It looked and all is right.
    Met,
    /// It does not make sense here, the policy switched it off, or another check says it better.
    NotApplicable,
    /// Something is wrong.
    Violated(Vec<Violation>),
    /// These facts are missing.
    Undetermined(Needs),
}

impl<'p> Judge<'p> {
    /// `raw`: unread lines are shown as they are.
    pub fn new(policy: &'p Policy, as_of: &'p AsOf, selection: &'p Selection, raw: bool) -> Self {
        let (mut checks, mut of_switch) = (Vec::new(), Vec::new());
        for check in all() {
            match check.run {
                Run::Port(run) => checks.push((check, run)),
                Run::Switch(run) => of_switch.push((check, run)),
                Run::Fleet(_) | Run::Entries(_) => {}
            }
        }
        let names = policy.roles.iter().map(|role| Arc::from(role.name.as_str())).collect();
        let roles = std::iter::once(None).chain(policy.roles.iter().map(|role| Some(role.name.as_str())));
        let is_on =
            |role| checks.iter().map(|(check, _)| policy.level(check.id, role, check.level).is_some()).collect();
        let is_on = roles.map(is_on).collect();
        let places = checks.iter().enumerate().map(|(position, (check, _))| (check.id, position)).collect();
        Self { policy, as_of, selection, raw, checks, of_switch, places, is_on, roles: names, known: Stores::default() }
    }

    /// Lets go of what was kept for the next switches: once the many are judged, few come after them.
    pub fn rest(&self) {
        self.known.clear();
    }

    /// Judges one switch.
    pub fn switch(&self, resolved: &Resolved, lists: Option<&Lists>) -> Judged {
        let switch = &resolved.switch;
        let roles = assign(self.policy, switch, lists);
        let mut usage = Usage::of(&roles);
        let mut outcome = SwitchOutcome::default();
        let chosen = self.selection.takes_switch(switch.name());
        let mut ports = 0;
        let on = SwitchView::new(resolved, self.policy, &roles, self.as_of);
        let shadow = Shadow::of(self.policy, resolved, &roles);
        let around = Around { lists, shadow: shadow.as_ref(), chosen };
        let certain = shadow.as_ref().map(|shadow| shadow.view(self.policy, self.as_of));
        let mut placed = self.on_switch(on, certain, around, &mut outcome, &mut usage);
        let (notes, mut known) = (Notes::default(), self.known.take());
        let mut side = known.side(on.noting(&notes));
        let mut side_certain = certain.map(|on| known.side(on.noting(&notes)));
        for view in on.ports() {
            let port = view.port();
            let (told, rules) = self.of_port(port, &mut side, &mut known, &notes);
            let mut cast = Cast { told, doubted: Vec::new(), rules, rules_if_certain: Vec::new() };
            if let Some((certain, shadow)) = side_certain.as_mut().zip(shadow.as_ref()) {
                let (certain, rules) = self.of_port(port, certain, &mut known, &notes);
                cast.doubted = shadow.cast(&mut cast.told, certain);
                cast.rules_if_certain = rules;
                // In the order of the checks, whichever of them were settled before.
                if !cast.doubted.is_empty() {
                    cast.told.sort_by_cached_key(|(check, _)| self.places.get(check.id));
                }
            }
            let certain = certain.map(|on| on.port(port));
            let role = view.role().ok().map(|r| r.name.as_str());
            let around = Around { chosen: chosen && self.selection.takes_port(view.name(), role), ..around };
            let (first, open) = (outcome.findings.len(), outcome.undetermined.len());
            self.port((&view, certain.as_ref()), cast, around, &mut outcome, &mut usage);
            make_room(&mut outcome.undetermined, open, switch.ports().len() - port);
            let placed = placed.remove(&Some(port)).into_iter().flatten();
            outcome.findings.extend(placed.filter(|f| around.chosen && self.selection.takes_check(f.check)));
            if around.chosen {
                ports += 1;
                sorted::by_key(&mut outcome.findings[first..], |f| (f.check, f.vlan));
                self.show(&view, &mut outcome);
            }
        }
        self.known.give_back(known);
        let digest = foresee(Digest::of(on), on, self.as_of);
        let doubtful = certain.map(Digest::of);
        super::mirror::note_entries(on, &mut usage);
        usage.place(self.policy, &digest);
        if chosen {
            let contradictions = super::contradictions::contradictions(on);
            let remarks = roles.remarks.into_iter().chain(contradictions).collect();
            self.finish(switch, remarks, ports, &mut outcome);
        }
        debug_assert!(placed.is_empty(), "a finding stands on a port that is not there");
        Judged { outcome, usage, digest, doubtful }
    }

    /// What the checks come to on a port, without those that are met or do not apply, and the rules of the house that are to be asked; on ports
    /// that are alike once for all.
    fn of_port(
        &self,
        port: usize,
        side: &mut Side<'_>,
        known: &mut Known,
        notes: &Notes,
    ) -> (Vec<(&'static Check, Told)>, Vec<usize>) {
        let first = side.on.first_alike(port);
        match side.settled.get(&first).map(Arc::clone) {
            Some(settled) => (self.again(&side.on.without_notes().port(port), &settled), settled.rules.clone()),
            None => {
                let (told, settled) = self.first_alike(port, side, known, notes);
                let rules = settled.rules.clone();
                side.settled.insert(port, Arc::new(settled));
                (told, rules)
            }
        }
    }

    /// The checks of the switch: what stands on it goes into the outcome, what stands on a port comes back.
    fn on_switch(
        &self,
        on: SwitchView<'_>,
        certain: Option<SwitchView<'_>>,
        around: Around<'_>,
        outcome: &mut SwitchOutcome,
        usage: &mut Usage,
    ) -> BTreeMap<Option<usize>, Vec<Finding>> {
        let reported = around.chosen && !self.selection.names_ports();
        let mut placed: BTreeMap<Option<usize>, Vec<Finding>> = BTreeMap::new();
        let mut told = self.switch_verdicts(on);
        let doubted = around.shadow.zip(certain).map(|(shadow, certain)| self.doubted(&mut told, certain, shadow));
        let doubted = doubted.unwrap_or_default();
        let mut doubts = Doubts::of(around.shadow, None);
        for (check, told) in told {
            match told {
                Told::Met | Told::NotApplicable => {}
                Told::Undetermined(needs) => {
                    let level = self.policy.level(check.id, None, check.level);
                    if let Some(level) = level.filter(|_| reported && self.selection.takes_check(check.id)) {
                        outcome.undetermined.push(undecided(check, level, None, needs, &doubted, &mut doubts));
                    }
                }
                Told::Violated(violations) => {
                    for violation in violations {
                        let port = violation.port;
                        if port.is_some_and(|port| is_excused(on, port, &violation)) {
                            continue;
                        }
                        let role = port.and_then(|p| self.policy.roles.get(on.assigned(p)?.role));
                        let role = role.map(|r| r.name.as_str());
                        let Some(level) = self.policy.level(check.id, role, check.level) else { continue };
                        let mut finding = finding(check.into(), level, Subject { on, port }, violation);
                        waive(self.policy, self.as_of, &mut finding, on, port, around.lists, usage);
                        placed.entry(port).or_default().push(finding);
                    }
                }
            }
        }
        let own = placed.remove(&None).unwrap_or_default();
        outcome.findings.extend(own.into_iter().filter(|f| reported && self.selection.takes_check(f.check)));
        sorted::by_key(&mut outcome.findings, |f| (f.check, f.vlan));
        placed
    }

    /// Casts doubt on what the checks of the switch came to.
    fn doubted(
        &self,
        told: &mut Vec<(&'static Check, Told)>,
        certain: SwitchView<'_>,
        shadow: &Shadow,
    ) -> Vec<&'static Check> {
        shadow.cast(told, shadow.with_more_ports(self.switch_verdicts(certain)))
    }

    /// What every check of the switch and of its ports comes to, doubt cast: by port (none: the switch) and check. Waivers
    /// play no part.
    pub fn told(&self, resolved: &Resolved, lists: Option<&Lists>) -> Vec<(Option<usize>, &'static Check, Told)> {
        let roles = assign(self.policy, &resolved.switch, lists);
        let on = SwitchView::new(resolved, self.policy, &roles, self.as_of);
        let shadow = Shadow::of(self.policy, resolved, &roles);
        let certain = shadow.as_ref().map(|shadow| shadow.view(self.policy, self.as_of));
        let mut of_switch = self.switch_verdicts(on);
        let doubts = shadow.as_ref().zip(certain);
        doubts.map(|(shadow, certain)| self.doubted(&mut of_switch, certain, shadow));
        let mut all: Vec<_> = of_switch.into_iter().map(|(check, told)| (None, check, told)).collect();
        for view in on.ports() {
            let port = view.port();
            let mut told = self.verdicts(&view);
            doubts.map(|(shadow, certain)| shadow.cast(&mut told, self.verdicts(&certain.port(port))));
            all.extend(told.into_iter().map(|(check, told)| (Some(port), check, told)));
        }
        all
    }

    fn finish(&self, switch: &Switch, remarks: Vec<Remark>, ports: usize, outcome: &mut SwitchOutcome) {
        outcome.unread = UnreadRow::of(switch, self.raw);
        outcome.remarks.extend(switch.remarks().iter().cloned().chain(remarks));
        outcome.has_state = switch.has_state();
        outcome.row = Some(SwitchRow {
            walk: switch.is_known_by_walk(),
            switch: Arc::clone(switch.name()),
            dialect: switch.dialect().cloned(),
            ports: ports as u32,
            violating_ports: outcome.counts().violating as u32,
            lines: switch.lines(),
            unread_lines: switch.unread().len() as u32,
            findings: Levels::default(),
        });
    }

    /// Notes a reported port with the gravest thing to be said of it.
    fn show(&self, view: &PortView<'_>, outcome: &mut SwitchOutcome) {
        let Some(name) = view.switch().ports().get(view.port()) else { return };
        let of_port = outcome.findings.iter().rev().take_while(|f| f.port.as_deref() == Some(name.as_str()));
        let open = outcome.undetermined.last().is_some_and(|open| open.port.as_deref() == Some(name.as_str()));
        let open = if open { Standing::Undetermined } else { Standing::Clean };
        outcome.ports.push(PortShown {
            position: view.port(),
            name: name.clone(),
            role: view.assigned.and_then(|assigned| self.roles.get(assigned.role)).map(Arc::clone),
            description: view.switch().setting(Some(view.port()), settings::DESCRIPTION).value,
            standing: of_port.map(Standing::of).chain([open]).min().unwrap_or(open),
        });
    }

    /// All checks on one port. Where it was chosen its findings go into the outcome, and what could not be decided.
    fn port(
        &self,
        (view, certain): (&PortView<'_>, Option<&PortView<'_>>),
        Cast { told, doubted, rules, rules_if_certain }: Cast,
        around: Around<'_>,
        outcome: &mut SwitchOutcome,
        usage: &mut Usage,
    ) {
        let Around { lists, chosen, .. } = around;
        let role = view.role().ok().map(|r| r.name.as_str());
        let reported = |check: &str| chosen && self.selection.takes_check(check);
        let place = || view.switch().ports().get(view.port()).map(PortName::shared);
        let mut doubts = Doubts::of(around.shadow, Some(view.port()));
        for (check, told) in told {
            if matches!(told, Told::Met | Told::NotApplicable) {
                continue;
            }
            let Some(level) = self.policy.level(check.id, role, check.level) else { continue };
            match told {
                Told::Met | Told::NotApplicable => {}
                Told::Undetermined(needs) => {
                    if reported(check.id) {
                        outcome.undetermined.push(undecided(check, level, place(), needs, &doubted, &mut doubts));
                    }
                }
                Told::Violated(violations) => {
                    for violation in violations {
                        let subject = Subject { on: view.on(), port: Some(view.port()) };
                        let mut finding = finding(check.into(), level, subject, violation);
                        waive(self.policy, self.as_of, &mut finding, view.on(), Some(view.port()), lists, usage);
                        if reported(check.id) {
                            outcome.findings.push(finding);
                        }
                    }
                }
            }
        }
        for (position, rule) in self.policy.rules.iter().enumerate() {
            let certain = certain.filter(|_| rules_if_certain.contains(&position));
            let is_open = rules.contains(&position);
            if !is_open && certain.is_none() {
                continue;
            }
            let Some(level) = self.policy.level(rule.id, role, rule.level) else { continue };
            let mut open = |needs: Needs, doubts| {
                if reported(rule.id) {
                    let (level, port) = (Some(level), place());
                    outcome.undetermined.push(Undecided { check: rule.id, level, port, needs, doubts });
                }
            };
            match if is_open { house(view, rule) } else { Ok(None) } {
                Ok(None) => {
                    let unknown = certain.and_then(|certain| super::doubt::cast_house(house(certain, rule)));
                    if let Some(needs) = unknown.map(|unknown| unknown.shared()) {
                        let lines = doubts.lines(&needs);
                        open(needs, lines);
                    }
                }
                Ok(Some(violation)) => {
                    let subject = Subject { on: view.on(), port: Some(view.port()) };
                    let mut finding = finding(rule.into(), level, subject, violation);
                    waive(self.policy, self.as_of, &mut finding, view.on(), Some(view.port()), lists, usage);
                    if reported(rule.id) {
                        outcome.findings.push(finding);
                    }
                }
                Err(unknown) => open(unknown.shared(), Arc::default()),
            }
        }
    }
}

/// Makes room for what will be open on the ports that follow, where there is none: as much on each as on the one whose own begins at `open`.
fn make_room(undetermined: &mut Vec<Undecided>, open: usize, ports: usize) {
    let own = undetermined.len() - open;
    if undetermined.capacity() < undetermined.len() + own {
        undetermined.reserve_exact(own * ports);
    }
}

/// A check that could not be decided. One of state counts for the exit code only where state was read that is too old or
/// not understood; that a switch tells nothing is no fault of it.
fn undecided(
    check: &Check,
    level: Level,
    port: Option<Arc<str>>,
    needs: Needs,
    doubted: &[&'static Check],
    doubts: &mut Doubts<'_>,
) -> Undecided {
    let is_doubted = doubted.iter().any(|doubted| ptr::eq(*doubted, check));
    let doubts = if is_doubted { doubts.lines(&needs) } else { Arc::default() };
    let counts = is_doubted || !check.is_state() || needs.iter().any(|need| is_too_old(need));
    Undecided { check: check.id, level: counts.then_some(level), port, needs, doubts }
}

/// Applies the first waiver in force that covers a finding, and notes every one that does.
pub(super) fn waive(
    policy: &Policy,
    as_of: &AsOf,
    finding: &mut Finding,
    on: SwitchView<'_>,
    port: Option<usize>,
    lists: Option<&Lists>,
    usage: &mut Usage,
) {
    let switch = on.switch();
    for (position, waiver) in policy.waivers_on(switch.name()) {
        if !crate::policy::names_check(&waiver.check, finding.check) {
            continue;
        }
        let here = waiver.port.as_ref().is_none_or(|ports| {
            let named = ports.positions(switch, lists);
            named.zip(port).is_some_and(|(positions, port)| positions.contains(&port))
        });
        if !here {
            continue;
        }
        usage.covers(position, finding);
        if finding.waiver.is_none() && as_of.date() <= waiver.last_day {
            finding.waiver = Some(Box::new(waiver_shown(waiver)));
        }
    }
}
