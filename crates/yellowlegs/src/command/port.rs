//! `yellowlegs port`: everything about one port, and the other end of its link beside it.

use std::io::Write as _;
use std::process::ExitCode;

use globset::Glob;
use yellowlegs_core::check::{
    Digests, FeatureNow, FleetOutcome, FleetView, Judge, PortPage, PortView, Selection, SwitchView, Usage,
};
use yellowlegs_core::finding::{Finding, Related, Undecided};
use yellowlegs_core::mend::{Answers, DEPENDENCIES, plan};
use yellowlegs_core::policy::{AsOf, assign};
use yellowlegs_core::resolve::Resolved;
use yellowlegs_core::source::nearest;

use super::audit::jobs;
use super::mend;
use super::read::tell;
use super::{ended, knows_no_new, moment};
use crate::args::{Loudness, PageFormat, Port};
use crate::failure::Failure;
use crate::fleet::{self, Fleet, Found, Loaded, Root};
use crate::output;
use crate::progress::Progress;
use crate::render::Head;
use crate::render::mend::{Ticket, text as plan_text, value};
use crate::render::port::{Page, json, text};

pub(super) fn run(args: &Port, loudness: Loudness) -> Result<ExitCode, Failure> {
    knows_no_new(args.judging.fail_on)?;
    let root = Root::find(args.fleet.fleet.as_deref(), &[])?;
    let loaded = fleet::load(&root, &args.fleet)?;
    let as_of = moment(args.judging.as_of.as_deref(), loaded.policy.as_of.as_ref())?;
    let fleet = fleet::discover(&root, &loaded.policy)?;
    let found = find_switch(&fleet, &args.switch)?;
    let work = Work { root: &root, loaded: &loaded, as_of: &as_of };
    let Some(resolved) = work.read(found) else {
        return Err(Failure::usage(format!("`{}` cannot be read", found.name), "see the error above"));
    };
    let port = find_port(&resolved, &args.port)?;
    let name = resolved.switch.ports().get(port).map(ToString::to_string).unwrap_or_default();
    let judged = work.judge(&fleet, &found.name, &name)?;
    let other = judged.other.as_ref().and_then(|other| work.other_end(&fleet, other));
    let page =
        Page { page: work.page(&resolved, port), findings: judged.findings, undetermined: judged.undetermined, other };
    let mut out = output::report(matches!(args.format, PageFormat::Text), loudness.color);
    let of_fleet =
        || mend::site(&root, &loaded, &fleet, &as_of, &Selection::default(), (jobs(None), &Progress::none())).0;
    let site = args.mend.then(of_fleet);
    let (switch, rows) = (&*found.name, DEPENDENCIES.iter().collect::<Vec<_>>());
    let here = |of: &Finding| of.switch.as_deref() == Some(switch) && of.port.as_deref() == Some(name.as_str());
    let no_answers = Answers::default();
    let usual = mend::usual(&here, &no_answers, &rows);
    let planned = site.as_ref().map(|site| plan(site, &usual).map_err(mend::no_plan)).transpose()?;
    let head = Head { as_of: as_of.as_str().to_owned(), site: loaded.policy.site.name.clone(), ..Head::default() };
    let ticket = planned.as_ref().map(|plan| Ticket { head: &head, plan });
    let look = output::look(loudness, false);
    let written = match args.format {
        PageFormat::Text => text(&mut out, &page, &look).and_then(|()| match &ticket {
            Some(ticket) => writeln!(out).and_then(|()| plan_text(&mut out, ticket, &look)),
            None => Ok(()),
        }),
        PageFormat::Json => json(&mut out, &page, ticket.as_ref().map(value)),
    };
    written.and_then(|()| out.flush()).map_err(Failure::stdout)?;
    let found = |level| page.findings.iter().any(|found| found.waiver.is_none() && found.level <= level);
    let open = |level| page.undetermined.iter().any(|open| open.level.is_some_and(|at| at <= level));
    let open = |level| open(level) && !args.judging.allow_undetermined;
    Ok(ended(judged.whole, args.judging.fail_on, found, open))
}

struct Work<'a> {
    root: &'a Root,
    loaded: &'a Loaded,
    as_of: &'a AsOf,
}

/// What the fleet's audit says of the port.
struct Judged {
    findings: Vec<Finding>,
    undetermined: Vec<Undecided>,
    other: Option<Related>,
    whole: bool,
}

impl Work<'_> {
    fn read(&self, found: &Found) -> Option<Resolved> {
        let (read, unreadable) = fleet::read_switch(&self.root.dir, found, self.loaded, self.as_of.moment());
        unreadable.iter().for_each(tell);
        read.map(|(resolved, _)| resolved)
    }

    fn page(&self, resolved: &Resolved, port: usize) -> PortPage {
        let roles = assign(&self.loaded.policy, &resolved.switch, resolved.lists());
        PortPage::of(&PortView::new(SwitchView::new(resolved, &self.loaded.policy, &roles, self.as_of), port))
    }

    /// Judges the whole fleet, for what is only seen across switches, and keeps what is said of the port.
    fn judge(&self, fleet: &Fleet, switch: &str, port: &str) -> Result<Judged, Failure> {
        let exactly = |name: &str| Glob::new(&globset::escape(name)).map(|glob| Some(glob.compile_matcher()));
        let glob = |name: &str| exactly(name).map_err(|error| Failure::usage(error.kind(), "choose another name"));
        let selection = Selection { switch: glob(switch)?, port: glob(port)?, ..Selection::default() };
        let judge = Judge::new(&self.loaded.policy, self.as_of, &selection, false);
        let (mut digests, mut usage) = (Digests::default(), Usage::default());
        let mut whole = fleet.tell_unreadable(tell);
        let (mut findings, mut undetermined) = (Vec::new(), Vec::new());
        let mut take = |found: &Found| {
            let Some(resolved) = self.read(found) else {
                whole = false;
                return None;
            };
            let judged = judge.switch(&resolved, resolved.lists());
            findings.extend(judged.outcome.findings);
            undetermined.extend(judged.outcome.undetermined);
            usage.merge(judged.usage);
            Some(judged.digest)
        };
        for found in &fleet.switches {
            take(found).into_iter().for_each(|digest| digests.push(digest));
        }
        let baselines: Vec<_> =
            fleet.baselines.iter().filter_map(|(path, found)| Some((path.clone(), take(found)?))).collect();
        let view = FleetView::new(&self.loaded.policy, self.as_of, &digests, &baselines);
        let again = |name: &str| self.read(fleet.switches.iter().find(|found| *found.name == *name)?);
        let across = FleetOutcome::judge(&view, None, &mut usage, &selection, &again);
        findings.extend(across.findings);
        Ok(Judged { findings, undetermined, other: view.other_end(switch, port), whole })
    }

    /// What each feature does at the other end of a link.
    fn other_end(&self, fleet: &Fleet, other: &Related) -> Option<(Related, Vec<FeatureNow>)> {
        let found = fleet.switches.iter().find(|found| *found.name == *other.switch)?;
        let resolved = self.read(found)?;
        let port = resolved.switch.port_index(other.port.as_deref()?)?;
        Some((other.clone(), self.page(&resolved, port).features))
    }
}

/// The one name that fits: exactly, else as a beginning, an end or a part of it.
fn one<'n>(asked: &str, names: &[&'n str]) -> Result<&'n str, Vec<&'n str>> {
    let ways: [fn(&str, &str) -> bool; 4] = [
        |name, asked| name == asked,
        |name, asked| name.starts_with(asked),
        |name, asked| name.ends_with(asked),
        |name, asked| name.contains(asked),
    ];
    for way in ways {
        let fitting: Vec<&str> = names.iter().copied().filter(|name| way(name, asked)).collect();
        match fitting.as_slice() {
            [] => {}
            [one] => return Ok(one),
            several => return Err(several.to_vec()),
        }
    }
    Err(Vec::new())
}

fn unknown(what: &str, asked: &str, names: &[&str], several: &[&str]) -> Failure {
    const SHOWN: usize = 8;
    if several.is_empty() {
        let near = nearest(asked, names.iter().copied());
        let all = || format!("there are {}", names.iter().take(SHOWN).copied().collect::<Vec<_>>().join(", "));
        return Failure::usage(
            format!("there is no {what} `{asked}`"),
            near.map_or_else(all, |near| format!("did you mean `{near}`?")),
        );
    }
    let shown: Vec<&str> = several.iter().take(SHOWN).copied().collect();
    let more = if several.len() > SHOWN { ", …" } else { "" };
    let count = several.len();
    Failure::usage(format!("`{asked}` fits {count} names of a {what}"), format!("{}{more}", shown.join(", ")))
}

fn find_switch<'f>(fleet: &'f Fleet, asked: &str) -> Result<&'f Found, Failure> {
    let names: Vec<&str> = fleet.switches.iter().map(|found| &*found.name).collect();
    let name = one(asked, &names).map_err(|several| unknown("switch", asked, &names, &several))?;
    let found = fleet.switches.iter().find(|found| *found.name == *name);
    found.ok_or_else(|| unknown("switch", asked, &names, &[]))
}

/// The port by its name, by another way in which its system writes it, or by a part that no other has.
fn find_port(resolved: &Resolved, asked: &str) -> Result<usize, Failure> {
    let switch = &resolved.switch;
    let other_way = resolved.lists().and_then(|lists| Some(lists.name(lists.port(asked)?)));
    if let Some(port) = switch.port_index(asked).or_else(|| switch.port_index(&other_way?)) {
        return Ok(port);
    }
    let names: Vec<&str> = switch.ports().iter().map(yellowlegs_core::model::PortName::as_str).collect();
    let name = one(asked, &names).map_err(|several| unknown("port", asked, &names, &several))?;
    switch.port_index(name).ok_or_else(|| unknown("port", asked, &names, &[]))
}

#[cfg(test)]
mod tests {
    use super::one;
    use rstest::rstest;

    #[rstest]
    #[case::exactly("nq-1", &["nq-1", "nq-10"], Ok("nq-1"))]
    #[case::a_beginning("nq", &["nq-1", "sp-1"], Ok("nq-1"))]
    #[case::an_end("-2", &["nq-1", "nq-2"], Ok("nq-2"))]
    #[case::a_part("desk", &["nq-desks-1", "nq-core-1"], Ok("nq-desks-1"))]
    #[case::several("nq", &["nq-1", "nq-2"], Err(vec!["nq-1", "nq-2"]))]
    #[case::none("x", &["nq-1"], Err(vec![]))]
    fn names_may_be_shortened(#[case] asked: &str, #[case] names: &[&str], #[case] expected: Result<&str, Vec<&str>>) {
        assert_eq!(one(asked, names), expected);
    }
}
