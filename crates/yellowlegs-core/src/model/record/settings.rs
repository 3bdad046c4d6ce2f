//! Settings in a record: in full with their origin, or short, as somebody writes them by hand.

use std::collections::BTreeMap;
use std::sync::Arc;

use serde::de::{self, Deserialize, Deserializer, MapAccess, Visitor};

use super::RecordQuote;
use crate::model::{Kind, Origin, SettingId, Value, ValueError};
use crate::source::nearest;

/// One setting as a record carries it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct RecordSlot {
    pub(super) value: Option<Value>,
    pub(super) origin: Origin,
    pub(super) evidence: Option<RecordQuote>,
    /// What would be in force if state had told nothing.
    pub(super) instead_of: Option<Box<RecordSlot>>,
}

#[derive(serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct RawSlot {
    value: RawValue,
    #[serde(default)]
    origin: Option<String>,
    #[serde(default)]
    evidence: Option<RecordQuote>,
    #[serde(default)]
    instead_of: Option<Box<RawEntry>>,
}

#[derive(serde::Deserialize)]
#[serde(untagged)]
pub(super) enum RawValue {
    Nothing(()),
    Flag(bool),
    Number(i64),
    Text(String),
    List(Vec<String>),
}

impl RawValue {
    pub(super) fn of_kind(self, kind: Kind) -> Result<Option<Value>, ValueError> {
        Ok(match self {
            Self::Nothing(()) => None,
            Self::Flag(flag) if kind == Kind::Flag => Some(Value::Flag(flag)),
            Self::Flag(flag) => Some(kind.parse(&flag.to_string())?),
            Self::Number(number) => Some(kind.from_number(number)?),
            Self::Text(text) => Some(kind.parse(&text)?),
            // A word may hold the sign that parts others.
            Self::List(texts) if kind == Kind::Words => Some(Value::Words(texts.into_iter().map(Arc::from).collect())),
            Self::List(texts) => Some(kind.parse(&texts.join(","))?),
        })
    }
}

#[derive(serde::Deserialize)]
#[serde(untagged)]
enum RawEntry {
    Full(RawSlot),
    Short(RawValue),
}

impl RawEntry {
    fn into_slot(self, id: SettingId) -> Result<RecordSlot, String> {
        let (value, origin, evidence, instead_of) = match self {
            Self::Full(slot) => (slot.value, slot.origin, slot.evidence, slot.instead_of),
            Self::Short(value) => (value, None, None, None),
        };
        let instead_of = instead_of.map(|entry| entry.into_slot(id).map(Box::new)).transpose()?;
        let value = value.of_kind(id.info().kind).map_err(|e| e.to_string())?;
        let origin = match origin {
            Some(word) => Origin::from_word(&word).ok_or_else(|| format!("`{word}` is no origin"))?,
            None if value.is_some() => Origin::Record,
            None => Origin::Unknown,
        };
        Ok(RecordSlot { value, origin, evidence, instead_of })
    }
}

/// Settings by name, checked while they are read, so that errors have their line.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(super) struct RecordSettings(pub(super) BTreeMap<SettingId, RecordSlot>);

impl<'de> Deserialize<'de> for RecordSettings {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Settings;
        impl<'de> Visitor<'de> for Settings {
            type Value = RecordSettings;
            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("settings by name")
            }
            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
                let mut settings = BTreeMap::new();
                while let Some(name) = map.next_key::<String>()? {
                    let Some(id) = SettingId::by_name(&name) else {
                        let near = nearest(&name, SettingId::all().map(SettingId::name));
                        let hint = near.map_or_else(String::new, |n| format!("; did you mean `{n}`?"));
                        return Err(de::Error::custom(format!("unknown setting `{name}`{hint}")));
                    };
                    let entry: RawEntry = map.next_value()?;
                    let slot = entry.into_slot(id).map_err(|e| de::Error::custom(format!("`{name}`: {e}")))?;
                    if settings.insert(id, slot).is_some() {
                        return Err(de::Error::custom(format!("`{name}` is there twice")));
                    }
                }
                Ok(RecordSettings(settings))
            }
        }
        deserializer.deserialize_map(Settings)
    }
}
