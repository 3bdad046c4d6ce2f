//! `yellowlegs audit`: which ports break the policy.

use std::collections::BTreeSet;
use std::convert::Infallible;
use std::num::NonZero;
use std::path::Path;
use std::process::ExitCode;
use std::sync::{Arc, OnceLock};

use globset::{Glob, GlobMatcher};
use yellowlegs_core::check::{
    self, Again, Comparison, Digest, Digests, Earlier, FleetOutcome, FleetView, Judge, Selection, Usage,
};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::drill;
use yellowlegs_core::finding::Totals;
use yellowlegs_core::model::{Remark, Switch};
use yellowlegs_core::policy::{AsOf, Policy, names_check};
use yellowlegs_core::resolve::Resolved;
use yellowlegs_core::sorted;

use super::checks::unknown;
use super::read::tell;
use super::{ended, moment};
use crate::args::{Audit, Chosen, FailOn, Loudness};
use crate::failure::Failure;
use crate::fleet::{self, Fleet, Found, Loaded, Root, Unreadable, in_order};
use crate::output;
use crate::progress::{Progress, READ};
use crate::render::missing::{FEW, Missing, by_feature};
use crate::render::{Head, REPORT, Tail};
use crate::sinks::Sinks;

pub(super) fn run(args: &Audit, loudness: Loudness) -> Result<ExitCode, Failure> {
    for path in &args.write {
        output::format_of(path)?;
    }
    let root = Root::find(args.fleet.fleet.as_deref(), &args.paths)?;
    let (loaded, fleet) =
        fleet::load_beside(&root, &args.fleet, jobs(args.jobs), |policy| fleet::discover(&root, policy))?;
    let mut selection = selection(args, &loaded.policy)?;
    let as_of = moment(args.judging.as_of.as_deref(), loaded.policy.as_of.as_ref())?;
    let fleet = fleet?;
    fleet.demand_switch(&selection, args.switch.as_deref())?;
    if !root.parts.is_empty() {
        // Others are read and judged as well: what looks across switches needs them.
        let asked = fleet.switches.iter().filter(|found| root.takes(&found.path));
        selection.among = Some(sorted::tree_set(asked.map(|found| found.name.to_string())));
    }
    if fleet.switches.iter().all(|found| selection.takes_switch(&found.name)) {
        // Chosen is the whole fleet, and with it what stands on no switch.
        (selection.switch, selection.among) = (None, None);
    }
    let mut since = args.since.as_deref().map(|path| earlier(path, &selection)).transpose()?;
    let progress = Progress::of(fleet.switches.len(), READ, !loudness.quiet);
    let mut sinks = Sinks::open(args, loudness, progress)?;
    sinks.head(&Head {
        as_of: as_of.as_str().to_owned(),
        site: loaded.policy.site.name.clone(),
        chosen: filters(args),
        doubt: loaded.policy.site.doubt.value.word(),
    })?;
    let judge = Judge::new(&loaded.policy, &as_of, &selection, args.raw);
    let around = || super::drill::around(&root, &loaded, &fleet.switches, &as_of, jobs(args.jobs), |_, _| ());
    let around = args.with_drills.then(around);
    let mut work =
        Work { root: &root, loaded: &loaded, judge, selection: &selection, as_of: &as_of, around: around.as_ref() };
    let mut gathered = work.run(&fleet.switches, jobs(args.jobs), &mut sinks, since.as_mut())?;
    gathered.ports.demand_port(args.port.as_deref(), gathered.unreadable.is_empty() && fleet.unreadable.is_empty())?;
    let mut across = work.across(&fleet, &selection, &mut gathered, jobs(args.jobs));
    if across.left_out > 0 {
        let count = across.left_out;
        let text = format!(
            "{count} finding(s) that stand on none of the chosen switches are left out: audit the whole fleet to see them"
        );
        gathered.totals.remark(Remark { about: "the fleet".into(), file: None, line: None, text });
    }
    sinks.aside(|| _ = fleet.tell_unreadable(tell));
    gathered.unreadable.splice(0..0, fleet.unreadable.iter().cloned());
    if let Some(since) = since {
        let open = across.undetermined.iter().map(|(check, _, at, _)| (check, &*at.switch, at.port.as_deref()));
        gathered.totals.compared(since.fleet(&mut across.findings, open));
    }
    finish(args, &across, gathered, sinks)
}

/// The filters, as they were given.
fn filters(args: &Audit) -> Vec<String> {
    let options = [("--switch", &args.switch), ("--port", &args.port), ("--role", &args.role)];
    let one = options.into_iter().filter_map(|(option, value)| Some((option, value.as_ref()?)));
    one.chain(args.only.iter().map(|only| ("--only", only)))
        .map(|(option, value)| format!("{option} {value}"))
        .collect()
}

/// Reads the report that this one is held against.
fn earlier(path: &Path, selection: &Selection) -> Result<Comparison, Failure> {
    let wrong = |why: String| {
        let hint = "write one with `yellowlegs audit --write REPORT.json`; docs/reports.md says more";
        Failure::usage(format!("--since {}: {why}", path.display()), hint)
    };
    let bytes = fleet::regular(path).map_err(|error| Failure::path(path, error))?;
    let earlier: Earlier =
        serde_json::from_slice(&bytes).map_err(|error| wrong(format!("this is no JSON report: {error}")))?;
    if earlier.report != REPORT {
        return Err(wrong(format!("report version {} is not known; this is version {REPORT}", earlier.report)));
    }
    Ok(Comparison::new(earlier, selection))
}

pub(super) fn jobs(asked: Option<u16>) -> usize {
    let processors = || std::thread::available_parallelism().map_or(1, NonZero::get);
    asked.map_or_else(processors, usize::from)
}

pub(super) fn glob(option: &str, text: Option<&str>) -> Result<Option<GlobMatcher>, Failure> {
    let Some(text) = text else { return Ok(None) };
    match Glob::new(text) {
        Ok(glob) => Ok(Some(glob.compile_matcher())),
        Err(error) => Err(Failure::usage(format!("{option} {text}: {}", error.kind()), "a glob has *, ? and […]")),
    }
}

/// The switches and ports that a command looks at.
pub(super) fn chosen(args: &Chosen) -> Result<Selection, Failure> {
    let (switch, port) = (glob("--switch", args.switch.as_deref())?, glob("--port", args.port.as_deref())?);
    Ok(Selection { switch, port, ..Selection::default() })
}

fn selection(args: &Audit, policy: &Policy) -> Result<Selection, Failure> {
    for only in &args.only {
        let family = |c: &&check::Check| c.family() == only.as_str();
        let house = policy.rules.iter().any(|rule| {
            names_check(only, rule.id) || rule.id.split_once('/').is_some_and(|(family, _)| family == only)
        });
        if !house && !check::all().any(|c| names_check(only, c.id) || family(&c)) {
            return Err(unknown(only));
        }
    }
    if let Some(role) = args.role.as_deref().filter(|role| !policy.roles.iter().any(|r| r.name == *role)) {
        let names: Vec<&str> = policy.roles.iter().map(|r| r.name.as_str()).collect();
        return Err(Failure::usage(format!("`{role}` is no role"), format!("the policy has {}", names.join(", "))));
    }
    Ok(Selection {
        switch: glob("--switch", args.switch.as_deref())?,
        port: glob("--port", args.port.as_deref())?,
        role: args.role.clone(),
        only: args.only.clone(),
        among: None,
    })
}

/// What reading and judging all switches came to.
#[derive(Default)]
struct Gathered {
    totals: Totals,
    usage: Usage,
    digests: Digests,
    /// Of switches with lines that are not understood, what is known for certain.
    doubtful: Vec<Digest>,
    unreadable: Vec<Unreadable>,
    /// The ports that there are, where `--port` chooses some.
    ports: Named,
}

/// The ports of the chosen switches, and whether some of them are chosen: for an option that chooses none.
#[derive(Default)]
pub(super) struct Named {
    names: BTreeSet<String>,
    chosen: bool,
}

/// So many names are kept, to find the one that was meant.
const MOST_NAMES: usize = 5_000;

impl Named {
    /// Takes in the ports of a switch.
    pub(super) fn look(&mut self, switch: &Switch, selection: &Selection) {
        let Some(port) = selection.port.as_ref().filter(|_| selection.takes_switch(switch.name())) else { return };
        self.chosen |= switch.ports().iter().any(|name| port.is_match(name.as_str()));
        let room = MOST_NAMES.saturating_sub(self.names.len());
        self.names.extend(switch.ports().iter().take(room).map(ToString::to_string));
    }

    /// Takes in those of others.
    pub(super) fn merge(&mut self, other: Self) {
        self.chosen |= other.chosen;
        let room = MOST_NAMES.saturating_sub(self.names.len());
        self.names.extend(other.names.into_iter().take(room));
    }

    /// Whether `--port` chooses some port; where switches could not be read nobody knows.
    pub(super) fn demand_port(&self, asked: Option<&str>, whole: bool) -> Result<(), Failure> {
        match asked {
            Some(asked) if !self.chosen && whole => {
                let names: Vec<&str> = self.names.iter().map(String::as_str).collect();
                Err(fleet::matches_nothing("--port", "port", asked, &names))
            }
            _ => Ok(()),
        }
    }
}

struct Work<'a> {
    root: &'a Root,
    loaded: &'a Loaded,
    judge: Judge<'a>,
    selection: &'a Selection,
    as_of: &'a AsOf,
    around: Option<&'a drill::Around>,
}

impl Work<'_> {
    /// Reads, judges and drops one switch after the other; findings go out in path order.
    fn run(
        &mut self,
        switches: &[Found],
        jobs: usize,
        sinks: &mut Sinks,
        mut since: Option<&mut Comparison>,
    ) -> Result<Gathered, Failure> {
        let (digests, totals) = (Digests::with_room(switches.len()), Totals::with_room(switches.len()));
        let mut gathered = Gathered { totals, digests, ..Gathered::default() };
        if !self.loaded.has_policy {
            let text = "there is no yellowlegs.toml: the built-in defaults judge, and no port has a role; `yellowlegs policy new` \
                        drafts one: VLANs with their purposes, roles for ports by VLAN and mode, servers, links"
                .to_owned();
            gathered.totals.remark(Remark { about: "policy".into(), file: None, line: None, text });
        }
        if let Some(stations) = &self.loaded.policy.stations {
            stations.remarks().iter().for_each(|remark| gathered.totals.remark(remark.clone()));
        }
        let work = |found: &Found| {
            let (read, unreadable) = fleet::read_switch(&self.root.dir, found, self.loaded, self.as_of.moment());
            let mut named = Named::default();
            let judged = read.map(|(resolved, dialect)| {
                named.look(&resolved.switch, self.selection);
                let lists = dialect.as_ref().map(|d| d.lists());
                let mut judged = self.judge.switch(&resolved, lists);
                if let Some(around) = self.around {
                    drill::attach(&mut judged.outcome, &resolved, &self.loaded.policy, around);
                }
                (judged, dialect)
            });
            (judged, named, unreadable, self.root.takes(&found.path))
        };
        let mut used: Vec<Arc<Dialect>> = Vec::new();
        let mut missed = 0;
        in_order(switches, jobs, work, |(judged, named, unreadable, asked)| {
            gathered.ports.merge(named);
            if asked {
                sinks.aside(|| unreadable.iter().for_each(tell));
                gathered.unreadable.extend(unreadable);
            } else {
                missed += usize::from(!unreadable.is_empty());
            }
            let Some((mut judged, dialect)) = judged else { return Ok(()) };
            used.extend(dialect.filter(|d| !used.iter().any(|u| u.name() == d.name())));
            if let Some(since) = since.as_deref_mut() {
                since.switch(&mut judged.outcome);
            }
            sinks.switch(&judged.outcome)?;
            gathered.usage.merge(judged.usage);
            gathered.digests.push(judged.digest);
            gathered.doubtful.extend(judged.doubtful);
            gathered.totals.add(judged.outcome);
            Ok(())
        })?;
        self.judge.rest();
        if missed > 0 {
            let text = format!(
                "{missed} switches that were not asked for cannot be read whole; what looks across switches lacks them"
            );
            gathered.totals.remark(Remark { about: "the fleet".into(), file: None, line: None, text });
        }
        gathered.totals.tell_walked();
        for dialect in used {
            beyond(&dialect, &self.loaded.policy).into_iter().for_each(|remark| gathered.totals.remark(remark));
        }
        Ok(gathered)
    }
}

/// Switches by their names, for those that findings across the fleet name.
struct ByName<'f>(Vec<&'f Found>);

impl<'f> ByName<'f> {
    fn of(switches: &'f [Found]) -> Self {
        let mut by_name: Vec<&Found> = switches.iter().collect();
        sorted::by(&mut by_name, |a, b| a.name.cmp(&b.name));
        Self(by_name)
    }

    fn find(&self, name: &str) -> Option<&'f Found> {
        let at = self.0.binary_search_by(|found| (*found.name).cmp(name)).ok()?;
        self.0.get(at).copied()
    }
}

/// Reads switches once more, several at a time.
struct OnceMore<'w> {
    work: &'w Work<'w>,
    fleet: &'w Fleet,
    by_name: OnceLock<ByName<'w>>,
    jobs: usize,
}

impl Again for OnceMore<'_> {
    fn read(&self, name: &str) -> Option<Resolved> {
        let baseline = || self.fleet.baselines.iter().find(|(path, _)| path == name).map(|(_, found)| found);
        let found = self.by_name.get_or_init(|| ByName::of(&self.fleet.switches)).find(name).or_else(baseline)?;
        let Work { root, loaded, as_of, .. } = self.work;
        fleet::read_switch(&root.dir, found, loaded, as_of.moment()).0.map(|(resolved, _)| resolved)
    }

    fn each(&self, pieces: usize, work: &(dyn Fn(usize) + Sync)) {
        let pieces: Vec<usize> = (0..pieces).collect();
        let Ok(()) = in_order(&pieces, self.jobs, |piece| work(*piece), |()| Ok::<(), Infallible>(()));
    }
}

impl Work<'_> {
    /// The checks across switches. Those that a finding names are read once more.
    fn across(&self, fleet: &Fleet, selection: &Selection, gathered: &mut Gathered, jobs: usize) -> FleetOutcome {
        let mut baselines = Vec::new();
        for (path, found) in &fleet.baselines {
            let (resolved, unreadable) = fleet::read_switch(&self.root.dir, found, self.loaded, self.as_of.moment());
            unreadable.iter().for_each(tell);
            gathered.unreadable.extend(unreadable);
            let Some((resolved, dialect)) = resolved else { continue };
            let lists = dialect.as_ref().map(|d| d.lists());
            baselines.push((path.clone(), self.judge.switch(&resolved, lists).digest));
        }
        let again = OnceMore { work: self, fleet, by_name: OnceLock::new(), jobs };
        let view = FleetView::new(&self.loaded.policy, self.as_of, &gathered.digests, &baselines);
        let certain = gathered.digests.certain(std::mem::take(&mut gathered.doubtful));
        let certain =
            certain.as_ref().map(|digests| FleetView::new(&self.loaded.policy, self.as_of, digests, &baselines));
        let outcome = FleetOutcome::judge(&view, certain.as_ref(), &mut gathered.usage, selection, &again);
        gathered.totals.count_fleet_findings(&outcome.findings, &outcome.positions);
        for (check, level, place, needs) in outcome.undetermined.iter() {
            gathered.totals.open(check, level, needs, place);
        }
        outcome
    }
}

/// So many features are named of those that a young dialect says nothing of.
const NAMED_FEATURES: usize = 6;

/// What a dialect never tells, said once and not for each port; of checks that are on.
fn beyond(dialect: &Dialect, policy: &Policy) -> Vec<Remark> {
    let is_on = |id: &&str| {
        let level = check::all().find(|check| check.id == *id).map(|check| check.level);
        let for_role = |role: Option<&str>| level.is_some_and(|level| policy.level(id, role, level).is_some());
        for_role(None) || policy.roles.iter().any(|role| for_role(Some(&role.name)))
    };
    let never = check::out_of_reach(dialect)
        .into_iter()
        .filter(|out| !out.can_set)
        .map(|out| check::OutOfReach { checks: out.checks.iter().copied().filter(is_on).collect(), ..out });
    let never = never.filter(|out| !out.checks.is_empty());
    let remark = |text: String| Remark {
        about: format!("dialect {}", dialect.name()),
        file: Some(dialect.source().path().to_string()),
        line: None,
        text,
    };
    let never: Vec<check::OutOfReach> = never.collect();
    if never.len() <= FEW {
        let each = never.iter().map(|out| {
            format!("neither a rule nor a default gives {}; undetermined by that: {}", out.fact, out.checks.join(", "))
        });
        return each.map(remark).collect();
    }
    // A young dialect: by feature, and where to go on.
    let missing: Vec<Missing<'_>> = never.iter().map(Missing::from).collect();
    let features = by_feature(&missing);
    let mut names: Vec<&str> = features.iter().map(|feature| feature.name).collect();
    let more = names.len().saturating_sub(NAMED_FEATURES);
    names.truncate(NAMED_FEATURES);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    vec![remark(format!(
        "neither a rule nor a default gives {} facts that checks need, of {}{more}; `yellowlegs dialect test {}` says where to begin",
        never.len(),
        names.join(", "),
        dialect.source().path()
    ))]
}

fn finish(args: &Audit, fleet: &FleetOutcome, gathered: Gathered, sinks: Sinks) -> Result<ExitCode, Failure> {
    let Gathered { totals, unreadable, .. } = gathered;
    sinks.finish(&Tail {
        fleet_findings: &fleet.findings,
        totals: &totals,
        unreadable: &unreadable,
        across: &fleet.undetermined,
    })?;
    let new = totals.since().map(|since| since.new > 0).filter(|_| args.judging.fail_on == FailOn::New);
    let found = |level| new.unwrap_or_else(|| totals.findings_at(level) > 0);
    let open = |level| totals.undetermined_at(level) && !args.judging.allow_undetermined;
    Ok(ended(unreadable.is_empty(), args.judging.fail_on, found, open))
}
