//! Lines that were read before, in whatever text: what a line comes to hangs on its words and the context it stands in alone, and the
//! switches of a fleet say the same few thousand things. Kept for as long as the dialect is; what came up lately is kept, the rest is
//! dropped. Reading with an empty store gives the same.

use std::fmt;
use std::hash::{Hash as _, Hasher as _};
use std::ops::Range;
use std::sync::{Mutex, PoisonError};

use rustc_hash::{FxHashMap, FxHasher};

use super::captured::Captured;
use super::reading::Statement;
use crate::source::Word;

/// So many lines are kept of those that came up lately, and as many of those before.
const KEPT: usize = 3000;
/// So many bytes of text they have.
const MOST_BYTES: usize = 400_000;

/// What a statement opens.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Opens {
    Context(usize),
    Closed,
    Nothing,
}

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
    context: usize,
    text: &'t str,
}

impl<'t> Asked<'t> {
    #[inline]
    pub(super) fn new(context: usize, text: &'t str) -> Self {
        let mut hasher = FxHasher::default();
        (context, text).hash(&mut hasher);
        Self { hash: hasher.finish(), context, text }
    }
}

/// A line: where its text, its statements and what their holes took are kept.
#[derive(Debug, Clone)]
struct Line {
    context: usize,
    text: Range<usize>,
    statements: Range<usize>,
    captures: Range<usize>,
    opens: Opens,
    /// The text in which it came up last, and where that one's reading has what the holes took: the next line shares it.
    seen: (u64, u32),
}

/// Lines, each kind of their parts in one piece: thousands of small pieces among those of the switches that come and go would keep
/// memory in shreds.
#[derive(Debug, Default)]
struct Lines {
    texts: String,
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
    pub(super) opens: Opens,
}

impl Lines {
    /// The position of a line.
    #[inline]
    fn find(&self, asked: Asked<'_>) -> Option<usize> {
        let at = *self.by_hash.get(&asked.hash)? as usize;
        let line = self.lines.get(at)?;
        (line.context == asked.context && self.texts.get(line.text.clone()) == Some(asked.text)).then_some(at)
    }

    fn add(
        &mut self,
        asked: Asked<'_>,
        statements: impl Iterator<Item = Statement>,
        captures: impl Iterator<Item = Captured>,
        (opens, seen): (Opens, (u64, u32)),
    ) {
        let (text, first, taken) = (self.texts.len(), self.statements.len(), self.captures.len());
        self.texts.push_str(asked.text);
        self.statements.extend(statements);
        self.captures.extend(captures);
        let (text, statements) = (text..self.texts.len(), first..self.statements.len());
        let captures = taken..self.captures.len();
        self.by_hash.insert(asked.hash, self.lines.len() as u32);
        self.lines.push(Line { context: asked.context, text, statements, captures, opens, seen });
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
#[derive(Debug, Default)]
pub(super) struct Store {
    /// Which text is being read.
    reading: u64,
    lately: Lines,
    before: Lines,
}

impl Store {
    /// What a line came to. `from`: where the text that is being read will have what its holes took, if there is room for that.
    #[inline]
    pub(super) fn get(&mut self, asked: Asked<'_>, from: Option<u32>) -> Option<Compiled<'_>> {
        let at = match self.lately.find(asked) {
            Some(at) => at,
            None => self.from_before(asked)?,
        };
        let line = self.lately.lines.get_mut(at)?;
        let is_new = line.seen.0 != self.reading;
        if is_new {
            line.seen = (self.reading, from?);
        }
        Some(Compiled {
            statements: self.lately.statements.get(line.statements.clone())?,
            captures: if is_new { self.lately.captures.get(line.captures.clone())? } else { &[] },
            from: line.seen.1,
            opens: line.opens,
        })
    }

    /// Takes a line over to those that came up lately.
    fn from_before(&mut self, asked: Asked<'_>) -> Option<usize> {
        self.before.find(asked)?;
        self.make_room();
        // Where making room has taken it away it is read again.
        let line = self.before.lines.get(self.before.find(asked)?)?;
        let statements = self.before.statements.get(line.statements.clone())?.iter().copied();
        let captures = self.before.captures.get(line.captures.clone())?.iter().cloned();
        self.lately.add(asked, statements, captures, (line.opens, line.seen));
        self.lately.lines.len().checked_sub(1)
    }

    /// Keeps what a line came to. `from`: where the text that is being read has what its holes took.
    pub(super) fn add(
        &mut self,
        asked: Asked<'_>,
        statements: impl Iterator<Item = Statement>,
        captures: impl Iterator<Item = Captured>,
        (opens, from): (Opens, u32),
    ) {
        self.make_room();
        self.lately.add(asked, statements, captures, (opens, (self.reading, from)));
    }

    fn make_room(&mut self) {
        if self.lately.lines.len() >= KEPT || self.lately.texts.len() >= MOST_BYTES {
            std::mem::swap(&mut self.lately, &mut self.before);
            self.lately.clear();
        }
    }
}

/// What a dialect keeps of what was read.
#[derive(Default)]
pub(super) struct Stores {
    /// Each reader takes one, and gives it back.
    of_readers: Mutex<Vec<Store>>,
    pub(super) hole_words: HoleWords,
}

impl Stores {
    pub(super) fn take(&self) -> Store {
        let mut store = self.of_readers.lock().ok().and_then(|mut stores| stores.pop()).unwrap_or_default();
        store.reading += 1;
        store
    }

    pub(super) fn give_back(&self, store: Store) {
        if let Ok(mut stores) = self.of_readers.lock() {
            stores.push(store);
        }
    }
}

/// So many places of words are kept.
const PLACES: usize = 4096;
/// Of longer statements they are not.
const LONGEST: usize = 160;

/// Where the words stand that holes took of statements, counted from where each begins, by what was asked and the statement's text: as
/// with lines the switches of a fleet say the same few thousand things. Kept for as long as the dialect is; asking anew gives the same.
#[derive(Default)]
pub(super) struct HoleWords(Mutex<FxHashMap<u64, Taken>>);

/// A hole of a statement, the statement's text, and where the words stand.
type Taken = (Hole, Box<str>, Option<Word>);

/// A hole: the root of the context that its statement stands in, whether that begins its line, and its number.
pub(super) type Hole = (usize, bool, usize);

impl HoleWords {
    /// What was found before, or else is now.
    pub(super) fn of(&self, hole: Hole, text: &str, find: impl FnOnce() -> Option<Word>) -> Option<Word> {
        let mut hasher = FxHasher::default();
        (hole, text).hash(&mut hasher);
        let hash = hasher.finish();
        let is_it = |known: &&Taken| known.0 == hole && *known.1 == *text;
        let known = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((.., word)) = known().get(&hash).filter(is_it) {
            return *word;
        }
        let word = find();
        if text.len() <= LONGEST {
            let mut known = known();
            if known.len() >= PLACES {
                known.clear();
            }
            known.insert(hash, (hole, text.into(), word));
        }
        word
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
