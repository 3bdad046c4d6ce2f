//! What the commands do: one file a command.

mod audit;
mod checks;
mod demo;
mod dialect;
mod policy;
mod read;

use std::process::ExitCode;

use yellowlegs_core::policy::AsOf;

use crate::args::{Cli, Command};
use crate::failure::Failure;

/// Runs the command asked for.
pub(crate) fn run(cli: &Cli) -> Result<ExitCode, Failure> {
    match &cli.command {
        Command::Audit(args) => audit::run(args, cli.loudness),
        Command::Checks(args) => checks::run(args, cli.loudness.color),
        Command::Read(args) => read::run(args, cli.loudness),
        Command::Dialect(args) => dialect::run(&args.task, cli.loudness),
        Command::Policy(args) => policy::run(&args.task, cli.loudness),
        Command::Demo(args) => demo::run(args, cli.loudness),
    }
}

/// The time things are judged at: what was asked for, else the policy's, else now.
fn moment(asked: Option<&str>, policy: Option<&AsOf>) -> Result<AsOf, Failure> {
    let parse = |text: &str| {
        AsOf::parse(text).map_err(|problem| Failure::usage(problem, "write for example 2031-03-04T06:30:00Z"))
    };
    match (asked, policy) {
        (Some(text), _) => parse(text),
        (None, Some(time)) => Ok(time.clone()),
        (None, None) => parse(&format!("{:.0}", jiff::Timestamp::now())),
    }
}
