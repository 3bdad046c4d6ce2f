//! What tables of state may tell, by their headings and the kinds of their cells: proposals, as comments that are taken by removing the sign.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::sync::LazyLock;

use super::super::state::{Heading, Placed, is_ruler, placed};
use super::layout::Guessed;
use crate::dialect::HoleType;
use crate::sorted;
use crate::source::{Word, quoted};

/// So many rows of a table are looked at.
const MOST_ROWS: usize = 500;
/// Columns of the lines that are written.
const WIDTH: usize = 110;
/// Signs between columns.
const BORDERS: &str = "|";
/// From this share on, of 100, of columns that are known a table is proposed.
const LIKELY: usize = 50;

/// A field of a fact, as headings have it.
struct Field {
    fact: &'static str,
    name: &'static str,
    is_needed: bool,
    words: Vec<&'static str>,
    types: Vec<HoleType>,
    choices: Vec<(&'static str, &'static str)>,
}

static FIELDS: LazyLock<Vec<Field>> = LazyLock::new(|| include_str!("tables.txt").lines().filter_map(field).collect());

fn field(line: &'static str) -> Option<Field> {
    let mut cells = line.split('|').map(str::trim);
    let (name, words, types) = (cells.next()?, cells.next()?, cells.next()?);
    let (fact, name) = name.split_once('.')?;
    let types = types.split_whitespace();
    Some(Field {
        fact,
        name: name.trim_end_matches('!'),
        is_needed: name.ends_with('!'),
        words: words.split_whitespace().collect(),
        types: types.clone().filter_map(HoleType::by_name).collect(),
        choices: types.filter_map(|word| word.split_once('=')).collect(),
    })
}

/// A table as it stands in the texts: its titles, and of each column the words below.
#[derive(Debug, Clone, Default)]
struct Seen {
    columns: Vec<BTreeSet<String>>,
    rows: usize,
}

/// The tables of some texts of state, as proposals for a dialect.
pub(super) fn tables(texts: &[&str], guessed: &Guessed) -> String {
    let mut seen: BTreeMap<Vec<String>, Seen> = BTreeMap::new();
    texts.iter().for_each(|text| gather(text, &mut seen));
    let mut out = String::new();
    let mut is_bordered = false;
    for (titles, table) in &seen {
        is_bordered |= texts.iter().any(|text| text.contains('|'));
        out.push_str(&written(titles, table, guessed));
    }
    if is_bordered && !out.is_empty() {
        out.insert_str(0, &format!("[state]\nborders = {}\n\n", quoted(BORDERS)));
    }
    out
}

/// Words with one blank between are one title, or one cell.
fn joined(words: &[Placed<'_>]) -> Vec<(usize, usize, String)> {
    let mut titles: Vec<(usize, usize, String)> = Vec::new();
    for word in words {
        match titles.last_mut().filter(|(_, to, _)| word.from <= *to + 1) {
            Some((_, to, text)) => {
                *to = word.to;
                text.push(' ');
                text.push_str(word.text);
            }
            None => titles.push((word.from, word.to, word.text.to_owned())),
        }
    }
    titles
}

/// Finds headings with rows below: a line of titles without digits, rulers, then lines that have a digit somewhere.
fn gather(text: &str, seen: &mut BTreeMap<Vec<String>, Seen>) {
    let lines: Vec<&str> = text.lines().collect();
    let mut at = 0;
    while let Some(line) = lines.get(at) {
        at += 1;
        let titles = joined(&placed(line, BORDERS));
        let is_heading = titles.len() >= 2
            && !line.bytes().any(|b| b.is_ascii_digit())
            && titles.iter().all(|(_, _, title)| title.starts_with(char::is_alphabetic));
        let first = (at..lines.len()).find(|row| !is_ruler(lines[*row])).filter(|_| is_heading);
        let Some(first) = first.filter(|row| lines[*row].bytes().any(|b| b.is_ascii_digit())) else { continue };
        let heading = Heading::of(titles.iter().map(|(from, to, _)| Some((*from, *to))));
        let names: Vec<String> = titles.into_iter().map(|(_, _, title)| title).collect();
        let table = seen.entry(names).or_default();
        let mut row = first;
        while let Some(line) = lines.get(row).filter(|line| !line.trim().is_empty()) {
            let words = placed(line, BORDERS);
            if !is_ruler(line) && words.len() >= 2 && table.rows < MOST_ROWS {
                table.rows += 1;
                let cells = heading.cells(line, &words);
                table.columns.resize(cells.len(), BTreeSet::new());
                for (column, cell) in table.columns.iter_mut().zip(cells) {
                    column.insert(cell.into_owned());
                }
            }
            row += 1;
        }
        at = row;
    }
}

/// How sure a fact is for a table, and what its columns are.
struct Fit {
    fact: &'static str,
    known: usize,
    columns: Vec<String>,
}

fn written(titles: &[String], table: &Seen, guessed: &Guessed) -> String {
    let facts: sorted::Set<&str> = sorted::set(FIELDS.iter().map(|field| field.fact));
    let mut fits: Vec<Fit> = facts.into_iter().filter_map(|fact| fit(fact, titles, table, guessed)).collect();
    sorted::by_key(&mut fits, |fit| std::cmp::Reverse(fit.known));
    let (Some(best), next) = (fits.first(), fits.get(1)) else { return String::new() };
    let share = best.known * 100 / titles.len();
    if share < LIKELY || next.is_some_and(|next| next.known == best.known) {
        return String::new();
    }
    let sure = if share >= 100 { "1.0".to_owned() } else { format!("0.{}", share / 10) };
    let next = next.map(|next| format!("; else {}", next.fact)).unwrap_or_default();
    let mut out =
        format!("# {} row(s)  # likely {sure}{next}\n# [[table]]\n# fact = {}\n", table.rows, quoted(best.fact));
    out.push_str("# columns = [\n");
    let mut line = String::from("#    ");
    for column in best.columns.iter().map(|column| format!(" {},", quoted(column))) {
        if line.len() + column.len() > WIDTH && line.len() > "#    ".len() {
            let _ = writeln!(out, "{line}");
            line = String::from("#    ");
        }
        line.push_str(&column);
    }
    let _ = writeln!(out, "{line}\n# ]\n");
    out
}

/// The columns of a table as fields of a fact; none where a field is missing that a row of it needs.
fn fit(fact: &'static str, titles: &[String], table: &Seen, guessed: &Guessed) -> Option<Fit> {
    let mut taken: BTreeSet<&str> = BTreeSet::new();
    let mut known = 0;
    let mut columns = Vec::new();
    for (title, cells) in titles.iter().zip(&table.columns) {
        let words: Vec<String> = title.split([' ', '-', '_', '/']).map(str::to_ascii_lowercase).collect();
        let fields = FIELDS.iter().filter(|field| field.fact == fact && !taken.contains(field.name));
        let says = |field: &&Field| words.iter().filter(|word| field.words.contains(&word.as_str())).count();
        let fitting = fields.filter_map(|field| Some((says(&field), field, cell(field, cells, guessed)?)));
        let best = fitting.filter(|(says, ..)| *says > 0).max_by_key(|(says, field, _)| (*says, field.is_needed));
        match best {
            Some((_, field, is)) => {
                taken.insert(field.name);
                known += 1;
                columns.push(format!("{title} = {is}"));
            }
            None => {
                let name: String = words.join("-").chars().filter(|c| c.is_ascii_alphanumeric() || *c == '-').collect();
                columns.push(format!("{title} = <_{name}:rest>"));
            }
        }
    }
    let needed = FIELDS.iter().filter(|field| field.fact == fact && field.is_needed);
    needed.into_iter().all(|field| taken.contains(field.name)).then_some(Fit { fact, known, columns })
}

/// What a cell of a field is, where all cells of a column are that.
fn cell(field: &Field, cells: &BTreeSet<String>, guessed: &Guessed) -> Option<String> {
    let is_none = |cell: &&String| cell.chars().all(|c| c == '-');
    let values: Vec<&String> = cells.iter().filter(|cell| !cell.is_empty() && !is_none(cell)).collect();
    let none = cells.iter().find(|cell| !cell.is_empty() && is_none(cell));
    let in_place = |is: String| none.map_or(is.clone(), |none| format!("({is}|{none})"));
    if !field.choices.is_empty() {
        let mut choices = Vec::new();
        for value in &values {
            let small = value.to_ascii_lowercase();
            let (_, meant) = field.choices.iter().find(|(word, _)| *word == small)?;
            choices.push(if value == meant { (*value).clone() } else { format!("{value}={meant}") });
        }
        return (!choices.is_empty()).then(|| in_place(format!("<{}:({})>", field.name, choices.join("|"))));
    }
    let takes = |kind: HoleType, cell: &str| {
        let mut words: Vec<Word> = Vec::new();
        guessed.layout.splitter.split(cell, 0, &mut words);
        kind.take(cell, &words, 0, &guessed.lists).is_some_and(|(taken, _)| taken == words.len())
    };
    let kind = field.types.iter().find(|kind| !values.is_empty() && values.iter().all(|cell| takes(**kind, cell)))?;
    Some(in_place(format!("<{}:{}>", field.name, kind.name())))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::FactKind;

    /// A line that is misspelt would be passed over: each names a field that there is, words, types or choices, and a reason.
    #[test]
    fn every_line_of_the_headings_counts() {
        let lines: Vec<&str> = include_str!("tables.txt").lines().filter(|line| !line.starts_with('#')).collect();
        assert_eq!(FIELDS.len(), lines.len());
        for (field, line) in FIELDS.iter().zip(&lines) {
            let fact = FactKind::by_name(field.fact).unwrap_or_else(|| panic!("{line}"));
            assert!(fact.info().fields.iter().any(|known| known.name == field.name), "{line}");
            assert!(field.types.is_empty() != field.choices.is_empty() && !field.words.is_empty(), "{line}");
            assert_eq!(line.split('|').count(), 4, "{line}");
            let types = line.split('|').nth(2).unwrap().split_whitespace().count();
            assert_eq!(types, field.types.len() + field.choices.len(), "{line}");
        }
    }
}
