//! The last screen: how bad it is, and where to begin.

use std::io::{self, Write};

use unicode_width::UnicodeWidthStr;
use yellowlegs_core::finding::{Former, Standing, Summary, Totals};

use super::super::look::Look;
use super::super::style::{BOLD, DIM, GOOD, level};
use super::super::wrap::wrapped;
use super::super::{Head, Tail, clean, figures};
use super::many;
use yellowlegs_core::policy::Level;

/// How many switches and checks are named.
const MOST: usize = 8;
/// Columns of the bars.
const BAR: usize = 30;

/// Bars, the worst switches, the checks with most findings, what to type next.
pub(super) fn overview(out: &mut dyn Write, head: &Head, tail: &Tail<'_>, look: &Look) -> io::Result<()> {
    let totals = tail.totals;
    let summary = totals.summary(tail.unreadable.len());
    let rule = if look.plain { "-" } else { "─" };
    writeln!(out, "\n{}", look.paint(DIM, &rule.repeat(look.width.min(100))))?;
    how_bad(out, head, &summary, look)?;
    let worst = totals.worst_switches();
    if worst.is_empty() {
        return writeln!(out, "\n{}", look.paint(GOOD, "No finding."));
    }
    if totals.switches().len() > 1 {
        let name = worst.iter().take(MOST).map(|row| clean(&row.switch).width()).max().unwrap_or_default().max(16);
        let name = name.min(look.width.saturating_sub(44).max(16));
        writeln!(
            out,
            "\n{}{}",
            look.paint(BOLD, &pad("Where first", name + 2)),
            look.paint(DIM, "  breach   risk  advice  violating ports")
        )?;
        for row in worst.iter().take(MOST) {
            let shown = pad(&cut(&clean(&row.switch), name), name);
            let (found, ports) = (row.findings, format!("{} of {}", row.violating_ports, row.ports));
            writeln!(out, "  {shown}  {:>6} {:>6}  {:>6}  {ports}", found.breach, found.risk, found.advice)?;
        }
        more(out, worst.len(), "switch", look)?;
    }
    let checks = totals.checks();
    writeln!(out, "\n{}{}", look.paint(BOLD, &pad("What first", 43)), look.paint(DIM, "findings  switches"))?;
    for row in checks.iter().take(MOST) {
        let word = format!("{:<6}", row.level.word().to_uppercase());
        let check = pad(row.check, 32);
        writeln!(out, "  {} {check}  {:>8}  {:>8}", look.paint(level(row.level), &word), row.findings, row.switches)?;
    }
    more(out, checks.len(), "check", look)?;
    if look.is_quiet() {
        return Ok(());
    }
    let first = checks.first().map_or("ID", |row| row.check);
    let next = format!(
        "`yellowlegs port SWITCH PORT` tells everything about one port, `yellowlegs checks {first}` why it matters."
    );
    writeln!(out)?;
    wrapped(out, &look.paint(DIM, "Next: "), 6, &next, look.width)
}

fn how_bad(out: &mut dyn Write, head: &Head, summary: &Summary, look: &Look) -> io::Result<()> {
    let Summary { switches, ports, violating_ports, clean_ports, waived_ports, undetermined_ports, .. } = summary;
    let size = format!("{}, {}", many(*switches, "switch"), many(*ports, "port"));
    wrapped(out, &format!("{}  ", look.paint(BOLD, &size)), 2, &clean(&head.title()), look.width)?;
    let rows = [
        (*violating_ports, "violating", Standing::Breach, "at least one unwaived finding at risk or breach"),
        (*waived_ports, "waived", Standing::Waived, "nothing but waived findings"),
        (*undetermined_ports, "undetermined", Standing::Undetermined, "no such finding, but a check that lacks a fact"),
        (*clean_ports, "clean", Standing::Clean, "every check met (advice apart)"),
    ];
    for (count, word, standing, meaning) in rows {
        let filled = (count * BAR).div_ceil((*ports).max(1)).min(BAR);
        let block = if look.plain { "#" } else { "█" };
        let bar = format!("{}{}", block.repeat(filled), " ".repeat(BAR - filled));
        let bar = look.paint(bar_style(standing), &bar);
        let meaning = if look.width >= 100 { look.paint(DIM, meaning) } else { "".into() };
        writeln!(out, "{}", format!("  {count:>6} {word:<12} {bar} {meaning}").trim_end())?;
    }
    let unreadable = match summary.unreadable {
        0 => String::new(),
        some => format!(" Could not be read: {some}."),
    };
    let words = format!("{}{unreadable}", figures(summary));
    wrapped(out, "  ", 2, &words, look.width)
}

fn bar_style(standing: Standing) -> anstyle::Style {
    match standing {
        Standing::Breach | Standing::Risk => level(Level::Breach),
        Standing::Undetermined => anstyle::AnsiColor::Magenta.on_default(),
        Standing::Clean | Standing::Advice => GOOD,
        Standing::Waived => DIM,
    }
}

fn more(out: &mut dyn Write, count: usize, what: &str, look: &Look) -> io::Result<()> {
    match count.saturating_sub(MOST) {
        0 => Ok(()),
        rest => writeln!(out, "  {}", look.paint(DIM, &format!("and {}", many(rest, &format!("more {what}"))))),
    }
}

/// What became of an earlier report's findings.
pub(super) fn since(out: &mut dyn Write, totals: &Totals, look: &Look) -> io::Result<()> {
    let Some(since) = totals.since() else { return Ok(()) };
    writeln!(
        out,
        "\n{} {}",
        look.paint(BOLD, &format!("Since {}", clean(&since.as_of))),
        look.paint(
            DIM,
            &format!(
                "{} new, {} remaining, {} gone, {} unsettled",
                since.new,
                since.remaining,
                since.gone.len(),
                since.unsettled.len()
            )
        )
    )?;
    for Former { check, level, switch, port, message, now, .. } in since.gone.iter().chain(&since.unsettled) {
        let place = [switch.as_deref(), port.as_deref()].into_iter().flatten().collect::<Vec<_>>().join(" ");
        let words = format!("{place}  {} {check}: {message}", level.word().to_uppercase());
        wrapped(out, &format!("  {} ", look.paint(BOLD, now.words())), 4, &clean(&words), look.width)?;
    }
    Ok(())
}

fn cut(text: &str, width: usize) -> String {
    if text.width() <= width {
        return text.to_owned();
    }
    text.chars().take(width.saturating_sub(1)).chain(['…']).collect()
}

fn pad(text: &str, width: usize) -> String {
    format!("{text}{}", " ".repeat(width.saturating_sub(text.width())))
}
