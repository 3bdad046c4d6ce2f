//! A fleet's policy and dialects.

use std::path::{Component, Path, PathBuf};
use std::sync::Arc;

use globset::GlobBuilder;
use walkdir::WalkDir;
use yellowlegs_core::check;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::policy::{Inventory, Policy};
use yellowlegs_core::sorted;
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
    Ok(load_beside(root, args, 1, |_| ())?.0)
}

/// The same, and what `beside` makes of the policy: with more than one thread, while another reads the dialects. Of both, what is wrong
/// with the dialects is told first.
pub(crate) fn load_beside<T>(
    root: &Root,
    args: &FleetArgs,
    jobs: usize,
    beside: impl FnOnce(&Policy) -> T,
) -> Result<(Loaded, T), Failure> {
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
    let read = || load_dialects(root, &files, problems);
    let (dialects, made) = if jobs > 1 {
        std::thread::scope(|scope| {
            let reading = scope.spawn(read);
            let made = beside(&policy);
            (reading.join().unwrap_or_else(|fault| std::panic::resume_unwind(fault)), made)
        })
    } else {
        let dialects = read()?;
        (Ok(dialects), beside(&policy))
    };
    Ok((Loaded { dialects: dialects?, policy, has_policy, forced: args.dialect.is_some() }, made))
}

/// Reads dialects; what is wrong with them is told behind the problems that are known.
fn load_dialects(root: &Root, files: &[PathBuf], mut problems: Vec<Problem>) -> Result<Vec<Arc<Dialect>>, Failure> {
    let mut dialects: Vec<Arc<Dialect>> = Vec::new();
    for file in files {
        match Dialect::load(&Arc::new(source(&root.dir, file)?)) {
            Ok(dialect) => dialects.push(Arc::new(dialect)),
            Err(found) => problems.extend(found),
        }
    }
    if problems.is_empty() { Ok(dialects) } else { Err(Failure::Problems(problems)) }
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

/// The files that the policy's globs for dialects take, in path order.
pub(crate) fn dialect_files(root: &Root, policy: &Policy) -> Vec<PathBuf> {
    let mut files = Vec::new();
    for glob in &policy.files.dialects {
        let Some(beginning) = beginning(glob) else { continue };
        let Ok(matcher) = GlobBuilder::new(glob).literal_separator(true).build() else { continue };
        let matcher = matcher.compile_matcher();
        for entry in WalkDir::new(root.dir.join(beginning)).follow_links(true) {
            // What cannot be looked into is told where switches are looked for.
            let Ok(entry) = entry else { continue };
            let fits = entry.path().strip_prefix(&root.dir).is_ok_and(|rest| matcher.is_match(rest));
            if entry.file_type().is_file() && fits {
                files.push(entry.into_path());
            }
        }
    }
    sorted::plain(&mut files);
    files.dedup();
    files
}

/// The folder in which all that a glob takes lies: a fleet has folders enough that are no dialect's. Nothing where it leads out of
/// the fleet.
fn beginning(glob: &str) -> Option<&Path> {
    let names = |path: &Path| path.components().all(|part| matches!(part, Component::Normal(_)));
    let fixed = glob.find(['*', '?', '[', ']', '{', '}', '\\']).map_or(glob, |wild| &glob[..wild]);
    names(Path::new(glob)).then(|| Path::new(fixed.rfind('/').map_or("", |slash| &fixed[..slash])))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("dialects/*.toml", &["dialects/a.toml", "dialects/b.toml"])]
    #[case("dialects/b.toml", &["dialects/b.toml"])]
    #[case("*.toml", &["top.toml"])]
    #[case("**/*.toml", &["dialects/a.toml", "dialects/b.toml", "dialects/deep/c.toml", "sites/east/d.toml", "top.toml"])]
    #[case("dialects/**/*.toml", &["dialects/a.toml", "dialects/b.toml", "dialects/deep/c.toml"])]
    #[case("{dialects/deep,sites/east}/*.toml", &["dialects/deep/c.toml", "sites/east/d.toml"])]
    #[case("dialects/[ab].toml", &["dialects/a.toml", "dialects/b.toml"])]
    #[case("sites/*/d.toml", &["sites/east/d.toml"])]
    #[case::what_leads_out("../*.toml", &[])]
    #[case::what_leads_out_by_and_by("dialects/../../*.toml", &[])]
    #[case::what_lies_elsewhere("/**/*.toml", &[])]
    #[case::nowhere("nowhere/*.toml", &[])]
    fn dialects_are_found_by_globs(#[case] glob: &str, #[case] expected: &[&str]) {
        let outer = tempfile::tempdir().unwrap();
        std::fs::write(outer.path().join("outside.toml"), "").unwrap();
        let dir = outer.path().join("fleet");
        for file in ["dialects/b.toml", "dialects/a.toml", "dialects/deep/c.toml", "sites/east/d.toml", "top.toml"] {
            std::fs::create_dir_all(dir.join(file).parent().unwrap()).unwrap();
            std::fs::write(dir.join(file), "").unwrap();
        }
        let root = Root::find(Some(&dir), &[]).unwrap();
        // What two globs take is read once.
        let mut policy = Policy::default();
        policy.files.dialects = vec![glob.to_owned(), glob.to_owned()];
        let found = dialect_files(&root, &policy);
        assert_eq!(found.iter().map(|file| relative(&root.dir, file)).collect::<Vec<_>>(), expected);
    }
}
