//! Reports: one file a format, each fed switch by switch.

mod catalogue;
mod clean;
pub(crate) mod compare;
pub(crate) mod dialect;
pub(crate) mod flaps;
mod json;
pub(crate) mod policy;
pub(crate) mod port;
mod style;
mod text;

use std::io::{self, Write};

use yellowlegs_core::finding::{Finding, SwitchOutcome, Totals};

pub(crate) use catalogue::{catalogue_json, catalogue_text, explain};
pub(crate) use clean::clean;
pub(crate) use json::{JsonLines, JsonReport, write_json};
pub(crate) use text::TextReport;

use crate::fleet::Unreadable;

/// What is known before the first switch.
pub(crate) struct Head<'a> {
    /// The time evidence is judged at.
    pub(crate) as_of: &'a str,
    /// The site's name.
    pub(crate) site: Option<&'a str>,
}

/// What is known after the last switch.
pub(crate) struct Tail<'a> {
    pub(crate) fleet_findings: &'a [Finding],
    pub(crate) totals: &'a Totals,
    pub(crate) unreadable: &'a [Unreadable],
}

/// A report being written: the head, each switch in path order, the tail.
pub(crate) trait Report {
    fn head(&mut self, out: &mut dyn Write, head: &Head<'_>) -> io::Result<()>;
    fn switch(&mut self, out: &mut dyn Write, outcome: &SwitchOutcome) -> io::Result<()>;
    fn tail(&mut self, out: &mut dyn Write, tail: &Tail<'_>) -> io::Result<()>;
}
