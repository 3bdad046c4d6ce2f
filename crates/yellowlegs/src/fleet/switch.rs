//! Reading one switch: its files, its dialect, its saved copy.

use std::fmt::Display;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use jiff::Timestamp;
use serde::Serialize;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::model::{Record, SavedCopy};
use yellowlegs_core::resolve::{Resolved, State, resolve, resolve_walked, resolve_with};
use yellowlegs_core::source::{Problem, Source};
use yellowlegs_core::walk;

use super::discover::{Found, Kind, Layout};
use super::load::{Loaded, regular};
use super::root::relative;

/// A file that could not be read, and why.
#[derive(Debug, Clone, Serialize)]
pub(crate) struct Unreadable {
    pub(crate) file: String,
    pub(crate) why: String,
    /// What to do; told to people, not in the report.
    #[serde(skip)]
    pub(crate) hint: Option<String>,
}

impl Unreadable {
    fn new(file: String, why: impl Display, hint: Option<String>) -> Self {
        Self { file, why: why.to_string(), hint }
    }

    fn of(problem: Problem) -> Self {
        let place = problem.place;
        Self::new(
            place.file.to_string(),
            format!("line {}, column {}: {}", place.line, place.column, problem.what),
            problem.hint,
        )
    }
}

/// The text of a file.
pub(crate) fn source_of(root: &Path, path: &Path) -> Result<Arc<Source>, Unreadable> {
    let shown = relative(root, path);
    let bytes = regular(path).map_err(|error| Unreadable::new(shown.clone(), error, None))?;
    Source::decode(shown, bytes).map(Arc::new).map_err(|at| Unreadable::of(at.into()))
}

/// A switch and the dialect it is in; and what of it could not be read.
pub(crate) type ReadSwitch = (Option<(Resolved, Option<Arc<Dialect>>)>, Vec<Unreadable>);

/// Reads one switch. Moments without a year are settled by `as_of`.
pub(crate) fn read_switch(root: &Path, found: &Found, loaded: &Loaded, as_of: Timestamp) -> ReadSwitch {
    let mut unreadable = Vec::new();
    let read = match &found.layout {
        Layout::Record => read_record(root, &found.path).map(|resolved| {
            let dialect = resolved.switch.dialect().and_then(|name| loaded.dialects.iter().find(|d| d.name() == name));
            (resolved, dialect.cloned())
        }),
        Layout::Folder(parts) => {
            let oldest = Some(loaded.policy.site.state_age.value.0);
            let mut state = State { as_of, oldest, ..State::default() };
            let both = [(Kind::State, &mut state.texts), (Kind::Walk, &mut state.walks)];
            for (kind, sources) in both {
                for path in found.files(kind) {
                    match source_of(root, &path) {
                        Ok(source) => sources.push(source),
                        Err(failed) => unreadable.push(failed),
                    }
                }
            }
            state.walks.retain(|source| {
                let is_walk = walk::is_walk(source);
                unreadable.extend((!is_walk).then(|| no_walk(source)));
                is_walk
            });
            if parts.is_walk_alone() {
                // One that is no walk was told above.
                let read = (!state.walks.is_empty()).then(|| walked(&found.name, loaded, &state));
                return (read, unreadable);
            }
            folder(root, found, loaded, &state).map(|(resolved, dialect)| {
                let (saved, failed) = saved_copy(root, found, loaded, &dialect);
                unreadable.extend(failed);
                (resolved.with_saved(saved), Some(dialect))
            })
        }
    };
    match read {
        Ok(read) => (Some(read), unreadable),
        Err(failed) => {
            unreadable.insert(0, failed);
            (None, unreadable)
        }
    }
}

/// A switch that is known by its walk alone; the dialect is that of its system, where one names it.
pub(crate) fn walked(name: &str, loaded: &Loaded, state: &State) -> (Resolved, Option<Arc<Dialect>>) {
    let system = state.walks.iter().find_map(|source| walk::system_of(source));
    let of = |dialect: &&Arc<Dialect>| system.as_ref().is_some_and(|system| walk::is_of(dialect, system));
    let dialect = loaded.dialects.iter().find(of).cloned();
    (resolve_walked(name, dialect.as_ref(), state), dialect)
}

fn no_walk(source: &Source) -> Unreadable {
    let hint = "a walk is numeric text, a line for each object: `1.3.6.1.2.1.1.5.0 octets \"name\"`; docs/gather.md has its forms";
    let why = if source.text().contains("::") {
        "no object stands in it; names are not read, numbers are"
    } else {
        "no object stands in it"
    };
    Unreadable::new(source.path().to_string(), why, Some(hint.to_owned()))
}

fn folder(root: &Path, found: &Found, loaded: &Loaded, state: &State) -> Result<(Resolved, Arc<Dialect>), Unreadable> {
    let running: Vec<PathBuf> = found.files(Kind::Running).collect();
    let path = match running.as_slice() {
        [path] => path,
        several => {
            let names: Vec<String> = several.iter().map(|p| relative(root, p)).collect();
            let why = format!("several files match `running`: {}", names.join(", "));
            let hint = "narrow [files] running in the policy".to_owned();
            return Err(Unreadable::new(relative(root, &found.path), why, Some(hint)));
        }
    };
    let source = source_of(root, path)?;
    let dialect = recognise(&source, loaded)?;
    Ok((resolve_with(Arc::clone(&found.name), &dialect, source, state), dialect))
}

/// The dialect a text is in.
pub(crate) fn recognise(source: &Source, loaded: &Loaded) -> Result<Arc<Dialect>, Unreadable> {
    let file = source.path().to_string();
    if let (true, Some(dialect)) = (loaded.forced, loaded.dialects.first()) {
        return Ok(Arc::clone(dialect));
    }
    let names =
        |dialects: &[&Arc<Dialect>]| dialects.iter().map(|d| d.name().to_string()).collect::<Vec<_>>().join(", ");
    let fitting: Vec<&Arc<Dialect>> = loaded.dialects.iter().filter(|d| d.recognises(source)).collect();
    match fitting.as_slice() {
        [one] => Ok(Arc::clone(one)),
        [] => {
            let all: Vec<&Arc<Dialect>> = loaded.dialects.iter().collect();
            let why = if all.is_empty() {
                "there is no dialect to read it with".to_owned()
            } else {
                format!("no dialect recognises it (there are {})", names(&all))
            };
            let hint =
                "describe its system in a dialect (docs/dialects.md) below dialects/, or name one with --dialect";
            Err(Unreadable::new(file, why, Some(hint.into())))
        }
        several => {
            let why = format!("several dialects recognise it: {}", names(several));
            Err(Unreadable::new(file, why, Some("tell them apart in [recognise], or name one with --dialect".into())))
        }
    }
}

fn saved_copy(root: &Path, found: &Found, loaded: &Loaded, dialect: &Arc<Dialect>) -> (SavedCopy, Option<Unreadable>) {
    if loaded.policy.files.saved.is_empty() {
        return (SavedCopy::NotKept, None);
    }
    let saved: Vec<PathBuf> = found.files(Kind::Saved).collect();
    match saved.as_slice() {
        [] => (SavedCopy::Missing, None),
        [path] => match source_of(root, path) {
            Ok(source) => (SavedCopy::Read(Arc::new(resolve(Arc::clone(&found.name), dialect, source).switch)), None),
            Err(failed) => (SavedCopy::Missing, Some(failed)),
        },
        several => {
            let names: Vec<String> = several.iter().map(|p| relative(root, p)).collect();
            let why = format!("several files match `saved`: {}", names.join(", "));
            let hint = Some("narrow [files] saved in the policy".to_owned());
            (SavedCopy::Missing, Some(Unreadable::new(relative(root, &found.path), why, hint)))
        }
    }
}

/// Reads a switch record.
pub(crate) fn read_record(root: &Path, path: &Path) -> Result<Resolved, Unreadable> {
    let source = source_of(root, path)?;
    let shown = relative(root, path);
    let record: Record = serde_json::from_str(source.text()).map_err(|error| {
        let hint = "`yellowlegs read` prints a record of the right shape; schemas/record.schema.json describes it";
        Unreadable::new(shown, error, Some(hint.into()))
    })?;
    let name = path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    Ok(Resolved::from_record(record.into_switch(name)))
}
