//! Which checks a dialect leaves undetermined, whatever a text says.

use super::all;
use crate::dialect::Dialect;
use crate::model::{SettingId, TraitId};

/// A fact that a dialect never gives where the text is silent, and what waits for it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OutOfReach {
    /// The setting or trait.
    pub fact: &'static str,
    /// Whether some line can set it; then only silent text leaves it open.
    pub can_set: bool,
    /// The line of the dialect where a rule sets it.
    pub line: Option<u32>,
    /// The checks that need it.
    pub checks: Vec<&'static str>,
}

/// The feature that a fact belongs to, and its name without it: of settings the first part of their names, `traits`, or the fact itself.
pub fn feature_of(fact: &str) -> (&str, &str) {
    match fact.split_once('.') {
        Some(parts) if SettingId::by_name(fact).is_some() => parts,
        _ if TraitId::by_name(fact).is_some() => ("traits", fact),
        _ => (fact, ""),
    }
}

/// The facts that checks need and a dialect does not settle.
pub fn out_of_reach(dialect: &Dialect) -> Vec<OutOfReach> {
    let needing =
        |name: &str| -> Vec<&'static str> { all().filter(|c| c.needs.contains(&name)).map(|c| c.id).collect() };
    let unsettled = dialect.unsettled();
    unsettled
        .map(|(fact, can_set)| {
            let sets = |rule: &&crate::dialect::Rule| rule.effects.iter().any(|e| e.setting.name() == fact);
            let line = dialect.rules().iter().find(sets).map(|rule| rule.line);
            OutOfReach { fact, can_set, line, checks: needing(fact) }
        })
        .filter(|out| !out.checks.is_empty())
        .collect()
}
