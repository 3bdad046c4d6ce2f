//! What a switch answers when its management agent is walked (RFC 3416): objects of the standards, as facts and settings, without any rule of a dialect.
//!
//! The text is one line an object ([`text`]). What each object means stands in [`standard`], by the document it comes from; what a platform tells
//! beyond that is said by the dialect ([`crate::dialect::ObjectRules`]). [`write`] goes the other way: the objects of a switch that is known.

mod objects;
mod own;
mod ports;
mod standard;
mod teller;
mod text;
mod write;

use std::sync::Arc;

use crate::dialect::{Dialect, StateSaid};
use crate::model::{Fact, FactKind, Mark, SettingSet, VlanSet};
use crate::source::{Source, Word};

pub use standard::ROOTS;
pub use write::{Told, WalkedValue, line, objects_of, taken_line, walked_line};

/// What of a walk could not be understood, and what it could have told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MissedObject {
    /// The line.
    pub mark: Mark,
    /// What it is, without its value.
    pub shape: Arc<str>,
    /// The kind of facts that it could have told.
    pub kind: Option<FactKind>,
    /// The settings that it could have decided.
    pub settings: SettingSet,
    /// The port that it is about, where that is known.
    pub port: Option<Arc<str>>,
}

/// What VLANs a port is in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Membership {
    /// The port.
    pub port: Arc<str>,
    /// Those whose frames leave it without a tag.
    pub untagged: VlanSet,
    /// Those whose frames leave it with one.
    pub tagged: VlanSet,
    /// The line of the first of them.
    pub mark: Mark,
    /// The line of the first that is tagged.
    pub tagged_mark: Option<Mark>,
}

/// A walk, read.
#[derive(Debug, Clone, Default)]
pub struct Walk {
    /// What it tells.
    pub facts: Vec<Fact>,
    /// The settings that it decides.
    pub said: Vec<StateSaid>,
    /// What it tells that is not understood.
    pub missed: Vec<MissedObject>,
    /// The VLANs of ports.
    pub members: Vec<Membership>,
    /// The VLANs that there are; of others it says nothing.
    pub vlans: VlanSet,
    /// The ports that it has, each with its line.
    pub ports: Vec<(Arc<str>, Mark)>,
    /// What the system says it is (sysObjectID).
    pub system: Option<Vec<u32>>,
    /// What is worth saying, and where.
    pub remarks: Vec<(Option<Mark>, String)>,
    /// Values that are shown only raw: of lines that are not understood.
    pub hidden: Vec<Word>,
    /// How many objects it has.
    pub objects: usize,
    /// How many lines.
    pub lines: u32,
}

/// Reads a walk. `file` is its position among the switch's files; a dialect says how ports are named and what the platform's own objects mean.
pub fn read(source: &Source, file: u16, dialect: Option<&Dialect>) -> Walk {
    let text = text::read(source, file);
    let mut teller = teller::Teller::new(source.text(), &text, dialect);
    standard::tell(&mut teller);
    if let Some(dialect) = dialect {
        own::tell(&mut teller, dialect.objects());
    }
    teller.finish()
}

/// Whether a dialect is that of a system: what the system says it is begins like one of those that the dialect names.
pub fn is_of(dialect: &Dialect, system: &[u32]) -> bool {
    dialect.objects().systems.iter().any(|known| system.starts_with(known.arcs()))
}

/// What the system of a walk says it is.
pub fn system_of(source: &Source) -> Option<Vec<u32>> {
    let read = text::read(source, 0);
    read.objects.at(standard::SYSTEM_IDENTIFIER, &[0])?.oid(source.text())
}

/// Whether a text is a walk: some object stands in it.
pub fn is_walk(source: &Source) -> bool {
    source.text().lines().any(|line| text::begins_object(line.trim()))
}
