//! What a record says of texts that are not whole and lines that are not understood.

use std::sync::Arc;

use super::fact::RecordKind;
use super::{Quotes, RecordQuote};
use crate::model::quote::Quoted;
use crate::model::{Dangling, Doubt, Mark, SettingId, SettingSet, Switch, Torn, natural_order};

/// Where a text is torn.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RecordTorn {
    how: TornWord,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    evidence: Option<RecordQuote>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(try_from = "String", into = "&'static str")]
struct TornWord(Torn);

impl TryFrom<String> for TornWord {
    type Error = String;
    fn try_from(word: String) -> Result<Self, String> {
        let known = || Torn::WORDS.map(|(_, word)| word).join(", ");
        Torn::from_word(&word).map(Self).ok_or_else(|| format!("`{word}` is none of {}", known()))
    }
}

impl From<TornWord> for &'static str {
    fn from(torn: TornWord) -> Self {
        torn.0.word()
    }
}

/// Something that is used by name and described nowhere.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RecordDangling {
    name: String,
    #[serde(default)]
    ports: Vec<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    evidence: Option<RecordQuote>,
}

/// What is doubtful by a line.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RecordDoubt {
    shape: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    torn: Option<TornWord>,
    file: String,
    line: u32,
    column: u32,
    width: u32,
    /// Left out: every port.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    ports: Option<Vec<String>>,
    /// Names of settings.
    #[serde(default)]
    settings: Settings,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    fact: Option<RecordKind>,
    /// Whether it could have told of ports that nothing else names.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    more_ports: bool,
}

#[derive(Debug, Clone, PartialEq, Eq, Default, serde::Serialize, serde::Deserialize)]
#[serde(try_from = "Vec<String>", into = "Vec<&'static str>")]
struct Settings(SettingSet);

impl TryFrom<Vec<String>> for Settings {
    type Error = String;
    fn try_from(names: Vec<String>) -> Result<Self, String> {
        let known = |name: String| SettingId::by_name(&name).ok_or_else(|| format!("unknown setting `{name}`"));
        names.into_iter().map(known).collect::<Result<SettingSet, String>>().map(Self)
    }
}

impl From<Settings> for Vec<&'static str> {
    fn from(settings: Settings) -> Self {
        settings.0.iter().map(SettingId::name).collect()
    }
}

fn names(switch: &Switch, ports: &[usize]) -> Vec<String> {
    ports.iter().filter_map(|port| Some(switch.ports.get(*port)?.to_string())).collect()
}

fn positions(switch: &Switch, names: &[String]) -> Vec<usize> {
    let find = |name: &String| switch.ports.binary_search_by(|port| natural_order(port.as_str(), name)).ok();
    let mut positions: Vec<usize> = names.iter().filter_map(find).collect();
    positions.sort_unstable();
    positions
}

pub(super) fn torn(switch: &Switch) -> Vec<RecordTorn> {
    let shown = |(mark, torn): &(Mark, Torn)| RecordTorn {
        how: TornWord(*torn),
        evidence: RecordQuote::of(switch, Some(*mark)),
    };
    switch.torn.iter().map(shown).collect()
}

pub(super) fn dangling(switch: &Switch) -> Vec<RecordDangling> {
    let shown = |dangling: &Dangling| RecordDangling {
        name: dangling.name.to_string(),
        ports: names(switch, &dangling.ports),
        evidence: RecordQuote::of(switch, dangling.mark),
    };
    switch.dangling.iter().map(shown).collect()
}

pub(super) fn of(switch: &Switch, doubt: &Doubt) -> Option<RecordDoubt> {
    let Quoted { file, line, column, width, .. } = switch.quoted(doubt.mark, false)?;
    Some(RecordDoubt {
        shape: doubt.shape.to_string(),
        torn: doubt.torn.map(TornWord),
        file: file.to_string(),
        line,
        column,
        width,
        ports: doubt.ports.as_deref().map(|ports| names(switch, ports)),
        settings: Settings(doubt.settings),
        fact: doubt.fact.map(RecordKind),
        more_ports: doubt.more_ports,
    })
}

/// Puts them into the switch, whose ports are known by now.
pub(super) fn read(
    torn: Vec<RecordTorn>,
    dangling: Vec<RecordDangling>,
    doubts: Option<Vec<RecordDoubt>>,
    switch: &mut Switch,
    quotes: &mut Quotes,
) {
    let nowhere = Mark { file: u16::MAX, line: 0, offset: 0, width: 0 };
    for RecordTorn { how, evidence } in torn {
        let mark = evidence.map_or(nowhere, |quote| quotes.mark(quote));
        switch.torn.push((mark, how.0));
    }
    for RecordDangling { name, ports, evidence } in dangling {
        let ports = positions(switch, &ports);
        let mark = evidence.map(|quote| quotes.mark(quote));
        switch.dangling.push(Dangling { what: "profile", name: name.into(), mark, ports });
    }
    let Some(doubts) = doubts else { return };
    let mut told = Vec::new();
    for RecordDoubt { shape, torn, file, line, column, width, ports, settings, fact, more_ports } in doubts {
        let text = shape.clone();
        let mark = quotes.mark(RecordQuote { file, line, column, width, text, left_out: None });
        let ports = ports.map(|ports| positions(switch, &ports).into());
        let (shape, torn): (Arc<str>, _) = (shape.into(), torn.map(|torn| torn.0));
        told.push(Doubt { mark, shape, torn, ports, settings: settings.0, fact: fact.map(|k| k.0), more_ports });
    }
    switch.told_doubts = Some(told);
}
