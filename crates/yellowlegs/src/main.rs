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

/// A large piece of memory, taken and let go. The system's allocator (glibc) keeps from then on what is twice as large and free, where it would
/// give back what each switch needed and fetch it again for the next: twenty pages a switch, a tenth of the time.
const KEPT: usize = 2 << 20;

fn main() -> ExitCode {
    drop(std::hint::black_box(Vec::<u8>::with_capacity(KEPT)));
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
