//! What a sketch proposes for texts in words of the trade, in three structures, held against what the lines mean: how much of it is right,
//! wrong, left open.

use std::collections::BTreeMap;

use rstest::rstest;
use yellowlegs_core::dialect::{Dialect, sketch, sketch_with_state};
use yellowlegs_core::source::Source;

/// Indented blocks. Behind each line what it sets; `-`: nothing that the catalogue has.
const INDENTED: &str = "\
hostname heron-1 # switch.name
clock zone 2 # -
vlan 110 # -
 name \"desks\" # vlan.name
 querier on # vlan.querier
 querier address 192.0.2.1 # vlan.querier-address
 query interval 60 # vlan.query-interval
vlan 210 # -
 name \"phones\" # vlan.name
dhcp snooping on # dhcp-snooping.enabled
dhcp snooping vlans 110,210 # dhcp-snooping.vlans
dhcp snooping verify address # dhcp-snooping.address-check
arp inspection vlans 110 # arp-inspection.vlans
tree protocol rapid # spanning-tree.protocol
tree priority 8192 # spanning-tree.priority
igmp snooping on # multicast.snooping
lldp on # lldp.enabled
recovery interval 300 # recovery.interval
syslog server 192.0.2.9 # switch.report-receivers
user clerk level 3 # -
port 1-8 # -
 description \"desk one\" # port.description
 access vlan 110 # port.access-vlan
 voice vlan 210 # port.voice-vlan
 station limit 3 # port-security.limit
 station aging 8h # port-security.aging
 edge on # fast-start.mode
 bpdu guard on # guard.bpdu
 loop detection on # guard.loop-detection
 storm broadcast 200pps # storm.broadcast
 storm multicast limit 100pps # storm.multicast
 power limit 15W # power.limit
 lldp med on # lldp.med
 source guard on # source-guard.enabled
 ra guard on # ipv6-guard.advertisements-blocked
 snooping rate 10pps # dhcp-snooping.rate-limit
 flap threshold 5 # flap.threshold
 flap window 10s # flap.window
 colour blue # -
port 9 # -
 trunk mode # port.mode
 native vlan 999 # port.native-vlan
 tagged vlan 110,210 # port.tagged-vlans
 trust dhcp # dhcp-snooping.trusted
 trust arp # arp-inspection.trusted
 root guard on # guard.root
 unidirectional strict # unidirectional.mode
 mtu 9000 # port.mtu
 speed 10G # port.speed
port 10 # -
 disabled # port.enabled
 poe off # power.enabled
";

const BRACES: &str = "\
system { # -
 hostname egret; # switch.name
 banner quiet; # -
} # -
bridge { # -
 stp-protocol multiple; # spanning-tree.protocol
 forward-delay 15; # spanning-tree.forward-delay
 max-age 20; # spanning-tree.max-age
 hello-time 2; # spanning-tree.hello
} # -
multicast-snooping on; # multicast.snooping
pool vlan 110 { # -
 title desks; # vlan.name
 igmp-version 3; # vlan.query-version
} # -
socket port a1-a8 { # -
 remark crew; # port.description
 untagged-vlan 120; # port.access-vlan
 security { # -
  max-stations 2; # port-security.limit
  excess close; # port-security.action
  pinned-stations; # port-security.pinning
 } # -
 storm { # -
  broadcast 300pps; # storm.broadcast
 } # -
 admin-edge; # fast-start.mode
 bpdu-guard; # guard.bpdu
 igmp-fast-leave; # multicast.fast-leave
 authentication on; # authentication.enabled
 trust-dscp; # port.trust
 whistle low; # -
} # -
socket port a9 { # -
 link-type point; # spanning-tree.link-type
 loop-guard; # guard.loop
 bpdu-filter; # guard.bpdu-filter
 multicast-router-port; # multicast.router-port
 dhcp-trusted; # dhcp-snooping.trusted
 eee off; # port.energy-saving
} # -
";

const PATHS: &str = "\
set hostname plover # switch.name
set lldp interval 30 # lldp.interval
set lantern bright # -
set vlan 110 name desks # vlan.name
set vlan 110 querier # vlan.querier
set port p1 description desk # port.description
set port p1 pvid 110 # port.access-vlan
set port p1 voice-vlan 210 # port.voice-vlan
set port p1 mac-limit 2 # port-security.limit
set port p1 bpdu-guard # guard.bpdu
set port p2 description crew # port.description
set port p2 pvid 120 # port.access-vlan
set port p2 mac-limit 4 # port-security.limit
set port p3 frames accept tagged # port.acceptable-frames
set port p3 ingress-filtering # port.ingress-filtering
set port p3 unidirectional report # unidirectional.mode
set port p3 trust dhcp # dhcp-snooping.trusted
set port p3 power never # power.enabled
set port p3 ink black # -
";

/// Titled sections, with a sign between name and value.
const SECTIONS: &str = "\
[device] # -
name = bunting-4 # switch.name
contact = harbour # -
[port 1/1] # -
note = ticket # port.description
pvid = 110 # port.access-vlan
voice vlan = 210 # port.voice-vlan
max stations = 2 # port-security.limit
stations age = 600 # port-security.aging
bpdu guard = yes # guard.bpdu
edge = yes # fast-start.mode
broadcast limit = 300pps # storm.broadcast
power = off # power.enabled
[port 1/2] # -
mode = trunk # port.mode
native vlan = 999 # port.native-vlan
allowed vlans = 110,210 # port.tagged-vlans
dhcp trust = yes # dhcp-snooping.trusted
monitor colour = green # -
";

/// Blocks that ports use, one word in blocks about unlike things, rates by the second, names behind numbers; nothing occurs twice.
const CLASSES: &str = "\
system { # -
  name quay-1; # switch.name
  user clerk { # -
    level 9; # -
  }
  logging to 192.0.2.77; # switch.report-receivers
}
vlans { # -
  vlan 110 desks; # vlan.name
}
dhcp { # -
  snooping on; # dhcp-snooping.enabled
  snooping vlans 110,210; # dhcp-snooping.vlans
  verify address; # dhcp-snooping.address-check
}
class desk { # -
  access vlan 110; # port.access-vlan
  stations { # -
    limit 3; # port-security.limit
    age 10min; # port-security.aging
    violation report; # port-security.action
  }
  storm { # -
    broadcast 300/s; # storm.broadcast
  }
  energy saving; # port.energy-saving
}
port ge1 { # -
  class desk; # -
  note \"desk 1\"; # port.description
}
port ge6 { # -
  trunk { # port.mode
    native 999; # port.native-vlan
    vlans 110,210; # port.tagged-vlans
  }
  arp trust; # arp-inspection.trusted
  flap { # -
    limit 5; # flap.threshold
    window 10s; # flap.window
  }
  colour orange; # -
}
";

/// The texts without what stands behind them, and what each line sets.
fn told(text: &str) -> (String, Vec<(String, String)>) {
    let lines = text.lines().map(|line| line.split_once(" # ").unwrap_or((line, "-")));
    let truth = lines
        .clone()
        .map(|(line, sets): (&str, &str)| (line.trim_end_matches([';', '{', ' ']).trim().to_owned(), sets.to_owned()));
    let text: Vec<&str> = lines.map(|(line, _)| line).collect();
    (text.join("\n") + "\n", truth.collect())
}

/// What the sketch proposes, by the words of its patterns that are no holes, and how many holes they have: in blocks about unlike things the
/// same words may mean several.
fn proposed(sketch: &str) -> BTreeMap<(Vec<String>, usize), Vec<String>> {
    let mut proposed: BTreeMap<_, Vec<String>> = BTreeMap::new();
    let mut key = (Vec::new(), 0);
    for line in sketch.lines() {
        if let Some(pattern) = line.strip_prefix("pattern = ") {
            let (words, holes): (Vec<&str>, Vec<&str>) =
                pattern.trim_matches('"').split_whitespace().partition(|word| !word.starts_with('<'));
            key = (words.into_iter().map(str::to_owned).collect(), holes.len());
        } else if let Some((setting, _)) = line.strip_prefix("# sets = { \"").and_then(|rest| rest.split_once('"'))
            && setting != "…"
        {
            proposed.entry(key.clone()).or_default().push(setting.to_owned());
        }
    }
    proposed
}

#[rstest]
#[case::indented(INDENTED, 80)]
#[case::braces(BRACES, 80)]
#[case::paths(PATHS, 70)]
#[case::sections(SECTIONS, 90)]
#[case::classes(CLASSES, 95)]
fn meanings_are_proposed(#[case] text: &str, #[case] least: usize) {
    let (text, truth) = told(text);
    let written = sketch("new", &[&text]).unwrap();
    assert!(Dialect::load(&std::sync::Arc::new(Source::of("new.toml", written.as_str()))).is_ok(), "{written}");
    let proposed = proposed(&written);
    let (mut right, mut wrong, mut open) = (Vec::new(), Vec::new(), Vec::new());
    for (line, sets) in &truth {
        let words: Vec<&str> = line.split_whitespace().collect();
        // The rule whose words the line has, in their order: the one with most.
        let fits = |(pattern, holes): &&(Vec<String>, usize)| {
            let mut left = words.iter();
            let has_all = pattern.iter().all(|word| left.any(|other| *other == word.trim_matches('\'')));
            has_all && words.len() >= pattern.len() + holes
        };
        let rule = proposed.keys().filter(fits).max_by_key(|(pattern, _)| pattern.len());
        match rule.map(|rule| &proposed[rule]) {
            Some(settings) if settings.contains(sets) => right.push(line),
            Some(settings) => wrong.push(format!("{line}: {settings:?}, not {sets}")),
            None if sets == "-" => {}
            None => open.push(format!("{line}: {sets}")),
        }
    }
    let meant = truth.iter().filter(|(_, sets)| sets != "-").count();
    assert!(wrong.is_empty(), "wrong: {wrong:#?}\n{written}");
    assert!(right.len() * 100 >= least * meant, "{} of {meant}; open: {open:#?}\n{written}", right.len());
}

/// In a block about something that nobody recognises nothing is the switch's.
#[test]
fn a_block_about_nobody_knows_what() {
    let text = "[device]\nname = bunting-4\n[port 1/1]\nlldp = on\n[port 1/2]\nlldp = on\n";
    let proposed: Vec<String> = proposed(&sketch("new", &[text]).unwrap()).into_values().flatten().collect();
    assert_eq!(proposed, ["switch.name"]);
}

/// What looks like a secret is no food for proposals, and no words of it are kept.
#[test]
fn secrets_are_no_food() {
    let written = sketch("new", &["port 1\n security password vlan110trunk\n limit 3\n"]).unwrap();
    assert!(!written.contains("vlan110trunk"), "{written}");
}

/// What a block is about is in the patterns, from one page: a name behind a number, a block that others use.
#[test]
fn one_page_is_enough() {
    let (text, _) = told(CLASSES);
    let written = sketch("new", &[&text]).unwrap();
    for lines in [
        "pattern = \"vlan <vlan:vlan> <name:word>\"",
        "pattern = \"class <profile:word>\"\nopens = \"class\"\nabout = \"open\"\n# profile = \"<profile>\"  # likely 0.8",
        "in = \"port\"\npattern = \"class <profile:word>\"\nabout = \"open\"\n# uses = \"<profile>\"",
        "in = \"class-stations\"\npattern = \"limit <limit:int>\"",
        "in = \"port-flap\"\npattern = \"limit <limit:int>\"",
        "pattern = \"broadcast <broadcast:rate>\"",
    ] {
        assert!(written.contains(lines), "{lines}\n{written}");
    }
}

/// Words that only look like names: of the trade, or switching something.
#[rstest]
#[case::trade("vlan 110 tagged\nvlan 120 trunk\n", "<name:word>")]
#[case::switched("storm on\n broadcast 200pps\nport 1\n storm on\n", "<profile:word>")]
#[case::unused("template guest\n edge on\nport 1\n colour blue\n", "<profile:word>")]
fn no_name(#[case] text: &str, #[case] hole: &str) {
    let written = sketch("new", &[text]).unwrap();
    assert!(!written.contains(hole), "{written}");
}

const TABLES: &str = "\
station table
VLAN  Station            Port  Type     Age
----  -----------------  ----  -------  ----
110   02:00:5e:10:00:01  1     dynamic  20s
110   02:00:5e:10:00:02  2     static   -

| Port | Link | Speed | Duplex |
| 1    | up   | 1G    | full   |
| 2    | down | -     | -      |

Client             Address      VLAN  Port  Lease left
02:00:5e:10:00:01  192.0.2.11   110   1     3600

Local  System name   Remote  Chassis
2      core-1        te1/1   02:00:5e:00:00:99

Port  Colour  Mood
1     red     7
";

/// Tables of state by their headings and cells; one that tells nothing known is left alone.
#[test]
fn tables_are_proposed() {
    let config = "vlan 110\nport 1\n edge on\nport 2\n edge on\n";
    let written = sketch_with_state("new", &[config], &[TABLES]).unwrap();
    for lines in [
        "[state]\nborders = \"|\"\n",
        "# 1 row(s)  # likely 1.0\n# [[table]]\n# fact = \"binding\"\n# columns = [\n#     \"Client = <address:station>\", \"Address = <ip:ip>\", \"VLAN = <vlan:vlan>\", \"Port = <port:port>\",\n#     \"Lease left = <lease:seconds>\",\n# ]\n",
        "# fact = \"port-status\"\n# columns = [\n#     \"Port = <port:port>\", \"Link = <link:(down=false|up=true)>\", \"Speed = (<speed:speed>|-)\",\n#     \"Duplex = <_duplex:rest>\",\n",
        "\"Type = <kind:(dynamic=learned|static=written)>\", \"Age = (<age:duration>|-)\"",
        "# fact = \"neighbour\"\n",
    ] {
        assert!(written.contains(lines), "{lines}\n{written}");
    }
    assert!(!written.contains("Mood"), "{written}");
    // Without the signs of comments they are read.
    let taken: String = written
        .lines()
        .map(|line| line.strip_prefix("# ").filter(|l| !l.contains("row(s)")).unwrap_or(line))
        .collect::<Vec<_>>()
        .join("\n");
    let tables = &taken[taken.find("[state]").unwrap()..];
    let dialect = written[..written.find("[state]").unwrap()].to_owned() + tables;
    let dialect = std::sync::Arc::new(Dialect::load(&std::sync::Arc::new(Source::of("new.toml", dialect))).unwrap());
    let read = dialect.read_state(
        &std::sync::Arc::new(Source::of("state", TABLES)),
        1,
        "2031-03-04T06:30:00Z".parse().unwrap(),
    );
    let kinds: Vec<&str> = read.facts.iter().map(|fact| fact.kind.info().name).collect();
    assert_eq!(kinds, ["station", "station", "port-status", "port-status", "binding", "neighbour"]);
}
