//! Sister switches that are no longer alike.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::check::fleet::{Had, Sides};
use crate::check::{
    Case, Check, Digest, FleetJudgement, FleetView, FleetViolation, Mending, Repair, Run, Target, To, Violation,
};
use crate::finding::Related;
use crate::model::SettingId;
use crate::policy::{Level, Sisters};
use crate::resolve::About;
use crate::sorted;

pub(super) const DRIFT: Check = Check {
    id: "config/drift",
    title: "a switch differs from its sisters",
    level: Level::Risk,
    uses: &["role"],
    policy: &["sisters"],
    reference: "docs/policy.md, Sisters",
    why: "Switches that are meant to be alike are mended by hand one at a time, and the one that was forgotten is the \
          one that fails.",
    remedy: "Make it like {other} again, or name {setting} in the group's `except`.",
    repair: Repair::Work(make_alike),
    run: Run::Fleet(drift),
    ..Check::ROW
};

/// What is compared: a setting of the switch (no role), or of the ports of a role.
type Compared = (Arc<str>, SettingId);

/// A switch of the group, and what it has.
type Member<'f> = (&'f Arc<str>, &'f [Had]);

/// The one that is right: its name, and what it is compared by.
type Base<'f> = (Arc<str>, &'f BTreeMap<Compared, Vec<Had>>);

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
        let keys: sorted::Set<&Compared> = sorted::set(members.iter().flat_map(|digest| digest.settings.keys()));
        for key in keys.into_iter().filter(|(_, id)| group.compares(*id)) {
            compare(group, key, &members, base.as_ref(), &mut judgement);
        }
    }
    judgement
}

fn compare(
    group: &Sisters,
    key: &Compared,
    members: &[&Digest],
    base: Option<&Base<'_>>,
    judgement: &mut FleetJudgement,
) {
    let values = |had: &[Had]| -> Vec<u64> { had.iter().map(|had| had.value).collect() };
    let mut by_value: BTreeMap<Vec<u64>, Vec<Member<'_>>> = BTreeMap::new();
    for member in members {
        // A role that a switch has no port of is no difference.
        if let Some(had) = member.settings.get(key) {
            by_value.entry(values(had)).or_default().push((&member.switch, had));
        }
    }
    // Without a baseline most are right; where no value has most, the first switch's.
    let first = |switches: &[(&Arc<str>, _)]| switches.first().map(|(name, _)| Arc::clone(name));
    let most = || by_value.values().max_by_key(|s| (s.len(), std::cmp::Reverse(first(s))));
    let right = match base {
        Some((name, settings)) => settings.get(key).map(|had| (had.as_slice(), Arc::clone(name))),
        None => most().and_then(|switches| switches.first()).map(|(name, had)| (*had, Arc::clone(name))),
    };
    let Some((right, other)) = right else { return };
    let (role, id) = key;
    let unlike = by_value.iter().filter(|(value, _)| **value != values(right)).flat_map(|(_, switches)| switches);
    for (switch, had) in unlike {
        let says = if role.is_empty() {
            "{setting} is {value}; {other} has {theirs}"
        } else {
            "{setting} is {value} on {at}, role {of}; {other} has {theirs} on {there}"
        };
        let mut violation = Violation::saying(says)
            .fact("setting", id.name())
            .fact("of", &**role)
            .fact("other", &*other)
            .demand(&group.cite);
        violation.apart = Some(format!("{} {role}", id.name()));
        let mut found = FleetViolation::at(Related { switch: Arc::clone(switch), port: None }, violation);
        let (port, other_port) = apart(had, right);
        found.sides = Some(Sides { setting: *id, port, other: Arc::clone(&other), other_port });
        judgement.violations.push(found);
    }
}

/// The ports whose values show that two switches are unlike: the first of either that has what the other has not, else any.
fn apart(here: &[Had], there: &[Had]) -> (Option<usize>, Option<usize>) {
    let first = |one: &[Had], other: &[Had]| {
        let lacking = one.iter().find(|had| other.iter().all(|o| o.value != had.value));
        lacking.or(one.first()).and_then(|had| had.port)
    };
    (first(here, there), first(there, here))
}

/// One sister as the other: somebody says which of them is right.
fn make_alike(case: &Case<'_>) -> Mending {
    let (Some(here), Some(other)) = (case.finding.switch.clone(), case.text("other")) else { return Mending::Person };
    let Some(setting) = case.text("setting").and_then(|name| SettingId::by_name(&name)) else { return Mending::Person };
    let about = |fact: &str| match case.text(fact) {
        Some(port) if !port.is_empty() => About::Port(port.into()),
        _ => About::Switch,
    };
    let (own, theirs) = (about("at"), about("there"));
    let copied = |from: &str, at: &About, to: &Arc<str>, about: &About| -> Vec<Target> {
        let value = (case.fleet)(from).and_then(|sister| sister.slot_by_hand(at, setting).value);
        let target = |value| Target { switch: Arc::clone(to), about: about.clone(), setting, to: To::Value(value) };
        value.map(target).into_iter().collect()
    };
    let there: Arc<str> = other.as_str().into();
    let choices = vec![
        (format!("as {other}"), copied(&other, &theirs, &here, &own)),
        (format!("as {here}"), copied(&here, &own, &there, &theirs)),
    ];
    if choices.iter().any(|(_, targets)| targets.is_empty()) {
        return Mending::Person;
    }
    Mending::one_of(format!("{here} and {other}: {} differs: as which of them is it to be?", setting.name()), choices)
}
