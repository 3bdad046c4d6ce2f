//! What every case of the tables says: the sentence, the settings in force, the lines that prove it, what was calculated; or what is
//! missing. `data/told.txt` has it, to be read by a person whenever it changes.

use std::fmt::Write as _;

use yellowlegs_core::check::{Judge, Selection};
use yellowlegs_core::policy::{Inventory, InventoryFile};
use yellowlegs_core::source::Source;

use super::shown::shown;
use super::support::{POLICY, as_of, compare, policy, shingle_without};
use super::{cases, state, switch};

#[test]
fn what_every_case_says() {
    let plain = policy(POLICY);
    let mut listed = plain.clone();
    listed.stations =
        Some(Inventory::parse(&Source::of("stations.csv", state::STATIONS), &InventoryFile::default()).unwrap());
    let mut text = String::new();
    for (check, expected, note, lines, without) in
        cases().filter(|case| case.1 == "violated" || case.1 == "undetermined")
    {
        let policy = if state::CASES.iter().any(|case| case.0 == *check) { &listed } else { &plain };
        let dialect = shingle_without(without);
        let resolved = switch(&dialect, note, lines);
        let (as_of, selection) = (as_of(), Selection::default());
        let outcome = Judge::new(policy, &as_of, &selection, false).switch(&resolved, Some(dialect.lists())).outcome;
        let here = |port: Option<&str>| port.is_none_or(|port| port == "1.1");
        _ = writeln!(
            text,
            "{check}: {note}: {lines}{}",
            without.iter().fold(String::new(), |all, w| all + " without " + w)
        );
        if *expected == "violated" {
            let found = outcome.findings.iter().filter(|f| f.check == *check && here(f.port.as_deref()));
            found.for_each(|finding| _ = write!(text, "  {}", shown(finding)));
        } else {
            let open = outcome.undetermined.iter().filter(|o| o.check == *check && here(o.port.as_deref()));
            open.for_each(|open| _ = writeln!(text, "  {:?} open: {}", open.level, open.lacks()));
        }
    }
    compare("crates/yellowlegs-core/tests/data/told.txt", &text);
}
