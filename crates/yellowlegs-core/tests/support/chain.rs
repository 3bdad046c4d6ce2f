//! Three switches in a row, each end of a cable known, in which nothing is wrong across them.

use std::collections::BTreeMap;

/// The server hangs on a 1.1; a 1.2 leads to b 1.1, b 1.2 to c 1.1; hosts are on b 1.3 and c 1.3.
pub(crate) const POLICY: &str = r#"
[site]
multicast-snooping = "wanted"
[vlans]
110 = { purpose = "data" }
140 = { purpose = "real-time" }
999 = { purpose = "native" }
[[role]]
name = "host"
faces = "host"
vlans = [110, 140]
ports = ["b 1.3", "c 1.3"]
[[role]]
name = "up"
faces = "bridge-up"
vlans = [110, 140]
ports = ["b 1.1", "c 1.1"]
[[role]]
name = "down"
faces = "bridge-down"
vlans = [110, 140]
ports = ["a 1.2", "b 1.2"]
[[role]]
name = "spare"
faces = "nothing"
ports = ["a 1.3..1.4", "b 1.4", "c 1.2,1.4"]
[[role]]
name = "hall"
faces = "host"
ports = ["a 1.1"]
[[dhcp-server]]
switch = "a"
port = "1.1"
"#;

pub(crate) const LINKS: &str = r#"
[[link]]
a = { switch = "a", port = "1.2" }
b = { switch = "b", port = "1.1" }
[[link]]
a = { switch = "c", port = "1.1" }
b = { switch = "b", port = "1.2" }
"#;

const TOP: &str = "sockets 1.1..1.4;lane 110;lane 140;lane 999;loft cleared for binding-loft;dhcp watch;dhcp watch lanes 110,140;\
    dhcp watch tag keep;arp watch lanes 110;tree kind young;choir watch;choir watch lanes 110,140;choir strangers refused";
const TRUNK: &str =
    "carries bundle;bundle lanes 110,140;bare lane 999;made of glass;two-way watch close;two-way watch every 1";
const HOST: &str = "carries single;home lane 110";

/// The lines of a switch by place: `top`, a port, a VLAN.
pub(crate) type Lines = BTreeMap<String, Vec<String>>;

pub(crate) fn fleet() -> BTreeMap<&'static str, Lines> {
    let lines = |text: &str| text.split(';').map(str::to_owned).collect::<Vec<_>>();
    let trusted = format!("{TRUNK};dhcp believed;arp believed");
    let ports: [(&str, &[(&str, &str)]); 3] = [
        ("a", &[("1.1", "carries single;home lane 110;dhcp believed"), ("1.2", TRUNK)]),
        ("b", &[("1.1", &trusted), ("1.2", TRUNK), ("1.3", HOST)]),
        ("c", &[("1.1", &trusted), ("1.3", HOST)]),
    ];
    let of_switch = |(name, ports): (&'static str, &[(&str, &str)])| {
        let mut all: Lines = ports.iter().map(|(port, text)| (format!("socket {port}"), lines(text))).collect();
        all.insert("top".into(), lines(TOP));
        if name == "a" {
            all.insert("lane 110".into(), lines("asks;asks from 192.0.2.1"));
            all.insert("lane 140".into(), lines("asks;asks from 192.0.2.1"));
        }
        (name, all)
    };
    ports.into_iter().map(of_switch).collect()
}

/// The configuration of one of them.
pub(crate) fn text(name: &str, lines: &Lines) -> String {
    let mut text = format!("shingle 4 unit {name}\n{}\n", lines["top"].join("\n"));
    for (place, lines) in lines.iter().filter(|(place, _)| *place != "top") {
        let block: Vec<String> = lines.iter().map(|l| format!("  {l}")).collect();
        text.extend([place, "\n", &block.join("\n"), "\n"]);
    }
    text
}
