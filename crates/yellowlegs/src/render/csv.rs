//! The report as a table: RFC 4180, a row for each finding, then what is not known. No cell is a formula for a spreadsheet.

use std::borrow::Cow;
use std::io::{self, Write};

use serde::Serialize;
use yellowlegs_core::finding::{Brief, Evidence, EvidenceKind, Finding, SwitchOutcome};

use super::{Format, Head, Report, Tail, clean};

/// For spreadsheets.
pub(crate) const FORMAT: Format = Format {
    name: "csv",
    about: "For spreadsheets: a row for each finding",
    endings: &["csv"],
    has_colours: false,
    make: |_| Box::new(Csv),
};

struct Csv;

/// The columns, in order.
#[derive(Default, Serialize)]
struct Row<'a> {
    kind: &'static str,
    check: Cow<'a, str>,
    level: &'static str,
    switch: Cow<'a, str>,
    port: Cow<'a, str>,
    vlan: Option<u16>,
    role: Cow<'a, str>,
    message: Cow<'a, str>,
    setting: &'static str,
    value: Cow<'a, str>,
    origin: &'static str,
    file: Cow<'a, str>,
    line: Option<u32>,
    column: Option<u32>,
    text: Cow<'a, str>,
    policy_file: Cow<'a, str>,
    policy_line: Option<u32>,
    policy_text: Cow<'a, str>,
    remedy: Cow<'a, str>,
    waived_until: Cow<'a, str>,
    waived_by: Cow<'a, str>,
    waiver_reason: Cow<'a, str>,
    since: Cow<'a, str>,
    fingerprint: Cow<'a, str>,
}

/// A cell that no spreadsheet takes for a formula and no terminal for a command.
pub(super) fn cell(text: &str) -> Cow<'_, str> {
    let shown = clean(text);
    let mut first = shown.bytes().skip_while(u8::is_ascii_whitespace);
    let may_be = first.next().is_some_and(|byte| !byte.is_ascii_alphanumeric());
    if may_be && shown.trim_start().starts_with(['=', '+', '-', '@']) { Cow::Owned(format!("'{shown}")) } else { shown }
}

fn optional(text: Option<&str>) -> Cow<'_, str> {
    text.map(cell).unwrap_or_default()
}

/// A cell of a text that is made for it.
fn owned(text: &str) -> Cow<'static, str> {
    Cow::Owned(cell(text).into_owned())
}

impl<'a> Row<'a> {
    fn of(kind: &'static str, found: &'a Finding) -> Self {
        let policy = |line: &&Evidence| line.kind == EvidenceKind::Policy;
        let (own, demand) = (found.evidence.iter().find(|line| !policy(line)), found.evidence.iter().find(policy));
        let setting = found.settings.first();
        let waiver = found.waiver.as_ref();
        Self {
            kind,
            check: cell(found.check),
            level: found.level.word(),
            switch: optional(found.switch.as_deref()),
            port: optional(found.port.as_deref()),
            vlan: found.vlan,
            role: optional(found.role.as_deref()),
            message: cell(&found.message),
            setting: setting.map_or("", |s| s.name),
            value: setting
                .and_then(|s| s.value.as_ref())
                .map(|value| owned(&Brief(value).to_string()))
                .unwrap_or_default(),
            origin: setting.map_or("", |s| s.origin.word()),
            file: optional(own.and_then(|line| line.file.as_deref())),
            line: own.and_then(|line| line.line),
            column: own.and_then(|line| line.column),
            text: optional(own.map(|line| line.text.trim())),
            policy_file: optional(demand.and_then(|line| line.file.as_deref())),
            policy_line: demand.and_then(|line| line.line),
            policy_text: optional(demand.map(|line| line.text.trim())),
            remedy: cell(&found.remedy),
            waived_until: optional(waiver.map(|w| w.last_day.as_str())),
            waived_by: optional(waiver.map(|w| w.owner.as_str())),
            waiver_reason: optional(waiver.map(|w| w.reason.as_str())),
            since: optional(found.since.map(yellowlegs_core::finding::Since::word)),
            fingerprint: found.fingerprint.as_str().into(),
        }
    }
}

pub(super) fn writer(out: &mut dyn Write, headers: bool) -> ::csv::Writer<&mut dyn Write> {
    ::csv::WriterBuilder::new().has_headers(headers).terminator(::csv::Terminator::CRLF).from_writer(out)
}

fn rows<'a>(out: &mut dyn Write, rows: impl Iterator<Item = Row<'a>>) -> io::Result<()> {
    let mut writer = writer(out, false);
    for row in rows {
        writer.serialize(row).map_err(io::Error::from)?;
    }
    writer.flush()
}

impl Report for Csv {
    fn head(&mut self, out: &mut dyn Write, _: &Head) -> io::Result<()> {
        // The names of the columns are those of the row's fields, also where there is no row.
        let mut first = Vec::new();
        writer(&mut first, true).serialize(Row::default()).map_err(io::Error::from)?;
        let header = first.split_inclusive(|byte| *byte == b'\n').next().unwrap_or_default();
        out.write_all(header)
    }

    fn switch(&mut self, out: &mut dyn Write, outcome: &SwitchOutcome) -> io::Result<()> {
        rows(out, outcome.findings.iter().map(|found| Row::of("finding", found)))
    }

    fn tail(&mut self, out: &mut dyn Write, tail: &Tail<'_>) -> io::Result<()> {
        rows(out, tail.fleet_findings.iter().map(|found| Row::of("fleet_finding", found)))?;
        rows(
            out,
            tail.totals.undetermined().into_iter().map(|row| Row {
                kind: "undetermined",
                check: cell(row.check),
                switch: optional(row.sample.first().map(|s| &*s.switch)),
                port: optional(row.sample.first().and_then(|s| s.port.as_deref())),
                message: format!(
                    "needs {}; on {} ports of {} switches, this is one",
                    row.lacks(),
                    row.ports,
                    row.switches
                )
                .into(),
                ..Row::default()
            }),
        )?;
        rows(
            out,
            tail.totals.unread().into_iter().map(|row| Row {
                kind: "unread",
                message: owned(&format!("{} lines of this shape", row.count)),
                file: cell(&row.sample.file),
                line: Some(row.sample.line),
                text: cell(row.sample.text.as_deref().unwrap_or(&row.shape)),
                ..Row::default()
            }),
        )?;
        rows(
            out,
            tail.totals.remarks().map(|remark| Row {
                kind: "remark",
                switch: cell(&remark.about),
                message: cell(&remark.text),
                file: optional(remark.file.as_deref()),
                line: remark.line,
                ..Row::default()
            }),
        )?;
        rows(
            out,
            tail.unreadable.iter().map(|file| Row {
                kind: "unreadable",
                message: cell(&file.why),
                file: cell(&file.file),
                ..Row::default()
            }),
        )
    }
}

#[cfg(test)]
mod tests {
    use super::cell;
    use rstest::rstest;

    #[rstest]
    #[case("ticket desk", "ticket desk")]
    #[case("a=b", "a=b")]
    #[case("", "")]
    #[case("   ", "   ")]
    #[case("=1+1", "'=1+1")]
    #[case("  @sum", "'  @sum")]
    #[case("\t-2", "' -2")]
    #[case::blanks_of_other_scripts("\u{a0}\u{3000}+1", "'\u{a0}\u{3000}+1")]
    #[case::a_line_between("\n=1", "\\n=1")]
    #[case("ä=1", "ä=1")]
    fn no_cell_is_a_formula(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(cell(text), expected);
    }
}
