//! Where something stands, and problems that point there.

use std::fmt;
use std::sync::Arc;

/// A place in a file: line and column count from 1, columns in characters.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Place {
    /// Path of the file, relative to the fleet's root, with `/`.
    pub file: Arc<str>,
    /// Line, from 1.
    pub line: u32,
    /// Column in characters, from 1.
    pub column: u32,
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}:{}:{}", self.file, self.line, self.column)
    }
}

/// A problem that can say what to do about it. Its `Display` says what is wrong.
pub trait Explain: fmt::Display {
    /// What the reader can do.
    fn hint(&self) -> Option<String>;
}

/// A typed problem at a place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct At<E> {
    /// Where.
    pub place: Place,
    /// What.
    pub problem: E,
}

/// Any problem, told: what the program prints. Made from [`At`] at the border of the core.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Problem {
    /// Where.
    pub place: Place,
    /// What is wrong.
    pub what: String,
    /// What to do about it.
    pub hint: Option<String>,
}

impl<E: Explain> From<At<E>> for Problem {
    fn from(at: At<E>) -> Self {
        Self { place: at.place, what: at.problem.to_string(), hint: at.problem.hint() }
    }
}

impl fmt::Display for Problem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}", self.place, self.what)?;
        if let Some(hint) = &self.hint {
            write!(f, "\n  hint: {hint}")?;
        }
        Ok(())
    }
}
