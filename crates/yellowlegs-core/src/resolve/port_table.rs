//! Which ports a switch has, as far as its text tells, in natural order.

use rustc_hash::{FxHashMap, FxHashSet};

use crate::dialect::{Captured, Dialect, PortItem, PortRef, Reading};
use crate::model::{Fact, Mark, PortName, Switch, Torn, facts};
use crate::source::Source;

/// More ports than any switch has: what a hostile text could make of ranges ends here.
const MOST: usize = 16_384;

/// The ports, findable by their parts.
#[derive(Debug)]
pub(super) struct PortTable {
    /// In natural order of names: position is the port's number.
    refs: Vec<PortRef>,
    index: FxHashMap<PortRef, u32>,
}

/// Whether, of a range across parts, some line names ports of every part.
fn lie_between(found: &FxHashSet<PortRef>, from: PortRef, to: PortRef) -> bool {
    let inside = found.iter().filter(|port| (from..=to).contains(*port));
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
        let mut found: FxHashSet<PortRef> = FxHashSet::default();
        // A block of the port's own says more of it than a range.
        let mut places: FxHashMap<PortRef, (Mark, bool)> = FxHashMap::default();
        let mut full = false;
        // Most lists are written again and again: the second time there is nothing new in them.
        let mut known: FxHashSet<(&[PortItem], bool)> = FxHashSet::default();
        for statement in &reading.statements {
            let Some(rule) = dialect.rules().get(statement.rule as usize) else { continue };
            let about = rule.port_subjects().map(|hole| (hole, true));
            let named = rule.declares.iter().chain(&rule.used_by).map(|hole| (hole, false));
            for (hole, is_subject) in about.chain(named) {
                let Captured::Ports(items) = reading.captured(dialect, statement, hole) else { continue };
                let own = matches!(&items[..], [PortItem::One(_)]);
                if !known.insert((items, is_subject)) {
                    continue;
                }
                for item in items.iter() {
                    if let (PortItem::Range(from, to), None) = (item, item.along_last_part()) {
                        across.push((*from, *to, statement.mark));
                    }
                }
                for port in items.iter().flat_map(|item| item.along_last_part().into_iter().flatten()) {
                    if found.len() >= MOST && !found.contains(&port) {
                        full = true;
                        break;
                    }
                    found.insert(port);
                    if is_subject {
                        let place = places.entry(port).or_insert((statement.mark, own));
                        if own && !place.1 {
                            *place = (statement.mark, true);
                        }
                    }
                }
            }
        }
        // What the status or the power of is told exists, whether the configuration speaks of it or not.
        for kind in [facts::port_status::FACT, facts::power::FACT] {
            let of_kind = told.iter().filter(|fact| fact.kind == kind);
            found.extend(of_kind.filter_map(|fact| dialect.lists().port(fact.port()?)).take(MOST));
        }
        // A misspelt line about ports still says that they are there.
        for (unread, at) in switch.unread.iter().zip(&reading.unread_at) {
            let context = at.context().unwrap_or_default();
            let items = super::doubt::ports_of_unread(dialect, source.text(), unread.mark, context);
            let named = items.iter().flat_map(|item| item.along_last_part().into_iter().flatten());
            for port in named.take(MOST.saturating_sub(found.len())) {
                found.insert(port);
                places.entry(port).or_insert((unread.mark, false));
            }
        }
        for (from, to, mark) in across {
            if !lie_between(&found, from, to) {
                switch.torn.push((mark, Torn::Range));
            }
            for end in [from, to] {
                found.insert(end);
                places.entry(end).or_insert((mark, false));
            }
        }
        if let (true, Some(statement)) = (full, reading.statements.first()) {
            switch.torn.push((statement.mark, Torn::Ports));
        }
        let mut named: Vec<(PortName, PortRef)> =
            found.into_iter().map(|port| (PortName::new(dialect.lists().name(port)), port)).collect();
        named.sort();
        switch.port_places = named.iter().map(|(_, port)| places.get(port).map(|(mark, _)| *mark)).collect();
        let refs: Vec<PortRef> = named.iter().map(|(_, port)| *port).collect();
        switch.ports = named.into_iter().map(|(name, _)| name).collect();
        let index = refs.iter().enumerate().map(|(i, port)| (*port, i as u32)).collect();
        Self { refs, index }
    }

    /// Whether another has the same ports.
    pub(super) fn is_same(&self, other: &Self) -> bool {
        self.refs == other.refs
    }

    /// Whether it has every port of an element of a list; of a range across parts, its ends.
    pub(super) fn knows(&self, item: &PortItem) -> bool {
        let has = |port: PortRef| self.index.contains_key(&port);
        match (item.along_last_part(), item) {
            (Some(mut ports), _) => ports.all(has),
            (None, PortItem::Range(from, to)) => has(*from) && has(*to),
            (None, PortItem::One(port)) => has(*port),
        }
    }

    /// A port by its number.
    pub(super) fn port(&self, port: usize) -> Option<PortRef> {
        self.refs.get(port).copied()
    }

    pub(super) fn len(&self) -> usize {
        self.refs.len()
    }

    /// Whether a list takes in a port.
    pub(super) fn takes(&self, items: &[PortItem], port: usize) -> bool {
        let Some(port) = self.refs.get(port) else { return false };
        items.iter().any(|item| match item {
            PortItem::One(one) => one == port,
            PortItem::Range(from, to) => (from..=to).contains(&port),
        })
    }

    /// The positions of the ports of a list, in order, each once. Ranges across parts take the ports that are there.
    pub(super) fn positions(&self, items: &[PortItem]) -> Vec<usize> {
        let mut positions = Vec::new();
        for item in items {
            match (item.along_last_part(), item) {
                (Some(ports), _) => {
                    positions.extend(ports.filter_map(|port| self.index.get(&port)).map(|i| *i as usize));
                }
                (None, PortItem::Range(from, to)) => {
                    let inside = self.refs.iter().enumerate().filter(|(_, port)| (from..=to).contains(port));
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
