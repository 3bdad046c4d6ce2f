//! What a check comes to.
//!
//! `Met` is a value that has to be made; what is unknown leaves through `?` and is never a pass.

use crate::finding::Fact;
use crate::model::{Mark, SettingId, VlanId};
use crate::policy::Cite;

/// A verdict, or the facts that are missing for one.
pub type Judgement = Result<Verdict, Unknown>;

/// What a check says of a port.
#[derive(Debug, Clone)]
pub enum Verdict {
    /// It looked and all is right.
    Met,
    /// It does not make sense here.
    NotApplicable,
    /// Something is wrong: one entry for each cause.
    Violated(Vec<Violation>),
}

/// The facts that are missing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unknown {
    /// Names of settings, or words for other facts.
    pub needs: Vec<&'static str>,
}

impl Unknown {
    /// One missing fact.
    pub fn fact(name: &'static str) -> Self {
        Self { needs: vec![name] }
    }
}

/// One cause of a violation: the facts. The prose is made in `say`.
#[derive(Debug, Clone)]
pub struct Violation {
    /// The sentence, with holes in braces.
    pub says: &'static str,
    /// What fills the holes; also the report's `inputs`.
    pub facts: Vec<(&'static str, Fact)>,
    /// The settings judged, whose lines are quoted; the first is the cause.
    pub settings: Vec<SettingId>,
    /// A setting judged that is shown with its value, and what no line of it says.
    pub lacking: Option<(SettingId, String)>,
    /// The VLAN it is about.
    pub vlan: Option<VlanId>,
    /// The line to quote for the cause, where it is not the deciding one.
    pub line: Option<Mark>,
    /// The policy line, or the built-in default, that demands otherwise.
    pub demand: Option<Cite>,
}

impl Violation {
    /// A violation by a setting.
    pub fn of(setting: SettingId, says: &'static str) -> Self {
        let settings = vec![setting];
        Self { says, facts: Vec::new(), settings, lacking: None, vlan: None, line: None, demand: None }
    }

    /// With another setting that was judged.
    #[must_use]
    pub fn beside(mut self, setting: SettingId) -> Self {
        if !self.settings.contains(&setting) {
            self.settings.push(setting);
        }
        self
    }

    /// With a setting that lacks something: no line can be quoted for what is not there.
    #[must_use]
    pub fn lacking(mut self, setting: SettingId, what: String) -> Self {
        self.lacking = Some((setting, what));
        self
    }

    /// With a fact.
    #[must_use]
    pub fn fact(mut self, name: &'static str, fact: impl Into<Fact>) -> Self {
        self.facts.push((name, fact.into()));
        self
    }

    /// With the VLAN it is about.
    #[must_use]
    pub fn vlan(mut self, vlan: Option<VlanId>) -> Self {
        self.vlan = vlan;
        self
    }

    /// With the line to quote.
    #[must_use]
    pub fn line(mut self, line: Option<Mark>) -> Self {
        self.line = line;
        self
    }

    /// With who demands otherwise.
    #[must_use]
    pub fn demand(mut self, cite: &Cite) -> Self {
        self.demand = Some(cite.clone());
        self
    }
}

impl From<Violation> for Judgement {
    fn from(violation: Violation) -> Self {
        Ok(Verdict::Violated(vec![violation]))
    }
}

/// Gathers the parts of a check that looks at several things: a violation counts even where
/// something else is unknown, and all is met only when nothing is.
#[derive(Debug, Default)]
pub struct Tally {
    violations: Vec<Violation>,
    needs: Vec<&'static str>,
}

impl Tally {
    /// Takes in one part.
    pub fn add(&mut self, part: Result<Option<Violation>, Unknown>) {
        match part {
            Ok(violation) => self.violations.extend(violation),
            Err(unknown) => self.needs.extend(unknown.needs),
        }
    }

    /// What it comes to.
    pub fn judgement(mut self) -> Judgement {
        if !self.violations.is_empty() {
            return Ok(Verdict::Violated(self.violations));
        }
        if self.needs.is_empty() {
            return Ok(Verdict::Met);
        }
        self.needs.sort_unstable();
        self.needs.dedup();
        Err(Unknown { needs: self.needs })
    }
}
