//! What a dialect's rules tell of lines that none of them takes: how far such a line leads into their patterns, what it
//! names, and whether it looks like one that opens a block.

use rustc_hash::FxHashSet;

use super::automaton::Walk;
use super::by_text::Bytes;
use super::captured::Captured;
use super::hole::HoleType;
use super::layout::{Logical, Logicals};
use super::pattern::{Pattern, Step};
use super::ports::PortItem;
use super::rule::Rule;
use super::{Dialect, Missed};
use crate::model::{FactKind, Mark, SettingSet, VlanId};
use crate::source::Word;

/// Signs and words by which lines are told that no rule takes.
#[derive(Debug, Clone, Default)]
pub(super) struct Hints {
    /// The signs that lines which open something begin and end with.
    edges: FxHashSet<(Option<char>, Option<char>)>,
    /// The words that lines which open something begin with.
    openers: FxHashSet<Box<str>>,
    /// Words behind which ports are named.
    before_ports: FxHashSet<Box<str>>,
    /// Words behind which VLANs are named.
    before_vlans: FxHashSet<Box<str>>,
}

/// Where an unread line leads among the rules of a context.
#[derive(Debug, Clone, Default)]
pub struct Alike {
    /// The openers that it begins with, on a line that is a whole path: each with what its holes took.
    pub openers: Vec<(u32, Vec<Captured>)>,
    /// The context that they lead into; the line's own where it begins with none.
    pub context: usize,
    /// The rules that begin like it from there on.
    pub rules: Vec<u32>,
}

impl Alike {
    /// The same of a line that begins elsewhere, where this one begins at 0.
    fn at(&self, start: usize) -> Self {
        let moved = |captured: &Captured| captured.moved(0, start);
        let opener = |(rule, holes): &(u32, Vec<Captured>)| (*rule, holes.iter().map(moved).collect());
        Self { openers: self.openers.iter().map(opener).collect(), context: self.context, rules: self.rules.clone() }
    }
}

impl Bytes for Alike {
    fn bytes(&self) -> usize {
        let holes = self.openers.iter().map(|(_, holes)| size_of_val(&**holes)).sum::<usize>();
        size_of_val(&*self.openers) + holes + size_of_val(&*self.rules)
    }
}

/// What a line names wherever it stands: VLANs with whether it does so for certain, or only where they are some.
#[derive(Debug, Default)]
pub(super) struct Mentioned {
    ports: Vec<PortItem>,
    vlans: Vec<(VlanId, bool)>,
}

impl Bytes for Mentioned {
    fn bytes(&self) -> usize {
        size_of_val(&*self.ports) + size_of_val(&*self.vlans)
    }
}

/// What an unread line names.
#[derive(Debug, Clone, Default)]
pub struct Named {
    /// Ports.
    pub ports: Vec<PortItem>,
    /// VLANs.
    pub vlans: Vec<VlanId>,
}

/// Whether a word could be another one misspelt or cut short.
pub(super) fn is_near(word: &str, known: &str) -> bool {
    let (short, long) = (word.len().min(known.len()), word.len().max(known.len()));
    if short < 2 || !word.bytes().chain(known.bytes()).any(|b| b.is_ascii_alphabetic()) {
        return false;
    }
    if known.starts_with(word) {
        return true;
    }
    let borne = match long {
        0..=3 => 0,
        4..=5 => 1,
        _ => 2,
    };
    // A change of one letter takes one away and brings another, at most: words of other letters need no counting.
    let others = (letters(word) ^ letters(known)).count_ones() as usize;
    long - short <= borne && others <= 2 * borne && strsim::damerau_levenshtein(word, known) <= borne
}

/// Which letters a word has, those that share a bit as one.
fn letters(word: &str) -> u64 {
    word.chars().fold(0, |letters, letter| letters | 1 << (u32::from(letter) % u64::BITS))
}

impl Hints {
    pub(super) fn of(rules: &[Rule]) -> Self {
        let mut hints = Self::default();
        for rule in rules {
            for sequence in &rule.pattern.sequences {
                if rule.opens_block() {
                    hints.open(sequence);
                }
                hints.place(&rule.pattern, sequence);
            }
        }
        hints
    }

    fn open(&mut self, sequence: &[Step]) {
        let literal = |step: Option<&Step>| match step {
            Some(Step::Literal(word)) => Some(word.clone()),
            _ => None,
        };
        let (first, last) = (literal(sequence.first()), literal(sequence.last()));
        self.edges.insert((first.as_deref().and_then(front), last.as_deref().and_then(back)));
        self.openers.extend(first.map(Into::into));
    }

    fn place(&mut self, pattern: &Pattern, sequence: &[Step]) {
        for (before, step) in sequence.iter().zip(sequence.iter().skip(1)) {
            let (Step::Literal(word), Step::Hole(hole)) = (before, step) else { continue };
            match pattern.holes.get(*hole).and_then(|h| h.kind.typed()) {
                Some(HoleType::Port | HoleType::Ports) => {
                    self.before_ports.insert(word.as_str().into());
                }
                Some(HoleType::Vlan | HoleType::Vlans) => {
                    self.before_vlans.insert(word.as_str().into());
                }
                _ => {}
            }
        }
    }
}

fn front(word: &str) -> Option<char> {
    word.chars().next().filter(char::is_ascii_punctuation)
}

fn back(word: &str) -> Option<char> {
    word.chars().last().filter(char::is_ascii_punctuation)
}

impl Dialect {
    /// Whether a line that nobody knows looks like one that opens something: by the signs around it, or its first word.
    pub(super) fn looks_like_opener(&self, text: &str, words: &[Word]) -> bool {
        let (Some(first), Some(last)) = (words.first(), words.last()) else { return false };
        let (first, last) = (first.of(text), last.of(text));
        let edges = (front(first), back(last));
        edges != (None, None) && self.hints.edges.contains(&edges)
            || self.hints.openers.iter().any(|known| front(known).is_none() && is_near(first, known))
    }

    /// The words of the line, or of the part of one, that a mark covers.
    pub(super) fn words_at(&self, text: &str, mark: Mark) -> Vec<Word> {
        self.words_of_line(line_of(text, mark), mark.offset as usize)
    }

    fn words_of_line(&self, line: &str, start: usize) -> Vec<Word> {
        let mut words = Vec::new();
        self.layout.splitter.split(line, start, &mut words);
        words
    }

    /// Whether a line is one of those that the dialect's texts begin with.
    pub fn is_header(&self, text: &str, mark: Mark) -> bool {
        let words = self.words_at(text, mark);
        let walk = Walk { text, words: &words, lists: &self.lists };
        self.recognise.find(0, &walk, 0, &mut Vec::new(), &mut Vec::new())
    }

    /// Whether a text ends with the line that a whole one ends with; `None` where the dialect knows of none.
    ///
    /// # Errors
    /// The line that stands behind it, or nothing where it is missing.
    pub fn ends_whole(&self, text: &str) -> Option<Result<(), Option<Mark>>> {
        let last = self.last.as_ref()?;
        let (mut lines, mut line) = (Logicals::new(text, &self.layout), Logical::default());
        let mut ended = false;
        while lines.next(&mut line) {
            let Some(first) = line.words.first() else { continue };
            if ended {
                let width = (line.line_end.max(first.start) - first.start) as u32;
                return Some(Err(Some(Mark { file: 1, line: line.number, offset: first.start as u32, width })));
            }
            let words = self.without_signs(text, &line.words);
            let walk = Walk { text, words, lists: &self.lists };
            ended = last.find(0, &walk, 0, &mut Vec::new(), &mut Vec::new());
        }
        Some(if ended { Ok(()) } else { Err(None) })
    }

    /// The ports that a line of state names.
    pub fn named_in_state(&self, text: &str, mark: Mark) -> Vec<PortItem> {
        let words = self.words_at(text, mark);
        let named = words.iter().filter_map(|word| {
            let shown = word.of(text).trim_end_matches([':', ',', ';']);
            let plain = shown.bytes().all(|b| b.is_ascii_digit());
            self.lists.port(shown).filter(|_| !plain).map(PortItem::One)
        });
        named.collect()
    }

    /// The kind of facts that a line of state could have told.
    pub fn missed_in_state(&self, text: &str, mark: Mark, missed: &Missed) -> Vec<(Option<FactKind>, SettingSet)> {
        let state = self.state();
        match missed {
            Missed::Cell { table, .. } => {
                let Some(table) = state.tables.iter().find(|t| t.line == *table) else { return Vec::new() };
                let settings: SettingSet = table.effects.iter().map(|effect| effect.setting).collect();
                let settings = settings.union(table.fact.map(|kind| state.decided_by(kind)).unwrap_or_default());
                let beside = table.beside.iter().map(|beside| (Some(beside.fact), state.decided_by(beside.fact)));
                std::iter::once((table.fact, settings)).chain(beside).collect()
            }
            Missed::Rule { context } => {
                let words = self.words_at(text, mark);
                let kind = state.fact_alike(text, &words, *context, &self.lists);
                let settings = state.settings_alike(text, &words, *context, &self.lists);
                vec![(kind, settings.union(kind.map(|kind| state.decided_by(kind)).unwrap_or_default()))]
            }
        }
    }

    /// The settings that lines of state decide which tell a kind of facts.
    pub fn told_beside(&self, kind: FactKind) -> SettingSet {
        let tables =
            self.state().tables.iter().filter(|table| table.fact == Some(kind)).flat_map(|table| &table.effects);
        let rules = self.state().rules.iter().filter(|rule| rule.fact == Some(kind)).flat_map(|rule| &rule.effects);
        let settings: SettingSet = tables.chain(rules).map(|effect| effect.setting).collect();
        settings.union(self.state().decided_by(kind))
    }

    /// Where an unread line leads among the rules of a context: as far as it fits; and where a word is misspelt, cut or
    /// one too many, by the words that are like it.
    pub fn alike(&self, text: &str, mark: Mark, context: usize) -> Alike {
        let line = line_of(text, mark);
        self.stores.asked.alike.of(
            context,
            line,
            || self.leads_to(line, context),
            |alike| alike.at(mark.offset as usize),
        )
    }

    fn leads_to(&self, text: &str, context: usize) -> Alike {
        let words = self.words_of_line(text, 0);
        let Some(first) = words.first().map(|word| word.of(text)) else { return Alike::default() };
        let is = |word: &Option<String>| word.as_deref().is_some_and(|w| self.same_word(w, first));
        let negated = is(&self.layout.negation);
        let from = usize::from(negated || is(&self.layout.verb));
        let walk = Walk { text, words: &words, lists: &self.lists };
        let mut best = Alike { context, ..Alike::default() };
        let mut furthest = 0;
        // As it is; without the negation; with a word before it that is one too many.
        let ways = [(2 * context + usize::from(negated), from), (2 * context, from), (2 * context, from + 1)];
        for (root, from) in ways {
            let Some(found) = self.automaton.furthest(root, &walk, from) else { continue };
            if found.rules.is_empty() || found.at - from.min(found.at) < furthest {
                continue;
            }
            if found.at - from > furthest || best.rules.is_empty() {
                furthest = found.at - from;
                best = Alike { openers: found.openers, context: found.root / 2, rules: found.rules };
            }
        }
        best
    }

    /// The ports and VLANs that an unread line names. A plain number names one only behind a word that the dialect's rules
    /// have before such names, or where `is_vlan` says that it is one.
    pub fn named(&self, text: &str, mark: Mark, is_vlan: impl Fn(VlanId) -> bool) -> Named {
        let line = line_of(text, mark);
        let named = |mentioned: &Mentioned| Named {
            ports: mentioned.ports.clone(),
            vlans: mentioned
                .vlans
                .iter()
                .filter(|(vlan, sure)| *sure || is_vlan(*vlan))
                .map(|(vlan, _)| *vlan)
                .collect(),
        };
        self.stores.asked.named.of((), line, || self.mentioned(line), named)
    }

    fn mentioned(&self, text: &str) -> Mentioned {
        let words = self.words_of_line(text, 0);
        let mut named = Mentioned::default();
        let mut at = 0;
        while let Some(word) = words.get(at) {
            let shown = word.of(text);
            let before = at.checked_sub(1).and_then(|i| words.get(i)).map_or("", |word| word.of(text));
            let behind = |known: &FxHashSet<Box<str>>| {
                !before.is_empty() && (known.contains(before) || known.iter().any(|known| is_near(before, known)))
            };
            let plain = shown.bytes().next().is_some_and(|b| b.is_ascii_digit())
                && self.lists.port(shown.split(|c: char| !c.is_ascii_digit()).next().unwrap_or_default()).is_some();
            let ports = HoleType::Ports.take(text, &words, at, &self.lists);
            if let Some((taken, Captured::Ports(items))) = ports.filter(|_| !plain || behind(&self.hints.before_ports))
            {
                named.ports.extend(items.iter().copied());
                at += taken.max(1);
                continue;
            }
            if let Some((taken, Captured::Vlans(set))) = HoleType::Vlans.take(text, &words, at, &self.lists) {
                if behind(&self.hints.before_vlans) {
                    named.vlans.extend(set.iter().map(|vlan| (vlan, true)));
                    at += taken.max(1);
                    continue;
                }
                named.vlans.extend(set.iter().filter(|vlan| vlan.get() >= 10).map(|vlan| (vlan, false)));
            }
            at += 1;
        }
        named
    }
}

/// The text of a line.
fn line_of(text: &str, mark: Mark) -> &str {
    let start = mark.offset as usize;
    text.get(start..start + mark.width as usize).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use std::sync::{Arc, LazyLock};

    use super::is_near;
    use crate::dialect::Dialect;
    use crate::model::{Mark, VlanId};
    use crate::source::Source;
    use proptest::prelude::*;
    use rstest::rstest;

    /// Lines that are whole paths, whose openers take text of the line.
    const CORD: &str = r#"
[dialect]
name = "cord"
[text]
structure = "paths"
negation = "not"
verb = "tie"
[ports]
names = ["<n>.<n>"]
[[rule]]
pattern = "berth <p:ports> near <w:word>"
opens = "berth"
ports = "<p>"
[[rule]]
in = "berth"
pattern = "calling <v:vlan> for <d:text>"
sets = { "port.access-vlan" = "<v>", "port.description" = "<d>" }
[[rule]]
pattern = "calling <v:vlan>"
"#;

    proptest! {
        /// Of a line that came before, here or elsewhere, the same is told as by a dialect that was never asked: where it leads, what the
        /// openers took of it, and what it names for whoever knows of which VLANs.
        #[test]
        fn what_was_asked_before_is_told_anew(
            lines in prop::collection::vec(
                ("(not |tie |)", "(berth|berht|calling|shout)", "( 1.2| 40| 1.3,1.4| four)?", "( near)?", "( quay| 12)?", "( calling| caling)?", "( 20| 9)?"),
                1..8,
            ),
            known in 0_i64..50,
        ) {
            static ASKED: LazyLock<Dialect> = LazyLock::new(|| {
                let source = Arc::new(Source::of("cord.toml", CORD));
                Dialect::load(&source).unwrap_or_else(|problems| panic!("{problems:#?}"))
            });
            let mut text = String::new();
            let is_vlan = |vlan: VlanId| i64::from(vlan.get()) > known;
            for (first, second, third, fourth, fifth, sixth, seventh) in lines {
                let (offset, line) = (text.len() as u32, [first, second, third, fourth, fifth, sixth, seventh].concat());
                text.push_str(&line);
                text.push('\n');
                let mark = Mark { file: 1, line: 1, offset, width: line.len() as u32 };
                let fresh = ASKED.clone();
                for context in 0..2 {
                    let expected = format!("{:?}", fresh.alike(&text, mark, context));
                    prop_assert_eq!(format!("{:?}", ASKED.alike(&text, mark, context)), expected, "{}", line);
                }
                prop_assert_eq!(
                    format!("{:?}", ASKED.named(&text, mark, is_vlan)),
                    format!("{:?}", fresh.named(&text, mark, is_vlan)),
                    "{}", line
                );
            }
        }

        /// That letters are looked at first spares counting, and changes nothing; letters of all scripts.
        #[test]
        fn near_is_what_counting_says(word in "[a-dC-Eé雨0-1]{2,8}", edits in prop::collection::vec((0_usize..8, "[a-dé雨]?"), 0..4)) {
            let mut other: Vec<char> = word.chars().collect();
            for (at, letter) in edits {
                let at = at.min(other.len());
                match letter.chars().next() {
                    Some(letter) => other.insert(at, letter),
                    None => _ = (at < other.len()).then(|| other.remove(at)),
                }
            }
            let other: String = other.into_iter().collect();
            let borne = [0, 0, 0, 0, 1, 1].get(word.len().max(other.len())).copied().unwrap_or(2);
            let has_letters = word.bytes().chain(other.bytes()).any(|b| b.is_ascii_alphabetic());
            let is_long = word.len().min(other.len()) >= 2 && has_letters;
            let counted = word.len().abs_diff(other.len()) <= borne && strsim::damerau_levenshtein(&word, &other) <= borne;
            prop_assert_eq!(is_near(&word, &other), is_long && (other.starts_with(&word) || counted), "{} {}", word, other);
        }
    }

    #[rstest]
    #[case::same("watch", "watch", true)]
    #[case::swapped("wtach", "watch", true)]
    #[case::one_missing("wach", "watch", true)]
    #[case::cut("wat", "watch", true)]
    #[case::two_in_a_long_one("anouncemets", "announcements", true)]
    #[case::another("clock", "socket", false)]
    #[case::short_ones_are_not_guessed("on", "of", false)]
    #[case::numbers_are_not("110", "111", false)]
    #[case::one_letter("w", "watch", false)]
    fn near(#[case] word: &str, #[case] known: &str, #[case] expected: bool) {
        assert_eq!(is_near(word, known), expected);
    }
}
