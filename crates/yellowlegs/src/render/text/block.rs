//! One finding, or the same fault on many ports: what is wrong, the lines that prove it, what to do.

use std::io::{self, Write};

use yellowlegs_core::finding::{Block, DrillShown, Evidence, EvidenceKind, Finding};
use yellowlegs_core::model::port_spans;
use yellowlegs_core::policy::Level;

use super::super::look::Look;
use super::super::style::{BOLD, DIM, level};
use super::super::wrap::wrapped;
use super::super::{clean, note, role_from};
use super::quote::{quote, same_line};
use super::{fresh, many};

/// Where a finding's port is named.
#[derive(Clone, Copy)]
pub(super) enum Placed<'b> {
    /// In a heading above it.
    Above,
    /// With it: these are the ports, and the others that say the same.
    Here(&'b Block<'b>),
    /// With it, and its switch.
    Anywhere(&'b Block<'b>),
}

/// A finding with its evidence.
pub(super) fn finding(out: &mut dyn Write, found: &Finding, placed: Placed<'_>, look: &Look) -> io::Result<()> {
    let (style, word) = match &found.waiver {
        Some(_) => (DIM, "WAIVED".to_owned()),
        None => (level(found.level), found.level.word().to_uppercase()),
    };
    let mark = look.paint(style, &word);
    let title = format!("{}{mark} {}", look.paint(BOLD, fresh(found.since)), look.paint(BOLD, found.check));
    let others: &[&Finding] = match placed {
        Placed::Above => {
            wrapped(out, &format!("    {title}: "), 6, &clean(&found.message), look.width)?;
            &[]
        }
        Placed::Here(block) | Placed::Anywhere(block) => {
            let switch = block.first.switch.as_deref().filter(|_| matches!(placed, Placed::Anywhere(_)));
            let places = switch.map(|name| format!("{name} ")).unwrap_or_default() + &places(block);
            wrapped(out, &format!("  {title}  "), 6, &clean(&places), look.width)?;
            wrapped(out, "    ", 4, &clean(&found.message), look.width)?;
            &block.others
        }
    };
    if let Some(grew) = &found.grew {
        wrapped(out, "      worse than before: ", 8, &clean(grew), look.width)?;
    }
    if let Some(shown) = &found.drill {
        let (words, style) = drilled(shown);
        wrapped(out, &format!("      {} ", look.paint(style, &shown.drill)), 8, &clean(&words), look.width)?;
    }
    if let Some(waiver) = &found.waiver {
        let until = format!("until {} by {}: {}", waiver.last_day, waiver.owner, waiver.reason);
        wrapped(out, "      ", 6, &clean(&until), look.width)?;
        return quote(out, std::slice::from_ref(&waiver.evidence), "the waiver", look);
    }
    let (policy, lines): (Vec<&[Evidence]>, Vec<&[Evidence]>) =
        found.evidence.chunk_by(same_line).partition(|lines| lines.first().is_some_and(is_policy));
    for of_line in lines {
        quote(out, of_line, of_line.first().map_or("", |e| note(e.kind)), look)?;
    }
    alike(out, found, others, look)?;
    for of_line in policy {
        quote(out, of_line, note(EvidenceKind::Policy), look)?;
    }
    if look.is_verbose() {
        for of_line in found.overridden.chunk_by(same_line) {
            quote(out, of_line, "spoke about it too", look)?;
        }
    }
    for related in &found.related {
        let port = related.port.as_deref().map(|p| format!(" port {p}")).unwrap_or_default();
        wrapped(out, "      see ", 8, &clean(&format!("{}{port}", related.switch)), look.width)?;
    }
    wrapped(out, &format!("      {} ", look.paint(BOLD, "do:")), 10, &clean(&found.remedy), look.width)
}

/// What a drill made of a finding.
fn drilled(shown: &DrillShown) -> (String, anstyle::Style) {
    let on = if shown.ports > 1 { format!(" (on {} ports of the switch)", shown.ports) } else { String::new() };
    let style = if shown.outcome == "outage" { level(Level::Risk) } else { level(Level::Breach) };
    (format!("{}: {}{on}", shown.outcome, shown.says), style)
}

fn is_policy(line: &Evidence) -> bool {
    line.kind == EvidenceKind::Policy
}

/// `1.1, 1.3 to 1.9 (8 ports, desk)`.
fn places(block: &Block<'_>) -> String {
    let ports = block.ports();
    let spans = port_spans(&ports).join(", ");
    match (ports.len(), &block.first.role) {
        (0, _) => block.first.switch.as_ref().map_or_else(|| "the fleet".to_owned(), |_| "the switch".to_owned()),
        (1, None) => spans,
        (1, Some(name)) => format!("{spans} ({name})"),
        (several, None) => format!("{spans} ({several} ports)"),
        (several, Some(name)) => format!("{spans} ({several} ports, {name})"),
    }
}

/// The lines of the other ports of a block, by their numbers.
fn alike(out: &mut dyn Write, found: &Finding, others: &[&Finding], look: &Look) -> io::Result<()> {
    const MOST: usize = 8;
    let mut lines: Vec<(&str, u32)> = Vec::new();
    for line in others.iter().flat_map(|other| &other.evidence).filter(|line| !is_policy(line)) {
        let (Some(file), Some(number)) = (line.file.as_deref(), line.line) else { continue };
        if !found.evidence.contains(line) && !lines.contains(&(file, number)) {
            lines.push((file, number));
        }
    }
    let Some((last, _)) = lines.first() else { return Ok(()) };
    let mut last = *last;
    let mut shown = format!("and {}: {}", many(lines.len(), "more line"), clean(last));
    for (file, number) in lines.iter().take(MOST) {
        if *file != last {
            shown = format!("{shown}, {}", clean(file));
            last = file;
        }
        shown = format!("{shown}:{number}");
    }
    if lines.len() > MOST {
        shown.push_str(" …; --each shows them");
    }
    wrapped(out, "      ", 8, &shown, look.width)
}

/// The port's role and what told it.
pub(super) fn role(found: &Finding) -> String {
    let Some(name) = &found.role else { return "no role".into() };
    let Some(from) = found.role_from else { return name.clone() };
    format!("{}, {}", clean(name), role_from(from))
}
