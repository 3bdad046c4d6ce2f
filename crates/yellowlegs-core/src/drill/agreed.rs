//! Whether the policy asks for anything that would have stopped what got through. Where it does not, nobody is told of a hole: the
//! site has agreed to it.

use std::collections::BTreeMap;
use std::sync::LazyLock;

use super::Drill;
use super::asked::Asked;
use super::rehearse::{Outcome, Rehearsal, Stage};
use crate::check::{self, Check};
use crate::model::{SettingId, settings};
use crate::policy::{Faces, Feature, Role, Wish};

/// What is said of it behind what happened.
pub const AGREED: &str = "; the policy asks for nothing that would stop it";

/// What got through, or was slow, is agreed on where no setting that would have ended it better is asked for.
pub(super) fn agree(stage: &Stage<'_>, asked: &Asked<'_>, drill: &Drill, told: Rehearsal) -> Rehearsal {
    let Ok(role) = stage.role() else { return told };
    let broken = matches!(told.outcome, Outcome::LetThrough | Outcome::Outage);
    // Where nothing belongs the port itself is to be shut.
    let shut = (role.faces == Faces::Nothing).then_some(settings::ENABLED.id);
    let mut unless = told.unless.iter().copied().chain(shut);
    if !broken
        || told.unless.is_empty()
        || unless.any(|id| is_asked(stage, asked, role, id) && !is_left_open(stage, drill, role, id))
    {
        return told;
    }
    told.agreed()
}

impl Rehearsal {
    /// The same, agreed on.
    #[must_use]
    pub(super) fn agreed(self) -> Self {
        let says = format!("{}{AGREED}", self.says);
        Self { outcome: Outcome::Agreed, says, ..self }
    }
}

/// Whether a role leaves a setting to whoever is there, or every check that answers for the drill and looks at it is off.
pub(super) fn is_left_open(stage: &Stage<'_>, drill: &Drill, role: &Role, id: SettingId) -> bool {
    role.expect.is_any(id) || is_off(stage, drill, role, id)
}

/// Whether the policy asks that a setting be another than it is, where it is not left open.
fn is_asked(stage: &Stage<'_>, asked: &Asked<'_>, role: &Role, id: SettingId) -> bool {
    let expect = &role.expect;
    let (site, switch, port) = (&stage.policy.site, stage.switch(), Some(stage.port));
    let wished = expect.values().find(|(of, _)| *of == id);
    if wished.is_some() || id == settings::FLAP_THRESHOLD.id || id == settings::FLAP_WINDOW.id {
        asked.note(id);
    }
    // Protection that acts later than the drill lasts is right where the site bears so much.
    if id == settings::FLAP_THRESHOLD.id {
        let most = expect.value(settings::FLAP_THRESHOLD).map_or(site.flap_threshold.value, |wished| wished.value);
        return switch.setting(port, settings::FLAP_THRESHOLD).value.is_none_or(|flaps| flaps > most);
    }
    if id == settings::FLAP_WINDOW.id {
        let least = expect.value(settings::FLAP_WINDOW).map_or(site.flap_window.value, |wished| wished.value);
        return switch.setting(port, settings::FLAP_WINDOW).value.is_none_or(|window| window < least);
    }
    if let Some((_, wished)) = wished {
        return Some(&wished.value) != switch.slot(port, id).value.as_ref();
    }
    match feature(id) {
        Some(feature) => expect.wants(feature),
        None if id == settings::ADDRESS_CHECK.id => site.address_check.value == Wish::Wanted,
        None if id == settings::MULTICAST.id || id == settings::MULTICAST_VLANS.id => {
            site.multicast.value == Wish::Wanted
        }
        None => true,
    }
}

/// Whether every check that answers for the drill and looks at the setting is off for the role.
fn is_off(stage: &Stage<'_>, drill: &Drill, role: &Role, id: SettingId) -> bool {
    let looks = |check: &&'static Check| check.needs.iter().chain(check.uses).any(|name| *name == id.name());
    let looking = answering(drill).iter().copied().filter(looks);
    let mut levels = looking.map(|c| stage.policy.level(c.id, Some(&role.name), c.level)).peekable();
    levels.peek().is_some() && levels.all(|level| level.is_none())
}

/// The checks that answer for a drill.
fn answering(drill: &Drill) -> &'static [&'static Check] {
    static ANSWERING: LazyLock<BTreeMap<&str, Vec<&Check>>> = LazyLock::new(|| {
        let of = |drill: &'static Drill| (drill.name, check::all().filter(|c| drill.is_answered_by(c.id)).collect());
        super::all().iter().map(of).collect()
    });
    ANSWERING.get(drill.name).map(Vec::as_slice).unwrap_or_default()
}

/// The feature that a setting switches on; none: what it says is right or wrong whatever features are wanted.
fn feature(id: SettingId) -> Option<Feature> {
    const SWITCHES: [(SettingId, Feature); 15] = [
        (settings::PORT_SECURITY.id, Feature::PortSecurity),
        (settings::PINNING.id, Feature::Pinning),
        (settings::SNOOPING.id, Feature::DhcpSnooping),
        (settings::SNOOPING_VLANS.id, Feature::DhcpSnooping),
        (settings::READY.id, Feature::DhcpSnooping),
        (settings::INSPECTION.id, Feature::ArpInspection),
        (settings::INSPECTION_VLANS.id, Feature::ArpInspection),
        (settings::SOURCE_GUARD.id, Feature::SourceGuard),
        (settings::ADVERTISEMENTS_BLOCKED.id, Feature::AdvertisementGuard),
        (settings::SERVERS_BLOCKED.id, Feature::AdvertisementGuard),
        (settings::FAST_START.id, Feature::FastStart),
        (settings::BPDU_GUARD.id, Feature::EdgeGuard),
        (settings::ROOT_GUARD.id, Feature::RootGuard),
        (settings::LOOP_DETECTION.id, Feature::LoopDetection),
        (settings::FLAP.id, Feature::Flap),
    ];
    SWITCHES.iter().find(|(of, _)| *of == id).map(|(_, feature)| *feature)
}
