//! `yellowlegs mend`

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{Chosen, FleetArgs};

/// Plan the repair: changes in the right order, as text for each switch, who is touched, the way back, and the proof
#[derive(Debug, Args)]
#[command(after_help = "\
A finding becomes settings, those become lines in the switch's own language. After each step the drills of those who are right are
played again: a plan that breaks one on the way is refused, with the step. Nothing is changed on any switch.
Exit codes: 0 everything chosen is gone after the plan; 1 something is left: for people, for a decision, or not written by the dialect;
2 the plan is refused, or something could not be read or done.

Examples: yellowlegs mend --fleet marram-ferries --switch nq-desks-1 --only port-security
          yellowlegs mend --fleet marram-ferries --answer decisions.toml --into change --after ../fleet-after")]
pub(crate) struct Mend {
    #[command(flatten)]
    pub(crate) fleet: FleetArgs,
    #[command(flatten)]
    pub(crate) chosen: Chosen,
    /// Only findings on ports of this role
    #[arg(long, value_name = "NAME")]
    pub(crate) role: Option<String>,
    /// Only this check or family (may be given several times)
    #[arg(long, value_name = "CHECK-OR-FAMILY")]
    pub(crate) only: Vec<String>,
    /// Only findings at this level or above [default: all]
    #[arg(long, value_enum, value_name = "LEVEL")]
    pub(crate) level: Option<MendLevel>,
    /// Bring ports back that features took down: the cause first, then the port
    #[arg(long, conflicts_with_all = ["only", "level"])]
    pub(crate) held_down: bool,
    /// Decisions: answers are taken from this file, and what is open is written into it
    #[arg(long, value_name = "FILE.toml")]
    pub(crate) answer: Option<PathBuf>,
    /// Write each setting port by port, also where a default, a profile or a list of ports would say it once
    #[arg(long)]
    pub(crate) each_port: bool,
    /// Put steps that touch somebody into this phase or a later one
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u8).range(2..=9))]
    pub(crate) phase: Option<u8>,
    /// Write one file for each switch and phase, the way back beside it, and the plan, into this folder
    #[arg(long, value_name = "FOLDER")]
    pub(crate) into: Option<PathBuf>,
    /// Write the whole fleet as it would be afterwards into this folder, outside the fleet
    #[arg(long, value_name = "FOLDER")]
    pub(crate) after: Option<PathBuf>,
    /// Judge as of this time, RFC 3339 [default: the policy's `as-of`, else now]
    #[arg(long, value_name = "TIME")]
    pub(crate) as_of: Option<String>,
    /// Read so many switches at a time [default: one for each processor]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub(crate) jobs: Option<u16>,
    /// What to print
    #[arg(long, value_enum, default_value_t = MendFormat::Text, value_name = "NAME")]
    pub(crate) format: MendFormat,
}

/// The level from which findings are mended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum MendLevel {
    /// Somebody gets in, gets out or goes down
    Breach,
    /// A safeguard is missing or half there
    Risk,
    /// It will bite later
    Advice,
}

/// How a plan looks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum MendFormat {
    /// For people, as a change request reads
    Text,
    /// One object
    Json,
    /// For a ticket or a wiki
    Markdown,
    /// A page, each finding with its step
    Html,
}
