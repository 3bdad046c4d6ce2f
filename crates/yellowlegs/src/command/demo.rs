//! `yellowlegs demo`: the demo fleet, unpacked and walked through.

use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Parser;
use include_dir::{Dir, include_dir};

use crate::args::{Cli, Demo, Loudness};
use crate::failure::Failure;
use crate::output;
use crate::render::clean;

static FLEET: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/../../demo");

/// The folder that the fleet goes into when none is named.
const NAME: &str = "marram-ferries";

pub(super) fn run(args: &Demo, loudness: Loudness) -> Result<ExitCode, Failure> {
    let dir = match &args.dir {
        Some(dir) => dir.clone(),
        None => fresh(Path::new(NAME)),
    };
    unpack(&dir)?;
    let folder = dir.display().to_string();
    let inside = |path: &str| dir.join(path).display().to_string();
    let (dialect, gates) = (inside("dialects/shingle.toml"), inside("northquay/nq-gates-1/config.txt"));
    let page = inside("page.html");
    let stops: [(&str, Vec<&str>); 9] = [
        (
            "which ports of one switch break port security",
            vec!["audit", &folder, "--switch", "nq-desks-1", "--only", "port-security"],
        ),
        ("one check explained", vec!["checks", "port-security/not-armed"]),
        ("a socket that somebody calls about", vec!["port", "nq-desks-1", "1.7", "--fleet", &folder]),
        (
            "what an attacker would get through on the ticket desks of one switch",
            vec!["drill", "--fleet", &folder, "--switch", "nq-desks-1", "--role", "desk"],
        ),
        ("which links came and went too often", vec!["flaps", "--fleet", &folder]),
        ("two sister switches that should be alike", vec!["compare", "sp-gates-1", "sp-gates-2", "--fleet", &folder]),
        ("lines of a text that its dialect does not know", vec!["dialect", "explain", &dialect, &gates, "--unread"]),
        (
            "everything, for a pipeline: only the exit code and a file",
            vec!["audit", &folder, "-q", "--only", "port/mode-negotiated", "--write"],
        ),
        ("the whole audit, and the same as a page", vec!["audit", &folder, "--write", &page]),
    ];
    let report = inside("report.json");
    for (number, (what, mut words)) in stops.into_iter().enumerate() {
        if words.last() == Some(&"--write") {
            words.push(&report);
        }
        say(loudness, &format!("\n── {}. {what}\n$ yellowlegs {}\n\n", number + 1, quoted(&words)))?;
        let cli = Cli::try_parse_from(std::iter::once("yellowlegs").chain(words))
            .map_err(|error| Failure::usage(error, "this is a mistake in the demo"))?;
        super::run(&Cli { loudness: Loudness { color: loudness.color, ..cli.loudness }, ..cli })?;
    }
    say(
        loudness,
        &format!(
            "\nThe fleet is in {folder}; open {page} in a browser. Change a line, run a command again, see what it says.\n\
             What was understood of a configuration, as JSON: yellowlegs read {folder}/northquay/nq-desks-1\n"
        ),
    )?;
    Ok(ExitCode::SUCCESS)
}

/// `marram-ferries`, or with a number behind it where that is taken.
fn fresh(wanted: &Path) -> PathBuf {
    let numbered = (2..).map(|n| PathBuf::from(format!("{}-{n}", wanted.display())));
    std::iter::once(wanted.to_owned()).chain(numbered).find(|p| !p.exists()).unwrap_or_else(|| wanted.to_owned())
}

/// Unpacks the fleet, never over what is there.
fn unpack(dir: &Path) -> Result<(), Failure> {
    let taken = std::fs::read_dir(dir).is_ok_and(|mut entries| entries.next().is_some());
    if taken || dir.is_file() {
        let what = format!("{} is there already", dir.display());
        return Err(Failure::usage(what, "name another folder; the demo overwrites nothing"));
    }
    std::fs::create_dir_all(dir).map_err(|error| Failure::path(dir, error))?;
    FLEET.extract(dir).map_err(|error| Failure::path(dir, error))
}

fn quoted(words: &[&str]) -> String {
    let quote = |word: &&str| {
        let plain = word.chars().all(|c| c.is_ascii_alphanumeric() || "-_./*".contains(c));
        if plain { (*word).to_owned() } else { format!("'{}'", word.replace('\'', "'\\''")) }
    };
    words.iter().map(quote).collect::<Vec<_>>().join(" ")
}

fn say(loudness: Loudness, text: &str) -> Result<(), Failure> {
    let mut out = output::stdout(loudness.color);
    let lines: String = text.split('\n').map(|l| clean(l).into_owned()).collect::<Vec<_>>().join("\n");
    out.write_all(lines.as_bytes()).and_then(|()| out.flush()).map_err(Failure::stdout)
}
