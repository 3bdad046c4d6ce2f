//! The pass over the fleet: what only shows when every switch was judged.

mod digest;
mod foreseen;
mod joined;
mod links;
mod open;
mod tell;
mod usage;

use std::collections::BTreeSet;
use std::sync::Arc;

pub use digest::{Digest, Digests};
pub(super) use digest::{Had, PortDigest, QuerierDigest};
pub(super) use foreseen::foresee;
pub(super) use joined::Joined;
pub(super) use links::{At, Links, port};
pub use open::{Open, Opens};
pub use tell::Again;
pub use usage::Usage;

use super::say::{fill, put_fact, quoted};
use super::{Check, Run, Selection, Violation, all};
use crate::finding::{Evidence, Finding, Positions, Related, fingerprint, quote_cite};
use crate::model::{SettingId, StationAddress};
use crate::policy::{AsOf, Level, Policy, Role};
use crate::resolve::Resolved;
use crate::sorted;

/// What a fleet check sees.
pub struct FleetView<'a> {
    /// The policy.
    pub policy: &'a Policy,
    /// The time it is judged at.
    pub as_of: &'a AsOf,
    /// What was kept of each switch, in path order.
    pub switches: &'a Digests,
    /// What was kept of baselines, each with its folder.
    pub baselines: &'a [(String, Digest)],
    links: Links,
    /// The switches where authorised servers are.
    with_servers: Vec<usize>,
}

impl<'a> FleetView<'a> {
    /// The view of a fleet.
    pub fn new(policy: &'a Policy, as_of: &'a AsOf, switches: &'a Digests, baselines: &'a [(String, Digest)]) -> Self {
        let serving = switches.iter().enumerate().filter(|(_, digest)| !digest.servers.is_empty());
        let with_servers = serving.map(|(number, _)| number).collect();
        Self { policy, as_of, switches, baselines, links: Links::of(switches), with_servers }
    }

    /// The other end of a port's link: by the policy's list, or by what the neighbours say.
    pub fn other_end(&self, switch: &str, port: &str) -> Option<Related> {
        let number = self.switches.iter().position(|digest| &*digest.switch == switch)?;
        let index = self.switches.get(number)?.ports.iter().position(|told| &*told.name == port)?;
        self.links().peer((number, index)).map(|peer| self.related(peer))
    }

    /// The switches where authorised servers are, by position: few of many.
    pub(super) fn with_servers(&self) -> impl Iterator<Item = usize> {
        self.with_servers.iter().copied()
    }

    pub(super) fn links(&self) -> &Links {
        &self.links
    }

    /// The ports for whose role a check is off.
    fn places_without(&self, check: &Check) -> BTreeSet<(&str, Option<&str>)> {
        let off = |role: &Role| self.policy.level(check.id, Some(&role.name), check.level).is_none();
        let roles: Vec<usize> = (0..).zip(&self.policy.roles).filter(|(_, role)| off(role)).map(|(n, _)| n).collect();
        if roles.is_empty() {
            return BTreeSet::new();
        }
        let each = self.switches.iter().flat_map(|digest| digest.ports.iter().map(move |port| (digest, port)));
        let without = each.filter(|(_, port)| port.role.is_some_and(|role| roles.contains(&role)));
        without.map(|(digest, port)| (&*digest.switch, Some(&*port.name))).collect()
    }

    /// A port, as others name it.
    pub(super) fn related(&self, at: At) -> Related {
        let switch = &self.switches[at.0];
        Related { switch: Arc::clone(&switch.switch), port: Some(Arc::clone(&switch.ports[at.1].name)) }
    }

    /// A switch, as others name it.
    pub(super) fn related_switch(&self, switch: usize) -> Related {
        Related { switch: Arc::clone(&self.switches[switch].switch), port: None }
    }
}

/// A violation of the fleet: the facts, and where it stands.
#[derive(Debug, Clone, PartialEq)]
pub struct FleetViolation {
    /// The switch it stands on; `None`: on none.
    pub switch: Option<Arc<str>>,
    /// The port it stands on.
    pub port: Option<String>,
    /// The facts.
    pub violation: Violation,
    /// Settings of other ports (or of their switches) whose lines are quoted besides.
    pub beside: Vec<(Related, SettingId)>,
    /// A station: the lines that pin it are quoted, here and besides, not those that other stations came by.
    pub station: Option<StationAddress>,
    /// A setting that two switches have differently: told once they are read again.
    pub sides: Option<Sides>,
}

/// One setting on two switches, each with the port, where it is one of ports.
#[derive(Debug, Clone, PartialEq)]
pub struct Sides {
    /// The setting.
    pub setting: SettingId,
    /// The port here, by its position.
    pub port: Option<usize>,
    /// The other switch.
    pub other: Arc<str>,
    /// Its port.
    pub other_port: Option<usize>,
}

impl Sides {
    /// The facts and the lines of both.
    fn tell(&self, here: &Resolved, there: Option<&Resolved>, violation: Violation) -> (Violation, Vec<Evidence>) {
        let id = self.setting;
        let value = |resolved: &Resolved, port| {
            let value = resolved.switch.slot_by_hand(port, id).value.as_ref();
            value.map_or_else(|| "not known".to_owned(), ToString::to_string)
        };
        let name = |resolved: &Resolved, port: Option<usize>| {
            port.and_then(|port| resolved.switch.ports().get(port)).map(ToString::to_string)
        };
        let other_port = there.and_then(|there| name(there, self.other_port));
        let violation = violation
            .fact("value", value(here, self.port))
            .fact("at", name(here, self.port).unwrap_or_default())
            .fact("theirs", there.map_or_else(|| "another".to_owned(), |there| value(there, self.other_port)))
            .fact("there", other_port.clone().unwrap_or_default())
            .related(vec![Related { switch: Arc::clone(&self.other), port: other_port.map(Into::into) }]);
        let theirs = there.map(|there| quoted(there, self.other_port, id)).unwrap_or_default();
        (violation, quoted(here, self.port, id).into_iter().chain(theirs).collect())
    }
}

impl FleetViolation {
    /// One that stands on no switch.
    pub fn nowhere(violation: Violation) -> Self {
        Self { switch: None, port: None, violation, beside: Vec::new(), station: None, sides: None }
    }

    /// One that stands on a switch, or a port of it.
    pub fn at(place: Related, violation: Violation) -> Self {
        Self { switch: Some(place.switch), port: place.port.map(|port| port.to_string()), ..Self::nowhere(violation) }
    }
}

/// What a fleet check comes to: its violations, and the facts it lacked for the rest.
#[derive(Default)]
pub struct FleetJudgement {
    /// What is wrong.
    pub violations: Vec<FleetViolation>,
    /// What is missing, and the switches for which.
    pub unknown: Vec<(&'static str, Related)>,
}

/// What a fleet check lacks where a line is not understood.
const UNDERSTOOD: &str = "lines that are understood";

impl FleetJudgement {
    /// Takes in what the check comes to with everything doubtful unknown: what it then lacks, or would find, is undecided,
    /// where it is not violated anyway.
    fn doubt(&mut self, certain: Self, view: &FleetView<'_>) {
        let here = |v: &FleetViolation| (v.switch.clone(), v.port.as_deref().map(Arc::<str>::from), v.violation.vlan);
        let violated: sorted::Set<_> = sorted::set(self.violations.iter().map(here));
        let places: sorted::Set<_> =
            sorted::set(violated.iter().map(|(switch, port, _)| (switch.clone(), port.clone())));
        let place_of = |place: &Related| (Some(Arc::clone(&place.switch)), place.port.clone());
        let mut open: BTreeSet<_> = sorted::tree_set(self.unknown.iter().map(|(_, place)| place_of(place)));
        for (needs, place) in certain.unknown {
            if !places.contains(&place_of(&place)) && open.insert(place_of(&place)) {
                self.unknown.push((needs, place));
            }
        }
        for violation in certain.violations.iter().filter(|violation| !violated.contains(&here(violation))) {
            let port = violation.port.as_deref().map(Into::into);
            let on = violation.switch.clone().map(|switch| Related { switch, port });
            let anywhere =
                || view.switches.first().map(|first| Related { switch: Arc::clone(&first.switch), port: None });
            let place = on.or_else(|| violation.violation.related.first().cloned()).or_else(anywhere);
            if let Some(place) = place.filter(|place| open.insert(place_of(place))) {
                self.unknown.push((UNDERSTOOD, place));
            }
        }
    }
}

/// What the entries of a policy are judged by.
pub struct EntriesView<'a> {
    /// The policy.
    pub policy: &'a Policy,
    /// The time it is judged at.
    pub as_of: &'a AsOf,
    usage: &'a Usage,
}

impl EntriesView<'_> {
    /// Whether some port has a role.
    pub fn role_is_used(&self, role: usize) -> bool {
        self.usage.roles.contains(&role)
    }

    /// Whether an entry of a role's `ports` names some port.
    pub fn list_is_used(&self, role: usize, entry: usize) -> bool {
        self.usage.lists.contains(&(role, entry))
    }

    /// Whether a pattern of a role's `describes` fits some description.
    pub fn pattern_is_used(&self, role: usize, entry: usize) -> bool {
        self.usage.describes.contains(&(role, entry))
    }

    /// Whether an entry of the register of mirrors fits some session.
    pub fn mirror_is_used(&self, entry: usize) -> bool {
        self.usage.mirrors.contains(&entry)
    }

    /// Whether an end of a link is a port that is there.
    pub fn end_is_there(&self, link: usize, is_a: bool) -> bool {
        self.usage.ends.contains(&(link, is_a))
    }

    /// Whether a server is where it is said to be.
    pub fn server_is_there(&self, entry: usize) -> bool {
        self.usage.servers.contains(&entry)
    }

    /// Whether a group of sisters has a member.
    pub fn has_sisters(&self, group: usize) -> bool {
        self.usage.sisters.contains(&group)
    }

    /// How many findings a waiver covers, and the first of them.
    pub fn covered(&self, waiver: usize) -> (u32, Option<&Related>) {
        self.usage.waivers.get(&waiver).map_or((0, None), |(count, first)| (*count, first.as_ref()))
    }
}

/// What the pass over the fleet comes to.
#[derive(Default)]
pub struct FleetOutcome {
    /// Its findings, by check.
    pub findings: Vec<Finding>,
    /// What could not be decided.
    pub undetermined: Opens,
    /// Where the ports that findings stand on come among those of their switch.
    pub positions: Positions,
    /// How many findings that stand on no switch are left out, for they are about none of the chosen ones.
    pub left_out: usize,
}

/// A check that violated, its level, and what.
type Found = (&'static Check, Level, FleetViolation);

impl FleetOutcome {
    /// Runs the fleet's checks. `again` reads a switch once more, for the lines of those that findings name.
    /// `certain`: the same fleet with everything doubtful unknown, where something is.
    pub fn judge(
        view: &FleetView<'_>,
        certain: Option<&FleetView<'_>>,
        usage: &mut Usage,
        selection: &Selection,
        again: &dyn Again,
    ) -> Self {
        let mut outcome = Self::default();
        let mut found = tell::AllFound::default();
        for check in all() {
            let (Run::Fleet(run), Some(level)) = (&check.run, view.policy.level(check.id, None, check.level)) else {
                continue;
            };
            let mut judged = run(view);
            if let Some(certain) = certain {
                judged.doubt(run(certain), view);
            }
            for violation in judged.violations {
                found.add(check, level, violation, &view.switches.foreseen);
            }
            if selection.takes_check(check.id) && !selection.names_ports() {
                let off = view.places_without(check);
                let is_off = |place: &Related| off.contains(&(&*place.switch, place.port.as_deref()));
                let missing = judged.unknown.into_iter();
                let missing = missing.filter(|(_, place)| selection.takes_switch(&place.switch) && !is_off(place));
                missing.for_each(|(needs, place)| outcome.undetermined.push(check.id, level, place, needs));
            }
        }
        outcome.tell(found, view, usage, selection, again);
        let entries = Self::entries(view.policy, view.as_of, usage);
        entries.into_iter().for_each(|finding| outcome.tell_nowhere(finding, selection));
        sorted::by(&mut outcome.findings, |a, b| (a.check, &a.switch, a.vlan).cmp(&(b.check, &b.switch, b.vlan)));
        outcome
    }

    /// What is wrong with the entries of a policy, once everything else was judged.
    pub fn entries(policy: &Policy, as_of: &AsOf, usage: &Usage) -> Vec<Finding> {
        let entries = EntriesView { policy, as_of, usage };
        let mut findings = Vec::new();
        for check in all() {
            let Run::Entries(run) = &check.run else { continue };
            let Some(level) = policy.level(check.id, None, check.level) else { continue };
            findings.extend(run(&entries).into_iter().map(|violation| nowhere(check, level, violation)));
        }
        findings
    }

    /// Takes in a finding that stands on no switch, where it is about one that is chosen; else it is counted.
    fn tell_nowhere(&mut self, finding: Finding, selection: &Selection) {
        if !selection.takes_check(finding.check) {
            return;
        }
        if selection.takes_nowhere(finding.related.iter().map(|place| &*place.switch)) {
            self.findings.push(finding);
        } else {
            self.left_out += 1;
        }
    }

    /// Turns violations into findings: each switch that they name is read once more.
    fn tell(
        &mut self,
        found: tell::AllFound,
        view: &FleetView<'_>,
        usage: &mut Usage,
        selection: &Selection,
        again: &dyn Again,
    ) {
        let told = tell::all(found, view, again);
        self.findings.reserve_exact(told.len());
        for told in told {
            let tell::Told { finding, on, usage: own } = *told;
            usage.merge(own);
            let Some((position, role)) = on else {
                self.tell_nowhere(finding, selection);
                continue;
            };
            let name = finding.switch.as_deref().unwrap_or_default();
            if let Some((position, (switch, port))) = position.zip(finding.switch.clone().zip(finding.port.clone())) {
                self.positions.insert((switch, port), position);
            }
            let role = role.as_deref();
            let reported = selection.takes_switch(name)
                && finding.port.as_deref().map_or(!selection.names_ports(), |port| selection.takes_port(port, role));
            if reported && selection.takes_check(finding.check) {
                self.findings.push(finding);
            }
        }
    }
}

/// A finding that stands on no switch: the policy's line is its evidence.
fn nowhere(check: &'static Check, level: Level, violation: Violation) -> Finding {
    let vlan = violation.vlan.map(|v| u32::from(v.get())).unwrap_or_default().to_string();
    let put = |text: &mut String, hole: &str| {
        let is_put = put_fact(&violation, text, hole);
        if !is_put && hole == "vlan" {
            text.push_str(&vlan);
        }
        is_put || hole == "vlan"
    };
    let (message, remedy) = (fill(&violation.says, put), fill(check.remedy, put));
    let evidence: Vec<Evidence> = violation.demand.as_ref().map(quote_cite).into_iter().collect();
    let line = evidence.first().map_or("", |line| line.text.trim());
    let related: Vec<&str> = violation.related.iter().map(|r| &*r.switch).collect();
    let about = if violation.vlan.is_some() { related.join(" ") } else { String::new() };
    let parts = [check.id, line, &vlan, &about];
    Finding {
        check: check.id,
        level,
        switch: None,
        port: None,
        vlan: violation.vlan.map(Into::into),
        role: None,
        role_from: None,
        fingerprint: fingerprint(parts.into_iter().take(if violation.vlan.is_some() { 4 } else { 2 })),
        message,
        settings: Vec::new(),
        evidence,
        overridden: Vec::new(),
        remedy,
        inputs: violation.facts.into(),
        related: violation.related,
        waiver: None,
        since: None,
        grew: None,
        drill: None,
    }
}
