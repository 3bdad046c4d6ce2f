//! A stretch of a text.

/// A word, or any stretch of a text, as byte offsets.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Word {
    /// First byte.
    pub start: usize,
    /// One past the last byte.
    pub end: usize,
}

impl Word {
    /// The word itself; empty when the offsets are of another text.
    #[inline]
    pub fn of(self, text: &str) -> &str {
        text.get(self.start..self.end).unwrap_or_default()
    }
}
