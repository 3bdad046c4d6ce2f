//! What worked before each step, and whether it works after it.
//!
//! Drills are played where a step can matter, and nowhere else. Each outcome is kept with the settings that were asked for it, of each
//! switch: it holds until one of them changes.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::reach::{self, Map};
use super::{Broke, Site, Step};
use crate::drill::{Around, Outcome, Rehearser};
use crate::model::{Scope, SettingId, SettingSet, Value, settings};
use crate::policy::{Assigned, Assignment, assign, derived_from};
use crate::resolve::{About, Resolved};

/// The drills of those who are right: what they come to may not become worse on the way.
const LEGITIMATE: &[&str] = &["real-server", "phone-boot", "desk-boot", "stream-join"];

/// Those of them that cross other switches.
const CROSSING: &[&str] = &["real-server", "stream-join"];

/// So many unlike ports of a VLAN are tried until one is found on which something works that crosses other switches.
const TRIED: usize = 3;

/// How the legitimate drills end on a port, and on what that hangs.
struct Kept {
    outcomes: Vec<(&'static str, Outcome, String)>,
    role: Option<Assigned>,
    /// The settings of its own switch that were asked.
    own: SettingSet,
    /// Those of ports among them, as they were.
    values: Vec<(SettingId, Option<Value>)>,
    /// The settings of other switches.
    beyond: Vec<(usize, SettingSet)>,
    /// Others may be like it: nothing sets the port apart.
    is_common: bool,
}

impl Kept {
    fn outcome(&self, drill: &str) -> Option<&(&'static str, Outcome, String)> {
        self.outcomes.iter().find(|(name, ..)| *name == drill)
    }

    /// Whether something works here that crosses other switches.
    fn crosses(&self, drill: &str) -> bool {
        self.outcome(drill).is_some_and(|(_, outcome, _)| !matches!(outcome, Outcome::Outage | Outcome::Undetermined))
    }

    fn hangs_beyond_on(&self, switch: usize, changed: SettingSet) -> bool {
        self.beyond.iter().any(|(at, asked)| *at == switch && asked.meets(changed))
    }

    /// The first drill that became worse.
    fn worse(&self, now: &Self) -> Option<(&'static str, String)> {
        self.outcomes.iter().find_map(|(drill, before, _)| {
            let (_, after, says) = now.outcome(drill)?;
            is_worse(*before, *after)
                .then(|| (*drill, format!("{} before, now {}: {says}", before.word(), after.word())))
        })
    }
}

/// Whether it became worse: what held holds no more, or what worked, if with a leak, works no more.
fn is_worse(before: Outcome, after: Outcome) -> bool {
    let fails = matches!(after, Outcome::Outage | Outcome::Undetermined);
    match before {
        Outcome::Outage | Outcome::Undetermined => false,
        Outcome::LetThrough => fails,
        Outcome::Agreed | Outcome::Told | Outcome::Held => fails || after == Outcome::LetThrough,
    }
}

/// What is known of one switch.
#[derive(Default)]
struct Known {
    roles: Option<Arc<Assignment>>,
    /// By port.
    kept: BTreeMap<usize, Arc<Kept>>,
    /// A port of each VLAN on which something works that crosses other switches.
    sample: Option<BTreeSet<usize>>,
}

/// What worked after the last look.
pub(super) struct Watch<'m> {
    map: &'m Map,
    around: Around,
    known: Vec<Known>,
    reached: BTreeSet<usize>,
    /// How often a drill was held against what it came to before.
    pub(super) drills: usize,
    seldom: Seldom,
}

/// Steps that no drill looks at are most of many plans. Which settings drills ask shows by playing them: what none of many has asked is
/// taken for one that none asks, and whoever asks it later shows that it was not so.
#[derive(Default)]
struct Seldom {
    /// Every step is looked at.
    off: bool,
    plays: usize,
    asked: SettingSet,
    passed_over: SettingSet,
}

/// So many ports are played on before what none of them asked is passed over.
const MANY: usize = 200;

impl Seldom {
    fn passes_over(&mut self, changed: SettingSet) -> bool {
        let passes = !self.off && self.plays >= MANY && !self.asked.meets(changed);
        if passes {
            self.passed_over = self.passed_over.union(changed);
        }
        passes
    }

    fn note(&mut self, kept: &Kept) {
        self.plays += 1;
        let beyond = kept.beyond.iter().map(|(_, asked)| *asked);
        self.asked = beyond.fold(self.asked.union(kept.own), SettingSet::union);
    }
}

/// What some steps can matter to.
pub(super) struct Reach {
    /// The switch that they change.
    at: usize,
    /// The settings that they change.
    changed: SettingSet,
    /// The ports that they are about; none: all of the switch.
    own: Option<BTreeSet<usize>>,
}

impl<'m> Watch<'m> {
    pub(super) fn of(site: &Site<'_>, map: &'m Map) -> Self {
        let known = site.switches().map(|_| Known::default()).collect();
        let (around, reached) = (site.around(), reach::reached(site, map));
        Self { map, around, known, reached, drills: 0, seldom: Seldom::default() }
    }

    /// The same, which passes over no step.
    pub(super) fn of_every_step(self) -> Self {
        Self { seldom: Seldom { off: true, ..Seldom::default() }, ..self }
    }

    /// Whether a step was passed over that a drill may look at.
    pub(super) fn has_missed(&self) -> bool {
        self.seldom.asked.meets(self.seldom.passed_over)
    }

    /// Looks at what some steps can matter to, before they are made.
    pub(super) fn before(&mut self, site: &Site<'_>, steps: &[&Step]) -> Option<Reach> {
        let name = &steps.first()?.change.switch;
        let (at, resolved) = (site.number(name)?, site.get(name)?);
        let own = own_ports(&self.around, site, resolved, steps);
        let changed = steps
            .iter()
            .flat_map(|step| std::iter::once(step.change.setting).chain(step.also.iter().map(|(_, setting)| *setting)));
        let reach = Reach { at, changed: changed.collect(), own };
        let may_pass = reach.own.is_some() && !derived_from().meets(reach.changed);
        if may_pass && self.seldom.passes_over(reach.changed) {
            return None;
        }
        self.keep(site, at, &reach.ports(resolved));
        if reach.own.is_none() && self.around.is_on_the_way(name) {
            (0..self.known.len()).filter(|other| *other != at).for_each(|other| self.take_sample(site, other));
        }
        Some(reach)
    }

    /// Looks again, when they are made: the first thing that became worse.
    pub(super) fn after(&mut self, site: &Site<'_>, reach: &Reach) -> Option<Broke> {
        let Reach { at, changed, own } = reach;
        let resolved = site.at(*at)?;
        let is_on_the_way = self.around.is_on_the_way(resolved.switch.name());
        let known = &mut self.known[*at];
        known.sample = None;
        if derived_from().meets(*changed) {
            known.roles = None;
        }
        let roles = known.roles(site, resolved);
        let is_other = self.around.update(resolved, site.policy, site.as_of, &roles);
        if self.around.is_stale() {
            self.around = site.around();
        }
        let role_of = |port: &usize| roles.ports.get(*port).copied().flatten();
        let hangs = |port: &usize, kept: &Kept| is_other || kept.own.meets(*changed) || kept.role != role_of(port);
        let mut broke = self.again(site, *at, &reach.ports(resolved), &hangs);
        if own.is_some() {
            return broke;
        }
        if is_on_the_way {
            // What of others crosses this switch hangs on their VLAN alone: one port of each.
            for other in (0..self.known.len()).filter(|other| other != at) {
                let hangs = |_: &usize, kept: &Kept| is_other || kept.hangs_beyond_on(*at, *changed);
                let known = &mut self.known[other];
                let sample = known.sample.clone().unwrap_or_default();
                known.kept.retain(|port, kept| sample.contains(port) || !hangs(port, kept));
                broke = broke.or(self.again(site, other, &sample, &hangs));
            }
        }
        let before = std::mem::take(&mut self.reached);
        let lost = if is_on_the_way {
            self.reached = reach::reached(site, self.map);
            before.difference(&self.reached).next().copied()
        } else {
            // It is nobody's way but its own.
            let is_lost = before.contains(at) && !reach::is_reached(site, self.map, &before, *at);
            self.reached = before;
            if is_lost {
                self.reached.remove(at);
            }
            is_lost.then_some(*at)
        };
        broke.or_else(|| {
            Some(Broke {
                step: 0,
                what: "the way in".to_owned(),
                switch: Arc::clone(site.at(lost?)?.switch.name()),
                port: None,
                says: "the switch is not reached any more from where the engineer comes in".to_owned(),
            })
        })
    }

    /// Plays the drills on those ports on which they were not played yet.
    fn keep(&mut self, site: &Site<'_>, at: usize, ports: &BTreeSet<usize>) {
        let Some(resolved) = site.at(at) else { return };
        let known = &mut self.known[at];
        if ports.iter().all(|port| known.kept.contains_key(port)) {
            return;
        }
        let rehearser = known.rehearser(site, resolved, &self.around);
        for port in ports {
            if !known.kept.contains_key(port) {
                let kept = known.like(&rehearser, resolved, *port);
                let kept = kept.unwrap_or_else(|| played(&rehearser, site, resolved, *port, &mut self.seldom));
                known.kept.insert(*port, kept);
            }
        }
    }

    /// Plays them again on those ports on which that hangs on what was changed: the first that became worse.
    fn again(
        &mut self,
        site: &Site<'_>,
        at: usize,
        ports: &BTreeSet<usize>,
        hangs: &dyn Fn(&usize, &Kept) -> bool,
    ) -> Option<Broke> {
        let resolved = site.at(at)?;
        let known = &mut self.known[at];
        let due = |port: &usize| Some((*port, known.kept.get(port).filter(|kept| hangs(port, kept)).cloned()?));
        let due: Vec<(usize, Arc<Kept>)> = ports.iter().filter_map(due).collect();
        // What is held against it was all that was known of these ports: none of them is like another by what it came to before.
        due.iter().for_each(|(port, _)| _ = known.kept.remove(port));
        let rehearser = known.rehearser(site, resolved, &self.around);
        let mut broke = None;
        for (port, before) in due {
            let kept = known.like(&rehearser, resolved, port);
            let kept = kept.unwrap_or_else(|| played(&rehearser, site, resolved, port, &mut self.seldom));
            self.drills += kept.outcomes.len();
            broke = broke.or_else(|| {
                let (drill, says) = before.worse(&kept)?;
                let port = resolved.switch.ports().get(port).map(ToString::to_string);
                Some(Broke { step: 0, what: drill.to_owned(), switch: Arc::clone(resolved.switch.name()), port, says })
            });
            known.kept.insert(port, kept);
        }
        broke
    }

    /// Chooses a port of each VLAN of a switch on which something works that crosses other switches.
    fn take_sample(&mut self, site: &Site<'_>, at: usize) {
        let Some(resolved) = site.at(at).filter(|_| self.known[at].sample.is_none()) else { return };
        let mut of_vlan: BTreeMap<_, Vec<usize>> = BTreeMap::new();
        let vlan = |port, key| resolved.switch.setting(Some(port), key).value.flatten();
        for port in 0..resolved.switch.ports().len() {
            let untagged =
                [settings::ACCESS_VLAN, settings::VOICE_VLAN, settings::NATIVE_VLAN].map(|key| vlan(port, key));
            of_vlan.entry(untagged).or_default().push(port);
        }
        let mut sample = BTreeSet::new();
        for ports in of_vlan.into_values() {
            let mut open: Vec<&str> = CROSSING.to_vec();
            let mut tried: Vec<Arc<Kept>> = Vec::new();
            for port in ports {
                self.keep(site, at, &[port].into());
                let Some(kept) = self.known[at].kept.get(&port) else { continue };
                if tried.iter().any(|other| Arc::ptr_eq(other, kept)) {
                    continue;
                }
                let before = open.len();
                open.retain(|drill| !kept.crosses(drill));
                if open.len() < before {
                    sample.insert(port);
                }
                tried.push(Arc::clone(kept));
                if open.is_empty() || tried.len() >= TRIED {
                    break;
                }
            }
        }
        self.known[at].sample = Some(sample);
    }
}

impl Reach {
    fn ports(&self, resolved: &Resolved) -> BTreeSet<usize> {
        self.own.clone().unwrap_or_else(|| (0..resolved.switch.ports().len()).collect())
    }
}

impl Known {
    fn roles(&mut self, site: &Site<'_>, resolved: &Resolved) -> Arc<Assignment> {
        let roles = || Arc::new(assign(site.policy, &resolved.switch, resolved.lists()));
        Arc::clone(self.roles.get_or_insert_with(roles))
    }

    fn rehearser<'a>(&mut self, site: &'a Site<'_>, resolved: &'a Resolved, around: &'a Around) -> Rehearser<'a> {
        Rehearser::with_roles(resolved, site.policy, around, self.roles(site, resolved))
    }

    /// What is kept of a port with the same role and the same in all that was asked.
    fn like(&self, rehearser: &Rehearser<'_>, resolved: &Resolved, port: usize) -> Option<Arc<Kept>> {
        if rehearser.is_apart(port) {
            return None;
        }
        let role = rehearser.assigned(port);
        let value = |id: SettingId| &resolved.switch.slot(Some(port), id).value;
        let is_like = |kept: &&Arc<Kept>| {
            kept.is_common && kept.role == role && kept.values.iter().all(|(id, is)| value(*id) == is)
        };
        let mut last: Option<&Arc<Kept>> = None;
        let mut unlike = self.kept.values().filter(|kept| {
            let is_new = last.is_none_or(|last| !Arc::ptr_eq(last, kept));
            last = Some(kept);
            is_new
        });
        unlike.find(is_like).cloned()
    }
}

/// Plays the drills on a port.
fn played(
    rehearser: &Rehearser<'_>,
    site: &Site<'_>,
    resolved: &Resolved,
    port: usize,
    seldom: &mut Seldom,
) -> Arc<Kept> {
    let (played, asked) = rehearser.play_noting(port, |drill| LEGITIMATE.contains(&drill.name));
    let outcomes = played.into_iter().map(|p| (p.drill.name, p.told.outcome, p.told.says)).collect();
    let (mut own, mut beyond) = (SettingSet::default(), Vec::new());
    for (name, asked) in asked {
        if name == *resolved.switch.name() {
            own = asked;
        } else {
            beyond.extend(site.number(&name).map(|at| (at, asked)));
        }
    }
    let of_ports = own.iter().filter(|id| id.info().scope == Scope::Port);
    let values = of_ports.map(|id| (id, resolved.switch.slot(Some(port), id).value.clone())).collect();
    let (role, is_common) = (rehearser.assigned(port), !rehearser.is_apart(port));
    let kept = Kept { outcomes, role, own, values, beyond, is_common };
    seldom.note(&kept);
    Arc::new(kept)
}

/// The ports that steps are about, where they are about nothing else: none of them has a cable of the fleet, or a server.
fn own_ports(around: &Around, site: &Site<'_>, resolved: &Resolved, steps: &[&Step]) -> Option<BTreeSet<usize>> {
    let servers = site.policy.servers_on(resolved).into_iter().filter_map(|(_, port)| port);
    let leads: BTreeSet<usize> = around.cabled_ports(resolved.switch.name()).into_iter().chain(servers).collect();
    let abouts = steps.iter().flat_map(|step| step.change.from.keys().chain(step.also.iter().map(|(about, _)| about)));
    let port = |about: &About| match about {
        About::Port(port) => resolved.switch.port_index(port).filter(|port| !leads.contains(port)),
        _ => None,
    };
    abouts.map(port).collect()
}
