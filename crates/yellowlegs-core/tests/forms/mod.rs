//! Forms that languages have and plain rules of one line and one subject do not take: read, put in force, written and
//! explained. Each file has one kind of form, with small languages of its own.

mod cells;
mod doubted;
mod groups;
mod precedence;
mod quoted;
mod reaches;
mod recognised;
mod several;
mod state;
mod values;

use std::sync::Arc;

use crate::support::{dialect, fact, from_record, read, record};
use yellowlegs_core::dialect::Dialect;
use yellowlegs_core::model::{SettingId, VlanId};
use yellowlegs_core::resolve::{About, Resolved, Wanted};
use yellowlegs_core::source::Source;

/// What is read is written as a text that reads the same: the same settings in force, and nothing unread.
fn written_again(dialect: &Arc<Dialect>, text: &str) -> String {
    let reading = dialect.read(&Source::of("t", text), 1);
    assert!(reading.unread.is_empty(), "{:?}", reading.unread);
    let written = dialect.text_of(text, &reading).expect("a statement has no text");
    let (before, after) = (read(dialect, text), read(dialect, &written));
    let odds = yellowlegs_core::resolve::differences(&before, &after);
    assert!(odds.is_empty() && after.switch.unread().is_empty(), "{odds:?}\n{written}");
    written
}

/// The lines that change a setting: `1.1 port.mode`, `switch.name` or `vlan 110 vlan.name`.
fn edited(resolved: &Resolved, fact: &str, value: &str) -> Result<Vec<String>, String> {
    let words: Vec<&str> = fact.split(' ').collect();
    let setting = SettingId::by_name(words.last().unwrap()).unwrap();
    let about = match &words[..] {
        [_] => About::Switch,
        ["vlan", vlan, _] => About::Vlan(VlanId::new(vlan.parse().unwrap()).unwrap()),
        [port, ..] => About::Port((*port).into()),
        [] => unreachable!(),
    };
    let wanted = Wanted { about, setting, value: setting.info().kind.parse(value).unwrap() };
    resolved.edit(&wanted).map(|edit| edit.lines).map_err(|problem| problem.to_string())
}

/// What is wrong with a dialect: each problem as `line:column what | hint`.
fn problems(text: &str) -> Vec<String> {
    let problems = Dialect::load(&Arc::new(Source::of("d.toml", text))).expect_err("it loads");
    problems
        .iter()
        .map(|p| format!("{}:{} {} | {}", p.place.line, p.place.column, p.what, p.hint.as_deref().unwrap_or("")))
        .collect()
}
