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

use yellowlegs_core::finding::{Evidence, Finding, SwitchOutcome, Totals};
use yellowlegs_core::model::Value;
use yellowlegs_core::policy::RoleFrom;

pub(crate) use catalogue::{catalogue_json, catalogue_text, explain};
pub(crate) use clean::clean;
pub(crate) use json::{JsonLines, JsonReport, write_json};
pub(crate) use text::TextReport;

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

/// The file and line of a piece of evidence.
fn place(line: &Evidence) -> String {
    let file = clean(line.file.as_deref().unwrap_or("built in")).into_owned();
    line.line.map_or_else(|| file.clone(), |number| format!("{file}:{number}"))
}

/// A value, for people.
fn shown(value: Option<&Value>) -> String {
    let shown = value.map_or_else(|| "unknown".to_owned(), ToString::to_string);
    if shown.is_empty() { "none".to_owned() } else { shown }
}

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
