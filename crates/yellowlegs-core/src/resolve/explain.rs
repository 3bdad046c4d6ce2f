//! Line by line: which rule took it and what it said, or why none did.

use std::collections::BTreeMap;
use std::sync::Arc;

use jiff::Timestamp;

use super::CONFIG_FILE;
use super::apply::Applier;
use super::port_table::PortTable;
use crate::dialect::{Dialect, Missed, UnreadAt};
use crate::model::{Fact, FileText, Mark, SettingId, Switch, Unread, Value};
use crate::sorted;
use crate::source::{Source, Word};
use crate::syntax::{Line, lines};

/// A line, explained.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Explained {
    /// Its number.
    pub line: u32,
    /// Its text, secrets masked, and what nobody understands on it.
    pub text: String,
    /// Its text, secrets masked.
    pub raw: String,
    /// Where no rule takes it, and of comments and free texts, the text with every word masked that the dialect does not know.
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
    /// A rule or a table of state took it.
    Told {
        /// Its line in the dialect.
        rule: u32,
        /// The facts that begin with this line.
        facts: Vec<Fact>,
        /// The settings that it decides where nothing is written.
        said: Vec<Said>,
    },
    /// It stands under a table of state and one of its cells does not fit.
    Misfit {
        /// The table's line in the dialect.
        table: u32,
        /// The title of the cell's column.
        column: String,
        /// It is blank, in the column that makes a row.
        blank: bool,
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
    /// A rule takes it, and nobody has said yet what it says.
    Open {
        /// The rule's line in the dialect.
        rule: u32,
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
    let mut reading = dialect.read(source, CONFIG_FILE);
    let (secrets, hidden) = (std::mem::take(&mut reading.secrets), std::mem::take(&mut reading.hidden));
    let mut page = Page::new(dialect, source, secrets, hidden);
    let table = PortTable::gather(dialect, source, &reading, &[], &mut page.switch);
    let applier = Applier::new(dialect, source, &reading, &table, None);
    let context_name = |c: usize| dialect.contexts().get(c).cloned();
    for statement in &reading.statements {
        let Some(rule) = dialect.rules().get(statement.rule as usize) else { continue };
        if rule.is_open {
            page.add(statement.mark.line(), Outcome::Open { rule: rule.line });
            continue;
        }
        let said = applier.said(statement);
        let opens = rule.opens.filter(|_| rule.opens_block() && !statement.negated).and_then(context_name);
        page.add(statement.mark.line(), Outcome::Taken { rule: rule.line, negated: statement.negated, said, opens });
    }
    for (unread, at) in reading.unread.iter().zip(&reading.unread_at) {
        if let UnreadAt::Open(..) = at {
            continue;
        }
        let context = at.context();
        let nearest = context.and_then(|c| dialect.nearest_rule(source.text(), unread.mark, c));
        let outcome = Outcome::Unread {
            context: context.and_then(context_name),
            nearest: nearest.map(|(rule, _)| rule.line),
            stopped: nearest.map(|(_, word)| word.of(source.text()).to_owned()),
        };
        page.miss(unread, outcome);
    }
    page.finish(dialect, source)
}

/// What the statement that begins at a byte of a configuration says; none where nobody understands it.
pub fn says_at(dialect: &Arc<Dialect>, source: &Arc<Source>, begin: usize) -> Option<Vec<Said>> {
    let reading = dialect.read(source, CONFIG_FILE);
    let statement = reading.statements.iter().find(|statement| statement.words().start == begin);
    let Some(statement) = statement else {
        // A line that is about nothing, or inside such a one, is no statement.
        let is_unread = reading.unread.iter().any(|unread| unread.mark.offset as usize == begin);
        return (!is_unread).then(Vec::new);
    };
    if dialect.rules().get(statement.rule as usize)?.is_open {
        return None;
    }
    let mut switch = Switch::empty("text".into());
    let table = PortTable::gather(dialect, source, &reading, &[], &mut switch);
    Some(Applier::new(dialect, source, &reading, &table, None).said(statement))
}

/// Explains every line of a text of state.
pub fn explain_state(dialect: &Arc<Dialect>, source: &Arc<Source>, as_of: Timestamp) -> Vec<Explained> {
    let read = dialect.read_state(source, CONFIG_FILE, as_of);
    let mut page = Page::new(dialect, source, read.secrets, read.hidden);
    let mut facts: BTreeMap<u32, Vec<Fact>> = BTreeMap::new();
    for fact in read.facts {
        facts.entry(fact.mark.line()).or_default().push(fact);
    }
    let mut decided: BTreeMap<u32, Vec<Said>> = BTreeMap::new();
    for said in read.said {
        let how = if said.adds { "adds" } else { "sets" };
        let said_there = Said { setting: said.setting, how, value: Some(said.value) };
        decided.entry(said.mark.line()).or_default().push(said_there);
    }
    let unread: sorted::Set<u32> = sorted::set(read.unread.iter().map(|u| u.mark.line()));
    for (line, rule) in read.taken.into_iter().filter(|(line, _)| !unread.contains(line)) {
        let (facts, said) = (facts.remove(&line).unwrap_or_default(), decided.remove(&line).unwrap_or_default());
        page.add(line, Outcome::Told { rule, facts, said });
    }
    for (unread, missed) in read.unread.iter().zip(read.missed) {
        let outcome = match missed {
            Missed::Cell { table, column, blank } => Outcome::Misfit { table, column, blank },
            Missed::Rule { context } => {
                let nearest = dialect.nearest_state_rule(source.text(), unread.mark, context);
                Outcome::Unread {
                    context: dialect.state().contexts.get(context).cloned(),
                    nearest: nearest.map(|(rule, _)| rule.line),
                    stopped: nearest.map(|(_, word)| word.of(source.text()).to_owned()),
                }
            }
        };
        page.miss(unread, outcome);
    }
    page.finish(dialect, source)
}

/// What is known of each line so far.
struct Page {
    switch: Switch,
    outcomes: BTreeMap<u32, Vec<Outcome>>,
    shapes: BTreeMap<u32, String>,
}

impl Page {
    fn new(dialect: &Dialect, source: &Arc<Source>, secrets: Vec<Word>, hidden: Vec<Word>) -> Self {
        let mut switch = Switch::empty("text".into());
        let dialect = FileText::text(Arc::clone(dialect.source()), Vec::new(), Vec::new());
        switch.files = vec![dialect, FileText::text(Arc::clone(source), secrets, hidden)];
        Self { switch, outcomes: BTreeMap::new(), shapes: BTreeMap::new() }
    }

    fn add(&mut self, line: u32, outcome: Outcome) {
        self.outcomes.entry(line).or_default().push(outcome);
    }

    fn miss(&mut self, unread: &Unread, outcome: Outcome) {
        self.add(unread.mark.line(), outcome);
        self.shapes.insert(unread.mark.line(), unread.shape.to_string());
    }

    fn finish(mut self, dialect: &Dialect, source: &Source) -> Vec<Explained> {
        let explained = |line: Line<'_>| {
            let width = line.text.len() as u32;
            let mark = Mark { file: CONFIG_FILE, line: line.number, offset: line.start as u32, width };
            let outcome = self.outcomes.remove(&line.number).unwrap_or_else(|| vec![Outcome::Passed]);
            // Old passwords live in comments and in free texts.
            let passed = outcome.iter().all(|outcome| *outcome == Outcome::Passed);
            let of_passed = || passed.then(|| dialect.line_shape(source.text(), mark));
            Explained {
                line: line.number,
                text: self.switch.line(mark, false).unwrap_or_default(),
                raw: self.switch.line(mark, true).unwrap_or_default(),
                shape: self.shapes.remove(&line.number).or_else(of_passed),
                outcome,
            }
        };
        lines(source.text()).map(explained).collect()
    }
}
