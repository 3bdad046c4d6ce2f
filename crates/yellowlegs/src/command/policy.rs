//! `yellowlegs policy`: draft, show and test what a fleet is judged by.

use std::io::Write;
use std::process::ExitCode;

use yellowlegs_core::check::{FleetOutcome, Judge, Selection, Usage};
use yellowlegs_core::policy::{Draft, assign};

use super::moment;
use super::read::tell;
use crate::args::{FleetArgs, Loudness, New, PolicyFormat, PolicyTask, PolicyTest, Show};
use crate::failure::Failure;
use crate::fleet::{self, Root};
use crate::output;
use crate::render::policy::{self as page, Holes};

pub(super) fn run(task: &PolicyTask, loudness: Loudness) -> Result<ExitCode, Failure> {
    match task {
        PolicyTask::New(args) => new(args),
        PolicyTask::Show(args) => show(args, loudness),
        PolicyTask::Test(args) => test(args, loudness),
    }
}

fn new(args: &New) -> Result<ExitCode, Failure> {
    let root = Root::find(None, std::slice::from_ref(&args.path))?;
    let empty = FleetArgs { fleet: None, policy: None, dialect: args.dialect.clone(), outside: false };
    let loaded = fleet::load(&root, &empty)?;
    let as_of = moment(None, loaded.policy.as_of.as_ref())?;
    let found = fleet::discover(&root, &loaded.policy)?;
    let mut draft = Draft::default();
    let mut whole = found.tell_unreadable(tell);
    for switch in found.switches.iter().filter(|switch| root.takes(&switch.path)) {
        let (read, unreadable) = fleet::read_switch(&root.dir, switch, &loaded, as_of.moment());
        whole &= unreadable.is_empty();
        unreadable.iter().for_each(tell);
        if let Some((resolved, _)) = read {
            draft.add(&resolved.switch);
        }
    }
    let mut out = output::content();
    out.write_all(draft.write().as_bytes()).and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::from(if whole { 0 } else { 2 }))
}

fn show(args: &Show, loudness: Loudness) -> Result<ExitCode, Failure> {
    let root = Root::find(args.fleet.fleet.as_deref(), &[])?;
    let loaded = fleet::load(&root, &args.fleet)?;
    let rows = page::rows(&loaded.policy);
    let mut out = output::stdout(loudness.color);
    let written = match args.format {
        PolicyFormat::Text => page::shown(&mut out, &rows),
        PolicyFormat::Json => page::shown_json(&mut out, &rows),
    };
    written.and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::SUCCESS)
}

fn test(args: &PolicyTest, loudness: Loudness) -> Result<ExitCode, Failure> {
    let root = Root::find(args.fleet.fleet.as_deref(), &[])?;
    let loaded = fleet::load(&root, &args.fleet)?;
    let policy = &loaded.policy;
    let as_of = moment(None, policy.as_of.as_ref())?;
    let found = fleet::discover(&root, policy)?;
    let selection = Selection::default();
    let judge = Judge::new(policy, &as_of, &selection, false);
    let (mut usage, mut holes, mut whole) = (Usage::default(), Holes::default(), found.tell_unreadable(tell));
    for switch in &found.switches {
        let (read, unreadable) = fleet::read_switch(&root.dir, switch, &loaded, as_of.moment());
        whole &= unreadable.is_empty();
        unreadable.iter().for_each(tell);
        let Some((resolved, _)) = read else { continue };
        let roles = assign(policy, &resolved.switch, resolved.lists());
        let without = roles.ports.iter().zip(resolved.switch.ports()).filter(|(role, _)| role.is_none());
        let names: Vec<String> = without.map(|(_, name)| name.to_string()).collect();
        holes.ports += resolved.switch.ports().len();
        if !names.is_empty() {
            holes.without_role.push((resolved.switch.name().to_string(), names));
        }
        holes.overlaps.extend(roles.remarks);
        usage.merge(judge.switch(&resolved, resolved.lists()).usage);
    }
    holes.entries = FleetOutcome::entries(policy, &as_of, &usage);
    let mut out = output::stdout(loudness.color);
    page::tested(&mut out, &holes).and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::from(match (whole, holes.is_empty()) {
        (false, _) => 2,
        (true, false) => 1,
        (true, true) => 0,
    }))
}
