//! How far each switch is from where the engineer comes in, and whether the way to it stands.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::sync::Arc;

use super::Site;
use crate::model::{Mode, VlanSet, settings};
use crate::policy::Purpose;
use crate::resolve::Resolved;

/// One end of a cable: the position of its switch, and its port.
type End = (usize, usize);

/// The cables of a fleet: looked up once, for no change of a setting moves one.
pub(super) struct Map {
    cables: Vec<(End, End)>,
}

impl Map {
    pub(super) fn of(site: &Site<'_>) -> Self {
        let names: Vec<&str> = site.switches().map(|resolved| &**resolved.switch.name()).collect();
        Self { cables: site.around().cables_among(&names) }
    }
}

/// Cables between each switch and the one that the engineer comes in by; without an entry in the policy, none is known.
pub(super) fn distances(site: &Site<'_>, map: &Map) -> BTreeMap<Arc<str>, usize> {
    walk(site, &map.cables, &|_, _| true)
}

/// Which switches cables join, by the lowest position among them.
pub(super) fn islands(site: &Site<'_>, map: &Map) -> BTreeMap<Arc<str>, usize> {
    let names: Vec<&Arc<str>> = site.switches().map(|resolved| resolved.switch.name()).collect();
    let mut of: Vec<usize> = (0..names.len()).collect();
    // Each cable gives both ends the lower number, until none changes.
    loop {
        let mut moved = false;
        for ((a, _), (b, _)) in &map.cables {
            let low = of[*a].min(of[*b]);
            moved |= of[*a] != low || of[*b] != low;
            (of[*a], of[*b]) = (low, low);
        }
        if !moved {
            break;
        }
    }
    names.into_iter().cloned().zip(of).collect()
}

/// The switches that are reached from where the engineer comes in: over ports that are open and carry one VLAN of management, or
/// where the policy has none, any one VLAN.
pub(super) fn reached(site: &Site<'_>, map: &Map) -> BTreeSet<Arc<str>> {
    let switches: Vec<&Arc<Resolved>> = site.switches().collect();
    let stands = |a: (usize, usize), b: (usize, usize)| {
        let (Some(here), Some(there)) = (switches.get(a.0), switches.get(b.0)) else { return false };
        let (Some(here), Some(there)) = (carries(site, here, a.1), carries(site, there, b.1)) else { return false };
        !here.common(&there).is_empty()
    };
    walk(site, &map.cables, &stands).into_keys().collect()
}

/// What of management a port carries; none: it is closed.
fn carries(site: &Site<'_>, resolved: &Resolved, port: usize) -> Option<VlanSet> {
    let switch = &resolved.switch;
    if switch.setting(Some(port), settings::ENABLED).value == Some(false) {
        return None;
    }
    let mode = switch.setting(Some(port), settings::MODE).value;
    let vlan = |key| switch.setting(Some(port), key).value.flatten();
    let mut carried: VlanSet;
    if mode == Some(Mode::Access) {
        carried = vlan(settings::ACCESS_VLAN).into_iter().collect();
    } else {
        let tagged = switch.setting(Some(port), settings::TAGGED_VLANS).value;
        carried = tagged.map(|set| (*set).clone()).unwrap_or_default();
        vlan(settings::NATIVE_VLAN).into_iter().for_each(|native| carried.insert(native));
    }
    let of: VlanSet = site.policy.vlans_for(switch.name(), Purpose::Management).map(|vlan| vlan.id).collect();
    Some(if of.is_empty() { carried } else { carried.common(&of) })
}

fn walk(site: &Site<'_>, cables: &[(End, End)], stands: &dyn Fn(End, End) -> bool) -> BTreeMap<Arc<str>, usize> {
    let names: Vec<&Arc<str>> = site.switches().map(|resolved| resolved.switch.name()).collect();
    let mut far = BTreeMap::new();
    let entry = site.policy.management.as_ref().and_then(|entry| site.number(&entry.switch));
    let mut ahead: VecDeque<(usize, usize)> = entry.map(|entry| (entry, 0)).into_iter().collect();
    let mut next: BTreeMap<usize, Vec<(End, End)>> = BTreeMap::new();
    for (a, b) in cables {
        next.entry(a.0).or_default().push((*a, *b));
        next.entry(b.0).or_default().push((*b, *a));
    }
    let mut seen = BTreeSet::new();
    while let Some((switch, steps)) = ahead.pop_front() {
        if !seen.insert(switch) {
            continue;
        }
        if let Some(name) = names.get(switch) {
            far.insert(Arc::clone(name), steps);
        }
        let on = next.get(&switch).into_iter().flatten().filter(|(from, to)| stands(*from, *to));
        ahead.extend(on.map(|(_, to)| (to.0, steps + 1)));
    }
    far
}
