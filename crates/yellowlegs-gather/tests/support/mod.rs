//! A language nobody speaks, switches that speak it, and a run that gathers them.

#![allow(dead_code, reason = "each test file uses a part")]

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use secrecy::SecretString;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::source::Source;
use yellowlegs_core::walk::Told;
use yellowlegs_gather::credential::{Credential, Secrets};
use yellowlegs_gather::entries::{Cipher, Entry, Hash, Known, Limits, SnmpWay, SshWay};
use yellowlegs_gather::host_keys::HostKeys;
use yellowlegs_gather::run::{Ended, Task, gather};
use yellowlegs_gather::ssh::Asking;
use yellowlegs_gather::stand_in::{Played, StandIns, Trouble, USER};

/// Brine: a language for these tests, with whatever session is wanted.
pub(crate) const BRINE: &str = r#"
[dialect]
name = "brine"
title = "Brine"
[recognise]
lines = ["brine <release:int>"]
[text]
structure = "indent"
[ports]
names = ["<n>"]
[[rule]]
pattern = "brine <release:int>"
[[rule]]
pattern = "gap <ports:ports>"
ports = "ports"
opens = "gap"
[[rule]]
in = "gap"
pattern = "asleep"
sets = { "port.enabled" = false }
"#;

/// A session with everything in it: questions, a raised mode, pages.
pub(crate) const WHOLE: &str = r#"
[session]
prompt = "<name>>"
errors = "what is"
more = "--- further down ---"
login = [{ asks = "who?", answer = "user" }, { asks = "and the word?", answer = "password" }]
raise = { send = "climb", asks = "the word for up there?", prompt = "<name>^" }
command = [{ send = "say all", file = "config.txt" }, { send = "say kept", file = "saved.txt", optional = true }]
"#;

/// A session with no more than it needs.
pub(crate) const PLAIN: &str = r#"
[session]
prompt = "[<name>] "
errors = "what is"
paging-off = "no pages"
more = "-"
command = [{ send = "say all", file = "config.txt" }]
"#;

pub(crate) fn dialect(session: &str) -> Arc<Dialect> {
    let source = Source::of("brine.toml", format!("{BRINE}{session}"));
    Arc::new(Dialect::load(&Arc::new(source)).unwrap())
}

/// A configuration of so many ports.
pub(crate) fn config(ports: usize) -> String {
    let ports = (1..=ports).map(|n| format!("gap {n}\n  asleep\n"));
    std::iter::once("brine 4\n".to_owned()).chain(ports).collect()
}

pub(crate) fn played(name: &str, session: &str, config: &str, trouble: Option<Trouble>) -> Played {
    let files = BTreeMap::from([("config.txt".to_owned(), config.to_owned())]);
    Played { name: name.to_owned(), dialect: Some(dialect(session)), files, objects: Told::new(), trouble }
}

pub(crate) struct Word(pub(crate) String);

impl Secrets for Word {
    fn ask(&self, _: &str) -> std::io::Result<SecretString> {
        Err(std::io::Error::other("nobody is here"))
    }

    fn environment(&self, name: &str) -> Option<SecretString> {
        match name {
            "WORD" => Some(SecretString::from(self.0.clone())),
            "COMMUNITY" => Some(SecretString::from("public".to_owned())),
            _ => None,
        }
    }
}

pub(crate) fn entry(standing: &StandIns, name: &str) -> Entry {
    let place = standing.places().iter().find(|place| place.name == name).unwrap();
    let word = || Credential::Environment("WORD".into());
    let ssh = place.ssh.as_ref().map(|(address, _)| SshWay {
        port: address.port(),
        user: USER.into(),
        credential: word(),
        raise: None,
        older: Vec::new(),
    });
    let known = || Known::User {
        user: USER.into(),
        hash: Hash::Sha256,
        cipher: Cipher::Aes128,
        authentication: word(),
        privacy: word(),
    };
    let snmp = place.snmp.map(|address| SnmpWay { port: address.port(), known: known() });
    Entry {
        name: name.to_owned(),
        address: "127.0.0.1".into(),
        folder: name.to_owned(),
        dialect: Some("brine".into()),
        ssh,
        snmp,
        // Patient, for whoever else uses the machine: tests that wait for an end say when it is to come.
        limits: Limits {
            connect: Duration::from_secs(60),
            silence: Duration::from_secs(60),
            whole: Duration::from_secs(600),
            tries: 1,
            most: 1 << 20,
        },
    }
}

/// Gathers what stands in into a folder, with what is known of the keys.
pub(crate) fn gathered(standing: &StandIns, played: &[Played], root: &Path, change: impl Fn(&mut Entry)) -> Vec<Ended> {
    let known = root.join("known-hosts");
    std::fs::write(&known, standing.known_hosts()).unwrap();
    gathered_with(standing, played, root, HostKeys::of(known, false), change)
}

pub(crate) fn gathered_with(
    standing: &StandIns,
    played: &[Played],
    root: &Path,
    keys: HostKeys,
    change: impl Fn(&mut Entry),
) -> Vec<Ended> {
    let task = |played: &Played| {
        let mut entry = entry(standing, &played.name);
        change(&mut entry);
        let folder = root.join(&entry.folder);
        Task { entry, dialect: played.dialect.clone(), folder }
    };
    let asking = Asking {
        keys: Arc::new(keys),
        secrets: Arc::new(Word(standing.password().to_owned())),
        stands_still: Arc::new(|file: &str| file == "config.txt" || file == "saved.txt"),
        home: None,
        taken: Some("2031-03-04T06:00:00Z".parse().unwrap()),
    };
    gather(played.iter().map(task).collect(), 100, asking, |_| ()).unwrap()
}
