//! Formats that need the whole report before they write its first byte.

use std::io::{self, Write};

use yellowlegs_core::finding::{Finding, PortShown, Standing, SwitchOutcome};

use super::{Head, Report, Tail};

/// The report without its tail.
#[derive(Default)]
pub(crate) struct Whole {
    pub(crate) head: Head,
    /// In path order.
    pub(crate) switches: Vec<SwitchOutcome>,
}

/// Writes a format from the whole report.
pub(crate) type WriteWhole = fn(&mut dyn Write, &Whole, &Tail<'_>) -> io::Result<()>;

/// A report that is kept until it is whole.
pub(crate) struct Kept {
    whole: Whole,
    write: WriteWhole,
}

impl Kept {
    /// For a format.
    pub(crate) fn until_whole(write: WriteWhole) -> Box<dyn Report> {
        Box::new(Self { whole: Whole::default(), write })
    }
}

impl Report for Kept {
    fn head(&mut self, _: &mut dyn Write, head: &Head) -> io::Result<()> {
        self.whole.head = head.clone();
        Ok(())
    }

    fn switch(&mut self, _: &mut dyn Write, outcome: &SwitchOutcome) -> io::Result<()> {
        if outcome.row.is_some() {
            self.whole.switches.push(outcome.clone());
        }
        Ok(())
    }

    fn tail(&mut self, out: &mut dyn Write, tail: &Tail<'_>) -> io::Result<()> {
        (self.write)(out, &self.whole, tail)
    }
}

/// The findings of a switch, those across the fleet that stand on it last.
pub(crate) fn findings_on<'r>(outcome: &'r SwitchOutcome, tail: &Tail<'r>) -> Vec<&'r Finding> {
    let name = outcome.row.as_ref().map(|row| &row.switch);
    let across = tail.fleet_findings.iter().filter(|f| name.is_some() && f.switch.as_ref() == name);
    outcome.findings.iter().chain(across).collect()
}

/// The ports of a switch, each with the gravest that is said of it, findings across the fleet among it.
pub(crate) fn ports_of(outcome: &SwitchOutcome, tail: &Tail<'_>) -> Vec<PortShown> {
    let mut ports = outcome.ports.clone();
    let name = outcome.row.as_ref().map(|row| &row.switch);
    for finding in tail.fleet_findings.iter().filter(|f| f.switch.as_ref() == name) {
        let port = ports.iter_mut().find(|port| Some(port.name.as_str()) == finding.port.as_deref());
        if let Some(port) = port {
            port.standing = port.standing.min(Standing::of(finding));
        }
    }
    ports
}
