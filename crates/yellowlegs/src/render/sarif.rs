//! The report as SARIF 2.1.0 (OASIS), for tools that show results beside the files. Undetermined checks are results of kind `open`;
//! waivers are suppressions; what could not be read or understood is a notification.

use std::collections::BTreeMap;
use std::io::{self, Write};

use percent_encoding::{AsciiSet, CONTROLS, utf8_percent_encode};
use serde_json::{Map, Value, json};
use yellowlegs_core::check;
use yellowlegs_core::finding::{Brief, Evidence, EvidenceKind, Finding, Since};
use yellowlegs_core::policy::Level;

use super::whole::{Kept, Whole};
use super::{Format, Tail, clean, write_json};

/// For tools that show results.
pub(crate) const FORMAT: Format = Format {
    name: "sarif",
    about: "For tools that show results beside files: SARIF 2.1.0",
    endings: &["sarif", "sarif.json"],
    has_colours: false,
    make: |_| Kept::until_whole(write),
};

/// What relative paths are relative to.
const ROOT: &str = "FLEET";
/// What a path's segment may not hold (RFC 3986, 3.3).
const PATH: &AsciiSet = &CONTROLS
    .add(b' ')
    .add(b'"')
    .add(b'#')
    .add(b'%')
    .add(b'<')
    .add(b'>')
    .add(b'?')
    .add(b'[')
    .add(b'\\')
    .add(b']')
    .add(b'^')
    .add(b'`')
    .add(b'{')
    .add(b'|')
    .add(b'}')
    .add(b':');

fn write(out: &mut dyn Write, whole: &Whole, tail: &Tail<'_>) -> io::Result<()> {
    let mut rules = Rules::default();
    let findings = whole.switches.iter().flat_map(|outcome| &outcome.findings).chain(tail.fleet_findings);
    let mut results: Vec<Value> = findings.map(|found| result(found, &mut rules)).collect();
    for outcome in &whole.switches {
        let switch = outcome.row.as_ref().map(|row| &*row.switch);
        for open in &outcome.undetermined {
            let needs = open.lacks();
            results.push(undetermined(open.check, switch, open.port.as_deref(), &needs, &mut rules));
        }
    }
    for (check, _, at, needs) in tail.across.iter() {
        results.push(undetermined(check, Some(&at.switch), at.port.as_deref(), &format!("needs {needs}"), &mut rules));
    }
    results.extend(gone(tail, &mut rules));
    let version = env!("CARGO_PKG_VERSION");
    let driver = json!({"name": "yellowlegs", "version": version, "semanticVersion": version, "rules": rules.rows});
    let run = json!({
        "tool": {"driver": driver},
        "results": results,
        "invocations": [invocation(tail)],
        "columnKind": "unicodeCodePoints",
        "originalUriBaseIds": {ROOT: {"description": message("the fleet's root")}},
        "properties": {"as_of": whole.head.as_of, "site": whole.head.site},
    });
    let document = json!({
        "version": "2.1.0",
        "$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
        "runs": [run],
    });
    write_json(out, &document)
}

/// An object of what there is.
fn object<const N: usize>(entries: [(&str, Option<Value>); N]) -> Value {
    let there = entries.into_iter().filter_map(|(name, value)| Some((name.to_owned(), value?)));
    Value::Object(there.collect())
}

/// Text that is no link: in a message, `[words](place)` would be one.
fn words(text: &str) -> String {
    clean(text).replace("](", "] (")
}

fn message(text: &str) -> Value {
    json!({"text": words(text)})
}

/// The rules that results name, each once.
#[derive(Default)]
struct Rules {
    rows: Vec<Value>,
    places: BTreeMap<String, usize>,
}

impl Rules {
    /// The place of a rule. `remedy`: what a rule of the house, which is in no catalogue, says to do.
    fn place(&mut self, id: &str, level: Level, remedy: &str) -> usize {
        if let Some(place) = self.places.get(id) {
            return *place;
        }
        let place = self.rows.len();
        self.places.insert(id.to_owned(), place);
        let known = check::all().find(|check| check.id == id);
        let (title, why, remedy) = known.map_or(("a rule of the house", "The site's own rule.", remedy), |check| {
            (check.title, check.why, check.remedy)
        });
        let reference = known.map(|check| format!("\n\nReference: {}", check.reference)).unwrap_or_default();
        let help = format!("{why}\n\nDo: {remedy}{reference}").replace('{', "<").replace('}', ">");
        self.rows.push(json!({
            "id": id,
            "shortDescription": message(&format!("Violated when {title}.")),
            "fullDescription": message(why),
            "help": message(&help),
            "defaultConfiguration": {"level": level_word(known.map_or(level, |check| check.level))},
            "properties": {"family": id.split_once('/').map_or(id, |(family, _)| family)},
        }));
        place
    }
}

/// SARIF's three levels are ours.
fn level_word(level: Level) -> &'static str {
    match level {
        Level::Breach => "error",
        Level::Risk => "warning",
        Level::Advice => "note",
    }
}

fn result(found: &Finding, rules: &mut Rules) -> Value {
    let index = rules.place(found.check, found.level, &found.remedy);
    let (demands, own): (Vec<&Evidence>, Vec<&Evidence>) =
        found.evidence.iter().partition(|line| line.kind == EvidenceKind::Policy);
    // The first line that has a place in a file; where only the policy has one, that.
    let first = own.iter().chain(&demands).find(|line| line.file.is_some());
    let place = object([
        ("physicalLocation", first.map(|line| physical(line, true))),
        ("logicalLocations", logical(found.switch.as_deref(), found.port.as_deref())),
    ]);
    let others = own.iter().chain(&demands).filter(|line| line.file.is_some() && Some(*line) != first);
    let related: Vec<Value> = others
        .map(|line| {
            let what =
                if line.kind == EvidenceKind::Policy { "the policy demands it here" } else { "this decides too" };
            json!({"physicalLocation": physical(line, true), "message": message(what)})
        })
        .collect();
    // An empty list says that suppressions were looked for.
    let suppressions: Vec<Value> = found
        .waiver
        .iter()
        .map(|waiver| {
            let why = format!("{} ({}, until {})", waiver.reason, waiver.owner, waiver.last_day);
            let line = waiver.evidence.file.is_some().then_some(&waiver.evidence);
            object([
                ("kind", Some(json!("external"))),
                ("status", Some(json!("accepted"))),
                ("justification", Some(json!(words(&why)))),
                ("location", line.map(|line| json!({"physicalLocation": physical(line, true)}))),
            ])
        })
        .collect();
    let values = found
        .settings
        .iter()
        .map(|s| (s.name.to_owned(), json!({"value": s.value.as_ref().map(Brief), "origin": s.origin})));
    let values: Map<String, Value> = values.collect();
    object([
        ("message", Some(message(&format!("{} Do: {}", sentence(&found.message), found.remedy)))),
        ("ruleId", Some(json!(found.check))),
        ("ruleIndex", Some(json!(index))),
        ("level", Some(json!(level_word(found.level)))),
        ("kind", Some(json!("fail"))),
        ("locations", Some(json!([place]))),
        ("partialFingerprints", Some(json!({"yellowlegs/v1": found.fingerprint}))),
        ("relatedLocations", (!related.is_empty()).then(|| json!(related))),
        ("suppressions", Some(json!(suppressions))),
        ("baselineState", found.since.map(|since| json!(state_since(since)))),
        ("properties", Some(json!({"role": found.role, "vlan": found.vlan, "settings": values, "drill": found.drill}))),
    ])
}

fn state_since(since: Since) -> &'static str {
    match since {
        Since::New => "new",
        Since::Remaining => "unchanged",
    }
}

fn sentence(text: &str) -> String {
    let mut chars = text.chars();
    let first = chars.next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
    format!("{first}{}.", chars.as_str())
}

/// Where something is that has no line.
fn on(switch: Option<&str>, port: Option<&str>) -> Value {
    json!([object([("logicalLocations", logical(switch, port))])])
}

/// A check that could not be decided.
fn undetermined(
    check: &'static str,
    switch: Option<&str>,
    port: Option<&str>,
    needs: &str,
    rules: &mut Rules,
) -> Value {
    json!({
        "message": message(&format!("Could not be decided: {needs}.")),
        "ruleId": check,
        "ruleIndex": rules.place(check, Level::Risk, ""),
        "level": "none",
        "kind": "open",
        "locations": on(switch, port),
    })
}

/// What an earlier report had and this one has not.
fn gone(tail: &Tail<'_>, rules: &mut Rules) -> Vec<Value> {
    let former = tail.totals.since().into_iter().flat_map(|since| &since.gone);
    former
        .filter(|former| former.now == yellowlegs_core::finding::Fate::Gone)
        .map(|former| {
            json!({
                "message": message(&sentence(&former.message)),
                "ruleId": former.check,
                "ruleIndex": rules.place(&former.check, former.level, ""),
                "level": level_word(former.level),
                "kind": "fail",
                "locations": on(former.switch.as_deref(), former.port.as_deref()),
                "partialFingerprints": {"yellowlegs/v1": former.fingerprint},
                "baselineState": "absent",
            })
        })
        .collect()
}

/// A line of a file, with its text where that is wanted.
fn physical(line: &Evidence, with_text: bool) -> Value {
    let region = line.line.map(|number| {
        let end = line.column.zip(line.width).map(|(column, width)| i64::from(column) + i64::from(width));
        object([
            ("startLine", Some(json!(number))),
            ("startColumn", line.column.map(|column| json!(column))),
            ("endColumn", end.map(|end| json!(end))),
            ("snippet", with_text.then(|| json!({"text": clean(&line.text)}))),
        ])
    });
    object([("artifactLocation", line.file.as_deref().map(artifact)), ("region", region)])
}

fn artifact(file: &str) -> Value {
    let uri: String =
        file.split('/').map(|part| utf8_percent_encode(part, PATH).to_string()).collect::<Vec<_>>().join("/");
    json!({"uri": uri, "uriBaseId": ROOT})
}

fn logical(switch: Option<&str>, port: Option<&str>) -> Option<Value> {
    let switch = clean(switch?).into_owned();
    let (name, full, kind) = match port.map(clean) {
        Some(port) => (port.clone().into_owned(), format!("{switch}/{port}"), "port"),
        None => (switch.clone(), switch, "switch"),
    };
    Some(json!([{"name": name, "fullyQualifiedName": full, "kind": kind}]))
}

/// How the work went: what could not be read, what was not understood, what was noticed.
fn invocation(tail: &Tail<'_>) -> Value {
    let note = |level: &str, text: &str, file: Option<&str>, line: Option<u32>| {
        let place = file.map(|file| {
            let words = Evidence::words(EvidenceKind::Line, String::new());
            let line = Evidence { file: Some(file.into()), line, ..words };
            json!([{"physicalLocation": physical(&line, false)}])
        });
        object([("level", Some(json!(level))), ("message", Some(message(text))), ("locations", place)])
    };
    let unreadable = tail.unreadable.iter().map(|file| note("error", &file.why, Some(&file.file), None));
    let unread = tail.totals.unread().into_iter().map(|row| {
        let text = format!("not understood, {} lines of this shape: {}", row.count, row.shape);
        note("warning", &text, Some(&row.sample.file), Some(row.sample.line))
    });
    let remarks = tail
        .totals
        .remarks()
        .map(|remark| note("note", &format!("{}: {}", remark.about, remark.text), remark.file.as_deref(), remark.line));
    let notes: Vec<Value> = unreadable.chain(unread).chain(remarks).collect();
    json!({"executionSuccessful": tail.unreadable.is_empty(), "toolExecutionNotifications": notes})
}
