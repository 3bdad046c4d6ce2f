//! The lines of a text, with number, offset and indentation.

/// One line, without its end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Line<'t> {
    /// Line number, from 1.
    pub number: u32,
    /// Byte offset of the first character that is no blank.
    pub start: usize,
    /// The line from there on, without blanks at its end.
    pub text: &'t str,
    /// Columns of blanks before it; a tab leads to the next multiple of eight.
    pub indent: u32,
}

/// All lines, blank ones too (their text is empty).
pub fn lines(text: &str) -> impl Iterator<Item = Line<'_>> {
    let mut start = 0;
    let mut number = 0;
    std::iter::from_fn(move || {
        let rest = text.get(start..).filter(|rest| !rest.is_empty())?;
        let end = memchr::memchr(b'\n', rest.as_bytes());
        let whole = rest.get(..end.unwrap_or(rest.len())).unwrap_or_default();
        let body = whole.trim_start_matches([' ', '\t']);
        let blank = whole.get(..whole.len() - body.len()).unwrap_or_default();
        let indent = blank.bytes().fold(0, |column, b| if b == b'\t' { (column / 8 + 1) * 8 } else { column + 1 });
        number += 1;
        let line = Line { number, start: start + blank.len(), text: body.trim_end(), indent };
        start += end.map_or(rest.len(), |e| e + 1);
        Some(line)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn number_offset_and_indent() {
        let text = "a b\r\n\n  c \n\td";
        let read: Vec<_> = lines(text).map(|l| (l.number, l.start, l.text, l.indent)).collect();
        assert_eq!(read, [(1, 0, "a b", 0), (2, 5, "", 0), (3, 8, "c", 2), (4, 12, "d", 8)]);
    }
}
