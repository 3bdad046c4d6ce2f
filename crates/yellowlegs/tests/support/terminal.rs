//! The program on a terminal: what it writes there, and what somebody types.

use std::io::Write as _;
use std::process::{Child, Command, Stdio};

use super::{COLOUR_WISHES, Fleet};

/// What the program writes to a terminal, by `script` of util-linux.
pub(crate) fn on_a_terminal(fleet: &Fleet, words: &str) -> String {
    typed_on_a_terminal(fleet, words, "")
}

fn script(fleet: &Fleet, words: &str) -> Child {
    let program = assert_cmd::cargo::cargo_bin("yellowlegs");
    let line = format!("{} {words}", program.display());
    let mut script = Command::new("script");
    for name in COLOUR_WISHES {
        script.env_remove(name);
    }
    script
        .current_dir(fleet.path())
        .args(["-qec", &line, "/dev/null"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .env("TERM", "dumb")
        .spawn()
        .unwrap()
}

/// The same with what somebody types.
pub(crate) fn typed_on_a_terminal(fleet: &Fleet, words: &str, keys: &str) -> String {
    let mut script = script(fleet, words);
    script.stdin.take().unwrap().write_all(keys.as_bytes()).unwrap();
    let output = script.wait_with_output().unwrap();
    String::from_utf8_lossy(&output.stdout).into_owned()
}

/// The same where the last keys are typed once something has happened.
pub(crate) fn typed_when(fleet: &Fleet, words: &str, first: &str, happened: impl Fn() -> bool, last: &str) -> String {
    let mut script = script(fleet, words);
    let mut keys = script.stdin.take().unwrap();
    keys.write_all(first.as_bytes()).unwrap();
    while !happened() {
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
    keys.write_all(last.as_bytes()).unwrap();
    let output = script.wait_with_output().unwrap();
    String::from_utf8_lossy(&output.stdout).into_owned()
}
