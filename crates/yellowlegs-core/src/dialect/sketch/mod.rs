//! A starting dialect from texts of an unknown system: its structure, its words, its lines by frequency with guessed
//! types. It loads as it is and knows every line it was shown; what lines mean is left to fill in.

mod layout;
mod lines;
mod open;
mod propose;
mod tables;
mod texts;
mod tree;

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::sync::Arc;

use super::{Dialect, HoleType, Reading};
use crate::sorted;
use crate::source::{Problem, Source, quoted};
use layout::Guessed;
pub use lines::At;
use lines::{Lines, Saying, Told, told};
pub use open::{Open, open};
pub use propose::Proposal;
use propose::{Subject, likely, literals, ranked};
use tree::Tree;

/// The hole for a name behind a number.
const NAME: &str = "name";
/// The hole that names a profile.
const PROFILE: &str = "profile";

/// A rule of a sketch.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
struct Rule {
    pattern: String,
    opens: Option<String>,
    /// The types of its holes, with their names.
    holes: Vec<(String, HoleType)>,
}

impl Rule {
    /// Of a rule that names a profile, the key that says so: it opens its block, or its ports use it.
    fn naming(&self) -> Option<&'static str> {
        let names = self.holes.iter().any(|hole| *hole == (PROFILE.to_owned(), HoleType::Word));
        names.then_some(if self.opens.is_some() { "profile" } else { "uses" })
    }

    /// Its pattern with another type of one hole.
    fn retyped(&self, hole: &str, kind: HoleType) -> String {
        let old = self.holes.iter().find(|(name, _)| name == hole).map_or("", |(_, kind)| kind.name());
        self.pattern.replace(&format!("<{hole}:{old}>"), &format!("<{hole}:{}>", kind.name()))
    }
}

/// How sure it is that a block which other lines name is a profile.
const NAMED: &str = "0.8";

/// How often a rule was seen, and in which contexts.
#[derive(Debug, Clone, Default)]
struct Seen {
    contexts: Vec<String>,
    /// By context.
    counts: BTreeMap<String, usize>,
}

impl Seen {
    /// Notes that so many lines were seen in a context.
    fn add(&mut self, context: &str, count: usize) {
        *self.counts.entry(context.to_owned()).or_default() += count;
        if !self.contexts.iter().any(|known| known == context) {
            self.contexts.push(context.to_owned());
        }
    }

    fn count(&self) -> usize {
        self.contexts.iter().filter_map(|context| self.counts.get(context)).sum()
    }
}

/// Writes a dialect for texts of one system, and for what its switches tell of themselves; `None` when they hold no line.
pub fn sketch_with_state(name: &str, texts: &[&str], state: &[&str]) -> Option<String> {
    let guessed = Guessed::of(texts);
    let written = sketch_as(name, texts, &guessed)?;
    let whole = format!("{written}{}", tables::tables(state, &guessed));
    // Proposals are comments; a section beside them has to be read.
    Dialect::load(&Arc::new(Source::of("sketch", whole.as_str()))).map_or(Some(written), |_| Some(whole))
}

/// Writes a dialect for texts of one system; `None` when they hold no line.
pub fn sketch(name: &str, texts: &[&str]) -> Option<String> {
    sketch_as(name, texts, &Guessed::of(texts))
}

/// Writes it for texts of this structure.
fn sketch_as(name: &str, texts: &[&str], guessed: &Guessed) -> Option<String> {
    let told = told(texts, guessed, |_| ());
    if told.len() == 0 {
        return None;
    }
    // Negated lines speak of what stands elsewhere without the word; only what does not is told by them.
    let mut rules = rules(told.iter().filter(|(_, says)| !says.negated), texts.len());
    prune(&mut rules);
    let first = write(name, guessed, &rules, &told, texts.len());
    if let Ok(dialect) = loaded(&first) {
        let lines = unread_lines(&dialect, texts);
        let needed = |(t, says): &(&Told, &Saying)| !says.negated || lines.contains(&(t.text as usize, t.line));
        rules = self::rules(told.iter().filter(needed), texts.len());
    }
    // What does not go together is told by the loader; what is not known yet, by reading.
    for _ in 0..60 {
        prune(&mut rules);
        let written = write(name, guessed, &rules, &told, texts.len());
        let dialect = match loaded(&written) {
            Ok(dialect) => dialect,
            Err(problems) => {
                let lines: Vec<u32> = problems.iter().map(|p| p.place.line).collect();
                if !drop_rules(&mut rules, &written, &lines) {
                    return Some(written);
                }
                continue;
            }
        };
        if !add_unread(&mut rules, &dialect, texts, &told) {
            return Some(written);
        }
    }
    Some(write(name, guessed, &rules, &told, texts.len()))
}

/// A sketch that is asked which lines none of its rules takes. What its rules mean is open: a line that came before would else be looked up
/// and told each time, for nobody.
fn loaded(written: &str) -> Result<Dialect, Vec<Problem>> {
    let mut dialect = Dialect::load(&Arc::new(Source::of("sketch", written)))?;
    dialect.rules.iter_mut().for_each(|rule| rule.is_open = false);
    Ok(dialect)
}

/// The lines that a sketch does not take: text and line number.
fn unread_lines(dialect: &Dialect, texts: &[&str]) -> sorted::Set<(usize, u32)> {
    let of_text = |(number, text): (usize, &&str)| {
        let reading = dialect.read(&Source::of("text", *text), 1);
        reading.not_taken().map(|(u, _)| (number, u.mark.line())).collect::<Vec<_>>()
    };
    sorted::set(texts.iter().enumerate().flat_map(of_text))
}

/// The rules that the lines of each context come to.
fn rules<'t>(told: impl Iterator<Item = (&'t Told, &'t Saying)>, texts: usize) -> BTreeMap<Rule, Seen> {
    let mut trees: BTreeMap<&str, Tree> = BTreeMap::new();
    // Where they stand is not asked here.
    for (line, says) in told {
        trees.entry(&says.context).or_default().add(line.line, line.text, &says.words, says.opens.as_ref());
    }
    let mut rules: BTreeMap<Rule, Seen> = BTreeMap::new();
    for (context, tree) in trees {
        for (rule, lines) in tree.rules(texts) {
            rules.entry(rule).or_default().add(context, lines.len());
        }
    }
    rules
}

/// Takes out the rules in these lines of a written sketch.
fn drop_rules(rules: &mut BTreeMap<Rule, Seen>, written: &str, lines: &[u32]) -> bool {
    let before = rules.len();
    for line in lines {
        let text = written.lines().nth((*line as usize).saturating_sub(1)).unwrap_or_default();
        let Some(pattern) = text.strip_prefix("pattern = ").map(unquoted) else { continue };
        rules.retain(|rule, _| rule.pattern != pattern);
    }
    rules.len() < before
}

fn unquoted(text: &str) -> String {
    text.trim().trim_matches('"').replace("\\\"", "\"").replace("\\\\", "\\")
}

/// The last resort: lines that nothing takes are known by their first words and the rest.
fn add_unread(rules: &mut BTreeMap<Rule, Seen>, dialect: &Dialect, texts: &[&str], told: &Lines) -> bool {
    let opens: sorted::Map<(usize, u32), &Arc<str>> =
        sorted::map(told.iter().filter_map(|(t, says)| Some(((t.text as usize, t.line), says.opens.as_ref()?))));
    let mut added = false;
    for (number, text) in texts.iter().enumerate() {
        let reading = dialect.read(&Source::of("text", *text), 1);
        for (unread, at) in reading.not_taken() {
            let Some(context) = at.context().and_then(|c| dialect.contexts().get(c)) else {
                added |= open_around(rules, dialect, &reading, told, (number, unread.mark.line()));
                continue;
            };
            let (start, width) = (unread.mark.offset as usize, unread.mark.width as usize);
            let mut words = Vec::new();
            dialect.layout().splitter.split(text.get(start..start + width).unwrap_or_default(), start, &mut words);
            let first = words.first().map_or("", |w| w.of(text));
            let first = lines::literal(first);
            // A statement may go on in the next line: where its first word is known already, more follows.
            let more = words.len() > 1 || rules.keys().any(|rule| rule.pattern == first);
            let pattern = if more { format!("{first} <rest:rest>") } else { first };
            let holes = if more { vec![("rest".to_owned(), HoleType::Rest)] } else { Vec::new() };
            let inside = opens.get(&(number, unread.mark.line())).map(ToString::to_string);
            // One pattern opens one context: what was there without one gets it.
            let there = rules.keys().find(|r| r.pattern == pattern).cloned();
            let opened = there.as_ref().and_then(|r| r.opens.clone()).or(inside);
            let mut seen = there.as_ref().and_then(|r| rules.remove(r)).unwrap_or_default();
            let grown = there.is_none_or(|r| r.opens != opened) || !seen.contexts.contains(context);
            seen.add(context, 1);
            rules.insert(Rule { pattern, opens: opened, holes }, seen);
            added |= grown;
        }
    }
    added
}

/// Lets the rule that took the line around an unread one open a context.
fn open_around(
    rules: &mut BTreeMap<Rule, Seen>,
    dialect: &Dialect,
    reading: &Reading,
    told: &Lines,
    (text, line): (usize, u32),
) -> bool {
    let is_here = |(t, _): &(&Told, &Saying)| t.text as usize == text && t.line == line;
    let Some((_, inner)) = told.iter().find(is_here) else { return false };
    // The last before it that opens what it stands in.
    let before = told
        .iter()
        .take_while(|one| !is_here(one))
        .filter(|(t, says)| t.text as usize == text && says.opens.as_ref() == Some(&inner.context));
    let Some((opener, _)) = before.last() else { return false };
    let statement = reading.statements.iter().find(|s| s.mark.line() == opener.line);
    let rule = statement.and_then(|s| dialect.rules().get(s.rule as usize));
    let Some(pattern) = rule.map(|rule| rule.pattern.text.to_string()) else { return false };
    let Some(there) = rules.keys().find(|r| r.pattern == pattern && r.opens.is_none()).cloned() else { return false };
    let Some(seen) = rules.remove(&there) else { return false };
    rules.insert(Rule { opens: Some(inner.context.to_string()), ..there }, seen);
    true
}

fn list(items: &[String]) -> String {
    let items: Vec<String> = items.iter().map(|i| quoted(i)).collect();
    if let [one] = &items[..] { one.clone() } else { format!("[{}]", items.join(", ")) }
}

fn write(name: &str, guessed: &Guessed, rules: &BTreeMap<Rule, Seen>, told: &Lines, texts: usize) -> String {
    let mut out = String::new();
    let _ = writeln!(
        out,
        "# A sketch, made from {texts} text(s) with {} lines. It reads them; what the lines mean is to be filled in:\n\
         # `yellowlegs dialect settings` lists what a rule can set, docs/dialects.md shows how. Lines of rules that are\n\
         # about \"open\" count as not understood: put `sets` there instead, or `about = \"nothing\"`. Where the words of the trade\n\
         # say what a line may mean it is proposed, with how sure that is (0 to 1): look, and take it by removing the sign.\n\n\
         [dialect]\nname = {}\n",
        told.len(),
        quoted(name)
    );
    guessed.write(&mut out);
    // A line near the beginning of every text tells the system; lines without holes could stand anywhere.
    let begins = recognised(guessed, rules, told, texts);
    let _ =
        writeln!(out, "[recognise]\nlines = [{}]\n", begins.iter().map(|p| quoted(p)).collect::<Vec<_>>().join(", "));
    let _ = writeln!(
        out,
        "# What holds where the text is silent, and what is law on the platform:\n[defaults]\n\n[traits]\n"
    );
    let around = Around::of(rules);
    let mut order: Vec<(&Rule, Seen)> = rules
        .iter()
        .flat_map(|(rule, seen)| alike(rule, seen, &around).into_iter().map(move |seen| (rule, seen)))
        .collect();
    sorted::by_key(&mut order, |(rule, seen)| {
        let top = seen.contexts.iter().any(|c| c == "top");
        (!top, seen.contexts.clone(), std::cmp::Reverse(seen.count()), rule.pattern.clone())
    });
    for (rule, seen) in order {
        let seen = &seen;
        let _ = writeln!(out, "# {} line(s)\n[[rule]]", seen.count());
        if seen.contexts.iter().any(|c| c != "top") {
            let _ = writeln!(out, "in = {}", list(&seen.contexts));
        }
        let _ = writeln!(out, "pattern = {}", quoted(&rule.pattern));
        if guessed.layout.negation.is_some() {
            out.push_str("negation = \"default\"\n");
        }
        let mut is_settled = rule.holes.iter().any(|(_, kind)| *kind == HoleType::Secret);
        if let Some(opens) = &rule.opens {
            let _ = writeln!(out, "opens = {}", quoted(opens));
            // A context is about one kind of thing: only where all that open it name such a one.
            let all_name = |kinds: &[HoleType]| {
                rules.keys().filter(|r| r.opens.as_ref() == Some(opens)).all(|r| named(r, kinds).is_some())
            };
            let subject =
                SUBJECTS.iter().find_map(|(key, kinds)| Some((key, named(rule, kinds).filter(|_| all_name(kinds))?)));
            if let Some((key, hole)) = subject {
                let _ = writeln!(out, "{key} = \"<{hole}>\"");
                is_settled = true;
                // The name behind its number is no guess.
                if *key == "vlan" && rule.holes.iter().any(|(name, _)| name == NAME) {
                    let _ = writeln!(out, "sets = {{ \"vlan.name\" = \"<{NAME}>\" }}");
                }
            }
        }
        if !is_settled {
            out.push_str("about = \"open\"\n");
        }
        let _ = writeln!(out, "{}\n", meaning(rule, seen, &around));
    }
    out
}

/// The contexts in which a rule may mean the same: those where one meaning is likely together, others each by the words that open them.
fn alike(rule: &Rule, seen: &Seen, around: &Around) -> Vec<Seen> {
    let mut groups: BTreeMap<(Option<&'static str>, BTreeSet<String>), Seen> = BTreeMap::new();
    for context in &seen.contexts {
        let words = around.words(context);
        let ranked = ranked(rule, &words, around.subject(context));
        let means = rule.naming().or_else(|| likely(&ranked).map(|proposal| proposal.setting.name()));
        let key = (means, if means.is_some() { BTreeSet::new() } else { words });
        groups.entry(key).or_default().add(context, seen.counts.get(context).copied().unwrap_or_default());
    }
    groups.into_values().collect()
}

/// What a rule may set, as comments: a meaning that is likely, or holes to be filled in.
fn meaning(rule: &Rule, seen: &Seen, around: &Around) -> String {
    if let Some(key) = rule.naming() {
        return format!("# {key} = \"<{PROFILE}>\"  # likely {NAMED}: blocks of that name are named by other lines");
    }
    let context = seen.contexts.first().map_or("top", String::as_str);
    let ranked = ranked(rule, &around.words(context), around.subject(context));
    let Some(proposal) = likely(&ranked) else {
        let holes: Vec<String> = rule.holes.iter().map(|(name, _)| format!("\"…\" = \"<{name}>\"")).collect();
        return format!("# sets = {{ {} }}", if holes.is_empty() { "\"…\" = true".into() } else { holes.join(", ") });
    };
    let mut lines = String::new();
    if let Some((name, kind)) = &proposal.retyped {
        let _ = writeln!(lines, "# pattern = {}", quoted(&rule.retyped(name, *kind)));
    }
    if let Some((key, hole)) = around.names(rule, context) {
        let _ = writeln!(lines, "# {key} = \"<{hole}>\"");
    }
    let next = ranked.get(1).map(|next| format!("; else {} {}", next.setting.name(), next.sure())).unwrap_or_default();
    let (setting, operand) = (proposal.setting.name(), &proposal.operand);
    let _ = write!(lines, "# sets = {{ \"{setting}\" = {operand} }}  # likely {}{next}", proposal.sure());
    lines
}

/// What the contexts of a sketch are about, and the words that open them.
struct Around<'r> {
    openers: BTreeMap<&'r str, Vec<(&'r Rule, &'r Seen)>>,
    /// What a dialect says that contexts are about.
    said: BTreeMap<&'r str, Subject>,
}

impl<'r> Around<'r> {
    fn of(rules: &'r BTreeMap<Rule, Seen>) -> Self {
        let mut openers: BTreeMap<&str, Vec<(&Rule, &Seen)>> = BTreeMap::new();
        for (rule, seen) in rules {
            if let Some(opens) = &rule.opens {
                openers.entry(opens).or_default().push((rule, seen));
            }
        }
        Self { openers, said: BTreeMap::new() }
    }

    /// The openers of a context, then those of the contexts these stand in.
    fn chain(&self, context: &str) -> Vec<&'r Rule> {
        let (mut found, mut left, mut passed) = (Vec::new(), vec![context], BTreeSet::new());
        while let Some(context) = left.pop() {
            if !passed.insert(context) {
                continue;
            }
            for (rule, seen) in self.openers.get(context).into_iter().flatten() {
                found.push(*rule);
                left.extend(seen.contexts.iter().map(String::as_str));
            }
        }
        found
    }

    fn words(&self, context: &str) -> BTreeSet<String> {
        sorted::tree_set(self.chain(context).into_iter().flat_map(|rule| literals(&rule.pattern)))
    }

    /// The key that says what a rule is about, and the hole that names it, where the block around does not say it.
    fn names(&self, rule: &Rule, context: &str) -> Option<(&'static str, String)> {
        let is_named = matches!(self.subject(context), Subject::Port | Subject::Vlan);
        let names = SUBJECTS.iter().find_map(|(key, kinds)| Some((*key, named(rule, kinds)?.to_owned())));
        names.filter(|_| !is_named)
    }

    fn subject(&self, context: &str) -> Subject {
        if let Some(said) = self.said.get(context) {
            return *said;
        }
        let of = |rule: &Rule| match (named(rule, SUBJECTS[0].1), named(rule, SUBJECTS[1].1)) {
            (Some(_), _) => Some(Subject::Port),
            // What a profile has its ports have.
            (None, None) if rule.naming().is_some() => Some(Subject::Port),
            (None, Some(_)) => Some(Subject::Vlan),
            (None, None) if rule.holes.is_empty() => None,
            (None, None) => Some(Subject::Unknown),
        };
        self.chain(context).into_iter().find_map(of).unwrap_or(Subject::Switch)
    }
}

/// What a context can be about, and the types of the holes that name it.
const SUBJECTS: [(&str, &[HoleType]); 2] =
    [("ports", &[HoleType::Port, HoleType::Ports]), ("vlan", &[HoleType::Vlan, HoleType::Vlans])];

/// The first hole of a rule that is of one of these types.
fn named<'r>(rule: &'r Rule, kinds: &[HoleType]) -> Option<&'r str> {
    rule.holes.iter().find(|(_, kind)| kinds.contains(kind)).map(|(name, _)| name.as_str())
}

/// Takes out contexts that nothing opens from the top, and rules that stand in no other.
fn prune(rules: &mut BTreeMap<Rule, Seen>) {
    let mut reached: BTreeSet<String> = ["top".to_owned()].into();
    loop {
        let here = rules.iter().filter(|(_, seen)| seen.contexts.iter().any(|c| reached.contains(c)));
        let more: Vec<String> = here.filter_map(|(r, _)| r.opens.clone()).filter(|o| !reached.contains(o)).collect();
        if more.is_empty() {
            break;
        }
        reached.extend(more);
    }
    rules.retain(|_, seen| {
        seen.contexts.retain(|c| reached.contains(c));
        !seen.contexts.is_empty()
    });
}

/// So many lines of a text are near its beginning, comments apart.
const BEGINNING: usize = 12;

/// A pattern that each text has near its beginning: of those at the top, the one that stands first.
fn recognised(guessed: &Guessed, rules: &BTreeMap<Rule, Seen>, told: &Lines, texts: usize) -> Vec<String> {
    let of_texts = told.of_texts();
    let near = of_texts.flat_map(|lines| (0..BEGINNING).zip(lines)).filter(|(_, (_, says))| &*says.context == "top");
    let mut first: Vec<(usize, (&Told, &Saying))> = near.collect();
    sorted::by_key(&mut first, |(position, _)| *position);
    let words = |says: &Saying| says.words.iter().find_map(|w| w.literal().map(str::to_owned));
    let common = first.iter().filter_map(|(_, (_, says))| words(says)).find(|word| {
        let with_it = first.iter().filter(|(_, (_, says))| words(says).as_ref() == Some(word));
        let having = sorted::set(with_it.map(|(_, (t, _))| t.text));
        having.len() == texts
    });
    let Some(word) = common else { return Vec::new() };
    let fits = |rule: &&Rule| rule.pattern.split(' ').next() == Some(&lines::literal(&word));
    let front = guessed.layout.verb.as_ref().map(|v| format!("{} ", lines::literal(v))).unwrap_or_default();
    let pattern = rules.keys().find(fits).map(|r| {
        // The last word of a line without holes is the switch's own: a name.
        match r.pattern.rsplit_once(' ') {
            Some((words, last)) if r.holes.is_empty() && !last.starts_with('\'') => {
                format!("{front}{words} <name:word>")
            }
            _ => format!("{front}{}", r.pattern),
        }
    });
    pattern.into_iter().collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const SAID: &[&str] = &[
        "port 1",
        "port 2",
        "lane 7",
        "no lane 7",
        "limit 3 then drop",
        "note a b",
        "key 0 abc",
        "lane",
        "[x]",
        "{",
        "a \\",
        "# z",
    ];

    fn text() -> impl Strategy<Value = String> {
        let line = (0_usize..3, prop::sample::select(SAID));
        let line = line.prop_map(|(deep, said)| format!("{}{said}\n", " ".repeat(deep)));
        prop::collection::vec(line, 1..14).prop_map(|lines| lines.concat())
    }

    proptest! {
        /// Which lines no rule of a sketch takes is the same as where what its rules mean is open, of what it was made from and of what it was not.
        #[test]
        fn no_other_line_is_left(shown in text(), other in text()) {
            let Some(written) = sketch("new", &[&shown]) else { return Ok(()) };
            let Ok(plain) = Dialect::load(&Arc::new(Source::of("sketch", written.as_str()))) else { return Ok(()) };
            let quick = loaded(&written).unwrap();
            let texts = [shown.as_str(), other.as_str(), shown.as_str()];
            prop_assert_eq!(unread_lines(&quick, &texts), unread_lines(&plain, &texts));
            for text in texts {
                let statements = |dialect: &Dialect| {
                    let reading = dialect.read(&Source::of("text", text), 1);
                    reading.statements.iter().map(|s| (s.rule, s.mark.line(), s.negated)).collect::<Vec<_>>()
                };
                prop_assert_eq!(statements(&quick), statements(&plain));
            }
        }
    }
}
