//! From findings to changes: each check says what would satisfy it; what comes up by that is mended with it.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::remedy::{Roles, by_membership, mending_of};
use super::ways::Ways;
use super::{ByHand, Change, Order, Proof, Site};
use crate::check::{Mending, Place, Question, Target, To};
use crate::finding::Finding;
use crate::model::{SettingId, Value, settings};
use crate::resolve::{About, Resolved, Several};
use crate::sorted;

/// A decision that is not taken.
#[derive(Debug, Clone)]
pub struct OpenPoint {
    /// What tells it from others, in the next plan too.
    pub id: String,
    /// What is asked.
    pub asks: String,
    /// What can be answered; nothing where any value of a kind can.
    pub choices: Vec<String>,
    /// Such values, in words.
    pub takes: Option<String>,
    /// The findings that wait for it, by position among those of the plan.
    pub findings: Vec<usize>,
    /// An answer that is none of the choices.
    pub refused: Option<String>,
}

/// Why a person does it, where nothing else is the reason.
pub const NO_SETTING: &str = "no setting mends it";

/// Why a person looks, where the settings are as they should be.
pub const STILL: &str = "what would mend it is in force after the plan, and it is found all the same";

/// Why it is looked at again later.
const WAITS: &str = "it hangs on what people do at the same place";

/// So often what came up by a change is looked at.
const ROUNDS: usize = 12;

/// On a port: its mode first, then what it carries tagged, then its untagged VLAN. Everything else shows rightly after these.
const LAYERS: &[&[SettingId]] = &[
    &[settings::MODE.id, settings::DYNAMIC_VLAN.id, settings::VLANS.id],
    &[settings::TAGGED_VLANS.id, settings::VOICE_VLAN.id],
    &[settings::ACCESS_VLAN.id, settings::NATIVE_VLAN.id],
];

/// The value that a target comes to, from the one that is there.
fn comes_of(target: &Target, has: Option<Value>) -> Option<Value> {
    let base = || has.or_else(|| target.setting.info().kind.off());
    match &target.to {
        To::Value(value) => Some(value.clone()),
        To::With(more) => base()?.plus(more),
        To::Without(less) => base()?.minus(less),
    }
}

/// What the findings come to.
pub(super) struct Wanting {
    pub(super) findings: Vec<Finding>,
    pub(super) chosen: Vec<usize>,
    pub(super) changes: Vec<Change>,
    pub(super) open: Vec<OpenPoint>,
    pub(super) by_hand: Vec<ByHand>,
    pub(super) saves: BTreeSet<Arc<str>>,
    /// What was found before, by fingerprint.
    pub(super) before: sorted::Set<String>,
}

/// What one place of a setting is to become, for which findings.
#[derive(Default)]
struct Wish {
    to: Option<Value>,
    because: BTreeSet<usize>,
    /// What it was to become before.
    before: Vec<Value>,
    /// Two findings want it otherwise.
    is_contested: bool,
}

type Places = BTreeMap<(usize, SettingId, About), Wish>;

pub(super) fn gather(site: &Site<'_>, order: &Order<'_>) -> Wanting {
    let mut findings = site.findings();
    let before: sorted::Set<String> = sorted::set(findings.iter().map(|finding| finding.fingerprint.clone()));
    let picked = |(_, finding): &(usize, &Finding)| finding.waiver.is_none() && (order.picks)(finding);
    let chosen: Vec<usize> = findings.iter().enumerate().filter(picked).map(|(number, _)| number).collect();
    let mut known: BTreeMap<String, usize> =
        chosen.iter().map(|number| (findings[*number].fingerprint.clone(), *number)).collect();
    let mut gathering = Gathering {
        order,
        ways: Ways::default(),
        places: Places::new(),
        open: Vec::new(),
        by_hand: Vec::new(),
        told: BTreeSet::new(),
        saves: BTreeSet::new(),
    };
    let mut now = site.clone();
    let mut round: Vec<usize> = chosen.clone();
    for _ in 0..ROUNDS {
        let changed = gathering.take(site, &now, &findings, &round);
        if changed.is_empty() {
            break;
        }
        gathering.apply(site, &mut now, &changed);
        // What is still there, and what has come up.
        round.clear();
        for finding in now.findings() {
            let number = known.get(&finding.fingerprint).copied();
            let is_new = !before.contains(&finding.fingerprint) && finding.waiver.is_none();
            if let Some(number) = number {
                // As it is found now: its words may be others.
                findings[number] = Finding { message: findings[number].message.clone(), ..finding };
                round.push(number);
            } else if is_new {
                known.insert(finding.fingerprint.clone(), findings.len());
                round.push(findings.len());
                findings.push(finding);
            }
        }
    }
    let Gathering { places, open, by_hand, saves, .. } = gathering;
    Wanting { changes: changes(site, places), findings, chosen, open, by_hand, saves, before }
}

struct Gathering<'a> {
    order: &'a Order<'a>,
    ways: Ways,
    places: Places,
    open: Vec<OpenPoint>,
    by_hand: Vec<ByHand>,
    /// The findings that are for people.
    told: BTreeSet<usize>,
    saves: BTreeSet<Arc<str>>,
}

impl Gathering<'_> {
    /// Takes in what some findings ask for; comes to the switches that change by it.
    fn take(&mut self, site: &Site<'_>, now: &Site<'_>, findings: &[Finding], round: &[usize]) -> BTreeSet<usize> {
        let mut wanted: Vec<(usize, Target)> = Vec::new();
        let mut roles = Roles::default();
        for number in round {
            let finding = &findings[*number];
            let targets = match mending_of(now, finding, &mut roles) {
                Mending::Targets(targets) => targets,
                Mending::Ask(question) => match self.asked(*number, finding, question) {
                    Some(targets) => targets,
                    None => continue,
                },
                Mending::Save => {
                    self.saves.extend(finding.switch.clone());
                    continue;
                }
                Mending::Person => {
                    self.person(*number, finding, NO_SETTING);
                    continue;
                }
            };
            let each = targets.into_iter().map(|target| by_membership(now, &target, &mut roles).unwrap_or(target));
            wanted.extend(each.map(|target| (*number, target)));
        }
        // What is left of a port's faults shows when it is in its mode and its VLANs; of a switch's, when its ports are.
        let layer = |target: &Target| LAYERS.iter().position(|ids| ids.contains(&target.setting));
        let open = |target: &Target| !self.is_settled(now, target);
        let mut first: BTreeMap<(&str, &About), usize> = BTreeMap::new();
        for (_, target) in wanted.iter().filter(|(_, target)| open(target)) {
            let at = first.entry((&target.switch, &target.about)).or_insert(usize::MAX);
            *at = layer(target).unwrap_or(LAYERS.len()).min(*at);
        }
        let lower: BTreeSet<&str> =
            first.iter().filter(|(_, at)| **at < LAYERS.len()).map(|((switch, _), _)| *switch).collect();
        let now_due = |target: &Target| match layer(target) {
            Some(layer) => first.get(&(&*target.switch, &target.about)).is_none_or(|at| layer <= *at),
            None if matches!(target.about, About::Port(_)) => {
                first.get(&(&*target.switch, &target.about)).is_none_or(|at| *at >= LAYERS.len())
            }
            None => !lower.contains(&*target.switch),
        };
        let due: Vec<&(usize, Target)> = wanted.iter().filter(|(_, target)| now_due(target)).collect();
        let mut changed = BTreeSet::new();
        for (number, target) in due {
            changed.extend(self.target((site, now), findings, *number, target));
        }
        changed
    }

    /// Whether a target is in force, or was tried and could not be written.
    fn is_settled(&self, now: &Site<'_>, target: &Target) -> bool {
        let (Some(at), Some(resolved)) = (now.number(&target.switch), now.get(&target.switch)) else { return true };
        let has = resolved.slot_by_hand(&target.about, target.setting).value;
        let Some(to) = comes_of(target, has.clone()) else { return true };
        let wish = self.places.get(&(at, target.setting, target.about.clone()));
        has.as_ref() == Some(&to) || wish.is_some_and(|wish| wish.is_contested || wish.to.as_ref() == Some(&to))
    }

    fn person(&mut self, number: usize, finding: &Finding, why: &str) {
        if !self.told.insert(number) {
            return;
        }
        self.by_hand.push(ByHand {
            switch: finding.switch.clone(),
            because: vec![number],
            what: finding.remedy.clone(),
            why: why.to_owned(),
        });
    }

    /// What was answered; else the point is open.
    fn asked(&mut self, number: usize, finding: &Finding, question: Question) -> Option<Vec<Target>> {
        let Question { of, asks, mut choices, free } = question;
        let id = of.unwrap_or_else(|| format!("{} {}", finding.check, finding.fingerprint));
        let given = self.order.answers.get(&id);
        let chosen = given.and_then(|answer| choices.iter().position(|(choice, _)| choice == answer));
        if let Some(at) = chosen {
            return Some(choices.swap_remove(at).1);
        }
        let takes = free.as_ref().map(|place| place.setting.info().kind.describe());
        if let Some(Place { switch, about, setting }) = free {
            let value = given.and_then(|answer| setting.info().kind.parse(answer).ok());
            if let Some(value) = value {
                return Some(vec![Target { switch, about, setting, to: To::Value(value) }]);
            }
        }
        match self.open.iter_mut().find(|open| open.id == id) {
            Some(open) => {
                if !open.findings.contains(&number) {
                    open.findings.push(number);
                }
            }
            None => {
                let choices = choices.into_iter().map(|(choice, _)| choice).collect();
                let refused = given.map(str::to_owned);
                self.open.push(OpenPoint { id, asks, choices, takes, findings: vec![number], refused });
            }
        }
        None
    }

    /// One setting of one place; the switch, if it comes to something else by that.
    fn target(
        &mut self,
        (site, now): (&Site<'_>, &Site<'_>),
        findings: &[Finding],
        number: usize,
        target: &Target,
    ) -> Option<usize> {
        let at = site.number(&target.switch)?;
        let has = now.get(&target.switch)?.slot_by_hand(&target.about, target.setting).value;
        let key = (at, target.setting, target.about.clone());
        // A list grows by what each finding asks for.
        let pending = self.places.get(&key).and_then(|wish| wish.to.clone());
        let to = comes_of(target, pending.or_else(|| has.clone()))?;
        // Nothing is changed that is right.
        if has.as_ref() == Some(&to) && !self.places.contains_key(&key) {
            return None;
        }
        let first = site.get(&target.switch)?.slot_by_hand(&target.about, target.setting).value;
        let wish = self.places.entry(key).or_default();
        wish.because.insert(number);
        if wish.is_contested || wish.to.as_ref() == Some(&to) {
            return None;
        }
        let back = wish.to.is_some() && (first.as_ref() == Some(&to) || wish.before.contains(&to));
        if let Some(before) = wish.to.replace(to) {
            wish.before.push(before);
        }
        if back {
            // Two findings want it otherwise: it stays as it was.
            wish.is_contested = true;
            wish.to = first;
            let because: Vec<usize> = wish.because.iter().copied().collect();
            self.contested(findings, &because, target.setting);
        }
        Some(at)
    }

    /// Findings of which each comes back when the other is mended.
    fn contested(&mut self, findings: &[Finding], because: &[usize], setting: SettingId) {
        let mut checks: Vec<&str> =
            because.iter().filter_map(|number| findings.get(*number)).map(|finding| finding.check).collect();
        checks.sort_unstable();
        checks.dedup();
        let why = format!(
            "{} cannot be right for all of {}: one of them is mended elsewhere",
            setting.name(),
            checks.join(", ")
        );
        for number in because {
            if let Some(finding) = findings.get(*number) {
                self.person(*number, finding, &why);
            }
        }
    }

    /// Each change on what came of the one before; what cannot be written is left out.
    fn one_after_the_other(&mut self, alone: &mut Resolved, due: &[Several]) {
        for several in due {
            if let Ok(edit) = self.ways.edit(alone, several) {
                *alone = edit.after;
                continue;
            }
            // Some of them, perhaps.
            for about in several.abouts.iter().filter(|_| several.abouts.len() > 1) {
                let one = Several { abouts: vec![about.clone()], ..several.clone() };
                if let Ok(edit) = self.ways.edit(alone, &one) {
                    *alone = edit.after;
                }
            }
        }
    }

    /// The switches as they would be, in any order of lines.
    fn apply(&mut self, site: &Site<'_>, now: &mut Site<'_>, changed: &BTreeSet<usize>) {
        let before: Vec<_> = site.switches().cloned().collect();
        for at in changed {
            let Some(resolved) = before.get(*at) else { continue };
            let Some(mut alone) = now.get(resolved.switch.name()).and_then(|now| now.alone()) else { continue };
            let due: Vec<Several> = groups(&self.places, *at)
                .into_iter()
                .filter_map(|mut several| {
                    let has = |about: &About| alone.slot_by_hand(about, several.setting).value;
                    several.abouts.retain(|about| has(about).as_ref() != Some(&several.value));
                    super::write::in_port_order(&alone, &mut several.abouts);
                    (!several.abouts.is_empty()).then_some(several)
                })
                .collect();
            match self.ways.all_at_once(&alone, &due) {
                Some(after) => alone = after,
                None => self.one_after_the_other(&mut alone, &due),
            }
            let is_alone = resolved.is_alone();
            let saved = resolved.switch.saved().clone();
            let after = if is_alone {
                Some(alone.with_saved(saved))
            } else {
                alone.text().and_then(|text| resolved.with_text(text))
            };
            after.into_iter().for_each(|after| now.replace(after));
        }
    }
}

/// The places of one switch that get one value, together. How wide it is written is looked at later.
fn groups(places: &Places, at: usize) -> Vec<Several> {
    let mut groups: Vec<Several> = Vec::new();
    let first = SettingId::all().next().map(|setting| (at, setting, About::Switch));
    let of_switch = first.map(|first| places.range(first..)).into_iter().flatten();
    for ((_, setting, about), wish) in of_switch.take_while(|((switch, ..), _)| *switch == at) {
        let Some(to) = &wish.to else { continue };
        match groups.iter_mut().find(|group| group.setting == *setting && group.value == *to) {
            Some(group) => group.abouts.push(about.clone()),
            None => {
                groups.push(Several { abouts: vec![about.clone()], setting: *setting, value: to.clone(), each: true });
            }
        }
    }
    groups
}

/// The changes: places of one switch that get one value are one.
fn changes(site: &Site<'_>, places: Places) -> Vec<Change> {
    let mut changes: Vec<Change> = Vec::new();
    let switches: Vec<_> = site.switches().cloned().collect();
    for ((at, setting, about), wish) in places {
        let (Some(resolved), Some(to)) = (switches.get(at), wish.to) else { continue };
        let from = resolved.slot_by_hand(&about, setting).value;
        if from.as_ref() == Some(&to) {
            continue;
        }
        let switch = Arc::clone(resolved.switch.name());
        let same = |change: &&mut Change| change.switch == switch && change.setting == setting && change.to == to;
        match changes.iter_mut().rev().take_while(|change| change.switch == switch).find(same) {
            Some(change) => {
                change.from.insert(about, from);
                change.because.extend(wish.because);
                change.because.sort_unstable();
                change.because.dedup();
            }
            None => changes.push(Change {
                switch,
                setting,
                from: BTreeMap::from([(about, from)]),
                to,
                because: wish.because.into_iter().collect(),
            }),
        }
    }
    changes
}

/// What is still found, or new, and neither asked nor for people yet: it waits for what is open at the same place, or somebody looks.
pub(super) fn tell_the_rest(
    findings: &[Finding],
    there: &BTreeSet<String>,
    proof: &Proof,
    open: &mut [OpenPoint],
    people: &mut Vec<ByHand>,
) {
    let told = open.iter().flat_map(|open| &open.findings).chain(people.iter().flat_map(|hand| &hand.because));
    let told: sorted::Set<usize> = sorted::set(told.copied());
    let new: sorted::Set<&str> = sorted::set(proof.new.iter().map(|finding| &*finding.fingerprint));
    let remaining: sorted::Set<&usize> = sorted::set(proof.remaining.iter());
    let is_new = |finding: &Finding| new.contains(&*finding.fingerprint);
    let left = findings.iter().enumerate().filter(|(number, finding)| {
        there.contains(&finding.fingerprint)
            && !told.contains(number)
            && (remaining.contains(number) || is_new(finding))
    });
    for (number, finding) in left {
        let here = |other: &usize| {
            findings.get(*other).is_some_and(|other| other.switch == finding.switch && other.port == finding.port)
        };
        if let Some(point) = open.iter_mut().find(|point| point.findings.iter().any(here)) {
            point.findings.push(number);
            continue;
        }
        let waits = people.iter().any(|hand| hand.why != STILL && hand.because.iter().any(here));
        people.push(ByHand {
            switch: finding.switch.clone(),
            because: vec![number],
            what: finding.remedy.clone(),
            why: if waits { WAITS } else { STILL }.to_owned(),
        });
    }
}
