//! All tests of this crate in one program: each program more is everything linked once more. A file that is not named here would not run, so a
//! test of the core (`imports.rs`) holds these lists against the folders.

mod folders;
mod gathering;
mod support;
mod talking;
mod walking;
