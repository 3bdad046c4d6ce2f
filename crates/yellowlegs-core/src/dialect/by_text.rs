//! What is asked of the same texts again and again, once found and kept: the switches of a fleet say the same few thousand things.

use std::hash::{Hash, Hasher};
use std::sync::{Mutex, PoisonError};

use rustc_hash::{FxHashMap, FxHasher};

use super::hints::{Alike, Mentioned};
use crate::source::Word;

/// So many bytes of texts are kept with their answers; then all anew.
const ROOM: usize = 1 << 19;
/// Of a text that is longer nothing is.
const LONGEST: usize = 1 << 12;

/// How much room an answer takes.
pub(super) trait Bytes {
    fn bytes(&self) -> usize;
}

impl<T> Bytes for Box<[T]> {
    fn bytes(&self) -> usize {
        size_of_val(&**self)
    }
}

/// Answers by where a text stands and what it says. Asking anew gives the same.
pub(super) struct ByText<K, V>(Mutex<Kept<K, V>>);

struct Kept<K, V> {
    by_hash: FxHashMap<u64, (K, Box<str>, V)>,
    bytes: usize,
}

impl<K, V> Default for Kept<K, V> {
    fn default() -> Self {
        Self { by_hash: FxHashMap::default(), bytes: 0 }
    }
}

impl<K, V> Default for ByText<K, V> {
    fn default() -> Self {
        Self(Mutex::default())
    }
}

impl<K: Hash + Eq + Copy, V: Bytes> ByText<K, V> {
    /// What `take` makes of an answer that was found before, or else is found now.
    pub(super) fn of<R>(&self, at: K, text: &str, find: impl FnOnce() -> V, take: impl FnOnce(&V) -> R) -> R {
        let mut hasher = FxHasher::default();
        (at, text).hash(&mut hasher);
        let hash = hasher.finish();
        let kept = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((.., known)) = kept().by_hash.get(&hash).filter(|known| known.0 == at && *known.1 == *text) {
            return take(known);
        }
        let found = find();
        let taken = take(&found);
        if text.len() <= LONGEST {
            let mut kept = kept();
            let bytes = text.len() + found.bytes() + size_of::<(u64, K, Box<str>, V)>();
            if kept.bytes + bytes > ROOM {
                *kept = Kept::default();
            }
            kept.bytes += bytes;
            kept.by_hash.insert(hash, (at, text.into(), found));
        }
        taken
    }
}

/// Where a statement stood: the root of its context, and whether it began its line.
pub(super) type Stood = (usize, bool);

/// What a dialect was asked, kept for as long as it is.
#[derive(Default)]
pub(super) struct Answers {
    /// Where the words stand that the holes of a statement took, counted from where it begins: what decides of one row is asked for many
    /// of its words.
    pub(super) hole_words: ByText<Stood, Box<[Option<Word>]>>,
    /// Where a line that no rule takes leads among the rules of a context.
    pub(super) alike: ByText<usize, Alike>,
    /// What such a line names.
    pub(super) named: ByText<(), Mentioned>,
}

#[cfg(test)]
mod tests {
    use super::*;

    type Words = Box<[Option<Word>]>;

    /// However much is asked for: the same is found as if it were the first, and no more is kept than there is room for.
    #[test]
    fn answers_are_kept_as_far_as_there_is_room() {
        let (kept, mut sought) = (ByText::<Stood, Words>::default(), 0);
        let word = |start: usize, text: &str| Some(Word { start, end: text.len() });
        for round in 0..3 {
            for number in 0..4000_usize {
                let text = format!("row {number} {}", "x".repeat(number % 300 + 10 * round));
                let mut find = || {
                    sought += 1;
                    Words::from([word(number % 7, &text), None, word(round, &text)])
                };
                let stood = (number % 3, number % 2 == 0);
                let mut of = |hole: usize| kept.of(stood, &text, &mut find, |words| words.get(hole).copied().flatten());
                assert_eq!(of(0), word(number % 7, &text));
                assert_eq!(of(1), None);
                assert_eq!(of(2), word(round, &text));
                let kept = kept.0.lock().unwrap();
                let there: usize = kept.by_hash.values().map(|(_, text, words)| text.len() + words.len()).sum();
                assert!(there <= kept.bytes && kept.bytes <= ROOM, "{there} {}", kept.bytes);
            }
        }
        assert_eq!(sought, 3 * 4000, "once for all that is asked of a text");
        let long = "x".repeat(LONGEST + 1);
        for _ in 0..2 {
            let find = || {
                sought += 1;
                Words::default()
            };
            assert_eq!(kept.of((0, true), &long, find, |words| words.len()), 0);
        }
        assert_eq!(sought, 3 * 4000 + 2, "of what is too long nothing is kept");
    }

    /// The same text elsewhere is another statement.
    #[test]
    fn where_a_text_stood_tells_it_from_others() {
        let (kept, text) = (ByText::<Stood, Words>::default(), "hold 3");
        let at = |start: usize| Words::from([Some(Word { start, end: 6 })]);
        for (start, stood) in [(0, (0, true)), (1, (0, false)), (2, (1, true))] {
            assert_eq!(kept.of(stood, text, || at(start), Words::clone), at(start));
            assert_eq!(kept.of(stood, text, || at(5), Words::clone), at(start));
        }
    }
}
