//! What is not known: facts that are missing, lines not understood, remarks.

use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Write};

use yellowlegs_core::finding::{Totals, UndeterminedRow, UnreadRow};
use yellowlegs_core::model::FactKind;
use yellowlegs_core::sorted;

use super::super::clean;
use super::super::look::Look;
use super::super::style::{BOLD, PLACE};
use super::super::wrap::wrapped;
use super::many;
use yellowlegs_core::check::feature_of;

/// How many groups are listed.
const GROUPS: usize = 12;

/// What is missing, and which checks wait for it: one entry for each fact.
pub(super) fn undetermined(out: &mut dyn Write, totals: &Totals, look: &Look) -> io::Result<()> {
    let mut facts: Vec<(&[&str], Vec<&UndeterminedRow>)> = Vec::new();
    for row in totals.undetermined().into_iter().filter(|row| row.doubts.is_empty()) {
        match facts.iter_mut().find(|(needs, _)| *needs == row.needs.as_slice()) {
            Some((_, rows)) => rows.push(row),
            None => facts.push((&row.needs, vec![row])),
        }
    }
    if facts.is_empty() {
        return Ok(());
    }
    // What a switch tells of itself was not kept, or is too old; the rest is missing in configurations, dialects and policy.
    let (outputs, facts): (Vec<_>, Vec<_>) =
        facts.into_iter().partition(|(needs, _)| needs.iter().all(|n| is_output(n)));
    if !outputs.is_empty() {
        writeln!(out, "\n{}", look.paint(BOLD, "Undetermined: outputs of switches are missing"))?;
    }
    for (needs, rows) in outputs.iter().take(GROUPS) {
        let ports = rows.iter().map(|r| r.ports).max().unwrap_or_default();
        let switches = rows.iter().map(|r| r.switches).max().unwrap_or_default();
        let on = if ports > 0 { format!(" on {}", many(ports, "port")) } else { String::new() };
        let checks = many(rows.len(), "check");
        let lead = format!("  {} ", look.paint(BOLD, &needs.join(", ")));
        wrapped(out, &lead, 4, &format!("of {}: {checks}{on}", many(switches, "switch")), look.width)?;
        wrapped(out, "    ", 4, &few(rows.iter().map(|r| r.check).collect()).join(", "), look.width)?;
    }
    if facts.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{}", look.paint(BOLD, "Undetermined: facts are missing"))?;
    if facts.len() > GROUPS {
        return by_feature(out, &facts, look);
    }
    for (needs, rows) in &facts {
        let ports = rows.iter().map(|r| r.ports).max().unwrap_or_default();
        let switches = rows.iter().map(|r| r.switches).max().unwrap_or_default();
        let sample = rows.iter().find_map(|r| r.sample.first());
        let example = sample.map(|s| format!(", e.g. {} {}", s.switch, s.port.as_deref().unwrap_or("")));
        let example = example.unwrap_or_default();
        let on = format!("on {} of {}{}", many(ports, "port"), many(switches, "switch"), example.trim_end());
        wrapped(out, &format!("  {} ", look.paint(BOLD, &needs.join(", "))), 4, &clean(&on), look.width)?;
        wrapped(out, "    ", 4, &few(rows.iter().map(|r| r.check).collect()).join(", "), look.width)?;
    }
    Ok(())
}

/// Many facts, each feature once: how many checks wait for it and on how many ports, and what is missing of it.
fn by_feature(out: &mut dyn Write, facts: &[(&[&str], Vec<&UndeterminedRow>)], look: &Look) -> io::Result<()> {
    let mut features: BTreeMap<&str, (BTreeSet<&str>, Vec<&UndeterminedRow>)> = BTreeMap::new();
    for (needs, rows) in facts {
        for need in *needs {
            let (feature, name) = feature_of(need);
            let (names, waiting) = features.entry(feature).or_default();
            names.extend(Some(name).filter(|name| !name.is_empty()));
            waiting.extend(rows);
        }
    }
    let mut features: Vec<_> = features.into_iter().collect();
    let checks = |rows: &[&UndeterminedRow]| sorted::set(rows.iter().map(|row| row.check)).len();
    sorted::by_key(&mut features, |(_, (_, rows))| std::cmp::Reverse(checks(rows)));
    for (feature, (names, rows)) in features {
        let ports = rows.iter().map(|row| row.ports).max().unwrap_or_default();
        let switches = rows.iter().map(|row| row.switches).max().unwrap_or_default();
        let on = if ports > 0 { many(ports, "port") } else { many(switches, "switch") };
        let names: Vec<&str> = names.into_iter().collect();
        let mut text = format!("{} on {on}", many(checks(&rows), "check"));
        if !names.is_empty() {
            text = format!("{text}: {}", names.join(", "));
        }
        if feature == "role" {
            text.push_str(": `yellowlegs policy new` drafts roles from the switches");
        }
        wrapped(out, &format!("  {}  ", look.paint(BOLD, feature)), 4, &clean(&text), look.width)?;
    }
    let settle = "`yellowlegs dialect teach DIALECT.toml TEXT-FILE...` asks for them, the most frequent first";
    wrapped(out, "  to settle: ", 4, settle, look.width)?;
    writeln!(out, "  (--format json lists each fact with its checks)")
}

/// What lines that are not understood keep open: each shape once.
pub(super) fn doubts(out: &mut dyn Write, totals: &Totals, width: &str, look: &Look) -> io::Result<()> {
    let rows = totals.doubts();
    if rows.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{}", look.paint(BOLD, "Undetermined: lines are not understood"))?;
    for row in rows.iter().take(GROUPS) {
        let place = format!("{}:{}", clean(&row.file), row.line);
        let on = match (row.ports, row.switches) {
            (0, switches) => many(switches, "switch"),
            (ports, _) => many(ports, "port"),
        };
        let lead = format!("  {}  ", look.paint(PLACE, &place));
        let open = if row.checks == 1 { "1 check is".to_owned() } else { format!("{} checks are", row.checks) };
        wrapped(out, &lead, 4, &format!("{}: {open} open on {on}", clean(&row.shape)), look.width)?;
    }
    if rows.len() > GROUPS {
        writeln!(out, "  and {} more; --format json lists them all", rows.len() - GROUPS)?;
    }
    if let Some(row) = rows.first() {
        wrapped(out, "  to settle: ", 4, &clean(&row.settle), look.width)?;
    }
    let said = format!("[site] doubt is {width}: docs/audit.md, What is not understood");
    wrapped(out, "  how far doubt reaches: ", 4, &said, look.width)
}

/// Whether what is missing is something that a switch tells of its state.
fn is_output(needs: &str) -> bool {
    let told = |name: &str| {
        let kind = name.split(' ').next().unwrap_or(name);
        FactKind::all().any(|k| [k.info().name, k.info().newer].iter().any(|known| [name, kind].contains(known)))
    };
    needs.split(" or ").all(told)
}

/// Checks by name, or where they are many, their families with how many of each.
fn few(checks: Vec<&str>) -> Vec<String> {
    const MOST: usize = 12;
    if checks.len() <= MOST {
        return checks.into_iter().map(str::to_owned).collect();
    }
    let mut families: BTreeMap<&str, usize> = BTreeMap::new();
    for check in checks {
        *families.entry(check.split_once('/').map_or(check, |(family, _)| family)).or_default() += 1;
    }
    families.into_iter().map(|(family, count)| format!("{family}/ {count}")).collect()
}

pub(super) fn unread(out: &mut dyn Write, totals: &Totals, look: &Look) -> io::Result<()> {
    let rows = totals.unread();
    if rows.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{}", look.paint(BOLD, "Lines not understood"))?;
    for row in rows.iter().take(GROUPS) {
        let place = format!("{}:{}", clean(&row.sample.file), row.sample.line);
        let shown = row.sample.text.as_deref().unwrap_or(&row.shape);
        let lead = format!("  {} × {}  ", row.count, look.paint(PLACE, &place));
        wrapped(out, &lead, 6, &clean(&format!("{}{}", shown.trim(), on(row))), look.width)?;
    }
    if rows.len() > GROUPS {
        writeln!(out, "  and {} more shapes; --format json lists them all", rows.len() - GROUPS)?;
    }
    Ok(())
}

/// The switches with lines of a shape, where the sample's is not the only one.
fn on(row: &UnreadRow) -> String {
    const MOST: usize = 6;
    if row.switches < 2 {
        return String::new();
    }
    let named: Vec<&str> = row.on.iter().take(MOST).map(|name| &**name).collect();
    let more = row.switches - named.len();
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    format!("  (on {}{more})", named.join(", "))
}

pub(super) fn remarks(out: &mut dyn Write, totals: &Totals, look: &Look) -> io::Result<()> {
    let mut remarks = totals.remarks().peekable();
    if remarks.peek().is_none() {
        return Ok(());
    }
    writeln!(out, "\n{}", look.paint(BOLD, "Remarks"))?;
    remarks.try_for_each(|remark| {
        let place = match (&remark.file, remark.line) {
            (Some(file), Some(line)) => format!("  {file}:{line}"),
            _ => String::new(),
        };
        let lead = format!("  {}: ", look.paint(BOLD, &clean(&remark.about)));
        wrapped(out, &lead, 4, &clean(&format!("{}{place}", remark.text)), look.width)
    })
}
