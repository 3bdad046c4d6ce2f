//! Multicast: who hears a stream, how long it runs on, and what happens when nobody asks any more.

use std::net::Ipv4Addr;

use super::{at_host, own};
use crate::drill::Drill;
use crate::drill::asked::{Hang, Known};
use crate::drill::frame::Frame;
use crate::drill::machine::{Arrival, Because, Machine};
use crate::drill::rehearse::{LINKS, Outcome, Rehearsal, Stage, station};
use crate::model::{VlanId, facts, settings};
use crate::policy::Feature;
use crate::sorted;

/// Groups for documentation (RFC 6676): one that somebody joins, one that nobody does.
const GROUP: Ipv4Addr = Ipv4Addr::new(233, 252, 0, 1);
const STRANGER: Ipv4Addr = Ipv4Addr::new(233, 252, 0, 2);
/// Where the streams come from.
const SOURCE: Ipv4Addr = Ipv4Addr::new(192, 0, 2, 40);

const ANSWERS: &[&str] = &[
    "multicast/snooping-off",
    "multicast/not-armed",
    "multicast/vlan-uncovered",
    "multicast/flooding",
    "multicast/router-port-edge",
    "multicast/querier-missing",
    "multicast/querier-no-address",
    "multicast/fast-leave-missing",
    "port-security/limit-low",
    "voice/room-missing",
];

/// A receiver's port, with its VLAN and the port that the stream comes in by.
struct Stream<'a> {
    machine: Machine<'a>,
    vlan: VlanId,
    from: usize,
}

/// The stream comes down the way to other switches, else from any other port of the VLAN.
fn stream<'a>(stage: &Stage<'_>, machine: Machine<'a>) -> Known<Option<Stream<'a>>> {
    if !stage.role()?.receiver {
        return Ok(None);
    }
    let Some(machine) = at_host(stage, machine)? else { return Ok(None) };
    let Some(vlan) = machine.untagged(stage.port)? else { return Ok(None) };
    let members: Vec<usize> =
        stage.others().filter(|port| machine.forwards(*port) && machine.is_member(*port, vlan) == Ok(true)).collect();
    let leads = |port: &&usize| stage.role_of(**port).is_some_and(|role| !role.faces.is_edge());
    let from = members.iter().find(leads).copied();
    if from.is_none() && !members.is_empty() {
        stage.goes_by_place();
    }
    let from = from.or(members.first().copied());
    Ok(from.map(|from| Stream { machine, vlan, from }))
}

impl Stream<'_> {
    /// The ports that a packet of a group leaves by.
    fn plays(&mut self, group: Ipv4Addr) -> Known<Vec<usize>> {
        let frame = Frame::stream(station(400), SOURCE, group);
        let untagged = self.machine.untagged(self.from)? == Some(self.vlan);
        let frame = if untagged { frame } else { frame.tagged(self.vlan) };
        // Who sends it is nobody's matter here: it is as if it came from the switch itself.
        let mut quiet = self.machine.clone();
        quiet.authenticate(station(400));
        let arrival = quiet.pour(self.from, self.vlan, &frame)?;
        self.machine.tell(self.from, format_args!("{frame}: to {}", heard(&self.machine, &arrival)), None);
        Ok(match arrival {
            Arrival::Forwarded(_, to) => to.into_iter().map(|delivery| delivery.port).collect(),
            _ => Vec::new(),
        })
    }
}

fn heard(machine: &Machine<'_>, arrival: &Arrival) -> String {
    match arrival {
        Arrival::Forwarded(_, to) if !to.is_empty() => {
            machine.names(&to.iter().map(|delivery| delivery.port).collect::<Vec<_>>())
        }
        _ => "nobody".to_owned(),
    }
}

/// A port that hears what it did not ask for: one where people plug things in, or one of which nobody says what it is for.
fn bystander(stage: &Stage<'_>, heard: &[usize], asked: &[usize]) -> Option<usize> {
    let plain = |port: &usize| stage.role_of(*port).is_none_or(|role| role.faces.is_edge());
    let first = heard.iter().copied().find(|port| !asked.contains(port) && plain(port));
    if first.is_some() {
        stage.goes_by_place();
    }
    first
}

fn floods(stage: &Stage<'_>, stream: &Stream<'_>, port: usize, what: &str) -> Known<Rehearsal> {
    let machine = &stream.machine;
    let says = if port == stage.port {
        format!("{what} comes here all the same")
    } else {
        format!("{what} goes to {} as well, where nobody asked for it", machine.name(port))
    };
    let setting = if !machine.watches_groups(stream.vlan)? {
        settings::MULTICAST_VLANS.id
    } else if machine.filters_unregistered()? {
        settings::ROUTER_PORT.id
    } else {
        settings::FILTERING.id
    };
    let because = Because::of("multicast snooping", setting);
    Ok(Rehearsal::new(machine, Outcome::LetThrough, says).because(Some(because)).unless([setting]))
}

pub(super) const STREAM_JOIN: Drill = Drill {
    name: "stream-join",
    stimulus: "a receiver joins a group; streams of this group and of another are sent",
    holds: "only members hear theirs, for as long as they want it",
    answers: ANSWERS,
    run: stream_join,
};

fn stream_join(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut stream) = stream(stage, machine)? else { return Ok(None) };
    let receiver = own::host(stage, &stream.machine)?;
    stream.machine.authenticate(receiver);
    let strange = stream.plays(STRANGER)?;
    if let Some(port) = bystander(stage, &strange, &[]) {
        return floods(stage, &stream, port, "a stream that nobody joined").map(Some);
    }
    let arrival = stream.machine.says(stage.port, &Frame::report(receiver, GROUP))?;
    let joined = stream.machine.now();
    let played = stream.plays(GROUP)?;
    if !played.contains(&stage.port) {
        let told = Rehearsal::new(&stream.machine, Outcome::Outage, "the receiver joins, and hears nothing");
        return Ok(Some(told.because(arrival.stopped_by())));
    }
    if let Some(port) = bystander(stage, &played, &[stage.port]) {
        return floods(stage, &stream, port, "the stream").map(Some);
    }
    let Stream { machine, vlan, .. } = &mut stream;
    if machine.watches_groups(*vlan)? {
        let own = machine.asks_for_members(*vlan)?;
        let name = stage.switch().name();
        let other = if own { None } else { stage.around.asks_elsewhere(name, *vlan)? };
        if !own && other.is_none() {
            if stage.around.is_open_beyond(name) {
                return Err(Hang::fact(LINKS));
            }
            let lasts = machine.membership(*vlan)?;
            machine.pass(lasts)?;
            let played = stream.plays(GROUP)?;
            if !played.contains(&stage.port) {
                let says = format!("nobody asks in VLAN {}: the stream stops after {} s", stream.vlan, lasts / 1000);
                let told = Rehearsal::new(&stream.machine, Outcome::Outage, says).after(lasts);
                let because = Because::of("IGMP querier", settings::QUERIER.id).in_vlan(stream.vlan);
                return Ok(Some(told.because(Some(because))));
            }
        }
    }
    let because = Because::of("multicast snooping", settings::MULTICAST_VLANS.id);
    let told = Rehearsal::new(&stream.machine, Outcome::Held, "the member hears its stream, and nobody else does");
    Ok(Some(told.because(Some(because)).after(joined)))
}

pub(super) const STREAM_LEAVE: Drill = Drill {
    name: "stream-leave",
    stimulus: "the receiver leaves the group",
    holds: "the stream stops: at once where the role wants fast leave, else after the last-member time",
    answers: ANSWERS,
    run: stream_leave,
};

fn stream_leave(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut stream) = stream(stage, machine)? else { return Ok(None) };
    let receiver = own::host(stage, &stream.machine)?;
    stream.machine.authenticate(receiver);
    if !stream.machine.says(stage.port, &Frame::report(receiver, GROUP))?.is_in() {
        return Ok(None);
    }
    stream.machine.pass(10_000)?;
    stream.machine.says(stage.port, &Frame::leave(receiver, GROUP))?;
    let snooped = stream.machine.watches_groups(stream.vlan)?;
    let takes = match stream.machine.leaves_fast(stage.port)? {
        _ if !snooped => 0,
        true => 0,
        false => stream.machine.leave_takes(stream.vlan)?,
    };
    let runs_on = takes > 0 && stream.plays(GROUP)?.contains(&stage.port);
    stream.machine.pass(takes)?;
    let after = stream.plays(GROUP)?;
    if after.contains(&stage.port) {
        return floods(stage, &stream, stage.port, "the stream that was left").map(Some);
    }
    let because = Some(Because::of("multicast snooping", settings::FAST_LEAVE.id));
    let machine = &stream.machine;
    let wanted = stage.role()?.expect.wants(Feature::FastLeave);
    let told = if runs_on && wanted {
        let says = format!("the stream runs on for {} s after the leave; the role wants it cut at once", takes / 1000);
        Rehearsal::new(machine, Outcome::LetThrough, says)
    } else {
        Rehearsal::new(machine, Outcome::Held, format!("the stream stops {} s after the leave", takes / 1000))
    };
    Ok(Some(told.because(because).after(takes)))
}

pub(super) const TWO_RECEIVERS: Drill = Drill {
    name: "two-receivers",
    stimulus: "of two members behind one port one leaves",
    holds: "the other keeps its stream",
    answers: &["multicast/fast-leave-shared"],
    run: two_receivers,
};

fn two_receivers(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let heard = stage.switch().facts_about(facts::station::FACT, stage.port);
    let stations: sorted::Set<_> = sorted::set(heard.filter_map(|fact| fact.get(facts::station::ADDRESS)));
    if stations.len() < 2 || !stage.is_edge()? {
        return Ok(None);
    }
    let Some(machine) = at_host(stage, machine)? else { return Ok(None) };
    let Some(vlan) = machine.untagged(stage.port)? else { return Ok(None) };
    let Some(from) = stage.others().find(|port| machine.is_member(*port, vlan) == Ok(true)) else { return Ok(None) };
    stage.goes_by_place();
    let mut stream = Stream { machine, vlan, from };
    let both = own::hosts(stage, &stream.machine, 2)?;
    let [one, other] = both[..] else { return Ok(None) };
    for member in [one, other] {
        stream.machine.authenticate(member);
        if !stream.machine.says(stage.port, &Frame::report(member, GROUP))?.is_in() {
            return Ok(None);
        }
    }
    stream.machine.says(stage.port, &Frame::leave(one, GROUP))?;
    let because = Some(Because::of("multicast snooping", settings::FAST_LEAVE.id));
    if !stream.plays(GROUP)?.contains(&stage.port) {
        let says = "the first that leaves takes the stream from the other, until it is asked again";
        return Ok(Some(Rehearsal::new(&stream.machine, Outcome::Outage, says).because(because)));
    }
    // The other answers when the port is asked who is still there.
    stream.machine.pass(500)?;
    stream.machine.says(stage.port, &Frame::report(other, GROUP))?;
    stream.machine.pass(10_000)?;
    let keeps = stream.plays(GROUP)?.contains(&stage.port);
    let (outcome, says) = if keeps {
        (Outcome::Held, "one leaves, the other answers and keeps its stream")
    } else {
        (Outcome::Outage, "the other loses its stream although it answers")
    };
    Ok(Some(Rehearsal::new(&stream.machine, outcome, says).because(because)))
}

pub(super) const QUERIER_LOSS: Drill = Drill {
    name: "querier-loss",
    stimulus: "the querier goes",
    holds: "told: what happens when memberships end, and when",
    answers: &[],
    run: querier_loss,
};

fn querier_loss(stage: &Stage<'_>, machine: Machine<'_>) -> Known<Option<Rehearsal>> {
    let Some(mut stream) = stream(stage, machine)? else { return Ok(None) };
    if !stream.machine.watches_groups(stream.vlan)? {
        return Ok(None);
    }
    let receiver = own::host(stage, &stream.machine)?;
    stream.machine.authenticate(receiver);
    stream.machine.says(stage.port, &Frame::report(receiver, GROUP))?;
    stream.machine.tell(stage.port, "the querier is silent from now on", None);
    let vlan = stream.vlan;
    let (lasts, waits) = (stream.machine.membership(vlan)?, stream.machine.querier_lasts(vlan)?);
    stream.machine.pass(lasts)?;
    let still = stream.plays(GROUP)?.contains(&stage.port);
    let what = if still { "the stream floods its VLAN" } else { "the stream stops" };
    let says = format!(
        "another querier would ask after {} s; where there is none {what} {} s after the last report",
        waits / 1000,
        lasts / 1000
    );
    let because = Because::of("IGMP querier", settings::QUERY_INTERVAL.id).in_vlan(vlan);
    Ok(Some(Rehearsal::new(&stream.machine, Outcome::Told, says).because(Some(because)).after(lasts)))
}
