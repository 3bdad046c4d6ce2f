//! Splitting a line into words.

use crate::source::Word;

/// How a system's lines fall into words: at blanks, and at characters that are words of their own, everywhere or where
/// a word ends.
///
/// A word that begins with a quote goes to the closing one (a backslash guards the next character). A double
/// quote without an end takes the rest of the line; another sign without an end is an ordinary character.
#[derive(Debug, Clone)]
pub struct Splitter {
    /// What each byte can be: every byte of every line is asked.
    can: [u8; 256],
}

/// A blank (ASCII's: a space, a tab, the ends of lines and pages).
const BLANK: u8 = 1;
/// A word of its own.
const ALONE: u8 = 2;
/// A word of its own where a word ends.
const AT_END: u8 = 4;
/// The beginning of a text in quotes.
const QUOTE: u8 = 8;

impl Splitter {
    /// `alone`: the ASCII characters that are words of their own. The quote is `"`.
    pub fn new(alone: &str) -> Self {
        Self::with_quotes(alone, "\"")
    }

    /// The same with other quotes.
    pub fn with_quotes(alone: &str, quotes: &str) -> Self {
        let splitter = Self { can: [0; 256] }.with(" \t\n\x0c\r", BLANK);
        splitter.with(alone, ALONE).with(quotes, QUOTE)
    }

    /// The same with characters that are words of their own only where a word ends: `110:` beside `a:3`.
    #[must_use]
    pub fn with_ends(self, ends: &str) -> Self {
        self.with(ends, AT_END)
    }

    /// The same with ASCII characters that can be something.
    fn with(mut self, signs: &str, what: u8) -> Self {
        for byte in signs.bytes().filter(u8::is_ascii) {
            self.can[usize::from(byte)] |= what;
        }
        self
    }

    /// Whether a byte can be one of these.
    fn is(&self, byte: u8, what: u8) -> bool {
        self.can[usize::from(byte)] & what != 0
    }

    /// Whether a character is a word of its own.
    pub fn stands_alone(&self, byte: u8) -> bool {
        self.is(byte, ALONE)
    }

    /// One past the closing quote, where a quoted text begins at an offset.
    pub fn quoted_end(&self, line: &str, at: usize) -> Option<usize> {
        let bytes = line.as_bytes();
        if self.is(*bytes.get(at)?, QUOTE) { quoted_end(bytes, at) } else { None }
    }

    /// Puts the words of a line into `words`; offsets count from `base`.
    pub fn split(&self, line: &str, base: usize, words: &mut Vec<Word>) {
        words.clear();
        let bytes = line.as_bytes();
        let mut i = 0;
        while let Some(byte) = bytes.get(i).copied() {
            if self.is(byte, BLANK) {
                i += 1;
                continue;
            }
            let quoted = if self.is(byte, QUOTE) { quoted_end(bytes, i) } else { None };
            let end = if let Some(end) = quoted {
                end
            } else if self.is(byte, ALONE) {
                i + 1
            } else {
                let len = bytes[i..].iter().position(|byte| self.is(*byte, BLANK | ALONE));
                len.map_or(bytes.len(), |len| i + len)
            };
            let at_end = bytes[i..end].iter().rev().take_while(|byte| quoted.is_none() && self.is(**byte, AT_END));
            let whole = end - at_end.count();
            if whole > i {
                words.push(Word { start: base + i, end: base + whole });
            }
            words.extend((whole..end).map(|at| Word { start: base + at, end: base + at + 1 }));
            i = end;
        }
    }
}

/// One past the closing quote.
fn quoted_end(bytes: &[u8], start: usize) -> Option<usize> {
    let quote = *bytes.get(start)?;
    let mut i = start + 1;
    while let Some(byte) = bytes.get(i) {
        match byte {
            b'\\' => i += 2,
            byte if *byte == quote => return Some(i + 1),
            _ => i += 1,
        }
    }
    (quote == b'"').then_some(bytes.len())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn words(alone: &str, line: &str) -> Vec<String> {
        let mut words = Vec::new();
        Splitter::new(alone).split(line, 0, &mut words);
        words.iter().map(|w| w.of(line).to_owned()).collect()
    }

    #[rstest]
    #[case("", "a  b\tc", &["a", "b", "c"])]
    #[case("=;", "vlan=10;", &["vlan", "=", "10", ";"])]
    #[case("", r#"note "two words" x"#, &["note", r#""two words""#, "x"])]
    #[case("", r#"note "a \" b" x"#, &["note", r#""a \" b""#, "x"])]
    #[case("", r#"note "no end"#, &["note", r#""no end"#])]
    fn split(#[case] alone: &str, #[case] line: &str, #[case] expected: &[&str]) {
        assert_eq!(words(alone, line), expected);
    }

    #[rstest]
    #[case("pool 110: a:3", &["pool", "110", ":", "a:3"])]
    #[case::several("x:;", &["x", ":", ";"])]
    #[case::alone(": ::", &[":", ":", ":"])]
    #[case::in_quotes("\"a:\" b:", &["\"a:\"", "b", ":"])]
    #[case::before_one_that_splits("a:=b:", &["a", ":", "=", "b", ":"])]
    fn split_where_words_end(#[case] line: &str, #[case] expected: &[&str]) {
        let mut words = Vec::new();
        Splitter::new("=").with_ends(":;").split(line, 0, &mut words);
        assert_eq!(words.iter().map(|w| w.of(line)).collect::<Vec<_>>(), expected);
    }

    /// Every byte of ASCII between two words, and signs that are none: a letter of another script is told by several bytes, which are no signs.
    #[test]
    fn each_byte_is_what_it_was_said_to_be() {
        let splitter = Splitter::with_quotes("=é", "'").with_ends(":ß");
        for byte in 0..128_u8 {
            let line = format!("ab{}cd éßü x{}", char::from(byte), char::from(byte));
            let mut words = Vec::new();
            splitter.split(&line, 0, &mut words);
            let words: Vec<&str> = words.iter().map(|word| word.of(&line)).collect();
            let sign = &line[2..3];
            let (joined, last) = (&line[..5], &line[line.len() - 2..]);
            let expected: &[&str] = match byte {
                b' ' | b'\t' | b'\n' | b'\x0c' | b'\r' => &["ab", "cd", "éßü", "x"],
                b'=' => &["ab", sign, "cd", "éßü", "x", sign],
                b':' => &[joined, "éßü", "x", sign],
                _ => &[joined, "éßü", last],
            };
            assert_eq!(words, expected, "{byte}");
        }
    }

    proptest! {
        #[test]
        fn no_character_but_blanks_is_lost(line in "\\PC*") {
            let kept: String = words(";,", &line).concat();
            let all: String = line.chars().filter(|c| !c.is_ascii_whitespace()).collect();
            prop_assert_eq!(kept.split_ascii_whitespace().collect::<String>(), all);
        }
    }
}
