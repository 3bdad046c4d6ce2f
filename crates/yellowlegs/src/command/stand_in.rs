//! `yellowlegs stand-in`: plays the switches of a fleet, and writes a folder to gather them into.

use std::collections::BTreeMap;
use std::io::Write;
use std::process::ExitCode;
use std::sync::Arc;

use jiff::Timestamp;
use secrecy::SecretString;
use yellowlegs_core::check::Selection;
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::model::Oid;
use yellowlegs_core::source::nearest;
use yellowlegs_core::walk::{self, Told};
use yellowlegs_gather::credential::Secrets;
use yellowlegs_gather::entries::{self, Draft};
use yellowlegs_gather::stand_in::{Place, Played, StandIns, Trouble, USER};

use super::audit::glob;
use super::gather::{self, KNOWN_HOSTS};
use crate::args::{FleetArgs, Gather, Loudness, OneWay, StandIn};
use crate::failure::Failure;
use crate::fleet::{self, Found, Kind, Layout, Root, relative};
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
        if let Some(one) = one(&root, &loaded, args, switch)? {
            let dialect = one.dialect.as_ref().map(|dialect| dialect.name().to_string());
            folders.insert(switch.name.to_string(), (relative(&root.dir, &switch.path), dialect));
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

/// A switch with its texts and objects; none, and why, where it cannot be played.
fn one(root: &Root, loaded: &fleet::Loaded, args: &StandIn, switch: &Found) -> Result<Option<Played>, Failure> {
    let (read, unreadable) = fleet::read_switch(&root.dir, switch, loaded, Timestamp::default());
    unreadable.iter().for_each(super::read::tell);
    let Some((resolved, dialect)) = read else {
        tell(&switch.name, "it cannot be read");
        return Ok(None);
    };
    let mut files = BTreeMap::new();
    if args.way != Some(OneWay::Snmp) {
        files = texts(root, switch, dialect.as_deref())?;
    }
    let mut objects = Told::new();
    if args.way != Some(OneWay::Ssh) {
        objects = walk::objects_of(&resolved.switch, &identifier(dialect.as_deref()));
    }
    let session = dialect.as_ref().and_then(|dialect| dialect.session());
    let is_told = !files.is_empty() && session.is_some();
    if !is_told && objects.is_empty() {
        let why = match &dialect {
            _ if files.is_empty() => "it has no text to give".to_owned(),
            Some(dialect) => format!("{} has no [session]", dialect.source().path()),
            None => "nobody knows how one talks to it".to_owned(),
        };
        tell(&switch.name, &why);
        return Ok(None);
    }
    Ok(Some(Played {
        name: switch.name.to_string(),
        dialect,
        files: if is_told { files } else { BTreeMap::new() },
        objects,
        trouble: None,
    }))
}

/// What the agent of a switch says it is: what the dialect knows, or the tree of nobody (RFC 2578: enterprises below 1.3.6.1.4.1).
fn identifier(dialect: Option<&Dialect>) -> Oid {
    let known = dialect.and_then(|dialect| dialect.objects().systems.first().cloned());
    known.unwrap_or_else(|| Oid::new([1, 3, 6, 1, 4, 1]))
}

/// The texts that a switch gives by the session of its dialect; those that no command gives are told.
fn texts(root: &Root, switch: &Found, dialect: Option<&Dialect>) -> Result<BTreeMap<String, String>, Failure> {
    let mut files = BTreeMap::new();
    let (Layout::Folder(_), Some(dialect)) = (&switch.layout, dialect) else { return Ok(files) };
    let given = |file: &str| dialect.session().is_some_and(|s| s.commands.iter().any(|command| &*command.file == file));
    for path in [Kind::Running, Kind::Saved, Kind::State].into_iter().flat_map(|kind| switch.files(kind)) {
        let source = fleet::source(&root.dir, &path)?;
        let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        if dialect.session().is_some() && !given(&name) {
            let what = format!("no command of the [session] gives {name}, so nobody is told what it holds");
            anstream::eprintln!("{}", crate::render::clean(&format!("{}: {what}", switch.name)));
        }
        files.insert(name, source.text().to_owned());
    }
    Ok(files)
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
        let pages = played
            .dialect
            .as_ref()
            .and_then(|dialect| dialect.session())
            .is_some_and(|session| !session.more.is_empty());
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
    folders: &BTreeMap<String, (String, Option<String>)>,
) -> Result<(), Failure> {
    let lab = &args.lab;
    if lab.symlink_metadata().is_ok() {
        let what = format!("--lab {}: it is there already", lab.display());
        return Err(Failure::usage(what, "name a folder that is not there, or remove it"));
    }
    fleet::copy_frame(root, loaded, lab)?;
    let draft = |place: &Place| {
        let (folder, dialect) = folders.get(&place.name).cloned()?;
        let ways: &[&str] = match (&place.ssh, &place.snmp) {
            (Some(_), Some(_)) => &["ssh", "snmp"],
            (None, _) => &["snmp"],
            (Some(_), None) => &["ssh"],
        };
        Some(Draft {
            name: place.name.clone(),
            address: "127.0.0.1".to_owned(),
            port: place.ssh.as_ref().map(|(address, _)| address.port()),
            folder: Some(folder),
            dialect,
            user: None,
            ways: Some(ways),
            snmp_port: place.snmp.map(|address| address.port()),
        })
    };
    let drafts: Vec<Draft> = standing.places().iter().filter_map(draft).collect();
    let text = entries::write(Some(USER), None, &format!("{{ environment = \"{WORD}\" }}"), &drafts);
    fleet::write(&lab.join(entries::FILE), text.as_bytes())?;
    fleet::write(&lab.join(KNOWN_HOSTS), standing.known_hosts().as_bytes())
}
