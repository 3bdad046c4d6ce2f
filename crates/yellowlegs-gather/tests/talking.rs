//! Sessions without a network: whatever pieces the bytes come in, the same is typed and the same is kept; and no bytes at all end it badly.

use std::sync::Arc;

use crate::support::{PLAIN, WHOLE, dialect};
use proptest::prelude::*;
use rstest::rstest;
use yellowlegs_core::dialect::Answer;
use yellowlegs_gather::talk::{Came, Next, Talk, TalkProblem};

const MOST: usize = 1 << 16;

fn talk(session: &str) -> Talk {
    Talk::new(dialect(session), MOST, Arc::new(|file: &str| file == "config.txt")).unwrap()
}

/// A switch that answers each thing that is typed with the next of its texts, in pieces of so many bytes. What it was told, and how it ended.
fn played(session: &str, says: &[&str], piece: usize) -> (Vec<Next>, Result<Vec<Came>, TalkProblem>) {
    let (mut talk, mut typed) = (talk(session), Vec::new());
    for text in says {
        for bytes in text.as_bytes().chunks(piece) {
            if let Err(problem) = talk.hear(bytes) {
                return (typed, Err(problem));
            }
        }
        match talk.act() {
            Ok(Some(Next::Done)) => return (typed, Ok(talk.into_parts().0)),
            Ok(Some(next)) => typed.push(next),
            Ok(None) => {}
            Err(problem) => return (typed, Err(problem)),
        }
    }
    (typed, Ok(talk.into_parts().0))
}

fn line(text: &str) -> Next {
    Next::Type(format!("{text}\r"))
}

#[test]
fn a_session_with_everything_in_it() {
    let says = [
        "welcome\r\nwho?",
        "auditor\r\nand the word?",
        "\r\n\r\npier>",
        "climb\r\nthe word for up there?",
        "\r\npier^",
        "say all\r\nbrine 4\r\ngap 1\r\n--- further down ---",
        "\r                    \r  asleep\r\npier^",
        "say all\r\nbrine 4\r\ngap 1\r\n  asleep\r\npier^",
        "say kept\r\nwhat is `kept`\r\npier^",
        "\r\npier^",
    ];
    for piece in [1, 2, 7, 1000] {
        let (typed, came) = played(WHOLE, &says, piece);
        let expected = [
            Next::Secret(Answer::User),
            Next::Secret(Answer::Password),
            line("climb"),
            Next::Secret(Answer::Raise),
            line("say all"),
            Next::Type(" ".into()),
            line("say all"),
            line("say kept"),
            line(""),
        ];
        assert_eq!(typed, expected);
        assert_eq!(came, Ok(vec![Came { file: "config.txt".into(), text: "brine 4\ngap 1\n  asleep\n".into() }]));
    }
}

#[rstest]
#[case::refused(&["who?", "who?"], TalkProblem::Refused { asks: "who?".into() })]
#[case::not_raised(&["pier>", "climb\r\npier>"], TalkProblem::NotRaised)]
#[case::raise_refused(&["pier>", "climb\r\nthe word for up there?", "the word for up there?"], TalkProblem::Refused { asks: "the word for up there?".into() })]
#[case::no_raise(&["pier>", "climb\r\nwhat is climb\r\npier^"], TalkProblem::Command { said: "what is climb".into() })]
#[case::refuses(&["pier>", "climb\r\npier^", "say all\r\nwhat is all?\r\npier^"], TalkProblem::Command { said: "what is all?".into() })]
#[case::empty(&["pier>", "climb\r\npier^", "say all\r\n\r\n\r\npier^"], TalkProblem::Empty)]
#[case::late(&["pier>", "climb\r\npier^", "gap 9\r\n  asleep\r\npier^"], TalkProblem::NoEcho { found: "gap 9".into() })]
#[case::unlike(
    &["pier>", "climb\r\npier^", "say all\r\na\r\n--- further down ---", "\r \rc\r\npier^", "say all\r\na\r\nb\r\nc\r\npier^"],
    TalkProblem::Unlike { file: "config.txt".into(), line: 2 }
)]
#[case::not_done(
    &["pier>", "climb\r\npier^", "say all\r\na\r\npier^", "say kept\r\nb\r\npier^", "gap 7\r\npier^"],
    TalkProblem::NotDone { found: "gap 7".into() }
)]
fn what_cannot_go_on(#[case] says: &[&str], #[case] expected: TalkProblem) {
    for piece in [1, 1000] {
        assert_eq!(played(WHOLE, says, piece).1, Err(expected.clone()));
    }
}

#[test]
fn a_line_like_the_prompt_ends_nothing_while_something_follows() {
    let mut talk = talk(PLAIN);
    talk.hear(b"[pier] ").unwrap();
    assert_eq!(talk.act(), Ok(Some(line("no pages"))));
    talk.hear(b"no pages\r\n[pier] ").unwrap();
    assert_eq!(talk.act(), Ok(Some(line("say all"))));
    talk.hear(b"say all\r\nbrine 4\r\n[pier]").unwrap();
    assert!(talk.may_act(), "it may be the prompt");
    talk.hear(b" gap 1\r\n[quay] ").unwrap();
    assert!(!talk.may_act(), "the prompt of another is none");
    assert_eq!(talk.act(), Ok(None));
    talk.hear(b"\r\n[pier] ").unwrap();
    assert_eq!(talk.act(), Ok(Some(line(""))));
    talk.hear(b"\r\n[pier] ").unwrap();
    assert_eq!(talk.act(), Ok(Some(Next::Done)));
    assert_eq!(talk.into_parts().0[0].text, "brine 4\n[pier] gap 1\n[quay] \n");
}

/// A switch may rest anywhere, on the sign of a page too: what was taken for one goes on where text follows.
#[rstest]
#[case::in_the_first_prompt(&["[pier-", "1] ", "no pages\r\n[pier-1] ", "say all\r\nbrine 4\r\n[pier-1] ", "\r\n[pier-1] "], "brine 4\n")]
#[case::in_a_text(
    &["[pier-1] ", "no pages\r\n[pier-1] ", "say all\r\nbrine 4\r\ngap-", "7\r\n[pier-1] ", "say all\r\nbrine 4\r\ngap-7\r\n[pier-1] ", "\r\n[pier-1] "],
    "brine 4\ngap-7\n"
)]
#[case::in_the_last_prompt(
    &["[pier-1] ", "no pages\r\n[pier-1] ", "say all\r\nbrine 4\r\n[pier-", "1] ", "say all\r\nbrine 4\r\n[pier-1] ", "\r\n[pier-1] "],
    "brine 4\n"
)]
#[case::a_share_before_the_sign(
    &["[pier-1] ", "no pages\r\n[pier-1] ", "say all\r\nbrine 4\r\n7 % -", "\r     \rgap 7\r\n8 % -", "\x08\x08\x08\x08\x08\x1b[Kgap 8\r\n9 % -", "\x1b[K[pier-1] ",
      "say all\r\nbrine 4\r\ngap 7\r\ngap 8\r\n[pier-1] ", "\r\n[pier-1] "],
    "brine 4\ngap 7\ngap 8\n"
)]
fn what_is_no_page_is_not_lost(#[case] says: &[&str], #[case] text: &str) {
    for piece in [1, 1000] {
        let (_, came) = played(PLAIN, says, piece);
        assert_eq!(came, Ok(vec![Came { file: "config.txt".into(), text: text.into() }]));
    }
}

/// Wherever a switch rests on the way, its text comes whole.
#[test]
fn a_rest_takes_nothing() {
    let answer = "say all\r\nbrine 4\r\ngap-7\r\n  a-sleep -\r\n\r\n-\tlast\r\n[pier-1]";
    let whole = played(PLAIN, &["[pier-1]", "no pages\r\n[pier-1]", answer, "\r\n[pier-1]"], 1000).1.unwrap();
    for at in 1..answer.len() {
        let (before, after) = answer.split_at(at);
        // Where a page was turned, the text is asked for again.
        let says = ["[pier-1]", "no pages\r\n[pier-1]", before, after, answer, "\r\n[pier-1]"];
        let once = ["[pier-1]", "no pages\r\n[pier-1]", before, after, "\r\n[pier-1]"];
        let (typed, _) = played(PLAIN, &says, 1000);
        let turned = typed.contains(&Next::Type(" ".into()));
        let came = played(PLAIN, if turned { &says } else { &once }, 1000).1;
        // Between a sign and the end of its line nothing tells whose it is: gone the first time and there the second, it is told.
        match came {
            Err(TalkProblem::Unlike { .. }) => {
                assert!([" -", "\n-"].iter().any(|end| before.trim_end().ends_with(end)), "{before:?}");
            }
            came => assert_eq!(came.as_ref(), Ok(&whole), "{before:?}"),
        }
    }
}

#[test]
fn an_answer_without_end_has_a_bound() {
    let mut talk = talk(PLAIN);
    let endless = (0..).find_map(|_| talk.hear(&[b'a'; 1000]).err());
    assert_eq!(endless, Some(TalkProblem::Endless { most: MOST }));
    // One line alone is held to the same.
    let mut talk = self::talk(PLAIN);
    let endless = (0..).find_map(|_| talk.hear(b"\r\x1b[K\x1b[31m").err());
    assert_eq!(endless, Some(TalkProblem::Endless { most: MOST }));
}

/// Pieces of what switches write, and of what none does.
fn pieces() -> impl Strategy<Value = Vec<u8>> {
    let known = prop::sample::select(vec![
        "who?",
        "and the word?",
        "pier>",
        "pier^",
        "climb",
        "say all",
        "say kept",
        "what is",
        "--- further down ---",
        "\r\n",
        "\r",
        "\n",
        "\x08",
        "\x1b[K",
        "\x1b]0;",
        "\x07",
        "brine 4",
        "\u{200b}",
        "é",
        " ",
    ]);
    let known = known.prop_map(|text: &str| text.as_bytes().to_vec());
    prop_oneof![4 => known, 1 => prop::collection::vec(any::<u8>(), 0..6)]
}

proptest! {
    /// Whatever comes: no panic, nothing typed but what the dialect says, never more kept than came.
    #[test]
    fn whatever_comes_only_what_the_dialect_says_is_typed(says in prop::collection::vec(prop::collection::vec(pieces(), 0..8), 0..14)) {
        let mut talk = talk(WHOLE);
        let mut bytes = 0;
        for said in says {
            for piece in said {
                bytes += piece.len();
                if talk.hear(&piece).is_err() {
                    return Ok(());
                }
            }
            let may = talk.may_act();
            match talk.act() {
                Ok(Some(Next::Type(text))) => {
                    prop_assert!(["climb\r", "say all\r", "say kept\r", "\r", " "].contains(&&*text), "{text:?}");
                    prop_assert!(may);
                }
                Ok(Some(Next::Secret(answer))) => prop_assert!(answer != Answer::Enter && may),
                Ok(None) => {}
                Ok(Some(Next::Done)) | Err(_) => break,
            }
        }
        let kept: usize = talk.into_parts().0.iter().map(|came| came.text.len()).sum();
        // A sign that cannot be read takes three bytes where it was one; a line that begins with CR alone ends with a sign more.
        prop_assert!(kept <= 4 * bytes + 16);
    }

    /// The same bytes in other pieces come to the same.
    #[test]
    fn pieces_do_not_matter(lines in prop::collection::vec("[ -~]{0,30}", 0..12), piece in 1_usize..40) {
        let text = lines.join("\r\n");
        let answer = format!("say all\r\n{text}\r\n[pier] ");
        let says = ["[pier] ", "no pages\r\n[pier] ", &answer, "\r\n[pier] "];
        prop_assert_eq!(played(PLAIN, &says, piece), played(PLAIN, &says, usize::MAX));
    }
}
