//! Mirrors: whether the target hears exactly what was agreed on.

use std::collections::BTreeMap;

use crate::drill::Drill;
use crate::drill::asked::Known;
use crate::drill::frame::{Frame, Payload};
use crate::drill::machine::{Because, Machine, Session};
use crate::drill::rehearse::{Outcome, Rehearsal, Stage, station};
use crate::model::{Direction, Origin, settings};
use crate::policy::MirrorEntry;
use crate::sorted;

pub(super) const MIRROR_TAP: Drill = Drill {
    name: "mirror-tap",
    stimulus: "frames come and go on each source of a mirror whose target this port is",
    holds: "the target hears exactly the directions that were agreed on, and nothing besides",
    answers: &[
        "mirror/left-on",
        "mirror/one-sided",
        "mirror/sensitive",
        "mirror/target-busy",
        "mirror/target-is-source",
        "mirror/dangling",
        "mirror/vlan-unsupported",
    ],
    run: mirror_tap,
};

/// What the register agrees on for a session today: of each source the directions. A part of an entry is agreed on, too.
fn agreed(stage: &Stage<'_>, session: &Session) -> Option<BTreeMap<usize, Direction>> {
    let (switch, lists) = (stage.switch(), stage.resolved.lists());
    let at = |text: &crate::policy::PortsText| text.positions(switch, lists).unwrap_or_default();
    let here = stage.policy.mirrors_on(switch.name()).map(|(_, entry)| entry);
    let holds = |entry: &&MirrorEntry| stage.around.today() <= entry.last_day;
    let of_entry = |entry: &MirrorEntry| {
        let each = entry.sources.iter().flat_map(|(text, way)| at(text).into_iter().map(|port| (port, *way)));
        let all: sorted::Map<usize, Direction> = sorted::map(each);
        let ways = session.sources.keys().map(|port| Some((*port, *all.get(port)?)));
        let fits = at(&entry.target) == [stage.port] && session.vlans.minus(&entry.vlans).is_empty();
        ways.collect::<Option<BTreeMap<_, _>>>().filter(|_| fits)
    };
    let fitting: Vec<_> = here.filter(holds).filter_map(of_entry).collect();
    let whole = fitting.iter().find(|ways| **ways == session.sources);
    whole.or(fitting.last()).cloned().filter(|ways| !ways.is_empty() || !session.vlans.is_empty())
}

fn mirror_tap(stage: &Stage<'_>, mut machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let sessions = machine.sessions()?;
    let here: Vec<&Session> = sessions.iter().filter(|session| session.target == Some(stage.port)).collect();
    if here.is_empty() {
        return Ok(None);
    }
    (0..machine.port_count()).for_each(|port| machine.settle(port));
    if !machine.forwards(stage.port) {
        return Ok(None);
    }
    let because = |setting| Some(Because::of("mirror", setting));
    for session in here {
        let name = &session.name;
        if session.sources.contains_key(&stage.port) {
            let told = Rehearsal::new(&machine, Outcome::LetThrough, format!("mirror {name} copies its own target"));
            return Ok(Some(told.because(because(settings::MIRROR_SOURCES.id))));
        }
        let Some(agreed) = agreed(stage, session) else {
            for port in session.sources.keys() {
                copies(&mut machine, *port)?;
            }
            let says = format!("mirror {name} copies to this port, and nobody agreed to that");
            return Ok(Some(
                Rehearsal::new(&machine, Outcome::LetThrough, says).because(because(settings::MIRROR_SOURCES.id)),
            ));
        };
        for (port, way) in &agreed {
            let heard = copies(&mut machine, *port)?;
            for (what, wanted, got) in [
                ("received", *way != Direction::Sent, heard.received),
                ("sent", *way != Direction::Received, heard.sent),
            ] {
                let source = machine.name(*port).to_owned();
                let told = match (wanted, got) {
                    (true, Some(false)) => Rehearsal::new(
                        &machine,
                        Outcome::Outage,
                        format!("what {source} {what} is not copied, as agreed"),
                    ),
                    (false, Some(true)) => {
                        let says = format!("what {source} {what} is copied, which nobody agreed to");
                        Rehearsal::new(&machine, Outcome::LetThrough, says)
                    }
                    _ => continue,
                };
                return Ok(Some(told.because(because(settings::MIRROR_SOURCES.id))));
            }
        }
    }
    if let Some(vlan) = carries(stage, &machine)? {
        let says = format!("the target hears VLAN {vlan} besides the copies");
        let setting = Because::of("tag rules", settings::ACCESS_VLAN.id);
        return Ok(Some(Rehearsal::new(&machine, Outcome::LetThrough, says).because(Some(setting))));
    }
    let told = Rehearsal::new(&machine, Outcome::Held, "the target hears what was agreed on, and nothing besides");
    Ok(Some(told.because(because(settings::MIRROR_TARGET.id))))
}

/// A VLAN that the target is in; the one that the platform puts every port in does not count.
fn carries(stage: &Stage<'_>, machine: &Machine<'_>) -> Known<Option<String>> {
    if let Some(tagged) = machine.tagged(stage.port)?.iter().next() {
        return Ok(Some(tagged.to_string()));
    }
    let Some(untagged) = machine.untagged(stage.port)? else { return Ok(None) };
    let setting = machine.untagged_setting(stage.port)?;
    let forced = stage.switch().slot(Some(stage.port), setting).origin == Origin::Default;
    Ok((!forced).then(|| untagged.to_string()))
}

/// Which directions of a source are copied; none: nothing could be received or sent there.
struct Heard {
    received: Option<bool>,
    sent: Option<bool>,
}

fn copies(machine: &mut Machine<'_>, source: usize) -> Known<Heard> {
    if !machine.forwards(source) {
        return Ok(Heard { received: None, sent: None });
    }
    machine.take_copies();
    machine.copy_arrived(source, &Frame::to_all(station(40), Payload::Plain));
    let received = machine.take_copies().iter().any(|copy| copy.of == source && copy.received);
    let sends = machine.untagged(source)?;
    let sent = match sends {
        Some(vlan) => {
            machine.emit(source, vlan);
            Some(machine.take_copies().iter().any(|copy| copy.of == source && !copy.received))
        }
        None => None,
    };
    let tell = |way: &str, got: bool| format!("what it {way} is {}", if got { "copied" } else { "not copied" });
    machine.tell(source, tell("receives", received), None);
    sent.into_iter().for_each(|sent| machine.tell(source, tell("sends", sent), None));
    Ok(Heard { received: Some(received), sent })
}
