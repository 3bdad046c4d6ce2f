//! What each check came to on a port, by what it asked and what the answers were: asked the same of another port, on whatever switch, it comes
//! to the same. So a check is run for each of the few ways in which answers come, and not for each port. Kept as long as the judge is, in trees
//! of questions with a branch for each answer; judging with nothing kept gives the same.

use std::cell::{Cell, RefCell};
use std::hash::{Hash, Hasher};
use std::sync::{Arc, Mutex};

use rustc_hash::FxHashMap;

use super::SwitchView;
use crate::model::{Requirement, Saying, SettingId, Slot, Traits, VlanId, settings};
use crate::policy::{Assigned, Purpose};

/// With more things said, or more questions and answers, all begins anew.
const MOST_SAID: usize = 1 << 14;
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
}

/// What stands for an answer: equal ones have equal numbers.
type Answer = u32;

/// Where nothing is written for the port: what holds then is part of where a tree begins.
const SILENT: Answer = u32::MAX;
/// What the switch has not been asked.
const UNASKED: Answer = u32::MAX;

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
    pub(super) undetermined: Vec<(usize, Vec<&'static str>)>,
    /// The checks that every port has to be asked.
    pub(super) open: Vec<usize>,
}

/// What a check came to, as far as that hangs on the answers alone.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum CameTo {
    /// Nothing to be told: it is met, or does not apply.
    Nothing,
    /// These facts are missing.
    Lacks(Vec<&'static str>),
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
    /// The answers of the port that is being judged, by setting.
    row: Vec<Answer>,
    /// What the switch answered before, of its settings by setting.
    of_switch: Vec<Answer>,
    answered: FxHashMap<Question, Answer>,
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

/// A place in a tree.
#[derive(Debug, Default)]
enum Step {
    /// Nobody came here so far.
    #[default]
    Unknown,
    /// The check asks this next, and goes on by the answer: sorted.
    Asks(Question, Vec<(Answer, u32)>),
    /// It asks nothing more.
    Ends(CameTo),
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
    slots: FxHashMap<Said, u32>,
    silent: FxHashMap<Vec<u32>, u32>,
    /// In the order in which they came up.
    platforms: Vec<(Arc<Traits>, Arc<[Requirement]>)>,
    /// Entries of the policy, by address.
    entries: FxHashMap<Vec<usize>, u32>,
}

impl Book {
    fn slot(&mut self, slot: &Slot) -> u32 {
        let next = self.slots.len() as u32;
        *self.slots.entry(Said(slot.clone())).or_insert(next)
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

    fn entries(&mut self, addresses: Vec<usize>) -> u32 {
        let next = self.entries.len() as u32;
        *self.entries.entry(addresses).or_insert(next)
    }
}

/// What came up so far.
#[derive(Debug, Default)]
pub(super) struct Known {
    book: Book,
    /// By what all answers of a port hang on, where the trees of the checks begin.
    roots: FxHashMap<(Common, Option<Assigned>), Root>,
    steps: Vec<Step>,
}

/// Where the trees of all checks begin, one behind the other.
#[derive(Debug)]
struct Root {
    first: u32,
    /// The checks, by position, that ask something or tell something: most never do for a role.
    live: Arc<[u32]>,
    /// Whether one more may be known to come to nothing since these were listed.
    is_new: bool,
}

impl Known {
    /// Whether more is kept than is worth its room.
    fn is_full(&self) -> bool {
        self.book.slots.len() > MOST_SAID || self.book.platforms.len() > MOST_PLATFORMS || self.steps.len() > MOST_STEPS
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
        let row = vec![SILENT; settings::PORT_COUNT];
        let of_switch = vec![UNASKED; settings::SWITCH_COUNT];
        let (answered, settled) = (FxHashMap::default(), FxHashMap::default());
        Side { on, common, numbers, row, of_switch, answered, settled }
    }

    /// Begins with a port: where the trees of so many checks begin, and those of them that are to be looked at.
    pub(super) fn begin(&mut self, side: &mut Side<'_>, port: usize, checks: usize) -> (u32, Arc<[u32]>) {
        side.row.fill(SILENT);
        for (setting, number) in side.on.roles().rows.of(port) {
            side.row[usize::from(*setting)] = side.numbers[*number as usize];
        }
        let steps = &mut self.steps;
        let root = self.roots.entry((side.common, side.on.role_of(port))).or_insert_with(|| {
            let first = steps.len() as u32;
            steps.resize_with(steps.len() + checks, Step::default);
            Root { first, live: (0..checks as u32).collect(), is_new: false }
        });
        if std::mem::take(&mut root.is_new) {
            let is_live = |position: &u32| {
                !matches!(steps.get((root.first + position) as usize), Some(Step::Ends(CameTo::Nothing)))
            };
            root.live = root.live.iter().copied().filter(is_live).collect();
        }
        (root.first, Arc::clone(&root.live))
    }

    /// What a check came to where it was answered the same; nothing where it was not.
    pub(super) fn find(&mut self, side: &mut Side<'_>, tree: u32) -> Option<&CameTo> {
        let mut at = tree as usize;
        loop {
            match self.steps.get(at)? {
                Step::Unknown => return None,
                Step::Asks(question, ways) => {
                    let answer = side.answer(&mut self.book, *question);
                    let way = ways.binary_search_by_key(&answer, |(answer, _)| *answer).ok()?;
                    at = ways.get(way)?.1 as usize;
                }
                Step::Ends(_) => break,
            }
        }
        match self.steps.get(at)? {
            Step::Ends(came_to) => Some(came_to),
            Step::Unknown | Step::Asks(..) => None,
        }
    }

    /// Keeps what a check came to by what it asked.
    pub(super) fn keep(&mut self, side: &mut Side<'_>, tree: u32, notes: &Notes, came_to: CameTo) {
        let mut at = tree as usize;
        for question in notes.asked.borrow().iter() {
            let answer = side.answer(&mut self.book, *question);
            let next = self.steps.len() as u32;
            let Some(step) = self.steps.get_mut(at) else { return };
            if matches!(step, Step::Unknown) {
                *step = Step::Asks(*question, Vec::new());
            }
            let ways = match step {
                Step::Asks(asks, ways) if asks == question => ways,
                // Nothing is kept of a check that does not hang on its answers alone.
                _ => {
                    debug_assert!(false, "answered the same, a check asks the same");
                    return;
                }
            };
            match ways.binary_search_by_key(&answer, |(answer, _)| *answer) {
                Ok(way) => at = ways[way].1 as usize,
                Err(way) => {
                    ways.insert(way, (answer, next));
                    self.steps.push(Step::Unknown);
                    at = next as usize;
                }
            }
        }
        if at == tree as usize && came_to == CameTo::Nothing {
            self.roots.values_mut().for_each(|root| root.is_new = true);
        }
        if let Some(step) = self.steps.get_mut(at) {
            *step = Step::Ends(came_to);
        }
    }
}

impl Side<'_> {
    #[inline]
    fn answer(&mut self, book: &mut Book, question: Question) -> Answer {
        let known = match question {
            Question::Port(id) => return self.row.get(id.slot()).copied().unwrap_or(SILENT),
            Question::Switch(id) => self.of_switch.get(id.slot()).copied().filter(|answer| *answer != UNASKED),
            _ => self.answered.get(&question).copied(),
        };
        known.unwrap_or_else(|| self.ask(book, question))
    }

    #[cold]
    fn ask(&mut self, book: &mut Book, question: Question) -> Answer {
        let answer = self.looked_up(book, question);
        match question {
            Question::Switch(id) => _ = self.of_switch.get_mut(id.slot()).map(|there| *there = answer),
            _ => _ = self.answered.insert(question, answer),
        }
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

    pub(super) fn give_back(&self, known: Known) {
        if let Ok(mut stores) = self.0.lock() {
            stores.push(known);
        }
    }
}
