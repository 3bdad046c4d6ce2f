//! Plays drills on ports: on each once, and once more for either value of what nobody knows.

use super::asked::{Asked, Hang, Known};
use super::machine::{Because, Machine, Millis, Told};
use super::{Drill, all};
use crate::finding::{Evidence, quote_slot};
use crate::model::{Slot, StationAddress, Switch, Value, platform};
use crate::policy::{Assignment, Faces, Policy, Role};
use crate::resolve::Resolved;

/// How a drill ended on a port, worst first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// The attack got through.
    LetThrough,
    /// A service that is right is broken.
    Outage,
    /// It hangs on something that nobody knows.
    Undetermined,
    /// A consequence, neither good nor bad.
    Told,
    /// The port refused.
    Held,
}

impl Outcome {
    /// All, worst first.
    pub const ALL: [Self; 5] = [Self::LetThrough, Self::Outage, Self::Undetermined, Self::Told, Self::Held];

    /// In a word.
    pub fn word(self) -> &'static str {
        match self {
            Self::LetThrough => "let-through",
            Self::Outage => "outage",
            Self::Undetermined => "undetermined",
            Self::Told => "told",
            Self::Held => "held",
        }
    }
}

/// How it ended, and what the machine told on the way.
#[derive(Debug, Clone)]
pub struct Rehearsal {
    /// How it ended.
    pub outcome: Outcome,
    /// In a sentence.
    pub says: String,
    /// Seconds that it took, where they mean something.
    pub millis: Option<Millis>,
    /// What decided.
    pub because: Option<Because>,
    /// Who else is cut off.
    pub collateral: Option<String>,
    /// How the port comes back, where it was taken down.
    pub recovery: Option<String>,
    /// What happened.
    pub story: Vec<Told>,
}

impl Rehearsal {
    /// An outcome with the machine's story.
    pub(super) fn new(machine: &Machine<'_>, outcome: Outcome, says: impl Into<String>) -> Self {
        Self {
            outcome,
            says: says.into(),
            millis: None,
            because: None,
            collateral: None,
            recovery: None,
            story: machine.story().to_vec(),
        }
    }

    /// With what decided.
    #[must_use]
    pub(super) fn because(self, because: Option<Because>) -> Self {
        Self { because: because.or(self.because), ..self }
    }

    /// With its time.
    #[must_use]
    pub(super) fn after(self, millis: Millis) -> Self {
        Self { millis: Some(millis), ..self }
    }

    /// With how the port comes back, if it was taken down.
    #[must_use]
    pub(super) fn back(self, machine: &Machine<'_>, port: usize) -> Self {
        let recovery = machine.held_by(port).map(|cause| match machine.back_after(port, cause) {
            Ok(Some(seconds @ 1..)) => format!("after {seconds} s by itself; the cause still there trips it again"),
            Ok(_) => "by hand".to_owned(),
            Err(hang) => format!("hangs on {}, which nobody knows", hang.on),
        });
        Self { recovery, ..self }
    }
}

/// One port of one switch, with its role: where a drill is played.
#[derive(Clone, Copy)]
pub struct Stage<'a> {
    /// The switch.
    pub switch: &'a Switch,
    /// The policy.
    pub policy: &'a Policy,
    /// The roles of its ports.
    pub roles: &'a Assignment,
    /// The port.
    pub port: usize,
}

impl<'a> Stage<'a> {
    /// The port's role.
    pub fn role(&self) -> Known<&'a Role> {
        self.role_of(self.port).ok_or(Hang::fact("role"))
    }

    fn role_of(&self, port: usize) -> Option<&'a Role> {
        let assigned = self.roles.ports.get(port).copied().flatten()?;
        self.policy.roles.get(assigned.role)
    }

    /// Whether people plug things in here.
    pub fn is_edge(&self) -> Known<bool> {
        Ok(matches!(
            self.role()?.faces,
            Faces::Host | Faces::PhoneAndHost | Faces::Phone | Faces::TaggedHost | Faces::AccessPoint | Faces::Nothing
        ))
    }

    /// How many stations are right here, at most; none: nobody says.
    pub fn stations(&self) -> Known<Option<usize>> {
        let role = self.role()?;
        let by_faces = match role.faces {
            Faces::Host | Faces::Phone => Some(1),
            Faces::PhoneAndHost => {
                let twice = self.switch.traits().holds(platform::STATIONS_COUNTED, "per-station-and-vlan");
                Some(if twice == Some(true) { 3 } else { 2 })
            }
            Faces::Nothing => Some(0),
            _ => None,
        };
        Ok(role.stations.map(|n| n as usize).or(by_faces))
    }

    /// The other ports of the switch.
    pub fn others(&self) -> impl Iterator<Item = usize> + use<> {
        let own = self.port;
        (0..self.switch.ports().len()).filter(move |port| *port != own)
    }
}

/// A made-up station (IEEE 802, 8.4: locally administered).
pub(super) fn station(number: u64) -> StationAddress {
    StationAddress::of_number(0x0200_d100_0000 + number)
}

/// A drill on a port.
pub struct Rehearsed {
    /// The drill.
    pub drill: &'static Drill,
    /// The port.
    pub port: usize,
    /// How it ended.
    pub told: Rehearsal,
    /// What it hangs on, and how either value would end it.
    pub hangs: Option<(Hang, Vec<Either>)>,
}

/// How a drill would end if something unknown were so.
pub struct Either {
    /// The value.
    pub value: Value,
    /// How it would end; none: it would hang on something else.
    pub outcome: Option<Outcome>,
}

/// The first port that has the same role and the same in force: what is played there holds here.
pub fn class_of(roles: &Assignment, port: usize) -> usize {
    roles.alike.get(port).copied().unwrap_or(port)
}

/// Plays every drill that is wanted on a port.
pub fn rehearse(stage: Stage<'_>, wanted: impl Fn(&Drill) -> bool) -> Vec<Rehearsed> {
    all().iter().filter(|drill| wanted(drill)).filter_map(|drill| play(stage, drill)).collect()
}

fn play(stage: Stage<'_>, drill: &'static Drill) -> Option<Rehearsed> {
    let asked = Asked::new(stage.switch);
    match (drill.run)(&stage, Machine::new(asked.clone())) {
        Ok(told) => told.map(|told| Rehearsed { drill, port: stage.port, told, hangs: None }),
        Err(hang) => {
            let assume = |value: Value| {
                let assumed = asked.clone().assuming(hang.setting?, value.clone());
                Some((value, (drill.run)(&stage, Machine::new(assumed)).ok().flatten()))
            };
            let tried: Vec<(Value, Option<Rehearsal>)> = hang.values().into_iter().filter_map(assume).collect();
            // Where every value ends it alike, nothing hangs on it.
            if let Some((_, Some(first))) = tried.first()
                && tried.iter().all(|(_, told)| told.as_ref().is_some_and(|told| told.outcome == first.outcome))
            {
                let says = format!("{}, whatever {} is", first.says, hang.on);
                return Some(Rehearsed {
                    drill,
                    port: stage.port,
                    told: Rehearsal { says, ..first.clone() },
                    hangs: None,
                });
            }
            let either = |(value, told): (Value, Option<Rehearsal>)| Either { value, outcome: told.map(|t| t.outcome) };
            let either: Vec<Either> = tried.into_iter().map(either).collect();
            let mut says = format!("hangs on {}, which nobody knows", hang.on);
            for Either { value, outcome } in &either {
                let outcome = outcome.map_or("it would hang on something else", Outcome::word);
                says = format!("{says}; {value}: {outcome}");
            }
            let told = Rehearsal::new(&Machine::new(asked), Outcome::Undetermined, says);
            Some(Rehearsed { drill, port: stage.port, told, hangs: Some((hang, either)) })
        }
    }
}

/// The lines that decided: those of the setting in force on the port.
pub fn proof(resolved: &Resolved, port: usize, because: &Because) -> Vec<Evidence> {
    let id = because.setting;
    let slot = resolved.switch.slot(Some(port), id);
    let shown = Slot { mark: slot.mark.map(|mark| resolved.deciding_words(mark, id)), ..slot.clone() };
    quote_slot(&resolved.switch, Some(port), id, &shown)
}
