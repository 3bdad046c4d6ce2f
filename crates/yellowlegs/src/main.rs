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

fn main() -> ExitCode {
    let cli = args::Cli::parse();
    match command::run(&cli) {
        Ok(code) => code,
        Err(failure) => {
            failure.print();
            failure.code()
        }
    }
}
