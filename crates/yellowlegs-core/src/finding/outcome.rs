//! What one switch comes to.

use std::sync::Arc;

use serde::Serialize;

use super::{Finding, SwitchRow, UnreadRow};
use crate::model::{PortName, Remark};
use crate::policy::Level;

/// One switch, judged.
#[derive(Debug, Clone, Default)]
pub struct SwitchOutcome {
    /// Its findings in order: ports naturally, then by check.
    pub findings: Vec<Finding>,
    /// Checks that could not be decided.
    pub undetermined: Vec<Undecided>,
    /// Lines that were not understood, by shape.
    pub unread: Vec<UnreadRow>,
    /// What was noticed.
    pub remarks: Vec<Remark>,
    /// Whether anything of its state was read.
    pub has_state: bool,
    /// Its row in the report.
    pub row: Option<SwitchRow>,
    /// Its reported ports in order, each with what is to be said of it.
    pub ports: Vec<PortShown>,
}

impl SwitchOutcome {
    /// Its ports by what is to be said of them.
    pub fn counts(&self) -> Counts {
        let mut counts = Counts::default();
        self.ports.iter().for_each(|port| *counts.of(port.standing) += 1);
        counts
    }
}

/// A reported port.
#[derive(Debug, Clone)]
pub struct PortShown {
    /// Where it comes among the ports of its switch, from 0.
    pub position: usize,
    /// Its name.
    pub name: PortName,
    /// Its role.
    pub role: Option<Arc<str>>,
    /// What somebody wrote it is for.
    pub description: Option<Arc<str>>,
    /// The gravest thing to be said of it.
    pub standing: Standing,
}

/// The gravest thing to be said of a port, gravest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Standing {
    /// An unwaived breach.
    Breach,
    /// An unwaived risk.
    Risk,
    /// Neither, but a waived finding.
    Waived,
    /// None of these, but a check that could not be decided.
    Undetermined,
    /// An advice, and every other check met or not applicable.
    Advice,
    /// Every check met or not applicable.
    Clean,
}

impl Standing {
    /// All, gravest first.
    pub const ALL: [Self; 6] = [Self::Breach, Self::Risk, Self::Waived, Self::Undetermined, Self::Advice, Self::Clean];

    /// In a word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Breach => "breach",
            Self::Risk => "risk",
            Self::Waived => "waived",
            Self::Undetermined => "undetermined",
            Self::Advice => "advice",
            Self::Clean => "clean",
        }
    }

    /// Whether it makes its port a violating one.
    pub fn is_violating(self) -> bool {
        self <= Self::Risk
    }

    /// What one finding makes of its port.
    pub fn of(finding: &Finding) -> Self {
        match (&finding.waiver, finding.level) {
            (Some(_), _) => Self::Waived,
            (None, Level::Breach) => Self::Breach,
            (None, Level::Risk) => Self::Risk,
            (None, Level::Advice) => Self::Advice,
        }
    }
}

/// A check that could not be decided.
#[derive(Debug, Clone)]
pub struct Undecided {
    /// The check.
    pub check: &'static str,
    /// The level it counts at for the exit code; none for a check of state.
    pub level: Option<Level>,
    /// The port; none for the switch itself.
    pub port: Option<Arc<str>>,
    /// What is missing.
    pub needs: Needs,
    /// The lines that are not understood and could have told.
    pub doubts: DoubtLines,
}

/// What checks lack: names of settings, or words for other facts. One list for all that lack the same for the same reason.
pub type Needs = Arc<[&'static str]>;

/// Lines that keep checks open: one list for all that lack the same.
pub type DoubtLines = Arc<[Arc<DoubtLine>]>;

impl Undecided {
    /// What it lacks, in words: facts, and lines that nobody understands.
    pub fn lacks(&self) -> String {
        let facts = format!("needs {}", self.needs.join(", "));
        match &*self.doubts {
            [] => facts,
            [one] => format!("{facts}; {}:{} is not understood", one.file, one.line),
            [first, more @ ..] => {
                format!("{facts}; {}:{} and {} more are not understood", first.file, first.line, more.len())
            }
        }
    }
}

/// A line that keeps checks open, because it is not understood or the text is torn there.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct DoubtLine {
    /// Its shape, or how the text is torn.
    pub shape: Arc<str>,
    /// The file.
    pub file: Arc<str>,
    /// The line.
    pub line: u32,
    /// The command that shows how to settle it.
    #[serde(skip)]
    pub settle: Arc<str>,
}

/// Ports by what can be said of them; each port counts once.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Counts {
    /// Every check met or not applicable (advice apart).
    pub clean: usize,
    /// At least one unwaived finding at risk or above.
    pub violating: usize,
    /// No such finding, but a waived one.
    pub waived: usize,
    /// None of these, but a check that could not be decided.
    pub undetermined: usize,
}

impl Counts {
    /// The count that a standing belongs to.
    pub(super) fn of(&mut self, standing: Standing) -> &mut usize {
        match standing {
            Standing::Breach | Standing::Risk => &mut self.violating,
            Standing::Waived => &mut self.waived,
            Standing::Undetermined => &mut self.undetermined,
            Standing::Advice | Standing::Clean => &mut self.clean,
        }
    }
}
