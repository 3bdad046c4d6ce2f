//! Which interfaces are ports of the switch, and by which of its numbers each is meant: as an interface (RFC 2863), in the bridge (RFC 4188), or as LLDP counts
//! (IEEE 802.1AB).

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::objects::Object;
use super::standard::power::{self, Numbers};
use super::standard::{bridge, interfaces, neighbours};
use super::teller::Teller;
use crate::dialect::Dialect;
use crate::model::Mark;
use crate::sorted;

/// The types of interfaces that are ports (IANA: ethernetCsmacd and its older kin).
const ETHERNET: [i64; 5] = [6, 7, 62, 69, 117];

/// The ports of a walk.
#[derive(Debug, Default)]
pub(super) struct Ports {
    /// By number of the interface.
    interfaces: BTreeMap<u32, (Arc<str>, Mark)>,
    /// Number in the bridge to number of the interface.
    bridge: BTreeMap<u32, u32>,
    /// Number of LLDP to number of the interface.
    lldp: BTreeMap<u32, u32>,
    /// What the numbers of power rows count.
    power: Numbers,
}

impl Ports {
    pub(super) fn of(teller: &Teller<'_>, dialect: Option<&Dialect>) -> Self {
        let (objects, text) = (teller.objects, teller.text);
        let single = |index: &[u32]| if let [one] = index { Some(*one) } else { None };
        let mut ports = Self::default();
        for (index, object) in objects.below(bridge::INTERFACE) {
            let number = object.number(text).and_then(|number| u32::try_from(number).ok());
            if let (Some(port), Some(number)) = (single(index), number) {
                ports.bridge.insert(port, number);
            }
        }
        let bridged: BTreeSet<u32> = ports.bridge.values().copied().collect();
        for (index, object) in objects.below(interfaces::NAME_OF_OLD).chain(objects.below(interfaces::NAME)) {
            let Some(number) = single(index).filter(|number| !ports.interfaces.contains_key(number)) else { continue };
            let kind = objects.at(interfaces::TYPE, &[number]).and_then(|object| object.number(text));
            if !kind.map_or_else(|| bridged.contains(&number), |kind| ETHERNET.contains(&kind)) {
                continue;
            }
            let names = [interfaces::NAME, interfaces::NAME_OF_OLD].map(|of| objects.at(of, &[number])?.text(text));
            let names = names.into_iter().flatten().filter(|name| !name.is_empty());
            if let Some(name) = named(names.collect(), dialect) {
                ports.interfaces.insert(number, (name, object.mark));
            }
        }
        ports.lldp = lldp(teller, &ports.interfaces, &ports.bridge);
        ports.power = power::numbers(teller, &ports);
        ports
    }

    /// Every port, by number of its interface.
    pub(super) fn all(&self) -> impl Iterator<Item = (&Arc<str>, Mark)> {
        self.interfaces.values().map(|(name, mark)| (name, *mark))
    }

    /// The numbers of the interfaces that are ports.
    pub(super) fn numbers(&self) -> impl Iterator<Item = u32> {
        self.interfaces.keys().copied()
    }

    /// What the numbers of power rows count.
    pub(super) fn power(&self) -> Numbers {
        self.power
    }

    pub(super) fn of_interface(&self, number: u32) -> Option<&Arc<str>> {
        self.interfaces.get(&number).map(|(name, _)| name)
    }

    pub(super) fn of_bridge(&self, number: u32) -> Option<&Arc<str>> {
        self.of_interface(*self.bridge.get(&number)?)
    }

    pub(super) fn of_lldp(&self, number: u32) -> Option<&Arc<str>> {
        self.of_interface(*self.lldp.get(&number)?)
    }
}

/// The name of a port: the first that the dialect takes for one, as its texts write it; without a dialect the first.
fn named(names: Vec<String>, dialect: Option<&Dialect>) -> Option<Arc<str>> {
    let lists = dialect.map(Dialect::lists);
    let known = lists.and_then(|lists| names.iter().find_map(|name| Some(lists.name(lists.port(name)?))));
    known.or_else(|| names.into_iter().next().map(Into::into))
}

/// The interfaces by what a column says of them; none where it says the same of several.
fn only<T: Ord>(teller: &Teller<'_>, column: &[u32], of: impl Fn(&Object) -> Option<T>) -> BTreeMap<T, Option<u32>> {
    let mut known = BTreeMap::new();
    for (index, object) in teller.objects.below(column) {
        if let ([number], Some(said)) = (index, of(object)) {
            known.entry(said).and_modify(|known| *known = None).or_insert(Some(*number));
        }
    }
    known
}

/// LLDP has numbers of its own: what it says of a port's identifier leads to the interface; where it says nothing that does, the number is that of
/// the bridge, or of the interface.
fn lldp(
    teller: &Teller<'_>,
    interfaces: &BTreeMap<u32, (Arc<str>, Mark)>,
    bridge: &BTreeMap<u32, u32>,
) -> BTreeMap<u32, u32> {
    let (objects, text) = (teller.objects, teller.text);
    let of_text = |object: &Object| object.text(text);
    let (aliases, names) = (only(teller, interfaces::ALIAS, of_text), only(teller, interfaces::NAME, of_text));
    let old_names = only(teller, interfaces::NAME_OF_OLD, of_text);
    let addresses = only(teller, interfaces::ADDRESS, |object| object.station(text));
    let by_name = |name: &str| names.get(name).or_else(|| old_names.get(name)).copied().flatten();
    let mut known = BTreeMap::new();
    for (index, object) in objects.below(neighbours::LOCAL_PORT) {
        let [number] = index else { continue };
        let subtype = objects.at(neighbours::LOCAL_PORT_KIND, index).and_then(|object| object.number(text));
        let name = object.text(text).unwrap_or_default();
        let described = || {
            let described = objects.at(neighbours::LOCAL_PORT_TEXT, index)?.text(text)?;
            old_names.get(&described).or_else(|| names.get(&described)).copied().flatten()
        };
        // Subtypes of port identifiers (IEEE 802.1AB, 8.5.3.2).
        let found = match subtype {
            Some(1) => aliases.get(&name).copied().flatten(),
            Some(3) => object.station(text).and_then(|address| addresses.get(&address).copied().flatten()),
            Some(5) => by_name(&name),
            _ => by_name(&name).or_else(|| name.parse().ok().filter(|number| interfaces.contains_key(number))),
        };
        if let Some(interface) = found.or_else(described) {
            known.insert(*number, interface);
        }
    }
    // Rows of neighbours whose port says nothing of itself.
    let told = objects.below(neighbours::REMOTE_CHASSIS).filter_map(|(index, _)| index.get(1).copied());
    let set = objects.below(neighbours::ADMIN).filter_map(|(index, _)| index.first().copied());
    for number in sorted::set(told.chain(set)) {
        if known.contains_key(&number) || objects.at(neighbours::LOCAL_PORT, &[number]).is_some() {
            continue;
        }
        let by_bridge = bridge.get(&number).copied();
        if let Some(interface) = by_bridge.or_else(|| interfaces.contains_key(&number).then_some(number)) {
            known.insert(number, interface);
        }
    }
    known
}
