//! `yellowlegs gather`: fetches what an audit needs from the switches themselves.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::{Arc, Mutex, PoisonError};

use globset::{GlobBuilder, GlobMatcher};
use secrecy::SecretString;
use yellowlegs_core::check::Selection;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::policy::{AsOf, Files};
use yellowlegs_core::source::nearest;
use yellowlegs_gather::credential::{Secrets, ask_before};
use yellowlegs_gather::entries::{self, Draft, Entry};
use yellowlegs_gather::host_keys::HostKeys;
use yellowlegs_gather::run::{Ended, Task, gather};
use yellowlegs_gather::snmp;
use yellowlegs_gather::ssh::Asking;
use yellowlegs_gather::talk::StandsStill;

use super::audit::glob;
use crate::args::{FleetArgs, Gather, GatherTask, Loudness, NewEntries};
use crate::failure::Failure;
use crate::fleet::{self, Root};
use crate::output;
use crate::progress::Progress;
use crate::render::gather as page;

/// The name of the file of known keys in a fleet's root.
pub(super) const KNOWN_HOSTS: &str = "known-hosts";

pub(super) fn run(args: &Gather, loudness: Loudness) -> Result<ExitCode, Failure> {
    if let Some(GatherTask::New(new)) = &args.task {
        return new_entries(new);
    }
    gathered(args, Arc::new(FromHere::default()), loudness)
}

/// Gathers a fleet, with secrets from wherever they are.
pub(super) fn gathered(args: &Gather, secrets: Arc<dyn Secrets>, loudness: Loudness) -> Result<ExitCode, Failure> {
    let root = Root::find(args.fleet.as_deref(), &[])?;
    let all = FleetArgs { fleet: None, policy: None, dialect: None, outside: true };
    let loaded = fleet::load(&root, &all)?;
    let chosen = chosen(args, read_entries(&root)?)?;
    let below = below(args, &root)?;
    let tasks: Vec<Task> =
        chosen.into_iter().map(|entry| task(entry, &loaded.dialects, &below)).collect::<Result<_, _>>()?;
    demand_walks(&tasks, &loaded.policy.files)?;
    let asked: Vec<Entry> = tasks.iter().map(|task| task.entry.clone()).collect();
    ask_before(&asked, &*secrets);
    if args.into.is_some() {
        fleet::copy_frame(&root, &loaded, &below)?;
    }
    let known = args.known_hosts.clone().unwrap_or_else(|| root.dir.join(KNOWN_HOSTS));
    let keys = Arc::new(HostKeys::of(known, args.trust_new));
    let asking = Asking {
        keys: Arc::clone(&keys),
        secrets,
        stands_still: stands_still(&loaded.policy.files),
        home: std::env::home_dir(),
        // Where a policy freezes the time evidence is judged at, it is taken then.
        taken: loaded.policy.as_of.as_ref().map(AsOf::moment),
    };
    let progress = Progress::of_waiting(tasks.len(), "switches gathered", !loudness.quiet);
    let ended = gather(tasks, args.jobs.into(), asking, |_| progress.step())
        .map_err(|error| Failure::path("the network", error));
    progress.done();
    let ended = ended?;
    let mut out = output::stdout(loudness.color);
    page::text(&mut out, &ended, &keys, &below).and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::from(if ended.iter().all(|end: &Ended| end.result.is_ok()) { 0 } else { 2 }))
}

/// Where the switches' folders are put. A snapshot within the fleet would be switches of it, each of a name that is there already.
fn below(args: &Gather, root: &Root) -> Result<PathBuf, Failure> {
    let Some(into) = &args.into else { return Ok(root.dir.clone()) };
    // Before it is made: what is refused leaves nothing behind.
    let there = into.ancestors().find(|part| part.exists()).unwrap_or_else(|| Path::new("."));
    let real = std::fs::canonicalize(there).map_err(|error| Failure::path(into, error))?;
    if real.starts_with(&root.dir) {
        let what = format!("--into {}: it lies within the fleet {}", into.display(), root.dir.display());
        return Err(Failure::usage(what, "name a folder outside of it: its switches would be there twice"));
    }
    std::fs::create_dir_all(into).and_then(|()| std::fs::canonicalize(into)).map_err(|error| Failure::path(into, error))
}

fn read_entries(root: &Root) -> Result<Vec<Entry>, Failure> {
    let path = root.dir.join(entries::FILE);
    if path.symlink_metadata().is_err() {
        let what = format!("{}: there is no {}", root.dir.display(), entries::FILE);
        return Err(Failure::usage(what, "`yellowlegs gather new LIST.csv` writes one from names and addresses"));
    }
    entries::read(&fleet::source(&root.dir, &path)?).map_err(Failure::Problems)
}

/// The entries that `--switch` takes.
fn chosen(args: &Gather, entries: Vec<Entry>) -> Result<Vec<Entry>, Failure> {
    let Some(asked) = args.switch.as_deref() else { return Ok(entries) };
    let switch = glob("--switch", Some(asked))?;
    let selection = Selection { switch, ..Selection::default() };
    let names: Vec<String> = entries.iter().map(|entry| entry.name.clone()).collect();
    let taken: Vec<Entry> = entries.into_iter().filter(|entry| selection.takes_switch(&entry.name)).collect();
    if taken.is_empty() {
        let names: Vec<&str> = names.iter().map(String::as_str).collect();
        return Err(fleet::matches_nothing("--switch", "switch", asked, &names));
    }
    Ok(taken)
}

/// What is to be done for an entry: its dialect has to be there where its texts are asked for.
fn task(entry: Entry, dialects: &[Arc<Dialect>], below: &Path) -> Result<Task, Failure> {
    let folder = below.join(&entry.folder);
    let Some(name) = entry.dialect.as_deref() else { return Ok(Task { folder, dialect: None, entry }) };
    let Some(dialect) = dialects.iter().find(|dialect| **dialect.name() == *name) else {
        let names = dialects.iter().map(|dialect| &**dialect.name());
        let hint = nearest(name, names.clone()).map_or_else(
            || format!("there are {}", names.collect::<Vec<_>>().join(", ")),
            |near| format!("did you mean `{near}`?"),
        );
        return Err(Failure::usage(format!("{}: {} speaks no dialect `{name}`", entries::FILE, entry.name), hint));
    };
    if entry.ssh.is_some() && dialect.session().is_none() {
        let what = format!("{} has no [session], and {} is to be asked by it", dialect.source().path(), entry.name);
        return Err(Failure::usage(what, "docs/gather.md shows how a dialect says how one talks to its switches"));
    }
    Ok(Task { folder, dialect: Some(Arc::clone(dialect)), entry })
}

/// Whether an audit would find the walks that are put into folders.
fn demand_walks(tasks: &[Task], files: &Files) -> Result<(), Failure> {
    let is_walk = |glob: &String| glob_of_last(glob).is_some_and(|glob| glob.is_match(snmp::FILE));
    if tasks.iter().all(|task| task.entry.snmp.is_none()) || files.walk.iter().any(is_walk) {
        return Ok(());
    }
    let what = format!("the policy's [files] walk ({}) does not fit {}", files.walk.join(", "), snmp::FILE);
    Err(Failure::usage(what, "let it, so that what is gathered is read: walk = [\"*.walk\"]"))
}

/// A pattern of the policy, for the name of a file.
fn glob_of_last(glob: &str) -> Option<GlobMatcher> {
    Some(GlobBuilder::new(glob.rsplit('/').next()?).build().ok()?.compile_matcher())
}

/// The files that hold configuration, running or saved, by the policy's patterns.
fn stands_still(files: &Files) -> StandsStill {
    let globs: Vec<GlobMatcher> =
        files.running.iter().chain(&files.saved).filter_map(|glob| glob_of_last(glob)).collect();
    Arc::new(move |file| globs.iter().any(|glob| glob.is_match(file)))
}

/// Secrets from the environment and from whoever sits at the terminal, who is asked for each thing once.
#[derive(Default)]
struct FromHere {
    asked: Mutex<BTreeMap<String, SecretString>>,
}

impl Secrets for FromHere {
    fn ask(&self, what: &str) -> std::io::Result<SecretString> {
        let mut asked = self.asked.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = asked.get(what) {
            return Ok(known.clone());
        }
        let terminal = console::Term::stderr();
        if !terminal.is_term() {
            return Err(std::io::Error::other("this is no terminal"));
        }
        terminal.write_str(&format!("{what}: "))?;
        let word = SecretString::from(terminal.read_secure_line()?);
        asked.insert(what.to_owned(), word.clone());
        Ok(word)
    }

    fn environment(&self, name: &str) -> Option<SecretString> {
        std::env::var(name).ok().map(SecretString::from)
    }
}

/// One row of a list.
#[derive(serde::Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    name: String,
    address: String,
    port: Option<u16>,
    folder: Option<String>,
    dialect: Option<String>,
    user: Option<String>,
}

impl From<Row> for Draft {
    fn from(Row { name, address, port, folder, dialect, user }: Row) -> Self {
        Self { name, address, port, folder, dialect, user, ..Self::default() }
    }
}

/// A switches.toml from a list; it is read back before it is printed, so that no mistake of the list is left to a later run.
fn new_entries(args: &NewEntries) -> Result<ExitCode, Failure> {
    let bytes = fleet::regular(&args.list).map_err(|error| Failure::path(&args.list, error))?;
    let mut rows = csv::ReaderBuilder::new().trim(csv::Trim::All).from_reader(&*bytes);
    let shown = args.list.display();
    let hint = "the heading has `name` and `address`, and as wanted `port`, `folder`, `dialect`, `user`";
    let drafts: Vec<Draft> = rows
        .deserialize::<Row>()
        .map(|row| row.map(Draft::from).map_err(|error| Failure::usage(format!("{shown}: {error}"), hint)))
        .collect::<Result<_, _>>()?;
    let text = entries::write(args.user.as_deref(), args.dialect.as_deref(), "{ agent = true }", &drafts);
    let written = yellowlegs_core::source::Source::of(entries::FILE, text);
    entries::read(&written).map_err(Failure::Problems)?;
    let mut out = output::content();
    out.write_all(written.text().as_bytes()).and_then(|()| out.flush()).map_err(Failure::stdout)?;
    Ok(ExitCode::SUCCESS)
}
