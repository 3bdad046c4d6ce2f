//! `yellowlegs read`: what was understood of a file, and what was not.

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use jiff::Timestamp;
use yellowlegs_core::finding::UnreadRow;
use yellowlegs_core::model::Switch;
use yellowlegs_core::resolve::{Resolved, State, resolve};
use yellowlegs_core::sorted;
use yellowlegs_core::walk;

use super::audit::jobs;
use super::moment;
use crate::args::{Loudness, Read};
use crate::failure::Failure;
use crate::fleet::{self, Found, Kind, Layout, Loaded, Root, Unreadable, in_order};
use crate::output;
use crate::render::clean;

pub(super) fn run(args: &Read, loudness: Loudness) -> Result<ExitCode, Failure> {
    let root = Root::find(args.fleet.fleet.as_deref(), &args.files)?;
    let loaded = fleet::load(&root, &args.fleet)?;
    let as_of = moment(args.as_of.as_deref(), loaded.policy.as_of.as_ref())?.moment();
    // A configuration alone may be no part of a fleet.
    let found = fleet::discover(&root, &loaded.policy).map(|fleet| fleet.switches).unwrap_or_default();
    let found: sorted::Map<&Path, &Found> = sorted::map(found.iter().map(|found| (&*found.path, found)));
    let mut out = output::plain();
    let mut code = ExitCode::SUCCESS;
    let work = |file: &PathBuf| -> Result<Told, Failure> {
        let path = std::fs::canonicalize(file).map_err(|error| Failure::path(file, error))?;
        let (read, unreadable) = read(&root, &path, &loaded, &found, as_of)?;
        let mut told = Told { unreadable, ..Told::default() };
        if let Some(resolved) = read {
            told.record = resolved.record().map_err(Failure::stdout)?;
            told.unread = if loudness.quiet { Vec::new() } else { unread(&resolved.switch, args.raw) };
        }
        Ok(told)
    };
    in_order(&args.files, jobs(None), work, |told| {
        let Told { record, unread, unreadable } = told?;
        for failed in &unreadable {
            tell(failed);
            code = ExitCode::from(2);
        }
        out.write_all(&record).map_err(Failure::stdout)?;
        unread.iter().for_each(|line| anstream::eprintln!("{line}"));
        Ok(())
    })?;
    out.flush().map_err(Failure::stdout)?;
    Ok(code)
}

/// What is said of one file.
#[derive(Default)]
struct Told {
    /// The record, as JSON.
    record: Vec<u8>,
    /// What was not understood, a line each.
    unread: Vec<String>,
    /// Files that could not be read.
    unreadable: Vec<Unreadable>,
}

/// A switch's folder with all that is in it; a text of state with the configuration beside it; a record; or one
/// configuration, or walk, alone.
fn read(
    root: &Root,
    path: &Path,
    loaded: &Loaded,
    found: &sorted::Map<&Path, &Found>,
    as_of: Timestamp,
) -> Result<(Option<Resolved>, Vec<Unreadable>), Failure> {
    if path.extension().is_some_and(|e| e == "json") {
        return Ok(one(fleet::read_record(&root.dir, path)));
    }
    let folder = if path.is_dir() { Some(path) } else { path.parent() };
    let here = folder.and_then(|folder| found.get(folder));
    let Some(mut found) = here.map(|found| Found::clone(found)) else {
        if path.is_dir() {
            return Err(Failure::usage(
                format!("{} is no switch's folder", path.display()),
                "name a switch's folder or a file",
            ));
        }
        return Ok(one(config(&root.dir, path, loaded, as_of)));
    };
    if let (Layout::Folder(parts), false) = (&mut found.layout, path.is_dir()) {
        let is_it = |file: &Path| found.path.join(file) == path;
        *parts = parts.only(|kind, file| match kind {
            Kind::Running => true,
            Kind::Saved => false,
            Kind::State | Kind::Walk => is_it(file),
        });
        if !parts.has(Kind::State) && !parts.has(Kind::Walk) {
            return Ok(one(config(&root.dir, path, loaded, as_of)));
        }
    }
    let (read, unreadable) = fleet::read_switch(&root.dir, &found, loaded, as_of);
    Ok((read.map(|(resolved, _)| resolved), unreadable))
}

fn one(read: Result<Resolved, Unreadable>) -> (Option<Resolved>, Vec<Unreadable>) {
    match read {
        Ok(resolved) => (Some(resolved), Vec::new()),
        Err(failed) => (None, vec![failed]),
    }
}

fn config(root: &Path, path: &Path, loaded: &Loaded, as_of: Timestamp) -> Result<Resolved, Unreadable> {
    let source = fleet::source_of(root, path)?;
    let name = path.parent().and_then(Path::file_name).map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    match fleet::recognise(&source, loaded) {
        Ok(dialect) => Ok(resolve(name, &dialect, source)),
        // In no dialect, and yet no text of nobody: what an agent answered.
        Err(_) if walk::is_walk(&source) => {
            let state = State { walks: vec![source], as_of, ..State::default() };
            Ok(fleet::walked(&name, loaded, &state).0)
        }
        Err(failed) => Err(failed),
    }
}

/// A file that could not be read, on standard error.
pub(super) fn tell(failed: &Unreadable) {
    anstream::eprintln!("error: {}", clean(&format!("{}: {}", failed.file, failed.why)));
    if let Some(hint) = &failed.hint {
        anstream::eprintln!("  hint: {}", clean(hint));
    }
}

fn unread(switch: &Switch, raw: bool) -> Vec<String> {
    let rows = UnreadRow::of(switch, raw);
    let lines: usize = rows.iter().map(|r| r.count).sum();
    let head = format!("{}: {lines} of {} lines not understood", clean(switch.name()), switch.lines());
    let row = |row: &UnreadRow| {
        let shown = row.sample.text.as_deref().unwrap_or(&row.shape);
        let place = format!("{}:{}", row.sample.file, row.sample.line);
        format!("  {} × {}  {}", row.count, clean(shown.trim()), clean(&place))
    };
    std::iter::once(head).chain(rows.iter().map(row)).collect()
}
