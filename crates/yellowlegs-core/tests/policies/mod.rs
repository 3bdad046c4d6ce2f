//! What a policy says: the roles it gives to ports, its entries, what it expects, its rules of the house; which cables its links are.

#![allow(clippy::disallowed_methods, clippy::disallowed_macros, reason = "a test may read the files it is about")]

mod cables;
mod entries;
mod expectations;
mod roles;
mod rules;

use std::sync::Arc;

use crate::support;
use yellowlegs_core::check::ids;
use yellowlegs_core::policy::Policy;
use yellowlegs_core::source::Source;

/// What is wrong with a policy: line, what, hint.
pub(crate) fn refused(text: &str) -> Vec<(u32, String)> {
    match Policy::load(&Arc::new(Source::of("yellowlegs.toml", text)), &ids()) {
        Ok(_) => Vec::new(),
        Err(problems) => problems
            .iter()
            .map(|p| (p.place.line, format!("{} {}", p.what, p.hint.clone().unwrap_or_default())))
            .collect(),
    }
}
