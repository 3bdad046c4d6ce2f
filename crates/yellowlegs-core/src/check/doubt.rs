//! Where a line that is not understood keeps a check from being met.
//!
//! A switch with doubts is judged twice: as it was read, and with everything doubtful unknown. What is violated stays so;
//! what is met or does not apply is that only where it is so in both, for then no meaning of those lines could change it.

use std::cell::RefCell;
use std::ptr;
use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use super::verdict::Unknown;
use super::{Check, SwitchView, Told};
use crate::finding::{DoubtLine, DoubtLines, Needs};
use crate::model::{Doubt, FactKind, Scope, SettingId, SettingSet, Switch};
use crate::policy::{AsOf, Assignment, Policy};
use crate::resolve::{Doubtful, Resolved};

/// What a doubtful setting lacks where a check would otherwise see a fault in it.
const UNDERSTOOD: &str = "lines that are understood";
/// What a check of the whole switch lacks where a line could have told of ports that nothing else names.
const ALL_PORTS: &str = "every port";

/// A switch with everything doubtful unknown, and the lines that make it so.
pub(super) struct Shadow {
    doubtful: Doubtful,
    roles: Assignment,
    /// The first line of each shape that leaves the same open.
    lines: Vec<Line>,
    /// The positions of those that could have spoken of a port, of few alone; and of those of many ports or of all.
    of_ports: FxHashMap<usize, Vec<usize>>,
    of_many: Vec<usize>,
    lacking: RefCell<Lacking>,
    /// What a check lacks that would find a fault.
    understood: Needs,
}

/// A line that nobody understands.
struct Line {
    /// What it leaves open.
    doubt: Doubt,
    /// How it is told.
    told: Arc<DoubtLine>,
    /// The number of its shape: lines of one shape may leave other things open.
    shape: usize,
}

/// What checks lack, as numbers: they lack the same on many ports.
#[derive(Default)]
struct Lacking {
    /// By the place of a list, which is kept, so that no other comes to stand there.
    by_place: FxHashMap<*const &'static str, (usize, Needs)>,
    by_names: FxHashMap<Needs, usize>,
    /// The settings among them.
    settings: Vec<SettingSet>,
}

/// So many lists are known by their places.
const MOST_PLACES: usize = 1 << 12;

impl Lacking {
    fn number(&mut self, needs: &Needs) -> usize {
        if let Some((number, _)) = self.by_place.get(&needs.as_ptr()) {
            return *number;
        }
        let settings = &mut self.settings;
        let number = *self.by_names.entry(Arc::clone(needs)).or_insert_with(|| {
            settings.push(needs.iter().filter_map(|need| SettingId::by_name(need)).collect());
            settings.len() - 1
        });
        if self.by_place.len() >= MOST_PLACES {
            self.by_place.clear();
        }
        self.by_place.insert(needs.as_ptr(), (number, Arc::clone(needs)));
        number
    }
}

/// A line that could have spoken of more ports is looked at for each port.
const FEW_PORTS: usize = 16;

impl Shadow {
    /// Of a switch; `None` where nothing is doubtful.
    pub(super) fn of(policy: &Policy, resolved: &Resolved, roles: &Assignment) -> Option<Self> {
        let doubtful = resolved.doubtful(policy.site.doubt.value)?;
        let roles = roles.for_doubtful(policy, &doubtful.resolved.switch);
        let mut told = FxHashSet::default();
        let mut shapes: FxHashMap<&Arc<str>, usize> = FxHashMap::default();
        let mut lines = Vec::new();
        for doubt in &doubtful.doubts {
            if told.insert((&doubt.shape, &doubt.ports, doubt.settings, doubt.fact, doubt.torn, doubt.more_ports)) {
                let next = shapes.len();
                let shape = *shapes.entry(&doubt.shape).or_insert(next);
                lines.push(Line { doubt: doubt.clone(), told: line(&resolved.switch, doubt), shape });
            }
        }
        let (mut of_ports, mut of_many) = (FxHashMap::<usize, Vec<usize>>::default(), Vec::new());
        for (position, Line { doubt, .. }) in lines.iter().enumerate() {
            match doubt.ports.as_deref().filter(|ports| ports.len() <= FEW_PORTS) {
                Some(ports) => ports.iter().for_each(|port| of_ports.entry(*port).or_default().push(position)),
                None => of_many.push(position),
            }
        }
        Some(Self {
            doubtful,
            roles,
            lines,
            of_ports,
            of_many,
            lacking: RefCell::default(),
            understood: [UNDERSTOOD].into(),
        })
    }

    /// The switch as it is known for certain.
    pub(super) fn view<'s>(&'s self, policy: &'s Policy, as_of: &AsOf) -> SwitchView<'s> {
        SwitchView::new(&self.doubtful.resolved, policy, &self.roles, as_of)
    }

    /// What the checks of the switch come to, where more ports may be there than are known: those that look at ports are met
    /// by none.
    pub(super) fn with_more_ports(&self, mut told: Vec<(&'static Check, Told)>) -> Vec<(&'static Check, Told)> {
        if self.lines.iter().any(|line| line.doubt.more_ports) {
            let mirrors = !self.doubtful.resolved.switch.mirrors().is_empty();
            let looks = |check: &Check| looks_at_ports(check, mirrors);
            let met = told.iter_mut().filter(|(check, told)| matches!(told, Told::Met) && looks(check));
            met.for_each(|(_, told)| *told = Told::Undetermined([ALL_PORTS].into()));
        }
        told
    }

    /// What checks came to on a switch or a port, with what is only certain where nothing is doubtful: those that are not become
    /// undetermined, each with the facts it lacks. `certain`: what they came to with everything doubtful unknown.
    pub(super) fn cast(
        &self,
        told: &mut Vec<(&'static Check, Told)>,
        certain: Vec<(&'static Check, Told)>,
    ) -> Vec<&'static Check> {
        let (mut doubted, so_far) = (Vec::new(), told.len());
        for (check, certain) in certain {
            let needs = match certain {
                Told::Met | Told::NotApplicable => continue,
                Told::Undetermined(needs) => needs,
                Told::Violated(_) => Arc::clone(&self.understood),
            };
            match told[..so_far].iter_mut().find(|(there, _)| ptr::eq(*there, check)) {
                Some((_, Told::Violated(_))) => continue,
                // Undecided whether or not those lines are understood: for other reasons.
                Some((_, Told::Undetermined(_))) => continue,
                Some((_, there)) => *there = Told::Undetermined(needs),
                None => told.push((check, Told::Undetermined(needs))),
            }
            doubted.push(check);
        }
        doubted
    }

    /// The lines that could have spoken of a port, or of the switch, in their order.
    fn reaching(&self, port: Option<usize>) -> Vec<usize> {
        let Some(port) = port else { return (0..self.lines.len()).collect() };
        let own = self.of_ports.get(&port).into_iter().flatten();
        let mut positions: Vec<usize> = own.chain(&self.of_many).copied().collect();
        positions.sort_unstable();
        positions.retain(|at| self.lines[*at].doubt.reaches(Some(port)));
        positions
    }
}

/// The lines that keep checks of a port open, or of the switch.
pub(super) struct Doubts<'s> {
    shadow: Option<&'s Shadow>,
    /// The port; `None`: the switch.
    port: Option<usize>,
    /// Those that could have spoken of it, and whether two of them are of one shape.
    reaching: Option<(Vec<usize>, bool)>,
    /// By the number of what is missing, those that could tell it: checks lack the same again and again.
    known: Vec<(usize, DoubtLines)>,
    /// The lists that were made: what is unlike is often told by the same lines.
    lists: Vec<(Vec<usize>, DoubtLines)>,
}

impl<'s> Doubts<'s> {
    pub(super) fn of(shadow: Option<&'s Shadow>, port: Option<usize>) -> Self {
        Self { shadow, port, reaching: None, known: Vec::new(), lists: Vec::new() }
    }

    /// The lines that could tell what is missing: those that could have set it, else all that reach there; none where nothing is doubtful.
    pub(super) fn lines(&mut self, needs: &Needs) -> DoubtLines {
        let Some(shadow) = self.shadow else { return Arc::default() };
        let (number, settings) = {
            let mut lacking = shadow.lacking.borrow_mut();
            let number = lacking.number(needs);
            (number, lacking.settings.get(number).copied().unwrap_or_default())
        };
        if let Some((_, known)) = self.known.iter().find(|(known, _)| *known == number) {
            return Arc::clone(known);
        }
        let (reaching, has_twins) = self.reaching.get_or_insert_with(|| {
            let reaching = shadow.reaching(self.port);
            let shapes: FxHashSet<usize> = reaching.iter().map(|at| shadow.lines[*at].shape).collect();
            let has_twins = shapes.len() < reaching.len();
            (reaching, has_twins)
        });
        let tells = |at: &usize| {
            let doubt = &shadow.lines[*at].doubt;
            let fact = doubt.fact.is_some_and(|kind| names_fact(kind, needs));
            let ports = doubt.more_ports && needs.contains(&ALL_PORTS);
            fact || ports || doubt.settings.meets(settings)
        };
        let mut those: Vec<usize> = reaching.iter().copied().filter(tells).collect();
        if those.is_empty() {
            those.clone_from(reaching);
        }
        if *has_twins {
            // Of each shape the first.
            let mut shapes = FxHashSet::default();
            those.retain(|at| shapes.insert(shadow.lines[*at].shape));
        }
        let lines = match self.lists.iter().find(|(known, _)| *known == those) {
            Some((_, lines)) => Arc::clone(lines),
            None => {
                let lines: DoubtLines = those.iter().map(|at| Arc::clone(&shadow.lines[*at].told)).collect();
                self.lists.push((those, Arc::clone(&lines)));
                lines
            }
        };
        self.known.push((number, Arc::clone(&lines)));
        lines
    }
}

/// Whether what a check of the switch comes to hangs on which ports there are. `mirrors`: whether sessions name some.
fn looks_at_ports(check: &Check, mirrors: bool) -> bool {
    let of_ports = |name: &str| match SettingId::by_name(name).map(|id| id.info().scope) {
        Some(Scope::Mirror) => mirrors,
        Some(scope) => scope == Scope::Port,
        None => matches!(name, "role" | "links"),
    };
    check.needs.iter().flat_map(|needs| needs.split(" or ")).any(of_ports)
}

fn names_fact(kind: FactKind, needs: &[&'static str]) -> bool {
    needs.iter().any(|need| need.split(" or ").any(|name| name == kind.info().name || name == kind.info().newer))
}

fn line(switch: &Switch, doubt: &Doubt) -> Arc<DoubtLine> {
    let quote = switch.quote(doubt.mark);
    let file: Arc<str> = quote.as_ref().map_or_else(|| "".into(), |quote| Arc::clone(&quote.place.file));
    let settle = match (doubt.torn, switch.dialect_path()) {
        (Some(_), _) => "fetch the text again, whole".into(),
        (None, Some(dialect)) => format!("yellowlegs dialect explain {dialect} {file} --unread").into(),
        (None, None) => "yellowlegs dialect explain DIALECT.toml FILE --unread".into(),
    };
    Arc::new(DoubtLine { shape: Arc::clone(&doubt.shape), file, line: doubt.mark.line(), settle })
}

/// What a rule of the house lacks where with everything doubtful unknown it comes to something; none where it is met.
pub(super) fn cast_house<T>(certain: Result<Option<T>, Unknown>) -> Option<Unknown> {
    match certain {
        Ok(None) => None,
        Ok(Some(_)) => Some(Unknown::fact(UNDERSTOOD)),
        Err(unknown) => Some(unknown),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Lists at many places: those that name the same have one number, and none that is let go of is taken for what comes to stand there.
    #[test]
    fn what_is_lacking_is_numbered_by_what_it_names() {
        let names = ["port.mode", "role", "port.access-vlan", "links"];
        let (mut lacking, mut kept) = (Lacking::default(), Vec::new());
        for round in 0..2 * MOST_PLACES {
            // As long as the one before: where that was let go of, this may come to stand.
            let needs: Needs = [names[round % 4]].into();
            assert_eq!(lacking.number(&needs), round % 4);
            assert_eq!(lacking.number(&needs), round % 4, "by its place");
            assert!(lacking.by_place.len() <= MOST_PLACES);
            if round % 3 == 0 {
                kept.push(needs);
            }
        }
        assert!(kept.iter().all(|needs| names[lacking.number(needs)] == needs[0]));
        let settings = |number: usize| lacking.settings[number].iter().map(SettingId::name).collect::<Vec<_>>();
        assert_eq!((settings(1), settings(2)), (vec![], vec!["port.access-vlan"]));
    }
}
