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
/// Longer ones are not.
const LONGEST: usize = 160;

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

/// A line: where its text, its statements and what their holes took are kept.
#[derive(Debug, Clone)]
struct Line {
    context: usize,
    text: Range<usize>,
    statements: Range<usize>,
    captures: Range<usize>,
    opens: Opens,
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
    pub(super) captures: &'s [Captured],
    pub(super) opens: Opens,
}

impl Lines {
    /// The position of a line.
    fn find(&self, hash: u64, context: usize, text: &str) -> Option<usize> {
        let at = *self.by_hash.get(&hash)? as usize;
        let line = self.lines.get(at)?;
        (line.context == context && self.texts.get(line.text.clone()) == Some(text)).then_some(at)
    }

    fn get(&self, at: usize) -> Option<Compiled<'_>> {
        let line = self.lines.get(at)?;
        Some(Compiled {
            statements: self.statements.get(line.statements.clone())?,
            captures: self.captures.get(line.captures.clone())?,
            opens: line.opens,
        })
    }

    fn add(&mut self, hash: u64, context: usize, text: &str, compiled: Compiled<'_>) {
        let Compiled { statements, captures, opens } = compiled;
        let line = Line {
            context,
            text: self.texts.len()..self.texts.len() + text.len(),
            statements: self.statements.len()..self.statements.len() + statements.len(),
            captures: self.captures.len()..self.captures.len() + captures.len(),
            opens,
        };
        self.texts.push_str(text);
        self.statements.extend_from_slice(statements);
        self.captures.extend_from_slice(captures);
        self.by_hash.insert(hash, self.lines.len() as u32);
        self.lines.push(line);
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

/// A line of the text that is being read, and what it came to.
#[derive(Debug, Clone, Copy)]
pub(super) struct Known {
    /// The context it stands in.
    pub(super) context: usize,
    /// Where its text begins and ends.
    pub(super) text: (usize, usize),
    /// Positions of its statements. Another line of the same text shares what their holes took: the words are the same.
    pub(super) from: u32,
    pub(super) to: u32,
    /// What its last statement opens.
    pub(super) opens: Opens,
}

/// The lines that one reader knows.
#[derive(Debug, Default)]
pub(super) struct Store {
    /// Of the text that is being read, by the hash of context and text.
    pub(super) here: FxHashMap<u64, Known>,
    lately: Lines,
    before: Lines,
}

impl Store {
    /// What a line came to.
    pub(super) fn get(&mut self, hash: u64, context: usize, text: &str) -> Option<Compiled<'_>> {
        let at = match self.lately.find(hash, context, text) {
            Some(at) => at,
            None => {
                self.before.find(hash, context, text)?;
                self.make_room();
                // Where making room has taken it away it is read again.
                let compiled = self.before.get(self.before.find(hash, context, text)?)?;
                self.lately.add(hash, context, text, compiled);
                self.lately.lines.len() - 1
            }
        };
        self.lately.get(at)
    }

    /// Keeps what a line came to.
    pub(super) fn add(&mut self, hash: u64, context: usize, text: &str, compiled: Compiled<'_>) {
        if text.len() <= LONGEST {
            self.make_room();
            self.lately.add(hash, context, text, compiled);
        }
    }

    fn make_room(&mut self) {
        if self.lately.lines.len() >= KEPT {
            std::mem::swap(&mut self.lately, &mut self.before);
            self.lately.clear();
        }
    }
}

/// The hash of a line in its context.
#[inline]
pub(super) fn hash(context: usize, text: &str) -> u64 {
    let mut hasher = FxHasher::default();
    (context, text).hash(&mut hasher);
    hasher.finish()
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
        store.here.clear();
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
