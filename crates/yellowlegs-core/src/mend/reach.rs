//! How far each switch is from where the engineer comes in, and whether the way to it stands.

use std::collections::{BTreeMap, BTreeSet, VecDeque};

use super::Site;
use crate::model::{Mode, VlanSet, settings};
use crate::policy::Purpose;
use crate::resolve::Resolved;

/// One end of a cable: the position of its switch, and its port.
type End = (usize, usize);

/// The cables of a fleet: looked up once, for no change of a setting moves one.
pub(super) struct Map {
    /// The cables of each switch, each from its own end.
    cables: Vec<Vec<(End, End)>>,
}

impl Map {
    pub(super) fn of(site: &Site<'_>) -> Self {
        let names: Vec<&str> = site.switches().map(|resolved| &**resolved.switch.name()).collect();
        let mut cables = vec![Vec::new(); names.len()];
        for (a, b) in site.around().cables_among(&names) {
            cables[a.0].push((a, b));
            cables[b.0].push((b, a));
        }
        Self { cables }
    }

    fn of_switch(&self, switch: usize) -> &[(End, End)] {
        self.cables.get(switch).map_or(&[], |cables| cables)
    }

    /// The switches that cables lead to from one, each with how many cables lie between, as far as these stand.
    fn walk(&self, start: usize, stands: &dyn Fn(End, End) -> bool) -> BTreeMap<usize, usize> {
        let mut far = BTreeMap::new();
        let mut ahead = VecDeque::from([(start, 0)]);
        while let Some((switch, steps)) = ahead.pop_front() {
            if far.contains_key(&switch) {
                continue;
            }
            far.insert(switch, steps);
            let on = self.of_switch(switch).iter().filter(|(from, to)| !far.contains_key(&to.0) && stands(*from, *to));
            ahead.extend(on.map(|(_, to)| (to.0, steps + 1)));
        }
        far
    }
}

/// Cables between each switch and the one that the engineer comes in by; without an entry in the policy, none is known.
pub(super) fn distances(site: &Site<'_>, map: &Map) -> BTreeMap<usize, usize> {
    entry(site).map(|entry| map.walk(entry, &|_, _| true)).unwrap_or_default()
}

/// Of each switch, which switches cables join it to: by the lowest position among them.
pub(super) fn islands(map: &Map) -> Vec<usize> {
    let mut of = vec![usize::MAX; map.cables.len()];
    for start in 0..of.len() {
        if of[start] == usize::MAX {
            map.walk(start, &|_, _| true).into_keys().for_each(|number| of[number] = start);
        }
    }
    of
}

/// The switches that are reached from where the engineer comes in: over ports that are open and carry one VLAN of management, or
/// where the policy has none, any one VLAN.
pub(super) fn reached(site: &Site<'_>, map: &Map) -> BTreeSet<usize> {
    let all = entry(site).map(|entry| map.walk(entry, &|here, there| stands(site, here, there))).unwrap_or_default();
    all.into_keys().collect()
}

/// Whether one switch is reached, where all others are as they were.
pub(super) fn is_reached(site: &Site<'_>, map: &Map, reached: &BTreeSet<usize>, switch: usize) -> bool {
    let from_another = |(here, there): &(End, End)| reached.contains(&there.0) && stands(site, *there, *here);
    entry(site) == Some(switch) || map.of_switch(switch).iter().any(from_another)
}

fn entry(site: &Site<'_>) -> Option<usize> {
    site.policy.management.as_ref().and_then(|entry| site.number(&entry.switch))
}

/// Whether a cable carries management.
fn stands(site: &Site<'_>, here: End, there: End) -> bool {
    let carried = |(switch, port): End| carries(site, site.at(switch)?, port);
    let (Some(here), Some(there)) = (carried(here), carried(there)) else { return false };
    !here.common(&there).is_empty()
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
