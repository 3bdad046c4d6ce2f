//! Measures the audit against the floor: a program that only reads the files, splits every line into words and hashes the
//! first. `cargo run --release -p yellowlegs-bench` prints both in processor time, for fleets whose ports are unlike and for what a site may
//! have beside them. `write FOLDER NUMBER unlike+links` leaves such a fleet, to look at or to profile.

#![allow(clippy::cast_precision_loss, reason = "figures for people: a few digits of megabytes and seconds")]

mod fleet;

use std::fs;
use std::hash::{BuildHasher, RandomState};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use fleet::Wanted;

/// How often each program is run.
const RUNS: usize = 5;

/// Ticks of processor time in a second, as the kernel counts them for programs.
const TICKS: f64 = 100.0;

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
    let sizes: Vec<usize> = words.iter().filter_map(|w| w.parse().ok()).collect();
    let sizes = if sizes.is_empty() { vec![1_000, 10_000] } else { sizes };
    let program = std::env::current_exe()?;
    let audit = program.with_file_name("yellowlegs");
    if !audit.is_file() {
        return Err(io::Error::other("build the program first: cargo build --release -p yellowlegs"));
    }
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

/// The fleets that are measured: unlike ports first, then what a site may have beside them.
const FLEETS: [&str; 11] = [
    "unlike",
    "orderly",
    "alike",
    "unlike+skerry",
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
        let (mut floor, mut spent, mut memory) = (f64::MAX, f64::MAX, 0);
        let mut drilled: Option<(f64, u64)> = None;
        // Others use the machine too: of some runs in turn the quickest of each counts.
        for _ in 0..RUNS {
            floor = floor.min(measured(program, &["floor".into(), folder.path().into()])?.0);
            let (time, most) = measured(audit, &audits)?;
            (spent, memory) = (spent.min(time), memory.max(most));
            if words == "alike" {
                let (time, most) = measured(audit, &matrix)?;
                drilled = Some(drilled.map_or((time, most), |(least, held)| (least.min(time), held.max(most))));
            }
        }
        let found = fleet::found(folder.path(), audit)?;
        assert_eq!(found, written.faults, "the planted faults are found, all of them and no others");
        Ok(Self { megabytes: written.bytes as f64 / 1e6, floor, spent, memory, found, drilled })
    }
}

/// What a fleet is to have; unlike ports where nothing is said.
fn wanted(words: Option<&String>) -> io::Result<Wanted> {
    let words = words.map_or("unlike", String::as_str);
    Wanted::parse(words).ok_or_else(|| io::Error::other(format!("`{words}` is no fleet")))
}

/// Reads every file below a folder, splits its lines into words and hashes the first.
fn floor(folder: &Path) -> io::Result<u64> {
    let hasher = RandomState::new();
    let mut sum = 0_u64;
    for entry in walkdir::WalkDir::new(folder).into_iter().filter_map(Result::ok).filter(|e| e.file_type().is_file()) {
        let text = fs::read_to_string(entry.path())?;
        for line in text.lines() {
            let mut words = line.split_ascii_whitespace();
            sum = sum.wrapping_add(words.next().map_or(0, |word| hasher.hash_one(word)));
            sum = sum.wrapping_add(words.count() as u64);
        }
    }
    Ok(sum)
}

/// Runs a program to its end: its processor time in seconds, and the most memory it held, in KB.
fn measured(program: &Path, words: &[PathBuf]) -> io::Result<(f64, u64)> {
    let before = children()?;
    let mut child = Command::new(program).args(words).stdout(Stdio::null()).spawn()?;
    let status = format!("/proc/{}/status", child.id());
    let mut most = 0;
    while child.try_wait()?.is_none() {
        let held = fs::read_to_string(&status).unwrap_or_default();
        let line = held.lines().find_map(|l| l.strip_prefix("VmHWM:")).unwrap_or_default();
        most = most.max(line.trim().trim_end_matches("kB").trim().parse().unwrap_or_default());
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
    Ok(((children()? - before) / TICKS, most))
}

/// The processor time of the children that have ended, in ticks.
fn children() -> io::Result<f64> {
    let text = fs::read_to_string("/proc/self/stat")?;
    let after = text.rsplit(')').next().unwrap_or_default();
    let ticks = after.split_ascii_whitespace().skip(13).take(2).filter_map(|word| word.parse::<f64>().ok());
    io::stdout().flush()?;
    Ok(ticks.sum())
}
