//! Dialects: how one switch system's text maps to statements. See docs/dialects.md.

mod automaton;
mod hole;
mod load;
mod pattern;
mod ports;
mod problem;
mod reading;
mod rule;
mod rules;

use std::sync::Arc;

use rustc_hash::FxHashSet;

pub use automaton::Match;
pub use hole::{Captured, HoleType, duration};
pub use ports::{Lists, PortItem, PortRef};
pub use problem::DialectProblem;
pub use reading::{Reading, Statement};
pub use rule::{Change, Effect, HoleRef, Operand, Reach, Rule, Subject};

use crate::model::{SettingId, Slot, Traits};
use crate::source::{Problem, Source};
use crate::syntax::Splitter;
use automaton::Automaton;

/// A dialect, compiled: shared by every switch it reads.
#[derive(Debug, Clone)]
pub struct Dialect {
    name: Arc<str>,
    title: String,
    source: Arc<Source>,
    splitter: Splitter,
    comments: Vec<String>,
    lists: Lists,
    automaton: Automaton,
    rules: Vec<Rule>,
    recognise: Automaton,
    recognise_lines: usize,
    defaults: Vec<Option<Slot>>,
    set_by_rules: Vec<bool>,
    traits: Arc<Traits>,
    vocabulary: FxHashSet<Box<str>>,
}

impl Dialect {
    /// Reads and compiles a dialect; all that is wrong with it is told at once.
    pub fn load(source: Arc<Source>) -> Result<Self, Vec<Problem>> {
        load::load(source)
    }

    /// Its name.
    pub fn name(&self) -> &Arc<str> {
        &self.name
    }

    /// Its name for people.
    pub fn title(&self) -> &str {
        &self.title
    }

    /// The file it was read from.
    pub fn source(&self) -> &Arc<Source> {
        &self.source
    }

    /// How ports are named and lists written.
    pub fn lists(&self) -> &Lists {
        &self.lists
    }

    /// Its rules; a statement names one by position.
    pub fn rules(&self) -> &[Rule] {
        &self.rules
    }

    /// The platform's traits.
    pub fn traits(&self) -> &Arc<Traits> {
        &self.traits
    }

    /// The platform's default for a setting.
    pub fn default_slot(&self, id: SettingId) -> Option<&Slot> {
        self.defaults.get(id.index())?.as_ref()
    }

    /// Whether some rule changes a setting.
    pub fn can_set(&self, id: SettingId) -> bool {
        self.set_by_rules.get(id.index()).copied().unwrap_or_default()
    }
}
