//! What a fleet has besides its switches: policy, dialects, inventory. With them a folder can be judged by itself.

use std::path::Path;

use super::load::{Loaded, dialect_files, regular};
use super::root::{POLICY_FILE, Root};
use crate::failure::Failure;

/// Copies what a fleet has besides its switches into another folder, each file to where it is below the root.
pub(crate) fn copy_frame(root: &Root, loaded: &Loaded, to: &Path) -> Result<(), Failure> {
    let mut files = dialect_files(root, &loaded.policy);
    files.extend(loaded.has_policy.then(|| root.dir.join(POLICY_FILE)));
    files.extend(loaded.policy.inventory.as_ref().map(|inventory| root.dir.join(&inventory.path)));
    for file in files {
        // An inventory that lies elsewhere stays there.
        let Ok(inside) = file.strip_prefix(&root.dir) else { continue };
        let bytes = regular(&file).map_err(|error| Failure::path(&file, error))?;
        write(&to.join(inside), &bytes)?;
    }
    Ok(())
}

/// Writes a file, and the folders it lies in.
pub(crate) fn write(path: &Path, bytes: &[u8]) -> Result<(), Failure> {
    let made = path.parent().map_or(Ok(()), std::fs::create_dir_all);
    made.and_then(|()| std::fs::write(path, bytes)).map_err(|error| Failure::path(path, error))
}
