//! The examples inside a dialect: run, and what is not as they expect.

use std::sync::Arc;

use super::{About, State, resolve_with};
use crate::dialect::{Dialect, Example, Expected, ExpectedFact};
use crate::model::{Scope, SettingId, VlanId};
use crate::source::{Place, Source};

/// Something that an example expects and reading did not give.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Failed {
    /// Where the expectation stands in the dialect.
    pub place: Place,
    /// What it is about.
    pub about: String,
    /// What was expected.
    pub expected: String,
    /// What came.
    pub got: String,
    /// The line of the example's text that decided it, with its number.
    pub line: Option<(u32, String)>,
}

/// Runs every example of a dialect.
pub fn run_examples(dialect: &Arc<Dialect>) -> Vec<Failed> {
    dialect.examples().iter().flat_map(|example| run(dialect, example)).collect()
}

fn run(dialect: &Arc<Dialect>, example: &Example) -> Vec<Failed> {
    let source = Arc::new(Source::of("example", example.text.as_str()));
    let beside = |name: &str, text: &Option<String>| {
        text.iter().map(|text| Arc::new(Source::of(name, text.as_str()))).collect::<Vec<_>>()
    };
    let (texts, walks) = (beside("state", &example.state), beside("walk", &example.walk));
    let state = State { texts, walks, as_of: example.as_of.unwrap_or_default(), ..State::default() };
    let resolved = resolve_with("example", dialect, source, &state);
    let mut failed: Vec<Failed> = Vec::new();
    for expected in &example.expect {
        failed.extend(setting(dialect, &resolved, expected));
    }
    for expected in &example.facts {
        failed.extend(fact(dialect, &resolved, expected));
    }
    let unread = resolved.switch.unread();
    if let Some(wanted) = example.unread.filter(|wanted| *wanted != unread.len()) {
        let line = unread.first().and_then(|u| resolved.switch.quote_raw(u.mark)).map(|q| (q.place.line, q.text));
        failed.push(Failed {
            place: dialect.place(&example.spot),
            about: "lines not understood".into(),
            expected: wanted.to_string(),
            got: unread.len().to_string(),
            line,
        });
    }
    failed
}

/// `1.1 port.mode`, `switch.name`, `vlan 110 vlan.name`, `mirror 1 mirror.target`: of what, and which setting.
fn parse(fact: &str) -> Option<(About, SettingId)> {
    let (about, name) = fact.rsplit_once(' ').map_or(("", fact), |(about, name)| (about.trim(), name));
    let id = SettingId::by_name(name)?;
    let about = match id.info().scope {
        Scope::Switch => About::Switch,
        Scope::Port => About::Port(about.into()),
        Scope::Vlan => About::Vlan(VlanId::new(about.strip_prefix("vlan")?.trim().parse().ok()?).ok()?),
        Scope::Mirror => About::Mirror(about.strip_prefix("mirror")?.trim().into()),
    };
    Some((about, id))
}

fn setting(dialect: &Dialect, resolved: &super::Resolved, expected: &Expected) -> Option<Failed> {
    let failed = |got: String, line| Failed {
        place: dialect.place(&expected.spot),
        about: expected.fact.clone(),
        expected: expected.value.clone(),
        got,
        line,
    };
    let Some((about, id)) = parse(&expected.fact) else {
        return Some(failed("nothing that can be read: write for example \"1.1 port.mode\"".into(), None));
    };
    if let About::Port(port) = &about
        && resolved.switch.port_index(port).is_none()
    {
        let ports: Vec<&str> = resolved.switch.ports().iter().take(8).map(crate::model::PortName::as_str).collect();
        return Some(failed(format!("no port {port}; there are {}", ports.join(", ")), None));
    }
    let slot = resolved.slot_of(&about, id);
    let wanted = match expected.value.as_str() {
        "unknown" => None,
        text => match id.info().kind.parse(text) {
            Ok(value) => Some(value),
            Err(problem) => return Some(failed(problem.to_string(), None)),
        },
    };
    if slot.value == wanted {
        return None;
    }
    let quote = slot.mark.and_then(|mark| resolved.switch.quote_raw(mark));
    let got = slot.value.as_ref().map_or_else(|| "unknown".into(), ToString::to_string);
    Some(failed(format!("{got} ({})", slot.origin.word()), quote.map(|q| (q.place.line, q.text))))
}

fn fact(dialect: &Dialect, resolved: &super::Resolved, expected: &ExpectedFact) -> Option<Failed> {
    let info = expected.kind.info();
    let shown = |fields: &[(usize, crate::model::Value)]| {
        let named = fields.iter().filter_map(|(f, value)| Some(format!("{}={value}", info.fields.get(*f)?.name)));
        named.collect::<Vec<_>>().join(" ")
    };
    let matching = |fact: &&crate::model::Fact| {
        expected.fields.iter().filter(|(f, value)| fact.fields.get(*f).and_then(Option::as_ref) == Some(value)).count()
    };
    let nearest = resolved.switch.facts_of(expected.kind).max_by_key(matching);
    if nearest.as_ref().is_some_and(|fact| matching(fact) == expected.fields.len()) {
        return None;
    }
    let told = |fact: &crate::model::Fact| -> Vec<(usize, crate::model::Value)> {
        fact.fields.iter().enumerate().filter_map(|(i, value)| Some((i, value.clone()?))).collect()
    };
    Some(Failed {
        place: dialect.place(&expected.spot),
        about: info.name.to_owned(),
        expected: shown(&expected.fields),
        got: nearest.map_or_else(|| "no such fact".into(), |fact| format!("nearest is {}", shown(&told(fact)))),
        line: nearest.and_then(|fact| resolved.switch.quote_raw(fact.mark)).map(|q| (q.place.line, q.text)),
    })
}
