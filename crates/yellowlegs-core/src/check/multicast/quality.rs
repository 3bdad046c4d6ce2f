//! What time-critical audio, video and control need of ports and queues.

use crate::check::voice::{trust_marking, trusts};
use crate::check::{
    Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, SwitchView, Tally, To, Unknown, Verdict, Violation,
};
use crate::model::{Value, settings};
use crate::policy::{Level, Purpose, Role};

pub(super) const QUEUE_MAP: Check = Check {
    id: "multicast/queue-map",
    title: "DSCP values are not in the queues the policy wants",
    level: Level::Risk,
    needs: &["queue.dscp-map", "queue.strict"],
    policy: &["site.queue-map", "site.queue-strict"],
    reference: "RFC 2474; IEEE 802.1Q, 8.6.8",
    why: "A clock that waits behind a file transfer is no clock. Streams drop out when the network is busy, and play \
          well when somebody tests them.",
    remedy: "Set it as the site wants it: {wrong}.",
    repair: Repair::Work(as_the_site),
    run: Run::Switch(queue_map),
    ..Check::ROW
};

fn queue_map(on: &SwitchView<'_>) -> Judgement {
    let site = &on.policy().site;
    if site.queue_map.value.is_empty() && site.queue_strict.value.is_empty() {
        return Ok(Verdict::NotApplicable);
    }
    let mut tally = Tally::default();
    if !site.queue_map.value.is_empty() {
        tally.add(on.known(settings::QUEUE_MAP).map(|map| {
            let right = |(dscp, queue): &&(u32, u32)| map.iter().any(|(d, q)| d == dscp && q == queue);
            let wrong: Vec<String> = site
                .queue_map
                .value
                .iter()
                .filter(|pair| !right(pair))
                .map(|(d, q)| format!("DSCP {d} in queue {q}"))
                .collect();
            let violation = || {
                Violation::of(settings::QUEUE_MAP.id, "the site wants {wrong}")
                    .fact("wrong", wrong.join(", "))
                    .demand(&site.queue_map.cite)
            };
            (!wrong.is_empty()).then(violation)
        }));
    }
    if !site.queue_strict.value.is_empty() {
        tally.add(on.known(settings::QUEUE_STRICT).map(|strict| {
            let has = |queue: &&String| strict.iter().any(|q| **q == ***queue);
            let wrong: Vec<String> = site
                .queue_strict
                .value
                .iter()
                .filter(|queue| !has(queue))
                .map(|queue| format!("queue {queue} served with strict priority"))
                .collect();
            let violation = || {
                Violation::of(settings::QUEUE_STRICT.id, "the site wants {wrong}")
                    .fact("wrong", wrong.join(", "))
                    .demand(&site.queue_strict.cite)
            };
            (!wrong.is_empty()).then(violation)
        }));
    }
    tally.judgement()
}

/// The role, where it is time-critical: it says so, or all its VLANs are of that purpose.
fn critical<'a>(port: &PortView<'a>) -> Result<Option<&'a Role>, Unknown> {
    let role = port.role()?;
    let by_vlans = || {
        let real_time = |vlan| {
            let site = port.site_vlan(vlan);
            site.is_some_and(|v| v.purpose == Some(Purpose::RealTime))
        };
        role.faces.is_edge() && !role.vlans.is_empty() && role.vlans.iter().all(real_time)
    };
    Ok(Some(role).filter(|role| role.time_critical.unwrap_or_else(by_vlans)))
}

pub(super) const MARKING_UNTRUSTED: Check = Check {
    id: "multicast/marking-untrusted",
    title: "a time-critical port does not trust the site's marking",
    level: Level::Risk,
    needs: &["port.trust", "role"],
    policy: &["site.marking", "role.time-critical", "role.expect.port.trust"],
    reference: "RFC 2474; IEEE 802.1Q, 6.9.4",
    why: "The sender marks its clock and media, and the port wipes the mark off at the first step.",
    remedy: "Trust {wanted} on the port.",
    repair: Repair::Work(trust_marking),
    run: Run::Port(marking_untrusted),
    ..Check::ROW
};

fn marking_untrusted(port: &PortView<'_>) -> Judgement {
    match critical(port)? {
        Some(role) if !role.faces.has_phone() => trusts(port, role),
        _ => Ok(Verdict::NotApplicable),
    }
}

pub(super) const ENERGY_SAVING: Check = Check {
    id: "multicast/energy-saving",
    title: "energy saving is on where timing matters",
    level: Level::Risk,
    needs: &["port.energy-saving", "role"],
    policy: &["role.time-critical", "role.expect.port.energy-saving"],
    reference: "IEEE 802.3, 78",
    why: "The link sleeps between frames and wakes late: the clock jitters, and audio clicks.",
    remedy: "Switch energy-efficient Ethernet off on the port.",
    absorbs: &["port/unexpected"],
    repair: Repair::Set(&[(settings::ENERGY_SAVING.id, Aim::Off)]),
    run: Run::Port(energy_saving),
    ..Check::ROW
};

fn energy_saving(port: &PortView<'_>) -> Judgement {
    let Some(role) = critical(port)? else { return Ok(Verdict::NotApplicable) };
    if !port.known(settings::ENERGY_SAVING)? {
        return Ok(Verdict::Met);
    }
    let key = if role.time_critical.is_some() { "time-critical" } else { "vlans" };
    Violation::of(settings::ENERGY_SAVING.id, "energy-efficient Ethernet is on; role {role} is time-critical")
        .demand(role.cite(key))
        .into()
}

pub(super) const MTU_SMALL: Check = Check {
    id: "multicast/mtu-small",
    title: "the MTU is below the policy's",
    level: Level::Advice,
    needs: &["port.mtu", "role"],
    policy: &["role.expect.port.mtu"],
    reference: "IEEE 802.3, 3.2.7",
    why: "Frames that are larger are dropped without a word: small tests pass, and the stream does not.",
    remedy: "Set the MTU to {wanted}.",
    repair: Repair::Set(&[(settings::MTU.id, Aim::Fact("wanted"))]),
    run: Run::Port(mtu_small),
    ..Check::ROW
};

fn mtu_small(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    let Some(wished) = role.expect.value(settings::MTU) else { return Ok(Verdict::NotApplicable) };
    let mtu = port.known(settings::MTU)?;
    if mtu >= wished.value {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::MTU.id, "the MTU is {mtu}; role {role} wants {wanted}")
        .fact("mtu", mtu)
        .fact("wanted", wished.value)
        .demand(&wished.cite)
        .into()
}

/// The pairs and queues that the site wants, beside those that are there.
fn as_the_site(case: &Case<'_>) -> Mending {
    let site = &case.policy.site;
    Mending::of(case.cause().and_then(|cause| {
        let wanted = if cause == settings::QUEUE_MAP.id {
            Value::Pairs(site.queue_map.value.iter().copied().collect())
        } else {
            Value::Words(site.queue_strict.value.iter().map(|queue| queue.as_str().into()).collect())
        };
        case.to(cause, To::With(wanted))
    }))
}
