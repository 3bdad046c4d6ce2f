//! `yellowlegs stand-in`

use std::path::PathBuf;

use clap::{Args, ValueEnum};

/// Play the switches of a fleet on ports of this machine, so that gathering can be tried
///
/// Each answers over SSH with the texts of its folder, as the [session] of its dialect says, and over SNMP with the standard objects
/// that tell what is known of it. A folder to gather into is written, with
/// the policy, the dialects, a switches.toml and the keys. They answer until it is interrupted.
#[derive(Debug, Args)]
#[command(after_help = "\
Example: yellowlegs stand-in marram-ferries --lab /tmp/lab --fault nq-desks-1=stops --gather")]
pub(crate) struct StandIn {
    /// The fleet's root
    #[arg(value_name = "FLEET", required_unless_present = "faults")]
    pub(crate) fleet: Option<PathBuf>,
    /// Where the folder to gather into is written; it must not be there yet
    #[arg(long, value_name = "DIR", default_value = "lab")]
    pub(crate) lab: PathBuf,
    /// Only switches whose name fits
    #[arg(long, value_name = "GLOB")]
    pub(crate) switch: Option<String>,
    /// Let them answer in one way alone
    #[arg(long, value_name = "WAY")]
    pub(crate) way: Option<OneWay>,
    /// What goes wrong, with all or with one: NAME or SWITCH=NAME
    #[arg(long, value_name = "[SWITCH=]NAME")]
    pub(crate) fault: Vec<String>,
    /// Gather from them at once, and end
    #[arg(long)]
    pub(crate) gather: bool,
    /// List what can go wrong
    #[arg(long)]
    pub(crate) faults: bool,
}

/// One of the ways to ask a switch.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum OneWay {
    /// Its texts
    Ssh,
    /// Its management agent
    Snmp,
}
