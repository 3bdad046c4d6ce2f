//! What the objects of the standards mean, a file for each of the documents that they come from.

pub(super) mod bridge;
pub(super) mod interfaces;
pub(super) mod media;
pub(super) mod names;
pub(super) mod neighbours;
pub(super) mod power;
pub(super) mod queriers;
pub(super) mod rows;
pub(super) mod tree;
pub(super) mod vlans;

use super::teller::Teller;
use crate::model::{SettingId, settings};

/// What is asked of a switch: the parts of the tree that something here reads.
pub const ROOTS: &[&[u32]] = &[
    &[1, 0, 8802, 1, 1, 2],
    &[1, 3, 6, 1, 2, 1, 1],
    &[1, 3, 6, 1, 2, 1, 2, 2],
    &[1, 3, 6, 1, 2, 1, 17],
    &[1, 3, 6, 1, 2, 1, 26, 2, 1],
    &[1, 3, 6, 1, 2, 1, 31, 1, 1],
    &[1, 3, 6, 1, 2, 1, 85, 1, 1],
    &[1, 3, 6, 1, 2, 1, 105],
];

/// sysObjectID (RFC 3418).
pub(super) const SYSTEM_IDENTIFIER: &[u32] = &[1, 3, 6, 1, 2, 1, 1, 2];

/// Tells what all of them say.
pub(super) fn tell(teller: &mut Teller<'_>) {
    let system = teller.objects.at(SYSTEM_IDENTIFIER, &[0]).and_then(|object| object.oid(teller.text));
    teller.told.system = system;
    rows::tell(teller);
    interfaces::tell(teller);
    media::tell(teller);
    vlans::tell(teller);
    bridge::tell(teller);
    tree::tell(teller);
    neighbours::tell(teller);
    power::tell(teller);
    queriers::tell(teller);
}

/// Every setting that the standards tell of.
pub(super) fn settings() -> impl Iterator<Item = SettingId> {
    let others = [
        settings::MODE.id,
        settings::ACCESS_VLAN.id,
        settings::NATIVE_VLAN.id,
        settings::TAGGED_VLANS.id,
        settings::VOICE_VLAN.id,
        settings::VLANS.id,
        settings::VLAN_NAME.id,
        settings::FAST_START.id,
        settings::MEDIA.id,
        settings::LLDP_MED.id,
        settings::VOICE_ANNOUNCED.id,
        settings::VOICE_ANNOUNCED_VLAN.id,
        settings::VOICE_PRIORITY.id,
        settings::VOICE_DSCP.id,
        settings::SIGNALLING_ANNOUNCED.id,
        settings::SIGNALLING_VLAN.id,
        settings::SIGNALLING_PRIORITY.id,
        settings::SIGNALLING_DSCP.id,
        settings::QUERY_INTERVAL.id,
        settings::QUERY_VERSION.id,
        settings::ROBUSTNESS.id,
    ];
    rows::ROWS.iter().map(|row| row.setting).chain(others)
}
