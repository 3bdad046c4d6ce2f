//! A violating and a right example of a check, in a dialect that ships: written through it, and tried, by a test.

use std::sync::LazyLock;

use super::Check;

/// What shows a check, or why nothing does.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(untagged)]
pub enum Example {
    /// Lines.
    Lines {
        /// The check's id.
        #[serde(skip_serializing)]
        check: String,
        /// The settings that they change.
        settings: Vec<String>,
        /// The lines that break it; none: the right ones are missing.
        violating: Vec<String>,
        /// The lines that put it right.
        right: Vec<String>,
    },
    /// No line of a configuration shows it.
    None {
        /// The check's id.
        #[serde(skip_serializing)]
        check: String,
        /// What it is about instead.
        none: String,
    },
}

#[derive(Default, serde::Deserialize)]
struct Examples {
    example: Vec<Example>,
}

static EXAMPLES: LazyLock<Examples> =
    LazyLock::new(|| toml::from_str(include_str!("examples.toml")).unwrap_or_default());

impl Check {
    /// Its example in Shingle; checks of state have none.
    pub fn example(&self) -> Option<&'static Example> {
        EXAMPLES.example.iter().find(|example| match example {
            Example::Lines { check, .. } | Example::None { check, .. } => check == self.id,
        })
    }
}
