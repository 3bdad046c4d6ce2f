//! What only shows across switches: a small fleet that is wholly right, and one change at a time.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use crate::support::chain::{LINKS, Lines, POLICY, fleet, text};
use crate::support::shown::shown;
use crate::support::{as_of, compare, policy, shingle_without};
use globset::{Glob, GlobMatcher};
use rstest::rstest;
use yellowlegs_core::check::{Digests, FleetOutcome, FleetView, Judge, Selection, Usage};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::resolve::{Resolved, State, resolve_with};
use yellowlegs_core::source::Source;

/// `+b socket 1.1: line` adds a line, `-b socket 1.1: line` takes it away.
fn change(fleet: &mut BTreeMap<&'static str, Lines>, change: &str) {
    let (place, line) = change[1..].split_once(": ").unwrap();
    let (switch, place) = place.split_once(' ').unwrap();
    let lines = fleet.get_mut(switch).unwrap().entry(place.to_owned()).or_default();
    if change.starts_with('+') {
        lines.push(line.to_owned());
    } else {
        let before = lines.len();
        lines.retain(|l| l != line);
        assert!(lines.len() < before, "`{line}` is not there to be taken away");
    }
}

fn read(name: &'static str, lines: &Lines, state: &str, dialect: &Arc<Dialect>) -> Resolved {
    let source = Arc::new(Source::of("config.txt", text(name, lines)));
    let state =
        State { texts: vec![Arc::new(Source::of("tables.out", state))], as_of: as_of().moment(), ..State::default() };
    resolve_with(name, dialect, source, &state)
}

/// What is kept of the switches of a fleet, judged one after the other.
fn digests(judge: &Judge<'_>, switches: &BTreeMap<&str, Resolved>, usage: &mut Usage) -> Digests {
    let each = switches.values().map(|resolved| judge.switch(resolved, resolved.lists()));
    each.map(|judged| {
        usage.merge(judged.usage);
        judged.digest
    })
    .collect()
}

/// What the checks of a fleet come to after some changes.
fn outcome(extra: &str, changes: &[&str], states: &[(&str, &str)], dialect: &Arc<Dialect>) -> FleetOutcome {
    outcome_of(POLICY, extra, changes, states, dialect)
}

fn outcome_of(
    base: &str,
    extra: &str,
    changes: &[&str],
    states: &[(&str, &str)],
    dialect: &Arc<Dialect>,
) -> FleetOutcome {
    let mut fleet = fleet();
    changes.iter().for_each(|c| change(&mut fleet, c));
    let policy = policy(&format!("{base}{extra}"));
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(&policy, &as_of, &selection, false);
    let state = |name: &str| states.iter().find(|(switch, _)| *switch == name).map_or("", |(_, state)| *state);
    let resolved: BTreeMap<&str, Resolved> =
        fleet.iter().map(|(name, lines)| (*name, read(name, lines, state(name), dialect))).collect();
    let mut usage = Usage::default();
    let digests = digests(&judge, &resolved, &mut usage);
    let view = FleetView::new(&policy, &as_of, &digests, &[]);
    FleetOutcome::judge(&view, None, &mut usage, &selection, &|name: &str| resolved.get(name).cloned())
}

/// What is foreseen while a switch is at hand is what is told when it is read once more, and spares reading it.
#[test]
fn what_is_foreseen_is_what_is_told() {
    let waiver = "[[waiver]]\ncheck = \"unidirectional/off\"\nswitch = \"c\"\nreason = \"x\"\nowner = \"y\"\nlast-day = \"2031-12-31\"\n";
    let dialect = shingle_without(&[]);
    let mut spared = BTreeMap::new();
    // The tree at the other end is quicker, of one that is too slow for its own: what is told is another figure.
    let quicker =
        ["-c socket 1.1: two-way watch every 1", "+c socket 1.1: two-way watch every 12", "+b top: tree greeting 1"];
    // The first of two on one switch is told by reading, the second was foreseen.
    let mixed = [
        "-b socket 1.1: two-way watch every 1",
        "+b socket 1.1: two-way watch every 12",
        "-b socket 1.2: two-way watch every 1",
        "+b socket 1.2: two-way watch every 12",
        "+a top: tree greeting 1",
    ];
    let more = [("quicker", &quicker[..]), ("mixed", &mixed[..])];
    for (name, changes) in CHANGES.iter().map(|(name, changes, _)| (*name, *changes)).chain(more) {
        let mut fleet = fleet();
        changes.iter().for_each(|c| change(&mut fleet, c));
        let (policy, as_of, selection) = (policy(&format!("{POLICY}{LINKS}{waiver}")), as_of(), Selection::default());
        let resolved: BTreeMap<&str, Resolved> =
            fleet.iter().map(|(name, lines)| (*name, read(name, lines, "", &dialect))).collect();
        let judge = Judge::new(&policy, &as_of, &selection, false);
        let mut usage = Usage::default();
        let foreseeing = digests(&judge, &resolved, &mut usage);
        // A fleet that is put together again foresees nothing.
        let blind = foreseeing.certain(vec![foreseeing[0].clone()]).unwrap();
        let across = |digests: &Digests| {
            let reads = AtomicUsize::new(0);
            let again = |name: &str| {
                reads.fetch_add(1, Ordering::Relaxed);
                resolved.get(name).cloned()
            };
            let view = FleetView::new(&policy, &as_of, digests, &[]);
            let outcome = FleetOutcome::judge(&view, None, &mut usage.clone(), &selection, &again);
            (format!("{:#?} {:?}", outcome.findings, outcome.positions), reads.into_inner())
        };
        let (with, without) = (across(&foreseeing), across(&blind));
        assert_eq!(with.0, without.0, "{name}");
        if name == "mixed" {
            let slow: Vec<_> = with.0.match_indices("check: \"unidirectional/too-slow\"").collect();
            assert_eq!(slow.len(), 2, "{}", with.0);
        }
        // What came true once is not told again: the second time it is read.
        assert_eq!(across(&foreseeing), without, "{name}");
        spared.insert(name, without.1 - with.1);
    }
    // One of each of two switches, and one of one; what another switch decides, or has a part in, is told by reading.
    assert_eq!((spared["no_detection"], spared["slow"]), (2, 1), "{spared:?}");
    assert_eq!((spared["unlike"], spared["quicker"]), (0, 0), "the tree at the other end is quicker: {spared:?}");
    assert_eq!(spared["mixed"], 0, "its switch is read for the other: {spared:?}");
    assert_eq!((spared["one_ended"], spared["pinned"], spared["right"]), (0, 0, 0), "{spared:?}");
}

/// What checks across switches come to where lines are not understood: what is found, and what is open with what it lacks.
fn doubted(changes: &[&str]) -> (BTreeSet<String>, BTreeSet<String>) {
    told(&doubted_of(changes, &Selection::default()))
}

fn doubted_of(changes: &[&str], selection: &Selection) -> FleetOutcome {
    let (mut fleet, dialect) = (fleet(), shingle_without(&[]));
    changes.iter().for_each(|c| change(&mut fleet, c));
    let (policy, as_of) = (policy(&format!("{POLICY}{LINKS}")), as_of());
    let judge = Judge::new(&policy, &as_of, selection, false);
    let resolved: BTreeMap<&str, Resolved> =
        fleet.iter().map(|(name, lines)| (*name, read(name, lines, "", &dialect))).collect();
    let mut usage = Usage::default();
    let (mut digests, mut certain): (Digests, Digests) = Default::default();
    for resolved in resolved.values() {
        let judged = judge.switch(resolved, resolved.lists());
        usage.merge(judged.usage);
        certain.push(judged.doubtful.unwrap_or_else(|| judged.digest.clone()));
        digests.push(judged.digest);
    }
    let (view, certain) =
        (FleetView::new(&policy, &as_of, &digests, &[]), FleetView::new(&policy, &as_of, &certain, &[]));
    FleetOutcome::judge(&view, Some(&certain), &mut usage, selection, &|name: &str| resolved.get(name).cloned())
}

/// What a line that nobody understands could say of a link, or of who asks, leaves open what hangs on it across switches; what is
/// wrong all the same stays wrong, and what does not hang on it is decided.
#[rstest]
#[case::all_is_understood(&[], &[], &[])]
#[case::trust(&["+b socket 1.1: dhcp beleived"], &[], &["dhcp-snooping/no-path b: lines that are understood"])]
#[case::no_trust_at_all(&["-b socket 1.1: dhcp believed", "+b socket 1.1: dhcp beleived"], &["dhcp-snooping/uplink-untrusted b 1.1"], &[])]
#[case::native(&["+b socket 1.2: bare line 999"], &[], &["port/peer-mismatch b: port.mtu"])]
#[case::of_nothing(&["+b top: harbour master hears of it"], &[], &[])]
fn doubts_across_switches(#[case] changes: &[&str], #[case] found: &[&str], #[case] open: &[&str]) {
    let (told, undecided) = doubted(changes);
    for one in found {
        assert!(told.contains(*one), "{one}: {told:?}");
    }
    for one in open {
        assert!(undecided.contains(*one), "{one}: {undecided:?}");
    }
    if found.is_empty() && open.is_empty() {
        assert_eq!((told, undecided), Default::default());
    }
    // What is found is not open beside that.
    let (told, undecided) = doubted(changes);
    let place = |one: &str| one.split(' ').take(2).collect::<Vec<_>>().join(" ");
    let told: BTreeSet<String> = told.iter().map(|one| place(one)).collect();
    assert!(undecided.iter().all(|one| !told.contains(place(one).trim_end_matches(':'))), "{told:?} {undecided:?}");
}

/// Of what is found and open across switches, what stands on the chosen switches and ports and is of the chosen checks is reported.
#[rstest]
#[case::all(Selection::default(), true, true)]
#[case::its_switch(Selection { switch: Some(only("b")), ..Selection::default() }, true, true)]
#[case::another(Selection { switch: Some(only("c")), ..Selection::default() }, false, false)]
#[case::among(Selection { among: Some(["c".to_owned()].into()), ..Selection::default() }, false, false)]
#[case::its_port(Selection { port: Some(only("1.1")), ..Selection::default() }, true, false)]
#[case::another_port(Selection { port: Some(only("1.2")), ..Selection::default() }, false, false)]
#[case::its_check(Selection { only: vec!["dhcp-snooping/uplink-untrusted".into()], ..Selection::default() }, true, false)]
#[case::the_other(Selection { only: vec!["dhcp-snooping/no-path".into()], ..Selection::default() }, false, true)]
#[case::its_port_of_another_switch(Selection { switch: Some(only("c")), port: Some(only("1.1")), ..Selection::default() }, false, false)]
#[case::another_check_there(Selection { switch: Some(only("b")), only: vec!["port".into()], ..Selection::default() }, false, false)]
fn what_is_chosen_is_reported(#[case] selection: Selection, #[case] found: bool, #[case] open: bool) {
    let of = |changes: &[&str]| told(&doubted_of(changes, &selection));
    let (wrong, _) = of(&["-b socket 1.1: dhcp believed"]);
    assert_eq!(wrong.contains("dhcp-snooping/uplink-untrusted b 1.1"), found, "{wrong:?}");
    let (_, undecided) = of(&["+b socket 1.1: dhcp beleived"]);
    let is_open = undecided.contains("dhcp-snooping/no-path b: lines that are understood");
    assert_eq!(is_open, open, "{undecided:?}");
}

fn only(name: &str) -> GlobMatcher {
    Glob::new(name).unwrap().compile_matcher()
}

/// Entries of the policy that nothing in the fleet answers to, each in its words.
#[rstest]
#[case::a_role("[[role]]\nname = \"ghost\"\nfaces = \"host\"\nvlans = [777]\n", "no port has the role ghost")]
#[case::a_mirror(
    "[[mirror]]\nswitch = \"a\"\nsources = [\"1.1 both\"]\ntarget = \"1.4\"\nreason = \"x\"\nowner = \"y\"\nlast-day = \"2031-12-31\"\n",
    "no mirror session is what this entry of the register agrees to: a onto 1.4"
)]
#[case::an_end(
    "[[link]]\na = { switch = \"a\", port = \"9.9\" }\nb = { switch = \"b\", port = \"1.4\" }\n",
    "this link ends at a 9.9, which is no port of the fleet"
)]
fn entries_that_nothing_answers_to(#[case] entry: &str, #[case] words: &str) {
    let unused = |extra: &str| {
        let outcome = outcome(extra, &[], &[], &shingle_without(&[]));
        let unused = outcome.findings.into_iter().filter(|f| f.check == "config/policy-unused");
        unused.map(|f| f.message).collect::<Vec<_>>()
    };
    assert!(!unused(LINKS).iter().any(|told| told == words));
    assert!(unused(&format!("{LINKS}{entry}")).iter().any(|told| told == words), "{:?}", unused(entry));
}

/// What is found across switches: check, switch and port, VLAN; then what could not be decided.
fn judged(extra: &str, changes: &[&str], states: &[(&str, &str)]) -> (BTreeSet<String>, BTreeSet<String>) {
    told(&outcome(extra, changes, states, &shingle_without(&[])))
}

fn told(outcome: &FleetOutcome) -> (BTreeSet<String>, BTreeSet<String>) {
    let told = outcome.findings.iter().map(|f| {
        assert!(!f.evidence.is_empty(), "{} without evidence", f.check);
        assert!(!f.message.contains('{') && !f.remedy.contains('{'), "{}: {} {}", f.check, f.message, f.remedy);
        let vlan = f.vlan.map(|v| format!(" {v}")).unwrap_or_default();
        let place = [f.switch.as_deref(), f.port.as_deref()].into_iter().flatten().collect::<Vec<_>>().join(" ");
        format!("{} {place}{vlan}", f.check)
    });
    let open = outcome.undetermined.iter().map(|(check, _, place, needs)| format!("{check} {}: {needs}", place.switch));
    (told.collect(), open.collect())
}

/// What the change is, the change, what is found.
#[rustfmt::skip]
const CHANGES: &[(&str, &[&str], &[&str])] = &[
    ("right", &[], &[]),
    ("mode", &["-b socket 1.1: carries bundle", "+b socket 1.1: carries single", "+b socket 1.1: home lane 999"],
    &["port/peer-mismatch a 1.2", "dhcp-snooping/no-path b 110", "dhcp-snooping/no-path c 110", "dhcp-snooping/trust-needless b 1.1", "dhcp-snooping/trust-needless c 1.1", "multicast/querier-missing  110", "multicast/querier-missing  140"]),
    ("native", &["+c socket 1.1: bare lane 110"], &["port/peer-mismatch b 1.2"]),
    ("tagged", &["+c socket 1.1: bundle lanes less 140"], &["port/peer-mismatch b 1.2"]),
    ("mtu", &["+c socket 1.1: frames up-to 9000"], &["port/peer-mismatch b 1.2"]),
    ("pinned", &["+b socket 1.3: crowd kept 02:00:5e:10:00:01", "+c socket 1.3: crowd kept 02:00:5e:10:00:01"], &["port-security/pinned-twice b 1.3"]),
    ("pinned_elsewhere", &["+b socket 1.3: crowd kept 02:00:5e:10:00:01", "+c socket 1.3: crowd kept 02:00:5e:10:00:01 lane 140"], &[]),
    ("untrusted_middle", &["-b socket 1.1: dhcp believed"], &["dhcp-snooping/uplink-untrusted b 1.1", "dhcp-snooping/no-path b 110", "dhcp-snooping/no-path c 110"]),
    ("untrusted_end", &["-c socket 1.1: dhcp believed"], &["dhcp-snooping/uplink-untrusted c 1.1", "dhcp-snooping/no-path c 110"]),
    ("untrusted_server", &["-a socket 1.1: dhcp believed"], &["dhcp-snooping/uplink-untrusted a 1.1", "dhcp-snooping/no-path a 110", "dhcp-snooping/no-path b 110", "dhcp-snooping/no-path c 110"]),
    ("not_snooped", &["-c socket 1.1: dhcp believed", "-c top: dhcp watch lanes 110,140", "-c top: dhcp watch"], &[]),
    ("needless", &["+b socket 1.2: dhcp believed"], &["dhcp-snooping/trust-needless b 1.2"]),
    ("refused", &["-c top: dhcp watch tag keep", "+c top: dhcp watch tag insert"], &["dhcp-snooping/relay-info-refused b 1.2"]),
    ("accepted", &["-c top: dhcp watch tag keep", "+c top: dhcp watch tag insert", "+b socket 1.2: dhcp tag admitted"], &[]),
    ("inspection", &["-c socket 1.1: arp believed"], &["arp-inspection/uplink-untrusted c 1.1"]),
    ("nobody_asks", &["-a lane 110: asks"], &["multicast/querier-missing  110"]),
    // No edge port is in VLAN 140: its streams only pass.
    ("nobody_asks_on_the_way", &["-a lane 140: asks"], &["multicast/querier-missing  140"]),
    ("not_snooped_on_the_way", &["-a lane 140: asks", "-a top: choir watch lanes 110,140", "+a top: choir watch lanes 110", "-b top: choir watch lanes 110,140", "+b top: choir watch lanes 110", "-c top: choir watch lanes 110,140", "+c top: choir watch lanes 110"], &[]),
    ("snooped_and_nowhere_carried", &["+b top: choir watch lanes 150"], &[]),
    ("a_vlan_with_nobody_in_it", &["+b top: choir watch lanes 999", "+b top: lane 999", "-b socket 1.1: bundle lanes 110,140", "+b socket 1.1: bundle lanes 110,140,999", "-a socket 1.2: bundle lanes 110,140", "+a socket 1.2: bundle lanes 110,140,999"], &[]),
    ("two_ask_on_the_way", &["+c lane 140: asks", "+c lane 140: asks from 192.0.2.9"], &["multicast/querier-many  140"]),
    ("two_ask", &["+c lane 110: asks", "+c lane 110: asks from 192.0.2.9"], &["multicast/querier-many  110"]),
    ("two_minds", &["+c lane 110: asks", "+c lane 110: asks from 192.0.2.9", "+c lane 110: asks every 60"], &["multicast/querier-many  110", "multicast/querier-settings c 110"]),
    ("one_ended", &["-c socket 1.1: two-way watch close"], &["unidirectional/one-ended c 1.1"]),
    ("no_detection", &["-c socket 1.1: two-way watch close", "-b socket 1.2: two-way watch close"], &["unidirectional/off c 1.1", "unidirectional/off b 1.2"]),
    ("copper", &["-c socket 1.1: two-way watch close", "-b socket 1.2: two-way watch close", "+c socket 1.1: made of copper", "+b socket 1.2: made of copper"], &[]),
    ("slow", &["-c socket 1.1: two-way watch every 1", "+c socket 1.1: two-way watch every 12"], &["unidirectional/too-slow c 1.1"]),
    // At unlike ends the quicker protocol counts; the classic one alone leaves 50 s.
    ("unlike", &["-c top: tree kind young", "-c socket 1.1: two-way watch every 1", "+c socket 1.1: two-way watch every 12"], &["unidirectional/too-slow c 1.1"]),
    ("classic", &["-c top: tree kind young", "-b top: tree kind young", "-c socket 1.1: two-way watch every 1", "+c socket 1.1: two-way watch every 16"], &[]),
];

#[test]
fn one_change_at_a_time() {
    for (name, changes, expected) in CHANGES {
        let (told, open) = judged(LINKS, changes, &[]);
        let expected: BTreeSet<String> = expected.iter().map(|e| (*e).to_owned()).collect();
        assert_eq!(told, expected, "{name}");
        assert!(open.is_empty(), "{name}: {open:?}");
    }
}

/// What the findings say, word for word, and what is missing where neither the policy nor a neighbour tells of a cable: `data/across.txt`,
/// to be read by a person whenever it changes.
#[test]
fn what_every_change_says() {
    let mut text = String::new();
    for (name, changes, _) in CHANGES {
        let told = outcome(LINKS, changes, &[], &shingle_without(&[]));
        writeln!(text, "{name}: {}", changes.join("; ")).unwrap();
        told.findings.iter().for_each(|finding| write!(text, "  {}", shown(finding)).unwrap());
        let unlinked = outcome("", changes, &[], &shingle_without(&[]));
        for (check, level, place, needs) in unlinked.undetermined.iter() {
            let place =
                [Some(&*place.switch), place.port.as_deref()].into_iter().flatten().collect::<Vec<_>>().join(" ");
            writeln!(text, "  without cables {} {check} {place} open: needs {needs}", level.word()).unwrap();
        }
    }
    compare("crates/yellowlegs-core/tests/data/across.txt", &text);
}

/// Switch c puts relay information in; what nobody knows of the next switch's port keeps open whether it is refused there.
#[rstest]
#[case::known(&[], &["dhcp-snooping/relay-info-refused b 1.2"], &[])]
#[case::accepted(&["dhcp-snooping.relay-info-accepted"], &[], &["b: dhcp-snooping.relay-info-accepted"])]
#[case::trusted(&["dhcp-snooping.trusted"], &[], &["b: dhcp-snooping.trusted"])]
#[case::put_in(&["dhcp-snooping.relay-info"], &["dhcp-snooping/relay-info-refused b 1.2"], &["b: dhcp-snooping.relay-info"])]
fn relay_information_refused(#[case] unknown: &[&str], #[case] found: &[&str], #[case] open: &[&str]) {
    let mut changes = vec!["-c top: dhcp watch tag keep", "+c top: dhcp watch tag insert"];
    changes.extend(unknown.contains(&"dhcp-snooping.relay-info").then_some("-b top: dhcp watch tag keep"));
    let told = told(&outcome(LINKS, &changes, &[], &shingle_without(unknown)));
    let about = |all: BTreeSet<String>| -> Vec<String> {
        all.into_iter().filter(|one| one.contains("relay-info-refused")).collect()
    };
    assert_eq!(about(told.0), found);
    assert_eq!(
        about(told.1),
        open.iter().map(|at| format!("dhcp-snooping/relay-info-refused {at}")).collect::<Vec<_>>()
    );
}

/// Neighbours that announce themselves are links too; without any nothing passes that hangs on them.
#[test]
fn links_come_from_the_policy_or_from_neighbours() {
    let hears = |port: &str, name: &str, theirs: &str| {
        format!("socket {port} hears\n  name: {name}\n  on: {theirs}\n  can: B\n")
    };
    let (b, c) = (hears("1.1", "a", "1.2"), hears("1.1", "b", "1.2"));
    let states = [("b", b.as_str()), ("c", c.as_str())];
    let (told, open) = judged("", &["-c socket 1.1: dhcp believed"], &states);
    assert!(told.contains("dhcp-snooping/uplink-untrusted c 1.1"), "{told:?}");
    assert!(open.is_empty(), "{open:?}");
    let (told, open) = judged("", &["-c socket 1.1: dhcp believed"], &[]);
    assert!(told.is_empty(), "{told:?}");
    let wanted = ["dhcp-snooping/no-path c: links", "multicast/querier-missing b: links"];
    assert!(wanted.iter().all(|line| open.contains(*line)), "{open:?}");
}

/// What the site wants of its queriers, beyond how often they ask.
#[rstest]
#[case::as_wanted("response-interval = 10\nrobustness = 2", &[], &[])]
#[case::slow_answers("response-interval = 5", &[], &["VLAN 110 has vlan.response-interval 10; the site wants 5", "VLAN 140 has vlan.response"])]
#[case::robust("robustness = 3", &[], &["VLAN 110 has vlan.robustness 2; the site wants 3: a membership ends after 260 s", "VLAN 140 has"])]
#[case::two_that_differ(
    "", &["+c lane 110: asks", "+c lane 110: asks from 192.0.2.9", "+c lane 110: robust 3"],
    &["vlan.robustness 3; that of a has 2: a membership ends after 385 s"])]
fn what_queriers_ask_by(#[case] site: &str, #[case] changes: &[&str], #[case] expected: &[&str]) {
    let policy = POLICY.replacen("[site]\n", &format!("[site]\n{site}\n"), 1);
    let found = outcome_of(&policy, LINKS, changes, &[], &shingle_without(&[])).findings;
    let told: Vec<&str> =
        found.iter().filter(|f| f.check == "multicast/querier-settings").map(|f| f.message.as_str()).collect();
    assert_eq!(told.len(), expected.len(), "{told:?}");
    for words in expected {
        assert!(told.iter().any(|message| message.contains(words)), "{words}: {told:?}");
    }
}

/// What is outside a cable is what the port's role faces, or the list is wrong. c 1.1 is for a bridge.
#[rstest]
#[case::fits("bridge", false)]
#[case::routes("router", false)]
#[case::a_phone("phone", true)]
#[case::a_host("host", true)]
fn what_is_outside_fits_the_role(#[case] is: &str, #[case] wrong: bool) {
    let link = format!("[[link]]\na = {{ switch = 'c', port = '1.1' }}\nb = {{ outside = 'ring', faces = '{is}' }}\n");
    let (policy, as_of, selection) = (policy(&format!("{POLICY}{link}")), as_of(), Selection::default());
    let source = Arc::new(Source::of("c/config.txt", "sockets 1.1..1.2\n"));
    let resolved = resolve_with("c", &shingle_without(&[]), source, &State::default());
    let found = Judge::new(&policy, &as_of, &selection, false).switch(&resolved, resolved.lists()).outcome.findings;
    let told: Vec<String> =
        found.iter().filter(|f| f.check == "port/role-mismatch").map(|f| f.message.clone()).collect();
    assert_eq!(told.len(), usize::from(wrong), "{told:?}");
    let what = if is == "host" { "a station" } else { "a phone" };
    let says = format!("the link to ring says that it is {what}; role");
    assert!(told.iter().all(|told| told.contains(&says) && told.contains("bridge-up")), "{told:?}");
}

/// A cable that ends outside the fleet: what is there is known and foreign. `c` hangs on such a cable alone.
#[rstest]
#[case::nobody_knows("", &["multicast/querier-missing c: links", "dhcp-snooping/no-path c: links"], &[])]
#[case::nobody_says_who_asks("outside = 'ring'", &["multicast/querier-missing c: links"], &["dhcp-snooping/no-path c 110"])]
#[case::it_asks("outside = 'ring', queriers = [110, 140]", &[], &["dhcp-snooping/no-path c 110"])]
#[case::it_asks_in_one("outside = 'ring', queriers = [140]", &[], &["multicast/querier-missing  110"])]
#[case::it_asks_in_none("outside = 'ring', queriers = []", &[], &["multicast/querier-missing  110"])]
#[case::the_vlan_ends_there("outside = 'ring', vlans = [140]", &[], &["multicast/querier-missing  110"])]
#[case::it_asks_where_nothing_goes("outside = 'ring', vlans = [140], queriers = [110]", &[], &["multicast/querier-missing  110"])]
fn outside_the_fleet(#[case] end: &str, #[case] open: &[&str], #[case] found: &[&str]) {
    let first = LINKS.split("[[link]]").nth(1).unwrap();
    let outside = if end.is_empty() {
        String::new()
    } else {
        format!("[[link]]\na = {{ switch = 'c', port = '1.1' }}\nb = {{ {end} }}\n")
    };
    let links = format!("[[link]]{first}{outside}");
    let (told, undecided) = judged(&links, &[], &[]);
    let about = |line: &&String| line.contains(" c:") && (line.contains("querier-missing") || line.contains("no-path"));
    assert_eq!(
        undecided.iter().filter(about).map(String::as_str).collect::<BTreeSet<_>>(),
        open.iter().copied().collect()
    );
    for line in found {
        assert!(told.contains(*line), "{line}: {told:?}");
    }
    if open.is_empty() && found.len() == 1 && found[0].starts_with("dhcp") {
        assert!(!told.iter().any(|line| line.contains("querier-missing")), "{told:?}");
    }
}

/// What differs is told with both values, the ports and the lines.
#[rstest]
#[case::of_the_switch("b", &["+c top: larder 200W"], "c", "power.budget is 200 W; b has 370 W", &["larder 200W", "370W"])]
#[case::of_a_role("b", &["+c socket 1.4: crowd watch"], "c", "port-security.enabled is true on 1.4, role spare; b has false on 1.4", &["crowd watch"])]
#[case::that_the_other_has_besides("c", &["+c socket 1.4: crowd watch"], "b", "port-security.enabled is false on 1.4, role spare; c has true on 1.4", &["crowd watch"])]
fn a_drift_shows_both_sides(
    #[case] base: &str,
    #[case] changes: &[&str],
    #[case] on: &str,
    #[case] says: &str,
    #[case] lines: &[&str],
) {
    let sisters = format!("{LINKS}[[sisters]]\nswitches = ['b', 'c']\nbaseline = '{base}'\n");
    let found = outcome(&sisters, changes, &[], &shingle_without(&[])).findings;
    let drift: Vec<_> = found.iter().filter(|f| f.check == "config/drift" && f.message == says).collect();
    let told: Vec<_> = found.iter().map(|f| &f.message).collect();
    let [drift] = drift[..] else { panic!("{told:?}") };
    assert_eq!(drift.switch.as_deref(), Some(on));
    let quoted = |words: &str| drift.evidence.iter().any(|line| line.text.contains(words));
    assert!(lines.iter().all(|words| quoted(words)), "{:?}", drift.evidence);
    assert_eq!(drift.related.iter().map(|place| &*place.switch).collect::<Vec<_>>(), [base]);
}

/// A check that is off for the role of a port is not left open there.
#[rstest]
#[case("", true)]
#[case("\"up:unidirectional/off\" = \"off\"\n\"down:unidirectional/off\" = \"off\"\n", false)]
fn what_is_off_for_a_role_is_not_open(#[case] levels: &str, #[case] open: bool) {
    let changes = [
        "-c socket 1.1: two-way watch close",
        "-b socket 1.2: two-way watch close",
        "-c socket 1.1: made of glass",
        "-b socket 1.2: made of glass",
    ];
    let text = format!("{LINKS}[levels]\n{levels}");
    let (_, undecided) = told(&outcome(&text, &changes, &[], &shingle_without(&["port.media"])));
    assert_eq!(undecided.iter().any(|line| line.starts_with("unidirectional/off")), open, "{undecided:?}");
}

/// Among the lines of other stations that of the station itself is quoted, on both ports, whether pinned or written.
#[rstest]
#[case::pinned("kept", "port-security.pinned-stations")]
#[case::written("resident", "port-security.written-stations")]
fn a_pin_is_told_by_its_own_line(#[case] word: &str, #[case] setting: &str) {
    let line = |switch: &str, station: u32| format!("+{switch} socket 1.3: crowd {word} 02:00:5e:10:00:0{station}");
    let changes: Vec<String> = (1..4).map(|n| line("b", n)).chain((3..7).map(|n| line("c", n))).collect();
    let changes: Vec<&str> = changes.iter().map(String::as_str).collect();
    let outcome = outcome(LINKS, &changes, &[], &shingle_without(&[]));
    let twice: Vec<_> = outcome.findings.iter().filter(|f| f.check == "port-security/pinned-twice").collect();
    assert_eq!(twice.len(), 1);
    let words: Vec<&str> = twice[0].evidence.iter().map(|line| line.text.trim()).collect();
    let own = format!("crowd {word} 02:00:5e:10:00:03");
    assert_eq!(words.iter().filter(|words| ***words == own).count(), 2, "{words:?}");
    assert!(words.iter().all(|words| !words.contains("crowd") || **words == own), "{words:?}");
    assert_eq!(twice[0].settings.iter().map(|s| s.name).collect::<Vec<_>>(), [setting]);
}

/// The pin where the station is not heard is the one that was left behind.
#[test]
fn a_station_that_moved() {
    let changes = ["+b socket 1.3: crowd kept 02:00:5e:10:00:01", "+c socket 1.3: crowd kept 02:00:5e:10:00:01"];
    let table = "Lane  Station            Socket  Kept  Silent for\n110   02:00:5e:10:00:01  1.3     kept  12s\n";
    let (told, _) = judged(LINKS, &changes, &[("b", table)]);
    assert_eq!(told, ["port-security/pinned-twice c 1.3".to_owned()].into());
    // Another that is heard on the port of the pin that was left does not make it the place of this one.
    let other = "Lane  Station            Socket  Kept  Silent for\n110   02:00:5e:10:00:02  1.3     no  12s\n";
    for (of_b, of_c, left) in [(table, other, "c"), (other, table, "b"), (other, other, "b"), (table, table, "b")] {
        let (told, _) = judged(LINKS, &changes, &[("b", of_b), ("c", of_c)]);
        let twice: Vec<_> = told.iter().filter(|line| line.starts_with("port-security/pinned-twice")).collect();
        assert_eq!(twice, [&format!("port-security/pinned-twice {left} 1.3")]);
    }
}

#[rstest]
#[case::alike("", &["+b top: tree kind young", "+c top: tree kind young"], &[])]
#[case::switch_wide("", &["+c top: larder 200W"], &["config/drift c"])]
#[case::of_a_role("", &["+c socket 1.3: crowd watch"], &["config/drift c"])]
#[case::excepted("except = ['power']", &["+c top: larder 200W"], &[])]
#[case::descriptions_are_their_own("", &["+c socket 1.3: note \"x\""], &[])]
#[case::taken_in("including = ['port.description']", &["+c socket 1.3: note \"x\""], &["config/drift c"])]
#[case::what_is_taken_in_is_not_all("including = ['port.description']", &["+c top: tree rank 4096"], &[])]
#[case::baseline("baseline = 'c'", &["+c top: larder 200W"], &["config/drift b"])]
fn sisters(#[case] group: &str, #[case] changes: &[&str], #[case] expected: &[&str]) {
    let (told, _) = judged(&format!("{LINKS}[[sisters]]\nswitches = ['b', 'c']\n{group}\n"), changes, &[]);
    let drift: BTreeSet<String> = told.into_iter().filter(|line| line.starts_with("config/drift")).collect();
    assert_eq!(drift, expected.iter().map(|e| (*e).to_owned()).collect());
}

/// A speed that state tells is nobody's doing, and no drift; one that is written is.
#[rstest]
#[case::seen("100M", &[], &[])]
#[case::written("1G", &["+c socket 1.3: pace 100M"], &["config/drift c"])]
fn what_state_tells_is_no_drift(#[case] seen: &str, #[case] changes: &[&str], #[case] expected: &[&str]) {
    let table = format!(
        "Socket  Line  Kept shut by  Since                Opens in  Pace\n1.3     up    nobody        2031-03-04 05:00:00  by hand   {seen}\n"
    );
    let tables = [("b", table.as_str())];
    let (told, _) = judged(&format!("{LINKS}[[sisters]]\nswitches = ['b', 'c']\n"), changes, &tables);
    let drift: BTreeSet<String> = told.into_iter().filter(|line| line.starts_with("config/drift")).collect();
    assert_eq!(drift, expected.iter().map(|e| (*e).to_owned()).collect());
}
