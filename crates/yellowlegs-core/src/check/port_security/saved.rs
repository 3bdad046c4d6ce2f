//! Pinned stations that the next power cut takes away.

use std::collections::HashSet;
use std::sync::Arc;

use crate::check::{Check, Judgement, PortView, Repair, Run, Unknown, Verdict, Violation};
use crate::model::{SavedCopy, Station, StationAddress, Switch, settings};
use crate::policy::Level;

pub(super) const PINNED_UNSAVED: Check = Check {
    id: "port-security/pinned-unsaved",
    title: "pinned stations are not in the saved configuration",
    level: Level::Risk,
    needs: &["port-security.pinned-stations", "saved configuration"],
    policy: &["files.saved"],
    reference: "docs/policy.md, Files",
    why: "Stations pinned since the last save vanish with the next power cut. The port then pins whoever speaks \
          first.",
    remedy: "Save the configuration.",
    repair: Repair::Save,
    run: Run::Port(pinned_unsaved),
    ..Check::ROW
};

fn pinned_unsaved(port: &PortView<'_>) -> Judgement {
    let pinned: Arc<[Station]> = port.known(settings::PINNED_STATIONS)?;
    if pinned.is_empty() {
        return Ok(Verdict::Met);
    }
    let saved = match port.switch().saved() {
        SavedCopy::NotKept => return Ok(Verdict::NotApplicable),
        SavedCopy::Missing => return Err(Unknown::fact("saved configuration")),
        SavedCopy::Read(saved) => saved,
    };
    let safe = kept(saved, port.name())?;
    let lost: Vec<&Station> = pinned.iter().filter(|station| !safe.contains(&station.address)).collect();
    let Some(first) = lost.first() else { return Ok(Verdict::Met) };
    let setting = settings::PINNED_STATIONS.id;
    let line = port.line_that_put(setting, **first);
    let names: Vec<String> = lost.iter().map(|s| s.address.to_string()).collect();
    Violation::of(setting, "{count} pinned station(s) are not in the saved configuration: {lost}")
        .fact("count", lost.len() as u32)
        .fact("lost", names.join(", "))
        .line(line)
        .into()
}

/// The stations that the saved copy keeps on a port, pinned or written.
fn kept(saved: &Switch, port: &str) -> Result<HashSet<StationAddress>, Unknown> {
    let mut kept = HashSet::new();
    let Some(index) = saved.port_index(port) else { return Ok(kept) };
    for key in [settings::PINNED_STATIONS, settings::WRITTEN_STATIONS] {
        let stations = saved.setting(Some(index), key).value.ok_or_else(|| Unknown::fact(key.id.name()))?;
        kept.extend(stations.iter().map(|station| station.address));
    }
    Ok(kept)
}
