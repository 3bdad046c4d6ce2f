//! `yellowlegs mend`: the repair, in the right order, proven.

mod files;

use std::io::Write as _;
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;

use yellowlegs_core::check::{self, Selection};
use yellowlegs_core::finding::Finding;
use yellowlegs_core::mend::{Answers, DEPENDENCIES, Dependency, HELD_DOWN, NoPlan, Order, Plan, Site, plan};
use yellowlegs_core::policy::{AsOf, Level, names_check};
use yellowlegs_core::resolve::Resolved;
use yellowlegs_core::sorted;
use yellowlegs_core::source::Source;

use super::audit::{Named, chosen, jobs};
use super::checks::unknown;
use super::moment;
use super::read::tell;
use crate::args::{Loudness, Mend, MendFormat, MendLevel};
use crate::failure::Failure;
use crate::fleet::{self, Fleet, Found, Loaded, Root, in_order};
use crate::output::{self, Target};
use crate::progress::{Progress, READ};
use crate::render::Head;
use crate::render::mend::{Ticket, json, markdown, page, text};

pub(super) fn run(args: &Mend, loudness: Loudness) -> Result<ExitCode, Failure> {
    let root = Root::find(args.fleet.fleet.as_deref(), &[])?;
    let loaded = fleet::load(&root, &args.fleet)?;
    let as_of = moment(args.as_of.as_deref(), loaded.policy.as_of.as_ref())?;
    let selection = selection(args, &loaded)?;
    let fleet = fleet::discover(&root, &loaded.policy)?;
    fleet.demand_switch(&selection, args.chosen.switch.as_deref())?;
    let answers = args.answer.as_deref().map(answers).transpose()?.unwrap_or_default();
    let many = fleet.switches.len();
    let progress = Progress::of(many, READ, !loudness.quiet);
    let (site, named, whole) = site(&root, &loaded, &fleet, &as_of, &selection, (jobs(args.jobs), &progress));
    named.demand_port(args.chosen.port.as_deref(), whole)?;
    let level = args.level.map(|level| match level {
        MendLevel::Breach => Level::Breach,
        MendLevel::Risk => Level::Risk,
        MendLevel::Advice => Level::Advice,
    });
    let down = held_down(&site);
    let of_level = |finding: &Finding| level.is_none_or(|least| finding.level <= least);
    let is_down = |finding: &Finding| !args.held_down || down.contains(&(finding.switch.clone(), finding.port.clone()));
    let picks = |finding: &Finding| takes(&selection, finding) && of_level(finding) && is_down(finding);
    let rows: Vec<&'static Dependency> = DEPENDENCIES.iter().collect();
    let progress = Progress::of(many, "changes tried", !loudness.quiet);
    let order = Order {
        each_port: args.each_port,
        touching_from: args.phase.map_or(1, usize::from),
        tells: &|done, of| progress.at(done, of),
        ..usual(&picks, &answers, &rows)
    };
    let made = plan(&site, &order);
    progress.done();
    let made = made.map_err(no_plan)?;
    let head = Head {
        as_of: as_of.as_str().to_owned(),
        site: loaded.policy.site.name.clone(),
        chosen: Vec::new(),
        doubt: loaded.policy.site.doubt.value.word(),
    };
    let ticket = Ticket { head: &head, plan: &made };
    if let Some(path) = &args.answer {
        write_answers(path, &answers, &made)?;
    }
    // A plan that is refused is shown, and goes nowhere.
    let safe = made.proof.broke.is_none();
    if let Some(folder) = args.into.as_deref().filter(|_| safe) {
        files::into(folder, &ticket)?;
    }
    if let Some(folder) = args.after.as_deref().filter(|_| safe) {
        files::after(folder, &root, &loaded, &fleet, &made)?;
    }
    let mut out = match args.format {
        MendFormat::Text => output::stdout(loudness.color),
        _ => output::plain(),
    };
    let written = match args.format {
        MendFormat::Text => text(&mut out, &ticket, &output::look(loudness, false)),
        MendFormat::Json => json(&mut out, &ticket),
        MendFormat::Markdown => markdown(&mut out, &ticket),
        MendFormat::Html => page(&mut out, &ticket),
    };
    written.and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::from(match () {
        () if !whole || !safe => 2,
        () if !made.proof.remaining.is_empty() || !made.proof.new.is_empty() => 1,
        () => 0,
    }))
}

fn selection(args: &Mend, loaded: &Loaded) -> Result<Selection, Failure> {
    let known = |only: &String| {
        check::all().any(|c| names_check(only, c.id) || c.family() == only.as_str())
            || loaded.policy.rules.iter().any(|rule| names_check(only, rule.id))
    };
    if let Some(wrong) = args.only.iter().find(|only| !known(only)) {
        return Err(unknown(wrong));
    }
    Ok(Selection { role: args.role.clone(), only: args.only.clone(), ..chosen(&args.chosen)? })
}

/// Whether a finding is among those that are chosen.
fn takes(selection: &Selection, finding: &Finding) -> bool {
    let place = match (&finding.switch, &finding.port) {
        (Some(switch), Some(port)) => {
            selection.takes_switch(switch) && selection.takes_port(port, finding.role.as_deref())
        }
        (Some(switch), None) => selection.takes_switch(switch) && !selection.names_ports(),
        (None, _) => selection.takes_nowhere(finding.related.iter().map(|place| &*place.switch)),
    };
    place && selection.takes_check(finding.check)
}

/// The ports that features hold down: everything that is found on them belongs to bringing them back.
fn held_down(site: &Site<'_>) -> sorted::Set<(Option<Arc<str>>, Option<String>)> {
    let all = site.findings().into_iter().filter(|finding| finding.check == HELD_DOWN);
    sorted::set(all.map(|finding| (finding.switch, finding.port)))
}

/// The whole fleet, read and judged.
pub(super) fn site<'p>(
    root: &Root,
    loaded: &'p Loaded,
    fleet: &Fleet,
    as_of: &'p AsOf,
    selection: &Selection,
    (jobs, progress): (usize, &Progress),
) -> (Site<'p>, Named, bool) {
    let mut site = Site::new(&loaded.policy, as_of);
    let mut named = Named::default();
    let mut whole = fleet.tell_unreadable(tell);
    let empty = Site::new(&loaded.policy, as_of);
    let read = |found: &Found| {
        let (read, unreadable) = fleet::read_switch(&root.dir, found, loaded, as_of.moment());
        (read.map(|(resolved, _)| empty.judged(resolved)), unreadable)
    };
    let taken: Result<(), std::convert::Infallible> = in_order(&fleet.switches, jobs, read, |(member, unreadable)| {
        progress.step();
        progress.aside(|| unreadable.iter().for_each(tell));
        whole &= unreadable.is_empty();
        if let Some(member) = member {
            named.look(&member.resolved().switch, selection);
            site.push(member);
        }
        Ok(())
    });
    match taken {
        Ok(()) => progress.done(),
    }
    let baseline = |(path, found): &(String, Found)| -> Option<(String, Resolved)> {
        let (read, unreadable) = fleet::read_switch(&root.dir, found, loaded, as_of.moment());
        unreadable.iter().for_each(tell);
        Some((path.clone(), read?.0))
    };
    site.with_baselines(fleet.baselines.iter().filter_map(baseline).collect());
    (site, named, whole)
}

/// The decisions of a file; of one that is not there yet, none.
fn answers(path: &Path) -> Result<Answers, Failure> {
    let bytes = match fleet::regular(path) {
        Ok(bytes) => bytes,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(Answers::default()),
        Err(error) => return Err(Failure::path(path, error)),
    };
    let source = Source::decode(path.display().to_string(), bytes).map_err(|at| Failure::Problems(vec![at.into()]))?;
    Answers::load(&source).map_err(Failure::Problems)
}

/// The questions, with the answers that were there, in their file.
fn write_answers(path: &Path, answers: &Answers, plan: &Plan<'_>) -> Result<(), Failure> {
    let mut file = Target::open(path)?;
    file.write_all(answers.text(&plan.open).as_bytes()).map_err(|error| Failure::path(path, error))?;
    file.finish()
}

/// What is asked of a plan where nothing else is said.
pub(super) fn usual<'a>(
    picks: &'a dyn Fn(&Finding) -> bool,
    answers: &'a Answers,
    rows: &'a [&'static Dependency],
) -> Order<'a> {
    Order { picks, answers, each_port: false, touching_from: 1, rows, hold_back: true, tells: &|_, _| {} }
}

pub(super) fn no_plan(problem: NoPlan) -> Failure {
    let hint = "leave one of them out with --only, --switch or --port, or decide it by hand";
    Failure::usage(problem, hint)
}
