//! All tests of this crate in one program: each program more is everything linked once more. A file that is not named here would not run, so a
//! test of the core (`imports.rs`) holds these lists against the folders.

#![recursion_limit = "256"]

mod agreement;
mod bent;
mod checks;
mod contradictions;
mod doubt;
mod examples;
mod fleet;
mod forms;
mod frames;
mod fuzz;
mod generated;
mod imports;
mod in_force;
mod knockout;
mod lists;
mod machine;
mod mend;
mod mistakes;
mod nets;
mod others;
mod own_drills;
mod policies;
mod properties;
mod proposals;
mod questions;
mod reports;
mod same;
mod schemas;
mod settings;
mod site_values;
mod sketch;
mod state;
mod state_checks;
mod structures;
mod support;
mod teach;
mod walks;
mod writing;
