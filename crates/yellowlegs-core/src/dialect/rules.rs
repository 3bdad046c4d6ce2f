//! From `[[rule]]` tables to rules: contexts, subjects, effects, and whether their types fit.

use super::DialectProblem;
use super::hole::HoleType;
use super::load::{Text, known_setting, one_of, parse_pattern};
use super::pattern::{Hole, HoleKind, Pattern};
use super::rule::{Change, Effect, HoleRef, Operand, ProfileRef, Reach, Rule, Subject, Until};
use crate::model::{Choice, Direction, Kind, Scope, SettingId, Value, ValueError};
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
    goes_on: bool,
    subject: Option<Subject>,
    undo: Option<bool>,
    is_idle: bool,
    is_open: bool,
    spot: Spot,
}

/// Reads all rules; also tells the names of the contexts, by number.
pub(super) fn read<'d>(doc: &'d TomlDoc<'d>, tables: Vec<TableReader<'d>>, text: &Text) -> (Vec<Placed>, Vec<String>) {
    let mut names = vec!["top".to_owned()];
    for item in tables.iter().flat_map(|table| [table.text("opens"), table.text("goes-on")]).flatten() {
        if !names.iter().any(|name| name == item.value) {
            names.push(item.value.to_owned());
        }
    }
    let raws: Vec<Raw<'d>> = tables.into_iter().filter_map(|table| raw(doc, table, &names, text)).collect();
    let openers: Vec<Opener> = raws.iter().filter_map(Opener::of).collect();
    mixed(doc, &raws, &names);
    unreachable(doc, &raws);
    let rules = raws.into_iter().map(|raw| finish(doc, raw, &openers, text)).collect();
    (rules, names)
}

fn raw<'d>(doc: &'d TomlDoc<'d>, table: TableReader<'d>, names: &[String], text: &Text) -> Option<Raw<'d>> {
    let goes_on = table.text("goes-on");
    if let (Some(spot), true) = (table.key_spot("goes-on"), table.text("opens").is_some()) {
        let wanted = "says that the line goes on with statements, `opens` that lines inside it do: it is one of them";
        doc.report(&spot, DialectProblem::Misplaced { key: "goes-on", wanted });
    }
    let opens = table.text("opens").or(goes_on.clone()).and_then(|i| names.iter().position(|n| n == i.value));
    let goes_on = goes_on.is_some();
    let contexts = match table.texts("in") {
        None => vec![0],
        Some(items) if items.iter().any(|i| i.value == "*") => (0..names.len()).collect(),
        Some(items) => items.iter().filter_map(|item| known_context(doc, item, names)).collect(),
    };
    let undo = one_of(&table, "negation", &["default", "off"]).map(|i| i == 1);
    let pattern = table.required_text("pattern");
    let about = one_of(&table, "about", &["nothing", "open"]);
    let (is_idle, is_open) = (about == Some(0), about == Some(1));
    let parsed = pattern.as_ref().and_then(|item| {
        let parsed = parse_pattern(doc, item, text)?;
        if is_idle { whatever_follows(doc, item, text, parsed) } else { Some(parsed) }
    });
    if is_idle {
        const WHY: &str = "says something, and `about = \"nothing\"` says that there is nothing to say";
        says_nothing(doc, &table, &[&SAYING[..], &PLACING].concat(), WHY);
    }
    if is_open {
        const WHY: &str = "says something, and `about = \"open\"` says that nobody knows what: take that line out";
        says_nothing(doc, &table, &SAYING, WHY);
    }
    let subject = parsed.as_ref().and_then(|parsed| subject(doc, &table, parsed));
    const LATER: [&str; 13] = [
        "sets", "adds", "removes", "implies", "resets", "declares", "ports", "vlan", "mirror", "profile", "uses",
        "used-by", "also",
    ];
    LATER.into_iter().chain(["until", "read-only"]).for_each(|key| table.ask(key));
    one_of(&table, "reach", &Reach::WORDS.map(|(_, word)| word));
    let (Some(pattern), Some(parsed)) = (pattern, parsed) else {
        table.finish();
        return None;
    };
    let spot = table.spot.clone();
    Some(Raw { table, pattern, parsed, contexts, opens, goes_on, subject, undo, is_idle, is_open, spot })
}

/// The pattern of lines about nothing: its words, and whatever follows them.
fn whatever_follows(doc: &TomlDoc<'_>, item: &Item<&str>, text: &Text, parsed: Pattern) -> Option<Pattern> {
    let takes_rest = |hole: &Hole| hole.kind.typed().is_some_and(HoleType::is_rest);
    if parsed.holes.iter().any(takes_rest) {
        return Some(parsed);
    }
    let longer = format!("{} [<_more:rest>]", item.value);
    parse_pattern(doc, &Item { value: &longer, spot: item.spot.clone() }, text)
}

/// Keys by which a rule says something.
const SAYING: [&str; 9] = ["sets", "adds", "removes", "implies", "resets", "declares", "uses", "used-by", "also"];
/// Keys by which it says what the lines inside are about.
const PLACING: [&str; 9] = ["ports", "vlan", "mirror", "profile", "reach", "opens", "goes-on", "until", "negation"];

/// Reports what a rule that says nothing says all the same.
fn says_nothing(doc: &TomlDoc<'_>, table: &TableReader<'_>, keys: &[&'static str], wanted: &'static str) {
    for (key, spot) in keys.iter().filter_map(|key| Some((*key, table.key_spot(key)?))) {
        doc.report(&spot, DialectProblem::Misplaced { key, wanted });
    }
}

pub(super) fn known_context(doc: &TomlDoc<'_>, item: &Item<&str>, names: &[String]) -> Option<usize> {
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
    let own = |key: &'static str, types: &[HoleType]| {
        table.text(key).and_then(|item| own_hole(doc, &item, pattern, key, types))
    };
    let ports = own("ports", &[HoleType::Port, HoleType::Ports]);
    let vlan = own("vlan", &[HoleType::Vlan, HoleType::Vlans]);
    let mirror = own("mirror", &[HoleType::Int, HoleType::Word, HoleType::Text]);
    let profile = table.text("profile").and_then(|item| profile(doc, &item, pattern, "profile"));
    let reach = table.text("reach").and_then(|item| Reach::WORDS.iter().find(|(_, w)| *w == item.value));
    let all = [
        ports.map(Subject::Ports),
        vlan.map(Subject::Vlan),
        mirror.map(Subject::Mirror),
        profile.map(Subject::Profile),
        reach.map(|(reach, _)| Subject::Reach(*reach)),
    ];
    let mut named = all.into_iter().flatten();
    let first = named.next();
    if named.next().is_some() {
        doc.report(&table.spot, DialectProblem::TwoSubjects);
    }
    first
}

/// `<hole>`, or `kind:<hole>` where profiles of several kinds may have one name.
fn profile(doc: &TomlDoc<'_>, item: &Item<&str>, pattern: &Pattern, key: &'static str) -> Option<ProfileRef> {
    let (kind, hole) = item.value.split_once(':').unwrap_or(("", item.value));
    let types = &[HoleType::Word, HoleType::Text, HoleType::Rest, HoleType::Int];
    let name = own_hole(doc, &Item { value: hole, spot: item.spot.clone() }, pattern, key, types)?;
    Some(ProfileRef { kind: kind.into(), name })
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

pub(super) fn mismatch(setting: &'static str, wanted: String, hole: &str, kind: &HoleKind) -> DialectProblem {
    let found = match kind {
        HoleKind::Typed(kind, _) => format!("of type {}", kind.name()),
        HoleKind::Choice(values) => format!("one of {}", values.join(", ")),
        HoleKind::Worded(kind, values) => format!("of type {}, or one of {}", kind.name(), values.join(", ")),
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
        Some(Subject::Mirror(_)) => "a mirror session",
        // Settings of ports: a profile or a default takes the same lines as a port.
        Some(Subject::Profile(_) | Subject::Reach(_)) => "ports",
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

/// Reports rules in contexts that nothing opens from the top.
fn unreachable(doc: &TomlDoc<'_>, raws: &[Raw<'_>]) {
    let mut reached = vec![0];
    loop {
        let known = |raw: &&Raw<'_>| raw.contexts.iter().any(|c| reached.contains(c));
        let more: Vec<usize> =
            raws.iter().filter(known).filter_map(|raw| raw.opens).filter(|c| !reached.contains(c)).collect();
        if more.is_empty() {
            break;
        }
        reached.extend(more);
    }
    for raw in raws.iter().filter(|raw| !raw.contexts.iter().any(|c| reached.contains(c))) {
        if !raw.contexts.is_empty() {
            let wanted = "names a context that no line outside it opens: no text can reach this rule";
            doc.report(&raw.spot, DialectProblem::Misplaced { key: "in", wanted });
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
    scope.effects(&raw.table, raw.subject.as_ref(), None, &mut effects);
    for also in raw.table.tables("also") {
        let about = subject(doc, &also, &raw.parsed);
        if about.is_none() {
            let wanted = "says what else the line is about: it needs `ports`, `vlan`, `mirror`, `profile` or `reach`";
            doc.report(&also.spot, DialectProblem::Misplaced { key: "also", wanted });
        }
        for key in SAYING {
            also.ask(key);
        }
        one_of(&also, "reach", &Reach::WORDS.map(|(_, word)| word));
        scope.effects(&also, about.as_ref(), about.as_ref(), &mut effects);
        also.finish();
    }
    let ports = |key: &'static str| {
        let item = raw.table.text(key)?;
        own_hole(doc, &item, &raw.parsed, key, &[HoleType::Port, HoleType::Ports])
    };
    let (declares, used_by) = (ports("declares"), ports("used-by"));
    let uses = raw.table.text("uses").and_then(|item| profile(doc, &item, &raw.parsed, "uses"));
    let inside = raw.subject.as_ref().or_else(|| around.iter().find_map(|o| o.subject.as_ref()));
    if used_by.is_some() && !matches!(inside, Some(Subject::Profile(_))) {
        let wanted = "says which ports use a profile: it belongs where `profile` says which";
        doc.report(&raw.spot, DialectProblem::Misplaced { key: "used-by", wanted });
    }
    if uses.is_some() && !matches!(inside, Some(Subject::Profile(_) | Subject::Ports(_))) {
        let wanted = "says what ports, or a profile, build on: it belongs where `ports` or `profile` says which";
        doc.report(&raw.spot, DialectProblem::Misplaced { key: "uses", wanted });
    }
    let until = raw.table.text("until").and_then(|item| match hole_name(&item) {
        None => Some(Until::Line(item.value.to_owned())),
        Some(_) => {
            let types = &[HoleType::Delimiter, HoleType::Word, HoleType::Text];
            match own_hole(doc, &item, &raw.parsed, "until", types)? {
                HoleRef::Own(hole) => Some(Until::Hole(hole)),
                HoleRef::Outer(_) => None,
            }
        }
    });
    let undo = raw.undo.map(|off| undo(doc, &effects, off, &raw, text));
    // Negated, it says nothing either.
    let undo = undo.or_else(|| ((raw.is_idle || raw.is_open) && text.layout.negation.is_some()).then(Vec::new));
    let spot = raw.pattern.spot.clone();
    let rule = Rule {
        line: doc.place(&spot).line,
        contexts: raw.contexts,
        opens: raw.opens,
        goes_on: raw.goes_on,
        subject: raw.subject,
        declares,
        effects,
        undo,
        uses,
        used_by,
        until,
        read_only: raw.is_idle || raw.is_open || raw.table.flag("read-only").is_some_and(|i| i.value),
        is_idle: raw.is_idle,
        is_open: raw.is_open,
        pattern: raw.parsed,
    };
    raw.table.finish();
    Placed { rule, spot }
}

/// What the negated form changes: back to what holds when nothing is written, or to off.
fn undo(doc: &TomlDoc<'_>, effects: &[Effect], off: bool, raw: &Raw<'_>, text: &Text) -> Vec<Effect> {
    if text.layout.negation.is_none() {
        doc.report(&raw.pattern.spot, DialectProblem::NoNegation);
    }
    let undone = |effect: &Effect| {
        let setting = effect.setting;
        // What a line implied goes with the line.
        let change = match (&effect.change, off && !effect.implied) {
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
        Effect { setting, change, implied: effect.implied, about: effect.about.clone() }
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

/// A value written in the dialect.
pub(super) fn constant(doc: &TomlDoc<'_>, setting: SettingId, entry: &Entry<'_>) -> Option<Value> {
    let kind = setting.info().kind;
    let value = if let Some(numbers) = entry.integers() {
        kind.parse(&numbers.iter().map(ToString::to_string).collect::<Vec<_>>().join(","))
    } else {
        match entry.scalar()? {
            Scalar::Text(text) => word_value(kind, text),
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
    /// What a table changes, of what it is about. `about`: where that is not what the rule as a whole is about.
    fn effects(
        &self,
        table: &TableReader<'_>,
        subject: Option<&Subject>,
        about: Option<&Subject>,
        effects: &mut Vec<Effect>,
    ) {
        for key in ["sets", "adds", "removes", "implies"] {
            let Some(table) = table.table(key) else { continue };
            for entry in table.entries().into_values() {
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
                effects.push(Effect { setting, change, implied: key == "implies", about: about.cloned() });
            }
        }
        for item in table.texts("resets").unwrap_or_default() {
            let Some(setting) = known_setting(self.doc, &item) else { continue };
            self.reaches(setting, subject, &item.spot);
            effects.push(Effect { setting, change: Change::Reset, implied: false, about: about.cloned() });
        }
    }

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
                // A constant among them is what holds where no hole before it is there.
                let each = texts.iter().map(|text| {
                    if text.starts_with('<') {
                        self.operand(setting, text, entry)
                    } else {
                        self.word(setting, text, entry)
                    }
                });
                each.collect()
            }
            _ => match entry.text() {
                Some(text) if text.starts_with('<') => Some(vec![self.operand(setting, text, entry)?]),
                _ => Some(vec![Operand::Constant(constant(self.doc, setting, entry)?)]),
            },
        }
    }

    fn word(&self, setting: SettingId, text: &str, entry: &Entry<'_>) -> Option<Operand> {
        let report =
            |problem| self.doc.report(&entry.spot(), DialectProblem::Value { setting: setting.name(), problem });
        word_value(setting.info().kind, text).map_err(report).ok().map(Operand::Constant)
    }

    /// `<hole>`, or `<hole>@<hole>` and `<hole>@word` for values of two parts.
    fn operand(&self, setting: SettingId, text: &str, entry: &Entry<'_>) -> Option<Operand> {
        let (first, second) = text.split_once(">@").map_or((text, None), |(first, second)| (first, Some(second)));
        let wanted = setting.info().kind;
        let Some(second) = second else { return self.single(setting, wanted, first, entry) };
        let Some((wanted_second, first_types)) = second_part(wanted) else {
            self.doc.report(&entry.spot(), DialectProblem::NoPair { setting: setting.name() });
            return None;
        };
        let (hole, kind) = self.known(first, entry)?;
        if !matches!(kind, HoleKind::Typed(kind, _) if first_types.contains(kind)) {
            self.doc.report(&entry.spot(), mismatch(setting.name(), wanted.describe(), bare(first), kind));
            return None;
        }
        let second = if second.starts_with('<') {
            self.single(setting, wanted_second, second, entry)?
        } else {
            let value = wanted_second.parse(second);
            let report =
                |problem| self.doc.report(&entry.spot(), DialectProblem::Value { setting: setting.name(), problem });
            Operand::Constant(value.map_err(report).ok()?)
        };
        Some(Operand::Pair(hole, Box::new(second)))
    }

    fn known(&self, text: &str, entry: &Entry<'_>) -> Option<(HoleRef, &HoleKind)> {
        let found = self.find(bare(text));
        if found.is_none() {
            self.doc.report(&entry.spot(), DialectProblem::UnknownHole { name: bare(text).to_owned() });
        }
        found
    }

    fn single(&self, setting: SettingId, wanted: Kind, text: &str, entry: &Entry<'_>) -> Option<Operand> {
        let (hole, kind) = self.known(text, entry)?;
        if kind.typed().is_some_and(|typed| !fits(wanted, typed, kind.is_repeated())) {
            self.doc.report(&entry.spot(), mismatch(setting.name(), wanted.describe(), bare(text), kind));
            return None;
        }
        if kind.words().is_empty() {
            return Some(Operand::Hole(hole));
        }
        let report =
            |problem| self.doc.report(&entry.spot(), DialectProblem::Value { setting: setting.name(), problem });
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
