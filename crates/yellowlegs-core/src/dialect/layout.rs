//! How a text is laid out: what a statement's words are, across comments, continued lines and free text.

use smallvec::{SmallVec, smallvec};

use crate::model::Torn;
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
    /// What begins with it where a word begins, to the end of the line, is a comment.
    pub inline_comment: Option<String>,
    /// Signs around comments, wherever they stand outside quoted texts; over several lines, too.
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
    /// By the first sign of a line, whether it may be a comment.
    may_be_comment: [bool; 256],
    /// What stands on a line behind the end of a comment.
    behind: Option<Line<'t>>,
    /// Comments and free texts without an end: the line and offset where they begin.
    pub(super) torn: Vec<(u32, usize, Torn)>,
    /// Comments beside statements.
    pub(super) comments: Vec<Word>,
}

/// The parts of a line that are no comment, as offsets in it.
#[derive(Debug, Default, PartialEq, Eq)]
struct Code {
    parts: SmallVec<[(usize, usize); 1]>,
    /// Where a comment begins that the line does not end.
    open: Option<usize>,
}

impl<'t> Logicals<'t> {
    /// From the beginning of a text.
    pub(super) fn new(text: &'t str, layout: &'t Layout) -> Self {
        let mut may_be_comment = [false; 256];
        let block = layout.block_comment.iter().map(|(open, _)| open);
        for sign in layout.comments.iter().chain(block) {
            match sign.as_bytes().first() {
                Some(first) => may_be_comment[usize::from(*first)] = true,
                None => may_be_comment = [true; 256],
            }
        }
        let (words, torn, comments) = (Vec::new(), Vec::new(), Vec::new());
        Self { text, layout, at: 0, lines: 0, words, may_be_comment, behind: None, torn, comments }
    }

    /// From a line on, where a statement begins: `lines` have been passed.
    pub(super) fn from(text: &'t str, layout: &'t Layout, at: usize, lines: u32) -> Self {
        Self { at, lines, ..Self::new(text, layout) }
    }

    /// How many lines have been passed.
    pub(super) fn count(&self) -> u32 {
        self.lines
    }

    /// What is left of the text, where a line begins it.
    #[inline]
    pub(super) fn rest(&self) -> Option<&'t str> {
        self.text.get(self.at..).filter(|_| self.behind.is_none())
    }

    /// The next line, where it is known how many blanks stand before it and how many bytes it has: behind them it ends.
    #[inline]
    pub(super) fn ahead(&self, indent: u32, width: usize) -> Option<Line<'t>> {
        let start = self.at + indent as usize;
        Some(Line { number: self.lines + 1, start, text: self.text.get(start..start + width)?, indent })
    }

    /// Passes over that line.
    #[inline]
    pub(super) fn pass(&mut self, line: Line<'t>) {
        self.at = line.start + line.text.len() + 1;
        self.lines += 1;
    }

    /// The next physical line, whatever it is, or what is left of one behind a comment.
    #[inline]
    fn physical(&mut self) -> Option<Line<'t>> {
        if let Some(behind) = self.behind.take() {
            return Some(behind);
        }
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
    #[inline]
    pub(super) fn first(&mut self) -> Option<Line<'t>> {
        while let Some(first) = self.physical() {
            // Most lines are none, and their first sign says so.
            let Some(sign) = first.text.as_bytes().first() else { continue };
            if !self.may_be_comment[usize::from(*sign)] {
                return Some(first);
            }
            if self.layout.comments.iter().any(|with| first.text.starts_with(with.as_str())) {
                continue;
            }
            if let Some((open, close)) = &self.layout.block_comment
                && let Some(rest) = first.text.strip_prefix(open.as_str())
            {
                // What stands behind it may be quoted, and it with that.
                let ends = rest.find(close.as_str()).map_or(first.text.len(), |end| open.len() + end + close.len());
                self.comments.push(Word { start: first.start, end: first.start + ends });
                match rest.find(close.as_str()) {
                    Some(end) => self.go_on_behind(first, open.len() + end + close.len()),
                    None => self.skip_comment(first.number, first.start),
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
        line.goes_on = goes_on || self.behind.is_some();
        while goes_on {
            let Some(next) = self.physical() else { break };
            goes_on = self.add(next, line);
        }
        !line.words.is_empty()
    }

    /// Adds a physical line's words; whether the line goes on.
    fn add(&mut self, physical: Line<'t>, line: &mut Logical) -> bool {
        let layout = self.layout;
        let code = self.code(physical.text);
        if code.parts[..] != [(0, physical.text.len())] {
            self.note_comments(physical, &code);
        }
        for (from, to) in code.parts {
            let mut body = physical.text.get(from..to).unwrap_or_default();
            let sign = layout.continuation.as_deref();
            let goes_on = sign.and_then(|sign| body.strip_suffix(sign)).filter(|_| to == physical.text.len());
            body = goes_on.unwrap_or(body);
            layout.splitter.split(body, physical.start + from, &mut self.words);
            line.words.extend(&self.words);
            if goes_on.is_some() {
                return true;
            }
        }
        if let Some(open) = code.open {
            line.goes_on = true;
            self.skip_comment(physical.number, physical.start + open);
        }
        false
    }

    /// Finds comments before words are split, for signs of comments may be signs that split; quoted texts hold none.
    fn code(&self, text: &str) -> Code {
        let (inline, block) = (self.layout.inline_comment.as_deref(), self.layout.block_comment.as_ref());
        let may_hold = inline.is_some_and(|sign| text.contains(sign))
            || block.is_some_and(|(open, _)| text.contains(open.as_str()));
        if !may_hold {
            return Code { parts: smallvec![(0, text.len())], open: None };
        }
        let (mut code, mut from, mut at, mut begins_word) = (Code::default(), 0, 0, true);
        while let Some(rest) = text.get(at..).filter(|rest| !rest.is_empty()) {
            if begins_word && inline.is_some_and(|sign| rest.starts_with(sign)) {
                code.parts.push((from, at));
                return code;
            }
            if let Some((open, close)) = block.filter(|(open, _)| rest.starts_with(open.as_str())) {
                code.parts.push((from, at));
                let Some(end) = rest.get(open.len()..).and_then(|body| body.find(close.as_str())) else {
                    code.open = Some(at);
                    return code;
                };
                at += open.len() + end + close.len();
                (from, begins_word) = (at, true);
                continue;
            }
            let quoted = if begins_word { self.layout.splitter.quoted_end(text, at) } else { None };
            let next = quoted.unwrap_or_else(|| at + rest.chars().next().map_or(1, char::len_utf8));
            let byte = rest.bytes().next().unwrap_or_default();
            begins_word = quoted.is_some() || byte.is_ascii_whitespace() || self.layout.splitter.stands_alone(byte);
            at = next;
        }
        code.parts.push((from, text.len()));
        code
    }

    /// Keeps where the comments of a line stand: what is between its other parts.
    fn note_comments(&mut self, physical: Line<'t>, code: &Code) {
        let ends = code.parts.iter().map(|(_, to)| *to);
        let begins = code.parts.iter().skip(1).map(|(from, _)| *from).chain([physical.text.len()]);
        let between = ends.zip(begins).filter(|(from, to)| from < to);
        self.comments.extend(between.map(|(from, to)| Word { start: physical.start + from, end: physical.start + to }));
    }

    /// Goes on behind so many bytes of a line.
    fn go_on_behind(&mut self, line: Line<'t>, bytes: usize) {
        let rest = line.text.get(bytes..).unwrap_or_default();
        let text = rest.trim_start();
        let before = bytes + rest.len() - text.len();
        if !text.is_empty() {
            let indent = line.indent + line.text.get(..before).unwrap_or_default().chars().count() as u32;
            self.behind = Some(Line { number: line.number, start: line.start + before, text, indent });
        }
    }

    /// Passes over a comment that does not end on its line; without an end the rest is read as if there were none.
    fn skip_comment(&mut self, number: u32, start: usize) {
        let Some((_, close)) = &self.layout.block_comment else { return };
        if let Some((line, end)) = self.skip_past(close) {
            self.comments.push(Word { start: line.start, end: line.start + end });
            self.go_on_behind(line, end);
        } else {
            self.torn.push((number, start, Torn::Comment));
        }
    }

    /// Passes over lines up to one that holds a sign: that line, and where in it the sign ends. Where none does, nothing
    /// is passed over.
    fn skip_past(&mut self, sign: &str) -> Option<(Line<'t>, usize)> {
        self.skip(|line| line.text.find(sign).map(|at| (line, at + sign.len())))
    }

    /// Passes over lines up to one for which something is found. Where none is, nothing is passed over; that is looked for
    /// once in a text, so that a hostile one costs no more than its length.
    fn skip<T>(&mut self, found: impl Fn(Line<'t>) -> Option<T>) -> Option<T> {
        if !self.torn.is_empty() {
            return None;
        }
        let before = (self.at, self.lines);
        while let Some(line) = self.physical() {
            if let Some(found) = found(line) {
                return Some(found);
            }
        }
        (self.at, self.lines) = before;
        None
    }

    /// Passes over lines up to one that is this text, blanks around it apart; `begins`: the line of the free text.
    pub(super) fn skip_to_line(&mut self, end: &str, begins: (u32, usize)) {
        if self.skip(|line| (line.text == end.trim()).then_some(())).is_none() {
            self.torn.push((begins.0, begins.1, Torn::FreeText));
        }
    }

    /// Passes over the text from a sign to its next place, and over the line that is on.
    pub(super) fn skip_to_sign(&mut self, from: usize, begins: (u32, usize)) {
        let Some(sign) = self.text.get(from..).and_then(|rest| rest.chars().next()) else { return };
        let body = from + sign.len_utf8();
        let on_line = self.text.get(body..self.at).is_some_and(|line| line.contains(sign));
        if !on_line && self.skip_past(sign.encode_utf8(&mut [0; 4])).is_none() {
            self.torn.push((begins.0, begins.1, Torn::FreeText));
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
    #[case("/* x\n y\n*/ z\na\n/* b */\nc", &[(3, 3, "z"), (4, 0, "a"), (6, 0, "c")])]
    #[case::inside_a_line("a /* was b */ c", &[(1, 0, "a c")])]
    #[case::inside_a_word("a/* was */b", &[(1, 0, "a b")])]
    #[case::before_a_statement("/* x */ a", &[(1, 8, "a")])]
    #[case::two_on_a_line("/* x */ /* y */ a /* z */", &[(1, 16, "a")])]
    #[case::from_line_to_line("a /* b\nc */ d", &[(1, 0, "a"), (2, 5, "d")])]
    #[case::in_quotes_is_none("a \"/* b */\" c", &[(1, 0, "a \"/* b */\" c")])]
    #[case::inline_in_a_block_comment("a /* # */ b", &[(1, 0, "a b")])]
    #[case::block_in_an_inline_comment("a # /* b\nc", &[(1, 0, "a"), (2, 0, "c")])]
    #[case::never_ends("a /* b\nc\nd", &[(1, 0, "a"), (2, 0, "c"), (3, 0, "d")])]
    #[case("a \"# no\" b", &[(1, 0, "a \"# no\" b")])]
    fn statements(#[case] text: &str, #[case] expected: &[(u32, u32, &str)]) {
        let expected: Vec<_> = expected.iter().map(|(n, i, w)| (*n, *i, (*w).to_owned())).collect();
        assert_eq!(told(text), expected);
    }

    #[rstest]
    #[case::as_words("pool=110; // was; off", "pool = 110 ;")]
    #[case::inside_a_word("see http://x;", "see http: / / x ;")]
    #[case::block("pool=110; /* was; off; */ on;", "pool = 110 ; on ;")]
    #[case::right_after_a_sign("pool=110;//x", "pool = 110 ;")]
    fn signs_that_split_may_be_part_of_a_comment_sign(#[case] text: &str, #[case] expected: &str) {
        let layout = Layout {
            splitter: Splitter::new("=;/"),
            inline_comment: Some("//".into()),
            block_comment: Some(("/*".into(), "*/".into())),
            ..Layout::default()
        };
        let mut line = Logical::default();
        assert!(Logicals::new(text, &layout).next(&mut line));
        let words: Vec<&str> = line.words.iter().map(|w| w.of(text)).collect();
        assert_eq!(words.join(" "), expected);
    }

    #[rstest]
    #[case("a /* b\nc", &[(1, 2)])]
    #[case("/* b\nc\n/* d", &[(1, 0), (3, 7)])]
    #[case("a /* b */\nc", &[])]
    fn comments_without_an_end_are_told(#[case] text: &str, #[case] expected: &[(u32, usize)]) {
        let layout = Layout { block_comment: Some(("/*".into(), "*/".into())), ..Layout::default() };
        let mut lines = Logicals::new(text, &layout);
        while lines.next(&mut Logical::default()) {}
        let torn: Vec<_> = lines.torn.iter().map(|(line, offset, _)| (*line, *offset)).collect();
        assert_eq!(torn, expected);
    }
}
