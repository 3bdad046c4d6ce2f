//! Unidirectional link detection at both ends of a link, and quick enough.

use crate::check::fleet::{At, port};
use crate::check::{Case, Check, FleetJudgement, FleetView, FleetViolation, Mending, Repair, Run, Violation};
use crate::model::{Media, Unidirectional, Value, settings};
use crate::policy::Level;

pub(super) const OFF: Check = Check {
    id: "unidirectional/off",
    title: "a fibre link to another switch has no unidirectional link detection",
    level: Level::Risk,
    needs: &["unidirectional.mode", "port.media", "role"],
    uses: &["links"],
    policy: &["role.expect.unidirectional"],
    reference: "RFC 5171",
    why: "A fibre can fail one way. The spanning tree then opens a blocked port, and a loop stands.",
    remedy: "Switch unidirectional link detection on, at both ends.",
    repair: Repair::Work(detect),
    stands_alone: true,
    run: Run::Fleet(off),
    ..Check::ROW
};

pub(super) const ONE_ENDED: Check = Check {
    id: "unidirectional/one-ended",
    title: "unidirectional link detection is on at one end only",
    level: Level::Risk,
    needs: &["unidirectional.mode", "links"],
    uses: &["neighbour"],
    policy: &["link"],
    reference: "RFC 5171",
    why: "It works by answers from the other end. With one end silent it sees nothing, or takes the link down for \
          nothing.",
    remedy: "Switch unidirectional link detection on here too.",
    absorbs: &["unidirectional/off"],
    repair: Repair::Work(detect),
    run: Run::Fleet(one_ended),
    ..Check::ROW
};

pub(super) const TOO_SLOW: Check = Check {
    id: "unidirectional/too-slow",
    title: "the spanning tree opens the port before the fault is detected",
    level: Level::Risk,
    needs: &["unidirectional.interval", "spanning-tree.protocol", "spanning-tree.hello", "spanning-tree.forward-delay"],
    uses: &["rapid-without-edge", "spanning-tree.max-age", "links"],
    reference: "RFC 5171; IEEE 802.1Q, 13",
    why: "Detection takes about three intervals. When the tree is quicker, the loop stands first and the detection \
          comes to a network that cannot hear it.",
    remedy: "Send more often: 3 × interval below {opens} s.",
    repair: Repair::Work(send_often),
    stands_alone: true,
    run: Run::Fleet(too_slow),
    ..Check::ROW
};

fn each(fleet: &FleetView<'_>, mut look: impl FnMut(At)) {
    for (number, digest) in fleet.switches.iter().enumerate() {
        (0..digest.ports.len()).for_each(|index| look((number, index)));
    }
}

fn is_on(fleet: &FleetView<'_>, at: At) -> Option<bool> {
    port(fleet.switches, at).detection.map(|mode| mode != Unidirectional::Off)
}

fn off(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    each(fleet, |at| {
        let here = port(fleet.switches, at);
        if !here.wants_detection {
            return;
        }
        let Some(on) = is_on(fleet, at) else {
            judgement.unknown.push(("unidirectional.mode", fleet.related(at)));
            return;
        };
        // One-ended says it better.
        let other_has = fleet.links().peer(at).and_then(|peer| is_on(fleet, peer)) == Some(true);
        if on || other_has {
            return;
        }
        match here.media {
            Some(Media::Copper) => {}
            None => judgement.unknown.push(("port.media", fleet.related(at))),
            Some(Media::Fibre) => {
                let says = "unidirectional link detection is off on this fibre; role {role} faces {faces}";
                let violation = Violation::of(settings::UNIDIRECTIONAL.id, says).beside(settings::MEDIA.id);
                judgement.violations.push(FleetViolation::at(fleet.related(at), violation));
            }
        }
    });
    judgement
}

fn one_ended(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    for (a, b) in &fleet.links().all {
        let (here, there) = match (is_on(fleet, *a), is_on(fleet, *b)) {
            (Some(false), Some(true)) => (*a, *b),
            (Some(true), Some(false)) => (*b, *a),
            (None, _) => {
                judgement.unknown.push(("unidirectional.mode", fleet.related(*a)));
                continue;
            }
            (_, None) => {
                judgement.unknown.push(("unidirectional.mode", fleet.related(*b)));
                continue;
            }
            _ => continue,
        };
        let other = fleet.related(there);
        let name = format!("{} {}", other.switch, other.port.as_deref().unwrap_or_default());
        let says = "unidirectional link detection is off here and on at {other}";
        let violation =
            Violation::of(settings::UNIDIRECTIONAL.id, says).fact("other", name).related(vec![other.clone()]);
        let mut found = FleetViolation::at(fleet.related(here), violation);
        found.beside = vec![(other, settings::UNIDIRECTIONAL.id)];
        judgement.violations.push(found);
    }
    judgement
}

fn too_slow(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    each(fleet, |at| {
        let here = port(fleet.switches, at);
        if is_on(fleet, at) != Some(true) {
            return;
        }
        let own = fleet.switches[at.0].serves.reopens.as_deref();
        let other = fleet.links().peer(at).and_then(|peer| fleet.switches[peer.0].serves.reopens.as_deref());
        let (Some(interval), Some(own)) = (here.detection_interval, own) else {
            let needs = if own.is_none() { "spanning-tree.protocol" } else { "unidirectional.interval" };
            judgement.unknown.push((needs, fleet.related(at)));
            return;
        };
        let (opens, how) = other.filter(|other| other.0 < own.0).unwrap_or(own);
        let detects = interval.saturating_mul(3);
        if detects < *opens {
            return;
        }
        let says = "detection takes 3 × {interval} s = {detects} s; the tree opens the port after {opens} s ({how})";
        let violation = Violation::of(settings::UNIDIRECTIONAL_INTERVAL.id, says)
            .beside(settings::TREE_PROTOCOL.id)
            .fact("interval", interval)
            .fact("detects", detects)
            .fact("opens", *opens)
            .fact("how", how.as_str());
        judgement.violations.push(FleetViolation::at(fleet.related(at), violation));
    });
    judgement
}

/// On, as the role wants it; else so that a fault that is proven takes the port down.
fn detect(case: &Case<'_>) -> Mending {
    let wished = case.role().and_then(|role| role.expect.value(settings::UNIDIRECTIONAL)).map(|wished| wished.value);
    let mode = wished.filter(|mode| *mode != Unidirectional::Off).unwrap_or(Unidirectional::DisablePort);
    Mending::of(case.word(settings::UNIDIRECTIONAL.id, mode))
}

/// So often that three messages fit into the time that the tree waits.
fn send_often(case: &Case<'_>) -> Mending {
    let opens: Option<u32> = case.text("opens").and_then(|opens| opens.parse().ok());
    let interval = opens.map(|opens| opens.saturating_sub(1) / 3).filter(|interval| *interval > 0);
    Mending::of(interval.and_then(|seconds| case.set(settings::UNIDIRECTIONAL_INTERVAL.id, Value::Seconds(seconds))))
}
