//! `yellowlegs drill`: attacks and accidents, rehearsed on every port.

use std::collections::BTreeMap;
use std::process::ExitCode;

use yellowlegs_core::check::Selection;
use yellowlegs_core::drill::{self, Outcome, Rehearsed, Stage};
use yellowlegs_core::policy::assign;
use yellowlegs_core::resolve::Resolved;

use super::audit::{chosen, jobs};
use super::moment;
use super::read::tell;
use crate::args::{Drill, DrillFormat, Loudness};
use crate::failure::Failure;
use crate::fleet::{self, Found, Loaded, Root, in_order};
use crate::output;
use crate::render::Head;
use crate::render::drill::{Csv, DrillReport, Json, Matrix, Played, PlayedSwitch, Timeline, list};

pub(super) fn run(args: &Drill, loudness: Loudness) -> Result<ExitCode, Failure> {
    let mut out = output::stdout(loudness.color);
    if args.names.iter().any(|name| name == "list") {
        list(&mut out).and_then(|()| out.flush()).map_err(Failure::stdout)?;
        return Ok(ExitCode::SUCCESS);
    }
    let known = |name: &String| drill::all().iter().any(|drill| drill.name == name);
    if let Some(wrong) = args.names.iter().find(|name| !known(name)) {
        let names: Vec<&str> = drill::all().iter().map(|drill| drill.name).collect();
        return Err(Failure::usage(format!("`{wrong}` is no drill"), format!("there are {}", names.join(", "))));
    }
    let root = Root::find(args.fleet.fleet.as_deref(), &[])?;
    let loaded = fleet::load(&root, &args.fleet)?;
    let as_of = moment(None, loaded.policy.as_of.as_ref())?;
    let selection = Selection { role: args.role.clone(), ..chosen(&args.chosen)? };
    let mut fleet = fleet::discover(&root, &loaded.policy.files, &[])?;
    fleet.switches.retain(|found| selection.takes_switch(&found.name));
    let look = output::look(loudness, false);
    let mut report: Box<dyn DrillReport> = match args.format {
        DrillFormat::Text if args.timeline => Box::new(Timeline { look }),
        DrillFormat::Text => Box::new(Matrix::new(look)),
        DrillFormat::Json => Box::new(Json::default()),
        DrillFormat::Csv => Box::new(Csv),
    };
    let head = Head { as_of: as_of.as_str().to_owned(), site: loaded.policy.site.name.clone(), chosen: Vec::new() };
    report.head(&mut out, &head).map_err(Failure::stdout)?;
    let work = |found: &Found| {
        let (read, unreadable) = fleet::read_switch(&root.dir, found, &loaded, as_of.moment());
        (read.map(|(resolved, _)| play(&resolved, &loaded, &selection, &args.names)), unreadable)
    };
    let (mut worst, mut classes, mut whole) = (None, 0, true);
    in_order(&fleet.switches, jobs(args.jobs), work, |(played, unreadable)| {
        unreadable.iter().for_each(tell);
        whole &= unreadable.is_empty();
        let Some(played) = played else { return Ok(()) };
        classes += played.classes;
        worst = played.ports.iter().flat_map(|p| p.drills.iter().map(|d| d.told.outcome)).chain(worst).min();
        report.switch(&mut out, &played).map_err(Failure::stdout)
    })?;
    report.tail(&mut out, classes).and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::from(match worst {
        _ if !whole => 2,
        Some(Outcome::LetThrough | Outcome::Outage) => 1,
        Some(Outcome::Undetermined) => 3,
        Some(Outcome::Told | Outcome::Held) | None => 0,
    }))
}

/// Every wanted drill on every wanted port; ports that are alike are played once.
fn play(resolved: &Resolved, loaded: &Loaded, selection: &Selection, names: &[String]) -> PlayedSwitch {
    let switch = &resolved.switch;
    let roles = assign(&loaded.policy, switch, resolved.lists());
    let mut played: BTreeMap<usize, std::sync::Arc<Vec<Rehearsed>>> = BTreeMap::new();
    let mut ports = Vec::new();
    for (port, name) in switch.ports().iter().enumerate() {
        let role = roles.ports.get(port).copied().flatten().and_then(|a| loaded.policy.roles.get(a.role));
        let role = role.map(|r| r.name.clone());
        if !selection.takes_port(name.as_str(), role.as_deref()) {
            continue;
        }
        let first = drill::class_of(&roles, port);
        let drills = played.entry(first).or_insert_with(|| {
            let stage = Stage { switch, policy: &loaded.policy, roles: &roles, port: first };
            let wanted = |drill: &drill::Drill| names.is_empty() || names.iter().any(|name| name == drill.name);
            std::sync::Arc::new(drill::rehearse(stage, wanted))
        });
        ports.push(Played { port, name: name.to_string(), role, drills: std::sync::Arc::clone(drills) });
    }
    PlayedSwitch { classes: played.len(), ports, resolved: resolved.clone() }
}
