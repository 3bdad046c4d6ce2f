//! Whether the copies fit through the target.

use std::collections::BTreeMap;

use super::session::{Session, sessions};
use crate::check::{Check, Judgement, Run, SwitchView, Tally, Unknown, Violation};
use crate::model::{Direction, Mark, facts, platform, settings};
use crate::policy::Level;

pub(super) const OVERDRAWN: Check = Check {
    id: "mirror/overdrawn",
    title: "the copies can exceed the target's speed",
    level: Level::Risk,
    needs: &["mirror.enabled", "mirror.sources", "mirror.target", "port.speed"],
    uses: &["mirror.source-vlans", "vlan-mirror", "port-status", "counters"],
    reference: "IEEE 802.3, 1.4",
    why: "What does not fit is dropped without a word, and the frame that is missing is the one somebody looks for.",
    remedy: "Copy fewer ports or one direction, or use a faster target.",
    run: Run::Switch(overdrawn),
    ..Check::ROW
};

/// All sessions onto one target count together; the target's own traffic does not.
fn overdrawn(on: &SwitchView<'_>) -> Judgement {
    let mut tally = Tally::default();
    let (sessions, unknown) = sessions(on);
    unknown.into_iter().for_each(|unknown| tally.add(Err(unknown)));
    let mut by_target: BTreeMap<usize, Vec<&Session>> = BTreeMap::new();
    for session in &sessions {
        if let Some(port) = session.port {
            by_target.entry(port).or_default().push(session);
        }
    }
    for (target, sessions) in by_target {
        tally.add(beyond(on, target, &sessions));
    }
    tally.judgement()
}

fn beyond(on: &SwitchView<'_>, target: usize, sessions: &[&Session]) -> Result<Option<Violation>, Unknown> {
    let Some(first) = sessions.first() else { return Ok(None) };
    let mut load: u64 = 0;
    for session in sessions {
        for (name, direction) in session.sources.iter() {
            let Some(port) = on.switch().port_index(name).filter(|port| *port != target) else { continue };
            let times = if *direction == Direction::Both { 2 } else { 1 };
            load += u64::from(on.port(port).speed()?) * times;
        }
        // A VLAN's frames are copied once, as its ports receive them.
        if !session.vlans.is_empty() && on.platform(platform::VLAN_MIRROR, "yes")? {
            for port in on.ports().filter(|port| port.port() != target) {
                if !port.carries()?.common(&session.vlans).is_empty() {
                    load += u64::from(port.speed()?);
                }
            }
        }
    }
    let measured = measured(on, target, sessions);
    let speed = on.port(target).speed()?;
    if load <= u64::from(speed) {
        return Ok(None);
    }
    let says = match measured {
        Some(_) => {
            "up to {load} Mbit/s of copies go to {target}, which takes {speed} Mbit/s; measured: {measured} kbit/s"
        }
        None => "up to {load} Mbit/s of copies go to {target}, which takes {speed} Mbit/s",
    };
    let violation = first.violation(on, settings::MIRROR_SOURCES.id, says).beside(settings::SPEED.id);
    let violation = violation.fact("load", u32::try_from(load).unwrap_or(u32::MAX)).fact("speed", speed);
    Ok(Some(match measured {
        Some((kilobits, mark)) => violation.fact("measured", kilobits).and_line(mark),
        None => violation,
    }))
}

/// What the sources carry now, in kbit/s, with a line that says so; `None` where one of them does not tell.
fn measured(on: &SwitchView<'_>, target: usize, sessions: &[&Session]) -> Option<(u32, Option<Mark>)> {
    let (mut sum, mut mark) = (0_u32, None);
    for (name, direction) in sessions.iter().flat_map(|session| session.sources.iter()) {
        let Some(port) = on.switch().port_index(name).filter(|port| *port != target) else { continue };
        let port = on.port(port);
        let fact = port.facts(facts::counters::FACT).last()?;
        let received = || fact.get(facts::counters::RECEIVED_KBPS);
        let sent = || fact.get(facts::counters::SENT_KBPS);
        let load = match direction {
            Direction::Received => received()?,
            Direction::Sent => sent()?,
            Direction::Both => received()?.saturating_add(sent()?),
        };
        sum = sum.saturating_add(load);
        mark = mark.or(Some(fact.mark));
    }
    mark.map(|mark| (sum, Some(mark)))
}
