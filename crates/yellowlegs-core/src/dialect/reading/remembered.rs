//! Lines that came before, in this text or in another: the next of the same text, in the same context, comes to the same, and is neither
//! split nor looked up.

use super::block::{Block, Inside};
use super::{MOST_CAPTURES, NOBODY, Reader, Statement};
use crate::dialect::compiled::{Asked, Braced};
use crate::dialect::rule::Rule;
use crate::model::Mark;
use crate::syntax::Line;

impl Statement {
    /// The same on another line; `start`: where its own begins.
    #[inline]
    fn placed(&self, start: usize, line: Line<'_>, parent: u32) -> Self {
        let moved = |at: u32| (at as usize - start + line.start) as u32;
        let mark = Mark { line: line.number, offset: moved(self.mark.offset), ..self.mark };
        Self { mark, stretch: (moved(self.stretch.0), moved(self.stretch.1)), parent, ..*self }
    }
}

/// A line that is known: the block that it opens, and what it does to braces.
#[derive(Clone, Copy)]
pub(super) struct Came {
    pub(super) inside: Block,
    pub(super) braced: Braced,
}

impl<'a> Reader<'a> {
    /// What a line comes to whose text came before in the same context, here or in another text.
    #[inline]
    pub(super) fn known(&mut self, asked: Asked<'a>, line: Line<'a>, opener: u32) -> Option<Came> {
        let at = self.store.find(asked)?;
        self.as_kept(at, line, opener)
    }

    /// The next line, where it is the one that is expected behind the last, and what it comes to. `around` is the block that lines of a
    /// depth stand in.
    #[inline]
    pub(super) fn as_expected(&mut self, around: impl Fn(u32) -> Block) -> Option<(Line<'a>, Came)> {
        let expected = self.store.expected(self.lines.rest()?.as_bytes())?;
        let Inside::Context(context, opener) = around(expected.indent).inside() else { return None };
        if context as u32 != expected.context {
            return None;
        }
        let line = self.lines.ahead(expected.indent, expected.width)?;
        let came = self.as_kept(expected.at, line, opener)?;
        self.lines.pass(line);
        Some((line, came))
    }

    /// What a line comes to that is kept at a position.
    #[inline]
    fn as_kept(&mut self, at: usize, line: Line<'a>, opener: u32) -> Option<Came> {
        let has_room = self.reading.captures.len() <= MOST_CAPTURES * self.text.len() + 64;
        let room = has_room.then_some(self.reading.captures.len() as u32);
        let compiled = self.store.get(at, room)?;
        self.reading.captures.extend(compiled.captures.iter().map(|captured| captured.moved(0, line.start)));
        let (mut parent, mut position, mut leader) = (opener, opener, None);
        for (at, part) in compiled.statements.iter().enumerate() {
            position = self.reading.statements.len() as u32;
            let mut statement = part.placed(0, line, parent);
            statement.mark.file = self.file;
            statement.captures += compiled.from;
            self.reading.statements.push(statement);
            if at + 1 < compiled.statements.len() {
                let goes_on = self.dialect.rules.get(statement.rule as usize).is_some_and(Rule::goes_on);
                leader = leader.or(goes_on.then_some(position));
                parent = leader.unwrap_or(position);
            }
        }
        let (opens, braced) = compiled.leads;
        self.store.came(at, line.indent);
        Some(Came { inside: opens.block(position), braced })
    }

    /// Remembers what a line came to: its statements are those from one on.
    pub(super) fn remember(&mut self, asked: Asked<'a>, line: Line<'a>, from: u32, came: Came) {
        let statements = self.reading.statements.get(from as usize..).unwrap_or_default();
        if !self.is_repeatable(statements) {
            return;
        }
        let captures = statements.iter().flat_map(|statement| self.reading.captures(self.dialect, statement));
        let captures = captures.map(|captured| captured.moved(line.start, 0));
        // What one took stands behind what the one before it took: in the text, and in what is remembered.
        let base = statements.first().map_or(0, |statement| statement.captures);
        let mut taken = 0;
        for statement in statements {
            if statement.captures != base + taken {
                return;
            }
            taken += self.reading.captures(self.dialect, statement).len() as u32;
        }
        let zero = Line { number: 0, start: 0, text: "", indent: 0 };
        let statements = statements.iter().map(|statement| Statement {
            captures: statement.captures - base,
            ..statement.placed(line.start, zero, NOBODY)
        });
        if let Some(at) = self.store.add(asked, statements, captures, ((came.inside.opens(), came.braced), base)) {
            self.store.came(at, line.indent);
        }
    }

    /// Whether statements hold nothing that hangs on where they stand: no secret, no free text behind them.
    fn is_repeatable(&self, statements: &[Statement]) -> bool {
        let rules = statements.iter().filter_map(|s| self.dialect.rules.get(s.rule as usize));
        rules.into_iter().all(|rule| rule.until.is_none() && !rule.is_open && !rule.pattern.has_secret())
    }
}

#[cfg(test)]
mod tests {
    use std::sync::{Arc, LazyLock};

    use crate::dialect::captured::Captured;
    use crate::dialect::compiled::Store;
    use crate::dialect::{Dialect, Reading};
    use crate::source::Source;
    use proptest::prelude::*;

    /// Free text, secrets, lines that go on, comments in all their places, and words that open a block here and none there.
    const KNOT: &str = r##"
[dialect]
name = "knot"
[text]
structure = "indent"
comment = "#"
inline-comment = "//"
block-comment = ["(*", "*)"]
continuation = "\\"
negation = "not"
verb = "tie"
close = ["done"]
[ports]
names = ["<n>.<n>"]
[[rule]]
pattern = "bight <p:ports>"
opens = "bight"
ports = "<p>"
[[rule]]
in = "bight"
pattern = "hold <n:int>"
sets = { "port.access-vlan" = 7, "port-security.limit" = "<n>" }
negation = "default"
[[rule]]
in = "bight"
pattern = "word <w:word>"
sets = { "port.description" = "<w>" }
[[rule]]
in = "bight"
pattern = "key <k:secret>"
[[rule]]
pattern = "hold <n:int>"
opens = "knots"
[[rule]]
in = "knots"
pattern = "hold <n:int>"
[[rule]]
pattern = "shout <d:delimiter>"
until = "<d>"
"##;

    /// What was read, told so that it does not matter where is kept what the holes took.
    fn told(dialect: &Dialect, text: &str, reading: &Reading) -> Vec<String> {
        let captured = |captured: &Captured| match captured {
            Captured::Text(word) => format!("text {}", word.of(text)),
            other => format!("{other:?}"),
        };
        let statements = reading.statements.iter().map(|statement| {
            let captures: Vec<String> = reading.captures(dialect, statement).iter().map(captured).collect();
            let (rule, mark, parent) = (statement.rule, statement.mark, statement.parent());
            let (words, negated, leads) = (statement.words(), statement.negated, statement.leads);
            format!("{rule} {mark:?} {words:?} {parent:?} {negated} {leads} {captures:?}")
        });
        let rest = format!(
            "{:?} {:?} {:?} {:?} {:?} {}",
            reading.unread, reading.unread_at, reading.torn, reading.secrets, reading.hidden, reading.lines
        );
        statements.chain([rest]).collect()
    }

    /// The knot in three structures, and those of the demo.
    static DIALECTS: LazyLock<Vec<Dialect>> = LazyLock::new(|| {
        let braced =
            |structure: &str| KNOT.replace("close = [\"done\"]\n", "").replace("structure = \"indent\"", structure);
        let demo = [
            include_str!("../../../../../demo/dialects/shingle.toml"),
            include_str!("../../../../../demo/dialects/fathom.toml"),
        ];
        let with_end = braced("structure = \"braces\"\nend = \";\"");
        let all = [KNOT.to_owned(), with_end, braced("structure = \"braces\"")].into_iter();
        let all = all.chain(demo.map(str::to_owned)).map(|text| Arc::new(Source::of("own.toml", text)));
        all.map(|source| Dialect::load(&source).unwrap_or_else(|problems| panic!("{problems:#?}"))).collect()
    });

    /// Runs of lines out of texts that belong together, with hands that have been at them.
    fn texts(of: &'static [&'static str]) -> impl Strategy<Value = Vec<String>> {
        let lines: Vec<&str> = of.iter().flat_map(|text| text.lines()).collect();
        let odd =
            prop::sample::select(&["", "  ", "# x", "\t", "\r", " \\", " // x", "(* x", "*)", "done", " ; x", "5"][..]);
        let run = (0..lines.len(), 1_usize..9, prop::option::weighted(0.3, odd), 0_usize..9);
        let run = run.prop_map(move |(from, count, odd, at)| {
            let mut run: Vec<String> = lines.iter().skip(from).take(count).map(ToString::to_string).collect();
            match (odd, run.get_mut(at)) {
                (Some(odd), Some(line)) if odd.starts_with('\t') => line.insert_str(0, odd),
                (Some(odd), Some(line)) if odd.starts_with([' ', '\r', '*', '5']) => line.push_str(odd),
                (Some(odd), _) => run.insert(at.min(run.len()), odd.to_owned()),
                (None, _) => {}
            }
            run.join("\n")
        });
        let text = prop::collection::vec(run, 1..12).prop_map(|runs| runs.join("\n"));
        prop::collection::vec(text, 1..5)
    }

    const KNOTS: &[&str] = &[
        "bight 1.1\n hold 3\n word a\nbight 1.2\n hold 3\n word b\n key c\n not hold 3\nhold 3\n hold 3\n  hold 4\ndone\n",
        "tie bight 1.1\n hold 3 \\\n word a\nshout !\nbight 1.1\n hold 3\n!\n hold 3\nbight 1.1, 1.2\n\thold 3\n hold 3 // x\n",
        "bight 1.3\n hold 3 (* x *)\n hold 3 (* x\n hold 3\n*)\n word x\n hold 3\n nobody knows\n  hold 3\n",
    ];
    const SHINGLE: &[&str] = &[
        include_str!("../../../../../demo/northquay/nq-desks-1/config.txt"),
        include_str!("../../../../../demo/northquay/nq-gates-1/config.txt"),
    ];
    const FATHOM: &[&str] = &[
        include_str!("../../../../../demo/saltpan/sp-hall-1/config.txt"),
        include_str!("../../../../../demo/saltpan/sp-gates-1/config.txt"),
    ];

    const BRACED: &[&str] = &[
        "bight 1.1 {\n hold 3;\n word a;\n}\nbight 1.2 { hold 3; word b;\n key c;\n not hold 3;\n}\nhold 3;\nhold 3 {\n hold 3;\n}\n}\n",
        "tie bight 1.1\n{\n hold\n 3;\n hold 3\n;\n}\n}\nbight 1.1 {\nhold 3;\n nobody knows {\n hold 3;\n}\n}\n;\n{\n}\n",
        "bight 1.3 {\n hold 3; (* x *)\n (* y *) hold 3;\n hold 3; (* x\n hold 3;\n*)\n word x;\n hold 3; // x\n} hold 3;\nhold 3",
    ];

    proptest! {
        /// What came before, in this text or in others, makes no difference to what a text comes to.
        #[test]
        fn what_was_read_before_makes_no_difference(
            knots in texts(KNOTS), shingle in texts(SHINGLE), fathom in texts(FATHOM),
            braced in texts(BRACED), few in prop_oneof![3_usize..30, Just(3000)],
        ) {
            for (dialect, texts) in DIALECTS.iter().zip([&knots, &braced, &braced, &shingle, &fathom]) {
                // A copy has read nothing so far.
                let (forgets, dialect) = (dialect.clone(), dialect.clone());
                forgets.stores.give_back(Store::of(0));
                // One that keeps so few lines that they come and go.
                dialect.stores.give_back(Store::of(few));
                for text in texts.iter().chain(texts) {
                    let source = Source::of("t", text.as_str());
                    let (here, there) = (dialect.read(&source, 1), forgets.read(&source, 1));
                    prop_assert_eq!(told(&dialect, text, &here), told(&forgets, text, &there), "{}", text);
                }
            }
        }
    }
}
