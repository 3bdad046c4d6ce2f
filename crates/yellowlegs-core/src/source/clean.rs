//! Text from switches, made safe for whoever shows it.

use std::borrow::Cow;
use std::fmt::Write as _;

/// Whether a terminal could take a character for a command, or turn the text around.
pub(super) fn is_unsafe(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{61c}' | '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{2028}' | '\u{2029}')
        // What nobody sees: soft hyphens, joiners, fillers, variation selectors and tags.
        || matches!(c, '\u{ad}' | '\u{34f}' | '\u{115f}' | '\u{1160}' | '\u{17b4}' | '\u{17b5}' | '\u{180b}'..='\u{180f}')
        || matches!(c, '\u{200b}'..='\u{200d}' | '\u{2060}'..='\u{2065}' | '\u{206a}'..='\u{206f}' | '\u{3164}' | '\u{ffa0}')
        || matches!(c, '\u{e0000}'..='\u{e0fff}')
        // No characters (XML 1.0, 2.2), and marks of the byte order, which nobody sees.
        || matches!(c, '\u{feff}' | '\u{fff9}'..='\u{fffb}' | '\u{fffe}' | '\u{ffff}')
}

/// Whether a text holds nothing but letters, digits and signs of ASCII, and blanks: most do.
pub(super) fn is_plain(text: &str) -> bool {
    // No way out inside a chunk: so many bytes are compared at once.
    let plain = |bytes: &[u8]| bytes.iter().fold(true, |all, byte| all & matches!(byte, b' '..=b'~'));
    text.as_bytes().chunks(64).all(plain)
}

/// Control and direction characters as `\x1b` or `\u{202e}`; a tab becomes a blank.
pub fn clean(text: &str) -> Cow<'_, str> {
    // Of ASCII, the characters that command are the only unsafe ones.
    let is_unsafe_here = |c: char| if c.is_ascii() { c.is_ascii_control() } else { is_unsafe(c) };
    if is_plain(text) || !text.chars().any(is_unsafe_here) {
        return Cow::Borrowed(text);
    }
    let mut cleaned = String::with_capacity(text.len() + 8);
    for c in text.chars() {
        match c {
            '\t' => cleaned.push(' '),
            '\n' => cleaned.push_str("\\n"),
            c if is_unsafe(c) && u32::from(c) < 0x100 => _ = write!(cleaned, "\\x{:02x}", u32::from(c)),
            c if is_unsafe(c) => _ = write!(cleaned, "\\u{{{:x}}}", u32::from(c)),
            c => cleaned.push(c),
        }
    }
    Cow::Owned(cleaned)
}

#[cfg(test)]
mod tests {
    use super::clean;
    use rstest::rstest;

    #[rstest]
    #[case("ticket desk", "ticket desk")]
    #[case("a\x1b[31mb", "a\\x1b[31mb")]
    #[case("a\u{9b}2Jb\x7f", "a\\x9b2Jb\\x7f")]
    #[case("a\tb", "a b")]
    #[case("a\u{202e}b", "a\\u{202e}b")]
    #[case("a\u{feff}b\u{ffff}", "a\\u{feff}b\\u{ffff}")]
    #[case("größe", "größe")]
    #[case("a\u{200b}b\u{ad}c", "a\\u{200b}b\\xadc")]
    #[case("a\u{2060}b\u{e0041}", "a\\u{2060}b\\u{e0041}")]
    fn controls_become_visible(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(clean(text), expected);
    }
}
