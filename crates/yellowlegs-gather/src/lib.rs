//! Fetches from switches what an audit needs, read-only, and stands in for switches so that it can be tried. The only crate with a network:
//! the core reads what this one brings.
//!
//! [`entries`] says who is asked and how; [`ssh`] connects and lets a [`talk`] run, [`snmp`] walks an agent; [`run`] asks many at once, and [`folder`] puts what came
//! in the place of what was there. [`stand_in`] is the other end.

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

pub mod credential;
pub mod entries;
pub mod fault;
pub mod folder;
pub mod host_keys;
pub mod run;
mod screen;
pub mod snmp;
pub mod ssh;
pub mod stand_in;
pub mod talk;
