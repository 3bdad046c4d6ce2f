//! Lines of evidence, quoted with carets under the words that decide.

use std::io::{self, Write};

use unicode_width::UnicodeWidthStr;
use yellowlegs_core::finding::Evidence;

use super::super::clean;
use super::super::style::{DIM, PLACE, paint};
use super::super::wrap::wrapped;

/// Columns before a quoted line.
const INDENT: usize = 8;

/// Whether two pieces of evidence are stretches of one line.
pub(super) fn same_line(one: &Evidence, other: &Evidence) -> bool {
    let of = |it: &Evidence| (it.kind, it.file.clone(), it.line, it.left_out);
    one.line.is_some() && of(one) == of(other)
}

/// Place and note, then the line with carets under the words that decide. All the evidence is of one line.
pub(super) fn quote(out: &mut dyn Write, of_line: &[Evidence], note: &str, width: usize) -> io::Result<()> {
    let Some(first) = of_line.first() else { return Ok(()) };
    let (Some(file), Some(line), Some(column)) = (&first.file, first.line, first.column) else {
        let file = first.file.as_deref().map(|file| clean(file).into_owned()).unwrap_or_default();
        let lead = if file.is_empty() { String::new() } else { format!("{} ", paint(PLACE, &file)) };
        return wrapped(out, &format!("      {lead}"), INDENT, &clean(&first.text), width);
    };
    let place = format!("{}:{line}:{column}", clean(file));
    wrapped(out, &format!("      {}  ", paint(PLACE, &place)), INDENT, note, width)?;
    let (before, shown, after) = window(of_line, width.saturating_sub(INDENT + 2).max(20));
    writeln!(out, "        {}{}{}", if before > 0 { "…" } else { "" }, clean(&shown), if after { "…" } else { "" })?;
    let mut carets = String::new();
    let mut stretches: Vec<(usize, usize)> = of_line.iter().filter_map(|e| stretch(e, &shown, before)).collect();
    stretches.sort_unstable();
    for (skip, width) in stretches {
        let gap = (skip + usize::from(before > 0)).saturating_sub(carets.len());
        carets.extend(std::iter::repeat_n(' ', gap).chain(std::iter::repeat_n('^', width)));
    }
    writeln!(out, "        {}", paint(DIM, &carets))
}

/// The part of a line that is shown: how many characters are left out before it (its indent apart), the part, whether more follows.
fn window(of_line: &[Evidence], width: usize) -> (usize, String, bool) {
    let Some(first) = of_line.first() else { return (0, String::new(), false) };
    let indent = first.text.chars().count() - first.text.trim_start().chars().count();
    let line: Vec<char> = first.text.chars().skip(indent).collect();
    let start = of_line.iter().map(|e| e.start().saturating_sub(indent)).min().unwrap_or_default();
    let end = of_line.iter().map(|e| e.start().saturating_sub(indent) + words(e)).max().unwrap_or_default();
    // The words that decide are seen, with some of what stands before them.
    let skip = if end <= width { 0 } else { start.saturating_sub(width / 4) };
    let shown: String = line.iter().skip(skip).take(width).collect();
    let more = line.len() > skip + width;
    (skip, shown, more)
}

fn words(evidence: &Evidence) -> usize {
    evidence.width.unwrap_or(1) as usize
}

/// Where the carets of a piece of evidence begin below what is shown, and how many there are.
fn stretch(evidence: &Evidence, shown: &str, skipped: usize) -> Option<(usize, usize)> {
    let indent = evidence.text.chars().count() - evidence.text.trim_start().chars().count();
    let start = evidence.start().saturating_sub(indent);
    let end = start + words(evidence);
    let (start, end) = (start.max(skipped) - skipped, end.checked_sub(skipped).filter(|end| *end > 0)?);
    let before: String = shown.chars().take(start).collect();
    let below: String = shown.chars().skip(start).take(end - start).collect();
    Some((clean(&before).width(), clean(&below).width().max(1)))
}
