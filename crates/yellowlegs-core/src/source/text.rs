//! One file's text: decoded once, with its lines findable.

use std::sync::Arc;

use super::{At, Explain, Place};

/// Longest line that is read, in bytes. Configurations and tables stay far below it.
pub const MAX_LINE_BYTES: usize = 65_536;

/// Why bytes are no text that can be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TextProblem {
    /// A zero byte: the file is binary, or in a two-byte encoding.
    #[error("this is not text: it holds a zero byte")]
    Binary,
    /// See [`LineTooLong`].
    #[error(transparent)]
    LineTooLong(#[from] LineTooLong),
    /// More lines or bytes than places can count.
    #[error("the file is too large: {bytes} bytes; at most 1 GiB is read")]
    TooLarge {
        /// Its size.
        bytes: usize,
    },
}

/// A line above [`MAX_LINE_BYTES`].
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the line is {bytes} bytes long; at most {MAX_LINE_BYTES} are read")]
pub struct LineTooLong {
    /// Its length.
    pub bytes: usize,
}

impl Explain for TextProblem {
    fn hint(&self) -> Option<String> {
        Some(match self {
            Self::Binary => "save the switch's output as plain text (UTF-8 or ASCII)".into(),
            Self::LineTooLong(_) => {
                "a list of a policy or a dialect may go over many lines. Of a switch: is this the right file? \
                 Save its output with its line ends, or narrow [files] in the policy"
                    .into()
            }
            Self::TooLarge { .. } => "split the file by switch, or narrow [files] in the policy".into(),
        })
    }
}

/// The text of one file. Bytes that are no UTF-8 become U+FFFD; a byte-order mark is left out.
#[derive(Debug, Clone)]
pub struct Source {
    path: Arc<str>,
    text: String,
    start: usize,
}

impl Source {
    /// Decodes a file.
    pub fn decode(path: impl Into<Arc<str>>, bytes: Vec<u8>) -> Result<Self, At<TextProblem>> {
        let path = path.into();
        let start = if bytes.starts_with(&[0xEF, 0xBB, 0xBF]) { 3 } else { 0 };
        let at = |problem, offset: usize| At { place: locate(&path, &bytes, offset), problem };
        if bytes.len() > 1 << 30 {
            return Err(at(TextProblem::TooLarge { bytes: bytes.len() }, 0));
        }
        if let Some(offset) = memchr::memchr(0, &bytes) {
            return Err(at(TextProblem::Binary, offset));
        }
        let mut line_start = 0;
        // A text that is shorter than the longest line has none that is longer.
        let lines = if bytes.len() > MAX_LINE_BYTES { &bytes[..] } else { &[] };
        for end in memchr::memchr_iter(b'\n', lines).chain([lines.len()]) {
            let length = end - line_start;
            if length > MAX_LINE_BYTES {
                return Err(at(TextProblem::LineTooLong(LineTooLong { bytes: length }), line_start));
            }
            line_start = end + 1;
        }
        let text = String::from_utf8(bytes).unwrap_or_else(|e| String::from_utf8_lossy(e.as_bytes()).into_owned());
        Ok(Self { path, text, start })
    }

    /// A text that is one already.
    pub fn of(path: impl Into<Arc<str>>, text: impl Into<String>) -> Self {
        Self { path: path.into(), text: text.into(), start: 0 }
    }

    /// Path relative to the fleet's root.
    pub fn path(&self) -> &Arc<str> {
        &self.path
    }

    /// The decoded text.
    pub fn text(&self) -> &str {
        self.text.get(self.start..).unwrap_or_default()
    }

    /// A line's text without its end, counted from 1. Walks the text: for the few lines that are shown.
    pub fn line(&self, number: u32) -> Option<&str> {
        self.text().lines().nth((number as usize).checked_sub(1)?)
    }

    /// The whole line around a byte offset, without its end, where it begins, and the offset's column in characters, from 1.
    pub fn line_around(&self, offset: usize) -> (&str, usize, u32) {
        let text = self.text();
        let offset = offset.min(text.len());
        let start = memchr::memrchr(b'\n', text.as_bytes().get(..offset).unwrap_or_default()).map_or(0, |i| i + 1);
        let rest = text.get(start..).unwrap_or_default();
        let line = match memchr::memchr(b'\n', rest.as_bytes()) {
            Some(end) => rest.get(..end).map(|line| line.strip_suffix('\r').unwrap_or(line)).unwrap_or_default(),
            None => rest,
        };
        let column = text.get(start..offset).map_or(0, |before| before.chars().count() as u32) + 1;
        (line, start, column)
    }

    /// Place of a byte offset. Walks the text: for the few places that are shown.
    pub fn place(&self, offset: usize) -> Place {
        locate(&self.path, self.text().as_bytes(), offset)
    }
}

fn locate(path: &Arc<str>, bytes: &[u8], offset: usize) -> Place {
    let before = bytes.get(..offset).unwrap_or(bytes);
    let line = memchr::memchr_iter(b'\n', before).count() as u32 + 1;
    let line_start = memchr::memrchr(b'\n', before).map_or(0, |i| i + 1);
    let column = String::from_utf8_lossy(before.get(line_start..).unwrap_or_default()).chars().count() as u32 + 1;
    Place { file: Arc::clone(path), line, column }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::zero_byte(b"ab\nc\0d".to_vec(), TextProblem::Binary, (2, 2))]
    #[case::one_long_line([b"a\n".to_vec(), vec![b'x'; 70_000]].concat(), TextProblem::LineTooLong(LineTooLong { bytes: 70_000 }), (2, 1))]
    fn what_is_no_text_is_refused_with_its_place(
        #[case] bytes: Vec<u8>,
        #[case] problem: TextProblem,
        #[case] at: (u32, u32),
    ) {
        let error = Source::decode("f", bytes).unwrap_err();
        assert_eq!((error.problem, error.place.line, error.place.column), (problem, at.0, at.1));
    }

    #[rstest]
    #[case(b"\xEF\xBB\xBFone\r\ntwo", 2, "two")]
    #[case(b"caf\xE9 x", 1, "caf\u{FFFD} x")]
    fn bytes_become_lines(#[case] bytes: &[u8], #[case] line: u32, #[case] text: &str) {
        assert_eq!(Source::decode("f", bytes.to_vec()).unwrap().line(line), Some(text));
    }

    #[test]
    fn columns_are_characters() {
        let source = Source::of("f", "é é x");
        assert_eq!(source.place("é é ".len()).column, 5);
    }
}
