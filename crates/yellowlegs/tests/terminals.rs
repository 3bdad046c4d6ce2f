//! On a terminal no command lets a switch's text speak to it; in a pipe what is a file's content is exact.

#![cfg(unix)]
#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may touch files")]

use crate::support::terminal::{on_a_terminal, typed_on_a_terminal};
use crate::support::{Fleet, nasty};
use rstest::rstest;

/// The tour waits at each stop: Enter leads on, `q` ends it, and so does the end of what is typed.
#[rstest]
#[case::on_and_enough("\n\nq\n", 3)]
#[case::enough_at_once("q\n", 1)]
#[case::all_of_it("\n\n\n\n\n\n\n\n\n", 10)]
#[case::nobody_types("", 1)]
fn the_tour_goes_stop_by_stop(#[case] keys: &str, #[case] stops: usize) {
    let told = typed_on_a_terminal(&Fleet::empty(), "demo tour", keys);
    assert_eq!(told.matches("$ yellowlegs ").count(), stops, "{told}");
    assert_eq!(told.matches("q: enough").count(), stops.min(9), "{told}");
    assert!(told.contains("For your own switches:") && told.contains("(+ "), "{told}");
}

/// Colours and the program's own progress apart, what is left that a terminal would obey.
fn commands(text: &str) -> Vec<String> {
    let mut left = Vec::new();
    let mut rest = text;
    while let Some(at) = rest.find('\u{1b}') {
        let tail = &rest[at + 1..];
        let sgr = tail.strip_prefix('[').and_then(|t| {
            let end = t.find(|c: char| !c.is_ascii_digit() && c != ';' && c != '?')?;
            // Colours, and lines of the progress that are taken back.
            "mKABGhlJ".contains(t[end..].chars().next()?).then_some(&t[end + 1..])
        });
        match sgr {
            Some(behind) => rest = behind,
            None => {
                left.push(tail.chars().take(12).collect());
                rest = tail;
            }
        }
    }
    let other =
        |c: &char| matches!(*c, '\u{7}' | '\u{b}' | '\u{9b}' | '\u{202e}' | '\u{2066}' | '\u{200b}' | '\u{feff}');
    left.extend(text.chars().filter(other).map(|c| c.escape_debug().to_string()));
    left
}

#[rstest]
#[case("audit -q")]
#[case("audit -q --format json")]
#[case("audit -q --format csv")]
#[case("audit -q --format markdown")]
#[case("audit -q --raw")]
#[case("port gravel-1 w6")]
#[case("drill -q rogue-server")]
#[case("compare gravel-1 gravel-1")]
#[case("flaps")]
#[case("read 'one & '\"'\"'two'\"'\"'/gravel-1/config.txt'")]
#[case("dialect explain dialects/gravel.toml 'one & '\"'\"'two'\"'\"'/gravel-1/config.txt'")]
#[case("dialect explain dialects/gravel.toml 'one & '\"'\"'two'\"'\"'/gravel-1/config.txt' --raw")]
#[case("dialect sketch 'one & '\"'\"'two'\"'\"'/gravel-1/config.txt'")]
#[case("policy new .")]
#[case("policy show")]
#[case("policy test")]
#[case("completions bash")]
#[case("audit --switch nobody")]
fn nothing_reaches_the_terminal_as_a_command(#[case] words: &str) {
    let fleet = Fleet::empty();
    nasty::write(fleet.path());
    let shown = on_a_terminal(&fleet, words);
    assert!(!shown.trim().is_empty(), "{words} says nothing");
    assert_eq!(commands(&shown), Vec::<String>::new(), "{words}");
}

/// The same text in a pipe is what a file would hold.
#[test]
fn in_a_pipe_a_draft_is_exact() {
    let fleet = Fleet::demo();
    let piped = fleet.run(&["policy", "new", "."]).out;
    assert!(piped.contains("[vlans]"));
    fleet.write("drafted.toml", &piped);
    assert_eq!(fleet.run(&["audit", "--policy", "drafted.toml", "--fail-on", "never"]).code, 0);
    assert_eq!(on_a_terminal(&fleet, "policy new .").replace("\r\n", "\n"), piped);
}
