//! `yellowlegs-fuzz [TARGET] [SECONDS] [SEED]`: tries one kind of input, or all in turn, for a time each. A panic ends it and says by which
//! seed it comes again; so does a try that is wrong.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::process::ExitCode;
use std::time::{Duration, Instant};

use fastrand::Rng;
use yellowlegs_fuzz::target::{ALL, Target};

/// Longest that one try may take: a text of some kilobytes is never worth more, on however busy a machine.
const SLOW: Duration = Duration::from_secs(120);

fn main() -> ExitCode {
    let mut words = std::env::args().skip(1);
    let name = words.next().unwrap_or_else(|| "all".to_owned());
    let seconds = words.next().and_then(|word| word.parse().ok()).unwrap_or(60);
    let first = words.next().and_then(|word| word.parse().ok()).unwrap_or(1);
    let chosen: Vec<&Target> = ALL.iter().filter(|target| name == "all" || target.name == name).collect();
    if chosen.is_empty() {
        let names: Vec<&str> = ALL.iter().map(|target| target.name).collect();
        eprintln!("there is no target `{name}`; there are all, {}", names.join(", "));
        return ExitCode::from(2);
    }
    let failed = chosen.into_iter().filter(|target| !tried(target, Duration::from_secs(seconds), first)).count();
    ExitCode::from(u8::from(failed > 0))
}

/// Tries for a time; whether all went well.
fn tried(target: &Target, time: Duration, first: u64) -> bool {
    let began = Instant::now();
    let (mut seed, mut slowest) = (first, Duration::ZERO);
    while began.elapsed() < time {
        let started = Instant::now();
        let result = catch_unwind(AssertUnwindSafe(|| (target.run)(&mut Rng::with_seed(seed))));
        slowest = slowest.max(started.elapsed());
        let wrong = match result {
            Ok(Ok(())) if slowest < SLOW => None,
            Ok(Ok(())) => Some(format!("it took {slowest:?}")),
            Ok(Err(wrong)) => Some(wrong),
            Err(_) => Some("it panicked".to_owned()),
        };
        if let Some(wrong) = wrong {
            println!("{} seed {seed}: {wrong}", target.name);
            return false;
        }
        seed += 1;
    }
    println!("{}: {} tries in {} s, the slowest {slowest:?}", target.name, seed - first, began.elapsed().as_secs());
    true
}
