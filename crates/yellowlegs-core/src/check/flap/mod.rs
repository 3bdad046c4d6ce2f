//! `flap/`: links that come and go.

mod protection;

use super::Check;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[protection::OFF, protection::LAX, protection::HOLD];
