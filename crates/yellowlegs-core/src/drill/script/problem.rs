//! What can be wrong with a drill that somebody wrote, beyond its TOML.

use crate::source::{Explain, nearest};

/// What is wrong, where the place is known besides.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ScriptProblem {
    /// A word where only a few are possible.
    #[error("`{key}` cannot be `{found}`")]
    Word {
        /// The key.
        key: &'static str,
        /// What stands there.
        found: String,
        /// What it may be.
        words: Vec<String>,
    },
    /// A value that is none of its kind.
    #[error("`{found}` is no {kind}")]
    Value {
        /// What it should be.
        kind: &'static str,
        /// What stands there.
        found: String,
        /// An example.
        example: &'static str,
    },
    /// A number out of range.
    #[error("`{key}` must be {wanted}, not {found}")]
    Number {
        /// The key.
        key: &'static str,
        /// The range.
        wanted: &'static str,
        /// What stands there.
        found: i64,
    },
    /// No switch is named.
    #[error("this step names no switch, and neither does [drill]")]
    NoSwitch,
    /// A step that does nothing and expects nothing.
    #[error("this step does nothing and expects nothing")]
    Idle,
    /// A step that does two things.
    #[error("this step does more than one thing: {0}")]
    TwoActs(String),
    /// Something is expected of a frame, and none is sent.
    #[error("`{0}` is expected of a frame, and this step sends none")]
    NoFrame(&'static str),
    /// A step earlier than the one before.
    #[error("this step is at {0} s, before the one above it")]
    Backwards(u64),
    /// No step at all.
    #[error("there is no [[step]]")]
    Empty,
    /// A switch that is not in the fleet.
    #[error("the fleet has no switch `{found}`")]
    Switch {
        /// What stands there.
        found: String,
        /// Those there are.
        names: Vec<String>,
    },
    /// A port that is not on its switch.
    #[error("switch {switch} has no port `{found}`")]
    Port {
        /// The switch.
        switch: String,
        /// What stands there.
        found: String,
    },
}

fn one_of(found: &str, words: &[String]) -> String {
    match nearest(found, words.iter().map(String::as_str)) {
        Some(near) => format!("did you mean `{near}`?"),
        None => format!("it may be {}", words.iter().take(20).cloned().collect::<Vec<_>>().join(", ")),
    }
}

impl Explain for ScriptProblem {
    fn hint(&self) -> Option<String> {
        Some(match self {
            Self::Word { found, words, .. } | Self::Switch { found, names: words } => one_of(found, words),
            Self::Value { example, .. } => format!("for example {example}"),
            Self::Number { .. } => return None,
            Self::NoSwitch => "write `switch = \"NAME\"` here or in [drill]".to_owned(),
            Self::Idle => {
                "give it `link`, `send`, `wire-to`, `strand`, `clear`, `restart`, or something to expect".to_owned()
            }
            Self::TwoActs(_) => "make a step of each".to_owned(),
            Self::NoFrame(_) => {
                "give the step a `send`, or expect something of the port: `port-is`, `cause`".to_owned()
            }
            Self::Backwards(_) => "put the steps in the order of time".to_owned(),
            Self::Empty => "docs/drills.md has an example".to_owned(),
            Self::Port { .. } => "write it as the switch's configuration does".to_owned(),
        })
    }
}
