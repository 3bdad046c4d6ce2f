//! Ports that are down now: who holds them, until when, and what to do.

use jiff::{SignedDuration, Timestamp};

use super::timers::timer;
use crate::check::{Check, Judgement, PortView, Run, Unknown, Verdict, Violation};
use crate::model::{Cause, Choice, EventSeen, Fact, FlapSeen, Mark, Seconds, SettingId, facts, settings};
use crate::policy::{Faces, Level, Station};

/// A port that a feature holds down.
#[derive(Debug, Clone)]
pub struct Held {
    /// The feature.
    pub cause: Cause,
    /// Since when.
    pub since: Option<Timestamp>,
    /// How it comes back.
    pub back: Back,
    /// The lines that say so.
    pub lines: Vec<Mark>,
}

/// How a port comes back that is held down.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Back {
    /// By its timer: seconds left, where that is known.
    Timer(Option<u32>),
    /// By hand.
    Hand,
    /// Nobody says.
    Unknown,
}

impl Back {
    /// In words.
    pub fn shown(self) -> String {
        match self {
            Self::Timer(Some(left)) => format!("in {left} s by its timer"),
            Self::Timer(None) => "by its timer".into(),
            Self::Hand => "by hand".into(),
            Self::Unknown => "nobody says how".into(),
        }
    }
}

/// What holds a port down now, by its status, its flap protection or the log; `None`: nothing does.
pub fn held(port: &PortView<'_>) -> Result<Option<Held>, Unknown> {
    let (status, flap) = (port.seen(facts::port_status::FACT), port.seen(facts::flap::FACT));
    let by_feature = |fact: &&Fact| {
        let cause = fact.get(facts::port_status::CAUSE);
        cause.is_some_and(|cause| !matches!(cause, Cause::Administrative | Cause::NoLink))
            && fact.get(facts::port_status::LINK) != Some(true)
    };
    let holds = |fact: &&Fact| matches!(fact.get(facts::flap::STATE), Some(FlapSeen::Holding | FlapSeen::Waiting));
    let of_status = status.iter().flatten().flatten().copied().find(by_feature);
    let of_flap = flap.iter().flatten().flatten().copied().find(holds);
    let cause = match (of_status, of_flap) {
        (Some(fact), _) => fact.get(facts::port_status::CAUSE).unwrap_or(Cause::Other),
        (None, Some(_)) => Cause::Flap,
        (None, None) => {
            return match (status, flap) {
                (Err(_), Err(_)) => Err(Unknown::fact("port-status or flap")),
                _ => Ok(None),
            };
        }
    };
    let on = port.on();
    let taken = on.taken(if of_status.is_some() { facts::port_status::FACT } else { facts::flap::FACT });
    // The log's last line about it gives the time where the table does not.
    let logged = port.events(EventSeen::HeldDown).filter(|event| {
        event.get(facts::event::CAUSE).is_none_or(|told| told == cause)
            && event.get(facts::event::TIME).is_none_or(|time| time <= taken)
    });
    let logged = logged.last();
    let since = of_status.and_then(|fact| since(port, fact)).or_else(|| logged?.get(facts::event::TIME));
    let left = of_status.and_then(|fact| fact.get(facts::port_status::LEFT));
    let left = left.or_else(|| of_flap?.get(facts::flap::LEFT));
    let waits = of_flap.is_some_and(|fact| fact.get(facts::flap::STATE) == Some(FlapSeen::Waiting));
    // A table writes no time left as 0 where somebody has to come.
    let by_hand = left == Some(Seconds(0)) && timer_of(port, cause).is_ok_and(|(seconds, _)| seconds == 0);
    let back = match (left, waits || by_hand) {
        (Some(Seconds(left)), false) => Back::Timer(Some(left)),
        (_, true) => Back::Hand,
        (None, false) => match timer_of(port, cause) {
            Ok((0, _)) => Back::Hand,
            Ok((seconds, _)) => {
                let passed = since.map(|since| taken.duration_since(since).as_secs());
                let left = passed.map(|passed| u32::try_from(i64::from(seconds) - passed).unwrap_or(0));
                Back::Timer(left)
            }
            Err(_) => Back::Unknown,
        },
    };
    let lines = [of_status, of_flap, logged].into_iter().flatten().map(|fact| fact.mark).collect();
    Ok(Some(Held { cause, since, back, lines }))
}

/// The timer that brings a port back from a cause, and the setting that gives it; 0: by hand.
fn timer_of(port: &PortView<'_>, cause: Cause) -> Result<(u32, SettingId), Unknown> {
    if cause == Cause::Flap {
        return port.known(settings::FLAP_HOLD).map(|Seconds(hold)| (hold, settings::FLAP_HOLD.id));
    }
    timer(&port.on(), cause)
}

/// What to do before a port comes back from a cause.
pub fn what_to_do(cause: Cause) -> &'static str {
    match cause {
        Cause::PortSecurity => "take the station off that is one too many, or raise the limit if it belongs there",
        Cause::EdgeBpdu => "take the switch off that was plugged in, or give the port the role of a link",
        Cause::RootGuard => "find the bridge behind the port that wants to be root, and lower its rank",
        Cause::LoopGuard => "look why BPDUs fade: a fibre that works one way, a neighbour that hangs",
        Cause::LoopDetection => "find the cable that closes the loop: often both sockets of a phone in the wall",
        Cause::Storm => "find the machine that floods, and take it off",
        Cause::Unidirectional => "look at fibre, plugs and transceivers of both ends",
        Cause::Flap => "look at cable, plug and transceiver",
        Cause::DhcpRate => "find the machine that asks for addresses without an end",
        Cause::ArpRate => "find the machine that asks for its neighbours without an end",
        Cause::Authentication => "see why the station is not admitted",
        Cause::Power => "see what asks for so much power",
        Cause::Administrative => "ask who shut it and why, then open it",
        Cause::NoLink => "plug something in",
        Cause::Other => "see the log",
    }
}

/// Whom or which room to visit: from the description, and from the inventory of the stations that are or were there.
pub fn whom_to_visit(port: &PortView<'_>) -> Option<String> {
    let mut told: Vec<String> = Vec::new();
    let description = port.setting(settings::DESCRIPTION).value.filter(|words| !words.is_empty());
    told.extend(description.map(|words| words.to_string()));
    let rows = port.facts(facts::station::FACT).filter_map(|fact| fact.get(facts::station::ADDRESS));
    let bound = port.facts(facts::binding::FACT).filter_map(|fact| fact.get(facts::binding::ADDRESS));
    let logged = port.facts(facts::event::FACT).filter_map(|fact| fact.get(facts::event::ADDRESS));
    let kept = [settings::PINNED_STATIONS, settings::WRITTEN_STATIONS];
    let kept = kept.into_iter().flat_map(|key| port.setting(key).value.unwrap_or_default().to_vec());
    let inventory = port.policy().stations.as_ref();
    for address in rows.chain(bound).chain(kept.map(|station| station.address)).chain(logged) {
        let Some(Station { owner, room, .. }) = inventory.and_then(|inventory| inventory.get(address)) else {
            continue;
        };
        let words: Vec<&str> = [room.as_deref(), owner.as_deref()].into_iter().flatten().collect();
        let words = words.join(", ");
        if !words.is_empty() && !told.contains(&words) {
            told.push(words);
        }
    }
    (!told.is_empty()).then(|| told.join("; "))
}

pub(super) const HELD_DOWN: Check = Check {
    id: "recovery/held-down",
    title: "a port is held down now",
    level: Level::Breach,
    needs: &["port-status or flap"],
    uses: &["event", "port.description", "station", "recovery.causes", "recovery.interval", "flap.hold"],
    policy: &["inventory.stations", "site.state-age"],
    reference: "docs/state.md, Ports that are down",
    why: "Somebody has no network. A port that is down does not say why, and the one who calls does not know.",
    remedy: "First {do}; then it comes back {back}. Visit: {whom}.",
    run: Run::Port(held_down),
    ..Check::ROW
};

fn held_down(port: &PortView<'_>) -> Judgement {
    if !port.has_state() {
        return Ok(Verdict::NotApplicable);
    }
    let Some(held) = held(port)? else { return Ok(Verdict::Met) };
    let says = match held.since {
        Some(_) => "{cause} holds the port down since {since}; it comes back {back}",
        None => "{cause} holds the port down; it comes back {back}",
    };
    let violation = match timer_of(port, held.cause) {
        Ok((_, setting)) => Violation::of(setting, says),
        Err(_) => Violation::saying(says),
    };
    let violation = violation
        .fact("cause", held.cause.word())
        .fact("since", held.since.map_or_else(String::new, |since| since.to_string()))
        .fact("back", held.back.shown())
        .fact("do", what_to_do(held.cause))
        .fact("whom", whom_to_visit(port).unwrap_or_else(|| "nobody says whom".into()));
    held.lines.into_iter().fold(violation, |violation, mark| violation.and_line(Some(mark))).into()
}

/// Since when a port's status is what it is: as it says, or by how long it has been so.
fn since(port: &PortView<'_>, status: &Fact) -> Option<Timestamp> {
    let for_so_long = || {
        let Seconds(seconds) = status.get(facts::port_status::FOR)?;
        let taken = port.on().taken(facts::port_status::FACT);
        taken.checked_sub(SignedDuration::from_secs(seconds.into())).ok()
    };
    status.get(facts::port_status::SINCE).or_else(for_so_long)
}

pub(super) const SHUT_IN_USE: Check = Check {
    id: "recovery/shut-in-use",
    title: "a port is shut though its role is active and it was used lately",
    level: Level::Advice,
    needs: &["port.enabled", "event link-up or station or port-status since", "role"],
    uses: &["port-status", "binding"],
    policy: &["role.faces", "site.log-window"],
    reference: "docs/state.md, Ports that are down",
    why: "Somebody shut it for a reason that nobody wrote down, and forgot it. Who sat there has gone elsewhere, or waits.",
    remedy: "Ask who shut it; open it, or give it the role of a spare one.",
    run: Run::Port(shut_in_use),
    ..Check::ROW
};

fn shut_in_use(port: &PortView<'_>) -> Judgement {
    if !port.has_state() {
        return Ok(Verdict::NotApplicable);
    }
    let told = port.facts(facts::port_status::FACT).find(|fact| {
        fact.get(facts::port_status::ADMIN) == Some(false)
            || fact.get(facts::port_status::CAUSE) == Some(Cause::Administrative)
    });
    let shut = told.is_some() || !port.known(settings::ENABLED)?;
    let role = port.role()?;
    if !shut || role.faces == Faces::Nothing {
        return Ok(Verdict::Met);
    }
    let time = |event: &&Fact| event.get(facts::event::TIME);
    let last = port.events(EventSeen::LinkUp).chain(port.events(EventSeen::LinkDown)).max_by_key(time);
    let says = "the port is shut; role {role} faces {faces}, and {used}";
    let violation =
        Violation::of(settings::ENABLED.id, says).and_line(told.map(|fact| fact.mark)).demand(role.cite("faces"));
    if let Some(event) = last {
        let when = time(&event).map_or_else(|| "lately".to_owned(), |time| time.to_string());
        return violation.fact("used", format!("its link was up until {when}")).and_line(Some(event.mark)).into();
    }
    // A status that has been what it is for no longer than the log is looked at: the link was up before.
    let Seconds(window) = port.policy().site.log_window.value;
    let recent = |since: &Timestamp| port.on().now().duration_since(*since) <= SignedDuration::from_secs(window.into());
    let status = port.seen(facts::port_status::FACT).ok().flatten().unwrap_or_default();
    let down = status.iter().filter(|fact| fact.get(facts::port_status::LINK) != Some(true));
    let went = down.filter_map(|fact| Some((since(port, fact).filter(recent)?, fact))).next_back();
    if let Some((since, fact)) = went {
        let beside = Some(fact.mark).filter(|mark| told.is_none_or(|told| told.mark != *mark));
        return violation.fact("used", format!("it went down at {since}")).and_line(beside).into();
    }
    let bound = port.seen(facts::binding::FACT).ok().flatten().unwrap_or_default();
    let heard = port.seen(facts::station::FACT).ok().flatten().unwrap_or_default();
    if let Some(row) = heard.first().or(bound.first()) {
        return violation.fact("used", "a station of it is still known").and_line(Some(row.mark)).into();
    }
    let reads = |kind| port.reads(kind);
    match (reads(facts::event::FACT), reads(facts::station::FACT)) {
        (Err(_), Err(_)) if status.iter().any(|fact| since(port, fact).is_some()) => Ok(Verdict::Met),
        (Err(_), Err(_)) => Err(Unknown::fact(SHUT_IN_USE.needs[1])),
        _ => Ok(Verdict::Met),
    }
}
