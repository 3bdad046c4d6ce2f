//! Reading a text with a dialect: statements, and the lines that are none.

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::hole::Captured;
use super::{Dialect, HoleRef, Subject};
use crate::model::{Mark, StationAddress, Unread};
use crate::source::Source;
use crate::syntax::{Line, Nesting, Word, lines};

/// The first so many lines decide which dialect a text is in.
const RECOGNISED_WITHIN: usize = 200;
/// Most words of an unread line that its shape shows.
const SHAPE_WORDS: usize = 16;

/// One line that a rule took.
#[derive(Debug, Clone)]
pub struct Statement {
    /// Which rule.
    pub rule: u32,
    /// Whether the line is the rule's negated form.
    pub negated: bool,
    /// Where.
    pub mark: Mark,
    parent: Option<u32>,
    captures: u32,
}

/// A text read with a dialect.
#[derive(Debug, Clone, Default)]
pub struct Reading {
    /// The statements in the order of the text.
    pub statements: Vec<Statement>,
    captures: Vec<Captured>,
    /// The lines that no rule takes.
    pub unread: Vec<Unread>,
    /// How many lines the text has.
    pub lines: u32,
}

#[derive(Clone, Copy)]
enum Block {
    /// The lines inside stand in this context, opened by this statement.
    Context(usize, u32),
    /// The line above is unknown or opens nothing: what is inside has no context.
    Closed,
}

impl Reading {
    /// What a statement's hole took; looked for in the statement, then in the openers around it.
    pub fn captured<'r>(&'r self, dialect: &Dialect, statement: &'r Statement, hole: &HoleRef) -> &'r Captured {
        match hole {
            HoleRef::Own(position) => self.own(statement, *position),
            HoleRef::Outer(name) => self
                .openers(statement)
                .find_map(|opener| {
                    let position = dialect.rules.get(opener.rule as usize)?.pattern.hole(name)?;
                    Some(self.own(opener, position))
                })
                .unwrap_or(&Captured::Absent),
        }
    }

    fn own(&self, statement: &Statement, position: usize) -> &Captured {
        self.captures.get(statement.captures as usize + position).unwrap_or(&Captured::Absent)
    }

    /// The statements that opened the blocks around one, nearest first.
    pub fn openers<'r>(&'r self, statement: &'r Statement) -> impl Iterator<Item = &'r Statement> {
        let up = |s: &&'r Statement| s.parent.and_then(|p| self.statements.get(p as usize));
        std::iter::successors(up(&statement), move |s| up(s))
    }

    /// The position of the statement and the subject that say what a statement is about.
    pub fn subject<'d>(&self, dialect: &'d Dialect, position: usize) -> Option<(usize, &'d Subject)> {
        let mut at = position;
        loop {
            let statement = self.statements.get(at)?;
            if let Some(subject) = &dialect.rules.get(statement.rule as usize)?.subject {
                return Some((at, subject));
            }
            at = statement.parent? as usize;
        }
    }
}

impl Dialect {
    /// Whether a text looks like this dialect's: each recognition line fits one of the first lines.
    pub fn recognises(&self, source: &Source) -> bool {
        if self.recognise_lines == 0 {
            return false;
        }
        let text = source.text();
        let mut seen = vec![false; self.recognise_lines];
        let mut words = Vec::new();
        for line in lines(text).filter(|l| !l.text.is_empty()).take(RECOGNISED_WITHIN) {
            self.splitter.split(line.text, line.start, &mut words);
            if let Some(found) = self.recognise.find(0, text, &words, &self.lists, &mut Vec::new()) {
                seen[found.rule as usize] = true;
            }
        }
        seen.into_iter().all(|s| s)
    }

    /// Reads a text. `file` is its position in the switch's list of files.
    pub fn read(&self, source: &Source, file: u16) -> Reading {
        let text = source.text();
        let mut reading = Reading::default();
        let mut nesting: Nesting<Block> = Nesting::default();
        let mut words = Vec::new();
        let mut shapes: FxHashMap<Box<str>, Arc<str>> = FxHashMap::default();
        for line in lines(text) {
            reading.lines = line.number;
            if line.text.is_empty() || self.comments.iter().any(|sign| line.text.starts_with(sign.as_str())) {
                continue;
            }
            let block = nesting.enclosing(line.indent).copied().unwrap_or(Block::Context(0, u32::MAX));
            self.splitter.split(line.text, line.start, &mut words);
            let mark = Mark { file, line: line.number, offset: line.start as u32, width: line.text.len() as u32 };
            let inside = if let Some(inside) = self.take(text, &words, block, mark, &mut reading) {
                inside
            } else {
                let shape = self.shape(text, &line, &words);
                let shape = shapes.entry(shape.clone().into()).or_insert_with(|| shape.into());
                reading.unread.push(Unread { mark, shape: Arc::clone(shape) });
                Block::Closed
            };
            nesting.open(line.indent, inside);
        }
        reading
    }

    /// Takes a line as a statement, if a rule of its context fits: then the block that it opens.
    fn take(&self, text: &str, words: &[Word], block: Block, mark: Mark, reading: &mut Reading) -> Option<Block> {
        let Block::Context(context, opener) = block else { return None };
        let captures = reading.captures.len() as u32;
        let found = self.automaton.find(context, text, words, &self.lists, &mut reading.captures)?;
        let position = reading.statements.len() as u32;
        let parent = (opener != u32::MAX).then_some(opener);
        reading.statements.push(Statement { rule: found.rule, negated: found.negated, mark, parent, captures });
        let opens = self.rules.get(found.rule as usize)?.opens.filter(|_| !found.negated);
        Some(opens.map_or(Block::Closed, |context| Block::Context(context, position)))
    }

    /// The stretch of a statement's line that one of its holes took.
    pub fn hole_mark(&self, text: &str, reading: &Reading, position: usize, hole: usize) -> Option<Mark> {
        let statement = reading.statements.get(position)?;
        let Mark { offset, width, .. } = statement.mark;
        let line = text.get(offset as usize..(offset + width) as usize)?;
        let mut words = Vec::new();
        self.splitter.split(line, offset as usize, &mut words);
        let opener = statement.parent.and_then(|p| reading.statements.get(p as usize));
        let context = opener.map_or(Some(0), |o| self.rules.get(o.rule as usize)?.opens)?;
        let (first, end) = self.automaton.hole_words(context, text, &words, &self.lists, hole)?;
        let (start, end) = (words.get(first)?.start as u32, words.get(end.checked_sub(1)?)?.end as u32);
        Some(Mark { offset: start, width: end - start, ..statement.mark })
    }

    /// A line with every word masked that the dialect does not know: unread lines are where unmarked secrets are.
    fn shape(&self, text: &str, line: &Line<'_>, words: &[Word]) -> String {
        let known =
            |word: &str| self.vocabulary.contains(word) || self.vocabulary.contains(&*word.to_ascii_lowercase());
        let mut shape = String::with_capacity(line.text.len().min(120));
        for word in words.iter().take(SHAPE_WORDS) {
            let word = word.of(text);
            if !shape.is_empty() {
                shape.push(' ');
            }
            shape.push_str(match word {
                word if known(word) => word,
                word if word.starts_with('"') => "<text>",
                word if word.bytes().all(|b| b.is_ascii_digit()) => "<number>",
                word if self.lists.port(word).is_some() => "<port>",
                word if StationAddress::parse(word).is_ok() => "<station>",
                word if word.len() == 1 && word.bytes().all(|b| b.is_ascii_punctuation()) => word,
                _ => "<word>",
            });
        }
        if words.len() > SHAPE_WORDS {
            shape.push_str(" …");
        }
        shape
    }
}
