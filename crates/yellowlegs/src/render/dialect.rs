//! Dialects on the screen: what they can set, how lines were understood, how examples came out.

use std::collections::BTreeMap;
use std::io::{self, Write};

use serde::Serialize;
use yellowlegs_core::check::{self, OutOfReach};
use yellowlegs_core::dialect::{Dialect, HoleType};
use yellowlegs_core::drill::LeftOpen;
use yellowlegs_core::model::{Fact, FactKind, SettingId, TraitId};
use yellowlegs_core::resolve::{Explained, Failed, Outcome, Said};

use super::clean;
use super::look::Look;
use super::missing::{self, Missing};
use super::style::{BOLD, DIM, GOOD, PLACE, level, paint};
use yellowlegs_core::policy::Level;

#[derive(Serialize)]
struct Row {
    kind: &'static str,
    name: String,
    value: String,
    meaning: &'static str,
    checks: Vec<&'static str>,
}

/// Everything a dialect can use.
#[derive(Serialize)]
#[serde(transparent)]
pub(crate) struct Catalogue {
    rows: Vec<Row>,
}

impl Catalogue {
    /// What begins with a name.
    pub(crate) fn new(wanted: &str) -> Self {
        let checks = |name: &str| -> Vec<&'static str> {
            check::all().filter(|c| c.needs.contains(&name)).map(|c| c.id).collect()
        };
        let mut rows = Vec::new();
        for info in SettingId::all().map(SettingId::info) {
            let (name, value) = (info.name.to_owned(), info.kind.describe());
            rows.push(Row { kind: info.scope.word(), name, value, meaning: info.meaning, checks: checks(info.name) });
        }
        for info in TraitId::all().map(TraitId::info) {
            let value =
                if info.many { format!("a list of {}", info.words.join(", ")) } else { info.words.join(" or ") };
            rows.push(Row {
                kind: "trait",
                name: info.name.to_owned(),
                value,
                meaning: info.meaning,
                checks: checks(info.name),
            });
        }
        for info in FactKind::all().map(FactKind::info) {
            for field in info.fields {
                let name = format!("{}.{}", info.name, field.name);
                rows.push(Row {
                    kind: "fact",
                    name,
                    value: field.kind.describe(),
                    meaning: field.meaning,
                    checks: Vec::new(),
                });
            }
        }
        for kind in HoleType::ALL {
            let name = kind.name().to_owned();
            rows.push(Row { kind: "type", name, value: String::new(), meaning: kind.meaning(), checks: Vec::new() });
        }
        rows.retain(|row| row.name.starts_with(wanted) || row.kind == wanted);
        Self { rows }
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    pub(crate) fn write(&self, out: &mut dyn Write) -> io::Result<()> {
        let mut kind = "";
        for row in &self.rows {
            if row.kind != kind {
                let title = match row.kind {
                    "trait" => "Traits: what is law on the platform",
                    "fact" => "Facts of state and their fields",
                    "type" => "Types of holes in patterns",
                    scope => match scope {
                        "port" => "Settings of a port",
                        "switch" => "Settings of the switch",
                        "vlan" => "Settings of a VLAN",
                        _ => "Settings of a mirror session",
                    },
                };
                writeln!(out, "{}{}", if kind.is_empty() { "" } else { "\n" }, paint(BOLD, title))?;
                kind = row.kind;
            }
            writeln!(out, "  {}  {}", paint(BOLD, &row.name), paint(DIM, &row.value))?;
            writeln!(out, "      {}", row.meaning)?;
            for some in row.checks.chunks(4) {
                writeln!(out, "      {} {}", paint(DIM, "needed by"), some.join(", "))?;
            }
        }
        Ok(())
    }
}

fn said(said: &Said) -> String {
    match &said.value {
        Some(value) => format!("{} {} = {}", said.how, said.setting.name(), clean(&value.to_string())),
        None => format!("{} {}", said.how, said.setting.name()),
    }
}

/// So much of a pattern is shown that it is known again.
const SHOWN: usize = 90;

/// The beginning of a long pattern, up to a blank.
fn shortened(pattern: &str) -> String {
    let Some((end, _)) = pattern.char_indices().nth(SHOWN) else { return pattern.to_owned() };
    let shown = pattern.get(..end).unwrap_or(pattern);
    let shown = shown.rsplit_once(' ').map_or(shown, |(shown, _)| shown);
    format!("{shown} …")
}

/// The pattern of the rule in a line of the dialect.
fn pattern(dialect: &Dialect, line: u32) -> String {
    let of_rules = dialect.rules().iter().find(|rule| rule.line == line).map(|rule| &rule.pattern.text);
    let of_state = || dialect.state().rules.iter().find(|rule| rule.line == line).map(|rule| &rule.pattern.text);
    shortened(&clean(of_rules.or_else(of_state).map_or("", |text| text)))
}

/// What of the dialect took a line of state: a table, or a rule.
fn teller(dialect: &Dialect, line: u32) -> String {
    let Some(table) = dialect.state().tables.iter().find(|t| t.line == line) else {
        return format!("line {line}: {}", pattern(dialect, line));
    };
    let titles: Vec<_> = table.columns.iter().map(|c| clean(&c.title)).collect();
    format!("line {line}: table {}", titles.join(", "))
}

fn told(fact: &Fact) -> String {
    let fields = fact.kind.info().fields.iter().zip(&fact.fields);
    let shown = fields.filter_map(|(f, v)| Some(format!("{}={}", f.name, v.as_ref()?)));
    format!("tells {} {}", fact.kind.info().name, clean(&shown.collect::<Vec<_>>().join(" ")))
}

/// What a rule does besides setting anything.
fn besides(dialect: &Dialect, line: u32) -> Vec<&'static str> {
    let Some(rule) = dialect.rules().iter().find(|r| r.line == line) else { return Vec::new() };
    let does = [
        (rule.declares.is_some(), "declares ports"),
        (rule.uses.is_some(), "uses a profile"),
        (rule.used_by.is_some(), "gives the profile to ports"),
        (rule.until.is_some(), "a free text follows"),
    ];
    does.into_iter().filter(|(is, _)| *is).map(|(_, words)| words).collect()
}

/// Every line of a text with what came of it.
pub(crate) fn lines(
    out: &mut dyn Write,
    dialect: &Dialect,
    lines: &[Explained],
    only_unread: bool,
    raw: bool,
) -> io::Result<()> {
    let (mut taken, mut unread, mut passed) = (0, 0, 0);
    for line in lines {
        let is_unread = line
            .outcome
            .iter()
            .any(|o| matches!(o, Outcome::Unread { .. } | Outcome::Misfit { .. } | Outcome::Open { .. }));
        let is_taken = line.outcome.iter().any(|o| matches!(o, Outcome::Taken { .. } | Outcome::Told { .. }));
        unread += usize::from(is_unread);
        // A line may hold several statements, some of them taken.
        taken += usize::from(is_taken && !is_unread);
        passed += usize::from(!is_taken && !is_unread);
        if only_unread && !is_unread {
            continue;
        }
        // An unread line may hold a secret that nobody marked.
        let quoted = if raw { &line.raw } else { &line.text };
        let shown = line.shape.as_ref().filter(|_| !raw && (is_unread || !is_taken)).unwrap_or(quoted);
        let text = clean(shown);
        writeln!(out, "{:>5}  {text}", line.line)?;
        for outcome in &line.outcome {
            match outcome {
                Outcome::Passed => {}
                Outcome::Taken { rule, negated, said: all, opens } => {
                    let form = if *negated { "negated form of " } else { "" };
                    let at = format!("{form}line {rule}: {}", pattern(dialect, *rule));
                    writeln!(out, "       {} {}", paint(GOOD, "✓"), paint(DIM, &at))?;
                    for one in all {
                        writeln!(out, "           {}", said(one))?;
                    }
                    for words in besides(dialect, *rule).into_iter().filter(|_| !negated) {
                        writeln!(out, "           {}", paint(DIM, words))?;
                    }
                    if let Some(context) = opens {
                        writeln!(out, "           {}", paint(DIM, &format!("opens {context}")))?;
                    }
                }
                Outcome::Open { rule } => {
                    let why = format!("line {rule}: {}: nobody has said yet what it says", pattern(dialect, *rule));
                    writeln!(out, "       {} {why}", paint(level(Level::Breach), "✗"))?;
                }
                Outcome::Told { rule, facts, said } => {
                    writeln!(out, "       {} {}", paint(GOOD, "✓"), paint(DIM, &teller(dialect, *rule)))?;
                    for fact in facts {
                        writeln!(out, "           {}", told(fact))?;
                    }
                    for one in said {
                        writeln!(out, "           {}, where nothing is written", self::said(one))?;
                    }
                }
                Outcome::Misfit { table, column, blank } => {
                    let why = if *blank { "has no cell, and it makes the row" } else { "does not take its cell" };
                    let why = format!("{}; `{}` {why}", teller(dialect, *table), clean(column));
                    writeln!(out, "       {} {why}", paint(level(Level::Breach), "✗"))?;
                }
                Outcome::Unread { context, nearest, stopped } => {
                    let why = why(dialect, context.as_deref(), *nearest, stopped.as_deref(), raw);
                    writeln!(out, "       {} {why}", paint(level(Level::Breach), "✗"))?;
                }
            }
        }
    }
    if only_unread {
        let open = lines.iter().flat_map(|line| &line.outcome).any(|outcome| matches!(outcome, Outcome::Open { .. }));
        if open {
            writeln!(
                out,
                "\nRules that are about \"open\" wait for what their lines say: `sets` in its place, or about = \"nothing\"."
            )?;
        }
        offered(out, dialect, lines)?;
    }
    writeln!(out, "{taken} lines understood, {unread} not, {passed} blank, comment or free text")
}

/// Rules for lines that are about nothing that is judged, ready to be taken into the dialect: one for each first word
/// behind the verb and the word that negates, which patterns leave out.
fn offered(out: &mut dyn Write, dialect: &Dialect, lines: &[Explained]) -> io::Result<()> {
    let layout = dialect.layout();
    let left_out = [layout.verb.as_deref(), layout.negation.as_deref()];
    let mut offers: BTreeMap<(&str, &str), usize> = BTreeMap::new();
    for line in lines {
        let context = line.outcome.iter().find_map(|outcome| match outcome {
            // A line that begins like some rule says something, though nobody knows what.
            Outcome::Unread { context, nearest: None, .. } => context.as_deref(),
            _ => None,
        });
        let first = line.raw.split_whitespace().find(|word| !left_out.contains(&Some(*word)));
        let first = first.filter(|word| is_keyword(word));
        if let Some(offer) = context.zip(first) {
            *offers.entry(offer).or_default() += 1;
        }
    }
    if offers.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{}", paint(BOLD, "Where these lines are about nothing that is judged, the dialect can say so:"))?;
    for ((context, word), count) in offers {
        let of = if count == 1 { "1 line".to_owned() } else { format!("{count} lines") };
        writeln!(out, "\n[[rule]]  {}", paint(DIM, &format!("# {of}")))?;
        if context != "top" {
            writeln!(out, "in = \"{}\"", clean(context))?;
        }
        writeln!(out, "pattern = \"{word}\"\nabout = \"nothing\"")?;
    }
    writeln!(out)
}

/// Whether a word can be shown as one that begins statements: letters only, and not so many that it may be a secret.
fn is_keyword(word: &str) -> bool {
    const LONGEST: usize = 20;
    let plain = word.bytes().all(|b| b.is_ascii_lowercase() || b == b'-' || b == b'_');
    plain && word.len() <= LONGEST
}

fn why(dialect: &Dialect, context: Option<&str>, nearest: Option<u32>, stopped: Option<&str>, raw: bool) -> String {
    let Some(context) = context else {
        return "it stands in a block that no rule opens".into();
    };
    let Some(line) = nearest else {
        return format!("no rule of the context `{context}` begins like it");
    };
    let at = match stopped {
        Some("") => "more words were expected".into(),
        Some(word) if raw => format!("it stopped at `{}`", clean(word)),
        _ => "a later word does not fit".into(),
    };
    format!("the nearest rule is line {line}: {}; {at}", pattern(dialect, line))
}

/// The rules of a dialect, context by context.
pub(crate) fn rules(out: &mut dyn Write, dialect: &Dialect) -> io::Result<()> {
    writeln!(out, "{}", paint(BOLD, &clean(dialect.title())))?;
    for (number, context) in dialect.contexts().iter().enumerate() {
        let mine: Vec<_> = dialect.rules().iter().filter(|r| r.contexts.contains(&number)).collect();
        writeln!(out, "\n{} {}", paint(BOLD, &clean(context)), paint(DIM, &format!("{} rules", mine.len())))?;
        for rule in mine {
            writeln!(out, "  {:>5}  {}", paint(PLACE, &rule.line.to_string()), pattern(dialect, rule.line))?;
            let mut names: Vec<&str> = rule.effects.iter().map(|e| e.setting.name()).collect();
            names.dedup();
            if !names.is_empty() {
                writeln!(out, "         {}", paint(DIM, &names.join(", ")))?;
            }
        }
    }
    Ok(())
}

/// How the examples came out, and what users of the dialect will miss.
pub(crate) fn tested(
    out: &mut dyn Write,
    dialect: &Dialect,
    failed: &[Failed],
    missing: &[OutOfReach],
    open: &[LeftOpen],
    look: Look,
) -> io::Result<()> {
    for Failed { place, about, expected, got, line } in failed {
        let place = paint(PLACE, &clean(&place.to_string()));
        writeln!(out, "{} {place} {}", paint(level(Level::Breach), "✗"), clean(about))?;
        writeln!(out, "    expected {}\n    got      {}", clean(expected), clean(got))?;
        if let Some((number, text)) = line {
            writeln!(out, "    by line {number} of the example: {}", clean(text.trim()))?;
        }
    }
    if !look.is_quiet() {
        let path = dialect.source().path();
        let checks: Vec<Missing<'_>> = missing.iter().map(Missing::from).collect();
        missing::write(out, path, missing::CHECKS, &checks, &look)?;
        // Those that checks need are told already.
        let more = open.iter().filter(|open| missing.iter().all(|told| told.fact != open.fact));
        let drills: Vec<Missing<'_>> = more.map(Missing::from).collect();
        missing::write(out, path, "drill", &drills, &look)?;
    }
    let examples = dialect.examples();
    let checked: usize =
        examples.iter().map(|e| e.expect.len() + e.facts.len() + usize::from(e.unread.is_some())).sum();
    let name = clean(dialect.name());
    let outcome =
        if failed.is_empty() { paint(GOOD, "all as expected") } else { format!("{} not as expected", failed.len()) };
    writeln!(
        out,
        "{name}: {} rules, {} examples with {checked} expectations, {outcome}",
        dialect.rules().len(),
        examples.len()
    )
}
