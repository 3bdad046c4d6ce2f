//! Holds findings against those of an earlier report: which are new, which remain, what became of the others.

use std::collections::{BTreeMap, BTreeSet};

use serde::Deserialize;
use serde::de::IgnoredAny;

use super::Selection;
use crate::finding::{Fate, Finding, Former, Since, SinceRow, SwitchOutcome, Undecided};

/// An earlier report, as far as it is needed.
#[derive(Debug, Clone, Deserialize)]
pub struct Earlier {
    /// The version of its shape.
    pub report: u32,
    as_of: String,
    findings: Vec<Then>,
    fleet_findings: Vec<Then>,
}

#[derive(Debug, Clone, Deserialize)]
struct Then {
    #[serde(flatten)]
    finding: Former,
    waiver: Option<IgnoredAny>,
}

/// A finding has a fingerprint, and where two have the same, a place among them.
type Left = BTreeMap<String, Vec<Former>>;

/// Compares with an earlier report, switch by switch and then the fleet. Waived findings do not count on either side.
#[derive(Debug)]
pub struct Comparison {
    of_switches: BTreeMap<String, Left>,
    of_fleet: Left,
    /// What could not be decided on a switch: check and port.
    open: BTreeSet<(&'static str, String, Option<String>)>,
    read: BTreeSet<String>,
    without_state: BTreeSet<String>,
    row: SinceRow,
}

impl Comparison {
    /// Of the earlier report only what is reported now plays a part.
    pub fn new(earlier: Earlier, selection: &Selection) -> Self {
        let takes = |then: &Then| {
            let Former { check, switch, port, role, related, .. } = &then.finding;
            let about = || related.iter().map(|about| about.switch.as_str());
            let placed = match (switch, port) {
                (None, _) => selection.takes_nowhere(about()),
                (Some(_), None) => !selection.names_ports(),
                (Some(_), Some(port)) => selection.takes_port(port, role.as_deref()),
            };
            let switch = switch.as_deref().is_none_or(|name| selection.takes_switch(name));
            then.waiver.is_none() && placed && switch && selection.takes_check(check)
        };
        let mut of_switches: BTreeMap<String, Left> = BTreeMap::new();
        for then in earlier.findings.into_iter().filter(takes) {
            let left = of_switches.entry(then.finding.switch.clone().unwrap_or_default()).or_default();
            left.entry(then.finding.fingerprint.clone()).or_default().push(then.finding);
        }
        let mut of_fleet = Left::new();
        for then in earlier.fleet_findings.into_iter().filter(takes) {
            of_fleet.entry(then.finding.fingerprint.clone()).or_default().push(then.finding);
        }
        let row = SinceRow { as_of: earlier.as_of, ..SinceRow::default() };
        Self {
            of_switches,
            of_fleet,
            open: BTreeSet::new(),
            read: BTreeSet::new(),
            without_state: BTreeSet::new(),
            row,
        }
    }

    /// The findings of a switch.
    pub fn switch(&mut self, outcome: &mut SwitchOutcome) {
        let Some(row) = &outcome.row else { return };
        let name = row.switch.to_string();
        for Undecided { check, port, .. } in &outcome.undetermined {
            self.open.insert((check, name.clone(), port.as_deref().map(str::to_owned)));
        }
        let mut left = self.of_switches.remove(&name).unwrap_or_default();
        self.hold(&mut outcome.findings, &mut left);
        if !outcome.has_state {
            self.without_state.insert(name.clone());
        }
        self.read.insert(name);
        self.settle(left, &outcome.findings);
    }

    /// The findings across switches, and the end. `open`: the checks across switches that could not be decided, with switch and port.
    pub fn fleet<'o>(
        mut self,
        findings: &mut [Finding],
        open: impl Iterator<Item = (&'static str, &'o str, Option<&'o str>)>,
    ) -> SinceRow {
        self.open.extend(open.map(|(check, switch, port)| (check, switch.to_owned(), port.map(str::to_owned))));
        let mut left = std::mem::take(&mut self.of_fleet);
        self.hold(findings, &mut left);
        self.settle(left, findings);
        for (_, left) in std::mem::take(&mut self.of_switches) {
            self.settle(left, &[]);
        }
        self.row
    }

    fn hold(&mut self, findings: &mut [Finding], left: &mut Left) {
        for finding in findings.iter_mut().filter(|f| f.waiver.is_none()) {
            let former = left.get_mut(&finding.fingerprint).and_then(Vec::pop);
            // What is worse than before is news.
            finding.grew = former.as_ref().and_then(|former| former.grew(&finding.inputs));
            let known = former.is_some() && finding.grew.is_none();
            finding.since = Some(if known { Since::Remaining } else { Since::New });
            *(if known { &mut self.row.remaining } else { &mut self.row.new }) += 1;
        }
    }

    fn settle(&mut self, left: Left, findings: &[Finding]) {
        for mut former in left.into_values().flatten() {
            former.now = self.fate(&former, findings);
            let gone = matches!(former.now, Fate::Gone | Fate::Waived);
            (if gone { &mut self.row.gone } else { &mut self.row.unsettled }).push(former);
        }
    }

    fn fate(&self, former: &Former, findings: &[Finding]) -> Fate {
        let waived = |f: &Finding| f.waiver.is_some() && f.fingerprint == former.fingerprint;
        let open = |(check, switch, port): &(&str, String, Option<String>)| {
            *check == former.check && Some(switch) == former.switch.as_ref() && *port == former.port
        };
        let is_state = super::all().any(|check| check.is_state() && check.id == former.check);
        match &former.switch {
            Some(switch) if !self.read.contains(switch) => Fate::NotRead,
            _ if findings.iter().any(waived) => Fate::Waived,
            _ if self.open.iter().any(open) => Fate::Undetermined,
            // Without its state, what state showed is not known any more.
            Some(switch) if is_state && self.without_state.contains(switch) => Fate::Undetermined,
            _ => Fate::Gone,
        }
    }
}
