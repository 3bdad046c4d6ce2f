//! Which block a line is in, by its indentation.

/// The open blocks, outermost first. `T` is what the reader keeps of each.
#[derive(Debug, Clone)]
pub struct Nesting<T> {
    open: Vec<(u32, T)>,
}

impl<T> Default for Nesting<T> {
    fn default() -> Self {
        Self { open: Vec::new() }
    }
}

impl<T> Nesting<T> {
    /// The block a line with this indentation stands in.
    #[inline]
    pub fn enclosing(&self, indent: u32) -> Option<&T> {
        // Each open block is deeper than the one around it.
        let around = self.open.partition_point(|(opener, _)| *opener < indent);
        self.open.get(around.checked_sub(1)?).map(|(_, block)| block)
    }

    /// Deeper lines that follow are inside this one; blocks that are not around it are over.
    #[inline]
    pub fn open(&mut self, indent: u32, block: T) {
        while self.open.last().is_some_and(|(opener, _)| *opener >= indent) {
            self.open.pop();
        }
        self.open.push((indent, block));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn deeper_lines_are_inside_and_equal_ones_are_not() {
        let mut nesting = Nesting::default();
        let mut told = Vec::new();
        for (indent, name) in [(0, "a"), (2, "b"), (4, "c"), (2, "d"), (0, "e"), (1, "f")] {
            told.push(nesting.enclosing(indent).copied());
            nesting.open(indent, name);
        }
        assert_eq!(told, [None, Some("a"), Some("b"), Some("a"), None, Some("e")]);
    }
}
