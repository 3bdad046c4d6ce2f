//! `yellowlegs audit`

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{FleetArgs, Judging};

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
    /// What to print
    #[arg(long, value_enum, default_value_t = ReportFormat::Text, value_name = "NAME")]
    pub(crate) format: ReportFormat,
    /// Write a report to this file too: .txt, .json or .jsonl (may be given several times)
    #[arg(long, value_name = "FILE")]
    pub(crate) write: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) judging: Judging,
    /// Show lines that were not understood as they are, not as shapes: they may hold secrets
    #[arg(long)]
    pub(crate) raw: bool,
}

/// How a report looks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ReportFormat {
    /// For people
    Text,
    /// One object
    Json,
    /// One object a line
    Jsonl,
}
