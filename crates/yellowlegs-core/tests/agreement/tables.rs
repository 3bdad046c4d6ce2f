//! What is said of what switches tell stays said: tables and logs that nobody arranged, of every kind in the catalogue, on the right
//! fleet and beside a few changes of its settings; also what the checks of the whole fleet make of them, and the drills that begin with
//! what is known. `YELLOWLEGS_RENEW=1` writes the page of marks anew.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use proptest::prelude::*;
use proptest::sample::{Index, select};
use proptest::strategy::ValueTree;
use proptest::test_runner::{Config, RngSeed, TestRunner};
use serde_json::{Value as Json, json};
use yellowlegs_core::check::{Digests, FleetOutcome, FleetView, Judge, Selection, Usage};
use yellowlegs_core::model::{FactKind, Kind};
use yellowlegs_core::policy::{Inventory, InventoryFile, Policy};
use yellowlegs_core::resolve::Resolved;
use yellowlegs_core::source::Source;

use super::changes::read;
use super::generated::{Step, fleet, records, steps, strict_text};
use super::own_policy::{wish, written};
use super::support::{as_of, compare, mark, policy};

const CASES: usize = 600;

const LISTED: &str = "address,kind,role,owner,room
02:00:5e:20:00:01,phone,,,
02:00:5e:10:00:01,computer,desk,office,room 7
02:00:5e:10:00:02,computer,,,room 8
02:00:5e:10:00:09,kiosk,kiosk,,
";

/// Times around the day of the audit, the newest first.
const TIMES: [&str; 7] = [
    "2031-03-04T06:29:50Z",
    "2031-03-04T06:25:00Z",
    "2031-03-04T06:24:30Z",
    "2031-03-04T04:30:00Z",
    "2031-03-01T06:30:00Z",
    "2030-03-04T06:30:00Z",
    "2031-03-04T06:31:00Z",
];

/// Words that a value of a kind may have; the same few again and again, so that rows are about the same things.
fn words(kind: Kind, ports: &'static [&'static str]) -> Vec<String> {
    let all = |words: &[&str]| words.iter().map(|word| (*word).to_owned()).collect::<Vec<_>>();
    match kind {
        Kind::Flag => all(&["true", "false"]),
        Kind::Count => all(&["0", "1", "2", "3", "5", "9", "46", "60", "1000", "900000"]),
        Kind::Seconds => all(&["0", "5", "30", "300", "4000", "86400", "3000000"]),
        Kind::Milliwatts => all(&["0W", "4W", "7W", "12.95W", "15.4W", "30W", "60W", "870W", "950W"]),
        Kind::Choice(set) => all(set.words),
        Kind::Choices(set) => {
            let two = set.words[..2].join(",");
            set.words.iter().map(|word| (*word).to_owned()).chain([two]).collect()
        }
        Kind::Vlan => all(&["110", "110", "140", "210", "300", "777", "none"]),
        Kind::Port => all(ports),
        Kind::Address => all(&["192.0.2.1", "192.0.2.2", "192.0.2.10", "169.254.7.7", "233.252.0.1", "2001:db8::9"]),
        Kind::Station => all(&[
            "02:00:5e:10:00:01",
            "02:00:5e:10:00:02",
            "02:00:5e:10:00:09",
            "02:00:5e:20:00:01",
            "02:00:5e:7f:00:01",
        ]),
        Kind::Time => all(&TIMES),
        Kind::Text => all(&["1", "edge", "core", "binding-loft", "1.7", "a word"]),
        other => panic!("{other:?} is in no fact"),
    }
}

/// A row of a table, as a record has it. Of each field one is told in four of five.
fn row(ports: &'static [&'static str], kinds: &[FactKind]) -> impl Strategy<Value = Json> + use<> {
    // What most checks go by comes more often.
    let often = ["station", "binding", "port-status", "neighbour", "power", "event"];
    let kinds = kinds.iter().copied().chain(often.into_iter().cycle().take(18).filter_map(FactKind::by_name));
    select(kinds.collect::<Vec<_>>()).prop_flat_map(move |kind| {
        let fields = kind.info().fields.iter().map(move |field| {
            let value = select(words(field.kind, ports)).prop_map(move |word| {
                let value = field.kind.parse(&word).unwrap_or_else(|e| panic!("{} {word}: {e:?}", field.name));
                serde_json::to_value(&value).unwrap()
            });
            (Just(field.name), proptest::option::weighted(0.8, value))
        });
        fields.collect::<Vec<_>>().prop_map(move |fields| {
            let told: BTreeMap<&str, Json> =
                fields.into_iter().filter_map(|(name, value)| Some((name, value?))).collect();
            json!({"fact": kind.info().name, "fields": told})
        })
    })
}

/// What a switch tells: rows, kinds that it tells nothing of, and when.
fn told(ports: &'static [&'static str], kinds: &[FactKind]) -> impl Strategy<Value = Vec<Json>> + use<> {
    let clock = select(&TIMES[..]).prop_map(|time| json!({"fact": "clock", "fields": {"time": time}}));
    (proptest::collection::vec(row(ports, kinds), 0..40), proptest::option::weighted(0.7, clock))
        .prop_map(|(rows, clock)| clock.into_iter().chain(rows).collect())
}

pub(super) type Case = (String, Vec<Step>, [Vec<Json>; 2], Vec<Index>);

/// What the switches tell, of these kinds, beside a few changes.
pub(super) fn case(steps: [Vec<Step>; 3], kinds: &[FactKind]) -> impl Strategy<Value = Case> + use<> {
    let [settings, traits, roles] = steps.map(select);
    let step = prop_oneof![6 => settings, 2 => traits, 2 => roles];
    let policy = proptest::collection::vec(wish(), 0..3).prop_map(|wishes| written(&wishes));
    let policy = prop_oneof![2 => Just(strict_text()), 1 => policy];
    let told = [
        told(&["1.1", "1.1", "1.2", "1.3", "1.4", "1.6", "1.7", "1.7", "none"], kinds).boxed(),
        told(&["1.1", "1.2", "1.2", "1.3", "none"], kinds).boxed(),
    ];
    (policy, proptest::collection::vec(step, 0..5), told, proptest::collection::vec(any::<Index>(), 0..6))
}

/// The fleet of a case; none: there can be none.
pub(super) fn after(
    fleet: &BTreeMap<&'static str, Resolved>,
    records: &BTreeMap<&'static str, Json>,
    kinds: &[FactKind],
    (_, steps, told, empty): &Case,
) -> Option<BTreeMap<&'static str, Resolved>> {
    let one = |(name, told): (&&'static str, &Vec<Json>)| {
        let mut record = records[name].clone();
        record["facts"] = json!(told);
        let tables = empty.iter().map(|index| json!({"fact": index.get(kinds).info().name}));
        record["tables"] = tables.collect();
        steps.iter().filter(|step| step.switch() == *name).for_each(|step| step.apply(&mut record));
        Some((*name, read(&record, name)?))
    };
    fleet.keys().rev().zip(told).map(one).collect()
}

/// Everything that the checks say, those of the fleet too: how much of each, and its words.
fn said(policy: &Policy, fleet: &BTreeMap<&str, Resolved>) -> BTreeMap<&'static str, (usize, usize, String)> {
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(policy, &as_of, &selection, false);
    let (mut digests, mut usage): (Digests, Usage) = Default::default();
    let mut told: BTreeMap<&str, (usize, usize, String)> = BTreeMap::new();
    for resolved in fleet.values() {
        let judged = judge.switch(resolved, resolved.lists());
        for found in &judged.outcome.findings {
            let of = told.entry(found.check).or_default();
            of.0 += 1;
            writeln!(of.2, "{found:?}").unwrap();
        }
        for open in &judged.outcome.undetermined {
            let of = told.entry(open.check).or_default();
            of.1 += 1;
            writeln!(of.2, "{open:?}").unwrap();
        }
        digests.push(judged.digest);
        usage.merge(judged.usage);
    }
    let view = FleetView::new(policy, &as_of, &digests, &[]);
    let outcome = FleetOutcome::judge(&view, None, &mut usage, &selection, &|name: &str| fleet.get(name).cloned());
    for found in &outcome.findings {
        let of = told.entry(found.check).or_default();
        of.0 += 1;
        writeln!(of.2, "{found:?}").unwrap();
    }
    for open in outcome.undetermined.iter() {
        let of = told.entry(open.0).or_default();
        of.1 += 1;
        writeln!(of.2, "{open:?}").unwrap();
    }
    told
}

/// The stations of the site.
pub(super) fn listed() -> Inventory {
    Inventory::parse(&Source::of("stations.csv", LISTED), &InventoryFile::default()).unwrap()
}

#[test]
fn what_is_said_of_tables_stays_said() {
    let fleet = fleet();
    let kinds: Vec<FactKind> = FactKind::all().collect();
    let (records, strategy) = (records(&fleet), case(steps(&fleet), &kinds));
    let config = Config { rng_seed: RngSeed::Fixed(23), failure_persistence: None, ..Config::default() };
    let mut runner = TestRunner::new(config);
    let drawn: Vec<_> = (0..CASES).map(|_| strategy.new_tree(&mut runner).unwrap().current()).enumerate().collect();
    let listed = listed();
    let tell = |(number, case): &(usize, Case)| {
        let Some(after) = after(&fleet, &records, &kinds, case) else { return (String::new(), Vec::new()) };
        let mut policy = policy(&case.0);
        policy.stations = (number % 3 > 0).then(|| listed.clone());
        let (said, mut words) = (said(&policy, &after), String::new());
        said.values().for_each(|(_, _, said)| words += said);
        let (found, open) = said.values().fold((0, 0), |(found, open), one| (found + one.0, open + one.1));
        let line = format!("{number}: {found} found, {open} open: {}\n", mark(&words));
        (line, said.into_iter().filter(|(_, one)| one.0 > 0).map(|(check, _)| check).collect())
    };
    let workers = std::thread::available_parallelism().map_or(1, usize::from);
    let told: Vec<(String, Vec<&str>)> = std::thread::scope(|scope| {
        let tell = &tell;
        let chunks = drawn.chunks(CASES.div_ceil(workers));
        let all: Vec<_> = chunks.map(|part| scope.spawn(move || part.iter().map(tell).collect::<Vec<_>>())).collect();
        all.into_iter().flat_map(|one| one.join().unwrap()).collect()
    });
    let found: std::collections::BTreeSet<&str> = told.iter().flat_map(|one| one.1.iter().copied()).collect();
    assert!(found.len() > 95, "{} checks have something to say: {found:?}", found.len());
    let page: String = told.into_iter().map(|one| one.0).collect();
    compare("crates/yellowlegs-core/tests/data/tables.txt", &page);
}
