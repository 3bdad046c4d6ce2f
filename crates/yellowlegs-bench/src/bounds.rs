//! A small bench for every change: ratios that must not be lost again. Each bound is twice what is wanted (the floor's: twice what
//! is reached, for what is wanted is not), so that a busy machine fails nobody; no bound is a time.

use std::io;
use std::path::{Path, PathBuf};

use crate::fleet;
use crate::measure::{RUNS, measured};

/// Switches of each fleet.
const SIZE: usize = 300;

/// A fleet, what its audit is held against, and how often that time it may take.
struct Bound {
    fleet: &'static str,
    against: Against,
    most: f64,
}

enum Against {
    /// The floor on the same files.
    Floor,
    /// The audit of unlike ports alone.
    Unlike,
}

const BOUNDS: [Bound; 7] = [
    Bound { fleet: "unlike", against: Against::Floor, most: 32.0 },
    Bound { fleet: "unlike+links", against: Against::Unlike, most: 2.6 },
    Bound { fleet: "unlike+waivers", against: Against::Unlike, most: 2.2 },
    Bound { fleet: "unlike+roles", against: Against::Unlike, most: 2.2 },
    Bound { fleet: "unlike+mirrors", against: Against::Unlike, most: 2.2 },
    Bound { fleet: "unlike+rules", against: Against::Unlike, most: 2.6 },
    Bound { fleet: "orderly", against: Against::Unlike, most: 1.0 },
];

/// Measures each; how many are exceeded.
pub(crate) fn exceeded(program: &Path, audit: &Path) -> io::Result<usize> {
    let mut unlike: Option<f64> = None;
    let mut exceeded = 0;
    for bound in &BOUNDS {
        let folder = tempfile::tempdir()?;
        let wanted = fleet::Wanted::parse(bound.fleet).unwrap_or_default();
        let written = fleet::write(folder.path(), SIZE, wanted)?;
        let words = ["audit", "--format", "csv", "--fail-on", "never", "-q", "--jobs", "1"].map(PathBuf::from);
        let words: Vec<PathBuf> = words.into_iter().chain([folder.path().to_owned()]).collect();
        // All runs together, for one is counted in hundredths of a second.
        let (mut floor, mut spent) = (0.0, 0.0);
        for _ in 0..RUNS {
            spent += measured(audit, &words)?.time / RUNS as f64;
            for _ in 0..RUNS {
                floor += measured(program, &["floor".into(), folder.path().into()])?.time / (RUNS * RUNS) as f64;
            }
        }
        let against = match bound.against {
            Against::Floor => floor,
            Against::Unlike => unlike.unwrap_or(spent),
        };
        unlike.get_or_insert(spent);
        let found = fleet::found(folder.path(), audit)?;
        let ratio = spent / against;
        let told = if ratio > bound.most { "too much" } else { "well" };
        println!(
            "{}: {ratio:.2} times, at most {}: {told}; {found} of {} planted faults",
            bound.fleet, bound.most, written.faults
        );
        exceeded += usize::from(ratio > bound.most || found != written.faults);
    }
    Ok(exceeded)
}
