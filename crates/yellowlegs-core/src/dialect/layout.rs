//! How a text is laid out: what a statement's words are, across comments, continued lines and free text.

use crate::source::Word;
use crate::syntax::{Line, Splitter};

/// How lines belong together.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Structure {
    /// What is indented deeper belongs to the line above.
    #[default]
    Indent,
    /// Blocks in braces.
    Braces,
    /// The whole path is on each line.
    Paths,
    /// Titles; what follows belongs to the title before it.
    Sections,
}

impl Structure {
    /// Each with its word in dialects.
    pub const WORDS: [(Self, &'static str); 4] =
        [(Self::Indent, "indent"), (Self::Braces, "braces"), (Self::Paths, "paths"), (Self::Sections, "sections")];
}

/// The signs of blocks.
#[derive(Debug, Clone)]
pub struct Braces {
    /// Opens one.
    pub open: String,
    /// Closes one.
    pub close: String,
    /// Ends a statement; without it the line's end does.
    pub end: Option<String>,
}

/// How a text is laid out.
#[derive(Debug, Clone)]
pub struct Layout {
    /// How lines belong together.
    pub structure: Structure,
    /// How lines fall into words.
    pub splitter: Splitter,
    /// Signs at the beginning of a comment line.
    pub comments: Vec<String>,
    /// A word that begins with it, and what follows on the line, is a comment.
    pub inline_comment: Option<String>,
    /// Signs around comments of several lines: where a line begins with the first.
    pub block_comment: Option<(String, String)>,
    /// At the end of a line: it goes on in the next.
    pub continuation: Option<String>,
    /// The word that negates.
    pub negation: Option<String>,
    /// A word that may stand before any statement.
    pub verb: Option<String>,
    /// Words that alone on a line close a block.
    pub close: Vec<String>,
    /// The signs of blocks in braces.
    pub braces: Braces,
}

impl Default for Layout {
    fn default() -> Self {
        Self {
            structure: Structure::Indent,
            splitter: Splitter::new(""),
            comments: Vec::new(),
            inline_comment: None,
            block_comment: None,
            continuation: None,
            negation: None,
            verb: None,
            close: Vec::new(),
            braces: Braces { open: "{".into(), close: "}".into(), end: None },
        }
    }
}

/// A line with those that continue it.
#[derive(Debug, Clone, Default)]
pub(super) struct Logical {
    /// Line number, from 1.
    pub(super) number: u32,
    /// Columns of blanks before it.
    pub(super) indent: u32,
    /// Where its first line ends.
    pub(super) line_end: usize,
    /// Whether it goes on in the next line.
    pub(super) goes_on: bool,
    /// Its words.
    pub(super) words: Vec<Word>,
}

impl Logical {
    /// Adds a word of a line; the first one says where the whole begins.
    pub(super) fn push(&mut self, word: Word, line: &Self) {
        if self.words.is_empty() {
            (self.number, self.line_end) = (line.number, word.end);
        }
        if self.number == line.number {
            self.line_end = word.end;
        }
        self.words.push(word);
    }
}

/// The statements of a text, one after the other; blank lines and comments are left out.
pub(super) struct Logicals<'t> {
    text: &'t str,
    layout: &'t Layout,
    at: usize,
    lines: u32,
    words: Vec<Word>,
}

impl<'t> Logicals<'t> {
    /// From the beginning of a text.
    pub(super) fn new(text: &'t str, layout: &'t Layout) -> Self {
        Self { text, layout, at: 0, lines: 0, words: Vec::new() }
    }

    /// How many lines have been passed.
    pub(super) fn count(&self) -> u32 {
        self.lines
    }

    /// The next physical line, whatever it is.
    fn physical(&mut self) -> Option<Line<'t>> {
        let (line, next) = Line::at(self.text, self.at, self.lines + 1)?;
        self.at = next;
        self.lines += 1;
        Some(line)
    }

    /// The next statement, put into `line`; false at the end of the text.
    pub(super) fn next(&mut self, line: &mut Logical) -> bool {
        while let Some(first) = self.first() {
            if self.whole(first, line) {
                return true;
            }
        }
        false
    }

    /// The next line that is neither blank nor a comment: a statement's first, to be given to [`Logicals::whole`].
    pub(super) fn first(&mut self) -> Option<Line<'t>> {
        while let Some(first) = self.physical() {
            if first.text.is_empty() || self.layout.comments.iter().any(|sign| first.text.starts_with(sign.as_str())) {
                continue;
            }
            if let Some((open, close)) = &self.layout.block_comment
                && let Some(rest) = first.text.strip_prefix(open.as_str())
            {
                if !rest.contains(close.as_str()) {
                    self.skip_past(close);
                }
                continue;
            }
            return Some(first);
        }
        None
    }

    /// The statement that a line begins, with the lines that continue it; false where it has no words.
    pub(super) fn whole(&mut self, first: Line<'t>, line: &mut Logical) -> bool {
        line.words.clear();
        (line.number, line.indent) = (first.number, first.indent);
        line.line_end = first.start + first.text.len();
        let mut goes_on = self.add(first, line);
        line.goes_on = goes_on;
        while goes_on {
            let Some(next) = self.physical() else { break };
            goes_on = self.add(next, line);
        }
        !line.words.is_empty()
    }

    /// Adds a physical line's words; whether the line goes on.
    fn add(&mut self, physical: Line<'t>, line: &mut Logical) -> bool {
        let sign = self.layout.continuation.as_deref().filter(|sign| physical.text.ends_with(sign));
        let body = sign.and_then(|sign| physical.text.strip_suffix(sign)).unwrap_or(physical.text);
        self.layout.splitter.split(body, physical.start, &mut self.words);
        let kept = match &self.layout.inline_comment {
            Some(sign) => {
                let comment = |w: &Word| w.of(self.text).starts_with(sign.as_str());
                self.words.iter().position(comment).unwrap_or(self.words.len())
            }
            None => self.words.len(),
        };
        line.words.extend(self.words.iter().take(kept));
        sign.is_some() && kept == self.words.len()
    }

    fn skip_past(&mut self, sign: &str) {
        while let Some(line) = self.physical() {
            if line.text.contains(sign) {
                break;
            }
        }
    }

    /// Passes over lines up to one that is this text, blanks around it apart.
    pub(super) fn skip_to_line(&mut self, end: &str) {
        while let Some(line) = self.physical() {
            if line.text == end.trim() {
                break;
            }
        }
    }

    /// Passes over the text from a sign to its next place, and over the line that is on.
    pub(super) fn skip_to_sign(&mut self, from: usize) {
        let Some(sign) = self.text.get(from..).and_then(|rest| rest.chars().next()) else { return };
        let body = from + sign.len_utf8();
        let on_line = self.text.get(body..self.at).is_some_and(|line| line.contains(sign));
        if !on_line {
            self.skip_past(sign.encode_utf8(&mut [0; 4]));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn told(text: &str) -> Vec<(u32, u32, String)> {
        let layout = Layout {
            comments: vec!["!".into()],
            inline_comment: Some("#".into()),
            block_comment: Some(("/*".into(), "*/".into())),
            continuation: Some("\\".into()),
            ..Layout::default()
        };
        let mut lines = Logicals::new(text, &layout);
        let (mut line, mut told) = (Logical::default(), Vec::new());
        while lines.next(&mut line) {
            let words: Vec<&str> = line.words.iter().map(|w| w.of(text)).collect();
            told.push((line.number, line.indent, words.join(" ")));
        }
        told
    }

    #[rstest]
    #[case("a b\n\n  c\n", &[(1, 0, "a b"), (3, 2, "c")])]
    #[case("! x\na # b\n #c\n d", &[(2, 0, "a"), (4, 1, "d")])]
    #[case("a \\\n  b\\\n c\nd", &[(1, 0, "a b c"), (4, 0, "d")])]
    #[case("a \\", &[(1, 0, "a")])]
    #[case("/* x\n y\n*/ z\na\n/* b */\nc", &[(4, 0, "a"), (6, 0, "c")])]
    #[case("a \"# no\" b", &[(1, 0, "a \"# no\" b")])]
    fn statements(#[case] text: &str, #[case] expected: &[(u32, u32, &str)]) {
        let expected: Vec<_> = expected.iter().map(|(n, i, w)| (*n, *i, (*w).to_owned())).collect();
        assert_eq!(told(text), expected);
    }
}
