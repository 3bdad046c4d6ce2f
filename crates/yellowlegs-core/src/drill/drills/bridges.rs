//! Bridges that are brought along, roots that are taken over, cables that close a loop.

use super::{at_edge, ready, verdict};
use crate::drill::Drill;
use crate::drill::asked::Known;
use crate::drill::frame::Frame;
use crate::drill::machine::{Because, Machine};
use crate::drill::rehearse::{Outcome, Rehearsal, Stage, station};
use crate::model::{Seconds, settings};
use crate::policy::Faces;

pub(super) const BROUGHT_BRIDGE: Drill = Drill {
    name: "brought-bridge",
    stimulus: "a bridge is plugged in and sends BPDUs",
    holds: "the port is held down before a loop can stand",
    answers: &["guard/bpdu-missing", "guard/bpdu-filtered"],
    run: brought_bridge,
};

fn brought_bridge(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_edge(stage, machine)? else { return Ok(None) };
    let arrival = machine.receive(stage.port, &Frame::bpdu(station(700), false))?;
    let told = verdict(&machine, stage, &[(arrival, "a bridge")]);
    Ok(Some(told.because(Some(Because { feature: "BPDU guard", setting: settings::BPDU_GUARD.id }))))
}

pub(super) const ROOT_TAKEOVER: Drill = Drill {
    name: "root-takeover",
    stimulus: "BPDUs that name a better root",
    holds: "the root does not move",
    answers: &["guard/bpdu-missing", "guard/bpdu-filtered", "guard/root-missing"],
    run: root_takeover,
};

fn root_takeover(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let down = stage.role()?.faces == Faces::BridgeDown;
    if !down && !stage.is_edge()? || !machine.tree_runs(stage.port)? {
        return Ok(None);
    }
    let Some(mut machine) = ready(stage, machine)? else { return Ok(None) };
    let deaf = machine.is_deaf(stage.port)?;
    let arrival = machine.receive(stage.port, &Frame::bpdu(station(700), true))?;
    if deaf {
        let told = Rehearsal::new(&machine, Outcome::Held, "the better root is not heard");
        return Ok(Some(told.because(Some(Because { feature: "BPDU filter", setting: settings::BPDU_FILTER.id }))));
    }
    let told = verdict(&machine, stage, &[(arrival, "a better root")]);
    let setting = if down { settings::ROOT_GUARD.id } else { settings::BPDU_GUARD.id };
    Ok(Some(told.because(Some(Because { feature: "guards of the tree", setting }))))
}

pub(super) const PATCHED_LOOP: Drill = Drill {
    name: "patched-loop",
    stimulus: "this port and one like it are joined by a wire",
    holds: "the loop is ended by the first BPDU or probe",
    answers: &["guard/bpdu-filtered", "guard/spanning-tree-off", "guard/loop-detect-missing"],
    run: patched_loop,
};

fn patched_loop(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_edge(stage, machine)? else { return Ok(None) };
    machine.tell(stage.port, "a frame to all circles", None);
    if machine.tree_runs(stage.port)? && !machine.is_deaf(stage.port)? {
        // A port sends a BPDU when it comes up, and every hello time after (IEEE 802.1Q, 13.27.48).
        let Seconds(hello) = machine.hello()?;
        let wait = u64::from(hello) * 1000;
        machine.pass(wait)?;
        machine.receive(stage.port, &Frame::bpdu(station(700), false))?;
        let by = if machine.held_by(stage.port).is_some() {
            "BPDU guard takes the port down"
        } else {
            "the tree blocks the port"
        };
        let because = Because { feature: "spanning tree", setting: settings::TREE_ON_PORT.id };
        let told = Rehearsal::new(&machine, Outcome::Held, format!("the first BPDU ends it: {by}"));
        return Ok(Some(told.because(Some(because)).after(wait).back(&machine, stage.port)));
    }
    if machine.probes(stage.port)? {
        let Seconds(interval) = machine.probe_interval()?;
        let wait = u64::from(interval) * 1000;
        machine.pass(wait)?;
        machine.probe_returns(stage.port);
        let because = Because { feature: "loop detection", setting: settings::LOOP_DETECTION.id };
        let told = Rehearsal::new(&machine, Outcome::Held, "the first probe that comes back takes the port down");
        return Ok(Some(told.because(Some(because)).after(wait).back(&machine, stage.port)));
    }
    let because = Because { feature: "loop detection", setting: settings::LOOP_DETECTION.id };
    Ok(Some(Rehearsal::new(&machine, Outcome::LetThrough, "the loop circles for ever").because(Some(because))))
}
