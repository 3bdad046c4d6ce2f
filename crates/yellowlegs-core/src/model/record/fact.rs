//! A fact of state in a record, checked while it is read.

use std::collections::BTreeMap;

use serde::de::{self, Deserialize, Deserializer};
use serde::ser::{Serialize, SerializeMap, Serializer};

use super::RecordQuote;
use super::settings::RawValue;
use crate::model::{FactKind, Value};
use crate::sorted;
use crate::source::nearest;

/// A fact of the switch's state, checked while it is read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct RecordFact {
    pub(super) kind: FactKind,
    pub(super) fields: Vec<Option<Value>>,
    pub(super) evidence: Option<RecordQuote>,
}

/// A kind of fact by its name.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(try_from = "String", into = "String")]
pub(super) struct RecordKind(pub(super) FactKind);

impl TryFrom<String> for RecordKind {
    type Error = String;
    fn try_from(name: String) -> Result<Self, String> {
        FactKind::by_name(&name).map(Self).ok_or_else(|| format!("unknown fact `{name}`"))
    }
}

impl From<RecordKind> for String {
    fn from(kind: RecordKind) -> Self {
        kind.0.info().name.to_owned()
    }
}

#[derive(serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct RawFact {
    fact: String,
    fields: BTreeMap<String, RawValue>,
    #[serde(default)]
    evidence: Option<RecordQuote>,
}

impl Serialize for RecordFact {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let info = self.kind.info();
        let told =
            info.fields.iter().zip(&self.fields).filter_map(|(field, value)| Some((field.name, value.as_ref()?)));
        let fields: BTreeMap<&str, &Value> = sorted::tree_map(told);
        let mut map = serializer.serialize_map(None)?;
        map.serialize_entry("fact", info.name)?;
        map.serialize_entry("fields", &fields)?;
        if let Some(evidence) = &self.evidence {
            map.serialize_entry("evidence", evidence)?;
        }
        map.end()
    }
}

impl<'de> Deserialize<'de> for RecordFact {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let raw = RawFact::deserialize(deserializer)?;
        let near = |found: &str, names: Vec<&'static str>| {
            nearest(found, names).map_or_else(String::new, |n| format!("; did you mean `{n}`?"))
        };
        let Some(kind) = FactKind::by_name(&raw.fact) else {
            let hint = near(&raw.fact, FactKind::all().map(|k| k.info().name).collect());
            return Err(de::Error::custom(format!("unknown fact `{}`{hint}", raw.fact)));
        };
        let mut fields = vec![None; kind.info().fields.len()];
        for (name, value) in raw.fields {
            let Some(position) = kind.field(&name) else {
                let hint = near(&name, kind.info().fields.iter().map(|f| f.name).collect());
                return Err(de::Error::custom(format!("`{}` has no field `{name}`{hint}", raw.fact)));
            };
            let of = kind.info().fields.get(position).map(|f| f.kind);
            let value = of.map(|of| value.of_kind(of)).transpose();
            let value = value.map_err(|e| de::Error::custom(format!("`{name}`: {e}")))?;
            if let Some(field) = fields.get_mut(position) {
                *field = value.flatten();
            }
        }
        Ok(Self { kind, fields, evidence: raw.evidence })
    }
}
