//! Which steps need no look, for no drill asks after what they change.

use super::kept::Kept;
use crate::model::SettingSet;

/// Steps that no drill looks at are most of many plans. Which settings drills ask shows by playing them: what none of many has asked is
/// taken for one that none asks, and whoever asks it later shows that it was not so.
#[derive(Default)]
pub(super) struct Seldom {
    /// Every step is looked at.
    off: bool,
    plays: usize,
    asked: SettingSet,
    /// Of other switches than the port's own.
    asked_beyond: SettingSet,
    passed_over: SettingSet,
    /// For ports of other switches than the one that is changed.
    passed_beyond: SettingSet,
}

/// So many ports are played on before what none of them asked is passed over.
const MANY: usize = 200;

impl Seldom {
    /// One that passes over nothing.
    pub(super) fn never() -> Self {
        Self { off: true, ..Self::default() }
    }

    /// Whether a change is one that no drill asks after.
    pub(super) fn passes_over(&mut self, changed: SettingSet) -> bool {
        let passes = self.knows() && !self.asked.meets(changed);
        if passes {
            self.passed_over = self.passed_over.union(changed);
        }
        passes
    }

    /// Whether it is one that no drill asks after on other switches.
    pub(super) fn passes_beyond(&mut self, changed: SettingSet) -> bool {
        let passes = self.knows() && !self.asked_beyond.meets(changed);
        if passes {
            self.passed_beyond = self.passed_beyond.union(changed);
        }
        passes
    }

    fn knows(&self) -> bool {
        !self.off && self.plays >= MANY
    }

    pub(super) fn note(&mut self, kept: &Kept) {
        self.plays += 1;
        let beyond = kept.beyond.iter().map(|(_, asked)| *asked);
        self.asked_beyond = beyond.fold(self.asked_beyond, SettingSet::union);
        self.asked = self.asked.union(kept.own).union(self.asked_beyond);
    }

    /// Whether something was passed over that a drill asked after later.
    pub(super) fn has_missed(&self) -> bool {
        self.asked.meets(self.passed_over) || self.asked_beyond.meets(self.passed_beyond)
    }
}
