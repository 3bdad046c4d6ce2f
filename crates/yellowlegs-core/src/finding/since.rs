//! What an earlier report says beside this one.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::{Fact, Inputs};
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

/// A place that a finding is about besides.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
pub struct About {
    /// The switch.
    pub switch: String,
}

/// What a finding was calculated from, as a report has it.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(untagged)]
pub enum Input {
    /// A number.
    Count(u32),
    /// Words.
    Text(String),
}

/// Numbers that say how bad a fault is: more is worse.
const SIZES: [&str; 8] = ["unread", "count", "stations", "limit", "flaps", "sum", "load", "heard"];
/// Lists of what a fault takes in: one thing more is worse.
const LISTS: [&str; 9] = ["sources", "settings", "vlans", "shapes", "missing", "extra", "wrong", "ports", "queriers"];

impl Former {
    /// What of a finding is worse than it was, in words.
    pub fn grew(&self, inputs: &Inputs) -> Option<String> {
        let grown = |name: &&str| match (self.inputs.get(*name)?, inputs.get(name)?) {
            (Input::Count(before), Fact::Count(now)) if now > before => Some(format!("{name} {before} → {now}")),
            _ => None,
        };
        let longer = |name: &&str| {
            let (Input::Text(before), Fact::Text(now)) = (self.inputs.get(*name)?, inputs.get(name)?) else {
                return None;
            };
            let before = elements(before);
            let more: Vec<&str> = elements(now).into_iter().filter(|element| !before.contains(element)).collect();
            (!more.is_empty()).then(|| format!("{name} and now {}", more.join(", ")))
        };
        let grown: Vec<String> = SIZES.iter().filter_map(grown).chain(LISTS.iter().filter_map(longer)).collect();
        (!grown.is_empty()).then(|| grown.join("; "))
    }
}

fn elements(list: &str) -> Vec<&str> {
    list.split([',', ';']).map(str::trim).filter(|element| !element.is_empty()).collect()
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
    /// What it is about besides.
    #[serde(default, skip_serializing)]
    pub related: Vec<About>,
    /// What it was calculated from.
    #[serde(default, skip_serializing)]
    pub inputs: BTreeMap<String, Input>,
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

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn former(name: &str, input: Input) -> Former {
        let inputs = BTreeMap::from([(name.to_owned(), input)]);
        let text = String::new;
        Former {
            check: text(),
            level: Level::Risk,
            switch: None,
            port: None,
            vlan: None,
            role: None,
            message: text(),
            fingerprint: text(),
            related: Vec::new(),
            inputs,
            now: Fate::Gone,
        }
    }

    #[rstest]
    #[case::more("unread", 6, 26, Some("unread 6 → 26"))]
    #[case::as_many("unread", 6, 6, None)]
    #[case::fewer("unread", 26, 6, None)]
    #[case::no_size("seconds", 6, 26, None)]
    fn a_fault_that_grows_is_worse(
        #[case] name: &'static str,
        #[case] before: u32,
        #[case] now: u32,
        #[case] expected: Option<&str>,
    ) {
        let inputs = Inputs::from(vec![(name, Fact::Count(now))]);
        assert_eq!(former(name, Input::Count(before)).grew(&inputs).as_deref(), expected);
    }

    #[rstest]
    #[case::more("sources", "1.1 both", "1.1 both, 1.2 both", Some("sources and now 1.2 both"))]
    #[case::other("sources", "1.1 both", "1.3 sent", Some("sources and now 1.3 sent"))]
    #[case::order("vlans", "110, 120", "120, 110", None)]
    #[case::fewer("settings", "a on 1; b", "b", None)]
    #[case::no_list("how", "a", "b", None)]
    fn a_fault_that_takes_in_more_is_worse(
        #[case] name: &'static str,
        #[case] before: &str,
        #[case] now: &str,
        #[case] expected: Option<&str>,
    ) {
        let inputs = Inputs::from(vec![(name, Fact::Text(now.to_owned()))]);
        assert_eq!(former(name, Input::Text(before.to_owned())).grew(&inputs).as_deref(), expected);
    }
}
