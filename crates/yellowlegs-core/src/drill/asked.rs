//! What the machine asks of the settings in force. What is unknown leaves through `?`, with the setting it hangs on.

use std::cell::{Cell, RefCell};
use std::fmt;
use std::rc::Rc;
use std::sync::Arc;

use super::noted::{LIMITS, Noted, number};
use crate::model::{Element, Key, Kind, List, SettingId, SettingSet, SettingType, Switch, TraitId, Value, VlanId};

/// Something that nobody knows, and on which it hangs how the machine goes on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hang {
    /// The setting or trait, or what else is missing.
    pub on: &'static str,
    what: Missing,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Missing {
    Setting(SettingId),
    Platform(TraitId),
    Fact,
}

/// A value, or what it hangs on.
pub type Known<T> = Result<T, Hang>;

/// What is taken to be so in place of something unknown.
#[derive(Debug, Clone, PartialEq)]
pub enum Assumed {
    /// A value of a setting.
    Setting(SettingId, Value),
    /// The word of a trait that holds, and no other.
    Platform(TraitId, &'static str),
}

impl fmt::Display for Assumed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Setting(_, value) => value.fmt(f),
            Self::Platform(_, word) => f.write_str(word),
        }
    }
}

/// Which settings were asked, of which switch: what was played comes out the same until one of them changes.
#[derive(Debug, Default)]
pub struct Notes {
    pages: RefCell<Vec<(Arc<str>, Page)>>,
    /// Whether another port had a part by its place: the first of several was taken, or named.
    by_place: Cell<bool>,
}

/// What was asked of one switch.
type Page = Rc<Noting>;

/// What is asked, as it is noted: the words of a set, and what each limit had to bear.
#[derive(Debug, Default)]
struct Noting {
    asked: [Cell<u64>; 4],
    came: [Cell<u64>; LIMITS.len()],
}

impl Noting {
    fn noted(&self) -> Noted {
        let asked = SettingSet::of_words(self.asked.each_ref().map(Cell::get));
        Noted::new(asked, self.came.each_ref().map(Cell::get))
    }
}

impl Notes {
    /// The page of a switch.
    fn page(&self, switch: &Switch) -> Page {
        let mut pages = self.pages.borrow_mut();
        if let Some((_, page)) = pages.iter().find(|(name, _)| name == switch.name()) {
            return Rc::clone(page);
        }
        let page = Page::default();
        pages.push((Arc::clone(switch.name()), Rc::clone(&page)));
        page
    }

    /// Another port has a part by its place.
    pub(super) fn goes_by_place(&self) {
        self.by_place.set(true);
    }

    /// Whether one had.
    pub(super) fn went_by_place(&self) -> bool {
        self.by_place.get()
    }

    /// What was asked of one switch.
    pub(super) fn of(&self, switch: &str) -> Noted {
        let pages = self.pages.borrow();
        let page = pages.iter().find(|(name, _)| **name == *switch);
        page.map(|(_, page)| page.noted()).unwrap_or_default()
    }

    /// What was asked of each switch.
    pub fn all(&self) -> Vec<(Arc<str>, SettingSet)> {
        self.pages.borrow().iter().map(|(name, page)| (Arc::clone(name), page.noted().all())).collect()
    }
}

/// The settings of one switch, with at most one thing assumed in place of what is unknown.
#[derive(Debug, Clone)]
pub struct Asked<'a> {
    switch: &'a Switch,
    assumed: Option<Assumed>,
    noted: Option<Page>,
}

impl<'a> Asked<'a> {
    /// The settings in force.
    pub fn new(switch: &'a Switch) -> Self {
        Self { switch, assumed: None, noted: None }
    }

    /// With notes of what is asked.
    #[must_use]
    pub fn noting(self, notes: Option<&Notes>) -> Self {
        Self { noted: notes.map(|notes| notes.page(self.switch)), ..self }
    }

    /// Whether it is noted what is asked.
    pub(super) fn is_noted(&self) -> bool {
        self.noted.is_some()
    }

    /// Takes a note of what is asked.
    #[inline]
    pub(super) fn note(&self, id: SettingId) {
        if let Some(page) = &self.noted {
            let (word, bit) = SettingSet::place(id);
            page.asked[word].set(page.asked[word].get() | bit);
        }
    }

    /// Takes a note of all of these.
    pub(super) fn note_all(&self, asked: Noted) {
        if let Some(page) = &self.noted {
            page.asked.iter().zip(asked.asked().words()).for_each(|(noted, more)| noted.set(noted.get() | more));
            if asked.came() != [0; LIMITS.len()] {
                page.came.iter().zip(asked.came()).for_each(|(noted, more)| noted.set(noted.get().max(more)));
            }
        }
    }

    /// What comes when something is asked, and which settings it hangs on.
    pub(super) fn asking<T>(&self, ask: impl FnOnce(&Self) -> T) -> (T, Noted) {
        let page = Page::default();
        let told = ask(&Self { noted: Some(Rc::clone(&page)), ..self.clone() });
        (told, page.noted())
    }

    /// With something in place of what is unknown.
    #[must_use]
    pub fn assuming(self, assumed: Assumed) -> Self {
        Self { assumed: Some(assumed), ..self }
    }

    /// Whether something is.
    pub(super) fn assumes(&self) -> bool {
        self.assumed.is_some()
    }

    /// The switch.
    pub fn switch(&self) -> &'a Switch {
        self.switch
    }

    #[inline]
    fn value<T: SettingType>(&self, id: SettingId, value: Option<&Value>) -> Known<T> {
        self.note(id);
        self.unnoted(id, value)
    }

    #[inline]
    fn unnoted<T: SettingType>(&self, id: SettingId, value: Option<&Value>) -> Known<T> {
        let assumed = || match &self.assumed {
            Some(Assumed::Setting(setting, value)) if *setting == id => T::read(value),
            _ => None,
        };
        value.and_then(T::read).or_else(assumed).ok_or(Hang { on: id.name(), what: Missing::Setting(id) })
    }

    /// A setting of a port, or of the switch beneath it.
    #[inline]
    pub fn port<T: SettingType>(&self, port: usize, key: Key<T>) -> Known<T> {
        self.value(key.id, self.switch.slot(Some(port), key.id).value.as_ref())
    }

    /// A limit of a port, of which nothing is asked but whether it bears what came, at least 1: to whoever bears more it makes no
    /// difference how much.
    pub(super) fn limit<T: SettingType>(&self, port: usize, key: Key<T>, came: u64) -> Known<T> {
        if let (Some(page), Some(limit)) = (&self.noted, number(key.id)) {
            page.came[limit].set(page.came[limit].get().max(came));
        }
        debug_assert!(came > 0 && number(key.id).is_some());
        self.unnoted(key.id, self.switch.slot(Some(port), key.id).value.as_ref())
    }

    /// A setting of the switch.
    #[inline]
    pub fn switch_wide<T: SettingType>(&self, key: Key<T>) -> Known<T> {
        self.value(key.id, self.switch.slot(None, key.id).value.as_ref())
    }

    /// The elements of a list of a port, or of the switch: they are asked for every frame, by all threads at once, and what counts how many hold
    /// a list is fought over.
    #[inline]
    pub(super) fn elements<T: Element>(
        &self,
        port: Option<usize>,
        id: SettingId,
        list: fn(&Value) -> Option<&List<T>>,
    ) -> Known<&'a [T]> {
        self.note(id);
        let value = self.switch.slot(port, id).value.as_ref();
        // Nothing is ever assumed in place of a list.
        let elements = value.and_then(list).map(|list| &**list.elements());
        elements.ok_or(Hang { on: id.name(), what: Missing::Setting(id) })
    }

    /// A setting of a VLAN.
    pub fn vlan<T: SettingType>(&self, vlan: VlanId, key: Key<T>) -> Known<T> {
        self.value(key.id, self.switch.vlan_slot(vlan, key.id).value.as_ref())
    }

    /// Whether a word of one of the platform's traits holds.
    pub fn platform(&self, id: TraitId, word: &str) -> Known<bool> {
        let assumed = || match self.assumed {
            Some(Assumed::Platform(platform, holds)) if platform == id => Some(holds == word),
            _ => None,
        };
        let hang = Hang { on: id.info().name, what: Missing::Platform(id) };
        self.switch.traits().holds(id, word).or_else(assumed).ok_or(hang)
    }
}

impl Hang {
    /// A fact that is neither setting nor trait.
    pub fn fact(on: &'static str) -> Self {
        Self { on, what: Missing::Fact }
    }

    /// Whether it is a setting in seconds.
    pub fn is_of_time(&self) -> bool {
        matches!(self.what, Missing::Setting(id) if id.info().kind == Kind::Seconds)
    }

    /// What may be so in place of what is unknown, where that is little enough to try each.
    pub fn tries(&self) -> Vec<Assumed> {
        match self.what {
            Missing::Setting(id) => {
                let values: Vec<Value> = match id.info().kind {
                    Kind::Flag => vec![Value::Flag(true), Value::Flag(false)],
                    Kind::Choice(set) => {
                        (0..set.words.len()).map(|index| Value::Choice { set, index: index as u8 }).collect()
                    }
                    _ => Vec::new(),
                };
                values.into_iter().map(|value| Assumed::Setting(id, value)).collect()
            }
            Missing::Platform(id) => id.info().words.iter().map(|word| Assumed::Platform(id, word)).collect(),
            Missing::Fact => Vec::new(),
        }
    }
}
