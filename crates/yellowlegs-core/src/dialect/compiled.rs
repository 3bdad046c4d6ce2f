//! Lines that were read before, in whatever text: what a line comes to hangs on its words and the context it stands in alone, and the
//! switches of a fleet say the same few thousand things. Kept for as long as the dialect is; what came up lately is kept, the rest is
//! dropped. Reading with an empty store gives the same.

use std::fmt;
use std::sync::Mutex;

use rustc_hash::FxHashMap;

use super::captured::Captured;
use super::reading::Statement;
use crate::source::Word;

/// So many lines are kept of those that came up lately, and as many of those before.
const KEPT: usize = 3000;
/// Longer ones are not.
const LONGEST: usize = 160;

/// What a line came to, its places counted from its beginning.
#[derive(Debug)]
pub(super) struct Compiled {
    pub(super) statements: Vec<Statement>,
    pub(super) captures: Vec<Captured>,
    pub(super) opens: Opens,
}

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

/// By context, lines.
type Lines = Vec<FxHashMap<Box<str>, Box<Compiled>>>;

/// The lines that one reader knows.
#[derive(Debug, Default)]
pub(super) struct Store {
    lately: Lines,
    count: usize,
    before: Lines,
}

impl Store {
    /// What a line came to.
    pub(super) fn get(&mut self, context: usize, text: &str) -> Option<&Compiled> {
        if self.lately.get(context).is_none_or(|lines| !lines.contains_key(text)) {
            let (text, known) = self.before.get_mut(context)?.remove_entry(text)?;
            self.keep(context, text, known);
        }
        self.lately.get(context)?.get(text).map(|known| &**known)
    }

    /// Keeps what a line came to.
    pub(super) fn add(&mut self, context: usize, text: &str, known: Compiled) {
        if text.len() <= LONGEST {
            self.keep(context, text.into(), Box::new(known));
        }
    }

    fn keep(&mut self, context: usize, text: Box<str>, known: Box<Compiled>) {
        if self.count >= KEPT {
            self.before = std::mem::take(&mut self.lately);
            self.count = 0;
        }
        if self.lately.len() <= context {
            self.lately.resize_with(context + 1, FxHashMap::default);
        }
        self.count += 1;
        self.lately[context].insert(text, known);
    }
}

/// The stores of a dialect: each reader takes one, and gives it back.
#[derive(Default)]
pub(super) struct Stores(Mutex<Vec<Store>>);

impl Stores {
    pub(super) fn take(&self) -> Store {
        self.0.lock().ok().and_then(|mut stores| stores.pop()).unwrap_or_default()
    }

    pub(super) fn give_back(&self, store: Store) {
        if let Ok(mut stores) = self.0.lock() {
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
