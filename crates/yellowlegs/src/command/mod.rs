//! What the commands do: one file a command.

mod audit;
mod checks;
mod compare;
mod demo;
mod dialect;
mod drill;
mod first;
mod flaps;
#[cfg(feature = "gather")]
mod gather;
mod mend;
mod packaging;
mod policy;
mod port;
mod read;
#[cfg(feature = "gather")]
mod stand_in;
mod teach;

use std::process::ExitCode;

use yellowlegs_core::policy::{AsOf, Level};

use crate::args::{Cli, Command, FailOn};
use crate::failure::Failure;

/// Runs the command asked for.
pub(crate) fn run(cli: &Cli) -> Result<ExitCode, Failure> {
    let Some(command) = &cli.command else { return Ok(first::run()) };
    match command {
        Command::Audit(args) => audit::run(args, cli.loudness),
        Command::Drill(args) => drill::run(args, cli.loudness),
        Command::Mend(args) => mend::run(args, cli.loudness),
        Command::Checks(args) => checks::run(args, cli.loudness.color),
        Command::Read(args) => read::run(args, cli.loudness),
        Command::Dialect(args) => dialect::run(&args.task, cli.loudness),
        Command::Port(args) => port::run(args, cli.loudness),
        Command::Compare(args) => compare::run(args, cli.loudness),
        Command::Flaps(args) => flaps::run(args, cli.loudness),
        Command::Policy(args) => policy::run(&args.task, cli.loudness),
        #[cfg(feature = "gather")]
        Command::Gather(args) => gather::run(args, cli.loudness),
        #[cfg(feature = "gather")]
        Command::StandIn(args) => stand_in::run(args, cli.loudness),
        Command::Demo(args) => demo::run(args, cli.loudness),
        Command::Completions(args) => packaging::completions(args),
        Command::Man(args) => packaging::man(args),
    }
}

/// The exit code of what was judged: a part that could not be read, findings at the level, checks that are open there.
fn ended(whole: bool, fail_on: FailOn, found: impl Fn(Level) -> bool, open: impl Fn(Level) -> bool) -> ExitCode {
    let level = match fail_on {
        FailOn::Breach => Some(Level::Breach),
        FailOn::Risk => Some(Level::Risk),
        FailOn::Advice => Some(Level::Advice),
        FailOn::Never => None,
        // What is found is new or not; what cannot be decided counts as elsewhere.
        FailOn::New => Some(Level::Risk),
    };
    ExitCode::from(match level {
        _ if !whole => 2,
        Some(level) if found(level) => 1,
        Some(level) if open(level) => 3,
        _ => 0,
    })
}

/// `--fail-on new` for a command that compares with no earlier report.
fn knows_no_new(fail_on: FailOn) -> Result<(), Failure> {
    match fail_on {
        FailOn::New => {
            let hint = "`yellowlegs audit --since REPORT.json --fail-on new` has one";
            Err(Failure::usage("--fail-on new: there is no earlier report here", hint))
        }
        _ => Ok(()),
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
