//! `yellowlegs drill`

use std::path::PathBuf;

use clap::{Args, ValueEnum};

use super::{Chosen, FleetArgs};

/// Rehearse attacks and accidents on a model of every port: what is refused, what gets through, and by which setting
#[derive(Debug, Args)]
#[command(after_help = "\
A drill builds the switch from its settings in force, plays frames on the port, lets time pass, and tells what the switch does. Nothing is
sent anywhere. Drills that reach over the links of the fleet take the switches on the way with them.
With --file it plays a drill of yours and holds what comes against what you expect: docs/drills.md has an example.
Exit codes: 0 every drill held, or every expectation was met; 1 something got through, a service that is right broke, or an expectation was
not met; 2 something could not be read or done;
3 neither, but a drill hangs on something that nobody knows.

Examples: yellowlegs drill list
          yellowlegs drill --fleet marram-ferries --role desk
          yellowlegs drill rogue-server --fleet marram-ferries --switch nq-desks-1 --port 1.7 --timeline
          yellowlegs drill --fleet marram-ferries --file second-machine.toml")]
pub(crate) struct Drill {
    /// The drills to play, or `list` [default: all]
    #[arg(value_name = "NAME")]
    pub(crate) names: Vec<String>,
    #[command(flatten)]
    pub(crate) fleet: FleetArgs,
    #[command(flatten)]
    pub(crate) chosen: Chosen,
    /// Only ports of this role
    #[arg(long, value_name = "NAME")]
    pub(crate) role: Option<String>,
    /// Play a drill of your own: ports, stations, timed stimuli, and what they are expected to come to
    #[arg(long, value_name = "FILE", conflicts_with_all = ["names", "switch", "port", "role", "timeline"])]
    pub(crate) file: Option<PathBuf>,
    /// Tell each drill frame by frame, with the clock
    #[arg(long)]
    pub(crate) timeline: bool,
    /// What to print
    #[arg(long, value_enum, default_value_t = DrillFormat::Text, value_name = "NAME")]
    pub(crate) format: DrillFormat,
    /// Play on so many switches at a time [default: one for each processor]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub(crate) jobs: Option<u16>,
}

/// How rehearsals look.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum DrillFormat {
    /// For people
    Text,
    /// One object
    Json,
    /// A row for each drill and port
    Csv,
    /// The matrix as a page
    Html,
}
