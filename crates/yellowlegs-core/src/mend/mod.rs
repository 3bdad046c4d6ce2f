//! The repair: from findings to changes, in an order that never passes through an outage, as text, tried, with the way back.
//!
//! 1. [`wanted`]: findings become changes of settings, questions, and work for people; what comes up by a change joins them.
//! 2. [`order`]: what has to be there first.
//! 3. [`write`]: the lines, and the lines that take them back.
//! 4. [`impact`]: who is touched, by what the network says.
//! 5. [`proof`]: the fleet after every step; [`watch`]: what a step can matter to.

mod answers;
mod held;
mod impact;
mod kept;
mod order;
mod proof;
mod reach;
mod remedy;
mod seldom;
mod site;
mod wanted;
mod watch;
mod ways;
mod write;

use std::collections::BTreeMap;
use std::sync::Arc;

pub use answers::{AnswerProblem, Answers};
pub use held::{BackUp, HELD_DOWN};
pub use impact::{Impact, Touch};
pub use order::{Cycle, DEPENDENCIES, Dependency, Lie, Ordered, Way, Within, ordered};
pub use proof::{Broke, Proof};
pub use site::{Member, Site};
pub use wanted::{NO_SETTING, OpenPoint, STILL};
pub use write::order_of;

use crate::finding::Finding;
use crate::model::{Fact, Seconds, SettingId, Value, facts};
use crate::resolve::{About, Wide};
use crate::sorted;
use write::Writing;

/// One setting that gets one value, in one place of a switch or several.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change {
    /// The switch.
    pub switch: Arc<str>,
    /// The setting.
    pub setting: SettingId,
    /// Of what, each with the value that it has now; none: nobody knows it.
    pub from: BTreeMap<About, Option<Value>>,
    /// What it is to be.
    pub to: Value,
    /// The findings that it is for, by position among those of the plan.
    pub because: Vec<usize>,
}

/// A change in its place, as text.
#[derive(Clone)]
pub struct Step {
    /// Which change.
    pub change: Change,
    /// Its phase, from 1.
    pub phase: usize,
    /// Steps of one block are made together: what holds after a step holds after the last of its block.
    pub block: usize,
    /// The steps before it that had to be there first, from 1, each group with the row that says so.
    pub needs: Vec<(&'static Dependency, Vec<usize>)>,
    /// The lines.
    pub text: Vec<String>,
    /// The lines that take them back.
    pub undo: Vec<String>,
    /// How wide they are written.
    pub wide: Wide,
    /// Other settings that the same lines change.
    pub also: Vec<(About, SettingId)>,
    /// Who is touched.
    pub impact: Vec<Impact>,
}

/// What no line of the dialect says, or no setting mends: for people.
#[derive(Debug, Clone)]
pub struct ByHand {
    /// The switch.
    pub switch: Option<Arc<str>>,
    /// The findings that it is for, by position among those of the plan.
    pub because: Vec<usize>,
    /// What to do.
    pub what: String,
    /// Why no step does it.
    pub why: String,
}

/// What is asked of a plan.
pub struct Order<'a> {
    /// Which findings are to go.
    pub picks: &'a dyn Fn(&Finding) -> bool,
    /// Decisions that were taken.
    pub answers: &'a Answers,
    /// Settings are written for each port by itself.
    pub each_port: bool,
    /// A step that breaks something is left out and told; else the plan is refused.
    pub hold_back: bool,
    /// Steps that touch somebody come in this phase or later.
    pub touching_from: usize,
    /// What has to be there first.
    pub rows: &'a [&'static Dependency],
    /// Is told how many changes of how many are tried.
    pub tells: &'a dyn Fn(usize, usize),
}

/// The repair.
pub struct Plan<'p> {
    /// Everything that is found, before; those that come up on the way behind.
    pub findings: Vec<Finding>,
    /// Which of them are to go, by position.
    pub chosen: Vec<usize>,
    /// The steps, in order.
    pub steps: Vec<Step>,
    /// What has to be decided first.
    pub open: Vec<OpenPoint>,
    /// What people do.
    pub by_hand: Vec<ByHand>,
    /// Ports that features took down, and how they come back.
    pub back_up: Vec<BackUp>,
    /// The switches whose configuration is saved at the end, with what is typed.
    pub saves: Vec<(Arc<str>, Vec<String>)>,
    /// For how long the last of the leases that are told still runs; none: nobody tells one.
    pub longest_lease: Option<Seconds>,
    /// What is left and what came, and whether every step was safe.
    pub proof: Proof,
    /// The fleet as it would be.
    pub after: Site<'p>,
}

/// Why there is no plan.
#[derive(Debug, Clone, thiserror::Error)]
pub enum NoPlan {
    /// Changes wait for each other.
    #[error("the changes wait for each other: {0}")]
    Cycle(String),
    /// What the lines say is not what the steps want.
    #[error("{switch}: reading the changed text does not give what the steps want: {what}")]
    Unlike {
        /// The switch.
        switch: Arc<str>,
        /// What is unlike.
        what: String,
    },
}

impl Change {
    /// In one line.
    pub fn shown(&self) -> String {
        let abouts: Vec<String> = self.from.keys().map(ToString::to_string).collect();
        format!("{}: {} of {} to {}", self.switch, self.setting.name(), abouts.join(", "), self.to)
    }
}

/// So often what would break something is taken out of the plan.
const MOST_HELD_BACK: usize = 40;

/// A change that is not made, for it would break what works.
fn held(change: &Change, broke: &Broke) -> ByHand {
    let places: Vec<String> = change.from.keys().map(ToString::to_string).collect();
    let port = broke.port.as_ref().map(|port| format!(" {port}")).unwrap_or_default();
    ByHand {
        switch: Some(Arc::clone(&change.switch)),
        because: change.because.clone(),
        what: format!("Set {} of {} to {}.", change.setting.name(), places.join(", "), change.to),
        why: format!("held back, for it breaks {} on {}{port}: {}", broke.what, broke.switch, broke.says),
    }
}

/// Changes with those that touch somebody in a later phase, and their order: in another order lines may have to be others.
fn put_off(
    site: &Site<'_>,
    (changes, in_order): (&[Change], &[Ordered]),
    order: &Order<'_>,
) -> (Vec<Change>, Vec<Ordered>, Vec<ByHand>) {
    let mut writing = Writing::new(site, changes, in_order, order.each_port);
    let mut steps: Vec<Step> = Vec::new();
    while writing.left() > 0 {
        steps.extend(writing.block().into_iter().map(|made| made.step));
    }
    steps.iter_mut().for_each(|step| impact::touch(site, step));
    impact::put_off(&mut steps, order.touching_from);
    (steps.iter().map(|step| step.change.clone()).collect(), write::order_of(&steps), writing.by_hand)
}

/// For how long the last lease of all tables of bindings still runs, by what is left of it, or by when it is over.
fn longest_lease(site: &Site<'_>) -> Option<Seconds> {
    let of_row = |row: &Fact| {
        let over =
            |at: jiff::Timestamp| u32::try_from(at.duration_since(site.as_of.moment()).as_secs()).ok().map(Seconds);
        row.get(facts::binding::LEASE).or_else(|| row.get(facts::binding::EXPIRES).and_then(over))
    };
    let rows = site.switches().flat_map(|resolved| resolved.switch.facts_of(facts::binding::FACT));
    rows.filter_map(of_row).max()
}

/// Makes the plan.
pub fn plan<'p>(site: &Site<'p>, order: &Order<'_>) -> Result<Plan<'p>, NoPlan> {
    let wanted::Wanting { findings, chosen, changes, open, by_hand: mut people, saves, before } =
        wanted::gather(site, order);
    let map = reach::Map::of(site);
    let (distances, islands) = (reach::distances(site, &map), reach::islands(&map));
    let lie = |switch: &str| {
        let at = site.number(switch).unwrap_or(usize::MAX);
        Lie {
            distance: distances.get(&at).copied().unwrap_or(usize::MAX),
            island: islands.get(at).copied().unwrap_or(usize::MAX),
        }
    };
    let (mut changes, mut held_back) = (changes, 0);
    let (walked, by_hand) = loop {
        let in_order = ordered(&changes, order.rows, &lie).map_err(|cycle| {
            let told: Vec<String> = cycle.changes.iter().filter_map(|n| changes.get(*n)).map(Change::shown).collect();
            NoPlan::Cycle(told.join("; "))
        })?;
        let late = (order.touching_from > 1).then(|| put_off(site, (&changes, &in_order), order));
        let (of, in_order, mut by_hand) = match &late {
            Some((changes, in_order, by_hand)) => (&changes[..], &in_order[..], by_hand.clone()),
            None => (&changes[..], &in_order[..], Vec::new()),
        };
        let holds_back = order.hold_back && held_back < MOST_HELD_BACK;
        let writing = Writing::new(site, of, in_order, order.each_port);
        let (walked, not_written) = proof::walk((site, &map), &writing, order, holds_back);
        by_hand.extend(not_written);
        let Some(broke) = walked.broke.as_ref().filter(|_| holds_back) else { break (walked, by_hand) };
        let block = walked.steps.get(broke.step - 1).map(|step| step.block);
        for Step { change, .. } in walked.steps.iter().filter(|step| Some(step.block) == block) {
            changes.retain(|other| {
                (&other.switch, other.setting, &other.to) != (&change.switch, change.setting, &change.to)
            });
            people.push(held(change, broke));
        }
        held_back += 1;
    };
    people.extend(by_hand);
    let saves = write::saves(site, &walked.steps, &saves);
    let saved = sorted::tree_set(saves.iter().map(|(switch, _)| Arc::clone(switch)));
    let (steps, proven) = proof::prove(site, walked, (&findings, &chosen, &before), &saved)?;
    // What another change has settled is neither asked nor done by hand.
    let there = &proven.there;
    let is_left = |number: &usize| findings.get(*number).is_some_and(|finding| there.contains(&finding.fingerprint));
    let mut open = open;
    open.retain(|point| point.findings.iter().any(is_left));
    people.retain(|hand| hand.because.iter().any(is_left));
    wanted::tell_the_rest(&findings, there, &proven.proof, &mut open, &mut people);
    let back_up = held::back_up(&proven.after, &findings, &chosen, &steps);
    Ok(Plan {
        longest_lease: longest_lease(site),
        back_up,
        findings,
        chosen,
        steps,
        open,
        by_hand: people,
        saves,
        proof: proven.proof,
        after: proven.after,
    })
}
