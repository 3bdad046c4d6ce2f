//! The rows of a table: words into cells, cells into what their holes take, rows into facts and settings.

use std::borrow::Cow;
use std::sync::Arc;

use super::super::automaton::Walk;
use super::super::captured::Captured;
use super::super::ports::PortItem;
use super::super::rule::HoleRef;
use super::read::{Missed, Reader};
use super::said::said;
use super::table::{Heading, Placed, heading};
use super::{Beside, Column, Table};
use crate::model::{FactKind, Kind, Mark, Value};
use crate::source::Word;
use crate::syntax::Line;

/// The table whose rows come now.
pub(super) struct Open<'a> {
    table: &'a Table,
    heading: Heading,
    /// The row that may go on in the next line.
    row: Option<Row<'a>>,
    /// The cells of the row before, where a column carries.
    above: Vec<Cow<'a, str>>,
}

/// A row, its cells read as far as they stand in its first line.
struct Row<'a> {
    cells: Vec<Cow<'a, str>>,
    mark: Mark,
    /// What the holes of all cells took; none where a cell goes on, and has to be read again.
    captures: Option<Vec<Captured>>,
}

/// How a cell fits its column.
#[derive(PartialEq, Eq)]
enum Fit {
    Whole,
    /// It may go on in the next line: what stands there now begins well.
    Begun,
    Not,
}

impl<'a> Reader<'a> {
    /// Whether the line is the heading of a table, which then is open.
    pub(super) fn begins_table(&mut self, line: &Line<'a>, words: &[Placed<'a>]) -> bool {
        let state = &self.dialect.state;
        let inside = |table: &&Table| {
            let here = |c: &usize| *c == 0 || self.blocks.iter().any(|b| b.context == *c);
            table.contexts.iter().any(here)
        };
        let same = |title: &str, word: &str| self.dialect.same_word(title, word);
        let mut found =
            state.tables.iter().filter_map(|t| Some((t, heading(t, words, same)?))).filter(|t| inside(&t.0));
        let Some((table, heading)) = found.next() else { return false };
        self.flush();
        self.took(line, table.line);
        let mark = self.mark(line);
        self.result.tables.extend(table.fact.map(|fact| (fact, mark)));
        self.result.tables.extend(table.beside.iter().map(|beside| (beside.fact, mark)));
        self.open = Some(Open { table, heading, row: None, above: Vec::new() });
        true
    }

    /// Takes a line as a row of the open table: its key cell is there, and what stands in its cells fits.
    pub(super) fn row(&mut self, line: &Line<'a>, words: &[Placed<'a>]) -> bool {
        let Some(Open { table, heading, above, .. }) = self.open.as_ref() else { return false };
        let mut cells = heading.cells(self.whole(line), words);
        let key = table.columns.iter().zip(&cells).find(|(column, _)| !column.carry).map(|(_, cell)| cell);
        if key.is_none_or(|cell| cell.is_empty()) {
            return false;
        }
        let carries = table.columns.iter().any(|column| column.carry);
        for (column, (cell, above)) in table.columns.iter().zip(cells.iter_mut().zip(above)) {
            if column.carry && cell.is_empty() {
                cell.clone_from(above);
            }
        }
        let (mut captures, mut is_whole) = (Vec::new(), true);
        let mut scratch = std::mem::take(&mut self.scratch);
        let fits = table.columns.iter().zip(&cells).all(|(column, cell)| {
            let fit = self.read_cell(column, cell, &mut captures, &mut scratch);
            is_whole &= fit == Fit::Whole;
            fit != Fit::Not
        });
        self.scratch = scratch;
        if !fits {
            return false;
        }
        let (mark, by) = (self.mark(line), table.line);
        self.flush_row();
        self.note_secret_cells(words);
        let Some(open) = &mut self.open else { return false };
        if carries {
            open.above.clone_from(&cells);
        }
        open.row = Some(Row { cells, mark, captures: is_whole.then_some(captures) });
        self.took(line, by);
        true
    }

    /// Takes a line as the rest of the row above: its key cell is blank.
    pub(super) fn goes_on(&mut self, line: &Line<'a>, words: &[Placed<'a>]) -> bool {
        let whole = self.whole(line);
        let Some(open) = &mut self.open else { return false };
        let Some(row) = &mut open.row else { return false };
        let more = open.heading.cells(whole, words);
        let key = open.table.columns.iter().position(|c| !c.carry).unwrap_or_default();
        let deeper = words.first().is_some_and(|w| w.from > 0);
        if !deeper || more.get(key).is_none_or(|cell| !cell.is_empty()) {
            return false;
        }
        for (cell, more) in row.cells.iter_mut().zip(more).filter(|(_, more)| !more.is_empty()) {
            let cell = cell.to_mut();
            for word in more.split(' ') {
                if !cell.is_empty() && !open.table.joined {
                    cell.push(' ');
                }
                cell.push_str(word);
            }
        }
        row.captures = None;
        let by = open.table.line;
        self.note_secret_cells(words);
        self.took(line, by);
        true
    }

    /// The first cell of a line that the open table would take but for it.
    pub(super) fn misfit(&self, line: &Line<'a>, words: &[Placed<'a>]) -> Option<Missed> {
        let Open { table, heading, .. } = self.open.as_ref()?;
        let cells = heading.cells(self.whole(line), words);
        let cells = || table.columns.iter().zip(&cells);
        let fits = |column, cell: &str| self.read_cell(column, cell, &mut Vec::new(), &mut Vec::new()) != Fit::Not;
        let wrong = cells().find(|(column, cell)| !fits(column, cell));
        let (column, cell) = wrong.or_else(|| cells().find(|(column, _)| !column.carry))?;
        Some(Missed::Cell { table: table.line, column: column.title.clone(), blank: cell.is_empty() })
    }

    /// Ends the open table.
    pub(super) fn flush(&mut self) {
        self.flush_row();
        self.open = None;
    }

    /// Puts behind `captures` what the holes of a cell take: as many as its column has, whether the cell is there or not.
    fn read_cell(&self, column: &Column, cell: &str, captures: &mut Vec<Captured>, words: &mut Vec<Word>) -> Fit {
        if cell.is_empty() {
            captures.extend(std::iter::repeat_n(Captured::Absent, column.holes));
            return Fit::Whole;
        }
        self.dialect.state.splitter.split(cell, 0, words);
        let lists = &self.dialect.lists;
        let fits = match column.only_hole {
            Some(kind) => match kind.take(cell, words, 0, lists) {
                Some((count, value)) if count == words.len() => {
                    captures.push(value);
                    true
                }
                _ => false,
            },
            None => column.cells.find(0, &Walk { text: cell, words, lists }, 0, captures, &mut Vec::new()),
        };
        match fits {
            true => Fit::Whole,
            false if cell.ends_with([',', '-', ':', '.']) => Fit::Begun,
            false => Fit::Not,
        }
    }

    /// Notes the words in cells that are never shown.
    fn note_secret_cells(&mut self, words: &[Placed<'a>]) {
        let Some(open) = self.open.as_ref().filter(|open| open.table.columns.iter().any(|c| c.is_secret)) else {
            return;
        };
        let is_secret = |column: usize| open.table.columns.get(column).is_some_and(|column| column.is_secret);
        let secret = words.iter().zip(open.heading.columns_of(words)).filter(|(_, column)| is_secret(*column));
        self.result.secrets.extend(secret.map(|(word, _)| {
            // Each word is a stretch of the text.
            let start = (word.text.as_ptr() as usize).saturating_sub(self.text.as_ptr() as usize);
            Word { start, end: start + word.text.len() }
        }));
    }

    /// Makes the facts of the row that is complete.
    fn flush_row(&mut self) {
        let Some(open) = &mut self.open else { return };
        let (table, Some(Row { cells, mark, captures })) = (open.table, open.row.take()) else { return };
        let captures = match captures.map_or_else(|| self.read_again(table, &cells), Ok) {
            Ok(captures) => captures,
            Err(column) => {
                let missed = Missed::Cell { table: table.line, column: column.title.clone(), blank: false };
                self.miss(mark, &self.words_at(mark), missed);
                return;
            }
        };
        if let Some(fact) = table.fact {
            let mut fields = fact.blank();
            let mut ports: Option<(usize, Arc<[PortItem]>)> = None;
            let mut first = 0;
            for (column, cell) in table.columns.iter().zip(&cells) {
                let own = captures.get(first..first + column.holes).unwrap_or_default();
                first += column.holes;
                if !cell.is_empty() {
                    self.fill(fact, &column.fields, cell, own, &mut fields, &mut ports);
                }
            }
            self.fill(fact, &table.fields, "", &[], &mut fields, &mut ports);
            self.inherit(fact, &mut fields);
            if let Some(column) = without_subject(table, fact, &cells, &fields, ports.as_ref()) {
                self.miss_blank(table, column, mark);
                return;
            }
            self.push(fact, fields, ports, mark);
        }
        if !table.beside.is_empty() || !table.effects.is_empty() || table.fact.is_none() {
            self.tell_besides(table, &cells, &captures, mark);
        }
    }

    /// The further facts of a row, and the settings that it decides.
    fn tell_besides(&mut self, table: &'a Table, cells: &[Cow<'a, str>], captures: &[Captured], mark: Mark) {
        let columns = table.columns.iter().zip(cells);
        let texts: Vec<&str> = columns.flat_map(|(c, cell)| std::iter::repeat_n(&**cell, c.holes)).collect();
        for beside in &table.beside {
            self.push_beside(beside, captures, &texts, mark);
        }
        let taken = |hole: &HoleRef| match hole {
            HoleRef::Own(position) => Some((captures.get(*position)?.clone(), *texts.get(*position)?)),
            HoleRef::Outer(name) => self.named(name).map(|captured| (captured.clone(), self.text)),
        };
        let of = self.about(table.subject.as_ref(), &taken);
        if let (None, None, Some(column)) = (&of, table.fact, table.columns.first()) {
            self.miss_blank(table, column, mark);
            return;
        }
        let said = said(self.dialect, &table.effects, of, mark, &taken);
        self.result.said.extend(said);
    }

    /// What the holes of all cells take, now that the row is complete; or the column of a cell that is wrong.
    fn read_again(&self, table: &'a Table, cells: &[Cow<'a, str>]) -> Result<Vec<Captured>, &'a Column> {
        let (mut captures, mut words) = (Vec::new(), Vec::new());
        for (column, cell) in table.columns.iter().zip(cells) {
            if self.read_cell(column, cell, &mut captures, &mut words) != Fit::Whole {
                return Err(column);
            }
        }
        Ok(captures)
    }

    /// Notes a row that does not say what it is about.
    fn miss_blank(&mut self, table: &Table, column: &Column, mark: Mark) {
        let missed = Missed::Cell { table: table.line, column: column.title.clone(), blank: true };
        self.miss(mark, &self.words_at(mark), missed);
    }

    /// Makes another fact of a row, where every hole that it needs took something.
    fn push_beside(&mut self, beside: &Beside, captures: &[Captured], texts: &[&str], mark: Mark) {
        let is_there = |hole: &usize| captures.get(*hole).is_some_and(|captured| *captured != Captured::Absent);
        if !beside.needs.iter().all(is_there) {
            return;
        }
        let mut fields = beside.fact.blank();
        let mut ports = None;
        for field in &beside.fields {
            let text = field.1.hole().and_then(|hole| texts.get(hole)).copied().unwrap_or_default();
            self.fill(beside.fact, std::slice::from_ref(field), text, captures, &mut fields, &mut ports);
        }
        self.inherit(beside.fact, &mut fields);
        self.push(beside.fact, fields, ports, mark);
    }
}

/// The column whose cell should say which port or station a row is about, where it is blank: such a row tells nothing of anybody.
fn without_subject<'t>(
    table: &'t Table,
    fact: FactKind,
    cells: &[Cow<'_, str>],
    fields: &[Option<Value>],
    ports: Option<&(usize, Arc<[PortItem]>)>,
) -> Option<&'t Column> {
    let subject = fact.info().fields.first().filter(|field| matches!(field.kind, Kind::Port | Kind::Station));
    if subject.is_none() || fields.first().is_some_and(Option::is_some) || ports.is_some_and(|(field, _)| *field == 0) {
        return None;
    }
    let says = |column: &Column| column.fields.iter().any(|(field, _)| *field == 0);
    table.columns.iter().zip(cells).find(|(column, cell)| says(column) && cell.is_empty()).map(|(column, _)| column)
}
