//! Which dialect a text is in: by lines and statements near its beginning.

use super::Dialect;
use super::automaton::Walk;
use super::layout::{Logical, Logicals, Structure};
use crate::source::{Source, Word};

/// How many lines recognition looks at.
const RECOGNISED_WITHIN: usize = 50;
impl Dialect {
    /// Whether a text looks like this dialect's: each recognition line fits one of the first lines, or a statement in them.
    pub fn recognises(&self, source: &Source) -> bool {
        if self.recognise_lines == 0 {
            return false;
        }
        let text = source.text();
        let mut seen = vec![false; self.recognise_lines];
        let (mut captures, mut found) = (Vec::new(), Vec::new());
        // Notes what words fit; whether that was the last that was looked for.
        let mut fits = |words: &[Word]| {
            captures.clear();
            found.clear();
            let walk = Walk { text, words, lists: &self.lists };
            if !self.recognise.find(0, &walk, 0, &mut captures, &mut found) {
                return false;
            }
            found.iter().for_each(|m| seen[m.rule as usize] = true);
            seen.iter().all(|seen| *seen)
        };
        // As they stand there, for the first may be a comment.
        let (mut at, mut words) = (0, Vec::new());
        for line in text.split_inclusive('\n').take(RECOGNISED_WITHIN) {
            self.layout.splitter.split(line, at, &mut words);
            if fits(&words) {
                return true;
            }
            at += line.len();
        }
        let mut lines = Logicals::new(text, &self.layout);
        let (mut line, mut statement) = (Logical::default(), Vec::new());
        for _ in 0..RECOGNISED_WITHIN {
            if !lines.next(&mut line) {
                break;
            }
            if fits(self.without_signs(text, &line.words)) {
                return true;
            }
            // A statement of braces goes on until its sign, in whatever line that is.
            for word in line.words.iter().filter(|_| self.layout.structure == Structure::Braces) {
                if self.is_sign(text, word) {
                    if fits(&statement) {
                        return true;
                    }
                    statement.clear();
                } else {
                    statement.push(*word);
                }
            }
        }
        fits(&statement)
    }

    /// Whether a word is a sign that ends a statement of braces.
    fn is_sign(&self, text: &str, word: &Word) -> bool {
        let (signs, shown) = (&self.layout.braces, word.of(text));
        shown == signs.open || shown == signs.close || signs.end.as_deref() == Some(shown)
    }

    /// The words of a line up to the sign that ends its first statement.
    pub(super) fn without_signs<'w>(&self, text: &str, words: &'w [Word]) -> &'w [Word] {
        if self.layout.structure != Structure::Braces {
            return words;
        }
        words.iter().position(|word| self.is_sign(text, word)).and_then(|end| words.get(..end)).unwrap_or(words)
    }
}
