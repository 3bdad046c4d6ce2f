//! From `[[rule]]` tables to rules: contexts, subjects, effects, and whether their types fit.

use super::DialectProblem;
use super::hole::HoleType;
use super::load::{Text, known_setting, one_of, parse_pattern};
use super::pattern::{HoleKind, Pattern};
use super::rule::{Change, Effect, HoleRef, Operand, Reach, Rule, Subject};
use crate::model::{Kind, Scope, SettingId, Value};
use crate::source::{Entry, Item, Scalar, Spot, TableReader, TomlDoc, nearest};

/// A rule with the place of its pattern.
pub(super) struct Placed {
    pub(super) rule: Rule,
    pub(super) spot: Spot,
}

/// What is written in a rule's table, before contexts are known.
struct Raw<'d> {
    table: TableReader<'d>,
    pattern: Item<&'d str>,
    parsed: Pattern,
    contexts: Vec<usize>,
    opens: Option<usize>,
    subject: Option<Subject>,
    undo: Option<bool>,
}

/// Reads all rules; also tells how many contexts there are.
pub(super) fn read<'d>(doc: &'d TomlDoc<'d>, tables: Vec<TableReader<'d>>, text: &Text) -> (Vec<Placed>, usize) {
    let mut names = vec!["top".to_owned()];
    for table in &tables {
        if let Some(item) = table.text("opens").filter(|i| !names.iter().any(|n| n == i.value)) {
            names.push(item.value.to_owned());
        }
    }
    let raws: Vec<Raw<'d>> = tables.into_iter().filter_map(|table| raw(doc, table, &names, text)).collect();
    let openers: Vec<Opener> = raws.iter().filter_map(Opener::of).collect();
    mixed(doc, &raws, &names);
    let rules = raws.into_iter().map(|raw| finish(doc, raw, &openers, text)).collect();
    (rules, names.len())
}

fn raw<'d>(doc: &'d TomlDoc<'d>, table: TableReader<'d>, names: &[String], text: &Text) -> Option<Raw<'d>> {
    let opens = table.text("opens").and_then(|i| names.iter().position(|n| n == i.value));
    let contexts = match table.texts("in") {
        None => vec![0],
        Some(items) if items.iter().any(|i| i.value == "*") => (0..names.len()).collect(),
        Some(items) => items.iter().filter_map(|item| known_context(doc, item, names)).collect(),
    };
    let undo = one_of(&table, "negation", &["default", "off"]).map(|i| i == 1);
    let pattern = table.required_text("pattern");
    let parsed = pattern.as_ref().and_then(|item| parse_pattern(doc, item, text));
    let subject = parsed.as_ref().and_then(|parsed| subject(doc, &table, parsed));
    for key in ["sets", "adds", "removes", "resets", "declares", "ports", "vlan"] {
        table.ask(key);
    }
    one_of(&table, "reach", &["all-ports", "access-ports"]);
    let (Some(pattern), Some(parsed)) = (pattern, parsed) else {
        table.finish();
        return None;
    };
    Some(Raw { table, pattern, parsed, contexts, opens, subject, undo })
}

fn known_context(doc: &TomlDoc<'_>, item: &Item<&str>, names: &[String]) -> Option<usize> {
    let position = names.iter().position(|n| n == item.value);
    if position.is_none() {
        let near = nearest(item.value, names.iter().map(String::as_str)).map(str::to_owned);
        let words = near.map_or_else(|| names.to_vec(), |n| vec![n]);
        doc.report(&item.spot, DialectProblem::Word { key: "in", found: item.value.to_owned(), words });
    }
    position
}

/// `<name>` without its brackets.
fn hole_name<'t>(item: &Item<&'t str>) -> Option<&'t str> {
    item.value.strip_prefix('<')?.strip_suffix('>')
}

fn subject(doc: &TomlDoc<'_>, table: &TableReader<'_>, pattern: &Pattern) -> Option<Subject> {
    let ports =
        table.text("ports").and_then(|item| own_hole(doc, &item, pattern, "ports", &[HoleType::Port, HoleType::Ports]));
    let vlan = table.text("vlan").and_then(|item| own_hole(doc, &item, pattern, "vlan", &[HoleType::Vlan]));
    let reach = match table.text("reach").map(|i| i.value) {
        Some("all-ports") => Some(Reach::AllPorts),
        Some("access-ports") => Some(Reach::AccessPorts),
        _ => None,
    };
    let all = [ports.map(Subject::Ports), vlan.map(Subject::Vlan), reach.map(Subject::Reach)];
    let mut named = all.into_iter().flatten();
    let first = named.next();
    if named.next().is_some() {
        doc.report(&table.spot, DialectProblem::TwoSubjects);
    }
    first
}

/// A hole of the rule itself, of one of these types.
fn own_hole(
    doc: &TomlDoc<'_>,
    item: &Item<&str>,
    pattern: &Pattern,
    key: &'static str,
    types: &[HoleType],
) -> Option<HoleRef> {
    let name = hole_name(item).unwrap_or(item.value);
    let Some(position) = pattern.hole(name) else {
        doc.report(&item.spot, DialectProblem::UnknownHole { name: name.to_owned() });
        return None;
    };
    let kind = &pattern.holes.get(position)?.kind;
    if !types.iter().any(|t| matches!(kind, HoleKind::Typed(found, _) if found == t)) {
        let wanted = format!("a hole of type {}", types.iter().map(|t| t.name()).collect::<Vec<_>>().join(" or "));
        doc.report(&item.spot, mismatch(key, wanted, name, kind));
        return None;
    }
    Some(HoleRef::Own(position))
}

fn mismatch(setting: &'static str, wanted: String, hole: &str, kind: &HoleKind) -> DialectProblem {
    let found = match kind {
        HoleKind::Typed(kind, _) => format!("of type {}", kind.name()),
        HoleKind::Choice(values) => format!("one of {}", values.join(", ")),
    };
    DialectProblem::HoleMismatch { setting, wanted, hole: hole.to_owned(), found }
}

/// A rule that opens a context, as the rules inside see it.
struct Opener {
    opens: usize,
    contexts: Vec<usize>,
    pattern: Pattern,
    subject: Option<Subject>,
}

impl Opener {
    fn of(raw: &Raw<'_>) -> Option<Self> {
        let (contexts, pattern) = (raw.contexts.clone(), raw.parsed.clone());
        Some(Self { opens: raw.opens?, contexts, pattern, subject: raw.subject.clone() })
    }
}

fn word(subject: Option<&Subject>) -> &'static str {
    match subject {
        Some(Subject::Ports(_)) => "ports",
        Some(Subject::Vlan(_)) => "a VLAN",
        Some(Subject::Reach(_)) => "a reach",
        None => "nothing",
    }
}

/// Reports contexts that are opened for unlike subjects.
fn mixed(doc: &TomlDoc<'_>, raws: &[Raw<'_>], names: &[String]) {
    for (i, raw) in raws.iter().enumerate() {
        let Some(opens) = raw.opens else { continue };
        let Some(first) = raws[..i].iter().find(|r| r.opens == raw.opens) else { continue };
        let (one, other) = (word(first.subject.as_ref()), word(raw.subject.as_ref()));
        if one != other {
            let context = names.get(opens).cloned().unwrap_or_default();
            doc.report(&raw.pattern.spot, DialectProblem::MixedContext { context, one, other });
        }
    }
}

/// The openers of a rule's contexts and of the contexts around those, nearest first.
fn around<'o>(contexts: &[usize], openers: &'o [Opener]) -> Vec<&'o Opener> {
    let mut known: Vec<usize> = contexts.to_vec();
    let mut found = Vec::new();
    let mut next = 0;
    while let Some(context) = known.get(next).copied() {
        next += 1;
        for opener in openers.iter().filter(|o| o.opens == context) {
            found.push(opener);
            let further = opener.contexts.iter().filter(|c| !known.contains(c)).copied().collect::<Vec<_>>();
            known.extend(further);
        }
    }
    found
}

fn finish(doc: &TomlDoc<'_>, raw: Raw<'_>, openers: &[Opener], text: &Text) -> Placed {
    let around = around(&raw.contexts, openers);
    let scope = Holes { doc, own: &raw.parsed, around: &around };
    let mut effects = Vec::new();
    for key in ["sets", "adds", "removes"] {
        let Some(table) = raw.table.table(key) else { continue };
        for entry in table.entries().into_values() {
            let Some(setting) = known_setting(doc, &entry.key) else { continue };
            let Some(operands) = scope.operands(setting, &entry) else { continue };
            let change = match key {
                "sets" => Change::Set(operands),
                "adds" => Change::Add(operands),
                _ => Change::Remove(operands),
            };
            if key != "sets" && !setting.info().kind.is_list() {
                doc.report(&entry.key.spot, DialectProblem::NoList { setting: setting.name() });
            }
            scope.reaches(setting, raw.subject.as_ref(), &entry.key.spot);
            effects.push(Effect { setting, change });
        }
    }
    for item in raw.table.texts("resets").unwrap_or_default() {
        let Some(setting) = known_setting(doc, &item) else { continue };
        scope.reaches(setting, raw.subject.as_ref(), &item.spot);
        effects.push(Effect { setting, change: Change::Reset });
    }
    let declares = raw
        .table
        .text("declares")
        .and_then(|item| own_hole(doc, &item, &raw.parsed, "declares", &[HoleType::Port, HoleType::Ports]));
    let undo = raw.undo.map(|off| undo(doc, &effects, off, &raw, text));
    let spot = raw.pattern.spot.clone();
    let rule = Rule {
        line: doc.place(&spot).line,
        contexts: raw.contexts,
        opens: raw.opens,
        subject: raw.subject,
        declares,
        effects,
        undo,
        pattern: raw.parsed,
    };
    raw.table.finish();
    Placed { rule, spot }
}

/// What the negated form changes: back to what holds when nothing is written, or to off.
fn undo(doc: &TomlDoc<'_>, effects: &[Effect], off: bool, raw: &Raw<'_>, text: &Text) -> Vec<Effect> {
    if text.negation.is_none() {
        doc.report(&raw.pattern.spot, DialectProblem::NoNegation);
    }
    let undone = |effect: &Effect| {
        let setting = effect.setting;
        let change = match (&effect.change, off) {
            (Change::Add(operands), _) => Change::Remove(operands.clone()),
            (Change::Remove(operands), _) => Change::Add(operands.clone()),
            (Change::Set(_) | Change::Reset, false) => Change::Reset,
            (Change::Set(_) | Change::Reset, true) => {
                if let Some(value) = setting.info().kind.off() {
                    Change::Set(vec![Operand::Constant(value)])
                } else {
                    doc.report(&raw.pattern.spot, DialectProblem::NoOff { setting: setting.name() });
                    Change::Reset
                }
            }
        };
        Effect { setting, change }
    };
    effects.iter().map(undone).collect()
}

/// A value written in the dialect.
pub(super) fn constant(doc: &TomlDoc<'_>, setting: SettingId, entry: &Entry<'_>) -> Option<Value> {
    let kind = setting.info().kind;
    let value = if let Some(numbers) = entry.integers() {
        kind.parse(&numbers.iter().map(ToString::to_string).collect::<Vec<_>>().join(","))
    } else {
        match entry.scalar()? {
            Scalar::Text(text) => match (kind, super::duration(text)) {
                (Kind::Seconds, Some(seconds)) => Ok(Value::Seconds(seconds)),
                _ => kind.parse(text),
            },
            Scalar::Integer(number) => kind.from_number(number),
            Scalar::Flag(flag) => kind.parse(&flag.to_string()),
        }
    };
    value.map_err(|problem| doc.report(&entry.spot(), DialectProblem::Value { setting: setting.name(), problem })).ok()
}

/// The holes a rule can name: its own and those of what opens its contexts.
struct Holes<'a> {
    doc: &'a TomlDoc<'a>,
    own: &'a Pattern,
    around: &'a [&'a Opener],
}

impl Holes<'_> {
    fn find(&self, name: &str) -> Option<(HoleRef, &HoleKind)> {
        if let Some(position) = self.own.hole(name) {
            return Some((HoleRef::Own(position), &self.own.holes.get(position)?.kind));
        }
        let opener = self.around.iter().find_map(|o| o.pattern.holes.get(o.pattern.hole(name)?))?;
        Some((HoleRef::Outer(name.to_owned()), &opener.kind))
    }

    /// One value or, as a list, the first of several that is there.
    fn operands(&self, setting: SettingId, entry: &Entry<'_>) -> Option<Vec<Operand>> {
        match entry.texts() {
            Some(texts) if texts.iter().any(|t| t.starts_with('<')) => {
                texts.iter().map(|text| self.operand(setting, text, entry)).collect()
            }
            _ => match entry.text() {
                Some(text) if text.starts_with('<') => Some(vec![self.operand(setting, text, entry)?]),
                _ => Some(vec![Operand::Constant(constant(self.doc, setting, entry)?)]),
            },
        }
    }

    fn operand(&self, setting: SettingId, text: &str, entry: &Entry<'_>) -> Option<Operand> {
        let (text, vlan) = match text.split_once(">@<") {
            Some((station, vlan)) => (station, Some(vlan.trim_end_matches('>'))),
            None => (text.trim_end_matches('>'), None),
        };
        let name = text.trim_start_matches('<');
        let unknown = |name: &str| {
            self.doc.report(&entry.spot(), DialectProblem::UnknownHole { name: name.to_owned() });
        };
        let Some((hole, kind)) = self.find(name) else {
            unknown(name);
            return None;
        };
        let wanted = setting.info().kind;
        if let HoleKind::Choice(words) = kind {
            let report =
                |problem| self.doc.report(&entry.spot(), DialectProblem::Value { setting: setting.name(), problem });
            let values: Option<Vec<Value>> = words.iter().map(|w| wanted.parse(w).map_err(report).ok()).collect();
            return Some(Operand::Chosen(hole, values?));
        }
        if !matches!(kind, HoleKind::Typed(kind, _) if fits(wanted, *kind)) {
            self.doc.report(&entry.spot(), mismatch(setting.name(), wanted.describe(), name, kind));
            return None;
        }
        let Some(vlan) = vlan else { return Some(Operand::Hole(hole)) };
        match self.find(vlan) {
            Some((vlan, HoleKind::Typed(HoleType::Vlan, _))) => Some(Operand::Station(hole, vlan)),
            Some((_, kind)) => {
                self.doc.report(&entry.spot(), mismatch(setting.name(), "a VLAN after the @".into(), vlan, kind));
                None
            }
            None => {
                unknown(vlan);
                None
            }
        }
    }

    /// Reports a setting whose port or VLAN nothing names.
    fn reaches(&self, setting: SettingId, own: Option<&Subject>, spot: &Spot) {
        let subject = own.or_else(|| self.around.iter().find_map(|o| o.subject.as_ref()));
        let reached = match setting.info().scope {
            Scope::Switch => true,
            Scope::Port => matches!(subject, Some(Subject::Ports(_) | Subject::Reach(_))),
            Scope::Vlan => {
                self.around.iter().filter_map(|o| o.subject.as_ref()).chain(own).any(|s| matches!(s, Subject::Vlan(_)))
            }
        };
        if !reached {
            let scope = setting.info().scope.word();
            self.doc.report(spot, DialectProblem::NoSubject { setting: setting.name(), scope });
        }
    }
}

/// Whether a hole's values can be the setting's.
fn fits(kind: Kind, hole: HoleType) -> bool {
    use HoleType as H;
    match kind {
        Kind::Flag | Kind::Choice(_) => false,
        Kind::Count => hole == H::Int,
        Kind::Seconds => matches!(hole, H::Int | H::Seconds | H::Minutes | H::Hours | H::Duration),
        Kind::Vlan => hole == H::Vlan,
        Kind::Vlans => matches!(hole, H::Vlan | H::Vlans),
        Kind::Text => matches!(hole, H::Word | H::Text | H::Rest),
        Kind::Stations => hole == H::Station,
    }
}
