//! `yellowlegs` alone: what to type first, by where one is.

use std::process::ExitCode;

use crate::fleet::Root;
use crate::render::clean;

/// The steps from nothing to an audit.
const STEPS: [(&str, &str); 4] = [
    ("yellowlegs demo", "a small fleet to look at: unpacked, audited, left to play with"),
    (
        "yellowlegs dialect teach NEW.toml FILE...",
        "your switches' configurations: what their lines mean, asked one by one",
    ),
    ("yellowlegs policy new FOLDER", "your fleet: a policy drafted from it"),
    ("yellowlegs audit FOLDER", "which ports break the policy, and the lines that prove it"),
];

/// Nothing was asked for, so the exit code is that of bad usage.
pub(super) fn run() -> ExitCode {
    anstream::eprintln!("Yellowlegs audits access-edge switch ports.\n");
    match Root::find(None, &[]) {
        Ok(root) => {
            let folder = root.dir.display().to_string();
            anstream::eprintln!("There is a fleet here, {}. Type first:\n\n  yellowlegs audit\n", clean(&folder));
        }
        Err(_) => {
            anstream::eprintln!("Type first:\n");
            for (command, does) in STEPS {
                anstream::eprintln!("  {command:<34}  {does}");
            }
            anstream::eprintln!();
        }
    }
    anstream::eprintln!("`yellowlegs --help` lists the commands; `yellowlegs COMMAND --help` has an example of each.");
    ExitCode::from(2)
}
