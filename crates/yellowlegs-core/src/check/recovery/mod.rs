//! `recovery/`: how ports come back.

mod timers;

use super::Check;
pub(super) use timers::timer;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[timers::REVOLVING, timers::MANUAL_ONLY];
