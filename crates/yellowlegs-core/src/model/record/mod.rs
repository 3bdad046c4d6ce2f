//! The switch record: the model as JSON. Reading what was printed gives the same model.

mod doubts;
mod fact;
mod once;
mod settings;
mod write;

use std::collections::BTreeMap;
use std::sync::Arc;

use serde::de::{self, Deserialize, Deserializer};
use serde::ser::{Serialize, SerializeMap, Serializer};

use self::doubts::{RecordDangling, RecordDoubt, RecordTorn};
use self::fact::{RecordFact, RecordKind};
use self::settings::{RecordSettings, RecordSlot};
use super::{
    Doubt, Fact, FileText, Mark, Owner, PortName, Remark, Requirement, SavedCopy, Scope, SettingId, Slot, Switch,
    TraitId, TraitSlot, Traits, Unread, VlanId, platform,
};
use crate::model::quote::Quoted;
use crate::sorted;

/// A switch record, version 1. `schemas/record.schema.json` describes it.
#[derive(Debug, Clone, PartialEq, Eq, serde::Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Record {
    /// Version of this shape.
    record: Version,
    /// The switch's name in reports.
    pub switch: String,
    #[serde(default)]
    dialect: Option<String>,
    #[serde(default)]
    lines: u32,
    #[serde(default)]
    files: Vec<String>,
    #[serde(default)]
    traits: RecordTraits,
    #[serde(default)]
    requires: Vec<RecordRequirement>,
    #[serde(default)]
    settings: RecordSettings,
    #[serde(default, deserialize_with = "once::once")]
    vlans: Vec<RecordVlan>,
    #[serde(default)]
    every_vlan: RecordSettings,
    #[serde(default, deserialize_with = "once::once")]
    mirrors: Vec<RecordMirror>,
    #[serde(deserialize_with = "once::once")]
    ports: Vec<RecordPort>,
    #[serde(default)]
    facts: Vec<RecordFact>,
    #[serde(default)]
    tables: Vec<RecordTable>,
    #[serde(default)]
    unread: Vec<RecordUnread>,
    /// How many statements of the configuration are known.
    #[serde(default)]
    statements: u32,
    #[serde(default)]
    torn: Vec<RecordTorn>,
    #[serde(default)]
    dangling: Vec<RecordDangling>,
    /// What is doubtful by lines that are not understood. Where a record has unread lines and no doubts, everything is.
    #[serde(default)]
    doubts: Option<Vec<RecordDoubt>>,
    #[serde(default)]
    remarks: Vec<Remark>,
    #[serde(default)]
    saved: RecordSaved,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(try_from = "u32", into = "u32")]
struct Version;

impl TryFrom<u32> for Version {
    type Error = String;
    fn try_from(version: u32) -> Result<Self, String> {
        if version == 1 {
            Ok(Self)
        } else {
            Err(format!("record version {version} is not known; this program reads 1"))
        }
    }
}

impl From<Version> for u32 {
    fn from(_: Version) -> Self {
        1
    }
}

#[derive(Debug, Clone, PartialEq, Eq, Default, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
enum RecordSaved {
    /// Nothing is known of a saved configuration.
    #[default]
    Missing,
    /// The fleet keeps none.
    NotKept,
    /// It is this.
    Copy(Box<Record>),
}

/// What a feature requires before it can be in force.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct RecordRequirement {
    feature: String,
    ready: String,
    #[serde(default)]
    restart: bool,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    evidence: Option<RecordQuote>,
}

#[derive(Debug, Clone, PartialEq, Eq, serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct RecordVlan {
    vlan: VlanId,
    settings: RecordSettings,
}

#[derive(Debug, Clone, PartialEq, Eq, serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct RecordMirror {
    mirror: String,
    settings: RecordSettings,
}

#[derive(Debug, Clone, PartialEq, Eq, serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct RecordPort {
    port: String,
    #[serde(default)]
    place: Option<RecordQuote>,
    #[serde(default)]
    settings: RecordSettings,
}

/// A table that was read, whether it has rows or not.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct RecordTable {
    fact: RecordKind,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    evidence: Option<RecordQuote>,
}

#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct RecordUnread {
    shape: String,
    file: String,
    line: u32,
    column: u32,
    width: u32,
}

#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct RecordQuote {
    file: String,
    line: u32,
    column: u32,
    width: u32,
    text: String,
    /// Of a part of a long line, how many characters stand before it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    left_out: Option<u32>,
}

/// The traits of the platform, by name.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
struct RecordTraits(BTreeMap<String, RecordTrait>);

#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct RecordTrait {
    words: Vec<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    evidence: Option<RecordQuote>,
}

impl Serialize for RecordTraits {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut map = serializer.serialize_map(Some(self.0.len()))?;
        for (name, slot) in &self.0 {
            map.serialize_entry(name, slot)?;
        }
        map.end()
    }
}

impl<'de> Deserialize<'de> for RecordTraits {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let map: BTreeMap<String, RecordTrait> = BTreeMap::deserialize(deserializer)?;
        for (name, slot) in &map {
            let Some(id) = TraitId::by_name(name) else {
                return Err(de::Error::custom(format!("unknown trait `{name}`")));
            };
            if let Some(word) = slot.words.iter().find(|w| !id.info().words.contains(&w.as_str())) {
                return Err(de::Error::custom(format!("trait `{name}` has no word `{word}`")));
            }
        }
        Ok(Self(map))
    }
}

impl RecordQuote {
    fn of(switch: &Switch, mark: Option<Mark>) -> Option<Self> {
        let Quoted { file, line, column, width, text, left_out } = switch.quoted(mark?, false)?;
        Some(Self { file: file.to_string(), line, column, width, text: text.into_owned(), left_out })
    }
}

impl Switch {
    /// Its record as the text of its file. `doubts`: what lines that are not understood leave open; `narrow`: the words of a line that
    /// decide a setting.
    pub(crate) fn record(
        &self,
        doubts: &[Doubt],
        narrow: &mut dyn FnMut(Mark, SettingId) -> Mark,
    ) -> std::io::Result<Vec<u8>> {
        write::written(self, Some(doubts), narrow)
    }
}

impl Record {
    /// The switch of a record. Its name in reports is the file's, so it is asked for.
    pub fn into_switch(self, name: impl Into<Arc<str>>) -> Switch {
        let mut quotes = Quotes::default();
        let mut switch = Switch::empty(name.into());
        self.files.iter().for_each(|file| quotes.file(file));
        for (id, slot) in self.settings.0 {
            if id.info().scope == Scope::Switch {
                switch.switch_slots[id.slot()] = quotes.slot(Some(Owner::Switch), id, slot);
            }
        }
        let of = |settings: RecordSettings, scope: Scope, owner: Option<Owner>, quotes: &mut Quotes| {
            let mine = settings.0.into_iter().filter(|(id, _)| id.info().scope == scope);
            sorted::tree_map(mine.map(|(id, slot)| (id, quotes.slot(owner.clone(), id, slot))))
        };
        switch.vlan_defaults = of(self.every_vlan, Scope::Vlan, None, &mut quotes);
        for RecordMirror { mirror, settings } in self.mirrors {
            let name: Arc<str> = mirror.into();
            let slots = of(settings, Scope::Mirror, Some(Owner::Mirror(Arc::clone(&name))), &mut quotes);
            switch.mirrors.insert(name, slots);
        }
        for RecordVlan { vlan, settings } in self.vlans {
            let slots = settings.0.into_iter();
            let owner = Some(Owner::Vlan(vlan));
            switch.vlan_slots.extend(slots.map(|(id, slot)| ((vlan, id), quotes.slot(owner.clone(), id, slot))));
        }
        let mut ports = self.ports;
        ports.sort_by_cached_key(|p| PortName::new(p.port.as_str()));
        for RecordPort { port, place, mut settings } in ports {
            switch.ports.push(PortName::new(port));
            switch.port_places.push(place.map(|p| quotes.mark(p)));
            let index = switch.ports.len() - 1;
            switch.port_slots.add_port();
            for id in SettingId::of(Scope::Port) {
                if let Some(slot) = settings.0.remove(&id) {
                    switch.port_slots.set(index, id, quotes.slot(Some(Owner::Port(index)), id, slot));
                }
            }
        }
        let mut traits = Traits::default();
        for (name, RecordTrait { words, evidence }) in self.traits.0 {
            let Some(id) = TraitId::by_name(&name) else { continue };
            let known = id.info().words.iter().enumerate();
            let bits = known.filter(|(_, w)| words.iter().any(|x| x == *w)).fold(0, |bits, (i, _)| bits | 1 << i);
            traits.set(id, TraitSlot { bits, mark: evidence.map(|e| quotes.mark(e)) });
        }
        let nowhere = Mark { file: u16::MAX, line: 0, offset: 0, width: 0 };
        let mut mark = |evidence: Option<RecordQuote>| evidence.map_or(nowhere, |e| quotes.mark(e));
        let mut facts = Vec::new();
        for RecordFact { kind, fields, evidence } in self.facts {
            facts.push(Fact { kind, fields, mark: mark(evidence) });
        }
        let tables = self.tables.into_iter().map(|table| (table.fact.0, mark(table.evidence))).collect();
        for RecordUnread { shape, file, line, column, width } in self.unread {
            let text = shape.clone();
            let mark = quotes.mark(RecordQuote { file, line, column, width, text, left_out: None });
            switch.unread.push(Unread { mark, shape: shape.into() });
        }
        switch.saved = match self.saved {
            RecordSaved::Missing => SavedCopy::Missing,
            RecordSaved::NotKept => SavedCopy::NotKept,
            RecordSaved::Copy(saved) => {
                let name = Arc::clone(&switch.name);
                SavedCopy::Read(Arc::new(saved.into_switch(name)))
            }
        };
        switch.traits = Arc::new(traits);
        let requirement = |required: RecordRequirement| Requirement {
            feature: required.feature.into(),
            ready: required.ready.into(),
            restart: required.restart,
            mark: required.evidence.map(|e| quotes.mark(e)),
        };
        switch.requires = self.requires.into_iter().map(requirement).collect();
        switch.dialect = self.dialect.map(Into::into);
        switch.lines = self.lines;
        switch.remarks = self.remarks;
        switch.statements = self.statements;
        doubts::read(self.torn, self.dangling, self.doubts, &mut switch, &mut quotes);
        (switch.files, switch.behind_state) = (quotes.0, quotes.1);
        switch.take_state(facts, tables);
        debug_assert!(platform::ALL.len() < 32);
        switch
    }
}

/// The quoted files of a record being read, and what state stands before.
#[derive(Default)]
struct Quotes(Vec<FileText>, BTreeMap<(Owner, SettingId), Slot>);

impl Quotes {
    fn file(&mut self, path: &str) {
        if !self.0.iter().any(|f| f.path() == path) {
            self.0.push(FileText::Quoted { path: path.into(), lines: BTreeMap::new(), parts: BTreeMap::new() });
        }
    }

    fn mark(&mut self, quote: RecordQuote) -> Mark {
        self.file(&quote.file);
        let position = self.0.iter().position(|f| f.path() == quote.file).unwrap_or_default();
        let offset = quote.column.saturating_sub(1);
        if let Some(FileText::Quoted { lines, parts, .. }) = self.0.get_mut(position) {
            match quote.left_out {
                Some(left_out) => _ = parts.entry((quote.line, offset)).or_insert((quote.text, left_out)),
                None => _ = lines.entry(quote.line).or_insert(quote.text),
            }
        }
        Mark { file: position as u16, line: quote.line, offset, width: quote.width }
    }

    fn slot(&mut self, owner: Option<Owner>, id: SettingId, slot: RecordSlot) -> Slot {
        if let (Some(owner), Some(behind)) = (owner, slot.instead_of) {
            let behind = self.slot(None, id, *behind);
            self.1.insert((owner, id), behind);
        }
        Slot { value: slot.value, origin: slot.origin, mark: slot.evidence.map(|e| self.mark(e)), contested: false }
    }
}
