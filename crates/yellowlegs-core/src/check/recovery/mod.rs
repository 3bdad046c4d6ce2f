//! `recovery/`: how ports come back.

mod held;
mod timers;

use super::Check;
pub use held::{Back, Held, held, what_to_do, whom_to_visit};
pub(super) use timers::timer;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[timers::REVOLVING, timers::MANUAL_ONLY, held::HELD_DOWN, held::SHUT_IN_USE];
