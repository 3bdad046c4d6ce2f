//! What each check came to on a port, by what it asked and what the answers were: asked the same of another port, on whatever switch, it comes
//! to the same. So a check is run for each of the few ways in which answers come, and not for each port. Kept as long as the judge is, in trees
//! of questions with a branch for each answer; judging with nothing kept gives the same.

mod trees;

use std::cell::{Cell, RefCell};
use std::hash::{Hash, Hasher};
use std::sync::{Arc, Mutex};

use rustc_hash::FxHashMap;

use super::SwitchView;
use crate::finding::Needs;
use crate::model::{FactKind, Requirement, Saying, SettingId, Slot, Traits, VlanId, settings};
use crate::policy::{Assigned, Purpose};
use trees::Trees;

/// With more things said, or more questions and answers, all begins anew.
const MOST_SAID: u32 = 1 << 14;
const MOST_STEPS: usize = 1 << 16;
/// With more platforms: records bring one along each.
const MOST_PLATFORMS: usize = 4096;

/// What a check of a port asks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) enum Question {
    /// A setting of the port.
    Port(SettingId),
    /// A setting of the switch.
    Switch(SettingId),
    /// Whether a list of the switch has a VLAN on it.
    Lists(SettingId, VlanId),
    /// A setting of a VLAN.
    Vlan(VlanId, SettingId),
    /// What the site says of a VLAN there.
    Site(VlanId),
    /// The site's VLANs of a purpose there.
    SiteFor(Purpose),
    /// Whether the policy knows of a DHCP server on it.
    HasServer,
    /// Whether the policy knows of a link from it out of the fleet.
    LeadsOutside,
    /// Whether nobody is there.
    IsUnattended,
    /// How a kind of facts was read, and whether something is doubtful about it.
    Reads(FactKind),
}

/// What stands for an answer: equal ones have equal numbers.
type Answer = u32;

/// Where nothing is written for the port: what holds then is part of where a tree begins.
const SILENT: Answer = u32::MAX;
/// What has not been asked so far.
const UNASKED: Answer = u32::MAX - 1;

/// What stands for a question: first the settings of ports in their order, then the others as they come up.
type Number = u32;

/// What one check asked, in its order.
#[derive(Debug, Default)]
pub(super) struct Notes {
    asked: RefCell<Vec<Question>>,
    beyond: Cell<bool>,
}

impl Notes {
    /// A question. What is asked after something else hangs on that, too, and is none.
    pub(super) fn note(&self, question: Question) {
        if self.beyond.get() {
            return;
        }
        let mut asked = self.asked.borrow_mut();
        if !asked.contains(&question) {
            asked.push(question);
        }
    }

    /// Notes that something was asked that is no question: what hangs on it holds for this switch alone.
    pub(super) fn note_beyond(&self) {
        self.beyond.set(true);
    }

    /// Begins anew, for the next check.
    pub(super) fn begin(&self) {
        self.beyond.set(false);
        self.asked.borrow_mut().clear();
    }

    /// Whether something beyond questions was asked since.
    pub(super) fn went_beyond(&self) -> bool {
        self.beyond.get()
    }
}

/// What the checks came to on a port that hangs on its role and settings alone.
#[derive(Debug, Default)]
pub(super) struct Settled {
    /// The checks, by position, that could not be decided, with what is missing.
    pub(super) undetermined: Vec<(usize, Needs)>,
    /// The checks that every port has to be asked.
    pub(super) open: Vec<usize>,
    /// The rules of the house, by their order in the policy, that every port has to be asked.
    pub(super) rules: Vec<usize>,
}

/// What a check came to, as far as that hangs on the answers alone.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) enum CameTo {
    /// Nothing to be told: it is met, or does not apply.
    #[default]
    Nothing,
    /// These facts are missing.
    Lacks(Needs),
    /// It has to be run on every port: it is violated, or asks what is the port's or the switch's own.
    Open,
}

/// A switch, as far as its answers are told apart.
pub(super) struct Side<'a> {
    /// It, with notes of what is asked of it.
    pub(super) on: SwitchView<'a>,
    /// What of the switch every answer hangs on.
    common: Common,
    /// What the numbers of its rows stand for everywhere.
    numbers: Vec<Answer>,
    /// By question: of the port that is being judged, and of the switch what it answered before.
    answers: Vec<Answer>,
    /// What was settled for ports of this switch, by the first that is alike.
    pub(super) settled: FxHashMap<usize, Arc<Settled>>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
struct Common {
    platform: u32,
    silent: u32,
    /// Whether its state tells something, and whether nothing is known of it at all: neither is noted when it is asked.
    has_state: bool,
    tells_nothing: bool,
}

/// A slot that is kept, told by what it says.
#[derive(Debug)]
struct Said(Slot);

impl PartialEq for Said {
    fn eq(&self, other: &Self) -> bool {
        Saying(&self.0) == Saying(&other.0)
    }
}

impl Eq for Said {}

impl Hash for Said {
    fn hash<H: Hasher>(&self, state: &mut H) {
        Saying(&self.0).hash(state);
    }
}

/// Numbers for what is said: of equal things the same.
#[derive(Debug, Default)]
struct Book {
    /// How many numbers for slots were given.
    slots: u32,
    small: FxHashMap<(usize, u64), u32>,
    said: FxHashMap<Said, u32>,
    silent: FxHashMap<Vec<u32>, u32>,
    /// In the order in which they came up.
    platforms: Vec<(Arc<Traits>, Arc<[Requirement]>)>,
    /// Entries of the policy, by address.
    entries: FxHashMap<Vec<usize>, u32>,
    /// What is asked of switches, in the order in which it came up.
    questions: Vec<Question>,
    numbers: FxHashMap<Question, Number>,
}

impl Book {
    fn slot(&mut self, slot: &Slot) -> u32 {
        let words = Saying(slot).words();
        // Most came up before: that is seen without making room for one more.
        if let Some(number) = words.and_then(|words| self.small.get(&words)) {
            return *number;
        }
        let next = self.slots;
        let number = match words {
            Some(words) => *self.small.entry(words).or_insert(next),
            None => *self.said.entry(Said(slot.clone())).or_insert(next),
        };
        self.slots += u32::from(number == next);
        number
    }

    fn platform(&mut self, traits: &Arc<Traits>, requires: &Arc<[Requirement]>) -> u32 {
        type Platform = (Arc<Traits>, Arc<[Requirement]>);
        let is_it = |(t, r): &Platform| Arc::ptr_eq(t, traits) && Arc::ptr_eq(r, requires);
        // Records bring theirs along, each its own.
        let is_like = |(t, r): &Platform| t == traits && r == requires;
        let known = self.platforms.iter().position(is_it).or_else(|| self.platforms.iter().position(is_like));
        known.unwrap_or_else(|| {
            self.platforms.push((Arc::clone(traits), Arc::clone(requires)));
            self.platforms.len() - 1
        }) as u32
    }

    fn number(&mut self, question: Question) -> Number {
        if let Question::Port(id) = question {
            return id.slot() as Number;
        }
        let next = (settings::PORT_COUNT + self.questions.len()) as Number;
        let questions = &mut self.questions;
        *self.numbers.entry(question).or_insert_with(|| {
            questions.push(question);
            next
        })
    }

    fn entries(&mut self, addresses: Vec<usize>) -> u32 {
        let next = self.entries.len() as u32;
        *self.entries.entry(addresses).or_insert(next)
    }
}

/// What several checks came to, by position: those alone that came to something.
type Together = Box<[(usize, CameTo)]>;

/// So many checks that follow each other are asked together: most of what they ask is the same.
const TOGETHER: usize = 8;

/// What came up so far.
#[derive(Debug, Default)]
pub(super) struct Known {
    book: Book,
    /// By what all answers of a port hang on, where the trees of the checks begin.
    roots: FxHashMap<(Common, Option<Assigned>), Root>,
    each: Trees<CameTo>,
    together: Trees<Together>,
}

/// Where the trees of all checks begin, one behind the other.
#[derive(Debug)]
struct Root {
    first: u32,
    /// Where those of checks together begin.
    together: u32,
    /// The checks, by position, that ask something or tell something: most never do for a role.
    live: Arc<Live>,
    /// Whether one more may be known to come to nothing since these were listed.
    is_new: bool,
}

/// Where the trees of a port begin.
pub(super) struct Begin {
    each: u32,
    together: u32,
    live: Arc<Live>,
}

/// Checks by position, and where those of them end that are asked together.
#[derive(Debug, Default)]
struct Live {
    checks: Vec<usize>,
    ends: Vec<usize>,
}

impl FromIterator<usize> for Live {
    fn from_iter<I: IntoIterator<Item = usize>>(checks: I) -> Self {
        let checks: Vec<usize> = checks.into_iter().collect();
        let groups = checks.chunk_by(|a, b| a / TOGETHER == b / TOGETHER);
        let ends = groups.scan(0, |end, group| {
            *end += group.len();
            Some(*end)
        });
        Self { ends: ends.collect(), checks }
    }
}

impl Begin {
    /// The checks that are to be looked at, by position: those that are asked together.
    pub(super) fn groups(&self) -> impl Iterator<Item = &[usize]> {
        let begins = std::iter::once(0).chain(self.live.ends.iter().copied());
        let group = |(begins, ends): (usize, &usize)| self.live.checks.get(begins..*ends);
        begins.zip(&self.live.ends).filter_map(group)
    }

    fn of(&self, position: usize) -> u32 {
        self.each + position as u32
    }

    #[inline]
    fn of_group(&self, group: &[usize]) -> u32 {
        self.together + group.first().map_or(0, |position| position / TOGETHER) as u32
    }
}

impl Known {
    /// Whether more is kept than is worth its room.
    fn is_full(&self) -> bool {
        let steps = self.each.len() + self.together.len();
        self.book.slots > MOST_SAID || self.book.platforms.len() > MOST_PLATFORMS || steps > MOST_STEPS
    }

    /// A switch whose ports are to be judged. `on` notes what is asked of it.
    pub(super) fn side<'a>(&mut self, on: SwitchView<'a>) -> Side<'a> {
        let (switch, rows, book) = (on.unnoted(), &on.roles().rows, &mut self.book);
        let numbers = switch.port_slots.said(rows).map(|slot| book.slot(slot)).collect();
        let silent: Vec<u32> = switch.port_slots.silent_ones().iter().map(|slot| book.slot(slot)).collect();
        let next = book.silent.len() as u32;
        let common = Common {
            platform: book.platform(&switch.traits, &switch.requires),
            silent: *book.silent.entry(silent).or_insert(next),
            has_state: switch.has_state(),
            tells_nothing: switch.tells_nothing(),
        };
        let answers = vec![UNASKED; settings::PORT_COUNT + book.questions.len()];
        Side { on, common, numbers, answers, settled: FxHashMap::default() }
    }

    /// Begins with a port: where the trees of so many checks begin, and those of them that are to be looked at.
    #[inline]
    pub(super) fn begin(&mut self, side: &mut Side<'_>, port: usize, checks: usize) -> Begin {
        side.answers.iter_mut().take(settings::PORT_COUNT).for_each(|answer| *answer = SILENT);
        for (setting, number) in side.on.roles().rows.of(port) {
            side.answers[usize::from(*setting)] = side.numbers[*number as usize];
        }
        let Self { roots, each, together, .. } = self;
        let root = roots.entry((side.common, side.on.role_of(port))).or_insert_with(|| Root {
            first: each.plant(checks),
            together: together.plant(checks.div_ceil(TOGETHER)),
            live: Arc::new((0..checks).collect()),
            is_new: false,
        });
        if std::mem::take(&mut root.is_new) {
            let is_live = |position: &usize| !each.is_nothing(root.first + *position as u32);
            root.live = Arc::new(root.live.checks.iter().copied().filter(is_live).collect());
        }
        Begin { each: root.first, together: root.together, live: Arc::clone(&root.live) }
    }

    /// What a check came to where it was answered the same; nothing where it was not.
    #[inline]
    pub(super) fn find(&mut self, side: &mut Side<'_>, begin: &Begin, position: usize) -> Option<&CameTo> {
        self.each.find(|question| side.answer(&mut self.book, question), begin.of(position))
    }

    /// What checks that are asked together came to where all were answered the same.
    #[inline]
    pub(super) fn find_together(
        &mut self,
        side: &mut Side<'_>,
        begin: &Begin,
        group: &[usize],
    ) -> Option<&[(usize, CameTo)]> {
        let answer = |question| side.answer(&mut self.book, question);
        self.together.find(answer, begin.of_group(group)).map(|told| &**told)
    }

    /// Keeps what a check came to by what it asked.
    pub(super) fn keep(&mut self, side: &mut Side<'_>, begin: &Begin, position: usize, notes: &Notes, came_to: CameTo) {
        let asked: Vec<Number> = notes.asked.borrow().iter().map(|question| self.book.number(*question)).collect();
        let is_nothing = asked.is_empty() && came_to == CameTo::Nothing;
        let kept = self.each.keep(|asks| side.answer(&mut self.book, asks), begin.of(position), &asked, came_to);
        if is_nothing && kept {
            self.roots.values_mut().for_each(|root| root.is_new = true);
        }
    }

    /// Keeps what checks that are asked together came to, each of which is kept: what they asked, each question once, in their order. What
    /// is asked next hangs on the answers before, as it does for each of them.
    #[inline]
    pub(super) fn keep_together(&mut self, side: &mut Side<'_>, begin: &Begin, group: &[usize]) {
        let (mut asked, mut told) = (Vec::new(), Vec::new());
        for position in group {
            let each = |question| {
                if !asked.contains(&question) {
                    asked.push(question);
                }
                side.answer(&mut self.book, question)
            };
            match self.each.find(each, begin.of(*position)) {
                None => return,
                Some(CameTo::Nothing) => {}
                Some(came_to) => told.push((*position, came_to.clone())),
            }
        }
        self.together.keep(|asks| side.answer(&mut self.book, asks), begin.of_group(group), &asked, told.into());
    }
}

impl Side<'_> {
    #[inline]
    fn answer(&mut self, book: &mut Book, question: Number) -> Answer {
        let known = self.answers.get(question as usize).copied().filter(|answer| *answer != UNASKED);
        known.unwrap_or_else(|| self.ask(book, question))
    }

    #[cold]
    fn ask(&mut self, book: &mut Book, question: Number) -> Answer {
        let at = question as usize;
        let asked = at.checked_sub(settings::PORT_COUNT).and_then(|at| book.questions.get(at).copied());
        let answer = asked.map_or(SILENT, |asked| self.looked_up(book, asked));
        self.answers.resize(self.answers.len().max(at + 1), UNASKED);
        self.answers[at] = answer;
        answer
    }

    fn looked_up(&self, book: &mut Book, question: Question) -> Answer {
        let (switch, policy) = (self.on.unnoted(), self.on.policy());
        match question {
            Question::Port(_) => SILENT,
            Question::Switch(id) => book.slot(switch.slot(None, id)),
            Question::Lists(id, vlan) => match &switch.slot(None, id).value {
                Some(crate::model::Value::Vlans(set)) => set.contains(vlan).into(),
                _ => 2,
            },
            Question::Vlan(vlan, id) => book.slot(switch.vlan_slot(vlan, id)),
            Question::Site(vlan) => {
                let site = policy.vlan(switch.name(), vlan);
                book.entries(site.map(|site| std::ptr::from_ref(site).addr()).into_iter().collect())
            }
            Question::SiteFor(purpose) => {
                let sites = policy.vlans_for(switch.name(), purpose);
                book.entries(sites.map(|site| std::ptr::from_ref(site).addr()).collect())
            }
            Question::HasServer => self.on.without_notes().has_server().into(),
            Question::LeadsOutside => self.on.without_notes().leads_outside().into(),
            Question::IsUnattended => self.on.without_notes().is_unattended().into(),
            Question::Reads(kind) => 2 * self.on.reading(kind) as Answer + Answer::from(switch.is_doubted(kind, None)),
        }
    }
}

/// What each thread of a judge takes, and gives back.
#[derive(Debug, Default)]
pub(super) struct Stores(Mutex<Vec<Known>>);

impl Stores {
    /// For one switch: all begins anew between two of them, never while the numbers of one stand for something.
    pub(super) fn take(&self) -> Known {
        let known = self.0.lock().ok().and_then(|mut stores| stores.pop());
        known.filter(|known| !known.is_full()).unwrap_or_default()
    }

    /// Lets go of all that was kept.
    pub(super) fn clear(&self) {
        if let Ok(mut stores) = self.0.lock() {
            *stores = Vec::new();
        }
    }

    pub(super) fn give_back(&self, known: Known) {
        if let Ok(mut stores) = self.0.lock() {
            stores.push(known);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_question_has_one_number_and_settings_of_ports_have_their_own() {
        let mut book = Book::default();
        let port = Question::Port(settings::MODE.id);
        let (switch, server) = (Question::Switch(settings::NAME.id), Question::HasServer);
        let numbers = [port, switch, server, switch, port].map(|question| book.number(question));
        let first = settings::PORT_COUNT as Number;
        assert_eq!(
            numbers,
            [settings::MODE.id.slot() as Number, first, first + 1, first, settings::MODE.id.slot() as Number]
        );
    }
}
