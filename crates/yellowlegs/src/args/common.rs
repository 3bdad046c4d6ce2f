//! Options that several commands share.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

/// How much is said beside the data.
#[derive(Debug, Clone, Copy, Args)]
pub(crate) struct Loudness {
    /// Say nothing on standard error but errors, and leave remarks and unread lines out of the text report
    #[arg(short, long, global = true, conflicts_with = "verbose")]
    pub(crate) quiet: bool,
    /// Say more: lines that lost to others, and each port a check could not decide
    #[arg(short, long, global = true)]
    pub(crate) verbose: bool,
    /// When to use colours
    #[arg(long, global = true, value_enum, default_value_t = Color::Auto, value_name = "WHEN")]
    pub(crate) color: Color,
}

/// When colours are used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Color {
    /// On a terminal, unless `NO_COLOR` is set
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

/// Where the fleet is and how it is read.
#[derive(Debug, Clone, Args)]
pub(crate) struct FleetArgs {
    /// The fleet's root [default: the nearest parent folder with a yellowlegs.toml]
    #[arg(long, value_name = "DIR")]
    pub(crate) fleet: Option<PathBuf>,
    /// The policy [default: yellowlegs.toml in the fleet's root]
    #[arg(long, value_name = "FILE")]
    pub(crate) policy: Option<PathBuf>,
    /// Read every switch with this dialect, whatever its text looks like
    #[arg(long, value_name = "FILE")]
    pub(crate) dialect: Option<PathBuf>,
    /// Let the policy name files outside the fleet's root, such as an inventory
    #[arg(long)]
    pub(crate) outside: bool,
}

/// What a command looks at.
#[derive(Debug, Clone, Args)]
pub(crate) struct Chosen {
    /// Only switches whose name fits
    #[arg(long, value_name = "GLOB")]
    pub(crate) switch: Option<String>,
    /// Only ports whose name fits
    #[arg(long, value_name = "GLOB")]
    pub(crate) port: Option<String>,
}

/// When it is judged, and how that ends.
#[derive(Debug, Clone, Args)]
pub(crate) struct Judging {
    /// Judge as of this time, RFC 3339 [default: the policy's `as-of`, else now]
    #[arg(long, value_name = "TIME")]
    pub(crate) as_of: Option<String>,
    /// The level from which a finding makes the exit code 1
    #[arg(long, value_enum, default_value_t = FailOn::Risk, value_name = "LEVEL")]
    pub(crate) fail_on: FailOn,
    /// Exit with 0 where only undecided checks would make it 3
    #[arg(long)]
    pub(crate) allow_undetermined: bool,
}

/// The level from which findings count.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum FailOn {
    /// Somebody gets in, gets out or goes down
    Breach,
    /// A safeguard is missing or half there
    Risk,
    /// It will bite later
    Advice,
    /// No finding makes it fail
    Never,
    /// Only a finding that the report of --since has not, at any level
    New,
}
