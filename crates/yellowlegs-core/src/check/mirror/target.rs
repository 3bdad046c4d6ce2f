//! What hangs on a target, and whether sources and target are there.

use super::session::{Session, each, sessions};
use crate::check::port::fits;
use crate::check::{Check, Judgement, Run, SwitchView, Tally, Unknown, Verdict, Violation};
use crate::model::{Fact, Origin, facts, platform, settings};
use crate::policy::{Faces, Level};

const NEEDS: &[&str] = &["mirror.enabled", "mirror.sources", "mirror.target"];

pub(super) const BUSY: Check = Check {
    id: "mirror/target-busy",
    title: "a mirror's target carries something else",
    level: Level::Risk,
    needs: &["mirror.enabled", "mirror.target", "port.mode"],
    uses: &["port.access-vlan", "port.native-vlan", "port.tagged-vlans", "station", "neighbour", "role"],
    policy: &["role.faces"],
    reference: "docs/policy.md, Mirrors",
    why: "Copies mix with the port's own traffic, and go to whoever hangs there.",
    remedy: "Give the copies a port of their own, in no VLAN.",
    run: Run::Switch(busy),
    ..Check::ROW
};

fn busy(on: &SwitchView<'_>) -> Judgement {
    let mut tally = Tally::default();
    let (sessions, unknown) = sessions(on);
    unknown.into_iter().for_each(|unknown| tally.add(Err(unknown)));
    for session in &sessions {
        tally.add(carries_more(on, session));
    }
    tally.judgement()
}

fn carries_more(on: &SwitchView<'_>, session: &Session) -> Result<Option<Violation>, Unknown> {
    let Some(index) = session.port else { return Ok(None) };
    let port = on.port(index);
    let violation = |setting, says| session.violation(on, setting, says).beside(settings::MIRROR_TARGET.id);
    let untagged = port.untagged()?;
    // A VLAN nobody wrote is what the platform puts every port in.
    let forced = port.slot(untagged.setting).origin == Origin::Default;
    let mut carried = port.tagged()?.map(|set| (*set).clone()).unwrap_or_default();
    untagged.vlan.filter(|_| !forced).into_iter().chain(port.voice()?.vlan).for_each(|vlan| carried.insert(vlan));
    if !carried.is_empty() {
        let tagged = carried.iter().any(|vlan| Some(vlan) != untagged.vlan);
        let setting = if tagged { settings::TAGGED_VLANS.id } else { untagged.setting };
        let says = "the target of mirror {session} is in VLAN {vlans} besides";
        return Ok(Some(violation(setting, says).fact("vlans", carried.to_string()).beside(untagged.setting)));
    }
    if let Some(fact) = port.facts(facts::station::FACT).next() {
        let says = "the target of mirror {session} learns stations: {station}";
        let station = fact.get(facts::station::ADDRESS).map_or_else(String::new, |a| a.to_string());
        let violation = violation(settings::MIRROR_TARGET.id, says).fact("station", station);
        return Ok(Some(violation.and_line(Some(fact.mark))));
    }
    // A capture device that announces itself belongs there; anything else is in the way.
    let belongs = |fact: &&Fact| port.role().is_ok_and(|role| role.faces == Faces::Capture && fits(fact, role));
    if let Some(fact) = port.facts(facts::neighbour::FACT).find(|fact| !belongs(fact)) {
        let says = "the target of mirror {session} has the neighbour {who}";
        let who = fact.get(facts::neighbour::NAME).unwrap_or_else(|| "without a name".into());
        let violation = violation(settings::MIRROR_TARGET.id, says).fact("who", &*who);
        return Ok(Some(violation.and_line(Some(fact.mark))));
    }
    Ok(None)
}

pub(super) const IS_SOURCE: Check = Check {
    id: "mirror/target-is-source",
    title: "a mirror's target is among its sources",
    level: Level::Breach,
    needs: NEEDS,
    reference: "docs/checks.md, mirror",
    why: "Copies of copies: the target fills itself, and what is captured cannot be used.",
    remedy: "Take {target} out of the sources.",
    run: Run::Switch(is_source),
    ..Check::ROW
};

fn is_source(on: &SwitchView<'_>) -> Judgement {
    each(on, |session| {
        let own = session.sources.iter().any(|(name, _)| Some(name) == session.target.as_ref());
        let says = "mirror {session} copies its own target {target}";
        own.then(|| session.violation(on, settings::MIRROR_SOURCES.id, says).beside(settings::MIRROR_TARGET.id))
    })
}

pub(super) const DANGLING: Check = Check {
    id: "mirror/dangling",
    title: "a mirror's source or target does not exist",
    level: Level::Risk,
    needs: NEEDS,
    uses: &["mirror.source-vlans", "switch.vlans"],
    reference: "docs/checks.md, mirror",
    why: "The session copies nothing, or to nowhere; whoever looks at the capture believes that nothing happened.",
    remedy: "Name ports that are there, or take the session out.",
    run: Run::Switch(dangling),
    ..Check::ROW
};

fn dangling(on: &SwitchView<'_>) -> Judgement {
    each(on, |session| {
        let missing = |name: &&std::sync::Arc<str>| on.switch().port_index(name).is_none();
        let source = session.sources.iter().map(|(name, _)| name).find(missing);
        if let Some(name) = source {
            let says = "mirror {session} copies {missing}, which is not there";
            let violation = session.violation(on, settings::MIRROR_SOURCES.id, says);
            return Some(violation.fact("missing", format!("port {name}")));
        }
        if session.port.is_none() {
            let says = match session.target {
                Some(_) => "mirror {session} copies to port {target}, which is not there",
                None => "mirror {session} has no target",
            };
            return Some(session.violation(on, settings::MIRROR_TARGET.id, says));
        }
        if session.sources.is_empty() && session.vlans.is_empty() {
            return Some(session.violation(on, settings::MIRROR_SOURCES.id, "mirror {session} has no source"));
        }
        None
    })
}

pub(super) const VLAN_UNSUPPORTED: Check = Check {
    id: "mirror/vlan-unsupported",
    title: "a VLAN is mirrored on a platform that cannot",
    level: Level::Risk,
    needs: &["mirror.enabled", "mirror.source-vlans", "vlan-mirror"],
    uses: &["port.mode", "port.access-vlan"],
    reference: "docs/dialects.md, Traits",
    why: "The line stands there and copies nothing.",
    remedy: "Mirror the ports of the VLAN instead: {ports}.",
    run: Run::Switch(vlan_unsupported),
    ..Check::ROW
};

fn vlan_unsupported(on: &SwitchView<'_>) -> Judgement {
    let (sessions, unknown) = sessions(on);
    let with_vlans: Vec<&Session> = sessions.iter().filter(|session| !session.vlans.is_empty()).collect();
    if with_vlans.is_empty() {
        return unknown.into_iter().next().map_or(Ok(Verdict::Met), Err);
    }
    if on.platform(platform::VLAN_MIRROR, "yes")? {
        return Ok(Verdict::Met);
    }
    let mut tally = Tally::default();
    for session in with_vlans {
        let member = |port: &crate::check::PortView<'_>| {
            port.untagged().is_ok_and(|untagged| untagged.vlan.is_some_and(|vlan| session.vlans.contains(vlan)))
        };
        let ports =
            on.ports().filter(member).filter_map(|p| on.switch().ports().get(p.port()).map(ToString::to_string));
        let ports: Vec<String> = ports.collect();
        let says = "mirror {session} copies VLAN {vlans}, which this platform cannot";
        let violation = session.violation(on, settings::MIRROR_VLANS.id, says);
        let ports = if ports.is_empty() { "none is in it".to_owned() } else { ports.join(", ") };
        tally.add(Ok(Some(violation.fact("vlans", session.vlans.to_string()).fact("ports", ports))));
    }
    tally.judgement()
}
