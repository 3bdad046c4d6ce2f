//! The report as Markdown (`CommonMark` with tables), for a ticket or a wiki. What comes from switches is never markup.

use std::fmt::Write as _;
use std::io::{self, Write};

use yellowlegs_core::finding::{Block, Evidence, EvidenceKind, SwitchOutcome, blocks};
use yellowlegs_core::model::port_spans;

use super::whole::{Kept, Whole};
use super::{Format, Tail, clean, figures, place};

/// For tickets.
pub(crate) const FORMAT: Format = Format {
    name: "markdown",
    about: "For a ticket or a wiki: Markdown with tables",
    endings: &["md"],
    has_colours: false,
    make: |_| Kept::until_whole(write),
};

/// Text that is no markup, in one cell of a table.
pub(super) fn text(text: &str) -> String {
    let mut shown = String::with_capacity(text.len() + 8);
    for c in clean(text).chars() {
        if "\\`*_{}[]<>&|~#!@".contains(c) {
            shown.push('\\');
        }
        shown.push(c);
    }
    shown
}

fn write(out: &mut dyn Write, whole: &Whole, tail: &Tail<'_>) -> io::Result<()> {
    let summary = tail.totals.summary(tail.unreadable.len());
    writeln!(out, "# Audit of access ports: {}\n", text(&whole.head.title()))?;
    if !whole.head.chosen.is_empty() {
        writeln!(out, "Reported is only: {}\n", text(&whole.head.chosen.join(" ")))?;
    }
    writeln!(out, "| switches | ports | violating | waived | undetermined | clean |\n|--:|--:|--:|--:|--:|--:|")?;
    writeln!(
        out,
        "| {} | {} | {} | {} | {} | {} |\n",
        summary.switches,
        summary.ports,
        summary.violating_ports,
        summary.waived_ports,
        summary.undetermined_ports,
        summary.clean_ports
    )?;
    writeln!(out, "{} Could not be read: {}.", figures(&summary), summary.unreadable)?;
    let worst = tail.totals.worst_switches();
    if worst.is_empty() {
        writeln!(out, "\nNo finding.")?;
    } else {
        writeln!(
            out,
            "\n## Where first\n\n| switch | breach | risk | advice | violating ports |\n|:--|--:|--:|--:|--:|"
        )?;
        for row in worst {
            let (found, name) = (row.findings, text(&row.switch));
            let ports = format!("{} of {}", row.violating_ports, row.ports);
            writeln!(out, "| {name} | {} | {} | {} | {ports} |", found.breach, found.risk, found.advice)?;
        }
    }
    for outcome in &whole.switches {
        switch(out, outcome)?;
    }
    if !tail.fleet_findings.is_empty() {
        writeln!(out, "\n## Across the fleet\n")?;
        table(out, &blocks(tail.fleet_findings), true)?;
    }
    rest(out, tail)
}

fn switch(out: &mut dyn Write, outcome: &SwitchOutcome) -> io::Result<()> {
    let Some(row) = outcome.row.as_ref().filter(|_| !outcome.findings.is_empty()) else { return Ok(()) };
    writeln!(out, "\n## {}\n", text(&row.switch))?;
    table(out, &blocks(&outcome.findings), false)
}

fn table(out: &mut dyn Write, blocks: &[Block<'_>], across: bool) -> io::Result<()> {
    writeln!(
        out,
        "| level | check | where | what is wrong | line in force | policy | do |\n|:--|:--|:--|:--|:--|:--|:--|"
    )?;
    for block in blocks {
        let found = block.first;
        let level = if found.waiver.is_some() { "waived" } else { found.level.word() };
        let level = found.since.map_or_else(|| level.to_owned(), |since| format!("{level}, {}", since.word()));
        let mut place = port_spans(&block.ports()).join(", ");
        if place.is_empty() {
            place.push_str("the switch");
        }
        if across {
            place = found.switch.as_ref().map_or_else(|| "the fleet".to_owned(), |name| format!("{name} {place}"));
        }
        let mut wrong = text(&found.message);
        if let Some(waiver) = &found.waiver {
            let _ = write!(wrong, " (until {} by {}: {})", waiver.last_day, text(&waiver.owner), text(&waiver.reason));
        }
        let policy = |line: &&Evidence| line.kind == EvidenceKind::Policy;
        let (demand, own): (Vec<&Evidence>, Vec<&Evidence>) = found.evidence.iter().partition(policy);
        writeln!(
            out,
            "| {level} | {} | {} | {wrong} | {} | {} | {} |",
            text(found.check),
            text(&place),
            quoted(&own),
            quoted(&demand),
            text(&found.remedy)
        )?;
    }
    Ok(())
}

fn quoted(lines: &[&Evidence]) -> String {
    let one = |line: &&Evidence| match line.line {
        Some(_) => format!("{}: {}", text(&place(line)), text(line.text.trim())),
        None => text(&line.text),
    };
    lines.iter().map(one).collect::<Vec<_>>().join("<br>")
}

fn rest(out: &mut dyn Write, tail: &Tail<'_>) -> io::Result<()> {
    let undetermined = tail.totals.undetermined();
    if !undetermined.is_empty() {
        writeln!(out, "\n## Undetermined\n\n| check | needs | switches | ports |\n|:--|:--|--:|--:|")?;
    }
    for row in undetermined {
        let needs = text(&row.lacks());
        writeln!(out, "| {} | {needs} | {} | {} |", text(row.check), row.switches, row.ports)?;
    }
    if let Some(since) = tail.totals.since() {
        let (new, remaining) = (since.new, since.remaining);
        writeln!(out, "\n## Since {}\n\n{new} new, {remaining} remaining.\n", text(&since.as_of))?;
        for former in since.gone.iter().chain(&since.unsettled) {
            let (switch, port) = (former.switch.as_deref().unwrap_or(""), former.port.as_deref().unwrap_or(""));
            let told = format!("{}: {switch} {port} {}: {}", former.now.words(), former.check, former.message);
            writeln!(out, "- {}", text(&told))?;
        }
    }
    let titles = ["Lines not understood", "Remarks", "Could not be read"];
    let unread = tail.totals.unread().into_iter().map(|row| {
        let shown = row.sample.text.as_deref().unwrap_or(&row.shape);
        format!("{} × {} ({}:{})", row.count, text(shown.trim()), text(&row.sample.file), row.sample.line)
    });
    let remarks = tail.totals.remarks().map(|remark| text(&format!("{}: {}", remark.about, remark.text)));
    let unreadable = tail.unreadable.iter().map(|file| text(&format!("{}: {}", file.file, file.why)));
    let lists: [Vec<String>; 3] = [unread.collect(), remarks.collect(), unreadable.collect()];
    for (title, list) in titles.iter().zip(lists).filter(|(_, list)| !list.is_empty()) {
        writeln!(out, "\n## {title}\n")?;
        list.iter().try_for_each(|entry| writeln!(out, "- {entry}"))?;
    }
    Ok(())
}
