//! Ports that the log shows flapping.

use jiff::Timestamp;

use super::trips::{Protection, flaps, trips};
use crate::check::{Check, Judgement, PortView, Run, Unknown, Verdict, Violation};
use crate::model::{Cause, EventSeen, Fact, FlapSeen, facts, platform, settings};
use crate::policy::Level;

pub(super) const WOULD_TRIP: Check = Check {
    id: "flap/would-trip",
    title: "the log shows a port that would have tripped under the policy's values",
    level: Level::Risk,
    needs: &["event link-down"],
    uses: &["flap-counts", "flap", "port-status", "role"],
    policy: &[
        "site.flap-threshold",
        "site.flap-window",
        "site.flap-hold",
        "site.log-window",
        "role.expect.flap.threshold",
        "role.expect.flap.window",
    ],
    reference: "docs/state.md, Flaps",
    why: "A plug that is loose, a transceiver that dies, a machine that restarts: each time the site works out its ways \
          anew, and nobody looks before it stays down.",
    remedy: "See to cable, plug and transceiver of the port; `yellowlegs flaps` tries other values.",
    run: Run::Port(would_trip),
    ..Check::ROW
};

/// The policy's values for a port: its role's, or the site's.
pub(super) fn wanted(port: &PortView<'_>) -> Protection {
    let (site, role) = (&port.policy().site, port.role().ok());
    let threshold = role.and_then(|role| role.expect.value(settings::FLAP_THRESHOLD));
    let window = role.and_then(|role| role.expect.value(settings::FLAP_WINDOW));
    Protection {
        threshold: threshold.map_or(site.flap_threshold.value, |wished| wished.value),
        window: window.map_or(site.flap_window.value, |wished| wished.value).0,
        hold: site.flap_hold.value.0,
    }
}

/// One that is held down now is told by `recovery/held-down`.
fn would_trip(port: &PortView<'_>) -> Judgement {
    let read = port.reads(facts::event::FACT).map_err(|_| Unknown::fact("event link-down"))?;
    if read.is_none() {
        return Ok(Verdict::NotApplicable);
    }
    let by_status = port.facts(facts::port_status::FACT).any(|f| f.get(facts::port_status::CAUSE) == Some(Cause::Flap));
    let seen = |fact: &Fact| matches!(fact.get(facts::flap::STATE), Some(FlapSeen::Holding | FlapSeen::Waiting));
    if by_status || port.facts(facts::flap::FACT).any(seen) {
        return Ok(Verdict::NotApplicable);
    }
    let recent: Vec<&Fact> = port.facts(facts::event::FACT).filter(|event| port.on().is_recent(event)).collect();
    let protection = wanted(port);
    let of = |each_change: bool| {
        let flaps = flaps(recent.iter().copied(), each_change);
        let times: Vec<Timestamp> = flaps.iter().map(|(time, _)| *time).collect();
        (trips(&times, protection), flaps)
    };
    let (found, flaps) = match port.platform(platform::FLAP_COUNTS, "each-change") {
        Ok(each) => of(each),
        // Where both ways of counting come to the same, it need not be known.
        Err(unknown) => {
            let (one, other) = (of(false), of(true));
            if one.0.is_empty() != other.0.is_empty() {
                return Err(unknown);
            }
            one
        }
    };
    let did = recent.iter().find(|event| {
        event.get(facts::event::KIND) == Some(EventSeen::HeldDown)
            && event.get(facts::event::CAUSE) == Some(Cause::Flap)
    });
    let site = &port.policy().site;
    let told = |violation: Violation| {
        let Protection { threshold, window, hold } = protection;
        let violation = violation.fact("threshold", threshold).fact("window", window).fact("hold", hold);
        violation.demand(&site.flap_threshold.cite)
    };
    if let Some(trip) = found.first() {
        let says = if found.len() == 1 {
            "the link flapped {threshold} times within {window} s at {first}: it would have been held down"
        } else {
            "the link flapped {threshold} times within {window} s, {count} times over, first at {first}"
        };
        let violation = told(Violation::of(settings::FLAP.id, says))
            .fact("count", found.len() as u32)
            .fact("first", trip.at.to_string());
        let lines = [trip.from, trip.to].into_iter().filter_map(|i| flaps.get(i)).map(|(_, event)| event.mark);
        return lines.fold(violation, |violation, mark| violation.and_line(Some(mark))).into();
    }
    if let Some(did) = did {
        let at = did.get(facts::event::TIME).map_or_else(|| "?".to_owned(), |time| time.to_string());
        let says = "flap protection took the port down at {first}, and it came back";
        return told(Violation::of(settings::FLAP.id, says)).fact("first", at).and_line(Some(did.mark)).into();
    }
    Ok(Verdict::Met)
}
