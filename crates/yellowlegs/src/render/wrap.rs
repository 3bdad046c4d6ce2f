//! Words wrapped to the width of the terminal.

use std::borrow::Cow;
use std::io::{self, Write};

use anstream::adapter::strip_str;

/// Text behind a lead, which may have colours, wrapped; later lines are indented.
pub(crate) fn wrapped(out: &mut dyn Write, lead: &str, indent: usize, text: &str, width: usize) -> io::Result<()> {
    wrapped_behind(out, (lead, &without_colours(lead)), indent, text, width)
}

/// The same behind a lead that is known without its colours, too.
pub(crate) fn wrapped_behind(
    out: &mut dyn Write,
    (lead, plain): (&str, &str),
    indent: usize,
    text: &str,
    width: usize,
) -> io::Result<()> {
    // No sign is wider than it has bytes: most texts fit as they are.
    if plain.len() + text.len() <= width
        && !text.is_empty()
        && !text.starts_with(' ')
        && !text.ends_with(' ')
        && !text.contains('\n')
    {
        return writeln!(out, "{lead}{text}");
    }
    let later = " ".repeat(indent);
    for (number, line) in lines(plain, &later, text, width).iter().enumerate() {
        match line.strip_prefix(plain).filter(|_| number == 0) {
            Some(rest) => writeln!(out, "{lead}{rest}")?,
            None => writeln!(out, "{line}")?,
        }
    }
    Ok(())
}

/// A text without its colours.
pub(crate) fn without_colours(text: &str) -> Cow<'_, str> {
    if text.contains('\u{1b}') { Cow::Owned(strip_str(text).to_string()) } else { Cow::Borrowed(text) }
}

fn lines<'t>(lead: &str, later: &str, text: &'t str, width: usize) -> Vec<Cow<'t, str>> {
    // Names and paths stay whole where they can: somebody copies them.
    let options = textwrap::Options::new(width)
        .initial_indent(lead)
        .subsequent_indent(later)
        .word_separator(textwrap::WordSeparator::AsciiSpace)
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    textwrap::wrap(text, options)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// What fits is written as it is; it reads as if it had been wrapped, colours or none, wide signs, blanks at either end and lines of its own.
        #[test]
        fn what_fits_is_what_is_wrapped(lead in "[ a:]{0,6}", bold in any::<bool>(), text in "[ab\u{e9}\u{6f22}\n]{0,4}( {0,2}[ab\u{e9}\u{6f22}-]{1,6}){0,4} ?", width in 4_usize..40) {
            let painted = if bold { super::super::style::paint(super::super::style::BOLD, &lead) } else { lead.clone() };
            let mut out = Vec::new();
            wrapped(&mut out, &painted, 2, &text, width).unwrap();
            let told = strip_str(&String::from_utf8(out).unwrap()).to_string();
            let plain = lines(&lead, "  ", &text, width).join("\n") + "\n";
            prop_assert_eq!(told, plain);
        }
    }
}
