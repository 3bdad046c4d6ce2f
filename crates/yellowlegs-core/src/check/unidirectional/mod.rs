//! `unidirectional/`: links that work one way only.

mod action;
mod link;
mod seen;

use super::Check;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[link::OFF, link::ONE_ENDED, action::REPORT_ONLY, link::TOO_SLOW, seen::SEEN];
