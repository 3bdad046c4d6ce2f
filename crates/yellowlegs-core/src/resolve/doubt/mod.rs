//! What is doubtful on a switch: for each line that nobody reads, and each place where its text is torn, the settings and
//! facts it could have told. The switch comes back with all of them unknown; what a check still says then holds whatever
//! those lines mean.

mod find;
mod paint;
mod target;

use std::sync::Arc;

use super::Resolved;
use crate::dialect::{Change, Dialect, PortItem};
use crate::model::{Doubt, DoubtWidth, Mark, Switch};

use find::Finder;
use paint::Painter;

/// A switch with what is doubtful about it unknown.
#[derive(Debug, Clone)]
pub struct Doubtful {
    /// The switch.
    pub resolved: Resolved,
    /// The lines that make it so, in the order of the text.
    pub doubts: Vec<Doubt>,
}

impl Resolved {
    /// The switch as it is known for certain; `None` where all of its texts were understood.
    pub fn doubtful(&self, width: DoubtWidth) -> Option<Doubtful> {
        let Switch { unread, torn, dangling, unread_facts, told_doubts, .. } = &self.switch;
        if unread.is_empty() && torn.is_empty() && dangling.is_empty() && unread_facts.is_empty() {
            return None;
        }
        let mut painter = Painter::of(self.switch.clone());
        match &self.history {
            Some(history) => Finder::new(history, &self.switch, width).all(&mut painter),
            None if width != DoubtWidth::Switch && told_doubts.is_some() => {
                painter.told(told_doubts.as_deref().unwrap_or_default());
                find::of_state(&self.switch, &mut painter);
            }
            // A record that tells its unread lines, and no more of them.
            None => {
                let torn = torn.iter().map(|(mark, torn)| (*mark, torn.says().into()));
                painter.everything(unread.iter().map(|unread| (unread.mark, Arc::clone(&unread.shape))).chain(torn));
            }
        }
        painter.follow_membership();
        if let Some(history) = &self.history {
            painter.follow_reach(history);
        }
        let Painter { switch, doubts, .. } = painter;
        let changed = doubts.iter().any(|d| !d.settings.is_empty() || d.fact.is_some() || d.more_ports);
        changed.then(|| Doubtful { resolved: Resolved { switch, history: self.history.clone() }, doubts })
    }
}

/// The ports that an unread line names where a rule that it begins like would name them: they exist, though nothing else says so.
pub(super) fn ports_of_unread(dialect: &Dialect, text: &str, mark: Mark, context: usize) -> Vec<PortItem> {
    let alike = dialect.alike(text, mark, context);
    let names_ports = |number: &u32| {
        dialect.rules().get(*number as usize).is_some_and(|rule| {
            rule.port_subjects().next().is_some() || rule.declares.is_some() || rule.used_by.is_some()
        })
    };
    if !alike.rules.iter().any(names_ports) {
        return Vec::new();
    }
    dialect.named(text, mark, |_| false).ports
}

/// Whether a change takes its value from a hole: a word that may be cut.
pub(super) fn from_text(change: &Change) -> bool {
    change.operands().iter().any(|operand| operand.hole().is_some())
}
