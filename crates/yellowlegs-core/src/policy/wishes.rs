//! What a role expects of features and settings, and what holds where it says nothing.

use super::{Cite, Faces};
use crate::model::{Action, Seconds, VlanId};

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

    pub(super) fn from_word(word: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(_, w)| *w == word).map(|(wish, _)| *wish)
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

/// A feature or setting that `[role.expect]` knows, and what may be expected of it.
#[derive(Debug)]
pub struct Feature {
    /// Its name.
    pub name: &'static str,
    /// What may stand there.
    pub values: &'static str,
    /// What holds where the policy says nothing.
    pub default: &'static str,
}

/// Everything that `[role.expect]` knows.
pub static FEATURES: &[Feature] = &[
    Feature {
        name: "port-security",
        values: "wanted, unwanted or any",
        default: "wanted where the role faces host, phone or phone-and-host; unwanted towards bridges; else any",
    },
    Feature {
        name: "port-security.action",
        values: "drop, drop-and-report or disable-port: this or a stronger one",
        default: "drop-and-report",
    },
    Feature { name: "port-security.pinning", values: "wanted, unwanted, any, true or false", default: "any" },
    Feature {
        name: "port-security.aging",
        values: "wanted, unwanted, any, or the longest time as a duration (\"30m\") or seconds",
        default: "any",
    },
    Feature { name: "port.native-vlan", values: "a VLAN, 1 to 4094", default: "the site's VLANs of purpose native" },
];

pub(super) fn names() -> impl Iterator<Item = &'static str> {
    FEATURES.iter().map(|f| f.name)
}

/// What a role expects; silent wishes have their built-in defaults.
#[derive(Debug, Clone)]
pub struct Expect {
    /// Whether port security is to be in force.
    pub port_security: Wished<Wish>,
    /// The weakest action that will do.
    pub action: Wished<Action>,
    /// Whether stations are to be pinned.
    pub pinning: Wished<Wish>,
    /// Whether learned stations are to be forgotten, and after how long at the latest.
    pub aging: Wished<(Wish, Option<Seconds>)>,
    /// The native VLAN; `None`: the site's.
    pub native: Option<Wished<VlanId>>,
}

impl Expect {
    /// What holds for a role that says nothing.
    pub fn of(faces: Faces) -> Self {
        let wish = match faces {
            _ if faces.is_untagged_host() => Wish::Wanted,
            _ if faces.is_bridge() => Wish::Unwanted,
            _ => Wish::Any,
        };
        let word = Wish::WORDS.iter().find(|(w, _)| *w == wish).map_or("", |(_, w)| w);
        let built_in = |text: String| Cite::BuiltIn(format!("built-in default: {text}"));
        Self {
            port_security: Wished {
                value: wish,
                cite: built_in(format!("port-security is {word} where the role faces {}", faces.word())),
            },
            action: Wished {
                value: Action::DropAndReport,
                cite: built_in("port-security.action is drop-and-report or stronger".into()),
            },
            pinning: Wished { value: Wish::Any, cite: built_in("port-security.pinning is any".into()) },
            aging: Wished { value: (Wish::Any, None), cite: built_in("port-security.aging is any".into()) },
            native: None,
        }
    }
}
