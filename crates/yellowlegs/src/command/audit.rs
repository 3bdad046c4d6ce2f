//! `yellowlegs audit`: which ports break the policy.

use std::io::Write;
use std::num::NonZero;
use std::process::ExitCode;
use std::sync::Arc;

use globset::{Glob, GlobMatcher};
use yellowlegs_core::check::{self, Digests, FleetOutcome, FleetView, Judge, Selection, Usage};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::finding::{Sample, Totals};
use yellowlegs_core::model::Remark;
use yellowlegs_core::policy::{AsOf, Policy, names_check};

use super::checks::unknown;
use super::read::tell;
use super::{ended, moment};
use crate::args::{Audit, Loudness, ReportFormat};
use crate::failure::Failure;
use crate::fleet::{self, Fleet, Found, Loaded, Root, Unreadable, in_order};
use crate::output::{self, Target};
use crate::render::{Head, JsonLines, JsonReport, Report, Tail, TextReport};

pub(super) fn run(args: &Audit, loudness: Loudness) -> Result<ExitCode, Failure> {
    for path in &args.write {
        output::format_of(path)?;
    }
    let root = Root::find(args.fleet.fleet.as_deref(), &args.paths)?;
    let loaded = fleet::load(&root, &args.fleet)?;
    let selection = selection(args, &loaded.policy)?;
    let as_of = moment(args.judging.as_of.as_deref(), loaded.policy.as_of.as_ref())?;
    let baselines: Vec<&str> = loaded.policy.sisters.iter().filter_map(|s| s.baseline.as_deref()).collect();
    let fleet = fleet::discover(&root, &loaded.policy.files, &baselines)?;
    let mut sinks = Sinks::open(args, loudness)?;
    sinks.head(&Head { as_of: as_of.as_str(), site: loaded.policy.site.name.as_deref() })?;
    let judge = Judge::new(&loaded.policy, &as_of, &selection, args.raw);
    let mut work = Work { root: &root, loaded: &loaded, judge, as_of: &as_of };
    let mut gathered = work.run(&fleet.switches, jobs(args), &mut sinks)?;
    let across = work.across(&fleet, &selection, &mut gathered);
    finish(args, &across, gathered, sinks)
}

fn jobs(args: &Audit) -> usize {
    let processors = || std::thread::available_parallelism().map_or(1, NonZero::get);
    args.jobs.map_or_else(processors, usize::from)
}

pub(super) fn glob(option: &str, text: Option<&str>) -> Result<Option<GlobMatcher>, Failure> {
    let Some(text) = text else { return Ok(None) };
    match Glob::new(text) {
        Ok(glob) => Ok(Some(glob.compile_matcher())),
        Err(error) => Err(Failure::usage(format!("{option} {text}: {}", error.kind()), "a glob has *, ? and […]")),
    }
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
    })
}

/// Every report that is being written.
struct Sinks {
    stdout: (Box<dyn Write>, Box<dyn Report>),
    files: Vec<(std::path::PathBuf, Target, Box<dyn Report>)>,
}

fn report(format: ReportFormat, loudness: Loudness) -> Box<dyn Report> {
    match format {
        ReportFormat::Text => Box::new(TextReport { loudness }),
        ReportFormat::Json => Box::new(JsonReport::default()),
        ReportFormat::Jsonl => Box::new(JsonLines),
    }
}

impl Sinks {
    fn open(args: &Audit, loudness: Loudness) -> Result<Self, Failure> {
        let mut files = Vec::new();
        for path in &args.write {
            files.push((path.clone(), Target::open(path)?, report(output::format_of(path)?, loudness)));
        }
        let stdout = (output::stdout(loudness.color), report(args.format, loudness));
        Ok(Self { stdout, files })
    }

    fn each(
        &mut self,
        mut write: impl FnMut(&mut dyn Report, &mut dyn Write) -> std::io::Result<()>,
    ) -> Result<(), Failure> {
        let (out, report) = &mut self.stdout;
        write(report.as_mut(), out).map_err(Failure::stdout)?;
        for (path, file, report) in &mut self.files {
            let mut plain = anstream::StripStream::new(&mut *file as &mut dyn Write);
            write(report.as_mut(), &mut plain).map_err(|error| Failure::path(&*path, error))?;
        }
        Ok(())
    }

    fn head(&mut self, head: &Head<'_>) -> Result<(), Failure> {
        self.each(|report, out| report.head(out, head))
    }

    /// The tail, and everything in its place.
    fn finish(mut self, tail: &Tail<'_>) -> Result<(), Failure> {
        self.each(|report, out| report.tail(out, tail))?;
        self.stdout.0.flush().map_err(Failure::stdout)?;
        self.files.into_iter().try_for_each(|(_, file, _)| file.finish())
    }
}

/// What reading and judging all switches came to.
#[derive(Default)]
struct Gathered {
    totals: Totals,
    usage: Usage,
    digests: Digests,
    unreadable: Vec<Unreadable>,
}

struct Work<'a> {
    root: &'a Root,
    loaded: &'a Loaded,
    judge: Judge<'a>,
    as_of: &'a AsOf,
}

impl Work<'_> {
    /// Reads, judges and drops one switch after the other; findings go out in path order.
    fn run(&mut self, switches: &[Found], jobs: usize, sinks: &mut Sinks) -> Result<Gathered, Failure> {
        let mut gathered = Gathered::default();
        if !self.loaded.has_policy {
            let text = "there is no yellowlegs.toml: the built-in defaults judge, and no port has a role".to_owned();
            gathered.totals.remark(Remark { about: "policy".into(), file: None, line: None, text });
        }
        let work = |found: &Found| {
            let (read, unreadable) = fleet::read_switch(&self.root.dir, found, self.loaded, self.as_of.moment());
            let judged = read.map(|(resolved, dialect)| {
                let lists = dialect.as_ref().map(|d| d.lists());
                (self.judge.switch(&resolved, lists), dialect)
            });
            (judged, unreadable)
        };
        let mut used: Vec<Arc<Dialect>> = Vec::new();
        in_order(switches, jobs, work, |(judged, unreadable)| {
            unreadable.iter().for_each(tell);
            gathered.unreadable.extend(unreadable);
            let Some((judged, dialect)) = judged else { return Ok(()) };
            used.extend(dialect.filter(|d| !used.iter().any(|u| u.name() == d.name())));
            sinks.each(|report, out| report.switch(out, &judged.outcome))?;
            gathered.usage.merge(judged.usage);
            gathered.digests.push(judged.digest);
            gathered.totals.add(judged.outcome);
            Ok(())
        })?;
        for dialect in used {
            beyond(&dialect).into_iter().for_each(|remark| gathered.totals.remark(remark));
        }
        Ok(gathered)
    }
}

impl Work<'_> {
    /// The checks across switches. Those that a finding names are read once more.
    fn across(&self, fleet: &Fleet, selection: &Selection, gathered: &mut Gathered) -> FleetOutcome {
        let read = |found: &Found| {
            fleet::read_switch(&self.root.dir, found, self.loaded, self.as_of.moment()).0.map(|(resolved, _)| resolved)
        };
        let mut baselines = Vec::new();
        for (path, found) in &fleet.baselines {
            let (resolved, unreadable) = fleet::read_switch(&self.root.dir, found, self.loaded, self.as_of.moment());
            unreadable.iter().for_each(tell);
            gathered.unreadable.extend(unreadable);
            let Some((resolved, dialect)) = resolved else { continue };
            let lists = dialect.as_ref().map(|d| d.lists());
            baselines.push((path.clone(), self.judge.switch(&resolved, lists).digest));
        }
        let again = |name: &str| {
            let baseline = || fleet.baselines.iter().find(|(path, _)| path == name).map(|(_, found)| found);
            read(fleet.switches.iter().find(|found| found.name == name).or_else(baseline)?)
        };
        let view = FleetView::new(&self.loaded.policy, self.as_of, &gathered.digests, &baselines);
        let outcome = FleetOutcome::judge(&view, &mut gathered.usage, selection, &again);
        gathered.totals.count_findings(&outcome.findings);
        for (check, level, place, needs) in &outcome.undetermined {
            let place = Sample { switch: Arc::clone(&place.switch), port: place.port.clone() };
            gathered.totals.open(check, *level, needs, place);
        }
        outcome
    }
}

/// What a dialect never tells, said once and not for each port.
fn beyond(dialect: &Dialect) -> Vec<Remark> {
    let never = check::out_of_reach(dialect).into_iter().filter(|out| !out.can_set);
    let remark = |out: check::OutOfReach| Remark {
        about: format!("dialect {}", dialect.name()),
        file: Some(dialect.source().path().to_string()),
        line: None,
        text: format!(
            "neither a rule nor a default gives {}; undetermined by that: {}",
            out.fact,
            out.checks.join(", ")
        ),
    };
    never.map(remark).collect()
}

fn finish(args: &Audit, fleet: &FleetOutcome, gathered: Gathered, sinks: Sinks) -> Result<ExitCode, Failure> {
    let Gathered { totals, unreadable, .. } = gathered;
    sinks.finish(&Tail { fleet_findings: &fleet.findings, totals: &totals, unreadable: &unreadable })?;
    let found = |level| totals.findings_at(level) > 0;
    let open = |level| totals.undetermined_at(level) && !args.judging.allow_undetermined;
    Ok(ended(unreadable.is_empty(), args.judging.fail_on, found, open))
}
