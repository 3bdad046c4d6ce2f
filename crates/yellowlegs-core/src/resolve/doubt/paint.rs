//! Doubtful settings made unknown, and by which lines.

use std::collections::BTreeMap;
use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use super::target::{Layer, Place, Target, everywhere};
use crate::dialect::{Reach, Statement};
use crate::model::{
    Doubt, FactKind, Mark, Origin, Scope, SettingId, SettingSet, Slot, Switch, Torn, VlanId, platform, settings,
};
use crate::resolve::History;
use crate::resolve::apply::Applier;
use crate::sorted;

/// Makes doubtful settings unknown, and keeps by which line.
pub(super) struct Painter {
    pub(super) switch: Switch,
    pub(super) doubts: Vec<Doubt>,
    /// What was made unknown for a target, and on which ports: for one that comes again there is nothing to do.
    known: FxHashMap<Target, Painted>,
    /// Lists of ports that doubts have.
    lists: FxHashSet<Arc<[usize]>>,
    /// By setting of ports, the slot of those on which it is doubtful: they share one.
    doubtful: [Option<u32>; settings::PORT_COUNT],
}

/// What became unknown.
#[derive(Clone)]
struct Painted {
    any: bool,
    /// Whether more than settings of ports did.
    whole: bool,
    ports: Arc<[usize]>,
}

impl Painter {
    pub(super) fn of(switch: Switch) -> Self {
        Self {
            switch,
            doubts: Vec::new(),
            known: FxHashMap::default(),
            lists: FxHashSet::default(),
            doubtful: [None; settings::PORT_COUNT],
        }
    }

    /// Everything, by lines of which no more is known.
    pub(super) fn everything(&mut self, lines: impl Iterator<Item = (Mark, Arc<str>)>) {
        for (mark, shape) in lines {
            self.paint(mark, shape, None, &everywhere(Layer::Torn));
            self.may_tell_of_more_ports();
        }
    }

    /// What a record says is doubtful.
    pub(super) fn told(&mut self, doubts: &[Doubt]) {
        for doubt in doubts {
            let scoped = |scope: Scope| doubt.settings.common(SettingSet::of(scope));
            let ports = doubt.ports.clone().map_or(Place::AllPorts, Place::Ports);
            let places = [
                (Place::Switch, Scope::Switch),
                (ports, Scope::Port),
                (Place::Vlans(Vec::new()), Scope::Vlan),
                (Place::Mirror(None), Scope::Mirror),
            ];
            let target = |(place, scope)| Target { place, settings: scoped(scope), layer: Layer::Torn };
            let targets: Vec<Target> = places.into_iter().map(target).filter(|t| !t.settings.is_empty()).collect();
            match doubt.fact {
                Some(kind) => {
                    let port = doubt.ports.as_ref().and_then(|ports| ports.first().copied());
                    self.doubt_facts(kind, doubt.mark, Arc::clone(&doubt.shape), port);
                }
                None => self.paint(doubt.mark, Arc::clone(&doubt.shape), doubt.torn, &targets),
            }
            if doubt.more_ports {
                self.may_tell_of_more_ports();
            }
        }
    }

    pub(super) fn paint(&mut self, mark: Mark, shape: Arc<str>, torn: Option<Torn>, targets: &[Target]) {
        let mut settings = SettingSet::default();
        let mut lists: Vec<Arc<[usize]>> = Vec::new();
        let mut whole = false;
        for target in targets {
            let painted = self.known.get(target).cloned();
            let painted = painted.unwrap_or_else(|| {
                let painted = self.target(target, mark);
                self.known.insert(target.clone(), painted.clone());
                painted
            });
            whole |= painted.whole;
            if painted.any {
                settings = settings.union(target.settings);
            }
            if !painted.ports.is_empty() && !lists.iter().any(|list| Arc::ptr_eq(list, &painted.ports)) {
                lists.push(painted.ports);
            }
        }
        let ports = (!whole).then(|| self.together(&lists));
        self.doubts.push(Doubt { mark, shape, torn, ports, settings, fact: None, more_ports: false });
    }

    /// The line that was painted last could have told of ports that nothing else names.
    pub(super) fn may_tell_of_more_ports(&mut self) {
        if let Some(last) = self.doubts.last_mut() {
            last.more_ports = true;
        }
    }

    /// Lists of ports as one; equal ones are kept once.
    fn together(&mut self, lists: &[Arc<[usize]>]) -> Arc<[usize]> {
        if let [one] = lists {
            return Arc::clone(one);
        }
        let mut all: Vec<usize> = lists.iter().flat_map(|list| list.iter().copied()).collect();
        all.sort_unstable();
        all.dedup();
        let all: Arc<[usize]> = all.into();
        if let Some(there) = self.lists.get(&all) {
            return Arc::clone(there);
        }
        self.lists.insert(Arc::clone(&all));
        all
    }

    fn target(&mut self, target: &Target, mark: Mark) -> Painted {
        let of_ports = |ports: Vec<usize>| Painted { any: !ports.is_empty(), whole: false, ports: ports.into() };
        let beside = |any: bool| Painted { any, whole: any, ports: Arc::default() };
        match &target.place {
            Place::Switch => {
                let mut any = false;
                for id in target.settings.iter() {
                    any |= self.switch_slot(id, mark, target.layer);
                }
                beside(any)
            }
            Place::AllPorts => {
                let all: Vec<usize> = (0..self.switch.ports.len()).collect();
                of_ports(self.ports(&all, target, mark))
            }
            Place::Ports(these) => of_ports(self.ports(these, target, mark)),
            Place::Vlans(vlans) => {
                self.vlans(vlans, target, mark);
                beside(true)
            }
            Place::Mirror(session) => {
                self.mirror(session.as_ref(), target);
                beside(true)
            }
        }
    }

    /// Where membership makes a port a trunk, its mode is as doubtful as its VLANs.
    pub(super) fn follow_membership(&mut self) {
        if self.switch.traits.holds(platform::MODE_FROM, "membership") != Some(true) {
            return;
        }
        const MEMBERSHIP: [SettingId; 3] =
            [settings::TAGGED_VLANS.id, settings::VOICE_VLAN.id, settings::ACCESS_VLAN.id];
        for port in 0..self.switch.ports.len() {
            let doubtful = |id: &SettingId| self.switch.port_slots.get(port, *id).is_some_and(Slot::is_doubtful);
            if MEMBERSHIP.iter().any(doubtful) {
                self.doubt(port, settings::MODE.id);
            }
        }
    }

    /// How far a global default reaches hangs on the mode of a port, or on its fast start: what it would have said is as
    /// doubtful as those.
    pub(super) fn follow_reach(&mut self, history: &History) {
        let History { dialect, source, reading, ports, .. } = history;
        let by_mode = [Reach::AccessPorts, Reach::UntrunkedPorts, Reach::TrunkPorts];
        let hangs = |reach: Reach| by_mode.contains(&reach) || reach == Reach::EdgePorts;
        let rule = |statement: &Statement| dialect.rules().get(statement.rule as usize);
        // What is written is put in force once more for this: few texts have such defaults.
        if !reading.statements.iter().filter_map(rule).any(|rule| rule.reaches().any(hangs)) {
            return;
        }
        let written = Applier::new(dialect, source, reading, ports, None).run();
        let detects = dialect.traits().holds(platform::EDGE_DETECTED, "yes") == Some(true);
        for id in SettingId::of(Scope::Port) {
            let reaches: Vec<Reach> = written.globals[id.slot()].iter().map(|global| global.reach).collect();
            let by_mode = reaches.iter().any(|reach| by_mode.contains(reach));
            let by_edge = reaches.contains(&Reach::EdgePorts);
            for port in 0..self.switch.ports.len() {
                let doubtful = |id: SettingId| self.switch.port_slots.get(port, id).is_some_and(Slot::is_doubtful);
                let no_edge = || doubtful(settings::FAST_START.id) || detects && doubtful(settings::LINK_TYPE.id);
                let open = (by_mode || by_edge) && doubtful(settings::MODE.id) || by_edge && no_edge();
                let own = self.switch.port_slots.get(port, id).is_some_and(|slot| {
                    matches!(slot.origin, Origin::Port | Origin::Range | Origin::Vlan | Origin::Profile)
                });
                if open && !own {
                    self.doubt(port, id);
                }
            }
        }
    }

    /// Makes a setting of a port unknown.
    fn doubt(&mut self, port: usize, id: SettingId) {
        let Self { switch, doubtful, .. } = self;
        let shared = *doubtful[id.slot()].get_or_insert_with(|| switch.port_slots.add_shared(Slot::DOUBTFUL));
        switch.port_slots.share(port, id, shared);
    }

    fn switch_slot(&mut self, id: SettingId, mark: Mark, layer: Layer) -> bool {
        let Some(slot) = self.switch.switch_slots.get_mut(id.slot()) else { return false };
        if stands(slot, id, mark, layer) {
            return false;
        }
        *slot = Slot::DOUBTFUL;
        true
    }

    /// The ports on which something became unknown.
    fn ports(&mut self, ports: &[usize], target: &Target, mark: Mark) -> Vec<usize> {
        let mut painted = Vec::new();
        for port in ports.iter().copied() {
            let mut any = false;
            for id in target.settings.iter() {
                let Some(slot) = self.switch.port_slots.get(port, id) else { continue };
                if slot.is_unset() {
                    self.doubt(port, id);
                    any = true;
                    continue;
                }
                if !stands(slot, id, mark, target.layer) {
                    self.doubt(port, id);
                    any = true;
                }
            }
            if any {
                painted.push(port);
            }
        }
        painted
    }

    fn vlans(&mut self, vlans: &[VlanId], target: &Target, mark: Mark) {
        for id in target.settings.iter() {
            if vlans.is_empty() {
                self.switch.vlan_defaults.insert(id, Slot::DOUBTFUL);
                let of_setting = self.switch.vlan_slots.iter_mut().filter(|((_, there), _)| *there == id);
                for (_, slot) in of_setting.filter(|(_, slot)| !stands(slot, id, mark, target.layer)) {
                    *slot = Slot::DOUBTFUL;
                }
                continue;
            }
            for vlan in vlans {
                let slot = self.switch.vlan_slots.entry((*vlan, id)).or_insert(Slot::DOUBTFUL);
                if !stands(slot, id, mark, target.layer) {
                    *slot = Slot::DOUBTFUL;
                }
            }
        }
    }

    fn mirror(&mut self, session: Option<&Arc<str>>, target: &Target) {
        let unknown: BTreeMap<SettingId, Slot> =
            sorted::tree_map(SettingId::of(Scope::Mirror).map(|id| (id, Slot::DOUBTFUL)));
        match session {
            Some(name) => {
                let slots = self.switch.mirrors.entry(Arc::clone(name)).or_insert(unknown);
                target.settings.iter().for_each(|id| _ = slots.insert(id, Slot::DOUBTFUL));
            }
            None => {
                for slots in self.switch.mirrors.values_mut() {
                    target.settings.iter().for_each(|id| _ = slots.insert(id, Slot::DOUBTFUL));
                }
                self.switch.mirrors.insert("?".into(), unknown);
            }
        }
    }

    pub(super) fn doubt_facts(&mut self, kind: FactKind, mark: Mark, shape: Arc<str>, port: Option<usize>) {
        self.switch.doubted_facts.push((kind, port));
        let ports = port.map(|port| Arc::from([port]));
        let settings = SettingSet::default();
        self.doubts.push(Doubt { mark, shape, torn: None, ports, settings, fact: Some(kind), more_ports: false });
    }
}

/// Whether what is written stands against a line that could have spoken of it: it is written in a stronger way, or later in
/// the same. A list that lines add to never does.
fn stands(slot: &Slot, id: SettingId, mark: Mark, layer: Layer) -> bool {
    let later = slot.mark.is_some_and(|there| there.file == mark.file && there.line > mark.line);
    let own = matches!(slot.origin, Origin::Port | Origin::Range | Origin::Vlan);
    let is_list = id.info().kind.is_list();
    match layer {
        Layer::Torn => false,
        Layer::State => !matches!(slot.origin, Origin::Default | Origin::Unknown | Origin::State),
        Layer::Own => own && later && !is_list,
        Layer::Profile => own && !is_list,
        Layer::Global => {
            let stronger = id.info().scope == Scope::Port && (own || slot.origin == Origin::Profile);
            !is_list && (stronger || later && matches!(slot.origin, Origin::Global | Origin::Vlan))
        }
    }
}
