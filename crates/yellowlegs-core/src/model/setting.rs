//! What a setting is: its place in the catalogue, its value in force and where that comes from.

use std::marker::PhantomData;
use std::net::IpAddr;
use std::sync::{Arc, LazyLock};

use jiff::Timestamp;
use rustc_hash::FxHashMap;

use super::{
    Choice, Choices, Direction, Kind, Mark, Milliwatts, Rate, Seconds, Slot, Station, StationAddress, StationRange,
    Value, VlanId, VlanSet, settings,
};

/// What a setting belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scope {
    /// A port.
    Port,
    /// The switch as a whole.
    Switch,
    /// One VLAN of the switch.
    Vlan,
    /// One mirror session of the switch.
    Mirror,
}

impl Scope {
    /// Every scope.
    pub(crate) const ALL: [Self; 4] = [Self::Port, Self::Switch, Self::Vlan, Self::Mirror];

    /// In a word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Port => "port",
            Self::Switch => "switch",
            Self::Vlan => "vlan",
            Self::Mirror => "mirror session",
        }
    }
}

/// A row of the catalogue.
#[derive(Debug)]
pub struct SettingInfo {
    /// Name, as dialects, policies and reports write it.
    pub name: &'static str,
    /// What it belongs to.
    pub scope: Scope,
    /// What its values are.
    pub kind: Kind,
    /// What it means, with units and the standard's clause.
    pub meaning: &'static str,
}

/// Position in the catalogue, [`settings::ALL`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct SettingId(pub(super) u8);

impl SettingId {
    /// Its row.
    pub fn info(self) -> &'static SettingInfo {
        &settings::ALL[usize::from(self.0)]
    }

    /// Its name.
    pub fn name(self) -> &'static str {
        self.info().name
    }

    /// Finds one by name.
    pub fn by_name(name: &str) -> Option<Self> {
        static BY_NAME: LazyLock<FxHashMap<&str, SettingId>> =
            LazyLock::new(|| SettingId::all().map(|id| (id.name(), id)).collect());
        BY_NAME.get(name).copied()
    }

    /// All of them, in the order of the catalogue.
    pub fn all() -> impl Iterator<Item = Self> {
        (0..settings::ALL.len()).map(|i| Self(i as u8))
    }

    /// The one at a position in the catalogue.
    pub(super) fn at(index: u8) -> Self {
        debug_assert!(usize::from(index) < settings::ALL.len());
        Self(index)
    }

    /// Position in the catalogue.
    pub(crate) fn index(self) -> usize {
        usize::from(self.0)
    }

    /// Position among the settings of its scope, for those of ports and switches.
    #[inline]
    pub(crate) fn slot(self) -> usize {
        const AFTER_PORTS: std::ops::Range<usize> = settings::PORT_COUNT..settings::PORT_COUNT + settings::SWITCH_COUNT;
        let index = usize::from(self.0);
        if AFTER_PORTS.contains(&index) { index - settings::PORT_COUNT } else { index }
    }

    /// All settings of one scope, in the order of the catalogue.
    pub fn of(scope: Scope) -> impl Iterator<Item = Self> {
        Self::all().filter(move |id| id.info().scope == scope)
    }
}

/// A setting with its Rust type.
#[derive(Debug)]
pub struct Key<T> {
    /// Its place in the catalogue.
    pub id: SettingId,
    kind: PhantomData<fn() -> T>,
}

impl<T> Clone for Key<T> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T> Copy for Key<T> {}

impl<T> Key<T> {
    pub(super) const fn new(index: u8) -> Self {
        Self { id: SettingId(index), kind: PhantomData }
    }
}

/// A Rust type that a setting's value can be.
pub trait SettingType: Sized {
    /// The kind it stands for.
    const KIND: Kind;
    /// From a value of that kind.
    fn read(value: &Value) -> Option<Self>;
}

macro_rules! setting_type {
    ($($type:ty = $kind:expr, $pattern:pat => $result:expr;)+) => {
        $(impl SettingType for $type {
            const KIND: Kind = $kind;
            fn read(value: &Value) -> Option<Self> {
                match value { $pattern => $result, _ => None }
            }
        })+
    };
}

setting_type! {
    bool = Kind::Flag, Value::Flag(v) => Some(*v);
    u32 = Kind::Count, Value::Count(v) => Some(*v);
    Seconds = Kind::Seconds, Value::Seconds(v) => Some(Seconds(*v));
    StationAddress = Kind::Station, Value::Station(v) => Some(*v);
    Timestamp = Kind::Time, Value::Time(v) => Some(*v);
    Milliwatts = Kind::Milliwatts, Value::Milliwatts(v) => Some(Milliwatts(*v));
    Option<Rate> = Kind::Rate, Value::Rate(v) => Some(*v);
    Option<IpAddr> = Kind::Address, Value::Address(v) => Some(*v);
    Option<Arc<str>> = Kind::Port, Value::Port(v) => Some(v.clone());
    Arc<[Arc<str>]> = Kind::Words, Value::Words(v) => Some(Arc::clone(v.elements()));
    Arc<[(StationRange, VlanId)]> = Kind::Ranges, Value::Ranges(v) => Some(Arc::clone(v.elements()));
    Arc<[(Arc<str>, Direction)]> = Kind::Taps, Value::Taps(v) => Some(Arc::clone(v.elements()));
    Arc<[(u32, u32)]> = Kind::Pairs, Value::Pairs(v) => Some(Arc::clone(v.elements()));
    Option<VlanId> = Kind::Vlan, Value::Vlan(v) => Some(*v);
    Arc<VlanSet> = Kind::Vlans, Value::Vlans(v) => Some(Arc::clone(v));
    Arc<str> = Kind::Text, Value::Text(v) => Some(Arc::clone(v));
    Arc<[Station]> = Kind::Stations, Value::Stations(v) => Some(Arc::clone(v.elements()));
}

impl<C: Choice> SettingType for Choices<C> {
    const KIND: Kind = Kind::Choices(C::SET);
    fn read(value: &Value) -> Option<Self> {
        match value {
            Value::Choices { bits, .. } => Some(Self::of_bits(*bits)),
            _ => None,
        }
    }
}

/// Where a value in force comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Origin {
    /// Written for this port (or this VLAN, or this switch's only place for it).
    Port,
    /// Written for a range of ports.
    Range,
    /// A profile the port uses.
    Profile,
    /// A line about a VLAN.
    Vlan,
    /// A line about the whole switch, or a global default that reaches the port.
    Global,
    /// What another line implies.
    Implied,
    /// What the switch tells of its state, where nothing is written.
    State,
    /// The platform's default.
    Default,
    /// A record that says nothing finer.
    Record,
    /// The text is silent and the platform's default is not known.
    Unknown,
}

impl Origin {
    /// Every origin.
    pub const ALL: [Self; 10] = [
        Self::Port,
        Self::Range,
        Self::Profile,
        Self::Vlan,
        Self::Global,
        Self::Implied,
        Self::State,
        Self::Default,
        Self::Record,
        Self::Unknown,
    ];

    /// Its word in reports.
    pub fn word(self) -> &'static str {
        match self {
            Self::Port => "port",
            Self::Range => "range",
            Self::Profile => "profile",
            Self::Vlan => "vlan",
            Self::Global => "global",
            Self::Implied => "implied",
            Self::State => "state",
            Self::Default => "default",
            Self::Record => "record",
            Self::Unknown => "unknown",
        }
    }

    /// From its word.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|o| o.word() == word)
    }

    /// Whether somebody wrote it, rather than the platform supplying it.
    pub fn is_written(self) -> bool {
        !matches!(self, Self::Default | Self::Unknown | Self::Implied | Self::State)
    }
}

/// A setting in force: its value, where it comes from, and the line that decides it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Setting<T> {
    /// The value; `None` when it is unknown, which is never a pass.
    pub value: Option<T>,
    /// Where it comes from.
    pub origin: Origin,
    /// The deciding line.
    pub mark: Option<Mark>,
}

impl<T: SettingType> Setting<T> {
    pub(crate) fn of(slot: &Slot) -> Self {
        Self { value: slot.value.as_ref().and_then(T::read), origin: slot.origin, mark: slot.mark }
    }
}
