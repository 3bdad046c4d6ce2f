//! A small bench for every change: ratios that must not be lost again. Each bound is twice what is wanted (the floor's: twice what
//! is reached, for what is wanted is not), so that a busy machine fails nobody; no bound is a time.

use std::io;
use std::path::{Path, PathBuf};

use crate::fleet::{self, long, long::LONG};
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

const BOUNDS: [Bound; 10] = [
    Bound { fleet: "unlike", against: Against::Floor, most: 17.0 },
    Bound { fleet: "unlike+links", against: Against::Unlike, most: 2.6 },
    Bound { fleet: "unlike+waivers", against: Against::Unlike, most: 2.2 },
    Bound { fleet: "unlike+roles", against: Against::Unlike, most: 2.2 },
    Bound { fleet: "unlike+mirrors", against: Against::Unlike, most: 2.2 },
    Bound { fleet: "unlike+rules", against: Against::Unlike, most: 2.6 },
    Bound { fleet: "orderly", against: Against::Unlike, most: 1.0 },
    Bound { fleet: "unlike+paths", against: Against::Unlike, most: 3.0 },
    Bound { fleet: "unlike+lists", against: Against::Unlike, most: 3.0 },
    Bound { fleet: "unlike+rows", against: Against::Unlike, most: 3.0 },
];

/// Other commands on the unlike fleet, and how often the time of its audit each may take.
const BESIDE: [(&str, f64); 3] = [("drill", 10.0), ("read", 4.0), ("dialect sketch", 4.0)];

/// So many times as much text, and at most so many times the time: what grows with its square takes sixteen.
const LONGER: u32 = 4;
const MOST_LONGER: f64 = 8.0;

/// Holds that what is written very often takes time and report as its text does; how often it does not.
fn grown(audit: &Path) -> io::Result<usize> {
    let mut exceeded = 0;
    for long in LONG {
        let mut taken = [(0.0, 0_u64); 2];
        for (taken, times) in taken.iter_mut().zip([long.times, long.times * LONGER]) {
            let folder = tempfile::tempdir()?;
            long::write(folder.path(), long, times)?;
            let report = folder.path().join("report.csv");
            let words = ["audit", "--format", "json", "--fail-on", "never", "-q", "--jobs", "1", "--write"];
            let words = words.map(PathBuf::from).into_iter().chain([report.clone(), folder.path().to_owned()]);
            let words: Vec<PathBuf> = words.collect();
            for _ in 0..RUNS {
                taken.0 += measured(audit, &words)?.time / RUNS as f64;
            }
            taken.1 = std::fs::metadata(&report)?.len();
        }
        let [(before, told), (after, told_after)] = taken;
        let (ratio, report) = (after / before.max(0.01), told_after as f64 / told.max(1) as f64);
        let well = ratio <= MOST_LONGER && report <= MOST_LONGER;
        println!(
            "{} {}, {LONGER} times as many: {ratio:.2} times the time, {report:.2} times the report, at most {MOST_LONGER}: {}",
            long.times,
            long.what,
            if well { "well" } else { "too much" }
        );
        exceeded += usize::from(!well);
    }
    Ok(exceeded)
}

/// Holds other commands against the audit; how many take too long.
fn beside(program: &Path) -> io::Result<usize> {
    let folder = tempfile::tempdir()?;
    fleet::write(folder.path(), SIZE, fleet::Wanted::parse("unlike").unwrap_or_default())?;
    let switches = std::fs::read_dir(folder.path())?.filter_map(Result::ok).map(|entry| entry.path());
    let switches: Vec<PathBuf> = switches.filter(|path| path.join("config.txt").is_file()).collect();
    let fleet = || ["--fleet".into(), folder.path().to_owned()].into_iter();
    let words = |command: &str| -> Vec<PathBuf> {
        let told = command.split(' ').chain(["-q"]).map(PathBuf::from);
        match command {
            "read" => told.chain(fleet()).chain(switches.iter().cloned()).collect(),
            "dialect sketch" => told.chain(switches.iter().map(|path| path.join("config.txt"))).collect(),
            "audit" => told.chain(["--format", "csv"].map(PathBuf::from)).chain(fleet()).collect(),
            _ => told.chain(fleet()).collect(),
        }
    };
    let mut times = [0.0; BESIDE.len() + 1];
    for _ in 0..RUNS {
        let commands = ["audit"].into_iter().chain(BESIDE.map(|(command, _)| command));
        for (time, command) in times.iter_mut().zip(commands) {
            *time += measured(program, &words(command))?.time / RUNS as f64;
        }
    }
    let [audit, others @ ..] = times;
    let mut exceeded = 0;
    for ((command, most), time) in BESIDE.into_iter().zip(others) {
        let ratio = time / audit;
        let told = if ratio > most { "too much" } else { "well" };
        println!("{command} of {SIZE} unlike switches: {ratio:.2} times the audit, at most {most}: {told}");
        exceeded += usize::from(ratio > most);
    }
    Ok(exceeded)
}

/// Measures each; how many are exceeded.
pub(crate) fn exceeded(program: &Path, audit: &Path) -> io::Result<usize> {
    let mut unlike: Option<f64> = None;
    let mut exceeded = grown(audit)? + beside(audit)?;
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
