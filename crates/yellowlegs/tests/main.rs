//! All tests of this crate in one program: each program more is everything linked once more. A file that is not named here would not run, so a
//! test of the core (`imports.rs`) holds these lists against the folders.

mod audit;
mod demo;
mod dialect;
mod drill;
mod expressions;
mod faults;
mod formats;
mod gather;
mod guide;
mod held;
mod house;
mod languages;
mod layouts;
mod mend;
mod packaging;
mod policy;
mod port;
mod recorded;
mod secrets;
mod silence;
mod since;
mod support;
mod teach;
mod terminals;
