//! A drill is played once for all ports of a switch that are alike in what it asks. Most drills ask little of what is written for a
//! port: where no two ports are alike in everything, many still are in that.

use std::borrow::Cow;
use std::cell::RefCell;
use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::Drill;
use super::asked::Known;
use super::drills::{RECOVERY, TRIPS, ways_back};
use super::noted::Noted;
use super::rehearse::{Rehearsed, Rehearser};
use crate::policy::Assigned;

/// How drills ended on the ports of one switch.
#[derive(Default)]
pub(super) struct Ends {
    /// By drill and role.
    of: RefCell<FxHashMap<(&'static str, Option<Assigned>), Asked>>,
    /// Room for what tells a port apart: it is asked for each drill on each port.
    key: RefCell<Vec<(u16, u32)>>,
}

/// What tells a port apart: settings, and numbers of what is in force.
type Key = Box<[(u16, u32)]>;

/// How one drill ended on ports of one role. Two ports may change places where all that was asked is alike on both, and then it
/// ends on either as it ended on the other.
#[derive(Default)]
struct Asked {
    /// What some run asked, of whatever port.
    noted: Noted,
    /// By what tells a port apart in it, how it ended there; none: it makes no sense.
    ends: FxHashMap<Key, Option<Arc<Rehearsed>>>,
}

impl Rehearser<'_> {
    /// Plays every drill that is wanted on a port, or takes how it ended on one that is like it in what the drill asks. No story is
    /// told: it would be that of the other port.
    pub fn play_alike(&self, port: usize, wanted: impl Fn(&Drill) -> bool) -> Vec<Arc<Rehearsed>> {
        let mut ends = Vec::new();
        for drill in super::all().iter().filter(|drill| wanted(drill)) {
            ends.extend(self.end(port, drill, &ends));
        }
        ends
    }

    /// How a drill ends on a port. `before`: how others ended there.
    fn end(&self, port: usize, drill: &'static Drill, before: &[Arc<Rehearsed>]) -> Option<Arc<Rehearsed>> {
        if drill.name == RECOVERY.name
            && !self.is_apart(port)
            && let Ok(end) = self.comes_back(port, drill, before)
        {
            return end;
        }
        let mut ends = self.ends.of.borrow_mut();
        // What sets a port apart is no setting of it.
        if self.is_apart(port) {
            return self.play_noting_one(port, drill).0.map(Arc::new);
        }
        let asked = ends.entry((drill.name, self.assigned(port))).or_default();
        let mut key = self.ends.key.borrow_mut();
        self.tell_apart(port, asked.noted, &mut key);
        if let Some(end) = asked.ends.get(&**key) {
            return end.clone();
        }
        let (end, noted) = self.play_noting_one(port, drill);
        let end = end.map(Arc::new);
        let Some(noted) = noted else { return end };
        let more = asked.noted.union(noted);
        if more != asked.noted {
            // What was told apart by less may be unlike now.
            *asked = Asked { noted: more, ..Asked::default() };
            self.tell_apart(port, more, &mut key);
        }
        asked.ends.insert((**key).into(), end.clone());
        end
    }

    /// What tells a port apart in a drill that asked so much: whether there is another like it in everything, to which a cable may lead,
    /// and what is in force there.
    fn tell_apart(&self, port: usize, noted: Noted, key: &mut Vec<(u16, u32)>) {
        key.clear();
        key.push((u16::MAX, u32::from(self.has_twin(port))));
        noted.tell_apart(self.row(port), self.apart(port), key);
    }

    /// How the port comes back is told by how the drills ended that may take it down: none is played for it again.
    fn comes_back(
        &self,
        port: usize,
        drill: &'static Drill,
        before: &[Arc<Rehearsed>],
    ) -> Known<Option<Arc<Rehearsed>>> {
        let ends = TRIPS.each_ref().map(|trip| {
            let before = before.iter().find(|end| end.drill.name == trip.name).map(Arc::clone);
            let one = || super::all().iter().find(|one| one.name == trip.name);
            before.or_else(|| self.end(port, one()?, &[]))
        });
        let ended = ends.iter().map(|end| match end {
            Some(end) => end.open.map_or_else(|| Ok(Some(Cow::Borrowed(&end.told))), Err),
            None => Ok(None),
        });
        let told = ways_back(TRIPS.iter().map(|trip| trip.name).zip(ended))?;
        Ok(told.map(|told| Arc::new(Rehearsed { drill, port, told, hangs: None, open: None })))
    }
}
