//! `flap/`: links that come and go.

mod history;
mod protection;
mod trips;
mod would_trip;

use super::Check;
pub use history::FlapHistory;
pub use trips::{Protection, Trip, flaps, trips};

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[protection::OFF, protection::LAX, protection::HOLD, would_trip::WOULD_TRIP];
