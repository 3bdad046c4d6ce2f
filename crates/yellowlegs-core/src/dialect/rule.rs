//! Rules as they are used: what a statement is about and what it changes.

use super::pattern::Pattern;
use crate::model::{SettingId, Value};

/// How far a global default reaches.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reach {
    /// Every port.
    AllPorts,
    /// Ports whose mode in force is access.
    AccessPorts,
}

/// A hole by name, looked up in the statement first and then in the openers around it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum HoleRef {
    /// A hole of the rule itself.
    Own(usize),
    /// A hole of a rule that opened a context around it.
    Outer(String),
}

/// What a rule's settings belong to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Subject {
    /// The ports a hole names.
    Ports(HoleRef),
    /// The VLAN a hole names.
    Vlan(HoleRef),
    /// Every port within a reach, as a global default.
    Reach(Reach),
}

/// Where a value comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Operand {
    /// Written in the dialect.
    Constant(Value),
    /// What a hole took.
    Hole(HoleRef),
    /// What a hole's chosen word stands for, by the position of the word.
    Chosen(HoleRef, Vec<Value>),
    /// A station, with the VLAN of another hole.
    Station(HoleRef, HoleRef),
}

/// How a setting changes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Change {
    /// It becomes the first of these that is there.
    Set(Vec<Operand>),
    /// These are put in.
    Add(Vec<Operand>),
    /// These are taken out; all of it when none of them is there.
    Remove(Vec<Operand>),
    /// What was written is taken back.
    Reset,
}

impl Change {
    /// What it takes its values from.
    pub fn operands(&self) -> &[Operand] {
        match self {
            Self::Set(operands) | Self::Add(operands) | Self::Remove(operands) => operands,
            Self::Reset => &[],
        }
    }
}

/// One change of one setting.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Effect {
    /// The setting.
    pub setting: SettingId,
    /// How it changes.
    pub change: Change,
}

/// One rule.
#[derive(Debug, Clone)]
pub struct Rule {
    /// Its line in the dialect.
    pub line: u32,
    /// Its pattern.
    pub pattern: Pattern,
    /// The contexts it stands in.
    pub contexts: Vec<usize>,
    /// The context it opens.
    pub opens: Option<usize>,
    /// What it is about, when it says so itself.
    pub subject: Option<Subject>,
    /// The ports whose existence it tells.
    pub declares: Option<HoleRef>,
    /// What it changes.
    pub effects: Vec<Effect>,
    /// What its negated form changes.
    pub undo: Option<Vec<Effect>>,
}
