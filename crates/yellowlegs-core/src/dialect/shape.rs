//! What is shown of a line that nobody knows: its words masked, for unread lines are where unmarked secrets are.

use super::Dialect;
use crate::model::{Mark, StationAddress};
use crate::source::Word;

/// How many words of an unread line its shape shows.
const SHAPE_WORDS: usize = 12;

impl Dialect {
    /// The shape of a line, whatever it is.
    pub fn line_shape(&self, text: &str, mark: Mark) -> String {
        self.shape(text, &self.words_at(text, mark), &mut Vec::new())
    }

    /// A line with every word masked that the dialect does not know: unread lines are where unmarked secrets are. Those
    /// words are put behind `unknown`.
    pub(super) fn shape(&self, text: &str, words: &[Word], unknown: &mut Vec<Word>) -> String {
        let mut shape = String::new();
        for (position, at) in words.iter().enumerate() {
            let word = at.of(text);
            let (known, rule) = (self.knows(word), is_rule(word));
            unknown.extend((!known && !rule).then_some(*at));
            if position >= SHAPE_WORDS {
                continue;
            }
            if position > 0 {
                shape.push(' ');
            }
            shape.push_str(match word {
                word if known => word,
                word if word.starts_with(['"', '\'']) => "<text>",
                word if word.bytes().all(|b| b.is_ascii_digit()) => "<number>",
                word if self.lists.port(word).is_some() => "<port>",
                word if StationAddress::parse(word).is_ok() => "<station>",
                word if rule => word,
                _ => "<word>",
            });
        }
        if words.len() > SHAPE_WORDS {
            shape.push_str(" …");
        }
        shape
    }

    /// Whether a word is known to the dialect.
    fn knows(&self, word: &str) -> bool {
        let has_capitals = || word.bytes().any(|byte| byte.is_ascii_uppercase());
        self.vocabulary.contains(word) || has_capitals() && self.vocabulary.contains(&*word.to_ascii_lowercase())
    }
}

/// Whether a word is one sign, or a line drawn of it.
fn is_rule(word: &str) -> bool {
    let mut bytes = word.bytes();
    bytes.next().is_some_and(|first| first.is_ascii_punctuation() && bytes.all(|byte| byte == first))
}
