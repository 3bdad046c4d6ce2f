//! Cables that close a loop: two sockets joined by a wire, a phone patched with both of its sockets, a fibre that works one way.

use super::{at_edge, ready};
use crate::drill::Drill;
use crate::drill::around::Far;
use crate::drill::asked::{Hang, Known};
use crate::drill::frame::{Frame, Payload};
use crate::drill::machine::{Because, Machine, Millis, Net};
use crate::drill::rehearse::{Outcome, Rehearsal, Stage, station};
use crate::model::{Media, Seconds, Unidirectional, settings};

pub(super) const PATCHED_LOOP: Drill = Drill {
    name: "patched-loop",
    stimulus: "a wire joins this port and one like it, on this switch, then on a sister beside it",
    holds: "the first BPDU or probe ends the loop",
    answers: &["guard/bpdu-filtered", "guard/spanning-tree-off", "guard/loop-detect-missing"],
    run: patched_loop,
};

/// How a loop ended: when, and by what; none: it circles for ever.
type End = Option<(Millis, Because, String)>;

/// Another port of this one's class; itself where there is none.
fn twin(stage: &Stage<'_>, machine: &Machine<'_>) -> usize {
    let class = stage.roles.alike.get(stage.port);
    let like = |other: &usize| stage.roles.alike.get(*other) == class && machine.forwards(*other);
    stage.others().find(like).unwrap_or(stage.port)
}

/// What ends a loop that leaves by one port and comes back by another: a BPDU after a hello time, a probe after an interval.
fn ended(machine: &mut Machine<'_>, from: usize, to: usize, bpdus_pass: bool) -> Known<End> {
    let millis = |Seconds(s): Seconds| Millis::from(s) * 1000;
    let start = machine.now();
    // Somebody's broadcast: where it is refused on its way back nothing circles.
    let circling = machine.receive(to, &Frame::to_all(station(600), Payload::Plain))?;
    if let Some(because) = circling.stopped_by() {
        return Ok(Some((0, because, format!("nothing circles: {}", because.feature))));
    }
    machine.tell(from, "a frame to all circles", None);
    let bpdu = if bpdus_pass { machine.bpdu_of(from)? } else { None };
    let probes = machine.probes_of(from)?;
    let hears = machine.tree_runs(to)? && !machine.is_deaf(to)?;
    let bpdu = match bpdu {
        Some(frame) => Some((millis(machine.hello()?), frame)),
        None => None,
    };
    let probe_first = !probes.is_empty()
        && bpdu.as_ref().map_or(Ok(true), |(hello, _)| Ok(millis(machine.probe_interval()?) < *hello))?;
    let round = |machine: &mut Machine<'_>, probing: bool| -> Known<End> {
        if probing {
            let wait = millis(machine.probe_interval()?);
            machine.pass((start + wait).saturating_sub(machine.now()))?;
            for probe in &probes {
                if let Some(because) = machine.receive(to, probe)?.stopped_by()
                    && (machine.held_by(from).is_some() || machine.held_by(to).is_some())
                {
                    return Ok(Some((wait, because, "the first probe that comes back takes the port down".to_owned())));
                }
            }
            return Ok(None);
        }
        let Some((wait, frame)) = &bpdu else { return Ok(None) };
        machine.pass((start + wait).saturating_sub(machine.now()))?;
        machine.receive(to, frame)?;
        let because = Because::of("spanning tree", settings::TREE_ON_PORT.id);
        if machine.held_by(to).is_some() {
            let because = Because::of("BPDU guard", settings::BPDU_GUARD.id);
            return Ok(Some((*wait, because, "the first BPDU ends it: BPDU guard takes the port down".to_owned())));
        }
        Ok(hears.then(|| (*wait, because, "the first BPDU ends it: the tree blocks the port".to_owned())))
    };
    let first = round(machine, probe_first)?;
    if first.is_some() { Ok(first) } else { round(machine, !probe_first) }
}

fn rehearsal(machine: &Machine<'_>, stage: &Stage<'_>, end: End) -> Rehearsal {
    match end {
        Some((after, because, says)) => {
            let says = if after > 0 { format!("{says}, after {} s of circling", after / 1000) } else { says };
            Rehearsal::new(machine, Outcome::Held, says).because(Some(because)).after(after).back(machine, stage.port)
        }
        None => Rehearsal::new(machine, Outcome::LetThrough, "the loop circles for ever")
            .because(Some(Because::of("loop detection", settings::LOOP_DETECTION.id))),
    }
}

fn patched_loop(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_edge(stage, machine)? else { return Ok(None) };
    let mut sisters = machine.clone();
    let twin = twin(stage, &machine);
    let end = ended(&mut machine, twin, stage.port, true)?;
    let told = rehearsal(&machine, stage, end);
    if told.outcome != Outcome::Held {
        return Ok(Some(told));
    }
    // A sister beside it, joined by the uplinks already: what leaves by the sister's port comes in here.
    let up = stage.others().find(|port| stage.role_of(*port).is_some_and(|role| role.faces.is_bridge()));
    let Some(up) = up.filter(|up| machine.forwards(*up)) else { return Ok(Some(told)) };
    sisters.tell(stage.port, "the same over a sister switch", None);
    let sister = sisters.clone().sister();
    let bpdu = sister.bpdu_of(stage.port)?;
    let probes = sisters.probes_of(stage.port)?;
    let mut net = Net::new(vec![sisters, sister], [((0, stage.port), (1, stage.port)), ((0, up), (1, up))]);
    let Seconds(hello) = machine.hello()?;
    let mut by = None;
    if let Some(bpdu) = bpdu {
        net.pass(Millis::from(hello) * 1000)?;
        let Some(here) = net.switch(0) else { return Ok(Some(told)) };
        let hears = here.tree_runs(stage.port)? && !here.is_deaf(stage.port)?;
        here.receive(stage.port, &bpdu)?;
        by = (here.held_by(stage.port).is_some() || hears).then_some("the sister's BPDU");
    }
    if by.is_none() {
        for probe in &probes {
            net.send((1, stage.port), probe)?;
        }
        by = net
            .machine(0)
            .is_some_and(|here| here.held_by(stage.port).or(here.held_by(up)).is_some())
            .then_some("its own probe");
    }
    let mut story = told.story.clone();
    story.extend(net.story());
    Ok(Some(match by {
        Some(by) => Rehearsal { says: format!("{}; over a sister switch {by} ends it", told.says), story, ..told },
        None => Rehearsal::told(story, Outcome::LetThrough, "over a sister switch the loop circles for ever")
            .because(Some(Because::of("loop detection", settings::LOOP_DETECTION.id))),
    }))
}

pub(super) const PHONE_LOOP: Drill = Drill {
    name: "phone-loop",
    stimulus: "both sockets of a phone are patched into the wall; it passes BPDUs on, or it does not",
    holds: "the loop is ended either way",
    answers: &["guard/loop-detect-missing"],
    run: phone_loop,
};

fn phone_loop(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    if !stage.role()?.faces.has_phone() {
        return Ok(None);
    }
    let Some(mut machine) = ready(stage, machine)? else { return Ok(None) };
    let mut silent = machine.clone();
    let twin = twin(stage, &machine);
    machine.tell(stage.port, "a phone that passes BPDUs on", None);
    let relaying = ended(&mut machine, twin, stage.port, true)?;
    let first = rehearsal(&machine, stage, relaying);
    silent.tell(stage.port, "a phone that does not", None);
    let alone = ended(&mut silent, twin, stage.port, false)?;
    let second = rehearsal(&silent, stage, alone);
    let story = first.story.into_iter().chain(second.story).collect();
    if second.outcome == Outcome::LetThrough {
        let says = "where the phone passes no BPDU on, the loop circles for ever";
        return Ok(Some(Rehearsal { says: says.to_owned(), story, ..second }));
    }
    let says = format!("BPDUs passed on: {}; not: {}", first.says, second.says);
    let worst = if first.outcome == Outcome::Held { second.outcome } else { first.outcome };
    let millis = first.millis.max(second.millis);
    Ok(Some(Rehearsal { says, story, outcome: worst, millis, ..second }))
}

pub(super) const ONE_WAY_FIBRE: Drill = Drill {
    name: "one-way-fibre",
    stimulus: "one strand of a fibre to another switch fails, in either direction; with and without remote fault",
    holds: "it is detected before the tree opens a blocked port and a loop stands",
    answers: &[
        "unidirectional/off",
        "unidirectional/one-ended",
        "unidirectional/too-slow",
        "unidirectional/report-only",
        "guard/loop-missing",
    ],
    run: one_way_fibre,
};

/// One end of the fibre.
struct Side {
    name: String,
    detection: Unidirectional,
    interval: Known<Seconds>,
    loop_guard: Known<bool>,
    reopens: Known<Millis>,
}

fn one_way_fibre(stage: &Stage<'_>, mut machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    if !stage.role()?.faces.is_bridge()
        || machine.media(stage.port)? != Media::Fibre
        || !machine.tree_runs(stage.port)?
    {
        return Ok(None);
    }
    machine.link_up(stage.port)?;
    if machine.opens_at(stage.port).is_none() {
        return Ok(None);
    }
    let Some(Far { name, detection, interval, loop_guard, reopens }) =
        stage.around.far(stage.switch().name(), stage.port)
    else {
        return Err(Hang::fact("links"));
    };
    let here = Side {
        name: machine.name(stage.port).to_owned(),
        detection: machine.detection(stage.port)?,
        interval: machine.detection_interval(stage.port),
        loop_guard: machine.loop_guard(stage.port),
        reopens: machine.reopens(),
    };
    let there = Side { name, detection: detection?, interval, loop_guard, reopens };
    machine.tell(stage.port, "with remote fault both ends lose the link at once", None);
    let mut held: Option<(Millis, String)> = None;
    for (deaf, other) in [(&here, &there), (&there, &here)] {
        machine.tell(stage.port, format!("without it, {} hears nothing any more", deaf.name), None);
        let seen = seen(deaf, other)?;
        let opens = deaf.reopens?;
        match seen {
            Some((after, what)) if after < opens => {
                machine.tell(
                    stage.port,
                    format!("{what} after {} s; a blocked port would open after {} s", after / 1000, opens / 1000),
                    None,
                );
                held = held.max(Some((after, what)));
            }
            _ if deaf.loop_guard? => {
                machine.tell(stage.port, format!("loop guard keeps {} closed", deaf.name), None);
                held = held.max(Some((opens, format!("loop guard keeps {} closed", deaf.name))));
            }
            late => {
                let quick = settings::UNIDIRECTIONAL.id;
                let setting = if late.is_some() { settings::UNIDIRECTIONAL_INTERVAL.id } else { quick };
                let says = format!(
                    "where {} hears nothing, a blocked port opens after {} s and a loop stands",
                    deaf.name,
                    opens / 1000
                );
                let told = Rehearsal::new(&machine, Outcome::LetThrough, says).after(opens);
                return Ok(Some(told.because(Some(Because::of("unidirectional link detection", setting)))));
            }
        }
    }
    let (after, what) = held.unwrap_or_default();
    let told = Rehearsal::new(&machine, Outcome::Held, format!("{what} after {} s", after / 1000)).after(after);
    Ok(Some(told.because(Some(Because::of("unidirectional link detection", settings::UNIDIRECTIONAL.id)))))
}

/// When a fault is seen and acted upon, and what is said of it: the end that still hears misses its own echo in the other's
/// messages; the deaf end knows only that its neighbour is silent, which counts in the strict mode alone. Both take three intervals.
fn seen(deaf: &Side, other: &Side) -> Known<Option<(Millis, String)>> {
    if deaf.detection == Unidirectional::Off || other.detection == Unidirectional::Off {
        return Ok(None);
    }
    let three = |side: &Side| side.interval.map(|Seconds(s)| Millis::from(s) * 3000);
    if other.detection >= Unidirectional::DisablePort {
        return Ok(Some((three(other)?, format!("{} misses its echo and goes down", other.name))));
    }
    if deaf.detection == Unidirectional::Strict {
        return Ok(Some((three(deaf)?, format!("{} misses its neighbour and goes down", deaf.name))));
    }
    Ok(None)
}
