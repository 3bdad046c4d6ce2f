//! `ipv6-guard/`: who may advertise routes and answer DHCP for IPv6.

mod edge;

use super::Check;

/// The family's checks, in the order in which they are told.
pub(super) static CHECKS: &[Check] = &[edge::ADVERTISEMENT_OPEN, edge::SERVER_OPEN];
