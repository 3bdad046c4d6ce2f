//! What packagers and newcomers need: completions, manual pages, the first words of the program.

use std::fs;

use crate::support::{Fleet, ran, yellowlegs};
use rstest::rstest;

const COMMANDS: [&str; 13] = [
    "drill",
    "audit",
    "port",
    "compare",
    "flaps",
    "checks",
    "read",
    "dialect",
    "dialect sketch",
    "policy test",
    "demo",
    "completions",
    "man",
];

#[rstest]
fn completions_know_every_command(#[values("bash", "zsh", "fish", "elvish", "powershell")] shell: &str) {
    let ran = Fleet::empty().run(&["completions", shell]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    for command in COMMANDS.iter().flat_map(|command| command.split(' ')) {
        assert!(ran.out.contains(command), "{command}");
    }
    assert!(ran.out.contains("fail-on"));
}

#[test]
fn every_command_has_a_manual_page_with_an_example() {
    let fleet = Fleet::empty();
    let ran = fleet.run(&["man", "share/man1"]);
    assert_eq!((ran.code, ran.out.as_str(), ran.err.as_str()), (0, "", ""));
    for command in COMMANDS {
        let page = fleet.read(&format!("share/man1/yellowlegs-{}.1", command.replace(' ', "-")));
        assert!(page.contains(".SH NAME") && page.contains(".SH SYNOPSIS"), "{command}");
        // A command that has commands below it leaves examples to them.
        assert!(page.contains("Example") || command == "dialect", "{command} has no example");
    }
    assert_eq!(fleet.run(&["man", "share/man1/yellowlegs.1"]).code, 2, "a file is no folder");
}

#[test]
fn alone_it_says_what_to_type_first() {
    let alone = |fleet: &Fleet| ran(yellowlegs().current_dir(fleet.path()).output().unwrap());
    let nowhere = alone(&Fleet::empty());
    assert_eq!((nowhere.code, nowhere.out.as_str()), (2, ""));
    for command in ["yellowlegs demo", "yellowlegs dialect teach", "yellowlegs policy new", "yellowlegs audit FOLDER"] {
        assert!(nowhere.err.contains(command), "{}", nowhere.err);
    }
    let fleet = Fleet::demo();
    fs::create_dir_all(fleet.path().join("below/it")).unwrap();
    let inside = alone(&fleet);
    assert!(inside.err.contains("There is a fleet here") && !inside.err.contains("teach"), "{}", inside.err);
}
