//! The fleet after every step: what worked before works, and in the end what was chosen is gone and nothing new has come.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::reach::Map;
use super::watch::Watch;
use super::write::{Made, Writing};
use super::{ByHand, NoPlan, Order, Site, Step, impact};
use crate::finding::Finding;
use crate::model::SavedCopy;
use crate::resolve::differences;
use crate::sorted;

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

/// The steps, and the fleet after them.
pub(super) struct Walked<'p> {
    pub(super) steps: Vec<Step>,
    now: Site<'p>,
    drills: usize,
    pub(super) broke: Option<Broke>,
}

/// Makes one block of steps after the other and looks after each; `stop`: at the first that breaks something.
pub(super) fn walk<'p>(
    (site, map): (&Site<'p>, &Map),
    writing: &Writing<'_, 'p>,
    order: &Order<'_>,
    stop: bool,
) -> (Walked<'p>, Vec<ByHand>) {
    let mut quick = writing.clone();
    let (walked, missed) = walk_with(Watch::of(site, map), site, &mut quick, order, stop);
    if !missed {
        return (walked, quick.by_hand);
    }
    let mut thorough = writing.clone();
    let watch = Watch::of(site, map).of_every_step();
    let (walked, _) = walk_with(watch, site, &mut thorough, order, stop);
    (walked, thorough.by_hand)
}

/// The same by one watch; and whether it has missed something.
fn walk_with<'p>(
    mut watch: Watch<'_>,
    site: &Site<'p>,
    writing: &mut Writing<'_, 'p>,
    order: &Order<'_>,
    stop: bool,
) -> (Walked<'p>, bool) {
    let mut walked = Walked { steps: Vec::new(), now: site.clone(), drills: 0, broke: None };
    let all = writing.left();
    while writing.left() > 0 {
        let mut made = writing.block();
        made.iter_mut().for_each(|made| impact::touch(site, &mut made.step));
        let steps: Vec<&Step> = made.iter().map(|made| &made.step).collect();
        let looks = walked.broke.is_none().then(|| watch.before(&walked.now, &steps)).flatten();
        for Made { step, after } in &made {
            walked.now.put_after(&step.text, after);
        }
        walked.steps.extend(made.into_iter().map(|made| made.step));
        if let Some(reach) = looks {
            let broke = watch.after(&walked.now, &reach);
            walked.broke = broke.map(|broke| Broke { step: walked.steps.len(), ..broke });
            if walked.broke.is_some() && stop {
                break;
            }
        }
        (order.tells)(all - writing.left(), all);
    }
    walked.drills = watch.drills;
    (walked, watch.has_missed())
}

/// Judges the fleet once, when all is done.
pub(super) fn prove<'p>(
    site: &Site<'p>,
    walked: Walked<'p>,
    (findings, chosen, before): (&[Finding], &[usize], &sorted::Set<String>),
    saved: &BTreeSet<Arc<str>>,
) -> Result<(Vec<Step>, Proven<'p>), NoPlan> {
    let Walked { steps, mut now, drills, broke } = walked;
    let mut proof = Proof { drills, broke, ..Proof::default() };
    same_by_text(site, &now, &steps)?;
    for switch in sorted::set(steps.iter().map(|step| &step.change.switch).chain(saved)) {
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
    Ok((steps, Proven { proof, after: now, there: fingerprints }))
}

/// Judges a switch anew; what runs is what is saved, where a saved copy is kept.
fn save(now: &mut Site<'_>, switch: &str) {
    let Some(resolved) = now.get(switch).map(|resolved| (**resolved).clone()) else { return };
    let alone = resolved.alone().filter(|_| !matches!(resolved.switch.saved(), SavedCopy::NotKept));
    now.replace(match alone {
        Some(alone) => resolved.with_saved(SavedCopy::Read(Arc::new(alone.switch))),
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
