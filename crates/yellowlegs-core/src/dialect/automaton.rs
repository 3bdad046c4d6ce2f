//! All patterns of a dialect as one automaton on words.
//!
//! Patterns with a common beginning share their nodes, so a line is walked once, not once per
//! pattern. At each node literal words come before typed holes, typed before words, words before the
//! rest. Where two rules could take one line on equal terms, the dialect is refused. A node is reached
//! by one path only, and lists and repeats take their words greedily, so a line costs at most its
//! words times the nodes: reading is linear in the text.

use std::borrow::Cow;

use rustc_hash::{FxHashMap, FxHashSet};

use super::captured::Captured;
use super::hints::is_near;
use super::hole::HoleType;
use super::pattern::{HoleKind, Pattern, Step};
use super::ports::Lists;
use crate::source::Word;

/// Most nodes of one dialect.
const MAX_NODES: usize = 200_000;
/// Up to so many literals a node is searched straight through.
const FEW: usize = 6;

type NodeId = u32;

/// A rule that took a line, or where the whole path is on the line, a part of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Match {
    /// Number of the rule.
    pub rule: u32,
    /// Position of the first word it took.
    pub first: usize,
    /// One past the last.
    pub end: usize,
    /// Where the values of its holes begin.
    pub captures: u32,
}

/// What is known of a sequence where it ends.
#[derive(Debug, Clone)]
struct Accept {
    rule: u32,
    holes: usize,
    /// Holes in the order in which their words come, with the step each is.
    typed: Vec<(usize, usize)>,
    /// Holes of words: which hole, which of its words, and the step it is.
    chosen: Vec<(usize, usize, usize)>,
}

/// What a walk gathers on its way: the values of typed holes, and where each step begins.
#[derive(Default)]
struct Taken {
    values: Vec<Captured>,
    /// Word positions of the steps; kept only when somebody asks.
    starts: Option<Vec<usize>>,
    /// The parts of a path: what took each, the word it ends before, and how many values there were by then.
    parts: Vec<(u32, usize, usize)>,
    /// Contexts in which the rest of the line from a word on fits nothing.
    failed: Vec<(usize, usize)>,
}

/// How far an unread line leads.
#[derive(Debug)]
pub(super) struct Furthest {
    /// The first word that does not fit.
    pub(super) at: usize,
    /// The root of the context it leads into.
    pub(super) root: usize,
    /// The openers it begins with, each with what its holes took.
    pub(super) openers: Vec<(u32, Vec<Captured>)>,
    /// The rules that go on from there.
    pub(super) rules: Vec<u32>,
}

/// What looking for the furthest place has seen.
#[derive(Default)]
struct Search {
    /// The node and the word it stands before.
    best: (NodeId, usize),
    root: usize,
    taken: Taken,
    seen: FxHashSet<(NodeId, usize)>,
}

#[derive(Debug, Clone)]
struct HoleEdge {
    kind: HoleType,
    repeated: bool,
    to: NodeId,
}

#[derive(Debug, Clone, Default)]
struct Node {
    few: Vec<(Box<str>, NodeId)>,
    many: FxHashMap<Box<str>, NodeId>,
    holes: Vec<HoleEdge>,
    accept: Option<u32>,
    /// Where paths go on on one line: the context that is opened here, and what opens it.
    enter: Option<(usize, u32)>,
    /// Where a line goes on with statements one after the other: the context they stand in, and what they belong to.
    then: Option<(usize, u32)>,
}

impl Node {
    fn literal(&self, word: &str) -> Option<NodeId> {
        if self.many.is_empty() {
            return self.few.iter().find(|(w, _)| &**w == word).map(|(_, to)| *to);
        }
        self.many.get(word).copied()
    }

    fn literals(&self) -> impl Iterator<Item = (&str, NodeId)> {
        self.few.iter().map(|(w, to)| (&**w, *to)).chain(self.many.iter().map(|(w, to)| (&**w, *to)))
    }
}

/// Two rules that could take one line on equal terms.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Clash {
    /// One rule.
    pub first: u32,
    /// The other.
    pub second: u32,
}

/// Why an automaton cannot be made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum BuildError {
    /// Two rules for one line.
    Clash(Clash),
    /// More nodes than are allowed.
    TooLarge,
}

/// How literal words are compared.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct WordRule {
    /// Letters of both cases are the same.
    pub(super) ignore_case: bool,
    /// Fewest letters a literal word may be shortened to; `None`: it may not.
    pub(super) shortest: Option<usize>,
}

/// The automaton: a root for each context, nodes shared by beginnings.
#[derive(Debug, Clone)]
pub(super) struct Automaton {
    nodes: Vec<Node>,
    roots: Vec<NodeId>,
    accepts: Vec<Accept>,
    rule: WordRule,
}

/// What a sequence stands for where it ends.
#[derive(Debug, Clone, Copy)]
pub(super) struct Meaning {
    /// Number of the rule.
    pub(super) rule: u32,
    /// Whether a line may end there.
    pub(super) ends: bool,
    /// The root of the context that goes on there on the same line.
    pub(super) enters: Option<usize>,
    /// The root of the context whose statements follow on the same line.
    pub(super) then: Option<usize>,
}

impl Automaton {
    /// An empty one with a root for each context.
    pub(super) fn new(contexts: usize, rule: WordRule) -> Self {
        let nodes = vec![Node::default(); contexts];
        Self { nodes, roots: (0..contexts as u32).collect(), accepts: Vec::new(), rule }
    }

    /// How its words are compared.
    pub(super) fn word_rule(&self) -> WordRule {
        self.rule
    }

    /// Adds one sequence of a pattern in one context.
    pub(super) fn add(
        &mut self,
        context: usize,
        pattern: &Pattern,
        sequence: &[Step],
        meaning: Meaning,
    ) -> Result<(), BuildError> {
        let rule = meaning.rule;
        let mut accept = Accept { rule, holes: pattern.holes.len(), typed: Vec::new(), chosen: Vec::new() };
        let mut node = self.roots.get(context).copied().unwrap_or_default();
        for (position, step) in sequence.iter().enumerate() {
            node = match step {
                Step::Literal(word) => self.literal_edge(node, word)?,
                Step::Choice(hole, which, word) => {
                    accept.chosen.push((*hole, *which, position));
                    self.literal_edge(node, word)?
                }
                Step::Hole(hole) => {
                    accept.typed.push((*hole, position));
                    let kind = pattern.holes.get(*hole).map(|h| &h.kind);
                    match kind.and_then(HoleKind::typed) {
                        Some(typed) => self.hole_edge(node, typed, kind.is_some_and(HoleKind::is_repeated))?,
                        None => node,
                    }
                }
            };
        }
        let id = self.accepts.len() as u32;
        let end = &self.nodes[node as usize];
        let leads = end.enter.or(end.then).map(|(_, there)| there);
        if let Some(there) = end.accept.filter(|_| meaning.ends).or(leads) {
            let first = self.accepts[there as usize].rule;
            // One rule may come to the same words twice, as `[a] [a]` does; two rules may not.
            if first != rule {
                return Err(BuildError::Clash(Clash { first, second: rule }));
            }
        }
        let end = &mut self.nodes[node as usize];
        if meaning.ends {
            end.accept.get_or_insert(id);
        }
        if let Some(context) = meaning.enters {
            end.enter.get_or_insert((context, id));
        }
        if let Some(context) = meaning.then {
            end.then.get_or_insert((context, id));
        }
        self.accepts.push(accept);
        Ok(())
    }

    fn fresh(&mut self) -> Result<NodeId, BuildError> {
        if self.nodes.len() >= MAX_NODES {
            return Err(BuildError::TooLarge);
        }
        self.nodes.push(Node::default());
        Ok(self.nodes.len() as NodeId - 1)
    }

    fn literal_edge(&mut self, from: NodeId, word: &str) -> Result<NodeId, BuildError> {
        if let Some(to) = self.nodes[from as usize].literal(word) {
            return Ok(to);
        }
        let to = self.fresh()?;
        let node = &mut self.nodes[from as usize];
        if node.many.is_empty() && node.few.len() < FEW {
            node.few.push((word.into(), to));
        } else {
            node.many.extend(node.few.drain(..));
            node.many.insert(word.into(), to);
        }
        Ok(to)
    }

    fn hole_edge(&mut self, from: NodeId, kind: HoleType, repeated: bool) -> Result<NodeId, BuildError> {
        let same = |edge: &&HoleEdge| edge.kind == kind && edge.repeated == repeated;
        if let Some(edge) = self.nodes[from as usize].holes.iter().find(same) {
            return Ok(edge.to);
        }
        let to = self.fresh()?;
        let holes = &mut self.nodes[from as usize].holes;
        holes.push(HoleEdge { kind, repeated, to });
        holes.sort_by_key(|edge| edge.kind.rank());
        Ok(to)
    }

    /// Pairs of rules that could take one line on equal terms.
    pub(super) fn clashes(&self, lists: &Lists) -> Vec<Clash> {
        let mut clashes = Vec::new();
        let mut seen = FxHashSet::default();
        for node in &self.nodes {
            for (i, a) in node.holes.iter().enumerate() {
                for b in &node.holes[i + 1..] {
                    if a.kind.rank() == b.kind.rank() && a.kind.overlaps(b.kind, lists) {
                        self.meet(a.to, b.to, lists, &mut seen, &mut clashes);
                    }
                }
            }
        }
        clashes.sort();
        clashes.dedup();
        clashes
    }

    /// Whether two nodes could both come to an end over the same words; gathers the rules that would.
    fn meet(
        &self,
        a: NodeId,
        b: NodeId,
        lists: &Lists,
        seen: &mut FxHashSet<(NodeId, NodeId)>,
        clashes: &mut Vec<Clash>,
    ) {
        if !seen.insert((a, b)) {
            return;
        }
        let (x, y) = (&self.nodes[a as usize], &self.nodes[b as usize]);
        if let (Some(p), Some(q)) = (x.accept, y.accept) {
            let (p, q) = (self.accepts[p as usize].rule, self.accepts[q as usize].rule);
            if p != q {
                clashes.push(Clash { first: p.min(q), second: p.max(q) });
            }
        }
        for (word, to) in x.literals() {
            if let Some(other) = y.literal(word) {
                self.meet(to, other, lists, seen, clashes);
            }
            let read = |edge: &&HoleEdge| takes(edge.kind, word, lists);
            y.holes.iter().filter(read).for_each(|edge| self.meet(to, edge.to, lists, seen, clashes));
        }
        for edge in &x.holes {
            let literals = y.literals().filter(|(word, _)| takes(edge.kind, word, lists));
            literals.for_each(|(_, to)| self.meet(edge.to, to, lists, seen, clashes));
            if edge.kind.is_rest() {
                self.swallow(edge.to, b, clashes);
            }
            for other in &y.holes {
                if other.kind.is_rest() {
                    self.swallow(other.to, a, clashes);
                }
                if edge.kind.rank() != other.kind.rank() || edge.kind.overlaps(other.kind, lists) {
                    self.meet(edge.to, other.to, lists, seen, clashes);
                }
            }
        }
    }

    /// A rest takes whatever comes: it meets every rule that goes on from `node`.
    fn swallow(&self, rest: NodeId, node: NodeId, clashes: &mut Vec<Clash>) {
        let rule = |id: NodeId| Some(self.accepts.get(self.nodes.get(id as usize)?.accept? as usize)?.rule);
        let Some(first) = rule(rest) else { return };
        let mut open = vec![node];
        while let Some(id) = open.pop() {
            let node = &self.nodes[id as usize];
            let next: Vec<NodeId> = node.literals().map(|(_, to)| to).chain(node.holes.iter().map(|e| e.to)).collect();
            let met = next.iter().filter_map(|to| rule(*to)).filter(|second| *second != first);
            clashes.extend(met.map(|second| Clash { first: first.min(second), second: first.max(second) }));
            open.extend(next);
        }
    }

    /// Finds the rules for a line in a context, from the opener of a path to what stands at its end. The values of their
    /// holes are put behind `captures`. `from`: the first word that counts.
    pub(super) fn find(
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
            for ((hole, _), value) in accept.typed.iter().zip(values.by_ref().take(so_far - before)) {
                captures[base + *hole] = value;
            }
            for (hole, which, _) in &accept.chosen {
                captures[base + *hole] = Captured::Choice(*which);
            }
            found.push(Match { rule: accept.rule, first, end, captures: base as u32 });
            (first, before) = (end, so_far);
        }
        true
    }

    /// The words that a hole took of a line: first, and one past the last. `part`: of the rules of a path, which.
    pub(super) fn hole_words(
        &self,
        context: usize,
        line: &Walk<'_>,
        from: usize,
        part: usize,
        hole: usize,
    ) -> Option<(usize, usize)> {
        let mut taken = Taken { starts: Some(Vec::new()), ..Taken::default() };
        let accept = self.start(context, line, from, &mut taken)?;
        taken.parts.push((accept, line.words.len(), 0));
        let begins = part.checked_sub(1).map_or(Some(from), |p| taken.parts.get(p).map(|(_, end, _)| *end))?;
        let (accept, ends, _) = *taken.parts.get(part)?;
        let accept = self.accepts.get(accept as usize)?;
        let typed = accept.typed.iter().find(|(h, _)| *h == hole).map(|(_, step)| *step);
        let step = typed.or_else(|| accept.chosen.iter().find(|(h, ..)| *h == hole).map(|(.., step)| *step))?;
        let starts: Vec<usize> = taken.starts?.into_iter().filter(|at| (begins..ends).contains(at)).collect();
        Some((*starts.get(step)?, starts.get(step + 1).copied().unwrap_or(ends)))
    }

    /// Where an unread line goes wrong: the word up to which the longest way through a context's patterns leads, and a
    /// rule that goes on from there.
    pub(super) fn nearest(&self, context: usize, line: &Walk<'_>, from: usize) -> Option<(u32, usize)> {
        let mut best: Option<(NodeId, usize)> = None;
        let mut open: Vec<(NodeId, usize)> = self.roots.get(context).map(|root| (*root, from)).into_iter().collect();
        let mut seen = FxHashSet::default();
        while let Some((id, at)) = open.pop() {
            if !seen.insert((id, at)) {
                continue;
            }
            if at > from && best.is_none_or(|(_, furthest)| at > furthest) {
                best = Some((id, at));
            }
            let (Some(node), Some(word)) = (self.nodes.get(id as usize), line.words.get(at)) else { continue };
            open.extend(self.literal(node, word.of(line.text)).map(|to| (to, at + 1)));
            let narrow = node.holes.iter().filter(|edge| !edge.kind.is_rest());
            open.extend(narrow.filter_map(|edge| Some((edge.to, at + self.take(edge, line, at)?.0))));
            open.extend(node.enter.and_then(|(context, _)| Some((*self.roots.get(context)?, at))));
            open.extend(node.then.and_then(|(context, _)| {
                Some((*self.roots.get(context)?, self.items(context, line, at, &mut Taken::default())))
            }));
        }
        let (node, at) = best?;
        Some((self.any_rule(node)?, at))
    }

    /// How far a line leads into a context's patterns, with the openers it begins with and the rules that go on from there.
    /// Where most of the context's rules go on from there, only those count whose next word is like the line's.
    pub(super) fn furthest(&self, context: usize, line: &Walk<'_>, from: usize) -> Option<Furthest> {
        let root = *self.roots.get(context)?;
        let mut search = Search { best: (root, from), root: context, ..Search::default() };
        self.search(root, context, line, from, &mut Taken::default(), &mut search);
        let (node, at) = search.best;
        let all = self.rules_below(*self.roots.get(search.root)?);
        let mut rules = self.rules_below(node);
        let tells = at > from && (rules.len() * 2 <= all.len() || all.len() < 5) || !search.taken.parts.is_empty();
        let word = line.words.get(at).map(|word| word.of(line.text));
        let like: Vec<NodeId> = self
            .nodes
            .get(node as usize)
            .into_iter()
            .flat_map(Node::literals)
            .filter_map(|(known, to)| word.is_some_and(|word| is_near(word, known)).then_some(to))
            .collect();
        if !tells {
            rules = like.into_iter().flat_map(|to| self.rules_below(to)).collect();
            rules.sort_unstable();
            rules.dedup();
        }
        let openers = self.spread(search.taken);
        Some(Furthest { at, root: search.root, openers, rules })
    }

    fn search(&self, id: NodeId, root: usize, line: &Walk<'_>, at: usize, taken: &mut Taken, search: &mut Search) {
        if !search.seen.insert((id, at)) {
            return;
        }
        if at > search.best.1 || at == search.best.1 && taken.parts.len() > search.taken.parts.len() {
            search.best = (id, at);
            search.root = root;
            search.taken.parts.clone_from(&taken.parts);
            search.taken.values.clone_from(&taken.values);
        }
        let (Some(node), Some(word)) = (self.nodes.get(id as usize), line.words.get(at)) else { return };
        if let Some(to) = self.literal(node, word.of(line.text)) {
            self.search(to, root, line, at + 1, taken, search);
        }
        for edge in node.holes.iter().filter(|edge| !edge.kind.is_rest()) {
            let Some((count, value)) = self.take(edge, line, at) else { continue };
            taken.values.push(value);
            self.search(edge.to, root, line, at + count, taken, search);
            taken.values.pop();
        }
        if let Some((context, opener)) = node.enter
            && let Some(inside) = self.roots.get(context)
        {
            taken.parts.push((opener, at, taken.values.len()));
            self.search(*inside, context, line, at, taken, search);
            taken.parts.pop();
        }
        if let Some((context, opener)) = node.then
            && let Some(inside) = self.roots.get(context)
        {
            taken.parts.push((opener, at, taken.values.len()));
            let after = self.items(context, line, at, &mut Taken::default());
            self.search(*inside, context, line, after, taken, search);
            taken.parts.pop();
        }
    }

    /// The openers of a way, each with what its holes took.
    fn spread(&self, taken: Taken) -> Vec<(u32, Vec<Captured>)> {
        let (mut values, mut before) = (taken.values.into_iter(), 0);
        let mut openers = Vec::new();
        for (accept, _, so_far) in taken.parts {
            let Some(accept) = self.accepts.get(accept as usize) else { break };
            let mut captures = vec![Captured::Absent; accept.holes];
            for ((hole, _), value) in accept.typed.iter().zip(values.by_ref().take(so_far - before)) {
                captures[*hole] = value;
            }
            for (hole, which, _) in &accept.chosen {
                captures[*hole] = Captured::Choice(*which);
            }
            openers.push((accept.rule, captures));
            before = so_far;
        }
        openers
    }

    /// The rules that end somewhere below a node, or open something there.
    fn rules_below(&self, from: NodeId) -> Vec<u32> {
        let mut open = vec![from];
        let mut rules = Vec::new();
        while let Some(id) = open.pop() {
            let Some(node) = self.nodes.get(id as usize) else { continue };
            let here = node.accept.into_iter().chain(node.enter.or(node.then).map(|(_, opener)| opener));
            rules.extend(here.filter_map(|accept| Some(self.accepts.get(accept as usize)?.rule)));
            open.extend(node.holes.iter().map(|e| e.to).chain(node.literals().map(|(_, to)| to)));
        }
        rules.sort_unstable();
        rules.dedup();
        rules
    }

    /// A rule that is reached from a node.
    fn any_rule(&self, from: NodeId) -> Option<u32> {
        let mut open = vec![from];
        let mut seen = FxHashSet::default();
        while let Some(id) = open.pop().filter(|_| seen.len() < 10_000) {
            if !seen.insert(id) {
                continue;
            }
            let node = self.nodes.get(id as usize)?;
            if let Some(accept) = node.accept.and_then(|a| self.accepts.get(a as usize)) {
                return Some(accept.rule);
            }
            open.extend(node.holes.iter().map(|e| e.to).chain(node.literals().map(|(_, to)| to)));
            open.extend(node.enter.or(node.then).and_then(|(context, _)| self.roots.get(context).copied()));
        }
        None
    }

    fn start(&self, context: usize, line: &Walk<'_>, at: usize, taken: &mut Taken) -> Option<u32> {
        if taken.failed.contains(&(context, at)) {
            return None;
        }
        let accept = self.walk(*self.roots.get(context)?, line, at, taken);
        if accept.is_none() {
            taken.failed.push((context, at));
        }
        accept
    }

    fn walk(&self, node: NodeId, line: &Walk<'_>, at: usize, taken: &mut Taken) -> Option<u32> {
        let node = self.nodes.get(node as usize)?;
        let Some(word) = line.words.get(at) else { return node.accept };
        if let Some(starts) = &mut taken.starts {
            starts.push(at);
        }
        let literal = self.literal(node, word.of(line.text));
        if let Some(accept) = literal.and_then(|to| self.walk(to, line, at + 1, taken)) {
            return Some(accept);
        }
        for edge in &node.holes {
            let Some((count, value)) = self.take(edge, line, at) else { continue };
            taken.values.push(value);
            if let Some(accept) = self.walk(edge.to, line, at + count, taken) {
                return Some(accept);
            }
            taken.values.pop();
        }
        if let Some(starts) = &mut taken.starts {
            starts.pop();
        }
        if let Some((context, opener)) = node.then {
            let before = (taken.parts.len(), taken.values.len());
            taken.parts.push((opener, at, taken.values.len()));
            if self.items(context, line, at, taken) == line.words.len() {
                return taken.parts.pop().map(|(last, ..)| last);
            }
            taken.parts.truncate(before.0);
            taken.values.truncate(before.1);
        }
        let (context, opener) = node.enter?;
        taken.parts.push((opener, at, taken.values.len()));
        let accept = self.start(context, line, at, taken);
        if accept.is_none() {
            taken.parts.pop();
        }
        accept
    }

    /// Takes statements of a context one after the other, each as long as one can be: the word before which none goes on.
    fn items(&self, context: usize, line: &Walk<'_>, mut at: usize, taken: &mut Taken) -> usize {
        let Some(root) = self.roots.get(context) else { return at };
        while at < line.words.len() {
            let mut best: Option<(u32, usize, Vec<Captured>)> = None;
            self.longest(*root, line, at, &mut Vec::new(), &mut best);
            let Some((accept, end, values)) = best else { break };
            taken.values.extend(values);
            taken.parts.push((accept, end, taken.values.len()));
            at = end;
        }
        at
    }

    /// The longest statement that begins here; of several as long, the first in the order in which words are tried.
    fn longest(
        &self,
        node: NodeId,
        line: &Walk<'_>,
        at: usize,
        values: &mut Vec<Captured>,
        best: &mut Option<(u32, usize, Vec<Captured>)>,
    ) {
        let Some(node) = self.nodes.get(node as usize) else { return };
        if let Some(accept) = node.accept.filter(|_| best.as_ref().is_none_or(|(_, end, _)| *end < at)) {
            *best = Some((accept, at, values.clone()));
        }
        let Some(word) = line.words.get(at) else { return };
        if let Some(to) = self.literal(node, word.of(line.text)) {
            self.longest(to, line, at + 1, values, best);
        }
        for edge in &node.holes {
            let Some((count, value)) = self.take(edge, line, at) else { continue };
            values.push(value);
            self.longest(edge.to, line, at + count, values, best);
            values.pop();
        }
    }

    fn literal(&self, node: &Node, word: &str) -> Option<NodeId> {
        let WordRule { ignore_case, shortest } = self.rule;
        if !ignore_case && shortest.is_none() {
            return node.literal(word);
        }
        let lower = if ignore_case && word.bytes().any(|b| b.is_ascii_uppercase()) {
            Cow::Owned(word.to_ascii_lowercase())
        } else {
            Cow::Borrowed(word)
        };
        if let Some(to) = node.literal(&lower) {
            return Some(to);
        }
        if lower.len() < shortest? {
            return None;
        }
        // The only word at this place that begins so.
        let mut longer = node.literals().filter(|(whole, _)| whole.starts_with(&*lower));
        let first = longer.next()?;
        longer.next().is_none().then_some(first.1)
    }

    /// What a hole takes. A repeated one goes on until a word that a literal right after it names.
    fn take(&self, edge: &HoleEdge, line: &Walk<'_>, at: usize) -> Option<(usize, Captured)> {
        let after = self.nodes.get(edge.to as usize)?;
        // A list ends before a word that a literal behind it names, even where the word could be one of its signs.
        let lists = matches!(edge.kind, HoleType::Ports | HoleType::Vlans | HoleType::Ints);
        let is_named = |word: &Word| self.literal(after, word.of(line.text)).is_some();
        let end = line.words.iter().skip(at + 1).position(is_named).filter(|_| lists).map(|i| at + 1 + i);
        let words = line.words.get(..end.unwrap_or(line.words.len()))?;
        let first = edge.kind.take(line.text, words, at, line.lists)?;
        if !edge.repeated {
            return Some(first);
        }
        let (mut count, value) = first;
        let mut values = vec![value];
        while let Some(word) = line.words.get(at + count) {
            if self.literal(after, word.of(line.text)).is_some() {
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

/// A line being matched.
#[derive(Clone, Copy)]
pub(super) struct Walk<'l> {
    pub(super) text: &'l str,
    pub(super) words: &'l [Word],
    pub(super) lists: &'l Lists,
}

fn takes(kind: HoleType, word: &str, lists: &Lists) -> bool {
    kind.take(word, &[Word { start: 0, end: word.len() }], 0, lists).is_some()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::ports::ListsText;
    use crate::syntax::Splitter;
    use rstest::rstest;

    fn lists() -> Lists {
        let text = ListsText {
            forms: vec!["<n>.<n>"],
            ranges: vec!["-".into()],
            items: vec![",".into()],
            ..ListsText::default()
        };
        Lists::new(text).unwrap()
    }

    fn built(patterns: &[&str]) -> Result<Automaton, BuildError> {
        let mut automaton = Automaton::new(1, WordRule { ignore_case: true, shortest: Some(3) });
        for (rule, text) in patterns.iter().enumerate() {
            let pattern = Pattern::parse(text, &Splitter::new(""), true).unwrap();
            for sequence in &pattern.sequences {
                automaton.add(
                    0,
                    &pattern,
                    sequence,
                    Meaning { rule: rule as u32, ends: true, enters: None, then: None },
                )?;
            }
        }
        Ok(automaton)
    }

    fn rule(patterns: &[&str], line: &str) -> Option<u32> {
        let mut words = Vec::new();
        Splitter::new("").split(line, 0, &mut words);
        let (lists, mut found) = (lists(), Vec::new());
        let walk = Walk { text: line, words: &words, lists: &lists };
        built(patterns).unwrap().find(0, &walk, 0, &mut Vec::new(), &mut found);
        found.first().map(|m| m.rule)
    }

    const ORDER: &[&str] = &["set <x:rest>", "set <w:word> on", "set <n:int> on", "set five on", "set <n:int>"];

    #[rstest]
    #[case::literal_first("set five on", Some(3))]
    #[case::typed_next("set 5 on", Some(2))]
    #[case::word_next("set six on", Some(1))]
    #[case::rest_last("set six off", Some(0))]
    #[case::back_to_the_typed("set 5", Some(4))]
    #[case::case_is_ignored("SET Five ON", Some(3))]
    #[case::shortened("set fiv on", Some(3))]
    #[case::too_short("se five on", None)]
    #[case::nothing("set", None)]
    #[case::nothing_at_all("other 5", None)]
    fn precedence(#[case] line: &str, #[case] expected: Option<u32>) {
        assert_eq!(rule(ORDER, line), expected);
    }

    #[rstest]
    #[case::same_words(&["a <n:int>", "a <m:int>"], true)]
    #[case::overlapping_types(&["a <n:int>", "a <m:vlan>"], true)]
    #[case::told_apart_later(&["a <n:int> x", "a <m:vlan> y"], false)]
    #[case::told_apart_by_nothing(&["a <n:int> <w:word>", "a <m:vlan> y"], true)]
    #[case::rest_and_more(&["a <n:int> <r:rest>", "a <m:vlan> y z"], true)]
    #[case::word_and_text(&["a <w:word>", "a <t:text>"], true)]
    #[case::typed_and_word(&["a <n:int>", "a <w:word>"], false)]
    #[case::station_and_number(&["a <n:int>", "a <s:station>"], false)]
    fn equals_are_refused(#[case] patterns: &[&str], #[case] refused: bool) {
        let clash = built(patterns).map_or(true, |a| !a.clashes(&lists()).is_empty());
        assert_eq!(clash, refused);
    }

    #[rstest]
    #[case("ports 1.1 1.2 1.3 up", 3)]
    #[case("ports 1.1-1.2, 1.4 1.9 up", 3)]
    fn repeats_stop_at_the_literal_after_them(#[case] line: &str, #[case] items: usize) {
        let mut words = Vec::new();
        Splitter::new("").split(line, 0, &mut words);
        let mut captures = Vec::new();
        let (lists, mut found) = (lists(), Vec::new());
        let walk = Walk { text: line, words: &words, lists: &lists };
        assert!(built(&["ports <p:ports>... up"]).unwrap().find(0, &walk, 0, &mut captures, &mut found));
        assert!(matches!(&captures[0], Captured::Ports(p) if p.len() == items), "{captures:?}");
    }
}
