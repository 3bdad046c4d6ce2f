//! What an earlier report says beside this one.

use serde::{Deserialize, Serialize};

use crate::policy::Level;

/// How a finding stands to an earlier report.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Since {
    /// It was not there, or was waived.
    New,
    /// It was there.
    Remaining,
}

impl Since {
    /// In a word.
    pub fn word(self) -> &'static str {
        match self {
            Self::New => "new",
            Self::Remaining => "remaining",
        }
    }
}

/// A finding of an earlier report that is not there now.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Former {
    /// The check.
    pub check: String,
    /// How grave it was.
    pub level: Level,
    /// The switch.
    pub switch: Option<String>,
    /// The port.
    pub port: Option<String>,
    /// The VLAN.
    pub vlan: Option<u16>,
    /// The role the port had.
    pub role: Option<String>,
    /// What was wrong.
    pub message: String,
    /// Its fingerprint.
    pub fingerprint: String,
    /// What became of it.
    #[serde(skip_deserializing)]
    pub now: Fate,
}

/// What became of a finding.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Fate {
    /// It was looked for and is not there.
    #[default]
    Gone,
    /// A waiver covers it now.
    Waived,
    /// It cannot be decided any more: that is no repair.
    Undetermined,
    /// Its switch was not read this time.
    NotRead,
}

impl Fate {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Gone => "gone",
            Self::Waived => "waived now",
            Self::Undetermined => "undetermined now",
            Self::NotRead => "its switch was not read",
        }
    }
}

/// The report's account of an earlier one.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct SinceRow {
    /// The time the earlier report was made for.
    pub as_of: String,
    /// Unwaived findings that it has not.
    pub new: usize,
    /// Unwaived findings that both have.
    pub remaining: usize,
    /// Findings that it has and this one has not, or has waived.
    pub gone: Vec<Former>,
    /// Findings that it has, of which nobody can say now whether they are there.
    pub unsettled: Vec<Former>,
}
