//! What is said of fleets that nobody arranged stays said: several changes at once, of settings, traits, roles and of what the policy
//! asks for; of each what the audit finds, and a mark of every word that each drill tells. A change of the program that is to change no
//! answer leaves the page alone; where one does, the page names case and drill. `YELLOWLEGS_RENEW=1` writes it anew.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::ops::Range;

use proptest::strategy::{Strategy, ValueTree};
use proptest::test_runner::{Config, RngSeed, TestRunner};
use yellowlegs_core::check::{Judge, Selection, Told};
use yellowlegs_core::drill::{self, Outcome, Rehearser};
use yellowlegs_core::policy::Policy;
use yellowlegs_core::resolve::Resolved;

use super::around;
use super::generated::{Step, after, fleet, records, steps, strict};
use super::own_policy::{Wish, wish, written};
use super::played::put;
use super::support::{as_of, compare, mark, policy};

const CASES: usize = 300;

/// What each drill tells of the fleet as it was: a case shows what differs.
type Base = BTreeMap<&'static str, String>;

/// What roles ask of single settings.
const ASKED: [(&str, &str); 10] = [
    ("port.trust", "dscp"),
    ("port.trust", "none"),
    ("port.mode", "trunk"),
    ("port-security.action", "drop"),
    ("port-security.aging", "8h"),
    ("port-security.pinning", "wanted"),
    ("spanning-tree.link-type", "shared"),
    ("fast-start.mode", "edge"),
    ("storm.broadcast", "100pps"),
    ("unidirectional.mode", "strict"),
];

const ROLES: [&str; 6] = ["desk", "host", "screen", "virtual", "up", "down"];

/// What is changed: of the policy and, so often, of the fleet.
pub(super) fn changes(steps: [Vec<Step>; 3], often: Range<usize>) -> impl Strategy<Value = (Vec<Wish>, Vec<Step>)> {
    let weak: Vec<Step> = steps[0].iter().filter(|step| step.weakens()).cloned().collect();
    let [settings, traits, roles] = steps.map(proptest::sample::select);
    let step = proptest::prop_oneof![4 => settings, 3 => proptest::sample::select(weak), 1 => traits, 1 => roles];
    let asked = (proptest::sample::select(&ROLES[..]), proptest::sample::select(&ASKED[..]));
    let asked = asked.prop_map(|(role, (name, value))| Wish::Role(role, name, value));
    let wish = proptest::prop_oneof![2 => wish(), 1 => asked];
    (proptest::collection::vec(wish, 0..4), proptest::collection::vec(step, often))
}

#[test]
fn what_is_said_stays_said() {
    let fleet = fleet();
    let (records, strategy) = (records(&fleet), changes(steps(&fleet), 1..14));
    let config = Config { rng_seed: RngSeed::Fixed(7), failure_persistence: None, ..Config::default() };
    let mut runner = TestRunner::new(config);
    let base: Base = rehearsed(&strict(), &fleet.iter().map(|(name, resolved)| (*name, resolved.clone())).collect());
    let drawn: Vec<_> = (0..CASES).map(|_| strategy.new_tree(&mut runner).unwrap().current()).collect();
    let tell = |(number, (wishes, steps)): (usize, &(Vec<Wish>, Vec<Step>))| {
        let Some(after) = after(&fleet, &records, steps) else { return String::new() };
        let mut page = format!("== {number}\n");
        wishes.iter().for_each(|wish| writeln!(page, "# {wish:?}").unwrap());
        steps.iter().for_each(|step| writeln!(page, "# {}", step.told()).unwrap());
        let policy = policy(&written(wishes));
        audited(&mut page, &policy, &after);
        let told = rehearsed(&policy, &after);
        let differs = |drill: &&drill::Drill| told.get(drill.name) != base.get(drill.name);
        for drill in drill::all().iter().filter(differs) {
            writeln!(page, "{} {}", drill.name, told.get(drill.name).map_or("on no port", String::as_str)).unwrap();
        }
        page
    };
    let numbered: Vec<_> = drawn.iter().enumerate().collect();
    let workers = std::thread::available_parallelism().map_or(1, usize::from);
    let pages: String = std::thread::scope(|scope| {
        let tell = &tell;
        let chunks = numbered.chunks(CASES.div_ceil(workers));
        let all: Vec<_> =
            chunks.map(|chunk| scope.spawn(move || chunk.iter().copied().map(tell).collect::<String>())).collect();
        all.into_iter().map(|one| one.join().unwrap()).collect()
    });
    compare("crates/yellowlegs-core/tests/data/recorded.txt", &pages);
}

/// Each check that is not met: how often, and a mark of all that it says.
fn audited(page: &mut String, policy: &Policy, fleet: &BTreeMap<&str, Resolved>) {
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(policy, &as_of, &selection, false);
    let mut told: BTreeMap<&str, ([usize; 3], String)> = BTreeMap::new();
    for resolved in fleet.values() {
        for (port, check, came) in judge.told(resolved, resolved.lists()) {
            let (counts, words) = told.entry(check.id).or_default();
            let kind = match came {
                Told::Violated(_) => 0,
                Told::Undetermined(_) => 1,
                Told::NotApplicable => 2,
                Told::Met => continue,
            };
            counts[kind] += 1;
            writeln!(words, "{port:?} {came:?}").unwrap();
        }
    }
    for (check, ([violated, open, _], words)) in told.iter().filter(|(_, (counts, _))| counts[0] + counts[1] > 0) {
        writeln!(page, "{check} {violated} violated, {open} open: {}", mark(words)).unwrap();
    }
}

/// Each drill: on how many ports it ended how, and a mark of every word.
fn rehearsed(policy: &Policy, fleet: &BTreeMap<&str, Resolved>) -> Base {
    let around = around(policy, fleet);
    let mut told: BTreeMap<&str, (BTreeMap<Outcome, usize>, String)> = BTreeMap::new();
    for (name, resolved) in fleet {
        let rehearser = Rehearser::new(resolved, policy, &around).flooding(60);
        for (port, shown) in resolved.switch.ports().iter().enumerate() {
            for one in rehearser.play(port, |_| true) {
                let (ways, words) = told.entry(one.drill.name).or_default();
                *ways.entry(one.told.outcome).or_default() += 1;
                put(words, resolved, &format!("{name} {shown}"), &one, true);
            }
        }
    }
    let shown = |(ways, words): (BTreeMap<Outcome, usize>, String)| {
        let ways: Vec<String> = ways.iter().map(|(way, count)| format!("{count} {}", way.word())).collect();
        format!("{}: {}", ways.join(", "), mark(&words))
    };
    told.into_iter().map(|(drill, told)| (drill, shown(told))).collect()
}
