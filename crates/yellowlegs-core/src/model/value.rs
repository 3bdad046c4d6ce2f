//! The kinds of values that settings have.

use std::fmt;
use std::sync::Arc;

use super::{Station, VlanError, VlanId, VlanSet};

/// The words a choice may be.
#[derive(Debug, PartialEq, Eq)]
pub struct ChoiceSet {
    /// The words, weakest or plainest first where they have an order.
    pub words: &'static [&'static str],
}

/// A setting that is one of a few words.
pub trait Choice: Copy + Sized + 'static {
    /// Its words.
    const SET: &'static ChoiceSet;
    /// From the position of its word.
    fn from_index(index: u8) -> Option<Self>;
    /// Position of its word.
    fn index(self) -> u8;
    /// Its word.
    fn word(self) -> &'static str {
        Self::SET.words.get(usize::from(self.index())).copied().unwrap_or_default()
    }
}

macro_rules! choice {
    ($(#[$doc:meta])* $name:ident { $($(#[$vdoc:meta])* $variant:ident = $word:literal),+ $(,)? }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum $name { $($(#[$vdoc])* $variant),+ }

        impl Choice for $name {
            const SET: &'static ChoiceSet = &ChoiceSet { words: &[$($word),+] };
            fn from_index(index: u8) -> Option<Self> {
                [$(Self::$variant),+].get(usize::from(index)).copied()
            }
            fn index(self) -> u8 {
                self as u8
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str(self.word())
            }
        }
    };
}

choice! {
    /// How a port treats VLANs.
    Mode {
        /// One untagged VLAN, perhaps a voice VLAN tagged beside it.
        Access = "access",
        /// Tagged VLANs plus one native, untagged VLAN.
        Trunk = "trunk",
        /// The neighbour may turn it into a trunk.
        Negotiated = "negotiated",
    }
}

choice! {
    /// What port security does with one station too many, weakest first.
    Action {
        /// Its frames are dropped and nobody learns of it.
        Drop = "drop",
        /// Dropped, counted, logged and reported.
        DropAndReport = "drop-and-report",
        /// The port is held down.
        DisablePort = "disable-port",
    }
}

choice! {
    /// Which frames a port takes in (IEEE 802.1Q, 6.9: acceptable frame types).
    Frames {
        /// Tagged and untagged.
        All = "all",
        /// Only tagged.
        Tagged = "tagged",
        /// Only untagged and priority-tagged.
        Untagged = "untagged",
    }
}

/// A length of time in whole seconds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Seconds(pub u32);

impl fmt::Display for Seconds {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            0 => f.write_str("0 s"),
            n if n % 3600 == 0 => write!(f, "{} h", n / 3600),
            n if n % 60 == 0 => write!(f, "{} min", n / 60),
            n => write!(f, "{n} s"),
        }
    }
}

/// The kinds of values.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// True or false.
    Flag,
    /// A number, 0 to 4294967295.
    Count,
    /// Whole seconds; 0 means never or off, as the setting says.
    Seconds,
    /// One of a few words.
    Choice(&'static ChoiceSet),
    /// One VLAN, or none.
    Vlan,
    /// A set of VLANs.
    Vlans,
    /// Free text.
    Text,
    /// A list of stations.
    Stations,
}

impl Kind {
    /// In words, for messages and docs.
    pub fn describe(self) -> String {
        match self {
            Self::Flag => "true or false".into(),
            Self::Count => "a number".into(),
            Self::Seconds => "a duration in seconds".into(),
            Self::Choice(set) => format!("one of {}", set.words.join(", ")),
            Self::Vlan => "a VLAN (1 to 4094) or none".into(),
            Self::Vlans => "a list of VLANs".into(),
            Self::Text => "text".into(),
            Self::Stations => "a list of station addresses".into(),
        }
    }

    /// Whether statements may add to it and take from it.
    pub fn is_list(self) -> bool {
        matches!(self, Self::Vlans | Self::Stations)
    }

    /// The value that stands for "off": false, none, an empty list, zero. Choices and texts have none.
    pub fn off(self) -> Option<Value> {
        Some(match self {
            Self::Flag => Value::Flag(false),
            Self::Count => Value::Count(0),
            Self::Seconds => Value::Seconds(0),
            Self::Vlan => Value::Vlan(None),
            Self::Vlans => Value::Vlans(Arc::default()),
            Self::Stations => Value::Stations(Arc::default()),
            Self::Choice(_) | Self::Text => return None,
        })
    }

    /// Reads a word written in a dialect, a policy or a record.
    pub fn parse(self, text: &str) -> Result<Value, ValueError> {
        let mismatch = || ValueError::Mismatch { wanted: self.describe(), found: text.to_owned() };
        Ok(match self {
            Self::Flag => Value::Flag(text.parse().map_err(|_| mismatch())?),
            Self::Count => Value::Count(text.parse().map_err(|_| mismatch())?),
            Self::Seconds => Value::Seconds(text.parse().map_err(|_| mismatch())?),
            Self::Choice(set) => {
                let index = set.words.iter().position(|w| *w == text).ok_or_else(mismatch)?;
                Value::Choice { set, index: index as u8 }
            }
            Self::Vlan if text == "none" => Value::Vlan(None),
            Self::Vlan => Value::Vlan(Some(VlanId::new(text.parse().map_err(|_| mismatch())?)?)),
            Self::Vlans => Value::Vlans(Arc::new(VlanSet::parse(text).ok_or_else(mismatch)?)),
            Self::Text => Value::Text(text.into()),
            Self::Stations if text.is_empty() => Value::Stations(Arc::default()),
            Self::Stations => {
                let stations: Option<Vec<Station>> = text.split(',').map(|t| Station::parse(t.trim())).collect();
                Value::Stations(stations.ok_or_else(mismatch)?.into())
            }
        })
    }

    /// Takes a number where the kind allows one.
    pub fn from_number(self, number: i64) -> Result<Value, ValueError> {
        let mismatch = || ValueError::Mismatch { wanted: self.describe(), found: number.to_string() };
        Ok(match self {
            Self::Count => Value::Count(number.try_into().map_err(|_| mismatch())?),
            Self::Seconds => Value::Seconds(number.try_into().map_err(|_| mismatch())?),
            Self::Vlan => Value::Vlan(Some(VlanId::new(number)?)),
            Self::Vlans => Value::Vlans(Arc::new([VlanId::new(number)?].into_iter().collect())),
            _ => return Err(mismatch()),
        })
    }
}

/// A text or number that is no value of the kind asked for.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ValueError {
    /// It does not fit the kind.
    #[error("`{found}` does not fit: it must be {wanted}")]
    Mismatch {
        /// What the kind allows.
        wanted: String,
        /// What stands there.
        found: String,
    },
    /// A VLAN out of range.
    #[error(transparent)]
    Vlan(#[from] VlanError),
}

/// A value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Value {
    /// True or false.
    Flag(bool),
    /// A number.
    Count(u32),
    /// Whole seconds.
    Seconds(u32),
    /// One of a few words.
    Choice {
        /// The words.
        set: &'static ChoiceSet,
        /// Which.
        index: u8,
    },
    /// One VLAN, or none.
    Vlan(Option<VlanId>),
    /// A set of VLANs.
    Vlans(Arc<VlanSet>),
    /// Free text.
    Text(Arc<str>),
    /// Stations, in the order written.
    Stations(Arc<[Station]>),
}

impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Flag(flag) => flag.fmt(f),
            Self::Count(n) => n.fmt(f),
            Self::Seconds(n) => Seconds(*n).fmt(f),
            Self::Choice { set, index } => f.write_str(set.words.get(usize::from(*index)).copied().unwrap_or_default()),
            Self::Vlan(Some(vlan)) => vlan.fmt(f),
            Self::Vlan(None) => f.write_str("none"),
            Self::Vlans(set) => set.fmt(f),
            Self::Text(text) => f.write_str(text),
            Self::Stations(stations) => {
                let texts: Vec<String> = stations.iter().map(ToString::to_string).collect();
                f.write_str(if texts.is_empty() { "none" } else { "" })?;
                f.write_str(&texts.join(", "))
            }
        }
    }
}

impl serde::Serialize for Value {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Flag(flag) => serializer.serialize_bool(*flag),
            Self::Count(n) | Self::Seconds(n) => serializer.serialize_u32(*n),
            Self::Vlan(Some(vlan)) => serializer.serialize_u16(vlan.get()),
            Self::Stations(stations) => serializer.collect_seq(stations.iter().map(ToString::to_string)),
            Self::Choice { .. } | Self::Vlan(None) | Self::Vlans(_) | Self::Text(_) => serializer.collect_str(self),
        }
    }
}
