//! What happens on switches that nobody arranged goes on happening: some settings of the right fleet are others, and two dozen things
//! happen at its ports: frames of every kind, plugs, wires, restarts, time. Of each story a mark of every word and of every expectation
//! is kept. A change of the program that is to change nothing leaves the page alone; `YELLOWLEGS_RENEW=1` writes it anew.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use proptest::prelude::*;
use proptest::sample::select;
use proptest::strategy::ValueTree;
use proptest::test_runner::{Config, RngSeed, TestRunner};
use yellowlegs_core::drill::script::{Script, play};
use yellowlegs_core::resolve::Resolved;
use yellowlegs_core::source::Source;

use super::generated::{Step, after, bare_records, fleet, steps};
use super::support::{compare, mark};

const CASES: usize = 900;

/// Stations, one of which cannot show who it is; steps follow.
const HEAD: &str = r#"
[drill]
name = "as it comes"
lease = "600s"
[stations]
one = "02:00:5e:10:00:01"
two = "02:00:5e:10:00:02"
phone = "02:00:5e:20:00:01"
low = "02:00:00:00:00:01"
odd = "strange 02:00:5e:10:00:09"
"#;

const STATIONS: [&str; 5] = ["one", "two", "phone", "low", "odd"];

const PORTS: [(&str, &str); 11] = [
    ("edge", "1.1"),
    ("edge", "1.2"),
    ("edge", "1.3"),
    ("edge", "1.4"),
    ("edge", "1.5"),
    ("edge", "1.6"),
    ("edge", "1.7"),
    ("core", "1.1"),
    ("core", "1.2"),
    ("core", "1.3"),
    ("core", "1.4"),
];

/// Seconds and parts of one until the next thing happens: hello times, timers of groups, leases, ages.
const PAUSES: [u64; 10] = [0, 10, 200, 1000, 2000, 5000, 12_000, 35_000, 130_000, 620_000];

const GROUPS: [&str; 3] = ["233.252.0.1", "233.252.0.2", "233.252.0.3"];

/// The keys of a frame.
fn frame() -> impl Strategy<Value = String> {
    let from = || select(&STATIONS[..]);
    let ip = select(&["192.0.2.10", "192.0.2.11", "192.0.2.250", "0.0.0.0"][..]);
    let of_address = select(
        &[
            "arp",
            "packet",
            "dhcp-discover",
            "dhcp-offer",
            "dhcp-request",
            "dhcp-ack",
            "dhcp-ack",
            "dhcp-nak",
            "dhcp-release",
            "dhcp-decline",
        ][..],
    );
    let addressed =
        (of_address, from(), from(), ip, prop_oneof![Just("all"), from()]).prop_map(|(send, from, client, ip, to)| {
            format!(r#"send = "{send}", from = "{from}", client = "{client}", ip = "{ip}", to = "{to}""#)
        });
    let group = (select(&["igmp-report", "igmp-report", "igmp-leave", "igmp-query"][..]), from(), select(&GROUPS[..]))
        .prop_map(|(send, from, group)| format!(r#"send = "{send}", from = "{from}", group = "{group}""#));
    let group6 =
        (select(&["mld-report", "mld-done", "mld-query"][..]), from(), select(&["ff35::8000:1", "ff35::8000:2"][..]))
            .prop_map(|(send, from, group)| format!(r#"send = "{send}", from = "{from}", group = "{group}""#));
    let stream = (from(), select(&GROUPS[..]))
        .prop_map(|(from, group)| format!(r#"send = "stream", from = "{from}", ip = "192.0.2.10", group = "{group}""#));
    let bpdu = (from(), prop_oneof![Just(None), Just(Some(0)), Just(Some(32768)), Just(Some(61440))]).prop_map(
        |(from, priority)| {
            let priority = priority.map(|p| format!(", priority = {p}")).unwrap_or_default();
            format!(r#"send = "bpdu", from = "{from}"{priority}"#)
        },
    );
    let plain = select(
        &[
            "plain",
            "plain",
            "superior-bpdu",
            "lldp",
            "igmp-query",
            "mld-query",
            "router-advertisement",
            "dhcpv6-answer",
        ][..],
    );
    let plain = (plain, from(), prop_oneof![Just("all"), from()])
        .prop_map(|(send, from, to)| format!(r#"send = "{send}", from = "{from}", to = "{to}""#));
    prop_oneof![5 => addressed, 3 => group, 1 => group6, 2 => stream, 1 => bpdu, 3 => plain]
}

/// What a frame carries besides, and how often it comes.
fn sent() -> impl Strategy<Value = String> {
    let tags = select(&["", "", "", "", "", "", "", "110", "140", "210", "300", "999", "110, 140"][..]);
    let times = prop_oneof![
        6 => Just(String::new()),
        1 => Just(r#", count = 3, every = "10ms""#.to_owned()),
        1 => Just(r#", count = 40, every = "20ms""#.to_owned()),
        1 => Just(r#", count = 4, every = "40s""#.to_owned()),
    ];
    (frame(), tags, times).prop_map(|(frame, tags, times)| {
        let tags = if tags.is_empty() { String::new() } else { format!(", tags = [{tags}]") };
        format!(
            r#"{frame}{tags}{times}, expect = "let-in", heard-on = ["edge 1.1", "edge 1.4", "edge 1.6", "core 1.1"]"#
        )
    })
}

/// What happens at a port.
fn happens() -> impl Strategy<Value = String> {
    let wire = select(&PORTS[..]).prop_map(|(switch, port)| format!(r#"wire-to = "{switch} {port}""#));
    prop_oneof![
        30 => sent(),
        1 => Just(r#"link = "down""#.to_owned()),
        1 => Just(r#"link = "up""#.to_owned()),
        1 => wire,
        1 => Just(r#"strand = "fails""#.to_owned()),
        1 => Just(r#"clear = "bindings""#.to_owned()),
        1 => Just("restart = true".to_owned()),
        4 => Just(r#"port-is = "forwarding", cause = "storm""#.to_owned()),
    ]
}

/// The steps of a story, in the order of time. A story has few ports, so that what happens meets.
pub(super) fn story() -> impl Strategy<Value = String> {
    let places = proptest::collection::vec(select(&PORTS[..]), 2..5);
    let step = (any::<proptest::sample::Index>(), select(&PAUSES[..]), happens());
    (places, proptest::collection::vec(step, 12..30)).prop_map(|(places, steps)| {
        let (mut now, mut text) = (0, String::from("step = [\n"));
        // Into one of them something is plugged first; the others have forwarded for long.
        let (switch, port) = places[0];
        writeln!(text, r#"  {{ at = "0s", switch = "{switch}", port = "{port}", link = "up" }},"#).unwrap();
        for (place, pause, what) in &steps {
            let (switch, port) = place.get(&places);
            now += pause;
            writeln!(text, r#"  {{ at = "{now}ms", switch = "{switch}", port = "{port}", {what} }},"#).unwrap();
        }
        text + "]\n" + HEAD
    })
}

/// Settings and traits that are others.
pub(super) fn changed(steps: &[Vec<Step>; 3]) -> impl Strategy<Value = Vec<Step>> {
    let weak: Vec<Step> = steps[0].iter().filter(|step| step.weakens()).cloned().collect();
    let known: Vec<Step> = steps[0].iter().filter(|step| !step.is_unknown()).cloned().collect();
    let traits: Vec<Step> = steps[1].iter().filter(|step| !step.is_unknown()).cloned().collect();
    proptest::collection::vec(prop_oneof![6 => select(known), 3 => select(weak), 2 => select(traits)], 0..10)
}

/// A story played: a line of it for the page, how much it tells, and how many frames it saw stopped.
pub(super) fn played(number: u64, after: &BTreeMap<&str, Resolved>, story: &str) -> (String, usize, usize) {
    let script = Script::load(&Source::of("story.toml", story)).unwrap_or_else(|p| panic!("{p:?}\n{story}"));
    let switches = [&after["edge"].switch, &after["core"].switch];
    let ran = play(&script, &switches, &[((0, 6), (1, 1))]).unwrap_or_else(|p| panic!("{p:?}"));
    let (mut words, mut ways) = (String::new(), BTreeMap::<String, usize>::new());
    for line in &ran.story {
        let on = line.switch.as_deref().unwrap_or_default();
        let by = line.because.map(|because| format!(" [{} {}]", because.feature, because.setting.name()));
        writeln!(words, "{} {on} {} {}{}", line.at, line.port, line.words, by.unwrap_or_default()).unwrap();
    }
    for one in &ran.checked {
        let came = one.came.as_ref().map_or_else(|hang| format!("hangs on {}", hang.on), Clone::clone);
        let met = if one.met { "met" } else { "not met" };
        writeln!(words, "{} {} {came} {met}", one.at, one.expected).unwrap();
        *ways.entry(came.split(" on ").next().unwrap_or_default().to_owned()).or_default() += 1;
    }
    let stopped = ways.iter().filter(|(way, _)| way.starts_with("stopped")).map(|(_, count)| count).sum();
    let ways: Vec<String> = ways.iter().map(|(way, count)| format!("{count} {way}")).collect();
    let line = format!("{number}: {}, {} lines: {}\n", ways.join(", "), ran.story.len(), mark(&words));
    (line, ran.story.len(), stopped)
}

#[test]
fn what_happens_goes_on_happening() {
    let fleet = fleet();
    let (records, steps) = (bare_records(&fleet), steps(&fleet));
    let strategy = (changed(&steps), story());
    let config = Config { rng_seed: RngSeed::Fixed(11), failure_persistence: None, ..Config::default() };
    let mut runner = TestRunner::new(config);
    let drawn: Vec<_> = (0..CASES).map(|_| strategy.new_tree(&mut runner).unwrap().current()).enumerate().collect();
    let workers = std::thread::available_parallelism().map_or(1, usize::from);
    let told: Vec<_> = std::thread::scope(|scope| {
        let (fleet, records) = (&fleet, &records);
        let play = |(number, (steps, story)): &(usize, (Vec<Step>, String))| {
            after(fleet, records, steps).map(|after| played(*number as u64, &after, story))
        };
        let chunks = drawn.chunks(CASES.div_ceil(workers));
        let all: Vec<_> =
            chunks.map(|part| scope.spawn(move || part.iter().filter_map(play).collect::<Vec<_>>())).collect();
        all.into_iter().flat_map(|one| one.join().unwrap()).collect()
    });
    let (lines, stopped) = told.iter().fold((0, 0), |(lines, stopped), one| (lines + one.1, stopped + one.2));
    assert!(lines > 40_000 && stopped > 1500, "{lines} lines, {stopped} frames stopped");
    let page: String = told.into_iter().map(|one| one.0).collect();
    compare("crates/yellowlegs-core/tests/data/stories.txt", &page);
}
