//! Tables with aligned columns: where columns begin, and which words of a row stand in which.

use std::borrow::Cow;

use super::Table;

/// A word of a line by columns of the screen: where it begins and ends, the byte it begins at, and its text.
#[derive(Debug, Clone, Copy)]
pub(in crate::dialect) struct Placed<'t> {
    pub(in crate::dialect) from: usize,
    pub(in crate::dialect) to: usize,
    pub(in crate::dialect) at: usize,
    pub(in crate::dialect) text: &'t str,
}

/// What stands between words: white space, and signs that border tables.
#[derive(Debug, Clone)]
pub(in crate::dialect) struct Blanks {
    borders: String,
    /// By byte, whether it is one by itself.
    bytes: [bool; 256],
}

impl Blanks {
    pub(in crate::dialect) fn of(borders: &str) -> Self {
        let mut bytes = [false; 256];
        let always = "\t\n\u{b}\u{c}\r ".bytes();
        always.chain(borders.bytes().filter(u8::is_ascii)).for_each(|byte| bytes[usize::from(byte)] = true);
        Self { borders: borders.to_owned(), bytes }
    }

    fn has_byte(&self, byte: u8) -> bool {
        self.bytes[usize::from(byte)]
    }

    fn has(&self, sign: char) -> bool {
        sign.is_whitespace() || (!self.borders.is_empty() && self.borders.contains(sign))
    }
}

/// Puts the words of a line into `words`, by their columns; tabs lead to multiples of eight.
pub(in crate::dialect) fn place<'t>(line: &'t str, blanks: &Blanks, words: &mut Vec<Placed<'t>>) {
    words.clear();
    if line.is_ascii() {
        return place_bytes(line, blanks, words);
    }
    let mut column = 0;
    let mut begun: Option<(usize, usize)> = None;
    let mut word = |at: usize, from: usize, end: usize, to: usize| {
        words.push(Placed { from, to, at, text: line.get(at..end).unwrap_or_default() });
    };
    for (at, sign) in line.char_indices() {
        match (blanks.has(sign), begun) {
            (false, None) => begun = Some((at, column)),
            (true, Some((start, from))) => {
                word(start, from, at, column);
                begun = None;
            }
            _ => {}
        }
        column = if sign == '\t' { (column / 8 + 1) * 8 } else { column + 1 };
    }
    if let Some((start, from)) = begun {
        word(start, from, line.len(), column);
    }
}

/// The same of a line whose signs are a byte each.
fn place_bytes<'t>(line: &'t str, blanks: &Blanks, words: &mut Vec<Placed<'t>>) {
    let (bytes, mut at, mut column) = (line.as_bytes(), 0, 0);
    while let Some(byte) = bytes.get(at) {
        if blanks.has_byte(*byte) {
            column = if *byte == b'\t' { (column / 8 + 1) * 8 } else { column + 1 };
            at += 1;
            continue;
        }
        let rest = &bytes[at..];
        let width = rest.iter().position(|byte| blanks.has_byte(*byte)).unwrap_or(rest.len());
        let text = line.get(at..at + width).unwrap_or_default();
        words.push(Placed { from: column, to: column + width, at, text });
        (at, column) = (at + width, column + width);
    }
}

/// The words of a line by their columns.
pub(in crate::dialect) fn placed<'t>(line: &'t str, borders: &str) -> Vec<Placed<'t>> {
    let mut words = Vec::new();
    place(line, &Blanks::of(borders), &mut words);
    words
}

/// Whether a line is only a ruler under or over a table.
pub(in crate::dialect) fn is_ruler(line: &str) -> bool {
    line.chars().all(|c| c.is_whitespace() || "-=+|_~".contains(c))
}

/// The columns of a table under a heading: how many, and for each that is there, where its title stands.
#[derive(Debug, Clone, Default)]
pub(in crate::dialect) struct Heading {
    columns: usize,
    titles: Vec<(usize, usize, usize)>,
}

impl Heading {
    /// By where the titles stand, of the first column on; `None` for one that is missing.
    pub(in crate::dialect) fn of(titles: impl Iterator<Item = Option<(usize, usize)>>) -> Self {
        let mut heading = Self::default();
        for title in titles {
            heading.titles.extend(title.map(|(from, to)| (heading.columns, from, to)));
            heading.columns += 1;
        }
        heading
    }

    /// The column that each word of a row stands in. A word belongs to the title it stands under; one that stands under
    /// none goes with the word before it where only a blank is between them, else to the title that begins before it.
    pub(super) fn columns_of(&self, words: &[Placed<'_>]) -> impl Iterator<Item = usize> {
        let mut before: Option<(usize, usize)> = None;
        words.iter().map(move |word| {
            let titles = &self.titles;
            let under = titles.iter().find(|(_, from, to)| word.from < *to && *from < word.to).map(|(i, ..)| *i);
            let beside = before.filter(|(_, end)| word.from <= end + 1).map(|(column, _)| column);
            let after = || titles.iter().rev().find(|(_, from, _)| *from <= word.from).or(titles.first());
            // A long cell may run on under the next title; a word of that one's own stands in line with it.
            let column = match (under, beside) {
                (Some(under), Some(beside)) if under > beside && !aligned(titles, under, word) => beside,
                (Some(under), _) => under,
                (None, Some(beside)) => beside,
                (None, None) => after().map_or(0, |(i, ..)| *i),
            };
            before = Some((column, word.to));
            column
        })
    }

    /// What stands in the columns of a row: its words, with one blank between them.
    pub(in crate::dialect) fn cells<'t>(&self, line: &'t str, words: &[Placed<'t>]) -> Vec<Cow<'t, str>> {
        let mut cells = vec![Cow::Borrowed(""); self.columns];
        // Where the cells end that are stretches of the line.
        let mut last: Option<(usize, usize)> = None;
        for (word, column) in words.iter().zip(self.columns_of(words)) {
            let Some(cell) = cells.get_mut(column) else { continue };
            let end = word.at + word.text.len();
            let goes_on = last.is_some_and(|(before, to)| before == column && line.get(to..word.at) == Some(" "));
            match cell {
                Cow::Borrowed("") => *cell = Cow::Borrowed(word.text),
                Cow::Borrowed(so_far) if goes_on => {
                    *cell = Cow::Borrowed(line.get(word.at - 1 - so_far.len()..end).unwrap_or_default());
                }
                _ => {
                    let cell = cell.to_mut();
                    cell.push(' ');
                    cell.push_str(word.text);
                }
            }
            last = Some((column, end));
        }
        cells
    }
}

/// Reads a line as the heading of a table: its titles in their order and no other words.
pub(super) fn heading(table: &Table, words: &[Placed<'_>], same: impl Fn(&str, &str) -> bool) -> Option<Heading> {
    let mut at = 0;
    let mut columns = Vec::new();
    for column in &table.columns {
        // Most lines are no heading: that is seen by the first word of a title.
        let mut end = at;
        let fits = column.title.split_whitespace().all(|title| {
            let is_it = words.get(end).is_some_and(|word| same(title, word.text));
            end += usize::from(is_it);
            is_it
        });
        let here = if fits { words.get(at..end).filter(|here| !here.is_empty()) } else { None };
        match here {
            Some(here) => {
                columns.push(Some((here.first()?.from, here.last()?.to)));
                at = end;
            }
            None if column.optional => columns.push(None),
            None => return None,
        }
    }
    (at == words.len() && at > 0).then(|| Heading::of(columns.into_iter()))
}

/// Whether a word begins where the title above it begins, or ends where that ends.
fn aligned(titles: &[(usize, usize, usize)], column: usize, word: &Placed<'_>) -> bool {
    titles.iter().any(|(i, from, to)| *i == column && (word.from == *from || word.to == *to))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn row(title: &str, line: &str) -> Vec<String> {
        let heading = Heading::of(placed(title, "").iter().map(|w| Some((w.from, w.to))));
        heading.cells(line, &placed(line, "|")).into_iter().map(Cow::into_owned).collect()
    }

    const TITLE: &str = "Port   Name          Stations  Age";

    #[rstest]
    #[case::left("1.1    quay          3         5", &["1.1", "quay", "3", "5"])]
    #[case::right("1.10   quay                 3    5", &["1.10", "quay", "3", "5"])]
    #[case::missing("1.1                  3", &["1.1", "", "3", ""])]
    #[case::two_words("1.1    quay one      3         5", &["1.1", "quay one", "3", "5"])]
    #[case::wide("1.1    a very long name indeed", &["1.1", "a very long name indeed", "", ""])]
    #[case::tabs("1.1\tquay\t\t3", &["1.1", "quay", "3", ""])]
    #[case::border("1.1   |quay|one    | 3         5", &["1.1", "quay one", "3", "5"])]
    #[case::two_blanks("1.1    quay  one     3         5", &["1.1", "quay one", "3", "5"])]
    #[case::two_blanks_then_one("1.1    a  b c", &["1.1", "a b c", "", ""])]
    #[case::one_blank_then_two("1.1    a b  c", &["1.1", "a b c", "", ""])]
    #[case::under_its_own("     x 1", &["x", "1", "", ""])]
    #[case::continued("       two", &["", "two", "", ""])]
    fn words_stand_under_their_titles(#[case] line: &str, #[case] expected: &[&str]) {
        assert_eq!(row(TITLE, line), expected);
    }

    #[rstest]
    #[case("-----  ---- ", true)]
    #[case("+----+----+", true)]
    #[case("1.1 ---", false)]
    fn rulers(#[case] line: &str, #[case] expected: bool) {
        assert_eq!(is_ruler(line), expected);
    }

    proptest! {
        /// A line of one-byte signs has its words where the same line with another sign behind it has them.
        #[test]
        fn words_are_placed_alike_in_both_ways(line in "[ \\t\u{b}\u{c}\r\u{1c}|a-c:.]{0,24}", borders in "[|:]{0,2}") {
            let longer = format!("{line} \u{e9}");
            let mut wide = placed(&longer, &borders);
            prop_assert_eq!(wide.pop().map(|word| word.text), Some("\u{e9}"));
            let shown = |words: &[Placed<'_>]| {
                words.iter().map(|w| (w.from, w.to, w.at, w.text.to_owned())).collect::<Vec<_>>()
            };
            prop_assert_eq!(shown(&placed(&line, &borders)), shown(&wide));
        }
    }
}
