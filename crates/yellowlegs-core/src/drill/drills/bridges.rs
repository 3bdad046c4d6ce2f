//! Bridges that are brought along, and roots that are taken over.

use super::{at_edge, ready, unguarded, verdict};
use crate::drill::Drill;
use crate::drill::asked::Known;
use crate::drill::frame::{Frame, Root};
use crate::drill::machine::{Because, Machine};
use crate::drill::rehearse::{Outcome, Rehearsal, Stage, station};
use crate::model::{SettingId, settings};
use crate::policy::{DetectedEdges, Faces};

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
    let because = unguarded(&machine, stage.port)?;
    Ok(Some(told.because(Some(because)).unless([wanting(stage, &machine, because)?])))
}

/// Where BPDU guard is asked for on edge ports alone, what lets a bridge in on another port is that it is none.
fn wanting(stage: &Stage<'_>, machine: &Machine<'_>, because: Because) -> Known<SettingId> {
    if because.setting != settings::BPDU_GUARD.id {
        return Ok(because.setting);
    }
    let detected = stage.policy.site.detected_edges.value == DetectedEdges::Enough;
    let edge = machine.is_edge(stage.port)? || detected && machine.is_detected_edge(stage.port)?;
    Ok(if edge { because.setting } else { settings::FAST_START.id })
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
    if told.outcome != Outcome::LetThrough {
        let held = machine.held_by(stage.port).is_some();
        let by =
            if held { unguarded(&machine, stage.port)? } else { Because::of("root guard", settings::ROOT_GUARD.id) };
        let says = if held { told.says.clone() } else { format!("stopped: {} keeps the port closed", by.feature) };
        return Ok(Some(Rehearsal { says, ..told }.because(Some(by))));
    }
    let because =
        if down { Because::of("root guard", settings::ROOT_GUARD.id) } else { unguarded(&machine, stage.port)? };
    let unless = [settings::ROOT_GUARD.id, wanting(stage, &machine, because)?];
    Ok(Some(told.because(Some(because)).unless(unless)))
}
