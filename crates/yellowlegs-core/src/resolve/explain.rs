//! Line by line: which rule took it and what it said, or why none did.

use std::sync::Arc;

use super::apply::Applier;
use super::port_table::PortTable;
use crate::dialect::Dialect;
use crate::model::{FileText, SettingId, Switch, Value};
use crate::source::Source;

/// A line, explained.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Explained {
    /// Its number.
    pub line: u32,
    /// Its text, secrets masked.
    pub text: String,
    /// Where no rule takes it, the text with every word masked that the dialect does not know.
    pub shape: Option<String>,
    /// What came of it.
    pub outcome: Vec<Outcome>,
}

/// What came of a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Outcome {
    /// A rule took it, or a part of it.
    Taken {
        /// The rule's line in the dialect.
        rule: u32,
        /// Whether it was the negated form.
        negated: bool,
        /// What it says.
        said: Vec<Said>,
        /// What it opens.
        opens: Option<String>,
    },
    /// No rule takes it.
    Unread {
        /// The context it stands in; `None` inside a block that nobody knows.
        context: Option<String>,
        /// The rule that fits it longest, by its line in the dialect.
        nearest: Option<u32>,
        /// The word where that stopped; empty where more was expected.
        stopped: Option<String>,
    },
    /// A blank line, a comment, or a line of a free text.
    Passed,
}

/// One setting that a line speaks of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Said {
    /// The setting.
    pub setting: SettingId,
    /// `sets`, `adds`, `removes`, `takes back` or `implies`.
    pub how: &'static str,
    /// The value; `None` when it is taken back.
    pub value: Option<Value>,
}

/// Explains every line of a configuration.
pub fn explain(dialect: &Arc<Dialect>, source: &Arc<Source>) -> Vec<Explained> {
    let mut reading = dialect.read(source, 1);
    let mut switch = Switch::empty("text".into());
    let masked = FileText::text(Arc::clone(source), std::mem::take(&mut reading.secrets));
    switch.files = vec![FileText::text(Arc::clone(dialect.source()), Vec::new()), masked];
    let table = PortTable::gather(dialect, &reading, &mut switch);
    let applier = Applier::new(dialect, source, &reading, &table, None);
    let lines = source.text().lines().count() as u32;
    let mut outcomes: Vec<Vec<Outcome>> = vec![Vec::new(); lines as usize + 1];
    let mut texts: Vec<Option<String>> = vec![None; lines as usize + 1];
    for statement in &reading.statements {
        let Some(rule) = dialect.rules().get(statement.rule as usize) else { continue };
        let said = applier.said(statement);
        let opens = rule.opens.filter(|_| !statement.negated).and_then(|c| dialect.contexts().get(c).cloned());
        let line = statement.mark.line() as usize;
        if let Some(outcome) = outcomes.get_mut(line) {
            outcome.push(Outcome::Taken { rule: rule.line, negated: statement.negated, said, opens });
            texts[line] = switch.quote(statement.mark).map(|q| q.text);
        }
    }
    for (unread, context) in reading.unread.iter().zip(&reading.unread_in) {
        let nearest = context.and_then(|c| dialect.nearest_rule(source.text(), unread.mark, c));
        let line = unread.mark.line() as usize;
        if let Some(outcome) = outcomes.get_mut(line) {
            outcome.push(Outcome::Unread {
                context: context.and_then(|c| dialect.contexts().get(c).cloned()),
                nearest: nearest.map(|(rule, _)| rule.line),
                stopped: nearest.map(|(_, word)| word.of(source.text()).to_owned()),
            });
            texts[line] = switch.quote(unread.mark).map(|q| q.text);
        }
    }
    let mut shapes: Vec<Option<String>> = vec![None; lines as usize + 1];
    for unread in &reading.unread {
        if let Some(shape) = shapes.get_mut(unread.mark.line() as usize) {
            *shape = Some(unread.shape.to_string());
        }
    }
    let plain: Vec<&str> = source.text().lines().collect();
    (1..=lines as usize)
        .map(|line| {
            let mut outcome = std::mem::take(&mut outcomes[line]);
            if outcome.is_empty() {
                outcome.push(Outcome::Passed);
            }
            let text = texts[line].take().unwrap_or_else(|| plain[line - 1].to_owned());
            Explained { line: line as u32, text, shape: shapes[line].take(), outcome }
        })
        .collect()
}
