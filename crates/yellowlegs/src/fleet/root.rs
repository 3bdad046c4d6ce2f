//! Where a fleet begins, and paths relative to it.

use std::path::{Component, Path, PathBuf};

use crate::failure::Failure;

/// The name of the policy in a fleet's root.
pub(crate) const POLICY_FILE: &str = "yellowlegs.toml";

/// A fleet's root, and the parts of it that were asked for.
#[derive(Debug)]
pub(crate) struct Root {
    /// The root, absolute.
    pub(crate) dir: PathBuf,
    /// Folders or files below it, absolute; empty for all of it.
    pub(crate) parts: Vec<PathBuf>,
}

fn real(path: &Path) -> Result<PathBuf, Failure> {
    std::fs::canonicalize(path).map_err(|error| Failure::Path {
        path: path.to_owned(),
        error,
        hint: Some("give the folder that holds the fleet, or one of its switches' folders".into()),
    })
}

/// The nearest folder with a policy, from `path` upwards.
fn nearest_policy(path: &Path) -> Option<PathBuf> {
    // Whatever it is: one that cannot be read is told, not passed over.
    path.ancestors().find(|dir| dir.join(POLICY_FILE).symlink_metadata().is_ok()).map(Path::to_owned)
}

fn folder_of(path: &Path) -> PathBuf {
    if path.is_dir() { path.to_owned() } else { path.parent().unwrap_or(path).to_owned() }
}

fn common(paths: &[PathBuf]) -> Option<PathBuf> {
    let mut dir = folder_of(paths.first()?);
    while !paths.iter().all(|p| p.starts_with(&dir)) {
        dir = dir.parent()?.to_owned();
    }
    Some(dir)
}

impl Root {
    /// From `--fleet`, else from the paths, else from the current folder.
    pub(crate) fn find(fleet: Option<&Path>, paths: &[PathBuf]) -> Result<Self, Failure> {
        let parts: Vec<PathBuf> = paths.iter().map(|p| real(p)).collect::<Result<_, _>>()?;
        let dir = match fleet {
            Some(dir) => real(dir)?,
            None => {
                if let Some(dir) = common(&parts) {
                    nearest_policy(&dir).unwrap_or(dir)
                } else {
                    let here = real(Path::new("."))?;
                    nearest_policy(&here).ok_or_else(|| {
                        Failure::usage(
                            format!("no {POLICY_FILE} here or in a folder above"),
                            "name the fleet's folder: `yellowlegs audit FOLDER`; or see `yellowlegs demo`",
                        )
                    })?
                }
            }
        };
        if !dir.is_dir() {
            return Err(Failure::usage(format!("{} is no folder", dir.display()), "name the fleet's folder"));
        }
        if let Some(outside) = parts.iter().find(|p| !p.starts_with(&dir)) {
            let what = format!("{} is not inside the fleet {}", outside.display(), dir.display());
            return Err(Failure::usage(what, "the paths of one audit share one root"));
        }
        let parts = if parts.contains(&dir) { Vec::new() } else { parts };
        Ok(Self { dir, parts })
    }

    /// Whether a path was asked for.
    pub(crate) fn takes(&self, path: &Path) -> bool {
        self.parts.is_empty()
            || self.parts.iter().any(|part| path.starts_with(part) || part.parent() == Some(path) && part.is_file())
    }
}

/// A path relative to the root, with `/`; as it is when it lies elsewhere.
pub(crate) fn relative(root: &Path, path: &Path) -> String {
    let shown = path.strip_prefix(root).unwrap_or(path);
    let parts: Vec<String> = shown
        .components()
        .map(|c| match c {
            Component::RootDir => String::new(),
            other => other.as_os_str().to_string_lossy().into_owned(),
        })
        .collect();
    if parts.is_empty() { ".".into() } else { parts.join("/") }
}
