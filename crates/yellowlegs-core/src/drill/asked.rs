//! What the machine asks of the settings in force. What is unknown leaves through `?`, with the setting it hangs on.

use std::cell::{Cell, RefCell};
use std::fmt;
use std::rc::Rc;
use std::sync::Arc;

use crate::model::{Key, Kind, SettingId, SettingSet, SettingType, Switch, TraitId, Value, VlanId};

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
pub struct Notes(RefCell<Vec<(Arc<str>, Page)>>);

/// The settings that were asked of one switch: the words of a set.
type Page = Rc<[Cell<u64>; 4]>;

impl Notes {
    /// The page of a switch.
    fn page(&self, switch: &Switch) -> Page {
        let mut pages = self.0.borrow_mut();
        if let Some((_, page)) = pages.iter().find(|(name, _)| name == switch.name()) {
            return Rc::clone(page);
        }
        let page = Page::default();
        pages.push((Arc::clone(switch.name()), Rc::clone(&page)));
        page
    }

    /// What was asked of one switch.
    pub(super) fn of(&self, switch: &str) -> SettingSet {
        let pages = self.0.borrow();
        let page = pages.iter().find(|(name, _)| **name == *switch);
        page.map(|(_, page)| SettingSet::of_words(page.each_ref().map(Cell::get))).unwrap_or_default()
    }

    /// What was asked of each switch.
    pub fn all(&self) -> Vec<(Arc<str>, SettingSet)> {
        self.0
            .borrow()
            .iter()
            .map(|(name, page)| (Arc::clone(name), SettingSet::of_words(page.each_ref().map(Cell::get))))
            .collect()
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
    pub(super) fn note(&self, id: SettingId) {
        if let Some(page) = &self.noted {
            let (word, bit) = SettingSet::place(id);
            page[word].set(page[word].get() | bit);
        }
    }

    /// Takes a note of all of these.
    pub(super) fn note_all(&self, asked: SettingSet) {
        if let Some(page) = &self.noted {
            page.iter().zip(asked.words()).for_each(|(noted, more)| noted.set(noted.get() | more));
        }
    }

    /// What comes when something is asked, and which settings it hangs on.
    pub(super) fn asking<T>(&self, ask: impl FnOnce(&Self) -> T) -> (T, SettingSet) {
        let page = Page::default();
        let told = ask(&Self { noted: Some(Rc::clone(&page)), ..self.clone() });
        (told, SettingSet::of_words(page.each_ref().map(Cell::get)))
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

    fn value<T: SettingType>(&self, id: SettingId, value: Option<&Value>) -> Known<T> {
        self.note(id);
        let assumed = || match &self.assumed {
            Some(Assumed::Setting(setting, value)) if *setting == id => T::read(value),
            _ => None,
        };
        value.and_then(T::read).or_else(assumed).ok_or(Hang { on: id.name(), what: Missing::Setting(id) })
    }

    /// A setting of a port, or of the switch beneath it.
    pub fn port<T: SettingType>(&self, port: usize, key: Key<T>) -> Known<T> {
        self.value(key.id, self.switch.slot(Some(port), key.id).value.as_ref())
    }

    /// A setting of the switch.
    pub fn switch_wide<T: SettingType>(&self, key: Key<T>) -> Known<T> {
        self.value(key.id, self.switch.slot(None, key.id).value.as_ref())
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
