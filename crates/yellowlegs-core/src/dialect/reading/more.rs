//! What stands behind a text that was read already: only it is read.

use super::Reading;
use crate::dialect::Dialect;
use crate::dialect::layout::{Logicals, Structure};
use crate::source::Source;

impl Dialect {
    /// Reads what stands behind a text that was read as a whole, from an offset on. `None` where what stands there may hang on what is
    /// before it: lines of a section, that are indented, or that continue one.
    pub fn read_on(&self, before: Reading, source: &Source, file: u16, from: usize) -> Option<Reading> {
        let (old, new) = source.text().split_at_checked(from)?;
        let sign = self.layout.continuation.as_deref();
        let goes_on = !old.ends_with('\n') || sign.is_some_and(|sign| old.trim_end().ends_with(sign));
        let is_inside = match self.layout.structure {
            Structure::Sections => true,
            Structure::Indent => new.lines().find(|line| !line.trim().is_empty())?.starts_with([' ', '\t']),
            Structure::Paths | Structure::Braces => false,
        };
        if goes_on || is_inside || !before.torn.is_empty() {
            return None;
        }
        let lines = Logicals::from(source.text(), &self.layout, from, before.lines);
        Some(self.read_lines(source, file, lines, before))
    }
}
