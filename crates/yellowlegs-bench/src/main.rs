//! Measures the audit against the floor: a program that only reads the files, splits every line into words and hashes the
//! first. `cargo run --release -p yellowlegs-bench` prints both in processor time, for fleets whose ports are unlike and for what a site may
//! have beside them. `write FOLDER NUMBER unlike+links` leaves such a fleet, to look at or to profile; `bounds` is the small bench of every
//! change; `rivals NUMBER` holds the audit against what somebody would use instead.

#![allow(clippy::cast_precision_loss, reason = "figures for people: a few digits of megabytes and seconds")]

mod bounds;
mod fleet;
mod measure;
mod rivals;

use std::io;
use std::path::{Path, PathBuf};

use fleet::Wanted;
use measure::{RUNS, Spent, floor, measured};

fn main() -> io::Result<()> {
    let words: Vec<String> = std::env::args().skip(1).collect();
    if let [task, folder] = &words[..]
        && task == "floor"
    {
        println!("{}", floor(Path::new(folder))?);
        return Ok(());
    }
    if let [task, folder, size, what @ ..] = &words[..]
        && task == "write"
    {
        let size = size.parse().map_err(io::Error::other)?;
        fleet::write(Path::new(folder), size, wanted(what.first())?)?;
        return Ok(());
    }
    let (task, numbers) = match words.first().map(String::as_str) {
        Some(task @ ("bounds" | "rivals")) => (Some(task), &words[1..]),
        _ => (None, &words[..]),
    };
    let sizes: Result<Vec<usize>, _> = numbers.iter().map(|word| word.parse()).collect();
    let sizes = sizes.map_err(|_| io::Error::other(USAGE))?;
    let program = std::env::current_exe()?;
    let audit = program.with_file_name("yellowlegs");
    if !audit.is_file() {
        return Err(io::Error::other("build the program first: cargo build --release -p yellowlegs"));
    }
    match task {
        Some("bounds") => {
            let exceeded = bounds::exceeded(&program, &audit)?;
            return if exceeded == 0 {
                Ok(())
            } else {
                Err(io::Error::other(format!("{exceeded} bounds are exceeded")))
            };
        }
        Some("rivals") => return rivals::rivals(&program, &audit, sizes.first().copied().unwrap_or(1_000)),
        _ => {}
    }
    let sizes = if sizes.is_empty() { vec![1_000, 10_000] } else { sizes };
    for size in sizes {
        let mut unlike = None;
        for words in FLEETS {
            let row = Row::measure(&program, &audit, size, words)?;
            let of_unlike = unlike.get_or_insert(row.spent);
            println!(
                "{size} switches, {words}: {:.0} MB; floor {:.2} s, audit {:.2} s, {:.1} times the floor, {:.2} times unlike ports alone; {:.0} MB of memory; {} planted faults",
                row.megabytes,
                row.floor,
                row.spent,
                row.spent / row.floor,
                row.spent / *of_unlike,
                row.memory as f64 / 1e3,
                row.found
            );
            if let Some((drilled, held)) = row.drilled {
                println!(
                    "  the full matrix of drills {drilled:.2} s, {:.1} times the audit; {:.0} MB of memory",
                    drilled / row.spent,
                    held as f64 / 1e3
                );
            }
        }
    }
    Ok(())
}

/// What may be asked of it.
const USAGE: &str =
    "usage: yellowlegs-bench [NUMBER…] | bounds | rivals [NUMBER] | write FOLDER NUMBER unlike+links | floor FOLDER";

/// The fleets that are measured: unlike ports first, then what a site may have beside them.
const FLEETS: [&str; 14] = [
    "unlike",
    "orderly",
    "alike",
    "unlike+skerry",
    "unlike+paths",
    "unlike+lists",
    "unlike+rows",
    "unlike+links",
    "unlike+waivers",
    "unlike+roles",
    "unlike+mirrors",
    "unlike+rules",
    "unlike+saved",
    "unlike+state",
];

/// What a fleet took.
struct Row {
    megabytes: f64,
    floor: f64,
    spent: f64,
    memory: u64,
    found: usize,
    /// The drills of all ports, with their memory.
    drilled: Option<(f64, u64)>,
}

impl Row {
    fn measure(program: &Path, audit: &Path, size: usize, words: &str) -> io::Result<Self> {
        let folder = tempfile::tempdir()?;
        let written = fleet::write(folder.path(), size, wanted(Some(&words.to_owned()))?)?;
        let audits = ["audit", "--format", "csv", "--fail-on", "never", "-q"].map(PathBuf::from);
        let audits: Vec<PathBuf> = audits.into_iter().chain([folder.path().to_owned()]).collect();
        let matrix: Vec<PathBuf> =
            ["drill", "-q", "--fleet"].map(PathBuf::from).into_iter().chain([folder.path().to_owned()]).collect();
        let (mut floor, mut spent, mut drilled): (Option<Spent>, Option<Spent>, Option<Spent>) = (None, None, None);
        let take = |best: &mut Option<Spent>, again: Spent| {
            *best = Some(best.map_or(again, |best| best.quicker(again)));
        };
        // Others use the machine too: of some runs in turn the quickest of each counts.
        for _ in 0..RUNS {
            take(&mut floor, measured(program, &["floor".into(), folder.path().into()])?);
            take(&mut spent, measured(audit, &audits)?);
            if words == "alike" {
                take(&mut drilled, measured(audit, &matrix)?);
            }
        }
        let found = fleet::found(folder.path(), audit)?;
        assert_eq!(found, written.faults, "the planted faults are found, all of them and no others");
        let time = |spent: Option<Spent>| spent.map_or(f64::NAN, |spent| spent.time);
        Ok(Self {
            megabytes: written.bytes as f64 / 1e6,
            floor: time(floor),
            spent: time(spent),
            memory: spent.map_or(0, |spent| spent.memory),
            found,
            drilled: drilled.map(|drilled| (drilled.time, drilled.memory)),
        })
    }
}

/// What a fleet is to have; unlike ports where nothing is said.
fn wanted(words: Option<&String>) -> io::Result<Wanted> {
    let words = words.map_or("unlike", String::as_str);
    Wanted::parse(words).ok_or_else(|| io::Error::other(format!("`{words}` is no fleet")))
}
