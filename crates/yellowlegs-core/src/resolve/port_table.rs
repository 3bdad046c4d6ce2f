//! Which ports a switch has, as far as its text tells, in natural order.

use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use crate::dialect::{Captured, Dialect, NamedPorts, PortItem, PortRef, Reading, Statement};
use crate::model::{Fact, Mark, Switch, Torn, facts};
use crate::source::Source;

/// More ports than any switch has: what a hostile text could make of ranges ends here.
const MOST: usize = 16_384;

/// The ports, findable by their parts.
#[derive(Debug)]
pub(super) struct PortTable {
    /// In natural order of names: position is the port's number.
    named: Arc<NamedPorts>,
    /// Where each is spoken of first, and whether that is in a block of its own.
    places: Vec<Option<(Mark, bool)>>,
}

/// Ports that were found, each with where it is spoken of first, and whether that is in a block of its own.
type Found = FxHashMap<PortRef, Option<(Mark, bool)>>;

/// So many ports most switches have.
const MOST_HAVE: usize = 64;

/// Whether, of a range across parts, some line names ports of every part.
fn lie_between(found: &Found, from: PortRef, to: PortRef) -> bool {
    let inside = found.keys().filter(|port| (from..=to).contains(*port));
    let mut parts: Vec<u16> = inside.map(|port| port.part_that_differs(&from, &to)).collect();
    parts.sort_unstable();
    parts.dedup();
    let whole = from.part_that_differs(&from, &to)..=to.part_that_differs(&from, &to);
    parts.len() == whole.count()
}

impl PortTable {
    /// Gathers every port that a statement declares or is about; puts names and first places into the switch.
    pub(super) fn gather(
        dialect: &Dialect,
        source: &Source,
        reading: &Reading,
        told: &[Fact],
        switch: &mut Switch,
    ) -> Self {
        let mut across: Vec<(PortRef, PortRef, Mark)> = Vec::new();
        let mut found = Found::with_capacity_and_hasher(MOST_HAVE, rustc_hash::FxBuildHasher);
        let mut full = false;
        // Whether there was room for it. A block of the port's own says more of it than a range.
        let mut put = |found: &mut Found, port: PortRef, place: Option<(Mark, bool)>| {
            if found.len() >= MOST && !found.contains_key(&port) {
                full = true;
                return false;
            }
            let there = found.entry(port).or_insert(place);
            if place.is_some_and(|(_, own)| there.is_none_or(|(_, had)| own && !had)) {
                *there = place;
            }
            true
        };
        // Most lists are written again and again: the second time there is nothing new in them.
        let mut known: FxHashSet<(&[PortItem], bool)> = FxHashSet::default();
        for statement in &reading.statements {
            // Most rules name none.
            let Some(rule) = dialect.rules().get(statement.rule as usize).filter(|rule| rule.glance.names_ports) else {
                continue;
            };
            let about = rule.port_subjects().map(|hole| (hole, true));
            let named = rule.declares.iter().chain(&rule.used_by).map(|hole| (hole, false));
            for (hole, is_subject) in about.chain(named) {
                let Captured::Ports(items) = reading.captured(dialect, statement, hole) else { continue };
                if let [PortItem::One(port)] = &items[..] {
                    put(&mut found, *port, is_subject.then_some((statement.mark, true)));
                    continue;
                }
                if !known.insert((items, is_subject)) {
                    continue;
                }
                for item in items.iter() {
                    if let (PortItem::Range(from, to), None) = (item, item.along_last_part()) {
                        across.push((*from, *to, statement.mark));
                    }
                }
                for port in items.iter().flat_map(|item| item.along_last_part().into_iter().flatten()) {
                    if !put(&mut found, port, is_subject.then_some((statement.mark, false))) {
                        break;
                    }
                }
            }
        }
        // What the status or the power of is told exists, whether the configuration speaks of it or not.
        for kind in [facts::port_status::FACT, facts::power::FACT] {
            let of_kind = told.iter().filter(|fact| fact.kind == kind);
            let ports = of_kind.filter_map(|fact| dialect.lists().port(fact.port()?)).take(MOST);
            ports.for_each(|port| _ = found.entry(port).or_default());
        }
        // A misspelt line about ports still says that they are there.
        for (unread, at) in switch.unread.iter().zip(&reading.unread_at) {
            let context = at.context().unwrap_or_default();
            let items = super::doubt::ports_of_unread(dialect, source.text(), unread.mark, context);
            let named = items.iter().flat_map(|item| item.along_last_part().into_iter().flatten());
            for port in named.take(MOST.saturating_sub(found.len())) {
                found.entry(port).or_default().get_or_insert((unread.mark, false));
            }
        }
        for (from, to, mark) in across {
            if !lie_between(&found, from, to) {
                switch.torn.push((mark, Torn::Range));
            }
            for end in [from, to] {
                found.entry(end).or_default().get_or_insert((mark, false));
            }
        }
        if let (true, Some(statement)) = (full, reading.statements.first()) {
            switch.torn.push((statement.mark, Torn::Ports));
        }
        let mut ports: Vec<PortRef> = found.keys().copied().collect();
        ports.sort_unstable();
        let named = dialect.named_ports(ports);
        switch.ports.clone_from(&named.names);
        let places = named.ports.iter().map(|port| found.get(port).copied().flatten()).collect();
        let table = Self { named, places };
        switch.port_places = table.first_places();
        table
    }

    /// Where each port is spoken of first.
    pub(super) fn first_places(&self) -> Vec<Option<Mark>> {
        self.places.iter().map(|place| place.map(|(mark, _)| mark)).collect()
    }

    /// Whether nothing is new in the statements from one on: no port, and no block of its own of one that had none.
    pub(super) fn has_all(&self, dialect: &Dialect, reading: &Reading, from: usize) -> bool {
        let has = |statement: &Statement| {
            let Some(rule) = dialect.rules().get(statement.rule as usize) else { return true };
            let about = rule.port_subjects().map(|hole| (hole, true));
            let named = rule.declares.iter().chain(&rule.used_by).map(|hole| (hole, false));
            about.chain(named).all(|(hole, is_subject)| {
                let Captured::Ports(items) = reading.captured(dialect, statement, hole) else { return true };
                let own = matches!(&items[..], [PortItem::One(_)]);
                let is_there = |port: PortRef| {
                    let place = self.position(&port).map(|at| self.places[at]);
                    place.is_some_and(|place| !is_subject || place.is_some_and(|(_, its_own)| its_own || !own))
                };
                items.iter().all(|item| item.along_last_part().is_some_and(|mut ports| ports.all(is_there)))
            })
        };
        reading.statements.iter().skip(from).all(has)
    }

    /// Whether it has every port of an element of a list; of a range across parts, its ends.
    pub(super) fn knows(&self, item: &PortItem) -> bool {
        let has = |port: PortRef| self.named.index.contains_key(&port);
        match (item.along_last_part(), item) {
            (Some(mut ports), _) => ports.all(has),
            (None, PortItem::Range(from, to)) => has(*from) && has(*to),
            (None, PortItem::One(port)) => has(*port),
        }
    }

    /// A port by its number.
    pub(super) fn port(&self, port: usize) -> Option<PortRef> {
        self.named.ports.get(port).copied()
    }

    pub(super) fn len(&self) -> usize {
        self.named.ports.len()
    }

    /// Whether a list takes in a port.
    pub(super) fn takes(&self, items: &[PortItem], port: usize) -> bool {
        let Some(port) = self.named.ports.get(port) else { return false };
        items.iter().any(|item| match item {
            PortItem::One(one) => one == port,
            PortItem::Range(from, to) => (from..=to).contains(&port),
        })
    }

    /// The position of one port.
    pub(super) fn position(&self, port: &PortRef) -> Option<usize> {
        self.named.index.get(port).map(|i| *i as usize)
    }

    /// The positions of the ports of a list, in order, each once. Ranges across parts take the ports that are there.
    pub(super) fn positions(&self, items: &[PortItem]) -> Vec<usize> {
        let mut positions = Vec::new();
        for item in items {
            match (item.along_last_part(), item) {
                (Some(ports), _) => {
                    positions.extend(ports.filter_map(|port| self.position(&port)));
                }
                (None, PortItem::Range(from, to)) => {
                    let inside = self.named.ports.iter().enumerate().filter(|(_, port)| (from..=to).contains(port));
                    positions.extend(inside.map(|(i, _)| i));
                }
                (None, PortItem::One(_)) => {}
            }
        }
        positions.sort_unstable();
        positions.dedup();
        positions
    }
}
