//! Ways out of one's VLAN.

use super::{at_edge, own, ready};
use crate::drill::Drill;
use crate::drill::asked::Known;
use crate::drill::frame::{Frame, Payload};
use crate::drill::machine::{Arrival, Because, Machine};
use crate::drill::rehearse::{Outcome, Rehearsal, Stage};
use crate::model::{Mode, settings};

pub(super) const TAG_HOP: Drill = Drill {
    name: "tag-hop",
    stimulus: "frames tagged for every VLAN of the switch, and tagged twice",
    holds: "none gets into a VLAN that is not the role's",
    answers: &[
        "port/ingress-open",
        "port/mode-wrong",
        "port/mode-negotiated",
        "port/trunk-open",
        "port/vlan-foreign",
        "port/native-in-use",
    ],
    run: tag_hop,
};

fn tag_hop(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    if !stage.is_edge()? {
        return Ok(None);
    }
    let mut may = stage.role()?.may_use();
    let Some(mut machine) = ready(stage, machine)? else { return Ok(None) };
    // Where it is put untagged is not its own doing: that is another drill's matter.
    machine.untagged(stage.port)?.iter().for_each(|vlan| may.insert(*vlan));
    let host = own::host(stage, &machine)?;
    machine.authenticate(host);
    let mut stopped = None;
    for vlan in machine.vlans()?.iter().filter(|vlan| !may.contains(*vlan)).take(4094) {
        let arrival = machine.receive(stage.port, &Frame::to_all(host, Payload::Plain).tagged(vlan))?;
        if arrival.is_in() {
            let trunk = machine.mode(stage.port)? == Mode::Trunk;
            let setting = if trunk { settings::TAGGED_VLANS.id } else { settings::INGRESS_FILTERING.id };
            let told =
                Rehearsal::new(&machine, Outcome::LetThrough, format!("a tag is enough to get into VLAN {vlan}"));
            return Ok(Some(told.because(Some(Because::of("tag rules", setting)))));
        }
        stopped = stopped.or(arrival.stopped_by());
        machine.forget_admitted(stage.port);
        machine.pass(1000)?;
        if machine.held_by(stage.port).is_some() {
            break;
        }
    }
    // Twice: the outer tag goes where the VLAN is untagged, and leaves the inner one behind.
    if let Some(own) = machine.untagged(stage.port)? {
        for inner in machine.vlans()?.iter().filter(|vlan| *vlan != own).take(1) {
            let frame = Frame::to_all(host, Payload::Plain).tagged(inner).tagged(own);
            let Arrival::Forwarded(_, to) = machine.receive(stage.port, &frame)? else { continue };
            let hops = |d: &&crate::drill::machine::Delivery| {
                d.tags.first() == Some(&inner.get()) && machine.mode(d.port) == Ok(Mode::Trunk)
            };
            if let Some(out) = to.iter().find(hops) {
                stage.goes_by_place();
                let says = format!("tagged twice, it leaves by {} in VLAN {inner}", machine.name(out.port));
                let because = Because::of("tag rules", settings::NATIVE_VLAN.id);
                return Ok(Some(Rehearsal::new(&machine, Outcome::LetThrough, says).because(Some(because))));
            }
        }
    }
    let because = stopped.unwrap_or_else(|| Because::of("tag rules", settings::INGRESS_FILTERING.id));
    Ok(Some(Rehearsal::new(&machine, Outcome::Held, "no tag leads out of its VLANs").because(Some(because))))
}

pub(super) const NEGOTIATE: Drill = Drill {
    name: "negotiate",
    stimulus: "the host offers to become a trunk",
    holds: "the mode stays",
    answers: &["port/mode-negotiated"],
    run: negotiate,
};

fn negotiate(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut machine) = at_edge(stage, machine)? else { return Ok(None) };
    let because = Some(Because::of("mode", settings::MODE.id));
    let mode = machine.mode(stage.port)?;
    let told = if mode == Mode::Negotiated {
        machine.tell(stage.port, "becomes a trunk", because);
        Rehearsal::new(&machine, Outcome::LetThrough, "the host makes itself a trunk")
    } else {
        machine.tell(stage.port, format_args!("stays {mode}"), because);
        Rehearsal::new(&machine, Outcome::Held, format!("the mode stays {mode}"))
    };
    Ok(Some(told.because(because)))
}
