//! `yellowlegs flaps`

use clap::Args;

use super::{Chosen, FailOn, FleetArgs, PageFormat};

/// Hold the logs against thresholds and windows of flap protection: who would have been held down, when, for how long
#[derive(Debug, Args)]
#[command(after_help = "\
A port is held down when it flaps THRESHOLD times within WINDOW seconds, both ends counted in. The policy's values are marked.
Exit codes: 0 no port would have been held down under the policy's values; 1 one would; 2 something could not be read or done.

Example: yellowlegs flaps --fleet marram-ferries --threshold 3,5,10 --window 10s,1m,5m")]
pub(crate) struct Flaps {
    #[command(flatten)]
    pub(crate) fleet: FleetArgs,
    #[command(flatten)]
    pub(crate) chosen: Chosen,
    /// Thresholds to try, beside the policy's
    #[arg(long, value_name = "N,…", value_delimiter = ',', default_values_t = [2, 3, 5, 8, 12], value_parser = clap::value_parser!(u32).range(1..=10_000))]
    pub(crate) threshold: Vec<u32>,
    /// Windows to try, beside the policy's: seconds, or a duration such as 5m
    #[arg(long, value_name = "TIME,…", value_delimiter = ',', default_values_t = ["5s".to_owned(), "10s".to_owned(), "30s".to_owned(), "1m".to_owned(), "5m".to_owned()])]
    pub(crate) window: Vec<String>,
    /// How long a port is held down; 0: until somebody comes [default: the policy's]
    #[arg(long, value_name = "TIME")]
    pub(crate) hold: Option<String>,
    /// What to print
    #[arg(long, value_enum, default_value_t = PageFormat::Text, value_name = "NAME")]
    pub(crate) format: PageFormat,
    /// Judge as of this time, RFC 3339 [default: the policy's `as-of`, else now]
    #[arg(long, value_name = "TIME")]
    pub(crate) as_of: Option<String>,
    /// The level from which a port that would be held down makes the exit code 1
    #[arg(long, value_enum, default_value_t = FailOn::Risk, value_name = "LEVEL")]
    pub(crate) fail_on: FailOn,
}
