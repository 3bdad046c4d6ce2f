//! Flaps of ports, and what flap protection would have made of them.

use std::io::{self, Write};

use jiff::Timestamp;
use serde::Serialize;
use yellowlegs_core::check::Protection;
use yellowlegs_core::sorted;

use super::style::{BOLD, DIM, GOOD, paint};
use super::{clean, write_json};

/// What the logs tell of all ports.
pub(crate) struct FlapPage<'a> {
    pub(crate) as_of: &'a str,
    pub(crate) wanted: Protection,
    pub(crate) ports: Vec<PortFlaps>,
    pub(crate) grid: Vec<Cell>,
    /// Switches without a log.
    pub(crate) without_log: usize,
}

/// A port that flapped.
pub(crate) struct PortFlaps {
    pub(crate) switch: String,
    pub(crate) port: String,
    pub(crate) counts: &'static str,
    pub(crate) wanted: Protection,
    pub(crate) flaps: Vec<Timestamp>,
    /// When it would have been held down under the policy's values.
    pub(crate) trips: Vec<Timestamp>,
}

/// One threshold and window.
#[derive(Serialize)]
pub(crate) struct Cell {
    pub(crate) threshold: u32,
    pub(crate) window: u32,
    pub(crate) ports: usize,
    pub(crate) trips: usize,
}

#[derive(Serialize)]
struct ValuesJson {
    threshold: u32,
    window: u32,
    hold: u32,
}

impl From<Protection> for ValuesJson {
    fn from(Protection { threshold, window, hold }: Protection) -> Self {
        Self { threshold, window, hold }
    }
}

#[derive(Serialize)]
struct TripJson<'a> {
    at: &'a Timestamp,
    /// Seconds it would have been held down; null: until somebody comes.
    held: Option<u32>,
}

#[derive(Serialize)]
struct PortJson<'a> {
    switch: &'a str,
    port: &'a str,
    counts: &'static str,
    policy: ValuesJson,
    flaps: &'a [Timestamp],
    trips: Vec<TripJson<'a>>,
}

#[derive(Serialize)]
struct PageJson<'a> {
    as_of: &'a str,
    policy: ValuesJson,
    ports: Vec<PortJson<'a>>,
    grid: &'a [Cell],
    switches_without_log: usize,
}

/// As one object.
pub(crate) fn json(out: &mut dyn Write, page: &FlapPage<'_>) -> io::Result<()> {
    let ports = page.ports.iter().map(PortJson::from);
    let policy = page.wanted.into();
    let (as_of, grid, switches_without_log) = (page.as_of, &page.grid[..], page.without_log);
    write_json(out, &PageJson { as_of, policy, ports: ports.collect(), grid, switches_without_log })
}

impl<'a> From<&'a PortFlaps> for PortJson<'a> {
    fn from(port: &'a PortFlaps) -> Self {
        let held = (port.wanted.hold > 0).then_some(port.wanted.hold);
        Self {
            switch: &port.switch,
            port: &port.port,
            counts: port.counts,
            policy: port.wanted.into(),
            flaps: &port.flaps,
            trips: port.trips.iter().map(|at| TripJson { at, held }).collect(),
        }
    }
}

/// How wide the longest bar is.
const BAR: usize = 40;

/// For people: the ports, the grid, and a bar for each threshold.
pub(crate) fn text(out: &mut dyn Write, page: &FlapPage<'_>) -> io::Result<()> {
    let Protection { threshold, window, hold } = page.wanted;
    let held = if hold == 0 { "until somebody comes".to_owned() } else { format!("for {hold} s") };
    writeln!(out, "{}", paint(DIM, &format!("as of {}", page.as_of)))?;
    writeln!(out, "The policy holds a port down {held} after {threshold} flaps within {window} s.\n")?;
    if page.ports.is_empty() {
        writeln!(out, "{}", paint(GOOD, "No port flapped within the log's window."))?;
    } else {
        ports(out, page)?;
        grid(out, page)?;
        bars(out, page)?;
    }
    if page.without_log > 0 {
        writeln!(out, "\n{} switch(es) without a log: what they would show is unknown.", page.without_log)?;
    }
    Ok(())
}

fn ports(out: &mut dyn Write, page: &FlapPage<'_>) -> io::Result<()> {
    let place = |port: &PortFlaps| clean(&format!("{} {}", port.switch, port.port)).into_owned();
    let width = page.ports.iter().map(|port| place(port).len()).max().unwrap_or_default().max(4);
    writeln!(
        out,
        "{}",
        paint(BOLD, &format!("{:width$}  flaps  {:20}  {:20}  would be held down", "port", "first", "last"))
    )?;
    for port in &page.ports {
        let time = |time: Option<&Timestamp>| time.map(ToString::to_string).unwrap_or_default();
        let trips = match port.trips.as_slice() {
            [] => "no".to_owned(),
            [at] => format!("at {at}{}", held(port)),
            [first, .., last] => format!("{} times, from {first} to {last}{}", port.trips.len(), held(port)),
        };
        let trips = if port.trips.is_empty() { trips } else { paint(BOLD, &trips) };
        let (first, last) = (time(port.flaps.first()), time(port.flaps.last()));
        writeln!(out, "{:width$}  {:>5}  {first:20}  {last:20}  {trips}", place(port), port.flaps.len())?;
    }
    let counts: sorted::Set<&str> = sorted::set(page.ports.iter().map(|port| port.counts));
    writeln!(out, "{}", paint(DIM, &format!("what counts: {}", counts.into_iter().collect::<Vec<_>>().join("; "))))
}

fn held(port: &PortFlaps) -> String {
    match port.wanted.hold {
        0 => ", until somebody comes".into(),
        hold => format!(", {hold} s each"),
    }
}

/// Ports and, in brackets, how often, by threshold and window.
fn grid(out: &mut dyn Write, page: &FlapPage<'_>) -> io::Result<()> {
    writeln!(
        out,
        "\n{}",
        paint(BOLD, "Ports that would be held down (how often), by threshold and window; * is the policy's")
    )?;
    for (number, row) in page.grid.chunk_by(|a, b| a.threshold == b.threshold).enumerate() {
        if number == 0 {
            let heads = row.iter().map(|cell| format!("{:>11}", format!("{} s", cell.window)));
            writeln!(out, "{:>10}{}", "", heads.collect::<String>())?;
        }
        let cells = row.iter().map(|cell| {
            let mine = (cell.threshold, cell.window) == (page.wanted.threshold, page.wanted.window);
            let told = if cell.ports == 0 { "-".to_owned() } else { format!("{} ({})", cell.ports, cell.trips) };
            format!("{:>11}", format!("{told}{}", if mine { "*" } else { "" }))
        });
        let first = row.first().map_or(0, |cell| cell.threshold);
        writeln!(out, "{:>10}{}", format!("{first} flaps"), cells.collect::<String>())?;
    }
    Ok(())
}

/// How often ports would be held down at the policy's window: a bar for each threshold.
fn bars(out: &mut dyn Write, page: &FlapPage<'_>) -> io::Result<()> {
    let cells: Vec<&Cell> = page.grid.iter().filter(|cell| cell.window == page.wanted.window).collect();
    let most = cells.iter().map(|cell| cell.trips).max().unwrap_or_default();
    if most == 0 {
        return Ok(());
    }
    writeln!(out, "\n{}", paint(BOLD, &format!("How often, at the policy's window of {} s", page.wanted.window)))?;
    for cell in cells {
        let bar = "#".repeat((cell.trips * BAR).div_ceil(most));
        let mark = if cell.threshold == page.wanted.threshold { "*" } else { "" };
        let gap = if bar.is_empty() { "" } else { " " };
        writeln!(out, "{:>10}  {bar}{gap}{}{mark}", format!("{} flaps", cell.threshold), cell.trips)?;
    }
    Ok(())
}
