//! Lines more at the end of a configuration: only they are read, and put in force on what those before came to. It comes to the same as
//! reading all of it anew, which a test holds it to; plans try thousands of lines so.

use std::sync::{Arc, PoisonError};

use super::apply::{Applier, ByRule, Watch, Written};
use super::port_table::PortTable;
use super::{CONFIG_FILE, History, Resolved, settle};
use crate::dialect::{Dialect, Reading};
use crate::model::Switch;
use crate::source::Source;

/// What is kept of what a text says before defaults, for whoever writes on behind it.
#[derive(Debug)]
pub(super) enum Kept {
    /// Nothing: it is worked out where it is wanted.
    Nothing,
    /// What the statements before one came to.
    OfOthers(Arc<Written>, usize),
    /// All of it.
    All(Arc<Written>),
}

/// What the first statements of a text came to.
pub(super) struct Known<'a> {
    /// The switch by them.
    pub(super) switch: &'a Switch,
    /// The ports they came to it with.
    pub(super) ports: &'a Arc<PortTable>,
    pub(super) written: &'a Arc<Written>,
    /// How many statements.
    pub(super) statements: usize,
    /// How many lines that nobody understands.
    unread: usize,
}

impl Known<'_> {
    /// Whether the statements behind them speak of no other ports, nor of one in a new way.
    pub(super) fn has_all_ports(&self, dialect: &Dialect, reading: &Reading) -> bool {
        reading.unread_at.len() == self.unread && self.ports.has_all(dialect, reading, self.statements)
    }
}

impl History {
    /// Its statements, followed for one setting.
    pub(super) fn following(&self, watch: Watch) -> Applier<'_> {
        let by_rule = self.by_rule.get_or_init(|| ByRule::of(&self.dialect, &self.reading));
        Applier::new(&self.dialect, &self.source, &self.reading, &self.ports, Some(watch)).with_rules(by_rule)
    }

    /// What its text came to, before defaults.
    fn written(&self) -> Arc<Written> {
        let mut kept = self.written.lock().unwrap_or_else(PoisonError::into_inner);
        let applier = || Applier::new(&self.dialect, &self.source, &self.reading, &self.ports, None);
        let written = match &*kept {
            Kept::All(written) => return Arc::clone(written),
            Kept::OfOthers(written, statements) => applier().run_on((**written).clone(), *statements),
            Kept::Nothing => applier().run(),
        };
        let written = Arc::new(written);
        *kept = Kept::All(Arc::clone(&written));
        written
    }
}

impl Resolved {
    /// No more lines are tried on it for now: what was kept for that goes.
    pub fn settle_down(&self) {
        if let Some(history) = &self.history {
            *history.written.lock().unwrap_or_else(PoisonError::into_inner) = Kept::Nothing;
        }
    }

    /// The same switch with lines more at the end of its configuration.
    pub fn with_lines(&self, lines: &[String]) -> Option<Self> {
        let before = self.text()?;
        let mut text = String::with_capacity(before.len() + lines.iter().map(|line| line.len() + 1).sum::<usize>() + 1);
        text.push_str(before);
        if !text.is_empty() && !text.ends_with('\n') {
            text.push('\n');
        }
        lines.iter().for_each(|line| {
            text.push_str(line);
            text.push('\n');
        });
        let source = Arc::new(Source::of(Arc::clone(self.history.as_deref()?.source.path()), text));
        self.read_on(&source, before.len()).or_else(|| self.with_source(source))
    }

    /// The same switch with a text that begins with its own. What is torn may go on in what follows, and what state tells is read with
    /// all of it: then there is none.
    fn read_on(&self, source: &Arc<Source>, from: usize) -> Option<Self> {
        let history = self.history.as_deref().filter(|_| self.is_alone() && self.switch.torn.is_empty())?;
        let (secrets, hidden) = self.switch.files.get(usize::from(CONFIG_FILE))?.never_shown()?;
        let mut before: Reading = history.reading.clone();
        before.unread.clone_from(&self.switch.unread);
        (before.secrets, before.hidden) = (secrets.to_vec(), hidden.to_vec());
        let reading = history.dialect.read_on(before, source, CONFIG_FILE, from)?;
        let statements = history.reading.statements.len();
        let written = history.written();
        let (switch, unread) = (&self.switch, history.reading.unread_at.len());
        let known = Known { switch, ports: &history.ports, written: &written, statements, unread };
        let name = Arc::clone(self.switch.name());
        let after = settle(name, &history.dialect, (Arc::clone(source), reading), &history.state, Some(&known));
        Some(after.with_saved(self.switch.saved().clone()))
    }
}
