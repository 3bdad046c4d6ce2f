//! `yellowlegs gather`

use std::path::PathBuf;

use clap::{Args, Subcommand};

/// Fetch the texts of switches over SSH, and what their agents tell over SNMP, read-only, into the fleet's folders
///
/// Who is asked, and where the secrets are, stands in switches.toml in the fleet's root; how one talks to a switch, in the [session]
/// of its dialect. Nothing is changed on a switch: what is typed is what the dialect says.
#[derive(Debug, Args)]
#[command(
    args_conflicts_with_subcommands = true,
    after_help = "\
Exit codes: 0 all came; 2 a switch could not be gathered, and its folder is as it was.

Example: yellowlegs gather marram-ferries --into snapshots/2031-03-04"
)]
pub(crate) struct Gather {
    #[command(subcommand)]
    pub(crate) task: Option<GatherTask>,
    /// The fleet's root [default: the nearest parent folder with a yellowlegs.toml]
    #[arg(value_name = "FLEET")]
    pub(crate) fleet: Option<PathBuf>,
    /// Only switches whose name fits
    #[arg(long, value_name = "GLOB")]
    pub(crate) switch: Option<String>,
    /// Put a snapshot there, with policy and dialects, and leave the fleet as it is; `compare` and `audit` take it
    #[arg(long, value_name = "DIR")]
    pub(crate) into: Option<PathBuf>,
    /// How many switches are asked at once
    #[arg(long, value_name = "N", default_value_t = 16, value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub(crate) jobs: u16,
    /// Known keys of switches, OpenSSH's form [default: known-hosts in the fleet's root]
    #[arg(long, value_name = "FILE")]
    pub(crate) known_hosts: Option<PathBuf>,
    /// Write the keys of switches that are not known yet; a key that has changed is refused all the same
    #[arg(long)]
    pub(crate) trust_new: bool,
}

#[derive(Debug, Subcommand)]
pub(crate) enum GatherTask {
    New(NewEntries),
}

/// Write a switches.toml from a list of names and addresses, and print it
#[derive(Debug, Args)]
#[command(after_help = "\
The list is CSV with a heading: `name` and `address`, and as wanted `port`, `folder`, `dialect`, `user`.

Example: yellowlegs gather new switches.csv --dialect shingle --user auditor > switches.toml")]
pub(crate) struct NewEntries {
    /// The list
    #[arg(value_name = "LIST.csv")]
    pub(crate) list: PathBuf,
    /// The dialect of switches for which the list has none
    #[arg(long, value_name = "NAME")]
    pub(crate) dialect: Option<String>,
    /// The account on switches for which the list has none
    #[arg(long, value_name = "NAME")]
    pub(crate) user: Option<String>,
}
