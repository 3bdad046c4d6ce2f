//! Settings that are one of a few words, and the words.

use std::hash::{Hash, Hasher};
use std::marker::PhantomData;

use super::{Kind, SettingType, Value};

/// The words a choice may be.
#[derive(Debug, PartialEq, Eq)]
pub struct ChoiceSet {
    /// The words, weakest or plainest first where they have an order.
    pub words: &'static [&'static str],
}

/// By how many there are: sets differ in that, most often, and equal ones never do.
impl Hash for ChoiceSet {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.words.len().hash(state);
    }
}

/// A setting that is one of a few words.
pub trait Choice: Copy + Sized + 'static {
    /// Its words.
    const SET: &'static ChoiceSet;
    /// From the position of its word.
    fn from_index(index: u8) -> Option<Self>;
    /// Position of its word.
    fn index(self) -> u8;
    /// Its word.
    fn word(self) -> &'static str {
        Self::SET.words.get(usize::from(self.index())).copied().unwrap_or_default()
    }
}

/// Several words of a choice.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Choices<C> {
    bits: u32,
    of: PhantomData<C>,
}

impl<C: Choice> Choices<C> {
    pub(super) fn of_bits(bits: u32) -> Self {
        Self { bits, of: PhantomData }
    }

    /// Whether there is none.
    pub fn is_empty(self) -> bool {
        self.bits == 0
    }

    /// Whether a word is among them.
    pub fn contains(self, choice: C) -> bool {
        self.bits >> choice.index() & 1 == 1
    }
}

macro_rules! choice {
    ($(#[$doc:meta])* $name:ident { $($(#[$vdoc:meta])* $variant:ident = $word:literal),+ $(,)? }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum $name { $($(#[$vdoc])* $variant),+ }

        impl Choice for $name {
            const SET: &'static ChoiceSet = &ChoiceSet { words: &[$($word),+] };
            fn from_index(index: u8) -> Option<Self> {
                [$(Self::$variant),+].get(usize::from(index)).copied()
            }
            fn index(self) -> u8 {
                self as u8
            }
        }

        impl SettingType for $name {
            const KIND: Kind = Kind::Choice(Self::SET);
            fn read(value: &Value) -> Option<Self> {
                match value { Value::Choice { index, .. } => Self::from_index(*index), _ => None }
            }
        }

        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str(self.word())
            }
        }
    };
}

pub(super) use choice;

choice! {
    /// How a port treats VLANs.
    Mode {
        /// One untagged VLAN, perhaps a voice VLAN tagged beside it.
        Access = "access",
        /// Tagged VLANs plus one native, untagged VLAN.
        Trunk = "trunk",
        /// The neighbour may turn it into a trunk.
        Negotiated = "negotiated",
    }
}

choice! {
    /// What port security does with one station too many, weakest first.
    Action {
        /// Its frames are dropped and nobody learns of it.
        Drop = "drop",
        /// Dropped, counted, logged and reported.
        DropAndReport = "drop-and-report",
        /// The port is held down.
        DisablePort = "disable-port",
    }
}

choice! {
    /// Which frames a port takes in (IEEE 802.1Q, 6.9: acceptable frame types).
    Frames {
        /// Tagged and untagged.
        All = "all",
        /// Only tagged.
        Tagged = "tagged",
        /// Only untagged and priority-tagged.
        Untagged = "untagged",
    }
}

choice! {
    /// How a port becomes an edge port (IEEE 802.1Q, 13.27: admin edge and auto edge).
    FastStart {
        /// It does not: it waits like any port between bridges.
        Off = "off",
        /// The plain form: on some platforms void on a trunk (trait plain-fast-start-on-trunk).
        Edge = "edge",
        /// The explicit form that holds on a trunk too.
        EdgeOnTrunk = "edge-on-trunk",
        /// It becomes one when no bridge is heard.
        Auto = "auto",
    }
}

choice! {
    /// The spanning tree's protocol.
    Protocol {
        /// Listening and learning, 2 × forward delay (IEEE 802.1D-1998).
        Classic = "classic",
        /// The same, one tree for each VLAN.
        ClassicPerVlan = "classic-per-vlan",
        /// Proposal and agreement (IEEE 802.1Q, 13).
        Rapid = "rapid",
        /// The same, one tree for each VLAN.
        RapidPerVlan = "rapid-per-vlan",
        /// Rapid, with VLANs mapped to several trees (IEEE 802.1Q, 13).
        Multiple = "multiple",
    }
}

choice! {
    /// Whether a link is taken for point-to-point (IEEE 802.1Q, 13.27: adminPointToPointMAC).
    LinkType {
        /// By its duplex.
        Auto = "auto",
        /// Always.
        PointToPoint = "point-to-point",
        /// Never.
        Shared = "shared",
    }
}

choice! {
    /// What a link runs over.
    Media {
        /// Copper: it fails both ways at once.
        Copper = "copper",
        /// Fibre: it can fail one way.
        Fibre = "fibre",
    }
}

choice! {
    /// What is done with relay information (option 82, RFC 3046) in client messages.
    RelayInfo {
        /// It is left as it is.
        Keep = "keep",
        /// It is put in.
        Insert = "insert",
        /// What is there is replaced.
        Replace = "replace",
        /// It is taken out.
        Remove = "remove",
    }
}

choice! {
    /// Which marking of arriving frames a port trusts.
    Trust {
        /// None: frames are marked anew.
        Nothing = "none",
        /// The 802.1p priority.
        Priority = "priority",
        /// The DSCP (RFC 2474).
        Dscp = "dscp",
        /// Both.
        Both = "both",
    }
}

choice! {
    /// The network policy that a port announces for an application (LLDP-MED, ANSI/TIA-1057, 10.2.3).
    Announcement {
        /// None is announced.
        Nothing = "none",
        /// A VLAN, tagged.
        Tagged = "tagged",
        /// Untagged.
        Untagged = "untagged",
        /// VLAN 0: tagged for its priority only.
        PriorityTagged = "priority-tagged",
    }
}

choice! {
    /// What unidirectional link detection does (RFC 5171), weakest first.
    Unidirectional {
        /// It is off.
        Off = "off",
        /// It tells.
        ReportOnly = "report-only",
        /// It takes the port down when the fault is proven.
        DisablePort = "disable-port",
        /// It takes the port down when the neighbour falls silent, too.
        Strict = "strict",
    }
}

choice! {
    /// What happens to frames above a storm limit.
    StormAction {
        /// They are dropped.
        Drop = "drop",
        /// The port is held down.
        DisablePort = "disable-port",
    }
}

choice! {
    /// Which frames of a mirror's source are copied.
    Direction {
        /// Those it receives.
        Received = "received",
        /// Those it sends.
        Sent = "sent",
        /// Both.
        Both = "both",
    }
}

choice! {
    /// What holds a port down.
    Cause {
        /// Somebody shut it.
        Administrative = "administrative",
        /// Nothing is plugged in.
        NoLink = "no-link",
        /// One station too many.
        PortSecurity = "port-security",
        /// A BPDU on an edge port.
        EdgeBpdu = "bpdu-guard",
        /// A superior BPDU.
        RootGuard = "root-guard",
        /// BPDUs that faded.
        LoopGuard = "loop-guard",
        /// Its own probe came back.
        LoopDetection = "loop-detection",
        /// More frames of a kind than the storm limit.
        Storm = "storm",
        /// A link that works one way.
        Unidirectional = "unidirectional",
        /// A link that came and went too often.
        Flap = "flap",
        /// More client messages than the limit of DHCP snooping.
        DhcpRate = "dhcp-rate",
        /// More ARP messages than the limit of ARP inspection.
        ArpRate = "arp-rate",
        /// Authentication failed.
        Authentication = "authentication",
        /// More power asked than there is.
        Power = "power",
        /// Something else.
        Other = "other",
    }
}

choice! {
    /// The unit of a rate.
    RateUnit {
        /// Packets a second.
        Packets = "pps",
        /// Kilobits a second.
        Kilobits = "kbps",
        /// Percent of the port's speed.
        Percent = "%",
        /// Packets a minute.
        PacketsAMinute = "packets/min",
    }
}
