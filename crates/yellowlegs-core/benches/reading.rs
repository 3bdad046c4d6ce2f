//! Whether reading is linear: time for each megabyte of 1, 10 and 100 MB, as ratios to the first. `cargo bench -p yellowlegs-core`

#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a bench looks at the clock and prints")]
#![allow(missing_docs, reason = "a program of its own")]

use std::hint::black_box;
use std::sync::Arc;
use std::time::Instant;

use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::source::Source;

const SHINGLE: &str = include_str!("../../../demo/dialects/shingle.toml");
const FATHOM: &str = include_str!("../../../demo/dialects/fathom.toml");
const DESKS: &str = include_str!("../../../demo/northquay/nq-desks-1/config.txt");
const HALL: &str = include_str!("../../../demo/saltpan/sp-hall-1/config.txt");
const TABLES: &str = include_str!("../../../demo/northquay/nq-desks-1/tables.out");

const MEGABYTE: usize = 1 << 20;

fn grown(text: &str, bytes: usize) -> Source {
    let mut grown = String::with_capacity(bytes + text.len());
    while grown.len() < bytes {
        grown.push_str(text);
    }
    Source::of("grown", grown)
}

fn measure(name: &str, text: &str, read: impl Fn(&Source) -> usize) {
    let mut first = None;
    for megabytes in [1_u32, 10, 100] {
        let source = grown(text, megabytes as usize * MEGABYTE);
        let times = if megabytes == 1 { 5 } else { 1 };
        let best = (0..times)
            .map(|_| {
                let begun = Instant::now();
                black_box(read(&source));
                begun.elapsed().as_secs_f64() / f64::from(megabytes)
            })
            .fold(f64::MAX, f64::min);
        let ratio = best / *first.get_or_insert(best);
        println!("{name:<28} {megabytes:>4} MB  {:>8.2} ms for each MB  × {ratio:.2}", best * 1000.0);
    }
}

fn main() {
    let load = |text: &str| Dialect::load(&Arc::new(Source::of("dialect", text))).map_err(|p| p.len());
    let (Ok(shingle), Ok(fathom)) = (load(SHINGLE), load(FATHOM)) else { return };
    measure("shingle, configuration", DESKS, |s| shingle.read(s, 1).statements.len());
    measure("fathom, configuration", HALL, |s| fathom.read(s, 1).statements.len());
    let as_of = "2031-03-04T06:30:00Z".parse().unwrap_or_default();
    measure("shingle, state", TABLES, |s| shingle.read_state(s, 1, as_of).facts.len());
    // Lines that begin like many rules and fit none.
    let odd = "crowd ceiling 3 then nothing of it\nbundle lanes more 1,2,3,4..9 10 11\n".repeat(50);
    measure("shingle, lines that fit not", &odd, |s| shingle.read(s, 1).unread.len());
}
