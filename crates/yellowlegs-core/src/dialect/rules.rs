//! From `[[rule]]` tables to rules: contexts, subjects, effects, and whether their types fit.

use super::DialectProblem;
use super::effects::{Holes, Negated, mismatch, undo};
use super::hole::HoleType;
use super::load::{Text, one_of, parse_pattern};
use super::pattern::{Hole, HoleKind, Pattern};
use super::rule::{Follow, Glance, HoleRef, ProfileRef, Reach, Rule, Subject, Until};
use crate::source::{Item, Spot, TableReader, TomlDoc, nearest};

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
    /// What it says in one text.
    short: Option<Item<&'d str>>,
    undo: Option<Negated>,
    is_idle: bool,
    is_open: bool,
    spot: Spot,
}

/// Reads all rules; also tells the names of the contexts, by number.
pub(super) fn read<'d>(doc: &'d TomlDoc<'d>, tables: Vec<TableReader<'d>>, text: &Text) -> (Vec<Placed>, Vec<String>) {
    let mut names = vec!["top".to_owned()];
    let written = tables.into_iter().flat_map(|table| each(doc, table)).collect::<Vec<_>>();
    for item in written.iter().flat_map(|one| [one.table.text("opens"), one.table.text("goes-on")]).flatten() {
        if !names.iter().any(|name| name == item.value) {
            names.push(item.value.to_owned());
        }
    }
    let raws: Vec<Raw<'d>> = written.into_iter().filter_map(|written| raw(doc, written, &names, text)).collect();
    let openers: Vec<Opener> = raws.iter().filter_map(Opener::of).collect();
    mixed(doc, &raws, &names);
    unreachable(doc, &raws);
    let rules = raws.into_iter().map(|raw| finish(doc, raw, &openers, text)).collect();
    (rules, names)
}

/// A pattern with what is written of it.
pub(super) struct Written<'d> {
    pub(super) pattern: Option<Item<&'d str>>,
    pub(super) table: TableReader<'d>,
    pub(super) short: Option<Item<&'d str>>,
}

/// The rules of one table: one for each `pattern`, or one for each of its `lines`, where the keys of the table hold for
/// all of them.
pub(super) fn each<'d>(doc: &'d TomlDoc<'d>, table: TableReader<'d>) -> Vec<Written<'d>> {
    let Some(spot) = table.key_spot("lines") else {
        table.ask("lines");
        let patterns = match table.texts("pattern") {
            Some(patterns) if !patterns.is_empty() => patterns,
            _ => {
                let pattern = table.required_text("pattern");
                return vec![Written { pattern, table, short: None }];
            }
        };
        let one = |pattern: Item<&'d str>| {
            let table = table.again();
            ["lines", "pattern"].into_iter().for_each(|key| table.ask(key));
            Written { pattern: Some(pattern), table, short: None }
        };
        return patterns.into_iter().map(one).collect();
    };
    if table.key_spot("pattern").is_some() {
        let wanted = "has a pattern for each of its keys: `pattern` does nothing beside it";
        doc.report(&spot, DialectProblem::Misplaced { key: "lines", wanted });
    }
    let Some(lines) = table.table("lines") else { return Vec::new() };
    let one = |entry: crate::source::Entry<'d>| {
        let (pattern, short) = (Some(entry.key.clone()), entry.text());
        if let Some(short) = short {
            let short = Some(Item { value: short, spot: entry.spot() });
            let table = table.again();
            ["lines", "pattern"].into_iter().for_each(|key| table.ask(key));
            return vec![Written { pattern, table, short }];
        }
        let own = entry.tables().into_iter();
        own.map(|own| Written { pattern: pattern.clone(), table: own.within(&table), short: None }).collect()
    };
    lines.entries().into_iter().flat_map(one).collect()
}

fn raw<'d>(doc: &'d TomlDoc<'d>, written: Written<'d>, names: &[String], text: &Text) -> Option<Raw<'d>> {
    let Written { pattern, table, short } = written;
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
    let undo = one_of(&table, "negation", &Negated::WORDS.map(|(_, word)| word)).map(|i| Negated::WORDS[i].0);
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
    if let Some(short) = short.as_ref().filter(|_| is_idle || is_open) {
        let wanted = "that the lines around say so, too, does not go with this: take one of them out";
        doc.report(&short.spot, DialectProblem::Misplaced { key: "about", wanted });
    }
    let subject = parsed.as_ref().and_then(|parsed| subject(doc, &table, parsed));
    const LATER: [&str; 14] = [
        "parts", "sets", "adds", "removes", "implies", "resets", "declares", "ports", "vlan", "mirror", "profile",
        "uses", "used-by", "also",
    ];
    LATER.into_iter().chain(["until", "read-only"]).for_each(|key| table.ask(key));
    one_of(&table, "reach", &Reach::WORDS.map(|(_, word)| word));
    let (Some(pattern), Some(parsed)) = (pattern, parsed) else {
        table.finish();
        return None;
    };
    let spot = table.spot.clone();
    Some(Raw { table, pattern, parsed, contexts, opens, goes_on, subject, short, undo, is_idle, is_open, spot })
}

/// The pattern of lines about nothing: its words, and whatever follows them.
fn whatever_follows(doc: &TomlDoc<'_>, item: &Item<&str>, text: &Text, parsed: Pattern) -> Option<Pattern> {
    let takes_rest = |hole: &Hole| hole.kind.typed().is_some_and(HoleType::is_rest);
    if parsed.holes.iter().any(takes_rest) {
        return Some(parsed);
    }
    let longer = format!("{} [<_more:rest>]", item.value);
    let mut longer = parse_pattern(doc, &Item { value: &longer, spot: item.spot.clone() }, text)?;
    longer.text = item.value.into();
    Some(longer)
}

/// Keys by which a rule says something.
const SAYING: [&str; 10] =
    ["sets", "adds", "removes", "implies", "resets", "parts", "declares", "uses", "used-by", "also"];
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

pub(super) fn subject(doc: &TomlDoc<'_>, table: &TableReader<'_>, pattern: &Pattern) -> Option<Subject> {
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

/// A rule that opens a context, as the rules inside see it.
pub(super) struct Opener {
    pub(super) opens: usize,
    pub(super) contexts: Vec<usize>,
    pub(super) pattern: Pattern,
    pub(super) subject: Option<Subject>,
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
pub(super) fn around<'o>(contexts: &[usize], openers: &'o [Opener]) -> Vec<&'o Opener> {
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
    if let Some(short) = &raw.short {
        scope.short(short, raw.subject.as_ref(), &mut effects);
    }
    for also in raw.table.tables("also") {
        let about = subject(doc, &also, &raw.parsed);
        if about.is_none() {
            let wanted = "says what else the line is about: it needs `ports`, `vlan`, `mirror`, `profile` or `reach`";
            doc.report(&also.spot, DialectProblem::Misplaced { key: "also", wanted });
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
    let says = !effects.is_empty() || uses.is_some() || used_by.is_some();
    let negated = raw.undo.or_else(|| text.negated.filter(|_| says && !raw.is_idle && !raw.is_open));
    if raw.undo.is_some() && raw.undo != Some(Negated::Never) && text.layout.negation.is_none() {
        doc.report(&raw.pattern.spot, DialectProblem::NoNegation);
    }
    let undo = negated.filter(|way| *way != Negated::Never).map(|way| undo(doc, &effects, way, &raw.pattern.spot));
    // Negated, it says nothing either.
    let undo = undo.or_else(|| ((raw.is_idle || raw.is_open) && text.layout.negation.is_some()).then(Vec::new));
    let spot = raw.pattern.spot.clone();
    let speaks = effects.iter().chain(undo.iter().flatten()).map(|effect| effect.setting).collect();
    let mut rule = Rule {
        line: doc.place(&spot).line,
        contexts: raw.contexts,
        opens: raw.opens,
        follow: if raw.goes_on { Follow::OnTheLine } else { Follow::Inside },
        subject: raw.subject,
        declares,
        effects,
        undo,
        speaks,
        glance: Glance::default(),
        uses,
        used_by,
        until,
        read_only: raw.is_idle || raw.is_open || raw.table.flag("read-only").is_some_and(|i| i.value),
        is_idle: raw.is_idle,
        is_open: raw.is_open,
        pattern: raw.parsed,
    };
    rule.glance = rule.at_a_glance();
    raw.table.finish();
    Placed { rule, spot }
}
