//! The phones that are there: in which VLAN, told what, and fed how.

use crate::check::seen::{Few, Heard, Kept, some};
use crate::check::voice::vlan::{phone_role, spoken_in};
use crate::check::{Case, Check, Judgement, Mending, PortView, Repair, Run, Unknown, Verdict, Violation};
use crate::model::{Announcement, Choice, Fact, Milliwatts, StationAddress, facts, settings};
use crate::policy::{Level, Policy};

/// Whether the policy says anything by which a phone could be told.
fn can_tell(policy: &Policy) -> bool {
    !policy.site.phone_prefixes.value.is_empty() || policy.stations.is_some()
}

/// Whether a neighbour is a phone (ANSI/TIA-1057, 10.2.2: class 3).
fn is_telephone(fact: &Fact) -> bool {
    let told = fact.get(facts::neighbour::CAPABILITIES);
    told.is_some_and(|told| told.contains(crate::model::Capability::Telephone))
        || fact.get(facts::neighbour::CLASS) == Some(3)
}

pub(super) const ASTRAY: Check = Check {
    id: "voice/phone-astray",
    title: "a phone's address or binding is in another VLAN than the voice VLAN",
    level: Level::Breach,
    needs: &["station", "port.voice-vlan", "port.mode", "role"],
    uses: &["binding", "neighbour"],
    policy: &["site.phone-prefixes", "inventory.stations"],
    reference: "ANSI/TIA-1057, 10.2.3",
    why: "A phone that was not told its VLAN sits in the data VLAN, rings happily, and can be listened to.",
    remedy: "See that the port tells VLAN {voice}, then let the phone start again.",
    run: Run::Port(astray),
    ..Check::ROW
};

fn astray(port: &PortView<'_>) -> Judgement {
    let Some(heard) = port.stations()? else { return Ok(Verdict::NotApplicable) };
    let Some(role) = phone_role(port)? else { return Ok(Verdict::NotApplicable) };
    let Some(voice) = spoken_in(port, role)? else { return Ok(Verdict::NotApplicable) };
    // A neighbour whose chassis is its address tells which station is the phone.
    let announced: Vec<StationAddress> = port
        .seen(facts::neighbour::FACT)
        .ok()
        .flatten()
        .unwrap_or_default()
        .into_iter()
        .filter(|fact| is_telephone(fact))
        .filter_map(|fact| StationAddress::parse(&fact.get(facts::neighbour::CHASSIS)?).ok())
        .collect();
    let phone = |address: StationAddress| port.policy().is_phone(address) || announced.contains(&address);
    if !heard.is_empty() && !can_tell(port.policy()) && announced.is_empty() {
        return Err(Unknown::fact("site.phone-prefixes"));
    }
    let bound = port.seen(facts::binding::FACT).ok().flatten().unwrap_or_default();
    let bound = bound.into_iter().filter_map(|row| {
        let vlan = row.get(facts::binding::VLAN).flatten();
        Some(Heard { address: row.get(facts::binding::ADDRESS)?, vlan, row })
    });
    let phones: Vec<Heard<'_>> = heard.into_iter().chain(bound).filter(|heard| phone(heard.address)).collect();
    // One that was moved to the voice VLAN may still stand in the other until it ages out.
    let settled = |address: StationAddress| phones.iter().any(|p| p.address == address && p.vlan == Some(voice));
    let astray: Vec<&Heard<'_>> =
        phones.iter().filter(|p| p.vlan.is_some_and(|vlan| vlan != voice) && !settled(p.address)).collect();
    let Some(first) = astray.first() else { return Ok(Verdict::Met) };
    let says = "the phone {station} is in VLAN {vlan}; the port's voice VLAN is {voice}";
    let violation = Violation::of(settings::VOICE_VLAN.id, says)
        .fact("station", first.address.to_string())
        .fact("vlan", first.vlan.map_or(0, |vlan| u32::from(vlan.get())))
        .fact("voice", u32::from(voice.get()))
        .vlan(first.vlan);
    astray.iter().fold(violation, |violation, heard| violation.and_line(Some(heard.row.mark))).into()
}

pub(super) const DISAGREES: Check = Check {
    id: "voice/neighbour-disagrees",
    title: "the phone's own announced policy is not the port's",
    level: Level::Risk,
    needs: &["neighbour", "voice.announcement", "role"],
    uses: &["voice.announced-vlan", "voice.priority", "voice.dscp"],
    reference: "ANSI/TIA-1057, 10.2.3",
    why: "The phone did not take what it was told: it has values of its own, or heard somebody else.",
    remedy: "Take the phone's own values out, or see who else announces to it.",
    run: Run::Port(disagrees),
    ..Check::ROW
};

fn disagrees(port: &PortView<'_>) -> Judgement {
    let Some(rows) = port.seen(facts::neighbour::FACT)? else { return Ok(Verdict::NotApplicable) };
    if phone_role(port)?.is_none() {
        return Ok(Verdict::NotApplicable);
    }
    let told = port.known(settings::VOICE_ANNOUNCED)?;
    if told == Announcement::Nothing {
        return Ok(Verdict::NotApplicable);
    }
    for fact in rows {
        let vlan = fact.get(facts::neighbour::VOICE_VLAN).flatten();
        let says_how = fact.get(facts::neighbour::VOICE).filter(|how| *how != Announcement::Nothing);
        // Nothing announced about voice, or only its form: nothing to hold against the port.
        if says_how.is_none() && vlan.is_none() {
            continue;
        }
        let mut unlike: Vec<String> = Vec::new();
        let mut of = None;
        let mut compare = |what: &str, theirs: Option<String>, ours: String, id| {
            if let Some(theirs) = theirs.filter(|theirs| *theirs != ours) {
                unlike.push(format!("{what} {theirs} in place of {ours}"));
                of.get_or_insert(id);
            }
        };
        if told == Announcement::Tagged {
            let ours = port.known(settings::VOICE_ANNOUNCED_VLAN)?;
            let theirs = if says_how == Some(Announcement::Untagged) && vlan.is_none() {
                Some("untagged".to_owned())
            } else {
                vlan.map(|vlan| vlan.to_string())
            };
            let ours = ours.map_or_else(|| "none".to_owned(), |vlan| vlan.to_string());
            compare("VLAN", theirs, ours, settings::VOICE_ANNOUNCED_VLAN.id);
        } else {
            let theirs = says_how.map(|how| how.word().to_owned());
            compare("form", theirs, told.word().to_owned(), settings::VOICE_ANNOUNCED.id);
        }
        let number = |field| fact.get(field).map(|n: u32| n.to_string());
        if let Some(ours) = port.setting(settings::VOICE_PRIORITY).value {
            let theirs = number(facts::neighbour::VOICE_PRIORITY);
            compare("priority", theirs, ours.to_string(), settings::VOICE_PRIORITY.id);
        }
        if let Some(ours) = port.setting(settings::VOICE_DSCP).value {
            compare("DSCP", number(facts::neighbour::VOICE_DSCP), ours.to_string(), settings::VOICE_DSCP.id);
        }
        if let Some(id) = of {
            let who = fact.get(facts::neighbour::NAME).unwrap_or_else(|| "without a name".into());
            let says = "the phone {who} announces for voice {unlike}";
            let violation = Violation::of(id, says).fact("who", &*who).fact("unlike", unlike.join(", "));
            return violation.and_line(Some(fact.mark)).into();
        }
    }
    Ok(Verdict::Met)
}

pub(super) const RANGE_GAP: Check = Check {
    id: "voice/range-gap",
    title: "a phone's address is in no range of the dynamic assignment",
    level: Level::Risk,
    needs: &["station", "port.dynamic-vlan", "switch.address-ranges", "role"],
    policy: &["site.phone-prefixes", "inventory.stations"],
    reference: "IEEE 802, 8.2",
    why: "Its VLAN is assigned by its address, and no rule takes this one: it stays in the data VLAN.",
    remedy: "Put {stations} into a range for the voice VLAN.",
    run: Run::Port(range_gap),
    ..Check::ROW
};

fn range_gap(port: &PortView<'_>) -> Judgement {
    if !port.has_state() || !port.known(settings::DYNAMIC_VLAN)? {
        return Ok(Verdict::NotApplicable);
    }
    let Some(heard) = port.stations()? else { return Ok(Verdict::NotApplicable) };
    if phone_role(port)?.is_none() {
        return Ok(Verdict::NotApplicable);
    }
    if !heard.is_empty() && !can_tell(port.policy()) {
        return Err(Unknown::fact("site.phone-prefixes"));
    }
    let ranges = port.known(settings::ADDRESS_RANGES)?;
    let inside = |address: StationAddress| ranges.iter().any(|(range, _)| range.contains(address));
    let phones = heard.iter().filter(|heard| port.policy().is_phone(heard.address) && !inside(heard.address));
    let phones: Vec<Heard<'_>> = phones.copied().collect();
    let Some(first) = phones.first() else { return Ok(Verdict::Met) };
    let stations = crate::check::seen::distinct(&phones);
    let says = "{count} phone(s) with an address in no range: {stations}";
    Violation::of(settings::ADDRESS_RANGES.id, says)
        .fact("count", stations.len() as u32)
        .fact("stations", some(&stations))
        .and_line(Some(first.row.mark))
        .into()
}

pub(super) const POWER_SHORT: Check = Check {
    id: "voice/power-short",
    title: "limit or class is below what the device asks",
    level: Level::Risk,
    needs: &["power or neighbour", "power.enabled"],
    uses: &["power.limit", "power.maximum"],
    policy: &["site.state-age"],
    reference: "IEEE 802.3, 33, 79 and 145",
    why: "The device starts, and goes down when it needs what it asked for: a phone at the first call with its camera on.",
    remedy: "Raise the limit to {asked}, or use a port that can give it.",
    repair: Repair::Work(raise),
    run: Run::Port(power_short),
    ..Check::ROW
};

fn power_short(port: &PortView<'_>) -> Judgement {
    if !port.has_state() || !port.known(settings::POWER)? {
        return Ok(Verdict::NotApplicable);
    }
    let (power, neighbour) = (port.seen(facts::power::FACT), port.seen(facts::neighbour::FACT));
    let rows = |rows: &Kept<Few<&'_ Fact>>| rows.iter().flatten().flatten().map(|fact| fact.mark).next();
    let asked =
        |rows: &Kept<Few<&Fact>>, field| rows.iter().flatten().flatten().filter_map(|fact| fact.get(field)).max();
    let by_table: Option<Milliwatts> = asked(&power, facts::power::ASKED);
    let by_lldp: Option<Milliwatts> = asked(&neighbour, facts::neighbour::POWER_ASKED);
    let Some(Milliwatts(asked_for)) = by_table.max(by_lldp) else {
        return match (&power, &neighbour) {
            (Err(_), Err(_)) => Err(Unknown::fact("power or neighbour")),
            _ => Ok(Verdict::Met),
        };
    };
    let line = if by_table >= by_lldp { rows(&power) } else { rows(&neighbour) };
    let given: Option<Milliwatts> =
        asked(&power, facts::power::GIVEN).or(asked(&neighbour, facts::neighbour::POWER_GIVEN));
    let limit = port.setting(settings::POWER_LIMIT).value.filter(|Milliwatts(limit)| *limit > 0);
    let maximum = port.setting(settings::POWER_MAXIMUM).value.filter(|Milliwatts(maximum)| *maximum > 0);
    let class = power.iter().flatten().flatten().find_map(|fact| fact.get(facts::power::CLASS));
    let of_class =
        class.filter(|class| *class > 0).and_then(|class| super::power::CLASSES.get(class as usize).copied());
    let bounds = [
        ("the port's limit", limit, settings::POWER_LIMIT.id),
        ("what was set aside", given, settings::POWER.id),
        ("its class", of_class.map(Milliwatts), settings::POWER.id),
        ("the port's maximum", maximum, settings::POWER_MAXIMUM.id),
    ];
    let short = bounds.into_iter().find_map(|(what, bound, id)| {
        let bound = bound.filter(|Milliwatts(bound)| *bound < asked_for)?;
        Some((what, bound, id))
    });
    let Some((what, bound, id)) = short else { return Ok(Verdict::Met) };
    Violation::of(id, "the device asks {asked}; {what} is {bound}")
        .fact("asked", Milliwatts(asked_for).to_string())
        .fact("what", what)
        .fact("bound", bound.to_string())
        .and_line(line)
        .into()
}

/// The port's own limit, where that is what is short; of what the port can give nobody has more.
fn raise(case: &Case<'_>) -> Mending {
    let limit = settings::POWER_LIMIT.id;
    let asked = || case.text("asked").and_then(|asked| case.word(limit, asked));
    Mending::of((case.cause() == Some(limit)).then(asked).flatten())
}
