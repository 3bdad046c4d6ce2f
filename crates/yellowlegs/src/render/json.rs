//! The JSON report, as one object or one object a line, streamed.

use std::io::{self, Write};

use serde::Serialize;
use serde_json::json;
use yellowlegs_core::finding::{Finding, SwitchOutcome};
use yellowlegs_core::source::{one_line, over_lines};

use super::{Format, Head, Report, Tail};

/// The version of the report's shape.
pub(crate) const REPORT: u32 = 1;

/// One object.
pub(crate) const FORMAT: Format = Format {
    name: "json",
    about: "For programs: one object, with everything",
    endings: &["json"],
    has_colours: false,
    make: |_| Box::new(JsonReport::default()),
};

/// One object a line.
pub(crate) const LINES: Format = Format {
    name: "jsonl",
    about: "For programs: one object a line, as it comes",
    endings: &["jsonl"],
    has_colours: false,
    make: |_| Box::new(JsonLines),
};

/// Writes one value on one line.
pub(super) fn compact(out: &mut dyn Write, value: &impl Serialize) -> io::Result<()> {
    out.write_all(&one_line(value)?)
}

/// Writes one value over several lines.
pub(crate) fn write_json(out: &mut dyn Write, value: &impl Serialize) -> io::Result<()> {
    out.write_all(&over_lines(value)?)
}

fn tool() -> serde_json::Value {
    json!({"name": "yellowlegs", "version": env!("CARGO_PKG_VERSION")})
}

/// Report 1 as one object; one element a line.
#[derive(Default)]
struct JsonReport {
    elements: usize,
}

impl JsonReport {
    fn open(&mut self, out: &mut dyn Write, name: &str) -> io::Result<()> {
        self.elements = 0;
        write!(out, ",\n\"{name}\": [")
    }

    fn element(&mut self, out: &mut dyn Write, value: &impl Serialize) -> io::Result<()> {
        out.write_all(if self.elements > 0 { b",\n  " } else { b"\n  " })?;
        self.elements += 1;
        compact(out, value)
    }

    fn array<T: Serialize>(
        &mut self,
        out: &mut dyn Write,
        name: &str,
        values: impl IntoIterator<Item = T>,
    ) -> io::Result<()> {
        self.open(out, name)?;
        values.into_iter().try_for_each(|value| self.element(out, &value))?;
        write!(out, "]")
    }
}

impl Report for JsonReport {
    fn head(&mut self, out: &mut dyn Write, head: &Head) -> io::Result<()> {
        write!(out, "{{\"tool\": ")?;
        compact(out, &tool())?;
        write!(out, ",\n\"report\": {REPORT},\n\"as_of\": ")?;
        compact(out, &head.as_of)?;
        write!(out, ",\n\"doubt\": ")?;
        compact(out, &head.doubt)?;
        self.open(out, "findings")
    }

    fn switch(&mut self, out: &mut dyn Write, outcome: &SwitchOutcome) -> io::Result<()> {
        outcome.findings.iter().try_for_each(|finding| self.element(out, finding))
    }

    fn tail(&mut self, out: &mut dyn Write, tail: &Tail<'_>) -> io::Result<()> {
        write!(out, "]")?;
        self.array(out, "fleet_findings", tail.fleet_findings)?;
        self.array(out, "undetermined", tail.totals.undetermined())?;
        self.array(out, "unread", tail.totals.unread())?;
        self.array(out, "doubts", tail.totals.doubts())?;
        self.array(out, "remarks", tail.totals.remarks())?;
        self.array(out, "unreadable", tail.unreadable)?;
        self.array(out, "switches", tail.totals.switches())?;
        if let Some(since) = tail.totals.since() {
            write!(out, ",\n\"since\": ")?;
            compact(out, since)?;
        }
        write!(out, ",\n\"summary\": ")?;
        compact(out, &tail.totals.summary(tail.unreadable.len()))?;
        writeln!(out, "}}")
    }
}

/// Report 1, one object a line, each with its kind.
struct JsonLines;

#[derive(Serialize)]
struct Tagged<'a, T: Serialize> {
    kind: &'static str,
    #[serde(flatten)]
    value: &'a T,
}

fn line(out: &mut dyn Write, kind: &'static str, value: &impl Serialize) -> io::Result<()> {
    compact(out, &Tagged { kind, value })?;
    writeln!(out)
}

fn all<'v, T: Serialize + 'v>(
    out: &mut dyn Write,
    kind: &'static str,
    values: impl IntoIterator<Item = &'v T>,
) -> io::Result<()> {
    values.into_iter().try_for_each(|value| line(out, kind, value))
}

impl Report for JsonLines {
    fn head(&mut self, _: &mut dyn Write, _: &Head) -> io::Result<()> {
        Ok(())
    }

    fn switch(&mut self, out: &mut dyn Write, outcome: &SwitchOutcome) -> io::Result<()> {
        all::<Finding>(out, "finding", &outcome.findings)
    }

    fn tail(&mut self, out: &mut dyn Write, tail: &Tail<'_>) -> io::Result<()> {
        all(out, "fleet_finding", tail.fleet_findings)?;
        all(out, "undetermined", tail.totals.undetermined())?;
        all(out, "unread", tail.totals.unread())?;
        all(out, "doubt", tail.totals.doubts())?;
        all(out, "remark", tail.totals.remarks())?;
        all(out, "unreadable", tail.unreadable)?;
        all(out, "switch", tail.totals.switches())?;
        all(out, "since", tail.totals.since())?;
        line(out, "summary", &tail.totals.summary(tail.unreadable.len()))
    }
}
