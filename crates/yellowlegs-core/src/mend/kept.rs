//! How the legitimate drills end on a port, and on which settings that hangs.

use std::sync::Arc;

use super::Site;
use super::seldom::Seldom;
use crate::drill::{Outcome, Rehearser};
use crate::model::{Scope, SettingId, SettingSet, Value};
use crate::policy::Assigned;
use crate::resolve::Resolved;

/// The drills of those who are right: what they come to may not become worse on the way.
const LEGITIMATE: &[&str] = &["real-server", "phone-boot", "desk-boot", "stream-join"];

/// How the legitimate drills end on a port, and on what that hangs.
pub(super) struct Kept {
    pub(super) outcomes: Vec<(&'static str, Outcome, String)>,
    pub(super) role: Option<Assigned>,
    /// The settings of its own switch that were asked.
    pub(super) own: SettingSet,
    /// Those of ports among them, as they were.
    pub(super) values: Vec<(SettingId, Option<Value>)>,
    /// The settings of other switches.
    pub(super) beyond: Vec<(usize, SettingSet)>,
    /// Others may be like it: nothing sets the port apart.
    pub(super) is_common: bool,
}

impl Kept {
    fn outcome(&self, drill: &str) -> Option<&(&'static str, Outcome, String)> {
        self.outcomes.iter().find(|(name, ..)| *name == drill)
    }

    /// Whether all is well: whatever it was before, nothing became worse.
    pub(super) fn is_well(&self) -> bool {
        self.outcomes.iter().all(|(_, outcome, _)| !is_worse(Outcome::Held, *outcome))
    }

    /// Whether something works here that crosses other switches.
    pub(super) fn crosses(&self, drill: &str) -> bool {
        self.outcome(drill).is_some_and(|(_, outcome, _)| !matches!(outcome, Outcome::Outage | Outcome::Undetermined))
    }

    pub(super) fn hangs_beyond_on(&self, switch: usize, changed: SettingSet) -> bool {
        self.beyond.iter().any(|(at, asked)| *at == switch && asked.meets(changed))
    }

    /// The first drill that became worse.
    pub(super) fn worse(&self, now: &Self) -> Option<(&'static str, String)> {
        self.outcomes.iter().find_map(|(drill, before, _)| {
            let (_, after, says) = now.outcome(drill)?;
            is_worse(*before, *after)
                .then(|| (*drill, format!("{} before, now {}: {says}", before.word(), after.word())))
        })
    }
}

/// Whether it became worse: what held holds no more, or what worked, if with a leak, works no more.
fn is_worse(before: Outcome, after: Outcome) -> bool {
    let fails = matches!(after, Outcome::Outage | Outcome::Undetermined);
    match before {
        Outcome::Outage | Outcome::Undetermined => false,
        Outcome::LetThrough => fails,
        Outcome::Agreed | Outcome::Told | Outcome::Held => fails || after == Outcome::LetThrough,
    }
}

/// Plays the drills on a port.
pub(super) fn played(
    rehearser: &Rehearser<'_>,
    site: &Site<'_>,
    resolved: &Resolved,
    port: usize,
    seldom: &mut Seldom,
) -> Arc<Kept> {
    let (played, asked) = rehearser.play_noting(port, |drill| LEGITIMATE.contains(&drill.name));
    let outcomes = played.into_iter().map(|p| (p.drill.name, p.told.outcome, p.told.says)).collect();
    let (mut own, mut beyond) = (SettingSet::default(), Vec::new());
    for (name, asked) in asked {
        if name == *resolved.switch.name() {
            own = asked;
        } else {
            beyond.extend(site.number(&name).map(|at| (at, asked)));
        }
    }
    let of_ports = own.iter().filter(|id| id.info().scope == Scope::Port);
    let values = of_ports.map(|id| (id, resolved.switch.slot(Some(port), id).value.clone())).collect();
    let (role, is_common) = (rehearser.assigned(port), !rehearser.is_apart(port));
    let kept = Kept { outcomes, role, own, values, beyond, is_common };
    seldom.note(&kept);
    Arc::new(kept)
}
