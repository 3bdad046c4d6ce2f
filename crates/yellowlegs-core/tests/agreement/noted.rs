//! What a drill notes that it asked is all that it hangs on: until one of these settings changes it ends as it did, with the same words.
//! Plans rest on it, for they play again only where a step has changed one of them.

use std::collections::BTreeMap;
use std::sync::atomic::{AtomicUsize, Ordering};

use proptest::collection::vec;
use proptest::sample::select;
use proptest::test_runner::TestCaseError;
use yellowlegs_core::drill::{Outcome, Rehearsed, Rehearser};
use yellowlegs_core::model::{SettingSet, settings};
use yellowlegs_core::policy::{Assigned, Policy, assign};
use yellowlegs_core::resolve::{Resolved, differences};

use super::generated::{after, bare_records, fleet, steps, strict};
use super::{around, try_each};

/// The drills of those who are right.
const LEGITIMATE: &[&str] = &["real-server", "phone-boot", "desk-boot", "stream-join"];

fn ended(played: &[Rehearsed]) -> Vec<(&'static str, Outcome, String)> {
    played.iter().map(|one| (one.drill.name, one.told.outcome, one.told.says.clone())).collect()
}

fn roles(policy: &Policy, fleet: &BTreeMap<&str, Resolved>) -> Vec<Vec<Option<Assigned>>> {
    fleet.values().map(|resolved| assign(policy, &resolved.switch, resolved.lists()).ports).collect()
}

/// What is around a switch beside its settings: who asks in which VLAN.
fn asks(changed: &BTreeMap<&str, SettingSet>) -> bool {
    let ids =
        [settings::QUERIER.id, settings::QUERIER_ADDRESS.id, settings::VLAN_QUERIER_ADDRESS.id, settings::VLANS.id];
    let asking: SettingSet = ids.into_iter().collect();
    changed.values().any(|changed| changed.meets(asking))
}

/// Holds two fleets against each other: on how many ports a change was none to the drills, and on how many it was one.
fn held(
    policy: &Policy,
    before: &BTreeMap<&'static str, Resolved>,
    after: &BTreeMap<&'static str, Resolved>,
) -> Result<(usize, usize), TestCaseError> {
    let changed: BTreeMap<&str, SettingSet> = before
        .iter()
        .map(|(name, resolved)| (*name, differences(resolved, &after[name]).into_iter().map(|(_, id)| id).collect()))
        .collect();
    let (mut none, mut some) = (0, 0);
    if roles(policy, before) != roles(policy, after) || asks(&changed) {
        return Ok((none, some));
    }
    let (was, is) = (around(policy, before), around(policy, after));
    for (name, resolved) in before {
        let (was, is) = (Rehearser::new(resolved, policy, &was), Rehearser::new(&after[name], policy, &is));
        for port in 0..resolved.switch.ports().len() {
            let wanted = |drill: &yellowlegs_core::drill::Drill| LEGITIMATE.contains(&drill.name);
            let (played, asked) = was.play_noting(port, wanted);
            let told = ended(&played);
            // Whether it is noted or not makes no difference.
            proptest::prop_assert_eq!(&told, &ended(&was.play(port, wanted)), "{} {}", name, port);
            if asked.iter().any(|(of, asked)| asked.meets(changed[&**of])) {
                some += 1;
                continue;
            }
            none += 1;
            proptest::prop_assert_eq!(&told, &ended(&is.play(port, wanted)), "{} {}: {:?}", name, port, asked);
        }
    }
    Ok((none, some))
}

#[test]
fn what_is_noted_is_all_that_it_hangs_on() {
    let (fleet, policy) = (fleet(), strict());
    let base = bare_records(&fleet);
    let [of_settings, ..] = steps(&fleet);
    let strategy = (vec(select(of_settings.clone()), 0..6), vec(select(of_settings), 1..4));
    let (none, some) = (AtomicUsize::new(0), AtomicUsize::new(0));
    let wrong = try_each(1_500, &strategy, |(first, then)| {
        let both: Vec<_> = first.iter().chain(&then).cloned().collect();
        let Some((before, after)) = after(&fleet, &base, &first).zip(after(&fleet, &base, &both)) else {
            return Ok(());
        };
        let (un, touched) = held(&policy, &before, &after)?;
        none.fetch_add(un, Ordering::Relaxed);
        some.fetch_add(touched, Ordering::Relaxed);
        Ok(())
    });
    assert!(wrong.is_empty(), "{wrong:#?}");
    let (none, some) = (none.into_inner(), some.into_inner());
    assert!(none > 3_000 && some > 1_000, "{none} ports without a change, {some} with one");
}
