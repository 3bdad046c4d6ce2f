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

impl<'t> Line<'t> {
    /// The line of a text that begins at an offset, and where the next begins; `None` at the end of the text.
    #[inline]
    pub fn at(text: &'t str, start: usize, number: u32) -> Option<(Self, usize)> {
        let bytes = text.as_bytes().get(start..).filter(|rest| !rest.is_empty())?;
        let (mut blanks, mut indent) = (0, 0);
        for byte in bytes {
            match byte {
                b' ' => indent += 1,
                b'\t' => indent = (indent / 8 + 1) * 8,
                _ => break,
            }
            blanks += 1;
        }
        let rest = bytes.get(blanks..).unwrap_or_default();
        let length = line_end(rest);
        let (start, width) = (start + blanks, length.unwrap_or(rest.len()));
        let body = text.get(start..start + width).unwrap_or_default();
        // Most lines end in a letter or a digit: nothing to look for then.
        let trimmed = if body.as_bytes().last().is_some_and(u8::is_ascii_graphic) { body } else { body.trim_end() };
        Some((Self { number, start, text: trimmed, indent }, start + width + usize::from(length.is_some())))
    }
}

/// Where the first line of a text ends, if it does. Most are over after some twenty bytes: eight are looked at in one step, in place.
#[inline]
fn line_end(text: &[u8]) -> Option<usize> {
    const ONES: u64 = u64::from_ne_bytes([1; 8]);
    const ENDS: u64 = u64::from_ne_bytes([b'\n'; 8]);
    let (words, rest) = text.as_chunks::<8>();
    for (at, word) in words.iter().enumerate() {
        // The lowest bit that is left stands for the first byte that is zero, and that is a line's end.
        let zero_at_ends = u64::from_le_bytes(*word) ^ ENDS;
        let ends = zero_at_ends.wrapping_sub(ONES) & !zero_at_ends & (ONES << 7);
        if ends != 0 {
            return Some(at * 8 + ends.trailing_zeros() as usize / 8);
        }
    }
    let in_rest = rest.iter().position(|byte| *byte == b'\n')?;
    Some(words.len() * 8 + in_rest)
}

/// All lines, blank ones too (their text is empty).
pub fn lines(text: &str) -> impl Iterator<Item = Line<'_>> {
    let (mut start, mut number) = (0, 0);
    std::iter::from_fn(move || {
        number += 1;
        let (line, next) = Line::at(text, start, number)?;
        start = next;
        Some(line)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// The first end of a line is found, wherever it stands, among bytes that differ from it in one bit as well.
        #[test]
        fn the_first_end_is_found(
            text in prop::collection::vec(prop::sample::select(&b"\n\n\x8a\x0b\x09\x0e a\xff\0"[..]), 0..40),
            plain in prop::collection::vec(b' '..=b'~', 0..40),
        ) {
            for text in [plain.iter().chain(&text).copied().collect(), text] {
                let text: Vec<u8> = text;
                prop_assert_eq!(line_end(&text), text.iter().position(|byte| *byte == b'\n'));
            }
        }
    }

    #[test]
    fn number_offset_and_indent() {
        let text = "a b\r\n\n  c \n\td";
        let read: Vec<_> = lines(text).map(|l| (l.number, l.start, l.text, l.indent)).collect();
        assert_eq!(read, [(1, 0, "a b", 0), (2, 5, "", 0), (3, 8, "c", 2), (4, 12, "d", 8)]);
    }
}
