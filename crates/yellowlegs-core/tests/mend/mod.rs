//! The repair: fleets that were right are damaged through their own languages, and mended. `damaged.rs` holds what must hold of every
//! plan; `rows.rs` takes what orders them away; `orders.rs` has the cases of practitioners.

mod damaged;
mod orders;
mod rows;
mod wanted;

use std::sync::Arc;

use crate::support;
use crate::support::right;
use crate::support::{as_of, policy};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::finding::Finding;
use yellowlegs_core::mend::{Answers, DEPENDENCIES, Dependency, NoPlan, Order, Plan, Site, plan};
use yellowlegs_core::policy::{AsOf, Policy};
use yellowlegs_core::resolve::{Resolved, State, resolve_with};
use yellowlegs_core::source::Source;

/// Where the texts of four structures are, with faults in them.
macro_rules! language {
    ($file:literal) => {
        include_str!(concat!("../../../yellowlegs/tests/data/languages/", $file))
    };
}

/// A fleet: its policy, and each switch with dialect, text and texts of state.
struct Fleet {
    policy: Policy,
    as_of: AsOf,
    switches: Vec<Resolved>,
}

fn read(name: &str, dialect: &Arc<Dialect>, text: &str, state: &[&str]) -> Resolved {
    let source = |(number, text): (usize, &&str)| Arc::new(Source::of(format!("{name}.state{number}"), *text));
    let texts = state.iter().enumerate().map(source).collect();
    let state = State { texts, as_of: as_of().moment(), ..State::default() };
    resolve_with(name, dialect, Arc::new(Source::of(format!("{name}.txt"), text)), &state)
}

impl Fleet {
    /// The right fleet of two switches.
    fn right() -> Self {
        let switches = right::fleet().into_values().collect();
        Self { policy: policy(right::POLICY), as_of: as_of(), switches }
    }

    /// Switches of four structures.
    fn languages() -> Self {
        let dialect = |text| support::dialect(text);
        let switches = vec![
            read(
                "dune-1",
                &dialect(language!("dialects/dune.toml")),
                language!("dune-1/config.txt"),
                &[language!("dune-1/tables.out")],
            ),
            read("kelp-1", &dialect(language!("dialects/kelp.toml")), language!("kelp-1/config.txt"), &[]),
            read(
                "reef-1",
                &dialect(language!("dialects/reef.toml")),
                language!("reef-1/config.txt"),
                &[language!("reef-1/state.out")],
            ),
            read("tarn-1", &dialect(language!("dialects/tarn.toml")), language!("tarn-1/config.txt"), &[]),
        ];
        Self { policy: policy(language!("yellowlegs.toml")), as_of: as_of(), switches }
    }

    fn site(&self) -> Site<'_> {
        let mut site = Site::new(&self.policy, &self.as_of);
        for resolved in &self.switches {
            let member = site.judged(resolved.clone());
            site.push(member);
        }
        site
    }
}

/// What is asked of plans here: the rest is as usual.
struct Asked<'a> {
    picks: &'a dyn Fn(&Finding) -> bool,
    answers: Answers,
    each_port: bool,
    touching_from: usize,
    rows: Vec<&'static Dependency>,
    hold_back: bool,
}

impl Default for Asked<'_> {
    fn default() -> Self {
        Self {
            picks: &|_| true,
            answers: Answers::default(),
            each_port: false,
            touching_from: 1,
            rows: DEPENDENCIES.iter().collect(),
            hold_back: true,
        }
    }
}

fn planned<'p>(site: &Site<'p>, asked: &Asked<'_>) -> Result<Plan<'p>, NoPlan> {
    let Asked { picks, answers, each_port, touching_from, rows, hold_back } = asked;
    let order = Order {
        picks: *picks,
        answers,
        each_port: *each_port,
        touching_from: *touching_from,
        rows,
        hold_back: *hold_back,
        tells: &|_, _| {},
    };
    plan(site, &order)
}

/// A finding, for people who read a failed test.
fn shown(finding: &Finding) -> String {
    let (switch, port) = (finding.switch.as_deref().unwrap_or("-"), finding.port.as_deref().unwrap_or("-"));
    format!("{} on {switch} {port}: {}", finding.check, finding.message)
}
