//! `yellowlegs audit`

use std::path::PathBuf;

use clap::Args;
use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};

use super::{FleetArgs, Judging};
use crate::render::{FORMATS, Format};

/// The kinds of reports by name.
fn kinds() -> impl TypedValueParser<Value = &'static Format> {
    let values = FORMATS.map(|format| PossibleValue::new(format.name).help(format.about));
    PossibleValuesParser::new(values).map(|name| FORMATS.into_iter().find(|f| f.name == name).unwrap_or(FORMATS[0]))
}

/// Report the ports that break the policy, each with the line that proves it
#[derive(Debug, Args)]
#[command(after_help = "\
Exit codes: 0 nothing found; 1 a finding at --fail-on or above; 2 something could not be read or done;
3 nothing found at that level, but a check at that level could not be decided.

Example: yellowlegs audit marram-ferries --switch 'nq-desks-*' --only port-security --write report.json")]
pub(crate) struct Audit {
    /// The fleet's root, or folders or files below it
    #[arg(value_name = "PATH")]
    pub(crate) paths: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) fleet: FleetArgs,
    /// Report only switches whose name fits
    #[arg(long, value_name = "GLOB")]
    pub(crate) switch: Option<String>,
    /// Report only ports whose name fits
    #[arg(long, value_name = "GLOB")]
    pub(crate) port: Option<String>,
    /// Report only ports of this role
    #[arg(long, value_name = "NAME")]
    pub(crate) role: Option<String>,
    /// Report only this check or family (may be given several times)
    #[arg(long, value_name = "CHECK-OR-FAMILY")]
    pub(crate) only: Vec<String>,
    /// Read so many switches at a time [default: one for each processor]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub(crate) jobs: Option<u16>,
    /// What to print [default: text; its last screen alone where --write is given, nothing with -q besides]
    #[arg(long, value_parser = kinds(), value_name = "NAME")]
    pub(crate) format: Option<&'static Format>,
    /// Write a report to this file, its kind by its ending (may be given several times)
    #[arg(long, value_name = "FILE")]
    pub(crate) write: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) judging: Judging,
    /// Hold the findings against those of an earlier JSON report: which are new, which remain, which are gone
    #[arg(long, value_name = "REPORT.json", required_if_eq("fail_on", "new"))]
    pub(crate) since: Option<PathBuf>,
    /// Rehearse the drills too, and say beside each finding what it lets happen
    #[arg(long)]
    pub(crate) with_drills: bool,
    /// In the text report, show each port by itself, not one block for the same fault on many
    #[arg(long)]
    pub(crate) each: bool,
    /// Show lines that were not understood as they are, not as shapes: they may hold secrets
    #[arg(long)]
    pub(crate) raw: bool,
}
