//! `dhcp-snooping/`: who may answer, and what is kept of the answers.

mod arming;
mod bindings;
mod hosts;
mod messages;
mod paths;
mod trust;

use super::Check;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[
    arming::PREREQUISITE,
    arming::OFF,
    arming::NOT_ARMED,
    arming::VLAN_UNCOVERED,
    trust::TRUSTED_EDGE,
    paths::UPLINK_UNTRUSTED,
    paths::NO_PATH,
    paths::TRUST_NEEDLESS,
    messages::RATE_MISSING,
    messages::ADDRESS_CHECK_OFF,
    messages::RELAY_INFO,
    messages::STORE_MISSING,
    bindings::STORE_FAILING,
    bindings::MISPLACED,
    bindings::DOUBLE,
    bindings::EXPIRED,
    hosts::UNBOUND,
    hosts::ROGUE_SEEN,
    paths::RELAY_INFO_REFUSED,
    hosts::SELF_ASSIGNED,
    bindings::FOREIGN_SUBNET,
];
