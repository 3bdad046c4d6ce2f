//! Lines of a switch's text, the words in them, and how blocks nest by indentation.

mod lines;
mod nesting;
mod words;

pub use lines::{Line, lines};
pub use nesting::Nesting;
pub use words::Splitter;
