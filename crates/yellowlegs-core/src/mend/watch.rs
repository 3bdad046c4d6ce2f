//! What worked before each step, and whether it works after it.
//!
//! Drills are played where a step can matter, and nowhere else. Each outcome is kept with the settings that were asked for it, of each
//! switch: it holds until one of them changes.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::kept::{Kept, played};
use super::reach::{self, Map};
use super::seldom::Seldom;
use super::{Broke, Site, Step};
use crate::drill::{Around, Rehearser};
use crate::model::{Mode, SettingId, SettingSet, VlanId, settings};
use crate::policy::{Assignment, assign, derived_from};
use crate::resolve::{About, Resolved};
use crate::sorted;

/// The legitimate drills that cross other switches.
const CROSSING: &[&str] = &["real-server", "stream-join"];

/// So many unlike ports of a VLAN are tried until one is found on which something works that crosses other switches.
const TRIED: usize = 3;

/// The search for ports of a VLAN on which something works that crosses other switches.
struct Search {
    /// What no port was found for yet.
    open: Vec<&'static str>,
    tried: Vec<Arc<Kept>>,
}

impl Default for Search {
    fn default() -> Self {
        Self { open: CROSSING.to_vec(), tried: Vec::new() }
    }
}

impl Search {
    fn is_open(&self) -> bool {
        !self.open.is_empty() && self.tried.len() < TRIED
    }

    /// Whether a port is one of them.
    fn finds(&mut self, kept: &Arc<Kept>) -> bool {
        if self.tried.iter().any(|other| Arc::ptr_eq(other, kept)) {
            return false;
        }
        self.tried.push(Arc::clone(kept));
        let before = self.open.len();
        self.open.retain(|drill| !kept.crosses(drill));
        self.open.len() < before
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

/// What some steps can matter to.
pub(super) struct Reach {
    /// The switch that they change.
    at: usize,
    /// The settings that they change.
    changed: SettingSet,
    /// The ports that they are about; none: all of the switch.
    own: Option<BTreeSet<usize>>,
    /// Others may be reached through what they change, and samples of them are taken.
    beyond: bool,
    /// The switch before them.
    was: Arc<Resolved>,
}

impl<'m> Watch<'m> {
    pub(super) fn of(site: &Site<'_>, map: &'m Map) -> Self {
        let known = site.switches().map(|_| Known::default()).collect();
        let (around, reached) = (site.around(), reach::reached(site, map));
        Self { map, around, known, reached, drills: 0, seldom: Seldom::default() }
    }

    /// The same, which passes over no step.
    pub(super) fn of_every_step(self) -> Self {
        Self { seldom: Seldom::never(), ..self }
    }

    /// Whether a step was passed over that a drill may look at.
    pub(super) fn has_missed(&self) -> bool {
        self.seldom.has_missed()
    }

    /// Looks at what some steps can matter to, before they are made.
    pub(super) fn before(&mut self, site: &Site<'_>, steps: &[&Step]) -> Option<Reach> {
        let name = &steps.first()?.change.switch;
        let (at, resolved) = (site.number(name)?, site.get(name)?);
        let own = own_ports(&self.around, site, resolved, steps);
        let changed = steps
            .iter()
            .flat_map(|step| std::iter::once(step.change.setting).chain(step.also.iter().map(|(_, setting)| *setting)));
        let (changed, was): (SettingSet, _) = (changed.collect(), Arc::clone(resolved));
        let may_pass = own.is_some() && !derived_from().meets(changed);
        if may_pass && self.seldom.passes_over(changed) {
            return None;
        }
        let beyond = own.is_none() && self.around.is_on_the_way(name) && !self.seldom.passes_beyond(changed);
        if beyond {
            self.take_samples(site, at);
        }
        Some(Reach { at, changed, own, beyond, was })
    }

    /// Looks again, when they are made: the first thing that became worse.
    pub(super) fn after(&mut self, site: &Site<'_>, reach: &Reach) -> Option<Broke> {
        let Reach { at, changed, was, .. } = reach;
        let resolved = site.at(*at)?;
        let known = &mut self.known[*at];
        known.sample = None;
        if derived_from().meets(*changed) {
            known.roles = None;
        }
        let roles = known.roles(site, resolved);
        let is_other = self.take_in(site, *at, resolved);
        if is_other && !reach.beyond {
            self.take_in(site, *at, was);
            self.take_samples(site, *at);
            self.take_in(site, *at, resolved);
        }
        let own = reach.own.as_ref().filter(|_| !is_other);
        let all = || (0..resolved.switch.ports().len()).collect();
        let ports: BTreeSet<usize> = own.cloned().unwrap_or_else(all);
        let role_of = |port: &usize| roles.ports.get(*port).copied().flatten();
        let hangs = |port: &usize, kept: &Kept| is_other || kept.own.meets(*changed) || kept.role != role_of(port);
        let mut broke = self.of_switch(site, reach, ports, &hangs);
        if reach.beyond || is_other {
            // What of others crosses this switch hangs on their VLAN alone: one port of each.
            let hangs = |_: &usize, kept: &Kept| is_other || kept.hangs_beyond_on(*at, *changed);
            for other in (0..self.known.len()).filter(|other| other != at) {
                let known = &mut self.known[other];
                let sample = known.sample.clone().unwrap_or_default();
                known.kept.retain(|port, kept| sample.contains(port) || !hangs(port, kept));
                broke = broke.or(self.again(site, other, &sample, &hangs));
            }
        }
        if own.is_some() { broke } else { broke.or_else(|| self.way_in(site, *at)) }
    }

    /// Looks at ports of the switch itself.
    fn of_switch(
        &mut self,
        site: &Site<'_>,
        reach: &Reach,
        ports: BTreeSet<usize>,
        hangs: &dyn Fn(&usize, &Kept) -> bool,
    ) -> Option<Broke> {
        let at = reach.at;
        let (known, first): (BTreeSet<usize>, BTreeSet<usize>) =
            ports.into_iter().partition(|port| self.known[at].kept.contains_key(port));
        let broke = self.again(site, at, &known, hangs);
        self.keep(site, at, &first);
        self.drills +=
            first.iter().filter_map(|port| self.known[at].kept.get(port)).map(|k| k.outcomes.len()).sum::<usize>();
        // Only where all is not well it matters how it was before.
        let kept = &self.known[at].kept;
        let unwell = |port: &usize| kept.get(port).is_some_and(|kept| !kept.is_well());
        let unwell: Vec<usize> = first.into_iter().filter(unwell).collect();
        if broke.is_some() || unwell.is_empty() { broke } else { self.since(site, reach, &unwell) }
    }

    /// Whether every switch is still reached that was.
    fn way_in(&mut self, site: &Site<'_>, at: usize) -> Option<Broke> {
        let before = std::mem::take(&mut self.reached);
        let lost = if self.around.is_on_the_way(site.at(at)?.switch.name()) {
            self.reached = reach::reached(site, self.map);
            before.difference(&self.reached).next().copied()
        } else {
            // It is nobody's way but its own.
            let is_lost = before.contains(&at) && !reach::is_reached(site, self.map, &before, at);
            self.reached = before;
            is_lost.then_some(at).filter(|at| self.reached.remove(at))
        };
        Some(Broke {
            step: 0,
            what: "the way in".to_owned(),
            switch: Arc::clone(site.at(lost?)?.switch.name()),
            port: None,
            says: "the switch is not reached any more from where the engineer comes in".to_owned(),
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

    /// Plays the drills on some ports as the switch was before some steps: the first that became worse since.
    fn since(&mut self, site: &Site<'_>, Reach { at, was, .. }: &Reach, ports: &[usize]) -> Option<Broke> {
        let resolved = site.at(*at)?;
        self.take_in(site, *at, was);
        let mut before = Known::default();
        let rehearser = before.rehearser(site, was, &self.around);
        for port in ports {
            let kept = before.like(&rehearser, was, *port);
            let kept = kept.unwrap_or_else(|| played(&rehearser, site, was, *port, &mut self.seldom));
            before.kept.insert(*port, kept);
        }
        self.take_in(site, *at, resolved);
        let kept = &self.known[*at].kept;
        before.kept.iter().find_map(|(port, before)| Some(Broke::on(resolved, *port, before.worse(kept.get(port)?)?)))
    }

    /// Takes in another reading of a switch: whether others see it otherwise by it.
    fn take_in(&mut self, site: &Site<'_>, at: usize, resolved: &Arc<Resolved>) -> bool {
        let roles = match site.at(at) {
            Some(now) if Arc::ptr_eq(now, resolved) => self.known[at].roles(site, resolved),
            _ => Arc::new(assign(site.policy, &resolved.switch, resolved.lists())),
        };
        let is_other = self.around.update(resolved, site.policy, site.as_of, &roles);
        if self.around.is_stale() {
            self.around = site.around_with(at, resolved);
        }
        is_other
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
            broke = broke.or_else(|| Some(Broke::on(resolved, port, before.worse(&kept)?)));
            known.kept.insert(port, kept);
        }
        broke
    }

    /// Takes a sample of each other switch.
    fn take_samples(&mut self, site: &Site<'_>, at: usize) {
        (0..self.known.len()).filter(|other| *other != at).for_each(|other| self.take_sample(site, other));
    }

    /// Chooses a port of each VLAN of a switch on which something works that crosses other switches.
    fn take_sample(&mut self, site: &Site<'_>, at: usize) {
        let Some(resolved) = site.at(at).filter(|_| self.known[at].sample.is_none()) else { return };
        let mut sample = BTreeSet::new();
        // Of each VLAN, for hosts and for phones.
        let mut searches: BTreeMap<(bool, VlanId), Search> = BTreeMap::new();
        let vlan = |port, key| resolved.switch.setting(Some(port), key).value.flatten();
        for port in 0..resolved.switch.ports().len() {
            let is_trunk = resolved.switch.setting(Some(port), settings::MODE).value == Some(Mode::Trunk);
            let untagged = vlan(port, if is_trunk { settings::NATIVE_VLAN } else { settings::ACCESS_VLAN });
            let voice = vlan(port, settings::VOICE_VLAN);
            let vlans = [(false, untagged), (true, voice)];
            let vlans = vlans.into_iter().filter_map(|(phones, vlan)| Some((phones, vlan?))).collect::<Vec<_>>();
            let is_open = |vlan| searches.get(vlan).is_none_or(Search::is_open);
            if !vlans.iter().any(is_open) {
                continue;
            }
            self.keep(site, at, &[port].into());
            let Some(kept) = self.known[at].kept.get(&port) else { continue };
            for vlan in vlans {
                if searches.entry(vlan).or_default().finds(kept) {
                    sample.insert(port);
                }
            }
        }
        self.known[at].sample = Some(sample);
    }
}

impl Broke {
    /// A drill that became worse on a port.
    fn on(resolved: &Resolved, port: usize, (drill, says): (&str, String)) -> Self {
        let port = resolved.switch.ports().get(port).map(ToString::to_string);
        Self { step: 0, what: drill.to_owned(), switch: Arc::clone(resolved.switch.name()), port, says }
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

/// The ports that steps are about, where they are about nothing else: none of them has a cable of the fleet, or a server.
fn own_ports(around: &Around, site: &Site<'_>, resolved: &Resolved, steps: &[&Step]) -> Option<BTreeSet<usize>> {
    let servers = site.policy.servers_on(resolved).into_iter().filter_map(|(_, port)| port);
    let leads: sorted::Set<usize> = sorted::set(around.cabled_ports(resolved.switch.name()).into_iter().chain(servers));
    let abouts = steps.iter().flat_map(|step| step.change.from.keys().chain(step.also.iter().map(|(about, _)| about)));
    let port = |about: &About| match about {
        About::Port(port) => resolved.switch.port_index(port).filter(|port| !leads.contains(port)),
        _ => None,
    };
    abouts.map(port).collect()
}
