//! The fleet after every step: what worked before works, and in the end what was chosen is gone and nothing new has come.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::reach::{Map, reached};
use super::{NoPlan, Site, Step};
use crate::drill::{Around, Outcome, Rehearser};
use crate::finding::Finding;
use crate::model::{SavedCopy, settings};
use crate::resolve::{About, Resolved, differences};

/// The drills of those who are right: what they come to may not become worse on the way.
pub(super) const LEGITIMATE: &[&str] = &["real-server", "phone-boot", "desk-boot", "stream-join"];

/// What the steps come to.
#[derive(Debug, Clone, Default)]
pub struct Proof {
    /// The chosen findings that are gone, by position among those of the plan.
    pub gone: Vec<usize>,
    /// Those that are still there.
    pub remaining: Vec<usize>,
    /// Findings that were not there before.
    pub new: Vec<Finding>,
    /// How often a legitimate drill was held against what it came to before.
    pub drills: usize,
    /// The first step after which something that worked does not.
    pub broke: Option<Broke>,
}

/// A step that breaks something.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Broke {
    /// Which, from 1.
    pub step: usize,
    /// What: the drill, or reaching a switch.
    pub what: String,
    /// Where.
    pub switch: Arc<str>,
    /// On which port.
    pub port: Option<String>,
    /// How it was and how it is.
    pub says: String,
}

pub(super) struct Proven<'p> {
    pub(super) proof: Proof,
    pub(super) after: Site<'p>,
    /// What is found afterwards, by fingerprint.
    pub(super) there: BTreeSet<String>,
}

/// How each legitimate drill ends on each port of a switch.
type Held = BTreeMap<(usize, &'static str), (Outcome, String)>;

fn held(site: &Site<'_>, resolved: &Resolved, around: &Around, wanted: impl Fn(usize) -> bool) -> Held {
    let rehearser = Rehearser::new(resolved, site.policy, around);
    let mut of_class: BTreeMap<usize, Vec<(&'static str, Outcome, String)>> = BTreeMap::new();
    let mut all = Held::new();
    for port in (0..resolved.switch.ports().len()).filter(|port| wanted(*port)) {
        let class = rehearser.class_of(port);
        let told = of_class.entry(class).or_insert_with(|| {
            let played = rehearser.play(class, |drill| LEGITIMATE.contains(&drill.name));
            played.into_iter().map(|played| (played.drill.name, played.told.outcome, played.told.says)).collect()
        });
        all.extend(told.iter().map(|(drill, outcome, says)| ((port, *drill), (*outcome, says.clone()))));
    }
    all
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

/// The first drill that became worse.
fn broken(before: &Held, after: &Held) -> Option<(usize, &'static str, String)> {
    before.iter().find_map(|((port, drill), (outcome, _))| {
        let (now, says) = after.get(&(*port, *drill))?;
        is_worse(*outcome, *now)
            .then(|| (*port, *drill, format!("{} before, now {}: {says}", outcome.word(), now.word())))
    })
}

/// What worked after the last look.
struct Watch<'m> {
    map: &'m Map,
    around: Around,
    held: Vec<Held>,
    reached: BTreeSet<Arc<str>>,
}

impl<'m> Watch<'m> {
    fn of(site: &Site<'_>, map: &'m Map) -> Self {
        let around = site.around();
        let held = site.switches().map(|resolved| held(site, resolved, &around, |_| true)).collect();
        Self { map, around, held, reached: reached(site, map) }
    }

    /// Looks at everything that some steps can matter to: how many drills were held against what they came to before, and the first
    /// thing that became worse.
    fn look(&mut self, now: &Site<'_>, steps: &[&Step]) -> (usize, Option<Broke>) {
        let Some(first) = steps.first() else { return (0, None) };
        let name = &first.change.switch;
        let (Some(at), Some(resolved)) = (now.number(name), now.get(name)) else { return (0, None) };
        // The ports that the steps are about; none: all of the switch.
        let own = own_ports(&self.around, resolved, steps);
        self.around.update(resolved, now.policy, now.as_of);
        if self.around.is_stale() {
            self.around = now.around();
        }
        let held_now = held(now, resolved, &self.around, |port| own.as_ref().is_none_or(|own| own.contains(&port)));
        let mut drills = held_now.len();
        let mut broke = broken(&self.held[at], &held_now).map(|told| Broke::of(resolved, told));
        self.held[at].extend(held_now);
        if own.is_some() || !self.around.is_on_the_way(name) {
            return (drills, broke);
        }
        // What of others crosses this switch hangs on their VLAN alone: one port of each.
        for (other, resolved) in now.switches().enumerate().filter(|(other, _)| *other != at) {
            let sample = sample(resolved, &self.held[other]);
            let held_now = held(now, resolved, &self.around, |port| sample.contains(&port));
            drills += held_now.len();
            broke = broke.or_else(|| broken(&self.held[other], &held_now).map(|told| Broke::of(resolved, told)));
            self.held[other].extend(held_now);
        }
        let before = std::mem::replace(&mut self.reached, reached(now, self.map));
        let lost = before.difference(&self.reached).next();
        broke = broke.or_else(|| {
            lost.map(|lost| Broke {
                step: 0,
                what: "the way in".to_owned(),
                switch: Arc::clone(lost),
                port: None,
                says: "the switch is not reached any more from where the engineer comes in".to_owned(),
            })
        });
        (drills, broke)
    }
}

impl Broke {
    fn of(resolved: &Resolved, (port, drill, says): (usize, &'static str, String)) -> Self {
        Self {
            step: 0,
            what: drill.to_owned(),
            switch: Arc::clone(resolved.switch.name()),
            port: resolved.switch.ports().get(port).map(ToString::to_string),
            says,
        }
    }
}

/// The ports that steps are about, where they are about nothing else: none of them has a cable of the fleet.
fn own_ports(around: &Around, resolved: &Resolved, steps: &[&Step]) -> Option<BTreeSet<usize>> {
    let cabled = around.cabled_ports(resolved.switch.name());
    let abouts = steps.iter().flat_map(|step| step.change.from.keys().chain(step.also.iter().map(|(about, _)| about)));
    let port = |about: &About| match about {
        About::Port(port) => resolved.switch.port_index(port).filter(|port| !cabled.contains(port)),
        _ => None,
    };
    abouts.map(port).collect()
}

/// A port of each VLAN, of those on which something worked.
fn sample(resolved: &Resolved, held: &Held) -> BTreeSet<usize> {
    let switch = &resolved.switch;
    let untagged = |port: usize| {
        let vlan = |key| switch.setting(Some(port), key).value.flatten();
        (vlan(settings::ACCESS_VLAN), vlan(settings::VOICE_VLAN), vlan(settings::NATIVE_VLAN))
    };
    let mut first = BTreeMap::new();
    for ((port, drill), (outcome, _)) in held {
        if !matches!(outcome, Outcome::Outage | Outcome::Undetermined) {
            first.entry((*drill, untagged(*port))).or_insert(*port);
        }
    }
    first.into_values().collect()
}

/// Applies the steps one after the other and looks after each.
pub(super) fn prove<'p>(
    (site, map): (&Site<'p>, &Map),
    steps: &[Step],
    (findings, chosen, before): (&[Finding], &[usize], &BTreeSet<String>),
    saved: &BTreeSet<Arc<str>>,
    stop_at_break: bool,
) -> Result<Proven<'p>, NoPlan> {
    let mut now = site.clone();
    let mut proof = Proof::default();
    let mut watch = Watch::of(site, map);
    // The steps of a block, of which the last is not made yet.
    let mut block: Vec<&Step> = Vec::new();
    for (number, step) in steps.iter().enumerate() {
        let name = &step.change.switch;
        let Some(after) = now.get(name).and_then(|resolved| resolved.with_lines(&step.text)) else { continue };
        now.put(after);
        block.push(step);
        let next = steps.get(number + 1);
        if next.is_none_or(|next| next.block != step.block) && proof.broke.is_none() {
            let (drills, broke) = watch.look(&now, &block);
            proof.drills += drills;
            proof.broke = broke.map(|broke| Broke { step: number + 1, ..broke });
            block.clear();
            if proof.broke.is_some() && stop_at_break {
                break;
            }
        }
    }
    if proof.broke.is_some() && stop_at_break {
        return Ok(Proven { proof, after: now, there: BTreeSet::new() });
    }
    same_by_text(site, &now, steps)?;
    // Judged once, when all is done.
    let changed: BTreeSet<&Arc<str>> = steps.iter().map(|step| &step.change.switch).collect();
    for switch in changed.into_iter().chain(saved) {
        save(&mut now, switch);
    }
    let there: BTreeMap<String, Finding> =
        now.findings().into_iter().map(|finding| (finding.fingerprint.clone(), finding)).collect();
    for number in chosen {
        let still = findings.get(*number).is_some_and(|finding| there.contains_key(&finding.fingerprint));
        if still { proof.remaining.push(*number) } else { proof.gone.push(*number) }
    }
    let fingerprints = there.keys().cloned().collect();
    let is_new = |finding: &Finding| !before.contains(&finding.fingerprint) && finding.waiver.is_none();
    proof.new = there.into_values().filter(is_new).collect();
    Ok(Proven { proof, after: now, there: fingerprints })
}

/// Judges a switch anew; what runs is what is saved, where a saved copy is kept.
fn save(now: &mut Site<'_>, switch: &str) {
    let Some(resolved) = now.get(switch).map(|resolved| (**resolved).clone()) else { return };
    let alone = resolved.alone().filter(|_| !matches!(resolved.switch.saved(), SavedCopy::NotKept));
    now.replace(match alone {
        Some(alone) => resolved.with_saved(SavedCopy::Read(Box::new(alone.switch))),
        None => resolved,
    });
}

/// All lines of a switch put at the end of its old text, at once: the same as step by step.
fn same_by_text(site: &Site<'_>, now: &Site<'_>, steps: &[Step]) -> Result<(), NoPlan> {
    let mut lines: BTreeMap<&Arc<str>, Vec<String>> = BTreeMap::new();
    for step in steps {
        lines.entry(&step.change.switch).or_default().extend(step.text.iter().cloned());
    }
    for (switch, lines) in lines {
        let Some((old, new)) = site.get(switch).zip(now.get(switch)) else { continue };
        let Some(read) = old.with_lines(&lines) else { continue };
        if let Some((about, setting)) = differences(&read, new).first() {
            let what = format!("{} of {about}", setting.name());
            return Err(NoPlan::Unlike { switch: Arc::clone(switch), what });
        }
    }
    Ok(())
}
