//! Two checks of one fault become one finding: what another check of the same port names better is taken out.

use super::Check;
use super::judge::Told;
use super::verdict::Violation;
use crate::model::SettingId;

/// What a violation is caused by: a setting, and the port of it where it has one.
type Cause = (SettingId, Option<usize>);

/// Takes out what another check of the port names better: violations of the same cause.
pub(super) fn absorb(told: &mut [(&'static Check, Told)]) {
    let cause = |v: &Violation| Some((*v.settings.first()?, v.port));
    let causes = |v: &Violation| v.settings.iter().map(|id| (*id, v.port)).collect::<Vec<_>>();
    let mut absorbed: Vec<(&'static str, Vec<Cause>)> = Vec::new();
    for (check, told) in told.iter() {
        if let Told::Violated(violations) = told {
            let causes: Vec<_> = violations.iter().flat_map(causes).collect();
            absorbed.extend(check.absorbs.iter().map(|id| (*id, causes.clone())));
        }
    }
    if absorbed.is_empty() {
        return;
    }
    for (check, told) in told {
        let Told::Violated(violations) = told else { continue };
        violations.retain(|violation| {
            let cause = cause(violation);
            !absorbed.iter().any(|(id, causes)| *id == check.id && cause.is_some_and(|c| causes.contains(&c)))
        });
        if violations.is_empty() {
            *told = Told::NotApplicable;
        }
    }
}
