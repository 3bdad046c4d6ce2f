//! Tables with aligned columns: where columns begin, and which words of a row stand in which.

use super::Table;

/// A word of a line by columns of the screen: where it begins and ends, and its text.
#[derive(Debug, Clone, Copy)]
pub(in crate::dialect) struct Placed<'t> {
    pub(in crate::dialect) from: usize,
    pub(in crate::dialect) to: usize,
    pub(in crate::dialect) text: &'t str,
}

/// The words of a line by their columns; tabs lead to multiples of eight, border signs are blanks.
pub(in crate::dialect) fn placed<'t>(line: &'t str, borders: &str) -> Vec<Placed<'t>> {
    let mut words: Vec<Placed<'t>> = Vec::new();
    let mut column = 0;
    let mut begun: Option<(usize, usize)> = None;
    for (at, sign) in line.char_indices() {
        let blank = sign.is_whitespace() || borders.contains(sign);
        match (blank, begun) {
            (false, None) => begun = Some((at, column)),
            (true, Some((start, from))) => {
                words.push(Placed { from, to: column, text: line.get(start..at).unwrap_or_default() });
                begun = None;
            }
            _ => {}
        }
        column = if sign == '\t' { (column / 8 + 1) * 8 } else { column + 1 };
    }
    if let Some((start, from)) = begun {
        words.push(Placed { from, to: column, text: line.get(start..).unwrap_or_default() });
    }
    words
}

/// Whether a line is only a ruler under or over a table.
pub(in crate::dialect) fn is_ruler(line: &str) -> bool {
    line.chars().all(|c| c.is_whitespace() || "-=+|_~".contains(c))
}

/// The columns of a table under a heading: for each, where its title stands; `None` for one that is missing.
pub(in crate::dialect) type Heading = Vec<Option<(usize, usize)>>;

/// Reads a line as the heading of a table: its titles in their order and no other words.
pub(super) fn heading(table: &Table, words: &[Placed<'_>], same: impl Fn(&str, &str) -> bool) -> Option<Heading> {
    let mut at = 0;
    let mut columns = Vec::new();
    for column in &table.columns {
        let title: Vec<&str> = column.title.split_whitespace().collect();
        let here = words.get(at..at + title.len());
        let fits = here.filter(|here| here.iter().zip(&title).all(|(word, title)| same(title, word.text)));
        match fits {
            Some(here) if !here.is_empty() => {
                columns.push(Some((here.first()?.from, here.last()?.to)));
                at += title.len();
            }
            _ if column.optional => columns.push(None),
            _ => return None,
        }
    }
    (at == words.len() && at > 0).then_some(columns)
}

/// Puts the words of a row into its columns. A word belongs to the title it stands under; one that stands under none
/// goes with the word before it where only a blank is between them, else to the title that begins before it.
pub(in crate::dialect) fn cells<'t>(heading: &Heading, words: &[Placed<'t>]) -> Vec<Vec<&'t str>> {
    let mut cells: Vec<Vec<&str>> = vec![Vec::new(); heading.len()];
    let titles: Vec<(usize, usize, usize)> =
        heading.iter().enumerate().filter_map(|(i, title)| title.map(|(from, to)| (i, from, to))).collect();
    let mut before: Option<(usize, usize)> = None;
    for word in words {
        let under = titles.iter().filter(|(_, from, to)| word.from < *to && *from < word.to).map(|(i, ..)| *i).next();
        let beside = before.filter(|(_, end)| word.from <= end + 1).map(|(column, _)| column);
        let after = titles.iter().rev().find(|(_, from, _)| *from <= word.from).or(titles.first()).map(|(i, ..)| *i);
        // A long cell may run on under the next title; a word of that one's own stands in line with it.
        let column = match (under, beside) {
            (Some(under), Some(beside)) if under > beside && !aligned(&titles, under, word) => beside,
            (Some(under), _) => under,
            (None, Some(beside)) => beside,
            (None, None) => after.unwrap_or_default(),
        };
        if let Some(cell) = cells.get_mut(column) {
            cell.push(word.text);
        }
        before = Some((column, word.to));
    }
    cells
}

/// Whether a word begins where the title above it begins, or ends where that ends.
fn aligned(titles: &[(usize, usize, usize)], column: usize, word: &Placed<'_>) -> bool {
    titles.iter().any(|(i, from, to)| *i == column && (word.from == *from || word.to == *to))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn row(title: &str, line: &str) -> Vec<String> {
        let heading: Heading = placed(title, "").iter().map(|w| Some((w.from, w.to))).collect();
        cells(&heading, &placed(line, "|")).into_iter().map(|c| c.join(" ")).collect()
    }

    const TITLE: &str = "Port   Name          Stations  Age";

    #[rstest]
    #[case::left("1.1    quay          3         5", &["1.1", "quay", "3", "5"])]
    #[case::right("1.10   quay                 3    5", &["1.10", "quay", "3", "5"])]
    #[case::missing("1.1                  3", &["1.1", "", "3", ""])]
    #[case::two_words("1.1    quay one      3         5", &["1.1", "quay one", "3", "5"])]
    #[case::wide("1.1    a very long name indeed", &["1.1", "a very long name indeed", "", ""])]
    #[case::tabs("1.1\tquay\t\t3", &["1.1", "quay", "3", ""])]
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
}
