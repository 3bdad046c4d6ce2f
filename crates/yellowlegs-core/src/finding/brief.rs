//! Values as findings show them: a list of ten thousand stations is not told again with every finding about it.

use std::fmt;

use serde::{Serialize, Serializer};

use crate::model::Value;

/// Lists of up to so many elements are shown whole.
const WHOLE: usize = 64;
/// Of longer ones so many.
const FIRST: usize = 32;

/// A value as a finding shows it: of a long list the first elements, and how many more there are.
#[derive(Debug, Clone, Copy)]
pub struct Brief<'v>(pub &'v Value);

impl Brief<'_> {
    /// The first elements of a long list, and how many more there are.
    fn long(self) -> Option<(Vec<String>, String)> {
        let more = self.0.count()?.checked_sub(WHOLE + 1)? + WHOLE + 1 - FIRST;
        Some((self.0.elements(FIRST)?, format!("and {more} more")))
    }
}

impl fmt::Display for Brief<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.long() {
            Some((first, more)) => write!(f, "{}, {more}", first.join(", ")),
            None => self.0.fmt(f),
        }
    }
}

impl Serialize for Brief<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self.long() {
            Some((first, more)) => serializer.collect_seq(first.into_iter().chain([more])),
            None => self.0.serialize(serializer),
        }
    }
}

/// The value of a setting that a finding names.
#[allow(clippy::ref_option, reason = "serde hands it over like this")]
pub(super) fn brief<S: Serializer>(value: &Option<Value>, serializer: S) -> Result<S::Ok, S::Error> {
    value.as_ref().map(Brief).serialize(serializer)
}
