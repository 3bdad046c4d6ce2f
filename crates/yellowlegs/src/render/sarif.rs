//! The report as SARIF 2.1.0 (OASIS), for tools that show results beside the files. Undetermined checks are results of kind `open`;
//! waivers are suppressions; what could not be read or understood is a notification.

use std::collections::BTreeMap;
use std::io::{self, Write};

use percent_encoding::{AsciiSet, CONTROLS, utf8_percent_encode};
use serde_json::{Value, json};
use serde_sarif::sarif::{
    ArtifactContent, ArtifactLocation, Invocation, Location, LogicalLocation, Message, MultiformatMessageString,
    Notification, PhysicalLocation, PropertyBag, Region, ReportingConfiguration, ReportingDescriptor, Result as Entry,
    ResultKind, ResultLevel, Run, Sarif, Suppression, Tool, ToolComponent,
};
use yellowlegs_core::check;
use yellowlegs_core::finding::{Evidence, EvidenceKind, Finding, Since};
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
    let mut results: Vec<Entry> = findings.map(|found| result(found, &mut rules)).collect();
    for outcome in &whole.switches {
        let switch = outcome.row.as_ref().map(|row| &*row.switch);
        for open in &outcome.undetermined {
            let needs = open.lacks();
            results.push(undetermined(open.check, switch, open.port.as_deref(), &needs, &mut rules));
        }
    }
    for (check, switch, port, needs) in tail.across {
        results.push(undetermined(check, Some(switch), *port, &format!("needs {needs}"), &mut rules));
    }
    results.extend(gone(tail, &mut rules));
    let driver = ToolComponent::builder()
        .name("yellowlegs")
        .version(env!("CARGO_PKG_VERSION"))
        .semantic_version(env!("CARGO_PKG_VERSION"))
        .rules(rules.rows)
        .build();
    let bases = BTreeMap::from([(ROOT.to_owned(), described("the fleet's root"))]);
    let mut run = Run::builder()
        .tool(Tool::builder().driver(driver).build())
        .results(results)
        .invocations(vec![invocation(tail)])
        .column_kind(json!("unicodeCodePoints"))
        .original_uri_base_ids(bases)
        .build();
    run.properties = Some(properties([("as_of", json!(whole.head.as_of)), ("site", json!(whole.head.site))]));
    let document = Sarif::builder()
        .version(json!("2.1.0"))
        .schema("https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json".to_owned())
        .runs(vec![run])
        .build();
    write_json(out, &document)
}

fn described(text: &str) -> ArtifactLocation {
    ArtifactLocation::builder().description(message(text)).build()
}

fn properties<const N: usize>(entries: [(&str, Value); N]) -> PropertyBag {
    let entries = entries.into_iter().map(|(name, value)| (name.to_owned(), value));
    PropertyBag { additional_properties: entries.collect(), tags: None }
}

/// Text that is no link: in a message, `[words](place)` would be one.
fn words(text: &str) -> String {
    clean(text).replace("](", "] (")
}

fn message(text: &str) -> Message {
    Message::builder().text(words(text)).build()
}

/// The rules that results name, each once.
#[derive(Default)]
struct Rules {
    rows: Vec<ReportingDescriptor>,
    places: BTreeMap<String, i64>,
}

impl Rules {
    /// The place of a rule. `remedy`: what a rule of the house, which is in no catalogue, says to do.
    fn place(&mut self, id: &str, level: Level, remedy: &str) -> i64 {
        if let Some(place) = self.places.get(id) {
            return *place;
        }
        let place = i64::try_from(self.rows.len()).unwrap_or(i64::MAX);
        self.places.insert(id.to_owned(), place);
        let known = check::all().find(|check| check.id == id);
        let (title, why, remedy) = known.map_or(("a rule of the house", "The site's own rule.", remedy), |check| {
            (check.title, check.why, check.remedy)
        });
        let plain = |text: String| MultiformatMessageString::builder().text(words(&text)).build();
        let reference = known.map(|check| format!("\n\nReference: {}", check.reference)).unwrap_or_default();
        let mut rule = ReportingDescriptor::builder()
            .id(id)
            .short_description(plain(format!("Violated when {title}.")))
            .full_description(plain(why.to_owned()))
            .help(plain(format!("{why}\n\nDo: {remedy}{reference}").replace('{', "<").replace('}', ">")))
            .default_configuration(
                ReportingConfiguration::builder()
                    .level(json!(level_word(known.map_or(level, |check| check.level))))
                    .build(),
            )
            .build();
        rule.properties = Some(properties([("family", json!(id.split_once('/').map_or(id, |(family, _)| family)))]));
        self.rows.push(rule);
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

fn result_level(level: Level) -> ResultLevel {
    match level {
        Level::Breach => ResultLevel::Error,
        Level::Risk => ResultLevel::Warning,
        Level::Advice => ResultLevel::Note,
    }
}

fn result(found: &Finding, rules: &mut Rules) -> Entry {
    let index = rules.place(found.check, found.level, &found.remedy);
    let (demands, own): (Vec<&Evidence>, Vec<&Evidence>) =
        found.evidence.iter().partition(|line| line.kind == EvidenceKind::Policy);
    // The first line that has a place in a file; where only the policy has one, that.
    let first = own.iter().chain(&demands).find(|line| line.file.is_some());
    let mut place = first.map_or_else(|| Location::builder().build(), |line| located(line));
    place.logical_locations = logical(found.switch.as_deref(), found.port.as_deref());
    let others = own.iter().chain(&demands).filter(|line| line.file.is_some() && Some(*line) != first);
    let related: Vec<Location> = others
        .map(|line| {
            let mut place = located(line);
            let what =
                if line.kind == EvidenceKind::Policy { "the policy demands it here" } else { "this decides too" };
            place.message = Some(message(what));
            place
        })
        .collect();
    let mut result = Entry::builder()
        .message(message(&format!("{} Do: {}", sentence(&found.message), found.remedy)))
        .rule_id(found.check)
        .rule_index(index)
        .level(result_level(found.level))
        .kind(ResultKind::Fail)
        .locations(vec![place])
        .partial_fingerprints(BTreeMap::from([("yellowlegs/v1".to_owned(), found.fingerprint.clone())]))
        .build();
    if !related.is_empty() {
        result.related_locations = Some(related);
    }
    // An empty list says that suppressions were looked for.
    result.suppressions = Some(
        found
            .waiver
            .iter()
            .map(|waiver| {
                let why = format!("{} ({}, until {})", waiver.reason, waiver.owner, waiver.last_day);
                let mut suppression = Suppression::builder()
                    .kind(json!("external"))
                    .status(json!("accepted"))
                    .justification(words(&why))
                    .build();
                suppression.location = waiver.evidence.file.is_some().then(|| located(&waiver.evidence));
                suppression
            })
            .collect(),
    );
    result.baseline_state = found.since.map(|since| match since {
        Since::New => json!("new"),
        Since::Remaining => json!("unchanged"),
    });
    let values = found.settings.iter().map(|s| (s.name.to_owned(), json!({"value": s.value, "origin": s.origin})));
    let values: serde_json::Map<String, Value> = values.collect();
    result.properties = Some(properties([
        ("role", json!(found.role)),
        ("vlan", json!(found.vlan)),
        ("settings", Value::Object(values)),
        ("drill", json!(found.drill)),
    ]));
    result
}

fn sentence(text: &str) -> String {
    let mut chars = text.chars();
    let first = chars.next().map(|c| c.to_uppercase().to_string()).unwrap_or_default();
    format!("{first}{}.", chars.as_str())
}

/// A check that could not be decided.
fn undetermined(
    check: &'static str,
    switch: Option<&str>,
    port: Option<&str>,
    needs: &str,
    rules: &mut Rules,
) -> Entry {
    let mut place = Location::builder().build();
    place.logical_locations = logical(switch, port);
    Entry::builder()
        .message(message(&format!("Could not be decided: {needs}.")))
        .rule_id(check)
        .rule_index(rules.place(check, Level::Risk, ""))
        .level(ResultLevel::None)
        .kind(ResultKind::Open)
        .locations(vec![place])
        .build()
}

/// What an earlier report had and this one has not.
fn gone(tail: &Tail<'_>, rules: &mut Rules) -> Vec<Entry> {
    let former = tail.totals.since().into_iter().flat_map(|since| &since.gone);
    former
        .filter(|former| former.now == yellowlegs_core::finding::Fate::Gone)
        .map(|former| {
            let mut place = Location::builder().build();
            place.logical_locations = logical(former.switch.as_deref(), former.port.as_deref());
            let mut result = Entry::builder()
                .message(message(&sentence(&former.message)))
                .rule_id(former.check.as_str())
                .rule_index(rules.place(&former.check, former.level, ""))
                .level(result_level(former.level))
                .kind(ResultKind::Fail)
                .locations(vec![place])
                .partial_fingerprints(BTreeMap::from([("yellowlegs/v1".to_owned(), former.fingerprint.clone())]))
                .build();
            result.baseline_state = Some(json!("absent"));
            result
        })
        .collect()
}

fn located(line: &Evidence) -> Location {
    let mut physical = PhysicalLocation::builder().build();
    physical.artifact_location = line.file.as_deref().map(artifact);
    physical.region = line.line.map(|number| {
        let mut region = Region::builder().start_line(i64::from(number)).build();
        region.start_column = line.column.map(i64::from);
        region.end_column = line.column.zip(line.width).map(|(column, width)| i64::from(column) + i64::from(width));
        region.snippet = Some(ArtifactContent::builder().text(clean(&line.text).into_owned()).build());
        region
    });
    Location::builder().physical_location(physical).build()
}

fn artifact(file: &str) -> ArtifactLocation {
    let uri: String =
        file.split('/').map(|part| utf8_percent_encode(part, PATH).to_string()).collect::<Vec<_>>().join("/");
    ArtifactLocation::builder().uri(uri).uri_base_id(ROOT).build()
}

fn logical(switch: Option<&str>, port: Option<&str>) -> Option<Vec<LogicalLocation>> {
    let switch = clean(switch?).into_owned();
    let (name, full, kind) = match port.map(clean) {
        Some(port) => (port.clone().into_owned(), format!("{switch}/{port}"), "port"),
        None => (switch.clone(), switch, "switch"),
    };
    Some(vec![LogicalLocation::builder().name(name).fully_qualified_name(full).kind(kind).build()])
}

/// How the work went: what could not be read, what was not understood, what was noticed.
fn invocation(tail: &Tail<'_>) -> Invocation {
    let note = |level: &str, text: &str, file: Option<&str>, line: Option<u32>| {
        let mut note = Notification::builder().message(message(text)).build();
        note.level = Some(json!(level));
        note.locations = file.map(|file| {
            let evidence =
                Evidence { file: Some(file.to_owned()), line, ..Evidence::words(EvidenceKind::Line, String::new()) };
            let mut place = located(&evidence);
            if let Some(region) = place.physical_location.as_mut().and_then(|p| p.region.as_mut()) {
                region.snippet = None;
            }
            vec![place]
        });
        note
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
    Invocation::builder()
        .execution_successful(tail.unreadable.is_empty())
        .tool_execution_notifications(unreadable.chain(unread).chain(remarks).collect::<Vec<_>>())
        .build()
}
