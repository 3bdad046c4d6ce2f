//! `yellowlegs compare`: two switches, two snapshots, or a switch and its saved copy, baseline or sisters.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::ExitCode;

use yellowlegs_core::check::{Check, Judge, Selection, all, compare, compare_state};
use yellowlegs_core::finding::Finding;
use yellowlegs_core::model::{SavedCopy, SettingId};
use yellowlegs_core::policy::{AsOf, Sisters};
use yellowlegs_core::resolve::Resolved;
use yellowlegs_core::sorted;
use yellowlegs_core::source::nearest;

use super::moment;
use super::read::tell;
use crate::args::{Against, Compare, Loudness, PageFormat};
use crate::failure::Failure;
use crate::fleet::{self, Fleet, Found, Loaded, Root};
use crate::output;
use crate::render::compare::{Changed, Comparison, json, text};

pub(super) fn run(args: &Compare, loudness: Loudness) -> Result<ExitCode, Failure> {
    let comparisons = match &args.b {
        Some(b) if args.a.is_dir() && b.is_dir() && !are_switches(args, [&args.a, b]) => snapshots(args, &args.a, b)?,
        _ => of_one_fleet(args)?,
    };
    let Compared { all, whole } = comparisons;
    let mut out = output::report(matches!(args.format, PageFormat::Text), loudness.color);
    let written = match args.format {
        PageFormat::Text => text(&mut out, &all, whole, &output::look(loudness, false)),
        PageFormat::Json => json(&mut out, &all),
    };
    written.and_then(|()| out.flush()).map_err(Failure::stdout)?;
    let differs = all.iter().any(Comparison::differs);
    Ok(ExitCode::from(match (whole, differs) {
        (false, _) => 2,
        (true, true) => 1,
        (true, false) => 0,
    }))
}

/// Whether two folders are switches of one fleet, by name or by where they stand: then they are no snapshots.
fn are_switches(args: &Compare, folders: [&Path; 2]) -> bool {
    let Ok(side) = Side::open(args, &[]) else { return false };
    folders.into_iter().all(|folder| side.find_named(folder).is_some())
}

struct Compared {
    all: Vec<Comparison>,
    whole: bool,
}

/// One side: a fleet with what it is read and judged by.
struct Side {
    root: Root,
    loaded: Loaded,
    as_of: AsOf,
    fleet: Fleet,
}

impl Side {
    fn open(args: &Compare, paths: &[std::path::PathBuf]) -> Result<Self, Failure> {
        let root = Root::find(args.fleet.fleet.as_deref().filter(|_| paths.is_empty()), paths)?;
        let loaded = fleet::load(&root, &args.fleet)?;
        let as_of = moment(args.as_of.as_deref(), loaded.policy.as_of.as_ref())?;
        let fleet = fleet::discover(&root, &loaded.policy)?;
        Ok(Self { root, loaded, as_of, fleet })
    }

    /// A switch by its name, or by its folder.
    fn find_named(&self, asked: &Path) -> Option<&Found> {
        let real = std::fs::canonicalize(asked).ok();
        let by_folder = || self.fleet.switches.iter().find(|found| real.as_deref() == Some(&*found.path));
        self.find(&asked.to_string_lossy()).or_else(by_folder)
    }

    fn find(&self, name: &str) -> Option<&Found> {
        let baseline = || self.fleet.baselines.iter().find(|(path, _)| path == name).map(|(_, found)| found);
        self.fleet.switches.iter().find(|found| *found.name == *name).or_else(baseline)
    }

    /// The first group of sisters that a switch is in.
    fn sisters_of(&self, name: &str) -> Option<&Sisters> {
        self.loaded.policy.sisters.iter().find(|group| group.switches.iter().any(|glob| glob.is_match(name)))
    }

    fn read(&self, found: &Found, whole: &mut bool) -> Option<Resolved> {
        let (read, unreadable) = fleet::read_switch(&self.root.dir, found, &self.loaded, self.as_of.moment());
        *whole &= unreadable.is_empty() && read.is_some();
        unreadable.iter().for_each(tell);
        read.map(|(resolved, _)| resolved)
    }

    fn findings(&self, resolved: &Resolved) -> Vec<Finding> {
        let selection = Selection::default();
        let judge = Judge::new(&self.loaded.policy, &self.as_of, &selection, false);
        judge.switch(resolved, resolved.lists()).outcome.findings
    }
}

fn unknown(side: &Side, name: &str) -> Failure {
    let names = side.fleet.switches.iter().map(|found| &*found.name);
    let near = nearest(name, names);
    let hint =
        near.map_or_else(|| "name a switch of the fleet, or a folder".into(), |n| format!("did you mean `{n}`?"));
    Failure::usage(format!("there is no switch `{name}`"), hint)
}

/// Two switches of one fleet, or one with what it should be like.
fn of_one_fleet(args: &Compare) -> Result<Compared, Failure> {
    let side = Side::open(args, &[])?;
    let asked = args.a.to_string_lossy().into_owned();
    let found = side.find_named(&args.a).ok_or_else(|| unknown(&side, &asked))?;
    let name = found.name.to_string();
    let mut whole = side.fleet.tell_unreadable(tell);
    let mut all = Vec::new();
    let Some(a) = side.read(found, &mut whole) else { return Ok(Compared { all, whole }) };
    let others: Vec<(String, Resolved)> = match (args.against, &args.b) {
        (Some(Against::Saved), _) => match a.switch.saved() {
            SavedCopy::Read(saved) => {
                vec![("its saved configuration".to_owned(), Resolved::from_record((**saved).clone()))]
            }
            SavedCopy::Missing | SavedCopy::NotKept => {
                return Err(Failure::usage(
                    format!("`{name}` has no saved configuration"),
                    "[files] saved says which files are",
                ));
            }
        },
        (Some(against), _) => group(&side, &name, against, &mut whole)?,
        (None, b) => {
            let asked = b.clone().unwrap_or_default();
            let found = side.find_named(&asked).ok_or_else(|| unknown(&side, &asked.to_string_lossy()))?;
            let other = found.name.to_string();
            side.read(found, &mut whole).map(|resolved| (other, resolved)).into_iter().collect()
        }
    };
    let group = args.against.filter(|against| *against != Against::Saved).and_then(|_| side.sisters_of(&name));
    for (other, b) in others {
        all.push(pair(&name, &other, (&side, &a), (&side, &b), group));
    }
    Ok(Compared { all, whole })
}

/// The baseline or the sisters that the policy gives a switch.
fn group(side: &Side, name: &str, against: Against, whole: &mut bool) -> Result<Vec<(String, Resolved)>, Failure> {
    let Some(group) = side.sisters_of(name) else {
        return Err(Failure::usage(
            format!("`{name}` is in no group of sisters"),
            "write one in the policy: [[sisters]]",
        ));
    };
    let names: Vec<String> = match against {
        Against::Baseline => group.baseline.iter().cloned().collect(),
        Against::Saved | Against::Sisters => {
            let there = side.fleet.switches.iter().map(|found| found.name.to_string());
            there.filter(|other| other != name && group.switches.iter().any(|glob| glob.is_match(other))).collect()
        }
    };
    if names.is_empty() {
        let what = if against == Against::Baseline { "baseline" } else { "other switches" };
        return Err(Failure::usage(
            format!("the sister group of `{name}` has no {what}"),
            "see [[sisters]] in the policy",
        ));
    }
    let mut others = Vec::new();
    for name in names {
        let found = side.find(&name).ok_or_else(|| unknown(side, &name))?;
        others.extend(side.read(found, whole).map(|resolved| (name, resolved)));
    }
    Ok(others)
}

/// Two snapshots of a fleet, switch by switch.
fn snapshots(args: &Compare, a: &Path, b: &Path) -> Result<Compared, Failure> {
    let (left, right) = (Side::open(args, &[a.to_owned()])?, Side::open(args, &[b.to_owned()])?);
    let names: sorted::Set<&str> =
        sorted::set(left.fleet.switches.iter().chain(&right.fleet.switches).map(|found| &*found.name));
    let (mut all, mut whole) = (Vec::new(), true);
    for side in [&left, &right] {
        whole &= side.fleet.tell_unreadable(tell);
    }
    for name in names {
        match (left.find(name), right.find(name)) {
            (Some(one), Some(other)) => {
                let (one, other) = (left.read(one, &mut whole), right.read(other, &mut whole));
                if let (Some(one), Some(other)) = (one, other) {
                    let comparison = pair(name, name, (&left, &one), (&right, &other), None);
                    all.extend(comparison.differs().then_some(comparison));
                }
            }
            (Some(_), None) => all.push(Comparison::alone(name, &a.display().to_string())),
            (None, Some(_)) => all.push(Comparison::alone(name, &b.display().to_string())),
            (None, None) => {}
        }
    }
    Ok(Compared { all, whole })
}

/// What names a finding on either side: not its switch, whose name may differ, nor its words.
type Key = (&'static str, Option<String>, Option<u16>, Option<&'static str>);

/// Whether both sides have what a check needs: state, a saved copy.
fn is_shared(found: &Finding, sides: [&Resolved; 2]) -> bool {
    let check = all().find(|check| check.id == found.check);
    let needs_saved = check.is_some_and(|check| check.needs.contains(&"saved configuration"));
    let has_state = sides.iter().all(|side| side.switch.has_state());
    let has_saved = sides.iter().all(|side| matches!(side.switch.saved(), SavedCopy::Read(_)));
    (has_state || !check.is_some_and(Check::is_state)) && (has_saved || !needs_saved)
}

fn keyed(findings: Vec<Finding>) -> BTreeMap<Key, Finding> {
    let key = |found: &Finding| {
        (found.check, found.port.clone(), found.vlan, found.settings.first().map(|setting| setting.name))
    };
    sorted::tree_map(findings.into_iter().map(|found| (key(&found), found)))
}

/// Two readings held against each other: with the exceptions of their group of sisters, where they are compared as such. Checks look
/// at what both sides tell of the network.
fn pair(
    a: &str,
    b: &str,
    (side_a, one): (&Side, &Resolved),
    (side_b, other): (&Side, &Resolved),
    group: Option<&Sisters>,
) -> Comparison {
    let alike = |one: &Resolved, other: &Resolved| {
        let mut alike = one.clone();
        alike.switch = alike.switch.with_state_like(&other.switch);
        alike
    };
    let excepted = |found: &Finding| {
        let id = found.settings.first().and_then(|setting| SettingId::by_name(setting.name));
        id.is_some_and(|id| group.is_some_and(|group| group.excepts(id)))
    };
    let shared = |found: &Finding| is_shared(found, [one, other]) && !excepted(found);
    let (mut first, mut second) = (side_a.findings(&alike(one, other)), side_b.findings(&alike(other, one)));
    first.retain(shared);
    second.retain(shared);
    let (mut before, after) = (keyed(first), keyed(second));
    let (mut appeared, mut stayed) = (Vec::new(), Vec::new());
    for (key, found) in after {
        match before.remove(&key) {
            Some(_) => stayed.push(Changed::of(&found)),
            None => appeared.push(Changed::of(&found)),
        }
    }
    Comparison {
        a: a.to_owned(),
        b: b.to_owned(),
        only_in: None,
        settings: compare(one, other, |id| group.is_none_or(|group| group.compares(id))),
        state: compare_state(&one.switch, &other.switch),
        appeared,
        gone: before.values().map(Changed::of).collect(),
        stayed,
    }
}
