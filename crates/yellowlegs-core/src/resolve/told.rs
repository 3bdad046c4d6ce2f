//! Settings that state decides: they come before the platform's default and after everything that is written. A dialect says of its
//! lines which they decide; what some facts tell is a setting by itself: a port's speed, the power there is.

use std::collections::BTreeMap;
use std::sync::Arc;

use jiff::SignedDuration;

use super::State;
use super::port_table::PortTable;
use crate::dialect::{Against, SaidOf, StateSaid};
use crate::model::{
    Fact, Mark, Milliwatts, Origin, Owner, Remark, Scope, SettingId, Slot, Switch, Value, facts, settings,
};

/// So many ports of one contradiction are named.
pub(super) const NAMED: usize = 4;

/// Where state says otherwise than the text.
#[derive(Default)]
struct Contradictions(BTreeMap<SettingId, Vec<(String, String, String, Mark)>>);

/// What facts say of settings: the speed of each port whose link is up; the power of all supplies that one text lists, together.
fn by_facts(switch: &Switch) -> Vec<StateSaid> {
    let of_port = |fact: &Fact| {
        let is_up = fact.get(facts::port_status::LINK) != Some(false);
        let amount = fact.get(facts::port_status::SPEED).filter(|amount| is_up && *amount > 0)?;
        let of = SaidOf::Port(Arc::clone(fact.port()?));
        Some(StateSaid::of(of, settings::SPEED.id, Value::Count(amount), fact.mark))
    };
    let mut said: Vec<StateSaid> = switch.facts_of(facts::port_status::FACT).filter_map(of_port).collect();
    let mut supplies: BTreeMap<u16, (u32, Mark)> = BTreeMap::new();
    for fact in switch.facts_of(facts::power_supply::FACT) {
        let Some(Milliwatts(amount)) = fact.get(facts::power_supply::BUDGET) else { continue };
        let (sum, _) = supplies.entry(fact.mark.file).or_insert((0, fact.mark));
        *sum = sum.saturating_add(amount);
    }
    said.extend(
        supplies
            .into_values()
            .map(|(sum, mark)| StateSaid::of(SaidOf::Switch, settings::POWER_BUDGET.id, Value::Milliwatts(sum), mark)),
    );
    said
}

/// Puts in force what state tells, text by text and line by line: facts first, so that what a dialect says of its lines counts.
pub(super) fn apply(told: &[StateSaid], state: &State, ports: Option<&PortTable>, switch: &mut Switch) {
    let mut odds = Contradictions::default();
    for said in by_facts(switch).iter().chain(told) {
        let is_old = is_old(switch, said.mark, state);
        let scope = said.setting.info().scope;
        match &said.of {
            SaidOf::Switch if scope == Scope::Switch => {
                let Some(slot) = switch.switch_slots.get(said.setting.slot()) else { continue };
                if let Some(decided) = odds.decide(slot, said, is_old, "the switch") {
                    switch.behind_state.entry((Owner::Switch, said.setting)).or_insert_with(|| slot.clone());
                    switch.switch_slots[said.setting.slot()] = decided;
                }
            }
            SaidOf::Port(name) if scope == Scope::Port => {
                switch.port_index(name).into_iter().for_each(|port| odds.at_port(port, said, is_old, switch));
            }
            SaidOf::Ports(items) if scope == Scope::Port => {
                ports
                    .map_or_else(Vec::new, |ports| ports.positions(items))
                    .into_iter()
                    .for_each(|port| odds.at_port(port, said, is_old, switch));
            }
            SaidOf::Vlans(vlans) if scope == Scope::Vlan => {
                for vlan in vlans {
                    let slot = switch.vlan_slot(*vlan, said.setting).clone();
                    if let Some(decided) = odds.decide(&slot, said, is_old, &format!("VLAN {vlan}")) {
                        switch.behind_state.entry((Owner::Vlan(*vlan), said.setting)).or_insert(slot);
                        switch.vlan_slots.insert((*vlan, said.setting), decided);
                    }
                }
            }
            SaidOf::Mirror(name) if scope == Scope::Mirror => {
                let slots = switch.mirrors.entry(Arc::clone(name)).or_default();
                let slot = slots.get(&said.setting).cloned().unwrap_or(Slot::UNKNOWN);
                if let Some(decided) = odds.decide(&slot, said, is_old, &format!("session {name}")) {
                    switch.behind_state.entry((Owner::Mirror(Arc::clone(name)), said.setting)).or_insert(slot);
                    slots.insert(said.setting, decided);
                }
            }
            _ => {}
        }
    }
    let remarks: Vec<Remark> = odds.0.into_iter().map(|(setting, odds)| remark(switch, setting, &odds)).collect();
    switch.remarks.extend(remarks);
}

/// Whether a text of state is older than is borne, by its own clock.
fn is_old(switch: &Switch, mark: Mark, state: &State) -> bool {
    let clocks = switch.facts_of(facts::clock::FACT).filter(|clock| clock.mark.file == mark.file);
    let taken = clocks.last().and_then(|clock| clock.get(facts::clock::TIME));
    let most = state.oldest.map(|most| SignedDuration::from_secs(most.into()));
    taken.zip(most).is_some_and(|(taken, most)| state.as_of.duration_since(taken) > most)
}

impl Contradictions {
    fn at_port(&mut self, port: usize, said: &StateSaid, is_old: bool, switch: &mut Switch) {
        let name = switch.ports.get(port).map_or_else(String::new, ToString::to_string);
        let Some(slot) = switch.port_slots.get(port, said.setting) else { return };
        if let Some(decided) = self.decide(slot, said, is_old, &name) {
            switch.behind_state.entry((Owner::Port(port), said.setting)).or_insert_with(|| slot.clone());
            switch.port_slots.set(port, said.setting, decided);
        }
    }

    /// What a slot becomes; `None` where it stays what it is.
    fn decide(&mut self, slot: &Slot, said: &StateSaid, is_old: bool, of: &str) -> Option<Slot> {
        let is_open = matches!(slot.origin, Origin::Default | Origin::Unknown | Origin::State);
        if !is_open {
            if !is_old && slot.value.as_ref().is_some_and(|written| is_other(written, said)) {
                let shown = |value: &Value| value.to_string();
                let written = slot.value.as_ref().map_or_else(String::new, shown);
                let odds = self.0.entry(said.setting).or_default();
                odds.push((of.to_owned(), written, shown(&said.value), said.mark));
            }
            return None;
        }
        // What was true once is not known to be so now, and the default may be as wrong.
        if is_old {
            return Some(Slot { value: None, origin: Origin::State, mark: Some(said.mark), contested: slot.contested });
        }
        let before = slot.value.clone().filter(|_| slot.origin == Origin::State);
        let value = match (said.adds, before) {
            (false, _) => Some(said.value.clone()),
            (true, before) => before.or_else(|| said.setting.info().kind.off()).and_then(|list| list.plus(&said.value)),
        };
        Some(Slot { value, origin: Origin::State, mark: Some(said.mark), contested: slot.contested })
    }
}

/// Whether what is told is not what is written; of a list, not in it.
fn is_other(written: &Value, said: &StateSaid) -> bool {
    match (&said.against, written, &said.value) {
        (Against::Nothing, ..) => return false,
        (Against::OthersThan(same), ..) if same == written => return false,
        (Against::Among(among), Value::Vlans(written), Value::Vlans(told)) => {
            return written.common(among) != told.common(among);
        }
        _ => {}
    }
    if said.adds { written.plus(&said.value).as_ref() != Some(written) } else { *written != said.value }
}

fn remark(switch: &Switch, setting: SettingId, odds: &[(String, String, String, Mark)]) -> Remark {
    let one = |(of, written, told, _): &(String, String, String, Mark)| format!("{of}: {written}, and {told}");
    let mut all: Vec<String> = odds.iter().take(NAMED).map(one).collect();
    if odds.len() > NAMED {
        all.push(format!("{} more", odds.len() - NAMED));
    }
    let mark = odds.first().map(|(.., mark)| *mark);
    let file = mark.and_then(|mark| switch.files.get(usize::from(mark.file))).map(|file| file.path().to_owned());
    let name = setting.name();
    let text =
        format!("{name} is one thing in the text and another in the state; the text counts ({})", all.join("; "));
    Remark { about: switch.name.to_string(), file, line: mark.map(|mark| mark.line), text }
}
