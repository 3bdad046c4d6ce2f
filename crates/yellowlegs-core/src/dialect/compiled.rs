//! Lines that were read before, in whatever text: what a line comes to hangs on its words and the context it stands in alone, and the
//! switches of a fleet say the same few thousand things. Kept for as long as the dialect is; what came up lately is kept, the rest is
//! dropped. Reading with an empty store gives the same.

use std::fmt;
use std::hash::{Hash as _, Hasher as _};
use std::ops::Range;
use std::sync::Mutex;

use rustc_hash::{FxHashMap, FxHasher};

use super::by_text::Answers;
use super::captured::Captured;
use super::reading::{Opens, Statement};
use crate::source::Word;

/// So many lines are kept of those that came up lately, and as many of those before.
const KEPT: usize = 3000;
/// So many bytes of text they have.
const MOST_BYTES: usize = 400_000;

/// What a line does to the blocks in braces that are open.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Braced {
    /// Nothing: it is a statement.
    Nothing,
    /// It is a statement that opens one.
    Opens,
    /// It is no statement, and closes one.
    Closes,
}

/// What a line comes to besides its statements: what the last of them opens, and what that does to braces.
pub(super) type Leads = (Opens, Braced);

impl Captured {
    /// The same of a line that begins elsewhere.
    pub(super) fn moved(&self, from: usize, to: usize) -> Self {
        match self {
            Self::Text(word) => Self::Text(Word { start: word.start - from + to, end: word.end - from + to }),
            other => other.clone(),
        }
    }
}

/// A line that may have come before: what it comes to hangs on its text and the context it stands in.
#[derive(Debug, Clone, Copy)]
pub(super) struct Asked<'t> {
    hash: u64,
    context: u32,
    text: &'t str,
}

impl<'t> Asked<'t> {
    /// A statement that stands on its line beside others; no line is taken for it.
    pub(super) fn beside_others(context: usize, text: &'t str) -> Self {
        Self::new(!context, text)
    }

    #[inline]
    pub(super) fn new(context: usize, text: &'t str) -> Self {
        let mut hasher = FxHasher::default();
        (context, text).hash(&mut hasher);
        Self { hash: hasher.finish(), context: context as u32, text }
    }
}

/// A line: where its text, its statements and what their holes took are kept.
#[derive(Debug, Clone)]
struct Line {
    context: u32,
    text: Stretch,
    statements: Stretch,
    captures: Stretch,
    leads: Leads,
    /// Columns of blanks before it, when it came up last.
    indent: u32,
    /// The position of the line that followed it then; `NOBODY` where none did that is kept.
    next: u32,
    /// The text in which it came up last, and where that one's reading has what the holes took: the next line shares it.
    seen: (u32, u32),
}

/// No line has this position.
const NOBODY: u32 = u32::MAX;

/// Where something begins and ends.
#[derive(Debug, Clone, Copy)]
struct Stretch(u32, u32);

impl Stretch {
    fn of(self) -> Range<usize> {
        self.0 as usize..self.1 as usize
    }

    fn from(begin: usize, end: usize) -> Self {
        Self(begin as u32, end as u32)
    }
}

/// Lines, each kind of their parts in one piece: thousands of small pieces among those of the switches that come and go would keep
/// memory in shreds.
#[derive(Debug, Default)]
struct Lines {
    texts: Vec<u8>,
    statements: Vec<Statement>,
    captures: Vec<Captured>,
    lines: Vec<Line>,
    /// By the hash of context and text, the position of the line.
    by_hash: FxHashMap<u64, u32>,
}

/// What a line came to, its places counted from its beginning.
#[derive(Clone, Copy)]
pub(super) struct Compiled<'s> {
    pub(super) statements: &'s [Statement],
    /// What the holes took, where the text does not have it from a line like it.
    pub(super) captures: &'s [Captured],
    /// Where the text has that, or will have it.
    pub(super) from: u32,
    pub(super) leads: Leads,
}

/// A line that the text goes on with, known by its bytes.
#[derive(Debug, Clone, Copy)]
pub(super) struct Expected {
    /// Its position in the store.
    pub(super) at: usize,
    pub(super) context: u32,
    /// Columns of blanks before it, each a blank.
    pub(super) indent: u32,
    /// How many bytes it has.
    pub(super) width: usize,
}

impl Lines {
    /// The position of a line.
    #[inline]
    fn find(&self, asked: Asked<'_>) -> Option<usize> {
        let at = *self.by_hash.get(&asked.hash)? as usize;
        let line = self.lines.get(at)?;
        (line.context == asked.context && self.texts.get(line.text.of()) == Some(asked.text.as_bytes())).then_some(at)
    }

    /// Adds a line at the end: its position.
    fn add(
        &mut self,
        asked: Asked<'_>,
        statements: impl Iterator<Item = Statement>,
        captures: impl Iterator<Item = Captured>,
        (leads, seen): (Leads, (u32, u32)),
    ) -> usize {
        let (at, text, first, taken) = (self.lines.len(), self.texts.len(), self.statements.len(), self.captures.len());
        self.texts.extend_from_slice(asked.text.as_bytes());
        self.statements.extend(statements);
        self.captures.extend(captures);
        self.by_hash.insert(asked.hash, at as u32);
        self.lines.push(Line {
            context: asked.context,
            text: Stretch::from(text, self.texts.len()),
            statements: Stretch::from(first, self.statements.len()),
            captures: Stretch::from(taken, self.captures.len()),
            leads,
            indent: 0,
            next: NOBODY,
            seen,
        });
        at
    }

    /// Forgets all, and keeps the room.
    fn clear(&mut self) {
        self.texts.clear();
        self.statements.clear();
        self.captures.clear();
        self.lines.clear();
        self.by_hash.clear();
    }
}

/// The lines that one reader knows.
#[derive(Debug)]
pub(super) struct Store {
    /// So many lines are kept; of a store that keeps none reading comes to the same.
    kept: usize,
    /// Which text is being read.
    reading: u32,
    /// Of that, the position of the last line that is kept.
    last: Option<usize>,
    lately: Lines,
    before: Lines,
}

impl Default for Store {
    fn default() -> Self {
        Self::of(KEPT)
    }
}

impl Store {
    /// One that keeps so many lines of those that came up lately.
    pub(super) fn of(kept: usize) -> Self {
        Self { kept, reading: 0, last: None, lately: Lines::default(), before: Lines::default() }
    }

    /// The position of a line that is kept, until one more is added.
    #[inline]
    pub(super) fn find(&mut self, asked: Asked<'_>) -> Option<usize> {
        self.lately.find(asked).or_else(|| self.taken_over(asked))
    }

    /// The line that followed the last one when that came up before, where the rest of the text begins with it: most texts go on as others
    /// did. Then it is neither looked for nor looked up.
    #[inline]
    pub(super) fn expected(&self, rest: &[u8]) -> Option<Expected> {
        let at = self.lately.lines.get(self.last?)?.next as usize;
        let line = self.lately.lines.get(at)?;
        let (blanks, rest) = rest.split_at_checked(line.indent as usize)?;
        let text = self.lately.texts.get(line.text.of())?;
        let is_it =
            rest.get(text.len()) == Some(&b'\n') && rest.starts_with(text) && blanks.iter().all(|blank| *blank == b' ');
        is_it.then_some(Expected { at, context: line.context, indent: line.indent, width: text.len() })
    }

    /// What the line at a position came to. `from`: where the text that is being read will have what its holes took, if there is room for
    /// that.
    #[inline]
    pub(super) fn get(&mut self, at: usize, from: Option<u32>) -> Option<Compiled<'_>> {
        let line = self.lately.lines.get_mut(at)?;
        let is_new = line.seen.0 != self.reading;
        if is_new {
            line.seen = (self.reading, from?);
        }
        Some(Compiled {
            statements: self.lately.statements.get(line.statements.of())?,
            captures: if is_new { self.lately.captures.get(line.captures.of())? } else { &[] },
            from: line.seen.1,
            leads: line.leads,
        })
    }

    /// The line at a position came up: the one before it is followed by it.
    #[inline]
    pub(super) fn came(&mut self, at: usize, indent: u32) {
        if let Some(line) = self.lately.lines.get_mut(at) {
            line.indent = indent;
        }
        if let Some(last) = self.last.and_then(|last| self.lately.lines.get_mut(last)) {
            last.next = at as u32;
        }
        self.last = Some(at);
    }

    /// Takes a line over to those that came up lately.
    fn taken_over(&mut self, asked: Asked<'_>) -> Option<usize> {
        self.before.find(asked)?;
        self.make_room();
        // Where making room has taken it away it is read again.
        let line = self.before.lines.get(self.before.find(asked)?)?;
        let statements = self.before.statements.get(line.statements.of())?.iter().copied();
        let captures = self.before.captures.get(line.captures.of())?.iter().cloned();
        Some(self.lately.add(asked, statements, captures, (line.leads, line.seen)))
    }

    /// Keeps what a line came to: its position. `from`: where the text that is being read has what its holes took.
    pub(super) fn add(
        &mut self,
        asked: Asked<'_>,
        statements: impl Iterator<Item = Statement>,
        captures: impl Iterator<Item = Captured>,
        (leads, from): (Leads, u32),
    ) -> Option<usize> {
        if self.kept == 0 {
            return None;
        }
        self.make_room();
        let at = self.lately.add(asked, statements, captures, (leads, (self.reading, from)));
        // What followed the line in whose place it stands will follow it, too: a description, an address.
        let instead = self.last.and_then(|last| self.lately.lines.get(last)).map(|last| last.next as usize);
        let next = instead.and_then(|instead| self.lately.lines.get(instead)).map(|instead| instead.next);
        if let (Some(line), Some(next)) = (self.lately.lines.get_mut(at), next) {
            line.next = next;
        }
        Some(at)
    }

    fn make_room(&mut self) {
        if self.lately.lines.len() >= self.kept || self.lately.texts.len() >= MOST_BYTES {
            std::mem::swap(&mut self.lately, &mut self.before);
            self.lately.clear();
            self.last = None;
        }
    }
}

/// What a dialect keeps of what was read.
#[derive(Default)]
pub(super) struct Stores {
    /// Each reader takes one, and gives it back.
    of_readers: Mutex<Vec<Store>>,
    pub(super) asked: Answers,
}

impl Stores {
    pub(super) fn take(&self) -> Store {
        let mut store = self.of_readers.lock().ok().and_then(|mut stores| stores.pop()).unwrap_or_default();
        store.reading = store.reading.wrapping_add(1);
        store.last = None;
        store
    }

    pub(super) fn give_back(&self, store: Store) {
        if let Ok(mut stores) = self.of_readers.lock() {
            stores.push(store);
        }
    }
}

/// A copy of a dialect begins with none.
impl Clone for Stores {
    fn clone(&self) -> Self {
        Self::default()
    }
}

impl fmt::Debug for Stores {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Stores")
    }
}
