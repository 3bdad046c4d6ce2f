//! The lines of each step, through the dialect of its switch, and the lines that take them back.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::ways::Ways;
use super::{ByHand, Change, Ordered, Site, Step};
use crate::model::{SettingId, Value};
use crate::resolve::{About, Edit, EditProblem, Resolved, Several, differences};
use crate::sorted;

/// Writes changes, each on what came of those before it.
#[derive(Clone)]
pub(super) struct Writing<'a, 'p> {
    site: &'a Site<'p>,
    changes: &'a [Change],
    order: &'a [Ordered],
    each: bool,
    now: BTreeMap<usize, Arc<Resolved>>,
    /// Of each switch, how many changes are left.
    left: BTreeMap<usize, usize>,
    /// Of each change that is written, its step.
    number_of: BTreeMap<usize, usize>,
    ways: Ways,
    /// What no line says.
    pub(super) by_hand: Vec<ByHand>,
}

/// A step, and its switch with it: as it was read, or without state where it has some.
pub(super) struct Made {
    pub(super) step: Step,
    pub(super) after: Arc<Resolved>,
}

impl<'a, 'p> Writing<'a, 'p> {
    pub(super) fn new(site: &'a Site<'p>, changes: &'a [Change], order: &'a [Ordered], each: bool) -> Self {
        let (now, number_of, ways, by_hand) = (BTreeMap::new(), BTreeMap::new(), Ways::default(), Vec::new());
        let mut left = BTreeMap::new();
        let switches = order.iter().filter_map(|ordered| site.number(&changes.get(ordered.change)?.switch));
        switches.for_each(|at| *left.entry(at).or_default() += 1);
        Self { site, changes, order, each, now, left, number_of, ways, by_hand }
    }

    /// How many changes are not written yet.
    pub(super) fn left(&self) -> usize {
        self.order.len()
    }

    /// The steps of the next block; nothing where there is none, or there is nothing to say.
    pub(super) fn block(&mut self) -> Vec<Made> {
        let Some(block) = self.order.first().map(|first| first.block) else { return Vec::new() };
        let length = self.order.iter().take_while(|ordered| ordered.block == block).count();
        let (of_block, rest) = self.order.split_at(length);
        self.order = rest;
        let made = of_block.iter().filter_map(|ordered| self.step(ordered)).collect();
        of_block.iter().for_each(|ordered| self.leave(ordered));
        made
    }

    /// After the last change of a switch nothing more is written on it.
    fn leave(&mut self, ordered: &Ordered) {
        let at = self.changes.get(ordered.change).and_then(|change| self.site.number(&change.switch));
        let Some((at, left)) = at.and_then(|at| Some((at, self.left.get_mut(&at)?))) else { return };
        *left -= 1;
        if *left == 0 {
            let ends = [self.now.remove(&at), self.site.at(at).cloned()];
            ends.iter().flatten().for_each(|resolved| resolved.settle_down());
        }
    }

    fn step(&mut self, ordered: &Ordered) -> Option<Made> {
        let Ordered { change: position, phase, block, after } = ordered;
        let change = self.changes.get(*position)?;
        let at = self.site.number(&change.switch)?;
        let Some(before) = self.now.get(&at).cloned().or_else(|| self.start(at)) else {
            self.by_hand.push(not_written(
                change,
                &change.from.keys().cloned().collect::<Vec<_>>(),
                &EditProblem::NoText,
            ));
            return None;
        };
        let (mut lines, mut also, mut wide) = (Vec::new(), Vec::new(), None);
        let mut current: Option<Resolved> = None;
        let mut from = change.from.clone();
        let all = open_places(&before, change, self.each);
        let Self { ways, by_hand, .. } = self;
        let mut take = |several: &Several| -> Result<(), EditProblem> {
            let now = current.as_ref().unwrap_or(&before);
            let Edit { lines: more, also: beside, wide: how, after, .. } = ways.edit(now, several)?;
            current = Some(after);
            lines.extend(more);
            also.extend(beside);
            wide.get_or_insert(how);
            Ok(())
        };
        // All places at once; where that cannot be said, each by itself.
        if take(&all).is_err() {
            for about in &all.abouts {
                let one = Several { abouts: vec![about.clone()], ..all.clone() };
                if let Err(problem) = take(&one) {
                    by_hand.push(not_written(change, &one.abouts, &problem));
                    from.remove(about);
                }
            }
        }
        // Where a line before said it, too, there is nothing left to say.
        let (wide, current) = wide.zip(current).filter(|_| !lines.is_empty())?;
        let needs = after.iter().map(|(row, first)| {
            let mut steps: Vec<usize> = first.iter().filter_map(|change| self.number_of.get(change).copied()).collect();
            steps.sort_unstable();
            (*row, steps)
        });
        let needs = needs.filter(|(_, steps)| !steps.is_empty()).collect();
        let step = Step {
            change: Change { from, ..change.clone() },
            phase: *phase,
            block: *block,
            needs,
            text: lines,
            undo: way_back(&before, &current, self.each, &mut self.ways).unwrap_or_default(),
            wide,
            also,
            impact: Vec::new(),
        };
        self.number_of.insert(*position, self.number_of.len() + 1);
        let after = Arc::new(current);
        self.now.insert(at, Arc::clone(&after));
        Some(Made { step, after })
    }

    /// What is written on: a switch without its state, for that says nothing of lines.
    fn start(&self, at: usize) -> Option<Arc<Resolved>> {
        let resolved = self.site.at(at)?;
        if resolved.is_alone() { Some(Arc::clone(resolved)) } else { resolved.alone().map(Arc::new) }
    }
}

/// The order of steps, as they stand.
pub fn order_of(steps: &[Step]) -> Vec<Ordered> {
    let each = steps.iter().enumerate().map(|(number, step)| {
        let after = step.needs.iter().map(|(row, needs)| (*row, needs.iter().map(|n| n - 1).collect()));
        Ordered { change: number, phase: step.phase, block: step.block, after: after.collect() }
    });
    each.collect()
}

/// The places that have not the value yet.
fn open_places(now: &Resolved, change: &Change, each: bool) -> Several {
    let is_open = |about: &&About| now.slot_by_hand(about, change.setting).value.as_ref() != Some(&change.to);
    let mut abouts: Vec<About> = change.from.keys().filter(is_open).cloned().collect();
    in_port_order(now, &mut abouts);
    Several { abouts, setting: change.setting, value: change.to.clone(), each }
}

/// Ports as the switch counts them.
pub(super) fn in_port_order(resolved: &Resolved, abouts: &mut [About]) {
    let position = |about: &About| match about {
        About::Port(port) => resolved.switch.port_index(port),
        _ => None,
    };
    abouts.sort_by_cached_key(|about| (position(about), about.clone()));
}

fn not_written(change: &Change, abouts: &[About], problem: &EditProblem) -> ByHand {
    let places: Vec<String> = abouts.iter().map(ToString::to_string).collect();
    ByHand {
        switch: Some(Arc::clone(&change.switch)),
        because: change.because.clone(),
        what: format!("Set {} of {} to {}.", change.setting.name(), places.join(", "), change.to),
        why: problem.to_string(),
    }
}

/// The lines that make of one reading of a switch the other again; none where no lines do.
fn way_back(before: &Resolved, after: &Resolved, each: bool, ways: &mut Ways) -> Option<Vec<String>> {
    let mut now = after.clone();
    let mut lines = Vec::new();
    // What one line takes along, another brings back.
    for _ in 0..4 {
        let differ = differences(before, &now);
        if differ.is_empty() {
            return Some(lines);
        }
        let mut groups: Vec<(SettingId, Value, Vec<About>)> = Vec::new();
        for (about, setting) in differ {
            let Some(value) = before.slot_by_hand(&about, setting).value else { continue };
            match groups.iter_mut().find(|(of, to, _)| *of == setting && *to == value) {
                Some((.., abouts)) => abouts.push(about),
                None => groups.push((setting, value, vec![about])),
            }
        }
        let mut moved = false;
        for (setting, value, mut abouts) in groups {
            abouts.retain(|about| now.slot_by_hand(about, setting).value.as_ref() != Some(&value));
            if abouts.is_empty() {
                continue;
            }
            in_port_order(before, &mut abouts);
            let Ok(edit) = ways.edit(&now, &Several { abouts, setting, value, each }) else { continue };
            now = edit.after;
            lines.extend(edit.lines);
            moved = true;
        }
        if !moved {
            return None;
        }
    }
    differences(before, &now).is_empty().then_some(lines)
}

/// The switches that are saved, with what is typed there: those that change, and those whose findings ask for it.
pub(super) fn saves(after: &Site<'_>, steps: &[Step], asked: &BTreeSet<Arc<str>>) -> Vec<(Arc<str>, Vec<String>)> {
    let changed: sorted::Set<&Arc<str>> = sorted::set(steps.iter().map(|step| &step.change.switch).chain(asked));
    let of = |name: &&Arc<str>| {
        let save = after.get(name).and_then(|resolved| Some(resolved.dialect()?.writing().save.clone()));
        (Arc::clone(name), save.unwrap_or_default())
    };
    changed.iter().map(of).collect()
}
