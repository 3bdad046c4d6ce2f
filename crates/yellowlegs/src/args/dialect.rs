//! `yellowlegs dialect`

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};

/// Write, test and explain the dialects that describe switch systems
#[derive(Debug, Args)]
pub(crate) struct Dialect {
    #[command(subcommand)]
    pub(crate) task: DialectTask,
}

#[derive(Debug, Subcommand)]
pub(crate) enum DialectTask {
    Settings(Settings),
    Test(Test),
    Explain(Explain),
    Sketch(Sketch),
}

/// List every setting, fact, trait and type of hole that a dialect can use
#[derive(Debug, Args)]
#[command(after_help = "Example: yellowlegs dialect settings port-security")]
pub(crate) struct Settings {
    /// Only those whose name begins so
    #[arg(value_name = "NAME")]
    pub(crate) name: Option<String>,
    /// What to print
    #[arg(long, value_enum, default_value_t = DialectFormat::Text, value_name = "NAME")]
    pub(crate) format: DialectFormat,
}

/// Run the examples in a dialect, and list what its users will miss
#[derive(Debug, Args)]
#[command(after_help = "\
Exit codes: 0 all examples came out as expected; 1 one did not; 2 the dialect cannot be read.

Example: yellowlegs dialect test marram-ferries/dialects/shingle.toml")]
pub(crate) struct Test {
    /// The dialect
    #[arg(value_name = "FILE")]
    pub(crate) file: PathBuf,
}

/// Say line by line which rule took it and what it set, or why none did
#[derive(Debug, Args)]
#[command(after_help = "\
Without a text the dialect's own rules are listed.
Example: yellowlegs dialect explain dialects/shingle.toml northquay/nq-gates-1/config.txt --unread")]
pub(crate) struct Explain {
    /// The dialect
    #[arg(value_name = "FILE")]
    pub(crate) file: PathBuf,
    /// A text of its system
    #[arg(value_name = "TEXT-FILE")]
    pub(crate) text: Option<PathBuf>,
    /// The text is state: tables, stanzas, logs
    #[arg(long)]
    pub(crate) state: bool,
    /// Only lines that no rule takes
    #[arg(long)]
    pub(crate) unread: bool,
    /// Settle moments without a year by this time, RFC 3339 [default: now]
    #[arg(long, value_name = "TIME")]
    pub(crate) as_of: Option<String>,
    /// Show lines that were not understood as they are, not as shapes: they may hold secrets
    #[arg(long)]
    pub(crate) raw: bool,
}

/// Write a starting dialect from texts of an unknown system
#[derive(Debug, Args)]
#[command(after_help = "\
The dialect goes to standard output. It loads as it is and knows every line it was shown; what the lines mean is left
to fill in. Example: yellowlegs dialect sketch quay-*/config.txt > dialects/quay.toml")]
pub(crate) struct Sketch {
    /// Configurations of one system
    #[arg(value_name = "FILE", required = true)]
    pub(crate) files: Vec<PathBuf>,
    /// The dialect's name
    #[arg(long, value_name = "NAME", default_value = "new")]
    pub(crate) name: String,
}

/// How the lists are printed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum DialectFormat {
    /// For people
    Text,
    /// A list of objects
    Json,
}
