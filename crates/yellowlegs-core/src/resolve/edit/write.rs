//! The lines of one change: made from every rule that could say it, and tried.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::{About, DEEPEST, Edit, Wanted, Way, Wide, differences};
use crate::dialect::{Change, Dialect, Effect, Held, HoleRef, Operand, ProfileRef, Rule, Structure, Subject};
use crate::model::{Choice, Direction, Kind, Origin, Scope, SettingId, Value, settings};
use crate::resolve::Resolved;
use crate::sorted;

/// One rule on the way from the top to the line that changes something, with what its holes are to hold.
#[derive(Clone)]
struct Link<'d> {
    rule: &'d Rule,
    held: Vec<Held>,
    chosen: Vec<Option<usize>>,
}

impl<'d> Link<'d> {
    fn of(rule: &'d Rule) -> Self {
        let holes = rule.pattern.holes.len();
        Self { rule, held: vec![None; holes], chosen: vec![None; holes] }
    }

    fn is_open(&self, hole: usize) -> bool {
        self.held.get(hole).is_some_and(Option::is_none) && self.chosen.get(hole).is_some_and(Option::is_none)
    }
}

/// From the outermost opener to the line itself.
type Chain<'d> = Vec<Link<'d>>;

/// Where the line stands that says it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Place {
    /// At the thing itself.
    Own,
    /// At a list of ports.
    Ports(String),
    /// In a profile: its kind and name.
    Profile(Arc<str>, Arc<str>),
    /// Among what holds for all ports of a kind.
    Reach,
}

/// Writes one change: of the thing that is wanted, and of all that are to have the same.
#[derive(Clone)]
pub(super) struct Writer<'a> {
    pub(super) before: &'a Resolved,
    pub(super) dialect: &'a Dialect,
    pub(super) wanted: &'a Wanted,
    pub(super) all: &'a [About],
    pub(super) place: Place,
}

impl<'a> Writer<'a> {
    /// The best of the candidates that work.
    pub(super) fn best(&self) -> Option<Edit> {
        let mut best: Option<Edit> = None;
        for (position, lines) in self.ordered().into_iter().enumerate() {
            let better = |edit: &Edit| {
                best.as_ref().is_none_or(|b| (edit.also.len(), edit.lines.len()) < (b.also.len(), b.lines.len()))
            };
            if let Some(edit) = self.tried(lines).filter(better) {
                let perfect = edit.also.is_empty() && edit.lines.len() <= 2;
                let in_list = matches!(self.place, Place::Ports(_));
                let way = (in_list || self.place == Place::Own).then_some(Way { in_list, position });
                best = Some(Edit { way, ..edit });
                if perfect {
                    break;
                }
            }
        }
        best
    }

    /// Where one line could say it of all: the widest first.
    pub(super) fn wider_places(&self) -> Vec<Place> {
        let Some(list) = self.list() else { return Vec::new() };
        let mut places = Vec::new();
        // For two ports nobody makes a default.
        if self.all.len() > 2 {
            places.extend(self.may_say(Origin::Global).then_some(Place::Reach));
            places.extend(self.may_say(Origin::Profile).then(|| self.profiles()).into_iter().flatten());
        }
        places.push(list);
        places
    }

    /// Whether what a default, or a profile, says could be in force on all of them: nothing that goes before it is written there.
    pub(super) fn may_say(&self, place: Origin) -> bool {
        self.all.iter().all(|about| match self.before.slot_by_hand(about, self.wanted.setting).origin {
            Origin::Port | Origin::Range | Origin::Vlan => false,
            // A profile implies things, too.
            Origin::Profile | Origin::Implied => place == Origin::Profile,
            Origin::Global | Origin::Default | Origin::State | Origin::Record | Origin::Unknown => true,
        })
    }

    /// All the ports in one list; none where it is about something else.
    pub(super) fn list(&self) -> Option<Place> {
        let port = |about: &'a About| match about {
            About::Port(port) => Some(&**port),
            _ => None,
        };
        let ports: Vec<&str> = self.all.iter().map(port).collect::<Option<_>>()?;
        self.dialect.port_list(&ports).map(Place::Ports)
    }

    /// The profiles that the text describes.
    fn profiles(&self) -> BTreeSet<Place> {
        let Some(history) = self.before.history.as_deref() else { return BTreeSet::new() };
        let text = history.source.text();
        let named = history.reading.statements.iter().filter(|statement| !statement.negated).filter_map(|statement| {
            let rule = self.dialect.rules().get(statement.rule as usize)?;
            let Some(Subject::Profile(ProfileRef { kind, name: HoleRef::Own(hole) })) = &rule.subject else {
                return None;
            };
            let name = self.dialect.hole_texts(text, &history.reading, statement).into_iter().nth(*hole)??;
            Some(Place::Profile(Arc::clone(kind), name.into()))
        });
        named.collect()
    }

    /// Every group of lines that might make the change.
    fn candidates(&self) -> Vec<Vec<String>> {
        let Wanted { setting, value, about } = self.wanted;
        let current = self.before.slot_by_hand(about, *setting).value;
        let mut found: Vec<Vec<String>> = Vec::new();
        for (rule, effect, negated) in self.sayings() {
            match &effect.change {
                Change::Set(operands) => {
                    found.extend(operands.iter().filter_map(|o| self.lines(rule, effect, Some((o, value)), negated)));
                }
                Change::Reset | Change::ResetToPlatform => found.extend(self.lines(rule, effect, None, negated)),
                Change::Add(_) | Change::Remove(_) => {}
            }
        }
        found.extend(self.all_parts());
        // A list grows and shrinks by its elements.
        let empty = setting.info().kind.off();
        let Some(now) = current.or(empty.clone()).filter(|_| setting.info().kind.is_list()) else { return found };
        let (more, less) = (beyond(value, &now), beyond(&now, value));
        if let (Some(more), Some(less)) = (more, less) {
            let out = self.element_lines(&less, false);
            let into = self.element_lines(&more, true);
            if let (Some(out), Some(into)) = (out, into) {
                found.push(out.into_iter().chain(into).collect());
            }
        }
        // Or begins anew.
        let cleared = self
            .sayings()
            .filter(|(_, e, _)| matches!(e.change, Change::Reset | Change::ResetToPlatform | Change::Remove(_)));
        for (rule, effect, negated) in cleared.collect::<Vec<_>>() {
            let (Some(clear), Some(into)) = (self.lines(rule, effect, None, negated), self.element_lines(value, true))
            else {
                continue;
            };
            found.push(clear.into_iter().chain(into).collect());
        }
        found
    }

    /// The lines of every part of a setting that several statements make.
    fn all_parts(&self) -> Option<Vec<String>> {
        let Wanted { setting, value, .. } = self.wanted;
        let parts = self.dialect.parts().remove(setting)?;
        let line = |part: &Arc<str>| {
            self.sayings().find_map(|(rule, effect, negated)| match &effect.change {
                Change::Set(operands) if effect.part.as_ref() == Some(part) => {
                    operands.iter().find_map(|o| self.lines(rule, effect, Some((o, value)), negated))
                }
                _ => None,
            })
        };
        let each: Option<Vec<Vec<String>>> = parts.iter().map(line).collect();
        Some(each?.concat())
    }

    /// The candidates, the shortest first, each once.
    pub(super) fn ordered(&self) -> Vec<Vec<String>> {
        let mut candidates = self.candidates();
        sorted::by_key(&mut candidates, Vec::len);
        let mut seen = std::collections::BTreeSet::new();
        candidates.retain(|lines| !lines.is_empty() && seen.insert(lines.clone()));
        candidates
    }

    /// Every rule that says something of the setting, in which form.
    fn sayings(&self) -> impl Iterator<Item = (&'a Rule, &'a Effect, bool)> {
        let setting = self.wanted.setting;
        let of = move |effects: &'a [Effect]| effects.iter().filter(move |e| e.setting == setting && !e.implied);
        self.dialect.rules().iter().filter(|rule| !rule.read_only).flat_map(move |rule| {
            let plain = of(&rule.effects).map(move |e| (rule, e, false));
            plain.chain(of(rule.undo.as_deref().unwrap_or_default()).map(move |e| (rule, e, true)))
        })
    }

    /// Lines that put the elements of a list in, or take them out; `None` where no rule can.
    fn element_lines(&self, list: &Value, into: bool) -> Option<Vec<String>> {
        let mut lines = Vec::new();
        for element in self.parts(list) {
            let said = self.sayings().find_map(|(rule, effect, negated)| {
                let ((Change::Add(operands), true) | (Change::Remove(operands), false)) = (&effect.change, into) else {
                    return None;
                };
                operands.iter().find_map(|o| self.lines(rule, effect, Some((o, &element)), negated))
            });
            lines.extend(said?);
        }
        Some(lines)
    }

    /// A list in the parts that one line can hold: sets of VLANs whole, where a rule takes them so; else one by one.
    fn parts(&self, list: &Value) -> Vec<Value> {
        match list {
            Value::Vlans(set) if set.is_empty() => Vec::new(),
            Value::Vlans(set) => {
                let whole = self.sayings().any(|(rule, effect, negated)| {
                    let mut operands = effect.change.operands().iter();
                    operands.any(|o| self.lines(rule, effect, Some((o, list)), negated).is_some())
                });
                if whole {
                    return vec![list.clone()];
                }
                set.iter().map(|vlan| Value::Vlans(Arc::new([vlan].into_iter().collect()))).collect()
            }
            Value::Words(words) => words.iter().map(|w| Value::Words([Arc::clone(w)].into())).collect(),
            Value::Stations(stations) => stations.iter().map(|s| Value::Stations([*s].into())).collect(),
            Value::Ranges(ranges) => ranges.iter().map(|r| Value::Ranges([*r].into())).collect(),
            Value::Pairs(pairs) => pairs.iter().map(|p| Value::Pairs([*p].into())).collect(),
            Value::Taps(taps) => taps.iter().map(|t| Value::Taps([t.clone()].into())).collect(),
            Value::Choices { set, bits } => {
                let each = (0..set.words.len()).map(|i| bits & (1 << i)).filter(|bit| *bit != 0);
                each.map(|bits| Value::Choices { set, bits }).collect()
            }
            _ => Vec::new(),
        }
    }

    /// The lines of one rule, with what is around it, that say a value (or take it back).
    fn lines(
        &self,
        rule: &'a Rule,
        effect: &Effect,
        said: Option<(&Operand, &Value)>,
        negated: bool,
    ) -> Option<Vec<String>> {
        rule.contexts.iter().find_map(|context| {
            self.chains(*context, DEEPEST).into_iter().find_map(|mut chain| {
                chain.push(Link::of(rule));
                if let Some((operand, value)) = said {
                    self.assign(&mut chain, operand, value)?;
                }
                self.about(&mut chain, effect.about.as_ref())?;
                self.render(&chain, negated)
            })
        })
    }

    /// The ways from the top to a context.
    fn chains(&self, context: usize, deepest: usize) -> Vec<Chain<'a>> {
        if context == 0 {
            return vec![Vec::new()];
        }
        if deepest == 0 {
            return Vec::new();
        }
        let openers = self.dialect.rules().iter().filter(|r| r.opens == Some(context) && !r.read_only);
        let mut chains = Vec::new();
        for opener in openers {
            for outer in opener.contexts.iter().flat_map(|c| self.chains(*c, deepest - 1)) {
                chains.push(outer.into_iter().chain([Link::of(opener)]).collect());
            }
        }
        chains
    }

    /// Where a hole stands in a chain: in the last rule, or by its name in the nearest one around it.
    fn place(chain: &Chain<'_>, from: usize, hole: &HoleRef) -> Option<(usize, usize)> {
        match hole {
            HoleRef::Own(hole) => Some((from, *hole)),
            HoleRef::Outer(name) => (0..from).rev().find_map(|link| Some((link, chain[link].rule.pattern.hole(name)?))),
        }
    }

    /// Puts a value into the hole that an operand takes it from.
    fn assign(&self, chain: &mut Chain<'a>, operand: &Operand, value: &Value) -> Option<()> {
        let last = chain.len() - 1;
        match operand {
            Operand::Constant(constant) => return (constant == value).then_some(()),
            Operand::Hole(hole) => {
                let (link, hole) = Self::place(chain, last, hole)?;
                self.hold(chain, (link, hole), value)?;
            }
            Operand::Chosen(hole, values) => {
                let (link, hole) = Self::place(chain, last, hole)?;
                match values.iter().position(|v| v == value) {
                    Some(which) => chain[link].chosen[hole] = Some(which),
                    None => self.hold(chain, (link, hole), value)?,
                }
            }
            Operand::Pair(hole, second) => self.assign_pair(chain, hole, second, value)?,
        }
        Some(())
    }

    /// Puts a value into a hole as its type writes it.
    fn hold(&self, chain: &mut Chain<'a>, (link, hole): (usize, usize), value: &Value) -> Option<()> {
        let kind = chain[link].rule.pattern.holes.get(hole)?.kind.typed()?;
        let single = match value {
            Value::Stations(stations) => {
                let [one] = &stations[..] else { return None };
                one.vlan.is_none().then_some(Value::Station(one.address))
            }
            other => Some(other.clone()),
        };
        chain[link].held[hole] = Some(self.dialect.value_text(kind, &single?)?);
        Some(())
    }

    fn assign_pair(&self, chain: &mut Chain<'a>, hole: &HoleRef, second: &Operand, value: &Value) -> Option<()> {
        let (first, rest): (String, Option<Value>) = match value {
            Value::Stations(stations) => {
                let [one] = &stations[..] else { return None };
                (self.dialect.station_words(one.address), one.vlan.map(|v| Value::Vlan(Some(v))))
            }
            Value::Ranges(ranges) => {
                let [(range, vlan)] = &ranges[..] else { return None };
                (self.dialect.range_words(*range), Some(Value::Vlan(Some(*vlan))))
            }
            Value::Taps(taps) => {
                let [(port, direction)] = &taps[..] else { return None };
                let direction = Value::Choice { set: Direction::SET, index: direction.index() };
                (port.to_string(), Some(direction))
            }
            Value::Pairs(pairs) => {
                let [(a, b)] = &pairs[..] else { return None };
                (a.to_string(), Some(Value::Count(*b)))
            }
            _ => return None,
        };
        let (link, hole) = Self::place(chain, chain.len() - 1, hole)?;
        chain[link].held[hole] = Some(first);
        match rest {
            Some(rest) => self.assign(chain, second, &rest),
            None => Some(()),
        }
    }

    /// Puts what the change is about into the hole that names it.
    fn about(&self, chain: &mut Chain<'a>, own: Option<&Subject>) -> Option<()> {
        let scope = self.wanted.setting.info().scope;
        let around = (0..chain.len()).rev().find(|link| chain[*link].rule.subject.is_some());
        let link = if own.is_some() { chain.len().checked_sub(1) } else { around };
        let subject = own.or_else(|| link.and_then(|link| chain[link].rule.subject.as_ref()));
        let (hole, name) = match (&self.wanted.about, subject) {
            (About::Switch, _) if scope == Scope::Switch => return Some(()),
            (About::Port(port), Some(subject)) => match (&self.place, subject) {
                (Place::Own, Subject::Ports(hole)) => (hole, port.to_string()),
                (Place::Ports(list), Subject::Ports(hole)) => (hole, list.clone()),
                (Place::Profile(kind, name), Subject::Profile(profile)) if profile.kind == *kind => {
                    (&profile.name, name.to_string())
                }
                (Place::Reach, Subject::Reach(_)) => return Some(()),
                _ => return None,
            },
            (About::Vlan(vlan), Some(Subject::Vlan(hole))) => (hole, vlan.to_string()),
            (About::Mirror(name), Some(Subject::Mirror(hole))) => (hole, name.to_string()),
            _ => return None,
        };
        let (link, hole) = Self::place(chain, link?, hole)?;
        // A hole that holds another value already cannot name it.
        if chain[link].held[hole].as_ref().is_some_and(|held| *held != name) {
            return None;
        }
        chain[link].held[hole] = Some(name);
        Some(())
    }

    /// A chain as lines; holes that other settings of the same line need hold what is in force.
    fn render(&self, chain: &Chain<'a>, negated: bool) -> Option<Vec<String>> {
        let (last, around) = chain.split_last()?;
        let paths = self.dialect.layout().structure == Structure::Paths;
        let mut words = Vec::new();
        for link in around {
            // The word of negation stands in front of the whole line.
            let negated = negated && (paths || link.rule.goes_on());
            words.push(self.dialect.words_with(link.rule, &link.held, &link.chosen, negated)?);
        }
        let plain = self.dialect.words_with(last.rule, &last.held, &last.chosen, negated);
        let own = plain.or_else(|| {
            let filled = self.filled(last, negated)?;
            self.dialect.words_with(last.rule, &filled.held, &filled.chosen, negated)
        });
        let short = || if negated { self.dialect.shortest_negation(last.rule) } else { None };
        let own = own.or_else(short)?;
        match words.last_mut().filter(|_| around.last().is_some_and(|link| link.rule.goes_on())) {
            Some(leader) => *leader = self.dialect.on_one_line(leader, &own, negated),
            None => words.push(own),
        }
        Some(self.dialect.nested(&words, negated))
    }

    /// What is taken back is named by the value that is in force.
    fn filled(&self, link: &Link<'a>, negated: bool) -> Option<Link<'a>> {
        let mut chain = vec![link.clone()];
        for effect in link.rule.effects.iter().filter(|e| negated || e.setting != self.wanted.setting) {
            let Change::Set(operands) = &effect.change else { continue };
            for operand in operands {
                let open = matches!(operand.hole(), Some(HoleRef::Own(hole)) if chain[0].is_open(*hole));
                let value = self.before.slot_by_hand(&self.wanted.about, effect.setting).value;
                if let (true, Some(value)) = (open, value) {
                    self.assign(&mut chain, operand, &value)?;
                }
            }
        }
        let mut link = chain.pop()?;
        self.as_before(&mut link);
        Some(link)
    }

    /// Holes that no setting needs hold what they hold in the last statement of the rule.
    fn as_before(&self, link: &mut Link<'a>) {
        let Some(history) = self.before.history.as_deref() else { return };
        let statements = history.reading.statements.iter().rev();
        let mut same = statements.filter(|s| {
            self.dialect.rules().get(s.rule as usize).is_some_and(|rule| std::ptr::eq(rule, link.rule)) && !s.negated
        });
        let Some(statement) = same.next() else { return };
        let texts = self.dialect.hole_texts(history.source.text(), &history.reading, statement);
        for (hole, text) in texts.into_iter().enumerate() {
            if link.is_open(hole) {
                link.held[hole] = text;
            }
        }
    }

    /// The change, if reading the text with these lines gives what is wanted and nothing that is not.
    pub(super) fn tried(&self, lines: Vec<String>) -> Option<Edit> {
        // On a terminal such a sign is a key that somebody presses.
        if lines.iter().any(|line| line.chars().any(char::is_control)) {
            return None;
        }
        let after = self.before.with_lines(&lines)?;
        if after.switch.unread().len() != self.before.switch.unread().len() {
            return None;
        }
        let Wanted { setting, value, .. } = self.wanted;
        let has = |about: &About| after.slot_by_hand(about, *setting).value.as_ref() == Some(value);
        if !self.all.iter().all(has) {
            return None;
        }
        let mut also = differences(self.before, &after);
        also.retain(|(about, changed)| changed != setting || !self.all.contains(about));
        // Only what the same statement says of the same thing may change with it; of several things, which may have had unlike
        // values there, only what the setting decides.
        // What people call something takes nothing along: whatever stands in it is no statement.
        let is_text = matches!(setting.info().kind, Kind::Text | Kind::Words);
        let goes_with = |changed| match self.all.len() {
            1 => !is_text && self.goes_with(changed),
            _ => !is_text && self.decides(),
        };
        let goes = also.iter().all(|(about, changed)| self.all.contains(about) && goes_with(*changed));
        let wide = match &self.place {
            Place::Own => Wide::Each,
            Place::Ports(_) => Wide::Range,
            Place::Profile(_, name) => Wide::Profile(Arc::clone(name)),
            Place::Reach => Wide::Default,
        };
        let text = after.text().unwrap_or_default().to_owned();
        goes.then_some(Edit { lines, text, also, wide, after, way: None })
    }

    /// Whether some statement sets both settings, or the one decides the other.
    fn goes_with(&self, other: SettingId) -> bool {
        let together = self.dialect.rules().iter().any(|rule| {
            let sets = |id: SettingId| rule.effects.iter().any(|e| e.setting == id);
            sets(self.wanted.setting) && sets(other)
        });
        together || self.decides()
    }

    /// Whether others hang on the setting: membership decides the mode; how far defaults reach hangs on mode and edge.
    fn decides(&self) -> bool {
        let decides = [
            settings::TAGGED_VLANS.id,
            settings::VOICE_VLAN.id,
            settings::MODE.id,
            settings::FAST_START.id,
            settings::LINK_TYPE.id,
        ];
        decides.contains(&self.wanted.setting)
    }
}

/// What a list holds beyond another. Pairs are told apart by both their numbers.
fn beyond(list: &Value, other: &Value) -> Option<Value> {
    match (list, other) {
        (Value::Pairs(a), Value::Pairs(b)) => {
            Some(Value::Pairs(a.iter().filter(|p| !b.contains(p)).copied().collect()))
        }
        _ => list.minus(other),
    }
}
