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

macro_rules! traits {
    ($($name:ident = $word:literal, $many:literal, [$($value:literal),*], $meaning:literal;)+) => {
        /// The platform's traits, one constant each.
        pub mod platform {
            use super::{TraitId, TraitInfo};

            #[allow(non_camel_case_types)]
            enum Row { $($name),+ }

            $(
                #[doc = $meaning]
                pub const $name: TraitId = TraitId(Row::$name as usize);
            )+

            /// Every trait.
            pub static ALL: &[TraitInfo] =
                &[$(TraitInfo { name: $word, words: &[$($value),*], many: $many, meaning: $meaning }),+];
        }
    };
}

traits! {
    TRUNK_WITHOUT_LIST = "trunk-without-list", false, ["all", "none"],
        "What a trunk carries while no line lists its VLANs.";
    TRUNK_ADD = "trunk-add-without-list", false, ["adds", "starts-a-list"],
        "What a line does that adds a VLAN to a trunk without a list: adds to what the trunk carries by then (as when this is left out), or starts a list that holds this VLAN alone. A line that takes one away takes it from what the trunk carries.";
    MODE_FROM = "mode-from", false, ["statement", "membership"],
        "What makes a port a trunk: a statement (port.mode), or membership: one that is a tagged member of any VLAN but its voice VLAN.";
    PORT_SECURITY_VOID_IN = "port-security-void-in", true, ["access", "trunk", "negotiated"],
        "The modes in which port security is refused or ignored; [] when it works in all.";
    STATIONS_COUNTED = "stations-counted", false, ["per-station", "per-station-and-vlan"],
        "Whether a phone that speaks in two VLANs counts once or twice against the limit.";
    SNOOPING_SWITCHES = "snooping-switches", true, ["global", "vlan"],
        "Which switches must be thrown before DHCP snooping acts in a VLAN.";
    INSPECTION_SWITCHES = "inspection-switches", true, ["global", "vlan"],
        "Which switches must be thrown before ARP inspection acts in a VLAN.";
    MULTICAST_SWITCHES = "multicast-switches", true, ["global", "vlan", "filtering"],
        "Which switches must be thrown before unregistered groups are filtered in a VLAN.";
    PLAIN_ON_TRUNK = "plain-fast-start-on-trunk", false, ["works", "void"],
        "Whether the plain form of fast start works on a trunk.";
    EDGE_DETECTED = "edge-detected", false, ["yes", "no"],
        "Whether the rapid protocol takes a port for an edge by itself when no bridge is heard (about 3 s).";
    RAPID_WITHOUT_EDGE = "rapid-without-edge", false, ["standard", "classic"],
        "What a rapid port that is no edge waits towards a host: max age + hello by the standard's timers, or the classic 2 × forward delay.";
    HOST_SPEED_UP = "host-speed-up", true, ["voided-by-tags", "voided-by-second-station"],
        "Where the classic protocol has a speed-up for host ports: what voids it; [] when nothing does. Leave it out where there is none.";
    FILTER_ENDS = "edge-bpdu-filter-ends", false, ["on-bpdu", "never"],
        "Whether a BPDU filter set by the default for edge ports ends when a BPDU is heard.";
    FLAP_COUNTS = "flap-counts", false, ["loss-of-link", "each-change"],
        "What counts as a flap.";
    VLAN_MIRROR = "vlan-mirror", false, ["yes", "no"],
        "Whether a VLAN can be mirrored.";
    POWER_SET_ASIDE = "power-set-aside", true, ["negotiated", "class", "limit", "port-maximum"],
        "By what power is set aside for a port: the first of these that is known (IEEE 802.3, 33, 79 and 145).";
    VOICE_TOLD_BY = "voice-told-by", true, ["lldp-med", "own-protocol"],
        "Which announcements tell a phone its VLAN.";
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
    #[inline]
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
