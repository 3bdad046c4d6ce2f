//! What is shown of a line that nobody knows: its words masked, for unread lines are where unmarked secrets are.

use super::Dialect;
use crate::model::{Mark, StationAddress};
use crate::source::Word;

/// How many words of an unread line its shape shows.
const SHAPE_WORDS: usize = 12;

impl Dialect {
    /// The shape of a line, whatever it is.
    pub fn line_shape(&self, text: &str, mark: Mark) -> String {
        self.shape(text, &self.words_at(text, mark))
    }

    /// The words of a line that the dialect does not know.
    pub(super) fn unknown<'w>(&self, text: &'w str, words: &'w [Word]) -> impl Iterator<Item = Word> {
        words.iter().copied().filter(move |word| !self.knows(word.of(text)) && !is_rule(word.of(text)))
    }

    /// Whether a word is known to the dialect.
    fn knows(&self, word: &str) -> bool {
        self.vocabulary.contains(word) || self.vocabulary.contains(&*word.to_ascii_lowercase())
    }

    /// A line with every word masked that the dialect does not know: unread lines are where unmarked secrets are.
    pub(super) fn shape(&self, text: &str, words: &[Word]) -> String {
        let mut shape = String::new();
        for word in words.iter().take(SHAPE_WORDS) {
            let word = word.of(text);
            if !shape.is_empty() {
                shape.push(' ');
            }
            shape.push_str(match word {
                word if self.knows(word) => word,
                word if word.starts_with(['"', '\'']) => "<text>",
                word if word.bytes().all(|b| b.is_ascii_digit()) => "<number>",
                word if self.lists.port(word).is_some() => "<port>",
                word if StationAddress::parse(word).is_ok() => "<station>",
                word if is_rule(word) => word,
                _ => "<word>",
            });
        }
        if words.len() > SHAPE_WORDS {
            shape.push_str(" …");
        }
        shape
    }
}

/// Whether a word is one sign, or a line drawn of it.
fn is_rule(word: &str) -> bool {
    let mut bytes = word.bytes();
    bytes.next().is_some_and(|first| first.is_ascii_punctuation() && bytes.all(|byte| byte == first))
}
