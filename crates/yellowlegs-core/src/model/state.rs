//! What a switch's state told: facts by kind and by port, where each kind was read, and when it was taken.

use jiff::Timestamp;

use super::{Fact, FactKind, Mark, facts};

/// Everything that state told. Checks ask it for each port and kind, so both are looked up by their positions.
#[derive(Debug, Clone, Default)]
pub(crate) struct State {
    /// Sorted by kind, those of one in the order of the text.
    facts: Vec<Fact>,
    /// The headings of the tables that were read, in the order of the text.
    tables: Vec<(FactKind, Mark)>,
    /// Each kind, in the order of the catalogue; nothing where there is no state.
    kinds: Vec<OfKind>,
    /// Each port, and an end; nothing where no fact is about a port.
    ports: Vec<OfPort>,
    /// By port and kind, the positions of its facts.
    on: Vec<(FactKind, u32)>,
    /// Of each fact, the port that it is about, where the switch has one of that name.
    about: Vec<Option<u32>>,
}

/// Facts of a kind.
#[derive(Debug, Clone, Copy, Default)]
struct OfKind {
    from: u32,
    to: u32,
    /// The heading of its table, or the first line.
    read_in: Option<Mark>,
    taken: Option<Timestamp>,
}

/// Facts about a port.
#[derive(Debug, Clone, Copy, Default)]
struct OfPort {
    from: u32,
    /// A bit for each kind that there is.
    kinds: u64,
}

const _: () = assert!(facts::ALL.len() <= 64, "a bit for each kind");

impl State {
    /// Of facts sorted by kind, each with its port where it is about one of so many.
    pub(super) fn of(
        facts: Vec<Fact>,
        tables: Vec<(FactKind, Mark)>,
        on: impl Iterator<Item = (u32, u32)>,
        ports: usize,
    ) -> Self {
        let mut state = Self { facts, tables, ..Self::default() };
        if !state.is_there() {
            return state;
        }
        let mut about: Vec<(u32, FactKind, u32)> =
            on.filter_map(|(port, fact)| Some((port, state.facts.get(fact as usize)?.kind, fact))).collect();
        state.about = vec![None; state.facts.len()];
        for (port, _, fact) in &about {
            state.about[*fact as usize] = Some(*port);
        }
        about.sort_unstable();
        if !about.is_empty() {
            state.ports = vec![OfPort::default(); ports + 1];
            for (port, kind, _) in &about {
                if let [this, next, ..] = &mut state.ports[*port as usize..] {
                    this.kinds |= kind.bit();
                    next.from += 1;
                }
            }
            let mut before = 0;
            for port in &mut state.ports {
                before += port.from;
                port.from = before;
            }
        }
        state.on = about.into_iter().map(|(_, kind, fact)| (kind, fact)).collect();
        state.kinds = FactKind::all().map(|kind| state.stretch(kind)).collect();
        state.kinds = FactKind::all().map(|kind| OfKind { taken: state.clock_of(kind), ..state.kind(kind) }).collect();
        state
    }

    /// Where facts of a kind begin and end, and where they were read.
    fn stretch(&self, kind: FactKind) -> OfKind {
        let end = |is_before: fn(FactKind, FactKind) -> bool| {
            self.facts.partition_point(|fact| is_before(fact.kind, kind)) as u32
        };
        let (from, to) = (end(|fact, kind| fact < kind), end(|fact, kind| fact <= kind));
        let heading = self.tables.iter().find(|(told, _)| *told == kind).map(|(_, mark)| *mark);
        let first = || self.facts.get(from as usize).filter(|_| from < to).map(|fact| fact.mark);
        OfKind { from, to, read_in: heading.or_else(first), taken: None }
    }

    /// The last clock in the file of a kind of facts.
    fn clock_of(&self, kind: FactKind) -> Option<Timestamp> {
        let file = self.read_in(kind)?.file;
        let clocks = self.of_kind(facts::clock::FACT).iter().rev();
        let mut clocks = clocks.filter(|clock| clock.mark.file == file);
        clocks.next()?.get(facts::clock::TIME)
    }

    fn kind(&self, kind: FactKind) -> OfKind {
        self.kinds.get(kind.position()).copied().unwrap_or_default()
    }

    /// Whether there is any.
    pub(crate) fn is_there(&self) -> bool {
        !self.facts.is_empty() || !self.tables.is_empty()
    }

    /// All facts, sorted by kind.
    pub(crate) fn facts(&self) -> &[Fact] {
        &self.facts
    }

    /// The headings of its tables.
    pub(crate) fn tables(&self) -> &[(FactKind, Mark)] {
        &self.tables
    }

    /// The facts of a kind.
    pub(crate) fn of_kind(&self, kind: FactKind) -> &[Fact] {
        let OfKind { from, to, .. } = self.kind(kind);
        self.facts.get(from as usize..to as usize).unwrap_or_default()
    }

    /// The same, each with the port that it is about.
    pub(crate) fn placed(&self, kind: FactKind) -> impl Iterator<Item = (&Fact, Option<usize>)> {
        let OfKind { from, to, .. } = self.kind(kind);
        let about = self.about.get(from as usize..to as usize).unwrap_or_default();
        self.of_kind(kind).iter().zip(about.iter().map(|port| port.map(|port| port as usize)))
    }

    /// The facts of a kind about a port, in the order of the text.
    #[inline]
    pub(crate) fn about(&self, kind: FactKind, port: usize) -> impl Iterator<Item = &Fact> {
        let own = match self.ports.get(port..) {
            Some([this, next, ..]) if this.kinds & kind.bit() != 0 => {
                let own = self.on.get(this.from as usize..next.from as usize).unwrap_or_default();
                &own[own.partition_point(|(k, _)| *k < kind)..]
            }
            _ => &[],
        };
        let here = own.iter().take_while(move |(k, _)| *k == kind);
        here.filter_map(|(_, fact)| self.facts.get(*fact as usize))
    }

    /// Where a kind of facts was read.
    #[inline]
    pub(crate) fn read_in(&self, kind: FactKind) -> Option<Mark> {
        self.kinds.get(kind.position())?.read_in
    }

    /// When a kind of facts was taken: the last clock in its file.
    #[inline]
    pub(crate) fn taken_at(&self, kind: FactKind) -> Option<Timestamp> {
        self.kinds.get(kind.position())?.taken
    }

    /// What was read, to be taken in anew.
    pub(super) fn into_parts(self) -> (Vec<Fact>, Vec<(FactKind, Mark)>) {
        (self.facts, self.tables)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn mark(file: u16, line: u32) -> Mark {
        Mark { file, line, offset: 0, width: 0 }
    }

    proptest! {
        /// What is looked up by positions is what a search through all facts finds.
        #[test]
        fn facts_are_found_where_they_are(
            of in prop::collection::vec((0..5_usize, prop::option::of(0..4_u32), 0..3_u16), 0..40),
            tables in prop::collection::vec((0..6_usize, 0..3_u16), 0..4),
        ) {
            let kinds: Vec<FactKind> = FactKind::all().take(4).chain([facts::clock::FACT]).collect();
            let moment = |second: i64| Timestamp::from_second(second).unwrap();
            let mut told: Vec<(Fact, Option<u32>)> = Vec::new();
            for ((kind, port, file), line) in of.iter().zip(0_u32..) {
                let fact = Fact::new(kinds[*kind], mark(*file, line));
                let fact = fact.with(facts::clock::TIME, Some(crate::model::Value::Time(moment(line.into()))));
                told.push((fact, *port));
            }
            told.sort_by_key(|(fact, _)| fact.kind);
            let headings: Vec<(FactKind, Mark)> = tables
                .iter()
                .map(|(kind, file)| (FactKind::all().nth(*kind).unwrap(), mark(*file, 900)))
                .collect();
            let on: Vec<(u32, u32)> =
                told.iter().zip(0..).filter_map(|((_, port), fact)| Some(((*port)?, fact))).collect();
            let all: Vec<Fact> = told.iter().map(|(fact, _)| fact.clone()).collect();
            let state = State::of(all.clone(), headings.clone(), on.into_iter(), 4);
            for kind in FactKind::all() {
                let mine: Vec<&Fact> = all.iter().filter(|fact| fact.kind == kind).collect();
                prop_assert_eq!(state.of_kind(kind).iter().collect::<Vec<_>>(), mine.clone());
                let heading = headings.iter().find(|(of, _)| *of == kind).map(|(_, mark)| *mark);
                let read_in = heading.or(mine.first().map(|fact| fact.mark));
                prop_assert_eq!(state.read_in(kind), read_in);
                let same_file = |fact: &&Fact| Some(fact.mark.file) == read_in.map(|mark| mark.file);
                let clock = all.iter().filter(|fact| fact.kind == facts::clock::FACT).rfind(same_file);
                prop_assert_eq!(state.taken_at(kind), clock.and_then(|clock| clock.get(facts::clock::TIME)));
                let placed = told.iter().filter(|(fact, _)| fact.kind == kind);
                let placed: Vec<_> = placed.map(|(fact, port)| (fact, port.map(|port| port as usize))).collect();
                prop_assert_eq!(state.placed(kind).collect::<Vec<_>>(), placed);
                for port in 0..5 {
                    let here = told.iter().filter(|(fact, at)| fact.kind == kind && *at == Some(port));
                    let here: Vec<&Fact> = here.map(|(fact, _)| fact).collect();
                    prop_assert_eq!(state.about(kind, port as usize).collect::<Vec<_>>(), here);
                }
            }
        }
    }
}
