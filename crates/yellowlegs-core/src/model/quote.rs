//! Lines quoted from a switch's files: around what matters, with what is secret masked.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

use super::{Mark, Switch};
use crate::source::{Place, Source, Word};

/// Where the lines of one file can be found again.
#[derive(Debug, Clone)]
pub enum FileText {
    /// The file's text.
    Text {
        /// It.
        source: Arc<Source>,
        /// The stretches that are never shown.
        secrets: Arc<[Word]>,
        /// Words that nobody understands, and comments: unmarked secrets may be among them. Shown only raw.
        hidden: Arc<[Word]>,
    },
    /// The few lines that a record carries.
    Quoted {
        /// The file's path.
        path: Arc<str>,
        /// Line number and text.
        lines: BTreeMap<u32, String>,
        /// Of long lines, by line number and the column of what matters from 0, the part around it and what is left out before it.
        parts: BTreeMap<(u32, u32), (String, u32)>,
    },
}

/// A line quoted with its place and the stretch that matters.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Quote {
    /// Where the stretch begins.
    pub place: Place,
    /// The stretch's width in characters.
    pub width: u32,
    /// The line; of a long one the part around the stretch, with an ellipsis where something is left out.
    pub text: String,
    /// Of a part of a line, how many of its characters stand before it.
    pub left_out: Option<u32>,
}

/// The same, as it stands in its file where nothing is masked or left out.
pub(crate) struct Quoted<'s> {
    pub(crate) file: &'s Arc<str>,
    pub(crate) line: u32,
    pub(crate) column: u32,
    pub(crate) width: u32,
    pub(crate) text: Cow<'s, str>,
    pub(crate) left_out: Option<u32>,
}

impl From<Quoted<'_>> for Quote {
    fn from(quoted: Quoted<'_>) -> Self {
        let Quoted { file, line, column, width, text, left_out } = quoted;
        Self { place: Place { file: Arc::clone(file), line, column }, width, text: text.into_owned(), left_out }
    }
}

impl Switch {
    /// Quotes a line: secrets are masked, and what nobody understands on it.
    pub fn quote(&self, mark: Mark) -> Option<Quote> {
        self.quoted(mark, false).map(Quote::from)
    }

    /// Quotes a line with what nobody understands on it; secrets are masked all the same.
    pub fn quote_raw(&self, mark: Mark) -> Option<Quote> {
        self.quoted(mark, true).map(Quote::from)
    }

    /// The whole line of a mark, however long. `raw`: with what nobody understands on it.
    pub fn line(&self, mark: Mark, raw: bool) -> Option<String> {
        match self.files.get(usize::from(mark.file))? {
            FileText::Text { source, secrets, hidden } => {
                Some(shown(source, mark, secrets, if raw { &[] } else { hidden }).0.into_owned())
            }
            FileText::Quoted { lines, .. } => lines.get(&mark.line).cloned(),
        }
    }

    /// The same without a copy of what stands in the file. `raw`: with what nobody understands on the line.
    pub(crate) fn quoted(&self, mark: Mark, raw: bool) -> Option<Quoted<'_>> {
        match self.files.get(usize::from(mark.file))? {
            FileText::Text { source, secrets, hidden } => {
                let start = mark.offset as usize;
                let words = source.text().get(start..start + mark.width as usize).unwrap_or_default();
                let (shown, column) = shown(source, mark, secrets, if raw { &[] } else { hidden });
                let width = words.chars().count() as u32;
                let (text, left_out) = around(shown, column, width);
                Some(Quoted { file: source.path(), line: mark.line, column, width, text, left_out })
            }
            FileText::Quoted { path, lines, parts } => {
                let part = parts.get(&(mark.line, mark.offset)).map(|(text, before)| (text, Some(*before)));
                let (text, left_out) = part.or_else(|| Some((lines.get(&mark.line)?, None)))?;
                let (column, width, text) = (mark.offset + 1, mark.width, Cow::from(text));
                Some(Quoted { file: path, line: mark.line, column, width, text, left_out })
            }
        }
    }
}

/// The whole line of a mark without its secrets, and without what is hidden besides; and the column of the mark.
fn shown<'s>(source: &'s Source, mark: Mark, secrets: &[Word], hidden: &[Word]) -> (Cow<'s, str>, u32) {
    let (line, begins, column) = source.line_around(mark.offset as usize);
    (masked(masked(line.into(), begins, secrets), begins, hidden), column)
}

/// Lines of up to so many bytes are quoted whole.
const WHOLE: usize = 1000;
/// Of longer ones, so many characters of the stretch that matters, and as many on each side of it.
const AROUND: usize = 150;

/// What is shown of a line: a list of a thousand ports on one line is not told a thousand times.
fn around(line: Cow<'_, str>, column: u32, width: u32) -> (Cow<'_, str>, Option<u32>) {
    if line.len() <= WHOLE {
        return (line, None);
    }
    let start = column.saturating_sub(1) as usize;
    let from = start.saturating_sub(AROUND);
    let most = start - from + AROUND.min(width as usize) + AROUND;
    let mut rest = line.chars().skip(from);
    let shown: String = rest.by_ref().take(most).collect();
    let sign = |cut: bool| if cut { "…" } else { "" };
    // The ellipsis stands in the place of the last that is left out.
    let text = format!("{}{shown}{}", sign(from > 0), sign(rest.next().is_some()));
    (text.into(), Some(from.saturating_sub(1) as u32))
}

/// A line with some stretches masked, also those that begin before it or go on behind it; what follows them keeps its
/// column.
fn masked<'l>(line: Cow<'l, str>, begins: usize, stretches: &[Word]) -> Cow<'l, str> {
    let ends = begins + line.len();
    let first = stretches.partition_point(|stretch| stretch.end <= begins);
    let mut here = stretches.iter().skip(first).take_while(|stretch| stretch.start < ends).peekable();
    // Most lines have nothing to hide.
    if here.peek().is_none() {
        return line;
    }
    let mut shown: Vec<u8> = line.as_bytes().to_vec();
    for stretch in here {
        let (from, to) = (stretch.start.max(begins) - begins, stretch.end.min(ends) - begins);
        // As many bytes, so that the next one's place still holds; as wide in characters where they are plain ones.
        if line.is_char_boundary(from) && line.is_char_boundary(to) {
            shown[from..to].fill(b'*');
        }
    }
    Cow::Owned(String::from_utf8_lossy(&shown).into_owned())
}

/// Stretches in the order of the text, those that meet made one.
fn disjoint(mut stretches: Vec<Word>) -> Vec<Word> {
    stretches.sort_unstable();
    stretches.dedup_by(|next, before| {
        let meets = next.start <= before.end;
        before.end = if meets { before.end.max(next.end) } else { before.end };
        meets
    });
    stretches
}

impl FileText {
    /// The place of a file that is not there.
    pub(crate) fn none() -> Self {
        Self::Quoted { path: "".into(), lines: BTreeMap::new(), parts: BTreeMap::new() }
    }

    /// A text with the stretches that are never shown.
    pub(crate) fn text(source: Arc<Source>, secrets: Vec<Word>, hidden: Vec<Word>) -> Self {
        Self::Text { source, secrets: disjoint(secrets).into(), hidden: disjoint(hidden).into() }
    }

    /// The stretches that are never shown, and those that are shown only raw.
    pub(crate) fn never_shown(&self) -> Option<(&[Word], &[Word])> {
        match self {
            Self::Text { secrets, hidden, .. } => Some((secrets, hidden)),
            Self::Quoted { .. } => None,
        }
    }

    /// The file's path, relative to the fleet's root.
    pub fn path(&self) -> &str {
        match self {
            Self::Text { source, .. } => source.path(),
            Self::Quoted { path, .. } => path,
        }
    }
}
