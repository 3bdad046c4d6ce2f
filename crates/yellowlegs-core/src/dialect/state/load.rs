//! From `[state]`, `[[line]]` and `[[table]]` to the rules of state.

use super::super::automaton::{Automaton, BuildError, Meaning};
use super::super::effects::{Holes, bare, fits, mismatch, word_value};
use super::super::load::{Text, one_of, parse_pattern, patterns, report_build};
use super::super::pattern::{Hole, Pattern};
use super::super::rule::{Effect, Operand, Subject};
use super::super::rules::{Opener, Written, around, each, known_context, subject};
use super::super::{DialectProblem, HoleType, Lists};
use super::table::Blanks;
use super::{Beside, Column, Filled, StateRule, StateRules, Table};
use crate::model::{FactKind, Kind, Value};
use crate::source::{Entry, Item, Mixed, Scalar, Spot, TableReader, TomlDoc};
use crate::syntax::Splitter;

/// The rules read, before their patterns are compiled together.
pub(in crate::dialect) struct Uncompiled {
    rules: StateRules,
    spots: Vec<Spot>,
}

impl Uncompiled {
    /// Compiles the patterns; rules that could take one line on equal terms are reported.
    pub(in crate::dialect) fn compiled(self, doc: &TomlDoc<'_>, lists: &Lists) -> StateRules {
        let Self { mut rules, spots } = self;
        let mut automaton = Automaton::new(rules.contexts.len(), rules.automaton.word_rule());
        let place = |rule: u32| {
            let line = rules.rules.get(rule as usize).map_or(0, |r| r.line);
            (spots.get(rule as usize).cloned().unwrap_or_default(), line)
        };
        for (number, rule) in rules.rules.iter().enumerate() {
            let meaning = Meaning { rule: number as u32, ends: true, enters: None, then: None };
            for context in &rule.contexts {
                report_build(doc, automaton.add_pattern(*context, &rule.pattern, meaning), place);
            }
        }
        for clash in automaton.clashes(lists) {
            report_build(doc, Err(BuildError::Clash(clash)), place);
        }
        rules.automaton = automaton;
        rules
    }
}

/// What is written in a `[[line]]`.
struct Raw<'d> {
    table: TableReader<'d>,
    pattern: Item<&'d str>,
    parsed: Pattern,
    contexts: Vec<usize>,
    opens: Option<usize>,
    fact: Option<FactKind>,
    subject: Option<Subject>,
}

pub(in crate::dialect) fn read<'d>(
    doc: &'d TomlDoc<'d>,
    section: Option<&TableReader<'_>>,
    lines: Vec<TableReader<'d>>,
    tables: &[TableReader<'d>],
    text: &Text,
) -> Uncompiled {
    let word = |key| section.and_then(|t| t.text(key)).map_or("", |i| i.value);
    let quotes = section.and_then(|t| t.text("quote")).map_or("\"", |i| i.value);
    let splitter = Splitter::with_quotes(word("split"), quotes).with_ends(word("split-ends"));
    let blanks = Blanks::of(word("borders"));
    let comments = section.and_then(|t| t.texts("comment")).unwrap_or_default();
    let comments = comments.into_iter().map(|i| i.value.to_owned()).collect();
    let mut own = Text { words: text.words, types: text.types.clone(), ..Text::default() };
    own.layout.splitter = splitter.clone();
    let ignored = patterns(doc, &section.and_then(|t| t.texts("ignore")).unwrap_or_default(), &own);
    if let Some(section) = section {
        section.finish();
    }
    let mut names = vec!["top".to_owned()];
    let lines = lines.into_iter().flat_map(|table| each(doc, table)).collect::<Vec<_>>();
    for item in lines.iter().filter_map(|line| line.table.text("opens")) {
        if !names.iter().any(|name| name == item.value) {
            names.push(item.value.to_owned());
        }
    }
    let raws: Vec<Raw<'d>> = lines.into_iter().filter_map(|line| raw(doc, line, &names, &own)).collect();
    let facts = facts_of_contexts(&raws, names.len());
    let opener = |raw: &Raw<'_>| {
        let (contexts, pattern, subject) = (raw.contexts.clone(), raw.parsed.clone(), raw.subject.clone());
        Some(Opener { opens: raw.opens?, contexts, pattern, subject })
    };
    let openers: Vec<Opener> = raws.iter().filter_map(opener).collect();
    let (mut rules, mut spots) = (Vec::new(), Vec::new());
    for raw in raws {
        spots.push(raw.pattern.spot.clone());
        rules.push(finish(doc, raw, &facts, &openers));
    }
    let tables: Vec<(Table, Spot)> = tables.iter().filter_map(|table| read_table(doc, table, &names, &own)).collect();
    for (position, (table, spot)) in tables.iter().enumerate() {
        let meets = |(other, _): &&(Table, Spot)| {
            table.contexts.iter().any(|context| other.contexts.contains(context))
                && share_heading(&table.columns, &other.columns, text.words.ignore_case)
        };
        if let Some((other, _)) = tables.iter().take(position).find(meets) {
            doc.report(spot, DialectProblem::SameTable { other: other.line });
        }
    }
    let tables = tables.into_iter().map(|(table, _)| table).collect();
    let automaton = Automaton::new(names.len(), own.words);
    Uncompiled {
        rules: StateRules { rules, tables, contexts: names, automaton, ignored, splitter, comments, blanks },
        spots,
    }
}

fn contexts(doc: &TomlDoc<'_>, table: &TableReader<'_>, names: &[String]) -> Vec<usize> {
    match table.texts("in") {
        None => vec![0],
        Some(items) if items.iter().any(|i| i.value == "*") => (0..names.len()).collect(),
        Some(items) => items.iter().filter_map(|item| known_context(doc, item, names)).collect(),
    }
}

pub(in super::super) fn fact(doc: &TomlDoc<'_>, item: &Item<&str>) -> Option<FactKind> {
    let kind = FactKind::by_name(item.value);
    if kind.is_none() {
        doc.report(&item.spot, DialectProblem::UnknownFact { found: item.value.to_owned() });
    }
    kind
}

fn raw<'d>(doc: &'d TomlDoc<'d>, written: Written<'d>, names: &[String], text: &Text) -> Option<Raw<'d>> {
    let Written { pattern, table, short } = written;
    if let Some(short) = short {
        let wanted = "of state are tables of the keys of a [[line]]; write `{}` where there is nothing to say";
        doc.report(&short.spot, DialectProblem::Misplaced { key: "lines", wanted });
    }
    let contexts = contexts(doc, &table, names);
    let opens = table.text("opens").and_then(|i| names.iter().position(|n| n == i.value));
    let fact = table.text("fact").and_then(|item| fact(doc, &item));
    let parsed = pattern.as_ref().and_then(|item| parse_pattern(doc, item, text));
    let subject = parsed.as_ref().and_then(|parsed| subject(doc, &table, parsed));
    ["fields", "sets", "adds"].into_iter().for_each(|key| table.ask(key));
    let (Some(pattern), Some(parsed)) = (pattern, parsed) else {
        table.finish();
        return None;
    };
    Some(Raw { table, pattern, parsed, contexts, opens, fact, subject })
}

/// The fact that is in progress in each context.
fn facts_of_contexts(raws: &[Raw<'_>], count: usize) -> Vec<Option<FactKind>> {
    let mut facts = vec![None; count];
    // As often as contexts can nest.
    for _ in 0..count {
        for raw in raws {
            let Some(opens) = raw.opens else { continue };
            let around = raw.contexts.iter().find_map(|c| facts.get(*c).copied().flatten());
            if let Some(kind) = raw.fact.or(around) {
                facts[opens] = Some(kind);
            }
        }
    }
    facts
}

/// What a line of state, or a row, decides of settings: only values are told, for a line of state takes nothing back.
fn told(
    doc: &TomlDoc<'_>,
    table: &TableReader<'_>,
    pattern: &Pattern,
    around: &[&Opener],
    subject: Option<&Subject>,
) -> Vec<Effect> {
    const WHY: &str =
        "belongs to the text: what the switch tells of its state `sets` or `adds`, to `ports`, a `vlan` or a `mirror`";
    for key in ["profile", "reach", "removes", "implies", "resets", "parts"] {
        if let Some(spot) = table.key_spot(key) {
            doc.report(&spot, DialectProblem::Misplaced { key, wanted: WHY });
        }
    }
    let mut effects = Vec::new();
    Holes { doc, own: pattern, around }.effects(table, subject, None, &mut effects);
    for effect in effects.iter().filter(|e| e.change.operands().iter().any(|o| matches!(o, Operand::Pair(..)))) {
        let wanted = "of two parts is not told by state: write the two as one value";
        doc.report(&table.spot, DialectProblem::Misplaced { key: effect.setting.name(), wanted });
    }
    effects
}

fn finish(doc: &TomlDoc<'_>, raw: Raw<'_>, facts: &[Option<FactKind>], openers: &[Opener]) -> StateRule {
    let kind = raw.fact.or_else(|| raw.contexts.iter().find_map(|c| facts.get(*c).copied().flatten()));
    let written = raw.table.table("fields");
    let effects = told(doc, &raw.table, &raw.parsed, &around(&raw.contexts, openers), raw.subject.as_ref());
    let mut fields = Vec::new();
    if let Some(kind) = kind {
        let free = raw.opens.is_some() || !effects.is_empty();
        fields = fill(doc, kind, &raw.parsed, written.as_ref(), &raw.pattern.spot, free);
    } else if raw.opens.is_none() && effects.is_empty() || written.is_some() {
        doc.report(&raw.pattern.spot, DialectProblem::NoFact);
    }
    raw.table.finish();
    StateRule {
        line: doc.place(&raw.pattern.spot).line,
        pattern: raw.parsed,
        contexts: raw.contexts,
        opens: raw.opens,
        fact: raw.fact,
        fields,
        subject: raw.subject,
        effects,
    }
}

/// The fields that a pattern fills: by holes of their names, and as `fields` says. `free`: other holes may be there for
/// the lines inside.
fn fill(
    doc: &TomlDoc<'_>,
    kind: FactKind,
    pattern: &Pattern,
    written: Option<&TableReader<'_>>,
    spot: &Spot,
    free: bool,
) -> Vec<(usize, Filled)> {
    let mut fields: Vec<(usize, Filled)> = Vec::new();
    let mut used: Vec<String> = Vec::new();
    for entry in written.iter().flat_map(|t| t.entries()) {
        let Some(field) = kind.field(entry.key.value) else {
            let found = entry.key.value.to_owned();
            doc.report(&entry.key.spot, DialectProblem::UnknownField { found, fact: kind.info().name });
            continue;
        };
        fields.extend(written_field(doc, kind, field, pattern, entry, &mut used).map(|filled| (field, filled)));
    }
    for (hole, info) in pattern.holes.iter().enumerate() {
        if used.contains(&info.name) || info.name.starts_with('_') {
            continue;
        }
        match kind.field(&info.name) {
            Some(field) => fields.extend(hole_field(doc, kind, field, pattern, hole, spot).map(|f| (field, f))),
            None if free => {}
            None => {
                let problem = DialectProblem::UnknownField { found: info.name.clone(), fact: kind.info().name };
                doc.report(spot, problem);
            }
        }
    }
    fields
}

fn written_field(
    doc: &TomlDoc<'_>,
    kind: FactKind,
    field: usize,
    pattern: &Pattern,
    entry: Entry<'_>,
    used: &mut Vec<String>,
) -> Option<Filled> {
    let info = kind.info().fields.get(field)?;
    let spot = entry.spot();
    let mut hole = |text: &str| {
        let name = bare(text);
        let position = pattern.hole(name);
        match position {
            Some(_) => used.push(name.to_owned()),
            None => doc.report(&spot, DialectProblem::UnknownHole { name: name.to_owned() }),
        }
        position
    };
    let constant = |text: &str, spot: &Spot| {
        let report = |problem| doc.report(spot, DialectProblem::Value { setting: info.name, problem });
        info.kind.parse(text).map_err(report).ok()
    };
    if let Some(text) = entry.text() {
        if text.starts_with('<') {
            let hole = hole(text)?;
            return hole_field(doc, kind, field, pattern, hole, &spot);
        }
        return constant(text, &spot).map(Filled::Constant);
    }
    if !entry.is_table() {
        let text = match entry.scalar()? {
            Scalar::Text(text) => text.to_owned(),
            Scalar::Integer(number) => number.to_string(),
            Scalar::Flag(flag) => flag.to_string(),
        };
        return constant(&text, &spot).map(Filled::Constant);
    }
    // { from = "<hole>", words = { B = "bridge" }, else = "other" }
    let tables = entry.tables();
    let table = tables.first()?;
    let from = table.required_text("from");
    let rest = table.text("else").and_then(|i| constant(i.value, &i.spot));
    let mut words = Vec::new();
    for entry in table.table("words").iter().flat_map(TableReader::entries) {
        let Some(value) = entry.text().and_then(|text| constant(text, &entry.spot())) else { continue };
        words.push((entry.key.value.to_owned(), value));
    }
    table.finish();
    Some(Filled::Words(hole(from?.value)?, words, rest))
}

fn hole_field(
    doc: &TomlDoc<'_>,
    kind: FactKind,
    field: usize,
    pattern: &Pattern,
    hole: usize,
    spot: &Spot,
) -> Option<Filled> {
    let info = kind.info().fields.get(field)?;
    let taken = pattern.holes.get(hole)?;
    let of = &taken.kind;
    if of.typed().is_some_and(|typed| !fits_field(info.kind, typed, of.is_repeated())) {
        doc.report(spot, mismatch(info.name, info.kind.describe(), &taken.name, of));
        return None;
    }
    if of.words().is_empty() {
        return Some(Filled::Hole(hole));
    }
    let report = |problem| doc.report(spot, DialectProblem::Value { setting: info.name, problem });
    let parsed = of.words().iter().map(|word| word_value(info.kind, word).map_err(report).ok());
    Some(Filled::Chosen(hole, parsed.collect::<Option<Vec<Value>>>()?))
}

/// A list of ports is a fact for each; names may be whatever identifies somebody.
fn fits_field(kind: Kind, hole: HoleType, repeated: bool) -> bool {
    match kind {
        Kind::Port => matches!(hole, HoleType::Port | HoleType::Ports),
        Kind::Text => fits(kind, hole, repeated) || matches!(hole, HoleType::Station | HoleType::Port),
        _ => fits(kind, hole, repeated),
    }
}

/// Whether some heading could be that of both: the columns that may be missing may be there or not.
fn share_heading(a: &[Column], b: &[Column], ignore_case: bool) -> bool {
    let same = |a: &str, b: &str| if ignore_case { a.eq_ignore_ascii_case(b) } else { a == b };
    // By how many columns of either are behind: whether some heading leads there. Most tables have a dozen columns.
    let mut leads = vec![vec![false; b.len() + 1]; a.len() + 1];
    leads[0][0] = true;
    for i in 0..=a.len() {
        for j in 0..=b.len() {
            if !leads[i][j] {
                continue;
            }
            let (x, y) = (a.get(i), b.get(j));
            if x.is_some_and(|column| column.optional) {
                leads[i + 1][j] = true;
            }
            if y.is_some_and(|column| column.optional) {
                leads[i][j + 1] = true;
            }
            if x.zip(y).is_some_and(|(x, y)| same(&x.title, &y.title)) {
                leads[i + 1][j + 1] = true;
            }
        }
    }
    leads[a.len()][b.len()]
}

fn read_table(doc: &TomlDoc<'_>, table: &TableReader<'_>, names: &[String], text: &Text) -> Option<(Table, Spot)> {
    let decides = ["sets", "adds", "also"].into_iter().any(|key| table.key_spot(key).is_some());
    // A row that only decides settings needs no fact.
    let item = if decides { table.text("fact") } else { table.required_text("fact") };
    let kind = item.as_ref().map(|item| fact(doc, item));
    let contexts = contexts(doc, table, names);
    let joined = one_of(table, "wrap", &["blank", "joined"]) == Some(1);
    let columns = table.mixed("columns", "a list of columns, each a text `Title = pattern` or a table");
    let written = table.table("fields");
    if kind.is_some_and(|kind| kind.is_none()) || !decides && item.is_none() {
        table.finish();
        return None;
    }
    let kind = kind.flatten();
    let spot = item.map_or_else(|| table.spot.clone(), |item| item.spot);
    let columns = columns.unwrap_or_default();
    if columns.is_empty() {
        doc.report(&spot, DialectProblem::NoColumns);
    }
    let nothing = Pattern::of_holes(Vec::new());
    let fields = written.map(|w| filled(doc, kind, &nothing, Some(&w), &spot, true)).unwrap_or_default();
    let mut holes = Vec::new();
    let read = columns.iter().filter_map(|column| read_column(doc, column, (kind, decides), text, &mut holes));
    let columns: Vec<Column> = read.collect();
    let row = Pattern::of_holes(holes);
    let subject = subject(doc, table, &row);
    let effects = told(doc, table, &row, &[], subject.as_ref());
    let beside = table.tables("also").iter().filter_map(|also| read_beside(doc, also, &row)).collect();
    table.finish();
    let line = doc.place(&spot).line;
    Some((Table { line, fact: kind, columns, contexts, joined, fields, beside, subject, effects }, spot))
}

/// What fills the fields of a table's fact; a table without one has none.
fn filled(
    doc: &TomlDoc<'_>,
    kind: Option<FactKind>,
    pattern: &Pattern,
    written: Option<&TableReader<'_>>,
    spot: &Spot,
    decides: bool,
) -> Vec<(usize, Filled)> {
    match (kind, written) {
        (Some(kind), _) => fill(doc, kind, pattern, written, spot, decides),
        (None, Some(fields)) => {
            doc.report(&fields.spot, DialectProblem::FieldsOfNothing);
            Vec::new()
        }
        (None, None) => Vec::new(),
    }
}

/// Another fact that rows of a table tell: by holes of the names of its fields, and as `fields` says.
fn read_beside(doc: &TomlDoc<'_>, table: &TableReader<'_>, row: &Pattern) -> Option<Beside> {
    let kind = table.required_text("fact").and_then(|item| fact(doc, &item));
    let written = table.table("fields");
    table.finish();
    let kind = kind?;
    let fields = fill(doc, kind, row, written.as_ref(), &table.spot, true);
    let asked: Vec<usize> =
        written.iter().flat_map(TableReader::entries).filter_map(|e| kind.field(e.key.value)).collect();
    let needs =
        fields.iter().filter(|(field, _)| asked.contains(field)).filter_map(|(_, filled)| filled.hole()).collect();
    Some(Beside { fact: kind, fields, needs })
}

/// `decides`: the row sets settings, or tells more facts, so that holes need not be fields. `row` gathers the holes of all columns.
fn read_column(
    doc: &TomlDoc<'_>,
    column: &Mixed<'_>,
    (kind, decides): (Option<FactKind>, bool),
    text: &Text,
    row: &mut Vec<Hole>,
) -> Option<Column> {
    let table = match column {
        Mixed::Table(table) => table,
        Mixed::Text(item) => {
            let Some((title, is)) = item.value.split_once(" = ") else {
                doc.report(&item.spot, DialectProblem::ColumnText);
                return None;
            };
            let at = item.spot.0.start + item.value.len() - is.len();
            let is = Item { value: is.trim(), spot: Spot(at..item.spot.0.end) };
            let pattern = parse_pattern(doc, &is, text)?;
            let fields = filled(doc, kind, &pattern, None, &is.spot, decides);
            let cells = patterns(doc, std::slice::from_ref(&is), text);
            let (is_secret, holes) = (pattern.has_secret(), pattern.holes.len());
            row.extend(pattern.holes);
            let title = title.trim().to_owned();
            let only_hole = cells.only_hole(0);
            return Some(Column { title, optional: false, carry: false, is_secret, cells, only_hole, fields, holes });
        }
    };
    let title = table.required_text("title");
    let is = table.required_text("is");
    let optional = table.flag("optional").is_some_and(|i| i.value);
    let carry = table.flag("carry").is_some_and(|i| i.value);
    let written = table.table("fields");
    table.finish();
    let (title, is) = (title?, is?);
    let pattern = parse_pattern(doc, &is, text)?;
    let fields = filled(doc, kind, &pattern, written.as_ref(), &is.spot, decides);
    let cells = patterns(doc, std::slice::from_ref(&is), text);
    let (is_secret, holes) = (pattern.has_secret(), pattern.holes.len());
    row.extend(pattern.holes);
    let only_hole = cells.only_hole(0);
    Some(Column { title: title.value.to_owned(), optional, carry, is_secret, cells, only_hole, fields, holes })
}
