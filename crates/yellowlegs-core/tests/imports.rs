//! The core's own rules: folders import only folders above them, and nothing touches the world.

#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may read the files it is about")]

use std::fs;
use std::path::{Path, PathBuf};

/// The folders, and the file before them, in the order in which they may import each other: upwards only.
const ORDER: &[&str] = &[
    "sorted", "source", "model", "syntax", "dialect", "walk", "resolve", "policy", "finding", "check", "drill", "mend",
    "teach",
];

/// What the world is reached by.
const WORLD: &[&str] = &[
    "std::fs",
    "std::net::Tcp",
    "std::net::Udp",
    "ToSocketAddrs",
    "std::env",
    "std::process",
    "std::thread",
    "std::time::Instant",
    "std::time::SystemTime",
    "std::io::stdout",
    "std::io::stdin",
    "std::io::stderr",
    "println!",
    "print!",
    "eprintln!",
    "dbg!",
    "Timestamp::now",
    "Zoned::now",
];

fn files(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap().map(|e| e.unwrap().path()) {
        if entry.is_dir() {
            files(&entry, found);
        } else if entry.extension().is_some_and(|e| e == "rs") {
            found.push(entry);
        }
    }
}

/// Every source file with its folder's position and its text.
fn sources() -> Vec<(PathBuf, Option<usize>, String)> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut found = Vec::new();
    files(&root, &mut found);
    let piece = |path: &Path| PathBuf::from(path.strip_prefix(&root).unwrap().components().next().unwrap().as_os_str());
    let rank = |path: &Path| ORDER.iter().position(|o| piece(path).file_stem().unwrap() == *o);
    found.into_iter().map(|p| (p.clone(), rank(&p), fs::read_to_string(&p).unwrap())).collect()
}

#[test]
fn folders_import_only_folders_above() {
    let mut seen = 0;
    for (path, rank, text) in sources() {
        let Some(rank) = rank else {
            assert_eq!(path.file_name().unwrap(), "lib.rs", "{} is in no known folder", path.display());
            continue;
        };
        for target in text.match_indices("crate::").map(|(at, word)| &text[at + word.len()..]) {
            let name: String = target.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect();
            let Some(other) = ORDER.iter().position(|o| *o == name) else { continue };
            assert!(other <= rank, "{} imports crate::{name}, which stands below it", path.display());
            seen += 1;
        }
    }
    assert!(seen > 50, "only {seen} imports found: is this test still looking at the right place?");
}

#[test]
fn nothing_touches_the_world() {
    for (path, _, text) in sources() {
        let code = text.split("#[cfg(test)]").next().unwrap_or_default();
        let lines = code.lines().filter(|l| !l.trim_start().starts_with("//"));
        for (line, word) in lines.flat_map(|l| WORLD.iter().map(move |w| (l, w))) {
            assert!(!line.contains(word), "{} uses {word}: {line}", path.display());
        }
    }
}

/// A file of tests that nothing names is not compiled, and passes so.
#[test]
fn every_file_of_tests_is_run() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let mut named = 0;
    for tests in fs::read_dir(crates).unwrap().map(|e| e.unwrap().path().join("tests")) {
        // Without such a file cargo finds each by itself.
        let Ok(main) = fs::read_to_string(tests.join("main.rs")) else { continue };
        let manifest = fs::read_to_string(tests.with_file_name("Cargo.toml")).unwrap();
        let mut found = Vec::new();
        files(&tests, &mut found);
        for path in found.iter().filter(|path| !path.ends_with("tests/main.rs")) {
            let (folder, stem) = (path.parent().unwrap(), path.file_stem().unwrap().to_str().unwrap());
            let (named_in, name) = match stem {
                "mod" => (folder.parent().unwrap(), folder.file_name().unwrap().to_str().unwrap()),
                name => (folder, name),
            };
            let list =
                if named_in == tests { main.clone() } else { fs::read_to_string(named_in.join("mod.rs")).unwrap() };
            let by_itself = manifest.contains(&format!("path = \"tests/{name}.rs\""));
            let is_named = list.lines().any(|line| line.trim_start_matches("pub(crate) ") == format!("mod {name};"));
            assert!(is_named || by_itself, "{} is named nowhere", path.display());
            named += 1;
        }
    }
    assert!(named > 80, "{named}");
}
