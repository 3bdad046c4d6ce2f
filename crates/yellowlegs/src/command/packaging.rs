//! `yellowlegs completions` and `yellowlegs man`: made from the command line's own description.

use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

use clap::{Command, CommandFactory};

use crate::args::{Cli, Completions, Man};
use crate::failure::Failure;
use crate::output::{self, Target};

pub(super) fn completions(args: &Completions) -> Result<ExitCode, Failure> {
    let mut script = Vec::new();
    clap_complete::generate(args.shell, &mut Cli::command(), "yellowlegs", &mut script);
    let mut out = output::content();
    out.write_all(&script).and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::SUCCESS)
}

pub(super) fn man(args: &Man) -> Result<ExitCode, Failure> {
    std::fs::create_dir_all(&args.folder).map_err(|error| Failure::path(&args.folder, error))?;
    let mut command = Cli::command();
    command.build();
    page(&command, &args.folder)?;
    Ok(ExitCode::SUCCESS)
}

/// The page of a command, and those of the commands below it.
fn page(command: &Command, folder: &Path) -> Result<(), Failure> {
    let page = clap_mangen::Man::new(command.clone());
    let path = folder.join(page.get_filename());
    let mut file = Target::open(&path)?;
    page.render(&mut file).map_err(|error| Failure::path(&path, error))?;
    file.finish()?;
    command.get_subcommands().filter(|below| below.get_name() != "help").try_for_each(|below| self::page(below, folder))
}
