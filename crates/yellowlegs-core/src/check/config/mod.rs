//! `config/`: what the configuration and the policy say about themselves.

mod drift;
mod policy;
mod saved;
mod torn;

use super::Check;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[
    saved::UNSAVED,
    saved::RESTART_PENDING,
    saved::NOBODY_TOLD,
    drift::DRIFT,
    policy::WAIVER_EXPIRED,
    policy::POLICY_UNUSED,
    saved::UNREAD,
    torn::TORN,
    torn::DANGLING,
];
