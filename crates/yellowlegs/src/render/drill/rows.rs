//! Rehearsals as data: one JSON object, or a CSV row for each drill and port.

use std::collections::HashMap;
use std::io::{self, Write};

use serde::Serialize;
use yellowlegs_core::drill::{Around, Because, Outcome, Rehearsed, proof};
use yellowlegs_core::finding::Evidence;
use yellowlegs_core::model::{SettingId, VlanId};
use yellowlegs_core::resolve::Resolved;

use super::{DrillReport, Played, PlayedSwitch, place_of, seconds};
use crate::render::{Head, csv, json};

#[derive(Serialize)]
struct DecidingJson<'p> {
    setting: &'static str,
    evidence: &'p [Evidence],
}

/// The lines that decided on the ports of one switch: most drills of a port are decided by the same few.
#[derive(Default)]
struct Proofs {
    /// By port, setting and VLAN.
    known: HashMap<(usize, SettingId, Option<VlanId>), Vec<Evidence>>,
    /// The last that was decided on another switch.
    elsewhere: Vec<Evidence>,
}

impl Proofs {
    fn of(&mut self, played: &PlayedSwitch, (resolved, at): (&Resolved, usize), because: &Because) -> &[Evidence] {
        let own: &Resolved = &played.resolved;
        if !std::ptr::eq(resolved, own) {
            self.elsewhere = proof(resolved, at, because);
            return &self.elsewhere;
        }
        let key = (at, because.setting, because.vlan);
        self.known.entry(key).or_insert_with(|| proof(resolved, at, because))
    }
}

#[derive(Serialize)]
struct PlaceJson {
    switch: String,
    port: Option<String>,
}

#[derive(Serialize)]
struct EitherJson {
    value: String,
    outcome: Option<Outcome>,
}

#[derive(Serialize)]
struct RehearsedJson<'a> {
    drill: &'static str,
    switch: &'a str,
    port: &'a str,
    role: Option<&'a str>,
    outcome: Outcome,
    seconds: Option<f64>,
    says: &'a str,
    collateral: Option<&'a str>,
    deciding: Option<DecidingJson<'a>>,
    /// Where it was decided, if that was on another port.
    elsewhere: Option<PlaceJson>,
    recovery: Option<&'a str>,
    hangs_on: Option<&'static str>,
    either: Vec<EitherJson>,
}

fn row<'a>(
    played: &'a PlayedSwitch,
    port: &'a Played,
    rehearsed: &'a Rehearsed,
    around: &Around,
    proofs: &'a mut Proofs,
) -> RehearsedJson<'a> {
    let Rehearsed { drill, told, hangs, .. } = rehearsed;
    let (resolved, at) = place_of(played, port, told, around);
    let deciding = told.because.as_ref().map(|because| DecidingJson {
        setting: because.setting.name(),
        evidence: proofs.of(played, (resolved, at), because),
    });
    let elsewhere = told.elsewhere.as_ref().map(|(switch, _)| PlaceJson {
        switch: switch.to_string(),
        port: resolved.switch.ports().get(at).map(ToString::to_string),
    });
    RehearsedJson {
        drill: drill.name,
        switch: played.resolved.switch.name(),
        port: &port.name,
        role: port.role.as_deref(),
        outcome: told.outcome,
        seconds: told.millis.map(seconds),
        says: &told.says,
        collateral: told.collateral.as_deref(),
        deciding,
        elsewhere,
        recovery: told.recovery.as_deref(),
        hangs_on: hangs.as_ref().map(|(hang, _)| hang.on),
        either: hangs
            .iter()
            .flat_map(|(_, either)| either)
            .map(|one| EitherJson { value: one.value.to_string(), outcome: one.outcome })
            .collect(),
    }
}

/// One object.
#[derive(Default)]
pub(crate) struct Json {
    rows: usize,
}

impl DrillReport for Json {
    fn head(&mut self, out: &mut dyn Write, _: &Head) -> io::Result<()> {
        write!(out, "{{\"drills\": [")
    }

    fn switch(&mut self, out: &mut dyn Write, played: &PlayedSwitch, around: &Around) -> io::Result<()> {
        let mut proofs = Proofs::default();
        for port in &played.ports {
            for rehearsed in port.drills.iter() {
                out.write_all(if self.rows > 0 { b",\n  " } else { b"\n  " })?;
                self.rows += 1;
                json::compact(out, &row(played, port, rehearsed, around, &mut proofs))?;
            }
        }
        Ok(())
    }

    fn tail(&mut self, out: &mut dyn Write, classes: usize) -> io::Result<()> {
        writeln!(out, "],\n\"classes\": {classes}}}")
    }
}

/// A row for each drill and port.
pub(crate) struct Csv;

#[derive(Serialize)]
struct CsvRow<'a> {
    switch: std::borrow::Cow<'a, str>,
    port: std::borrow::Cow<'a, str>,
    role: std::borrow::Cow<'a, str>,
    drill: &'static str,
    outcome: &'static str,
    seconds: Option<f64>,
    says: std::borrow::Cow<'a, str>,
    setting: &'a str,
    file: std::borrow::Cow<'a, str>,
    line: Option<u32>,
    recovery: std::borrow::Cow<'a, str>,
}

impl DrillReport for Csv {
    fn head(&mut self, out: &mut dyn Write, _: &Head) -> io::Result<()> {
        write!(out, "switch,port,role,drill,outcome,seconds,says,setting,file,line,recovery\r\n")
    }

    fn switch(&mut self, out: &mut dyn Write, played: &PlayedSwitch, around: &Around) -> io::Result<()> {
        let (mut writer, mut proofs) = (csv::writer(out, false), Proofs::default());
        for port in &played.ports {
            for rehearsed in port.drills.iter() {
                let row = row(played, port, rehearsed, around, &mut proofs);
                let line = row.deciding.iter().flat_map(|d| d.evidence).find(|e| e.line.is_some());
                let told = CsvRow {
                    switch: csv::cell(row.switch),
                    port: csv::cell(row.port),
                    role: csv::cell(row.role.unwrap_or_default()),
                    drill: row.drill,
                    outcome: row.outcome.word(),
                    seconds: row.seconds,
                    says: csv::cell(row.says),
                    setting: row.deciding.as_ref().map_or("", |d| d.setting),
                    file: csv::cell(line.and_then(|e| e.file.as_deref()).unwrap_or_default()),
                    line: line.and_then(|e| e.line),
                    recovery: csv::cell(row.recovery.unwrap_or_default()),
                };
                writer.serialize(told).map_err(io::Error::from)?;
            }
        }
        writer.flush()
    }

    fn tail(&mut self, _: &mut dyn Write, _: usize) -> io::Result<()> {
        Ok(())
    }
}
