//! `fast-start/`: ports that hosts wait for, and edges where a bridge is.

mod edge;
mod waiting;

use super::Check;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] =
    &[waiting::MISSING, edge::TOWARD_BRIDGE, waiting::NO_EFFECT, edge::REACH, waiting::SLOW];
