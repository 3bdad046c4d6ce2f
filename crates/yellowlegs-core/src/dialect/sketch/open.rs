//! What is open in a dialect: the rules that nobody has filled in, and the lines that no rule takes, by shape, each with what it may mean.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::layout::Guessed;
use super::lines::{self, At, Saying, Stands, Told, told};
use super::propose::{Proposal, Subject, likely, ranked};
use super::tree::Tree;
use super::{Around, Rule, Seen};
use crate::dialect::{Dialect, HoleType, Reading, UnreadAt};
use crate::model::Kind;
use crate::sorted;
use crate::source::{Source, Word};

/// So many unlike lines of a shape are shown,
const SAMPLES: usize = 2;
/// looked for among so many.
const MOST_TRIED: usize = 50;

/// Lines of one shape of which nobody has said what they say.
#[derive(Debug, Clone)]
pub struct Open {
    /// The line in the dialect of the rule that takes them; none where no rule does.
    pub rule: Option<u32>,
    /// The pattern that takes them.
    pub pattern: String,
    /// Its holes, with their types.
    pub holes: Vec<(String, HoleType)>,
    /// The holes of what opens the blocks around, which they may name, too.
    pub outer: Vec<(String, HoleType)>,
    /// The contexts that they stand in.
    pub contexts: Vec<String>,
    /// The context of the lines inside.
    pub opens: Option<String>,
    /// Where the lines stand.
    pub lines: Vec<At>,
    /// The first two that are unlike, with what seems to be a secret left out.
    pub samples: Vec<String>,
    /// The lines that open the blocks around the first of them, the outermost first.
    pub block: Vec<String>,
    /// What they may mean, the likeliest first.
    pub proposals: Vec<Proposal>,
    /// The key of a rule, `profile` or `uses`, where a hole seems to name a profile.
    pub naming: Option<&'static str>,
    /// Whether the first of these is likely, and well ahead of the next.
    pub is_likely: bool,
    /// The key of a rule that says what they are about, and the hole that names it, where the block around does not say it.
    pub names: Option<(&'static str, String)>,
}

impl Open {
    fn new(rule: &Rule, around: &Around, contexts: Vec<String>, written: Option<u32>) -> Self {
        let context = contexts.first().map_or("top", String::as_str);
        let subject = around.subject(context);
        let words = around.words(context);
        let mut proposals = ranked(rule, &words, subject);
        let is_likely = likely(&proposals).is_some();
        if rule.opens.is_some() {
            // What opens a block may switch on what stands in it; nobody can tell from here.
            let plain = Rule { opens: None, ..rule.clone() };
            let flags =
                ranked(&plain, &words, subject).into_iter().filter(|flag| flag.setting.info().kind == Kind::Flag);
            proposals.extend(flags);
        }
        let names = around.names(rule, context);
        let of_openers = around.chain(context).into_iter().flat_map(|opener| opener.holes.clone());
        let outer =
            of_openers.filter(|(hole, of)| !of.is_secret() && !rule.holes.iter().any(|(own, _)| own == hole)).collect();
        Self {
            rule: written,
            pattern: rule.pattern.clone(),
            holes: rule.holes.clone(),
            outer,
            opens: rule.opens.clone(),
            lines: Vec::new(),
            samples: Vec::new(),
            block: Vec::new(),
            naming: rule.naming(),
            is_likely,
            proposals,
            names,
            contexts,
        }
    }

    /// Its pattern with another type of one hole.
    pub fn retyped(&self, hole: &str, kind: HoleType) -> String {
        let rule = Rule { pattern: self.pattern.clone(), opens: None, holes: self.holes.clone() };
        rule.retyped(hole, kind)
    }
}

/// What is open for these texts, most frequent first; lines inside unread ones wait for what is around them.
pub fn open(dialect: &Dialect, texts: &[Arc<Source>]) -> Vec<Open> {
    let written: BTreeMap<Rule, Seen> = sorted::tree_map(dialect.rules().iter().map(|rule| of_rule(dialect, rule)));
    let mut around = Around::of(&written);
    around.said = sorted::tree_map(dialect.rules().iter().filter_map(|rule| said_about(dialect, rule)));
    let all: Vec<&str> = texts.iter().map(|text| text.text()).collect();
    let guessed = Guessed::beside(dialect, &all);
    let readings: Vec<Reading> = texts.iter().map(|text| dialect.read(text, 1)).collect();
    let mut of_rules: BTreeMap<u32, Vec<At>> = BTreeMap::new();
    let mut not_taken: BTreeMap<(usize, usize), usize> = BTreeMap::new();
    let mut inside: BTreeMap<(usize, usize), u32> = BTreeMap::new();
    for (number, reading) in readings.iter().enumerate() {
        for (unread, at) in reading.unread.iter().zip(&reading.unread_at) {
            let line = (number, unread.mark.offset as usize);
            match at {
                UnreadAt::Open(_, position) => {
                    let Some(statement) = reading.statements.get(*position as usize) else { continue };
                    let at = At { text: number, line: statement.mark.line(), words: statement.words() };
                    of_rules.entry(statement.rule).or_default().push(at);
                    inside.extend(statement.parent().map(|parent| ((number, at.words.start), parent)));
                }
                UnreadAt::Context(context, parent) => {
                    not_taken.insert(line, *context);
                    inside.extend(parent.map(|parent| (line, parent)));
                }
                UnreadAt::Statement(_) | UnreadAt::Unread(_) => {}
            }
        }
    }
    let mut open: Vec<Open> = Vec::new();
    for (position, lines) in of_rules {
        let Some(rule) = dialect.rules().get(position as usize) else { continue };
        let (of_dialect, seen) = of_rule(dialect, rule);
        open.push(Open { lines, ..Open::new(&of_dialect, &around, seen.contexts, Some(rule.line)) });
    }
    let mut places: Vec<Stands> = Vec::new();
    let told = told(&all, &guessed, |stands| places.push(stands));
    for (context, tree) in unread(dialect, told.iter().zip(&places), &not_taken) {
        for (rule, lines) in tree.rules(texts.len()) {
            let lines = lines.into_iter().filter_map(|line| places.get(line as usize)).map(|place| place.at).collect();
            open.push(Open { lines, ..Open::new(&rule, &around, vec![context.clone()], None) });
        }
    }
    for open in &mut open {
        let text_of = |text: usize, words: Word| {
            let source = texts.get(text)?;
            let hidden = readings.get(text).map(|reading| &reading.secrets[..]).unwrap_or_default();
            Some(shown(source, words, hidden, &guessed))
        };
        for line in open.lines.iter().take(MOST_TRIED).filter_map(|at| text_of(at.text, at.words)) {
            if !open.samples.contains(&line) {
                open.samples.push(line);
            }
            if open.samples.len() == SAMPLES {
                break;
            }
        }
        let Some(first) = open.lines.first() else { continue };
        let mut next = inside.get(&(first.text, first.words.start)).copied();
        while let Some(statement) = next.and_then(|at| readings.get(first.text)?.statements.get(at as usize)) {
            open.block.extend(text_of(first.text, statement.words()));
            next = statement.parent();
        }
        open.block.reverse();
    }
    sorted::by_key(&mut open, |open| std::cmp::Reverse(open.lines.len()));
    open
}

/// A statement for people: secrets that the dialect knows left out, and what seems to be one.
fn shown(source: &Source, words: Word, secrets: &[Word], guessed: &Guessed) -> String {
    let mut masked = words.of(source.text()).to_owned();
    let inside = secrets.iter().filter(|secret| secret.start >= words.start && secret.end <= words.end);
    for secret in inside.rev() {
        masked.replace_range(secret.start - words.start..secret.end - words.start, "<secret>");
    }
    let one: Vec<&str> = masked.lines().map(str::trim).collect();
    lines::shown(&one.join(" "), guessed)
}

/// What a rule says that the lines inside it are about.
fn said_about<'d>(dialect: &'d Dialect, rule: &crate::dialect::Rule) -> Option<(&'d str, Subject)> {
    use crate::dialect::{Reach, Subject as S};
    let context = dialect.contexts().get(rule.opens?)?;
    let about = match rule.subject.as_ref()? {
        S::Ports(_) | S::Profile(_) => Subject::Port,
        S::Vlan(_) | S::Reach(Reach::AllVlans) => Subject::Vlan,
        S::Reach(_) => Subject::Port,
        S::Mirror(_) => Subject::Unknown,
    };
    Some((context, about))
}

/// A rule of a dialect as sketches have them.
fn of_rule(dialect: &Dialect, rule: &crate::dialect::Rule) -> (Rule, Seen) {
    let context = |position: &usize| dialect.contexts().get(*position).cloned();
    let holes = rule.pattern.holes.iter();
    let holes = holes.map(|hole| (hole.name.clone(), hole.kind.typed().unwrap_or(HoleType::Word))).collect();
    let opens = rule.opens.as_ref().and_then(context);
    let seen = Seen { contexts: rule.contexts.iter().filter_map(context).collect(), counts: BTreeMap::new() };
    (Rule { pattern: rule.pattern.text.to_string(), opens, holes }, seen)
}

/// The lines that no rule takes, as words with types, by context.
fn unread<'t>(
    dialect: &Dialect,
    told: impl Iterator<Item = ((&'t Told, &'t Saying), &'t Stands)>,
    not_taken: &BTreeMap<(usize, usize), usize>,
) -> BTreeMap<String, Tree> {
    let known: sorted::Set<&str> = sorted::set(dialect.contexts().iter().map(String::as_str));
    let mut by_context: BTreeMap<String, Tree> = BTreeMap::new();
    for (number, ((line, says), stands)) in (0..).zip(told) {
        let mut begins = stands.begins.iter().filter_map(|begin| usize::try_from(*begin).ok());
        let place = begins.find_map(|begin| not_taken.get(&(line.text as usize, begin)));
        let Some(context) = place.and_then(|context| dialect.contexts().get(*context)) else { continue };
        // A context of that name is about something else.
        let fresh = |name: &Arc<str>| {
            if known.contains(&**name) { format!("{name}-block").into() } else { Arc::clone(name) }
        };
        let opens = says.opens.as_ref().map(fresh);
        by_context.entry(context.clone()).or_default().add(number, line.text, &says.words, opens.as_ref());
    }
    by_context
}
