//! `port/`: mode and VLANs.

mod contradicted;
mod expected;
mod ingress;
mod mode;
mod peer;
mod spare;
mod trunk;
mod untagged;

pub(super) use contradicted::fits;
pub(super) use mode::fix_mode;

use super::Check;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[
    mode::NEGOTIATED,
    mode::WRONG,
    mode::ROLE_UNKNOWN,
    spare::ENABLED,
    spare::VLAN,
    untagged::UNDEFINED,
    untagged::FOREIGN,
    untagged::DEFAULT,
    trunk::OPEN,
    trunk::NATIVE_WRONG,
    untagged::MISSING,
    trunk::NATIVE_IN_USE,
    ingress::OPEN,
    mode::DYNAMIC_UPLINK,
    peer::MISMATCH,
    contradicted::ROLE_MISMATCH,
    expected::UNEXPECTED,
];
