//! The totals of a fleet: everything a report says after its findings.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::ptr;
use std::sync::Arc;

use super::in_turn::InTurn;
use super::outcome::{Counts, DoubtLine, Standing, SwitchOutcome, Undecided};
use super::{Finding, Related, SinceRow};
use crate::model::{Remark, Switch};
use crate::policy::Level;
use crate::sorted;
use rustc_hash::{FxHashMap, FxHashSet};
use serde::Serialize;

/// How many subjects a group shows.
const SAMPLES: usize = 5;

/// A switch in the report.
#[derive(Debug, Clone, Serialize)]
pub struct SwitchRow {
    /// Its name.
    pub switch: Arc<str>,
    /// Its dialect; null for a record that names none, and for a switch that is known by its walk alone.
    pub dialect: Option<Arc<str>>,
    /// It is known by its walk alone.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub walk: bool,
    /// Its ports (those reported, when a filter chose).
    pub ports: u32,
    /// Those with at least one unwaived finding at risk or above; in the report's end those across the fleet count too.
    pub violating_ports: u32,
    /// Lines of its configuration.
    pub lines: u32,
    /// Those not understood.
    pub unread_lines: u32,
    /// Its unwaived findings, those across the fleet that stand on it too.
    pub findings: Levels,
}

/// Findings by level.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct Levels {
    /// Breaches.
    pub breach: u32,
    /// Risks.
    pub risk: u32,
    /// Advice.
    pub advice: u32,
}

impl SwitchRow {
    /// What it was read by, in a word or two.
    pub fn read_by(&self) -> Cow<'_, str> {
        match (self.dialect.as_deref(), self.walk) {
            (Some(dialect), true) => Cow::Owned(format!("{dialect} by its walk")),
            (None, true) => Cow::Borrowed("walk"),
            (dialect, false) => Cow::Borrowed(dialect.unwrap_or("record")),
        }
    }
}

impl Levels {
    /// How many there are at a level.
    pub fn at(&mut self, level: Level) -> &mut u32 {
        match level {
            Level::Breach => &mut self.breach,
            Level::Risk => &mut self.risk,
            Level::Advice => &mut self.advice,
        }
    }

    fn count(&mut self, finding: &Finding) {
        if finding.waiver.is_none() {
            *self.at(finding.level) += 1;
        }
    }
}

/// A check that was violated, and how often.
#[derive(Debug, Clone)]
pub struct CheckRow {
    /// The check.
    pub check: &'static str,
    /// The gravest level it was told at.
    pub level: Level,
    /// Its unwaived findings.
    pub findings: usize,
    /// On how many switches.
    pub switches: usize,
    last: Option<Arc<str>>,
}

/// Checks that could not be decided for want of the same facts.
#[derive(Debug, Clone, Serialize)]
pub struct UndeterminedRow {
    /// The check.
    pub check: &'static str,
    /// What is missing.
    pub needs: Vec<&'static str>,
    /// On how many switches.
    pub switches: usize,
    /// On how many ports.
    pub ports: usize,
    /// Some of them.
    pub sample: Vec<Sample>,
    /// Some of the lines that are not understood and could have told.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub doubts: Vec<Arc<DoubtLine>>,
}

impl UndeterminedRow {
    /// What is missing, with a line that nobody understands where that is why.
    pub fn lacks(&self) -> String {
        let facts = self.needs.join(", ");
        match self.doubts.first() {
            Some(line) => format!("{facts} ({}:{} is not understood)", line.file, line.line),
            None => facts,
        }
    }
}

/// A port or switch named as an example.
#[derive(Debug, Clone, Serialize)]
pub struct Sample {
    /// The switch.
    pub switch: Arc<str>,
    /// The port.
    pub port: Option<String>,
}

/// Lines of one shape that were not understood.
#[derive(Debug, Clone, Serialize)]
pub struct UnreadRow {
    /// The shape: words that the dialect does not know are masked.
    pub shape: String,
    /// How many lines.
    pub count: usize,
    /// On how many switches.
    pub switches: usize,
    /// These, the first of them in the order of the fleet.
    pub on: Vec<Arc<str>>,
    /// One of them.
    pub sample: UnreadSample,
}

/// So many switches are named for a shape.
const MOST_NAMED: usize = 32;

/// What lines of one shape keep open, because nobody understands them or the text is torn there.
#[derive(Debug, Clone, Serialize)]
pub struct DoubtRow {
    /// The shape, or how the text is torn.
    pub shape: Arc<str>,
    /// A file with one of them.
    pub file: Arc<str>,
    /// Its line there.
    pub line: u32,
    /// On how many ports checks are open by them.
    pub ports: usize,
    /// On how many switches checks of the switch itself are.
    pub switches: usize,
    /// Checks that are undecided by them, each port by itself.
    pub checks: usize,
    /// The command that shows how to settle it.
    pub settle: String,
}

/// Where a line of a shape stands; its text only when raw text was asked for.
#[derive(Debug, Clone, Serialize)]
pub struct UnreadSample {
    /// The file.
    pub file: String,
    /// The line.
    pub line: u32,
    /// The line itself.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
}

/// The report's summary.
#[derive(Debug, Clone, Default, Serialize)]
pub struct Summary {
    /// Switches.
    pub switches: usize,
    /// Ports.
    pub ports: usize,
    /// Ports with at least one unwaived finding at risk or above.
    pub violating_ports: usize,
    /// Ports about which there is nothing to say.
    pub clean_ports: usize,
    /// Ports whose findings at risk or above are all waived.
    pub waived_ports: usize,
    /// Other ports with a check that could not be decided.
    pub undetermined_ports: usize,
    /// Unwaived findings by level.
    pub findings: BTreeMap<&'static str, usize>,
    /// Checks that could not be decided, port by port.
    pub undetermined: usize,
    /// Waived findings.
    pub waived: usize,
    /// Lines not understood.
    pub unread_lines: usize,
    /// Files that could not be read.
    pub unreadable: usize,
}

/// What the lines of one shape keep open on a switch.
struct KeptOpen<'u> {
    /// The first of them.
    line: &'u Arc<DoubtLine>,
    checks: usize,
    /// The port that was told last: its checks come one after the other.
    last: Option<&'u str>,
    ports: FxHashSet<&'u str>,
    switch: bool,
}

impl<'u> KeptOpen<'u> {
    fn by(line: &'u Arc<DoubtLine>) -> Self {
        Self { line, checks: 0, last: None, ports: FxHashSet::default(), switch: false }
    }

    fn add(&mut self, port: Option<&'u str>, checks: usize) {
        self.checks += checks;
        match port {
            Some(port) if self.last == Some(port) => {}
            Some(port) => {
                self.ports.insert(port);
                self.last = Some(port);
            }
            None => self.switch = true,
        }
    }
}

struct Group {
    row: UndeterminedRow,
    last: Option<Arc<str>>,
}

impl Group {
    fn new(check: &'static str, needs: &[&'static str]) -> Self {
        let needs = needs.to_vec();
        let row = UndeterminedRow { check, needs, switches: 0, ports: 0, sample: Vec::new(), doubts: Vec::new() };
        Self { row, last: None }
    }

    /// One more, on a switch or a port of it.
    fn add(&mut self, switch: &Arc<str>, port: Option<&str>) {
        if self.last.as_ref() != Some(switch) {
            self.last = Some(Arc::clone(switch));
            self.row.switches += 1;
        }
        self.row.ports += usize::from(port.is_some());
        if self.row.sample.len() < SAMPLES {
            self.row.sample.push(Sample { switch: Arc::clone(switch), port: port.map(str::to_owned) });
        }
    }

    /// Lines that keep it open, as far as others of their shape are not told.
    fn doubt(&mut self, lines: &[Arc<DoubtLine>]) {
        let fresh = lines.iter().filter(|line| !self.row.doubts.iter().any(|told| told.shape == line.shape));
        let room = SAMPLES.saturating_sub(self.row.doubts.len());
        let fresh: Vec<_> = fresh.take(room).map(Arc::clone).collect();
        self.row.doubts.extend(fresh);
    }
}

/// Where ports come among those of their switch, by switch and name.
pub type Positions = BTreeMap<(Arc<str>, String), usize>;

/// Gathers outcomes, switch by switch.
#[derive(Default)]
pub struct Totals {
    /// By check and what is missing, the position of its group; apart where that is so because lines are not understood.
    undetermined: BTreeMap<(&'static str, Vec<&'static str>, bool), usize>,
    groups: Vec<Group>,
    unread: BTreeMap<String, UnreadRow>,
    doubts: BTreeMap<Arc<str>, DoubtRow>,
    remarks: BTreeSet<Remark>,
    /// How many switches are known by their walks alone.
    walked: usize,
    switches: Vec<SwitchRow>,
    /// What is said of the ports of each switch by their positions; none of those that are not reported.
    standings: Vec<Option<Standing>>,
    /// Where those of each switch begin.
    begins: Vec<usize>,
    ports: Counts,
    checks: BTreeMap<&'static str, CheckRow>,
    since: Option<SinceRow>,
    summary: Summary,
    worst_undetermined: Option<Level>,
}

impl Totals {
    /// None yet, and room for so many switches.
    pub fn with_room(switches: usize) -> Self {
        Self { switches: Vec::with_capacity(switches), begins: Vec::with_capacity(switches), ..Self::default() }
    }

    /// Takes in a switch; its findings are counted, not kept.
    pub fn add(&mut self, outcome: SwitchOutcome) {
        let Some(row) = outcome.row else { return };
        let begin = self.standings.len();
        self.begins.push(begin);
        self.standings.resize(begin + outcome.ports.last().map_or(0, |port| port.position + 1), None);
        for port in &outcome.ports {
            *self.ports.of(port.standing) += 1;
            if let Some(slot) = self.standings.get_mut(begin + port.position) {
                *slot = Some(port.standing);
            }
        }
        self.switches.push(row.clone());
        self.count_findings(&outcome.findings);
        if let Some(row) = self.switches.last_mut() {
            outcome.findings.iter().for_each(|finding| row.findings.count(finding));
        }
        self.add_doubts(&outcome.undetermined);
        self.add_undecided(&row.switch, &outcome.undetermined);
        for unread in outcome.unread {
            match self.unread.get_mut(&unread.shape) {
                Some(known) => known.add(unread),
                None => _ = self.unread.insert(unread.shape.clone(), unread),
            }
        }
        self.remarks.extend(outcome.remarks);
        self.walked += usize::from(row.walk);
        self.summary.switches += 1;
        self.summary.ports += row.ports as usize;
        self.summary.unread_lines += row.unread_lines as usize;
    }

    /// The position of a group.
    fn group(&mut self, check: &'static str, needs: &[&'static str], is_doubted: bool) -> usize {
        *self.undetermined.entry((check, needs.to_vec(), is_doubted)).or_insert_with(|| {
            self.groups.push(Group::new(check, needs));
            self.groups.len() - 1
        })
    }

    /// Groups the checks of a switch that could not be decided.
    fn add_undecided(&mut self, switch: &Arc<str>, undetermined: &[Undecided]) {
        // The groups of this switch: most checks are undecided on many of its ports, and lack the same there. By the places of the id and of
        // what is lacking: what stood at two would lead to one group all the same.
        let mut groups: InTurn<(*const str, *const &str, bool), usize> = InTurn::default();
        for Undecided { check, level, port, needs, doubts } in undetermined {
            // The gravest level comes first in order.
            self.worst_undetermined = self.worst_undetermined.into_iter().chain(*level).min();
            self.summary.undetermined += 1;
            let is_doubted = !doubts.is_empty();
            let place = (ptr::from_ref(*check), needs.as_ptr(), is_doubted);
            let group = groups.find(place, || self.group(check, needs, is_doubted));
            let Some(group) = self.groups.get_mut(group) else { continue };
            group.add(switch, port.as_deref());
            if group.row.doubts.len() < SAMPLES {
                group.doubt(doubts);
            }
        }
    }

    /// Counts, by shape, what the lines of a switch that are not understood keep open.
    fn add_doubts(&mut self, undetermined: &[Undecided]) {
        let mut shapes: FxHashMap<&str, usize> = FxHashMap::default();
        let mut kept_open: Vec<KeptOpen<'_>> = Vec::new();
        // By list, the positions of its lines' shapes: ports have few lists, and say each of many checks.
        let mut lists: FxHashMap<*const Arc<DoubtLine>, Vec<usize>> = FxHashMap::default();
        let open = undetermined.iter().filter(|open| !open.doubts.is_empty());
        // What follows each other on a port often hangs on the same lines.
        for alike in open.collect::<Vec<_>>().chunk_by(|a, b| Arc::ptr_eq(&a.doubts, &b.doubts) && a.port == b.port) {
            let Some(Undecided { port, doubts, .. }) = alike.first() else { continue };
            let list = lists.entry(doubts.as_ptr()).or_insert_with(|| {
                let mut list = Vec::with_capacity(doubts.len());
                for line in &**doubts {
                    let fresh = || {
                        kept_open.push(KeptOpen::by(line));
                        kept_open.len() - 1
                    };
                    list.push(*shapes.entry(&*line.shape).or_insert_with(fresh));
                }
                list
            });
            for position in list.iter() {
                kept_open[*position].add(port.as_deref(), alike.len());
            }
        }
        for KeptOpen { line, checks, ports, switch, .. } in kept_open {
            let fresh = || DoubtRow {
                shape: Arc::clone(&line.shape),
                file: Arc::clone(&line.file),
                line: line.line,
                ports: 0,
                switches: 0,
                checks: 0,
                settle: line.settle.to_string(),
            };
            let row = self.doubts.entry(Arc::clone(&line.shape)).or_insert_with(fresh);
            row.checks += checks;
            row.ports += ports.len();
            row.switches += usize::from(switch);
        }
    }

    /// Counts the findings that look across switches, each beside those of its switch.
    pub fn count_fleet_findings(&mut self, findings: &[Finding], positions: &Positions) {
        self.count_findings(findings);
        let places: sorted::Map<Arc<str>, usize> =
            sorted::map(self.switches.iter().enumerate().map(|(position, row)| (Arc::clone(&row.switch), position)));
        for finding in findings {
            let Some(place) = finding.switch.as_ref().and_then(|name| places.get(name)) else { continue };
            let Some(row) = self.switches.get_mut(*place) else { continue };
            row.findings.count(finding);
            let port = finding.switch.clone().zip(finding.port.clone()).and_then(|port| positions.get(&port));
            let end = self.begins.get(place + 1).copied().unwrap_or(self.standings.len());
            let slot = port.and_then(|port| self.standings.get_mut(self.begins[*place]..end)?.get_mut(*port)?.as_mut());
            // A port counts once, by the gravest that is said of it.
            let Some(standing) = slot.filter(|standing| Standing::of(finding) < **standing) else { continue };
            *self.ports.of(*standing) -= 1;
            row.violating_ports -= u32::from(standing.is_violating());
            *standing = Standing::of(finding);
            row.violating_ports += u32::from(standing.is_violating());
            *self.ports.of(*standing) += 1;
        }
    }

    fn count_findings(&mut self, findings: &[Finding]) {
        for finding in findings {
            if finding.waiver.is_some() {
                self.summary.waived += 1;
                continue;
            }
            *self.summary.findings.entry(finding.level.word()).or_default() += 1;
            let (check, level) = (finding.check, finding.level);
            let fresh = CheckRow { check, level, findings: 0, switches: 0, last: None };
            let row = self.checks.entry(check).or_insert(fresh);
            row.level = row.level.min(level);
            row.findings += 1;
            if finding.switch.is_none() || row.last != finding.switch {
                row.last.clone_from(&finding.switch);
                row.switches += usize::from(finding.switch.is_some());
            }
        }
    }

    /// Notes what an earlier report says beside this one.
    pub fn compared(&mut self, since: SinceRow) {
        self.since = Some(since);
    }

    /// What an earlier report says beside this one.
    pub fn since(&self) -> Option<&SinceRow> {
        self.since.as_ref()
    }

    /// The checks that were violated: gravest first, then those with most findings.
    pub fn checks(&self) -> Vec<&CheckRow> {
        let mut rows: Vec<&CheckRow> = self.checks.values().collect();
        sorted::by_key(&mut rows, |r| (r.level, std::cmp::Reverse(r.findings)));
        rows
    }

    /// The switches with findings, worst first: by breaches, then risks, then violating ports.
    pub fn worst_switches(&self) -> Vec<&SwitchRow> {
        let faulty = |row: &&SwitchRow| row.findings != Levels::default();
        let mut rows: Vec<&SwitchRow> = self.switches.iter().filter(faulty).collect();
        sorted::by_key(&mut rows, |row| {
            std::cmp::Reverse((row.findings.breach, row.findings.risk, row.violating_ports))
        });
        rows
    }

    /// Says once for all what is not known of switches that are known by their walks alone.
    pub fn tell_walked(&mut self) {
        let many = match self.walked {
            0 => return,
            1 => "1 switch is known by its walk alone".to_owned(),
            many => format!("{many} switches are known by their walks alone"),
        };
        let text = format!(
            "{many}: what the standards do not tell (port security, snooping, guards, what is saved) is undetermined there"
        );
        self.remark(Remark { about: "the fleet".to_owned(), file: None, line: None, text });
    }

    /// Notes something about the fleet.
    pub fn remark(&mut self, remark: Remark) {
        self.remarks.insert(remark);
    }

    /// Notes a check across switches that could not be decided, and for which switch.
    pub fn open(&mut self, check: &'static str, level: Level, needs: &'static str, place: &Related) {
        self.worst_undetermined = Some(self.worst_undetermined.map_or(level, |worst| worst.min(level)));
        self.summary.undetermined += 1;
        let group = self.group(check, &[needs], false);
        self.groups[group].add(&place.switch, place.port.as_deref());
    }

    /// The groups of undecided checks, most ports first.
    pub fn undetermined(&self) -> Vec<&UndeterminedRow> {
        let mut rows: Vec<&UndeterminedRow> =
            self.undetermined.values().map(|group| &self.groups[*group].row).collect();
        sorted::by_key(&mut rows, |r| (std::cmp::Reverse(r.ports), r.check));
        rows
    }

    /// What lines that are not understood keep open, by shape: first those that keep open most.
    pub fn doubts(&self) -> Vec<&DoubtRow> {
        let mut rows: Vec<&DoubtRow> = self.doubts.values().collect();
        sorted::by_key(&mut rows, |r| std::cmp::Reverse(r.checks));
        rows
    }

    /// The shapes of lines not understood, most lines first.
    pub fn unread(&self) -> Vec<&UnreadRow> {
        let mut rows: Vec<&UnreadRow> = self.unread.values().collect();
        sorted::by_key(&mut rows, |r| std::cmp::Reverse(r.count));
        rows
    }

    /// What was noticed, each once.
    pub fn remarks(&self) -> impl Iterator<Item = &Remark> {
        self.remarks.iter()
    }

    /// The switches in path order.
    pub fn switches(&self) -> &[SwitchRow] {
        &self.switches
    }

    /// The summary, with every level counted.
    pub fn summary(&self, unreadable: usize) -> Summary {
        let Counts { clean, violating, waived, undetermined } = self.ports;
        let mut summary = Summary {
            unreadable,
            violating_ports: violating,
            clean_ports: clean,
            waived_ports: waived,
            undetermined_ports: undetermined,
            ..self.summary.clone()
        };
        for level in Level::ALL {
            summary.findings.entry(level.word()).or_default();
        }
        summary
    }

    /// How many unwaived findings there are at a level or above.
    pub fn findings_at(&self, level: Level) -> usize {
        let at = |l: &&Level| **l <= level;
        Level::ALL.iter().filter(at).filter_map(|l| self.summary.findings.get(l.word())).sum()
    }

    /// Whether a check at a level or above could not be decided.
    pub fn undetermined_at(&self, level: Level) -> bool {
        self.worst_undetermined.is_some_and(|worst| worst <= level)
    }
}

impl UnreadRow {
    /// Takes in the lines of another switch.
    fn add(&mut self, other: Self) {
        self.count += other.count;
        self.switches += other.switches;
        let room = MOST_NAMED.saturating_sub(self.on.len());
        self.on.extend(other.on.into_iter().take(room));
    }

    /// The unread lines of a switch by shape, in the order of first lines. `raw`: with the line itself.
    pub fn of(switch: &Switch, raw: bool) -> Vec<Self> {
        let mut rows: Vec<Self> = Vec::new();
        let mut known: BTreeMap<&str, usize> = BTreeMap::new();
        for unread in switch.unread() {
            if let Some(position) = known.get(&*unread.shape) {
                rows[*position].count += 1;
                continue;
            }
            let Some(quote) = switch.quote_raw(unread.mark) else { continue };
            known.insert(&unread.shape, rows.len());
            let (file, line) = (quote.place.file.to_string(), quote.place.line);
            let sample = UnreadSample { file, line, text: raw.then_some(quote.text) };
            let on = vec![Arc::clone(switch.name())];
            rows.push(Self { shape: unread.shape.to_string(), count: 1, switches: 1, on, sample });
        }
        rows
    }
}
