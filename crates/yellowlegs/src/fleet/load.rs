//! A fleet's policy and dialects.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use globset::GlobBuilder;
use walkdir::WalkDir;
use yellowlegs_core::check;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::policy::{Inventory, Policy};
use yellowlegs_core::source::{Problem, Source};

use super::root::{POLICY_FILE, Root, relative};
use crate::args::FleetArgs;
use crate::failure::Failure;

/// What judging a fleet takes, before its switches.
pub(crate) struct Loaded {
    pub(crate) policy: Policy,
    /// Whether there is a policy file at all.
    pub(crate) has_policy: bool,
    pub(crate) dialects: Vec<Arc<Dialect>>,
    /// `--dialect` was given: no recognition.
    pub(crate) forced: bool,
}

/// The bytes of a regular file. A pipe or a device may never end.
pub(crate) fn regular(path: &Path) -> std::io::Result<Vec<u8>> {
    let metadata = std::fs::metadata(path)?;
    if !metadata.is_file() {
        let what = if metadata.is_dir() { "it is a folder" } else { "it is no regular file" };
        return Err(std::io::Error::other(what));
    }
    std::fs::read(path)
}

/// Reads a file for the core.
pub(crate) fn source(root: &Path, path: &Path) -> Result<Source, Failure> {
    let bytes = regular(path).map_err(|error| Failure::path(path, error))?;
    let shown = std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    Source::decode(relative(root, &shown), bytes).map_err(|at| Failure::Problems(vec![Problem::from(at)]))
}

/// Reads policy and dialects; all problems of all files are told at once.
pub(crate) fn load(root: &Root, args: &FleetArgs) -> Result<Loaded, Failure> {
    let path = args.policy.clone().unwrap_or_else(|| root.dir.join(POLICY_FILE));
    let has_policy = args.policy.is_some() || path.symlink_metadata().is_ok();
    let mut problems = Vec::new();
    let mut policy = if has_policy {
        let text = Arc::new(source(&root.dir, &path)?);
        Policy::load(&text, &check::ids()).unwrap_or_else(|found| {
            problems.extend(found);
            Policy::default()
        })
    } else {
        Policy::default()
    };
    if let Some(file) = &policy.inventory {
        let path = root.dir.join(&file.path);
        if !args.outside {
            demand_inside(root, &path, &file.path)?;
        }
        match Inventory::parse(&source(&root.dir, &path)?, file) {
            Ok(inventory) => policy.stations = Some(inventory),
            Err(found) => problems.extend(found),
        }
    }
    let files = match &args.dialect {
        Some(file) => vec![file.clone()],
        None if problems.is_empty() => dialect_files(root, &policy),
        None => Vec::new(),
    };
    let mut dialects: Vec<Arc<Dialect>> = Vec::new();
    for file in files {
        match Dialect::load(&Arc::new(source(&root.dir, &file)?)) {
            Ok(dialect) => dialects.push(Arc::new(dialect)),
            Err(found) => problems.extend(found),
        }
    }
    if !problems.is_empty() {
        return Err(Failure::Problems(problems));
    }
    Ok(Loaded { policy, has_policy, dialects, forced: args.dialect.is_some() })
}

/// A file that a policy names lies below the fleet's root, links followed: policies come from others, too.
fn demand_inside(root: &Root, path: &Path, named: &str) -> Result<(), Failure> {
    let real = std::fs::canonicalize(path).map_err(|error| Failure::path(path, error))?;
    if real.starts_with(&root.dir) {
        return Ok(());
    }
    let what = format!("the inventory {named} lies outside the fleet {}", root.dir.display());
    Err(Failure::usage(what, "put it below the fleet's root, or allow it with --outside"))
}

pub(crate) fn dialect_files(root: &Root, policy: &Policy) -> Vec<PathBuf> {
    let globs: Vec<_> = policy
        .files
        .dialects
        .iter()
        .filter_map(|g| Some(GlobBuilder::new(g).literal_separator(true).build().ok()?.compile_matcher()))
        .collect();
    let mut files = Vec::new();
    for entry in WalkDir::new(&root.dir).follow_links(true).sort_by_file_name() {
        // What cannot be looked into is told where switches are looked for.
        let Ok(entry) = entry else { continue };
        let fits = entry.path().strip_prefix(&root.dir).is_ok_and(|rest| globs.iter().any(|g| g.is_match(rest)));
        if entry.file_type().is_file() && fits {
            files.push(entry.path().to_owned());
        }
    }
    files
}
