//! Which files of a fleet are switches, and which are theirs.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use globset::{GlobBuilder, GlobMatcher};
use walkdir::WalkDir;
use yellowlegs_core::check::Selection;
use yellowlegs_core::policy::{Files, Policy};
use yellowlegs_core::sorted;
use yellowlegs_core::source::nearest;

use super::root::{Root, relative};
use super::switch::Unreadable;
use crate::failure::Failure;

/// What a switch is made of.
#[derive(Debug, Clone)]
pub(crate) enum Layout {
    /// A folder with a running configuration, perhaps saved ones and state.
    Folder(Parts),
    /// A switch record.
    Record,
}

/// What a file of a switch's folder is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Kind {
    Running,
    Saved,
    State,
    Walk,
}

/// The files of a switch's folder, each kind in path order, by their paths from there. Most folders of a fleet hold the same.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Parts(Arc<[(Kind, Box<Path>)]>);

impl Parts {
    fn of(mut files: Vec<(Kind, Box<Path>)>) -> Self {
        sorted::by_key(&mut files, |(kind, _)| *kind);
        Self(files.into())
    }

    /// Whether there are files of a kind.
    pub(crate) fn has(&self, kind: Kind) -> bool {
        self.0.iter().any(|(there, _)| *there == kind)
    }

    /// Whether there is nothing but what its management agent answered: then that is what is known of the switch.
    pub(crate) fn is_walk_alone(&self) -> bool {
        !self.0.is_empty() && self.0.iter().all(|(kind, _)| *kind == Kind::Walk)
    }

    /// The same with some of the files.
    pub(crate) fn only(&self, wanted: impl Fn(Kind, &Path) -> bool) -> Self {
        Self(self.0.iter().filter(|(kind, file)| wanted(*kind, file)).cloned().collect())
    }
}

/// One switch found on disk. Small, for a fleet has many.
#[derive(Debug, Clone)]
pub(crate) struct Found {
    /// The folder's name or the file's stem.
    pub(crate) name: Arc<str>,
    /// Its folder or file.
    pub(crate) path: Box<Path>,
    pub(crate) layout: Layout,
}

impl Found {
    /// Its files of a kind; a record is none of them.
    pub(crate) fn files(&self, kind: Kind) -> impl Iterator<Item = PathBuf> {
        let files = match &self.layout {
            Layout::Folder(Parts(files)) => &**files,
            Layout::Record => &[],
        };
        files.iter().filter(move |(there, _)| *there == kind).map(|(_, file)| self.path.join(file))
    }

    /// All of its files.
    pub(crate) fn all_files(&self) -> Vec<PathBuf> {
        match &self.layout {
            Layout::Folder(Parts(files)) => files.iter().map(|(_, file)| self.path.join(file)).collect(),
            Layout::Record => vec![self.path.to_path_buf()],
        }
    }
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
    /// Folders that the policy names as baselines, each with its path from the root. One that is a switch of the fleet
    /// besides is among those, too.
    pub(crate) baselines: Vec<(String, Found)>,
    /// What could not be looked into, and switches whose running configuration is missing.
    pub(crate) unreadable: Vec<Unreadable>,
}

impl Fleet {
    /// Tells what of the fleet could not be found; whether all of it was.
    pub(crate) fn tell_unreadable(&self, tell: impl Fn(&Unreadable)) -> bool {
        self.unreadable.iter().for_each(tell);
        self.unreadable.is_empty()
    }

    /// Whether `--switch` chooses some switch.
    pub(crate) fn demand_switch(&self, selection: &Selection, asked: Option<&str>) -> Result<(), Failure> {
        let Some(asked) = asked else { return Ok(()) };
        if self.switches.iter().any(|found| selection.takes_switch(&found.name)) {
            return Ok(());
        }
        let names: Vec<&str> = self.switches.iter().map(|found| &*found.name).collect();
        Err(matches_nothing("--switch", "switch", asked, &names))
    }
}

/// An option that chooses nothing: most likely a typing error, and a report on nothing would look like a good one.
pub(crate) fn matches_nothing(option: &str, what: &str, asked: &str, names: &[&str]) -> Failure {
    const SHOWN: usize = 8;
    let near = nearest(asked, names.iter().copied());
    let some = || {
        let more = if names.len() > SHOWN { ", …" } else { "" };
        format!("there are {}{more}", names.iter().take(SHOWN).copied().collect::<Vec<_>>().join(", "))
    };
    let hint = near.map_or_else(some, |near| format!("did you mean `{near}`?"));
    Failure::usage(format!("{option} {asked}: no {what} has such a name"), hint)
}

/// Finds the switches below the root, in path order, those that were asked for and the others. Two of one name are an error.
pub(crate) fn discover(root: &Root, policy: &Policy) -> Result<Fleet, Failure> {
    let files = &policy.files;
    let baselines: Vec<&str> = policy.sisters.iter().filter_map(|s| s.baseline.as_deref()).collect();
    let (folders, mut found, mut unreadable) = walk(root, files);
    let mut kept = Vec::new();
    let mut alike: BTreeSet<Parts> = BTreeSet::new();
    for (path, parts) in folders {
        let parts = Parts::of(parts);
        let parts = alike.get(&parts).cloned().unwrap_or(parts);
        alike.insert(parts.clone());
        let from_root = relative(&root.dir, &path);
        let is_baseline = baselines.contains(&from_root.as_str());
        let name = path.file_name().map(|n| Arc::from(n.to_string_lossy())).unwrap_or_default();
        if !parts.has(Kind::Running) && !parts.is_walk_alone() {
            // In the root there may be files that look like a switch's state.
            let told = unreadable.iter().any(|failed| failed.file.starts_with(&format!("{from_root}/")));
            if path != root.dir && !is_baseline && !told {
                unreadable.push(without_running(from_root, files));
            }
            continue;
        }
        let switch = Found { name, path: path.into(), layout: Layout::Folder(parts) };
        if is_baseline {
            kept.push((from_root, switch.clone()));
        }
        if !is_baseline || policy.names_switch(&switch.name) {
            found.push(switch);
        }
    }
    found.shrink_to_fit();
    sorted::by(&mut found, |a, b| a.path.cmp(&b.path));
    unique(root, &found)?;
    if !found.iter().any(|switch| root.takes(&switch.path)) && unreadable.is_empty() {
        let running = files.running.iter().chain(&files.walk).map(String::as_str).collect::<Vec<_>>().join(", ");
        return Err(Failure::usage(
            format!("{}: no switch here: no folder holds a file that matches {running}", root.dir.display()),
            "put each switch's running configuration into a folder of its own, or set [files] running in the policy",
        ));
    }
    let missing = baselines.iter().find(|path| !kept.iter().any(|(folder, _)| folder == **path));
    if let Some(path) = missing.filter(|path| !found.iter().any(|switch| *switch.name == ***path)) {
        let what = format!("the baseline `{path}` is neither a folder with a running configuration nor a switch");
        return Err(Failure::usage(what, "name a folder from the fleet's root in [[sisters]] baseline"));
    }
    Ok(Fleet { switches: found, baselines: kept, unreadable })
}

fn without_running(folder: String, files: &Files) -> Unreadable {
    let why = format!("it has files of a switch, and none matches `running` ({})", files.running.join(", "));
    let hint = "fetch the running configuration, or say in [files] what is none of a switch".to_owned();
    Unreadable { file: folder, why, hint: Some(hint) }
}

/// The files of each folder that may be a switch's.
type Folders = BTreeMap<PathBuf, Vec<(Kind, Box<Path>)>>;

/// Every file below the root that is of some switch: by folder, and records; what cannot be looked into is told.
fn walk(root: &Root, files: &Files) -> (Folders, Vec<Found>, Vec<Unreadable>) {
    let kinds = [
        (Kind::Running, patterns(&files.running)),
        (Kind::Saved, patterns(&files.saved)),
        (Kind::State, patterns(&files.state)),
        (Kind::Walk, patterns(&files.walk)),
    ];
    let (single, dialects) = (patterns(&files.single), patterns(&files.dialects));
    let from_root = |file: &Path, patterns: &[Pattern]| {
        file.strip_prefix(&root.dir).is_ok_and(|rest| patterns.iter().any(|p| p.glob.is_match(rest)))
    };
    let mut folders = Folders::new();
    let (mut found, mut unreadable) = (Vec::new(), Vec::new());
    let visible =
        |entry: &walkdir::DirEntry| entry.depth() == 0 || !entry.file_name().to_string_lossy().starts_with('.');
    let walk = WalkDir::new(&root.dir).follow_links(true).sort_by_file_name().into_iter().filter_entry(visible);
    for entry in walk {
        let entry = match entry {
            Ok(entry) => entry,
            Err(error) => {
                unreadable.push(not_entered(root, &error));
                continue;
            }
        };
        let path = entry.path();
        if entry.file_type().is_dir() || from_root(path, &dialects) {
            continue;
        }
        if from_root(path, &single) {
            let name = path.file_stem().map(|s| Arc::from(s.to_string_lossy())).unwrap_or_default();
            found.push(Found { name, path: path.into(), layout: Layout::Record });
        } else if let Some((kind, folder)) = kinds.iter().find_map(|(kind, p)| Some((*kind, folder_of(path, p)?))) {
            let file = path.strip_prefix(&folder).unwrap_or(path).into();
            folders.entry(folder).or_default().push((kind, file));
        }
    }
    (folders, found, unreadable)
}

/// A folder or link that cannot be looked into.
fn not_entered(root: &Root, error: &walkdir::Error) -> Unreadable {
    let path = error.path().unwrap_or(&root.dir);
    let why = match (error.loop_ancestor(), error.io_error()) {
        (Some(around), _) => format!("a link leads back to {}: its folders form a loop", relative(&root.dir, around)),
        (None, Some(io)) if io.kind() == std::io::ErrorKind::NotFound => "a link that leads nowhere".to_owned(),
        (None, Some(io)) => io.to_string(),
        (None, None) => "it cannot be looked into".to_owned(),
    };
    Unreadable { file: relative(&root.dir, path), why, hint: None }
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

#[cfg(test)]
mod tests {
    use super::*;

    /// Folders that hold the same files share what is kept of them; what one holds besides is its own.
    #[test]
    fn folders_that_hold_the_same_share_it() {
        let dir = tempfile::tempdir().unwrap();
        let hold = |folder: &str, files: &[&str]| {
            std::fs::create_dir_all(dir.path().join(folder)).unwrap();
            files.iter().for_each(|file| std::fs::write(dir.path().join(folder).join(file), "x\n").unwrap());
        };
        hold("a", &["config.txt", "ports.out"]);
        hold("b", &["config.txt", "ports.out"]);
        hold("c", &["config.txt", "ports.out", "lanes.out"]);
        hold("d", &["config.txt"]);
        let root = Root::find(Some(dir.path()), &[]).unwrap();
        let fleet = discover(&root, &Policy::default()).unwrap();
        let parts = |at: usize| match &fleet.switches[at].layout {
            Layout::Folder(Parts(files)) => files,
            Layout::Record => unreachable!("there is none"),
        };
        assert!(Arc::ptr_eq(parts(0), parts(1)));
        let files = |at: usize| {
            let files = parts(at).iter().map(|(kind, file)| format!("{kind:?} {}", file.display()));
            files.collect::<Vec<_>>().join(", ")
        };
        let told: Vec<String> = (0..4).map(files).collect();
        let two = "Running config.txt, State ports.out";
        assert_eq!(told, [two, two, "Running config.txt, State lanes.out, State ports.out", "Running config.txt"]);
    }
}
