//! The report for people: per switch which ports, what is wrong, the lines that prove it, what to do.

use std::collections::BTreeMap;
use std::io::{self, Write};

use unicode_width::UnicodeWidthStr;
use yellowlegs_core::finding::{
    Evidence, EvidenceKind, Finding, Summary, SwitchOutcome, Totals, Undecided, UndeterminedRow,
};
use yellowlegs_core::model::FactKind;

use super::style::{BOLD, DIM, GOOD, PLACE, level, paint};
use super::{Head, Report, Tail, clean, role_from};
use crate::args::Loudness;

/// Longest stretch of a line that is quoted, in characters.
const QUOTED: usize = 110;

/// The text report.
pub(crate) struct TextReport {
    pub(crate) loudness: Loudness,
}

impl Report for TextReport {
    fn head(&mut self, out: &mut dyn Write, head: &Head<'_>) -> io::Result<()> {
        let site = head.site.map(|s| format!("{}, ", clean(s))).unwrap_or_default();
        writeln!(out, "{}", paint(DIM, &format!("{site}as of {}", head.as_of)))
    }

    fn switch(&mut self, out: &mut dyn Write, outcome: &SwitchOutcome) -> io::Result<()> {
        let Some(row) = &outcome.row else { return Ok(()) };
        let dialect = row.dialect.as_deref().unwrap_or("record");
        let understood = row.lines as usize - row.unread_lines.min(row.lines as usize);
        let about = format!(
            "  {dialect}, {understood} of {} understood, {}",
            many(row.lines as usize, "line"),
            many(row.ports, "port")
        );
        writeln!(out)?;
        write!(out, "{}{}", paint(BOLD, &clean(&row.switch)), paint(DIM, &clean(&about)))?;
        if row.violating_ports > 0 {
            writeln!(out, ", {}", paint(BOLD, &format!("{} violating", row.violating_ports)))?;
        } else {
            writeln!(out, ", {}", paint(GOOD, "none violating"))?;
        }
        let mut above: Option<Option<&str>> = None;
        for found in &outcome.findings {
            if above != Some(found.port.as_deref()) {
                above = Some(found.port.as_deref());
                match &found.port {
                    Some(port) => writeln!(out, "\n  {} {}", paint(BOLD, &clean(port)), paint(DIM, &role(found)))?,
                    None => writeln!(out, "\n  {}", paint(BOLD, "the switch"))?,
                }
            }
            self.finding(out, found)?;
        }
        if self.loudness.verbose {
            for Undecided { check, port, needs, .. } in &outcome.undetermined {
                let port = port.as_deref().unwrap_or("the switch");
                writeln!(out, "  {} {check} undetermined: needs {}", clean(port), needs.join(", "))?;
            }
        }
        Ok(())
    }

    fn tail(&mut self, out: &mut dyn Write, tail: &Tail<'_>) -> io::Result<()> {
        if !tail.fleet_findings.is_empty() {
            writeln!(out, "\n{}", paint(BOLD, "Across the fleet"))?;
            tail.fleet_findings.iter().try_for_each(|found| self.finding(out, found))?;
        }
        undetermined(out, tail.totals)?;
        if !self.loudness.quiet {
            unread(out, tail.totals)?;
            remarks(out, tail.totals)?;
        }
        if !tail.unreadable.is_empty() {
            writeln!(out, "\n{}", paint(BOLD, "Could not be read"))?;
            for file in tail.unreadable {
                writeln!(out, "  {}: {}", paint(PLACE, &clean(&file.file)), clean(&file.why))?;
            }
        }
        summary(out, &tail.totals.summary(tail.unreadable.len()))
    }
}

fn many(count: usize, what: &str) -> String {
    format!("{count} {what}{}", if count == 1 { "" } else { "s" })
}

/// The port's role and what told it.
fn role(found: &Finding) -> String {
    let Some(name) = &found.role else { return "no role".into() };
    let Some(from) = found.role_from else { return name.clone() };
    format!("{}, {}", clean(name), role_from(from))
}

impl TextReport {
    pub(super) fn finding(&self, out: &mut dyn Write, found: &Finding) -> io::Result<()> {
        let mark = match &found.waiver {
            Some(_) => paint(DIM, "WAIVED"),
            None => paint(level(found.level), &found.level.word().to_uppercase()),
        };
        writeln!(out, "    {mark} {}: {}", paint(BOLD, found.check), clean(&found.message))?;
        if let Some(waiver) = &found.waiver {
            let until = format!("until {} by {}: {}", waiver.last_day, waiver.owner, waiver.reason);
            writeln!(out, "      {}", clean(&until))?;
            return quote(out, std::slice::from_ref(&waiver.evidence), "the waiver");
        }
        for of_line in found.evidence.chunk_by(same_line) {
            quote(out, of_line, of_line.first().map_or("", |e| note(e.kind)))?;
        }
        if self.loudness.verbose {
            for of_line in found.overridden.chunk_by(same_line) {
                quote(out, of_line, "spoke about it too")?;
            }
        }
        for related in &found.related {
            let port = related.port.as_deref().map(|p| format!(" port {p}")).unwrap_or_default();
            writeln!(out, "      see {}{}", clean(&related.switch), clean(&port))?;
        }
        writeln!(out, "      {} {}", paint(BOLD, "do:"), clean(&found.remedy))
    }
}

/// Whether two pieces of evidence are stretches of one line.
fn same_line(one: &Evidence, other: &Evidence) -> bool {
    one.line.is_some() && (one.kind, &one.file, one.line) == (other.kind, &other.file, other.line)
}

/// Place and note, then the line with carets under the words that decide. All the evidence is of one line.
fn quote(out: &mut dyn Write, of_line: &[Evidence], note: &str) -> io::Result<()> {
    let Some(first) = of_line.first() else { return Ok(()) };
    let (Some(file), Some(line), Some(column)) = (&first.file, first.line, first.column) else {
        let file = first.file.as_deref().map(|f| format!("{} ", paint(PLACE, &clean(f)))).unwrap_or_default();
        return writeln!(out, "      {file}{}", clean(&first.text));
    };
    let place = format!("{}:{line}:{column}", clean(file));
    writeln!(out, "      {}  {}", paint(PLACE, &place), paint(DIM, note))?;
    let trimmed = first.text.trim_start();
    let indent = first.text.chars().count() - trimmed.chars().count();
    let shown: String = trimmed.chars().take(QUOTED).collect();
    let cut = if shown.len() < trimmed.len() { "…" } else { "" };
    writeln!(out, "        {}{cut}", clean(&shown))?;
    let mut carets = String::new();
    let mut stretches: Vec<(usize, usize)> = of_line.iter().map(|e| stretch(e, &shown, indent)).collect();
    stretches.sort_unstable();
    for (skip, width) in stretches {
        let gap = skip.saturating_sub(carets.len());
        carets.extend(std::iter::repeat_n(' ', gap).chain(std::iter::repeat_n('^', width)));
    }
    writeln!(out, "        {}", paint(DIM, &carets))
}

/// Where the carets of a piece of evidence begin below its line, and how many there are.
fn stretch(evidence: &Evidence, shown: &str, indent: usize) -> (usize, usize) {
    let start = (evidence.column.unwrap_or(1) as usize - 1).saturating_sub(indent);
    let before: String = shown.chars().take(start).collect();
    let words: String = shown.chars().skip(start).take(evidence.width.unwrap_or(1) as usize).collect();
    (clean(&before).width(), clean(&words).width().max(1))
}

/// What a quoted line is.
fn note(kind: EvidenceKind) -> &'static str {
    match kind {
        EvidenceKind::Line => "in force",
        EvidenceKind::Default => "the platform's default",
        EvidenceKind::Silent => "no line here sets it",
        EvidenceKind::Table => "its state",
        EvidenceKind::Log => "its log",
        EvidenceKind::Record => "the record",
        EvidenceKind::Policy => "the policy",
    }
}

/// How many groups are listed.
const GROUPS: usize = 12;

/// What is missing, and which checks wait for it: one entry for each fact.
fn undetermined(out: &mut dyn Write, totals: &Totals) -> io::Result<()> {
    let mut facts: Vec<(&[&str], Vec<&UndeterminedRow>)> = Vec::new();
    for row in totals.undetermined() {
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
        writeln!(out, "\n{}", paint(BOLD, "Undetermined: outputs of switches are missing"))?;
    }
    for (needs, rows) in outputs.iter().take(GROUPS) {
        let ports = rows.iter().map(|r| r.ports).max().unwrap_or_default();
        let switches = rows.iter().map(|r| r.switches).max().unwrap_or_default();
        let on = if ports > 0 { format!(" on {}", many(ports, "port")) } else { String::new() };
        let checks = many(rows.len(), "check");
        writeln!(out, "  {} of {}: {checks}{on}", paint(BOLD, &needs.join(", ")), switches_of(switches))?;
        writeln!(out, "    {}", few(rows.iter().map(|r| r.check).collect()).join(", "))?;
    }
    if facts.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{}", paint(BOLD, "Undetermined: facts are missing"))?;
    for (needs, rows) in facts.iter().take(GROUPS) {
        let ports = rows.iter().map(|r| r.ports).max().unwrap_or_default();
        let switches = rows.iter().map(|r| r.switches).max().unwrap_or_default();
        let sample = rows.iter().find_map(|r| r.sample.first());
        let example = sample.map(|s| format!(", e.g. {} {}", s.switch, s.port.as_deref().unwrap_or("")));
        let example = example.unwrap_or_default();
        let on = format!("on {} of {}{}", many(ports, "port"), switches_of(switches), example.trim_end());
        writeln!(out, "  {} {}", paint(BOLD, &needs.join(", ")), clean(&on))?;
        let checks = few(rows.iter().map(|r| r.check).collect());
        for some in checks.chunks(4) {
            writeln!(out, "    {}", some.join(", "))?;
        }
    }
    if facts.len() > GROUPS {
        writeln!(out, "  and {} more; --format json lists them all", facts.len() - GROUPS)?;
    }
    Ok(())
}

/// Whether what is missing is something that a switch tells of its state.
fn is_output(needs: &str) -> bool {
    let told = |name: &str| FactKind::all().any(|kind| [kind.info().name, kind.info().newer].contains(&name));
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

fn switches_of(count: usize) -> String {
    if count == 1 { "1 switch".into() } else { format!("{count} switches") }
}

fn unread(out: &mut dyn Write, totals: &Totals) -> io::Result<()> {
    let rows = totals.unread();
    if rows.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{}", paint(BOLD, "Lines not understood"))?;
    for row in rows.iter().take(GROUPS) {
        let place = format!("{}:{}", clean(&row.sample.file), row.sample.line);
        let shown = row.sample.text.as_deref().unwrap_or(&row.shape);
        writeln!(out, "  {} × {}  {}", row.count, clean(shown.trim()), paint(PLACE, &place))?;
    }
    if rows.len() > GROUPS {
        writeln!(out, "  and {} more shapes; --format json lists them all", rows.len() - GROUPS)?;
    }
    Ok(())
}

fn remarks(out: &mut dyn Write, totals: &Totals) -> io::Result<()> {
    let mut remarks = totals.remarks().peekable();
    if remarks.peek().is_none() {
        return Ok(());
    }
    writeln!(out, "\n{}", paint(BOLD, "Remarks"))?;
    remarks.try_for_each(|remark| {
        let place = match (&remark.file, remark.line) {
            (Some(file), Some(line)) => format!("  {}", paint(PLACE, &format!("{}:{line}", clean(file)))),
            _ => String::new(),
        };
        writeln!(out, "  {}: {}{place}", clean(&remark.about), clean(&remark.text))
    })
}

fn summary(out: &mut dyn Write, summary: &Summary) -> io::Result<()> {
    let Summary { switches, ports, violating_ports, clean_ports, waived_ports, undetermined_ports, .. } = summary;
    let switches = switches_of(*switches);
    writeln!(out, "\n{}", paint(BOLD, &format!("{switches}, {}", many(*ports, "port"))))?;
    writeln!(out, "  {violating_ports:>5} violating     at least one unwaived finding at risk or breach")?;
    writeln!(out, "  {waived_ports:>5} waived        nothing but waived findings")?;
    writeln!(out, "  {undetermined_ports:>5} undetermined  no such finding, but a check that lacks a fact")?;
    writeln!(out, "  {clean_ports:>5} clean         every check met (advice apart)")?;
    let count = |word: &str| summary.findings.get(word).copied().unwrap_or_default();
    writeln!(
        out,
        "Findings: {} breach, {} risk, {} advice; {} waived. Checks undetermined: {}. Lines not understood: {}.{}",
        count("breach"),
        count("risk"),
        count("advice"),
        summary.waived,
        summary.undetermined,
        summary.unread_lines,
        if summary.unreadable > 0 { format!(" Could not be read: {}.", summary.unreadable) } else { String::new() }
    )
}
