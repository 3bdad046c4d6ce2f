//! From rules to the automaton: negated forms, paths that go on on one line, clashes with their place.

use std::collections::BTreeSet;

use rustc_hash::FxHashMap;

use super::automaton::{Automaton, BuildError, Meaning};
use super::layout::Structure;
use super::load::{Text, report_build};
use super::pattern::Step;
use super::{Lists, rules::Placed};
use crate::source::TomlDoc;

/// The automaton of all rules in all contexts.
pub(super) fn rules(doc: &TomlDoc<'_>, rules: &[Placed], contexts: usize, text: &Text, lists: &Lists) -> Automaton {
    let mut automaton = Automaton::new(2 * contexts, text.words);
    let place = |rule: u32| {
        let placed = &rules[rule as usize];
        (placed.spot.clone(), placed.rule.line)
    };
    let paths = text.layout.structure == Structure::Paths;
    let short = short_negations(rules);
    for (number, placed) in rules.iter().enumerate() {
        let rule = &placed.rule;
        let inside = rule.opens.filter(|_| paths && !rule.goes_on());
        let then = rule.opens.filter(|_| rule.goes_on());
        let number = number as u32;
        for context in &rule.contexts {
            let meaning = |root: usize, ends: bool, enters: Option<usize>| {
                let then = then.map(|context| 2 * context + root % 2);
                Meaning { rule: number, ends, enters, then }
            };
            let mut whole = |root: usize, ends: bool, enters: Option<usize>| {
                let meaning = meaning(root, ends, enters);
                report_build(doc, automaton.add_pattern(root, &rule.pattern, meaning), place);
            };
            let (plain, negated) = (2 * context, 2 * context + 1);
            whole(plain, true, inside.map(|c| 2 * c));
            if text.layout.negation.is_none() {
                continue;
            }
            if inside.is_some() || then.is_some() || rule.undo.is_some() {
                whole(negated, rule.undo.is_some(), inside.map(|c| 2 * c + 1));
            }
            if rule.undo.is_none() {
                continue;
            }
            for sequence in &rule.pattern.sequences {
                // Shortened it may stand only where it means this rule and no other.
                let head = shortened(sequence);
                if short.get(&(*context, head)).is_some_and(|rules| rules.len() == 1) {
                    let meaning = Meaning { then: None, ..meaning(negated, true, None) };
                    report_build(doc, automaton.add(negated, &rule.pattern, head, meaning), place);
                }
            }
        }
    }
    for clash in automaton.clashes(lists) {
        report_build(doc, Err(BuildError::Clash(clash)), place);
    }
    automaton
}

/// The negated form of a sequence may leave out what follows its first hole.
fn shortened(sequence: &[Step]) -> &[Step] {
    let first = sequence.iter().position(|s| !matches!(s, Step::Literal(_))).unwrap_or(sequence.len());
    sequence.get(..first.max(1)).unwrap_or(sequence)
}

/// By context and words, the rules whose negated form these words could be, shortened or whole.
fn short_negations(rules: &[Placed]) -> FxHashMap<(usize, &[Step]), BTreeSet<usize>> {
    let mut short: FxHashMap<(usize, &[Step]), BTreeSet<usize>> = FxHashMap::default();
    for (number, placed) in rules.iter().enumerate().filter(|(_, p)| p.rule.undo.is_some()) {
        for context in &placed.rule.contexts {
            for sequence in &placed.rule.pattern.sequences {
                for form in [sequence, shortened(sequence)] {
                    short.entry((*context, form)).or_default().insert(number);
                }
            }
        }
    }
    short
}
