//! Each drill by itself: in the right fleet it holds; after a change of one or two settings it comes out as an engineer would say.

use rstest::rstest;
use serde_json::{Value as Json, json};
use yellowlegs_core::drill::Outcome;
use yellowlegs_core::drill::Outcome::{Held, LetThrough, Outage, Told, Undetermined};

use super::generated::{Records, bare_records, fleet, strict};
use super::{around, changes, played};

/// `edge 1.1`, `port.mode`, a value; a switch alone is the place of its own settings, and of its traits, which are taken away.
pub(super) fn change(records: &mut Records, place: &str, setting: &str, value: &Json) {
    let (switch, port) = place.split_once(' ').unwrap_or((place, ""));
    let record = records.get_mut(switch).unwrap();
    if let Some(name) = setting.strip_prefix("trait ") {
        record["traits"].as_object_mut().unwrap().remove(name);
        return;
    }
    let settings = match port.strip_prefix("vlan ") {
        Some(vlan) => {
            let vlan: u16 = vlan.parse().unwrap();
            let vlans = record["vlans"].as_array_mut().unwrap();
            &mut vlans.iter_mut().find(|one| one["vlan"] == vlan).unwrap()["settings"]
        }
        None if port.is_empty() => &mut record["settings"],
        None => {
            let ports = record["ports"].as_array_mut().unwrap();
            &mut ports.iter_mut().find(|one| one["port"] == port).unwrap()["settings"]
        }
    };
    if value.is_null() {
        settings.as_object_mut().unwrap().remove(setting);
    } else {
        settings[setting] = json!({"value": value, "origin": "port"});
    }
}

/// What is changed.
type Changes<'a> = &'a [(&'a str, &'a str, Json)];

#[rstest]
// Stations.
#[case("second-station", "edge 1.2", &[], Held, "stopped: port security")]
#[case("second-station", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false))], LetThrough, "one station too many")]
#[case("second-station", "edge 1.2", &[("edge 1.2", "port-security.limit", json!(2))], LetThrough, "one station too many")]
#[case("second-station", "edge 1.1", &[("edge 1.1", "port-security.limit", json!(1))], Outage, "a station that belongs here")]
#[case("second-station", "edge 1.2", &[("edge 1.2", "port-security.limit", json!(null))], Undetermined, "port-security.limit")]
#[case("second-station", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false)), ("edge 1.2", "authentication.enabled", json!(true))], Held, "port authentication")]
#[case("second-station", "edge 1.1", &[("edge", "trait stations-counted", json!(null)), ("edge 1.1", "port-security.limit", json!(2))], Undetermined, "per-station: held; per-station-and-vlan: outage")]
#[case("swapped-station", "edge 1.2", &[], Held, "port security")]
#[case("swapped-station", "edge 1.2", &[("edge 1.2", "port-security.limit", json!(2))], LetThrough, "the other station")]
#[case("swapped-station", "edge 1.2", &[("edge 1.2", "port-security.pinning", json!(false))], LetThrough, "the other station")]
#[case("swapped-station", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false))], LetThrough, "the other station")]
#[case("copied-address", "edge 1.2", &[], Held, "source guard")]
#[case("copied-address", "edge 1.2", &[("edge 1.2", "source-guard.enabled", json!(false))], Held, "ARP inspection")]
#[case("copied-address", "edge 1.2", &[("edge 1.2", "source-guard.enabled", json!(false)), ("edge 1.2", "arp-inspection.trusted", json!(true))], LetThrough, "believed")]
#[case("copied-address", "edge 1.2", &[("edge 1.2", "source-guard.enabled", json!(false)), ("edge 1.2", "arp-inspection.trusted", json!(true)), ("edge 1.2", "authentication.enabled", json!(true))], Held, "port authentication")]
#[case("address-flood", "edge 1.2", &[], Held, "grows by 1")]
#[case("address-flood", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false))], LetThrough, "grows by 10000")]
#[case("address-flood", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false)), ("edge 1.2", "port-security.limit", json!(20000))], LetThrough, "grows by 10000")]
#[case("address-flood", "edge 1.2", &[("edge 1.2", "port-security.limit", json!(4000))], Held, "grows by 4000")]
// Addresses.
#[case("rogue-server", "edge 1.1", &[], Held, "DHCP snooping")]
#[case("rogue-server", "edge 1.1", &[("edge 1.1", "dhcp-snooping.trusted", json!(true))], LetThrough, "rogue server")]
#[case("rogue-server", "edge 1.1", &[("edge", "dhcp-snooping.vlans", json!("140"))], LetThrough, "rogue server")]
#[case("rogue-server", "edge 1.1", &[("edge", "dhcp-snooping.enabled", json!(false))], LetThrough, "rogue server")]
#[case("rogue-server", "edge 1.1", &[("edge", "platform.ready", json!([]))], LetThrough, "rogue server")]
#[case("real-server", "edge 1.1", &[], Held, "over one more switch")]
#[case("real-server", "edge 1.1", &[("edge 1.7", "dhcp-snooping.trusted", json!(false))], Outage, "ends at edge 1.7")]
#[case("real-server", "edge 1.1", &[("edge 1.7", "port.tagged-vlans", json!("140"))], Outage, "ends at edge 1.7")]
#[case("real-server", "edge 1.1", &[("core 1.2", "port.tagged-vlans", json!("140"))], Outage, "ends at core 1.2")]
#[case("real-server", "edge 1.1", &[("core 1.1", "dhcp-snooping.trusted", json!(false))], Outage, "ends at core 1.1")]
// The server's port carries the client's VLAN tagged: it answers with the tag.
#[case("real-server", "edge 1.1", &[("core 1.1", "port.mode", json!("trunk")), ("core 1.1", "port.tagged-vlans", json!("110")), ("core 1.1", "port.native-vlan", json!(999)), ("core 1.1", "port.acceptable-frames", json!("all"))], Held, "over one more switch")]
#[case("real-server", "edge 1.1", &[("core 1.1", "port.mode", json!("trunk")), ("core 1.1", "port.tagged-vlans", json!("none")), ("core 1.1", "port.native-vlan", json!(110))], Held, "over one more switch")]
#[case("real-server", "edge 1.1", &[("core 1.1", "port.mode", json!("trunk")), ("core 1.1", "port.tagged-vlans", json!("110")), ("core 1.1", "port.native-vlan", json!(999)), ("core 1.1", "dhcp-snooping.trusted", json!(false))], Outage, "never reaches")]
#[case("real-server", "edge 1.1", &[("edge", "dhcp-snooping.relay-info", json!("insert"))], Outage, "ends at core 1.2")]
#[case("real-server", "edge 1.1", &[("edge", "dhcp-snooping.relay-info", json!("insert")), ("core 1.2", "dhcp-snooping.relay-info-accepted", json!(true))], Held, "over one more switch")]
#[case("real-server", "edge 1.1", &[("edge 1.7", "arp-inspection.trusted", json!(false))], Outage, "the gateway's answer is dropped")]
#[case("real-server", "edge 1.1", &[("edge 1.7", "dhcp-snooping.trusted", json!(null))], Undetermined, "dhcp-snooping.trusted")]
// Whoever is pinned is the one that belongs there: the places are taken, and it is let in.
#[case("real-server", "edge 1.2", &[("edge 1.2", "port-security.pinned-stations", json!(["02:00:5e:10:00:07"]))], Held, "over one more switch")]
#[case("second-station", "edge 1.2", &[("edge 1.2", "port-security.pinned-stations", json!(["02:00:5e:10:00:07"]))], Held, "port security")]
#[case("forged-source", "edge 1.2", &[("edge 1.2", "port-security.pinned-stations", json!(["02:00:5e:10:00:07"]))], Held, "source guard")]
#[case("rogue-router", "edge 1.2", &[("edge 1.2", "port-security.pinned-stations", json!(["02:00:5e:10:00:07"])), ("edge 1.2", "ipv6-guard.servers-blocked", json!(false))], LetThrough, "DHCPv6")]
#[case("phone-boot", "edge 1.1", &[("edge 1.1", "port-security.pinned-stations", json!(["02:00:5e:10:00:07", "02:00:5e:20:00:07"])), ("edge 1.1", "port-security.limit", json!(2))], Held, "and the computer in its own")]
#[case("phone-boot", "edge 1.1", &[("edge 1.1", "port-security.pinned-stations", json!(["02:00:5e:10:00:07@110", "02:00:5e:10:00:08@210"])), ("edge 1.1", "port-security.limit", json!(3))], Held, "and the computer in its own")]
// A phone speaks untagged until it is told better: pinned in the voice VLAN alone it has no place for that.
#[case("phone-boot", "edge 1.1", &[("edge 1.1", "port-security.pinned-stations", json!(["02:00:5e:10:00:07@110", "02:00:5e:10:00:08@210"])), ("edge 1.1", "port-security.limit", json!(2))], Outage, "are dropped")]
#[case("phone-boot", "edge 1.1", &[("edge 1.1", "port-security.pinned-stations", json!(["02:00:5e:10:00:07", "02:00:5e:10:00:08"])), ("edge 1.1", "port-security.limit", json!(1))], Held, "and the computer in its own")]
#[case("real-server", "edge 1.2", &[("edge 1.2", "port-security.pinned-stations", json!(["02:00:5e:10:00:07"])), ("core 1.2", "port-security.enabled", json!(true)), ("core 1.2", "port-security.limit", json!(9)), ("core 1.2", "port-security.action", json!("drop")), ("core 1.2", "port-security.pinned-stations", json!([])), ("core 1.2", "port-security.written-stations", json!([])), ("core 1.1", "port.mode", json!("access")), ("core 1.1", "port.access-vlan", json!(110)), ("core 1.1", "port-security.enabled", json!(true)), ("core 1.1", "port-security.pinned-stations", json!(["02:00:5e:10:00:07"]))], Outage, "ends at core 1.2")]
#[case("real-server", "edge 1.3", &[], Held, "over one more switch")]
#[case("real-server", "edge 1.1", &[], Held, "; the phone gets its address over one more switch")]
#[case("real-server", "edge 1.1", &[("edge 1.7", "port.tagged-vlans", json!("110,140,300"))], Outage, "the phone's question never reaches the server: it ends at edge 1.7")]
#[case("bindings-cleared", "edge 1.2", &[], Told, "source guard cuts everybody off")]
#[case("bindings-cleared", "edge 1.2", &[("edge 1.2", "source-guard.enabled", json!(false)), ("edge 1.2", "arp-inspection.trusted", json!(true))], Told, "nobody is cut off")]
#[case("forged-arp", "edge 1.1", &[("edge", "arp-inspection.vlans", json!("140"))], LetThrough, "gateway")]
#[case("forged-source", "edge 1.1", &[("edge 1.1", "source-guard.enabled", json!(false))], LetThrough, "forged source")]
#[case("forged-source", "edge 1.1", &[("edge", "dhcp-snooping.vlans", json!("140"))], Outage, "own packets are stopped")]
#[case("starvation", "edge 1.2", &[("edge", "dhcp-snooping.address-check", json!(false))], LetThrough, "100 leases")]
#[case("starvation", "edge 1.2", &[("edge 1.2", "port-security.enabled", json!(false))], LetThrough, "100 leases")]
#[case("rogue-router", "edge 1.1", &[("edge 1.1", "ipv6-guard.servers-blocked", json!(false))], LetThrough, "DHCPv6")]
// Bridges and loops.
#[case("brought-bridge", "edge 1.1", &[], Held, "held down")]
#[case("brought-bridge", "edge 1.1", &[("edge 1.1", "guard.bpdu", json!(false))], LetThrough, "a bridge")]
// Where the tree does not run or BPDUs are filtered the guard hears none.
#[case("brought-bridge", "edge 1.1", &[("edge 1.1", "spanning-tree.port-enabled", json!(false))], LetThrough, "a bridge")]
#[case("brought-bridge", "edge 1.1", &[("edge", "spanning-tree.enabled", json!(false))], LetThrough, "a bridge")]
#[case("brought-bridge", "edge 1.1", &[("edge 1.1", "guard.bpdu-filter", json!(true))], LetThrough, "a bridge")]
#[case("root-takeover", "core 1.2", &[], Held, "")]
#[case("root-takeover", "core 1.2", &[("core 1.2", "guard.root", json!(false))], LetThrough, "a better root")]
#[case("patched-loop", "edge 1.1", &[], Held, "over a sister switch")]
#[case("patched-loop", "edge 1.2", &[("edge 1.2", "spanning-tree.port-enabled", json!(false)), ("edge 1.2", "guard.bpdu", json!(false))], Held, "probe")]
#[case("patched-loop", "edge 1.2", &[("edge 1.2", "spanning-tree.port-enabled", json!(false)), ("edge 1.2", "guard.bpdu", json!(false)), ("edge 1.2", "guard.loop-detection", json!(false))], LetThrough, "for ever")]
#[case("patched-loop", "edge 1.2", &[("edge", "spanning-tree.off-vlans", json!("110")), ("edge 1.2", "guard.loop-detection", json!(false)), ("edge 1.2", "guard.bpdu", json!(false))], LetThrough, "for ever")]
#[case("patched-loop", "edge 1.2", &[("edge", "spanning-tree.off-vlans", json!(null))], Held, "over a sister switch")]
#[case("patched-loop", "edge 1.2", &[("edge", "spanning-tree.off-vlans", json!(null)), ("edge", "spanning-tree.protocol", json!("rapid-per-vlan"))], Undetermined, "spanning-tree.off-vlans")]
#[case("patched-loop", "edge 1.2", &[("edge 1.2", "spanning-tree.port-enabled", json!(false)), ("edge 1.2", "guard.bpdu", json!(false)), ("edge 1.2", "guard.loop-detection", json!(false)), ("edge 1.2", "storm.action", json!("disable-port"))], Held, "the storm limit takes the port down, after 1 s")]
#[case("patched-loop", "edge 1.2", &[("edge", "spanning-tree.hello", json!(1)), ("edge 1.2", "storm.action", json!("disable-port"))], Held, "BPDU guard takes the port down, after 1 s")]
#[case("phone-loop", "edge 1.1", &[("edge", "spanning-tree.protocol", json!("rapid-per-vlan"))], Held, "into another VLAN: the first probe")]
#[case("phone-loop", "edge 1.1", &[], Held, "probe")]
#[case("phone-loop", "edge 1.1", &[("edge 1.1", "guard.loop-detection", json!(false))], LetThrough, "passes no BPDU on")]
#[case("one-way-fibre", "edge 1.7", &[], Held, "after 6 s")]
#[case("one-way-fibre", "edge 1.7", &[("edge 1.7", "unidirectional.mode", json!("off")), ("edge 1.7", "guard.loop", json!(false))], LetThrough, "a loop stands")]
#[case("one-way-fibre", "core 1.2", &[("core 1.2", "unidirectional.interval", json!(15))], Held, "loop guard keeps edge 1.7 closed")]
#[case("one-way-fibre", "core 1.2", &[("core 1.2", "unidirectional.interval", json!(15)), ("edge 1.7", "guard.loop", json!(false))], LetThrough, "where edge 1.7 hears nothing")]
#[case("one-way-fibre", "edge 1.7", &[("edge 1.7", "port.media", json!(null))], Undetermined, "port.media")]
// VLANs.
#[case("tag-hop", "edge 1.1", &[("edge 1.1", "port.ingress-filtering", json!(false)), ("edge 1.1", "port.acceptable-frames", json!("all"))], LetThrough, "a tag is enough")]
#[case("tag-hop", "edge 1.1", &[("edge 1.1", "port.acceptable-frames", json!("all")), ("edge 1.7", "port.native-vlan", json!(110))], LetThrough, "tagged twice")]
#[case("negotiate", "edge 1.1", &[("edge 1.1", "port.mode", json!("negotiated"))], LetThrough, "makes itself a trunk")]
// What belongs there.
#[case("desk-boot", "edge 1.2", &[("edge 1.2", "fast-start.mode", json!("off"))], Outage, "forwards after")]
#[case("phone-boot", "edge 1.1", &[], Held, "the phone speaks in its VLAN")]
#[case("phone-boot", "edge 1.1", &[("edge", "lldp.enabled", json!(false))], Outage, "can be listened to")]
#[case("phone-boot", "edge 1.1", &[("edge", "lldp.enabled", json!(false)), ("edge 1.1", "port.dynamic-vlan", json!(true))], Held, "the phone speaks in its VLAN")]
#[case("phone-boot", "edge 1.1", &[("edge", "lldp.enabled", json!(false)), ("edge 1.1", "port.dynamic-vlan", json!(true)), ("edge", "switch.address-ranges", json!(["02:00:5e:21:00:00-02:00:5e:21:ff:ff@210"]))], Outage, "can be listened to")]
#[case("phone-boot", "edge 1.1", &[("edge", "lldp.enabled", json!(false)), ("edge 1.1", "port.dynamic-vlan", json!(null))], Undetermined, "port.dynamic-vlan")]
#[case("phone-boot", "edge 1.1", &[("edge 1.1", "power.enabled", json!(false))], Held, "needs a supply of its own")]
#[case("phone-boot", "edge 1.1", &[("edge 1.1", "voice.announced-vlan", json!(140))], Outage, "frames are dropped")]
#[case("phone-boot", "edge 1.1", &[("edge 1.1", "port.voice-vlan", json!(110)), ("edge 1.1", "voice.announced-vlan", json!(110)), ("edge 1.1", "port.acceptable-frames", json!("all"))], Outage, "among the computers")]
#[case("phone-boot", "edge 1.1", &[("edge 1.1", "voice.dscp", json!(0))], Outage, "DSCP 0")]
#[case("phone-boot", "edge 1.1", &[("edge 1.1", "port.trust", json!("none"))], Outage, "wiped off")]
#[case("phone-boot", "edge 1.1", &[("edge 1.1", "port-security.limit", json!(1))], Outage, "are dropped")]
// Streams, mirrors, flaps.
#[case("stream-join", "edge 1.4", &[], Held, "nobody else does")]
#[case("stream-join", "edge 1.4", &[("edge", "multicast.filtering", json!(false))], LetThrough, "nobody joined")]
#[case("stream-join", "edge 1.4", &[("core vlan 140", "vlan.querier", json!(false))], Outage, "stops after 260 s")]
#[case("stream-join", "edge 1.4", &[("core vlan 140", "vlan.querier-address", json!("none")), ("core", "multicast.querier-address", json!("none"))], Outage, "stops after 260 s")]
#[case("stream-join", "edge 1.4", &[("core vlan 140", "vlan.querier-address", json!(null)), ("core", "multicast.querier-address", json!(null))], Undetermined, "multicast.querier-address")]
#[case("stream-leave", "edge 1.4", &[], Held, "0 s after the leave")]
#[case("stream-leave", "edge 1.4", &[("edge 1.4", "multicast.fast-leave", json!(false))], LetThrough, "runs on for 2 s")]
#[case("querier-loss", "edge 1.4", &[], Told, "after 255 s; where there is none the stream stops 260 s")]
#[case("mirror-tap", "edge 1.6", &[], Held, "what was agreed on")]
#[case("mirror-tap", "edge 1.6", &[("edge 1.6", "port.access-vlan", json!(110))], LetThrough, "besides the copies")]
#[case("flapping-plug", "edge 1.1", &[("edge 1.1", "flap.enabled", json!(false))], LetThrough, "nothing holds it down")]
#[case("flapping-plug", "edge 1.1", &[("edge 1.1", "flap.threshold", json!(50))], LetThrough, "nothing holds it down")]
#[case("restart", "edge 1.2", &[], Told, "pinned and not saved")]
#[case("restart", "edge 1.4", &[("edge", "dhcp-snooping.store", json!(false))], Told, "the binding of this half minute")]
// Which end of the wire a probe takes down hangs on their numbers; how this one would come back does not.
#[case("recovery", "edge 1.1", &[], Told, "after phone-loop: by hand")]
#[case("recovery", "edge 1.2", &[], Told, "by hand")]
#[case("recovery", "edge 1.7", &[], Told, "after one-way-fibre: by hand")]
#[case("recovery", "edge 1.7", &[("edge", "recovery.unidirectional", json!(90))], Told, "after one-way-fibre: after 90 s by itself")]
#[case("recovery", "edge 1.2", &[("edge", "recovery.bpdu-guard", json!(60))], Told, "after brought-bridge: after 60 s by itself")]
fn a_drill_comes_out(
    #[case] drill: &str,
    #[case] place: &str,
    #[case] changes: Changes<'_>,
    #[case] outcome: Outcome,
    #[case] says: &str,
) {
    let (policy, mut records) = (strict(), bare_records(&fleet()));
    changes.iter().for_each(|(place, setting, value)| change(&mut records, place, setting, value));
    let fleet = records.iter().map(|(name, record)| (*name, changes::read(record, name).unwrap())).collect();
    let around = around(&policy, &fleet);
    let (switch, port) = place.split_once(' ').unwrap();
    let told = played(&policy, &fleet[switch], &around, port, drill).expect("it is played here");
    assert_eq!(told.outcome, outcome, "{}: {:#?}", told.says, told.story);
    assert!(told.says.contains(says), "`{says}` is not in `{}`", told.says);
}
