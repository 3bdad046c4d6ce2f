//! Sister switches that are no longer alike.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::check::{Check, Digest, FleetJudgement, FleetView, FleetViolation, Run, Violation};
use crate::finding::Related;
use crate::model::{Scope, SettingId};
use crate::policy::{Level, Sisters};

pub(super) const DRIFT: Check = Check {
    id: "config/drift",
    title: "a switch differs from its sisters",
    level: Level::Risk,
    needs: &[],
    uses: &["role"],
    policy: &["sisters"],
    reference: "docs/policy.md, Sisters",
    why: "Switches that are meant to be alike are mended by hand one at a time, and the one that was forgotten is the \
          one that fails.",
    remedy: "Make it like {other} again, or name {setting} in the group's `except`.",
    run: Run::Fleet(drift),
    ..Check::ROW
};

/// What is compared: a setting of the switch (no role), or of the ports of a role.
type Compared = (Arc<str>, SettingId);

/// The one that is right: its name, and what it is compared by.
type Base<'f> = (Arc<str>, &'f BTreeMap<Compared, u64>);

fn drift(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    for group in &fleet.policy.sisters {
        let is_member = |digest: &Digest| group.switches.iter().any(|glob| glob.is_match(&*digest.switch));
        let members: Vec<&Digest> = fleet.switches.iter().filter(|digest| is_member(digest)).collect();
        let base: Option<Base<'_>> = group.baseline.as_deref().and_then(|path| {
            let kept = fleet.baselines.iter().find(|(folder, _)| folder == path).map(|(_, digest)| digest);
            let digest = kept.or_else(|| fleet.switches.iter().find(|digest| *digest.switch == *path))?;
            Some((path.into(), &digest.settings))
        });
        let keys: BTreeSet<&Compared> = members.iter().flat_map(|digest| digest.settings.keys()).collect();
        for key in keys.into_iter().filter(|(_, id)| !group.except.iter().any(|name| excepts(name, *id))) {
            compare(group, key, &members, base.as_ref(), &mut judgement);
        }
    }
    judgement
}

/// Whether an entry of `except` names a setting: it, or a feature.
fn excepts(name: &str, id: SettingId) -> bool {
    name == id.name() || id.name().split_once('.').is_some_and(|(feature, _)| feature == name)
}

fn compare(
    group: &Sisters,
    key: &Compared,
    members: &[&Digest],
    base: Option<&Base<'_>>,
    judgement: &mut FleetJudgement,
) {
    let mut by_value: BTreeMap<u64, Vec<&Arc<str>>> = BTreeMap::new();
    for member in members {
        // A role that a switch has no port of is no difference.
        if let Some(value) = member.settings.get(key) {
            by_value.entry(*value).or_default().push(&member.switch);
        }
    }
    // Without a baseline most are right; where no value has most, the first switch's.
    let most = || by_value.iter().max_by_key(|(_, s)| (s.len(), std::cmp::Reverse(s.first().copied())));
    let right = match base {
        Some((name, settings)) => settings.get(key).map(|value| (*value, Arc::clone(name))),
        None => most().and_then(|(value, switches)| Some((*value, Arc::clone(switches.first()?)))),
    };
    let Some((right, other)) = right else { return };
    let (role, id) = key;
    for switch in by_value.iter().filter(|(value, _)| **value != right).flat_map(|(_, switches)| switches) {
        let says = if role.is_empty() {
            "{setting} differs from {other}"
        } else {
            "{setting} on ports of role {of} differs from {other}"
        };
        let place = Related { switch: Arc::clone(&other), port: None };
        let mut violation = Violation::saying(says)
            .fact("setting", id.name())
            .fact("of", &**role)
            .fact("other", &*other)
            .related(vec![place.clone()])
            .demand(&group.cite);
        violation.apart = Some(format!("{} {role}", id.name()));
        if id.info().scope == Scope::Switch {
            violation = violation.beside(*id);
        }
        let mut found = FleetViolation::at(Related { switch: Arc::clone(switch), port: None }, violation);
        found.beside = if id.info().scope == Scope::Switch { vec![(place, *id)] } else { Vec::new() };
        judgement.violations.push(found);
    }
}
