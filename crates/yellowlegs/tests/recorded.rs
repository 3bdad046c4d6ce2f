//! What is said of a site at which many hands have been stays said: the demo with dozens of changes in its texts, tables and policy that
//! nobody arranged (lines gone, doubled, moved, taken from a neighbour, numbers that are others, words bent). Of each fleet what every
//! check and drill says is kept as a count and a mark of its words: a change of the program that is to change no answer leaves the page
//! alone. `YELLOWLEGS_RENEW=1` writes it anew.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;
use std::path::Path;

use crate::support::{Fleet, list, text};
use serde_json::Value;

const CASES: u64 = 12;
const PAGE: &str = "tests/data/recorded.txt";

/// Numbers that follow from a seed, the same everywhere.
struct Draw(u64);

impl Draw {
    fn below(&mut self, end: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        usize::try_from(self.0 >> 33).unwrap() % end.max(1)
    }

    fn of<'t>(&mut self, all: &'t [String]) -> &'t str {
        let at = self.below(all.len());
        all.get(at).map_or("", String::as_str)
    }
}

/// Every file that a switch of the demo gave.
fn files(root: &Path, folder: &Path, found: &mut Vec<String>) {
    let mut entries: Vec<_> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    entries.sort();
    for path in entries {
        match path.file_name().and_then(|name| name.to_str()) {
            Some("dialects" | "yellowlegs.toml" | "stations.csv") => {}
            _ if path.is_dir() => files(root, &path, found),
            _ => found.push(path.strip_prefix(root).unwrap().to_str().unwrap().to_owned()),
        }
    }
}

/// One change of a text, some of them with lines of another one.
fn touched(draw: &mut Draw, own: &str, other: &str) -> String {
    let mut lines: Vec<String> = own.lines().map(str::to_owned).collect();
    let others: Vec<String> = other.lines().map(str::to_owned).collect();
    let at = draw.below(lines.len());
    match draw.below(8) {
        0 | 1 => _ = lines.remove(at),
        2 => lines.insert(at, draw.of(&others).to_owned()),
        3 => draw.of(&others).clone_into(&mut lines[at]),
        4 => {
            let line = lines[at].clone();
            let to = draw.below(lines.len());
            lines.insert(to, line);
        }
        5 if at + 1 < lines.len() => lines.swap(at, at + 1),
        6 => lines[at] = word(draw, &lines[at], |_, word| word.chars().rev().collect()),
        _ => lines[at] = word(draw, &lines[at], number),
    }
    lines.join("\n") + "\n"
}

/// A line with one of its words another.
fn word(draw: &mut Draw, line: &str, other: impl Fn(&mut Draw, &str) -> String) -> String {
    let words: Vec<String> = line.split_whitespace().map(str::to_owned).collect();
    let chosen = draw.of(&words);
    if chosen.is_empty() { line.to_owned() } else { line.replacen(chosen, &other(draw, chosen), 1) }
}

/// A word with its last number another one.
fn number(draw: &mut Draw, word: &str) -> String {
    let Some(end) = word.rfind(|c: char| c.is_ascii_digit()) else { return word.to_owned() };
    let start = word[..end].rfind(|c: char| !c.is_ascii_digit()).map_or(0, |at| at + 1);
    let more = draw.below(4);
    let number = word[start..=end].parse::<u64>().map_or(1, |n| [n + 1, n.saturating_sub(1), n * 2, 1][more]);
    format!("{}{number}{}", &word[..start], &word[end + 1..])
}

/// A mark of a text: another for other words.
fn mark(text: &str) -> String {
    let step = |hash: u64, byte: u8| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3);
    let hash = text.bytes().fold(0xcbf2_9ce4_8422_2325, step);
    format!("{:08x}", hash >> 32 ^ hash & 0xffff_ffff)
}

/// The elements of a report's lists, gathered by what they are about.
fn gathered(report: &Value, lists: &[&str], key: &str) -> BTreeMap<String, (usize, String)> {
    let mut all: BTreeMap<String, (usize, String)> = BTreeMap::new();
    for (name, one) in lists.iter().flat_map(|name| list(report, name).iter().map(move |one| (name, one))) {
        let (count, words) = all.entry(format!("{} {name}", text(one, key)).trim().to_owned()).or_default();
        *count += 1;
        writeln!(words, "{one}").unwrap();
    }
    all
}

fn put(page: &mut String, all: BTreeMap<String, (usize, String)>) {
    all.into_iter().for_each(|(about, (count, words))| writeln!(page, "{about} {count}: {}", mark(&words)).unwrap());
}

fn told(seed: u64) -> String {
    let (fleet, mut draw, mut all) = (Fleet::demo(), Draw(seed * 7919 + 17), Vec::new());
    files(fleet.path(), fleet.path(), &mut all);
    for _ in 0..10 + draw.below(40) {
        let (own, other) = (draw.of(&all).to_owned(), draw.of(&all).to_owned());
        // A neighbour's text of the same kind, where there is one.
        let kind = own.rsplit('/').next().unwrap();
        let like: Vec<String> = all.iter().filter(|file| file.ends_with(kind)).cloned().collect();
        let other = if draw.below(4) == 0 { other } else { draw.of(&like).to_owned() };
        fleet.write(&own, touched(&mut draw, &fleet.read(&own), &fleet.read(&other)));
    }
    // The policy and the inventory, too; what is none any more is told elsewhere.
    for file in ["yellowlegs.toml", "stations.csv"] {
        for _ in 0..seed % 4 {
            let before = fleet.read(file);
            fleet.write(file, touched(&mut draw, &before, ""));
            if fleet.run(&["policy", "test"]).code == 2 {
                fleet.write(file, before);
            }
        }
    }
    let mut page = format!("== {seed}\n");
    let ran = fleet.run(&["audit", "--format", "json"]);
    match serde_json::from_str::<Value>(&ran.out) {
        Ok(report) => {
            writeln!(page, "{}", report["summary"]).unwrap();
            put(&mut page, gathered(&report, &["findings", "fleet_findings", "undetermined"], "check"));
            put(&mut page, gathered(&report, &["unread", "doubts", "remarks", "unreadable", "switches"], ""));
        }
        Err(_) => writeln!(page, "code {}: {}", ran.code, mark(&ran.err)).unwrap(),
    }
    let ran = fleet.run(&["drill", "--format", "json"]);
    match serde_json::from_str::<Value>(&ran.out) {
        Ok(report) => {
            let lists: Vec<&str> = report.as_object().unwrap().keys().map(String::as_str).collect();
            put(&mut page, gathered(&report, &lists, "drill"));
        }
        Err(_) => writeln!(page, "code {}: {}", ran.code, mark(&ran.err)).unwrap(),
    }
    page
}

#[test]
fn what_is_said_stays_said() {
    let workers = std::thread::available_parallelism().map_or(1, usize::from) as u64;
    let mut pages: BTreeMap<u64, String> = BTreeMap::new();
    std::thread::scope(|scope| {
        let one = |worker| (worker..CASES).step_by(workers as usize).map(|seed| (seed, told(seed))).collect::<Vec<_>>();
        let all: Vec<_> = (0..workers).map(|worker| scope.spawn(move || one(worker))).collect();
        all.into_iter().for_each(|part| pages.extend(part.join().unwrap()));
    });
    let made: String = pages.into_values().collect();
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join(PAGE);
    if std::env::var_os("YELLOWLEGS_RENEW").is_some() {
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(&path, &made).unwrap();
    }
    let there = fs::read_to_string(&path).unwrap_or_default();
    let stray = made.lines().zip(there.lines()).find(|(made, there)| made != there);
    assert!(made == there, "{PAGE} says otherwise, first where the program says and the page: {stray:?}");
}
