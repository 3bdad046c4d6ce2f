//! The core of Yellowlegs: from the text of access switches to findings about their ports.
//!
//! Nothing here touches files, network, clock, environment or screen. Text and time come in as
//! arguments, values go out. The folders below form a line; each imports only those above it:
//!
//! - [`sorted`]: putting in order what is short or seldom put in order
//! - [`source`]: file texts, places in them, TOML with places
//! - [`model`]: switches, ports, VLANs and the catalogue of settings
//! - [`syntax`]: lines, their words and how blocks nest
//! - [`dialect`]: how one switch system's text maps to statements
//! - [`walk`]: what a management agent answers, by the standards
//! - [`resolve`]: statements to settings in force
//! - [`policy`]: what the site wants: roles, expectations, levels, waivers
//! - [`finding`]: what an audit says, with its evidence
//! - [`check`]: the catalogue of checks and how they are run
//! - [`drill`]: a switch as a machine, and what is rehearsed on it
//! - [`mend`]: the repair: changes in the right order, as text, and the proof that they work
//! - [`teach`]: what a dialect does not know yet, asked and written into it

#![warn(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

pub mod sorted;

pub mod source;

pub mod model;

pub mod syntax;

pub mod dialect;

pub mod walk;

pub mod resolve;

pub mod policy;

pub mod finding;

pub mod check;

pub mod drill;

pub mod mend;

pub mod teach;
