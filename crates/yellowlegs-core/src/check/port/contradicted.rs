//! What the neighbour and the stations say against the port's role.

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
    policy: &["role.faces", "site.phone-prefixes", "inventory.stations", "link"],
    reference: "IEEE 802.1AB, 8.5.8; ANSI/TIA-1057, 10.2.2",
    why: "The port is judged as what somebody meant it to be. What hangs there is something else: either the list is \
          old, or somebody moved a cable.",
    remedy: "Look what {who} is: give the port the role it has, or move the cable back.",
    run: Run::Port(role_mismatch),
    ..Check::ROW
};

fn role_mismatch(port: &PortView<'_>) -> Judgement {
    let on = port.on();
    if on.leads_outside()
        && let Some((outside, cite)) = port.policy().outside_at(on.resolved(), port.port())
        && let Some(is) = outside.is
        && let Some((_, what)) = DEVICES.iter().find(|(capability, _)| *capability == is)
        && !port.role()?.faces.fitting().contains(&is)
    {
        let says = "the link to {who} says that it is {what}; role {role} faces {faces}";
        let violation = Violation::saying(says).fact("who", outside.name.as_str()).fact("what", *what);
        return violation.demand(cite).into();
    }
    if !port.has_state() {
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
    let stations = port.stations();
    if let Ok(Some(heard)) = &stations
        && let Some((heard, what)) = heard.iter().find_map(|heard| Some((heard, station_against(port, heard, role)?)))
    {
        let says = "the station {who} is {what}; role {role} faces {faces}";
        let violation = Violation::saying(says).fact("who", heard.address.to_string()).fact("what", what);
        return violation.and_line(Some(heard.row.mark)).demand(role.cite("faces")).into();
    }
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

/// What a neighbour can be, gravest first, in the words of a sentence.
const DEVICES: [(Capability, &str); 6] = [
    (Capability::Bridge, "a bridge"),
    (Capability::Router, "a router"),
    (Capability::Repeater, "a repeater"),
    (Capability::AccessPoint, "an access point"),
    (Capability::Telephone, "a phone"),
    (Capability::Station, "a station"),
];

/// Whether nothing that a neighbour says of itself speaks against the role.
pub(in crate::check) fn fits(fact: &Fact, role: &Role) -> bool {
    against(fact, role).is_none()
}

/// What a neighbour is that the role does not face. What it says of itself that fits outweighs what does not; its class says
/// that it is an endpoint (ANSI/TIA-1057, 10.2.2: 3 is a phone).
fn against(fact: &Fact, role: &Role) -> Option<&'static str> {
    if role.faces == Faces::Nothing {
        return Some("there, where nothing should be");
    }
    let of_class = fact.get(facts::neighbour::CLASS).map(|class| match class {
        3 => Capability::Telephone,
        _ => Capability::Station,
    });
    let told = fact.get(facts::neighbour::CAPABILITIES);
    let can =
        |capability: Capability| of_class == Some(capability) || told.is_some_and(|told| told.contains(capability));
    if role.faces.fitting().iter().copied().any(can) {
        return None;
    }
    let endpoint = of_class.and_then(|class| DEVICES.iter().find(|(capability, _)| *capability == class));
    let (_, device) = endpoint.or_else(|| DEVICES.iter().find(|(capability, _)| can(*capability)))?;
    Some(if role.faces.is_bridge() && *device == "a station" { "no bridge" } else { device })
}

/// What a kind of station in the inventory is, where it is more than a computer or a thing.
fn device(kind: &str) -> Option<(Capability, &'static str)> {
    const WORDS: [(&str, Capability); 8] = [
        ("phone", Capability::Telephone),
        ("telephone", Capability::Telephone),
        ("bridge", Capability::Bridge),
        ("switch", Capability::Bridge),
        ("router", Capability::Router),
        ("repeater", Capability::Repeater),
        ("access-point", Capability::AccessPoint),
        ("access point", Capability::AccessPoint),
    ];
    let (_, is) = WORDS.iter().find(|(word, _)| kind.eq_ignore_ascii_case(word))?;
    DEVICES.iter().find(|(capability, _)| capability == is).copied()
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
    // Behind an access point are whoever is near it.
    if role.faces == Faces::AccessPoint {
        return None;
    }
    let kind = listed.and_then(|station| station.kind.as_deref()).filter(|kind| !kind.is_empty());
    let is = if policy.is_phone(heard.address) { device("phone") } else { kind.and_then(device) };
    match (is, kind) {
        (Some((is, words)), _) => (!role.faces.fitting().contains(&is)).then(|| words.to_owned()),
        (None, Some(kind)) => (role.faces == Faces::Phone).then(|| format!("listed as {kind}")),
        (None, None) => None,
    }
}
