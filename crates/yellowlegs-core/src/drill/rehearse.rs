//! Plays drills on ports: on each once, and once more for either value of what nobody knows.

use std::cell::OnceCell;
use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;
use std::sync::Arc;

use super::agreed::agree;
use super::alike::Ends;
use super::around::Around;
use super::asked::{Asked, Assumed, Hang, Known, Notes};
use super::machine::{Because, Machine, Millis, OfAll, Session, Told, unsaved_on};
use super::noted::{Apart, Noted};
use super::{Drill, all};
use crate::finding::{Evidence, quote_slot};
use crate::model::{Cause, SavedCopy, Scope, SettingId, SettingSet, Slot, StationAddress, Switch, facts, platform};
use crate::policy::{Assigned, Assignment, Faces, Policy, Role, assign};
use crate::resolve::Resolved;
use crate::sorted;

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
    /// It gets through, and the policy asks for nothing that would stop it.
    Agreed,
    /// A consequence, neither good nor bad.
    Told,
    /// The port refused.
    Held,
}

impl Outcome {
    /// All, worst first.
    pub const ALL: [Self; 6] =
        [Self::LetThrough, Self::Outage, Self::Undetermined, Self::Agreed, Self::Told, Self::Held];

    /// In a word.
    pub fn word(self) -> &'static str {
        match self {
            Self::LetThrough => "let-through",
            Self::Outage => "outage",
            Self::Undetermined => "undetermined",
            Self::Agreed => "agreed",
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
    /// Where that was, if it was on another port: its switch, and the port.
    pub elsewhere: Option<(Arc<str>, usize)>,
    /// Who else is cut off.
    pub collateral: Option<String>,
    /// How the port comes back, where it was taken down.
    pub recovery: Option<String>,
    /// Settings, each of which alone would have ended it better: what a policy may have asked for.
    pub(super) unless: Vec<SettingId>,
    /// What happened.
    pub story: Vec<Told>,
}

impl Rehearsal {
    /// An outcome with the machine's story.
    pub(super) fn new(machine: &Machine<'_>, outcome: Outcome, says: impl Into<String>) -> Self {
        Self::told(machine.story().to_vec(), outcome, says)
    }

    /// An outcome with a story.
    pub(super) fn told(story: Vec<Told>, outcome: Outcome, says: impl Into<String>) -> Self {
        let says = says.into();
        Self {
            outcome,
            says,
            millis: None,
            because: None,
            elsewhere: None,
            collateral: None,
            recovery: None,
            unless: Vec::new(),
            story,
        }
    }

    /// With what would have ended it better.
    #[must_use]
    pub(super) fn unless(self, settings: impl IntoIterator<Item = SettingId>) -> Self {
        Self { unless: settings.into_iter().collect(), ..self }
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
        let recovery = machine.held_by(port).map(|cause| comes_back(machine, port, cause));
        Self { recovery, ..self }
    }
}

/// How a port comes back from a cause, in words.
pub(super) fn comes_back(machine: &Machine<'_>, port: usize, cause: Cause) -> String {
    match machine.back_after(port, cause) {
        Ok(Some(seconds @ 1..)) => format!("after {seconds} s by itself; the cause still there trips it again"),
        Ok(_) => "by hand".to_owned(),
        Err(hang) => format!("hangs on {}, which nobody knows", hang.on),
    }
}

/// One port of one switch, with its role: where a drill is played.
#[derive(Clone, Copy)]
pub struct Stage<'a> {
    /// The switch.
    pub resolved: &'a Resolved,
    /// The policy.
    pub policy: &'a Policy,
    /// The roles of its ports.
    pub roles: &'a Assignment,
    /// What is around it.
    pub around: &'a Around,
    /// How many addresses a flood has.
    pub flood: u32,
    /// Each frame of a flood is played, also those of which the ones before tell what becomes of them.
    pub frame_by_frame: bool,
    /// Where it is noted which settings are asked.
    pub notes: Option<&'a Notes>,
    /// What its machines ask of all ports.
    pub of_all: &'a Rc<OfAll>,
    /// The port.
    pub port: usize,
}

impl<'a> Stage<'a> {
    /// The switch.
    pub fn switch(&self) -> &'a Switch {
        &self.resolved.switch
    }

    /// The settings of a switch.
    pub(super) fn asked<'s>(&self, switch: &'s Switch) -> Asked<'s> {
        Asked::new(switch).noting(self.notes)
    }

    /// The port's role.
    pub fn role(&self) -> Known<&'a Role> {
        self.role_of(self.port).ok_or(Hang::fact("role"))
    }

    /// The role of a port; none: nobody knows.
    pub fn role_of(&self, port: usize) -> Option<&'a Role> {
        role_of(self.policy, self.roles, port)
    }

    /// Whether people plug things in here.
    pub fn is_edge(&self) -> Known<bool> {
        Ok(matches!(
            self.role()?.faces,
            Faces::Host | Faces::PhoneAndHost | Faces::Phone | Faces::TaggedHost | Faces::AccessPoint | Faces::Nothing
        ))
    }

    /// How many stations are right here, at most; none: nobody says.
    pub fn stations(&self, machine: &Machine<'_>) -> Known<Option<usize>> {
        let role = self.role()?;
        if let Some(most) = role.stations {
            return Ok(Some(most as usize));
        }
        Ok(match role.faces {
            Faces::Host | Faces::Phone => Some(1),
            Faces::PhoneAndHost => Some(phone_and_host(machine)?),
            Faces::Nothing => Some(0),
            _ => None,
        })
    }

    /// How many of them must be admitted, at least.
    pub fn needed(&self, machine: &Machine<'_>) -> Known<usize> {
        let role = self.role()?;
        if let Some(needed) = role.stations_needed {
            return Ok(needed as usize);
        }
        Ok(match role.faces {
            Faces::PhoneAndHost => phone_and_host(machine)?,
            Faces::Nothing => 0,
            _ => 1,
        })
    }

    /// Whether an authorised server sits here.
    pub fn serves(&self) -> bool {
        self.policy.servers_on(self.resolved).iter().any(|(_, port)| *port == Some(self.port))
    }

    /// Notes that another port has a part by its place among the ports, and not by what is in force there alone: of two ports that are
    /// alike one comes before the other.
    pub(super) fn goes_by_place(&self) {
        self.notes.into_iter().for_each(Notes::goes_by_place);
    }

    /// The other ports of the switch.
    pub fn others(&self) -> impl Iterator<Item = usize> + use<> {
        let own = self.port;
        (0..self.switch().ports().len()).filter(move |port| *port != own)
    }
}

/// A phone that is counted in both of its VLANs takes two places.
fn phone_and_host(machine: &Machine<'_>) -> Known<usize> {
    let twice = machine.platform(platform::STATIONS_COUNTED, "per-station-and-vlan")?;
    Ok(if twice { 3 } else { 2 })
}

fn role_of<'a>(policy: &'a Policy, roles: &Assignment, port: usize) -> Option<&'a Role> {
    let assigned = roles.ports.get(port).copied().flatten()?;
    policy.roles.get(assigned.role)
}

/// A made-up station (IEEE 802, 8.4: locally administered).
pub(super) fn station(number: u64) -> StationAddress {
    StationAddress::of_number(0x0200_d100_0000 + number)
}

/// A drill on a port.
#[derive(Clone)]
pub struct Rehearsed {
    /// The drill.
    pub drill: &'static Drill,
    /// The port.
    pub port: usize,
    /// How it ended.
    pub told: Rehearsal,
    /// What it hangs on, and how either value would end it.
    pub hangs: Option<(Hang, Vec<Either>)>,
    /// What was unknown when it was played with nothing assumed, be it that nothing hangs on it.
    pub(super) open: Option<Hang>,
}

/// How a drill would end if something unknown were so.
#[derive(Clone)]
pub struct Either {
    /// What would be so.
    pub value: Assumed,
    /// How it would end, where it would.
    pub outcome: Option<Outcome>,
    /// Whether it would make sense then.
    pub applies: bool,
}

impl Either {
    /// How it would end, in words.
    pub fn word(&self) -> &'static str {
        match self.outcome {
            Some(outcome) => outcome.word(),
            None if self.applies => "it would hang on something else",
            None => "it would make no sense here",
        }
    }
}

/// Plays drills on the ports of one switch. Ports of one role with the same in force and the same place in the fleet are one class:
/// what is played on the first holds for each.
pub struct Rehearser<'a> {
    resolved: &'a Resolved,
    policy: &'a Policy,
    around: &'a Around,
    roles: Arc<Assignment>,
    /// Ports that a cable, a server, a mirror, a second station or what was not saved sets apart.
    apart: BTreeSet<usize>,
    flood: u32,
    frame_by_frame: bool,
    /// How drills ended that were played for all ports like one.
    pub(super) ends: Ends,
    of_all: Rc<OfAll>,
    /// Whether each port has another like it in everything.
    twins: OnceCell<Vec<bool>>,
    apart_by: OnceCell<Vec<Apart>>,
}

impl<'a> Rehearser<'a> {
    /// For a switch.
    pub fn new(resolved: &'a Resolved, policy: &'a Policy, around: &'a Around) -> Self {
        let roles = Arc::new(assign(policy, &resolved.switch, resolved.lists()));
        Self::with_roles(resolved, policy, around, roles)
    }

    /// The same, for one whose roles are known.
    pub fn with_roles(resolved: &'a Resolved, policy: &'a Policy, around: &'a Around, roles: Arc<Assignment>) -> Self {
        let switch = &resolved.switch;
        let mut apart: BTreeSet<usize> = sorted::tree_set(around.cabled_ports(switch.name()));
        apart.extend(policy.servers_on(resolved).into_iter().filter_map(|(_, port)| port));
        for session in Machine::new(Asked::new(switch)).sessions().iter().flat_map(|sessions| sessions.iter()) {
            apart.extend(session.sources.keys().copied().chain(session.target));
        }
        let mut heard: BTreeMap<usize, BTreeSet<StationAddress>> = BTreeMap::new();
        for row in switch.facts_of(facts::station::FACT) {
            let port = row.port().and_then(|name| switch.port_index(name));
            if let (Some(port), Some(address)) = (port, row.get(facts::station::ADDRESS)) {
                heard.entry(port).or_default().insert(address);
            }
        }
        apart.extend(heard.into_iter().filter(|(_, stations)| stations.len() > 1).map(|(port, _)| port));
        apart.extend(unsaved(switch));
        Self {
            resolved,
            policy,
            around,
            roles,
            apart,
            flood: 10_000,
            frame_by_frame: false,
            ends: Ends::default(),
            of_all: Rc::default(),
            twins: OnceCell::new(),
            apart_by: OnceCell::new(),
        }
    }

    /// With floods of so many addresses, for whoever plays more often than they are long.
    #[must_use]
    pub fn flooding(self, flood: u32) -> Self {
        Self { flood, ..self }
    }

    /// With each frame of a flood played: slow, and what the quicker way is held against.
    #[must_use]
    pub fn frame_by_frame(self) -> Self {
        Self { frame_by_frame: true, ..self }
    }

    /// The first port of a port's class.
    pub fn class_of(&self, port: usize) -> usize {
        if self.apart.contains(&port) {
            return port;
        }
        let first = self.roles.alike.get(port).copied().unwrap_or(port);
        if !self.apart.contains(&first) {
            return first;
        }
        let like = |other: &usize| self.roles.alike.get(*other) == Some(&first) && !self.apart.contains(other);
        (0..=port).find(like).unwrap_or(port)
    }

    /// The role of a port; none: nobody knows.
    pub fn role_of(&self, port: usize) -> Option<&'a Role> {
        role_of(self.policy, &self.roles, port)
    }

    /// The role of a port, with what told it; none: nobody knows.
    pub fn assigned(&self, port: usize) -> Option<Assigned> {
        self.roles.ports.get(port).copied().flatten()
    }

    /// Whether a cable, a server, a mirror, a second station or what was not saved sets a port apart from all others.
    pub fn is_apart(&self, port: usize) -> bool {
        self.apart.contains(&port)
    }

    /// Whether another port is like this one in everything.
    pub(super) fn has_twin(&self, port: usize) -> bool {
        let find = || {
            let mut members = vec![0_u32; self.roles.alike.len()];
            self.roles.alike.iter().for_each(|first| members[*first] += 1);
            self.roles.alike.iter().map(|first| members[*first] > 1).collect()
        };
        self.twins.get_or_init(find).get(port) == Some(&true)
    }

    /// What may tell a port apart from others.
    pub(super) fn apart(&self, port: usize) -> &Apart {
        let switch = &self.resolved.switch;
        let of_each = || (0..switch.ports().len()).map(|port| Apart::of(switch, port, self.row(port))).collect();
        &self.apart_by.get_or_init(of_each)[port]
    }

    /// What is written for a port.
    pub(super) fn row(&self, port: usize) -> &[(u16, u32)] {
        self.roles.rows.of(port)
    }

    fn stage<'s>(&'s self, port: usize, notes: Option<&'s Notes>) -> Stage<'s> {
        let Self { resolved, policy, around, flood, frame_by_frame, .. } = *self;
        Stage { resolved, policy, roles: &self.roles, around, flood, frame_by_frame, notes, of_all: &self.of_all, port }
    }

    /// Plays every drill that is wanted on a port.
    pub fn play(&self, port: usize, wanted: impl Fn(&Drill) -> bool) -> Vec<Rehearsed> {
        played(self.stage(port, None), wanted)
    }

    /// The same, with the settings that were asked for it, of each switch.
    pub fn play_noting(
        &self,
        port: usize,
        wanted: impl Fn(&Drill) -> bool,
    ) -> (Vec<Rehearsed>, Vec<(Arc<str>, SettingSet)>) {
        let notes = Notes::default();
        let played = played(self.stage(port, Some(&notes)), wanted);
        (played, notes.all())
    }

    /// One drill, with what was asked of the port's own switch; nothing says how it ends elsewhere where a port had a part by its place.
    pub(super) fn play_noting_one(&self, port: usize, drill: &'static Drill) -> (Option<Rehearsed>, Option<Noted>) {
        let notes = Notes::default();
        let played = play(self.stage(port, Some(&notes)), drill);
        let noted = (!notes.went_by_place()).then(|| notes.of(self.resolved.switch.name()));
        (played, noted)
    }
}

/// Ports on which a restart changes something, for the saved copy says it otherwise.
fn unsaved(switch: &Switch) -> Vec<usize> {
    let SavedCopy::Read(saved) = switch.saved() else { return Vec::new() };
    (0..switch.ports().len()).filter(|port| unsaved_on(switch, saved, *port).next().is_some()).collect()
}

fn played(stage: Stage<'_>, wanted: impl Fn(&Drill) -> bool) -> Vec<Rehearsed> {
    all().iter().filter(|drill| wanted(drill)).filter_map(|drill| play(stage, drill)).collect()
}

/// What a drill hangs on where a cable is not known.
pub(super) const LINKS: &str = "links";

/// So many ports are named of which nobody knows where they lead.
const MOST_ENDS: usize = 3;

fn play(stage: Stage<'_>, drill: &'static Drill) -> Option<Rehearsed> {
    let asked = stage.asked(stage.switch());
    let run = |asked: Asked<'_>| -> Known<Option<Rehearsal>> {
        // What is assumed may be asked of all ports.
        let of_all = if asked.assumes() { Rc::default() } else { Rc::clone(stage.of_all) };
        let machine = Machine::sharing(asked.clone(), of_all);
        let told = (drill.run)(&stage, machine)?;
        Ok(told.map(|told| agree(&stage, &asked, drill, told)))
    };
    let rehearsed = |told, hangs, open| Rehearsed { drill, port: stage.port, told, hangs, open };
    let hang = match run(asked.clone()) {
        Ok(told) => return told.map(|told| rehearsed(told, None, None)),
        Err(hang) => hang,
    };
    let assume = |value: Assumed| (value.clone(), run(asked.clone().assuming(value)));
    let tried: Vec<(Assumed, Known<Option<Rehearsal>>)> = hang.tries().into_iter().map(assume).collect();
    // Where every value ends it alike, nothing hangs on it.
    if let Some((_, Ok(Some(first)))) = tried.first()
        && tried.iter().all(|(_, told)| matches!(told, Ok(Some(told)) if told.outcome == first.outcome))
    {
        let says = format!("{}, whatever {} is", first.says, hang.on);
        return Some(rehearsed(Rehearsal { says, ..first.clone() }, None, Some(hang)));
    }
    let either = |(value, told): (Assumed, Known<Option<Rehearsal>>)| {
        let applies = !matches!(told, Ok(None));
        Either { value, outcome: told.ok().flatten().map(|t| t.outcome), applies }
    };
    let either: Vec<Either> = tried.into_iter().map(either).collect();
    let mut says = format!("hangs on {}, which nobody knows", hang.on);
    if hang.on == LINKS {
        let mut ends = stage.around.open_beyond(stage.switch().name());
        let more = ends.len().saturating_sub(MOST_ENDS);
        ends.truncate(MOST_ENDS);
        if !ends.is_empty() {
            let more = if more > 0 { format!(" and {more} more") } else { String::new() };
            says = format!("{says}: those of {}{more}", ends.join(", "));
        }
    }
    for one in &either {
        says = format!("{says}; {}: {}", one.value, one.word());
    }
    let told = Rehearsal::new(&Machine::new(asked), Outcome::Undetermined, says);
    Some(rehearsed(told, Some((hang, either)), Some(hang)))
}

/// The setting that decided as it is in force on a port, in its VLAN, or in the mirror that names the port.
pub fn deciding<'a>(switch: &'a Switch, port: usize, because: &Because) -> &'a Slot {
    let id = because.setting;
    match (id.info().scope, because.vlan) {
        (Scope::Vlan, Some(vlan)) => switch.vlan_slot(vlan, id),
        (Scope::Mirror, _) => {
            let sessions = Machine::new(Asked::new(switch)).sessions().unwrap_or_default();
            let named = |one: &&Session| one.target == Some(port) || one.sources.contains_key(&port);
            let session = sessions.iter().find(named).and_then(|one| switch.mirrors().get(&one.name));
            session.and_then(|slots| slots.get(&id)).unwrap_or(&Slot::UNKNOWN)
        }
        _ => switch.slot(Some(port), id),
    }
}

/// Its lines.
pub fn proof(resolved: &Resolved, port: usize, because: &Because) -> Vec<Evidence> {
    let id = because.setting;
    let slot = deciding(&resolved.switch, port, because);
    let shown = Slot { mark: slot.mark.map(|mark| resolved.deciding_words(mark, id)), ..slot.clone() };
    quote_slot(&resolved.switch, Some(port), id, &shown)
}
