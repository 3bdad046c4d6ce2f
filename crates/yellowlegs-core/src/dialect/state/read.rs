//! Reading a text of state: line by line, into facts.

use std::sync::Arc;

use jiff::Timestamp;

use super::super::automaton::{Match, Walk};
use super::super::captured::Captured;
use super::super::ports::PortItem;
use super::super::rule::{HoleRef, Subject};
use super::super::{Dialect, convert::port_names};
use super::said::{SaidOf, StateSaid, Taken, about, said};
use super::table::{Heading, cells, heading, is_ruler, placed};
use super::{Beside, Column, Filled, StateRule, Table};
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
struct Block {
    context: usize,
    indent: u32,
    /// The fact in progress, by its position.
    fact: Option<usize>,
    /// What its holes took, by name, for the facts inside.
    named: Vec<(String, Captured)>,
    /// What the settings inside belong to.
    about: Option<SaidOf>,
}

/// The table whose rows come now.
struct Open<'d> {
    table: &'d Table,
    heading: Heading,
    /// The row that may go on in the next line.
    row: Option<Row>,
    /// The cells of the row before, for columns that carry.
    above: Vec<String>,
}

struct Row {
    cells: Vec<String>,
    mark: Mark,
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

/// The words of a row that stand in columns which are never shown.
fn secret_words<'w>(table: &'w Table, cells: &'w [Vec<&'w str>], text: &'w str) -> impl Iterator<Item = Word> {
    let secret = table.columns.iter().zip(cells).filter(|(column, _)| column.is_secret);
    secret.flat_map(|(_, words)| words).map(|word| {
        // Each word is a stretch of the text.
        let start = (word.as_ptr() as usize).saturating_sub(text.as_ptr() as usize);
        Word { start, end: start + word.len() }
    })
}

struct Reader<'a> {
    dialect: &'a Dialect,
    text: &'a str,
    file: u16,
    as_of: Timestamp,
    blocks: Vec<Block>,
    open: Option<Open<'a>>,
    result: StateText,
    words: Vec<Word>,
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
        let ignored = state.ignored.find(0, &walk, 0, &mut Vec::new(), &mut Vec::new());
        if !ignored
            && !self.begins_table(line)
            && !self.row(line, &words)
            && !self.rule(line, &words)
            && !self.goes_on(line)
        {
            self.unread(line, &words);
        }
        self.words = words;
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

    fn mark(&self, line: &Line<'_>) -> Mark {
        Mark { file: self.file, line: line.number, offset: line.start as u32, width: line.text.len() as u32 }
    }

    fn unread(&mut self, line: &Line<'a>, words: &[Word]) {
        let missed = self.misfit(line).unwrap_or_else(|| {
            let context = self.blocks.last().map_or(0, |block| block.context);
            Missed::Rule { context }
        });
        self.miss(self.mark(line), words, missed);
    }

    fn miss(&mut self, mark: Mark, words: &[Word], missed: Missed) {
        self.result.hidden.extend(self.dialect.unknown(self.text, words));
        let shape = self.dialect.shape(self.text, words);
        self.result.unread.push(Unread { mark, shape: shape.into() });
        self.result.missed.push(missed);
    }

    fn took(&mut self, line: &Line<'_>, by: u32) {
        self.result.taken.push((line.number, by));
    }

    /// The first cell of a line that the open table would take but for it.
    fn misfit(&self, line: &Line<'a>) -> Option<Missed> {
        let Open { table, heading, .. } = self.open.as_ref()?;
        let words = placed(self.whole(line), &self.dialect.state.borders);
        let cells: Vec<String> = cells(heading, &words).into_iter().map(|c| c.join(" ")).collect();
        let cells = || table.columns.iter().zip(&cells);
        let wrong = cells().find(|(column, cell)| !self.fits(column, cell));
        let (column, cell) = wrong.or_else(|| cells().find(|(column, _)| !column.carry))?;
        Some(Missed::Cell { table: table.line, column: column.title.clone(), blank: cell.is_empty() })
    }

    /// The physical line, blanks in front too: columns count from its beginning.
    fn whole(&self, line: &Line<'_>) -> &'a str {
        let before = self.text.get(..line.start).unwrap_or_default();
        let begins = memchr::memrchr(b'\n', before.as_bytes()).map_or(0, |i| i + 1);
        self.text.get(begins..line.start + line.text.len()).unwrap_or_default()
    }

    /// Whether the line is the heading of a table, which then is open.
    fn begins_table(&mut self, line: &Line<'a>) -> bool {
        let state = &self.dialect.state;
        if state.tables.is_empty() {
            return false;
        }
        let words = placed(self.whole(line), &state.borders);
        let inside = |table: &&Table| {
            let here = |c: &usize| *c == 0 || self.blocks.iter().any(|b| b.context == *c);
            table.contexts.iter().any(here)
        };
        let same = |title: &str, word: &str| self.dialect.same_word(title, word);
        let mut found = state.tables.iter().filter(inside).filter_map(|t| Some((t, heading(t, &words, same)?)));
        let Some((table, heading)) = found.next() else { return false };
        self.flush();
        self.took(line, table.line);
        let mark = self.mark(line);
        self.result.tables.extend(table.fact.map(|fact| (fact, mark)));
        self.result.tables.extend(table.beside.iter().map(|beside| (beside.fact, mark)));
        self.open = Some(Open { table, heading, row: None, above: Vec::new() });
        true
    }

    /// Takes a line as a row of the open table: its key cell is there, and what stands in its cells fits.
    fn row(&mut self, line: &Line<'a>, _: &[Word]) -> bool {
        let Some(open) = &self.open else { return false };
        let words = placed(self.whole(line), &self.dialect.state.borders);
        let cells: Vec<String> = cells(&open.heading, &words).into_iter().map(|c| c.join(" ")).collect();
        let key = open.table.columns.iter().zip(&cells).find(|(column, _)| !column.carry).map(|(_, cell)| cell);
        if key.is_none_or(String::is_empty)
            || !open.table.columns.iter().zip(&cells).all(|(c, cell)| self.fits(c, cell))
        {
            return false;
        }
        let mark = self.mark(line);
        self.flush_row();
        self.note_secret_cells(self.whole(line));
        let Some(open) = &mut self.open else { return false };
        let carried = open.table.columns.iter().zip(cells).enumerate().map(|(i, (column, cell))| {
            let above = open.above.get(i).filter(|_| column.carry && cell.is_empty());
            above.cloned().unwrap_or(cell)
        });
        let cells: Vec<String> = carried.collect();
        open.above.clone_from(&cells);
        open.row = Some(Row { cells, mark });
        let by = open.table.line;
        self.took(line, by);
        true
    }

    /// Notes what stands in cells that are never shown.
    fn note_secret_cells(&mut self, whole: &str) {
        let Some(open) = &self.open else { return };
        let words = placed(whole, &self.dialect.state.borders);
        let found: Vec<Word> = secret_words(open.table, &cells(&open.heading, &words), self.text).collect();
        self.result.secrets.extend(found);
    }

    /// A cell may go on in the next line: what stands there now only has to begin well.
    fn fits(&self, column: &Column, cell: &str) -> bool {
        if cell.is_empty() {
            return true;
        }
        let (words, lists) = (self.split(cell), &self.dialect.lists);
        let walk = Walk { text: cell, words: &words, lists };
        column.cells.find(0, &walk, 0, &mut Vec::new(), &mut Vec::new()) || cell.ends_with([',', '-', ':', '.'])
    }

    fn split(&self, cell: &str) -> Vec<Word> {
        let mut words = Vec::new();
        self.dialect.state.splitter.split(cell, 0, &mut words);
        words
    }

    /// Takes a line as the rest of the row above: its key cell is blank.
    fn goes_on(&mut self, line: &Line<'a>) -> bool {
        let whole = self.whole(line);
        let borders = &self.dialect.state.borders;
        let Some(open) = &mut self.open else { return false };
        let Some(row) = &mut open.row else { return false };
        let words = placed(whole, borders);
        let more = cells(&open.heading, &words);
        let secret: Vec<Word> = secret_words(open.table, &more, self.text).collect();
        let key = open.table.columns.iter().position(|c| !c.carry).unwrap_or_default();
        let deeper = words.first().is_some_and(|w| w.from > 0);
        if !deeper || more.get(key).is_none_or(|cell| !cell.is_empty()) {
            return false;
        }
        self.result.secrets.extend(secret);
        for (cell, more) in row.cells.iter_mut().zip(more) {
            for word in more {
                if !cell.is_empty() && !open.table.joined {
                    cell.push(' ');
                }
                cell.push_str(word);
            }
        }
        let by = open.table.line;
        self.took(line, by);
        true
    }

    fn flush(&mut self) {
        self.flush_row();
        self.open = None;
    }

    /// Makes the facts of the row that is complete.
    fn flush_row(&mut self) {
        let Some(open) = &mut self.open else { return };
        let (table, Some(row)) = (open.table, open.row.take()) else { return };
        let count = table.fact.map_or(0, |fact| fact.info().fields.len());
        let mut fields: Vec<Option<Value>> = vec![None; count];
        let mut ports: Option<(usize, Arc<[PortItem]>)> = None;
        let mut wrong = None;
        let mut taken: Vec<(Captured, &str)> = Vec::new();
        for (column, cell) in table.columns.iter().zip(&row.cells) {
            if cell.is_empty() {
                taken.extend(std::iter::repeat_n((Captured::Absent, ""), column.holes));
                continue;
            }
            let words = self.split(cell);
            let walk = Walk { text: cell, words: &words, lists: &self.dialect.lists };
            let mut captures = Vec::new();
            if !column.cells.find(0, &walk, 0, &mut captures, &mut Vec::new()) {
                wrong = Some(column);
                break;
            }
            if let Some(fact) = table.fact {
                self.fill(fact, &column.fields, cell, &captures, &mut fields, &mut ports);
            }
            taken.extend(captures.into_iter().map(|captured| (captured, cell.as_str())));
        }
        if let Some(column) = wrong {
            let missed = Missed::Cell { table: table.line, column: column.title.clone(), blank: false };
            self.miss(row.mark, &self.words_at(row.mark), missed);
            return;
        }
        if let Some(fact) = table.fact {
            self.fill(fact, &table.fields, "", &[], &mut fields, &mut ports);
            self.inherit(fact, &mut fields);
            if let Some(column) = without_subject(table, fact, &row.cells, &fields, ports.as_ref()) {
                self.miss_blank(table, column, row.mark);
                return;
            }
            self.push(fact, fields, ports, row.mark);
        }
        for beside in &table.beside {
            self.push_beside(beside, &taken, row.mark);
        }
        let taken = |hole: &HoleRef| match hole {
            HoleRef::Own(position) => taken.get(*position).cloned(),
            HoleRef::Outer(name) => self.named(name).map(|captured| (captured.clone(), self.text)),
        };
        let of = self.about(table.subject.as_ref(), &taken);
        if let (None, None, Some(column)) = (&of, table.fact, table.columns.first()) {
            self.miss_blank(table, column, row.mark);
            return;
        }
        let said = said(self.dialect, &table.effects, of, row.mark, &taken);
        self.result.said.extend(said);
    }

    /// Notes a row that does not say what it is about.
    fn miss_blank(&mut self, table: &Table, column: &Column, mark: Mark) {
        let missed = Missed::Cell { table: table.line, column: column.title.clone(), blank: true };
        self.miss(mark, &self.words_at(mark), missed);
    }

    /// Makes another fact of a row, where every hole that it needs took something.
    fn push_beside(&mut self, beside: &Beside, taken: &[(Captured, &str)], mark: Mark) {
        let is_there = |hole: &usize| taken.get(*hole).is_some_and(|(captured, _)| *captured != Captured::Absent);
        if !beside.needs.iter().all(is_there) {
            return;
        }
        let captures: Vec<Captured> = taken.iter().map(|(captured, _)| captured.clone()).collect();
        let mut fields: Vec<Option<Value>> = vec![None; beside.fact.info().fields.len()];
        let mut ports = None;
        for field in &beside.fields {
            let text = field.1.hole().and_then(|hole| taken.get(hole)).map_or("", |(_, text)| *text);
            self.fill(beside.fact, std::slice::from_ref(field), text, &captures, &mut fields, &mut ports);
        }
        self.inherit(beside.fact, &mut fields);
        self.push(beside.fact, fields, ports, mark);
    }

    /// What a line or a row is about that sets something: as it says itself, as the lines around say, or the switch.
    fn about(&self, own: Option<&Subject>, taken: Taken<'_, '_>) -> Option<SaidOf> {
        match own {
            Some(subject) => about(subject, taken),
            None => self.blocks.iter().rev().find_map(|block| block.about.clone()).or(Some(SaidOf::Switch)),
        }
    }

    /// What a hole of a line around took.
    fn named(&self, name: &str) -> Option<&Captured> {
        let mut all = self.blocks.iter().rev().flat_map(|block| block.named.iter().rev());
        all.find(|(of, _)| of == name).map(|(_, captured)| captured)
    }

    fn words_at(&self, mark: Mark) -> Vec<Word> {
        let (start, mut words) = (mark.offset as usize, Vec::new());
        let line = self.text.get(start..start + mark.width as usize).unwrap_or_default();
        self.dialect.state.splitter.split(line, start, &mut words);
        words
    }

    /// Puts what holes took into fields; a list of ports is kept for later, for it makes several facts.
    fn fill(
        &self,
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
                    (_, taken) => {
                        if let (Kind::Port, Some(Captured::Ports(items))) = (of, taken)
                            && !matches!(&items[..], [PortItem::One(_)])
                        {
                            *ports = Some((*position, Arc::clone(items)));
                        }
                        taken.and_then(|c| c.value(of, text, &self.dialect.lists, Some(self.as_of)))
                    }
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
    fn inherit(&self, kind: FactKind, fields: &mut [Option<Value>]) {
        for (info, field) in kind.info().fields.iter().zip(fields).filter(|(_, field)| field.is_none()) {
            let named = self.blocks.iter().rev().flat_map(|b| b.named.iter().rev());
            let captured = named.filter(|(name, _)| name == info.name).map(|(_, captured)| captured).next();
            *field = captured.and_then(|c| c.value(info.kind, self.text, &self.dialect.lists, Some(self.as_of)));
        }
    }

    fn push(
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
            let mut fields = vec![None; kind.info().fields.len()];
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

/// The column whose cell should say which port or station a row is about, where it is blank: such a row tells nothing of anybody.
fn without_subject<'t>(
    table: &'t Table,
    fact: FactKind,
    cells: &[String],
    fields: &[Option<Value>],
    ports: Option<&(usize, Arc<[PortItem]>)>,
) -> Option<&'t Column> {
    let subject = fact.info().fields.first().filter(|field| matches!(field.kind, Kind::Port | Kind::Station));
    if subject.is_none() || fields.first().is_some_and(Option::is_some) || ports.is_some_and(|(field, _)| *field == 0) {
        return None;
    }
    let says = |column: &Column| column.fields.iter().any(|(field, _)| *field == 0);
    table.columns.iter().zip(cells).find(|(column, cell)| says(column) && cell.is_empty()).map(|(column, _)| column)
}
