//! What the checks came to on a port, for the ports of other switches that are of its kind: the same role, the same in force, and
//! what the checks asked of the switch answered the same. Hands that have been at a fleet for years still leave a few thousand kinds
//! of ports. Kept as long as the judge is, what came up lately; judging with nothing kept gives the same.

use std::cell::{Cell, RefCell};
use std::hash::{Hash, Hasher};
use std::sync::{Arc, Mutex};

use rustc_hash::{FxHashMap, FxHasher};

use super::SwitchView;
use crate::model::{Requirement, Saying, SettingId, Slot, Traits, VlanId};
use crate::policy::{Assigned, Purpose};

/// So many kinds are kept of those that came up lately, and as many of those before.
const KEPT: usize = 4096;
/// So many of a kind, by what the switch says.
const MOST_VARIANTS: usize = 8;
/// With more things said, all begins anew.
const MOST_SAID: usize = 1 << 16;

/// What checks of a port ask of its switch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Question {
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
type Answer = u64;

/// What the checks of a port asked of its switch.
#[derive(Debug, Default)]
pub(super) struct Notes {
    asked: RefCell<Vec<Question>>,
    beyond: Cell<bool>,
}

impl Notes {
    pub(super) fn note(&self, question: Question) {
        let mut asked = self.asked.borrow_mut();
        if !asked.contains(&question) {
            asked.push(question);
        }
    }

    /// Notes that something was asked that is no question: what hangs on it holds for this switch alone.
    pub(super) fn note_beyond(&self) {
        self.beyond.set(true);
    }

    /// Turns the page: how many questions stand so far.
    #[inline]
    pub(super) fn begin(&self) -> usize {
        self.beyond.set(false);
        self.asked.borrow().len()
    }

    /// Whether something beyond questions was asked since the page was turned.
    pub(super) fn went_beyond(&self) -> bool {
        self.beyond.get()
    }

    /// Takes back what was asked since: nothing that is kept hangs on it.
    pub(super) fn forget(&self, from: usize) {
        self.asked.borrow_mut().truncate(from);
    }

    /// Everything that was asked, to begin anew.
    pub(super) fn take(&self) -> Vec<Question> {
        self.asked.take()
    }
}

/// What the checks came to on a port that hangs on its kind alone.
#[derive(Debug, Default)]
pub(super) struct Settled {
    /// The checks, by position, that could not be decided, with what is missing.
    pub(super) undetermined: Vec<(usize, Vec<&'static str>)>,
    /// The checks that every port has to be asked.
    pub(super) open: Vec<usize>,
}

/// A switch, as far as kinds of its ports are told apart.
pub(super) struct Side<'a> {
    /// It, with notes of what is asked of it.
    pub(super) on: SwitchView<'a>,
    /// What of the switch every kind hangs on.
    common: Common,
    /// What the numbers of its rows stand for everywhere.
    numbers: Vec<u32>,
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

/// What a kind is told by.
#[derive(Debug, PartialEq, Eq)]
struct Key {
    common: Common,
    assigned: Option<Assigned>,
    written: Vec<(u16, u32)>,
}

/// A kind of ports.
#[derive(Debug)]
struct Kind {
    key: Key,
    variants: Vec<Variant>,
}

#[derive(Debug)]
struct Variant {
    answers: Vec<(Question, Answer)>,
    settled: Arc<Settled>,
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
pub(super) struct Kinds {
    book: Book,
    lately: FxHashMap<u64, Kind>,
    before: FxHashMap<u64, Kind>,
}

impl Kinds {
    /// A switch whose ports are to be judged. `on` notes what is asked of it.
    pub(super) fn side<'a>(&mut self, on: SwitchView<'a>) -> Side<'a> {
        if self.book.slots.len() > MOST_SAID || self.book.platforms.len() > KEPT {
            *self = Self::default();
        }
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
        Side { on, common, numbers, settled: FxHashMap::default() }
    }

    /// What the checks come to on a port, where they came to it before on one of its kind.
    pub(super) fn find(&mut self, side: &Side<'_>, port: usize) -> Option<Arc<Settled>> {
        let key = side.key(port);
        let hash = key.hash();
        let kind = self.lately.get(&hash).or_else(|| self.before.get(&hash)).filter(|kind| kind.key == key)?;
        let book = &mut self.book;
        let mut holds = |(question, answer): &(Question, Answer)| side.answer(book, *question) == *answer;
        let fitting = kind.variants.iter().find(|variant| variant.answers.iter().all(&mut holds));
        let settled = fitting.map(|variant| Arc::clone(&variant.settled))?;
        if !self.lately.contains_key(&hash) {
            let kind = self.before.remove(&hash)?;
            self.insert(hash, kind);
        }
        Some(settled)
    }

    /// Keeps what the checks came to on a port by what they asked.
    pub(super) fn keep(&mut self, side: &Side<'_>, port: usize, asked: Vec<Question>, settled: Settled) {
        let key = side.key(port);
        let hash = key.hash();
        let answers = asked.into_iter().map(|question| (question, side.answer(&mut self.book, question))).collect();
        let variant = Variant { answers, settled: Arc::new(settled) };
        let known = self.lately.remove(&hash).or_else(|| self.before.remove(&hash)).filter(|kind| kind.key == key);
        let mut kind = known.unwrap_or(Kind { key, variants: Vec::with_capacity(1) });
        if kind.variants.len() >= MOST_VARIANTS {
            kind.variants.remove(0);
        }
        kind.variants.push(variant);
        self.insert(hash, kind);
    }

    fn insert(&mut self, hash: u64, kind: Kind) {
        if self.lately.len() >= KEPT {
            self.before = std::mem::take(&mut self.lately);
        }
        self.lately.insert(hash, kind);
    }
}

impl Key {
    fn hash(&self) -> u64 {
        let mut hasher = FxHasher::default();
        (self.common, self.assigned, &self.written).hash(&mut hasher);
        hasher.finish()
    }
}

impl Side<'_> {
    fn key(&self, port: usize) -> Key {
        let number = |(setting, number): &(u16, u32)| (*setting, self.numbers[*number as usize]);
        let written = self.on.roles().rows.of(port).iter().map(number).collect();
        Key { common: self.common, assigned: self.on.role_of(port), written }
    }

    fn answer(&self, book: &mut Book, question: Question) -> Answer {
        let (switch, policy) = (self.on.unnoted(), self.on.policy());
        match question {
            Question::Switch(id) => book.slot(switch.slot(None, id)).into(),
            Question::Lists(id, vlan) => match &switch.slot(None, id).value {
                Some(crate::model::Value::Vlans(set)) => set.contains(vlan).into(),
                _ => 2,
            },
            Question::Vlan(vlan, id) => book.slot(switch.vlan_slot(vlan, id)).into(),
            Question::Site(vlan) => {
                let site = policy.vlan(switch.name(), vlan);
                book.entries(site.map(|site| std::ptr::from_ref(site).addr()).into_iter().collect()).into()
            }
            Question::SiteFor(purpose) => {
                let sites = policy.vlans_for(switch.name(), purpose);
                book.entries(sites.map(|site| std::ptr::from_ref(site).addr()).collect()).into()
            }
            Question::HasServer => self.on.without_notes().has_server().into(),
            Question::LeadsOutside => self.on.without_notes().leads_outside().into(),
            Question::IsUnattended => self.on.without_notes().is_unattended().into(),
        }
    }
}

/// The kinds that each thread of a judge takes, and gives back.
#[derive(Debug, Default)]
pub(super) struct Stores(Mutex<Vec<Kinds>>);

impl Stores {
    pub(super) fn take(&self) -> Kinds {
        self.0.lock().ok().and_then(|mut stores| stores.pop()).unwrap_or_default()
    }

    pub(super) fn give_back(&self, kinds: Kinds) {
        if let Ok(mut stores) = self.0.lock() {
            stores.push(kinds);
        }
    }
}
