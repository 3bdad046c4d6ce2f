//! Ports that features took down: the cause first, then the port, down and up again.

use std::sync::Arc;

use super::{Site, Step};
use crate::finding::Finding;
use crate::model::{Value, settings};
use crate::resolve::{About, Wanted};

/// A port that is down, and how it comes back after the steps.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BackUp {
    /// The finding, by position among those of the plan.
    pub finding: usize,
    /// The switch.
    pub switch: Arc<str>,
    /// The port.
    pub port: String,
    /// What took it down.
    pub cause: String,
    /// What comes first: the cause is removed, or accepted.
    pub first: String,
    /// The steps that are about the port, from 1.
    pub steps: Vec<usize>,
    /// How it comes back without anybody.
    pub back: String,
    /// Whom to visit.
    pub whom: String,
    /// The lines that take it down and up again; none where the dialect writes none.
    pub lines: Vec<String>,
}

/// The check that finds them.
pub const HELD_DOWN: &str = "recovery/held-down";

/// The ports among what is chosen.
pub(super) fn back_up(after: &Site<'_>, findings: &[Finding], chosen: &[usize], steps: &[Step]) -> Vec<BackUp> {
    let one = |number: &usize| {
        let finding = findings.get(*number).filter(|finding| finding.check == HELD_DOWN)?;
        let (switch, port) = (finding.switch.clone()?, finding.port.clone()?);
        let about = About::Port(port.as_str().into());
        let told = |fact: &str| finding.inputs.get(fact).map(ToString::to_string).unwrap_or_default();
        let is_about =
            |(_, step): &(usize, &Step)| step.change.switch == switch && step.change.from.contains_key(&about);
        Some(BackUp {
            finding: *number,
            cause: told("cause"),
            first: told("do"),
            steps: steps.iter().enumerate().filter(is_about).map(|(at, _)| at + 1).collect(),
            back: told("back"),
            whom: told("whom"),
            lines: down_and_up(after, &switch, &about).unwrap_or_default(),
            switch,
            port,
        })
    };
    chosen.iter().filter_map(one).collect()
}

fn down_and_up(after: &Site<'_>, switch: &str, about: &About) -> Option<Vec<String>> {
    let now = after.get(switch)?.alone()?;
    let wanted = |up: bool| Wanted { about: about.clone(), setting: settings::ENABLED.id, value: Value::Flag(up) };
    let down = now.edit(&wanted(false)).ok()?;
    let up = now.with_text(down.text)?.edit(&wanted(true)).ok()?;
    Some(down.lines.into_iter().chain(up.lines).collect())
}
