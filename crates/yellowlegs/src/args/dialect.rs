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
    Teach(Teach),
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
    /// What the switches tell of themselves: tables, of which it proposes what they mean; repeat for several
    #[arg(long, value_name = "FILE")]
    pub(crate) state: Vec<PathBuf>,
    /// The dialect's name
    #[arg(long, value_name = "NAME", default_value = "new")]
    pub(crate) name: String,
}

/// Fill a dialect in from texts: what each kind of line means is asked, or said by options
#[derive(Debug, Args)]
#[command(after_help = "\
In a terminal one kind of line after the other is asked about, the most frequent first; every answer is in FILE at once.
Where FILE is not there yet it begins as a sketch. With an option that says something nothing is asked.

Examples: yellowlegs dialect teach dialects/quay.toml quay-*/config.txt
          yellowlegs dialect teach dialects/quay.toml --line quay-1/config.txt:83 --sets port-security.limit=3
          yellowlegs dialect teach dialects/quay.toml --silent guard=off --silent port.mode=access")]
pub(crate) struct Teach {
    /// The dialect
    #[arg(value_name = "FILE")]
    pub(crate) file: PathBuf,
    /// Configurations of its system
    #[arg(value_name = "TEXT-FILE")]
    pub(crate) texts: Vec<PathBuf>,
    /// What the switches tell of themselves: tables, for a dialect that begins as a sketch; repeat for several
    #[arg(long, value_name = "FILE")]
    pub(crate) state: Vec<PathBuf>,
    /// Say something about the lines that are like this one: TEXT-FILE:LINE, with :COLUMN where a line says several things
    #[arg(long, value_name = "PLACE")]
    pub(crate) line: Option<String>,
    /// They give a setting this value, which stands in the line or is what its words mean; repeat for several
    #[arg(long, value_name = "SETTING=VALUE", requires = "line", conflicts_with_all = ["nothing", "names"])]
    pub(crate) sets: Vec<String>,
    /// They are about nothing that is judged, and so are the lines inside
    #[arg(long, requires = "line", conflicts_with = "names")]
    pub(crate) nothing: bool,
    /// They name this, and the lines inside are about it; `uses`: a profile that their ports use
    #[arg(long, value_enum, value_name = "WHAT", requires = "line")]
    pub(crate) names: Option<NamesWhat>,
    /// Take every proposal that is at least so sure, 0.6 to 1
    #[arg(long, value_name = "SHARE")]
    pub(crate) likely: Option<f64>,
    /// What the platform has where the text is silent; `FEATURE=off`: all of a feature that can be off; repeat for several
    #[arg(long, value_name = "SETTING=VALUE")]
    pub(crate) silent: Vec<String>,
}

/// What lines can name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum NamesWhat {
    /// Ports
    Ports,
    /// A VLAN, or several
    Vlan,
    /// A profile that ports use
    Profile,
    /// A mirror session
    Mirror,
    /// A profile, and these ports use it
    Uses,
}

impl NamesWhat {
    /// The key of a rule that says so.
    pub(crate) fn key(self) -> &'static str {
        match self {
            Self::Ports => "ports",
            Self::Vlan => "vlan",
            Self::Profile => "profile",
            Self::Mirror => "mirror",
            Self::Uses => "uses",
        }
    }
}

/// How the lists are printed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum DialectFormat {
    /// For people
    Text,
    /// A list of objects
    Json,
}
