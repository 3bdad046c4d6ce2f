//! What must hold for any input: no panic, an answer that can be read again, evidence that is there.

use std::sync::Arc;

use crate::support::{HEAD, POLICY, SHINGLE, from_record, policy, read, record, shingle_without, verdicts};
use proptest::prelude::*;
use yellowlegs_core::check::ids;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::model::{Record, Scope, SettingId};
use yellowlegs_core::policy::Policy;
use yellowlegs_core::resolve::Resolved;
use yellowlegs_core::source::Source;

/// Lines of Shingle and lines of nobody, in any order and at any depth.
fn line() -> impl Strategy<Value = String> {
    // A free text takes the lines behind it: they are neither statements nor unread.
    let pattern = |line: &'static str| line.strip_prefix("pattern = \"").or_else(|| line.strip_prefix('"'));
    let known = SHINGLE.lines().filter_map(pattern).filter(|l| !l.starts_with("welcome"));
    let mut heads: Vec<String> =
        known.filter_map(|l| l.split(['<', '(', '[', '"']).next()).map(str::to_owned).collect();
    heads.extend(["without ".into(), "# ".into(), "\u{feff}".into(), String::new()]);
    let tail = prop_oneof![
        "[1-3]\\.[0-9]{1,2}(\\.\\.[1-3]\\.[0-9]{1,2})?",
        "[0-9]{1,4}(,[0-9]{1,4})*",
        "(single|bundle|bargain|every|untagged|none|7m|lane 9)",
        "[0-9a-f]{4}\\.[0-9a-f]{4}\\.[0-9a-f]{4}( lane [0-9]{1,4})?",
        "\\PC{0,12}",
    ];
    ("[ \t]{0,3}", proptest::sample::select(heads), tail)
        .prop_map(|(indent, head, tail)| format!("{indent}{head}{tail}"))
}

fn config() -> impl Strategy<Value = String> {
    proptest::collection::vec(line(), 0..40).prop_map(|lines| format!("{HEAD}{}\n", lines.join("\n")))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 150, ..ProptestConfig::default() })]

    #[test]
    fn a_printed_record_reads_as_the_same_switch(text in config()) {
        let resolved = read(&shingle_without(&["port-security.limit"]), &text);
        let printed = record(&resolved);
        let switch = from_record(&printed, "t");
        prop_assert_eq!(record(&Resolved::from_record(switch.clone())), printed);
        // The verdicts are the same, read from text or from the record.
        let (dialect, policy) = (shingle_without(&[]), policy(POLICY));
        if !switch.ports().is_empty() {
            let from_record = verdicts(&Resolved::from_record(switch), &dialect, &policy);
            prop_assert_eq!(from_record, verdicts(&resolved, &dialect, &policy));
        }
    }

    #[test]
    fn the_lines_of_a_history_are_found_without_working_it_out(text in config()) {
        let resolved = read(&shingle_without(&["port-security.limit"]), &text);
        let ports = (0..resolved.switch.ports().len().min(4)).map(Some).chain([None]);
        for port in ports {
            for id in SettingId::all().filter(|id| port.is_some() == (id.info().scope == Scope::Port)) {
                let history = resolved.history(port, id);
                let marks: Vec<_> = history.iter().filter_map(|slot| slot.mark).collect();
                // Asked for more and more often, it is found in another way.
                prop_assert_eq!(resolved.marks(port, id), marks, "{} {:?}", id.name(), port);
            }
        }
    }

    #[test]
    fn every_line_is_a_statement_or_kept_as_unread(text in config()) {
        let dialect = shingle_without(&[]);
        let reading = dialect.read(&Source::of("t", text.as_str()), 1);
        let meant = text.lines().filter(|l| !l.trim().is_empty() && !l.trim_start().starts_with('#')).count();
        prop_assert_eq!(reading.statements.len() + reading.unread.len(), meant);
    }

    #[test]
    fn any_bytes_are_read_or_refused(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
        if let Ok(source) = Source::decode("t", bytes) {
            let source = Arc::new(source);
            let _ = Dialect::load(&source);
            let _ = Policy::load(&source, &ids());
            let resolved = yellowlegs_core::resolve::resolve("t", &shingle_without(&[]), source);
            prop_assert!(resolved.record().is_ok_and(|record| serde_json::from_slice::<Record>(&record).is_ok()));
        }
    }

    #[test]
    fn a_dialect_or_policy_with_a_hole_is_read_or_refused(at in 0_usize..8000, gone in 1_usize..60, put in "\\PC{0,8}") {
        for text in [SHINGLE, POLICY] {
            let cut = |i: usize| (0..=i.min(text.len())).rev().find(|i| text.is_char_boundary(*i)).unwrap_or(0);
            let at = at % text.len();
            let source = Arc::new(Source::of("t", format!("{}{put}{}", &text[..cut(at)], &text[cut(at + gone)..])));
            for problem in Dialect::load(&source).err().into_iter().flatten() {
                let line = source.line(problem.place.line).unwrap_or_default();
                prop_assert!(problem.place.column as usize <= line.chars().count() + 2, "{problem}");
            }
            let _ = Policy::load(&source, &ids());
        }
    }
}
