//! JSON Schemas made from the core's own rows: they are compared here, and written with `YELLOWLEGS_RENEW=1`.

use crate::support::compare;
use serde_json::{Value, json};
use yellowlegs_core::dialect::{Dialect, Reach};
use yellowlegs_core::model::{FactKind, Kind, Origin, Scope, SettingId, TraitId};
use yellowlegs_core::policy::{Feature, Policy, Site};
use yellowlegs_core::source::Source;

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
            json!({"anyOf": [{"enum": ["none", null]}, {"type": "string", "pattern": "^[0-9]+ (pps|kbps|%|packets/min)$"}]})
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
            "value": value(info.kind), "origin": {"$ref": "#/$defs/origin"}, "evidence": {"$ref": "#/$defs/quote"},
            "instead_of": {"description": "What would be in force if state had told nothing."}}});
        properties.insert(info.name.into(), json!({"description": info.meaning, "anyOf": [slot, value(info.kind)]}));
    }
    json!({"type": "object", "additionalProperties": false, "properties": properties})
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
    let torn = json!({"enum": yellowlegs_core::model::Torn::WORDS.map(|(_, word)| word)});
    let quote = json!({"$ref": "#/$defs/quote"});
    let texts = json!({"type": "array", "items": {"type": "string"}});
    let list_of = |items: Value| json!({"type": "array", "items": items});
    let torn_text = table(&["how"], &json!({"how": torn, "evidence": quote}));
    let dangling = table(&["name"], &json!({"name": {"type": "string"}, "ports": texts, "evidence": quote}));
    let names = SettingId::all().map(SettingId::name).collect::<Vec<_>>();
    let kinds = FactKind::all().map(|kind| kind.info().name).collect::<Vec<_>>();
    let doubt = table(
        &["shape", "file", "line", "column", "width"],
        &json!({"shape": {"type": "string"}, "torn": torn, "file": {"type": "string"}, "line": number, "column": number,
            "width": number, "ports": texts, "settings": {"type": "array", "items": {"enum": names}}, "fact": {"enum": kinds}, "more_ports": {"type": "boolean"}}),
    );
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
                "requires": {"type": "array", "items": {"type": "object", "additionalProperties": false, "required": ["feature", "ready"],
                    "properties": {"feature": {"type": "string"}, "ready": {"type": "string"}, "restart": {"type": "boolean"},
                        "evidence": {"$ref": "#/$defs/quote"}}}},
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
                "tables": {"type": "array", "items": {"type": "object", "additionalProperties": false, "required": ["fact"],
                    "properties": {"fact": {"enum": FactKind::all().map(|kind| kind.info().name).collect::<Vec<_>>()}, "evidence": {"$ref": "#/$defs/quote"}}}},
                "unread": {"type": "array", "items": {"type": "object", "additionalProperties": false,
                    "required": ["shape", "file", "line", "column", "width"],
                    "properties": {"shape": {"type": "string"}, "file": {"type": "string"}, "line": number, "column": number, "width": number}}},
                "statements": number,
                "torn": list_of(torn_text),
                "dangling": list_of(dangling),
                "doubts": list_of(doubt),
                "remarks": {"type": "array", "items": {"type": "object", "required": ["about", "text"],
                    "properties": {"about": {"type": "string"}, "file": {"type": ["string", "null"]}, "line": {"type": ["integer", "null"]}, "text": {"type": "string"}}}},
                "saved": {"anyOf": [{"enum": ["missing", "not-kept"]},
                    {"type": "object", "additionalProperties": false, "required": ["copy"], "properties": {"copy": {"$ref": "#/$defs/record"}}}]},
            }},
            "origin": {"enum": origins},
            "quote": {"type": "object", "additionalProperties": false, "required": ["file", "line", "column", "width", "text"],
                "properties": {"file": {"type": "string"}, "line": number, "column": number, "width": number, "text": {"type": "string"}, "left_out": number}},
        },
    });
    compare("schemas/record.schema.json", &format!("{}\n", serde_json::to_string_pretty(&schema).unwrap()));
}

/// What a dialect writes for a setting of a kind: a constant, a hole, or several holes of which the first counts.
fn written(kind: Kind) -> Value {
    let hole = json!({"type": "string", "pattern": "<[^<>]+>"});
    let holes = json!({"type": "array", "items": {"type": "string"}});
    let constant = match kind {
        Kind::Flag => json!({"type": "boolean"}),
        Kind::Choice(set) => json!({"enum": set.words}),
        Kind::Choices(set) => json!({"type": "array", "items": {"enum": set.words}}),
        Kind::Count => json!({"type": "integer", "minimum": 0}),
        Kind::Seconds => {
            json!({"anyOf": [{"type": "integer", "minimum": 0}, {"type": "string", "pattern": "^[0-9]+"}]})
        }
        Kind::Vlan => json!({"anyOf": [{"type": "integer", "minimum": 1, "maximum": 4094}, {"const": "none"}]}),
        Kind::Vlans => json!({"type": ["integer", "string", "array"]}),
        _ => json!({"type": ["string", "integer", "array"]}),
    };
    json!({"anyOf": [hole, holes, constant]})
}

fn by_setting(of: impl Fn(Kind) -> Value) -> Value {
    let property = |id: SettingId| {
        let mut value = of(id.info().kind);
        value["description"] = json!(id.info().meaning);
        (id.name().to_owned(), value)
    };
    let properties: serde_json::Map<_, _> = SettingId::all().map(property).collect();
    json!({"type": "object", "additionalProperties": false, "properties": properties})
}

fn table(required: &[&str], properties: &Value) -> Value {
    json!({"type": "object", "additionalProperties": false, "required": required, "properties": properties})
}

/// How one talks to a switch.
fn session() -> Value {
    let (text, flag) = (json!({"type": "string"}), json!({"type": "boolean"}));
    let texts = json!({"anyOf": [{"type": "string"}, {"type": "array", "items": {"type": "string"}}]});
    let many = |items: Value| json!({"type": "array", "items": items});
    let answers = json!({"enum": ["user", "password", "raise", "enter"]});
    table(
        &["prompt", "command"],
        &json!({
                "prompt": texts, "errors": texts, "paging-off": texts, "more": texts, "turn": text,
                "login": many(table(&["asks", "answer"], &json!({"asks": text, "answer": answers}))),
                "raise": table(&["send"], &json!({"send": text, "asks": text, "prompt": texts})),
                "command": many(table(&["send", "file"], &json!({"send": text, "file": text, "optional": flag})))}),
    )
}

/// The objects of a platform.
fn objects(fact: &Value) -> Value {
    let (text, positive) = (json!({"type": "string"}), json!({"type": "integer", "minimum": 1}));
    let texts = json!({"anyOf": [{"type": "string"}, {"type": "array", "items": {"type": "string"}}]});
    let many = |items: Value| json!({"type": "array", "items": items});
    let gives = table(
        &["column"],
        &json!({
            "column": {"type": "integer", "minimum": 0}, "sets": text, "adds": text, "field": text, "times": positive, "per": positive,
            "unit": {"enum": ["pps", "kbps", "%", "packets/min"]}, "words": {"type": "object"}}),
    );
    let row = json!({"entry": text, "index": texts, "fact": fact, "gives": many(gives)});
    table(&[], &json!({"system": texts, "objects": many(table(&["entry", "gives"], &row))}))
}

fn dialect_schema() -> Value {
    let text = json!({"type": "string"});
    let flag = json!({"type": "boolean"});
    let texts = json!({"anyOf": [{"type": "string"}, {"type": "array", "items": {"type": "string"}}]});
    let words = |words: &[&str]| json!({"enum": words});
    let many = |items: Value| json!({"type": "array", "items": items});
    let settings = json!({"$ref": "#/$defs/settings"});
    let defaults = json!({"$ref": "#/$defs/defaults"});
    let by_name = |of: &Value| json!({"type": "object", "additionalProperties": of});
    let traits: serde_json::Map<_, _> = TraitId::all()
        .map(TraitId::info)
        .map(|info| {
            let one = json!({"enum": info.words});
            let value = if info.many { json!({"anyOf": [one, {"type": "array", "items": one}]}) } else { one };
            (info.name.to_owned(), json!({"description": info.meaning, "anyOf": [value, {"type": "boolean"}]}))
        })
        .collect();
    let fact = words(&FactKind::all().map(|kind| kind.info().name).collect::<Vec<_>>());
    let fields = json!({"type": "object", "additionalProperties": {"anyOf": [
        {"type": ["string", "integer", "boolean"]},
        table(&["from"], &json!({"from": text, "else": text, "words": {"type": "object", "additionalProperties": text}}))]}});
    let column = table(
        &["title", "is"],
        &json!({
        "title": text, "is": text, "optional": flag, "carry": flag, "fields": fields}),
    );
    let negated = words(&["default", "off", "off-or-default", "platform", "never"]);
    let amounts = by_name(&json!({"type": "integer", "minimum": 1}));
    let reach = words(&Reach::WORDS.map(|(_, word)| word));
    let mut also = json!({
        "ports": text, "vlan": text, "profile": text, "mirror": text, "reach": reach,
        "sets": settings, "adds": settings, "removes": settings, "implies": settings, "resets": texts, "parts": by_name(&text)});
    let also_keys = table(&[], &also);
    let mut keys = also.as_object_mut().map(std::mem::take).unwrap_or_default();
    let more = json!({
        "in": texts, "opens": text, "goes-on": text, "declares": text, "uses": text, "used-by": text, "negation": negated, "until": text,
        "read-only": flag, "about": words(&["nothing", "open"]), "also": many(also_keys)});
    keys.extend(more.as_object().cloned().unwrap_or_default());
    let decides = json!({"ports": text, "vlan": text, "mirror": text, "sets": settings, "adds": settings});
    let with_settings = |mut keys: Value| {
        keys.as_object_mut().into_iter().for_each(|keys| keys.extend(decides.as_object().cloned().unwrap_or_default()));
        keys
    };
    let line_keys = with_settings(json!({"in": texts, "opens": text, "fact": fact, "fields": fields}));
    // Patterns with what each says: a text, or the keys of a rule.
    let with_lines = |keys: &Value, one: Vec<Value>| {
        let each = one.into_iter().chain([table(&[], keys)]).collect::<Vec<_>>();
        let mut all = keys.clone();
        all["pattern"] = texts.clone();
        all["lines"] = by_name(&json!({"anyOf": each}));
        let mut whole = table(&[], &all);
        whole["oneOf"] = json!([{"required": ["pattern"]}, {"required": ["lines"]}]);
        whole
    };
    let rule = with_lines(&Value::Object(keys.clone()), vec![text.clone()]);
    let line = with_lines(&line_keys, vec![]);
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Dialect: how one switch system writes its configuration and its state",
        "type": "object", "additionalProperties": false, "required": ["dialect"],
        "properties": {
            "dialect": table(&["name"], &json!({"name": text, "title": text})),
            "recognise": table(&[], &json!({"lines": texts, "last": texts})),
            "text": table(&[], &json!({
                "structure": words(&["indent", "braces", "paths", "sections"]), "split": text, "split-ends": text, "quote": text, "comment": texts,
                "negated": negated,
                "inline-comment": texts, "block-comment": many(text.clone()), "continuation": text, "negation": text, "verb": text,
                "case": words(&["exact", "ignore"]), "abbreviate": {"type": "integer", "minimum": 1},
                "open-brace": text, "close-brace": text, "end": text, "title": texts, "close": text})),
            "types": by_name(&text),
            "units": table(&[], &json!({
                "seconds": amounts, "packets-per-second": amounts, "packets-per-minute": amounts, "kilobits-per-second": amounts,
                "megabits-per-second": amounts, "milliwatts": amounts})),
            "precedence": table(&[], &json!({
                "globals": words(&["later", "narrower"]), "profiles": words(&["add", "last"]), "taken-back": words(&["written", "platform"])})),
            "ports": table(&[], &json!({"names": texts, "also": by_name(&text),
                "kind": many(table(&["names"], &json!({"names": texts, "defaults": defaults})))})),
            "lists": table(&[], &json!({"range": texts, "item": texts, "counted": texts, "carry": flag})),
            "time": table(&[], &json!({"forms": texts, "zone": text})),
            "defaults": defaults,
            "traits": table(&[], &Value::Object(traits)),
            "requires": many(table(&["feature", "ready"], &json!({"feature": text, "ready": text, "restart": flag}))),
            "rule": many(rule),
            "state": table(&[], &json!({"split": text, "split-ends": text, "quote": text, "comment": texts, "ignore": texts, "borders": text})),
            "line": many(line),
            "table": many(table(&["columns"], &with_settings(json!({
                "fact": fact, "in": texts, "columns": many(json!({"anyOf": [text, column]})), "fields": fields, "wrap": words(&["blank", "joined"]),
                "also": many(table(&["fact"], &json!({"fact": fact, "fields": fields})))})))),
            "write": table(&[], &json!({
                "save": texts, "leave": text, "stations": words(&["colon", "dash", "dotted", "bare"]),
                "never": by_setting(|_| json!({"type": "string"}))})),
            "session": session(),
            "walk": objects(&fact),
            "example": many(table(&["text"], &json!({
                "text": text, "unread": {"type": "integer", "minimum": 0}, "expect": {"type": "object"}, "state": text, "walk": text,
                "facts": many(json!({"type": "object"})), "as-of": text}))),
        },
        "$defs": {"settings": by_setting(written), "defaults": by_feature()},
    })
}

/// Defaults: by setting, or of a feature as a whole.
fn by_feature() -> Value {
    let mut all = by_setting(written);
    let mut features: std::collections::BTreeMap<&str, serde_json::Map<String, Value>> =
        std::collections::BTreeMap::new();
    for id in SettingId::all() {
        if let Some((feature, name)) = id.name().split_once('.') {
            features.entry(feature).or_default().insert(name.to_owned(), written(id.info().kind));
        }
    }
    for (feature, settings) in features {
        let of = json!({"type": "object", "additionalProperties": false, "properties": settings});
        all["properties"][feature] = json!({"anyOf": [{"const": "off"}, of, {"type": "array", "items": of}]});
    }
    all
}

#[test]
fn the_schema_of_dialects() {
    compare("schemas/dialect.schema.json", &format!("{}\n", serde_json::to_string_pretty(&dialect_schema()).unwrap()));
}

/// The loader tells which keys it knows: they are those of the schema, section by section.
#[test]
fn the_schema_has_the_keys_that_the_loader_reads() {
    const ALL: &str = "zzzzzzzzzz = 1\n[dialect]\nname = 'a'\nzzzzzzzzzz = 1\n[recognise]\nzzzzzzzzzz = 1\n[text]\nzzzzzzzzzz = 1\n\
        [ports]\nzzzzzzzzzz = 1\n[lists]\nzzzzzzzzzz = 1\n[time]\nzzzzzzzzzz = 1\n[[requires]]\nfeature = 'mirror'\nready = 'a'\n\
        zzzzzzzzzz = 1\n[write]\nzzzzzzzzzz = 1\n[units]\nzzzzzzzzzz = 1\n[precedence]\nzzzzzzzzzz = 1\n[[ports.kind]]\nnames = '1'\nzzzzzzzzzz = 1\n\
        [[rule]]\npattern = 'a <p:port>'\nzzzzzzzzzz = 1\nalso = [{ ports = '<p>', zzzzzzzzzz = 1 }]\n[state]\nzzzzzzzzzz = 1\n[[line]]\n\
        pattern = 'a'\nfact = 'event'\nzzzzzzzzzz = 1\n[[table]]\nfact = 'event'\nzzzzzzzzzz = 1\n[[table.columns]]\ntitle = 'A'\n\
        is = '<port:port>'\nzzzzzzzzzz = 1\n[session]\nzzzzzzzzzz = 1\n[[session.login]]\nzzzzzzzzzz = 1\n[session.raise]\nzzzzzzzzzz = 1\n\
        [[session.command]]\nzzzzzzzzzz = 1\n[walk]\nzzzzzzzzzz = 1\n[[walk.objects]]\nentry = '1.3.6.1'\nzzzzzzzzzz = 1\n\
        [[walk.objects.gives]]\ncolumn = 1\nsets = 'lldp.enabled'\nzzzzzzzzzz = 1\n[[example]]\ntext = 'a'\nzzzzzzzzzz = 1\n";
    let schema = dialect_schema();
    let problems = Dialect::load(&std::sync::Arc::new(Source::of("a.toml", ALL))).unwrap_err();
    let mut seen = 0;
    for problem in problems {
        let Some((_, section)) = problem.what.split_once("unknown key `zzzzzzzzzz` in ") else { continue };
        let hint = problem.hint.as_deref().unwrap_or_default();
        let mut known: Vec<&str> = hint.trim_start_matches("known here: ").split(", ").collect();
        known.sort_unstable();
        let name = section.trim_matches(['[', ']']).rsplit('.').next().unwrap_or_default();
        // Refused in state, with a reason of their own.
        let refused = ["implies", "parts", "profile", "reach", "removes", "resets"];
        known.retain(|key| !(["line", "table"].contains(&name) && refused.contains(key)));
        let of_section = match name {
            "the file" => &schema["properties"],
            "columns" => {
                &schema["properties"]["table"]["items"]["properties"]["columns"]["items"]["anyOf"][1]["properties"]
            }
            "also" => &schema["properties"]["rule"]["items"]["properties"]["also"]["items"]["properties"],
            "kind" => &schema["properties"]["ports"]["properties"]["kind"]["items"]["properties"],
            "login" => &schema["properties"]["session"]["properties"]["login"]["items"]["properties"],
            "raise" => &schema["properties"]["session"]["properties"]["raise"]["properties"],
            "objects" => &schema["properties"]["walk"]["properties"]["objects"]["items"]["properties"],
            "gives" => {
                &schema["properties"]["walk"]["properties"]["objects"]["items"]["properties"]["gives"]["items"]["properties"]
            }
            "command" => &schema["properties"]["session"]["properties"]["command"]["items"]["properties"],
            name => {
                let section = &schema["properties"][name];
                section.get("items").unwrap_or(section).get("properties").unwrap_or(&Value::Null)
            }
        };
        let mut keys: Vec<&str> = of_section.as_object().into_iter().flatten().map(|(k, _)| k.as_str()).collect();
        keys.sort_unstable();
        assert_eq!(keys, known, "{section}");
        seen += 1;
    }
    assert_eq!(seen, 26);
}

fn policy_schema() -> Value {
    let text = json!({"type": "string"});
    let flag = json!({"type": "boolean"});
    let texts = json!({"anyOf": [{"type": "string"}, {"type": "array", "items": {"type": "string"}}]});
    let vlan = json!({"type": "integer", "minimum": 1, "maximum": 4094});
    let vlans = json!({"anyOf": [vlan, {"type": "array", "items": vlan}]});
    let many = |items: Value| json!({"type": "array", "items": items});
    let day = json!({"type": "string", "pattern": "^[0-9]{4}-[0-9]{2}-[0-9]{2}$"});
    let wish = json!({"enum": ["wanted", "unwanted", "any", true, false]});
    let purposes = json!({"enum": ["data", "voice", "real-time", "management", "parking", "native"]});
    let faces = json!({"enum": ["host", "phone-and-host", "phone", "tagged-host", "router", "bridge-up", "bridge-down",
        "access-point", "capture", "nothing"]});
    let end = table(&["switch", "port"], &json!({"switch": text, "port": text}));
    let outside = table(
        &["outside"],
        &json!({"outside": text, "vlans": vlans, "queriers": vlans,
        "faces": {"enum": ["router", "bridge", "repeater", "access-point", "phone", "host"]}}),
    );
    let site_vlan =
        table(&[], &json!({"name": text, "purpose": purposes, "switches": texts, "sensitive": flag, "subnet": texts}));
    let mut site =
        serde_json::Map::from_iter([("name".to_owned(), text.clone()), ("management".to_owned(), end.clone())]);
    site.extend(
        Site::VALUES
            .iter()
            .map(|row| (row.key.to_owned(), json!({"description": format!("{} May be {}.", row.meaning, row.values)}))),
    );
    let mut expect = serde_json::Map::new();
    for info in SettingId::of(Scope::Port).map(SettingId::info) {
        let mut value = written(info.kind);
        value["description"] = json!(info.meaning);
        expect.insert(info.name.into(), value);
    }
    let features = Feature::ALL.iter().map(|f| (f.info().name.to_owned(), wish.clone()));
    expect.extend(features);
    expect.insert("port-security.aging".into(), json!({"type": ["string", "integer"]}));
    let role = table(
        &["name", "faces"],
        &json!({
        "name": text, "faces": faces, "stations": {"type": "integer", "minimum": 0}, "stations-needed": {"type": "integer", "minimum": 0},
        "vlans": vlans, "voice": vlan, "ports": texts, "describes": texts, "endpoint": texts, "receiver": flag,
        "time-critical": flag, "expect": {"type": "object", "additionalProperties": false, "properties": expect}}),
    );
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Policy: what a site wants of its switch ports",
        "type": "object", "additionalProperties": false,
        "properties": {
            "as-of": text,
            "site": {"type": "object", "additionalProperties": false, "properties": site},
            "files": table(&[], &json!({"running": texts, "saved": texts, "state": texts, "walk": texts, "single": texts, "dialects": texts})),
            "vlans": {"type": "object", "additionalProperties": {"anyOf": [site_vlan, {"type": "array", "items": site_vlan}]}},
            "roles": table(&[], &json!({"derive": {"type": "array", "items": {"enum": ["description", "neighbour", "vlan"]}}})),
            "role": many(role),
            "levels": {"type": "object", "additionalProperties": {"enum": ["breach", "risk", "advice", "off"]}},
            "waiver": many(table(&["check", "reason", "owner", "last-day"], &json!({
                "check": text, "switch": text, "port": text, "reason": text, "owner": text, "last-day": day}))),
            "dhcp-server": many(table(&["switch"], &json!({"switch": text, "port": text, "vlans": vlans}))),
            "link": many(table(&["a", "b"], &json!({"a": end, "b": {"anyOf": [end, outside]}}))),
            "mirror": many(table(&["switch", "sources", "target", "reason", "owner", "last-day"], &json!({
                "switch": text, "sources": texts, "target": text, "reason": text, "owner": text, "last-day": day}))),
            "rule": many(table(&["id", "when", "message", "remedy"], &json!({
                "id": {"type": "string", "pattern": "^[a-z0-9-]+/[a-z0-9-]+$"}, "level": {"enum": ["breach", "risk", "advice"]},
                "when": text, "message": text, "remedy": text}))),
            "inventory": table(&["stations"], &json!({"stations": text, "columns": table(&[], &json!({
                "address": text, "kind": text, "role": text, "owner": text, "room": text}))})),
            "sisters": many(table(&["switches"], &json!({"switches": texts, "except": texts, "including": texts, "baseline": text}))),
        },
    })
}

#[test]
fn the_schema_of_policies() {
    compare("schemas/policy.schema.json", &format!("{}\n", serde_json::to_string_pretty(&policy_schema()).unwrap()));
}

/// What the schema allows at the top is what the loader reads.
#[test]
fn the_schema_has_the_sections_that_a_policy_may_have() {
    let problems = Policy::load(&std::sync::Arc::new(Source::of("p.toml", "zzzzzzzzzz = 1\n")), &[]).unwrap_err();
    let hint = problems[0].hint.clone().unwrap_or_default();
    let known: Vec<&str> = hint.trim_start_matches("known here: ").split(", ").collect();
    let schema = policy_schema();
    let mut keys: Vec<&str> = schema["properties"].as_object().unwrap().keys().map(String::as_str).collect();
    keys.sort_unstable();
    assert_eq!(keys, known);
}
