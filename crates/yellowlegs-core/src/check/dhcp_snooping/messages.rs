//! What is let through of client messages, and what is kept of the answers.

use crate::check::arming::SNOOPING;
use crate::check::{
    Aim, Case, Check, Judgement, Mending, PortView, Repair, Run, SwitchView, Tally, Unknown, Verdict, Violation,
};
use crate::model::{Choice, RelayInfo, Value, settings};
use crate::policy::{Feature, Level, Wish};

pub(super) const RATE_MISSING: Check = Check {
    id: "dhcp-snooping/rate-missing",
    title: "client messages are not limited as the policy wants",
    level: Level::Risk,
    needs: &["dhcp-snooping.rate-limit", "dhcp-snooping.trusted", "dhcp-snooping.enabled", "snooping-switches", "role"],
    uses: &["dhcp-snooping.vlans", "port.speed"],
    policy: &["site.dhcp-rate-limit", "role.expect.dhcp-snooping.rate-limit"],
    reference: "RFC 2131",
    why: "One machine that asks as fast as it can takes every address of the pool, or keeps the switch's processor \
          busy with nothing else.",
    remedy: "Limit client messages on the port{most}.",
    repair: Repair::Work(limit_rate),
    run: Run::Port(rate_missing),
    ..Check::ROW
};

fn rate_missing(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.faces.is_edge() || !role.expect.wants(Feature::DhcpSnooping) || !acts(port.on())? {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::SNOOPING_TRUSTED)? {
        return Ok(Verdict::NotApplicable);
    }
    let of_role = role.expect.value(settings::SNOOPING_RATE);
    let wished = of_role.as_ref().unwrap_or(&port.policy().site.dhcp_rate);
    let most = wished.value.map(|most| format!(" to at most {most}")).unwrap_or_default();
    let rate = settings::SNOOPING_RATE;
    let Some(limit) = port.known(rate)? else {
        let says = "client messages are not limited on this untrusted port";
        let cite = if wished.value.is_some() { &wished.cite } else { &role.expect.wish(Feature::DhcpSnooping).cite };
        return Violation::of(rate.id, says).fact("most", most).demand(cite).into();
    };
    match wished.value {
        Some(allowed) if port.exceeds(limit, allowed)? => {
            Violation::of(rate.id, "client messages are limited to {limit}; the policy allows {allowed}")
                .fact("limit", limit.to_string())
                .fact("allowed", allowed.to_string())
                .fact("most", most)
                .demand(&wished.cite)
                .into()
        }
        _ => Ok(Verdict::Met),
    }
}

/// Whether DHCP snooping acts on the switch: what hangs on it is judged only then.
fn acts(on: SwitchView<'_>) -> Result<bool, Unknown> {
    Ok(on.is_armed(SNOOPING)? && !on.is_held_back("dhcp-snooping")?)
}

pub(super) const ADDRESS_CHECK_OFF: Check = Check {
    id: "dhcp-snooping/address-check-off",
    title: "client hardware addresses are not compared with the source",
    level: Level::Risk,
    needs: &["dhcp-snooping.address-check", "dhcp-snooping.enabled", "snooping-switches"],
    uses: &["dhcp-snooping.vlans"],
    policy: &["site.address-check"],
    reference: "RFC 2131, 2 (chaddr)",
    why: "A machine that asks under a thousand made-up hardware addresses takes a thousand leases, and port security \
          sees one station.",
    remedy: "Let the switch compare the client's hardware address with the frame's source.",
    repair: Repair::Set(&[(settings::ADDRESS_CHECK.id, Aim::On)]),
    run: Run::Switch(address_check_off),
    ..Check::ROW
};

fn address_check_off(on: &SwitchView<'_>) -> Judgement {
    let wished = &on.policy().site.address_check;
    if wished.value != Wish::Wanted || !acts(*on)? {
        return Ok(Verdict::NotApplicable);
    }
    if on.known(settings::ADDRESS_CHECK)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::ADDRESS_CHECK.id, "a client's hardware address is not compared with its frame's source")
        .demand(&wished.cite)
        .into()
}

pub(super) const RELAY_INFO: Check = Check {
    id: "dhcp-snooping/relay-info",
    title: "relay information is not handled as the policy wants",
    level: Level::Risk,
    needs: &[
        "dhcp-snooping.relay-info",
        "dhcp-snooping.relay-info-accepted",
        "dhcp-snooping.enabled",
        "snooping-switches",
    ],
    uses: &["dhcp-snooping.vlans", "dhcp-snooping.trusted", "role"],
    policy: &["site.relay-info"],
    reference: "RFC 3046, 2.1 (option 82)",
    why: "The server decides by relay information who gets which address. Taken from an edge port it is whatever the \
          client likes to write; inserted where nobody expects it, the next relay drops the message.",
    remedy: "Set the handling of relay information to {wanted}, and refuse it on untrusted edge ports.",
    repair: Repair::Work(handle),
    run: Run::Switch(relay_info),
    ..Check::ROW
};

fn relay_info(on: &SwitchView<'_>) -> Judgement {
    if !acts(*on)? {
        return Ok(Verdict::NotApplicable);
    }
    let wished = &on.policy().site.relay_info;
    let mut tally = Tally::default();
    tally.add(on.known(settings::RELAY_INFO).map(|done| {
        let violation = || {
            Violation::of(settings::RELAY_INFO.id, "relay information is handled as {done}; the policy wants {wanted}")
                .fact("done", done.word())
                .fact("wanted", wished.value.word())
                .demand(&wished.cite)
        };
        (done != wished.value).then(violation)
    }));
    // Most switches say it of no port.
    let mut unlike = on.ports_unlike_in(settings::RELAY_ACCEPTED.id);
    let none_accepts = unlike.all(|port| matches!(port.known(settings::RELAY_ACCEPTED), Ok(false)));
    let is_edge = |port: &PortView<'_>| port.role().is_ok_and(|role| role.faces.is_edge());
    for port in on.ports().filter(|port| !none_accepts && is_edge(port)) {
        tally.add(accepted(&port, wished.value));
    }
    tally.judgement()
}

fn accepted(port: &PortView<'_>, wanted: RelayInfo) -> Result<Option<Violation>, Unknown> {
    if !port.known(settings::RELAY_ACCEPTED)? || port.known(settings::SNOOPING_TRUSTED)? {
        return Ok(None);
    }
    let says = "relay information is taken from this untrusted edge port";
    Ok(Some(Violation::of(settings::RELAY_ACCEPTED.id, says).fact("wanted", wanted.word()).on(Some(port.port()))))
}

pub(super) const STORE_MISSING: Check = Check {
    id: "dhcp-snooping/store-missing",
    title: "bindings are not kept across a restart",
    level: Level::Risk,
    needs: &["dhcp-snooping.store", "dhcp-snooping.enabled", "snooping-switches"],
    uses: &["dhcp-snooping.vlans"],
    policy: &["site.binding-store"],
    reference: "RFC 2131, 4.4.5",
    why: "After a restart the table is empty, and clients do not ask again before half their lease is over. Until \
          then source guard and ARP inspection cut off everybody.",
    remedy: "Keep the bindings in storage that survives a restart.",
    repair: Repair::Set(&[(settings::SNOOPING_STORE.id, Aim::On)]),
    run: Run::Switch(store_missing),
    ..Check::ROW
};

fn store_missing(on: &SwitchView<'_>) -> Judgement {
    let wished = &on.policy().site.binding_store;
    if wished.value != Wish::Wanted || !acts(*on)? {
        return Ok(Verdict::NotApplicable);
    }
    if on.known(settings::SNOOPING_STORE)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::SNOOPING_STORE.id, "bindings are not kept across a restart").demand(&wished.cite).into()
}

/// The rate that the role, else the site, allows.
fn limit_rate(case: &Case<'_>) -> Mending {
    let key = settings::SNOOPING_RATE;
    let of_role = case.role().and_then(|role| role.expect.value(key));
    let rate = of_role.map_or(case.policy.site.dhcp_rate.value, |wished| wished.value);
    rate.map_or_else(|| case.any_value(key.id), |rate| Mending::of(case.set(key.id, Value::Rate(Some(rate)))))
}

/// As the policy wants it on the switch; on an edge port nobody else's is taken.
fn handle(case: &Case<'_>) -> Mending {
    let id = settings::RELAY_INFO.id;
    Mending::of(match case.finding.port {
        Some(_) => case.flag(settings::RELAY_ACCEPTED.id, false),
        None => case.text("wanted").and_then(|wanted| case.word(id, wanted)),
    })
}
