//! `port-security/`: how many stations, which, and what happens to one too many.

mod backing;
mod enabling;
mod limit;
mod reaction;
mod saved;
mod seen;
mod stranger;
mod twice;

use super::Check;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[
    enabling::OFF,
    enabling::NOT_ARMED,
    enabling::MODE_CONFLICT,
    limit::HIGH,
    limit::LOW,
    reaction::ACTION_WEAK,
    reaction::NOT_KEPT,
    reaction::AGING_MISSING,
    saved::PINNED_UNSAVED,
    twice::PINNED_TWICE,
    enabling::ON_UPLINK,
    seen::OVER_LIMIT,
    stranger::STRANGER,
    seen::VIOLATIONS,
    backing::NAME_ONLY,
];
