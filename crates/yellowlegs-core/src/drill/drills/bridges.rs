//! Bridges that are brought along, and roots that are taken over.

use super::{at_edge, ready, verdict};
use crate::drill::Drill;
use crate::drill::asked::Known;
use crate::drill::frame::{Frame, Root};
use crate::drill::machine::{Because, Machine};
use crate::drill::rehearse::{Outcome, Rehearsal, Stage, station};
use crate::model::settings;
use crate::policy::Faces;

pub(super) const BROUGHT_BRIDGE: Drill = Drill {
    name: "brought-bridge",
    stimulus: "a bridge is plugged in and sends BPDUs",
    holds: "the port is held down before a loop can stand",
    answers: &[
        "guard/bpdu-missing",
        "guard/bpdu-filtered",
        "guard/spanning-tree-off",
        "fast-start/missing",
        "fast-start/slow",
        "fast-start/no-effect",
    ],
    run: brought_bridge,
};

fn brought_bridge(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_edge(stage, machine)? else { return Ok(None) };
    let arrival = machine.receive(stage.port, &Frame::bpdu(station(700), Root::NoBetter))?;
    let told = verdict(&machine, stage, &[(arrival, "a bridge")]);
    // Where the tree does not run, or BPDUs are filtered, the guard hears none.
    let because = if !machine.tree_runs(stage.port)? {
        let of_port = !machine.asked.port(stage.port, settings::TREE_ON_PORT)?;
        Because::of("spanning tree", if of_port { settings::TREE_ON_PORT.id } else { settings::TREE.id })
    } else if machine.is_deaf(stage.port)? {
        Because::of("BPDU filter", settings::BPDU_FILTER.id)
    } else {
        Because::of("BPDU guard", settings::BPDU_GUARD.id)
    };
    Ok(Some(told.because(Some(because))))
}

pub(super) const ROOT_TAKEOVER: Drill = Drill {
    name: "root-takeover",
    stimulus: "BPDUs that name a better root",
    holds: "the root does not move",
    answers: &[
        "guard/bpdu-missing",
        "guard/bpdu-filtered",
        "guard/root-missing",
        "fast-start/missing",
        "fast-start/slow",
        "fast-start/no-effect",
    ],
    run: root_takeover,
};

fn root_takeover(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let down = stage.role()?.faces == Faces::BridgeDown;
    if !down && !stage.is_edge()? || !machine.tree_runs(stage.port)? {
        return Ok(None);
    }
    let Some(mut machine) = ready(stage, machine)? else { return Ok(None) };
    let deaf = machine.is_deaf(stage.port)?;
    let arrival = machine.receive(stage.port, &Frame::bpdu(station(700), Root::Better))?;
    if deaf {
        let told = Rehearsal::new(&machine, Outcome::Held, "the better root is not heard");
        return Ok(Some(told.because(Some(Because::of("BPDU filter", settings::BPDU_FILTER.id)))));
    }
    let told = verdict(&machine, stage, &[(arrival, "a better root")]);
    let setting = if down { settings::ROOT_GUARD.id } else { settings::BPDU_GUARD.id };
    Ok(Some(told.because(Some(Because::of("guards of the tree", setting)))))
}
