//! Hostile input for the core: seeds, how they are mangled, what is tried with them, and the oracle that an audit is held
//! against: where less is understood, nothing passes that did not pass before.

pub mod mangle;
pub mod oracle;
pub mod seeds;
pub mod target;
