//! Colours, and words that say the same without them.

use anstyle::{AnsiColor, Style};
use yellowlegs_core::policy::Level;

pub(crate) const BOLD: Style = Style::new().bold();
pub(crate) const DIM: Style = Style::new().dimmed();
pub(crate) const PLACE: Style = AnsiColor::Cyan.on_default();
#[cfg(feature = "gather")]
pub(crate) const BAD: Style = AnsiColor::Red.on_default().bold();
pub(crate) const GOOD: Style = AnsiColor::Green.on_default();

/// The colour of a level. Its word stands beside it.
pub(crate) fn level(level: Level) -> Style {
    match level {
        Level::Breach => AnsiColor::Red.on_default().bold(),
        Level::Risk => AnsiColor::Yellow.on_default().bold(),
        Level::Advice => AnsiColor::Blue.on_default().bold(),
    }
}

/// A text in a style.
pub(crate) fn paint(style: Style, text: &str) -> String {
    format!("{style}{text}{style:#}")
}
