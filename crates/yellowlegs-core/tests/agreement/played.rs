//! What every drill tells of every port, word for word: of the right fleet with its whole story, of fleets in which more comes through
//! with how it ended. `YELLOWLEGS_RENEW=1` writes the page anew: read what changes.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use yellowlegs_core::drill::{Rehearsed, Rehearser, deciding};
use yellowlegs_core::resolve::Resolved;

use super::asks::MORE;
use super::generated::{Records, fleet, records, strict};
use super::support::compare;
use super::table::change;
use super::{around, changes};

/// Beside those of the table of what is asked: who is pinned, and stations counted in each VLAN; mirrors that copy more; streams that are
/// not snooped, filtered, or asked for.
const BESIDES: [&[(&str, &str, &str)]; 4] = [
    &[
        ("edge 1.1", "port-security.pinned-stations", "[\"02:00:5e:10:00:07\", \"02:00:5e:20:00:07\"]"),
        ("edge 1.2", "port-security.written-stations", "[\"02:00:5e:10:00:09@110\"]"),
        ("edge 1.4", "port-security.pinned-stations", "[\"02:00:5e:10:00:08\"]"),
    ],
    &[
        ("edge 1.2", "port.access-vlan", "140"),
        ("edge 1.6", "port.access-vlan", "110"),
        ("edge 1.7", "port.native-vlan", "110"),
    ],
    &[
        ("edge", "multicast.snooping", "false"),
        ("edge 1.1", "voice.announced-vlan", "110"),
        ("edge 1.3", "port.tagged-vlans", "\"140\""),
    ],
    &[
        ("edge", "multicast.filtering", "false"),
        ("edge 1.7", "dhcp-snooping.trusted", "false"),
        ("edge 1.7", "arp-inspection.trusted", "false"),
        ("core 1.2", "multicast.router-port", "true"),
    ],
];

#[test]
fn what_every_drill_tells() {
    let policy = strict();
    let mut page = String::new();
    let mut tell = |title: &str, records: &Records, whole: bool| {
        let after: BTreeMap<&str, Resolved> =
            records.iter().map(|(name, record)| (*name, changes::read(record, name).unwrap())).collect();
        let around = around(&policy, &after);
        writeln!(page, "== {title}").unwrap();
        for (name, resolved) in &after {
            let rehearser = Rehearser::new(resolved, &policy, &around).flooding(300);
            for (port, shown) in resolved.switch.ports().iter().enumerate() {
                if rehearser.class_of(port) == port {
                    let played = rehearser.play(port, |_| true);
                    played.iter().for_each(|one| put(&mut page, resolved, &format!("{name} {shown}"), one, whole));
                }
            }
        }
    };
    let base = records(&fleet());
    tell("right", &base, true);
    for (number, more) in MORE.iter().enumerate().skip(1) {
        let mut records = base.clone();
        for (switch, ports) in [("edge", 1..=7), ("core", 1..=2)] {
            for (port, (name, value)) in ports.flat_map(|port| more.iter().map(move |one| (port, one))) {
                change(&mut records, &format!("{switch} 1.{port}"), name, &serde_json::from_str(value).unwrap());
            }
        }
        tell(&format!("more {number}"), &records, false);
    }
    for (number, besides) in BESIDES.iter().enumerate() {
        let mut records = base.clone();
        for (place, name, value) in *besides {
            change(&mut records, place, name, &serde_json::from_str(value).unwrap());
        }
        tell(&format!("besides {number}"), &records, number == 0);
    }
    assert!(page.lines().count() > 1000);
    compare("crates/yellowlegs-core/tests/data/played.txt", &page);
}

/// How it ended, and by what; then its story.
pub(super) fn put(page: &mut String, resolved: &Resolved, place: &str, one: &Rehearsed, whole: bool) {
    let told = &one.told;
    let by = told.because.map(|because| {
        let value = deciding(&resolved.switch, one.port, &because).value.as_ref().map(ToString::to_string);
        format!("{}, {}={}", because.feature, because.setting.name(), value.unwrap_or_else(|| "?".into()))
    });
    let by = by.unwrap_or_else(|| "-".into());
    let after = told.millis.map(|millis| format!(" after {millis} ms")).unwrap_or_default();
    writeln!(page, "{place} {}: {}{after} by {by}: {}", one.drill.name, told.outcome.word(), told.says).unwrap();
    let elsewhere = told.elsewhere.as_ref().map(|(switch, port)| format!("{switch} port number {port}"));
    for (title, words) in [("elsewhere", &elsewhere), ("cut off", &told.collateral), ("back", &told.recovery)] {
        words.iter().for_each(|words| writeln!(page, "  {title}: {words}").unwrap());
    }
    for line in told.story.iter().filter(|_| whole) {
        let on = line.switch.as_deref().map(|switch| format!("{switch} ")).unwrap_or_default();
        let by = line.because.map(|because| format!(" [{} {}]", because.feature, because.setting.name()));
        writeln!(page, "    {} {on}{}: {}{}", line.at, line.port + 1, line.words, by.unwrap_or_default()).unwrap();
    }
}
