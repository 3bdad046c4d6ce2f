//! A switch of which every setting that the machine asks is told, and stations that talk on it.

use serde_json::{Value, json};
use yellowlegs_core::drill::{Asked, Machine};
use yellowlegs_core::model::{Record, StationAddress, Switch};

/// A switch of three ports: 1 as told, 2 an access port of VLAN 110, 3 a trunk of 110 and 120 with the native VLAN 999.
pub(crate) fn switch(port: &Value, switch: &Value, traits: &Value) -> Switch {
    named("s", port, switch, traits)
}

/// The same with a name.
pub(crate) fn named(name: &str, port: &Value, switch: &Value, traits: &Value) -> Switch {
    // As text: it is too long for the macro.
    let mut first: Value = serde_json::from_str(
        r#"{
        "port.enabled": true, "port.mode": "access", "port.access-vlan": 110, "port.voice-vlan": "none",
        "port.acceptable-frames": "all", "port.ingress-filtering": true, "port-security.enabled": false,
        "port-security.written-stations": [], "port-security.pinned-stations": [], "port-security.pinning": false,
        "authentication.enabled": false, "dhcp-snooping.trusted": false, "dhcp-snooping.rate-limit": "none",
        "arp-inspection.trusted": false, "source-guard.enabled": false, "ipv6-guard.advertisements-blocked": false,
        "ipv6-guard.servers-blocked": false, "storm.broadcast": "none", "storm.action": "drop",
        "spanning-tree.port-enabled": true, "fast-start.mode": "off", "spanning-tree.link-type": "auto",
        "guard.bpdu": false, "guard.bpdu-filter": false, "guard.root": false, "flap.enabled": false,
        "guard.loop-detection": false, "port-security.aging": 0, "port-security.limit": 1, "port-security.action": "drop",
        "dhcp-snooping.relay-info-accepted": false, "arp-inspection.rate-limit": "none", "storm.multicast": "none",
        "multicast.fast-leave": false, "multicast.router-port": false, "multicast.forward-all": false,
        "guard.loop": false, "unidirectional.mode": "off", "unidirectional.interval": 15, "port.dynamic-vlan": false,
        "lldp.transmit": true, "lldp.med": true, "voice.announcement": "none"
    }"#,
    )
    .unwrap();
    let mut whole = json!({
        "switch.vlans": "110,120,999", "dhcp-snooping.enabled": true, "dhcp-snooping.vlans": "none",
        "dhcp-snooping.address-check": true, "arp-inspection.enabled": true, "arp-inspection.vlans": "none",
        "spanning-tree.enabled": true, "spanning-tree.protocol": "rapid", "spanning-tree.forward-delay": 15,
        "spanning-tree.max-age": 20, "spanning-tree.hello": 2, "spanning-tree.host-speed-up": 0,
        "spanning-tree.priority": 32768, "spanning-tree.off-vlans": "none", "guard.loop-detection-interval": 5,
        "switch.address-ranges": [],
        "dhcp-snooping.relay-info": "keep", "dhcp-snooping.store": true, "dhcp-snooping.store-delay": 15,
        "multicast.snooping": false, "multicast.filtering": true, "lldp.enabled": true,
        "recovery.causes": [], "recovery.interval": 300, "recovery.bpdu-guard": 0, "recovery.port-security": 0, "recovery.storm": 0,
    });
    let mut words = json!({
        "snooping-switches": ["global", "vlan"], "inspection-switches": ["vlan"], "stations-counted": ["per-station"],
        "edge-detected": ["no"], "rapid-without-edge": ["standard"], "host-speed-up": ["voided-by-tags"],
        "plain-fast-start-on-trunk": ["void"], "flap-counts": ["loss-of-link"], "edge-bpdu-filter-ends": ["on-bpdu"],
        "port-security-void-in": [], "multicast-switches": ["global"], "voice-told-by": ["lldp-med"], "vlan-mirror": ["yes"],
    });
    for (into, from) in [(&mut first, port), (&mut whole, switch), (&mut words, traits)] {
        for (name, value) in from.as_object().unwrap() {
            into[name] = value.clone();
        }
    }
    // `3:` stands before what is told of port 3 alone.
    let only: Vec<_> =
        port.as_object().unwrap().iter().filter_map(|(n, v)| Some((n.strip_prefix("3:")?, v.clone()))).collect();
    only.iter().for_each(|(name, _)| _ = first.as_object_mut().unwrap().remove(&format!("3:{name}")));
    let second = first.clone();
    let mut third = first.clone();
    only.into_iter().for_each(|(name, value)| third[name] = value);
    for (name, value) in
        [("port.mode", json!("trunk")), ("port.native-vlan", json!(999)), ("port.tagged-vlans", json!("110,120"))]
    {
        third[name] = value;
    }
    let slots = |settings: &Value| {
        // What is told with its origin keeps it.
        let slot = |(name, value): (&String, &Value)| {
            let told =
                if value["origin"].is_string() { value.clone() } else { json!({"value": value, "origin": "port"}) };
            (name.clone(), told)
        };
        Value::Object(settings.as_object().unwrap().iter().map(slot).collect())
    };
    let traits: Value = Value::Object(
        words.as_object().unwrap().iter().map(|(name, words)| (name.clone(), json!({"words": words}))).collect(),
    );
    let ports: Vec<Value> = [first, second, third]
        .iter()
        .enumerate()
        .map(|(n, settings)| json!({"port": format!("{}", n + 1), "settings": slots(settings)}))
        .collect();
    // The defaults of RFC 2236, 8.
    let times = json!({
        "vlan.robustness": 2, "vlan.query-interval": 125, "vlan.response-interval": 10, "vlan.last-member-interval": 1,
        "vlan.last-member-count": 2, "vlan.router-learning": true, "vlan.querier": false,
        "vlan.mld-snooping": true,
    });
    let vlans = [110, 120, 999].map(|vlan| json!({"vlan": vlan, "settings": slots(&times)}));
    let mirror = json!({"mirror.enabled": true, "mirror.sources": ["2 both"], "mirror.source-vlans": "none", "mirror.target": "3"});
    let mirrors = json!([{"mirror": "m", "settings": slots(&mirror)}]);
    let record = json!({
        "record": 1, "switch": name, "traits": traits, "settings": slots(&whole), "ports": ports, "vlans": vlans, "mirrors": mirrors,
    });
    let record: Record = serde_json::from_value(record).unwrap();
    record.into_switch(name)
}

/// A station.
pub(crate) fn station(last: u8) -> StationAddress {
    StationAddress::parse(&format!("02:00:5e:00:00:{last:02x}")).unwrap()
}

/// A machine with all ports at work.
pub(crate) fn at_work(switch: &Switch) -> Machine<'_> {
    let mut machine = Machine::new(Asked::new(switch));
    (0..3).for_each(|port| machine.settle(port));
    machine
}
