//! What a check comes to.
//!
//! `Met` is a value that has to be made; what is unknown leaves through `?` and is never a pass.

use std::borrow::Cow;
use std::sync::Arc;

use smallvec::{SmallVec, smallvec};

use crate::finding::{Fact, Needs, Related};
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
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Unknown {
    /// Names of settings, or words for other facts.
    pub needs: SmallVec<[&'static str; 1]>,
}

impl Unknown {
    /// One missing fact.
    pub fn fact(name: &'static str) -> Self {
        Self { needs: smallvec![name] }
    }

    /// What is missing, to be shared by all that lack it.
    pub(super) fn shared(&self) -> Needs {
        self.needs.as_slice().into()
    }
}

/// One cause of a violation: the facts. The prose is made in `say`.
#[derive(Debug, Clone, PartialEq)]
pub struct Violation {
    /// The sentence, with holes in braces.
    pub says: Cow<'static, str>,
    /// What fills the holes; also the report's `inputs`.
    pub facts: Vec<(&'static str, Fact)>,
    /// The settings judged, whose lines are quoted; the first is the cause.
    pub settings: Vec<SettingId>,
    /// A setting judged that is shown with its value, and what no line of it says.
    pub lacking: Option<(SettingId, String)>,
    /// The VLAN it is about; settings of VLANs are that one's.
    pub vlan: Option<VlanId>,
    /// The port it stands on, where a check of the switch found it; settings of ports are that one's.
    pub port: Option<usize>,
    /// The mirror session it is about; settings of sessions are that one's.
    pub mirror: Option<Arc<str>>,
    /// Other ports it is about.
    pub related: Vec<Related>,
    /// What proves it where no line may be quoted.
    pub words: Option<String>,
    /// Lines of state that are quoted besides.
    pub beside_lines: Vec<Mark>,
    /// The line to quote for the cause, where it is not the deciding one.
    pub line: Option<Mark>,
    /// The policy line, or the built-in default, that demands otherwise.
    pub demand: Option<Cite>,
    /// What tells it from others of the same check, place and cause, in the next audit too.
    pub apart: Option<String>,
}

impl Violation {
    /// A violation by a setting.
    pub fn of(setting: SettingId, says: &'static str) -> Self {
        Self { settings: vec![setting], ..Self::saying(says) }
    }

    /// A violation that no setting of ours proves: a line quoted, or the policy's, says it.
    pub fn saying(says: impl Into<Cow<'static, str>>) -> Self {
        Self {
            says: says.into(),
            facts: Vec::new(),
            settings: Vec::new(),
            lacking: None,
            vlan: None,
            port: None,
            mirror: None,
            related: Vec::new(),
            words: None,
            beside_lines: Vec::new(),
            line: None,
            demand: None,
            apart: None,
        }
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

    /// Standing on a port.
    #[must_use]
    pub fn on(mut self, port: Option<usize>) -> Self {
        self.port = port;
        self
    }

    /// About a mirror session.
    #[must_use]
    pub fn of_mirror(mut self, session: &Arc<str>) -> Self {
        self.mirror = Some(Arc::clone(session));
        self
    }

    /// With other ports it is about.
    #[must_use]
    pub fn related(mut self, related: Vec<Related>) -> Self {
        self.related = related;
        self
    }

    /// With words that prove it, where no line may be quoted.
    #[must_use]
    pub fn words(mut self, words: String) -> Self {
        self.words = Some(words);
        self
    }

    /// With a line that is quoted beside those of the settings.
    #[must_use]
    pub fn and_line(mut self, line: Option<Mark>) -> Self {
        self.beside_lines.extend(line);
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
    #[inline]
    pub fn add(&mut self, part: Result<Option<Violation>, Unknown>) {
        match part {
            Ok(violation) => self.violations.extend(violation),
            Err(unknown) => self.needs.extend(unknown.needs),
        }
    }

    /// Takes in what another check would say.
    pub fn take(&mut self, judgement: Judgement) {
        match judgement {
            Ok(Verdict::Violated(violations)) => self.violations.extend(violations),
            Ok(_) => {}
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
        Err(Unknown { needs: self.needs.into() })
    }
}
