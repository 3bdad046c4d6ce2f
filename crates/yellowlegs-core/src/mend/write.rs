//! The lines of each step, through the dialect of its switch, and the lines that take them back.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::ways::Ways;
use super::{ByHand, Change, Ordered, Site, Step};
use crate::model::{SettingId, Value};
use crate::resolve::{About, Edit, EditProblem, Resolved, Several, differences};

/// What the changes come to as text.
pub struct Written {
    /// The steps, in order.
    pub steps: Vec<Step>,
    /// What no line says.
    pub by_hand: Vec<ByHand>,
}

/// The order of steps, as they stand.
pub fn order_of(steps: &[Step]) -> Vec<Ordered> {
    let each = steps.iter().enumerate().map(|(number, step)| {
        let after = step.needs.iter().map(|(row, needs)| (*row, needs.iter().map(|n| n - 1).collect()));
        Ordered { change: number, phase: step.phase, block: step.block, after: after.collect() }
    });
    each.collect()
}

/// The lines of the changes, each on what came of those before it.
pub(super) fn write(site: &Site<'_>, changes: &[Change], order: &[Ordered], each: bool) -> Written {
    let mut now: BTreeMap<usize, Resolved> = BTreeMap::new();
    let mut steps: Vec<Step> = Vec::new();
    let mut number_of: BTreeMap<usize, usize> = BTreeMap::new();
    let mut by_hand = Vec::new();
    let mut ways = Ways::default();
    for Ordered { change: position, phase, block, after } in order {
        let Some(change) = changes.get(*position) else { continue };
        let Some(at) = site.number(&change.switch) else { continue };
        let start = || site.get(&change.switch).and_then(|resolved| resolved.alone());
        let Some(before) = now.get(&at).cloned().or_else(start) else {
            by_hand.push(not_written(change, &change.from.keys().cloned().collect::<Vec<_>>(), &EditProblem::NoText));
            continue;
        };
        let (mut lines, mut also, mut wide) = (Vec::new(), Vec::new(), None);
        let mut current = before.clone();
        let mut from = change.from.clone();
        let all = open_places(&before, change, each);
        let mut take = |several: &Several, current: &mut Resolved| -> Result<(), EditProblem> {
            let Edit { lines: more, also: beside, wide: how, after, .. } = ways.edit(current, several)?;
            *current = after;
            lines.extend(more);
            also.extend(beside);
            wide.get_or_insert(how);
            Ok(())
        };
        // All places at once; where that cannot be said, each by itself.
        if take(&all, &mut current).is_err() {
            for about in &all.abouts {
                let one = Several { abouts: vec![about.clone()], ..all.clone() };
                if let Err(problem) = take(&one, &mut current) {
                    by_hand.push(not_written(change, &one.abouts, &problem));
                    from.remove(about);
                }
            }
        }
        // Where a line before said it, too, there is nothing left to say.
        let Some(wide) = wide.filter(|_| !lines.is_empty()) else { continue };
        let needs = after.iter().map(|(row, first)| {
            let mut steps: Vec<usize> = first.iter().filter_map(|change| number_of.get(change).copied()).collect();
            steps.sort_unstable();
            (*row, steps)
        });
        let needs = needs.filter(|(_, steps)| !steps.is_empty()).collect();
        steps.push(Step {
            change: Change { from, ..change.clone() },
            phase: *phase,
            block: *block,
            needs,
            text: lines,
            undo: way_back(&before, &current, each, &mut ways).unwrap_or_default(),
            wide,
            also,
            impact: Vec::new(),
        });
        number_of.insert(*position, steps.len());
        now.insert(at, current);
    }
    Written { steps, by_hand }
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
    let changed: BTreeSet<&Arc<str>> = steps.iter().map(|step| &step.change.switch).chain(asked).collect();
    let of = |name: &&Arc<str>| {
        let save = after.get(name).and_then(|resolved| Some(resolved.dialect()?.writing().save.clone()));
        (Arc::clone(name), save.unwrap_or_default())
    };
    changed.iter().map(of).collect()
}
