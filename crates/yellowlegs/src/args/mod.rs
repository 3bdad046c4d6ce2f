//! The command line: one file a command.

mod audit;
mod checks;
mod common;
mod compare;
mod demo;
mod dialect;
mod drill;
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

use clap::{Parser, Subcommand};

pub(crate) use audit::Audit;
pub(crate) use checks::{Checks, ChecksFormat};
pub(crate) use common::{Chosen, Color, FailOn, FleetArgs, Judging, Loudness};
pub(crate) use compare::{Against, Compare};
pub(crate) use demo::Demo;
pub(crate) use dialect::{Dialect, DialectFormat, DialectTask, Explain, NamesWhat, Settings, Sketch, Teach, Test};
pub(crate) use drill::{Drill, DrillFormat};
pub(crate) use flaps::Flaps;
#[cfg(feature = "gather")]
pub(crate) use gather::{Gather, GatherTask, NewEntries};
pub(crate) use mend::{Mend, MendFormat, MendLevel};
pub(crate) use packaging::{Completions, Man};
pub(crate) use policy::{New, Policy, PolicyFormat, PolicyTask, PolicyTest, Show};
pub(crate) use port::{PageFormat, Port};
pub(crate) use read::Read;
#[cfg(feature = "gather")]
pub(crate) use stand_in::{OneWay, StandIn};

/// Audits access-edge switch ports: which of them break the site's policy, and the line that proves it.
#[derive(Debug, Parser)]
#[command(
    name = "yellowlegs",
    version,
    after_help = "To see it at work, type `yellowlegs demo`. It unpacks a small fleet and walks through the commands."
)]
pub(crate) struct Cli {
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
    #[command(flatten)]
    pub(crate) loudness: Loudness,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Audit(Audit),
    Port(Port),
    Compare(Compare),
    Flaps(Flaps),
    Drill(Drill),
    Mend(Mend),
    Checks(Checks),
    Read(Read),
    Dialect(Dialect),
    Policy(Policy),
    #[cfg(feature = "gather")]
    Gather(Gather),
    #[cfg(feature = "gather")]
    StandIn(StandIn),
    Demo(Demo),
    Completions(Completions),
    Man(Man),
}
