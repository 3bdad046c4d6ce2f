//! How policies are shown: every value with its origin, and what is wrong with one.

use std::io::{self, Write};

use serde::Serialize;
use yellowlegs_core::finding::{Finding, quote_cite};
use yellowlegs_core::model::Remark;
use yellowlegs_core::policy::{Cite, Feature, Policy};

use super::style::{BOLD, DIM, GOOD, paint};
use super::{clean, write_json};

/// A value in force.
#[derive(Debug, Serialize)]
pub(crate) struct Row {
    /// `site`, or a role.
    of: String,
    key: String,
    value: String,
    /// The policy's line; null for a built-in default.
    from: Option<String>,
}

fn row(of: &str, key: &str, value: String, cite: &Cite) -> Row {
    let from = quote_cite(cite);
    let line = from.file.as_ref().zip(from.line).map(|(file, line)| format!("{file}:{line}"));
    Row { of: of.to_owned(), key: key.to_owned(), value, from: line }
}

/// Every value of a policy, the site's first, then those of each role.
pub(crate) fn rows(policy: &Policy) -> Vec<Row> {
    let mut rows: Vec<Row> =
        policy.site.shown().into_iter().map(|(site, value, cite)| row("site", site.key, value, cite)).collect();
    for role in &policy.roles {
        let of = format!("role {}", role.name);
        rows.push(row(&of, "faces", role.faces.word().to_owned(), role.cite("faces")));
        rows.push(row(&of, "vlans", role.vlans.to_string(), role.cite("vlans")));
        if let Some(voice) = role.voice {
            rows.push(row(&of, "voice", voice.get().to_string(), role.cite("voice")));
        }
        for feature in Feature::ALL {
            let wished = role.expect.wish(*feature);
            rows.push(row(&of, feature.info().name, wished.value.word().to_owned(), &wished.cite));
        }
        let action = &role.expect.action;
        rows.push(row(&of, "port-security.action", action.value.to_string(), &action.cite));
        for (id, wished) in role.expect.values() {
            rows.push(row(&of, id.name(), wished.value.to_string(), &wished.cite));
        }
    }
    rows
}

/// The values, for people.
pub(crate) fn shown(out: &mut dyn Write, rows: &[Row]) -> io::Result<()> {
    const WIDEST: usize = 16;
    let width = rows.iter().map(|row| row.key.len()).max().unwrap_or_default();
    let values = rows.iter().map(|row| row.value.len()).max().unwrap_or_default().min(WIDEST);
    let mut of = "";
    for row in rows {
        if of != row.of {
            of = &row.of;
            writeln!(out, "{}", paint(BOLD, &clean(of)))?;
        }
        let from = row.from.as_deref().unwrap_or("built-in default");
        writeln!(out, "  {:width$}  {:values$}  {}", clean(&row.key), clean(&row.value), paint(DIM, &clean(from)))?;
    }
    Ok(())
}

/// The same for programs.
pub(crate) fn shown_json(out: &mut dyn Write, rows: &[Row]) -> io::Result<()> {
    write_json(out, &rows)
}

/// What is wrong with a policy, held against its fleet.
#[derive(Debug, Default)]
pub(crate) struct Holes {
    pub(crate) ports: usize,
    pub(crate) entries: Vec<Finding>,
    pub(crate) overlaps: Vec<Remark>,
    pub(crate) without_role: Vec<(String, Vec<String>)>,
}

impl Holes {
    pub(crate) fn is_empty(&self) -> bool {
        self.entries.is_empty() && self.overlaps.is_empty() && self.without_role.is_empty()
    }
}

/// Most ports named on a line.
const MOST: usize = 8;

/// What a test of a policy came to.
pub(crate) fn tested(out: &mut dyn Write, holes: &Holes) -> io::Result<()> {
    for entry in &holes.entries {
        writeln!(out, "{}", clean(&entry.message))?;
        for line in &entry.evidence {
            let place = line.file.as_deref().zip(line.line).map(|(file, line)| format!("{file}:{line}"));
            writeln!(out, "  {}  {}", paint(DIM, &clean(&place.unwrap_or_default())), clean(line.text.trim()))?;
        }
    }
    for overlap in &holes.overlaps {
        writeln!(out, "{}: {}", clean(&overlap.about), clean(&overlap.text))?;
    }
    for (switch, ports) in &holes.without_role {
        let more = ports.len().saturating_sub(MOST);
        let named = ports.iter().take(MOST).cloned().collect::<Vec<_>>().join(", ");
        let more = if more > 0 { format!(" and {more} more") } else { String::new() };
        writeln!(out, "{}: no role fits {}{more}", clean(switch), clean(&named))?;
    }
    let without: usize = holes.without_role.iter().map(|(_, ports)| ports.len()).sum();
    if holes.is_empty() {
        return writeln!(
            out,
            "{}",
            paint(GOOD, &format!("every entry matches something, and each of {} ports has a role", holes.ports))
        );
    }
    writeln!(
        out,
        "{} dead or expired entries, {} overlaps, {without} of {} ports without a role",
        holes.entries.len(),
        holes.overlaps.len(),
        holes.ports
    )
}
