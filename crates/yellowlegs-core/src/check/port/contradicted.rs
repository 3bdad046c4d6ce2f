//! What the neighbour and the stations say against the port's role.

use crate::check::fast_start::is_bridge;
use crate::check::seen::{Heard, some};
use crate::check::{Check, Judgement, PortView, Run, Verdict, Violation};
use crate::model::{Capability, Fact, facts};
use crate::policy::{Faces, Level, Role};

pub(super) const ROLE_MISMATCH: Check = Check {
    id: "port/role-mismatch",
    title: "the neighbour or the stations contradict the role",
    level: Level::Risk,
    needs: &["neighbour", "role"],
    uses: &["station"],
    policy: &["role.faces", "site.phone-prefixes", "inventory.stations"],
    reference: "IEEE 802.1AB, 8.5.8; ANSI/TIA-1057, 10.2.2",
    why: "The port is judged as what somebody meant it to be. What hangs there is something else: either the list is \
          old, or somebody moved a cable.",
    remedy: "Look what {who} is: give the port the role it has, or move the cable back.",
    run: Run::Port(role_mismatch),
    ..Check::ROW
};

fn role_mismatch(port: &PortView<'_>) -> Judgement {
    let on = port.on();
    if !port.switch().has_state() {
        return Ok(Verdict::NotApplicable);
    }
    let role = port.role()?;
    let neighbours = port.seen(facts::neighbour::FACT);
    if let Ok(Some(rows)) = &neighbours
        && let Some((fact, what)) = rows.iter().find_map(|fact| Some((fact, against(fact, role)?)))
    {
        let who = fact.get(facts::neighbour::NAME).unwrap_or_else(|| "without a name".into());
        let says = "the neighbour {who} is {what}; role {role} faces {faces}";
        let violation = Violation::saying(says).fact("who", &*who).fact("what", what);
        return violation.and_line(Some(fact.mark)).demand(role.cite("faces")).into();
    }
    if let Ok(Some(heard)) = port.stations()
        && let Some((heard, what)) = heard.iter().find_map(|heard| Some((heard, station_against(port, heard, role)?)))
    {
        let says = "the station {who} is {what}; role {role} faces {faces}";
        let violation = Violation::saying(says).fact("who", heard.address.to_string()).fact("what", what);
        return violation.and_line(Some(heard.row.mark)).demand(role.cite("faces")).into();
    }
    let stations = port.stations();
    if role.faces == Faces::Nothing
        && let Ok(Some(heard)) = &stations
        && !heard.is_empty()
    {
        let addresses = crate::check::seen::distinct(heard);
        let says = "{count} station(s) on a port that faces nothing: {who}";
        let violation = Violation::saying(says).fact("count", addresses.len() as u32).fact("who", some(&addresses));
        return violation.and_line(heard.first().map(|h| h.row.mark)).demand(role.cite("faces")).into();
    }
    on.reads(facts::neighbour::FACT)?;
    neighbours.map(|_| Verdict::Met)
}

/// What a neighbour is that the role does not face. What it says of itself that fits outweighs what does not.
fn against(fact: &Fact, role: &Role) -> Option<&'static str> {
    let told = fact.get(facts::neighbour::CAPABILITIES);
    let can = |capability: Capability| told.is_some_and(|told| told.contains(capability));
    let phone = can(Capability::Telephone) || fact.get(facts::neighbour::CLASS) == Some(3);
    match role.faces {
        Faces::BridgeUp | Faces::BridgeDown => {
            let told = told.filter(|told| !told.is_empty())?;
            let forwards = [Capability::Bridge, Capability::Router, Capability::Repeater];
            let bridge = forwards.into_iter().any(|capability| told.contains(capability));
            (!bridge).then_some(if phone { "a phone" } else { "no bridge" })
        }
        Faces::Router => (is_bridge(fact, Some(role)) && !can(Capability::Router)).then_some("a bridge"),
        Faces::Nothing => Some("there, where nothing should be"),
        _ if is_bridge(fact, Some(role)) => Some("a bridge"),
        faces => (phone && !faces.has_phone() && faces != Faces::AccessPoint).then_some("a phone"),
    }
}

fn station_against(port: &PortView<'_>, heard: &Heard<'_>, role: &Role) -> Option<String> {
    let policy = port.policy();
    if !role.faces.is_edge() {
        return None;
    }
    let listed = policy.stations.as_ref().and_then(|inventory| inventory.get(heard.address));
    if let Some(wanted) = listed.and_then(|station| station.role.as_deref()).filter(|wanted| *wanted != role.name) {
        return Some(format!("listed for role {wanted}"));
    }
    let untagged_host = matches!(role.faces, Faces::Host | Faces::TaggedHost);
    (untagged_host && policy.is_phone(heard.address)).then(|| "a phone".to_owned())
}
