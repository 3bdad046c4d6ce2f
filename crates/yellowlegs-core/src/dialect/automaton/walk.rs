//! Matching: the rule that takes a line, and what its holes took.

use std::borrow::Cow;

use rustc_hash::FxHashSet;

use super::super::captured::Captured;
use super::super::hole::HoleType;
use super::{Accept, Automaton, HoleEdge, Match, Node, NodeId, Pick, Taken, Took, Walk, WordRule};
use crate::source::Word;

impl Accept {
    /// Puts what the holes took where they belong.
    pub(super) fn put(&self, values: impl Iterator<Item = Took>, captures: &mut [Captured]) {
        let mut typed = self.typed.iter();
        for Took { hole, value } in values {
            let hole = hole.map(|hole| hole as usize).or_else(|| typed.next().map(|(hole, _)| *hole));
            if let Some(capture) = hole.and_then(|hole| captures.get_mut(hole)) {
                *capture = value;
            }
        }
        for (hole, which, _) in &self.chosen {
            captures[*hole] = Captured::Choice(*which);
        }
    }
}

impl Pick {
    pub(super) fn took(&self) -> Took {
        Took { hole: Some(self.hole), value: Captured::Choice(self.which) }
    }
}

impl WordRule {
    /// A word as literals are kept.
    fn folded(self, word: &str) -> Cow<'_, str> {
        if self.ignore_case && word.bytes().any(|b| b.is_ascii_uppercase()) {
            Cow::Owned(word.to_ascii_lowercase())
        } else {
            Cow::Borrowed(word)
        }
    }
}

impl Taken {
    /// Begins a step at a word; what is given back undoes it.
    fn step(&mut self, at: usize, hole: Option<u32>) -> (usize, usize) {
        let mark = (self.values.len(), self.starts.as_ref().map_or(0, Vec::len));
        if let Some(starts) = &mut self.starts {
            starts.push((at, hole));
        }
        mark
    }

    fn back(&mut self, (values, starts): (usize, usize)) {
        self.values.truncate(values);
        if let Some(all) = &mut self.starts {
            all.truncate(starts);
        }
    }
}

/// The longest statement found so far, and the way there.
#[derive(Default)]
struct Longest {
    best: Option<(u32, usize, Vec<Took>)>,
    values: Vec<Took>,
    seen: FxHashSet<(NodeId, usize)>,
}

impl Automaton {
    /// Finds the rules for a line in a context, from the opener of a path to what stands at its end. The values of their
    /// holes are put behind `captures`. `from`: the first word that counts.
    pub(in crate::dialect) fn find(
        &self,
        context: usize,
        line: &Walk<'_>,
        from: usize,
        captures: &mut Vec<Captured>,
        found: &mut Vec<Match>,
    ) -> bool {
        let mut taken = Taken::default();
        let Some(accept) = self.start(context, line, from, &mut taken) else { return false };
        taken.parts.push((accept, line.words.len(), taken.values.len()));
        let (mut first, mut values) = (from, taken.values.into_iter());
        let mut before = 0;
        for (accept, end, so_far) in taken.parts {
            let Some(accept) = self.accepts.get(accept as usize) else { return false };
            let base = captures.len();
            captures.resize(base + accept.holes, Captured::Absent);
            accept.put(values.by_ref().take(so_far - before), &mut captures[base..]);
            found.push(Match { rule: accept.rule, first, end, captures: base as u32 });
            (first, before) = (end, so_far);
        }
        true
    }

    /// The words that each hole of a rule took of a line: first, and one past the last. `part`: of the rules of a path, which.
    pub(in crate::dialect) fn hole_words(
        &self,
        context: usize,
        line: &Walk<'_>,
        from: usize,
        part: usize,
    ) -> Option<Vec<Option<(usize, usize)>>> {
        let mut taken = Taken { starts: Some(Vec::new()), ..Taken::default() };
        let accept = self.start(context, line, from, &mut taken)?;
        taken.parts.push((accept, line.words.len(), 0));
        let begins = part.checked_sub(1).map_or(Some(from), |p| taken.parts.get(p).map(|(_, end, _)| *end))?;
        let (accept, ends, _) = *taken.parts.get(part)?;
        let accept = self.accepts.get(accept as usize)?;
        let starts: Vec<_> = taken.starts?.into_iter().filter(|(at, _)| (begins..ends).contains(at)).collect();
        let of_graph = (0..).zip(&starts).filter_map(|(step, (_, hole))| Some(((*hole)? as usize, step)));
        let chosen = accept.chosen.iter().map(|(hole, _, step)| (*hole, *step));
        let mut words = vec![None; accept.holes];
        for (hole, step) in accept.typed.iter().copied().chain(chosen).chain(of_graph) {
            let (Some(words @ None), Some((first, _))) = (words.get_mut(hole), starts.get(step)) else { continue };
            *words = Some((*first, starts.get(step + 1).map_or(ends, |(at, _)| *at)));
        }
        Some(words)
    }

    fn start(&self, context: usize, line: &Walk<'_>, at: usize, taken: &mut Taken) -> Option<u32> {
        self.walk(*self.roots.get(context)?, line, at, taken)
    }

    fn walk(&self, id: NodeId, line: &Walk<'_>, at: usize, taken: &mut Taken) -> Option<u32> {
        let node = self.node(id)?;
        let Some(word) = line.words.get(at) else { return self.accept_at(node) };
        if node.is_shared && taken.dead.contains(&(id, at)) {
            return None;
        }
        if let Some(ways) = &node.ways {
            let word = self.rule.folded(word.of(line.text));
            let accept = ways.get(&*word).and_then(|way| self.by_word(self.node(*way)?, &word, line, at, taken));
            if accept.is_none() {
                taken.dead.insert((id, at));
            }
            return accept;
        }
        let accept = self.by_word(node, word.of(line.text), line, at, taken);
        let accept = accept.or_else(|| node.tails.iter().find_map(|tail| self.walk(*tail, line, at, taken)));
        if accept.is_some() {
            return accept;
        }
        let accept = self.by_context(node, line, at, taken);
        if node.is_shared && accept.is_none() {
            taken.dead.insert((id, at));
        }
        accept
    }

    /// Where a line that is at its end comes to an end, too.
    fn accept_at(&self, node: &Node) -> Option<u32> {
        node.accept.or_else(|| node.tails.iter().find_map(|tail| self.accept_at(self.node(*tail)?)))
    }

    /// Goes on by the next word: a literal, or else what a hole takes.
    fn by_word(&self, node: &Node, word: &str, line: &Walk<'_>, at: usize, taken: &mut Taken) -> Option<u32> {
        if let Some(to) = self.literal(node, word) {
            let pick = node.picks.iter().find(|pick| pick.to == to);
            let mark = taken.step(at, pick.map(|pick| pick.hole));
            taken.values.extend(pick.map(Pick::took));
            if let Some(accept) = self.walk(to, line, at + 1, taken) {
                return Some(accept);
            }
            taken.back(mark);
        }
        for edge in &node.holes {
            let Some((count, value)) = self.take(edge, line, at) else { continue };
            let mark = taken.step(at, edge.hole);
            taken.values.push(Took { hole: edge.hole, value });
            if let Some(accept) = self.walk(edge.to, line, at + count, taken) {
                return Some(accept);
            }
            taken.back(mark);
        }
        None
    }

    /// Goes on with what stands in the context that is opened here.
    fn by_context(&self, node: &Node, line: &Walk<'_>, at: usize, taken: &mut Taken) -> Option<u32> {
        if let Some((context, opener)) = node.then {
            let mark = (taken.parts.len(), taken.values.len());
            taken.parts.push((opener, at, taken.values.len()));
            if self.items(context, line, at, taken) == line.words.len() {
                return taken.parts.pop().map(|(last, ..)| last);
            }
            taken.parts.truncate(mark.0);
            taken.values.truncate(mark.1);
        }
        let (context, opener) = node.enter?;
        if taken.failed.contains(&(context, at)) {
            return None;
        }
        taken.parts.push((opener, at, taken.values.len()));
        let accept = self.start(context, line, at, taken);
        if accept.is_none() {
            taken.parts.pop();
            taken.failed.push((context, at));
        }
        accept
    }

    /// Takes statements of a context one after the other, each as long as one can be: the word before which none goes on.
    pub(super) fn items(&self, context: usize, line: &Walk<'_>, mut at: usize, taken: &mut Taken) -> usize {
        let Some(root) = self.roots.get(context) else { return at };
        while at < line.words.len() {
            let mut longest = Longest::default();
            self.longest(*root, line, at, &mut longest);
            let Some((accept, end, values)) = longest.best else { break };
            taken.values.extend(values);
            taken.parts.push((accept, end, taken.values.len()));
            at = end;
        }
        at
    }

    /// The longest statement that begins here; of several as long, the first in the order in which words are tried.
    fn longest(&self, id: NodeId, line: &Walk<'_>, at: usize, longest: &mut Longest) {
        let Some(node) = self.node(id) else { return };
        if node.is_shared && !longest.seen.insert((id, at)) {
            return;
        }
        if let Some(accept) = node.accept.filter(|_| longest.best.as_ref().is_none_or(|(_, end, _)| *end < at)) {
            longest.best = Some((accept, at, longest.values.clone()));
        }
        let before = longest.values.len();
        if let Some(word) = line.words.get(at) {
            if let Some(to) = self.literal(node, word.of(line.text)) {
                longest.values.extend(node.picks.iter().find(|pick| pick.to == to).map(Pick::took));
                self.longest(to, line, at + 1, longest);
                longest.values.truncate(before);
            }
            for edge in &node.holes {
                let Some((count, value)) = self.take(edge, line, at) else { continue };
                longest.values.push(Took { hole: edge.hole, value });
                self.longest(edge.to, line, at + count, longest);
                longest.values.truncate(before);
            }
        }
        for tail in &node.tails {
            self.longest(*tail, line, at, longest);
        }
    }

    pub(super) fn literal(&self, node: &Node, word: &str) -> Option<NodeId> {
        let word = self.rule.folded(word);
        if let Some(to) = node.literal(&word) {
            return Some(to);
        }
        if word.len() < self.rule.shortest? {
            return None;
        }
        // The only word at this place that begins so.
        let mut longer = node.literals().filter(|(whole, _)| whole.starts_with(&*word));
        let first = longer.next()?;
        longer.next().is_none().then_some(first.1)
    }

    /// Whether a literal right here names a word.
    fn goes_on_with(&self, id: NodeId, word: &str) -> bool {
        let Some(node) = self.node(id) else { return false };
        self.literal(node, word).is_some() || node.tails.iter().any(|tail| self.goes_on_with(*tail, word))
    }

    /// What a hole takes. A repeated one goes on until a word that a literal right after it names.
    pub(super) fn take(&self, edge: &HoleEdge, line: &Walk<'_>, at: usize) -> Option<(usize, Captured)> {
        // A list ends before a word that a literal behind it names, even where the word could be one of its signs.
        let is_list = matches!(edge.kind, HoleType::Ports | HoleType::Vlans | HoleType::Ints);
        let is_named = |word: &Word| self.goes_on_with(edge.to, word.of(line.text));
        let end = || Some(at + 1 + line.words.iter().skip(at + 1).position(is_named)?);
        let end = if is_list { end() } else { None };
        let words = line.words.get(..end.unwrap_or(line.words.len()))?;
        let first = edge.kind.take(line.text, words, at, line.lists)?;
        if !edge.repeated {
            return Some(first);
        }
        let (mut count, value) = first;
        let mut values = vec![value];
        while let Some(word) = line.words.get(at + count) {
            if self.goes_on_with(edge.to, word.of(line.text)) {
                break;
            }
            let Some((more, next)) = edge.kind.take(line.text, words, at + count, line.lists) else { break };
            if !values[0].joins(&next) {
                break;
            }
            count += more;
            values.push(next);
        }
        Some((count, Captured::join(values)))
    }
}
