//! `yellowlegs flaps`: logs against thresholds and windows, before they are set.

use std::process::ExitCode;

use yellowlegs_core::check::{FlapHistory, Protection, SwitchView, all, trips};
use yellowlegs_core::dialect::duration;
use yellowlegs_core::policy::assign;
use yellowlegs_core::sorted;

use super::audit::{Named, chosen};
use super::read::tell;
use super::{ended, knows_no_new, moment};
use crate::args::{Flaps, Loudness, PageFormat};
use crate::failure::Failure;
use crate::fleet::{self, Root};
use crate::output;
use crate::render::flaps::{Cell, FlapPage, PortFlaps, json, text};

pub(super) fn run(args: &Flaps, loudness: Loudness) -> Result<ExitCode, Failure> {
    knows_no_new(args.fail_on)?;
    let seconds = |option: &str, words: &str| {
        let number = words.parse().ok().or_else(|| duration(words));
        number.ok_or_else(|| {
            Failure::usage(format!("{option} {words}: this is no time"), "write seconds, or 90s, 5m, 1h")
        })
    };
    let windows = args.window.iter().map(|words| seconds("--window", words)).collect::<Result<Vec<u32>, _>>()?;
    let hold = args.hold.as_deref().map(|words| seconds("--hold", words)).transpose()?;
    let root = Root::find(args.fleet.fleet.as_deref(), &[])?;
    let loaded = fleet::load(&root, &args.fleet)?;
    let policy = &loaded.policy;
    let as_of = moment(args.as_of.as_deref(), policy.as_of.as_ref())?;
    let selection = chosen(&args.chosen)?;
    let found = fleet::discover(&root, policy)?;
    found.demand_switch(&selection, args.chosen.switch.as_deref())?;
    let mut named = Named::default();
    let (mut ports, mut without_log, mut whole) = (Vec::new(), 0, found.tell_unreadable(tell));
    for switch in found.switches.iter().filter(|found| selection.takes_switch(&found.name)) {
        let (read, unreadable) = fleet::read_switch(&root.dir, switch, &loaded, as_of.moment());
        whole &= unreadable.is_empty();
        unreadable.iter().for_each(tell);
        let Some((resolved, _)) = read else { continue };
        let roles = assign(policy, &resolved.switch, resolved.lists());
        let on = SwitchView::new(&resolved, policy, &roles, &as_of);
        named.look(&resolved.switch, &selection);
        let mut has_log = false;
        for view in on.ports().filter(|view| selection.takes_port(view.name(), None)) {
            let Ok(Some(history)) = FlapHistory::of(&view) else { continue };
            has_log = true;
            if !history.flaps.is_empty() {
                ports.push(port(&switch.name, view.name(), &history, hold));
            }
        }
        without_log += usize::from(!has_log);
    }
    named.demand_port(args.chosen.port.as_deref(), whole)?;
    // The worst first.
    sorted::by_key(&mut ports, |port| std::cmp::Reverse((port.trips.len(), port.flaps.len())));
    let site = &policy.site;
    let wanted = Protection {
        threshold: site.flap_threshold.value,
        window: site.flap_window.value.0,
        hold: hold.unwrap_or(site.flap_hold.value.0),
    };
    let page =
        FlapPage { as_of: as_of.as_str(), wanted, grid: grid(args, &windows, wanted, &ports), ports, without_log };
    let mut out = output::report(matches!(args.format, PageFormat::Text), loudness.color);
    let written = match args.format {
        PageFormat::Text => text(&mut out, &page),
        PageFormat::Json => json(&mut out, &page),
    };
    written.and_then(|()| out.flush()).map_err(Failure::stdout)?;
    // The level at which the audit would tell it.
    let default = all().find(|check| check.id == "flap/would-trip");
    let at = default.and_then(|check| policy.level(check.id, None, check.level));
    let trip = page.ports.iter().any(|port| !port.trips.is_empty());
    Ok(ended(whole, args.fail_on, |level| trip && at.is_some_and(|at| at <= level), |_| false))
}

fn port(switch: &str, name: &str, history: &FlapHistory, hold: Option<u32>) -> PortFlaps {
    let wanted = Protection { hold: hold.unwrap_or(history.wanted.hold), ..history.wanted };
    PortFlaps {
        switch: switch.to_owned(),
        port: name.to_owned(),
        counts: match history.each_change {
            Some(true) => "each change",
            Some(false) => "each loss of link",
            None => "each loss of link (nobody says what counts)",
        },
        wanted,
        trips: trips(&history.flaps, wanted).into_iter().map(|trip| trip.at).collect(),
        flaps: history.flaps.clone(),
    }
}

/// How many ports would be held down, and how often, for each threshold and window.
fn grid(args: &Flaps, windows: &[u32], wanted: Protection, ports: &[PortFlaps]) -> Vec<Cell> {
    let mut thresholds: Vec<u32> = args.threshold.iter().copied().chain([wanted.threshold]).collect();
    let mut windows: Vec<u32> = windows.iter().copied().chain([wanted.window]).collect();
    for list in [&mut thresholds, &mut windows] {
        list.sort_unstable();
        list.dedup();
    }
    let cell = |threshold: u32, window: u32| {
        let protection = Protection { threshold, window, hold: wanted.hold };
        let trips = ports.iter().map(|port| trips(&port.flaps, protection).len()).filter(|trips| *trips > 0);
        let (ports, trips) = trips.fold((0, 0), |(ports, all), trips| (ports + 1, all + trips));
        Cell { threshold, window, ports, trips }
    };
    thresholds.iter().flat_map(|t| windows.iter().map(|w| cell(*t, *w)).collect::<Vec<_>>()).collect()
}
