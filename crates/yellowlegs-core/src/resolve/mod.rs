//! From statements to settings in force.
//!
//! Lines about a port win over global defaults that reach it, those over the platform's default; among
//! lines of one layer the later wins. What nothing says stays unknown.

mod apply;
mod claims;
mod doubt;
mod edit;
mod examples;
mod explain;
mod merge;
mod more;
mod port_table;
mod spoken;
mod told;
mod torn;
mod walked;

use std::sync::{Arc, Mutex, OnceLock};

use jiff::Timestamp;

use crate::dialect::{Dialect, HoleRef, Reading, StateSaid, UnreadAt};
use crate::model::{
    DoubtWidth, Element, FileText, List, Mark, Remark, SavedCopy, SettingId, Slot, Switch, Unread, UnreadFact, Value,
    VlanId, came,
};
use crate::source::Source;
pub use doubt::Doubtful;
pub use edit::{About, Edit, EditProblem, Several, Wanted, Way, Wide, differences};
pub use examples::{Failed, run_examples};
pub use explain::{Explained, Outcome, Said, explain, explain_state, says_at};

use apply::{Applier, ByRule, Watch};
use more::{Kept, Known};
use port_table::PortTable;
use spoken::{Asked, Spoken};
pub use walked::resolve_walked;

/// A switch with what is needed to work its settings out again.
#[derive(Debug, Clone)]
pub struct Resolved {
    /// The switch.
    pub switch: Switch,
    history: Option<Arc<History>>,
}

#[derive(Debug)]
struct History {
    dialect: Arc<Dialect>,
    source: Arc<Source>,
    reading: Reading,
    ports: Arc<PortTable>,
    state: State,
    /// Whose history was asked for.
    asked: Asked,
    /// The statements of each rule, once somebody asks what became of a setting.
    by_rule: OnceLock<ByRule>,
    /// What the text says before defaults, once somebody wants to write on behind it.
    written: Mutex<Kept>,
}

/// Position of the configuration among a switch's files; the dialect is the one before it.
const CONFIG_FILE: u16 = 1;

/// The texts of one switch beside its running configuration.
#[derive(Debug, Clone, Default)]
pub struct State {
    /// Tables, stanzas and logs.
    pub texts: Vec<Arc<Source>>,
    /// What its management agent answered.
    pub walks: Vec<Arc<Source>>,
    /// What moments without a year are settled by; without it they stay open.
    pub as_of: Timestamp,
    /// How old a text with a clock may be for the settings it tells, in seconds; what an older one tells is unknown.
    pub oldest: Option<u32>,
}

/// Reads a configuration with a dialect and settles what is in force.
pub fn resolve(name: impl Into<Arc<str>>, dialect: &Arc<Dialect>, source: Arc<Source>) -> Resolved {
    resolve_with(name, dialect, source, &State::default())
}

/// Reads a configuration and what the switch says of its state.
pub fn resolve_with(name: impl Into<Arc<str>>, dialect: &Arc<Dialect>, source: Arc<Source>, state: &State) -> Resolved {
    let reading = dialect.read(&source, CONFIG_FILE);
    settle(name.into(), dialect, (source, reading), state, None)
}

/// Settles what is in force by a text that was read; `known`: what the first of its statements came to.
fn settle(
    name: Arc<str>,
    dialect: &Arc<Dialect>,
    (source, mut reading): (Arc<Source>, Reading),
    state: &State,
    known: Option<&Known<'_>>,
) -> Resolved {
    let mut switch = Switch::empty(name);
    switch.dialect = Some(Arc::clone(dialect.name()));
    switch.files = vec![
        FileText::text(Arc::clone(dialect.source()), Vec::new(), Vec::new()),
        FileText::text(Arc::clone(&source), std::mem::take(&mut reading.secrets), std::mem::take(&mut reading.hidden)),
    ];
    switch.traits = Arc::clone(dialect.traits());
    switch.requires = Arc::clone(dialect.requires());
    switch.lines = reading.lines;
    // The parts of a line that is a whole path stand in one place.
    let open = reading.unread_at.iter().filter(|at| matches!(at, UnreadAt::Open(..))).count();
    let taken = reading.statements.chunk_by(|a, b| a.mark == b.mark).count();
    switch.statements = taken.saturating_sub(open) as u32;
    switch.unread = std::mem::take(&mut reading.unread);
    switch.torn = std::mem::take(&mut reading.torn);
    let (mut facts, mut tables, mut missed) = (Vec::new(), Vec::new(), Vec::new());
    let mut told: Vec<StateSaid> = Vec::new();
    for (position, text) in state.texts.iter().enumerate() {
        if let Some(first) = state.texts.iter().take(position).find(|first| first.text() == text.text()) {
            switch.remarks.push(twice(&switch.name, first, text));
            continue;
        }
        let read = dialect.read_state(text, switch.files.len() as u16, state.as_of);
        switch.files.push(FileText::text(Arc::clone(text), read.secrets, read.hidden));
        switch.lines += read.lines;
        let kinds = read.unread.iter().zip(&read.missed).flat_map(|(unread, missed)| {
            let each = dialect.missed_in_state(text.text(), unread.mark, missed).into_iter();
            each.map(|(kind, settings)| (Arc::clone(text), unread.clone(), kind, settings))
        });
        missed.extend(kinds.filter(|(.., kind, settings)| kind.is_some() || !settings.is_empty()));
        told.extend(read.said);
        for (kind, mark) in read.beyond {
            let shape = "more facts than a text of this length is believed to tell".into();
            missed.push((Arc::clone(text), Unread { mark, shape }, Some(kind), dialect.told_beside(kind)));
        }
        if let Some((kind, mark)) = read.cut {
            let shape = "a table that ends behind its heading".into();
            missed.push((Arc::clone(text), Unread { mark, shape }, Some(kind), dialect.told_beside(kind)));
        }
        if let Some(mark) = read.empty_end {
            switch.remarks.push(empty_end(&switch, mark));
        }
        switch.unread.extend(read.unread);
        facts.extend(read.facts);
        tables.extend(read.tables);
    }
    let mut walked = walked::read(state, Some(dialect), &mut switch);
    walked::put_behind(&mut facts, std::mem::take(&mut walked.facts));
    let ports = match known.filter(|known| known.has_all_ports(dialect, &reading)) {
        Some(known) => {
            (switch.ports, switch.port_places) = (known.switch.ports.clone(), known.ports.first_places());
            Arc::clone(known.ports)
        }
        None => Arc::new(PortTable::gather(dialect, &source, &reading, &facts, &mut switch)),
    };
    for (text, Unread { mark, shape }, kind, settings) in missed {
        // Of a table of which nothing is understood nobody knows which ports it is about.
        let some = facts.iter().any(|fact| kind.is_none_or(|kind| fact.kind == kind));
        let port = ports.positions(&dialect.named_in_state(text.text(), mark)).first().copied().filter(|_| some);
        switch.unread_facts.push(UnreadFact { mark, shape, kind, settings, port });
    }
    walked::miss(std::mem::take(&mut walked.missed), &mut switch);
    claims::place(&mut facts);
    switch.take_state(facts, tables);
    torn::note(dialect, &source, &reading, &mut switch);
    let applier = Applier::new(dialect, &source, &reading, &ports, None);
    let mut kept = Kept::Nothing;
    let written = match known.filter(|known| Arc::ptr_eq(known.ports, &ports)) {
        Some(known) => {
            kept = Kept::OfOthers(Arc::clone(known.written), known.statements);
            applier.run_on((**known.written).clone(), known.statements)
        }
        None => applier.run(),
    };
    merge::merge(dialect, written, &ports, &mut switch);
    for (setting, parts) in dialect.parts() {
        let each = parts.into_iter().map(|part| {
            let applier = Applier::new(dialect, &source, &reading, &ports, None).of_part(setting, part);
            let mut of_part = switch.clone();
            merge::merge(dialect, applier.run(), &ports, &mut of_part);
            of_part
        });
        merge::together(setting, &each.collect::<Vec<_>>(), &mut switch);
    }
    told.append(&mut walked.said);
    told::apply(&told, state, Some(&ports), &mut switch);
    walked::contradict(&walked, &mut switch);
    let (dialect, state, asked) = (Arc::clone(dialect), state.clone(), Asked::default());
    let history =
        History { dialect, source, reading, ports, state, asked, by_rule: OnceLock::new(), written: Mutex::new(kept) };
    Resolved { switch, history: Some(Arc::new(history)) }
}

/// Of a file of state that says what another says, word for word.
fn twice(switch: &Arc<str>, first: &Source, again: &Source) -> Remark {
    let text = format!("{} says word for word what {} says: it counts once", again.path(), first.path());
    Remark { about: switch.to_string(), file: Some(again.path().to_string()), line: None, text }
}

/// Of a file that ends with a table without rows: it may be empty, or cut there.
fn empty_end(switch: &Switch, mark: Mark) -> Remark {
    let file = switch.files.get(usize::from(mark.file)).map(|file| file.path().to_owned());
    let text = "the file ends behind the heading of this table: it is empty, or the file is cut".to_owned();
    Remark { about: switch.name.to_string(), file, line: Some(mark.line), text }
}

impl Resolved {
    /// How the switch's system writes lists of ports; `None` for a record.
    pub fn lists(&self) -> Option<&crate::dialect::Lists> {
        self.history.as_ref().map(|history| history.dialect.lists())
    }

    /// A switch without history: from a record.
    pub fn from_record(switch: Switch) -> Self {
        Self { switch, history: None }
    }

    /// The same with its saved configuration attached.
    #[must_use]
    pub fn with_saved(self, saved: SavedCopy) -> Self {
        Self { switch: self.switch.with_saved(saved), history: self.history }
    }

    /// Everything that was written about a setting of a port, in the order of the text: what came of it each time.
    /// Empty for a record, which carries only the deciding line.
    pub fn history(&self, port: Option<usize>, setting: SettingId) -> Arc<[Slot]> {
        let Some(history) = &self.history else { return Arc::default() };
        let said = |watch: Watch| history.following(watch).run().history;
        let of_each = || Spoken::of(said(Watch { port: None, each: true, setting }));
        match history.asked.often(setting, of_each) {
            Some(spoken) => spoken.on(port),
            None => said(Watch { port, each: false, setting }).into_iter().map(|(_, slot)| slot).collect(),
        }
    }

    /// The lines of the same, without what came of them.
    pub fn marks(&self, port: Option<usize>, setting: SettingId) -> Vec<Mark> {
        let worked_out = || self.history(port, setting).iter().filter_map(|slot| slot.mark).collect::<Vec<_>>();
        let marks = self
            .history
            .as_deref()
            .filter(|history| !history.asked.is_often(setting))
            .and_then(|history| history.following(Watch { port, each: false, setting }).marks());
        debug_assert!(marks.as_ref().is_none_or(|marks| *marks == worked_out()));
        marks.unwrap_or_else(worked_out)
    }

    /// The same configuration without one of its lines: what would be in force then. State is left out.
    pub fn without_line(&self, mark: Mark) -> Option<Self> {
        let History { dialect, source, .. } = self.history.as_deref()?;
        if mark.file != CONFIG_FILE {
            return None;
        }
        let (text, at) = (source.text(), mark.offset as usize);
        let begins = memchr::memrchr(b'\n', text.as_bytes().get(..at)?).map_or(0, |i| i + 1);
        let ends = memchr::memchr(b'\n', text.as_bytes().get(at..)?).map_or(text.len(), |i| at + i);
        let kept = format!("{}{}", text.get(..begins)?, text.get(ends..)?);
        let source = Arc::new(Source::of(Arc::clone(source.path()), kept));
        Some(resolve(Arc::clone(self.switch.name()), dialect, source))
    }

    /// The switch as a record, the text of its file: every setting with the words that decide it.
    ///
    /// # Errors
    /// What a value says of itself.
    pub fn record(&self) -> std::io::Result<Vec<u8>> {
        let doubts = self.doubtful(DoubtWidth::Block).map(|doubtful| doubtful.doubts).unwrap_or_default();
        self.switch.record(&doubts, &mut |mark, setting| self.deciding_words(mark, setting))
    }

    /// The words of a statement that decide a setting: those its value was taken from, or the whole statement.
    pub fn deciding_words(&self, mark: Mark, setting: SettingId) -> Mark {
        self.words(mark, setting).unwrap_or(mark)
    }

    fn words(&self, mark: Mark, setting: SettingId) -> Option<Mark> {
        let History { dialect, source, reading, .. } = self.history.as_deref()?;
        if mark.file != CONFIG_FILE {
            return None;
        }
        // The statements of one line: a path is several.
        let first = reading.statements.partition_point(|s| s.mark.offset < mark.offset);
        let of_line =
            reading.statements.iter().enumerate().skip(first).take_while(|(_, s)| s.mark.offset == mark.offset);
        for (position, statement) in of_line {
            let rule = dialect.rules().get(statement.rule as usize)?;
            let Some(effect) = rule.effects_of(statement.negated).iter().find(|e| e.setting == setting) else {
                continue;
            };
            let mut holes = effect.change.operands().iter().filter_map(|operand| match operand.hole()? {
                HoleRef::Own(hole) => dialect.hole_words(source.text(), reading, position, *hole),
                // On a line that is a whole path the value may stand before the last part.
                HoleRef::Outer(name) => {
                    let parent = reading.statements.iter().enumerate().skip(first).take(position - first).rev();
                    let mut of_line = parent.filter(|(_, s)| s.mark.offset == mark.offset);
                    of_line.find_map(|(at, s)| {
                        let hole = dialect.rules().get(s.rule as usize)?.pattern.hole(name)?;
                        dialect.hole_words(source.text(), reading, at, hole)
                    })
                }
            });
            let words = holes.next().unwrap_or(statement.words());
            let before = source.text().get(mark.offset as usize..words.start)?;
            let line = mark.line + memchr::memchr_iter(b'\n', before.as_bytes()).count() as u32;
            let stretch = source.text().get(words.start..words.end)?;
            let width = stretch.lines().next().unwrap_or_default().trim_end().len() as u32;
            return Some(Mark { line, offset: words.start as u32, width, ..mark });
        }
        None
    }

    /// For elements of a list the lines that put them in; the deciding line where only one spoke.
    pub fn lines_that_brought<T: Element>(
        &self,
        port: Option<usize>,
        setting: SettingId,
        list: fn(&Value) -> Option<&List<T>>,
        elements: &[T],
    ) -> Vec<Option<Mark>> {
        let slot = self.switch.slot(port, setting);
        if !slot.contested {
            return vec![slot.mark; elements.len()];
        }
        let history = self.history(port, setting);
        let came = came(history.iter().map(|slot| slot.value.as_ref().and_then(list)), elements);
        came.into_iter().map(|at| at.and_then(|at| history[at].mark).or(slot.mark)).collect()
    }

    /// The line that put a VLAN into a list; the deciding line where only one spoke.
    pub fn line_that_added(&self, port: Option<usize>, setting: SettingId, vlan: VlanId) -> Option<Mark> {
        let slot = self.switch.slot(port, setting);
        if !slot.contested {
            return slot.mark;
        }
        let history = self.history(port, setting);
        let held = |slot: &Slot| matches!(&slot.value, Some(Value::Vlans(set)) if set.contains(vlan));
        let brought = (0..history.len()).rev().find(|i| held(&history[*i]) && (*i == 0 || !held(&history[i - 1])));
        brought.and_then(|i| history[i].mark).or(slot.mark)
    }
}
