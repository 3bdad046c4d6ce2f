//! All patterns of a dialect as one automaton on words.
//!
//! Patterns with a common beginning share their nodes, so a line is walked once, not once per
//! pattern. At each node literal words come before typed holes, typed before words, words before the
//! rest. Where two rules could take one line on equal terms, the dialect is refused. A node of the tree
//! is reached by one path only, and lists and repeats take their words greedily, so a line costs at most
//! its words times the nodes: reading is linear in the text.
//!
//! A pattern with very many optional parts and alternatives is a graph of its own behind the tree, whose
//! ways meet again after each part: it costs a node for each of its words, and each of its nodes is tried
//! once for a word. Such a pattern comes after the others that go on from the same words.

mod build;
mod near;
mod walk;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::captured::Captured;
use super::hole::HoleType;
use super::ports::Lists;
use crate::source::Word;
pub(super) use build::{BuildError, Meaning};
use near::Near;

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

/// What a hole took on a walk. In a graph each step knows its hole; in the tree the end of the sequence does.
#[derive(Debug, Clone)]
struct Took {
    hole: Option<u32>,
    value: Captured,
}

/// Few lines have more that holes take, and few have more parts.
const USUAL_VALUES: usize = 4;
const USUAL_PARTS: usize = 2;

/// What a walk gathers on its way: the values of typed holes, and where each step begins.
#[derive(Default)]
struct Taken {
    values: SmallVec<[Took; USUAL_VALUES]>,
    /// Word positions of the steps, in a graph with the hole each is; kept only when somebody asks.
    starts: Option<Vec<(usize, Option<u32>)>>,
    /// The parts of a path: what took each, the word it ends before, and how many values there were by then.
    parts: SmallVec<[(u32, usize, usize); USUAL_PARTS]>,
    /// Contexts in which the rest of the line from a word on fits nothing.
    failed: Vec<(usize, usize)>,
    /// Nodes of graphs from which the line does not go on from a word on.
    dead: FxHashSet<(NodeId, usize)>,
}

#[derive(Debug, Clone)]
struct HoleEdge {
    kind: HoleType,
    repeated: bool,
    to: NodeId,
    /// In a graph, which hole of its pattern it is.
    hole: Option<u32>,
}

/// In a graph, a word that is one of a hole's.
#[derive(Debug, Clone, Copy)]
struct Pick {
    to: NodeId,
    hole: u32,
    which: usize,
}

#[derive(Debug, Clone, Default)]
struct Node {
    few: Vec<(Box<str>, NodeId)>,
    many: FxHashMap<Box<str>, NodeId>,
    holes: Vec<HoleEdge>,
    /// Nodes that go on from here without a word, tried in this order after the words and holes.
    tails: Vec<NodeId>,
    picks: Vec<Pick>,
    /// By word, the one node among this and those that go on from here without a word that goes on with it: where each of them goes
    /// on with words alone, so that a row does not try all that it leaves out.
    ways: Option<FxHashMap<Box<str>, NodeId>>,
    /// It is a node of a graph: several ways may lead to it.
    is_shared: bool,
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
    /// What was looked up for lines that no rule takes.
    near: Near,
}

impl Automaton {
    /// An empty one with a root for each context.
    pub(super) fn new(contexts: usize, rule: WordRule) -> Self {
        let nodes = vec![Node::default(); contexts];
        Self { nodes, roots: (0..contexts as u32).collect(), accepts: Vec::new(), rule, near: Near::default() }
    }

    /// How its words are compared.
    pub(super) fn word_rule(&self) -> WordRule {
        self.rule
    }

    /// The one hole that is all that a context takes, where nothing else is: then no walk is needed.
    pub(super) fn only_hole(&self, context: usize) -> Option<HoleType> {
        let is_plain = |node: &Node| {
            let Node { few, many, tails, picks, enter, then, .. } = node;
            few.is_empty()
                && many.is_empty()
                && tails.is_empty()
                && picks.is_empty()
                && enter.is_none()
                && then.is_none()
        };
        let root = self.node(*self.roots.get(context)?).filter(|root| is_plain(root) && root.accept.is_none())?;
        let [edge] = &root.holes[..] else { return None };
        let end = self.node(edge.to).filter(|end| is_plain(end) && end.holes.is_empty())?;
        let accept = self.accepts.get(end.accept? as usize)?;
        let takes_one = accept.holes == 1 && accept.typed == [(0, 0)] && accept.chosen.is_empty();
        (takes_one && !edge.repeated && edge.hole.is_none()).then_some(edge.kind)
    }

    fn node(&self, id: NodeId) -> Option<&Node> {
        self.nodes.get(id as usize)
    }

    /// A node with those that go on from it without a word, each once, in the order in which they are tried.
    fn closure(&self, id: NodeId) -> Vec<NodeId> {
        let mut all = Vec::new();
        let mut open = vec![id];
        while let Some(id) = open.pop() {
            if !all.contains(&id) {
                all.push(id);
                open.extend(self.node(id).iter().flat_map(|node| node.tails.iter().rev()));
            }
        }
        all
    }
}

/// A line being matched.
#[derive(Clone, Copy)]
pub(super) struct Walk<'l> {
    pub(super) text: &'l str,
    pub(super) words: &'l [Word],
    pub(super) lists: &'l Lists,
}

#[cfg(test)]
mod tests {
    use super::*;

    use crate::dialect::pattern::Pattern;
    use crate::dialect::ports::ListsText;
    use crate::syntax::Splitter;
    use proptest::prelude::*;
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

    /// Words that are in one part alone, in two parts, and in front of another; holes without a word, in the middle and at the end.
    const ROWS: &[&str] = &[
        "row <p:ports> <d:text> [a <n:int>] [b <m:int>] [c <v:vlan>] [d (x|y=z)] [e <w:int> <u:int>] [f] [g] [h <s:word>]",
        "rank [a <n:int>] [b] [c] [d] [e] [a b <m:int>] [f] [g] [h (x|y)] [i]",
        "rung [a] [b] [c] [<n:int>] [d] [e] [f <m:int>] [g] [h] [a]",
        "rib [a <n:int> [b <m:int>]] [c] [(d|e|f <k:int>)] [g] [h] [i] [b] [<r:rest>]",
    ];

    /// What their lines begin with, and what may follow, in order.
    const PARTS: [(&str, &[&str]); 6] = [
        ("row 1.1 note", &["a 1", "b 2", "c 3", "d x", "e 4 5", "f", "g", "h w"]),
        ("row 1.1,1.2 \"a b\"", &["A 1", "c 3", "d Y", "e 4 5", "h h"]),
        ("Rank", &["a 1", "b", "c", "d", "e", "a b 8", "f", "G", "h x", "i"]),
        ("rung", &["a", "b", "C", "7", "d", "e", "f 6", "g", "h", "a"]),
        ("rib", &["a 1", "b 2", "c", "d", "g", "h", "i", "b"]),
        ("rib", &["a 1 b 2", "c", "f 5", "G", "i", "b", "and more of it"]),
    ];

    #[test]
    fn rows_are_walked_by_word() {
        let rows = wide(ROWS);
        let with_ways = rows.nodes.iter().filter(|node| node.ways.is_some()).count();
        assert!(with_ways > 20, "{with_ways}");
        assert!(rows.nodes.iter().all(|node| node.ways.is_none() || node.holes.is_empty()));
    }

    fn wide(patterns: &[&str]) -> Automaton {
        let mut automaton = Automaton::new(1, WordRule { ignore_case: true, shortest: None });
        for (rule, text) in patterns.iter().enumerate() {
            let pattern = Pattern::parse(text, &Splitter::new(""), true).unwrap();
            assert!(pattern.is_wide(), "{text}");
            let meaning = Meaning { rule: rule as u32, ends: true, enters: None, then: None };
            automaton.add_pattern(0, &pattern, meaning).unwrap();
        }
        automaton
    }

    proptest! {
        /// Where a word alone tells the way, nothing else is lost: rules, what holes took, and where it stands.
        #[test]
        fn words_tell_the_way(
            row in 0..PARTS.len(), taken in prop::collection::vec(any::<bool>(), 12),
            odd in prop::option::weighted(0.3, (0_usize..12, prop::sample::select(vec!["a", "a 2", "D y", "7", "z", "b c"]))),
        ) {
            let (first, parts) = PARTS[row];
            let parts = parts.iter().zip(&taken).filter(|(_, taken)| **taken).map(|(part, _)| *part);
            let mut parts: Vec<&str> = std::iter::once(first).chain(parts).collect();
            if let Some((at, odd)) = odd {
                parts.insert(at.clamp(1, parts.len()), odd);
            }
            let line = parts.join(" ");
            let rows = wide(ROWS);
            let mut plain = rows.clone();
            plain.nodes.iter_mut().for_each(|node| node.ways = None);
            let mut words = Vec::new();
            Splitter::new("").split(&line, 0, &mut words);
            let lists = lists();
            let walk = Walk { text: &line, words: &words, lists: &lists };
            let read = |automaton: &Automaton| {
                let (mut captures, mut found) = (Vec::new(), Vec::new());
                let is_one = automaton.find(0, &walk, 0, &mut captures, &mut found);
                (is_one, captures, found, automaton.hole_words(0, &walk, 0, 0))
            };
            let (by_word, plainly) = (read(&rows), read(&plain));
            // The words of a hole are there where it took something.
            if let Some(words) = &by_word.3 {
                let took: Vec<bool> = by_word.1.iter().map(|captured| *captured != Captured::Absent).collect();
                prop_assert_eq!(words.iter().map(Option::is_some).collect::<Vec<_>>(), took, "{}", line);
            }
            prop_assert_eq!(by_word, plainly, "{}", line);
        }
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
