//! Writing a change: the lines that give one setting another value, from the same patterns that read it.
//!
//! Candidates are made from every rule that could say it, and each is tried: the changed text is read again, and only
//! what gives the wanted model and no other is taken.

use std::fmt;
use std::sync::Arc;

mod differ;
mod write;

pub use differ::differences;

use super::{Resolved, State, resolve_with};
use crate::dialect::Dialect;
use crate::model::{Origin, SavedCopy, SettingId, Slot, Value, VlanId};
use crate::source::Source;
use write::{Place, Writer};

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

/// One value for a setting in several places.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Several {
    /// Of what: at least one.
    pub abouts: Vec<About>,
    /// Which.
    pub setting: SettingId,
    /// Its value.
    pub value: Value,
    /// Written for each place by itself, also where one line could say it of all.
    pub each: bool,
}

impl Several {
    fn wanted(&self, about: &About) -> Wanted {
        Wanted { about: about.clone(), setting: self.setting, value: self.value.clone() }
    }
}

/// How wide a change is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Wide {
    /// For each place by itself.
    Each,
    /// For several ports in one list.
    Range,
    /// In a profile that just these ports use.
    Profile(Arc<str>),
    /// As a default that reaches just these ports.
    Default,
}

/// Which of the ways to say a setting worked: the next one like it is tried by it first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Way {
    /// In a list of ports.
    in_list: bool,
    /// Which of the candidates.
    position: usize,
}

impl Way {
    /// Whether it says it of several ports at once.
    pub fn is_list(self) -> bool {
        self.in_list
    }
}

/// The lines that make a change.
#[derive(Debug, Clone)]
pub struct Edit {
    /// The lines, as they are typed or put at the end of the configuration.
    pub lines: Vec<String>,
    /// The configuration with them.
    pub text: String,
    /// Other settings that the same lines change.
    pub also: Vec<(About, SettingId)>,
    /// How wide they are written.
    pub wide: Wide,
    /// The switch with them.
    pub after: Resolved,
    /// Which way to say it that was, where the next one like it can be said so.
    pub way: Option<Way>,
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

    /// The text it was read from; none of a record.
    pub fn text(&self) -> Option<&str> {
        Some(self.history.as_deref()?.source.text())
    }

    /// The dialect it was read in; none of a record.
    pub fn dialect(&self) -> Option<&Arc<Dialect>> {
        Some(&self.history.as_deref()?.dialect)
    }

    /// The same switch with another configuration; state and saved copy stay.
    pub fn with_text(&self, text: impl Into<String>) -> Option<Self> {
        let path = Arc::clone(self.history.as_deref()?.source.path());
        self.with_source(Arc::new(Source::of(path, text.into())))
    }

    pub(super) fn with_source(&self, source: Arc<Source>) -> Option<Self> {
        let history = self.history.as_deref()?;
        let name = Arc::clone(self.switch.name());
        Some(resolve_with(name, &history.dialect, source, &history.state).with_saved(self.switch.saved().clone()))
    }

    /// Whether nothing was read of its state.
    pub fn is_alone(&self) -> bool {
        self.history.as_deref().is_some_and(|history| history.state.texts.is_empty())
    }

    /// The configuration alone, without state and saved copy.
    pub fn alone(&self) -> Option<Self> {
        let history = self.history.as_deref()?;
        if self.is_alone() {
            return Some(self.clone().with_saved(SavedCopy::NotKept));
        }
        let state = State::default();
        Some(resolve_with(Arc::clone(self.switch.name()), &history.dialect, Arc::clone(&history.source), &state))
    }

    /// The lines that make a change; the ones that change the least besides, of those the fewest.
    pub fn edit(&self, wanted: &Wanted) -> Result<Edit, EditProblem> {
        let history = self.history.as_deref().ok_or(EditProblem::NoText)?;
        let all = std::slice::from_ref(&wanted.about);
        let writer = Writer { before: self, dialect: &history.dialect, wanted, all, place: Place::Own };
        writer.best().ok_or_else(|| self.problem(wanted))
    }

    /// The lines that make a change in several places: a default, a profile or a list of ports where one reaches just these;
    /// else for each by itself.
    pub fn edit_all(&self, several: &Several) -> Result<Edit, EditProblem> {
        let Several { abouts, each, .. } = several;
        let history = self.history.as_deref().ok_or(EditProblem::NoText)?;
        let Some(first) = abouts.first().map(|about| several.wanted(about)) else { return Err(EditProblem::NoText) };
        if abouts.len() == 1 {
            return self.edit(&first);
        }
        let writer = |place| Writer { before: self, dialect: &history.dialect, wanted: &first, all: abouts, place };
        if !each {
            let mut wide = writer(Place::Own).wider_places().into_iter();
            if let Some(edit) = wide.find_map(|place| writer(place).best()) {
                return Ok(edit);
            }
        }
        // As the first is written, so are the others, most often: tried all at once.
        let alone = Writer { all: &abouts[..1], ..writer(Place::Own) };
        let way = alone.best().ok_or_else(|| self.problem(&first))?.way;
        match way.and_then(|way| self.edit_by(several, way)) {
            Some(edit) => Ok(edit),
            None => self.one_by_one(several),
        }
    }

    /// Whether a default or a profile could say it of all: what neither can is said port by port, or in a list.
    pub fn may_be_wide(&self, several: &Several) -> bool {
        let Some((history, first)) = self.history.as_deref().zip(several.abouts.first()) else { return false };
        let (wanted, all) = (several.wanted(first), &several.abouts[..]);
        let writer = Writer { before: self, dialect: &history.dialect, wanted: &wanted, all, place: Place::Own };
        all.len() > 2 && !several.each && writer.may_say(Origin::Profile)
    }

    /// The same by a way that worked for one like it; none where it does not work here.
    pub fn edit_by(&self, several: &Several, way: Way) -> Option<Edit> {
        let history = self.history.as_deref()?;
        let lines = self.lines_by(several, way)?;
        let first = several.wanted(several.abouts.first()?);
        let place = if way.in_list { Place::Ports(String::new()) } else { Place::Own };
        let writer = Writer { before: self, dialect: &history.dialect, wanted: &first, all: &several.abouts, place };
        writer.tried(lines).map(|edit| Edit { way: Some(way), ..edit })
    }

    /// The lines by which a change would be made, if a way works that worked for one like it.
    pub fn lines_by(&self, several: &Several, way: Way) -> Option<Vec<String>> {
        let history = self.history.as_deref()?;
        let first = several.wanted(several.abouts.first()?);
        let writer =
            Writer { before: self, dialect: &history.dialect, wanted: &first, all: &several.abouts, place: Place::Own };
        if way.in_list {
            let place = writer.list()?;
            return Writer { place, ..writer }.ordered().into_iter().nth(way.position);
        }
        let lines_of = |about: &About| {
            let wanted = several.wanted(about);
            Writer { wanted: &wanted, ..writer.clone() }.ordered().into_iter().nth(way.position)
        };
        let each: Option<Vec<Vec<String>>> = several.abouts.iter().map(lines_of).collect();
        Some(each?.concat())
    }

    /// One place after the other, each on what came of the one before.
    fn one_by_one(&self, several: &Several) -> Result<Edit, EditProblem> {
        let mut now = self.clone();
        let (mut lines, mut also) = (Vec::new(), Vec::new());
        for about in &several.abouts {
            if now.slot_by_hand(about, several.setting).value.as_ref() == Some(&several.value) {
                continue;
            }
            let edit = now.edit(&several.wanted(about))?;
            now = edit.after;
            lines.extend(edit.lines);
            also.extend(edit.also);
        }
        let text = now.text().unwrap_or_default().to_owned();
        Ok(Edit { lines, text, also, wide: Wide::Each, after: now, way: None })
    }

    fn problem(&self, wanted: &Wanted) -> EditProblem {
        let Some(history) = self.history.as_deref() else { return EditProblem::NoText };
        let (setting, value) = (wanted.setting.name(), wanted.value.to_string());
        let never = history.dialect.writing().never.iter().find(|(id, _)| *id == wanted.setting);
        match never {
            Some((_, reason)) => EditProblem::Never { setting, reason: reason.clone() },
            None => EditProblem::NoRule { setting, value, about: wanted.about.clone() },
        }
    }
}
