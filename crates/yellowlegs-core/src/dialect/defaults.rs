//! `[defaults]`: what holds where the text is silent, on all ports and on kinds of them.

use std::sync::Arc;

use super::load::{known_setting, mark_of};
use super::ports::{KindDefaults, PortKind};
use super::{DialectProblem, Lists, effects};
use crate::model::{Kind, Origin, Scope, SettingId, Slot, Traits, Value, VlanSet, platform, settings};
use crate::source::{Entry, TableReader, TomlDoc};

/// The slot of every setting where the text is silent.
pub(super) fn silent_slots(defaults: &[Option<Slot>], traits: &Traits) -> Vec<Slot> {
    let slot = |id: SettingId| match defaults.get(id.index()).cloned().flatten() {
        Some(slot) => slot,
        None if id == settings::TAGGED_VLANS.id => without_list(traits),
        None => Slot::UNKNOWN,
    };
    SettingId::all().map(slot).collect()
}

/// What a trunk without a list carries: that is a trait's, and no default.
fn without_list(traits: &Traits) -> Slot {
    let by_membership = traits.holds(platform::MODE_FROM, "membership") == Some(true);
    let which = if by_membership { platform::MODE_FROM } else { platform::TRUNK_WITHOUT_LIST };
    let all = if by_membership { Some(false) } else { traits.holds(which, "all") };
    let Some(all) = all else { return Slot::UNKNOWN };
    let set = if all { VlanSet::all() } else { VlanSet::default() };
    let mark = traits.get(which).and_then(|slot| slot.mark);
    Slot { value: Some(Value::Vlans(Arc::new(set))), origin: Origin::Default, mark, contested: false }
}

/// What holds where the text is silent, by setting. `of_all`: not on ports of a kind alone, where lists have no default.
pub(super) fn read(doc: &TomlDoc<'_>, table: Option<&TableReader<'_>>, of_all: bool) -> Vec<Option<Slot>> {
    let mut defaults = vec![None; settings::ALL.len()];
    let Some(table) = table else { return defaults };
    let mut off: Vec<(SettingId, Slot)> = Vec::new();
    let slot = |value: Value, entry: &Entry<'_>| {
        let mark = Some(mark_of(doc, &entry.key.spot, &entry.spot()));
        Slot { value: Some(value), origin: Origin::Default, mark, contested: false }
    };
    let mut set = |id: SettingId, entry: &Entry<'_>| {
        if id == settings::TAGGED_VLANS.id {
            doc.report(&entry.key.spot, DialectProblem::TaggedDefault);
        } else if let Some(value) = effects::constant(doc, id, entry) {
            if defaults[id.index()].is_some() {
                doc.report(&entry.key.spot, DialectProblem::TwoDefaults { setting: id.name() });
            }
            defaults[id.index()] = Some(slot(value, entry));
        }
    };
    for entry in table.entries() {
        let feature: Vec<SettingId> = of_feature(entry.key.value).collect();
        if feature.is_empty() {
            if let Some(id) = known_setting(doc, &entry.key) {
                set(id, &entry);
            }
        } else if entry.text() == Some("off") {
            let kinds = feature.iter().map(|id| (id, id.info().kind)).filter(|(_, kind)| of_all || !kind.is_list());
            let silent = kinds.filter_map(|(id, kind)| Some((*id, slot(silent(kind)?, &entry))));
            off.extend(silent.filter(|(id, _)| *id != settings::TAGGED_VLANS.id));
        } else if entry.text().is_some() {
            doc.report(&entry.spot(), DialectProblem::FeatureDefault { feature: entry.key.value.to_owned() });
        } else {
            for inner in entry.tables().iter().flat_map(TableReader::entries) {
                let known =
                    feature.iter().find(|id| id.name().split_once('.').is_some_and(|(_, n)| n == inner.key.value));
                match known {
                    Some(id) => set(*id, &inner),
                    None => {
                        let names = feature.iter().filter_map(|id| id.name().split_once('.')).map(|(_, name)| name);
                        let words = names.map(str::to_owned).collect();
                        let found = inner.key.value.to_owned();
                        doc.report(&inner.key.spot, DialectProblem::Word { key: "defaults", found, words });
                    }
                }
            }
        }
    }
    for (id, slot) in off {
        defaults[id.index()].get_or_insert(slot);
    }
    defaults
}

/// Ports of a kind, and what holds there where the text is silent.
pub(super) fn of_kind(doc: &TomlDoc<'_>, table: &TableReader<'_>, lists: &Lists) -> KindDefaults {
    let names = table.texts("names").unwrap_or_default();
    if names.is_empty() {
        table.required_text("names");
    }
    let kinds = names.iter().filter_map(|name| {
        lists.kind(name.value).map_err(|problem| doc.report(&name.spot, DialectProblem::Form(problem))).ok()
    });
    let ports: Vec<PortKind> = kinds.collect();
    let read = read(doc, table.table("defaults").as_ref(), false);
    let mut slots = Vec::new();
    for (id, slot) in SettingId::all().zip(read) {
        let Some(slot) = slot else { continue };
        if id.info().scope != Scope::Port || id.info().kind.is_list() {
            let scope = if id.info().kind.is_list() { "list" } else { id.info().scope.word() };
            doc.report(&table.spot, DialectProblem::KindDefault { setting: id.name(), scope });
            continue;
        }
        slots.push((id, slot));
    }
    table.finish();
    KindDefaults { ports, slots }
}

/// The settings of a feature: the part of their names before the dot.
fn of_feature(feature: &str) -> impl Iterator<Item = SettingId> + use<'_> {
    SettingId::all().filter(move |id| id.name().split_once('.').is_some_and(|(of, _)| of == feature))
}

/// What a setting of a feature is that is off: a switch that is not thrown, a limit, a port or an address that is none, a list with
/// nothing in it. How many and how long have nothing that is off.
fn silent(kind: Kind) -> Option<Value> {
    match kind {
        Kind::Flag | Kind::Rate | Kind::Vlan | Kind::Port | Kind::Address | Kind::Choice(_) => kind.off(),
        kind if kind.is_list() => kind.off(),
        _ => None,
    }
}
