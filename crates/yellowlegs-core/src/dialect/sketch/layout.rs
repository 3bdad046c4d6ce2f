//! Guessing how texts are laid out: structure, comments, negation, names of ports, signs of lists.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

use super::super::Dialect;
use super::super::layout::{Layout, Structure};
use super::super::ports::{Lists, ListsText};
use super::texts::{BLOCK, TextLines, Worded};
use crate::model::StationAddress;
use crate::sorted;
use crate::syntax::Splitter;

/// What a text seems to be like.
pub(super) struct Guessed {
    pub(super) layout: Layout,
    pub(super) lists: Lists,
    forms: Vec<String>,
    range: Option<&'static str>,
    carry: bool,
    /// The word that VLANs stand behind.
    pub(super) vlan_words: BTreeSet<String>,
    /// Numbers that seem to be VLANs.
    pub(super) vlans: BTreeSet<u32>,
    /// Where ports are plain numbers: the words they stand behind.
    pub(super) port_words: BTreeSet<String>,
    alone: String,
}

const COMMENTS: [&str; 5] = ["#", "!", "//", ";", "--"];
/// Words of the trade that ports stand behind.
const PORT_WORDS: [&str; 4] = ["port", "ports", "interface", "interfaces"];
/// Words of the trade that VLANs stand behind.
const VLAN_WORDS: [&str; 4] = ["vlan", "vlans", "vid", "pvid"];
const RANGES: [&str; 4] = ["..", "-", "~", "to"];

impl Guessed {
    pub(super) fn of<'t>(texts: &[&'t str]) -> Self {
        let mut lines = TextLines::of(texts);
        let has_blocks = lines.drop_block_comments();
        let signs = COMMENTS.iter().filter(|sign| lines.any(|line| line.starts_with(**sign)));
        let comments: Vec<String> = signs.map(|sign| (*sign).to_owned()).collect();
        lines.keep(|line| !comments.iter().any(|sign| line.starts_with(sign.as_str())));
        let continuation = lines.join();
        let (structure, braces) = lines.structure();
        let title = structure == Structure::Sections;
        let mut alone = String::new();
        if title {
            alone.push_str("[]");
        }
        if lines.count(|line| line.split(' ').any(is_assignment)) * 4 > lines.len() {
            alone.push('=');
        }
        let mut words_alone = alone.clone();
        if structure == Structure::Braces {
            words_alone.push_str("{}");
            words_alone.push_str(braces.end.as_deref().unwrap_or_default());
        }
        let splitter = Splitter::new(&words_alone);
        let worded = lines.worded(&splitter);
        let mut words = Vec::new();
        let mut first = |line: &'t str| {
            words.clear();
            splitter.split(line, 0, &mut words);
            words.first().map(|word| word.of(line))
        };
        let openers: sorted::Set<&str> = sorted::set(lines.openers().filter_map(&mut first));
        let (verb, negation) = leading(&worded, structure, &openers);
        let (forms, range) = ports(&worded);
        let (mut vlan_words, vlans) = vlans(&worded);
        let of_trade = worded.iter().flat_map(|line| &line.words).filter(|word| is_vlan_word(word));
        vlan_words.extend(of_trade.map(|word| (*word).to_owned()));
        let port_words = if forms.is_empty() { port_words(&worded, &vlan_words) } else { BTreeSet::new() };
        let forms = if forms.is_empty() && !port_words.is_empty() { vec!["<n>".to_owned()] } else { forms };
        let carry = carried(&worded);
        let text = ListsText {
            carry,
            forms: forms.iter().map(String::as_str).collect(),
            ranges: vec![range.unwrap_or("-").to_owned()],
            items: vec![",".to_owned()],
            ..ListsText::default()
        };
        let lists = Lists::new(text).unwrap_or_default();
        let layout =
            Layout { structure, splitter, comments, continuation, negation, verb, braces, ..Layout::default() };
        let block_comment = has_blocks.then(|| (BLOCK.0.to_owned(), BLOCK.1.to_owned()));
        let layout = Layout { block_comment, ..layout };
        Self { layout, lists, forms, range, carry, vlan_words, vlans, port_words, alone }
    }

    /// The same where a dialect says already how texts are laid out and ports are named.
    pub(super) fn beside(dialect: &Dialect, texts: &[&str]) -> Self {
        let guessed = Self::of(texts);
        Self { layout: dialect.layout().clone(), lists: dialect.lists().clone(), ..guessed }
    }

    /// The sections of the dialect that say so.
    pub(super) fn write(&self, out: &mut String) {
        let word = |key: &str, value: &Option<String>| {
            value.as_ref().map(|v| format!("{key} = {}\n", super::quoted(v))).unwrap_or_default()
        };
        let structure = Structure::WORDS.iter().find(|(s, _)| *s == self.layout.structure).map_or("indent", |(_, w)| w);
        let _ = write!(out, "[text]\nstructure = \"{structure}\"\n");
        if !self.layout.comments.is_empty() {
            let _ = writeln!(out, "comment = {}", super::list(&self.layout.comments));
        }
        if let Some((open, close)) = &self.layout.block_comment {
            let _ = writeln!(out, "block-comment = [{}, {}]", super::quoted(open), super::quoted(close));
        }
        out.push_str(&word("continuation", &self.layout.continuation));
        out.push_str(&word("negation", &self.layout.negation));
        out.push_str(&word("verb", &self.layout.verb));
        out.push_str(&word("end", &self.layout.braces.end));
        if !self.alone.is_empty() {
            let _ = writeln!(out, "split = {}", super::quoted(&self.alone));
        }
        if self.layout.structure == Structure::Sections {
            out.push_str("title = \"'[' <title:rest>\"\n");
        }
        let _ = writeln!(
            out,
            "\n[ports]\nnames = [{}]\n",
            self.forms.iter().map(|f| super::quoted(f)).collect::<Vec<_>>().join(", ")
        );
        let _ = writeln!(
            out,
            "[lists]\nrange = [{}]\nitem = [\",\"]\n{}",
            super::quoted(self.range.unwrap_or("-")),
            if self.carry { "carry = true\n" } else { "" }
        );
    }
}

/// Whether a word is one of the trade that VLANs stand behind, or ends with one: `native-vlan`.
fn is_vlan_word(word: &str) -> bool {
    let last = word.rsplit(['-', '_']).next().unwrap_or_default();
    VLAN_WORDS.contains(&last.to_ascii_lowercase().as_str())
}

fn is_assignment(word: &str) -> bool {
    word.split_once('=')
        .is_some_and(|(key, _)| !key.is_empty() && key.bytes().all(|b| b.is_ascii_alphabetic() || b == b'-'))
}

/// The word that most lines of a text of paths begin with, and the word that negates.
/// A line that is negated opens nothing.
fn leading(
    lines: &[Worded<'_>],
    structure: Structure,
    openers: &sorted::Set<&str>,
) -> (Option<String>, Option<String>) {
    let mut firsts: BTreeMap<&str, usize> = BTreeMap::new();
    for (word, line) in lines.iter().filter_map(|line| Some((*line.words.first()?, line))) {
        *firsts.entry(word).or_default() += line.often;
    }
    let all: usize = lines.iter().map(|line| line.often).sum();
    let most = firsts.iter().max_by_key(|(_, count)| **count).map(|(word, count)| (*word, *count));
    let verb = most.filter(|(_, count)| structure == Structure::Paths && count * 10 > all * 7).map(|(w, _)| w);
    // What negates stands before words that stand without it elsewhere: behind the verb, or first.
    let skip = usize::from(verb.is_some());
    let behind_verb = lines.iter().filter(|line| verb.is_none() || line.words.first().copied() == verb);
    let plain = sorted::set(behind_verb.filter_map(|line| line.words.get(skip).copied()));
    let negates = |word: &str| {
        let mut behind: BTreeMap<&str, usize> = BTreeMap::new();
        for line in lines.iter().filter(|line| line.words.first().copied() == Some(word)) {
            if let Some(next) = line.words.get(1) {
                *behind.entry(next).or_default() += line.often;
            }
        }
        let is_known = |w: &str| plain.contains(w) && w.bytes().all(|b| b.is_ascii_alphabetic() || b == b'-');
        let known: usize = behind.iter().filter(|(w, _)| is_known(w)).map(|(_, often)| often).sum();
        let all: usize = behind.values().sum();
        Some(word) != verb && !openers.contains(word) && behind.len() >= 2 && known * 10 >= all * 6
    };
    let negation = firsts.keys().filter(|w| negates(w)).max_by_key(|w| firsts.get(**w).copied().unwrap_or_default());
    (verb.map(str::to_owned), negation.map(|w| (*w).to_owned()))
}

/// A word's form as a port's name: digits as `<n>`, one to three letters before a colon or alone as `<a>`.
fn form(word: &str) -> Option<String> {
    let bytes = word.as_bytes();
    if !bytes.iter().any(u8::is_ascii_digit) || word.len() > 24 || StationAddress::parse(word).is_ok() {
        return None;
    }
    let (mut form, mut numbers, mut letters, mut rest) = (String::new(), 0, false, word);
    while let Some(first) = rest.chars().next() {
        let run = |fits: fn(char) -> bool| rest.find(|c: char| !fits(c)).unwrap_or(rest.len());
        let length = if first.is_ascii_digit() {
            numbers += 1;
            form.push_str("<n>");
            run(|c| c.is_ascii_digit())
        } else if first.is_ascii_alphabetic() {
            let length = run(|c| c.is_ascii_alphabetic());
            letters = true;
            // Letters in front of a colon tell ports apart; a word is the same on every port.
            let is_part = length <= 3 && rest.get(length..).is_some_and(|r| r.starts_with([':', '.', '/']));
            form.push_str(if is_part { "<a>" } else { rest.get(..length)? });
            length
        } else if "./:-_".contains(first) && !form.ends_with(|c: char| "./:-_".contains(c)) {
            form.push(first);
            1
        } else {
            return None;
        };
        rest = rest.get(length..)?;
    }
    // Four numbers and dots are an address; a plain number is none of ours; a number and a unit is a duration.
    let is_address = numbers == 4 && word.matches('.').count() == 3;
    let is_plain = numbers == 1 && !letters;
    let is_unit =
        word.starts_with(|c: char| c.is_ascii_digit()) && numbers <= 2 && letters && !word.contains([':', '/', '.']);
    (numbers <= 4 && !is_address && !is_plain && !is_unit && form.ends_with("<n>")).then_some(form)
}

/// The forms of port names, the most frequent first, and the sign between the ends of a range.
fn ports(lines: &[Worded<'_>]) -> (Vec<String>, Option<&'static str>) {
    let mut forms: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    let mut ranges: BTreeMap<&'static str, usize> = BTreeMap::new();
    let mut said: BTreeSet<String> = BTreeSet::new();
    for Worded { words, often } in lines {
        for (at, word) in words.iter().enumerate() {
            // Behind the trade's own word for it one is enough.
            if at > 0 && PORT_WORDS.contains(&words[at - 1].to_ascii_lowercase().as_str()) {
                let first = word.split([',', '-', '~']).next().unwrap_or_default();
                let is_plain = !first.is_empty() && first.bytes().all(|b| b.is_ascii_digit());
                said.extend(form(word).filter(|_| !is_plain).or_else(|| form(first)));
            }
            for part in word.split(',').filter(|p| !p.is_empty()) {
                let cut = RANGES.iter().filter(|s| s.len() < 3).find_map(|sign| {
                    let (from, to) = part.split_once(sign)?;
                    let both = form(from).is_some()
                        && (form(to).is_some() || to.bytes().all(|b| b.is_ascii_digit()) && !to.is_empty());
                    both.then_some((*sign, from))
                });
                if let Some((sign, from)) = cut {
                    *ranges.entry(sign).or_default() += often;
                    for end in [from, part.get(from.len() + sign.len()..).unwrap_or_default()] {
                        form(end).map(|f| forms.entry(f).or_default().insert(end.to_owned()));
                    }
                } else if let Some(found) = form(part) {
                    forms.entry(found).or_default().insert(part.to_owned());
                }
                let next = words.get(at + 1).copied();
                if next == Some("to") && form(part).is_some() {
                    *ranges.entry("to").or_default() += often;
                }
            }
        }
    }
    let mut found: Vec<(usize, String)> = forms
        .into_iter()
        .map(|(form, names)| (names.len(), form))
        .filter(|(n, f)| *n >= 3 || said.contains(f))
        .collect();
    sorted::by(&mut found, |a, b| b.cmp(a));
    let most = found.first().map_or(0, |(n, _)| *n);
    found.retain(|(n, form)| n * 4 >= most || said.contains(form));
    let range = ranges.into_iter().max_by_key(|(_, n)| *n).map(|(sign, _)| sign);
    (found.into_iter().take(3).map(|(_, form)| form).collect(), range)
}

/// Whether a list of ports goes on with plain numbers: `a:3, 5`.
fn carried(lines: &[Worded<'_>]) -> bool {
    let number = |word: &str| !word.is_empty() && word.trim_end_matches(',').bytes().all(|b| b.is_ascii_digit());
    let apart = lines.iter().flat_map(|l| l.words.windows(2)).any(|pair| {
        let [port, next] = pair else { return false };
        port.strip_suffix(',').is_some_and(|p| form(p).is_some()) && number(next)
    });
    let ranged = lines.iter().flat_map(|l| l.words.windows(4)).any(|four| {
        let [port, sign, end, next] = four else { return false };
        form(port).is_some() && RANGES.contains(sign) && end.ends_with(',') && number(end) && number(next)
    });
    let in_one = |word: &&str| {
        word.split_once(',').is_some_and(|(port, rest)| form(port).is_some() && rest.split(',').any(number))
    };
    apart || ranged || lines.iter().flat_map(|l| &l.words).any(in_one)
}

/// The word that VLANs stand behind: the one that numbers of 1 to 4094 follow behind most other words.
fn vlans(lines: &[Worded<'_>]) -> (BTreeSet<String>, BTreeSet<u32>) {
    let mut behind: BTreeMap<&str, (BTreeSet<&str>, BTreeSet<u32>, usize)> = BTreeMap::new();
    for Worded { words, often } in lines {
        for (position, pair) in words.windows(2).enumerate() {
            let [word, number] = pair else { continue };
            if !word.bytes().all(|b| b.is_ascii_alphabetic() || b == b'-') || RANGES.contains(word) {
                continue;
            }
            let numbers: Vec<u32> = number.split([',', '-', '.']).filter_map(|n| n.parse().ok()).collect();
            let entry = behind.entry(word).or_default();
            if numbers.is_empty() || numbers.iter().any(|n| !(1..=4094).contains(n)) {
                entry.2 += often;
                continue;
            }
            let before = position.checked_sub(1).and_then(|p| words.get(p)).map_or("", |word| word);
            entry.0.insert(if form(before).is_some() { "a port" } else { before });
            entry.1.extend(numbers);
        }
    }
    let stem = |word: &str| word.trim_end_matches('s').to_owned();
    let good = behind.iter().filter(|(_, (_, numbers, others))| {
        numbers.len() >= 2 && numbers.iter().any(|n| *n >= 10) && *others * 3 <= numbers.len()
    });
    let best = good.max_by_key(|(_, (ways, numbers, _))| (ways.len(), numbers.len()));
    let Some((word, (_, numbers, _))) = best else { return (BTreeSet::new(), BTreeSet::new()) };
    let same = sorted::tree_set(behind.keys().filter(|w| stem(w) == stem(word)).map(|w| (*w).to_owned()));
    (same, numbers.clone())
}

/// Where no word has a port's form, ports may be plain numbers: behind the word that opens most blocks of small numbers.
fn port_words(lines: &[Worded<'_>], vlan_words: &BTreeSet<String>) -> BTreeSet<String> {
    let mut behind: BTreeMap<&str, BTreeSet<u32>> = BTreeMap::new();
    for line in lines {
        let [word, number, ..] = &line.words[..] else { continue };
        let first = number.split([',', '-', '.']).next().and_then(|n| n.parse::<u32>().ok());
        if let Some(number) = first.filter(|n| (1..=64).contains(n) && !vlan_words.contains(*word)) {
            behind.entry(word).or_default().insert(number);
        }
    }
    let by_word = behind.keys().find(|word| PORT_WORDS.contains(&word.to_ascii_lowercase().as_str())).copied();
    let by_count = || behind.iter().filter(|(_, n)| n.len() >= 3).max_by_key(|(_, n)| n.len()).map(|(word, _)| *word);
    let best = by_word.or_else(by_count);
    best.map(|word| [word.to_owned(), format!("{word}s")].into()).unwrap_or_default()
}
