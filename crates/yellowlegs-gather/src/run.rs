//! Many switches at once, with a bound; each is tried with patience, and one that fails holds no other up.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use jiff::Timestamp;
use tokio::sync::{Semaphore, mpsc};
use tokio::task::JoinSet;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::source::Source;

use crate::entries::Entry;
use crate::fault::{Fault, Step};
use crate::folder;
use crate::snmp;
use crate::ssh::{self, Asking, Gathered};
use crate::talk::Came;

/// A switch to ask: who, in which language, and where what comes is put.
#[derive(Clone)]
pub struct Task {
    /// Who.
    pub entry: Entry,
    /// Its dialect; one that is only walked may have none.
    pub dialect: Option<Arc<Dialect>>,
    /// Its folder.
    pub folder: PathBuf,
}

/// What came of asking a switch.
#[derive(Debug, Clone)]
pub struct Ended {
    /// Its name.
    pub name: String,
    /// What came, without the texts' contents where all went well; or why not.
    pub result: Result<Brought, Fault>,
    /// How often it was tried.
    pub tries: u32,
}

/// What was written of a switch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Brought {
    /// Each file with its lines.
    pub files: Vec<(Box<str>, usize)>,
    /// Optional commands that were refused, each with what the switch said.
    pub refused: Vec<(Box<str>, String)>,
    /// Escape sequences that were dropped.
    pub escapes: usize,
    /// Older algorithms that were agreed on.
    pub older: Vec<String>,
}

/// Asks every switch, so many at a time; each end is told as it comes. Gives them in the tasks' order.
pub fn gather(
    tasks: Vec<Task>,
    jobs: usize,
    asking: Asking,
    mut ended: impl FnMut(&Ended),
) -> std::io::Result<Vec<Ended>> {
    no_core_dumps();
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    let asking = Arc::new(asking);
    let mut all = runtime.block_on(async {
        let (send, mut ends) = mpsc::channel(1);
        let places = Arc::new(Semaphore::new(jobs.max(1)));
        let mut running = JoinSet::new();
        for (position, task) in tasks.into_iter().enumerate() {
            let (send, asking, places) = (send.clone(), Arc::clone(&asking), Arc::clone(&places));
            running.spawn(async move {
                let Ok(_place) = places.acquire().await else { return };
                let end = one(&task, &asking).await;
                let _ = send.send((position, end)).await;
            });
        }
        drop(send);
        let mut all = Vec::new();
        while let Some((position, end)) = ends.recv().await {
            ended(&end);
            all.push((position, end));
        }
        running.join_all().await;
        all
    });
    runtime.shutdown_timeout(Duration::from_secs(1));
    all.sort_by_key(|(position, _)| *position);
    Ok(all.into_iter().map(|(_, end)| end).collect())
}

/// What is in memory may be a secret: no dump of it is written should the program end badly.
fn no_core_dumps() {
    let nothing = rustix::process::Rlimit { current: Some(0), maximum: Some(0) };
    let _ = rustix::process::setrlimit(rustix::process::Resource::Core, nothing);
}

async fn one(task: &Task, asking: &Asking) -> Ended {
    let mut tries = 1;
    let result = match by_ssh(task, asking, &mut tries).await {
        Ok(gathered) => with_walk(task, asking, gathered, &mut tries).await,
        Err(fault) => Err(fault),
    };
    let written = match result {
        Ok(gathered) => write(task, gathered, asking).await,
        Err(fault) => Err(fault),
    };
    Ended { name: task.entry.name.clone(), result: written, tries }
}

/// Whether it is tried again: after one second, then four. A switch that restarts a process needs some, and one that restarts more than
/// anybody waits.
async fn again(fault: &Fault, entry: &Entry, tries: &mut u32) -> bool {
    if !fault.passing || *tries >= entry.limits.tries {
        return false;
    }
    tokio::time::sleep(Duration::from_secs(u64::from(*tries).pow(2))).await;
    *tries += 1;
    true
}

async fn by_ssh(task: &Task, asking: &Asking, tries: &mut u32) -> Result<Gathered, Fault> {
    let (Some(way), Some(dialect)) = (&task.entry.ssh, &task.dialect) else { return Ok(Gathered::default()) };
    loop {
        match ssh::ask(&task.entry, way, dialect, asking).await {
            Err(fault) if again(&fault, &task.entry, tries).await => {}
            result => return result,
        }
    }
}

/// The same with what the agent answers, where it is asked.
async fn with_walk(task: &Task, asking: &Asking, mut gathered: Gathered, tries: &mut u32) -> Result<Gathered, Fault> {
    let Some(way) = &task.entry.snmp else { return Ok(gathered) };
    let walked = loop {
        let taken = asking.taken.unwrap_or_else(Timestamp::now);
        match snmp::ask(&task.entry, way, task.dialect.as_ref(), &asking.secrets, taken).await {
            Err(fault) if again(&fault, &task.entry, tries).await => {}
            result => break result?,
        }
    };
    gathered.files.push(Came { file: snmp::FILE.into(), text: walked.text });
    gathered.older.extend(walked.older);
    Ok(gathered)
}

/// Puts what came in its place, after it was recognised: a banner or an error is no configuration.
async fn write(task: &Task, gathered: Gathered, asking: &Asking) -> Result<Brought, Fault> {
    let Gathered { files, refused, escapes, older } = gathered;
    for file in files.iter().filter(|file| (asking.stands_still)(&file.file)) {
        let source = Source::decode(file.file.to_string(), file.text.clone().into_bytes());
        let Some(dialect) = &task.dialect else { continue };
        let known = source.is_ok_and(|source| dialect.recognises(&source));
        if !known {
            let first = file.text.lines().map(str::trim).find(|line| !line.is_empty()).unwrap_or_default();
            let first: String = first.chars().take(80).collect();
            let what = format!("what came for {} is not in {}: it begins with `{first}`", file.file, dialect.title());
            let hint = "check the entry's `dialect`, and what the command gives; nothing was written";
            return Err(Fault::lasting(Step::Recognise, what, hint));
        }
    }
    let brought = Brought {
        files: files.iter().map(|f| (f.file.clone(), f.text.lines().count())).collect(),
        refused,
        escapes,
        older,
    };
    let (dialect, folder, is_walked) = (task.dialect.clone(), task.folder.clone(), task.entry.snmp.is_some());
    let written = tokio::task::spawn_blocking(move || {
        let session = dialect.as_ref().and_then(|dialect| dialect.session());
        let given = |name: &str| {
            is_walked && name == snmp::FILE || session.is_some_and(|s| s.commands.iter().any(|c| &*c.file == name))
        };
        folder::replace(&folder, &files, given)
    });
    let shown = task.folder.display();
    match written.await {
        Ok(Ok(())) => Ok(brought),
        Ok(Err(error)) => Err(Fault::lasting(Step::Write, format!("{shown}: {error}"), "what was there is as it was")),
        Err(error) => Err(Fault::passing(Step::Write, error.to_string())),
    }
}
