//! Hostile input, a few seconds in every test run: dialects, configurations and state that were cut, mixed and mangled.
//! No panic, no endless loop, and no more memory than a small multiple of the input.

use std::sync::Arc;

use crate::support::{SHINGLE, dialect};
use proptest::prelude::*;
use yellowlegs_core::dialect::{Dialect, sketch};
use yellowlegs_core::model::Record;
use yellowlegs_core::resolve::{State, explain, resolve_with, run_examples};
use yellowlegs_core::source::Source;

const FATHOM: &str = include_str!("../../../demo/dialects/fathom.toml");
const COVE: &str = include_str!("data/cove.toml");
const CONFIGS: [&str; 3] = [
    include_str!("../../../demo/northquay/nq-desks-1/config.txt"),
    include_str!("../../../demo/northquay/nq-gates-1/config.txt"),
    include_str!("../../../demo/saltpan/sp-hall-1/config.txt"),
];
const STATES: [&str; 4] = [
    include_str!("../../../demo/northquay/nq-desks-1/tables.out"),
    include_str!("../../../demo/northquay/nq-desks-1/events.log"),
    include_str!("../../../demo/saltpan/sp-hall-1/tables.out"),
    include_str!("../../../demo/saltpan/sp-hall-1/events.log"),
];

/// One cut into a text: where, how much goes, what comes in its place.
type Cut = (usize, usize, String);

fn cuts() -> impl Strategy<Value = Vec<Cut>> {
    let odd = prop_oneof![
        "\\PC{0,6}",
        Just("\u{0}".to_owned()),
        Just("\r\n\t{ } ; \" ' [ ( < > ) ] ...".to_owned()),
        Just("1..65535,".repeat(40)),
        Just("4294967295 99999999999999999999".to_owned()),
        Just("\u{202e}é\u{1f600}".to_owned()),
        Just("a:1 to a:65535, to to ,,".to_owned()),
    ];
    proptest::collection::vec((0_usize..100_000, 0_usize..200, odd), 0..6)
}

fn mangled(text: &str, cuts: &[Cut]) -> String {
    let mut text = text.to_owned();
    for (at, gone, put) in cuts {
        let bound =
            |i: usize, text: &str| (0..=i.min(text.len())).rev().find(|i| text.is_char_boundary(*i)).unwrap_or(0);
        let at = bound(at % (text.len() + 1), &text);
        let end = bound(at + gone, &text);
        text.replace_range(at..end.max(at), put);
    }
    text
}

fn dialects() -> [Arc<Dialect>; 3] {
    [dialect(SHINGLE), dialect(FATHOM), dialect(COVE)]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 120, ..ProptestConfig::default() })]

    #[test]
    fn dialects_are_read_or_refused(which in 0_usize..3, cuts in cuts()) {
        let text = mangled([SHINGLE, FATHOM, COVE][which], &cuts);
        match Dialect::load(&Arc::new(Source::of("d.toml", text.as_str()))) {
            Ok(dialect) => drop(run_examples(&Arc::new(dialect))),
            Err(problems) => {
                prop_assert!(!problems.is_empty());
                for problem in problems {
                    prop_assert!(problem.place.line as usize <= text.lines().count() + 1, "{problem}");
                }
            }
        }
    }

    #[test]
    fn configurations_are_read_under_each_dialect(which in 0_usize..3, cuts in cuts()) {
        let text = mangled(CONFIGS[which], &cuts);
        let source = Arc::new(Source::of("c.txt", text.as_str()));
        for dialect in dialects() {
            let reading = dialect.read(&source, 1);
            // Memory: so many statements and unread lines as there are words, at the most.
            let words = text.split_whitespace().count() + text.matches(['{', '}', ';']).count();
            prop_assert!(reading.statements.len() + reading.not_taken().count() <= words + 1);
            let resolved = resolve_with("t", &dialect, Arc::clone(&source), &State::default());
            prop_assert!(resolved.record().is_ok_and(|record| serde_json::from_slice::<Record>(&record).is_ok()));
            prop_assert_eq!(explain(&dialect, &source).len(), text.lines().count());
        }
        prop_assert!(sketch("new", &[&text]).is_none_or(|s| !s.is_empty()));
    }

    #[test]
    fn state_is_read_under_each_dialect(which in 0_usize..4, other in 0_usize..4, cuts in cuts()) {
        let text = mangled(&format!("{}{}", STATES[which], STATES[other]), &cuts);
        for dialect in dialects() {
            let read = dialect.read_state(&Source::of("s.out", text.as_str()), 1, "2031-03-04T06:30:00Z".parse().unwrap());
            prop_assert!(read.unread.len() <= text.lines().count());
            // A list of ports is a fact for each; a range has 1,025 at the most.
            prop_assert!(read.facts.len() <= 1100 * (text.split([',', '\n']).count() + 1));
        }
    }

    #[test]
    fn a_sketch_of_anything_loads_and_knows_what_it_was_shown(which in 0_usize..3, cuts in cuts()) {
        let text = mangled(CONFIGS[which], &cuts);
        let Ok(source) = Source::decode("t", text.clone().into_bytes()) else { return Ok(()) };
        let Some(written) = sketch("new", &[source.text()]) else { return Ok(()) };
        let dialect = Dialect::load(&Arc::new(Source::of("new.toml", written.as_str())));
        prop_assert!(dialect.is_ok(), "{:?}\n{written}", dialect.err());
        let reading = dialect.unwrap().read(&source, 1);
        let unread: Vec<_> = reading.not_taken().collect();
        prop_assert!(unread.is_empty(), "{unread:?}\n{written}");
    }
}
