//! `yellowlegs read`

use std::path::PathBuf;

use clap::Args;

use super::FleetArgs;

/// Print what was understood of a configuration as a switch record (JSON), and what was not
#[derive(Debug, Args)]
#[command(after_help = "\
The record goes to standard output, unread lines to standard error.
Example: yellowlegs read marram-ferries/northquay/nq-desks-1/config.txt")]
pub(crate) struct Read {
    /// Configurations, texts of state, switch records (.json), or a switch's folder with all of them
    #[arg(value_name = "FILE", required = true)]
    pub(crate) files: Vec<PathBuf>,
    #[command(flatten)]
    pub(crate) fleet: FleetArgs,
    /// Settle moments without a year by this time, RFC 3339 [default: the policy's `as-of`, else now]
    #[arg(long, value_name = "TIME")]
    pub(crate) as_of: Option<String>,
    /// Show lines that were not understood as they are, not as shapes: they may hold secrets
    #[arg(long)]
    pub(crate) raw: bool,
}
