//! From a dialect's TOML to the compiled dialect: every problem is gathered, with its place.

use std::sync::Arc;

use jiff::tz::Offset;
use rustc_hash::FxHashSet;

use super::automaton::{Automaton, BuildError, Meaning, WordRule};
use super::compiled::Stores;
use super::effects::Negated;
use super::hole::HoleType;
use super::layout::{Braces, Layout, Structure};
use super::named::NamedLately;
use super::pattern::{OwnTypes, Pattern, PatternError};
use super::plain::PlainRules;
use super::ports::ListsText;
use super::precedence::Precedence;
use super::render::Writing;
use super::rule::Rule;
use super::units::{Measure, Units};
use super::{Dialect, DialectProblem, Lists, compile, defaults, example, rules, state};
use crate::model::{Kind, Mark, Origin, Requirement, SettingId, Slot, TraitId, TraitSlot, Traits, Value, settings};
use crate::sorted;
use crate::source::{Item, Problem, Scalar, Source, Spot, TableReader, TomlDoc};
use crate::syntax::Splitter;

/// How lines are taken apart, and how their words are compared.
#[derive(Default)]
pub(super) struct Text {
    pub(super) layout: Layout,
    pub(super) words: WordRule,
    /// The dialect's own types of holes.
    pub(super) types: OwnTypes,
    /// What the negated form of a rule does that does not say so itself.
    pub(super) negated: Option<Negated>,
}

pub(super) fn load(source: &Arc<Source>) -> Result<Dialect, Vec<Problem>> {
    let doc = TomlDoc::parse(source);
    let dialect = read(&doc, source);
    let problems = doc.into_problems();
    dialect.filter(|_| problems.is_empty()).ok_or(problems)
}

fn read(doc: &TomlDoc<'_>, source: &Arc<Source>) -> Option<Dialect> {
    let root = doc.root();
    let head = root.table("dialect");
    let name = head.as_ref().and_then(|t| t.required_text("name"));
    let title = head.as_ref().and_then(|t| t.text("title"));
    if head.is_none() {
        root.required_text("dialect");
    }
    let text_table = root.table("text");
    let mut text = text_table.as_ref().map(|table| read_text(doc, table)).unwrap_or_default();
    text.types = root.table("types").map(|table| read_types(doc, &table, &text)).unwrap_or_default();
    let titles = read_titles(doc, text_table.as_ref(), &text);
    if let Some(table) = text_table {
        table.finish();
    }
    let (ports, lists, time) = (root.table("ports"), root.table("lists"), root.table("time"));
    let units = root.table("units").map(|table| read_units(doc, &table)).unwrap_or_default();
    let kinds = ports.as_ref().map(|table| table.tables("kind")).unwrap_or_default();
    let lists = read_lists(doc, ports.as_ref(), lists.as_ref(), time.as_ref(), text.words.ignore_case, units);
    let (recognise, recognise_lines, last) = read_recognise(doc, root.table("recognise"), &text);
    let defaults = defaults::read(doc, root.table("defaults").as_ref(), true);
    let precedence = root.table("precedence").map(|table| Precedence::read(&table)).unwrap_or_default();
    let traits = read_traits(doc, root.table("traits").as_ref());
    let requires = root.tables("requires").iter().filter_map(|table| read_requirement(doc, table)).collect();
    let writing = root.table("write").map(|table| read_writing(doc, &table)).unwrap_or_default();
    let tables = root.tables("rule");
    let state = state::read(doc, root.table("state").as_ref(), root.tables("line"), &root.tables("table"), &text);
    let session = root.table("session").map(|table| super::session::read(doc, &table));
    let objects = root.table("walk").map(|table| super::objects::read(doc, &table)).unwrap_or_default();
    let examples = root.tables("example").iter().filter_map(|table| example::read(doc, table)).collect();
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
    let kinds = kinds.iter().map(|table| defaults::of_kind(doc, table, &lists)).collect();
    let automaton = compile::rules(doc, &rules, contexts.len(), &text, &lists);
    let state = state.compiled(doc, &lists);
    let name = name?.value;
    let rules: Vec<Rule> = rules.into_iter().map(|r| r.rule).collect();
    let set_by_rules = set_by_rules(&rules);
    let defaults = with_empty_lists(defaults, &set_by_rules);
    Some(Dialect {
        name: name.into(),
        title: title.map_or(name, |t| t.value).to_owned(),
        source: Arc::clone(source),
        silent: defaults::silent_slots(&defaults, &traits),
        defaults,
        kinds,
        precedence,
        set_by_rules,
        vocabulary: vocabulary(&rules, &text.layout),
        layout: text.layout,
        words: text.words,
        lists,
        recognise,
        recognise_lines,
        last,
        titles,
        hints: super::hints::Hints::of(&rules),
        traits: Arc::new(traits),
        requires,
        state,
        writing,
        plain: PlainRules::of(&rules),
        rules,
        contexts,
        automaton,
        examples,
        session,
        objects,
        stores: Stores::default(),
        named: NamedLately::default(),
    })
}

/// By setting, whether some rule changes it.
fn set_by_rules(rules: &[Rule]) -> Vec<bool> {
    let mut set = vec![false; settings::ALL.len()];
    rules.iter().flat_map(|rule| &rule.effects).for_each(|effect| set[effect.setting.index()] = true);
    set
}

/// The words of a dialect, which are no secret wherever they stand.
fn vocabulary(rules: &[Rule], layout: &Layout) -> FxHashSet<Box<str>> {
    let words = rules.iter().flat_map(|rule| rule.pattern.words());
    words.chain(layout.negation.as_deref()).chain(layout.verb.as_deref()).map(Into::into).collect()
}

/// Text that can hold a list or a note and is silent holds none. VLANs of a trunk are the trait's.
fn with_empty_lists(mut defaults: Vec<Option<Slot>>, set_by_rules: &[bool]) -> Vec<Option<Slot>> {
    for id in SettingId::all().filter(|id| set_by_rules[id.index()]) {
        let empty = match id.info().kind {
            Kind::Text => Some(Value::Text("".into())),
            kind if kind.is_list() && id != settings::TAGGED_VLANS.id => kind.off(),
            _ => None,
        };
        let slot = |value| Slot { value: Some(value), origin: Origin::Default, mark: None, contested: false };
        let default = &mut defaults[id.index()];
        *default = default.take().or(empty.map(slot));
    }
    defaults
}

fn read_text(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Text {
    let word = |key| table.text(key).map(|i| i.value.to_owned()).filter(|w| !w.is_empty());
    let words = |key| -> Vec<String> {
        table.texts(key).unwrap_or_default().into_iter().map(|i| i.value.to_owned()).filter(|w| !w.is_empty()).collect()
    };
    let structure = one_of(table, "structure", &Structure::WORDS.map(|(_, w)| w));
    let structure = structure.and_then(|i| Structure::WORDS.get(i)).map_or(Structure::Indent, |(s, _)| *s);
    idle_keys(doc, table, structure);
    let default = Layout::default().braces;
    let braces = Braces {
        open: word("open-brace").unwrap_or(default.open),
        close: word("close-brace").unwrap_or(default.close),
        end: word("end"),
    };
    let mut alone = word("split").unwrap_or_default();
    if structure == Structure::Braces {
        alone.extend(
            [Some(&braces.open), Some(&braces.close), braces.end.as_ref()].into_iter().flatten().map(String::as_str),
        );
    }
    let block_comment = table.texts("block-comment").and_then(|items| match items.as_slice() {
        [open, close] => Some((open.value.to_owned(), close.value.to_owned())),
        other => {
            let spot = other.first().map_or_else(|| table.spot.clone(), |i| i.spot.clone());
            doc.report(&spot, DialectProblem::TwoSigns { key: "block-comment" });
            None
        }
    });
    let shortest = table.integer("abbreviate").and_then(|item| {
        let shortest = usize::try_from(item.value).ok().filter(|n| (1..=32).contains(n));
        if shortest.is_none() {
            doc.report(&item.spot, DialectProblem::Abbreviate { found: item.value });
        }
        shortest
    });
    Text {
        layout: Layout {
            structure,
            splitter: Splitter::with_quotes(&alone, word("quote").as_deref().unwrap_or("\""))
                .with_ends(&word("split-ends").unwrap_or_default()),
            comments: words("comment"),
            inline_comment: word("inline-comment"),
            block_comment,
            continuation: word("continuation"),
            negation: word("negation"),
            verb: word("verb"),
            close: words("close"),
            braces,
        },
        words: WordRule { ignore_case: one_of(table, "case", &["exact", "ignore"]) == Some(1), shortest },
        types: OwnTypes::new(),
        negated: read_negated(doc, table),
    }
}

/// What negated forms do unless a rule says otherwise.
fn read_negated(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Option<Negated> {
    let way = one_of(table, "negated", &Negated::WORDS.map(|(_, word)| word))?;
    if let Some(spot) = table.key_spot("negated").filter(|_| table.key_spot("negation").is_none()) {
        let wanted = "says what the negated form does, and no `negation` says what makes one";
        doc.report(&spot, DialectProblem::Misplaced { key: "negated", wanted });
    }
    Some(Negated::WORDS[way].0)
}

/// Types of holes by names of the dialect's own: each is what stands behind the colon of a hole.
fn read_types(doc: &TomlDoc<'_>, table: &TableReader<'_>, text: &Text) -> OwnTypes {
    let mut types = OwnTypes::new();
    for entry in table.entries() {
        let (name, is) = (entry.key.value, entry.text());
        if HoleType::by_name(name).is_some() || name.is_empty() || name.contains(|c: char| "(<>)".contains(c)) {
            doc.report(&entry.key.spot, DialectProblem::TypeName { found: name.to_owned() });
            continue;
        }
        let Some(is) = is else {
            doc.report(&entry.spot(), DialectProblem::TypeText);
            continue;
        };
        let whole = format!("<x:{is}>");
        match Pattern::parse(&whole, &text.layout.splitter, text.words.ignore_case) {
            Ok(_) => drop(types.insert(name.to_owned(), is.to_owned())),
            Err((_, problem)) => doc.report(&entry.spot(), DialectProblem::Pattern(problem)),
        }
    }
    types
}

/// Units of the dialect's own, by what they measure.
fn read_units(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Units {
    let mut units = Units::default();
    for (measure, key) in Measure::KEYS {
        let Some(of) = table.table(key) else { continue };
        for entry in of.entries() {
            let times = match entry.scalar() {
                Some(Scalar::Integer(times)) => u32::try_from(times).ok().filter(|times| *times > 0),
                _ => None,
            };
            let word = entry.key.value;
            let is_word =
                !word.is_empty() && !word.starts_with(|c: char| c.is_ascii_digit() || c == '.' || c.is_whitespace());
            match times.filter(|_| is_word && !word.contains(char::is_whitespace)) {
                Some(times) => units.add(measure, word, times),
                None => doc.report(&entry.key.spot, DialectProblem::Unit { found: word.to_owned() }),
            }
        }
    }
    table.finish();
    units
}

/// Reports keys that do nothing in a text's structure.
fn idle_keys(doc: &TomlDoc<'_>, table: &TableReader<'_>, structure: Structure) {
    const ONLY: [(&str, &[Structure], &str); 5] = [
        ("open-brace", &[Structure::Braces], "does nothing but with `structure = \"braces\"`"),
        ("close-brace", &[Structure::Braces], "does nothing but with `structure = \"braces\"`"),
        ("end", &[Structure::Braces], "does nothing but with `structure = \"braces\"`"),
        ("title", &[Structure::Sections], "does nothing but with `structure = \"sections\"`"),
        (
            "close",
            &[Structure::Indent, Structure::Paths, Structure::Sections],
            "does nothing with `structure = \"braces\"`: `close-brace` does",
        ),
    ];
    for (key, structures, wanted) in ONLY {
        if let Some(spot) = table.key_spot(key).filter(|_| !structures.contains(&structure)) {
            doc.report(&spot, DialectProblem::Misplaced { key, wanted });
        }
    }
}

/// What a title looks like, in texts with titled sections.
fn read_titles(doc: &TomlDoc<'_>, table: Option<&TableReader<'_>>, text: &Text) -> Automaton {
    patterns(doc, &table.and_then(|t| t.texts("title")).unwrap_or_default(), text)
}

/// Patterns that stand for themselves.
pub(super) fn patterns(doc: &TomlDoc<'_>, items: &[Item<&str>], text: &Text) -> Automaton {
    let mut automaton = Automaton::new(1, text.words);
    for (number, item) in items.iter().enumerate() {
        let Some(pattern) = parse_pattern(doc, item, text) else { continue };
        let meaning = Meaning { rule: number as u32, ends: true, enters: None, then: None };
        report_build(doc, automaton.add_pattern(0, &pattern, meaning), |_| (item.spot.clone(), 0));
    }
    automaton
}

/// What a feature requires first.
fn read_requirement(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Option<Requirement> {
    let feature = table.required_text("feature");
    let ready = table.required_text("ready");
    let restart = table.flag("restart").is_some_and(|i| i.value);
    table.finish();
    let (feature, ready) = (feature?, ready?);
    let known = SettingId::all().any(|id| id.name().split_once('.').is_some_and(|(f, _)| f == feature.value));
    if !known {
        let names = SettingId::all().filter_map(|id| id.name().split_once('.').map(|(f, _)| f.to_owned()));
        let words = sorted::set(names).into_iter().collect();
        doc.report(&feature.spot, DialectProblem::Word { key: "feature", found: feature.value.to_owned(), words });
    }
    Some(Requirement {
        feature: feature.value.into(),
        ready: ready.value.into(),
        restart,
        mark: Some(mark_of(doc, &ready.spot, &ready.spot)),
    })
}

fn read_writing(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Writing {
    const FORMS: [(&str, Option<(usize, char)>); 4] =
        [("colon", Some((2, ':'))), ("dash", Some((2, '-'))), ("dotted", Some((4, '.'))), ("bare", Some((12, ' ')))];
    let save = table.texts("save").unwrap_or_default().into_iter().map(|i| i.value.to_owned()).collect();
    let leave = table.text("leave").map(|i| i.value.to_owned());
    let stations = one_of(table, "stations", &FORMS.map(|(word, _)| word)).and_then(|i| FORMS.get(i)).and_then(|f| f.1);
    let mut never = Vec::new();
    for entry in table.table("never").iter().flat_map(TableReader::entries) {
        let Some(id) = known_setting(doc, &entry.key) else { continue };
        if let Some(Scalar::Text(reason)) = entry.scalar() {
            never.push((id, reason.to_owned()));
        }
    }
    table.finish();
    Writing { save, leave, stations, never }
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
    ports: Option<&TableReader<'_>>,
    lists: Option<&TableReader<'_>>,
    time: Option<&TableReader<'_>>,
    ignore_case: bool,
    units: Units,
) -> Option<Lists> {
    let names = ports.and_then(|t| t.texts("names")).unwrap_or_default();
    let also_table = ports.and_then(|t| t.table("also"));
    let also: Vec<(Item<&str>, &str)> = also_table
        .map(|t| t.entries().into_iter().filter_map(|e| Some((e.key.clone(), e.text()?))).collect())
        .unwrap_or_default();
    let signs = |key| {
        let items = lists.and_then(|t| t.texts(key))?;
        Some(items.into_iter().map(|i| i.value.to_owned()).filter(|s| !s.is_empty()).collect::<Vec<_>>())
    };
    let text = ListsText {
        forms: names.iter().map(|i| i.value).collect(),
        also: also.iter().map(|(form, stands_for)| (form.value, *stands_for)).collect(),
        ranges: signs("range").unwrap_or_else(|| vec!["-".into()]),
        items: signs("item").unwrap_or_else(|| vec![",".into()]),
        counted: signs("counted").unwrap_or_default(),
        ignore_case,
        carry: lists.and_then(|t| t.flag("carry")).is_some_and(|i| i.value),
        times: time.and_then(|t| t.texts("forms")).unwrap_or_default().iter().map(|i| i.value).collect(),
        offset: time.and_then(|t| t.text("zone")).and_then(|item| read_zone(doc, &item)),
        units,
    };
    for table in [ports, lists, time].into_iter().flatten() {
        table.finish();
    }
    match Lists::new(text) {
        Ok(lists) => Some(lists),
        Err((which, problem)) => {
            let spots = names.iter().map(|i| &i.spot).chain(also.iter().map(|(form, _)| &form.spot));
            let spot = { spots }.nth(which).cloned().unwrap_or_default();
            doc.report(&spot, DialectProblem::Form(problem));
            None
        }
    }
}

/// The offset of moments that name none: `Z`, `+01:00`.
fn read_zone(doc: &TomlDoc<'_>, item: &Item<&str>) -> Option<Offset> {
    let offset = match item.value {
        "Z" | "UTC" => Some(Offset::UTC),
        text => jiff::fmt::strtime::BrokenDownTime::parse("%:z", text).ok().and_then(|b| b.offset()),
    };
    if offset.is_none() {
        doc.report(&item.spot, DialectProblem::Zone { found: item.value.to_owned() });
    }
    offset
}

/// What a text begins with, how many lines that is, and what a whole one ends with, where it has such a line.
fn read_recognise(
    doc: &TomlDoc<'_>,
    table: Option<TableReader<'_>>,
    text: &Text,
) -> (Automaton, usize, Option<Automaton>) {
    let lines = table.as_ref().and_then(|t| t.texts("lines")).unwrap_or_default();
    let last = table.as_ref().and_then(|t| t.texts("last"));
    if let Some(table) = table {
        table.finish();
    }
    (patterns(doc, &lines, text), lines.len(), last.map(|last| patterns(doc, &last, text)))
}

pub(super) fn parse_pattern(doc: &TomlDoc<'_>, item: &Item<&str>, text: &Text) -> Option<Pattern> {
    match Pattern::parse_with(item.value, &text.layout.splitter, text.words.ignore_case, &text.types) {
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

pub(super) fn report_build(doc: &TomlDoc<'_>, added: Result<(), BuildError>, place: impl Fn(u32) -> (Spot, u32)) {
    match added {
        Ok(()) => {}
        Err(BuildError::TooLarge) => doc.report(&Spot::default(), DialectProblem::TooLarge),
        Err(BuildError::Clash(clash)) => {
            let ((_, other), (spot, _)) = (place(clash.first), place(clash.second));
            doc.report(&spot, DialectProblem::Clash { other });
        }
    }
}

pub(super) fn known_setting(doc: &TomlDoc<'_>, key: &Item<&str>) -> Option<SettingId> {
    let id = SettingId::by_name(key.value);
    if id.is_none() {
        doc.report(&key.spot, DialectProblem::UnknownSetting { found: key.value.to_owned() });
    }
    id
}

/// A mark in the dialect itself, which is the first file of every switch it reads.
pub(super) fn mark_of(doc: &TomlDoc<'_>, from: &Spot, to: &Spot) -> Mark {
    let line = doc.place(from).line;
    Mark { file: 0, line, offset: from.0.start as u32, width: to.0.end.saturating_sub(from.0.start) as u32 }
}

fn read_traits(doc: &TomlDoc<'_>, table: Option<&TableReader<'_>>) -> Traits {
    let mut traits = Traits::default();
    let Some(table) = table else { return traits };
    for entry in table.entries() {
        let Some(id) = TraitId::by_name(entry.key.value) else {
            doc.report(&entry.key.spot, DialectProblem::UnknownTrait { found: entry.key.value.to_owned() });
            continue;
        };
        let info = id.info();
        let words = match (entry.texts(), info.many) {
            (Some(words), true) => words,
            _ => match entry.scalar() {
                Some(Scalar::Text(word)) => vec![word],
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
