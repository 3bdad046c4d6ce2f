//! The repair: a plan that reads like a change request, and the same for machines, tickets and browsers.

mod data;
mod html;
mod markdown;
mod text;
mod view;

use yellowlegs_core::mend::Plan;

use super::Head;
pub(crate) use data::{json, value};
pub(crate) use html::page;
pub(crate) use markdown::markdown;
pub(crate) use text::text;

/// A plan, and whose it is.
pub(crate) struct Ticket<'a> {
    pub(crate) head: &'a Head,
    pub(crate) plan: &'a Plan<'a>,
}
