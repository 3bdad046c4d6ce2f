//! Every format of the report, of one fleet whose every word is meant to break it; read back by parsers and schemas nobody here wrote.

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;
use std::sync::LazyLock;

use crate::support::nasty::{self, HOSTILE};
use crate::support::{Fleet, list, text};
use pulldown_cmark::{Event, Options, Parser, Tag};
use rstest::rstest;
use serde_json::Value;
use unicode_width::UnicodeWidthStr as _;

const FORMATS: [&str; 9] = ["text", "json", "jsonl", "csv", "sarif", "junit", "markdown", "html", "svg"];

/// Each format of the nasty fleet, in the order of [`FORMATS`].
static NASTY: LazyLock<Vec<String>> = LazyLock::new(|| {
    let fleet = Fleet::empty();
    nasty::write(fleet.path());
    if let Some(kept) = std::env::var_os("NASTY_FLEET") {
        nasty::write(Path::new(&kept));
    }
    FORMATS.iter().map(|format| fleet.run(&["audit", "--format", format]).out).collect()
});

fn nasty_as(format: &str) -> &'static str {
    &NASTY[FORMATS.iter().position(|f| *f == format).unwrap()]
}

fn nasty_report() -> Value {
    serde_json::from_str(nasty_as("json")).unwrap()
}

/// The findings of a report, those across the fleet last.
fn findings(report: &Value) -> Vec<&Value> {
    list(report, "findings").iter().chain(list(report, "fleet_findings")).collect()
}

/// A fleet without anything to say.
fn empty() -> Fleet {
    let fleet = Fleet::empty();
    fleet.write("yellowlegs.toml", "as-of = \"2031-03-04T06:30:00Z\"\n[files]\nsaved = []\n");
    fleet.write("switches/one.json", "{\"record\": 1, \"switch\": \"one\", \"ports\": []}");
    fleet
}

fn data(file: &str) -> String {
    fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/data").join(file)).unwrap()
}

#[test]
fn the_nasty_fleet_is_nasty() {
    let report = nasty_report();
    let all = findings(&report);
    assert!(all.len() > 30);
    assert!(all.iter().any(|f| f["port"].is_null() && f["switch"].is_string()), "one without a port");
    assert!(all.iter().any(|f| f["switch"].is_null()), "one without a switch");
    assert!(all.iter().any(|f| list(f, "evidence").iter().all(|e| e["line"].is_null())), "one without a line");
    assert!(all.iter().any(|f| f["waiver"].is_object()));
    assert_eq!(list(&report, "unreadable").len(), 1);
    assert!(!list(&report, "unread").is_empty() && !list(&report, "undetermined").is_empty());
    for hostile in HOSTILE {
        let quoted = |f: &&Value| list(f, "evidence").iter().any(|e| text(e, "text").contains(hostile));
        assert!(all.iter().any(quoted), "{hostile}");
    }
}

/// No terminal is told anything, and no reader is turned around.
#[test]
fn no_format_lets_a_control_character_through() {
    for (format, written) in FORMATS.iter().zip(NASTY.iter()) {
        assert!(written.len() > 1000, "{format}");
        let allowed = |c: char| c == '\n' || c == '\r' && *format == "csv";
        let bad = written.chars().find(|c| {
            c.is_control() && !allowed(*c)
                || ('\u{202a}'..='\u{202e}').contains(c)
                || ('\u{2066}'..='\u{2069}').contains(c)
        });
        assert_eq!(bad, None, "{format}");
    }
}

#[rstest]
#[case("nasty")]
#[case("demo")]
#[case("empty")]
fn sarif_is_what_its_schema_says(#[case] fleet: &str) {
    let (written, report) = match fleet {
        "nasty" => (nasty_as("sarif").to_owned(), nasty_report()),
        "demo" => (Fleet::demo().run(&["audit", "--format", "sarif"]).out, Fleet::demo().report(&[])),
        _ => (empty().run(&["audit", "--format", "sarif"]).out, empty().report(&[])),
    };
    // One of its patterns, for a language, has a bracket too many for a strict reader of patterns.
    let schema = data("sarif-2.1.0.schema.json").replace("[a-zA-Z]{2}]?$", "[a-zA-Z]{2}\\\\]?$");
    let schema: Value = serde_json::from_str(&schema).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let value: Value = serde_json::from_str(&written).unwrap();
    let problems: Vec<String> = validator.iter_errors(&value).map(|e| format!("{}: {e}", e.instance_path())).collect();
    assert_eq!(problems, Vec::<String>::new());
    let run = &value["runs"][0];
    let results = list(run, "results");
    let (open, told): (Vec<&Value>, Vec<&Value>) = results.iter().partition(|r| r["kind"] == "open");
    let expected: Vec<&str> = findings(&report).iter().map(|f| text(f, "fingerprint")).collect();
    let fingerprints: Vec<&str> = told.iter().map(|r| text(&r["partialFingerprints"], "yellowlegs/v1")).collect();
    assert_eq!(fingerprints, expected);
    assert_eq!(open.len() as u64, report["summary"]["undetermined"].as_u64().unwrap(), "undetermined is no pass");
    let rules = list(&run["tool"]["driver"], "rules");
    for result in results {
        assert_eq!(rules[result["ruleIndex"].as_u64().unwrap() as usize]["id"], result["ruleId"]);
        assert!(!text(&result["message"], "text").contains("]("), "a link from a switch");
        for uri in
            list(result, "locations").iter().filter_map(|l| l["physicalLocation"]["artifactLocation"]["uri"].as_str())
        {
            assert!(!uri.starts_with('/') && !uri.contains([' ', '<', '"', '\\']), "{uri}");
        }
    }
    assert!(rules.iter().all(|r| text(&r["help"], "text").len() > 20));
    let waived = findings(&report).iter().filter(|f| f["waiver"].is_object()).count();
    let suppressed = told.iter().filter(|r| !list(r, "suppressions").is_empty());
    assert!(suppressed.clone().all(|r| !text(&r["suppressions"][0], "justification").is_empty()));
    assert_eq!(suppressed.count(), waived);
    assert_eq!(run["invocations"][0]["executionSuccessful"], list(&report, "unreadable").is_empty());
}

/// Moved lines leave the fingerprints alone; the same in SARIF and JSON.
#[test]
fn fingerprints_survive_moved_lines() {
    let fleet = Fleet::demo();
    let prints =
        |report: &Value| findings(report).iter().map(|f| text(f, "fingerprint").to_owned()).collect::<BTreeSet<_>>();
    let first = fleet.report(&[]);
    let before = prints(&first);
    assert_eq!(before.len(), findings(&first).len(), "each finding has a fingerprint of its own");
    fleet.edit("northquay/nq-desks-1/config.txt", "\nsocket 1.1\n", "\n\n! moved\n\nsocket 1.1\n");
    assert_eq!(prints(&fleet.report(&[])), before);
    assert!(before.len() > 200);
}

#[rstest]
#[case("nasty")]
#[case("demo")]
#[case("empty")]
fn junit_is_read_by_a_parser(#[case] fleet: &str) {
    let (written, report) = match fleet {
        "nasty" => (nasty_as("junit").to_owned(), nasty_report()),
        "demo" => (Fleet::demo().run(&["audit", "--format", "junit"]).out, Fleet::demo().report(&[])),
        _ => (empty().run(&["audit", "--format", "junit"]).out, empty().report(&[])),
    };
    roxmltree::Document::parse(&written).unwrap();
    let suites = junit_parser::from_reader(written.as_bytes()).unwrap();
    let cases: Vec<_> = suites.suites.iter().flat_map(|suite| &suite.cases).collect();
    let summary = &report["summary"];
    let of_ports: Vec<_> = suites
        .suites
        .iter()
        .filter(|s| s.name != "the fleet" && s.name != "could not be read")
        .flat_map(|s| &s.cases)
        .filter(|case| case.original_name != "the switch")
        .collect();
    assert_eq!(Some(of_ports.len() as u64), summary["ports"].as_u64());
    let failed = of_ports.iter().filter(|case| case.status.is_failure()).count() as u64;
    assert_eq!(Some(failed), summary["violating_ports"].as_u64());
    let skipped = of_ports.iter().filter(|case| case.status.is_skipped()).count() as u64;
    assert_eq!(
        Some(skipped),
        Some(summary["waived_ports"].as_u64().unwrap() + summary["undetermined_ports"].as_u64().unwrap()),
        "neither waived nor undetermined is a pass"
    );
    let errors = cases.iter().filter(|case| case.status.is_error()).count() as u64;
    assert_eq!(Some(errors), summary["unreadable"].as_u64());
    for finding in findings(&report) {
        assert!(written.contains(text(finding, "check")));
    }
}

#[test]
fn csv_is_rfc_4180_and_no_cell_is_a_formula() {
    let written = nasty_as("csv");
    assert_eq!(written.matches('\n').count(), written.matches("\r\n").count(), "lines end with CR LF");
    let mut reader = csv::Reader::from_reader(written.as_bytes());
    let header = reader.headers().unwrap().clone();
    assert_eq!(&header[0], "kind");
    let rows: Vec<csv::StringRecord> = reader.records().map(Result::unwrap).collect();
    for cell in rows.iter().flatten() {
        assert!(!cell.trim_start().starts_with(['=', '+', '-', '@', '\t', '\r']), "{cell}");
    }
    let report = nasty_report();
    let column = |name: &str| header.iter().position(|h| h == name).unwrap();
    let prints: Vec<&str> =
        rows.iter().map(|row| &row[column("fingerprint")]).filter(|cell| !cell.is_empty()).collect();
    assert_eq!(prints, findings(&report).iter().map(|f| text(f, "fingerprint")).collect::<Vec<_>>());
    for kind in ["undetermined", "unread", "unreadable"] {
        assert_eq!(rows.iter().filter(|row| &row[0] == kind).count(), list(&report, kind).len(), "{kind}");
    }
    // The columns are named also where there is nothing to say.
    let none = empty().run(&["audit", "--format", "csv"]).out;
    assert_eq!(none.lines().next(), written.lines().next());
}

#[test]
fn markdown_is_tables_and_nothing_of_a_switch_is_markup() {
    let written = nasty_as("markdown");
    let options = Options::ENABLE_TABLES | Options::ENABLE_STRIKETHROUGH;
    let mut cells = 0;
    let mut words = String::new();
    for event in Parser::new_ext(written, options) {
        match event {
            Event::InlineHtml(html) => assert_eq!(&*html, "<br>"),
            Event::Html(html) => panic!("{html}"),
            Event::Start(Tag::Link { .. } | Tag::Image { .. } | Tag::Strikethrough | Tag::Strong | Tag::Emphasis) => {
                panic!("a switch's text became markup")
            }
            Event::Code(code) => panic!("{code}"),
            Event::Start(Tag::TableCell) => cells += 1,
            Event::Text(text) => words.push_str(&text),
            _ => {}
        }
    }
    assert!(cells > 200);
    for shown in ["<script>window.harmed=1</script>", "*bold* [link](https://192.0.2.1) ~~x~~ #1", "`code` | "] {
        assert!(words.contains(shown), "{shown} is shown as it is");
    }
}

#[test]
fn pages_and_pictures_are_well_formed_and_hold_only_their_own_markup() {
    let picture = roxmltree::Document::parse(nasty_as("svg")).unwrap();
    assert!(picture.descendants().all(|node| node.tag_name().name() != "script" && node.tag_name().name() != "img"));
    let ports = nasty_report()["summary"]["ports"].as_u64().unwrap();
    let titles =
        picture.descendants().filter(|node| node.has_tag_name(("http://www.w3.org/2000/svg", "title"))).count();
    assert_eq!(titles as u64, ports + 1);
    let page = nasty_as("html");
    assert_eq!(page.matches("<script").count(), 1);
    assert_eq!((page.matches("<img").count(), page.matches("http://").count()), (0, 0));
    assert!(page.contains("default-src 'none'") && !page.contains("unsafe-inline"));
    for (name, written) in [("html", page), ("svg", nasty_as("svg"))] {
        assert!(written.contains("&#60;script&#62;window.harmed=1"), "{name}");
    }
}

/// The policy of the page allows its own style and script by their hashes, and nothing else.
#[test]
fn the_page_holds_the_texts_that_its_policy_names() {
    use base64::Engine as _;
    use sha2::Digest as _;
    let page = nasty_as("html");
    for tag in ["style", "script"] {
        let inside =
            page.split(&format!("<{tag}>")).nth(1).and_then(|rest| rest.split(&format!("</{tag}>")).next()).unwrap();
        let hash = base64::engine::general_purpose::STANDARD.encode(sha2::Sha256::digest(inside));
        assert!(
            page.contains(&format!("{tag}-src 'sha256-{}'", hash.replace('+', "&#43;")))
                || page.contains(&format!("{tag}-src 'sha256-{hash}'")),
            "{tag}"
        );
    }
}

#[test]
fn long_lines_are_cut_around_the_words_that_decide_and_nothing_is_wider_than_the_screen() {
    let told = nasty_as("text");
    assert!(told.lines().filter(|line| line.trim_start().starts_with('^')).count() > 10);
    let wide: Vec<&str> = told.lines().filter(|line| line.width() > 100).collect();
    assert_eq!(wide, Vec::<&str>::new());
    assert!(told.contains("very long") && told.contains('…'));
}

#[rstest]
#[case("text", "No finding.")]
#[case("markdown", "No finding.")]
#[case("html", "<p class=\"none\">No finding.</p>")]
#[case("csv", "kind,check,level")]
#[case("svg", "Front panels")]
#[case("jsonl", "\"kind\":\"summary\"")]
fn a_fleet_without_findings_is_told_so(#[case] format: &str, #[case] told: &str) {
    let ran = empty().run(&["audit", "--format", format]);
    assert!(ran.out.contains(told), "{}", ran.out);
}

/// The kind goes by the ending, and what is written is what the format prints.
#[rstest]
#[case("r.json", "json")]
#[case("r.jsonl", "jsonl")]
#[case("r.csv", "csv")]
#[case("r.sarif", "sarif")]
#[case("r.sarif.json", "sarif")]
#[case("r.XML", "junit")]
#[case("r.md", "markdown")]
#[case("r.html", "html")]
#[case("r.svg", "svg")]
#[case("r.txt", "text")]
fn endings_choose_the_kind(#[case] file: &str, #[case] format: &str) {
    let fleet = Fleet::demo();
    let only = ["--only", "mirror"];
    fleet.run(&[&["audit", "-q", "--write", file], &only[..]].concat());
    assert_eq!(fleet.read(file), fleet.run(&[&["audit", "-q", "--format", format], &only[..]].concat()).out);
}
