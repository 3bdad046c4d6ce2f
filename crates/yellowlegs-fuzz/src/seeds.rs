//! What mangling begins with: the demo's dialects, texts and policy, and small texts of the other kinds.

/// The dialects, with a configuration and a text of state in each.
pub const SYSTEMS: [System; 4] = [
    System {
        dialect: include_str!("../../../demo/dialects/shingle.toml"),
        config: include_str!("../../../demo/northquay/nq-desks-1/config.txt"),
        state: include_str!("../../../demo/northquay/nq-desks-1/tables.out"),
    },
    System {
        dialect: include_str!("../../../demo/dialects/fathom.toml"),
        config: include_str!("../../../demo/saltpan/sp-hall-1/config.txt"),
        state: include_str!("../../../demo/saltpan/sp-hall-1/tables.out"),
    },
    System {
        dialect: BRACES,
        config: "unit sw1;\nquay 1..4 { guard on; }\nquay 1 { max 2; says \"desk; one\"; /* was\n max 9; */ }\nquay 2 { max 3; } // two\n\
                 pool 110 { name desks; members 1..2; }\nfinis;\n",
        state: "clock 2031-03-04 06:20:00\nPool  Station            Quay\n110   02:00:5e:10:00:01  1\n",
    },
    System {
        dialect: SECTIONS,
        config: "[unit]\nname = sw1\nsluices = 1.1-1.6\ntree = young\n[pools]\n110 = desks\n120 = crew\n999 = nobody\n[sluices]\n\
                 1.1-1.4 | 110 | quick | closed | ticket desk\n1.2 | 120 | - | - | -\n1.5 | - | - | - | to the core\n1.6 | none | - | - | spare\n\
                 [shut]\n1.6\n[bundles]\n1.5 | 110,120 | 999\n[watch]\n1.1-1.4 | on | 1 | shut\n1.3 | - | 2 | -\n[leases]\nwatched = 110,120\ntrusted = 1.5\n",
        state: "clock 2031-03-04 06:20:00\nPool  Station            Sluice\n110   02:00:5e:10:00:01  1.1\n",
    },
];

/// One system: its dialect, a configuration, a text of state.
#[derive(Debug, Clone, Copy)]
pub struct System {
    /// The dialect.
    pub dialect: &'static str,
    /// A configuration.
    pub config: &'static str,
    /// A text of state.
    pub state: &'static str,
}

/// The demo's policy.
pub const POLICY: &str = include_str!("../../../demo/yellowlegs.toml");
/// An inventory.
pub const INVENTORY: &str = include_str!("../../../demo/stations.csv");
/// A drill of one's own.
pub const DRILL: &str = "name = \"second\"\n[[step]]\nat = \"0s\"\nswitch = \"sw1\"\nport = \"1.1\"\nplug = \"host\"\n";
/// Rules of the house.
pub const EXPRESSIONS: &str =
    "port_security.limit > 4 && port.tagged_vlans.exists(v, v in [110, 120]) || size(port.description) > 3";

const BRACES: &str = r#"
[dialect]
name = "groyne"
[text]
structure = "braces"
end = ";"
inline-comment = "//"
block-comment = ["/*", "*/"]
[recognise]
lines = ["unit <name:word>"]
last = ["finis"]
[ports]
names = ["<n>"]
[lists]
range = [".."]
item = [","]
[time]
forms = ["%Y-%m-%d %H:%M:%S"]
zone = "Z"
[defaults]
"port.enabled" = true
"port.mode" = "access"
"port.access-vlan" = 1
"port-security.enabled" = false
"port-security.limit" = 1
"guard.bpdu" = false
[[rule]]
pattern = "unit <name:word>"
sets = { "switch.name" = "<name>" }
[[rule]]
pattern = "finis"
[[rule]]
pattern = "quay <q:ports>"
opens = "quay"
ports = "<q>"
[[rule]]
in = "quay"
pattern = "max <n:int>"
sets = { "port-security.enabled" = true, "port-security.limit" = "<n>" }
[[rule]]
in = "quay"
pattern = "says <t:text>"
sets = { "port.description" = "<t>" }
[[rule]]
in = "quay"
pattern = "guard <on:(on=true|off=false)>"
sets = { "guard.bpdu" = "<on>" }
[[rule]]
pattern = "pool <v:vlan>"
opens = "pool"
vlan = "<v>"
[[rule]]
in = "pool"
pattern = "name <n:word>"
sets = { "vlan.name" = "<n>" }
[[rule]]
in = "pool"
pattern = "members <q:ports>"
ports = "<q>"
sets = { "port.access-vlan" = "<v>" }
[[line]]
pattern = "clock <time:time>"
fact = "clock"
[[table]]
fact = "station"
columns = [
    { title = "Pool", is = "<vlan:vlan>" },
    { title = "Station", is = "<address:station>" },
    { title = "Quay", is = "<port:port>" },
]
"#;

const SECTIONS: &str = r#"
[dialect]
name = "weir"
[text]
structure = "sections"
title = "'[' <title:word> ']'"
split = "[]|="
[recognise]
lines = ["'[' unit ']'"]
[ports]
names = ["<n>.<n>"]
[lists]
range = ["-"]
item = [","]
[time]
forms = ["%Y-%m-%d %H:%M:%S"]
zone = "Z"
[defaults]
"port.enabled" = true
"port.mode" = "access"
"port.access-vlan" = 1
"port-security.enabled" = false
"port-security.limit" = 1
"port-security.action" = "drop"
"fast-start.mode" = "off"
"guard.bpdu" = false
"dhcp-snooping.enabled" = true
"dhcp-snooping.trusted" = false
[traits]
snooping-switches = ["vlan"]
port-security-void-in = []
[[rule]]
pattern = "'[' unit ']'"
opens = "unit"
[[rule]]
in = "unit"
pattern = "name '=' <name:word>"
sets = { "switch.name" = "<name>" }
[[rule]]
in = "unit"
pattern = "sluices '=' <all:ports>"
declares = "<all>"
[[rule]]
in = "unit"
pattern = "tree '=' <kind:(old=classic|young=rapid)>"
sets = { "spanning-tree.protocol" = "<kind>" }
[[rule]]
pattern = "'[' pools ']'"
opens = "pools"
[[rule]]
in = "pools"
pattern = "<pool:vlan> '=' <name:rest>"
vlan = "<pool>"
adds = { "switch.vlans" = "<pool>" }
sets = { "vlan.name" = "<name>" }
[[rule]]
pattern = "'[' sluices ']'"
opens = "sluices"
[[rule]]
in = "sluices"
pattern = "<which:ports> '|' (<pool:vlan>|<no:(none)>|-) '|' (<how:(quick=edge)>|-) '|' (<guard:(closed=true)>|-) '|' (-|<note:rest>)"
ports = "<which>"
sets = { "port.access-vlan" = ["<pool>", "<no>"], "fast-start.mode" = "<how>", "guard.bpdu" = "<guard>", "port.description" = "<note>" }
[[rule]]
pattern = "'[' shut ']'"
opens = "shut"
[[rule]]
in = "shut"
pattern = "<which:ports>"
ports = "<which>"
sets = { "port.enabled" = false }
[[rule]]
pattern = "'[' bundles ']'"
opens = "bundles"
[[rule]]
in = "bundles"
pattern = "<which:ports> '|' <pools:vlans> '|' <bare:vlan>"
ports = "<which>"
sets = { "port.tagged-vlans" = "<pools>", "port.native-vlan" = "<bare>", "port.mode" = "trunk" }
[[rule]]
pattern = "'[' watch ']'"
opens = "watch"
[[rule]]
in = "watch"
pattern = "<which:ports> '|' (<on:(on=true|off=false)>|-) '|' (<most:int>|-) '|' (<then:(ignore=drop|shut=disable-port)>|-)"
ports = "<which>"
sets = { "port-security.enabled" = "<on>", "port-security.limit" = "<most>", "port-security.action" = "<then>" }
[[rule]]
pattern = "'[' leases ']'"
opens = "leases"
[[rule]]
in = "leases"
pattern = "watched '=' <pools:vlans>"
adds = { "dhcp-snooping.vlans" = "<pools>" }
[[rule]]
in = "leases"
pattern = "trusted '=' <which:ports>"
ports = "<which>"
sets = { "dhcp-snooping.trusted" = true }
[[line]]
pattern = "clock <time:time>"
fact = "clock"
[[table]]
fact = "station"
columns = [
    { title = "Pool", is = "<vlan:vlan>" },
    { title = "Station", is = "<address:station>" },
    { title = "Sluice", is = "<port:port>" },
]
"#;

/// A file of decisions.
pub const ANSWERS: &str = r#"
[[question]]
id = "voice.dscp ports of role desk"
asks = "ports of role desk: what is voice.dscp to be?"
takes = "a number"
answer = "46"

[[question]]
id = "querier 140"
asks = "VLAN 140: which switch is to ask?"
choices = ["core", "edge \"two\""]
answer = "core"

[[question]]
id = "link core 1.2"
asks = "the link of core 1.2: which end is right?"
choices = ["core 1.2", "edge 1.7"]
answer = ""
"#;

/// Who is asked.
pub const ENTRIES: &str = r#"
[defaults]
user = "auditor"
dialect = "shingle"
credential = { agent = true }
tries = 2

[[switch]]
name = "sp-*"
dialect = "fathom"
raise = { environment = "DEEP_WORD" }
older-algorithms = ["ssh-rsa", "hmac-sha1"]
silent-at-most = "30s"

[[switch]]
name = "sp-hall-1"
address = "192.0.2.11"
port = 2222
folder = "saltpan/sp-hall-1"

[[switch]]
name = "nq-desks-1"
address = "desks.example.org"
credential = { key = "~/.ssh/audit" }
"#;
