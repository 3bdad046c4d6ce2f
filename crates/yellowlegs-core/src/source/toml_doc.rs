//! TOML documents with places: every key read is remembered, so that what nobody asked for is an error.

use std::cell::RefCell;
use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::ops::Range;
use std::sync::Arc;

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::{At, Explain, Place, Problem, Source};
use crate::sorted;

/// What is wrong with a TOML document before anybody looks at its meaning.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TomlProblem {
    /// Not TOML.
    #[error("this is not valid TOML: {message}")]
    Syntax {
        /// What the TOML library says.
        message: String,
    },
    /// A key that nothing reads.
    #[error("unknown key `{key}` in {table}")]
    UnknownKey {
        /// The key.
        key: String,
        /// The table it stands in.
        table: String,
        /// The most similar key that is read.
        nearest: Option<String>,
        /// All keys that are read there.
        known: Vec<String>,
    },
    /// A value of another type.
    #[error("`{key}` must be {wanted}, not {found}")]
    WrongType {
        /// The key.
        key: String,
        /// What it must be.
        wanted: &'static str,
        /// What it is.
        found: &'static str,
    },
    /// A key that must be there.
    #[error("{table} needs the key `{key}`")]
    Missing {
        /// The key.
        key: String,
        /// The table it is missing from.
        table: String,
    },
}

impl Explain for TomlProblem {
    fn hint(&self) -> Option<String> {
        match self {
            Self::Syntax { .. } => Some("TOML v1.0 is expected; see https://toml.io".into()),
            Self::UnknownKey { nearest: Some(nearest), .. } => Some(format!("did you mean `{nearest}`?")),
            Self::UnknownKey { known, .. } => Some(format!("known here: {}", known.join(", "))),
            Self::WrongType { .. } => None,
            Self::Missing { key, .. } => Some(format!("add `{key} = …`")),
        }
    }
}

/// The candidate most similar to a word, if one is similar enough to be meant.
pub fn nearest<'c>(word: &str, candidates: impl IntoIterator<Item = &'c str>) -> Option<&'c str> {
    candidates
        .into_iter()
        .map(|c| (strsim::damerau_levenshtein(word, c), c))
        .filter(|(distance, c)| *distance <= 1 + word.len().max(c.len()) / 4)
        .min()
        .map(|(_, c)| c)
}

/// A TOML string (TOML 1.0, basic strings).
pub fn quoted(text: &str) -> String {
    let mut quoted = String::with_capacity(text.len() + 2);
    quoted.push('"');
    for sign in text.chars() {
        match sign {
            '"' | '\\' => quoted.extend(['\\', sign]),
            sign if sign.is_control() => _ = write!(quoted, "\\u{:04X}", u32::from(sign)),
            sign => quoted.push(sign),
        }
    }
    quoted.push('"');
    quoted
}

/// A value with the place it stands at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Item<T> {
    /// The value.
    pub value: T,
    /// Where it stands.
    pub spot: Spot,
}

/// A byte range in the document.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Spot(pub Range<usize>);

/// A document being read. Problems gather here until [`TomlDoc::into_problems`].
pub struct TomlDoc<'s> {
    source: &'s Source,
    /// Where its lines begin: most of a policy's entries are cited with theirs.
    lines: Vec<usize>,
    root: Spanned<DeTable<'s>>,
    problems: RefCell<Vec<Problem>>,
}

impl<'s> TomlDoc<'s> {
    /// Parses; syntax errors are gathered like all others.
    pub fn parse(source: &'s Source) -> Self {
        let (root, errors) = DeTable::parse_recoverable(source.text());
        let ends = memchr::memchr_iter(b'\n', source.text().as_bytes()).map(|end| end + 1);
        let lines = std::iter::once(0).chain(ends).collect();
        let doc = Self { source, lines, root, problems: RefCell::default() };
        for error in errors {
            let span = error.span().unwrap_or_default();
            doc.report(&Spot(span), TomlProblem::Syntax { message: error.message().to_owned() });
        }
        doc
    }

    /// The top table.
    pub fn root(&self) -> TableReader<'_> {
        TableReader {
            doc: self,
            table: self.root.get_ref(),
            spot: Spot(0..0),
            name: "the file".into(),
            asked: RefCell::default(),
            around: None,
        }
    }

    /// Adds a problem at a spot.
    pub fn report(&self, spot: &Spot, problem: impl Explain) {
        self.problems.borrow_mut().push(At { place: self.place(spot), problem }.into());
    }

    /// Adds a problem inside a string value: `offset` bytes after its opening quote.
    pub fn report_inside(&self, spot: &Spot, offset: usize, problem: impl Explain) {
        let start = (spot.0.start + 1 + offset).min(spot.0.end.max(spot.0.start));
        self.report(&Spot(start..start), problem);
    }

    /// Place of a spot.
    pub fn place(&self, spot: &Spot) -> Place {
        let at = spot.0.start.min(self.source.text().len());
        let line = self.lines.partition_point(|start| *start <= at);
        let start = line.checked_sub(1).and_then(|before| self.lines.get(before)).copied().unwrap_or_default();
        let before = self.source.text().as_bytes().get(start..at).unwrap_or_default();
        let column = String::from_utf8_lossy(before).chars().count() as u32 + 1;
        Place { file: Arc::clone(self.source.path()), line: line as u32, column }
    }

    /// A line's text without its end, counted from 1.
    pub fn line(&self, number: u32) -> &'s str {
        let before = (number as usize).checked_sub(1).and_then(|before| self.lines.get(before));
        let rest = before.and_then(|start| self.source.text().get(*start..));
        rest.and_then(|rest| rest.lines().next()).unwrap_or_default()
    }

    /// The path of the file read.
    pub fn path(&self) -> &Arc<str> {
        self.source.path()
    }

    /// What was wrong, in the order of the file; empty when nothing was.
    pub fn into_problems(self) -> Vec<Problem> {
        let mut problems = self.problems.into_inner();
        sorted::plain(&mut problems);
        problems.dedup();
        problems
    }
}

/// One table being read. [`TableReader::finish`] reports the keys nobody asked for.
pub struct TableReader<'d> {
    doc: &'d TomlDoc<'d>,
    table: &'d DeTable<'d>,
    /// Where the table stands.
    pub spot: Spot,
    name: String,
    asked: RefCell<Vec<&'static str>>,
    /// The table whose keys hold where this one is silent.
    around: Option<&'d DeTable<'d>>,
}

impl<'d> TableReader<'d> {
    /// The same table, with nothing read yet.
    #[must_use]
    pub fn again(&self) -> Self {
        Self { spot: self.spot.clone(), name: self.name.clone(), asked: RefCell::default(), ..*self }
    }

    /// With the keys of another table where this one is silent. What that one has is not reported here.
    #[must_use]
    pub fn within(mut self, around: &Self) -> Self {
        self.around = Some(around.table);
        self
    }

    /// The document it belongs to.
    pub fn doc(&self) -> &'d TomlDoc<'d> {
        self.doc
    }

    /// Gives the table a name for messages.
    #[must_use]
    pub fn named(mut self, name: impl Into<String>) -> Self {
        self.name = name.into();
        self
    }

    fn get(&self, key: &'static str) -> Option<&'d Spanned<DeValue<'d>>> {
        self.asked.borrow_mut().push(key);
        self.table.get(key).or_else(|| self.around?.get(key))
    }

    fn wrong_type(&self, key: &str, wanted: &'static str, value: &Spanned<DeValue<'_>>) {
        let found = value.get_ref().type_str();
        self.doc.report(&Spot(value.span()), TomlProblem::WrongType { key: key.to_owned(), wanted, found });
    }

    fn typed<T>(
        &self,
        key: &'static str,
        wanted: &'static str,
        read: impl Fn(&'d DeValue<'d>) -> Option<T>,
    ) -> Option<Item<T>> {
        let value = self.get(key)?;
        let Some(read) = read(value.get_ref()) else {
            self.wrong_type(key, wanted, value);
            return None;
        };
        Some(Item { value: read, spot: Spot(value.span()) })
    }

    /// A string.
    pub fn text(&self, key: &'static str) -> Option<Item<&'d str>> {
        self.typed(key, "a string", DeValue::as_str)
    }

    /// A string that must be there.
    pub fn required_text(&self, key: &'static str) -> Option<Item<&'d str>> {
        if self.get(key).is_none() {
            self.asked.borrow_mut().push(key);
            self.doc.report(&self.spot, TomlProblem::Missing { key: key.into(), table: self.name.clone() });
            return None;
        }
        self.text(key)
    }

    /// True or false.
    pub fn flag(&self, key: &'static str) -> Option<Item<bool>> {
        self.typed(key, "true or false", DeValue::as_bool)
    }

    /// A whole number.
    pub fn integer(&self, key: &'static str) -> Option<Item<i64>> {
        self.typed(key, "a whole number", scalar_integer)
    }

    /// A date, or a date and time, as written; a string counts.
    pub fn time_text(&self, key: &'static str) -> Option<Item<String>> {
        self.typed(key, "a date or time", |v| match v {
            DeValue::String(s) => Some(s.to_string()),
            DeValue::Datetime(d) => Some(d.to_string()),
            _ => None,
        })
    }

    /// A list of strings; one string counts as a list of one. `None` when absent.
    pub fn texts(&self, key: &'static str) -> Option<Vec<Item<&'d str>>> {
        self.list(key, "a string or a list of strings", DeValue::as_str)
    }

    /// A list of whole numbers. `None` when absent.
    pub fn integers(&self, key: &'static str) -> Option<Vec<Item<i64>>> {
        self.list(key, "a list of whole numbers", scalar_integer)
    }

    fn list<T>(
        &self,
        key: &'static str,
        wanted: &'static str,
        read: impl Fn(&'d DeValue<'d>) -> Option<T>,
    ) -> Option<Vec<Item<T>>> {
        let value = self.get(key)?;
        if let Some(one) = read(value.get_ref()) {
            return Some(vec![Item { value: one, spot: Spot(value.span()) }]);
        }
        let Some(array) = value.get_ref().as_array() else {
            self.wrong_type(key, wanted, value);
            return None;
        };
        let mut items = Vec::new();
        for element in array {
            match read(element.get_ref()) {
                Some(value) => items.push(Item { value, spot: Spot(element.span()) }),
                None => self.wrong_type(key, wanted, element),
            }
        }
        Some(items)
    }

    /// A table inside this one.
    pub fn table(&self, key: &'static str) -> Option<TableReader<'d>> {
        let value = self.get(key)?;
        if value.get_ref().as_table().is_none() {
            self.wrong_type(key, "a table", value);
        }
        self.reader(value, format!("[{key}]"))
    }

    /// An array of tables, `[[key]]`.
    pub fn tables(&self, key: &'static str) -> Vec<TableReader<'d>> {
        let Some(value) = self.get(key) else { return Vec::new() };
        let Some(array) = value.get_ref().as_array() else {
            self.wrong_type(key, "an array of tables ([[…]])", value);
            return Vec::new();
        };
        let mut readers = Vec::new();
        for element in array {
            match self.reader(element, format!("[[{key}]]")) {
                Some(reader) => readers.push(reader),
                None => self.wrong_type(key, "an array of tables ([[…]])", element),
            }
        }
        readers
    }

    fn reader(&self, value: &'d Spanned<DeValue<'d>>, name: String) -> Option<TableReader<'d>> {
        let table = value.get_ref().as_table()?;
        Some(TableReader {
            doc: self.doc,
            table,
            spot: Spot(value.span()),
            name,
            asked: RefCell::default(),
            around: None,
        })
    }

    /// A list whose elements are strings or tables: each with its place. `None` when absent.
    pub fn mixed(&self, key: &'static str, wanted: &'static str) -> Option<Vec<Mixed<'d>>> {
        let value = self.get(key)?;
        let Some(array) = value.get_ref().as_array() else {
            self.wrong_type(key, wanted, value);
            return Some(Vec::new());
        };
        let one = |element: &'d Spanned<DeValue<'d>>| match element.get_ref().as_str() {
            Some(text) => Some(Mixed::Text(Item { value: text, spot: Spot(element.span()) })),
            None => self.reader(element, format!("[[{key}]]")).map(Mixed::Table),
        };
        let mixed = array.iter().filter_map(|element| {
            let one = one(element);
            if one.is_none() {
                self.wrong_type(key, wanted, element);
            }
            one
        });
        Some(mixed.collect())
    }

    /// Every entry of a table whose keys are data (VLAN numbers, setting names): key and value with their spots, in the order in which they are written.
    pub fn entries(&self) -> Vec<Entry<'d>> {
        let entries = self.table.iter().map(|(key, value)| {
            let key = Item { value: key.get_ref().as_ref(), spot: Spot(key.span()) };
            let whole = TableReader {
                doc: self.doc,
                table: value.get_ref().as_table().unwrap_or(self.table),
                spot: Spot(value.span()),
                name: format!("`{}`", key.value),
                asked: RefCell::default(),
                around: None,
            };
            Entry { key, value, reader: whole }
        });
        let mut entries: Vec<Entry<'d>> = entries.collect();
        sorted::by_key(&mut entries, |entry| entry.key.spot.0.start);
        entries
    }

    /// Where a key stands, if it is there; that does not count as reading it.
    pub fn key_spot(&self, key: &str) -> Option<Spot> {
        let mut keys = self.table.keys().chain(self.around.into_iter().flat_map(|table| table.keys()));
        keys.find(|there| there.get_ref().as_ref() == key).map(|there| Spot(there.span()))
    }

    /// Whether a key's value is a string.
    pub fn is_text(&self, key: &'static str) -> bool {
        self.get(key).is_some_and(|value| value.get_ref().is_str())
    }

    /// Counts a key as read that is read elsewhere.
    pub fn ask(&self, key: &'static str) {
        self.asked.borrow_mut().push(key);
    }

    /// Reports every key that was not asked for.
    pub fn finish(&self) {
        let asked = self.asked.borrow();
        for (key, _) in self.table {
            let word: &str = key.get_ref().as_ref();
            if asked.contains(&word) {
                continue;
            }
            let known: BTreeSet<&str> = asked.iter().copied().collect();
            let problem = TomlProblem::UnknownKey {
                key: word.to_owned(),
                table: self.name.clone(),
                nearest: nearest(word, known.iter().copied()).map(str::to_owned),
                known: known.into_iter().map(str::to_owned).collect(),
            };
            self.doc.report(&Spot(key.span()), problem);
        }
    }
}

fn scalar_integer(value: &DeValue<'_>) -> Option<i64> {
    let integer = value.as_integer()?;
    i64::from_str_radix(integer.as_str(), integer.radix()).ok()
}

/// An element of a list of strings and tables.
pub enum Mixed<'d> {
    /// A string.
    Text(Item<&'d str>),
    /// A table.
    Table(TableReader<'d>),
}

/// One entry of a table whose keys are data.
pub struct Entry<'d> {
    /// The key.
    pub key: Item<&'d str>,
    value: &'d Spanned<DeValue<'d>>,
    reader: TableReader<'d>,
}

/// A value of any of the simple types.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Scalar<'d> {
    /// A string.
    Text(&'d str),
    /// A whole number.
    Integer(i64),
    /// True or false.
    Flag(bool),
}

impl<'d> Entry<'d> {
    /// From the beginning of the key to the end of the value.
    pub fn whole(&self) -> Spot {
        Spot(self.key.spot.0.start..self.value.span().end)
    }

    /// Where the value stands.
    pub fn spot(&self) -> Spot {
        Spot(self.value.span())
    }

    /// The value when it is a string, a number or a truth value; otherwise a problem is reported.
    pub fn scalar(&self) -> Option<Scalar<'d>> {
        let scalar = match self.value.get_ref() {
            DeValue::String(s) => Some(Scalar::Text(s)),
            DeValue::Boolean(b) => Some(Scalar::Flag(*b)),
            other => scalar_integer(other).map(Scalar::Integer),
        };
        if scalar.is_none() {
            self.reader.wrong_type(self.key.value, "a string, a whole number, true or false", self.value);
        }
        scalar
    }

    /// Whether the value is a table.
    pub fn is_table(&self) -> bool {
        self.value.get_ref().is_table()
    }

    /// The value, if it is a string.
    pub fn text(&self) -> Option<&'d str> {
        self.value.get_ref().as_str()
    }

    /// The value as a list of numbers, if it is a list.
    pub fn integers(&self) -> Option<Vec<i64>> {
        self.value.get_ref().as_array()?.iter().map(|v| scalar_integer(v.get_ref())).collect()
    }

    /// The value as a list of strings, if it is a list of strings.
    pub fn texts(&self) -> Option<Vec<&'d str>> {
        self.value.get_ref().as_array()?.iter().map(|v| v.get_ref().as_str()).collect()
    }

    /// The value as tables: a table is one, an array of tables several. Otherwise a problem is reported.
    pub fn tables(self) -> Vec<TableReader<'d>> {
        match self.value.get_ref() {
            DeValue::Table(_) => vec![self.reader],
            DeValue::Array(array) if array.iter().all(|v| v.get_ref().is_table()) => {
                array.iter().filter_map(|v| self.reader.reader(v, self.reader.name.clone())).collect()
            }
            _ => {
                self.reader.wrong_type(self.key.value, "a table or a list of tables", self.value);
                Vec::new()
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn problems(text: &str) -> Vec<String> {
        let source = Source::of("p.toml", text);
        let doc = TomlDoc::parse(&source);
        let root = doc.root();
        root.text("colour");
        root.integer("count");
        root.required_text("name");
        root.finish();
        doc.into_problems().iter().map(ToString::to_string).collect()
    }

    #[rstest]
    #[case::right("name = 'x'\ncount = 0x10", &[])]
    #[case::near_miss("name = 'x'\ncolor = 'y'", &["p.toml:2:1: unknown key `color` in the file\n  hint: did you mean `colour`?"])]
    #[case::far_off("name = 'x'\nzebra = 1", &["p.toml:2:1: unknown key `zebra` in the file\n  hint: known here: colour, count, name"])]
    #[case::wrong_type("name = 3", &["p.toml:1:8: `name` must be a string, not integer"])]
    #[case::missing("count = 3", &["p.toml:1:1: the file needs the key `name`\n  hint: add `name = …`"])]
    fn every_problem_has_a_place(#[case] text: &str, #[case] expected: &[&str]) {
        assert_eq!(problems(text), expected);
    }

    #[test]
    fn syntax_errors_do_not_stop_at_the_first() {
        let told = problems("name = \ncount = = 2\nname2 = 'x'");
        assert!(told.len() >= 3, "{told:?}");
    }

    proptest::proptest! {
        /// Whatever the text: a place is the one that walking the text comes to.
        #[test]
        fn places_and_lines_are_those_of_the_text(text in "([a-z#é =]{0,9}\r?\n?){0,8}") {
            let source = Source::of("p.toml", text.as_str());
            let doc = TomlDoc::parse(&source);
            for at in 0..text.len() + 3 {
                assert_eq!(doc.place(&Spot(at..at)), source.place(at), "{at}");
            }
            for number in 0..12 {
                assert_eq!(doc.line(number), source.line(number).unwrap_or_default(), "{number}");
            }
        }
    }
}
