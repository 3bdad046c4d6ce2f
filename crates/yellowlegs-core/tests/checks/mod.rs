//! Every check on ports: met, violated, undetermined and not-applicable, one line a case.

#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may read the files it is about")]

mod addresses;
mod edge;
mod proofs;
mod site;
mod state;
mod streams;
mod told;
mod voice;
mod whole;

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::support;
use crate::support::shown;
use rstest::rstest;
use support::{HEAD, POLICY, as_of, policy, read, shingle_without, verdicts, verdicts_of};
use yellowlegs_core::check::all;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::model::{SavedCopy, SettingId, Switch};
use yellowlegs_core::policy::{Inventory, InventoryFile};
use yellowlegs_core::resolve::{Resolved, State, resolve_with};
use yellowlegs_core::source::Source;

/// Check, verdict, what the port's note says, the lines of its block, and the dialect's defaults and traits taken out.
/// Lines that begin with `top` stand outside the port's block, `less` takes one of the head's away.
pub(crate) type Case = (&'static str, &'static str, &'static str, &'static str, &'static [&'static str]);

const DESK: &str = "carries single;home lane 110;speech lane 210;crowd watch;crowd ceiling 3";
const HOST: &str = "carries single;home lane 120;crowd watch";
const NO_SECURITY: &[&str] = &["port-security.enabled"];

const CASES: &[Case] = &[
    ("port/mode-negotiated", "met", "desk", "carries single", &[]),
    ("port/mode-negotiated", "violated", "desk", "carries bargain", &[]),
    ("port/mode-negotiated", "violated", "desk", "", &[]),
    ("port/mode-negotiated", "undetermined", "desk", "", &["port.mode"]),
    ("port/mode-wrong", "met", "desk", "carries single", &[]),
    ("port/mode-wrong", "met", "up", "carries bundle", &[]),
    ("port/mode-wrong", "violated", "host", "carries bundle", &[]),
    ("port/mode-wrong", "violated", "up", "carries single", &[]),
    ("port/mode-wrong", "undetermined", "desk", "", &["port.mode"]),
    ("port/mode-wrong", "undetermined", "nobody", "carries single;home lane 300", &[]),
    // VLAN and mode told the role: they cannot be judged by it.
    ("port/mode-wrong", "undetermined", "nobody", "carries single;home lane 140", &[]),
    ("port/mode-wrong", "not-applicable", "virtual", "carries bundle", &[]),
    ("port/mode-wrong", "not-applicable", "desk", "carries bargain", &[]),
    ("port/role-unknown", "met", "desk", "", &[]),
    ("port/role-unknown", "met", "nobody", "carries single;home lane 140", &[]),
    ("port/role-unknown", "violated", "nobody", "carries single;home lane 300", &[]),
    ("port/spare-enabled", "met", "spare", "asleep", &[]),
    ("port/spare-enabled", "violated", "spare", "", &[]),
    ("port/spare-enabled", "undetermined", "spare", "", &["port.enabled"]),
    ("port/spare-enabled", "not-applicable", "desk", "", &[]),
    ("port/spare-vlan", "met", "spare", "carries single;home lane 998", &[]),
    ("port/spare-vlan", "met", "spare", "carries single;home lane none", &[]),
    ("port/spare-vlan", "violated", "spare", "carries single;home lane 110", &[]),
    ("port/spare-vlan", "violated", "spare", "carries bundle;bare lane 999", &[]),
    ("port/spare-vlan", "undetermined", "spare", "carries single", &["port.access-vlan"]),
    ("port/spare-vlan", "not-applicable", "desk", "", &[]),
    ("port/vlan-undefined", "met", "desk", "carries single;home lane 110;speech lane 210", &[]),
    ("port/vlan-undefined", "met", "up", "carries bundle;bare lane 999", &[]),
    ("port/vlan-undefined", "violated", "desk", "carries single;home lane 111", &[]),
    ("port/vlan-undefined", "violated", "desk", "carries single;home lane 110;speech lane 211", &[]),
    ("port/vlan-undefined", "violated", "up", "carries bundle;bundle lanes 110,777", &[]),
    ("port/vlan-undefined", "violated", "up", "carries bundle;bundle lanes 110;bare lane 777", &[]),
    // The voice VLAN of a trunk is void.
    ("port/vlan-undefined", "met", "up", "carries bundle;bundle lanes 110;bare lane 999;speech lane 777", &[]),
    ("port/vlan-undefined", "undetermined", "desk", "carries single", &["port.access-vlan"]),
    ("port/vlan-foreign", "met", "desk", "carries single;home lane 110;speech lane 210", &[]),
    ("port/vlan-foreign", "violated", "desk", "carries single;home lane 120", &[]),
    // A computer has no business in the voice VLAN.
    ("port/vlan-foreign", "violated", "desk", "carries single;home lane 210", &[]),
    ("port/vlan-foreign", "violated", "desk", "carries single;home lane 110;speech lane 120", &[]),
    // The role comes from the untagged VLAN; the voice VLAN can still be judged by it.
    ("port/vlan-foreign", "violated", "nobody", "carries single;home lane 140;speech lane 120", &[]),
    ("port/vlan-foreign", "undetermined", "nobody", "carries single;home lane 140", &[]),
    ("port/vlan-foreign", "undetermined", "desk", "", &["port.mode"]),
    ("port/vlan-foreign", "not-applicable", "up", "carries bundle", &[]),
    ("port/vlan-foreign", "not-applicable", "spare", "carries single;home lane 110", &[]),
    // vlan-default says it better.
    ("port/vlan-foreign", "not-applicable", "desk", "carries single;home lane 1", &[]),
    ("port/vlan-default", "met", "desk", "carries single;home lane 110", &[]),
    ("port/vlan-default", "violated", "desk", "carries single", &[]),
    ("port/vlan-default", "violated", "desk", "carries bargain", &[]),
    ("port/vlan-default", "undetermined", "desk", "carries single", &["switch.default-vlan"]),
    ("port/vlan-default", "undetermined", "nobody", "carries single;home lane 1", &[]),
    ("port/vlan-default", "not-applicable", "up", "carries bundle", &[]),
    // spare-vlan says it better.
    ("port/vlan-default", "not-applicable", "spare", "carries single;home lane 1", &[]),
    ("port/trunk-open", "met", "up", "carries bundle;bundle lanes 110,120,210", &[]),
    ("port/trunk-open", "met", "up", "carries bundle;bundle lanes 110,999;bare lane 999", &[]),
    ("port/trunk-open", "violated", "up", "carries bundle", &[]),
    ("port/trunk-open", "violated", "up", "carries bundle;bundle lanes 110,300", &[]),
    ("port/trunk-open", "violated", "spare", "carries bundle;bundle lanes 110", &[]),
    ("port/trunk-open", "undetermined", "up", "carries bundle", &["trunk-without-list"]),
    ("port/trunk-open", "undetermined", "nobody", "carries bundle;bundle lanes 300", &[]),
    ("port/trunk-open", "not-applicable", "desk", "carries single", &[]),
    ("port/native-wrong", "met", "up", "carries bundle;bare lane 999", &[]),
    ("port/native-wrong", "met", "up", "carries bundle;bare lane none", &[]),
    ("port/native-wrong", "violated", "up", "carries bundle;bare lane 998", &[]),
    ("port/native-wrong", "undetermined", "up", "carries bundle", &["port.native-vlan"]),
    ("port/native-wrong", "not-applicable", "desk", "carries single", &[]),
    ("port/untagged-missing", "met", "desk", "carries single;home lane 110", &[]),
    ("port/untagged-missing", "violated", "desk", "carries single;home lane none", &[]),
    // A host that tags has its VLANs tagged.
    ("port/untagged-missing", "met", "virtual", "carries bundle;bundle lanes 110;bare lane none", &[]),
    ("port/untagged-missing", "met", "virtual", "carries bundle;bundle lanes 998;bare lane 110", &[]),
    ("port/untagged-missing", "violated", "virtual", "carries bundle;bundle lanes 998;bare lane 999", &[]),
    ("port/untagged-missing", "violated", "virtual", "carries single;home lane none", &[]),
    ("port/untagged-missing", "met", "virtual", "carries single;home lane 998", &[]),
    ("port/untagged-missing", "undetermined", "virtual", "carries bundle;bare lane none", &["trunk-without-list"]),
    ("port/untagged-missing", "violated", "desk", "carries bundle;bare lane none", &[]),
    ("port/untagged-missing", "violated", "desk", "carries single;home lane 110;admit tagged", &[]),
    ("port/untagged-missing", "undetermined", "desk", "carries single", &["port.access-vlan"]),
    ("port/untagged-missing", "not-applicable", "up", "carries bundle;bare lane none", &[]),
    ("port/native-in-use", "met", "up", "carries bundle;bare lane 999", &[]),
    ("port/native-in-use", "met", "up", "carries bundle;bare lane 300", &[]),
    ("port/native-in-use", "violated", "up", "carries bundle;bare lane 110", &[]),
    ("port/native-in-use", "violated", "up", "carries bundle;bare lane 140", &[]),
    ("port/native-in-use", "violated", "up", "carries bundle;bare lane 210", &[]),
    ("port/native-in-use", "undetermined", "up", "carries bundle;bare lane 5", &[]),
    ("port/native-in-use", "not-applicable", "desk", "carries single;home lane 110", &[]),
    ("port/ingress-open", "met", "host", "carries single;admit untagged", &[]),
    ("port/ingress-open", "met", "desk", "carries single;speech lane 210", &[]),
    ("port/ingress-open", "violated", "host", "carries single", &[]),
    ("port/ingress-open", "violated", "desk", "carries single;without strict entry", &[]),
    ("port/ingress-open", "met", "up", "carries bundle;without strict entry", &[]),
    ("port/ingress-open", "violated", "up", "carries bundle;bundle lanes 110;without strict entry", &[]),
    ("port/ingress-open", "undetermined", "desk", "carries single", &["port.ingress-filtering"]),
    ("port/ingress-open", "undetermined", "host", "carries single", &["port.acceptable-frames"]),
    ("port/dynamic-uplink", "met", "up", "carries bundle", &[]),
    ("port/dynamic-uplink", "violated", "up", "carries bundle;roaming lane", &[]),
    ("port/dynamic-uplink", "undetermined", "up", "carries bundle", &["port.dynamic-vlan"]),
    ("port/dynamic-uplink", "not-applicable", "desk", "roaming lane", &[]),
    ("port-security/off", "met", "desk", DESK, &[]),
    ("port-security/off", "violated", "desk", "carries single", &[]),
    ("port-security/off", "undetermined", "desk", "carries single", NO_SECURITY),
    ("port-security/off", "undetermined", "nobody", "carries single", &[]),
    ("port-security/off", "not-applicable", "up", "", &[]),
    ("port-security/off", "not-applicable", "spare", "", &[]),
    // not-armed says it better.
    ("port-security/off", "not-applicable", "desk", "carries single;crowd ceiling 3", &[]),
    ("port-security/not-armed", "met", "desk", DESK, &[]),
    ("port-security/not-armed", "met", "desk", "carries single", &[]),
    ("port-security/not-armed", "violated", "desk", "carries single;crowd ceiling 3", &[]),
    ("port-security/not-armed", "violated", "desk", "carries single;crowd kept 02:00:5e:10:00:01", &[]),
    ("port-security/not-armed", "undetermined", "desk", "crowd ceiling 3", NO_SECURITY),
    ("port-security/not-armed", "not-applicable", "up", "carries bundle;crowd ceiling 3", &[]),
    ("port-security/mode-conflict", "met", "desk", DESK, &[]),
    ("port-security/mode-conflict", "violated", "desk", "carries bargain;crowd watch", &[]),
    ("port-security/mode-conflict", "undetermined", "desk", "crowd watch", &["port.mode"]),
    ("port-security/mode-conflict", "undetermined", "desk", "carries bargain;crowd watch", &["port-security-void-in"]),
    ("port-security/mode-conflict", "not-applicable", "desk", "carries single", &[]),
    ("port-security/limit-high", "met", "desk", DESK, &[]),
    ("port-security/limit-high", "violated", "desk", "carries single;crowd watch;crowd ceiling 4", &[]),
    ("port-security/limit-high", "violated", "host", "carries single;crowd watch;crowd ceiling 2", &[]),
    ("port-security/limit-high", "undetermined", "desk", "carries single;crowd watch", &["port-security.limit"]),
    // Three is right where a phone counts once in each VLAN, and one too many where it does not.
    ("port-security/limit-high", "undetermined", "desk", DESK, &["stations-counted"]),
    (
        "port-security/limit-high",
        "violated",
        "desk",
        "carries single;crowd watch;crowd ceiling 9",
        &["stations-counted"],
    ),
    ("port-security/limit-high", "not-applicable", "up", "carries bundle;crowd watch;crowd ceiling 9", &[]),
    ("port-security/limit-high", "not-applicable", "desk", "carries single;crowd ceiling 9", &[]),
    ("port-security/limit-low", "met", "desk", DESK, &[]),
    ("port-security/limit-low", "violated", "host", "carries single;crowd watch;crowd ceiling 0", &[]),
    (
        "port-security/limit-low",
        "undetermined",
        "desk",
        "carries single;crowd watch;crowd ceiling 2",
        &["stations-counted"],
    ),
    ("port-security/limit-low", "undetermined", "desk", "carries single;crowd watch", &["port-security.limit"]),
    ("port-security/limit-low", "not-applicable", "desk", "carries bargain;crowd watch", &[]),
    ("port-security/action-weak", "met", "host", "carries single;crowd watch;crowd response shut-out", &[]),
    ("port-security/action-weak", "met", "desk", "carries single;crowd watch;crowd response report", &[]),
    ("port-security/action-weak", "violated", "host", "carries single;crowd watch;crowd response report", &[]),
    ("port-security/action-weak", "violated", "desk", "carries single;crowd watch", &[]),
    ("port-security/action-weak", "undetermined", "desk", "carries single;crowd watch", &["port-security.action"]),
    ("port-security/action-weak", "not-applicable", "up", "carries bundle;crowd watch", &[]),
    ("port-security/not-kept", "met", "host", "carries single;crowd watch;crowd remember", &[]),
    ("port-security/not-kept", "violated", "host", HOST, &[]),
    ("port-security/not-kept", "undetermined", "host", HOST, &["port-security.pinning"]),
    ("port-security/not-kept", "not-applicable", "desk", DESK, &[]),
    ("port-security/aging-missing", "met", "host", "carries single;crowd watch;crowd forget after 8h", &[]),
    ("port-security/aging-missing", "violated", "host", "carries single;crowd watch;crowd forget after 9h", &[]),
    ("port-security/aging-missing", "violated", "host", HOST, &[]),
    ("port-security/aging-missing", "undetermined", "host", HOST, &["port-security.aging"]),
    ("port-security/aging-missing", "not-applicable", "desk", DESK, &[]),
    ("port-security/pinned-unsaved", "met", "host", HOST, &[]),
    (
        "port-security/pinned-unsaved",
        "met",
        "host",
        "crowd kept 02:00:5e:10:00:01;saved crowd kept 0200.5e10.0001",
        &[],
    ),
    (
        "port-security/pinned-unsaved",
        "met",
        "host",
        "crowd kept 02:00:5e:10:00:01;saved crowd resident 02005e100001",
        &[],
    ),
    (
        "port-security/pinned-unsaved",
        "violated",
        "host",
        "crowd kept 02:00:5e:10:00:01;saved crowd kept 0200.5e10.0002",
        &[],
    ),
    ("port-security/pinned-unsaved", "undetermined", "host", "crowd kept 02:00:5e:10:00:01", &[]),
    ("port-security/on-uplink", "met", "up", "carries bundle", &[]),
    ("port-security/on-uplink", "violated", "up", "carries bundle;crowd watch", &[]),
    ("port-security/on-uplink", "undetermined", "up", "carries bundle", NO_SECURITY),
    ("port-security/on-uplink", "not-applicable", "desk", DESK, &[]),
    ("port-security/name-only", "met", "host", "carries single;home lane 120;crowd watch;origin check", &[]),
    ("port-security/name-only", "met", "host", "carries single;home lane 300;crowd watch;knock first", &[]),
    ("port-security/name-only", "violated", "host", HOST, &[]),
    // Source guard without bindings backs nothing.
    ("port-security/name-only", "violated", "host", "carries single;home lane 300;crowd watch;origin check", &[]),
    ("port-security/name-only", "undetermined", "host", HOST, &["source-guard.enabled"]),
    (
        "port-security/name-only",
        "undetermined",
        "host",
        "carries single;home lane 120;crowd watch;origin check",
        &["snooping-switches"],
    ),
    ("port-security/name-only", "not-applicable", "host", "carries single", &[]),
];

fn cases() -> impl Iterator<Item = &'static Case> {
    [CASES, edge::CASES, addresses::CASES, voice::CASES, streams::CASES, whole::CASES, state::CASES]
        .into_iter()
        .flatten()
}

fn config(note: &str, lines: &[&str]) -> String {
    let with = |front: &str| lines.iter().filter_map(|l| l.strip_prefix(front)).collect::<Vec<_>>();
    let less = with("less ");
    let head = HEAD.lines().filter(|line| !less.contains(line));
    let block = lines.iter().filter(|l| !l.starts_with("top ") && !l.starts_with("less ")).map(|l| format!("  {l}"));
    let spare = "socket 1.2..1.4\n  note \"spare\"\n";
    let head: Vec<&str> = head.collect();
    let block: Vec<String> = block.collect();
    let port = format!("socket 1.1\n  note \"{note}\"\n{}\n", block.join("\n"));
    format!("{}\n{spare}{port}{}\n", head.join("\n"), with("top ").join("\n"))
}

/// Lines that begin with `saved` are the saved configuration's; without any there is none.
fn switch(dialect: &std::sync::Arc<Dialect>, note: &str, lines: &str) -> Resolved {
    let all: Vec<&str> = lines.split(';').filter(|l| !l.is_empty()).collect();
    let saved: Vec<&str> = all.iter().filter_map(|l| l.strip_prefix("saved ")).collect();
    let (told, all): (Vec<&str>, Vec<&str>) =
        all.iter().copied().partition(|l| l.starts_with("seen ") || l.starts_with("raw "));
    let running: Vec<&str> = all.iter().copied().filter(|l| !l.starts_with("saved ")).collect();
    let copy = |lines: &[&str]| -> Switch { read(dialect, &config(note, lines)).switch };
    let saved = if saved.is_empty() { SavedCopy::Missing } else { SavedCopy::Read(Arc::new(copy(&saved))) };
    let texts = if told.is_empty() { Vec::new() } else { vec![Source::of("t/tables.out", tables(&told)).into()] };
    let state = State { texts, as_of: as_of().moment(), ..State::default() };
    let source = Source::of("t/config.txt", config(note, &running)).into();
    let resolved = resolve_with("t", dialect, source, &state).with_saved(saved);
    let unread: Vec<_> = resolved.switch.unread().iter().filter(|unread| unread.mark.line() > 0).collect();
    assert!(told.is_empty() || unread.is_empty(), "{told:?}: {unread:?}");
    resolved
}

/// The text that a switch tells: its lines, then its tables with aligned columns.
fn tables(told: &[&str]) -> String {
    let mut text: String =
        told.iter().filter_map(|line| line.strip_prefix("raw ")).fold(String::new(), |t, l| t + l + "\n");
    for (kind, titles) in state::TABLES {
        let rows = told.iter().filter_map(|line| line.strip_prefix("seen ")?.strip_prefix(kind));
        let rows: Vec<Vec<&str>> = rows.map(|row| row.split_whitespace().collect()).collect();
        let mut put = |cells: &[&str]| {
            let cells = cells.iter().map(|cell| format!("{:22}", cell.replace('~', " ").replace('_', "")));
            text = format!("{text}{}\n", cells.collect::<String>().trim_end());
        };
        if !rows.is_empty() {
            put(titles);
            rows.iter().filter(|row| !row.is_empty()).for_each(|row| put(row));
        }
    }
    text
}

#[rstest]
#[case::port_security(CASES)]
#[case::edge(edge::CASES)]
#[case::addresses(addresses::CASES)]
#[case::voice(voice::CASES)]
#[case::streams(streams::CASES)]
#[case::whole(whole::CASES)]
#[case::state(state::CASES)]
fn each_check_decides_as_the_table_says(#[case] table: &[Case]) {
    let plain = policy(POLICY);
    let mut listed = plain.clone();
    listed.stations =
        Some(Inventory::parse(&Source::of("stations.csv", state::STATIONS), &InventoryFile::default()).unwrap());
    let mut wrong = Vec::new();
    for (check, expected, note, lines, without) in table {
        let policy = if state::CASES.iter().any(|case| case.0 == *check) { &listed } else { &plain };
        let dialect = shingle_without(without);
        let resolved = switch(&dialect, note, lines);
        let told = verdicts(&resolved, &dialect, policy);
        let (_, verdict, needs) = told.iter().find(|(id, ..)| id == check).unwrap_or_else(|| panic!("{check}"));
        if verdict != expected {
            wrong.push(format!("{check} on {note} `{lines}` without {without:?}: {verdict} {needs:?}, not {expected}"));
        }
        // What a trunk without a list carries is told as the setting it leaves unknown.
        let fact = if *without == ["trunk-without-list"] { &["port.tagged-vlans"] } else { *without };
        if *expected == "undetermined" && verdict == expected && !fact.iter().all(|f| needs.contains(f)) {
            wrong.push(format!("{check} on {note} `{lines}`: {needs:?} does not name {fact:?}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn each_check_on_ports_has_its_cases() {
    let there: BTreeSet<(&str, &str)> = cases().map(|(check, verdict, ..)| (*check, *verdict)).collect();
    for check in all().filter(|c| !c.is_fleet()) {
        for verdict in ["met", "violated", "undetermined"] {
            // A list that no line names is empty: it is never unknown.
            let is_list = |name: &&str| SettingId::by_name(name).is_some_and(|id| id.info().kind.is_list());
            let impossible = verdict == "undetermined" && check.needs.iter().all(is_list)
                // Shingle has nothing that ports use by name: doubt.rs.
                || verdict == "violated" && check.id == "config/dangling";
            assert!(impossible || there.contains(&(check.id, verdict)), "{} has no case that is {verdict}", check.id);
        }
    }
}

#[test]
fn each_row_of_the_catalogue_is_whole() {
    let mut ids = BTreeSet::new();
    for check in all() {
        assert!(ids.insert(check.id), "{} is there twice", check.id);
        let (family, name) = check.id.split_once('/').unwrap();
        assert!(!family.is_empty() && !name.is_empty() && check.family() == family);
        for text in [check.title, check.reference, check.why, check.remedy] {
            assert!(!text.trim().is_empty(), "{} lacks a text", check.id);
        }
        for other in check.absorbs {
            let absorbed = all().find(|c| c.id == *other).unwrap_or_else(|| panic!("{} absorbs {other}", check.id));
            assert_eq!(absorbed.is_fleet(), check.is_fleet(), "{} absorbs {other} of another pass", check.id);
        }
    }
}

/// Every source file of a family is a module of it, and every check of a file is in the family's list.
#[test]
fn each_file_is_registered() {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("src/check");
    let declared = |file: std::path::PathBuf| {
        let text = std::fs::read_to_string(file).unwrap();
        text.lines().filter(|l| l.trim_start().starts_with("id: \"")).count()
    };
    for family in std::fs::read_dir(root).unwrap().map(|e| e.unwrap().path()).filter(|p| p.is_dir()) {
        let name = family.file_name().unwrap().to_string_lossy().replace('_', "-");
        let rows: usize = std::fs::read_dir(&family).unwrap().map(|e| declared(e.unwrap().path())).sum();
        assert_eq!(
            rows,
            all().filter(|c| c.family() == name).count(),
            "{name}: a row is not in CHECKS, or a file not in mod.rs"
        );
    }
}

/// What the platform does where the text is silent is a fact; without it nothing may pass that did not pass before.
#[test]
fn without_defaults_no_check_is_newly_met() {
    let demo = include_str!("../../../../demo/northquay/nq-desks-1/config.txt");
    let policy = policy(include_str!("../../../../demo/yellowlegs.toml"));
    let (whole, bare) = (
        shingle_without(&[]),
        shingle_without(&["defaults", "trunk-without", "port-security-void", "stations-counted", "snooping-switches"]),
    );
    let told = |dialect: &std::sync::Arc<Dialect>| {
        let resolved = read(dialect, demo);
        let views = (0..resolved.switch.ports().len()).map(|port| verdicts_of(&resolved, dialect, &policy, port));
        views.collect::<Vec<_>>()
    };
    let mut undetermined = 0;
    for (with, without) in told(&whole).iter().zip(told(&bare)) {
        for ((id, before, _), (_, after, _)) in with.iter().zip(&without) {
            assert!(*after != "met" || *before == "met", "{id}: {before} became met");
            undetermined += usize::from(*after == "undetermined" && *before != "undetermined");
        }
    }
    assert!(undetermined > 100, "only {undetermined} verdicts became undetermined");
}
