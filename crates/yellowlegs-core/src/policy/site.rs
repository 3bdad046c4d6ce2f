//! `[site]`: the values that checks call policy, each with its built-in default.

use globset::{Glob, GlobMatcher};

use super::Cite;
use super::wishes::{Wish, Wished};
use crate::dialect::duration;
use crate::model::{Cause, Choice, DoubtWidth, Kind, Rate, RelayInfo, Seconds, Trust, Unidirectional, Value, VlanSet};
use crate::source::{Entry, Scalar};

/// A value of `[site]`, for the guide and for `policy show`.
#[derive(Debug, Clone, Copy)]
pub struct SiteValue {
    /// Its key.
    pub key: &'static str,
    /// What may stand there.
    pub values: &'static str,
    /// What it means.
    pub meaning: &'static str,
}

/// A type that a value of the site can have.
trait Read: Sized {
    const VALUES: &'static str;
    fn read(entry: &Entry<'_>) -> Option<Self>;
    fn show(&self) -> String;
}

macro_rules! site {
    ($($field:ident: $type:ty = $key:literal, $default:expr, $meaning:literal;)+) => {
        /// What the site wants; what it does not say has its built-in default.
        #[derive(Debug, Clone)]
        pub struct Site {
            /// The site's name.
            pub name: Option<String>,
            $(#[doc = $meaning] pub $field: Wished<$type>,)+
        }

        impl Default for Site {
            fn default() -> Self {
                $(let $field: $type = $default;)+
                Self { name: None, $($field: Wished { cite: built_in($key, &Read::show(&$field)), value: $field },)+ }
            }
        }

        impl Site {
            /// Every value, in the order of the guide.
            pub const VALUES: &[SiteValue] =
                &[$(SiteValue { key: $key, values: <$type as Read>::VALUES, meaning: $meaning }),+];

            /// Puts a value in its place; `None`: no such key; `Some(false)`: it cannot have this value.
            pub(super) fn take(&mut self, key: &str, entry: &Entry<'_>, cite: Cite) -> Option<bool> {
                if let Some((least, most)) = range_of(key)
                    && let Some(Scalar::Integer(number)) = entry.scalar()
                    && !(least..=most).contains(&number)
                {
                    return Some(false);
                }
                match key {
                    $($key => {
                        let Some(value) = Read::read(entry) else { return Some(false) };
                        self.$field = Wished { value, cite };
                    })+
                    _ => return None,
                }
                Some(true)
            }

            /// Each value as it is in force, and who says so.
            pub fn shown(&self) -> Vec<(&'static SiteValue, String, &Cite)> {
                let mut rows = Self::VALUES.iter();
                let mut shown = Vec::new();
                $(if let Some(row) = rows.next() {
                    shown.push((row, Read::show(&self.$field.value), &self.$field.cite));
                })+
                shown
            }
        }
    };
}

/// Numbers that a standard bounds (IEEE 802.1Q, 6.9.3; RFC 2474, 3; RFC 3376), and shares in percent.
const RANGES: [(&str, i64, i64); 6] = [
    ("voice-priority", 0, 7),
    ("signalling-priority", 0, 7),
    ("voice-dscp", 0, 63),
    ("signalling-dscp", 0, 63),
    ("query-version", 1, 3),
    ("unread-share", 0, 100),
];

/// The least and the most that a number may be.
pub(super) fn range_of(key: &str) -> Option<(i64, i64)> {
    RANGES.iter().find(|(name, ..)| *name == key).map(|(_, least, most)| (*least, *most))
}

fn built_in(key: &str, value: &str) -> Cite {
    Cite::BuiltIn(format!("built-in default: {key} is {value}"))
}

site! {
    root: Option<String> = "root", None, "The switch that is meant to be the root of the spanning tree.";
    phone_prefixes: Vec<String> = "phone-prefixes", Vec::new(), "What the station addresses of the site's phones begin with.";
    rapid: Wish = "rapid-protocol", Wish::Wanted, "Whether the rapid (or multiple) spanning tree is to run.";
    start_within: Seconds = "start-within", Seconds(5), "Most seconds from plug-in to forwarding on an edge port.";
    detected_edges: DetectedEdges = "detected-edges", DetectedEdges::Enough, "Whether an edge that the platform detects by itself is one (enough), or fast start must be written (set).";
    host_tags: HostTags = "host-tags", HostTags::None, "Which tagged frames a single host may send: none, or those of its own VLAN where ingress filtering takes in no others (own-vlan).";
    snooping_vlans: VlanSet = "snooping-vlans", VlanSet::default(), "VLANs that DHCP snooping must cover besides those of edge ports.";
    dhcp_rate: Option<Rate> = "dhcp-rate-limit", None, "Highest rate limit of client messages on edge ports; none: any limit will do.";
    address_check: Wish = "address-check", Wish::Wanted, "Whether a client's hardware address is to be compared with its frame's source.";
    relay_info: RelayInfo = "relay-info", RelayInfo::Keep, "What is done with relay information (option 82, RFC 3046).";
    binding_store: Wish = "binding-store", Wish::Wanted, "Whether bindings are to be kept across a restart.";
    storm_broadcast: Option<Rate> = "storm-broadcast", None, "Highest limit of broadcast on edge ports; none: any limit will do.";
    storm_multicast: Option<Rate> = "storm-multicast", None, "Highest limit of multicast on edge ports; none: any limit will do.";
    voice_priority: u32 = "voice-priority", 5, "The 802.1p priority announced for voice, 0 to 7.";
    voice_dscp: u32 = "voice-dscp", 46, "The DSCP announced for voice, 0 to 63.";
    signalling_priority: Option<u32> = "signalling-priority", None, "The 802.1p priority announced for voice signalling; none: not judged.";
    signalling_dscp: Option<u32> = "signalling-dscp", None, "The DSCP announced for voice signalling; none: not judged.";
    marking: Marking = "marking", Marking::Any, "Which marking the site uses and ports of phones and of time-critical roles must trust.";
    range_most: Option<u32> = "range-stations", None, "Most stations that one range of addresses may take in (dynamic assignment); none: not judged.";
    multicast: Wish = "multicast-snooping", Wish::Wanted, "Whether multicast snooping is to be on.";
    query_version: Option<u32> = "query-version", None, "The IGMP version queriers ask in; none: not judged.";
    query_interval: Option<Seconds> = "query-interval", None, "The interval of queries; none: not judged.";
    last_member_interval: Option<Seconds> = "last-member-interval", None, "The last-member interval; none: not judged.";
    last_member_count: Option<u32> = "last-member-count", None, "The last-member count; none: not judged.";
    response_interval: Option<Seconds> = "response-interval", None, "The response interval (RFC 3376, 8.3); none: not judged.";
    robustness: Option<u32> = "robustness", None, "The robustness variable (RFC 3376, 8.1); none: not judged.";
    queue_map: Vec<(u32, u32)> = "queue-map", Vec::new(), "DSCP to queue, as \"46:7\"; empty: not judged.";
    queue_strict: Vec<String> = "queue-strict", Vec::new(), "Queues to be served with strict priority; empty: not judged.";
    unidirectional: Unidirectional = "unidirectional-action", Unidirectional::DisablePort, "The weakest action of unidirectional link detection that will do.";
    flap_threshold: u32 = "flap-threshold", 5, "Most flaps within the window that are borne.";
    flap_window: Seconds = "flap-window", Seconds(10), "The shortest window flaps are counted in.";
    flap_hold: Seconds = "flap-hold", Seconds(30), "The shortest time a flapping port is held down.";
    attended: bool = "attended", false, "Whether somebody is there to bring ports back by hand: then a hold without an end is right.";
    unattended: SwitchGlobs = "unattended", SwitchGlobs::default(), "Switches at places where nobody is, whatever `attended` says: names or globs of names.";
    recovery: Seconds = "recovery-security", Seconds(300), "The shortest timer for a security cause (port security, BPDU guard, DHCP rate).";
    recovery_wanted: Vec<Cause> = "recovery-wanted", Vec::new(), "Causes from which ports are to come back by timer.";
    state_age: Seconds = "state-age", Seconds(86_400), "How old tables of state may be, from the clock in their file to the moment of the audit; what an older one tells is undetermined.";
    log_window: Seconds = "log-window", Seconds(2_592_000), "How far back lines of a log count.";
    fixed_stations: Vec<String> = "fixed-stations", Vec::new(), "What the addresses of stations begin with that have an IP address written by hand and need no binding.";
    doubt: DoubtWidth = "doubt", DoubtWidth::Block, "How far a line that is not understood casts doubt: near (on what rules that begin like it would have set), block (on everything that its block is about, and on what it names) or switch (on the whole switch).";
    unread_share: u32 = "unread-share", 5, "Most statements of a configuration that may be unknown to its dialect, in percent.";
}

/// Which marking the site uses.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Marking {
    /// It does not mark.
    Unused,
    /// Either will do.
    Any,
    /// 802.1p.
    Priority,
    /// DSCP (RFC 2474).
    Dscp,
}

impl Marking {
    const WORDS: [(Self, &'static str); 4] =
        [(Self::Unused, "none"), (Self::Any, "any"), (Self::Priority, "priority"), (Self::Dscp, "dscp")];

    /// In a word.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(m, _)| *m == self).map_or("", |(_, word)| word)
    }

    /// Whether a port's trust will do.
    pub fn is_served_by(self, trust: Trust) -> bool {
        match self {
            Self::Unused => true,
            Self::Any => trust != Trust::Nothing,
            Self::Priority => matches!(trust, Trust::Priority | Trust::Both),
            Self::Dscp => matches!(trust, Trust::Dscp | Trust::Both),
        }
    }
}

fn text<'e>(entry: &Entry<'e>) -> Option<&'e str> {
    match entry.scalar()? {
        Scalar::Text(text) => Some(text),
        _ => None,
    }
}

fn texts(entry: &Entry<'_>) -> Option<Vec<String>> {
    if let Some(words) = entry.texts() {
        return Some(words.into_iter().map(str::to_owned).collect());
    }
    if let Some(numbers) = entry.integers() {
        return Some(numbers.iter().map(ToString::to_string).collect());
    }
    Some(vec![text(entry)?.to_owned()])
}

fn listed(words: impl Iterator<Item = String>) -> String {
    let words: Vec<String> = words.collect();
    if words.is_empty() { "empty".into() } else { words.join(", ") }
}

impl Read for Wish {
    const VALUES: &'static str = "wanted, unwanted or any";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        Self::from_word(text(entry)?)
    }
    fn show(&self) -> String {
        self.word().to_owned()
    }
}

impl Read for bool {
    const VALUES: &'static str = "true or false";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        match entry.scalar()? {
            Scalar::Flag(flag) => Some(flag),
            _ => None,
        }
    }
    fn show(&self) -> String {
        self.to_string()
    }
}

impl Read for u32 {
    const VALUES: &'static str = "a whole number";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        match entry.scalar()? {
            Scalar::Integer(number) => Self::try_from(number).ok(),
            _ => None,
        }
    }
    fn show(&self) -> String {
        self.to_string()
    }
}

impl Read for Seconds {
    const VALUES: &'static str = "seconds, or a duration such as \"5m\"";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        match entry.scalar()? {
            Scalar::Integer(number) => u32::try_from(number).ok().map(Self),
            Scalar::Text(text) => duration(text).map(Self),
            Scalar::Flag(_) => None,
        }
    }
    fn show(&self) -> String {
        self.to_string()
    }
}

impl Read for Rate {
    const VALUES: &'static str = "a rate such as \"20 pps\", \"64 kbps\" or \"1 %\"";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        Self::parse(text(entry)?)
    }
    fn show(&self) -> String {
        self.to_string()
    }
}

impl Read for String {
    const VALUES: &'static str = "a text";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        text(entry).map(str::to_owned)
    }
    fn show(&self) -> String {
        self.clone()
    }
}

/// A value, or none: the word says so.
impl<T: Read> Read for Option<T> {
    const VALUES: &'static str = T::VALUES;
    fn read(entry: &Entry<'_>) -> Option<Self> {
        if entry.text() == Some("none") {
            return Some(None);
        }
        T::read(entry).map(Some)
    }
    fn show(&self) -> String {
        self.as_ref().map_or_else(|| "none".into(), T::show)
    }
}

impl Read for Vec<String> {
    const VALUES: &'static str = "a list";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        texts(entry)
    }
    fn show(&self) -> String {
        listed(self.iter().cloned())
    }
}

/// Switches, by names or globs of names.
#[derive(Debug, Clone, Default)]
pub struct SwitchGlobs(Vec<GlobMatcher>);

impl SwitchGlobs {
    /// Whether a switch is one of them.
    pub fn has(&self, switch: &str) -> bool {
        self.0.iter().any(|glob| glob.is_match(switch))
    }
}

impl Read for SwitchGlobs {
    const VALUES: &'static str = "a list of names or globs of switches";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        let globs = texts(entry)?.into_iter().map(|text| Some(Glob::new(&text).ok()?.compile_matcher()));
        globs.collect::<Option<Vec<_>>>().map(Self)
    }
    fn show(&self) -> String {
        listed(self.0.iter().map(|glob| glob.glob().glob().to_owned()))
    }
}

impl Read for Vec<(u32, u32)> {
    const VALUES: &'static str = "a list of DSCP and queue, such as [\"46:7\", \"34:6\"]";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        let pair = |text: String| {
            let (dscp, queue) = text.split_once(':')?;
            let dscp = dscp.trim().parse().ok().filter(|dscp| *dscp <= 63)?;
            Some((dscp, queue.trim().parse().ok()?))
        };
        texts(entry)?.into_iter().map(pair).collect()
    }
    fn show(&self) -> String {
        listed(self.iter().map(|(dscp, queue)| format!("{dscp}:{queue}")))
    }
}

impl Read for VlanSet {
    const VALUES: &'static str = "a list of VLANs";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        match super::wishes::value(Kind::Vlans, entry)? {
            Value::Vlans(set) => Some((*set).clone()),
            _ => None,
        }
    }
    fn show(&self) -> String {
        self.to_string()
    }
}

impl Read for DoubtWidth {
    const VALUES: &'static str = "near, block or switch";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        named(entry, &Self::WORDS)
    }
    fn show(&self) -> String {
        self.word().to_owned()
    }
}

impl Read for Marking {
    const VALUES: &'static str = "none, any, priority or dscp";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        named(entry, &Self::WORDS)
    }
    fn show(&self) -> String {
        self.word().to_owned()
    }
}

/// Whether an edge port that is one because no bridge is heard will do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DetectedEdges {
    /// It is an edge port like any other, with all that is asked of one.
    Enough,
    /// Fast start is to be written on the port.
    Set,
}

impl Read for DetectedEdges {
    const VALUES: &'static str = "enough or set";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        named(entry, &[(Self::Enough, "enough"), (Self::Set, "set")])
    }
    fn show(&self) -> String {
        match self {
            Self::Enough => "enough",
            Self::Set => "set",
        }
        .to_owned()
    }
}

/// Which tagged frames a single host may send.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum HostTags {
    /// None.
    None,
    /// Those of the VLAN its port is in, where ingress filtering takes in no others.
    OwnVlan,
}

impl Read for HostTags {
    const VALUES: &'static str = "none or own-vlan";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        named(entry, &[(Self::None, "none"), (Self::OwnVlan, "own-vlan")])
    }
    fn show(&self) -> String {
        match self {
            Self::None => "none",
            Self::OwnVlan => "own-vlan",
        }
        .to_owned()
    }
}

/// The value that a word of a list names.
fn named<T: Copy>(entry: &Entry<'_>, words: &[(T, &'static str)]) -> Option<T> {
    let word = text(entry)?;
    words.iter().find(|(_, w)| *w == word).map(|(value, _)| *value)
}

fn choice<C: Choice>(word: &str) -> Option<C> {
    let index = C::SET.words.iter().position(|w| *w == word)?;
    C::from_index(index as u8)
}

impl Read for RelayInfo {
    const VALUES: &'static str = "keep, insert, replace or remove";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        choice(text(entry)?)
    }
    fn show(&self) -> String {
        self.word().to_owned()
    }
}

impl Read for Unidirectional {
    const VALUES: &'static str = "report-only, disable-port or strict";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        choice(text(entry)?).filter(|action| *action != Self::Off)
    }
    fn show(&self) -> String {
        self.word().to_owned()
    }
}

impl Read for Vec<Cause> {
    const VALUES: &'static str = "a list of causes, such as [\"storm\", \"flap\"]";
    fn read(entry: &Entry<'_>) -> Option<Self> {
        texts(entry)?.iter().map(|word| choice(word)).collect()
    }
    fn show(&self) -> String {
        listed(self.iter().map(|cause| cause.word().to_owned()))
    }
}
