//! The lines of the texts as words with guessed types, each in its context.

use std::collections::BTreeSet;
use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::super::HoleType;
use super::super::hole::duration;
use super::super::layout::{Logical, Logicals, Structure};
use super::layout::Guessed;
use super::propose::{is_of_trade, is_switch};
use crate::model::{Rate, StationAddress, VlanId};
use crate::sorted;
use crate::source::Word;
use crate::syntax::Nesting;

/// A word of a line: itself, or what it seems to be a value of.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) enum Sign {
    /// A word that may be a literal.
    Word(Arc<str>),
    /// A value.
    Typed(HoleType),
    /// The name of a block that other lines name, too: a profile.
    Profile,
}

impl Sign {
    pub(super) fn literal(&self) -> Option<&str> {
        match self {
            Self::Word(word) => Some(word),
            Self::Typed(_) | Self::Profile => None,
        }
    }
}

/// Where a statement stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct At {
    /// In which text.
    pub text: usize,
    /// On which line it begins.
    pub line: u32,
    /// The stretch of the text that it is.
    pub words: Word,
}

/// What a line says, wherever it stands.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) struct Saying {
    /// It begins with the word that negates, which is left out.
    pub(super) negated: bool,
    pub(super) context: Arc<str>,
    pub(super) words: Arc<[Sign]>,
    /// The context of the lines inside it.
    pub(super) opens: Option<Arc<str>>,
}

/// A line as it was told: small, for there are many.
#[derive(Debug)]
pub(super) struct Told {
    /// Which text it is from.
    pub(super) text: u32,
    /// Its line number.
    pub(super) line: u32,
    /// By position among what is said.
    says: u32,
}

/// Where a line stands: told to those who ask, for a sketch keeps millions of lines and asks nothing.
pub(super) struct Stands {
    pub(super) at: At,
    /// Where its first words begin: what negates or is the same everywhere may be left out elsewhere. `u32::MAX`: there are fewer.
    pub(super) begins: [u32; 3],
}

/// The lines of all texts. What many of them say is kept once.
pub(super) struct Lines {
    sayings: Vec<Saying>,
    told: Vec<Told>,
}

impl Lines {
    /// Each with what it says.
    pub(super) fn iter(&self) -> impl Iterator<Item = (&Told, &Saying)> {
        self.told.iter().map(|line| (line, &self.sayings[line.says as usize]))
    }

    /// The same, text by text.
    pub(super) fn of_texts(&self) -> impl Iterator<Item = impl Iterator<Item = (&Told, &Saying)>> {
        let texts = self.told.chunk_by(|a, b| a.text == b.text);
        texts.map(|lines| lines.iter().map(|line| (line, &self.sayings[line.says as usize])))
    }

    pub(super) fn len(&self) -> usize {
        self.told.len()
    }
}

/// A word as a pattern writes it: in quotes where it holds signs.
pub(super) fn literal(word: &str) -> String {
    let signs = |c: char| "[](){}<>|'".contains(c) || c.is_whitespace();
    if word.contains('\'') {
        return "<odd:word>".to_owned();
    }
    if word.contains(signs) || word.starts_with("...") { format!("'{word}'") } else { word.to_owned() }
}

/// How many lines there are in all texts, blank ones too.
pub(super) fn how_many_lines(texts: &[&str]) -> usize {
    texts.iter().map(|text| memchr::memchr_iter(b'\n', text.as_bytes()).count() + 1).sum()
}

/// All lines of all texts; each is told where it stands, in their order.
pub(super) fn told(texts: &[&str], guessed: &Guessed, mut stands: impl FnMut(Stands)) -> Lines {
    let mut known = Known { guessed, words: FxHashMap::default(), key: String::new() };
    let mut sayings: FxHashMap<Saying, u32> = FxHashMap::default();
    let mut told = Vec::with_capacity(how_many_lines(texts));
    for (number, text) in texts.iter().enumerate() {
        let statements = statements(text, &mut known);
        in_contexts(statements, guessed, |placed, saying| {
            let Placed { line, stretch, begins, .. } = placed;
            let next = sayings.len() as u32;
            let says = *sayings.entry(saying).or_insert(next);
            told.push(Told { text: number as u32, line, says });
            stands(Stands { at: At { text: number, line, words: stretch }, begins });
        });
    }
    let mut sayings: Vec<(u32, Saying)> = sayings.into_iter().map(|(saying, number)| (number, saying)).collect();
    sorted::by_key(&mut sayings, |(number, _)| *number);
    let mut sayings: Vec<Saying> = sayings.into_iter().map(|(_, saying)| saying).collect();
    // Of two blocks of one name the one that comes last counts.
    let mut last = vec![0_usize; sayings.len()];
    told.iter().enumerate().for_each(|(number, line): (usize, &Told)| last[line.says as usize] = number);
    name_profiles(&mut sayings, &last);
    Lines { sayings, told }
}

/// Words for blocks that others use.
const BLOCKS: [&str; 8] = ["template", "profile", "class", "group", "kind", "pattern", "style", "policy"];

/// Finds blocks with a name of their own that lines elsewhere end with: `template desk` where a port says `follows desk`. That name is a
/// value in both, and so it is in blocks that begin alike.
fn name_profiles(told: &mut [Saying], last: &[usize]) {
    fn own(line: &Saying) -> Option<(&[Sign], &Arc<str>)> {
        let [front @ .., Sign::Word(name)] = &line.words[..] else { return None };
        let says_so = || front.iter().filter_map(Sign::literal).any(|word| BLOCKS.contains(&word));
        let may_be = if line.opens.is_some() { is_a_name(name) || says_so() } else { !is_switch(name) };
        let is_plain = front.iter().all(|sign| matches!(sign, Sign::Word(_)));
        (may_be && is_plain && !front.is_empty()).then_some((front, name))
    }
    let mut opening: Vec<(&usize, &Saying)> = last.iter().zip(told.iter()).filter(|(_, s)| s.opens.is_some()).collect();
    sorted::by_key(&mut opening, |(last, _)| **last);
    let openers = opening.into_iter().filter_map(|(_, saying)| own(saying));
    let openers: sorted::Map<Arc<str>, Vec<Sign>> =
        sorted::map(openers.map(|(front, name)| (Arc::clone(name), front.to_vec())));
    let mut users: BTreeSet<Vec<Sign>> = BTreeSet::new();
    for line in told.iter().filter(|line| line.opens.is_none()) {
        let Some((front, name)) = own(line) else { continue };
        let opens = openers.get(name).filter(|opens| opens.first() != front.first() || &*line.context != TOP);
        if opens.is_some() && !users.contains(front) {
            users.insert(front.to_vec());
        }
    }
    let using = told.iter().filter(|line| line.opens.is_none()).filter_map(own);
    let using = using.filter(|(front, _)| users.contains(*front));
    let used: sorted::Set<Vec<Sign>> = sorted::set(using.filter_map(|(_, name)| openers.get(name).cloned()));
    let mut renamed: Vec<(Arc<str>, Arc<str>)> = Vec::new();
    for line in told.iter_mut() {
        let Some((front, name)) = own(line) else { continue };
        let is_named = if line.opens.is_some() { used.contains(front) } else { users.contains(front) };
        if !is_named {
            continue;
        }
        let words = front.iter().cloned().chain([Sign::Profile]).collect();
        if let Some(opens) = &line.opens {
            let short: Arc<str> = opens.strip_suffix(&format!("-{name}")).unwrap_or(opens).into();
            let pair = (Arc::clone(opens), Arc::clone(&short));
            if !renamed.contains(&pair) {
                renamed.push(pair);
            }
            line.opens = Some(short);
        }
        line.words = words;
    }
    // A context and those below it have the name without the profile's; few contexts, many lines.
    let mut known: FxHashMap<Arc<str>, Arc<str>> = FxHashMap::default();
    let mut named = |context: &Arc<str>| {
        let name = known.entry(Arc::clone(context)).or_insert_with(|| {
            renamed.iter().fold(Arc::clone(context), |name, (old, new)| match name.strip_prefix(&**old) {
                Some(rest) if rest.is_empty() || rest.starts_with('-') => format!("{new}{rest}").into(),
                _ => name,
            })
        });
        Arc::clone(name)
    };
    for line in told {
        line.context = named(&line.context);
        line.opens = line.opens.as_ref().map(&mut named);
    }
}

/// The context of what stands in no block.
const TOP: &str = "top";

/// The words of a statement with their types.
#[derive(Clone)]
struct Worded {
    /// Without the word that negates, and without the verb.
    words: Arc<[Sign]>,
    negated: bool,
    /// What its block is called.
    name: Arc<str>,
}

/// Statements that were looked at before: those of one switch are those of others.
struct Known<'g> {
    guessed: &'g Guessed,
    words: FxHashMap<String, Worded>,
    key: String,
}

impl Known<'_> {
    fn worded(&mut self, words: &[(Word, &str)]) -> Worded {
        self.key.clear();
        for (_, word) in words {
            self.key.push_str(word);
            self.key.push('\n');
        }
        if let Some(known) = self.words.get(&self.key) {
            return known.clone();
        }
        let layout = &self.guessed.layout;
        let words: Vec<&str> = words.iter().map(|(_, word)| *word).collect();
        let signs = signs(&words, self.guessed);
        let first = signs.first().and_then(Sign::literal).filter(|_| signs.len() > 1);
        let is = |front: &Option<String>| first.is_some_and(|word| front.as_deref() == Some(word));
        let negated = is(&layout.negation);
        let signs = signs.get(usize::from(negated || is(&layout.verb))..).unwrap_or_default();
        let words: Vec<&str> = signs.iter().filter_map(Sign::literal).filter(|w| !"[]".contains(w)).take(3).collect();
        let name = if words.is_empty() { "block".to_owned() } else { words.join("-") };
        let worded = Worded { words: signs.into(), negated, name: name.into() };
        self.words.insert(self.key.clone(), worded.clone());
        worded
    }
}

/// A statement with how deep it stands.
struct Placed {
    depth: u32,
    line: u32,
    stretch: Word,
    begins: [u32; 3],
    worded: Worded,
}

impl Placed {
    fn new(depth: u32, line: u32, words: &[(Word, &str)], known: &mut Known<'_>) -> Self {
        let begin = |at: usize| words.get(at).map_or(u32::MAX, |(word, _)| word.start as u32);
        let (start, end) = (words.first().map_or(0, |(w, _)| w.start), words.last().map_or(0, |(w, _)| w.end));
        let begins = [begin(0), begin(1), begin(2)];
        Self { depth, line, stretch: Word { start, end }, begins, worded: known.worded(words) }
    }
}

/// The statements of a text.
fn statements(text: &str, known: &mut Known<'_>) -> Vec<Placed> {
    let layout = &known.guessed.layout;
    let (braces, is_braced) = (&layout.braces, layout.structure == Structure::Braces);
    let mut lines = Logicals::new(text, layout);
    let mut line = Logical::default();
    let mut statements: Vec<Placed> = Vec::new();
    let mut depth = 0_u32;
    let mut gathered: Vec<(Word, &str)> = Vec::new();
    while lines.next(&mut line) {
        let words = line.words.iter().map(|word| (*word, word.of(text)));
        if !is_braced {
            gathered.clear();
            gathered.extend(words);
            statements.push(Placed::new(line.indent, line.number, &gathered, known));
            continue;
        }
        for (at, word) in words {
            let (opens, closes) = (word == braces.open, word == braces.close);
            if !opens && !closes && braces.end.as_deref() != Some(word) {
                gathered.push((at, word));
                continue;
            }
            if !gathered.is_empty() {
                statements.push(Placed::new(depth, line.number, &gathered, known));
                gathered.clear();
            }
            depth = if opens { depth + 1 } else { depth.saturating_sub(u32::from(closes)) };
        }
        if braces.end.is_none() && !gathered.is_empty() {
            statements.push(Placed::new(depth, line.number, &gathered, known));
            gathered.clear();
        }
    }
    statements
}

/// Puts each statement into its context: what is deeper than the one before is inside it.
fn in_contexts(statements: Vec<Placed>, guessed: &Guessed, mut tell: impl FnMut(Placed, Saying)) {
    let top: Arc<str> = TOP.into();
    let mut nesting: Nesting<Arc<str>> = Nesting::default();
    let mut section = Arc::clone(&top);
    let next: Vec<u32> = statements.iter().skip(1).map(|next| next.depth).chain([0]).collect();
    for (placed, next) in statements.into_iter().zip(next) {
        let (indent, Worded { words, negated, name }) = (placed.depth, placed.worded.clone());
        if guessed.layout.structure == Structure::Sections {
            let title = words.first().and_then(Sign::literal) == Some("[");
            let (context, opens) = if title { (Arc::clone(&top), Some(name)) } else { (Arc::clone(&section), None) };
            if let Some(opened) = &opens {
                section = Arc::clone(opened);
            }
            tell(placed, Saying { negated, context, words, opens });
            continue;
        }
        let context = nesting.enclosing(indent).map_or_else(|| Arc::clone(&top), Arc::clone);
        let opens = (next > indent && guessed.layout.structure != Structure::Paths)
            .then(|| if *context == *top { name } else { format!("{context}-{name}").into() });
        nesting.open(indent, opens.clone().unwrap_or_else(|| Arc::clone(&top)));
        tell(placed, Saying { negated, context, words, opens });
    }
}

/// The words with their types; the words of one list are one value.
fn signs(words: &[&str], guessed: &Guessed) -> Vec<Sign> {
    let mut signs: Vec<Sign> = Vec::new();
    let mut at = 0;
    while let Some(word) = words.get(at) {
        let said = words.iter().take(at).rev().copied().find(|w| !matches!(*w, "=" | ":"));
        let before = said.unwrap_or_default();
        let following = || words.iter().skip(at).copied();
        let ports_here = guessed.port_words.is_empty() || guessed.port_words.contains(before);
        if let Some((taken, items)) = guessed.lists.ports(following()).filter(|_| ports_here) {
            let single = taken == 1 && items.len() == 1 && guessed.lists.port(word).is_some();
            signs.push(Sign::Typed(if single { HoleType::Port } else { HoleType::Ports }));
            at += taken;
            continue;
        }
        if let Some((taken, kind)) = numbers(guessed, before, word, following()) {
            signs.push(Sign::Typed(kind));
            at += taken;
            continue;
        }
        if is_secret(words, at) {
            signs.push(Sign::Typed(HoleType::Secret));
        } else {
            let is_name = at + 1 == words.len() && signs.last() == Some(&Sign::Typed(HoleType::Vlan));
            let named = || (is_name && is_a_name(word)).then_some(HoleType::Word);
            signs.push(value(before, word).or_else(named).map_or_else(|| Sign::Word((*word).into()), Sign::Typed));
        }
        at += 1;
    }
    signs
}

/// Whether a word of a line seems to be a secret.
fn is_secret(words: &[&str], at: usize) -> bool {
    let Some(word) = words.get(at).filter(|word| !matches!(**word, "=" | ":")) else { return false };
    let earlier = words.iter().take(at).rev().copied().filter(|w| !matches!(*w, "=" | ":"));
    follows_secret(earlier) || looks_random(word)
}

/// A line for people, with what seems to be a secret left out.
pub(super) fn shown(line: &str, guessed: &Guessed) -> String {
    let mut split = Vec::new();
    guessed.layout.splitter.split(line, 0, &mut split);
    let words: Vec<&str> = split.iter().map(|word| word.of(line)).collect();
    let mut shown = line.to_owned();
    // From the end, so that places stay where they are.
    for (at, word) in split.iter().enumerate().rev() {
        if is_secret(&words, at) {
            shown.replace_range(word.start..word.end, "<secret>");
        }
    }
    shown
}

/// A number or a list of them: VLANs where they stand behind the word for it, or are ones that do elsewhere.
fn numbers<'w>(
    guessed: &Guessed,
    before: &str,
    word: &str,
    following: impl Iterator<Item = &'w str> + Clone,
) -> Option<(usize, HoleType)> {
    let plain = word.bytes().all(|b| b.is_ascii_digit());
    let (taken, set) = match guessed.lists.vlans(following.clone()) {
        Some((taken, set)) => (taken, Some(set)),
        None => (guessed.lists.numbers(following)?.0, None),
    };
    let is_list = taken > 1 || !plain;
    let behind = guessed.vlan_words.contains(before);
    let is_known = |v: VlanId| guessed.vlans.contains(&v.get().into()) && v.get() >= 10;
    let known =
        set.as_ref().is_some_and(|set| if is_list { set.iter().any(is_known) } else { set.iter().all(is_known) });
    let vlans = set.is_some() && (behind || known);
    Some(match (vlans, is_list) {
        (true, true) => (taken, HoleType::Vlans),
        (true, false) => (1, HoleType::Vlan),
        (false, true) => (taken, HoleType::Ints),
        (false, false) => (1, HoleType::Int),
    })
}

/// Whether a word says that a secret follows.
fn names_secret(word: &str) -> bool {
    const WHOLE: [&str; 12] =
        ["key", "keys", "pin", "hash", "pass", "psk", "pwd", "token", "salt", "seed", "digest", "cipher"];
    const PART: [&str; 9] =
        ["passw", "secret", "passphrase", "passcode", "phrase", "communit", "credential", "private-key", "encrypted"];
    let lower = word.to_ascii_lowercase();
    let parts = || lower.split(|c: char| !c.is_ascii_alphanumeric());
    parts().any(|part| WHOLE.contains(&part)) || PART.iter().any(|part| lower.contains(part))
}

/// Whether a secret may stand behind some words, nearest first: right behind the word that names it, or with a short word
/// between, such as the number or name of a cipher.
fn follows_secret<'w>(mut earlier: impl Iterator<Item = &'w str>) -> bool {
    let Some(nearest) = earlier.next() else { return false };
    names_secret(nearest) || nearest.len() <= 10 && earlier.next().is_some_and(names_secret)
}

/// Whether a word looks as if it was drawn by lot: letters of both cases, digits and signs mixed, and few that come again.
fn looks_random(word: &str) -> bool {
    let plain = word.trim_matches(['"', '\'']);
    if plain.len() < 8 || plain.contains(char::is_whitespace) || StationAddress::parse(plain).is_ok() {
        return false;
    }
    let bytes = plain.as_bytes();
    let is = |test: fn(&u8) -> bool| bytes.iter().any(test);
    let upper_inside = bytes.iter().skip(1).any(u8::is_ascii_uppercase) && is(u8::is_ascii_lowercase);
    let letters_and_digits = is(u8::is_ascii_alphabetic) && is(u8::is_ascii_digit);
    let odd = bytes.iter().any(|b| b"$+/=!%&*?^~".contains(b)) && is(u8::is_ascii_alphanumeric);
    let is_hex = bytes.len() >= 16 && bytes.iter().all(u8::is_ascii_hexdigit);
    let kinds = u8::from(upper_inside) + u8::from(letters_and_digits) + u8::from(odd) + u8::from(is_hex);
    let mut counts = [0_u32; 256];
    bytes.iter().for_each(|b| counts[usize::from(*b)] += 1);
    let len = f64::from(bytes.len().min(4_096) as u32);
    let bits: f64 = counts.iter().filter(|n| **n > 0).map(|n| f64::from(*n) / len).map(|p| -p * p.log2()).sum();
    kinds >= 1 && bits > 2.75 && (kinds >= 2 || upper_inside || bytes.len() >= 16)
}

/// Whether a word behind the number of a VLAN is the name that somebody gave it.
fn is_a_name(word: &str) -> bool {
    word.starts_with(char::is_alphabetic) && !is_of_trade(word)
}

/// What one word seems to be a value of.
fn value(before: &str, word: &str) -> Option<HoleType> {
    if matches!(word, "=" | ":") {
        return None;
    }
    if names_secret(before) {
        return Some(HoleType::Secret);
    }
    if word.starts_with('"') {
        return Some(HoleType::Text);
    }
    if StationAddress::parse(word).is_ok() {
        return Some(HoleType::Station);
    }
    if word.parse::<std::net::IpAddr>().is_ok() {
        return Some(HoleType::Ip);
    }
    if word
        .split_once('/')
        .is_some_and(|(address, length)| address.parse::<std::net::IpAddr>().is_ok() && length.parse::<u8>().is_ok())
    {
        return Some(HoleType::Prefix);
    }
    if duration(word).is_some() {
        return Some(HoleType::Duration);
    }
    let by_time = word.split_once('/').is_some_and(|(count, per)| {
        matches!(per, "s" | "sec" | "min") && !count.is_empty() && count.bytes().all(|b| b.is_ascii_digit())
    });
    if by_time || Rate::parse(word).is_some() {
        return Some(HoleType::Rate);
    }
    if word.bytes().all(|b| b.is_ascii_digit()) && word.len() <= 10 {
        return Some(HoleType::Int);
    }
    if word.contains('.') && crate::model::Milliwatts::parse(word).is_some() {
        return Some(HoleType::Watts);
    }
    // A name, a version, a serial number: what holds digits is no keyword.
    word.bytes().any(|b| b.is_ascii_digit()).then_some(HoleType::Word)
}
