//! From a dialect's TOML to the compiled dialect: every problem is gathered, with its place.

use std::sync::Arc;

use rustc_hash::FxHashSet;

use super::automaton::{Automaton, BuildError};
use super::pattern::{Pattern, PatternError, Step};
use super::rule::Rule;
use super::{Dialect, DialectProblem, Lists, rules};
use crate::model::{Kind, Mark, Origin, SettingId, Slot, TraitId, TraitSlot, Traits, Value, settings};
use crate::source::{Item, Problem, Source, Spot, TableReader, TomlDoc};
use crate::syntax::Splitter;

/// How lines are taken apart.
pub(super) struct Text {
    pub(super) splitter: Splitter,
    pub(super) comments: Vec<String>,
    pub(super) ignore_case: bool,
    pub(super) negation: Option<String>,
}

pub(super) fn load(source: Arc<Source>) -> Result<Dialect, Vec<Problem>> {
    let doc = TomlDoc::parse(&source);
    let parts = read(&doc);
    let problems = doc.into_problems();
    match parts {
        Some(parts) if problems.is_empty() => Ok(parts.into_dialect(source)),
        _ => Err(problems),
    }
}

struct Parts {
    name: String,
    title: String,
    text: Text,
    lists: Lists,
    recognise: Automaton,
    recognise_lines: usize,
    defaults: Vec<Option<Slot>>,
    traits: Traits,
    rules: Vec<Rule>,
    automaton: Automaton,
}

impl Parts {
    fn into_dialect(self, source: Arc<Source>) -> Dialect {
        let mut set_by_rules = vec![false; settings::ALL.len()];
        let mut vocabulary: FxHashSet<Box<str>> = FxHashSet::default();
        for rule in &self.rules {
            rule.effects.iter().for_each(|e| set_by_rules[e.setting.index()] = true);
            for step in rule.pattern.sequences.iter().flatten() {
                if let Step::Literal(word) | Step::Choice(_, _, word) = step {
                    vocabulary.insert(word.as_str().into());
                }
            }
        }
        vocabulary.extend(self.text.negation.as_deref().map(Into::into));
        let mut defaults = self.defaults;
        for id in SettingId::all() {
            // Text that can hold a list or a note and is silent holds none. VLANs of a trunk are the trait's.
            let empty = match id.info().kind {
                Kind::Text => Some(Value::Text("".into())),
                kind if kind.is_list() && id != settings::TAGGED_VLANS.id => kind.off(),
                _ => None,
            };
            let slot = &mut defaults[id.index()];
            if slot.is_none() && set_by_rules[id.index()] && empty.is_some() {
                *slot = Some(Slot { value: empty, origin: Origin::Default, mark: None, contested: false });
            }
        }
        Dialect {
            name: self.name.into(),
            title: self.title,
            source,
            splitter: self.text.splitter,
            comments: self.text.comments,
            lists: self.lists,
            automaton: self.automaton,
            rules: self.rules,
            recognise: self.recognise,
            recognise_lines: self.recognise_lines,
            defaults,
            set_by_rules,
            traits: Arc::new(self.traits),
            vocabulary,
        }
    }
}

fn read(doc: &TomlDoc<'_>) -> Option<Parts> {
    let root = doc.root();
    let head = root.table("dialect");
    let name = head.as_ref().and_then(|t| t.required_text("name"));
    let title = head.as_ref().and_then(|t| t.text("title"));
    if head.is_none() {
        root.required_text("dialect");
    }
    let text = read_text(root.table("text").as_ref());
    let lists = read_lists(doc, root.table("ports"), root.table("lists"), text.ignore_case);
    let (recognise, recognise_lines) = read_recognise(doc, root.table("recognise"), &text);
    let defaults = read_defaults(doc, root.table("defaults").as_ref());
    let traits = read_traits(doc, root.table("traits").as_ref());
    let tables = root.tables("rule");
    root.finish();
    if let Some(head) = head {
        head.finish();
    }
    let no_rules = tables.is_empty();
    let (rules, contexts) = rules::read(doc, tables, &text);
    if no_rules {
        doc.report(&Spot::default(), DialectProblem::NoRules);
    }
    let lists = lists?;
    let automaton = compile(doc, &rules, contexts, &text, &lists);
    let name = name?.value.to_owned();
    Some(Parts {
        title: title.map_or_else(|| name.clone(), |t| t.value.to_owned()),
        name,
        text,
        lists,
        recognise,
        recognise_lines,
        defaults,
        traits,
        rules: rules.into_iter().map(|r| r.rule).collect(),
        automaton,
    })
}

fn read_text(table: Option<&TableReader<'_>>) -> Text {
    let Some(table) = table else {
        return Text { splitter: Splitter::new(""), comments: Vec::new(), ignore_case: false, negation: None };
    };
    one_of(table, "structure", &["indent"]);
    let ignore_case = one_of(table, "case", &["exact", "ignore"]) == Some(1);
    let text = Text {
        splitter: Splitter::new(table.text("split").map_or("", |i| i.value)),
        comments: table.texts("comment").unwrap_or_default().into_iter().map(|i| i.value.to_owned()).collect(),
        ignore_case,
        negation: table.text("negation").map(|i| i.value.to_owned()).filter(|w| !w.is_empty()),
    };
    table.finish();
    text
}

/// A key that is one of a few words: the position of the word.
pub(super) fn one_of(table: &TableReader<'_>, key: &'static str, words: &[&str]) -> Option<usize> {
    let item = table.text(key)?;
    let position = words.iter().position(|w| *w == item.value);
    if position.is_none() {
        let words = words.iter().map(|w| (*w).to_owned()).collect();
        table.doc().report(&item.spot, DialectProblem::Word { key, found: item.value.to_owned(), words });
    }
    position
}

fn read_lists(
    doc: &TomlDoc<'_>,
    ports: Option<TableReader<'_>>,
    lists: Option<TableReader<'_>>,
    ignore_case: bool,
) -> Option<Lists> {
    let names = ports.as_ref().and_then(|t| t.texts("names")).unwrap_or_default();
    if let Some(table) = ports {
        table.finish();
    }
    let signs = |key| {
        let items = lists.as_ref().and_then(|t| t.texts(key))?;
        Some(items.into_iter().map(|i| i.value.to_owned()).filter(|s| !s.is_empty()).collect::<Vec<_>>())
    };
    let ranges = signs("range").unwrap_or_else(|| vec!["-".into()]);
    let items = signs("item").unwrap_or_else(|| vec![",".into()]);
    if let Some(table) = lists {
        table.finish();
    }
    let forms: Vec<&str> = names.iter().map(|i| i.value).collect();
    match Lists::new(&forms, ranges, items, ignore_case) {
        Ok(lists) => Some(lists),
        Err((which, problem)) => {
            let spot = names.get(which).map(|i| i.spot.clone()).unwrap_or_default();
            doc.report(&spot, DialectProblem::Form(problem));
            None
        }
    }
}

fn read_recognise(doc: &TomlDoc<'_>, table: Option<TableReader<'_>>, text: &Text) -> (Automaton, usize) {
    let mut automaton = Automaton::new(1, text.ignore_case);
    let Some(table) = table else { return (automaton, 0) };
    let lines = table.texts("lines").unwrap_or_default();
    for (number, item) in lines.iter().enumerate() {
        let Some(pattern) = parse_pattern(doc, item, text) else { continue };
        for sequence in &pattern.sequences {
            let added = automaton.add(0, &pattern, sequence, number as u32, false);
            report_build(doc, added, |_| (item.spot.clone(), 0));
        }
    }
    let count = lines.len();
    table.finish();
    (automaton, count)
}

pub(super) fn parse_pattern(doc: &TomlDoc<'_>, item: &Item<&str>, text: &Text) -> Option<Pattern> {
    match Pattern::parse(item.value, &text.splitter, text.ignore_case) {
        Ok(pattern) => Some(pattern),
        Err((offset, problem)) => {
            report_pattern(doc, &item.spot, (offset, problem));
            None
        }
    }
}

fn report_pattern(doc: &TomlDoc<'_>, spot: &Spot, (offset, problem): PatternError) {
    doc.report_inside(spot, offset, DialectProblem::Pattern(problem));
}

fn report_build(doc: &TomlDoc<'_>, added: Result<(), BuildError>, place: impl Fn(u32) -> (Spot, u32)) {
    match added {
        Ok(()) => {}
        Err(BuildError::TooLarge) => doc.report(&Spot::default(), DialectProblem::TooLarge),
        Err(BuildError::Clash(clash)) => {
            let ((_, other), (spot, _)) = (place(clash.first), place(clash.second));
            doc.report(&spot, DialectProblem::Clash { other });
        }
    }
}

fn read_defaults(doc: &TomlDoc<'_>, table: Option<&TableReader<'_>>) -> Vec<Option<Slot>> {
    let mut defaults = vec![None; settings::ALL.len()];
    let Some(table) = table else { return defaults };
    for entry in table.entries().into_values() {
        let Some(id) = known_setting(doc, &entry.key) else { continue };
        if id == settings::TAGGED_VLANS.id {
            doc.report(&entry.key.spot, DialectProblem::TaggedDefault);
            continue;
        }
        if let Some(value) = rules::constant(doc, id, &entry) {
            let mark = Some(mark_of(doc, &entry.key.spot, &entry.spot()));
            defaults[id.index()] = Some(Slot { value: Some(value), origin: Origin::Default, mark, contested: false });
        }
    }
    defaults
}

pub(super) fn known_setting(doc: &TomlDoc<'_>, key: &Item<&str>) -> Option<SettingId> {
    let id = SettingId::by_name(key.value);
    if id.is_none() {
        doc.report(&key.spot, DialectProblem::UnknownSetting { found: key.value.to_owned() });
    }
    id
}

/// A mark in the dialect itself, which is the first file of every switch it reads.
fn mark_of(doc: &TomlDoc<'_>, from: &Spot, to: &Spot) -> Mark {
    let line = doc.place(from).line;
    Mark { file: 0, line, offset: from.0.start as u32, width: to.0.end.saturating_sub(from.0.start) as u32 }
}

fn read_traits(doc: &TomlDoc<'_>, table: Option<&TableReader<'_>>) -> Traits {
    let mut traits = Traits::default();
    let Some(table) = table else { return traits };
    for entry in table.entries().into_values() {
        let Some(id) = TraitId::by_name(entry.key.value) else {
            doc.report(&entry.key.spot, DialectProblem::UnknownTrait { found: entry.key.value.to_owned() });
            continue;
        };
        let info = id.info();
        let words = match (entry.texts(), info.many) {
            (Some(words), true) => words,
            _ => match entry.scalar() {
                Some(crate::source::Scalar::Text(word)) => vec![word],
                Some(_) => vec![""],
                None => continue,
            },
        };
        let mut bits = 0;
        for word in words {
            if let Some(position) = info.words.iter().position(|w| *w == word) {
                bits |= 1 << position;
            } else {
                let problem = DialectProblem::TraitWord { name: info.name, found: word.into(), words: info.words };
                doc.report(&entry.spot(), problem);
            }
        }
        let mark = Some(mark_of(doc, &entry.key.spot, &entry.spot()));
        traits.set(id, TraitSlot { bits, mark });
    }
    traits
}

fn compile(doc: &TomlDoc<'_>, rules: &[rules::Placed], contexts: usize, text: &Text, lists: &Lists) -> Automaton {
    let mut automaton = Automaton::new(contexts, text.ignore_case);
    let place = |rule: u32| {
        let placed = &rules[rule as usize];
        (placed.spot.clone(), placed.rule.line)
    };
    for (number, placed) in rules.iter().enumerate() {
        let rule = &placed.rule;
        for context in &rule.contexts {
            for sequence in &rule.pattern.sequences {
                report_build(doc, automaton.add(*context, &rule.pattern, sequence, number as u32, false), place);
            }
            let Some(word) = text.negation.as_ref().filter(|_| rule.undo.is_some()) else { continue };
            for sequence in negated(&rule.pattern, word) {
                report_build(doc, automaton.add(*context, &rule.pattern, &sequence, number as u32, true), place);
            }
        }
    }
    for clash in automaton.clashes(lists) {
        report_build(doc, Err(BuildError::Clash(clash)), place);
    }
    automaton
}

/// The negated forms of a pattern: the word, then the pattern with all or none of what follows its first hole.
fn negated(pattern: &Pattern, word: &str) -> Vec<Vec<Step>> {
    let mut forms: Vec<Vec<Step>> = Vec::new();
    for sequence in &pattern.sequences {
        let first = sequence.iter().position(|s| !matches!(s, Step::Literal(_))).unwrap_or(sequence.len());
        for end in [sequence.len(), first.max(1)] {
            let head = [Step::Literal(word.to_owned())];
            let form: Vec<Step> = head.into_iter().chain(sequence.iter().take(end).cloned()).collect();
            if !forms.contains(&form) {
                forms.push(form);
            }
        }
    }
    forms
}
