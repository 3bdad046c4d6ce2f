//! The fleet after every step: what worked before works, and in the end what was chosen is gone and nothing new has come.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::reach::reached;
use super::{NoPlan, Site, Step};
use crate::drill::{Around, Outcome, Rehearser};
use crate::finding::Finding;
use crate::model::SavedCopy;
use crate::resolve::{Resolved, differences};

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
    pub(super) texts: Vec<(usize, Arc<str>, String)>,
}

/// How each legitimate drill ends on each port of a switch.
type Held = BTreeMap<(usize, &'static str), (Outcome, String)>;

fn held(site: &Site<'_>, resolved: &Resolved, around: &Around) -> Held {
    let rehearser = Rehearser::new(resolved, site.policy, around);
    let mut of_class: BTreeMap<usize, Vec<(&'static str, Outcome, String)>> = BTreeMap::new();
    let mut all = Held::new();
    for port in 0..resolved.switch.ports().len() {
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
struct Watch {
    around: Around,
    held: Vec<Held>,
    reached: BTreeSet<Arc<str>>,
}

impl Watch {
    fn of(site: &Site<'_>) -> Self {
        let around = site.around();
        let held = site.switches().map(|resolved| held(site, resolved, &around)).collect();
        Self { around, held, reached: reached(site) }
    }

    /// Looks at everything that some steps can matter to: how many drills were held against what they came to before, and the first
    /// thing that became worse.
    fn look(&mut self, now: &Site<'_>, steps: &[&Step]) -> (usize, Option<Broke>) {
        let own: BTreeSet<&str> = steps.iter().map(|step| &*step.change.switch).collect();
        let others = steps.iter().any(|step| touches_others(&self.around, now, step));
        if others {
            self.around = now.around();
        }
        let (mut drills, mut broke) = (0, None);
        for (at, resolved) in now.switches().enumerate() {
            let name = resolved.switch.name();
            if !others && !own.contains(&**name) {
                continue;
            }
            let held = held(now, resolved, &self.around);
            drills += held.len();
            let before = std::mem::replace(&mut self.held[at], held);
            let worse = broken(&before, &self.held[at]);
            broke = broke.or_else(|| {
                worse.map(|(port, drill, says)| Broke {
                    step: 0,
                    what: drill.to_owned(),
                    switch: Arc::clone(name),
                    port: resolved.switch.ports().get(port).map(ToString::to_string),
                    says,
                })
            });
        }
        if others {
            let before = std::mem::replace(&mut self.reached, reached(now));
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
        }
        (drills, broke)
    }
}

/// Applies the steps one after the other and looks after each.
pub(super) fn prove<'p>(
    site: &Site<'p>,
    steps: &[Step],
    findings: &[Finding],
    chosen: &[usize],
    saved: &BTreeSet<Arc<str>>,
    stop_at_break: bool,
    progress: &dyn Fn(usize, usize),
) -> Result<Proven<'p>, NoPlan> {
    let mut now = site.clone();
    let mut proof = Proof::default();
    let mut watch = Watch::of(site);
    let mut texts = Vec::new();
    // The steps of a block, of which the last is not made yet.
    let mut block: Vec<&Step> = Vec::new();
    for (number, step) in steps.iter().enumerate() {
        progress(number, steps.len());
        let name = &step.change.switch;
        let Some(after) = now.get(name).and_then(|resolved| resolved.with_lines(&step.text)) else { continue };
        now.replace(after);
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
        if next.is_none_or(|next| next.phase != step.phase) {
            let of_phase = steps.iter().filter(|other| other.phase == step.phase).map(|other| &other.change.switch);
            for switch in of_phase.collect::<BTreeSet<_>>() {
                if let Some(text) = now.get(switch).and_then(|resolved| resolved.text()) {
                    texts.push((step.phase, Arc::clone(switch), text.to_owned()));
                }
            }
        }
    }
    if proof.broke.is_some() && stop_at_break {
        return Ok(Proven { proof, after: now, texts });
    }
    same_by_text(site, &now, steps)?;
    for switch in saved {
        save(&mut now, switch);
    }
    let there: BTreeMap<String, Finding> =
        now.findings().into_iter().map(|finding| (finding.fingerprint.clone(), finding)).collect();
    let was: BTreeSet<&str> = site_fingerprints(findings, chosen);
    for number in chosen {
        let still = findings.get(*number).is_some_and(|finding| there.contains_key(&finding.fingerprint));
        if still { proof.remaining.push(*number) } else { proof.gone.push(*number) }
    }
    let before: BTreeSet<String> = site.findings().into_iter().map(|finding| finding.fingerprint).collect();
    let new = there.into_values().filter(|finding| {
        !before.contains(&finding.fingerprint)
            && !was.contains(finding.fingerprint.as_str())
            && finding.waiver.is_none()
    });
    proof.new = new.collect();
    Ok(Proven { proof, after: now, texts })
}

/// What runs is what is saved, where a saved copy is kept.
fn save(now: &mut Site<'_>, switch: &str) {
    let Some(resolved) = now.get(switch).filter(|resolved| !matches!(resolved.switch.saved(), SavedCopy::NotKept))
    else {
        return;
    };
    if let Some(alone) = resolved.alone() {
        let saved = (**resolved).clone().with_saved(SavedCopy::Read(Box::new(alone.switch)));
        now.replace(saved);
    }
}

fn site_fingerprints<'f>(findings: &'f [Finding], chosen: &[usize]) -> BTreeSet<&'f str> {
    chosen.iter().filter_map(|number| findings.get(*number)).map(|finding| finding.fingerprint.as_str()).collect()
}

/// Whether a step can matter to other switches: it is about a port with a cable, about no port, or the switch lies on the way of others.
fn touches_others(around: &Around, now: &Site<'_>, step: &Step) -> bool {
    let name = &step.change.switch;
    let Some(resolved) = now.get(name) else { return true };
    let cabled = around.cabled_ports(name);
    step.change.from.keys().chain(step.also.iter().map(|(about, _)| about)).any(|about| match about {
        crate::resolve::About::Port(port) => resolved.switch.port_index(port).is_none_or(|port| cabled.contains(&port)),
        _ => true,
    })
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
