//! `source-guard/`: only bound addresses may send.

mod guard;

use super::Check;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[guard::OFF, guard::NO_BINDINGS, guard::ON_UPLINK];
