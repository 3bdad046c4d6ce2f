//! A switch's folder is replaced whole or not at all, whatever was there, and whatever an earlier run was ended in.

use std::fs;
use std::os::unix::fs::symlink;
use std::path::Path;

use yellowlegs_gather::folder::{abandon, replace};
use yellowlegs_gather::talk::Came;

fn came(files: &[(&str, &str)]) -> Vec<Came> {
    files.iter().map(|(file, text)| Came { file: (*file).into(), text: (*text).to_owned() }).collect()
}

/// Every file below a folder, with its text.
fn all(below: &Path) -> Vec<(String, String)> {
    let mut files = Vec::new();
    for entry in fs::read_dir(below).unwrap().map(Result::unwrap) {
        let name = entry.file_name().to_string_lossy().into_owned();
        if entry.file_type().unwrap().is_dir() {
            files.extend(all(&entry.path()).into_iter().map(|(file, text)| (format!("{name}/{file}"), text)));
        } else {
            files.push((name, fs::read_to_string(entry.path()).unwrap()));
        }
    }
    files.sort();
    files
}

fn owned(files: &[(&str, &str)]) -> Vec<(String, String)> {
    files.iter().map(|(file, text)| ((*file).to_owned(), (*text).to_owned())).collect()
}

fn given(name: &str) -> bool {
    ["config.txt", "saved.txt"].contains(&name)
}

#[test]
fn what_no_command_gives_is_kept_and_what_one_gave_is_gone() {
    let root = tempfile::tempdir().unwrap();
    let pier = root.path().join("north/pier");
    replace(&pier, &came(&[("config.txt", "1"), ("saved.txt", "1")]), given).unwrap();
    fs::create_dir_all(pier.join("photos/2031")).unwrap();
    fs::write(pier.join("photos/2031/rack.txt"), "left").unwrap();
    replace(&pier, &came(&[("config.txt", "2")]), given).unwrap();
    let expected = [("north/pier/config.txt", "2"), ("north/pier/photos/2031/rack.txt", "left")];
    assert_eq!(all(root.path()), owned(&expected));
}

#[test]
fn nothing_is_replaced_where_something_would_be_lost() {
    let root = tempfile::tempdir().unwrap();
    let pier = root.path().join("pier");
    fs::create_dir(&pier).unwrap();
    fs::write(pier.join("config.txt"), "1").unwrap();
    symlink("/nowhere", pier.join("link")).unwrap();
    let refused = replace(&pier, &came(&[("config.txt", "2")]), given).unwrap_err();
    assert!(refused.to_string().contains("link is neither file nor folder"), "{refused}");
    fs::remove_file(pier.join("link")).unwrap();
    assert_eq!(all(root.path()), owned(&[("pier/config.txt", "1")]));
    let elsewhere = root.path().join("linked");
    symlink(&pier, &elsewhere).unwrap();
    assert!(replace(&elsewhere, &came(&[("config.txt", "2")]), given).is_err());
    assert_eq!(fs::read_to_string(pier.join("config.txt")).unwrap(), "1");
}

#[test]
fn a_run_that_was_ended_in_the_middle_is_settled_by_the_next() {
    let root = tempfile::tempdir().unwrap();
    let at = |name: &str| root.path().join(name);
    for (name, text) in [(".pier.before", "1"), (".pier.gathering", "half")] {
        fs::create_dir(at(name)).unwrap();
        fs::write(at(name).join("config.txt"), text).unwrap();
        fs::write(at(name).join("notes"), "ours").unwrap();
    }
    // Between the two renames: what was there had been moved away. It comes back, and its notes with it.
    replace(&at("pier"), &came(&[("config.txt", "2")]), given).unwrap();
    assert_eq!(all(root.path()), owned(&[("pier/config.txt", "2"), ("pier/notes", "ours")]));
    // Nothing is under way: nothing is touched.
    abandon();
    assert_eq!(all(root.path()).len(), 2);
}
