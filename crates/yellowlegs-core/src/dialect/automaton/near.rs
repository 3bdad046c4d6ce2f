//! How far a line that no rule takes leads into the patterns, and to which rules.

use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use rustc_hash::{FxHashMap, FxHashSet};

use super::super::captured::Captured;
use super::super::hints::is_near;
use super::{Automaton, Node, NodeId, Pick, Taken, Took, Walk};

/// How far an unread line leads.
#[derive(Debug)]
pub(in crate::dialect) struct Furthest {
    /// The first word that does not fit.
    pub(in crate::dialect) at: usize,
    /// The root of the context it leads into.
    pub(in crate::dialect) root: usize,
    /// The openers it begins with, each with what its holes took.
    pub(in crate::dialect) openers: Vec<(u32, Vec<Captured>)>,
    /// The rules that go on from there.
    pub(in crate::dialect) rules: Vec<u32>,
}

/// So many words are kept with the rules whose next word is like them; with more, all begins anew.
const MOST_WORDS: usize = 4096;
/// Words of more bytes are looked up each time.
const LONGEST_WORD: usize = 64;

/// What was looked up for lines that no rule takes: such lines come by the hundred, and begin alike.
#[derive(Debug, Default)]
pub(super) struct Near(Mutex<Kept>);

#[derive(Debug, Default)]
struct Kept {
    /// By node, the rules below it.
    below: FxHashMap<NodeId, Arc<[u32]>>,
    /// By node and word, the rules that go on from there with a word like it.
    like: FxHashMap<(NodeId, Box<str>), Arc<[u32]>>,
}

impl Clone for Near {
    /// Nothing is kept of it: what is found again is the same.
    fn clone(&self) -> Self {
        Self::default()
    }
}

impl Near {
    fn kept(&self) -> MutexGuard<'_, Kept> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
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

impl Automaton {
    /// Where an unread line goes wrong: the word up to which the longest way through a context's patterns leads, and a
    /// rule that goes on from there.
    pub(in crate::dialect) fn nearest(&self, context: usize, line: &Walk<'_>, from: usize) -> Option<(u32, usize)> {
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
            open.extend(self.node(id).iter().flat_map(|node| &node.tails).map(|tail| (*tail, at)));
            let (Some(node), Some(word)) = (self.node(id), line.words.get(at)) else { continue };
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
    pub(in crate::dialect) fn furthest(&self, context: usize, line: &Walk<'_>, from: usize) -> Option<Furthest> {
        let root = *self.roots.get(context)?;
        let mut search = Search { best: (root, from), root: context, ..Search::default() };
        self.search(root, context, line, from, &mut Taken::default(), &mut search);
        let (node, at) = search.best;
        let all = self.below(*self.roots.get(search.root)?);
        let below = self.below(node);
        let mut rules = below.to_vec();
        let tells = at > from && (rules.len() * 2 <= all.len() || all.len() < 5) || !search.taken.parts.is_empty();
        if !tells {
            let word = line.words.get(at).map(|word| word.of(line.text));
            rules = word.map(|word| self.like(node, word).to_vec()).unwrap_or_default();
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
        let (Some(node), Some(word)) = (self.node(id), line.words.get(at)) else { return };
        let before = taken.values.len();
        if let Some(to) = self.literal(node, word.of(line.text)) {
            taken.values.extend(node.picks.iter().find(|pick| pick.to == to).map(Pick::took));
            self.search(to, root, line, at + 1, taken, search);
            taken.values.truncate(before);
        }
        for edge in node.holes.iter().filter(|edge| !edge.kind.is_rest()) {
            let Some((count, value)) = self.take(edge, line, at) else { continue };
            taken.values.push(Took { hole: edge.hole, value });
            self.search(edge.to, root, line, at + count, taken, search);
            taken.values.truncate(before);
        }
        for tail in &node.tails {
            self.search(*tail, root, line, at, taken, search);
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
            accept.put(values.by_ref().take(so_far - before), &mut captures);
            openers.push((accept.rule, captures));
            before = so_far;
        }
        openers
    }

    /// The rules below a node, looked up once.
    fn below(&self, node: NodeId) -> Arc<[u32]> {
        if let Some(known) = self.near.kept().below.get(&node) {
            return Arc::clone(known);
        }
        let below: Arc<[u32]> = self.rules_below(node).into();
        self.near.kept().below.insert(node, Arc::clone(&below));
        below
    }

    /// The rules that go on from a node with a word like this one, looked up once.
    fn like(&self, node: NodeId, word: &str) -> Arc<[u32]> {
        let key = (node, Box::from(word));
        if let Some(known) = self.near.kept().like.get(&key) {
            return Arc::clone(known);
        }
        let nodes = self.closure(node);
        let literals = nodes.iter().filter_map(|id| self.node(*id)).flat_map(Node::literals);
        let like = literals.filter(|(known, _)| is_near(word, known)).map(|(_, to)| to);
        let mut rules: Vec<u32> = like.flat_map(|to| self.rules_below(to)).collect();
        rules.sort_unstable();
        rules.dedup();
        let (rules, mut kept) = (Arc::<[u32]>::from(rules), self.near.kept());
        if kept.like.len() >= MOST_WORDS {
            kept.like.clear();
        }
        if word.len() <= LONGEST_WORD {
            kept.like.insert(key, Arc::clone(&rules));
        }
        rules
    }

    /// The rules that end somewhere below a node, or open something there.
    fn rules_below(&self, from: NodeId) -> Vec<u32> {
        let mut open = vec![from];
        let mut rules = Vec::new();
        let mut seen = FxHashSet::default();
        while let Some(id) = open.pop() {
            let Some(node) = self.node(id) else { continue };
            if node.is_shared && !seen.insert(id) {
                continue;
            }
            let here = node.accept.into_iter().chain(node.enter.or(node.then).map(|(_, opener)| opener));
            rules.extend(here.filter_map(|accept| Some(self.accepts.get(accept as usize)?.rule)));
            open.extend(node.holes.iter().map(|e| e.to).chain(node.literals().map(|(_, to)| to)));
            open.extend(&node.tails);
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
            let node = self.node(id)?;
            if let Some(accept) = node.accept.and_then(|a| self.accepts.get(a as usize)) {
                return Some(accept.rule);
            }
            open.extend(node.holes.iter().map(|e| e.to).chain(node.literals().map(|(_, to)| to)));
            open.extend(&node.tails);
            open.extend(node.enter.or(node.then).and_then(|(context, _)| self.roots.get(context).copied()));
        }
        None
    }
}
