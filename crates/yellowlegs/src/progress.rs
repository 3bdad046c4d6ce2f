//! How far the reading of many switches is: counts and time left, on standard error, and only where that is a terminal.

use std::io::IsTerminal;
use std::time::Duration;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

/// A fleet of fewer is read before anybody looks.
const MANY: usize = 200;

/// A line that says how far the work is, or nothing.
pub(crate) struct Progress {
    bar: ProgressBar,
}

impl Progress {
    /// For so many switches. `wanted`: nobody asked for silence.
    pub(crate) fn of(switches: usize, wanted: bool) -> Self {
        if !wanted || switches < MANY || !std::io::stderr().is_terminal() {
            return Self { bar: ProgressBar::hidden() };
        }
        let target = ProgressDrawTarget::stderr_with_hz(5);
        let bar = ProgressBar::with_draw_target(Some(switches as u64), target);
        let shape = "{pos} of {len} switches read and judged, {percent} %, {eta} left {wide_bar}";
        bar.set_style(ProgressStyle::with_template(shape).unwrap_or_else(|_| ProgressStyle::default_bar()));
        bar.enable_steady_tick(Duration::from_millis(500));
        Self { bar }
    }

    /// Whether anybody sees it.
    pub(crate) fn is_shown(&self) -> bool {
        !self.bar.is_hidden()
    }

    /// One more switch.
    pub(crate) fn step(&self) {
        self.bar.inc(1);
    }

    /// Writes something else to the terminal.
    pub(crate) fn aside<R>(&self, tell: impl FnOnce() -> R) -> R {
        if self.is_shown() { self.bar.suspend(tell) } else { tell() }
    }

    /// The line goes away.
    pub(crate) fn done(&self) {
        self.bar.finish_and_clear();
    }
}
