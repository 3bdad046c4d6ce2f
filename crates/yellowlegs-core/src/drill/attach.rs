//! What a finding means: the worst drill that it lets happen, beside it.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::around::Around;
use super::rehearse::{Outcome, Rehearsed, Rehearser};
use crate::finding::{DrillShown, SwitchOutcome};
use crate::policy::Policy;
use crate::resolve::Resolved;

/// Rehearses the reported ports of a switch and puts beside each unwaived finding the worst drill that its check answers for and that did
/// not hold: on its port, or for a finding of the switch on any port.
pub fn attach(outcome: &mut SwitchOutcome, resolved: &Resolved, policy: &Policy, around: &Around) {
    let rehearser = Rehearser::new(resolved, policy, around);
    let mut played: BTreeMap<usize, Vec<Arc<Rehearsed>>> = BTreeMap::new();
    for port in &outcome.ports {
        let first = rehearser.class_of(port.position);
        played.entry(first).or_insert_with(|| rehearser.play_alike(first, |_| true));
    }
    for finding in outcome.findings.iter_mut().filter(|finding| finding.waiver.is_none()) {
        let here = |name: &str| finding.port.as_deref().is_none_or(|port| port == name);
        let mut worst: BTreeMap<(Outcome, &str), (usize, &str)> = BTreeMap::new();
        for port in outcome.ports.iter().filter(|port| here(port.name.as_str())) {
            for rehearsed in played.get(&rehearser.class_of(port.position)).into_iter().flatten() {
                let (told, drill) = (&rehearsed.told, rehearsed.drill);
                if told.outcome <= Outcome::Outage && drill.answers.contains(&finding.check) {
                    worst.entry((told.outcome, drill.name)).or_insert((0, &told.says)).0 += 1;
                }
            }
        }
        // What gets through is worse than what breaks; of these, what does so on most ports.
        let worst = worst.into_iter().min_by_key(|((outcome, _), (ports, _))| (*outcome, std::cmp::Reverse(*ports)));
        let shown = worst.map(|((outcome, drill), (ports, says))| DrillShown {
            drill: drill.to_owned(),
            outcome: outcome.word(),
            ports,
            says: says.to_owned(),
        });
        finding.drill = shown.map(Box::new);
    }
}
