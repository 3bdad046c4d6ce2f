//! Nothing but tests, below `tests/`: the HTML report opened in a headless Chromium, filtered and followed.
//!
//! `cargo test -p yellowlegs-browser --features browser` runs them.
