//! How a report for people is to look.

use std::borrow::Cow;

use anstyle::Style;

use super::style::paint;

/// How much is said, and on what it is shown.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Look {
    pub(crate) amount: Amount,
    /// Every port by itself, in place of one block for the same fault on many.
    pub(crate) each: bool,
    /// Without colours: drawings are made of plain characters.
    pub(crate) plain: bool,
    /// Columns.
    pub(crate) width: usize,
}

/// How much is said.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Amount {
    /// Without remarks and unread lines.
    Little,
    Usual,
    /// With the lines that lost and each port a check could not decide.
    Much,
}

impl Look {
    /// Whether less is wanted.
    pub(crate) fn is_quiet(self) -> bool {
        self.amount == Amount::Little
    }

    /// Whether more is wanted.
    pub(crate) fn is_verbose(self) -> bool {
        self.amount == Amount::Much
    }

    /// Columns where nobody says how many there are.
    pub(crate) const WIDTH: usize = 100;

    /// A text in a style, where there are colours.
    pub(crate) fn paint<'t>(&self, style: Style, text: &'t str) -> Cow<'t, str> {
        if self.plain { Cow::Borrowed(text) } else { Cow::Owned(paint(style, text)) }
    }

    /// The same for a file.
    pub(crate) fn in_file(self) -> Self {
        Self { plain: true, width: Self::WIDTH, ..self }
    }
}
