//! What a finding quotes: the line that decides, with the words that do; the lines that lost; what no line says; and what tells it
//! from others in the next audit.

use rstest::rstest;
use yellowlegs_core::check::{Judge, Selection};
use yellowlegs_core::finding::{Evidence, EvidenceKind, Finding, fingerprint};

use super::support::{HEAD, POLICY, as_of, policy, read, shingle_without};
use super::switch;

/// What a check finds on port 1.1 of a desk.
fn found(check: &str, lines: &str) -> Finding {
    let (dialect, policy) = (shingle_without(&[]), policy(POLICY));
    let (as_of, selection) = (as_of(), Selection::default());
    let resolved = switch(&dialect, "desk", &format!("carries single;{lines}"));
    let outcome = Judge::new(&policy, &as_of, &selection, false).switch(&resolved, Some(dialect.lists())).outcome;
    let mut found = outcome.findings.into_iter().filter(|f| f.check == check && f.port.as_deref() == Some("1.1"));
    found.next().unwrap_or_else(|| panic!("{check} finds nothing"))
}

/// The words of a line of the configuration that are marked.
fn words(line: &Evidence) -> String {
    let begins = line.column.unwrap_or(1) as usize - 1;
    line.text.chars().skip(begins).take(line.width.unwrap_or_default() as usize).collect()
}

/// The lines of the configuration that a finding quotes for itself, and those that lost; each by its marked words.
#[rstest]
#[case::one_line("crowd watch;crowd ceiling 9 then turn-away", &["9"], &[])]
#[case::two_lines("crowd watch;crowd ceiling 8 then turn-away;crowd ceiling 9 then turn-away", &["9"], &["8"])]
#[case::three_lines("crowd watch;crowd ceiling 7;crowd ceiling 8;crowd ceiling 9", &["9"], &["7", "8"])]
#[case::the_same_again("crowd watch;crowd ceiling 9;crowd ceiling 9", &["9"], &["9"])]
fn the_line_that_decides(#[case] lines: &str, #[case] decides: &[&str], #[case] lost: &[&str]) {
    let found = found("port-security/limit-high", lines);
    let own: Vec<&Evidence> = found.evidence.iter().filter(|line| line.kind == EvidenceKind::Line).collect();
    assert_eq!(own.iter().map(|line| words(line)).collect::<Vec<_>>(), decides);
    assert_eq!(found.overridden.iter().map(words).collect::<Vec<_>>(), lost);
    // The last of them stands last in the text.
    let last = own[0].line;
    assert!(found.overridden.iter().all(|line| line.line < last), "{found:#?}");
    // The policy's line ends the proof.
    assert_eq!(found.evidence.last().unwrap().kind, EvidenceKind::Policy);
}

/// Check, switch, port and cause make its fingerprint: lines and words play no part.
#[test]
fn what_tells_it_from_others() {
    let one = found("port-security/limit-high", "crowd watch;crowd ceiling 9");
    let other =
        found("port-security/limit-high", "home lane 110;crowd watch;crowd ceiling 8;crowd ceiling 7 then report");
    let parts = ["port-security/limit-high", "t", "1.1", "port-security.limit", ""];
    assert_eq!(one.fingerprint, fingerprint(parts));
    assert_eq!(other.fingerprint, fingerprint(parts));
}

/// What no line says is told with the file in which none does.
#[test]
fn what_no_line_says() {
    let found = found("port/vlan-undefined", "home lane 777");
    let silent = found.evidence.iter().find(|line| line.text.contains("no line defines VLAN 777")).unwrap();
    assert_eq!((silent.kind, silent.file.as_deref(), silent.line), (EvidenceKind::Silent, Some("t/config.txt"), None));
}

/// Of a list that several lines give, the line is quoted that gave what is wrong.
#[rstest]
#[case(
    "voice/range-wide",
    "stations 02:00:5e:00:00:00/16 into lane 210\nstations 02:00:5e:20:00:00/32 into lane 210\n",
    "02:00:5e:00:00:00/16"
)]
#[case(
    "voice/range-wide",
    "stations 02:00:5e:20:00:00/32 into lane 210\nstations 02:00:5e:00:00:00/16 into lane 210\n",
    "02:00:5e:00:00:00/16"
)]
#[case("arp-inspection/no-bindings", "arp watch lanes 300\narp watch lanes 110\n", "lanes 300")]
#[case("arp-inspection/no-bindings", "arp watch lanes 110\narp watch lanes 300\n", "lanes 300")]
fn the_line_that_gave_what_is_wrong(#[case] check: &str, #[case] lines: &str, #[case] words: &str) {
    let (dialect, policy) = (shingle_without(&[]), policy(POLICY));
    let (as_of, selection) = (as_of(), Selection::default());
    let resolved = read(&dialect, &format!("{HEAD}{lines}"));
    let outcome = Judge::new(&policy, &as_of, &selection, false).switch(&resolved, Some(dialect.lists())).outcome;
    let found = outcome.findings.iter().find(|f| f.check == check).unwrap_or_else(|| panic!("{check} finds nothing"));
    let own: Vec<&str> =
        found.evidence.iter().filter(|e| e.kind == EvidenceKind::Line).map(|e| e.text.as_str()).collect();
    assert!(own.iter().any(|line| line.contains(words)), "{own:?}");
}
