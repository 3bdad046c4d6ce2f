//! In which order changes are made: what has to be there first, and why.

use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap};
use std::sync::Arc;

use super::Change;
use crate::model::{SettingId, settings};
use crate::resolve::About;
use crate::sorted;

/// Which way a setting goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Way {
    /// On, or to some value; a list takes in.
    On,
    /// Off, or to none; a list gives away.
    Off,
    /// Any.
    Either,
}

/// How far one change has to be from another to matter to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Within {
    /// On one port.
    Port,
    /// On one switch.
    Switch,
    /// Anywhere among the switches that cables join.
    Fleet,
}

/// Some changes have to be there before others.
pub struct Dependency {
    /// Its name.
    pub name: &'static str,
    /// What comes first.
    pub first: &'static [(SettingId, Way)],
    /// What comes after it.
    pub then: &'static [(SettingId, Way)],
    /// How near to each other.
    pub within: Within,
    /// Why.
    pub because: &'static str,
    /// Time has to pass between them: what for.
    pub wait: Option<&'static str>,
}

use Way::{Either, Off, On};

const SNOOPED: &[(SettingId, Way)] = &[(settings::SNOOPING.id, On), (settings::SNOOPING_VLANS.id, On)];
const MEMBERSHIP: &[(SettingId, Way)] = &[
    (settings::ACCESS_VLAN.id, On),
    (settings::NATIVE_VLAN.id, On),
    (settings::VOICE_VLAN.id, On),
    (settings::TAGGED_VLANS.id, On),
];
const GUARDED: &[(SettingId, Way)] =
    &[(settings::INSPECTION.id, On), (settings::INSPECTION_VLANS.id, On), (settings::SOURCE_GUARD.id, On)];

/// What has to be there first. A row that is taken out lets some plan break what worked: a test holds each to that.
pub static DEPENDENCIES: &[Dependency] = &[
    Dependency {
        name: "vlan-before-use",
        first: &[(settings::VLANS.id, On)],
        then: MEMBERSHIP,
        within: Within::Switch,
        because: "a port in a VLAN that the switch does not have carries nothing",
        wait: None,
    },
    Dependency {
        name: "way-before-move",
        first: &[(settings::TAGGED_VLANS.id, On), (settings::VLANS.id, On)],
        then: &[(settings::ACCESS_VLAN.id, On), (settings::VOICE_VLAN.id, On), (settings::TAGGED_VLANS.id, Off)],
        within: Within::Fleet,
        because: "who is moved into a VLAN reaches its servers only over trunks that carry it",
        wait: None,
    },
    Dependency {
        name: "room-before-security",
        first: &[(settings::LIMIT.id, Either)],
        then: &[(settings::PORT_SECURITY.id, On), (settings::VOICE_VLAN.id, On)],
        within: Within::Port,
        because: "with a limit below the stations that belong there, the first of them too many is shut out, or the port is",
        wait: None,
    },
    Dependency {
        name: "trust-before-snooping",
        first: &[(settings::SNOOPING_TRUSTED.id, On), (settings::RELAY_ACCEPTED.id, On)],
        then: SNOOPED,
        within: Within::Fleet,
        because: "the answers of the real server are dropped at the first port on the way that is not trusted",
        wait: None,
    },
    Dependency {
        name: "bindings-before-guard",
        first: SNOOPED,
        then: GUARDED,
        within: Within::Switch,
        because: "source guard and ARP inspection let in who has a binding, and bindings are gathered as leases are renewed",
        wait: Some("one lease time, so that every client has asked again"),
    },
    Dependency {
        name: "trust-before-inspection",
        first: &[(settings::INSPECTION_TRUSTED.id, On)],
        then: &[(settings::INSPECTION.id, On), (settings::INSPECTION_VLANS.id, On)],
        within: Within::Switch,
        because: "ARP from beyond an uplink has no binding here",
        wait: None,
    },
    Dependency {
        name: "querier-before-snooping",
        first: &[
            (settings::QUERIER.id, On),
            (settings::VLAN_QUERIER_ADDRESS.id, On),
            (settings::QUERIER_ADDRESS.id, On),
        ],
        then: &[
            (settings::MULTICAST.id, On),
            (settings::MULTICAST_VLANS.id, On),
            (settings::FILTERING.id, On),
            (settings::QUERIER.id, Off),
        ],
        within: Within::Fleet,
        because: "where nobody asks for memberships they end, and the streams with them",
        wait: None,
    },
    Dependency {
        name: "edges-before-tree",
        first: &[(settings::FAST_START.id, On)],
        then: &[(settings::TREE.id, On), (settings::TREE_ON_PORT.id, On), (settings::TREE_OFF_VLANS.id, Off)],
        within: Within::Switch,
        because: "a host on a port that is no edge waits until the tree has listened and learned",
        wait: None,
    },
];

/// What is right on one port only together: between one and the other a port in a mode has not its VLANs, or a phone is told a VLAN
/// that the port does not take.
pub(super) static TOGETHER: &[&[SettingId]] = &[
    &[settings::MODE.id, settings::TAGGED_VLANS.id, settings::ACCESS_VLAN.id, settings::NATIVE_VLAN.id],
    &[settings::VOICE_VLAN.id, settings::VOICE_ANNOUNCED.id, settings::VOICE_ANNOUNCED_VLAN.id],
];

/// What practitioners do first, where nothing breaks otherwise: the lower comes first.
const HABIT: &[(SettingId, Way)] = &[
    (settings::MIRROR_ENABLED.id, Off),
    (settings::ROOT_GUARD.id, Off),
    (settings::PORT_SECURITY.id, Off),
    (settings::VLANS.id, On),
    (settings::DYNAMIC_VLAN.id, Off),
    (settings::MODE.id, Either),
    (settings::TAGGED_VLANS.id, Either),
    (settings::NATIVE_VLAN.id, Either),
    (settings::ACCESS_VLAN.id, Either),
    (settings::VOICE_VLAN.id, Either),
    (settings::FAST_START.id, Either),
    (settings::BPDU_FILTER.id, Off),
    (settings::BPDU_GUARD.id, Either),
    (settings::TREE_PROTOCOL.id, Either),
    (settings::LIMIT.id, Either),
    (settings::ACTION.id, Either),
    (settings::PINNING.id, Either),
    (settings::AGING.id, Either),
    (settings::PORT_SECURITY.id, On),
    (settings::SNOOPING_TRUSTED.id, Either),
    (settings::RELAY_ACCEPTED.id, Either),
    (settings::SNOOPING_VLANS.id, Either),
    (settings::SNOOPING.id, Either),
    (settings::SNOOPING_RATE.id, Either),
    (settings::INSPECTION_TRUSTED.id, Either),
    (settings::QUERIER.id, On),
    (settings::MULTICAST_VLANS.id, Either),
    (settings::MULTICAST.id, Either),
    (settings::FILTERING.id, Either),
    (settings::QUERIER.id, Off),
    (settings::UNIDIRECTIONAL.id, Either),
];

/// A change in its place.
#[derive(Clone)]
pub struct Ordered {
    /// Which of the changes.
    pub change: usize,
    /// In which phase: between two of them time has to pass.
    pub phase: usize,
    /// Changes of one block are made together, one right after the other.
    pub block: usize,
    /// The changes that had to be there before it, each group with the row that says so.
    pub after: Vec<(&'static Dependency, Arc<[usize]>)>,
}

/// Changes of which each has to be there before the next, and the first after the last.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cycle {
    /// Which of the changes.
    pub changes: Vec<usize>,
}

impl Change {
    /// Whether a setting goes this way.
    fn goes(&self, (setting, way): (SettingId, Way)) -> bool {
        self.setting == setting
            && match way {
                Way::Either => true,
                Way::On => self.gains(),
                Way::Off => self.loses(),
            }
    }

    /// Whether something is there afterwards that was not.
    fn gains(&self) -> bool {
        let off = self.setting.info().kind.off();
        self.from.values().any(|from| match from.as_ref() {
            Some(from) if self.setting.info().kind.is_list() => {
                self.to.minus(from).is_some_and(|more| Some(more) != off)
            }
            _ => Some(&self.to) != off.as_ref(),
        })
    }

    /// Whether something is gone afterwards.
    fn loses(&self) -> bool {
        let off = self.setting.info().kind.off();
        self.from.values().any(|from| match from.as_ref() {
            Some(from) if self.setting.info().kind.is_list() => {
                from.minus(&self.to).is_some_and(|less| Some(less) != off)
            }
            _ => Some(&self.to) == off.as_ref(),
        })
    }

    /// Where two changes have to meet for a row to matter.
    fn scopes(&self, within: Within, lie: &dyn Fn(&str) -> Lie) -> Vec<Scope> {
        let switch = Arc::clone(&self.switch);
        match within {
            Within::Fleet => vec![Scope::Island(lie(&switch).island)],
            Within::Switch => vec![Scope::Switch(switch)],
            Within::Port => self.from.keys().map(|about| Scope::Thing(Arc::clone(&switch), about.clone())).collect(),
        }
    }
}

/// Where a row's two sides meet.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum Scope {
    Island(usize),
    Switch(Arc<str>),
    Thing(Arc<str>, About),
}

/// Where a switch lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Lie {
    /// How many cables away from where the engineer comes in.
    pub distance: usize,
    /// Which of the parts of the fleet that no cable joins.
    pub island: usize,
}

/// The changes in an order in which each comes after what it needs; within that, switches that are farther from the way in
/// first, and on each switch as practitioners go. `lie`: of a switch.
pub fn ordered(
    changes: &[Change],
    rows: &[&'static Dependency],
    lie: &dyn Fn(&str) -> Lie,
) -> Result<Vec<Ordered>, Cycle> {
    let blocks = Blocks::of(changes, lie);
    // A knot for each row and place: what has to be there leads into it, what needs that leads out of it.
    let mut knots: Vec<Knot> = Vec::new();
    for row in rows {
        let side = |side: &[(SettingId, Way)]| {
            let mut found: BTreeMap<Scope, Vec<usize>> = BTreeMap::new();
            for (number, change) in changes.iter().enumerate() {
                if side.iter().any(|of| change.goes(*of)) {
                    let scopes = change.scopes(row.within, lie).into_iter();
                    scopes.for_each(|scope| found.entry(scope).or_default().push(number));
                }
            }
            found
        };
        let mut then = side(row.then);
        for (scope, first) in side(row.first) {
            // What is of both kinds waits for nothing of its own kind.
            let before = blocks.holding(&first);
            let mut later = then.remove(&scope).unwrap_or_default();
            later.retain(|number| !before.contains(&blocks.of[*number]));
            if !later.is_empty() {
                let after = blocks.holding(&later);
                knots.push(Knot { row, first: first.into(), before, later, after });
            }
        }
    }
    let habit = |change: &Change| HABIT.iter().position(|of| change.goes(*of)).unwrap_or(HABIT.len());
    let key = |block: usize, phase: usize| {
        let first = blocks.changes[block].iter().map(|number| (habit(&changes[*number]), *number)).min();
        let switch = first.map(|(_, number)| Arc::clone(&changes[number].switch)).unwrap_or_default();
        Reverse((phase, Reverse(lie(&switch).distance), switch, first, block))
    };
    let count = blocks.changes.len();
    let (mut into, mut out) = (vec![Vec::new(); count], vec![0; count]);
    let mut waits = vec![Vec::new(); changes.len()];
    for (number, knot) in knots.iter().enumerate() {
        knot.later.iter().for_each(|change| waits[*change].push(number));
        knot.before.iter().for_each(|block| into[*block].push(number));
        knot.after.iter().for_each(|block| out[*block] += 1);
    }
    let mut open: Vec<usize> = knots.iter().map(|knot| knot.before.len()).collect();
    let mut phases = vec![1; count];
    let mut ready: BinaryHeap<_> = (0..count).filter(|block| out[*block] == 0).map(|block| key(block, 1)).collect();
    let mut order = Vec::with_capacity(changes.len());
    while let Some(Reverse((phase, _, _, _, block))) = ready.pop() {
        let mut of_block = blocks.changes[block].clone();
        sorted::by_key(&mut of_block, |number| (habit(&changes[*number]), *number));
        for change in of_block {
            let after = waits[change].iter().filter_map(|knot: &usize| knots.get(*knot));
            let after = after.map(|knot| (knot.row, Arc::clone(&knot.first))).collect();
            order.push(Ordered { change, phase, block, after });
        }
        for knot in &into[block] {
            open[*knot] -= 1;
            let Knot { row, before, after, .. } = &knots[*knot];
            if open[*knot] > 0 {
                continue;
            }
            let opens = before.iter().map(|block| phases[*block]).max().unwrap_or(1) + usize::from(row.wait.is_some());
            for block in after {
                phases[*block] = phases[*block].max(opens);
                out[*block] -= 1;
                if out[*block] == 0 {
                    ready.push(key(*block, phases[*block]));
                }
            }
        }
    }
    if order.len() < changes.len() {
        let stuck = (0..changes.len()).filter(|number| out[blocks.of[*number]] > 0);
        return Err(Cycle { changes: stuck.collect() });
    }
    Ok(order)
}

/// Where a row holds changes apart.
struct Knot {
    row: &'static Dependency,
    /// The changes that come first, and the blocks that they are in.
    first: Arc<[usize]>,
    before: sorted::Set<usize>,
    /// Those that come later.
    later: Vec<usize>,
    after: sorted::Set<usize>,
}

/// Changes that are made together.
struct Blocks {
    /// Of each change, its block.
    of: Vec<usize>,
    changes: Vec<Vec<usize>>,
}

impl Blocks {
    fn of(changes: &[Change], lie: &dyn Fn(&str) -> Lie) -> Self {
        // Each leads to another of its block, the last to itself.
        let mut of: Vec<usize> = (0..changes.len()).collect();
        let last = |of: &mut Vec<usize>, mut number: usize| {
            while of[number] != number {
                of[number] = of[of[number]];
                number = of[number];
            }
            number
        };
        for together in TOGETHER {
            let mut met: BTreeMap<Scope, usize> = BTreeMap::new();
            for number in (0..changes.len()).filter(|number| together.contains(&changes[*number].setting)) {
                for scope in changes[number].scopes(Within::Port, lie) {
                    let other = *met.entry(scope).or_insert(number);
                    let (own, other) = (last(&mut of, number), last(&mut of, other));
                    of[own] = other;
                }
            }
        }
        let mut of: Vec<usize> = (0..changes.len()).map(|number| last(&mut of, number)).collect();
        let mut numbers: BTreeMap<usize, usize> = BTreeMap::new();
        let mut members: Vec<Vec<usize>> = Vec::new();
        for (number, block) in of.iter_mut().enumerate() {
            *block = *numbers.entry(*block).or_insert_with(|| {
                members.push(Vec::new());
                members.len() - 1
            });
            members[*block].push(number);
        }
        Self { of, changes: members }
    }

    fn holding(&self, changes: &[usize]) -> sorted::Set<usize> {
        sorted::set(changes.iter().map(|change| self.of[*change]))
    }
}
