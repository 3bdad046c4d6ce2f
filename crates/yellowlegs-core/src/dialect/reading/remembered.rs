//! Lines that came before, in this text or in another: the next of the same text, in the same context, comes to the same, and is neither
//! split nor looked up.

use super::{Block, MOST_CAPTURES, NOBODY, Reader, Reading, Statement};
use crate::dialect::Dialect;
use crate::dialect::captured::Captured;
use crate::dialect::compiled::{Compiled, Known, Opens, hash};
use crate::dialect::rule::Rule;
use crate::model::Mark;
use crate::syntax::Line;

/// So many lines are remembered: most texts say the same few hundred things.
const REMEMBERED: usize = 4096;

impl Opens {
    pub(super) fn block(self, position: u32) -> Block {
        match self {
            Self::Context(context) => Block::Context(context, position),
            Self::Closed => Block::Closed(position),
            Self::Nothing => Block::Nothing,
        }
    }
}

impl Statement {
    /// The same on another line; `start`: where its own begins.
    fn placed(&self, start: usize, line: Line<'_>, parent: u32) -> Self {
        let moved = |at: usize| at - start + line.start;
        let mark = Mark { line: line.number, offset: moved(self.mark.offset as usize) as u32, ..self.mark };
        let words = self.words();
        let stretch = (moved(words.start) as u32, moved(words.end) as u32);
        Self { mark, stretch, parent, ..*self }
    }
}

impl Reading {
    /// What a line of this text came to, for others that say the same.
    fn compiled(&self, dialect: &Dialect, known: Known) -> (Vec<Statement>, Vec<Captured>) {
        let statements = self.statements.get(known.from as usize..known.to as usize).unwrap_or_default();
        let mut captures = Vec::new();
        let zero = Line { number: 0, start: 0, text: "", indent: 0 };
        let part = |statement: &Statement| {
            let own = self.captures(dialect, statement);
            let part = Statement { captures: captures.len() as u32, ..statement.placed(known.text.0, zero, NOBODY) };
            captures.extend(own.iter().map(|captured| captured.moved(known.text.0, 0)));
            part
        };
        let statements = statements.iter().map(part).collect();
        (statements, captures)
    }
}

impl<'a> Reader<'a> {
    /// What a line comes to whose text came before in the same context, here or in another text.
    #[inline]
    pub(super) fn known(&mut self, line: Line<'a>, block: Block) -> Option<Block> {
        let Block::Context(context, opener) = block else { return None };
        let hash = hash(context, line.text);
        let is_it =
            |known: &Known| known.context == context && self.text.get(known.text.0..known.text.1) == Some(line.text);
        match self.store.here.get(&hash).copied().filter(is_it) {
            Some(known) => Some(self.again(line, known, opener)),
            None => self.as_elsewhere(line, hash, context, opener),
        }
    }

    /// Remembers what a line came to: its statements are those from one on.
    pub(super) fn remember(&mut self, line: Line<'a>, block: Block, from: u32, inside: Block) {
        let Block::Context(context, _) = block else { return };
        let to = self.reading.statements.len() as u32;
        let opens = match inside {
            Block::Context(context, _) => Opens::Context(context),
            Block::Nothing => Opens::Nothing,
            Block::Closed(_) | Block::Unread(_) => Opens::Closed,
        };
        if self.store.here.len() < REMEMBERED && self.is_repeatable(from, to) {
            let (hash, text) = (hash(context, line.text), (line.start, line.start + line.text.len()));
            let known = Known { context, text, from, to, opens };
            let (statements, captures) = self.reading.compiled(self.dialect, known);
            let compiled = Compiled { statements: &statements, captures: &captures, opens };
            self.store.add(hash, context, line.text, compiled);
            self.store.here.insert(hash, known);
        }
    }

    /// Whether statements hold nothing that hangs on where they stand: no secret, no free text behind them.
    fn is_repeatable(&self, from: u32, to: u32) -> bool {
        let statements = self.reading.statements.get(from as usize..to as usize).unwrap_or_default();
        let rules = statements.iter().filter_map(|s| self.dialect.rules.get(s.rule as usize));
        rules.into_iter().all(|rule| rule.until.is_none() && !rule.is_open && !rule.pattern.has_secret())
    }

    /// Takes a line whose text came before in the same context of another text.
    fn as_elsewhere(&mut self, line: Line<'a>, hash: u64, context: usize, opener: u32) -> Option<Block> {
        let has_room =
            self.store.here.len() < REMEMBERED && self.reading.captures.len() <= MOST_CAPTURES * self.text.len() + 64;
        let compiled = self.store.get(hash, context, line.text).filter(|_| has_room)?;
        let (from, captures) = (self.reading.statements.len() as u32, self.reading.captures.len() as u32);
        self.reading.captures.extend(compiled.captures.iter().map(|captured| captured.moved(0, line.start)));
        let (mut parent, mut position, mut leader) = (opener, opener, None);
        for part in compiled.statements {
            position = self.reading.statements.len() as u32;
            let mut statement = part.placed(0, line, parent);
            statement.mark.file = self.file;
            statement.captures += captures;
            let goes_on = self.dialect.rules.get(statement.rule as usize).is_some_and(Rule::goes_on);
            self.reading.statements.push(statement);
            leader = leader.or(goes_on.then_some(position));
            parent = leader.unwrap_or(position);
        }
        let (to, opens) = (self.reading.statements.len() as u32, compiled.opens);
        let text = (line.start, line.start + line.text.len());
        self.store.here.insert(hash, Known { context, text, from, to, opens });
        Some(opens.block(position))
    }

    /// Takes a line whose text came before in the same context.
    fn again(&mut self, line: Line<'a>, known: Known, opener: u32) -> Block {
        let (mut parent, mut position, mut leader) = (opener, opener, None);
        for before in known.from..known.to {
            position = self.reading.statements.len() as u32;
            let statement = self.reading.statements[before as usize].placed(known.text.0, line, parent);
            self.reading.statements.push(statement);
            if before + 1 < known.to {
                let goes_on = self.dialect.rules.get(statement.rule as usize).is_some_and(Rule::goes_on);
                leader = leader.or(goes_on.then_some(position));
                parent = leader.unwrap_or(position);
            }
        }
        known.opens.block(position)
    }
}
