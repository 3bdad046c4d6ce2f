//! `arp-inspection/`: ARP messages held against the bindings.

mod inspection;
mod uplink;

use super::Check;
pub(super) use inspection::cover;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] =
    &[inspection::OFF, inspection::NO_BINDINGS, inspection::TRUSTED_EDGE, uplink::UNTRUSTED];
