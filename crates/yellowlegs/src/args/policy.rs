//! `yellowlegs policy`

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};

use super::FleetArgs;

/// Draft, show and test the policy that a fleet is judged by
#[derive(Debug, Args)]
pub(crate) struct Policy {
    #[command(subcommand)]
    pub(crate) task: PolicyTask,
}

#[derive(Debug, Subcommand)]
pub(crate) enum PolicyTask {
    New(New),
    Show(Show),
    Test(PolicyTest),
}

/// Draft a policy from a fleet and print it: VLANs, roles with their ports, servers, links
#[derive(Debug, Args)]
#[command(after_help = "\
The fleet needs its dialects, and no policy yet. What is guessed is said beside it.

Example: yellowlegs policy new marram-ferries > draft.toml")]
pub(crate) struct New {
    /// The fleet's root
    #[arg(value_name = "PATH")]
    pub(crate) path: PathBuf,
    /// Read every switch with this dialect, whatever its text looks like
    #[arg(long, value_name = "FILE")]
    pub(crate) dialect: Option<PathBuf>,
}

/// Print every value in force, and where it comes from
#[derive(Debug, Args)]
#[command(after_help = "Example: yellowlegs policy show --fleet marram-ferries")]
pub(crate) struct Show {
    #[command(flatten)]
    pub(crate) fleet: FleetArgs,
    /// What to print
    #[arg(long, value_enum, default_value_t = PolicyFormat::Text, value_name = "NAME")]
    pub(crate) format: PolicyFormat,
}

/// Hold the policy against its fleet: entries that match nothing, roles that overlap, ports without a role
#[derive(Debug, Args)]
#[command(after_help = "\
Exit codes: 0 nothing to say; 1 something is; 2 the policy or a switch cannot be read.

Example: yellowlegs policy test --fleet marram-ferries")]
pub(crate) struct PolicyTest {
    #[command(flatten)]
    pub(crate) fleet: FleetArgs,
}

/// How values are shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum PolicyFormat {
    /// For people
    Text,
    /// A list of objects
    Json,
}
