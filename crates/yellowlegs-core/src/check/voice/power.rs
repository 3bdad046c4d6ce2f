//! Power for phones, and the budget it comes from.

use std::collections::BTreeMap;

use crate::check::{Aim, Check, Judgement, PortView, Repair, Run, SwitchView, Unknown, Verdict, Violation};
use crate::model::{Fact, Milliwatts, facts, platform, settings};
use crate::policy::{Feature, Level};

pub(super) const OFF: Check = Check {
    id: "voice/power-off",
    title: "a phone's port supplies no power",
    level: Level::Risk,
    needs: &["power.enabled", "role"],
    policy: &["role.expect.power.enabled"],
    reference: "IEEE 802.3, 33 and 145",
    why: "The phone is dark, or hangs on a plug that the cleaner pulls.",
    remedy: "Switch power on for the port.",
    repair: Repair::Set(&[(settings::POWER.id, Aim::On)]),
    run: Run::Port(off),
    ..Check::ROW
};

fn off(port: &PortView<'_>) -> Judgement {
    let role = port.role()?;
    if !role.expect.wants(Feature::Power) {
        return Ok(Verdict::NotApplicable);
    }
    if port.known(settings::POWER)? {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::POWER.id, "the port supplies no power; role {role} faces {faces}")
        .demand(&role.expect.wish(Feature::Power).cite)
        .into()
}

pub(super) const OVERDRAWN: Check = Check {
    id: "voice/power-overdrawn",
    title: "more power is set aside than there is",
    level: Level::Risk,
    needs: &["power.enabled", "power.budget", "power-set-aside"],
    uses: &["power.limit", "power.maximum", "power", "neighbour"],
    reference: "IEEE 802.3, 33, 79 and 145",
    why: "The device that is plugged in last gets none, and after a power cut another one is the last.",
    remedy: "Lower the limits of ports that need less, switch power off where nothing needs it, or add a supply.",
    run: Run::Switch(overdrawn),
    ..Check::ROW
};

/// What a class sets aside, in milliwatts (IEEE 802.3, tables 33-7 and 145-11); class 0 as 3.
pub(super) const CLASSES: [u32; 9] = [15_400, 4_000, 7_000, 15_400, 30_000, 45_000, 60_000, 75_000, 90_000];

/// What state tells of a port's power.
#[derive(Default, Clone, Copy)]
struct Seen {
    off: bool,
    negotiated: Option<u32>,
    class: Option<u32>,
}

fn overdrawn(on: &SwitchView<'_>) -> Judgement {
    let Milliwatts(budget) = on.known(settings::POWER_BUDGET)?;
    if budget == 0 {
        return Ok(Verdict::NotApplicable);
    }
    let Some(ways) = on.traits().words(platform::POWER_SET_ASIDE) else {
        return Err(Unknown::fact("power-set-aside"));
    };
    let seen = seen(on);
    // Where the platform goes by what hangs on the port, nothing hangs on one that its table leaves out.
    let by_device = matches!(ways.first(), Some(&("negotiated" | "class")));
    let listed = by_device && on.switch().tells(facts::power::FACT) && !on.is_too_old(facts::power::FACT);
    let mut sum: u64 = 0;
    let mut ports: u32 = 0;
    for port in on.ports() {
        if !port.known(settings::POWER)? {
            continue;
        }
        let told = match seen.get(&port.port()) {
            Some(told) => *told,
            None if listed => continue,
            None => Seen::default(),
        };
        let aside = set_aside(&port, &ways, told)?;
        ports += u32::from(aside > 0);
        sum += u64::from(aside);
    }
    if sum <= u64::from(budget) {
        return Ok(Verdict::Met);
    }
    Violation::of(settings::POWER_BUDGET.id, "{ports} ports set aside {sum} W of {budget} W there are (by {ways})")
        .fact("ports", ports)
        .fact("sum", watts(sum))
        .fact("budget", watts(budget.into()))
        .fact("ways", ways.join(", then "))
        .into()
}

fn watts(milliwatts: u64) -> String {
    format!("{}.{}", milliwatts / 1000, milliwatts % 1000 / 100)
}

/// By port: what tables of power and neighbours tell.
fn seen(on: &SwitchView<'_>) -> BTreeMap<usize, Seen> {
    let switch = on.switch();
    let mut seen: BTreeMap<usize, Seen> = BTreeMap::new();
    let index = |fact: &Fact| fact.port().and_then(|name| switch.port_index(name));
    let believed = |kind| switch.facts_of(kind).filter(move |_| !on.is_too_old(kind));
    for fact in believed(facts::power::FACT) {
        let Some(port) = index(fact) else { continue };
        let entry = seen.entry(port).or_default();
        entry.off = fact.get(facts::power::ON) == Some(false);
        entry.class = fact.get(facts::power::CLASS);
    }
    for fact in believed(facts::neighbour::FACT) {
        let (Some(port), Some(Milliwatts(given))) = (index(fact), fact.get(facts::neighbour::POWER_GIVEN)) else {
            continue;
        };
        seen.entry(port).or_default().negotiated = Some(given);
    }
    seen
}

/// What is set aside for a port: by the first of the platform's ways that is known.
fn set_aside(port: &PortView<'_>, ways: &[&str], seen: Seen) -> Result<u32, Unknown> {
    if seen.off {
        return Ok(0);
    }
    for way in ways {
        let found = match *way {
            "negotiated" => seen.negotiated,
            "class" => match seen.class {
                Some(0) => Some(
                    port.setting(settings::POWER_MAXIMUM).value.map_or(CLASSES[0], |Milliwatts(m)| m.max(CLASSES[0])),
                ),
                class => class.and_then(|class| CLASSES.get(class as usize).copied()),
            },
            "limit" => Some(port.known(settings::POWER_LIMIT)?.0).filter(|limit| *limit > 0),
            _ => Some(port.known(settings::POWER_MAXIMUM)?.0),
        };
        if let Some(found) = found {
            return Ok(found);
        }
    }
    Err(Unknown::fact("power"))
}
