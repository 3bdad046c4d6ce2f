//! `yellowlegs demo`

use std::path::PathBuf;

use clap::Args;

/// Unpack a small fleet, walk through the commands on it, and leave it to play with
///
/// In a terminal the tour goes stop by stop: Enter leads on, q ends it.
#[derive(Debug, Args)]
#[command(after_help = "Example: yellowlegs demo /tmp/ferries")]
pub(crate) struct Demo {
    /// Where to unpack it [default: a fresh folder marram-ferries under the current one]
    #[arg(value_name = "DIR")]
    pub(crate) dir: Option<PathBuf>,
    /// Show all that each command prints, not the first screen of it
    #[arg(long)]
    pub(crate) whole: bool,
}
