//! What the tests of the core share: Shingle, a small policy, and verdicts on one port.

#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may read the files it is about")]

pub(crate) mod bare;
pub(crate) mod chain;
pub(crate) mod changes;
pub(crate) mod right;
pub(crate) mod shown;
pub(crate) mod texts;

use std::collections::HashMap;
use std::sync::{Arc, LazyLock, Mutex};

use serde_json::Value as Json;
use yellowlegs_core::check::{Judge, PortView, Selection, SwitchView, Told, ids};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::model::{Mark, Record, Scope, SettingId, Switch, VlanId};
use yellowlegs_core::policy::{AsOf, Policy, assign};
use yellowlegs_core::resolve::{Resolved, resolve};
use yellowlegs_core::source::Source;

pub(crate) const SHINGLE: &str = include_str!("../../../../demo/dialects/shingle.toml");

/// The record of a switch as `read` prints it.
pub(crate) fn record(resolved: &Resolved) -> String {
    String::from_utf8(resolved.record().unwrap()).unwrap()
}

/// The same as a value.
pub(crate) fn record_json(resolved: &Resolved) -> Json {
    serde_json::from_slice(&resolved.record().unwrap()).unwrap()
}

/// A switch as its record tells it.
pub(crate) fn from_record(record: &str, name: &str) -> Switch {
    serde_json::from_str::<Record>(record).unwrap().into_switch(name)
}

pub(crate) const POLICY: &str = r#"
[site]
start-within = 2
fixed-stations = ["02:00:5e:fe"]
phone-prefixes = ["02:00:5e:20"]
signalling-priority = 3
signalling-dscp = 24
queue-map = ["46:7"]
queue-strict = [7]
recovery-wanted = ["storm"]
[vlans]
110 = { name = "desks", purpose = "data", subnet = "192.0.2.0/25" }
120 = { name = "crew", purpose = "data" }
140 = { name = "gates", purpose = "real-time" }
210 = { name = "phones", purpose = "voice", sensitive = true }
300 = { name = "switches", purpose = "management" }
998 = { name = "put away", purpose = "parking" }
999 = { name = "nobody", purpose = "native" }
[[role]]
name = "desk"
faces = "phone-and-host"
vlans = [110]
voice = 210
describes = ["^desk"]
[[role]]
name = "host"
faces = "host"
vlans = [120]
describes = ["^host"]
[role.expect]
"port-security.action" = "disable-port"
"port-security.pinning" = "wanted"
"port-security.aging" = "8h"
[[role]]
name = "gate"
faces = "host"
vlans = [140]
[[role]]
name = "up"
faces = "bridge-up"
vlans = [110, 120, 210]
describes = ["^up"]
[[role]]
name = "virtual"
faces = "tagged-host"
vlans = [110, 120]
describes = ["^virtual"]
[[role]]
name = "spare"
faces = "nothing"
describes = ["^spare"]
[[role]]
name = "down"
faces = "bridge-down"
describes = ["^down"]
[[role]]
name = "ring"
faces = "bridge-up"
describes = ["^ring"]
[role.expect]
"guard.loop" = "wanted"
[[role]]
name = "strict"
faces = "host"
describes = ["^strict"]
[role.expect]
arp-inspection = "wanted"
source-guard = "wanted"
"multicast.fast-leave" = true
"port.mtu" = 9000
[[role]]
name = "hasty"
faces = "host"
describes = ["^hasty"]
[role.expect]
"storm.broadcast" = "2%"
"dhcp-snooping.rate-limit" = "15pps"
"port.speed" = 100
[[role]]
name = "screen"
faces = "host"
receiver = true
time-critical = true
describes = ["^screen"]
[[mirror]]
switch = "t"
sources = ["1.2 both"]
target = "1.3"
reason = "a fault"
owner = "harbour office"
last-day = "2031-12-31"
[[mirror]]
switch = "t"
sources = ["1.4 both"]
target = "1.2"
reason = "a fault that is over"
owner = "harbour office"
last-day = "2031-01-31"
"#;

/// `1.1 port.mode`, `switch.name`, `vlan 110 vlan.name` or `mirror 2 mirror.target`: value, origin, deciding line.
pub(crate) fn fact(resolved: &Resolved, fact: &str) -> String {
    let words: Vec<&str> = fact.split(' ').collect();
    let id = SettingId::by_name(words.last().unwrap()).unwrap();
    let switch = &resolved.switch;
    let slot = match (id.info().scope, &words[..]) {
        (Scope::Port, [port, _]) => switch.slot(Some(switch.port_index(port).expect(port)), id).clone(),
        (Scope::Switch, _) => switch.slot(None, id).clone(),
        (Scope::Vlan, [_, vlan, _]) => switch.vlan_slot(VlanId::new(vlan.parse().unwrap()).unwrap(), id).clone(),
        (Scope::Mirror, [_, name, _]) => switch.mirrors()[*name][&id].clone(),
        other => panic!("{other:?}"),
    };
    let value = slot.value.as_ref().map_or_else(|| "unknown".into(), ToString::to_string);
    let line = line(slot.mark.filter(|_| slot.origin.is_written())).map_or_else(String::new, |l| format!(" {l}"));
    format!("{value} {}{line}", slot.origin.word())
}

pub(crate) const HEAD: &str = "shingle 4 unit t
sockets 1.1..1.4
lane 110
lane 120
lane 140
lane 210
lane 300
lane 998
lane 999
dhcp watch
dhcp watch lanes 110,120,140,210
loft cleared for binding-loft
";

/// Shingle without these settings of its defaults, and without the lines of its TOML that begin with one of these keys;
/// `key = value` puts another value there.
pub(crate) fn shingle_without(keys: &[&str]) -> Arc<Dialect> {
    let rules = SHINGLE.split("# ── examples").next().unwrap();
    // All defaults at once.
    let silent = keys.contains(&"defaults");
    let (mut section, mut feature) = ("", "");
    let mut kept: Vec<String> = Vec::new();
    for line in rules.lines() {
        if line.starts_with('[') {
            section = line;
        }
        if section == "[defaults]" {
            feature = line.strip_suffix(" = [").unwrap_or(feature);
        }
        let row = line.strip_prefix("    {").and_then(|row| row.strip_suffix(','));
        if silent && section == "[defaults]" {
            continue;
        }
        if let (Some(row), "[defaults]") = (row, section) {
            let row = changed(&format!("{feature} = {{{row}"), keys).unwrap_or_default();
            kept.extend(row.split_once(" = ").map(|(_, row)| format!("    {row},")));
        } else {
            kept.extend(changed(line, keys));
        }
    }
    dialect(&kept.join("\n"))
}

/// A line of a dialect with some of its keys gone or changed; the keys of `feature = { … }` are `feature.key`.
fn changed(line: &str, keys: &[&str]) -> Option<String> {
    let change = |name: &str| {
        let is = |key: &&&str| {
            let key = key.split(" =").next().unwrap_or_default().trim_matches('"');
            if key.contains('.') { key == name } else { !key.is_empty() && name.starts_with(key) }
        };
        keys.iter().find(is).map(|key| key.split_once(" =").map(|(_, value)| value.trim().to_owned()))
    };
    let (name, value) = line.split_once(" = ").unwrap_or((line, ""));
    if let Some(inner) =
        value.strip_prefix("{ ").and_then(|inner| inner.strip_suffix(" }")).filter(|_| !name.contains('"'))
    {
        let mut depth = 0;
        let parts = inner.split(|c| {
            depth += i32::from(c == '[') - i32::from(c == ']');
            c == ',' && depth == 0
        });
        let kept = parts.filter_map(|part| {
            let (key, value) = part.trim().split_once(" = ")?;
            match change(&format!("{name}.{key}")) {
                Some(other) => other.map(|value| format!("{key} = {value}")),
                None => Some(format!("{key} = {value}")),
            }
        });
        return Some(format!("{name} = {{ {} }}", kept.collect::<Vec<_>>().join(", ")));
    }
    match change(name.trim_matches('"')) {
        Some(other) => other.map(|value| format!("{name} = {value}")),
        None => Some(line.to_owned()),
    }
}

/// A dialect; one that was loaded before is the same.
pub(crate) fn dialect(text: &str) -> Arc<Dialect> {
    static LOADED: LazyLock<Mutex<HashMap<String, Arc<Dialect>>>> = LazyLock::new(Mutex::default);
    if let Some(known) = LOADED.lock().unwrap().get(text) {
        return Arc::clone(known);
    }
    match Dialect::load(&Arc::new(Source::of("dialect.toml", text))) {
        Ok(dialect) => {
            let dialect = Arc::new(dialect);
            LOADED.lock().unwrap().insert(text.to_owned(), Arc::clone(&dialect));
            dialect
        }
        Err(problems) => panic!("{}", problems.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")),
    }
}

pub(crate) fn policy(text: &str) -> Policy {
    match Policy::load(&Arc::new(Source::of("yellowlegs.toml", text)), &ids()) {
        Ok(policy) => policy,
        Err(problems) => panic!("{}", problems.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")),
    }
}

pub(crate) fn read(dialect: &Arc<Dialect>, text: &str) -> Resolved {
    resolve("t", dialect, Arc::new(Source::of("t/config.txt", text)))
}

pub(crate) fn as_of() -> AsOf {
    AsOf::parse("2031-03-04T06:30:00Z").unwrap()
}

/// What a check came to: id, verdict in a word, and what is missing.
pub(crate) type Verdict = (&'static str, &'static str, Vec<&'static str>);

/// What every check comes to on the switch and its first port.
pub(crate) fn verdicts(resolved: &Resolved, dialect: &Dialect, policy: &Policy) -> Vec<Verdict> {
    verdicts_of(resolved, dialect, policy, 0)
}

/// The same on any port.
pub(crate) fn verdicts_of(resolved: &Resolved, dialect: &Dialect, policy: &Policy, port: usize) -> Vec<Verdict> {
    let (as_of, selection) = (as_of(), Selection::default());
    let judge = Judge::new(policy, &as_of, &selection, false);
    let roles = assign(policy, &resolved.switch, Some(dialect.lists()));
    let on = SwitchView::new(resolved, policy, &roles, &as_of);
    let word = |told: Told| match told {
        Told::Met => ("met", Vec::new()),
        Told::NotApplicable => ("not-applicable", Vec::new()),
        Told::Violated(_) => ("violated", Vec::new()),
        Told::Undetermined(needs) => ("undetermined", needs.to_vec()),
    };
    let told = judge
        .verdicts(&PortView::new(on, port))
        .into_iter()
        .chain(judge.switch_verdicts(on))
        .map(|(check, told)| (check.id, word(told)));
    told.map(|(id, (word, needs))| (id, word, needs)).collect()
}

/// The line of a mark, for short assertions.
pub(crate) fn line(mark: Option<Mark>) -> Option<u32> {
    mark.map(Mark::line)
}

/// Holds a file of the repository against what was made from the rows.
pub(crate) fn compare(file: &str, made: &str) {
    let path = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(file);
    if std::env::var_os("YELLOWLEGS_RENEW").is_some() {
        std::fs::write(&path, made).unwrap();
    }
    let there = std::fs::read_to_string(&path).unwrap_or_default();
    assert!(there == made, "{file} is not what the rows say: run the tests once with YELLOWLEGS_RENEW=1");
}

/// A mark of a text: another for other words. That nothing of a line is left out says nothing.
pub(crate) fn mark(text: &str) -> String {
    let text = text.replace(", left_out: None", "");
    let step = |hash: u64, byte: u8| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3);
    let hash = text.bytes().fold(0xcbf2_9ce4_8422_2325, step);
    format!("{:08x}", hash >> 32 ^ hash & 0xffff_ffff)
}
