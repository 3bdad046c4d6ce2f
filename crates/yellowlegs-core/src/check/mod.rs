//! The catalogue of checks and how they are run.
//!
//! A check is a row and a function. Reports, docs, `yellowlegs checks` and the tests read the row. To
//! add one: write both in a file of its family's folder and name the row in the family's `CHECKS`.

mod absorb;
mod arming;
mod arp_inspection;
mod compare;
mod config;
mod contradictions;
mod dhcp_snooping;
mod doubt;
mod example;
mod fast_start;
mod figure;
mod flap;
mod fleet;
mod guard;
mod in_force;
mod ipv6_guard;
mod judge;
mod mirror;
mod multicast;
mod page;
mod port;
mod port_security;
mod questions;
mod reach;
mod recovery;
mod repair;
mod requires;
mod say;
mod seen;
mod select;
mod since;
mod source_guard;
mod switch_view;
mod tree;
mod unidirectional;
mod verdict;
pub(crate) mod view;
mod voice;

pub use compare::{StateUnlike, Unlike, compare, compare_state};
pub use example::Example;
pub use flap::{FlapHistory, Protection, Trip, flaps, trips};
pub use fleet::{
    Again, Digest, Digests, EntriesView, FleetJudgement, FleetOutcome, FleetView, FleetViolation, Open, Opens, Usage,
};
pub use in_force::{InForce, in_force};
pub use judge::{Judge, Judged, Told};
pub use page::{FeatureNow, LinkNow, NeighbourNow, PortPage, SettingNow, StationNow, TreeNow};
pub use reach::{OutOfReach, feature_of, out_of_reach};
pub use recovery::{Back, Held, held, what_to_do, whom_to_visit};
pub use repair::{Aim, Case, Mending, Place, Question, Repair, Target, To};
pub use select::Selection;
pub use since::{Comparison, Earlier};
pub use switch_view::SwitchView;
pub use verdict::{Judgement, Tally, Unknown, Verdict, Violation};
pub use view::PortView;

use std::sync::LazyLock;

use rustc_hash::FxHashSet;

use crate::model::{FactKind, SettingId};
use crate::policy::Level;

/// A row of the catalogue.
pub struct Check {
    /// `family/name`: stable, said in reports, waivers and policy.
    pub id: &'static str,
    /// What is wrong when it is violated.
    pub title: &'static str,
    /// Its level where the policy says nothing.
    pub level: Level,
    /// The facts it cannot do without.
    pub needs: &'static [&'static str],
    /// The facts it uses when it has them.
    pub uses: &'static [&'static str],
    /// The policy values it reads.
    pub policy: &'static [&'static str],
    /// Standard or document behind it.
    pub reference: &'static str,
    /// Why it matters and what goes wrong when it is ignored.
    pub why: &'static str,
    /// What to do; holes in braces are filled from what the check found out.
    pub remedy: &'static str,
    /// The settings it holds against the port's role: a role derived from one of them cannot judge it.
    pub judges: &'static [SettingId],
    /// Checks that keep silent about a cause which this one names better.
    pub absorbs: &'static [&'static str],
    /// What would satisfy it.
    pub repair: Repair,
    /// A check of the fleet that mostly finds on a switch what it would find if no other were there.
    pub stands_alone: bool,
    /// How it is run.
    pub run: Run,
}

/// A check's function on a port.
pub type PortCheck = fn(&PortView<'_>) -> Judgement;

/// A check's function on a switch.
pub type SwitchCheck = fn(&SwitchView<'_>) -> Judgement;

/// What a check is run on.
pub enum Run {
    /// Each port.
    Port(PortCheck),
    /// Each switch.
    Switch(SwitchCheck),
    /// The fleet, after all switches.
    Fleet(fn(&FleetView<'_>) -> FleetJudgement),
    /// The policy's entries, after everything else.
    Entries(fn(&EntriesView<'_>) -> Vec<Violation>),
}

impl Check {
    /// A row with nothing in it, for rows to be made from.
    pub(crate) const ROW: Self = Self {
        id: "",
        title: "",
        level: Level::Advice,
        needs: &[],
        uses: &[],
        policy: &[],
        reference: "",
        why: "",
        remedy: "",
        judges: &[],
        absorbs: &[],
        repair: Repair::Person,
        stands_alone: false,
        run: Run::Port(|_| Ok(Verdict::NotApplicable)),
    };

    /// The part of the id before the slash.
    pub fn family(&self) -> &'static str {
        self.id.split_once('/').map_or(self.id, |(family, _)| family)
    }

    /// Whether it needs state besides the configuration: one of the facts it cannot do without is one of state.
    pub fn is_state(&self) -> bool {
        OF_STATE.contains(self.id)
    }

    /// The checks that say it in its place.
    pub fn yields_to(&self) -> impl Iterator<Item = &'static str> {
        let id = self.id;
        all().filter(move |check| check.absorbs.contains(&id)).map(|check| check.id)
    }

    /// Whether it looks across switches.
    pub fn is_fleet(&self) -> bool {
        matches!(self.run, Run::Fleet(_) | Run::Entries(_))
    }
}

/// The families: their checks, in the order in which they are told.
pub static FAMILIES: &[&[Check]] = &[
    port::CHECKS,
    port_security::CHECKS,
    dhcp_snooping::CHECKS,
    arp_inspection::CHECKS,
    source_guard::CHECKS,
    ipv6_guard::CHECKS,
    fast_start::CHECKS,
    guard::CHECKS,
    voice::CHECKS,
    multicast::CHECKS,
    mirror::CHECKS,
    unidirectional::CHECKS,
    flap::CHECKS,
    recovery::CHECKS,
    config::CHECKS,
];

/// The ids of the checks that need state: every undecided check is asked, so this is worked out once.
static OF_STATE: LazyLock<FxHashSet<&'static str>> = LazyLock::new(|| {
    // Of events the kind is named, too: `event link-up`.
    let kind = |name: &str| FactKind::by_name(name.split(' ').next().unwrap_or(name));
    let is_fact = |name: &str| name.split(" or ").all(|name| kind(name).is_some());
    all().filter(|check| check.needs.iter().any(|needs| is_fact(needs))).map(|check| check.id).collect()
});

/// Every check.
pub fn all() -> impl Iterator<Item = &'static Check> {
    FAMILIES.iter().flat_map(|family| family.iter())
}

/// Every id.
pub fn ids() -> Vec<&'static str> {
    all().map(|c| c.id).collect()
}
