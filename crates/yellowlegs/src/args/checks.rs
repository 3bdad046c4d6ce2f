//! `yellowlegs checks`

use clap::{Args, ValueEnum};

/// List the checks; explain one
#[derive(Debug, Args)]
#[command(after_help = "Example: yellowlegs checks port-security/limit-low")]
pub(crate) struct Checks {
    /// A check, or a family
    #[arg(value_name = "ID")]
    pub(crate) id: Option<String>,
    /// What to print
    #[arg(long, value_enum, default_value_t = ChecksFormat::Text, value_name = "NAME")]
    pub(crate) format: ChecksFormat,
}

/// How the catalogue is printed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ChecksFormat {
    /// For people
    Text,
    /// A list of objects
    Json,
}
