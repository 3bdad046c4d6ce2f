//! Why a switch could not be gathered: at which step, what was seen there, and what to do.

use std::fmt;

/// A step of gathering one switch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Step {
    /// A secret is fetched from where the entry says.
    Credential,
    /// The connection is made.
    Connect,
    /// The key of the switch is held against the known ones.
    HostKey,
    /// The account is let in.
    LogIn,
    /// A command is sent and its answer awaited.
    Command(String),
    /// Its agent is asked for the first object.
    Agent,
    /// A part of what the agent has is walked.
    Walk(String),
    /// What came is recognised.
    Recognise,
    /// The folder is written.
    Write,
}

impl fmt::Display for Step {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Credential => f.write_str("credential"),
            Self::Connect => f.write_str("connect"),
            Self::HostKey => f.write_str("host key"),
            Self::LogIn => f.write_str("log in"),
            Self::Command(send) => write!(f, "`{send}`"),
            Self::Agent => f.write_str("agent"),
            Self::Walk(root) => write!(f, "walk of {root}"),
            Self::Recognise => f.write_str("recognise"),
            Self::Write => f.write_str("write"),
        }
    }
}

/// What went wrong with one switch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// Where.
    pub step: Step,
    /// What was seen.
    pub what: String,
    /// What to do about it.
    pub hint: Option<String>,
    /// Whether trying again may help. A refused password is never tried again: accounts are locked by that.
    pub passing: bool,
}

impl Fault {
    /// One that trying again does not mend.
    pub fn lasting(step: Step, what: impl Into<String>, hint: impl Into<String>) -> Self {
        Self { step, what: what.into(), hint: Some(hint.into()), passing: false }
    }

    /// One that may be gone the next time.
    pub fn passing(step: Step, what: impl Into<String>) -> Self {
        Self { step, what: what.into(), hint: None, passing: true }
    }
}
