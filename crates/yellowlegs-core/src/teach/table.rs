//! Tables of state that a sketch proposes as comments: taken by removing the signs, or dropped.

use super::{Lesson, Refused};

/// The line that such a proposal has behind its count.
const HEADING: &str = "# [[table]]";

/// A table that is proposed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Table {
    /// The fact that its rows would be.
    pub fact: String,
    /// How sure that is, of 100.
    pub score: usize,
    /// Its lines, without the signs of comments.
    pub lines: Vec<String>,
    /// The first and the last of its lines in the dialect, and the one behind.
    place: (usize, usize),
}

impl Lesson {
    /// The tables that are proposed and neither taken nor dropped.
    pub fn tables(&self) -> Vec<Table> {
        let lines: Vec<&str> = self.written().lines().collect();
        let headings = (0..lines.len()).filter(|at| lines[*at] == HEADING);
        headings.map(|at| table(&lines, at)).collect()
    }

    /// Takes a table over, or drops it.
    pub fn decide(&mut self, table: &Table, take: bool) -> Result<(), Refused> {
        let lines: Vec<&str> = self.written().lines().collect();
        let (start, end) = table.place;
        let mut text: Vec<String> = lines[..start].iter().map(|line| (*line).to_owned()).collect();
        if take {
            text.extend(table.lines.iter().cloned());
        } else {
            // With it goes its count.
            text.pop();
        }
        text.extend(lines[end..].iter().map(|line| (*line).to_owned()));
        let dialect = self.with(text.join("\n") + "\n")?;
        self.take(dialect)
    }
}

fn table(lines: &[&str], at: usize) -> Table {
    let end = (at..lines.len()).find(|line| !lines[*line].starts_with('#')).unwrap_or(lines.len());
    let plain: Vec<String> =
        lines[at..end].iter().map(|line| line.trim_start_matches('#').trim_start_matches(' ').to_owned()).collect();
    let inside = |line: &String| if line.starts_with('"') { format!("    {line}") } else { line.clone() };
    let fact = plain.iter().find_map(|line| line.strip_prefix("fact = ")).unwrap_or_default();
    let count = at.checked_sub(1).and_then(|above| lines.get(above)).copied().unwrap_or_default();
    let sure = count.split_once("likely ").and_then(|(_, sure)| sure.get(..3)).unwrap_or("0.0");
    let digits: String = sure.chars().filter(char::is_ascii_digit).collect();
    Table {
        fact: fact.trim_matches('"').to_owned(),
        score: digits.parse::<usize>().unwrap_or_default() * 10,
        lines: plain.iter().map(inside).collect(),
        place: (at, end),
    }
}
