//! Rehearsals: a matrix of ports and drills, a timeline that reads like a story, and the list of drills; in files of their own rows as
//! JSON and CSV, the matrix as a page, and drills that somebody wrote.

mod html;
mod rows;
mod script;

use std::collections::BTreeMap;
use std::io::{self, Write};
use std::ptr;
use std::sync::Arc;

use anstyle::{AnsiColor, Style};
use yellowlegs_core::drill::machine::Millis;
use yellowlegs_core::drill::{self, Around, Because, Outcome, Rehearsal, Rehearsed, deciding, proof};
use yellowlegs_core::finding::EvidenceKind;
use yellowlegs_core::model::port_spans;
use yellowlegs_core::resolve::Resolved;
use yellowlegs_core::sorted;

pub(crate) use html::Html;
pub(crate) use rows::{Csv, Json};
pub(crate) use script::{ScriptReport, script_json, script_text};

use super::look::Look;
use super::style::{BOLD, DIM, GOOD, PLACE, level, paint};
use super::wrap::{wrapped, wrapped_behind};
use super::{Head, clean, place, shown};
use yellowlegs_core::policy::Level;

fn seconds(millis: Millis) -> f64 {
    std::time::Duration::from_millis(millis).as_secs_f64()
}

/// A switch whose ports were rehearsed.
pub(crate) struct PlayedSwitch {
    pub(crate) resolved: Resolved,
    pub(crate) ports: Vec<Played>,
    /// How many unlike ports there are.
    pub(crate) classes: usize,
}

/// How drills ended on a port, and on all that are like it.
pub(crate) type Drills = Arc<[Arc<Rehearsed>]>;

/// A port with what was played on it, or on one like it.
pub(crate) struct Played {
    pub(crate) port: usize,
    pub(crate) name: String,
    pub(crate) role: Option<String>,
    pub(crate) drills: Drills,
}

/// Rehearsals being written.
pub(crate) trait DrillReport: Send {
    fn head(&mut self, out: &mut dyn Write, head: &Head) -> io::Result<()>;
    fn switch(&mut self, out: &mut dyn Write, played: &PlayedSwitch, around: &Around) -> io::Result<()>;
    fn tail(&mut self, out: &mut dyn Write, classes: usize) -> io::Result<()>;
}

/// The drills, each with its stimulus, when it holds, and the checks that answer for it.
pub(crate) fn list(out: &mut dyn Write) -> io::Result<()> {
    for drill in drill::all() {
        writeln!(out, "{}", paint(BOLD, drill.name))?;
        writeln!(out, "  {}", drill.stimulus)?;
        writeln!(out, "  {} {}", paint(DIM, "holds when"), drill.holds)?;
        writeln!(out, "  {} {}", paint(DIM, "answered for by"), drill.answers.join(", "))?;
    }
    writeln!(out, "\n`yellowlegs drill NAME --port PORT --timeline` tells one frame by frame.")
}

fn mark(outcome: Outcome, plain: bool) -> &'static str {
    match outcome {
        Outcome::LetThrough => "X",
        Outcome::Outage => "!",
        Outcome::Undetermined => "?",
        Outcome::Agreed => "a",
        Outcome::Told => "t",
        Outcome::Held if plain => ".",
        Outcome::Held => "·",
    }
}

fn colour(outcome: Outcome) -> Style {
    match outcome {
        Outcome::LetThrough => AnsiColor::BrightWhite.on(AnsiColor::Red).bold(),
        Outcome::Outage => AnsiColor::Black.on(AnsiColor::Yellow),
        Outcome::Undetermined => AnsiColor::Magenta.on_default().bold(),
        Outcome::Agreed => AnsiColor::Cyan.on_default(),
        Outcome::Told => DIM,
        Outcome::Held => AnsiColor::Green.on_default(),
    }
}

/// A row's marks, without colours.
fn marks(outcomes: &[Option<Outcome>], plain: bool) -> String {
    let mark = |outcome: &Option<Outcome>| [" ", outcome.map_or(" ", |outcome| mark(outcome, plain))];
    outcomes.iter().flat_map(mark).collect()
}

/// Ports of one role on which everything ended alike.
struct Row<'p> {
    outcomes: Vec<Option<Outcome>>,
    role: Option<&'p str>,
    ports: Vec<&'p Played>,
}

/// The rows of a switch, the one with most that got through first.
fn rows_of(played: &PlayedSwitch) -> Vec<Row<'_>> {
    let mut rows: Vec<Row<'_>> = Vec::new();
    for port in &played.ports {
        // They are in the order of all.
        let mut drills = port.drills.iter().peekable();
        let mut outcome = |drill: &drill::Drill| {
            drills.next_if(|played| ptr::eq(played.drill, drill)).map(|played| played.told.outcome)
        };
        let outcomes: Vec<Option<Outcome>> = drill::all().iter().map(&mut outcome).collect();
        let role = port.role.as_deref();
        match rows.iter_mut().find(|row| row.outcomes == outcomes && row.role == role) {
            Some(row) => row.ports.push(port),
            None => rows.push(Row { outcomes, role, ports: vec![port] }),
        }
    }
    sorted::by_key(&mut rows, |row| {
        let count = |wanted: Outcome| row.outcomes.iter().filter(|o| **o == Some(wanted)).count();
        std::cmp::Reverse((count(Outcome::LetThrough), count(Outcome::Outage), count(Outcome::Undetermined)))
    });
    rows
}

/// How often something got through on a switch, and how often a service broke.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord)]
struct Holes {
    through: usize,
    broken: usize,
}

impl Holes {
    fn of(played: &PlayedSwitch) -> Self {
        let outcomes = || played.ports.iter().flat_map(|port| port.drills.iter()).map(|drill| drill.told.outcome);
        let count = |wanted| outcomes().filter(|outcome| *outcome == wanted).count();
        Self { through: count(Outcome::LetThrough), broken: count(Outcome::Outage) }
    }
}

/// So many switches are named as the worst.
const WORST: usize = 5;

/// Ports by drills.
pub(crate) struct Matrix {
    look: Look,
    /// What is shown where a drill ended so, in the order of outcomes.
    cells: [String; Outcome::ALL.len()],
    /// By drill and outcome, how often it ended so, with the first example.
    ended: Vec<[(usize, String); Outcome::ALL.len()]>,
    /// The same by what it hangs on, where it hangs on something.
    hung: BTreeMap<(Outcome, &'static str), (usize, String)>,
    switches: Vec<(Holes, String)>,
}

impl Matrix {
    pub(crate) fn new(look: Look) -> Self {
        let cell = |outcome| paint(colour(outcome), &format!(" {}", mark(outcome, look.plain)));
        let ended = drill::all().iter().map(|_| Default::default()).collect();
        Self { cells: Outcome::ALL.map(cell), look, ended, hung: BTreeMap::new(), switches: Vec::new() }
    }

    /// What ended so, or hangs on something: how often, and the first example; the most frequent first.
    fn counted(&self, outcome: Outcome) -> Vec<(&'static str, &(usize, String))> {
        let drills = drill::all().iter().map(|drill| drill.name).zip(self.ended.iter().map(|of| &of[outcome as usize]));
        let hung = self.hung.iter().filter(|((of, _), _)| *of == outcome).map(|((_, on), counted)| (*on, counted));
        let mut all: Vec<_> = drills.filter(|(_, (count, _))| *count > 0).chain(hung).collect();
        sorted::by_key(&mut all, |(name, (count, _))| (std::cmp::Reverse(*count), *name));
        all
    }
}

impl DrillReport for Matrix {
    fn head(&mut self, out: &mut dyn Write, head: &Head) -> io::Result<()> {
        writeln!(out, "{}", paint(DIM, &clean(&head.title())))?;
        let legend = Outcome::ALL.map(|outcome| {
            format!("{} {}", paint(colour(outcome), mark(outcome, self.look.plain)), paint(DIM, outcome.word()))
        });
        writeln!(out, "{}   {}", legend.join("  "), paint(DIM, "(empty: it makes no sense)"))?;
        let names = (1..).zip(drill::all()).map(|(number, drill)| format!("{number}\u{a0}{}", drill.name));
        let names: Vec<String> = names.collect();
        wrapped(out, "", 0, &names.join("  "), self.look.width)
    }

    fn switch(&mut self, out: &mut dyn Write, played: &PlayedSwitch, _: &Around) -> io::Result<()> {
        let switch = played.resolved.switch.name();
        self.switches.push((Holes::of(played), switch.to_string()));
        for port in &played.ports {
            // They are in the order of all.
            let mut drills = port.drills.iter().peekable();
            for (drill, ended) in drill::all().iter().zip(&mut self.ended) {
                let Some(rehearsed) = drills.next_if(|rehearsed| ptr::eq(rehearsed.drill, drill)) else { continue };
                let told = &rehearsed.told;
                // What hangs on one thing is told once, whatever drill hangs on it.
                let (count, example) = match &rehearsed.hangs {
                    Some((hang, _)) => self.hung.entry((told.outcome, hang.on)).or_default(),
                    None => &mut ended[told.outcome as usize],
                };
                if *count == 0 {
                    *example = format!("{switch} {}: {}", port.name, told.says);
                }
                *count += 1;
            }
        }
        writeln!(out, "\n{}", paint(BOLD, &clean(switch)))?;
        let digits = |of: &dyn Fn(usize) -> String| (1..=drill::all().len()).map(of).collect::<Vec<_>>().join(" ");
        let tens = digits(&|number| if number < 10 { " ".to_owned() } else { (number / 10).to_string() });
        writeln!(out, "   {}\n   {}", paint(DIM, &tens), paint(DIM, &digits(&|number| (number % 10).to_string())))?;
        for Row { outcomes, role, ports } in rows_of(played) {
            let cell = |outcome: &Option<Outcome>| outcome.map_or("  ", |outcome| &self.cells[outcome as usize]);
            let (lead, plain) = (outcomes.iter().map(cell).collect::<String>(), marks(&outcomes, self.look.plain));
            let ports = port_spans(&ports.iter().map(|port| port.name.as_str()).collect::<Vec<_>>()).join(", ");
            let role = role.map(|role| format!(" ({role})")).unwrap_or_default();
            let words = format!("{ports}{role}");
            let (lead, plain) = (format!("  {lead}  "), format!("  {plain}  "));
            wrapped_behind(out, (&lead, &plain), 4 + 2 * outcomes.len(), &clean(&words), self.look.width)?;
        }
        Ok(())
    }

    fn tail(&mut self, out: &mut dyn Write, classes: usize) -> io::Result<()> {
        for (outcome, title) in [
            (Outcome::LetThrough, "What gets through"),
            (Outcome::Outage, "What breaks"),
            (Outcome::Undetermined, "What nobody knows"),
            (Outcome::Agreed, "What gets through, and the policy asks for nothing that would stop it"),
        ] {
            let rows = self.counted(outcome);
            if rows.is_empty() {
                continue;
            }
            writeln!(out, "\n{}", paint(BOLD, title))?;
            for (name, (count, example)) in rows {
                let what = if outcome == Outcome::Undetermined { "drill" } else { "port" };
                let what = if *count == 1 { what.to_owned() } else { format!("{what}s") };
                let on = if outcome == Outcome::Undetermined { "leaves open" } else { "on" };
                let lead = format!("  {} {on} {count} {what}, ", paint(colour(outcome), &format!(" {name} ")));
                // The title says what is said of each.
                let example = example.strip_suffix(drill::AGREED).unwrap_or(example);
                wrapped(out, &lead, 6, &clean(&format!("e.g. {example}")), self.look.width)?;
            }
        }
        sorted::by_key(&mut self.switches, |(holes, _)| std::cmp::Reverse(*holes));
        let worst = self.switches.iter().take_while(|(holes, _)| *holes != Holes::default()).take(WORST);
        let worst: Vec<String> = worst
            .map(|(Holes { through, broken }, switch)| {
                let drills = if *through == 1 { "drill" } else { "drills" };
                format!("{switch}: {through} {drills} let through, {broken} broken")
            })
            .collect();
        if self.switches.len() > 1 && !worst.is_empty() {
            writeln!(out, "\n{}", paint(BOLD, "Worst first"))?;
            worst.iter().try_for_each(|line| writeln!(out, "   {}", clean(line)))?;
        }
        let is_none = |outcome: Outcome| self.counted(outcome).is_empty();
        if Outcome::ALL.into_iter().filter(|outcome| *outcome < Outcome::Agreed).all(is_none) {
            let but = if is_none(Outcome::Agreed) { "" } else { ", but for what is agreed on" };
            writeln!(out, "\n{}", paint(GOOD, &format!("Every drill held{but}.")))?;
        }
        let words = format!("{classes} unlike ports were played, the others are like them.");
        wrapped(out, "\n", 0, &words, self.look.width)
    }
}

/// A story for each drill and port.
pub(crate) struct Timeline {
    pub(crate) look: Look,
}

impl DrillReport for Timeline {
    fn head(&mut self, _: &mut dyn Write, _: &Head) -> io::Result<()> {
        Ok(())
    }

    fn switch(&mut self, out: &mut dyn Write, played: &PlayedSwitch, around: &Around) -> io::Result<()> {
        let width = self.look.width;
        for port in &played.ports {
            for rehearsed in port.drills.iter() {
                let Rehearsed { drill, told, hangs, port: class, .. } = &**rehearsed;
                let outcome = paint(colour(told.outcome), &format!(" {} ", told.outcome.word()));
                let name = format!("{} {}", played.resolved.switch.name(), port.name);
                let lead = format!("{}  {}  {outcome}  ", paint(BOLD, &clean(&name)), paint(BOLD, drill.name));
                wrapped(out, &lead, 2, &clean(&told.says), width)?;
                wrapped(out, &paint(DIM, "  played: "), 4, drill.stimulus, width)?;
                for line in &told.story {
                    let clock = format!("{:>9.3} s  ", seconds(line.at));
                    let beside = line.switch.as_ref().map(|name| (name, around.kept(name)));
                    let resolved = beside.and_then(|(_, kept)| kept).map_or(&played.resolved, |kept| kept);
                    // What was played on a port like this one is told of this one.
                    let at = if line.port == *class && beside.is_none() { port.port } else { line.port };
                    let place = resolved.switch.ports().get(at).map_or("", |p| p.as_str());
                    let words = match beside {
                        Some((name, _)) => format!("{name} {place}: {}", line.words),
                        None if at == port.port => line.words.clone(),
                        None => format!("{place}: {}", line.words),
                    };
                    wrapped(out, &paint(PLACE, &clock), 13, &clean(&words), width)?;
                    if let Some(because) = &line.because {
                        decided(out, resolved, at, because, width)?;
                    }
                }
                if let Some(because) =
                    told.because.as_ref().filter(|b| told.story.iter().all(|l| l.because != Some(**b)))
                {
                    writeln!(out, "  {}", paint(DIM, "what it hangs on"))?;
                    let (resolved, at) = place_of(played, port, told, around);
                    decided(out, resolved, at, because, width)?;
                }
                if let Some((hang, either)) = hangs {
                    for one in either {
                        writeln!(out, "  if {} were {}: {}", hang.on, clean(&one.value.to_string()), one.word())?;
                    }
                }
                for (title, text) in [("cut off", &told.collateral), ("comes back", &told.recovery)] {
                    if let Some(text) = text {
                        wrapped(out, &format!("  {} ", paint(BOLD, title)), 4, &clean(text), width)?;
                    }
                }
                writeln!(out)?;
            }
        }
        Ok(())
    }

    fn tail(&mut self, _: &mut dyn Write, _: usize) -> io::Result<()> {
        Ok(())
    }
}

/// The switch and the port where a drill was decided.
fn place_of<'a>(
    played: &'a PlayedSwitch,
    port: &Played,
    told: &Rehearsal,
    around: &'a Around,
) -> (&'a Resolved, usize) {
    match &told.elsewhere {
        Some((name, at)) if name == played.resolved.switch.name() => (&played.resolved, *at),
        Some((name, at)) if let Some(kept) = around.kept(name) => (kept, *at),
        _ => (&played.resolved, port.port),
    }
}

/// The feature, the setting in force, and its line.
fn decided(out: &mut dyn Write, resolved: &Resolved, port: usize, because: &Because, width: usize) -> io::Result<()> {
    let slot = deciding(&resolved.switch, port, because);
    let value = shown(slot.value.as_ref());
    let lead = format!("             {} ", paint(level(Level::Advice), because.feature));
    let words = format!("{} is {value} ({})", because.setting.name(), slot.origin.word());
    wrapped(out, &lead, 15, &clean(&words), width)?;
    for line in proof(resolved, port, because).iter().filter(|line| line.kind != EvidenceKind::Silent).take(1) {
        let lead = format!("             {}  ", paint(PLACE, &place(line)));
        wrapped(out, &lead, 15, &clean(line.text.trim()), width)?;
    }
    Ok(())
}
