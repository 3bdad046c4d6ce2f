//! What can be wrong with `switches.toml`.

use yellowlegs_core::source::Explain;

/// What can be wrong with `switches.toml`, beyond its TOML.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum EntryProblem {
    /// A secret where everybody reads it.
    #[error("a secret never stands in this file")]
    Secret,
    /// None, or several, of the ways to a secret.
    #[error("a credential is one of `agent`, `key`, `environment`, `prompt`")]
    Credential,
    /// A name twice.
    #[error("`{name}` has an entry already, in line {line}")]
    Twice {
        /// The switch.
        name: String,
        /// Where.
        line: u32,
    },
    /// A folder that is no place for a switch.
    #[error("`{found}` is no folder below the fleet's root")]
    Folder {
        /// What stands there.
        found: String,
    },
    /// Two switches in one folder.
    #[error("`{found}` is the folder of `{name}`, too")]
    FolderTwice {
        /// The folder.
        found: String,
        /// The other.
        name: String,
    },
    /// Something that an entry needs and nothing says.
    #[error("`{name}` has no `{key}`, nor has a pattern that takes it, nor [defaults]")]
    Open {
        /// The switch.
        name: String,
        /// The key.
        key: &'static str,
    },
    /// A pattern with what only one switch can have.
    #[error("`{key}` belongs to one switch, and `{pattern}` is a pattern")]
    OfOne {
        /// The key.
        key: &'static str,
        /// The pattern.
        pattern: String,
    },
    /// A number out of range.
    #[error("`{key}` is {least} to {most}, not {found}")]
    Range {
        /// The key.
        key: &'static str,
        /// What stands there.
        found: i64,
        /// The least.
        least: i64,
        /// The most.
        most: i64,
    },
    /// A time that is none.
    #[error("`{key}` is a time from 1 second to 1 hour, not `{found}`")]
    Time {
        /// The key.
        key: &'static str,
        /// What stands there.
        found: String,
    },
    /// An algorithm that nobody here knows.
    #[error("`{found}` is no algorithm that can be asked for")]
    Algorithm {
        /// What stands there.
        found: String,
    },
    /// A pattern that cannot be read.
    #[error("`{found}` is no pattern of names")]
    Pattern {
        /// What stands there.
        found: String,
    },
    /// A way that is none.
    #[error("`{found}` is no way to ask a switch")]
    Way {
        /// What stands there.
        found: String,
    },
    /// Two ways at once to be known by an agent.
    #[error("`community` is of version 2c, `{key}` of version 3: an entry has one of them")]
    Versions {
        /// The key.
        key: &'static str,
    },
    /// A key where there can be none.
    #[error("`{key}` is a word: an agent of a switch knows no keys")]
    NoKey {
        /// The key.
        key: &'static str,
    },
    /// What is open to everybody on the way, for all.
    #[error("a community is read by everybody on the way: it is said switch by switch, not in [defaults]")]
    ForAll,
    /// A hash or a cipher that is none.
    #[error("`{key}` cannot be `{found}`")]
    Word {
        /// The key.
        key: &'static str,
        /// What stands there.
        found: String,
        /// What it may be.
        words: Vec<&'static str>,
    },
    /// Nobody to ask.
    #[error("no [[switch]] with an address")]
    Nobody,
}

impl Explain for EntryProblem {
    fn hint(&self) -> Option<String> {
        Some(match self {
            Self::Secret => {
                "credential = { environment = \"NAME\" }, { key = \"FILE\" }, { agent = true } or { prompt = true }"
                    .into()
            }
            Self::Credential => "for example `credential = { agent = true }`".into(),
            Self::Twice { .. } | Self::FolderTwice { .. } => "each switch has one entry and one folder".into(),
            Self::Folder { .. } => "a path such as \"northquay/desks-1\", without `..`".into(),
            Self::Open { key, .. } => format!("add `{key} = …` to its entry or to [defaults]"),
            Self::OfOne { .. } => "leave it to the entries of the switches".into(),
            Self::Range { .. } => "leave it out for the usual value".into(),
            Self::Time { .. } => "for example \"30s\" or \"2m\"".into(),
            Self::Algorithm { .. } => format!("it may be {}", crate::ssh::older_names().join(", ")),
            Self::Pattern { .. } => "`*` stands for any letters, `?` for one".into(),
            Self::Way { .. } => "ways = [\"ssh\", \"snmp\"]: one of them, or both".into(),
            Self::Versions { .. } => "leave out the community where the switch knows version 3".into(),
            Self::NoKey { .. } => "{ environment = \"NAME\" } or { prompt = true }".into(),
            Self::ForAll => "write it into the entries of the switches that know nothing better".into(),
            Self::Word { words, .. } => format!("it may be {}", words.join(", ")),
            Self::Nobody => "`yellowlegs gather new NAMES.csv` writes them from a list".into(),
        })
    }
}
