//! What each feature does on a port, worked out from all the settings, traits and switches that it hangs on.

use super::arming::{INSPECTION, MULTICAST, SNOOPING, Switches};
use super::figure::Figure;
use super::multicast::timing;
use super::recovery::timer;
use super::tree::Edge;
use super::{PortView, Unknown};
use crate::model::{
    Announcement, Cause, Choice, Mode, Rate, Seconds, SettingId, Trust, Unidirectional, VlanId, VlanSet, platform,
    settings,
};

/// One feature on one port.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InForce {
    /// Its name.
    pub feature: &'static str,
    /// What it comes to, in words; or what is missing to say so.
    pub told: Result<String, Unknown>,
    /// The settings it is made of: those of the port, then those of the switch and of the VLAN.
    pub settings: &'static [SettingId],
}

type Row = (&'static str, fn(&PortView<'_>) -> Result<String, Unknown>, &'static [SettingId]);

/// The features, in the order in which an engineer looks at them.
const ROWS: &[Row] = &[
    (
        "VLANs",
        vlans,
        &[
            settings::MODE.id,
            settings::ACCESS_VLAN.id,
            settings::VOICE_VLAN.id,
            settings::NATIVE_VLAN.id,
            settings::TAGGED_VLANS.id,
        ],
    ),
    ("port security", port_security, &[settings::PORT_SECURITY.id, settings::LIMIT.id, settings::ACTION.id]),
    (
        "DHCP snooping",
        snooping,
        &[
            settings::SNOOPING_TRUSTED.id,
            settings::SNOOPING_RATE.id,
            settings::SNOOPING.id,
            settings::SNOOPING_VLANS.id,
        ],
    ),
    (
        "ARP inspection",
        inspection,
        &[settings::INSPECTION_TRUSTED.id, settings::INSPECTION.id, settings::INSPECTION_VLANS.id],
    ),
    ("source guard", source_guard, &[settings::SOURCE_GUARD.id]),
    (
        "spanning tree",
        tree,
        &[settings::FAST_START.id, settings::TREE_ON_PORT.id, settings::TREE.id, settings::TREE_PROTOCOL.id],
    ),
    ("BPDU guard", bpdu_guard, &[settings::BPDU_GUARD.id, settings::BPDU_FILTER.id]),
    ("root and loop guard", other_guards, &[settings::ROOT_GUARD.id, settings::LOOP_GUARD.id]),
    ("loop detection", loop_detection, &[settings::LOOP_DETECTION.id]),
    ("storm limits", storm, &[settings::STORM_BROADCAST.id, settings::STORM_MULTICAST.id, settings::STORM_ACTION.id]),
    (
        "voice",
        voice,
        &[
            settings::LLDP_TRANSMIT.id,
            settings::LLDP_MED.id,
            settings::VOICE_ANNOUNCED.id,
            settings::VOICE_ANNOUNCED_VLAN.id,
            settings::VOICE_PRIORITY.id,
            settings::VOICE_DSCP.id,
            settings::LLDP.id,
        ],
    ),
    ("marking", marking, &[settings::TRUST.id]),
    (
        "multicast",
        multicast,
        &[settings::FAST_LEAVE.id, settings::ROUTER_PORT.id, settings::FORWARD_ALL.id, settings::MULTICAST_VLANS.id],
    ),
    ("unidirectional detection", unidirectional, &[settings::UNIDIRECTIONAL.id, settings::UNIDIRECTIONAL_INTERVAL.id]),
    (
        "flap protection",
        flap,
        &[settings::FLAP.id, settings::FLAP_THRESHOLD.id, settings::FLAP_WINDOW.id, settings::FLAP_HOLD.id],
    ),
    ("coming back", recovery, &[settings::RECOVERY_CAUSES.id, settings::RECOVERY_INTERVAL.id]),
];

/// What each feature does on a port.
pub fn in_force(port: &PortView<'_>) -> Vec<InForce> {
    ROWS.iter().map(|(feature, of, settings)| InForce { feature, told: of(port), settings }).collect()
}

fn shown(vlan: Option<VlanId>) -> String {
    vlan.map_or_else(|| "none".to_owned(), |vlan| vlan.to_string())
}

fn vlans(port: &PortView<'_>) -> Result<String, Unknown> {
    let untagged = shown(port.untagged()?.vlan);
    let voice = |port: &PortView<'_>| -> Result<String, Unknown> {
        Ok(port.voice()?.vlan.map(|vlan| format!(", voice {vlan} tagged")).unwrap_or_default())
    };
    Ok(match port.mode()? {
        Mode::Access => format!("access: {untagged} untagged{}", voice(port)?),
        Mode::Negotiated => format!("access until the neighbour makes it a trunk: {untagged} untagged{}", voice(port)?),
        Mode::Trunk => format!("trunk: {untagged} untagged, {} tagged", port.known(settings::TAGGED_VLANS)?),
    })
}

fn port_security(port: &PortView<'_>) -> Result<String, Unknown> {
    if !port.known(settings::PORT_SECURITY)? {
        return Ok("off".into());
    }
    if port.security_is_void()? {
        return Ok(format!("void: the mode is {}", port.mode()?));
    }
    let (limit, action) = (port.known(settings::LIMIT)?, port.known(settings::ACTION)?);
    Ok(format!("at most {limit} station(s), then {action}"))
}

/// The VLANs of the port in which a feature with switches of its own acts, or why it does not.
fn acting(port: &PortView<'_>, feature: &str, of: Switches) -> Result<Result<VlanSet, String>, Unknown> {
    let on = port.on();
    if let Some(required) = on.requires().iter().find(|r| &*r.feature == feature)
        && on.lacks(required)?
    {
        return Ok(Err(format!("held back: {} is not in force", required.ready)));
    }
    if on.platform(of.needed, "global")? && !on.known(of.global)? {
        return Ok(Err(format!("does not act: {} is off", of.global.id.name())));
    }
    let covered = on.covered(of.needed, of.global, of.vlans)?;
    let carried = port.carries()?;
    let acts = carried.common(&covered);
    Ok(if acts.is_empty() {
        Err(format!("does not act: {} lacks VLAN {carried}", of.vlans.id.name()))
    } else {
        Ok(acts)
    })
}

fn rate(limit: Option<Rate>) -> String {
    limit.map_or_else(|| "no rate limit".to_owned(), |rate| format!("at most {rate}"))
}

fn snooping(port: &PortView<'_>) -> Result<String, Unknown> {
    let acts = match acting(port, "dhcp-snooping", SNOOPING)? {
        Ok(acts) => acts,
        Err(why) => return Ok(why),
    };
    if port.known(settings::SNOOPING_TRUSTED)? {
        return Ok(format!("trusted in VLAN {acts}: server messages are let in"));
    }
    Ok(format!("untrusted in VLAN {acts}, {}", rate(port.known(settings::SNOOPING_RATE)?)))
}

fn inspection(port: &PortView<'_>) -> Result<String, Unknown> {
    let acts = match acting(port, "arp-inspection", INSPECTION)? {
        Ok(acts) => acts,
        Err(why) => return Ok(why),
    };
    let trusted = port.known(settings::INSPECTION_TRUSTED)?;
    Ok(if trusted { format!("trusted in VLAN {acts}") } else { format!("examines ARP in VLAN {acts}") })
}

fn source_guard(port: &PortView<'_>) -> Result<String, Unknown> {
    if !port.known(settings::SOURCE_GUARD)? {
        return Ok("off".into());
    }
    Ok(match acting(port, "dhcp-snooping", SNOOPING)? {
        Ok(acts) => format!("only bound or written addresses send; bindings come from VLAN {acts}"),
        Err(_) => "on without bindings: DHCP snooping does not act here".into(),
    })
}

fn tree(port: &PortView<'_>) -> Result<String, Unknown> {
    if !port.tree_runs()? {
        return Ok("off".into());
    }
    let Figure { seconds, how, .. } = port.wait()?;
    Ok(match port.edge()? {
        Edge::InForce => "edge port: forwards at once".into(),
        // It hears its neighbour's BPDUs (IEEE 802.1Q, 13.27: auto edge).
        Edge::Detected if port.role().is_ok_and(|role| role.faces.is_bridge()) => {
            "no edge port: forwards once the bridge at its other end agrees".into()
        }
        Edge::Detected => format!("edge port once detected: forwards after {seconds} s ({how})"),
        Edge::Void => format!("fast start void on a trunk: forwards after {seconds} s ({how})"),
        Edge::None => format!("no edge port: forwards after {seconds} s ({how})"),
    })
}

fn bpdu_guard(port: &PortView<'_>) -> Result<String, Unknown> {
    let filtered = super::guard::is_filtered(port)?;
    let guarded = port.known(settings::BPDU_GUARD)?;
    Ok(match (guarded, filtered) {
        (true, true) => "silenced: BPDU filter hears nothing",
        (true, false) => "a BPDU takes the port down",
        (false, true) => "off, and BPDU filter hears nothing",
        (false, false) => "off",
    }
    .into())
}

fn other_guards(port: &PortView<'_>) -> Result<String, Unknown> {
    Ok(match (port.known(settings::ROOT_GUARD)?, port.known(settings::LOOP_GUARD)?) {
        (true, true) => "root guard and loop guard: they exclude each other",
        (true, false) => "a better root blocks the port",
        (false, true) => "stays blocked when BPDUs fade",
        (false, false) => "off",
    }
    .into())
}

fn loop_detection(port: &PortView<'_>) -> Result<String, Unknown> {
    let on = port.known(settings::LOOP_DETECTION)?;
    Ok(if on { "a probe that comes back takes the port down" } else { "off" }.into())
}

fn storm(port: &PortView<'_>) -> Result<String, Unknown> {
    let (broadcast, multicast) = (port.known(settings::STORM_BROADCAST)?, port.known(settings::STORM_MULTICAST)?);
    if broadcast.is_none() && multicast.is_none() {
        return Ok("none".into());
    }
    let limit = |limit: Option<Rate>| limit.map_or_else(|| "unlimited".to_owned(), |rate| rate.to_string());
    let action = port.known(settings::STORM_ACTION)?;
    Ok(format!("broadcast {}, multicast {}, then {action}", limit(broadcast), limit(multicast)))
}

fn voice(port: &PortView<'_>) -> Result<String, Unknown> {
    for key in [settings::LLDP, settings::LLDP_TRANSMIT, settings::LLDP_MED] {
        if !port.known(key)? {
            return Ok(format!("a phone is told nothing: {} is off", key.id.name()));
        }
    }
    let how = port.known(settings::VOICE_ANNOUNCED)?;
    if how == Announcement::Nothing {
        return Ok("a phone is told nothing: no policy is announced".into());
    }
    let marked =
        format!("priority {}, DSCP {}", port.known(settings::VOICE_PRIORITY)?, port.known(settings::VOICE_DSCP)?);
    Ok(match how {
        Announcement::Tagged => {
            format!("a phone is told VLAN {} tagged, {marked}", shown(port.known(settings::VOICE_ANNOUNCED_VLAN)?))
        }
        how => format!("a phone is told to send {}, {marked}", how.word()),
    })
}

fn marking(port: &PortView<'_>) -> Result<String, Unknown> {
    Ok(match port.known(settings::TRUST)? {
        Trust::Nothing => "of nobody is trusted".into(),
        trust => format!("trusted: {}", trust.word()),
    })
}

fn multicast(port: &PortView<'_>) -> Result<String, Unknown> {
    if !port.on().is_armed(MULTICAST)? {
        return Ok("not snooped: every stream goes everywhere".into());
    }
    let mut carried = port.carries()?;
    if carried.is_all() {
        carried = carried.common(&*port.known(settings::VLANS)?);
    }
    if carried.is_empty() {
        return Ok("no VLAN".into());
    }
    let snooped = carried.common(&*super::multicast::snooped(&port.on())?);
    if snooped.is_empty() {
        return Ok(format!("VLAN {carried} is not snooped: its streams go everywhere"));
    }
    if port.known(settings::ROUTER_PORT)? || port.known(settings::FORWARD_ALL)? {
        return Ok("every stream of its VLANs goes here".into());
    }
    // VLANs with the same times are told together.
    let mut told: Vec<(String, VlanSet)> = Vec::new();
    for vlan in snooped.iter() {
        let times = times(port, vlan)?;
        match told.iter_mut().find(|(same, _)| *same == times) {
            Some((_, vlans)) => vlans.insert(vlan),
            None => told.push((times, [vlan].into_iter().collect())),
        }
    }
    let mut rows: Vec<String> =
        told.into_iter().map(|(times, vlans)| format!("snooped in VLAN {vlans}: {times}")).collect();
    let open = carried.minus(&snooped);
    rows.extend((!open.is_empty()).then(|| format!("not snooped in VLAN {open}: its streams go everywhere")));
    rows.extend((!port.known(settings::FILTERING)?).then(|| "unregistered groups flood".to_owned()));
    Ok(rows.join("; "))
}

/// How long a stream of a VLAN runs on.
fn times(port: &PortView<'_>, vlan: VlanId) -> Result<String, Unknown> {
    let lasts = timing::membership(port.on(), vlan)?;
    let left = if port.known(settings::FAST_LEAVE)? {
        "cut at the first leave".to_owned()
    } else {
        let Figure { seconds, how, .. } = timing::leave(port.on(), vlan)?;
        format!("cut {seconds} s after a leave ({how})")
    };
    Ok(format!("{left}, or {} s after the last report ({})", lasts.seconds, lasts.how))
}

fn unidirectional(port: &PortView<'_>) -> Result<String, Unknown> {
    let mode = port.known(settings::UNIDIRECTIONAL)?;
    if mode == Unidirectional::Off {
        return Ok("off".into());
    }
    let Seconds(interval) = port.known(settings::UNIDIRECTIONAL_INTERVAL)?;
    Ok(format!("{mode}: detects in {} s (3 × {interval} s)", interval.saturating_mul(3)))
}

fn flap(port: &PortView<'_>) -> Result<String, Unknown> {
    if !port.known(settings::FLAP)? {
        return Ok("off".into());
    }
    let (threshold, Seconds(window)) = (port.known(settings::FLAP_THRESHOLD)?, port.known(settings::FLAP_WINDOW)?);
    let held = match port.known(settings::FLAP_HOLD)? {
        Seconds(0) => "until somebody comes".to_owned(),
        Seconds(hold) => format!("for {hold} s"),
    };
    let each = port.on().traits().holds(platform::FLAP_COUNTS, "each-change") == Some(true);
    let what = if each { "changes" } else { "losses of link" };
    Ok(format!("{threshold} {what} within {window} s hold it down {held}"))
}

/// Only the causes that something on the port can bring about.
fn recovery(port: &PortView<'_>) -> Result<String, Unknown> {
    let causes = [
        (Cause::PortSecurity, port.known(settings::PORT_SECURITY)),
        (Cause::EdgeBpdu, port.known(settings::BPDU_GUARD)),
        (Cause::LoopDetection, port.known(settings::LOOP_DETECTION)),
        (Cause::Unidirectional, port.known(settings::UNIDIRECTIONAL).map(|mode| mode != Unidirectional::Off)),
    ];
    let mut told = Vec::new();
    for (cause, acts) in causes {
        if acts? {
            let (seconds, _) = timer(&port.on(), cause)?;
            let after = if seconds == 0 { "by hand".to_owned() } else { format!("after {seconds} s") };
            told.push(format!("{} {after}", cause.word()));
        }
    }
    Ok(if told.is_empty() { "nothing holds it down".into() } else { told.join(", ") })
}
