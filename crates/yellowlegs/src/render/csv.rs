//! The report as a table: RFC 4180, a row for each finding, then what is not known. No cell is a formula for a spreadsheet.

use std::borrow::Cow;
use std::io::{self, Write};

use ::csv::ByteRecord;
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

/// What is told in a row, before it is made fit for a spreadsheet.
#[derive(Default)]
struct Row<'a> {
    kind: &'a str,
    check: &'a str,
    level: &'a str,
    switch: &'a str,
    port: &'a str,
    vlan: Option<u32>,
    role: &'a str,
    message: Cow<'a, str>,
    setting: &'a str,
    value: String,
    origin: &'a str,
    file: &'a str,
    line: Option<u32>,
    column: Option<u32>,
    text: &'a str,
    policy_file: &'a str,
    policy_line: Option<u32>,
    policy_text: &'a str,
    remedy: &'a str,
    waived_until: &'a str,
    waived_by: &'a str,
    waiver_reason: &'a str,
    since: &'a str,
    fingerprint: &'a str,
}

/// What stands in a column.
enum Cell<'a> {
    /// One of this program's own words.
    Word(&'a str),
    Text(&'a str),
    Number(Option<u32>),
}

/// A cell that no spreadsheet takes for a formula and no terminal for a command.
pub(super) fn cell(text: &str) -> Cow<'_, str> {
    let shown = clean(text);
    let mut first = shown.bytes().skip_while(u8::is_ascii_whitespace);
    let may_be = first.next().is_some_and(|byte| !byte.is_ascii_alphanumeric());
    if may_be && shown.trim_start().starts_with(['=', '+', '-', '@']) { Cow::Owned(format!("'{shown}")) } else { shown }
}

impl<'a> Row<'a> {
    fn of(kind: &'static str, found: &'a Finding) -> Self {
        let policy = |line: &&Evidence| line.kind == EvidenceKind::Policy;
        let (own, demand) = (found.evidence.iter().find(|line| !policy(line)), found.evidence.iter().find(policy));
        let file = |line: Option<&'a Evidence>| line.and_then(|line| line.file.as_deref()).unwrap_or_default();
        let text = |line: Option<&'a Evidence>| line.map(|line| line.text.trim()).unwrap_or_default();
        let setting = found.settings.first();
        let value = setting.and_then(|setting| setting.value.as_ref());
        let waiver = found.waiver.as_ref();
        Self {
            kind,
            check: found.check,
            level: found.level.word(),
            switch: found.switch.as_deref().unwrap_or_default(),
            port: found.port.as_deref().unwrap_or_default(),
            vlan: found.vlan.map(u32::from),
            role: found.role.as_deref().unwrap_or_default(),
            message: found.message.as_str().into(),
            setting: setting.map_or("", |s| s.name),
            value: value.map(|value| Brief(value).to_string()).unwrap_or_default(),
            origin: setting.map_or("", |s| s.origin.word()),
            file: file(own),
            line: own.and_then(|line| line.line),
            column: own.and_then(|line| line.column),
            text: text(own),
            policy_file: file(demand),
            policy_line: demand.and_then(|line| line.line),
            policy_text: text(demand),
            remedy: &found.remedy,
            waived_until: waiver.map_or("", |waiver| &waiver.last_day),
            waived_by: waiver.map_or("", |waiver| &waiver.owner),
            waiver_reason: waiver.map_or("", |waiver| &waiver.reason),
            since: found.since.map_or("", yellowlegs_core::finding::Since::word),
            fingerprint: &found.fingerprint,
        }
    }

    /// The columns in their order, by name.
    fn columns(&self) -> [(&'static str, Cell<'_>); 24] {
        use Cell::{Number, Text, Word};
        [
            ("kind", Word(self.kind)),
            ("check", Text(self.check)),
            ("level", Word(self.level)),
            ("switch", Text(self.switch)),
            ("port", Text(self.port)),
            ("vlan", Number(self.vlan)),
            ("role", Text(self.role)),
            ("message", Text(&self.message)),
            ("setting", Word(self.setting)),
            ("value", Text(&self.value)),
            ("origin", Word(self.origin)),
            ("file", Text(self.file)),
            ("line", Number(self.line)),
            ("column", Number(self.column)),
            ("text", Text(self.text)),
            ("policy_file", Text(self.policy_file)),
            ("policy_line", Number(self.policy_line)),
            ("policy_text", Text(self.policy_text)),
            ("remedy", Text(self.remedy)),
            ("waived_until", Text(self.waived_until)),
            ("waived_by", Text(self.waived_by)),
            ("waiver_reason", Text(self.waiver_reason)),
            ("since", Word(self.since)),
            ("fingerprint", Word(self.fingerprint)),
        ]
    }
}

pub(super) fn writer(out: &mut dyn Write, headers: bool) -> ::csv::Writer<&mut dyn Write> {
    ::csv::WriterBuilder::new().has_headers(headers).terminator(::csv::Terminator::CRLF).from_writer(out)
}

/// Writes rows through one record: of a record the library knows how long it is, and writes it in one go.
fn rows<'a>(out: &mut dyn Write, rows: impl Iterator<Item = Row<'a>>) -> io::Result<()> {
    let (mut writer, mut record) = (writer(out, false), ByteRecord::new());
    for row in rows {
        record.clear();
        for (_, column) in row.columns() {
            match column {
                Cell::Word(text) => record.push_field(text.as_bytes()),
                Cell::Text("") | Cell::Number(None) => record.push_field(b""),
                Cell::Text(text) => record.push_field(cell(text).as_bytes()),
                Cell::Number(Some(number)) => record.push_field(number.to_string().as_bytes()),
            }
        }
        writer.write_byte_record(&record).map_err(io::Error::from)?;
    }
    writer.flush()
}

impl Report for Csv {
    fn head(&mut self, out: &mut dyn Write, _: &Head) -> io::Result<()> {
        let mut writer = writer(out, false);
        writer.write_record(Row::default().columns().map(|(name, _)| name)).map_err(io::Error::from)?;
        writer.flush()
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
                check: row.check,
                switch: row.sample.first().map(|s| &*s.switch).unwrap_or_default(),
                port: row.sample.first().and_then(|s| s.port.as_deref()).unwrap_or_default(),
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
                message: format!("{} lines of this shape", row.count).into(),
                file: &row.sample.file,
                line: Some(row.sample.line),
                text: row.sample.text.as_deref().unwrap_or(&row.shape),
                ..Row::default()
            }),
        )?;
        rows(
            out,
            tail.totals.remarks().map(|remark| Row {
                kind: "remark",
                switch: &remark.about,
                message: remark.text.as_str().into(),
                file: remark.file.as_deref().unwrap_or_default(),
                line: remark.line,
                ..Row::default()
            }),
        )?;
        rows(
            out,
            tail.unreadable.iter().map(|file| Row {
                kind: "unreadable",
                message: file.why.as_str().into(),
                file: &file.file,
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
