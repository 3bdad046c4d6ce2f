//! Rules as they are used: what a statement is about and what it changes.

use std::sync::Arc;

use super::pattern::Pattern;
use crate::model::{SettingId, SettingSet, Value, settings};

/// How far a global default reaches.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reach {
    /// Every port.
    AllPorts,
    /// Ports whose mode in force is access.
    AccessPorts,
    /// Ports whose mode in force is access, or negotiated.
    UntrunkedPorts,
    /// Ports whose mode in force is trunk.
    TrunkPorts,
    /// Ports that are edge ports in force.
    EdgePorts,
    /// Every VLAN of the switch.
    AllVlans,
}

impl Reach {
    /// How few things it reaches: where the narrowest of two counts, the larger.
    pub fn narrowness(self) -> u8 {
        match self {
            Self::AllPorts | Self::AllVlans => 0,
            Self::UntrunkedPorts => 1,
            Self::AccessPorts | Self::TrunkPorts => 2,
            Self::EdgePorts => 3,
        }
    }

    /// Each with its word in dialects.
    pub const WORDS: [(Self, &'static str); 6] = [
        (Self::AllPorts, "all-ports"),
        (Self::AccessPorts, "access-ports"),
        (Self::UntrunkedPorts, "access-or-negotiated-ports"),
        (Self::TrunkPorts, "trunk-ports"),
        (Self::EdgePorts, "edge-ports"),
        (Self::AllVlans, "all-vlans"),
    ];
}

/// A hole by name, looked up in the statement first and then in the openers around it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum HoleRef {
    /// A hole of the rule itself.
    Own(usize),
    /// A hole of a rule that opened a context around it.
    Outer(String),
}

/// A profile by the kind of profile it is and the hole that names it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ProfileRef {
    /// Its kind: profiles of two kinds may have one name.
    pub kind: Arc<str>,
    /// Its name.
    pub name: HoleRef,
}

/// What a rule's settings belong to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Subject {
    /// The ports a hole names.
    Ports(HoleRef),
    /// The VLAN or VLANs a hole names.
    Vlan(HoleRef),
    /// Every port or VLAN within a reach, as a global default.
    Reach(Reach),
    /// A profile that ports use.
    Profile(ProfileRef),
    /// The mirror session a hole names.
    Mirror(HoleRef),
}

/// Where a value comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Operand {
    /// Written in the dialect.
    Constant(Value),
    /// What a hole took.
    Hole(HoleRef),
    /// What a hole's chosen word stands for, by the position of the word; or what the hole took.
    Chosen(HoleRef, Vec<Value>),
    /// What a hole took, with a second part: a station with its VLAN, a port with a direction, a number with a number.
    Pair(HoleRef, Box<Operand>),
}

impl Operand {
    /// The hole its value, or the first part of it, is taken from.
    pub fn hole(&self) -> Option<&HoleRef> {
        match self {
            Self::Constant(_) => None,
            Self::Hole(hole) | Self::Chosen(hole, _) | Self::Pair(hole, _) => Some(hole),
        }
    }
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
    /// The same, and on a port what the platform has is in force, whatever profiles and global defaults say.
    ResetToPlatform,
}

impl Change {
    /// What it takes its values from.
    pub fn operands(&self) -> &[Operand] {
        match self {
            Self::Set(operands) | Self::Add(operands) | Self::Remove(operands) => operands,
            Self::Reset | Self::ResetToPlatform => &[],
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
    /// The line only implies it: it yields to what is written for the port itself.
    pub implied: bool,
    /// What it belongs to, where that is not what the statement is about (`also`).
    pub about: Option<Subject>,
    /// It is one of several statements that make the setting together: which.
    pub part: Option<Arc<str>>,
}

impl HoleRef {
    /// Which of the rule's own holes it is.
    pub fn own(&self) -> Option<usize> {
        match self {
            Self::Own(hole) => Some(*hole),
            Self::Outer(_) => None,
        }
    }
}

impl Subject {
    /// The hole that names it.
    pub fn hole(&self) -> Option<&HoleRef> {
        match self {
            Self::Ports(hole) | Self::Vlan(hole) | Self::Mirror(hole) => Some(hole),
            Self::Profile(profile) => Some(&profile.name),
            Self::Reach(_) => None,
        }
    }
}

impl Rule {
    /// Whether lines inside it follow.
    pub fn opens_block(&self) -> bool {
        self.opens.is_some() && !self.goes_on()
    }

    /// Whether statements follow on its line.
    pub fn goes_on(&self) -> bool {
        self.follow == Follow::OnTheLine
    }

    /// What a statement of it changes.
    pub fn effects_of(&self, negated: bool) -> &[Effect] {
        if negated { self.undo.as_deref().unwrap_or_default() } else { &self.effects }
    }

    /// Everything that it says it is about: as a whole, and beside that.
    #[inline]
    pub fn subjects(&self) -> impl Iterator<Item = &Subject> {
        self.subject.iter().chain(self.effects.iter().filter_map(|effect| effect.about.as_ref()))
    }

    /// What is seen of it at a glance.
    pub(super) fn at_a_glance(&self) -> Glance {
        let names_ports = self.port_subjects().next().is_some() || self.declares.is_some() || self.used_by.is_some();
        Glance { names_ports, may_head: self.says_name() || self.says_nothing() }
    }

    /// Whether it says the switch's name.
    pub(crate) fn says_name(&self) -> bool {
        self.effects.iter().any(|effect| effect.setting == settings::NAME.id)
    }

    /// Whether it is about nothing, opens nothing and changes nothing: a line of recognition that does nothing else.
    fn says_nothing(&self) -> bool {
        self.subjects().next().is_none() && self.opens.is_none() && self.effects.is_empty()
    }

    /// How far it reaches as a global default.
    pub fn reaches(&self) -> impl Iterator<Item = Reach> {
        self.subjects().filter_map(|subject| match subject {
            Subject::Reach(reach) => Some(*reach),
            _ => None,
        })
    }

    /// The holes that name the ports it is about.
    pub fn port_subjects(&self) -> impl Iterator<Item = &HoleRef> {
        self.subjects().filter_map(|subject| match subject {
            Subject::Ports(hole) => Some(hole),
            _ => None,
        })
    }
}

/// What is seen of a rule at a glance: most rules are neither.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Glance {
    /// Some hole of it names ports that are there.
    pub names_ports: bool,
    /// It may take the header of a configuration: it says the switch's name, or nothing at all.
    pub may_head: bool,
}

/// Where a free text ends, whose lines are no statements.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Until {
    /// At a line that is this text.
    Line(String),
    /// At a line that is what a hole took; where the hole is a delimiter, at the next place of that character.
    Hole(usize),
}

/// Where the statements of a context that a rule opens follow.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Follow {
    /// In the lines inside.
    #[default]
    Inside,
    /// On the same line, one after the other.
    OnTheLine,
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
    /// Where the statements of that context follow.
    pub follow: Follow,
    /// What it is about, when it says so itself.
    pub subject: Option<Subject>,
    /// The ports whose existence it tells.
    pub declares: Option<HoleRef>,
    /// What it changes.
    pub effects: Vec<Effect>,
    /// What its negated form changes.
    pub undo: Option<Vec<Effect>>,
    /// The settings that it or its negated form changes.
    pub speaks: SettingSet,
    /// What is asked of it for each of its statements.
    pub glance: Glance,
    /// The profile that its subject uses: ports, or a profile that builds on it.
    pub uses: Option<ProfileRef>,
    /// The ports that use the profile it is about.
    pub used_by: Option<HoleRef>,
    /// The free text that follows it.
    pub until: Option<Until>,
    /// It is read and never written.
    pub read_only: bool,
    /// It is about nothing that is judged, and so are the lines in its block.
    pub is_idle: bool,
    /// Nobody has said yet what it says: its lines are known by their form alone.
    pub is_open: bool,
}
