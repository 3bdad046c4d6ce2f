//! Lines of evidence, quoted with carets under the words that decide.

use std::borrow::Cow;
use std::io::{self, Write};

use unicode_width::UnicodeWidthStr;
use yellowlegs_core::finding::Evidence;
use yellowlegs_core::sorted;

use super::super::clean;
use super::super::look::Look;
use super::super::style::{DIM, PLACE};
use super::super::wrap::wrapped;

/// Columns before a quoted line.
const INDENT: usize = 8;

/// Whether two pieces of evidence are stretches of one line.
pub(super) fn same_line(one: &Evidence, other: &Evidence) -> bool {
    let of = |it: &Evidence| (it.kind, it.file.clone(), it.line, it.left_out);
    one.line.is_some() && of(one) == of(other)
}

/// Place and note, then the line with carets under the words that decide. All the evidence is of one line.
pub(super) fn quote(out: &mut dyn Write, of_line: &[Evidence], note: &str, look: &Look) -> io::Result<()> {
    let width = look.width;
    let Some(first) = of_line.first() else { return Ok(()) };
    let (Some(file), Some(line), Some(column)) = (&first.file, first.line, first.column) else {
        let file = first.file.as_deref().map(|file| clean(file).into_owned()).unwrap_or_default();
        let lead = if file.is_empty() { String::new() } else { format!("{} ", look.paint(PLACE, &file)) };
        return wrapped(out, &format!("      {lead}"), INDENT, &clean(&first.text), width);
    };
    let place = format!("{}:{line}:{column}", clean(file));
    wrapped(out, &format!("      {}  ", look.paint(PLACE, &place)), INDENT, note, width)?;
    let (before, shown, after) = window(of_line, width.saturating_sub(INDENT + 2).max(20));
    writeln!(out, "        {}{}{}", if before > 0 { "…" } else { "" }, clean(&shown), if after { "…" } else { "" })?;
    let mut carets = String::new();
    let mut stretches: Vec<(usize, usize)> = of_line.iter().filter_map(|e| stretch(e, &shown, before)).collect();
    sorted::plain(&mut stretches);
    for (skip, width) in stretches {
        let gap = (skip + usize::from(before > 0)).saturating_sub(carets.len());
        carets.extend(std::iter::repeat_n(' ', gap).chain(std::iter::repeat_n('^', width)));
    }
    writeln!(out, "        {}", look.paint(DIM, &carets))
}

/// The part of a line that is shown: how many characters are left out before it (its indent apart), the part, whether more follows.
fn window(of_line: &[Evidence], width: usize) -> (usize, Cow<'_, str>, bool) {
    let Some(first) = of_line.first() else { return (0, Cow::Borrowed(""), false) };
    let (indent, own) = indent(&first.text);
    let start = of_line.iter().map(|e| e.start().saturating_sub(indent)).min().unwrap_or_default();
    let end = of_line.iter().map(|e| e.start().saturating_sub(indent) + words(e)).max().unwrap_or_default();
    // The words that decide are seen, with some of what stands before them.
    let skip = if end <= width { 0 } else { start.saturating_sub(width / 4) };
    // No line has more characters than bytes: most fit as they are.
    if skip == 0 && own.len() <= width {
        return (0, Cow::Borrowed(own), false);
    }
    let line: Vec<char> = own.chars().collect();
    let shown: String = line.iter().skip(skip).take(width).collect();
    let more = line.len() > skip + width;
    (skip, Cow::Owned(shown), more)
}

/// How many characters of blank a line begins with, and what follows them.
fn indent(line: &str) -> (usize, &str) {
    let own = line.trim_start();
    (line[..line.len() - own.len()].chars().count(), own)
}

fn words(evidence: &Evidence) -> usize {
    evidence.width.unwrap_or(1) as usize
}

/// Where the carets of a piece of evidence begin below what is shown, and how many there are.
fn stretch(evidence: &Evidence, shown: &str, skipped: usize) -> Option<(usize, usize)> {
    let (indent, _) = indent(&evidence.text);
    let start = evidence.start().saturating_sub(indent);
    let end = start + words(evidence);
    let (start, end) = (start.max(skipped) - skipped, end.checked_sub(skipped).filter(|end| *end > 0)?);
    let place = |character: usize| shown.char_indices().nth(character).map_or(shown.len(), |(place, _)| place);
    let (before, below) = (place(start), place(end));
    Some((clean(&shown[..before]).width(), clean(&shown[before..below.max(before)]).width().max(1)))
}

#[cfg(test)]
mod tests {
    use super::super::super::look::Amount;
    use super::super::super::wrap::without_colours;
    use super::*;
    use proptest::prelude::*;
    use yellowlegs_core::finding::EvidenceKind;

    fn quoted(line: &str, stretches: &[(usize, usize)], plain: bool, width: usize) -> String {
        let piece = |(start, long): &(usize, usize)| Evidence {
            file: Some("pier-1/config.txt".into()),
            line: Some(7),
            column: Some(*start as u32 + 1),
            width: Some(*long as u32),
            ..Evidence::words(EvidenceKind::Line, line.to_owned())
        };
        let look = Look { amount: Amount::Usual, each: false, plain, width };
        let (mut out, pieces) = (Vec::new(), stretches.iter().map(piece).collect::<Vec<_>>());
        quote(&mut out, &pieces, "it stands there", &look).unwrap();
        String::from_utf8(out).unwrap()
    }

    proptest! {
        /// Signs of any width, blanks in front, and what a terminal would obey; two stretches, also such as begin behind the end.
        #[test]
        fn without_colours_is_what_is_left_when_they_are_taken_out(
            line in "[ \t]{0,5}[ab\u{e9}\u{6f22}\t\u{1b}\u{202e}]{0,130}",
            stretches in prop::collection::vec((0..140_usize, 1..30_usize), 1..3),
            width in 40..120_usize,
        ) {
            let (plain, painted) = (quoted(&line, &stretches, true, width), quoted(&line, &stretches, false, width));
            let painted_without = without_colours(&painted);
            prop_assert_ne!(&*painted_without, &*painted);
            prop_assert_eq!(&*without_colours(&plain), &*plain);
            prop_assert_eq!(painted_without, plain);
        }

        /// However long the line is, and wherever in it they stand.
        #[test]
        fn carets_stand_below_the_words_that_decide(
            indent in 0..6_usize,
            body in "[a-z0-9]([a-z0-9 ]{0,160}[a-z0-9])?",
            (at, long) in (any::<prop::sample::Index>(), 1..20_usize),
            width in 40..120_usize,
        ) {
            let (line, at) = (format!("{}{body}", " ".repeat(indent)), at.index(body.len()));
            let text = quoted(&line, &[(indent + at, long)], true, width);
            let lines: Vec<&str> = text.lines().collect();
            let [.., shown, carets] = lines[..] else { panic!("{text}") };
            prop_assert!(shown.chars().count() <= width, "{}", text);
            let first = carets.find('^').unwrap();
            let below: String = shown.chars().skip(first).take(carets.len() - first).collect();
            let words: String = body.chars().skip(at).take(long).collect();
            prop_assert!(!below.is_empty() && words.starts_with(&below), "{:?} {:?}\n{}", words, below, text);
            let whole = body.len() + INDENT + 2 <= width;
            prop_assert!(!whole || below == words, "{:?} {:?}\n{}", words, below, text);
        }
    }
}
