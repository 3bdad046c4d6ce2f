//! What a walk of the switch tells: beside a configuration, and where there is none.

use std::collections::{BTreeSet, HashSet};
use std::sync::Arc;

use super::{Resolved, State, told, twice};
use crate::dialect::{Dialect, StateSaid};
use crate::model::{
    Fact, FactKind, FileText, Key, Mark, Mode, Origin, PortName, Remark, SettingId, SettingType, StationAddress,
    Switch, Unread, UnreadFact, VlanId, VlanSet, facts, settings,
};
use crate::sorted;
use crate::walk::{self, Membership, MissedObject};

/// What all walks of a switch tell.
#[derive(Default)]
pub(super) struct Walked {
    pub(super) facts: Vec<Fact>,
    pub(super) said: Vec<StateSaid>,
    pub(super) missed: Vec<MissedObject>,
    members: Vec<(Membership, VlanSet)>,
    ports: Vec<Arc<str>>,
    objects: usize,
}

/// Reads them; their files, their lines and what is to be said of them are put into the switch.
pub(super) fn read(state: &State, dialect: Option<&Arc<Dialect>>, switch: &mut Switch) -> Walked {
    let mut all = Walked::default();
    for (position, text) in state.walks.iter().enumerate() {
        if let Some(first) = state.walks.iter().take(position).find(|first| first.text() == text.text()) {
            switch.remarks.push(twice(&switch.name, first, text));
            continue;
        }
        let read = walk::read(text, switch.files.len() as u16, dialect.map(Arc::as_ref));
        switch.files.push(FileText::text(Arc::clone(text), Vec::new(), read.hidden));
        switch.lines += read.lines;
        let remark = |(mark, words): (Option<Mark>, String)| Remark {
            about: switch.name.to_string(),
            file: Some(text.path().to_string()),
            line: mark.map(Mark::line),
            text: words,
        };
        let remarks: Vec<Remark> = read.remarks.into_iter().map(remark).collect();
        switch.remarks.extend(remarks);
        let mut told = BTreeSet::new();
        let each = read.missed.iter().filter(|missed| told.insert(missed.mark));
        switch.unread.extend(each.map(|missed| Unread { mark: missed.mark, shape: Arc::clone(&missed.shape) }));
        all.members.extend(read.members.into_iter().map(|membership| (membership, read.vlans.clone())));
        all.facts.extend(read.facts);
        all.said.extend(read.said);
        all.missed.extend(read.missed);
        all.ports.extend(read.ports.into_iter().map(|(name, _)| name));
        all.objects += read.objects;
    }
    all
}

/// Puts what walks tell behind what tables tell. What both tell is one thing and counts once, as the table has it.
pub(super) fn put_behind(facts: &mut Vec<Fact>, walked: Vec<Fact>) {
    if walked.is_empty() {
        return;
    }
    let told: HashSet<Told> = facts.iter().map(Told::of).collect();
    facts.extend(walked.into_iter().filter(|fact| fact.kind == facts::clock::FACT || !told.contains(&Told::of(fact))));
}

/// What a fact is about, whoever tells it.
#[derive(PartialEq, Eq, Hash)]
struct Told {
    kind: FactKind,
    port: Option<Arc<str>>,
    station: Option<StationAddress>,
}

impl Told {
    fn of(fact: &Fact) -> Self {
        let (port, kind) = (fact.port().cloned(), fact.kind);
        let station = fact.get(facts::station::ADDRESS).or_else(|| fact.get(facts::binding::ADDRESS));
        Self { kind, port, station }
    }
}

/// Keeps in doubt what objects that are not understood could have told. The ports of the switch are known.
pub(super) fn miss(missed: Vec<MissedObject>, switch: &mut Switch) {
    for MissedObject { mark, shape, kind, settings, port } in missed {
        if kind.is_some() || !settings.is_empty() {
            let port = port.and_then(|name| switch.port_index(&name));
            switch.unread_facts.push(UnreadFact { mark, shape, kind, settings, port });
        }
    }
}

/// The VLANs of a port by its text, without a tag and with one; nothing where the text says nothing of them.
fn by_text(switch: &Switch, port: usize) -> Option<(VlanSet, VlanSet)> {
    fn by_hand<T: SettingType>(switch: &Switch, port: usize, key: Key<T>) -> Option<T> {
        T::read(switch.slot_by_hand(Some(port), key.id).value.as_ref()?)
    }
    let of = |key: Key<Option<VlanId>>| {
        let vlan: Option<Option<VlanId>> = by_hand(switch, port, key);
        vlan.map(|vlan| vlan.into_iter().collect::<VlanSet>())
    };
    let deciding = [
        settings::MODE.id,
        settings::ACCESS_VLAN.id,
        settings::VOICE_VLAN.id,
        settings::NATIVE_VLAN.id,
        settings::TAGGED_VLANS.id,
    ];
    let is_said = |id: &SettingId| {
        let origin = switch.slot_by_hand(Some(port), *id).origin;
        !matches!(origin, Origin::Default | Origin::Unknown | Origin::State)
    };
    deciding.iter().any(is_said).then_some(())?;
    match by_hand(switch, port, settings::MODE)? {
        Mode::Access => {
            let plain = of(settings::ACCESS_VLAN)?;
            let phones = of(settings::VOICE_VLAN).unwrap_or_default().minus(&plain);
            Some((plain, phones))
        }
        Mode::Trunk => {
            let native = of(settings::NATIVE_VLAN)?;
            let tagged = by_hand(switch, port, settings::TAGGED_VLANS)?.minus(&native);
            Some((native, tagged))
        }
        Mode::Negotiated => None,
    }
}

/// Says where ports are in other VLANs than the text comes to.
pub(super) fn contradict(walked: &Walked, switch: &mut Switch) {
    let mut odds = Vec::new();
    for (membership, known) in &walked.members {
        let Some(port) = switch.port_index(&membership.port) else { continue };
        let Some((untagged, tagged)) = by_text(switch, port) else { continue };
        if untagged.common(known) != membership.untagged || tagged.common(known) != membership.tagged {
            let by_text = shown(&untagged.common(known), &tagged.common(known));
            let by_walk = shown(&membership.untagged, &membership.tagged);
            odds.push((membership.mark, format!("{}: {by_text}, and {by_walk}", membership.port)));
        }
    }
    let Some((mark, _)) = odds.first() else { return };
    let mut named: Vec<String> = odds.iter().take(told::NAMED).map(|(_, odd)| odd.clone()).collect();
    if odds.len() > told::NAMED {
        named.push(format!("{} more", odds.len() - told::NAMED));
    }
    let text = format!("ports are in other VLANs by the text than by the walk; the text counts ({})", named.join("; "));
    let file = switch.files.get(usize::from(mark.file)).map(|file| file.path().to_owned());
    switch.remarks.push(Remark { about: switch.name.to_string(), file, line: Some(mark.line), text });
}

fn shown(untagged: &VlanSet, tagged: &VlanSet) -> String {
    let set = |set: &VlanSet| if set.is_empty() { "none".to_owned() } else { set.to_string() };
    format!("{} untagged and {} tagged", set(untagged), set(tagged))
}

/// A switch of which nothing is known but its walk: ports and settings as far as the standards, and the dialect's own objects, tell them.
pub fn resolve_walked(name: impl Into<Arc<str>>, dialect: Option<&Arc<Dialect>>, state: &State) -> Resolved {
    let mut switch = Switch::empty(name.into());
    let first = dialect.map(|dialect| FileText::text(Arc::clone(dialect.source()), Vec::new(), Vec::new()));
    switch.files = vec![first.unwrap_or_else(FileText::none), FileText::none()];
    if let Some(dialect) = dialect {
        switch.dialect = Some(Arc::clone(dialect.name()));
        switch.traits = Arc::clone(dialect.traits());
        switch.requires = Arc::clone(dialect.requires());
    }
    let walked = read(state, dialect, &mut switch);
    switch.statements = walked.objects as u32;
    let mut names: Vec<PortName> = walked.ports.into_iter().map(PortName::new).collect();
    sorted::plain(&mut names);
    names.dedup();
    switch.port_places = vec![None; names.len()];
    names.iter().for_each(|_| switch.port_slots.add_port());
    switch.ports = names;
    switch.told_doubts = Some(Vec::new());
    miss(walked.missed, &mut switch);
    switch.take_state(walked.facts, Vec::new());
    told::apply(&walked.said, state, None, &mut switch);
    Resolved::from_record(switch)
}
