//! Every report that an audit writes: the one on standard output, and the files.

use std::io::{IsTerminal as _, Write};
use std::path::PathBuf;

use yellowlegs_core::finding::SwitchOutcome;

use crate::args::{Audit, Loudness};
use crate::failure::Failure;
use crate::output::{self, Target};
use crate::progress::Progress;
use crate::render::{FORMATS, Head, Nothing, Report, Tail, TextReport};

/// A report that goes into a file.
struct Sink {
    path: PathBuf,
    file: Target,
    report: Box<dyn Report>,
}

/// The reports, opened before the slow work.
pub(crate) struct Sinks {
    stdout: (Box<dyn Write + Send>, Box<dyn Report>),
    /// Whoever read standard output stopped: files are written all the same, and the exit code is the audit's.
    closed: bool,
    files: Vec<Sink>,
    progress: Progress,
}

impl Sinks {
    pub(crate) fn open(args: &Audit, loudness: Loudness, progress: Progress) -> Result<Self, Failure> {
        let look = output::look(loudness, args.each);
        let mut files = Vec::new();
        for path in &args.write {
            let format = output::format_of(path)?;
            let (file, report) = (Target::open(path)?, format.report(look.in_file()));
            files.push(Sink { path: path.clone(), file, report });
        }
        // Where the whole is in files, the screen has what is read first; with -q it stays empty.
        let report = match (args.format, args.write.is_empty(), loudness.quiet) {
            (Some(format), ..) => format.report(look),
            (None, true, _) => FORMATS[0].report(look),
            (None, false, false) => Box::new(TextReport::last_screen(look)),
            (None, false, true) => Box::new(Nothing),
        };
        let has_colours = !look.plain && args.format.is_none_or(|format| format.has_colours);
        let stdout = (output::report(has_colours, loudness.color), report);
        Ok(Self { stdout, closed: false, files, progress })
    }

    fn each(
        &mut self,
        mut write: impl FnMut(&mut dyn Report, &mut dyn Write) -> std::io::Result<()>,
    ) -> Result<(), Failure> {
        let (out, report) = &mut self.stdout;
        let closed = self.closed;
        let mut write_out = |report: &mut dyn Report, out: &mut dyn Write| {
            if closed { Ok(()) } else { write(report, out) }
        };
        // Where both go to the same screen, the one makes room for the other.
        let told = if self.progress.is_shown() && std::io::stdout().is_terminal() {
            self.progress.aside(|| write_out(report.as_mut(), out).and_then(|()| out.flush()))
        } else {
            write_out(report.as_mut(), out)
        };
        self.closed |= is_closed(told)?;
        for Sink { path, file, report } in &mut self.files {
            write(report.as_mut(), file).map_err(|error| Failure::path(&*path, error))?;
        }
        Ok(())
    }

    pub(crate) fn head(&mut self, head: &Head) -> Result<(), Failure> {
        self.each(|report, out| report.head(out, head))
    }

    pub(crate) fn switch(&mut self, outcome: &SwitchOutcome) -> Result<(), Failure> {
        self.progress.step();
        self.each(|report, out| report.switch(out, outcome))
    }

    /// What goes beside the reports, such as a switch that cannot be read.
    pub(crate) fn aside(&self, tell: impl FnOnce()) {
        self.progress.aside(tell);
    }

    /// The tail, and everything in its place.
    pub(crate) fn finish(mut self, tail: &Tail<'_>) -> Result<(), Failure> {
        self.progress.done();
        self.each(|report, out| report.tail(out, tail))?;
        if !self.closed {
            is_closed(self.stdout.0.flush())?;
        }
        self.files.into_iter().try_for_each(|sink| sink.file.finish())
    }
}

/// Whether writing to standard output failed because nobody reads it any more.
fn is_closed(written: std::io::Result<()>) -> Result<bool, Failure> {
    match written {
        Ok(()) => Ok(false),
        Err(error) if error.kind() == std::io::ErrorKind::BrokenPipe => Ok(true),
        Err(error) => Err(Failure::stdout(error)),
    }
}
