//! Ports that a feature holds down: what the audit says of each cause, how long it lasts, and whom to visit.

use std::collections::BTreeSet;

use crate::support::{Fleet, list, text};
use rstest::rstest;
use serde_json::{Value, json};

/// What is said of a port that was found like this.
fn told(status: &Value, settings: &Value) -> Value {
    let fleet = Fleet::empty();
    fleet.write("yellowlegs.toml", "as-of = \"2031-03-04T06:30:00Z\"\n[files]\nsingle = [\"*.json\"]\n");
    let slot = |(name, value): (&String, &Value)| (name.clone(), json!({"value": value, "origin": "port"}));
    let settings: Value = Value::Object(settings.as_object().unwrap().iter().map(slot).collect());
    let mut fields = json!({"port": "1", "link": false});
    status.as_object().unwrap().iter().for_each(|(name, value)| fields[name] = value.clone());
    let port = json!({"port": "1", "settings": {"port.description": {"value": "hall, left", "origin": "port"}}});
    let fact = json!({"fact": "port-status", "fields": fields});
    let record = json!({"record": 1, "switch": "r", "settings": settings, "ports": [port], "facts": [fact], "tables": [{"fact": "port-status"}]});
    fleet.write("r.json", record.to_string());
    let report = fleet.report(&["--only", "recovery/held-down"]);
    assert_eq!(list(&report, "switches").len(), 1, "{report}");
    list(&report, "findings").first().cloned().unwrap_or(report)
}

/// Each cause is named, and tells something of its own to do.
#[test]
fn every_cause_has_its_own_remedy() {
    let causes = [
        "port-security",
        "bpdu-guard",
        "root-guard",
        "loop-guard",
        "loop-detection",
        "storm",
        "unidirectional",
        "flap",
        "dhcp-rate",
        "arp-rate",
        "authentication",
        "power",
        "other",
    ];
    let mut remedies = BTreeSet::new();
    for cause in causes {
        let finding = told(&json!({"cause": cause}), &json!({}));
        assert!(text(&finding, "message").contains(cause), "{cause}: {finding}");
        assert!(text(&finding, "remedy").contains("hall, left"), "whom to visit: {finding}");
        assert!(remedies.insert(text(&finding, "remedy").to_owned()), "{cause} has the remedy of another");
    }
}

/// Shut by somebody, or nothing plugged in: no feature holds it.
#[rstest]
#[case("administrative")]
#[case("no-link")]
fn nothing_holds_it(#[case] cause: &str) {
    assert!(text(&told(&json!({"cause": cause}), &json!({})), "message").is_empty());
}

/// How it comes back: what the table says, else the timer of the cause, else by hand, else nobody says.
#[rstest]
#[case::told(json!({"left": 90}), json!({}), "in 90 s by its timer")]
#[case::by_a_timer(json!({"since": "2031-03-04T06:29:00Z"}), json!({"recovery.causes": ["storm"], "recovery.interval": 300}), "in 240 s by its timer")]
#[case::by_its_own(json!({"since": "2031-03-04T06:29:00Z"}), json!({"recovery.storm": 100}), "in 40 s by its timer")]
#[case::nobody_knows_since(json!({}), json!({"recovery.storm": 100}), "by its timer")]
#[case::by_hand(json!({}), json!({"recovery.storm": 0, "recovery.causes": [], "recovery.interval": 300}), "by hand")]
#[case::nobody_says(json!({}), json!({}), "nobody says how")]
fn it_comes_back(#[case] status: Value, #[case] settings: Value, #[case] words: &str) {
    let mut held = json!({"cause": "storm"});
    status.as_object().unwrap().iter().for_each(|(name, value)| held[name] = value.clone());
    let finding = told(&held, &settings);
    assert!(text(&finding, "message").contains(words), "`{words}` is not in {finding:#}");
}
