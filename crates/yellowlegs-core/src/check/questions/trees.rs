//! Trees of questions with a branch for each answer.

use super::{Answer, Number};

/// A place in a tree. Trees are walked for every port, and what is read of them is seldom at hand: so a place is small, and the way that was
/// first taken from it stands in it and leads to the place behind it.
#[derive(Debug, Clone, Copy)]
struct Step {
    /// The question that is asked next, or one of the two below.
    asks: Number,
    /// The answer that came first.
    answer: Answer,
    /// Where it leads; where nothing more is asked, what was come to.
    to: u32,
    /// Where the other answers lead.
    others: u32,
}

/// Nobody came here so far.
const UNKNOWN: Number = Number::MAX;
/// Nothing more is asked.
const ENDS: Number = Number::MAX - 1;
/// All answers but the first lead nowhere.
const NO_OTHERS: u32 = u32::MAX;

impl Step {
    const UNKNOWN: Self = Self { asks: UNKNOWN, answer: 0, to: 0, others: NO_OTHERS };
}

/// From answers to the places they lead to, sorted.
type Ways = Vec<(Answer, u32)>;

/// So many ways are looked through one by one.
const FEW_WAYS: usize = 8;

/// Trees of questions, in one place, whose ways end with what was come to.
#[derive(Debug)]
pub(super) struct Trees<E> {
    steps: Vec<Step>,
    others: Vec<Ways>,
    /// What was come to: first what most come to, which is nothing.
    ends: Vec<E>,
}

impl<E: Default> Default for Trees<E> {
    fn default() -> Self {
        Self { steps: Vec::new(), others: Vec::new(), ends: vec![E::default()] }
    }
}

impl<E: PartialEq> Trees<E> {
    /// Room for so many trees more: where the first of them begins.
    pub(super) fn plant(&mut self, trees: usize) -> u32 {
        let first = self.steps.len();
        self.steps.resize(first + trees, Step::UNKNOWN);
        first as u32
    }

    /// Where an answer leads from a place that asks.
    #[inline]
    fn way(&self, step: Step, answer: Answer) -> Option<u32> {
        if step.answer == answer { Some(step.to) } else { self.other_way(step, answer) }
    }

    fn other_way(&self, step: Step, answer: Answer) -> Option<u32> {
        let ways = self.others.get(step.others as usize)?;
        if ways.len() <= FEW_WAYS {
            return ways.iter().find(|(of, _)| *of == answer).map(|(_, to)| *to);
        }
        let way = ways.binary_search_by_key(&answer, |(of, _)| *of).ok()?;
        ways.get(way).map(|(_, to)| *to)
    }

    /// Where the answers lead; nothing where nobody went that way.
    #[inline]
    pub(super) fn find(&self, mut answer: impl FnMut(Number) -> Answer, tree: u32) -> Option<&E> {
        let mut at = tree;
        loop {
            let step = *self.steps.get(at as usize)?;
            match step.asks {
                UNKNOWN => return None,
                ENDS => return self.ends.get(step.to as usize),
                question => at = self.way(step, answer(question))?,
            }
        }
    }

    /// Keeps what was come to where these questions were asked; whether something was, for nothing is kept of what does not hang on the
    /// answers alone.
    pub(super) fn keep(
        &mut self,
        mut answer: impl FnMut(Number) -> Answer,
        tree: u32,
        asked: &[Number],
        came_to: E,
    ) -> bool {
        let mut at = tree as usize;
        for question in asked.iter().copied() {
            let answer = answer(question);
            let next = self.steps.len() as u32;
            let Some(step) = self.steps.get_mut(at) else { return false };
            if step.asks == UNKNOWN {
                *step = Step { asks: question, answer, to: next, others: NO_OTHERS };
            }
            if step.asks != question {
                debug_assert!(false, "answered the same, a check asks the same");
                return false;
            }
            let step = *step;
            let to = self.way(step, answer).unwrap_or_else(|| {
                self.add_way(at, answer, next);
                next
            });
            if to == next {
                self.steps.push(Step::UNKNOWN);
            }
            at = to as usize;
        }
        let is_nothing = self.ends.first() == Some(&came_to);
        let to = if is_nothing { 0 } else { self.ends.len() as u32 };
        if let Some(step) = self.steps.get_mut(at) {
            *step = Step { asks: ENDS, to, ..Step::UNKNOWN };
        }
        if !is_nothing {
            self.ends.push(came_to);
        }
        true
    }

    /// How many places there are.
    pub(super) fn len(&self) -> usize {
        self.steps.len()
    }

    /// Whether nothing is asked at a place, and nothing was come to.
    pub(super) fn is_nothing(&self, at: u32) -> bool {
        self.steps.get(at as usize).is_some_and(|step| (step.asks, step.to) == (ENDS, 0))
    }

    /// One way more from a place that asks.
    fn add_way(&mut self, at: usize, answer: Answer, to: u32) {
        let new = self.others.len() as u32;
        let Some(step) = self.steps.get_mut(at) else { return };
        if step.others == NO_OTHERS {
            step.others = new;
            self.others.push(Ways::new());
        }
        let Some(ways) = self.others.get_mut(step.others as usize) else { return };
        let place = ways.partition_point(|(of, _)| *of < answer);
        ways.insert(place, (answer, to));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    proptest! {
        /// What is kept is found by the answers that led to it, and by no others, however many ways part: a question that comes next hangs on
        /// the answers before it, as it does for a check.
        #[test]
        fn what_is_kept_is_found_by_its_answers(
            kept in prop::collection::vec((0_u32..2, prop::collection::vec(0_u32..12, 4), 0_u32..3), 0..60),
        ) {
            let asked = |tree: u32, answers: &[u32]| -> Vec<Number> {
                let more = answers[tree as usize] % 2;
                [tree, 3][..=more as usize].to_vec()
            };
            let mut trees = Trees::<u32>::default();
            let mut known = BTreeMap::new();
            let roots = [trees.plant(1), trees.plant(1)];
            for (tree, answers, came_to) in kept {
                let asked = asked(tree, &answers);
                let told: Vec<u32> = asked.iter().map(|question| answers[*question as usize]).collect();
                prop_assert!(trees.keep(|question| answers[question as usize], roots[tree as usize], &asked, came_to));
                known.insert((tree, asked, told), came_to);
            }
            for ((tree, asked, told), came_to) in &known {
                let answer = |question| asked.iter().zip(told).find(|(of, _)| **of == question).map_or(99, |(_, told)| *told);
                prop_assert_eq!(trees.find(answer, roots[*tree as usize]), Some(came_to));
                let last = *asked.last().expect("something is asked");
                let other = |question| if question == last { 99 } else { answer(question) };
                prop_assert_eq!(trees.find(other, roots[*tree as usize]), None);
            }
        }
    }

    #[test]
    fn what_most_come_to_is_kept_once() {
        let mut trees = Trees::<u32>::default();
        let root = trees.plant(3);
        for (tree, came_to) in [(root, 0), (root + 1, 7), (root + 2, 0)] {
            assert!(trees.keep(|_| 0, tree, &[], came_to));
            assert_eq!(trees.find(|_| 0, tree), Some(&came_to));
        }
        assert_eq!(trees.ends, [0, 7]);
    }
}
