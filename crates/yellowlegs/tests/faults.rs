//! What goes wrong around the program: files that are none, that change, that cannot be written; runs that are cut short.

#![cfg(unix)]
#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may touch files")]

use std::fs;
use std::os::unix::fs::{PermissionsExt as _, symlink};
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;
use std::time::{Duration, Instant};

use crate::support::{self, Fleet, list, ran, yellowlegs};
use rstest::rstest;

fn pipe(path: &Path) {
    assert!(Command::new("mkfifo").arg(path).status().unwrap().success());
}

/// The program, ended after a while where it hangs.
fn within_a_minute(fleet: &Fleet, words: &[&str]) -> support::Ran {
    ran(yellowlegs().current_dir(fleet.path()).args(words).timeout(Duration::from_secs(60)).output().unwrap())
}

/// A pipe may never end: it is refused wherever a file is wanted.
#[rstest]
#[case::policy("yellowlegs.toml", &["audit"])]
#[case::named_policy("p.toml", &["audit", "--policy", "p.toml"])]
#[case::inventory("stations.csv", &["audit"])]
#[case::dialect("d.toml", &["audit", "--dialect", "d.toml"])]
#[case::dialect_test("d.toml", &["dialect", "test", "d.toml"])]
#[case::read("x.txt", &["read", "x.txt"])]
#[case::sketch("x.txt", &["dialect", "sketch", "x.txt"])]
#[case::since("old.json", &["audit", "--since", "old.json"])]
#[case::drill("d.toml", &["drill", "--file", "d.toml"])]
#[case::running("northquay/nq-core-1/config.txt", &["audit"])]
#[case::state("northquay/nq-core-1/tables.out", &["audit"])]
fn pipes_are_refused(#[case] file: &str, #[case] words: &[&str]) {
    let fleet = Fleet::demo();
    let path = fleet.path().join(file);
    let _ = fs::remove_file(&path);
    pipe(&path);
    let ran = within_a_minute(&fleet, words);
    assert_eq!(ran.code, 2, "{}", ran.err);
    assert!(ran.err.contains("no regular file"), "{}", ran.err);
}

/// A report has the permissions of any file of the caller; one that is replaced keeps its own.
#[rstest]
#[case("022", 0o644)]
#[case("077", 0o600)]
#[case("002", 0o664)]
fn reports_are_made_under_the_callers_mask(#[case] mask: &str, #[case] expected: u32) {
    let fleet = Fleet::demo();
    let program = assert_cmd::cargo::cargo_bin("yellowlegs");
    let line = format!("umask {mask}; '{}' audit --fail-on never --write r.json >/dev/null", program.display());
    assert!(Command::new("sh").current_dir(fleet.path()).args(["-c", &line]).status().unwrap().success());
    let mode = |name: &str| fs::metadata(fleet.path().join(name)).unwrap().permissions().mode() & 0o777;
    assert_eq!(mode("r.json"), expected);
    fs::set_permissions(fleet.path().join("r.json"), fs::Permissions::from_mode(0o640)).unwrap();
    assert!(Command::new("sh").current_dir(fleet.path()).args(["-c", &line]).status().unwrap().success());
    assert_eq!(mode("r.json"), 0o640);
}

/// A policy may not make the program open, and tell of, files elsewhere.
#[rstest]
#[case::absolute("/etc/passwd")]
#[case::upwards("../elsewhere.csv")]
#[case::by_a_link("link.csv")]
fn an_inventory_outside_the_fleet_is_refused(#[case] named: &str) {
    let fleet = Fleet::empty();
    let elsewhere = Fleet::empty();
    elsewhere.write("elsewhere.csv", "name:harbour:secret\nroot:x:0:0\n");
    fleet.write("fleet/sw1/config.txt", "x\n");
    fleet.write("elsewhere.csv", "name:harbour:secret\nroot:x:0:0\n");
    fleet.write("fleet/yellowlegs.toml", format!("[inventory]\nstations = \"{named}\"\n"));
    symlink(elsewhere.path().join("elsewhere.csv"), fleet.path().join("fleet/link.csv")).unwrap();
    let refused = fleet.run(&["audit", "fleet"]);
    assert_eq!(refused.code, 2);
    assert!(refused.err.contains("lies outside the fleet") && refused.err.contains("--outside"), "{}", refused.err);
    let allowed = fleet.run(&["audit", "fleet", "--outside"]);
    assert_eq!(allowed.code, 2);
    assert!(!allowed.err.contains("outside the fleet"), "{}", allowed.err);
    for run in [&refused, &allowed] {
        assert!(!run.err.contains("root:x") && !run.err.contains("secret"), "{}", run.err);
    }
}

/// Where nothing more can be written the target is what it was, and nothing is left beside it.
#[test]
fn a_full_disk_is_told() {
    let fleet = Fleet::demo();
    let ran = fleet.run(&["audit", "--write", "/dev/full", "--fail-on", "never"]);
    assert_eq!(ran.code, 2, "{}", ran.err);
    symlink("/dev/full", fleet.path().join("full.json")).unwrap();
    let ran = fleet.run(&["audit", "--write", "full.json", "--fail-on", "never"]);
    assert_eq!(ran.code, 2, "{}", ran.err);
    assert!(ran.err.contains("full.json"), "{}", ran.err);
}

fn left_over(folder: &Path) -> Vec<String> {
    let names = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned());
    names.filter(|name| name.starts_with(".yellowlegs")).collect()
}

#[test]
fn an_unreadable_switch_is_told_and_the_others_reported() {
    let fleet = Fleet::demo();
    fleet.write("northquay/nq-core-1/config.txt", b"shingle 4 unit x\n\0\n");
    let ran = fleet.run(&["audit", "--format", "json"]);
    assert_eq!(ran.code, 2);
    let report: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!((list(&report, "unreadable").len(), list(&report, "switches").len()), (1, 10));
}

/// An interrupt takes what is half written with it.
#[test]
fn an_interrupt_leaves_targets_as_they_were() {
    let fleet = Fleet::demo();
    fleet.write("out/r.json", "before");
    // A switch whose text is long keeps the program busy.
    let head = fleet.read("northquay/nq-desks-1/config.txt");
    let block = "socket 1.1..1.4\n  crowd watch\n  crowd ceiling 3\n".repeat(60_000);
    fleet.write("northquay/nq-desks-1/config.txt", format!("{head}{block}"));
    let mut child = Command::new(assert_cmd::cargo::cargo_bin("yellowlegs"))
        .current_dir(fleet.path())
        .args(["audit", "--write", "out/r.json"])
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let folder = fleet.path().join("out");
    let began = Instant::now();
    while left_over(&folder).is_empty() && began.elapsed() < Duration::from_secs(30) {
        thread::sleep(Duration::from_millis(5));
    }
    assert!(!left_over(&folder).is_empty(), "it never began to write");
    assert!(Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
    let status = child.wait().unwrap();
    assert_eq!(status.code(), Some(130));
    assert_eq!((fleet.read("out/r.json").as_str(), left_over(&folder)), ("before", Vec::new()));
}

/// A folder that comes and goes while it is read: a switch is reported, or is not there, or is told to be unreadable; never by halves.
#[test]
fn a_folder_may_change_during_the_read() {
    let fleet = Fleet::demo();
    let whole = list(&fleet.report(&[]), "switches").len();
    let (here, away) = (fleet.path().join("dunlin/dp-quay-1"), fleet.path().join("dunlin/.away"));
    let ended = AtomicBool::new(false);
    let runs: Vec<_> = thread::scope(|scope| {
        scope.spawn(|| {
            while !ended.load(Ordering::Relaxed) {
                fs::rename(&here, &away).unwrap();
                fs::rename(&away, &here).unwrap();
            }
        });
        let runs = (0..12).map(|_| fleet.run(&["audit", "--format", "json"])).collect();
        ended.store(true, Ordering::Relaxed);
        runs
    });
    for ran in runs {
        let report: Option<serde_json::Value> = serde_json::from_str(&ran.out).ok();
        let switches = report.as_ref().map_or(0, |report| list(report, "switches").len());
        let told = ran.code == 2 && ran.err.contains("dp-quay-1");
        let complete = switches == whole || switches + 1 == whole;
        assert!(!ran.err.contains("panicked") && (complete || told), "{} {switches} {}", ran.code, ran.err);
    }
}

/// Whoever comes last is there whole.
#[test]
fn runs_at_one_time_leave_a_whole_report() {
    let fleet = Fleet::demo();
    let run = || {
        Command::new(assert_cmd::cargo::cargo_bin("yellowlegs"))
            .current_dir(fleet.path())
            .args(["audit", "--write", "r.json", "--fail-on", "never"])
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap()
    };
    let children: Vec<_> = (0..4).map(|_| run()).collect();
    for mut child in children {
        assert!(child.wait().unwrap().success());
    }
    let report: serde_json::Value = serde_json::from_str(&fleet.read("r.json")).unwrap();
    assert_eq!(list(&report, "switches").len(), 11);
    assert_eq!(left_over(fleet.path()), Vec::<String>::new());
}

#[test]
fn a_folder_that_cannot_be_written_to_is_told_before_anything_is_read() {
    let fleet = Fleet::demo();
    let ran = fleet.run(&["audit", "--write", "/proc/r.json"]);
    assert_eq!(ran.code, 2);
    assert!(ran.out.is_empty() && ran.err.contains("/proc/r.json"), "{}{}", ran.out, ran.err);
}

/// With as few files open at a time as a login may have.
#[test]
fn few_open_files_are_enough() {
    let fleet = Fleet::demo();
    let program = assert_cmd::cargo::cargo_bin("yellowlegs");
    let line = format!("ulimit -n 24; '{}' audit --fail-on never --jobs 2", program.display());
    let output = Command::new("sh").current_dir(fleet.path()).args(["-c", &line]).output().unwrap();
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stderr));
}
