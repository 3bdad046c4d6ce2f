//! Reading a text of state: line by line, into facts.

use std::sync::Arc;

use jiff::Timestamp;
use rustc_hash::FxHashMap;

use super::super::automaton::{Match, Walk};
use super::super::captured::Captured;
use super::super::ports::{PortItem, PortRef};
use super::super::rule::{HoleRef, Subject};
use super::super::{Dialect, convert::port_names};
use super::row::Open;
use super::said::{SaidOf, StateSaid, Taken, about, said};
use super::table::{Placed, is_ruler, place};
use super::{Filled, StateRule};
use crate::model::{Fact, FactKind, Kind, Mark, Unread, Value};
use crate::source::{Source, Word};
use crate::syntax::{Line, lines};

/// Most facts a text may tell, for each byte of it and besides; a list of ports counts as often as it is long. Tables of real
/// switches have rows of thirty bytes for at most as many ports.
const MOST_FACTS: (usize, usize) = (2, 4_096);

/// Deepest nesting of stanzas.
const DEEPEST: usize = 32;

/// A text of state, read.
#[derive(Debug, Clone, Default)]
pub struct StateText {
    /// What it tells.
    pub facts: Vec<Fact>,
    /// The headings of its tables: what was asked, whether rows follow or not.
    pub tables: Vec<(FactKind, Mark)>,
    /// Lines that nothing takes.
    pub unread: Vec<Unread>,
    /// Why, for each of them.
    pub missed: Vec<Missed>,
    /// Which line was taken by which line of the dialect.
    pub taken: Vec<(u32, u32)>,
    /// Stretches that are never shown.
    pub secrets: Vec<Word>,
    /// Words of lines that nothing takes: shown only raw.
    pub hidden: Vec<Word>,
    /// Lines that tell more facts than are kept of a text as long as this.
    pub beyond: Vec<(FactKind, Mark)>,
    /// The settings that it decides, in the order of the text.
    pub said: Vec<StateSaid>,
    /// How many lines it has.
    pub lines: u32,
    /// A table whose heading is the last of the text, without an end of its line: the text is cut there.
    pub cut: Option<(FactKind, Mark)>,
    /// A table whose heading is the last line: it is empty, or the text is cut there.
    pub empty_end: Option<Mark>,
}

/// Why nothing takes a line of state.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Missed {
    /// It stands under a table, and one of its cells is not what the column takes.
    Cell {
        /// The table's line in the dialect.
        table: u32,
        /// The column's title.
        column: String,
        /// It is blank, in the column that makes a row.
        blank: bool,
    },
    /// No rule of the context it stands in fits.
    Rule {
        /// The context.
        context: usize,
    },
}

/// An open block: the lines inside tell more of its fact.
pub(super) struct Block {
    pub(super) context: usize,
    indent: u32,
    /// The fact in progress, by its position.
    fact: Option<usize>,
    /// What its holes took, by name, for the facts inside.
    named: Vec<(String, Captured)>,
    /// What the settings inside belong to.
    about: Option<SaidOf>,
}

impl Dialect {
    /// Reads a text of state. `file` is its position among the switch's files; `as_of` settles moments without a year.
    pub fn read_state(&self, source: &Source, file: u16, as_of: Timestamp) -> StateText {
        let text = source.text();
        let mut reader = Reader {
            dialect: self,
            text,
            file,
            as_of,
            blocks: Vec::new(),
            open: None,
            result: StateText::default(),
            words: Vec::new(),
            placed: Vec::new(),
            scratch: Vec::new(),
            names: FxHashMap::default(),
        };
        for line in lines(text) {
            reader.result.lines = line.number;
            let state = &self.state;
            if line.text.is_empty() || state.comments.iter().any(|sign| line.text.starts_with(sign.as_str())) {
                continue;
            }
            reader.line(&line);
        }
        reader.flush();
        reader.end();
        reader.result
    }

    /// The rule of state that fits an unread line longest, in its context or at the top, and the word where that stops.
    pub fn nearest_state_rule(&self, text: &str, mark: Mark, context: usize) -> Option<(&StateRule, Word)> {
        let (start, end) = (mark.offset as usize, (mark.offset + mark.width) as usize);
        let mut words = Vec::new();
        self.state.splitter.split(text.get(start..end)?, start, &mut words);
        let walk = Walk { text, words: &words, lists: &self.lists };
        let nearest = |context| self.state.automaton.nearest(context, &walk, 0);
        let (rule, at) = nearest(context).or_else(|| nearest(0))?;
        let stopped = words.get(at).copied().unwrap_or(Word { start: end, end });
        Some((self.state.rules.get(rule as usize)?, stopped))
    }
}

pub(super) struct Reader<'a> {
    pub(super) dialect: &'a Dialect,
    pub(super) text: &'a str,
    file: u16,
    as_of: Timestamp,
    pub(super) blocks: Vec<Block>,
    pub(super) open: Option<Open<'a>>,
    pub(super) result: StateText,
    words: Vec<Word>,
    /// The words of the line by their columns.
    placed: Vec<Placed<'a>>,
    /// The words of a cell.
    pub(super) scratch: Vec<Word>,
    /// The names of ports.
    names: FxHashMap<PortRef, Arc<str>>,
}

impl<'a> Reader<'a> {
    fn line(&mut self, line: &Line<'a>) {
        let state = &self.dialect.state;
        if is_ruler(line.text) {
            return;
        }
        let mut words = std::mem::take(&mut self.words);
        state.splitter.split(line.text, line.start, &mut words);
        let walk = Walk { text: self.text, words: &words, lists: &self.dialect.lists };
        if !state.ignored.find(0, &walk, 0, &mut Vec::new(), &mut Vec::new()) {
            self.told(line, &words);
        }
        self.words = words;
    }

    fn told(&mut self, line: &Line<'a>, words: &[Word]) {
        let state = &self.dialect.state;
        let mut placed = std::mem::take(&mut self.placed);
        if !state.tables.is_empty() {
            place(self.whole(line), &state.blanks, &mut placed);
        }
        if !self.begins_table(line, &placed)
            && !self.row(line, &placed)
            && !self.rule(line, words)
            && !self.goes_on(line, &placed)
        {
            let missed = self.misfit(line, &placed).unwrap_or_else(|| {
                let context = self.blocks.last().map_or(0, |block| block.context);
                Missed::Rule { context }
            });
            self.miss(self.mark(line), words, missed);
        }
        self.placed = placed;
    }

    /// Notes a table of which the text has the heading only.
    fn end(&mut self) {
        let Some((kind, mark)) = self.result.tables.last().copied() else { return };
        let behind = self.text.get(mark.offset as usize + mark.width as usize..).unwrap_or_default();
        if behind.lines().all(|line| line.trim().is_empty() || is_ruler(line.trim())) {
            if behind.ends_with('\n') {
                self.result.empty_end = Some(mark);
            } else {
                self.result.cut = Some((kind, mark));
            }
        }
    }

    pub(super) fn mark(&self, line: &Line<'_>) -> Mark {
        Mark { file: self.file, line: line.number, offset: line.start as u32, width: line.text.len() as u32 }
    }

    pub(super) fn miss(&mut self, mark: Mark, words: &[Word], missed: Missed) {
        let shape = self.dialect.shape(self.text, words, &mut self.result.hidden);
        self.result.unread.push(Unread { mark, shape: shape.into() });
        self.result.missed.push(missed);
    }

    pub(super) fn took(&mut self, line: &Line<'_>, by: u32) {
        self.result.taken.push((line.number, by));
    }

    /// The physical line, blanks in front too: columns count from its beginning.
    pub(super) fn whole(&self, line: &Line<'_>) -> &'a str {
        let before = self.text.get(..line.start).unwrap_or_default();
        let begins = memchr::memrchr(b'\n', before.as_bytes()).map_or(0, |i| i + 1);
        self.text.get(begins..line.start + line.text.len()).unwrap_or_default()
    }

    /// What a line or a row is about that sets something: as it says itself, as the lines around say, or the switch.
    pub(super) fn about(&self, own: Option<&Subject>, taken: Taken<'_, '_>) -> Option<SaidOf> {
        match own {
            Some(subject) => about(subject, taken),
            None => self.blocks.iter().rev().find_map(|block| block.about.clone()).or(Some(SaidOf::Switch)),
        }
    }

    /// What a hole of a line around took.
    pub(super) fn named(&self, name: &str) -> Option<&Captured> {
        let mut all = self.blocks.iter().rev().flat_map(|block| block.named.iter().rev());
        all.find(|(of, _)| of == name).map(|(_, captured)| captured)
    }

    pub(super) fn words_at(&self, mark: Mark) -> Vec<Word> {
        let (start, mut words) = (mark.offset as usize, Vec::new());
        let line = self.text.get(start..start + mark.width as usize).unwrap_or_default();
        self.dialect.state.splitter.split(line, start, &mut words);
        words
    }

    /// The name of a port: one copy for all that the text tells of it.
    fn name(&mut self, port: PortRef) -> Arc<str> {
        let lists = &self.dialect.lists;
        Arc::clone(self.names.entry(port).or_insert_with(|| lists.name(port)))
    }

    /// Puts what holes took into fields; a list of ports is kept for later, for it makes several facts.
    pub(super) fn fill(
        &mut self,
        kind: FactKind,
        filled: &[(usize, Filled)],
        text: &str,
        captures: &[Captured],
        fields: &mut [Option<Value>],
        ports: &mut Option<(usize, Arc<[PortItem]>)>,
    ) {
        for (position, filled) in filled {
            let Some(of) = kind.info().fields.get(*position).map(|f| f.kind) else { continue };
            let value = match filled {
                Filled::Constant(value) => Some(value.clone()),
                Filled::Words(hole, words, rest) => {
                    captures.get(*hole).and_then(|c| self.word_list(c, text, of, words, rest.as_ref()))
                }
                Filled::Hole(hole) | Filled::Chosen(hole, _) => match (filled, captures.get(*hole)) {
                    (Filled::Chosen(_, values), Some(Captured::Choice(which))) => values.get(*which).cloned(),
                    (_, Some(Captured::Ports(items))) if of == Kind::Port => match &items[..] {
                        [PortItem::One(port)] => Some(Value::Port(Some(self.name(*port)))),
                        _ => {
                            *ports = Some((*position, Arc::clone(items)));
                            port_names(&self.dialect.lists, items).next().map(|name| Value::Port(Some(name)))
                        }
                    },
                    (_, taken) => taken.and_then(|c| c.value(of, text, &self.dialect.lists, Some(self.as_of))),
                },
            };
            if let (Some(value), Some(field)) = (value, fields.get_mut(*position)) {
                *field = Some(value);
            }
        }
    }

    fn word_list(
        &self,
        captured: &Captured,
        text: &str,
        kind: Kind,
        words: &[(String, Value)],
        rest: Option<&Value>,
    ) -> Option<Value> {
        let Captured::Text(word) = captured else { return None };
        let each = word.of(text).split(|c: char| c.is_whitespace() || ",;/".contains(c)).filter(|w| !w.is_empty());
        let stands_for = |word: &str| {
            words.iter().find(|(w, _)| self.dialect.same_word(w, word)).map(|(_, value)| value).or(rest).cloned()
        };
        if kind.is_list() {
            return each.filter_map(stands_for).try_fold(kind.off()?, |list, value| list.plus(&value));
        }
        stands_for(word.of(text))
    }

    /// Fields that nothing here fills, from the holes of the lines around.
    pub(super) fn inherit(&self, kind: FactKind, fields: &mut [Option<Value>]) {
        for (info, field) in kind.info().fields.iter().zip(fields).filter(|(_, field)| field.is_none()) {
            let named = self.blocks.iter().rev().flat_map(|b| b.named.iter().rev());
            let captured = named.filter(|(name, _)| name == info.name).map(|(_, captured)| captured).next();
            *field = captured.and_then(|c| c.value(info.kind, self.text, &self.dialect.lists, Some(self.as_of)));
        }
    }

    pub(super) fn push(
        &mut self,
        kind: FactKind,
        fields: Vec<Option<Value>>,
        ports: Option<(usize, Arc<[PortItem]>)>,
        mark: Mark,
    ) -> Option<usize> {
        let first = self.result.facts.len();
        let room = (MOST_FACTS.0 * self.text.len() + MOST_FACTS.1).saturating_sub(first);
        let wanted =
            ports.as_ref().map_or(1, |(_, items)| port_names(&self.dialect.lists, items).take(room + 1).count());
        if wanted > room {
            // What is not kept is told, and nothing is met for want of it.
            self.miss(mark, &self.words_at(mark), Missed::Rule { context: 0 });
            self.result.beyond.push((kind, mark));
            return None;
        }
        match ports {
            None => self.result.facts.push(Fact { kind, fields, mark }),
            Some((position, items)) => {
                for name in port_names(&self.dialect.lists, &items) {
                    let mut fields = fields.clone();
                    if let Some(field) = fields.get_mut(position) {
                        *field = Some(Value::Port(Some(name)));
                    }
                    self.result.facts.push(Fact { kind, fields, mark });
                }
            }
        }
        Some(first)
    }

    /// Takes a line by a rule of the innermost open block that knows it.
    fn rule(&mut self, line: &Line<'a>, words: &[Word]) -> bool {
        while self.blocks.last().is_some_and(|b| b.indent > line.indent) {
            self.blocks.pop();
        }
        let state = &self.dialect.state;
        let walk = Walk { text: self.text, words, lists: &self.dialect.lists };
        let (mut captures, mut found): (Vec<Captured>, Vec<Match>) = (Vec::new(), Vec::new());
        let depth = (0..=self.blocks.len()).rev().find(|depth| {
            let context = depth.checked_sub(1).map_or(0, |i| self.blocks[i].context);
            state.automaton.find(context, &walk, 0, &mut captures, &mut found)
        });
        let (Some(depth), Some(found)) = (depth, found.first().copied()) else { return false };
        let Some(rule) = state.rules.get(found.rule as usize) else { return false };
        self.flush();
        self.took(line, rule.line);
        self.blocks.truncate(depth);
        self.note_secrets(&rule.pattern, &captures);
        let enclosing = self.blocks.iter().rev().find_map(|b| b.fact);
        let named = rule.pattern.holes.iter().zip(&captures).filter(|(_, c)| **c != Captured::Absent);
        let named: Vec<(String, Captured)> = named.map(|(hole, c)| (hole.name.clone(), c.clone())).collect();
        let mark = self.mark(line);
        let mut fact = None;
        if let Some(kind) = rule.fact {
            let mut fields = kind.blank();
            let mut ports = None;
            self.fill(kind, &rule.fields, self.text, &captures, &mut fields, &mut ports);
            self.inherit(kind, &mut fields);
            fact = self.push(kind, fields, ports, mark);
        } else if let Some(position) = enclosing {
            self.add_to(position, &rule.fields, &captures);
            if let Some(block) = self.blocks.iter_mut().rev().find(|b| b.fact.is_some()) {
                block.named.extend(named.iter().cloned());
            }
        }
        let taken = |hole: &HoleRef| match hole {
            HoleRef::Own(position) => captures.get(*position).map(|captured| (captured.clone(), self.text)),
            HoleRef::Outer(name) => self.named(name).map(|captured| (captured.clone(), self.text)),
        };
        let of = self.about(rule.subject.as_ref(), &taken);
        let said = said(self.dialect, &rule.effects, of, mark, &taken);
        let about = rule.subject.as_ref().and_then(|subject| about(subject, &taken));
        self.result.said.extend(said);
        if let Some(context) = rule.opens.filter(|_| self.blocks.len() < DEEPEST) {
            self.blocks.push(Block { context, indent: line.indent, fact, named, about });
        }
        true
    }

    fn add_to(&mut self, position: usize, filled: &[(usize, Filled)], captures: &[Captured]) {
        let Some(fact) = self.result.facts.get(position) else { return };
        let (kind, mut fields) = (fact.kind, fact.fields.clone());
        self.fill(kind, filled, self.text, captures, &mut fields, &mut None);
        if let Some(fact) = self.result.facts.get_mut(position) {
            fact.fields = fields;
        }
    }

    fn note_secrets(&mut self, pattern: &super::Pattern, captures: &[Captured]) {
        for (hole, captured) in pattern.holes.iter().zip(captures) {
            if let (true, Captured::Text(word)) = (hole.is_secret(), captured) {
                self.result.secrets.push(*word);
            }
        }
    }
}
