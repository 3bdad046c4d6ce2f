//! What is said of a text of which one line is another stays said: every line of seven texts, bent in five ways (a word
//! that nobody knows, first or last; a word more; the line gone; the text torn there). Of each a mark of what is in force, of every doubt
//! near and in the block, and of every verdict. A change of the program that is to change no answer leaves the page alone; where one does, the
//! page names text, line and way. `YELLOWLEGS_RENEW=1` writes it anew.

#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may read the files it is about")]

use std::fmt::Write as _;
use std::sync::Arc;

use crate::support::texts::{COVE, COVE_TEXT, FATHOM, FATHOM_TEXT, SHINGLE_TEXT};
use crate::support::{POLICY, SHINGLE, as_of, compare, dialect, mark, policy, record};
use yellowlegs_core::check::{Judge, Selection};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::model::{DoubtWidth, SettingId};
use yellowlegs_core::policy::Policy;
use yellowlegs_core::resolve::{Resolved, resolve};
use yellowlegs_core::source::Source;

const LANGUAGES: &str = "../yellowlegs/tests/data/languages";

type Bend = fn(&[&str], usize) -> String;

/// The ways in which a line is bent.
const WAYS: [(&str, Bend); 5] = [
    ("first word", |lines, at| with(lines, at, |line| replaced(line, line.split_whitespace().next()))),
    ("last word", |lines, at| with(lines, at, |line| replaced(line, line.split_whitespace().next_back()))),
    ("more", |lines, at| with(lines, at, |line| Some(format!("{line} heron")))),
    ("gone", |lines, at| with(lines, at, |_| None)),
    ("torn", |lines, at| {
        let half = lines[at].char_indices().nth(lines[at].chars().count() / 2).map_or(0, |(byte, _)| byte);
        [&lines[..at], &[&lines[at][..half]]].concat().join("\n")
    }),
];

/// The lines with one of them another, or gone.
fn with(lines: &[&str], at: usize, other: impl FnOnce(&str) -> Option<String>) -> String {
    let other = other(lines[at]);
    let all = lines[..at].iter().copied().chain(other.as_deref()).chain(lines[at + 1..].iter().copied());
    all.fold(String::new(), |text, line| text + line + "\n")
}

/// A line with a word that nobody knows in the place of another.
fn replaced(line: &str, word: Option<&str>) -> Option<String> {
    let word = word?;
    // The last one of it: the first word has none like it before.
    let at = if line.trim_start().starts_with(word) { line.find(word)? } else { line.rfind(word)? };
    Some(format!("{}heron{}", &line[..at], &line[at + word.len()..]))
}

/// Everything that is said of a text.
fn said(policy: &Policy, dialect: &Arc<Dialect>, name: &str, text: String) -> String {
    said_of(policy, &read(dialect, name, text))
}

fn read(dialect: &Arc<Dialect>, name: &str, text: String) -> Resolved {
    resolve(name, dialect, Arc::new(Source::of(format!("{name}/config.txt"), text)))
}

/// Everything that is said of a switch.
fn said_of(policy: &Policy, resolved: &Resolved) -> String {
    let mut words = record(resolved);
    for width in [DoubtWidth::Near, DoubtWidth::Block] {
        let Some(doubtful) = resolved.doubtful(width) else { continue };
        for doubt in &doubtful.doubts {
            let settings: Vec<&str> = doubt.settings.iter().map(SettingId::name).collect();
            let (line, ports, more) = (doubt.mark.line(), &doubt.ports, doubt.more_ports);
            writeln!(words, "{line} {} {:?} {ports:?} {more} {settings:?}", doubt.shape, doubt.torn).unwrap();
        }
        words += &record(&doubtful.resolved);
    }
    let (as_of, selection) = (as_of(), Selection::default());
    let outcome = Judge::new(policy, &as_of, &selection, false).switch(resolved, resolved.lists()).outcome;
    outcome.findings.iter().for_each(|found| writeln!(words, "{found:?}").unwrap());
    outcome.undetermined.iter().for_each(|open| writeln!(words, "{open:?}").unwrap());
    words
}

/// The name of a language, its dialect, a text, and the policy for it.
type Text = (&'static str, Arc<Dialect>, String, Policy);

fn texts() -> Vec<Text> {
    let read = |path: String| std::fs::read_to_string(format!("{LANGUAGES}/{path}")).unwrap();
    let ours = [("shingle", SHINGLE, SHINGLE_TEXT), ("fathom", FATHOM, FATHOM_TEXT), ("cove", COVE, COVE_TEXT)];
    let ours = ours.map(|(name, rules, text)| (name, dialect(rules), text.to_owned(), policy(POLICY)));
    let theirs = ["kelp", "reef", "dune", "tarn"].map(|name| {
        let (rules, text) = (read(format!("dialects/{name}.toml")), read(format!("{name}-1/config.txt")));
        (name, dialect(&rules), text, policy(&read("yellowlegs.toml".into())))
    });
    ours.into_iter().chain(theirs).collect()
}

/// Of each line and way a mark; how many there are, and how many differ from what is said of the text as it is.
fn told(language: &str, dialect: &Arc<Dialect>, text: &str, policy: &Policy) -> (String, usize, usize) {
    let as_it_is = mark(&said(policy, dialect, language, text.to_owned()));
    let (mut page, mut all, mut differing) = (format!("{language}: {as_it_is}\n"), 0, 0);
    let lines: Vec<&str> = text.lines().collect();
    for at in 0..lines.len() {
        write!(page, "{language} {}", at + 1).unwrap();
        for (way, bend) in WAYS {
            let bent = mark(&said(policy, dialect, language, bend(&lines, at)));
            (all, differing) = (all + 1, differing + usize::from(bent != as_it_is));
            write!(page, ", {way} {bent}").unwrap();
        }
        page.push('\n');
    }
    (page, all, differing)
}

#[test]
fn what_is_said_of_a_bent_text_stays_said() {
    let texts = texts();
    let told: Vec<_> = std::thread::scope(|scope| {
        let all: Vec<_> = texts.iter().map(|one| scope.spawn(|| told(one.0, &one.1, &one.2, &one.3))).collect();
        all.into_iter().map(|one| one.join().unwrap()).collect()
    });
    let (all, differing) = told.iter().fold((0, 0), |(all, differing), one| (all + one.1, differing + one.2));
    assert!(differing * 10 > all * 9, "{differing} of {all} bent texts are told apart from what was there");
    compare("crates/yellowlegs-core/tests/data/bent.txt", &told.into_iter().map(|one| one.0).collect::<String>());
}

/// A line at the end of a text says what it says when all is read: where it stands in the text, and any line behind the whole of it, as it
/// is, without its indent, bent, and with signs that open what nothing closes.
#[test]
fn a_line_more_is_read_as_all_of_it_is() {
    for (name, dialect, text, policy) in texts() {
        let holds = |before: &str, more: &str| {
            let after = read(&dialect, name, before.to_owned()).with_lines(&[more.to_owned()]).unwrap();
            let begun = if before.is_empty() || before.ends_with('\n') { "" } else { "\n" };
            let whole = format!("{before}{begun}{more}\n");
            assert_eq!(after.text(), Some(whole.as_str()));
            let (anew, after) = (said(&policy, &dialect, name, whole), said_of(&policy, &after));
            assert!(anew == after, "{name}: {more:?} behind {before:?}\n{anew}\n{after}");
        };
        let lines: Vec<&str> = text.lines().collect();
        for (at, line) in lines.iter().copied().enumerate() {
            let before = lines[..at].iter().fold(String::new(), |text, line| text + line + "\n");
            holds(&before, line);
            let bent = replaced(line, line.split_whitespace().next_back()).unwrap_or_default();
            let opened = ["{", "/*", "\\"].map(|sign| format!("{line} {sign}"));
            for more in [line, line.trim(), &bent].into_iter().chain(opened.iter().map(String::as_str)) {
                holds(&text, more);
            }
        }
        holds(text.trim_end(), lines[0]);
    }
}
