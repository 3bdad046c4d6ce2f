//! `yellowlegs drill`: attacks and accidents, rehearsed on every port.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::ExitCode;
use std::sync::{Arc, Mutex, PoisonError};

use yellowlegs_core::check::Selection;
use yellowlegs_core::drill::script::{Script, play as play_script};
use yellowlegs_core::drill::{self, Around, Outcome, Rehearsed, Rehearser, Sketch};
use yellowlegs_core::model::Switch;
use yellowlegs_core::policy::AsOf;
use yellowlegs_core::resolve::Resolved;
use yellowlegs_core::sorted;
use yellowlegs_core::source::Source;

use super::audit::{Named, chosen, jobs};
use super::moment;
use super::read::tell;
use crate::args::{Drill, DrillFormat, Loudness};
use crate::failure::Failure;
use crate::fleet::{self, Found, Loaded, ReadSwitch, Root, in_order};
use crate::output;
use crate::render::Head;
use crate::render::drill::{
    Csv, DrillReport, Drills, Html, Json, Matrix, Played, PlayedSwitch, ScriptReport, Timeline, list, script_json,
    script_text,
};

pub(super) fn run(args: &Drill, loudness: Loudness) -> Result<ExitCode, Failure> {
    let is_for_people = matches!(args.format, DrillFormat::Text) || args.names.iter().any(|name| name == "list");
    let mut out = output::report(is_for_people, loudness.color);
    if args.names.iter().any(|name| name == "list") {
        list(&mut out).and_then(|()| out.flush()).map_err(Failure::stdout)?;
        return Ok(ExitCode::SUCCESS);
    }
    let known = |name: &String| drill::all().iter().any(|drill| drill.name == name);
    if let Some(wrong) = args.names.iter().find(|name| !known(name)) {
        let names: Vec<&str> = drill::all().iter().map(|drill| drill.name).collect();
        return Err(Failure::usage(format!("`{wrong}` is no drill"), format!("there are {}", names.join(", "))));
    }
    if let Some(path) = &args.file {
        return script(args, path, loudness);
    }
    let root = Root::find(args.fleet.fleet.as_deref(), &[])?;
    let loaded = fleet::load(&root, &args.fleet)?;
    let as_of = moment(None, loaded.policy.as_of.as_ref())?;
    let selection = Selection { role: args.role.clone(), ..chosen(&args.chosen)? };
    let mut fleet = fleet::discover(&root, &loaded.policy)?;
    fleet.demand_switch(&selection, args.chosen.switch.as_deref())?;
    let mut reads = Reads::default();
    let keep = |found: &Found, read| {
        if selection.takes_switch(&found.name) {
            reads.keep(found, read);
        }
    };
    let around = around(&root, &loaded, &fleet.switches, &as_of, jobs(args.jobs), keep);
    fleet.switches.retain(|found| selection.takes_switch(&found.name));
    let look = output::look(loudness, false);
    let mut report: Box<dyn DrillReport> = match args.format {
        DrillFormat::Text if args.timeline => Box::new(Timeline { look }),
        DrillFormat::Text => Box::new(Matrix::new(look)),
        DrillFormat::Json => Box::new(Json::default()),
        DrillFormat::Csv => Box::new(Csv),
        DrillFormat::Html => Box::new(Html::default()),
    };
    let head = Head {
        as_of: as_of.as_str().to_owned(),
        site: loaded.policy.site.name.clone(),
        chosen: Vec::new(),
        doubt: loaded.policy.site.doubt.value.word(),
    };
    report.head(&mut out, &head).map_err(Failure::stdout)?;
    let work = |found: &Found| {
        let read = reads.take(found).unwrap_or_else(|| fleet::read_switch(&root.dir, found, &loaded, as_of.moment()));
        let (read, unreadable) = read;
        let mut named = Named::default();
        let played = read.map(|(resolved, _)| {
            named.look(&resolved.switch, &selection);
            play(resolved, &loaded, &around, &selection, args)
        });
        (played, named, unreadable)
    };
    let (mut worst, mut classes, mut whole) = (None, 0, fleet.tell_unreadable(tell));
    let mut named = Named::default();
    in_order(&fleet.switches, jobs(args.jobs), work, |(played, ports, unreadable)| {
        unreadable.iter().for_each(tell);
        whole &= unreadable.is_empty();
        named.merge(ports);
        let Some(played) = played else { return Ok(()) };
        classes += played.classes;
        worst = played.ports.iter().flat_map(|p| p.drills.iter().map(|d| d.told.outcome)).chain(worst).min();
        report.switch(&mut out, &played, &around).map_err(Failure::stdout)
    })?;
    named.demand_port(args.chosen.port.as_deref(), whole)?;
    report.tail(&mut out, classes).and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::from(match worst {
        _ if !whole => 2,
        Some(Outcome::LetThrough | Outcome::Outage) => 1,
        Some(Outcome::Undetermined) => 3,
        Some(Outcome::Agreed | Outcome::Told | Outcome::Held) | None => 0,
    }))
}

/// Plays a drill that somebody wrote.
fn script(args: &Drill, path: &Path, loudness: Loudness) -> Result<ExitCode, Failure> {
    if !matches!(args.format, DrillFormat::Text | DrillFormat::Json) {
        let hint = "a drill of your own comes as text or json";
        return Err(Failure::usage("--file has no such --format".to_owned(), hint));
    }
    let shown = path.display().to_string();
    let bytes = fleet::regular(path).map_err(|error| Failure::path(path, error))?;
    let source = Source::decode(shown, bytes).map_err(|at| Failure::Problems(vec![at.into()]))?;
    let script = Script::load(&source).map_err(Failure::Problems)?;
    let root = Root::find(args.fleet.fleet.as_deref(), &[])?;
    let loaded = fleet::load(&root, &args.fleet)?;
    let as_of = moment(None, loaded.policy.as_of.as_ref())?;
    let fleet = fleet::discover(&root, &loaded.policy)?;
    let around = around(&root, &loaded, &fleet.switches, &as_of, jobs(args.jobs), |_, _| ());
    // The switches that steps name, in their order; where none of them is there, all are told.
    let mut names: Vec<&str> = Vec::new();
    for step in &script.steps {
        if !names.contains(&step.switch.as_str()) {
            names.push(&step.switch);
        }
    }
    let found = |name: &&str| fleet.switches.iter().find(|found| *found.name == **name);
    let mut whole = fleet.tell_unreadable(tell);
    let mut read = |found: &Found| {
        let (read, unreadable) = fleet::read_switch(&root.dir, found, &loaded, as_of.moment());
        unreadable.iter().for_each(tell);
        whole &= unreadable.is_empty();
        read.map(|(resolved, _)| Arc::new(resolved))
    };
    let mut switches: Vec<Arc<Resolved>> = names.iter().filter_map(found).filter_map(&mut read).collect();
    if switches.len() < names.len() {
        let others = fleet.switches.iter().filter(|found| !names.contains(&&*found.name));
        switches.extend(others.filter_map(&mut read));
    }
    let models: Vec<&Switch> = switches.iter().map(|resolved| &resolved.switch).collect();
    let among: Vec<&str> = models.iter().map(|switch| &**switch.name()).collect();
    let ran = play_script(&script, &models, &around.cables_among(&among)).map_err(Failure::Problems)?;
    let mut out = output::report(!matches!(args.format, DrillFormat::Json), loudness.color);
    let report = ScriptReport { name: &script.name, switches: &switches, ran: &ran };
    let written = match args.format {
        DrillFormat::Json => script_json(&mut out, &report),
        _ => script_text(&mut out, &report, output::look(loudness, false)),
    };
    written.and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::from(match () {
        () if !whole => 2,
        () if ran.checked.iter().any(|checked| checked.came.is_ok() && !checked.met) => 1,
        () if ran.checked.iter().any(|checked| checked.came.is_err()) => 3,
        () => 0,
    }))
}

/// Switches that were read to see what is around others, for when it is their turn: the first of a large fleet, the rest is read twice.
#[derive(Default)]
struct Reads {
    by_path: BTreeMap<Box<Path>, Mutex<Option<ReadSwitch>>>,
    lines: u32,
}

impl Reads {
    /// So many lines are some 100 MB with all that they come to.
    const MOST: u32 = 500_000;

    fn keep(&mut self, found: &Found, read: ReadSwitch) {
        let lines = read.0.as_ref().map_or(0, |(resolved, _)| resolved.switch.lines());
        self.lines = self.lines.saturating_add(lines);
        if self.lines <= Self::MOST {
            self.by_path.insert(found.path.clone(), Mutex::new(Some(read)));
        }
    }

    fn take(&self, found: &Found) -> Option<ReadSwitch> {
        self.by_path.get(&found.path)?.lock().unwrap_or_else(PoisonError::into_inner).take()
    }
}

/// What is around every switch of a fleet. Switches that others are reached through are kept, the rest is sketched; `keep` may have
/// what was read.
pub(super) fn around(
    root: &Root,
    loaded: &Loaded,
    switches: &[Found],
    as_of: &AsOf,
    jobs: usize,
    mut keep: impl FnMut(&Found, ReadSwitch) + Send,
) -> Around {
    let read = |found: &Found| fleet::read_switch(&root.dir, found, loaded, as_of.moment());
    let (mut sketches, mut next) = (Vec::new(), switches.iter());
    let sketch = |found: &Found| {
        let read = read(found);
        (read.0.as_ref().map(|(resolved, _)| Sketch::of(resolved, &loaded.policy, as_of)), read)
    };
    let taken: Result<(), std::convert::Infallible> = in_order(switches, jobs, sketch, |(sketch, read)| {
        sketches.extend(sketch);
        if let Some(found) = next.next() {
            keep(found, read);
        }
        Ok(())
    });
    match taken {
        Ok(()) => {}
    }
    let mut around = Around::new(sketches, as_of);
    let wanted: sorted::Set<Arc<str>> = sorted::set(around.on_the_way().cloned());
    let kept: Vec<&Found> = switches.iter().filter(|found| wanted.contains(&*found.name)).collect();
    let kept = kept.into_iter().filter_map(|found| Some(read(found).0?.0));
    kept.for_each(|resolved| around.keep(Arc::new(resolved)));
    around
}

/// Every wanted drill on every wanted port; ports that are alike are played once. With stories they are alike in all that is written
/// for them, else in what a drill asks.
fn play(resolved: Resolved, loaded: &Loaded, around: &Around, selection: &Selection, args: &Drill) -> PlayedSwitch {
    let rehearser = Rehearser::new(&resolved, &loaded.policy, around);
    // Where lines are not understood, what they could have said may let through what is held without them.
    let doubtful = resolved.doubtful(loaded.policy.site.doubt.value);
    let certain = doubtful.as_ref().map(|doubtful| Rehearser::new(&doubtful.resolved, &loaded.policy, around));
    let wanted = |drill: &drill::Drill| args.names.is_empty() || args.names.iter().any(|name| name == drill.name);
    let played = |rehearser: &Rehearser<'_>, port: usize| -> Vec<Arc<Rehearsed>> {
        if args.timeline {
            rehearser.play(port, wanted).into_iter().map(Arc::new).collect()
        } else {
            rehearser.play_alike(port, wanted)
        }
    };
    let mut classes: BTreeMap<(usize, Option<usize>), Drills> = BTreeMap::new();
    let mut ports = Vec::new();
    for (port, name) in resolved.switch.ports().iter().enumerate() {
        let role = rehearser.role_of(port).map(|role| role.name.clone());
        if !selection.takes_port(name.as_str(), role.as_deref()) {
            continue;
        }
        let class = (rehearser.class_of(port), certain.as_ref().map(|certain| certain.class_of(port)));
        let drills = classes.entry(class).or_insert_with_key(|(first, of_certain)| {
            let mut drills = played(&rehearser, *first);
            if let Some((certain, first)) = certain.as_ref().zip(*of_certain) {
                played(certain, first).into_iter().for_each(|certain| doubt(&mut drills, certain));
            }
            drills.into()
        });
        ports.push(Played { port, name: name.to_string(), role, drills: Arc::clone(drills) });
    }
    drop((rehearser, certain));
    PlayedSwitch { classes: classes.len(), ports, resolved }
}

/// A drill that is held, or only told, is that where it is so whatever the lines say that nobody understands.
fn doubt(drills: &mut [Arc<Rehearsed>], certain: Arc<Rehearsed>) {
    let open = certain.told.outcome <= Outcome::Undetermined;
    let same = drills.iter_mut().find(|played| played.drill.name == certain.drill.name);
    if let Some(played) = same.filter(|played| open && played.told.outcome > Outcome::Undetermined) {
        *played = certain;
        Arc::make_mut(played).told.outcome = Outcome::Undetermined;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fleet::Layout;

    #[test]
    fn what_was_read_is_taken_once_and_so_much_is_kept() {
        let found = |name: &str| Found { name: name.into(), path: Path::new(name).into(), layout: Layout::Record };
        let mut reads = Reads::default();
        reads.keep(&found("a"), (None, Vec::new()));
        assert!(reads.take(&found("b")).is_none());
        assert!(reads.take(&found("a")).is_some());
        assert!(reads.take(&found("a")).is_none());
        reads.lines = Reads::MOST + 1;
        reads.keep(&found("c"), (None, Vec::new()));
        assert!(reads.take(&found("c")).is_none());
    }
}
