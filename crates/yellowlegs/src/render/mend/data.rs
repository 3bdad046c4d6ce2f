//! The plan as data: one JSON object.

use std::collections::BTreeMap;
use std::io::{self, Write};

use serde::Serialize;
use yellowlegs_core::finding::Finding;
use yellowlegs_core::mend::{BackUp, Broke, ByHand, Impact, OpenPoint, Plan, Step};
use yellowlegs_core::model::{Seconds, Value};
use yellowlegs_core::resolve::About;

use super::Ticket;
use crate::render::write_json;

/// A finding, by what tells it from others.
#[derive(Serialize)]
struct FindingRow<'a> {
    check: &'a str,
    switch: Option<&'a str>,
    port: Option<&'a str>,
    fingerprint: &'a str,
}

impl<'a> FindingRow<'a> {
    fn of(finding: &'a Finding) -> Self {
        let Finding { check, switch, port, fingerprint, .. } = finding;
        Self { check, switch: switch.as_deref(), port: port.as_deref(), fingerprint }
    }
}

#[derive(Serialize)]
struct Need<'a> {
    steps: &'a [usize],
    because: &'a str,
    wait: Option<&'a str>,
}

#[derive(Serialize)]
struct Touched<'a> {
    touch: &'a str,
    port: Option<&'a str>,
    stations: Vec<String>,
    says: &'a str,
}

#[derive(Serialize)]
struct StepRow<'a> {
    n: usize,
    phase: usize,
    switch: &'a str,
    setting: &'a str,
    ports: Vec<&'a str>,
    vlans: Vec<u16>,
    mirrors: Vec<&'a str>,
    from: From<'a>,
    to: &'a Value,
    because: Vec<FindingRow<'a>>,
    needs: Vec<Need<'a>>,
    impact: Vec<Touched<'a>>,
    text: &'a [String],
    undo: &'a [String],
}

/// One value, where it was the same in all places; else each place with its own.
#[derive(Serialize)]
#[serde(untagged)]
enum From<'a> {
    Same(Option<&'a Value>),
    Each(BTreeMap<String, Option<&'a Value>>),
}

#[derive(Serialize)]
struct OpenRow<'a> {
    id: &'a str,
    asks: &'a str,
    choices: &'a [String],
    takes: Option<&'a str>,
    because: Vec<FindingRow<'a>>,
}

#[derive(Serialize)]
struct HandRow<'a> {
    switch: Option<&'a str>,
    what: &'a str,
    why: &'a str,
    because: Vec<FindingRow<'a>>,
}

#[derive(Serialize)]
struct BackRow<'a> {
    switch: &'a str,
    port: &'a str,
    cause: &'a str,
    first: &'a str,
    steps: &'a [usize],
    back: &'a str,
    whom: &'a str,
    text: &'a [String],
}

#[derive(Serialize)]
struct SaveRow<'a> {
    switch: &'a str,
    text: &'a [String],
}

#[derive(Serialize)]
struct BrokeRow<'a> {
    step: usize,
    what: &'a str,
    switch: &'a str,
    port: Option<&'a str>,
    says: &'a str,
}

#[derive(Serialize)]
struct DrillsRow<'a> {
    played: usize,
    broken: Vec<BrokeRow<'a>>,
}

#[derive(Serialize)]
struct ProofRow<'a> {
    gone: Vec<FindingRow<'a>>,
    remaining: Vec<FindingRow<'a>>,
    new: Vec<FindingRow<'a>>,
    drills: DrillsRow<'a>,
}

#[derive(Serialize)]
struct PlanRow<'a> {
    steps: Vec<StepRow<'a>>,
    open_points: Vec<OpenRow<'a>>,
    by_hand: Vec<HandRow<'a>>,
    held_down: Vec<BackRow<'a>>,
    save: Vec<SaveRow<'a>>,
    /// In seconds.
    longest_lease: Option<u32>,
    proof: ProofRow<'a>,
}

/// One object.
pub(crate) fn json(out: &mut dyn Write, ticket: &Ticket<'_>) -> io::Result<()> {
    write_json(out, &row(ticket.plan))
}

/// The same as part of another object.
pub(crate) fn value(ticket: &Ticket<'_>) -> serde_json::Value {
    serde_json::to_value(row(ticket.plan)).unwrap_or_default()
}

fn row<'a>(plan: &'a Plan<'_>) -> PlanRow<'a> {
    let findings = |numbers: &[usize]| -> Vec<FindingRow<'a>> {
        numbers.iter().filter_map(|number| plan.findings.get(*number)).map(FindingRow::of).collect()
    };
    let step = |(number, step): (usize, &'a Step)| {
        let change = &step.change;
        let abouts = || change.from.keys();
        let first = change.from.values().next().and_then(Option::as_ref);
        let same = change.from.values().all(|from| from.as_ref() == first);
        let each = || change.from.iter().map(|(about, from)| (about.to_string(), from.as_ref())).collect();
        let needs = step.needs.iter().map(|(row, steps)| Need { steps, because: row.because, wait: row.wait });
        StepRow {
            n: number + 1,
            phase: step.phase,
            switch: &change.switch,
            setting: change.setting.name(),
            ports: abouts()
                .filter_map(|about| if let About::Port(port) = about { Some(&**port) } else { None })
                .collect(),
            vlans: abouts()
                .filter_map(|about| if let About::Vlan(vlan) = about { Some(vlan.get()) } else { None })
                .collect(),
            mirrors: abouts()
                .filter_map(|about| if let About::Mirror(name) = about { Some(&**name) } else { None })
                .collect(),
            from: if same { From::Same(first) } else { From::Each(each()) },
            to: &change.to,
            because: findings(&change.because),
            needs: needs.collect(),
            impact: step.impact.iter().map(touched).collect(),
            text: &step.text,
            undo: &step.undo,
        }
    };
    let open = |open: &'a OpenPoint| OpenRow {
        id: &open.id,
        asks: &open.asks,
        choices: &open.choices,
        takes: open.takes.as_deref(),
        because: findings(&open.findings),
    };
    let hand = |hand: &'a ByHand| HandRow {
        switch: hand.switch.as_deref(),
        what: &hand.what,
        why: &hand.why,
        because: findings(&hand.because),
    };
    let broke = |Broke { step, what, switch, port, says }: &'a Broke| BrokeRow {
        step: *step,
        what,
        switch,
        port: port.as_deref(),
        says,
    };
    PlanRow {
        steps: plan.steps.iter().enumerate().map(step).collect(),
        open_points: plan.open.iter().map(open).collect(),
        by_hand: plan.by_hand.iter().map(hand).collect(),
        held_down: plan.back_up.iter().map(back).collect(),
        save: plan.saves.iter().map(|(switch, text)| SaveRow { switch, text }).collect(),
        longest_lease: plan.longest_lease.map(|Seconds(seconds)| seconds),
        proof: ProofRow {
            gone: findings(&plan.proof.gone),
            remaining: findings(&plan.proof.remaining),
            new: plan.proof.new.iter().map(FindingRow::of).collect(),
            drills: DrillsRow { played: plan.proof.drills, broken: plan.proof.broke.iter().map(broke).collect() },
        },
    }
}

fn back(BackUp { switch, port, cause, first, steps, back, whom, lines, .. }: &BackUp) -> BackRow<'_> {
    BackRow { switch, port, cause, first, steps, back, whom, text: lines }
}

fn touched(impact: &Impact) -> Touched<'_> {
    let stations = impact.stations.iter().map(ToString::to_string).collect();
    Touched { touch: impact.touch.word(), port: impact.port.as_deref(), stations, says: &impact.says }
}
