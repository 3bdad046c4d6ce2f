//! A plan in files: one for each switch and phase with the way back beside it, and the fleet as it would be. A folder is there whole
//! or not at all.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::fs;
use std::io::Write as _;
use std::path::{Path, PathBuf};

use yellowlegs_core::mend::{Plan, Step};
use yellowlegs_core::resolve::Resolved;
use yellowlegs_core::sorted;

use crate::failure::Failure;
use crate::fleet::{Fleet, Kind, Layout, Loaded, POLICY_FILE, Root, dialect_files, relative};
use crate::render::mend::{Ticket, json, markdown};

/// A folder being filled, beside its place.
struct Filling {
    folder: tempfile::TempDir,
    place: PathBuf,
}

impl Filling {
    /// For a folder that is not there, or empty.
    fn begin(option: &str, place: &Path) -> Result<Self, Failure> {
        let empty = match fs::read_dir(place) {
            Ok(mut entries) => entries.next().is_none(),
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => true,
            Err(error) => return Err(Failure::path(place, error)),
        };
        if !empty {
            let what = format!("{option} {}: the folder is not empty", place.display());
            return Err(Failure::usage(what, "name a new folder: nothing is written over"));
        }
        let around = place.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let folder = tempfile::Builder::new().prefix(".yellowlegs-").tempdir_in(around);
        Ok(Self { folder: folder.map_err(|error| Failure::path(around, error))?, place: place.to_owned() })
    }

    fn write(&self, file: impl AsRef<Path>, content: &[u8]) -> Result<(), Failure> {
        let path = self.folder.path().join(file);
        let made = path.parent().map_or(Ok(()), fs::create_dir_all);
        let written = made.and_then(|()| fs::File::create(&path)?.write_all(content));
        written.map_err(|error| Failure::path(path, error))
    }

    fn copy(&self, from: &Path, file: impl AsRef<Path>) -> Result<(), Failure> {
        let bytes = fs::read(from).map_err(|error| Failure::path(from, error))?;
        self.write(file, &bytes)
    }

    /// Puts it in its place.
    fn finish(self) -> Result<(), Failure> {
        if self.place.exists() {
            fs::remove_dir(&self.place).map_err(|error| Failure::path(&self.place, error))?;
        }
        let filled = self.folder.keep();
        open_to_others(&filled).and_then(|()| fs::rename(&filled, &self.place)).map_err(|error| {
            _ = fs::remove_dir_all(&filled);
            Failure::path(&self.place, error)
        })
    }
}

/// Temporary folders are private; this one has the permissions that any new folder of the caller would have.
fn open_to_others(folder: &Path) -> std::io::Result<()> {
    let like = folder.join(".like");
    fs::create_dir(&like)?;
    let permissions = fs::metadata(&like)?.permissions();
    fs::remove_dir(&like)?;
    fs::set_permissions(folder, permissions)
}

/// The change: `phase-N/SWITCH.txt`, `phase-N/SWITCH.back.txt`, what is typed to save it, `plan.md` and `plan.json`.
pub(super) fn into(place: &Path, ticket: &Ticket<'_>) -> Result<(), Failure> {
    let plan = ticket.plan;
    let filling = Filling::begin("--into", place)?;
    let phases: sorted::Set<usize> = sorted::set(plan.steps.iter().map(|step| step.phase));
    for phase in phases {
        let mut by_switch: BTreeMap<&str, Vec<(usize, &Step)>> = BTreeMap::new();
        for (number, step) in plan.steps.iter().enumerate().filter(|(_, step)| step.phase == phase) {
            by_switch.entry(&step.change.switch).or_default().push((number + 1, step));
        }
        for (switch, steps) in by_switch {
            let sign = plan.after.get(switch).and_then(|resolved| comment(resolved));
            let there: String = steps.iter().map(|(n, step)| lines(sign.as_deref(), *n, step, &step.text)).collect();
            let back: String =
                steps.iter().rev().map(|(n, step)| lines(sign.as_deref(), *n, step, &step.undo)).collect();
            filling.write(format!("phase-{phase}/{switch}.txt"), there.as_bytes())?;
            filling.write(format!("phase-{phase}/{switch}.back.txt"), back.as_bytes())?;
        }
    }
    // Saving is no line of a configuration: it has a file of its own, in the last phase of its switch.
    for (switch, words) in plan.saves.iter().filter(|(_, words)| !words.is_empty()) {
        let of_switch = plan.steps.iter().filter(|step| step.change.switch == *switch);
        let last = of_switch.map(|step| step.phase).max().unwrap_or(1);
        filling.write(format!("phase-{last}/{switch}.save.txt"), (words.join("\n") + "\n").as_bytes())?;
    }
    let mut text = Vec::new();
    let written = markdown(&mut text, ticket);
    written.map_err(|error| Failure::path(place, error))?;
    filling.write("plan.md", &text)?;
    let mut data = Vec::new();
    json(&mut data, ticket).map_err(|error| Failure::path(place, error))?;
    filling.write("plan.json", &data)?;
    filling.finish()
}

/// What begins a comment line of the switch's language.
fn comment(resolved: &Resolved) -> Option<String> {
    resolved.dialect()?.layout().comments.first().cloned()
}

/// The lines of one step, with a comment where the language has comments. Only words of this program stand in it.
fn lines(sign: Option<&str>, number: usize, step: &Step, of_step: &[String]) -> String {
    let mut text = String::new();
    if let Some(sign) = sign {
        let _ = writeln!(text, "{sign} step {number}: {}", step.change.setting.name());
    }
    of_step.iter().for_each(|line| _ = writeln!(text, "{line}"));
    text
}

/// The fleet as it would be: policy, dialects, inventory and every file of every switch; what changes is as it would be, and saved.
pub(super) fn after(place: &Path, root: &Root, loaded: &Loaded, fleet: &Fleet, plan: &Plan<'_>) -> Result<(), Failure> {
    let around = place.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    if fs::canonicalize(around).is_ok_and(|around| around.starts_with(&root.dir)) {
        let what =
            format!("--after {}: it lies inside the fleet, whose switches would be there twice", place.display());
        return Err(Failure::usage(what, "name a folder outside of it"));
    }
    let filling = Filling::begin("--after", place)?;
    let mut copied: BTreeSet<PathBuf> = BTreeSet::new();
    let mut copy = |from: &Path| -> Result<(), Failure> {
        let file = relative(&root.dir, from);
        if copied.insert(PathBuf::from(&file)) { filling.copy(from, file) } else { Ok(()) }
    };
    let policy = root.dir.join(POLICY_FILE);
    if policy.exists() {
        copy(&policy)?;
    }
    if let Some(inventory) = &loaded.policy.inventory {
        copy(&root.dir.join(&inventory.path))?;
    }
    for file in dialect_files(root, &loaded.policy) {
        copy(&file)?;
    }
    let all = fleet.switches.iter().chain(fleet.baselines.iter().map(|(_, found)| found));
    for found in all {
        for file in found.all_files() {
            copy(&file)?;
        }
    }
    let changed: sorted::Set<&str> = sorted::set(plan.steps.iter().map(|step| &*step.change.switch));
    let saved: sorted::Set<&str> = sorted::set(plan.saves.iter().map(|(switch, _)| &**switch));
    for found in &fleet.switches {
        let (Layout::Folder(_), Some(resolved)) = (&found.layout, plan.after.get(&found.name)) else { continue };
        let Some(text) = resolved.text() else { continue };
        let write = |kind: Kind| {
            found.files(kind).try_for_each(|file| filling.write(relative(&root.dir, &file), text.as_bytes()))
        };
        if changed.contains(&*found.name) {
            write(Kind::Running)?;
        }
        if saved.contains(&*found.name) {
            write(Kind::Saved)?;
        }
    }
    filling.finish()
}
