//! Plays a drill that somebody wrote, and holds what happens against what was expected.

use super::{Act, Comes, Expect, PortIs, Script, ScriptProblem, Step};
use crate::drill::asked::{Asked, Hang, Known};
use crate::drill::machine::{Arrival, At, Machine, Millis, Net, Told, Trip};
use crate::model::{Choice, Switch};
use crate::sorted;
use crate::source::{At as Placed, Place, Problem};

/// An expectation, held against what came.
#[derive(Debug, Clone)]
pub struct Checked {
    /// When.
    pub at: Millis,
    /// Where it is written.
    pub place: Place,
    /// What was expected.
    pub expected: String,
    /// What came; none: it hangs on something that nobody knows.
    pub came: Result<String, Hang>,
    /// Whether they agree.
    pub met: bool,
}

/// What a script came to.
#[derive(Debug, Clone, Default)]
pub struct Ran {
    /// Its expectations.
    pub checked: Vec<Checked>,
    /// What happened; lines of the first switch have none.
    pub story: Vec<Told>,
}

struct Playing<'a> {
    net: Net<'a>,
    names: Vec<&'a str>,
}

fn problem(step: &Step, problem: ScriptProblem) -> Problem {
    Placed { place: step.place.clone(), problem }.into()
}

/// Plays a script on the switches that it names, with the wires between them. Ports that a step plugs something into are down until
/// then; all others have forwarded for long. What hangs on something unknown ends the play, and leaves the rest open.
pub fn play(script: &Script, switches: &[&Switch], wires: &[(At, At)]) -> Result<Ran, Vec<Problem>> {
    let number: sorted::Map<&str, usize> = sorted::map(switches.iter().enumerate().map(|(n, s)| (&**s.name(), n)));
    let mut problems = Vec::new();
    let mut places: Vec<At> = Vec::new();
    let find = |step: &Step, switch: &str, port: &str| -> Result<At, Problem> {
        let names = || number.keys().map(|name| (*name).to_owned()).collect();
        let found = number.get(switch).copied();
        let number =
            found.ok_or_else(|| problem(step, ScriptProblem::Switch { found: switch.to_owned(), names: names() }))?;
        let position = switches.get(number).and_then(|switch| switch.port_index(port));
        let missing = || ScriptProblem::Port { switch: switch.to_owned(), found: port.to_owned() };
        Ok((number, position.ok_or_else(|| problem(step, missing()))?))
    };
    let mut heard: Vec<Vec<At>> = Vec::new();
    let mut ends: Vec<Option<At>> = Vec::new();
    for step in &script.steps {
        match find(step, &step.switch, &step.port) {
            Ok(at) => places.push(at),
            Err(wrong) => problems.push(wrong),
        }
        ends.push(match &step.act {
            Act::Patch(switch, port) => {
                find(step, switch.as_deref().unwrap_or(&step.switch), port).map_err(|wrong| problems.push(wrong)).ok()
            }
            _ => None,
        });
        let mut there = Vec::new();
        for expect in &step.expect {
            let (Expect::Heard(ports) | Expect::Unheard(ports)) = expect else { continue };
            for (switch, port) in ports {
                match find(step, switch.as_deref().unwrap_or(&step.switch), port) {
                    Ok(at) => there.push(at),
                    Err(wrong) => problems.push(wrong),
                }
            }
        }
        heard.push(there);
    }
    if !problems.is_empty() {
        return Err(problems);
    }
    let machines = switches.iter().map(|switch| Machine::new(Asked::new(switch)).with_leases(script.lease));
    let mut machines: Vec<Machine<'_>> = machines.collect();
    let plugs = |step: &Step| matches!(step.act, Act::Plug | Act::Patch(..));
    let plugged =
        |at: At| script.steps.iter().zip(&places).any(|(step, p)| *p == at && plugs(step)) || ends.contains(&Some(at));
    for (number, machine) in machines.iter_mut().enumerate() {
        (0..machine.port_count()).filter(|port| !plugged((number, *port))).for_each(|port| machine.settle(port));
    }
    let names = switches.iter().map(|switch| &**switch.name()).collect();
    let mut playing = Playing { net: Net::new(machines, wires.iter().copied()), names };
    let mut ran = Ran::default();
    let settled = playing.net.settle_tree();
    for (((step, at), end), heard) in script.steps.iter().zip(places).zip(ends).zip(heard) {
        let came = settled.and_then(|()| playing.step(step, at, end));
        let hang = came.as_ref().err().copied();
        let mut heard = heard.into_iter();
        for expect in &step.expect {
            let checked = |expected: String, came: Result<String, Hang>, met| Checked {
                at: step.at,
                place: step.place.clone(),
                expected,
                met: met && came.is_ok(),
                came,
            };
            ran.checked.push(match &came {
                Ok(trip) => {
                    let (expected, came, met) = playing.holds(expect, at, trip.as_ref(), &mut heard);
                    checked(expected, Ok(came), met)
                }
                Err(hang) => checked(expect.shown(), Err(*hang), false),
            });
        }
        if let Some(hang) = hang {
            // Whatever comes later hangs on the same.
            let later = script.steps.iter().filter(|later| later.at >= step.at && !std::ptr::eq(*later, step));
            let open = later.flat_map(|later| later.expect.iter().map(move |expect| (later, expect)));
            ran.checked.extend(open.map(|(later, expect)| Checked {
                at: later.at,
                place: later.place.clone(),
                expected: expect.shown(),
                came: Err(hang),
                met: false,
            }));
            break;
        }
    }
    ran.story = playing.net.story();
    Ok(ran)
}

impl Playing<'_> {
    fn machine(&self, at: At) -> Known<&Machine<'_>> {
        self.net.machine(at.0).ok_or(Hang::fact("the switch"))
    }

    fn step(&mut self, step: &Step, at: At, end: Option<At>) -> Known<Option<Trip>> {
        let now = self.machine(at)?.now();
        self.net.pass(step.at.saturating_sub(now))?;
        let Some(machine) = self.net.switch(at.0) else { return Ok(None) };
        match &step.act {
            Act::Plug => self.net.plug(at)?,
            Act::Pull => self.net.pull(at)?,
            Act::Patch(..) => end.map_or(Ok(()), |end| self.net.patch(at, end))?,
            Act::StrandFails => self.net.strand_fails(at)?,
            Act::ClearBindings => machine.clear_bindings(at.1),
            Act::Restart => self.net.restart(at)?,
            Act::Look => {}
            Act::Send { frame, authenticated, count, every } => {
                if *authenticated {
                    machine.authenticate(frame.from);
                }
                let mut trip = self.net.send(at, frame)?;
                for _ in 1..*count {
                    // One that goes round for ever is as good as all of them.
                    if trip.circles {
                        break;
                    }
                    self.net.pass(*every)?;
                    trip = self.net.send(at, frame)?;
                }
                return Ok(Some(trip));
            }
        }
        Ok(None)
    }

    /// What was expected, what came, and whether they agree.
    fn holds(
        &self,
        expect: &Expect,
        at: At,
        trip: Option<&Trip>,
        heard: &mut dyn Iterator<Item = At>,
    ) -> (String, String, bool) {
        let first = trip.and_then(|trip| trip.arrivals.first()).map(|(_, arrival)| arrival);
        let stopped = trip.and_then(Trip::stopped).map_or("nothing", |(_, because)| because.feature);
        let (came, met) = match expect {
            Expect::Comes(wanted) => {
                let came = match first {
                    Some(arrival) if arrival.is_in() => Comes::In,
                    Some(Arrival::Closed) | None => Comes::Closed,
                    Some(_) => Comes::Stopped,
                };
                (
                    format!(
                        "{}{}",
                        came.word(),
                        if came == Comes::Stopped { format!(" by {stopped}") } else { String::new() }
                    ),
                    came == *wanted,
                )
            }
            Expect::By(feature) => (format!("stopped by {stopped}"), feature.eq_ignore_ascii_case(stopped)),
            Expect::Heard(ports) | Expect::Unheard(ports) => {
                let wanted = matches!(expect, Expect::Heard(_));
                let heard: Vec<At> = heard.take(ports.len()).collect();
                let reached = |at: &At| trip.is_some_and(|trip| trip.reaches(*at));
                let all = trip.map(|trip| trip.heard.iter().map(|(at, tags)| self.port(*at, tags)).collect::<Vec<_>>());
                let all = all.filter(|all| !all.is_empty()).map_or_else(|| "nobody".to_owned(), |all| all.join(", "));
                (format!("heard on {all}"), heard.iter().all(|at| reached(at) == wanted))
            }
            Expect::Circles(wanted) => {
                let circles = trip.is_some_and(|trip| trip.circles);
                (round(circles).to_owned(), circles == *wanted)
            }
            Expect::Port(wanted) => {
                let came = self.port_is(at);
                (came.word().to_owned(), came == *wanted)
            }
            Expect::Cause(wanted) => {
                let cause =
                    self.net.machine(at.0).and_then(|machine| machine.held_by(at.1)).map_or("nothing", Choice::word);
                (format!("held by {cause}"), cause == wanted)
            }
        };
        (expect.shown(), came, met)
    }

    fn port(&self, at: At, tags: &[u16]) -> String {
        let name = self.net.machine(at.0).map_or("", |machine| machine.name(at.1));
        let switch =
            if at.0 == 0 { String::new() } else { format!("{} ", self.names.get(at.0).copied().unwrap_or_default()) };
        let tags: Vec<String> = tags.iter().map(ToString::to_string).collect();
        let tags = if tags.is_empty() { String::new() } else { format!(" tagged {}", tags.join(",")) };
        format!("{switch}{name}{tags}")
    }

    fn port_is(&self, at: At) -> PortIs {
        let Some(machine) = self.net.machine(at.0) else { return PortIs::Down };
        if machine.held_by(at.1).is_some() {
            PortIs::Held
        } else if machine.forwards(at.1) {
            PortIs::Forwarding
        } else if machine.has_link(at.1) {
            PortIs::Waiting
        } else {
            PortIs::Down
        }
    }
}

fn round(circles: bool) -> &'static str {
    if circles { "circles" } else { "does not circle" }
}

impl Expect {
    /// In words.
    fn shown(&self) -> String {
        let ports = |ports: &[(Option<String>, String)]| {
            let name = |(switch, port): &(Option<String>, String)| match switch {
                Some(switch) => format!("{switch} {port}"),
                None => port.clone(),
            };
            ports.iter().map(name).collect::<Vec<_>>().join(", ")
        };
        match self {
            Self::Comes(comes) => comes.word().to_owned(),
            Self::By(feature) => format!("stopped by {feature}"),
            Self::Heard(all) => format!("heard on {}", ports(all)),
            Self::Unheard(all) => format!("not heard on {}", ports(all)),
            Self::Circles(circles) => round(*circles).to_owned(),
            Self::Port(port) => port.word().to_owned(),
            Self::Cause(cause) => format!("held by {cause}"),
        }
    }
}
