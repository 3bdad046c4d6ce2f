//! `yellowlegs demo`: the demo fleet, unpacked and walked through. Each stop is a command of this program, run as anybody would; in a
//! terminal the tour waits after each.

use std::io::{BufRead as _, IsTerminal as _, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode, Stdio};

use include_dir::{Dir, include_dir};

use crate::args::{Demo, Loudness};
use crate::failure::Failure;
use crate::output;
use crate::render::clean;

static FLEET: Dir<'static> = include_dir!("$CARGO_MANIFEST_DIR/../../demo");

/// The folder that the fleet goes into when none is named.
const NAME: &str = "marram-ferries";
/// Lines of a stop where nobody knows how tall the screen is.
const SCREEN: usize = 24;
/// Lines of a screen that a stop's title and its end take.
const FRAME: usize = 6;

/// A stop of the tour: what it shows, and the words of the command.
struct Stop {
    shows: &'static str,
    words: Vec<String>,
}

pub(super) fn run(args: &Demo, loudness: Loudness) -> Result<ExitCode, Failure> {
    let dir = match &args.dir {
        Some(dir) => dir.clone(),
        None => fresh(Path::new(NAME)),
    };
    unpack(&dir)?;
    let stops = stops(&dir);
    let waits = std::io::stdout().is_terminal() && std::io::stdin().is_terminal();
    let height = terminal_size::terminal_size_of(std::io::stdout()).map_or(SCREEN, |(_, rows)| usize::from(rows.0));
    let most = if args.whole { usize::MAX } else { height.saturating_sub(FRAME).max(FRAME) };
    let count = stops.len();
    for (number, stop) in stops.iter().enumerate() {
        let title = format!("\n── {} of {count}. {}\n$ yellowlegs {}\n\n", number + 1, stop.shows, quoted(&stop.words));
        say(loudness, &title)?;
        show(stop, most, loudness)?;
        if waits && number + 1 < count && !leads_on(loudness)? {
            break;
        }
    }
    say(loudness, &end(&dir))?;
    Ok(ExitCode::SUCCESS)
}

fn stops(dir: &Path) -> Vec<Stop> {
    let inside = |path: &str| dir.join(path).display().to_string();
    let folder = dir.display().to_string();
    let (dialect, gates) = (inside("dialects/shingle.toml"), inside("northquay/nq-gates-1/config.txt"));
    let (page, report) = (inside("page.html"), inside("report.json"));
    let all: [(&str, &[&str]); 10] = [
        ("the whole audit as a page: how bad it is, and where to begin", &["audit", &folder, "--write", &page]),
        (
            "which ports of one switch break port security, and the lines that prove it",
            &["audit", &folder, "--switch", "nq-desks-1", "--only", "port-security"],
        ),
        ("one check explained", &["checks", "port-security/not-armed"]),
        ("a socket that somebody calls about", &["port", "nq-desks-1", "1.7", "--fleet", &folder]),
        (
            "what an attacker would get through on the ticket desks of one switch",
            &["drill", "--fleet", &folder, "--switch", "nq-desks-1", "--role", "desk"],
        ),
        (
            "what mends that switch: which lines, in which order, who is touched, and the proof that nothing breaks",
            &["mend", "--fleet", &folder, "--switch", "nq-desks-1"],
        ),
        ("which links came and went too often", &["flaps", "--fleet", &folder]),
        ("two sister switches that should be alike", &["compare", "sp-gates-1", "sp-gates-2", "--fleet", &folder]),
        ("lines of a text that its dialect does not know", &["dialect", "explain", &dialect, &gates, "--unread"]),
        (
            "for a pipeline: only the exit code and a file",
            &["audit", &folder, "-q", "--only", "port/mode-negotiated", "--write", &report],
        ),
    ];
    all.map(|(shows, words)| Stop { shows, words: words.iter().map(|word| (*word).to_owned()).collect() }).into()
}

/// Runs a stop's command and shows so many lines of what it prints.
fn show(stop: &Stop, most: usize, loudness: Loudness) -> Result<(), Failure> {
    let this = std::env::current_exe().map_err(|error| Failure::path(Path::new("yellowlegs"), error))?;
    let mut command = Command::new(&this);
    command.args(&stop.words).arg("--color").arg(if output::is_plain(loudness.color) { "never" } else { "always" });
    let ran = command.stderr(Stdio::inherit()).output().map_err(|error| Failure::path(&this, error))?;
    let text = String::from_utf8_lossy(&ran.stdout);
    let lines: Vec<&str> = text.trim_end().trim_start_matches('\n').lines().collect();
    let mut out = output::stdout(loudness.color);
    let mut tell = |line: &str| writeln!(out, "{line}").map_err(Failure::stdout);
    lines.iter().take(most).try_for_each(|line| tell(line))?;
    if lines.len() > most {
        tell(&format!("(+ {} lines)", lines.len() - most))?;
    }
    match ran.status.code() {
        Some(code @ 0..=3) if lines.is_empty() => tell(&format!("(nothing printed; exit code {code})"))?,
        Some(0 | 1 | 3) => {}
        _ => return Err(Failure::usage("a command of the tour failed", "what it said stands above")),
    }
    out.flush().map_err(Failure::stdout)
}

/// Waits at the end of a stop: whether the tour goes on.
fn leads_on(loudness: Loudness) -> Result<bool, Failure> {
    say(loudness, "\nEnter: the next stop; q: enough ")?;
    let mut answer = String::new();
    let read = std::io::stdin().lock().read_line(&mut answer);
    Ok(read.is_ok_and(|read| read > 0) && !answer.trim().eq_ignore_ascii_case("q"))
}

/// What to do next, here and at home.
fn end(dir: &Path) -> String {
    let folder = dir.display();
    format!(
        "\nThe fleet is in {folder}. Change a line, run a command again, see what it says; --whole shows all of every stop.\n\
         For your own switches:\n  \
         yellowlegs dialect sketch CONFIG...        a starting dialect from texts nobody described yet\n  \
         yellowlegs dialect teach D.toml CONFIG...  what their lines mean, asked one kind after the other\n  \
         yellowlegs policy new FOLDER               a policy drafted from a fleet: VLANs, roles, servers, links\n  \
         yellowlegs audit FOLDER --write page.html  what breaks it\n"
    )
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

fn quoted(words: &[String]) -> String {
    let quote = |word: &String| {
        let plain = word.chars().all(|c| c.is_ascii_alphanumeric() || "-_./*".contains(c));
        if plain { word.clone() } else { format!("'{}'", word.replace('\'', "'\\''")) }
    };
    words.iter().map(quote).collect::<Vec<_>>().join(" ")
}

fn say(loudness: Loudness, text: &str) -> Result<(), Failure> {
    let mut out = output::stdout(loudness.color);
    let lines: String = text.split('\n').map(|l| clean(l).into_owned()).collect::<Vec<_>>().join("\n");
    out.write_all(lines.as_bytes()).and_then(|()| out.flush()).map_err(Failure::stdout)
}
