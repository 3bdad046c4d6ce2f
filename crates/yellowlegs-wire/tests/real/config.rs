//! A generated configuration of six ports, as commands of the virtual switch and as a switch of the core.

use std::collections::{BTreeMap, BTreeSet};

use rand::Rng;
use rand::rngs::SmallRng;
use serde_json::{Value, json};
use yellowlegs_core::model::{Record, Switch};

pub(crate) const PORTS: usize = 6;
/// The VLANs there are, and one that nobody carries.
pub(crate) const VLANS: [u16; 4] = [110, 120, 140, 999];
pub(crate) const STRANGE: u16 = 777;

/// How a port treats VLANs.
pub(crate) enum Mode {
    Access(u16),
    Trunk { native: u16, tagged: BTreeSet<u16> },
}

/// A mirror session.
pub(crate) struct Mirror {
    pub(crate) target: usize,
    /// Ports, each with whether what it receives and what it sends is copied.
    pub(crate) sources: BTreeMap<usize, (bool, bool)>,
}

/// A configuration.
pub(crate) struct Config {
    pub(crate) modes: Vec<Mode>,
    /// Whether multicast is snooped, and then whether unregistered groups are filtered.
    pub(crate) snooping: Option<bool>,
    /// A static router port.
    pub(crate) router: Option<usize>,
    pub(crate) mirror: Option<Mirror>,
}

impl Config {
    pub(crate) fn generate(rng: &mut SmallRng) -> Self {
        let vlan = |rng: &mut SmallRng| VLANS[rng.random_range(0..VLANS.len())];
        let mode = |rng: &mut SmallRng| {
            if rng.random_bool(0.6) {
                return Mode::Access(vlan(rng));
            }
            let tagged = VLANS.into_iter().filter(|_| rng.random_bool(0.6)).collect();
            Mode::Trunk { native: vlan(rng), tagged }
        };
        let modes: Vec<Mode> = (0..PORTS).map(|_| mode(rng)).collect();
        let snooping = rng.random_bool(0.6).then(|| rng.random_bool(0.6));
        let router = (snooping.is_some() && rng.random_bool(0.4)).then(|| rng.random_range(0..PORTS - 1));
        let mut modes = modes;
        if let Some(port) = router {
            // Open vSwitch sends every group to a static router port, whatever the port's VLANs are: here it carries all.
            modes[port] = Mode::Trunk { native: vlan(rng), tagged: VLANS.into() };
        }
        let mirror = rng.random_bool(0.4).then(|| {
            let sources = (0..PORTS - 1).filter(|_| rng.random_bool(0.4)).collect::<Vec<_>>();
            let way = |rng: &mut SmallRng| [(true, false), (false, true), (true, true)][rng.random_range(0..3)];
            Mirror { target: PORTS - 1, sources: sources.into_iter().map(|port| (port, way(rng))).collect() }
        });
        Self { modes, snooping, router, mirror }
    }

    /// The target of a mirror takes part in nothing else.
    pub(crate) fn is_target(&self, port: usize) -> bool {
        self.mirror.as_ref().is_some_and(|mirror| mirror.target == port)
    }

    /// The words that set the virtual switch up, a command each.
    pub(crate) fn commands(&self) -> Vec<String> {
        let mut all = vec!["add-br br0".to_owned()];
        all.push("set bridge br0 datapath_type=netdev".to_owned());
        for (port, mode) in self.modes.iter().enumerate() {
            let name = format!("p{}", port + 1);
            all.push(format!("add-port br0 {name}"));
            match mode {
                _ if self.is_target(port) => {}
                Mode::Access(vlan) => all.push(format!("set port {name} vlan_mode=access tag={vlan}")),
                Mode::Trunk { native, tagged } => {
                    let trunks: Vec<String> = tagged
                        .iter()
                        .chain([native])
                        .collect::<BTreeSet<_>>()
                        .into_iter()
                        .map(ToString::to_string)
                        .collect();
                    let trunks = trunks.join(",");
                    all.push(format!("set port {name} vlan_mode=native-untagged tag={native} trunks={trunks}"));
                }
            }
            if self.router == Some(port) {
                let set = "other_config:mcast-snooping-flood=true other_config:mcast-snooping-flood-reports=true";
                all.push(format!("set port {name} {set}"));
            }
        }
        if let Some(filters) = self.snooping {
            let set = format!("other_config:mcast-snooping-disable-flood-unregistered={filters}");
            all.push(format!("set bridge br0 mcast_snooping_enable=true {set}"));
        }
        if let Some(Mirror { target, sources }) = &self.mirror {
            all.push(format!("--id=@t get port p{}", target + 1));
            let (mut received, mut sent) = (Vec::new(), Vec::new());
            for (port, (comes, goes)) in sources {
                all.push(format!("--id=@s{port} get port p{}", port + 1));
                received.extend(comes.then(|| format!("@s{port}")));
                sent.extend(goes.then(|| format!("@s{port}")));
            }
            let set = [("select_src_port", received), ("select_dst_port", sent)];
            let set = set.map(
                |(key, ports)| if ports.is_empty() { String::new() } else { format!("{key}={}", ports.join(",")) },
            );
            all.push(format!("--id=@m create mirror name=m {} output_port=@t", set.join(" ")));
            all.push("set bridge br0 mirrors=@m".to_owned());
        }
        all
    }

    /// The same as the core has it.
    pub(crate) fn switch(&self) -> Switch {
        let slot = |value: Value| json!({"value": value, "origin": "port"});
        let ports: Vec<Value> = self
            .modes
            .iter()
            .enumerate()
            .map(|(port, mode)| {
                let mut settings = BTreeMap::from([
                    ("port.enabled", json!(true)),
                    ("port.voice-vlan", json!("none")),
                    ("port.ingress-filtering", json!(true)),
                    ("port-security.enabled", json!(false)),
                    ("authentication.enabled", json!(false)),
                    ("arp-inspection.trusted", json!(true)),
                    ("source-guard.enabled", json!(false)),
                    ("storm.broadcast", json!("none")),
                    ("storm.multicast", json!("none")),
                    ("spanning-tree.port-enabled", json!(false)),
                    ("guard.bpdu", json!(false)),
                    ("multicast.fast-leave", json!(true)),
                    ("multicast.router-port", json!(self.router == Some(port))),
                    ("multicast.forward-all", json!(false)),
                ]);
                match mode {
                    _ if self.is_target(port) => settings.extend([
                        ("port.mode", json!("access")),
                        ("port.access-vlan", json!("none")),
                        ("port.acceptable-frames", json!("untagged")),
                    ]),
                    // Its access ports take in no tag, their own VLAN's neither.
                    Mode::Access(vlan) => settings.extend([
                        ("port.mode", json!("access")),
                        ("port.access-vlan", json!(vlan)),
                        ("port.acceptable-frames", json!("untagged")),
                    ]),
                    Mode::Trunk { native, tagged } => settings.extend([
                        ("port.mode", json!("trunk")),
                        ("port.native-vlan", json!(native)),
                        ("port.acceptable-frames", json!("all")),
                        (
                            "port.tagged-vlans",
                            if tagged.is_empty() {
                                json!("none")
                            } else {
                                json!(tagged.iter().map(ToString::to_string).collect::<Vec<_>>().join(","))
                            },
                        ),
                    ]),
                }
                let settings: BTreeMap<_, _> = settings.into_iter().map(|(name, value)| (name, slot(value))).collect();
                json!({"port": format!("{}", port + 1), "settings": settings})
            })
            .collect();
        let whole = json!({
            "switch.vlans": slot(json!("all")), "spanning-tree.enabled": slot(json!(false)),
            "dhcp-snooping.enabled": slot(json!(false)), "arp-inspection.enabled": slot(json!(false)),
            "multicast.snooping": slot(json!(self.snooping.is_some())),
            "multicast.filtering": slot(json!(self.snooping == Some(true))),
        });
        let vlans: Vec<Value> = VLANS
            .iter()
            .map(|vlan| {
                let times = json!({
                    "vlan.router-learning": slot(json!(true)), "vlan.robustness": slot(json!(2)),
                    "vlan.query-interval": slot(json!(125)), "vlan.response-interval": slot(json!(10)),
                    "vlan.mld-snooping": slot(json!(self.snooping.is_some())),
                });
                json!({"vlan": vlan, "settings": times})
            })
            .collect();
        let words = |word: &str| json!({"words": [word]});
        let mirrors: Vec<Value> = self
            .mirror
            .iter()
            .map(|mirror| {
                let way = |(port, (comes, goes)): (&usize, &(bool, bool))| {
                    let way = match (comes, goes) {
                        (true, true) => "both",
                        (true, false) => "received",
                        _ => "sent",
                    };
                    format!("{} {way}", port + 1)
                };
                json!({"mirror": "m", "settings": {
                    "mirror.enabled": slot(json!(true)),
                    "mirror.sources": slot(json!(mirror.sources.iter().map(way).collect::<Vec<_>>())),
                    "mirror.source-vlans": slot(json!("none")),
                    "mirror.target": slot(json!(format!("{}", mirror.target + 1))),
                }})
            })
            .collect();
        let record = json!({
            "record": 1, "switch": "v", "settings": whole, "ports": ports, "vlans": vlans, "mirrors": mirrors,
            "traits": {
                "snooping-switches": words("global"), "inspection-switches": words("global"),
                "multicast-switches": words("global"), "vlan-mirror": words("yes"),
            },
        });
        let record: Record = serde_json::from_value(record).unwrap();
        record.into_switch("v")
    }
}

/// A switch of one port with the rapid tree, which waits the classic time where no edge is known.
pub(crate) fn rapid(fast_start: &str, detected: &str, tree: bool, delay: u64) -> Switch {
    let slot = |value: Value| json!({"value": value, "origin": "port"});
    let words = |word: &str| json!({"words": [word]});
    let record = json!({
        "record": 1, "switch": "v",
        "settings": {
            "spanning-tree.enabled": slot(json!(true)), "spanning-tree.protocol": slot(json!("rapid")),
            "spanning-tree.forward-delay": slot(json!(delay)),
        },
        "ports": [{"port": "1", "settings": {
            "port.enabled": slot(json!(true)), "port.mode": slot(json!("access")), "flap.enabled": slot(json!(false)),
            "spanning-tree.port-enabled": slot(json!(tree)), "fast-start.mode": slot(json!(fast_start)),
            "spanning-tree.link-type": slot(json!("auto")),
        }}],
        "traits": {"edge-detected": words(detected), "rapid-without-edge": words("classic")},
    });
    let record: Record = serde_json::from_value(record).unwrap();
    record.into_switch("v")
}
