//! What lines of one shape say, and how that is settled: which hole a value comes from, of which type, what its words stand for. Each way is
//! tried by reading, and known by what the first of the lines comes to.

use std::sync::Arc;

use super::write::rule;
use super::{Lesson, Refused};
use crate::dialect::{Dialect, HoleType, Open, Proposal};
use crate::model::{Kind, Scope, SettingId, Value};
use crate::resolve::{Said, says_at};
use crate::source::Word;
use crate::source::quoted;

/// Most words of a hole that stand for something, each.
const MOST_WORDS: usize = 12;

/// A setting that lines give, and what by.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Given {
    /// The setting.
    pub setting: SettingId,
    /// What it is given, as a dialect writes it: a hole in quotes, or a value.
    pub operand: String,
    /// What the first of the lines comes to.
    pub value: String,
    /// How the pattern has to change for that.
    edit: Edit,
}

/// A change of a pattern.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Edit {
    None,
    /// This hole becomes this, angle brackets and all.
    Hole(String, String),
    /// The word at this position becomes a hole.
    Word(usize, String),
}

/// What lines of one shape say.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Meaning {
    /// They give these settings.
    Sets(Vec<Given>),
    /// Nothing that is judged, and neither do the lines inside.
    Nothing,
    /// What a hole of theirs names.
    Names(Names),
    /// They say nothing themselves: the lines inside do.
    Opens,
}

/// What a hole names: what the lines inside are about, or a profile that ports use.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Names {
    /// The key of a rule: `ports`, `vlan`, `profile`, `mirror`, `uses`.
    pub key: &'static str,
    /// The hole.
    pub hole: String,
    edit: Edit,
}

impl Lesson {
    /// What a proposal comes to.
    pub fn proposed(&self, open: &Open, proposal: &Proposal) -> Option<Given> {
        let edit = match &proposal.retyped {
            Some((hole, kind)) => retype(open, hole, *kind),
            None => Edit::None,
        };
        self.tried(open, proposal.setting, proposal.operand.clone(), edit)
    }

    /// The ways in which lines can give a setting, those by a hole of the type that is guessed first.
    pub fn ways(&self, open: &Open, setting: SettingId) -> Vec<Given> {
        let kind = setting.info().kind;
        // What the lines are about is no value.
        let about = open.names.iter().find(|(key, _)| scope_of(key) == setting.info().scope);
        let subject = about.map(|(_, hole)| hole.as_str());
        let mut ways: Vec<Given> = Vec::new();
        let add = |ways: &mut Vec<Given>, given: Option<Given>| {
            let Some(given) = given else { return };
            if !ways.iter().any(|way| (&way.value, &way.operand) == (&given.value, &given.operand)) {
                ways.push(given);
            }
        };
        for (hole, of) in open.holes.iter().filter(|(hole, of)| !of.is_secret() && Some(hole.as_str()) != subject) {
            if kind == Kind::Taps {
                for way in ["both", "received", "sent"] {
                    let edit = match of {
                        HoleType::Port | HoleType::Ports => Edit::None,
                        _ => retype(open, hole, HoleType::Ports),
                    };
                    add(&mut ways, self.tried(open, setting, quoted(&format!("<{hole}>@{way}")), edit));
                }
                continue;
            }
            let operand = quoted(&format!("<{hole}>"));
            if let Some(words) = self.as_words(open, hole, *of, kind) {
                add(&mut ways, self.tried(open, setting, operand.clone(), words));
            }
            // A type that says its unit before a plain number.
            let own = std::iter::once(of).filter(|of| !fitting(kind).contains(of));
            let (same, others): (Vec<_>, Vec<_>) = fitting(kind).iter().partition(|other| *other == of);
            for other in same.into_iter().chain(others).chain(own) {
                // Of text the types differ by the quotes that they leave in place.
                if kind == Kind::Text && ways.iter().any(|way| way.operand == operand) {
                    break;
                }
                let edit = if other == of { Edit::None } else { retype(open, hole, *other) };
                add(&mut ways, self.tried(open, setting, operand.clone(), edit));
            }
        }
        // What a block is about may be the value of what stands in it.
        for (hole, of) in &open.outer {
            if fitting(kind).contains(of) || (kind, *of) == (Kind::Vlans, HoleType::Vlan) {
                add(&mut ways, self.tried(open, setting, quoted(&format!("<{hole}>")), Edit::None));
            }
        }
        if ways.is_empty() && matches!(kind, Kind::Text | Kind::Words) {
            let name = unused(open, "value");
            for edit in word_holes(open, &name) {
                ways.extend(self.tried(open, setting, quoted(&format!("<{name}>")), edit));
            }
        }
        for constant in constants(kind) {
            ways.extend(self.tried(open, setting, constant, Edit::None));
        }
        ways
    }

    /// What a question's hole seems to name.
    pub fn named(&self, open: &Open) -> Option<Names> {
        self.namings(open, open.naming?).into_iter().find(|names| names.edit == Edit::None)
    }

    /// What holes of a question can name for a key of a rule: `ports`, `vlan`, `profile`, `mirror`, `uses`; those first whose types fit
    /// best, then its last words as holes.
    pub fn namings(&self, open: &Open, key: &'static str) -> Vec<Names> {
        let fits = |of: HoleType| match key {
            "ports" => matches!(of, HoleType::Port | HoleType::Ports),
            "vlan" => matches!(of, HoleType::Vlan | HoleType::Vlans | HoleType::Int),
            _ => !of.is_secret() && !matches!(of, HoleType::Port | HoleType::Ports | HoleType::Rest),
        };
        let of_hole = |(hole, of): &(String, HoleType)| {
            let edit = match (key, of) {
                ("vlan", HoleType::Int) => retype(open, hole, HoleType::Vlan),
                _ => Edit::None,
            };
            Names { key, hole: hole.clone(), edit }
        };
        let mut namings: Vec<Names> = open.holes.iter().filter(|(_, of)| fits(*of)).map(of_hole).collect();
        if !matches!(key, "ports" | "vlan") {
            let name = unused(open, "name");
            namings.extend(word_holes(open, &name).map(|edit| Names { key, hole: name.clone(), edit }));
        }
        namings
    }

    /// The way in which lines give a setting this value, which stands in the first of them or is what their words mean.
    pub fn way_to(&self, open: &Open, setting: SettingId, wanted: &str) -> Result<Given, Refused> {
        let name = setting.name();
        let ways = self.ways(open, setting);
        if let Some(way) = ways.iter().find(|way| way.operand == quoted(wanted) && wanted.starts_with('<')) {
            return Ok(way.clone());
        }
        let kind = setting.info().kind;
        let value = kind
            .parse(wanted)
            .map_err(|error| Refused::Says(format!("{name} cannot be `{wanted}`"), error.to_string()))?;
        if let Some(way) = ways.iter().find(|way| way.value == value.to_string()) {
            return Ok(way.clone());
        }
        let holes: Vec<&Given> = ways.iter().filter(|way| way.operand.starts_with("\"<")).collect();
        if let [first, ..] = holes[..] {
            let what = format!("the line gives {name} {}, not {value}", first.value);
            return Err(Refused::Says(
                what,
                format!("`{name}={}` takes what the line has", first.operand.trim_matches('"')),
            ));
        }
        self.tried(open, setting, quoted(wanted), Edit::None).filter(|way| way.value == value.to_string()).ok_or_else(
            || {
                let what = format!("no word of the line can be {name} {value}, and its words cannot mean it either");
                Refused::Says(what, format!("`yellowlegs dialect settings {name}` tells what it can be, and of what"))
            },
        )
    }

    /// Writes an answer into the dialect, where the lines are then read as it says. Tells the pattern as it is now.
    pub fn answer(&mut self, open: &Open, meaning: &Meaning) -> Result<String, Refused> {
        let (pattern, says) = written(open, meaning);
        let dialect = self.with(rule(self.written(), open, &pattern, &says)?)?;
        let wanted: &[Given] = if let Meaning::Sets(given) = meaning { given } else { &[] };
        let said = self.first_says(&dialect, open);
        let is_said = |given: &Given| said.iter().flatten().any(|said| said.setting == given.setting);
        if said.is_none() || !wanted.iter().all(is_said) {
            let hint = "another rule takes it first: `yellowlegs dialect explain` tells which";
            return Err(Refused::Says(format!("`{}` would still not be understood", open.pattern), hint.into()));
        }
        self.take(dialect)?;
        Ok(pattern)
    }

    /// One way of giving a setting, where the first line comes to a value by it.
    fn tried(&self, open: &Open, setting: SettingId, operand: String, edit: Edit) -> Option<Given> {
        let mut given = Given { setting, operand, value: String::new(), edit };
        let (pattern, says) = written(open, &Meaning::Sets(vec![given.clone()]));
        let dialect = self.with(rule(self.written(), open, &pattern, &says).ok()?).ok()?;
        let said = self.first_says(&dialect, open)?;
        let value = said.into_iter().find(|said| said.setting == setting)?.value?;
        given.value = value.to_string();
        Some(given)
    }

    /// What the first line of a question says by a dialect; none where it is not understood.
    fn first_says(&self, dialect: &Arc<Dialect>, open: &Open) -> Option<Vec<Said>> {
        let first = open.lines.first()?;
        says_at(dialect, self.texts.get(first.text)?, first.words.start)
    }

    /// A hole as a choice of the words that stand there, where each is a value of the kind by itself.
    fn as_words(&self, open: &Open, hole: &str, of: HoleType, kind: Kind) -> Option<Edit> {
        let (Kind::Choice(_) | Kind::Flag, HoleType::Word | HoleType::Text) = (kind, of) else { return None };
        let words = self.words_of_hole(open, hole);
        let meant = |word: &String| Some((word.clone(), meant(word, kind)?));
        let choices: Vec<(String, String)> = words.iter().filter_map(meant).collect();
        let as_choice =
            |(word, value): &(String, String)| if word == value { word.clone() } else { format!("{word}={value}") };
        let choices: Vec<String> = choices.iter().map(as_choice).collect();
        (!choices.is_empty() && choices.len() <= MOST_WORDS)
            .then(|| Edit::Hole(typed(open, hole), format!("<{hole}:({})>", choices.join("|"))))
    }

    /// The words that stand where a hole is, each once.
    fn words_of_hole(&self, open: &Open, hole: &str) -> Vec<String> {
        let pieces = words_of(&open.pattern);
        let Some(at) = pieces.iter().position(|piece| piece.starts_with(&format!("<{hole}:"))) else {
            return Vec::new();
        };
        let mut found: Vec<String> = Vec::new();
        for place in &open.lines {
            let Some(line) = self.texts.get(place.text).map(|text| place.words.of(text.text())) else { continue };
            let mut words: Vec<Word> = Vec::new();
            let layout = self.dialect().layout();
            layout.splitter.split(line, 0, &mut words);
            let words: Vec<&str> = words.iter().map(|word| word.of(line)).collect();
            let word = words.iter().skip(words.len().saturating_sub(pieces.len())).nth(at);
            let Some(word) = word.filter(|word| word.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'-')) else {
                continue;
            };
            if !found.iter().any(|known| known == word) {
                found.push((*word).to_owned());
            }
        }
        found
    }
}

/// The pattern for a meaning, and the lines of the rule that say it.
fn written(open: &Open, meaning: &Meaning) -> (String, Vec<String>) {
    match meaning {
        Meaning::Nothing => (open.pattern.clone(), vec!["about = \"nothing\"".to_owned()]),
        Meaning::Opens => (open.pattern.clone(), Vec::new()),
        Meaning::Names(Names { key, hole, edit }) => {
            let about = open.names.iter().filter(|(_, about)| *key == "uses" && about != hole);
            let about = about.map(|(key, hole)| format!("{key} = \"<{hole}>\""));
            (edit.of(&open.pattern), about.chain([format!("{key} = \"<{hole}>\"")]).collect())
        }
        Meaning::Sets(given) => {
            let mut pattern = open.pattern.clone();
            for given in given {
                pattern = given.edit.of(&pattern);
            }
            let about =
                open.names.iter().filter(|(key, _)| given.iter().any(|g| g.setting.info().scope == scope_of(key)));
            let mut says: Vec<String> = about.map(|(key, hole)| format!("{key} = \"<{hole}>\"")).collect();
            for (key, adds) in [("sets", false), ("adds", true)] {
                let of_key = given.iter().filter(|given| adds_to(open, given) == adds);
                let entries: Vec<String> =
                    of_key.map(|given| format!("\"{}\" = {}", given.setting.name(), given.operand)).collect();
                if !entries.is_empty() {
                    says.push(format!("{key} = {{ {} }}", entries.join(", ")));
                }
            }
            (pattern, says)
        }
    }
}

/// What a word of a text means as a value of a kind: itself, or yes and no.
fn meant(word: &str, kind: Kind) -> Option<String> {
    const YES: [&str; 7] = ["on", "yes", "enable", "enabled", "true", "up", "active"];
    const NO: [&str; 8] = ["off", "no", "disable", "disabled", "false", "down", "none", "never"];
    let small = word.to_ascii_lowercase();
    match kind {
        Kind::Flag if YES.contains(&small.as_str()) => Some("true".into()),
        Kind::Flag if NO.contains(&small.as_str()) => Some("false".into()),
        Kind::Choice(set) => set.words.iter().find(|known| **known == small).map(|known| (*known).to_owned()),
        _ => None,
    }
}

/// What a key of a rule is about.
fn scope_of(key: &str) -> Scope {
    if key == "ports" { Scope::Port } else { Scope::Vlan }
}

/// Whether lines put something into a setting that others of them fill, too.
fn adds_to(open: &Open, given: &Given) -> bool {
    let mut seen = open.lines.iter().map(|at| at.text);
    let twice = seen.next().is_some_and(|first| seen.any(|other| other == first));
    let of_block = open.outer.iter().any(|(hole, _)| given.operand == quoted(&format!("<{hole}>")));
    given.setting.info().kind.is_list() && (of_block || twice && open.block.is_empty())
}

/// The types of holes that give values of a kind, the plainest first.
fn fitting(kind: Kind) -> &'static [HoleType] {
    use HoleType as H;
    match kind {
        Kind::Count => &[H::Int, H::Speed],
        Kind::Seconds => &[H::Duration, H::Seconds, H::Minutes, H::Hours, H::Milliseconds],
        Kind::Milliwatts => &[H::Watts, H::Milliwatts],
        Kind::Rate => &[H::Rate, H::Pps, H::Kbps, H::Percent],
        Kind::Vlan => &[H::Vlan],
        Kind::Vlans => &[H::Vlans],
        Kind::Port => &[H::Port],
        Kind::Address => &[H::Ip, H::Prefix],
        Kind::Text => &[H::Text, H::Word, H::Rest],
        Kind::Words => &[H::Word, H::Ip, H::Text],
        Kind::Station => &[H::Station],
        Kind::Stations => &[H::Stations],
        Kind::Ranges => &[H::StationRange],
        Kind::Taps => &[H::Ports],
        Kind::Time => &[H::Time],
        Kind::Flag | Kind::Choice(_) | Kind::Choices(_) | Kind::Pairs => &[],
    }
}

/// The values that words alone can mean.
fn constants(kind: Kind) -> Vec<String> {
    match kind {
        Kind::Flag => vec!["true".into(), "false".into()],
        Kind::Choice(set) => set.words.iter().map(|word| quoted(word)).collect(),
        kind if kind.off().is_some_and(|off| matches!(off, Value::Rate(_) | Value::Vlan(_) | Value::Address(_))) => {
            vec![quoted("none")]
        }
        _ => Vec::new(),
    }
}

fn typed(open: &Open, hole: &str) -> String {
    let kind = open.holes.iter().find(|(name, _)| name == hole).map_or("", |(_, kind)| kind.name());
    format!("<{hole}:{kind}>")
}

fn retype(open: &Open, hole: &str, kind: HoleType) -> Edit {
    Edit::Hole(typed(open, hole), format!("<{hole}:{}>", kind.name()))
}

/// A name that no hole has yet.
fn unused(open: &Open, name: &str) -> String {
    let numbered = (2..).map(|n| format!("{name}-{n}"));
    let is_free = |name: &String| !open.holes.iter().any(|(hole, _)| hole == name);
    std::iter::once(name.to_owned()).chain(numbered).find(is_free).unwrap_or_default()
}

/// The words of a pattern as holes, one at a time, the last first; what a line begins with stays.
fn word_holes(open: &Open, name: &str) -> impl Iterator<Item = Edit> {
    let words = words_of(&open.pattern).into_iter().enumerate().skip(1);
    let at: Vec<usize> =
        words.filter(|(_, word)| !word.starts_with('<') && !word.starts_with('\'')).map(|(at, _)| at).collect();
    let hole = format!("<{name}:word>");
    at.into_iter().rev().map(move |at| Edit::Word(at, hole.clone()))
}

fn words_of(pattern: &str) -> Vec<&str> {
    pattern.split_whitespace().collect()
}

impl Edit {
    fn of(&self, pattern: &str) -> String {
        match self {
            Self::None => pattern.to_owned(),
            Self::Hole(old, new) => pattern.replace(old, new),
            Self::Word(at, hole) => {
                let mut words = words_of(pattern);
                if let Some(word) = words.get_mut(*at) {
                    *word = hole;
                }
                words.join(" ")
            }
        }
    }
}
