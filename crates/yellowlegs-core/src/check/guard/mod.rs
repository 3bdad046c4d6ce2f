//! `guard/`: what keeps the spanning tree whole at its edge.

mod bpdu;
mod loops;
mod protocol;
mod root;
mod storm;

use super::Check;
pub(super) use bpdu::is_filtered;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[
    bpdu::MISSING,
    bpdu::FILTERED,
    root::MISSING,
    root::ON_UPLINK,
    loops::MISSING,
    loops::MISPLACED,
    protocol::TREE_OFF,
    protocol::OLD,
    protocol::LINK_SHARED,
    loops::DETECT_MISSING,
    storm::MISSING,
];
