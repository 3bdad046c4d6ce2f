//! The lines that prove a finding.

use std::sync::Arc;

use serde::Serialize;

use super::Brief;
use crate::model::{Mark, Origin, Scope, SettingId, Slot, Switch, facts};
use crate::policy::Cite;

/// What a piece of evidence is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum EvidenceKind {
    /// A line of a configuration.
    Line,
    /// A platform's default.
    Default,
    /// Where a configuration could say something and does not.
    Silent,
    /// A line of a table or a stanza.
    Table,
    /// A line of a log.
    Log,
    /// A switch record.
    Record,
    /// A line of the policy, or a built-in default of it.
    Policy,
}

impl EvidenceKind {
    /// What a line beside the deciding ones is: the dialect is the first of a switch's files, state comes last.
    pub(crate) fn of_line(switch: &Switch, mark: Mark) -> Self {
        match mark.file {
            0 => Self::Default,
            1 => Self::Line,
            _ if switch.facts_of(facts::event::FACT).any(|event| event.mark == mark) => Self::Log,
            _ => Self::Table,
        }
    }
}

/// A line with its place; the stretch that matters begins at the column.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Evidence {
    /// What it is.
    pub kind: EvidenceKind,
    /// The file, relative to the fleet's root; null for what is built in.
    pub file: Option<Arc<str>>,
    /// The line, from 1.
    pub line: Option<u32>,
    /// The column in characters, from 1.
    pub column: Option<u32>,
    /// How many characters matter.
    pub width: Option<u32>,
    /// The line; of one of more than 1,000 bytes the part around what matters, with an ellipsis where something is left out.
    pub text: String,
    /// Of a part of a line, how many of its characters stand before it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub left_out: Option<u32>,
}

impl Evidence {
    /// Words that stand in no file.
    pub fn words(kind: EvidenceKind, text: String) -> Self {
        Self { kind, file: None, line: None, column: None, width: None, text, left_out: None }
    }

    /// Where in the text the words that matter begin, in characters from 0.
    pub fn start(&self) -> usize {
        self.column.map_or(0, |column| column.saturating_sub(1 + self.left_out.unwrap_or_default()) as usize)
    }

    /// A line of one of the switch's files.
    pub fn line(kind: EvidenceKind, switch: &Switch, mark: Mark) -> Option<Self> {
        let quote = switch.quote(mark)?;
        Some(Self {
            kind,
            file: Some(quote.place.file),
            line: Some(quote.place.line),
            column: Some(quote.place.column),
            width: Some(quote.width),
            text: quote.text,
            left_out: quote.left_out,
        })
    }
}

/// The evidence for a value in force: its line; or that the text is silent, and the platform's default.
pub fn quote_slot(switch: &Switch, port: Option<usize>, id: SettingId, slot: &Slot) -> Vec<Evidence> {
    let name = id.name();
    let shown = || slot.value.as_ref().map_or_else(|| "unknown".into(), |value| Brief(value).to_string());
    if slot.origin.is_written() || matches!(slot.origin, Origin::Implied | Origin::State) {
        let line = slot.mark.and_then(|mark| Evidence::line(EvidenceKind::Line, switch, mark));
        return vec![line.unwrap_or_else(|| Evidence::words(EvidenceKind::Record, format!("{name} is {}", shown())))];
    }
    let place = port.filter(|_| id.info().scope == Scope::Port).and_then(|p| switch.port_place(p));
    let silent = place.and_then(|mark| Evidence::line(EvidenceKind::Silent, switch, mark)).unwrap_or_else(|| {
        let file = switch.config_path().map(Arc::from);
        Evidence { file, ..Evidence::words(EvidenceKind::Silent, format!("no line sets {name}")) }
    });
    if slot.origin == Origin::Unknown {
        return vec![silent];
    }
    let default = slot.mark.and_then(|mark| Evidence::line(EvidenceKind::Default, switch, mark));
    let words =
        || Evidence::words(EvidenceKind::Default, format!("where no line says otherwise, {name} is {}", shown()));
    vec![silent, default.unwrap_or_else(words)]
}

/// The policy line, or the built-in default, that demands otherwise.
pub fn quote_cite(cite: &Cite) -> Evidence {
    match cite {
        Cite::Line { place, width, text } => Evidence {
            kind: EvidenceKind::Policy,
            file: Some(Arc::clone(&place.file)),
            line: Some(place.line),
            column: Some(place.column),
            width: Some(*width),
            text: text.clone(),
            left_out: None,
        },
        Cite::BuiltIn(text) => Evidence::words(EvidenceKind::Policy, text.clone()),
    }
}
