//! Where switches are found: folders and files as a policy's `[files]` names them, and what is refused.

use crate::support::{Fleet, demo_folder, list, text};
use rstest::rstest;

/// A fleet of these files, each a configuration of two sockets; `=` before a name makes a switch record of it.
fn fleet(files: &[&str], policy: &str) -> Fleet {
    let fleet = Fleet::empty();
    let dialect = std::fs::read(demo_folder().join("dialects/shingle.toml")).unwrap();
    fleet.write("dialects/shingle.toml", dialect);
    fleet.write("yellowlegs.toml", format!("as-of = \"2031-03-04T06:30:00Z\"\n{policy}"));
    for file in files {
        match file.strip_prefix('=') {
            Some(record) => fleet.write(record, "{\"record\": 1, \"switch\": \"r\", \"ports\": [{\"port\": \"1\"}]}"),
            None => fleet.write(file, "shingle 3 unit u\nsockets 1.1..1.2\nsocket 1.1\n  note \"desk\"\n"),
        };
    }
    fleet
}

const PLAIN: &str = "[files]\nrunning = [\"config*.txt\"]\nsaved = [\"saved*.txt\"]\nstate = [\"*.out\"]\nsingle = [\"single/*.json\"]\n\
                     dialects = [\"dialects/*.toml\"]\n";

#[rstest]
#[case::a_folder_each(&["a/config.txt", "b/config.txt"], PLAIN, &["a", "b"])]
#[case::in_path_order(&["b/config.txt", "a/z/config.txt", "a/config-1.txt"], PLAIN, &["a", "z", "b"])]
#[case::deep(&["north/hall/left/config.txt"], PLAIN, &["left"])]
#[case::records(&["a/config.txt", "=single/c.json"], PLAIN, &["a", "c"])]
#[case::saved_alone_is_none(&["a/config.txt", "b/saved.txt"], PLAIN, &["a"])]
#[case::hidden_is_none(&["a/config.txt", ".old/config.txt"], PLAIN, &["a"])]
#[case::other_names(&["a/live/now.cfg", "b/live/now.cfg"], "[files]\nrunning = [\"live/*.cfg\"]\ndialects = [\"dialects/*.toml\"]\n", &["a", "b"])]
#[case::a_baseline_is_none(&["a/config.txt", "b/config.txt", "base/config.txt"], &format!("{PLAIN}[[sisters]]\nswitches = [\"a\", \"b\"]\nbaseline = \"base\"\n"), &["a", "b"])]
fn switches_are_found(#[case] files: &[&str], #[case] policy: &str, #[case] expected: &[&str]) {
    let report = fleet(files, policy).report(&[]);
    let names: Vec<&str> = list(&report, "switches").iter().map(|switch| text(switch, "switch")).collect();
    assert_eq!(names, expected, "{report:#}");
}

/// A path chooses what is reported; the fleet's root is found above it.
#[rstest]
#[case::a_switch(&["north/a"], &["a"])]
#[case::a_folder_of_switches(&["north"], &["a", "b"])]
#[case::two(&["north/b", "south/c"], &["b", "c"])]
#[case::its_file(&["south/c/config.txt"], &["c"])]
fn paths_choose(#[case] paths: &[&str], #[case] expected: &[&str]) {
    let fleet = fleet(&["north/a/config.txt", "north/b/config.txt", "south/c/config.txt"], PLAIN);
    let report = fleet.report(paths);
    let names: Vec<&str> = list(&report, "switches").iter().map(|switch| text(switch, "switch")).collect();
    assert_eq!(names, expected, "{report:#}");
}

#[rstest]
#[case::two_of_one_name(&["north/a/config.txt", "south/a/config.txt"], &[], &["north/a", "south/a"])]
#[case::nothing(&["a/other.txt"], &[], &["no switch"])]
#[case::no_such_path(&["a/config.txt"], &["b"], &["b"])]
#[case::two_running(&["a/config-1.txt", "a/config-2.txt"], &[], &["config-1.txt", "config-2.txt"])]
#[case::a_broken_record(&["a/config.txt", "single/c.json"], &[], &["single/c.json"])]
fn what_is_refused(#[case] files: &[&str], #[case] paths: &[&str], #[case] words: &[&str]) {
    let ran = fleet(files, PLAIN).run(&[&["audit"], paths].concat());
    assert_eq!(ran.code, 2, "{}{}", ran.out, ran.err);
    for word in words {
        assert!(ran.err.contains(word) || ran.out.contains(word), "`{word}` is not told: {}{}", ran.out, ran.err);
    }
}

/// Of several things that are wrong the first is told, with however many threads: the policy, then dialects, then filters, then the switches.
#[rstest]
#[case::all("as-of = 7\n", "pattern = \"", "--port=[", "yellowlegs.toml")]
#[case::behind_the_policy("", "pattern = \"", "--port=[", "shingle.toml")]
#[case::behind_the_dialects("", "", "--port=[", "--port")]
#[case::behind_the_filters("", "", "--port=1*", "two switches are named `a`")]
fn what_is_wrong_first_is_told(
    #[case] policy: &str,
    #[case] dialect: &str,
    #[case] filter: &str,
    #[case] told: &str,
    #[values("1", "2", "5")] jobs: &str,
) {
    let fleet = fleet(&["north/a/config.txt", "south/a/config.txt"], &format!("{policy}{PLAIN}"));
    let whole = std::fs::read_to_string(demo_folder().join("dialects/shingle.toml")).unwrap();
    fleet.write("dialects/shingle.toml", format!("{dialect}\n{whole}"));
    let ran = fleet.run(&["audit", filter, "--jobs", jobs]);
    assert_eq!(ran.code, 2, "{}{}", ran.out, ran.err);
    let others = ["yellowlegs.toml", "shingle.toml", "--port", "two switches are named"];
    for word in others {
        assert_eq!(ran.err.contains(word), told.starts_with(word), "{word}: {}", ran.err);
    }
}
