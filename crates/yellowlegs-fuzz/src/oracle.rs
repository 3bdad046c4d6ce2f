//! The oracle: an audit of a switch on which less is understood has no check met that was violated or undecided before.

use std::collections::BTreeMap;
use std::sync::Arc;

use yellowlegs_core::check::{self, Judge, Selection, Told};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::policy::{AsOf, Policy};
use yellowlegs_core::resolve::{Resolved, resolve};
use yellowlegs_core::source::Source;

/// What a check came to, worst first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Came {
    /// Something is wrong.
    Violated,
    /// Nobody knows.
    Undetermined,
    /// It does not make sense here, or another check says it.
    NotApplicable,
    /// All is right.
    Met,
}

/// By port (`-`: the switch) and check, what came of it.
pub type Verdicts = BTreeMap<(String, &'static str), Came>;

/// The name that switches are judged under.
const NAME: &str = "sw1";

/// A dialect of a text.
pub fn dialect(text: &str) -> Option<Arc<Dialect>> {
    Dialect::load(&Arc::new(Source::of("d.toml", text))).ok().map(Arc::new)
}

/// A configuration, read.
pub fn read(dialect: &Arc<Dialect>, config: &str) -> Resolved {
    resolve(NAME, dialect, Arc::new(Source::of("config.txt", config)))
}

/// A policy by its text.
///
/// # Panics
/// Where it is none.
pub fn policy(text: &str) -> Policy {
    let ids = check::ids();
    Policy::load(&Arc::new(Source::of("p.toml", text)), &ids).unwrap_or_else(|problems| panic!("{problems:?}"))
}

/// What every check comes to.
///
/// # Panics
/// Never: the moment is a constant.
pub fn verdicts(policy: &Policy, resolved: &Resolved) -> Verdicts {
    let as_of = AsOf::parse("2031-03-04T06:30:00Z").unwrap_or_else(|problem| panic!("{problem:?}"));
    let selection = Selection::default();
    let told = Judge::new(policy, &as_of, &selection, false).told(resolved, resolved.lists());
    let name = |port: Option<usize>| {
        port.and_then(|port| resolved.switch.ports().get(port)).map_or_else(|| "-".to_owned(), ToString::to_string)
    };
    let came = |told: &Told| match told {
        Told::Violated(_) => Came::Violated,
        Told::Undetermined(_) => Came::Undetermined,
        Told::NotApplicable => Came::NotApplicable,
        Told::Met => Came::Met,
    };
    told.iter().map(|(port, check, told)| ((name(*port), check.id), came(told))).collect()
}

/// The checks that are met after less is understood, and were violated or undecided before.
pub fn newly_met(before: &Verdicts, after: &Verdicts) -> Vec<String> {
    let met = |(place, came): &(&(String, &'static str), &Came)| {
        **came == Came::Met && before.get(*place).is_some_and(|before| *before <= Came::Undetermined)
    };
    after.iter().filter(met).map(|((port, check), _)| format!("{port} {check}")).collect()
}

/// The `[[rule]]` tables of a dialect's text, as stretches of it.
pub fn rules(dialect: &str) -> Vec<(usize, usize)> {
    let mut rules: Vec<(usize, usize)> = Vec::new();
    let (mut at, mut header) = (0, "");
    for line in dialect.split_inclusive('\n') {
        let end = at + line.len();
        if line.starts_with('[') {
            header = line.trim_end();
            // A group is no rule itself.
            if header == "[rule.lines]" {
                rules.pop();
            }
        }
        match header {
            "[[rule]]" if line.starts_with("[[rule]]") => rules.push((at, end)),
            "[[rule]]" => rules.iter_mut().for_each(|rule| {
                if rule.1 == at {
                    rule.1 = end;
                }
            }),
            "[rule.lines]" if line.starts_with(['"', '\'']) => rules.push((at, end)),
            _ => {}
        }
        at = end;
    }
    rules
}
