//! Switches joined by wires: which port the tree keeps closed, what goes over a wire that somebody patches, and strands that fail.

use crate::support::bare::{at_work, named, station};
use rstest::rstest;
use serde_json::{Value, json};
use yellowlegs_core::drill::frame::{Frame, Payload};
use yellowlegs_core::drill::machine::{At, Net};
use yellowlegs_core::drill::{Asked, Machine};
use yellowlegs_core::model::{Cause, Switch, VlanId};

/// Switches by name, each with its priority and what its ports have.
fn switches(of: &[(&str, u32)], ports: &Value) -> Vec<Switch> {
    of.iter().map(|(name, rank)| named(name, ports, &json!({"spanning-tree.priority": rank}), &json!({}))).collect()
}

fn net<'a>(switches: &'a [Switch], wires: &[(At, At)]) -> Net<'a> {
    let mut net = Net::new(switches.iter().map(at_work).collect(), wires.iter().copied());
    net.settle_tree().unwrap();
    net
}

/// The ports of wires that do not forward, as `b 2`.
fn closed(net: &Net<'_>, wires: &[(At, At)]) -> Vec<String> {
    let ends = wires.iter().flat_map(|(a, b)| [*a, *b]);
    let shut = ends.filter(|at| !net.machine(at.0).unwrap().forwards(at.1));
    let name = |at: At| format!("{} {}", net.machine(at.0).unwrap().switch_name(), at.1 + 1);
    let mut shut: Vec<String> = shut.map(name).collect();
    shut.sort();
    shut
}

fn broadcast() -> Frame {
    Frame::to_all(station(1), Payload::Plain).tagged(VlanId::new(110).unwrap())
}

const TWO: &[(At, At)] = &[((0, 0), (1, 0)), ((0, 1), (1, 1))];
const CROSSED: &[(At, At)] = &[((0, 0), (1, 1)), ((0, 1), (1, 0))];
const RING: &[(At, At)] = &[((0, 0), (1, 0)), ((1, 1), (2, 0)), ((2, 1), (0, 1))];

/// IEEE 802.1Q, 13.9: the root by priority, then by address; the root port is the one towards the root's lower port; of the third
/// cable of a ring the end that ranks last is closed.
#[rstest]
#[case::two_cables(&[("a", 4096), ("b", 32768)], TWO, &["b 2"])]
#[case::the_other_is_the_root(&[("a", 32768), ("b", 4096)], TWO, &["a 2"])]
#[case::by_the_port_of_the_root(&[("a", 4096), ("b", 32768)], CROSSED, &["b 1"])]
#[case::a_ring(&[("a", 4096), ("b", 8192), ("c", 32768)], RING, &["c 1"])]
#[case::a_ring_the_other_way(&[("a", 4096), ("b", 32768), ("c", 8192)], RING, &["b 2"])]
#[case::the_root_in_the_middle(&[("a", 8192), ("b", 4096), ("c", 32768)], RING, &["c 2"])]
#[case::one_cable(&[("a", 4096), ("b", 32768)], &TWO[..1], &[])]
#[case::in_a_row(&[("a", 4096), ("b", 8192), ("c", 32768)], &RING[..2], &[])]
fn the_tree_closes(#[case] of: &[(&str, u32)], #[case] wires: &[(At, At)], #[case] expected: &[&str]) {
    let switches = switches(of, &json!({}));
    let mut net = net(&switches, wires);
    assert_eq!(closed(&net, wires), expected);
    let trip = net.send((0, 2), &broadcast()).unwrap();
    assert!(!trip.circles);
    // Everybody else hears it once, on the port that leads to nobody.
    assert_eq!(trip.heard.iter().filter(|(at, _)| at.1 == 2).count(), of.len() - 1);
}

/// A cable that is pulled, or whose end is held, is none: the other one opens, after its wait, and closes again.
#[rstest]
#[case::at_once("rapid", 0)]
#[case::after_its_wait("classic", 30_000)]
fn a_cable_that_is_pulled_opens_the_other(#[case] protocol: &str, #[case] millis: u64) {
    let of = |name, rank: u32| {
        named(
            name,
            &json!({}),
            &json!({"spanning-tree.priority": rank, "spanning-tree.protocol": protocol}),
            &json!({}),
        )
    };
    let switches = [of("a", 4096), of("b", 32768)];
    let mut net = net(&switches, TWO);
    net.pull((0, 0)).unwrap();
    if millis > 0 {
        net.pass(millis - 1).unwrap();
        assert_eq!(closed(&net, TWO), ["a 1", "b 1", "b 2"], "not a millisecond earlier");
        net.pass(1).unwrap();
    }
    assert_eq!(closed(&net, TWO), ["a 1", "b 1"]);
    net.plug((0, 0)).unwrap();
    net.pass(60_000).unwrap();
    assert_eq!(closed(&net, TWO), ["b 2"]);
}

/// Where an end is deaf, or runs no tree, nobody sees the ring.
#[rstest]
#[case::filtered(json!({"guard.bpdu-filter": true}), true)]
#[case::no_tree(json!({"spanning-tree.port-enabled": false}), true)]
#[case::a_filter_that_ends(json!({"guard.bpdu-filter": {"value": true, "origin": "global"}}), false)]
#[case::right(json!({}), false)]
fn a_ring_that_nobody_sees(#[case] ports: Value, #[case] circles: bool) {
    let switches = switches(&[("a", 4096), ("b", 32768)], &ports);
    let mut net = net(&switches, TWO);
    assert_eq!(closed(&net, TWO).is_empty(), circles);
    assert_eq!(net.send((0, 2), &broadcast()).unwrap().circles, circles);
}

/// Somebody joins two sockets: the first BPDU trips a guard, else the tree closes an end; where neither hears one a probe ends it.
#[rstest]
#[case::guarded(json!({"guard.bpdu": true, "fast-start.mode": "edge"}), Some(Cause::EdgeBpdu), 2)]
#[case::the_tree(json!({"fast-start.mode": "edge"}), None, 2)]
#[case::a_probe(json!({"spanning-tree.port-enabled": false, "guard.loop-detection": true}), Some(Cause::LoopDetection), 5)]
fn a_wire_that_is_patched(#[case] ports: Value, #[case] cause: Option<Cause>, #[case] seconds: u64) {
    let switches = switches(&[("a", 4096), ("b", 32768)], &ports);
    let mut net = net(&switches, &TWO[..1]);
    net.patch((0, 1), (1, 1)).unwrap();
    net.pass(seconds * 1000 - 1).unwrap();
    assert!(net.send((0, 2), &broadcast()).unwrap().circles, "until then it circles");
    net.pass(1).unwrap();
    let held: Vec<_> = (0..2).filter_map(|n| net.machine(n).unwrap().held_by(1)).collect();
    assert_eq!(held.first().copied(), cause);
    assert!(!net.send((0, 2), &broadcast()).unwrap().circles);
}

/// Probes that find nothing rest until a plug moves.
#[test]
fn probes_find_a_ring_that_is_closed_later() {
    let ports = json!({"spanning-tree.port-enabled": false, "guard.loop-detection": true});
    let switches = switches(&[("a", 4096), ("b", 32768)], &ports);
    let mut net = net(&switches, &TWO[..1]);
    net.pull((0, 0)).unwrap();
    net.patch((0, 1), (1, 1)).unwrap();
    net.pass(600_000).unwrap();
    let held = |net: &Net<'_>| {
        (0..2)
            .flat_map(|n| (0..3).map(move |p| (n, p)))
            .filter(|at| net.machine(at.0).unwrap().held_by(at.1).is_some())
            .count()
    };
    assert_eq!(held(&net), 0);
    net.plug((0, 0)).unwrap();
    net.pass(4_999).unwrap();
    assert_eq!(held(&net), 0);
    net.pass(1).unwrap();
    assert_eq!(held(&net), 1);
}

/// One strand of a fibre fails at b: detection at both ends, in three intervals; the deaf end acts in the strict mode alone.
#[rstest]
#[case::neither("off", "off", None, None, 0)]
#[case::one_ended("disable-port", "off", None, None, 0)]
#[case::the_other_end("off", "disable-port", None, None, 0)]
#[case::the_end_that_hears("disable-port", "disable-port", Some("a"), Some(6), 1)]
#[case::reported("report-only", "report-only", None, None, 2)]
#[case::strict("report-only", "strict", Some("b"), Some(6), 0)]
fn a_strand_that_fails(
    #[case] at_a: &str,
    #[case] at_b: &str,
    #[case] down: Option<&str>,
    #[case] seconds: Option<u64>,
    #[case] reported: usize,
) {
    let side = |name: &str, mode: &str| {
        named(name, &json!({"unidirectional.mode": mode, "unidirectional.interval": 2}), &json!({}), &json!({}))
    };
    let switches = [side("a", at_a), side("b", at_b)];
    let mut net = net(&switches, &TWO[..1]);
    net.strand_fails((1, 0)).unwrap();
    let held = |net: &Net<'_>| -> Vec<String> {
        let cut = (0..2).filter(|n| net.machine(*n).unwrap().held_by(0) == Some(Cause::Unidirectional));
        cut.map(|n| net.machine(n).unwrap().switch_name().to_string()).collect()
    };
    if let Some(seconds) = seconds {
        net.pass(seconds * 1000 - 1).unwrap();
        assert_eq!(held(&net), [""; 0]);
        net.pass(1).unwrap();
    } else {
        net.pass(100_000).unwrap();
    }
    assert_eq!(held(&net), down.into_iter().collect::<Vec<_>>());
    // The end that went down takes the link from the other.
    assert_eq!(net.machine(0).unwrap().has_link(0) && net.machine(1).unwrap().has_link(0), down.is_none());
    let reports = net.story().iter().filter(|line| line.words == "reports a one-way link").count();
    assert_eq!(reports, reported);
}

/// The story is in the order of time, whoever tells it; the first switch's lines bear no name.
#[test]
fn the_story_of_a_net() {
    let switches = switches(&[("a", 4096), ("b", 32768)], &json!({}));
    let mut net =
        Net::new(switches.iter().map(|switch| Machine::new(Asked::new(switch))).collect(), TWO[..1].iter().copied());
    net.plug((0, 0)).unwrap();
    net.pass(3000).unwrap();
    net.pull((0, 0)).unwrap();
    let told: Vec<(u64, Option<String>)> =
        net.story().iter().map(|line| (line.at, line.switch.as_ref().map(ToString::to_string))).collect();
    assert!(told.windows(2).all(|pair| pair[0].0 <= pair[1].0), "{told:?}");
    assert!(
        told.contains(&(0, None)) && told.contains(&(0, Some("b".into()))) && told.contains(&(3000, Some("b".into())))
    );
}
