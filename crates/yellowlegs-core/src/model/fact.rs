//! The catalogue of state facts: what tables, stanzas and logs tell, one row each with its fields.

use super::choice::choice;
use super::{Announcement, Cause, Choice, ChoiceSet, Kind, Mark, SettingType, Value};

/// What is added to the name of a kind of facts where what was read is too old.
macro_rules! not_older {
    () => {
        " not older than site.state-age"
    };
}

/// Whether what is missing is newer state than there is.
pub(crate) fn is_too_old(need: &str) -> bool {
    need.ends_with(not_older!())
}

/// A row of the catalogue.
#[derive(Debug)]
pub struct FactInfo {
    /// Name, as dialects write it.
    pub name: &'static str,
    /// What it tells.
    pub meaning: &'static str,
    /// What is missing where the one that was read is too old.
    pub newer: &'static str,
    /// Its fields.
    pub fields: &'static [FieldInfo],
}

/// A field of a fact.
#[derive(Debug)]
pub struct FieldInfo {
    /// Name, as dialects write it.
    pub name: &'static str,
    /// What its values are.
    pub kind: Kind,
    /// What it means, with units.
    pub meaning: &'static str,
}

/// Position in the catalogue, [`facts::ALL`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct FactKind(u8);

impl FactKind {
    /// All of them, in the order of the catalogue.
    pub fn all() -> impl Iterator<Item = Self> {
        (0..facts::ALL.len()).map(|i| Self(i as u8))
    }

    /// Its position in the catalogue.
    #[inline]
    pub(super) fn position(self) -> usize {
        usize::from(self.0)
    }

    /// Its bit in a set of kinds.
    #[inline]
    pub(super) fn bit(self) -> u64 {
        1 << self.0
    }

    /// The fields of a fact of which nothing is told yet.
    pub(crate) fn blank(self) -> Vec<Option<Value>> {
        self.info().fields.iter().map(|_| None).collect()
    }

    /// Its row.
    pub fn info(self) -> &'static FactInfo {
        &facts::ALL[usize::from(self.0)]
    }

    /// Finds one by name.
    pub fn by_name(name: &str) -> Option<Self> {
        Self::all().find(|kind| kind.info().name == name)
    }

    /// Position of a field.
    pub fn field(self, name: &str) -> Option<usize> {
        self.info().fields.iter().position(|f| f.name == name)
    }
}

/// Something a table, a stanza or a log line tells.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fact {
    /// What kind of fact.
    pub kind: FactKind,
    /// Its fields in the order of the catalogue; `None`: not told.
    pub fields: Vec<Option<Value>>,
    /// The line.
    pub mark: Mark,
}

impl Fact {
    /// A fact of which nothing is told yet.
    pub(crate) fn new(kind: FactKind, mark: Mark) -> Self {
        Self { kind, fields: kind.blank(), mark }
    }

    /// The same with a field told, where there is a value for it.
    #[must_use]
    pub(crate) fn with<T>(mut self, field: Field<T>, value: Option<Value>) -> Self {
        if let (true, Some(place)) = (field.kind == self.kind, self.fields.get_mut(field.position)) {
            *place = value;
        }
        self
    }

    /// A field by its constant.
    pub fn get<T: SettingType>(&self, field: Field<T>) -> Option<T> {
        if field.kind != self.kind {
            return None;
        }
        self.fields.get(field.position)?.as_ref().and_then(T::read)
    }
}

/// A field with its Rust type.
#[derive(Debug)]
pub struct Field<T> {
    kind: FactKind,
    position: usize,
    of: std::marker::PhantomData<fn() -> T>,
}

impl<T> Clone for Field<T> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T> Copy for Field<T> {}

choice! {
    /// How a station came into the address table.
    Learned {
        /// It was heard.
        Learned = "learned",
        /// It was heard and is kept.
        Pinned = "pinned",
        /// It was written by hand.
        Written = "written",
    }
}

choice! {
    /// What a neighbour says it can do (IEEE 802.1AB, 8.5.8).
    Capability {
        /// It forwards between ports.
        Bridge = "bridge",
        /// It routes.
        Router = "router",
        /// It is a phone.
        Telephone = "telephone",
        /// It is a radio access point.
        AccessPoint = "access-point",
        /// It is a host and nothing else.
        Station = "station",
        /// It repeats.
        Repeater = "repeater",
        /// Something else.
        Other = "other",
    }
}

choice! {
    /// What unidirectional link detection sees.
    LinkSeen {
        /// Both directions work.
        TwoWay = "two-way",
        /// One direction is dead.
        OneWay = "one-way",
        /// It cannot tell.
        Undetermined = "undetermined",
        /// Nobody answers.
        NoNeighbour = "no-neighbour",
        /// It is not running.
        Off = "off",
    }
}

choice! {
    /// What the spanning tree lets a port do (RFC 4188, dot1dStpPortState).
    TreeState {
        /// It does not run there, or the port is down.
        Disabled = "disabled",
        /// Nothing passes.
        Blocking = "blocking",
        /// It waits.
        Listening = "listening",
        /// It waits, and learns stations.
        Learning = "learning",
        /// Everything passes.
        Forwarding = "forwarding",
        /// It is broken.
        Broken = "broken",
    }
}

choice! {
    /// What flap protection does with a port.
    FlapSeen {
        /// It counts.
        Watching = "watching",
        /// The port is held down for a time.
        Holding = "holding",
        /// The port is held down until somebody comes.
        Waiting = "waiting",
    }
}

choice! {
    /// What a log line tells.
    EventSeen {
        /// The link came.
        LinkUp = "link-up",
        /// The link went.
        LinkDown = "link-down",
        /// A feature took the port down.
        HeldDown = "held-down",
        /// The port came back.
        Recovered = "recovered",
        /// One station too many.
        Violation = "violation",
        /// A DHCP server message from an untrusted port was dropped.
        ServerDropped = "server-dropped",
        /// An ARP message without a binding was dropped.
        ArpDropped = "arp-dropped",
        /// A router advertisement was dropped.
        AdvertisementDropped = "advertisement-dropped",
        /// A link works one way.
        OneWay = "one-way",
        /// A probe came back.
        LoopDetected = "loop-detected",
        /// The bindings could not be written.
        StoreFailed = "store-failed",
        /// The configuration was saved.
        Saved = "saved",
        /// The switch started.
        Restarted = "restarted",
        /// Something else.
        Other = "other",
    }
}

macro_rules! catalogue {
    ($($module:ident = $name:literal, $meaning:literal { $($field:ident: $type:ty = $fname:literal, $fmeaning:literal;)+ })+) => {
        /// Every kind of fact, with a module of field constants for each.
        pub mod facts {
            use std::marker::PhantomData;
            use super::{FactInfo, FactKind, Field, FieldInfo};
            use crate::model::SettingType;

            #[allow(non_camel_case_types)]
            enum Row { $($module),+ }

            $(
                #[doc = $meaning]
                #[allow(clippy::upper_case_acronyms, reason = "constants, and the rows behind them")]
                pub mod $module {
                    #[allow(clippy::wildcard_imports, reason = "the types of the fields")]
                    use super::super::types::*;
                    use super::{FactKind, Field, PhantomData, Row};

                    #[allow(non_camel_case_types, clippy::upper_case_acronyms)]
                    enum Position { $($field),+ }

                    /// The kind of fact.
                    pub const FACT: FactKind = FactKind(Row::$module as u8);

                    $(
                        #[doc = $fmeaning]
                        pub const $field: Field<$type> =
                            Field { kind: FACT, position: Position::$field as usize, of: PhantomData };
                    )+

                    pub(super) mod kinds {
                        #[allow(clippy::wildcard_imports, reason = "the types of the fields")]
                        use super::super::super::types::*;
                        $(#[allow(non_camel_case_types, clippy::upper_case_acronyms)] pub(crate) type $field = $type;)+
                    }
                }
            )+

            /// The rows.
            pub static ALL: &[FactInfo] = &[$(
                FactInfo { name: $name, meaning: $meaning, newer: concat!($name, not_older!()), fields: &[$(
                    FieldInfo { name: $fname, kind: <$module::kinds::$field as SettingType>::KIND, meaning: $fmeaning },
                )+] },
            )+];
        }
    };
}

/// The types that fields have.
mod types {
    pub(super) use std::net::IpAddr;
    pub(super) use std::sync::Arc;

    pub(super) use jiff::Timestamp;

    pub(super) use super::{Announcement, Capability, Cause, EventSeen, FlapSeen, Learned, LinkSeen, TreeState};
    pub(super) use crate::model::{Choices, Milliwatts, Seconds, StationAddress, VlanId};
}

type Name = std::sync::Arc<str>;

catalogue! {
    clock = "clock", "When the state was taken." {
        TIME: Timestamp = "time", "The switch's time.";
    }
    port_status = "port-status", "What a port does now." {
        PORT: Option<Arc<str>> = "port", "The port.";
        LINK: bool = "link", "The link is up.";
        ADMIN: bool = "admin", "Nobody shut it.";
        CAUSE: Cause = "cause", "What holds it down.";
        SINCE: Timestamp = "since", "Since when.";
        FOR: Seconds = "for", "For how long, in seconds.";
        LEFT: Seconds = "left", "Seconds until it comes back by its timer.";
        SPEED: u32 = "speed", "Mbit/s.";
    }
    counters = "counters", "What a port has counted." {
        PORT: Option<Arc<str>> = "port", "The port.";
        VIOLATIONS: u32 = "violations", "Stations too many, since the count was cleared.";
        STATIONS: u32 = "stations", "Stations held by port security now.";
        SERVER_DROPS: u32 = "server-drops", "DHCP server messages dropped.";
        ARP_DROPS: u32 = "arp-drops", "ARP messages dropped.";
        RECEIVED_KBPS: u32 = "received-kbps", "Load received, in kbit/s.";
        SENT_KBPS: u32 = "sent-kbps", "Load sent, in kbit/s.";
    }
    station = "station", "A row of the address table." {
        ADDRESS: StationAddress = "address", "The station.";
        VLAN: Option<VlanId> = "vlan", "The VLAN it was heard in.";
        PORT: Option<Arc<str>> = "port", "The port.";
        KIND: Learned = "kind", "How it came into the table: learned, pinned, written.";
        AGE: Seconds = "age", "Seconds since it was heard.";
        IP: Option<IpAddr> = "ip", "Its IP address, where the table has it.";
    }
    claim = "claim", "An address that a station claims in ARP (RFC 826). Without a port it counts where the address table has the station." {
        ADDRESS: StationAddress = "address", "The station.";
        IP: Option<IpAddr> = "ip", "The IP address that it claims.";
        VLAN: Option<VlanId> = "vlan", "The VLAN.";
        PORT: Option<Arc<str>> = "port", "The port.";
        AGE: Seconds = "age", "Seconds since it was heard.";
    }
    binding = "binding", "A row of the binding table of DHCP snooping." {
        ADDRESS: StationAddress = "address", "The station.";
        IP: Option<IpAddr> = "ip", "Its IP address.";
        VLAN: Option<VlanId> = "vlan", "The VLAN.";
        PORT: Option<Arc<str>> = "port", "The port.";
        LEASE: Seconds = "lease", "Seconds left.";
        EXPIRES: Timestamp = "expires", "When the lease is over.";
        GRANTED: Timestamp = "granted", "When it was made.";
    }
    binding_store = "binding-store", "Where bindings are kept across a restart." {
        WRITTEN: Timestamp = "written", "The last write.";
        FAILURES: u32 = "failures", "Writes that failed.";
        PLACE: Arc<str> = "place", "Where it is.";
    }
    neighbour = "neighbour", "What a neighbour announces (IEEE 802.1AB; ANSI/TIA-1057)." {
        PORT: Option<Arc<str>> = "port", "The port it is heard on.";
        CHASSIS: Arc<str> = "chassis", "Its chassis.";
        NAME: Arc<str> = "name", "Its name.";
        THEIR_PORT: Arc<str> = "their-port", "Its port.";
        DESCRIPTION: Arc<str> = "description", "What it says it is.";
        CAPABILITIES: Choices<Capability> = "capabilities", "What it can do, enabled: bridge, router, telephone, access-point, station, repeater, other.";
        CLASS: u32 = "class", "Its endpoint class, 1 to 3 (a phone is 3).";
        VOICE: Announcement = "voice", "Its network policy for voice: none, tagged, untagged, priority-tagged.";
        VOICE_VLAN: Option<VlanId> = "voice-vlan", "The VLAN of that policy.";
        VOICE_PRIORITY: u32 = "voice-priority", "Its 802.1p priority.";
        VOICE_DSCP: u32 = "voice-dscp", "Its DSCP.";
        POWER_ASKED: Milliwatts = "power-asked", "The power it asks, in milliwatts.";
        POWER_GIVEN: Milliwatts = "power-given", "The power it was given, in milliwatts.";
    }
    power = "power", "What a port supplies (IEEE 802.3, 33 and 145)." {
        PORT: Option<Arc<str>> = "port", "The port.";
        ON: bool = "on", "It supplies.";
        CLASS: u32 = "class", "The class, 0 to 8.";
        ASKED: Milliwatts = "asked", "What the device asks, in milliwatts.";
        GIVEN: Milliwatts = "given", "What was set aside for it, in milliwatts.";
        DRAWN: Milliwatts = "drawn", "What it draws, in milliwatts.";
    }
    power_supply = "power-supply", "The power there is." {
        BUDGET: Milliwatts = "budget", "For all ports, in milliwatts.";
        GIVEN: Milliwatts = "given", "Set aside, in milliwatts.";
        DRAWN: Milliwatts = "drawn", "Drawn, in milliwatts.";
    }
    group = "group", "A membership of multicast." {
        VLAN: Option<VlanId> = "vlan", "The VLAN.";
        GROUP: Option<IpAddr> = "group", "The group.";
        PORT: Option<Arc<str>> = "port", "The port.";
        EXPIRES: Seconds = "expires", "Seconds until it is forgotten.";
    }
    querier = "querier", "Who asks for memberships." {
        VLAN: Option<VlanId> = "vlan", "The VLAN.";
        ADDRESS: Option<IpAddr> = "address", "Its address.";
        PORT: Option<Arc<str>> = "port", "The port it is heard on; none: the switch itself.";
        VERSION: u32 = "version", "The version it asks in.";
    }
    router_port = "router-port", "A router port of multicast." {
        VLAN: Option<VlanId> = "vlan", "The VLAN.";
        PORT: Option<Arc<str>> = "port", "The port.";
        KIND: Learned = "kind", "Learned or written.";
    }
    unidirectional = "unidirectional", "What unidirectional link detection sees." {
        PORT: Option<Arc<str>> = "port", "The port.";
        STATE: LinkSeen = "state", "two-way, one-way, undetermined, no-neighbour, off.";
        NEIGHBOUR: Arc<str> = "neighbour", "Who answers.";
    }
    tree_port = "tree-port", "What the spanning tree makes of a port (IEEE 802.1Q, 13)." {
        PORT: Option<Arc<str>> = "port", "The port.";
        STATE: TreeState = "state", "disabled, blocking, listening, learning, forwarding, broken.";
        ROOT: bool = "root", "It leads to the root.";
    }
    flap = "flap", "What flap protection does." {
        PORT: Option<Arc<str>> = "port", "The port.";
        STATE: FlapSeen = "state", "watching, holding, waiting.";
        COUNT: u32 = "count", "Flaps in the window.";
        LEFT: Seconds = "left", "Seconds until it comes back.";
    }
    mirror = "mirror", "A mirror session that runs." {
        SESSION: Arc<str> = "session", "Its name.";
        ACTIVE: bool = "active", "It copies.";
        SOURCE: Option<Arc<str>> = "source", "A port that is copied.";
        TARGET: Option<Arc<str>> = "target", "The port the copies go to.";
    }
    event = "event", "A dated line of a log." {
        TIME: Timestamp = "time", "When.";
        KIND: EventSeen = "kind", "What: link-up, link-down, held-down, recovered, violation, server-dropped, arp-dropped, advertisement-dropped, one-way, loop-detected, store-failed, saved, restarted, other.";
        PORT: Option<Arc<str>> = "port", "The port.";
        CAUSE: Cause = "cause", "What took the port down.";
        ADDRESS: StationAddress = "address", "The station.";
        IP: Option<IpAddr> = "ip", "The IP address.";
        VLAN: Option<VlanId> = "vlan", "The VLAN.";
        TEXT: Arc<str> = "text", "The words.";
    }
}

impl Fact {
    /// The port it is about, whatever its kind.
    pub fn port(&self) -> Option<&Name> {
        match self.fields.get(self.kind.field("port")?)? {
            Some(Value::Port(port)) => port.as_ref(),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn names_are_unique_and_lead_back() {
        for kind in FactKind::all() {
            assert_eq!(FactKind::by_name(kind.info().name), Some(kind));
            let names: BTreeSet<&str> = kind.info().fields.iter().map(|f| f.name).collect();
            assert_eq!(names.len(), kind.info().fields.len(), "{} has a field twice", kind.info().name);
        }
        assert_eq!((facts::station::FACT.info().name, facts::station::VLAN.position), ("station", 1));
    }
}
