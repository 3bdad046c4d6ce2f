//! What lines stand in: a context with its rules, or a block in which nothing is known.

use super::NOBODY;

/// What stands inside a statement: lines of a context, by its number, or of none.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::dialect) struct Opens(u32);

impl Opens {
    /// It opens nothing.
    pub(in crate::dialect) const CLOSED: Self = Self(u32::MAX);
    /// The dialect says that it is about nothing.
    pub(in crate::dialect) const NOTHING: Self = Self(u32::MAX - 1);
    /// It is a line that nobody knows.
    const UNREAD: Self = Self(u32::MAX - 2);

    pub(in crate::dialect) fn context(context: usize) -> Self {
        Self(context as u32)
    }

    /// The block that the statement at a position opens.
    #[inline]
    pub(super) fn block(self, position: u32) -> Block {
        Block(u64::from(self.0) << 32 | u64::from(position))
    }
}

/// A block: what stands inside, and behind it the position of the statement that opened it, or of the unread line. One number, for it is
/// handed on with every line: what is written in two and read in one waits for both.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Block(u64);

/// The same, to be told apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Inside {
    /// The lines inside stand in this context, opened by this statement.
    Context(usize, u32),
    /// The statement above opens nothing: what is inside has no context.
    Closed(u32),
    /// The line above is unknown.
    Unread(u32),
    /// The dialect says that the line above is about nothing, and so is what stands inside.
    Nothing,
}

impl Block {
    /// Outside all blocks.
    pub(super) const TOP: Self = Self(NOBODY as u64);

    /// Below a line that nobody knows, by its position among those.
    pub(super) fn unread(position: u32) -> Self {
        Opens::UNREAD.block(position)
    }

    #[inline]
    pub(super) fn inside(self) -> Inside {
        let position = self.0 as u32;
        match self.within() {
            Opens::CLOSED => Inside::Closed(position),
            Opens::NOTHING => Inside::Nothing,
            Opens::UNREAD => Inside::Unread(position),
            Opens(context) => Inside::Context(context as usize, position),
        }
    }

    fn within(self) -> Opens {
        Opens((self.0 >> 32) as u32)
    }

    /// What stands inside, as what a line opens that may come again: below one that nobody knows nothing is.
    pub(super) fn opens(self) -> Opens {
        if self.within() == Opens::UNREAD { Opens::CLOSED } else { self.within() }
    }

    pub(super) fn is_nothing(self) -> bool {
        self.within() == Opens::NOTHING
    }

    pub(super) fn is_closed(self) -> bool {
        self.within() == Opens::CLOSED
    }
}
