//! What the commands do: one file a command.

mod audit;
mod checks;
mod demo;
mod read;

use std::process::ExitCode;

use crate::args::{Cli, Command};
use crate::failure::Failure;

/// Runs the command asked for.
pub(crate) fn run(cli: &Cli) -> Result<ExitCode, Failure> {
    match &cli.command {
        Command::Audit(args) => audit::run(args, cli.loudness),
        Command::Checks(args) => checks::run(args, cli.loudness.color),
        Command::Read(args) => read::run(args, cli.loudness),
        Command::Demo(args) => demo::run(args, cli.loudness),
    }
}
