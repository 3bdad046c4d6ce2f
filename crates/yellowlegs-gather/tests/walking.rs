//! Agents of switches that are walked: what comes is what they have, and every trouble has its end.

use std::fs;
use std::path::Path;
use std::time::{Duration, Instant};

use crate::support::{PLAIN, config, gathered, played};
use rstest::rstest;
use yellowlegs_core::model::Oid;
use yellowlegs_core::source::Source;
use yellowlegs_core::walk::{self, Told, WalkedValue};
use yellowlegs_gather::credential::Credential;
use yellowlegs_gather::entries::{Cipher, Entry, Hash, Known};
use yellowlegs_gather::fault::{Fault, Step};
use yellowlegs_gather::run::Brought;
use yellowlegs_gather::stand_in::{Played, StandIns, Trouble};

/// An agent of a switch with so many ports.
fn objects(ports: u32) -> Told {
    let mut told = Told::new();
    let mut put = |oid: &str, value| _ = told.insert(Oid::parse(oid).unwrap(), value);
    put("1.3.6.1.2.1.1.2.0", WalkedValue::Oid(Oid::parse("1.3.6.1.4.1.32473.9").unwrap()));
    put("1.3.6.1.2.1.1.5.0", WalkedValue::Octets(b"pier \"one\"".to_vec()));
    put("1.3.6.1.2.1.1.3.0", WalkedValue::Ticks(4_294_967_295));
    for port in 1..=ports {
        put(&format!("1.3.6.1.2.1.2.2.1.2.{port}"), WalkedValue::Octets(format!("gap {port}").into_bytes()));
        put(&format!("1.3.6.1.2.1.2.2.1.3.{port}"), WalkedValue::Integer(6));
        put(&format!("1.3.6.1.2.1.2.2.1.7.{port}"), WalkedValue::Integer(i32::from(port % 2 == 0) + 1));
        put(&format!("1.3.6.1.2.1.31.1.1.1.15.{port}"), WalkedValue::Gauge(1000));
    }
    put("1.3.6.1.2.1.17.7.1.4.3.1.2.110", WalkedValue::Octets(vec![0xff, 0x00, 0x0a]));
    // What nobody asks for.
    put("1.3.6.1.6.3.18.1.1.1.2.1", WalkedValue::Octets(b"hunter2".to_vec()));
    told
}

fn walked(name: &str, trouble: Option<Trouble>) -> Played {
    Played { objects: objects(6), files: std::collections::BTreeMap::new(), ..played(name, PLAIN, "", trouble) }
}

fn asked(played: Played, root: &Path, change: impl Fn(&mut Entry)) -> Result<Brought, Fault> {
    let played = [played];
    let standing = StandIns::start(played.to_vec()).unwrap();
    gathered(&standing, &played, root, change).remove(0).result
}

fn text(root: &Path) -> String {
    fs::read_to_string(root.join("pier-1/agent.walk")).unwrap()
}

/// Of the parts that are read, every object; of others, none; and what was asked, counted.
#[test]
fn what_comes_is_what_the_agent_has() {
    let root = tempfile::tempdir().unwrap();
    let brought = asked(walked("pier-1", None), root.path(), |_| ()).unwrap();
    assert_eq!(brought.older, Vec::<String>::new());
    let text = text(root.path());
    let lines: Vec<&str> = text.lines().collect();
    assert_eq!(lines[0], "taken 2031-03-04T06:00:00Z");
    for (oid, value) in objects(6) {
        let is_read = walk::ROOTS.iter().any(|root| oid.arcs().starts_with(root));
        assert_eq!(lines.contains(&&*walk::line(oid.arcs(), &value)), is_read, "{oid}");
    }
    assert!(lines.contains(&"walked 1.3.6.1.2.1.2.2 18"), "{text}");
    let read = walk::read(&Source::of("agent.walk", text.as_str()), 0, None);
    assert!(read.missed.is_empty(), "{:?}", read.missed);
    assert_eq!(read.ports.len(), 6);
}

/// Texts and walk become one folder, or none.
#[test]
fn both_ways_fill_one_folder() {
    let both = || Played { objects: objects(3), ..played("pier-1", PLAIN, &config(3), None) };
    let root = tempfile::tempdir().unwrap();
    let brought = asked(both(), root.path(), |_| ()).unwrap();
    let names: Vec<&str> = brought.files.iter().map(|(file, _)| &**file).collect();
    assert_eq!(names, ["config.txt", "agent.walk"]);
    let root = tempfile::tempdir().unwrap();
    let fault = asked(both(), root.path(), |entry| {
        let way = entry.snmp.as_mut().unwrap();
        way.known = Known::Community(Credential::Environment("NO_SUCH_WORD".into()));
    });
    assert_eq!(fault.unwrap_err().step, Step::Credential);
    assert!(!root.path().join("pier-1").exists());
}

/// One that is no longer asked in this way loses its old walk; one that is keeps other files.
#[test]
fn an_old_walk_is_replaced_and_notes_stay() {
    let root = tempfile::tempdir().unwrap();
    let folder = root.path().join("pier-1");
    fs::create_dir(&folder).unwrap();
    fs::write(folder.join("agent.walk"), "1.3.6.1.2.1.1.5.0 octets \"old\"\n").unwrap();
    fs::write(folder.join("notes.txt"), "mine").unwrap();
    asked(walked("pier-1", None), root.path(), |_| ()).unwrap();
    assert!(!text(root.path()).contains("old"));
    assert_eq!(fs::read_to_string(folder.join("notes.txt")).unwrap(), "mine");
}

fn known(change: impl Fn(&mut Hash, &mut Cipher, &mut String)) -> impl Fn(&mut Entry) {
    move |entry| {
        if let Known::User { hash, cipher, user, .. } = &mut entry.snmp.as_mut().unwrap().known {
            change(hash, cipher, user);
        }
    }
}

#[rstest]
#[case::another_user(known(|_, _, user| *user = "nobody".into()))]
#[case::another_hash(known(|hash, _, _| *hash = Hash::Sha512))]
#[case::another_cipher(known(|_, cipher, _| *cipher = Cipher::Aes256))]
fn who_is_not_known_is_told_and_not_tried_again(#[case] change: impl Fn(&mut Entry)) {
    let root = tempfile::tempdir().unwrap();
    let fault = asked(walked("pier-1", None), root.path(), |entry| {
        change(entry);
        entry.limits.tries = 3;
        entry.limits.connect = Duration::from_secs(2);
    });
    let fault = fault.unwrap_err();
    assert_eq!((&fault.step, fault.passing), (&Step::Agent, false), "{fault:?}");
    assert!(!root.path().join("pier-1").exists());
}

#[test]
fn version_2c_is_told_as_what_it_is() {
    let root = tempfile::tempdir().unwrap();
    let community = |entry: &mut Entry| {
        entry.snmp.as_mut().unwrap().known = Known::Community(Credential::Environment("WORD".into()));
    };
    let brought = asked(walked("pier-1", None), root.path(), community).unwrap();
    assert_eq!(brought.older, ["version 2c, which everybody on the way can read"]);
    assert!(text(root.path()).contains("pier"));
}

/// Every trouble ends, with its step, and leaves nothing.
#[rstest]
#[case::refuses(Trouble::Refuses, Some(Step::Agent))]
#[case::wrong_password(Trouble::WrongPassword, Some(Step::Agent))]
#[case::hangs(Trouble::Hangs, Some(Step::Agent))]
#[case::garbage(Trouble::Garbage, Some(Step::Agent))]
#[case::stops(Trouble::Stops, Some(Step::Walk("1.3.6.1.2.1.2.2".into())))]
#[case::endless(Trouble::Endless, Some(Step::Walk("1.3.6.1.2.1.2.2".into())))]
#[case::slow(Trouble::Slow, None)]
#[case::escapes(Trouble::Escapes, None)]
fn troubles(#[case] trouble: Trouble, #[case] step: Option<Step>) {
    let root = tempfile::tempdir().unwrap();
    let began = Instant::now();
    let mut switch = walked("pier-1", Some(trouble));
    switch.objects = objects(200);
    let ended = asked(switch, root.path(), |entry| {
        if step.is_some() {
            entry.limits.connect = Duration::from_secs(3);
        }
    });
    assert!(began.elapsed() < Duration::from_secs(300), "it took {:?}", began.elapsed());
    match (ended, step) {
        (Ok(_), None) => {
            let text = text(root.path());
            assert!(!text.contains('\u{1b}'), "control signs are written as numbers");
        }
        (Err(fault), Some(step)) => {
            assert_eq!(fault.step, step, "{fault:?}");
            assert!(!root.path().join("pier-1").exists());
        }
        (ended, step) => panic!("{ended:?} {step:?}"),
    }
}

/// An account that may see nothing of ports has no use.
#[test]
fn an_agent_that_shows_no_interfaces() {
    let root = tempfile::tempdir().unwrap();
    let mut switch = walked("pier-1", None);
    switch.objects.retain(|oid, _| !oid.to_string().starts_with("1.3.6.1.2.1.2."));
    let fault = asked(switch, root.path(), |_| ()).unwrap_err();
    assert_eq!(fault.what, "nothing came of its interfaces");
}

/// The words of the run are in no fault and no file.
#[test]
fn no_secret_is_told() {
    let root = tempfile::tempdir().unwrap();
    let played = [
        walked("pier-1", None),
        walked("pier-2", Some(Trouble::WrongPassword)),
        walked("pier-3", Some(Trouble::Hangs)),
    ];
    let standing = StandIns::start(played.to_vec()).unwrap();
    let ended = gathered(&standing, &played, root.path(), |entry| {
        if entry.name != "pier-1" {
            entry.limits.connect = Duration::from_secs(2);
        }
    });
    let told = format!("{ended:?}");
    assert!(!told.contains(standing.password()), "{told}");
    assert!(!text(root.path()).contains(standing.password()));
    assert_eq!(ended.iter().filter(|end| end.result.is_err()).count(), 2);
}

#[test]
fn five_hundred_agents_at_once() {
    let root = tempfile::tempdir().unwrap();
    let played: Vec<Played> = (0..500).map(|number| walked(&format!("pier-{number}"), None)).collect();
    let standing = StandIns::start(played.clone()).unwrap();
    let ended = gathered(&standing, &played, root.path(), |_| ());
    let failed: Vec<_> = ended.iter().filter_map(|end| end.result.as_ref().err()).collect();
    assert!(failed.is_empty(), "{} of 500: {:?}", failed.len(), failed.first());
}

/// Whatever is in the program, it never asks an agent to change anything: of the library only what reads is named.
#[test]
fn nothing_that_writes_is_named() {
    let source = include_str!("../src/snmp.rs");
    for word in [".set(", ".set_many(", "send_trap", "send_inform", "Pdu", "SetRequest"] {
        assert!(!source.contains(word), "{word}");
    }
    let asks: Vec<&str> = source.lines().filter(|line| line.contains("client.")).map(str::trim).collect();
    assert!(asks.iter().all(|line| line.contains("client.get(") || line.contains("client.bulk_walk(")), "{asks:?}");
}
