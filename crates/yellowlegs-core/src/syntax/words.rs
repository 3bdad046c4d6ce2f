//! Splitting a line into words.

/// A word as byte offsets in the text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Word {
    /// First byte.
    pub start: usize,
    /// One past the last byte.
    pub end: usize,
}

impl Word {
    /// The word itself; empty when the offsets are of another text.
    pub fn of(self, text: &str) -> &str {
        text.get(self.start..self.end).unwrap_or_default()
    }
}

/// How a system's lines fall into words: at blanks, and at characters that are words of their own.
///
/// A word that begins with `"` goes to the closing `"` (a backslash guards the next character), or
/// to the end of the line when none comes.
#[derive(Debug, Clone)]
pub struct Splitter {
    alone: [bool; 128],
}

impl Splitter {
    /// `alone`: the ASCII characters that are words of their own.
    pub fn new(alone: &str) -> Self {
        let mut table = [false; 128];
        for byte in alone.bytes().filter(u8::is_ascii) {
            table[usize::from(byte)] = true;
        }
        Self { alone: table }
    }

    fn stands_alone(&self, byte: u8) -> bool {
        self.alone.get(usize::from(byte)).copied().unwrap_or(false)
    }

    /// Puts the words of a line into `words`; offsets count from `base`.
    pub fn split(&self, line: &str, base: usize, words: &mut Vec<Word>) {
        words.clear();
        let bytes = line.as_bytes();
        let mut i = 0;
        while let Some(byte) = bytes.get(i).copied() {
            if byte.is_ascii_whitespace() {
                i += 1;
                continue;
            }
            let end = if byte == b'"' {
                quoted_end(bytes, i)
            } else if self.stands_alone(byte) {
                i + 1
            } else {
                let len = bytes[i..].iter().position(|b| b.is_ascii_whitespace() || self.stands_alone(*b));
                len.map_or(bytes.len(), |len| i + len)
            };
            words.push(Word { start: base + i, end: base + end });
            i = end;
        }
    }
}

fn quoted_end(bytes: &[u8], start: usize) -> usize {
    let mut i = start + 1;
    while let Some(byte) = bytes.get(i) {
        match byte {
            b'\\' => i += 2,
            b'"' => return i + 1,
            _ => i += 1,
        }
    }
    bytes.len()
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

    proptest! {
        #[test]
        fn no_character_but_blanks_is_lost(line in "\\PC*") {
            let kept: String = words(";,", &line).concat();
            let all: String = line.chars().filter(|c| !c.is_ascii_whitespace()).collect();
            prop_assert_eq!(kept.split_ascii_whitespace().collect::<String>(), all);
        }
    }
}
