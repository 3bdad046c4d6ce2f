//! How far work on many switches is: counts and time left, on standard error, and only where that is a terminal.

use std::io::IsTerminal;
use std::time::Duration;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

/// What is counted while a fleet is read.
pub(crate) const READ: &str = "switches read and judged";

/// A fleet of fewer is read before anybody looks.
const MANY: usize = 200;

/// A line that says how far the work is, or nothing.
pub(crate) struct Progress {
    bar: ProgressBar,
    /// Kept beside it: whoever writes while the bar stands aside may ask, and the bar cannot answer then.
    shown: bool,
}

impl Progress {
    /// For a fleet of so many switches: what is counted, one for each at first. `wanted`: nobody asked for silence.
    pub(crate) fn of(switches: usize, what: &'static str, wanted: bool) -> Self {
        if !wanted || switches < MANY || !std::io::stderr().is_terminal() {
            return Self::none();
        }
        Self::drawn_on(ProgressDrawTarget::stderr_with_hz(5), switches, what)
    }

    /// For work that waits for others: of a few it takes long, too.
    #[cfg(feature = "gather")]
    pub(crate) fn of_waiting(switches: usize, what: &'static str, wanted: bool) -> Self {
        if !wanted || switches < 2 || !std::io::stderr().is_terminal() {
            return Self::none();
        }
        Self::drawn_on(ProgressDrawTarget::stderr_with_hz(5), switches, what)
    }

    /// One that nobody sees.
    pub(crate) fn none() -> Self {
        Self { bar: ProgressBar::hidden(), shown: false }
    }

    fn drawn_on(target: ProgressDrawTarget, count: usize, what: &'static str) -> Self {
        let bar = ProgressBar::with_draw_target(Some(count as u64), target);
        let shape = "{pos} of {len} {msg}, {percent} %, {eta} left {wide_bar}";
        bar.set_style(ProgressStyle::with_template(shape).unwrap_or_else(|_| ProgressStyle::default_bar()));
        bar.set_message(what);
        bar.enable_steady_tick(Duration::from_millis(500));
        Self { bar, shown: true }
    }

    /// Whether anybody sees it.
    pub(crate) fn is_shown(&self) -> bool {
        self.shown
    }

    /// One more.
    pub(crate) fn step(&self) {
        self.bar.inc(1);
    }

    /// So many of so many.
    pub(crate) fn at(&self, done: usize, of: usize) {
        // How many there are shows late: what is left is not guessed from the time before.
        if self.bar.length() != Some(of as u64) {
            self.bar.set_length(of as u64);
            self.bar.reset_eta();
        }
        self.bar.set_position(done as u64);
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

#[cfg(test)]
mod tests {
    use super::*;
    use indicatif::InMemoryTerm;

    #[test]
    fn it_counts_stands_aside_and_goes_away() {
        let screen = InMemoryTerm::new(5, 100);
        let progress = Progress::drawn_on(ProgressDrawTarget::term_like(Box::new(screen.clone())), 400, READ);
        for _ in 0..100 {
            progress.step();
        }
        let aside = progress.aside(|| (progress.is_shown(), screen.contents()));
        assert_eq!(aside, (true, String::new()), "what is written aside has the screen for itself");
        progress.bar.force_draw();
        assert!(screen.contents().starts_with("100 of 400 switches read and judged, 25 %, "), "{}", screen.contents());
        progress.at(30, 60);
        progress.bar.force_draw();
        assert!(screen.contents().starts_with("30 of 60 switches read and judged, 50 %, "), "{}", screen.contents());
        progress.done();
        assert_eq!(screen.contents(), "");
    }

    /// The tests have no terminal.
    #[test]
    fn nobody_sees_it_without_a_terminal() {
        assert!(!Progress::of(1000, "", false).is_shown() && !Progress::of(MANY - 1, "", true).is_shown());
    }
}
