//! Words wrapped to the width of the terminal.

use std::io::{self, Write};

use anstream::adapter::strip_str;

/// Text behind a lead, which may have colours, wrapped; later lines are indented.
pub(crate) fn wrapped(out: &mut dyn Write, lead: &str, indent: usize, text: &str, width: usize) -> io::Result<()> {
    let (plain, later) = (strip_str(lead).to_string(), " ".repeat(indent));
    // Names and paths stay whole where they can: somebody copies them.
    let options = textwrap::Options::new(width)
        .initial_indent(&plain)
        .subsequent_indent(&later)
        .word_separator(textwrap::WordSeparator::AsciiSpace)
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    for (number, line) in textwrap::wrap(text, options).iter().enumerate() {
        match line.strip_prefix(plain.as_str()).filter(|_| number == 0) {
            Some(rest) => writeln!(out, "{lead}{rest}")?,
            None => writeln!(out, "{line}")?,
        }
    }
    Ok(())
}
