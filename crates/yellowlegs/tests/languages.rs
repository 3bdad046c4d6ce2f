//! Four systems of four structures, each described with the forms of the guide, with faults planted on purpose: what the
//! audit finds is what was planted, on the port where it was, and nothing else.

use std::collections::BTreeSet;
use std::path::Path;

use crate::support::{self, Fleet, list, text};

/// What was planted: switch, port, and the check that is to find it. Desks are numbered alike on every switch: the second is
/// not counted, the third leads to servers and lets bridges in, the fourth is in another VLAN, the fifth has no room for a
/// phone. On the uplinks each switch has a fault of its own.
const PLANTED: &[(&str, &str, &str)] = &[
    // The counting of all plain seats is taken back on one; a limit is still written.
    ("kelp-1", "s2", "port-security/not-armed"),
    ("kelp-1", "s3", "dhcp-snooping/trusted-edge"),
    ("kelp-1", "s3", "guard/bpdu-missing"),
    ("kelp-1", "s4", "port/vlan-foreign"),
    ("kelp-1", "s5", "voice/room-missing"),
    // A bank that is fibre by kind; its second port is protected.
    ("kelp-1", "s25", "unidirectional/off"),
    // The last profile counts alone, and has no limit.
    ("reef-1", "a:2", "port-security/off"),
    ("reef-1", "a:3", "dhcp-snooping/trusted-edge"),
    // Taken back to the platform, over the profile.
    ("reef-1", "a:3", "guard/bpdu-missing"),
    ("reef-1", "a:4", "port/vlan-foreign"),
    ("reef-1", "a:5", "voice/room-missing"),
    // The way to the servers is not trusted: in each of three VLANs nobody gets an address.
    ("reef-1", "b:1", "dhcp-snooping/uplink-untrusted"),
    ("reef-1", "", "dhcp-snooping/no-path"),
    // State tells that it is fibre.
    ("reef-1", "b:1", "unidirectional/off"),
    ("dune-1", "1/2", "port-security/not-armed"),
    ("dune-1", "1/3", "dhcp-snooping/trusted-edge"),
    ("dune-1", "1/3", "guard/bpdu-missing"),
    ("dune-1", "1/4", "port/vlan-foreign"),
    ("dune-1", "1/5", "voice/room-missing"),
    // A table tells that one uplink is fibre and the other is not.
    ("dune-1", "1/25", "unidirectional/off"),
    ("tarn-1", "p2", "port-security/off"),
    ("tarn-1", "p3", "dhcp-snooping/trusted-edge"),
    // A default for edges stops bridges; one port takes it back.
    ("tarn-1", "p3", "guard/bpdu-missing"),
    ("tarn-1", "p4", "port/vlan-foreign"),
    ("tarn-1", "p5", "voice/room-missing"),
    // Snooping acts and does not run.
    ("tarn-1", "", "dhcp-snooping/not-armed"),
    ("tarn-1", "x1", "unidirectional/report-only"),
];

fn fleet() -> Fleet {
    let fleet = Fleet::empty();
    support::copy(&Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data/languages"), fleet.path());
    fleet
}

fn found(fleet: &Fleet) -> BTreeSet<(String, String, String)> {
    let report = fleet.report(&[]);
    assert_eq!(report["summary"]["unread_lines"], 0, "{:#}", report["summary"]);
    let all = list(&report, "findings").iter().chain(list(&report, "fleet_findings"));
    let found = all.map(|finding| {
        let port = finding["port"].as_str().unwrap_or_default();
        (text(finding, "switch").to_owned(), port.to_owned(), text(finding, "check").to_owned())
    });
    found.collect()
}

#[test]
fn what_was_planted_is_found_and_nothing_else() {
    let planted = PLANTED.iter().map(|(switch, port, check)| ((*switch).into(), (*port).into(), (*check).into()));
    assert_eq!(found(&fleet()), planted.collect());
}

/// Each line that is mended takes its finding away, and no other.
#[test]
fn what_is_mended_is_gone() {
    const MENDED: [(&str, &str, &str, &str, &str); 7] = [
        ("kelp-1", "un count s2\n", "", "s2", "port-security/not-armed"),
        ("kelp-1", "leases held quick yes\n", "quick yes bridges held\n", "s3", ""),
        ("reef-1", "as desk; as loose;", "as loose; as desk;", "a:2", "port-security/off"),
        ("reef-1", "drop stop bridges;", "", "a:3", "guard/bpdu-missing"),
        ("dune-1", "carries 110,120,210\n1/26", "carries 110,120,210 blind shut\n1/26", "1/25", "unidirectional/off"),
        ("tarn-1", "set leases act\n", "set leases run\nset leases act\n", "", "dhcp-snooping/not-armed"),
        ("tarn-1", "blind tell", "blind shut", "x1", "unidirectional/report-only"),
    ];
    for (switch, from, to, port, check) in MENDED {
        let fleet = fleet();
        let before = found(&fleet);
        fleet.edit(&format!("{switch}/config.txt"), from, to);
        let gone: Vec<_> = before.difference(&found(&fleet)).cloned().collect();
        let wanted = |one: &(String, String, String)| one.0 == switch && one.1 == port && one.2.starts_with(check);
        assert!(!gone.is_empty() && gone.iter().all(wanted), "{switch}: {from}: {gone:?}");
        assert!(found(&fleet).is_subset(&before), "{switch}: {from}");
    }
}

/// Every line is taken by a dialect of some seventy lines.
#[test]
fn the_dialects_are_sound() {
    let fleet = fleet();
    for name in ["kelp", "reef", "dune", "tarn"] {
        let ran = fleet.run(&["dialect", "explain", &format!("dialects/{name}.toml"), &format!("{name}-1/config.txt")]);
        assert_eq!(ran.code, 0, "{}", ran.err);
        assert!(ran.out.contains(" 0 not, "), "{}", ran.out);
        assert!(fleet.read(&format!("dialects/{name}.toml")).lines().count() <= 90, "{name}");
    }
}

/// A sketch of a text that nobody described reads every statement of it, and takes none for understood.
#[test]
fn a_sketch_takes_every_line() {
    let fleet = fleet();
    for name in ["kelp", "reef", "dune", "tarn"] {
        let text = format!("{name}-1/config.txt");
        let sketch = fleet.run(&["dialect", "sketch", &text]);
        assert_eq!(sketch.code, 0, "{}", sketch.err);
        fleet.write("sketch.toml", &sketch.out);
        let explained = fleet.run(&["dialect", "explain", "sketch.toml", &text]).out;
        let unread: Vec<&str> = explained.lines().filter(|line| line.contains('✗')).collect();
        assert!(unread.len() >= 17, "{name}: {explained}");
        let strange: Vec<_> = unread.iter().filter(|line| !line.contains("nobody has said yet what it says")).collect();
        assert!(strange.is_empty(), "{name}: {strange:?}");
        assert!(explained.contains("\n0 lines understood, "), "{name}: {explained}");
    }
}
