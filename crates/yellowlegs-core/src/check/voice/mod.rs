//! `voice/`: phone and computer on one port, in two VLANs.

mod announcement;
mod marking;
mod phones;
mod power;
mod ranges;
mod vlan;

use super::Check;
pub(super) use marking::{trust_marking, trusts};

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[
    vlan::MISSING,
    vlan::SHARED,
    vlan::ON_TRUNK,
    announcement::DISCOVERY_OFF,
    announcement::POLICY_MISSING,
    announcement::POLICY_MISMATCH,
    marking::WRONG,
    marking::UNTRUSTED,
    vlan::ROOM_MISSING,
    phones::ASTRAY,
    phones::DISAGREES,
    phones::RANGE_GAP,
    ranges::WIDE,
    ranges::OVERLAP,
    power::OFF,
    phones::POWER_SHORT,
    power::OVERDRAWN,
];
