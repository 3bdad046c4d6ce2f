//! The machine against a real switch: generated configurations, generated frames, and for each which port got it with which tags.
//!
//! `cargo test -p yellowlegs-wire --features switch -- --nocapture`; it needs Debian's openvswitch-switch and the right to make network
//! namespaces. Where they cannot be made it says so and compares nothing; where they can, fewer than 10,000 frames are a failure.

mod config;
mod frames;

use std::path::Path;
use std::process::Command;

use config::{Config, PORTS};
use frames::{Hosts, octets};
use rand::SeedableRng;
use rand::rngs::SmallRng;
use serde_json::{Value, json};
use yellowlegs_core::drill::frame::{Frame, Payload};
use yellowlegs_core::drill::machine::{Arrival, Manner};
use yellowlegs_core::drill::{Asked, Machine};

const CONFIGS: u64 = 60;
const FRAMES: usize = 200;

/// What Open vSwitch shows of itself where the standards leave it free.
const OPEN_VSWITCH: Manner = Manner { copies_inside: true, left_groups_stay: true, one_router_list: true };

/// A port, from 1, and the tags.
type Came = (u64, Vec<u64>);

/// Plays a plan on the virtual switch; none: there can be none here.
fn play(plan: &Value) -> Option<Vec<Vec<Vec<Came>>>> {
    let folder = tempfile::tempdir().unwrap();
    let (ask, seen) = (folder.path().join("plan.json"), folder.path().join("seen.json"));
    std::fs::write(&ask, plan.to_string()).unwrap();
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("tools/virtual-switch");
    let told = Command::new(script).arg(&ask).arg(&seen).env("PORTS", PORTS.to_string()).output().unwrap();
    let errors = String::from_utf8_lossy(&told.stderr);
    if told.status.code() == Some(77) {
        eprintln!("NOTHING WAS COMPARED with a real switch: {}", errors.trim());
        return None;
    }
    assert!(told.status.success(), "{errors}");
    let seen: Value = serde_json::from_slice(&std::fs::read(&seen).unwrap()).unwrap();
    let list = |value: &Value| value.as_array().unwrap().clone();
    let came = |one: &Value| (one[0].as_u64().unwrap(), list(&one[1]).iter().map(|t| t.as_u64().unwrap()).collect());
    let frame = |frame: &Value| list(frame).iter().map(came).collect();
    Some(list(&seen).iter().map(|config| list(config).iter().map(frame).collect()).collect())
}

/// Where the machine sends a frame: ports and tags, copies too.
fn machine_sends(machine: &mut Machine<'_>, port: usize, frame: &Frame) -> Vec<Came> {
    let tags = |tags: &[u16]| tags.iter().map(|tag| u64::from(*tag)).collect::<Vec<_>>();
    let mut all: Vec<Came> = match machine.receive(port, frame).unwrap() {
        Arrival::Forwarded(_, to) => to.iter().map(|d| (d.port as u64 + 1, tags(&d.tags))).collect(),
        _ => Vec::new(),
    };
    all.extend(machine.take_copies().iter().map(|copy| (copy.to as u64 + 1, tags(&copy.tags))));
    all.sort();
    all
}

#[test]
fn the_machine_does_what_a_real_switch_does() {
    let mut plan = Vec::new();
    let mut expected: Vec<Vec<(String, Vec<Came>)>> = Vec::new();
    for seed in 0..CONFIGS {
        let mut rng = SmallRng::seed_from_u64(seed);
        let config = Config::generate(&mut rng);
        let switch = config.switch();
        let mut machine = Machine::new(Asked::new(&switch)).with_manner(OPEN_VSWITCH);
        (0..PORTS).for_each(|port| machine.settle(port));
        let mut hosts = Hosts::new(&config, &mut rng);
        let (mut sent, mut wanted) = (Vec::new(), Vec::new());
        for number in 0..FRAMES {
            let (port, frame) = hosts.next(&config, &mut rng);
            let goes = machine_sends(&mut machine, port, &frame);
            let hex = octets(&frame, number as u32);
            sent.push(json!({"port": port + 1, "hex": hex, "id": number, "expect": goes.len()}));
            wanted.push((format!("frame {number}, port {}: {frame} to {:?}", port + 1, frame.to), goes));
        }
        plan.push(json!({"commands": config.commands(), "frames": sent}));
        expected.push(wanted);
    }
    let Some(seen) = play(&json!(plan)) else { return };
    let (mut compared, mut heard, mut unlike) = (0, 0, Vec::new());
    for (number, (wanted, came)) in expected.iter().zip(&seen).enumerate() {
        for ((frame, goes), came) in wanted.iter().zip(came) {
            let mut came = came.clone();
            came.sort();
            compared += 1;
            heard += came.len();
            if came != *goes {
                unlike.push(format!("configuration {number}, {frame}: the machine {goes:?}, the switch {came:?}"));
            }
        }
    }
    let first: Vec<&String> = unlike.iter().take(20).collect();
    assert!(unlike.is_empty(), "{} of {compared} frames: {first:#?}", unlike.len());
    println!(
        "{compared} frames over {} configurations, {heard} arrivals: the machine and the switch agree",
        seen.len()
    );
    assert!(compared >= 10_000 && seen.len() >= 50 && heard >= 10_000, "only {compared} frames, {heard} arrivals");
}

/// The rapid tree towards hosts: an edge by its settings, one that is detected, one that waits; and a port without a tree. Frames go in
/// every half second; they come out from the moment that the machine says, give or take one of them.
#[test]
fn ports_open_when_a_real_switch_opens_them() {
    const DELAY: u64 = 4;
    let kinds: [(&str, &str, &str, bool); 4] = [
        ("rstp-port-admin-edge=true", "edge", "no", true),
        ("rstp-port-admin-edge=false rstp-port-auto-edge=true", "off", "yes", true),
        ("rstp-port-admin-edge=false rstp-port-auto-edge=false", "off", "no", true),
        ("rstp-enable=false", "off", "no", false),
    ];
    let mut commands = vec!["add-br br0".to_owned()];
    let set = format!("other_config:rstp-forward-delay={DELAY} other_config:rstp-max-age=6");
    commands.push("set bridge br0 datapath_type=netdev".to_owned());
    commands.extend((1..=PORTS).map(|port| format!("add-port br0 p{port}")));
    commands.push(format!("set bridge br0 rstp_enable=true {set}"));
    for (port, (words, ..)) in kinds.iter().enumerate() {
        let words: Vec<String> = words.split(' ').map(|word| format!("other_config:{word}")).collect();
        commands.push(format!("set port p{} {}", port + 1, words.join(" ")));
    }
    // The fifth listens: no tree runs on it.
    commands.push("set port p5 other_config:rstp-enable=false".to_owned());
    let mut sent = Vec::new();
    for step in 0..22_u32 {
        for port in 0..kinds.len() {
            let number = sent.len() as u32;
            let frame = Frame::to_all(frames::host(port, 1), Payload::Plain);
            let hex = octets(&frame, number);
            let at = 0.3 + f64::from(step) * 0.5;
            sent.push(json!({"port": port + 1, "hex": hex, "id": number, "expect": 0, "at": at}));
        }
    }
    let plan = json!([{"commands": commands, "plug": true, "frames": sent}]);
    // On a busy machine a frame comes too late, or not at all: what is unlike each time is unlike.
    let mut unlike = String::new();
    for _ in 0..3 {
        let Some(seen) = play(&plan) else { return };
        let through =
            |port: usize, step: u32| seen[0][step as usize * kinds.len() + port].iter().any(|(to, _)| *to == 5);
        let told = kinds.iter().enumerate().try_for_each(|(port, (words, fast_start, detected, tree))| {
            let switch = config::rapid(fast_start, detected, *tree, DELAY);
            let mut machine = Machine::new(Asked::new(&switch));
            machine.link_up(0).unwrap();
            let expected = std::time::Duration::from_millis(machine.opens_at(0).unwrap()).as_secs_f64();
            let first = (0..22).find(|step| through(port, *step));
            let came = first.map(|step| 0.3 + f64::from(step) * 0.5);
            let came = came.ok_or_else(|| format!("{words}: never opens; the machine says after {expected} s"))?;
            println!("{words}: the machine opens after {expected} s, the first frame came through at {came} s");
            // Its clock ticks once a second, frames go in twice.
            if !(-0.5..=2.0).contains(&(came - expected)) {
                return Err(format!("{words}: {came} s, and the machine says {expected} s"));
            }
            let stays = (0..22).skip_while(|step| !through(port, *step)).all(|step| through(port, step));
            if stays { Ok(()) } else { Err(format!("{words}: it closes again")) }
        });
        match told {
            Ok(()) => return,
            Err(told) => unlike = told,
        }
    }
    panic!("{unlike}");
}
