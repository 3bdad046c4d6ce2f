//! Whole processes, measured; and the floor.

use std::fs;
use std::hash::{BuildHasher, RandomState};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Instant;

/// How often each program is run.
pub(crate) const RUNS: usize = 5;

/// Ticks of processor time in a second, as the kernel counts them for programs.
const TICKS: f64 = 100.0;

/// What a process took.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Spent {
    /// Processor time in seconds.
    pub(crate) time: f64,
    /// Time by the clock in seconds.
    pub(crate) clock: f64,
    /// The most memory it held, in KB.
    pub(crate) memory: u64,
}

impl Spent {
    /// The least of two runs, and the most memory.
    pub(crate) fn quicker(self, other: Self) -> Self {
        Self {
            time: self.time.min(other.time),
            clock: self.clock.min(other.clock),
            memory: self.memory.max(other.memory),
        }
    }
}

/// Runs a program to its end.
pub(crate) fn measured(program: &Path, words: &[PathBuf]) -> io::Result<Spent> {
    let (before, begun) = (children()?, Instant::now());
    let mut child = Command::new(program).args(words).stdout(Stdio::null()).spawn()?;
    let status = format!("/proc/{}/status", child.id());
    let mut memory = 0;
    while child.try_wait()?.is_none() {
        let held = fs::read_to_string(&status).unwrap_or_default();
        let line = held.lines().find_map(|l| l.strip_prefix("VmHWM:")).unwrap_or_default();
        memory = memory.max(line.trim().trim_end_matches("kB").trim().parse().unwrap_or_default());
        std::thread::sleep(std::time::Duration::from_millis(2));
    }
    Ok(Spent { time: (children()? - before) / TICKS, clock: begun.elapsed().as_secs_f64(), memory })
}

/// The processor time of the children that have ended, in ticks.
fn children() -> io::Result<f64> {
    let text = fs::read_to_string("/proc/self/stat")?;
    let after = text.rsplit(')').next().unwrap_or_default();
    let ticks = after.split_ascii_whitespace().skip(13).take(2).filter_map(|word| word.parse::<f64>().ok());
    io::stdout().flush()?;
    Ok(ticks.sum())
}

/// Reads every file below a folder, splits its lines into words and hashes the first.
pub(crate) fn floor(folder: &Path) -> io::Result<u64> {
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
