//! What is said of drawn fleets stays said: what is read and settled, what is doubtful, what is found and left open, how it is mended,
//! what every drill tells, what happens. A number draws texts (`written.rs`), or the right fleet with other settings, traits, roles and wishes,
//! with what its switches tell (`tables.rs`), or with a story (`stories.rs`). The numbers are those that told a broken program from this one
//! where no other test did: docs/reliability.md, Mutation testing.
//! `YELLOWLEGS_RENEW=1` writes the page anew.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::ops::Range;
use std::sync::Arc;

use proptest::strategy::{Strategy, ValueTree};
use proptest::test_runner::{Config, RngSeed, TestRunner};
use yellowlegs_core::check::{Digest, Digests, FleetOutcome, FleetView, Judge, Selection, Usage, ids};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::drill::Rehearser;
use yellowlegs_core::finding::{Positions, Totals};
use yellowlegs_core::mend::{Answers, DEPENDENCIES, Order, Site, plan};
use yellowlegs_core::model::{DoubtWidth, FactKind, SavedCopy, Scope, SettingId};
use yellowlegs_core::policy::Policy;
use yellowlegs_core::resolve::{Resolved, State, explain, resolve, resolve_with};
use yellowlegs_core::source::{Problem, Source};

use super::generated::{self, Records, Step};
use super::own_policy::{self, Wish};
use super::played::put;
use super::recorded::changes;
use super::support::{as_of, compare, mark, policy, record};
use super::written::{self, Fleet};
use super::{around, stories, tables};

/// Those that draw texts.
const TEXTS: &[u64] = &[
    0, 4, 10, 16, 20, 28, 32, 40, 54, 64, 70, 86, 88, 134, 136, 202, 220, 232, 246, 252, 276, 282, 298, 344, 356, 390,
    477, 540, 566,
];

/// Those that draw settings, traits, roles and wishes.
const STEPS: &[u64] = &[
    0, 2, 4, 5, 6, 8, 9, 11, 12, 16, 21, 23, 30, 47, 48, 50, 53, 55, 56, 66, 115, 127, 128, 131, 153, 157, 178, 182,
    263, 286, 315, 319, 377, 389, 439, 498, 523, 663,
];

/// Those that draw what switches tell.
const TABLES: &[u64] = &[0, 1, 3, 4, 5, 8, 10, 13, 15, 17, 20, 26, 64, 126];

/// Those that draw what happens.
const STORIES: &[u64] = &[0, 33, 39, 357, 850];

/// Kinds of facts that came later: with them each number would draw other tables.
const LATER: &[&str] = &["tree-port"];

/// So many settings, traits and roles are others at once.
const MANY: Range<usize> = 20..90;

/// A configuration with its dialect.
type Text = (Arc<Dialect>, Arc<Source>);

/// What is read of a fleet, by switch, where it is of text with its dialect; and what is wrong with what was written.
struct Read {
    policy: Option<Policy>,
    switches: BTreeMap<&'static str, (Resolved, Option<Text>)>,
    problems: String,
}

fn read(fleet: &Fleet) -> Read {
    let mut problems = String::new();
    let mut tell = |found: Vec<Problem>| found.iter().for_each(|one| writeln!(problems, "{one}").unwrap());
    let source = |file: String, text: &str| Arc::new(Source::of(file, text));
    let policy = Policy::load(&source("yellowlegs.toml".into(), &fleet.policy), &ids()).map_err(&mut tell).ok();
    let load = |(name, text): &(&str, String)| Dialect::load(&source(format!("{name}.toml"), text)).map(Arc::new);
    let dialects: Vec<_> = fleet.dialects.iter().map(|one| load(one).map_err(&mut tell).ok()).collect();
    let mut switches = BTreeMap::new();
    for one in &fleet.switches {
        let Some(dialect) = &dialects[one.dialect] else { continue };
        let config = source(format!("{}/config.txt", one.name), &one.config);
        let texts = Some(source(format!("{}/state.out", one.name), &one.state)).filter(|_| !one.state.is_empty());
        let state = State { texts: texts.into_iter().collect(), as_of: as_of().moment(), ..State::default() };
        let resolved = resolve_with(one.name, dialect, Arc::clone(&config), &state);
        let saved = one.saved.as_ref().map_or(SavedCopy::NotKept, |text| {
            let saved = resolve(one.name, dialect, source(format!("{}/saved.txt", one.name), text));
            SavedCopy::Read(Arc::new(saved.switch))
        });
        switches.insert(one.name, (resolved.with_saved(saved), Some((Arc::clone(dialect), config))));
    }
    Read { policy, switches, problems }
}

/// What is read and settled, what was said before, and what is doubtful.
fn settled(read: &Read) -> String {
    let mut words = read.problems.clone();
    for (resolved, text) in read.switches.values() {
        words += &record(resolved);
        for width in [DoubtWidth::Near, DoubtWidth::Block, DoubtWidth::Switch] {
            let Some(doubtful) = resolved.doubtful(width) else { continue };
            for doubt in &doubtful.doubts {
                let settings: Vec<&str> = doubt.settings.iter().map(SettingId::name).collect();
                let (line, ports, more) = (doubt.mark.line(), &doubt.ports, doubt.more_ports);
                writeln!(words, "{line} {} {:?} {ports:?} {more} {settings:?}", doubt.shape, doubt.torn).unwrap();
            }
            words += &record(&doubtful.resolved);
        }
        if let Some((dialect, config)) = text {
            writeln!(words, "{:?}", explain(dialect, config)).unwrap();
        }
        for port in 0..resolved.switch.ports().len() {
            let contested = SettingId::of(Scope::Port).filter(|id| resolved.switch.slot(Some(port), *id).contested);
            contested.for_each(|id| writeln!(words, "{:?}", resolved.history(Some(port), id)).unwrap());
        }
    }
    words
}

/// What the audit says of each switch and across them; how many findings, how many undecided.
fn audited(read: &Read) -> (String, usize, usize) {
    let Some(policy) = &read.policy else { return Default::default() };
    let mut words = String::new();
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(policy, &as_of, &selection, false);
    let (mut usage, mut totals) = (Usage::default(), Totals::default());
    let (mut digests, mut doubtful): (Digests, Vec<Digest>) = Default::default();
    let (mut found, mut open) = (0, 0);
    for (resolved, _) in read.switches.values() {
        let judged = judge.switch(resolved, resolved.lists());
        let outcome = judged.outcome;
        (found, open) = (found + outcome.findings.len(), open + outcome.undetermined.len());
        outcome.findings.iter().for_each(|one| writeln!(words, "{one:?}").unwrap());
        outcome.undetermined.iter().for_each(|one| writeln!(words, "{one:?}").unwrap());
        usage.merge(judged.usage);
        doubtful.extend(judged.doubtful);
        digests.push(judged.digest);
        totals.add(outcome);
    }
    let certain = digests.certain(doubtful);
    let certain = certain.as_ref().map(|digests| FleetView::new(policy, &as_of, digests, &[]));
    let view = FleetView::new(policy, &as_of, &digests, &[]);
    let fetch = |name: &str| read.switches.get(name).map(|one| one.0.clone());
    let across = FleetOutcome::judge(&view, certain.as_ref(), &mut usage, &selection, &fetch);
    across.findings.iter().for_each(|one| writeln!(words, "{one:?}").unwrap());
    across.undetermined.iter().for_each(|one| writeln!(words, "{one:?}").unwrap());
    totals.count_fleet_findings(&across.findings, &Positions::default());
    let rows = (totals.undetermined(), totals.doubts(), totals.unread(), totals.worst_switches(), totals.switches());
    words += &serde_json::to_string(&(totals.summary(0), rows)).unwrap();
    totals.checks().iter().for_each(|one| writeln!(words, "{one:?}").unwrap());
    (words, found + across.findings.len(), open + across.undetermined.iter().count())
}

/// How it is mended; in how many steps.
fn mended(read: &Read, each_port: bool) -> (String, usize) {
    let Some(policy) = &read.policy else { return Default::default() };
    let (as_of, mut words) = (as_of(), String::new());
    let mut site = Site::new(policy, &as_of);
    for (resolved, _) in read.switches.values() {
        site.push(site.judged(resolved.clone()));
    }
    let order = Order {
        picks: &|_| true,
        answers: &Answers::default(),
        each_port,
        hold_back: true,
        touching_from: 1,
        rows: &DEPENDENCIES.iter().collect::<Vec<_>>(),
        tells: &|_, _| {},
    };
    let plan = match plan(&site, &order) {
        Ok(plan) => plan,
        Err(problem) => return (problem.to_string(), 0),
    };
    for step in &plan.steps {
        let (text, undo, also, shown) = (&step.text, &step.undo, &step.also, step.change.shown());
        writeln!(words, "{} {} {shown} {text:?} {undo:?} {also:?}", step.phase, step.block).unwrap();
    }
    plan.by_hand.iter().for_each(|one| writeln!(words, "{one:?}").unwrap());
    plan.open.iter().for_each(|one| writeln!(words, "{one:?}").unwrap());
    (words, plan.steps.len())
}

/// What every drill tells of a port of each class; how often.
fn rehearsed(read: &Read) -> (String, usize) {
    let Some(policy) = &read.policy else { return Default::default() };
    let fleet: BTreeMap<&str, Resolved> = read.switches.iter().map(|(name, one)| (*name, one.0.clone())).collect();
    let (around, mut words, mut count) = (around(policy, &fleet), String::new(), 0);
    for (name, resolved) in &fleet {
        let rehearser = Rehearser::new(resolved, policy, &around).flooding(60);
        for (port, shown) in resolved.switch.ports().iter().enumerate() {
            if rehearser.class_of(port) == port {
                let played = rehearser.play(port, |_| true);
                count += played.len();
                played.iter().for_each(|one| put(&mut words, resolved, &format!("{name} {shown}"), one, true));
            }
        }
    }
    (words, count)
}

/// What a strategy draws by a number.
fn by<S: Strategy>(strategy: &S, number: u64) -> S::Value {
    let config = Config { rng_seed: RngSeed::Fixed(number), failure_persistence: None, ..Config::default() };
    strategy.new_tree(&mut TestRunner::new(config)).unwrap().current()
}

/// What is drawn to change the right fleet.
enum Drawn {
    Texts,
    Steps(Vec<Wish>, Vec<Step>),
    Tables(tables::Case),
    Story(Vec<Step>, String),
}

/// The right fleet, and what draws its changes.
struct Right {
    fleet: BTreeMap<&'static str, Resolved>,
    records: Records,
    kinds: Vec<FactKind>,
}

impl Right {
    fn new() -> Self {
        let fleet = generated::fleet();
        let kinds = FactKind::all().filter(|kind| !LATER.contains(&kind.info().name)).collect();
        Self { records: generated::records(&fleet), fleet, kinds }
    }

    fn drawn(&self) -> Vec<(u64, Drawn)> {
        let steps = generated::steps(&self.fleet);
        let (stepped, tables) = (changes(steps.clone(), MANY), tables::case(steps.clone(), &self.kinds));
        let story = (stories::changed(&steps), stories::story());
        let texts = TEXTS.iter().map(|number| (*number, Drawn::Texts));
        let steps = STEPS.iter().map(|number| {
            let (wishes, steps) = by(&stepped, *number);
            (*number, Drawn::Steps(wishes, steps))
        });
        let tables = TABLES.iter().map(|number| (*number, Drawn::Tables(by(&tables, *number))));
        let stories = STORIES.iter().map(|number| {
            let (steps, story) = by(&story, *number);
            (*number, Drawn::Story(steps, story))
        });
        texts.chain(steps).chain(tables).chain(stories).collect()
    }

    /// The fleet that is drawn; without its story.
    fn read(&self, number: u64, drawn: &Drawn) -> (Read, Vec<String>) {
        let (after, text, steps) = match drawn {
            Drawn::Texts => {
                let (fleet, changes) = written::drawn(number);
                return (read(&fleet), changes);
            }
            Drawn::Steps(wishes, steps) => {
                (generated::after(&self.fleet, &self.records, steps), own_policy::written(wishes), steps)
            }
            Drawn::Tables(case) => {
                (tables::after(&self.fleet, &self.records, &self.kinds, case), case.0.clone(), &case.1)
            }
            Drawn::Story(steps, _) => {
                (generated::after(&self.fleet, &self.records, steps), generated::strict_text(), steps)
            }
        };
        let mut policy = policy(&text);
        if matches!(drawn, Drawn::Tables(_)) && !number.is_multiple_of(3) {
            policy.stations = Some(tables::listed());
        }
        let switches = after.unwrap_or_default().into_iter().map(|(name, one)| (name, (one, None))).collect();
        (Read { policy: Some(policy), switches, problems: String::new() }, steps.iter().map(Step::told).collect())
    }

    /// Its page.
    fn told(&self, number: u64, drawn: &Drawn) -> String {
        let (read, changes) = self.read(number, drawn);
        let kind = match drawn {
            Drawn::Texts => "texts",
            Drawn::Steps(..) => "steps",
            Drawn::Tables(_) => "tables",
            Drawn::Story(..) => "story",
        };
        let mut page = format!("== {kind} {number}\n");
        changes.iter().for_each(|change| writeln!(page, "# {change}").unwrap());
        if let Drawn::Story(_, story) = drawn {
            return page + &happened(&read, number, story);
        }
        let (audit, found, open) = audited(&read);
        let (mend, steps) = mended(&read, number % 4 == 3);
        let (drills, rehearsals) = rehearsed(&read);
        let marks = [settled(&read), audit, mend, drills].map(|words| mark(&words));
        writeln!(page, "settled {}", marks[0]).unwrap();
        writeln!(page, "{found} found, {open} open {}", marks[1]).unwrap();
        writeln!(page, "mended in {steps} steps {}", marks[2]).unwrap();
        writeln!(page, "{rehearsals} rehearsals {}", marks[3]).unwrap();
        page
    }
}

/// What came of a story.
fn happened(read: &Read, number: u64, story: &str) -> String {
    let fleet: BTreeMap<&str, Resolved> = read.switches.iter().map(|(name, one)| (*name, one.0.clone())).collect();
    if fleet.is_empty() { String::new() } else { stories::played(number, &fleet, story).0 }
}

#[test]
fn what_is_said_of_drawn_fleets_stays_said() {
    let right = Right::new();
    let all = right.drawn();
    let workers = std::thread::available_parallelism().map_or(1, usize::from);
    // Each worker takes every so-manieth: kinds cost unlike.
    let mut pages: Vec<(usize, String)> = std::thread::scope(|scope| {
        let (all, right) = (&all, &right);
        let work = |worker: usize| {
            scope.spawn(move || {
                let own = all.iter().enumerate().skip(worker).step_by(workers);
                own.map(|(place, (number, drawn))| (place, right.told(*number, drawn))).collect::<Vec<_>>()
            })
        };
        let all: Vec<_> = (0..workers).map(work).collect();
        all.into_iter().flat_map(|one| one.join().unwrap()).collect()
    });
    pages.sort_unstable();
    let page: String = pages.into_iter().map(|(_, page)| page).collect();
    compare("crates/yellowlegs-core/tests/data/drawn.txt", &page);
}
