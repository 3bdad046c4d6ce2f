//! The catalogue of settings: one row each, with name, scope, kind and meaning.
//!
//! Dialects set them, policies expect them, checks read them, records carry them, all by these rows.

use std::sync::Arc;

use super::{Action, Frames, Key, Mode, Scope, Seconds, SettingInfo, SettingType, Station, VlanId, VlanSet};

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
        MODE: Mode = "port.mode", "How the port treats VLANs: access (one untagged VLAN), trunk (tagged VLANs and a native one), negotiated (the neighbour may turn it into a trunk).";
        ACCESS_VLAN: Option<VlanId> = "port.access-vlan", "The untagged VLAN while the mode is access (IEEE 802.1Q, 6.9: PVID).";
        NATIVE_VLAN: Option<VlanId> = "port.native-vlan", "The untagged VLAN while the mode is trunk.";
        TAGGED_VLANS: Arc<VlanSet> = "port.tagged-vlans", "The VLANs a trunk carries. Silent text: see the trait trunk-without-list.";
        VOICE_VLAN: Option<VlanId> = "port.voice-vlan", "The VLAN a phone sends tagged beside the untagged one.";
        ACCEPTABLE_FRAMES: Frames = "port.acceptable-frames", "Which frames are taken in (IEEE 802.1Q, 6.9): all, tagged, untagged.";
        INGRESS_FILTERING: bool = "port.ingress-filtering", "Frames of VLANs the port is not a member of are dropped on arrival (IEEE 802.1Q, 8.6.2).";
        DYNAMIC_VLAN: bool = "port.dynamic-vlan", "The VLAN is assigned when the first frame matches a rule.";
        PORT_SECURITY: bool = "port-security.enabled", "Port security is switched on for the port.";
        LIMIT: u32 = "port-security.limit", "How many stations the port admits at a time.";
        ACTION: Action = "port-security.action", "What happens to one station too many: drop (silently), drop-and-report, disable-port.";
        PINNING: bool = "port-security.pinning", "Stations once learned are pinned: kept as if written by hand.";
        AGING: Seconds = "port-security.aging", "Learned stations are forgotten after this many seconds; 0: never.";
        PINNED_STATIONS: Arc<[Station]> = "port-security.pinned-stations", "Stations that were learned and pinned.";
        WRITTEN_STATIONS: Arc<[Station]> = "port-security.written-stations", "Stations written by hand.";
        INSPECTION_TRUSTED: bool = "arp-inspection.trusted", "ARP inspection lets the port's frames pass unexamined.";
        SOURCE_GUARD: bool = "source-guard.enabled", "Source guard is on: only bound or written addresses may send.";
        AUTHENTICATION: bool = "authentication.enabled", "The port opens only after authentication (IEEE 802.1X).";
    }
    Switch {
        NAME: Arc<str> = "switch.name", "The name configured on the switch.";
        VLANS: Arc<VlanSet> = "switch.vlans", "The VLANs defined on the switch. Definitions add to the platform's default.";
        DEFAULT_VLAN: Option<VlanId> = "switch.default-vlan", "The VLAN that ports are in when nobody says otherwise.";
        SNOOPING: bool = "dhcp-snooping.enabled", "The global switch of DHCP snooping. Whether it is needed: trait snooping-switches.";
        SNOOPING_VLANS: Arc<VlanSet> = "dhcp-snooping.vlans", "The VLANs DHCP snooping covers.";
        INSPECTION_VLANS: Arc<VlanSet> = "arp-inspection.vlans", "The VLANs ARP inspection covers.";
    }
    Vlan {
        VLAN_NAME: Arc<str> = "vlan.name", "The VLAN's name on the switch.";
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
