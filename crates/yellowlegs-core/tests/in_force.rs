//! Written here, here and here: what is in force, and why. The tables stand in `docs/in-force.md`.
//!
//! The first part says what each feature does by all its settings together, case by case. The second takes every setting
//! through the places it can be written in; its page is compared, and the laws of the layers are held beside it.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::sync::Arc;

use proptest::prelude::*;

use crate::support::{as_of, compare, policy, shingle_without};
use yellowlegs_core::check::{PortView, SwitchView, in_force};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::model::{Kind, Mark, Origin, Scope, SettingId, Slot, Value, VlanId};
use yellowlegs_core::policy::assign;
use yellowlegs_core::resolve::{About, Resolved, Wanted, resolve};
use yellowlegs_core::source::Source;

const FATHOM: &str = include_str!("../../../demo/dialects/fathom.toml");

fn read(dialect: &Arc<Dialect>, lines: &str) -> Resolved {
    resolve("t", dialect, Arc::new(Source::of("t.txt", lines)))
}

/// What a feature does on a port: Shingle's 1.1, or Fathom's a:1.
fn told(resolved: &Resolved, feature: &str) -> String {
    let (policy, as_of) = (policy(""), as_of());
    let roles = assign(&policy, &resolved.switch, resolved.lists());
    let view = PortView::new(SwitchView::new(resolved, &policy, &roles, &as_of), 0);
    let all = in_force(&view);
    let found =
        all.into_iter().find(|found| found.feature == feature).unwrap_or_else(|| panic!("no feature {feature}"));
    found.told.unwrap_or_else(|unknown| format!("unknown: {}", unknown.needs.join(", ")))
}

/// Feature, lines in Shingle, what is taken out of the dialect, what it comes to.
#[rustfmt::skip]
const SHINGLE_CASES: &[(&str, &str, &[&str], &str)] = &[
    ("VLANs", "socket 1.1", &[], "access until the neighbour makes it a trunk: 1 untagged"),
    ("VLANs", "socket 1.1;  carries single;  home lane 110;  speech lane 210", &[], "access: 110 untagged, voice 210 tagged"),
    ("VLANs", "socket 1.1;  carries bundle", &[], "trunk: 1 untagged, all tagged"),
    ("VLANs", "socket 1.1;  carries bundle;  home lane 110;  bare lane none;  bundle lanes 110..112", &[], "trunk: none untagged, 110-112 tagged"),
    ("VLANs", "socket 1.1;  carries bundle", &["trunk-without-list"], "unknown: port.tagged-vlans"),
    ("port security", "socket 1.1;  crowd ceiling 3 then shut-out", &[], "off"),
    ("port security", "socket 1.1;  carries single;  crowd watch;  crowd ceiling 3 then shut-out", &[], "at most 3 station(s), then disable-port"),
    ("port security", "socket 1.1;  crowd watch;  crowd ceiling 3", &[], "void: the mode is negotiated"),
    ("port security", "socket 1.1;  crowd watch", &["port-security-void-in"], "unknown: port-security-void-in"),
    ("DHCP snooping", "socket 1.1;  home lane 110;dhcp watch lanes 110", &[], "held back: binding-loft is not in force"),
    ("DHCP snooping", "socket 1.1;  home lane 110;loft cleared for binding-loft;dhcp watch lanes 110", &[], "does not act: dhcp-snooping.enabled is off"),
    ("DHCP snooping", "socket 1.1;  home lane 110;loft cleared for binding-loft;dhcp watch;dhcp watch lanes 120", &[], "does not act: dhcp-snooping.vlans lacks VLAN 110"),
    ("DHCP snooping", "socket 1.1;  home lane 110;loft cleared for binding-loft;dhcp watch;dhcp watch lanes 110..120", &[], "untrusted in VLAN 110, no rate limit"),
    ("DHCP snooping", "socket 1.1;  carries single;  home lane 110;every single socket;  dhcp pace 15;loft cleared for binding-loft;dhcp watch;dhcp watch lanes 110", &[], "untrusted in VLAN 110, at most 15 pps"),
    ("DHCP snooping", "socket 1.1;  carries bundle;  bundle lanes 110,120;  dhcp believed;loft cleared for binding-loft;dhcp watch;dhcp watch lanes 110..130", &[], "trusted in VLAN 110,120: server messages are let in"),
    ("DHCP snooping", "socket 1.1;loft cleared for binding-loft", &["snooping-switches"], "unknown: snooping-switches"),
    ("ARP inspection", "socket 1.1;  home lane 110;arp watch lanes 110", &[], "examines ARP in VLAN 110"),
    ("ARP inspection", "socket 1.1;  home lane 110;  arp believed;arp watch lanes 110", &[], "trusted in VLAN 110"),
    ("ARP inspection", "socket 1.1;  home lane 110", &[], "does not act: arp-inspection.vlans lacks VLAN 110"),
    ("source guard", "socket 1.1;  origin check", &[], "on without bindings: DHCP snooping does not act here"),
    ("source guard", "socket 1.1;  home lane 110;  origin check;loft cleared for binding-loft;dhcp watch;dhcp watch lanes 110", &[], "only bound or written addresses send; bindings come from VLAN 110"),
    ("spanning tree", "socket 1.1", &[], "no edge port: forwards after 30 s (2 × forward delay of 15 s)"),
    ("spanning tree", "socket 1.1;tree kind young", &[], "no edge port: forwards after 30 s (2 × forward delay of 15 s)"),
    ("spanning tree", "socket 1.1;tree kind young", &["rapid-without-edge"], "unknown: rapid-without-edge"),
    ("spanning tree", "socket 1.1;  carries single;  wakes quickly", &[], "edge port: forwards at once"),
    ("spanning tree", "socket 1.1;  carries bundle;  wakes quickly", &[], "fast start void on a trunk: forwards after 30 s (2 × forward delay of 15 s)"),
    ("spanning tree", "socket 1.1;  carries bundle;  wakes quickly-even-bundled", &[], "edge port: forwards at once"),
    ("spanning tree", "socket 1.1;  wakes listening", &[], "edge port once detected: forwards after 3 s (the edge is detected after the migrate time of 3 s)"),
    ("spanning tree", "every single socket;  wakes quickly;socket 1.1;  carries single", &[], "edge port: forwards at once"),
    ("spanning tree", "every single socket;  wakes quickly;socket 1.1;  carries bundle", &[], "no edge port: forwards after 30 s (2 × forward delay of 15 s)"),
    ("spanning tree", "every single socket;  wakes quickly;socket 1.1;  carries single;  wakes slowly", &[], "no edge port: forwards after 30 s (2 × forward delay of 15 s)"),
    ("spanning tree", "socket 1.1;without tree grows", &[], "off"),
    ("BPDU guard", "quick sockets closed to trees;socket 1.1;  carries single;  wakes quickly", &[], "a BPDU takes the port down"),
    ("BPDU guard", "quick sockets closed to trees;socket 1.1;  carries single", &[], "off"),
    ("BPDU guard", "quick sockets closed to trees;socket 1.1;  carries bundle;  wakes quickly", &[], "off"),
    ("BPDU guard", "quick sockets closed to trees;socket 1.1;  carries single;  wakes quickly;  without tree stranger closes", &[], "off"),
    ("BPDU guard", "quick sockets closed to trees;socket 1.1;  wakes listening", &[], "a BPDU takes the port down"),
    ("BPDU guard", "socket 1.1;  tree stranger closes;  tree deaf", &[], "silenced: BPDU filter hears nothing"),
    ("root and loop guard", "socket 1.1;  tree crown kept", &[], "a better root blocks the port"),
    ("root and loop guard", "socket 1.1;  tree crown kept;  tree silence closes", &[], "root guard and loop guard: they exclude each other"),
    ("loop detection", "socket 1.1;  echo watch", &[], "a probe that comes back takes the port down"),
    ("storm limits", "socket 1.1;  gale broadcast 1%", &[], "broadcast 1 %, multicast unlimited, then drop"),
    ("voice", "socket 1.1;  announces;  announces speech;  speech told tagged;  speech told lane 210;  speech told priority 5;  speech told dscp 46", &[], "a phone is told VLAN 210 tagged, priority 5, DSCP 46"),
    ("voice", "socket 1.1;  announces;  announces speech", &[], "a phone is told nothing: no policy is announced"),
    ("voice", "socket 1.1;  announces;  announces speech;  speech told tagged;without announcements", &[], "a phone is told nothing: lldp.enabled is off"),
    ("voice", "socket 1.1;  speech told bare-priority;  announces speech", &[], "a phone is told to send priority-tagged, priority 0, DSCP 0"),
    ("marking", "socket 1.1;  believes dscp", &[], "trusted: dscp"),
    ("multicast", "socket 1.1;  home lane 140;choir watch lanes 140", &[], "not snooped: every stream goes everywhere"),
    ("multicast", "socket 1.1;  home lane 140;  choir quick leave;choir watch;choir watch lanes 140", &[], "snooped in VLAN 140: cut at the first leave, or 260 s after the last report (robustness 2 × query interval of 125 s + response interval of 10 s); unregistered groups flood"),
    ("multicast", "socket 1.1;  home lane 140;choir watch;choir watch lanes 140;choir strangers refused", &[], "snooped in VLAN 140: cut 2 s after a leave (last-member interval of 1 s × 2), or 260 s after the last report (robustness 2 × query interval of 125 s + response interval of 10 s)"),
    ("multicast", "socket 1.1;  home lane 140;  choir quick leave;choir watch;choir watch lanes 140;choir strangers refused;lane 140;  asks every 60;  robust 3", &[], "snooped in VLAN 140: cut at the first leave, or 190 s after the last report (robustness 3 × query interval of 60 s + response interval of 10 s)"),
    ("multicast", "socket 1.1;  home lane 110;choir watch;choir watch lanes 140;choir strangers refused", &[], "VLAN 110 is not snooped: its streams go everywhere"),
    ("multicast", "socket 1.1;  home lane 140;  choir everything;choir watch;choir watch lanes 140;choir strangers refused", &[], "every stream of its VLANs goes here"),
    ("multicast", "socket 1.1;  carries bundle;  bundle lanes 110,140,210;  bare lane none;choir watch;choir watch lanes 110,140;choir strangers refused;lane 140;  robust 3", &[], "snooped in VLAN 110: cut 2 s after a leave (last-member interval of 1 s × 2), or 260 s after the last report (robustness 2 × query interval of 125 s + response interval of 10 s); snooped in VLAN 140: cut 2 s after a leave (last-member interval of 1 s × 2), or 385 s after the last report (robustness 3 × query interval of 125 s + response interval of 10 s); not snooped in VLAN 210: its streams go everywhere"),
    ("multicast", "socket 1.1;  carries bundle;  bundle lanes 110,140;  bare lane none;  choir quick leave;choir watch;choir watch lanes 110,140;choir strangers refused", &[], "snooped in VLAN 110,140: cut at the first leave, or 260 s after the last report (robustness 2 × query interval of 125 s + response interval of 10 s)"),
    ("multicast", "socket 1.1;  carries single;  home lane none;choir watch;choir watch lanes 140", &[], "no VLAN"),
    ("unidirectional detection", "socket 1.1;  two-way watch close;  two-way watch every 7", &[], "disable-port: detects in 21 s (3 × 7 s)"),
    ("flap protection", "socket 1.1;  flutter watch;  flutter 4 within 20;  flutter hold 0", &[], "4 losses of link within 20 s hold it down until somebody comes"),
    ("coming back", "socket 1.1;  crowd watch;  tree stranger closes;return of tree after 300", &[], "port-security by hand, bpdu-guard after 300 s"),
    ("coming back", "socket 1.1;  crowd watch;return of crowd;return after 600", &[], "port-security after 600 s"),
];

/// The same in Fathom, where profiles and membership are.
#[rustfmt::skip]
const FATHOM_CASES: &[(&str, &str, &[&str], &str)] = &[
    ("VLANs", "water 110 plain a:1", &[], "access: 110 untagged"),
    ("VLANs", "water 110 plain a:1;water 120 marked a:1", &[], "trunk: 110 untagged, 120 tagged"),
    ("VLANs", "water 110 plain a:1;water 120 marked a:1;water 130 marked a:1", &[], "trunk: 110 untagged, 120,130 tagged"),
    ("VLANs", "water 110 plain a:1;water 210 marked a:1;berth a:1 voice water 210", &[], "access: 110 untagged, voice 210 tagged"),
    ("port security", "cut desk counted;cut desk counted most 3;berth a:1 follows desk;water 110 plain a:1", &[], "at most 3 station(s), then disable-port"),
    ("port security", "cut desk counted;cut desk counted most 3;berth a:1 follows desk;berth a:1 counted most 5;water 110 plain a:1", &[], "at most 5 station(s), then disable-port"),
    ("port security", "cut base counted;cut base counted most 2;cut desk built-on base;cut desk counted most 3;berth a:1 follows desk;water 110 plain a:1", &[], "at most 3 station(s), then disable-port"),
    ("port security", "cut one counted;cut one counted most 2;cut two counted most 4;berth a:1 follows one;berth a:1 follows two;water 110 plain a:1", &[], "at most 4 station(s), then disable-port"),
    ("spanning tree", "all-berths edge always;water 110 plain a:1", &[], "edge port: forwards at once"),
    ("spanning tree", "cut up edge never;all-berths edge always;berth a:1 follows up;water 110 plain a:1", &[], "edge port once detected: forwards after 3 s (the edge is detected after the migrate time of 3 s)"),
];

fn without(text: &str, keys: &[&str]) -> Arc<Dialect> {
    let kept: String = text
        .lines()
        .filter(|line| !keys.iter().any(|key| line.trim_start_matches('"').starts_with(key)))
        .fold(String::new(), |kept, line| kept + line + "\n");
    Arc::new(Dialect::load(&Arc::new(Source::of("dialect.toml", kept))).unwrap())
}

#[test]
fn what_the_settings_of_a_feature_come_to() {
    let mut page = String::from(
        "# What is in force\n\nA setting is written in many places; a feature hangs on many settings. The first table says what each feature comes to, \
         the\nothers take every setting through its places. All of it is tried by `cargo test` (tests/in_force.rs).\n\n\
         The order of the layers: a port's own lines (the later of two), what they imply, its profiles (the later one, its own lines\nbefore those it builds on), \
         global lines that reach the port, the platform's default. What nothing says is unknown, and what\nhangs on it is undetermined.\n",
    );
    let mut wrong = Vec::new();
    let dialects = [
        ("Shingle", SHINGLE_CASES, "shingle 4 unit t\nsockets 1.1..1.2\n", ""),
        ("Fathom", FATHOM_CASES, "lay vessel t\nlay berths a:1 to 2\n", "lay "),
    ];
    for (system, cases, head, lead) in dialects {
        let _ = write!(page, "\n## Features, in {system}\n\n| feature | written | in force |\n|---|---|---|\n");
        for (feature, lines, missing, expected) in cases {
            let dialect = if system == "Shingle" { shingle_without(missing) } else { without(FATHOM, missing) };
            let lines: Vec<String> = lines.split(';').map(|line| format!("{lead}{line}")).collect();
            let resolved = read(&dialect, &format!("{head}{}\n", lines.join("\n")));
            assert!(resolved.switch.unread().is_empty(), "{lines:?}: {:?}", resolved.switch.unread());
            let found = told(&resolved, feature);
            if found != *expected {
                wrong.push(format!("{feature}: {lines:?}\n  comes to {found}\n  not {expected}"));
            }
            let shown: Vec<String> = lines.iter().map(|line| line.replace("  ", "· ")).collect();
            let silent = if missing.is_empty() {
                String::new()
            } else {
                format!(" (the dialect is silent on {})", missing.join(", "))
            };
            let _ = writeln!(page, "| {feature} | `{}`{silent} | {expected} |", shown.join("` `"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    page.push_str(&by_setting());
    compare("docs/in-force.md", &page);
}

const BASE: &str =
    "shingle 4 unit t\nsockets 1.1..1.2\nlane 110\nlooking-glass 1\n  awake\nsocket 1.1\n  carries single\n";

/// A value that a setting does not have by default.
fn another(kind: Kind, default: Option<&Value>) -> Option<Value> {
    let words: Vec<String> = match kind {
        Kind::Flag => vec!["true".into(), "false".into()],
        Kind::Choice(set) | Kind::Choices(set) => set.words.iter().rev().map(|word| (*word).to_owned()).collect(),
        Kind::Count | Kind::Seconds => vec!["7".into()],
        Kind::Milliwatts => vec!["7W".into()],
        Kind::Vlan => vec!["110".into()],
        Kind::Vlans => vec!["110".into()],
        Kind::Rate => vec!["7pps".into(), "7%".into()],
        Kind::Address => vec!["192.0.2.9".into()],
        Kind::Port => vec!["1.2".into()],
        Kind::Taps => vec!["1.2 both".into()],
        Kind::Words => vec!["192.0.2.9".into(), "7".into()],
        Kind::Stations => vec!["02:00:5e:10:00:01".into()],
        Kind::Ranges => vec!["02:00:5e:10:00:00-02:00:5e:10:00:0f@110".into()],
        Kind::Pairs => vec!["46:7".into()],
        Kind::Text => vec!["words".into()],
        Kind::Station | Kind::Time => Vec::new(),
    };
    words.iter().filter_map(|word| kind.parse(word).ok()).find(|value| Some(value) != default)
}

struct Case {
    written: Vec<String>,
    slot: Slot,
    line: Option<String>,
}

/// A setting after some more lines; `None` where the dialect does not take them there.
fn case(about: &About, id: SettingId, written: Vec<String>) -> Option<Case> {
    let text = format!("{BASE}{}\n", written.join("\n"));
    let resolved = read(&shingle_without(&[]), &text);
    let slot = resolved.slot_of(about, id);
    let quote = slot.mark.filter(|_| slot.origin.is_written()).and_then(|mark| resolved.switch.quote(mark));
    let line = quote.map(|quote| quote.text.trim().to_owned());
    resolved.switch.unread().is_empty().then_some(Case { written, slot, line })
}

fn by_setting() -> String {
    let mut page = String::new();
    let base = read(&shingle_without(&[]), BASE);
    for (scope, title, about) in [
        (Scope::Port, "Settings of a port", About::Port("1.1".into())),
        (Scope::Switch, "Settings of the switch", About::Switch),
        (Scope::Vlan, "Settings of a VLAN", About::Vlan(VlanId::new(110).unwrap())),
        (Scope::Mirror, "Settings of a mirror session", About::Mirror("1".into())),
    ] {
        let _ = write!(
            page,
            "\n## {title}, in Shingle\n\nA line that begins with · stands inside the one before it. Port 1.1 has `carries single`.\n"
        );
        for id in SettingId::of(scope) {
            let _ = write!(page, "\n### {}\n\n| written | in force | from | by |\n|---|---|---|---|\n", id.name());
            for case in cases(&base, &about, id) {
                let written: Vec<String> =
                    case.written.iter().map(|line| format!("`{}`", line.replace("  ", "· "))).collect();
                let written = if written.is_empty() { "(nothing)".to_owned() } else { written.join(" ") };
                let value = case.slot.value.as_ref().map_or_else(|| "unknown".to_owned(), ToString::to_string);
                let by = case.line.map(|line| format!("`{line}`")).unwrap_or_default();
                let _ = writeln!(page, "| {written} | {value} | {} | {by} |", case.slot.origin.word());
            }
        }
    }
    page
}

/// A setting through its places: silent, its own line, a range, a global line, one after the other, taken back.
fn cases(base: &Resolved, about: &About, id: SettingId) -> Vec<Case> {
    let silent = case(about, id, Vec::new()).unwrap();
    let default = silent.slot.value.clone();
    let mut all = vec![silent];
    let wanted = |value: Value| Wanted { about: about.clone(), setting: id, value };
    let Some((value, edit)) =
        another(id.info().kind, default.as_ref()).and_then(|v| Some((v.clone(), base.edit(&wanted(v)).ok()?)))
    else {
        return all;
    };
    let own = edit.lines;
    let written = case(about, id, own.clone()).unwrap();
    assert_eq!((written.slot.value.as_ref(), written.slot.origin.is_written()), (Some(&value), true), "{}", id.name());
    all.push(written);
    let inside = |opener: &str| -> Vec<String> {
        own.iter().map(|line| if line.starts_with("socket ") { opener.to_owned() } else { line.clone() }).collect()
    };
    // Its way back, where a line says it.
    let back = default.clone().and_then(|value| {
        let after = read(&shingle_without(&[]), &format!("{BASE}{}\n", own.join("\n")));
        after.edit(&wanted(value)).ok().map(|edit| edit.lines)
    });
    if id.info().scope == Scope::Port {
        let range = inside("socket 1.1..1.2");
        let told = case(about, id, range.clone()).unwrap();
        assert_eq!((told.slot.value.as_ref(), told.slot.origin), (Some(&value), Origin::Range), "{}", id.name());
        all.push(told);
        if let Some(back) = &back {
            // The later of two lines counts, whichever is the port's own.
            let told = case(about, id, [range.clone(), back.clone()].concat()).unwrap();
            assert_eq!(told.slot.value, default, "{}", id.name());
            all.push(told);
            let told = case(about, id, [back.clone(), range].concat()).unwrap();
            assert_eq!(told.slot.value.as_ref(), Some(&value), "{}", id.name());
            all.push(told);
        }
        for (opener, reach) in [("every socket", true), ("every single socket", true)] {
            let Some(told) = case(about, id, inside(opener)) else { continue };
            let is_mode = id.name() == "port.mode";
            assert_eq!(
                (told.slot.value == Some(value.clone()), told.slot.origin == Origin::Global),
                (reach && !is_mode, reach && !is_mode),
                "{}",
                id.name()
            );
            all.push(told);
            if opener == "every single socket" {
                let bundle = ["socket 1.1".to_owned(), "  carries bundle".to_owned()];
                let told = case(about, id, [inside(opener), bundle.to_vec()].concat()).unwrap();
                assert_ne!(told.slot.origin, Origin::Global, "{}", id.name());
                all.push(told);
            }
            if let Some(back) = &back {
                // A port's own line wins over a global one, even over a later one.
                let told = case(about, id, [back.clone(), inside(opener)].concat()).unwrap();
                if told.line.is_some() && told.slot.origin != Origin::Global {
                    assert_eq!(told.slot.value, default, "{}", id.name());
                }
                all.push(told);
            }
        }
    }
    if let Some(back) = back {
        let told = case(about, id, [own, back].concat()).unwrap();
        assert_eq!(told.slot.value, default, "{}", id.name());
        all.push(told);
    }
    all
}

/// A text without one of its lines is what it would be if nobody had written the line.
#[test]
fn a_text_without_a_line() {
    let text = include_str!("../../../demo/northquay/nq-desks-1/config.txt");
    let dialect = shingle_without(&[]);
    let read = |text: &str| resolve("t", &dialect, Arc::new(Source::of("t/config.txt", text)));
    let resolved = read(text);
    let lines: std::collections::BTreeMap<u32, _> = (0..resolved.switch.ports().len())
        .flat_map(|port| SettingId::of(Scope::Port).map(move |id| (port, id)))
        .filter_map(|(port, id)| resolved.switch.slot(Some(port), id).mark)
        .filter_map(|mark| Some((mark.line(), resolved.without_line(mark)?)))
        .collect();
    assert!(lines.len() > 20, "{}", lines.len());
    for (line, without) in lines {
        let kept: Vec<&str> =
            text.lines().enumerate().filter(|(i, _)| i + 1 != line as usize).map(|(_, l)| l).collect();
        assert!(shown(&without) == shown(&read(&format!("{}\n", kept.join("\n")))), "without line {line}");
    }
}

/// What is in force, without the lines that say so.
fn shown(resolved: &Resolved) -> Vec<String> {
    let switch = &resolved.switch;
    let ports = (0..switch.ports().len()).flat_map(|port| SettingId::of(Scope::Port).map(move |id| (Some(port), id)));
    let all = ports.chain(SettingId::of(Scope::Switch).map(|id| (None, id)));
    all.map(|(port, id)| format!("{port:?} {} {:?}", id.name(), switch.slot(port, id).value)).collect()
}

proptest! {
    /// Where each line is a whole path, what a port's line says does not hang on which port the line before it was about: of each setting
    /// the last line counts that names the port, alone or in a list, whatever stands between.
    #[test]
    fn of_paths_the_last_counts(
        lines in prop::collection::vec((
            prop::sample::select(vec!["a:1", "a:2", "a:3", "a:1 to 2", "a:2, a:3", "a:1, a:1"]),
            prop_oneof![
                (1_u32..9).prop_map(|most| (0, most.to_string())), (1_u32..4).prop_map(|note| (1, note.to_string())),
                Just((2, String::new())), Just((3, String::new())), Just((4, String::new())),
            ],
        ), 1..14),
    ) {
        let mut text = "lay vessel v\nlay berths a:1 to 3\n".to_owned();
        // By port and setting: value, whether one port was named, and the line.
        let mut expected: BTreeMap<(usize, &str), (String, Origin, u32)> = BTreeMap::new();
        for ((ports, (what, value)), line) in lines.iter().zip(3..) {
            let said = match what {
                0 => format!("lay berth {ports} counted most {value}"),
                1 => format!("lay berth {ports} note \"{value} boats\""),
                2 => format!("lay water 110 plain {ports}"),
                3 => "lay cut desk counted most 77".to_owned(),
                _ => format!("lay berth {ports} counted"),
            };
            text += &said;
            text.push('\n');
            let named: &[usize] = match *ports {
                "a:1" | "a:1, a:1" => &[0],
                "a:2" => &[1],
                "a:3" => &[2],
                "a:1 to 2" => &[0, 1],
                _ => &[1, 2],
            };
            let own = if named.len() == 1 { Origin::Port } else { Origin::Range };
            for port in named {
                match what {
                    0 => _ = expected.insert((*port, "port-security.limit"), (value.clone(), own, line)),
                    1 => _ = expected.insert((*port, "port.description"), (format!("{value} boats"), own, line)),
                    2 => _ = expected.insert((*port, "port.access-vlan"), ("110".to_owned(), Origin::Vlan, line)),
                    3 => {}
                    _ => _ = expected.insert((*port, "port-security.enabled"), ("true".to_owned(), own, line)),
                }
            }
        }
        let dialect = Dialect::load(&Arc::new(Source::of("fathom.toml", FATHOM))).unwrap();
        let resolved = resolve("v", &Arc::new(dialect), Arc::new(Source::of("config.txt", text.as_str())));
        for ((port, setting), (value, origin, line)) in expected {
            let slot = resolved.switch.slot(Some(port), SettingId::by_name(setting).unwrap());
            let is = (slot.value.as_ref().map(ToString::to_string), slot.origin, slot.mark.map(Mark::line));
            prop_assert_eq!(is, (Some(value), origin, Some(line)), "{} of port {} in\n{}", setting, port, text);
        }
    }
}
