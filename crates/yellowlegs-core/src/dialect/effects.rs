//! What a rule changes: settings with the values their holes or words stand for, and whether their types fit.

use super::DialectProblem;
use super::hole::HoleType;
use super::load::known_setting;
use super::pattern::{HoleKind, Pattern};
use super::rule::{Change, Effect, HoleRef, Operand, Reach, Subject};
use super::rules::Opener;
use crate::model::{Choice, Direction, Kind, Scope, SettingId, Value, ValueError};
use crate::source::{Entry, Item, Scalar, Spot, TableReader, TomlDoc};

/// What the negated form of a line does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Negated {
    /// Back to what holds when nothing is written.
    Default,
    /// Off: false, none, an empty list, 0.
    Off,
    /// What is switched on is switched off; anything else goes back to what holds when nothing is written.
    OffOrDefault,
    /// Back to what the platform has, over profiles and global defaults.
    Platform,
    /// There is none.
    Never,
}

impl Negated {
    /// Each with its word.
    pub(super) const WORDS: [(Self, &'static str); 5] = [
        (Self::Default, "default"),
        (Self::Off, "off"),
        (Self::OffOrDefault, "off-or-default"),
        (Self::Platform, "platform"),
        (Self::Never, "never"),
    ];
}

/// What the negated form changes: back to what holds when nothing is written, or to off.
pub(super) fn undo(doc: &TomlDoc<'_>, effects: &[Effect], way: Negated, spot: &Spot) -> Vec<Effect> {
    let undone = |effect: &Effect| {
        let setting = effect.setting;
        // What a line implied goes with the line.
        let way = if effect.implied { Negated::Default } else { way };
        let change = match (&effect.change, way) {
            (Change::Add(operands), _) => Change::Remove(operands.clone()),
            (Change::Remove(operands), _) => Change::Add(operands.clone()),
            (Change::Set(operands), Negated::OffOrDefault)
                if matches!(&operands[..], [Operand::Constant(Value::Flag(true))]) =>
            {
                Change::Set(vec![Operand::Constant(Value::Flag(false))])
            }
            (_, Negated::Off) => match setting.info().kind.off() {
                Some(value) => Change::Set(vec![Operand::Constant(value)]),
                None => {
                    doc.report(spot, DialectProblem::NoOff { setting: setting.name() });
                    Change::Reset
                }
            },
            (_, Negated::Platform) => Change::ResetToPlatform,
            (_, Negated::Default | Negated::OffOrDefault | Negated::Never) => Change::Reset,
        };
        Effect { setting, change, implied: effect.implied, about: effect.about.clone(), part: effect.part.clone() }
    };
    effects.iter().map(undone).collect()
}

/// What a text that is written in the dialect stands for.
pub(super) fn word_value(kind: Kind, text: &str) -> Result<Value, ValueError> {
    match (kind, super::duration(text)) {
        (Kind::Seconds, Some(seconds)) => Ok(Value::Seconds(seconds)),
        _ => kind.parse(text),
    }
}

/// A single value written in the dialect.
pub(super) fn written(kind: Kind, scalar: &Scalar<'_>) -> Result<Value, ValueError> {
    match scalar {
        Scalar::Text(text) => word_value(kind, text),
        Scalar::Integer(number) => kind.from_number(*number),
        Scalar::Flag(flag) => kind.parse(&flag.to_string()),
    }
}

/// A value written in the dialect.
pub(super) fn constant(doc: &TomlDoc<'_>, setting: SettingId, entry: &Entry<'_>) -> Option<Value> {
    let kind = setting.info().kind;
    let value = if let Some(numbers) = entry.integers() {
        // An empty list of whatever kind.
        if let (true, Some(off)) = (numbers.is_empty() && kind.is_list(), kind.off()) {
            return Some(off);
        }
        kind.parse(&numbers.iter().map(ToString::to_string).collect::<Vec<_>>().join(","))
    } else {
        written(kind, &entry.scalar()?)
    };
    value.map_err(|problem| doc.report(&entry.spot(), DialectProblem::Value { setting: setting.name(), problem })).ok()
}

/// The holes a rule can name: its own and those of what opens its contexts.
pub(super) struct Holes<'a> {
    pub(super) doc: &'a TomlDoc<'a>,
    pub(super) own: &'a Pattern,
    pub(super) around: &'a [&'a Opener],
}

impl Holes<'_> {
    /// What a table changes, of what it is about. `about`: where that is not what the rule as a whole is about.
    pub(super) fn effects(
        &self,
        table: &TableReader<'_>,
        subject: Option<&Subject>,
        about: Option<&Subject>,
        effects: &mut Vec<Effect>,
    ) {
        for key in ["sets", "adds", "removes", "implies"] {
            let Some(table) = table.table(key) else { continue };
            for entry in table.entries() {
                let Some(setting) = known_setting(self.doc, &entry.key) else { continue };
                let Some(operands) = self.operands(setting, &entry) else { continue };
                let change = match key {
                    "adds" => Change::Add(operands),
                    "removes" => Change::Remove(operands),
                    _ => Change::Set(operands),
                };
                if matches!(key, "adds" | "removes") && !setting.info().kind.is_list() {
                    self.doc.report(&entry.key.spot, DialectProblem::NoList { setting: setting.name() });
                }
                self.reaches(setting, subject, &entry.key.spot);
                effects.push(Effect { setting, change, implied: key == "implies", about: about.cloned(), part: None });
            }
        }
        for entry in table.table("parts").iter().flat_map(TableReader::entries) {
            let Some(setting) = known_setting(self.doc, &entry.key) else { continue };
            let (Some(part), Kind::Flag) = (entry.text(), setting.info().kind) else {
                self.doc.report(&entry.key.spot, DialectProblem::PartOf { setting: setting.name() });
                continue;
            };
            self.reaches(setting, subject, &entry.key.spot);
            let change = Change::Set(vec![Operand::Constant(Value::Flag(true))]);
            let (about, part) = (about.cloned(), Some(part.into()));
            effects.push(Effect { setting, change, implied: false, about, part });
        }
        for item in table.texts("resets").unwrap_or_default() {
            let Some(setting) = known_setting(self.doc, &item) else { continue };
            self.reaches(setting, subject, &item.spot);
            effects.push(Effect { setting, change: Change::Reset, implied: false, about: about.cloned(), part: None });
        }
    }

    fn find(&self, name: &str) -> Option<(HoleRef, &HoleKind)> {
        if let Some(position) = self.own.hole(name) {
            return Some((HoleRef::Own(position), &self.own.holes.get(position)?.kind));
        }
        let opener = self.around.iter().find_map(|o| o.pattern.holes.get(o.pattern.hole(name)?))?;
        Some((HoleRef::Outer(name.to_owned()), &opener.kind))
    }

    /// What a line says in one text: `setting`, which takes the pattern's one hole, or is true where there is none;
    /// or `setting = value`. Several settings are one after the other, with commas. A list gets the value added.
    pub(super) fn short(&self, item: &Item<&str>, subject: Option<&Subject>, effects: &mut Vec<Effect>) {
        let spot = &item.spot;
        let (settings, value) = match item.value.split_once('=') {
            Some((settings, value)) => (settings, Some(value.trim())),
            None => (item.value, None),
        };
        for name in settings.split(',') {
            let key = Item { value: name.trim(), spot: spot.clone() };
            let Some(setting) = known_setting(self.doc, &key) else { continue };
            let operand = match value {
                Some(value) if value.starts_with('<') => self.operand(setting, value, spot),
                Some(value) => self.word(setting, value, spot),
                None => self.only(setting, subject, spot),
            };
            self.reaches(setting, subject, spot);
            let Some(operand) = operand else { continue };
            let is_list = setting.info().kind.is_list();
            let change = if is_list { Change::Add(vec![operand]) } else { Change::Set(vec![operand]) };
            effects.push(Effect { setting, change, implied: false, about: None, part: None });
        }
    }

    /// What a setting without a value takes: the pattern's one hole beside that of its subject, or true.
    fn only(&self, setting: SettingId, subject: Option<&Subject>, spot: &Spot) -> Option<Operand> {
        let of_subject = subject.and_then(Subject::hole).and_then(HoleRef::own);
        let mut holes = (0..self.own.holes.len()).filter(|hole| Some(*hole) != of_subject);
        match (holes.next(), holes.next()) {
            (Some(hole), None) => {
                let name = self.own.holes.get(hole).map_or("", |hole| hole.name.as_str());
                self.single(setting, setting.info().kind, name, spot)
            }
            (None, _) if setting.info().kind == Kind::Flag => Some(Operand::Constant(Value::Flag(true))),
            (found, _) => {
                let found = if found.is_some() { "several holes" } else { "no hole" };
                self.doc.report(spot, DialectProblem::WhichValue { setting: setting.name(), found });
                None
            }
        }
    }

    /// One value or, as a list, the first of several that is there.
    fn operands(&self, setting: SettingId, entry: &Entry<'_>) -> Option<Vec<Operand>> {
        match entry.texts() {
            Some(texts) if texts.iter().any(|t| t.starts_with('<')) => {
                // A constant among them is what holds where no hole before it is there.
                let each = texts.iter().map(|text| {
                    if text.starts_with('<') {
                        self.operand(setting, text, &entry.spot())
                    } else {
                        self.word(setting, text, &entry.spot())
                    }
                });
                each.collect()
            }
            _ => match entry.text() {
                Some(text) if text.starts_with('<') => Some(vec![self.operand(setting, text, &entry.spot())?]),
                _ => Some(vec![Operand::Constant(constant(self.doc, setting, entry)?)]),
            },
        }
    }

    fn word(&self, setting: SettingId, text: &str, spot: &Spot) -> Option<Operand> {
        let report = |problem| self.doc.report(spot, DialectProblem::Value { setting: setting.name(), problem });
        word_value(setting.info().kind, text).map_err(report).ok().map(Operand::Constant)
    }

    /// `<hole>`, or `<hole>@<hole>` and `<hole>@word` for values of two parts.
    fn operand(&self, setting: SettingId, text: &str, spot: &Spot) -> Option<Operand> {
        let (first, second) = text.split_once(">@").map_or((text, None), |(first, second)| (first, Some(second)));
        let wanted = setting.info().kind;
        let Some(second) = second else { return self.single(setting, wanted, first, spot) };
        let Some((wanted_second, first_types)) = second_part(wanted) else {
            self.doc.report(spot, DialectProblem::NoPair { setting: setting.name() });
            return None;
        };
        let (hole, kind) = self.known(first, spot)?;
        if !matches!(kind, HoleKind::Typed(kind, _) if first_types.contains(kind)) {
            self.doc.report(spot, mismatch(setting.name(), wanted.describe(), bare(first), kind));
            return None;
        }
        let second = if second.starts_with('<') {
            self.single(setting, wanted_second, second, spot)?
        } else {
            let value = wanted_second.parse(second);
            let report = |problem| self.doc.report(spot, DialectProblem::Value { setting: setting.name(), problem });
            Operand::Constant(value.map_err(report).ok()?)
        };
        Some(Operand::Pair(hole, Box::new(second)))
    }

    fn known(&self, text: &str, spot: &Spot) -> Option<(HoleRef, &HoleKind)> {
        let found = self.find(bare(text));
        if found.is_none() {
            self.doc.report(spot, DialectProblem::UnknownHole { name: bare(text).to_owned() });
        }
        found
    }

    fn single(&self, setting: SettingId, wanted: Kind, text: &str, spot: &Spot) -> Option<Operand> {
        let (hole, kind) = self.known(text, spot)?;
        if kind.typed().is_some_and(|typed| !fits(wanted, typed, kind.is_repeated())) {
            self.doc.report(spot, mismatch(setting.name(), wanted.describe(), bare(text), kind));
            return None;
        }
        if kind.words().is_empty() {
            return Some(Operand::Hole(hole));
        }
        let report = |problem| self.doc.report(spot, DialectProblem::Value { setting: setting.name(), problem });
        let parsed = kind.words().iter().map(|word| word_value(wanted, word).map_err(report).ok());
        Some(Operand::Chosen(hole, parsed.collect::<Option<Vec<Value>>>()?))
    }

    /// Reports a setting whose port or VLAN nothing names.
    fn reaches(&self, setting: SettingId, own: Option<&Subject>, spot: &Spot) {
        let subject = own.or_else(|| self.around.iter().find_map(|o| o.subject.as_ref()));
        let reached = match setting.info().scope {
            Scope::Switch => true,
            Scope::Port => match subject {
                Some(Subject::Reach(reach)) => *reach != Reach::AllVlans,
                other => matches!(other, Some(Subject::Ports(_) | Subject::Profile(_))),
            },
            Scope::Vlan => matches!(subject, Some(Subject::Vlan(_) | Subject::Reach(Reach::AllVlans))),
            Scope::Mirror => matches!(subject, Some(Subject::Mirror(_))),
        };
        if !reached {
            let scope = setting.info().scope.word();
            self.doc.report(spot, DialectProblem::NoSubject { setting: setting.name(), scope });
        }
    }
}

/// A hole's name without its brackets.
pub(super) fn bare(text: &str) -> &str {
    text.trim_start_matches('<').trim_end_matches('>')
}

/// What the second part of a setting's elements is, and what the hole of the first may be.
fn second_part(kind: Kind) -> Option<(Kind, &'static [HoleType])> {
    use HoleType as H;
    Some(match kind {
        Kind::Stations => (Kind::Vlan, &[H::Station, H::Stations]),
        Kind::Ranges => (Kind::Vlan, &[H::StationRange, H::Station]),
        Kind::Taps => (Kind::Choice(Direction::SET), &[H::Port, H::Ports]),
        Kind::Pairs => (Kind::Count, &[H::Int, H::Ints]),
        _ => return None,
    })
}

/// Whether a hole's values can be the setting's.
pub(super) fn fits(kind: Kind, hole: HoleType, repeated: bool) -> bool {
    use HoleType as H;
    match kind {
        Kind::Flag | Kind::Choice(_) | Kind::Choices(_) | Kind::Ranges | Kind::Taps | Kind::Pairs => false,
        Kind::Count => matches!(hole, H::Int | H::Speed) && !repeated,
        Kind::Seconds => matches!(hole, H::Int | H::Milliseconds | H::Seconds | H::Minutes | H::Hours | H::Duration),
        Kind::Milliwatts => matches!(hole, H::Watts | H::Milliwatts),
        Kind::Rate => matches!(hole, H::Rate | H::Pps | H::Kbps | H::Percent),
        Kind::Vlan => hole == H::Vlan && !repeated,
        Kind::Vlans => matches!(hole, H::Vlan | H::Vlans),
        Kind::Port => hole == H::Port && !repeated,
        Kind::Address => matches!(hole, H::Ip | H::Prefix),
        Kind::Text => matches!(hole, H::Word | H::Text | H::Rest | H::Int | H::Ip),
        Kind::Words => matches!(hole, H::Word | H::Text | H::Ip | H::Int | H::Ints),
        Kind::Station => hole == H::Station && !repeated,
        Kind::Stations => hole == H::Stations || hole == H::Station && !repeated,
        Kind::Time => hole == H::Time && !repeated,
    }
}

pub(super) fn mismatch(setting: &'static str, wanted: String, hole: &str, kind: &HoleKind) -> DialectProblem {
    let found = match kind {
        HoleKind::Typed(kind, _) => format!("of type {}", kind.name()),
        HoleKind::Choice(values) => format!("one of {}", values.join(", ")),
        HoleKind::Worded(kind, values) => format!("of type {}, or one of {}", kind.name(), values.join(", ")),
    };
    DialectProblem::HoleMismatch { setting, wanted, hole: hole.to_owned(), found }
}
