//! Lines that came before, in this text or in another: the next of the same text, in the same context, comes to the same, and is neither
//! split nor looked up.

use super::{Block, MOST_CAPTURES, NOBODY, Reader, Statement};
use crate::dialect::compiled::{Asked, Opens};
use crate::dialect::rule::Rule;
use crate::model::Mark;
use crate::syntax::Line;

impl Opens {
    #[inline]
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
    #[inline]
    fn placed(&self, start: usize, line: Line<'_>, parent: u32) -> Self {
        let moved = |at: u32| (at as usize - start + line.start) as u32;
        let mark = Mark { line: line.number, offset: moved(self.mark.offset), ..self.mark };
        Self { mark, stretch: (moved(self.stretch.0), moved(self.stretch.1)), parent, ..*self }
    }
}

impl<'a> Reader<'a> {
    /// What a line comes to whose text came before in the same context, here or in another text.
    #[inline]
    pub(super) fn known(&mut self, asked: Asked<'a>, line: Line<'a>, opener: u32) -> Option<Block> {
        let has_room = self.reading.captures.len() <= MOST_CAPTURES * self.text.len() + 64;
        let room = has_room.then_some(self.reading.captures.len() as u32);
        let compiled = self.store.get(asked, room)?;
        self.reading.captures.extend(compiled.captures.iter().map(|captured| captured.moved(0, line.start)));
        let (mut parent, mut position, mut leader) = (opener, opener, None);
        for (at, part) in compiled.statements.iter().enumerate() {
            position = self.reading.statements.len() as u32;
            let mut statement = part.placed(0, line, parent);
            statement.mark.file = self.file;
            statement.captures += compiled.from;
            self.reading.statements.push(statement);
            if at + 1 < compiled.statements.len() {
                let goes_on = self.dialect.rules.get(statement.rule as usize).is_some_and(Rule::goes_on);
                leader = leader.or(goes_on.then_some(position));
                parent = leader.unwrap_or(position);
            }
        }
        Some(compiled.opens.block(position))
    }

    /// Remembers what a line came to: its statements are those from one on.
    pub(super) fn remember(&mut self, asked: Asked<'a>, line: Line<'a>, from: u32, inside: Block) {
        let opens = match inside {
            Block::Context(context, _) => Opens::Context(context),
            Block::Nothing => Opens::Nothing,
            Block::Closed(_) | Block::Unread(_) => Opens::Closed,
        };
        let statements = self.reading.statements.get(from as usize..).unwrap_or_default();
        if !self.is_repeatable(statements) {
            return;
        }
        let captures = statements.iter().flat_map(|statement| self.reading.captures(self.dialect, statement));
        let captures = captures.map(|captured| captured.moved(line.start, 0));
        // What one took stands behind what the one before it took: in the text, and in what is remembered.
        let base = statements.first().map_or(0, |statement| statement.captures);
        let mut taken = 0;
        for statement in statements {
            if statement.captures != base + taken {
                return;
            }
            taken += self.reading.captures(self.dialect, statement).len() as u32;
        }
        let zero = Line { number: 0, start: 0, text: "", indent: 0 };
        let statements = statements.iter().map(|statement| Statement {
            captures: statement.captures - base,
            ..statement.placed(line.start, zero, NOBODY)
        });
        self.store.add(asked, statements, captures, (opens, base));
    }

    /// Whether statements hold nothing that hangs on where they stand: no secret, no free text behind them.
    fn is_repeatable(&self, statements: &[Statement]) -> bool {
        let rules = statements.iter().filter_map(|s| self.dialect.rules.get(s.rule as usize));
        rules.into_iter().all(|rule| rule.until.is_none() && !rule.is_open && !rule.pattern.has_secret())
    }
}
