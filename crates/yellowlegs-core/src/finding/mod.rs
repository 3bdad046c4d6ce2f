//! What an audit says: findings with their evidence, and the totals of a fleet.

mod block;
mod brief;
mod evidence;
mod fingerprint;
mod in_turn;
mod inputs;
mod outcome;
mod since;
mod totals;

use std::fmt;
use std::sync::Arc;

use serde::Serialize;

pub use block::{Block, blocks};
pub use brief::Brief;
pub use evidence::{Evidence, EvidenceKind, quote_cite, quote_slot};
pub use fingerprint::fingerprint;
pub use inputs::Inputs;
pub use outcome::{Counts, DoubtLine, DoubtLines, Needs, PortShown, Standing, SwitchOutcome, Undecided};
pub use since::{About, Fate, Former, Input, Since, SinceRow};
pub use totals::{
    CheckRow, DoubtRow, Levels, Positions, Sample, Summary, SwitchRow, Totals, UndeterminedRow, UnreadRow, UnreadSample,
};

use crate::model::{Origin, Value};
use crate::policy::{Level, RoleFrom};

/// One check failed on one port or switch.
#[derive(Debug, Clone, Serialize)]
pub struct Finding {
    /// The check.
    pub check: &'static str,
    /// How grave it is.
    pub level: Level,
    /// The switch.
    pub switch: Option<Arc<str>>,
    /// The port.
    pub port: Option<String>,
    /// The VLAN it is about.
    pub vlan: Option<u16>,
    /// The port's role.
    pub role: Option<String>,
    /// What told the role.
    pub role_from: Option<RoleFrom>,
    /// What is wrong, in a sentence.
    pub message: String,
    /// The same fault has the same fingerprint in the next audit, wherever its lines have moved.
    pub fingerprint: String,
    /// The settings in force that were judged.
    pub settings: Vec<SettingShown>,
    /// The lines that prove it: the switch's first, then the policy's.
    pub evidence: Vec<Evidence>,
    /// Lines that spoke about the same setting and lost, or took part in its list.
    pub overridden: Vec<Evidence>,
    /// What a calculation used.
    pub inputs: Inputs,
    /// Other ports it is about.
    pub related: Vec<Related>,
    /// What to do.
    pub remedy: String,
    /// The exception that covers it.
    pub waiver: Option<Box<WaiverShown>>,
    /// Whether an earlier report has it too, where one was compared.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub since: Option<Since>,
    /// What is worse than in the earlier report, which makes a finding new again.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub grew: Option<String>,
    /// The worst drill that it lets happen, where drills were played.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub drill: Option<Box<DrillShown>>,
}

/// A drill that did not hold because of a finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct DrillShown {
    /// Its name.
    pub drill: String,
    /// How it ended.
    pub outcome: &'static str,
    /// On how many ports of the switch.
    pub ports: usize,
    /// In a sentence.
    pub says: String,
}

impl Finding {
    /// Whether it makes its port a violating one: not waived, at risk or above.
    pub fn is_violation(&self) -> bool {
        self.waiver.is_none() && self.level <= Level::Risk
    }
}

/// A setting in force, as a finding shows it.
#[derive(Debug, Clone, Serialize)]
pub struct SettingShown {
    /// Its name.
    pub name: &'static str,
    /// Its value; null when unknown. Of a list of more than 64 elements the first 32, and how many more there are.
    #[serde(serialize_with = "brief::brief")]
    pub value: Option<Value>,
    /// Where it comes from.
    pub origin: Origin,
}

/// Another port that a finding is about.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Related {
    /// The switch.
    pub switch: Arc<str>,
    /// The port.
    pub port: Option<Arc<str>>,
}

/// The waiver that covers a finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct WaiverShown {
    /// Why.
    pub reason: String,
    /// Who answers for it.
    pub owner: String,
    /// The last day it holds.
    pub last_day: String,
    /// Where it is written.
    pub evidence: Evidence,
}

/// Something a check found out, for its sentence and for the report's `inputs`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(untagged)]
pub enum Fact {
    /// A number.
    Count(u32),
    /// Words.
    Text(String),
}

impl fmt::Display for Fact {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Count(n) => n.fmt(f),
            Self::Text(text) => f.write_str(text),
        }
    }
}

impl From<u32> for Fact {
    fn from(count: u32) -> Self {
        Self::Count(count)
    }
}

impl From<String> for Fact {
    fn from(text: String) -> Self {
        Self::Text(text)
    }
}

impl From<&str> for Fact {
    fn from(text: &str) -> Self {
        Self::Text(text.to_owned())
    }
}
