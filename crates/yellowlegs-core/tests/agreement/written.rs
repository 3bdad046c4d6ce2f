//! Fleets as they are written: texts of switches, of their saved copies and states, of dialects and a policy. A number draws one of them
//! and up to six changes of lines, words and figures, as hands make them in years.

use super::generated::strict_text;
use super::support::{POLICY, SHINGLE};
use super::texts::{COVE, COVE_TEXT, FATHOM, FATHOM_TEXT, SHINGLE_TEXT};
use super::{chain, right};

macro_rules! language {
    ($file:literal) => {
        include_str!(concat!("../../../yellowlegs/tests/data/languages/", $file))
    };
}

macro_rules! demo {
    ($($file:literal),+) => {
        include_str!(concat!("../../../../demo/", $($file),+))
    };
}

/// A switch of the demo with all that it says.
macro_rules! of_demo {
    ($site:literal, $name:literal, $dialect:expr) => {
        Written {
            saved: Some(demo!($site, "/", $name, "/saved.txt").to_owned()),
            state: [demo!($site, "/", $name, "/tables.out"), demo!($site, "/", $name, "/events.log")].concat(),
            ..written($name, $dialect, demo!($site, "/", $name, "/config.txt"))
        }
    };
}

/// A switch as it is written: its dialect is a position among those of its fleet.
#[derive(Clone)]
pub(super) struct Written {
    pub(super) name: &'static str,
    pub(super) dialect: usize,
    pub(super) config: String,
    pub(super) saved: Option<String>,
    pub(super) state: String,
}

/// A fleet as it is written.
#[derive(Clone)]
pub(super) struct Fleet {
    pub(super) policy: String,
    /// Each with its name, which no change takes away.
    pub(super) dialects: Vec<(&'static str, String)>,
    pub(super) switches: Vec<Written>,
}

fn written(name: &'static str, dialect: usize, config: &str) -> Written {
    Written { name, dialect, config: config.to_owned(), saved: None, state: String::new() }
}

/// A dialect of the demo, without what it says of itself.
fn rules(dialect: &str) -> String {
    dialect.split("# ── examples").next().unwrap_or_default().to_owned()
}

/// The fleets to begin with: two right ones, three switches in a row, four structures, three that use much of a dialect, the demo.
fn fleets() -> Vec<Fleet> {
    let right = |policy: &str| Fleet {
        policy: policy.to_owned(),
        dialects: vec![("shingle", rules(SHINGLE))],
        switches: ["edge", "core"].map(|name| written(name, 0, &right::text(name))).into(),
    };
    let row = chain::fleet().into_iter().map(|(name, lines)| written(name, 0, &chain::text(name, &lines)));
    let row = Fleet {
        policy: [chain::POLICY, chain::LINKS].concat(),
        dialects: vec![("shingle", rules(SHINGLE))],
        switches: row.collect(),
    };
    let structures = Fleet {
        policy: language!("yellowlegs.toml").to_owned(),
        dialects: vec![
            ("dune", language!("dialects/dune.toml").to_owned()),
            ("kelp", language!("dialects/kelp.toml").to_owned()),
            ("reef", language!("dialects/reef.toml").to_owned()),
            ("tarn", language!("dialects/tarn.toml").to_owned()),
        ],
        switches: vec![
            Written {
                state: language!("dune-1/tables.out").to_owned(),
                ..written("dune-1", 0, language!("dune-1/config.txt"))
            },
            written("kelp-1", 1, language!("kelp-1/config.txt")),
            Written {
                state: language!("reef-1/state.out").to_owned(),
                ..written("reef-1", 2, language!("reef-1/config.txt"))
            },
            written("tarn-1", 3, language!("tarn-1/config.txt")),
        ],
    };
    let kept = |name, dialect, text: &str| Written { saved: Some(text.to_owned()), ..written(name, dialect, text) };
    let texts = Fleet {
        policy: POLICY.to_owned(),
        dialects: vec![("shingle", rules(SHINGLE)), ("fathom", rules(FATHOM)), ("cove", COVE.to_owned())],
        switches: vec![kept("t", 0, SHINGLE_TEXT), kept("f", 1, FATHOM_TEXT), kept("c", 2, COVE_TEXT)],
    };
    // Its stations are in a file of their own.
    let policy = demo!("yellowlegs.toml").lines().filter(|line| !line.contains("stations.csv"));
    let policy = policy.fold(String::new(), |text, line| text + line + "\n");
    let demo = |switches: [Written; 3]| Fleet {
        policy: policy.clone(),
        dialects: vec![("shingle", rules(SHINGLE)), ("fathom", rules(FATHOM))],
        switches: switches.into(),
    };
    let north = [
        of_demo!("northquay", "nq-core-1", 0),
        of_demo!("northquay", "nq-desks-1", 0),
        of_demo!("northquay", "nq-gates-1", 0),
    ];
    let quay = [
        of_demo!("northquay", "nq-core-1", 0),
        of_demo!("northquay", "nq-desks-2", 0),
        of_demo!("northquay", "nq-bridge-1", 0),
    ];
    let pan = [
        of_demo!("saltpan", "sp-core-1", 1),
        of_demo!("saltpan", "sp-hall-1", 1),
        of_demo!("saltpan", "sp-gates-1", 1),
    ];
    vec![right(right::POLICY), right(&strict_text()), row, structures, texts, demo(north), demo(quay), demo(pan)]
}

/// Numbers in a row, the same from the same first one: written here, so that no library draws others one day.
struct Numbers(u64);

impl Numbers {
    fn below(&mut self, end: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mixed = (self.0 ^ self.0 >> 30).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        let mixed = (mixed ^ mixed >> 27).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((mixed ^ mixed >> 31) >> 8) as usize % end.max(1)
    }

    fn of<'a>(&mut self, lines: &[&'a str]) -> &'a str {
        lines.get(self.below(lines.len())).copied().unwrap_or_default()
    }
}

/// A line with another word at this position.
fn with_word(line: &str, at: usize, other: &str) -> String {
    let Some(word) = line.split_whitespace().nth(at) else { return line.to_owned() };
    let start = word.as_ptr() as usize - line.as_ptr() as usize;
    format!("{}{other}{}", &line[..start], &line[start + word.len()..])
}

/// A line with a word of one that begins alike.
fn with_word_of_another(numbers: &mut Numbers, line: &str, lines: &[&str]) -> String {
    let first = line.split_whitespace().next();
    let alike: Vec<&str> = lines.iter().copied().filter(|other| other.split_whitespace().next() == first).collect();
    let place = 1 + numbers.below(line.split_whitespace().count().saturating_sub(1));
    let other = numbers.of(&alike).split_whitespace().nth(place).unwrap_or("heron");
    with_word(line, place, other)
}

/// A line with one of its figures another.
fn with_figure(numbers: &mut Numbers, line: &str, lines: &[&str]) -> String {
    let figures = |line: &str| {
        let mut figures: Vec<(usize, usize)> = Vec::new();
        for (at, _) in line.char_indices().filter(|(_, letter)| letter.is_ascii_digit()) {
            match figures.last_mut() {
                Some(last) if last.1 == at => last.1 += 1,
                _ => figures.push((at, at + 1)),
            }
        }
        figures
    };
    let there = figures(line);
    let Some(&(from, to)) = there.get(numbers.below(there.len())) else { return line.to_owned() };
    let figure: u64 = line[from..to].parse().unwrap_or_default();
    let other = match numbers.below(8) {
        0 => figure + 1,
        1 => figure.saturating_sub(1),
        2 => 0,
        3 => figure * 2,
        4 => 4094,
        _ => {
            let other = numbers.of(lines);
            let theirs = figures(other);
            theirs.get(numbers.below(theirs.len())).and_then(|&(from, to)| other[from..to].parse().ok()).unwrap_or(1)
        }
    };
    format!("{}{other}{}", &line[..from], &line[to..])
}

/// A line that takes back what another says, in the way of a dialect.
fn taken_back(numbers: &mut Numbers, line: &str) -> String {
    let said = line.trim_start();
    let words: Vec<&str> = said.split_whitespace().collect();
    let few = words[..words.len().min(1 + numbers.below(3))].join(" ");
    let indent = &line[..line.len() - said.len()];
    said.strip_prefix("lay ").map_or_else(|| format!("{indent}without {few}"), |rest| format!("lift {rest}"))
}

/// Changes a text in one of so many ways; what was done. Lines and words are taken from those of texts like it.
fn change(numbers: &mut Numbers, text: &mut String, like: &[&str], ways: usize) -> String {
    let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
    let (at, to) = (numbers.below(lines.len()), numbers.below(lines.len()));
    let Some(was) = lines.get(at).cloned() else { return "nothing is there".to_owned() };
    let told = match numbers.below(ways) {
        0 => {
            lines.remove(at);
            format!("without {was}")
        }
        1 | 2 => {
            lines[at] = with_word_of_another(numbers, &was, like);
            format!("{was} becomes {}", lines[at].trim())
        }
        3 | 4 => {
            lines[at] = with_figure(numbers, &was, like);
            format!("{was} becomes {}", lines[at].trim())
        }
        5 | 6 => {
            lines.insert(at, numbers.of(like).to_owned());
            format!("line {} is {}", at + 1, lines[at])
        }
        7 => {
            lines.insert(to, was.clone());
            format!("line {} is {was}", to + 1)
        }
        8 => {
            let line = lines.remove(at);
            lines.insert(to.min(lines.len()), line);
            format!("to line {} goes {was}", to + 1)
        }
        9 => {
            lines[at] = with_word(&was, numbers.below(was.split_whitespace().count()), "heron");
            format!("{was} becomes {}", lines[at].trim())
        }
        10 => {
            lines.insert(at + 1, taken_back(numbers, &was));
            format!("line {} is {}", at + 2, lines[at + 1])
        }
        _ => {
            let half = was.char_indices().nth(was.chars().count() / 2).map_or(0, |(byte, _)| byte);
            lines.truncate(at);
            lines.push(was[..half].to_owned());
            format!("torn in {was}")
        }
    };
    *text = lines.iter().fold(String::new(), |text, line| text + line + "\n");
    told.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The fleet of a number, and what was changed in it.
pub(super) fn drawn(number: u64) -> (Fleet, Vec<String>) {
    let (fleets, numbers) = (fleets(), &mut Numbers(number));
    let mut fleet = fleets[numbers.below(fleets.len())].clone();
    let mut told = Vec::new();
    for _ in 0..=numbers.below(6) {
        let (what, one) = (numbers.below(12), numbers.below(fleet.switches.len()));
        let Fleet { policy, dialects, switches } = &mut fleet;
        let Written { name, dialect, config, saved, state } = &mut switches[one];
        let is_alike = |of: &Fleet, switch: &Written| of.dialects[switch.dialect].0 == dialects[*dialect].0;
        let like: Vec<&Written> =
            fleets.iter().flat_map(|of| of.switches.iter().filter(move |s| is_alike(of, s))).collect();
        let configs = || like.iter().flat_map(|switch| switch.config.lines()).collect::<Vec<_>>();
        let done = match (what, saved) {
            (0..=5, _) => format!("{name}: {}", change(numbers, config, &configs(), 12)),
            (6, Some(saved)) => format!("{name}, saved: {}", change(numbers, saved, &configs(), 12)),
            (6 | 7, _) if state.is_empty() => {
                let other = like[numbers.below(like.len())];
                state.clone_from(&other.state);
                format!("{name}, state: that of {}", other.name)
            }
            (7, _) => {
                let lines: Vec<&str> = like.iter().flat_map(|switch| switch.state.lines()).collect();
                format!("{name}, state: {}", change(numbers, state, &lines, 10))
            }
            (8, _) => {
                let lines: Vec<&str> =
                    fleets.iter().flat_map(|f| f.dialects.iter().flat_map(|d| d.1.lines())).collect();
                format!("dialect {dialect}: {}", change(numbers, &mut dialects[*dialect].1, &lines, 5))
            }
            _ => {
                let lines: Vec<&str> = fleets.iter().flat_map(|f| f.policy.lines()).collect();
                format!("policy: {}", change(numbers, policy, &lines, 8))
            }
        };
        told.push(done);
    }
    (fleet, told)
}
