//! A time worked out from settings, with the working.

use crate::model::SettingId;

/// Seconds, and what they are made of.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(super) struct Figure {
    pub(super) seconds: u32,
    /// The working, in words: `2 × forward delay of 15 s`.
    pub(super) how: String,
    /// The settings whose values went into it.
    pub(super) settings: Vec<SettingId>,
}

impl Figure {
    pub(super) fn new(seconds: u32, how: impl Into<String>, settings: &[SettingId]) -> Self {
        Self { seconds, how: how.into(), settings: settings.to_vec() }
    }
}
