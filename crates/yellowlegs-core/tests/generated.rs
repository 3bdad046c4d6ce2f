//! Documents made from the core's own rows: they are compared here, and written with `YELLOWLEGS_RENEW=1`.

#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may read the files it is about")]

use std::fmt::Write as _;
use std::fs;
use std::path::Path;

use serde_json::{Value, json};
use yellowlegs_core::check::FAMILIES;
use yellowlegs_core::dialect::HoleType;
use yellowlegs_core::model::{FactKind, Kind, Origin, Scope, SettingId, TraitId};

fn compare(file: &str, made: &str) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(file);
    if std::env::var_os("YELLOWLEGS_RENEW").is_some() {
        fs::write(&path, made).unwrap();
    }
    let there = fs::read_to_string(&path).unwrap_or_default();
    assert!(there == made, "{file} is not what the rows say: run the tests once with YELLOWLEGS_RENEW=1");
}

#[test]
fn the_page_of_checks() {
    let mut page = String::from(
        "# The checks\n\nMade from the catalogue; `yellowlegs checks ID` says the same. A check is `met`, `violated`, \
         `undetermined` (a fact it needs\nis missing: it says which), `waived` or `not-applicable`.\n",
    );
    for family in FAMILIES {
        let Some(first) = family.first() else { continue };
        let _ = write!(page, "\n## {}\n", first.family());
        for check in *family {
            let _ = write!(page, "\n### {}\n\n*{}*, violated when {}.", check.id, check.level.word(), check.title);
            if check.is_fleet() {
                page.push_str(" Looks across the fleet.");
            }
            let _ = write!(page, "\n\n{}\n\n**Do:** {}\n\n", check.why, check.remedy.replace(['{', '}'], "*"));
            let mut row = |name: &str, items: &[&str]| {
                if !items.is_empty() {
                    let _ = writeln!(page, "- {name}: {}", items.join(", "));
                }
            };
            row("needs", check.needs);
            row("uses", check.uses);
            row("policy", check.policy);
            row("says it in place of", check.absorbs);
            row("reference", &[check.reference]);
        }
    }
    compare("docs/checks.md", &page);
}

/// What a value of a kind looks like in a record.
fn value(kind: Kind) -> Value {
    let vlan = json!({"type": "integer", "minimum": 1, "maximum": 4094});
    match kind {
        Kind::Flag => json!({"type": ["boolean", "null"]}),
        Kind::Count | Kind::Seconds | Kind::Milliwatts => {
            json!({"type": ["integer", "null"], "minimum": 0, "maximum": 4_294_967_295_u32})
        }
        Kind::Choice(set) => {
            json!({"enum": set.words.iter().map(|w| json!(w)).chain([Value::Null]).collect::<Vec<_>>()})
        }
        Kind::Vlan => json!({"anyOf": [vlan, {"enum": ["none", null]}]}),
        Kind::Vlans => {
            json!({"anyOf": [vlan, {"type": ["string", "null"], "pattern": "^(all|none|[0-9]+(-[0-9]+)?(,[0-9]+(-[0-9]+)?)*)$"}]})
        }
        Kind::Rate => {
            json!({"anyOf": [{"enum": ["none", null]}, {"type": "string", "pattern": "^[0-9]+ (pps|kbps|%)$"}]})
        }
        Kind::Port | Kind::Address | Kind::Text | Kind::Station => json!({"type": ["string", "null"]}),
        Kind::Time => json!({"type": ["string", "null"], "format": "date-time"}),
        Kind::Choices(set) => json!({"type": ["array", "null"], "items": {"enum": set.words}}),
        Kind::Words | Kind::Stations | Kind::Ranges | Kind::Taps | Kind::Pairs => {
            json!({"type": ["array", "string", "null"], "items": {"type": "string"}})
        }
    }
}

fn settings(scope: Scope) -> Value {
    let mut properties = serde_json::Map::new();
    for info in SettingId::all().map(SettingId::info).filter(|info| info.scope == scope) {
        let slot = json!({"type": "object", "additionalProperties": false, "required": ["value"], "properties": {
            "value": value(info.kind), "origin": {"$ref": "#/$defs/origin"}, "evidence": {"$ref": "#/$defs/quote"}}});
        properties.insert(info.name.into(), json!({"description": info.meaning, "anyOf": [slot, value(info.kind)]}));
    }
    json!({"type": "object", "additionalProperties": false, "properties": properties})
}

#[test]
fn the_page_of_settings() {
    let mut page = String::from(
        "# Settings, traits and types\n\nEverything that a dialect can set; `yellowlegs dialect settings` says the same, \
         with the checks that need it.\n",
    );
    for (scope, title) in [
        (Scope::Port, "Settings of a port"),
        (Scope::Switch, "Settings of the switch"),
        (Scope::Vlan, "Settings of a VLAN"),
        (Scope::Mirror, "Settings of a mirror session"),
    ] {
        let _ = write!(page, "\n## {title}\n\n| setting | value | meaning |\n|---|---|---|\n");
        for info in SettingId::of(scope).map(SettingId::info) {
            let _ = writeln!(page, "| `{}` | {} | {} |", info.name, info.kind.describe(), info.meaning);
        }
    }
    page.push_str("\n## Facts of state\n\nWhat tables, stanzas and logs tell: `[[table]]` and `[[line]]` name a fact and fill its fields.\n");
    for info in FactKind::all().map(FactKind::info) {
        let _ = write!(page, "\n### {}\n\n{}\n\n| field | value | meaning |\n|---|---|---|\n", info.name, info.meaning);
        for field in info.fields {
            let _ = writeln!(page, "| `{}` | {} | {} |", field.name, field.kind.describe(), field.meaning);
        }
    }
    page.push_str("\n## Traits\n\nWhat is law on one platform and untrue on the next. Silent means unknown.\n\n| trait | words | meaning |\n|---|---|---|\n");
    for info in TraitId::all().map(TraitId::info) {
        let words = if info.many { format!("a list of {}", info.words.join(", ")) } else { info.words.join(" or ") };
        let _ = writeln!(page, "| `{}` | {words} | {} |", info.name, info.meaning);
    }
    page.push_str("\n## Types of holes\n\n| type | takes |\n|---|---|\n");
    for kind in HoleType::ALL {
        let _ = writeln!(page, "| `{}` | {} |", kind.name(), kind.meaning());
    }
    compare("docs/settings.md", &page);
}

fn facts() -> Vec<Value> {
    FactKind::all()
        .map(FactKind::info)
        .map(|info| {
            let fields = info.fields.iter().map(|f| (f.name.to_owned(), value(f.kind)));
            json!({"type": "object", "additionalProperties": false, "required": ["fact", "fields"], "properties": {
                "fact": {"const": info.name}, "evidence": {"$ref": "#/$defs/quote"},
                "fields": {"type": "object", "additionalProperties": false, "properties": fields.collect::<serde_json::Map<_, _>>()}}})
        })
        .collect()
}

#[test]
fn the_schema_of_records() {
    let origins: Vec<&str> = Origin::ALL.into_iter().map(Origin::word).collect();
    let mut traits = serde_json::Map::new();
    for info in TraitId::all().map(TraitId::info) {
        let words = json!({"type": "array", "items": {"enum": info.words}});
        traits.insert(
            info.name.into(),
            json!({"description": info.meaning, "type": "object", "additionalProperties": false,
            "required": ["words"], "properties": {"words": words, "evidence": {"$ref": "#/$defs/quote"}}}),
        );
    }
    let number = json!({"type": "integer", "minimum": 0});
    let schema = json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Switch record, version 1",
        "$ref": "#/$defs/record",
        "$defs": {
            "record": {"type": "object", "additionalProperties": false, "required": ["record", "switch", "ports"], "properties": {
                "record": {"const": 1},
                "switch": {"type": "string"},
                "dialect": {"type": "string"},
                "lines": number,
                "files": {"type": "array", "items": {"type": "string"}},
                "traits": {"type": "object", "additionalProperties": false, "properties": traits},
                "settings": settings(Scope::Switch),
                "vlans": {"type": "array", "items": {"type": "object", "additionalProperties": false, "required": ["vlan", "settings"],
                    "properties": {"vlan": {"type": "integer", "minimum": 1, "maximum": 4094}, "settings": settings(Scope::Vlan)}}},
                "every_vlan": settings(Scope::Vlan),
                "mirrors": {"type": "array", "items": {"type": "object", "additionalProperties": false, "required": ["mirror", "settings"],
                    "properties": {"mirror": {"type": "string"}, "settings": settings(Scope::Mirror)}}},
                "ports": {"type": "array", "items": {"type": "object", "additionalProperties": false, "required": ["port"],
                    "properties": {"port": {"type": "string"}, "place": {"$ref": "#/$defs/quote"}, "settings": settings(Scope::Port)}}},
                "facts": {"type": "array", "items": {"oneOf": facts()}},
                "unread": {"type": "array", "items": {"type": "object", "additionalProperties": false,
                    "required": ["shape", "file", "line", "column", "width"],
                    "properties": {"shape": {"type": "string"}, "file": {"type": "string"}, "line": number, "column": number, "width": number}}},
                "remarks": {"type": "array", "items": {"type": "object", "required": ["about", "text"],
                    "properties": {"about": {"type": "string"}, "file": {"type": ["string", "null"]}, "line": {"type": ["integer", "null"]}, "text": {"type": "string"}}}},
                "saved": {"anyOf": [{"enum": ["missing", "not-kept"]},
                    {"type": "object", "additionalProperties": false, "required": ["copy"], "properties": {"copy": {"$ref": "#/$defs/record"}}}]},
            }},
            "origin": {"enum": origins},
            "quote": {"type": "object", "additionalProperties": false, "required": ["file", "line", "column", "width", "text"],
                "properties": {"file": {"type": "string"}, "line": number, "column": number, "width": number, "text": {"type": "string"}}},
        },
    });
    compare("schemas/record.schema.json", &format!("{}\n", serde_json::to_string_pretty(&schema).unwrap()));
}
