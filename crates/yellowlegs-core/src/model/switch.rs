//! One switch as it was read: ports, settings in force, and the lines that decided them.

use std::collections::BTreeMap;
use std::sync::Arc;

use jiff::Timestamp;
use rustc_hash::FxHashMap;

use super::{
    Doubt, Fact, FactKind, FileText, Key, Origin, PortName, PortSlots, Rows, Scope, Setting, SettingId, SettingSet,
    SettingType, State, Torn, Traits, Value, VlanId, facts, natural_order, settings,
};
use crate::sorted;

/// A stretch of a line in one of the switch's files. Small, so that every setting can carry one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Mark {
    /// Position in the switch's list of files.
    pub(crate) file: u16,
    /// Line, from 1.
    pub(crate) line: u32,
    /// In a text: byte offset in the file. In a quoted file: column in characters, from 0.
    pub(crate) offset: u32,
    /// Width in the same units.
    pub(crate) width: u32,
}

impl Mark {
    /// The line it is on, from 1.
    pub fn line(self) -> u32 {
        self.line
    }
}

/// A value in force with its origin.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Slot {
    /// The value; `None` when unknown.
    pub value: Option<Value>,
    /// Where it comes from.
    pub origin: Origin,
    /// The deciding line.
    pub mark: Option<Mark>,
    /// Whether other lines spoke about it too: lost to this one, or added to the same list.
    pub contested: bool,
}

impl Slot {
    pub(crate) const UNKNOWN: Self = Self { value: None, origin: Origin::Unknown, mark: None, contested: false };
    /// Unknown because a line that could speak of it is not understood: whether anything is written is unknown, too.
    pub(crate) const DOUBTFUL: Self = Self { contested: true, ..Self::UNKNOWN };

    /// Whether nobody says anything.
    pub(crate) fn is_unset(&self) -> bool {
        self.value.is_none() && self.origin == Origin::Unknown
    }

    /// Whether something was said already: what is written over it is not all that was.
    pub(crate) fn says_something(&self) -> bool {
        self.contested || !self.is_unset()
    }

    /// Whether somebody may have written what nobody understands.
    pub(crate) fn is_doubtful(&self) -> bool {
        *self == Self::DOUBTFUL
    }
}

/// A line that the dialect does not know.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unread {
    /// Where.
    pub mark: Mark,
    /// The line with every word that the dialect does not know masked.
    pub shape: Arc<str>,
}

/// A line of state that the dialect does not know, and what it could have told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UnreadFact {
    /// Where.
    pub mark: Mark,
    /// Its shape.
    pub shape: Arc<str>,
    /// The kind of facts.
    pub kind: Option<FactKind>,
    /// The settings it could have decided.
    pub settings: SettingSet,
    /// The port it names, where it names one.
    pub port: Option<usize>,
}

/// Something that is used by name and described nowhere.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Dangling {
    /// What it is: a profile, a port, a VLAN.
    pub what: &'static str,
    /// Its name.
    pub name: Arc<str>,
    /// The line that uses it first.
    pub mark: Option<Mark>,
    /// The ports that use it, by position.
    pub ports: Vec<usize>,
}

/// Something worth saying about what was read, no finding.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
pub struct Remark {
    /// The switch or the part of the fleet it is about.
    pub about: String,
    /// The file it stands in.
    pub file: Option<String>,
    /// The line, from 1.
    pub line: Option<u32>,
    /// What to know.
    pub text: String,
}

/// The saved configuration beside the running one.
#[derive(Debug, Clone)]
pub enum SavedCopy {
    /// The fleet keeps none: what needs one is not applicable.
    NotKept,
    /// There should be one and there is none: what needs it is undetermined.
    Missing,
    /// It was read.
    Read(Arc<Switch>),
}

/// What a feature requires before it can be in force.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Requirement {
    /// The feature: the first part of its settings' names.
    pub feature: Arc<str>,
    /// What `platform.ready` must hold.
    pub ready: Arc<str>,
    /// It takes effect only after a restart.
    pub restart: bool,
    /// The line of the dialect.
    pub mark: Option<Mark>,
}

/// What a setting belongs to.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Owner {
    /// The switch.
    Switch,
    /// A port, by its position.
    Port(usize),
    /// A VLAN.
    Vlan(VlanId),
    /// A mirror session.
    Mirror(Arc<str>),
}

/// One switch.
#[derive(Debug, Clone)]
pub struct Switch {
    pub(crate) name: Arc<str>,
    pub(crate) dialect: Option<Arc<str>>,
    pub(crate) files: Vec<FileText>,
    pub(crate) lines: u32,
    pub(crate) ports: Vec<PortName>,
    pub(crate) port_slots: PortSlots,
    pub(crate) port_places: Vec<Option<Mark>>,
    pub(crate) switch_slots: Vec<Slot>,
    /// What would be in force if state had told nothing.
    pub(crate) behind_state: BTreeMap<(Owner, SettingId), Slot>,
    pub(crate) vlan_slots: BTreeMap<(VlanId, SettingId), Slot>,
    pub(crate) vlan_defaults: BTreeMap<SettingId, Slot>,
    pub(crate) mirrors: BTreeMap<Arc<str>, BTreeMap<SettingId, Slot>>,
    pub(crate) traits: Arc<Traits>,
    pub(crate) requires: Arc<[Requirement]>,
    pub(crate) unread: Vec<Unread>,
    /// How many statements of its configuration are known, those that are not left out.
    pub(crate) statements: u32,
    /// Where its configuration is not one whole text.
    pub(crate) torn: Vec<(Mark, Torn)>,
    /// Lines of state that are not understood, each with the kind of facts it could have told.
    pub(crate) unread_facts: Vec<UnreadFact>,
    /// Kinds of facts that are not to be believed, of one port or of all.
    pub(crate) doubted_facts: Vec<(FactKind, Option<usize>)>,
    /// What is used by name and described nowhere.
    pub(crate) dangling: Vec<Dangling>,
    /// Whether some line that is not understood may use something by name.
    pub(crate) may_use: bool,
    /// What a record says is doubtful; `None`: nobody says.
    pub(crate) told_doubts: Option<Vec<Doubt>>,
    pub(crate) remarks: Vec<Remark>,
    pub(crate) saved: SavedCopy,
    pub(crate) state: State,
}

impl Switch {
    /// A switch without ports, about which nothing is known.
    pub(crate) fn empty(name: Arc<str>) -> Self {
        Self {
            name,
            dialect: None,
            files: Vec::new(),
            lines: 0,
            ports: Vec::new(),
            port_slots: PortSlots::default(),
            port_places: Vec::new(),
            switch_slots: vec![Slot::UNKNOWN; settings::SWITCH_COUNT],
            behind_state: BTreeMap::new(),
            vlan_slots: BTreeMap::new(),
            vlan_defaults: BTreeMap::new(),
            mirrors: BTreeMap::new(),
            traits: Arc::default(),
            requires: Arc::default(),
            unread: Vec::new(),
            statements: 0,
            torn: Vec::new(),
            unread_facts: Vec::new(),
            doubted_facts: Vec::new(),
            dangling: Vec::new(),
            may_use: false,
            told_doubts: None,
            remarks: Vec::new(),
            saved: SavedCopy::Missing,
            state: State::default(),
        }
    }

    /// Its name in reports: its folder's, or its file's stem.
    pub fn name(&self) -> &Arc<str> {
        &self.name
    }

    /// The dialect it was read with.
    pub fn dialect(&self) -> Option<&Arc<str>> {
        self.dialect.as_ref()
    }

    /// How many lines its configuration has.
    pub fn lines(&self) -> u32 {
        self.lines
    }

    /// Its ports in natural order.
    pub fn ports(&self) -> &[PortName] {
        &self.ports
    }

    /// Position of a port.
    pub fn port_index(&self, name: &str) -> Option<usize> {
        self.ports.binary_search_by(|port| natural_order(port.as_str(), name)).ok()
    }

    /// The traits of its platform.
    pub fn traits(&self) -> &Traits {
        &self.traits
    }

    /// What features of its platform require first.
    pub fn requires(&self) -> &[Requirement] {
        &self.requires
    }

    /// Lines that were not understood, in the order of the text.
    pub fn unread(&self) -> &[Unread] {
        &self.unread
    }

    /// How many statements its configuration has, those that are not understood included.
    pub fn statements(&self) -> u32 {
        self.statements + self.unread_statements()
    }

    /// How many statements of its configuration are not understood.
    pub fn unread_statements(&self) -> u32 {
        self.unread_in_config().count() as u32
    }

    /// The lines of its configuration that are not understood, in the order of the text.
    pub fn unread_in_config(&self) -> impl Iterator<Item = &Unread> {
        let config = self.config_path();
        let of_config = move |unread: &&Unread| {
            let file = self.files.get(usize::from(unread.mark.file));
            config.is_none() || file.map(FileText::path) == config
        };
        self.unread.iter().filter(of_config)
    }

    /// Where its configuration is not one whole text, and how.
    pub fn torn(&self) -> &[(Mark, Torn)] {
        &self.torn
    }

    /// What is used by name and described nowhere.
    pub fn dangling(&self) -> &[Dangling] {
        &self.dangling
    }

    /// Whether some line that is not understood may use something by name.
    pub fn may_use(&self) -> bool {
        self.may_use
    }

    /// Whether a kind of facts is not to be believed, of a port or, where none is named, of some port.
    pub fn is_doubted(&self, kind: FactKind, port: Option<usize>) -> bool {
        let about = |of: Option<usize>| of.is_none() || port.is_none() || of == port;
        self.doubted_facts.iter().any(|(doubted, of)| *doubted == kind && about(*of))
    }

    /// What was noticed while reading.
    pub fn remarks(&self) -> &[Remark] {
        &self.remarks
    }

    /// The saved configuration.
    pub fn saved(&self) -> &SavedCopy {
        &self.saved
    }

    /// Everything its state tells, sorted by kind.
    pub fn facts(&self) -> &[Fact] {
        self.state.facts()
    }

    /// The facts of one kind.
    pub fn facts_of(&self, kind: FactKind) -> impl Iterator<Item = &Fact> {
        self.state.of_kind(kind).iter()
    }

    /// The same, each with the position of the port that it is about; without one, it is about none, or about one that is not there.
    pub(crate) fn facts_placed(&self, kind: FactKind) -> impl Iterator<Item = (&Fact, Option<usize>)> {
        self.state.placed(kind)
    }

    /// The facts of one kind about a port, in the order of the text.
    #[inline]
    pub fn facts_about(&self, kind: FactKind, port: usize) -> impl Iterator<Item = &Fact> {
        self.state.about(kind, port)
    }

    /// Takes in what its state tells: facts in the order of the text, ports known by name. Says which ports the
    /// configuration does not have.
    pub(crate) fn take_state(&mut self, mut facts: Vec<Fact>, tables: Vec<(FactKind, Mark)>) {
        facts.sort_by_key(|fact| fact.kind);
        let mut unknown: BTreeMap<FactKind, (Mark, Vec<&str>)> = BTreeMap::new();
        if facts.is_empty() {
            self.state = State::of(facts, tables, std::iter::empty(), 0);
            return;
        }
        let mut on = Vec::new();
        let places: FxHashMap<&str, u32> = self.ports.iter().map(PortName::as_str).zip(0..).collect();
        for (position, fact) in facts.iter().enumerate() {
            let Some(name) = fact.port() else { continue };
            match places.get(&**name) {
                Some(port) => on.push((*port, position as u32)),
                None => unknown.entry(fact.kind).or_insert((fact.mark, Vec::new())).1.push(name),
            }
        }
        let mut remarks = Vec::new();
        for (kind, (mark, mut names)) in unknown {
            sorted::by(&mut names, |a, b| natural_order(a, b));
            names.dedup();
            let shown: Vec<&str> = names.iter().take(5).copied().collect();
            let more = names.len() - shown.len();
            let more = if more > 0 { format!(" and {more} more") } else { String::new() };
            let text = format!(
                "{} tells of ports that the configuration does not have: {}{more}",
                kind.info().name,
                shown.join(", ")
            );
            let file = self.files.get(usize::from(mark.file)).map(|file| file.path().to_owned());
            remarks.push(Remark { about: self.name.to_string(), file, line: Some(mark.line), text });
        }
        self.remarks.extend(remarks);
        self.state = State::of(facts, tables, on.into_iter(), self.ports.len());
    }

    /// Whether something was read that tells of a kind of facts: a table, be it empty, or a line.
    pub fn tells(&self, kind: FactKind) -> bool {
        self.read_in(kind).is_some()
    }

    /// Where a kind of facts was read: the heading of its table, or the first line.
    pub fn read_in(&self, kind: FactKind) -> Option<Mark> {
        self.state.read_in(kind)
    }

    /// When a kind of facts was taken: the last clock in its file.
    pub fn taken_at(&self, kind: FactKind) -> Option<Timestamp> {
        self.state.taken_at(kind)
    }

    /// The same with no other state than of the kinds that another tells, too; clocks stay.
    #[must_use]
    pub fn with_state_like(mut self, other: &Self) -> Self {
        let shared = |kind: FactKind| other.tells(kind) || kind == facts::clock::FACT;
        let (facts, tables) = std::mem::take(&mut self.state).into_parts();
        let facts = facts.into_iter().filter(|fact| shared(fact.kind)).collect();
        let tables = tables.into_iter().filter(|(kind, _)| shared(*kind)).collect();
        let remarks = self.remarks.len();
        self.take_state(facts, tables);
        self.remarks.truncate(remarks);
        self
    }

    /// Whether state of it is kept at all.
    pub fn has_state(&self) -> bool {
        self.state.is_there()
    }

    /// Whether nothing is known of its state, not even that something is not to be believed.
    pub(crate) fn tells_nothing(&self) -> bool {
        !self.has_state() && self.doubted_facts.is_empty()
    }

    /// Attaches the saved configuration.
    #[must_use]
    pub fn with_saved(mut self, saved: SavedCopy) -> Self {
        self.saved = saved;
        self
    }

    /// A setting of a port, or of the switch when the setting's scope is the switch (`port` is then ignored).
    #[inline]
    pub fn slot(&self, port: Option<usize>, id: SettingId) -> &Slot {
        let slot = match (id.info().scope, port) {
            (Scope::Port, Some(port)) => self.port_slots.get(port, id),
            (Scope::Switch, _) => self.switch_slots.get(id.slot()),
            (Scope::Port, None) | (Scope::Vlan | Scope::Mirror, _) => None,
        };
        slot.unwrap_or(&Slot::UNKNOWN)
    }

    /// The same without what state told: what somebody wrote, or the platform's default.
    pub(crate) fn slot_by_hand(&self, port: Option<usize>, id: SettingId) -> &Slot {
        self.by_hand(port.map_or(Owner::Switch, Owner::Port), id, self.slot(port, id))
    }

    /// Of a VLAN without what state told.
    pub(crate) fn vlan_slot_by_hand(&self, vlan: VlanId, id: SettingId) -> &Slot {
        self.by_hand(Owner::Vlan(vlan), id, self.vlan_slot(vlan, id))
    }

    /// Of a mirror session without what state told.
    pub(crate) fn mirror_slot_by_hand(&self, name: &Arc<str>, id: SettingId) -> Option<&Slot> {
        let slot = self.mirrors.get(name)?.get(&id)?;
        Some(self.by_hand(Owner::Mirror(Arc::clone(name)), id, slot))
    }

    /// The mirror sessions that somebody wrote, each with what it has without what state told.
    pub(crate) fn mirrors_by_hand(&self) -> sorted::Map<&Arc<str>, sorted::Map<SettingId, &Slot>> {
        let written = self.mirrors.iter().map(|(name, slots)| {
            let own = slots.keys().filter_map(|id| Some((*id, self.mirror_slot_by_hand(name, *id)?)));
            (name, sorted::map(own.filter(|(_, slot)| slot.origin != Origin::Unknown)))
        });
        sorted::map(written.filter(|(_, slots)| !slots.is_empty()))
    }

    /// What would be in force if state had told nothing, where it told something.
    pub(crate) fn behind(&self, owner: impl FnOnce() -> Owner, id: SettingId) -> Option<&Slot> {
        if self.behind_state.is_empty() { None } else { self.behind_state.get(&(owner(), id)) }
    }

    fn by_hand<'s>(&'s self, owner: Owner, id: SettingId, slot: &'s Slot) -> &'s Slot {
        if slot.origin == Origin::State { self.behind(|| owner, id).unwrap_or(slot) } else { slot }
    }

    /// What is written for its ports, their descriptions apart.
    pub(crate) fn rows(&self) -> Rows {
        self.port_slots.rows(settings::DESCRIPTION.id)
    }

    /// A setting of a VLAN: its own, or what holds for every VLAN.
    #[inline]
    pub fn vlan_slot(&self, vlan: VlanId, id: SettingId) -> &Slot {
        self.vlan_slots.get(&(vlan, id)).or_else(|| self.vlan_defaults.get(&id)).unwrap_or(&Slot::UNKNOWN)
    }

    /// The VLANs about which some line says something.
    pub fn vlans_written(&self) -> impl Iterator<Item = VlanId> {
        self.vlan_slots.keys().map(|(vlan, _)| *vlan)
    }

    /// The mirror sessions by name, each with its settings.
    pub fn mirrors(&self) -> &BTreeMap<Arc<str>, BTreeMap<SettingId, Slot>> {
        &self.mirrors
    }

    /// A setting with its type.
    pub fn setting<T: SettingType>(&self, port: Option<usize>, key: Key<T>) -> Setting<T> {
        Setting::of(self.slot(port, key.id))
    }

    /// The line that opens a port's block, or first names the port.
    pub fn port_place(&self, port: usize) -> Option<Mark> {
        self.port_places.get(port).copied().flatten()
    }

    /// The path of its dialect, of a switch that was read from a text.
    pub fn dialect_path(&self) -> Option<&str> {
        self.files.first().filter(|file| matches!(file, FileText::Text { .. })).map(FileText::path)
    }

    /// The configuration's path. The first file is the dialect. A switch that is known by its walk alone has none.
    pub fn config_path(&self) -> Option<&str> {
        self.files.get(1).map(FileText::path).filter(|path| !path.is_empty())
    }

    /// Whether nothing is known of it but what its management agent answered.
    pub fn is_known_by_walk(&self) -> bool {
        self.files.get(1).is_some_and(|config| config.path().is_empty())
    }
}
