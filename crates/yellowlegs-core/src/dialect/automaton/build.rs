//! Building: patterns added to the tree of their context, or as graphs beside it, and lines that two rules could take.

use rustc_hash::{FxHashMap, FxHashSet};

use super::super::hole::HoleType;
use super::super::pattern::{HoleKind, Part, Pattern, Step};
use super::super::ports::Lists;
use super::{Accept, Automaton, HoleEdge, Node, NodeId, Pick};
use crate::sorted;
use crate::source::Word;

/// Most nodes of one dialect.
const MAX_NODES: usize = 200_000;
/// In a graph of more nodes none has its ways by word: each would have nearly all of them, and time and memory would grow with their
/// square. A row of a hundred parts has fewer.
const MOST_WITH_WAYS: NodeId = 512;
/// Up to so many literals a node is searched straight through.
const FEW: usize = 6;

/// Two rules that could take one line on equal terms.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(in crate::dialect) struct Clash {
    /// One rule.
    pub first: u32,
    /// The other.
    pub second: u32,
}

/// Why an automaton cannot be made.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(in crate::dialect) enum BuildError {
    /// Two rules for one line.
    Clash(Clash),
    /// More nodes than are allowed.
    TooLarge,
}

/// What a sequence stands for where it ends.
#[derive(Debug, Clone, Copy)]
pub(in crate::dialect) struct Meaning {
    /// Number of the rule.
    pub(in crate::dialect) rule: u32,
    /// Whether a line may end there.
    pub(in crate::dialect) ends: bool,
    /// The root of the context that goes on there on the same line.
    pub(in crate::dialect) enters: Option<usize>,
    /// The root of the context whose statements follow on the same line.
    pub(in crate::dialect) then: Option<usize>,
}

impl Automaton {
    /// Adds a pattern in one context: its sequences, or where those are very many, a graph behind its first words.
    pub(in crate::dialect) fn add_pattern(
        &mut self,
        context: usize,
        pattern: &Pattern,
        meaning: Meaning,
    ) -> Result<(), BuildError> {
        if pattern.is_wide() {
            return self.add_graph(context, pattern, meaning);
        }
        pattern.sequences.iter().try_for_each(|sequence| self.add(context, pattern, sequence, meaning))
    }

    fn add_graph(&mut self, context: usize, pattern: &Pattern, meaning: Meaning) -> Result<(), BuildError> {
        let mut accept =
            Accept { rule: meaning.rule, holes: pattern.holes.len(), typed: Vec::new(), chosen: Vec::new() };
        let mut node = self.roots.get(context).copied().unwrap_or_default();
        let plain = |part: &&Part| matches!(part, Part::Word(_) | Part::Hole(_));
        let front = pattern.parts.iter().take_while(plain).count();
        for (position, part) in pattern.parts.iter().take(front).enumerate() {
            node = match part {
                Part::Word(word) => self.literal_edge(node, word)?,
                Part::Hole(hole) => {
                    accept.typed.push((*hole, position));
                    self.typed_edge(node, pattern, *hole)?
                }
                _ => node,
            };
        }
        let start = self.fresh_shared()?;
        self.nodes[node as usize].tails.push(start);
        let end = self.parts(pattern, pattern.parts.get(front..).unwrap_or_default(), start)?;
        self.end(end, accept, meaning)?;
        let end = self.nodes.len() as NodeId;
        for id in (start..end).filter(|_| end - start <= MOST_WITH_WAYS) {
            self.nodes[id as usize].ways = self.ways(id);
        }
        Ok(())
    }

    /// The ways on by word from a node of a graph that several go on from; none where a word alone does not tell which.
    fn ways(&self, id: NodeId) -> Option<FxHashMap<Box<str>, NodeId>> {
        let all = self.closure(id);
        let mut ways = FxHashMap::default();
        for id in all.iter().filter(|_| all.len() > 1 && self.rule.shortest.is_none()) {
            let node = self.node(*id)?;
            if !node.holes.is_empty() || node.enter.is_some() || node.then.is_some() {
                return None;
            }
            for (word, _) in node.literals() {
                if ways.insert(word.into(), *id).is_some() {
                    return None;
                }
            }
        }
        (!ways.is_empty()).then_some(ways)
    }

    /// The parts one after the other from a node that nothing goes on from yet: where they end.
    fn parts(&mut self, pattern: &Pattern, parts: &[Part], from: NodeId) -> Result<NodeId, BuildError> {
        parts.iter().try_fold(from, |from, part| self.part(pattern, part, from))
    }

    fn part(&mut self, pattern: &Pattern, part: &Part, from: NodeId) -> Result<NodeId, BuildError> {
        let end = self.fresh_shared()?;
        match part {
            Part::Word(word) => self.word(from, std::slice::from_ref(word), end)?,
            Part::Hole(hole) => self.shared_hole(from, pattern, *hole, end),
            Part::Choice(hole, words, is_typed) => {
                for (which, words) in words.iter().enumerate() {
                    let way = self.way(from)?;
                    let to = self.fresh_shared()?;
                    let (first, more) = words.split_first().map_or(("", &[][..]), |(f, m)| (f.as_str(), m));
                    self.link(way, first, to);
                    self.nodes[way as usize].picks.push(Pick { to, hole: *hole as u32, which });
                    self.word(to, more, end)?;
                }
                if *is_typed {
                    let way = self.way(from)?;
                    self.shared_hole(way, pattern, *hole, end);
                }
            }
            Part::Optional(inner) => {
                let way = self.way(from)?;
                let inside = self.parts(pattern, inner, way)?;
                self.nodes[inside as usize].tails.push(end);
                self.nodes[from as usize].tails.push(end);
            }
            Part::Either(ways) => {
                for inner in ways {
                    let way = self.way(from)?;
                    let inside = self.parts(pattern, inner, way)?;
                    self.nodes[inside as usize].tails.push(end);
                }
            }
        }
        Ok(end)
    }

    /// One of several ways on from a node.
    fn way(&mut self, from: NodeId) -> Result<NodeId, BuildError> {
        let way = self.fresh_shared()?;
        self.nodes[from as usize].tails.push(way);
        Ok(way)
    }

    /// Words one after the other between two nodes.
    fn word(&mut self, mut from: NodeId, words: &[String], end: NodeId) -> Result<(), BuildError> {
        for word in words {
            let to = self.fresh_shared()?;
            self.link(from, word, to);
            from = to;
        }
        self.nodes[from as usize].tails.push(end);
        Ok(())
    }

    fn shared_hole(&mut self, from: NodeId, pattern: &Pattern, hole: usize, to: NodeId) {
        let Some(kind) = pattern.holes.get(hole).map(|h| &h.kind) else { return };
        let Some(typed) = kind.typed() else { return };
        let edge = HoleEdge { kind: typed, repeated: kind.is_repeated(), to, hole: Some(hole as u32) };
        self.nodes[from as usize].holes.push(edge);
    }

    fn fresh_shared(&mut self) -> Result<NodeId, BuildError> {
        let id = self.fresh()?;
        self.nodes[id as usize].is_shared = true;
        Ok(id)
    }

    /// Adds one sequence of a pattern in one context.
    pub(in crate::dialect) fn add(
        &mut self,
        context: usize,
        pattern: &Pattern,
        sequence: &[Step],
        meaning: Meaning,
    ) -> Result<(), BuildError> {
        let mut accept =
            Accept { rule: meaning.rule, holes: pattern.holes.len(), typed: Vec::new(), chosen: Vec::new() };
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
                    self.typed_edge(node, pattern, *hole)?
                }
            };
        }
        self.end(node, accept, meaning)
    }

    /// Lets a way end at a node.
    fn end(&mut self, node: NodeId, accept: Accept, meaning: Meaning) -> Result<(), BuildError> {
        let (id, rule) = (self.accepts.len() as u32, meaning.rule);
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
        self.link(from, word, to);
        Ok(to)
    }

    fn link(&mut self, from: NodeId, word: &str, to: NodeId) {
        let node = &mut self.nodes[from as usize];
        if node.many.is_empty() && node.few.len() < FEW {
            node.few.push((word.into(), to));
        } else {
            node.many.extend(node.few.drain(..));
            node.many.insert(word.into(), to);
        }
    }

    fn typed_edge(&mut self, from: NodeId, pattern: &Pattern, hole: usize) -> Result<NodeId, BuildError> {
        let kind = pattern.holes.get(hole).map(|h| &h.kind);
        match kind.and_then(HoleKind::typed) {
            Some(typed) => self.hole_edge(from, typed, kind.is_some_and(HoleKind::is_repeated)),
            None => Ok(from),
        }
    }

    fn hole_edge(&mut self, from: NodeId, kind: HoleType, repeated: bool) -> Result<NodeId, BuildError> {
        let same = |edge: &&HoleEdge| edge.kind == kind && edge.repeated == repeated;
        if let Some(edge) = self.nodes[from as usize].holes.iter().find(same) {
            return Ok(edge.to);
        }
        let to = self.fresh()?;
        let holes = &mut self.nodes[from as usize].holes;
        holes.push(HoleEdge { kind, repeated, to, hole: None });
        sorted::by_key(holes, |edge| edge.kind.rank());
        Ok(to)
    }

    /// Pairs of rules that could take one line on equal terms.
    pub(in crate::dialect) fn clashes(&self, lists: &Lists) -> Vec<Clash> {
        let mut meeting = Meeting { automaton: self, lists, seen: FxHashSet::default(), clashes: Vec::new() };
        for (id, node) in self.nodes.iter().enumerate() {
            for (i, a) in node.holes.iter().enumerate() {
                for b in &node.holes[i + 1..] {
                    if a.kind.rank() == b.kind.rank() && a.kind.overlaps(b.kind, lists) {
                        meeting.meet(a.to, b.to);
                    }
                }
            }
            // A graph beside the tree, or beside another graph: the first is taken, and on equal terms that is a clash.
            if !node.is_shared && !node.tails.is_empty() {
                meeting.beside(&self.closure(id as NodeId));
            }
        }
        sorted::plain(&mut meeting.clashes);
        meeting.clashes.dedup();
        meeting.clashes
    }
}

/// Looks for lines that two rules could take.
struct Meeting<'a> {
    automaton: &'a Automaton,
    lists: &'a Lists,
    seen: FxHashSet<(NodeId, NodeId)>,
    clashes: Vec<Clash>,
}

impl Meeting<'_> {
    /// Nodes that a line may go on from by the same words: where two begin alike, whether they go on alike.
    fn beside(&mut self, nodes: &[NodeId]) {
        let automaton = self.automaton;
        for (i, a) in nodes.iter().enumerate() {
            for b in nodes.iter().skip(i + 1) {
                let (Some(x), Some(y)) = (automaton.node(*a), automaton.node(*b)) else { continue };
                self.ends(x, y);
                for (word, to) in x.literals() {
                    if let Some(other) = y.literal(word) {
                        self.meet(to, other);
                    }
                }
                for edge in &x.holes {
                    let alike = |other: &&HoleEdge| {
                        edge.kind.rank() == other.kind.rank() && edge.kind.overlaps(other.kind, self.lists)
                    };
                    let alike: Vec<NodeId> = y.holes.iter().filter(alike).map(|other| other.to).collect();
                    alike.into_iter().for_each(|other| self.meet(edge.to, other));
                }
            }
        }
    }

    /// Whether two nodes could both come to an end over the same words; gathers the rules that would.
    fn meet(&mut self, a: NodeId, b: NodeId) {
        if !self.seen.insert((a, b)) {
            return;
        }
        let automaton = self.automaton;
        for a in automaton.closure(a) {
            for b in automaton.closure(b) {
                if let (Some(x), Some(y)) = (automaton.node(a), automaton.node(b)) {
                    self.meet_nodes((a, x), (b, y));
                }
            }
        }
    }

    fn ends(&mut self, x: &Node, y: &Node) {
        let rule = |accept: u32| self.automaton.accepts.get(accept as usize).map(|accept| accept.rule);
        if let (Some(p), Some(q)) = (x.accept.and_then(rule), y.accept.and_then(rule))
            && p != q
        {
            self.clashes.push(Clash { first: p.min(q), second: p.max(q) });
        }
    }

    fn meet_nodes(&mut self, (a, x): (NodeId, &Node), (b, y): (NodeId, &Node)) {
        let lists = self.lists;
        self.ends(x, y);
        for (word, to) in x.literals() {
            if let Some(other) = y.literal(word) {
                self.meet(to, other);
            }
            let read = |edge: &&HoleEdge| takes(edge.kind, word, lists);
            y.holes.iter().filter(read).for_each(|edge| self.meet(to, edge.to));
        }
        for edge in &x.holes {
            let literals = y.literals().filter(|(word, _)| takes(edge.kind, word, lists));
            literals.for_each(|(_, to)| self.meet(edge.to, to));
            if edge.kind.is_rest() {
                self.swallow(edge.to, b);
            }
            for other in &y.holes {
                if other.kind.is_rest() {
                    self.swallow(other.to, a);
                }
                if edge.kind.rank() != other.kind.rank() || edge.kind.overlaps(other.kind, lists) {
                    self.meet(edge.to, other.to);
                }
            }
        }
    }

    /// A rest takes whatever comes: it meets every rule that goes on from `node`.
    fn swallow(&mut self, rest: NodeId, node: NodeId) {
        let automaton = self.automaton;
        let rule = |id: NodeId| Some(automaton.accepts.get(automaton.node(id)?.accept? as usize)?.rule);
        let Some(first) = automaton.closure(rest).into_iter().find_map(rule) else { return };
        let (mut open, mut seen) = (vec![node], FxHashSet::default());
        while let Some(node) = open.pop().and_then(|id| automaton.node(id)) {
            let next = node.literals().map(|(_, to)| to).chain(node.holes.iter().map(|e| e.to));
            for to in next.chain(node.tails.iter().copied()) {
                if seen.insert(to) {
                    let met = rule(to).filter(|second| *second != first);
                    self.clashes
                        .extend(met.map(|second| Clash { first: first.min(second), second: first.max(second) }));
                    open.push(to);
                }
            }
        }
    }
}

fn takes(kind: HoleType, word: &str, lists: &Lists) -> bool {
    kind.take(word, &[Word { start: 0, end: word.len() }], 0, lists).is_some()
}
