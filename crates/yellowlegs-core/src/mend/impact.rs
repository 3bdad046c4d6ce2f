//! Who is touched by a step, by what the network said of itself: stations cut off, phones that register again, ports that bounce.

use serde::Serialize;

use super::{Site, Step};
use crate::model::{Capability, Fact, StationAddress, Switch, Value, VlanId, VlanSet, facts, settings};
use crate::resolve::{About, Resolved};
use crate::sorted;

/// What happens to whom.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Touch {
    /// Cut off, until somebody does something.
    CutOff,
    /// Away for a while: it asks for an address again, or waits for the port.
    ComesBack,
    /// A phone loses its calls and registers again.
    RegistersAgain,
    /// The link of the port goes down and comes up.
    Bounces,
    /// The spanning tree of the switch starts anew: every port that is no edge waits.
    TreeRestarts,
    /// It takes effect after a restart of the switch.
    Restart,
    /// Streams stop for as long as it takes to ask for them again.
    StreamsPause,
    /// Nobody knows: no table of stations was read.
    Unknown,
}

impl Touch {
    /// In words.
    pub fn word(self) -> &'static str {
        match self {
            Self::CutOff => "cut off",
            Self::ComesBack => "away for a while",
            Self::RegistersAgain => "registers again",
            Self::Bounces => "link bounces",
            Self::TreeRestarts => "spanning tree starts anew",
            Self::Restart => "takes effect after a restart",
            Self::StreamsPause => "streams pause",
            Self::Unknown => "not known",
        }
    }
}

/// Somebody or something that is touched.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Impact {
    /// How.
    pub touch: Touch,
    /// On which port; none: the switch.
    pub port: Option<String>,
    /// The stations.
    pub stations: Vec<StationAddress>,
    /// In a sentence.
    pub says: String,
}

/// So many stations are named of one port.
const NAMED: usize = 8;

/// Works out who is touched by a step.
pub(super) fn touch(site: &Site<'_>, step: &mut Step) {
    let Some(resolved) = site.get(&step.change.switch) else { return };
    let mut impact = Vec::new();
    for (about, from) in &step.change.from {
        match about {
            About::Port(port) => {
                let seen = Seen::on(resolved, port);
                impact.extend(seen.touched(step, from.as_ref()));
            }
            About::Switch | About::Vlan(_) => impact.extend(of_switch(resolved, step, from.as_ref())),
            About::Mirror(_) => {}
        }
    }
    step.impact = impact;
}

/// Steps that touch somebody, and what comes after them, go into a later phase.
pub(super) fn put_off(steps: &mut [Step], phase: usize) {
    for number in 0..steps.len() {
        let after: usize = steps[number]
            .needs
            .iter()
            .flat_map(|(row, first)| {
                let waits = usize::from(row.wait.is_some());
                first.iter().filter_map(|n| Some(steps.get(n - 1)?.phase + waits)).collect::<Vec<_>>()
            })
            .max()
            .unwrap_or(1);
        let touches = !steps[number].impact.is_empty();
        let step = &mut steps[number];
        step.phase = step.phase.max(after).max(if touches { phase } else { 1 });
        // A block is made in one phase.
        let (block, phase) = (step.block, step.phase);
        steps.iter_mut().filter(|step| step.block == block).for_each(|step| step.phase = step.phase.max(phase));
    }
    // In the order of phases; what a step needs is told by its new number.
    let mut order: Vec<usize> = (0..steps.len()).collect();
    sorted::by_key(&mut order, |number| (steps[*number].phase, *number));
    let mut new = vec![0; steps.len()];
    order.iter().enumerate().for_each(|(at, old)| new[*old] = at + 1);
    let mut sorted: Vec<Step> = order.iter().filter_map(|number| steps.get(*number).cloned()).collect();
    for step in &mut sorted {
        for (_, needs) in &mut step.needs {
            needs.iter_mut().for_each(|n| *n = new.get(*n - 1).copied().unwrap_or(*n));
            needs.sort_unstable();
        }
    }
    steps.clone_from_slice(&sorted);
}

/// What is known to hang on a port.
struct Seen<'a> {
    switch: &'a Switch,
    port: &'a str,
    told: bool,
    stations: Vec<(StationAddress, Option<VlanId>)>,
    phone: bool,
}

impl<'a> Seen<'a> {
    fn on(resolved: &'a Resolved, port: &'a str) -> Self {
        let switch = &resolved.switch;
        let at = switch.port_index(port);
        let rows = |kind| at.into_iter().flat_map(move |at| switch.facts_about(kind, at));
        let heard = |row: &Fact| Some((row.get(facts::station::ADDRESS)?, row.get(facts::station::VLAN).flatten()));
        let stations = rows(facts::station::FACT).filter_map(heard).collect();
        let is_phone = |fact: &Fact| {
            let can = fact.get(facts::neighbour::CAPABILITIES);
            can.is_some_and(|can| can.contains(Capability::Telephone)) || fact.get(facts::neighbour::CLASS) == Some(3)
        };
        let phone = rows(facts::neighbour::FACT).any(is_phone);
        Self { switch, port, told: switch.tells(facts::station::FACT), stations, phone }
    }

    fn impact(&self, touch: Touch, stations: Vec<StationAddress>, says: String) -> Impact {
        Impact { touch, port: Some(self.port.to_owned()), stations, says }
    }

    fn addresses(&self) -> Vec<StationAddress> {
        let each: sorted::Set<StationAddress> = sorted::set(self.stations.iter().map(|(address, _)| *address));
        each.into_iter().collect()
    }

    /// All stations of the port, if there are some; where nobody knows, that.
    fn all(&self, touch: Touch, what: &str) -> Vec<Impact> {
        if !self.told {
            return vec![self.impact(
                Touch::Unknown,
                Vec::new(),
                "no table of stations was read: who hangs on it nobody knows".into(),
            )];
        }
        let all = self.addresses();
        if all.is_empty() {
            return Vec::new();
        }
        let says = format!("{} {what}", shown(&all));
        vec![self.impact(touch, all, says)]
    }

    fn touched(&self, step: &Step, from: Option<&Value>) -> Vec<Impact> {
        let setting = step.change.setting;
        let on = step.change.to != Value::Flag(false);
        let is = |id| setting == id;
        if is(settings::ENABLED.id) {
            return if on { Vec::new() } else { self.all(Touch::CutOff, "hang on a port that is shut") };
        }
        if is(settings::ACCESS_VLAN.id) || is(settings::NATIVE_VLAN.id) {
            return self.all(Touch::ComesBack, "are moved into another VLAN and ask for a new address");
        }
        if is(settings::MODE.id) || is(settings::SPEED.id) {
            let mut all = self.all(Touch::ComesBack, "are away while the link of the port bounces");
            if self.told && all.is_empty() {
                all.push(self.impact(Touch::Bounces, Vec::new(), "nobody is known there".into()));
            }
            return all;
        }
        if is(settings::VOICE_VLAN.id) || is(settings::VOICE_ANNOUNCED_VLAN.id) || is(settings::VOICE_ANNOUNCED.id) {
            let says = "the phone starts again in another VLAN".to_owned();
            return if self.phone { vec![self.impact(Touch::RegistersAgain, Vec::new(), says)] } else { Vec::new() };
        }
        if is(settings::POWER.id) && !on {
            return self.all(Touch::CutOff, "lose their power");
        }
        if is(settings::TAGGED_VLANS.id) {
            return self.off_the_trunk(step, from);
        }
        if is(settings::PORT_SECURITY.id) && on || is(settings::LIMIT.id) {
            return self.beyond_the_limit(step);
        }
        if is(settings::SOURCE_GUARD.id) && on {
            return self.unbound(|_| true, "source guard");
        }
        if is(settings::FORWARD_ALL.id) || is(settings::ROUTER_PORT.id) {
            let says = "streams that nobody asked for on this port stop".to_owned();
            return if on { Vec::new() } else { vec![self.impact(Touch::StreamsPause, Vec::new(), says)] };
        }
        Vec::new()
    }

    /// Stations heard in VLANs that a trunk gives away.
    fn off_the_trunk(&self, step: &Step, from: Option<&Value>) -> Vec<Impact> {
        let (Some(Value::Vlans(before)), Value::Vlans(after)) = (from, &step.change.to) else { return Vec::new() };
        let gone = before.minus(after);
        let heard = self.stations.iter().filter(|(_, vlan)| vlan.is_some_and(|vlan| gone.contains(vlan)));
        let stations: Vec<StationAddress> = heard.map(|(address, _)| *address).collect();
        if stations.is_empty() {
            return Vec::new();
        }
        let says = format!("{} are heard in VLANs that the trunk carries no more", shown(&stations));
        vec![self.impact(Touch::CutOff, stations, says)]
    }

    fn beyond_the_limit(&self, step: &Step) -> Vec<Impact> {
        let limit = match &step.change.to {
            Value::Count(limit) => Some(*limit),
            _ => self
                .switch
                .port_index(self.port)
                .and_then(|port| self.switch.setting(Some(port), settings::LIMIT).value),
        };
        if !self.told {
            return vec![self.impact(
                Touch::Unknown,
                Vec::new(),
                "no table of stations was read: how many hang on it nobody knows".into(),
            )];
        }
        let all = self.addresses();
        match limit {
            Some(limit) if all.len() > limit as usize => {
                let says = format!(
                    "{} hang on it, and {limit} are let in: the others are shut out, or the port is",
                    shown(&all)
                );
                vec![self.impact(Touch::CutOff, all, says)]
            }
            _ => Vec::new(),
        }
    }

    /// Stations without a binding.
    fn unbound(&self, is_about: impl Fn(VlanId) -> bool, what: &str) -> Vec<Impact> {
        let bound: sorted::Set<StationAddress> =
            sorted::set(self.switch.facts_of(facts::binding::FACT).filter_map(|row| row.get(facts::binding::ADDRESS)));
        let about = self.stations.iter().filter(|(_, vlan)| vlan.is_none_or(&is_about));
        let without: Vec<StationAddress> =
            about.map(|(address, _)| *address).filter(|address| !bound.contains(address)).collect();
        if !self.told {
            return vec![self.impact(
                Touch::Unknown,
                Vec::new(),
                "no table of stations was read: who has no binding nobody knows".into(),
            )];
        }
        if without.is_empty() {
            return Vec::new();
        }
        let says =
            format!("{} have no binding: {what} shuts them out until they ask for an address again", shown(&without));
        vec![self.impact(Touch::CutOff, without, says)]
    }
}

fn of_switch(resolved: &Resolved, step: &Step, from: Option<&Value>) -> Vec<Impact> {
    let switch = &resolved.switch;
    let setting = step.change.setting;
    let on = step.change.to != Value::Flag(false);
    let whole = |touch, says: &str| vec![Impact { touch, port: None, stations: Vec::new(), says: says.to_owned() }];
    let restarts =
        |feature: &str| switch.requires().iter().any(|requires| requires.restart && &*requires.feature == feature);
    if setting == settings::TREE.id || setting == settings::TREE_PROTOCOL.id || setting == settings::TREE_OFF_VLANS.id {
        return whole(Touch::TreeRestarts, "ports that are no edges wait until it has settled");
    }
    if setting == settings::MULTICAST.id || setting == settings::MULTICAST_VLANS.id || setting == settings::FILTERING.id
    {
        return whole(
            Touch::StreamsPause,
            "they reach only who has asked, until the next query is answered perhaps nobody",
        );
    }
    if setting == settings::QUERIER.id && !on {
        return whole(Touch::StreamsPause, "another has to ask before memberships end");
    }
    if setting == settings::INSPECTION.id || setting == settings::INSPECTION_VLANS.id {
        let covered = match (&step.change.to, from) {
            (Value::Vlans(after), Some(Value::Vlans(before))) => after.minus(before),
            (Value::Vlans(after), _) => (**after).clone(),
            _ => switch.setting(None, settings::INSPECTION_VLANS).value.map(|set| (*set).clone()).unwrap_or_default(),
        };
        return inspected(resolved, &covered);
    }
    if setting == settings::READY.id || restarts(setting.name()) {
        return whole(Touch::Restart, "the switch has to be restarted before it acts");
    }
    Vec::new()
}

/// Stations in the VLANs that are inspected now, on ports that are not trusted, without a binding.
fn inspected(resolved: &Resolved, covered: &VlanSet) -> Vec<Impact> {
    let switch = &resolved.switch;
    let untrusted = |port: &usize| switch.setting(Some(*port), settings::INSPECTION_TRUSTED).value != Some(true);
    let each = (0..switch.ports().len()).filter(untrusted).filter_map(|port| switch.ports().get(port));
    each.flat_map(|name| {
        let seen = Seen::on(resolved, name.as_str());
        if seen.told { seen.unbound(|vlan| covered.contains(vlan), "ARP inspection") } else { Vec::new() }
    })
    .collect()
}

/// Some of many addresses, in words.
fn shown(all: &[StationAddress]) -> String {
    let named: Vec<String> = all.iter().take(NAMED).map(ToString::to_string).collect();
    let more = all.len().saturating_sub(NAMED);
    let stations = if all.len() == 1 { "station" } else { "stations" };
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    format!("{} {stations} ({}{more})", all.len(), named.join(", "))
}
