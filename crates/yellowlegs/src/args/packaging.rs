//! `yellowlegs completions` and `yellowlegs man`

use std::path::PathBuf;

use clap::Args;
use clap_complete::Shell;

/// Print what a shell needs to complete commands and options
#[derive(Debug, Args)]
#[command(after_help = "\
Example: yellowlegs completions bash > /etc/bash_completion.d/yellowlegs")]
pub(crate) struct Completions {
    /// The shell
    #[arg(value_enum)]
    pub(crate) shell: Shell,
}

/// Write the manual pages, one for each command
#[derive(Debug, Args)]
#[command(after_help = "\
Example: yellowlegs man /usr/local/share/man/man1")]
pub(crate) struct Man {
    /// The folder; it is made where it is not there
    #[arg(value_name = "FOLDER")]
    pub(crate) folder: PathBuf,
}
