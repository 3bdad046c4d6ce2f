//! `yellowlegs port`

use clap::{Args, ValueEnum};

use super::{FleetArgs, Judging};

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
    /// Plan the repair of what is wrong on the port, too: the steps, who is touched, the way back
    #[arg(long)]
    pub(crate) mend: bool,
    /// What to print
    #[arg(long, value_enum, default_value_t = PageFormat::Text, value_name = "NAME")]
    pub(crate) format: PageFormat,
    #[command(flatten)]
    pub(crate) judging: Judging,
}

/// How a page looks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum PageFormat {
    /// For people
    Text,
    /// One object
    Json,
}
