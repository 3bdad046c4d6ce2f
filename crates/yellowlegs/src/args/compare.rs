//! `yellowlegs compare`

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{FleetArgs, PageFormat};

/// Show what differs between two switches, two snapshots of a fleet, or a switch and its saved copy, baseline or sisters
#[derive(Debug, Args)]
#[command(after_help = "\
A and B are names of switches, or folders: a snapshot of the whole fleet, which is compared switch by switch.
Ports with the same change are one line. Exit codes: 0 nothing differs; 1 something does; 2 something could not be read.

Examples: yellowlegs compare sp-gates-1 sp-gates-2 --fleet marram-ferries
          yellowlegs compare nq-gates-1 --against saved --fleet marram-ferries
          yellowlegs compare monday tuesday")]
pub(crate) struct Compare {
    /// A switch of the fleet, or a folder with a snapshot
    #[arg(value_name = "A")]
    pub(crate) a: PathBuf,
    /// Another one
    #[arg(value_name = "B", required_unless_present = "against", conflicts_with = "against")]
    pub(crate) b: Option<PathBuf>,
    /// Compare A with what it should be like
    #[arg(long, value_enum, value_name = "WHAT")]
    pub(crate) against: Option<Against>,
    #[command(flatten)]
    pub(crate) fleet: FleetArgs,
    /// What to print
    #[arg(long, value_enum, default_value_t = PageFormat::Text, value_name = "NAME")]
    pub(crate) format: PageFormat,
    /// Judge as of this time, RFC 3339 [default: the policy's `as-of`, else now]
    #[arg(long, value_name = "TIME")]
    pub(crate) as_of: Option<String>,
}

/// What a switch is compared with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Against {
    /// Its saved configuration
    Saved,
    /// The baseline of its sister group in the policy
    Baseline,
    /// The other switches of its sister group
    Sisters,
}
