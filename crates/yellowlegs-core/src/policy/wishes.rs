//! What a role expects of features and settings, and what holds where it says nothing.

use std::collections::{BTreeMap, BTreeSet};

use super::{Cite, Faces};
use crate::dialect::duration;
use crate::model::{Action, Choice, Key, Kind, Scope, Seconds, SettingId, SettingType, Value, VlanId, settings};
use crate::source::{Entry, Scalar};

/// Whether a feature is to be on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Wish {
    /// It must be in force.
    Wanted,
    /// It must not.
    Unwanted,
    /// Either is right.
    Any,
}

impl Wish {
    const WORDS: [(Self, &'static str); 3] =
        [(Self::Wanted, "wanted"), (Self::Unwanted, "unwanted"), (Self::Any, "any")];

    /// In a word.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(wish, _)| *wish == self).map_or("", |(_, word)| word)
    }

    /// From its word.
    pub(super) fn from_word(word: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(_, w)| *w == word).map(|(wish, _)| *wish)
    }

    fn of(scalar: &Scalar<'_>) -> Option<Self> {
        match scalar {
            Scalar::Text(word) => Self::from_word(word),
            Scalar::Flag(true) => Some(Self::Wanted),
            Scalar::Flag(false) => Some(Self::Unwanted),
            Scalar::Integer(_) => None,
        }
    }
}

/// A wish with the policy line, or the built-in default, that makes it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Wished<T> {
    /// What is wished.
    pub value: T,
    /// Who says so.
    pub cite: Cite,
}

/// What may be expected, for the guide and for hints.
#[derive(Debug, Clone, Copy)]
pub struct Expectation {
    /// Its name.
    pub name: &'static str,
    /// What may stand there.
    pub values: &'static str,
    /// What holds where the policy says nothing.
    pub default: &'static str,
}

const WISH: &str = "wanted, unwanted, any, true or false";

macro_rules! features {
    ($($feature:ident = $name:literal, $faces:ident => $wish:expr, $default:literal;)+) => {
        /// A feature that a role wants on its ports, or does not.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        pub enum Feature { $(#[doc = $name] $feature),+ }

        impl Feature {
            /// All of them.
            pub const ALL: &[Self] = &[$(Self::$feature),+];

            /// How it is written, and what holds where the policy is silent.
            pub fn info(self) -> Expectation {
                match self { $(Self::$feature => Expectation { name: $name, values: WISH, default: $default }),+ }
            }

            /// What holds where a role says nothing.
            fn default_for(self, faces: Faces) -> Wish {
                match self { $(Self::$feature => { let $faces = faces; $wish }),+ }
            }
        }
    };
}

fn wanted_if(fits: bool) -> Wish {
    if fits { Wish::Wanted } else { Wish::Any }
}

features! {
    PortSecurity = "port-security",
        faces => if faces.is_bridge() { Wish::Unwanted } else { wanted_if(faces.is_untagged_host()) },
        "wanted where the role faces host, phone or phone-and-host; unwanted towards bridges; else any";
    Pinning = "port-security.pinning", _faces => Wish::Any, "any";
    DhcpSnooping = "dhcp-snooping", faces => wanted_if(faces.is_edge()), "wanted on edge ports, for the VLANs they use; else any";
    ArpInspection = "arp-inspection", _faces => Wish::Any, "any";
    SourceGuard = "source-guard",
        faces => if faces.is_bridge() { Wish::Unwanted } else { Wish::Any }, "unwanted towards bridges; else any";
    AdvertisementGuard = "ipv6-guard", faces => wanted_if(faces.is_edge()), "wanted on edge ports; else any";
    FastStart = "fast-start",
        faces => if faces.is_bridge() { Wish::Unwanted } else { wanted_if(faces.is_edge()) },
        "wanted on edge ports; unwanted towards bridges; else any";
    EdgeGuard = "guard.bpdu", faces => wanted_if(!faces.is_bridge()), "wanted on every edge port in force that faces no bridge; else any";
    RootGuard = "guard.root",
        faces => if faces == Faces::BridgeUp { Wish::Unwanted } else { wanted_if(faces == Faces::BridgeDown) },
        "wanted where the role faces bridge-down; unwanted on bridge-up; else any";
    LoopGuard = "guard.loop", _faces => Wish::Any, "any";
    LoopDetection = "guard.loop-detection", faces => wanted_if(faces.has_phone()), "wanted where a phone hangs; else any";
    Storm = "storm", faces => wanted_if(faces.is_edge()), "wanted on edge ports; else any";
    Power = "power.enabled", faces => wanted_if(faces.has_phone()), "wanted where a phone hangs; else any";
    FastLeave = "multicast.fast-leave", _faces => Wish::Any, "any";
    Unidirectional = "unidirectional", faces => wanted_if(faces.is_bridge()), "wanted on fibre towards bridges; else any";
    Flap = "flap", faces => wanted_if(faces != Faces::Nothing), "wanted, but on spare ports";
}

/// The settings that have a form of their own in `[role.expect]`.
static SPECIAL: [Expectation; 3] = [
    Expectation {
        name: "port-security.action",
        values: "drop, drop-and-report or disable-port: this or a stronger one",
        default: "drop-and-report",
    },
    Expectation {
        name: "port-security.aging",
        values: "wanted, unwanted, any, or the longest time as a duration (\"30m\") or seconds",
        default: "any",
    },
    Expectation {
        name: "port.native-vlan",
        values: "a VLAN, 1 to 4094",
        default: "the site's VLANs of purpose native",
    },
];

/// Everything that `[role.expect]` knows by a row of its own; every other setting of ports may stand there too.
pub fn expectations() -> impl Iterator<Item = Expectation> {
    Feature::ALL.iter().map(|feature| feature.info()).chain(SPECIAL)
}

pub(super) fn names() -> impl Iterator<Item = &'static str> {
    let special = expectations().map(|e| e.name);
    let settings = SettingId::of(Scope::Port).map(SettingId::name);
    special.chain(settings.filter(|name| !expectations().any(|e| e.name == *name)))
}

/// What a role expects; silent wishes have their built-in defaults.
#[derive(Debug, Clone)]
pub struct Expect {
    wishes: Vec<Wished<Wish>>,
    /// The weakest action that will do.
    pub action: Wished<Action>,
    /// Whether learned stations are to be forgotten, and after how long at the latest.
    pub aging: Wished<(Wish, Option<Seconds>)>,
    /// The native VLAN; `None`: the site's.
    pub native: Option<Wished<VlanId>>,
    /// Other settings of ports and the values they should have.
    settings: BTreeMap<SettingId, Wished<Value>>,
    /// Settings that may be whatever they are.
    any: BTreeSet<SettingId>,
}

impl Expect {
    /// What holds for a role that says nothing.
    pub fn of(faces: Faces) -> Self {
        let built_in = |text: String| Cite::BuiltIn(format!("built-in default: {text}"));
        let wish = |feature: &Feature| {
            let value = feature.default_for(faces);
            let words = format!("{} is {} where the role faces {}", feature.info().name, value.word(), faces.word());
            Wished { value, cite: built_in(words) }
        };
        Self {
            wishes: Feature::ALL.iter().map(wish).collect(),
            action: Wished {
                value: Action::DropAndReport,
                cite: built_in("port-security.action is drop-and-report or stronger".into()),
            },
            aging: Wished { value: (Wish::Any, None), cite: built_in("port-security.aging is any".into()) },
            native: None,
            settings: BTreeMap::new(),
            any: BTreeSet::new(),
        }
    }

    /// Whether a setting may be whatever it is: no check holds it against anything.
    pub fn is_any(&self, id: SettingId) -> bool {
        self.any.contains(&id)
    }

    /// Whether the role asks for the very value that a setting has: then it is right, whatever is right elsewhere.
    pub fn asks_for(&self, id: SettingId, value: Option<&Value>) -> bool {
        value.is_some() && self.settings.get(&id).map(|wished| &wished.value) == value
    }

    /// Whether a feature is wanted, and who says so.
    pub fn wish(&self, feature: Feature) -> &Wished<Wish> {
        &self.wishes[feature as usize]
    }

    /// Whether a feature is wanted.
    pub fn wants(&self, feature: Feature) -> bool {
        self.wish(feature).value == Wish::Wanted
    }

    /// The value that a setting should have, where the role says so.
    pub fn value<T: SettingType>(&self, key: Key<T>) -> Option<Wished<T>> {
        let wished = self.settings.get(&key.id)?;
        Some(Wished { value: T::read(&wished.value)?, cite: wished.cite.clone() })
    }

    /// All settings with the values they should have.
    pub fn values(&self) -> impl Iterator<Item = (SettingId, &Wished<Value>)> {
        self.settings.iter().map(|(id, wished)| (*id, wished))
    }

    /// Pinning stands on port security: who wants the one and says nothing of the other wants both.
    pub(super) fn follow_pinning(&mut self) {
        let pinning = self.wish(Feature::Pinning).clone();
        let security = &mut self.wishes[Feature::PortSecurity as usize];
        if pinning.value == Wish::Wanted && security.value == Wish::Any && matches!(security.cite, Cite::BuiltIn(_)) {
            *security = pinning;
        }
    }

    /// Puts an expectation in its place; what it can be, when its value cannot be that.
    pub(super) fn take(&mut self, name: &str, entry: &Entry<'_>, cite: Cite) -> Result<(), Refused> {
        // A feature may go by its name alone where one switch turns it on: `power` is `power.enabled`.
        let switch = format!("{name}.enabled");
        let name = if SettingId::by_name(&switch).is_some_and(|id| id.info().scope == Scope::Port)
            && !Feature::ALL.iter().any(|f| f.info().name == name)
        {
            switch.as_str()
        } else {
            name
        };
        if let Some(feature) = Feature::ALL.iter().find(|f| f.info().name == name) {
            let value = entry.scalar().as_ref().and_then(Wish::of).ok_or(Refused::Value(WISH.to_owned()))?;
            self.wishes[*feature as usize] = Wished { value, cite };
            return Ok(());
        }
        let Some(id) = SettingId::by_name(name).filter(|id| id.info().scope == Scope::Port) else {
            return Err(Refused::Name);
        };
        let wanted = || {
            let special = SPECIAL.iter().find(|e| e.name == name).map(|e| e.values.to_owned());
            Refused::Value(special.unwrap_or_else(|| format!("{}, or any", id.info().kind.describe())))
        };
        // Of a text it would be a value like any other.
        if id.info().kind != Kind::Text && entry.text() == Some(Wish::Any.word()) {
            self.settings.remove(&id);
            self.any.insert(id);
            return Ok(());
        }
        if id == settings::AGING.id {
            self.aging = Wished { value: aging(entry).ok_or_else(wanted)?, cite };
            return Ok(());
        }
        let value = value(id.info().kind, entry).ok_or_else(wanted)?;
        match (&value, id) {
            (Value::Choice { index, .. }, id) if id == settings::ACTION.id => {
                self.action = Wished { value: Action::from_index(*index).ok_or_else(wanted)?, cite };
            }
            (Value::Vlan(Some(vlan)), id) if id == settings::NATIVE_VLAN.id => {
                self.native = Some(Wished { value: *vlan, cite });
            }
            _ => _ = self.settings.insert(id, Wished { value, cite }),
        }
        Ok(())
    }
}

/// Why an expectation is refused.
pub(super) enum Refused {
    /// Nothing is called that.
    Name,
    /// It cannot have this value; what it can.
    Value(String),
}

fn aging(entry: &Entry<'_>) -> Option<(Wish, Option<Seconds>)> {
    let seconds = match entry.scalar()? {
        Scalar::Text(word) => match Wish::from_word(word) {
            Some(wish) => return Some((wish, None)),
            None => duration(word)?,
        },
        Scalar::Integer(number) => u32::try_from(number).ok()?,
        Scalar::Flag(_) => return None,
    };
    (seconds > 0).then_some((Wish::Wanted, Some(Seconds(seconds))))
}

/// A setting's value as a policy writes it: as a dialect does, and lists as lists.
pub(super) fn value(kind: Kind, entry: &Entry<'_>) -> Option<Value> {
    if let Some(numbers) = entry.integers() {
        return kind.parse(&numbers.iter().map(ToString::to_string).collect::<Vec<_>>().join(",")).ok();
    }
    if let Some(words) = entry.texts() {
        return kind.parse(&words.join(",")).ok();
    }
    match entry.scalar()? {
        Scalar::Text(text) => match (kind, duration(text), Wish::from_word(text)) {
            (Kind::Seconds, Some(seconds), _) => Some(Value::Seconds(seconds)),
            (Kind::Flag, _, Some(wish)) if wish != Wish::Any => Some(Value::Flag(wish == Wish::Wanted)),
            _ => kind.parse(text).ok(),
        },
        Scalar::Integer(number) => kind.from_number(number).ok(),
        Scalar::Flag(flag) => (kind == Kind::Flag).then_some(Value::Flag(flag)),
    }
}
