//! Reading a configuration: lines to statements, each with its rule, its place and what its holes took.

mod block;
mod blocks;
mod more;
mod remembered;

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::Dialect;
use super::automaton::{Match, Walk};
use super::captured::Captured;
use super::compiled::{Asked, Braced, Store};
use super::hole::HoleType;
use super::layout::{Logical, Logicals, Structure};
use super::rule::{HoleRef, Rule, Subject, Until};
use crate::model::{Mark, Torn, Unread};
use crate::source::{Source, Word};
use crate::syntax::Line;
pub(super) use block::Opens;
use block::{Block, Inside};
use remembered::Came;

/// How many values a reading may keep for each byte of its text; patterns with many optional holes end here.
const MOST_CAPTURES: usize = 4;

/// So many bytes the lines of a text have on average, or more: room is made for each line, and not for what is none.
const LINE_LENGTH: usize = 10;

/// A line, or a part of one, that a rule took. Small: a large text has millions of them.
#[derive(Debug, Clone, Copy)]
pub struct Statement {
    /// Which rule.
    pub rule: u32,
    /// Whether the line is the rule's negated form.
    pub negated: bool,
    /// It only leads to what stands behind it on the line: it says where, and changes nothing itself.
    pub leads: bool,
    /// The line.
    pub mark: Mark,
    /// The stretch of the text that the rule took: where it begins and ends.
    stretch: (u32, u32),
    /// The position of the statement whose block it stands in; `NOBODY` at the top.
    parent: u32,
    captures: u32,
}

/// No statement has this position.
const NOBODY: u32 = u32::MAX;

impl Statement {
    /// The stretch of the text that the rule took.
    pub fn words(&self) -> Word {
        Word { start: self.stretch.0 as usize, end: self.stretch.1 as usize }
    }

    /// Whether it stands in the block that the statement at a position opens.
    #[inline]
    pub fn is_in(&self, opener: usize) -> bool {
        self.parent as usize == opener
    }

    /// The position of the statement whose block it stands in.
    pub(super) fn parent(&self) -> Option<u32> {
        (self.parent != NOBODY).then_some(self.parent)
    }
}

/// A text read with a dialect.
#[derive(Debug, Clone, Default)]
pub struct Reading {
    /// The statements in the order of the text.
    pub statements: Vec<Statement>,
    captures: Vec<Captured>,
    /// The lines that no rule takes.
    pub unread: Vec<Unread>,
    /// For each of them, where it stands.
    pub unread_at: Vec<UnreadAt>,
    /// Where the text is not one whole configuration.
    pub torn: Vec<(Mark, Torn)>,
    /// Stretches of the text that are never shown.
    pub secrets: Vec<Word>,
    /// Words of lines that no rule takes, and comments beside statements: shown only raw.
    pub hidden: Vec<Word>,
    /// How many lines the text has.
    pub lines: u32,
}

/// Where an unread line stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum UnreadAt {
    /// In a context, outside all blocks or in that of a statement.
    Context(usize, Option<u32>),
    /// Inside a statement that opens nothing.
    Statement(u32),
    /// Inside an unread line, by its position among those.
    Unread(u32),
    /// It is this statement, in a context, of a rule that nobody has filled in.
    Open(usize, u32),
}

impl UnreadAt {
    /// The context whose rules it was held against.
    pub fn context(self) -> Option<usize> {
        match self {
            Self::Context(context, _) | Self::Open(context, _) => Some(context),
            Self::Statement(_) | Self::Unread(_) => None,
        }
    }
}

impl Block {
    /// A line in it, as one that may have come before, and the statement that opened it; nothing does where no context is.
    #[inline]
    fn asks(self, text: &str) -> Option<(Asked<'_>, u32)> {
        let Inside::Context(context, opener) = self.inside() else { return None };
        Some((Asked::new(context, text), opener))
    }
}

impl Reading {
    /// The lines that no rule takes, and where they stand: without those that are known by their form alone.
    pub fn not_taken(&self) -> impl Iterator<Item = (&Unread, UnreadAt)> {
        let all = self.unread.iter().zip(self.unread_at.iter().copied());
        all.filter(|(_, at)| !matches!(at, UnreadAt::Open(..)))
    }

    /// What a statement's hole took; looked for in the statement, then in the openers around it.
    #[inline]
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

    /// What the holes of a statement's own rule took.
    pub fn captures(&self, dialect: &Dialect, statement: &Statement) -> &[Captured] {
        let count = dialect.rules.get(statement.rule as usize).map_or(0, |r| r.pattern.holes.len());
        let from = statement.captures as usize;
        self.captures.get(from..from + count).unwrap_or_default()
    }

    /// The statements that opened the blocks around one, nearest first.
    pub fn openers<'r>(&'r self, statement: &'r Statement) -> impl Iterator<Item = &'r Statement> {
        let up = |s: &&'r Statement| s.parent().and_then(|p| self.statements.get(p as usize));
        std::iter::successors(up(&statement), move |s| up(s))
    }

    /// The position of the statement that opens the block of one, where it says what that at `other` does: where each line is a whole
    /// path, each has its own.
    #[inline]
    pub fn opener_like(&self, dialect: &Dialect, statement: &Statement, other: usize) -> Option<usize> {
        let at = statement.parent()? as usize;
        let (opener, other) = (self.statements.get(at)?, self.statements.get(other)?);
        let is_like = opener.rule == other.rule
            && opener.negated == other.negated
            && opener.parent == other.parent
            && self.captures(dialect, opener) == self.captures(dialect, other);
        is_like.then_some(at)
    }

    /// The position of the statement and the subject that say what a statement is about.
    #[inline]
    pub fn subject<'d>(&self, dialect: &'d Dialect, position: usize) -> Option<(usize, &'d Subject)> {
        let mut at = position;
        loop {
            let statement = self.statements.get(at)?;
            if let Some(subject) = &dialect.rules.get(statement.rule as usize)?.subject {
                return Some((at, subject));
            }
            at = statement.parent()? as usize;
        }
    }
}

impl Dialect {
    /// Reads a text. `file` is its position in the switch's list of files.
    pub fn read(&self, source: &Source, file: u16) -> Reading {
        let text = source.text().as_bytes();
        let lines = memchr::memchr_iter(b'\n', text).count() + 1;
        let statements = Vec::with_capacity(lines.min(text.len() / LINE_LENGTH));
        let lines = Logicals::new(source.text(), &self.layout);
        self.read_lines(source, file, lines, Reading { statements, ..Reading::default() })
    }

    fn read_lines<'a>(&'a self, source: &'a Source, file: u16, lines: Logicals<'a>, before: Reading) -> Reading {
        let mut reader = Reader {
            dialect: self,
            text: source.text(),
            file,
            lines,
            reading: before,
            shapes: FxHashMap::default(),
            found: Vec::new(),
            store: self.stores.take(),
        };
        let mut line = Logical::default();
        match self.layout.structure {
            Structure::Indent => reader.by_indent(&mut line),
            Structure::Paths => reader.by_path(&mut line),
            Structure::Sections => reader.by_section(&mut line),
            Structure::Braces => reader.by_brace(&mut line),
        }
        self.stores.give_back(std::mem::take(&mut reader.store));
        reader.finish()
    }

    /// The stretch of a statement's line that one of its holes took.
    pub fn hole_words(&self, text: &str, reading: &Reading, position: usize, hole: usize) -> Option<Word> {
        let statement = reading.statements.get(position)?;
        let Word { start, end } = statement.words();
        let opener = statement.parent().and_then(|p| reading.statements.get(p as usize));
        let context = opener.map_or(Some(0), |o| self.rules.get(o.rule as usize)?.opens)?;
        let root = 2 * context + usize::from(statement.negated);
        let starts_line = start == statement.mark.offset as usize;
        let find = || self.taken_by(text, (root, starts_line), (start, end)).unwrap_or_default().into();
        let stood = (root, starts_line);
        let word =
            self.stores.asked.hole_words.of(stood, text.get(start..end)?, find, |w| w.get(hole).copied().flatten())?;
        Some(Word { start: word.start + start, end: word.end + start })
    }

    /// What each hole took of the statement at a stretch, counted from its beginning. `root`: of the context it stands in.
    fn taken_by(
        &self,
        text: &str,
        (root, starts_line): (usize, bool),
        stretch: (usize, usize),
    ) -> Option<Vec<Option<Word>>> {
        let words = self.words_of(text, stretch)?;
        let walk = Walk { text, words: &words, lists: &self.lists };
        // The verb or the negation may stand in front of a line's first statement.
        let is = |word: &Option<String>, first: &str| word.as_deref().is_some_and(|w| self.same_word(w, first));
        let in_front = |first: &str| is(&self.layout.negation, first) || is(&self.layout.verb, first);
        let leads = starts_line && words.first().is_some_and(|first| in_front(first.of(text)));
        let starts: &[usize] = if leads { &[1, 0] } else { &[0] };
        let holes = starts.iter().find_map(|from| self.automaton.hole_words(root, &walk, *from, 0))?;
        let at = |(first, end): (usize, usize)| {
            let (first, last) = (words.get(first)?, words.get(end.checked_sub(1)?)?);
            Some(Word { start: first.start - stretch.0, end: last.end - stretch.0 })
        };
        Some(holes.into_iter().map(|hole| hole.and_then(at)).collect())
    }

    /// Why an unread line is one: the rule that fits it longest, and the word where that stopped.
    pub fn nearest_rule(&self, text: &str, mark: Mark, context: usize) -> Option<(&super::Rule, Word)> {
        let (start, mut words) = (mark.offset as usize, Vec::new());
        self.layout.splitter.split(text.get(start..start + mark.width as usize)?, start, &mut words);
        let first = words.first()?.of(text);
        let is = |word: &Option<String>| word.as_deref().is_some_and(|w| self.same_word(w, first));
        let negated = is(&self.layout.negation);
        let from = usize::from(negated || is(&self.layout.verb));
        let walk = Walk { text, words: &words, lists: &self.lists };
        let (rule, at) = self.automaton.nearest(2 * context + usize::from(negated), &walk, from)?;
        let end = Word { start: start + mark.width as usize, end: start + mark.width as usize };
        Some((self.rules.get(rule as usize)?, words.get(at).copied().unwrap_or(end)))
    }

    /// The words of a statement again.
    fn words_of(&self, text: &str, (start, end): (usize, usize)) -> Option<Vec<Word>> {
        let mut lines = Logicals::new(text.get(start..end)?, &self.layout);
        let (mut line, mut words) = (Logical::default(), Vec::new());
        while lines.next(&mut line) {
            words.extend(line.words.iter().map(|w| Word { start: w.start + start, end: w.end + start }));
        }
        Some(words)
    }
}

struct Reader<'a> {
    dialect: &'a Dialect,
    text: &'a str,
    file: u16,
    lines: Logicals<'a>,
    reading: Reading,
    shapes: FxHashMap<Box<str>, Arc<str>>,
    found: Vec<Match>,
    /// Lines that came before, in this text or in others: the next of the same text, in the same context, comes to the same.
    store: Store,
}

impl<'a> Reader<'a> {
    /// A line with those that continue it, as a statement or as one that nobody knows: the block it opens. `None` where it
    /// is no statement at all. Most texts say the same few hundred things: a line that came before is not split again.
    fn line(&mut self, first: Line<'a>, line: &mut Logical, block: Block) -> Option<Block> {
        let asked = block.asks(first.text);
        if let Some(came) = asked.and_then(|(asked, opener)| self.known(asked, first, opener)) {
            return Some(came.inside);
        }
        let comments = self.lines.comments.len();
        if !self.lines.whole(first, line) || self.is_close(line) {
            return None;
        }
        if block.is_nothing() {
            return Some(block);
        }
        let from = self.reading.statements.len() as u32;
        let Some(inside) = self.take(line, block) else { return Some(self.unread(line, block)) };
        if let Some((asked, _)) = asked.filter(|_| !line.goes_on && self.lines.comments.len() == comments) {
            self.remember(asked, first, from, Came { inside, braced: Braced::Nothing });
        }
        Some(inside)
    }

    /// The mark of a statement's first line.
    fn mark_at(&self, line: u32, first: Word) -> Mark {
        let rest = self.text.get(first.start..).unwrap_or_default();
        let width = rest.lines().next().unwrap_or_default().trim_end().len() as u32;
        Mark { file: self.file, line, offset: first.start as u32, width }
    }

    /// Takes a statement that stands beside others, or on several lines; one that stands on one is taken as the one like it before.
    fn beside_others(&mut self, whole: &Logical, block: Block) -> Option<Block> {
        let (start, end) = (whole.words.first()?.start, whole.words.last()?.end);
        let text = self.text;
        let text = text.get(start..end).filter(|text| memchr::memchr(b'\n', text.as_bytes()).is_none());
        let line = text.map(|text| Line { number: whole.number, start, text, indent: 0 });
        let asked = line.and_then(|line| match block.inside() {
            Inside::Context(context, opener) => Some((Asked::beside_others(context, line.text), line, opener)),
            _ => None,
        });
        if let Some(came) = asked.and_then(|(asked, line, opener)| self.known(asked, line, opener)) {
            return Some(came.inside);
        }
        let from = self.reading.statements.len() as u32;
        let inside = self.take(whole, block)?;
        if let Some((asked, line, _)) = asked {
            self.remember(asked, line, from, Came { inside, braced: Braced::Nothing });
        }
        Some(inside)
    }

    fn is_close(&self, line: &Logical) -> bool {
        matches!(&line.words[..], [one] if self.dialect.layout.close.iter().any(|c| c == one.of(self.text)))
    }

    fn is_title(&self, line: &Logical) -> bool {
        let walk = Walk { text: self.text, words: &line.words, lists: &self.dialect.lists };
        self.dialect.titles.find(0, &walk, 0, &mut Vec::new(), &mut Vec::new())
    }

    fn opens_something(&self, line: &Logical, block: Block) -> bool {
        let Inside::Context(context, _) = block.inside() else { return false };
        let walk = Walk { text: self.text, words: &line.words, lists: &self.dialect.lists };
        let mut found = Vec::new();
        self.dialect.automaton.find(2 * context, &walk, 0, &mut Vec::new(), &mut found);
        found.iter().any(|m| self.dialect.rules.get(m.rule as usize).is_some_and(Rule::opens_block))
    }

    /// Finds what a line fits in a context: the negated form first, then without the word that may lead, then as it is.
    fn find(&mut self, line: &Logical, context: usize) -> Option<bool> {
        if self.reading.captures.len() > MOST_CAPTURES * self.text.len() + 64 {
            return None;
        }
        let dialect = self.dialect;
        let first = line.words.first()?.of(self.text);
        let is = |word: &Option<String>| word.as_deref().is_some_and(|w| dialect.same_word(w, first));
        let walk = Walk { text: self.text, words: &line.words, lists: &dialect.lists };
        self.found.clear();
        let captures = &mut self.reading.captures;
        if is(&dialect.layout.negation) && dialect.automaton.find(2 * context + 1, &walk, 1, captures, &mut self.found)
        {
            return Some(true);
        }
        if is(&dialect.layout.verb) && dialect.automaton.find(2 * context, &walk, 1, captures, &mut self.found) {
            return Some(false);
        }
        dialect.automaton.find(2 * context, &walk, 0, captures, &mut self.found).then_some(false)
    }

    /// Takes a line as a statement, or as a path of them, if rules of its context fit: then the block that it opens.
    fn take(&mut self, line: &Logical, block: Block) -> Option<Block> {
        let Inside::Context(context, opener) = block.inside() else { return None };
        let negated = self.find(line, context)?;
        let found = std::mem::take(&mut self.found);
        // The statement whose line goes on with those that follow.
        let mut leader: Option<u32> = None;
        let mut parent = opener;
        let mut inside = block;
        let (last, start) = (found.len() - 1, line.words.first()?.start);
        let mut open = None;
        let mark = Mark {
            file: self.file,
            line: line.number,
            offset: start as u32,
            width: (line.line_end.max(start) - start) as u32,
        };
        for (i, part) in found.iter().enumerate() {
            let position = self.reading.statements.len() as u32;
            // The word before the first rule's words is the verb or the negation: it belongs to the statement it is about.
            let from = if i == 0 { 0 } else { part.first };
            let words = Word { start: line.words.get(from)?.start, end: line.words.get(part.end - 1)?.end };
            let statement = Statement {
                rule: part.rule,
                negated: negated && (i == last || leader.is_some()),
                leads: negated && i < last && leader.is_none(),
                mark,
                stretch: (words.start as u32, words.end as u32),
                parent,
                captures: part.captures,
            };
            self.reading.statements.push(statement);
            let rule = self.dialect.rules.get(part.rule as usize)?;
            open = open.or(rule.is_open.then_some(position));
            self.note_secrets(position as usize);
            if rule.goes_on() {
                leader = Some(position);
            }
            let opens = match rule.opens.filter(|_| !negated && !rule.goes_on()) {
                Some(context) => Opens::context(context),
                None if rule.is_idle => Opens::NOTHING,
                None => Opens::CLOSED,
            };
            inside = opens.block(position);
            parent = leader.unwrap_or(position);
            if let Some(until) = rule.until.as_ref().filter(|_| !negated) {
                self.skip_text(until, position as usize);
            }
        }
        self.found = found;
        if let Some(statement) = open {
            self.miss(line, UnreadAt::Open(context, statement));
        }
        Some(inside)
    }

    fn note_secrets(&mut self, position: usize) {
        let Some(statement) = self.reading.statements.get(position) else { return };
        let Some(rule) = self.dialect.rules.get(statement.rule as usize) else { return };
        if !rule.pattern.has_secret() {
            return;
        }
        let captures = self.reading.captures(self.dialect, statement);
        let taken = rule.pattern.holes.iter().zip(captures).filter(|(hole, _)| hole.is_secret());
        let words: Vec<Word> = taken
            .filter_map(|(_, captured)| match captured {
                Captured::Text(word) => Some(*word),
                _ => None,
            })
            .collect();
        self.reading.secrets.extend(words);
    }

    /// Passes over a free text: its lines are no statements.
    fn skip_text(&mut self, until: &Until, position: usize) {
        let Some(statement) = self.reading.statements.get(position) else { return };
        let begins = (statement.mark.line, statement.mark.offset as usize);
        match until {
            Until::Line(end) => self.lines.skip_to_line(end, begins),
            Until::Hole(hole) => {
                let Captured::Text(word) = self.reading.own(statement, *hole) else { return };
                let rule = self.dialect.rules.get(statement.rule as usize);
                let kind = rule.and_then(|r| r.pattern.holes.get(*hole)).and_then(|h| h.kind.typed());
                if kind == Some(HoleType::Delimiter) {
                    self.lines.skip_to_sign(word.start, begins);
                } else {
                    let end = word.of(self.text).to_owned();
                    self.lines.skip_to_line(&end, begins);
                }
            }
        }
    }

    fn unread(&mut self, line: &Logical, block: Block) -> Block {
        let at = match block.inside() {
            Inside::Context(context, opener) => UnreadAt::Context(context, (opener != NOBODY).then_some(opener)),
            Inside::Closed(statement) => UnreadAt::Statement(statement),
            Inside::Unread(line) => UnreadAt::Unread(line),
            // What stands inside is never held against rules.
            Inside::Nothing => UnreadAt::Context(0, None),
        };
        Block::unread(self.miss(line, at))
    }

    /// Notes a line that nobody understands: its position among those.
    fn miss(&mut self, line: &Logical, at: UnreadAt) -> u32 {
        let position = self.reading.unread.len() as u32;
        self.reading.unread_at.push(at);
        let start = line.words.first().map_or(0, |w| w.start);
        let width = (line.line_end.max(start) - start) as u32;
        let mark = Mark { file: self.file, line: line.number, offset: start as u32, width };
        let shape = self.dialect.shape(self.text, &line.words, &mut self.reading.hidden);
        let shape = match self.shapes.get(&*shape) {
            Some(shape) => Arc::clone(shape),
            None => {
                let kept: Arc<str> = shape.as_str().into();
                self.shapes.insert(shape.into(), Arc::clone(&kept));
                kept
            }
        };
        self.reading.unread.push(Unread { mark, shape });
        position
    }

    /// What is left to say at the end of the text.
    fn finish(mut self) -> Reading {
        self.reading.lines = self.lines.count();
        let mark = |(line, offset, torn): &(u32, usize, Torn)| {
            let rest = self.text.get(*offset..).unwrap_or_default();
            let width = rest.lines().next().unwrap_or_default().len() as u32;
            (Mark { file: self.file, line: *line, offset: *offset as u32, width }, *torn)
        };
        self.reading.torn.extend(self.lines.torn.iter().map(mark));
        self.reading.hidden.append(&mut self.lines.comments);
        self.reading
    }

    /// Notes that the text is torn where a statement, or the last line, stands.
    fn tear(&mut self, mark: Option<Mark>, torn: Torn) {
        self.reading.torn.extend(mark.map(|mark| (mark, torn)));
    }
}
