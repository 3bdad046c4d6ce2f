//! Puts what came of a switch in the place of what was there: whole, or not at all. Files that no command gives are kept.

use std::fs;
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};

use crate::talk::Came;

/// Folders that are being replaced. An interrupt takes what is half written with it.
static UNDER_WAY: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

fn under_way() -> MutexGuard<'static, Vec<PathBuf>> {
    UNDER_WAY.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Leaves every folder that is being replaced as it was: for the end of the program in the middle.
pub fn abandon() {
    for folder in under_way().drain(..) {
        _ = settle(&folder);
    }
}

/// What an earlier run was ended in the middle of: the folder it had moved away comes back, and what it had begun goes.
fn settle(folder: &Path) -> io::Result<()> {
    let (new, old) = (beside(folder, "gathering")?, beside(folder, "before")?);
    if old.is_dir() && !folder.exists() {
        fs::rename(&old, folder)?;
    }
    for rest in [&new, &old] {
        if rest.symlink_metadata().is_ok() {
            fs::remove_dir_all(rest)?;
        }
    }
    Ok(())
}

/// Beside the folder, so that a rename is enough.
fn beside(folder: &Path, what: &str) -> io::Result<PathBuf> {
    let name = folder.file_name().ok_or_else(|| io::Error::other("it is no folder of a switch"))?;
    Ok(folder.with_file_name(format!(".{}.{what}", name.to_string_lossy())))
}

/// Writes the files of a switch, in the place of those that `given` names.
pub fn replace(folder: &Path, files: &[Came], given: impl Fn(&str) -> bool) -> io::Result<()> {
    if folder.symlink_metadata().is_ok_and(|there| !there.is_dir()) {
        return Err(io::Error::other("there is something that is no folder"));
    }
    let (new, old) = (beside(folder, "gathering")?, beside(folder, "before")?);
    if let Some(parent) = folder.parent() {
        fs::create_dir_all(parent)?;
    }
    settle(folder)?;
    under_way().push(folder.to_owned());
    let written = write(folder, &new, files, given);
    let placed = written.and_then(|()| {
        if folder.is_dir() {
            fs::rename(folder, &old)?;
        }
        fs::rename(&new, folder).inspect_err(|_| drop(fs::rename(&old, folder)))
    });
    let mut others = under_way();
    if let Some(at) = others.iter().position(|other| other == folder) {
        others.swap_remove(at);
    }
    drop(others);
    _ = fs::remove_dir_all(if placed.is_err() { &new } else { &old });
    placed
}

fn write(folder: &Path, new: &Path, files: &[Came], given: impl Fn(&str) -> bool) -> io::Result<()> {
    fs::create_dir(new)?;
    for file in files {
        let mut out = fs::File::create_new(new.join(&*file.file))?;
        out.write_all(file.text.as_bytes())?;
        out.sync_all()?;
    }
    if !folder.is_dir() {
        return Ok(());
    }
    for there in fs::read_dir(folder)? {
        let there = there?;
        let (name, kind) = (there.file_name(), there.file_type()?);
        let came = files.iter().any(|file| name == *file.file);
        if came || given(&name.to_string_lossy()) {
            continue;
        }
        if kind.is_dir() {
            copy(&there.path(), &new.join(&name))?;
        } else if kind.is_file() {
            fs::copy(there.path(), new.join(&name))?;
        } else {
            return Err(io::Error::other(format!(
                "{} is neither file nor folder, and would be lost",
                name.to_string_lossy()
            )));
        }
    }
    Ok(())
}

fn copy(from: &Path, to: &Path) -> io::Result<()> {
    fs::create_dir(to)?;
    for there in fs::read_dir(from)? {
        let there = there?;
        let (target, kind) = (to.join(there.file_name()), there.file_type()?);
        if kind.is_dir() {
            copy(&there.path(), &target)?;
        } else if kind.is_file() {
            fs::copy(there.path(), target)?;
        } else {
            let name = there.path().display().to_string();
            return Err(io::Error::other(format!("{name} is neither file nor folder, and would be lost")));
        }
    }
    Ok(())
}
