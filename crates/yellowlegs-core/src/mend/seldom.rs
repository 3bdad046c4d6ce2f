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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{SettingId, settings};

    fn kept(own: SettingId, beyond: SettingId) -> Kept {
        let (own, beyond) = ([own].into_iter().collect(), vec![(1, [beyond].into_iter().collect())]);
        Kept { outcomes: Vec::new(), role: None, own, values: Vec::new(), beyond, is_common: true }
    }

    fn seldom(plays: usize) -> Seldom {
        let mut seldom = Seldom::default();
        (0..plays).for_each(|_| seldom.note(&kept(settings::LIMIT.id, settings::VLANS.id)));
        seldom
    }

    fn of(id: SettingId) -> SettingSet {
        [id].into_iter().collect()
    }

    #[test]
    fn what_none_of_many_has_asked_is_passed_over() {
        let (dscp, limit, vlans) = (of(settings::VOICE_DSCP.id), of(settings::LIMIT.id), of(settings::VLANS.id));
        assert!(!seldom(MANY - 1).passes_over(dscp) && seldom(MANY).passes_over(dscp));
        assert!(!seldom(MANY).passes_over(limit) && seldom(MANY).passes_beyond(limit));
        // What is asked of other switches may be asked of this one, too.
        assert!(!seldom(MANY).passes_beyond(vlans) && !seldom(MANY).passes_over(vlans));
        assert!(!Seldom { plays: MANY, ..Seldom::never() }.passes_over(dscp));
    }

    #[test]
    fn whoever_asks_it_later_shows_that_it_was_missed() {
        let mut seldom = seldom(MANY);
        let description = settings::DESCRIPTION.id;
        assert!(
            seldom.passes_over(of(settings::VOICE_DSCP.id))
                && seldom.passes_beyond(of(description))
                && !seldom.has_missed()
        );
        seldom.note(&kept(description, settings::VLANS.id));
        assert!(!seldom.has_missed(), "on its own switch somebody may ask it");
        seldom.note(&kept(settings::LIMIT.id, description));
        assert!(seldom.has_missed());
        let mut other = super::tests::seldom(MANY);
        assert!(other.passes_over(of(settings::VOICE_DSCP.id)));
        other.note(&kept(settings::VOICE_DSCP.id, settings::VLANS.id));
        assert!(other.has_missed());
    }
}
