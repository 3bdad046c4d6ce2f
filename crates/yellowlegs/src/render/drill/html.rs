//! The matrix as a page: one file that asks nobody for anything.

use std::collections::BTreeMap;
use std::io::{self, Write};

use askama::Template;
use yellowlegs_core::drill::{self, Around, Outcome, proof};
use yellowlegs_core::finding::EvidenceKind;
use yellowlegs_core::model::port_spans;
use yellowlegs_core::sorted;

use super::{DrillReport, Holes, PlayedSwitch, mark, place_of, rows_of};
use crate::render::html::hash;
use crate::render::{Head, place};

const STYLE: &str = concat!(
    include_str!("../../../templates/colours.css"),
    include_str!("../../../templates/report.css"),
    include_str!("../../../templates/drills.css")
);

#[derive(Template)]
#[template(path = "drills.html")]
struct Document {
    page: Page,
    style: &'static str,
    style_hash: String,
}

struct Page {
    title: String,
    version: &'static str,
    classes: usize,
    shares: Vec<Share>,
    worst: Vec<Worst>,
    drills: Vec<&'static str>,
    switches: Vec<Switch>,
}

struct Share {
    word: &'static str,
    mark: &'static str,
    count: usize,
    meaning: &'static str,
}

struct Worst {
    drill: &'static str,
    outcome: &'static str,
    mark: &'static str,
    ports: usize,
    example: String,
}

struct Switch {
    name: String,
    rows: Vec<Row>,
    told: Vec<Told>,
}

struct Row {
    ports: String,
    role: String,
    cells: Vec<Option<Cell>>,
}

struct Cell {
    word: &'static str,
    mark: &'static str,
    says: String,
}

/// A drill that does not hold, with what decided.
struct Told {
    drill: &'static str,
    outcome: &'static str,
    mark: &'static str,
    ports: String,
    says: String,
    setting: String,
    place: String,
    line: String,
    recovery: String,
}

/// The matrix as a page.
#[derive(Default)]
pub(crate) struct Html {
    title: String,
    switches: Vec<(Holes, Switch)>,
    shares: BTreeMap<Outcome, usize>,
    worst: BTreeMap<(Outcome, &'static str), (usize, String)>,
}

fn meaning(outcome: Outcome) -> &'static str {
    match outcome {
        Outcome::LetThrough => "the attack got in",
        Outcome::Outage => "a service that is right broke",
        Outcome::Undetermined => "it hangs on what nobody knows",
        Outcome::Agreed => "it gets through, and the policy asks for nothing against it",
        Outcome::Told => "a consequence, neither good nor bad",
        Outcome::Held => "the port refused",
    }
}

impl DrillReport for Html {
    fn head(&mut self, _: &mut dyn Write, head: &Head) -> io::Result<()> {
        self.title = head.title();
        Ok(())
    }

    fn switch(&mut self, _: &mut dyn Write, played: &PlayedSwitch, around: &Around) -> io::Result<()> {
        let name = played.resolved.switch.name();
        let mut told = Vec::new();
        let rows = rows_of(played).into_iter().map(|row| {
            let ports = port_spans(&row.ports.iter().map(|port| port.name.as_str()).collect::<Vec<_>>()).join(", ");
            let first = row.ports.first().copied();
            let cells = drill::all().iter().map(|drill| {
                let port = first?;
                let one = port.drills.iter().find(|one| one.drill.name == drill.name)?;
                let (outcome, says) = (one.told.outcome, one.told.says.clone());
                *self.shares.entry(outcome).or_default() += row.ports.len();
                if outcome < Outcome::Agreed {
                    let example = || format!("{name} {}: {says}", port.name);
                    let entry = self.worst.entry((outcome, drill.name)).or_insert_with(|| (0, example()));
                    entry.0 += row.ports.len();
                    let (resolved, at) = place_of(played, port, &one.told, around);
                    let lines = one.told.because.map(|because| proof(resolved, at, &because)).unwrap_or_default();
                    let line = lines.into_iter().find(|line| line.kind != EvidenceKind::Silent);
                    told.push(Told {
                        drill: drill.name,
                        outcome: outcome.word(),
                        mark: mark(outcome, true),
                        ports: ports.clone(),
                        says: says.clone(),
                        setting: one.told.because.map_or_else(String::new, |because| because.setting.name().to_owned()),
                        place: line.as_ref().map_or_else(String::new, place),
                        line: line.map_or_else(String::new, |line| line.text.trim().to_owned()),
                        recovery: one.told.recovery.clone().unwrap_or_default(),
                    });
                }
                Some(Cell { word: outcome.word(), mark: mark(outcome, true), says })
            });
            let cells = cells.collect();
            Row { ports, role: row.role.unwrap_or_default().to_owned(), cells }
        });
        let rows = rows.collect();
        self.switches.push((Holes::of(played), Switch { name: name.to_string(), rows, told }));
        Ok(())
    }

    fn tail(&mut self, out: &mut dyn Write, classes: usize) -> io::Result<()> {
        sorted::by_key(&mut self.switches, |(holes, _)| std::cmp::Reverse(*holes));
        let mut worst: Vec<_> = std::mem::take(&mut self.worst).into_iter().collect();
        sorted::by_key(&mut worst, |((outcome, _), (ports, _))| (*outcome, std::cmp::Reverse(*ports)));
        let worst = worst.into_iter().map(|((outcome, drill), (ports, example))| Worst {
            drill,
            outcome: outcome.word(),
            mark: mark(outcome, true),
            ports,
            example,
        });
        let share = |outcome: Outcome| Share {
            word: outcome.word(),
            mark: mark(outcome, true),
            count: self.shares.get(&outcome).copied().unwrap_or_default(),
            meaning: meaning(outcome),
        };
        let page = Page {
            title: std::mem::take(&mut self.title),
            version: env!("CARGO_PKG_VERSION"),
            classes,
            shares: Outcome::ALL.map(share).into(),
            worst: worst.collect(),
            drills: drill::all().iter().map(|drill| drill.name).collect(),
            switches: std::mem::take(&mut self.switches).into_iter().map(|(_, switch)| switch).collect(),
        };
        Document { page, style: STYLE, style_hash: hash(STYLE) }.write_into(out)
    }
}
