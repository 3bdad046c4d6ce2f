//! Reading state: tables with aligned columns, `name: value` stanzas and log lines, as facts.

mod load;
mod read;
mod row;
mod said;
mod table;

use super::automaton::{Automaton, Walk};
use super::hole::HoleType;
use super::pattern::Pattern;
use super::ports::Lists;
use super::rule::{Effect, Subject};
use crate::model::{FactKind, SettingId, SettingSet, Value};
use crate::source::Word;
use crate::syntax::Splitter;
use table::Blanks;

pub(super) use load::{fact, read};
pub use read::{Missed, StateText};
pub use said::{Against, SaidOf, StateSaid};
pub(super) use table::{Heading, Placed, is_ruler, placed};

/// Where a field's value comes from.
#[derive(Debug, Clone)]
pub(super) enum Filled {
    /// Written in the dialect.
    Constant(Value),
    /// What a hole took.
    Hole(usize),
    /// What a hole's chosen word stands for; or what it took.
    Chosen(usize, Vec<Value>),
    /// The words of a text that a hole took, each standing for something; others are what the last one is.
    Words(usize, Vec<(String, Value)>, Option<Value>),
}

/// A pattern on lines of state: a line of a stanza, or of a log.
#[derive(Debug, Clone)]
pub struct StateRule {
    /// Its line in the dialect.
    pub line: u32,
    /// Its pattern.
    pub pattern: Pattern,
    /// The contexts it stands in.
    pub(super) contexts: Vec<usize>,
    /// The context it opens.
    pub(super) opens: Option<usize>,
    /// The fact that begins with it.
    pub fact: Option<FactKind>,
    /// Fields of that fact, or of the one around it.
    pub(super) fields: Vec<(usize, Filled)>,
    /// What its settings belong to.
    pub(super) subject: Option<Subject>,
    /// The settings that it decides where nothing is written.
    pub effects: Vec<Effect>,
}

/// A column of a table.
#[derive(Debug, Clone)]
pub struct Column {
    /// The words above it.
    pub title: String,
    /// It may be missing from the heading.
    pub optional: bool,
    /// A blank cell takes the value of the row above.
    pub carry: bool,
    /// What stands in it is never shown.
    pub is_secret: bool,
    cells: Automaton,
    /// The type of the one hole that its cells are, where they are no more.
    only_hole: Option<HoleType>,
    fields: Vec<(usize, Filled)>,
    /// How many holes its pattern has.
    holes: usize,
}

/// Another fact that a row tells.
#[derive(Debug, Clone)]
pub struct Beside {
    /// Its kind.
    pub fact: FactKind,
    /// Its fields, from the holes of all columns.
    fields: Vec<(usize, Filled)>,
    /// The holes without which a row does not tell it.
    needs: Vec<usize>,
}

impl Filled {
    /// The hole it is taken from.
    fn hole(&self) -> Option<usize> {
        match self {
            Self::Constant(_) => None,
            Self::Hole(hole) | Self::Chosen(hole, _) | Self::Words(hole, ..) => Some(*hole),
        }
    }
}

/// A table with aligned columns.
#[derive(Debug, Clone)]
pub struct Table {
    /// Its line in the dialect.
    pub line: u32,
    /// What a row tells; none where it only decides settings, or tells more facts.
    pub fact: Option<FactKind>,
    /// Its columns from the left.
    pub columns: Vec<Column>,
    contexts: Vec<usize>,
    /// Whether a cell that goes on in the next line does so without a blank.
    joined: bool,
    fields: Vec<(usize, Filled)>,
    /// What a row tells besides.
    pub beside: Vec<Beside>,
    /// What its settings belong to, by the holes of all columns.
    subject: Option<Subject>,
    /// The settings that a row decides where nothing is written.
    pub effects: Vec<Effect>,
}

/// How a dialect reads state.
#[derive(Debug, Clone)]
pub struct StateRules {
    /// Patterns on lines.
    pub rules: Vec<StateRule>,
    /// Tables.
    pub tables: Vec<Table>,
    /// The names of its contexts, `top` first.
    pub contexts: Vec<String>,
    automaton: Automaton,
    ignored: Automaton,
    splitter: Splitter,
    comments: Vec<String>,
    /// Signs between columns, taken for blanks.
    blanks: Blanks,
}

impl StateRules {
    /// The kind of facts that a line could have told: of the rules that begin like it, in its context or at the top.
    pub(super) fn fact_alike(&self, text: &str, words: &[Word], context: usize, lists: &Lists) -> Option<FactKind> {
        let walk = Walk { text, words, lists };
        let told = |context: usize| {
            let rules = self.automaton.furthest(context, &walk, 0)?.rules;
            let rule = rules.iter().filter_map(|rule| self.rules.get(*rule as usize));
            rule.map(|rule| rule.fact.or_else(|| self.fact_around(rule))).next()?
        };
        told(context).or_else(|| told(0)).or_else(|| {
            // In a stanza, whatever it is about.
            let opener = self.rules.iter().find(|rule| rule.opens == Some(context))?;
            opener.fact.or_else(|| self.fact_around(opener))
        })
    }

    /// The settings that a line could have decided: of the rules that begin like it, in its context or at the top; in a
    /// stanza, of all its rules where none does.
    pub(super) fn settings_alike(&self, text: &str, words: &[Word], context: usize, lists: &Lists) -> SettingSet {
        let walk = Walk { text, words, lists };
        let of = |rules: &mut dyn Iterator<Item = &StateRule>| -> SettingSet {
            rules.flat_map(|rule| &rule.effects).map(|effect| effect.setting).collect()
        };
        let alike = |context: usize| {
            let rules = self.automaton.furthest(context, &walk, 0).map(|found| found.rules).unwrap_or_default();
            of(&mut rules.iter().filter_map(|rule| self.rules.get(*rule as usize)))
        };
        let near = alike(context).union(alike(0));
        if !near.is_empty() || context == 0 {
            return near;
        }
        of(&mut self.rules.iter().filter(|rule| rule.contexts.contains(&context)))
    }

    /// The settings that facts of a kind decide by themselves, as this system tells them.
    pub(super) fn decided_by(&self, kind: FactKind) -> SettingSet {
        let tells = |fields: &[(usize, Filled)], field| fields.iter().any(|(position, _)| Some(*position) == field);
        let of_table = |table: &Table, field| {
            let columns = table.columns.iter().any(|column| tells(&column.fields, field));
            let own = table.fact == Some(kind) && (columns || tells(&table.fields, field));
            own || table.beside.iter().any(|beside| beside.fact == kind && tells(&beside.fields, field))
        };
        let of_rule = |rule: &StateRule, field| {
            rule.fact.or_else(|| self.fact_around(rule)) == Some(kind) && tells(&rule.fields, field)
        };
        let decides = |(of, field, _): &&(FactKind, &str, SettingId)| {
            let field = of.field(field);
            let told =
                || self.tables.iter().any(|t| of_table(t, field)) || self.rules.iter().any(|r| of_rule(r, field));
            *of == kind && told()
        };
        said::BY_FACTS.iter().filter(decides).map(|(.., setting)| *setting).collect()
    }

    fn fact_around(&self, rule: &StateRule) -> Option<FactKind> {
        let context = rule.contexts.first().filter(|context| **context != 0)?;
        self.rules.iter().find(|opener| opener.opens == Some(*context)).and_then(|opener| opener.fact)
    }
}
