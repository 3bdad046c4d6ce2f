//! What is doubtful on a switch: for each line that nobody reads, and each place where its text is torn, the settings and
//! facts it could have told. The switch comes back with all of them unknown; what a check still says then holds whatever
//! those lines mean.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::apply::{Applier, ProfileName, Written, is_unset};
use super::{CONFIG_FILE, History, Resolved};
use crate::dialect::{Alike, Captured, Change, Dialect, HoleRef, PortItem, Reach, Subject, UnreadAt};
use crate::model::{
    Doubt, DoubtWidth, Mark, Mode, Origin, Scope, SettingId, SettingSet, Slot, Switch, Torn, Unread, Value, VlanId, platform,
    settings,
};

/// A switch with what is doubtful about it unknown.
#[derive(Debug, Clone)]
pub struct Doubtful {
    /// The switch.
    pub resolved: Resolved,
    /// The lines that make it so, in the order of the text.
    pub doubts: Vec<Doubt>,
}

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

/// How a line would have spoken: what was written in a stronger way, or later in the same, stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Layer {
    /// Of a port itself.
    Own,
    /// Of a profile that it uses.
    Profile,
    /// As a default, or of the switch.
    Global,
    /// Nothing stands against it: the text is torn.
    Torn,
}

/// What some line could have changed.
#[derive(Debug, Clone)]
struct Target {
    place: Place,
    settings: SettingSet,
    layer: Layer,
}

#[derive(Debug, Clone, PartialEq)]
enum Place {
    Switch,
    AllPorts,
    Ports(Vec<usize>),
    /// Every VLAN where none is named.
    Vlans(Vec<VlanId>),
    /// Every session, and one that nobody sees, where none is named.
    Mirror(Option<Arc<str>>),
}

impl Resolved {
    /// The switch as it is known for certain; `None` where all of its texts were understood.
    pub fn doubtful(&self, width: DoubtWidth) -> Option<Doubtful> {
        let Switch { unread, torn, dangling, unread_facts, told_doubts, .. } = &self.switch;
        if unread.is_empty() && torn.is_empty() && dangling.is_empty() && unread_facts.is_empty() {
            return None;
        }
        let mut painter = Painter { switch: self.switch.clone(), doubts: Vec::new() };
        match &self.history {
            Some(history) => Finder::new(history, &self.switch, width).all(&mut painter),
            None if width != DoubtWidth::Switch && told_doubts.is_some() => {
                painter.told(told_doubts.as_deref().unwrap_or_default());
            }
            // A record that tells its unread lines, and no more of them.
            None => {
                let torn = torn.iter().map(|(mark, torn)| (*mark, torn.says().into()));
                painter.everything(unread.iter().map(|unread| (unread.mark, Arc::clone(&unread.shape))).chain(torn));
            }
        }
        painter.follow_membership();
        if let Some(history) = &self.history {
            painter.follow_reach(history);
        }
        let Painter { switch, doubts } = painter;
        let changed = doubts.iter().any(|d| !d.settings.is_empty() || d.fact.is_some());
        changed.then(|| Doubtful { resolved: Resolved { switch, history: self.history.clone() }, doubts })
    }
}

/// Finds what lines could have said.
struct Finder<'a> {
    history: &'a History,
    dialect: &'a Dialect,
    text: &'a str,
    switch: &'a Switch,
    width: DoubtWidth,
    /// By context, every setting that a rule in it or in what it opens can change.
    of_context: Vec<SettingSet>,
    /// Who uses which profile; made when it is first asked for.
    written: Option<Written>,
}

impl<'a> Finder<'a> {
    fn new(history: &'a History, switch: &'a Switch, width: DoubtWidth) -> Self {
        let dialect = &*history.dialect;
        Self {
            history,
            dialect,
            text: history.source.text(),
            switch,
            width,
            of_context: of_contexts(dialect),
            written: None,
        }
    }

    fn all(&mut self, painter: &mut Painter) {
        let reading = &self.history.reading;
        let of_config = |unread: &&Unread| unread.mark.file == CONFIG_FILE;
        let unread: Vec<&Unread> = self.switch.unread.iter().filter(of_config).collect();
        for (position, line) in unread.iter().enumerate() {
            let at = reading.unread_at.get(position).copied().unwrap_or(UnreadAt::Context(0, None));
            let targets = match self.width {
                DoubtWidth::Switch => everywhere(Layer::Torn),
                DoubtWidth::Near | DoubtWidth::Block => self.targets(line.mark, at, &unread),
            };
            painter.paint(line.mark, Arc::clone(&line.shape), None, &targets);
            painter.switch.may_use |= self.may_use(line.mark, at);
        }
        for (mark, torn) in &self.switch.torn {
            let targets = match torn {
                Torn::Line => self.last_words(*mark),
                // Ports that nobody knows of are missing; those that are there are what they are.
                Torn::Range | Torn::Ports => Vec::new(),
                _ => everywhere(Layer::Torn),
            };
            painter.paint(*mark, torn.says().into(), Some(*torn), &targets);
        }
        for dangling in &self.switch.dangling {
            let Some(mark) = dangling.mark else { continue };
            let place = Place::Ports(dangling.ports.clone());
            let target = Target { place, settings: of(Scope::Port), layer: Layer::Profile };
            let shape = format!("the {} {}, described nowhere", dangling.what, dangling.name);
            painter.paint(mark, shape.into(), Some(Torn::Dangling), &[target]);
        }
        for told in &self.switch.unread_facts {
            painter.doubt_facts(told.kind, told.mark, Arc::clone(&told.shape), told.port);
        }
    }

    /// What an unread line could have said.
    fn targets(&mut self, mark: Mark, at: UnreadAt, unread: &[&Unread]) -> Vec<Target> {
        let named = self.dialect.named(self.text, mark, |vlan| self.is_defined(vlan));
        let ports = self.history.ports.positions(&named.ports);
        let mut targets = Vec::new();
        match at {
            UnreadAt::Context(context, opener) => {
                let alike = self.dialect.alike(self.text, mark, context);
                let (subject, captured) = self.subject_of(&alike, opener);
                targets.extend(self.by_rules(&alike, subject.is_some(), &ports, &named.vlans));
                match subject {
                    Some(subject) => {
                        let mut block = self.block(subject, captured, alike.context);
                        if self.width == DoubtWidth::Near {
                            let near = self.settings_of(&alike.rules);
                            let common = |set: SettingSet| SettingSet::where_(|id| set.contains(id) && near.contains(id));
                            block.iter_mut().for_each(|target| target.settings = common(target.settings));
                        }
                        targets.extend(block);
                    }
                    // A block of no port and no VLAN: what its rules can change.
                    None if alike.context != 0 && self.width == DoubtWidth::Block => {
                        targets.extend(self.spread(self.context(alike.context), &ports, &named.vlans));
                    }
                    None => {}
                }
            }
            UnreadAt::Statement(statement) => {
                let subject = self.history.reading.subject(self.dialect, statement as usize);
                if let Some((position, subject)) = subject {
                    let captured = self.captured(position, subject);
                    targets.extend(self.block(subject, captured, 0));
                }
            }
            UnreadAt::Unread(opener) => targets.extend(self.below(mark, opener, &ports, &named.vlans, unread)),
        }
        if self.width == DoubtWidth::Block || !targets.is_empty() {
            if !ports.is_empty() {
                targets.push(Target { place: Place::Ports(ports), settings: of(Scope::Port), layer: Layer::Own });
            }
            if !named.vlans.is_empty() {
                targets.push(Target { place: Place::Vlans(named.vlans), settings: of(Scope::Vlan), layer: Layer::Own });
            }
        }
        targets
    }

    /// Whether a line begins like one that uses something by name, or leads into a block where such lines stand.
    fn may_use(&self, mark: Mark, at: UnreadAt) -> bool {
        let rules = self.dialect.rules();
        let uses = |rule: &crate::dialect::Rule| rule.uses.is_some() || rule.used_by.is_some();
        let in_context = |context: usize| rules.iter().any(|rule| uses(rule) && rule.contexts.contains(&context));
        let contexts = match at {
            UnreadAt::Context(context, _) => vec![context],
            UnreadAt::Statement(_) | UnreadAt::Unread(_) => (0..self.dialect.contexts().len()).collect(),
        };
        let alike = contexts.into_iter().flat_map(|context| self.dialect.alike(self.text, mark, context).rules);
        let mut alike = alike.filter_map(|rule| rules.get(rule as usize));
        alike.any(|rule| uses(rule) || rule.opens.is_some_and(in_context))
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
    fn below(
        &self,
        mark: Mark,
        opener: u32,
        ports: &[usize],
        vlans: &[VlanId],
        unread: &[&Unread],
    ) -> Vec<Target> {
        let mut ports = ports.to_vec();
        let mut vlans = vlans.to_vec();
        let mut outer = Some(opener);
        // Openers within openers, outwards.
        for _ in 0..unread.len() {
            let Some(position) = outer else { break };
            let Some(line) = unread.get(position as usize) else { break };
            let named = self.dialect.named(self.text, line.mark, |vlan| self.is_defined(vlan));
            ports.extend(self.history.ports.positions(&named.ports));
            vlans.extend(named.vlans);
            outer = match self.history.reading.unread_at.get(position as usize) {
                Some(UnreadAt::Unread(further)) => Some(*further),
                _ => None,
            };
        }
        ports.sort_unstable();
        ports.dedup();
        let mut settings = SettingSet::default();
        for context in 0..self.dialect.contexts().len() {
            let alike = self.dialect.alike(self.text, mark, context);
            settings = settings.union(self.settings_of(&alike.rules));
        }
        let mut targets = self.spread(settings, &ports, &vlans);
        if !ports.is_empty() {
            targets.push(Target { place: Place::Ports(ports), settings: of(Scope::Port), layer: Layer::Own });
        }
        targets
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
                set = set.union(of(Scope::Port));
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
            match &rule.subject {
                None if in_block => {
                    let of_switch = SettingSet::where_(|id| set.contains(id) && id.info().scope == Scope::Switch);
                    targets.extend(self.spread(of_switch, &[], &[]));
                }
                Some(Subject::Reach(_)) => targets.extend(self.spread_as(set, &[], vlans, Layer::Global)),
                _ => targets.extend(self.spread(set, ports, vlans)),
            }
        }
        targets
    }

    /// The subject of the line's own path, or of the block it stands in, with what its hole took.
    fn subject_of(&self, alike: &Alike, opener: Option<u32>) -> (Option<&'a Subject>, Captured) {
        let rules = self.dialect.rules();
        let own = alike.openers.iter().rev().find_map(|(number, captures)| {
            let subject = rules.get(*number as usize)?.subject.as_ref()?;
            let hole = match hole_of(subject)? {
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
            .zip(hole_of(subject))
            .map(|(statement, hole)| reading.captured(self.dialect, statement, hole).clone());
        captured.unwrap_or(Captured::Absent)
    }

    /// Everything that a block is about.
    fn block(&mut self, subject: &Subject, captured: Captured, context: usize) -> Vec<Target> {
        let context = self.context(context);
        let beside = |scope: Scope| SettingSet::where_(|id| context.contains(id) && id.info().scope == scope);
        let switch = Target { place: Place::Switch, settings: beside(Scope::Switch), layer: Layer::Global };
        let mut targets = vec![switch];
        match subject {
            Subject::Ports(_) => {
                let ports = self.ports(&captured);
                targets.push(Target { place: Place::Ports(ports), settings: of(Scope::Port), layer: Layer::Own });
            }
            Subject::Reach(Reach::AllVlans) => {
                targets.push(Target { place: Place::Vlans(Vec::new()), settings: of(Scope::Vlan), layer: Layer::Global });
            }
            Subject::Reach(_) => {
                targets.push(Target { place: Place::AllPorts, settings: of(Scope::Port), layer: Layer::Global });
            }
            Subject::Vlan(_) => {
                let vlans = vlans_of(&captured);
                let ports = self.ports_in(&vlans);
                targets.push(Target { place: Place::Vlans(vlans), settings: of(Scope::Vlan), layer: Layer::Own });
                let settings = SettingSet::where_(|id| id.info().scope == Scope::Port && !OF_THE_LINK.contains(&id));
                targets.push(Target { place: Place::Ports(ports), settings, layer: Layer::Own });
            }
            Subject::Profile(profile) => {
                let name = self.name_of(&captured).map(|name| (Arc::clone(&profile.kind), name));
                let ports = name.map(|name| self.users_of(&name)).unwrap_or_default();
                targets.push(Target { place: Place::Ports(ports), settings: of(Scope::Port), layer: Layer::Profile });
            }
            Subject::Mirror(_) => {
                let place = Place::Mirror(self.name_of(&captured));
                targets.push(Target { place, settings: of(Scope::Mirror), layer: Layer::Own });
            }
        }
        targets
    }

    fn name_of(&self, captured: &Captured) -> Option<Arc<str>> {
        match captured {
            Captured::Text(word) => Some(word.of(self.text).into()),
            Captured::Int(number) => Some(number.to_string().into()),
            _ => None,
        }
    }

    fn ports(&self, captured: &Captured) -> Vec<usize> {
        match captured {
            Captured::Ports(items) => self.history.ports.positions(items),
            _ => Vec::new(),
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

    /// Settings of all scopes, on the ports and VLANs that are named or else on all.
    fn spread(&self, settings: SettingSet, ports: &[usize], vlans: &[VlanId]) -> Vec<Target> {
        self.spread_as(settings, ports, vlans, Layer::Own)
    }

    fn spread_as(&self, settings: SettingSet, ports: &[usize], vlans: &[VlanId], layer: Layer) -> Vec<Target> {
        let scoped = |scope: Scope| SettingSet::where_(|id| settings.contains(id) && id.info().scope == scope);
        let of_ports = if ports.is_empty() { Place::AllPorts } else { Place::Ports(ports.to_vec()) };
        [
            Target { place: Place::Switch, settings: scoped(Scope::Switch), layer: Layer::Global },
            Target { place: of_ports, settings: scoped(Scope::Port), layer },
            Target { place: Place::Vlans(vlans.to_vec()), settings: scoped(Scope::Vlan), layer },
            Target { place: Place::Mirror(None), settings: scoped(Scope::Mirror), layer },
        ]
        .into_iter()
        .filter(|target| !target.settings.is_empty())
        .collect()
    }

    /// What the last statement of a text sets whose last word may be cut.
    fn last_words(&mut self, mark: Mark) -> Vec<Target> {
        let reading = &self.history.reading;
        let Some((position, statement)) = reading.statements.iter().enumerate().next_back() else { return Vec::new() };
        let Some(rule) = self.dialect.rules().get(statement.rule as usize) else { return Vec::new() };
        if statement.mark != mark {
            return Vec::new();
        }
        let set = self.settings_of(&[statement.rule]);
        let ports = match reading.subject(self.dialect, position) {
            Some((at, subject @ Subject::Ports(_))) => self.ports(&self.captured(at, subject)),
            Some((_, Subject::Profile(_))) => {
                let at = reading.subject(self.dialect, position).map(|(at, _)| at).unwrap_or_default();
                let Some(subject) = rule.subject.as_ref().or_else(|| Some(reading.subject(self.dialect, position)?.1))
                else {
                    return Vec::new();
                };
                let captured = self.captured(at, subject);
                let targets = self.block(subject, captured, 0);
                let users = targets.into_iter().find_map(|target| match target.place {
                    Place::Ports(ports) => Some(ports),
                    _ => None,
                });
                users.unwrap_or_default()
            }
            _ => Vec::new(),
        };
        let set = if set.is_empty() { SettingSet::default() } else { set };
        self.spread_as(set, &ports, &[], Layer::Torn)
    }
}

fn hole_of(subject: &Subject) -> Option<&HoleRef> {
    match subject {
        Subject::Ports(hole) | Subject::Vlan(hole) | Subject::Mirror(hole) => Some(hole),
        Subject::Profile(profile) => Some(&profile.name),
        Subject::Reach(_) => None,
    }
}

fn vlans_of(captured: &Captured) -> Vec<VlanId> {
    match captured {
        Captured::Vlan(vlan) => vec![*vlan],
        Captured::Vlans(set) => set.iter().collect(),
        _ => Vec::new(),
    }
}

fn of(scope: Scope) -> SettingSet {
    SettingSet::where_(|id| id.info().scope == scope)
}

fn everywhere(layer: Layer) -> Vec<Target> {
    vec![
        Target { place: Place::Switch, settings: of(Scope::Switch), layer },
        Target { place: Place::AllPorts, settings: of(Scope::Port), layer },
        Target { place: Place::Vlans(Vec::new()), settings: of(Scope::Vlan), layer },
        Target { place: Place::Mirror(None), settings: of(Scope::Mirror), layer },
    ]
}

/// By context, every setting that a rule in it or in what it opens can change.
fn of_contexts(dialect: &Dialect) -> Vec<SettingSet> {
    let mut sets = vec![SettingSet::default(); dialect.contexts().len()];
    // As often as contexts can nest within each other.
    for _ in 0..=sets.len().min(16) {
        for rule in dialect.rules() {
            let mut own: SettingSet = rule.effects.iter().map(|effect| effect.setting).collect();
            if rule.uses.is_some() {
                own = own.union(of(Scope::Port));
            }
            if let Some(inside) = rule.opens.and_then(|context| sets.get(context)) {
                own = own.union(*inside);
            }
            for context in &rule.contexts {
                if let Some(set) = sets.get_mut(*context) {
                    *set = set.union(own);
                }
            }
        }
    }
    sets
}

/// Makes doubtful settings unknown, and keeps by which line.
struct Painter {
    switch: Switch,
    doubts: Vec<Doubt>,
}

impl Painter {
    /// Everything, by lines of which no more is known.
    fn everything(&mut self, lines: impl Iterator<Item = (Mark, Arc<str>)>) {
        for (mark, shape) in lines {
            self.paint(mark, shape, None, &everywhere(Layer::Torn));
        }
    }

    /// What a record says is doubtful.
    fn told(&mut self, doubts: &[Doubt]) {
        for doubt in doubts {
            let scoped = |scope: Scope| SettingSet::where_(|id| doubt.settings.contains(id) && id.info().scope == scope);
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
        }
    }

    fn paint(&mut self, mark: Mark, shape: Arc<str>, torn: Option<Torn>, targets: &[Target]) {
        let mut settings = SettingSet::default();
        let mut ports: Vec<usize> = Vec::new();
        let mut whole = false;
        for target in targets {
            let painted = match &target.place {
                Place::Switch => {
                    whole |= target.settings.iter().fold(false, |any, id| self.switch_slot(id, mark, target.layer) || any);
                    whole
                }
                Place::AllPorts => {
                    let all: Vec<usize> = (0..self.switch.ports.len()).collect();
                    let painted = self.ports(&all, target, mark);
                    let any = !painted.is_empty();
                    ports.extend(painted);
                    any
                }
                Place::Ports(these) => {
                    let painted = self.ports(these, target, mark);
                    let any = !painted.is_empty();
                    ports.extend(painted);
                    any
                }
                Place::Vlans(vlans) => {
                    self.vlans(vlans, target, mark);
                    whole = true;
                    true
                }
                Place::Mirror(session) => {
                    self.mirror(session.as_ref(), target);
                    whole = true;
                    true
                }
            };
            if painted {
                settings = settings.union(target.settings);
            }
        }
        ports.sort_unstable();
        ports.dedup();
        let ports = if whole { None } else { Some(ports) };
        self.doubts.push(Doubt { mark, shape, torn, ports, settings, fact: None });
    }

    /// Where membership makes a port a trunk, its mode is as doubtful as its VLANs.
    fn follow_membership(&mut self) {
        if self.switch.traits.holds(platform::MODE_FROM, "membership") != Some(true) {
            return;
        }
        const MEMBERSHIP: [SettingId; 3] =
            [settings::TAGGED_VLANS.id, settings::VOICE_VLAN.id, settings::ACCESS_VLAN.id];
        for port in 0..self.switch.ports.len() {
            let doubtful = |id: &SettingId| self.switch.port_slots.get(port, *id).is_some_and(Slot::is_doubtful);
            if MEMBERSHIP.iter().any(doubtful) {
                self.switch.port_slots.set(port, settings::MODE.id, Slot::DOUBTFUL);
            }
        }
    }

    /// How far a global default reaches hangs on the mode of a port, or on its fast start: what it would have said is as
    /// doubtful as those.
    fn follow_reach(&mut self, history: &History) {
        let History { dialect, source, reading, ports, .. } = history;
        let written = Applier::new(dialect, source, reading, ports, None).run();
        for id in SettingId::of(Scope::Port) {
            let reaches: Vec<Reach> = written.globals[id.slot()].iter().map(|global| global.reach).collect();
            let by_mode = reaches.iter().any(|reach| matches!(reach, Reach::AccessPorts | Reach::TrunkPorts));
            let by_edge = reaches.contains(&Reach::EdgePorts);
            for port in 0..self.switch.ports.len() {
                let doubtful =
                    |id: SettingId| self.switch.port_slots.get(port, id).is_some_and(Slot::is_doubtful);
                let open = (by_mode || by_edge) && doubtful(settings::MODE.id)
                    || by_edge && doubtful(settings::FAST_START.id);
                let own = self.switch.port_slots.get(port, id).is_some_and(|slot| {
                    matches!(slot.origin, Origin::Port | Origin::Range | Origin::Vlan | Origin::Profile)
                });
                if open && !own {
                    self.switch.port_slots.set(port, id, Slot::DOUBTFUL);
                }
            }
        }
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
                if is_unset(slot) {
                    self.switch.port_slots.set(port, id, Slot::DOUBTFUL);
                    any = true;
                    continue;
                }
                if !stands(slot, id, mark, target.layer) {
                    self.switch.port_slots.set(port, id, Slot::DOUBTFUL);
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
        let unknown: BTreeMap<SettingId, Slot> = SettingId::of(Scope::Mirror).map(|id| (id, Slot::DOUBTFUL)).collect();
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

    fn doubt_facts(&mut self, kind: crate::model::FactKind, mark: Mark, shape: Arc<str>, port: Option<usize>) {
        self.switch.doubted_facts.push((kind, port));
        let ports = port.map(|port| vec![port]);
        let settings = SettingSet::default();
        self.doubts.push(Doubt { mark, shape, torn: None, ports, settings, fact: Some(kind) });
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
        Layer::Own => own && later && !is_list,
        Layer::Profile => own && !is_list,
        Layer::Global => {
            let stronger = id.info().scope == Scope::Port && (own || slot.origin == Origin::Profile);
            !is_list && (stronger || later && matches!(slot.origin, Origin::Global | Origin::Vlan))
        }
    }
}

/// The ports that an unread line names where a rule that it begins like would name them: they exist, though nothing else says so.
pub(super) fn ports_of_unread(dialect: &Dialect, text: &str, mark: Mark, context: usize) -> Vec<PortItem> {
    let alike = dialect.alike(text, mark, context);
    let names_ports = |number: &u32| {
        dialect.rules().get(*number as usize).is_some_and(|rule| {
            matches!(rule.subject, Some(Subject::Ports(_))) || rule.declares.is_some() || rule.used_by.is_some()
        })
    };
    if !alike.rules.iter().any(names_ports) {
        return Vec::new();
    }
    dialect.named(text, mark, |_| false).ports
}

/// Whether a change takes its value from a hole: a word that may be cut.
pub(super) fn from_text(change: &Change) -> bool {
    change.operands().iter().any(|operand| operand.hole().is_some())
}
