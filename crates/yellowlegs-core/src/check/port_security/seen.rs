//! The stations that are there, against the limit; what port security has counted.

use crate::check::seen::{QUOTED, distinct, some};
use crate::check::view::Stations;
use crate::check::{Check, Judgement, PortView, Run, Unknown, Verdict, Violation};
use crate::model::{Cause, EventSeen, facts, platform, settings};
use crate::policy::Level;

pub(super) const OVER_LIMIT: Check = Check {
    id: "port-security/over-limit",
    title: "more stations are seen than the limit in force, or than the role's",
    level: Level::Breach,
    needs: &["station", "role"],
    uses: &["port-security.enabled", "port-security.limit", "port.mode", "stations-counted"],
    policy: &["role.stations", "role.faces"],
    reference: "IEEE 802.1Q, 8.8",
    why: "Somebody put an unmanaged switch on the socket, or one machine makes up addresses. Above the limit in force \
          port security is not doing what the configuration says.",
    remedy: "See what hangs on the port: {stations}.",
    run: Run::Port(over_limit),
    ..Check::ROW
};

/// Behind ports towards bridges are others' stations.
fn over_limit(port: &PortView<'_>) -> Judgement {
    let Some(heard) = port.stations()? else { return Ok(Verdict::NotApplicable) };
    let role = port.role()?;
    if !role.faces.is_edge() {
        return Ok(Verdict::NotApplicable);
    }
    // A station that speaks in two VLANs counts twice where the platform counts so.
    let per_vlan = port.platform(platform::STATIONS_COUNTED, "per-station-and-vlan");
    let (each, pairs) = (distinct(&heard).len() as u32, heard.len() as u32);
    let count = match &per_vlan {
        Ok(true) => pairs,
        Ok(false) => each,
        // Undecided only where the ways of counting come to different ends.
        Err(_) => each,
    };
    let limit = port.security_in_force().and_then(|on| on.then(|| port.known(settings::LIMIT)).transpose());
    let most = Stations::of(role, *per_vlan.as_ref().unwrap_or(&false)).and_then(|stations| stations.most);
    let over_limit = limit.as_ref().ok().copied().flatten().filter(|limit| count > *limit);
    let over_role = most.filter(|most| count > *most);
    let violation = match (over_limit, over_role) {
        (Some(limit), _) => {
            let says = "{count} stations are seen, and the limit in force is {limit}: {stations}";
            Violation::of(settings::LIMIT.id, says).fact("limit", limit)
        }
        (None, Some(most)) => {
            let says = "{count} stations are seen; role {role} may have {most}: {stations}";
            let cite = role.cite(if role.stations.is_some() { "stations" } else { "faces" });
            Violation::saying(says).fact("most", most).demand(cite)
        }
        (None, None) => {
            if let (Err(unknown), true) = (&per_vlan, pairs > each) {
                return Err(unknown.clone());
            }
            return limit.map(|_| Verdict::Met);
        }
    };
    let violation = violation.fact("count", count).fact("stations", some(&distinct(&heard)));
    heard.iter().take(QUOTED).fold(violation, |violation, heard| violation.and_line(Some(heard.row.mark))).into()
}

pub(super) const VIOLATIONS: Check = Check {
    id: "port-security/violations",
    title: "port security has turned stations away, or holds the port down",
    level: Level::Breach,
    needs: &["counters or port-status"],
    uses: &["event"],
    policy: &["site.log-window"],
    reference: "docs/checks.md, port-security",
    why: "Somebody tried. Whoever it was may try the next socket.",
    remedy: "See what was plugged in on the port, then clear the counter.",
    run: Run::Port(violations),
    ..Check::ROW
};

fn violations(port: &PortView<'_>) -> Judgement {
    if !port.has_state() {
        return Ok(Verdict::NotApplicable);
    }
    let counters = port.seen(facts::counters::FACT);
    let status = port.seen(facts::port_status::FACT);
    let held =
        status.iter().flatten().flatten().find(|f| f.get(facts::port_status::CAUSE) == Some(Cause::PortSecurity));
    let counted = counters.iter().flatten().flatten().find_map(|fact| {
        let count = fact.get(facts::counters::VIOLATIONS).filter(|count| *count > 0)?;
        Some((count, *fact))
    });
    // Where the counters are read they are newer than any line of the log.
    let logged: Vec<_> = port.events(EventSeen::Violation).filter(|_| counters.is_err()).collect();
    let violation = match (counted, held, logged.as_slice()) {
        (Some((count, fact)), held, _) => {
            let says = if held.is_some() {
                "port security has counted {count} station(s) too many and holds the port down"
            } else {
                "port security has counted {count} station(s) too many"
            };
            let violation = Violation::of(settings::PORT_SECURITY.id, says).fact("count", count);
            violation.and_line(Some(fact.mark)).and_line(held.map(|fact| fact.mark))
        }
        (None, Some(fact), _) => {
            Violation::of(settings::PORT_SECURITY.id, "port security holds the port down").and_line(Some(fact.mark))
        }
        (None, None, [first, ..]) => {
            let says = "the log has {count} station(s) turned away by port security";
            let violation = Violation::of(settings::PORT_SECURITY.id, says).fact("count", logged.len() as u32);
            violation.and_line(Some(first.mark))
        }
        (None, None, []) => {
            return match (counters, status) {
                (Err(_), Err(_)) => Err(Unknown::fact("counters or port-status")),
                _ => Ok(Verdict::Met),
            };
        }
    };
    let last = logged.last().filter(|event| !violation.beside_lines.contains(&event.mark));
    violation.and_line(last.map(|event| event.mark)).into()
}
