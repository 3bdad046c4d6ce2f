//! What the cables that carry a VLAN join, walked once for each set of cables: who is together, how far it is to a server, and what stays
//! together when one switch is taken out.

use std::cell::RefCell;
use std::collections::{HashMap, VecDeque};
use std::ops::Range;
use std::rc::Rc;

/// Distances that are kept at most, in all.
const KEPT: usize = 8_000_000;

/// Nobody gets there.
const NEVER: u32 = u32::MAX;

/// The switches in the order in which a walk in depth comes by them: what is joined stands together, and behind each switch what the walk
/// reached through it.
#[derive(Debug)]
pub(in crate::check) struct Joined {
    /// By switch: its place in the order.
    place: Vec<u32>,
    /// The switches in that order.
    order: Vec<u32>,
    /// By place: the end of what was reached through it.
    end: Vec<u32>,
    /// By place: the first place that it, or what was reached through it, has a cable to.
    low: Vec<u32>,
    /// By place: where what is joined with it begins.
    begin: Vec<u32>,
    /// By place: the other ends of its cables, as places.
    beside: Vec<Vec<u32>>,
    distances: RefCell<Distances>,
}

/// By the place of a switch: how far it is there, from `begin` on.
#[derive(Debug, Default)]
struct Distances {
    known: HashMap<u32, Rc<[u32]>>,
    kept: usize,
}

/// What is still joined with a switch when another is gone: places in a range, but for some.
#[derive(Debug)]
pub(in crate::check) struct Behind {
    within: Range<u32>,
    without: Vec<Range<u32>>,
}

impl Behind {
    /// How many of some switches there are among what is left.
    pub(in crate::check) fn count(&self, counts: &[u32]) -> u32 {
        let of = |range: &Range<u32>| counts[range.end as usize] - counts[range.start as usize];
        of(&self.within) - self.without.iter().map(of).sum::<u32>()
    }
}

impl Joined {
    /// Of so many switches and the cables between them.
    pub(super) fn of(switches: usize, cables: impl Iterator<Item = (usize, usize)>) -> Self {
        let mut beside: Vec<Vec<u32>> = vec![Vec::new(); switches];
        for (a, b) in cables.filter(|(a, b)| a != b) {
            beside[a].push(b as u32);
            beside[b].push(a as u32);
        }
        let mut walk = Self {
            place: vec![NEVER; switches],
            order: Vec::with_capacity(switches),
            end: vec![0; switches],
            low: vec![0; switches],
            begin: vec![0; switches],
            beside: Vec::new(),
            distances: RefCell::default(),
        };
        (0..switches).for_each(|switch| walk.walk(switch, &beside));
        let mut places = vec![Vec::new(); switches];
        for (switch, others) in beside.into_iter().enumerate() {
            let others = others.into_iter().map(|other| walk.place[other as usize]).collect();
            places[walk.place[switch] as usize] = others;
        }
        walk.beside = places;
        walk
    }

    /// Walks what is joined with a switch, if nobody was there.
    fn walk(&mut self, root: usize, beside: &[Vec<u32>]) {
        if self.place[root] != NEVER {
            return;
        }
        let begin = self.order.len() as u32;
        // Switches on the way, each with its place, that of the one before, and how many of its cables were followed.
        let mut way: Vec<(usize, u32, u32, usize)> = Vec::new();
        let mut next = Some((root, NEVER));
        loop {
            if let Some((switch, from)) = next.take() {
                let place = self.order.len() as u32;
                self.place[switch] = place;
                self.order.push(switch as u32);
                self.begin[place as usize] = begin;
                self.low[place as usize] = place;
                way.push((switch, place, from, 0));
            }
            let Some((switch, place, from, followed)) = way.last_mut() else { break };
            let (at, before) = (*place as usize, *from);
            match beside[*switch].get(*followed) {
                Some(other) => {
                    *followed += 1;
                    match self.place[*other as usize] {
                        NEVER => next = Some((*other as usize, at as u32)),
                        there => self.low[at] = self.low[at].min(there),
                    }
                }
                None => {
                    self.end[at] = self.order.len() as u32;
                    way.pop();
                    if before != NEVER {
                        self.low[before as usize] = self.low[before as usize].min(self.low[at]);
                    }
                }
            }
        }
    }

    fn place(&self, switch: usize) -> u32 {
        self.place.get(switch).copied().unwrap_or(NEVER)
    }

    fn all(&self, switch: usize) -> Range<u32> {
        let begin = self.begin[self.place(switch) as usize];
        begin..self.end[begin as usize]
    }

    /// Where what is joined with a switch begins: the same for all of them, another for others.
    pub(in crate::check) fn group(&self, switch: usize) -> u32 {
        self.all(switch).start
    }

    /// The switches that are joined with one, itself among them, in the walk's order.
    pub(in crate::check) fn members(&self, switch: usize) -> impl Iterator<Item = usize> + '_ {
        self.all(switch).map(|place| self.order[place as usize] as usize)
    }

    /// How far it is from a switch to another; `None`: nothing leads there.
    pub(in crate::check) fn distance(&self, from: usize, to: usize) -> Option<u32> {
        let (all, place) = (self.all(to), self.place(from));
        let known = self.distances.borrow().known.get(&self.place(to)).map(Rc::clone);
        let distances = known.unwrap_or_else(|| self.measured(to));
        let found = all.contains(&place).then(|| distances[(place - all.start) as usize]);
        found.filter(|distance| *distance != NEVER)
    }

    /// A search in breadth from a switch.
    fn measured(&self, to: usize) -> Rc<[u32]> {
        let all = self.all(to);
        let mut distances = vec![NEVER; all.len()];
        let mut next = VecDeque::from([self.place(to)]);
        distances[(self.place(to) - all.start) as usize] = 0;
        while let Some(place) = next.pop_front() {
            let so_far = distances[(place - all.start) as usize];
            for other in &self.beside[place as usize] {
                let distance = &mut distances[(*other - all.start) as usize];
                if *distance == NEVER {
                    *distance = so_far + 1;
                    next.push_back(*other);
                }
            }
        }
        let distances: Rc<[u32]> = distances.into();
        let mut kept = self.distances.borrow_mut();
        if kept.kept + all.len() > KEPT {
            *kept = Distances::default();
        }
        kept.kept += all.len();
        kept.known.insert(self.place(to), Rc::clone(&distances));
        distances
    }

    /// What is joined with a switch once another is gone.
    pub(in crate::check) fn behind(&self, switch: usize, gone: usize) -> Behind {
        let (all, place, gone) = (self.all(switch), self.place(switch), self.place(gone));
        if !all.contains(&gone) || gone == place {
            return Behind { within: all, without: Vec::new() };
        }
        // What the walk reached through the one that is gone falls off where no cable leads back before it.
        let end = self.end[gone as usize];
        let mut off = Vec::new();
        let mut next = gone + 1;
        while next < end {
            let part = next..self.end[next as usize];
            next = part.end;
            if self.low[part.start as usize] >= gone {
                if part.contains(&place) {
                    return Behind { within: part, without: Vec::new() };
                }
                off.push(part);
            }
        }
        off.push(gone..gone + 1);
        Behind { within: all, without: off }
    }

    /// Counts of some switches for [`Behind::count`], by place: each with all before it.
    pub(in crate::check) fn counts(&self, is: impl Fn(usize) -> bool) -> Vec<u32> {
        let mut so_far = 0;
        let ends = self.order.iter().map(|switch| {
            so_far += u32::from(is(*switch as usize));
            so_far
        });
        [0].into_iter().chain(ends).collect()
    }

    /// Whether a switch is among what is left.
    pub(in crate::check) fn is_behind(&self, behind: &Behind, switch: usize) -> bool {
        let place = self.place(switch);
        behind.within.contains(&place) && !behind.without.iter().any(|off| off.contains(&place))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeSet;

    /// Everything that is reached from a switch, without another, and how far it is: a search that knows nothing of the walk.
    fn reached(cables: &[(usize, usize)], from: usize, without: Option<usize>) -> Vec<(usize, u32)> {
        let mut found = vec![(from, 0)];
        let mut at = 0;
        while let Some((switch, distance)) = found.get(at).copied() {
            at += 1;
            let ends = cables.iter().flat_map(|(a, b)| [(*a, *b), (*b, *a)]).filter(|(a, _)| *a == switch);
            for (_, other) in ends.collect::<Vec<_>>() {
                if Some(other) != without && !found.iter().any(|(known, _)| *known == other) {
                    found.push((other, distance + 1));
                }
            }
        }
        found
    }

    proptest! {
        #[test]
        fn the_walk_says_what_a_search_finds(
            cables in proptest::collection::vec((0_usize..12, 0_usize..12), 0..24),
            marked in proptest::collection::btree_set(0_usize..12, 0..6),
        ) {
            let joined = Joined::of(12, cables.iter().copied());
            let counts = joined.counts(|switch| marked.contains(&switch));
            for from in 0..12 {
                let all: BTreeSet<usize> = reached(&cables, from, None).into_iter().map(|one| one.0).collect();
                prop_assert_eq!(joined.members(from).collect::<BTreeSet<_>>(), all.clone());
                for to in 0..12 {
                    prop_assert_eq!(joined.group(from) == joined.group(to), all.contains(&to));
                    let distance = reached(&cables, to, None).into_iter().find(|one| one.0 == from).map(|one| one.1);
                    prop_assert_eq!(joined.distance(from, to), distance);
                    if from == to {
                        continue;
                    }
                    let behind = joined.behind(from, to);
                    let left: BTreeSet<usize> = reached(&cables, from, Some(to)).into_iter().map(|one| one.0).collect();
                    let told: BTreeSet<usize> = (0..12).filter(|switch| joined.is_behind(&behind, *switch)).collect();
                    prop_assert_eq!(&told, &left, "from {} without {}", from, to);
                    prop_assert_eq!(behind.count(&counts), left.intersection(&marked).count() as u32);
                }
            }
        }
    }

    /// A chain of many switches is walked without a stack that grows.
    #[test]
    fn a_long_chain() {
        let joined = Joined::of(200_000, (1..200_000).map(|switch| (switch - 1, switch)));
        assert_eq!(joined.distance(199_999, 0), Some(199_999));
        let behind = joined.behind(100_001, 100_000);
        assert!(joined.is_behind(&behind, 199_999) && !joined.is_behind(&behind, 0));
    }
}
