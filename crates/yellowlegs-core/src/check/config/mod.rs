//! `config/`: what the configuration and the policy say about themselves.

mod policy;

use super::Check;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[policy::WAIVER_EXPIRED, policy::POLICY_UNUSED];
