//! A fleet of two switches and its policy in which nothing is wrong, and what the audit says of it after a change.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::{as_of, shingle_without};
use yellowlegs_core::check::{Digests, FleetOutcome, FleetView, Judge, Selection, Usage};
use yellowlegs_core::finding::Undecided;
use yellowlegs_core::model::SavedCopy;
use yellowlegs_core::policy::Policy;
use yellowlegs_core::resolve::{Resolved, State, resolve_with};
use yellowlegs_core::source::Source;

pub(crate) const POLICY: &str = r#"
[site]
phone-prefixes = ["02:00:5e:20"]
signalling-priority = 3
signalling-dscp = 24
queue-map = ["46:7"]
queue-strict = ["7"]
query-version = 2
query-interval = 125
last-member-interval = 1
last-member-count = 2
recovery-wanted = ["storm"]
dhcp-rate-limit = "20pps"
storm-broadcast = "1%"
storm-multicast = "1%"
[vlans]
110 = { purpose = "data" }
140 = { purpose = "real-time" }
210 = { purpose = "voice", sensitive = true }
300 = { purpose = "management" }
998 = { purpose = "parking" }
999 = { purpose = "native" }
[[role]]
name = "desk"
faces = "phone-and-host"
vlans = [110]
voice = 210
ports = ["edge 1.1"]
[role.expect]
"port-security.action" = "disable-port"
"port-security.aging" = "8h"
[[role]]
name = "host"
faces = "host"
vlans = [110]
ports = ["edge 1.2"]
[role.expect]
"port-security.pinning" = "wanted"
source-guard = "wanted"
arp-inspection = "wanted"
"port.mtu" = 1500
[[role]]
name = "virtual"
faces = "tagged-host"
vlans = [110, 140]
ports = ["edge 1.3"]
[[role]]
name = "screen"
faces = "host"
vlans = [140]
receiver = true
ports = ["edge 1.4"]
[role.expect]
"multicast.fast-leave" = "wanted"
"port.speed" = 1000
[[role]]
name = "spare"
faces = "nothing"
ports = ["edge 1.5", "core 1.3..1.4"]
[[role]]
name = "capture"
faces = "capture"
ports = ["edge 1.6"]
[[role]]
name = "up"
faces = "bridge-up"
vlans = [110, 140, 210, 300]
ports = ["edge 1.7"]
[role.expect]
"guard.loop" = "wanted"
[[role]]
name = "down"
faces = "bridge-down"
vlans = [110, 140, 210, 300]
ports = ["core 1.2"]
[[role]]
name = "server"
faces = "host"
vlans = [300]
ports = ["core 1.1"]
[[dhcp-server]]
switch = "core"
port = "1.1"
[[link]]
a = { switch = "core", port = "1.2" }
b = { switch = "edge", port = "1.7" }
[[mirror]]
switch = "edge"
sources = ["1.2 received"]
target = "1.6"
reason = "a fault"
owner = "harbour office"
last-day = "2031-12-31"
"#;

const HEAD: &str = "lane 110
lane 140
lane 210
lane 300
lane 998
lane 999
loft cleared for binding-loft
dhcp watch
dhcp watch lanes 110,140,210,300
dhcp watch compares
dhcp watch keeps
dhcp watch tag keep
tree kind young
quick sockets closed to trees
choir watch
choir watch lanes 110,140
choir strangers refused
announcements
tells 192.0.2.250
return of gale after 300
dscp 46 to queue 7
queue 7 first
larder 900W
every socket
  crowd response report
  flutter watch
  flutter 5 within 10
  flutter hold 60
  announces
  believes both
  without doze
  gale broadcast 1%
  gale multicast 1%
every single socket
  wakes quickly
  dhcp pace 15
  router calls refused
  lease calls refused
  admit untagged
";

const EDGE: &str = "sockets 1.1..1.7
lane 110
  called \"desks\"
lane 140
  called \"screens\"
arp watch lanes 110
stations 02:00:5e:20:00:00/32 into lane 210
socket 1.1
  carries single
  home lane 110
  speech lane 210
  admit every
  crowd watch
  crowd ceiling 3 then shut-out
  crowd forget after 8h
  origin check
  echo watch
  announces speech
  speech told tagged
  speech told lane 210
  speech told priority 5
  speech told dscp 46
  ringing told tagged
  ringing told lane 210
  ringing told priority 3
  ringing told dscp 24
socket 1.2
  carries single
  home lane 110
  crowd watch
  crowd ceiling 1 then report
  crowd remember
  origin check
socket 1.3
  carries bundle
  bundle lanes 110,140
  bare lane none
  wakes quickly-even-bundled
  tree stranger closes
  dhcp pace 15
  router calls refused
  lease calls refused
socket 1.4
  carries single
  home lane 140
  crowd watch
  crowd ceiling 1 then shut-out
  knock first
  choir quick leave
socket 1.5
  carries single
  home lane 998
  asleep
socket 1.6
  carries single
  home lane none
socket 1.7
  carries bundle
  bundle lanes 110,140,210,300
  bare lane 999
  made of glass
  two-way watch close
  two-way watch every 2
  tree silence closes
  dhcp believed
  arp believed
looking-glass 1
  shows 1.2 coming
  onto 1.6
  awake
";

const CORE: &str = "sockets 1.1..1.4
lane 110
  asks
  asks from 192.0.2.1
lane 140
  asks
  asks from 192.0.2.2
socket 1.1
  carries single
  home lane 300
  crowd watch
  knock first
  dhcp believed
socket 1.2
  carries bundle
  bundle lanes 110,140,210,300
  bare lane 999
  made of glass
  two-way watch close
  two-way watch every 2
  tree crown kept
socket 1.3..1.4
  carries single
  home lane 998
  asleep
";

/// The fleet, by name.
#[allow(dead_code, reason = "each test file uses its own part of this")]
pub(crate) fn fleet() -> BTreeMap<&'static str, Resolved> {
    fleet_of(text)
}

/// A fleet of these two switches with other texts.
pub(crate) fn fleet_of(text: impl Fn(&str) -> String) -> BTreeMap<&'static str, Resolved> {
    let dialect = shingle_without(&[]);
    let read = |name: &'static str| {
        let source = Arc::new(Source::of(format!("{name}.txt"), text(name)));
        let resolved = resolve_with(name, &dialect, source, &State::default()).with_saved(SavedCopy::NotKept);
        assert!(resolved.switch.unread().is_empty(), "{:?}", resolved.switch.unread());
        (name, resolved)
    };
    ["edge", "core"].into_iter().map(read).collect()
}

/// The configuration of one of its switches.
pub(crate) fn text(name: &str) -> String {
    format!("shingle 4 unit {name}\n{HEAD}{}", if name == "edge" { EDGE } else { CORE })
}

/// What is found: check and place, each once. Undetermined checks begin with `?`.
#[allow(dead_code, reason = "each test file uses its own part of this")]
pub(crate) fn judged(policy: &Policy, fleet: &BTreeMap<&str, Resolved>) -> BTreeSet<String> {
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(policy, &as_of, &selection, false);
    let mut told = BTreeSet::new();
    let (mut digests, mut usage): (Digests, Usage) = Default::default();
    let place =
        |switch: Option<&str>, port: Option<&str>| [switch, port].into_iter().flatten().collect::<Vec<_>>().join(" ");
    for (name, resolved) in fleet {
        let judged = judge.switch(resolved, resolved.lists());
        told.extend(
            judged.outcome.findings.iter().map(|f| format!("{} {}", f.check, place(Some(name), f.port.as_deref()))),
        );
        told.extend(
            judged
                .outcome
                .undetermined
                .iter()
                .map(|Undecided { check, port, .. }| format!("?{check} {}", place(Some(name), port.as_deref()))),
        );
        digests.push(judged.digest);
        usage.merge(judged.usage);
    }
    let view = FleetView::new(policy, &as_of, &digests, &[]);
    let outcome = FleetOutcome::judge(&view, None, &mut usage, &selection, &|name: &str| fleet.get(name).cloned());
    told.extend(
        outcome.findings.iter().map(|f| format!("{} {}", f.check, place(f.switch.as_deref(), f.port.as_deref()))),
    );
    told.extend(
        outcome
            .undetermined
            .iter()
            .map(|(check, _, r, _)| format!("?{check} {}", place(Some(&r.switch), r.port.as_deref()))),
    );
    told.into_iter().map(|line| line.trim_end().to_owned()).collect()
}
