//! `mirror/`: who is copied to whom, and who agreed to it.

mod load;
mod register;
mod session;
mod target;

use super::Check;
pub(super) use register::note_entries;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[
    register::LEFT_ON,
    target::BUSY,
    target::IS_SOURCE,
    target::DANGLING,
    load::OVERDRAWN,
    register::ONE_SIDED,
    target::VLAN_UNSUPPORTED,
    register::SENSITIVE,
];
