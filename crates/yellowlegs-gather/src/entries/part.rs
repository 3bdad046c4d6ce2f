//! What a table of `switches.toml` says, and what it leaves to patterns and defaults.

use std::path::PathBuf;
use std::time::Duration;

use yellowlegs_core::dialect::duration;
use yellowlegs_core::source::{Item, TableReader, TomlDoc};

use super::{Cipher, EntryProblem, Hash, Limits, Way};
use crate::credential::Credential;

/// What a table says that may come from elsewhere.
#[derive(Default, Clone)]
pub(super) struct Part {
    pub(super) ways: Option<Vec<Way>>,
    pub(super) snmp: SnmpPart,
    pub(super) port: Option<u16>,
    pub(super) dialect: Option<String>,
    pub(super) user: Option<String>,
    pub(super) credential: Option<Credential>,
    pub(super) raise: Option<Credential>,
    pub(super) older: Option<Vec<String>>,
    connect: Option<Duration>,
    silence: Option<Duration>,
    whole: Option<Duration>,
    tries: Option<u32>,
}

/// What is said of the agent.
#[derive(Default, Clone)]
pub(super) struct SnmpPart {
    pub(super) port: Option<u16>,
    pub(super) user: Option<String>,
    pub(super) hash: Option<Hash>,
    pub(super) cipher: Option<Cipher>,
    pub(super) authentication: Option<Credential>,
    pub(super) privacy: Option<Credential>,
    pub(super) community: Option<Credential>,
}

impl SnmpPart {
    fn or(self, other: Self) -> Self {
        // Who is known by a community here is not known by a user elsewhere, and the other way round.
        let by_user = self.user.is_some() || self.authentication.is_some() || self.privacy.is_some();
        Self {
            port: self.port.or(other.port),
            user: self.user.or(other.user),
            hash: self.hash.or(other.hash),
            cipher: self.cipher.or(other.cipher),
            authentication: self.authentication.or(other.authentication),
            privacy: self.privacy.or(other.privacy),
            community: self.community.or(other.community.filter(|_| !by_user)),
        }
    }
}

impl Part {
    pub(super) fn or(self, other: &Self) -> Self {
        let other = other.clone();
        Self {
            ways: self.ways.or(other.ways),
            snmp: self.snmp.or(other.snmp),
            port: self.port.or(other.port),
            dialect: self.dialect.or(other.dialect),
            user: self.user.or(other.user),
            credential: self.credential.or(other.credential),
            raise: self.raise.or(other.raise),
            older: self.older.or(other.older),
            connect: self.connect.or(other.connect),
            silence: self.silence.or(other.silence),
            whole: self.whole.or(other.whole),
            tries: self.tries.or(other.tries),
        }
    }

    pub(super) fn limits(&self) -> Limits {
        let usual = Limits::default();
        Limits {
            connect: self.connect.unwrap_or(usual.connect),
            silence: self.silence.unwrap_or(usual.silence),
            whole: self.whole.unwrap_or(usual.whole),
            tries: self.tries.unwrap_or(usual.tries),
            ..usual
        }
    }
}

/// Reads one; `of_all` where it is for every switch.
pub(super) fn part(doc: &TomlDoc<'_>, table: &TableReader<'_>, of_all: bool) -> Part {
    no_secret(doc, table);
    let text = |key| table.text(key).map(|item| item.value.to_owned());
    Part {
        ways: table.texts("ways").map(|items| items.iter().filter_map(|item| way(doc, item)).collect()),
        snmp: table.table("snmp").map(|table| snmp(doc, &table, of_all)).unwrap_or_default(),
        port: number(doc, table, "port", 1, 65_535).and_then(|n| u16::try_from(n).ok()),
        dialect: text("dialect"),
        user: text("user"),
        credential: table.table("credential").and_then(|table| credential(doc, &table)),
        raise: table.table("raise").and_then(|table| credential(doc, &table)),
        older: table.texts("older-algorithms").map(|items| {
            for item in items.iter().filter(|item| !crate::ssh::older_names().contains(&item.value)) {
                doc.report(&item.spot, EntryProblem::Algorithm { found: item.value.to_owned() });
            }
            items.into_iter().map(|item| item.value.to_owned()).collect()
        }),
        connect: time(doc, table, "connect-within"),
        silence: time(doc, table, "silent-at-most"),
        whole: time(doc, table, "done-within"),
        tries: number(doc, table, "tries", 1, 10).and_then(|n| u32::try_from(n).ok()),
    }
}

/// A secret where everybody reads it is told, whatever it is called.
fn no_secret(doc: &TomlDoc<'_>, table: &TableReader<'_>) {
    for key in ["password", "secret", "passphrase"] {
        if let Some(spot) = table.key_spot(key) {
            table.ask(key);
            doc.report(&spot, EntryProblem::Secret);
        }
    }
}

fn way(doc: &TomlDoc<'_>, item: &Item<&str>) -> Option<Way> {
    let way = match item.value {
        "ssh" => Some(Way::Ssh),
        "snmp" => Some(Way::Snmp),
        _ => None,
    };
    if way.is_none() {
        doc.report(&item.spot, EntryProblem::Way { found: item.value.to_owned() });
    }
    way
}

fn snmp(doc: &TomlDoc<'_>, table: &TableReader<'_>, of_all: bool) -> SnmpPart {
    no_secret(doc, table);
    // A community that is written out is a secret that is.
    if let Some(spot) = table.key_spot("community").filter(|_| table.is_text("community")) {
        table.ask("community");
        doc.report(&spot, EntryProblem::Secret);
    }
    let secret = |key| {
        let table = table.table(key)?;
        let of = credential(doc, &table);
        let is_key = matches!(of, Some(Credential::Agent | Credential::Key(_)));
        if is_key {
            doc.report(&table.spot, EntryProblem::NoKey { key });
        }
        of.filter(|_| !is_key)
    };
    let part = SnmpPart {
        port: number(doc, table, "port", 1, 65_535).and_then(|n| u16::try_from(n).ok()),
        user: table.text("user").map(|item| item.value.to_owned()),
        hash: word(doc, table, "hash", &Hash::ALL),
        cipher: word(doc, table, "cipher", &Cipher::ALL),
        authentication: secret("authentication"),
        privacy: secret("privacy"),
        community: if table.is_text("community") { None } else { secret("community") },
    };
    if part.community.is_some() {
        let of_3 = [("user", part.user.is_some()), ("hash", part.hash.is_some()), ("cipher", part.cipher.is_some())];
        let secrets = [("authentication", part.authentication.is_some()), ("privacy", part.privacy.is_some())];
        for (key, _) in of_3.into_iter().chain(secrets).filter(|(_, is_said)| *is_said) {
            doc.report(&table.spot, EntryProblem::Versions { key });
        }
        if of_all {
            doc.report(&table.spot, EntryProblem::ForAll);
        }
    }
    table.finish();
    part
}

/// One of a few words.
fn word<T: Copy>(
    doc: &TomlDoc<'_>,
    table: &TableReader<'_>,
    key: &'static str,
    all: &[(&'static str, T)],
) -> Option<T> {
    let item = table.text(key)?;
    let known = all.iter().find(|(word, _)| *word == item.value);
    if known.is_none() {
        let words = all.iter().map(|(word, _)| *word).collect();
        doc.report(&item.spot, EntryProblem::Word { key, found: item.value.to_owned(), words });
    }
    known.map(|(_, word)| *word)
}

fn number(doc: &TomlDoc<'_>, table: &TableReader<'_>, key: &'static str, least: i64, most: i64) -> Option<i64> {
    let item = table.integer(key)?;
    if !(least..=most).contains(&item.value) {
        doc.report(&item.spot, EntryProblem::Range { key, found: item.value, least, most });
        return None;
    }
    Some(item.value)
}

fn time(doc: &TomlDoc<'_>, table: &TableReader<'_>, key: &'static str) -> Option<Duration> {
    let item = table.text(key)?;
    let seconds = duration(item.value).filter(|seconds| (1..=3600).contains(seconds));
    if seconds.is_none() {
        doc.report(&item.spot, EntryProblem::Time { key, found: item.value.to_owned() });
    }
    seconds.map(|seconds| Duration::from_secs(seconds.into()))
}

fn credential(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Option<Credential> {
    no_secret(doc, table);
    let ways = [
        table.flag("agent").filter(|item| item.value).map(|_| Credential::Agent),
        table.text("key").map(|item| Credential::Key(PathBuf::from(item.value))),
        table.text("environment").map(|item| Credential::Environment(item.value.to_owned())),
        table.flag("prompt").filter(|item| item.value).map(|_| Credential::Prompt),
    ];
    table.finish();
    let mut ways = ways.into_iter().flatten();
    let way = ways.next();
    if way.is_none() || ways.next().is_some() {
        doc.report(&table.spot, EntryProblem::Credential);
    }
    way
}
