//! The catalogue of settings: one row each, with name, scope, kind and meaning.
//!
//! Dialects set them, policies expect them, checks read them, records carry them, all by these rows.

use std::net::IpAddr;
use std::sync::Arc;

use super::{
    Action, Announcement, Cause, Choices, Direction, FastStart, Frames, Key, LinkType, Media, Milliwatts, Mode,
    Protocol, Rate, RelayInfo, Scope, Seconds, SettingInfo, SettingType, Station, StationRange, StormAction, Trust,
    Unidirectional, VlanId, VlanSet,
};

macro_rules! catalogue {
    ($($scope:ident { $($key:ident: $type:ty = $name:literal, $meaning:literal;)+ })+) => {
        /// Every setting: those of ports first, then those of the switch, then those of VLANs.
        pub static ALL: &[SettingInfo] = &[$($(
            SettingInfo { name: $name, scope: Scope::$scope, kind: <$type as SettingType>::KIND, meaning: $meaning },
        )+)+];

        #[allow(non_camel_case_types, clippy::upper_case_acronyms)]
        #[derive(Clone, Copy)]
        enum Row { $($($key,)+)+ }

        $($(
            #[doc = $meaning]
            pub const $key: Key<$type> = Key::new(Row::$key as u8);
        )+)+
    };
}

catalogue! {
    Port {
        ENABLED: bool = "port.enabled", "Administratively up: nobody shut it.";
        DESCRIPTION: Arc<str> = "port.description", "What somebody wrote the port is for.";
        MODE: Mode = "port.mode", "How the port treats VLANs: access (one untagged VLAN), trunk (tagged VLANs and a native one), negotiated (the neighbour may turn it into a trunk). Where membership decides it: trait mode-from.";
        ACCESS_VLAN: Option<VlanId> = "port.access-vlan", "The untagged VLAN while the mode is access (IEEE 802.1Q, 6.9: PVID).";
        NATIVE_VLAN: Option<VlanId> = "port.native-vlan", "The untagged VLAN while the mode is trunk.";
        TAGGED_VLANS: Arc<VlanSet> = "port.tagged-vlans", "The VLANs a trunk carries. Silent text: see the trait trunk-without-list.";
        VOICE_VLAN: Option<VlanId> = "port.voice-vlan", "The VLAN a phone sends tagged beside the untagged one.";
        ACCEPTABLE_FRAMES: Frames = "port.acceptable-frames", "Which frames are taken in (IEEE 802.1Q, 6.9): all, tagged, untagged.";
        INGRESS_FILTERING: bool = "port.ingress-filtering", "Frames of VLANs the port is not a member of are dropped on arrival (IEEE 802.1Q, 8.6.2).";
        DYNAMIC_VLAN: bool = "port.dynamic-vlan", "The VLAN is assigned when the first frame matches a rule (switch.address-ranges).";
        MTU: u32 = "port.mtu", "Largest frame payload in octets.";
        SPEED: u32 = "port.speed", "Speed in Mbit/s: configured, or the port's own.";
        MEDIA: Media = "port.media", "What the link runs over: copper, fibre.";
        ENERGY_SAVING: bool = "port.energy-saving", "Energy-efficient Ethernet (IEEE 802.3, 78) is on.";
        TRUST: Trust = "port.trust", "Which marking of arriving frames is trusted: none, priority (802.1p), dscp (RFC 2474), both.";
        PORT_SECURITY: bool = "port-security.enabled", "Port security is switched on for the port.";
        LIMIT: u32 = "port-security.limit", "How many stations the port admits at a time.";
        ACTION: Action = "port-security.action", "What happens to one station too many: drop (silently), drop-and-report, disable-port.";
        PINNING: bool = "port-security.pinning", "Stations once learned are pinned: kept as if written by hand.";
        AGING: Seconds = "port-security.aging", "Learned stations are forgotten after this many seconds; 0: never.";
        PINNED_STATIONS: Arc<[Station]> = "port-security.pinned-stations", "Stations that were learned and pinned.";
        WRITTEN_STATIONS: Arc<[Station]> = "port-security.written-stations", "Stations written by hand.";
        SNOOPING_TRUSTED: bool = "dhcp-snooping.trusted", "Server messages are let in: the port leads to an authorised server.";
        SNOOPING_RATE: Option<Rate> = "dhcp-snooping.rate-limit", "Most client messages a second; none: no limit.";
        RELAY_ACCEPTED: bool = "dhcp-snooping.relay-info-accepted", "Client messages that carry relay information (option 82, RFC 3046) are let in although the port is untrusted.";
        INSPECTION_TRUSTED: bool = "arp-inspection.trusted", "ARP inspection lets the port's frames pass unexamined.";
        INSPECTION_RATE: Option<Rate> = "arp-inspection.rate-limit", "Most ARP messages a second; none: no limit.";
        SOURCE_GUARD: bool = "source-guard.enabled", "Source guard is on: only bound or written addresses may send.";
        ADVERTISEMENTS_BLOCKED: bool = "ipv6-guard.advertisements-blocked", "Router advertisements from the port are dropped (RFC 6105).";
        SERVERS_BLOCKED: bool = "ipv6-guard.servers-blocked", "Answers of DHCP for IPv6 from the port are dropped (RFC 7610).";
        AUTHENTICATION: bool = "authentication.enabled", "The port opens only after authentication (IEEE 802.1X).";
        TREE_ON_PORT: bool = "spanning-tree.port-enabled", "The spanning tree runs on the port.";
        LINK_TYPE: LinkType = "spanning-tree.link-type", "Whether the link is taken for point-to-point (IEEE 802.1Q, 13.27): auto, point-to-point, shared.";
        FAST_START: FastStart = "fast-start.mode", "How the port becomes an edge port (IEEE 802.1Q, admin edge): off, edge (the plain form), edge-on-trunk (the explicit form that holds on a trunk), auto (when no bridge is heard).";
        BPDU_GUARD: bool = "guard.bpdu", "A BPDU heard takes the port down. A default that follows edge ports: reach edge-ports.";
        BPDU_FILTER: bool = "guard.bpdu-filter", "BPDUs are neither sent nor heard.";
        ROOT_GUARD: bool = "guard.root", "A superior BPDU blocks the port (IEEE 802.1Q, restricted role).";
        LOOP_GUARD: bool = "guard.loop", "The port stays blocked when the BPDUs it expects fade.";
        LOOP_DETECTION: bool = "guard.loop-detection", "The port sends probe frames and is taken down when one comes back.";
        STORM_BROADCAST: Option<Rate> = "storm.broadcast", "Most broadcast taken in; none: no limit.";
        STORM_MULTICAST: Option<Rate> = "storm.multicast", "Most multicast taken in; none: no limit.";
        STORM_ACTION: StormAction = "storm.action", "What happens to frames above a storm limit: drop, disable-port.";
        LLDP_TRANSMIT: bool = "lldp.transmit", "The port sends LLDP (IEEE 802.1AB).";
        LLDP_MED: bool = "lldp.med", "The port sends the LLDP-MED network policy (ANSI/TIA-1057, 10.2.3).";
        VOICE_ANNOUNCED: Announcement = "voice.announcement", "The network policy announced for voice: none, tagged, untagged, priority-tagged.";
        VOICE_ANNOUNCED_VLAN: Option<VlanId> = "voice.announced-vlan", "The VLAN announced for voice.";
        VOICE_PRIORITY: u32 = "voice.priority", "The 802.1p priority announced for voice, 0 to 7.";
        VOICE_DSCP: u32 = "voice.dscp", "The DSCP announced for voice, 0 to 63.";
        SIGNALLING_ANNOUNCED: Announcement = "voice.signalling-announcement", "The network policy announced for voice signalling: none, tagged, untagged, priority-tagged.";
        SIGNALLING_VLAN: Option<VlanId> = "voice.signalling-vlan", "The VLAN announced for voice signalling.";
        SIGNALLING_PRIORITY: u32 = "voice.signalling-priority", "The 802.1p priority announced for voice signalling, 0 to 7.";
        SIGNALLING_DSCP: u32 = "voice.signalling-dscp", "The DSCP announced for voice signalling, 0 to 63.";
        POWER: bool = "power.enabled", "The port supplies power (IEEE 802.3, 33 and 145).";
        POWER_LIMIT: Milliwatts = "power.limit", "Most power the port may supply, in milliwatts; 0: no limit of its own.";
        POWER_MAXIMUM: Milliwatts = "power.maximum", "Most power the port can supply, in milliwatts.";
        FAST_LEAVE: bool = "multicast.fast-leave", "The port is cut at the first leave.";
        ROUTER_PORT: bool = "multicast.router-port", "A static router port: every group is sent there.";
        FORWARD_ALL: bool = "multicast.forward-all", "Unregistered groups are sent there too.";
        UNIDIRECTIONAL: Unidirectional = "unidirectional.mode", "Unidirectional link detection (RFC 5171): off, report-only, disable-port (when the fault is proven), strict (when the neighbour falls silent, too).";
        UNIDIRECTIONAL_INTERVAL: Seconds = "unidirectional.interval", "Seconds between its messages; detection takes about three.";
        FLAP: bool = "flap.enabled", "Flap protection is on.";
        FLAP_THRESHOLD: u32 = "flap.threshold", "So many flaps within the window take the port down. What counts as one: trait flap-counts.";
        FLAP_WINDOW: Seconds = "flap.window", "The window in seconds.";
        FLAP_HOLD: Seconds = "flap.hold", "How long the port is held down, in seconds; 0: until somebody comes.";
    }
    Switch {
        NAME: Arc<str> = "switch.name", "The name configured on the switch.";
        VLANS: Arc<VlanSet> = "switch.vlans", "The VLANs defined on the switch. Definitions add to the platform's default.";
        DEFAULT_VLAN: Option<VlanId> = "switch.default-vlan", "The VLAN that ports are in when nobody says otherwise.";
        RECEIVERS: Arc<[Arc<str>]> = "switch.report-receivers", "Whom logs and traps are sent to.";
        ADDRESS_RANGES: Arc<[(StationRange, VlanId)]> = "switch.address-ranges", "Ranges of station addresses, each with the VLAN its stations are put in (dynamic assignment).";
        READY: Arc<[Arc<str>]> = "platform.ready", "Names of what a feature may require first ([[requires]]) and is in force.";
        PENDING: Arc<[Arc<str>]> = "platform.pending", "Names of what is written and waits for a restart.";
        SNOOPING: bool = "dhcp-snooping.enabled", "The global switch of DHCP snooping. Whether it is needed: trait snooping-switches.";
        SNOOPING_VLANS: Arc<VlanSet> = "dhcp-snooping.vlans", "The VLANs DHCP snooping covers.";
        ADDRESS_CHECK: bool = "dhcp-snooping.address-check", "A client's hardware address must be its frame's source.";
        RELAY_INFO: RelayInfo = "dhcp-snooping.relay-info", "What is done with relay information (option 82, RFC 3046) in client messages: keep, insert, replace, remove.";
        SNOOPING_STORE: bool = "dhcp-snooping.store", "Bindings are kept across a restart.";
        STORE_DELAY: Seconds = "dhcp-snooping.store-delay", "Seconds from a change to its writing.";
        INSPECTION: bool = "arp-inspection.enabled", "The global switch of ARP inspection. Whether it is needed: trait inspection-switches.";
        INSPECTION_VLANS: Arc<VlanSet> = "arp-inspection.vlans", "The VLANs ARP inspection covers.";
        TREE: bool = "spanning-tree.enabled", "The spanning tree runs on the switch.";
        TREE_PROTOCOL: Protocol = "spanning-tree.protocol", "classic (IEEE 802.1D-1998), rapid or multiple (IEEE 802.1Q, 13), or one tree for each VLAN: classic-per-vlan, rapid-per-vlan.";
        TREE_OFF_VLANS: Arc<VlanSet> = "spanning-tree.off-vlans", "VLANs without a spanning tree.";
        TREE_PRIORITY: u32 = "spanning-tree.priority", "Bridge priority, 0 to 61440.";
        FORWARD_DELAY: Seconds = "spanning-tree.forward-delay", "Forward delay, 4 to 30 s.";
        MAX_AGE: Seconds = "spanning-tree.max-age", "Max age, 6 to 40 s.";
        HELLO: Seconds = "spanning-tree.hello", "Hello time, 1 to 10 s.";
        HOST_SPEED_UP: Seconds = "spanning-tree.host-speed-up", "Seconds until a host port forwards by the classic protocol's speed-up; 0: there is none. What voids it: trait host-speed-up.";
        DETECTION_INTERVAL: Seconds = "guard.loop-detection-interval", "Seconds between the probes of loop detection.";
        LLDP: bool = "lldp.enabled", "LLDP runs on the switch (IEEE 802.1AB).";
        LLDP_INTERVAL: Seconds = "lldp.interval", "Seconds between announcements.";
        POWER_BUDGET: Milliwatts = "power.budget", "Power there is for all ports, in milliwatts.";
        MULTICAST: bool = "multicast.snooping", "The global switch of multicast snooping (RFC 4541). Whether it is needed: trait multicast-switches.";
        MULTICAST_VLANS: Arc<VlanSet> = "multicast.snooping-vlans", "The VLANs multicast snooping covers.";
        FILTERING: bool = "multicast.filtering", "Unregistered groups are filtered, not flooded.";
        QUERIER_ADDRESS: Option<IpAddr> = "multicast.querier-address", "The address the switch asks from where a VLAN names none.";
        QUEUE_MAP: Arc<[(u32, u32)]> = "queue.dscp-map", "DSCP to queue.";
        QUEUE_STRICT: Arc<[Arc<str>]> = "queue.strict", "Queues served with strict priority.";
        RECOVERY_CAUSES: Choices<Cause> = "recovery.causes", "Causes from which a port comes back by timer.";
        RECOVERY_INTERVAL: Seconds = "recovery.interval", "The timer for those causes, in seconds, where a cause has none of its own.";
        RECOVERY_SECURITY: Seconds = "recovery.port-security", "The timer of this cause, in seconds; 0: by hand.";
        RECOVERY_BPDU: Seconds = "recovery.bpdu-guard", "The timer of this cause, in seconds; 0: by hand.";
        RECOVERY_LOOP: Seconds = "recovery.loop-detection", "The timer of this cause, in seconds; 0: by hand.";
        RECOVERY_STORM: Seconds = "recovery.storm", "The timer of this cause, in seconds; 0: by hand.";
        RECOVERY_UNIDIRECTIONAL: Seconds = "recovery.unidirectional", "The timer of this cause, in seconds; 0: by hand.";
        RECOVERY_DHCP_RATE: Seconds = "recovery.dhcp-rate", "The timer of this cause, in seconds; 0: by hand.";
    }
    Vlan {
        VLAN_NAME: Arc<str> = "vlan.name", "The VLAN's name on the switch.";
        QUERIER: bool = "vlan.querier", "The switch asks for memberships in the VLAN.";
        VLAN_QUERIER_ADDRESS: Option<IpAddr> = "vlan.querier-address", "The address it asks from.";
        QUERY_VERSION: u32 = "vlan.query-version", "IGMP version, 1 to 3 (RFC 2236, RFC 3376).";
        QUERY_INTERVAL: Seconds = "vlan.query-interval", "Seconds between queries (RFC 2236, 8.2).";
        RESPONSE_INTERVAL: Seconds = "vlan.response-interval", "Seconds in which to answer (RFC 2236, 8.3); below the query interval.";
        ROBUSTNESS: u32 = "vlan.robustness", "How many losses are borne (RFC 2236, 8.1).";
        LAST_MEMBER_INTERVAL: Seconds = "vlan.last-member-interval", "Seconds to answer after a leave (RFC 2236, 8.8).";
        LAST_MEMBER_COUNT: u32 = "vlan.last-member-count", "How often is asked after a leave (RFC 2236, 8.9).";
        ROUTER_LEARNING: bool = "vlan.router-learning", "Router ports are learned.";
        MLD_SNOOPING: bool = "vlan.mld-snooping", "MLD snooping covers the VLAN (RFC 2710, RFC 3810).";
        MLD_QUERIER: bool = "vlan.mld-querier", "The switch asks for IPv6 memberships in the VLAN.";
    }
    Mirror {
        MIRROR_ENABLED: bool = "mirror.enabled", "The session is active.";
        MIRROR_SOURCES: Arc<[(Arc<str>, Direction)]> = "mirror.sources", "Ports that are copied, each with a direction: received, sent, both.";
        MIRROR_VLANS: Arc<VlanSet> = "mirror.source-vlans", "VLANs that are copied.";
        MIRROR_TARGET: Option<Arc<str>> = "mirror.target", "The port that the copies go to.";
    }
}

/// How many settings a port has.
pub const PORT_COUNT: usize = count(Scope::Port);
/// How many settings a switch has.
pub const SWITCH_COUNT: usize = count(Scope::Switch);

const fn count(scope: Scope) -> usize {
    let mut n = 0;
    let mut i = 0;
    while i < ALL.len() {
        if ALL[i].scope as u8 == scope as u8 {
            n += 1;
        }
        i += 1;
    }
    n
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::SettingId;

    #[test]
    fn names_are_unique_and_lead_back() {
        for id in SettingId::all() {
            assert_eq!(SettingId::by_name(id.name()), Some(id), "{} is there twice", id.name());
        }
        assert_eq!(LIMIT.id.name(), "port-security.limit");
    }
}
