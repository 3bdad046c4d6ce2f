//! Yellowlegs: audits access-edge switch ports. This file only starts the program and ends it.

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod args;
mod command;
mod failure;
mod fleet;
mod output;
mod progress;
mod render;
mod sinks;

use std::process::ExitCode;

use clap::Parser;

/// Each switch takes thousands of small pieces of memory and lets them go again: with this an audit takes an eighth less time than with the
/// C library's, and keeps less beside what it uses.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    let cli = match args::Cli::try_parse() {
        Ok(cli) => cli,
        Err(error) => return refused(&error),
    };
    output::clean_up_when_interrupted();
    match command::run(&cli) {
        Ok(code) => code,
        Err(failure) => {
            failure.print();
            failure.code()
        }
    }
}

/// Tells what is wrong with the arguments, or the help that was asked for. What was typed is repeated, and what is typed may
/// come from elsewhere.
fn refused(error: &clap::Error) -> ExitCode {
    let told = error.render().to_string();
    if error.use_stderr() && told.lines().any(|line| render::clean(line) != line) {
        told.lines().for_each(|line| anstream::eprintln!("{}", render::clean(line)));
    } else if error.print().is_err() {
        return ExitCode::from(2);
    }
    ExitCode::from(u8::try_from(error.exit_code()).unwrap_or(2))
}
