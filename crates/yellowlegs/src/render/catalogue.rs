//! The catalogue of checks, listed and explained.

use std::io::{self, Write};

use serde::Serialize;
use yellowlegs_core::check::{Check, Example, FAMILIES};

use super::style::{BOLD, DIM, level, paint};
use super::write_json;

#[derive(Serialize)]
struct Row {
    id: &'static str,
    family: &'static str,
    title: &'static str,
    level: &'static str,
    state: bool,
    fleet: bool,
    needs: &'static [&'static str],
    uses: &'static [&'static str],
    policy: &'static [&'static str],
    reference: &'static str,
    why: &'static str,
    remedy: &'static str,
    example: Option<&'static Example>,
}

impl From<&'static Check> for Row {
    fn from(check: &'static Check) -> Self {
        Self {
            id: check.id,
            family: check.family(),
            title: check.title,
            level: check.level.word(),
            state: check.is_state(),
            fleet: check.is_fleet(),
            needs: check.needs,
            uses: check.uses,
            policy: check.policy,
            reference: check.reference,
            why: check.why,
            remedy: check.remedy,
            example: check.example(),
        }
    }
}

/// The catalogue as JSON.
pub(crate) fn catalogue_json(out: &mut dyn Write, checks: &[&'static Check]) -> io::Result<()> {
    let rows: Vec<Row> = checks.iter().map(|c| Row::from(*c)).collect();
    write_json(out, &rows)
}

/// The families with their checks.
pub(crate) fn catalogue_text(out: &mut dyn Write, checks: &[&'static Check]) -> io::Result<()> {
    let width = checks.iter().map(|c| c.id.len()).max().unwrap_or_default();
    for family in FAMILIES {
        let mine: Vec<&Check> = family.iter().filter(|c| checks.iter().any(|other| other.id == c.id)).collect();
        let Some(first) = mine.first() else { continue };
        writeln!(
            out,
            "{} {}",
            paint(BOLD, &format!("{}/", first.family())),
            paint(DIM, &format!("{} checks", mine.len()))
        )?;
        for check in mine {
            let word = format!("{:<6}", check.level.word());
            let fleet = if check.is_fleet() { "  (across the fleet)" } else { "" };
            writeln!(out, "  {:width$}  {}  {}{fleet}", check.id, paint(level(check.level), &word), check.title)?;
        }
        writeln!(out)?;
    }
    writeln!(out, "`yellowlegs checks ID` explains one.")
}

/// One check, explained.
pub(crate) fn explain(out: &mut dyn Write, check: &Check) -> io::Result<()> {
    writeln!(out, "{}  {}", paint(BOLD, check.id), paint(level(check.level), &check.level.word().to_uppercase()))?;
    writeln!(out, "Violated when {}.\n", check.title)?;
    wrapped(out, "Why it matters", check.why)?;
    wrapped(out, "What to do", &blanks(check.remedy))?;
    listed(out, "Needs these facts", check.needs, "none: it always decides")?;
    listed(out, "Uses, when it has them", check.uses, "")?;
    listed(out, "Policy values", check.policy, "none")?;
    listed(out, "Says it in place of", check.absorbs, "")?;
    listed(out, "Says nothing where it is said by", &check.yields_to().collect::<Vec<_>>(), "")?;
    if !check.judges.is_empty() {
        let names: Vec<&str> = check.judges.iter().map(|id| id.name()).collect();
        let text = format!(
            "Judges {} by the role. A role derived from VLAN and mode cannot judge them: then it is undetermined.",
            names.join(", ")
        );
        wrapped(out, "Roles", &text)?;
    }
    if check.is_fleet() {
        wrapped(out, "Looks at", "the fleet as a whole, after all switches.")?;
    }
    match check.example() {
        Some(Example::Lines { settings, violating, right, .. }) => {
            let by = if settings.is_empty() { String::new() } else { format!(" by {}", settings.join(", ")) };
            lines(out, &format!("Violating{by}, in Shingle"), violating)?;
            lines(out, "Right", right)?;
        }
        Some(Example::None { none, .. }) => {
            wrapped(out, "Example", &format!("no line of a configuration shows it: it is {none}."))?;
        }
        None => {}
    }
    writeln!(out, "{}  {}", paint(BOLD, "Reference"), check.reference)
}

fn lines(out: &mut dyn Write, title: &str, lines: &[String]) -> io::Result<()> {
    writeln!(out, "{}", paint(BOLD, title))?;
    if lines.is_empty() {
        writeln!(out, "  {}", paint(DIM, "(none of the right lines)"))?;
    }
    lines.iter().try_for_each(|line| writeln!(out, "  {line}"))?;
    writeln!(out)
}

/// Holes of a sentence, as words a reader can fill.
fn blanks(text: &str) -> String {
    text.replace("{within}", "").replace('{', "<").replace('}', ">")
}

fn wrapped(out: &mut dyn Write, title: &str, text: &str) -> io::Result<()> {
    writeln!(out, "{}", paint(BOLD, title))?;
    let mut line = String::new();
    for word in text.split_whitespace() {
        if !line.is_empty() && line.len() + word.len() > 96 {
            writeln!(out, "  {line}")?;
            line.clear();
        }
        if !line.is_empty() {
            line.push(' ');
        }
        line.push_str(word);
    }
    writeln!(out, "  {line}\n")
}

fn listed(out: &mut dyn Write, title: &str, items: &[&str], none: &str) -> io::Result<()> {
    if items.is_empty() && none.is_empty() {
        return Ok(());
    }
    wrapped(out, title, &if items.is_empty() { none.to_owned() } else { items.join(", ") })
}
