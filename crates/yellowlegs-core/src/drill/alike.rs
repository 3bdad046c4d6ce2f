//! A drill is played once for all ports of a switch that are alike in what it asks. Most drills ask little of what is written for a
//! port: where no two ports are alike in everything, many still are in that.

use std::cell::RefCell;
use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::Drill;
use super::asked::Known;
use super::drills::{RECOVERY, TRIPS, ways_back};
use super::rehearse::{Rehearsed, Rehearser};
use crate::model::SettingSet;
use crate::policy::Assigned;

/// How drills ended on the ports of one switch, by drill and role.
#[derive(Default)]
pub(super) struct Ends(RefCell<FxHashMap<(&'static str, Option<Assigned>), Asked>>);

/// Drills in which other ports have a part by their place: the first member of a VLAN sends, the first that hears is named. Of two
/// ports that are alike one comes before the other.
const BY_PLACE: &[&str] = &["tag-hop", "stream-join", "stream-leave", "two-receivers", "querier-loss"];

/// What a port is told by: whether there is another like it in everything, to which a cable may lead, and what is written for it.
type Key = (bool, Vec<(u16, u32)>);

/// How one drill ended on ports of one role. Two ports may change places where all that was asked is alike on both, and then it
/// ends on either as it ended on the other.
#[derive(Default)]
struct Asked {
    /// Every setting that some run asked, of whatever port.
    settings: SettingSet,
    /// By what is written of these for a port, how it ended there; none: it makes no sense.
    ends: FxHashMap<Key, Option<Arc<Rehearsed>>>,
}

impl Asked {
    fn of(&self, has_twin: bool, row: &[(u16, u32)]) -> Key {
        let mut of = Vec::with_capacity(row.len());
        of.extend(row.iter().filter(|(setting, _)| self.settings.has_port_setting(*setting)));
        (has_twin, of)
    }
}

impl Rehearser<'_> {
    /// Plays every drill that is wanted on a port, or takes how it ended on one that is like it in what the drill asks. No story is
    /// told: it would be that of the other port.
    pub fn play_alike(&self, port: usize, wanted: impl Fn(&Drill) -> bool) -> Vec<Arc<Rehearsed>> {
        super::all().iter().filter(|drill| wanted(drill)).filter_map(|drill| self.end(port, drill)).collect()
    }

    fn end(&self, port: usize, drill: &'static Drill) -> Option<Arc<Rehearsed>> {
        if drill.name == RECOVERY.name
            && !self.is_apart(port)
            && let Ok(end) = self.comes_back(port, drill)
        {
            return end;
        }
        let mut ends = self.ends.0.borrow_mut();
        // What sets a port apart is no setting of it.
        if self.is_apart(port) || BY_PLACE.contains(&drill.name) {
            return self.play_noting_one(port, drill).0.map(Arc::new);
        }
        let asked = ends.entry((drill.name, self.assigned(port))).or_default();
        let (has_twin, row) = (self.has_twin(port), self.row(port));
        if let Some(end) = asked.ends.get(&asked.of(has_twin, row)) {
            return end.clone();
        }
        let (end, settings) = self.play_noting_one(port, drill);
        let end = end.map(Arc::new);
        let more = asked.settings.union(settings);
        if more != asked.settings {
            // What was told apart by less may be unlike now.
            *asked = Asked { settings: more, ..Asked::default() };
        }
        asked.ends.insert(asked.of(has_twin, row), end.clone());
        end
    }

    /// How the port comes back is told by how the drills ended that may take it down: none is played for it again.
    fn comes_back(&self, port: usize, drill: &'static Drill) -> Known<Option<Arc<Rehearsed>>> {
        let ended = |trip: &Drill| {
            let Some(end) = super::all().iter().find(|one| one.name == trip.name).and_then(|one| self.end(port, one))
            else {
                return Ok(None);
            };
            end.open.map_or_else(|| Ok(Some(end.told.clone())), Err)
        };
        let told = ways_back(TRIPS.iter().map(|trip| (trip.name, ended(trip))))?;
        Ok(told.map(|told| Arc::new(Rehearsed { drill, port, told, hangs: None, open: None })))
    }
}
