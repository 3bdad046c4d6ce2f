//! One station pinned in two places.

use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use crate::check::{Check, FleetJudgement, FleetView, FleetViolation, Run, Violation};
use crate::finding::Related;
use crate::model::{StationAddress, VlanId, settings};
use crate::policy::Level;
use crate::sorted;

pub(super) const PINNED_TWICE: Check = Check {
    id: "port-security/pinned-twice",
    title: "one station is pinned on two ports of one layer-2 domain",
    level: Level::Risk,
    needs: &["port-security.pinned-stations", "port-security.written-stations"],
    uses: &["port.access-vlan", "station", "links"],
    policy: &["link"],
    reference: "docs/checks.md, port-security",
    why: "Somebody moved, and the pin stayed behind: it takes up the limit on the old port, and on many systems the \
          station is refused on the new one.",
    remedy: "Take the pin of {station} off this port, if the station is now on {other}.",
    run: Run::Fleet(pinned_twice),
    ..Check::ROW
};

/// Where a station is pinned: switch, VLAN, port.
type Pinned = (usize, Option<VlanId>, u32);

/// The stations are gone through in so many parts, so that all need not be held at once.
const PARTS: u64 = 16;

fn pinned_twice(fleet: &FleetView<'_>) -> FleetJudgement {
    let mut judgement = FleetJudgement::default();
    for part in 0..PARTS {
        // Most stations are pinned once: they are put in order and nothing is made of them.
        let mut all: Vec<(StationAddress, u32, u32)> = Vec::new();
        for (number, digest) in (0..).zip(fleet.switches.iter()) {
            let here = (0..).zip(&digest.pinned).filter(|(_, pin)| pin.station.number() % PARTS == part);
            all.extend(here.map(|(at, pin)| (pin.station, number, at)));
        }
        all.sort_unstable();
        let twice = || all.chunk_by(|a, b| a.0 == b.0).filter(|pins| pins.len() > 1);
        let heard = Heard::of(fleet, &twice().map(|pins| pins[0].0).collect());
        judgement.violations.extend(twice().filter_map(|of_one| found(fleet, &heard, of_one)));
    }
    // In the order of the stations.
    sorted::by_key(&mut judgement.violations, |found| found.station);
    judgement
}

/// What is wrong about one station; nothing where its pins are far from each other.
fn found(fleet: &FleetView<'_>, heard: &Heard, of_one: &[(StationAddress, u32, u32)]) -> Option<FleetViolation> {
    let mut pins: Vec<Pinned> = Vec::new();
    for (_, number, at) in of_one {
        let number = *number as usize;
        let Some(pin) = fleet.switches[number].pinned.get(*at as usize) else { continue };
        let mut here = pins.iter().rev().take_while(|(switch, ..)| *switch == number);
        if !here.any(|(.., there)| *there == pin.port) {
            pins.push((number, pin.vlan(), pin.port));
        }
    }
    let station = of_one.first()?.0;
    let (first, rest) = pins.split_first()?;
    let together: Vec<&Pinned> = rest.iter().filter(|pin| are_joined(fleet, first, pin)).collect();
    if together.is_empty() {
        return None;
    }
    let all: Vec<&Pinned> = [first].into_iter().chain(together).collect();
    // The pin where the station is not is the one left behind.
    let is_heard = |pin: &&Pinned| heard.on(station, pin);
    let left = if all.iter().any(is_heard) { all.iter().find(|pin| !is_heard(pin)) } else { None };
    let left = *left.unwrap_or(&first);
    let place = |(switch, _, port): &Pinned| {
        let port = Some(fleet.switches.port_name(*port).into());
        Related { switch: Arc::clone(&fleet.switches[*switch].switch), port }
    };
    let others: Vec<Related> = all.iter().filter(|pin| **pin != left).map(|pin| place(pin)).collect();
    let names: Vec<String> =
        others.iter().map(|r| format!("{} {}", r.switch, r.port.as_deref().unwrap_or_default())).collect();
    let violation = Violation::of(settings::PINNED_STATIONS.id, "station {station} is pinned here and on {other}")
        .fact("station", station.to_string())
        .fact("other", names.join(", "))
        .related(others.clone());
    let mut found = FleetViolation::at(place(left), violation);
    found.beside = others.into_iter().map(|other| (other, settings::PINNED_STATIONS.id)).collect();
    found.station = Some(station);
    Some(found)
}

/// Where the stations were heard that are pinned twice.
struct Heard(FxHashMap<StationAddress, Vec<(usize, u32)>>);

impl Heard {
    fn of(fleet: &FleetView<'_>, twice: &FxHashSet<StationAddress>) -> Self {
        let mut heard: FxHashMap<StationAddress, Vec<(usize, u32)>> = FxHashMap::default();
        for (number, digest) in fleet.switches.iter().enumerate() {
            for (station, port) in digest.heard.iter().filter(|(station, _)| twice.contains(station)) {
                heard.entry(*station).or_default().push((number, *port));
            }
        }
        Self(heard)
    }

    fn on(&self, station: StationAddress, (switch, _, port): &Pinned) -> bool {
        self.0.get(&station).is_some_and(|places| places.contains(&(*switch, *port)))
    }
}

/// Whether two pins are in one layer-2 domain: on one switch, or on switches that their VLAN joins.
fn are_joined(fleet: &FleetView<'_>, a: &Pinned, b: &Pinned) -> bool {
    if a.0 == b.0 {
        return a.1.is_none() || b.1.is_none() || a.1 == b.1;
    }
    match (a.1, b.1) {
        (Some(vlan), Some(other)) if vlan == other => {
            let joined = fleet.links().joined(fleet.switches, vlan);
            joined.group(a.0) == joined.group(b.0)
        }
        _ => false,
    }
}
