//! Reports: one file a format, each fed switch by switch. To add a format, write its file and add its row to [`FORMATS`].

mod catalogue;
pub(crate) mod compare;
mod csv;
pub(crate) mod dialect;
mod drawing;
pub(crate) mod drill;
pub(crate) mod flaps;
#[cfg(feature = "gather")]
pub(crate) mod gather;
mod html;
mod json;
mod junit;
pub(crate) mod look;
mod markdown;
pub(crate) mod mend;
pub(crate) mod missing;
mod panel;
pub(crate) mod policy;
pub(crate) mod port;
mod sarif;
mod style;
mod svg;
pub(crate) mod teach;
mod text;
mod whole;
mod wrap;

use std::io::{self, Write};

use yellowlegs_core::check::Opens;
use yellowlegs_core::finding::{Evidence, EvidenceKind, Finding, Summary, SwitchOutcome, Totals};
use yellowlegs_core::model::Value;
use yellowlegs_core::policy::RoleFrom;

pub(crate) use text::TextReport;

pub(crate) use catalogue::{catalogue_json, catalogue_text, explain};
pub(crate) use json::{REPORT, write_json};
use look::Look;
pub(crate) use yellowlegs_core::source::clean;

use crate::fleet::Unreadable;

/// What told a role, in words.
fn role_from(from: RoleFrom) -> &'static str {
    match from {
        RoleFrom::List => "listed in the policy",
        RoleFrom::Description => "by its description",
        RoleFrom::Neighbour => "by its neighbour",
        RoleFrom::Vlan => "by VLAN and mode",
    }
}

/// What was found and what is open, in figures.
fn figures(summary: &Summary) -> String {
    let count = |word: &str| summary.findings.get(word).copied().unwrap_or_default();
    format!(
        "Findings: {} breach, {} risk, {} advice; {} waived. Checks undetermined: {}. Lines not understood: {}.",
        count("breach"),
        count("risk"),
        count("advice"),
        summary.waived,
        summary.undetermined,
        summary.unread_lines,
    )
}

/// The file and line of a piece of evidence.
fn place(line: &Evidence) -> String {
    let file = clean(line.file.as_deref().unwrap_or("built in")).into_owned();
    line.line.map_or_else(|| file.clone(), |number| format!("{file}:{number}"))
}

/// What a quoted line is.
fn note(kind: EvidenceKind) -> &'static str {
    match kind {
        EvidenceKind::Line => "in force",
        EvidenceKind::Default => "the platform's default",
        EvidenceKind::Silent => "no line here sets it",
        EvidenceKind::Table => "its state",
        EvidenceKind::Log => "its log",
        EvidenceKind::Record => "the record",
        EvidenceKind::Policy => "the policy",
    }
}

/// A value, for people.
fn shown(value: Option<&Value>) -> String {
    let shown = value.map_or_else(|| "unknown".to_owned(), ToString::to_string);
    if shown.is_empty() { "none".to_owned() } else { shown }
}

/// A kind of report.
#[derive(Debug)]
pub(crate) struct Format {
    /// What it is asked for by.
    pub(crate) name: &'static str,
    /// What it is for.
    pub(crate) about: &'static str,
    /// How its files end.
    pub(crate) endings: &'static [&'static str],
    /// Whether it has colours, which are to be taken out where none are wanted.
    pub(crate) has_colours: bool,
    make: fn(Look) -> Box<dyn Report>,
}

/// A report that prints nothing: what was asked for is in files.
pub(crate) struct Nothing;

impl Report for Nothing {
    fn head(&mut self, _: &mut dyn Write, _: &Head) -> io::Result<()> {
        Ok(())
    }

    fn switch(&mut self, _: &mut dyn Write, _: &SwitchOutcome) -> io::Result<()> {
        Ok(())
    }

    fn tail(&mut self, _: &mut dyn Write, _: &Tail<'_>) -> io::Result<()> {
        Ok(())
    }
}

impl Format {
    /// Starts a report.
    pub(crate) fn report(&self, look: Look) -> Box<dyn Report> {
        (self.make)(look)
    }
}

/// All kinds of reports.
pub(crate) static FORMATS: [&Format; 9] = [
    &text::FORMAT,
    &json::FORMAT,
    &json::LINES,
    &csv::FORMAT,
    &sarif::FORMAT,
    &junit::FORMAT,
    &markdown::FORMAT,
    &html::FORMAT,
    &svg::FORMAT,
];

/// What is known before the first switch.
#[derive(Debug, Clone, Default)]
pub(crate) struct Head {
    /// The time evidence is judged at.
    pub(crate) as_of: String,
    /// The site's name.
    pub(crate) site: Option<String>,
    /// The filters that choose what is reported, as they were given.
    pub(crate) chosen: Vec<String>,
    /// How far a line that is not understood casts doubt.
    pub(crate) doubt: &'static str,
}

impl Head {
    /// Site and time.
    fn title(&self) -> String {
        let site = self.site.as_ref().map(|site| format!("{site}, ")).unwrap_or_default();
        format!("{site}as of {}", self.as_of)
    }
}

/// What is known after the last switch.
pub(crate) struct Tail<'a> {
    pub(crate) fleet_findings: &'a [Finding],
    pub(crate) totals: &'a Totals,
    pub(crate) unreadable: &'a [Unreadable],
    /// Checks across switches that could not be decided: check, switch, port, what is missing.
    pub(crate) across: &'a Opens,
}

/// A report being written: the head, each switch in path order, the tail.
pub(crate) trait Report: Send {
    fn head(&mut self, out: &mut dyn Write, head: &Head) -> io::Result<()>;
    fn switch(&mut self, out: &mut dyn Write, outcome: &SwitchOutcome) -> io::Result<()>;
    fn tail(&mut self, out: &mut dyn Write, tail: &Tail<'_>) -> io::Result<()>;
}
