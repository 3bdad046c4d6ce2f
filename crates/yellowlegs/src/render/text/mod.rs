//! The report for people: per switch its ports drawn and what is wrong with the lines that prove it; then what is not known;
//! at the end, on one screen, how bad it is and where to begin.

mod block;
mod open;
mod overview;
mod panel;
mod quote;

use std::io::{self, Write};

use yellowlegs_core::finding::{Finding, Since, SwitchOutcome, SwitchRow, blocks};

use super::look::Look;
use super::style::{BOLD, DIM, GOOD, PLACE};
use super::wrap::wrapped;
use super::{Format, Head, Report, Tail, clean};
use block::Placed;

/// For people.
pub(crate) const FORMAT: Format = Format {
    name: "text",
    about: "For people, at a terminal",
    endings: &["txt"],
    has_colours: true,
    make: |look| Box::new(TextReport::new(look)),
};

/// The text report.
pub(crate) struct TextReport {
    pub(crate) look: Look,
    head: Head,
    /// Only the last screen.
    brief: bool,
}

impl TextReport {
    pub(crate) fn new(look: Look) -> Self {
        Self { look, head: Head::default(), brief: false }
    }

    /// Only how bad it is and where to begin.
    pub(crate) fn last_screen(look: Look) -> Self {
        Self { brief: true, ..Self::new(look) }
    }
}

impl Report for TextReport {
    fn head(&mut self, out: &mut dyn Write, head: &Head) -> io::Result<()> {
        self.head = head.clone();
        if self.brief {
            return Ok(());
        }
        wrapped(out, "", 2, &clean(&head.title()), self.look.width)?;
        if !head.chosen.is_empty() {
            let lead = self.look.paint(DIM, "reported is only ");
            wrapped(out, &lead, 2, &clean(&head.chosen.join(" ")), self.look.width)?;
        }
        writeln!(out, "{}", panel::legend(&self.look))
    }

    fn switch(&mut self, out: &mut dyn Write, outcome: &SwitchOutcome) -> io::Result<()> {
        let Some(row) = outcome.row.as_ref().filter(|_| !self.brief) else { return Ok(()) };
        writeln!(out)?;
        heading(out, row, &self.look)?;
        panel::draw(out, &outcome.ports, &self.look)?;
        if self.look.each {
            self.port_by_port(out, &outcome.findings)?;
        } else {
            self.blocks(out, &outcome.findings, false)?;
        }
        if self.look.is_verbose() {
            for undecided in &outcome.undetermined {
                let port = undecided.port.as_deref().unwrap_or("the switch");
                let words = format!("{port} {} undetermined: {}", undecided.check, undecided.lacks());
                wrapped(out, "  ", 4, &clean(&words), self.look.width)?;
            }
        }
        Ok(())
    }

    fn tail(&mut self, out: &mut dyn Write, tail: &Tail<'_>) -> io::Result<()> {
        if !self.brief {
            self.details(out, tail)?;
        }
        if !tail.unreadable.is_empty() {
            writeln!(out, "\n{}", self.look.paint(BOLD, "Could not be read"))?;
            for file in tail.unreadable {
                let lead = format!("  {}: ", self.look.paint(PLACE, &clean(&file.file)));
                wrapped(out, &lead, 4, &clean(&file.why), self.look.width)?;
            }
        }
        overview::since(out, tail.totals, &self.look)?;
        overview::overview(out, &self.head, tail, &self.look)
    }
}

impl TextReport {
    /// What stands between the switches and the last screen.
    fn details(&self, out: &mut dyn Write, tail: &Tail<'_>) -> io::Result<()> {
        if !tail.fleet_findings.is_empty() {
            writeln!(out, "\n{}", self.look.paint(BOLD, "Across the fleet"))?;
            self.blocks(out, tail.fleet_findings, true)?;
        }
        open::undetermined(out, tail.totals, &self.look)?;
        open::doubts(out, tail.totals, self.head.doubt, &self.look)?;
        if !self.look.is_quiet() {
            open::unread(out, tail.totals, &self.look)?;
            open::remarks(out, tail.totals, &self.look)?;
        }
        Ok(())
    }

    fn blocks(&self, out: &mut dyn Write, findings: &[Finding], across: bool) -> io::Result<()> {
        for block in blocks(findings) {
            writeln!(out)?;
            let placed = if across { Placed::Anywhere(&block) } else { Placed::Here(&block) };
            block::finding(out, block.first, placed, &self.look)?;
        }
        Ok(())
    }

    fn port_by_port(&self, out: &mut dyn Write, findings: &[Finding]) -> io::Result<()> {
        for of_port in findings.chunk_by(|one, other| one.port == other.port) {
            let Some(first) = of_port.first() else { continue };
            match &first.port {
                Some(port) => {
                    writeln!(out)?;
                    let lead = format!("  {} ", self.look.paint(BOLD, &clean(port)));
                    wrapped(out, &lead, 4, &block::role(first), self.look.width)?;
                }
                None => writeln!(out, "\n  {}", self.look.paint(BOLD, "the switch"))?,
            }
            of_port.iter().try_for_each(|found| block::finding(out, found, Placed::Above, &self.look))?;
        }
        Ok(())
    }
}

/// A finding whose port stands above it.
pub(crate) fn finding(out: &mut dyn Write, found: &Finding, look: &Look) -> io::Result<()> {
    block::finding(out, found, Placed::Above, look)
}

fn heading(out: &mut dyn Write, row: &SwitchRow, look: &Look) -> io::Result<()> {
    let dialect = row.read_by();
    let understood = row.lines - row.unread_lines.min(row.lines);
    let name = clean(&row.switch);
    let about = format!(
        "{dialect}, {understood} of {} understood, {}, {} violating",
        many(row.lines as usize, "line"),
        many(row.ports as usize, "port"),
        if row.violating_ports > 0 { row.violating_ports.to_string() } else { "none".to_owned() }
    );
    let style = if row.violating_ports > 0 { BOLD } else { GOOD };
    wrapped(out, &format!("{}  ", look.paint(style, &name)), 2, &clean(&about), look.width)
}

fn many(count: usize, what: &str) -> String {
    let plural = if what.ends_with("ch") { "es" } else { "s" };
    format!("{count} {what}{}", if count == 1 { "" } else { plural })
}

/// The mark of a finding that an earlier report has not.
fn fresh(since: Option<Since>) -> &'static str {
    if since == Some(Since::New) { "NEW " } else { "" }
}
