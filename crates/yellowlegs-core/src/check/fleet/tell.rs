//! What was found across the fleet, told with its lines: each switch that it names is read once more.

use std::cell::OnceCell;
use std::collections::VecDeque;
use std::rc::Rc;
use std::sync::{Arc, Mutex, PoisonError};

use rustc_hash::FxHashMap;

use super::foreseen::AllForeseen;
use super::{FleetView, FleetViolation, Found, Usage, nowhere};
use crate::check::judge::{is_excused, waive};
use crate::check::say::{Subject, finding, quoted, quoted_line};
use crate::check::{Check, SwitchView, Violation};
use crate::finding::{EvidenceKind, Finding};
use crate::model::{Mark, SettingId, StationAddress, Value, settings};
use crate::policy::{AsOf, Assignment, Level, Policy, assign_roles};
use crate::resolve::Resolved;
use crate::sorted;

/// So many switches that findings name are kept: the ends of one another's cables.
const MOST_READ: usize = 16;
/// On so many switches that follow each other stand the findings that are told in one piece.
const PIECE: usize = 16;
/// Of so many ports what pins their stations.
const MOST_PINS: usize = 1024;

/// Reads switches once more, for the lines of those that findings name.
pub trait Again: Sync {
    /// One by its name; none: it cannot be read.
    fn read(&self, name: &str) -> Option<Resolved>;

    /// Does so many pieces of work that know nothing of each other, in whatever order, side by side if it can.
    fn each(&self, pieces: usize, work: &(dyn Fn(usize) + Sync)) {
        (0..pieces).for_each(work);
    }
}

impl<F: Fn(&str) -> Option<Resolved> + Sync> Again for F {
    fn read(&self, name: &str) -> Option<Resolved> {
        self(name)
    }
}

/// Something by its place in what was found.
type Placed<T> = (usize, T);

/// What was found: some of it told already, for it was foreseen.
#[derive(Default)]
pub(super) struct AllFound {
    told: Vec<Placed<Box<Told>>>,
    others: Vec<Placed<Found>>,
}

impl AllFound {
    /// Takes in what a check found.
    pub(super) fn add(&mut self, check: &'static Check, level: Level, found: FleetViolation, foreseen: &AllForeseen) {
        let place = self.told.len() + self.others.len();
        match foreseen.come_true(check, &found) {
            Some(told) => self.told.push((place, told)),
            None => self.others.push((place, (check, level, found))),
        }
    }
}

/// What was found, as findings in the same order: switch by switch, so that each is read once and few have to be kept.
pub(super) fn all(
    found: AllFound,
    view: &FleetView<'_>,
    again: &dyn Again,
) -> impl ExactSizeIterator<Item = Box<Told>> {
    let AllFound { told, others: mut by_switch } = found;
    let (policy, as_of) = (view.policy, view.as_of);
    sorted::by(&mut by_switch, |(_, a), (_, b)| a.2.switch.cmp(&b.2.switch));
    let pieces: Vec<Mutex<Vec<Placed<Found>>>> = pieces(by_switch).into_iter().map(Mutex::new).collect();
    let told = Mutex::new(told);
    again.each(pieces.len(), &|piece| {
        let piece =
            pieces.get(piece).map(|piece| std::mem::take(&mut *piece.lock().unwrap_or_else(PoisonError::into_inner)));
        let mut read = Read::new(again);
        let tell = |(place, found)| Some((place, Box::new(told_of(found, policy, as_of, &mut read)?)));
        let own: Vec<Placed<Box<Told>>> = piece.into_iter().flatten().filter_map(tell).collect();
        told.lock().unwrap_or_else(PoisonError::into_inner).extend(own);
    });
    let mut told = told.into_inner().unwrap_or_else(PoisonError::into_inner);
    sorted::by_key(&mut told, |(place, _)| *place);
    told.into_iter().map(|(_, told)| told)
}

/// What is found on switches that follow each other, cut between two of them.
fn pieces(by_switch: Vec<Placed<Found>>) -> Vec<Vec<Placed<Found>>> {
    let mut pieces: Vec<Vec<Placed<Found>>> = Vec::new();
    let mut switches = 0;
    for found in by_switch {
        let last = pieces.last().and_then(|piece| piece.last());
        let is_same = last.is_some_and(|(_, last)| last.2.switch == found.1.2.switch);
        switches += usize::from(!is_same);
        match pieces.last_mut().filter(|_| is_same || switches <= PIECE) {
            Some(piece) => piece.push(found),
            None => {
                pieces.push(vec![found]);
                switches = 1;
            }
        }
    }
    pieces
}

/// A switch that was read once more.
struct Known {
    resolved: Resolved,
    /// The roles of its ports, once they are asked for.
    roles: OnceCell<Assignment>,
}

/// Switches that are read once more.
pub(super) struct Read<'r> {
    again: &'r dyn Again,
    kept: VecDeque<(Arc<str>, Option<Rc<Known>>)>,
    /// By switch and port, what pins its stations.
    pins: FxHashMap<(Arc<str>, Option<usize>), Pins>,
}

/// By station, the list that has it, and the line that put it in.
type Pins = FxHashMap<StationAddress, (SettingId, Option<Mark>)>;

impl<'r> Read<'r> {
    pub(super) fn new(again: &'r dyn Again) -> Self {
        Self { again, kept: VecDeque::new(), pins: FxHashMap::default() }
    }

    fn get(&mut self, name: &Arc<str>) -> Option<Rc<Known>> {
        if let Some((_, known)) = self.kept.iter().find(|(known, _)| known == name) {
            return known.clone();
        }
        let resolved = self.again.read(name).map(|resolved| Rc::new(Known { resolved, roles: OnceCell::new() }));
        if self.kept.len() >= MOST_READ {
            self.kept.pop_front();
        }
        self.kept.push_back((Arc::clone(name), resolved.clone()));
        resolved
    }

    /// What pins a station on a port.
    fn pin(
        &mut self,
        on: &Resolved,
        port: Option<usize>,
        station: StationAddress,
    ) -> Option<(SettingId, Option<Mark>)> {
        if self.pins.len() > MOST_PINS {
            self.pins.clear();
        }
        let pins = self.pins.entry((Arc::clone(on.switch.name()), port)).or_insert_with(|| pins(on, port));
        pins.get(&station).copied()
    }
}

/// What pins stations on a port, each by the line that put it in first.
fn pins(on: &Resolved, port: Option<usize>) -> Pins {
    let mut pins = Pins::default();
    for id in [settings::PINNED_STATIONS.id, settings::WRITTEN_STATIONS.id] {
        let stations = on.switch.slot(port, id).value.as_ref().and_then(Value::stations).cloned().unwrap_or_default();
        let lines = on.lines_that_brought(port, id, Value::stations, &stations);
        for (station, line) in stations.iter().zip(lines) {
            pins.entry(station.address).or_insert((id, line));
        }
    }
    pins
}

/// A finding, where it stands, and the waivers that cover it.
#[derive(Debug, Clone)]
pub(super) struct Told {
    pub(super) finding: Finding,
    /// On a switch: the position of the port, and its role; `None`: on no switch.
    pub(super) on: Option<(Option<usize>, Option<String>)>,
    pub(super) usage: Usage,
}

/// The finding that something found comes to; none where the policy excuses it.
fn told_of(found: Found, policy: &Policy, as_of: &AsOf, read: &mut Read<'_>) -> Option<Told> {
    let Some(known) = found.2.switch.as_ref().and_then(|name| read.get(name)) else {
        let (check, level, found) = found;
        return Some(Told { finding: nowhere(check, level, found.violation), on: None, usage: Usage::default() });
    };
    let resolved = &known.resolved;
    let roles = known.roles.get_or_init(|| assign_roles(policy, &resolved.switch, resolved.lists()));
    told_on(SwitchView::new(resolved, policy, roles, as_of), as_of, found, read)
}

/// The same on its switch.
pub(super) fn told_on(on: SwitchView<'_>, as_of: &AsOf, (check, _, found): Found, read: &mut Read<'_>) -> Option<Told> {
    let (resolved, policy) = (on.resolved(), on.policy());
    let port = found.port.as_deref().and_then(|name| resolved.switch.port_index(name));
    if port.is_some_and(|port| is_excused(on, port, &found.violation)) {
        return None;
    }
    let role = port.and_then(|p| policy.roles.get(on.assigned(p)?.role)).map(|r| r.name.as_str());
    let level = policy.level(check.id, role, check.level)?;
    let (violation, both) = match &found.sides {
        Some(sides) => {
            let other = read.get(&sides.other);
            sides.tell(resolved, other.as_ref().map(|other| &other.resolved), found.violation)
        }
        None => (found.violation, Vec::new()),
    };
    let violation = match found.station.and_then(|station| read.pin(resolved, port, station)) {
        Some((setting, line)) => Violation { settings: vec![setting], line, ..violation },
        None => violation,
    };
    let mut told = finding(check.into(), level, Subject { on, port }, violation);
    told.evidence.extend(both.into_iter().filter(|line| !told.evidence.contains(line)).collect::<Vec<_>>());
    for (place, id) in found.beside {
        let Some(other) = read.get(&place.switch) else { continue };
        let other = &other.resolved;
        let port = place.port.as_deref().and_then(|name| other.switch.port_index(name));
        let lines = match found.station.and_then(|station| read.pin(other, port, station)) {
            Some((id, Some(line))) => quoted_line(other, line, id).into_iter().collect(),
            _ => quoted(other, port, id),
        };
        told.evidence.extend(lines.into_iter().filter(|line| !told.evidence.contains(line)).collect::<Vec<_>>());
    }
    // The policy's line stands last.
    sorted::by_key(&mut told.evidence, |line| line.kind == EvidenceKind::Policy);
    let mut usage = Usage::default();
    waive(policy, as_of, &mut told, on, port, resolved.lists(), &mut usage);
    Some(Told { finding: told, on: Some((port, role.map(str::to_owned))), usage })
}
