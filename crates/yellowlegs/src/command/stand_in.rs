//! `yellowlegs stand-in`: plays the switches of a fleet, and writes a folder to gather them into.

use std::collections::BTreeMap;
use std::io::Write;
use std::process::ExitCode;
use std::sync::Arc;

use secrecy::SecretString;
use yellowlegs_core::check::Selection;
use yellowlegs_core::source::nearest;
use yellowlegs_gather::credential::Secrets;
use yellowlegs_gather::entries::{self, Draft};
use yellowlegs_gather::stand_in::{Place, Played, StandIns, Trouble, USER};

use super::audit::glob;
use super::gather::{self, KNOWN_HOSTS};
use crate::args::{FleetArgs, Gather, Loudness, StandIn};
use crate::failure::Failure;
use crate::fleet::{self, Found, Layout, Root, relative};
use crate::output;
use crate::render::gather as page;

/// What the entries of a lab take the password from.
const WORD: &str = "YELLOWLEGS_LAB_WORD";

pub(super) fn run(args: &StandIn, loudness: Loudness) -> Result<ExitCode, Failure> {
    let mut out = output::stdout(loudness.color);
    if args.faults {
        page::troubles(&mut out).and_then(|()| out.flush()).map_err(Failure::stdout)?;
        return Ok(ExitCode::SUCCESS);
    }
    let root = Root::find(args.fleet.as_deref(), &[])?;
    let all = FleetArgs { fleet: None, policy: None, dialect: None, outside: true };
    let loaded = fleet::load(&root, &all)?;
    let found = fleet::discover(&root, &loaded.policy)?;
    let selection = Selection { switch: glob("--switch", args.switch.as_deref())?, ..Selection::default() };
    found.demand_switch(&selection, args.switch.as_deref())?;
    found.tell_unreadable(super::read::tell);
    let chosen = found.switches.iter().filter(|switch| selection.takes_switch(&switch.name));
    let (mut played, mut folders) = (Vec::new(), BTreeMap::new());
    for switch in chosen {
        if let Some(one) = one(&root, &loaded, switch)? {
            folders.insert(switch.name.clone(), (relative(&root.dir, &switch.path), one.dialect.name().to_string()));
            played.push(one);
        }
    }
    if played.is_empty() {
        return Err(Failure::usage(
            "no switch can be played",
            "docs/gather.md shows how a dialect says how one talks to its switches",
        ));
    }
    for fault in &args.fault {
        set_trouble(&mut played, fault)?;
    }
    let standing = StandIns::start(played).map_err(|error| Failure::path("a port of this machine", error))?;
    write_lab(args, &root, &loaded, &standing, &folders)?;
    if args.gather {
        drop(out);
        let all = Gather {
            task: None,
            fleet: Some(args.lab.clone()),
            switch: None,
            into: None,
            jobs: 16,
            known_hosts: None,
            trust_new: false,
        };
        return gather::gathered(&all, Arc::new(Word(standing.password().to_owned())), loudness);
    }
    page::standing(&mut out, &standing, &args.lab, WORD).and_then(|()| out.flush()).map_err(Failure::stdout)?;
    drop(out);
    loop {
        std::thread::park();
    }
}

/// A switch with its texts; none, and why, where it cannot be played.
fn one(root: &Root, loaded: &fleet::Loaded, switch: &Found) -> Result<Option<Played>, Failure> {
    let Layout::Folder(parts) = &switch.layout else {
        tell(&switch.name, "it is a record, and has no text to give");
        return Ok(None);
    };
    let (mut files, mut dialect) = (BTreeMap::new(), None);
    for path in parts.running.iter().chain(&parts.saved).chain(&parts.state) {
        let source = fleet::source(&root.dir, path)?;
        if Some(path) == parts.running.first() {
            dialect = fleet::recognise(&source, loaded).map_err(|unreadable| super::read::tell(&unreadable)).ok();
        }
        let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        files.insert(name, source.text().to_owned());
    }
    let Some(dialect) = dialect else {
        tell(&switch.name, "nobody knows how one talks to it");
        return Ok(None);
    };
    if dialect.session().is_none() {
        tell(&switch.name, &format!("{} has no [session]", dialect.source().path()));
        return Ok(None);
    }
    let given = |file: &str| dialect.session().is_some_and(|s| s.commands.iter().any(|command| &*command.file == file));
    for file in files.keys().filter(|file| !given(file)) {
        let what = format!("no command of the [session] gives {file}, so nobody is told what it holds");
        anstream::eprintln!("{}", crate::render::clean(&format!("{}: {what}", switch.name)));
    }
    Ok(Some(Played { name: switch.name.clone(), dialect, files, trouble: None }))
}

/// The password of this run, for entries that take it from the environment.
struct Word(String);

impl Secrets for Word {
    fn ask(&self, _: &str) -> std::io::Result<SecretString> {
        Err(std::io::Error::other("stand-ins are not asked for"))
    }

    fn environment(&self, name: &str) -> Option<SecretString> {
        (name == WORD).then(|| SecretString::from(self.0.clone()))
    }
}

fn tell(switch: &str, what: &str) {
    anstream::eprintln!("{}", crate::render::clean(&format!("{switch}: not played: {what}")));
}

/// Sets a trouble of all, or of one.
fn set_trouble(played: &mut [Played], asked: &str) -> Result<(), Failure> {
    let (switch, name) = asked.rsplit_once('=').map_or((None, asked), |(switch, name)| (Some(switch), name));
    let names = Trouble::ALL.iter().map(|(_, name, _)| *name);
    let trouble = Trouble::by_name(name).ok_or_else(|| {
        let hint =
            nearest(name, names).map_or("--faults lists them".to_owned(), |near| format!("did you mean `{near}`?"));
        Failure::usage(format!("--fault {asked}: no such fault"), hint)
    })?;
    let known: Vec<String> = played.iter().map(|played| played.name.clone()).collect();
    let mut set = false;
    for played in played.iter_mut().filter(|played| switch.is_none_or(|switch| switch == played.name)) {
        let pages = played.dialect.session().is_some_and(|session| !session.more.is_empty());
        if trouble == Trouble::LostPages && !pages {
            let what = format!("--fault {asked}: {} writes no pages", played.name);
            return Err(Failure::usage(what, "its dialect's [session] has no `more`"));
        }
        (played.trouble, set) = (Some(trouble), true);
    }
    match switch.filter(|_| !set) {
        Some(switch) => {
            let known: Vec<&str> = known.iter().map(String::as_str).collect();
            Err(fleet::matches_nothing("--fault", "switch that is played", switch, &known))
        }
        None => Ok(()),
    }
}

/// Writes a folder to gather into: policy, dialects, inventory, entries, keys.
fn write_lab(
    args: &StandIn,
    root: &Root,
    loaded: &fleet::Loaded,
    standing: &StandIns,
    folders: &BTreeMap<String, (String, String)>,
) -> Result<(), Failure> {
    let lab = &args.lab;
    if lab.symlink_metadata().is_ok() {
        let what = format!("--lab {}: it is there already", lab.display());
        return Err(Failure::usage(what, "name a folder that is not there, or remove it"));
    }
    fleet::copy_frame(root, loaded, lab)?;
    let draft = |place: &Place| {
        let (folder, dialect) = folders.get(&place.name).cloned()?;
        let (name, address, port) = (place.name.clone(), place.address.ip().to_string(), Some(place.address.port()));
        Some(Draft { name, address, port, folder: Some(folder), dialect: Some(dialect), user: None })
    };
    let drafts: Vec<Draft> = standing.places().iter().filter_map(draft).collect();
    let text = entries::write(Some(USER), None, &format!("{{ environment = \"{WORD}\" }}"), &drafts);
    fleet::write(&lab.join(entries::FILE), text.as_bytes())?;
    fleet::write(&lab.join(KNOWN_HOSTS), standing.known_hosts().as_bytes())
}
