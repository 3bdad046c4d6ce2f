//! What the site wants: VLANs and their purposes, roles, levels, waivers. See docs/policy.md.

mod as_of;
mod by_switch;
mod cables;
mod draft;
mod entries;
mod house;
mod inventory;
mod load;
mod ports;
mod problem;
mod roles;
mod site;
mod verdicts;
mod wishes;

use std::collections::BTreeMap;
use std::net::IpAddr;
use std::sync::Arc;

use globset::GlobMatcher;
use jiff::civil::Date;
use regex::Regex;

pub use as_of::{AsOf, AsOfProblem};
pub use cables::{At, Cables, Neighbour, Told, neighbours};
pub use draft::Draft;
pub use entries::{DhcpServer, End, Link, MirrorEntry, Outside, Sisters};
pub use house::{Condition, HouseRule, Name};
pub use inventory::{Inventory, InventoryFile, Station};
pub use ports::{PortPattern, PortsText};
pub use problem::PolicyProblem;
pub(crate) use roles::assign_roles;
pub use roles::{Assigned, Assignment, RoleFrom, assign, derived_from};
pub use site::{DetectedEdges, HostTags, Marking, Site, SiteValue, SwitchGlobs};
pub use wishes::{Expect, Expectation, Feature, Wish, Wished, expectations};

use by_switch::BySwitch;
use roles::Describing;

use crate::model::{Capability, StationAddress, VlanId, VlanSet};
use crate::source::{Place, Problem, Source};

/// How grave a finding is, gravest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Level {
    /// Somebody gets in, gets out or goes down.
    Breach,
    /// A safeguard is missing or half there.
    Risk,
    /// It will bite later.
    Advice,
}

impl Level {
    /// All, gravest first.
    pub const ALL: [Self; 3] = [Self::Breach, Self::Risk, Self::Advice];

    /// In a word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Breach => "breach",
            Self::Risk => "risk",
            Self::Advice => "advice",
        }
    }
}

/// What a port faces.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Faces {
    /// One host.
    Host,
    /// A phone with a computer behind it.
    PhoneAndHost,
    /// A phone alone.
    Phone,
    /// A host that speaks tagged, such as a virtualisation host.
    TaggedHost,
    /// A router.
    Router,
    /// Another switch, towards the root.
    BridgeUp,
    /// Another switch, away from the root.
    BridgeDown,
    /// An access point.
    AccessPoint,
    /// A capture device.
    Capture,
    /// Nothing: a spare port.
    Nothing,
}

impl Faces {
    const WORDS: [(Self, &'static str); 10] = [
        (Self::Host, "host"),
        (Self::PhoneAndHost, "phone-and-host"),
        (Self::Phone, "phone"),
        (Self::TaggedHost, "tagged-host"),
        (Self::Router, "router"),
        (Self::BridgeUp, "bridge-up"),
        (Self::BridgeDown, "bridge-down"),
        (Self::AccessPoint, "access-point"),
        (Self::Capture, "capture"),
        (Self::Nothing, "nothing"),
    ];

    /// In a word.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(f, _)| *f == self).map_or("", |(_, w)| w)
    }

    fn from_word(word: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(_, w)| *w == word).map(|(f, _)| *f)
    }

    /// Towards another switch.
    pub fn is_bridge(self) -> bool {
        matches!(self, Self::BridgeUp | Self::BridgeDown)
    }

    /// Towards a person's or a thing's device: host, phone or both; one untagged VLAN is right.
    pub fn is_untagged_host(self) -> bool {
        matches!(self, Self::Host | Self::Phone | Self::PhoneAndHost)
    }

    /// An edge port: users' devices hang on it.
    pub fn is_edge(self) -> bool {
        self.is_untagged_host() || matches!(self, Self::TaggedHost | Self::AccessPoint)
    }

    /// What a neighbour is that belongs there, by what it says it can do.
    pub fn fitting(self) -> &'static [Capability] {
        match self {
            Self::Host | Self::TaggedHost | Self::Capture => &[Capability::Station],
            Self::Phone => &[Capability::Telephone],
            Self::PhoneAndHost => &[Capability::Telephone, Capability::Station],
            Self::AccessPoint => &[Capability::AccessPoint],
            Self::Router => &[Capability::Router],
            Self::BridgeUp | Self::BridgeDown => &[Capability::Bridge, Capability::Router, Capability::Repeater],
            Self::Nothing => &[],
        }
    }

    /// A phone hangs on it.
    pub fn has_phone(self) -> bool {
        matches!(self, Self::Phone | Self::PhoneAndHost)
    }
}

/// What a VLAN is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Purpose {
    /// Computers.
    Data,
    /// Phones.
    Voice,
    /// Audio, video and control that cannot wait.
    RealTime,
    /// The switches themselves.
    Management,
    /// Where spare ports are put away.
    Parking,
    /// The untagged VLAN of trunks, with nobody in it.
    Native,
}

impl Purpose {
    const WORDS: [(Self, &'static str); 6] = [
        (Self::Data, "data"),
        (Self::Voice, "voice"),
        (Self::RealTime, "real-time"),
        (Self::Management, "management"),
        (Self::Parking, "parking"),
        (Self::Native, "native"),
    ];

    /// In a word.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(p, _)| *p == self).map_or("", |(_, w)| w)
    }

    fn from_word(word: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(_, w)| *w == word).map(|(p, _)| *p)
    }

    /// Users or their devices are in it.
    pub fn is_user(self) -> bool {
        matches!(self, Self::Data | Self::Voice | Self::RealTime)
    }
}

/// The policy line a demand stands in, or the built-in default it is.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Cite {
    /// A line of the policy file, quoted.
    Line {
        /// Where the words that matter begin.
        place: Place,
        /// How many characters matter.
        width: u32,
        /// The line's text.
        text: String,
    },
    /// What holds where the policy is silent.
    BuiltIn(String),
}

/// A VLAN of the site.
#[derive(Debug, Clone)]
pub struct SiteVlan {
    /// Its identifier.
    pub id: VlanId,
    /// Its name.
    pub name: Option<String>,
    /// What it is for.
    pub purpose: Option<Purpose>,
    /// The switches this entry is about, where an identifier is used twice.
    pub switches: Vec<GlobMatcher>,
    /// What is said in it is nobody else's business: mirrors of it need an agreement.
    pub sensitive: bool,
    /// Its subnets: address and how many of its bits count.
    pub subnets: Vec<(IpAddr, u8)>,
    /// Where it is written.
    pub cite: Cite,
}

impl SiteVlan {
    /// Whether an address is in one of its subnets; `None` where none of the address's family is given.
    pub fn holds(&self, ip: IpAddr) -> Option<bool> {
        let bits = |ip: IpAddr| match ip {
            IpAddr::V4(ip) => u128::from(u32::from(ip)) << 96,
            IpAddr::V6(ip) => u128::from(ip),
        };
        let family: Vec<_> = self.subnets.iter().filter(|(net, _)| net.is_ipv4() == ip.is_ipv4()).collect();
        let inside = |(net, length): &(IpAddr, u8)| {
            let mask = u128::MAX.checked_shl(128 - u32::from(*length)).unwrap_or(0);
            bits(*net) & mask == bits(ip) & mask
        };
        (!family.is_empty()).then(|| family.into_iter().any(inside))
    }
}

/// What ports are for.
#[derive(Debug, Clone)]
pub struct Role {
    /// Its name.
    pub name: String,
    /// What its ports face.
    pub faces: Faces,
    /// Most stations that are right.
    pub stations: Option<u32>,
    /// Fewest stations that must be admitted.
    pub stations_needed: Option<u32>,
    /// The VLANs it may use.
    pub vlans: VlanSet,
    /// Its voice VLAN.
    pub voice: Option<VlanId>,
    /// The ports listed for it.
    pub ports: Vec<PortPattern>,
    /// The descriptions that tell it.
    pub describes: Vec<(Regex, Cite)>,
    /// What the neighbour may be that tells it.
    pub endpoint: Vec<Capability>,
    /// Receives multicast.
    pub receiver: bool,
    /// Audio, video or control that cannot wait; `None`: its VLANs' purpose says so.
    pub time_critical: Option<bool>,
    /// What its features must be.
    pub expect: Expect,
    cites: BTreeMap<&'static str, Cite>,
}

impl Role {
    /// The policy line of one of its keys, or of its name when the key is silent.
    pub fn cite(&self, key: &'static str) -> &Cite {
        self.cites.get(key).or_else(|| self.cites.get("name")).unwrap_or(&NO_LINE)
    }

    /// The VLANs it may use, voice too.
    pub fn may_use(&self) -> VlanSet {
        let mut set = self.vlans.clone();
        self.voice.iter().for_each(|v| set.insert(*v));
        set
    }
}

static NO_LINE: Cite = Cite::BuiltIn(String::new());

/// Another level for a check, or for a check at ports of one role.
#[derive(Debug, Clone)]
pub struct LevelOverride {
    /// The role, when it is only for one.
    pub role: Option<String>,
    /// A check, or a family as `family/*`.
    pub check: String,
    /// The level; `None`: the check is off.
    pub level: Option<Level>,
}

/// An agreed exception.
#[derive(Debug, Clone)]
pub struct Waiver {
    /// A check, or a family as `family/*`.
    pub check: String,
    /// The switches it is for.
    pub switch: GlobMatcher,
    /// The ports it is for; all of the switch, and the switch itself, when it names none.
    pub port: Option<PortsText>,
    /// Why.
    pub reason: String,
    /// Who answers for it.
    pub owner: String,
    /// The last day it holds, inclusive.
    pub last_day: Date,
    /// Where it is written.
    pub cite: Cite,
}

/// Whether a pattern (`family/name`, `family/*`) names a check.
pub fn names_check(pattern: &str, check: &str) -> bool {
    pattern == check
        || pattern.strip_suffix("/*").is_some_and(|family| check.split_once('/').is_some_and(|(f, _)| f == family))
}

/// Which files in a switch's folder are what, as glob patterns.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Files {
    /// Running configurations.
    pub running: Vec<String>,
    /// Saved configurations; none of them: the fleet keeps no saved copies.
    pub saved: Vec<String>,
    /// Tables, stanzas and logs: what the switch says of its state.
    pub state: Vec<String>,
    /// Walks: what the switch's management agent answered.
    pub walk: Vec<String>,
    /// Switch records, one switch a file, from the fleet's root.
    pub single: Vec<String>,
    /// Dialects, from the fleet's root.
    pub dialects: Vec<String>,
}

impl Default for Files {
    fn default() -> Self {
        let one = |glob: &str| vec![glob.to_owned()];
        Self {
            running: one("config*.txt"),
            saved: one("saved*.txt"),
            state: vec!["*.out".to_owned(), "events*.log".to_owned()],
            walk: one("*.walk"),
            single: one("switches/*.json"),
            dialects: one("dialects/*.toml"),
        }
    }
}

/// Where the engineer comes in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Management {
    /// The switch.
    pub switch: String,
    /// The port.
    pub port: String,
}

/// A site's policy.
#[derive(Debug, Clone, Default)]
pub struct Policy {
    /// The time evidence is judged at, where it is frozen.
    pub as_of: Option<AsOf>,
    /// What the site wants.
    pub site: Site,
    /// Where the engineer comes in.
    pub management: Option<Management>,
    /// Which files are what.
    pub files: Files,
    /// The site's VLANs.
    pub vlans: Vec<SiteVlan>,
    /// Which ways of recognition are used beside lists.
    pub derive: Derive,
    /// The roles, in the order of the file.
    pub roles: Vec<Role>,
    /// Other levels.
    pub levels: Vec<LevelOverride>,
    /// Agreed exceptions.
    pub waivers: Vec<Waiver>,
    /// DHCP servers that may answer.
    pub dhcp_servers: Vec<DhcpServer>,
    /// Cables between switches.
    pub links: Vec<Link>,
    /// Mirror sessions that are agreed on.
    pub mirrors: Vec<MirrorEntry>,
    /// Switches that are to be alike.
    pub sisters: Vec<Sisters>,
    /// Rules of the house.
    pub rules: Vec<HouseRule>,
    /// Where the station inventory is, and what its columns are called.
    pub inventory: Option<InventoryFile>,
    /// The station inventory, once it was read.
    pub stations: Option<Inventory>,
    /// Waivers, links, servers, mirrors and lists by the switch that they name.
    by_switch: BySwitch,
    /// What tells roles by descriptions.
    describing: Describing,
}

/// Which ways of recognising a role are used beside the policy's lists.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Derive {
    /// The role's patterns on descriptions.
    pub description: bool,
    /// What the neighbour says it is.
    pub neighbour: bool,
    /// VLAN and mode.
    pub vlan: bool,
}

impl Default for Derive {
    fn default() -> Self {
        Self { description: true, neighbour: true, vlan: true }
    }
}

impl Policy {
    /// Whether some entry is about a switch by its name: a group of sisters, a link, a server, a list of ports.
    pub fn names_switch(&self, name: &str) -> bool {
        let sisters = self.sisters.iter().flat_map(|group| &group.switches).any(|glob| glob.is_match(name));
        let ends = self.links.iter().flat_map(|link| [Some(&link.a), link.b.as_ref()]).flatten();
        let servers = self.dhcp_servers.iter().map(|server| &server.at);
        let listed = self.roles.iter().flat_map(|role| &role.ports).map(|ports| &ports.switch);
        let listed = listed.filter(|glob| glob.glob().glob() != "*").any(|glob| glob.is_match(name));
        sisters || listed || ends.chain(servers).any(|end| end.switch == name)
    }

    /// Reads a policy; all that is wrong with it is told at once. `checks` are the ids that levels and waivers may name.
    pub fn load(source: &Arc<Source>, checks: &[&str]) -> Result<Self, Vec<Problem>> {
        load::load(source, checks)
    }

    /// Whether an address is a phone's: by the site's prefixes or by the inventory.
    pub fn is_phone(&self, address: StationAddress) -> bool {
        let by_prefix = self.site.phone_prefixes.value.iter().any(|start| address.begins_with(start));
        let kind = self.stations.as_ref().and_then(|all| all.get(address)).and_then(|station| station.kind.as_deref());
        by_prefix || kind.is_some_and(|kind| ["phone", "telephone"].iter().any(|word| kind.eq_ignore_ascii_case(word)))
    }

    /// The site's entry for a VLAN on a switch: one that names the switch before one that names none.
    #[inline]
    pub fn vlan(&self, switch: &str, id: VlanId) -> Option<&SiteVlan> {
        let mine = self.vlans.iter().filter(|v| v.id == id);
        let named = mine.clone().find(|v| v.switches.iter().any(|glob| glob.is_match(switch)));
        named.or_else(|| mine.clone().find(|v| v.switches.is_empty()))
    }

    /// The site's VLANs of one purpose on a switch.
    pub fn vlans_for(&self, switch: &str, purpose: Purpose) -> impl Iterator<Item = &SiteVlan> {
        self.vlans.iter().filter(move |v| {
            v.purpose == Some(purpose) && self.vlan(switch, v.id).is_some_and(|chosen| std::ptr::eq(chosen, *v))
        })
    }

    /// A check's level at a port of a role: the last override that fits; `None`: off.
    #[inline]
    pub fn level(&self, check: &str, role: Option<&str>, default: Level) -> Option<Level> {
        let fits = |o: &&LevelOverride| {
            names_check(&o.check, check) && o.role.as_deref().is_none_or(|wanted| role == Some(wanted))
        };
        // What is said for the role wins over what is said for all.
        let chosen = self.levels.iter().filter(fits).max_by_key(|o| o.role.is_some());
        chosen.map_or(Some(default), |o| o.level)
    }
}
