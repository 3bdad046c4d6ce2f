//! What lines that nobody reads could have said: by the rules that begin like them, the block they stand in, and what they name.

use std::cell::RefCell;
use std::rc::Rc;
use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::paint::Painter;
use super::target::{Layer, Place, Target, everywhere, of_contexts, spread};
use crate::dialect::{Alike, Captured, Dialect, HoleRef, Named, PortItem, Reach, Rule, Structure, Subject, UnreadAt};
use crate::model::{
    DoubtWidth, Mark, Mode, Scope, SettingId, SettingSet, Switch, Torn, Unread, Value, VlanId, settings,
};
use crate::resolve::apply::{Applier, ProfileName, Written};
use crate::resolve::{CONFIG_FILE, History};

/// What no line about a VLAN says: what a cable and a plug are.
const OF_THE_LINK: [SettingId; 14] = [
    settings::ENABLED.id,
    settings::DESCRIPTION.id,
    settings::SPEED.id,
    settings::MEDIA.id,
    settings::MTU.id,
    settings::ENERGY_SAVING.id,
    settings::POWER.id,
    settings::POWER_LIMIT.id,
    settings::POWER_MAXIMUM.id,
    settings::UNIDIRECTIONAL.id,
    settings::UNIDIRECTIONAL_INTERVAL.id,
    settings::FLAP.id,
    settings::LLDP_TRANSMIT.id,
    settings::LINK_TYPE.id,
];

/// Finds what lines could have said.
pub(super) struct Finder<'a> {
    history: &'a History,
    dialect: &'a Dialect,
    text: &'a str,
    switch: &'a Switch,
    width: DoubtWidth,
    /// By context, every setting that a rule in it or in what it opens can change.
    of_context: Vec<SettingSet>,
    /// Who uses which profile; made when it is first asked for.
    written: Option<Written>,
    /// The ports of lists that were looked up: most lists are written again and again.
    lists: RefCell<FxHashMap<Vec<PortItem>, Arc<[usize]>>>,
    leads: RefCell<Leads>,
}

/// Where the line that is looked at leads, by context: this is asked for several reasons.
#[derive(Default)]
struct Leads {
    line: Option<Mark>,
    to: Vec<(usize, Rc<Alike>)>,
}

impl<'a> Finder<'a> {
    pub(super) fn new(history: &'a History, switch: &'a Switch, width: DoubtWidth) -> Self {
        let dialect = &*history.dialect;
        Self {
            history,
            dialect,
            text: history.source.text(),
            switch,
            width,
            of_context: of_contexts(dialect),
            written: None,
            lists: RefCell::default(),
            leads: RefCell::default(),
        }
    }

    /// Where a line leads among the rules of a context.
    fn alike(&self, mark: Mark, context: usize) -> Rc<Alike> {
        let mut kept = self.leads.borrow_mut();
        if kept.line != Some(mark) {
            *kept = Leads { line: Some(mark), to: Vec::new() };
        }
        if let Some((_, known)) = kept.to.iter().find(|(of, _)| *of == context) {
            return Rc::clone(known);
        }
        let alike = Rc::new(self.dialect.alike(self.text, mark, context));
        kept.to.push((context, Rc::clone(&alike)));
        alike
    }

    pub(super) fn all(&mut self, painter: &mut Painter) {
        let reading = &self.history.reading;
        let of_config = |unread: &&Unread| unread.mark.file == CONFIG_FILE;
        let unread: Vec<&Unread> = self.switch.unread.iter().filter(of_config).collect();
        // The last line first: what it leaves open, an earlier one that says as much leaves open, too.
        for (position, line) in unread.iter().enumerate().rev() {
            let at = reading.unread_at.get(position).copied().unwrap_or(UnreadAt::Context(0, None));
            let named = self.dialect.named(self.text, line.mark, |vlan| self.is_defined(vlan));
            let targets = match self.width {
                DoubtWidth::Switch => everywhere(Layer::Torn),
                DoubtWidth::Near | DoubtWidth::Block => self.targets(line.mark, at, &named, &unread),
            };
            painter.paint(line.mark, Arc::clone(&line.shape), None, &targets);
            painter.switch.may_use |= self.may_use(line.mark, at);
            // Where no port is known at all, any line may be the one that tells of them; and so may one that names a port which
            // nothing else does.
            if self.switch.ports.is_empty() || self.may_declare(line.mark, at) || self.names_another_port(&named) {
                painter.may_tell_of_more_ports();
            }
        }
        painter.doubts.reverse();
        for (mark, torn) in &self.switch.torn {
            let targets = match torn {
                Torn::Line => self.last_words(*mark),
                // Ports that nobody knows of are missing; those that are there are what they are.
                Torn::Range | Torn::Ports => Vec::new(),
                _ => everywhere(Layer::Torn),
            };
            painter.paint(*mark, torn.says().into(), Some(*torn), &targets);
            if !matches!(torn, Torn::Line) {
                painter.may_tell_of_more_ports();
            }
        }
        for dangling in &self.switch.dangling {
            let Some(mark) = dangling.mark else { continue };
            let place = Place::Ports(dangling.ports.as_slice().into());
            let target = Target { place, settings: SettingSet::of(Scope::Port), layer: Layer::Profile };
            let shape = format!("the {} {}, described nowhere", dangling.what, dangling.name);
            painter.paint(mark, shape.into(), Some(Torn::Dangling), &[target]);
        }
        of_state(self.switch, painter);
    }

    /// What an unread line could have said.
    fn targets(&mut self, mark: Mark, at: UnreadAt, named: &Named, unread: &[&Unread]) -> Vec<Target> {
        let ports = self.positions(&named.ports);
        let mut targets = Vec::new();
        // A line of a rule that nobody has filled in is about what its rule, or the block around it, is about.
        let at = match at {
            UnreadAt::Open(context, statement) => UnreadAt::Context(context, Some(statement)),
            other => other,
        };
        match at {
            UnreadAt::Context(context, opener) => {
                let alike = self.alike(mark, context);
                let (subject, captured) = self.subject_of(&alike, opener);
                targets.extend(self.by_rules(&alike, subject.is_some(), &ports, &named.vlans));
                // Where titles end sections, it may be a title that is bent, or stand under one.
                if self.dialect.layout().structure == Structure::Sections {
                    targets.extend(spread(self.anywhere(mark), &ports, &named.vlans, Layer::Own));
                }
                match subject {
                    Some(subject) => {
                        let mut block = self.block(subject, &captured, alike.context);
                        if self.width == DoubtWidth::Near {
                            let near = self.settings_of(&alike.rules);
                            block.iter_mut().for_each(|target| target.settings = target.settings.common(near));
                        }
                        targets.extend(block);
                    }
                    // A block of no port and no VLAN: what its rules can change.
                    None if alike.context != 0 && self.width == DoubtWidth::Block => {
                        targets.extend(spread(self.context(alike.context), &ports, &named.vlans, Layer::Own));
                    }
                    None => {}
                }
            }
            UnreadAt::Statement(statement) => {
                let subject = self.history.reading.subject(self.dialect, statement as usize);
                if let Some((position, subject)) = subject {
                    let captured = self.captured(position, subject);
                    targets.extend(self.block(subject, &captured, 0));
                }
            }
            UnreadAt::Unread(opener) => targets.extend(self.below(mark, opener, &ports, &named.vlans, unread)),
            UnreadAt::Open(..) => {}
        }
        if self.width == DoubtWidth::Block || !targets.is_empty() {
            if !ports.is_empty() {
                targets.push(Target {
                    place: Place::Ports(ports),
                    settings: SettingSet::of(Scope::Port),
                    layer: Layer::Own,
                });
            }
            if !named.vlans.is_empty() {
                let place = Place::Vlans(named.vlans.clone());
                targets.push(Target { place, settings: SettingSet::of(Scope::Vlan), layer: Layer::Own });
            }
        }
        targets
    }

    /// Whether a line begins like one that uses something by name, or leads into a block where such lines stand.
    fn may_use(&self, mark: Mark, at: UnreadAt) -> bool {
        self.may(mark, at, |rule| rule.uses.is_some() || rule.used_by.is_some())
    }

    /// Whether a line begins like one that says which ports there are, or leads into a block where such lines stand.
    fn may_declare(&self, mark: Mark, at: UnreadAt) -> bool {
        self.may(mark, at, |rule| rule.declares.is_some())
    }

    /// Whether a line names a port that no line names which is understood.
    fn names_another_port(&self, named: &Named) -> bool {
        named.ports.iter().any(|item| !self.history.ports.knows(item))
    }

    fn may(&self, mark: Mark, at: UnreadAt, uses: impl Fn(&Rule) -> bool) -> bool {
        let rules = self.dialect.rules();
        let anywhere = rules.iter().any(&uses);
        if !anywhere || self.width == DoubtWidth::Switch {
            return anywhere;
        }
        let in_context = |context: usize| rules.iter().any(|rule| uses(rule) && rule.contexts.contains(&context));
        // Where titles end sections, a line may stand under one that is lost.
        let contexts = match at.context().filter(|_| self.dialect.layout().structure != Structure::Sections) {
            Some(context) => context..context + 1,
            None => 0..self.dialect.contexts().len(),
        };
        let fits = |rule: &Rule| uses(rule) || rule.opens.is_some_and(in_context);
        let fits = |number: &u32| rules.get(*number as usize).is_some_and(fits);
        contexts.into_iter().any(|context| self.alike(mark, context).rules.iter().any(fits))
    }

    fn is_defined(&self, vlan: VlanId) -> bool {
        let defined = self.switch.slot(None, settings::VLANS.id).value.as_ref();
        matches!(defined, Some(Value::Vlans(set)) if set.contains(vlan))
    }

    fn context(&self, context: usize) -> SettingSet {
        self.of_context.get(context).copied().unwrap_or_default()
    }

    /// What an unread line in the block of another could have said: what any rule could that fits it or begins like it, on
    /// the ports and VLANs that the opener names, or on all of them.
    fn below(&self, mark: Mark, opener: u32, ports: &[usize], vlans: &[VlanId], unread: &[&Unread]) -> Vec<Target> {
        let mut ports = ports.to_vec();
        let mut vlans = vlans.to_vec();
        let mut outer = Some(opener);
        // Openers within openers, outwards.
        for _ in 0..unread.len() {
            let Some(position) = outer else { break };
            let Some(line) = unread.get(position as usize) else { break };
            let named = self.dialect.named(self.text, line.mark, |vlan| self.is_defined(vlan));
            ports.extend_from_slice(&self.positions(&named.ports));
            vlans.extend(named.vlans);
            outer = match self.history.reading.unread_at.get(position as usize) {
                Some(UnreadAt::Unread(further)) => Some(*further),
                _ => None,
            };
        }
        ports.sort_unstable();
        ports.dedup();
        let mut targets: Vec<Target> = spread(self.anywhere(mark), &ports, &vlans, Layer::Own).collect();
        if !ports.is_empty() {
            targets.push(Target {
                place: Place::Ports(ports.into()),
                settings: SettingSet::of(Scope::Port),
                layer: Layer::Own,
            });
        }
        targets
    }

    /// What a line could have said wherever it stands: what any rule could that fits it or begins like it.
    fn anywhere(&self, mark: Mark) -> SettingSet {
        let alike = |context: usize| self.settings_of(&self.alike(mark, context).rules);
        (0..self.dialect.contexts().len()).map(alike).fold(SettingSet::default(), SettingSet::union)
    }

    /// Every setting that rules change, and those in what they open.
    fn settings_of(&self, rules: &[u32]) -> SettingSet {
        let mut set = SettingSet::default();
        for rule in rules.iter().filter_map(|rule| self.dialect.rules().get(*rule as usize)) {
            set = set.union(rule.effects.iter().map(|effect| effect.setting).collect());
            if let Some(context) = rule.opens {
                set = set.union(self.context(context));
            }
            if rule.uses.is_some() || rule.used_by.is_some() {
                set = set.union(SettingSet::of(Scope::Port));
            }
        }
        set
    }

    /// What rules that begin alike would have set, each where its subject is. `in_block`: those that name none themselves
    /// speak of what the block is about.
    fn by_rules(&self, alike: &Alike, in_block: bool, ports: &[usize], vlans: &[VlanId]) -> Vec<Target> {
        let mut targets = Vec::new();
        for number in &alike.rules {
            let Some(rule) = self.dialect.rules().get(*number as usize) else { continue };
            let set = self.settings_of(&[*number]);
            // What it says beside the block's subject.
            let beside = rule.effects.iter().filter(|effect| effect.about.is_some());
            let beside: SettingSet = beside.map(|effect| effect.setting).collect();
            match &rule.subject {
                None if in_block => {
                    let of_switch = set.common(SettingSet::of(Scope::Switch));
                    targets.extend(spread(of_switch.union(beside), ports, vlans, Layer::Own));
                }
                Some(Subject::Reach(_)) => {
                    targets.extend(spread(set, &[], vlans, Layer::Global));
                    targets.extend(spread(beside, ports, vlans, Layer::Own));
                }
                _ => targets.extend(spread(set, ports, vlans, Layer::Own)),
            }
        }
        targets
    }

    /// The subject of the line's own path, or of the block it stands in, with what its hole took.
    fn subject_of(&self, alike: &Alike, opener: Option<u32>) -> (Option<&'a Subject>, Captured) {
        let rules = self.dialect.rules();
        let own = alike.openers.iter().rev().find_map(|(number, captures)| {
            let subject = rules.get(*number as usize)?.subject.as_ref()?;
            let hole = match subject.hole()? {
                HoleRef::Own(position) => captures.get(*position).cloned(),
                HoleRef::Outer(_) => None,
            };
            Some((subject, hole.unwrap_or(Captured::Absent)))
        });
        if let Some((subject, captured)) = own {
            return (Some(subject), captured);
        }
        let reading = &self.history.reading;
        match opener.and_then(|opener| reading.subject(self.dialect, opener as usize)) {
            Some((position, subject)) => (Some(subject), self.captured(position, subject)),
            None => (None, Captured::Absent),
        }
    }

    fn captured(&self, position: usize, subject: &Subject) -> Captured {
        let reading = &self.history.reading;
        let captured = reading
            .statements
            .get(position)
            .zip(subject.hole())
            .map(|(statement, hole)| reading.captured(self.dialect, statement, hole).clone());
        captured.unwrap_or(Captured::Absent)
    }

    /// Everything that a block is about.
    fn block(&mut self, subject: &Subject, captured: &Captured, context: usize) -> Vec<Target> {
        let context = self.context(context);
        let switch = context.common(SettingSet::of(Scope::Switch));
        let switch = Target { place: Place::Switch, settings: switch, layer: Layer::Global };
        let mut targets = vec![switch];
        match subject {
            Subject::Ports(_) => {
                let ports = self.ports(captured);
                targets.push(Target {
                    place: Place::Ports(ports),
                    settings: SettingSet::of(Scope::Port),
                    layer: Layer::Own,
                });
            }
            Subject::Reach(Reach::AllVlans) => {
                targets.push(Target {
                    place: Place::Vlans(Vec::new()),
                    settings: SettingSet::of(Scope::Vlan),
                    layer: Layer::Global,
                });
            }
            Subject::Reach(_) => {
                targets.push(Target {
                    place: Place::AllPorts,
                    settings: SettingSet::of(Scope::Port),
                    layer: Layer::Global,
                });
            }
            Subject::Vlan(_) => {
                let vlans = vlans_of(captured);
                let ports = self.ports_in(&vlans);
                targets.push(Target {
                    place: Place::Vlans(vlans),
                    settings: SettingSet::of(Scope::Vlan),
                    layer: Layer::Own,
                });
                let settings = SettingSet::of(Scope::Port).without(OF_THE_LINK.into_iter().collect());
                targets.push(Target { place: Place::Ports(ports.into()), settings, layer: Layer::Own });
            }
            Subject::Profile(profile) => {
                let name = self.name_of(captured).map(|name| (Arc::clone(&profile.kind), name));
                let ports = name.map(|name| self.users_of(&name)).unwrap_or_default();
                let place = Place::Ports(ports.into());
                targets.push(Target { place, settings: SettingSet::of(Scope::Port), layer: Layer::Profile });
            }
            Subject::Mirror(_) => {
                let place = Place::Mirror(self.name_of(captured));
                targets.push(Target { place, settings: SettingSet::of(Scope::Mirror), layer: Layer::Own });
            }
        }
        targets
    }

    /// The positions of the ports of a list.
    fn positions(&self, items: &[PortItem]) -> Arc<[usize]> {
        if let Some(known) = self.lists.borrow().get(items) {
            return Arc::clone(known);
        }
        let found: Arc<[usize]> = self.history.ports.positions(items).into();
        self.lists.borrow_mut().insert(items.to_vec(), Arc::clone(&found));
        found
    }

    fn name_of(&self, captured: &Captured) -> Option<Arc<str>> {
        match captured {
            Captured::Text(word) => Some(word.of(self.text).into()),
            Captured::Int(number) => Some(number.to_string().into()),
            _ => None,
        }
    }

    fn ports(&self, captured: &Captured) -> Arc<[usize]> {
        match captured {
            Captured::Ports(items) => self.positions(items),
            _ => Arc::default(),
        }
    }

    /// The ports that use one of the VLANs, in the mode in force.
    fn ports_in(&self, vlans: &[VlanId]) -> Vec<usize> {
        const UNTAGGED: [SettingId; 2] = [settings::ACCESS_VLAN.id, settings::VOICE_VLAN.id];
        const TRUNK: [SettingId; 2] = [settings::NATIVE_VLAN.id, settings::TAGGED_VLANS.id];
        let carries = |port: usize, ids: [SettingId; 2]| {
            ids.into_iter().any(|id| match &self.switch.slot(Some(port), id).value {
                Some(Value::Vlan(Some(vlan))) => vlans.contains(vlan),
                Some(Value::Vlans(set)) => vlans.iter().any(|vlan| set.contains(*vlan)),
                _ => false,
            })
        };
        let uses = |port: &usize| match self.switch.setting(Some(*port), settings::MODE).value {
            Some(Mode::Access) => carries(*port, UNTAGGED),
            Some(Mode::Trunk) => carries(*port, TRUNK),
            Some(Mode::Negotiated) | None => carries(*port, UNTAGGED) || carries(*port, TRUNK),
        };
        (0..self.switch.ports.len()).filter(uses).collect()
    }

    /// The ports that use a profile, also through others that build on it.
    fn users_of(&mut self, name: &ProfileName) -> Vec<usize> {
        let History { dialect, source, reading, ports, .. } = self.history;
        let written = self.written.get_or_insert_with(|| Applier::new(dialect, source, reading, ports, None).run());
        let mut names = vec![name.clone()];
        let mut at = 0;
        while let Some(name) = names.get(at).cloned() {
            at += 1;
            let building = written.profiles.iter().filter(|(_, profile)| profile.on.contains(&name));
            let more: Vec<ProfileName> = building.map(|(n, _)| n.clone()).filter(|n| !names.contains(n)).collect();
            names.extend(more);
        }
        let uses = written.uses.iter().filter(|(_, used)| used.iter().any(|n| names.contains(n)));
        uses.map(|(port, _)| *port).collect()
    }

    /// What the last statement of a text sets whose last word may be cut.
    fn last_words(&mut self, mark: Mark) -> Vec<Target> {
        let reading = &self.history.reading;
        let last = reading.statements.iter().enumerate().next_back().filter(|(_, statement)| statement.mark == mark);
        let Some((position, statement)) = last else { return Vec::new() };
        let set = self.settings_of(&[statement.rule]);
        let mut targets = match reading.subject(self.dialect, position) {
            Some((at, subject)) => {
                let captured = self.captured(at, subject);
                self.block(subject, &captured, 0)
            }
            None => spread(set, &[], &[], Layer::Torn).collect(),
        };
        let rule = self.dialect.rules().get(statement.rule as usize);
        for subject in rule.iter().flat_map(|rule| &rule.effects).filter_map(|effect| effect.about.as_ref()) {
            let captured = self.captured(position, subject);
            targets.extend(self.block(subject, &captured, 0));
        }
        for target in &mut targets {
            target.settings = target.settings.common(set);
            target.layer = Layer::Torn;
        }
        targets
    }
}

fn vlans_of(captured: &Captured) -> Vec<VlanId> {
    match captured {
        Captured::Vlan(vlan) => vec![*vlan],
        Captured::Vlans(set) => set.iter().collect(),
        _ => Vec::new(),
    }
}

/// What lines of state that nobody understands could have told, and decided.
pub(super) fn of_state(switch: &Switch, painter: &mut Painter) {
    for told in &switch.unread_facts {
        if let Some(kind) = told.kind {
            painter.doubt_facts(kind, told.mark, Arc::clone(&told.shape), told.port);
        }
        if !told.settings.is_empty() {
            let ports: Vec<usize> = told.port.into_iter().collect();
            let targets: Vec<Target> = spread(told.settings, &ports, &[], Layer::State).collect();
            painter.paint(told.mark, Arc::clone(&told.shape), None, &targets);
        }
    }
}
