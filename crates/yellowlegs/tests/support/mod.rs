//! What the tests of the program share: the demo in a temporary folder, and the built program.

pub(crate) mod nasty;
#[cfg(unix)]
pub(crate) mod terminal;

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Output;

use assert_cmd::Command;
use serde_json::Value;
use tempfile::TempDir;

pub(crate) fn demo_folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").canonicalize().unwrap()
}

/// A copy of the demo fleet that a test may spoil.
pub(crate) struct Fleet {
    pub(crate) dir: TempDir,
}

impl Fleet {
    pub(crate) fn demo() -> Self {
        let fleet = Self::empty();
        copy(&demo_folder(), fleet.path());
        fleet
    }

    pub(crate) fn empty() -> Self {
        Self { dir: TempDir::new().unwrap() }
    }

    pub(crate) fn path(&self) -> &Path {
        self.dir.path()
    }

    pub(crate) fn write(&self, file: &str, bytes: impl AsRef<[u8]>) -> &Self {
        let path = self.path().join(file);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, bytes).unwrap();
        self
    }

    pub(crate) fn read(&self, file: &str) -> String {
        fs::read_to_string(self.path().join(file)).unwrap()
    }

    pub(crate) fn edit(&self, file: &str, from: &str, to: &str) -> &Self {
        let text = self.read(file);
        assert!(text.contains(from), "{file} does not hold `{from}`");
        self.write(file, text.replace(from, to))
    }

    /// Runs the program in the fleet's folder.
    pub(crate) fn run(&self, words: &[&str]) -> Ran {
        ran(yellowlegs().current_dir(self.path()).args(words).output().unwrap())
    }

    /// The JSON report of the fleet.
    pub(crate) fn report(&self, words: &[&str]) -> Value {
        let ran = self.run(&[&["audit", "--format", "json"], words].concat());
        serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e}: {}{}", ran.out, ran.err))
    }
}

pub(crate) fn copy(from: &Path, to: &Path) {
    fs::create_dir_all(to).unwrap();
    for entry in fs::read_dir(from).unwrap().map(|e| e.unwrap().path()) {
        let target = to.join(entry.file_name().unwrap());
        if entry.is_dir() {
            copy(&entry, &target);
        } else {
            fs::copy(entry, target).unwrap();
        }
    }
}

/// What came of a run.
pub(crate) struct Ran {
    pub(crate) code: i32,
    pub(crate) out: String,
    pub(crate) err: String,
}

/// What a machine may have set and a test must not depend on: each of these decides about colours.
pub(crate) const COLOUR_WISHES: [&str; 4] = ["NO_COLOR", "CLICOLOR", "CLICOLOR_FORCE", "CI"];

pub(crate) fn yellowlegs() -> Command {
    let mut command = Command::cargo_bin("yellowlegs").unwrap();
    for name in COLOUR_WISHES {
        command.env_remove(name);
    }
    command
}

pub(crate) fn ran(output: Output) -> Ran {
    Ran {
        code: output.status.code().unwrap_or(-1),
        out: String::from_utf8(output.stdout).unwrap(),
        err: String::from_utf8(output.stderr).unwrap(),
    }
}

/// All elements of an array in a report.
pub(crate) fn list<'v>(report: &'v Value, name: &str) -> &'v [Value] {
    report[name].as_array().map_or(&[], Vec::as_slice)
}

/// A text in a report, empty where there is none.
pub(crate) fn text<'v>(value: &'v Value, name: &str) -> &'v str {
    value[name].as_str().unwrap_or_default()
}
