//! What the page shows, as its template takes it: words ready to be escaped, places of ports, nothing to be worked out.

use std::collections::{BTreeMap, BTreeSet};

use yellowlegs_core::finding::{
    Block, CheckRow, Evidence, EvidenceKind, Finding, PortShown, Standing, Summary, SwitchOutcome, SwitchRow, blocks,
};
use yellowlegs_core::model::port_spans;
use yellowlegs_core::sorted;

use super::super::drawing::{Drawing, draw, symbol};
use super::super::whole::{Whole, findings_on, ports_of};
use super::super::{Tail, clean, note, place};

/// The page.
pub(super) struct Page {
    pub(super) title: String,
    pub(super) version: &'static str,
    pub(super) chosen: String,
    pub(super) summary: Summary,
    pub(super) levels: [(&'static str, usize); 3],
    pub(super) shares: Vec<Share>,
    pub(super) legend: Vec<(&'static str, &'static str)>,
    pub(super) families: sorted::Set<String>,
    pub(super) roles: sorted::Set<String>,
    pub(super) overview: Vec<Line>,
    pub(super) checks: Vec<CheckLine>,
    pub(super) switches: Vec<Switch>,
    pub(super) fleet: Vec<Told>,
    pub(super) undetermined: Vec<Missing>,
    pub(super) since: Option<Compared>,
    /// Lists under their titles.
    pub(super) rest: Vec<(&'static str, Vec<String>)>,
}

/// A part of all ports.
pub(super) struct Share {
    pub(super) word: &'static str,
    pub(super) symbol: &'static str,
    pub(super) ports: usize,
    pub(super) percent: usize,
    pub(super) meaning: &'static str,
}

/// A switch in the overview.
pub(super) struct Line {
    pub(super) position: usize,
    pub(super) name: String,
    pub(super) row: SwitchRow,
    pub(super) percent: usize,
    pub(super) undetermined: usize,
}

/// A check in the overview.
pub(super) struct CheckLine {
    pub(super) check: &'static str,
    pub(super) level: &'static str,
    pub(super) symbol: &'static str,
    pub(super) findings: usize,
    pub(super) switches: usize,
}

/// A switch with its panel and its findings.
pub(super) struct Switch {
    pub(super) position: usize,
    pub(super) name: String,
    pub(super) about: String,
    pub(super) drawing: Drawing,
    pub(super) told: Vec<Told>,
    pub(super) open: Vec<Missing>,
    /// Ports about which no finding says anything: those that are clean, and those that only lack a fact.
    pub(super) quiet: Vec<(&'static str, Vec<Chip>)>,
}

/// A port named beside a finding.
pub(super) struct Chip {
    pub(super) name: String,
    /// The number that the panel's link leads to, where it leads here.
    pub(super) anchor: Option<String>,
}

/// A fault, on one port or on many.
pub(super) struct Told {
    pub(super) symbol: &'static str,
    pub(super) level: &'static str,
    pub(super) family: String,
    pub(super) check: &'static str,
    pub(super) role: String,
    pub(super) role_shown: String,
    pub(super) ports: Vec<Chip>,
    /// Where it is, where it is on no port.
    pub(super) place: &'static str,
    pub(super) message: String,
    pub(super) lines: Vec<Quote>,
    pub(super) alike: Vec<String>,
    pub(super) policy: Vec<Quote>,
    pub(super) related: Vec<String>,
    pub(super) remedy: String,
    pub(super) waiver: String,
    /// What a drill made of it.
    pub(super) drill: String,
    pub(super) since: &'static str,
}

/// A line of evidence, with the words that decide.
pub(super) struct Quote {
    pub(super) place: String,
    pub(super) note: &'static str,
    pub(super) before: String,
    pub(super) words: String,
    pub(super) after: String,
}

/// Facts that are missing.
pub(super) struct Missing {
    pub(super) needs: String,
    pub(super) checks: String,
    pub(super) on: String,
}

/// What became of an earlier report's findings.
pub(super) struct Compared {
    pub(super) as_of: String,
    pub(super) new: usize,
    pub(super) remaining: usize,
    pub(super) former: Vec<(&'static str, String)>,
}

impl Page {
    pub(super) fn of(whole: &Whole, tail: &Tail<'_>) -> Self {
        let summary = tail.totals.summary(tail.unreadable.len());
        let count = |word: &'static str| (word, summary.findings.get(word).copied().unwrap_or_default());
        let mut open: BTreeMap<&str, usize> = BTreeMap::new();
        for outcome in &whole.switches {
            let name = outcome.row.as_ref().map_or("", |row| &row.switch);
            open.insert(name, ports_of(outcome, tail).iter().filter(|p| p.standing == Standing::Undetermined).count());
        }
        let line = |(position, row): (usize, &SwitchRow)| Line {
            position,
            name: text(&row.switch),
            percent: percent(row.violating_ports as usize, row.ports as usize),
            undetermined: open.get(&*row.switch).copied().unwrap_or_default(),
            row: row.clone(),
        };
        let mut overview: Vec<Line> = tail.totals.switches().iter().enumerate().map(line).collect();
        sorted::by_key(&mut overview, |line| {
            let found = line.row.findings;
            std::cmp::Reverse((found.breach, found.risk, line.row.violating_ports, found.advice))
        });
        let findings = || whole.switches.iter().flat_map(|o| &o.findings).chain(tail.fleet_findings);
        Self {
            title: text(&whole.head.title()),
            version: env!("CARGO_PKG_VERSION"),
            chosen: text(&whole.head.chosen.join(" ")),
            levels: [count("breach"), count("risk"), count("advice")],
            shares: shares(&summary),
            legend: Standing::ALL.iter().map(|s| (symbol(*s), s.word())).collect(),
            families: sorted::set(findings().map(|f| family(f.check))),
            roles: sorted::set(findings().filter_map(|f| f.role.as_deref().map(text))),
            overview,
            checks: tail.totals.checks().into_iter().map(check_line).collect(),
            switches: (0..).zip(&whole.switches).map(|(n, outcome)| Switch::of(n, outcome, tail)).collect(),
            fleet: blocks(tail.fleet_findings.iter().filter(|f| f.switch.is_none()))
                .iter()
                .map(|block| Told::of(block, &mut |_| None))
                .collect(),
            undetermined: tail
                .totals
                .undetermined()
                .into_iter()
                .map(|row| Missing {
                    needs: row.lacks(),
                    checks: row.check.to_owned(),
                    on: format!("{} ports of {} switches", row.ports, row.switches),
                })
                .collect(),
            since: tail.totals.since().map(|since| Compared {
                as_of: text(&since.as_of),
                new: since.new,
                remaining: since.remaining,
                former: since
                    .gone
                    .iter()
                    .chain(&since.unsettled)
                    .map(|former| {
                        let place = [former.switch.as_deref(), former.port.as_deref()];
                        let place: Vec<&str> = place.into_iter().flatten().collect();
                        (former.now.words(), text(&format!("{} {}: {}", place.join(" "), former.check, former.message)))
                    })
                    .collect(),
            }),
            rest: rest(tail),
            summary,
        }
    }
}

fn rest(tail: &Tail<'_>) -> Vec<(&'static str, Vec<String>)> {
    let unreadable = tail.unreadable.iter().map(|file| text(&format!("{}: {}", file.file, file.why)));
    let unread = tail.totals.unread().into_iter().map(|row| {
        let shown = row.sample.text.as_deref().unwrap_or(&row.shape).trim();
        text(&format!("{} × {shown}  ({}:{})", row.count, row.sample.file, row.sample.line))
    });
    let remarks = tail.totals.remarks().map(|remark| text(&format!("{}: {}", remark.about, remark.text)));
    let lists = [
        ("Could not be read", unreadable.collect::<Vec<_>>()),
        ("Lines not understood", unread.collect()),
        ("Remarks", remarks.collect()),
    ];
    lists.into_iter().filter(|(_, lines)| !lines.is_empty()).collect()
}

fn text(text: &str) -> String {
    clean(text).into_owned()
}

fn family(check: &str) -> String {
    check.split_once('/').map_or(check, |(family, _)| family).to_owned()
}

fn percent(part: usize, whole: usize) -> usize {
    ((part * 100 + whole / 2) / whole.max(1)).clamp(usize::from(part > 0), 100)
}

fn shares(summary: &Summary) -> Vec<Share> {
    let share = |standing: Standing, word, ports, meaning| Share {
        word,
        symbol: symbol(standing),
        ports,
        percent: percent(ports, summary.ports),
        meaning,
    };
    vec![
        share(Standing::Breach, "violating", summary.violating_ports, "an unwaived finding at risk or breach"),
        share(Standing::Waived, "waived", summary.waived_ports, "nothing but waived findings"),
        share(Standing::Undetermined, "undetermined", summary.undetermined_ports, "a check lacks a fact: no pass"),
        share(Standing::Clean, "clean", summary.clean_ports, "every check met, advice apart"),
    ]
}

fn check_line(row: &CheckRow) -> CheckLine {
    let CheckRow { check, level, findings, switches, .. } = *row;
    let standing = match level {
        yellowlegs_core::policy::Level::Breach => Standing::Breach,
        yellowlegs_core::policy::Level::Risk => Standing::Risk,
        yellowlegs_core::policy::Level::Advice => Standing::Advice,
    };
    CheckLine { check, level: level.word(), symbol: symbol(standing), findings, switches }
}

impl Switch {
    fn of(position: usize, outcome: &SwitchOutcome, tail: &Tail<'_>) -> Self {
        let ports = ports_of(outcome, tail);
        let places: sorted::Map<&str, usize> =
            sorted::map(ports.iter().map(|port| (port.name.as_str(), port.position)));
        let mut left: BTreeSet<&str> = sorted::tree_set(places.keys().copied());
        // The first block that names a port is where its link leads.
        let mut anchor = |name: &str| {
            let place = places.get(name)?;
            left.remove(name).then(|| format!("s{position}p{place}"))
        };
        let told: Vec<Told> =
            blocks(findings_on(outcome, tail)).iter().map(|block| Told::of(block, &mut anchor)).collect();
        let quiet = [("clean", Standing::Clean), ("undetermined", Standing::Undetermined)].map(|(word, standing)| {
            let mine = ports.iter().filter(|port| port.standing == standing);
            let chips: Vec<Chip> = mine.map(|port| chip(port.name.as_str(), &mut anchor)).collect();
            (word, chips)
        });
        let row = outcome.row.as_ref();
        let violating = ports.iter().filter(|port| port.standing.is_violating()).count();
        let about = row.map_or_else(String::new, |row| {
            format!(
                "{}, {} ports, {violating} violating; {} of {} lines not understood",
                &row.read_by(),
                row.ports,
                row.unread_lines,
                row.lines
            )
        });
        Self {
            position,
            name: row.map(|row| text(&row.switch)).unwrap_or_default(),
            about: text(&about),
            drawing: draw(&ports),
            told,
            open: missing(outcome, &ports),
            quiet: quiet.into_iter().filter(|(_, chips)| !chips.is_empty()).collect(),
        }
    }
}

fn chip(name: &str, anchor: &mut dyn FnMut(&str) -> Option<String>) -> Chip {
    Chip { name: text(name), anchor: anchor(name) }
}

/// What could not be decided on a switch: one entry for each missing fact.
fn missing(outcome: &SwitchOutcome, ports: &[PortShown]) -> Vec<Missing> {
    let mut facts: BTreeMap<String, (BTreeSet<&str>, BTreeSet<Option<&str>>)> = BTreeMap::new();
    for open in &outcome.undetermined {
        let (checks, places) = facts.entry(open.lacks().trim_start_matches("needs ").to_owned()).or_default();
        checks.insert(open.check);
        places.insert(open.port.as_deref());
    }
    let missing = |(needs, (checks, places)): (String, (BTreeSet<&str>, BTreeSet<Option<&str>>))| {
        let names: Vec<&str> =
            ports.iter().map(|port| port.name.as_str()).filter(|name| places.contains(&Some(*name))).collect();
        let on = if names.is_empty() { "the switch".to_owned() } else { port_spans(&names).join(", ") };
        Missing { needs, checks: checks.into_iter().collect::<Vec<_>>().join(", "), on: text(&on) }
    };
    facts.into_iter().map(missing).collect()
}

impl Told {
    fn of(block: &Block<'_>, anchor: &mut dyn FnMut(&str) -> Option<String>) -> Self {
        let found = block.first;
        let standing = Standing::of(found);
        let (policy, own): (Vec<&Evidence>, Vec<&Evidence>) =
            found.evidence.iter().partition(|line| line.kind == EvidenceKind::Policy);
        let related = |r: &yellowlegs_core::finding::Related| {
            text(&[Some(&*r.switch), r.port.as_deref()].into_iter().flatten().collect::<Vec<_>>().join(" "))
        };
        Self {
            symbol: symbol(standing),
            level: standing.word(),
            family: family(found.check),
            check: found.check,
            role: found.role.as_deref().map(text).unwrap_or_default(),
            role_shown: found.role.as_deref().map(|role| text(&format!("role {role}"))).unwrap_or_default(),
            ports: block.ports().into_iter().map(|name| chip(name, anchor)).collect(),
            place: match (&found.switch, &found.port) {
                (_, Some(_)) => "",
                (Some(_), None) => "the switch",
                (None, None) => "the fleet",
            },
            message: text(&found.message),
            lines: own.into_iter().map(Quote::of).collect(),
            alike: alike(block),
            policy: policy.into_iter().map(Quote::of).collect(),
            related: found.related.iter().map(related).collect(),
            remedy: text(&found.remedy),
            waiver: found.waiver.as_ref().map_or_else(String::new, |waiver| {
                let at = place(&waiver.evidence);
                text(&format!("Waived until {} by {}: {} ({at})", waiver.last_day, waiver.owner, waiver.reason))
            }),
            drill: found.drill.as_ref().map_or_else(String::new, |shown| {
                text(&format!("drill {}: {} on {} port(s), {}", shown.drill, shown.outcome, shown.ports, shown.says))
            }),
            since: found.since.map_or("", |since| since.word()),
        }
    }
}

/// The lines of the other ports of a block.
fn alike(block: &Block<'_>) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    let own =
        |other: &&Finding| other.evidence.iter().find(|e| e.kind != EvidenceKind::Policy && e.line.is_some()).cloned();
    for (other, line) in block.others.iter().filter_map(|other| Some((other, own(other)?))) {
        if !block.first.evidence.contains(&line) {
            let port = other.port.as_deref().unwrap_or_default();
            lines.push(text(&format!("{port}  {}  {}", place(&line), line.text.trim())));
        }
    }
    lines
}

impl Quote {
    fn of(line: &Evidence) -> Self {
        let trimmed = line.text.trim_start();
        let indent = line.text.chars().count() - trimmed.chars().count();
        let start = line.start().saturating_sub(indent);
        let width = line.width.filter(|_| line.line.is_some()).unwrap_or_default() as usize;
        let part = |skip: usize, take: usize| text(&trimmed.chars().skip(skip).take(take).collect::<String>());
        Self {
            place: if line.file.is_some() { place(line) } else { String::new() },
            note: note(line.kind),
            before: part(0, start),
            words: part(start, width),
            after: part(start + width, usize::MAX),
        }
    }
}
