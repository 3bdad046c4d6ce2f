//! What is not understood, and what it could have said: lines that nobody reads, texts that are not whole.

use std::sync::{Arc, LazyLock};

use super::{FactKind, Mark, Scope, SettingId};

/// How far a line that is not understood casts doubt.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum DoubtWidth {
    /// On what the rules that begin like it would have set, where it stands.
    Near,
    /// On everything that its block is about; outside all blocks on what rules that begin like it would have set, and
    /// on what it names.
    Block,
    /// On the whole switch.
    Switch,
}

impl DoubtWidth {
    /// Each with its word in policies.
    pub const WORDS: [(Self, &'static str); 3] =
        [(Self::Near, "near"), (Self::Block, "block"), (Self::Switch, "switch")];

    /// In a word.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(width, _)| *width == self).map_or("", |(_, word)| word)
    }
}

/// Settings, as a set.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub struct SettingSet([u64; 4]);

impl SettingSet {
    /// Those of a scope.
    pub fn of(scope: Scope) -> Self {
        static OF_SCOPES: LazyLock<[SettingSet; 4]> =
            LazyLock::new(|| Scope::ALL.map(|scope| SettingId::of(scope).collect()));
        OF_SCOPES[scope as usize]
    }

    /// Of its words.
    pub(crate) fn of_words(words: [u64; 4]) -> Self {
        Self(words)
    }

    /// Its words.
    pub(crate) fn words(self) -> [u64; 4] {
        self.0
    }

    /// Where one is in the words of a set.
    pub(crate) fn place(id: SettingId) -> (usize, u64) {
        (id.index() / 64, 1 << (id.index() % 64))
    }

    /// Puts one in.
    pub fn insert(&mut self, id: SettingId) {
        let (word, bit) = Self::place(id);
        self.0[word] |= bit;
    }

    /// Whether one is in it.
    pub fn contains(&self, id: SettingId) -> bool {
        self.0[id.index() / 64] >> (id.index() % 64) & 1 == 1
    }

    /// Where the setting of ports at a position among them is in the words of a set: ports' settings are the first of the catalogue.
    pub(crate) fn place_of_port_setting(at: u16) -> (usize, u64) {
        (usize::from(at) / 64, 1 << (at % 64))
    }

    /// Whether it holds none.
    pub fn is_empty(&self) -> bool {
        self.0 == [0; 4]
    }

    /// Whether one is in both.
    pub fn meets(&self, other: Self) -> bool {
        self.0.iter().zip(other.0).any(|(a, b)| a & b != 0)
    }

    /// What is in both.
    #[must_use]
    pub fn common(mut self, other: Self) -> Self {
        self.0.iter_mut().zip(other.0).for_each(|(a, b)| *a &= b);
        self
    }

    /// What is not in the other.
    #[must_use]
    pub fn without(mut self, other: Self) -> Self {
        self.0.iter_mut().zip(other.0).for_each(|(a, b)| *a &= !b);
        self
    }

    /// Both together.
    #[must_use]
    pub fn union(self, other: Self) -> Self {
        let mut both = self;
        both.0.iter_mut().zip(other.0).for_each(|(a, b)| *a |= b);
        both
    }

    /// Its settings, in the order of the catalogue.
    pub fn iter(&self) -> impl Iterator<Item = SettingId> {
        (0..).zip(self.0).flat_map(|(at, word)| {
            let bits = std::iter::successors(Some(word), |word| Some(word & word.wrapping_sub(1)));
            bits.take_while(|word| *word != 0).map(move |word| SettingId::at(64 * at + word.trailing_zeros() as u8))
        })
    }
}

impl FromIterator<SettingId> for SettingSet {
    fn from_iter<I: IntoIterator<Item = SettingId>>(settings: I) -> Self {
        let mut set = Self::default();
        settings.into_iter().for_each(|id| set.insert(id));
        set
    }
}

/// In what way a text is not one whole configuration.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Torn {
    /// A free text whose end is missing: what follows the line may be text or statements.
    FreeText,
    /// A comment of several lines whose end is missing.
    Comment,
    /// A block that nothing closes.
    Block,
    /// A close without a block.
    Close,
    /// A statement that nothing ends.
    Statement,
    /// The text ends inside a line: the last value may be cut.
    Line,
    /// The line that a whole text ends with is missing.
    End,
    /// Something stands behind the line that a whole text ends with, or another configuration begins.
    Second,
    /// The text names itself as another switch.
    OtherSwitch,
    /// More ports are named than any switch has: those beyond are left out.
    Ports,
    /// A range across parts of port names, and nothing says which ports lie between its ends.
    Range,
    /// Something is used by name and described nowhere.
    Dangling,
}

impl Torn {
    /// Each with its word in records.
    pub const WORDS: [(Self, &'static str); 12] = [
        (Self::FreeText, "free-text"),
        (Self::Comment, "comment"),
        (Self::Block, "block"),
        (Self::Close, "close"),
        (Self::Statement, "statement"),
        (Self::Line, "line"),
        (Self::End, "end"),
        (Self::Second, "second"),
        (Self::OtherSwitch, "other-switch"),
        (Self::Ports, "ports"),
        (Self::Range, "range"),
        (Self::Dangling, "dangling"),
    ];

    /// In a word.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(torn, _)| *torn == self).map_or("", |(_, word)| word)
    }

    /// From its word.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(_, there)| *there == word).map(|(torn, _)| *torn)
    }

    /// What is wrong, in a sentence about the line.
    pub fn says(self) -> &'static str {
        match self {
            Self::FreeText => "the free text that begins here has no end",
            Self::Comment => "the comment that begins here has no end",
            Self::Block => "the block that begins here is not closed",
            Self::Close => "a block is closed here that was not opened",
            Self::Statement => "the text ends inside this statement",
            Self::Line => "the text ends inside this line: its last word may be cut",
            Self::End => "the text ends without the line that a whole one ends with",
            Self::Second => "another configuration begins here in the same file",
            Self::OtherSwitch => "the configuration names itself as another switch",
            Self::Ports => "more ports are named than any switch has; those beyond are left out",
            Self::Range => {
                "no line names the ports between the ends of this range: only those that are named are judged"
            }
            Self::Dangling => "what this line uses is described nowhere",
        }
    }
}

/// A line that is not understood, or a place where the text is torn: what is doubtful by it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Doubt {
    /// The line.
    pub mark: Mark,
    /// Its shape, words that the dialect does not know masked; for a tear, what is wrong.
    pub shape: Arc<str>,
    /// Whether the text is torn there, rather than not understood.
    pub torn: Option<Torn>,
    /// The ports it could have spoken of, by position; `None`: every port.
    pub ports: Option<Arc<[usize]>>,
    /// The settings it could have changed.
    pub settings: SettingSet,
    /// The kind of facts it could have told.
    pub fact: Option<FactKind>,
    /// Whether it could have told of ports that nothing else names.
    pub more_ports: bool,
}

impl Doubt {
    /// Whether it could have spoken of a port; `None`: of the switch.
    pub fn reaches(&self, port: Option<usize>) -> bool {
        match (&self.ports, port) {
            (None, _) | (_, None) => true,
            (Some(ports), Some(port)) => ports.binary_search(&port).is_ok(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::settings;

    #[test]
    fn a_set_holds_what_was_put_in() {
        let mut set: SettingSet = [settings::MODE.id].into_iter().collect();
        set = set.union([settings::MIRROR_TARGET.id].into_iter().collect());
        for id in SettingId::all() {
            assert_eq!(
                set.contains(id),
                [settings::MODE.id, settings::MIRROR_TARGET.id].contains(&id),
                "{}",
                id.name()
            );
        }
        assert_eq!(set.iter().collect::<Vec<_>>(), [settings::MODE.id, settings::MIRROR_TARGET.id], "in their order");
        assert!(SettingSet::default().is_empty() && !set.is_empty());
    }

    #[test]
    fn sets_are_taken_together_and_apart() {
        let all: SettingSet = SettingId::all().collect();
        assert_eq!(all.iter().collect::<Vec<_>>(), SettingId::all().collect::<Vec<_>>());
        let mut rest = all;
        for scope in Scope::ALL {
            let of_scope = SettingSet::of(scope);
            assert!(of_scope.iter().eq(SettingId::of(scope)), "{}", scope.word());
            assert_eq!(rest.common(of_scope), of_scope, "each is of one scope");
            rest = rest.without(of_scope);
            assert!(!rest.meets(of_scope));
        }
        assert!(rest.is_empty());
    }
}
