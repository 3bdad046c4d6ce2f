//! What a platform has where the text is silent: asked by feature, only where a check needs it, and written as defaults and traits.

use super::write::{entry, feature_off};
use super::{Lesson, Refused};
use crate::check::{feature_of, out_of_reach};
use crate::model::{Kind, SettingId, TraitId, settings};
use crate::sorted;
use crate::source::quoted;

/// A feature of which nobody has said what holds where the text is silent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Silence {
    /// Its name: the first part of its settings' names, or `traits`.
    pub feature: &'static str,
    /// What is not known of it.
    pub facts: Vec<Fact>,
    /// The checks that wait for some of it.
    pub checks: Vec<&'static str>,
}

/// A setting or a trait that nothing gives where the text is silent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fact {
    /// Its whole name.
    pub name: &'static str,
    /// What it means.
    pub meaning: &'static str,
    /// What it can be, in words.
    pub wanted: String,
    /// The values to choose from, where they are few.
    pub choices: Vec<&'static str>,
    /// The value that stands for "off", where it has one that a platform without the feature has.
    pub off: Option<&'static str>,
}

/// What no platform lacks as a whole: what of it is off has to be said one by one.
const NEVER_OFF: [&str; 4] = ["port", "switch", "platform", "spanning-tree"];

impl Silence {
    /// What of it can be off, with that; none where the whole of it is never off.
    pub fn offs(&self) -> Vec<(&'static str, &'static str)> {
        let facts = self.facts.iter().filter(|_| !NEVER_OFF.contains(&self.feature));
        facts.filter_map(|fact| Some((fact.name, fact.off?))).collect()
    }
}

impl Fact {
    fn of(name: &'static str) -> Option<Self> {
        if let Some(id) = TraitId::by_name(name) {
            let info = id.info();
            let wanted = format!("{} of {}", if info.many { "some" } else { "one" }, info.words.join(", "));
            return Some(Self { name, meaning: info.meaning, wanted, choices: info.words.to_vec(), off: None });
        }
        let info = SettingId::by_name(name)?.info();
        let (choices, off): (Vec<&'static str>, _) = match info.kind {
            Kind::Flag => (vec!["false", "true"], Some("false")),
            Kind::Choice(set) => (set.words.to_vec(), set.words.iter().copied().find(|w| matches!(*w, "off" | "none"))),
            Kind::Rate | Kind::Vlan | Kind::Address | Kind::Port => (Vec::new(), Some("none")),
            // What a trunk without a list carries is a trait.
            kind if kind.is_list() && info.name != settings::TAGGED_VLANS.id.name() => (Vec::new(), Some("[]")),
            _ => (Vec::new(), None),
        };
        Some(Self { name, meaning: info.meaning, wanted: info.kind.describe(), choices, off })
    }
}

impl Lesson {
    /// The features of which something is not known where the text is silent, those first that open most checks.
    pub fn silences(&self) -> Vec<Silence> {
        let mut silences: Vec<Silence> = Vec::new();
        for out in out_of_reach(self.dialect()) {
            let (feature, _) = feature_of(out.fact);
            let Some(fact) = Fact::of(out.fact) else { continue };
            let at = silences.iter().position(|silence| silence.feature == feature).unwrap_or_else(|| {
                silences.push(Silence { feature, facts: Vec::new(), checks: Vec::new() });
                silences.len() - 1
            });
            let silence = &mut silences[at];
            silence.facts.push(fact);
            silence
                .checks
                .extend(out.checks.iter().filter(|check| !silence.checks.contains(check)).copied().collect::<Vec<_>>());
        }
        sorted::by_key(&mut silences, |silence| std::cmp::Reverse(silence.checks.len()));
        silences
    }

    /// Writes that a feature is off where the text is silent: all of it that can be.
    pub fn settle_off(&mut self, silence: &Silence) -> Result<(), Refused> {
        if silence.offs().is_empty() {
            return Ok(());
        }
        match feature_off(self.written(), silence.feature) {
            Some(text) => {
                let dialect = self.with(text)?;
                self.take(dialect)
            }
            None => self.settle(&silence.offs()),
        }
    }

    /// Writes what holds where the text is silent.
    pub fn settle(&mut self, values: &[(&str, &str)]) -> Result<(), Refused> {
        let mut text = self.written().to_owned();
        for (name, value) in values {
            let (feature, key) = feature_of(name);
            let unknown = || {
                let what = format!("no setting or trait is `{name}`");
                Refused::Says(what, "`yellowlegs dialect settings` lists them".into())
            };
            text = if let Some(id) = TraitId::by_name(name) {
                let words: Vec<String> =
                    value.split(',').map(str::trim).filter(|w| !w.is_empty()).map(quoted).collect();
                let written = if id.info().many { format!("[{}]", words.join(", ")) } else { quoted(value) };
                entry(&text, "traits", "", name, &written)
            } else {
                let kind = SettingId::by_name(name).ok_or_else(unknown)?.info().kind;
                entry(&text, "defaults", feature, key, &as_toml(kind, value))
            };
        }
        let dialect = self.with(text)?;
        self.take(dialect)
    }
}

/// A value of a kind, as it stands behind the sign of a default: numbers and truth plain, the rest in quotes.
fn as_toml(kind: Kind, value: &str) -> String {
    let is_plain = match kind {
        Kind::Flag => matches!(value, "true" | "false"),
        Kind::Count | Kind::Seconds | Kind::Milliwatts | Kind::Vlan => value.parse::<u32>().is_ok(),
        _ => false,
    };
    if kind.is_list() {
        let items: Vec<String> =
            value.trim_matches(['[', ']']).split(',').map(str::trim).filter(|i| !i.is_empty()).map(quoted).collect();
        return format!("[{}]", items.join(", "));
    }
    if is_plain { value.to_owned() } else { quoted(value) }
}
