//! What the lines of an unknown system may mean: the words of the trade in them and around them, what they are about, and the kind of
//! value they hold are held against the lexicon. What scores low stays open.

use std::collections::BTreeSet;
use std::sync::LazyLock;

use super::super::HoleType;
use super::{NAME, Rule};
use crate::model::{Kind, Scope, SettingId};
use crate::sorted;

/// From this score on, of 100, a meaning is proposed.
const LIKELY: usize = 60;
/// So much the best has to be ahead of the next that means something else.
const AHEAD: usize = 10;
/// Words that say nothing by themselves.
const NEUTRAL: [&str; 18] = [
    "set",
    "on",
    "is",
    "are",
    "the",
    "a",
    "of",
    "for",
    "in",
    "at",
    "by",
    "with",
    "be",
    "config",
    "configuration",
    "interface",
    "default",
    "each",
];
/// Words that switch something off.
const OFF: [&str; 7] = ["off", "no", "never", "disable", "disabled", "none", "false"];

/// Words that switch something on.
const ON: [&str; 5] = ["on", "yes", "true", "enable", "enabled"];

/// Whether a word switches something on or off.
pub(super) fn is_switch(word: &str) -> bool {
    ON.contains(&word) || OFF.contains(&word)
}

/// Whether a word is one of the trade: no name that somebody gave.
pub(super) fn is_of_trade(word: &str) -> bool {
    static WORDS: LazyLock<sorted::Set<&'static str>> = LazyLock::new(|| {
        let of_entry = |entry: &'static Entry| entry.groups.iter().flatten().chain(&entry.speak_for).copied();
        sorted::set(LEXICON.iter().flat_map(of_entry).chain(NEUTRAL).chain(OFF).chain(ON))
    });
    let small = word.to_ascii_lowercase();
    small.split(['-', '_']).any(|part| WORDS.contains(part))
}

/// What a block or a line is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Subject {
    /// The switch.
    Switch,
    /// Ports.
    Port,
    /// A VLAN.
    Vlan,
    /// Something with a name, and nobody knows what.
    Unknown,
}

/// A line of the lexicon.
struct Entry {
    setting: SettingId,
    /// Of each group one word is there.
    groups: Vec<Vec<&'static str>>,
    speak_for: Vec<&'static str>,
    speak_against: Vec<&'static str>,
    value: &'static str,
}

static LEXICON: LazyLock<Vec<Entry>> =
    LazyLock::new(|| include_str!("lexicon.txt").lines().filter_map(entry).collect());

fn entry(line: &'static str) -> Option<Entry> {
    let mut cells = line.split('|').map(str::trim);
    let mut cell = || cells.next().unwrap_or_default();
    let words = |text: &'static str| text.split_whitespace().collect::<Vec<_>>();
    let setting = SettingId::by_name(cell())?;
    let groups = cell().split_whitespace().map(|group| group.split('/').collect()).collect();
    Some(Entry { setting, groups, speak_for: words(cell()), speak_against: words(cell()), value: cell() })
}

/// What a line may set, with how sure that is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proposal {
    /// The setting.
    pub setting: SettingId,
    /// What it is given, as a dialect writes it: a hole in quotes, or a value.
    pub operand: String,
    /// The hole whose type has to be another one for that, and which.
    pub retyped: Option<(String, HoleType)>,
    /// How sure that is, of 100.
    pub score: usize,
}

impl Proposal {
    /// How sure that is, as a part of one.
    pub fn sure(&self) -> String {
        if self.score >= 100 { "1.0".into() } else { format!("0.{}", self.score / 10) }
    }
}

/// The meanings that a rule may have, the likeliest first, one of each setting: `around` are the words of the blocks that it stands in.
pub(super) fn ranked(rule: &Rule, around: &BTreeSet<String>, subject: Subject) -> Vec<Proposal> {
    let mut own = literals(&rule.pattern);
    // A name behind a number says what it is.
    own.extend(rule.holes.iter().filter(|(hole, _)| hole == NAME).map(|(hole, _)| hole.clone()));
    let scored = LEXICON.iter().filter_map(|entry| {
        let (operand, retyped) = operand(entry, rule, &own, subject)?;
        Some(Proposal { setting: entry.setting, operand, retyped, score: score(entry, &own, around)? })
    });
    let mut ranked: Vec<Proposal> = scored.collect();
    sorted::by_key(&mut ranked, |proposal| std::cmp::Reverse(proposal.score));
    let mut told = BTreeSet::new();
    ranked.retain(|proposal| told.insert(proposal.setting));
    ranked
}

/// The first of them, where it is likely and well ahead of the next.
pub(super) fn likely(ranked: &[Proposal]) -> Option<&Proposal> {
    let best = ranked.first()?;
    let is_ahead = ranked.get(1).is_none_or(|next| best.score >= next.score + AHEAD);
    (best.score >= LIKELY && is_ahead).then_some(best)
}

/// The words of a pattern that are not holes, small and cut at dashes.
pub(super) fn literals(pattern: &str) -> BTreeSet<String> {
    let words = pattern.split_whitespace().filter(|word| !word.starts_with('<'));
    let parts = words.flat_map(|word| word.split(['-', '_', '\'']));
    sorted::tree_set(parts.map(str::to_ascii_lowercase).filter(|word| word.chars().any(char::is_alphanumeric)))
}

fn score(entry: &Entry, own: &BTreeSet<String>, around: &BTreeSet<String>) -> Option<usize> {
    let there = |word: &&str| own.contains(*word) || around.contains(*word);
    // Something of it has to stand in the line itself.
    let in_line = entry.groups.iter().filter(|group| group.iter().any(|word| own.contains(*word))).count();
    let met = entry.groups.iter().all(|group| group.iter().any(there));
    if !met || in_line == 0 || entry.speak_against.iter().any(there) {
        return None;
    }
    let speak = entry.speak_for.iter().filter(|word| there(word)).count();
    let known = |word: &String| {
        let word = word.as_str();
        entry.groups.iter().flatten().chain(&entry.speak_for).any(|known| *known == word)
            || NEUTRAL.contains(&word)
            || OFF.contains(&word)
            || ON.contains(&word)
    };
    let strange = own.iter().filter(|word| !known(word)).count();
    let whole = 60 + 10 * entry.groups.len() + 10 * speak.min(2);
    Some(whole.saturating_sub(15 * strange).min(100))
}

/// What a setting is given, as a dialect writes it, and the hole whose type has to be another one for that.
type Operand = (String, Option<(String, HoleType)>);

/// What the setting is given by: a hole of its kind, or the value that the words mean.
fn operand(entry: &Entry, rule: &Rule, own: &BTreeSet<String>, subject: Subject) -> Option<Operand> {
    let names_ports = rule.holes.iter().any(|(_, kind)| matches!(kind, HoleType::Port | HoleType::Ports));
    let mut holes: Vec<&(String, HoleType)> = rule.holes.iter().collect();
    match entry.setting.info().scope {
        Scope::Port if subject == Subject::Port => {}
        // What the line is about is no value.
        Scope::Port if names_ports => holes.retain(|(_, kind)| !matches!(kind, HoleType::Port | HoleType::Ports)),
        Scope::Vlan if subject == Subject::Vlan => {}
        Scope::Vlan if subject == Subject::Switch => {
            let vlan = holes.iter().position(|(_, kind)| matches!(kind, HoleType::Vlan | HoleType::Vlans))?;
            holes.remove(vlan);
        }
        Scope::Switch if subject == Subject::Switch && !names_ports => {}
        _ => return None,
    }
    let kind = entry.setting.info().kind;
    // A block is opened for what stands in it.
    if kind == Kind::Flag && rule.opens.is_some() {
        return None;
    }
    if !entry.value.is_empty() {
        let is_off = own
            .iter()
            .any(|word| OFF.contains(&word.as_str()) && entry.groups.iter().flatten().all(|known| known != word));
        let value = match (kind, holes.is_empty(), is_off) {
            (Kind::Flag, true, false) => entry.value.to_owned(),
            (Kind::Flag, true, true) => (entry.value != "true").to_string(),
            (_, true, false) => format!("\"{}\"", entry.value),
            _ => return None,
        };
        return Some((value, None));
    }
    let [(name, of)] = holes[..] else { return None };
    let retyped = match fitting(kind, *of)? {
        wanted if wanted == *of => None,
        wanted => Some((name.clone(), wanted)),
    };
    Some((format!("\"<{name}>\""), retyped))
}

/// The type that a hole has to have for values of a kind: its own, or where it is a bare number, the one that says its unit.
fn fitting(kind: Kind, of: HoleType) -> Option<HoleType> {
    use HoleType as H;
    let is_number = matches!(of, H::Int | H::Vlan);
    match (kind, of) {
        (Kind::Count, H::Speed)
        | (Kind::Seconds, H::Duration)
        | (Kind::Milliwatts, H::Watts)
        | (Kind::Rate, H::Rate | H::Percent)
        | (Kind::Port, H::Port)
        | (Kind::Address, H::Ip | H::Prefix)
        | (Kind::Vlan, H::Vlan)
        | (Kind::Vlans, H::Vlan | H::Vlans)
        | (Kind::Text, H::Text | H::Word | H::Rest)
        | (Kind::Words, H::Word | H::Ip | H::Text) => Some(of),
        (Kind::Vlan, _) if is_number => Some(H::Vlan),
        (Kind::Count, _) if is_number => Some(H::Int),
        (Kind::Seconds, _) if is_number => Some(H::Seconds),
        (Kind::Milliwatts, _) if is_number => Some(H::Watts),
        (Kind::Rate, _) if is_number => Some(H::Pps),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A line that is misspelt would be passed over: each names a setting, words, a value of it where it has one, and a reason.
    #[test]
    fn every_line_of_the_lexicon_counts() {
        let lines: Vec<&str> = include_str!("lexicon.txt").lines().filter(|line| !line.starts_with('#')).collect();
        assert_eq!(LEXICON.len(), lines.len());
        for line in lines {
            let cells: Vec<&str> = line.split('|').map(str::trim).collect();
            let [setting, groups, .., value, why] = cells[..] else { panic!("{line}") };
            let kind = SettingId::by_name(setting).unwrap().info().kind;
            assert!(cells.len() == 6 && !groups.is_empty() && !why.is_empty(), "{line}");
            assert!(value.is_empty() || kind.parse(value).is_ok(), "{line}");
            assert!(!value.is_empty() || !matches!(kind, Kind::Flag | Kind::Choice(_)), "{line}");
        }
    }
}
