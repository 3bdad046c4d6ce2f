//! Writing a change: the lines that give one setting another value, from the same patterns that read it.
//!
//! Candidates are made from every rule that could say it, and each is tried: the changed text is read again, and only
//! what gives the wanted model and no other is taken.

use std::fmt;
use std::sync::Arc;

use super::{Resolved, resolve_with};
use crate::dialect::{Change, Dialect, Effect, Held, HoleRef, Operand, Rule, Structure, Subject};
use crate::model::{Choice, Direction, Scope, SettingId, Slot, Value, VlanId};
use crate::source::Source;

/// Deepest nesting of contexts that is written.
const DEEPEST: usize = 4;

/// What a setting is a setting of.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum About {
    /// The switch.
    Switch,
    /// A port, by name.
    Port(Arc<str>),
    /// A VLAN.
    Vlan(VlanId),
    /// A mirror session, by name.
    Mirror(Arc<str>),
}

impl fmt::Display for About {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Switch => f.write_str("the switch"),
            Self::Port(port) => write!(f, "port {port}"),
            Self::Vlan(vlan) => write!(f, "VLAN {vlan}"),
            Self::Mirror(name) => write!(f, "mirror session {name}"),
        }
    }
}

/// A setting that is to have another value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Wanted {
    /// Of what.
    pub about: About,
    /// Which.
    pub setting: SettingId,
    /// Its value.
    pub value: Value,
}

/// The lines that make a change.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Edit {
    /// The lines, as they are typed or put at the end of the configuration.
    pub lines: Vec<String>,
    /// The configuration with them.
    pub text: String,
    /// Other settings that the same lines change.
    pub also: Vec<(About, SettingId)>,
}

/// Why a change cannot be written.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum EditProblem {
    /// The dialect says that nothing sets it.
    #[error("`{setting}` cannot be set on this platform: {reason}")]
    Never {
        /// The setting.
        setting: &'static str,
        /// Why.
        reason: String,
    },
    /// No rule of the dialect can say it.
    #[error("no rule of the dialect writes `{setting}` = {value} for {about}")]
    NoRule {
        /// The setting.
        setting: &'static str,
        /// The value.
        value: String,
        /// Of what.
        about: About,
    },
    /// A switch that was not read from text.
    #[error("the switch was read from a record: there is no text to write into")]
    NoText,
}

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

impl Resolved {
    /// The slot of a setting, whatever it is of.
    pub fn slot_of(&self, about: &About, setting: SettingId) -> Slot {
        let switch = &self.switch;
        let slot = match about {
            About::Switch => Some(switch.slot(None, setting)),
            About::Port(name) => switch.port_index(name).map(|port| switch.slot(Some(port), setting)),
            About::Vlan(vlan) => Some(switch.vlan_slot(*vlan, setting)),
            About::Mirror(name) => switch.mirrors().get(name).and_then(|slots| slots.get(&setting)),
        };
        slot.cloned().unwrap_or(Slot::UNKNOWN)
    }

    /// The same without what state told: what somebody wrote, or the platform's default. Changes and comparisons go by it.
    pub fn slot_by_hand(&self, about: &About, setting: SettingId) -> Slot {
        let switch = &self.switch;
        let slot = match about {
            About::Switch => Some(switch.slot_by_hand(None, setting)),
            About::Port(name) => switch.port_index(name).map(|port| switch.slot_by_hand(Some(port), setting)),
            About::Vlan(vlan) => Some(switch.vlan_slot_by_hand(*vlan, setting)),
            About::Mirror(name) => switch.mirror_slot_by_hand(name, setting),
        };
        slot.cloned().unwrap_or(Slot::UNKNOWN)
    }

    /// The lines that make a change; the ones that change the least besides, of those the fewest.
    pub fn edit(&self, wanted: &Wanted) -> Result<Edit, EditProblem> {
        let history = self.history.as_deref().ok_or(EditProblem::NoText)?;
        let writer = Writer { before: self, dialect: &history.dialect, wanted };
        let mut best: Option<Edit> = None;
        for lines in writer.ordered() {
            let better = |edit: &Edit| {
                best.as_ref().is_none_or(|b| (edit.also.len(), edit.lines.len()) < (b.also.len(), b.lines.len()))
            };
            if let Some(edit) = writer.tried(lines).filter(better) {
                let perfect = edit.also.is_empty() && edit.lines.len() <= 2;
                best = Some(edit);
                if perfect {
                    break;
                }
            }
        }
        best.ok_or_else(|| {
            let (setting, value) = (wanted.setting.name(), wanted.value.to_string());
            let never = history.dialect.writing().never.iter().find(|(id, _)| *id == wanted.setting);
            match never {
                Some((_, reason)) => EditProblem::Never { setting, reason: reason.clone() },
                None => EditProblem::NoRule { setting, value, about: wanted.about.clone() },
            }
        })
    }
}

struct Writer<'a> {
    before: &'a Resolved,
    dialect: &'a Dialect,
    wanted: &'a Wanted,
}

impl<'a> Writer<'a> {
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
    fn ordered(&self) -> Vec<Vec<String>> {
        let mut candidates = self.candidates();
        candidates.sort_by_key(Vec::len);
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
            (About::Port(port), Some(Subject::Ports(hole))) => (hole, port.to_string()),
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
    fn tried(&self, lines: Vec<String>) -> Option<Edit> {
        let history = self.before.history.as_deref()?;
        let mut text = history.source.text().to_owned();
        if !text.is_empty() && !text.ends_with('\n') {
            text.push('\n');
        }
        lines.iter().for_each(|line| {
            text.push_str(line);
            text.push('\n');
        });
        let source = Arc::new(Source::of(Arc::clone(history.source.path()), text.as_str()));
        let after = resolve_with(Arc::clone(self.before.switch.name()), &history.dialect, source, &history.state);
        if after.switch.unread().len() != self.before.switch.unread().len() {
            return None;
        }
        let Wanted { about, setting, value } = self.wanted;
        if after.slot_by_hand(about, *setting).value.as_ref() != Some(value) {
            return None;
        }
        let mut also = differences(self.before, &after);
        also.retain(|(a, s)| (a, s) != (about, setting));
        // Only what the same statements say of the same thing may change with it.
        (also.iter().all(|(a, s)| a == about && self.goes_with(*s))).then_some(Edit { lines, text, also })
    }

    /// Whether some statement sets both settings, or the one decides the other.
    fn goes_with(&self, other: SettingId) -> bool {
        use crate::model::settings;
        let together = self.dialect.rules().iter().any(|rule| {
            let sets = |id: SettingId| rule.effects.iter().any(|e| e.setting == id);
            sets(self.wanted.setting) && sets(other)
        });
        // Membership decides the mode; how far defaults reach hangs on mode and edge.
        let decides = [
            settings::TAGGED_VLANS.id,
            settings::VOICE_VLAN.id,
            settings::MODE.id,
            settings::FAST_START.id,
            settings::LINK_TYPE.id,
        ];
        together || decides.contains(&self.wanted.setting)
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

/// The settings that two readings of one switch differ in, or two switches of the same ports.
pub fn differences(before: &Resolved, after: &Resolved) -> Vec<(About, SettingId)> {
    let mut found = Vec::new();
    let mut compare = |about: About, scope: Scope| {
        for id in SettingId::of(scope) {
            if before.slot_by_hand(&about, id).value != after.slot_by_hand(&about, id).value {
                found.push((about.clone(), id));
            }
        }
    };
    compare(About::Switch, Scope::Switch);
    let names = |r: &Resolved| r.switch.ports().iter().map(|p| Arc::from(p.as_str())).collect::<Vec<Arc<str>>>();
    let mut ports = names(before);
    ports.extend(names(after).into_iter().filter(|p| before.switch.port_index(p).is_none()));
    ports.into_iter().for_each(|port| compare(About::Port(port), Scope::Port));
    let vlans = |r: &Resolved| r.switch.vlan_slots.keys().map(|(v, _)| *v).collect::<Vec<_>>();
    let mut all: Vec<VlanId> = vlans(before).into_iter().chain(vlans(after)).collect();
    all.sort_unstable();
    all.dedup();
    all.into_iter().for_each(|vlan| compare(About::Vlan(vlan), Scope::Vlan));
    let mut mirrors: Vec<Arc<str>> =
        before.switch.mirrors().keys().chain(after.switch.mirrors().keys()).cloned().collect();
    mirrors.sort();
    mirrors.dedup();
    mirrors.into_iter().for_each(|name| compare(About::Mirror(name), Scope::Mirror));
    found
}
