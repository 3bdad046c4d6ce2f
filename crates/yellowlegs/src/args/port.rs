//! `yellowlegs port`

use clap::{Args, ValueEnum};

use super::{FailOn, FleetArgs};

/// Show everything about one port: role, link, what is in force and by which line, who is there, what is wrong
#[derive(Debug, Args)]
#[command(after_help = "\
Names may be shortened while they stay unambiguous; what nearly fits is suggested. -v shows the settings that nobody wrote, too.
Exit codes: 0 nothing found on the port; 1 a finding at --fail-on or above; 2 something could not be read or done;
3 nothing found at that level, but a check of configuration could not be decided.

Example: yellowlegs port nq-desks-1 1.7 --fleet marram-ferries")]
pub(crate) struct Port {
    /// The switch
    #[arg(value_name = "SWITCH")]
    pub(crate) switch: String,
    /// The port
    #[arg(value_name = "PORT")]
    pub(crate) port: String,
    #[command(flatten)]
    pub(crate) fleet: FleetArgs,
    /// What to print
    #[arg(long, value_enum, default_value_t = PageFormat::Text, value_name = "NAME")]
    pub(crate) format: PageFormat,
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

/// How a page looks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum PageFormat {
    /// For people
    Text,
    /// One object
    Json,
}
