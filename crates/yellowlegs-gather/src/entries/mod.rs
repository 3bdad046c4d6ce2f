//! `switches.toml`: who is asked, where, as whom, and where the secret is. Unknown keys are errors, as in the policy.

mod draft;
mod part;
mod problem;

use std::time::Duration;

use globset::{Glob, GlobMatcher};
use yellowlegs_core::source::{Item, Problem, Source, Spot, TomlDoc};

use crate::credential::Credential;
pub use draft::{Draft, write};
use part::{Part, part};
pub use problem::EntryProblem;

/// The name of the file in a fleet's root.
pub const FILE: &str = "switches.toml";

/// How long each part of gathering a switch may take, and how much may come.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// Until the connection is made and the account let in.
    pub connect: Duration,
    /// Without anything coming, while an answer is awaited.
    pub silence: Duration,
    /// All of it.
    pub whole: Duration,
    /// How often it is tried.
    pub tries: u32,
    /// Of one command's answer, in bytes.
    pub most: usize,
}

impl Default for Limits {
    fn default() -> Self {
        let seconds = Duration::from_secs;
        Self { connect: seconds(15), silence: seconds(20), whole: seconds(300), tries: 3, most: 16 << 20 }
    }
}

/// A way to ask a switch.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Way {
    /// Its texts, over SSH.
    Ssh,
    /// Its management agent, over SNMP.
    Snmp,
}

/// One switch to ask.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// Its name.
    pub name: String,
    /// Host name or address.
    pub address: String,
    /// Its folder below the fleet's root, with `/`.
    pub folder: String,
    /// The dialect it speaks; one that is only walked may have none.
    pub dialect: Option<String>,
    /// How its texts are asked for.
    pub ssh: Option<SshWay>,
    /// How its agent is.
    pub snmp: Option<SnmpWay>,
    /// What it may take.
    pub limits: Limits,
}

/// How a switch is asked over SSH.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SshWay {
    /// TCP port.
    pub port: u16,
    /// The account.
    pub user: String,
    /// Where the account's secret is.
    pub credential: Credential,
    /// Where the word is that raises the mode; the account's where nothing is said.
    pub raise: Option<Credential>,
    /// Older algorithms that are offered besides.
    pub older: Vec<String>,
}

/// How a switch's agent is asked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SnmpWay {
    /// UDP port.
    pub port: u16,
    /// As whom.
    pub known: Known,
}

/// As whom an agent knows who asks.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Known {
    /// Version 3 with authentication and privacy (RFC 3414).
    User {
        /// The user.
        user: String,
        /// The hash of authentication.
        hash: Hash,
        /// The cipher of privacy.
        cipher: Cipher,
        /// Where its secret of authentication is.
        authentication: Credential,
        /// Where its secret of privacy is.
        privacy: Credential,
    },
    /// Version 2c: a word that everybody on the way can read.
    Community(Credential),
}

/// Hashes of authentication (RFC 3414, RFC 7860).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs, reason = "their names are all there is to them")]
pub enum Hash {
    Md5,
    Sha1,
    Sha224,
    Sha256,
    Sha384,
    Sha512,
}

impl Hash {
    /// Each with its name.
    pub const ALL: [(&str, Self); 6] = [
        ("sha256", Self::Sha256),
        ("sha224", Self::Sha224),
        ("sha384", Self::Sha384),
        ("sha512", Self::Sha512),
        ("sha1", Self::Sha1),
        ("md5", Self::Md5),
    ];
}

/// Ciphers of privacy (RFC 3414, RFC 3826).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs, reason = "their names are all there is to them")]
pub enum Cipher {
    Des,
    Aes128,
    Aes256,
}

impl Cipher {
    /// Each with its name.
    pub const ALL: [(&str, Self); 3] = [("aes128", Self::Aes128), ("aes256", Self::Aes256), ("des", Self::Des)];
}

/// Reads `switches.toml`; all that is wrong is told at once.
pub fn read(source: &Source) -> Result<Vec<Entry>, Vec<Problem>> {
    let doc = TomlDoc::parse(source);
    let entries = entries(&doc);
    let problems = doc.into_problems();
    if problems.is_empty() { Ok(entries) } else { Err(problems) }
}

fn entries(doc: &TomlDoc<'_>) -> Vec<Entry> {
    let root = doc.root();
    let defaults = root.table("defaults").map(|table| {
        let part = part(doc, &table, true);
        table.finish();
        part
    });
    let defaults = defaults.unwrap_or_default();
    let (mut patterns, mut own) = (Vec::new(), Vec::new());
    for table in root.tables("switch") {
        let name = table.required_text("name");
        let (address, folder) = (table.text("address"), table.text("folder"));
        let part = part(doc, &table, false);
        table.finish();
        let Some(name) = name else { continue };
        if name.value.contains(['*', '?', '[', '{']) {
            for (key, item) in [("address", &address), ("folder", &folder)] {
                if let Some(item) = item {
                    doc.report(&item.spot, EntryProblem::OfOne { key, pattern: name.value.to_owned() });
                }
            }
            if let Some(pattern) = pattern(doc, &name) {
                patterns.push((pattern, part));
            }
        } else {
            own.push((name, address, folder, part));
        }
    }
    root.finish();
    if own.is_empty() {
        doc.report(&Spot::default(), EntryProblem::Nobody);
    }
    let mut entries: Vec<Entry> = Vec::new();
    let mut lines: Vec<u32> = Vec::new();
    for (name, address, folder, part) in own {
        // What the later pattern says holds.
        let patterns = patterns.iter().rev().filter(|(pattern, _)| pattern.is_match(name.value));
        let part = patterns.fold(part, |part, (_, of)| part.or(of)).or(&defaults);
        if let Some(at) = entries.iter().position(|e| e.name == name.value) {
            let line = lines.get(at).copied().unwrap_or_default();
            doc.report(&name.spot, EntryProblem::Twice { name: name.value.to_owned(), line });
            continue;
        }
        let Some(entry) = entry(doc, &name, address, folder, part) else { continue };
        if let Some(other) = entries.iter().find(|e| e.folder == entry.folder) {
            let problem = EntryProblem::FolderTwice { found: entry.folder.clone(), name: other.name.clone() };
            doc.report(&name.spot, problem);
        }
        lines.push(doc.place(&name.spot).line);
        entries.push(entry);
    }
    entries
}

fn pattern(doc: &TomlDoc<'_>, name: &Item<&str>) -> Option<GlobMatcher> {
    let pattern = Glob::new(name.value).ok().map(|glob| glob.compile_matcher());
    if pattern.is_none() {
        doc.report(&name.spot, EntryProblem::Pattern { found: name.value.to_owned() });
    }
    pattern
}

fn entry(
    doc: &TomlDoc<'_>,
    name: &Item<&str>,
    address: Option<Item<&str>>,
    folder: Option<Item<&str>>,
    part: Part,
) -> Option<Entry> {
    let open = |key| doc.report(&name.spot, EntryProblem::Open { name: name.value.to_owned(), key });
    let spot = folder.as_ref().map_or_else(|| name.spot.clone(), |folder| folder.spot.clone());
    let folder = folder.map_or(name.value, |folder| folder.value).trim_end_matches('/');
    let is_part = |part: &str| !part.is_empty() && !part.starts_with('.') && !part.contains('\\');
    if !folder.split('/').all(is_part) || folder.chars().any(char::is_control) {
        doc.report(&spot, EntryProblem::Folder { found: folder.to_owned() });
    }
    let limits = part.limits();
    let ways = part.ways.clone().unwrap_or_else(|| vec![Way::Ssh]);
    if ways.is_empty() {
        open("ways");
    }
    if address.is_none() {
        open("address");
    }
    let ssh = ways.contains(&Way::Ssh).then(|| ssh(&part, &open));
    let snmp = ways.contains(&Way::Snmp).then(|| snmp(&part, &open));
    let (ssh, snmp) = (ssh.map_or(Some(None), |way| way.map(Some)), snmp.map_or(Some(None), |way| way.map(Some)));
    Some(Entry {
        name: name.value.to_owned(),
        address: address?.value.to_owned(),
        folder: folder.to_owned(),
        dialect: part.dialect,
        ssh: ssh?,
        snmp: snmp?,
        limits,
    })
}

/// How it is asked over SSH; what is open is told.
fn ssh(part: &Part, open: &impl Fn(&'static str)) -> Option<SshWay> {
    let is_open =
        [("dialect", part.dialect.is_none()), ("user", part.user.is_none()), ("credential", part.credential.is_none())];
    is_open.into_iter().filter(|(_, is_open)| *is_open).for_each(|(key, _)| open(key));
    part.dialect.as_ref()?;
    Some(SshWay {
        port: part.port.unwrap_or(22),
        user: part.user.clone()?,
        credential: part.credential.clone()?,
        raise: part.raise.clone(),
        older: part.older.clone().unwrap_or_default(),
    })
}

/// How its agent is asked. Who has a password for SSH may have the same there.
fn snmp(part: &Part, open: &impl Fn(&'static str)) -> Option<SnmpWay> {
    let said = &part.snmp;
    let port = said.port.unwrap_or(161);
    if let Some(community) = said.community.clone() {
        return Some(SnmpWay { port, known: Known::Community(community) });
    }
    let user = said.user.clone().or_else(|| part.user.clone());
    let is_word = |of: &&Credential| matches!(of, Credential::Environment(_) | Credential::Prompt);
    let authentication = said.authentication.as_ref().or_else(|| part.credential.as_ref().filter(is_word)).cloned();
    let is_open = [("snmp.user", user.is_none()), ("snmp.authentication", authentication.is_none())];
    is_open.into_iter().filter(|(_, is_open)| *is_open).for_each(|(key, _)| open(key));
    let authentication = authentication?;
    Some(SnmpWay {
        port,
        known: Known::User {
            user: user?,
            hash: said.hash.unwrap_or(Hash::Sha256),
            cipher: said.cipher.unwrap_or(Cipher::Aes128),
            privacy: said.privacy.clone().unwrap_or_else(|| authentication.clone()),
            authentication,
        },
    })
}
