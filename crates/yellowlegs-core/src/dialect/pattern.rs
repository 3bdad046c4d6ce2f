//! Statement patterns: words with holes, read from a dialect and expanded into plain sequences.
//!
//! `<name:type>` is a hole, `<name:(word=value|word)>` a hole that is one of a few words, `<name:type(word=value)>` one
//! that is either, `[…]` is optional, `(…|…)` are alternatives, `...` after a hole repeats it, `'…'` is a literal word.

use std::collections::BTreeMap;

use super::hole::HoleType;
use crate::source::Word;
use crate::syntax::Splitter;

/// Most sequences of a pattern that are followed one by one; one of more is a graph.
const FEW_SEQUENCES: usize = 256;
/// Longest pattern, in bytes.
const LONGEST: usize = 4_096;
/// Most words a sequence may have.
const MAX_LENGTH: usize = 64;
/// How deep optional parts and alternatives may nest.
const MAX_DEPTH: usize = 16;

/// What is wrong with a pattern.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PatternProblem {
    /// Nothing in it.
    #[error("the pattern is empty")]
    Empty,
    /// An opening sign without its end.
    #[error("`{sign}` is not closed")]
    Unclosed {
        /// The sign.
        sign: char,
    },
    /// A closing sign without a beginning, or one in the wrong place.
    #[error("`{sign}` does not belong here")]
    Unexpected {
        /// The sign.
        sign: String,
    },
    /// A hole without a name or type.
    #[error("a hole needs a name and a type, not `<{text}>`")]
    BadHole {
        /// What stands between the brackets.
        text: String,
    },
    /// A type that is none.
    #[error("`{found}` is no type of hole")]
    UnknownType {
        /// What stands there.
        found: String,
        /// The dialect's own types.
        own: Vec<String>,
    },
    /// A name twice in one sequence.
    #[error("two holes are named `{name}`")]
    TwoHoles {
        /// The name.
        name: String,
    },
    /// An optional part or an alternative that could be empty twice over, or a hole of words without words.
    #[error("a part of the pattern holds nothing")]
    EmptyPart,
    /// Too long.
    #[error("the pattern is longer than {MAX_LENGTH} words")]
    TooLong,
    /// More bytes than anybody writes.
    #[error("the pattern is {found} bytes long; at most {LONGEST} are read")]
    TooLarge {
        /// How many there are.
        found: usize,
    },
    /// Parts within parts within parts.
    #[error("optional parts and alternatives nest deeper than {MAX_DEPTH}")]
    TooDeep,
    /// Something after a hole that takes the rest of the line.
    #[error("nothing can follow `<{name}:rest>`: it takes the rest of the line")]
    AfterRest {
        /// The hole.
        name: String,
    },
}

impl PatternProblem {
    /// What to do.
    pub fn hint(&self) -> Option<String> {
        match self {
            Self::BadHole { .. } => Some("write `<name:type>`, for example `<limit:int>`".into()),
            Self::UnknownType { found, own } => {
                let mut names: Vec<&str> = HoleType::names().collect();
                names.extend(own.iter().map(String::as_str));
                let near = crate::source::nearest(found, names.iter().copied());
                Some(near.map_or_else(|| format!("types are {}", names.join(", ")), |n| format!("did you mean `{n}`?")))
            }
            Self::Unclosed { .. } | Self::Unexpected { .. } => {
                Some("put single quotes around a sign that is meant as a word, for example `'['`".into())
            }
            _ => None,
        }
    }
}

/// A problem with its byte offset in the pattern.
pub(super) type PatternError = (usize, PatternProblem);

/// A hole as the rule sees it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hole {
    /// Its name.
    pub name: String,
    /// What it takes.
    pub kind: HoleKind,
}

impl Hole {
    /// Whether what it takes is never shown.
    pub fn is_secret(&self) -> bool {
        self.kind.typed().is_some_and(HoleType::is_secret)
    }
}

/// What a hole takes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum HoleKind {
    /// Words of a type; with `...` as many as come.
    Typed(HoleType, bool),
    /// One of a few words: what each stands for.
    Choice(Vec<String>),
    /// Words of a type, or one of a few that stand for something beside.
    Worded(HoleType, Vec<String>),
}

impl HoleKind {
    /// The type of what it takes beside its own words.
    pub fn typed(&self) -> Option<HoleType> {
        match self {
            Self::Typed(kind, _) | Self::Worded(kind, _) => Some(*kind),
            Self::Choice(_) => None,
        }
    }

    /// Whether it takes several in a row.
    pub fn is_repeated(&self) -> bool {
        matches!(self, Self::Typed(_, true))
    }

    /// What its own words stand for.
    pub fn words(&self) -> &[String] {
        match self {
            Self::Typed(..) => &[],
            Self::Choice(values) | Self::Worded(_, values) => values,
        }
    }
}

/// The dialect's own types of holes: by name, what stands behind the colon in their place.
pub(super) type OwnTypes = BTreeMap<String, String>;

/// One word of a sequence.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Step {
    /// This very word.
    Literal(String),
    /// A typed hole, by its number.
    Hole(usize),
    /// A hole of words: which hole, which of its words, and the word itself.
    Choice(usize, usize, String),
}

/// A pattern read: its holes, its parts, and the sequences of words it stands for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    /// As it is written.
    pub text: Box<str>,
    /// Its holes in the order of the text.
    pub holes: Vec<Hole>,
    /// Its parts, one after the other.
    pub(super) parts: Vec<Part>,
    /// The sequences, longest parts first; of very many, only that with every part and that with the fewest.
    pub sequences: Vec<Vec<Step>>,
    is_wide: bool,
}

/// A part of a pattern.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Part {
    Word(String),
    Hole(usize),
    /// Each word may be several in a row. With a type it may be that, too.
    Choice(usize, Vec<Vec<String>>, bool),
    Optional(Vec<Part>),
    Either(Vec<Vec<Part>>),
}

impl Pattern {
    /// Reads a pattern; literal words fall apart where the dialect's lines do.
    pub fn parse(text: &str, splitter: &Splitter, ignore_case: bool) -> Result<Self, PatternError> {
        Self::parse_with(text, splitter, ignore_case, &OwnTypes::new())
    }

    /// Reads a pattern whose holes may have the dialect's own types.
    pub(super) fn parse_with(
        text: &str,
        splitter: &Splitter,
        ignore_case: bool,
        types: &OwnTypes,
    ) -> Result<Self, PatternError> {
        if text.len() > LONGEST {
            return Err((0, PatternProblem::TooLarge { found: text.len() }));
        }
        let mut parser = Parser { text, at: 0, holes: Vec::new(), splitter, ignore_case, types, depth: 0 };
        let parts = parser.sequence(None)?;
        if parts.is_empty() {
            return Err((0, PatternProblem::Empty));
        }
        let is_wide = ways(&parts) > FEW_SEQUENCES;
        let mut sequences = if is_wide { vec![end_of(&parts, true), end_of(&parts, false)] } else { expand(&parts) };
        sequences.retain(|s| !s.is_empty());
        sequences.dedup();
        let pattern = Self { text: text.into(), holes: parser.holes, parts, sequences, is_wide };
        pattern.check().map_err(|problem| (0, problem))?;
        Ok(pattern)
    }

    /// Holes that are filled elsewhere, and no words.
    pub(super) fn of_holes(holes: Vec<Hole>) -> Self {
        Self { text: "".into(), holes, parts: Vec::new(), sequences: Vec::new(), is_wide: false }
    }

    /// Whether it stands for so many sequences that it is better followed part by part.
    pub fn is_wide(&self) -> bool {
        self.is_wide
    }

    /// The words in it.
    pub(super) fn words(&self) -> Vec<&str> {
        fn gather<'p>(parts: &'p [Part], words: &mut Vec<&'p str>) {
            for part in parts {
                match part {
                    Part::Word(word) => words.push(word),
                    Part::Hole(_) => {}
                    Part::Choice(_, all, _) => words.extend(all.iter().flatten().map(String::as_str)),
                    Part::Optional(inner) => gather(inner, words),
                    Part::Either(ways) => ways.iter().for_each(|way| gather(way, words)),
                }
            }
        }
        let mut words = Vec::new();
        gather(&self.parts, &mut words);
        words
    }

    /// The shortest sequence in which exactly the holes are that hold something, each with what it is to be.
    pub(super) fn sequence_with(&self, wanted: &impl Fn(usize) -> Wanted) -> Option<Vec<Step>> {
        let sequence = filled(&self.parts, wanted)?;
        let is_there = |hole: usize| {
            wanted(hole) == Wanted::Absent
                || sequence.iter().any(|step| matches!(step, Step::Hole(h) | Step::Choice(h, ..) if *h == hole))
        };
        (0..self.holes.len()).all(is_there).then_some(sequence)
    }

    fn check(&self) -> Result<(), PatternProblem> {
        if self.sequences.is_empty() {
            return Err(PatternProblem::Empty);
        }
        if self.sequences.iter().any(|sequence| sequence.len() > MAX_LENGTH) {
            return Err(PatternProblem::TooLong);
        }
        match self.followed_rest(&self.parts, false) {
            Some(hole) => Err(PatternProblem::AfterRest { name: hole.name.clone() }),
            None => Ok(()),
        }
    }

    /// A hole that takes the rest of the line and has something behind it.
    fn followed_rest(&self, parts: &[Part], mut followed: bool) -> Option<&Hole> {
        for part in parts.iter().rev() {
            let found = match part {
                Part::Word(_) => None,
                Part::Hole(hole) | Part::Choice(hole, _, true) => {
                    self.holes.get(*hole).filter(|hole| followed && hole.kind.typed().is_some_and(HoleType::is_rest))
                }
                Part::Choice(..) => None,
                Part::Optional(inner) => self.followed_rest(inner, followed),
                Part::Either(ways) => ways.iter().find_map(|way| self.followed_rest(way, followed)),
            };
            if found.is_some() {
                return found;
            }
            followed = true;
        }
        None
    }

    /// Whether what some hole takes is never shown.
    pub fn has_secret(&self) -> bool {
        self.holes.iter().any(Hole::is_secret)
    }

    /// Number of a hole by name.
    pub fn hole(&self, name: &str) -> Option<usize> {
        self.holes.iter().position(|h| h.name == name)
    }
}

/// What a hole is to be in a sequence.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Wanted {
    /// Not there.
    Absent,
    /// What its type takes.
    Held,
    /// One of its words.
    Chosen(usize),
}

/// How many sequences parts stand for.
fn ways(parts: &[Part]) -> usize {
    let of = |part: &Part| match part {
        Part::Word(_) | Part::Hole(_) => 1,
        Part::Choice(_, words, is_typed) => words.len() + usize::from(*is_typed),
        Part::Optional(inner) => ways(inner).saturating_add(1),
        Part::Either(all) => all.iter().map(|way| ways(way)).fold(0, usize::saturating_add),
    };
    parts.iter().map(of).fold(1, usize::saturating_mul)
}

/// The sequence with every optional part, or with none; of alternatives the first.
fn end_of(parts: &[Part], every: bool) -> Vec<Step> {
    let of = |part: &Part| match part {
        Part::Word(word) => vec![Step::Literal(word.clone())],
        Part::Hole(hole) | Part::Choice(hole, _, true) => vec![Step::Hole(*hole)],
        Part::Choice(hole, words, false) => words.first().map_or(Vec::new(), |words| chosen(*hole, 0, words)),
        Part::Optional(inner) if every => end_of(inner, every),
        Part::Optional(_) => Vec::new(),
        Part::Either(ways) => ways.first().map_or(Vec::new(), |way| end_of(way, every)),
    };
    parts.iter().flat_map(of).collect()
}

fn chosen(hole: usize, which: usize, words: &[String]) -> Vec<Step> {
    let (first, more) = words.split_first().map_or((String::new(), &[][..]), |(first, more)| (first.clone(), more));
    std::iter::once(Step::Choice(hole, which, first)).chain(more.iter().cloned().map(Step::Literal)).collect()
}

/// The holes in parts.
fn holes_in(parts: &[Part]) -> Vec<usize> {
    let of = |part: &Part| match part {
        Part::Word(_) => Vec::new(),
        Part::Hole(hole) | Part::Choice(hole, ..) => vec![*hole],
        Part::Optional(inner) => holes_in(inner),
        Part::Either(ways) => ways.iter().flat_map(|way| holes_in(way)).collect(),
    };
    parts.iter().flat_map(of).collect()
}

/// The shortest sequence of parts in which no hole is that is to be absent.
fn filled(parts: &[Part], wanted: &impl Fn(usize) -> Wanted) -> Option<Vec<Step>> {
    let is_wanted = |parts: &[Part]| holes_in(parts).into_iter().any(|hole| wanted(hole) != Wanted::Absent);
    let mut sequence = Vec::new();
    for part in parts {
        let steps = match part {
            Part::Word(word) => vec![Step::Literal(word.clone())],
            Part::Hole(hole) => (wanted(*hole) == Wanted::Held).then(|| vec![Step::Hole(*hole)])?,
            Part::Choice(hole, words, is_typed) => match wanted(*hole) {
                Wanted::Held if *is_typed => vec![Step::Hole(*hole)],
                Wanted::Chosen(which) => chosen(*hole, which, words.get(which)?),
                Wanted::Held | Wanted::Absent => return None,
            },
            Part::Optional(inner) if is_wanted(inner) => filled(inner, wanted)?,
            Part::Optional(_) => Vec::new(),
            Part::Either(ways) => {
                let one = ways.iter().find(|way| is_wanted(way));
                match one {
                    Some(way) => filled(way, wanted)?,
                    None => ways.iter().find_map(|way| filled(way, wanted))?,
                }
            }
        };
        sequence.extend(steps);
    }
    Some(sequence)
}

fn expand(parts: &[Part]) -> Vec<Vec<Step>> {
    let mut sequences: Vec<Vec<Step>> = vec![Vec::new()];
    for part in parts {
        let options: Vec<Vec<Step>> = match part {
            Part::Word(word) => vec![vec![Step::Literal(word.clone())]],
            Part::Hole(hole) => vec![vec![Step::Hole(*hole)]],
            Part::Choice(hole, words, is_typed) => {
                let words = words.iter().enumerate().map(|(which, words)| chosen(*hole, which, words));
                words.chain(is_typed.then(|| vec![Step::Hole(*hole)])).collect()
            }
            Part::Optional(inner) => {
                let mut options = expand(inner);
                options.push(Vec::new());
                options
            }
            Part::Either(ways) => ways.iter().flat_map(|way| expand(way)).collect(),
        };
        sequences =
            sequences.iter().flat_map(|s| options.iter().map(move |o| s.iter().chain(o).cloned().collect())).collect();
    }
    sequences
}

struct Parser<'p> {
    text: &'p str,
    at: usize,
    holes: Vec<Hole>,
    splitter: &'p Splitter,
    ignore_case: bool,
    types: &'p OwnTypes,
    depth: usize,
}

impl<'p> Parser<'p> {
    fn rest(&self) -> &'p str {
        self.text.get(self.at..).unwrap_or_default()
    }

    fn peek(&self) -> Option<char> {
        self.rest().chars().next()
    }

    /// Nodes up to `end` (not eaten), or to the end of the text.
    fn sequence(&mut self, end: Option<char>) -> Result<Vec<Part>, PatternError> {
        if self.depth > MAX_DEPTH {
            return Err((self.at, PatternProblem::TooDeep));
        }
        self.depth += 1;
        let nodes = self.nodes(end);
        self.depth -= 1;
        nodes
    }

    fn nodes(&mut self, end: Option<char>) -> Result<Vec<Part>, PatternError> {
        let mut nodes = Vec::new();
        loop {
            let start = self.at;
            match self.peek() {
                None => return Ok(nodes),
                Some(c) if Some(c) == end || (end == Some(')') && c == '|') => return Ok(nodes),
                Some(c) if c.is_whitespace() => self.at += c.len_utf8(),
                Some('[') => {
                    self.at += 1;
                    let inner = self.sequence(Some(']'))?;
                    self.close(']', '[', start)?;
                    nodes.push(Self::not_empty(inner, start).map(Part::Optional)?);
                }
                Some('(') => nodes.push(self.either(start)?),
                Some('<') => nodes.push(self.hole(start)?),
                Some('\'') => {
                    let word = self.until('\'', '\'')?;
                    nodes.push(Part::Word(self.literal(word)));
                }
                Some(c @ (']' | ')' | '>' | '|')) => {
                    return Err((start, PatternProblem::Unexpected { sign: c.into() }));
                }
                Some(_) => self.words(&mut nodes)?,
            }
        }
    }

    fn not_empty(nodes: Vec<Part>, at: usize) -> Result<Vec<Part>, PatternError> {
        if nodes.is_empty() { Err((at, PatternProblem::EmptyPart)) } else { Ok(nodes) }
    }

    fn close(&mut self, end: char, open: char, start: usize) -> Result<(), PatternError> {
        if self.peek() == Some(end) {
            self.at += 1;
            return Ok(());
        }
        Err((start, PatternProblem::Unclosed { sign: open }))
    }

    fn either(&mut self, start: usize) -> Result<Part, PatternError> {
        let mut ways = Vec::new();
        loop {
            self.at += 1;
            let way = self.sequence(Some(')'))?;
            ways.push(Self::not_empty(way, start)?);
            if self.peek() != Some('|') {
                break;
            }
        }
        self.close(')', '(', start)?;
        Ok(Part::Either(ways))
    }

    /// The text between the sign at the cursor and its end.
    fn until(&mut self, end: char, open: char) -> Result<&'p str, PatternError> {
        let start = self.at;
        let body = self.rest().get(1..).unwrap_or_default();
        let len = body.find(end).ok_or((start, PatternProblem::Unclosed { sign: open }))?;
        self.at += len + 2;
        Ok(body.get(..len).unwrap_or_default())
    }

    fn literal(&self, word: &str) -> String {
        if self.ignore_case { word.to_ascii_lowercase() } else { word.to_owned() }
    }

    fn words(&mut self, nodes: &mut Vec<Part>) -> Result<(), PatternError> {
        let rest = self.rest();
        let len = rest.find(|c: char| c.is_whitespace() || "[](){}<>|'".contains(c)).unwrap_or(rest.len()).max(1);
        let chunk = rest.get(..len).unwrap_or(rest);
        if chunk.starts_with("...") {
            return Err((self.at, PatternProblem::Unexpected { sign: "...".into() }));
        }
        let mut words: Vec<Word> = Vec::new();
        self.splitter.split(chunk, 0, &mut words);
        nodes.extend(words.iter().map(|w| Part::Word(self.literal(w.of(chunk)))));
        self.at += chunk.len();
        Ok(())
    }

    fn hole(&mut self, start: usize) -> Result<Part, PatternError> {
        let text = self.until('>', '<')?;
        let bad = || (start, PatternProblem::BadHole { text: text.to_owned() });
        let (name, kind) = text.split_once(':').ok_or_else(bad)?;
        let (name, kind) = (name.trim(), kind.trim());
        if name.is_empty() || !name.chars().all(|c| c.is_ascii_alphanumeric() || c == '-' || c == '_') {
            return Err(bad());
        }
        if self.holes.iter().any(|h| h.name == name) {
            return Err((start, PatternProblem::TwoHoles { name: name.to_owned() }));
        }
        let number = self.holes.len();
        let kind = self.types.get(kind).map_or(kind, String::as_str);
        let (kind, words) = match kind.split_once('(') {
            Some((kind, words)) => (kind.trim(), Some(words.strip_suffix(')').ok_or_else(bad)?)),
            None => (kind, None),
        };
        let words = words.map(|words| self.own_words(words)).transpose().map_err(|problem| (start, problem))?;
        if let (Some((words, values)), "") = (&words, kind) {
            self.holes.push(Hole { name: name.to_owned(), kind: HoleKind::Choice(values.clone()) });
            return Ok(Part::Choice(number, words.clone(), false));
        }
        let kind = HoleType::by_name(kind).ok_or_else(|| {
            let own = self.types.keys().cloned().collect();
            (start, PatternProblem::UnknownType { found: kind.to_owned(), own })
        })?;
        let repeated = self.rest().starts_with("...");
        if repeated {
            self.at += 3;
        }
        let Some((words, values)) = words else {
            self.holes.push(Hole { name: name.to_owned(), kind: HoleKind::Typed(kind, repeated) });
            return Ok(Part::Hole(number));
        };
        if repeated {
            return Err((start, PatternProblem::Unexpected { sign: "...".into() }));
        }
        self.holes.push(Hole { name: name.to_owned(), kind: HoleKind::Worded(kind, values) });
        Ok(Part::Choice(number, words, true))
    }

    /// The words of a hole with what each stands for; one may be several in a row.
    fn own_words(&self, text: &str) -> Result<(Vec<Vec<String>>, Vec<String>), PatternProblem> {
        let pairs = text.split('|').map(|w| w.split_once('=').unwrap_or((w, w)));
        let words = pairs.map(|(words, value)| {
            let words: Vec<String> = words.split_whitespace().map(|w| self.literal(w)).collect();
            if words.is_empty() { Err(PatternProblem::EmptyPart) } else { Ok((words, value.trim().to_owned())) }
        });
        Ok(words.collect::<Result<Vec<_>, _>>()?.into_iter().unzip())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn shown(pattern: &str) -> Vec<String> {
        let pattern = Pattern::parse(pattern, &Splitter::new("=;"), false).unwrap();
        let word = |step: &Step| match step {
            Step::Literal(w) => w.clone(),
            Step::Hole(h) => format!("<{}>", pattern.holes[*h].name),
            Step::Choice(h, _, w) => format!("<{}={w}>", pattern.holes[*h].name),
        };
        pattern.sequences.iter().map(|s| s.iter().map(word).collect::<Vec<_>>().join(" ")).collect()
    }

    #[rstest]
    #[case("a b", &["a b"])]
    #[case("a [b] c", &["a b c", "a c"])]
    #[case("a (b|c d)", &["a b", "a c d"])]
    #[case("vlan=<v:vlan>;", &["vlan = <v> ;"])]
    #[case("x '[' <n:int>...", &["x [ <n>"])]
    #[case("x <a:(p=1|q)>", &["x <a=p>", "x <a=q>"])]
    #[case::words_of_several("x <a:(p q=1|r)> y", &["x <a=p> q y", "x <a=r> y"])]
    #[case::a_type_and_words("x <a:duration(until freed=0)>", &["x <a=until> freed", "x <a>"])]
    #[case("[a [b]] c", &["a b c", "a c", "c"])]
    fn sequences(#[case] pattern: &str, #[case] expected: &[&str]) {
        assert_eq!(shown(pattern), expected);
    }

    #[rstest]
    #[case("", 0, PatternProblem::Empty)]
    #[case("a [b", 2, PatternProblem::Unclosed { sign: '[' })]
    #[case("a b]", 3, PatternProblem::Unexpected { sign: "]".into() })]
    #[case("a <n>", 2, PatternProblem::BadHole { text: "n".into() })]
    #[case("a <n:inti>", 2, PatternProblem::UnknownType { found: "inti".into(), own: Vec::new() })]
    #[case("<n:int> <n:int>", 8, PatternProblem::TwoHoles { name: "n".into() })]
    #[case("a ...", 2, PatternProblem::Unexpected { sign: "...".into() })]
    #[case("a <r:rest> b", 0, PatternProblem::AfterRest { name: "r".into() })]
    #[case("a []", 2, PatternProblem::EmptyPart)]
    #[case("a <n:(x|)>", 2, PatternProblem::EmptyPart)]
    #[case("a <n:int( =3)>", 2, PatternProblem::EmptyPart)]
    #[case("a <n:int(x>", 2, PatternProblem::BadHole { text: "n:int(x".into() })]
    #[case("a <n:int(x)>...", 2, PatternProblem::Unexpected { sign: "...".into() })]
    fn problems_have_an_offset(#[case] pattern: &str, #[case] offset: usize, #[case] problem: PatternProblem) {
        assert_eq!(Pattern::parse(pattern, &Splitter::new(""), false), Err((offset, problem)));
    }
}
