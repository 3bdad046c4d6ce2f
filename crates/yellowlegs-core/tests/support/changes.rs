//! A fleet changed in one setting at a time: every setting of every place, every other value.

use std::collections::BTreeMap;

use super::record_json;
use serde::Deserialize as _;
use serde_json::{Value as Json, json};
use yellowlegs_core::model::{Kind, Record, Scope, SettingId, Value};
use yellowlegs_core::resolve::Resolved;

/// Other values of a setting's type: each word of a choice, the other flag, the numbers beside, lists with one more or less.
fn others(kind: Kind, value: Option<&Value>) -> Vec<Json> {
    match kind {
        Kind::Flag => vec![json!(true), json!(false)],
        Kind::Choice(set) => set.words.iter().map(|word| json!(word)).collect(),
        Kind::Choices(set) => [json!([])].into_iter().chain(set.words.iter().map(|word| json!([word]))).collect(),
        Kind::Count | Kind::Seconds | Kind::Milliwatts => {
            let Some(Value::Count(n) | Value::Seconds(n) | Value::Milliwatts(n)) = value else {
                return vec![json!(0), json!(1)];
            };
            vec![json!(0), json!(n / 10), json!(n.saturating_sub(1)), json!(n + 1), json!(n.saturating_mul(10))]
        }
        Kind::Vlan => ["none", "1", "110", "140", "210", "777", "998"].iter().map(|v| json!(v)).collect(),
        Kind::Vlans => ["none", "110", "110,140", "110,140,210,300", "110,140,210,300,777", "all"]
            .iter()
            .map(|v| json!(v))
            .collect(),
        Kind::Rate => ["none", "1 pps", "19 pps", "30 pps", "2 %", "1 kbps"].iter().map(|v| json!(v)).collect(),
        Kind::Address => vec![json!("none"), json!("192.0.2.9")],
        Kind::Port => vec![json!("none"), json!("1.2"), json!("1.4"), json!("9.9")],
        Kind::Taps => vec![json!([]), json!(["1.2 both"]), json!(["1.4 received"])],
        // One that is fixed on other ports, too, where these are changed alike.
        Kind::Stations => {
            vec![json!([]), json!(["02:00:5e:00:00:77"]), json!(["02:00:5e:00:00:77", "02:00:5e:00:00:78"])]
        }
        Kind::Words | Kind::Ranges | Kind::Pairs => vec![json!([])],
        Kind::Text => vec![json!("")],
        Kind::Station | Kind::Time => Vec::new(),
    }
}

/// One setting of one place, another value; none: nobody knows it.
#[derive(Debug, Clone)]
pub(crate) struct Change {
    pub(crate) switch: &'static str,
    /// The place as people name it: switch, then port, VLAN or mirror.
    pub(crate) place: String,
    pub(crate) path: Vec<String>,
    pub(crate) setting: &'static str,
    pub(crate) value: Option<Json>,
}

impl Change {
    /// Changes the record of the switch.
    pub(crate) fn apply(&self, record: &mut Json) {
        let mut place = record;
        for step in &self.path {
            place = match step.parse::<usize>() {
                Ok(index) => &mut place[index],
                Err(_) => &mut place[step.as_str()],
            };
        }
        match (&self.value, place["settings"].as_object_mut()) {
            (Some(value), _) => place["settings"][self.setting] = json!({"value": value, "origin": "port"}),
            (None, Some(settings)) => _ = settings.remove(self.setting),
            (None, None) => {}
        }
    }

    /// The value in words.
    pub(crate) fn shown(&self) -> String {
        let value = self.value.as_ref().unwrap_or(&Json::Null);
        value.as_str().map_or_else(|| value.to_string(), str::to_owned)
    }
}

/// The switch that a record is of; none: the record cannot be.
pub(crate) fn read(record: &Json, name: &str) -> Option<Resolved> {
    Some(Resolved::from_record(Record::deserialize(record).ok()?.into_switch(name)))
}

/// Every change of every setting of every place.
pub(crate) fn all(fleet: &BTreeMap<&'static str, Resolved>) -> Vec<Change> {
    let mut all = Vec::new();
    for (name, resolved) in fleet {
        let record = record_json(resolved);
        let switch = &resolved.switch;
        let mut each = |id: SettingId, path: &[&str], place: &str, slot: Option<&Value>| {
            let change = |value| Change {
                switch: name,
                place: place.to_owned(),
                path: path.iter().map(|&step| step.to_owned()).collect(),
                setting: id.name(),
                value: Some(value),
            };
            all.extend(others(id.info().kind, slot).into_iter().map(change));
        };
        for (port, port_name) in switch.ports().iter().enumerate() {
            let (index, place) = (port.to_string(), format!("{name} {port_name}"));
            for id in SettingId::of(Scope::Port) {
                each(id, &["ports", &index], &place, switch.slot(Some(port), id).value.as_ref());
            }
        }
        for id in SettingId::of(Scope::Switch) {
            each(id, &[], name, switch.slot(None, id).value.as_ref());
        }
        for (index, vlan) in record["vlans"].as_array().into_iter().flatten().enumerate() {
            let place = format!("{name} vlan {}", vlan["vlan"]);
            SettingId::of(Scope::Vlan).for_each(|id| each(id, &["vlans", &index.to_string()], &place, None));
        }
        for index in 0..switch.mirrors().len() {
            let place = format!("{name} mirror");
            SettingId::of(Scope::Mirror).for_each(|id| each(id, &["mirrors", &index.to_string()], &place, None));
        }
    }
    all
}

/// Each change alone: what it is called, and the fleet after it.
#[allow(dead_code, reason = "each test file uses its own part of this")]
pub(crate) fn changes(
    fleet: &BTreeMap<&'static str, Resolved>,
    mut judge: impl FnMut(&str, &str, &str, &BTreeMap<&str, Resolved>),
) {
    for change in all(fleet) {
        let mut record = record_json(&fleet[change.switch]);
        change.apply(&mut record);
        let Some(after) = read(&record, change.switch) else { continue };
        let mut fleet = fleet.clone();
        fleet.insert(change.switch, after);
        judge(change.setting, &change.shown(), &change.place, &fleet.into_iter().collect());
    }
}
