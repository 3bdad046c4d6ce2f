//! The plan as a page: the findings, each with its step; the steps; what people do. One file that asks nobody for anything.

use std::collections::BTreeSet;
use std::io::{self, Write};

use askama::Template;
use yellowlegs_core::finding::Finding;
use yellowlegs_core::mend::Plan;
use yellowlegs_core::sorted;

use super::Ticket;
use super::view::{View, place};
use crate::render::html::hash;

const STYLE: &str = concat!(
    include_str!("../../../templates/colours.css"),
    include_str!("../../../templates/report.css"),
    include_str!("../../../templates/mend.css")
);

#[derive(Template)]
#[template(path = "mend.html")]
struct Document {
    title: String,
    version: &'static str,
    view: View,
    findings: Vec<Row>,
    style: &'static str,
    style_hash: String,
}

/// A finding, and what becomes of it.
struct Row {
    number: usize,
    place: String,
    check: &'static str,
    message: String,
    /// The steps that are for it.
    steps: Vec<usize>,
    gone: bool,
}

/// The page.
pub(crate) fn page(out: &mut dyn Write, ticket: &Ticket<'_>) -> io::Result<()> {
    let plan = ticket.plan;
    // Those that came up on the way have steps, too.
    let mut numbers: BTreeSet<usize> = sorted::tree_set(plan.chosen.iter().copied());
    numbers.extend(plan.steps.iter().flat_map(|step| step.change.because.iter().copied()));
    let document = Document {
        title: ticket.head.title(),
        version: env!("CARGO_PKG_VERSION"),
        view: View::of(plan),
        findings: numbers.into_iter().filter_map(|number| row(plan, number)).collect(),
        style: STYLE,
        style_hash: hash(STYLE),
    };
    document.write_into(out)
}

fn row(plan: &Plan<'_>, number: usize) -> Option<Row> {
    let finding: &Finding = plan.findings.get(number)?;
    let is_for = |(_, step): &(usize, &yellowlegs_core::mend::Step)| step.change.because.contains(&number);
    Some(Row {
        number,
        place: place(finding),
        check: finding.check,
        message: finding.message.clone(),
        steps: plan.steps.iter().enumerate().filter(is_for).map(|(at, _)| at + 1).collect(),
        gone: plan.proof.gone.contains(&number) || !plan.chosen.contains(&number),
    })
}
