//! Traits: what is law on one platform and untrue on the next. Silent means unknown.

use super::Mark;

/// A row of the list of traits.
#[derive(Debug)]
pub struct TraitInfo {
    /// Name, as dialects write it.
    pub name: &'static str,
    /// The words it may be.
    pub words: &'static [&'static str],
    /// Whether several words (or none) may hold at once, written as a list.
    pub many: bool,
    /// What it says about the platform.
    pub meaning: &'static str,
}

/// Position in [`platform::ALL`].
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct TraitId(usize);

impl TraitId {
    /// Its row.
    pub fn info(self) -> &'static TraitInfo {
        &platform::ALL[self.0]
    }

    /// Finds one by name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::all().find(|id| id.info().name == name)
    }

    /// All of them.
    pub fn all() -> impl Iterator<Item = Self> {
        (0..platform::ALL.len()).map(Self)
    }
}

/// The platform's traits, one constant each.
pub mod platform {
    use super::{TraitId, TraitInfo};

    /// What a trunk carries while no line lists its VLANs.
    pub const TRUNK_WITHOUT_LIST: TraitId = TraitId(0);
    /// The modes in which port security has no effect.
    pub const PORT_SECURITY_VOID_IN: TraitId = TraitId(1);
    /// How a port's stations are counted against its limit.
    pub const STATIONS_COUNTED: TraitId = TraitId(2);
    /// Which switches DHCP snooping needs.
    pub const SNOOPING_SWITCHES: TraitId = TraitId(3);

    /// Every trait.
    pub static ALL: &[TraitInfo] = &[
        TraitInfo {
            name: "trunk-without-list",
            words: &["all", "none"],
            many: false,
            meaning: "what a trunk carries while no line lists its VLANs",
        },
        TraitInfo {
            name: "port-security-void-in",
            words: &["access", "trunk", "negotiated"],
            many: true,
            meaning: "the modes in which port security is refused or ignored; [] when it works in all",
        },
        TraitInfo {
            name: "stations-counted",
            words: &["per-station", "per-station-and-vlan"],
            many: false,
            meaning: "whether a phone that speaks in two VLANs counts once or twice against the limit",
        },
        TraitInfo {
            name: "snooping-switches",
            words: &["global", "vlan"],
            many: true,
            meaning: "which switches must be thrown before DHCP snooping acts in a VLAN",
        },
    ];
}

/// What a dialect declares of one trait: a bit for each word that holds, and the line that says so.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct TraitSlot {
    /// Bit n: word n holds.
    pub bits: u32,
    /// The line of the dialect.
    pub mark: Option<Mark>,
}

/// The traits of one platform.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Traits {
    slots: Vec<Option<TraitSlot>>,
}

impl Traits {
    /// Declares one.
    pub fn set(&mut self, id: TraitId, slot: TraitSlot) {
        self.slots.resize(platform::ALL.len(), None);
        self.slots[id.0] = Some(slot);
    }

    /// What is declared; `None` when it is unknown.
    pub fn get(&self, id: TraitId) -> Option<TraitSlot> {
        self.slots.get(id.0).copied().flatten()
    }

    /// Whether a word holds; `None` when the trait is unknown or has no such word.
    pub fn holds(&self, id: TraitId, word: &str) -> Option<bool> {
        let position = id.info().words.iter().position(|w| *w == word)?;
        Some(self.get(id)?.bits >> position & 1 == 1)
    }

    /// The words that hold; `None` when the trait is unknown.
    pub fn words(&self, id: TraitId) -> Option<Vec<&'static str>> {
        let bits = self.get(id)?.bits;
        Some(id.info().words.iter().enumerate().filter(|(i, _)| bits >> i & 1 == 1).map(|(_, w)| *w).collect())
    }
}
