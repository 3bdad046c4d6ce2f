//! Which files of a fleet are switches, and which are theirs.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use globset::{GlobBuilder, GlobMatcher};
use walkdir::WalkDir;
use yellowlegs_core::policy::Files;

use super::root::{Root, relative};
use crate::failure::Failure;

/// What a switch is made of.
#[derive(Debug, Clone)]
pub(crate) enum Layout {
    /// A folder with a running configuration, perhaps saved ones and state.
    Folder(Parts),
    /// A switch record.
    Record(PathBuf),
}

/// The files of a switch's folder, each kind in path order.
#[derive(Debug, Clone, Default)]
pub(crate) struct Parts {
    pub(crate) running: Vec<PathBuf>,
    pub(crate) saved: Vec<PathBuf>,
    pub(crate) state: Vec<PathBuf>,
}

/// One switch found on disk.
#[derive(Debug, Clone)]
pub(crate) struct Found {
    /// The folder's name or the file's stem.
    pub(crate) name: String,
    /// Its folder or file.
    pub(crate) path: PathBuf,
    pub(crate) layout: Layout,
}

/// A glob with as many path components as it has.
struct Pattern {
    glob: GlobMatcher,
    depth: usize,
}

fn patterns(globs: &[String]) -> Vec<Pattern> {
    let compile = |glob: &String| {
        let matcher = GlobBuilder::new(glob).literal_separator(true).build().ok()?.compile_matcher();
        Some(Pattern { glob: matcher, depth: glob.split('/').count() })
    };
    globs.iter().filter_map(compile).collect()
}

/// The folder in which one of the patterns matches the file.
fn folder_of(file: &Path, patterns: &[Pattern]) -> Option<PathBuf> {
    patterns.iter().find_map(|pattern| {
        let folder = file.ancestors().nth(pattern.depth)?;
        pattern.glob.is_match(file.strip_prefix(folder).ok()?).then(|| folder.to_owned())
    })
}

/// What was found below a root.
pub(crate) struct Fleet {
    /// The switches, in path order.
    pub(crate) switches: Vec<Found>,
    /// Folders that the policy names as baselines, each with its path from the root: no switches.
    pub(crate) baselines: Vec<(String, Found)>,
}

/// Finds the switches below the root, in path order, those that were asked for and the others. Two of one name are an error.
pub(crate) fn discover(root: &Root, files: &Files, baselines: &[&str]) -> Result<Fleet, Failure> {
    let kinds = [patterns(&files.running), patterns(&files.saved), patterns(&files.state)];
    let (single, dialects) = (patterns(&files.single), patterns(&files.dialects));
    let from_root = |file: &Path, patterns: &[Pattern]| {
        file.strip_prefix(&root.dir).is_ok_and(|rest| patterns.iter().any(|p| p.glob.is_match(rest)))
    };
    let mut folders: BTreeMap<PathBuf, Parts> = BTreeMap::new();
    let mut found: Vec<Found> = Vec::new();
    let visible =
        |entry: &walkdir::DirEntry| entry.depth() == 0 || !entry.file_name().to_string_lossy().starts_with('.');
    let walk = WalkDir::new(&root.dir).follow_links(true).sort_by_file_name().into_iter().filter_entry(visible);
    for entry in walk {
        let entry = entry.map_err(|error| {
            let path = error.path().unwrap_or(&root.dir).to_owned();
            Failure::path(
                path,
                error.into_io_error().unwrap_or_else(|| std::io::Error::other("the folders form a loop")),
            )
        })?;
        let path = entry.path();
        if !entry.file_type().is_file() || from_root(path, &dialects) {
            continue;
        }
        if from_root(path, &single) {
            let name = path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
            found.push(Found { name, path: path.to_owned(), layout: Layout::Record(path.to_owned()) });
        } else if let Some((kind, folder)) = kinds.iter().enumerate().find_map(|(k, p)| Some((k, folder_of(path, p)?)))
        {
            let parts = folders.entry(folder).or_default();
            let list = match kind {
                0 => &mut parts.running,
                1 => &mut parts.saved,
                _ => &mut parts.state,
            };
            list.push(path.to_owned());
        }
    }
    let mut kept = Vec::new();
    for (path, parts) in folders {
        let from_root = relative(&root.dir, &path);
        let is_baseline = baselines.contains(&from_root.as_str());
        if parts.running.is_empty() {
            continue;
        }
        let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        if is_baseline {
            kept.push((from_root, Found { name, path, layout: Layout::Folder(parts) }));
            continue;
        }
        found.push(Found { name, path, layout: Layout::Folder(parts) });
    }
    found.sort_by(|a, b| a.path.cmp(&b.path));
    unique(root, &found)?;
    if !found.iter().any(|switch| root.takes(&switch.path)) {
        let running = files.running.join(", ");
        return Err(Failure::usage(
            format!("{}: no switch here: no folder holds a file that matches {running}", root.dir.display()),
            "put each switch's running configuration into a folder of its own, or set [files] running in the policy",
        ));
    }
    let missing = baselines.iter().find(|path| !kept.iter().any(|(folder, _)| folder == **path));
    if let Some(path) = missing.filter(|path| !found.iter().any(|switch| switch.name == **path)) {
        let what = format!("the baseline `{path}` is neither a folder with a running configuration nor a switch");
        return Err(Failure::usage(what, "name a folder from the fleet's root in [[sisters]] baseline"));
    }
    Ok(Fleet { switches: found, baselines: kept })
}

fn unique(root: &Root, found: &[Found]) -> Result<(), Failure> {
    let mut names: BTreeMap<&str, &Path> = BTreeMap::new();
    for switch in found {
        if let Some(first) = names.insert(&switch.name, &switch.path) {
            let (one, other) = (relative(&root.dir, first), relative(&root.dir, &switch.path));
            let what = format!("two switches are named `{}`: {one} and {other}", switch.name);
            return Err(Failure::usage(
                what,
                "a switch is named by its folder: rename one, or narrow [files] in the policy",
            ));
        }
    }
    Ok(())
}
