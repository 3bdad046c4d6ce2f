//! `multicast/`: streams to those who asked, and to nobody else.

mod domain;
mod edge;
mod quality;
mod querier;
mod snooping;
pub(super) mod timing;

use super::Check;
pub(super) use snooping::snooped;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[
    snooping::OFF,
    snooping::VLAN_UNCOVERED,
    snooping::FLOODING,
    snooping::NOT_ARMED,
    querier::NO_ADDRESS,
    domain::MISSING,
    domain::MANY,
    domain::SETTINGS,
    edge::FAST_LEAVE_MISSING,
    edge::FAST_LEAVE_SHARED,
    edge::ROUTER_PORT_EDGE,
    snooping::ROUTER_LEARNING_OFF,
    quality::QUEUE_MAP,
    quality::MARKING_UNTRUSTED,
    quality::ENERGY_SAVING,
    quality::MTU_SMALL,
];
