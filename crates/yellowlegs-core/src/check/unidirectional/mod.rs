//! `unidirectional/`: links that work one way only.

mod action;

use super::Check;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[action::REPORT_ONLY];
