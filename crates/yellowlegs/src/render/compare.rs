//! What differs, for people and as JSON.

use std::io::{self, Write};

use serde::Serialize;
use yellowlegs_core::check::{StateUnlike, Unlike};
use yellowlegs_core::finding::{Evidence, EvidenceKind, Finding};
use yellowlegs_core::model::{natural_order, port_spans};
use yellowlegs_core::sorted;

use super::look::Look;
use super::style::{BOLD, DIM, GOOD, PLACE, paint};
use super::{clean, place, shown, write_json};

/// Two sides that were compared.
#[derive(Serialize)]
pub(crate) struct Comparison {
    pub(crate) a: String,
    pub(crate) b: String,
    /// The snapshot that alone has the switch.
    pub(crate) only_in: Option<String>,
    pub(crate) settings: Vec<Unlike>,
    pub(crate) state: Vec<StateUnlike>,
    #[serde(skip)]
    pub(crate) appeared: Vec<Changed>,
    #[serde(skip)]
    pub(crate) gone: Vec<Changed>,
    #[serde(skip)]
    pub(crate) stayed: Vec<Changed>,
}

/// A finding that only one side has.
#[derive(Serialize)]
pub(crate) struct Changed {
    check: &'static str,
    level: &'static str,
    port: Option<String>,
    vlan: Option<u16>,
    message: String,
}

impl Changed {
    pub(crate) fn of(found: &Finding) -> Self {
        Self {
            check: found.check,
            level: found.level.word(),
            port: found.port.clone(),
            vlan: found.vlan,
            message: found.message.clone(),
        }
    }
}

impl Comparison {
    /// A switch that only one snapshot has.
    pub(crate) fn alone(name: &str, only_in: &str) -> Self {
        Self {
            a: name.to_owned(),
            b: name.to_owned(),
            only_in: Some(only_in.to_owned()),
            settings: Vec::new(),
            state: Vec::new(),
            appeared: Vec::new(),
            gone: Vec::new(),
            stayed: Vec::new(),
        }
    }

    /// Whether anything does.
    pub(crate) fn differs(&self) -> bool {
        let same = self.settings.is_empty() && self.state.is_empty() && self.only_in.is_none();
        !(same && self.appeared.is_empty() && self.gone.is_empty())
    }
}

#[derive(Serialize)]
struct FindingsJson<'a> {
    appeared: &'a [Changed],
    gone: &'a [Changed],
    stayed: &'a [Changed],
}

#[derive(Serialize)]
struct ComparisonJson<'a> {
    #[serde(flatten)]
    comparison: &'a Comparison,
    findings: FindingsJson<'a>,
}

impl<'a> From<&'a Comparison> for ComparisonJson<'a> {
    fn from(comparison: &'a Comparison) -> Self {
        let Comparison { appeared, gone, stayed, .. } = comparison;
        Self { comparison, findings: FindingsJson { appeared, gone, stayed } }
    }
}

#[derive(Serialize)]
struct Several<'a> {
    comparisons: Vec<ComparisonJson<'a>>,
}

/// One pair as one object; several as a list in one.
pub(crate) fn json(out: &mut dyn Write, all: &[Comparison]) -> io::Result<()> {
    match all {
        [one] => write_json(out, &ComparisonJson::from(one)),
        all => write_json(out, &Several { comparisons: all.iter().map(ComparisonJson::from).collect() }),
    }
}

/// For people: settings, then state, then findings; the same change on many ports is one line.
pub(crate) fn text(out: &mut dyn Write, all: &[Comparison], whole: bool, look: &Look) -> io::Result<()> {
    if !all.iter().any(Comparison::differs) {
        let told = if whole {
            paint(GOOD, "Nothing differs.")
        } else {
            "Nothing differs in what could be read; not all of it could.".to_owned()
        };
        return writeln!(out, "{told}");
    }
    for comparison in all {
        one(out, comparison, look)?;
    }
    Ok(())
}

fn one(out: &mut dyn Write, comparison: &Comparison, look: &Look) -> io::Result<()> {
    let Comparison { a, b, only_in, settings, state, appeared, gone, stayed } = comparison;
    if let Some(only) = only_in {
        return writeln!(out, "{} {}\n", paint(BOLD, &clean(a)), clean(&format!("is only in {only}")));
    }
    let title = if a == b { a.clone() } else { format!("{a} → {b}") };
    writeln!(out, "{}", paint(BOLD, &clean(&title)))?;
    if !settings.is_empty() {
        writeln!(out, "\n  {}", paint(BOLD, "Settings"))?;
    }
    for unlike in settings {
        let change = format!("{} → {}", shown(unlike.a.as_ref()), shown(unlike.b.as_ref()));
        writeln!(
            out,
            "  {}  {}  {}",
            paint(BOLD, unlike.setting),
            clean(&change),
            paint(DIM, &clean(&places(unlike)))
        )?;
        for (evidence, side) in [(&unlike.evidence_a, "a"), (&unlike.evidence_b, "b")] {
            quoted(out, evidence, side, look.is_verbose())?;
        }
    }
    if !state.is_empty() {
        writeln!(out, "\n  {}", paint(BOLD, "State"))?;
    }
    for unlike in state {
        let change = format!("{} → {}", unlike.a, unlike.b);
        let ports = spans(&unlike.ports);
        writeln!(out, "  {}  {}  {}", paint(BOLD, unlike.what), clean(&change), paint(DIM, &clean(&ports)))?;
    }
    let count = format!("{} appeared, {} gone, {} stayed", appeared.len(), gone.len(), stayed.len());
    writeln!(out, "\n  {} {}", paint(BOLD, "Findings"), paint(DIM, &count))?;
    for (mark, findings) in [("+", appeared), ("-", gone)] {
        for (Changed { check, level, message, .. }, ports) in grouped(findings) {
            writeln!(out, "  {mark} {level:6} {check}  {}", clean(message))?;
            if !ports.is_empty() {
                writeln!(out, "      {}", paint(DIM, &clean(&spans(&ports))))?;
            }
        }
    }
    writeln!(out)
}

/// The same finding on many ports is one entry.
fn grouped(findings: &[Changed]) -> Vec<(&Changed, Vec<String>)> {
    let mut groups: Vec<(&Changed, Vec<String>)> = Vec::new();
    for found in findings {
        let same = |other: &Changed| (other.check, &other.message) == (found.check, &found.message);
        match groups.iter_mut().find(|(first, _)| same(first)) {
            Some((_, ports)) => ports.extend(found.port.clone()),
            None => groups.push((found, found.port.iter().cloned().collect())),
        }
    }
    for (_, ports) in &mut groups {
        sorted::by(ports, |a, b| natural_order(a, b));
    }
    groups
}

fn places(unlike: &Unlike) -> String {
    let mut places = Vec::new();
    if !unlike.ports.is_empty() {
        places.push(spans(&unlike.ports));
    }
    if !unlike.vlans.is_empty() {
        let vlans: Vec<String> = unlike.vlans.iter().map(ToString::to_string).collect();
        places.push(format!("VLAN {}", vlans.join(", ")));
    }
    if !unlike.mirrors.is_empty() {
        places.push(format!("mirror {}", unlike.mirrors.join(", ")));
    }
    if places.is_empty() { "the switch".to_owned() } else { places.join("; ") }
}

fn quoted(out: &mut dyn Write, evidence: &[Evidence], side: &str, all: bool) -> io::Result<()> {
    // Where no line speaks, what holds then says more than the place where it could stand.
    let (silent, lines): (Vec<&Evidence>, Vec<&Evidence>) =
        evidence.iter().partition(|e| e.kind == EvidenceKind::Silent);
    let lines = if lines.is_empty() { silent } else { lines };
    for line in lines.into_iter().take(if all { usize::MAX } else { 1 }) {
        writeln!(out, "    {side} {}  {}", paint(PLACE, &place(line)), clean(line.text.trim()))?;
    }
    Ok(())
}

/// How many ports, and which.
fn spans(names: &[String]) -> String {
    let shown = port_spans(&names.iter().map(String::as_str).collect::<Vec<_>>()).join(", ");
    match names.len() {
        1 => format!("port {shown}"),
        2 => format!("ports {shown}"),
        many => format!("{many} ports: {shown}"),
    }
}
