//! What ends the program: told on standard error, with what to do next, and the exit code.

use std::fmt::Display;
use std::path::PathBuf;
use std::process::ExitCode;

use yellowlegs_core::source::Problem;

use crate::render::clean;

/// Why the work could not be done. The exit code is 2, or 0 when only the reader went away.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Failure {
    /// A file or folder that cannot be read or written.
    #[error("{}: {error}", path.display())]
    Path { path: PathBuf, error: std::io::Error, hint: Option<String> },
    /// A policy or dialect with mistakes.
    #[error("{} problem(s)", .0.len())]
    Problems(Vec<Problem>),
    /// Something about the request.
    #[error("{what}")]
    Usage { what: String, hint: Option<String> },
    /// Whoever read standard output stopped reading.
    #[error("standard output was closed")]
    Closed,
}

impl Failure {
    pub(crate) fn path(path: impl Into<PathBuf>, error: std::io::Error) -> Self {
        Self::Path { path: path.into(), error, hint: None }
    }

    pub(crate) fn usage(what: impl Display, hint: impl Into<String>) -> Self {
        Self::Usage { what: what.to_string(), hint: Some(hint.into()) }
    }

    /// A failed write to standard output.
    pub(crate) fn stdout(error: std::io::Error) -> Self {
        if error.kind() == std::io::ErrorKind::BrokenPipe { Self::Closed } else { Self::path("standard output", error) }
    }

    pub(crate) fn print(&self) {
        match self {
            Self::Closed => {}
            Self::Problems(problems) => {
                for problem in problems {
                    anstream::eprintln!("error: {}", clean(&format!("{}: {}", problem.place, problem.what)));
                    if let Some(hint) = &problem.hint {
                        anstream::eprintln!("  hint: {}", clean(hint));
                    }
                }
            }
            Self::Path { hint, .. } | Self::Usage { hint, .. } => {
                anstream::eprintln!("error: {}", clean(&self.to_string()));
                if let Some(hint) = hint {
                    anstream::eprintln!("  hint: {}", clean(hint));
                }
            }
        }
    }

    pub(crate) fn code(&self) -> ExitCode {
        if matches!(self, Self::Closed) { ExitCode::SUCCESS } else { ExitCode::from(2) }
    }
}
