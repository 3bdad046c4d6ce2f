//! Cables that close a loop: two sockets joined by a wire, a phone patched with both of its sockets, a fibre that works one way.

use super::{at_edge, ready};
use crate::drill::Drill;
use crate::drill::agreed::is_left_open;
use crate::drill::around::{Far, Wants};
use crate::drill::asked::{Hang, Known};
use crate::drill::frame::{Frame, Payload};
use crate::drill::machine::{Because, Machine, Millis, Net};
use crate::drill::rehearse::{LINKS, Outcome, Rehearsal, Stage, comes_back, station};
use crate::model::{Cause, Media, Seconds, SettingId, Unidirectional, settings};
use crate::sorted;

pub(super) const PATCHED_LOOP: Drill = Drill {
    name: "patched-loop",
    stimulus: "a wire joins this port and one like it, on this switch, then on a sister beside it",
    holds: "the first BPDU or probe ends the loop",
    answers: &["guard/bpdu-filtered", "guard/spanning-tree-off", "guard/loop-detect-missing"],
    run: patched_loop,
};

/// How a loop ended: when, where that is known, and by what; none: it circles for ever.
type End = Option<(Option<Millis>, Because, String)>;

/// BPDUs come every ten seconds at least (IEEE 802.1Q, 13.27: hello time); probes soon after.
const SELDOM: Millis = 10_000;

/// Another port of this one's class; itself where there is none.
fn twin(stage: &Stage<'_>, machine: &Machine<'_>) -> usize {
    let class = stage.roles.alike.get(stage.port);
    let like = |other: &usize| stage.roles.alike.get(*other) == class && machine.forwards(*other);
    stage.others().find(like).unwrap_or(stage.port)
}

/// Another port where people plug things in, in another VLAN.
fn neighbour_of_another_vlan(stage: &Stage<'_>, machine: &Machine<'_>) -> Known<Option<usize>> {
    let own = machine.untagged(stage.port)?;
    let other = |port: &usize| {
        stage.role_of(*port).is_some_and(|role| role.faces.is_edge())
            && machine.forwards(*port)
            && machine.untagged(*port).is_ok_and(|vlan| vlan.is_some() && vlan != own)
    };
    Ok(stage.others().find(other))
}

/// What ends a loop over a wire between two ports, which goes round both ways: a BPDU after a hello time, a probe after an interval,
/// or the storm limit within a second.
fn ended(machine: &mut Machine<'_>, far: usize, near: usize, bpdus_pass: bool) -> Known<End> {
    let start = machine.now();
    // Somebody's broadcast: where it is refused on its way back nothing circles.
    let circling = machine.receive(near, &Frame::to_all(station(600), Payload::Plain))?;
    if let Some(because) = circling.stopped_by() {
        return Ok(Some((Some(0), because, format!("nothing circles: {}", because.feature))));
    }
    machine.tell(far, "a frame to all circles", None);
    let ways = [(far, near), (near, far)];
    let sends = bpdus_pass && (machine.bpdu_of(far)?.is_some() || machine.bpdu_of(near)?.is_some());
    // What nobody knows of these times says when it ends, not whether.
    let hello = sends.then(|| machine.hello().ok().map(Seconds::millis));
    let probes = machine.probes(far)? || machine.probes(near)?;
    let probe = probes.then(|| machine.probe_interval().ok().map(Seconds::millis));
    // A second of what circles is above any limit; where that takes the port down nothing else has to.
    let storm = machine.storm_holds(near);
    if storm == Ok(true) && hello.flatten().is_none_or(|hello| hello > 1000) {
        machine.pass(1000)?;
        let because = machine.hold_for_storm(near);
        return Ok(Some((Some(1000), because, "the storm limit takes the port down".to_owned())));
    }
    let rounds = [(hello, false), (probe, true)].into_iter();
    let mut rounds: Vec<_> = rounds.filter_map(|(wait, probing)| Some((wait?, probing))).collect();
    sorted::by_key(&mut rounds, |(wait, _)| wait.unwrap_or(SELDOM));
    for (wait, probing) in rounds {
        machine.pass((start + wait.unwrap_or(SELDOM)).saturating_sub(machine.now()))?;
        for (from, to) in ways {
            let end = if probing { probed(machine, from, to)? } else { heard(machine, from, to)? };
            if let Some((because, says)) = end {
                return Ok(Some((wait, because, says.to_owned())));
            }
        }
    }
    storm?;
    Ok(None)
}

/// A BPDU goes over the wire: whether a guard takes the port down, or the tree blocks it.
fn heard(machine: &mut Machine<'_>, from: usize, to: usize) -> Known<Option<(Because, &'static str)>> {
    let Some(bpdu) = machine.bpdu_of(from)? else { return Ok(None) };
    let hears = machine.tree_runs(to)? && !machine.is_deaf(to)?;
    machine.receive(to, &bpdu)?;
    if machine.held_by(to).is_some() {
        let because = Because::of("BPDU guard", settings::BPDU_GUARD.id);
        return Ok(Some((because, "the first BPDU ends it: BPDU guard takes the port down")));
    }
    let because = Because::of("spanning tree", settings::TREE_ON_PORT.id);
    Ok(hears.then_some((because, "the first BPDU ends it: the tree blocks the port")))
}

/// Probes go over the wire: whether one comes back and takes a port down.
fn probed(machine: &mut Machine<'_>, from: usize, to: usize) -> Known<Option<(Because, &'static str)>> {
    for probe in machine.probes_of(from)? {
        if let Some(because) = machine.receive(to, &probe)?.stopped_by()
            && (machine.held_by(from).is_some() || machine.held_by(to).is_some())
        {
            return Ok(Some((because, "the first probe that comes back takes the port down")));
        }
    }
    Ok(None)
}

/// Loop detection ends any loop; the tree and its guard one that BPDUs go round in.
fn endless(machine: &Machine<'_>, stage: &Stage<'_>, bpdus_pass: bool, told: Rehearsal) -> Known<Rehearsal> {
    let detection = Because::of("loop detection", settings::LOOP_DETECTION.id);
    let unheard = if bpdus_pass { machine.unheard_by(stage.port)? } else { None };
    let because = unheard.map_or(detection, |by| Because::of("spanning tree", by));
    Ok(told.because(Some(because)).unless([because.setting, detection.setting]))
}

fn rehearsal(machine: &Machine<'_>, stage: &Stage<'_>, far: usize, end: End, bpdus_pass: bool) -> Known<Rehearsal> {
    Ok(match end {
        Some((after, because, says)) => {
            let says = match after {
                Some(0) => says,
                Some(after) => format!("{says}, after {} s of circling", after / 1000),
                None => format!("{says}; nobody knows how soon"),
            };
            let told = Rehearsal::new(machine, Outcome::Held, says).because(Some(because));
            // Which end a probe takes down hangs on their numbers: with another neighbour it would be this one.
            let there = machine.held_by(far).filter(|cause| *cause == Cause::LoopDetection);
            let recovery = machine.held_by(stage.port).or(there).map(|cause| comes_back(machine, stage.port, cause));
            let told = Rehearsal { recovery, ..told };
            after.map_or(told.clone(), |after| told.after(after))
        }
        None => {
            let told = Rehearsal::new(machine, Outcome::LetThrough, "the loop circles for ever");
            endless(machine, stage, bpdus_pass, told)?
        }
    })
}

fn patched_loop(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_edge(stage, machine)? else { return Ok(None) };
    let mut sisters = machine.clone();
    let twin = twin(stage, &machine);
    let end = ended(&mut machine, twin, stage.port, true)?;
    let told = rehearsal(&machine, stage, twin, end, true)?;
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
    let hello = machine.hello().map_or(SELDOM, Seconds::millis);
    let mut by = None;
    if let Some(bpdu) = bpdu {
        net.pass(hello)?;
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
    if by.is_none() && net.machine(0).map_or(Ok(false), |here| here.storm_holds(stage.port))? {
        by = Some("the storm limit");
    }
    let mut story = told.story.clone();
    story.extend(net.story());
    Ok(Some(match by {
        Some(by) => Rehearsal { says: format!("{}; over a sister switch {by} ends it", told.says), story, ..told },
        None => {
            let told = Rehearsal::told(story, Outcome::LetThrough, "over a sister switch the loop circles for ever");
            endless(&machine, stage, true, told)?
        }
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
    let Some(machine) = ready(stage, machine)? else { return Ok(None) };
    let twin = twin(stage, &machine);
    let other = neighbour_of_another_vlan(stage, &machine)?;
    let mut plays = vec![
        ("BPDUs passed on", "a phone that passes BPDUs on", twin, true),
        ("not", "a phone that does not", twin, false),
    ];
    if let Some(other) = other {
        plays.push((
            "into another VLAN",
            "its other socket leads into another VLAN, and it passes no BPDU on",
            other,
            false,
        ));
    }
    let mut story = Vec::new();
    let mut worst: Option<Rehearsal> = None;
    let mut said = Vec::new();
    for (name, what, from, passes) in plays {
        let mut machine = machine.clone();
        machine.tell(stage.port, what, None);
        let end = ended(&mut machine, from, stage.port, passes)?;
        let told = rehearsal(&machine, stage, from, end, passes)?;
        said.push(format!("{name}: {}", told.says));
        story.extend(told.story.clone());
        if told.outcome == Outcome::LetThrough {
            let says = match name {
                "BPDUs passed on" => told.says.clone(),
                "not" => "where the phone passes no BPDU on, the loop circles for ever".to_owned(),
                _ => "where its other socket leads into another VLAN, the two are joined for ever".to_owned(),
            };
            return Ok(Some(Rehearsal { says, story, ..told }));
        }
        let millis = worst.as_ref().and_then(|worst| worst.millis).max(told.millis);
        worst = Some(Rehearsal { millis, ..told });
    }
    Ok(worst.map(|worst| Rehearsal { says: said.join("; "), story, ..worst }))
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

/// How an end was closed: when, in words, by which setting.
type Closed = (Millis, String, SettingId);

/// One end of the fibre.
struct Side {
    name: String,
    detection: Unidirectional,
    interval: Known<Seconds>,
    loop_guard: Known<bool>,
    reopens: Known<Millis>,
    wants: Wants,
}

/// Whether the policy asks for what would have closed the deaf end in time: detection in time, at both ends, as strong as the site
/// wants it; or loop guard.
fn is_asked(stage: &Stage<'_>, deaf: &Side, other: &Side, is_late: bool) -> bool {
    let least = stage.policy.site.unidirectional.value;
    let detection = match (deaf.detection, other.detection) {
        (Unidirectional::Off, Unidirectional::Off) => deaf.wants.detection || other.wants.detection,
        (one, two) => is_late || one.min(two) < least,
    };
    let open = |id| stage.role().is_ok_and(|role| is_left_open(stage, &ONE_WAY_FIBRE, role, id));
    detection && !open(settings::UNIDIRECTIONAL.id) || deaf.wants.loop_guard && !open(settings::LOOP_GUARD.id)
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
    let Some(Far { name, detection, interval, loop_guard, reopens, wants }) =
        stage.around.far(stage.switch().name(), stage.port)
    else {
        return Err(Hang::fact(LINKS));
    };
    let here = Side {
        name: machine.name(stage.port).to_owned(),
        detection: machine.detection(stage.port)?,
        interval: machine.detection_interval(stage.port),
        loop_guard: machine.loop_guard(stage.port),
        reopens: machine.reopens(),
        wants: Wants::of(stage.role().ok()),
    };
    let there = Side { name, detection: detection?, interval, loop_guard, reopens, wants };
    machine.tell(stage.port, "with remote fault both ends lose the link at once", None);
    let mut held: Option<Closed> = None;
    for (deaf, other) in [(&here, &there), (&there, &here)] {
        machine.tell(stage.port, format_args!("without it, {} hears nothing any more", deaf.name), None);
        let seen = seen(deaf, other)?;
        let opens = deaf.reopens?;
        match seen {
            Some((after, what)) if after < opens => {
                machine.tell(
                    stage.port,
                    format!("{what} after {} s; a blocked port would open after {} s", after / 1000, opens / 1000),
                    None,
                );
                held = Some(later(held, (after, what, settings::UNIDIRECTIONAL.id)));
            }
            _ if deaf.loop_guard? => {
                machine.tell(stage.port, format_args!("loop guard keeps {} closed", deaf.name), None);
                let what = format!("loop guard keeps {} closed", deaf.name);
                held = Some(later(held, (opens, what, settings::LOOP_GUARD.id)));
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
                let told = if is_asked(stage, deaf, other, late.is_some()) { told } else { told.agreed() };
                return Ok(Some(told.because(Some(Because::of("unidirectional link detection", setting)))));
            }
        }
    }
    let Some((after, what, setting)) = held else { return Ok(None) };
    let told = Rehearsal::new(&machine, Outcome::Held, format!("{what} after {} s", after / 1000)).after(after);
    let acts = here.detection >= Unidirectional::DisablePort && there.detection != Unidirectional::Off;
    let recovery = acts.then(|| comes_back(&machine, stage.port, Cause::Unidirectional));
    let told = Rehearsal { recovery, ..told };
    let feature = if setting == settings::LOOP_GUARD.id { "loop guard" } else { "unidirectional link detection" };
    Ok(Some(told.because(Some(Because::of(feature, setting)))))
}

/// Of two ends the one that is closed later.
fn later(held: Option<Closed>, now: Closed) -> Closed {
    held.filter(|held| held.0 >= now.0).unwrap_or(now)
}

/// When a fault is seen and acted upon, and what is said of it: the end that still hears misses its own echo in the other's
/// messages; the deaf end knows only that its neighbour is silent, which counts in the strict mode alone. Both take three intervals.
fn seen(deaf: &Side, other: &Side) -> Known<Option<(Millis, String)>> {
    if deaf.detection == Unidirectional::Off || other.detection == Unidirectional::Off {
        return Ok(None);
    }
    let three = |side: &Side| side.interval.map(|interval| 3 * interval.millis());
    if other.detection >= Unidirectional::DisablePort {
        return Ok(Some((three(other)?, format!("{} misses its echo and goes down", other.name))));
    }
    if deaf.detection == Unidirectional::Strict {
        return Ok(Some((three(deaf)?, format!("{} misses its neighbour and goes down", deaf.name))));
    }
    Ok(None)
}
