//! `switches.toml`: who is asked, where, as whom, and where the secret is. Unknown keys are errors, as in the policy.

use std::path::PathBuf;
use std::time::Duration;

use globset::{Glob, GlobMatcher};
use yellowlegs_core::dialect::duration;
use yellowlegs_core::source::{Explain, Item, Problem, Source, Spot, TableReader, TomlDoc, quoted};

use crate::credential::Credential;

/// The name of the file in a fleet's root.
pub const FILE: &str = "switches.toml";

/// What can be wrong with `switches.toml`, beyond its TOML.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum EntryProblem {
    /// A secret where everybody reads it.
    #[error("a secret never stands in this file")]
    Secret,
    /// None, or several, of the ways to a secret.
    #[error("a credential is one of `agent`, `key`, `environment`, `prompt`")]
    Credential,
    /// A name twice.
    #[error("`{name}` has an entry already, in line {line}")]
    Twice {
        /// The switch.
        name: String,
        /// Where.
        line: u32,
    },
    /// A folder that is no place for a switch.
    #[error("`{found}` is no folder below the fleet's root")]
    Folder {
        /// What stands there.
        found: String,
    },
    /// Two switches in one folder.
    #[error("`{found}` is the folder of `{name}`, too")]
    FolderTwice {
        /// The folder.
        found: String,
        /// The other.
        name: String,
    },
    /// Something that an entry needs and nothing says.
    #[error("`{name}` has no `{key}`, nor has a pattern that takes it, nor [defaults]")]
    Open {
        /// The switch.
        name: String,
        /// The key.
        key: &'static str,
    },
    /// A pattern with what only one switch can have.
    #[error("`{key}` belongs to one switch, and `{pattern}` is a pattern")]
    OfOne {
        /// The key.
        key: &'static str,
        /// The pattern.
        pattern: String,
    },
    /// A number out of range.
    #[error("`{key}` is {least} to {most}, not {found}")]
    Range {
        /// The key.
        key: &'static str,
        /// What stands there.
        found: i64,
        /// The least.
        least: i64,
        /// The most.
        most: i64,
    },
    /// A time that is none.
    #[error("`{key}` is a time from 1 second to 1 hour, not `{found}`")]
    Time {
        /// The key.
        key: &'static str,
        /// What stands there.
        found: String,
    },
    /// An algorithm that nobody here knows.
    #[error("`{found}` is no algorithm that can be asked for")]
    Algorithm {
        /// What stands there.
        found: String,
    },
    /// A pattern that cannot be read.
    #[error("`{found}` is no pattern of names")]
    Pattern {
        /// What stands there.
        found: String,
    },
    /// Nobody to ask.
    #[error("no [[switch]] with an address")]
    Nobody,
}

impl Explain for EntryProblem {
    fn hint(&self) -> Option<String> {
        Some(match self {
            Self::Secret => {
                "credential = { environment = \"NAME\" }, { key = \"FILE\" }, { agent = true } or { prompt = true }"
                    .into()
            }
            Self::Credential => "for example `credential = { agent = true }`".into(),
            Self::Twice { .. } | Self::FolderTwice { .. } => "each switch has one entry and one folder".into(),
            Self::Folder { .. } => "a path such as \"northquay/desks-1\", without `..`".into(),
            Self::Open { key, .. } => format!("add `{key} = …` to its entry or to [defaults]"),
            Self::OfOne { .. } => "leave it to the entries of the switches".into(),
            Self::Range { .. } => "leave it out for the usual value".into(),
            Self::Time { .. } => "for example \"30s\" or \"2m\"".into(),
            Self::Algorithm { .. } => format!("it may be {}", crate::ssh::older_names().join(", ")),
            Self::Pattern { .. } => "`*` stands for any letters, `?` for one".into(),
            Self::Nobody => "`yellowlegs gather new NAMES.csv` writes them from a list".into(),
        })
    }
}

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

/// One switch to ask.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// Its name.
    pub name: String,
    /// Host name or address.
    pub address: String,
    /// TCP port.
    pub port: u16,
    /// Its folder below the fleet's root, with `/`.
    pub folder: String,
    /// The dialect it speaks.
    pub dialect: String,
    /// The account.
    pub user: String,
    /// Where the account's secret is.
    pub credential: Credential,
    /// Where the word is that raises the mode; the account's where nothing is said.
    pub raise: Option<Credential>,
    /// Older algorithms that are offered besides.
    pub older: Vec<String>,
    /// What it may take.
    pub limits: Limits,
}

/// What a table says that may come from elsewhere.
#[derive(Default, Clone)]
struct Part {
    port: Option<u16>,
    dialect: Option<String>,
    user: Option<String>,
    credential: Option<Credential>,
    raise: Option<Credential>,
    older: Option<Vec<String>>,
    connect: Option<Duration>,
    silence: Option<Duration>,
    whole: Option<Duration>,
    tries: Option<u32>,
}

impl Part {
    fn or(self, other: &Self) -> Self {
        let other = other.clone();
        Self {
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

    fn limits(&self) -> Limits {
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
        let part = part(doc, &table);
        table.finish();
        part
    });
    let defaults = defaults.unwrap_or_default();
    let (mut patterns, mut own) = (Vec::new(), Vec::new());
    for table in root.tables("switch") {
        let name = table.required_text("name");
        let (address, folder) = (table.text("address"), table.text("folder"));
        let part = part(doc, &table);
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
    for (key, is_open) in [
        ("address", address.is_none()),
        ("dialect", part.dialect.is_none()),
        ("user", part.user.is_none()),
        ("credential", part.credential.is_none()),
    ] {
        if is_open {
            open(key);
        }
    }
    Some(Entry {
        name: name.value.to_owned(),
        address: address?.value.to_owned(),
        port: part.port.unwrap_or(22),
        folder: folder.to_owned(),
        dialect: part.dialect?,
        user: part.user?,
        credential: part.credential?,
        raise: part.raise,
        older: part.older.unwrap_or_default(),
        limits,
    })
}

fn part(doc: &TomlDoc<'_>, table: &TableReader<'_>) -> Part {
    for key in ["password", "secret", "passphrase"] {
        if let Some(spot) = table.key_spot(key) {
            table.ask(key);
            doc.report(&spot, EntryProblem::Secret);
        }
    }
    let text = |key| table.text(key).map(|item| item.value.to_owned());
    Part {
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
    for key in ["password", "secret", "passphrase"] {
        if let Some(spot) = table.key_spot(key) {
            table.ask(key);
            doc.report(&spot, EntryProblem::Secret);
        }
    }
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

/// What an entry that is written says of its switch.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Draft {
    /// Its name.
    pub name: String,
    /// Host name or address.
    pub address: String,
    /// TCP port, where it is not the usual one.
    pub port: Option<u16>,
    /// Its folder, where it is not its name.
    pub folder: Option<String>,
    /// Its dialect, where it is not the default.
    pub dialect: Option<String>,
    /// The account, where it is not the default.
    pub user: Option<String>,
}

/// Writes a `switches.toml` of entries; `credential` is the inline table that says where the secret is.
pub fn write(user: Option<&str>, dialect: Option<&str>, credential: &str, drafts: &[Draft]) -> String {
    let mut text = String::from(
        "# Who is asked by `yellowlegs gather`. No secret stands here: it says where they are.\n\n[defaults]\n",
    );
    let mut line = |key: &str, value: Option<&str>| {
        if let Some(value) = value.filter(|value| !value.is_empty()) {
            text.extend([key, " = ", value, "\n"]);
        }
    };
    line("user", user.map(quoted).as_deref());
    line("dialect", dialect.map(quoted).as_deref());
    line("credential", Some(credential));
    for draft in drafts {
        text.push_str("\n[[switch]]\n");
        let port = draft.port.map(|port| port.to_string());
        let mut line = |key: &str, value: Option<&str>| {
            if let Some(value) = value.filter(|value| !value.is_empty()) {
                text.extend([key, " = ", value, "\n"]);
            }
        };
        line("name", Some(&quoted(&draft.name)));
        line("address", Some(&quoted(&draft.address)));
        line("port", port.as_deref());
        for (key, value) in [("folder", &draft.folder), ("dialect", &draft.dialect), ("user", &draft.user)] {
            line(key, value.as_deref().filter(|value| !value.is_empty()).map(quoted).as_deref());
        }
    }
    text
}
