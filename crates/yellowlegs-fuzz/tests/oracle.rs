//! Every rule of each system taken away, and every word of every line bent: where less is understood nothing passes that did not.
//! And every target for a moment.

use fastrand::Rng;
use rstest::rstest;
use yellowlegs_core::policy::Policy;
use yellowlegs_fuzz::oracle::{self, Came, newly_met, verdicts};
use yellowlegs_fuzz::seeds::{POLICY, SYSTEMS};
use yellowlegs_fuzz::target::ALL;

/// The systems of the seeds, then four that use every form a dialect may have.
fn system(which: usize) -> (&'static str, &'static str, Policy) {
    const FORMS: [(&str, &str); 4] = [
        (
            include_str!("../../yellowlegs/tests/data/languages/dialects/kelp.toml"),
            include_str!("../../yellowlegs/tests/data/languages/kelp-1/config.txt"),
        ),
        (
            include_str!("../../yellowlegs/tests/data/languages/dialects/reef.toml"),
            include_str!("../../yellowlegs/tests/data/languages/reef-1/config.txt"),
        ),
        (
            include_str!("../../yellowlegs/tests/data/languages/dialects/dune.toml"),
            include_str!("../../yellowlegs/tests/data/languages/dune-1/config.txt"),
        ),
        (
            include_str!("../../yellowlegs/tests/data/languages/dialects/tarn.toml"),
            include_str!("../../yellowlegs/tests/data/languages/tarn-1/config.txt"),
        ),
    ];
    const SITE: &str = include_str!("../../yellowlegs/tests/data/languages/yellowlegs.toml");
    match SYSTEMS.get(which) {
        Some(system) => (system.dialect, system.config, oracle::policy(POLICY)),
        None => (FORMS[which - SYSTEMS.len()].0, FORMS[which - SYSTEMS.len()].1, oracle::policy(SITE)),
    }
}

#[rstest]
fn no_rule_that_is_missing_adds_a_pass(#[values(0, 1, 2, 3, 4, 5, 6, 7)] which: usize) {
    let (written, config, policy) = system(which);
    let dialect = oracle::dialect(written).unwrap();
    let before = oracle::read(&dialect, config);
    let told = verdicts(&policy, &before);
    assert!(told.values().any(|came| *came == Came::Met));
    let (mut seen, mut wrong) = (0, Vec::new());
    for (from, to) in oracle::rules(written) {
        let less = format!("{}{}", &written[..from], &written[to..]);
        let Some(less) = oracle::dialect(&less) else { continue };
        let after = oracle::read(&less, config);
        if after.switch.unread().len() <= before.switch.unread().len() {
            continue;
        }
        seen += 1;
        let mut met = newly_met(&told, &verdicts(&policy, &after));
        // Without the rule nobody knows that anything is used by name.
        if written[from..to].contains("uses = ") {
            met.retain(|place| !place.ends_with("config/dangling"));
        }
        if !met.is_empty() {
            wrong.push(format!("without {}: {met:?}", &written[from..to]));
        }
    }
    assert!(seen >= 5, "only {seen} rules take a line");
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[rstest]
fn no_word_that_is_bent_adds_a_pass(#[values(0, 1, 2, 3, 4, 5, 6, 7)] which: usize) {
    let (written, config, policy) = system(which);
    let dialect = oracle::dialect(written).unwrap();
    let before = oracle::read(&dialect, config);
    let told = verdicts(&policy, &before);
    let lines: Vec<&str> = config.split_inclusive('\n').collect();
    let (mut seen, mut wrong) = (0, Vec::new());
    for (at, line) in lines.iter().enumerate() {
        for word in line.split_whitespace() {
            let bent = line.replacen(word, &format!("{word}q"), 1);
            let text = [&lines[..at], &[bent.as_str()], &lines[at + 1..]].concat().concat();
            let after = oracle::read(&dialect, &text);
            if after.switch.unread().len() <= before.switch.unread().len() {
                continue;
            }
            seen += 1;
            let met = newly_met(&told, &verdicts(&policy, &after));
            if !met.is_empty() {
                wrong.push(format!("line {}, {}: {met:?}", at + 1, bent.trim_end()));
            }
        }
    }
    assert!(seen >= 10, "only {seen} lines are not understood any more");
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// A title that begins like none: the lines of its section stand in the one before.
#[rstest]
#[case("[unit]", "unit")]
#[case("[pools]", "mpools]")]
#[case("[sluices]\n", "(sluices)\n")]
#[case("[watch]", "")]
#[case("[leases]", "leases:")]
fn no_title_that_is_lost_adds_a_pass(#[case] title: &str, #[case] instead: &str) {
    let (system, policy) = (SYSTEMS[3], oracle::policy(POLICY));
    let dialect = oracle::dialect(system.dialect).unwrap();
    let told = verdicts(&policy, &oracle::read(&dialect, system.config));
    let text = system.config.replacen(title, instead, 1);
    assert_ne!(text, system.config);
    let after = oracle::read(&dialect, &text);
    assert!(!after.switch.unread().is_empty());
    assert_eq!(newly_met(&told, &verdicts(&policy, &after)), [""; 0]);
}

#[test]
fn each_target_runs() {
    for target in &ALL {
        for seed in 0..6 {
            (target.run)(&mut Rng::with_seed(seed)).unwrap_or_else(|wrong| panic!("{} {seed}: {wrong}", target.name));
        }
    }
}

/// Where no port is known, the line that is not understood may be the one that tells of them all.
#[test]
fn no_text_without_a_port_adds_a_pass() {
    let (system, policy) = (SYSTEMS[3], oracle::policy(POLICY));
    let declares = "[[rule]]\nin = \"unit\"\npattern = \"sluices '=' <all:ports>\"\ndeclares = \"<all>\"\n";
    assert!(system.dialect.contains(declares));
    let [dialect, less] = [system.dialect.to_owned(), system.dialect.replacen(declares, "", 1)]
        .map(|text| oracle::dialect(&text).unwrap());
    let config = "[unit]\nname = sw1\nsluices = 1.1-1\n";
    let (before, after) = (oracle::read(&dialect, config), oracle::read(&less, config));
    assert_eq!((before.switch.ports().len(), after.switch.ports().len()), (1, 0));
    let met = newly_met(&verdicts(&policy, &before), &verdicts(&policy, &after));
    assert!(met.is_empty(), "{met:?}");
}
