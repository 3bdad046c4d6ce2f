//! Dialects: how one switch system's text maps to statements. See docs/dialects.md.

mod automaton;
mod by_text;
mod captured;
mod compile;
mod compiled;
mod convert;
mod defaults;
mod effects;
mod example;
mod forms;
mod hints;
mod hole;
mod layout;
mod load;
mod named;
mod objects;
mod pattern;
mod plain;
mod ports;
mod precedence;
mod problem;
mod reading;
mod recognise;
mod render;
mod rule;
mod rules;
mod session;
mod shape;
mod sketch;
mod state;
mod time;
mod units;

use std::sync::Arc;

use rustc_hash::FxHashSet;

pub use automaton::Match;
pub use captured::Captured;
pub use convert::port_names;
pub use example::{Example, Expected, ExpectedFact};
use hints::Hints;
pub use hints::{Alike, Named};
pub use hole::{HoleType, duration};
pub use layout::{Layout, Structure};
pub(crate) use named::NamedPorts;
pub use objects::{Given, IndexPart, ObjectColumn, ObjectForm, ObjectProblem, ObjectRules, ObjectTable};
pub use pattern::{Hole, HoleKind, Pattern, Step};
pub(crate) use plain::Plain;
pub use ports::{Lists, ListsText, PortItem, PortRef};
pub use precedence::Precedence;
pub use problem::DialectProblem;
pub use reading::{Reading, Statement, UnreadAt};
pub use render::{Held, Writing};
pub use rule::{Change, Effect, Follow, HoleRef, Operand, ProfileRef, Reach, Rule, Subject, Until};
pub use session::{Answer, Command, Prompt, Question, Raise, Session, SessionProblem};
pub use sketch::{At, Open, Proposal, open, sketch, sketch_with_state};
pub use state::{Against, Missed, SaidOf, StateRule, StateRules, StateSaid, StateText, Table};
pub use time::Moment;

use crate::model::{Kind, Requirement, SettingId, Slot, TraitId, Traits, platform, settings};
use crate::source::{Problem, Source, Spot};
use automaton::{Automaton, WordRule};

/// A dialect, compiled: shared by every switch it reads.
#[derive(Debug, Clone)]
pub struct Dialect {
    name: Arc<str>,
    title: String,
    source: Arc<Source>,
    layout: Layout,
    words: WordRule,
    lists: Lists,
    automaton: Automaton,
    rules: Vec<Rule>,
    plain: plain::PlainRules,
    contexts: Vec<String>,
    recognise: Automaton,
    recognise_lines: usize,
    /// What a whole text ends with.
    last: Option<Automaton>,
    titles: Automaton,
    hints: Hints,
    defaults: Vec<Option<Slot>>,
    /// The same with what holds where there is none.
    silent: Vec<Slot>,
    /// What holds on ports of a kind where the text is silent; the first kind that says something counts.
    kinds: Vec<ports::KindDefaults>,
    precedence: Precedence,
    set_by_rules: Vec<bool>,
    traits: Arc<Traits>,
    requires: Arc<[Requirement]>,
    state: StateRules,
    writing: Writing,
    vocabulary: FxHashSet<Box<str>>,
    examples: Vec<Example>,
    session: Option<Session>,
    objects: ObjectRules,
    /// Lines that were read before.
    stores: compiled::Stores,
    /// Ports that were named before.
    named: named::NamedLately,
}

impl Dialect {
    /// Reads and compiles a dialect; all that is wrong with it is told at once.
    pub fn load(source: &Arc<Source>) -> Result<Self, Vec<Problem>> {
        load::load(source)
    }

    /// Its name.
    pub fn name(&self) -> &Arc<str> {
        &self.name
    }

    /// Its name for people.
    pub fn title(&self) -> &str {
        &self.title
    }

    /// The file it was read from.
    pub fn source(&self) -> &Arc<Source> {
        &self.source
    }

    /// How ports are named and lists written.
    pub fn lists(&self) -> &Lists {
        &self.lists
    }

    /// Ports in the natural order of their names. `found`: sorted.
    pub(crate) fn named_ports(&self, found: Vec<PortRef>) -> Arc<NamedPorts> {
        self.named.named(&self.lists, found)
    }

    /// Its rules; a statement names one by position.
    pub fn rules(&self) -> &[Rule] {
        &self.rules
    }

    /// What a statement of a rule, or of its negated form, sets of what its block is about; nothing where it does anything else.
    #[inline]
    pub(crate) fn plain(&self, rule: u32, negated: bool) -> &[Plain] {
        self.plain.get(rule, negated)
    }

    /// The names of its contexts, `top` first.
    pub fn contexts(&self) -> &[String] {
        &self.contexts
    }

    /// How its texts are laid out.
    pub fn layout(&self) -> &Layout {
        &self.layout
    }

    /// How it reads state.
    pub fn state(&self) -> &StateRules {
        &self.state
    }

    /// What its features require first.
    pub fn requires(&self) -> &Arc<[Requirement]> {
        &self.requires
    }

    /// Its examples.
    pub fn examples(&self) -> &[Example] {
        &self.examples
    }

    /// How one talks to its switches, where it says so.
    pub fn session(&self) -> Option<&Session> {
        self.session.as_ref()
    }

    /// What its systems tell beyond the standards when they are walked.
    pub fn objects(&self) -> &ObjectRules {
        &self.objects
    }

    /// Whether a word of a text is a word of the dialect.
    fn same_word(&self, known: &str, word: &str) -> bool {
        if self.words.ignore_case { known.eq_ignore_ascii_case(word) } else { known == word }
    }

    /// The platform's traits.
    pub fn traits(&self) -> &Arc<Traits> {
        &self.traits
    }

    /// The platform's default for a setting.
    pub fn default_slot(&self, id: SettingId) -> Option<&Slot> {
        self.defaults.get(id.index())?.as_ref()
    }

    /// By setting, what holds where the text is silent.
    pub(crate) fn silent(&self) -> &[Slot] {
        &self.silent
    }

    /// What kinds of ports have defaults of their own for.
    pub fn settings_by_kind(&self) -> impl Iterator<Item = SettingId> {
        self.kinds.iter().flat_map(|kind| kind.slots.iter().map(|(id, _)| *id))
    }

    /// What the platform has for a setting on ports of a port's kind, where the text is silent.
    pub fn default_of_kind(&self, port: PortRef, id: SettingId) -> Option<&Slot> {
        let of_kind = self.kinds.iter().filter(|kind| kind.ports.iter().any(|kind| self.lists.is_among(port, kind)));
        of_kind.flat_map(|kind| &kind.slots).find(|(setting, _)| *setting == id).map(|(_, slot)| slot)
    }

    /// The settings that several statements make together, each with its parts.
    pub fn parts(&self) -> std::collections::BTreeMap<SettingId, Vec<Arc<str>>> {
        let mut parts: std::collections::BTreeMap<SettingId, Vec<Arc<str>>> = std::collections::BTreeMap::new();
        for effect in self.rules.iter().flat_map(|rule| &rule.effects) {
            let Some(part) = &effect.part else { continue };
            let known = parts.entry(effect.setting).or_default();
            if !known.contains(part) {
                known.push(Arc::clone(part));
            }
        }
        parts
    }

    /// What comes before what, where several lines speak of one thing.
    pub fn precedence(&self) -> Precedence {
        self.precedence
    }

    /// The settings and traits that it does not settle where the text is silent; of each, whether some line can set it.
    pub fn unsettled(&self) -> impl Iterator<Item = (&'static str, bool)> {
        let open =
            |id: &SettingId| self.default_slot(*id).is_none() && id.info().kind != Kind::Text && !self.is_by_trait(*id);
        let settings = SettingId::all().filter(open).map(|id| (id.name(), self.can_set(id)));
        // One of them has a meaning where it is left out.
        let silent = |id: &TraitId| self.traits().get(*id).is_none() && *id != platform::TRUNK_ADD;
        let traits = TraitId::all().filter(silent).map(|id| (id.info().name, false));
        settings.chain(traits)
    }

    /// Whether a trait, not a default, says what holds where the text is silent; or that it does not matter.
    pub fn is_by_trait(&self, id: SettingId) -> bool {
        const SWITCHES: [(SettingId, TraitId, &str); 6] = [
            (settings::SNOOPING.id, platform::SNOOPING_SWITCHES, "global"),
            (settings::SNOOPING_VLANS.id, platform::SNOOPING_SWITCHES, "vlan"),
            (settings::INSPECTION.id, platform::INSPECTION_SWITCHES, "global"),
            (settings::INSPECTION_VLANS.id, platform::INSPECTION_SWITCHES, "vlan"),
            (settings::MULTICAST.id, platform::MULTICAST_SWITCHES, "global"),
            (settings::MULTICAST_VLANS.id, platform::MULTICAST_SWITCHES, "vlan"),
        ];
        let needless = |(switch, needed, word): &(SettingId, TraitId, &str)| {
            *switch == id && self.traits.holds(*needed, word) == Some(false)
        };
        if SWITCHES.iter().any(needless) {
            return true;
        }
        let by_membership = self.traits.holds(platform::MODE_FROM, "membership") == Some(true);
        let list = by_membership || self.traits.get(platform::TRUNK_WITHOUT_LIST).is_some();
        id == settings::TAGGED_VLANS.id && list || id == settings::MODE.id && by_membership
    }

    /// Where something of it stands.
    pub fn place(&self, spot: &Spot) -> crate::source::Place {
        self.source.place(spot.0.start)
    }

    /// Whether some rule changes a setting, or state decides it.
    pub fn can_set(&self, id: SettingId) -> bool {
        let by_state = || {
            let rules = self.state.rules.iter().flat_map(|rule| &rule.effects);
            rules.chain(self.state.tables.iter().flat_map(|table| &table.effects)).any(|effect| effect.setting == id)
        };
        self.set_by_rules.get(id.index()).copied().unwrap_or_default() || by_state()
    }
}
