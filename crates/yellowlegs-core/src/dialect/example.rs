//! Examples inside a dialect: a text and the facts that are to be read from it.

use jiff::Timestamp;

use super::DialectProblem;
use crate::model::{FactKind, Value};
use crate::source::{Entry, Scalar, Spot, TableReader, TomlDoc};

/// A text inside a dialect with the facts that are to be read from it.
#[derive(Debug, Clone)]
pub struct Example {
    /// The text.
    pub text: String,
    /// How many of its lines no rule takes, when that is said.
    pub unread: Option<usize>,
    /// What is to be read.
    pub expect: Vec<Expected>,
    /// A text of state, and the facts it is to tell.
    pub state: Option<String>,
    /// What its management agent answers.
    pub walk: Option<String>,
    /// Each with the fields that matter.
    pub facts: Vec<ExpectedFact>,
    /// What moments without a year are settled by.
    pub as_of: Option<Timestamp>,
    /// Where the text stands.
    pub spot: Spot,
}

/// A fact of state that an example expects.
#[derive(Debug, Clone)]
pub struct ExpectedFact {
    /// Its kind.
    pub kind: FactKind,
    /// The fields that matter, with their values.
    pub fields: Vec<(usize, Value)>,
    /// Where it stands.
    pub spot: Spot,
}

/// One fact that an example expects.
#[derive(Debug, Clone)]
pub struct Expected {
    /// What it is about: `1.1 port.mode`, `switch.name`, `vlan 110 vlan.name`, `mirror 1 mirror.target`.
    pub fact: String,
    /// Its value.
    pub value: String,
    /// Where it stands.
    pub spot: Spot,
}

/// Reads one `[[example]]`.
pub(super) fn read(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Option<Example> {
    let text = table.required_text("text");
    let state = table.text("state").map(|i| i.value.to_owned());
    let walk = table.text("walk").map(|i| i.value.to_owned());
    let as_of = table.time_text("as-of").and_then(|i| i.value.parse().ok());
    let facts = table.tables("facts").iter().filter_map(|fact| expected_fact(doc, fact)).collect();
    let unread = table.integer("unread").and_then(|i| usize::try_from(i.value).ok());
    let mut expect = Vec::new();
    if let Some(facts) = table.table("expect") {
        for entry in facts.entries() {
            let Some(value) = scalar_text(&entry) else { continue };
            expect.push(Expected { fact: entry.key.value.to_owned(), value, spot: entry.key.spot.clone() });
        }
    }
    table.finish();
    let text = text?;
    Some(Example { text: text.value.to_owned(), unread, expect, state, walk, facts, as_of, spot: text.spot })
}

/// `{ fact = "station", vlan = 110 }`
fn expected_fact(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Option<ExpectedFact> {
    let name = table.required_text("fact")?;
    let Some(kind) = FactKind::by_name(name.value) else {
        doc.report(&name.spot, DialectProblem::UnknownFact { found: name.value.to_owned() });
        return None;
    };
    let mut fields = Vec::new();
    for entry in table.entries().into_iter().filter(|e| e.key.value != "fact") {
        let Some((field, info)) = kind.field(entry.key.value).and_then(|f| Some((f, kind.info().fields.get(f)?)))
        else {
            let found = entry.key.value.to_owned();
            doc.report(&entry.key.spot, DialectProblem::UnknownField { found, fact: kind.info().name });
            continue;
        };
        let Some(text) = scalar_text(&entry) else { continue };
        match info.kind.parse(&text) {
            Ok(value) => fields.push((field, value)),
            Err(problem) => doc.report(&entry.spot(), DialectProblem::Value { setting: info.name, problem }),
        }
    }
    Some(ExpectedFact { kind, fields, spot: table.spot.clone() })
}

/// A value of any simple type, or a list of them, as text.
fn scalar_text(entry: &Entry<'_>) -> Option<String> {
    if let Some(numbers) = entry.integers().filter(|n| !n.is_empty()) {
        return Some(numbers.iter().map(ToString::to_string).collect::<Vec<_>>().join(","));
    }
    if let Some(texts) = entry.texts() {
        return Some(texts.join(","));
    }
    Some(match entry.scalar()? {
        Scalar::Text(text) => text.to_owned(),
        Scalar::Integer(number) => number.to_string(),
        Scalar::Flag(flag) => flag.to_string(),
    })
}
