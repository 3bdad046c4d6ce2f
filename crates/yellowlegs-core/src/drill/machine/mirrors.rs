//! Mirrors: what was received before anything drops it, and what is sent after the tag rules, once more at the target.

use std::collections::BTreeMap;
use std::rc::Rc;
use std::sync::{Arc, LazyLock};

use super::Machine;
use crate::drill::asked::{Asked, Hang, Known};
use crate::model::{
    Direction, Key, Scope, SettingId, SettingSet, SettingType, Slot, VlanId, VlanSet, platform, settings,
};
use crate::sorted;

/// A copy that a mirror makes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Copied {
    /// The session.
    pub session: Arc<str>,
    /// The port that was copied.
    pub of: usize,
    /// Whether it was received there; else it was sent.
    pub received: bool,
    /// The port it goes to.
    pub to: usize,
    /// Its tags.
    pub tags: Vec<u16>,
}

/// A session that is active.
#[derive(Debug, Clone)]
pub struct Session {
    /// Its name.
    pub name: Arc<str>,
    /// What is copied: ports with their directions.
    pub sources: BTreeMap<usize, Direction>,
    /// VLANs of which everything received is copied.
    pub vlans: Arc<VlanSet>,
    /// Where to.
    pub target: Option<usize>,
}

fn get<T: SettingType>(slots: &BTreeMap<SettingId, Slot>, key: Key<T>) -> Option<T> {
    T::read(slots.get(&key.id)?.value.as_ref()?)
}

/// All active sessions of a switch, and which of them copy what.
#[derive(Debug)]
pub(super) struct Sessions {
    pub(super) all: Rc<[Session]>,
    /// By port, the positions of the sessions that name it as a source.
    of_port: BTreeMap<usize, Vec<usize>>,
    /// Those that copy VLANs.
    of_vlans: Vec<usize>,
}

impl Sessions {
    pub(super) fn of(all: Vec<Session>) -> Self {
        let mut of_port: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        for (at, session) in all.iter().enumerate() {
            session.sources.keys().for_each(|port| of_port.entry(*port).or_default().push(at));
        }
        let of_vlans = (0..all.len()).filter(|at| !all[*at].vlans.is_empty()).collect();
        Self { all: all.into(), of_port, of_vlans }
    }

    /// Those that may copy what a port receives or sends, in their order.
    fn at(&self, port: usize) -> impl Iterator<Item = &Session> {
        let own = self.of_port.get(&port).map_or(&[][..], Vec::as_slice);
        let mut at: Vec<usize> = own.iter().chain(&self.of_vlans).copied().collect();
        at.sort_unstable();
        at.dedup();
        at.into_iter().map(|at| &self.all[at])
    }
}

/// What the copies of every frame hang on.
pub(super) static SETTINGS: LazyLock<SettingSet> = LazyLock::new(|| SettingId::of(Scope::Mirror).collect());

/// The active sessions; or what nobody knows of one.
pub(super) fn sessions(asked: &Asked<'_>) -> Known<Vec<Session>> {
    let switch = asked.switch();
    let mut sessions = Vec::new();
    for (name, slots) in switch.mirrors() {
        let enabled = get(slots, settings::MIRROR_ENABLED);
        if !enabled.ok_or(Hang::fact(settings::MIRROR_ENABLED.id.name()))? {
            continue;
        }
        let sources = get(slots, settings::MIRROR_SOURCES).unwrap_or_default();
        let vlans = get(slots, settings::MIRROR_VLANS).unwrap_or_default();
        let can = vlans.is_empty() || asked.platform(platform::VLAN_MIRROR, "yes")?;
        sessions.push(Session {
            name: Arc::clone(name),
            sources: sorted::tree_map(sources.iter().filter_map(|(port, way)| Some((switch.port_index(port)?, *way)))),
            vlans: if can { vlans } else { Arc::default() },
            target: get(slots, settings::MIRROR_TARGET).flatten().and_then(|port| switch.port_index(&port)),
        });
    }
    Ok(sessions)
}

impl Machine<'_> {
    /// The mirror sessions that are active.
    pub fn sessions(&self) -> Known<Rc<[Session]>> {
        self.of_all.sessions(&self.asked).map(|sessions| Rc::clone(&sessions.all))
    }

    /// The copies made since they were last taken.
    pub fn take_copies(&mut self) -> Vec<Copied> {
        std::mem::take(&mut self.copies)
    }

    /// Whether anything is copied at all: on most switches nothing is.
    pub(super) fn is_mirrored(&self) -> bool {
        self.of_all.sessions(&self.asked).is_ok_and(|sessions| !sessions.all.is_empty())
    }

    /// Copies a frame that was received on a port or is sent by it, in a VLAN where that is known.
    pub(super) fn copy(&mut self, port: usize, received: bool, vlan: Option<VlanId>, tags: &[u16]) {
        let Ok(sessions) = self.of_all.sessions(&self.asked) else { return };
        for session in sessions.at(port) {
            let wanted = session.sources.get(&port).is_some_and(|way| match way {
                Direction::Both => true,
                Direction::Received => received,
                Direction::Sent => !received,
            });
            let of_vlan = received && vlan.is_some_and(|vlan| session.vlans.contains(vlan));
            let Some(to) = session.target.filter(|to| *to != port && (wanted || of_vlan)) else { continue };
            let again = self.manner.copies_inside && self.copies.iter().any(|copy| copy.session == session.name);
            if !again && self.ports.get(to).is_some_and(|target| target.link && target.held.is_none()) {
                let session = Arc::clone(&session.name);
                self.copies.push(Copied { session, of: port, received, to, tags: tags.to_vec() });
            }
        }
    }
}
