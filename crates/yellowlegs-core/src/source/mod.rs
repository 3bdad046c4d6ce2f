//! File texts, places in them, and TOML documents that remember their places; and what is told of texts, safe to be shown.

mod clean;
mod json;
mod place;
mod text;
mod toml_doc;
mod word;

pub use clean::clean;
pub(crate) use json::Sheet;
pub use json::{one_line, over_lines};
pub use place::{At, Explain, Place, Problem};
pub use text::{LineTooLong, MAX_LINE_BYTES, Source, TextProblem};
pub use toml_doc::{Entry, Item, Mixed, Scalar, Spot, TableReader, TomlDoc, TomlProblem, nearest, quoted};
pub use word::Word;
